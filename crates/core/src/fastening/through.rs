//! What goes right through: rivets, clench nails, bolts; which kind at a place; bedding and backing of fittings.

use serde::{Deserialize, Serialize};

use crate::choice::choices;
use crate::error::{self, InputError};
use crate::reason::{Reason, Verdict};
use crate::units::{LengthUnit, MM_PER_INCH};

choices! {
    /// A kind of fastening.
    Kind {
        Screw = "screw", "Screw";
        Rivet = "rivet", "Copper nail and rove";
        Clench = "clench", "Clench nail";
        Bolt = "bolt", "Bolt";
        Trenail = "trenail", "Trenail";
    }
}

/// What is known of a place that is to be fastened.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct At {
    /// Somebody can reach its inner side.
    pub inside: bool,
    /// A lap edge between two frames.
    pub lap: bool,
    /// What was there.
    pub original: Option<Kind>,
    /// It carries a fitting or joins backbone members.
    pub structural: bool,
}

/// Which kind, and why. Source: handbook 05.
pub fn choose(at: At) -> (Kind, Vec<Reason>) {
    let why = |verdict, text: &str| Reason::new("fasten.kind", verdict, text).source("handbook 05");
    let by_access = match (at.inside, at.lap, at.structural) {
        (_, true, _) => (Kind::Rivet, "a lap edge between frames is riveted or clenched"),
        (true, _, true) => (Kind::Bolt, "reached from inside and it carries load: a bolt"),
        (true, ..) => (Kind::Rivet, "reached from inside: rivet or bolt"),
        (false, ..) => {
            (Kind::Screw, "no access behind: floors, bulkheads, lining or the turn of the bilge are in the way")
        }
    };
    let mut reasons = vec![why(Verdict::Note, by_access.1)];
    match at.original {
        Some(kind) if kind != by_access.0 => {
            let needs_inside = matches!(kind, Kind::Rivet | Kind::Clench | Kind::Bolt);
            if needs_inside && !at.inside {
                reasons.push(why(Verdict::Against, "the original kind needs access behind, and there is none"));
                (by_access.0, reasons)
            } else {
                reasons.push(why(Verdict::For, "renewal keeps the original kind: no rule speaks against it"));
                (kind, reasons)
            }
        }
        _ => (by_access.0, reasons),
    }
}

/// The table of nails ends here: thicker planking, mm, is bolted.
pub const THICKEST_NAILED: f64 = 28.0;
/// Nail shank by plank thickness, mm, handbook 05.
const NAILS: [(f64, f64); 4] = [(10.0, 3.0), (16.0, 3.5), (22.0, 4.5), (THICKEST_NAILED, 5.5)];
/// Thickness of a rove, mm (*yard rule*).
pub const ROVE: f64 = 1.2;

/// A copper nail, riveted over a rove or clenched. mm.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Nail {
    pub shank: f64,
    pub length: f64,
    /// Drill: a tight fit for a square nail is its thickness (*yard rule*: 0.95).
    pub drill: f64,
}

/// The shank for a plank: that of the nearest thickness of the table.
pub fn nail_shank(plank: f64) -> f64 {
    NAILS.iter().min_by(|a, b| (a.0 - plank).abs().total_cmp(&(b.0 - plank).abs())).map_or(3.0, |n| n.1)
}

/// The nail two sizes up in the table; `None` past its end.
pub fn nail_up(shank: f64) -> Option<f64> {
    let here = NAILS.iter().position(|n| n.1 >= shank - 1e-9)?;
    NAILS.get(here + 2).map(|n| n.1)
}

/// Diameters of the bolts a yard buys, mm: by the millimetre or of inch threads, as it measures.
fn bolt_sizes(unit: LengthUnit) -> Vec<f64> {
    match unit {
        LengthUnit::Millimetre => BOLTS.iter().map(|b| b.0).collect(),
        LengthUnit::Inch => INCH_BOLTS.iter().map(|b| b.0 * MM_PER_INCH).collect(),
    }
}

/// The next thicker bolt of the same kind of thread.
pub fn bolt_up(diameter: f64) -> Option<f64> {
    let inch = Thread::of(diameter).is_some_and(|t| t.inch);
    let unit = if inch { LengthUnit::Inch } else { LengthUnit::Millimetre };
    bolt_sizes(unit).into_iter().find(|d| *d > diameter + 1e-9)
}

/// The bolt for a plank, mm: of those bought in this unit the one nearest to the shank of its screw (*yard rule*).
pub fn bolt_for(screw_shank: f64, unit: LengthUnit) -> f64 {
    let off = |d: &f64| (d - screw_shank).abs();
    bolt_sizes(unit).into_iter().min_by(|a, b| off(a).total_cmp(&off(b))).unwrap_or(screw_shank)
}

/// The metal for a kind of fastening, and why: an id of the table of metals. Source: handbook 05.
pub fn metal(kind: Kind, below_waterline: bool) -> (&'static str, Vec<Reason>) {
    let why = |text: &str| vec![Reason::note("fasten.metal", text).source("handbook 05")];
    match (kind, below_waterline) {
        (Kind::Rivet | Kind::Clench, _) => {
            ("copper", why("copper is soft enough to be riveted and clenched, and lasts 60 to 80 years"))
        }
        (_, true) => (
            "silicon_bronze",
            why("below the waterline: silicon bronze, 50 years and more; stainless is starved of oxygen in wet wood"),
        ),
        (_, false) => ("silicon_bronze", why("silicon bronze, 50 years and more; 316 is allowed up here")),
    }
}

/// What speaks for or against a kind of fastening being of a metal. Source: handbook 05.
pub fn judge_metal(kind: Kind, metal: &str, below_waterline: bool) -> Reason {
    let stainless = metal.starts_with("stainless");
    let iron = matches!(metal, "mild_steel" | "cast_iron" | "galvanised_steel");
    let (verdict, text) = match (kind, metal) {
        _ if stainless && below_waterline => {
            (Verdict::Forbids, "stainless in wet wood is starved of oxygen and rots: bronze below the waterline")
        }
        (_, "stainless_304") => (Verdict::Forbids, "304 has no place on a boat in salt water"),
        (_, "yellow_brass") => (Verdict::Forbids, "yellow brass in wood loses its zinc and crumbles"),
        (Kind::Rivet | Kind::Clench, "copper") => (Verdict::For, "copper is soft enough to be riveted and clenched"),
        (Kind::Rivet | Kind::Clench, _) => {
            (Verdict::Forbids, "it is too hard to rivet over a rove or to clench: copper")
        }
        (_, "copper") => (Verdict::Forbids, "copper is too soft to be driven with a thread"),
        _ if iron => (Verdict::Against, "iron in oak rots both: 25 to 30 years when it is galvanised"),
        _ => (Verdict::For, "lasts in wet wood"),
    };
    Reason::new("fasten.metal", verdict, text).source("handbook 05")
}

/// A nail through a plank and what is behind it. Errors name `plank_thickness` or `behind`.
///
/// Rivet: plank + behind + 1.5 × shank + rove; clench: stack + 4 × shank.
pub fn nail(plank_thickness: f64, behind: f64, kind: Kind) -> Result<Nail, InputError> {
    error::length("plank_thickness", plank_thickness)?;
    error::within("behind", behind, 0.0, error::LENGTH_LIMIT_MM)?;
    let shank = nail_shank(plank_thickness);
    let stack = plank_thickness + behind;
    let length = match kind {
        Kind::Clench => stack + 4.0 * shank,
        _ => stack + 1.5 * shank + ROVE,
    };
    Ok(Nail { shank, length, drill: 0.95 * shank })
}

/// Thread pitch and nut height of metric bolts, mm.
const BOLTS: [(f64, f64, f64); 7] = [
    (5.0, 0.8, 4.7),
    (6.0, 1.0, 5.2),
    (8.0, 1.25, 6.8),
    (10.0, 1.5, 8.4),
    (12.0, 1.75, 10.8),
    (16.0, 2.0, 14.8),
    (20.0, 2.5, 18.0),
];
/// Bolts of the unified coarse thread: diameter in inches, threads to the inch, height of a finished hexagon nut in inches.
const INCH_BOLTS: [(f64, f64, f64); 9] = [
    (0.25, 20.0, 7.0 / 32.0),
    (0.3125, 18.0, 17.0 / 64.0),
    (0.375, 16.0, 21.0 / 64.0),
    (0.4375, 14.0, 0.375),
    (0.5, 13.0, 0.4375),
    (0.625, 11.0, 35.0 / 64.0),
    (0.75, 10.0, 41.0 / 64.0),
    (0.875, 9.0, 0.75),
    (1.0, 8.0, 55.0 / 64.0),
];
/// Longest bolt of an inch thread that is sold; up to 4 in by quarters, then by halves, inches.
const LONGEST_INCH: f64 = 12.0;

/// A bolt's thread, mm.
struct Thread {
    pitch: f64,
    nut: f64,
    inch: bool,
}

impl Thread {
    /// Metric, or of an inch thread where the diameter is one of those: no two of them lie nearer than 0.06 mm.
    fn of(diameter: f64) -> Option<Self> {
        let metric = BOLTS.iter().find(|b| (b.0 - diameter).abs() < 0.02);
        if let Some((_, pitch, nut)) = metric {
            return Some(Self { pitch: *pitch, nut: *nut, inch: false });
        }
        let inch = INCH_BOLTS.iter().find(|b| (b.0 * MM_PER_INCH - diameter).abs() < 0.02)?;
        Some(Self { pitch: MM_PER_INCH / inch.1, nut: inch.2 * MM_PER_INCH, inch: true })
    }

    /// The next length that is sold, mm.
    fn sold(&self, needed: f64) -> Option<f64> {
        if !self.inch {
            return BOLT_LENGTHS.into_iter().find(|l| *l >= needed - 1e-9);
        }
        let inches = needed / MM_PER_INCH;
        let step = if inches <= 4.0 { 0.25 } else { 0.5 };
        let length = ((inches / step - 1e-9).ceil() * step).max(0.5);
        (length <= LONGEST_INCH).then_some(length * MM_PER_INCH)
    }
}

/// Lengths bolts are sold in, mm.
const BOLT_LENGTHS: [f64; 31] = [
    16.0, 20.0, 25.0, 30.0, 35.0, 40.0, 45.0, 50.0, 55.0, 60.0, 65.0, 70.0, 75.0, 80.0, 90.0, 100.0, 110.0, 120.0,
    130.0, 140.0, 150.0, 160.0, 180.0, 200.0, 220.0, 240.0, 260.0, 280.0, 300.0, 350.0, 400.0,
];
/// Bedding counts this much in a stack, mm.
pub const BEDDING: f64 = 1.0;

/// A layer a bolt goes through.
#[derive(Debug, Clone, PartialEq)]
pub struct Layer {
    pub name: String,
    pub thickness: f64,
}

/// A bolt for a stack. mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Bolt {
    pub grip: f64,
    /// As needed, and as sold; `None`: cut it from rod.
    pub needed: f64,
    pub length: Option<f64>,
    pub tapping_drill: f64,
    pub clearance_drill: f64,
    /// Through cored or plywood decks: bored oversize, filled, bored again.
    pub oversize: f64,
    /// Backing plate, square: side, and thickness in metal or in plywood.
    pub plate: (f64, f64, f64),
    pub reasons: Vec<Reason>,
}

/// Plans a bolt through a stack of layers with washers and, where `bedded`, 1 mm of bedding: metric, or of the unified coarse thread where
/// the diameter is one of its own. Errors name `diameter`, `layers[i].thickness` or
/// `washers`.
pub fn bolt(diameter: f64, layers: &[Layer], washers: f64, bedded: bool) -> Result<Bolt, InputError> {
    let Some(thread) = Thread::of(diameter) else {
        let sizes: Vec<String> = BOLTS.iter().map(|b| format!("{}", b.0)).collect();
        let message = format!("must be one of {} mm, or an inch bolt from 1/4 to 1 in", sizes.join(", "));
        return Err(InputError::new("diameter", message));
    };
    let (d, pitch, nut) = (diameter, thread.pitch, thread.nut);
    if layers.is_empty() || layers.len() > 40 {
        return Err(InputError::new("layers", "needs 1 to 40 layers"));
    }
    for (i, layer) in layers.iter().enumerate() {
        error::length("thickness", layer.thickness).map_err(|e| e.within(&format!("layers[{i}]")))?;
    }
    error::within("washers", washers, 0.0, 50.0)?;
    let grip = layers.iter().map(|l| l.thickness).sum::<f64>() + washers + if bedded { BEDDING } else { 0.0 };
    let needed = grip + nut + 2.0 * pitch;
    let length = thread.sold(needed);
    let reasons = vec![
        Reason::note("bolt.length", "grip, nut and two threads, rounded up to a length that is sold")
            .formula("Σ layers + washers + bedding 1 mm + nut + 2 × pitch")
            .source("handbook 05")
            .value("grip", grip, "mm")
            .value("nut", nut, "mm")
            .value("pitch", pitch, "mm"),
        Reason::note(
            "bolt.oversize",
            "through cored or plywood decks: bore oversize, fill with thickened epoxy, bore again when it has cured",
        )
        .source("handbook 05")
        .value("oversize hole", oversize(d), "mm"),
    ];
    Ok(Bolt {
        grip,
        needed,
        length,
        tapping_drill: d - pitch,
        clearance_drill: d * 1.05,
        oversize: oversize(d),
        plate: (6.0 * d, (d / 2.0).max(3.0), (1.5 * d).max(9.0)),
        reasons,
    })
}

/// Hole that is filled and bored again: twice the bolt, at least 8 mm more (*yard rule*).
fn oversize(d: f64) -> f64 {
    (2.0 * d).max(d + 8.0)
}

choices! {
    /// What a fitting is bedded on.
    Surface {
        Wood = "wood", "Bare or painted wood";
        OilyWood = "oily_wood", "Oily wood";
        Plastic = "plastic", "Plastic";
        Metal = "metal", "Metal";
    }
}

/// What to bed a fitting in, and why. Source: handbook 04 and 05.
pub fn bedding(surface: Surface, comes_apart: bool, below_waterline: bool) -> (&'static str, Vec<Reason>) {
    let why = |verdict, text: &str| Reason::new("bolt.bedding", verdict, text).source("handbook 04");
    let mut reasons = Vec::new();
    let with = match (comes_apart, below_waterline, surface) {
        (true, _, Surface::Plastic) => "butyl",
        (true, true, _) => "polysulphide",
        (true, false, _) => "butyl or polysulphide",
        (false, ..) => "polyurethane adhesive sealant",
    };
    reasons.push(why(
        Verdict::Note,
        if comes_apart {
            "it must come apart again: bedding that can be undone"
        } else {
            "it stays: permanent bedding, never in a working carvel seam"
        },
    ));
    if surface == Surface::Plastic && comes_apart {
        reasons.push(why(Verdict::Against, "polysulphide attacks some plastics: butyl"));
    }
    if surface == Surface::OilyWood {
        reasons.push(why(Verdict::Note, "oily wood: a fresh surface, wiped with solvent, bedded within the hour; or a sealed epoxy land bedded in butyl"));
    }
    (with, reasons)
}

/// A fitting bolted through, as it is kept. Lengths in mm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Fitting {
    pub diameter: f64,
    pub layers: Vec<(String, f64)>,
    pub washers: f64,
    pub surface: Surface,
    pub comes_apart: bool,
    pub below: bool,
    pub holes: Vec<[f64; 2]>,
    pub note: String,
    /// Id of the table of metals, and a place on the shell: what the metals check needs.
    #[serde(default)]
    pub metal: Option<String>,
    #[serde(default)]
    pub place: Option<String>,
    /// It goes through a cored or plywood deck: bored oversize, filled, bored again.
    #[serde(default)]
    pub cored: bool,
}

impl Fitting {
    /// Its bolt. Errors as [`bolt`].
    pub fn bolt(&self) -> Result<Bolt, InputError> {
        let layers: Vec<Layer> =
            self.layers.iter().map(|(name, t)| Layer { name: name.clone(), thickness: *t }).collect();
        bolt(self.diameter, &layers, self.washers, true)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn a_rivet_through_plank_and_rib_is_cut_off_a_diameter_and_a_half_over_the_rove() {
        let rivet = nail(9.0, 12.0, Kind::Rivet).unwrap();
        assert_eq!((rivet.shank, rivet.length), (3.0, 9.0 + 12.0 + 4.5 + 1.2));
        assert_eq!(nail(22.0, 30.0, Kind::Clench).unwrap().length, 52.0 + 18.0);
        assert_eq!(nail(0.0, 30.0, Kind::Clench).unwrap_err().field, "plank_thickness");
    }

    #[test]
    fn an_inch_bolt_has_its_own_thread_and_lengths() {
        // 3/8 in, 16 threads: tapped by the published 5/16 in drill within a twentieth.
        let stack = [Layer { name: "deck".into(), thickness: 25.4 }, Layer { name: "pad".into(), thickness: 25.4 }];
        let b = bolt(9.525, &stack, 3.0, false).unwrap();
        assert!((b.tapping_drill / MM_PER_INCH - 0.3125).abs() < 0.001, "{}", b.tapping_drill);
        // 2 in of wood, washers, nut and two threads come to 2.57 in: sold at 2 3/4.
        assert!((b.length.unwrap() / MM_PER_INCH - 2.75).abs() < 1e-9, "{:?}", b.length);
        let long = bolt(25.4, &[Layer { name: "keel".into(), thickness: 150.0 }], 0.0, false).unwrap();
        assert!((long.length.unwrap() / MM_PER_INCH - 7.5).abs() < 1e-9, "{:?}", long.length);
        assert_eq!(bolt(12.7, &[Layer { name: "keel".into(), thickness: 300.0 }], 0.0, false).unwrap().length, None);
        // Sixteen millimetres and five eighths are two bolts, near as they lie.
        let (metric, inch) = (bolt(16.0, &stack, 0.0, false).unwrap(), bolt(15.875, &stack, 0.0, false).unwrap());
        assert!((metric.tapping_drill - 14.0).abs() < 1e-9 && (inch.tapping_drill - 13.566).abs() < 0.001);
        let told = bolt(11.0, &stack, 0.0, false).unwrap_err();
        assert!(told.field == "diameter" && told.message.contains("inch bolt"), "{told:?}");
    }

    #[test]
    fn a_bolt_through_a_deck_a_pad_and_a_plate_is_the_next_length_that_is_sold() {
        let layers = [("deck", 22.0), ("pad", 18.0), ("plate", 5.0)]
            .map(|(name, thickness)| Layer { name: name.into(), thickness });
        let b = bolt(8.0, &layers, 3.0, true).unwrap();
        // 45 + 3 + 1 = 49 grip; 49 + 6.8 + 2.5 = 58.3.
        assert!((b.grip - 49.0).abs() < 1e-9 && (b.needed - 58.3).abs() < 1e-9);
        assert_eq!((b.length, b.tapping_drill, b.clearance_drill), (Some(60.0), 6.75, 8.4));
        assert_eq!(bolt(7.0, &layers, 0.0, false).unwrap_err().field, "diameter");
        assert_eq!(bolt(20.0, &[Layer { name: "keel".into(), thickness: 900.0 }], 0.0, false).unwrap().length, None);
    }

    #[test]
    fn the_original_kind_is_kept_where_it_can_be_reached() {
        let at = At { inside: true, lap: false, original: Some(Kind::Screw), structural: false };
        assert_eq!(choose(at).0, Kind::Screw);
        assert_eq!(choose(At { inside: false, original: Some(Kind::Rivet), ..at }).0, Kind::Screw);
        assert_eq!(choose(At { lap: true, original: None, ..at }).0, Kind::Rivet);
        assert_eq!(choose(At { structural: true, original: None, ..at }).0, Kind::Bolt);
    }

    #[test]
    fn each_kind_is_of_a_metal_that_can_be_worked_and_lasts_where_it_is() {
        for kind in [Kind::Screw, Kind::Rivet, Kind::Clench, Kind::Bolt] {
            for below in [true, false] {
                assert_eq!(judge_metal(kind, metal(kind, below).0, below).verdict, Verdict::For);
            }
        }
        assert_eq!(judge_metal(Kind::Screw, "stainless_316", true).verdict, Verdict::Forbids);
        assert_eq!(judge_metal(Kind::Screw, "stainless_316", false).verdict, Verdict::For);
        assert_eq!(judge_metal(Kind::Rivet, "silicon_bronze", false).verdict, Verdict::Forbids);
        assert_eq!(judge_metal(Kind::Bolt, "yellow_brass", false).verdict, Verdict::Forbids);
        assert_eq!((nail_up(3.0), nail_up(4.5), bolt_up(6.0), bolt_up(20.0)), (Some(4.5), None, Some(8.0), None));
        // Number 14 is 6.15 mm: of inch bolts a quarter is nearest, and the next are 5/16 and 3/8.
        let shank = crate::fastening::shank(14);
        assert_eq!(bolt_for(shank, LengthUnit::Millimetre), 6.0);
        assert_eq!(bolt_for(shank, LengthUnit::Inch), 6.35);
        let up = |inches: f64| bolt_up(inches * MM_PER_INCH).map(|mm| (mm / MM_PER_INCH * 1e4).round() / 1e4);
        assert_eq!((up(0.25), up(0.3125), up(1.0)), (Some(0.3125), Some(0.375), None));
        // Without a size near it: the thinnest and the thickest there are.
        assert_eq!((bolt_for(0.0, LengthUnit::Inch), bolt_for(90.0, LengthUnit::Millimetre)), (6.35, 20.0));
    }

    #[test]
    fn what_must_come_apart_is_never_glued_down() {
        for surface in Surface::ALL {
            assert!(!bedding(*surface, true, false).0.contains("polyurethane"));
        }
        assert_eq!(bedding(Surface::Plastic, true, true).0, "butyl");
    }

    proptest! {
        #[test]
        fn a_bolt_always_reaches_through_its_nut(layers in proptest::collection::vec(1.0..60.0f64, 1..6), washers in 0.0..6.0f64) {
            let stack: Vec<Layer> = layers.iter().map(|t| Layer { name: String::new(), thickness: *t }).collect();
            let b = bolt(10.0, &stack, washers, true).unwrap();
            prop_assert!(b.length.is_none_or(|l| l >= b.needed - 1e-9));
            prop_assert!(b.needed > b.grip && b.oversize > b.clearance_drill && b.clearance_drill > b.tapping_drill);
        }
    }
}
