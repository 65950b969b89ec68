//! Seams: what a construction may get, its proportions, and what goes into it.

pub mod balance;
pub mod launch;
pub mod line;
pub mod work;

use crate::choice::choices;
use crate::error::{self, InputError};
use crate::grid::Construction;
use crate::reason::{Reason, Verdict};
use crate::units::whole_up;

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

choices! {
    /// How the seams of a carvel hull are done. The trade has both schools.
    SeamSchool {
        Soft = "soft", "Caulked: the hull takes up";
        Glued = "glued", "Glued: the hull stays dry";
    }
}

/// A boat's school of seams, and whether she stays dry: on a trailer, or every plank renewed dry.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Ways {
    pub school: SeamSchool,
    pub stays_dry: bool,
}

impl Default for Ways {
    fn default() -> Self {
        Self { school: SeamSchool::Soft, stays_dry: false }
    }
}

/// Whether a construction may get a treatment by a boat's school, and why: never, not usual, or right. Source: handbook 06.
pub fn judge_by(construction: Construction, treatment: Treatment, ways: Ways) -> Reason {
    let why = |verdict, text: &str| Reason::new("seam.school", verdict, text).source("handbook 06");
    match (construction, ways.school, treatment) {
        (Construction::CarvelCaulked, SeamSchool::Glued, Treatment::SplinedGlue) if ways.stays_dry => why(
            Verdict::For,
            "she stays dry: splines or epoxy, both edges wetted out, then filled; every seam, not some",
        ),
        (Construction::CarvelCaulked, SeamSchool::Glued, Treatment::SplinedGlue) => why(
            Verdict::Forbids,
            "seams are glued only in a hull that stays dry, on a trailer or with every plank renewed dry: this one takes up",
        ),
        (Construction::CarvelCaulked, SeamSchool::Glued, Treatment::CottonCompound) if ways.stays_dry => {
            why(Verdict::Against, "her school glues every seam: caulk all of them or none")
        }
        _ => judge(construction, treatment),
    }
}

/// The treatment that suits a construction by a boat's school.
pub fn usual_by(construction: Construction, ways: Ways) -> Treatment {
    let suits = |t: &&Treatment| judge_by(construction, **t, ways).verdict == Verdict::For;
    Treatment::ALL.iter().find(suits).copied().unwrap_or_else(|| usual(construction))
}

/// What speaks against a treatment because of what the hull's other seams get: half of them glued and half caulked work against each
/// other. Source: handbook 06.
pub fn beside(treatment: Treatment, others: impl IntoIterator<Item = Treatment>) -> Option<Reason> {
    use Treatment as T;
    let stiff = |t: T| matches!(t, T::RigidAdhesive | T::SplinedGlue | T::StructuralGlue | T::HardFiller);
    let other = others
        .into_iter()
        .find(|o| (stiff(treatment) && *o == T::CottonCompound) || (treatment == T::CottonCompound && stiff(*o)))?;
    Some(
        Reason::new(
            "seam.beside",
            Verdict::Forbids,
            format!("another seam of hers gets {}: glue every seam, or none", other.label().to_lowercase()),
        )
        .source("handbook 06"),
    )
}

/// Whether a construction may get a treatment, and why: never, not usual, or right; by the school that caulks.
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

/// Carvel planking thinner than this holds no caulking, mm: 5 mm of compound over cotton find no room above the tight inner third.
pub const THINNEST_CAULKED: f64 = 10.0;

/// Why planking is too thin for a treatment; `None` where it is not.
pub fn too_thin(thickness: f64, treatment: Treatment) -> Option<Reason> {
    (treatment == Treatment::CottonCompound && thickness < THINNEST_CAULKED).then(|| {
        Reason::new(
            "seam.thin",
            Verdict::Forbids,
            "planking this thin holds no caulking: it would be driven through; glue, splines or a batten behind",
        )
        .source("handbook 06")
        .against("thickness", thickness, "mm", THINNEST_CAULKED)
    })
}

/// What a seam takes by its treatment: laps, battens and glued seams take no cotton, and neither does planking too thin for it.
/// Errors as those of [`caulk`].
pub fn taken(
    treatment: Treatment,
    thickness: f64,
    length: f64,
    measured_width: Option<f64>,
) -> Result<Caulking, InputError> {
    let mut takes = caulk(thickness, length, measured_width)?;
    if treatment != Treatment::CottonCompound || too_thin(thickness, treatment).is_some() {
        (takes.cotton_depth, takes.cotton_length, takes.strands, takes.oakum) = (0.0, 0.0, 0, false);
        takes.reasons.retain(|r| r.rule != "seam.cotton");
    }
    Ok(takes)
}

/// Strands of cotton by seam width at mid-depth, mm (*yard rule*).
const STRANDS: [(f64, f64); 6] = [(1.5, 1.0), (2.0, 2.0), (2.5, 3.0), (3.0, 4.0), (4.0, 6.0), (5.0, 8.0)];
/// A cartridge, ml, and compound lost to waste.
pub const CARTRIDGE_ML: f64 = 310.0;
const WASTE: f64 = 1.15;
/// Seam primer on the bare edges and over the cotton, mm of wet film (*yard rule*).
pub const PRIMER_FILM: f64 = 0.12;
/// Cotton takes up this much more than the seam's length.
pub const COTTON_TAKE_UP: f64 = 1.1;

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
    /// For both edges and over the cotton.
    pub primer_ml: f64,
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
    let edge = open_depth.hypot(width / 2.0);
    let primer_ml = (2.0 * edge + width_at(compound_depth)) * PRIMER_FILM * length / 1000.0 * WASTE;
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
        Reason::note("seam.primer", "primer on both edges and over the cotton, from the seam’s width and depth")
            .formula("(2 × edge + width at the cotton) × film × length × 1.15")
            .value("film", PRIMER_FILM, "mm")
            .value("primer for a metre", primer_ml / length * 1000.0, "ml"),
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
        primer_ml,
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
    whole_up(exact) as u32
}

/// Seams of a laid deck, handbook 06 and 10: a bond breaker, flexible compound as deep as it is wide to half as much again; mm.
#[derive(Debug, Clone, PartialEq)]
pub struct DeckSeam {
    pub width: f64,
    /// Of the compound, and what it may be.
    pub depth: f64,
    pub depth_least: f64,
    pub depth_most: f64,
    /// Cotton below it; a glued deck has none.
    pub cotton: bool,
    /// Tape that the compound does not stick to.
    pub bond_breaker_width: f64,
    /// 15 % waste, in ml; cartridges with one in reserve.
    pub compound_ml: f64,
    pub cartridges: u32,
    pub tape_length: f64,
    pub reasons: Vec<Reason>,
}

choices! {
    /// How a laid deck lies.
    LaidDeck {
        Caulked = "caulked", "Laid deck, caulked";
        Panels = "panels", "Laid deck, glued on panels";
    }
}

/// A deck's seam where nobody says, mm.
pub const DECK_WIDTH: f64 = 5.0;
/// Narrowest and widest seam of a deck, mm.
const DECK_WIDTHS: (f64, f64) = (4.0, 6.0);

/// Deck seams of `length` mm altogether; the compound is a quarter deeper than it is wide where nobody says. Errors name `width` (4 to
/// 6 mm), `depth` (the width to half as much again) or `length`.
pub fn deck(kind: LaidDeck, width: f64, depth: Option<f64>, length: f64) -> Result<DeckSeam, InputError> {
    error::within("width", width, DECK_WIDTHS.0, DECK_WIDTHS.1)?;
    error::length("length", length)?;
    let depth = error::within("depth", depth.unwrap_or(1.25 * width), width, 1.5 * width)?;
    let compound_ml = width * depth * length / 1_000.0 * WASTE;
    let rule = |verdict, text: &str| Reason::new("seam.deck", verdict, text).source("handbook 06");
    let mut reasons = vec![
        rule(Verdict::Note, "as deep as it is wide, to half as much again")
            .formula("volume = width × depth × length × 1.15")
            .against("depth over width", depth / width, "", 1.5)
            .value("compound", compound_ml, "ml"),
        rule(Verdict::For, "a bond breaker below: the compound sticks to two sides and can stretch"),
        rule(Verdict::Forbids, "compound that sticks to three sides tears"),
    ];
    reasons.push(match kind {
        LaidDeck::Caulked => rule(Verdict::For, "cotton low, tight below; never a hard compound over it"),
        LaidDeck::Panels => rule(Verdict::Forbids, "no cotton in a deck glued on panels: driving it parts the glue"),
    });
    Ok(DeckSeam {
        width,
        depth,
        depth_least: width,
        depth_most: 1.5 * width,
        cotton: kind == LaidDeck::Caulked,
        bond_breaker_width: width,
        compound_ml,
        cartridges: (compound_ml / CARTRIDGE_ML).ceil() as u32 + 1,
        tape_length: 2.0 * length * 1.05,
        reasons,
    })
}

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
    fn a_deck_seam_is_no_deeper_than_half_again_its_width_and_has_a_bond_breaker() {
        let seam = deck(LaidDeck::Caulked, 5.0, None, 40_000.0).unwrap();
        assert_eq!((seam.depth_least, seam.depth, seam.depth_most, seam.cartridges), (5.0, 6.25, 7.5, 6));
        assert!(seam.cotton && seam.bond_breaker_width == 5.0);
        assert_eq!(deck(LaidDeck::Caulked, 9.0, None, 1_000.0).unwrap_err().field, "width");
        assert_eq!(deck(LaidDeck::Panels, 5.0, Some(8.0), 1_000.0).unwrap_err().field, "depth");
        assert!(!deck(LaidDeck::Panels, 5.0, Some(5.0), 1_000.0).unwrap().cotton);
    }

    #[test]
    fn the_glued_school_is_for_a_hull_that_stays_dry_and_for_every_seam() {
        let ways = |stays_dry| Ways { school: SeamSchool::Glued, stays_dry };
        let carvel = Construction::CarvelCaulked;
        assert_eq!(judge_by(carvel, Treatment::SplinedGlue, ways(true)).verdict, Verdict::For);
        assert_eq!(judge_by(carvel, Treatment::SplinedGlue, ways(false)).verdict, Verdict::Forbids);
        assert_eq!(judge_by(carvel, Treatment::SplinedGlue, Ways::default()).verdict, Verdict::Forbids);
        assert_eq!(usual_by(carvel, ways(true)), Treatment::SplinedGlue);
        assert_eq!(usual_by(carvel, ways(false)), Treatment::CottonCompound);
        assert_eq!(judge_by(Construction::Lapstrake, Treatment::SplinedGlue, ways(true)).verdict, Verdict::Forbids);
        let mixed = beside(Treatment::SplinedGlue, [Treatment::CottonCompound]).unwrap();
        assert_eq!((mixed.rule, mixed.verdict), ("seam.beside", Verdict::Forbids));
        assert!(beside(Treatment::SplinedGlue, [Treatment::SplinedGlue]).is_none());
    }

    #[test]
    fn a_deeper_seam_takes_more_primer() {
        let (thin, thick) = (caulk(20.0, 1_000.0, Some(3.0)).unwrap(), caulk(40.0, 1_000.0, Some(3.0)).unwrap());
        // 2 × hypot(13.3, 1.5) + 1.9 wide over the cotton, 0.12 mm thick, and 15 %.
        assert!((thin.primer_ml - 3.95).abs() < 0.02, "{}", thin.primer_ml);
        assert!(thick.primer_ml > thin.primer_ml);
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
