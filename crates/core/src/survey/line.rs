//! Lines read with a string or a level: hog, sag and sheer against chord, design, other side and last survey.

use crate::choice::choices;
use crate::error::InputError;
use crate::geometry::{Point, polyline_at};

choices! {
    /// A line of the boat that is read off a straight one.
    LineKind {
        Keel = "keel", "Keel";
        Sheer = "sheer", "Sheer";
    }
}

/// How far a keel (or sheer) departs from the straight line through its ends.
#[derive(Debug, Clone, PartialEq)]
pub struct Hog {
    /// mm above (+) or below (−) the chord, one for each point.
    pub deviations: Vec<f64>,
    /// The greatest of them, signed: hogged when positive, sagged when negative.
    pub greatest: f64,
    /// Where, as the x of that point.
    pub at: f64,
    /// Length over greatest deviation: 1 in this many. `None` when the line is straight.
    pub one_in: Option<f64>,
}

impl Hog {
    /// What the yard rule makes of it.
    pub fn advice(&self) -> &'static str {
        match self.one_in {
            Some(n) if n < 300.0 => {
                "a structural matter for a surveyor or naval architect; never jack straight in a day: at most 3 mm at a lift and a day between lifts"
            }
            Some(n) if n <= 600.0 => "shore to shape before planking: at most 3 mm at a lift and a day between lifts",
            _ => "nothing to plan",
        }
    }
}

/// Measures hog from at least three points `[x, z]` in mm with x rising. Errors name `points` or `points[i]`.
pub fn hog(points: &[Point]) -> Result<Hog, InputError> {
    if points.len() < 3 {
        return Err(InputError::new("points", format!("needs at least 3 points, got {}", points.len())));
    }
    for (i, p) in points.iter().enumerate() {
        if !p[0].is_finite() || !p[1].is_finite() {
            return Err(InputError::new(format!("points[{i}]"), "must be two numbers"));
        }
        if i > 0 && p[0] <= points[i - 1][0] {
            return Err(InputError::new(format!("points[{i}]"), "x must rise from point to point"));
        }
    }
    let (first, last) = (points[0], points[points.len() - 1]);
    let length = last[0] - first[0];
    let deviations: Vec<f64> =
        points.iter().map(|p| p[1] - (first[1] + (last[1] - first[1]) * (p[0] - first[0]) / length)).collect();
    let worst =
        (0..points.len()).fold(0, |best, i| if deviations[i].abs() > deviations[best].abs() { i } else { best });
    let greatest = deviations[worst];
    Ok(Hog { greatest, at: points[worst][0], one_in: (greatest != 0.0).then(|| length / greatest.abs()), deviations })
}

/// How a line departs from another of the same member, each measured from its own chord.
#[derive(Debug, Clone, PartialEq)]
pub struct Departure {
    /// `[x, mm]` at each measured point that the other line reaches: positive where the measured one is higher.
    pub points: Vec<Point>,
    /// The greatest of them, signed.
    pub greatest: f64,
    pub at: f64,
}

/// Compares a line with a reference (design, other side, last survey): both are taken from their own chords, since
/// strings are never stretched at the same height twice. `None` when they do not lie over each other.
///
/// Both need at least three points with x rising. Errors name `points…` or `reference…`.
pub fn against(points: &[Point], reference: &[Point]) -> Result<Option<Departure>, InputError> {
    let own = hog(points)?;
    let other = hog(reference).map_err(|e| InputError::new(e.field.replacen("points", "reference", 1), e.message))?;
    let (low, high) = (reference[0][0], reference[reference.len() - 1][0]);
    let shape: Vec<Point> = reference.iter().zip(&other.deviations).map(|(p, d)| [p[0], *d]).collect();
    let compared: Vec<Point> = points
        .iter()
        .zip(&own.deviations)
        .filter(|(p, _)| p[0] >= low && p[0] <= high)
        .map(|(p, d)| [p[0], d - polyline_at(&shape, p[0])])
        .collect();
    let worst = compared.iter().copied().reduce(|a, b| if b[1].abs() > a[1].abs() { b } else { a });
    Ok(worst.map(|w| Departure { greatest: w[1], at: w[0], points: compared }))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn a_keel_that_rises_amidships_is_hogged() {
        let keel = hog(&[[0.0, 0.0], [2000.0, 9.0], [4000.0, 16.0], [6000.0, 14.0], [8000.0, 4.0]]).unwrap();
        assert_eq!((keel.greatest, keel.at), (14.0, 4000.0));
        assert!(keel.advice().starts_with("shore to shape"));
        let straight = hog(&[[0.0, 5.0], [1.0, 5.0], [2.0, 5.0]]).unwrap();
        assert_eq!((straight.one_in, straight.advice()), (None, "nothing to plan"));
        assert_eq!(hog(&[[0.0, 0.0], [0.0, 1.0], [2.0, 0.0]]).unwrap_err().field, "points[1]");
    }

    #[test]
    fn a_keel_is_held_against_its_design() {
        let design: Vec<Point> = (0..=8).map(|i| [f64::from(i) * 1_000.0, 0.0]).collect();
        let keel = [[0.0, 5.0], [2_000.0, 14.0], [4_000.0, 21.0], [8_000.0, 9.0]];
        let from_design = against(&keel, &design).unwrap().unwrap();
        assert_eq!((from_design.greatest, from_design.at), (14.0, 4_000.0));
        assert_eq!(against(&keel, &keel).unwrap().unwrap().greatest, 0.0);
        let elsewhere = [[90_000.0, 0.0], [91_000.0, 0.0], [92_000.0, 0.0]];
        assert!(against(&keel, &elsewhere).unwrap().is_none());
        assert_eq!(against(&keel, &keel[..2]).unwrap_err().field, "reference");
    }

    proptest! {
        #[test]
        fn hog_ignores_how_the_string_was_tilted(zs in proptest::collection::vec(-50.0..50.0f64, 3..20), tilt in -0.2..0.2f64) {
            let straight: Vec<Point> = zs.iter().enumerate().map(|(i, z)| [i as f64 * 500.0, *z]).collect();
            let tilted: Vec<Point> = straight.iter().map(|p| [p[0], p[1] + tilt * p[0]]).collect();
            let (a, b) = (hog(&straight).unwrap(), hog(&tilted).unwrap());
            prop_assert!(a.deviations.iter().zip(&b.deviations).all(|(x, y)| (x - y).abs() < 1e-6));
        }
    }
}
