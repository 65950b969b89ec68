//! What becomes of a seam when the planking takes up: the swelling of a plank must go somewhere.

use serde::Serialize;

use crate::choice::choices;
use crate::error::{self, InputError};
use crate::grid::Between;
use crate::reason::{Reason, Verdict};
use crate::timber;

use super::Treatment;

choices! {
    /// What fills a seam, by how it gives.
    Filling {
        SoftOverCotton = "soft", "Soft compound over cotton";
        Elastomer = "elastomer", "Elastomer";
        Rigid = "rigid", "Rigid";
        Empty = "empty", "Empty";
    }
}

/// How a seam gives once a treatment is in it.
pub fn filled_with(treatment: Treatment) -> Filling {
    match treatment {
        Treatment::CottonCompound => Filling::SoftOverCotton,
        Treatment::FlexibleBedding | Treatment::FlexibleLapAdhesive => Filling::Elastomer,
        Treatment::RigidAdhesive
        | Treatment::SplinedGlue
        | Treatment::FilletTape
        | Treatment::StructuralGlue
        | Treatment::HardFiller => Filling::Rigid,
    }
}

/// Edges may be crushed by this share of the plank's width, handbook 06.
pub const CRUSH: f64 = 0.005;
/// Share of its width that soft compound over cotton gives; an elastomer's usual rated movement.
pub const SOFT_GIVE: f64 = 0.50;
pub const ELASTOMER_GIVE: f64 = 0.25;

/// One plank with its seam. mm and %.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Seam {
    pub plank_width: f64,
    /// Shrinkage of the planking across its face, %.
    pub shrinkage: f64,
    pub now: f64,
    pub service: f64,
    pub seam_width: f64,
    pub filling: Filling,
    /// Rated movement of an elastomer, 0–1.
    pub rated: f64,
}

/// What becomes of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Fate {
    Opens,
    Holds,
    /// Pressure: planks buckle, fastenings pull, frames break.
    Presses,
}

/// The sum of one seam, mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Balance {
    /// The plank's swelling; negative: it shrinks.
    pub swelling: f64,
    pub crush: f64,
    pub give: f64,
    /// What is left over; positive: pressure.
    pub closure: f64,
    /// How far the seam opens beyond what its filling stretches; 0 unless it opens.
    pub opens: f64,
    pub fate: Fate,
    pub reasons: Vec<Reason>,
}

/// Works out a seam. Errors name the field.
///
/// `closure = ΔW − 0.5 % of width − give`; a seam opens where the plank shrinks by more than the filling stretches (as far as it gives).
/// Source: handbook 06, *yard rules*; swelling by the Wood Handbook, eq. 13-1.
pub fn seam(s: &Seam) -> Result<Balance, InputError> {
    let swelling = timber::movement(s.plank_width, s.shrinkage, s.now, s.service).map_err(|e| {
        let field = match e.field.as_str() {
            "width" => "plank_width",
            "from" => "now",
            "to" => "service",
            other => other,
        };
        InputError::new(field, e.message.clone())
    })?;
    error::within("seam_width", s.seam_width, 0.0, 100.0)?;
    error::within("rated", s.rated, 0.0, 1.0)?;
    let give = s.seam_width
        * match s.filling {
            Filling::SoftOverCotton => SOFT_GIVE,
            Filling::Elastomer => s.rated,
            Filling::Rigid => 0.0,
            Filling::Empty => 1.0,
        };
    let crush = CRUSH * s.plank_width;
    let closure = swelling - crush - give;
    let stretch = if s.filling == Filling::Empty { 0.0 } else { give };
    let opens = (-swelling - stretch).max(0.0);
    let fate = if closure > 1e-9 {
        Fate::Presses
    } else if opens > 1e-9 {
        Fate::Opens
    } else {
        Fate::Holds
    };
    let (verdict, text) = match fate {
        Fate::Presses => (
            Verdict::Against,
            "the planking swells more than the seam gives: planks buckle, fastenings pull, frames break",
        ),
        Fate::Opens => (Verdict::Against, "the planking shrinks more than the filling stretches: the seam opens"),
        Fate::Holds => (Verdict::For, "the seam takes up what the planking moves"),
    };
    let reasons = vec![
        Reason::new("seam.balance", verdict, text)
            .formula("closure = ΔW − 0.5 % of the width − what the filling gives")
            .source("handbook 06")
            .value("swelling ΔW", swelling, "mm")
            .value("edges crush", crush, "mm")
            .value("filling gives", give, "mm")
            .against("closure", closure, "mm", 0.0),
    ];
    Ok(Balance { swelling, crush, give, closure, opens, fate, reasons })
}

/// What becomes of a seam whose wood is known only between two ends: the least and the most that it may move.
#[derive(Debug, Clone, PartialEq)]
pub struct Range {
    pub least: Balance,
    pub most: Balance,
}

impl Range {
    /// What becomes of it either way; `None` where that hangs on what is not known.
    pub fn fate(&self) -> Option<Fate> {
        (self.least.fate == self.most.fate).then_some(self.most.fate)
    }

    /// Why: the reasons of the end that moves most, or what would tell.
    pub fn reasons(&self) -> Vec<Reason> {
        if self.fate().is_some() {
            return self.most.reasons.clone();
        }
        let told = |fate| match fate {
            Fate::Presses => "planks buckle",
            Fate::Opens => "it opens",
            Fate::Holds => "it holds",
        };
        let (quartered, flat) = (told(self.least.fate), told(self.most.fate));
        let text = format!(
            "which way the rings run is not known: where the planks are quarter-sawn {quartered}, where they are flat-sawn {flat}; look at their ends"
        );
        vec![
            Reason::note("seam.rings", text)
                .source("handbook 06")
                .value("closure, as little as it may move", self.least.closure, "mm")
                .value("closure, as much as it may move", self.most.closure, "mm"),
        ]
    }
}

/// What becomes of a seam by [`of`] at the least and at the most that its wood may shrink, %, in either order; a plank's rings stand to its face as they
/// stand, and where nobody looked that is between these two. Errors as those of [`seam`]. Source: handbook 02 and 06.
pub fn range(between: Between, s: &Seam, shrinkage: (f64, f64)) -> Result<Range, InputError> {
    let at = |shrinkage: f64| of(between, &Seam { shrinkage, ..*s });
    Ok(Range { least: at(shrinkage.0.min(shrinkage.1))?, most: at(shrinkage.0.max(shrinkage.1))? })
}

/// What becomes of what lies between two rows of planking: a seam by [`seam`]; a lap lets its planks slide unless something hard is in
/// it; glued edges move as one with the hull. Errors as those of [`seam`]. Source: handbook 06.
pub fn of(between: Between, s: &Seam) -> Result<Balance, InputError> {
    let worked = seam(s)?;
    let still = |fate, verdict, text: &str| Balance {
        give: 0.0,
        closure: 0.0,
        opens: 0.0,
        fate,
        reasons: vec![Reason::new("seam.lap", verdict, text).source("handbook 06")],
        ..worked.clone()
    };
    Ok(match between {
        Between::Seam => worked,
        Between::Lap if s.filling == Filling::Rigid => still(
            Fate::Presses,
            Verdict::Against,
            "hard filler in the lap: the planks cannot slide, it wedges the lap open and strips the fastenings",
        ),
        Between::Lap => still(Fate::Holds, Verdict::For, "the planks slide over each other in the lap"),
        Between::GluedEdge | Between::Joint => {
            still(Fate::Holds, Verdict::For, "glued edges move as one: there is no seam to open or to press")
        }
    })
}

/// A whole side: the sums of its seams.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Side {
    pub swelling: f64,
    /// Pressure left over where seams press, mm.
    pub pressed: f64,
    /// Opening where seams open, mm.
    pub opened: f64,
    pub pressing: usize,
    pub opening: usize,
}

pub fn side(seams: &[Balance]) -> Side {
    Side {
        swelling: seams.iter().map(|b| b.swelling).sum(),
        pressed: seams.iter().filter(|b| b.fate == Fate::Presses).map(|b| b.closure).sum(),
        opened: seams.iter().map(|b| b.opens).sum(),
        pressing: seams.iter().filter(|b| b.fate == Fate::Presses).count(),
        opening: seams.iter().filter(|b| b.fate == Fate::Opens).count(),
    }
}

/// Masking tape for seams.
#[derive(Debug, Clone, PartialEq)]
pub struct Tape {
    /// Width to buy, mm; `None`: none that is sold is narrow enough.
    pub width: Option<f64>,
    /// By how much it falls short of the face between the seams, mm.
    pub short: f64,
    pub length: f64,
    pub rolls: u32,
}

/// Widths masking tape is sold in, and a roll's length, mm.
pub const TAPES: [f64; 9] = [12.0, 15.0, 19.0, 25.0, 30.0, 38.0, 50.0, 75.0, 100.0];
pub const ROLL: f64 = 50_000.0;

/// Tape for seams: two lengths each and 5 %, no wider than the face between them; the next narrower where that width is not sold.
/// Errors name `face` or `seam_length`.
pub fn tape(face: f64, seam_length: f64, sold: &[f64]) -> Result<Tape, InputError> {
    error::length("face", face)?;
    error::within("seam_length", seam_length, 0.0, 1e8)?;
    let width = sold
        .iter()
        .copied()
        .filter(|w| *w <= face + 1e-9)
        .fold(None, |best: Option<f64>, w| Some(best.map_or(w, |b| b.max(w))));
    let length = 2.0 * seam_length * 1.05;
    Ok(Tape { short: width.map_or(face, |w| face - w), width, length, rolls: (length / ROLL).ceil() as u32 })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn larch(now: f64, service: f64, filling: Filling) -> Seam {
        Seam { plank_width: 150.0, shrinkage: 9.1, now, service, seam_width: 2.4, filling, rated: ELASTOMER_GIVE }
    }

    #[test]
    fn a_hull_planked_too_dry_presses_and_one_planked_too_wet_opens() {
        // From 10 to 18 % a flat-sawn plank swells 3.875 mm; crush 0.75 and soft compound 1.2 take 1.95.
        let dry = seam(&larch(10.0, 18.0, Filling::SoftOverCotton)).unwrap();
        assert_eq!(dry.fate, Fate::Presses);
        assert!((dry.closure - (3.875_088_715 - 0.75 - 1.2)).abs() < 1e-6);
        assert_eq!(seam(&larch(17.0, 18.0, Filling::SoftOverCotton)).unwrap().fate, Fate::Holds);
        assert_eq!(seam(&larch(26.0, 16.0, Filling::SoftOverCotton)).unwrap().fate, Fate::Opens);
        assert_eq!(seam(&larch(15.0, 18.0, Filling::Rigid)).unwrap().fate, Fate::Presses);
        assert_eq!(
            seam(&Seam { plank_width: -1.0, ..larch(15.0, 18.0, Filling::Rigid) }).unwrap_err().field,
            "plank_width"
        );
    }

    #[test]
    fn where_nobody_looked_at_the_rings_only_what_holds_either_way_is_told() {
        let (quartered, flat) = (4.5, 9.1);
        let told =
            |now, service, filling| range(Between::Seam, &larch(now, service, filling), (flat, quartered)).unwrap();
        // From 10 to 18 %: 1.9 mm where it is quarter-sawn, which crush and compound take; 3.9 mm where it is flat-sawn, which they do not.
        let either = told(10.0, 18.0, Filling::SoftOverCotton);
        assert_eq!((either.least.fate, either.most.fate, either.fate()), (Fate::Holds, Fate::Presses, None));
        let why = either.reasons();
        assert_eq!((why.len(), why[0].rule, why[0].verdict), (1, "seam.rings", Verdict::Note));
        assert!(
            why[0].text.contains("quarter-sawn it holds, where they are flat-sawn planks buckle"),
            "{}",
            why[0].text
        );
        assert_eq!(told(17.0, 18.0, Filling::SoftOverCotton).fate(), Some(Fate::Holds));
        let pressed = told(8.0, 28.0, Filling::SoftOverCotton);
        assert_eq!(pressed.fate(), Some(Fate::Presses));
        assert_eq!(pressed.reasons(), pressed.most.reasons);
        assert!(pressed.least.closure < pressed.most.closure);
        let dry = told(26.0, 12.0, Filling::Rigid);
        assert!(dry.fate() == Some(Fate::Opens) && dry.least.opens < dry.most.opens);
        // Glued edges hold whatever the rings do; a lap with something hard in it is wedged whatever they do.
        let glued = range(Between::GluedEdge, &larch(10.0, 18.0, Filling::SoftOverCotton), (quartered, flat)).unwrap();
        assert_eq!(glued.fate(), Some(Fate::Holds));
        let bad = Seam { now: -3.0, ..larch(10.0, 18.0, Filling::Rigid) };
        assert_eq!(range(Between::Seam, &bad, (quartered, flat)).unwrap_err().field, "now");
    }

    #[test]
    fn a_lap_slides_unless_something_hard_is_in_it() {
        let dry = larch(8.0, 24.0, Filling::SoftOverCotton);
        assert_eq!(of(Between::Seam, &dry).unwrap().fate, Fate::Presses);
        assert_eq!(of(Between::Lap, &dry).unwrap().fate, Fate::Holds);
        assert_eq!(of(Between::Lap, &Seam { filling: Filling::Rigid, ..dry }).unwrap().fate, Fate::Presses);
        assert_eq!(of(Between::GluedEdge, &Seam { filling: Filling::Rigid, ..dry }).unwrap().fate, Fate::Holds);
        assert!(of(Between::Lap, &Seam { plank_width: 0.0, ..dry }).is_err());
    }

    #[test]
    fn the_exact_tape_or_the_narrower_one_with_what_it_lacks() {
        let wide = tape(42.0, 30_000.0, &TAPES).unwrap();
        assert_eq!((wide.width, wide.short, wide.rolls), (Some(38.0), 4.0, 2));
        assert_eq!(tape(50.0, 1_000.0, &TAPES).unwrap().short, 0.0);
        assert_eq!(tape(9.0, 1_000.0, &TAPES).unwrap().width, None);
    }

    proptest! {
        /// What is told whatever the rings do is so at every angle between.
        #[test]
        fn what_is_told_of_rings_nobody_saw_is_so_at_each_angle(
            width in 60.0..250.0f64, radial in 1.5..6.0f64, more in 0.0..6.0f64, now in 5.0..30.0f64, service in 5.0..30.0f64,
            seam_width in 0.0..6.0f64, filling in 0usize..4, angle in 0.0..90.0f64, grain in 0usize..4,
        ) {
            let (low, high) = timber::Grain::ALL[grain].rings();
            let shrinks = |angle| timber::shrinkage_at(radial, radial + more, angle);
            let base = Seam { plank_width: width, shrinkage: radial, now, service, seam_width, filling: Filling::ALL[filling], rated: 0.25 };
            let told = range(Between::Seam, &base, (shrinks(low), shrinks(high))).unwrap();
            let there = low + (high - low) * angle / 90.0;
            let one = seam(&Seam { shrinkage: shrinks(there), ..base }).unwrap();
            if let Some(fate) = told.fate() {
                prop_assert_eq!(one.fate, fate);
            }
            prop_assert!(one.swelling.abs() >= told.least.swelling.abs() - 1e-9);
            prop_assert!(one.swelling.abs() <= told.most.swelling.abs() + 1e-9);
        }

        /// More moisture never opens a seam.
        #[test]
        fn wetter_service_never_opens_a_seam(
            width in 60.0..250.0f64, s in 2.0..11.0f64, now in 5.0..30.0f64, a in 5.0..30.0f64, more in 0.0..15.0f64,
            seam_width in 0.0..6.0f64, filling in 0usize..4,
        ) {
            let base = Seam { plank_width: width, shrinkage: s, now, service: a, seam_width, filling: Filling::ALL[filling], rated: 0.25 };
            let (drier, wetter) = (seam(&base).unwrap(), seam(&Seam { service: a + more, ..base }).unwrap());
            prop_assert!(wetter.opens <= drier.opens + 1e-9 && wetter.closure >= drier.closure - 1e-9);
            prop_assert!(wetter.fate >= drier.fate);
        }
    }
}
