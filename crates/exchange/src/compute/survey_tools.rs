//! The tools of the survey.

use std::collections::BTreeSet;

use mend_keel_core::InputError;
use mend_keel_core::grid::edit::Edit;
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::grid::offsets::Offsets;
use mend_keel_core::grid::{Construction, Place, Shell, Waterline};
use mend_keel_core::survey::compare::{self, Entry};
use mend_keel_core::survey::coverage::{Cell, Coverage};
use mend_keel_core::survey::reading::{Measure, On};
use mend_keel_core::survey::sample::{self, Region, Spot};
use mend_keel_core::survey::{self, Certainty, FindingKind, Grade, Method, Weighed, field, line};
use mend_keel_core::timber::species;
use serde::Deserialize;
use serde_json::{Value, json};

use super::{Outcome, read};

pub fn reading(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        measure: Measure,
        #[serde(default)]
        species: Option<String>,
        #[serde(default)]
        thickness: Option<f64>,
        #[serde(default)]
        construction: Option<Construction>,
    }
    let input: In = read(input)?;
    let species = match &input.species {
        Some(id) => Some(species::find(id).map_err(|e| InputError::new("species", e.message))?),
        None => None,
    };
    // Only a feeler needs to know what the seam was made for.
    if input.thickness.is_none() && matches!(input.measure, Measure::Feeler { .. }) {
        return Err(InputError::new("thickness", "is missing: a seam is judged by the plank it lies in"));
    }
    let thickness = input.thickness.unwrap_or(25.0);
    if !(thickness.is_finite() && thickness > 0.0) {
        return Err(InputError::new("thickness", format!("must be greater than 0, was {thickness}")));
    }
    let construction = input.construction.unwrap_or(Construction::CarvelCaulked);
    let said = input.measure.read(&On { species, thickness, construction }).map_err(|e| e.within("measure"))?;
    Ok(json!({
        "grade": said.grade, "says": said.says, "value": said.value.map(|v| v.value),
        "unit": said.value.map(|v| v.unit), "reasons": said.reasons,
    }))
}

/// Checks a shell that came from outside: the core trusts its own.
fn checked(shell: Shell) -> Result<Shell, InputError> {
    let fault = |field: &str, message: &str| Err(InputError::new(field, message));
    if shell.frames.len() < 2 || shell.frames.windows(2).any(|w| !(w[0].is_finite() && w[1] > w[0])) {
        return fault("shell.frames", "needs at least 2 frames, rising going aft");
    }
    if shell.frames.len() > 500 || shell.edges.len() > 100 {
        return fault("shell", "is larger than any boat");
    }
    for edges in std::iter::once(&shell.edges).chain(&shell.starboard) {
        if edges.len() < 2 || edges.len() != shell.edges.len() {
            return fault("shell.edges", "needs a row below and above every strake, the same on both sides");
        }
        let rising = |pair: &[Vec<f64>]| pair[0].iter().zip(&pair[1]).all(|(low, high)| high > low && low.is_finite());
        if edges.iter().any(|row| row.len() != shell.frames.len()) || !edges.windows(2).all(rising) {
            return fault("shell.edges", "each row needs a girth at every frame, greater than the row below");
        }
    }
    Ok(shell)
}

pub fn sample_draw(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct Picked {
        place: String,
        nth: u32,
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        shell: Shell,
        waterline_strake: u32,
        region: Region,
        #[serde(default)]
        before: Vec<Picked>,
        count: u32,
        seed: u64,
    }
    let input: In = read(input)?;
    let shell = checked(input.shell)?;
    let mut before = BTreeSet::new();
    for (i, pick) in input.before.iter().enumerate() {
        let at = Place::parse(&pick.place).ok().and_then(|p| p.shell());
        let at = at.ok_or_else(|| InputError::new(format!("before[{i}].place"), "write a place as P7 F12"))?;
        before.insert(Spot { at, nth: pick.nth });
    }
    let population = sample::population(&shell, Waterline::level(input.waterline_strake), input.region);
    let picks: Vec<Value> = sample::draw(&population, &before, input.count, input.seed)
        .into_iter()
        .map(|s| json!({ "place": s.at.to_string(), "nth": s.nth }))
        .collect();
    Ok(json!({ "population": population.len(), "picks": picks }))
}

pub fn line_compare(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        points: Vec<[f64; 2]>,
        reference: Vec<[f64; 2]>,
    }
    let input: In = read(input)?;
    let Some(departure) = line::against(&input.points, &input.reference)? else {
        return Err(InputError::new("reference", "does not lie over the line"));
    };
    Ok(json!({ "departures": departure.points, "greatest": departure.greatest, "at": departure.at }))
}

pub fn moisture_field(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        spots: Vec<In2>,
        places: Vec<[f64; 2]>,
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In2 {
        at: [f64; 2],
        moisture: f64,
    }
    let input: In = read(input)?;
    let spots: Vec<field::Spot> =
        input.spots.into_iter().map(|s| field::Spot { at: s.at, moisture: s.moisture }).collect();
    Ok(json!({ "moisture": field::field(&spots, &input.places)? }))
}

pub fn urgency(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        kind: FindingKind,
        grade: Grade,
        certainty: Certainty,
        member: MemberKind,
        below_waterline: bool,
    }
    let input: In = read(input)?;
    let (score, reasons) = survey::urgency(&Weighed {
        kind: input.kind,
        grade: input.grade,
        certainty: input.certainty,
        member: input.member,
        below_waterline: input.below_waterline,
    });
    Ok(json!({ "score": score, "reasons": reasons }))
}

pub fn coverage(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct Look {
        cell: Cell,
        method: Method,
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        cells: Vec<Cell>,
        looks: Vec<Look>,
    }
    let input: In = read(input)?;
    let cells = input.cells.into_iter().collect();
    let counted = Coverage::of(&cells, input.looks.into_iter().map(|l| (l.cell, l.method)));
    let by_method: serde_json::Map<String, Value> =
        counted.by_method.iter().map(|(m, n)| (m.code().to_owned(), (*n).into())).collect();
    Ok(json!({ "cells": counted.cells, "seen": counted.seen, "share": counted.share(), "by_method": by_method }))
}

pub fn survey_compare(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        before: Vec<Entry>,
        after: Vec<Entry>,
    }
    let input: In = read(input)?;
    let changes: Vec<Value> = compare::surveys(&input.before, &input.after)
        .into_iter()
        .map(|c| json!({ "id": c.id, "change": c.change, "why": c.why }))
        .collect();
    Ok(json!({ "changes": changes }))
}

pub fn grid_edit(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        shell: Shell,
        edit: Edit,
    }
    let input: In = read(input)?;
    let mut shell = checked(input.shell)?;
    input.edit.apply(&mut shell)?;
    Ok(json!({ "shell": shell }))
}

pub fn offsets_lines(input: Value) -> Outcome {
    let table: Offsets = read(input)?;
    table.check()?;
    let lines = table.lines();
    let named = |lines: Vec<(String, Vec<[f64; 2]>)>| -> Vec<Value> {
        lines.into_iter().map(|(name, points)| json!({ "name": name, "points": points })).collect()
    };
    Ok(json!({ "profile": named(lines.profile), "plan": named(lines.plan), "body": named(lines.body) }))
}
