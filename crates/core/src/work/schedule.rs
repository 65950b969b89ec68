//! The schedule: people, gear, opening hours and cures, the earliest finish, and what nobody can finish before.
//!
//! A plan is built task by task where it fits first, in many orders; then all plans are searched through, those that
//! cannot be better cut off by what the tasks left over need, until none is left or the time is over.

use std::collections::HashSet;

use crate::chance::Chance;
use crate::error::InputError;

/// Goes on while it says so.
pub type GoOn<'g> = &'g dyn Fn() -> bool;

/// What must be before a task, with the hours between its end and this one's start.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct After {
    pub task: usize,
    pub min: u32,
    pub max: Option<u32>,
}

/// Something that is done, or that lasts by itself (no people).
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Task {
    pub hours: u32,
    pub people: u32,
    /// Kind of gear and how many of it.
    pub gear: Vec<(usize, u32)>,
    pub after: Vec<After>,
    pub earliest: u32,
    pub latest_end: Option<u32>,
    /// It must start then.
    pub at: Option<u32>,
}

/// All there is to plan.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Job {
    pub tasks: Vec<Task>,
    pub people: u32,
    /// How many there are of each kind.
    pub gear: Vec<u32>,
    /// Clock hours in which people work; always where it is not said.
    pub open: Option<Vec<[u32; 2]>>,
}

/// A plan: start and end of every task.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Plan {
    pub times: Vec<(u32, u32)>,
    pub finish: u32,
    /// No plan finishes earlier.
    pub bound: u32,
    pub proven: bool,
    /// Tasks of one longest chain, in order.
    pub critical: Vec<usize>,
}

/// A plan, or why there is none and which tasks make it so.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Answer {
    Plan(Plan),
    Impossible { why: &'static str, tasks: Vec<usize> },
}

/// Most tasks, kinds of gear, and clock hours.
const MOST: (usize, usize, u32) = (2_000, 50, 200_000);
/// How often the clock is looked at while one hour is shown to be too early.
const LOOKS: u32 = 1_500;
/// Tasks up to which every plan is searched through.
const SEARCHED: usize = 80;

/// Hours people work in, and how a task lies in them.
struct Clock {
    /// Open hours in order; `None`: all of them.
    open: Option<Vec<u32>>,
    horizon: u32,
}

impl Clock {
    fn new(job: &Job) -> Result<Self, InputError> {
        let mut needed: u64 = job.tasks.iter().map(|t| u64::from(t.hours)).sum();
        needed += job.tasks.iter().flat_map(|t| &t.after).map(|a| u64::from(a.min)).sum::<u64>();
        needed += u64::from(job.tasks.iter().map(|t| t.earliest.max(t.at.unwrap_or(0))).max().unwrap_or(0));
        let open = job.open.as_ref().map(|spans| {
            let mut hours: Vec<u32> = spans.iter().flat_map(|[from, to]| *from..*to).collect();
            hours.sort_unstable();
            hours.dedup();
            hours
        });
        needed += open.as_ref().and_then(|o| o.last()).map_or(0, |last| u64::from(*last) + 1);
        match u32::try_from(needed + 1) {
            Ok(horizon) if horizon <= MOST.2 => Ok(Self { open, horizon }),
            _ => Err(InputError::new("tasks", format!("reach beyond {} hours", MOST.2))),
        }
    }

    fn keeps_hours(&self, task: &Task) -> bool {
        self.open.is_some() && task.people > 0 && task.hours > 0
    }

    /// The first hour from `s` on in which a task can start, and the hour after its last; `None` past the last opening.
    fn fit(&self, task: &Task, s: u32) -> Option<(u32, u32)> {
        match &self.open {
            Some(open) if self.keeps_hours(task) => {
                let at = open.partition_point(|h| *h < s);
                let last = open.get(at + task.hours as usize - 1)?;
                Some((open[at], last + 1))
            }
            _ => Some((s, s + task.hours)),
        }
    }

    /// The latest start with the end no later than `end`; `None` where there is none.
    fn latest(&self, task: &Task, end: u32) -> Option<u32> {
        match &self.open {
            Some(open) if self.keeps_hours(task) => {
                let before = open.partition_point(|h| *h < end);
                open.get(before.checked_sub(task.hours as usize)?).copied()
            }
            _ => end.checked_sub(task.hours),
        }
    }

    /// The earliest start whose end is no earlier than `end`.
    fn ending(&self, task: &Task, end: u32) -> u32 {
        match &self.open {
            Some(open) if self.keeps_hours(task) => {
                let last = open.partition_point(|h| h + 1 < end);
                open.get(last.saturating_sub(task.hours as usize - 1)).copied().unwrap_or(self.horizon)
            }
            _ => end.saturating_sub(task.hours),
        }
    }

    /// Hours of `from..to` in which people work.
    fn hours_between(&self, from: u32, to: u32) -> u32 {
        match &self.open {
            Some(open) => {
                let before = |hour: u32| open.partition_point(|h| *h < hour);
                u32::try_from(before(to).saturating_sub(before(from))).unwrap_or(u32::MAX)
            }
            None => to.saturating_sub(from),
        }
    }

    /// Hours of `from..to` in which a task's people are at it.
    fn worked<'c>(&'c self, task: &'c Task, from: u32, to: u32) -> impl Iterator<Item = u32> + 'c {
        let shut = self.keeps_hours(task);
        (from..to).filter(move |h| !shut || self.open.as_ref().is_some_and(|o| o.binary_search(h).is_ok()))
    }
}

/// What is taken in each hour.
#[derive(Clone)]
struct Load {
    people: Vec<u32>,
    gear: Vec<Vec<u32>>,
}

impl Load {
    fn new(job: &Job, horizon: u32) -> Self {
        let hours = vec![0; horizon as usize + 1];
        Self { people: hours.clone(), gear: vec![hours; job.gear.len()] }
    }

    /// Adds or takes away what a task needs from `from` to `to`.
    fn put(&mut self, clock: &Clock, task: &Task, from: u32, to: u32, back: bool) {
        let change = |slot: &mut u32, n: u32| *slot = if back { *slot - n } else { *slot + n };
        if task.people > 0 {
            clock.worked(task, from, to).for_each(|h| change(&mut self.people[h as usize], task.people));
        }
        for (kind, n) in &task.gear {
            (from..to).for_each(|h| change(&mut self.gear[*kind][h as usize], *n));
        }
    }

    /// The first hour of `from..to` in which there is not enough left for a task.
    fn short(&self, job: &Job, clock: &Clock, task: &Task, from: u32, to: u32) -> Option<u32> {
        let people = (task.people > 0)
            .then(|| clock.worked(task, from, to).find(|h| self.people[*h as usize] + task.people > job.people))
            .flatten();
        let gear = task
            .gear
            .iter()
            .filter_map(|(kind, n)| (from..to).find(|h| self.gear[*kind][*h as usize] + n > job.gear[*kind]));
        people.into_iter().chain(gear).min()
    }
}

/// Earliest and latest start of every task.
#[derive(Clone)]
struct Windows {
    est: Vec<u32>,
    lst: Vec<u32>,
}

/// Everything that stays the same.
struct Field<'j> {
    job: &'j Job,
    clock: Clock,
    /// For each task those that wait for it, with the hours between.
    before: Vec<Vec<(usize, After)>>,
    order: Vec<usize>,
    /// Hours from a task's end that the finish comes no earlier than.
    tail: Vec<u32>,
    /// Tasks that may be better off later than where they fit first: gear is held over the night they would begin
    /// before, or something must follow them soon.
    loose: Vec<bool>,
    has_max: bool,
}

impl<'j> Field<'j> {
    fn new(job: &'j Job, clock: Clock, order: Vec<usize>) -> Self {
        let n = job.tasks.len();
        let mut before: Vec<Vec<(usize, After)>> = vec![Vec::new(); n];
        for (j, task) in job.tasks.iter().enumerate() {
            for a in &task.after {
                before[a.task].push((j, *a));
            }
        }
        let mut tail = vec![0u32; n];
        for &i in order.iter().rev() {
            tail[i] = before[i].iter().map(|(j, a)| a.min + job.tasks[*j].hours + tail[*j]).max().unwrap_or(0);
        }
        let loose = (0..n)
            .map(|i| {
                let held = clock.keeps_hours(&job.tasks[i]) && !job.tasks[i].gear.is_empty();
                held || before[i].iter().any(|(_, a)| a.max.is_some())
            })
            .collect();
        let has_max = before.iter().flatten().any(|(_, a)| a.max.is_some());
        Self { job, clock, before, order, tail, loose, has_max }
    }

    fn end(&self, task: usize, start: u32) -> u32 {
        self.clock.fit(&self.job.tasks[task], start).map_or(self.clock.horizon + 1, |(_, end)| end)
    }

    /// Windows of all tasks for a finish of `by` at the latest; the task whose window closes is the error.
    fn windows(&self, by: u32) -> Result<Windows, usize> {
        let tasks = &self.job.tasks;
        let est = tasks.iter().map(|t| t.at.unwrap_or(t.earliest)).collect();
        let mut lst = Vec::with_capacity(tasks.len());
        for (i, task) in tasks.iter().enumerate() {
            let end = task.latest_end.unwrap_or(by).min(by);
            let latest = self.clock.latest(task, end).ok_or(i)?;
            lst.push(task.at.unwrap_or(latest));
            if task.at.is_some_and(|at| at > latest) {
                return Err(i);
            }
        }
        let mut windows = Windows { est, lst };
        self.narrow(&mut windows)?;
        Ok(windows)
    }

    /// Narrows windows by what must be before and after, until nothing moves.
    fn narrow(&self, w: &mut Windows) -> Result<(), usize> {
        let tasks = &self.job.tasks;
        loop {
            let mut moved = false;
            for &j in &self.order {
                let task = &tasks[j];
                let mut est = w.est[j];
                for a in &task.after {
                    est = est.max(self.end(a.task, w.est[a.task]).saturating_add(a.min));
                }
                let (start, _) = self.clock.fit(task, est).ok_or(j)?;
                if start > w.est[j] {
                    w.est[j] = start;
                    moved = true;
                }
                for a in task.after.iter().filter(|a| a.max.is_some()) {
                    let i = a.task;
                    let late = w.est[j].saturating_sub(a.max.unwrap_or(0));
                    if self.end(i, w.est[i]) < late {
                        let start = self.clock.ending(&tasks[i], late).max(w.est[i]);
                        if start > w.est[i] {
                            w.est[i] = start;
                            moved = true;
                        }
                    }
                    let most = self.end(i, w.lst[i]).saturating_add(a.max.unwrap_or(0));
                    if w.lst[j] > most {
                        w.lst[j] = most;
                        moved = true;
                    }
                }
                if w.est[j] > w.lst[j] {
                    return Err(j);
                }
            }
            for &i in self.order.iter().rev() {
                let mut by = None;
                for (j, a) in &self.before[i] {
                    let end = w.lst[*j].checked_sub(a.min).ok_or(i)?;
                    by = Some(by.map_or(end, |b: u32| b.min(end)));
                }
                if let Some(by) = by {
                    let latest = self.clock.latest(&tasks[i], by).ok_or(i)?;
                    if latest < w.lst[i] {
                        w.lst[i] = latest;
                        moved = true;
                    }
                }
                if w.est[i] > w.lst[i] {
                    return Err(i);
                }
            }
            if !moved {
                return Ok(());
            }
        }
    }

    /// The first start in a window with enough people and gear.
    fn place(&self, load: &Load, task: usize, from: u32, to: u32) -> Option<(u32, u32)> {
        let one = &self.job.tasks[task];
        let mut s = from;
        loop {
            let (start, end) = self.clock.fit(one, s)?;
            if start > to || end > self.clock.horizon {
                return None;
            }
            match load.short(self.job, &self.clock, one, start, end) {
                None => return Some((start, end)),
                Some(hour) => s = hour.max(start) + 1,
            }
        }
    }

    /// A plan task by task, the one of highest rank first among those that can be.
    fn serial(&self, rank: &[u64], windows: &Windows) -> Option<Vec<(u32, u32)>> {
        let tasks = &self.job.tasks;
        let mut held = windows.est.clone();
        // A task that came too early for the one that must follow soon is put later, and all is tried again.
        for _ in 0..if self.has_max { 60 } else { 1 } {
            let mut load = Load::new(self.job, self.clock.horizon);
            let mut times: Vec<Option<(u32, u32)>> = vec![None; tasks.len()];
            for (i, task) in tasks.iter().enumerate().filter(|(_, t)| t.at.is_some()) {
                let at = task.at?;
                let placed = self.place(&load, i, at, at)?;
                load.put(&self.clock, task, placed.0, placed.1, false);
                times[i] = Some(placed);
            }
            let mut late = None;
            while let Some(next) = (0..tasks.len())
                .filter(|i| times[*i].is_none() && tasks[*i].after.iter().all(|a| times[a.task].is_some()))
                .max_by_key(|i| (rank[*i], std::cmp::Reverse(*i)))
            {
                let task = &tasks[next];
                let (mut from, mut to) = (held[next], windows.lst[next].max(held[next]));
                for a in &task.after {
                    let end = times[a.task]?.1;
                    from = from.max(end + a.min);
                    if let Some(max) = a.max {
                        to = to.min(end.saturating_add(max));
                    }
                }
                if let Some(placed) = self.place(&load, next, from, to) {
                    load.put(&self.clock, task, placed.0, placed.1, false);
                    times[next] = Some(placed);
                } else {
                    late = Some((next, self.place(&load, next, from, self.clock.horizon)?.0));
                    break;
                }
            }
            let Some((which, wanted)) = late else { return times.into_iter().collect() };
            let tight = tasks[which].after.iter().filter(|a| a.max.is_some()).collect::<Vec<_>>();
            if tight.is_empty() {
                return None;
            }
            for a in tight {
                let end = wanted.saturating_sub(a.max.unwrap_or(0));
                let later = self.clock.ending(&tasks[a.task], end);
                if later > held[a.task] && tasks[a.task].at.is_none() {
                    held[a.task] = later;
                } else {
                    held[a.task] += u32::from(tasks[a.task].at.is_none());
                }
            }
        }
        None
    }

    /// Whether a plan keeps every rule.
    fn keeps(&self, times: &[(u32, u32)]) -> bool {
        let mut load = Load::new(self.job, self.clock.horizon);
        self.job.tasks.iter().zip(times).all(|(task, (from, to))| {
            let fits = self.clock.fit(task, *from) == Some((*from, *to)) && *to <= self.clock.horizon;
            let timely = *from >= task.earliest
                && task.latest_end.is_none_or(|l| *to <= l)
                && task.at.is_none_or(|at| at == *from)
                && task.after.iter().all(|a| {
                    let end = times[a.task].1;
                    *from >= end + a.min && a.max.is_none_or(|m| *from <= end.saturating_add(m))
                });
            let room = fits && load.short(self.job, &self.clock, task, *from, *to).is_none();
            if room {
                load.put(&self.clock, task, *from, *to, false);
            }
            fits && timely && room
        })
    }

    /// Whether some tasks that must all lie between two hours need more of people or gear than there is between them.
    fn overloaded(&self, w: &Windows) -> bool {
        let tasks = &self.job.tasks;
        let ends: Vec<u32> = (0..tasks.len()).map(|i| self.end(i, w.lst[i])).collect();
        let mut by_end: Vec<usize> = (0..tasks.len()).filter(|i| tasks[*i].hours > 0).collect();
        by_end.sort_by_key(|i| ends[*i]);
        let over = |there: u32, needs: &dyn Fn(usize) -> u32, between: &dyn Fn(u32, u32) -> u32| {
            let of: Vec<usize> = by_end.iter().copied().filter(|i| needs(*i) > 0).collect();
            of.iter().any(|first| {
                let from = w.est[*first];
                let mut taken = 0u64;
                of.iter().filter(|i| w.est[**i] >= from).any(|i| {
                    taken += u64::from(needs(*i)) * u64::from(tasks[*i].hours);
                    taken > u64::from(there) * u64::from(between(from, ends[*i]))
                })
            })
        };
        let people = |i: usize| tasks[i].people;
        if over(self.job.people, &people, &|from, to| self.clock.hours_between(from, to)) {
            return true;
        }
        self.job.gear.iter().enumerate().any(|(kind, there)| {
            let needs = |i: usize| tasks[i].gear.iter().find(|(k, _)| *k == kind).map_or(0, |(_, n)| *n);
            // Gear that people work with is worked with in opening hours only, though it is held over the night.
            let worked = |i: usize| if self.clock.keeps_hours(&tasks[i]) { needs(i) } else { 0 };
            over(*there, &needs, &|from, to| to.saturating_sub(from))
                || over(*there, &worked, &|from, to| self.clock.hours_between(from, to))
        })
    }

    /// No plan finishes earlier: the first hour by which chains of tasks and what they need of people and gear could end.
    fn bound(&self, w: &Windows) -> u32 {
        let chain = (0..w.est.len()).map(|i| self.end(i, w.est[i])).max().unwrap_or(0);
        let could = |by: u32| self.windows(by).is_ok_and(|w| !self.overloaded(&w));
        if could(chain) {
            return chain;
        }
        // What could not end by an hour could not end before it.
        let (mut cannot, mut can) = (chain, self.clock.horizon);
        while cannot + 1 < can {
            let middle = cannot + (can - cannot) / 2;
            if could(middle) { can = middle } else { cannot = middle }
        }
        can
    }

    /// Searches all plans that finish by `by`, and, where `sum` says so, whose starts add up to less. `None`: there is
    /// none; the flag says whether that is certain.
    fn search(&self, by: u32, sum: Option<u64>, go_on: GoOn<'_>) -> (Option<Vec<(u32, u32)>>, bool) {
        let Ok(windows) = self.windows(by) else { return (None, true) };
        let n = self.job.tasks.len();
        let load = Load::new(self.job, self.clock.horizon);
        let mut state = Search {
            field: self,
            load,
            fixed: vec![false; n],
            put_off: vec![None; n],
            sum,
            go_on,
            looked: 0,
            stopped: false,
        };
        let found = state.on(windows);
        (found, !state.stopped)
    }
}

/// A depth-first search: the task that can start first starts then, or is put off until that changes.
struct Search<'s, 'j> {
    field: &'s Field<'j>,
    load: Load,
    fixed: Vec<bool>,
    /// The start a task was put off at.
    put_off: Vec<Option<u32>>,
    sum: Option<u64>,
    go_on: GoOn<'s>,
    looked: u64,
    stopped: bool,
}

impl Search<'_, '_> {
    fn on(&mut self, mut w: Windows) -> Option<Vec<(u32, u32)>> {
        let mut undo: Vec<(usize, Option<u32>)> = Vec::new();
        let mut found = None;
        while let Some(step) = self.step(&mut w) {
            let (next, start) = match step {
                Step::Done => {
                    found = Some((0..w.est.len()).map(|i| (w.est[i], self.field.end(i, w.est[i]))).collect());
                    break;
                }
                Step::Try(next, start) => (next, start),
            };
            let field = self.field;
            let (task, end) = (&field.job.tasks[next], field.end(next, start));
            self.load.put(&field.clock, task, start, end, false);
            self.fixed[next] = true;
            let mut with = w.clone();
            with.lst[next] = start;
            found = if field.narrow(&mut with).is_ok() { self.on(with) } else { None };
            self.fixed[next] = false;
            self.load.put(&field.clock, task, start, end, true);
            if found.is_some() {
                break;
            }
            if field.loose[next] {
                w.est[next] = start + 1;
                if field.narrow(&mut w).is_err() {
                    break;
                }
            } else {
                undo.push((next, self.put_off[next]));
                self.put_off[next] = Some(start);
            }
        }
        for (task, before) in undo.into_iter().rev() {
            self.put_off[task] = before;
        }
        found
    }

    /// Pushes what is not fixed to where it can start, and chooses what to try; `None` where nothing better can come of it.
    fn step(&mut self, w: &mut Windows) -> Option<Step> {
        self.looked += 1;
        crate::patience::look();
        if self.looked.is_multiple_of(64) && !(self.go_on)() {
            self.stopped = true;
        }
        if self.stopped {
            return None;
        }
        let field = self.field;
        let open: Vec<usize> = (0..w.est.len()).filter(|i| !self.fixed[*i]).collect();
        loop {
            let mut moved = false;
            for &i in &open {
                let (start, _) = field.place(&self.load, i, w.est[i], w.lst[i])?;
                moved |= start > w.est[i];
                w.est[i] = start;
            }
            if !moved {
                break;
            }
            field.narrow(w).ok()?;
        }
        if field.overloaded(w) {
            return None;
        }
        if self.sum.is_some_and(|sum| w.est.iter().map(|s| u64::from(*s)).sum::<u64>() >= sum) {
            return None;
        }
        if open.is_empty() {
            return Some(Step::Done);
        }
        // A task put off at a start that did not move is not chosen again.
        let waits = open.into_iter().filter(|i| self.put_off[*i] != Some(w.est[*i]));
        let next = waits.min_by_key(|i| (w.est[*i], w.lst[*i], std::cmp::Reverse(field.tail[*i]), *i))?;
        Some(Step::Try(next, w.est[next]))
    }
}

/// What a search does next.
enum Step {
    /// Everything has its place.
    Done,
    /// This task, at this start.
    Try(usize, u32),
}

fn check(job: &Job) -> Result<(), InputError> {
    if job.tasks.is_empty() || job.tasks.len() > MOST.0 {
        return Err(InputError::new("tasks", format!("needs 1 to {} tasks, got {}", MOST.0, job.tasks.len())));
    }
    if job.gear.len() > MOST.1 {
        return Err(InputError::new("gear", format!("has more than {} kinds", MOST.1)));
    }
    for (i, span) in job.open.iter().flatten().enumerate() {
        if span[0] >= span[1] || span[1] > MOST.2 {
            return Err(InputError::new(
                format!("open[{i}]"),
                format!("must be an hour and a later one, up to {}", MOST.2),
            ));
        }
    }
    for (i, task) in job.tasks.iter().enumerate() {
        let at = |name: &str| format!("tasks[{i}].{name}");
        for (name, hours) in [
            ("hours", Some(task.hours)),
            ("earliest", Some(task.earliest)),
            ("latest_end", task.latest_end),
            ("at", task.at),
        ] {
            if hours.is_some_and(|h| h > MOST.2) {
                return Err(InputError::new(at(name), format!("must not be more than {}", MOST.2)));
            }
        }
        for (k, a) in task.after.iter().enumerate() {
            let at = |name: &str| format!("tasks[{i}].after[{k}].{name}");
            if a.task >= job.tasks.len() {
                return Err(InputError::new(at("task"), "is not there"));
            }
            if a.min > MOST.2 || a.max.is_some_and(|m| m < a.min) {
                return Err(InputError::new(at("max"), "must be no less than `min`"));
            }
        }
        if task.gear.iter().any(|(kind, _)| *kind >= job.gear.len()) {
            return Err(InputError::new(at("gear"), "is of a kind that is not there"));
        }
    }
    Ok(())
}

/// An order in which each comes after what it waits for, or the tasks of a circle.
fn topological(tasks: &[Task]) -> Result<Vec<usize>, Vec<usize>> {
    let mut order = Vec::with_capacity(tasks.len());
    let mut done = vec![false; tasks.len()];
    loop {
        let next = (0..tasks.len()).filter(|i| !done[*i] && tasks[*i].after.iter().all(|a| done[a.task]));
        let next: Vec<usize> = next.collect();
        if next.is_empty() {
            break;
        }
        for i in next {
            done[i] = true;
            order.push(i);
        }
    }
    if order.len() == tasks.len() {
        return Ok(order);
    }
    // From a task that is left one comes back to it by what it waits for.
    let mut path: Vec<usize> = done.iter().position(|d| !d).into_iter().collect();
    loop {
        let last = path[path.len() - 1];
        let Some(back) = tasks[last].after.iter().map(|a| a.task).find(|t| !done[*t]) else { return Err(path) };
        if let Some(at) = path.iter().position(|p| *p == back) {
            let mut circle = path.split_off(at);
            circle.reverse();
            return Err(circle);
        }
        path.push(back);
    }
}

/// Plans a job. `go_on` is asked now and then whether there is time.
///
/// Least finish first, then least sum of starts. `proven` where the finish meets the bound or all plans were searched
/// through. Errors name the field of the job. Source: handbook 08; contract `schedule`.
pub fn plan(job: &Job, go_on: GoOn<'_>) -> Result<Answer, InputError> {
    check(job)?;
    let order = match topological(&job.tasks) {
        Ok(order) => order,
        Err(circle) => return Ok(Answer::Impossible { why: "they wait for each other in a circle", tasks: circle }),
    };
    let wants = |t: &Task| {
        (t.people > job.people && t.hours > 0) || t.gear.iter().any(|(k, n)| *n > job.gear[*k] && t.hours > 0)
    };
    if let Some(i) = job.tasks.iter().position(wants) {
        return Ok(Answer::Impossible { why: "it needs more people or gear than there are", tasks: vec![i] });
    }
    // A milestone takes nobody and nothing.
    let mut job = job.clone();
    for task in job.tasks.iter_mut().filter(|t| t.hours == 0) {
        (task.people, task.gear) = (0, Vec::new());
    }
    let field = Field::new(&job, Clock::new(&job)?, order);
    let horizon = field.clock.horizon;
    let windows = match field.windows(horizon) {
        Ok(windows) => windows,
        Err(_) => return Ok(impossible(&job, go_on)),
    };
    let bound = field.bound(&windows);
    let Some(first) = constructed(&field, &windows, bound, go_on) else {
        // Nothing that is built in order fits: all plans are looked through.
        return Ok(match field.search(horizon, None, go_on) {
            (Some(times), _) => improved(&field, times, bound, go_on),
            (None, true) => impossible(&job, go_on),
            (None, false) => {
                return Err(InputError::new("seconds", "no plan was found in this time, nor that there is none"));
            }
        });
    };
    Ok(improved(&field, first, bound, go_on))
}

/// The times of a job whose tasks are begun in a given order, each as early as it fits: what becomes of a plan when tasks
/// last longer or shorter than they were planned.
///
/// `starts` is when each was planned to begin. Latest ends, greatest lags and fixed hours are kept only as far as they
/// hold a task back. `None` where it does not fit before the end of the calendar. Errors as in [`plan`].
pub fn redone(job: &Job, starts: &[u32]) -> Result<Option<Vec<(u32, u32)>>, InputError> {
    let mut job = job.clone();
    for task in &mut job.tasks {
        task.earliest = task.at.take().unwrap_or(task.earliest);
        task.latest_end = None;
        task.after.iter_mut().for_each(|a| a.max = None);
        if task.hours == 0 {
            (task.people, task.gear) = (0, Vec::new());
        }
    }
    check(&job)?;
    if starts.len() != job.tasks.len() {
        return Err(InputError::new("starts", "needs one for each task"));
    }
    let Ok(order) = topological(&job.tasks) else { return Ok(None) };
    let field = Field::new(&job, Clock::new(&job)?, order);
    let Ok(windows) = field.windows(field.clock.horizon) else { return Ok(None) };
    let rank: Vec<u64> = starts.iter().map(|s| u64::from(u32::MAX - s)).collect();
    Ok(field.serial(&rank, &windows))
}

fn finish(times: &[(u32, u32)]) -> u32 {
    times.iter().map(|t| t.1).max().unwrap_or(0)
}

fn sum(times: &[(u32, u32)]) -> u64 {
    times.iter().map(|t| u64::from(t.0)).sum()
}

/// Many plans built task by task in many orders, the best of them.
fn constructed(field: &Field<'_>, windows: &Windows, bound: u32, go_on: GoOn<'_>) -> Option<Vec<(u32, u32)>> {
    let n = field.job.tasks.len();
    let tasks = &field.job.tasks;
    let mut best: Option<Vec<(u32, u32)>> = None;
    let mut chance = Chance::seeded(11);
    let latest: Vec<u64> = (0..n).map(|i| u64::from(u32::MAX - windows.lst[i])).collect();
    let longest: Vec<u64> = (0..n).map(|i| u64::from(field.tail[i] + tasks[i].hours)).collect();
    let mut rank = latest.clone();
    // Enough for a small job to be nearly sure, and on while there is time for a large one.
    let rounds = if n <= SEARCHED { 40 + 4_000 / n.max(1) } else { usize::MAX };
    for round in 0..rounds {
        if round > 2 && !go_on() {
            break;
        }
        let tried = match round {
            0 => latest.clone(),
            1 => longest.clone(),
            // The best order so far with some tasks moved, or a fresh one now and then.
            _ if round % 7 == 3 => {
                longest.iter().map(|l| (*l as f64 * (0.6 + 0.8 * chance.unit())) as u64 * 8).collect()
            }
            _ => {
                let mut tried = rank.clone();
                for _ in 0..1 + chance.below(3) {
                    let (a, b) = (chance.below(n as u32) as usize, chance.below(n as u32) as usize);
                    tried.swap(a, b);
                }
                tried
            }
        };
        let Some(times) = field.serial(&tried, windows).filter(|t| field.keeps(t)) else { continue };
        let better = best.as_ref().is_none_or(|b| (finish(&times), sum(&times)) <= (finish(b), sum(b)));
        if better {
            // The order of starts is the order to go on from: it gives the same plan, and its neighbours.
            rank = times.iter().map(|t| u64::from(u32::MAX - t.0)).collect();
            best = Some(times);
        }
        if best.as_ref().is_some_and(|b| finish(b) <= bound) && n > SEARCHED && round > 200 {
            break;
        }
    }
    best
}

/// Searches on from a plan until none is better or the time is over.
fn improved(field: &Field<'_>, mut best: Vec<(u32, u32)>, mut bound: u32, go_on: GoOn<'_>) -> Answer {
    let small = field.job.tasks.len() <= SEARCHED;
    let mut proven = finish(&best) <= bound;
    // From below: what is shown to be impossible by an hour raises the bound, and what is found there is best.
    while small && !proven {
        let left = std::cell::Cell::new(LOOKS);
        let a_while = || {
            left.set(left.get() - 1);
            left.get() > 0 && go_on()
        };
        match field.search(bound, None, &a_while) {
            (Some(times), _) => best = times,
            (None, true) => bound += 1,
            (None, false) => break,
        }
        proven = finish(&best) <= bound;
    }
    while small && !proven {
        match field.search(finish(&best) - 1, None, go_on) {
            (Some(times), _) => best = times,
            (None, certain) => {
                proven = certain;
                break;
            }
        }
        proven = finish(&best) <= bound;
    }
    if proven {
        bound = finish(&best);
    }
    if small {
        while let (Some(times), _) = field.search(finish(&best), Some(sum(&best)), go_on) {
            best = times;
        }
    }
    let critical = critical(field, &best);
    Answer::Plan(Plan { finish: finish(&best), bound, proven, critical, times: best })
}

/// One longest chain back from a task that ends last: what each waited for, by order or by people and gear.
fn critical(field: &Field<'_>, times: &[(u32, u32)]) -> Vec<usize> {
    let tasks = &field.job.tasks;
    let Some(mut at) = (0..tasks.len()).max_by_key(|i| (times[*i].1, std::cmp::Reverse(*i))) else { return Vec::new() };
    let mut chain = vec![at];
    let mut seen: HashSet<usize> = chain.iter().copied().collect();
    loop {
        let (start, task) = (times[at].0, &tasks[at]);
        let reaches = |end: u32| field.clock.fit(task, end).is_some_and(|(s, _)| s == start);
        let waited = task.after.iter().find(|a| reaches(times[a.task].1 + a.min)).map(|a| a.task);
        let shares = |i: &usize| {
            let other = &tasks[*i];
            let people = task.people > 0 && other.people > 0;
            people || task.gear.iter().any(|(k, _)| other.gear.iter().any(|(o, _)| o == k))
        };
        let room =
            (0..tasks.len()).filter(|i| !seen.contains(i) && times[*i].1 > 0 && reaches(times[*i].1)).find(shares);
        let Some(next) = waited.filter(|i| !seen.contains(i)).or(room) else { break };
        seen.insert(next);
        chain.push(next);
        at = next;
    }
    chain.reverse();
    chain
}

/// Which tasks make it impossible: none of them can be left out without a plan being there.
fn impossible(job: &Job, go_on: GoOn<'_>) -> Answer {
    let stuck = |kept: &[usize]| {
        let sub = part(job, kept);
        let Ok(clock) = Clock::new(&sub) else { return false };
        let Ok(order) = topological(&sub.tasks) else { return true };
        let n = sub.tasks.len();
        let horizon = clock.horizon;
        let field = Field::new(&sub, clock, order);
        let Ok(windows) = field.windows(horizon) else { return true };
        if field.serial(&vec![0; n], &windows).is_some_and(|t| field.keeps(&t)) {
            return false;
        }
        matches!(field.search(horizon, None, go_on), (None, true))
    };
    let mut kept: Vec<usize> = (0..job.tasks.len()).collect();
    for task in 0..job.tasks.len() {
        let without: Vec<usize> = kept.iter().copied().filter(|k| *k != task).collect();
        if !without.is_empty() && stuck(&without) {
            kept = without;
        }
    }
    Answer::Impossible { why: "their windows cannot be met together", tasks: kept }
}

/// A job with only these tasks; what waited for a task that is gone waits no more.
fn part(job: &Job, kept: &[usize]) -> Job {
    let index = |task: usize| kept.iter().position(|k| *k == task);
    let tasks = kept
        .iter()
        .map(|k| Task {
            after: job.tasks[*k].after.iter().filter_map(|a| Some(After { task: index(a.task)?, ..*a })).collect(),
            ..job.tasks[*k].clone()
        })
        .collect();
    Job { tasks, ..job.clone() }
}

#[cfg(test)]
mod tests {
    use std::cell::Cell;

    use proptest::prelude::*;

    use super::*;

    fn task(hours: u32, people: u32, after: &[usize]) -> Task {
        let after = after.iter().map(|t| After { task: *t, min: 0, max: None }).collect();
        Task { hours, people, after, ..Task::default() }
    }

    fn always() -> bool {
        true
    }

    fn planned(job: &Job) -> Plan {
        match plan(job, &always).unwrap() {
            Answer::Plan(plan) => plan,
            Answer::Impossible { why, tasks } => panic!("{why}: {tasks:?}"),
        }
    }

    /// A checker of its own, hour by hour.
    fn breaks(job: &Job, times: &[(u32, u32)]) -> Option<String> {
        let open = |h: u32| job.open.as_ref().is_none_or(|o| o.iter().any(|[a, b]| (*a..*b).contains(&h)));
        let last = times.iter().map(|t| t.1).max().unwrap_or(0);
        for (i, (task, (from, to))) in job.tasks.iter().zip(times).enumerate() {
            let worked = if task.people > 0 && task.hours > 0 {
                if !open(*from) || !open(to - 1) {
                    return Some(format!("task {i} begins or ends when nobody is there"));
                }
                (*from..*to).filter(|h| open(*h)).count() as u32
            } else {
                to - from
            };
            if worked != task.hours {
                return Some(format!("task {i} lasts {worked} hours"));
            }
            if *from < task.earliest || task.latest_end.is_some_and(|l| *to > l) || task.at.is_some_and(|a| a != *from)
            {
                return Some(format!("task {i} is out of its window"));
            }
            for a in &task.after {
                let end = times[a.task].1;
                if *from < end + a.min || a.max.is_some_and(|m| *from > end + m) {
                    return Some(format!("task {i} does not keep its distance from {}", a.task));
                }
            }
        }
        for h in 0..last {
            let there = |i: &usize| (times[*i].0..times[*i].1).contains(&h) && job.tasks[*i].hours > 0;
            let now: Vec<usize> = (0..times.len()).filter(there).collect();
            let people: u32 = if open(h) { now.iter().map(|i| job.tasks[*i].people).sum() } else { 0 };
            let over = job.gear.iter().enumerate().any(|(k, n)| {
                now.iter().flat_map(|i| &job.tasks[*i].gear).filter(|(g, _)| *g == k).map(|(_, n)| n).sum::<u32>() > *n
            });
            if people > job.people || over {
                return Some(format!("hour {h} needs more than there is"));
            }
        }
        None
    }

    /// The best by trying every start of every task.
    fn brute(job: &Job, horizon: u32) -> Option<u32> {
        fn on(job: &Job, times: &mut Vec<(u32, u32)>, horizon: u32, best: &mut Option<u32>) {
            let i = times.len();
            if i == job.tasks.len() {
                if breaks(job, times).is_none() {
                    let end = times.iter().map(|t| t.1).max().unwrap_or(0);
                    *best = Some(best.map_or(end, |b| b.min(end)));
                }
                return;
            }
            let open = |h: u32| job.open.as_ref().is_none_or(|o| o.iter().any(|[a, b]| (*a..*b).contains(&h)));
            for s in 0..horizon {
                let task = &job.tasks[i];
                let (mut end, mut left) = (s, task.hours);
                while left > 0 && end < 4 * horizon {
                    if task.people == 0 || open(end) {
                        left -= 1;
                    }
                    end += 1;
                }
                if left == 0 && best.is_none_or(|b| end <= b) {
                    times.push((s, end));
                    on(job, times, horizon, best);
                    times.pop();
                }
            }
        }
        let mut best = None;
        on(job, &mut Vec::new(), horizon, &mut best);
        best
    }

    #[test]
    fn a_plan_redone_with_its_own_hours_is_itself_and_a_slip_moves_what_waits() {
        let mut job = Job {
            tasks: vec![task(4, 1, &[]), task(3, 1, &[0]), task(5, 1, &[])],
            people: 1,
            gear: Vec::new(),
            open: Some((0..20).map(|d| [24 * d + 8, 24 * d + 17]).collect()),
        };
        let plan = planned(&job);
        let starts: Vec<u32> = plan.times.iter().map(|t| t.0).collect();
        assert_eq!(redone(&job, &starts).unwrap().unwrap(), plan.times);
        // The first takes a day more: everything after it is a day later, in the same order.
        job.tasks[0].hours += 9;
        let slipped = redone(&job, &starts).unwrap().unwrap();
        assert_eq!(breaks(&job, &slipped), None);
        assert_eq!(finish(&slipped), plan.finish + 24);
        assert_eq!(redone(&job, &starts[1..]).unwrap_err().field, "starts");
    }

    #[test]
    fn a_cure_runs_over_the_night_and_people_go_on_in_the_morning() {
        let open = Some(vec![[8, 17], [32, 41], [56, 65]]);
        // Glue for six hours, a cure of twelve by the clock, then four hours of planing.
        let job = Job {
            tasks: vec![task(6, 1, &[]), task(12, 0, &[0]), task(4, 1, &[1]), task(6, 1, &[])],
            people: 1,
            open,
            ..Job::default()
        };
        let told = planned(&job);
        assert_eq!(breaks(&job, &told.times), None);
        assert_eq!(told.times[0], (8, 14));
        assert_eq!(told.times[1], (14, 26));
        assert_eq!((told.finish, told.proven), (39, true), "{told:?}");
    }

    #[test]
    fn gear_is_held_in_closed_hours_and_a_task_follows_soon_enough() {
        let mut clamps = task(4, 1, &[]);
        clamps.gear = vec![(0, 2)];
        let mut soon = task(2, 1, &[]);
        soon.after = vec![After { task: 0, min: 1, max: Some(3) }];
        let job = Job { tasks: vec![clamps.clone(), soon, clamps], people: 2, gear: vec![3], ..Job::default() };
        let told = planned(&job);
        assert_eq!(breaks(&job, &told.times), None);
        assert_eq!(told.finish, 8);
    }

    #[test]
    fn what_cannot_be_is_told_by_the_tasks_that_make_it_so() {
        let told = |job: &Job| match plan(job, &always).unwrap() {
            Answer::Impossible { tasks, .. } => tasks,
            Answer::Plan(plan) => panic!("{plan:?}"),
        };
        let circle =
            Job { tasks: vec![task(1, 1, &[]), task(1, 1, &[2]), task(1, 1, &[1])], people: 1, ..Job::default() };
        let mut named = told(&circle);
        named.sort_unstable();
        assert_eq!(named, [1, 2]);
        let many = Job { tasks: vec![task(1, 1, &[]), task(1, 3, &[])], people: 2, ..Job::default() };
        assert_eq!(told(&many), [1]);
        // The crane and the launch at one hour, with one pair of hands; the third task has nothing to do with it.
        let at = |hour| Task { at: Some(hour), ..task(2, 1, &[]) };
        let crowd = Job { tasks: vec![task(2, 1, &[]), at(5), at(6)], people: 1, ..Job::default() };
        assert_eq!(told(&crowd), [1, 2]);
        let late = Job {
            tasks: vec![task(3, 1, &[]), Task { latest_end: Some(4), ..task(2, 1, &[0]) }, task(1, 1, &[])],
            people: 1,
            ..Job::default()
        };
        assert_eq!(told(&late), [0, 1]);
    }

    #[test]
    fn a_job_that_is_none_is_refused_at_its_field() {
        let field = |job: Job| plan(&job, &always).unwrap_err().field;
        assert_eq!(field(Job::default()), "tasks");
        let one = |t: Task| Job { tasks: vec![t], people: 1, ..Job::default() };
        assert_eq!(field(one(task(1, 1, &[7]))), "tasks[0].after[0].task");
        assert_eq!(field(one(Task { gear: vec![(0, 1)], ..task(1, 1, &[]) })), "tasks[0].gear");
        assert_eq!(field(Job { open: Some(vec![[9, 9]]), ..one(task(1, 1, &[])) }), "open[0]");
        assert_eq!(field(one(task(u32::MAX, 1, &[]))), "tasks[0].hours");
    }

    #[test]
    fn time_that_is_over_gives_the_best_so_far_with_a_true_bound() {
        let mut chance = Chance::seeded(3);
        let tasks: Vec<Task> = (0..60)
            .map(|i| Task {
                gear: vec![(0, 1 + chance.below(2))],
                ..task(1 + chance.below(9), 1, if i > 9 { &[0] } else { &[] })
            })
            .collect();
        let job = Job { tasks, people: 4, gear: vec![3], ..Job::default() };
        let asked = Cell::new(0);
        let soon = || {
            asked.set(asked.get() + 1);
            asked.get() < 30
        };
        let Answer::Plan(told) = plan(&job, &soon).unwrap() else { panic!("there is one") };
        assert_eq!(breaks(&job, &told.times), None);
        assert!(told.bound <= told.finish);
    }

    prop_compose! {
        fn small()(
            shapes in proptest::collection::vec((0u32..4, 0u32..3, 0u32..3, any::<bool>(), 0u32..3), 2..5), tight in any::<bool>(),
            people in 2u32..4, shut in any::<bool>(),
        ) -> Job {
            let tasks = shapes.iter().enumerate().map(|(i, (hours, people, gear, waits, min))| Task {
                gear: if *gear > 0 { vec![(0, *gear)] } else { Vec::new() },
                after: if *waits && i > 0 { vec![After { task: i - 1, min: *min, max: tight.then_some(min + 1) }] } else { Vec::new() },
                ..task(*hours, *people, &[])
            }).collect();
            let open = shut.then(|| vec![[1, 4], [6, 9], [11, 40]]);
            Job { tasks, people, gear: vec![2], open }
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(40))]
        #[test]
        fn the_finish_is_that_of_brute_force(job in small()) {
            match plan(&job, &always).unwrap() {
                Answer::Plan(told) => {
                    prop_assert_eq!(breaks(&job, &told.times), None);
                    prop_assert!(told.proven && told.bound == told.finish, "{:?}", told);
                    prop_assert_eq!(brute(&job, told.finish + 1), Some(told.finish));
                }
                Answer::Impossible { tasks, .. } => {
                    prop_assert_eq!(brute(&job, 14), None);
                    prop_assert!(!tasks.is_empty());
                }
            }
        }

        #[test]
        fn more_people_never_finish_later(job in small()) {
            let finish = |job: &Job| match plan(job, &always).unwrap() {
                Answer::Plan(told) if told.proven => Some(told.finish),
                _ => None,
            };
            let (one, more) = (finish(&job), finish(&Job { people: job.people + 1, ..job.clone() }));
            prop_assert!(one.zip(more).is_none_or(|(one, more)| more <= one), "{:?} {:?}", one, more);
        }

        #[test]
        fn a_chain_of_the_plan_leads_to_its_finish(job in small()) {
            let Answer::Plan(told) = plan(&job, &always).unwrap() else { return Ok(()) };
            let last = told.critical.last().copied();
            prop_assert_eq!(last.map(|i| told.times[i].1), Some(told.finish));
            prop_assert!(told.critical.windows(2).all(|w| told.times[w[0]].1 <= told.times[w[1]].0));
        }
    }
}
