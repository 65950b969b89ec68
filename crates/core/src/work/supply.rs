//! Materials by date: what the plan needs and when, against what is there, so that nothing runs short in the middle of a coat or a seam.
//! Source: handbook 08, *The plan that is asked for*.

use crate::choice::choices;
use crate::error::{self, InputError};

choices! {
    /// What the stores hold beside timber.
    ItemKind {
        Fastening = "fastening", "Fastenings";
        Glue = "glue", "Glues";
        Compound = "compound", "Compounds and bedding";
        Caulking = "caulking", "Cotton and oakum";
        Coating = "coating", "Coatings and thinners";
        Abrasive = "abrasive", "Abrasives";
        Other = "other", "Other";
    }
}

choices! {
    /// What becomes of a thing in the stores.
    MoveKind {
        In = "in", "came in";
        Used = "used", "used";
        Reserved = "reserved", "reserved";
        /// A reservation given back.
        Released = "released", "given back";
        /// A correction to what was counted: the difference.
        Counted = "counted", "counted";
    }
}

/// So much is needed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Need {
    /// Days from today; `None`: no plan says when.
    pub day: Option<i32>,
    /// In the unit of the stock.
    pub amount: f64,
}

/// How a stock stands against what is needed of it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Standing {
    /// Altogether.
    pub needed: f64,
    /// What is needed beyond what is there; 0: nothing.
    pub missing: f64,
    /// The first day on which it runs short, days from today; `None`: it does not, or only for what has no day.
    pub short_on: Option<i32>,
    /// Last day to order it, days from today: it is there the day before. Below 0 it is late already. `None`: it does not run short on
    /// a day, or nobody said how long it takes to come.
    pub order_by: Option<i32>,
}

impl Standing {
    pub fn is_short(&self) -> bool {
        self.missing > HAIR
    }
}

/// Less than this is rounding.
const HAIR: f64 = 1e-9;
/// Days it is there before it is needed (*yard rule*).
pub const BEFORE: i32 = 1;

/// Holds what is needed against what is there (`free`: not reserved for anything else), `lead` being the days from ordering to having.
/// What has no day is counted last. Errors name `needs[i].amount` or `free`.
pub fn standing(needs: &[Need], free: f64, lead: Option<u32>) -> Result<Standing, InputError> {
    for (i, need) in needs.iter().enumerate() {
        error::within("amount", need.amount, 0.0, 1e9).map_err(|e| e.within(&format!("needs[{i}]")))?;
    }
    error::within("free", free, -1e9, 1e9)?;
    let mut by_day: Vec<&Need> = needs.iter().collect();
    by_day.sort_by_key(|n| n.day.unwrap_or(i32::MAX));
    let (mut needed, mut short_on) = (0.0, None);
    for need in by_day {
        needed += need.amount;
        if short_on.is_none() && needed > free.max(0.0) + HAIR {
            short_on = Some(need.day);
        }
    }
    let short_on = short_on.flatten();
    Ok(Standing {
        needed,
        missing: (needed - free.max(0.0)).max(0.0),
        short_on,
        order_by: short_on.zip(lead).map(|(day, lead)| day - BEFORE - i32::try_from(lead).unwrap_or(i32::MAX / 2)),
    })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn on(day: i32, amount: f64) -> Need {
        Need { day: Some(day), amount }
    }

    #[test]
    fn glue_that_lasts_for_the_first_plank_is_ordered_for_the_second() {
        // 0.6 kg there; 0.4 on the third day, 0.5 on the tenth: 0.3 short on the tenth, four days on the way, there the day before.
        let s = standing(&[on(10, 0.5), on(3, 0.4)], 0.6, Some(4)).unwrap();
        assert!((s.missing - 0.3).abs() < 1e-12 && s.is_short());
        assert_eq!((s.short_on, s.order_by), (Some(10), Some(5)));
        let late = standing(&[on(2, 1.0)], 0.0, Some(10)).unwrap();
        assert_eq!(late.order_by, Some(-9), "it should have been ordered nine days ago");
        assert_eq!(standing(&[on(2, 1.0)], 0.0, None).unwrap().order_by, None, "nobody said how long it takes");
        let enough = standing(&[on(3, 0.4), on(10, 0.2)], 0.6, Some(4)).unwrap();
        assert!(!enough.is_short() && enough.short_on.is_none() && enough.order_by.is_none());
    }

    #[test]
    fn what_has_no_day_comes_last_and_runs_short_on_no_day() {
        let undated = Need { day: None, amount: 1.0 };
        let s = standing(&[undated, on(5, 1.0)], 1.0, Some(2)).unwrap();
        assert_eq!((s.missing, s.short_on), (1.0, None), "what has a day is served first");
        let s = standing(&[undated, on(5, 1.5)], 1.0, Some(2)).unwrap();
        assert_eq!((s.missing, s.short_on), (1.5, Some(5)));
        let nothing = standing(&[], 0.0, Some(2)).unwrap();
        assert_eq!((nothing.needed, nothing.missing, nothing.short_on), (0.0, 0.0, None));
        // More reserved for others than there is: nothing is free, and no debt is bought back.
        assert_eq!(standing(&[on(1, 2.0)], -3.0, None).unwrap().missing, 2.0);
    }

    #[test]
    fn amounts_that_cannot_be_are_told() {
        assert_eq!(standing(&[on(1, 1.0), on(2, -1.0)], 0.0, None).unwrap_err().field, "needs[1].amount");
        assert_eq!(standing(&[on(1, f64::NAN)], 0.0, None).unwrap_err().field, "needs[0].amount");
        assert_eq!(standing(&[], f64::INFINITY, None).unwrap_err().field, "free");
    }

    proptest! {
        /// A second way: the store kept day by day, as it would be lived through.
        #[test]
        fn it_runs_short_on_the_day_a_store_would(
            needs in proptest::collection::vec((0i32..40, 0.0..5.0f64), 0..20), free in 0.0..40.0f64, lead in 0u32..60,
        ) {
            let all: Vec<Need> = needs.iter().map(|(day, amount)| on(*day, *amount)).collect();
            let mut left = free;
            let mut short = None;
            for day in 0..40 {
                left -= needs.iter().filter(|n| n.0 == day).map(|n| n.1).sum::<f64>();
                if left < -1e-7 && short.is_none() {
                    short = Some(day);
                }
            }
            let s = standing(&all, free, Some(lead)).unwrap();
            // Within rounding of just enough either is right.
            if left.abs() > 1e-6 {
                prop_assert_eq!(s.short_on, short);
                prop_assert!((s.missing - (-left).max(0.0)).abs() < 1e-6);
            }
            prop_assert_eq!(s.order_by, s.short_on.map(|day| day - 1 - lead as i32));
        }

        /// More in the store never makes it run short earlier, nor a longer way let it be ordered later.
        #[test]
        fn more_is_never_worse(days in proptest::collection::vec((0i32..30, 0.1..5.0f64), 1..12), free in 0.0..20.0f64, more in 0.0..9.0f64, lead in 0u32..30) {
            let all: Vec<Need> = days.iter().map(|(day, amount)| on(*day, *amount)).collect();
            let (a, b) = (standing(&all, free, Some(lead)).unwrap(), standing(&all, free + more, Some(lead)).unwrap());
            prop_assert!(b.missing <= a.missing);
            prop_assert!(b.short_on.unwrap_or(99) >= a.short_on.unwrap_or(99));
            let slower = standing(&all, free, Some(lead + 1)).unwrap();
            prop_assert!(slower.order_by.is_none_or(|day| day < a.order_by.unwrap()));
        }
    }
}
