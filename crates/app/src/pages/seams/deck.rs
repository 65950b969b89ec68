//! Seams of the deck: what goes into them, and the order of the work.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::seam::work::{self, Step};
use mend_keel_core::seam::{self, LaidDeck};
use mend_keel_core::units::parse_length;
use rocket::{FromForm, get};

use crate::file::boat::BoatFile;
use crate::view::reasons::{self, ReasonView};
use crate::web::auth::BoatReader;
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::Result;
use crate::web::form::{Faults, Typed};

#[derive(Template)]
#[template(path = "seams/deck.html")]
struct Show {
    page: Page,
    boat_id: i64,
    kinds: Choices,
    planks: usize,
    /// Nobody measured some of them.
    generated: bool,
    facts: Vec<(&'static str, String)>,
    reasons: Vec<ReasonView>,
    steps: Vec<Step>,
    typed: Typed,
    faults: Faults,
}

#[derive(Debug, FromForm)]
pub struct Asked<'r> {
    kind: Option<&'r str>,
    width: Option<&'r str>,
    depth: Option<&'r str>,
    length: Option<&'r str>,
}

#[get("/boats/<id>/seams/deck?<asked..>")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64, asked: Asked<'_>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let units = desk.units;
    let planks: Vec<_> = file.members.iter().filter(|m| m.kind == MemberKind::DeckPlank).collect();
    // Each plank has one seam on its outer side.
    let laid: f64 = planks.iter().map(|p| p.length).sum();
    // Where there is no laid deck the length is asked, not made up.
    let length = if laid > 0.0 { units.run(laid) } else { String::new() };
    let or = |t: Option<&str>, usual: String| t.map(|t| t.trim().to_owned()).filter(|t| !t.is_empty()).unwrap_or(usual);
    let typed = Typed::default()
        .with("kind", or(asked.kind, LaidDeck::Caulked.code().to_owned()))
        .with("width", or(asked.width, units.fine(seam::DECK_WIDTH)))
        .with("depth", asked.depth.map(str::trim).unwrap_or_default())
        .with("length", or(asked.length, length));
    let mut faults = Faults::said_in(desk.units);
    let mut mm = |field: &str| match parse_length(typed.get(field), units.unit) {
        Ok(mm) => Some(mm),
        Err(e) => {
            faults.add(InputError::new(field, e.message));
            None
        }
    };
    let width = mm("width");
    let length = if typed.get("length").is_empty() { None } else { mm("length") };
    let depth = if typed.get("depth").is_empty() { None } else { mm("depth") };
    let kind = LaidDeck::from_code(typed.get("kind")).unwrap_or(LaidDeck::Caulked);
    let mut facts = Vec::new();
    let mut because = Vec::new();
    if let (Some(width), Some(length), true) = (width, length, faults.is_empty()) {
        match seam::deck(kind, width, depth, length) {
            Ok(d) => {
                facts = vec![
                    ("Seams together", units.run(length)),
                    (
                        "Compound",
                        format!(
                            "{} deep, between {} and {}",
                            units.fine(d.depth),
                            units.fine(d.depth_least),
                            units.fine(d.depth_most)
                        ),
                    ),
                    (
                        "Below it",
                        if d.cotton { "cotton, low and tight".to_owned() } else { "nothing driven".to_owned() },
                    ),
                    ("Bond breaker", format!("{} wide, {}", units.fine(d.bond_breaker_width), units.run(length))),
                    (
                        "To buy",
                        format!("{:.0} ml, {} cartridges of 310 ml with one in reserve", d.compound_ml, d.cartridges),
                    ),
                    ("Masking tape", units.run(d.tape_length)),
                ];
                because = reasons::views(&d.reasons, units);
            }
            Err(e) => faults.add(e),
        }
    }
    let good = faults.is_empty();
    let show = Show {
        page: desk.boat_page(&file, "Deck seams", "seams"),
        boat_id: id,
        kinds: pairs(LaidDeck::ALL, LaidDeck::code, LaidDeck::label),
        planks: planks.len(),
        generated: planks.iter().any(|p| !p.measured),
        facts,
        reasons: because,
        steps: work::deck_order(kind),
        typed,
        faults,
    };
    if good { render(&show) } else { render_faulty(&show) }
}
