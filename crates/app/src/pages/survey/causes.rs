//! Causes tied to findings with their cure, and whether they were treated.

use askama::Template;
use mend_keel_core::survey::Cause;
use mend_keel_store::findings::Finding;
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::pages::survey::{Tab, tabs};
use crate::web::auth::{BoatReader, Crew};
use crate::web::changed::Kept;
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NAME_LIMIT, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "survey/causes.html")]
struct Show {
    page: Page,
    tabs: Vec<Tab>,
    boat_id: i64,
    rows: Vec<Row>,
    typed: Typed,
    faults: Faults,
    faulty: String,
}

struct Row {
    code: &'static str,
    label: &'static str,
    cure: &'static str,
    treated: Option<String>,
    /// With what treatment it was shown.
    was: String,
    flagged: bool,
    /// Where it did damage: id, place, what, and whether a repair is decided there already.
    findings: Vec<(i64, String, &'static str, bool)>,
    decided: usize,
    caution: &'static str,
}

fn show(desk: &Desk<'_>, file: &BoatFile, typed: Typed, faults: Faults, faulty: &str) -> Show {
    let rows = Cause::ALL
        .iter()
        .filter_map(|cause| {
            let of: Vec<_> = file.findings.iter().filter(|f| f.cause == *cause && f.is_open()).collect();
            of.first()?;
            let treated = treated_all(&of);
            let decided = |f: &&&Finding| file.decision(f.member_id).is_some();
            Some(Row {
                code: cause.code(),
                label: cause.label(),
                cure: cause.cure(),
                was: treated_kept(treated.as_deref()).token(),
                flagged: cause.untreated(treated.is_some()).is_some(),
                treated,
                decided: of.iter().filter(|f| decided(f)).count(),
                findings: of.iter().map(|f| (f.id, file.shown(&f.place), f.kind.label(), decided(&f))).collect(),
                caution: match cause {
                    Cause::StrayCurrent | Cause::DissimilarMetals => {
                        "Shore power, bonding, stray current: a qualified marine electrician."
                    }
                    Cause::Condensation | Cause::StandingWater => "Closed spaces: air first, never alone.",
                    _ => "",
                },
            })
        })
        .collect();
    Show {
        page: desk.boat_page(file, "Causes", "survey"),
        tabs: tabs("survey/causes"),
        boat_id: file.boat.id,
        rows,
        typed,
        faults,
        faulty: faulty.to_owned(),
    }
}

/// What was done about a cause of these findings; one added since makes it untreated again: it may be at work still.
fn treated_all(of: &[&Finding]) -> Option<String> {
    let all = of.iter().all(|f| f.cause_treated.is_some());
    of.first().filter(|_| all)?.cause_treated.clone()
}

/// What was done about a cause as it stands.
fn treated_kept(how: Option<&str>) -> Kept {
    Kept::default().text("how", "What was done about it", how.unwrap_or_default())
}

#[get("/boats/<id>/survey/causes")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    render(&show(&desk, &file, Typed::default(), Faults::default(), ""))
}

#[post("/boats/<id>/survey/causes/<cause>", data = "<posted>")]
pub async fn treat(desk: Desk<'_>, _who: Crew, id: i64, cause: &str, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let known = Cause::from_code(cause).ok_or(AppError::NotFound("cause"))?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let back = posted.form.get("back") == "1";
    let how = if back { read.text("how", NAME_LIMIT) } else { read.name("how") };
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, &file, posted.form.typed(), read.faults, cause));
    }
    let of: Vec<&Finding> = file.findings.iter().filter(|f| f.cause == known && f.is_open()).collect();
    posted.still(known.label(), &treated_kept(treated_all(&of).as_deref()))?;
    let location = format!("/boats/{id}/survey/causes");
    let mut work = desk.store.begin(posted.act()).await?;
    work.treat_cause(id, known, (!back).then_some(how.as_str())).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
