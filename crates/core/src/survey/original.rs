//! Originality: how much of her is still the wood she was built of, by what is on record and never by a guess.
//!
//! What nobody knows counts as unknown and widens the band between what is original for certain and what may be. Source: handbook 11.

use crate::error::{self, InputError};

/// A stretch of a part, small enough that one record speaks for all of it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stretch {
    /// Area or volume, in any unit that is the same for all.
    pub size: f64,
    pub wood: Wood,
}

/// What is on record of its wood.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Wood {
    /// Looked at, and nothing renewed.
    Original,
    /// So much of it was renewed, 0–1; the year where it is known.
    Renewed { share: f64, year: Option<i32> },
    /// Nobody looked.
    Unknown,
}

/// Share that is original: for certain, and what may be at most.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Original {
    pub least: f64,
    pub most: f64,
}

/// How much is original today; `None` where there is nothing to speak of. Errors name `stretches[i]`.
pub fn today(stretches: &[Stretch]) -> Result<Option<Original>, InputError> {
    at(stretches, i32::MAX)
}

/// How much was original at the end of a year. What was renewed nobody knows when may have been original still.
pub fn at(stretches: &[Stretch], year: i32) -> Result<Option<Original>, InputError> {
    let (mut whole, mut least, mut most) = (0.0, 0.0, 0.0);
    for (i, stretch) in stretches.iter().enumerate() {
        let here = format!("stretches[{i}]");
        error::within("size", stretch.size, 0.0, 1e15).map_err(|e| e.within(&here))?;
        let (certain, perhaps) = match stretch.wood {
            Wood::Original => (1.0, 1.0),
            Wood::Unknown => (0.0, 1.0),
            Wood::Renewed { share, year: when } => {
                error::within("share", share, 0.0, 1.0).map_err(|e| e.within(&here))?;
                match when {
                    Some(when) if when > year => (1.0, 1.0),
                    // Before today it may have been there or not.
                    None if year != i32::MAX => (1.0 - share, 1.0),
                    _ => (1.0 - share, 1.0 - share),
                }
            }
        };
        whole += stretch.size;
        least += certain * stretch.size;
        most += perhaps * stretch.size;
    }
    Ok((whole > 0.0).then(|| Original { least: least / whole, most: most / whole }))
}

/// The line over the years: at the end of the year she was built, of each in which something was renewed, and today.
pub fn over_the_years(stretches: &[Stretch], built: i32, now: i32) -> Result<Vec<(i32, Original)>, InputError> {
    if built > now {
        return Err(InputError::new("built", format!("must not be after {now}, was {built}")));
    }
    let when = |s: &Stretch| match s.wood {
        Wood::Renewed { year, .. } => year,
        Wood::Original | Wood::Unknown => None,
    };
    let mut years: Vec<i32> = stretches.iter().filter_map(when).filter(|y| (built..now).contains(y)).collect();
    years.push(built);
    years.sort_unstable();
    years.dedup();
    let mut line = Vec::with_capacity(years.len() + 1);
    for year in years {
        line.extend(at(stretches, year)?.map(|o| (year, o)));
    }
    line.extend(today(stretches)?.map(|o| (now, o)));
    Ok(line)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn stretch(size: f64, wood: Wood) -> Stretch {
        Stretch { size, wood }
    }

    fn renewed(size: f64, share: f64, year: Option<i32>) -> Stretch {
        stretch(size, Wood::Renewed { share, year })
    }

    #[test]
    fn what_nobody_looked_at_is_a_band_and_no_number() {
        let of = |all: &[Stretch]| today(all).unwrap().map(|o| (o.least, o.most));
        assert_eq!(of(&[]), None);
        assert_eq!(of(&[stretch(0.0, Wood::Original)]), None, "nothing to speak of");
        assert_eq!(of(&[stretch(4.0, Wood::Unknown)]), Some((0.0, 1.0)));
        assert_eq!(
            of(&[stretch(6.0, Wood::Original), stretch(2.0, Wood::Unknown), renewed(2.0, 1.0, None)]),
            Some((0.6, 0.8))
        );
        assert_eq!(of(&[renewed(10.0, 0.25, Some(1974))]), Some((0.75, 0.75)));
    }

    #[test]
    fn over_the_years_it_falls_when_something_was_renewed() {
        let all = [stretch(5.0, Wood::Original), renewed(3.0, 1.0, Some(1974)), renewed(2.0, 0.5, Some(2026))];
        let line = over_the_years(&all, 1931, 2026).unwrap();
        let told: Vec<(i32, f64)> = line.iter().map(|(y, o)| (*y, o.most)).collect();
        assert_eq!(told, [(1931, 1.0), (1974, 0.7), (2026, 0.6)]);
        assert!(line.iter().all(|(_, o)| o.least == o.most));
        // Nobody knows when: it may have been original until now.
        let when = over_the_years(&[stretch(5.0, Wood::Original), renewed(5.0, 1.0, None)], 1931, 2026).unwrap();
        assert_eq!(when, [(1931, Original { least: 0.5, most: 1.0 }), (2026, Original { least: 0.5, most: 0.5 })]);
        assert_eq!(over_the_years(&[], 2030, 2026).unwrap_err().field, "built");
    }

    #[test]
    fn sizes_and_shares_that_are_none_name_their_stretch() {
        assert_eq!(today(&[stretch(-1.0, Wood::Original)]).unwrap_err().field, "stretches[0].size");
        assert_eq!(today(&[renewed(1.0, 1.2, None)]).unwrap_err().field, "stretches[0].share");
        assert_eq!(
            today(&[stretch(1.0, Wood::Original), stretch(f64::NAN, Wood::Original)]).unwrap_err().field,
            "stretches[1].size"
        );
    }

    proptest! {
        #[test]
        fn the_band_holds_and_never_rises_with_the_years(all in proptest::collection::vec((0.1..50.0f64, 0u8..4, 0.0..1.0f64, 1900i32..2027), 1..30)) {
            let stretches: Vec<Stretch> = all
                .into_iter()
                .map(|(size, kind, share, year)| match kind {
                    0 => stretch(size, Wood::Original),
                    1 => stretch(size, Wood::Unknown),
                    2 => renewed(size, share, None),
                    _ => renewed(size, share, Some(year)),
                })
                .collect();
            let line = over_the_years(&stretches, 1890, 2026).unwrap();
            prop_assert!(line.iter().all(|(_, o)| 0.0 <= o.least && o.least <= o.most + 1e-12 && o.most <= 1.0 + 1e-12));
            for pair in line.windows(2) {
                prop_assert!(pair[0].0 <= pair[1].0);
                prop_assert!(pair[1].1.least <= pair[0].1.least + 1e-9 && pair[1].1.most <= pair[0].1.most + 1e-9);
            }
        }
    }
}
