//! Past repairs: records of their own, with what they hide.

use askama::Template;
use mend_keel_core::grid::Place;
use mend_keel_core::survey::past::{PastKind, Quality};
use mend_keel_store::surveys::NewPastRepair;
use rocket::{get, post};

use crate::file::place::typed_part;
use crate::file::survey::SurveyFile;
use crate::pages::survey::coverage::stretch;
use crate::pages::survey::{Tab, tabs};
use crate::view;
use crate::web::auth::{BoatReader, Crew};
use crate::web::choices::pairs;
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NAME_LIMIT, NOTE_LIMIT, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "survey/past.html")]
struct Show {
    page: Page,
    tabs: Vec<Tab>,
    boat_id: i64,
    rows: Vec<Row>,
    kinds: Vec<(String, String)>,
    qualities: Vec<(String, String)>,
    typed: Typed,
    faults: Faults,
}

struct Row {
    id: i64,
    at: String,
    part: String,
    kind: &'static str,
    quality: &'static str,
    harmful: bool,
    material: String,
    year: String,
    hides: String,
    note: String,
    look_behind: &'static str,
    when: String,
    by: String,
}

fn show(desk: &Desk<'_>, survey: &SurveyFile, typed: Typed, faults: Faults) -> Show {
    let file = &survey.file;
    let rows = survey
        .past
        .iter()
        .rev()
        .map(|p| {
            let plank = file.planks.iter().find(|k| k.id == p.member_id);
            let member = file.members.iter().find(|m| m.id == p.member_id);
            use mend_keel_core::grid::Address;
            let (at, part) = match (plank, member) {
                (Some(plank), _) => {
                    let at = Address { side: plank.side, strake: plank.strake, frame: p.from_cell };
                    (at.to_string(), format!("{}, bays {} to {}", plank.name(), p.from_cell, p.to_cell))
                }
                (None, Some(m)) => (format!("{} {}", m.code, p.from_cell), m.cell_name(p.from_cell)),
                (None, None) => (String::new(), "a part taken off the grid".to_owned()),
            };
            Row {
                id: p.id,
                at,
                part,
                kind: p.kind.label(),
                quality: p.quality.label(),
                harmful: p.quality >= Quality::Poor,
                material: p.material.clone(),
                year: p.year.map_or("year not known".to_owned(), |y| y.to_string()),
                hides: p.hides.clone(),
                note: p.note.clone(),
                look_behind: p.kind.look_behind(),
                when: view::when(&p.at),
                by: p.by_name.clone(),
            }
        })
        .collect();
    Show {
        page: desk.boat_page(file, "Past repairs", "survey"),
        tabs: tabs("survey/past"),
        boat_id: file.boat.id,
        rows,
        kinds: pairs(PastKind::ALL, PastKind::code, PastKind::label),
        qualities: pairs(Quality::ALL, Quality::code, Quality::label),
        typed,
        faults,
    }
}

#[get("/boats/<id>/survey/past?<at>")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64, at: Option<&str>) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let from = at.and_then(|at| Place::parse(at).ok()).map_or(String::new(), |place| survey.file.typed(&place));
    let typed = Typed::default().with("from", from).with("quality", "fair");
    render(&show(&desk, &survey, typed, Faults::default()))
}

#[post("/boats/<id>/survey/past", data = "<posted>")]
pub async fn add(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let stretch = stretch(&survey.file, &mut read, posted.form.get("from"), posted.form.get("to"), true);
    let kind = read.choice("kind", PastKind::from_code);
    let quality = read.choice("quality", Quality::from_code);
    let material = read.text("material", NAME_LIMIT);
    let year = read.optional_whole("year", 1800, 2100).map(i64::from);
    let hides = read.text("hides", NAME_LIMIT);
    let note = read.text("note", NOTE_LIMIT);
    let (Some((_, member_id, (from_cell, to_cell), shown)), Some(kind), Some(quality), true) =
        (stretch, kind, quality, read.faults.is_empty())
    else {
        return render_faulty(&show(&desk, &survey, posted.form.typed(), read.faults));
    };
    let new = NewPastRepair { member_id, from_cell, to_cell, kind, quality, material, year, hides, note, shown };
    let location = format!("/boats/{id}/survey/past");
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_past_repair(id, &new).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[post("/boats/<id>/survey/past/<repair>/withdraw", data = "<posted>")]
pub async fn withdraw(desk: Desk<'_>, _who: Crew, id: i64, repair: i64, posted: Posted) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let kept = survey.past.iter().find(|p| p.id == repair).ok_or(AppError::NotFound("past repair"))?;
    let location = format!("/boats/{id}/survey/past");
    let mut work = desk.store.begin(posted.act()).await?;
    work.withdraw_past_repair(id, kept).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// Where a place typed in a form is, for forms that take one place only.
pub fn one_place(survey: &SurveyFile, read: &mut Reader<'_>, field: &str, text: &str) -> Option<(Place, i64)> {
    let file = &survey.file;
    match typed_part(file, text).map(|(place, part)| (place, part.member_id())) {
        Ok(found) => Some(found),
        Err(e) => {
            read.faults.add_under(field, e);
            None
        }
    }
}
