//! Everything that is not planking: frames and floors, backbone, deck, transom, inside structure, spars.
//!
//! Each is a [`Member`] with cells of its own along it. A first set is laid out from the boat's [`Form`] and, like
//! the shell, is corrected by measurement. [`outline`] gives every cell its place on its surface's drawing.

use serde::{Deserialize, Serialize};

use crate::choice::choices;
use crate::error::{self, InputError};
use crate::geometry::Point;
use crate::grid::{Construction, Shell, Side};
use crate::hull;

choices! {
    /// The surfaces of a boat, each drawn on its own.
    Surface {
        Shell = "shell", "Shell";
        Frames = "frames", "Frames and floors";
        Backbone = "backbone", "Backbone";
        Deck = "deck", "Deck";
        Transom = "transom", "Transom";
        Interior = "interior", "Inside structure";
        Spars = "spars", "Spars";
    }
}

choices! {
    /// What a member is.
    MemberKind {
        Plank = "plank", "Plank";
        Frame = "frame", "Frame";
        Floor = "floor", "Floor";
        Stem = "stem", "Stem";
        Keel = "keel", "Keel";
        Keelson = "keelson", "Keelson";
        Deadwood = "deadwood", "Deadwood";
        Sternpost = "sternpost", "Sternpost";
        HornTimber = "horn_timber", "Horn timber";
        CoveringBoard = "covering_board", "Covering board";
        DeckPlank = "deck_plank", "Deck plank";
        KingPlank = "king_plank", "King plank";
        DeckPanel = "deck_panel", "Deck panel";
        Beam = "beam", "Beam";
        TransomPlank = "transom_plank", "Transom plank";
        Clamp = "clamp", "Clamp";
        Shelf = "shelf", "Shelf";
        Stringer = "stringer", "Stringer";
        Ceiling = "ceiling", "Ceiling";
        Spar = "spar", "Spar";
        Carlin = "carlin", "Carlin";
        Knee = "knee", "Knee";
        Hatch = "hatch", "Hatch";
        Coaming = "coaming", "Coaming";
        Stopwater = "stopwater", "Stopwater";
        Drain = "drain", "Drain or scupper";
    }
}

impl MemberKind {
    pub fn surface(self) -> Surface {
        match self {
            Self::Plank => Surface::Shell,
            Self::Frame | Self::Floor => Surface::Frames,
            Self::Stem | Self::Keel | Self::Keelson | Self::Deadwood | Self::Sternpost | Self::HornTimber => {
                Surface::Backbone
            }
            Self::Stopwater => Surface::Backbone,
            Self::CoveringBoard | Self::DeckPlank | Self::KingPlank | Self::DeckPanel | Self::Beam => Surface::Deck,
            Self::Carlin | Self::Hatch | Self::Coaming | Self::Drain => Surface::Deck,
            Self::TransomPlank => Surface::Transom,
            Self::Clamp | Self::Shelf | Self::Stringer | Self::Ceiling | Self::Knee => Surface::Interior,
            Self::Spar => Surface::Spars,
        }
    }

    /// The letters its code begins with.
    fn prefix(self) -> &'static str {
        match self {
            Self::Plank => "",
            Self::Frame => "FR",
            Self::Floor => "FL",
            Self::Stem => "STEM",
            Self::Keel => "KEEL",
            Self::Keelson => "KEELSON",
            Self::Deadwood => "DEADWOOD",
            Self::Sternpost => "STERNPOST",
            Self::HornTimber => "HORN",
            Self::CoveringBoard => "CB",
            Self::DeckPlank => "D",
            Self::KingPlank => "KING",
            Self::DeckPanel => "DP",
            Self::Beam => "BM",
            Self::TransomPlank => "TR",
            Self::Clamp => "CLAMP",
            Self::Shelf => "SHELF",
            Self::Stringer => "ST",
            Self::Ceiling => "CEIL",
            Self::Spar => "SPAR",
            Self::Carlin => "CARLIN",
            Self::Knee => "KNEE",
            Self::Hatch => "HATCH",
            Self::Coaming => "COAM",
            Self::Stopwater => "SW",
            Self::Drain => "DRAIN",
        }
    }

    /// Whether there is mostly one of it on a side (or on the boat): the first then has no number. A keel in pieces has more.
    fn is_single(self) -> bool {
        match self {
            Self::Stem | Self::Keel | Self::Keelson | Self::Deadwood | Self::Sternpost | Self::HornTimber => true,
            Self::CoveringBoard | Self::KingPlank | Self::Clamp | Self::Shelf | Self::Ceiling => true,
            Self::Frame | Self::Floor | Self::DeckPlank | Self::DeckPanel | Self::Beam | Self::TransomPlank => false,
            Self::Stringer | Self::Spar | Self::Plank | Self::Carlin | Self::Knee | Self::Hatch => false,
            Self::Coaming | Self::Stopwater | Self::Drain => false,
        }
    }

    /// Whether it is one thing to look at, without parts of its own.
    pub fn is_small(self) -> bool {
        matches!(self, Self::Knee | Self::Hatch | Self::Stopwater | Self::Drain)
    }

    /// How many cells one of this length has, where nothing like it tells, mm.
    pub fn cells(self, length: f64) -> u32 {
        match self {
            Self::Keel | Self::Keelson | Self::Spar => metres(length),
            kind if kind.is_small() => 1,
            _ => 3,
        }
    }

    /// Whether it is cut from the same stock as the planking.
    pub fn is_planking(self) -> bool {
        matches!(
            self,
            Self::Plank
                | Self::CoveringBoard
                | Self::DeckPlank
                | Self::KingPlank
                | Self::DeckPanel
                | Self::TransomPlank
                | Self::Ceiling
        )
    }

    /// Whether the planking is fastened to it.
    pub fn is_planked(self) -> bool {
        matches!(self, Self::Frame | Self::Floor)
    }

    /// Whether it usually lies under water.
    pub fn is_below_waterline(self) -> bool {
        matches!(self, Self::Floor | Self::Keel | Self::Keelson | Self::Deadwood | Self::Sternpost | Self::Stopwater)
    }

    /// How much of the boat hangs on it: what fails with it (*yard rule*; handbook 03: structure × consequence).
    pub fn consequence(self) -> f64 {
        match self.surface() {
            Surface::Backbone => 2.0,
            Surface::Frames => 1.6,
            Surface::Shell => 1.0,
            Surface::Spars => 1.4,
            Surface::Interior => 1.3,
            Surface::Deck if self == Self::Beam => 1.4,
            Surface::Deck | Surface::Transom => 1.0,
        }
    }

    /// Which way a drawing's x and y run on it.
    pub fn axes(self) -> &'static str {
        match self {
            Self::Frame => "x runs from the head down, y across its face",
            Self::Floor | Self::Beam | Self::TransomPlank => "x runs from port to starboard, y across its face",
            Self::Stem | Self::Sternpost | Self::HornTimber | Self::Deadwood => {
                "x runs from the foot up, y across its face"
            }
            Self::Spar => "x runs from the heel up, y across its face",
            Self::Knee => "x runs from its throat out along the arm, y across its face",
            Self::Stopwater => "x runs from port to starboard through the joint, y across it",
            Self::Drain => "x runs the way the water runs, y across it",
            Self::Plank => "x runs aft from the datum, y up from the lower edge",
            _ => "x runs aft from its fore end, y across its face",
        }
    }

    /// What a cell is called.
    pub fn cell_name(self, cell: u32) -> String {
        let part = |names: [&str; 3]| names.get(cell as usize - 1).map_or(format!("part {cell}"), |n| (*n).to_owned());
        match self {
            Self::Frame => part(["head", "middle", "heel"]),
            Self::Floor | Self::Beam | Self::TransomPlank => part(["port", "middle", "starboard"]),
            Self::Stem | Self::Sternpost | Self::HornTimber | Self::Deadwood => part(["foot", "middle", "head"]),
            Self::CoveringBoard | Self::DeckPlank | Self::KingPlank => format!("beam bay {cell}"),
            Self::DeckPanel | Self::Carlin | Self::Coaming => part(["fore", "middle", "after"]),
            Self::Knee | Self::Hatch | Self::Stopwater | Self::Drain => "whole".to_owned(),
            Self::Clamp | Self::Shelf | Self::Stringer | Self::Ceiling | Self::Plank => format!("bay {cell}"),
            Self::Keel | Self::Keelson | Self::Spar => format!("metre {cell}"),
        }
    }
}

/// A member of the boat. Lengths in mm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Member {
    pub kind: MemberKind,
    /// `None` on the centre line, or where it runs across.
    pub side: Option<Side>,
    /// Counted from forward, from the keel up, or from the side inwards; 1 where there is only one.
    pub number: u32,
    /// How many of its kind there are on its side, for drawing.
    pub of: u32,
    pub cells: u32,
    pub length: f64,
    /// Its face as one looks at it.
    pub width: f64,
    pub thickness: f64,
}

impl Member {
    fn is_only(&self) -> bool {
        self.kind.is_single() && self.number <= 1
    }

    /// `FR12P`, `KEEL`, `CBS`.
    pub fn code(&self) -> String {
        let number = if self.is_only() { String::new() } else { self.number.to_string() };
        let side = self.side.map_or(String::new(), |s| s.letter().to_string());
        format!("{}{number}{side}", self.kind.prefix())
    }

    /// `Frame 12, port`.
    pub fn name(&self) -> String {
        let number = if self.is_only() { String::new() } else { format!(" {}", self.number) };
        let side = self.side.map_or(String::new(), |s| format!(", {}", s.label().to_lowercase()));
        format!("{}{number}{side}", self.kind.label())
    }

    /// Length of one cell along the member, mm.
    pub fn cell_length(&self) -> f64 {
        self.length / f64::from(self.cells.max(1))
    }
}

choices! {
    /// How the deck is laid.
    DeckKind {
        Open = "open", "None (open boat)";
        LaidStraight = "laid_straight", "Laid straight";
        LaidSwept = "laid_swept", "Laid, swept along the side";
        Panels = "panels", "Plywood panels";
        Canvas = "canvas", "Planks under canvas or cloth";
    }
}

choices! {
    /// Which spars there are to look at.
    Rig {
        None = "none", "No spars";
        Mast = "mast", "Mast";
        MastBoom = "mast_boom", "Mast and boom";
        Gaff = "gaff", "Mast, boom, gaff and bowsprit";
    }
}

impl Rig {
    /// Spars by name with lengths, mm, as shares of the boat's length; to be measured.
    pub fn spars(self, length: f64) -> Vec<(String, f64)> {
        let shares: &[(&str, f64)] = match self {
            Self::None => &[],
            Self::Mast => &[("Mast", 1.0)],
            Self::MastBoom => &[("Mast", 1.1), ("Boom", 0.5)],
            Self::Gaff => &[("Mast", 1.05), ("Boom", 0.6), ("Gaff", 0.4), ("Bowsprit", 0.35)],
        };
        shares.iter().map(|(name, share)| ((*name).to_owned(), length * share)).collect()
    }
}

/// What the members are laid out from. Lengths in mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Form<'s> {
    pub construction: Construction,
    pub shell: &'s Shell,
    pub length: f64,
    pub beam: f64,
    pub depth: f64,
    pub plank_thickness: f64,
    pub frame_sided: f64,
    pub frame_moulded: f64,
    pub deck: DeckKind,
    /// Spars to lay out: their lengths.
    pub spars: &'s [(String, f64)],
}

/// Distance between beams that is aimed at, mm (*yard rule*).
const BEAM_SPACE: f64 = 450.0;
/// Width of a laid deck's planks that is aimed at, mm (*yard rule*).
const DECK_PLANK: f64 = 60.0;
/// Most deck planks of a side: beyond that a grid is of no more use.
const MOST_DECK_PLANKS: u32 = 14;
/// Share of the half-beam that a covering board takes.
const COVERING_SHARE: f64 = 0.11;

impl Form<'_> {
    /// Beams of the deck.
    pub fn beams(&self) -> u32 {
        ((self.length / BEAM_SPACE) as u32).clamp(4, 40)
    }

    fn deck_planks(&self) -> u32 {
        let inside = self.beam / 2.0 * (1.0 - COVERING_SHARE);
        ((inside / DECK_PLANK) as u32).clamp(3, MOST_DECK_PLANKS)
    }

    fn half_breadth(&self, x: f64) -> f64 {
        hull::half_breadth(self.beam, x / self.length)
    }

    fn covering(&self) -> f64 {
        self.beam / 2.0 * COVERING_SHARE
    }
}

/// Length of a solid spar for each mm of its thickness: what stands well stayed (*yard rule*), to be measured.
const SPAR_SLENDERNESS: f64 = 75.0;
/// No spar is generated thinner, mm.
const THINNEST_SPAR: f64 = 40.0;

/// A boat takes no more metres of keel or spar than this many cells.
const MOST_METRES: u32 = 60;

fn metres(length: f64) -> u32 {
    ((length / 1_000.0).round() as u32).clamp(1, MOST_METRES)
}

/// A first set of members for a boat, in the order they are looked at.
pub fn lay_out(form: &Form<'_>) -> Vec<Member> {
    let mut members = Vec::new();
    let bays = form.shell.frame_count().saturating_sub(1).max(1);
    let frames = form.shell.frame_count();
    let (sided, moulded) = (form.frame_sided, form.frame_moulded);
    let mut add = |kind, side, number, of, cells, length: f64, width: f64, thickness: f64| {
        members.push(Member { kind, side, number, of, cells, length, width, thickness });
    };
    // A stitched hull has no frames; its stations are still where one looks.
    let framed = form.construction != Construction::PlywoodTaped;
    if framed {
        let sheer = form.shell.edges.len() - 1;
        for side in Side::BOTH {
            for frame in 1..=frames {
                let girth = form.shell.edges_of(side)[sheer][frame as usize - 1];
                add(MemberKind::Frame, Some(side), frame, frames, 3, girth.max(100.0), moulded, sided);
            }
        }
        for frame in 1..=frames {
            let breadth = form.half_breadth(form.shell.frame_x(frame)) * 0.9;
            add(MemberKind::Floor, None, frame, frames, 3, breadth.max(100.0), moulded * 2.0, sided);
        }
    }
    let deep = form.depth;
    let keel_sided = sided * 2.5;
    add(MemberKind::Stem, None, 1, 1, 3, deep * 1.2, keel_sided * 1.6, keel_sided);
    add(MemberKind::Keel, None, 1, 1, metres(form.length * 0.8), form.length * 0.8, keel_sided * 1.8, keel_sided);
    if framed {
        let length = form.length * 0.7;
        add(MemberKind::Keelson, None, 1, 1, metres(length), length, keel_sided, keel_sided);
    }
    add(MemberKind::Deadwood, None, 1, 1, 3, form.length * 0.2, deep * 0.3, keel_sided);
    add(MemberKind::Sternpost, None, 1, 1, 3, deep * 0.9, keel_sided * 1.4, keel_sided);
    add(MemberKind::HornTimber, None, 1, 1, 3, form.length * 0.08, keel_sided, keel_sided);
    if form.deck != DeckKind::Open {
        let beams = form.beams();
        for side in Side::BOTH {
            add(
                MemberKind::CoveringBoard,
                Some(side),
                1,
                1,
                beams - 1,
                form.length,
                form.covering(),
                form.plank_thickness,
            );
        }
        match form.deck {
            DeckKind::Panels => {
                let pairs = (form.length / 2_440.0).ceil() as u32;
                for side in Side::BOTH {
                    for n in 1..=pairs {
                        let width = form.beam / 2.0 - form.covering();
                        add(
                            MemberKind::DeckPanel,
                            Some(side),
                            n,
                            pairs,
                            3,
                            form.length / f64::from(pairs),
                            width,
                            12.0,
                        );
                    }
                }
            }
            _ => {
                let planks = form.deck_planks();
                let width = (form.beam / 2.0 - form.covering()) / f64::from(planks);
                for side in Side::BOTH {
                    for n in 1..=planks {
                        add(
                            MemberKind::DeckPlank,
                            Some(side),
                            n,
                            planks,
                            beams - 1,
                            form.length,
                            width,
                            form.plank_thickness,
                        );
                    }
                }
                add(MemberKind::KingPlank, None, 1, 1, beams - 1, form.length, width * 1.6, form.plank_thickness);
            }
        }
        for n in 1..=beams {
            let x = beam_x(form, n);
            add(MemberKind::Beam, None, n, beams, 3, form.half_breadth(x) * 2.0, sided * 1.3, sided);
        }
    }
    let boards = ((deep * 0.7 / 160.0) as u32).clamp(2, 8);
    let stern = hull::half_breadth(form.beam, 1.0) * 2.0;
    for n in 1..=boards {
        let share = 0.35 + 0.65 * f64::from(n) / f64::from(boards);
        add(
            MemberKind::TransomPlank,
            None,
            n,
            boards,
            3,
            stern * share,
            deep * 0.7 / f64::from(boards),
            form.plank_thickness,
        );
    }
    let inside: &[(MemberKind, u32)] = match form.construction {
        Construction::PlywoodTaped | Construction::ColdMoulded | Construction::Strip => {
            &[(MemberKind::Shelf, 1), (MemberKind::Stringer, 2)]
        }
        _ => &[(MemberKind::Clamp, 1), (MemberKind::Shelf, 1), (MemberKind::Stringer, 2), (MemberKind::Ceiling, 1)],
    };
    for side in Side::BOTH {
        for (kind, count) in inside {
            for n in 1..=*count {
                let width = if *kind == MemberKind::Ceiling { deep * 0.5 } else { moulded * 1.6 };
                add(*kind, Some(side), n, *count, bays, form.shell.length(), width, form.plank_thickness * 1.2);
            }
        }
    }
    for (n, (_, length)) in form.spars.iter().enumerate() {
        let count = form.spars.len() as u32;
        add(
            MemberKind::Spar,
            None,
            n as u32 + 1,
            count,
            metres(*length),
            *length,
            (length / SPAR_SLENDERNESS).max(THINNEST_SPAR),
            (length / SPAR_SLENDERNESS).max(THINNEST_SPAR),
        );
    }
    members
}

/// Checks a member's measured sizes. Errors name `length`, `width` or `thickness`.
pub fn check_sizes(length: f64, width: f64, thickness: f64) -> Result<(), InputError> {
    for (field, mm, most) in
        [("length", length, 60_000.0), ("width", width, 6_000.0), ("thickness", thickness, 1_500.0)]
    {
        error::positive(field, mm)?;
        error::within(field, mm, 1.0, most)?;
    }
    Ok(())
}

fn beam_x(form: &Form<'_>, n: u32) -> f64 {
    form.length * (0.04 + 0.90 * f64::from(n - 1) / f64::from(form.beams() - 1))
}

/// Size of a surface's drawing, mm: `[along, across]`. Port lies above, the bow to the left.
pub fn extent(form: &Form<'_>, surface: Surface, members: &[Member]) -> Point {
    let girth = form.shell.greatest_girth();
    match surface {
        Surface::Shell | Surface::Frames | Surface::Interior => [form.shell.length(), 2.0 * girth + KEEL_BAND],
        Surface::Backbone => [form.length, form.depth * 1.5],
        Surface::Deck => [form.length, form.beam],
        Surface::Transom => [hull::half_breadth(form.beam, 1.0) * 2.0, form.depth * 0.75],
        Surface::Spars => {
            let longest =
                members.iter().filter(|m| m.kind == MemberKind::Spar).map(|m| m.length).fold(1_000.0, f64::max);
            let count = members.iter().filter(|m| m.kind == MemberKind::Spar).count().max(1);
            [longest, longest * 0.07 * count as f64]
        }
    }
}

/// Room between the two sides of the drawings that unroll the hull, mm.
pub const KEEL_BAND: f64 = 320.0;

/// Where a cell lies on its surface's drawing, mm: x aft, y down the page. Empty where there is none of it.
pub fn outline(form: &Form<'_>, member: &Member, cell: u32) -> Vec<Point> {
    let cells = f64::from(member.cells.max(1));
    let (from, to) = (f64::from(cell - 1) / cells, f64::from(cell) / cells);
    let girth = form.shell.greatest_girth();
    match member.kind {
        MemberKind::Plank => Vec::new(),
        MemberKind::Frame => {
            let side = member.side.unwrap_or(Side::Port);
            let sheer = form.shell.edges.len() - 1;
            let index = (member.number as usize - 1).min(form.shell.frames.len() - 1);
            let whole = form.shell.edges_of(side)[sheer][index];
            let x = form.shell.frames[index];
            // The head is the first cell: it lies at the sheer.
            let y = |share: f64| unrolled(side, girth, whole * (1.0 - share));
            bar(x - member.thickness / 2.0, x + member.thickness / 2.0, y(from), y(to))
        }
        MemberKind::Floor => {
            let index = (member.number as usize - 1).min(form.shell.frames.len() - 1);
            let x = form.shell.frames[index];
            let y = |share: f64| girth + KEEL_BAND * (0.12 + 0.76 * share);
            bar(x - member.thickness / 2.0, x + member.thickness / 2.0, y(from), y(to))
        }
        MemberKind::Clamp | MemberKind::Shelf | MemberKind::Stringer | MemberKind::Ceiling => {
            let side = member.side.unwrap_or(Side::Port);
            let sheer = form.shell.edges.len() - 1;
            let (low, high) = inside_band(member);
            let shell_length = form.shell.length();
            let point = |along: f64, up: f64| {
                let x = along * shell_length;
                [x, unrolled(side, girth, form.shell.girth(side, sheer, x) * up)]
            };
            vec![point(from, low), point(to, low), point(to, high), point(from, high)]
        }
        MemberKind::Stem => {
            let (top, foot) = ([0.0, form.depth * 0.05], [form.length * 0.13, form.depth * 1.05]);
            slanted(foot, top, member.width, from, to)
        }
        MemberKind::Sternpost => {
            let (foot, head) = ([form.length * 0.91, form.depth * 1.05], [form.length * 0.94, form.depth * 0.3]);
            slanted(foot, head, member.width, from, to)
        }
        MemberKind::HornTimber => {
            slanted([form.length * 0.94, form.depth * 0.45], [form.length, form.depth * 0.2], member.width, from, to)
        }
        MemberKind::Keel => {
            // Pieces of a keel lie one behind the other.
            let (before, of) = (f64::from(member.number.max(1) - 1), f64::from(member.of.max(member.number).max(1)));
            let x = |share: f64| form.length * (0.11 + 0.8 * (before + share) / of);
            bar(x(from), x(to), form.depth * 1.05, form.depth * 1.05 + member.width)
        }
        MemberKind::Keelson => {
            let x = |share: f64| form.length * (0.16 + 0.66 * share);
            bar(x(from), x(to), form.depth * 0.98 - member.width, form.depth * 0.98)
        }
        MemberKind::Deadwood => {
            let x = |share: f64| form.length * (0.70 + 0.20 * share);
            let top = |share: f64| form.depth * (1.03 - 0.28 * share);
            vec![[x(from), form.depth * 1.04], [x(to), form.depth * 1.04], [x(to), top(to)], [x(from), top(from)]]
        }
        MemberKind::Beam => {
            let x = beam_x(form, member.number);
            let half = form.half_breadth(x);
            let y = |share: f64| form.beam / 2.0 - half + 2.0 * half * share;
            bar(x - member.thickness / 2.0, x + member.thickness / 2.0, y(from), y(to))
        }
        MemberKind::CoveringBoard | MemberKind::DeckPlank | MemberKind::KingPlank | MemberKind::DeckPanel => {
            deck_cell(form, member, cell)
        }
        // What lies along in the deck, as long as it is, in its order from forward: where exactly nobody said.
        MemberKind::Carlin | MemberKind::Coaming | MemberKind::Hatch | MemberKind::Drain => {
            let middle = in_order(form, member);
            let long = member.length.min(form.length * 0.4);
            let x = |share: f64| middle - long / 2.0 + long * share;
            let out = match member.kind {
                MemberKind::Hatch => 0.0,
                MemberKind::Drain => 0.8,
                MemberKind::Coaming => 0.35,
                _ => 0.3,
            } * form.half_breadth(middle);
            let centre = form.beam / 2.0
                + match member.side {
                    Some(Side::Starboard) => out,
                    Some(Side::Port) => -out,
                    None => 0.0,
                };
            let half = (member.width / 2.0).clamp(SEEN / 2.0, form.beam * 0.3);
            bar(x(from), x(to), centre - half, centre + half)
        }
        MemberKind::Knee => {
            let side = member.side.unwrap_or(Side::Port);
            let (x, half) = (in_order(form, member).min(form.shell.length()), SEEN);
            let sheer = form.shell.edges.len() - 1;
            let y = unrolled(side, girth, form.shell.girth(side, sheer, x) * 0.92);
            bar(x - half, x + half, y - half, y + half)
        }
        MemberKind::Stopwater => {
            let (x, half) = (in_order(form, member), SEEN / 2.0);
            bar(x - half, x + half, form.depth * 1.05 - half, form.depth * 1.05 + half)
        }
        MemberKind::TransomPlank => {
            let stern = hull::half_breadth(form.beam, 1.0);
            let half = |n: u32| stern * (0.30 + 0.70 * (f64::from(n) / f64::from(member.of.max(1))).sqrt());
            let y = |n: u32| form.depth * 0.72 * (1.0 - f64::from(n) / f64::from(member.of.max(1)));
            let (low, high) = (half(member.number - 1), half(member.number));
            let x = |half: f64, share: f64| stern - half + 2.0 * half * share;
            let (foot, head) = (y(member.number - 1), y(member.number));
            vec![[x(low, from), foot], [x(low, to), foot], [x(high, to), head], [x(high, from), head]]
        }
        MemberKind::Spar => {
            let middle = member.width * 1.5 * (2.0 * f64::from(member.number) - 1.0);
            // Spars taper to their ends.
            let half = |share: f64| member.width / 2.0 * (1.0 - 0.35 * (2.0 * share - 1.0).powi(2));
            let x = |share: f64| member.length * share;
            vec![
                [x(from), middle - half(from)],
                [x(to), middle - half(to)],
                [x(to), middle + half(to)],
                [x(from), middle + half(from)],
            ]
        }
    }
}

/// What is smaller is drawn at this size, mm.
const SEEN: f64 = 60.0;

/// Where a thing of which only its order from forward is known is drawn, mm aft.
fn in_order(form: &Form<'_>, member: &Member) -> f64 {
    let of = f64::from(member.of.max(member.number).max(1));
    form.length * (0.1 + 0.8 * (f64::from(member.number.max(1)) - 0.5) / of)
}

/// Height on an unrolled drawing of a girth from the keel.
fn unrolled(side: Side, girth: f64, up: f64) -> f64 {
    match side {
        Side::Port => girth - up,
        Side::Starboard => girth + KEEL_BAND + up,
    }
}

fn bar(x0: f64, x1: f64, y0: f64, y1: f64) -> Vec<Point> {
    vec![[x0, y0], [x1, y0], [x1, y1], [x0, y1]]
}

/// A stretch of a straight timber between two points, `width` across.
fn slanted(a: Point, b: Point, width: f64, from: f64, to: f64) -> Vec<Point> {
    let (dx, dy) = (b[0] - a[0], b[1] - a[1]);
    let len = dx.hypot(dy).max(1.0);
    let (nx, ny) = (-dy / len * width / 2.0, dx / len * width / 2.0);
    let on = |share: f64| [a[0] + dx * share, a[1] + dy * share];
    let (p, q) = (on(from), on(to));
    vec![[p[0] + nx, p[1] + ny], [q[0] + nx, q[1] + ny], [q[0] - nx, q[1] - ny], [p[0] - nx, p[1] - ny]]
}

/// Share of the girth, keel 0 to sheer 1, between which a member inside lies.
fn inside_band(member: &Member) -> (f64, f64) {
    match member.kind {
        MemberKind::Clamp => (0.88, 0.96),
        MemberKind::Shelf => (0.79, 0.87),
        MemberKind::Ceiling => (0.14, 0.42),
        _ => {
            let low = 0.72 - 0.13 * f64::from(member.number);
            (low, low + 0.06)
        }
    }
}

/// Points along a deck cell's sides: enough to follow a swept plank's curve.
const CURVE_STEPS: u32 = 4;

fn deck_cell(form: &Form<'_>, member: &Member, cell: u32) -> Vec<Point> {
    let cells = member.cells.max(1);
    let (x0, x1) = match member.kind {
        MemberKind::DeckPanel => {
            let length = form.length * 0.94 / f64::from(member.of);
            let from = length * f64::from(member.number - 1);
            (from + length * f64::from(cell - 1) / f64::from(cells), from + length * f64::from(cell) / f64::from(cells))
        }
        _ => (beam_x(form, cell), beam_x(form, cell + 1)),
    };
    // Distances out from the centre line, inner and outer, at an x.
    let king = if matches!(form.deck, DeckKind::Panels) { 0.0 } else { member_width(form) * 0.8 };
    let band = |x: f64| -> (f64, f64) {
        let edge = form.half_breadth(x);
        let inside = (edge - form.covering()).max(0.0);
        let width = member_width(form);
        let n = f64::from(member.number);
        match member.kind {
            MemberKind::CoveringBoard => (inside, edge),
            MemberKind::KingPlank => (-king.min(inside), king.min(inside)),
            MemberKind::DeckPanel => (0.0, inside),
            _ if form.deck == DeckKind::LaidSwept => {
                ((inside - width * n).max(king), (inside - width * (n - 1.0)).max(king))
            }
            // Laid straight: the planks run out into the covering board; the first lies outermost amidships.
            _ => {
                let outermost = form.beam / 2.0 - form.covering();
                let (inner, outer) = (outermost - width * n, outermost - width * (n - 1.0));
                (inner.max(king).min(inside), outer.max(king).min(inside))
            }
        }
    };
    let middle = form.beam / 2.0;
    let y = |out: f64| if member.side == Some(Side::Starboard) { middle + out } else { middle - out };
    let xs: Vec<f64> = (0..=CURVE_STEPS).map(|i| x0 + (x1 - x0) * f64::from(i) / f64::from(CURVE_STEPS)).collect();
    let bands: Vec<(f64, f64)> = xs.iter().map(|x| band(*x)).collect();
    if bands.iter().all(|(inner, outer)| outer - inner < 1.0) {
        return Vec::new();
    }
    let outer = xs.iter().zip(&bands).map(|(x, b)| [*x, y(b.1)]);
    let inner = xs.iter().zip(&bands).rev().map(|(x, b)| [*x, y(b.0)]);
    outer.chain(inner).collect()
}

fn member_width(form: &Form<'_>) -> f64 {
    (form.beam / 2.0 - form.covering()) / f64::from(form.deck_planks())
}

#[cfg(test)]
mod tests {
    use std::collections::HashSet;

    use proptest::prelude::*;

    use super::*;
    use crate::hull::{Principal, generate};

    fn with_form(construction: Construction, deck: DeckKind, length: f64, test: impl Fn(&Form<'_>)) {
        let (beam, depth, plank_thickness) = (length * 0.3, length * 0.17, 24.0);
        let boat = Principal { construction, length, beam, depth, frames: 22, strakes: 9, plank_thickness };
        let made = generate(&boat, 5).unwrap();
        test(&Form {
            construction,
            shell: &made.shell,
            length,
            beam,
            depth,
            plank_thickness,
            frame_sided: 40.0,
            frame_moulded: 50.0,
            deck,
            spars: &Rig::Gaff.spars(length),
        });
    }

    #[test]
    fn codes_are_unique_and_read_back_as_places() {
        with_form(Construction::CarvelCaulked, DeckKind::LaidSwept, 8_000.0, |form| {
            let members = lay_out(form);
            let codes: HashSet<String> = members.iter().map(Member::code).collect();
            assert_eq!(codes.len(), members.len());
            for code in codes {
                let place = crate::grid::Place::parse(&format!("{code} 1")).unwrap();
                assert!(place.shell().is_none(), "{code} reads as an address on the shell");
            }
        });
    }

    #[test]
    fn what_is_added_has_its_own_code_and_lies_on_its_drawing() {
        let keel = |number| Member {
            kind: MemberKind::Keel,
            side: None,
            number,
            of: 2,
            cells: 4,
            length: 4_000.0,
            width: 150.0,
            thickness: 100.0,
        };
        assert_eq!([keel(1).code(), keel(2).code()], ["KEEL", "KEEL2"]);
        assert_eq!([keel(1).name(), keel(2).name()], ["Keel", "Keel 2"]);
        with_form(Construction::CarvelCaulked, DeckKind::LaidStraight, 9_000.0, |form| {
            // The second piece of the keel begins where the first ends.
            let end = outline(form, &keel(1), 4)[1][0];
            assert!((outline(form, &keel(2), 1)[0][0] - end).abs() < 1e-6);
            for kind in [
                MemberKind::Carlin,
                MemberKind::Knee,
                MemberKind::Hatch,
                MemberKind::Coaming,
                MemberKind::Stopwater,
                MemberKind::Drain,
            ] {
                for (side, number) in [(None, 1), (Some(Side::Port), 3), (Some(Side::Starboard), 3)] {
                    let one = Member {
                        kind,
                        side,
                        number,
                        of: 3,
                        cells: kind.cells(700.0),
                        length: 700.0,
                        width: 40.0,
                        thickness: 30.0,
                    };
                    let place = crate::grid::Place::parse(&format!("{} 1", one.code())).unwrap();
                    assert!(place.shell().is_none());
                    let [wide, high] = extent(form, kind.surface(), std::slice::from_ref(&one));
                    for cell in 1..=one.cells {
                        let drawn = outline(form, &one, cell);
                        assert!(drawn.len() >= 4, "{kind:?}");
                        assert!(
                            drawn
                                .iter()
                                .all(|p| p[0] > -1.0 && p[0] < wide * 1.05 && p[1] > -1.0 && p[1] < high * 1.05),
                            "{kind:?} {drawn:?}"
                        );
                    }
                }
            }
        });
        assert_eq!((MemberKind::Stopwater.cells(90.0), MemberKind::Spar.cells(7_400.0)), (1, 7));
    }

    #[test]
    fn the_construction_decides_what_there_is() {
        let kinds = |construction, deck| {
            let found = std::cell::RefCell::new(HashSet::new());
            with_form(construction, deck, 6_000.0, |form| {
                found.borrow_mut().extend(lay_out(form).iter().map(|m| m.kind));
            });
            found.into_inner()
        };
        let carvel = kinds(Construction::CarvelCaulked, DeckKind::LaidStraight);
        assert!(carvel.contains(&MemberKind::Frame) && carvel.contains(&MemberKind::KingPlank));
        let stitched = kinds(Construction::PlywoodTaped, DeckKind::Panels);
        assert!(!stitched.contains(&MemberKind::Frame) && !stitched.contains(&MemberKind::Ceiling));
        assert!(stitched.contains(&MemberKind::DeckPanel));
        let open = kinds(Construction::Lapstrake, DeckKind::Open);
        assert!(!open.contains(&MemberKind::Beam) && !open.contains(&MemberKind::CoveringBoard));
    }

    #[test]
    fn a_mast_of_thirteen_metres_is_no_beam_of_a_foot_and_runs_from_its_heel() {
        with_form(Construction::CarvelCaulked, DeckKind::LaidStraight, 13_000.0 / 1.05, |form| {
            let mast = lay_out(form).into_iter().find(|m| m.kind == MemberKind::Spar).unwrap();
            assert!((mast.length - 13_000.0).abs() < 1.0 && (150.0..190.0).contains(&mast.width), "{mast:?}");
        });
        assert!(MemberKind::Spar.axes().contains("heel up") && MemberKind::Frame.axes().contains("head down"));
        assert!(!MemberKind::Frame.axes().contains("aft") && MemberKind::Plank.axes().contains("aft"));
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]

        #[test]
        fn every_cell_lies_on_its_drawing(length in 2_000.0..30_000.0f64, construction in 0usize..9, deck in 0usize..5) {
            with_form(Construction::ALL[construction], DeckKind::ALL[deck], length, |form| {
                let members = lay_out(form);
                for member in &members {
                    assert!(check_sizes(member.length, member.width, member.thickness).is_ok(), "{member:?}");
                    let [wide, high] = extent(form, member.kind.surface(), &members);
                    for cell in 1..=member.cells {
                        for p in outline(form, member, cell) {
                            let slack = 0.06 * wide.max(high);
                            assert!(p[0] >= -slack && p[0] <= wide + slack && p[1] >= -slack && p[1] <= high + slack, "{} {cell}: {p:?} off {wide} x {high}", member.code());
                        }
                    }
                }
            });
        }
    }
}
