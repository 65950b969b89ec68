//! Coats placed hour by hour in the weather that is foretold: all areas, all painters, the earliest finish.
//!
//! One area alone is placed exactly, coat after coat over every hour it may start. Several areas share painters: they are
//! placed one after another in many orders and with prices on crowded hours, and held against a bound that no plan beats.

use std::cmp::Reverse;

use serde::Serialize;

use super::{dew_point, time_factor};
use crate::chance::Chance;
use crate::error::{self, InputError};
use crate::units::whole_up;

/// The air of a clock hour: °C, %, mm of rain, m/s of wind.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Hour {
    pub temperature: f64,
    pub humidity: f64,
    pub rain: f64,
    pub wind: f64,
}

/// When painters work.
#[derive(Debug, Clone, PartialEq)]
pub struct Work {
    /// 1 Monday … 7.
    pub weekdays: Vec<u32>,
    /// From this clock hour on …
    pub from: usize,
    /// … and not from this one on.
    pub to: usize,
    pub painters: u32,
}

/// One coat. Times in hours at 20 °C after it is laid.
#[derive(Debug, Clone, PartialEq)]
pub struct Step {
    /// Hours of one painter a m².
    pub coat_hours: f64,
    /// Hours of one painter a m² where it has to be sanded first.
    pub sand_hours: f64,
    pub touch_dry: f64,
    /// Dew does no harm from then on.
    pub dew_safe: f64,
    pub recoat_min: f64,
    /// Beyond it the next coat wants sanding.
    pub recoat_max: Option<f64>,
    /// °C, lowest and highest.
    pub temperature: [f64; 2],
    pub humidity_max: f64,
    /// °C above the dew point.
    pub dew_margin: f64,
    /// m/s, outside.
    pub wind_max: f64,
}

/// Something that is coated.
#[derive(Debug, Clone, PartialEq)]
pub struct Area {
    /// m².
    pub area: f64,
    /// Outside, or in the shed.
    pub outside: bool,
    /// Areas whose last coat must be touch dry before this one's first.
    pub after: Vec<usize>,
    /// Its first coat goes on in no earlier hour: a coat that is on already must dry.
    pub not_before: usize,
    pub steps: Vec<Step>,
}

/// All there is to place.
#[derive(Debug, Clone, PartialEq)]
pub struct Job {
    /// Of the first day: 1 Monday … 7.
    pub first_weekday: u32,
    pub weather: Vec<Hour>,
    /// What the shed adds to temperature and humidity.
    pub shed: [f64; 2],
    pub work: Work,
    pub areas: Vec<Area>,
}

/// A coat with its place. Hours from hour 0.
#[derive(Debug, Clone, PartialEq)]
pub struct Coat {
    pub area: usize,
    pub step: usize,
    pub from: usize,
    /// The hour after its last.
    pub to: usize,
    /// The hour at whose beginning it is touch dry.
    pub touch_dry: usize,
    /// Hours it is sanded in before; empty where it need not be.
    pub sand: Vec<usize>,
    /// Working hours between the first it could have begun in and the one it does, by what forbade them.
    pub waits: Why,
    /// Of those hours, the ones nothing forbade: the painter was elsewhere, or a later coat goes better so.
    pub painter: usize,
}

/// A plan of coats.
#[derive(Debug, Clone, PartialEq)]
pub struct Plan {
    pub coats: Vec<Coat>,
    pub finish: usize,
    /// No plan finishes earlier.
    pub bound: usize,
    pub proven: bool,
}

/// How many starts each cause forbade; a start counts under every cause that forbids it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize)]
pub struct Why {
    pub cold: usize,
    pub hot: usize,
    pub damp: usize,
    pub dew: usize,
    pub rain: usize,
    pub wind: usize,
    pub hours: usize,
    pub end: usize,
}

impl Why {
    fn add(&mut self, one: &Self) {
        self.cold += one.cold;
        self.hot += one.hot;
        self.damp += one.damp;
        self.dew += one.dew;
        self.rain += one.rain;
        self.wind += one.wind;
        self.hours += one.hours;
        self.end += one.end;
    }
}

/// The first coat of an area that finds no place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NoPlace {
    pub area: usize,
    pub step: usize,
    pub why: Why,
}

/// A plan, or what finds no place in it.
#[derive(Debug, Clone, PartialEq)]
pub enum Answer {
    Plan(Plan),
    Impossible(Vec<NoPlace>),
}

/// Least distance above the dew point, °C, and most wind outside, m/s, where nobody says otherwise (handbook 07).
pub const DEW_MARGIN: f64 = 3.0;
pub const WIND_MAX: f64 = 6.0;

impl Step {
    /// A coat of a recipe, with the usual distance from dew and wind.
    pub fn of(step: &super::Step) -> Self {
        Self {
            coat_hours: step.coat_hours,
            sand_hours: step.sand_hours,
            touch_dry: step.touch_dry,
            dew_safe: step.dew_safe,
            recoat_min: step.recoat_min,
            recoat_max: step.recoat_max,
            temperature: [step.temperature_min, step.temperature_max],
            humidity_max: step.humidity_max,
            dew_margin: DEW_MARGIN,
            wind_max: WIND_MAX,
        }
    }
}

/// A sum of hours is reached when no more than this is missing: the rest is rounding.
const HAIR: f64 = 1e-9;
/// Most hours of weather, areas and coats of an area.
const MOST: (usize, usize, usize) = (24 * 92, 40, 40);

/// The air at a place, with sums over the hours before each.
struct Air {
    hours: Vec<Hour>,
    dew: Vec<f64>,
    /// Hours at 20 °C gained before each hour.
    gained: Vec<f64>,
}

impl Air {
    fn new(weather: &[Hour], added: [f64; 2]) -> Self {
        let hours: Vec<Hour> = weather
            .iter()
            .map(|h| Hour { temperature: h.temperature + added[0], humidity: (h.humidity + added[1]).max(0.1), ..*h })
            .collect();
        let mut gained = vec![0.0];
        for h in &hours {
            gained.push(gained[gained.len() - 1] + 1.0 / time_factor(h.temperature, h.humidity));
        }
        Self { dew: hours.iter().map(|h| dew_point(h.temperature, h.humidity)).collect(), hours, gained }
    }

    /// The first hour at whose beginning so much was gained since `from`; `None` where the weather ends before.
    fn reached(&self, from: usize, figure: f64) -> Option<usize> {
        let wanted = self.gained[from] + figure - HAIR;
        let at = from + self.gained[from..].partition_point(|g| *g < wanted);
        (at < self.gained.len()).then_some(at)
    }
}

/// What becomes of a coat begun in an hour.
#[derive(Debug, Clone, Copy)]
struct Start {
    to: usize,
    touch_dry: usize,
    /// From this hour on the next may go on; past the end where the weather does not tell.
    recoat: usize,
}

/// A coat of an area: how long it takes, and every hour it may begin in.
struct Stage {
    hours: usize,
    /// Hours of sanding before it.
    sanding: usize,
    recoat_max: Option<f64>,
    starts: Vec<Option<Start>>,
    why: Vec<Why>,
}

/// Everything worked out beforehand.
struct Field<'j> {
    job: &'j Job,
    airs: [Air; 2],
    working: Vec<bool>,
    stages: Vec<Vec<Stage>>,
}

/// Painters free in each hour.
type Free = Vec<u32>;

/// An area's coats, one after another.
#[derive(Debug, Clone, PartialEq)]
struct Placed {
    coats: Vec<Coat>,
}

impl Placed {
    fn finish(&self) -> usize {
        self.coats.last().map_or(0, |c| c.touch_dry)
    }

    fn sandings(&self) -> usize {
        self.coats.iter().filter(|c| !c.sand.is_empty()).count()
    }

    fn take(&self, free: &mut Free, back: bool) {
        let hours = self.coats.iter().flat_map(|c| (c.from..c.to).chain(c.sand.iter().copied()));
        for hour in hours {
            free[hour] = if back { free[hour] + 1 } else { free[hour].saturating_sub(1) };
        }
    }
}

fn whole_hours(area: f64, rate: f64) -> usize {
    whole_up(area * rate).max(1.0) as usize
}

impl<'j> Field<'j> {
    fn new(job: &'j Job) -> Self {
        let airs = [Air::new(&job.weather, [0.0, 0.0]), Air::new(&job.weather, job.shed)];
        let working: Vec<bool> = (0..job.weather.len())
            .map(|h| {
                let weekday = (job.first_weekday - 1 + (h / 24) as u32) % 7 + 1;
                job.work.weekdays.contains(&weekday) && (job.work.from..job.work.to).contains(&(h % 24))
            })
            .collect();
        let mut field = Self { job, airs, working, stages: Vec::new() };
        field.stages = job.areas.iter().map(|a| a.steps.iter().map(|s| field.stage(a, s)).collect()).collect();
        field
    }

    fn end(&self) -> usize {
        self.job.weather.len()
    }

    fn air(&self, area: &Area) -> &Air {
        &self.airs[usize::from(!area.outside)]
    }

    fn stage(&self, area: &Area, step: &Step) -> Stage {
        let hours = whole_hours(area.area, step.coat_hours);
        let (starts, why) = (0..self.end()).map(|s| self.start(area, step, hours, s)).unzip();
        Stage { hours, sanding: whole_hours(area.area, step.sand_hours), recoat_max: step.recoat_max, starts, why }
    }

    /// A coat begun in hour `s`: what becomes of it, and what forbids it.
    fn start(&self, area: &Area, step: &Step, hours: usize, s: usize) -> (Option<Start>, Why) {
        let air = self.air(area);
        let to = s + hours;
        let mut why = Why::default();
        let one_day = s / 24 == (to - 1) / 24;
        if !one_day || to > self.end() || !(s..to).all(|h| self.working[h]) {
            why.hours = 1;
        }
        let laid = to.min(self.end());
        let touch_dry = if to > self.end() { None } else { air.reached(laid, step.touch_dry) };
        let safe = if to > self.end() { None } else { air.reached(laid, step.dew_safe) };
        if touch_dry.is_none() || safe.is_none() {
            why.end = 1;
        }
        let dry_by = touch_dry.unwrap_or(self.end());
        let careful_to = dry_by.max(safe.unwrap_or(self.end()));
        for h in s..careful_to {
            let here = &air.hours[h];
            if h < dry_by {
                why.cold |= usize::from(here.temperature < step.temperature[0]);
                why.hot |= usize::from(here.temperature > step.temperature[1]);
                why.damp |= usize::from(here.humidity > step.humidity_max);
            }
            why.dew |= usize::from(here.temperature < air.dew[h] + step.dew_margin);
            if area.outside {
                why.rain |= usize::from(here.rain > 0.0);
                why.wind |= usize::from(h < to && here.wind > step.wind_max);
            }
        }
        let start = match (why == Why::default(), touch_dry) {
            (true, Some(touch_dry)) => {
                let recoat = air.reached(to, step.recoat_min).unwrap_or(self.end());
                Some(Start { to, touch_dry, recoat })
            }
            _ => None,
        };
        (start, why)
    }

    /// An area placed as early as can be from hour `release` on with the painters that are free: earliest finish, then
    /// fewest sandings, then least of `price`, which each painter's hour costs. `deadline`: any finish up to it is as
    /// good as any other. The first coat without a place is the error, with the hour from which it was looked for.
    fn place(
        &self,
        area: usize,
        release: usize,
        free: &Free,
        deadline: Option<usize>,
        price: Option<&[f64]>,
    ) -> Result<Placed, (usize, usize)> {
        crate::patience::look();
        let stages = &self.stages[area];
        let air = self.air(&self.job.areas[area]);
        let end = self.end();
        // Sums over the hours before each: painters that could sand, what an hour costs, and hours nobody is free in.
        let mut sander = vec![0usize; end + 1];
        let mut cost = vec![0.0; end + 1];
        let mut blocked = vec![0usize; end + 1];
        for h in 0..end {
            sander[h + 1] = sander[h] + usize::from(self.working[h] && free[h] > 0);
            cost[h + 1] = cost[h] + price.map_or(0.0, |p| p[h]);
            blocked[h + 1] = blocked[h] + usize::from(free[h] == 0);
        }
        // For each coat the hours it may begin in: sandings and price so far, and from where.
        type Cell = (usize, f64, usize);
        let mut reach: Vec<Vec<(usize, Cell)>> = Vec::with_capacity(stages.len());
        let mut earliest = release;
        for (k, stage) in stages.iter().enumerate() {
            let mut row: Vec<(usize, Cell)> = Vec::new();
            let may = |s: usize| {
                let start = stage.starts[s].as_ref()?;
                (blocked[start.to] == blocked[s]).then_some(start)
            };
            if k == 0 {
                row.extend(
                    (release..end).filter(|s| may(*s).is_some()).map(|s| (s, (0, cost[s + stage.hours] - cost[s], 0))),
                );
            } else {
                let before = &stages[k - 1];
                for s in earliest..end {
                    if may(s).is_none() {
                        continue;
                    }
                    let mut best: Option<Cell> = None;
                    for (i, (s1, cell)) in reach[k - 1].iter().enumerate() {
                        let Some(from) = before.starts[*s1] else { continue };
                        if from.recoat > s {
                            continue;
                        }
                        let missed =
                            before.recoat_max.is_some_and(|max| air.gained[s] - air.gained[from.to] > max + HAIR);
                        if missed && sander[s] - sander[from.recoat] < stage.sanding {
                            continue;
                        }
                        let rubbing = if missed {
                            stage.sanding as f64 * (cost[s] - cost[from.recoat]) / (s - from.recoat).max(1) as f64
                        } else {
                            0.0
                        };
                        let next = (cell.0 + usize::from(missed), cell.1 + rubbing, i);
                        if best.is_none_or(|b| (next.0, next.1) < (b.0, b.1)) {
                            best = Some(next);
                        }
                    }
                    if let Some((sandings, spent, i)) = best {
                        row.push((s, (sandings, spent + cost[s + stage.hours] - cost[s], i)));
                    }
                }
            }
            if row.is_empty() {
                return Err((k, earliest));
            }
            if k + 1 < stages.len() {
                earliest = row.iter().filter_map(|(s, _)| Some(stage.starts[*s]?.recoat)).min().unwrap_or(end);
            }
            reach.push(row);
        }
        let last = stages.len() - 1;
        let finish = |s: usize| stages[last].starts[s].map_or(end, |start| start.touch_dry);
        let chosen = reach[last]
            .iter()
            .enumerate()
            .min_by(|a, b| {
                let key = |(_, (s, cell)): &(usize, &(usize, Cell))| {
                    (deadline.map_or(finish(*s), |d| finish(*s).max(d)), cell.0)
                };
                key(a).cmp(&key(b)).then(a.1.1.1.total_cmp(&b.1.1.1)).then(a.1.0.cmp(&b.1.0))
            })
            .map(|(i, _)| i);
        let mut at = chosen.ok_or((last, earliest))?;
        let mut coats = Vec::with_capacity(stages.len());
        for k in (0..stages.len()).rev() {
            let (s, (_, _, before)) = reach[k][at];
            let Some(start) = stages[k].starts[s] else { return Err((k, earliest)) };
            let mut sand = Vec::new();
            if k > 0 {
                let (s1, _) = reach[k - 1][before];
                if let Some(from) = stages[k - 1].starts[s1]
                    && stages[k - 1].recoat_max.is_some_and(|max| air.gained[s] - air.gained[from.to] > max + HAIR)
                {
                    // As late as can be, where most painters are free.
                    let mut hours: Vec<usize> = (from.recoat..s).filter(|h| self.working[*h] && free[*h] > 0).collect();
                    hours.sort_by_key(|h| (Reverse(free[*h]), Reverse(*h)));
                    hours.truncate(stages[k].sanding);
                    hours.sort_unstable();
                    sand = hours;
                }
            }
            coats.push(Coat {
                area,
                step: k,
                from: s,
                to: start.to,
                touch_dry: start.touch_dry,
                sand,
                waits: Why::default(),
                painter: 0,
            });
            at = before;
        }
        coats.reverse();
        Ok(Placed { coats })
    }

    fn all_free(&self) -> Free {
        vec![self.job.work.painters; self.end()]
    }

    /// When an area may begin, the others being placed so.
    fn release(&self, area: usize, placed: &[Option<Placed>]) -> usize {
        let after = self.job.areas[area].after.iter();
        let waits = after.filter_map(|a| placed[*a].as_ref()).map(Placed::finish).max().unwrap_or(0);
        waits.max(self.job.areas[area].not_before).min(self.end())
    }

    /// All areas one after another in an order that keeps `after`.
    fn in_order(&self, order: &[usize], price: Option<(&[f64], &[usize])>) -> Result<Vec<Placed>, NoPlace> {
        let mut free = self.all_free();
        let mut placed: Vec<Option<Placed>> = vec![None; self.job.areas.len()];
        for area in order {
            let release = self.release(*area, &placed);
            let deadline = price.map(|(_, deadlines)| deadlines[*area]);
            let one = self
                .place(*area, release, &free, deadline, price.map(|(p, _)| p))
                .map_err(|(step, from)| self.no_place(*area, step, from))?;
            one.take(&mut free, false);
            placed[*area] = Some(one);
        }
        Ok(placed.into_iter().flatten().collect())
    }

    /// Coats of an area with what each waits for.
    fn told(&self, mut coats: Vec<Coat>, areas: &[Area]) -> Vec<Coat> {
        let mut could = coats.first().map_or(0, |c| areas[c.area].not_before);
        for coat in &mut coats {
            let stage = &self.stages[coat.area][coat.step];
            for h in (could..coat.from).filter(|h| self.working[*h]) {
                coat.waits.add(&stage.why[h]);
                coat.painter += usize::from(stage.why[h] == Why::default() && !coat.sand.contains(&h));
            }
            could = stage.starts[coat.from].map_or(could, |start| start.recoat);
        }
        coats
    }

    fn no_place(&self, area: usize, step: usize, from: usize) -> NoPlace {
        let mut why = Why::default();
        let mut forbidden = 0;
        for one in &self.stages[area][step].why[from.min(self.end())..] {
            why.add(one);
            forbidden += usize::from(*one != Why::default());
        }
        // Starts the weather lets pass, but no painter, or no hour to sand in before.
        why.hours += self.end().saturating_sub(from) - forbidden;
        // The coat before can be coated over only after the weather told: no start is left to count.
        if from >= self.end() {
            why.end = 1;
        }
        NoPlace { area, step, why }
    }
}

/// Orders that keep `after`, worst first by what an area alone takes.
fn topological(areas: &[Area], weight: &[usize]) -> Option<Vec<usize>> {
    let mut order = Vec::with_capacity(areas.len());
    while order.len() < areas.len() {
        let next = (0..areas.len())
            .filter(|a| !order.contains(a) && areas[*a].after.iter().all(|b| order.contains(b)))
            .max_by_key(|a| (weight[*a], Reverse(*a)))?;
        order.push(next);
    }
    Some(order)
}

fn check(job: &Job) -> Result<(), InputError> {
    if !(1..=7).contains(&job.first_weekday) {
        return Err(InputError::new("first_weekday", "must be between 1 (Monday) and 7"));
    }
    if job.weather.is_empty() || job.weather.len() > MOST.0 {
        return Err(InputError::new("weather", format!("needs 1 to {} hours, got {}", MOST.0, job.weather.len())));
    }
    for (i, h) in job.weather.iter().enumerate() {
        let at = |name: &str| format!("weather[{i}].{name}");
        error::within(&at("temperature"), h.temperature, -60.0, 70.0)?;
        error::within(&at("humidity"), h.humidity, 0.0, 100.0)?;
        error::within(&at("rain"), h.rain, 0.0, 1_000.0)?;
        error::within(&at("wind"), h.wind, 0.0, 200.0)?;
    }
    error::within("shed.temperature", job.shed[0], -40.0, 40.0)?;
    error::within("shed.humidity", job.shed[1], -100.0, 100.0)?;
    if let Some(bad) = job.work.weekdays.iter().position(|d| !(1..=7).contains(d)) {
        return Err(InputError::new(format!("work.weekdays[{bad}]"), "must be between 1 (Monday) and 7"));
    }
    if job.work.to > 24 || job.work.from >= job.work.to {
        return Err(InputError::new("work.to", "must be a clock hour after `from`, 24 at the latest"));
    }
    if !(1..=1_000).contains(&job.work.painters) {
        return Err(InputError::new("work.painters", "must be between 1 and 1000"));
    }
    if job.areas.is_empty() || job.areas.len() > MOST.1 {
        return Err(InputError::new("areas", format!("needs 1 to {} areas, got {}", MOST.1, job.areas.len())));
    }
    for (i, area) in job.areas.iter().enumerate() {
        let at = |name: &str| format!("areas[{i}].{name}");
        error::positive(&at("area_m2"), area.area)?;
        if area.steps.is_empty() || area.steps.len() > MOST.2 {
            return Err(InputError::new(at("steps"), format!("needs 1 to {} coats, got {}", MOST.2, area.steps.len())));
        }
        if area.after.iter().any(|a| *a >= job.areas.len()) {
            return Err(InputError::new(at("after"), "names an area that is not there"));
        }
        for (k, step) in area.steps.iter().enumerate() {
            let at = |name: &str| format!("areas[{i}].steps[{k}].{name}");
            for (name, value) in [
                ("coat_hours", step.coat_hours),
                ("sand_hours", step.sand_hours),
                ("touch_dry", step.touch_dry),
                ("dew_safe", step.dew_safe),
                ("recoat_min", step.recoat_min),
                ("recoat_max", step.recoat_max.unwrap_or(0.0)),
                ("wind_max", step.wind_max),
            ] {
                error::within(&at(name), value, 0.0, 1e5)?;
            }
            error::within(&at("dew_margin"), step.dew_margin, -50.0, 50.0)?;
            error::within(&at("humidity_max"), step.humidity_max, 0.0, 100.0)?;
            if step.temperature[0] > step.temperature[1] || step.temperature.iter().any(|t| !t.is_finite()) {
                return Err(InputError::new(at("temperature"), "must be the lowest, then the highest"));
            }
        }
    }
    let ones = vec![1; job.areas.len()];
    if topological(&job.areas, &ones).is_none() {
        return Err(InputError::new("areas", "wait for each other in a circle"));
    }
    Ok(())
}

/// Finish and sandings of a plan: what is made least, in that order.
fn score(placed: &[Placed]) -> (usize, usize) {
    (placed.iter().map(Placed::finish).max().unwrap_or(0), placed.iter().map(Placed::sandings).sum())
}

/// Places every coat. `effort` is how many plans are tried beyond the first where painters are short.
///
/// One area alone is placed at best; several are proven best where the finish meets the bound with no more sandings
/// than each alone needs. Errors name the field of the job. Source: handbook 07; contract `coat-plan`.
pub fn plan(job: &Job, effort: usize) -> Result<Answer, InputError> {
    check(job)?;
    let field = Field::new(job);
    let n = job.areas.len();
    // Each area as if painters were nobody else's, after those it waits for: the bound, and the first thing that fails.
    let alone_order = topological(&job.areas, &vec![1; n]).unwrap_or_default();
    let mut alone: Vec<Option<Placed>> = vec![None; n];
    let mut failed = Vec::new();
    for area in &alone_order {
        // What waits for an area without a place is not told of beside it.
        if job.areas[*area].after.iter().any(|a| alone[*a].is_none()) {
            continue;
        }
        match field.place(*area, field.release(*area, &alone), &field.all_free(), None, None) {
            Ok(one) => alone[*area] = Some(one),
            Err((step, from)) => failed.push(field.no_place(*area, step, from)),
        }
    }
    if !failed.is_empty() {
        failed.sort_by_key(|f| f.area);
        return Ok(Answer::Impossible(failed));
    }
    let alone: Vec<Placed> = alone.into_iter().flatten().collect();
    let (longest, sandings) = score(&alone);
    let bound = longest.max(by_hours(&field));
    let best = search(&field, &alone, bound, sandings, effort);
    Ok(match best {
        Ok(placed) => {
            let (finish, sanded) = score(&placed);
            let mut coats: Vec<Coat> = placed.into_iter().flat_map(|p| field.told(p.coats, &job.areas)).collect();
            coats.sort_by_key(|c| (c.from, c.area));
            Answer::Plan(Plan { coats, finish, bound, proven: finish == bound && (n == 1 || sanded <= sandings) })
        }
        Err(no_place) => Answer::Impossible(vec![no_place]),
    })
}

/// For each area and each clock hour: what forbids its first coat to start then; nothing where it may.
///
/// Errors are those of [`plan`].
pub fn first_starts(job: &Job) -> Result<Vec<Vec<Why>>, InputError> {
    check(job)?;
    // The coats after the first say nothing of when it may start.
    let areas = job.areas.iter().map(|a| Area { steps: a.steps[..1].to_vec(), ..a.clone() }).collect();
    let firsts = Job { areas, ..job.clone() };
    let stages = Field::new(&firsts).stages;
    Ok(stages.into_iter().flatten().map(|stage| stage.why).collect())
}

/// As many coats as find a place, in order, and for each area that was cut short the first coat that found none.
///
/// What a forecast does not reach is no reason to leave the coats before it unplaced. `None`: not one finds a place.
/// Errors are those of [`plan`].
pub fn as_far_as_it_goes(job: &Job, effort: usize) -> Result<(Option<Plan>, Vec<NoPlace>), InputError> {
    check(job)?;
    let mut left: Vec<usize> = job.areas.iter().map(|a| a.steps.len()).collect();
    let mut short: Vec<NoPlace> = Vec::new();
    loop {
        // Areas with a coat left; what waits for one that is cut short waits longer than the forecast tells.
        let there: Vec<usize> = (0..job.areas.len())
            .filter(|a| left[*a] > 0 && job.areas[*a].after.iter().all(|b| left[*b] == job.areas[*b].steps.len()))
            .collect();
        if there.is_empty() {
            return Ok((None, short));
        }
        let index = |area: &usize| there.iter().position(|t| t == area);
        let areas = there
            .iter()
            .map(|a| Area {
                steps: job.areas[*a].steps[..left[*a]].to_vec(),
                after: job.areas[*a].after.iter().filter_map(index).collect(),
                ..job.areas[*a].clone()
            })
            .collect();
        match plan(&Job { areas, ..job.clone() }, effort)? {
            Answer::Plan(mut plan) => {
                plan.coats.iter_mut().for_each(|c| c.area = there[c.area]);
                short.sort_by_key(|s| s.area);
                return Ok((Some(plan), short));
            }
            Answer::Impossible(told) => {
                for one in told {
                    let area = there[one.area];
                    left[area] = one.step;
                    // An area cut short twice is told of once, by its earlier coat.
                    short.retain(|s| s.area != area);
                    short.push(NoPlace { area, ..one });
                }
            }
        }
    }
}

/// No plan finishes before the painters had hours enough for all coats, and the one laid last was dry.
fn by_hours(field: &Field<'_>) -> usize {
    let needed: usize = field.stages.iter().flatten().map(|s| s.hours).sum();
    let mut useful = vec![false; field.end()];
    for stage in field.stages.iter().flatten() {
        for (s, _) in stage.starts.iter().enumerate().filter(|(_, start)| start.is_some()) {
            useful[s..s + stage.hours].fill(true);
        }
    }
    let mut had = 0;
    for (h, useful) in useful.into_iter().enumerate() {
        had += usize::from(useful) * field.job.work.painters as usize;
        if had >= needed {
            return h + 1;
        }
    }
    field.end()
}

/// Many plans, the best of them.
fn search(
    field: &Field<'_>,
    alone: &[Placed],
    bound: usize,
    sandings: usize,
    effort: usize,
) -> Result<Vec<Placed>, NoPlace> {
    let areas = &field.job.areas;
    let weight: Vec<usize> = alone.iter().map(Placed::finish).collect();
    let first = topological(areas, &weight).unwrap_or_default();
    let mut best = field.in_order(&first, None);
    let good = |placed: &Result<Vec<Placed>, NoPlace>| {
        placed.as_ref().is_ok_and(|p| {
            let (finish, sanded) = score(p);
            finish == bound && sanded <= sandings
        })
    };
    let key = |placed: &Result<Vec<Placed>, NoPlace>| placed.as_ref().map_or((usize::MAX, 0), |p| score(p));
    if areas.len() == 1 {
        return best;
    }
    let mut chance = Chance::seeded(7);
    let mut order = first;
    let mut price = vec![0.0; field.end()];
    for round in 0..effort {
        if good(&best) {
            break;
        }
        let tried = if round % 2 == 0 {
            // Two areas change places, now and then all of them.
            let shuffled: Vec<usize> = if round % 16 == 0 {
                (0..areas.len()).map(|_| chance.below(1_000) as usize).collect()
            } else {
                let mut rank = vec![0; areas.len()];
                for (i, area) in order.iter().enumerate() {
                    rank[*area] = areas.len() - i;
                }
                let (a, b) = (chance.below(areas.len() as u32) as usize, chance.below(areas.len() as u32) as usize);
                rank.swap(a, b);
                rank
            };
            let next = topological(areas, &shuffled).unwrap_or_else(|| order.clone());
            let tried = field.in_order(&next, None);
            if key(&tried) <= key(&best) || chance.below(8) == 0 {
                order = next;
            }
            tried
        } else {
            // All areas may take until the finish that is to be beaten; hours that were crowded cost.
            let target = best.as_ref().map_or(field.end(), |p| score(p).0.saturating_sub(1).max(bound));
            if round % 64 == 1 {
                price.iter_mut().for_each(|p| *p = chance.unit() * 0.01);
            }
            let deadlines = deadlines(field, target);
            let wishes: Vec<Option<Placed>> = wishes(field, &order, &deadlines, &price);
            crowd(field, &wishes, &mut price);
            field.in_order(&order, Some((&price, &deadlines)))
        };
        if key(&tried) < key(&best) {
            best = tried;
        }
    }
    best
}

/// By when each area's last coat must be touch dry, so that what waits for it can still make the target.
fn deadlines(field: &Field<'_>, target: usize) -> Vec<usize> {
    let areas = &field.job.areas;
    let mut by = vec![target; areas.len()];
    let order = topological(areas, &vec![1; areas.len()]).unwrap_or_default();
    for area in order.into_iter().rev().filter(|a| !areas[*a].after.is_empty()) {
        // The latest release from which it still makes its own deadline: later is never earlier.
        let makes = |release: usize| {
            field.place(area, release, &field.all_free(), None, None).is_ok_and(|p| p.finish() <= by[area])
        };
        let (mut low, mut high) = (0, field.end());
        while low + 1 < high {
            let middle = (low + high) / 2;
            if makes(middle) { low = middle } else { high = middle }
        }
        for before in &areas[area].after {
            by[*before] = by[*before].min(low);
        }
    }
    by
}

/// Where each area would be if painters were everybody's, at these prices.
fn wishes(field: &Field<'_>, order: &[usize], deadlines: &[usize], price: &[f64]) -> Vec<Option<Placed>> {
    let mut placed: Vec<Option<Placed>> = vec![None; field.job.areas.len()];
    for area in order {
        let release = field.release(*area, &placed);
        placed[*area] = field.place(*area, release, &field.all_free(), Some(deadlines[*area]), Some(price)).ok();
    }
    placed
}

/// Raises the price of hours in which more painters are wished for than there are.
fn crowd(field: &Field<'_>, wishes: &[Option<Placed>], price: &mut [f64]) {
    let mut wanted = vec![0u32; field.end()];
    for coat in wishes.iter().flatten().flat_map(|p| &p.coats) {
        (coat.from..coat.to).chain(coat.sand.iter().copied()).for_each(|h| wanted[h] += 1);
    }
    for (price, wanted) in price.iter_mut().zip(wanted) {
        *price = *price * 0.97 + f64::from(wanted.saturating_sub(field.job.work.painters));
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn fair(hours: usize) -> Vec<Hour> {
        vec![Hour { temperature: 20.0, humidity: 60.0, rain: 0.0, wind: 2.0 }; hours]
    }

    fn step() -> Step {
        Step {
            coat_hours: 0.25,
            sand_hours: 0.25,
            touch_dry: 6.0,
            dew_safe: 8.0,
            recoat_min: 16.0,
            recoat_max: Some(72.0),
            temperature: [8.0, 30.0],
            humidity_max: 85.0,
            dew_margin: 3.0,
            wind_max: 6.0,
        }
    }

    fn area(coats: usize) -> Area {
        Area { area: 8.0, outside: true, after: Vec::new(), not_before: 0, steps: vec![step(); coats] }
    }

    fn job(weather: Vec<Hour>, areas: Vec<Area>) -> Job {
        let work = Work { weekdays: vec![1, 2, 3, 4, 5], from: 8, to: 17, painters: 1 };
        Job { first_weekday: 1, weather, shed: [4.0, -15.0], work, areas }
    }

    fn planned(job: &Job) -> Plan {
        match plan(job, 400).unwrap() {
            Answer::Plan(plan) => plan,
            Answer::Impossible(why) => panic!("{why:?}"),
        }
    }

    /// A checker of its own: every rule of the contract, hour by hour, from the plan and the job alone.
    fn breaks(job: &Job, plan: &Plan) -> Vec<String> {
        let mut wrong = Vec::new();
        let mut busy = vec![0u32; job.weather.len() + 1];
        let air = |area: &Area, h: usize| {
            let here = job.weather[h];
            if area.outside {
                (here.temperature, here.humidity)
            } else {
                (here.temperature + job.shed[0], (here.humidity + job.shed[1]).max(0.1))
            }
        };
        let gain = |area: &Area, from: usize, to: usize| -> f64 {
            (from..to)
                .map(|h| {
                    let (t, rh) = air(area, h);
                    1.0 / (2f64.powf((20.0 - t) / 10.0) * if rh > 75.0 { 1.3 } else { 1.0 })
                })
                .sum()
        };
        let works = |h: usize| {
            let day = (job.first_weekday as usize - 1 + h / 24) % 7 + 1;
            job.work.weekdays.contains(&(day as u32)) && h % 24 >= job.work.from && h % 24 < job.work.to
        };
        for (a, area) in job.areas.iter().enumerate() {
            let own: Vec<&Coat> = plan.coats.iter().filter(|c| c.area == a).collect();
            if own.len() != area.steps.len() {
                wrong.push(format!("area {a} has {} coats", own.len()));
            }
            for (k, coat) in own.iter().enumerate() {
                let step = &area.steps[k];
                let n = (area.area * step.coat_hours - 1e-9).ceil().max(1.0) as usize;
                if coat.step != k
                    || coat.to - coat.from != n
                    || !(coat.from..coat.to).all(works)
                    || coat.from / 24 != (coat.to - 1) / 24
                {
                    wrong.push(format!("area {a} coat {k} is not laid in its hours"));
                }
                let dry = gain(area, coat.to, coat.touch_dry);
                if dry < step.touch_dry - 1e-6
                    || (coat.touch_dry > coat.to && gain(area, coat.to, coat.touch_dry - 1) >= step.touch_dry + 1e-6)
                {
                    wrong.push(format!("area {a} coat {k} is dry at another hour"));
                }
                let mut h = coat.from;
                while h < coat.touch_dry || gain(area, coat.to, h.max(coat.to)) < step.dew_safe - 1e-6 {
                    if h >= job.weather.len() {
                        wrong.push(format!("area {a} coat {k} is never safe"));
                        break;
                    }
                    let (t, rh) = air(area, h);
                    let g = (rh / 100.0).ln() + 17.62 * t / (243.12 + t);
                    let dew = 243.12 * g / (17.62 - g);
                    let dry_yet = h >= coat.touch_dry;
                    let outside = area.outside
                        && (job.weather[h].rain > 0.0 || (h < coat.to && job.weather[h].wind > step.wind_max));
                    if outside
                        || t < dew + step.dew_margin
                        || (!dry_yet && (t < step.temperature[0] || t > step.temperature[1] || rh > step.humidity_max))
                    {
                        wrong.push(format!("area {a} coat {k} is spoilt in hour {h}"));
                        break;
                    }
                    h += 1;
                }
                (coat.from..coat.to).chain(coat.sand.iter().copied()).for_each(|h| busy[h] += 1);
                if k == 0 {
                    let waits = area.after.iter().flat_map(|b| plan.coats.iter().filter(move |c| c.area == *b));
                    if waits.map(|c| c.touch_dry).max().unwrap_or(0) > coat.from || !coat.sand.is_empty() {
                        wrong.push(format!("area {a} does not wait"));
                    }
                    continue;
                }
                let before = own[k - 1];
                let last = &area.steps[k - 1];
                if gain(area, before.to, coat.from) < last.recoat_min - 1e-6 {
                    wrong.push(format!("area {a} coat {k} is too early"));
                }
                let missed = last.recoat_max.is_some_and(|max| gain(area, before.to, coat.from) > max + 1e-6);
                let m = (area.area * step.sand_hours - 1e-9).ceil().max(1.0) as usize;
                let mut sand = coat.sand.clone();
                sand.dedup();
                let right = if missed { sand.len() == m && coat.sand.len() == m } else { sand.is_empty() };
                let at_work = coat
                    .sand
                    .iter()
                    .all(|h| works(*h) && *h < coat.from && gain(area, before.to, *h) >= last.recoat_min - 1e-6);
                if !right || !at_work {
                    wrong.push(format!("area {a} coat {k} is not sanded as it should be"));
                }
            }
        }
        if busy.iter().any(|b| *b > job.work.painters) {
            wrong.push("more painters than there are".to_owned());
        }
        if plan.coats.iter().map(|c| c.touch_dry).max() != Some(plan.finish) || plan.bound > plan.finish {
            wrong.push("finish and bound do not hold".to_owned());
        }
        wrong
    }

    /// One area by brute force: every chain of starts there is.
    fn brute(job: &Job) -> Option<(usize, usize)> {
        let field = Field::new(job);
        let air = field.air(&job.areas[0]);
        let mut best = None;
        fn on(
            field: &Field<'_>,
            air: &Air,
            k: usize,
            before: Option<Start>,
            sanded: usize,
            best: &mut Option<(usize, usize)>,
        ) {
            let stages = &field.stages[0];
            for s in before.map_or(0, |b| b.recoat)..field.end() {
                let Some(start) = stages[k].starts[s] else { continue };
                let missed = before.is_some_and(|b| {
                    stages[k - 1].recoat_max.is_some_and(|m| air.gained[s] - air.gained[b.to] > m + 1e-9)
                });
                let free = before.map_or(0, |b| (b.recoat..s).filter(|h| field.working[*h]).count());
                if missed && free < stages[k].sanding {
                    continue;
                }
                let now = sanded + usize::from(missed);
                if k + 1 == stages.len() {
                    let told = (start.touch_dry, now);
                    if best.is_none_or(|b| told < b) {
                        *best = Some(told);
                    }
                } else {
                    on(field, air, k + 1, Some(start), now, best);
                }
            }
        }
        on(&field, air, 0, None, 0, &mut best);
        best
    }

    #[test]
    fn three_coats_in_fair_weather_go_on_day_after_day() {
        let told = planned(&job(fair(24 * 7), vec![area(3)]));
        // Two hours of painting from eight; sixteen hours at 20 °C later it is the middle of the night: next morning.
        assert_eq!(told.coats.iter().map(|c| c.from).collect::<Vec<_>>(), [8, 32, 56]);
        assert_eq!((told.finish, told.bound, told.proven), (64, 64, true));
        assert!(told.coats.iter().all(|c| c.sand.is_empty()));
    }

    #[test]
    fn a_weekend_beyond_the_maximum_brings_the_sanding_in() {
        let mut one = area(2);
        one.steps[0].recoat_max = Some(48.0);
        let mut work = job(fair(24 * 7), vec![one]);
        // Friday's coat; nobody works before Monday, 62 hours later.
        work.first_weekday = 5;
        let told = planned(&work);
        assert_eq!(told.coats[1].from, 82, "Monday: sanded from eight, coated from ten");
        assert_eq!(told.coats[1].sand, [80, 81]);
    }

    #[test]
    fn a_coat_that_is_on_holds_the_next_one_back_and_every_hour_says_what_forbids_it() {
        let held = Area { not_before: 33, ..area(1) };
        let one = job(fair(24 * 4), vec![held]);
        assert_eq!(planned(&one).coats[0].from, 33, "Tuesday, nine o’clock");
        let whole = first_starts(&one).unwrap();
        assert_eq!(whole[0][8], Why::default());
        assert_eq!(whole[0][16], Why { hours: 1, ..Why::default() }, "two hours do not end by five");
        assert_eq!(whole[0][7].hours, 1);
        // A recipe of the table can be placed as it is.
        let steps = super::super::Recipe::PaintTopsides.steps().iter().map(Step::of).collect();
        assert!(planned(&job(fair(24 * 14), vec![Area { steps, ..area(1) }])).proven);
    }

    #[test]
    fn what_forbids_every_start_is_counted_by_cause() {
        let mut wet = fair(48);
        wet.iter_mut().for_each(|h| h.rain = 0.2);
        let Answer::Impossible(told) = plan(&job(wet, vec![area(1)]), 10).unwrap() else { panic!("it rains") };
        assert_eq!((told[0].area, told[0].step, told[0].why.rain), (0, 0, 48));
        assert_eq!(told[0].why.cold + told[0].why.dew + told[0].why.damp, 0);
        // Two days are too short for a second coat to dry.
        let Answer::Impossible(told) = plan(&job(fair(40), vec![area(2)]), 10).unwrap() else { panic!("too short") };
        assert_eq!(told[0].step, 1);
        assert!(told[0].why.end > 0 && told[0].why.hours > 0);
    }

    #[test]
    fn coats_the_forecast_does_not_reach_leave_those_before_them_placed() {
        let waits = Area { after: vec![0], ..area(1) };
        let one = job(fair(24 * 3), vec![area(5), area(1), waits]);
        let (told, short) = as_far_as_it_goes(&one, 50).unwrap();
        let told = told.expect("some find a place");
        let of = |a: usize| told.coats.iter().filter(|c| c.area == a).count();
        assert_eq!((of(0), of(1), of(2)), (3, 1, 0), "the third area waits for the first, which is not done");
        assert_eq!(short.iter().map(|s| (s.area, s.step)).collect::<Vec<_>>(), [(0, 3)]);
        let mut wet = fair(48);
        wet.iter_mut().for_each(|h| h.rain = 0.2);
        let (none, short) = as_far_as_it_goes(&job(wet, vec![area(2)]), 10).unwrap();
        assert!(none.is_none() && short[0].step == 0);
        let all = job(fair(24 * 7), vec![area(3)]);
        assert_eq!(as_far_as_it_goes(&all, 10).unwrap(), (Some(planned(&all)), Vec::new()));
    }

    #[test]
    fn a_coat_that_can_only_be_coated_over_after_the_forecast_ends_says_so() {
        // Monday’s coat is dry by two and wants sixteen hours: the forecast ends at eight in the evening.
        let Answer::Impossible(told) = plan(&job(fair(20), vec![area(2)]), 10).unwrap() else { panic!("too short") };
        assert_eq!((told[0].step, told[0].why), (1, Why { end: 1, ..Why::default() }));
    }

    #[test]
    fn a_shed_knows_no_rain_and_is_drier() {
        let mut wet = fair(24 * 5);
        wet.iter_mut().for_each(|h| (h.rain, h.humidity, h.wind) = (1.0, 92.0, 12.0));
        let inside = Area { outside: false, ..area(2) };
        assert!(planned(&job(wet, vec![inside])).proven);
    }

    #[test]
    fn a_job_that_is_none_is_refused_at_its_field() {
        let refused = |change: &dyn Fn(&mut Job)| {
            let mut one = job(fair(48), vec![area(2), area(1)]);
            change(&mut one);
            plan(&one, 1).unwrap_err().field
        };
        assert_eq!(refused(&|j| j.first_weekday = 8), "first_weekday");
        assert_eq!(refused(&|j| j.weather.clear()), "weather");
        assert_eq!(refused(&|j| j.weather[3].humidity = 120.0), "weather[3].humidity");
        assert_eq!(refused(&|j| j.work.to = 8), "work.to");
        assert_eq!(refused(&|j| j.work.painters = 0), "work.painters");
        assert_eq!(refused(&|j| j.areas[1].area = 0.0), "areas[1].area_m2");
        assert_eq!(refused(&|j| j.areas[0].steps[1].touch_dry = -1.0), "areas[0].steps[1].touch_dry");
        assert_eq!(refused(&|j| j.areas[0].after = vec![5]), "areas[0].after");
        assert_eq!(refused(&|j| (j.areas[0].after, j.areas[1].after) = (vec![1], vec![0])), "areas");
    }

    #[test]
    fn an_area_waits_for_the_one_above_it_and_painters_are_shared() {
        let mut below = area(2);
        below.after = vec![0];
        let one = job(fair(24 * 14), vec![area(2), below, area(3)]);
        let told = planned(&one);
        assert!(breaks(&one, &told).is_empty(), "{:?}", breaks(&one, &told));
        let two = Job { work: Work { painters: 2, ..one.work.clone() }, ..one.clone() };
        assert!(planned(&two).finish <= told.finish);
    }

    prop_compose! {
        fn weather(days: usize)(seed in any::<u64>()) -> Vec<Hour> {
            let mut chance = Chance::seeded(seed);
            let mut wet = 0;
            (0..days * 24)
                .map(|h| {
                    if chance.below(30) == 0 { wet = chance.below(9); }
                    wet = u32::saturating_sub(wet, 1);
                    let day = ((h % 24) as f64 / 24.0 * std::f64::consts::TAU).cos();
                    Hour {
                        temperature: 14.0 - 5.0 * day + 2.0 * chance.unit(),
                        humidity: (68.0 + 14.0 * day + 14.0 * chance.unit()).min(100.0),
                        rain: if wet > 0 { 0.4 } else { 0.0 },
                        wind: 9.0 * chance.unit().powi(3),
                    }
                })
                .collect()
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(120))]
        #[test]
        fn one_area_is_placed_as_brute_force_places_it(w in weather(4), max in 20.0..60.0f64, coats in 1usize..4) {
            let mut one = area(coats);
            one.steps.iter_mut().for_each(|s| { s.recoat_max = Some(max); s.recoat_min = 9.0; s.dew_margin = 1.0; });
            let job = job(w, vec![one]);
            match plan(&job, 0).unwrap() {
                Answer::Plan(told) => {
                    let sanded = told.coats.iter().filter(|c| !c.sand.is_empty()).count();
                    prop_assert_eq!(brute(&job), Some((told.finish, sanded)));
                    prop_assert!(told.proven && breaks(&job, &told).is_empty(), "{:?}", breaks(&job, &told));
                }
                Answer::Impossible(why) => {
                    prop_assert_eq!(brute(&job), None);
                    prop_assert!(why[0].why != Why::default());
                }
            }
        }

        #[test]
        fn no_plan_of_several_breaks_a_rule(w in weather(10), painters in 1u32..3, sizes in proptest::collection::vec(1usize..4, 2..5)) {
            let mut areas: Vec<Area> = sizes.iter().map(|n| area(*n)).collect();
            areas.iter_mut().flat_map(|a| &mut a.steps).for_each(|s| { s.recoat_min = 9.0; s.dew_margin = 1.0; s.recoat_max = Some(40.0); });
            let last = areas.len() - 1;
            areas[last].after = vec![0];
            areas[1].outside = false;
            let mut job = job(w, areas);
            job.work.painters = painters;
            job.work.weekdays = (1..=7).collect();
            if let Answer::Plan(told) = plan(&job, 60).unwrap() {
                prop_assert!(breaks(&job, &told).is_empty(), "{:?}", breaks(&job, &told));
            }
        }

        #[test]
        fn a_warmer_dry_hour_never_makes_one_area_later(w in weather(6), at in 0usize..144, up in 0.1..3.0f64) {
            let job = job(w, vec![Area { outside: false, ..area(2) }]);
            let mut warmer = job.clone();
            // Warmer air with the same water in it is drier, and stays within the limits of the coat.
            warmer.weather[at].temperature += up;
            warmer.weather[at].humidity *= 0.9;
            let finish = |job: &Job| match plan(job, 0).unwrap() {
                Answer::Plan(plan) => plan.finish,
                Answer::Impossible(_) => usize::MAX,
            };
            // No maximum is missed in so short a time.
            prop_assert!(finish(&warmer) <= finish(&job));
        }
    }
}
