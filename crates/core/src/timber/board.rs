//! Boards in the rack, which of them yield a piece, and what is left when one is cut.

use serde::{Deserialize, Serialize};

use crate::choice::choices;

use crate::error::{self, InputError};
use crate::reason::{Reason, Verdict};

use super::Species;
use super::moisture::{GLUE_LIMIT, MoistureClass};

choices! {
    /// How a board was sawn from the log.
    Grain {
        Quarter = "quarter", "Quarter-sawn";
        Rift = "rift", "Rift-sawn";
        Flat = "flat", "Flat-sawn";
    }
}

choices! {
    /// How a board was dried.
    Drying {
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

/// Holds a board against a need.
///
/// It serves when species, size with trim and planing, and dryness allow. Among those that serve, salvage
/// and offcuts come before new boards, short boards before long, matching grain before other grain.
pub fn fit(board: &Board, need: &Need, species: &Species) -> Fit {
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
    hold(
        board.species == need.species,
        true,
        Reason::note("board.species", format!("{} is wanted here", species.name)),
    );
    let usable_length = board.length - 2.0 * end_trim(board.thickness);
    hold(
        usable_length >= need.length,
        true,
        Reason::note("board.length", "long enough after both ends are trimmed")
            .formula("board length − 2 × trim ≥ piece length; trim = max(25, 1.5 × thickness)")
            .against("usable length", usable_length, "mm", need.length),
    );
    hold(
        board.width >= need.width,
        true,
        Reason::note("board.width", "wide enough").against("width", board.width, "mm", need.width),
    );
    let planed = board.thickness - 2.0 * PLANING_PER_FACE;
    hold(
        planed >= need.thickness,
        true,
        Reason::note("board.thickness", "thick enough after planing both faces")
            .formula("board thickness − 2 × planing ≥ piece thickness; planing 2 mm a face")
            .against("planed thickness", planed, "mm", need.thickness),
    );
    let dryness = match board.moisture {
        Some(moisture) => {
            let dry = !need.glued || moisture <= GLUE_LIMIT;
            hold(
                dry,
                true,
                Reason::note(
                    "board.moisture",
                    format!("moisture {moisture:.0} %: {}", MoistureClass::of(moisture).label()),
                )
                .against("moisture", moisture, "%", GLUE_LIMIT),
            );
            if moisture <= 12.0 { 1.0 } else { 0.5 }
        }
        None => {
            let seasoned = board.drying != Drying::Green || !need.glued;
            hold(seasoned, false, Reason::note("board.moisture", "no moisture reading: measure it before gluing"));
            if seasoned { 0.4 } else { 0.0 }
        }
    };
    let grain_matches = need.grain.is_none_or(|grain| grain == board.grain);
    hold(
        grain_matches,
        false,
        Reason::note("board.grain", format!("{}: the grain should match what it is let into", board.grain.label())),
    );
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

/// A rectangle of stock, mm.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Rectangle {
    pub length: f64,
    pub width: f64,
}

/// What taking a piece from a board leaves.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Cut {
    pub piece: Rectangle,
    pub offcuts: Vec<Rectangle>,
    /// Trim, kerf and what is too small to keep, mm² of board face.
    pub waste_area: f64,
}

/// Cuts a piece from the trimmed end of a board: one crosscut, then one rip. The strip beside the piece and
/// the rest of the board are offcuts where they are worth keeping. Errors name `length` or `width`.
///
/// Board area = piece + offcuts + waste, always.
pub fn take(board: Rectangle, thickness: f64, piece: Rectangle) -> Result<Cut, InputError> {
    error::length("length", piece.length)?;
    error::length("width", piece.width)?;
    let trim = end_trim(thickness);
    if piece.length > board.length - 2.0 * trim {
        return Err(InputError::new("length", "the board is too short for this piece once its ends are trimmed"));
    }
    if piece.width > board.width {
        return Err(InputError::new("width", "the board is too narrow for this piece"));
    }
    let keep = |r: &Rectangle| r.length >= SMALLEST_OFFCUT.0 && r.width >= SMALLEST_OFFCUT.1;
    let strip = Rectangle { length: piece.length, width: board.width - piece.width - KERF };
    // The far end keeps its untrimmed end: it is trimmed when it is next cut from.
    let rest = Rectangle { length: board.length - trim - piece.length - KERF, width: board.width };
    let offcuts: Vec<Rectangle> = [rest, strip].into_iter().filter(keep).collect();
    let area = |r: &Rectangle| r.length * r.width;
    let waste_area = area(&board) - area(&piece) - offcuts.iter().map(area).sum::<f64>();
    Ok(Cut { piece, offcuts, waste_area })
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
        }
    }

    #[test]
    fn salvage_of_the_right_size_comes_before_a_new_board() {
        let species = species::find("western_larch").unwrap();
        let salvage = Board { origin: Origin::Salvage, length: 900.0, ..larch() };
        let (old, new) = (fit(&salvage, &need(), species), fit(&larch(), &need(), species));
        assert!(old.serves && new.serves && old.score > new.score);
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
            let fit = fit(&board, &need(), species);
            assert!(!fit.serves);
            assert!(fit.reasons.iter().any(|r| r.rule == rule && r.verdict == Verdict::Forbids), "{rule}");
        }
    }

    proptest! {
        #[test]
        fn nothing_vanishes_when_a_board_is_cut(
            length in 200.0..6_000.0f64, width in 50.0..400.0f64, thickness in 10.0..80.0f64,
            share in 0.05..1.0f64, across in 0.05..1.0f64,
        ) {
            let board = Rectangle { length, width };
            let piece = Rectangle { length: length * share, width: width * across };
            if let Ok(cut) = take(board, thickness, piece) {
                let kept: f64 = cut.offcuts.iter().map(|r| r.length * r.width).sum();
                prop_assert!(cut.waste_area >= 0.0);
                prop_assert!((piece.length * piece.width + kept + cut.waste_area - length * width).abs() < 1e-6);
                prop_assert!(cut.offcuts.iter().all(|r| r.length >= 300.0 && r.width >= 40.0));
            }
        }
    }
}
