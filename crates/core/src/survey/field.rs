//! How wet the wood is between readings: an estimate near them, and nothing where nobody measured.

use crate::error::{self, InputError};
use crate::geometry::Point;

/// A reading at a place on a surface, mm, of a moisture content in %.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Spot {
    pub at: Point,
    pub moisture: f64,
}

/// How far along the grain a reading speaks for the wood round it, mm (*yard rule*).
pub const REACH_ALONG: f64 = 700.0;
/// How far across the grain, over seams (*yard rule*).
pub const REACH_ACROSS: f64 = 300.0;

/// Moisture at a place from the readings within reach; `None` when there are none, for nobody knows.
///
/// Inverse-distance weighting (Shepard, power 2) with distances measured in reaches, so that a reading counts
/// farther along the grain than across it. At a reading it is that reading.
pub fn moisture_at(spots: &[Spot], at: Point) -> Option<f64> {
    let (mut sum, mut weights) = (0.0, 0.0);
    for spot in spots {
        let d2 = ((spot.at[0] - at[0]) / REACH_ALONG).powi(2) + ((spot.at[1] - at[1]) / REACH_ACROSS).powi(2);
        if d2 > 1.0 {
            continue;
        }
        if d2 < 1e-12 {
            return Some(spot.moisture);
        }
        sum += spot.moisture / d2;
        weights += 1.0 / d2;
    }
    (weights > 0.0).then(|| sum / weights)
}

/// The same for many places. Errors name `spots[i].moisture` or `spots[i].at`.
pub fn field(spots: &[Spot], places: &[Point]) -> Result<Vec<Option<f64>>, InputError> {
    for (i, spot) in spots.iter().enumerate() {
        error::within("moisture", spot.moisture, 0.0, 200.0).map_err(|e| e.within(&format!("spots[{i}]")))?;
        if spot.at.iter().any(|v| !v.is_finite()) {
            return Err(InputError::new(format!("spots[{i}].at"), "must be two numbers"));
        }
    }
    Ok(places.iter().map(|at| moisture_at(spots, *at)).collect())
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn spot(x: f64, y: f64, moisture: f64) -> Spot {
        Spot { at: [x, y], moisture }
    }

    #[test]
    fn nothing_is_said_where_nobody_measured() {
        let spots = [spot(0.0, 0.0, 22.0)];
        assert_eq!(moisture_at(&spots, [0.0, 0.0]), Some(22.0));
        assert_eq!(moisture_at(&spots, [600.0, 0.0]), Some(22.0));
        assert_eq!(moisture_at(&spots, [0.0, 301.0]), None);
        assert_eq!(moisture_at(&[], [0.0, 0.0]), None);
    }

    #[test]
    fn halfway_between_two_readings_lies_halfway() {
        let spots = [spot(0.0, 0.0, 12.0), spot(800.0, 0.0, 24.0)];
        assert!((moisture_at(&spots, [400.0, 0.0]).unwrap() - 18.0).abs() < 1e-9);
        assert!(moisture_at(&spots, [300.0, 0.0]).unwrap() < 18.0);
    }

    proptest! {
        #[test]
        fn an_estimate_never_leaves_what_was_read(
            spots in proptest::collection::vec((0.0..2_000.0f64, 0.0..900.0f64, 6.0..40.0f64), 1..12), x in 0.0..2_000.0f64, y in 0.0..900.0f64,
        ) {
            let spots: Vec<Spot> = spots.into_iter().map(|(x, y, m)| spot(x, y, m)).collect();
            let low = spots.iter().map(|s| s.moisture).fold(f64::MAX, f64::min);
            let high = spots.iter().map(|s| s.moisture).fold(0.0, f64::max);
            if let Some(m) = moisture_at(&spots, [x, y]) {
                prop_assert!(m >= low - 1e-9 && m <= high + 1e-9);
            }
        }
    }
}
