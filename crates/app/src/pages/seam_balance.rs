//! Every seam of the hull: its state from the survey, what becomes of it when she takes up, and the order of the work.

use std::fmt::Write;

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::grid::{Address, Side};
use mend_keel_core::seam::balance::{self, Balance, ELASTOMER_GIVE, Fate, Filling, Seam, TAPES};
use mend_keel_core::seam::{self, Treatment};
use mend_keel_core::survey::reading::{Filler, Measure};
use mend_keel_core::timber::{shrinkage_at, species};
use rocket::{FromForm, get};

use super::survey::SurveyFile;
use super::{Choices, Desk, Page, pairs, render};
use crate::auth::BoatReader;
use crate::error::Result;
use crate::form::{Faults, Typed};
use crate::view::reasons::{self, ReasonView};
use crate::view::{Units, svg};

#[derive(Template)]
#[template(path = "seam_balance.html")]
struct Show {
    page: Page,
    boat_id: i64,
    svg: String,
    sums: Vec<(&'static str, String, String, String)>,
    rows: Vec<Row>,
    fillings: Choices,
    steps: Vec<(&'static str, &'static str)>,
    treatment: &'static str,
    launch: Vec<&'static str>,
    deck: Vec<(&'static str, String)>,
    caution: &'static str,
    typed: Typed,
    faults: Faults,
}

struct Row {
    seam: String,
    length: String,
    width: String,
    measured: bool,
    filling: &'static str,
    moisture: String,
    closure: String,
    fate: &'static str,
    class: &'static str,
    tape: String,
    reasons: Vec<ReasonView>,
}

/// How the page is asked for.
#[derive(Debug, Default, FromForm)]
pub struct Asked<'r> {
    now: Option<&'r str>,
    above: Option<&'r str>,
    below: Option<&'r str>,
    ring_angle: Option<&'r str>,
    filling: Option<&'r str>,
}

fn number(text: &str, field: &'static str, low: f64, high: f64, faults: &mut Faults) -> Option<f64> {
    match text.trim().replace(',', ".").parse::<f64>() {
        Ok(v) if (low..=high).contains(&v) => Some(v),
        _ => {
            faults.add(InputError::new(field, format!("must be between {low} and {high}")));
            None
        }
    }
}

/// A seam between two strakes of a side: the strake below it.
struct Line {
    side: Side,
    strake: u32,
    seam: Seam,
    length: f64,
    measured: bool,
    balance: Balance,
}

fn lines(survey: &SurveyFile, typed: &Typed, faults: &mut Faults) -> Vec<Line> {
    let boat = &survey.file.boat;
    let shell = &boat.shell;
    let asked = [
        number(typed.get("now"), "now", 1.0, 100.0, faults),
        number(typed.get("above"), "above", 1.0, 60.0, faults),
        number(typed.get("below"), "below", 1.0, 60.0, faults),
        number(typed.get("ring_angle"), "ring_angle", 0.0, 90.0, faults),
    ];
    let ([Some(now), Some(above), Some(below), Some(angle)], Ok(wood)) = (asked, species::find(&boat.plank_species))
    else {
        return Vec::new();
    };
    let usual = Filling::from_code(typed.get("filling")).unwrap_or(Filling::SoftOverCotton);
    let shrinkage = shrinkage_at(wood.shrinkage_radial, wood.shrinkage_tangential, angle);
    let mean = |values: Vec<f64>| (!values.is_empty()).then(|| values.iter().sum::<f64>() / values.len() as f64);
    let mut all = Vec::new();
    for side in Side::BOTH {
        for strake in 1..shell.strake_count() {
            let here: Vec<_> = survey
                .readings
                .iter()
                .filter(|r| r.place.shell().is_some_and(|at| at.side == side && at.strake == strake))
                .collect();
            let feelers: Vec<(f64, Filler)> = here
                .iter()
                .filter_map(|r| match r.measure {
                    Measure::Feeler { width, filler, .. } => Some((width, filler)),
                    _ => None,
                })
                .collect();
            let width = mean(feelers.iter().map(|f| f.0).collect());
            // The worst that was found of a seam is taken for all of it.
            let filling = if feelers.iter().any(|f| f.1 == Filler::Hard) {
                Filling::Rigid
            } else if feelers.iter().any(|f| f.1 == Filler::Missing) {
                Filling::Empty
            } else if feelers.is_empty() {
                usual
            } else {
                Filling::SoftOverCotton
            };
            let wet = mean(
                here.iter().filter(|r| matches!(r.measure, Measure::Meter { .. })).filter_map(|r| r.value).collect(),
            );
            let middle = Address { side, strake, frame: shell.frame_count().div_ceil(2) };
            let thickness = survey.file.plank_at(middle).map_or(boat.plank_thickness, |p| p.thickness);
            let seam = Seam {
                plank_width: shell.widest(side, strake, 1, shell.frame_count()),
                shrinkage,
                now: wet.unwrap_or(now),
                service: if survey.file.is_below_waterline(strake) { below } else { above },
                seam_width: width.unwrap_or_else(|| seam::first_width(thickness)),
                filling,
                rated: ELASTOMER_GIVE,
            };
            match balance::seam(&seam) {
                Ok(balance) => {
                    all.push(Line { side, strake, seam, length: shell.length(), measured: width.is_some(), balance })
                }
                Err(e) => faults.add(InputError::new("now", e.message)),
            }
        }
    }
    all
}

fn fate_words(fate: Fate) -> (&'static str, &'static str) {
    match fate {
        Fate::Presses => ("▲ planks buckle", "presses"),
        Fate::Opens => ("▲ opens", "opens"),
        Fate::Holds => ("✓ holds", "holds"),
    }
}

#[get("/boats/<id>/seams/all?<asked..>")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64, asked: Asked<'_>) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let boat = &survey.file.boat;
    let units = desk.units;
    let mut faults = Faults::default();
    let or = |t: Option<&str>, usual: &str| t.map(str::trim).filter(|t| !t.is_empty()).unwrap_or(usual).to_owned();
    let typed = Typed::default()
        .with("now", or(asked.now, "15"))
        .with("above", or(asked.above, "16"))
        .with("below", or(asked.below, "28"))
        .with("ring_angle", or(asked.ring_angle, "80"))
        .with("filling", or(asked.filling, "soft"));
    let lines = lines(&survey, &typed, &mut faults);
    let sums = Side::BOTH
        .into_iter()
        .map(|side| {
            let of: Vec<Balance> = lines.iter().filter(|l| l.side == side).map(|l| l.balance.clone()).collect();
            let sum = balance::side(&of);
            (
                side.label(),
                units.fine(sum.swelling),
                format!("{} of {} seams, {}", sum.pressing, of.len(), units.fine(sum.pressed)),
                format!("{} of {} seams, {}", sum.opening, of.len(), units.fine(sum.opened)),
            )
        })
        .collect();
    let name = |side: Side, strake: u32| {
        let shown = boat.shown(Address { side, strake, frame: 1 });
        shown.split(' ').next().unwrap_or_default().to_owned()
    };
    let rows = lines
        .iter()
        .map(|l| {
            let (fate, class) = fate_words(l.balance.fate);
            let face = l.seam.plank_width - l.seam.seam_width;
            let tape = balance::tape(face.max(1.0), l.length, &TAPES).ok();
            Row {
                seam: format!("{}/{}", name(l.side, l.strake), name(l.side, l.strake + 1)),
                length: units.run(l.length),
                width: units.fine(l.seam.seam_width),
                measured: l.measured,
                filling: l.seam.filling.label(),
                moisture: format!("{:.0} → {:.0} %", l.seam.now, l.seam.service),
                closure: if l.balance.fate == Fate::Opens {
                    format!("−{}", units.fine(l.balance.opens))
                } else {
                    units.fine(l.balance.closure.max(0.0))
                },
                fate,
                class,
                tape: tape.map_or(String::new(), |t| match t.width {
                    Some(w) if t.short > 0.5 => format!("{}, {} short", units.len(w), units.fine(t.short)),
                    Some(w) => units.len(w),
                    None => "none so narrow".to_owned(),
                }),
                reasons: reasons::views(&l.balance.reasons, units),
            }
        })
        .collect();
    let treatment = seam::usual(boat.construction);
    let deck = seam::deck(5.0, 40_000.0).map_or(Vec::new(), |d| {
        vec![
            (
                "A deck seam",
                format!(
                    "{} wide, compound {} to {} deep",
                    units.fine(d.width),
                    units.fine(d.depth_least),
                    units.fine(d.depth_most)
                ),
            ),
            ("Under it", "cotton low, then a bond breaker: compound that sticks to three sides tears".to_owned()),
            ("For 40 m", format!("{:.0} ml, {} cartridges with one in reserve", d.compound_ml, d.cartridges)),
        ]
    });
    render(&Show {
        page: desk.boat_page(&survey.file, "Every seam", "seams"),
        boat_id: id,
        svg: draw(&lines, &name, units),
        sums,
        rows,
        fillings: pairs(Filling::ALL, Filling::code, Filling::label),
        steps: seam::order(treatment).into_iter().map(|s| (s.what, s.gate)).collect(),
        treatment: Treatment::label(treatment),
        launch: seam::LAUNCH.to_vec(),
        deck,
        caution: mend_keel_core::caution::Caution::FirstFloat.text(),
        typed,
        faults,
    })
}

/// The seams of both sides, sheer up: each as wide as it is pressed or opened, told by hatch and word.
fn draw(lines: &[Line], name: &dyn Fn(Side, u32) -> String, units: Units) -> String {
    if lines.is_empty() {
        return String::new();
    }
    let top = lines.iter().map(|l| l.strake).max().unwrap_or(1);
    let height = 40.0 + 24.0 * f64::from(top);
    let mut out = format!(
        "<svg class=\"seam-map\" viewBox=\"0 0 960 {height:.0}\" role=\"img\" aria-label=\"Seams that press and seams that open\">{}",
        svg::GLYPHS
    );
    for (side, left) in [(Side::Port, 60.0), (Side::Starboard, 540.0)] {
        let _ = write!(out, "<text class=\"chart-text\" x=\"{left}\" y=\"18\">{}</text>", side.label());
        for l in lines.iter().filter(|l| l.side == side) {
            let y = 30.0 + 24.0 * f64::from(top - l.strake);
            let (word, class) = fate_words(l.balance.fate);
            let by = match l.balance.fate {
                Fate::Presses => format!("{word}, {}", units.fine(l.balance.closure)),
                Fate::Opens => format!("{word} {}", units.fine(l.balance.opens)),
                Fate::Holds => word.to_owned(),
            };
            let _ = write!(
                out,
                "<rect class=\"seam-bar {class}\" x=\"{left}\" y=\"{y:.0}\" width=\"220\" height=\"16\"/><text class=\"chart-text end\" x=\"{:.0}\" y=\"{:.0}\">{}</text><text class=\"chart-text\" x=\"{:.0}\" y=\"{:.0}\">{by}</text>",
                left - 6.0,
                y + 12.0,
                svg::safe(&name(side, l.strake)),
                left + 228.0,
                y + 12.0
            );
        }
    }
    out + "</svg>"
}
