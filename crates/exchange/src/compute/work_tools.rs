//! Work: hours as a yard has learned them, and the schedule.

use std::collections::BTreeMap;
use std::time::{Duration, Instant};

use mend_keel_core::InputError;
use mend_keel_core::work::estimate::{self, Learned, Logged, Part};
use mend_keel_core::work::schedule::{self, After, Answer, Job, Task};
use serde::Deserialize;
use serde_json::{Value, json};

use super::{Outcome, read, stand_once};

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

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ExtAfter {
    task: String,
    #[serde(default)]
    min: u32,
    max: Option<u32>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ExtScheduled {
    id: String,
    hours: u32,
    #[serde(default)]
    people: u32,
    #[serde(default)]
    gear: BTreeMap<String, u32>,
    #[serde(default)]
    after: Vec<ExtAfter>,
    #[serde(default)]
    earliest: u32,
    latest_end: Option<u32>,
    at: Option<u32>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ScheduleIn {
    tasks: Vec<ExtScheduled>,
    people: u32,
    #[serde(default)]
    gear: BTreeMap<String, u32>,
    open: Option<Vec<[u32; 2]>>,
    seconds: Option<f64>,
}

/// A task of the contract, its names as places in the lists.
fn scheduled(i: usize, task: &ExtScheduled, ids: &[String], kinds: &[&String]) -> Result<Task, InputError> {
    let gear = task.gear.iter().map(|(kind, n)| {
        let at = kinds.iter().position(|k| *k == kind);
        let told = || InputError::new(format!("tasks[{i}].gear.{kind}"), "there is none of that kind");
        Ok((at.ok_or_else(told)?, *n))
    });
    let after = task.after.iter().enumerate().map(|(k, a)| {
        let at = ids.iter().position(|id| *id == a.task);
        let told = || InputError::new(format!("tasks[{i}].after[{k}].task"), format!("there is no task “{}”", a.task));
        Ok(After { task: at.ok_or_else(told)?, min: a.min, max: a.max })
    });
    Ok(Task {
        hours: task.hours,
        people: task.people,
        gear: gear.collect::<Result<_, InputError>>()?,
        after: after.collect::<Result<_, InputError>>()?,
        earliest: task.earliest,
        latest_end: task.latest_end,
        at: task.at,
    })
}

pub fn schedule_tool(input: Value) -> Outcome {
    let input: ScheduleIn = read(input)?;
    let seconds = input.seconds.unwrap_or(5.0);
    if !(seconds > 0.0 && seconds <= 3_600.0) {
        return Err(InputError::new("seconds", format!("must be greater than 0 and at most 3600, was {seconds}")));
    }
    let ids: Vec<String> = input.tasks.iter().map(|t| t.id.clone()).collect();
    stand_once("tasks", ids.iter())?;
    let kinds: Vec<&String> = input.gear.keys().collect();
    let tasks = input.tasks.iter().enumerate().map(|(i, t)| scheduled(i, t, &ids, &kinds));
    let job = Job {
        tasks: tasks.collect::<Result<_, InputError>>()?,
        people: input.people,
        gear: input.gear.values().copied().collect(),
        open: input.open,
    };
    let (begun, limit) = (Instant::now(), Duration::from_secs_f64(seconds));
    let name = |i: &usize| ids[*i].clone();
    Ok(match schedule::plan(&job, &|| begun.elapsed() < limit)? {
        Answer::Plan(plan) => json!({
            "starts": plan.times.iter().enumerate()
                .map(|(i, (start, end))| json!({ "task": ids[i], "start": start, "end": end })).collect::<Vec<_>>(),
            "finish": plan.finish, "bound": plan.bound, "proven": plan.proven,
            "critical": plan.critical.iter().map(name).collect::<Vec<_>>(),
        }),
        Answer::Impossible { why, tasks } => {
            let tasks: Vec<String> = tasks.iter().map(name).collect();
            json!({ "impossible": format!("{}: {why}", tasks.join(", ")), "tasks": tasks })
        }
    })
}
