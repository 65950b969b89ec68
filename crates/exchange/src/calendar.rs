//! What falls due, as an iCalendar file for the owner's or the yard's calendar.

use icalendar::{Calendar, Component, Event, EventLike};

/// A day, or hours of a day, on which something is due.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// Stays the same when the day moves, so that a calendar moves it and does not show it twice.
    pub id: String,
    /// `2027-04-01`.
    pub day: String,
    /// Hour of its begin and of its end, local time; a whole day otherwise.
    pub hours: Option<[u8; 2]>,
    pub what: String,
    pub more: String,
}

/// The file. Entries whose day is none are left out.
pub fn write(name: &str, entries: &[Entry]) -> String {
    let mut calendar = Calendar::new();
    calendar.name(name);
    for entry in entries {
        let Ok(date) = entry.day.parse::<chrono::NaiveDate>() else { continue };
        let mut event = Event::new();
        event.uid(&format!("{}@mend-keel", entry.id)).summary(&entry.what);
        if !entry.more.is_empty() {
            event.description(&entry.more);
        }
        match entry.hours {
            Some([from, to]) => {
                let at = |hour: u8| date.and_hms_opt(u32::from(hour.min(23)), if hour > 23 { 59 } else { 0 }, 0);
                if let (Some(from), Some(to)) = (at(from), at(to)) {
                    event.starts(from).ends(to);
                }
            }
            None => {
                event.all_day(date);
            }
        }
        calendar.push(event.done());
    }
    calendar.done().to_string()
}

#[cfg(test)]
mod tests {
    use icalendar::{CalendarComponent, DatePerhapsTime};

    use super::*;

    fn entry(id: &str, day: &str) -> Entry {
        Entry {
            id: id.into(),
            day: day.into(),
            hours: None,
            what: "Refresh: topsides; port, all".into(),
            more: String::new(),
        }
    }

    #[test]
    fn a_calendar_reader_reads_back_what_was_written() {
        let long = "x".repeat(200);
        let entries = [
            Entry { more: format!("Line one\nline, two; {long} ñ"), ..entry("coat-1", "2027-04-01") },
            Entry { hours: Some([8, 17]), ..entry("task-2", "2027-04-02") },
            entry("nothing", "2027-02-30"),
        ];
        let text = write("Sable Plover", &entries);
        assert!(text.lines().all(|l| l.len() <= 75 + 2), "lines are folded");
        let read: Calendar = text.parse().unwrap();
        assert_eq!(read.get_name(), Some("Sable Plover"));
        let events: Vec<&Event> = read
            .components
            .iter()
            .filter_map(|c| if let CalendarComponent::Event(e) = c { Some(e) } else { None })
            .collect();
        assert_eq!(events.len(), 2, "the thirtieth of February is no day");
        assert_eq!(events[0].get_uid(), Some("coat-1@mend-keel"));
        assert_eq!(events[0].get_summary(), Some("Refresh: topsides; port, all"));
        assert_eq!(events[0].get_description(), Some(entries[0].more.as_str()));
        let day = chrono::NaiveDate::from_ymd_opt(2027, 4, 1).unwrap();
        assert_eq!(events[0].get_start(), Some(DatePerhapsTime::Date(day)));
        assert!(matches!(events[1].get_start(), Some(DatePerhapsTime::DateTime(_))));
    }
}
