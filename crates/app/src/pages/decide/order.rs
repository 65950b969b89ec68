//! The structural order over all decided work: what may come out now, what must be shored first, and in which turns.

use askama::Template;
use mend_keel_core::caution::Caution;
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::work::holds;
use mend_keel_core::work::order::{self, DeckSchool, May};
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::file::order::{hull, parts, rests_on, standing};
use crate::view::layers::Layers;
use crate::view::map::{Map, Marked, OrderMark};
use crate::view::reasons::{self, ReasonView};
use crate::web::auth::{BoatReader, Crew};
use crate::web::changed::Kept;
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "decide/order.html")]
struct Show {
    page: Page,
    boat_id: i64,
    svg: String,
    rows: Vec<Row>,
    wrong: Vec<ReasonView>,
    /// Decks under which nothing sound is left.
    keep_off: Vec<String>,
    turns: u32,
    port_out: usize,
    starboard_out: usize,
    decks: Choices,
    was: String,
    typed: Typed,
    faults: Faults,
    caution: &'static str,
}

struct Row {
    part_id: i64,
    part: String,
    decided: &'static str,
    code: &'static str,
    may: &'static str,
    turn: String,
    reasons: Vec<ReasonView>,
}

fn show(desk: &Desk<'_>, file: &BoatFile, typed: Typed, faults: Faults) -> Show {
    let parts = parts(file);
    let (ids, standing) = standing(file, &parts);
    let keep_off = holds::keep_off(&standing).into_iter().map(|i| standing[i].name.clone()).collect();
    let order = order::check(&parts, hull(file));
    let mut marks = Vec::new();
    let mut rows: Vec<(u32, May, Row)> = Vec::new();
    for (part, status) in parts.iter().zip(&order.parts) {
        let word = if status.turn > 0 { status.turn.to_string() } else { status.may.label().to_lowercase() };
        let on = match (part.kind, part.side) {
            (MemberKind::Plank, _) => Some(Marked::Plank(part.id)),
            (MemberKind::Frame, Some(side)) => Some(Marked::Frame(side, part.number)),
            _ => None,
        };
        if let Some(on) = on {
            marks.push(OrderMark { on, class: status.may.code(), text: word });
        }
        let decided = file.decision(part.id).map_or("", |d| d.kind.label());
        let row = Row {
            part_id: part.id,
            part: part.name.clone(),
            decided,
            code: status.may.code(),
            may: status.may.label(),
            turn: if status.turn > 0 { status.turn.to_string() } else { "–".to_owned() },
            reasons: reasons::views(&[status.reasons.clone(), rests_on(part, &ids, &standing)].concat(), desk.units),
        };
        rows.push((status.turn, status.may, row));
    }
    // What is out now first, then turn by turn; what is done last.
    rows.sort_by_key(|(turn, may, _)| (*may == May::Done, *turn, *may));
    let layers = Layers::default();
    let map = Map { findings: &[], decisions: &[], pieces: &[], marks: &marks, ..file.planking(&layers) };
    Show {
        svg: map.draw(),
        page: desk.boat_page(file, "Structural order", "decide"),
        boat_id: file.boat.id,
        rows: rows.into_iter().map(|(_, _, row)| row).collect(),
        wrong: reasons::views(&order.wrong, desk.units),
        keep_off,
        turns: order.turns,
        port_out: order.out.0,
        starboard_out: order.out.1,
        decks: pairs(DeckSchool::ALL, DeckSchool::code, DeckSchool::label),
        was: hold_kept(file).token(),
        typed,
        faults,
        caution: Caution::UnderHull.text(),
    }
}

fn in_force(file: &BoatFile) -> Typed {
    Typed::default().with("moulds", if file.boat.moulds { "1" } else { "" }).with("deck", file.boat.deck_school.code())
}

#[get("/boats/<id>/order")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let typed = in_force(&file);
    render(&show(&desk, &file, typed, Faults::default()))
}

/// What holds her as it stands.
fn hold_kept(file: &BoatFile) -> Kept {
    let decks = pairs(DeckSchool::ALL, DeckSchool::code, DeckSchool::label);
    Kept::default().ticked("moulds", "Moulds or battens hold her", file.boat.moulds).choice(
        "deck",
        "Goes on first",
        file.boat.deck_school.code(),
        &decks,
    )
}

/// Keeps what holds her shape, and which of her deck goes on first.
#[post("/boats/<id>/order", data = "<posted>")]
pub async fn hold(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let moulds = read.is_on("moulds");
    let Some(deck) = read.choice("deck", DeckSchool::from_code) else {
        return render_faulty(&show(&desk, &file, posted.form.typed(), read.faults));
    };
    posted.still("What holds her", &hold_kept(&file))?;
    let location = format!("/boats/{id}/order");
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_hold(id, moulds, deck).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
