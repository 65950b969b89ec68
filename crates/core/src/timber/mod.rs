//! Timber: what a species does, how wet it is, how it moves, and which board yields a piece.

pub mod board;
pub mod decay;
pub mod moisture;
pub mod season;
pub mod species;
pub mod substitute;

pub use board::{Board, Drying, Fit, Grain, Need};
pub use species::Species;

use crate::error::{self, InputError};

/// Wood swells no further above this moisture content, % (Wood Handbook, fibre saturation).
pub const FIBRE_SATURATION: f64 = 30.0;

/// Shrinkage from green to oven-dry across a width whose rings stand at `ring_angle` degrees to the face
/// (0 flat-sawn … 90 quarter-sawn), %: `S = S_R·sin²θ + S_T·cos²θ`.
pub fn shrinkage_at(radial: f64, tangential: f64, ring_angle: f64) -> f64 {
    let theta = ring_angle.to_radians();
    radial * theta.sin().powi(2) + tangential * theta.cos().powi(2)
}

/// Change of a width between two moisture contents, mm, positive when it swells (Wood Handbook eq. 13-1):
/// `ΔD = D·(M_f − M_i) / (30·100/S − 30 + M_i)`. Moisture above fibre saturation counts as 30 %.
pub fn movement(width: f64, shrinkage: f64, from: f64, to: f64) -> Result<f64, InputError> {
    error::length("width", width)?;
    error::positive("shrinkage", shrinkage)?;
    error::within("shrinkage", shrinkage, 0.0, 30.0)?;
    error::within("from", from, 0.0, 300.0)?;
    error::within("to", to, 0.0, 300.0)?;
    let (from, to) = (from.min(FIBRE_SATURATION), to.min(FIBRE_SATURATION));
    Ok(width * (to - from) / (FIBRE_SATURATION * 100.0 / shrinkage - FIBRE_SATURATION + from))
}

/// A quantity of timber as it is bought.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Measure {
    pub board_feet: f64,
    pub cubic_metres: f64,
}

/// Board feet (in × in × ft / 12) and m³ of a board in mm. With `round_up_thin` rough stock under one inch is
/// bought as one inch.
pub fn measure(thickness: f64, width: f64, length: f64, round_up_thin: bool) -> Result<Measure, InputError> {
    use crate::units::MM_PER_INCH;
    error::length("thickness", thickness)?;
    error::length("width", width)?;
    error::length("length", length)?;
    let bought = if round_up_thin { thickness.max(MM_PER_INCH) } else { thickness };
    Ok(Measure {
        board_feet: (bought / MM_PER_INCH) * (width / MM_PER_INCH) * (length / (12.0 * MM_PER_INCH)) / 12.0,
        cubic_metres: thickness * width * length / 1e9,
    })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn a_flat_sawn_larch_plank_swells_nearly_four_millimetres() {
        let change = movement(150.0, shrinkage_at(4.5, 9.1, 0.0), 10.0, 18.0).unwrap();
        assert!((change - 3.875_088_715_4).abs() < 1e-9);
    }

    #[test]
    fn a_thin_board_is_bought_as_an_inch_where_the_yard_does() {
        let as_is = measure(19.05, 203.2, 3048.0, false).unwrap();
        let bought = measure(19.05, 203.2, 3048.0, true).unwrap();
        assert!((as_is.board_feet - 5.0).abs() < 1e-9);
        assert!((bought.board_feet - 20.0 / 3.0).abs() < 1e-9);
        assert_eq!(as_is.cubic_metres, bought.cubic_metres);
    }

    proptest! {
        #[test]
        fn wetter_never_means_narrower(width in 10.0..400.0f64, s in 2.0..11.0f64, a in 0.0..60.0f64, b in 0.0..60.0f64) {
            let change = movement(width, s, a, b).unwrap();
            prop_assert!((b >= a && change >= 0.0) || (b < a && change <= 0.0));
            prop_assert!(change.abs() <= width * 0.2);
        }

        #[test]
        fn quarter_sawn_moves_least(radial in 2.0..6.0f64, extra in 0.0..6.0f64, angle in 0.0..=90.0f64) {
            let s = shrinkage_at(radial, radial + extra, angle);
            prop_assert!(s >= radial - 1e-9 && s <= radial + extra + 1e-9);
        }
    }
}
