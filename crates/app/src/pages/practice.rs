//! Practice: the schools, the yard rules and tables in force, and the yard's unit.

use askama::Template;
use mend_keel_core::practice::{GravingRules, School};
use mend_keel_core::repair::butts;
use mend_keel_core::timber::species::{self, Species};
use mend_keel_core::work::estimate::Operation;
use mend_keel_store::accounts::{self, Yard};
use rocket::{get, post};
use serde_json::json;

use super::{Desk, Page, decide, render, render_faulty};
use crate::auth::{Crew, Owner};
use crate::error::{Answer, Result};
use crate::form::{Faults, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "practice.html")]
struct Show {
    page: Page,
    typed: Typed,
    faults: Faults,
    schools: Vec<(&'static str, &'static str, String)>,
    graving: Vec<(&'static str, String)>,
    butts: Vec<(&'static str, butts::Rule)>,
    rates: Vec<(&'static str, String, String)>,
    species: &'static [Species],
    choices: Vec<(String, String)>,
    /// Corrections of the pin meter that are not nothing.
    offsets: Vec<(String, String)>,
    units: Vec<(String, String)>,
    denominators: Vec<(String, String)>,
}

async fn page(desk: &Desk<'_>, typed: Typed, faults: Faults) -> std::result::Result<Show, crate::error::AppError> {
    let rules = GravingRules::default();
    let mm = |v: f64| desk.units.len(v);
    let learned = decide::rates(desk).await?;
    let mut rates = Vec::new();
    for op in Operation::ALL {
        let (table, unit) = op.rate();
        let now = learned.get(op).copied().unwrap_or(table);
        rates.push((op.label(), format!("{table:.2} h per {unit}"), format!("{now:.2} h per {unit}")));
    }
    Ok(Show {
        page: desk.page("Practice", "practice"),
        typed,
        faults,
        schools: School::ALL
            .iter()
            .map(|s| {
                let w = s.weights();
                let weights = format!(
                    "original kept {:.0} %, strength {:.0} %, hours {:.0} %",
                    w.kept * 100.0,
                    w.strength * 100.0,
                    w.hours * 100.0
                );
                (s.label(), s.creed(), weights)
            })
            .collect(),
        graving: vec![
            ("Clear of a crack, to the side", mm(rules.crack_side)),
            ("Beyond a crack’s tip", mm(rules.crack_tip)),
            ("Round a gouge", mm(rules.gouge)),
            ("Beyond rot, along the grain", mm(rules.rot_along)),
            ("Beyond rot, across", mm(rules.rot_across)),
            ("From the rim of an old hole", mm(rules.hole_clearance)),
            ("Narrowest land to an edge", format!("{} or one thickness", mm(rules.edge_land))),
            ("End slope the eye prefers", format!("{} : 1, allowed 2 to 6", rules.end_slope)),
            ("Left proud", mm(rules.proud)),
            ("Blank larger, each side", mm(rules.blank_margin)),
        ],
        butts: vec![("Wide: offshore, coastal, museum", butts::WIDE), ("Close: sheltered, workboat", butts::CLOSE)],
        rates,
        species: species::all(),
        choices: super::boats::species_choices(),
        offsets: accounts::meter_offsets(desk.store)
            .await?
            .into_iter()
            .filter(|(_, points)| *points != 0.0)
            .map(|(id, points)| (species::find(&id).map_or(id, |s| s.name.clone()), format!("{points:+}")))
            .collect(),
        units: vec![("mm".into(), "Millimetres".into()), ("in".into(), "Inches".into())],
        denominators: vec![("16".into(), "sixteenths".into()), ("32".into(), "thirty-seconds".into())],
    })
}

fn in_force(desk: &Desk<'_>) -> Typed {
    Typed::default()
        .with("name", desk.yard.name.clone())
        .with("unit", desk.yard.unit.clone())
        .with("inch_denominator", desk.yard.inch_denominator.to_string())
}

#[get("/practice")]
pub async fn show(desk: Desk<'_>, _who: Crew) -> Result {
    render(&page(&desk, in_force(&desk), Faults::default()).await?)
}

#[post("/practice", data = "<posted>")]
pub async fn save(desk: Desk<'_>, _who: Owner, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let name = read.name("name");
    let unit = read.choice("unit", |u| ["mm", "in"].into_iter().find(|known| *known == u));
    let denominator = read.choice("inch_denominator", |d| match d {
        "16" => Some(16),
        "32" => Some(32),
        _ => None,
    });
    let (Some(unit), Some(inch_denominator), true) = (unit, denominator, read.faults.is_empty()) else {
        return render_faulty(&page(&desk, posted.form.typed(), read.faults).await?);
    };
    let yard = Yard { name, unit: unit.to_owned(), inch_denominator };
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_yard(&yard).await?;
    let body = json!({ "name": yard.name, "unit": yard.unit, "inch_denominator": yard.inch_denominator });
    work.note(None, None, "yard", "Changed the yard’s practice", &body).await?;
    work.commit("/practice").await?;
    Ok(Answer::Go("/practice".into()))
}

/// Keeps the correction of the pin meter for a species.
#[post("/practice/meter", data = "<posted>")]
pub async fn meter(desk: Desk<'_>, _who: Owner, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let species = read.choice("species", |id| species::find(id).ok());
    let points = read.number("points", -15.0, 15.0);
    let (Some(species), true) = (species, read.faults.is_empty()) else {
        let typed =
            in_force(&desk).with("points", posted.form.get("points")).with("species", posted.form.get("species"));
        return render_faulty(&page(&desk, typed, read.faults).await?);
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_meter_offset(&species.id, points).await?;
    let summary = format!("Pin meter corrected by {points:+} points for {}", species.name.to_lowercase());
    work.note(None, None, "yard", &summary, &json!({ "species": species.id, "points": points })).await?;
    work.commit("/practice").await?;
    Ok(Answer::Go("/practice".into()))
}
