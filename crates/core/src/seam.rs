//! Seams: what a construction may get, its proportions, and what goes into it.

pub mod balance;

use crate::choice::choices;
use crate::error::{self, InputError};
use crate::grid::Construction;
use crate::reason::{Reason, Verdict};

choices! {
    /// What may be put into a seam.
    Treatment {
        CottonCompound = "cotton_compound", "Cotton and soft compound";
        RigidAdhesive = "rigid_adhesive", "Rigid adhesive sealant or epoxy";
        SplinedGlue = "splined_glue", "Splines or epoxy in every seam";
        FlexibleBedding = "flexible_bedding", "Flexible bedding";
        FlexibleLapAdhesive = "flexible_lap_adhesive", "Thin flexible adhesive in the lap";
        FilletTape = "fillet_tape", "Fillet and tape";
        StructuralGlue = "structural_glue", "Glue";
        HardFiller = "hard_filler", "Hard filler";
    }
}

/// Whether a construction may get a treatment, and why: never, not usual, or right.
pub fn judge(construction: Construction, treatment: Treatment) -> Reason {
    use Construction as C;
    use Treatment as T;
    let (verdict, text) = match (construction, treatment) {
        (C::Lapstrake, T::CottonCompound) => {
            (Verdict::Forbids, "caulking driven into a lap wedges it open and strips the fastenings")
        }
        (C::Lapstrake, T::RigidAdhesive | T::HardFiller | T::SplinedGlue) => {
            (Verdict::Forbids, "a lap must be free to move: hard filler in it breaks the land and holds water")
        }
        (C::Lapstrake, T::FlexibleLapAdhesive) => {
            (Verdict::For, "clean to bare wood, penetrating sealer, thin flexible adhesive; renew the fastenings")
        }
        (C::CarvelCaulked, T::CottonCompound) => {
            (Verdict::For, "cotton and a compound that stays soft let the hull take up")
        }
        (C::CarvelCaulked, T::RigidAdhesive | T::HardFiller) => (
            Verdict::Forbids,
            "rigid adhesive in a working seam: when the hull takes up the planks buckle and the frames break",
        ),
        (C::CarvelCaulked, T::SplinedGlue) => (
            Verdict::Forbids,
            "half the seams glued and half caulked: glue every seam of a hull that stays dry, or none",
        ),
        (C::CarvelGlued, T::SplinedGlue) => (Verdict::For, "both edges wetted out, then filled; every seam, not some"),
        (C::CarvelGlued, T::CottonCompound) => {
            (Verdict::Forbids, "half the seams glued and half caulked work against each other")
        }
        (C::BattenSeam, T::FlexibleBedding) => (Verdict::For, "flexible bedding between plank and batten"),
        (C::BattenSeam, T::CottonCompound) => (Verdict::Forbids, "caulking driven against the batten forces it off"),
        (C::DoublePlanked | C::ColdMoulded | C::Strip, T::StructuralGlue) => (Verdict::For, "these layers are glued"),
        (C::DoublePlanked | C::ColdMoulded | C::Strip, T::CottonCompound) => {
            (Verdict::Forbids, "there is no seam to caulk: driven cotton parts the layers")
        }
        (C::PlywoodFramed | C::PlywoodTaped, T::FilletTape) => (Verdict::For, "a fillet with tape over it"),
        (C::PlywoodFramed | C::PlywoodTaped, T::HardFiller | T::CottonCompound) => {
            (Verdict::Forbids, "filler without tape cracks out of a plywood joint")
        }
        _ => (Verdict::Against, "not the usual way for this construction; ask why before doing it"),
    };
    Reason::new("seam.treatment", verdict, text).source("handbook 06")
}

/// The treatment that suits a construction.
pub fn usual(construction: Construction) -> Treatment {
    *Treatment::ALL
        .iter()
        .find(|t| judge(construction, **t).verdict == Verdict::For)
        .unwrap_or(&Treatment::FlexibleBedding)
}

/// Strands of cotton by seam width at mid-depth, mm (*yard rule*).
const STRANDS: [(f64, f64); 6] = [(1.5, 1.0), (2.0, 2.0), (2.5, 3.0), (3.0, 4.0), (4.0, 6.0), (5.0, 8.0)];
/// A cartridge, ml, and compound lost to waste.
const CARTRIDGE_ML: f64 = 310.0;
const WASTE: f64 = 1.15;
/// Cotton takes up this much more than the seam's length.
const COTTON_TAKE_UP: f64 = 1.1;

/// Width a carvel seam is first made at the face, mm: thickness / 16 + 0.8 (*yard rule*).
pub fn first_width(thickness: f64) -> f64 {
    thickness / 16.0 + 0.8
}

/// A caulked carvel seam and what it takes. Lengths mm, volumes ml.
#[derive(Debug, Clone, PartialEq)]
pub struct Caulking {
    /// Open at the face.
    pub width: f64,
    /// Below this depth it is tight: the inner third.
    pub open_depth: f64,
    pub cotton_depth: f64,
    pub compound_depth: f64,
    /// Bevel on each edge, degrees.
    pub edge_bevel: f64,
    pub strands: u32,
    /// Cotton alone, or cotton then oakum.
    pub oakum: bool,
    pub cotton_length: f64,
    pub compound_ml: f64,
    pub cartridges: u32,
    /// Two lengths a seam and 5 %.
    pub tape_length: f64,
    pub reasons: Vec<Reason>,
}

/// Proportions and quantities of `length` mm of caulked seam between planks of `thickness` mm.
///
/// `measured_width` is the seam as found, where it was measured; otherwise the yard rule's first width,
/// thickness/16 + 0.8 mm.
pub fn caulk(thickness: f64, length: f64, measured_width: Option<f64>) -> Result<Caulking, InputError> {
    let t = error::length("thickness", thickness)?;
    error::length("length", length)?;
    let proper = first_width(t);
    let width = match measured_width {
        Some(width) => error::within("width", error::positive("width", width)?, 0.1, t.max(20.0))?,
        None => proper,
    };
    let open_depth = t * 2.0 / 3.0;
    let compound_depth = f64::max(5.0, t / 4.0).min(open_depth);
    let cotton_depth = (t / 2.0).min(open_depth - compound_depth).max(0.0);
    // A V, tight at the inner third: narrower with depth. Cotton sits in it, compound fills the wider part above.
    let width_at = |depth: f64| width * (1.0 - depth / open_depth);
    let strands = strands_for(width_at(open_depth / 2.0));
    let mean_width = (width + width_at(compound_depth)) / 2.0;
    let compound_ml = mean_width * compound_depth * length / 1000.0 * WASTE;
    let reasons = vec![
        Reason::note("seam.width", "open at first by a sixteenth of the plank and 0.8 mm, bevelled half on each edge, tight at the inner third")
            .formula("width = thickness / 16 + 0.8 mm")
            .against("seam width", width, "mm", proper),
        Reason::note("seam.cotton", "strands from the width at mid-depth; one tenth more length for taking up")
            .value("width at mid-depth", width_at(open_depth / 2.0), "mm")
            .value("strands", f64::from(strands), ""),
        Reason::note("seam.compound", "trapezoid between face and cotton, 15 % waste, one cartridge in reserve")
            .formula("volume = (width at face + width at cotton) / 2 × depth × length × 1.15")
            .value("compound", compound_ml, "ml"),
    ];
    Ok(Caulking {
        width,
        open_depth,
        cotton_depth,
        compound_depth,
        edge_bevel: (width / 2.0 / open_depth).atan().to_degrees(),
        strands,
        oakum: t >= 40.0,
        cotton_length: length * COTTON_TAKE_UP * f64::from(strands),
        compound_ml,
        cartridges: (compound_ml / CARTRIDGE_ML).ceil() as u32 + 1,
        tape_length: 2.0 * length * 1.05,
        reasons,
    })
}

/// Strands for a seam this wide at mid-depth: the table interpolated and rounded up.
fn strands_for(width: f64) -> u32 {
    let (first, last) = (STRANDS[0], STRANDS[STRANDS.len() - 1]);
    if width <= first.0 {
        return first.1 as u32;
    }
    let exact = STRANDS
        .windows(2)
        .find(|pair| width <= pair[1].0)
        .map_or(last.1 * width / last.0, |p| p[0].1 + (p[1].1 - p[0].1) * (width - p[0].0) / (p[1].0 - p[0].0));
    (exact - 1e-9).ceil() as u32
}

/// A step of the work on seams, and what must hold before it is begun.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Step {
    pub what: &'static str,
    /// The gate; empty where there is none.
    pub gate: &'static str,
}

/// The order of work for a treatment, with its gates of dryness, cleanliness and cure. Source: handbook 06.
pub fn order(treatment: Treatment) -> Vec<Step> {
    let step = |what, gate| Step { what, gate };
    let mut steps = vec![
        step("Reef out without widening the seam", ""),
        step("Scrape to bare bright wood", "no dust, old filler or oil left: adhesion fails on them"),
    ];
    match treatment {
        Treatment::CottonCompound => steps.extend([
            step("Prime the edges", "wood at 16 % or less"),
            step("Repair crushed edges", "primer dry"),
            step("Caulk, garboard last or from the keel up as the school has it", ""),
            step("Prime over the cotton", ""),
            step("Mask", ""),
            step("Fill from the bottom of the groove, strike once", "15–25 °C; cartridges warmed when it is cold"),
            step("Pull the tape while it is wet", ""),
            step("Sand or plane flush", "cured as the product says"),
        ]),
        Treatment::SplinedGlue | Treatment::RigidAdhesive | Treatment::StructuralGlue => steps.extend([
            step("Wet out both edges with unfilled resin", "wood at 16 % or less, joint at 10 °C or more"),
            step("Set the spline or filled resin, every seam of the hull", "not half the seams glued and half caulked"),
            step("Plane flush", "cured 24 h at 20 °C, double for each 10 °C less"),
        ]),
        Treatment::FlexibleLapAdhesive => steps.extend([
            step("Penetrating sealer, thin coats", "wood at 16 % or less"),
            step("Thin flexible adhesive in the lap", "nothing driven into it"),
            step("Renew the fastenings of the lap", ""),
        ]),
        Treatment::FlexibleBedding => {
            steps.push(step("Bed between plank and batten", "nothing driven against the batten"))
        }
        Treatment::FilletTape | Treatment::HardFiller => {
            steps.extend([step("Fillet", "wood at 16 % or less"), step("Tape over it wet on wet", "")]);
        }
    }
    steps
}

/// Seams of a laid deck, handbook 06 and 10: cotton low, a bond breaker, flexible compound as deep as it is wide to half as much
/// again; mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DeckSeam {
    pub width: f64,
    pub depth_least: f64,
    pub depth_most: f64,
    /// For the length asked, 15 % waste, in ml; cartridges with one in reserve.
    pub compound_ml: f64,
    pub cartridges: u32,
}

/// A deck seam. Errors name `width` (4 to 6 mm) or `length`.
pub fn deck(width: f64, length: f64) -> Result<DeckSeam, InputError> {
    error::within("width", width, 4.0, 6.0)?;
    error::length("length", length)?;
    let compound_ml = width * width * 1.25 * length / 1_000.0 * WASTE;
    Ok(DeckSeam {
        width,
        depth_least: width,
        depth_most: 1.5 * width,
        compound_ml,
        cartridges: (compound_ml / CARTRIDGE_ML).ceil() as u32 + 1,
    })
}

/// What is got ready before she floats, handbook 06.
pub const LAUNCH: [&str; 5] = [
    "Wet the hull for some days before: wet sacks, a sprinkler, water in the bilge where she is shored for it",
    "Pumps with a second one ready, and power checked",
    "Somebody on board, day and night, for the first day",
    "Expect her to take up in 1 to 7 days; write down the strokes an hour",
    "Slings left on until the pumps keep up",
];

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn an_inch_plank_opens_by_two_and_a_half_millimetres() {
        let seam = caulk(25.0, 8_000.0, None).unwrap();
        assert!((seam.width - 2.3625).abs() < 1e-9);
        assert!((seam.compound_depth - 6.25).abs() < 1e-9 && !seam.oakum);
        // (2.3625 + 1.4766) / 2 × 6.25 × 8000 × 1.15 = 110 ml: one cartridge and one in reserve.
        assert!((seam.compound_ml - 110.37).abs() < 0.1);
        assert_eq!(seam.cartridges, 2);
    }

    #[test]
    fn a_lap_is_never_caulked_and_a_working_seam_never_glued_hard() {
        assert_eq!(judge(Construction::Lapstrake, Treatment::CottonCompound).verdict, Verdict::Forbids);
        assert_eq!(judge(Construction::CarvelCaulked, Treatment::RigidAdhesive).verdict, Verdict::Forbids);
        assert_eq!(usual(Construction::CarvelCaulked), Treatment::CottonCompound);
        assert_eq!(usual(Construction::Lapstrake), Treatment::FlexibleLapAdhesive);
    }

    #[test]
    fn a_caulked_seam_is_not_primed_wet_and_a_deck_seam_is_no_deeper_than_half_again_its_width() {
        let steps = order(Treatment::CottonCompound);
        let prime = steps.iter().position(|s| s.what.starts_with("Prime the edges")).unwrap();
        assert!(steps[prime].gate.contains("16 %") && steps[0].what.starts_with("Reef out"));
        assert!(Treatment::ALL.iter().all(|t| order(*t).len() >= 3));
        let seam = deck(5.0, 40_000.0).unwrap();
        assert_eq!((seam.depth_least, seam.depth_most, seam.cartridges), (5.0, 7.5, 6));
        assert_eq!(deck(9.0, 1_000.0).unwrap_err().field, "width");
    }

    #[test]
    fn every_construction_has_a_right_treatment() {
        for construction in Construction::ALL {
            assert_eq!(judge(*construction, usual(*construction)).verdict, Verdict::For, "{}", construction.label());
        }
    }

    proptest! {
        #[test]
        fn a_wider_seam_never_takes_less(t in 8.0..80.0f64, a in 0.5..8.0f64, b in 0.5..8.0f64) {
            let (narrow, wide) = (a.min(b), a.max(b));
            let (n, w) = (caulk(t, 1000.0, Some(narrow)).unwrap(), caulk(t, 1000.0, Some(wide)).unwrap());
            prop_assert!(n.strands <= w.strands && n.compound_ml <= w.compound_ml + 1e-9);
            prop_assert!(n.cotton_depth + n.compound_depth <= n.open_depth + 1e-9);
        }
    }
}
