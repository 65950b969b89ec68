//! Quick entry: one hand, gloves, a phone under the hull. A place, what it is, and it is marked; all else is optional.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::survey::{Cause, Certainty, Extent, FindingKind, Grade, Method, mark as undrawn};
use rocket::{get, post};

use crate::file::boat::{BoatFile, Part};
use crate::file::place::typed_part;
use crate::pages::survey::finding::{KindView, common_kinds, kind_views, read as read_finding, stored, think_ahead};
use crate::pages::survey::reading::{Lists, read as read_reading};
use crate::view::svg;
use crate::web::auth::Crew;
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, Result};
use crate::web::form::{Faults, Posted, Reader, Submission, Typed};

#[derive(Template)]
#[template(path = "survey/quick.html")]
struct Show {
    page: Page,
    boat_id: i64,
    typed: Typed,
    faults: Faults,
    kinds: Vec<KindView>,
    grades: Choices,
    certainties: Choices,
    causes: Choices,
    lists: Lists,
    /// What was kept last, to be said and to be entered again.
    kept: Option<(i64, String)>,
    /// It looks the same as another finding.
    like: Option<String>,
    example: String,
    row_word: &'static str,
    frames: u32,
    strakes: u32,
    /// The glyphs of the kinds, which no drawing of this page brings.
    glyphs: String,
}

fn show(desk: &Desk<'_>, file: &BoatFile, typed: Typed, faults: Faults) -> Show {
    let part = typed_part(file, typed.get("place")).ok().map(|(_, part)| part);
    let common = part.as_ref().map_or_else(|| common_kinds(None), |part| common_kinds(Some(part)));
    let mut grades = vec![(String::new(), "As the reading says".to_owned())];
    grades.extend(pairs(Grade::ALL, Grade::code, Grade::label));
    let first = mend_keel_core::grid::Address { side: mend_keel_core::grid::Side::Port, strake: 2, frame: 3 };
    Show {
        page: desk.boat_page(file, "Quick entry", "survey"),
        boat_id: file.boat.id,
        kinds: kind_views(common, typed.get("kind")),
        grades,
        certainties: pairs(Certainty::ALL, Certainty::code, Certainty::label),
        causes: pairs(Cause::ALL, Cause::code, Cause::label),
        lists: Lists::default(),
        typed,
        faults,
        kept: None,
        like: None,
        example: file.boat.shown(first),
        row_word: file.boat.construction.row(),
        frames: file.boat.shell.frame_count(),
        strakes: file.boat.shell.strake_count(),
        glyphs: format!("<svg class=\"visually-hidden\" aria-hidden=\"true\">{}</svg>", svg::GLYPHS),
    }
}

#[get("/boats/<id>/quick?<at>&<kind>&<like>&<kept>")]
pub async fn form(
    desk: Desk<'_>,
    _who: Crew,
    id: i64,
    at: Option<&str>,
    kind: Option<&str>,
    like: Option<i64>,
    kept: Option<i64>,
) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let place = at.and_then(|at| file.locate(at).ok()).map(|(place, _)| place);
    let fresh = Typed::default()
        .with("kind", kind.and_then(FindingKind::from_code).unwrap_or(FindingKind::Crack).code())
        .with("method", Method::Look.code())
        .with("grade", Grade::Watch.code())
        .with("certainty", Certainty::Suspected.code())
        .with("cause", Cause::Unknown.code());
    let other = like.and_then(|like| file.findings.iter().find(|f| f.id == like));
    let typed = match other {
        // All that was said of the other but where it lies on its plank, and what it was read by.
        Some(other) => stored(&desk, other).with("version", "").with("shape", "").with("method", Method::Look.code()),
        None => fresh,
    };
    let typed = typed.with("place", place.as_ref().map_or(String::new(), |p| file.typed(p)));
    let name = |f: &mend_keel_store::findings::Finding| file.told(f);
    let kept = kept.and_then(|kept| file.findings.iter().find(|f| f.id == kept)).map(|f| (f.id, name(f)));
    let like = other.map(name);
    render(&Show { kept, like, ..show(&desk, &file, typed, Faults::default()) })
}

/// Turns how long and how wide into a shape, where nothing was drawn. Faults are told at their fields.
fn with_extent(
    desk: &Desk<'_>,
    file: &BoatFile,
    part: &Part<'_>,
    form: &mut Submission,
) -> std::result::Result<(), Faults> {
    let mut read = Reader::new(form, desk.units.unit);
    let (along, across) = (read.optional_length("along"), read.optional_length("across"));
    for (field, mm) in [("along", along), ("across", across)] {
        if mm.is_some_and(|mm| mm <= 0.0) {
            read.faults.add(InputError::new(field, "must be greater than 0"));
        }
    }
    let kind = FindingKind::from_code(form.get("kind"));
    let suspected = form.get("certainty") == Certainty::Suspected.code();
    let needs = !suspected && kind.is_some_and(|k| k.extent() != Extent::Point);
    if needs && along.is_none() && !read.faults.has("along") {
        read.faults.add(InputError::new("along", "how long is it? Or leave it suspected"));
    }
    if !read.faults.is_empty() {
        return Err(read.faults);
    }
    if let Some(kind) = kind.filter(|_| along.is_some() || !suspected) {
        let across = across.unwrap_or(if kind.extent() == Extent::Area { undrawn::AREA_ACROSS } else { 0.0 });
        let shape = undrawn::shape(kind, file.cell(part), Some((along.unwrap_or(0.0), across)));
        let lines: Vec<String> = shape.iter().map(|p| format!("{} mm, {} mm", p[0], p[1])).collect();
        form.set("shape", lines.join("\n"));
    }
    Ok(())
}

#[post("/boats/<id>/quick", data = "<posted>")]
pub async fn mark(desk: Desk<'_>, _who: Crew, id: i64, mut posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let (place, part) = match typed_part(&file, posted.form.get("place")) {
        Ok(found) => found,
        Err(e) => {
            let mut faults = Faults::said_in(desk.units);
            faults.add_under("place", e);
            return render_faulty(&show(&desk, &file, posted.form.typed(), faults));
        }
    };
    let at = place.to_string().replace(' ', "+");
    // The other button: looked at, and nothing there.
    if posted.form.get("nothing") == "1" {
        let method = Method::from_code(posted.form.get("method")).unwrap_or(Method::Look);
        let mut work = desk.store.begin(posted.act()).await?;
        let cell = part.cell();
        work.look_over(id, part.member_id(), (cell, cell), method, &file.shown(&place)).await?;
        let location = format!("/boats/{id}/quick?at={at}");
        work.commit(&location).await?;
        return Ok(Answer::Go(location));
    }
    // A reading by itself: a fact, with no finding resting on it yet.
    if posted.form.get("reading") == "1" {
        let new = match read_reading(&desk, &file, &place, &part, &posted.form) {
            Ok(new) => new,
            Err(faults) => return render_faulty(&show(&desk, &file, posted.form.typed(), faults)),
        };
        let mut work = desk.store.begin(posted.act()).await?;
        work.add_reading(id, &new, None).await?;
        let location = format!("/boats/{id}/quick?at={at}");
        work.commit(&location).await?;
        return Ok(Answer::Go(location));
    }
    let typed = posted.form.typed();
    let faulty = |faults: Faults| {
        let mut faults = faults;
        if faults.has("shape") {
            let message = faults.at("shape").to_owned();
            faults.add(InputError::new("along", message));
        }
        render_faulty(&show(&desk, &file, typed.clone(), faults))
    };
    if let Err(faults) = with_extent(&desk, &file, &part, &mut posted.form) {
        return faulty(faults);
    }
    let read = match read_finding(&desk, &file, &place, &part, &mut posted.form, None).await {
        Ok(read) => read,
        Err(faults) => return faulty(faults),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    let kept = work.add_finding(id, &read.finding, read.reading.as_ref(), &read.photos).await?;
    let location = format!("/boats/{id}/quick?at={at}&like={kept}&kept={kept}");
    work.commit(&location).await?;
    think_ahead(desk.store, id, part.member_id());
    Ok(Answer::Go(location))
}
