//! Hours: a rate per operation, learned from what was logged, and the whole job by simulation.

use crate::chance::Chance;
use crate::choice::choices;

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

impl Operation {
    /// Hours for one unit, from the yard's starting table (*yard rule*), and the unit.
    pub fn rate(self) -> (f64, &'static str) {
        match self {
            Self::Shore => (1.0, "place"),
            Self::Strip => (0.8, "m"),
            Self::Reef => (0.35, "m of seam"),
            Self::CutOut => (1.0, "m of cut"),
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

/// A rate learned from logged jobs (hours per unit): the geometric mean with the table value as three jobs.
/// Logged values that are not greater than zero are passed over.
pub fn learn(table_rate: f64, logged: &[f64]) -> f64 {
    let logs: Vec<f64> = logged.iter().filter(|rate| **rate > 0.0).map(|rate| rate.ln()).collect();
    ((PRIOR_JOBS * table_rate.ln() + logs.iter().sum::<f64>()) / (PRIOR_JOBS + logs.len() as f64)).exp()
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
        (0..RUNS).map(|_| medians.iter().map(|median| median * (SPREAD * normal(&mut random)).exp()).sum()).collect();
    totals.sort_by(f64::total_cmp);
    Hours { p50: totals[RUNS / 2], p80: totals[RUNS * 4 / 5] }
}

/// A standard normal number (Box–Muller).
fn normal(random: &mut Chance) -> f64 {
    let (u, v) = (1.0 - random.unit(), random.unit());
    (-2.0 * u.ln()).sqrt() * (std::f64::consts::TAU * v).cos()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn logged_hours_pull_the_rate_and_the_table_holds_back() {
        assert_eq!(learn(2.0, &[]), 2.0);
        let learned = learn(2.0, &[4.0, 4.0, 4.0]);
        assert!((learned - 8f64.sqrt()).abs() < 1e-12, "three jobs against a prior of three meet in the middle");
        assert_eq!(learn(2.0, &[0.0, -1.0]), 2.0);
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
