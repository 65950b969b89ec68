//! The grid: frames counted from forward, strakes from the keel up, and the addresses everything found has.
//!
//! *Bay* n is the space between frame n and frame n + 1. A *plank* is one piece of a strake, from joint to joint.

use std::fmt;

use serde::{Deserialize, Serialize};

use crate::choice::choices;

use crate::error::InputError;

choices! {
    /// A side of the boat.
    Side {
        Port = "port", "Port";
        Starboard = "starboard", "Starboard";
    }
}

impl Side {
    pub const BOTH: [Self; 2] = [Self::Port, Self::Starboard];

    pub fn letter(self) -> char {
        match self {
            Self::Port => 'P',
            Self::Starboard => 'S',
        }
    }

    pub fn other(self) -> Self {
        match self {
            Self::Port => Self::Starboard,
            Self::Starboard => Self::Port,
        }
    }
}

choices! {
    /// How the hull is put together; it decides which rules, seams and repairs apply.
    Construction {
        CarvelCaulked = "carvel_caulked", "Carvel, caulked";
        CarvelGlued = "carvel_glued", "Carvel, glued seams";
        BattenSeam = "batten_seam", "Batten seam";
        DoublePlanked = "double_planked", "Double planked";
        Lapstrake = "lapstrake", "Lapstrake (clinker)";
        Strip = "strip", "Strip planked";
        ColdMoulded = "cold_moulded", "Cold-moulded";
        PlywoodFramed = "plywood_framed", "Plywood over frames";
        PlywoodTaped = "plywood_taped", "Plywood, stitched and taped";
    }
}

choices! {
    /// What kind of joint ends a plank.
    JointKind {
        Butt = "butt", "Butt";
        Scarf = "scarf", "Scarf";
    }
}

/// A joint in a strake, in the bay where it lies.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Joint {
    pub side: Side,
    /// Counted from the keel up; the garboard is 1.
    pub strake: u32,
    pub bay: u32,
}

impl fmt::Display for Joint {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}{} bay {}", self.side.letter(), self.strake, self.bay)
    }
}

/// A place on the shell: a strake at a frame. The cell it names is the bay aft of that frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Address {
    pub side: Side,
    pub strake: u32,
    pub frame: u32,
}

impl fmt::Display for Address {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}{} F{}", self.side.letter(), self.strake, self.frame)
    }
}

impl Address {
    /// Reads `P7 F12`, `p7f12`, `port 7 frame 12`: port strake 7 at frame 12. Errors name the field `address`.
    pub fn parse(text: &str) -> Result<Self, InputError> {
        let refuse = || InputError::new("address", "write a place as P7 F12: side, strake, frame");
        let packed: String = text.to_lowercase().replace("starboard", "s").replace("port", "p").replace("frame", "f");
        let packed: String = packed.chars().filter(|c| !c.is_whitespace()).collect();
        let side = match packed.chars().next() {
            Some('p') => Side::Port,
            Some('s') => Side::Starboard,
            _ => return Err(refuse()),
        };
        let (strake, frame) = packed[1..].split_once('f').ok_or_else(refuse)?;
        Ok(Self { side, strake: strake.parse().map_err(|_| refuse())?, frame: frame.parse().map_err(|_| refuse())? })
    }
}

/// One side of a hull's planking, measured or generated, on which places are found.
///
/// `edges[s][f]` is the girth in mm from the keel to the lower edge of strake `s + 1` at frame `f + 1`,
/// with one more row for the sheer: strake `n` lies between rows `n − 1` and `n`.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Shell {
    /// Distance of each frame's centre line aft of frame 1, mm, rising.
    pub frames: Vec<f64>,
    pub edges: Vec<Vec<f64>>,
}

impl Shell {
    pub fn frame_count(&self) -> u32 {
        self.frames.len() as u32
    }

    pub fn strake_count(&self) -> u32 {
        self.edges.len().saturating_sub(1) as u32
    }

    /// Checks that an address lies on this shell. Errors name `strake` or `frame`.
    pub fn place(&self, at: Address) -> Result<Address, InputError> {
        check_index("strake", at.strake, self.strake_count())?;
        check_index("frame", at.frame, self.frame_count())?;
        Ok(at)
    }

    /// Width of a strake at a frame, mm. The address must lie on the shell.
    pub fn width(&self, at: Address) -> f64 {
        let (s, f) = (at.strake as usize, at.frame as usize - 1);
        self.edges[s][f] - self.edges[s - 1][f]
    }

    /// Widest the strake gets between two frames, mm.
    pub fn widest(&self, strake: u32, from_frame: u32, to_frame: u32) -> f64 {
        (from_frame..=to_frame).map(|frame| self.width(Address { side: Side::Port, strake, frame })).fold(0.0, f64::max)
    }

    /// Distance of a frame's centre line aft of frame 1.
    pub fn frame_x(&self, frame: u32) -> f64 {
        self.frames[frame as usize - 1]
    }

    pub fn length(&self) -> f64 {
        self.frames.last().copied().unwrap_or(0.0)
    }

    /// Middle of a bay.
    pub fn bay_middle(&self, bay: u32) -> f64 {
        let next = (bay + 1).min(self.frame_count());
        (self.frame_x(bay.max(1)) + self.frame_x(next)) / 2.0
    }

    /// Mean distance between frames, mm.
    pub fn frame_space(&self) -> f64 {
        self.length() / f64::from(self.frame_count().saturating_sub(1).max(1))
    }

    /// A strake's lower or upper edge as points `[x, height above its own lower edge]` between two places,
    /// x measured aft from `origin`.
    pub fn strake_width_line(&self, strake: u32, from_x: f64, to_x: f64, origin: f64) -> Vec<[f64; 2]> {
        let widths: Vec<[f64; 2]> = (1..=self.frame_count())
            .map(|frame| [self.frame_x(frame), self.width(Address { side: Side::Port, strake, frame })])
            .collect();
        let inside = widths.iter().copied().filter(|p| p[0] > from_x && p[0] < to_x);
        let at = |x: f64| [x, crate::geometry::polyline_at(&widths, x)];
        std::iter::once(at(from_x))
            .chain(inside)
            .chain(std::iter::once(at(to_x)))
            .map(|p| [p[0] - origin, p[1]])
            .collect()
    }
}

fn check_index(field: &str, value: u32, count: u32) -> Result<(), InputError> {
    if value == 0 || value > count {
        return Err(InputError::new(
            field,
            format!("there is no {field} {value} on this boat: they go from 1 to {count}"),
        ));
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_address_is_read_however_it_is_written() {
        let expected = Address { side: Side::Port, strake: 7, frame: 12 };
        for text in ["P7 F12", "p7f12", "port 7 frame 12", " P 7  F 12 "] {
            assert_eq!(Address::parse(text).unwrap(), expected, "{text}");
        }
        assert_eq!(expected.to_string(), "P7 F12");
        for text in ["", "7 F12", "P7", "P F12", "Px F1", "P-1 F2", "P7 F99999999999", "ｐ7 f1", "é"] {
            assert!(Address::parse(text).is_err(), "{text}");
        }
    }

    #[test]
    fn a_place_off_the_boat_is_refused_with_the_range() {
        let shell = Shell { frames: vec![0.0, 300.0], edges: vec![vec![0.0, 0.0], vec![100.0, 120.0]] };
        let error = shell.place(Address { side: Side::Port, strake: 1, frame: 3 }).unwrap_err();
        assert_eq!(error.to_string(), "frame: there is no frame 3 on this boat: they go from 1 to 2");
        assert_eq!(shell.width(Address { side: Side::Port, strake: 1, frame: 2 }), 120.0);
    }
}
