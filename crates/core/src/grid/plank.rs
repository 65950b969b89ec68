//! A plank’s place on the grid, and the fastening holes in it.

use super::{Shell, Side};

/// A plank in its strake, from joint to joint.
#[derive(Debug, Clone, PartialEq)]
pub struct PlankPlace {
    pub side: Side,
    pub strake: u32,
    /// Bay of the joint at its fore end; `None` at the stem.
    pub from_bay: Option<u32>,
    /// Bay of the joint at its after end; `None` at the stern.
    pub to_bay: Option<u32>,
}

impl PlankPlace {
    /// Where it begins and ends, mm aft of frame 1.
    pub fn span(&self, shell: &Shell) -> (f64, f64) {
        let from = self.from_bay.map_or(0.0, |bay| shell.bay_middle(bay));
        let to = self.to_bay.map_or(shell.length(), |bay| shell.bay_middle(bay));
        (from, to)
    }

    /// Bays at its ends, counting the ends of the boat as bay 0 and the last frame.
    pub fn bays(&self, shell: &Shell) -> (u32, u32) {
        (self.from_bay.unwrap_or(0), self.to_bay.unwrap_or(shell.frame_count()))
    }
}

/// An old fastening hole; the diameter is that of the hole or of its plug, whichever is larger.
#[derive(Debug, Clone, PartialEq)]
pub struct Hole {
    pub id: String,
    pub x: f64,
    pub y: f64,
    pub diameter: f64,
    /// Still holding.
    pub live: bool,
}
