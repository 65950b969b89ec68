//! As she is fastened: recorded by region and time in one form, which feeds her plans, the metals check and what falls due.

use askama::Template;
use mend_keel_core::fastening::record::{Fastened, Share};
use mend_keel_core::fastening::through::Kind;
use mend_keel_core::grid::Side;
use mend_keel_core::{InputError, metals};
use mend_keel_store::fastenings::{self, FastenedRow};
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::view::fastened_says;
use crate::web::auth::{BoatReader, Crew};
use crate::web::choices::{Choices, metal_choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "fasten/as_she_is.html")]
struct Show {
    page: Page,
    boat_id: i64,
    rows: Vec<Row>,
    sides: Choices,
    kinds: Choices,
    metals: Choices,
    shares: Choices,
    strakes: u32,
    frames: u32,
    typed: Typed,
    faults: Faults,
}

struct Row {
    id: i64,
    place: String,
    says: String,
    note: String,
    by: String,
}

/// `port, strakes 1 to 6, frames 1 to 26`.
fn place_of(record: &Fastened) -> String {
    let side = record.side.map_or("both sides".to_owned(), |s| s.label().to_lowercase());
    let (s, f) = (record.strakes, record.frames);
    format!("{side}, strakes {} to {}, frames {} to {}", s.0, s.1, f.0, f.1)
}

async fn show(desk: &Desk<'_>, file: &BoatFile, typed: Typed, faults: Faults) -> std::result::Result<Show, AppError> {
    let row = |r: &FastenedRow| {
        let record = r.core();
        Row {
            id: r.id,
            place: place_of(&record),
            says: fastened_says(&record, desk.units),
            note: r.note.clone(),
            by: r.by_name.clone(),
        }
    };
    Ok(Show {
        page: desk.boat_page(file, "As she is fastened", "fasten"),
        boat_id: file.boat.id,
        rows: fastenings::fastened(desk.store, file.boat.id).await?.iter().map(row).collect(),
        sides: pairs(&Side::BOTH, Side::code, Side::label),
        kinds: pairs(Kind::ALL, Kind::code, Kind::label),
        metals: metal_choices(),
        shares: pairs(Share::ALL, Share::code, Share::label),
        strakes: file.boat.shell.strake_count(),
        frames: file.boat.shell.frame_count(),
        typed,
        faults,
    })
}

#[get("/boats/<id>/fastened")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let shell = &file.boat.shell;
    let typed = Typed::default()
        .with("strake_from", "1")
        .with("strake_to", shell.strake_count().to_string())
        .with("frame_from", "1")
        .with("frame_to", shell.frame_count().to_string());
    render(&show(&desk, &file, typed, Faults::default()).await?)
}

#[post("/boats/<id>/fastened", data = "<posted>")]
pub async fn add(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let side = read.optional_choice("side", Side::from_code);
    let (strakes, frames) = (file.boat.shell.strake_count(), file.boat.shell.frame_count());
    let (s, f) = (read.span("strake_from", "strake_to", strakes), read.span("frame_from", "frame_to", frames));
    let kind = read.choice("kind", Kind::from_code);
    let metal = read.choice("metal", |id| metals::find(id).ok());
    let share = read.choice("share", Share::from_code);
    let diameter = read.optional_length("diameter");
    if diameter.is_some_and(|d| !(1.0..=40.0).contains(&d)) {
        read.faults.add(InputError::new("diameter", "must be between 1 and 40 mm"));
    }
    let year = read.optional_whole("year", 1_700, 2_200).map(|y| y as i32);
    let note = read.text("note", NOTE_LIMIT);
    let (Some(kind), Some(metal), Some(share), true) = (kind, metal, share, read.faults.is_empty()) else {
        return render_faulty(&show(&desk, &file, posted.form.typed(), read.faults).await?);
    };
    let new = Fastened { side, strakes: s, frames: f, kind, metal: metal.id.clone(), diameter, year, share };
    let mut work = desk.store.begin(posted.act()).await?;
    let shown = format!("{}: {}", place_of(&new), fastened_says(&new, desk.units));
    work.add_fastened(id, &new, &note, &shown).await?;
    let location = format!("/boats/{id}/fastened");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[post("/boats/<id>/fastened/<record>/withdraw", data = "<posted>")]
pub async fn withdraw(desk: Desk<'_>, _who: Crew, id: i64, record: i64, posted: Posted) -> Result {
    let kept = fastenings::fastened(desk.store, id).await?;
    let row = kept.iter().find(|r| r.id == record).ok_or(AppError::NotFound("record"))?;
    let location = format!("/boats/{id}/fastened");
    let mut work = desk.store.begin(posted.act()).await?;
    let shown = format!("{}: {}", place_of(&row.core()), fastened_says(&row.core(), desk.units));
    work.withdraw_fastened(id, record, &shown).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
