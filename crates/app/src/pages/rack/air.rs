//! Moisture: the shed's air, what it brings wood to over the year, and how a board moves to where it serves.

use std::fmt::Write;

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::timber::season::{self, SERVICE, Season};
use mend_keel_core::timber::{movement, shrinkage_at, species};
use mend_keel_core::units::parse_length;
use mend_keel_exchange::sheet::rack::{AirRow, read_air, write_air};
use mend_keel_store::shed::{self, Air};
use rocket::http::ContentType;
use rocket::{FromForm, get, post};

use crate::file::instruments;
use crate::pages::rack::tabs;
use crate::view::Units;
use crate::web::auth::Crew;
use crate::web::choices::{Choices, species_choices};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, Result};
use crate::web::form::{Faults, Posted, Typed};
use crate::web::uploads::{FaultView, uploaded};

#[derive(Template)]
#[template(path = "rack/air.html")]
struct Show {
    page: Page,
    tabs: Vec<(&'static str, &'static str)>,
    svg: String,
    facts: Vec<(&'static str, String)>,
    simulated: bool,
    species: Choices,
    services: Choices,
    moves: Vec<(String, String, String, String)>,
    seam: String,
    told: Vec<FaultView>,
    typed: Typed,
    faults: Faults,
}

/// How the page is asked for.
#[derive(Debug, Default, FromForm)]
pub struct Asked<'r> {
    species: Option<&'r str>,
    width: Option<&'r str>,
    now: Option<&'r str>,
    service: Option<&'r str>,
}

/// Rows shown and reckoned with: a year and a little.
const SHOWN: i64 = 24 * 370;

async fn rows(desk: &Desk<'_>) -> Result<Vec<Air>> {
    let since = jiff::Timestamp::now() - jiff::SignedDuration::from_hours(SHOWN);
    Ok(shed::air(desk.store, &since.to_string()).await?)
}

fn month(at: &str) -> Option<u32> {
    let stamp: jiff::Timestamp = at.parse().ok()?;
    Some(stamp.to_zoned_datetime(jiff::tz::TimeZone::system()).month() as u32)
}

async fn show(desk: &Desk<'_>, asked: &Asked<'_>, told: Vec<FaultView>, mut faults: Faults) -> Result<Show> {
    let air = rows(desk).await?;
    let hours: Vec<(u32, f64, f64)> =
        air.iter().filter_map(|a| Some((month(&a.at)?, a.temperature, a.humidity))).collect();
    let season = season::season(&hours).ok().flatten();
    let mut facts = Vec::new();
    if let (Some(s), Some(last)) = (&season, air.last()) {
        let now =
            mend_keel_core::timber::moisture::equilibrium(last.temperature.clamp(-10.0, 60.0), last.humidity.min(98.0));
        facts.push(("Last hour", format!("{:.1} °C, {:.0} %", last.temperature, last.humidity)));
        facts.push(("Brings wood to", now.map_or(String::new(), |m| format!("{m:.1} %"))));
        facts.push(("Over the year", format!("{:.1} to {:.1} %, {:.1} in the mean", s.driest, s.wettest, s.mean)));
        facts.push(("Hours kept", air.len().to_string()));
    }
    let kept = |t: Option<&str>, usual: &str| t.map(str::trim).filter(|t| !t.is_empty()).unwrap_or(usual).to_owned();
    let typed = Typed::default()
        .with("species", kept(asked.species, "western_larch"))
        .with("width", kept(asked.width, &desk.units.exact(150.0)))
        .with("now", kept(asked.now, "12"))
        .with("service", kept(asked.service, "above"));
    let (moves, seam) = moves(&typed, season.as_ref(), desk.units, &mut faults);
    Ok(Show {
        page: desk.page("Moisture", "rack"),
        tabs: tabs(),
        svg: season.as_ref().map_or(String::new(), chart),
        facts,
        simulated: air.iter().any(|a| a.simulated),
        species: species_choices(),
        services: SERVICE.iter().map(|(code, name, m)| ((*code).to_owned(), format!("{name}, {m:.0} %"))).collect(),
        moves,
        seam,
        told,
        typed,
        faults,
    })
}

type Moves = (Vec<(String, String, String, String)>, String);

/// A board's movement by its grain: to where it serves, and over the shed's year.
fn moves(typed: &Typed, season: Option<&Season>, units: Units, faults: &mut Faults) -> Moves {
    let wood = match species::find(typed.get("species")) {
        Ok(wood) => wood,
        Err(e) => {
            faults.add(e);
            return Default::default();
        }
    };
    let width = match parse_length(typed.get("width"), units.unit) {
        Ok(mm) if mm > 0.0 && mm <= 3_000.0 => mm,
        Ok(_) => {
            faults.add(InputError::new("width", "must be more than 0 and no more than 3 m"));
            return Default::default();
        }
        Err(e) => {
            faults.add(InputError::new("width", e.message));
            return Default::default();
        }
    };
    let now = match typed.get("now").replace(',', ".").parse::<f64>() {
        Ok(m) if (0.0..=100.0).contains(&m) => m,
        _ => {
            faults.add(InputError::new("now", "must be between 0 and 100"));
            return Default::default();
        }
    };
    let (_, place, service) = SERVICE.iter().find(|s| s.0 == typed.get("service")).copied().unwrap_or(SERVICE[0]);
    let mut rows = Vec::new();
    let mut changes = Vec::new();
    for (name, angle) in [("Quarter-sawn", 90.0), ("Rift, 45°", 45.0), ("Flat-sawn", 0.0)] {
        let s = shrinkage_at(wood.shrinkage_radial, wood.shrinkage_tangential, angle);
        let Ok(change) = movement(width, s, now, service) else { continue };
        let swing = season.and_then(|y| movement(width, s, y.driest, y.wettest).ok());
        rows.push((
            name.to_owned(),
            format!("{s:.1} %"),
            signed(change, units),
            swing.map_or("–".to_owned(), |v| units.fine(v)),
        ));
        changes.push((name, change));
    }
    (rows, seam(&changes, width, place, units))
}

fn signed(change: f64, units: Units) -> String {
    let sign = if change > 0.05 { "+" } else { "" };
    format!("{sign}{}", units.fine(change))
}

/// Two boards side by side as they are laid and as they come to be: what becomes of the seam between them, drawn ten times as wide.
fn seam(changes: &[(&str, f64)], width: f64, place: &str, units: Units) -> String {
    const TEN: f64 = 10.0;
    let mut out = format!(
        "<svg class=\"seam-drawing\" viewBox=\"0 0 700 {}\" role=\"img\" aria-label=\"The seam between two boards as it moves\">",
        40 + 62 * changes.len()
    );
    let _ = write!(
        out,
        "<text class=\"chart-text\" x=\"10\" y=\"20\">two boards {} wide, the seam between them laid 2.5 mm open, drawn ten times; {}</text>",
        units.len(width),
        super::super::super::view::svg::safe(&place.to_lowercase())
    );
    for (i, (name, change)) in changes.iter().enumerate() {
        let top = 34.0 + 62.0 * i as f64;
        // Each board gives half of its change to the seam.
        let (laid, then): (f64, f64) = (2.5, 2.5 - change);
        let half = |gap: f64| (gap.clamp(-20.0, 30.0) * TEN) / 2.0;
        let pressed = then < 0.0;
        let _ = write!(
            out,
            "<rect class=\"plank-face\" x=\"110\" y=\"{top}\" width=\"{:.1}\" height=\"40\"/><rect class=\"plank-face\" x=\"{:.1}\" y=\"{top}\" width=\"{:.1}\" height=\"40\"/>\
             <path class=\"datum\" d=\"M{:.1} {top}v40M{:.1} {top}v40\"/><text class=\"chart-text\" x=\"10\" y=\"{}\">{name}</text><text class=\"chart-text end{}\" x=\"690\" y=\"{}\">{}</text>",
            240.0 - half(then.max(0.0)),
            350.0 + half(then.max(0.0)),
            240.0 - half(then.max(0.0)),
            350.0 - half(laid),
            350.0 + half(laid),
            top + 25.0,
            if pressed { " suspect-text" } else { "" },
            top + 25.0,
            if pressed {
                format!("▲ pressed by {}", units.fine(-then))
            } else {
                format!("{} open", units.fine(then))
            }
        );
    }
    out + "</svg>"
}

/// The year's months: what the shed's air brings wood to.
fn chart(season: &Season) -> String {
    const NAMES: [&str; 12] = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
    let mut months = season.months.clone();
    months.sort_by_key(|m| m.0);
    let (low, high) = ((season.driest - 2.0).floor(), (season.wettest + 2.0).ceil());
    let x = |i: usize| 60.0 + 62.0 * i as f64;
    let y = |m: f64| 220.0 - 190.0 * (m - low) / (high - low).max(1.0);
    let mut out = String::from(
        "<svg class=\"deviations\" viewBox=\"0 0 820 250\" role=\"img\" aria-label=\"Moisture the shed’s air brings wood to, month by month\">",
    );
    for limit in [12.0, 16.0, 20.0].into_iter().filter(|l| *l > low && *l < high) {
        let _ = write!(
            out,
            "<path class=\"chord\" d=\"M40 {0:.1}H790\"/><text class=\"chart-text\" x=\"6\" y=\"{1:.1}\">{limit:.0} %</text>",
            y(limit),
            y(limit) + 4.0
        );
    }
    let points: Vec<String> = months.iter().enumerate().map(|(i, m)| format!("{:.1},{:.1}", x(i), y(m.1))).collect();
    let _ = write!(out, "<polyline class=\"curve\" points=\"{}\"/>", points.join(" "));
    for (i, (month, m)) in months.iter().enumerate() {
        let name = NAMES.get((*month as usize).saturating_sub(1)).copied().unwrap_or("");
        let _ = write!(
            out,
            "<circle class=\"measured-point\" cx=\"{0:.1}\" cy=\"{1:.1}\" r=\"4\"/><text class=\"chart-text middle\" x=\"{0:.1}\" y=\"{2:.1}\">{m:.1}</text><text class=\"chart-text middle\" x=\"{0:.1}\" y=\"243\">{name}</text>",
            x(i),
            y(*m),
            y(*m) - 10.0
        );
    }
    out + "</svg>"
}

#[get("/rack/air?<asked..>")]
pub async fn page(desk: Desk<'_>, _who: Crew, asked: Asked<'_>) -> Result {
    render(&show(&desk, &asked, Vec::new(), Faults::default()).await?)
}

/// The logger's rows as they would come out of it.
#[get("/rack/air.csv")]
pub async fn csv(desk: Desk<'_>, _who: Crew) -> Result {
    let rows: Vec<AirRow> = rows(&desk)
        .await?
        .into_iter()
        .map(|a| AirRow { at: a.at, temperature: a.temperature, humidity: a.humidity })
        .collect();
    Ok(Answer::File("shed.csv".into(), ContentType::CSV, write_air(rows.iter()).into_bytes()))
}

/// Takes a logger's file, or reads the simulated one.
#[post("/rack/air", data = "<posted>")]
pub async fn take(desk: Desk<'_>, _who: Crew, mut posted: Posted) -> Result {
    let simulated = posted.form.get("simulated") == "1";
    if simulated {
        desk.may_stand_in()?;
    }
    let bytes = if simulated {
        let hour = jiff::Timestamp::now().as_second() / 3_600 * 3_600;
        let from = jiff::Timestamp::from_second(hour).unwrap_or_default() - jiff::SignedDuration::from_hours(24 * 365);
        write_air(instruments::shed_logger(from, 24 * 365, 9).iter()).into_bytes()
    } else {
        match uploaded(&mut posted.form) {
            Ok(bytes) => bytes,
            Err(e) => {
                let mut faults = Faults::default();
                faults.add(e);
                return render_faulty(&show(&desk, &Asked::default(), Vec::new(), faults).await?);
            }
        }
    };
    let loaded = read_air(&bytes);
    let mut told: Vec<FaultView> = loaded.faults.iter().map(FaultView::new).collect();
    let mut kept = Vec::new();
    for (line, row) in loaded.rows {
        match row.at.parse::<jiff::Timestamp>() {
            Ok(at) => {
                kept.push(Air { at: at.to_string(), temperature: row.temperature, humidity: row.humidity, simulated })
            }
            Err(_) => told.push(FaultView {
                line,
                column: "time".into(),
                message: "must be a time such as 2026-03-01T14:00:00Z".into(),
            }),
        }
    }
    if !told.is_empty() || kept.is_empty() {
        if told.is_empty() {
            told.push(FaultView { line: 1, column: "time".into(), message: "the file holds no hour".into() });
        }
        return render_faulty(&show(&desk, &Asked::default(), told, Faults::default()).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_air(&kept).await?;
    work.commit("/rack/air").await?;
    Ok(Answer::Go("/rack/air".into()))
}
