//! The yard's plan: open tasks of all boats as blocks of work and cures, on the yard's hours, people and gear; what each
//! person does when; and the finish as it may turn out (handbook 08, the plan that is asked for).

use std::collections::BTreeMap;

use super::estimate::{Learned, Operation};
use super::schedule::{self, After, Answer, GoOn, Job, Task};
use crate::chance::Chance;
use crate::choice::choices;
use crate::error::{self, InputError};

choices! {
    /// Gear there are only so many of.
    Gear {
        Clamps = "clamps", "Clamp set";
        SteamBox = "steam_box", "Steam box";
    }
}

impl Operation {
    /// What of it is taken while it is done, and while it cures.
    pub fn gear(self) -> Option<Gear> {
        match self {
            Self::Glue => Some(Gear::Clamps),
            Self::Bend => Some(Gear::SteamBox),
            _ => None,
        }
    }

    /// The weather it asks for where she lies outside.
    pub fn weather(self) -> Option<&'static str> {
        match self {
            Self::Glue | Self::Lap => Some("dry, and warm enough for the glue"),
            Self::Caulk => Some("dry seams"),
            Self::Seal | Self::Coat => Some("dry, no dew before it is dry"),
            _ => None,
        }
    }
}

/// A task still to be done.
#[derive(Debug, Clone, PartialEq)]
pub struct Step {
    pub id: i64,
    pub operation: Operation,
    /// Hours left at even odds.
    pub hours: f64,
    /// Hours nothing of its line may follow.
    pub wait_after: f64,
    /// It takes two people.
    pub heavy: bool,
    /// It is not begun before this hour: somebody set it so, or its timber comes then.
    pub not_before: u32,
}

/// The tasks of one decision, in their order.
#[derive(Debug, Clone, PartialEq)]
pub struct Line {
    /// Lines that must be closed, glued or fastened, before its wood is cut out ([`super::order::waits`]).
    pub after: Vec<usize>,
    /// Lines that must be done altogether, cures and all, before anything of it begins.
    pub begins_after: Vec<usize>,
    pub steps: Vec<Step>,
    /// Hours still to wait before the first: a cure that runs.
    pub wait: f64,
}

/// Something else that is to be done: an errand, a visit, a crane.
#[derive(Debug, Clone, PartialEq)]
pub struct Errand {
    pub hours: f64,
    pub people: u32,
    /// The hour it must begin in; otherwise not before `earliest`.
    pub at: Option<u32>,
    pub earliest: u32,
}

/// What the yard has. Days and hours count from midnight of the first day.
#[derive(Debug, Clone, PartialEq)]
pub struct Yard {
    pub people: u32,
    /// How many there are of each of [`Gear`].
    pub gear: [u32; 2],
    /// Which days of the week are worked, Monday first.
    pub days: [bool; 7],
    /// Clock hours of a day: from, to.
    pub hours: [u32; 2],
    /// Days on which nobody works, by number.
    pub closed: Vec<u32>,
    /// Of the first day: 1 Monday … 7.
    pub first_weekday: u32,
    /// Nothing begins before this hour.
    pub now: u32,
}

/// Tasks done in one go, or the cure after them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Block {
    /// Of the lines; `None` for an errand.
    pub line: Option<usize>,
    /// Ids of its tasks, or the errand's number.
    pub tasks: Vec<i64>,
    pub kind: BlockKind,
    pub people: u32,
    pub gear: Option<Gear>,
    /// Clock hours from the first day's midnight.
    pub from: u32,
    pub to: u32,
    /// It lies on a longest chain: later, and all is later.
    pub critical: bool,
    /// Which of the people, counted from 0.
    pub by: Vec<usize>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BlockKind {
    Work,
    /// Glue or compound cures: gear is held, nobody is needed.
    Cure,
    Errand,
}

/// A plan of the yard.
#[derive(Debug, Clone, PartialEq)]
pub struct Plan {
    pub blocks: Vec<Block>,
    pub finish: u32,
    /// No plan finishes earlier.
    pub bound: u32,
    pub proven: bool,
    /// Finish in half and in four of five of the futures.
    pub odds: Option<(u32, u32)>,
    /// What one more would gain, hours of the finish: `people`, or gear.
    pub gains: Vec<(&'static str, u32)>,
}

/// A plan, or why there is none, with the ids of the tasks that make it so.
#[derive(Debug, Clone, PartialEq)]
pub enum Outcome {
    Plan(Plan),
    Impossible { why: &'static str, tasks: Vec<i64> },
}

/// Most steps and errands of a plan.
pub const MOST: usize = 1_500;
/// Futures looked at for the odds.
const FUTURES: u32 = 200;

/// A block before it has times.
struct Raw {
    line: Option<usize>,
    tasks: Vec<i64>,
    kind: BlockKind,
    hours: Vec<(Operation, f64)>,
    people: u32,
    gear: Option<Gear>,
    after: Vec<After>,
    earliest: u32,
    at: Option<u32>,
    /// Work is held only by the yard's hours.
    fixed: Option<u32>,
}

impl Raw {
    fn planned(&self) -> u32 {
        self.fixed.unwrap_or_else(|| whole(self.hours.iter().map(|(_, h)| h).sum()))
    }
}

/// Hours as whole clock hours, one at least where there is any.
fn whole(hours: f64) -> u32 {
    if hours <= 1e-9 { 0 } else { (hours - 1e-6).ceil().clamp(1.0, 1e6) as u32 }
}

/// Errors of a plan's inputs, by field.
fn check(lines: &[Line], errands: &[Errand], yard: &Yard) -> Result<(), InputError> {
    let count = lines.iter().map(|l| l.steps.len()).sum::<usize>() + errands.len();
    if count > MOST {
        return Err(InputError::new("tasks", format!("no more than {MOST} are planned at once")));
    }
    let [from, to] = yard.hours;
    if to > 24 || from >= to {
        return Err(InputError::new("to", "must be after the hour work begins, and no later than 24"));
    }
    if !yard.days.iter().any(|d| *d) {
        return Err(InputError::new("days", "work on one day of the week at least"));
    }
    if yard.people == 0 || yard.people > 200 {
        return Err(InputError::new("people", "must be between 1 and 200"));
    }
    for step in lines.iter().flat_map(|l| &l.steps) {
        error::within("hours", step.hours, 0.0, 10_000.0)?;
        error::within("wait_after", step.wait_after, 0.0, 10_000.0)?;
    }
    for errand in errands {
        error::within("hours", errand.hours, 0.0, 1_000.0)?;
    }
    Ok(())
}

impl Yard {
    /// Whether a day, counted from the first, is worked.
    pub fn works_on(&self, day: u32) -> bool {
        self.days[((self.first_weekday.max(1) - 1 + day) % 7) as usize] && !self.closed.contains(&day)
    }
}

/// Open hours of `days` days.
fn open(yard: &Yard, days: u32) -> Vec<[u32; 2]> {
    (0..days)
        .filter(|day| yard.works_on(*day))
        .map(|day| [24 * day + yard.hours[0], 24 * day + yard.hours[1]])
        .collect()
}

/// Tasks of a line that are done in one go: until something cures, other gear is wanted, or wood comes out.
fn gone_through(line: &Line) -> Vec<Vec<&Step>> {
    let mut out: Vec<Vec<&Step>> = Vec::new();
    for step in &line.steps {
        let goes_on = out.last().and_then(|b| b.last()).is_some_and(|last| {
            last.wait_after <= 0.0
                && last.operation.gear() == step.operation.gear()
                && step.operation != Operation::CutOut
                && step.not_before == 0
        });
        match out.last_mut() {
            Some(block) if goes_on => block.push(step),
            _ => out.push(vec![step]),
        }
    }
    out
}

fn raw(lines: &[Line], errands: &[Errand], yard: &Yard) -> Vec<Raw> {
    let mut blocks: Vec<Raw> = Vec::new();
    let follows = |task: usize, min: u32| After { task, min, max: None };
    // Of each line the block that closes it; and the blocks that cut wood out.
    let (mut closing, mut cutting) = (vec![None; lines.len()], Vec::new());
    // Of each line its first and its last block.
    let mut ends: Vec<Option<(usize, usize)>> = vec![None; lines.len()];
    for (l, line) in lines.iter().enumerate() {
        let begun = blocks.len();
        let mut before: Option<usize> = None;
        for block in gone_through(line) {
            let at = blocks.len();
            let wait = whole(block.last().map_or(0.0, |s| s.wait_after));
            let gear = block[0].operation.gear();
            blocks.push(Raw {
                line: Some(l),
                tasks: block.iter().map(|s| s.id).collect(),
                kind: BlockKind::Work,
                hours: block.iter().map(|s| (s.operation, s.hours)).collect(),
                people: if block.iter().any(|s| s.heavy) { 2.min(yard.people) } else { 1 },
                gear,
                after: before.map(|b| follows(b, 0)).into_iter().collect(),
                earliest: block[0].not_before.max(yard.now + if before.is_none() { whole(line.wait) } else { 0 }),
                at: None,
                fixed: None,
            });
            before = Some(at);
            if block.iter().any(|s| s.operation == Operation::CutOut) {
                cutting.push((l, at));
            }
            if block.iter().any(|s| matches!(s.operation, Operation::Glue | Operation::Fasten)) {
                closing[l] = Some(at);
            }
            if wait > 0 {
                blocks.push(Raw {
                    line: Some(l),
                    tasks: block.last().map(|s| s.id).into_iter().collect(),
                    kind: BlockKind::Cure,
                    hours: Vec::new(),
                    people: 0,
                    gear,
                    after: vec![follows(at, 0)],
                    earliest: 0,
                    at: None,
                    fixed: Some(wait),
                });
                before = Some(at + 1);
            }
        }
        ends[l] = before.map(|last| (begun, last));
    }
    for (l, line) in lines.iter().enumerate() {
        let Some((begins, _)) = ends[l] else { continue };
        let waits = line.begins_after.iter().filter(|other| **other != l).filter_map(|other| *ends.get(*other)?);
        let waits: Vec<After> = waits.map(|(_, last)| follows(last, 0)).collect();
        blocks[begins].after.extend(waits);
    }
    for (l, at) in cutting {
        let waits = lines[l].after.iter().filter_map(|other| *closing.get(*other)?).map(|c| follows(c, 0));
        blocks[at].after.extend(waits);
    }
    let hours_open = open(yard, 4_000);
    let is_open = |from: u32, to: u32| hours_open.iter().any(|[a, b]| *a <= from && to <= *b);
    for (n, errand) in errands.iter().enumerate() {
        let hours = whole(errand.hours);
        // An appointment outside the yard's hours keeps its own.
        let own_time = errand.at.is_some_and(|at| !is_open(at, at + hours));
        blocks.push(Raw {
            line: None,
            tasks: vec![n as i64],
            kind: BlockKind::Errand,
            hours: Vec::new(),
            people: if own_time { 0 } else { errand.people.min(yard.people) },
            gear: None,
            after: Vec::new(),
            earliest: errand.earliest.max(if errand.at.is_some() { 0 } else { yard.now }),
            at: errand.at,
            fixed: Some(hours),
        });
    }
    blocks
}

/// The blocks as a job, each lasting what `hours` says.
fn job(raw: &[Raw], yard: &Yard, mut hours: impl FnMut(&Raw) -> u32) -> Job {
    let tasks: Vec<Task> = raw
        .iter()
        .map(|b| Task {
            hours: hours(b),
            people: b.people,
            gear: b.gear.map(|g| (g as usize, 1)).into_iter().collect(),
            after: b.after.clone(),
            earliest: b.earliest,
            latest_end: None,
            at: b.at,
        })
        .collect();
    // Days enough for everything one after another, by one person, with every wait.
    let a_day = yard.hours[1] - yard.hours[0];
    let worked: u32 = tasks.iter().filter(|t| t.people > 0).map(|t| t.hours).sum();
    let waited: u32 = tasks.iter().filter(|t| t.people == 0).map(|t| t.hours).sum();
    let from = raw.iter().map(|b| b.earliest.max(b.at.unwrap_or(0))).max().unwrap_or(0);
    let a_week = yard.days.iter().filter(|d| **d).count() as u32;
    let days = (worked / a_day + tasks.len() as u32 + 1) * 7 / a_week.max(1) + (waited + from) / 24;
    let days = (days + yard.closed.len() as u32 + 21).min(8_000);
    Job { tasks, people: yard.people, gear: yard.gear.to_vec(), open: Some(open(yard, days)) }
}

/// Plans all open work of the yard. `go_on` is asked now and then whether there is time.
///
/// `rates` are what the yard has learned of each operation, for the odds; without them none are said. Errors name
/// `tasks`, `to`, `days`, `people` or `hours`. Source: handbook 08.
pub fn plan(
    lines: &[Line],
    errands: &[Errand],
    yard: &Yard,
    rates: &BTreeMap<Operation, Learned>,
    go_on: GoOn<'_>,
) -> Result<Outcome, InputError> {
    check(lines, errands, yard)?;
    let raw = raw(lines, errands, yard);
    if raw.is_empty() {
        let (finish, bound, proven) = (0, 0, true);
        return Ok(Outcome::Plan(Plan { blocks: Vec::new(), finish, bound, proven, odds: None, gains: Vec::new() }));
    }
    let planned = job(&raw, yard, Raw::planned);
    let found = match schedule::plan(&planned, go_on)? {
        Answer::Plan(found) => found,
        Answer::Impossible { why, tasks } => {
            let ids = tasks.iter().flat_map(|t| raw[*t].tasks.iter().copied()).collect();
            return Ok(Outcome::Impossible { why, tasks: ids });
        }
    };
    let by = persons(&raw, &found.times, yard.people as usize);
    let blocks = raw
        .iter()
        .zip(&found.times)
        .zip(by)
        .enumerate()
        .map(|(i, ((b, (from, to)), by))| Block {
            line: b.line,
            tasks: b.tasks.clone(),
            kind: b.kind,
            people: b.people,
            gear: b.gear,
            from: *from,
            to: *to,
            critical: found.critical.contains(&i),
            by,
        })
        .collect();
    Ok(Outcome::Plan(Plan {
        odds: odds(&raw, yard, rates, &found.times)?,
        gains: gains(&raw, yard, &found)?,
        blocks,
        finish: found.finish,
        bound: found.bound,
        proven: found.proven,
    }))
}

/// Who does which block: whoever did the one before of the same line where they are free, the first that is free otherwise.
fn persons(raw: &[Raw], times: &[(u32, u32)], people: usize) -> Vec<Vec<usize>> {
    let mut order: Vec<usize> = (0..raw.len()).filter(|i| raw[*i].people > 0 && times[*i].1 > times[*i].0).collect();
    order.sort_by_key(|i| times[*i]);
    let mut free = vec![0u32; people];
    let mut last: BTreeMap<usize, usize> = BTreeMap::new();
    let mut by = vec![Vec::new(); raw.len()];
    for i in order {
        let mut fit: Vec<usize> = (0..people).filter(|p| free[*p] <= times[i].0).collect();
        let before = raw[i].line.and_then(|l| last.get(&l).copied());
        fit.sort_by_key(|p| (Some(*p) != before, *p));
        fit.truncate(raw[i].people as usize);
        for p in &fit {
            free[*p] = times[i].1;
        }
        if let (Some(line), Some(first)) = (raw[i].line, fit.first()) {
            last.insert(line, *first);
        }
        by[i] = fit;
    }
    by
}

/// The finish in half and in four of five futures: what is not known of an operation is common to all its tasks, what
/// scatters is each task's own.
fn odds(
    raw: &[Raw],
    yard: &Yard,
    rates: &BTreeMap<Operation, Learned>,
    times: &[(u32, u32)],
) -> Result<Option<(u32, u32)>, InputError> {
    if rates.is_empty() || raw.is_empty() {
        return Ok(None);
    }
    let starts: Vec<u32> = times.iter().map(|t| t.0).collect();
    let mut random = Chance::seeded(8);
    let mut ends = Vec::new();
    for _ in 0..FUTURES {
        let futures: BTreeMap<Operation, (f64, f64)> =
            rates.iter().map(|(op, learned)| (*op, learned.future(&mut random))).collect();
        let changed = job(raw, yard, |b| {
            b.fixed.unwrap_or_else(|| {
                let hours = b.hours.iter().map(|(op, hours)| match futures.get(op) {
                    Some((mean, scatter)) => hours * (mean + scatter * random.normal()).exp(),
                    None => *hours,
                });
                whole(hours.sum::<f64>().min(2_000.0))
            })
        });
        let Some(times) = schedule::redone(&changed, &starts)? else { return Ok(None) };
        ends.push(times.iter().map(|t| t.1).max().unwrap_or(0));
    }
    ends.sort_unstable();
    Ok(Some((ends[ends.len() / 2], ends[ends.len() * 4 / 5])))
}

/// What one more of the people, or of each gear that is wanted at all, would gain in hours.
fn gains(raw: &[Raw], yard: &Yard, found: &schedule::Plan) -> Result<Vec<(&'static str, u32)>, InputError> {
    let mut gains = Vec::new();
    let mut try_with = |name: &'static str, more: Yard| -> Result<(), InputError> {
        let looks = std::cell::Cell::new(0);
        // A few thousand looks: enough to see a gain of a day, not to prove it.
        let go_on = || {
            looks.set(looks.get() + 1);
            looks.get() < 400
        };
        if let Answer::Plan(other) = schedule::plan(&job(raw, &more, Raw::planned), &go_on)? {
            gains.push((name, found.finish.saturating_sub(other.finish)));
        }
        Ok(())
    };
    if found.finish <= found.times.iter().map(|t| t.0).min().unwrap_or(0) {
        return Ok(gains);
    }
    try_with("people", Yard { people: yard.people + 1, ..yard.clone() })?;
    for (k, gear) in Gear::ALL.iter().enumerate() {
        if raw.iter().any(|b| b.gear == Some(*gear)) {
            let mut more = yard.clone();
            more.gear[k] += 1;
            try_with(gear.code(), more)?;
        }
    }
    Ok(gains)
}

/// Hours of a future that were left of a task: what was reckoned less what is booked, a quarter of it at least.
pub fn left(reckoned: f64, booked: f64) -> f64 {
    (reckoned - booked).max(reckoned / 4.0).max(0.0)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn yard() -> Yard {
        Yard {
            people: 2,
            gear: [1, 1],
            days: [true, true, true, true, true, false, false],
            hours: [8, 17],
            closed: Vec::new(),
            first_weekday: 1,
            now: 8,
        }
    }

    fn step(id: i64, operation: Operation, hours: f64, wait_after: f64) -> Step {
        Step { id, operation, hours, wait_after, heavy: false, not_before: 0 }
    }

    /// Cut out, glue (24 h), fasten.
    fn plank(first: i64, after: &[usize]) -> Line {
        let steps = vec![
            step(first, Operation::CutOut, 3.0, 0.0),
            step(first + 1, Operation::Glue, 1.0, 24.0),
            step(first + 2, Operation::Fasten, 2.0, 0.0),
        ];
        Line { begins_after: Vec::new(), after: after.to_vec(), steps, wait: 0.0 }
    }

    fn always() -> bool {
        true
    }

    fn made(lines: &[Line], errands: &[Errand], yard: &Yard) -> Plan {
        match plan(lines, errands, yard, &BTreeMap::new(), &always).unwrap() {
            Outcome::Plan(plan) => plan,
            Outcome::Impossible { why, tasks } => panic!("{why}: {tasks:?}"),
        }
    }

    /// Rules a plan breaks, by code of its own.
    fn breaks(plan: &Plan, yard: &Yard) -> Vec<String> {
        let mut wrong = Vec::new();
        let last = plan.blocks.iter().map(|b| b.to).max().unwrap_or(0);
        for hour in 0..last {
            let day = hour / 24;
            let is_open = yard.days[((yard.first_weekday - 1 + day) % 7) as usize]
                && !yard.closed.contains(&day)
                && (yard.hours[0]..yard.hours[1]).contains(&(hour % 24));
            let on = |b: &&Block| b.from <= hour && hour < b.to;
            let mut busy: Vec<usize> = plan.blocks.iter().filter(on).flat_map(|b| b.by.clone()).collect();
            if is_open && busy.len() > yard.people as usize {
                wrong.push(format!("hour {hour}: {} people", busy.len()));
            }
            busy.sort_unstable();
            if is_open && busy.windows(2).any(|w| w[0] == w[1]) {
                wrong.push(format!("hour {hour}: one person twice"));
            }
            for (k, gear) in Gear::ALL.iter().enumerate() {
                let held = plan.blocks.iter().filter(on).filter(|b| b.gear == Some(*gear)).count();
                if held > yard.gear[k] as usize {
                    wrong.push(format!("hour {hour}: {held} of {}", gear.label()));
                }
            }
        }
        for b in &plan.blocks {
            if b.kind == BlockKind::Work && b.by.len() != b.people as usize {
                wrong.push(format!("{:?} has {} people", b.tasks, b.by.len()));
            }
        }
        wrong
    }

    #[test]
    fn a_plank_is_one_line_of_blocks_with_its_cure_between() {
        let plan = made(&[plank(1, &[])], &[], &yard());
        let told: Vec<_> = plan.blocks.iter().map(|b| (b.kind, b.tasks.clone(), b.from, b.to)).collect();
        // Monday: cut out 8 to 11, glued 11 to 12, clamps on until Tuesday noon, then fastened.
        assert_eq!(
            told,
            [
                (BlockKind::Work, vec![1], 8, 11),
                (BlockKind::Work, vec![2], 11, 12),
                (BlockKind::Cure, vec![2], 12, 36),
                (BlockKind::Work, vec![3], 36, 38),
            ]
        );
        assert!(plan.proven && plan.finish == 38);
        assert!(plan.blocks.iter().all(|b| b.critical));
    }

    #[test]
    fn one_set_of_clamps_makes_the_second_plank_wait_and_a_second_one_gains_that() {
        let lines = [plank(1, &[]), plank(11, &[])];
        let plan = made(&lines, &[], &yard());
        assert_eq!(breaks(&plan, &yard()), [] as [String; 0]);
        // The second is glued when the clamps are free on Tuesday noon: a day later.
        assert_eq!(plan.finish, 13 + 24 + 24 + 2);
        let gain = |what| plan.gains.iter().find(|g| g.0 == what).map(|g| g.1);
        assert_eq!((gain("clamps"), gain("people")), (Some(plan.finish - 38), Some(0)));
        assert_eq!(gain("steam_box"), None, "nobody asks for steam");
    }

    #[test]
    fn what_begins_after_a_line_waits_for_its_last_cure() {
        let glued = Line { steps: vec![step(1, Operation::Glue, 2.0, 24.0)], ..plank(1, &[]) };
        let seams = Line { begins_after: vec![0], steps: vec![step(2, Operation::Reef, 1.0, 0.0)], ..plank(1, &[]) };
        let Outcome::Plan(plan) = super::plan(&[glued, seams], &[], &yard(), &BTreeMap::new(), &|| true).unwrap()
        else {
            panic!()
        };
        let end = plan.blocks.iter().find(|b| b.kind == BlockKind::Cure).unwrap().to;
        let begins = plan.blocks.iter().find(|b| b.tasks == [2]).unwrap().from;
        assert!(begins >= end, "{begins} {end}");
    }

    #[test]
    fn what_may_not_be_out_together_waits_until_the_other_is_closed() {
        let plan = made(&[plank(1, &[1]), plank(11, &[])], &[], &yard());
        let of = |id| plan.blocks.iter().find(|b| b.kind == BlockKind::Work && b.tasks.contains(&id)).unwrap();
        assert!(of(1).from >= of(13).to, "cut out after the other is fastened");
        assert_eq!(breaks(&plan, &yard()), [] as [String; 0]);
        // One that waits for nobody is done beside it.
        let free = made(&[plank(1, &[]), plank(11, &[])], &[], &Yard { gear: [2, 1], ..yard() });
        assert_eq!(free.finish, 38);
        // What it waits for has nothing left to close: it waits for nothing.
        let fair = Line { steps: vec![step(7, Operation::Fair, 1.0, 0.0)], ..plank(1, &[]) };
        assert_eq!(made(&[plank(11, &[1]), fair], &[], &yard()).finish, 38);
    }

    #[test]
    fn nobody_works_on_closed_days_and_an_appointment_keeps_its_hour() {
        let closed = Yard { closed: vec![0, 1], ..yard() };
        let plan = made(&[plank(1, &[])], &[], &closed);
        assert!(plan.blocks.iter().all(|b| b.from >= 48));
        // The crane on Saturday at ten takes nobody's working hours; the visitor on Monday at nine takes one person.
        let crane = Errand { hours: 2.0, people: 2, at: Some(24 * 5 + 10), earliest: 0 };
        let visitor = Errand { hours: 1.0, people: 1, at: Some(9), earliest: 0 };
        let one = Yard { people: 1, ..yard() };
        let plan = made(&[plank(1, &[])], &[crane, visitor], &one);
        let at = |n| plan.blocks.iter().find(|b| b.kind == BlockKind::Errand && b.tasks == [n]).unwrap();
        assert_eq!(((at(0).from, at(0).people), (at(1).from, at(1).people)), ((130, 0), (9, 1)));
        assert_eq!(breaks(&plan, &one), [] as [String; 0]);
    }

    #[test]
    fn a_cure_that_runs_is_waited_for_and_booked_hours_count() {
        let line = Line { wait: 30.0, steps: vec![step(5, Operation::Fair, 2.0, 0.0)], ..plank(1, &[]) };
        let plan = made(&[line], &[], &yard());
        assert_eq!(plan.blocks[0].from, 38, "30 h after eight on Monday");
        assert_eq!((left(4.0, 1.0), left(4.0, 9.0), left(0.0, 1.0)), (3.0, 1.0, 0.0));
    }

    #[test]
    fn odds_come_from_what_was_learned_and_an_even_finish_is_not_before_half_the_plan() {
        let rates: BTreeMap<Operation, Learned> =
            Operation::ALL.iter().map(|op| (*op, Learned::from(op.rate().0, &[]).unwrap())).collect();
        let lines = [plank(1, &[]), plank(11, &[]), plank(21, &[])];
        let Outcome::Plan(plan) = plan(&lines, &[], &yard(), &rates, &always).unwrap() else { panic!() };
        let (even, rarely) = plan.odds.unwrap();
        assert!(
            even <= rarely && even + 48 >= plan.finish && rarely <= plan.finish + 24 * 7,
            "{even} {rarely} {}",
            plan.finish
        );
    }

    #[test]
    fn a_task_set_to_a_day_is_not_begun_before_it_and_what_is_before_it_is_not_held() {
        let mut line = plank(1, &[]);
        line.steps[2].not_before = 24 * 3 + 8;
        let plan = made(&[line], &[], &yard());
        assert_eq!(plan.blocks.iter().map(|b| b.from).collect::<Vec<_>>(), [8, 11, 12, 80]);
    }

    #[test]
    fn nothing_to_do_is_a_plan_and_a_yard_without_people_is_none() {
        assert_eq!(made(&[], &[], &yard()).finish, 0);
        let fault = |yard: Yard| plan(&[plank(1, &[])], &[], &yard, &BTreeMap::new(), &always).unwrap_err().field;
        assert_eq!(fault(Yard { people: 0, ..yard() }), "people");
        assert_eq!(fault(Yard { days: [false; 7], ..yard() }), "days");
        assert_eq!(fault(Yard { hours: [17, 8], ..yard() }), "to");
        let glued = plan(&[plank(1, &[])], &[], &Yard { gear: [0, 0], ..yard() }, &BTreeMap::new(), &always).unwrap();
        assert!(matches!(glued, Outcome::Impossible { tasks, .. } if tasks == [2]));
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(40))]
        #[test]
        fn no_plan_breaks_a_rule(shapes in prop::collection::vec((0..3u32, 1..9u32, 0..40u32), 1..7), people in 1..4u32, clamps in 1..3u32) {
            let lines: Vec<Line> = shapes.iter().enumerate().map(|(i, (back, hours, wait))| {
                let after: Vec<usize> = i.checked_sub(*back as usize + 1).into_iter().collect();
                let mut line = plank(10 * i as i64, &after);
                line.steps[0].hours = f64::from(*hours);
                line.steps[0].heavy = hours % 3 == 0;
                line.steps[1].wait_after = f64::from(*wait);
                line
            }).collect();
            let yard = Yard { people, gear: [clamps, 1], ..yard() };
            let short = std::cell::Cell::new(0);
            let go_on = || { short.set(short.get() + 1); short.get() < 200 };
            let Outcome::Plan(plan) = plan(&lines, &[], &yard, &BTreeMap::new(), &go_on).unwrap() else { panic!() };
            prop_assert_eq!(breaks(&plan, &yard), [] as [String; 0]);
            prop_assert!(plan.bound <= plan.finish);
        }
    }
}
