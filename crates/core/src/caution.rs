//! The short cautions shown beside work that can hurt someone. The software advises; local rules, product
//! sheets and licensed trades come first.

use serde::Serialize;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Caution {
    OldPaint,
    Resins,
    Dust,
    OilyRags,
    Preservative,
    Heavy,
    Solvents,
    Steam,
    UnderHull,
    Machines,
    FirstFloat,
    Structure,
}

impl Caution {
    /// One or two sentences, handbook 09.
    pub fn text(self) -> &'static str {
        match self {
            Self::OldPaint => {
                "Old paint and fillers: suspect lead and other poisons until tested. Wet sanding or extraction, no dry sanding, collect the waste."
            }
            Self::Resins => {
                "Epoxy and polyurethane: gloves, eyes, ventilation. Never solvents on skin; more than 300 g in a pot overheats and fumes."
            }
            Self::Dust => "Wood dust: mask and extraction. Some woods sensitise; fine dust burns.",
            Self::OilyRags => "Oily rags ignite by themselves: lay flat outside, or in water in a lidded metal can.",
            Self::Preservative => {
                "Borates: keep them out of the water. Glycol is poisonous to people and animals and keeps glue and paint from sticking."
            }
            Self::Heavy => "A heavy piece: enough people, and a rigger or crane firm for lifting.",
            Self::Solvents => "Solvents: no flame, no heater.",
            Self::Steam => "Steam scalds: a vented box, never sealed; gloves; stand clear of a bending plank.",
            Self::UnderHull => "Cradle and shores are set by someone trained. Never remove a shore that carries.",
            Self::Machines => "Router and saw: guards, push sticks, featherboards; cut from the outside of the fence.",
            Self::FirstFloat => "First float: pumps, a second pump, someone on board, power checked.",
            Self::Structure => "Structure in doubt: a qualified marine surveyor or naval architect.",
        }
    }
}
