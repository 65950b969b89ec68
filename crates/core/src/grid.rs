//! The grid: frames counted from forward, strakes from the keel up, and the addresses everything found has.
//!
//! *Bay* n is the space between frame n and frame n + 1. A *plank* is one piece of a strake, from joint to joint.
//! The rest of the boat is made of [`member`]s, each with cells of its own; a [`Place`] is anywhere on either.
//! [`edit`] corrects the grid afterwards; [`offsets`] holds the lines she was built to.

pub mod edit;
pub mod member;
pub mod offsets;
pub mod plank;

use std::collections::BTreeSet;
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

impl Construction {
    /// What one row of the shell's grid is called.
    pub fn row(self) -> &'static str {
        match self {
            Self::Strip => "band of strips",
            Self::ColdMoulded | Self::PlywoodFramed | Self::PlywoodTaped => "panel",
            _ => "strake",
        }
    }

    /// What lies between two rows.
    pub fn between(self) -> Between {
        match self {
            Self::CarvelCaulked | Self::CarvelGlued | Self::BattenSeam => Between::Seam,
            Self::Lapstrake => Between::Lap,
            Self::DoublePlanked | Self::Strip | Self::ColdMoulded => Between::GluedEdge,
            Self::PlywoodFramed | Self::PlywoodTaped => Between::Joint,
        }
    }
}

/// What lies between two rows of planking.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Between {
    #[default]
    Seam,
    Lap,
    GluedEdge,
    /// A plywood joint on a chine or under tape.
    Joint,
}

impl Between {
    pub fn label(self) -> &'static str {
        match self {
            Self::Seam => "seam",
            Self::Lap => "lap",
            Self::GluedEdge => "glued edge",
            Self::Joint => "joint",
        }
    }
}

choices! {
    /// What kind of joint ends a plank; a scarf says which way its outer feather edge points.
    JointKind {
        Butt = "butt", "Butt";
        ButtOnFrame = "butt_on_frame", "Butt on a frame";
        ScarfAft = "scarf_aft", "Scarf, outer edge pointing aft";
        ScarfForward = "scarf_forward", "Scarf, outer edge pointing forward";
    }
}

/// `strake 4`, `strakes 4 to 6`: a run of numbers, both ends in.
pub fn run_of(what: &str, (first, last): (u32, u32)) -> String {
    if first == last { format!("{what} {first}") } else { format!("{what}s {first} to {last}") }
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
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
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

/// A cell of anything that is not planking: `KEEL 3` is the third metre of the keel.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct MemberCell {
    /// The member's code on its boat, in capitals and digits, for instance `FR12P`.
    pub code: String,
    /// Counted from 1.
    pub cell: u32,
}

/// A place anywhere on a boat.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Place {
    Shell(Address),
    Member(MemberCell),
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Shell(at) => at.fmt(f),
            Self::Member(at) => write!(f, "{} {}", at.code, at.cell),
        }
    }
}

/// Longest code of a member.
const LONGEST_CODE: usize = 16;

impl Place {
    /// Reads `P7 F12`, or a member's code and cell: `FR12P 1`, `keel 3`. Errors name the field `address`.
    pub fn parse(text: &str) -> Result<Self, InputError> {
        let on_shell = Address::parse(text);
        if let Ok(at) = on_shell {
            return Ok(Self::Shell(at));
        }
        let upper = text.trim().to_uppercase();
        let mut parts = upper.split_whitespace();
        let code = parts.next().filter(|code| {
            code.len() <= LONGEST_CODE
                && code.bytes().all(|b| b.is_ascii_uppercase() || b.is_ascii_digit())
                && code.bytes().next().is_some_and(|b| b.is_ascii_uppercase())
                && code.len() > 1
                // A strake without its frame is a place half written, not a member.
                && !(matches!(code.as_bytes()[0], b'P' | b'S') && code[1..].bytes().all(|b| b.is_ascii_digit()))
        });
        let cell = parts.next().map_or(Some(1), |n| n.parse().ok().filter(|n| *n > 0));
        match (code, cell, parts.next()) {
            (Some(code), Some(cell), None) => Ok(Self::Member(MemberCell { code: code.to_owned(), cell })),
            _ => on_shell.map(Self::Shell),
        }
    }

    /// The address, when it is on the shell.
    pub fn shell(&self) -> Option<Address> {
        match self {
            Self::Shell(at) => Some(*at),
            Self::Member(_) => None,
        }
    }
}

impl TryFrom<String> for Place {
    type Error = InputError;

    fn try_from(text: String) -> Result<Self, InputError> {
        Self::parse(&text)
    }
}

/// From which end a yard counts; inside, frames always run from forward and strakes from the keel.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Numbering {
    pub frames_from_aft: bool,
    pub strakes_from_sheer: bool,
}

impl Numbering {
    /// A place on the shell as this yard numbers it; applied twice it gives the place back.
    pub fn turn(self, at: Address, shell: &Shell) -> Address {
        let flip = |on: bool, n: u32, count: u32| if on && n >= 1 && n <= count { count + 1 - n } else { n };
        Address {
            side: at.side,
            strake: flip(self.strakes_from_sheer, at.strake, shell.strake_count()),
            frame: flip(self.frames_from_aft, at.frame, shell.frame_count()),
        }
    }
}

/// Where the water comes to: the highest strake under it at the stem, amidships and at the stern. A strake that is half under counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Waterline {
    pub stem: u32,
    pub middle: u32,
    pub stern: u32,
}

impl Waterline {
    /// The same strake all along.
    pub fn level(strake: u32) -> Self {
        Self { stem: strake, middle: strake, stern: strake }
    }

    /// The highest strake under water at a frame: evenly from the stem to amidships and on to the stern, rounded up.
    pub fn at(self, frame: u32, frames: u32) -> u32 {
        let last = f64::from(frames.max(2) - 1);
        let along = (f64::from(frame.max(1) - 1) / last).min(1.0);
        let between = |a: u32, b: u32, share: f64| f64::from(a) + (f64::from(b) - f64::from(a)) * share;
        let strake = if along <= 0.5 {
            between(self.stem, self.middle, along * 2.0)
        } else {
            between(self.middle, self.stern, along * 2.0 - 1.0)
        };
        (strake - 1e-9).ceil().max(0.0) as u32
    }

    /// Whether a place is under water on a hull of so many frames.
    pub fn covers(self, at: Address, frames: u32) -> bool {
        at.strake <= self.at(at.frame, frames)
    }
}

/// A hull's planking, measured or generated, on which places are found.
///
/// `edges[s][f]` is the girth in mm from the keel to the lower edge of strake `s + 1` at frame `f + 1`,
/// with one more row for the sheer: strake `n` lies between rows `n − 1` and `n`. Both sides share it until one
/// of them is measured: then `starboard` holds its own.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Shell {
    /// Distance of each frame's centre line aft of frame 1, mm, rising.
    pub frames: Vec<f64>,
    pub edges: Vec<Vec<f64>>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub starboard: Option<Vec<Vec<f64>>>,
    /// Cells whose width was measured; the rest are generated.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub measured: BTreeSet<Address>,
    /// Frames whose distance from the one before was measured.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub measured_frames: BTreeSet<u32>,
}

impl Shell {
    /// Where a place on the shell lies, as far as the girth tells: mm aft of frame 1, to port, and up. `beam` is the boat's. `None` off
    /// the shell. The bottom is taken as half the girth outward, no farther than half the beam; the rest goes up.
    pub fn spot(&self, at: Address, beam: f64) -> Option<[f64; 3]> {
        self.place(at).ok()?;
        let x = self.frame_x(at.frame);
        let girth = self.girth(at.side, at.strake as usize - 1, x) + self.width(at) / 2.0;
        let out = (girth / 2.0).min(beam / 2.0);
        Some([x, if at.side == Side::Port { out } else { -out }, girth - out])
    }

    /// A shell of which nothing was measured yet.
    pub fn new(frames: Vec<f64>, edges: Vec<Vec<f64>>) -> Self {
        Self { frames, edges, starboard: None, measured: BTreeSet::new(), measured_frames: BTreeSet::new() }
    }

    pub fn frame_count(&self) -> u32 {
        self.frames.len() as u32
    }

    pub fn strake_count(&self) -> u32 {
        self.edges.len().saturating_sub(1) as u32
    }

    /// The edges of one side.
    pub fn edges_of(&self, side: Side) -> &[Vec<f64>] {
        match (side, &self.starboard) {
            (Side::Starboard, Some(own)) => own,
            _ => &self.edges,
        }
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
        let edges = self.edges_of(at.side);
        edges[s][f] - edges[s - 1][f]
    }

    /// Girth of an edge row (0 the keel) at any distance aft of frame 1, mm.
    pub fn girth(&self, side: Side, row: usize, x: f64) -> f64 {
        let next = self.frames.partition_point(|f| *f < x).clamp(1, self.frames.len() - 1);
        let (x0, x1) = (self.frames[next - 1], self.frames[next]);
        let line = &self.edges_of(side)[row];
        line[next - 1] + (line[next] - line[next - 1]) * (x - x0) / (x1 - x0)
    }

    /// Area of what of a side is `held`, m²: girths at the frames, the frames apart as along her middle line.
    ///
    /// Where planks run in to stem and stern it is a few per cent short.
    pub fn area(&self, side: Side, held: impl Fn(Address) -> bool) -> f64 {
        let girth = |frame: u32| -> f64 {
            let strakes = (1..=self.strake_count()).map(|strake| Address { side, strake, frame });
            strakes.filter(|at| held(*at)).map(|at| self.width(at)).sum()
        };
        let bays = (1..self.frame_count())
            .map(|f| (girth(f) + girth(f + 1)) / 2.0 * (self.frame_x(f + 1) - self.frame_x(f)).abs());
        bays.sum::<f64>() / 1e6
    }

    /// Greatest girth from keel to sheer on either side, mm.
    pub fn greatest_girth(&self) -> f64 {
        let sheer = self.edges.len() - 1;
        Side::BOTH.iter().flat_map(|side| &self.edges_of(*side)[sheer]).copied().fold(0.0, f64::max)
    }

    /// Widest the strake gets between two frames, mm.
    pub fn widest(&self, side: Side, strake: u32, from_frame: u32, to_frame: u32) -> f64 {
        (from_frame..=to_frame).map(|frame| self.width(Address { side, strake, frame })).fold(0.0, f64::max)
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
    pub fn strake_width_line(&self, side: Side, strake: u32, from_x: f64, to_x: f64, origin: f64) -> Vec<[f64; 2]> {
        let widths: Vec<[f64; 2]> = (1..=self.frame_count())
            .map(|frame| [self.frame_x(frame), self.width(Address { side, strake, frame })])
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
        let shell = Shell::new(vec![0.0, 300.0], vec![vec![0.0, 0.0], vec![100.0, 120.0]]);
        let error = shell.place(Address { side: Side::Port, strake: 1, frame: 3 }).unwrap_err();
        assert_eq!(error.to_string(), "frame: there is no frame 3 on this boat: they go from 1 to 2");
        assert_eq!(shell.width(Address { side: Side::Port, strake: 1, frame: 2 }), 120.0);
    }

    #[test]
    fn the_area_of_strakes_is_that_of_its_plates() {
        // Two strakes over two bays, 1 m and 2 m long: 0.1 and 0.2 m wide forward, twice that amidships, as at first aft.
        let edges = vec![vec![0.0; 3], vec![100.0, 200.0, 100.0], vec![300.0, 600.0, 300.0]];
        let shell = Shell::new(vec![0.0, 1_000.0, 3_000.0], edges);
        let area = |from, to| shell.area(Side::Port, |at| (from..=to).contains(&at.strake));
        assert!((area(1, 1) - (0.15 + 0.3)).abs() < 1e-12);
        assert!((area(2, 2) - (0.3 + 0.6)).abs() < 1e-12);
        assert!((area(1, 9) - area(1, 1) - area(2, 2)).abs() < 1e-12, "past the sheer there is nothing");
        assert_eq!((area(2, 1), area(0, 2)), (0.0, area(1, 2)));
    }

    #[test]
    fn the_waterline_runs_evenly_from_stem_to_midships_to_stern() {
        // 21 frames: the eleventh stands amidships.
        let line = Waterline { stem: 4, middle: 8, stern: 6 };
        assert_eq!([1, 6, 11, 16, 21].map(|frame| line.at(frame, 21)), [4, 6, 8, 7, 6]);
        // A strake that is half under counts: between frames it is rounded up.
        assert_eq!((line.at(2, 21), line.at(12, 21)), (5, 8));
        let at = |strake, frame| line.covers(Address { side: Side::Port, strake, frame }, 21);
        assert!(at(4, 1) && !at(5, 1) && at(8, 11) && !at(9, 11));
        let level = Waterline::level(3);
        assert!((1..=21).all(|frame| level.at(frame, 21) == 3));
        // One frame, none, and a frame past the last are no reason to fall over.
        assert_eq!((line.at(1, 1), line.at(0, 0), line.at(99, 21)), (4, 4, 6));
    }

    #[test]
    fn a_place_is_on_the_shell_or_on_a_member() {
        assert_eq!(Place::parse("p7 f12").unwrap().to_string(), "P7 F12");
        for (text, shown) in [("keel 3", "KEEL 3"), ("FR12P 2", "FR12P 2"), ("shp 4", "SHP 4"), ("MAST", "MAST 1")] {
            let place = Place::parse(text).unwrap();
            assert_eq!(place.to_string(), shown);
            assert_eq!(Place::parse(shown).unwrap(), place);
        }
        for text in ["", "keel 0", "keel x", "keel 3 4", "K", "a<b 1", "7", &"X".repeat(40)] {
            assert!(Place::parse(text).is_err(), "{text}");
        }
    }

    #[test]
    fn numbering_from_the_other_end_turned_twice_is_the_same_place() {
        let shell = Shell::new(vec![0.0, 300.0, 600.0], vec![vec![0.0; 3], vec![100.0; 3], vec![200.0; 3]]);
        let numbering = Numbering { frames_from_aft: true, strakes_from_sheer: true };
        let at = Address { side: Side::Port, strake: 2, frame: 1 };
        let shown = numbering.turn(at, &shell);
        assert_eq!(shown, Address { side: Side::Port, strake: 1, frame: 3 });
        assert_eq!(numbering.turn(shown, &shell), at);
        let off = Address { side: Side::Port, strake: 9, frame: 0 };
        assert_eq!(numbering.turn(off, &shell), off, "a place off the boat is left to be refused");
    }
}
