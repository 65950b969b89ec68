//! Scarfs: length, glue area, strength, and which way they point.

use serde::Serialize;

use crate::error::{self, InputError};
use crate::geometry::Point;

/// A plain scarf. Lengths mm, area mm².
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Scarf {
    pub length: f64,
    pub glue_area: f64,
    /// Strength against clear wood, 0–1.
    pub efficiency: f64,
    /// Depth of the nib at each end where the joint is nibbed; the length stays the same.
    pub nib: f64,
}

/// Ratio for planking that is not bent hard (*yard rule*).
pub const PLANKING_RATIO: f64 = 8.0;
/// Flatter than this no glue joint carries what the rules count on.
pub const STEEPEST: f64 = 6.0;
/// Feathers stay this far from fastenings, mm (*yard rule*).
pub const FEATHER_CLEARANCE: f64 = 40.0;

/// Strength of plain slopes against clear wood (Wood Handbook ch. 12).
const EFFICIENCY: [(f64, f64); 4] = [(5.0, 0.65), (8.0, 0.80), (10.0, 0.85), (12.0, 0.90)];

/// A scarf through `thickness` across `width` (mm) at `ratio` to 1: length = ratio × thickness,
/// glue area = width × √(length² + thickness²).
pub fn plan(thickness: f64, width: f64, ratio: f64) -> Result<Scarf, InputError> {
    error::length("thickness", thickness)?;
    error::length("width", width)?;
    error::positive("ratio", ratio)?;
    error::within("ratio", ratio, 1.0, 50.0)?;
    let length = ratio * thickness;
    Ok(Scarf {
        length,
        glue_area: width * length.hypot(thickness),
        efficiency: efficiency(ratio),
        nib: thickness / 6.0,
    })
}

/// What is to be said of a ratio: steeper than six to one it is little better than a butt.
pub fn warning(ratio: f64) -> Option<&'static str> {
    (ratio < STEEPEST).then_some("steeper than 6 to 1: hardly stronger than a butt; make it 8 to 1 or flatter")
}

/// Strength of a slope of `ratio` to 1: linear between the handbook's points, flat outside them.
pub fn efficiency(ratio: f64) -> f64 {
    let (first, last) = (EFFICIENCY[0], EFFICIENCY[EFFICIENCY.len() - 1]);
    if ratio <= first.0 {
        return first.1;
    }
    EFFICIENCY
        .windows(2)
        .find(|pair| ratio <= pair[1].0)
        .map_or(last.1, |pair| pair[0].1 + (pair[1].1 - pair[0].1) * (ratio - pair[0].0) / (pair[1].0 - pair[0].0))
}

/// A scarf as it is marked out, seen on the edge: x aft from its fore end, y from the inner face out, mm.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Joint {
    pub length: f64,
    pub thickness: f64,
    /// The two pieces' own profiles over the joint and a little beyond.
    pub forward: Vec<Point>,
    pub aft: Vec<Point>,
    /// Where the joint's line shows on each face, from the scarf's fore end.
    pub line_inside: f64,
    pub line_outside: f64,
    /// Depth of the nib at each end; 0 for feather edges.
    pub nib: f64,
    /// Slope between the nibs, to 1.
    pub slope: f64,
}

/// Draws a scarf. The outer feather edge (or nib) points aft, so that water runs over it: outside, the forward piece laps the
/// after one; `outer_aft` false draws it the other way, as it was found. Nibbed ends are `t/6` deep; the length stays, so the
/// slope between the nibs is flatter. Errors as [`plan`].
pub fn joint(thickness: f64, ratio: f64, nibbed: bool, outer_aft: bool) -> Result<Joint, InputError> {
    let plan = plan(thickness, thickness, ratio)?;
    let (length, t) = (plan.length, thickness);
    let nib = if nibbed { plan.nib } else { 0.0 };
    let beyond = length / 4.0;
    // As for an outer edge that points aft; the other way is the same, turned end for end.
    let line = [[0.0, 0.0], [0.0, nib], [length, t - nib], [length, t]];
    let forward = [vec![[-beyond, t], [-beyond, 0.0]], line.to_vec()].concat();
    let aft = [vec![[length + beyond, 0.0], [length + beyond, t]], line.iter().rev().copied().collect()].concat();
    let turned = |shape: Vec<Point>| -> Vec<Point> { shape.into_iter().map(|p| [length - p[0], p[1]]).collect() };
    let clean = |mut shape: Vec<Point>| {
        shape.dedup();
        shape
    };
    let (forward, aft, line_inside, line_outside) =
        if outer_aft { (forward, aft, 0.0, length) } else { (turned(aft), turned(forward), length, 0.0) };
    Ok(Joint {
        length,
        thickness,
        forward: clean(forward),
        aft: clean(aft),
        line_inside,
        line_outside,
        nib,
        slope: length / (t - 2.0 * nib),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn eight_to_one_through_an_inch_plank() {
        let joint = plan(25.0, 150.0, 8.0).unwrap();
        assert_eq!((joint.length, joint.efficiency), (200.0, 0.80));
        assert!((joint.glue_area - 30_233.466_556).abs() < 1e-3);
    }

    #[test]
    fn a_scarf_laps_outside_going_aft_and_its_two_pieces_fill_the_plank() {
        use crate::geometry::signed_area;
        for (nibbed, outer_aft) in [(false, true), (true, true), (false, false), (true, false)] {
            let drawn = joint(24.0, 8.0, nibbed, outer_aft).unwrap();
            let area = signed_area(&drawn.forward).abs() + signed_area(&drawn.aft).abs();
            assert!((area - 24.0 * 192.0 * 1.5).abs() < 1e-9);
            assert_eq!(drawn.line_outside > drawn.line_inside, outer_aft);
            assert_eq!((drawn.nib, drawn.length), (if nibbed { 4.0 } else { 0.0 }, 192.0));
            assert!(drawn.slope >= 8.0);
            let foremost = |shape: &[Point]| shape.iter().map(|p| p[0]).fold(f64::INFINITY, f64::min);
            assert!(foremost(&drawn.forward) < foremost(&drawn.aft));
        }
    }

    #[test]
    fn strength_is_flat_outside_the_handbook_and_linear_inside() {
        assert_eq!(efficiency(2.0), 0.65);
        assert!((efficiency(9.0) - 0.825).abs() < 1e-12);
        assert_eq!(efficiency(20.0), 0.90);
        assert_eq!(plan(25.0, 150.0, 0.0).unwrap_err().field, "ratio");
    }
}
