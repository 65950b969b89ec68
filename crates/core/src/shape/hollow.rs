//! Hollowing: a plank that lies on a round frame is backed out inside and rounded outside.

use crate::error::{self, InputError};

/// Thicknesses rough stock is sold in, mm (*yard rule*).
pub const STOCK_THICKNESSES: [f64; 14] =
    [12.0, 16.0, 19.0, 22.0, 25.0, 29.0, 32.0, 38.0, 44.0, 50.0, 63.0, 75.0, 90.0, 100.0];

/// How hollow a plank must be and the stock it is cut from, mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Hollow {
    pub hollow: f64,
    /// Finished thickness + hollow, rounded up to a stock size; unrounded beyond the thickest.
    pub stock_thickness: f64,
}

/// Hollow of a plank of `width` on a frame curve of `radius`: `h = R − √(R² − w²/4)`.
pub fn plan(width: f64, radius: f64, finished_thickness: f64) -> Result<Hollow, InputError> {
    error::length("width", width)?;
    error::positive("radius", radius)?;
    error::length("finished_thickness", finished_thickness)?;
    if radius < width / 2.0 {
        return Err(InputError::new(
            "radius",
            format!("must be at least half the width ({}), was {radius}", width / 2.0),
        ));
    }
    // Written so that a nearly flat frame does not lose its hollow to rounding.
    let half = width / 2.0;
    let hollow = half * half / (radius + (radius * radius - half * half).sqrt());
    let needed = finished_thickness + hollow;
    let stock = STOCK_THICKNESSES.into_iter().find(|stock| *stock >= needed).unwrap_or(needed);
    Ok(Hollow { hollow, stock_thickness: stock })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_bilge_plank_needs_thicker_stock() {
        let plank = plan(150.0, 900.0, 25.0).unwrap();
        assert!((plank.hollow - 3.130_444_267_4).abs() < 1e-9);
        assert_eq!(plank.stock_thickness, 29.0);
        assert_eq!(plan(150.0, 70.0, 25.0).unwrap_err().field, "radius");
    }
}
