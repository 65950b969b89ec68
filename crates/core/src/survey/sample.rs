//! A sample of fastenings drawn: what it says of the region it was drawn from, and how many more would settle it.

use serde::Serialize;

use crate::error::{self, InputError};

/// What to do with a region (*yard rule*).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum SampleVerdict {
    /// At most a tenth can be bad.
    Leave,
    /// At least three tenths are bad: refasten the region.
    Refasten,
    /// Refasten what is bad and draw more.
    DrawMore,
}

/// Share of bad fastenings in a region, with its exact two-sided interval.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SampleResult {
    pub estimate: f64,
    pub low: f64,
    pub high: f64,
    pub verdict: SampleVerdict,
    /// How many more would settle it at the present share; `None` when settled, or when drawing all would not.
    pub draw_more: Option<u32>,
}

/// Upper bound up to which a region is left.
const LEAVE_UP_TO: f64 = 0.10;
/// Lower bound from which a region is refastened.
const REFASTEN_FROM: f64 = 0.30;
/// Samples larger than this share of the population are not drawn as if from an endless one.
const FINITE_FROM: f64 = 0.10;
/// Largest region taken.
pub const LARGEST_POPULATION: u32 = 1_000_000;

/// Reads a sample: `bad` of `drawn` fastenings out of `population`, at a two-sided `confidence` (0.5 … 0.999).
///
/// Clopper–Pearson, or where more than a tenth of the region was drawn the hypergeometric interval. Errors name
/// `population`, `drawn`, `bad` or `confidence`.
pub fn read(population: u32, drawn: u32, bad: u32, confidence: f64) -> Result<SampleResult, InputError> {
    if population == 0 || population > LARGEST_POPULATION {
        return Err(InputError::new(
            "population",
            format!("must be between 1 and {LARGEST_POPULATION}, was {population}"),
        ));
    }
    if drawn == 0 || drawn > population {
        return Err(InputError::new(
            "drawn",
            format!("must be between 1 and the population ({population}), was {drawn}"),
        ));
    }
    if bad > drawn {
        return Err(InputError::new("bad", format!("must not be more than were drawn ({drawn}), was {bad}")));
    }
    error::within("confidence", confidence, 0.5, 0.999)?;
    let tail = (1.0 - confidence) / 2.0;
    let factorials = LogFactorials::up_to(population);
    let interval = |drawn: u32, bad: u32| interval(&factorials, population, drawn, bad, tail);
    let (low, high) = interval(drawn, bad);
    let verdict = verdict(low, high);
    let estimate = f64::from(bad) / f64::from(drawn);
    let draw_more = (verdict == SampleVerdict::DrawMore)
        .then(|| {
            let settles = |n: u32| {
                let (low, high) = interval(n, (estimate * f64::from(n)).round() as u32);
                self::verdict(low, high) != SampleVerdict::DrawMore
            };
            // Rounding the number of bad ones makes the bounds saw-toothed, so every size is tried in turn.
            (drawn + 1..=population).find(|n| settles(*n)).map(|n| n - drawn)
        })
        .flatten();
    Ok(SampleResult { estimate, low, high, verdict, draw_more })
}

fn verdict(low: f64, high: f64) -> SampleVerdict {
    if high <= LEAVE_UP_TO {
        SampleVerdict::Leave
    } else if low >= REFASTEN_FROM {
        SampleVerdict::Refasten
    } else {
        SampleVerdict::DrawMore
    }
}

fn interval(factorials: &LogFactorials, population: u32, drawn: u32, bad: u32, tail: f64) -> (f64, f64) {
    if f64::from(drawn) > FINITE_FROM * f64::from(population) {
        hypergeometric(factorials, population, drawn, bad, tail)
    } else {
        clopper_pearson(factorials, drawn, bad, tail)
    }
}

/// ln n! for every n up to a size.
struct LogFactorials(Vec<f64>);

impl LogFactorials {
    fn up_to(n: u32) -> Self {
        let mut logs = vec![0.0];
        let mut sum = 0.0;
        for k in 1..=n {
            sum += f64::from(k).ln();
            logs.push(sum);
        }
        Self(logs)
    }

    fn choose(&self, n: u32, k: u32) -> f64 {
        self.0[n as usize] - self.0[k as usize] - self.0[(n - k) as usize]
    }
}

/// Bounds where a binomial tail is just `tail`, by bisection.
fn clopper_pearson(f: &LogFactorials, drawn: u32, bad: u32, tail: f64) -> (f64, f64) {
    let at_most = |k: u32, p: f64| -> f64 {
        (0..=k).map(|i| (f.choose(drawn, i) + f64::from(i) * p.ln() + f64::from(drawn - i) * (-p).ln_1p()).exp()).sum()
    };
    let solve = |too_low: &dyn Fn(f64) -> bool| {
        let (mut low, mut high) = (0.0, 1.0);
        // As fine as a double gets.
        for _ in 0..60 {
            let middle = (low + high) / 2.0;
            if too_low(middle) { low = middle } else { high = middle }
        }
        (low + high) / 2.0
    };
    let low = if bad == 0 { 0.0 } else { solve(&|p| 1.0 - at_most(bad - 1, p) < tail) };
    let high = if bad == drawn { 1.0 } else { solve(&|p| at_most(bad, p) > tail) };
    (low, high)
}

/// Smallest and largest number of bad ones in the region that the sample does not rule out, as shares.
fn hypergeometric(f: &LogFactorials, population: u32, drawn: u32, bad: u32, tail: f64) -> (f64, f64) {
    let good = drawn - bad;
    // Chance of at most `k` bad in the draw when `total` of the region are bad.
    let at_most = |k: i64, total: u32| -> f64 {
        let least = (i64::from(drawn) - i64::from(population - total)).max(0);
        (least..=k.min(i64::from(total.min(drawn))))
            .map(|i| {
                let i = i as u32;
                (f.choose(total, i) + f.choose(population - total, drawn - i) - f.choose(population, drawn)).exp()
            })
            .sum()
    };
    let (least, most) = (bad, population - good);
    // P(X ≥ bad) rises with the number of bad ones, P(X ≤ bad) falls: both are found by halving.
    let first = |holds: &dyn Fn(u32) -> bool| {
        let (mut low, mut high) = (least, most + 1);
        while low < high {
            let middle = low + (high - low) / 2;
            if holds(middle) { high = middle } else { low = middle + 1 }
        }
        low
    };
    let low = first(&|total| 1.0 - at_most(i64::from(bad) - 1, total) > tail);
    let past_high = first(&|total| at_most(i64::from(bad), total) <= tail);
    let share = |total: u32| f64::from(total) / f64::from(population);
    (share(low.min(most)), share(past_high.saturating_sub(1).max(least)))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn three_bad_of_twenty_from_a_whole_waterline_settles_nothing() {
        let result = read(2_400, 20, 3, 0.95).unwrap();
        assert!((result.low - 0.032_070_937_185_463_75).abs() < 1e-9, "{}", result.low);
        assert!((result.high - 0.378_926_826_545_313_73).abs() < 1e-9, "{}", result.high);
        assert_eq!(result.verdict, SampleVerdict::DrawMore);
    }

    #[test]
    fn published_clopper_pearson_bounds_are_met() {
        // Tables of exact 95 % limits: 0/10, 5/10, 10/10, 1/50.
        for (n, b, low, high) in
            [(10, 0, 0.0, 0.3085), (10, 5, 0.1871, 0.8129), (10, 10, 0.6915, 1.0), (50, 1, 0.0005, 0.1065)]
        {
            let result = read(100_000, n, b, 0.95).unwrap();
            assert!((result.low - low).abs() < 5e-5 && (result.high - high).abs() < 5e-5, "{b}/{n}: {result:?}");
        }
    }

    #[test]
    fn a_third_of_a_small_region_drawn_is_a_finite_matter() {
        let result = read(60, 20, 3, 0.95).unwrap();
        assert_eq!((result.low, result.high), (3.0 / 60.0, 20.0 / 60.0));
    }

    #[test]
    fn drawing_everything_leaves_no_doubt() {
        let all = read(40, 40, 13, 0.95).unwrap();
        assert_eq!((all.low, all.high, all.verdict), (0.325, 0.325, SampleVerdict::Refasten));
        assert_eq!(read(40, 40, 2, 0.95).unwrap().verdict, SampleVerdict::Leave);
        // A fifth bad is neither: drawing all would not settle it.
        assert_eq!(read(40, 20, 4, 0.95).unwrap().draw_more, None);
    }

    #[test]
    fn impossible_samples_are_refused_by_field() {
        assert_eq!(read(0, 1, 0, 0.95).unwrap_err().field, "population");
        assert_eq!(read(10, 11, 0, 0.95).unwrap_err().field, "drawn");
        assert_eq!(read(10, 5, 6, 0.95).unwrap_err().field, "bad");
        assert_eq!(read(10, 5, 3, 1.0).unwrap_err().field, "confidence");
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]

        #[test]
        fn the_interval_holds_the_estimate_and_narrows_with_confidence(n in 1u32..200, share in 0.0..=1.0f64, population in 200u32..2_000) {
            let bad = (share * f64::from(n)).floor() as u32;
            let (wide, narrow) = (read(population, n, bad, 0.99).unwrap(), read(population, n, bad, 0.80).unwrap());
            prop_assert!(wide.low <= wide.estimate + 1e-9 && wide.estimate <= wide.high + 1e-9);
            prop_assert!(wide.low <= narrow.low + 1e-9 && narrow.high <= wide.high + 1e-9);
        }

        #[test]
        fn what_it_says_would_settle_it_does(n in 5u32..60, share in 0.0..=1.0f64) {
            let bad = (share * f64::from(n)).floor() as u32;
            let result = read(1_000, n, bad, 0.95).unwrap();
            if let Some(more) = result.draw_more {
                let then = n + more;
                let settled = read(1_000, then, (result.estimate * f64::from(then)).round() as u32, 0.95).unwrap();
                prop_assert!(settled.verdict != SampleVerdict::DrawMore);
            }
        }
    }
}
