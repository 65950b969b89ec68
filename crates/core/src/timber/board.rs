//! Boards in the rack, which of them yield a piece, and what is left when one is cut.

use serde::{Deserialize, Serialize};

use crate::choice::choices;

use crate::cutting::layout::{Area, Cut, Layout, Way};
use crate::error::{self, InputError};
use crate::reason::{Reason, Verdict};

use super::Species;
use super::moisture::{GLUE_LIMIT, MoistureClass};

choices! {
    /// Whether a board may be used.
    BoardState {
        Free = "free", "free";
        Reserved = "reserved", "reserved";
        Cut = "cut", "cut";
    }
}

choices! {
    /// How a board was sawn from the log.
    Grain {
        Unknown = "unknown", "Not known";
        Quarter = "quarter", "Quarter-sawn";
        Rift = "rift", "Rift-sawn";
        Flat = "flat", "Flat-sawn";
    }
}

/// Rings that stand so steeply to the face, °, are quarter-sawn; half as steeply, rift-sawn (*yard rule*).
pub const QUARTER_SAWN: f64 = 60.0;
pub const RIFT_SAWN: f64 = 30.0;

impl Grain {
    /// Between which two angles to the face its rings stand, °: any, where nobody looked.
    pub fn rings(self) -> (f64, f64) {
        match self {
            Self::Unknown => (0.0, 90.0),
            Self::Quarter => (QUARTER_SAWN, 90.0),
            Self::Rift => (RIFT_SAWN, QUARTER_SAWN),
            Self::Flat => (0.0, RIFT_SAWN),
        }
    }
}

choices! {
    /// How a board was dried.
    Drying {
        Unknown = "unknown", "Not known";
        Green = "green", "Green";
        Air = "air", "Air-dried";
        Kiln = "kiln", "Kiln-dried";
    }
}

choices! {
    /// Where a board comes from; at equal cost salvage and offcuts go first.
    Origin {
        New = "new", "New";
        Offcut = "offcut", "Offcut";
        Salvage = "salvage", "Salvage";
    }
}

choices! {
    /// What a piece of stock is.
    Form {
        Board = "board", "Board";
        Sheet = "sheet", "Sheet of plywood";
        Log = "log", "Log";
        Crook = "crook", "Crook";
        Stave = "stave", "Spar stave";
        Salvage = "salvage", "Salvaged member";
        Offcut = "offcut", "Offcut";
    }
}

choices! {
    /// A board's long edges.
    Edges {
        Straight = "straight", "Straight edges";
        Waney = "waney", "Waney edges";
    }
}

choices! {
    /// What a piece must be free of.
    Quality {
        Clear = "clear", "Clear";
        SmallKnots = "small_knots", "Small tight knots allowed";
        Hidden = "hidden", "Hidden: sound is enough";
    }
}

choices! {
    /// What spoils a place on a board.
    DefectKind {
        Knot = "knot", "Knot";
        SmallKnot = "small_knot", "Small tight knot";
        Shake = "shake", "Shake";
        Split = "split", "Split";
        Sapwood = "sapwood", "Sapwood edge";
        Wane = "wane", "Wane";
        Resin = "resin", "Resin";
        Hole = "hole", "Old fastening hole";
        Stain = "stain", "Stain";
        Rot = "rot", "Rot";
    }
}

impl Quality {
    /// Worst defect that may stay in the piece: 0 none, 2 anything but what is broken or rotten.
    pub fn tolerates(self) -> u8 {
        match self {
            Self::Clear => 0,
            Self::SmallKnots => 1,
            Self::Hidden => 2,
        }
    }
}

impl DefectKind {
    /// How much it spoils (*yard rule*): 1 looks only, 2 strength or life, 3 no piece may hold it.
    pub fn severity(self) -> u8 {
        match self {
            Self::SmallKnot | Self::Resin | Self::Stain => 1,
            Self::Knot | Self::Sapwood | Self::Wane | Self::Hole => 2,
            Self::Shake | Self::Split | Self::Rot => 3,
        }
    }
}

/// A defect with its place on the board: x along it from its butt end, y across from its lower edge, mm.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Defect {
    pub kind: DefectKind,
    pub x0: f64,
    pub x1: f64,
    pub y0: f64,
    pub y1: f64,
}

/// What else is known of a board. Lengths mm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct Details {
    pub form: Form,
    pub edges: Edges,
    /// Thickness after planing, where it is planed already.
    pub dressed: Option<f64>,
    /// Of the rings to the face, degrees: 0 flat … 90 quarter.
    pub ring_angle: Option<f64>,
    /// Day it was put to dry, `2026-03-01`.
    pub dried_since: Option<String>,
    /// How far it curves in its own plane over its length; positive: the lower edge is hollow.
    pub sweep: f64,
    pub defects: Vec<Defect>,
    pub merchant: String,
    pub lot: String,
    /// Boat and member it was salvaged from, and the year.
    pub from_boat: String,
    pub from_member: String,
    pub from_year: Option<i32>,
    /// Papers of a trade-controlled species.
    pub papers: String,
    /// Paid for it, in the yard's money.
    pub price: Option<f64>,
    /// Of plywood.
    pub plies: Option<u32>,
}

impl Default for Details {
    fn default() -> Self {
        Self {
            form: Form::Board,
            edges: Edges::Straight,
            dressed: None,
            ring_angle: None,
            dried_since: None,
            sweep: 0.0,
            defects: Vec::new(),
            merchant: String::new(),
            lot: String::new(),
            from_boat: String::new(),
            from_member: String::new(),
            from_year: None,
            papers: String::new(),
            price: None,
            plies: None,
        }
    }
}

impl Details {
    /// Checks it against the board's own size. Errors name the field.
    pub fn check(&self, face: Rectangle) -> Result<(), InputError> {
        if let Some(angle) = self.ring_angle {
            error::within("ring_angle", angle, 0.0, 90.0)?;
        }
        if let Some(dressed) = self.dressed {
            error::length("dressed", dressed)?;
        }
        if let Some(price) = self.price {
            error::within("price", price, 0.0, 1e7)?;
        }
        error::within("sweep", self.sweep.abs(), 0.0, face.length / 2.0)?;
        for (i, d) in self.defects.iter().enumerate() {
            let on =
                0.0 <= d.x0 && d.x0 < d.x1 && d.x1 <= face.length && 0.0 <= d.y0 && d.y0 < d.y1 && d.y1 <= face.width;
            if !on {
                return Err(InputError::new(
                    format!("defects[{i}]"),
                    format!("must lie on the board: 0 to {:.0} along, 0 to {:.0} across", face.length, face.width),
                ));
            }
        }
        Ok(())
    }

    /// What of its defects falls on an offcut, seen from the offcut's own corner.
    pub fn of_offcut(&self, x: f64, y: f64, face: Rectangle) -> Self {
        let defects = self
            .defects
            .iter()
            .map(|d| Defect {
                x0: (d.x0 - x).max(0.0),
                x1: (d.x1 - x).min(face.length),
                y0: (d.y0 - y).max(0.0),
                y1: (d.y1 - y).min(face.width),
                ..*d
            })
            .filter(|d| d.x1 > d.x0 && d.y1 > d.y0)
            .collect();
        Self { form: Form::Offcut, sweep: 0.0, price: None, defects, ..self.clone() }
    }
}

/// Days of air drying from green: one year for each 25 mm of thickness (*yard rule*).
pub fn air_drying_days(thickness: f64) -> f64 {
    365.25 * thickness / 25.0
}

/// What matters of a board when a piece is to come out of it. Lengths mm, moisture %.
#[derive(Debug, Clone, PartialEq)]
pub struct Board {
    pub species: String,
    pub length: f64,
    pub width: f64,
    pub thickness: f64,
    pub grain: Grain,
    pub drying: Drying,
    /// `None` when nobody measured it.
    pub moisture: Option<f64>,
    pub origin: Origin,
}

/// What a piece asks of a board: the blank's size and what it must match. Lengths mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Need {
    pub species: String,
    pub length: f64,
    pub width: f64,
    pub thickness: f64,
    pub grain: Option<Grain>,
    /// Glued in: the board must be dry enough for glue.
    pub glued: bool,
    pub quality: Quality,
    /// How far it curves in its own plane over its length, counted in its width.
    pub hang: f64,
}

/// Planing allowance per face of rough stock, mm (*yard rule*).
pub const PLANING_PER_FACE: f64 = 2.0;
/// Trimmed off each end of a board at least, mm (*yard rule*): 1.5 × thickness where that is more.
pub const END_TRIM: f64 = 25.0;
/// Saw kerf, mm (*yard rule*).
pub const KERF: f64 = 3.0;
/// An offcut shorter or narrower than this goes to the stove, mm (*yard rule*).
pub const SMALLEST_OFFCUT: (f64, f64) = (300.0, 40.0);

/// Trim at each end of a board of this thickness.
pub fn end_trim(thickness: f64) -> f64 {
    END_TRIM.max(1.5 * thickness)
}

/// A board held against a need: a score (higher is better) where it serves, and why.
#[derive(Debug, Clone, PartialEq)]
pub struct Fit {
    pub serves: bool,
    pub score: f64,
    pub reasons: Vec<Reason>,
}

impl Fit {
    /// The same where the board is salvage of another boat that is still here: it goes back into her.
    pub fn of_another(mut self, boat: &str) -> Self {
        self.serves = false;
        let text = format!("it came out of {boat}, which is still here, and goes back into her");
        self.reasons.push(Reason::new("board.whose", Verdict::Forbids, text));
        self
    }
}

/// Holds a board against a need.
///
/// It serves when species, size with trim and planing, and dryness allow. Among those that serve, salvage
/// and offcuts come before new boards, short boards before long, matching grain before other grain.
pub fn fit(board: &Board, details: &Details, need: &Need, species: &Species) -> Fit {
    let mut reasons = Vec::new();
    let mut serves = true;
    let mut hold = |ok: bool, forbids: bool, reason: Reason| {
        let verdict = match (ok, forbids) {
            (true, _) => Verdict::For,
            (false, true) => Verdict::Forbids,
            (false, false) => Verdict::Against,
        };
        serves &= ok || !forbids;
        reasons.push(Reason { verdict, ..reason });
        ok
    };
    // What speaks against a board says what is wrong with it, not what would be right.
    let either = |ok: bool, right: &'static str, wrong: &'static str| if ok { right } else { wrong };
    let same = board.species == need.species;
    let wanted = if same { "is wanted here" } else { "is wanted here, and this is another timber" };
    hold(same, true, Reason::note("board.species", format!("{} {wanted}", species.name)));
    let usable_length = board.length - 2.0 * end_trim(board.thickness);
    let long = usable_length >= need.length;
    let text = either(long, "long enough after both ends are trimmed", "too short once both ends are trimmed");
    hold(
        long,
        true,
        Reason::note("board.length", text)
            .formula("board length − 2 × trim ≥ piece length; trim = max(25, 1.5 × thickness)")
            .against("usable length", usable_length, "mm", need.length),
    );
    let width = width_along(need.width, need.hang, need.length, details.sweep, board.length);
    if width < need.width {
        let text = "it curves as the piece does: the grain runs round the curve and less width is needed";
        hold(true, false, Reason::note("board.sweep", text).against("width needed", width, "mm", need.width));
    }
    let wide = board.width >= width;
    let text = either(wide, "wide enough", "too narrow");
    hold(wide, true, Reason::note("board.width", text).against("width", board.width, "mm", width));
    let planed = details.dressed.unwrap_or(board.thickness - 2.0 * PLANING_PER_FACE);
    let thick = planed >= need.thickness;
    let text = either(thick, "thick enough after planing both faces", "too thin once both faces are planed");
    hold(
        thick,
        true,
        Reason::note("board.thickness", text)
            .formula("board thickness − 2 × planing ≥ piece thickness; planing 2 mm a face")
            .against("planed thickness", planed, "mm", need.thickness),
    );
    if !details.defects.is_empty() && long && wide {
        let trim = end_trim(board.thickness);
        let whole = Layout::new(board.length, board.width, trim, KERF);
        let clear =
            whole.spot(need.length, width, &spoiled(&details.defects, need.quality), KERF, &mut || 0.0).is_some();
        let text = if clear { "it comes out clear of the defects" } else { "its defects leave no place for the piece" };
        hold(clear, true, Reason::note("board.defects", text).value("defects", details.defects.len() as f64, ""));
    }
    let dryness = match board.moisture {
        Some(moisture) => {
            let dry = !need.glued || moisture <= GLUE_LIMIT;
            hold(
                dry,
                true,
                Reason::note("board.moisture", {
                    let class = MoistureClass::of(moisture).label();
                    let glue = either(dry, "", "; it is glued in, and must be dry enough for that");
                    format!("moisture {moisture:.0} %: {class}{glue}")
                })
                .against("moisture", moisture, "%", GLUE_LIMIT),
            );
            if moisture <= 12.0 { 1.0 } else { 0.5 }
        }
        None => {
            let seasoned = matches!(board.drying, Drying::Air | Drying::Kiln) || !need.glued;
            hold(seasoned, false, Reason::note("board.moisture", "no moisture reading: measure it before gluing"));
            if seasoned { 0.4 } else { 0.0 }
        }
    };
    let grain_matches = need.grain.is_none_or(|grain| grain == board.grain);
    let sawn = match board.grain {
        Grain::Unknown => {
            "how it was sawn is not known: look at its end, the grain should match what it is let into".into()
        }
        known if grain_matches => format!("{}: its grain matches what it is let into", known.label()),
        known => format!("{}: its grain is not that of what it is let into, and moves otherwise", known.label()),
    };
    hold(grain_matches, false, Reason::note("board.grain", sawn));
    let origin = match board.origin {
        Origin::Salvage => 1.0,
        Origin::Offcut => 0.9,
        Origin::New => 0.0,
    };
    if board.origin != Origin::New {
        hold(true, false, Reason::note("board.origin", "salvage and offcuts are used before new boards"));
    }
    let used = (need.length * need.width / (board.length * board.width)).clamp(0.0, 1.0);
    reasons.push(Reason::note("board.used", "a short board for a short piece keeps the long boards whole").value(
        "share of the board used",
        used * 100.0,
        "%",
    ));
    let score = 40.0 * origin + 30.0 * used + 15.0 * f64::from(u8::from(grain_matches)) + 15.0 * dryness;
    Fit { serves, score, reasons }
}

/// Places a piece of this quality keeps off.
pub fn spoiled(defects: &[Defect], quality: Quality) -> Vec<Area> {
    let keeps_off = |d: &&Defect| d.kind.severity() > quality.tolerates();
    defects.iter().filter(keeps_off).map(|d| Area { x0: d.x0, x1: d.x1, y0: d.y0, y1: d.y1 }).collect()
}

/// Width a curved piece needs of a board that curves too, mm: what both curve alike is saved. `hang` is how far the piece curves over
/// its length, `sweep` how far the board does over its own.
pub fn width_along(width: f64, hang: f64, length: f64, sweep: f64, board_length: f64) -> f64 {
    if hang == 0.0 || sweep == 0.0 {
        return width;
    }
    let share = (length / board_length).min(1.0);
    let grown = sweep.abs() * share * share;
    (width - hang.abs() + (hang.abs() - grown).abs()).min(width)
}

/// A rectangle of stock, mm.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Rectangle {
    pub length: f64,
    pub width: f64,
}

/// Where a piece is cut from a board, and what is left of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Laid {
    pub piece: Area,
    /// What is worth keeping.
    pub offcuts: Vec<Area>,
    /// In the order they are sawn.
    pub cuts: Vec<Cut>,
    /// Trim, kerf and what is too small to keep, mm² of board face.
    pub waste_area: f64,
}

/// Lays a piece on a board where it comes out clear of the places to avoid, as near the trimmed butt end as it goes. An end of the board
/// that the piece does not reach stays as it is: it is trimmed when it is next cut from. Errors name `length`, `width` or `defects`.
///
/// Board area = piece + offcuts + waste, always. Wherever [`fit`] says that a board serves, it is laid.
pub fn lay(board: Rectangle, thickness: f64, piece: Rectangle, avoid: &[Area]) -> Result<Laid, InputError> {
    error::length("length", piece.length)?;
    error::length("width", piece.width)?;
    let trim = end_trim(thickness);
    if piece.length > board.length - 2.0 * trim {
        return Err(InputError::new("length", "the board is too short for this piece once its ends are trimmed"));
    }
    if piece.width > board.width {
        return Err(InputError::new("width", "the board is too narrow for this piece"));
    }
    let mut layout = Layout::new(board.length, board.width, trim, KERF);
    let spot = layout
        .spot(piece.length, piece.width, avoid, KERF, &mut || 0.0)
        .ok_or_else(|| InputError::new("defects", "the board's defects leave no place for this piece"))?;
    layout.put(0, piece.length, piece.width, spot, KERF);
    let lies = Area { x0: spot.x, y0: spot.y, x1: spot.x + piece.length, y1: spot.y + piece.width };
    // Each end is its own first cut.
    let (near, far) = (lies.x0 > trim + SAME, lies.x1 < board.length - trim - SAME);
    let raw = |area: Area| Area {
        x0: if near && area.x0 <= trim + SAME { 0.0 } else { area.x0 },
        x1: if far && area.x1 >= board.length - trim - SAME { board.length } else { area.x1 },
        ..area
    };
    let is_end = |cut: &Cut, at: f64| {
        cut.way == Way::Cross && (cut.at - at).abs() < SAME && cut.to - cut.from >= board.width - SAME
    };
    let cuts = layout
        .cuts
        .iter()
        .filter(|cut| !(near && is_end(cut, trim - KERF.min(trim)) || far && is_end(cut, board.length - trim)))
        .map(|cut| match cut.way {
            // A blade wider than what lies before the piece runs out in the end that is cut off.
            Way::Cross if near && cut.at < lies.x0 && cut.at > lies.x0 - KERF => Cut { at: lies.x0 - KERF, ..*cut },
            Way::Rip if far && cut.to >= board.length - trim - SAME => Cut { to: board.length, ..*cut },
            _ => *cut,
        })
        .collect();
    let keep = |a: &Area| a.length() >= SMALLEST_OFFCUT.0 && a.width() >= SMALLEST_OFFCUT.1;
    let offcuts: Vec<Area> = layout.free.into_iter().map(raw).filter(keep).collect();
    let waste_area = board.length * board.width - lies.area() - offcuts.iter().map(Area::area).sum::<f64>();
    Ok(Laid { piece: lies, offcuts, cuts, waste_area })
}

/// Places closer than this are the same, mm.
const SAME: f64 = 1e-6;

/// Left on each long edge of a blank to be planed to the line, and at each end to be trimmed, mm (*yard rule*).
pub const EDGE_ALLOWANCE: f64 = 6.0;
pub const END_ALLOWANCE: f64 = 25.0;

/// How far a piece curves in its own plane, mm: what its blank is wider than the piece with its allowances.
pub fn hang(blank_width: f64, width: f64) -> f64 {
    (blank_width - width - 2.0 * EDGE_ALLOWANCE).max(0.0)
}

/// Whether salvage may go into a boat: what came out of one that is still here goes back into her. `from` and `boat` are names,
/// `here` those of all boats of the yard; an empty `from` is wood of no boat.
pub fn may_go_into<'n>(from: &str, boat: &str, mut here: impl Iterator<Item = &'n str>) -> bool {
    from.is_empty() || from.eq_ignore_ascii_case(boat) || !here.any(|name| name.eq_ignore_ascii_case(from))
}

/// What one person carries, kg (*yard rule*).
pub const CARRIED: f64 = 25.0;

/// With how many people so many kg are carried.
pub fn hands(kg: f64) -> u32 {
    (kg / CARRIED).ceil().max(1.0) as u32
}

/// Weight of a piece in kg, and with how many people it is carried. Sizes in mm; `specific_gravity` at 12 %.
pub fn weight(length: f64, width: f64, thickness: f64, specific_gravity: f64) -> (f64, u32) {
    let kg = length * width * thickness / 1e9 * specific_gravity * 1_000.0;
    (kg, hands(kg))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::timber::species;

    fn larch() -> Board {
        Board {
            species: "western_larch".into(),
            length: 2_400.0,
            width: 180.0,
            thickness: 32.0,
            grain: Grain::Quarter,
            drying: Drying::Air,
            moisture: Some(12.0),
            origin: Origin::New,
        }
    }

    fn need() -> Need {
        Need {
            species: "western_larch".into(),
            length: 700.0,
            width: 110.0,
            thickness: 14.5,
            grain: Some(Grain::Quarter),
            glued: true,
            quality: Quality::Clear,
            hang: 0.0,
        }
    }

    #[test]
    fn salvage_of_the_right_size_comes_before_a_new_board() {
        let species = species::find("western_larch").unwrap();
        let salvage = Board { origin: Origin::Salvage, length: 900.0, ..larch() };
        let (old, new) = (
            fit(&salvage, &Details::default(), &need(), species),
            fit(&larch(), &Details::default(), &need(), species),
        );
        assert!(old.serves && new.serves && old.score > new.score);
    }

    #[test]
    fn wood_of_which_nobody_knows_how_it_was_sawn_or_dried_is_never_taken_for_matching_or_seasoned() {
        let species = species::find("western_larch").unwrap();
        let known = Board { moisture: None, ..larch() };
        let unknown = Board { grain: Grain::Unknown, drying: Drying::Unknown, ..known.clone() };
        let green = Board { drying: Drying::Green, ..unknown.clone() };
        let hold = |board: &Board| fit(board, &Details::default(), &need(), species);
        assert!(hold(&unknown).serves, "it may serve: somebody looks and measures");
        assert!(hold(&unknown).score < hold(&known).score);
        assert_eq!(hold(&unknown).score, hold(&green).score, "without a reading it may as well be green");
        for (rule, says) in [("board.grain", "not known: look at its end"), ("board.moisture", "measure it before")] {
            let reasons = hold(&unknown).reasons;
            let told = reasons.iter().find(|r| r.rule == rule).unwrap();
            assert_eq!(told.verdict, Verdict::Against, "{rule}");
            assert!(told.text.contains(says), "{}", told.text);
        }
    }

    #[test]
    fn a_wet_short_or_foreign_board_does_not_serve_and_says_why() {
        let species = species::find("western_larch").unwrap();
        for (board, rule) in [
            (Board { moisture: Some(22.0), ..larch() }, "board.moisture"),
            (Board { length: 740.0, ..larch() }, "board.length"),
            (Board { width: 100.0, ..larch() }, "board.width"),
            (Board { thickness: 18.0, ..larch() }, "board.thickness"),
            (Board { species: "teak".into(), ..larch() }, "board.species"),
        ] {
            let fit = fit(&board, &Details::default(), &need(), species);
            assert!(!fit.serves);
            assert!(fit.reasons.iter().any(|r| r.rule == rule && r.verdict == Verdict::Forbids), "{rule}");
        }
    }

    #[test]
    fn a_knot_in_the_middle_keeps_a_clear_piece_out_and_a_hidden_one_in() {
        let species = species::find("western_larch").unwrap();
        let knot = |kind| Defect { kind, x0: 1_150.0, x1: 1_250.0, y0: 0.0, y1: 180.0 };
        let knotty = Details { defects: vec![knot(DefectKind::Knot)], ..Details::default() };
        let long = Need { length: 1_500.0, ..need() };
        assert!(!fit(&larch(), &knotty, &long, species).serves);
        assert!(fit(&larch(), &knotty, &need(), species).serves, "beside the knot there is room");
        assert!(fit(&larch(), &knotty, &Need { quality: Quality::Hidden, ..long.clone() }, species).serves);
        let rotten = Details { defects: vec![knot(DefectKind::Rot)], ..Details::default() };
        assert!(!fit(&larch(), &rotten, &Need { quality: Quality::Hidden, ..long }, species).serves);
    }

    #[test]
    fn an_offcut_keeps_the_defects_that_lie_on_it() {
        let whole = Details {
            defects: vec![Defect { kind: DefectKind::Knot, x0: 900.0, x1: 1_100.0, y0: 20.0, y1: 60.0 }],
            price: Some(40.0),
            ..Details::default()
        };
        let face = Rectangle { length: 500.0, width: 100.0 };
        let off = whole.of_offcut(1_000.0, 0.0, face);
        assert_eq!((off.defects[0].x0, off.defects[0].x1, off.form, off.price), (0.0, 100.0, Form::Offcut, None));
        assert!(off.check(face).is_ok() && whole.of_offcut(0.0, 0.0, face).defects.is_empty());
        assert_eq!(whole.check(face).unwrap_err().field, "defects[0]");
    }

    #[test]
    fn what_another_boat_gave_serves_none_but_her() {
        let fit = Fit { serves: true, score: 90.0, reasons: Vec::new() }.of_another("Old Teal");
        assert!(!fit.serves && fit.reasons.len() == 1 && fit.reasons[0].verdict == Verdict::Forbids);
        assert!(fit.reasons[0].text.contains("Old Teal"), "{:?}", fit.reasons);
    }

    #[test]
    fn a_piece_is_cut_from_beyond_the_knot_at_the_butt() {
        let board = Rectangle { length: 3_000.0, width: 150.0 };
        let piece = Rectangle { length: 800.0, width: 100.0 };
        let knot = Area { x0: 0.0, y0: 20.0, x1: 700.0, y1: 120.0 };
        let laid = lay(board, 30.0, piece, &[knot]).unwrap();
        assert_eq!(laid.piece, Area { x0: 700.0, y0: 0.0, x1: 1_500.0, y1: 100.0 });
        // The knot stays behind with its raw end, the far end is not trimmed yet, and the strip beside is kept.
        let sizes: Vec<(f64, f64)> = laid.offcuts.iter().map(|a| (a.x0, a.x1)).collect();
        assert_eq!(sizes, [(0.0, 697.0), (1_503.0, 3_000.0), (700.0, 1_500.0)]);
        assert!(laid.cuts.iter().all(|cut| cut.way == Way::Rip || cut.to - cut.from >= 100.0));
        assert_eq!(laid.cuts.iter().filter(|cut| cut.way == Way::Cross).count(), 2, "neither end is trimmed");
        // Without it the piece comes from the trimmed end.
        let clear = lay(board, 30.0, piece, &[]).unwrap();
        assert_eq!((clear.piece.x0, clear.piece.y0), (45.0, 0.0));
        // Where it is everywhere, nothing is cut.
        let all = Area { x0: 0.0, y0: 60.0, x1: 3_000.0, y1: 90.0 };
        assert_eq!(lay(board, 30.0, piece, &[all]).unwrap_err().field, "defects");
    }

    proptest! {
        #[test]
        fn nothing_vanishes_when_a_board_is_cut(
            length in 200.0..6_000.0f64, width in 50.0..400.0f64, thickness in 10.0..80.0f64,
            share in 0.05..1.0f64, across in 0.05..1.0f64, at in 0.0..1.0f64, up in 0.0..1.0f64,
        ) {
            let board = Rectangle { length, width };
            let piece = Rectangle { length: length * share, width: width * across };
            let defect = Area {
                x0: length * at,
                x1: length * (at + 0.1).min(1.0),
                y0: width * up,
                y1: width * (up + 0.4).min(1.0),
            };
            let whole = Area { x0: 0.0, y0: 0.0, x1: length, y1: width };
            match lay(board, thickness, piece, &[defect]) {
                Ok(laid) => {
                    prop_assert!(!laid.piece.overlaps(&defect), "clear of what is to be avoided");
                    prop_assert!((laid.piece.length() - piece.length).abs() < 1e-6);
                    prop_assert!((laid.piece.width() - piece.width).abs() < 1e-6);
                    let kept: f64 = laid.offcuts.iter().map(Area::area).sum();
                    prop_assert!(laid.waste_area >= -1e-6);
                    prop_assert!((laid.piece.area() + kept + laid.waste_area - length * width).abs() < 1e-6);
                    let parts: Vec<&Area> = laid.offcuts.iter().chain([&laid.piece]).collect();
                    for (i, one) in parts.iter().enumerate() {
                        prop_assert!(parts[..i].iter().all(|other| !one.overlaps(other)), "{laid:?}");
                        prop_assert!(one.x0 >= -1e-6 && one.x1 <= whole.x1 + 1e-6 && one.y0 >= -1e-6 && one.y1 <= whole.y1 + 1e-6);
                    }
                    prop_assert!(laid.offcuts.iter().all(|r| r.length() >= 300.0 && r.width() >= 40.0));
                    // Sawn as the cuts say, no cut runs through what is kept, and what is kept lies clear of each kerf.
                    for cut in &laid.cuts {
                        // The blade may run out over the edge, where less than its width is sawn off.
                        if cut.way == Way::Rip && cut.at == 0.0 && laid.piece.y0 < KERF {
                            continue;
                        }
                        let kerf = match cut.way {
                            Way::Cross => Area { x0: cut.at, x1: cut.at + KERF, y0: cut.from, y1: cut.to },
                            Way::Rip => Area { x0: cut.from, x1: cut.to, y0: cut.at, y1: cut.at + KERF },
                        };
                        prop_assert!(parts.iter().all(|part| !part.overlaps(&kerf)), "{cut:?} of {laid:?}");
                    }
                }
                // By brute force: no place on a fine grid is clear.
                Err(refused) if refused.field == "defects" => {
                    let (most_x, most_y) = (length - end_trim(thickness) - piece.length, width - piece.width);
                    let steps = 24;
                    for i in 0..=steps {
                        for j in 0..=steps {
                            let x0 = end_trim(thickness) + (most_x - end_trim(thickness)) * f64::from(i) / f64::from(steps);
                            let y0 = most_y * f64::from(j) / f64::from(steps);
                            let there = Area { x0, y0, x1: x0 + piece.length, y1: y0 + piece.width };
                            prop_assert!(there.overlaps(&defect), "{there:?} is clear");
                        }
                    }
                }
                Err(_) => prop_assert!(piece.length > length - 2.0 * end_trim(thickness) || piece.width > width),
            }
        }
    }
}
