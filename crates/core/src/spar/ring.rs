//! Rings and other laminated rounds: strips, their length, and how many break (handbook 10).

use crate::error::{self, InputError};
use crate::shape::bend::{self, Request, SteamRisk};
use crate::units::whole_up;

/// A ring out of one strip wound round and round. Lengths mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Ring {
    pub turns: u32,
    /// Of the strip, both feathered ends counted.
    pub strip_length: f64,
    pub outer_diameter: f64,
    /// Of bending a ply to the inside.
    pub risk: SteamRisk,
    /// Share of strips to make beside; `None` where they break: thinner ones first.
    pub spares: Option<f64>,
}

/// Most turns a strip is wound to.
const MOST_TURNS: f64 = 200.0;

/// A ring `thickness` thick of plies `ply` thick about `inner_diameter`; `taper` is the feathered end.
///
/// `strip` carries species, drying and soaking; its thickness and radius are those of the ring's first turn. Errors
/// name `inner_diameter`, `thickness`, `ply` or `taper`. Source: handbook 10; risk as for any steamed bend.
pub fn plan(inner_diameter: f64, thickness: f64, ply: f64, taper: f64, strip: Request<'_>) -> Result<Ring, InputError> {
    error::length("inner_diameter", inner_diameter)?;
    error::length("thickness", thickness)?;
    error::length("ply", ply)?;
    error::within("taper", taper, 0.0, error::LENGTH_LIMIT_MM)?;
    let turns = whole_up(thickness / ply).max(1.0);
    if turns > MOST_TURNS {
        return Err(InputError::new("ply", format!("needs more than {MOST_TURNS} turns: take thicker strips")));
    }
    let wound: f64 = (1..=turns as u32)
        .map(|turn| std::f64::consts::PI * (inner_diameter + (2.0 * f64::from(turn) - 1.0) * ply))
        .sum();
    let bend = bend::plan(&Request { thickness: ply, radius: inner_diameter / 2.0, ..strip }).map_err(|e| {
        let field = if e.field == "radius" { "inner_diameter" } else { "ply" };
        InputError::new(field, e.message)
    })?;
    Ok(Ring {
        turns: turns as u32,
        strip_length: wound + 2.0 * taper,
        outer_diameter: inner_diameter + 2.0 * turns * ply,
        risk: bend.steam_risk,
        spares: match bend.steam_risk {
            SteamRisk::Low => Some(0.10),
            SteamRisk::High => Some(0.25),
            SteamRisk::Breaks => None,
        },
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::timber::species;

    fn oak(thickness: f64, inner: f64, ply: f64) -> Result<Ring, InputError> {
        plan(inner, thickness, ply, 60.0, Request::air_dried(species::find("white_oak").unwrap(), ply, 1.0))
    }

    #[test]
    fn a_strip_is_as_long_as_its_middle_lines_and_two_ends() {
        let ring = oak(12.0, 110.0, 4.0).unwrap();
        // Wound by hand: turns about middles of 114, 122 and 130 mm.
        let by_hand = std::f64::consts::PI * (114.0 + 122.0 + 130.0) + 120.0;
        assert!((ring.strip_length - by_hand).abs() < 1e-9);
        assert_eq!((ring.turns, ring.outer_diameter, ring.spares), (3, 134.0, Some(0.10)));
    }

    #[test]
    fn thicker_strips_risk_more_until_they_break() {
        let spares: Vec<_> = [3.0, 5.0, 14.0].map(|ply| oak(ply, 110.0, ply).unwrap().spares).to_vec();
        assert_eq!(spares[0], Some(0.10));
        assert_eq!(spares[2], None, "{spares:?}");
        assert_eq!(oak(12.0, 110.0, 0.0).unwrap_err().field, "ply");
        assert_eq!(oak(300.0, 110.0, 1.0).unwrap_err().field, "ply");
        assert_eq!(oak(12.0, -1.0, 4.0).unwrap_err().field, "inner_diameter");
    }

    #[test]
    fn a_last_turn_that_is_not_full_is_wound_all_the_same() {
        assert_eq!(oak(13.0, 110.0, 4.0).unwrap().turns, 4);
        assert_eq!(oak(0.3, 110.0, 0.1).unwrap().turns, 3);
    }
}
