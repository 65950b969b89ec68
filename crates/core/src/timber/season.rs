//! A year of a shed's air as wood feels it: what moisture it is brought to, how far that swings, and how a board moves with it.

use crate::error::InputError;

use super::moisture;

/// Service moisture of a part, % (*yard rule*, handbook 02).
pub const SERVICE: [(&str, &str, f64); 5] = [
    ("above", "Planking above the waterline", 16.0),
    ("below", "Planking below the waterline", 28.0),
    ("deck", "Deck", 15.0),
    ("interior", "Interior", 12.0),
    ("spar", "Spars", 14.0),
];

/// Equilibrium moisture over some air, averaged by month.
#[derive(Debug, Clone, PartialEq)]
pub struct Season {
    /// Month and mean, %, in the order they first come.
    pub months: Vec<(u32, f64)>,
    /// Driest and wettest month's mean, %.
    pub driest: f64,
    pub wettest: f64,
    pub mean: f64,
}

/// The season of some hours `(month, °C, %)`. Air wetter than 98 % counts as 98 %. Errors name `temperature`; `None` without hours.
///
/// Source: Wood Handbook eq. 4-5 for each hour; a board follows monthly means, not hours (*yard rule*).
pub fn season(hours: &[(u32, f64, f64)]) -> Result<Option<Season>, InputError> {
    let mut months: Vec<(u32, f64, f64)> = Vec::new();
    for (month, temperature, humidity) in hours {
        let emc = moisture::equilibrium(temperature.clamp(-10.0, 60.0), humidity.clamp(0.0, 98.0))?;
        match months.iter_mut().find(|(m, ..)| m == month) {
            Some((_, sum, count)) => {
                *sum += emc;
                *count += 1.0;
            }
            None => months.push((*month, emc, 1.0)),
        }
    }
    if months.is_empty() {
        return Ok(None);
    }
    let all: (f64, f64) = months.iter().fold((0.0, 0.0), |(s, c), (_, sum, count)| (s + sum, c + count));
    let months: Vec<(u32, f64)> = months.into_iter().map(|(m, sum, count)| (m, sum / count)).collect();
    let driest = months.iter().map(|(_, v)| *v).fold(f64::INFINITY, f64::min);
    let wettest = months.iter().map(|(_, v)| *v).fold(f64::NEG_INFINITY, f64::max);
    Ok(Some(Season { driest, wettest, mean: all.0 / all.1, months }))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_damp_winter_and_a_dry_summer_swing_the_wood_between_them() {
        let hours = [(1, 4.0, 88.0), (1, 5.0, 86.0), (7, 20.0, 50.0), (7, 22.0, 48.0)];
        let season = season(&hours).unwrap().unwrap();
        assert_eq!(season.months.iter().map(|m| m.0).collect::<Vec<_>>(), [1, 7]);
        assert!(season.wettest > 18.0 && season.driest < 9.5 && season.mean > season.driest);
        assert_eq!(super::season(&[]).unwrap(), None);
        assert!(super::season(&[(1, 4.0, 100.0)]).unwrap().unwrap().wettest < 31.0);
    }
}
