//! Gluing: how much glue, in how many batches, how long it may be worked and must be clamped.

use serde::Serialize;

use crate::caution::Caution;
use crate::choice::choices;
use crate::error::{self, InputError};
use crate::reason::{Reason, Verdict};
use crate::timber::moisture::GLUE_LIMIT;

choices! {
    /// Adhesives and bedding by kind.
    Adhesive {
        Epoxy = "epoxy", "Epoxy";
        Resorcinol = "resorcinol", "Resorcinol";
        Polyurethane = "polyurethane", "Polyurethane glue";
        Sealant = "sealant", "Polyurethane adhesive sealant";
        Polysulphide = "polysulphide", "Polysulphide";
        Butyl = "butyl", "Butyl";
    }
}

impl Adhesive {
    /// Coldest joint it cures in, °C; `None` for bedding, which only takes longer.
    pub fn coldest(self) -> Option<f64> {
        match self {
            Self::Epoxy => Some(10.0),
            Self::Resorcinol => Some(18.0),
            Self::Polyurethane => Some(5.0),
            Self::Sealant | Self::Polysulphide | Self::Butyl => None,
        }
    }

    /// Wettest wood it holds on, %.
    pub fn wettest(self) -> f64 {
        match self {
            Self::Polyurethane => 25.0,
            _ => GLUE_LIMIT,
        }
    }

    /// What it is for.
    pub fn use_for(self) -> &'static str {
        match self {
            Self::Epoxy => "fills gaps; clamp only until the squeeze-out shows",
            Self::Resorcinol => "tight joints under high pressure; waterproof",
            Self::Polyurethane => "damp wood, thin lines; foams, so clamp well",
            Self::Sealant => "bedding that stays: never in a working carvel seam",
            Self::Polysulphide => "bedding that can be undone",
            Self::Butyl => "bedding that can be undone; under fittings on a sealed epoxy land",
        }
    }

    pub fn is_glue(self) -> bool {
        self.coldest().is_some()
    }
}

/// A gluing job. Times are the product's own at 20 °C.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Request {
    pub adhesive: Adhesive,
    /// Faces that meet, mm² (one of each pair).
    pub area: f64,
    /// Fillets: radius and length, mm; 0 for none.
    pub fillet: (f64, f64),
    /// Of the joint, °C.
    pub temperature: f64,
    /// Of the wood, %.
    pub moisture: Option<f64>,
    /// Minutes in the pot at 20 °C.
    pub pot_life: f64,
    /// Hours in the clamps at 20 °C.
    pub cure: f64,
    /// Parts of resin to one of hardener, as the product says.
    pub ratio: f64,
    /// How fast it is spread, g a minute, by those at hand.
    pub spread: f64,
    /// Longest edge of the joint, mm, and its width: what the clamps hold.
    pub length: f64,
    pub width: f64,
}

/// One pot.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Batch {
    pub grams: f64,
    pub resin: f64,
    pub hardener: f64,
}

/// How it goes together.
#[derive(Debug, Clone, PartialEq)]
pub struct Plan {
    /// Mixed glue altogether, g.
    pub grams: f64,
    pub batches: Vec<Batch>,
    /// Minutes in the pot at this temperature.
    pub pot_life: f64,
    /// Minutes a batch may be worked: half the pot life.
    pub working: f64,
    /// Hours in the clamps, and hours to full load.
    pub clamped: f64,
    pub full_load: f64,
    pub clamps: u32,
    pub cautions: Vec<Caution>,
    pub reasons: Vec<Reason>,
}

/// A flat joint takes this for each pair of faces …
pub const KG_PER_M2: f64 = 0.30;
/// … and this much over.
const SPARE: f64 = 1.15;
/// A pot of more than this overheats, g.
pub const HOT_POT: f64 = 300.0;
/// Full load comes after this at 20 °C, h.
const FULL_LOAD: f64 = 168.0;
/// Mass of thickened glue in a fillet, g for each mm³.
const FILLET_DENSITY: f64 = 1.1e-3;

/// Mixed glue for flat joints of so many mm²: 0.30 kg/m² for each pair of faces and 15 %, kg (handbook 04).
pub fn mixed_kg(area: f64) -> f64 {
    area / 1e6 * KG_PER_M2 * SPARE
}

/// Face of a scarf in mm²: its breadth times its slope √(L² + t²), `thickness` being what it is cut through (handbook 04).
pub fn scarf_face(breadth: f64, length: f64, thickness: f64) -> f64 {
    if length > 0.0 { breadth * length.hypot(thickness) } else { 0.0 }
}

/// New wood of a member that is no plank, as far as its glue goes. mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct MemberJoints {
    pub length: f64,
    /// Moulded depth or face.
    pub width: f64,
    /// Sided.
    pub thickness: f64,
    /// What a scarf is cut through, its moulding or its siding, and how broad it is: the other.
    pub through: f64,
    pub breadth: f64,
    /// Scarf at each new end, or bevel all round a sheet; 0: none.
    pub scarf: f64,
    /// Ends that are new: those inside the member.
    pub ends: u32,
    pub plies: u32,
    pub sheet: bool,
}

impl MemberJoints {
    /// Length that is clamped, mm: its scarfs, where they are all that is glued.
    pub fn clamped(&self) -> f64 {
        if self.scarf > 0.0 && self.plies < 2 && !self.sheet { f64::from(self.ends) * self.scarf } else { self.length }
    }

    /// All its joints, mm². Plies lie one on another across the moulding, so each joint between them is as broad as the member is
    /// sided.
    pub fn area(&self) -> f64 {
        let between_plies = f64::from(self.plies.saturating_sub(1)) * self.length * self.thickness;
        let ends = if self.sheet {
            2.0 * (self.length + self.width) * self.scarf
        } else {
            f64::from(self.ends) * scarf_face(self.breadth, self.scarf, self.through)
        };
        between_plies + ends
    }
}

impl Adhesive {
    /// Pot life in minutes, cure in hours and parts of resin to one of hardener that are usual at 20 °C (*yard rule*: the product's
    /// sheet comes first).
    pub fn usual(self) -> (f64, f64, f64) {
        match self {
            Self::Resorcinol => (120.0, 10.0, 4.0),
            Self::Polyurethane => (30.0, 6.0, 1.0),
            _ => (25.0, 24.0, 2.0),
        }
    }
}

/// What one person spreads, g a minute (*yard rule*).
pub const SPREAD: f64 = 25.0;

/// How a time at 20 °C changes: halves for each 10 °C up, doubles for each 10 °C down.
pub fn at_temperature(at_20: f64, temperature: f64) -> f64 {
    at_20 * 2f64.powf((20.0 - temperature) / 10.0)
}

/// Plans the batches: none larger than can be spread in half its pot life, none over 300 g.
///
/// Quantity: area × 0.30 kg/m² × 1.15, and fillets r²(1 − π/4) per length. Errors name the field. Source: handbook 04.
pub fn plan(request: &Request) -> Result<Plan, InputError> {
    let r = request;
    error::within("area", r.area, 0.0, 1e9)?;
    error::within("fillet_radius", r.fillet.0, 0.0, 500.0)?;
    error::within("fillet_length", r.fillet.1, 0.0, error::LENGTH_LIMIT_MM)?;
    error::within("temperature", r.temperature, -20.0, 60.0)?;
    if let Some(moisture) = r.moisture {
        error::within("moisture", moisture, 0.0, 200.0)?;
    }
    error::positive("pot_life", r.pot_life).and_then(|v| error::within("pot_life", v, 0.5, 10_000.0))?;
    error::positive("cure", r.cure).and_then(|v| error::within("cure", v, 0.1, 10_000.0))?;
    error::positive("ratio", r.ratio).and_then(|v| error::within("ratio", v, 0.1, 100.0))?;
    error::positive("spread", r.spread).and_then(|v| error::within("spread", v, 0.5, 10_000.0))?;
    error::within("length", r.length, 0.0, error::LENGTH_LIMIT_MM)?;
    error::within("width", r.width, 0.0, error::LENGTH_LIMIT_MM)?;
    let fillet = r.fillet.0.powi(2) * (1.0 - std::f64::consts::FRAC_PI_4) * r.fillet.1 * FILLET_DENSITY;
    let grams = mixed_kg(r.area) * 1e3 + fillet;
    if grams <= 0.0 {
        return Err(InputError::new("area", "there is nothing to glue"));
    }
    let pot_life = at_temperature(r.pot_life, r.temperature);
    let working = pot_life / 2.0;
    let most = (working * r.spread).min(HOT_POT);
    let count = (grams / most).ceil().max(1.0);
    if count > 500.0 {
        let message =
            format!("at this temperature and pace it would take {count:.0} pots: work cooler, or with more hands");
        return Err(InputError::new("spread", message));
    }
    let each = grams / count;
    let batch = Batch { grams: each, resin: each * r.ratio / (1.0 + r.ratio), hardener: each / (1.0 + r.ratio) };
    Ok(Plan {
        grams,
        batches: vec![batch; count as usize],
        pot_life,
        working,
        clamped: at_temperature(r.cure, r.temperature),
        full_load: at_temperature(FULL_LOAD, r.temperature).max(at_temperature(r.cure, r.temperature)),
        clamps: clamps(r.length, r.width),
        cautions: vec![Caution::Resins, Caution::Solvents],
        reasons: reasons(r, grams, working, most),
    })
}

/// Whether a glue cures at a temperature of the joint, °C; `None` for bedding, which only takes longer.
pub(crate) fn warmth(adhesive: Adhesive, temperature: f64) -> Option<Reason> {
    let coldest = adhesive.coldest()?;
    let cold = temperature < coldest;
    let reason = Reason::new(
        "glue.cold",
        if cold { Verdict::Forbids } else { Verdict::For },
        if cold { "too cold for this glue to cure: warm the joint and keep it warm" } else { "warm enough" },
    );
    Some(reason.against("joint", temperature, "°C", coldest))
}

fn reasons(r: &Request, grams: f64, working: f64, most: f64) -> Vec<Reason> {
    let mut reasons = vec![
        Reason::note("glue.quantity", "0.30 kg for each m² of joint and 15 % over; wet out first, end grain twice")
            .formula("area × 0.30 × 1.15 + r²(1 − π/4) × length")
            .value("glue", grams, "g"),
        Reason::note(
            "glue.batch",
            "never more than can be used in half the pot life, and no pot over 300 g: it overheats",
        )
        .formula("half the pot life × spread")
        .value("largest pot", most, "g")
        .value("working time", working, "min"),
        Reason::note("glue.time", "pot life and cure halve for each 10 °C up and double for each 10 °C down")
            .formula("t₂₀ × 2^((20 − T) / 10)")
            .value("temperature", r.temperature, "°C"),
        Reason::note("glue.use", r.adhesive.use_for()),
    ];
    reasons.extend(warmth(r.adhesive, r.temperature));
    if let Some(moisture) = r.moisture {
        let wet = moisture > r.adhesive.wettest();
        reasons.push(
            Reason::new(
                "glue.wet",
                if wet { Verdict::Forbids } else { Verdict::For },
                if wet { "too wet: dry the wood first" } else { "dry enough" },
            )
            .against("moisture", moisture, "%", r.adhesive.wettest()),
        );
    }
    reasons
}

/// Clamps for a piece, mm: one each 100 mm of length, on both sides where it is wider than 80 mm (*yard rule*).
pub fn clamps(length: f64, width: f64) -> u32 {
    const WIDE: f64 = 80.0;
    let row = (length / 100.0).ceil() as u32;
    if width > WIDE { 2 * row } else { row }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn job() -> Request {
        Request {
            adhesive: Adhesive::Epoxy,
            area: 1e6,
            fillet: (0.0, 0.0),
            temperature: 20.0,
            moisture: Some(12.0),
            pot_life: 20.0,
            cure: 24.0,
            ratio: 2.0,
            spread: 20.0,
            length: 1_000.0,
            width: 60.0,
        }
    }

    #[test]
    fn a_scarf_is_clamped_along_its_length_and_a_lamination_along_its_own() {
        let head = MemberJoints {
            length: 2_464.0,
            width: 138.0,
            thickness: 138.0,
            through: 138.0,
            breadth: 138.0,
            scarf: 1_654.0,
            ends: 1,
            plies: 1,
            sheet: false,
        };
        assert_eq!(head.clamped(), 1_654.0);
        assert_eq!(MemberJoints { ends: 2, ..head }.clamped(), 2.0 * 1_654.0);
        assert_eq!(MemberJoints { plies: 8, scarf: 0.0, ..head }.clamped(), 2_464.0);
        assert_eq!(MemberJoints { sheet: true, ..head }.clamped(), 2_464.0);
    }

    #[test]
    fn a_square_metre_takes_two_pots_at_twenty_degrees() {
        let plan = plan(&job()).unwrap();
        assert!((plan.grams - 345.0).abs() < 1e-9);
        assert_eq!((plan.batches.len(), plan.clamps), (2, 10));
        assert!((plan.batches[0].resin - 115.0).abs() < 1e-9 && (plan.batches[0].hardener - 57.5).abs() < 1e-9);
        assert_eq!((plan.pot_life, plan.working, plan.clamped, plan.full_load), (20.0, 10.0, 24.0, 168.0));
    }

    #[test]
    fn warmth_shortens_the_pot_life_and_cold_forbids() {
        let warm = plan(&Request { temperature: 30.0, ..job() }).unwrap();
        assert_eq!((warm.pot_life, warm.clamped, warm.batches.len()), (10.0, 12.0, 4));
        let cold = plan(&Request { temperature: 8.0, ..job() }).unwrap();
        assert!(cold.reasons.iter().any(|r| r.rule == "glue.cold" && r.verdict == Verdict::Forbids));
        let wet = plan(&Request { moisture: Some(20.0), ..job() }).unwrap();
        assert!(wet.reasons.iter().any(|r| r.rule == "glue.wet" && r.verdict == Verdict::Forbids));
        let damp = Request { moisture: Some(20.0), adhesive: Adhesive::Polyurethane, ..job() };
        assert!(plan(&damp).unwrap().reasons.iter().all(|r| r.verdict != Verdict::Forbids));
    }

    #[test]
    fn a_fillet_is_the_corner_less_its_quarter_round() {
        let fillet = plan(&Request { area: 0.0, fillet: (20.0, 1_000.0), ..job() }).unwrap();
        assert!((fillet.grams - 400.0 * (1.0 - std::f64::consts::FRAC_PI_4) * 1_000.0 * 1.1e-3).abs() < 1e-9);
        assert_eq!(plan(&Request { area: 0.0, ..job() }).unwrap_err().field, "area");
        assert_eq!(plan(&Request { ratio: 0.0, ..job() }).unwrap_err().field, "ratio");
    }

    proptest! {
        #[test]
        fn every_pot_can_be_used_in_half_its_life_and_all_pots_make_the_glue(
            area in 1e3..3e6f64, temperature in 5.0..35.0f64, pot_life in 5.0..60.0f64, spread in 5.0..60.0f64,
        ) {
            let request = Request { area, temperature, pot_life, spread, ..job() };
            if let Ok(plan) = plan(&request) {
                let total: f64 = plan.batches.iter().map(|b| b.grams).sum();
                prop_assert!((total - plan.grams).abs() < 1e-6);
                for batch in &plan.batches {
                    prop_assert!(batch.grams <= HOT_POT + 1e-9 && batch.grams <= spread * plan.pot_life / 2.0 + 1e-9);
                    prop_assert!((batch.resin + batch.hardener - batch.grams).abs() < 1e-9);
                }
            }
        }
    }

    #[test]
    fn a_spliced_frame_head_is_glued_at_its_one_new_end_over_the_slope_of_the_scarf() {
        // 50 moulded, 40 sided: through the moulding the joint is as broad as it is sided, and the other way about.
        let through = |through, breadth| MemberJoints {
            length: 900.0,
            width: 50.0,
            thickness: 40.0,
            through,
            breadth,
            scarf: 600.0,
            ends: 1,
            plies: 1,
            sheet: false,
        };
        let head = through(50.0, 40.0);
        assert!((head.area() - 40.0 * (600.0f64.powi(2) + 50.0f64.powi(2)).sqrt()).abs() < 1e-9);
        assert!((through(40.0, 50.0).area() - 50.0 * (600.0f64.powi(2) + 40.0f64.powi(2)).sqrt()).abs() < 1e-9);
        assert_eq!(MemberJoints { ends: 0, ..head }.area(), 0.0);
        let laminated = MemberJoints { length: 2_000.0, scarf: 0.0, ends: 0, plies: 6, ..head };
        assert_eq!(laminated.area(), 5.0 * 2_000.0 * 40.0, "between plies as broad as it is sided");
    }
}
