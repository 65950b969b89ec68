//! Schools of repair and the yard rules that go with them.
//!
//! Where the trade disagrees, both ways are supported: a school is a set of weights and limits chosen per boat.

use serde::{Deserialize, Serialize};

use crate::choice::choices;
use crate::error::{self, InputError};

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

    /// The school as the handbook has it; a yard may set its own weights and limits.
    pub fn rules(self) -> SchoolRules {
        let weights = |kept, strength, years, hours, cost| Weights { kept, strength, years, hours, cost };
        match self {
            Self::Conserve => SchoolRules {
                weights: weights(0.48, 0.20, 0.22, 0.06, 0.04),
                patch_share: 1.0,
                patches: 99,
                bays_from_butt: 0,
                whole_below: 0.40,
                butts_first: false,
                against: 12.0,
            },
            Self::Renew => SchoolRules {
                weights: weights(0.08, 0.42, 0.28, 0.16, 0.06),
                patch_share: 0.20,
                patches: 1,
                bays_from_butt: 3,
                whole_below: 1.0,
                butts_first: false,
                against: 18.0,
            },
            Self::Workboat => SchoolRules {
                weights: weights(0.04, 0.26, 0.26, 0.34, 0.10),
                patch_share: 1.0,
                patches: 99,
                bays_from_butt: 0,
                whole_below: 1.0,
                butts_first: true,
                against: 12.0,
            },
        }
    }
}

/// What counts, and how much, when options are ranked: original timber kept, strength left, the years it lasts, hours and cost
/// saved. Shares; what they add up to does not matter.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Weights {
    pub kept: f64,
    pub strength: f64,
    /// A yard's weights from before years were weighed have the handbook's usual share.
    #[serde(default = "years_weight")]
    pub years: f64,
    pub hours: f64,
    pub cost: f64,
}

fn years_weight() -> f64 {
    0.22
}

impl Weights {
    /// The weights adding up to 1.
    pub fn shares(self) -> Self {
        let sum = (self.kept + self.strength + self.years + self.hours + self.cost).max(1e-9);
        let share = |weight: f64| weight / sum;
        Self {
            kept: share(self.kept),
            strength: share(self.strength),
            years: share(self.years),
            hours: share(self.hours),
            cost: share(self.cost),
        }
    }
}

/// A school as it is applied: weights, and the limits its rules speak of.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SchoolRules {
    pub weights: Weights,
    /// Patches may take this share of a member's face, 0–1; 1: no limit.
    pub patch_share: f64,
    /// Patches a plank may have.
    pub patches: u32,
    /// No patch within this many bays of a butt; 0: no limit.
    pub bays_from_butt: u32,
    /// A whole new member only when less than this share of it is sound, 0–1; 1: whenever it is wanted.
    pub whole_below: f64,
    /// Butts rather than scarfs.
    pub butts_first: bool,
    /// Points taken off for each rule that speaks against an option.
    pub against: f64,
}

impl SchoolRules {
    /// Checks a yard's own values. Errors name the field.
    pub fn check(&self) -> Result<(), InputError> {
        let w = self.weights;
        for (field, weight) in
            [("kept", w.kept), ("strength", w.strength), ("years", w.years), ("hours", w.hours), ("cost", w.cost)]
        {
            error::within(field, weight, 0.0, 1.0)?;
        }
        if w.kept + w.strength + w.years + w.hours + w.cost <= 0.0 {
            return Err(InputError::new("kept", "at least one of the weights must count"));
        }
        error::within("patch_share", self.patch_share, 0.0, 1.0)?;
        error::within("whole_below", self.whole_below, 0.0, 1.0)?;
        error::within("against", self.against, 0.0, 50.0)?;
        if self.patches > 99 || self.bays_from_butt > 50 {
            return Err(InputError::new("patches", "no more than 99 patches and 50 bays"));
        }
        Ok(())
    }
}

/// What materials cost, in the yard's own money (*yard rule*: starting values, to be replaced by what the yard pays).
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Prices {
    /// Boat-building timber, per m³ as bought.
    pub timber: f64,
    /// Marine plywood, per m² and mm of thickness.
    pub plywood: f64,
    /// One fastening with its plug or rove.
    pub fastening: f64,
    /// Mixed glue, per kg.
    pub glue: f64,
    /// Cotton, primer and compound, per metre of seam.
    pub seam: f64,
    /// Consolidant, preservative and primer, per m².
    pub treatment: f64,
    /// Timber bought for timber built in.
    pub waste: f64,
}

impl Default for Prices {
    fn default() -> Self {
        Self { timber: 2_400.0, plywood: 4.5, fastening: 0.6, glue: 28.0, seam: 4.0, treatment: 35.0, waste: 1.5 }
    }
}

impl Prices {
    /// Checks a yard's own values. Errors name the field.
    pub fn check(&self) -> Result<(), InputError> {
        for (field, price) in [
            ("timber", self.timber),
            ("plywood", self.plywood),
            ("fastening", self.fastening),
            ("glue", self.glue),
            ("seam", self.seam),
            ("treatment", self.treatment),
        ] {
            error::within(field, price, 0.0, 1e6)?;
        }
        error::within("waste", self.waste, 1.0, 5.0).map(|_| ())
    }
}

/// The yard's ways: its schools, its limits for graving pieces, and what things cost it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct Practice {
    pub conserve: SchoolRules,
    pub renew: SchoolRules,
    pub workboat: SchoolRules,
    pub graving: GravingRules,
    pub prices: Prices,
}

impl Default for Practice {
    /// Handbook chapter 4.
    fn default() -> Self {
        Self {
            conserve: School::Conserve.rules(),
            renew: School::Renew.rules(),
            workboat: School::Workboat.rules(),
            graving: GravingRules::default(),
            prices: Prices::default(),
        }
    }
}

impl Practice {
    pub fn school(&self, school: School) -> &SchoolRules {
        match school {
            School::Conserve => &self.conserve,
            School::Renew => &self.renew,
            School::Workboat => &self.workboat,
        }
    }

    pub fn school_mut(&mut self, school: School) -> &mut SchoolRules {
        match school {
            School::Conserve => &mut self.conserve,
            School::Renew => &mut self.renew,
            School::Workboat => &mut self.workboat,
        }
    }
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
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
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
    /// No side of the outline is shorter unless the other rules leave no other outline.
    pub least_side: f64,
    /// No corner within the plank is sharper, degrees, unless the other rules leave no other outline.
    pub least_corner: f64,
    /// Whether a piece that runs out to one edge of the plank may be narrower at that edge than within.
    pub undercut: bool,
}

impl GravingRules {
    /// The smallest outline of whatever shape, as the `patch` contract asks.
    pub fn of_any_shape(self) -> Self {
        Self { least_side: 0.0, least_corner: 0.0, undercut: true, ..self }
    }
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
            least_side: 15.0,
            least_corner: 35.0,
            undercut: false,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_yards_own_values_are_held_to_sense() {
        let mut own = Practice::default();
        assert!(School::ALL.iter().all(|s| own.school(*s).check().is_ok()));
        own.school_mut(School::Renew).patch_share = 1.2;
        assert_eq!(own.renew.check().unwrap_err().field, "patch_share");
        own.conserve.weights = Weights { kept: 0.0, strength: 0.0, years: 0.0, hours: 0.0, cost: 0.0 };
        assert_eq!(own.conserve.check().unwrap_err().field, "kept");
        assert_eq!(Prices { waste: 0.5, ..own.prices }.check().unwrap_err().field, "waste");
    }

    #[test]
    fn weights_count_by_their_shares() {
        let w = Weights { kept: 2.0, strength: 1.0, years: 4.0, hours: 1.0, cost: 0.0 }.shares();
        assert_eq!((w.kept, w.strength, w.years, w.hours, w.cost), (0.25, 0.125, 0.5, 0.125, 0.0));
    }

    #[test]
    fn what_was_kept_reads_back_and_what_is_missing_is_the_handbooks() {
        let own = Practice { prices: Prices { glue: 31.5, ..Prices::default() }, ..Practice::default() };
        let text = serde_json::to_string(&own).unwrap();
        assert_eq!(serde_json::from_str::<Practice>(&text).unwrap(), own);
        assert_eq!(serde_json::from_str::<Practice>("{}").unwrap(), Practice::default());
    }
}
