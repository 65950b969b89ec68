//! A sample of fastenings drawn: where to draw, what the sample says of its region, and how many more would settle it.
//!
//! Regions differ in wear, so each is drawn from by itself. Where to draw is picked at random with a seed that is
//! kept: anyone can make the same draw again and see that nobody chose the easy ones.

use std::collections::BTreeSet;

use serde::{Deserialize, Serialize};

use crate::chance::Chance;
use crate::choice::choices;
use crate::error::{self, InputError};
use crate::fastening;
use crate::grid::{Address, Shell, Side, Waterline};
use statrs::distribution::{DiscreteCDF, Hypergeometric};
use statrs::function::beta::beta_reg;

choices! {
    /// Height of a region.
    Height {
        Above = "above", "above the waterline";
        At = "at", "at the waterline";
        Below = "below", "below the waterline";
    }
}

choices! {
    /// Which part of the length.
    Part {
        Ends = "ends", "ends";
        Middle = "middle", "middle";
    }
}

/// A region of the planking whose fastenings wear alike.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct Region {
    pub height: Height,
    pub part: Part,
}

impl Region {
    pub fn all() -> impl Iterator<Item = Self> {
        Height::ALL.iter().flat_map(|height| Part::ALL.iter().map(|part| Self { height: *height, part: *part }))
    }

    /// `At the waterline, middle`.
    pub fn label(self) -> String {
        let text = format!("{}, {}", self.height.label(), self.part.label());
        let mut letters = text.chars();
        letters.next().map_or(String::new(), |first| first.to_uppercase().chain(letters).collect())
    }
}

/// Strakes above the highest one under water that still count as at the waterline, and as many below (*yard rule*).
const AT_WATERLINE: u32 = 1;
/// Share of the frames at each end that counts as the ends (*yard rule*).
const ENDS: f64 = 0.2;

/// The region of a crossing.
pub fn region_of(shell: &Shell, waterline: Waterline, at: Address) -> Region {
    let waterline_strake = waterline.at(at.frame, shell.frame_count());
    let height = if at.strake > waterline_strake + AT_WATERLINE {
        Height::Above
    } else if at.strake + AT_WATERLINE > waterline_strake {
        Height::At
    } else {
        Height::Below
    };
    let ends = (f64::from(shell.frame_count()) * ENDS).round() as u32;
    let part = if at.frame <= ends || at.frame > shell.frame_count() - ends { Part::Ends } else { Part::Middle };
    Region { height, part }
}

/// One fastening of a crossing: the `nth` from the plank's lower edge, counted from 1.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct Spot {
    pub at: Address,
    pub nth: u32,
}

/// Every fastening of a region, in the order of the grid.
pub fn population(shell: &Shell, waterline: Waterline, region: Region) -> Vec<Spot> {
    let mut spots = Vec::new();
    for side in Side::BOTH {
        for strake in 1..=shell.strake_count() {
            for frame in 1..=shell.frame_count() {
                let at = Address { side, strake, frame };
                if region_of(shell, waterline, at) == region {
                    spots.extend((1..=fastening::per_crossing(shell.width(at))).map(|nth| Spot { at, nth }));
                }
            }
        }
    }
    spots
}

/// Picks where to draw next: `count` of the region's fastenings that were not picked before, each as likely as any
/// other. The same population, earlier picks and seed give the same picks; fewer when fewer are left.
pub fn draw(population: &[Spot], before: &BTreeSet<Spot>, count: u32, seed: u64) -> Vec<Spot> {
    let mut left: Vec<Spot> = population.iter().copied().filter(|spot| !before.contains(spot)).collect();
    let mut random = Chance::seeded(seed);
    let count = (count as usize).min(left.len());
    random.shuffle(&mut left, count);
    left.truncate(count);
    left.sort();
    left
}

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
pub const LEAVE_UP_TO: f64 = 0.10;
/// Lower bound from which a region is refastened.
pub const REFASTEN_FROM: f64 = 0.30;
/// Samples larger than this share of the population are not drawn as if from an endless one.
const FINITE_FROM: f64 = 0.10;
/// Largest region taken.
pub const LARGEST_POPULATION: u32 = 200_000;

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
    let (low, high) = interval(population, drawn, bad, tail);
    let verdict = verdict(low, high);
    let estimate = f64::from(bad) / f64::from(drawn);
    let draw_more = match verdict {
        SampleVerdict::DrawMore => settled_by(population, drawn, estimate, tail).map(|n| n - drawn),
        SampleVerdict::Leave | SampleVerdict::Refasten => None,
    };
    Ok(SampleResult { estimate, low, high, verdict, draw_more })
}

/// Rounding the number of bad ones makes the bounds saw-toothed: a smaller size may settle it within so many teeth.
const TEETH: f64 = 3.0;
/// Most sizes tried one by one.
const TRIED: u32 = 600;
/// Fastenings of a region that is large.
const LARGE: u32 = 20_000;

/// The smallest draw that settles a region at its present share of bad ones; `None` where not even drawing all would.
fn settled_by(population: u32, drawn: u32, estimate: f64, tail: f64) -> Option<u32> {
    let settles = |n: u32| {
        let (low, high) = interval(population, n, (estimate * f64::from(n)).round() as u32, tail);
        verdict(low, high) != SampleVerdict::DrawMore
    };
    if estimate > LEAVE_UP_TO && estimate < REFASTEN_FROM {
        // Between the two limits only rounding could settle it, and only in a small draw.
        let rounds = (0.5 / (estimate - LEAVE_UP_TO).min(REFASTEN_FROM - estimate)).ceil();
        let most = rounds.min(f64::from(population.min(drawn + TRIED))) as u32;
        return (drawn + 1..=most).find(|n| settles(*n));
    }
    // In steps that double until it is settled, then halved back to where it first is.
    let (mut unsettled, mut step) = (drawn, 1);
    let mut settled = loop {
        let next = unsettled.saturating_add(step).min(population);
        if settles(next) {
            break next;
        }
        if next == population {
            return None;
        }
        (unsettled, step) = (next, step * 2);
    };
    while settled - unsettled > 1 {
        let middle = unsettled + (settled - unsettled) / 2;
        if settles(middle) { settled = middle } else { unsettled = middle }
    }
    let teeth = if estimate > 0.0 { (TEETH / estimate).ceil() as u32 } else { 0 };
    // In a region so large a few draws more or less are nothing, and each size takes long to tell.
    let teeth = if population > LARGE { 0 } else { teeth.min(TRIED) };
    let from = settled.saturating_sub(teeth).max(drawn + 1);
    (from..=settled).find(|n| settles(*n))
}

impl SampleResult {
    /// What to do, in words; `left`: fastenings of the region that were not drawn.
    pub fn advice(&self, left: u32) -> String {
        match (self.verdict, self.draw_more) {
            (SampleVerdict::Leave, _) => "leave the region; renew what was found bad".to_owned(),
            (SampleVerdict::Refasten, _) => "refasten the region".to_owned(),
            (SampleVerdict::DrawMore, Some(more)) => format!("renew what was found bad and draw {more} more"),
            (SampleVerdict::DrawMore, None) if left == 0 => {
                "all of them were drawn: there is nothing to estimate; mend the bad ones".to_owned()
            }
            (SampleVerdict::DrawMore, None) => {
                "no number of draws would settle it at this share: mend the bad ones as they are found".to_owned()
            }
        }
    }
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

fn interval(population: u32, drawn: u32, bad: u32, tail: f64) -> (f64, f64) {
    if f64::from(drawn) > FINITE_FROM * f64::from(population) {
        hypergeometric(population, drawn, bad, tail)
    } else {
        clopper_pearson(drawn, bad, tail)
    }
}

/// Bounds where a binomial tail is just `tail`: quantiles of the beta distribution (Clopper and Pearson 1934).
fn clopper_pearson(drawn: u32, bad: u32, tail: f64) -> (f64, f64) {
    let (n, b) = (f64::from(drawn), f64::from(bad));
    let low = if bad == 0 { 0.0 } else { beta_quantile(b, n - b + 1.0, tail) };
    let high = if bad == drawn { 1.0 } else { beta_quantile(b + 1.0, n - b, 1.0 - tail) };
    (low, high)
}

/// The quantile of a beta distribution, by bisection on its distribution function: as fine as a double gets.
fn beta_quantile(a: f64, b: f64, share: f64) -> f64 {
    let (mut low, mut high) = (0.0, 1.0);
    for _ in 0..60 {
        let middle = (low + high) / 2.0;
        if beta_reg(a, b, middle) < share { low = middle } else { high = middle }
    }
    (low + high) / 2.0
}

/// Smallest and largest number of bad ones in the region that the sample does not rule out, as shares.
fn hypergeometric(population: u32, drawn: u32, bad: u32, tail: f64) -> (f64, f64) {
    let good = drawn - bad;
    // Chance of at most `k` bad in the draw when `total` of the region are bad.
    let at_most = |k: i64, total: u32| -> f64 {
        let Ok(k) = u64::try_from(k) else { return 0.0 };
        Hypergeometric::new(u64::from(population), u64::from(total), u64::from(drawn)).map_or(1.0, |draw| draw.cdf(k))
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
    use crate::grid::Construction;
    use crate::hull::{Principal, generate};

    fn shell() -> Shell {
        let boat = Principal {
            construction: Construction::CarvelCaulked,
            length: 8_600.0,
            beam: 2_900.0,
            depth: 1_650.0,
            frames: 34,
            strakes: 13,
            plank_thickness: 25.0,
        };
        generate(&boat, 1929).unwrap().shell
    }

    #[test]
    fn every_fastening_is_in_one_region() {
        let shell = shell();
        let mut seen = BTreeSet::new();
        for region in Region::all() {
            for spot in population(&shell, Waterline::level(8), region) {
                assert!(seen.insert(spot), "{spot:?} is in two regions");
            }
        }
        assert!(seen.len() >= (2 * 13 * 34 * 2) as usize);
        assert_eq!(Region { height: Height::At, part: Part::Middle }.label(), "At the waterline, middle");
    }

    #[test]
    fn a_draw_can_be_made_again_and_never_picks_twice() {
        let all = population(&shell(), Waterline::level(8), Region { height: Height::At, part: Part::Middle });
        let first = draw(&all, &BTreeSet::new(), 20, 7);
        assert_eq!(first, draw(&all, &BTreeSet::new(), 20, 7));
        assert_ne!(first, draw(&all, &BTreeSet::new(), 20, 8));
        let before: BTreeSet<Spot> = first.into_iter().collect();
        let second = draw(&all, &before, all.len() as u32, 7);
        assert_eq!(second.len(), all.len() - 20);
        assert!(second.iter().all(|spot| !before.contains(spot)));
    }

    #[test]
    fn no_part_of_a_region_is_favoured() {
        // Over many seeds each of ten spots is picked about as often as any other.
        let spot = |n| Spot { at: Address { side: Side::Port, strake: 1, frame: n }, nth: 1 };
        let ten: Vec<Spot> = (1..=10).map(spot).collect();
        let mut counts = [0u32; 10];
        for seed in 0..5_000 {
            for picked in draw(&ten, &BTreeSet::new(), 3, seed) {
                counts[picked.at.frame as usize - 1] += 1;
            }
        }
        // 1500 each, standard deviation about 32.
        assert!(counts.iter().all(|n| (1_350..1_650).contains(n)), "{counts:?}");
    }

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
    fn where_drawing_more_settles_nothing_it_says_what_to_do() {
        let between = read(400, 40, 8, 0.95).unwrap();
        assert_eq!((between.verdict, between.draw_more), (SampleVerdict::DrawMore, None));
        assert!(between.advice(360).contains("mend the bad ones as they are found"));
        let all = read(40, 40, 8, 0.95).unwrap();
        assert!(all.advice(0).contains("all of them were drawn"));
        let more = read(2_400, 20, 0, 0.95).unwrap();
        assert!(more.advice(2_380).contains(&format!("draw {} more", more.draw_more.unwrap())));
    }

    /// A second method: every size in turn.
    #[test]
    fn the_smallest_draw_that_settles_it_is_that_found_by_trying_every_size() {
        for (population, drawn, bad) in
            [(300, 10, 0), (300, 20, 1), (900, 30, 2), (500, 12, 6), (60, 5, 2), (2_000, 25, 1), (40, 8, 1)]
        {
            let estimate = f64::from(bad) / f64::from(drawn);
            let settles = |n: u32| {
                let (low, high) = interval(population, n, (estimate * f64::from(n)).round() as u32, 0.025);
                verdict(low, high) != SampleVerdict::DrawMore
            };
            let tried = (drawn + 1..=population).find(|n| settles(*n));
            let found = read(population, drawn, bad, 0.95).unwrap();
            if found.verdict == SampleVerdict::DrawMore {
                assert_eq!(found.draw_more, tried.map(|n| n - drawn), "{bad} of {drawn} from {population}");
            }
        }
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
