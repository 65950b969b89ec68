//! Decks, spars, rings and templates.

use std::collections::HashMap;

use mend_keel_core::InputError;
use mend_keel_core::deck;
use mend_keel_core::deck::plan::{self as deck_plan, Held, Way};
use mend_keel_core::repair::butts::Rule;
use mend_keel_core::shape::bend::Request;
use mend_keel_core::shape::rectify::{self, Mark};
use mend_keel_core::shape::template::{self, Measured};
use mend_keel_core::spar::{ring, round, stave};
use mend_keel_core::timber::board::Drying;
use mend_keel_core::timber::species;
use serde::Deserialize;
use serde_json::{Value, json};

use super::{ExtStock, Outcome, named, read, stand_once};

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

pub fn stave_repair(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct Bad {
        stave: usize,
        from: f64,
        to: f64,
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        length: f64,
        staves: usize,
        wall: f64,
        #[serde(default = "twelve")]
        ratio: f64,
        bad: Vec<Bad>,
        margin: Option<f64>,
        stock: Vec<ExtStock>,
        most_out: Option<usize>,
    }
    fn twelve() -> f64 {
        12.0
    }
    let input: In = read(input)?;
    named("stock", input.stock.iter().map(|s| &s.id))?;
    let told = stave::plan(&stave::Job {
        length: input.length,
        staves: input.staves,
        wall: input.wall,
        ratio: input.ratio,
        bad: input.bad.iter().map(|b| stave::Bad { stave: b.stave, from: b.from, to: b.to }).collect(),
        margin: input.margin,
        stock: input.stock.iter().map(|s| s.length).collect(),
        most_out: input.most_out,
    })?;
    let repair = match told {
        stave::Answer::Repair(repair) => repair,
        stave::Answer::Impossible(why) => return Ok(json!({ "impossible": why })),
    };
    let piece = |p: &stave::Piece| {
        let stock: Vec<&Value> = p.stock.iter().map(|s| &input.stock[*s].id).collect();
        json!({ "stave": p.stave, "from": p.from, "to": p.to, "stock": stock })
    };
    Ok(json!({
        "pieces": repair.pieces.iter().map(piece).collect::<Vec<_>>(),
        "scarfs": repair.scarfs.iter().map(|s| json!({ "stave": s.stave, "at": s.at })).collect::<Vec<_>>(),
        "new_length": repair.new_length, "at_once": repair.at_once,
    }))
}

pub fn deck_plan_tool(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        outline: Vec<[f64; 2]>,
        king: f64,
        cover: f64,
        plank: f64,
        seam: f64,
        way: Way,
        beams: Vec<f64>,
        longest: f64,
        rule: Rule,
        fastened: Held,
    }
    let input: In = read(input)?;
    let told = deck_plan::plan(&deck_plan::Job {
        outline: input.outline,
        king: input.king,
        cover: input.cover,
        plank: input.plank,
        seam: input.seam,
        way: input.way,
        beams: input.beams,
        longest: input.longest,
        rule: input.rule,
        held: input.fastened,
    })?;
    let plank = |p: &deck_plan::Plank| json!({ "side": p.side, "row": p.row, "from": p.from, "to": p.to });
    let joint = |(side, row, beam): &(_, usize, usize)| json!({ "side": side, "row": row, "beam": beam });
    let mut out = json!({
        "rows": told.rows,
        "planks": told.planks.iter().map(plank).collect::<Vec<_>>(),
        "joints": told.joints.iter().map(joint).collect::<Vec<_>>(),
        "nibbed": told.nibbed, "seam_metres": told.seam_metres,
    });
    match told.glue {
        Some((adhesive, bags)) => (out["adhesive_kg"], out["bags"]) = (json!(adhesive), json!(bags)),
        None => (out["screws"], out["plugs"]) = (json!(told.screws), json!(told.screws)),
    }
    Ok(out)
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
