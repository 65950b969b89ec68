//! Laying out joints: long pieces from short stock, and new butts.

use mend_keel_core::grid::Joint;
use mend_keel_core::repair::butts::plan::{self, BUDGET, Run};
use mend_keel_core::repair::scarf_run::{self, Job, LEAST_SCARFS};
use serde::Deserialize;
use serde_json::{Value, json};

use super::{ExtJoint, ExtStock, Outcome, butt_rule, named, read};

pub fn scarf_run(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        required: f64,
        scarf_length: f64,
        stock: Vec<ExtStock>,
        #[serde(default)]
        min_piece: Option<f64>,
        #[serde(default)]
        forbidden: Vec<[f64; 2]>,
        #[serde(default)]
        max_pieces: Option<usize>,
    }
    let input: In = read(input)?;
    named("stock", input.stock.iter().map(|s| &s.id))?;
    let answer = scarf_run::make_up(&Job {
        required: input.required,
        scarf_length: input.scarf_length,
        stock: input.stock.iter().map(|s| s.length).collect(),
        min_piece: input.min_piece.unwrap_or(LEAST_SCARFS * input.scarf_length),
        forbidden: input.forbidden,
        max_pieces: input.max_pieces,
    })?;
    Ok(match answer {
        scarf_run::Answer::Found(run) => {
            let piece = |p: &scarf_run::Piece| json!({ "stock": input.stock[p.stock].id, "from": p.from, "to": p.to });
            json!({
                "pieces": run.pieces.iter().map(piece).collect::<Vec<Value>>(), "used": run.used,
                "stock_opened": run.stock_opened, "left": run.stock_opened - run.used,
                "shortest": run.shortest(), "proven": run.proven,
            })
        }
        scarf_run::Answer::Impossible(why) => json!({ "impossible": why }),
    })
}

pub fn butts_plan(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        rule: Value,
        bays: u32,
        fixed: Vec<ExtJoint>,
        runs: Vec<Run>,
    }
    let input: In = read(input)?;
    let rule = butt_rule(input.rule)?;
    let fixed: Vec<Joint> = input.fixed.into_iter().map(Joint::from).collect();
    Ok(match plan::plan(&rule, input.bays, &fixed, &input.runs, BUDGET)? {
        plan::Answer::Found(layout) => json!({
            "joints": layout.joints, "shortest": layout.shortest, "proven": layout.proven, "bound": layout.bound,
        }),
        plan::Answer::Impossible { in_the_way, why } => json!({ "impossible": in_the_way, "why": why }),
    })
}
