//! What is coated, in m²: members by their sizes. Planking is measured by the grid ([`crate::grid::Shell::area`]).

use std::f64::consts::PI;

use crate::error::{self, InputError};
use crate::geometry::{Point, signed_area};
use crate::grid::member::MemberKind;

/// The coated face of a member, m²: a spar all round, a coaming on both sides and its top, a hatch, a plank of the transom or a panel on
/// one face; `None` for what is coated with what lies on it. mm. Errors name `length`, `width` or `thickness`.
pub fn of_member(kind: MemberKind, length: f64, width: f64, thickness: f64) -> Result<Option<f64>, InputError> {
    error::length("length", length)?;
    error::length("width", width)?;
    error::length("thickness", thickness)?;
    let face = match kind {
        // Round between its two sizes.
        MemberKind::Spar => length * PI * (width + thickness) / 2.0,
        MemberKind::Coaming => length * (2.0 * width + thickness),
        MemberKind::Hatch | MemberKind::TransomPlank | MemberKind::DeckPanel => length * width,
        _ => return Ok(None),
    };
    Ok(Some(face / 1e6))
}

/// A deck by the half of its outline from the stem aft, `[x, half-breadth]`, mm: both halves, m².
pub fn of_deck(half: &[Point]) -> f64 {
    let (Some(first), Some(last)) = (half.first(), half.last()) else { return 0.0 };
    let closed: Vec<Point> = half.iter().copied().chain([[last[0], 0.0], [first[0], 0.0]]).collect();
    2.0 * signed_area(&closed).abs() / 1e6
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn a_mast_is_coated_all_round_and_a_beam_with_the_deck() {
        // 9 m of 120 mm: 9 × π × 0.12.
        let mast = of_member(MemberKind::Spar, 9_000.0, 120.0, 120.0).unwrap().unwrap();
        assert!((mast - 9.0 * PI * 0.12).abs() < 1e-9, "{mast}");
        let coaming = of_member(MemberKind::Coaming, 2_000.0, 150.0, 20.0).unwrap().unwrap();
        assert!((coaming - 2.0 * 0.32).abs() < 1e-12);
        assert_eq!(of_member(MemberKind::Hatch, 600.0, 500.0, 22.0).unwrap(), Some(0.3));
        assert_eq!(of_member(MemberKind::Beam, 2_000.0, 60.0, 40.0).unwrap(), None);
        assert_eq!(of_member(MemberKind::Spar, 0.0, 60.0, 40.0).unwrap_err().field, "length");
        assert_eq!(of_member(MemberKind::Spar, 900.0, f64::NAN, 40.0).unwrap_err().field, "width");
    }

    #[test]
    fn a_deck_is_both_halves_of_its_outline() {
        let box_deck = [[0.0, 1_000.0], [3_000.0, 1_000.0]];
        assert!((of_deck(&box_deck) - 6.0).abs() < 1e-12);
        assert!((of_deck(&[[0.0, 0.0], [4_000.0, 1_000.0]]) - 4.0).abs() < 1e-12);
        assert_eq!((of_deck(&[]), of_deck(&[[5.0, 5.0]])), (0.0, 0.0));
    }

    proptest! {
        /// A second way: strips across it, one millimetre of error a metre.
        #[test]
        fn a_deck_is_the_sum_of_its_strips(breadths in proptest::collection::vec(0.0..2_000.0f64, 2..12)) {
            let half: Vec<Point> = breadths.iter().enumerate().map(|(i, b)| [500.0 * i as f64, *b]).collect();
            let strips: f64 = breadths.windows(2).map(|p| 500.0 * (p[0] + p[1])).sum::<f64>() / 1e6;
            prop_assert!((of_deck(&half) - strips).abs() < 1e-9);
        }
    }
}
