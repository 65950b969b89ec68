//! Decks: what holds a glued one down while it cures (handbook 10).

pub mod plan;

use crate::error::{self, InputError};
use crate::units::whole_up;

/// Ballast for gluing down, kg/m², and what a bag weighs, kg.
pub const BALLAST: f64 = 80.0;
pub const BAG: f64 = 25.0;

/// Weights laid on a deck while its glue cures.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Ballast {
    /// kg.
    pub mass: f64,
    /// Whole bags.
    pub bags: u32,
}

/// Ballast for an area, m². Errors name `area_m2`, `per_m2` or `bag`. Source: handbook 10.
pub fn ballast(area: f64, per_m2: f64, bag: f64) -> Result<Ballast, InputError> {
    error::positive("area_m2", area)?;
    error::positive("per_m2", per_m2)?;
    error::positive("bag", bag)?;
    let mass = area * per_m2;
    let bags = whole_up(mass / bag).max(1.0);
    if bags > 1e6 {
        return Err(InputError::new("area_m2", "takes more bags than any yard has"));
    }
    Ok(Ballast { mass, bags: bags as u32 })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bags_are_rounded_up_and_a_full_one_is_not_two() {
        assert_eq!(ballast(3.4, BALLAST, BAG).unwrap(), Ballast { mass: 272.0, bags: 11 });
        assert_eq!(ballast(2.5, 80.0, 25.0).unwrap().bags, 8);
        assert_eq!(ballast(0.001, 80.0, 25.0).unwrap().bags, 1);
        assert_eq!(ballast(0.0, 80.0, 25.0).unwrap_err().field, "area_m2");
        assert_eq!(ballast(1.0, 80.0, 0.0).unwrap_err().field, "bag");
    }
}
