//! Work: hours as a yard has learned them.

use std::collections::BTreeMap;

use mend_keel_core::InputError;
use mend_keel_core::work::estimate::{self, Learned, Logged, Part};
use serde::Deserialize;
use serde_json::{Value, json};

use super::{Outcome, read};

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ExtLogged {
    amount: f64,
    hours: f64,
}

fn logged(jobs: &[ExtLogged]) -> Vec<Logged> {
    jobs.iter().map(|j| Logged { amount: j.amount, hours: j.hours }).collect()
}

pub fn estimate_tool(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        table: f64,
        logged: Vec<ExtLogged>,
        amount: f64,
        #[serde(default)]
        first_of_kind: bool,
    }
    let input: In = read(input)?;
    let learned = Learned::from(input.table, &logged(&input.logged))?;
    let hours = learned.hours(input.amount, input.first_of_kind)?;
    if !hours.p80.is_finite() || !learned.rate().is_finite() {
        return Err(InputError::new("logged", "hours so far apart say nothing: look at what was booked"));
    }
    Ok(json!({ "p50": hours.p50, "p80": hours.p80, "rate": learned.rate() }))
}

pub fn estimate_job(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct ExtTask {
        operation: String,
        amount: f64,
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct ExtOperation {
        table: f64,
        logged: Vec<ExtLogged>,
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        tasks: Vec<ExtTask>,
        operations: BTreeMap<String, ExtOperation>,
        #[serde(default = "usual_seed")]
        seed: u64,
    }
    fn usual_seed() -> u64 {
        2026
    }
    let input: In = read(input)?;
    let codes: Vec<&str> = input.operations.keys().map(String::as_str).collect();
    let learned = input
        .operations
        .iter()
        .map(|(code, o)| {
            Learned::from(o.table, &logged(&o.logged)).map_err(|e| e.within(&format!("operations.{code}")))
        })
        .collect::<Result<Vec<_>, _>>()?;
    let parts = input.tasks.iter().enumerate().map(|(i, t)| {
        let operation = codes.iter().position(|c| *c == t.operation).ok_or_else(|| {
            InputError::new(format!("tasks[{i}].operation"), format!("there is no operation “{}”", t.operation))
        })?;
        Ok(Part { operation, amount: t.amount })
    });
    let hours = estimate::job(&parts.collect::<Result<Vec<_>, InputError>>()?, &learned, input.seed)?;
    if !hours.p80.is_finite() {
        return Err(InputError::new("operations", "hours so far apart say nothing: look at what was booked"));
    }
    Ok(json!({ "p50": hours.p50, "p80": hours.p80 }))
}
