//! A boat's home: the planking map, and what there is to say of the place selected on it.

use askama::Template;
use mend_keel_core::grid::Address;
use mend_keel_core::survey::FindingKind;
use rocket::get;

use super::{BoatFile, Desk, Page, render};
use crate::auth::BoatReader;
use crate::error::{Answer, AppError, Result};
use crate::view::map::Map;

#[derive(Template)]
#[template(path = "map.html")]
struct Show {
    page: Page,
    boat_id: i64,
    svg: String,
    place: Option<Place>,
    /// Something was wrong with the address asked for.
    fault: String,
    typed: String,
    too_close: usize,
    findings: usize,
}

/// The side panel: what is here, what was seen, what is planned, what it waits for, its story.
#[derive(Template)]
#[template(path = "place.html")]
struct Place {
    boat_id: i64,
    at: Address,
    may_write: bool,
    plank_id: i64,
    plank: String,
    facts: Vec<(&'static str, String)>,
    findings: Vec<Seen>,
    decided: Option<String>,
    pieces: Vec<(i64, String)>,
    waits: Option<String>,
    kinds: &'static [FindingKind],
}

struct Seen {
    id: i64,
    what: String,
    says: String,
    class: String,
    here: bool,
}

impl Place {
    fn key(&self, kind: &FindingKind) -> &'static str {
        key_of(*kind)
    }
}

/// The letter that opens a new finding of a kind.
fn key_of(kind: FindingKind) -> &'static str {
    match kind {
        FindingKind::Crack => "c",
        FindingKind::Rot => "r",
        FindingKind::Gouge => "g",
        FindingKind::SickFastening => "f",
        FindingKind::OpenSeam => "o",
    }
}

fn place_at(
    desk: &Desk<'_>,
    file: &BoatFile,
    at: Address,
    may_write: bool,
) -> std::result::Result<Place, mend_keel_core::InputError> {
    let plank = file.plank_at(at)?;
    let units = desk.units;
    let species =
        mend_keel_core::timber::species::find(&plank.species).map_or(plank.species.clone(), |s| s.name.clone());
    let (from, to) = plank.place().span(&file.boat.shell);
    let facts = vec![
        ("Width here", units.len(file.boat.shell.width(at))),
        ("Thickness", units.len(plank.thickness)),
        ("Length", units.run(to - from)),
        ("Timber", species),
        ("Age", plank.year.map_or("original".to_owned(), |year| format!("renewed {year}"))),
        (
            "Lies",
            if file.is_below_waterline(at.strake) { "below the waterline" } else { "above the waterline" }.to_owned(),
        ),
    ];
    let seen = |f: &mend_keel_store::findings::Finding| Seen {
        id: f.id,
        what: format!("{}, {}", f.kind.label(), f.certainty.label().to_lowercase()),
        says: f.reading.says.clone(),
        class: f.grade.label().to_owned(),
        here: f.frame == at.frame,
    };
    let decision = file.decision(plank.id);
    let waits = file.tasks.iter().find(|t| t.plank_id == plank.id && t.done_at.is_none()).map(|t| t.what.clone());
    Ok(Place {
        boat_id: file.boat.id,
        at,
        may_write,
        plank_id: plank.id,
        plank: plank.name(),
        facts,
        findings: file.findings.iter().filter(|f| f.plank_id == plank.id).map(seen).collect(),
        decided: decision.map(|d| format!("{}: {}", d.kind.label(), d.reason)),
        pieces: file.pieces.iter().filter(|p| p.plank_id == plank.id).map(|p| (p.id, p.name.clone())).collect(),
        waits,
        kinds: FindingKind::ALL,
    })
}

#[get("/boats/<id>?<at>")]
pub async fn show(desk: Desk<'_>, who: BoatReader, id: i64, at: Option<&str>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let may_write = who.0.account.guest_boat.is_none();
    let mut fault = String::new();
    let mut place = None;
    let mut selected = None;
    if let Some(text) = at.filter(|text| !text.trim().is_empty()) {
        match Address::parse(text).and_then(|at| Ok((at, place_at(&desk, &file, at, may_write)?))) {
            Ok((at, found)) => {
                selected = Some(at);
                place = Some(found);
            }
            Err(e) => fault = e.message,
        }
    }
    let violations = file.violations();
    let map = Map {
        boat: &file.boat,
        planks: &file.planks,
        findings: &file.findings,
        decisions: &file.decisions,
        pieces: &file.pieces,
        joints: &file.joints,
        violations: &violations,
        selected,
    };
    render(&Show {
        svg: map.draw(),
        page: desk.boat_page(&file, "Planking map", "map"),
        boat_id: id,
        place,
        fault,
        typed: at.unwrap_or_default().chars().take(40).collect(),
        too_close: violations.len(),
        findings: file.findings.len(),
    })
}

/// The panel alone, for the page's script.
#[get("/boats/<id>/place?<at>")]
pub async fn place(desk: Desk<'_>, who: BoatReader, id: i64, at: &str) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let place = Address::parse(at)
        .and_then(|at| place_at(&desk, &file, at, who.0.account.guest_boat.is_none()))
        .map_err(|e| AppError::Refused(e.message))?;
    render(&place)
}

/// `/` finds anything by address.
#[get("/boats/<id>/find?<q>")]
pub fn find(_who: BoatReader, id: i64, q: &str) -> Result {
    let at = rocket::http::RawStr::new(q).percent_encode().to_string();
    Ok(Answer::Go(format!("/boats/{id}?at={at}")))
}
