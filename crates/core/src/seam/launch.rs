//! Putting a boat back into the water: what is done before, and how she takes up.

use crate::choice::choices;
use crate::error::{self, InputError};
use crate::reason::{Reason, Verdict};

choices! {
    /// What is got ready before she floats.
    Ready {
        Wet = "wet", "She was wetted: wet sacks, a sprinkler, water in the bilge where she is shored for it";
        Fittings = "fittings", "Skin fittings shut, hoses on, plugs in";
        Pumps = "pumps", "Two pumps, the second one ready, power checked";
        Aboard = "aboard", "Somebody on board, day and night, for the first day";
        Slings = "slings", "Slings left on until the pumps keep up";
    }
}

/// She takes up within these days, handbook 06.
pub const TAKES_UP: (u32, u32) = (1, 7);
/// Days she is wetted before (*yard rule*), and what may be asked for.
pub const WET_DAYS: u32 = 5;
const WET_MOST: u32 = 60;
/// She is tight when this share of the most she made is left (*yard rule*).
pub const TIGHT: f64 = 0.10;
/// The pumps must carry this many times what she makes (*yard rule*).
pub const PUMP_RESERVE: f64 = 2.0;
/// More water than the last time by this factor, after a day afloat, is rising (*yard rule*).
const RISING: f64 = 1.1;

/// Something on a day counted from the launch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Due {
    /// Negative: before.
    pub day: i32,
    pub what: &'static str,
}

/// The days round a launch. Errors name `wet_days`.
pub fn plan(wet_days: u32) -> Result<Vec<Due>, InputError> {
    if wet_days > WET_MOST {
        return Err(InputError::new("wet_days", format!("must be no more than {WET_MOST}")));
    }
    let due = |day, what| Due { day, what };
    let mut all = Vec::new();
    if wet_days > 0 {
        all.push(due(-(wet_days as i32), "begin to wet the hull, inside and out, several times a day"));
    }
    all.push(due(-1, "pumps run, power checked, skin fittings shut, somebody told off for the night"));
    all.push(due(0, "float her in the slings; write down what the pumps lift, every hour"));
    all.push(due(TAKES_UP.0 as i32, "the first seams have taken up: slings off when the pumps keep up easily"));
    all.push(due(TAKES_UP.1 as i32, "tight by now, or she is lifted and looked at"));
    Ok(all)
}

/// What the pumps lifted at an hour after the launch, litres an hour.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Lifted {
    pub hours: f64,
    pub litres: f64,
}

/// How it goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Course {
    /// Nothing was written down yet.
    Waits,
    TakingUp,
    Tight,
    /// More water than before.
    Rising,
    /// Not tight when she should be.
    Late,
    /// More than the pumps carry with another as much in reserve.
    PumpsShort,
}

impl Course {
    pub fn label(self) -> &'static str {
        match self {
            Self::Waits => "nothing written down yet",
            Self::TakingUp => "taking up",
            Self::Tight => "tight",
            Self::Rising => "making more water than before",
            Self::Late => "not tight after a week",
            Self::PumpsShort => "the pumps have no reserve",
        }
    }
}

/// How she takes up, from what was lifted, in the order of the hours; `pumps` is what all pumps lift together, litres an hour. Errors
/// name `hours`, `litres` or `pumps`.
pub fn course(log: &[Lifted], pumps: Option<f64>) -> Result<(Course, Vec<Reason>), InputError> {
    for entry in log {
        error::within("hours", entry.hours, 0.0, 24.0 * 366.0)?;
        error::within("litres", entry.litres, 0.0, 1e6)?;
    }
    if let Some(pumps) = pumps {
        error::within("pumps", pumps, 0.0, 1e6)?;
    }
    let mut log = log.to_vec();
    log.sort_by(|a, b| a.hours.total_cmp(&b.hours));
    let Some(last) = log.last().copied() else { return Ok((Course::Waits, Vec::new())) };
    let most = log.iter().map(|l| l.litres).fold(0.0, f64::max);
    let why = |verdict, text: &str| Reason::new("launch.course", verdict, text).source("handbook 06, limits yard rule");
    if let Some(pumps) = pumps
        && last.litres * PUMP_RESERVE > pumps
    {
        let text = "she makes more than half of what all pumps lift: another pump now, or the slings";
        return Ok((
            Course::PumpsShort,
            vec![why(Verdict::Against, text).against("made in an hour", last.litres, "l", pumps / PUMP_RESERVE)],
        ));
    }
    if last.litres <= TIGHT * most && (last.hours > 0.0 || most == 0.0) {
        return Ok((
            Course::Tight,
            vec![why(Verdict::For, "a tenth or less of the most she made").against(
                "made in an hour",
                last.litres,
                "l",
                TIGHT * most,
            )],
        ));
    }
    if last.hours > f64::from(TAKES_UP.1) * 24.0 {
        return Ok((
            Course::Late,
            vec![
                why(Verdict::Against, "she should have taken up within a week: lift her and look for the seam")
                    .against("since the launch", last.hours / 24.0, "days", f64::from(TAKES_UP.1)),
            ],
        ));
    }
    let before = log.len().checked_sub(2).map(|i| log[i]);
    if let Some(before) = before
        && last.hours > 24.0
        && last.litres > before.litres * RISING
    {
        return Ok((
            Course::Rising,
            vec![why(Verdict::Against, "more water than before: look for what let go").against(
                "made in an hour",
                last.litres,
                "l",
                before.litres,
            )],
        ));
    }
    Ok((
        Course::TakingUp,
        vec![
            why(Verdict::Note, "expect her to take up in 1 to 7 days")
                .value("made in an hour", last.litres, "l")
                .value("most so far", most, "l"),
        ],
    ))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn log(entries: &[(f64, f64)]) -> Vec<Lifted> {
        entries.iter().map(|(hours, litres)| Lifted { hours: *hours, litres: *litres }).collect()
    }

    #[test]
    fn she_takes_up_and_is_tight_or_is_lifted_after_a_week() {
        let course = |entries: &[(f64, f64)], pumps| course(&log(entries), pumps).unwrap().0;
        assert_eq!(course(&[], None), Course::Waits);
        assert_eq!(course(&[(0.0, 400.0), (12.0, 300.0)], Some(2_000.0)), Course::TakingUp);
        assert_eq!(course(&[(0.0, 400.0), (60.0, 40.0)], Some(2_000.0)), Course::Tight);
        assert_eq!(course(&[(0.0, 400.0), (30.0, 100.0), (40.0, 150.0)], None), Course::Rising);
        assert_eq!(course(&[(0.0, 400.0), (170.0, 100.0)], None), Course::Late);
        assert_eq!(course(&[(1.0, 1_100.0)], Some(2_000.0)), Course::PumpsShort);
        assert_eq!(super::course(&log(&[(1.0, -1.0)]), None).unwrap_err().field, "litres");
    }

    #[test]
    fn wetting_begins_before_she_floats() {
        let all = plan(5).unwrap();
        assert_eq!((all[0].day, all.last().unwrap().day), (-5, 7));
        assert!(all.windows(2).all(|w| w[0].day < w[1].day));
        assert_eq!(plan(0).unwrap()[0].day, -1);
        assert_eq!(plan(61).unwrap_err().field, "wet_days");
    }

    proptest! {
        /// The order in which hours were written down does not matter.
        #[test]
        fn the_course_does_not_hang_on_the_order_of_writing(entries in proptest::collection::vec((0.0..300.0f64, 0.0..900.0f64), 1..12)) {
            let (there, mut back) = (log(&entries), log(&entries));
            back.reverse();
            prop_assert_eq!(course(&there, Some(1_000.0)).unwrap().0, course(&back, Some(1_000.0)).unwrap().0);
        }
    }
}
