//! The yard's open work as the plan asks for it, and the plan as it is kept and read again.

use std::collections::{HashMap, HashSet};

use jiff::civil::{Date, DateTime};
use jiff::{Timestamp, ToSpan, Unit};
use mend_keel_core::seam::work::StepKind;
use mend_keel_core::work::order;
use mend_keel_core::work::plan::{self as core, Block, BlockKind, Gear, Line, Plan, Step, Yard, left};
use mend_keel_core::work::rest::{self, CoatLeft, Rest};
use mend_keel_store::accounts::{self, Role};
use mend_keel_store::planned::{self, Hours};
use mend_keel_store::plans::{self, Coat};
use mend_keel_store::tasks::{self, Task};
use mend_keel_store::{Store, StoreError, boats, fastenings, seams};
use serde::{Deserialize, Serialize};

use super::boat::BoatFile;
use super::finish;
use super::learned::YardRates;
use super::order::{hull, parts};

/// How many days a day lies ahead; `None` for one that is past or none.
pub fn day_number(today: Date, day: &str) -> Option<u32> {
    u32::try_from(days_to(today, day.parse().ok()?)?).ok()
}

/// Days from one day to another; below 0 where it is past.
pub fn days_to(today: Date, day: Date) -> Option<i32> {
    Some(today.until((Unit::Day, day)).ok()?.get_days())
}

/// A yard's hours as the core asks for them, from a day's midnight on.
pub fn yard(hours: &Hours, closed: &[(String, String)], today: Date, now: u32) -> Yard {
    let mut days = [false; 7];
    for (day, mark) in days.iter_mut().zip(hours.days.chars()) {
        *day = mark == '1';
    }
    Yard {
        people: hours.people,
        gear: [hours.clamps, hours.steam_boxes],
        days,
        hours: [hours.from_hour, hours.to_hour],
        closed: closed.iter().filter_map(|(day, _)| day_number(today, day)).collect(),
        first_weekday: today.weekday().to_monday_one_offset().unsigned_abs().into(),
        now,
    }
}

/// All open work, with the names that belong to it.
#[derive(Debug)]
pub struct Open {
    pub lines: Vec<Line>,
    /// Of each line: boat, its name, the part.
    pub of: Vec<(i64, String, String)>,
    /// What each task is called.
    pub what: HashMap<i64, String>,
}

/// Gathers the open tasks of every boat that is here. `hour` gives the number of a day's first hour.
pub async fn open(
    store: &Store,
    now: Timestamp,
    known: &YardRates,
    hour: impl Fn(&str) -> Option<u32>,
) -> Result<Open, StoreError> {
    let days: HashMap<i64, String> = planned::task_days(store).await?.into_iter().collect();
    let mut open = Open { lines: Vec::new(), of: Vec::new(), what: HashMap::new() };
    for boat in boats::list(store).await?.into_iter().filter(|b| !b.archived) {
        let file = BoatFile::load(store, boat.id).await?;
        let parts = parts(&file);
        let waits = order::waits(&parts, hull(&file));
        // Lines of this boat by the part they are of.
        let mut of_part: HashMap<i64, usize> = HashMap::new();
        for decision in &file.decisions {
            let Some(part) = file.part_name(decision.member_id) else { continue };
            let all: Vec<&Task> = file.tasks.iter().filter(|t| t.decision_id == Some(decision.id)).collect();
            if let Some(line) = open.add(&boat, part, &all, now, &days, &hour) {
                of_part.insert(decision.member_id, line);
            }
        }
        for (part, waits) in parts.iter().zip(waits) {
            let Some(line) = of_part.get(&part.id) else { continue };
            open.lines[*line].after = waits.iter().filter_map(|w| of_part.get(&parts[*w].id).copied()).collect();
        }
        for job in &file.jobs {
            let all: Vec<&Task> = file.tasks.iter().filter(|t| t.job_id == Some(job.id)).collect();
            open.add(&boat, job.name.clone(), &all, now, &days, &hour);
        }
        let repairs: Vec<usize> = of_part.into_values().collect();
        let first = open.lines.len();
        let (rest, named) = rest(store, &file, now, &hour).await?;
        for (of, line) in rest::lines(&rest, boat.id, &repairs, first, |op| known.rate(op)) {
            let (name, whats) = named.of(of);
            open.what.extend(line.steps.iter().zip(whats).map(|(s, what)| (s.id, what)));
            open.lines.push(line);
            open.of.push((boat.id, boat.name.clone(), name));
        }
    }
    Ok(open)
}

impl Open {
    /// Adds a line of tasks; gives its place, where any of them is open.
    fn add(
        &mut self,
        boat: &boats::Boat,
        name: String,
        all: &[&Task],
        now: Timestamp,
        days: &HashMap<i64, String>,
        hour: &impl Fn(&str) -> Option<u32>,
    ) -> Option<usize> {
        let steps: Vec<Step> = all.iter().filter(|t| t.done_at.is_none()).map(|t| step(t, days, hour)).collect();
        if steps.is_empty() {
            return None;
        }
        self.what.extend(all.iter().map(|t| (t.id, t.what.clone())));
        let wait = all
            .iter()
            .filter_map(|t| Some(t.wait_after - tasks::minutes_between(t.done_at.as_deref()?, now) / 60.0))
            .fold(0.0, f64::max);
        self.lines.push(Line { after: Vec::new(), begins_after: Vec::new(), steps, wait });
        self.of.push((boat.id, boat.name.clone(), name));
        Some(self.lines.len() - 1)
    }
}

/// What the lines of the rest are called, and each of their steps.
#[derive(Debug, Default)]
pub struct Named {
    seams: Vec<String>,
    /// Of each plan of coats: its name and its coats.
    coats: Vec<(String, Vec<String>)>,
    fastenings: String,
}

impl Named {
    fn of(&self, of: rest::Of) -> (String, Vec<String>) {
        match of {
            rest::Of::Fastenings => ("Fastenings".to_owned(), vec![self.fastenings.clone()]),
            rest::Of::Seams => ("Seams".to_owned(), self.seams.clone()),
            rest::Of::Coats(n) => self.coats.get(n).cloned().unwrap_or_default(),
        }
    }

    /// Everything of the rest in words, with where it is done.
    pub fn all(&self, rest: &Rest, boat: i64) -> Vec<(String, String)> {
        let mut all = Vec::new();
        if rest.crossings > 0 {
            all.push((self.fastenings.clone(), format!("/boats/{boat}/refasten")));
        }
        if rest.to_fill > 0.0 {
            all.push((self.seams.join("; "), format!("/boats/{boat}/seams")));
        }
        for (name, coats) in self.coats.iter().filter(|c| !c.1.is_empty()) {
            all.push((format!("{name}: {} coats, next {}", coats.len(), coats[0]), format!("/boats/{boat}/finish")));
        }
        all
    }
}

/// What is left of a boat in fastenings, seams and coats, and what it is called.
pub async fn rest(
    store: &Store,
    file: &BoatFile,
    now: Timestamp,
    hour: &impl Fn(&str) -> Option<u32>,
) -> Result<(Rest, Named), StoreError> {
    let id = file.boat.id;
    let mut named = Named::default();
    let mut crossings = 0;
    for region in fastenings::regions(store, id).await? {
        let done = fastenings::done(store, region.id).await?.len();
        crossings += region.crossings().saturating_sub(u32::try_from(done).unwrap_or(u32::MAX));
    }
    named.fastenings = format!("{crossings} crossings to refasten");
    let (decided, steps) = (seams::of_boat(store, id).await?, seams::steps(store, id).await?);
    let length = file.boat.shell.length() / 1000.0;
    let (mut to_open, mut to_fill) = (0.0, 0.0);
    for seam in &decided {
        let done: Vec<_> = steps.iter().filter(|s| s.seam_id == seam.id).map(|s| s.kind).collect();
        if done.iter().any(|k| k.is_filling()) {
            continue;
        }
        to_fill += length;
        if !done.contains(&StepKind::Reef) {
            to_open += length;
        }
    }
    if to_open > 0.0 {
        named.seams.push(format!("Open {to_open:.0} m of seams and clean them"));
    }
    named.seams.push(format!("Fill {to_fill:.0} m of seams"));
    let mut coats = Vec::new();
    for plan in plans::of_boat(store, id, "finish").await? {
        let recipe = finish::steps_of(&plan).unwrap_or_default();
        let area = plan.asked["area"].as_f64().unwrap_or(0.0);
        let left: Vec<&Coat> = file.coats.iter().filter(|c| c.plan_id == plan.id && c.done_at.is_none()).collect();
        // Hours from now on count from the beginning of the plan's first day.
        let earliest = |c: &Coat| {
            let at = c.earliest_at.parse::<Timestamp>().ok().filter(|at| *at > now)?;
            let at = at.to_zoned_datetime(jiff::tz::TimeZone::system()).datetime();
            Some(hour(&at.date().to_string())? + at.hour().unsigned_abs() as u32)
        };
        coats.push(
            left.iter()
                .enumerate()
                .map(|(n, c)| CoatLeft {
                    id: c.id,
                    area,
                    recoat: usize::try_from(c.seq).ok().and_then(|seq| recipe.get(seq)).map_or(0.0, |s| s.recoat_min),
                    // Only the first waits for what lies below it; the rest follow one another.
                    earliest: if n == 0 { earliest(c).unwrap_or(0) } else { 0 },
                })
                .collect(),
        );
        named.coats.push((finish::recipe_of(&plan), left.iter().map(|c| c.name.clone()).collect()));
    }
    Ok((Rest { crossings, to_open, to_fill, between: file.boat.construction.between(), coats }, named))
}

fn step(task: &Task, days: &HashMap<i64, String>, hour: &impl Fn(&str) -> Option<u32>) -> Step {
    Step {
        id: task.id,
        operation: task.operation,
        hours: left(task.p50, task.minutes / 60.0),
        wait_after: task.wait_after,
        heavy: task.is_heavy(),
        not_before: days.get(&task.id).and_then(|day| hour(day)).unwrap_or(0),
    }
}

/// Who works in the yard, in the order they came.
pub async fn people(store: &Store) -> Result<Vec<String>, StoreError> {
    let works = |role| matches!(role, Role::Owner | Role::Shipwright);
    let all = accounts::list(store).await?;
    Ok(all.into_iter().filter(|a| works(a.role)).map(|a| a.name).collect())
}

/// A block as it is kept.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Piece {
    /// `t12`, `c12` for a cure, `e3` for an errand: the same in the next plan.
    pub key: String,
    pub boat: Option<i64>,
    pub boat_name: String,
    pub part: String,
    pub what: String,
    pub tasks: Vec<i64>,
    pub from: DateTime,
    pub to: DateTime,
    pub critical: bool,
    pub by: Vec<String>,
    pub gear: Option<Gear>,
}

impl Piece {
    pub fn is_cure(&self) -> bool {
        self.key.starts_with('c')
    }
}

/// A plan as it is kept, in the yard's own time.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Body {
    pub pieces: Vec<Piece>,
    pub finish: Option<DateTime>,
    /// No plan finishes before.
    pub bound: Option<DateTime>,
    pub proven: bool,
    pub even: Option<DateTime>,
    pub rarely_later: Option<DateTime>,
    /// What one more would gain, hours.
    pub gains: Vec<(String, u32)>,
    /// What moved since the plan before: name, from, to.
    pub moved: Vec<(String, DateTime, DateTime)>,
}

/// A launch held against what is planned of her.
#[derive(Debug, Clone, PartialEq)]
pub struct Launching {
    pub boat: i64,
    pub day: Date,
    /// When the last of her planned work and cures ends; `None`: nothing of hers is planned.
    pub ends: Option<DateTime>,
    /// Whole days between that end and the launch: below 0 it ends after it.
    pub days_left: Option<i32>,
}

impl Launching {
    /// Whether her work ends on the day of the launch or after it.
    pub fn is_late(&self) -> bool {
        self.days_left.is_some_and(|days| days <= 0)
    }
}

/// Launches against a plan; what is done of it no longer counts. Each launch with its day.
pub fn launching(body: &Body, launches: &[(i64, Date)], done: &HashSet<i64>) -> Vec<Launching> {
    let open = |p: &&Piece| p.tasks.is_empty() || p.tasks.iter().any(|t| !done.contains(t));
    launches
        .iter()
        .map(|(boat, day)| {
            let hers = body.pieces.iter().filter(|p| p.boat == Some(*boat));
            let ends = hers.filter(open).map(|p| p.to).max();
            let days_left = ends.and_then(|ends| days_to(ends.date(), *day));
            Launching { boat: *boat, day: *day, ends, days_left }
        })
        .collect()
}

/// An hour of a plan as the yard's own time.
fn at(today: Date, hour: u32) -> DateTime {
    today.at(0, 0, 0, 0).saturating_add(i64::from(hour).hours())
}

/// A plan as it is kept. `errands`: boat, its name and what, by number.
pub fn body(
    plan: &Plan,
    open: &Open,
    errands: &[(i64, Option<i64>, String, String)],
    people: &[String],
    today: Date,
    before: Option<&Body>,
) -> Body {
    let name = |n: &usize| people.get(*n).cloned().unwrap_or_else(|| format!("Hand {}", n + 1));
    let piece = |b: &Block| {
        let first = b.tasks.first().copied().unwrap_or_default();
        let (key, boat, boat_name, part, what) = match (b.kind, b.line) {
            (BlockKind::Errand, _) | (_, None) => {
                let errand = errands.get(usize::try_from(first).unwrap_or(usize::MAX));
                let (id, boat, boat_name, what) = errand.cloned().unwrap_or_default();
                (format!("e{id}"), boat, boat_name, String::new(), what)
            }
            (kind, Some(line)) => {
                let (boat, boat_name, part) = open.of[line].clone();
                let told = |id: &i64| open.what.get(id).cloned().unwrap_or_default();
                let what = match kind {
                    BlockKind::Cure => "Cures".to_owned(),
                    _ => b.tasks.iter().map(told).collect::<Vec<_>>().join("; "),
                };
                let mark = if kind == BlockKind::Cure { 'c' } else { 't' };
                (format!("{mark}{first}"), Some(boat), boat_name, part, what)
            }
        };
        Piece {
            key,
            boat,
            boat_name,
            part,
            what,
            tasks: if b.kind == BlockKind::Work { b.tasks.clone() } else { Vec::new() },
            from: at(today, b.from),
            to: at(today, b.to),
            critical: b.critical,
            by: b.by.iter().map(name).collect(),
            gear: b.gear,
        }
    };
    let pieces: Vec<Piece> = plan.blocks.iter().map(piece).collect();
    let moved = before.map_or(Vec::new(), |before| moved(&before.pieces, &pieces));
    Body {
        finish: Some(at(today, plan.finish)),
        bound: Some(at(today, plan.bound)),
        proven: plan.proven,
        even: plan.odds.map(|o| at(today, o.0)),
        rarely_later: plan.odds.map(|o| at(today, o.1)),
        gains: plan.gains.iter().map(|(what, hours)| ((*what).to_owned(), *hours)).collect(),
        moved,
        pieces,
    }
}

/// Work that begins on another day than it did in the plan before.
fn moved(before: &[Piece], now: &[Piece]) -> Vec<(String, DateTime, DateTime)> {
    let was: HashMap<&str, &Piece> = before.iter().map(|p| (p.key.as_str(), p)).collect();
    let mut moved: Vec<_> = now
        .iter()
        .filter(|p| !p.is_cure())
        .filter_map(|p| {
            let was = was.get(p.key.as_str())?;
            (was.from.date() != p.from.date()).then(|| {
                let name = if p.part.is_empty() { p.what.clone() } else { format!("{}: {}", p.part, p.what) };
                (name, was.from, p.from)
            })
        })
        .collect();
    moved.sort_by_key(|m| m.2);
    moved
}

/// How many open tasks a kept plan does not know, and how many it knows that are none any more.
pub fn drift(body: &Body, open: &HashSet<i64>, done: &HashSet<i64>) -> (usize, usize) {
    // What is below 0 is no task: fastenings, seams and coats are kept where they are done.
    let planned: HashSet<i64> =
        body.pieces.iter().flat_map(|p| p.tasks.iter().copied()).filter(|id| *id >= 0).collect();
    let gone = planned.iter().filter(|id| !open.contains(id) && !done.contains(id)).count();
    (open.difference(&planned).count(), gone)
}

/// The plan in force, where one is kept that can be read.
pub async fn kept(store: &Store) -> Result<Option<(planned::Kept, Body)>, StoreError> {
    let Some(kept) = planned::kept(store).await? else { return Ok(None) };
    let body = readable(kept.body.clone());
    Ok(body.map(|body| (kept, body)))
}

/// A kept plan as it was kept. One that this version cannot read is told to whoever runs the program, and asks to be made again.
pub fn readable(body: serde_json::Value) -> Option<Body> {
    match serde_json::from_value(body) {
        Ok(body) => Some(body),
        Err(e) => {
            eprintln!("mend-keel: the plan that was kept cannot be read and is left out, plan again: {e}");
            None
        }
    }
}

/// The core's plan, as far as a few seconds go.
pub fn search(
    open: &Open,
    errands: &[core::Errand],
    yard: &Yard,
    known: &YardRates,
    seconds: f64,
) -> Result<core::Outcome, mend_keel_core::InputError> {
    let begun = std::time::Instant::now();
    let go_on = || begun.elapsed().as_secs_f64() < seconds;
    core::plan(&open.lines, errands, yard, &known.rates, &go_on)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn piece(key: &str, day: i8) -> Piece {
        let from = jiff::civil::date(2026, 11, day).at(8, 0, 0, 0);
        Piece {
            key: key.into(),
            boat: Some(1),
            boat_name: "Sable Plover".into(),
            part: "P6".into(),
            what: "Glue".into(),
            tasks: vec![key[1..].parse().unwrap()],
            from,
            to: from,
            critical: false,
            by: Vec::new(),
            gear: None,
        }
    }

    fn plan(pieces: Vec<Piece>) -> Body {
        Body {
            pieces,
            finish: None,
            bound: None,
            proven: false,
            even: None,
            rarely_later: None,
            gains: Vec::new(),
            moved: Vec::new(),
        }
    }

    #[test]
    fn what_moved_is_told_by_day_and_cures_are_not_told() {
        let before = [piece("t1", 2), piece("t2", 3), piece("c2", 3)];
        let now = [piece("t1", 2), piece("t2", 5), piece("c2", 5), piece("t9", 4)];
        let told = moved(&before, &now);
        assert_eq!(told.len(), 1);
        assert_eq!((told[0].1.day(), told[0].2.day()), (3, 5));
    }

    #[test]
    fn a_plan_that_knows_too_little_or_too_much_says_how_much() {
        let body = plan(vec![piece("t1", 2), piece("t2", 3), piece("t3", 3)]);
        let (open, done) = (HashSet::from([1, 7, 8]), HashSet::from([2]));
        assert_eq!(drift(&body, &open, &done), (2, 1), "7 and 8 are new, 3 was dropped, 2 is done");
    }

    #[test]
    fn a_launch_is_held_against_the_last_of_what_is_still_to_be_done_of_her() {
        let mut cure = piece("c3", 9);
        cure.to = jiff::civil::date(2026, 11, 11).at(9, 0, 0, 0);
        let other = Piece { boat: Some(2), ..piece("t8", 20) };
        let body = plan(vec![piece("t1", 2), cure, other, piece("t4", 25)]);
        let day = |d: i8| jiff::civil::date(2026, 11, d);
        let held = |launches: &[(i64, Date)], done: &[i64]| launching(&body, launches, &done.iter().copied().collect());
        let one = |d: i8, done: &[i64]| held(&[(1, day(d))], done)[0].clone();
        // By hand: the cure ends on the 11th once the work of the 25th is done.
        assert_eq!((one(14, &[4]).days_left, one(14, &[4]).is_late()), (Some(3), false));
        assert_eq!((one(11, &[4]).days_left, one(11, &[4]).is_late()), (Some(0), true), "on the very day it cures yet");
        assert_eq!((one(9, &[4]).days_left, one(9, &[4]).is_late()), (Some(-2), true));
        assert_eq!(one(26, &[]).days_left, Some(1), "what is planned last counts as long as it is not done");
        let nothing = held(&[(7, day(30))], &[]);
        assert_eq!((nothing[0].ends, nothing[0].is_late()), (None, false), "nothing planned is nothing late");
        assert_eq!(held(&[(2, day(21)), (1, day(30))], &[]).iter().map(|l| l.boat).collect::<Vec<_>>(), [2, 1]);
        assert!(held(&[], &[]).is_empty());
    }

    #[test]
    fn closed_days_and_weekdays_are_counted_from_today() {
        let today = jiff::civil::date(2026, 11, 26);
        let closed = [("2026-11-27".to_owned(), String::new()), ("2026-11-20".to_owned(), String::new())];
        let yard = yard(&Hours { days: "1010100".into(), ..Hours::default() }, &closed, today, 14);
        assert_eq!((yard.first_weekday, yard.closed.as_slice(), yard.now), (4, &[1][..], 14));
        assert_eq!(yard.days, [true, false, true, false, true, false, false]);
        assert_eq!(at(today, 30).to_string(), "2026-11-27T06:00:00");
    }
}
