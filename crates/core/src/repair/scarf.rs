//! Scarfs: length, glue area, strength, and which way they point.

use crate::error::{self, InputError};

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
    fn strength_is_flat_outside_the_handbook_and_linear_inside() {
        assert_eq!(efficiency(2.0), 0.65);
        assert!((efficiency(9.0) - 0.825).abs() < 1e-12);
        assert_eq!(efficiency(20.0), 0.90);
        assert_eq!(plan(25.0, 150.0, 0.0).unwrap_err().field, "ratio");
    }
}
