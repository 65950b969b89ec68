//! What falls due after she left the yard, by days. Source: handbook 11.

use crate::metals::Age;

/// Looks after a launch: so many days after it, and what is looked at (*yard rule*).
pub const AFTER_LAUNCH: [(u32, &str); 4] = [
    (1, "a day afloat: bilge, pumps, every fitting below the waterline"),
    (7, "a week afloat: does she take up; bilge, shafts, rudder"),
    (30, "a month afloat: seams, fastenings, what was bedded"),
    (365, "a year afloat: haul her and look at all that was done"),
];
/// Anodes are looked at every so many days (*yard rule*).
pub const ANODE_DAYS: u32 = 365;

/// Looks at the anodes within so many days of today, as days after the launch: each year on its day. `since`: days the launch lies back,
/// less than nothing where it is still to come.
pub fn anode_looks(since: i64, ahead: u32) -> Vec<u32> {
    let every = i64::from(ANODE_DAYS);
    (1..)
        .map(|n| n * every)
        .skip_while(|day| *day < since)
        .take_while(|day| *day <= since + i64::from(ahead))
        .map(|day| day as u32)
        .collect()
}

/// What is to be done about fastenings of an age, and whether it is late; `None` where what was drawn says that nothing is.
pub fn of_fastenings(age: Age) -> Option<(String, bool)> {
    match age {
        Age::Drawn { good, of } if good == of => None,
        Age::Drawn { good, of } => Some((format!("{} of {of} drawn are not good: renew what is", of - good), true)),
        Age::Past(years) => Some((format!("{years} years past their usual life: draw some, nobody has"), true)),
        Age::Due => Some(("of an age to be drawn: draw some, nobody has".to_owned(), true)),
        Age::In(_) => Some(("of an age to be drawn: draw some".to_owned(), false)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn anodes_are_looked_at_each_year_on_the_day_of_the_launch() {
        assert_eq!(anode_looks(0, 800), [365, 730]);
        assert_eq!(anode_looks(400, 800), [730, 1_095]);
        assert_eq!(anode_looks(365, 10), [365], "on its own day");
        assert_eq!(anode_looks(-30, 400), [365], "still to be launched");
        assert!(anode_looks(-30, 300).is_empty());
        assert!(anode_looks(10_000, 0).is_empty());
    }

    #[test]
    fn what_was_drawn_good_is_not_due_and_what_was_drawn_bad_is_late() {
        assert_eq!(of_fastenings(Age::Drawn { good: 8, of: 8 }), None);
        let (told, late) = of_fastenings(Age::Drawn { good: 5, of: 8 }).unwrap();
        assert!(late && told.starts_with("3 of 8 drawn"));
        assert!(of_fastenings(Age::Past(12)).unwrap().1 && of_fastenings(Age::Due).unwrap().1);
        assert!(!of_fastenings(Age::In(9)).unwrap().1);
    }

    #[test]
    fn looks_after_a_launch_come_one_after_the_other() {
        assert!(AFTER_LAUNCH.is_sorted_by_key(|(days, _)| *days));
        assert!(AFTER_LAUNCH.iter().all(|(_, what)| !what.is_empty()));
    }
}
