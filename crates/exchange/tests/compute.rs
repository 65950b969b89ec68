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

fn shell() -> Value {
    let edges: Vec<Vec<f64>> = (0..=10).map(|row| vec![f64::from(row) * 110.0; 20]).collect();
    json!({ "frames": (0..20).map(|f| f * 300).collect::<Vec<i32>>(), "edges": edges })
}

#[test]
fn a_reading_is_read_as_on_the_page() {
    let spike =
        run("reading", json!({ "measure": { "method": "spike", "depth": 2 }, "species": "white_oak" })).unwrap();
    assert_eq!((&spike["grade"], &spike["says"]), (&json!("mend"), &json!("soft")), "hard wood: the limits are halved");
    let drawn = json!({ "method": "draw_fastening", "kind": "boat_nail", "metal": "galvanised", "original": 6, "remaining": 6, "wood": "black" });
    assert_eq!(run("reading", json!({ "measure": drawn })).unwrap()["grade"], "renew");
    let salt = json!({ "method": "meter", "shown": 24, "wood_temperature": 12, "relative": true });
    assert_eq!(run("reading", json!({ "measure": salt })).unwrap()["grade"], Value::Null);
    assert_eq!(
        refused("reading", json!({ "measure": { "method": "feeler", "width": 2, "depth": 8, "filler": "hard" } })),
        "thickness"
    );
    assert_eq!(refused("reading", json!({ "measure": { "method": "spike", "depth": -2 } })), "measure.depth");
}

#[test]
fn the_same_seed_draws_the_same_fastenings_and_never_one_twice() {
    let input = |before: Value| json!({ "shell": shell(), "waterline_strake": 6, "region": { "height": "at", "part": "middle" }, "before": before, "count": 12, "seed": 1929 });
    let first = run("sample-draw", input(json!([]))).unwrap();
    assert_eq!(first, run("sample-draw", input(json!([]))).unwrap());
    let next = run("sample-draw", input(first["picks"].clone())).unwrap();
    let (a, b) = (first["picks"].as_array().unwrap(), next["picks"].as_array().unwrap());
    assert!(a.len() == 12 && b.iter().all(|pick| !a.contains(pick)));
    let torn = json!({ "frames": [0, 300], "edges": [[0, 0], [100]] });
    assert_eq!(
        refused(
            "sample-draw",
            json!({ "shell": torn, "waterline_strake": 1, "region": { "height": "at", "part": "ends" }, "count": 1, "seed": 1 })
        ),
        "shell.edges"
    );
}

#[test]
fn the_arithmetic_of_the_survey_answers_and_names_the_field_of_a_fault() {
    let line = run(
        "line-compare",
        json!({ "points": [[0, 5], [2000, 14], [4000, 21], [8000, 9]], "reference": [[0, 0], [4000, 0], [8000, 0]] }),
    )
    .unwrap();
    assert_eq!((line["greatest"].as_f64(), line["at"].as_f64()), (Some(14.0), Some(4000.0)));
    let wet =
        run("moisture-field", json!({ "spots": [{ "at": [0, 0], "moisture": 22 }], "places": [[0, 0], [0, 900]] }))
            .unwrap();
    assert_eq!(wet["moisture"], json!([22.0, null]), "nothing is said where nobody measured");
    let urgent =
        json!({ "kind": "rot", "grade": "mend", "certainty": "confirmed", "member": "floor", "below_waterline": true });
    assert!((run("urgency", urgent).unwrap()["score"].as_f64().unwrap() - 3.0 * 1.6 * 2.0 * 1.3 * 1.2).abs() < 1e-9);
    let seen = run("coverage", json!({ "cells": [[1, 1], [1, 2]], "looks": [{ "cell": [1, 1], "method": "spike" }] }))
        .unwrap();
    assert_eq!((seen["share"].as_f64(), seen["by_method"]["spike"].as_u64()), (Some(0.5), Some(1)));
    let entry = |grade: &str| json!({ "id": 1, "place": "P5 F12", "kind": "crack", "grade": grade, "certainty": "confirmed", "extent": 90, "depth": 5, "outcome": "open" });
    let worse = run("survey-compare", json!({ "before": [entry("watch")], "after": [entry("renew")] })).unwrap();
    assert_eq!(worse["changes"][0]["change"], "worse");
    let edited = run("grid-edit", json!({ "shell": shell(), "edit": { "add_frame": { "after": 3 } } })).unwrap();
    assert_eq!(edited["shell"]["frames"].as_array().unwrap().len(), 21);
    assert_eq!(refused("grid-edit", json!({ "shell": shell(), "edit": { "remove_frame": { "frame": 1 } } })), "frame");
    let lines = run("offsets-lines", json!({ "stations": [0, 1000], "rows": [{ "name": "Sheer", "kind": "height", "at": 0, "values": [700, 650] }] })).unwrap();
    assert_eq!(lines["profile"][0]["points"][1], json!([1000.0, 650.0]));
    assert_eq!(refused("offsets-lines", json!({ "stations": [0], "rows": [] })), "stations");
}

#[test]
fn a_long_piece_is_made_up_from_the_least_stock() {
    let stock = json!([{ "id": "L-1", "length": 5200 }, { "id": "L-2", "length": 2000 }, { "id": 7, "length": 2300 }]);
    let run = run("scarf-run", json!({ "required": 4000, "scarf_length": 200, "stock": stock })).unwrap();
    assert_eq!((run["stock_opened"].as_f64(), run["used"].as_f64()), (Some(4300.0), Some(4200.0)));
    assert_eq!(run["pieces"].as_array().unwrap().len(), 2);
    assert!(run["proven"].as_bool().unwrap());
    let short = json!([{ "id": "L-2", "length": 2000 }]);
    let none = self::run("scarf-run", json!({ "required": 4000, "scarf_length": 200, "stock": short })).unwrap();
    assert!(none["impossible"].as_str().unwrap().contains("2000 mm long"));
    let twice = json!([{ "id": "L-2", "length": 2000 }, { "id": "L-2", "length": 900 }]);
    assert_eq!(refused("scarf-run", json!({ "required": 4000, "scarf_length": 200, "stock": twice })), "stock[1].id");
    assert_eq!(refused("scarf-run", json!({ "required": 4000, "scarf_length": 0, "stock": [] })), "scarf_length");
}

#[test]
fn new_butts_keep_the_rule_and_what_is_in_the_way_is_named() {
    let side = |strake: u32, from: u32, to: u32, longest: u32| json!({ "side": "port", "strake": strake, "from": from, "to": to, "longest": longest });
    let fixed = json!([{ "side": "port", "strake": 4, "bay": 7 }]);
    let layout = run(
        "butts-plan",
        json!({ "rule": "wide", "bays": 34, "fixed": fixed, "runs": [side(3, 0, 33, 20), side(5, 0, 33, 20)] }),
    )
    .unwrap();
    let mut joints = layout["joints"].as_array().unwrap().clone();
    assert_eq!((joints.len(), layout["proven"].as_bool()), (2, Some(true)));
    joints.extend(fixed.as_array().unwrap().clone());
    let checked = run("butts-check", json!({ "rule": "wide", "joints": joints })).unwrap();
    assert_eq!(checked["violations"], json!([]));
    let none =
        run("butts-plan", json!({ "rule": "wide", "bays": 34, "fixed": fixed, "runs": [side(3, 0, 14, 8)] })).unwrap();
    assert_eq!(none["impossible"], fixed);
    assert_eq!(
        refused("butts-plan", json!({ "rule": "wide", "bays": 34, "fixed": [], "runs": [side(3, 9, 9, 8)] })),
        "runs[0]"
    );
}

#[test]
fn pieces_are_cut_off_the_defect_and_the_cheaper_board_is_opened() {
    let boards = json!([
        { "id": "dear", "length": 2400, "width": 200, "thickness": 32, "cost": 60, "kind": "new", "defects": [] },
        { "id": "knotty", "length": 2400, "width": 200, "thickness": 32, "cost": 20, "kind": "salvage",
          "defects": [{ "x0": 1000, "x1": 1100, "y0": 0, "y1": 200 }] },
    ]);
    let piece =
        |id: u32, clear: bool| json!({ "id": id, "length": 900, "width": 150, "thickness": 28, "clear": clear });
    let plan = run("cut-plan", json!({ "boards": boards, "pieces": [piece(1, true), piece(2, true)] })).unwrap();
    assert_eq!((&plan["cost"], &plan["boards_opened"], &plan["unplaced"]), (&json!(20.0), &json!(1), &json!([])));
    for placed in plan["placements"].as_array().unwrap() {
        let x = placed["x"].as_f64().unwrap();
        assert!(placed["board"] == "knotty" && x >= 25.0 && (x + 900.0 <= 1000.0 || x >= 1100.0), "{placed}");
    }
    let long = json!([{ "id": 9, "length": 2000, "width": 150, "thickness": 28, "clear": true }]);
    assert_eq!(run("cut-plan", json!({ "boards": boards, "pieces": long })).unwrap()["cost"], 60.0);
    let twice = json!([piece(1, true), piece(1, true)]);
    assert_eq!(refused("cut-plan", json!({ "boards": boards, "pieces": twice })), "pieces[1].id");
    let bad = json!([{ "id": 1, "length": 900, "width": -4, "thickness": 28, "clear": true }]);
    assert_eq!(refused("cut-plan", json!({ "boards": boards, "pieces": bad })), "pieces[0].width");
}

#[test]
fn parts_are_nested_within_their_seconds_and_a_wrong_outline_is_named() {
    let part = |id: &str, outline: Value| json!({ "id": id, "outline": outline, "rotations": "quarter", "count": 2 });
    let square = json!([[0, 0], [400, 0], [400, 300], [0, 300]]);
    let sheet = json!({ "width": 1000, "height": 700 });
    let nest =
        run("nest", json!({ "sheet": sheet, "sheets": 2, "parts": [part("a", square.clone())], "seconds": 0.3 }))
            .unwrap();
    assert_eq!((&nest["sheets_used"], &nest["unplaced"]), (&json!(1), &json!([])));
    assert_eq!(nest["placements"].as_array().unwrap().len(), 2);
    assert!(nest["last_sheet_length"].as_f64().unwrap() < 500.0, "{}", nest["last_sheet_length"]);
    let bow = json!([[0, 0], [100, 100], [100, 0], [0, 100]]);
    let parts = json!([part("a", square.clone()), part("b", bow)]);
    assert_eq!(refused("nest", json!({ "sheet": sheet, "sheets": 1, "parts": parts })), "parts[1].outline");
    assert_eq!(
        refused("nest", json!({ "sheet": { "width": 0, "height": 5 }, "sheets": 1, "parts": [] })),
        "sheet.width"
    );
    assert_eq!(refused("nest", json!({ "sheet": sheet, "sheets": 1, "parts": [], "seconds": 0 })), "seconds");
}

#[test]
fn a_larch_plank_on_oak_is_refastened_among_its_old_nails() {
    let screws = run(
        "fasten",
        json!({ "plank_species": "western_larch", "frame_species": "white_oak", "plank_thickness": 25,
        "plank_width": 140, "frame_moulded": 60, "to_plane_off": 2, "count": 96 }),
    )
    .unwrap();
    assert_eq!(
        (&screws["gauge"], &screws["length"], &screws["order"], &screws["boxes"]),
        (&json!(14), &json!(64.0), &json!(101), &json!(2))
    );
    let old = json!([{ "x": 0, "y": 35, "diameter": 5 }, { "x": 0, "y": 105, "diameter": 5 }]);
    let plan = run("fasten-pattern", json!({ "width": 140, "sided": 45, "gauge": 14, "old": old })).unwrap();
    assert_eq!((&plan["renew"], &plan["plug"]), (&json!(false), &json!([0, 1])));
    assert_eq!(plan["places"].as_array().unwrap().len(), 2);
    let rivet = run(
        "fasten",
        json!({ "plank_species": "western_larch", "frame_species": "white_ash", "plank_thickness": 9,
        "plank_width": 80, "frame_moulded": 12, "kind": "rivet" }),
    )
    .unwrap();
    assert_eq!((&rivet["shank"], rivet["length"].as_f64().unwrap()), (&json!(3.0), 26.7));
    assert_eq!(
        refused(
            "fasten-pattern",
            json!({ "width": 140, "sided": 45, "gauge": 14, "old": [{ "x": 0, "y": 9, "diameter": 0 }] })
        ),
        "old[0].diameter"
    );
    assert_eq!(refused("bolt", json!({ "diameter": 9, "layers": [{ "thickness": 20 }] })), "diameter");
    let bolt = run("bolt", json!({ "diameter": 8, "layers": [{ "thickness": 22 }, { "thickness": 18 }, { "thickness": 5 }], "washers": 3 })).unwrap();
    assert_eq!(bolt["length"], 60.0);
}

#[test]
fn metals_and_seams_are_judged_as_on_the_page() {
    let items = json!([
        { "metal": "silicon_bronze", "zone": "below", "at": [0, 0, 0], "area": 4000 },
        { "metal": "galvanised_steel", "zone": "below", "at": [120, 0, 0], "area": 300, "in_wood": true },
    ]);
    let found = run("metals", json!({ "items": items })).unwrap();
    assert_eq!((&found["troubles"][0]["a"], &found["troubles"][0]["level"]), (&json!(1), &json!("no")));
    assert_eq!(
        refused("metals", json!({ "items": [{ "metal": "tin", "zone": "below", "at": [0, 0, 0] }] })),
        "items[0].metal"
    );
    let seam = json!({ "plank_width": 150, "species": "western_larch", "now": 10, "service": 18, "seam_width": 2.4, "filling": "soft" });
    let balance = run("seam-balance", seam).unwrap();
    assert_eq!(balance["fate"], "presses");
    assert!((balance["closure"].as_f64().unwrap() - 1.925_088_715).abs() < 1e-6);
    assert_eq!(
        run("seam", json!({ "thickness": 25, "length": 8000, "treatment": "rigid_adhesive" })).unwrap()["verdict"],
        "forbids"
    );
    let fitting = json!({ "diameter": 8, "layers": [{ "thickness": 22 }], "surface": "plastic", "comes_apart": true });
    assert_eq!(run("bolt", fitting).unwrap()["bedding"], "butyl");
    assert_eq!(run("bolt", json!({ "diameter": 8, "layers": [{ "thickness": 22 }] })).unwrap()["bedding"], json!(null));
    let glued = json!({ "thickness": 25, "length": 8000, "school": "glued", "stays_dry": true });
    assert_eq!(run("seam", glued).unwrap()["treatment"], "splined_glue");
    let deck = run("seam", json!({ "deck": "caulked", "length": 40000 })).unwrap();
    assert_eq!((&deck["depth"], &deck["cartridges"]), (&json!(6.25), &json!(6)));
    assert_eq!(refused("seam", json!({ "deck": "caulked", "length": 40000, "thickness": 25 })), "thickness");
    assert_eq!(refused("seam", json!({ "length": 40000 })), "thickness");
    assert_eq!(refused("seam", json!({ "thickness": 25, "length": 8000, "depth": 5 })), "depth");
    let nails = run("fasten-pattern", json!({ "width": 110, "sided": 20, "nail": 3 })).unwrap();
    assert_eq!((&nails["places"][0]["gauge"], &nails["places"][0]["diameter"]), (&json!(null), &json!(3.0)));
    assert_eq!(refused("fasten-pattern", json!({ "width": 110, "sided": 20, "nail": 3, "bolt": 6 })), "gauge");
    let plank = json!({ "plank_species": "western_larch", "frame_species": "white_oak", "plank_thickness": 16, "plank_width": 110,
        "frame_moulded": 22, "inside": true });
    let reached = run("fasten", plank).unwrap();
    assert_eq!((&reached["kind"], &reached["shank"]), (&json!("rivet"), &json!(3.5)));
    assert_eq!(run("tape", json!({ "face": 42, "seam_length": 30000 })).unwrap()["width"], 38.0);
    assert_eq!(refused("tape", json!({ "face": 0, "seam_length": 1 })), "face");
}

/// A frame head rotten through, on an old carvel boat.
fn rotten_head(school: &str) -> Value {
    json!({
        "boat": { "construction": "carvel_caulked", "use": "coastal", "school": school, "age": 90 },
        "member": { "kind": "frame", "length": 1700, "width": 50, "thickness": 42, "species": "white_oak", "moisture": 15 },
        "damage": [{ "kind": "rot", "grade": "renew", "certainty": "opened_up", "from": 0, "to": 160, "low": 0, "high": 50, "depth": 42 }],
        "cause_treated": true,
    })
}

#[test]
fn decide_ranks_one_member_and_asks_for_its_shape_where_nobody_took_it() {
    for school in ["conserve", "renew", "workboat"] {
        let output = run("decide", rotten_head(school)).unwrap();
        let options = output["options"].as_array().unwrap();
        assert!(output["answered_in"].is_null() && options[0]["refused"] == json!(false));
        for refused in ["leave", "treat"] {
            let option = options.iter().find(|o| o["option"] == json!(refused)).unwrap();
            assert_eq!((&option["refused"], &option["score"]), (&json!(true), &json!(0.0)));
        }
        let steam = options.iter().find(|o| o["option"] == json!("steam")).unwrap();
        assert!(
            steam["reasons"].to_string().contains("take its shape") && !steam.to_string().contains("nearly straight")
        );
        let years: Vec<f64> = options.iter().map(|o| o["years"].as_f64().unwrap()).collect();
        assert!(years.contains(&30.0) && years.contains(&40.0) && years.contains(&10.0));
        assert!(options.windows(2).all(|w| !(w[0]["refused"] == json!(true) && w[1]["refused"] == json!(false))));
    }
}

#[test]
fn decide_names_the_step_and_the_field() {
    let mut seam = rotten_head("renew");
    seam["damage"][0]["kind"] = json!("open_seam");
    seam["member"]["kind"] = json!("plank");
    assert_eq!(run("decide", seam).unwrap()["answered_in"], json!("seams"));
    let mut unknown = rotten_head("renew");
    unknown["damage"][0]["depth"] = json!(0);
    assert_eq!(run("decide", unknown).unwrap()["answered_in"], json!("survey"));
    for (path, value, field) in [
        ("/damage/0/depth", json!(60), "damage[0].depth"),
        ("/damage/0/to", json!(1800), "damage[0].to"),
        ("/damage/0/to", json!(-20), "damage[0].to"),
        ("/member/kind", json!("rib"), "member.kind"),
        ("/member/radius", json!(-5), "member.radius"),
        ("/member/moisture", json!(900), "member.moisture"),
        ("/boat/school", json!("museum"), "boat.school"),
        ("/damage", json!([]), "damage"),
    ] {
        let mut input = rotten_head("conserve");
        match input.pointer_mut(path) {
            Some(at) => *at = value,
            None => input["member"]["radius"] = value,
        }
        assert_eq!(refused("decide", input), field, "{path}");
    }
    let mut misspelt = rotten_head("conserve");
    misspelt["couse_treated"] = json!(true);
    assert!(run("decide", misspelt).is_err());
}

#[test]
fn what_holds_asks_for_stanchions_and_keeps_people_off() {
    let input = |next: &str, rotten: &[&str], out: &[&str]| {
        json!({
            "members": [
                { "id": "FR7P", "kind": "frame" }, { "id": "FR8P", "kind": "frame" },
                { "id": "SHELFP", "kind": "shelf", "rests_on": ["FR7P", "FR8P"] },
                { "id": "BM3", "kind": "beam", "rests_on": ["SHELFP"] }, { "id": "BM4", "kind": "beam", "rests_on": ["SHELFP"] },
                { "id": "DP1", "kind": "deck_panel", "rests_on": ["BM3", "BM4"] },
            ],
            "rotten": rotten, "out": out, "next": next,
        })
    };
    let shelf = run("what-holds", input("SHELFP", &[], &[])).unwrap();
    assert_eq!((&shelf["allowed"], &shelf["shore_first"]), (&json!(false), &json!(["BM3", "BM4"])));
    let second = run("what-holds", input("BM4", &["BM3"], &[])).unwrap();
    assert_eq!((&second["allowed"], &second["shore_first"]), (&json!(false), &json!(["DP1"])));
    let both = run("what-holds", input("FR7P", &["BM3", "BM4"], &[])).unwrap();
    assert_eq!((&both["allowed"], &both["keep_off"]), (&json!(true), &json!(["DP1"])));
    assert_eq!(refused("what-holds", input("BM9", &[], &[])), "next");
    assert_eq!(refused("what-holds", input("BM4", &["X"], &[])), "rotten[0]");
    assert_eq!(run("what-holds", input("BM4", &[], &["BM3"])).unwrap()["allowed"], json!(false), "neighbouring beams");
}

#[test]
fn a_sheet_that_is_none_is_told_and_the_lines_after_it_have_their_turn() {
    let part = json!([{ "id": "a", "outline": [[0, 0], [50, 0], [50, 50]], "rotations": "any", "count": 1 }]);
    for size in [1e-9, 0.0, -4.0, 1e12] {
        let line = json!({ "id": 1, "tool": "nest", "input": { "sheet": { "width": size, "height": 900 }, "sheets": 1, "parts": part } });
        let told = run_line(&line.to_string());
        assert!(told["error"]["field"].as_str().unwrap().contains("width"), "{size}: {told}");
    }
    let next = json!({ "id": 2, "tool": "length", "input": { "text": "3/8\"", "unit": "mm" } });
    assert_eq!(run_line(&next.to_string())["id"], 2);
}

/// The paths of all numbers in a value.
fn numbers(value: &Value, path: &str, found: &mut Vec<String>) {
    match value {
        Value::Number(_) => found.push(path.to_owned()),
        Value::Object(fields) => fields.iter().for_each(|(k, v)| numbers(v, &format!("{path}/{k}"), found)),
        Value::Array(items) => items.iter().enumerate().for_each(|(i, v)| numbers(v, &format!("{path}/{i}"), found)),
        _ => {}
    }
}

/// Where a number was promised and none came.
fn missing(promised: &Value, got: &Value) -> Vec<String> {
    let mut paths = Vec::new();
    numbers(promised, "", &mut paths);
    // How many there are may change with the input, a number at a place that is still there may not.
    paths.retain(|path| got.pointer(path).is_some_and(Value::is_null));
    // No strip is made beside where each one breaks: the contract has nothing there.
    paths.retain(|path| path != "/spares" || got["risk"] != "breaks");
    paths
}

#[test]
fn whatever_number_is_sent_an_answer_has_numbers_where_it_promises_them() {
    let edges = [0.0, -1.0, 1e-9, 0.5, 1.0, 3.0, 1e4, 1e9, 1e308, f64::MIN_POSITIVE];
    let own = [
        json!({ "tool": "patch", "input": {
            "plank": { "length": 3000, "width": 160, "thickness": 25 },
            "damage": [{ "kind": "crack", "points": [[1000, 70], [1200, 78]], "depth": 8 }],
            "holes": [{ "id": 7, "x": 1100, "y": 74, "diameter": 8, "live": false }],
        } }),
        json!({ "tool": "fair", "input": {
            "points": [[0, 0.2], [300, 41], [610, 76.5], [900, 101], [1200, 116], [1500, 121], [1800, 117]],
        } }),
        json!({ "tool": "reading", "input": { "measure": { "method": "spike", "depth": 2 }, "species": "white_oak" } }),
    ];
    let examples = EXAMPLES.lines().map(|line| serde_json::from_str(line).unwrap()).chain(own);
    for example in examples {
        let example: Value = example;
        let tool = example["tool"].as_str().unwrap();
        let promised = run(tool, example["input"].clone()).unwrap();
        let mut leaves = Vec::new();
        numbers(&example["input"], "", &mut leaves);
        for leaf in leaves {
            for edge in edges {
                let mut input = example["input"].clone();
                let whole = input.pointer(&leaf).unwrap().is_i64() && edge.fract() == 0.0 && edge.abs() < 1e12;
                *input.pointer_mut(&leaf).unwrap() = if whole { json!(edge as i64) } else { json!(edge) };
                match run(tool, input) {
                    Ok(answer) => {
                        let missing = missing(&promised, &answer);
                        assert!(missing.is_empty(), "{tool} with {leaf} = {edge}: {missing:?} of {answer}");
                    }
                    Err(e) => assert!(!e.field.is_empty(), "{tool} with {leaf} = {edge}: {}", e.message),
                }
            }
        }
    }
}

#[test]
fn coats_are_placed_in_the_weather_and_what_forbids_them_is_counted() {
    let step = json!({ "name": "Gloss", "coat_hours": 0.2, "sand_hours": 0.2, "touch_dry": 6, "dew_safe": 8, "recoat_min": 16,
        "recoat_max": 48, "temperature": [8, 28], "humidity_max": 80 });
    let hour = |rain: f64| json!({ "temperature": 18, "humidity": 60, "rain": rain, "wind": 2 });
    let job = |rain: f64| {
        json!({ "first_weekday": 1, "weather": vec![hour(rain); 24 * 6], "work": { "weekdays": [1, 2, 3, 4, 5], "from": 8, "to": 17, "painters": 1 },
            "areas": [
                { "id": "upper", "area_m2": 10, "place": "outside", "steps": [step, step] },
                { "id": "lower", "area_m2": 5, "place": "outside", "after": ["upper"], "steps": [step] },
            ] })
    };
    let plan = run("coat-plan", job(0.0)).unwrap();
    let starts: Vec<(&str, u64)> = plan["coats"]
        .as_array()
        .unwrap()
        .iter()
        .map(|c| (c["area"].as_str().unwrap(), c["from"].as_u64().unwrap()))
        .collect();
    assert_eq!(starts, [("upper", 8), ("upper", 32), ("lower", 56)]);
    assert_eq!((plan["proven"].clone(), plan["finish"].clone()), (json!(true), plan["bound"].clone()));
    let wet = run("coat-plan", job(0.5)).unwrap();
    // Only the first area is told of: the second waits for it.
    assert_eq!(wet["impossible"].as_array().unwrap().len(), 1);
    assert_eq!((&wet["impossible"][0]["area"], &wet["impossible"][0]["why"]["rain"]), (&json!("upper"), &json!(144)));
    let mut wrong = job(0.0);
    wrong["areas"][1]["after"] = json!(["deck"]);
    assert_eq!(run("coat-plan", wrong).unwrap_err().field, "areas[1].after[0]");
    let mut twice = job(0.0);
    twice["areas"][1]["id"] = json!("upper");
    assert_eq!(run("coat-plan", twice).unwrap_err().field, "areas[1].id");
}

#[test]
fn a_schedule_names_its_tasks_and_what_makes_one_impossible() {
    let job = json!({ "people": 1, "gear": { "clamps": 1 }, "open": [[8, 17], [32, 41]], "tasks": [
        { "id": "glue", "hours": 3, "people": 1, "gear": { "clamps": 1 } },
        { "id": "cure", "hours": 12, "gear": { "clamps": 1 }, "after": [{ "task": "glue", "max": 0 }] },
        { "id": "plane", "hours": 2, "people": 1, "after": [{ "task": "cure" }] },
    ] });
    let plan = run("schedule", job.clone()).unwrap();
    assert_eq!(plan["starts"][1], json!({ "task": "cure", "start": 11, "end": 23 }));
    assert_eq!(
        (&plan["finish"], &plan["proven"], &plan["critical"]),
        (&json!(34), &json!(true), &json!(["glue", "cure", "plane"]))
    );
    let mut late = job.clone();
    late["tasks"][2]["latest_end"] = json!(33);
    let told = run("schedule", late).unwrap();
    assert_eq!(told["tasks"], json!(["glue", "cure", "plane"]));
    assert!(told["impossible"].as_str().unwrap().starts_with("glue, cure, plane: "));
    let mut unknown = job.clone();
    unknown["tasks"][1]["after"][0]["task"] = json!("paint");
    assert_eq!(run("schedule", unknown).unwrap_err().field, "tasks[1].after[0].task");
    let mut none = job;
    none["tasks"][0]["gear"] = json!({ "steam box": 1 });
    assert_eq!(run("schedule", none).unwrap_err().field, "tasks[0].gear.steam box");
}

#[test]
fn a_spar_is_mended_by_staves_and_what_cannot_be_says_why() {
    let asked = json!({
        "length": 9_000, "staves": 8, "wall": 22,
        "bad": [{ "stave": 0, "from": 3_000, "to": 3_400 }, { "stave": 1, "from": 3_050, "to": 3_300 }],
        "stock": [{ "id": "A", "length": 3_000 }, { "id": "B", "length": 2_000 }],
    });
    let told = run("stave-repair", asked.clone()).unwrap();
    // A scarf is 264 mm, the margin 50: the first must be 1,028 mm long, the second 878; the second's scarfs lie 50 mm inside
    // at the heel and 100 mm inside at the head, and move outward past the first's by the least there is.
    let scarfs: Vec<(u64, f64)> = told["scarfs"]
        .as_array()
        .unwrap()
        .iter()
        .map(|s| (s["stave"].as_u64().unwrap(), s["at"].as_f64().unwrap()))
        .collect();
    for (stave, at) in &scarfs {
        assert!(scarfs.iter().all(|(other, there)| other == stave || (at - there).abs() >= 264.0 - 1e-6), "{scarfs:?}");
    }
    assert!((told["new_length"].as_f64().unwrap() - (1_028.0 + 878.0 + (264.0 - 50.0) + (264.0 - 100.0))).abs() < 1e-6);
    assert_eq!(told["at_once"].as_array().unwrap().len(), 2);
    let mut short = asked.clone();
    short["stock"] = json!([{ "id": "A", "length": 500 }]);
    assert!(run("stave-repair", short).unwrap()["impossible"].as_str().unwrap().contains("stock"));
    let mut twice = asked;
    twice["stock"] = json!([{ "id": "A", "length": 500 }, { "id": "A", "length": 500 }]);
    assert_eq!(run("stave-repair", twice).unwrap_err().field, "stock[1].id");
}

#[test]
fn a_deck_is_planned_screwed_or_glued() {
    let mut asked = json!({
        "outline": [[0, 0], [1_500, 900], [4_000, 1_200], [6_500, 800]], "king": 120, "cover": 110, "plank": 45, "seam": 5,
        "way": "straight", "beams": [500, 1_000, 1_500, 2_000, 2_500, 3_000, 3_500, 4_000, 4_500, 5_000, 5_500, 6_000],
        "longest": 3_500, "rule": { "adjacent": 2, "one_between": 1, "same_bay_between": 2, "min_piece": 3 }, "fastened": "screwed",
    });
    let screwed = run("deck-plan", asked.clone()).unwrap();
    assert!(
        screwed["rows"].as_u64().unwrap() > 15
            && screwed["screws"] == screwed["plugs"]
            && screwed.get("bags").is_none()
    );
    for plank in screwed["planks"].as_array().unwrap() {
        assert!(plank["to"].as_f64().unwrap() - plank["from"].as_f64().unwrap() <= 3_500.0 + 1e-6, "{plank}");
    }
    let joints: Vec<Value> = screwed["joints"]
        .as_array()
        .unwrap()
        .iter()
        .map(|j| json!({ "side": j["side"], "strake": j["row"].as_u64().unwrap() + 1, "bay": j["beam"].as_u64().unwrap() + 1 }))
        .collect();
    let check = run("butts-check", json!({ "rule": asked["rule"], "joints": joints })).unwrap();
    assert_eq!(check["violations"], json!([]), "{check}");
    asked["fastened"] = json!("glued");
    let glued = run("deck-plan", asked.clone()).unwrap();
    let (kg, bags) = (glued["adhesive_kg"].as_f64().unwrap(), glued["bags"].as_f64().unwrap());
    assert!(glued.get("screws").is_none() && bags == (kg / 1.2 * 80.0 / 25.0).ceil(), "{kg} {bags}");
    asked["way"] = json!("spiral");
    assert!(run("deck-plan", asked).is_err());
}
