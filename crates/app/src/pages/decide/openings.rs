//! Taking her apart: little by little, each opening with what it is to show; what must be drawn and whether there is room; what is saved
//! first.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::caution::Caution;
use mend_keel_core::grid::Place;
use mend_keel_core::work::drawn::{Draw, Thing, clearance};
use mend_keel_store::fastenings;
use mend_keel_store::openings::{self, NewOpening, Opening};
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::view;
use crate::view::reasons::{self, ReasonView};
use crate::web::auth::{BoatReader, Crew};
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NAME_LIMIT, NOTE_LIMIT, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "decide/openings.html")]
struct Show {
    page: Page,
    boat_id: i64,
    todo: Vec<Row>,
    open: Vec<Row>,
    /// Fittings on parts that come out: they come off first, and are kept.
    first: Vec<String>,
    things: Choices,
    caution: &'static str,
    /// The opening a fault belongs to; 0: a new one.
    faulty: i64,
    typed: Typed,
    faults: Faults,
}

struct Row {
    id: i64,
    what: String,
    shows: String,
    decides: String,
    drawn: String,
    reasons: Vec<ReasonView>,
    seen: String,
    when: String,
}

fn row(o: &Opening, desk: &Desk<'_>) -> Row {
    let units = desk.units;
    let drawn = o.thing().zip(o.length);
    let told =
        drawn.and_then(|(thing, length)| clearance(&Draw { thing, length, room: o.room, weight: o.weight }).ok());
    Row {
        id: o.id,
        what: o.what.clone(),
        shows: o.shows.clone(),
        decides: o.decides.clone(),
        drawn: drawn.map_or(String::new(), |(thing, length)| {
            format!("{}, drawn {} {}", thing.label(), units.len(length), thing.room())
        }),
        reasons: told.map_or(Vec::new(), |r| reasons::views(&r, units)),
        seen: o.seen.clone().unwrap_or_default(),
        when: o.opened_at.as_deref().map_or(String::new(), view::when),
    }
}

/// Fittings bolted to planks that are to come out.
async fn come_off_first(desk: &Desk<'_>, file: &BoatFile) -> std::result::Result<Vec<String>, AppError> {
    let out: Vec<i64> = file.decisions.iter().filter(|d| d.kind.takes_out()).map(|d| d.member_id).collect();
    let bolted = fastenings::all_bolted(desk.store, file.boat.id).await?;
    let told = bolted.into_iter().filter_map(|f| {
        let at = Place::parse(f.plan.place.as_deref()?).ok()?;
        let on = file.part_at(&at).ok()?.member_id();
        out.contains(&on).then(|| format!("{} at {}", f.name, file.shown(&at)))
    });
    Ok(told.collect())
}

async fn show(
    desk: &Desk<'_>,
    file: &BoatFile,
    faulty: i64,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<Show, AppError> {
    let all = openings::of_boat(desk.store, file.boat.id).await?;
    let (open, todo): (Vec<&Opening>, Vec<&Opening>) = all.iter().partition(|o| o.seen.is_some());
    Ok(Show {
        page: desk.boat_page(file, "Openings", "decide"),
        boat_id: file.boat.id,
        todo: todo.into_iter().map(|o| row(o, desk)).collect(),
        open: open.into_iter().map(|o| row(o, desk)).collect(),
        first: come_off_first(desk, file).await?,
        things: pairs(Thing::ALL, Thing::code, Thing::label),
        caution: Caution::UnderHull.text(),
        faulty,
        typed,
        faults,
    })
}

fn here(id: i64) -> String {
    format!("/boats/{id}/openings")
}

#[get("/boats/<id>/openings")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    render(&show(&desk, &file, 0, Typed::default(), Faults::default()).await?)
}

#[post("/boats/<id>/openings", data = "<posted>")]
pub async fn add(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let what = read.name("what");
    let (shows, decides) = (read.text("shows", NAME_LIMIT), read.text("decides", NAME_LIMIT));
    let thing = read.optional_choice("thing", Thing::from_code);
    let (length, room) = (read.optional_length("length"), read.optional_length("room"));
    let weight = read.optional_number("weight", 0.0, 100_000.0);
    match (thing, length) {
        (Some(thing), Some(length)) => {
            if let Err(e) = clearance(&Draw { thing, length, room, weight }) {
                read.faults.add(e);
            }
        }
        (Some(_), None) if !read.faults.has("length") => {
            read.faults.add(InputError::new("length", "say by how much it is drawn"));
        }
        // What is not to be drawn is opened to see something.
        (None, _) if shows.is_empty() => read.faults.add(InputError::new("shows", "say what it is to show")),
        _ => {}
    }
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, &file, 0, posted.form.typed(), read.faults).await?);
    }
    let length = length.filter(|_| thing.is_some());
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_opening(&NewOpening { boat_id: id, what, shows, decides, thing, length, room, weight }).await?;
    work.commit(&here(id)).await?;
    Ok(Answer::Go(here(id)))
}

/// It is open: what was seen.
#[post("/boats/<id>/openings/<opening>/seen", data = "<posted>")]
pub async fn seen(desk: Desk<'_>, _who: Crew, id: i64, opening: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let opening = openings::find(desk.store, id, opening).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let seen = read.text("seen", NOTE_LIMIT);
    if seen.is_empty() && read.faults.is_empty() {
        read.faults.add(InputError::new("seen", "say what was seen, if only that all is sound"));
    }
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, &file, opening.id, posted.form.typed(), read.faults).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    work.opened(&opening, &seen).await?;
    work.commit(&here(id)).await?;
    Ok(Answer::Go(here(id)))
}

#[post("/boats/<id>/openings/<opening>/withdraw", data = "<posted>")]
pub async fn withdraw(desk: Desk<'_>, _who: Crew, id: i64, opening: i64, posted: Posted) -> Result {
    let mut work = desk.store.begin(posted.act()).await?;
    // Withdrawing twice is once.
    if let Ok(opening) = openings::find(desk.store, id, opening).await {
        work.withdraw_opening(&opening).await?;
    }
    work.commit(&here(id)).await?;
    Ok(Answer::Go(here(id)))
}
