//! Schools of repair and the yard rules that go with them.
//!
//! Where the trade disagrees, both ways are supported: a school is a set of weights and limits chosen per boat.

use crate::choice::choices;

choices! {
    /// How a boat is to be repaired. Every rule that is not common ground says which school it belongs to.
    ///
    /// *Conserve* saves the old timber; *Renew* puts in full lengths once patches add up; *Workboat* wants the
    /// least hours to a sound, watertight boat.
    School {
        Conserve = "conserve", "Conserve";
        Renew = "renew", "Renew";
        Workboat = "workboat", "Workboat";
    }
}

impl School {
    pub fn creed(self) -> &'static str {
        match self {
            Self::Conserve => "Save the old timber; whole plank only when less than 40 % is sound.",
            Self::Renew => "New timber full length once patches pass 20 % of a plank or number two.",
            Self::Workboat => "Least hours to a sound, watertight boat; butts rather than scarfs.",
        }
    }

    /// What counts, and how much, when options are ranked.
    pub fn weights(self) -> Weights {
        match self {
            Self::Conserve => Weights { kept: 0.65, strength: 0.25, hours: 0.10 },
            Self::Renew => Weights { kept: 0.10, strength: 0.60, hours: 0.30 },
            Self::Workboat => Weights { kept: 0.05, strength: 0.30, hours: 0.65 },
        }
    }
}

/// Shares of a ranking, adding up to 1: original timber kept, strength left, hours saved.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Weights {
    pub kept: f64,
    pub strength: f64,
    pub hours: f64,
}

choices! {
    /// What the boat is used for; it changes what is acceptable.
    Use {
        Sheltered = "sheltered", "Sheltered water";
        Coastal = "coastal", "Coastal";
        Offshore = "offshore", "Offshore";
        Workboat = "workboat", "Workboat";
        Museum = "museum", "Museum";
    }
}

/// Limits for laying out a graving piece; the names are those of the `patch` contract. Lengths in mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct GravingRules {
    /// Clearance to each side of a crack.
    pub crack_side: f64,
    /// Clearance beyond a crack's visible tip, along its own direction.
    pub crack_tip: f64,
    /// Clearance round a gouge.
    pub gouge: f64,
    /// Sound wood cut beyond the last soft wood, along the grain.
    pub rot_along: f64,
    /// The same across the grain.
    pub rot_across: f64,
    /// Wood between the outline and the rim of an old hole.
    pub hole_clearance: f64,
    /// The slope the eye prefers: run along the plank for each mm across.
    pub end_slope: f64,
    /// Narrowest land left to a plank edge; one plank thickness where that is more.
    pub edge_land: f64,
    /// Left standing on the piece to be planed off.
    pub proud: f64,
    /// Added to the blank on every side.
    pub blank_margin: f64,
}

impl Default for GravingRules {
    /// Handbook chapter 4, all *yard rule*.
    fn default() -> Self {
        Self {
            crack_side: 6.0,
            crack_tip: 25.0,
            gouge: 6.0,
            rot_along: 50.0,
            rot_across: 25.0,
            hole_clearance: 4.0,
            end_slope: 3.0,
            edge_land: 15.0,
            proud: 2.0,
            blank_margin: 6.0,
        }
    }
}
