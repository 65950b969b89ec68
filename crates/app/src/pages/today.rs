//! Today: running clocks, coats that may go on, and what is next on each boat.

use std::collections::HashSet;

use askama::Template;
use jiff::Timestamp;
use jiff::civil::{Date, DateTime};
use jiff::tz::TimeZone;
use mend_keel_core::survey::Grade;
use mend_keel_core::units::parse_length;
use mend_keel_store::planned as store;
use mend_keel_store::tasks::Running;
use mend_keel_store::today::{self, Found, Said};
use rocket::get;

use crate::file::finish::{CoatState, state as coat_state};
use crate::file::planned::{Body, Piece, readable};
use crate::view;
use crate::web::auth::{Crew, User};
use crate::web::desk::{Desk, Page, render};
use crate::web::error::{Answer, Result};

#[derive(Template)]
#[template(path = "today.html")]
struct Today {
    page: Page,
    running: Vec<Running>,
    people: Vec<Person>,
    appointments: Vec<(String, String)>,
    boats: Vec<BoatToday>,
}

/// What somebody does today, by the plan that is kept.
struct Person {
    name: String,
    does: Vec<Does>,
}

struct Does {
    when: String,
    what: String,
    part: String,
    boat: i64,
}

struct BoatToday {
    id: i64,
    name: String,
    next: Vec<Next>,
    coats: Vec<CoatToday>,
    undecided: usize,
    /// What her owner said since somebody last looked.
    said: Vec<Said>,
    /// Planks decided on though what did the damage is not treated.
    untreated: usize,
}

struct Next {
    what: String,
    plank: String,
    hours: String,
}

struct CoatToday {
    id: i64,
    name: String,
    when: String,
    state: CoatState,
}

impl BoatToday {
    fn empty(id: i64, name: String) -> Self {
        Self { id, name, next: Vec::new(), coats: Vec::new(), undecided: 0, said: Vec::new(), untreated: 0 }
    }
}

/// How many tasks are shown for a boat.
const NEXT_TASKS: usize = 4;

#[get("/")]
pub async fn show(desk: Desk<'_>, user: User) -> Result {
    if let Some(boat) = user.account.guest_boat {
        return Ok(Answer::Go(format!("/boats/{boat}")));
    }
    let now = Timestamp::now();
    let mut shown: Vec<BoatToday> = Vec::new();
    for next in today::next(desk.store).await? {
        if shown.last().is_none_or(|b| b.id != next.boat_id) {
            shown.push(BoatToday { said: next.said, ..BoatToday::empty(next.boat_id, next.boat) });
        }
        let Some(boat) = shown.last_mut().filter(|b| b.next.len() < NEXT_TASKS) else { continue };
        boat.next.extend(next.task.map(|t| Next { what: t.what, plank: t.part, hours: view::hours(t.p50) }));
    }
    for coat in today::coats(desk.store, &now.to_string()).await? {
        let Some(boat) = shown.iter_mut().find(|b| b.id == coat.boat_id) else { continue };
        let dry = coat.dry_at.as_deref().filter(|dry| dry.parse().is_ok_and(|dry: Timestamp| dry > now));
        let (state, when) = match (&coat.done_at, dry, &coat.cured_at) {
            (Some(_), Some(dry), _) => (CoatState::Wet, dry),
            (Some(_), None, Some(cured)) => (CoatState::Soft, cured.as_str()),
            _ => (coat_state(&coat, now), coat.earliest_at.as_str()),
        };
        boat.coats.push(CoatToday { id: coat.id, when: view::when_next(when), name: coat.name, state });
    }
    let found = today::found(desk.store).await?;
    for boat in &mut shown {
        let parts = |counts: &dyn Fn(&Found) -> bool| {
            let counted = found.iter().filter(|f| f.boat_id == boat.id && counts(f));
            counted.map(|f| f.member_id).collect::<HashSet<i64>>().len()
        };
        let undecided = parts(&|f| f.grade > Grade::Sound && !f.decided);
        let untreated = parts(&|f| f.decided && f.cause.untreated(f.treated).is_some());
        (boat.undecided, boat.untreated) = (undecided, untreated);
    }
    let today = now.to_zoned_datetime(TimeZone::system()).date();
    let day = store::of_day(desk.store, &today.to_string()).await?;
    let body: Option<Body> = day.plan.and_then(readable);
    let done: HashSet<i64> = day.done.into_iter().collect();
    let people = body.as_ref().map_or(Vec::new(), |body| people(body, today, &done));
    let clock = |(at, what): (String, String)| Some((at.parse::<DateTime>().ok()?.strftime("%H:%M").to_string(), what));
    let appointments = day.appointments.into_iter().filter_map(clock).collect();
    render(&Today { page: desk.page("Today", "today"), running: day.running, people, appointments, boats: shown })
}

/// Who does what on a day: blocks that are not done and lie on it.
fn people(body: &Body, today: Date, done: &HashSet<i64>) -> Vec<Person> {
    let mut people: Vec<Person> = Vec::new();
    let is_done = |p: &Piece| !p.tasks.is_empty() && p.tasks.iter().all(|t| done.contains(t));
    let mut pieces: Vec<&Piece> =
        body.pieces.iter().filter(|p| p.from.date() <= today && p.to.date() >= today && !is_done(p)).collect();
    pieces.sort_by_key(|p| p.from);
    for piece in pieces {
        for name in &piece.by {
            let does = Does {
                when: if piece.from.date() == today {
                    piece.from.strftime("%H:%M").to_string()
                } else {
                    "goes on".into()
                },
                what: piece.what.clone(),
                part: piece.part.clone(),
                boat: piece.boat.unwrap_or_default(),
            };
            match people.iter_mut().find(|p| p.name == *name) {
                Some(person) => person.does.push(does),
                None => people.push(Person { name: name.clone(), does: vec![does] }),
            }
        }
    }
    people
}

/// What a length typed in a field was understood as; asked for by the page's script.
#[get("/echo/length?<text>")]
pub fn echo_length(desk: Desk<'_>, _who: Crew, text: &str) -> String {
    match parse_length(text, desk.units.unit) {
        Ok(mm) => {
            let other = view::Units {
                unit: match desk.units.unit {
                    mend_keel_core::units::LengthUnit::Inch => mend_keel_core::units::LengthUnit::Millimetre,
                    mend_keel_core::units::LengthUnit::Millimetre => mend_keel_core::units::LengthUnit::Inch,
                },
                ..desk.units
            };
            format!("= {} · {}", desk.units.fine(mm), other.len(mm))
        }
        Err(e) => e.message,
    }
}
