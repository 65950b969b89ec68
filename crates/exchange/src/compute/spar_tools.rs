//! Decks, spars, rings and templates.

use std::collections::HashMap;

use mend_keel_core::InputError;
use mend_keel_core::deck;
use mend_keel_core::shape::bend::Request;
use mend_keel_core::shape::rectify::{self, Mark};
use mend_keel_core::shape::template::{self, Measured};
use mend_keel_core::spar::{ring, round};
use mend_keel_core::timber::board::Drying;
use mend_keel_core::timber::species;
use serde::Deserialize;
use serde_json::{Value, json};

use super::{Outcome, read, stand_once};

pub fn ring_tool(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        inner_diameter: f64,
        thickness: f64,
        ply: f64,
        taper: f64,
        species: String,
        drying: Drying,
        #[serde(default)]
        soaked: bool,
    }
    let input: In = read(input)?;
    let wood = species::find(&input.species)?;
    let strip = Request { drying: input.drying, soaked: input.soaked, ..Request::air_dried(wood, input.ply, 1.0) };
    let told = ring::plan(input.inner_diameter, input.thickness, input.ply, input.taper, strip)?;
    Ok(json!({
        "turns": told.turns, "strip_length": told.strip_length, "outer_diameter": told.outer_diameter,
        "risk": told.risk, "spares": told.spares,
    }))
}

pub fn spar(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        diameter: f64,
        #[serde(default = "eight")]
        staves: u32,
        wall: Option<f64>,
        #[serde(default)]
        taper: Vec<[f64; 2]>,
    }
    fn eight() -> u32 {
        8
    }
    let input: In = read(input)?;
    let told = round::hollow(input.diameter, input.staves, input.wall, &input.taper)?;
    Ok(json!({
        "stave_width": told.stave_width, "notch_depth": told.notch_depth, "notch_apex": told.notch_apex,
        "wall": told.wall, "solid_share": told.solid_share, "widths": told.widths,
    }))
}

pub fn spar_solid(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        diameter: f64,
    }
    let input: In = read(input)?;
    let marks = round::solid(input.diameter)?;
    Ok(json!({ "square": marks.square, "eight": marks.eight, "sixteen": marks.sixteen }))
}

pub fn ballast(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        area_m2: f64,
        per_m2: Option<f64>,
        bag: Option<f64>,
    }
    let input: In = read(input)?;
    let told = deck::ballast(input.area_m2, input.per_m2.unwrap_or(deck::BALLAST), input.bag.unwrap_or(deck::BAG))?;
    Ok(json!({ "mass": told.mass, "bags": told.bags }))
}

pub fn template_check(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct ExtPoint {
        id: String,
        x: f64,
        y: f64,
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct ExtMeasured {
        a: String,
        b: String,
        mm: f64,
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        points: Vec<ExtPoint>,
        measured: Vec<ExtMeasured>,
        tolerance: Option<f64>,
    }
    let input: In = read(input)?;
    stand_once("points", input.points.iter().map(|p| &p.id))?;
    let place: HashMap<&str, usize> = input.points.iter().enumerate().map(|(i, p)| (p.id.as_str(), i)).collect();
    let points: Vec<_> = input.points.iter().map(|p| [p.x, p.y]).collect();
    let measured = input.measured.iter().enumerate().map(|(i, m)| {
        let find = |field: &str, id: &str| {
            let at = format!("measured[{i}].{field}");
            place.get(id).copied().ok_or_else(|| InputError::new(at, format!("there is no point “{id}”")))
        };
        Ok(Measured { a: find("a", &m.a)?, b: find("b", &m.b)?, mm: m.mm })
    });
    let measured = measured.collect::<Result<Vec<_>, InputError>>()?;
    let told = template::check(&points, &measured, input.tolerance.unwrap_or(template::TOLERANCE))?;
    Ok(json!({
        "misfits": told.misfits, "rms": told.rms,
        "suspect_point": told.suspect_point.map(|i| input.points[i].id.as_str()),
        "suspect_measure": told.suspect_measure,
    }))
}

pub fn rectify_tool(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct ExtMark {
        px: [f64; 2],
        mm: [f64; 2],
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        marks: Vec<ExtMark>,
        points: Vec<[f64; 2]>,
        pixel_error: Option<f64>,
    }
    let input: In = read(input)?;
    let marks: Vec<Mark> = input.marks.iter().map(|m| Mark { px: m.px, mm: m.mm }).collect();
    let told = rectify::rectify(&marks, &input.points, input.pixel_error.unwrap_or(rectify::PIXEL_ERROR))?;
    Ok(json!({
        "points_mm": told.points, "errors_mm": told.errors, "residuals_mm": told.residuals, "suspect_mark": told.suspect,
    }))
}
