//! Two surveys of one boat: what is new, worse, mended or gone.

use serde::{Deserialize, Serialize};

use crate::choice::choices;
use crate::survey::{Certainty, FindingKind, Grade};

/// A finding as it stood at a survey.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Entry {
    /// The same in every survey.
    pub id: i64,
    pub place: String,
    pub kind: FindingKind,
    pub grade: Grade,
    pub certainty: Certainty,
    /// Extent over the face, mm²; for a line its length in mm.
    pub extent: f64,
    pub depth: f64,
    pub outcome: Outcome,
}

choices! {
    /// What has become of a finding.
    Outcome {
        Open = "open", "Open";
        Mended = "mended", "Mended";
        /// Looked at again, and not there.
        Gone = "gone", "Gone";
    }
}

choices! {
    /// What became of a finding from one survey to the next.
    Change {
        New = "new", "New";
        Worse = "worse", "Worse";
        Better = "better", "Better";
        Mended = "mended", "Mended";
        Gone = "gone", "Gone";
        Same = "same", "The same";
    }
}

/// A finding in two surveys.
#[derive(Debug, Clone, PartialEq)]
pub struct Compared {
    pub id: i64,
    pub change: Change,
    pub before: Option<Entry>,
    pub after: Option<Entry>,
    /// What makes it so.
    pub why: String,
}

/// An extent has grown when it is this much larger: less is in the drawing.
const GROWN: f64 = 1.10;
/// A depth has grown by this, mm.
const DEEPER: f64 = 1.0;

/// Compares two surveys, in the order of [`Change`]: what is new first, what stayed the same last.
pub fn surveys(before: &[Entry], after: &[Entry]) -> Vec<Compared> {
    let find = |list: &[Entry], id: i64| list.iter().find(|e| e.id == id).cloned();
    let mut all: Vec<Compared> = after
        .iter()
        .filter_map(|now| {
            let then = find(before, now.id);
            // What was over before the first survey is no news in the second.
            let (change, why) = match &then {
                None if now.outcome == Outcome::Open => (Change::New, "found since".to_owned()),
                None => return None,
                Some(then) => change(then, now)?,
            };
            Some(Compared { id: now.id, change, before: then, after: Some(now.clone()), why })
        })
        .collect();
    all.extend(
        before.iter().filter(|then| then.outcome == Outcome::Open && !after.iter().any(|e| e.id == then.id)).map(
            |then| Compared {
                id: then.id,
                change: Change::Gone,
                before: Some(then.clone()),
                after: None,
                why: "withdrawn since".to_owned(),
            },
        ),
    );
    all.sort_by_key(|c| (c.change, c.id));
    all
}

fn change(then: &Entry, now: &Entry) -> Option<(Change, String)> {
    if then.outcome != Outcome::Open && now.outcome != Outcome::Open {
        return None;
    }
    let answer = match now.outcome {
        Outcome::Mended => (Change::Mended, "mended since".to_owned()),
        Outcome::Gone => (Change::Gone, "looked at again and not there".to_owned()),
        Outcome::Open if then.outcome != Outcome::Open => (Change::Worse, "it has come back".to_owned()),
        Outcome::Open if now.grade > then.grade => {
            (Change::Worse, format!("{} then, {} now", then.grade.label(), now.grade.label()))
        }
        Outcome::Open if now.extent > then.extent * GROWN => {
            (Change::Worse, format!("{:.0} % larger", (now.extent / then.extent.max(1.0) - 1.0) * 100.0))
        }
        Outcome::Open if now.depth > then.depth + DEEPER => {
            (Change::Worse, format!("{:.1} mm deeper", now.depth - then.depth))
        }
        Outcome::Open if now.grade < then.grade => {
            (Change::Better, format!("{} then, {} now", then.grade.label(), now.grade.label()))
        }
        Outcome::Open => (Change::Same, String::new()),
    };
    Some(answer)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn entry(id: i64, grade: Grade, extent: f64) -> Entry {
        Entry {
            id,
            place: "P5 F12".into(),
            kind: FindingKind::Rot,
            grade,
            certainty: Certainty::Confirmed,
            extent,
            depth: 6.0,
            outcome: Outcome::Open,
        }
    }

    fn changes(before: &[Entry], after: &[Entry]) -> Vec<(i64, Change)> {
        surveys(before, after).into_iter().map(|c| (c.id, c.change)).collect()
    }

    #[test]
    fn each_finding_says_what_became_of_it() {
        let before = [1, 2, 3, 4, 5].map(|id| entry(id, Grade::Mend, 1_000.0));
        let after = [
            entry(1, Grade::Renew, 1_000.0),
            entry(2, Grade::Mend, 1_400.0),
            Entry { outcome: Outcome::Mended, ..entry(3, Grade::Mend, 1_000.0) },
            entry(5, Grade::Mend, 1_050.0),
            entry(9, Grade::Watch, 10.0),
        ];
        use Change as C;
        let expected = [(9, C::New), (1, C::Worse), (2, C::Worse), (3, C::Mended), (4, C::Gone), (5, C::Same)];
        assert_eq!(changes(&before, &after), expected);
    }

    #[test]
    fn what_was_mended_and_is_open_again_has_come_back() {
        let mended = Entry { outcome: Outcome::Mended, ..entry(1, Grade::Mend, 100.0) };
        let open = entry(1, Grade::Mend, 100.0);
        assert_eq!(changes(std::slice::from_ref(&mended), &[open]), [(1, Change::Worse)]);
        assert_eq!(changes(std::slice::from_ref(&mended), std::slice::from_ref(&mended)), []);
    }

    proptest! {
        #[test]
        fn a_survey_against_itself_shows_no_change(grades in proptest::collection::vec(0usize..5, 0..20)) {
            let list: Vec<Entry> = grades.iter().enumerate().map(|(i, g)| entry(i as i64, Grade::ALL[*g], 50.0)).collect();
            prop_assert!(changes(&list, &list).iter().all(|(_, change)| *change == Change::Same));
            prop_assert_eq!(changes(&list, &list).len(), list.len());
            prop_assert!(changes(&[], &list).iter().all(|(_, change)| *change == Change::New));
        }
    }
}
