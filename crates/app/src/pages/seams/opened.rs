//! Seams: what each strake touched may get, what it must not, and what goes into it.

use askama::Template;
use mend_keel_core::grid::{Between, Construction};
use mend_keel_core::seam::{self, Caulking, Treatment, Ways};
use mend_keel_core::{InputError, Verdict};
use mend_keel_store::boats::Plank;
use mend_keel_store::plans::NewPlan;
use mend_keel_store::seams as store;
use rocket::{get, post};
use serde_json::{Value, json};

use crate::file::boat::BoatFile;
use crate::view::Units;
use crate::view::reasons::{self, ReasonView};
use crate::web::auth::{BoatReader, Crew};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "seams/opened.html")]
struct List {
    page: Page,
    boat_id: i64,
    construction: &'static str,
    /// Her planks lap each other.
    lapped: bool,
    judged: Vec<(&'static str, ReasonView)>,
    strakes: Vec<StrakeView>,
    treatments: Vec<(String, String)>,
    typed: Typed,
    faults: Faults,
    /// The plank whose form the faults belong to.
    faulty: i64,
}

struct StrakeView {
    member_id: i64,
    plank: String,
    rows: Vec<(&'static str, String)>,
    reasons: Vec<ReasonView>,
    kept: Option<String>,
    /// The width measured, ready to be typed over.
    width: String,
    /// The same for the length opened.
    length: String,
}

/// What is driven into a seam and laid over it, as a person buys and does it.
pub fn caulk_rows(c: &Caulking, units: Units) -> Vec<(&'static str, String)> {
    let plural = if c.strands == 1 { "" } else { "s" };
    let oakum = if c.oakum { ", oakum over it" } else { "" };
    vec![
        ("Open to", format!("{} deep, {:.1}° on each edge", units.fine(c.open_depth), c.edge_bevel)),
        ("Cotton", format!("{} strand{plural}, {}{oakum}", c.strands, units.run(c.cotton_length))),
        ("Primer", format!("{:.0} ml", c.primer_ml)),
        (
            "Compound",
            format!(
                "{} deep, {:.0} ml, {} cartridges of 310 ml with one in reserve",
                units.fine(c.compound_depth),
                c.compound_ml,
                c.cartridges
            ),
        ),
        ("Masking tape", units.run(c.tape_length)),
    ]
}

/// What a boat's seams may get and what they must not, with the reasons.
pub fn judged(construction: Construction, ways: Ways, units: Units) -> Vec<(&'static str, ReasonView)> {
    Treatment::ALL
        .iter()
        .map(|t| (t.label(), seam::judge_by(construction, *t, ways)))
        .filter(|(_, r)| r.verdict != Verdict::Against)
        .map(|(label, r)| (label, ReasonView::new(&r, units)))
        .collect()
}

/// What the opened seams of other planks get, by the newest plan of each.
pub fn planned(file: &BoatFile, but: Option<i64>) -> Vec<Treatment> {
    let mut seen = std::collections::HashSet::new();
    let newest = file.seams.iter().filter(|s| s.member_id != but && seen.insert(s.member_id));
    newest.filter_map(|s| s.asked["treatment"].as_str().and_then(Treatment::from_code)).collect()
}

fn strake_view(desk: &Desk<'_>, file: &BoatFile, plank: &Plank, ways: Ways) -> StrakeView {
    let units = desk.units;
    let plan = file.seams.iter().find(|s| s.member_id == Some(plank.id));
    let length = plan.and_then(|s| s.asked["seam_mm"].as_f64()).unwrap_or_else(|| file.seam_length(plank));
    let caulked = seam::judge_by(file.boat.construction, Treatment::CottonCompound, ways).verdict == Verdict::For;
    let opened = if length > 0.0 { units.run(length) } else { "none: the piece touches no seam".to_owned() };
    let mut rows = vec![("Seam opened", opened)];
    let mut shown = Vec::new();
    let measured = plan.and_then(|s| s.asked["width_mm"].as_f64());
    if let (true, Ok(c)) = (caulked, seam::caulk(plank.thickness, length, measured)) {
        rows.push(("Width at the face", units.fine(c.width)));
        rows.extend(caulk_rows(&c, units));
        shown = reasons::views(&c.reasons, units);
    }
    let kept = plan
        .and_then(|s| s.asked.get("treatment").and_then(Value::as_str).and_then(Treatment::from_code))
        .map(|t| t.label().to_owned());
    StrakeView {
        member_id: plank.id,
        plank: plank.name(),
        rows,
        reasons: shown,
        kept,
        width: measured.map_or(String::new(), |mm| units.exact(mm)),
        length: if length > 0.0 { units.exact(length) } else { String::new() },
    }
}

fn page(desk: &Desk<'_>, file: &BoatFile, ways: Ways, typed: Typed, faults: Faults, faulty: i64) -> List {
    let construction = file.boat.construction;
    let judged = judged(construction, ways, desk.units);
    List {
        page: desk.boat_page(file, "Seams", "seams"),
        boat_id: file.boat.id,
        construction: construction.label(),
        lapped: file.boat.construction.between() == Between::Lap,
        judged,
        strakes: file.decided_new_planks().map(|p| strake_view(desk, file, p, ways)).collect(),
        treatments: Treatment::ALL.iter().map(|t| (t.code().to_owned(), t.label().to_owned())).collect(),
        typed: if typed.get("treatment").is_empty() {
            typed.with("treatment", seam::usual_by(construction, ways).code())
        } else {
            typed
        },
        faults,
        faulty,
    }
}

#[get("/boats/<id>/seams")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let ways = store::ways(desk.store, id).await?.ways;
    render(&page(&desk, &file, ways, Typed::default(), Faults::default(), 0))
}

#[post("/boats/<id>/seams/<plank>", rank = 2, data = "<posted>")]
pub async fn keep(desk: Desk<'_>, _who: Crew, id: i64, plank: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let ways = store::ways(desk.store, id).await?.ways;
    let others = store::of_boat(desk.store, id).await?;
    let plank = file.plank(plank)?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let treatment = read.choice("treatment", Treatment::from_code);
    let width = read.optional_length("width");
    let length = read.optional_length("length").unwrap_or_else(|| file.seam_length(plank));
    let (from, to) = plank.place().span(&file.boat.shell);
    if length < 0.0 || length > 2.0 * (to - from) {
        read.faults
            .add(InputError::new("length", format!("this plank has {} of seam", desk.units.run(2.0 * (to - from)))));
    }
    let judged = treatment.map(|t| seam::judge_by(file.boat.construction, t, ways));
    if let Some(reason) = judged.as_ref().filter(|r| r.verdict == Verdict::Forbids) {
        read.faults.add(InputError::new("treatment", format!("not on this boat: {}", reason.text)));
    } else if let Some(mixed) = treatment
        .and_then(|t| seam::beside(t, others.iter().map(|s| s.treatment).chain(planned(&file, Some(plank.id)))))
    {
        read.faults.add(InputError::new("treatment", mixed.text));
    }
    let (Some(treatment), Some(judged), true) = (treatment, judged, read.faults.is_empty()) else {
        return render_faulty(&page(&desk, &file, ways, posted.form.typed(), read.faults, plank.id));
    };
    let caulked = (treatment == Treatment::CottonCompound && length > 0.0)
        .then(|| seam::caulk(plank.thickness, length, width))
        .transpose();
    let caulked = match caulked {
        Ok(caulked) => caulked,
        Err(e) => {
            let mut faults = Faults::said_in(desk.units);
            faults.add(e);
            return render_faulty(&page(&desk, &file, ways, posted.form.typed(), faults, plank.id));
        }
    };
    let new = NewPlan {
        boat_id: id,
        member_id: Some(plank.id),
        piece_id: None,
        kind: "seam",
        summary: format!("Seams of {}: {}", plank.name(), treatment.label().to_lowercase()),
        asked: json!({ "treatment": treatment, "seam_mm": length, "width_mm": width }),
        answer: json!({ "judged": judged, "caulking": caulked.map(|c| json!({ "width_mm": c.width, "strands": c.strands,
            "compound_ml": c.compound_ml, "cartridges": c.cartridges, "cotton_mm": c.cotton_length, "tape_mm": c.tape_length })) }),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_plan(&new).await?;
    let location = format!("/boats/{id}/seams");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
