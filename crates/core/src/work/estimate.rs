//! Hours: a rate per operation, learned from what was logged, and the whole job by simulation.

use statrs::distribution::{ContinuousCDF, StudentsT};

use crate::chance::Chance;
use crate::choice::choices;
use crate::error::{self, InputError};

choices! {
    /// What hours are booked on. Fitting and fixing are separate: their ratio is often ten to one.
    Operation {
        Shore = "shore", "Shore and brace";
        Strip = "strip", "Strip and open up";
        Reef = "reef", "Reef out the seams";
        CutOut = "cut_out", "Cut out";
        TakeShape = "take_shape", "Take the shape";
        Mill = "mill", "Mill and shape";
        Bend = "bend", "Steam and bend";
        DryFit = "dry_fit", "Dry-fit and try";
        Glue = "glue", "Glue and clamp";
        Fasten = "fasten", "Fasten";
        Fair = "fair", "Plane and fair";
        Caulk = "caulk", "Caulk and pay";
        Lap = "lap", "Clean and bed the laps";
        Seal = "seal", "Prime and seal";
        Coat = "coat", "Coat";
        Inspect = "inspect", "Inspect again";
    }
}

choices! {
    /// What hours are for.
    HourKind {
        Work = "work", "work";
        Rework = "rework", "doing over";
        Idle = "idle", "waiting";
    }
}

impl Operation {
    /// Hours for one unit, from the yard's starting table (*yard rule*), and the unit.
    pub fn rate(self) -> (f64, &'static str) {
        match self {
            Self::Shore => (1.0, "place"),
            Self::Strip => (0.8, "m"),
            Self::Reef => (0.35, "m of seam"),
            Self::CutOut => (1.0, "m"),
            Self::TakeShape => (0.9, "m"),
            Self::Mill => (1.1, "m"),
            Self::Bend => (0.8, "m"),
            Self::DryFit => (2.2, "m"),
            Self::Glue => (0.5, "m"),
            Self::Fasten => (0.12, "fastening"),
            Self::Fair => (0.6, "m"),
            Self::Caulk => (0.5, "m of seam"),
            Self::Lap => (0.6, "m of lap"),
            Self::Seal => (0.25, "m"),
            Self::Coat => (0.35, "m²"),
            Self::Inspect => (0.5, "place"),
        }
    }

    /// Measuring, patterns, shaping and trying, as against fixing in place.
    pub fn is_fitting(self) -> bool {
        matches!(self, Self::TakeShape | Self::Mill | Self::Bend | Self::DryFit | Self::CutOut)
    }
}

/// Spread of log-hours before anything is learned (*yard rule*): P80 is about half as much again as P50.
pub const SPREAD: f64 = 0.5;
/// The table value counts as this many jobs.
const PRIOR_JOBS: f64 = 3.0;
/// The standard normal at 80 %.
const Z80: f64 = 0.841_621_233_572_914_3;

/// Hours as a log-normal: half the jobs take less than `p50`, four in five less than `p80`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Hours {
    pub p50: f64,
    pub p80: f64,
}

impl Hours {
    pub fn around(median: f64) -> Self {
        Self { p50: median, p80: median * (Z80 * SPREAD).exp() }
    }
}

/// A job that was logged: how much of what the operation counts, and the hours it took.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Logged {
    pub amount: f64,
    pub hours: f64,
}

/// What a yard knows of an operation's rate: a normal-inverse-gamma over ln(hours per unit) (handbook 08).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Learned {
    /// Mean of ln(rate).
    m: f64,
    /// Jobs it is worth, the table's three among them.
    kappa: f64,
    alpha: f64,
    beta: f64,
    jobs: usize,
}

/// Prior of the scatter: α0 and β0 = 3·0.4².
const SCATTER: (f64, f64) = (3.0, 3.0 * 0.16);
/// First-of-its-kind work: P80 is doubled until so many jobs are logged (*yard rule*).
const FIRST_JOBS: usize = 3;

impl Learned {
    /// From the table's rate (h per unit) and the jobs logged. Errors name `table`, `logged[i].amount` or `logged[i].hours`.
    pub fn from(table: f64, logged: &[Logged]) -> Result<Self, InputError> {
        error::positive("table", table)?;
        let mut rates = Vec::with_capacity(logged.len());
        for (i, job) in logged.iter().enumerate() {
            error::positive(&format!("logged[{i}].amount"), job.amount)?;
            error::positive(&format!("logged[{i}].hours"), job.hours)?;
            rates.push((job.hours / job.amount).ln());
        }
        let (n, prior) = (rates.len() as f64, table.ln());
        let mean = if rates.is_empty() { prior } else { rates.iter().sum::<f64>() / n };
        let kappa = PRIOR_JOBS + n;
        let squares: f64 = rates.iter().map(|y| (y - mean).powi(2)).sum();
        Ok(Self {
            m: (PRIOR_JOBS * prior + n * mean) / kappa,
            kappa,
            alpha: SCATTER.0 + n / 2.0,
            beta: SCATTER.1 + squares / 2.0 + PRIOR_JOBS * n * (mean - prior).powi(2) / (2.0 * kappa),
            jobs: rates.len(),
        })
    }

    /// Hours per unit at even odds.
    pub fn rate(&self) -> f64 {
        self.m.exp()
    }

    /// How many of the yard's own jobs stand behind it.
    pub fn jobs(&self) -> usize {
        self.jobs
    }

    /// Hours of a job of this amount. `first_of_kind` doubles P80 while fewer than three jobs are logged.
    pub fn hours(&self, amount: f64, first_of_kind: bool) -> Result<Hours, InputError> {
        error::positive("amount", amount)?;
        let spread = (self.beta * (self.kappa + 1.0) / (self.alpha * self.kappa)).sqrt();
        let doubled = if first_of_kind && self.jobs < FIRST_JOBS { 2.0 } else { 1.0 };
        Ok(Hours {
            p50: amount * self.rate(),
            p80: amount * (self.m + t_at(0.8, 2.0 * self.alpha)? * spread).exp() * doubled,
        })
    }

    /// From the table's rate and whatever was logged: jobs without an amount or without hours are passed over. Errors name
    /// `table`.
    pub fn of(table: f64, logged: impl IntoIterator<Item = Logged>) -> Result<Self, InputError> {
        let told: Vec<Logged> = logged.into_iter().filter(|job| job.amount > 0.0 && job.hours > 0.0).collect();
        Self::from(table, &told)
    }

    /// What one future does to hours that were reckoned by this rate: the factor common to all tasks of the operation, and
    /// the scatter each task multiplies it by.
    pub(super) fn future(&self, random: &mut Chance) -> (f64, f64) {
        let (mean, scatter) = self.draw(random);
        (mean - self.m, scatter)
    }

    /// One rate out of all it may be: the mean of ln(rate) of this yard and the scatter of one job.
    fn draw(&self, random: &mut Chance) -> (f64, f64) {
        let scatter = (self.beta / gamma(self.alpha, random)).sqrt();
        (self.m + scatter / self.kappa.sqrt() * random.normal(), scatter)
    }
}

/// The value Student's t stays below with this probability.
fn t_at(share: f64, freedom: f64) -> Result<f64, InputError> {
    let t = StudentsT::new(0.0, 1.0, freedom).map_err(|e| InputError::new("logged", e.to_string()))?;
    Ok(t.inverse_cdf(share))
}

/// A gamma of this shape and scale one (Marsaglia and Tsang 2000); `shape` ≥ 1.
fn gamma(shape: f64, random: &mut Chance) -> f64 {
    let d = shape - 1.0 / 3.0;
    let c = 1.0 / (9.0 * d).sqrt();
    loop {
        let x = random.normal();
        let v = (1.0 + c * x).powi(3);
        if v > 0.0 && (1.0 - random.unit()).ln() < 0.5 * x * x + d - d * v + d * v.ln() {
            return d * v;
        }
    }
}

/// A task of a whole job: which of the operations, and how much of it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Part {
    /// Index of its operation.
    pub operation: usize,
    pub amount: f64,
}

/// The whole job by simulation: what is not known of an operation's rate is common to all its tasks, what scatters is
/// each task's own (handbook 08). The same seed gives the same answer. Errors name `tasks[i].amount` or `tasks[i].operation`.
pub fn job(parts: &[Part], operations: &[Learned], seed: u64) -> Result<Hours, InputError> {
    const RUNS: usize = 20_000;
    for (i, part) in parts.iter().enumerate() {
        error::positive(&format!("tasks[{i}].amount"), part.amount)?;
        if part.operation >= operations.len() {
            return Err(InputError::new(format!("tasks[{i}].operation"), "is not among the operations"));
        }
    }
    if parts.is_empty() {
        return Ok(Hours { p50: 0.0, p80: 0.0 });
    }
    let mut random = Chance::seeded(seed);
    let mut totals: Vec<f64> = (0..RUNS)
        .map(|_| {
            let drawn: Vec<(f64, f64)> = operations.iter().map(|o| o.draw(&mut random)).collect();
            parts
                .iter()
                .map(|part| {
                    let (mean, scatter) = drawn[part.operation];
                    part.amount * (mean + scatter * random.normal()).exp()
                })
                .sum()
        })
        .collect();
    totals.sort_by(f64::total_cmp);
    Ok(Hours { p50: totals[RUNS / 2], p80: totals[RUNS * 4 / 5] })
}

/// How often the hours a yard reckoned with held: jobs done within their P80, and all jobs done.
///
/// Jobs without hours or without an estimate say nothing.
pub fn held(jobs: &[(f64, f64)]) -> (usize, usize) {
    let told = jobs.iter().filter(|(p80, hours)| *p80 > 0.0 && *hours > 0.0);
    told.fold((0, 0), |(held, all), (p80, hours)| (held + usize::from(hours <= p80), all + 1))
}

/// The whole job: medians of its tasks added up by simulation with a fixed seed.
pub fn whole_job(medians: &[f64]) -> Hours {
    if medians.is_empty() {
        return Hours { p50: 0.0, p80: 0.0 };
    }
    const RUNS: usize = 2_000;
    const SEED: u64 = 20_26;
    let mut random = Chance::seeded(SEED);
    let mut totals: Vec<f64> =
        (0..RUNS).map(|_| medians.iter().map(|median| median * (SPREAD * random.normal()).exp()).sum()).collect();
    totals.sort_by(f64::total_cmp);
    Hours { p50: totals[RUNS / 2], p80: totals[RUNS * 4 / 5] }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn four_in_five_is_counted_over_the_jobs_that_were_logged() {
        assert_eq!(held(&[]), (0, 0));
        assert_eq!(held(&[(5.0, 4.0), (5.0, 5.0), (5.0, 6.0), (5.0, 0.0), (0.0, 2.0)]), (2, 3));
    }

    #[test]
    fn logged_hours_pull_the_rate_and_the_table_holds_back() {
        let learn =
            |hours: &[f64]| Learned::of(2.0, hours.iter().map(|h| Logged { amount: 1.0, hours: *h })).unwrap().rate();
        assert_eq!(learn(&[]), 2.0);
        let learned = learn(&[4.0, 4.0, 4.0]);
        assert!((learned - 8f64.sqrt()).abs() < 1e-12, "three jobs against a prior of three meet in the middle");
        assert_eq!(learn(&[0.0, -1.0]), 2.0);
    }

    fn logged(jobs: &[(f64, f64)]) -> Vec<Logged> {
        jobs.iter().map(|(amount, hours)| Logged { amount: *amount, hours: *hours }).collect()
    }

    #[test]
    fn nothing_logged_is_the_table_and_a_first_of_its_kind_is_doubled_until_three_are() {
        let table = Learned::from(2.0, &[]).unwrap();
        let usual = table.hours(3.0, false).unwrap();
        assert!((usual.p50 - 6.0).abs() < 1e-12);
        // t(0.8; 6) = 0.9057 by any table; the spread is √(0.48·4/9).
        assert!(
            (usual.p80 - 6.0 * (0.905_703_f64 * (0.48_f64 * 4.0 / 9.0).sqrt()).exp()).abs() < 1e-4,
            "{}",
            usual.p80
        );
        assert!((table.hours(3.0, true).unwrap().p80 - 2.0 * usual.p80).abs() < 1e-12);
        let three = Learned::from(2.0, &logged(&[(1.0, 2.0), (2.0, 4.0), (3.0, 6.0)])).unwrap();
        assert_eq!(three.hours(3.0, true).unwrap(), three.hours(3.0, false).unwrap());
    }

    #[test]
    fn a_job_that_took_no_time_is_refused_at_its_place() {
        assert_eq!(Learned::from(0.0, &[]).unwrap_err().field, "table");
        assert_eq!(Learned::from(1.0, &logged(&[(1.0, 1.0), (0.0, 1.0)])).unwrap_err().field, "logged[1].amount");
        assert_eq!(Learned::from(1.0, &logged(&[(1.0, -1.0)])).unwrap_err().field, "logged[0].hours");
        assert_eq!(Learned::from(1.0, &[]).unwrap().hours(0.0, false).unwrap_err().field, "amount");
    }

    /// The simulation of one task against the closed form, and what is common to tasks of one operation.
    #[test]
    fn a_job_of_one_task_is_its_own_estimate_and_common_doubt_does_not_average_out() {
        let known = Learned::from(0.9, &logged(&[(12.0, 14.5), (4.0, 3.1), (7.5, 9.0)])).unwrap();
        let closed = known.hours(20.0, false).unwrap();
        let one = job(&[Part { operation: 0, amount: 20.0 }], &[known], 7).unwrap();
        assert!(
            (one.p50 / closed.p50 - 1.0).abs() < 0.02 && (one.p80 / closed.p80 - 1.0).abs() < 0.02,
            "{one:?} {closed:?}"
        );
        let many = |operations: &[Learned], each: bool| {
            let parts: Vec<Part> = (0..20).map(|i| Part { operation: if each { i } else { 0 }, amount: 1.0 }).collect();
            let told = job(&parts, operations, 7).unwrap();
            told.p80 / told.p50
        };
        assert!(many(&[known], false) > many(&[known; 20], true), "twenty tasks of one operation share its doubt");
        assert_eq!(job(&[], &[known], 7).unwrap(), Hours { p50: 0.0, p80: 0.0 });
        assert_eq!(job(&[Part { operation: 1, amount: 1.0 }], &[known], 7).unwrap_err().field, "tasks[0].operation");
    }

    #[test]
    fn one_task_simulated_is_that_task() {
        let job = whole_job(&[10.0]);
        assert!((job.p50 - 10.0).abs() < 0.5 && (job.p80 - Hours::around(10.0).p80).abs() < 1.0);
        assert_eq!(whole_job(&[10.0]), job, "the seed is fixed");
    }

    proptest! {
        #[test]
        fn a_sum_is_surer_than_its_parts(medians in proptest::collection::vec(0.1..20.0f64, 2..12)) {
            let job = whole_job(&medians);
            let parts: f64 = medians.iter().map(|m| Hours::around(*m).p80).sum();
            prop_assert!(job.p50 < job.p80 && job.p80 < parts * 1.02);
        }
    }
}
