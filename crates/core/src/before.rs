//! Before and after: of all photographs of a part the two that show what was done. Source: handbook 11.

use crate::choice::choices;

choices! {
    /// The record that holds a photograph, by what is said of it where nobody wrote a word.
    Record {
        Finding = "finding", "Found";
        Told = "told", "Told";
        Hung = "hung", "At the bench";
        Refastened = "refastened", "Refastened";
        Job = "job", "At work";
    }
}

impl Record {
    /// What was going on.
    pub fn stage(self) -> Stage {
        match self {
            Self::Finding => Stage::Found,
            Self::Told => Stage::Told,
            Self::Hung | Self::Refastened | Self::Job => Stage::Work,
        }
    }
}

/// What somebody was about when a photograph was taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Stage {
    /// Something was found.
    Found,
    /// It was told of her, as she was or as she is.
    Told,
    /// Work was under way or done.
    Work,
}

/// A photograph of one part.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Taken {
    /// When, as it is stored: it sorts as text.
    pub at: String,
    pub stage: Stage,
}

/// Which two of a part's photographs show it before and after: the first that was not taken at work, and the last one later that was
/// taken at work or told of her. Where there is none, the last of what was found counts, if it is of another day. `None`: one of the
/// two is missing, and no picture stands in for it.
pub fn pair(taken: &[Taken]) -> Option<(usize, usize)> {
    let by_time = |a: &usize, b: &usize| taken[*a].at.cmp(&taken[*b].at).then(a.cmp(b));
    let all = || 0..taken.len();
    let before = all().filter(|i| taken[*i].stage != Stage::Work).min_by(by_time)?;
    let later = |i: &usize| *i != before && taken[*i].at >= taken[before].at;
    let day = |i: usize| taken[i].at.get(..10);
    let after = all()
        .filter(later)
        .filter(|i| taken[*i].stage != Stage::Found)
        .max_by(by_time)
        .or_else(|| all().filter(later).max_by(by_time).filter(|after| day(*after) != day(before)))?;
    Some((before, after))
}

/// What the two of a pair are called: what was only found again later is no work of anybody's.
pub fn called(after: Stage) -> [&'static str; 2] {
    match after {
        Stage::Found => ["Then", "Now"],
        Stage::Told | Stage::Work => ["Before", "After"],
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn found(at: &str) -> Taken {
        Taken { at: at.into(), stage: Stage::Found }
    }

    fn work(at: &str) -> Taken {
        Taken { at: at.into(), stage: Stage::Work }
    }

    #[test]
    fn the_first_of_what_was_found_and_the_last_of_the_work_are_the_pair() {
        let taken = [
            work("2026-03-09T10:00:00Z"),
            found("2026-02-02T09:00:00Z"),
            found("2026-02-01T09:00:00Z"),
            work("2026-03-05T08:00:00Z"),
            found("2026-04-01T09:00:00Z"),
        ];
        assert_eq!(pair(&taken), Some((2, 0)));
    }

    #[test]
    fn what_was_told_when_it_was_done_shows_it_better_than_the_work_on_the_way() {
        let told = |at: &str| Taken { at: at.into(), stage: Stage::Told };
        let taken = [found("2026-02-01T09:00:00Z"), work("2026-03-01T09:00:00Z"), told("2026-05-01T09:00:00Z")];
        assert_eq!(pair(&taken), Some((0, 2)));
        assert_eq!(
            pair(&[told("1936-05-01"), found("2026-02-01T09:00:00Z"), taken[1].clone()]),
            Some((0, 2)),
            "as built"
        );
    }

    #[test]
    fn without_one_of_the_two_there_is_no_pair() {
        assert_eq!(pair(&[]), None);
        assert_eq!(pair(&[found("2026-02-01T09:00:00Z")]), None);
        assert_eq!(pair(&[work("2026-02-01T09:00:00Z"), work("2026-03-01T09:00:00Z")]), None, "nobody saw it before");
        assert_eq!(pair(&[work("2026-02-01T09:00:00Z"), found("2026-03-01T09:00:00Z")]), None, "found after the work");
        let one_visit = [found("2026-02-01T09:00:00Z"), found("2026-02-01T15:00:00Z")];
        assert_eq!(pair(&one_visit), None, "two of one day show one state");
        assert_eq!(pair(&[found("2026-02-01T09:00:00Z"), found("2027-02-01T15:00:00Z")]), Some((0, 1)));
    }

    #[test]
    fn damage_found_again_is_not_called_what_came_after_work() {
        assert_eq!(called(Stage::Found), ["Then", "Now"]);
        assert_eq!(called(Stage::Work), called(Stage::Told));
    }

    #[test]
    fn a_day_that_is_no_date_breaks_nothing() {
        assert_eq!(pair(&[found(""), found("2")]), None);
        assert_eq!(pair(&[found("°°°°°°°°°°"), work("°°°°°°°°°°")]), Some((0, 1)));
    }

    proptest! {
        #[test]
        fn whatever_their_order_the_pair_is_the_same_and_in_the_order_of_time(days in proptest::collection::vec((1u32..28, any::<bool>()), 0..12), by in 0usize..12) {
            let one = |(i, (day, at_work)): (usize, &(u32, bool))| {
                let at = format!("2026-03-{day:02}T{:02}:00:00Z", i % 24);
                if *at_work { work(&at) } else { found(&at) }
            };
            let taken: Vec<Taken> = days.iter().enumerate().map(one).collect();
            let mut turned = taken.clone();
            turned.rotate_left(by.min(taken.len()));
            let shown = |taken: &[Taken]| pair(taken).map(|(a, b)| (taken[a].clone(), taken[b].clone()));
            prop_assert_eq!(shown(&taken), shown(&turned));
            if let Some((before, after)) = shown(&taken) {
                prop_assert!(before.at <= after.at && before.stage == Stage::Found);
                prop_assert!(taken.iter().filter(|t| t.stage != Stage::Work).all(|t| t.at >= before.at));
            }
        }
    }
}
