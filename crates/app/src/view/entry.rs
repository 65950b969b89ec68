//! What an entry of the story holds, in words: names and values a person reads, in place of the record as it is stored.

use mend_keel_core::units::LengthUnit;
use serde_json::{Map, Value};

use super::Units;

/// A name and its value.
pub type Line = (String, String);

/// Numbers the store knows its records by: nobody reads them.
const NUMBERS: [&str; 26] = [
    "account",
    "bank",
    "board",
    "capture",
    "coat",
    "coated",
    "decision",
    "finding",
    "fitting",
    "id",
    "item",
    "job",
    "launch",
    "line",
    "lot",
    "member",
    "past_repair",
    "piece",
    "plan",
    "reading",
    "region",
    "sample",
    "seam",
    "survey",
    "task",
    "version",
];
/// What the entry's own line says already, or what only the program reads.
const SILENT: [&str; 7] = ["edit", "told", "note", "reason", "why", "photo", "supersedes"];
/// What is the yard's own affair, told to others only where the yard shows it.
const HOURS_AND_COSTS: [&str; 7] = ["cost", "each", "price", "hours_p50", "hours_p80", "hours", "minutes"];
/// Most lines of one list; the rest is counted.
const MOST: usize = 8;
/// Deeper than this nothing is told: no record goes so far.
const DEEPEST: usize = 6;

/// Why it was done or what was noted with it, in the words that were typed. Empty where the entry's own line says it, or nobody did.
pub fn words(body: &Value, summary: &str) -> String {
    let against = body["rules"]["against"].as_str();
    let against = against.filter(|text| !text.is_empty()).map(|text| format!("against the rule, because {text}"));
    let typed = ["reason", "why", "note"].iter().filter_map(|field| body[*field].as_str());
    let typed = typed.chain(body["laid"]["note"].as_str()).map(str::trim);
    let mut said: Vec<String> = typed.filter(|t| !t.is_empty() && !summary.contains(t)).map(str::to_owned).collect();
    said.extend(against);
    said.dedup();
    said.join("; ")
}

/// How an entry is told, and to whom.
#[derive(Debug, Clone, Copy)]
pub struct Telling {
    pub units: Units,
    /// Whoever reads it sees hours and costs.
    pub costs: bool,
}

/// Everything else the entry holds, line by line.
pub fn lines(body: &Value, telling: Telling) -> Vec<Line> {
    let mut told = Vec::new();
    if let Value::Object(fields) = body {
        object(fields, telling, 0, &mut told);
    }
    told
}

fn object(fields: &Map<String, Value>, telling: Telling, depth: usize, told: &mut Vec<Line>) {
    for (field, value) in fields {
        let field = field.as_str();
        let is_number_of_record = NUMBERS.contains(&field) && (value.is_number() || value.is_null());
        let is_hidden = !telling.costs && HOURS_AND_COSTS.contains(&field);
        if is_number_of_record || is_hidden || SILENT.contains(&field) || depth > DEEPEST {
            continue;
        }
        match value {
            Value::Object(inner) => object(inner, telling, depth + 1, told),
            Value::Array(list) => array(field, list, telling, told),
            value => told.extend(scalar(field, value, telling.units).map(|value| (label(field), value))),
        }
    }
}

/// A list: what was weighed one by one, measured points by their number, the rest in a row.
fn array(field: &str, list: &[Value], telling: Telling, told: &mut Vec<Line>) {
    let more = |shown: usize| format!("and {} more", list.len() - shown);
    if list.iter().all(Value::is_object) {
        let each = list.iter().filter_map(|v| one_line(v.as_object()?, telling));
        let mut lines: Vec<Line> = each.take(MOST).map(|line| (label(field), line)).collect();
        if list.len() > MOST {
            lines.push((label(field), more(MOST)));
        }
        told.append(&mut lines);
    } else if list.iter().any(|v| v.is_array() || v.is_object()) {
        told.push((label(field), format!("{} points", list.len())));
    } else if !list.is_empty() {
        let each = list.iter().filter_map(|v| scalar(field, v, telling.units)).take(MOST);
        let mut row: Vec<String> = each.collect();
        if list.len() > MOST {
            row.push(more(MOST));
        }
        if !row.is_empty() {
            told.push((label(field), row.join(", ")));
        }
    }
}

/// A record inside of a list, in one line. A reason is its sentence; an amount is said with its unit.
fn one_line(fields: &Map<String, Value>, telling: Telling) -> Option<String> {
    if let Some(text) = fields.get("text").and_then(Value::as_str) {
        return Some(text.to_owned());
    }
    if let (Some(what), Some(amount)) = (fields.get("what").and_then(Value::as_str), fields.get("amount")) {
        let unit = fields.get("unit").and_then(Value::as_str).unwrap_or_default();
        let amount = scalar("amount", amount, telling.units)?;
        return Some(format!("{what} {amount} {unit}").trim_end().to_owned());
    }
    let mut told = Vec::new();
    object(fields, telling, 0, &mut told);
    let said: Vec<String> = told.into_iter().map(|(name, value)| format!("{} {value}", name.to_lowercase())).collect();
    (!said.is_empty()).then(|| said.join(", "))
}

/// A field's name as it is said: without the unit it is stored in.
fn label(field: &str) -> String {
    let said = match field {
        "hours_p50" => "hours, one time in two".to_owned(),
        "hours_p80" => "hours, four times in five".to_owned(),
        "kept" => "original kept".to_owned(),
        _ => {
            let units = ["_mm2", "_mm", "_l_h", "_h", "_l"];
            let bare = units.iter().find_map(|unit| field.strip_suffix(unit)).unwrap_or(field);
            bare.replace('_', " ")
        }
    };
    let mut letters = said.chars();
    letters.next().map_or(String::new(), |first| first.to_uppercase().chain(letters).collect())
}

/// A value in words; `None` where there is nothing to say.
fn scalar(field: &str, value: &Value, units: Units) -> Option<String> {
    match value {
        Value::Bool(yes) => Some(if *yes { "yes" } else { "no" }.to_owned()),
        // A code is its words; what somebody typed has spaces of its own.
        Value::String(text) if !text.contains(' ') => {
            Some(text.replace('_', " ").trim().to_owned()).filter(|t| !t.is_empty())
        }
        Value::String(text) => Some(text.clone()),
        Value::Number(number) => {
            let number = number.as_f64()?;
            Some(match field {
                _ if field.ends_with("_mm2") => area(number, units),
                _ if field.ends_with("_mm") => units.fine(number),
                _ if field.ends_with("_l_h") => format!("{} l/h", plain(number)),
                _ if field.ends_with("_h") || field.starts_with("hours_") => format!("{} h", plain(number)),
                _ if field.ends_with("_l") || field == "litres" => format!("{} l", plain(number)),
                "kept" | "strength" => format!("{:.0} %", number * 100.0),
                _ => plain(number),
            })
        }
        Value::Null | Value::Array(_) | Value::Object(_) => None,
    }
}

fn area(mm2: f64, units: Units) -> String {
    const SQUARE_INCH: f64 = 645.16;
    match units.unit {
        LengthUnit::Millimetre => format!("{} cm²", plain(mm2 / 100.0)),
        LengthUnit::Inch => format!("{} sq in", plain(mm2 / SQUARE_INCH)),
    }
}

/// Two decimals at most, four of what is small, none that say nothing.
fn plain(number: f64) -> String {
    let text = if number.abs() < 0.1 { format!("{number:.4}") } else { format!("{number:.2}") };
    let text = text.trim_end_matches('0').trim_end_matches('.');
    if text == "-0" { "0".to_owned() } else { text.to_owned() }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use serde_json::json;

    use super::*;

    const MM: Telling = Telling { units: Units { unit: LengthUnit::Millimetre, denominator: 16 }, costs: true };
    const INCH: Telling = Telling { units: Units { unit: LengthUnit::Inch, denominator: 16 }, costs: true };

    /// In alphabetical order: a record keeps its fields in no order of its own.
    fn told(body: &Value) -> Vec<String> {
        let mut told: Vec<String> =
            lines(body, MM).into_iter().map(|(name, value)| format!("{name}: {value}")).collect();
        told.sort();
        told
    }

    #[test]
    fn a_decision_says_its_hours_what_it_weighed_and_what_it_takes() {
        let body = json!({
            "decision": 7, "supersedes": null, "hours_p50": 5.026449495763643, "kept": 0.984_190_766_714_366_2, "kind": "scarf_piece",
            "reason": "the rest is sound",
            "rules": { "against": "", "found": [{ "id": 43, "place": "S3 F14", "version": 1 }],
                "materials": [{ "what": "timber, as bought", "amount": 0.0012, "each": 2400.0, "unit": "m³" },
                              { "what": "fastenings", "amount": 2.0, "each": 0.6, "unit": "" }],
                "reasons": [{ "text": "no wider than 60 % of the plank", "rule": "graving.width", "verdict": "for" }] }
        });
        assert_eq!(
            told(&body),
            [
                "Found: place S3 F14",
                "Hours, one time in two: 5.03 h",
                "Kind: scarf piece",
                "Materials: fastenings 2",
                "Materials: timber, as bought 0.0012 m³",
                "Original kept: 98 %",
                "Reasons: no wider than 60 % of the plank",
            ]
        );
    }

    #[test]
    fn hours_and_costs_are_told_only_to_whom_the_yard_shows_them() {
        let body = json!({ "hours_p50": 5.0, "kept": 0.5, "rules": { "cost": 22.7, "materials": [{ "what": "glue, mixed", "amount": 0.1,
            "each": 28.0, "unit": "kg" }] }, "details": { "price": 128.0, "lot": "16" }, "minutes": 35.0 });
        let told = lines(&body, Telling { costs: false, ..MM });
        let mut names: Vec<&str> = told.iter().map(|(name, _)| name.as_str()).collect();
        names.sort_unstable();
        assert_eq!(names, ["Lot", "Materials", "Original kept"], "{told:?}");
        assert!(told.iter().all(|(_, value)| !value.contains("28")), "{told:?}");
    }

    #[test]
    fn lengths_are_said_in_the_yards_unit_and_points_are_counted() {
        let body = json!({ "depth_mm": 9.0, "area_mm2": 9000.0, "shape_mm": [[30.0, 62.0], [120.0, 66.0]], "finding": 3,
            "cells": [20, 21], "spread": { "litres": 1.3, "sanded": false, "pumps_l_h": 4000.0 }, "at_mm": null, "note": "x" });
        assert_eq!(
            told(&body),
            [
                "Area: 90 cm²",
                "Cells: 20, 21",
                "Depth: 9 mm",
                "Litres: 1.3 l",
                "Pumps: 4000 l/h",
                "Sanded: no",
                "Shape: 2 points",
            ]
        );
        let inches = lines(&body, INCH);
        assert!(inches.contains(&("Area".into(), "13.95 sq in".into())), "{inches:?}");
        assert!(inches.iter().any(|(name, value)| name == "Depth" && value.contains('"')), "{inches:?}");
    }

    #[test]
    fn what_was_typed_is_said_once_and_not_where_the_line_says_it() {
        let decided = json!({ "reason": "the rest is sound", "rules": { "against": "she sails in May" } });
        assert_eq!(words(&decided, "Decided on P7"), "the rest is sound; against the rule, because she sails in May");
        let done = json!({ "why": "she hangs in the slings" });
        assert_eq!(words(&done, "Done: Cut out, because she hangs in the slings"), "");
        assert_eq!(words(&json!({ "note": "  " }), "x"), "");
        assert_eq!(words(&json!({ "laid": { "note": "dust" } }), "Laid on coat 1"), "dust");
    }

    #[test]
    fn a_long_list_is_cut_short_and_says_so() {
        let many: Vec<Value> = (0..30).map(|n| json!({ "frame": n })).collect();
        let body = json!({ "picks": many, "frames": (0..20).collect::<Vec<_>>(), "none": [] });
        let told = told(&body);
        assert_eq!(told.len(), 1 + MOST + 1, "{told:?}");
        assert_eq!(told[0], "Frames: 0, 1, 2, 3, 4, 5, 6, 7, and 12 more");
        assert_eq!(told[1], "Picks: and 22 more");
    }

    fn any_json() -> impl Strategy<Value = Value> {
        let leaf = prop_oneof![
            Just(Value::Null),
            any::<bool>().prop_map(Value::from),
            any::<f64>().prop_map(Value::from),
            "[a-z_]{0,12}".prop_map(Value::from),
        ];
        leaf.prop_recursive(9, 60, 6, |inner| {
            prop_oneof![
                prop::collection::vec(inner.clone(), 0..6).prop_map(Value::from),
                prop::collection::hash_map("[a-z_]{1,9}", inner, 0..6)
                    .prop_map(|m| Value::Object(m.into_iter().collect())),
            ]
        })
    }

    proptest! {
        /// Whatever a record holds, now or in years, nobody is shown how it is stored.
        #[test]
        fn no_record_is_shown_as_it_is_stored(body in any_json()) {
            for (name, value) in lines(&body, MM) {
                prop_assert!(!value.is_empty() && !value.contains(['{', '}', '[', ']', '_']), "{name}: {value}");
                prop_assert!(!name.contains('_'), "{name}");
            }
        }
    }
}
