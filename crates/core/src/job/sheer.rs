//! A sheer taken by eye: a batten is sprung along each side until it looks right, ticked at stations, and the two sides become one line.

use serde::{Deserialize, Serialize};

use super::{Amount, Rate, Steps, Told};
use crate::error::{self, InputError};
use crate::geometry::{Point, polyline_at};
use crate::reason::{Reason, Verdict};
use crate::shape::fair::{self, Fair};
use crate::work::estimate::Operation as O;
use crate::work::tasks::Task;

/// Heights of the batten at one station above one level line, mm; a side that was not ticked there is left out.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Station {
    /// Aft of the first, mm.
    pub x: f64,
    pub port: Option<f64>,
    pub starboard: Option<f64>,
}

/// A sheer by its ticks.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Sheer {
    pub stations: Vec<Station>,
    /// What a tick may be off, mm.
    pub tolerance: f64,
    /// Both sides were measured from one level line: only then can they be held against each other.
    pub level: bool,
}

/// Points of the fair line.
const DENSE: usize = 61;
/// Most stations taken.
const MOST: usize = 100;
/// Sides that differ by more than this many tolerances do not lie alike: she is twisted there, or was measured from two levels.
const APART: f64 = 4.0;
/// A sheer that dips below both its ends is hollow; one that rises over them is hogged or has a reverse sheer. Less than this is flat, mm.
const FLAT: f64 = 3.0;

/// A sheer as it is drawn. Lengths in mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Drawn {
    /// Mean of both sides at each station that has one, with what side it is by where only one was ticked.
    pub means: Vec<Point>,
    /// The fair line, close together.
    pub line: Vec<Point>,
    pub fair: Fair,
    /// Indices into the stations, one for each mean.
    pub rows: Vec<usize>,
    /// Port above starboard at each station where both were ticked.
    pub apart: Vec<(usize, f64)>,
}

impl Sheer {
    /// The mean of both sides, faired; it is struck off on both. Errors name `stations` or `tolerance`. Source: handbook 04 (fairing).
    pub fn draw(&self) -> Result<Drawn, InputError> {
        error::within("tolerance", self.tolerance, 0.0, 50.0)?;
        if self.stations.len() > MOST {
            return Err(InputError::new("stations", format!("takes no more than {MOST}")));
        }
        let mut means = Vec::new();
        let mut rows = Vec::new();
        let mut apart = Vec::new();
        for (i, s) in self.stations.iter().enumerate() {
            for mm in [Some(s.x), s.port, s.starboard].into_iter().flatten() {
                error::within("stations", mm, -error::LENGTH_LIMIT_MM, error::LENGTH_LIMIT_MM)?;
            }
            let mean = match (s.port, s.starboard) {
                (Some(port), Some(starboard)) => {
                    apart.push((i, port - starboard));
                    (port + starboard) / 2.0
                }
                // From two levels one side says nothing of the other.
                (Some(one), None) | (None, Some(one)) if self.level => one,
                (Some(_), None) | (None, Some(_)) => {
                    let message = format!("station {}: both sides are needed, or one level line for both", i + 1);
                    return Err(InputError::new("stations", message));
                }
                (None, None) => continue,
            };
            means.push([s.x, mean]);
            rows.push(i);
        }
        if means.len() < 3 {
            return Err(InputError::new("stations", "needs at least three stations that were ticked"));
        }
        if let Some(i) = (1..means.len()).find(|i| means[*i][0] <= means[i - 1][0]) {
            let message = format!("station {}: must lie aft of the one before it", rows[i] + 1);
            return Err(InputError::new("stations", message));
        }
        let (first, last) = (means[0][0], means[means.len() - 1][0]);
        let xs: Vec<f64> = (0..DENSE).map(|i| first + (last - first) * i as f64 / (DENSE - 1) as f64).collect();
        let fair = fair::fit(&means, self.tolerance, Some(&xs)).map_err(|e| match e.field.as_str() {
            "tolerance" => e,
            _ => InputError::new("stations", e.message),
        })?;
        Ok(Drawn { line: fair.curve.clone(), means, fair, rows, apart })
    }

    pub(super) fn plan(&self, rate: Rate<'_>) -> Result<Told, InputError> {
        let drawn = self.draw()?;
        let line = &drawn.line;
        let (a, b) = (line[0], line[line.len() - 1]);
        let chord = |x: f64| a[1] + (b[1] - a[1]) * (x - a[0]) / (b[0] - a[0]);
        let deepest = line
            .iter()
            .map(|p| [p[0], p[1] - chord(p[0])])
            .max_by(|p, q| p[1].abs().total_cmp(&q[1].abs()))
            .unwrap_or(a);
        let mut told = Told::default();
        told.figure("Long", Amount::Run(b[0] - a[0]));
        told.figure("Forward above aft", Amount::Length(a[1] - b[1]));
        if deepest[1] < -FLAT {
            told.figure("Hangs below its ends by", Amount::Length(-deepest[1]));
            told.figure("most at, from forward", Amount::Run(deepest[0] - a[0]));
        } else if deepest[1] > FLAT {
            told.figure("Rises above its ends by", Amount::Length(deepest[1]));
            told.figure("most at, from forward", Amount::Run(deepest[0] - a[0]));
        }
        told.reasons.extend(self.judged(&drawn));
        told.tasks = Self::tasks((b[0] - a[0]) / 1_000.0, rate);
        Ok(told)
    }

    fn judged(&self, drawn: &Drawn) -> Vec<Reason> {
        let why = |verdict, text: String| Reason::new("sheer.eye", verdict, text).source("handbook 04");
        let mut reasons = vec![why(
            Verdict::Note,
            "the eye is the judge: spring the batten, look from ahead, astern, abeam and well off; heights on the drawing are enlarged so that a bump shows"
                .into(),
        )];
        if !drawn.fair.checked {
            reasons.push(why(
                Verdict::Against,
                "too few stations to check: none can be contradicted by fewer than five others".into(),
            ));
        } else if drawn.fair.suspects.is_empty() {
            reasons.push(why(Verdict::For, "no station speaks against the others".into()));
        }
        for i in &drawn.fair.suspects {
            reasons.push(
                why(
                    Verdict::Against,
                    format!("station {} lies off the line of the others: tick it again", drawn.rows[*i] + 1),
                )
                .value("off", drawn.fair.residuals[*i], "mm"),
            );
        }
        if drawn.fair.inflections > 0 {
            reasons.push(
                why(Verdict::Against, "the line changes its curve: a bump, or a sheer meant to".into()).value(
                    "changes",
                    drawn.fair.inflections as f64,
                    "",
                ),
            );
        }
        if self.level {
            let worst = drawn.apart.iter().max_by(|a, b| a.1.abs().total_cmp(&b.1.abs()));
            match worst {
                None => {
                    reasons.push(why(Verdict::Note, "only one side was ticked: nothing is known of the other".into()))
                }
                Some((i, by)) if by.abs() > APART * self.tolerance.max(1.0) => reasons.push(
                    why(
                        Verdict::Against,
                        format!(
                            "at station {} the sides do not lie alike ({} higher): is she level athwart, or twisted?",
                            i + 1,
                            if *by > 0.0 { "port" } else { "starboard" }
                        ),
                    )
                    .value("apart", by.abs(), "mm"),
                ),
                Some((_, by)) => {
                    reasons.push(why(Verdict::For, "both sides lie alike".into()).value(
                        "apart at most",
                        by.abs(),
                        "mm",
                    ));
                }
            }
        }
        reasons
    }

    /// The height to strike off at an x, mm.
    pub fn at(drawn: &Drawn, x: f64) -> f64 {
        polyline_at(&drawn.line, x)
    }

    fn tasks(metres: f64, rate: Rate<'_>) -> Vec<Task> {
        let mut steps = Steps::new(rate);
        steps.add(O::TakeShape, "Spring the batten on both sides, look from all round, tick it off", 2.0, 0.0, &[]);
        steps.add(
            O::TakeShape,
            "Strike the mean line off on both sides, spring the batten to it and look again",
            1.0,
            0.0,
            &[],
        );
        steps.add(O::Fair, "Plane the sheer strakes down to the line, both sides in step", 2.0 * metres, 0.0, &[]);
        steps.tasks
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::job::table;

    /// A sheer of 6 m that hangs 120 mm in the middle, taken at nine stations; starboard lies 2 mm lower all along.
    pub(crate) fn hanging() -> Sheer {
        let height = |x: f64| 900.0 + 120.0 * ((x / 3_000.0 - 1.0).powi(2) - 1.0);
        let stations = (0..9)
            .map(|i| 750.0 * f64::from(i))
            .map(|x| Station { x, port: Some(height(x) + 1.0), starboard: Some(height(x) - 1.0) })
            .collect();
        Sheer { stations, tolerance: 1.5, level: true }
    }

    fn says(told: &Told, words: &str) -> bool {
        told.reasons.iter().any(|r| r.text.contains(words))
    }

    #[test]
    fn two_sides_become_one_line_that_lies_between_them() {
        let drawn = hanging().draw().unwrap();
        let middle = Sheer::at(&drawn, 3_000.0);
        assert!((middle - 780.0).abs() < 0.3, "{middle}");
        let told = hanging().plan(&table).unwrap();
        let hangs = told.figures.iter().find(|f| f.what == "Hangs below its ends by").unwrap().amount;
        assert!(matches!(hangs, Amount::Length(mm) if (mm - 120.0).abs() < 0.5), "{hangs:?}");
        assert!(says(&told, "both sides lie alike") && says(&told, "no station speaks against"));
    }

    #[test]
    fn a_station_that_was_ticked_wrong_is_named_by_its_number() {
        let mut sheer = hanging();
        sheer.stations[4].port = sheer.stations[4].port.map(|h| h + 14.0);
        sheer.stations[4].starboard = sheer.stations[4].starboard.map(|h| h + 14.0);
        let told = sheer.plan(&table).unwrap();
        assert!(says(&told, "station 5 lies off the line"), "{:?}", told.reasons);
    }

    #[test]
    fn sides_that_lie_apart_are_told_and_one_side_alone_says_nothing_of_the_other() {
        let mut twisted = hanging();
        for (i, s) in twisted.stations.iter_mut().enumerate() {
            s.starboard = s.starboard.map(|h| h - 3.0 * i as f64);
        }
        assert!(says(&twisted.plan(&table).unwrap(), "at station 9 the sides do not lie alike (port higher)"));
        let mut one = hanging();
        one.stations.iter_mut().for_each(|s| s.starboard = None);
        assert!(says(&one.plan(&table).unwrap(), "nothing is known of the other"));
        let apart = Sheer { level: false, ..one };
        assert!(apart.plan(&table).unwrap_err().message.contains("both sides are needed"));
    }

    #[test]
    fn what_is_no_sheer_is_refused_at_its_field() {
        let field = |spoil: &dyn Fn(&mut Sheer)| {
            let mut sheer = hanging();
            spoil(&mut sheer);
            sheer.plan(&table).unwrap_err().field
        };
        assert_eq!(field(&|s| s.stations.truncate(2)), "stations");
        assert_eq!(field(&|s| s.stations[3].x = 0.0), "stations");
        assert_eq!(field(&|s| s.stations[3].port = Some(f64::INFINITY)), "stations");
        assert_eq!(field(&|s| s.tolerance = -1.0), "tolerance");
        assert_eq!(field(&|s| s.stations.clear()), "stations");
        let few = Sheer { stations: hanging().stations.into_iter().step_by(4).collect(), ..hanging() };
        assert!(says(&few.plan(&table).unwrap(), "too few stations to check"));
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]

        #[test]
        fn exact_ticks_give_their_own_curve_back_and_blame_nobody(
            hang in -200.0..200.0f64, fall in -300.0..300.0f64, length in 2_000.0..12_000.0f64, count in 7usize..15,
        ) {
            let height = |x: f64| {
                let t = x / length;
                1_000.0 - fall * t - 4.0 * hang * t * (1.0 - t)
            };
            let stations = (0..count)
                .map(|i| length * i as f64 / (count - 1) as f64)
                .map(|x| Station { x, port: Some(height(x)), starboard: Some(height(x)) })
                .collect();
            let drawn = Sheer { stations, tolerance: 1.5, level: true }.draw().unwrap();
            prop_assert!(drawn.fair.suspects.is_empty());
            for p in &drawn.line {
                prop_assert!((p[1] - height(p[0])).abs() < 0.5, "{p:?} for {}", height(p[0]));
            }
        }
    }
}
