//! A round spar out of staves with birdsmouth joints, or out of one stick.

use crate::error::{self, InputError};
use crate::geometry::Point;

/// A hollow spar of `staves` equal staves. Lengths mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Hollow {
    /// Of a stave across its outer face, before it is planed round.
    pub stave_width: f64,
    /// Of the notch, square to the edge.
    pub notch_depth: f64,
    /// How far below the outer face the notch's apex lies.
    pub notch_apex: f64,
    pub wall: f64,
    /// Wood in the finished cross-section against a solid spar of that diameter.
    pub solid_share: f64,
    /// Stave width at each place of the taper, the wall being the same everywhere.
    pub widths: Vec<Point>,
}

/// Staves there may be.
pub const STAVES: (u32, u32) = (5, 24);
/// The wall, where nobody says otherwise, as a share of the diameter.
pub const WALL: f64 = 0.2;

/// A stave's width for a radius and a wall (handbook 10); the neighbour is turned by `2π/n`.
fn width(n: u32, radius: f64, wall: f64) -> f64 {
    let (sin, cos) = (std::f64::consts::TAU / f64::from(n)).sin_cos();
    let (depth, apex) = notch(n, wall);
    let x0 = ((radius - wall) * cos - radius + apex) / sin;
    x0 * (cos - 1.0) + (radius - wall) * sin + depth
}

/// Depth of the notch and its apex below the outer face.
fn notch(n: u32, wall: f64) -> (f64, f64) {
    let (sin, cos) = (std::f64::consts::TAU / f64::from(n)).sin_cos();
    (wall * sin * cos, wall * cos * cos)
}

fn fits(field: &str, diameter: f64, n: u32, wall: f64) -> Result<(), InputError> {
    error::length(field, diameter)?;
    if wall >= diameter / 2.0 {
        return Err(InputError::new(field, format!("is no hollow spar: the wall of {wall:.1} mm fills it")));
    }
    if width(n, diameter / 2.0, wall) <= notch(n, wall).0 {
        return Err(InputError::new(field, "leaves no width for a stave: fewer staves, or a thinner wall"));
    }
    Ok(())
}

/// A hollow spar. `wall`: a fifth of the diameter where it is not said. `taper`: place from the heel and diameter there.
///
/// Errors name `diameter`, `staves`, `wall` or `taper[i]`. Source: handbook 10.
pub fn hollow(diameter: f64, staves: u32, wall: Option<f64>, taper: &[Point]) -> Result<Hollow, InputError> {
    error::length("diameter", diameter)?;
    if !(STAVES.0..=STAVES.1).contains(&staves) {
        return Err(InputError::new("staves", format!("must be between {} and {}", STAVES.0, STAVES.1)));
    }
    let wall = error::length("wall", wall.unwrap_or(WALL * diameter))?;
    fits("wall", diameter, staves, wall)?;
    for (i, [at, across]) in taper.iter().enumerate() {
        let field = format!("taper[{i}]");
        error::within(&field, *at, 0.0, error::LENGTH_LIMIT_MM)?;
        if i > 0 && *at <= taper[i - 1][0] {
            return Err(InputError::new(field, "must lie farther from the heel than the one before"));
        }
        fits(&field, *across, staves, wall)?;
    }
    let radius = diameter / 2.0;
    let (notch_depth, notch_apex) = notch(staves, wall);
    let n = f64::from(staves);
    let hole = n / std::f64::consts::PI * (std::f64::consts::PI / n).tan() * ((radius - wall) / radius).powi(2);
    Ok(Hollow {
        stave_width: width(staves, radius, wall),
        notch_depth,
        notch_apex,
        wall,
        solid_share: 1.0 - hole,
        widths: taper.iter().map(|[at, across]| [*at, width(staves, across / 2.0, wall)]).collect(),
    })
}

/// Marks for a solid spar out of a square stick. Lengths mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Solid {
    /// Side of the stick.
    pub square: f64,
    /// From each edge of the square, for eight sides.
    pub eight: f64,
    /// From each edge of the eight-sided stick's faces, for sixteen.
    pub sixteen: f64,
}

/// Marks for a solid spar of a diameter. Errors name `diameter`. Source: geometry; handbook 10.
pub fn solid(diameter: f64) -> Result<Solid, InputError> {
    error::length("diameter", diameter)?;
    // A face of a stick with n sides about this circle.
    let face = |n: f64| diameter * (std::f64::consts::PI / n).tan();
    Ok(Solid { square: diameter, eight: (diameter - face(8.0)) / 2.0, sixteen: (face(8.0) - face(16.0)) / 2.0 })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn eight_staves_follow_the_rule_of_thumb() {
        for (diameter, wall) in [(120.0, 24.0), (90.0, 15.0), (200.0, 40.0)] {
            let spar = hollow(diameter, 8, Some(wall), &[]).unwrap();
            assert!((spar.stave_width - (0.414_2 * diameter - 0.121_3 * wall)).abs() < 0.02, "{}", spar.stave_width);
            assert!((spar.notch_depth - wall / 2.0).abs() < 1e-9 && (spar.notch_apex - wall / 2.0).abs() < 1e-9);
        }
    }

    #[test]
    fn a_spar_that_is_none_is_refused_at_its_field() {
        assert_eq!(hollow(120.0, 4, None, &[]).unwrap_err().field, "staves");
        assert_eq!(hollow(120.0, 8, Some(60.0), &[]).unwrap_err().field, "wall");
        assert_eq!(hollow(120.0, 8, None, &[[0.0, 120.0], [0.0, 110.0]]).unwrap_err().field, "taper[1]");
        // The wall stays as thick as at the heel: a head of 48 mm would be filled.
        assert_eq!(hollow(120.0, 8, None, &[[0.0, 120.0], [6_000.0, 48.0]]).unwrap_err().field, "taper[1]");
        assert_eq!(solid(0.0).unwrap_err().field, "diameter");
    }

    #[test]
    fn sixteen_sides_are_even() {
        let marks = solid(100.0).unwrap();
        assert!((marks.eight - 29.289).abs() < 1e-3);
        // What is left of an eight-sided face between two marks is as wide as the new face across the corner.
        let left = 100.0 * (std::f64::consts::PI / 8.0).tan() - 2.0 * marks.sixteen;
        let across = 2.0 * marks.sixteen * (std::f64::consts::PI / 8.0).cos();
        assert!((left - across).abs() < 1e-9, "{left} {across}");
    }

    proptest! {
        /// The ring rebuilt: the neighbour is this stave turned by one place, and its inner corner is the notch's apex.
        /// Both walls of the notch, along its end and its inner face, must run out where this stave ends.
        #[test]
        fn staves_close_the_ring(n in 6u32..16, diameter in 60.0..300.0f64, share in 0.08..0.22f64) {
            let wall = share * diameter;
            let spar = hollow(diameter, n, Some(wall), &[]).unwrap();
            let (r, phi) = (diameter / 2.0, std::f64::consts::TAU / f64::from(n));
            let (sin, cos) = phi.sin_cos();
            // A stave's plain edge stands at x = left, its faces at y = r and y = r − wall. Turned, its inner corner is
            // the apex, which lies `notch_apex` below the outer face: that gives `left`.
            let left = ((r - wall) * cos - (r - spar.notch_apex)) / sin;
            let apex = left * cos + (r - wall) * sin;
            let along_end = apex + spar.notch_apex * sin / cos;
            let along_inside = apex + (wall - spar.notch_apex) * cos / sin;
            prop_assert!((along_end - left - spar.stave_width).abs() < 1e-9);
            prop_assert!((along_inside - left - spar.stave_width).abs() < 1e-9);
            prop_assert!((apex + spar.notch_depth - along_end).abs() < 1e-9);
            prop_assert!(spar.solid_share > 0.0 && spar.solid_share < 1.0);
        }
    }
}
