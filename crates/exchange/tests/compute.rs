//! The compute contract: the worked examples that were computed apart from this project, and bad input.

use mend_keel_exchange::compute::{run, run_line, tools};
use proptest::prelude::*;
use serde_json::{Value, json};

/// Worked examples computed outside this project, one a line.
const EXAMPLES: &str = include_str!("examples.jsonl");

fn differences(expect: &Value, got: &Value, tol: f64, path: &str) -> Vec<String> {
    match (expect, got) {
        (Value::Object(fields), _) => fields
            .iter()
            .flat_map(|(name, value)| {
                differences(value, got.get(name).unwrap_or(&Value::Null), tol, &format!("{path}.{name}"))
            })
            .collect(),
        (Value::Array(items), Value::Array(others)) if items.len() == others.len() => items
            .iter()
            .zip(others)
            .enumerate()
            .flat_map(|(i, (a, b))| differences(a, b, tol, &format!("{path}[{i}]")))
            .collect(),
        (Value::Number(a), Value::Number(b)) if (a.as_f64().unwrap() - b.as_f64().unwrap()).abs() <= tol => {
            vec![]
        }
        (a, b) if a == b => vec![],
        (a, b) => vec![format!("{path}: expected {a}, got {b}")],
    }
}

#[test]
fn every_worked_example_of_our_tools_comes_out_as_computed_elsewhere() {
    let known: Vec<&str> = tools().collect();
    let mut worked = 0;
    for line in EXAMPLES.lines() {
        let example: Value = serde_json::from_str(line).unwrap();
        let tool = example["tool"].as_str().unwrap();
        if !known.contains(&tool) {
            continue;
        }
        let output = run(tool, example["input"].clone()).unwrap();
        assert_eq!(
            differences(&example["expect"], &output, example["tol"].as_f64().unwrap(), tool),
            Vec::<String>::new()
        );
        worked += 1;
    }
    assert_eq!(worked, EXAMPLES.lines().count(), "an example is for a tool we have not");
}

fn refused(tool: &str, input: Value) -> String {
    run(tool, input).unwrap_err().field
}

#[test]
fn bad_input_names_the_field() {
    assert_eq!(refused("scarf", json!({ "thickness": -3, "width": 150, "ratio": 8 })), "thickness");
    assert_eq!(refused("scarf", json!({ "thickness": 25, "ratio": 8 })), "width");
    assert_eq!(refused("scarf", json!({ "thickness": "thick", "width": 150, "ratio": 8 })), "thickness");
    assert_eq!(refused("scarf", json!({ "thickness": 25, "width": 150, "ratio": 8, "ratoi": 9 })), "ratoi");
    assert_eq!(refused("movement", json!({ "width": 150, "from": 10, "to": 18, "ring_angle": 0 })), "species");
    assert_eq!(refused("butts-check", json!({ "rule": "loose", "joints": [] })), "rule");
    assert_eq!(refused("butts-check", json!({ "rule": { "adjacent": 1 }, "joints": [] })), "rule.one_between");
    assert_eq!(
        refused("butts-check", json!({ "rule": "wide", "joints": [{ "side": "left", "strake": 1, "bay": 2 }] })),
        "joints[0].side"
    );
    assert_eq!(refused("hog", json!({ "points": [[0, 0], [1, 1]] })), "points");
    let bend = json!({ "species": "white_oak", "thickness": 25, "radius": 400, "drying": "wet" });
    assert_eq!(refused("bend", bend), "drying");
    assert_eq!(refused("fastener-sample", json!({ "population": 60, "drawn": 20, "bad": -1 })), "bad");
    assert_eq!(refused("fair", json!({ "points": [[0, 1], [1, 2], [2, "x"]] })), "points[2][1]");
    assert_eq!(refused("knots", json!({})), "tool");
    let plank = json!({ "length": 3000, "width": 150, "thickness": -3 });
    let crack = json!([{ "kind": "crack", "points": [[500, 70], [600, 72]], "depth": 5 }]);
    let error = run("patch", json!({ "plank": plank, "damage": crack })).unwrap_err();
    assert_eq!((error.field.as_str(), error.message.as_str()), ("plank.thickness", "must be greater than 0, was -3"));
}

#[test]
fn a_patch_speaks_the_contracts_words() {
    let output = run(
        "patch",
        json!({
            "plank": { "length": 3000, "width": 160, "thickness": 25 },
            "damage": [{ "kind": "crack", "points": [[1000, 70], [1200, 78]], "depth": 8 }],
            "holes": [{ "id": 7, "x": 1100, "y": 74, "diameter": 8, "live": false }],
            "rules": { "end_slope": 4 },
        }),
    )
    .unwrap();
    assert_eq!(output["swallowed"], json!([7]));
    assert_eq!(output["to_edge"], "none");
    for field in ["outline", "depth", "through", "area", "kept", "thickness", "blank", "splice_instead"] {
        assert!(output.get(field).is_some(), "{field}");
    }
}

#[test]
fn a_bad_line_of_a_batch_answers_under_its_id_and_the_next_is_worked() {
    let bad = run_line(r#"{"id":1,"tool":"emc","input":{"temperature":20}}"#);
    assert_eq!((bad["id"].clone(), bad["error"]["field"].clone()), (json!(1), json!("humidity")));
    let good = run_line(r#"{"id":"two","tool":"emc","input":{"temperature":20,"humidity":50}}"#);
    assert_eq!(good["id"], "two");
    assert!(good["output"]["emc"].as_f64().unwrap() > 9.0);
    assert!(run_line("{").get("error").is_some());
}

proptest! {
    #[test]
    fn no_line_brings_a_tool_down(tool in proptest::sample::select(tools().collect::<Vec<_>>()), text in ".{0,60}", number: f64) {
        let inputs = [
            json!({ "text": text }),
            json!({ "thickness": number, "width": number, "ratio": number }),
            json!({ "temperature": number, "humidity": number }),
            json!({ "reading": number, "wood_temperature": number }),
            json!({ "points": [[0, number], [number, 1], [5, 5]] }),
            json!({ "width": number, "radius": number, "finished_thickness": number }),
            json!({ "plank": { "length": number, "width": number, "thickness": number },
                    "damage": [{ "kind": "rot", "points": [[0, 0], [number, 1], [5, number]], "depth": number }] }),
        ];
        for input in inputs {
            let _ = run(tool, input);
        }
        let _ = run_line(&text);
    }
}
