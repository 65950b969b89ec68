//! A template checked by its diagonals: what was measured against the drawn points, and who is to blame.

use crate::error::{self, InputError};
use crate::geometry::Point;

/// A distance measured between two points of a template, mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Measured {
    /// Indices of its points.
    pub a: usize,
    pub b: usize,
    pub mm: f64,
}

/// What the distances say.
#[derive(Debug, Clone, PartialEq)]
pub struct Checked {
    /// Measured less drawn, mm, in order.
    pub misfits: Vec<f64>,
    /// Root mean square of them.
    pub rms: f64,
    /// The point all misfits beyond the tolerance share.
    pub suspect_point: Option<usize>,
    /// The one distance beyond the tolerance.
    pub suspect_measure: Option<usize>,
}

/// How far a good distance may be off, mm, where nobody says otherwise.
pub const TOLERANCE: f64 = 2.0;

/// Holds measured distances against drawn points.
///
/// One misfit beyond `tolerance` is a distance misread; several that share one point, and none elsewhere, are a point
/// drawn wrong; anything else blames nobody. Errors name `measured`, `measured[i]…` or `tolerance`.
pub fn check(points: &[Point], measured: &[Measured], tolerance: f64) -> Result<Checked, InputError> {
    error::positive("tolerance", tolerance)?;
    if measured.is_empty() {
        return Err(InputError::new("measured", "needs at least one distance"));
    }
    let mut misfits = Vec::with_capacity(measured.len());
    for (i, m) in measured.iter().enumerate() {
        let field = |name: &str| format!("measured[{i}].{name}");
        let [a, b] = [("a", m.a), ("b", m.b)].map(|(name, index)| {
            points.get(index).ok_or_else(|| InputError::new(field(name), "there is no point of that name"))
        });
        let (a, b) = (a?, b?);
        if m.a == m.b {
            return Err(InputError::new(field("b"), "is the same point: a distance needs two"));
        }
        error::length(&field("mm"), m.mm)?;
        misfits.push(m.mm - (a[0] - b[0]).hypot(a[1] - b[1]));
    }
    let rms = (misfits.iter().map(|m| m * m).sum::<f64>() / misfits.len() as f64).sqrt();
    let beyond: Vec<usize> = (0..measured.len()).filter(|i| misfits[*i].abs() > tolerance).collect();
    let shared = |point: usize| beyond.iter().all(|i| measured[*i].a == point || measured[*i].b == point);
    let (suspect_point, suspect_measure) = match beyond.as_slice() {
        [] => (None, None),
        [one] => (None, Some(*one)),
        [first, ..] => {
            // Two distances between the same two points share both: then neither is the one.
            let ends = [measured[*first].a, measured[*first].b];
            let blamed: Vec<usize> = ends.into_iter().filter(|p| shared(*p)).collect();
            (if let [point] = blamed[..] { Some(point) } else { None }, None)
        }
    };
    Ok(Checked { misfits, rms, suspect_point, suspect_measure })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const SQUARE: [Point; 4] = [[0.0, 0.0], [1_000.0, 0.0], [1_000.0, 600.0], [0.0, 600.0]];

    fn all(points: &[Point]) -> Vec<Measured> {
        let pairs = (0..points.len()).flat_map(|a| (a + 1..points.len()).map(move |b| (a, b)));
        pairs
            .map(|(a, b)| Measured { a, b, mm: (points[a][0] - points[b][0]).hypot(points[a][1] - points[b][1]) })
            .collect()
    }

    #[test]
    fn one_long_distance_is_blamed_itself_and_a_moved_point_by_all_that_meet_in_it() {
        let mut one = all(&SQUARE);
        one[1].mm += 9.0;
        let told = check(&SQUARE, &one, TOLERANCE).unwrap();
        assert_eq!((told.suspect_point, told.suspect_measure), (None, Some(1)));
        let moved = [SQUARE[0], SQUARE[1], [1_012.0, 609.0], SQUARE[3]];
        let told = check(&moved, &all(&SQUARE), TOLERANCE).unwrap();
        assert_eq!((told.suspect_point, told.suspect_measure), (Some(2), None));
    }

    #[test]
    fn misfits_all_over_blame_nobody() {
        let mut two = all(&SQUARE);
        two[0].mm += 9.0; // 0–1
        two[5].mm -= 9.0; // 2–3
        let told = check(&SQUARE, &two, TOLERANCE).unwrap();
        assert_eq!((told.suspect_point, told.suspect_measure), (None, None));
        // The same diagonal read twice, both wrong: it may be either end.
        let twice = [Measured { a: 0, b: 2, mm: 1_200.0 }, Measured { a: 2, b: 0, mm: 1_201.0 }];
        assert_eq!(check(&SQUARE, &twice, TOLERANCE).unwrap().suspect_point, None);
    }

    #[test]
    fn what_cannot_be_held_against_anything_is_refused() {
        assert_eq!(check(&SQUARE, &[], 2.0).unwrap_err().field, "measured");
        let at = |a, b, mm| check(&SQUARE, &[Measured { a, b, mm }], 2.0).unwrap_err().field;
        assert_eq!(at(0, 9, 100.0), "measured[0].b");
        assert_eq!(at(1, 1, 100.0), "measured[0].b");
        assert_eq!(at(0, 1, 0.0), "measured[0].mm");
    }

    proptest! {
        #[test]
        fn true_distances_blame_nobody_wherever_the_points_lie(
            points in proptest::collection::vec((-5e3..5e3f64, -5e3..5e3f64), 3..9),
        ) {
            let points: Vec<Point> = points.into_iter().map(|(x, y)| [x, y]).collect();
            let told = check(&points, &all(&points), TOLERANCE).unwrap();
            prop_assert!(told.rms < 1e-9 && told.suspect_point.is_none() && told.suspect_measure.is_none());
        }
    }
}
