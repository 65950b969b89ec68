//! What falls due on a boat besides her coats: looks after the launch, anodes, fastenings by their age.

use jiff::ToSpan;
use jiff::civil::Date;
use mend_keel_core::due::{self, AFTER_LAUNCH};
use mend_keel_core::metals;

use super::metals::{Recorded, drawn_of, due_of_planking};
use super::survey::SurveyFile;

/// Something that falls due.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Due {
    /// Told apart from every other, and the same each time: for a calendar.
    pub key: String,
    pub day: Date,
    pub what: String,
    pub why: String,
    pub late: bool,
}

/// Days a look after a launch still stands once its day has gone by.
const STANDS: i64 = 30;

/// What falls due until so many days ahead, in the order of its days; what is late stands first, on today.
pub fn list(survey: &SurveyFile, recorded: &Recorded, launch: Option<Date>, today: Date, ahead: u32) -> Vec<Due> {
    let mut all = Vec::new();
    if let Some(launch) = launch {
        let since = today.since((jiff::Unit::Day, launch)).map_or(0, |s| i64::from(s.get_days()));
        for (days, what) in AFTER_LAUNCH {
            let left = i64::from(days) - since;
            if (-STANDS..=i64::from(ahead)).contains(&left)
                && let Ok(day) = launch.checked_add(i64::from(days).days())
            {
                let why = "looks after a launch".to_owned();
                all.push(Due { key: format!("launch-{days}"), day, what: what.to_owned(), why, late: left < 0 });
            }
        }
        if recorded.kept.iter().any(|m| m.metal == "zinc") {
            for days in due::anode_looks(since, ahead) {
                let Ok(day) = launch.checked_add(i64::from(days).days()) else { continue };
                let (what, why) = ("anodes: how much is left of them".to_owned(), "each year".to_owned());
                all.push(Due { key: format!("anodes-{days}"), day, what, why, late: false });
            }
        }
    }
    let written = recorded.kept.iter().filter_map(|m| Some((m.name.clone(), m.metal.as_str(), m.fitted?)));
    for (name, id, fitted) in written.chain(due_of_planking(survey, recorded)) {
        let Ok(metal) = metals::find(id) else { continue };
        let Some(life @ (from, to)) = metals::due(metal, fitted) else { continue };
        let Some((says, late)) = due::of_fastenings(metals::age(life, i32::from(today.year()), drawn_of(survey, id)))
        else {
            continue;
        };
        let begins = i16::try_from(from).ok().and_then(|year| Date::new(year, 1, 1).ok());
        let Some(day) = (if late { Some(today) } else { begins }) else { continue };
        let left = day.since((jiff::Unit::Day, today)).map_or(0, |s| i64::from(s.get_days()));
        if left <= i64::from(ahead) {
            let why = format!("{} of {fitted}: {from} to {to}", metal.name.to_lowercase());
            all.push(Due { key: format!("metal-{name}-{fitted}"), day, what: format!("{name}: {says}"), why, late });
        }
    }
    all.sort_by(|a, b| (!a.late, a.day, &a.key).cmp(&(!b.late, b.day, &b.key)));
    all
}
