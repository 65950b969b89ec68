//! Today: running clocks, coats that may go on, and what is next on each boat.

use askama::Template;
use jiff::Timestamp;
use mend_keel_core::units::parse_length;
use mend_keel_store::boats;
use mend_keel_store::tasks::{self, Running};
use rocket::get;

use crate::file::boat::BoatFile;
use crate::view;
use crate::web::auth::{Crew, User};
use crate::web::desk::{Desk, Page, render};
use crate::web::error::{Answer, Result};

#[derive(Template)]
#[template(path = "today.html")]
struct Today {
    page: Page,
    running: Vec<Running>,
    boats: Vec<BoatToday>,
}

struct BoatToday {
    id: i64,
    name: String,
    next: Vec<Next>,
    coats: Vec<CoatToday>,
    undecided: usize,
    /// Planks decided on though what did the damage is not treated.
    untreated: usize,
}

struct Next {
    what: String,
    plank: String,
    hours: String,
}

struct CoatToday {
    name: String,
    when: String,
    /// `now`, `wait`, or `sand`: the one below must be sanded first.
    state: &'static str,
}

/// How many tasks are shown for a boat.
const NEXT_TASKS: usize = 4;

#[get("/")]
pub async fn today(desk: Desk<'_>, user: User) -> Result {
    if let Some(boat) = user.account.guest_boat {
        return Ok(Answer::Go(format!("/boats/{boat}")));
    }
    let now = Timestamp::now();
    let mut shown = Vec::new();
    for boat in boats::list(desk.store).await? {
        let file = BoatFile::load(desk.store, boat.id).await?;
        let open = file.tasks.iter().filter(|t| t.done_at.is_none());
        // The first open task of each decision is what can be done next.
        let mut seen = std::collections::HashSet::new();
        let next = open
            .filter(|t| seen.insert(t.decision_id))
            .take(NEXT_TASKS)
            .map(|t| Next {
                what: t.what.clone(),
                plank: file.part_name(t.member_id).unwrap_or_default(),
                hours: view::hours(t.p50),
            })
            .collect();
        let mut waiting = std::collections::HashSet::new();
        let coats = file
            .coats
            .iter()
            .filter(|c| c.done_at.is_none() && waiting.insert(c.plan_id))
            .map(|c| CoatToday {
                name: c.name.clone(),
                when: view::when_next(&c.earliest_at),
                state: crate::file::finish::state(c, now),
            })
            .collect();
        let undecided = file.asking().iter().filter(|p| file.decision(p.id).is_none()).count();
        let untreated = file.decisions.iter().filter(|d| !file.untreated(d.member_id).is_empty()).count();
        shown.push(BoatToday { id: boat.id, name: boat.name, next, coats, undecided, untreated });
    }
    render(&Today { page: desk.page("Today", "today"), running: tasks::running(desk.store).await?, boats: shown })
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
