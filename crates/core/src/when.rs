//! When something happened, as people write it: `2026-03-01`, `May 1962`, `summer of 1998`, `1936`.

/// Years a boat's story may reach back and forward to.
const YEARS: std::ops::RangeInclusive<u32> = 1500..=2199;

const MONTHS: [&str; 12] = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];
/// The month in the middle of a season of the northern half.
const SEASONS: [(&str, u32); 5] = [("spring", 4), ("summer", 7), ("autumn", 10), ("fall", 10), ("winter", 1)];

/// What it is sorted by, as far as it is said: `2026-03-01`, `1962-05`, `1936`; `None` where no year is in it. Texts of this kind sort
/// among days and moments as they follow each other.
pub fn sorted_by(text: &str) -> Option<String> {
    let lower = text.to_lowercase();
    let words: Vec<&str> = lower.split(|c: char| !c.is_alphanumeric() && c != '-').filter(|w| !w.is_empty()).collect();
    if let Some(day) = words.iter().find_map(|w| iso(w)) {
        return Some(day);
    }
    let year = words.iter().find_map(|w| w.trim_end_matches('s').parse::<u32>().ok().filter(|y| YEARS.contains(y)))?;
    let month = words.iter().find_map(|w| {
        let named = MONTHS.iter().position(|m| w.starts_with(m)).map(|at| at as u32 + 1);
        named.or_else(|| SEASONS.iter().find(|(name, _)| w == name).map(|(_, month)| *month))
    });
    let day = words.iter().find_map(|w| {
        let number = w.trim_end_matches(|c: char| c.is_alphabetic());
        number.parse::<u32>().ok().filter(|day| (1..=31).contains(day))
    });
    Some(match (month, day) {
        (Some(month), Some(day)) => format!("{year:04}-{month:02}-{day:02}"),
        (Some(month), None) => format!("{year:04}-{month:02}"),
        (None, _) => format!("{year:04}"),
    })
}

/// `2026-03-01` or `2026-03`, where it can be.
fn iso(word: &str) -> Option<String> {
    let mut parts = word.split('-');
    let year: u32 = parts.next().filter(|y| y.len() == 4)?.parse().ok()?;
    let month: u32 = parts.next()?.parse().ok()?;
    let day = parts.next().map(|d| d.parse::<u32>().ok().filter(|d| (1..=31).contains(d)));
    if !YEARS.contains(&year) || !(1..=12).contains(&month) || parts.next().is_some() {
        return None;
    }
    match day {
        None => Some(format!("{year:04}-{month:02}")),
        Some(day) => day.map(|day| format!("{year:04}-{month:02}-{day:02}")),
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn days_are_read_as_people_write_them() {
        for (text, sorted) in [
            ("1962", Some("1962")),
            ("summer of 1998", Some("1998-07")),
            ("2026-03-01", Some("2026-03-01")),
            ("on 2026-3-1, at noon", Some("2026-03-01")),
            ("May 1962", Some("1962-05")),
            ("3rd of September 1936", Some("1936-09-03")),
            ("winter 1947", Some("1947-01")),
            ("the 1970s", Some("1970")),
            ("2026-03", Some("2026-03")),
            ("before the war", None),
            ("", None),
            ("frame 12", None),
            ("9999", None),
        ] {
            assert_eq!(sorted_by(text).as_deref(), sorted, "{text}");
        }
    }

    proptest! {
        /// Days are sorted as they follow each other, and among the moments entries were made at.
        #[test]
        fn what_was_earlier_is_sorted_earlier(a in (1600u32..2100, 1u32..13, 1u32..29), b in (1600u32..2100, 1u32..13, 1u32..29)) {
            let key = |(y, m, d): (u32, u32, u32)| sorted_by(&format!("{y}-{m:02}-{d:02}")).unwrap();
            prop_assert_eq!(key(a).cmp(&key(b)), a.cmp(&b));
            prop_assert_eq!(sorted_by(&key(a)), Some(key(a)));
        }

        /// Whatever is written, nothing breaks, and what comes out is read again as the same.
        #[test]
        fn anything_may_be_written(text in "\\PC{0,40}") {
            if let Some(key) = sorted_by(&text) {
                prop_assert_eq!(sorted_by(&key), Some(key.clone()));
            }
        }
    }
}
