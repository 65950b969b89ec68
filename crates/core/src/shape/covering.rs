//! Covering boards and other edge pieces: a constant reveal, and the flats that are cut before the rounding.

use serde::Serialize;

use crate::error::{self, InputError};
use crate::geometry::Point;
use crate::reason::{Reason, Verdict};

/// Left standing on rough flats, to be faired by hand, mm (*yard rule*; handbook 04).
pub const LEFT_TO_FAIR: f64 = 3.0;

/// What of an edge piece is seen: rail width − overlap, mm. Errors name `overlap` when nothing is left.
pub fn reveal(rail_width: f64, overlap: f64) -> Result<f64, InputError> {
    error::length("rail_width", rail_width)?;
    error::within("overlap", overlap, 0.0, rail_width)?;
    if rail_width - overlap < 1.0 {
        return Err(InputError::new("overlap", "leaves nothing to be seen"));
    }
    Ok(rail_width - overlap)
}

/// The inner edge of a board of constant width along an outer edge, measured square to it: x along the boat, y outward, mm.
/// Errors name `outer` or `width`.
pub fn inner_edge(outer: &[Point], width: f64) -> Result<Vec<Point>, InputError> {
    error::length("width", width)?;
    if outer.len() < 3 || outer.windows(2).any(|w| w[1][0] <= w[0][0]) {
        return Err(InputError::new("outer", "needs at least 3 points, x rising"));
    }
    let n = outer.len();
    let inner: Vec<Point> = (0..n)
        .map(|i| {
            let (a, b) = (outer[i.saturating_sub(1)], outer[(i + 1).min(n - 1)]);
            let (dx, dy) = (b[0] - a[0], b[1] - a[1]);
            let len = dx.hypot(dy);
            [outer[i][0] + width * dy / len, outer[i][1] - width * dx / len]
        })
        .collect();
    if inner.windows(2).any(|w| w[1][0] <= w[0][0]) {
        return Err(InputError::new("width", "is more than the edge's own radius: the inner edge would fold"));
    }
    Ok(inner)
}

/// A flat to be planed or sawn: from so far in on the top face to so far down on the outer edge, mm.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Flat {
    pub in_from_edge: f64,
    pub down_from_top: f64,
    /// To the horizontal.
    pub degrees: f64,
}

/// How an edge is finished.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Finish {
    /// Rounded to a radius, mm.
    Round { radius: f64 },
    /// Bevelled from so far in to so far down, mm.
    Bevel { across: f64, down: f64 },
}

/// Flats to rough an edge of `thickness` to: none where less than 3 mm would come off, one for a bevel, two for a rounding,
/// each leaving 3 mm to fair. The two flats of a rounding touch its circle, moved out by 3 mm, at 30° and 60°: the pair that leaves least.
///
/// Errors name `thickness`, `radius`, `across` or `down`.
pub fn flats(thickness: f64, finish: Finish) -> Result<Vec<Flat>, InputError> {
    error::length("thickness", thickness)?;
    let found = match finish {
        Finish::Bevel { across, down } => {
            error::length("across", across)?;
            error::length("down", down)?;
            if down > thickness {
                return Err(InputError::new("down", "must not be more than the thickness"));
            }
            let length = across.hypot(down);
            // The same slope, 3 mm further out: both legs shrink alike.
            let depth = across * down / length;
            let left = ((depth - LEFT_TO_FAIR) / depth).max(0.0);
            vec![Flat {
                in_from_edge: across * left,
                down_from_top: down * left,
                degrees: down.atan2(across).to_degrees(),
            }]
        }
        Finish::Round { radius } => {
            error::length("radius", radius)?;
            if radius > thickness {
                return Err(InputError::new("radius", "must not be more than the thickness"));
            }
            [30.0f64, 60.0]
                .into_iter()
                .map(|degrees| {
                    // The line with outward normal at `90° − degrees` from level, at radius + 3 from the circle's centre.
                    let (s, c) = degrees.to_radians().sin_cos();
                    let reach = radius + LEFT_TO_FAIR;
                    Flat {
                        in_from_edge: radius - (reach - radius * c) / s,
                        down_from_top: radius - (reach - radius * s) / c,
                        degrees,
                    }
                })
                .collect()
        }
    };
    Ok(found.into_iter().filter(|f| f.in_from_edge > 0.5 && f.down_from_top > 0.5).collect())
}

/// What an edge's finish takes off the top face so far in from the edge, mm.
pub fn removed_at(finish: Finish, in_from_edge: f64) -> f64 {
    match finish {
        Finish::Bevel { across, down } if in_from_edge < across => down * (1.0 - in_from_edge / across),
        Finish::Round { radius } if in_from_edge < radius => {
            let x = radius - in_from_edge;
            radius - (radius * radius - x * x).sqrt()
        }
        _ => 0.0,
    }
}

/// Whether a counterbore stays deep enough once the edge is finished: at least 6 mm and half the plug's diameter must be left
/// above the head (handbook 05). `depth` is as bored, mm.
pub fn counterbore(finish: Finish, in_from_edge: f64, depth: f64, plug: f64) -> Reason {
    let needed = 6.0f64.max(plug / 2.0);
    let left = depth - removed_at(finish, in_from_edge);
    let (verdict, text) = if left < needed {
        (Verdict::Against, "the plug would be too thin once it is faired: bore deeper before fitting")
    } else {
        (Verdict::For, "the plug stays thick enough once it is faired")
    };
    Reason::new("covering.counterbore", verdict, text).source("handbook 05").against(
        "left of the counterbore",
        left,
        "mm",
        needed,
    )
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn the_reveal_is_what_the_overlap_leaves() {
        assert_eq!(reveal(70.0, 22.0).unwrap(), 48.0);
        assert_eq!(reveal(70.0, 70.0).unwrap_err().field, "overlap");
        let outer: Vec<Point> =
            (0..9).map(|i| [f64::from(i) * 500.0, 900.0 - (f64::from(i) - 4.0).powi(2) * 30.0]).collect();
        let inner = inner_edge(&outer, 120.0).unwrap();
        for (o, i) in outer.iter().zip(&inner) {
            assert!(((o[0] - i[0]).hypot(o[1] - i[1]) - 120.0).abs() < 1e-9);
        }
    }

    #[test]
    fn a_bevel_gets_one_flat_three_millimetres_out() {
        let one = flats(30.0, Finish::Bevel { across: 40.0, down: 30.0 }).unwrap();
        // The bevel lies 24 mm inside the corner; the flat 21.
        assert_eq!(one.len(), 1);
        assert!((one[0].in_from_edge - 35.0).abs() < 1e-9 && (one[0].down_from_top - 26.25).abs() < 1e-9);
        assert!(flats(30.0, Finish::Bevel { across: 4.0, down: 3.0 }).unwrap().is_empty(), "nothing to rough off");
        assert_eq!(flats(20.0, Finish::Round { radius: 30.0 }).unwrap_err().field, "radius");
    }

    #[test]
    fn a_counterbore_near_a_rounded_edge_is_too_thin() {
        let finish = Finish::Round { radius: 25.0 };
        assert_eq!(counterbore(finish, 5.0, 12.0, 12.0).verdict, Verdict::Against);
        assert_eq!(counterbore(finish, 40.0, 12.0, 12.0).verdict, Verdict::For);
    }

    proptest! {
        #[test]
        fn no_flat_comes_nearer_than_three_millimetres_to_the_rounding(radius in 10.0..80.0f64) {
            for flat in flats(100.0, Finish::Round { radius }).unwrap() {
                // Distance of the flat from the circle's centre, which lies `radius` in and down.
                let (a, b) = ([flat.in_from_edge, 0.0], [0.0, flat.down_from_top]);
                let cross = (b[0] - a[0]) * (radius - a[1]) - (b[1] - a[1]) * (radius - a[0]);
                let distance = cross.abs() / (b[0] - a[0]).hypot(b[1] - a[1]);
                prop_assert!((distance - radius - LEFT_TO_FAIR).abs() < 1e-6);
            }
        }
    }
}
