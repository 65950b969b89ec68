//! The structural order over all decided work: what may come out now, what must be shored first, and in which turns.

use askama::Template;
use mend_keel_core::caution::Caution;
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::reason::{Reason, Verdict};
use mend_keel_core::survey::Grade;
use mend_keel_core::work::estimate::Operation;
use mend_keel_core::work::holds::{self, Member, Stands};
use mend_keel_core::work::order::{self, DeckSchool, Hull, May, Part, State};
use mend_keel_store::decisions::Decision;
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::view::layers::Layers;
use crate::view::map::{Map, Marked, OrderMark};
use crate::view::reasons::{self, ReasonView};
use crate::web::auth::{BoatReader, Crew};
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

/// How far a decision's work has come, from its tasks: shored, measured, and in or out of the boat.
fn progress(file: &BoatFile, decision: &Decision) -> (bool, bool, State) {
    let of = |op: Operation| file.tasks.iter().filter(move |t| t.decision_id == decision.id && t.operation == op);
    let done = |op: Operation| of(op).all(|t| t.done_at.is_some());
    let any_done = |op: Operation| of(op).any(|t| t.done_at.is_some());
    let closes = [Operation::Glue, Operation::Fasten, Operation::Fair];
    let closing = closes.into_iter().find(|op| of(*op).next().is_some());
    let state = match closing {
        Some(op) if any_done(op) && done(Operation::Glue) && done(Operation::Fasten) => State::In,
        _ if any_done(Operation::CutOut) => State::Out,
        _ => State::Planned,
    };
    (done(Operation::Shore), done(Operation::TakeShape), state)
}

/// Every part that work was decided on, as the core sees it.
pub fn parts(file: &BoatFile) -> Vec<Part> {
    let shell = &file.boat.shell;
    file.decisions
        .iter()
        .filter_map(|decision| {
            let (shored, measured, state) = progress(file, decision);
            let (kind, side, number, span) = match file.planks.iter().find(|p| p.id == decision.member_id) {
                Some(p) => (MemberKind::Plank, Some(p.side), p.strake, p.place().span(shell)),
                None => {
                    let m = file.members.iter().find(|m| m.id == decision.member_id)?;
                    let span = match m.kind {
                        MemberKind::Frame | MemberKind::Floor if m.number <= shell.frame_count() && m.number > 0 => {
                            let x = shell.frame_x(m.number);
                            (x, x)
                        }
                        MemberKind::Beam => {
                            let x = shell.length() * f64::from(m.number) / f64::from(m.of_count.max(1));
                            (x, x)
                        }
                        _ => (0.0, shell.length()),
                    };
                    (m.kind, m.side, m.number, span)
                }
            };
            Some(Part {
                id: decision.member_id,
                name: file.part_name(decision.member_id)?,
                kind,
                side,
                number,
                span,
                takes_out: decision.kind.takes_out(),
                shored,
                measured,
                state,
            })
        })
        .collect()
}

/// Everything of her that carries or is carried, with what of it is rotten and what is out. Ids of the parts, in their order.
fn standing(file: &BoatFile, parts: &[Part]) -> (Vec<i64>, Vec<Member>) {
    let rotten = |id: i64| file.found_on(id).any(|f| f.kind.is_decay() && f.grade >= Grade::Renew);
    let out = |id: i64| parts.iter().any(|p| p.id == id && p.takes_out && p.state == State::Out);
    let stands: Vec<Stands> = file
        .members
        .iter()
        .map(|m| Stands {
            name: m.name.clone(),
            kind: m.kind,
            side: m.side,
            number: m.number,
            rotten: rotten(m.id),
            out: out(m.id),
        })
        .collect();
    (file.members.iter().map(|m| m.id).collect(), holds::standing(&stands))
}

/// What rests on a part alone, where it is to come out.
fn rests_on(part: &Part, ids: &[i64], all: &[Member]) -> Vec<Reason> {
    let Some(next) = ids.iter().position(|id| *id == part.id) else { return Vec::new() };
    if !part.takes_out || part.state != State::Planned {
        return Vec::new();
    }
    let found = holds::check(all, next).map(|h| h.reasons).unwrap_or_default();
    // What is shored for it stands in; neighbours out together are told by the order itself.
    let told = |r: &Reason| r.rule == "order.rests" && r.verdict == Verdict::Forbids && !part.shored;
    found.into_iter().filter(told).map(|r| Reason { verdict: Verdict::Against, ..r }).collect()
}

fn show(desk: &Desk<'_>, file: &BoatFile, typed: Typed, faults: Faults) -> Show {
    let parts = parts(file);
    let (ids, standing) = standing(file, &parts);
    let keep_off = holds::keep_off(&standing).into_iter().map(|i| standing[i].name.clone()).collect();
    let hull = Hull { moulds: file.boat.moulds, deck: file.boat.deck_school };
    let order = order::check(&parts, hull);
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
    let map = Map {
        boat: &file.boat,
        planks: &file.planks,
        findings: &[],
        decisions: &[],
        pieces: &[],
        joints: &file.joints,
        violations: &[],
        selected: None,
        layers: &layers,
        layer: "none",
        trials: &[],
        marks: &marks,
    };
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

/// Keeps what holds her shape, and which of her deck goes on first.
#[post("/boats/<id>/order", data = "<posted>")]
pub async fn hold(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let moulds = read.is_on("moulds");
    let Some(deck) = read.choice("deck", DeckSchool::from_code) else {
        return render_faulty(&show(&desk, &file, posted.form.typed(), read.faults));
    };
    let location = format!("/boats/{id}/order");
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_hold(id, moulds, deck).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
