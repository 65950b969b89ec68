//! Instruments that fill the fields of a reading, as one paired with the device would: stand-ins, seeded and marked
//! as simulated wherever their readings are shown.

use mend_keel_core::grid::Place;
use mend_keel_core::hull::{SplitMix, seed_of};
use mend_keel_core::survey::{FindingKind, Grade};
use serde_json::{Value, json};

use crate::pages::{BoatFile, Part};

/// What an instrument finds at a place: the fields of the form, by name.
trait Instrument {
    fn fields(&self, wetness: f64, worn: f64, random: &mut SplitMix) -> Value;
}

/// A pin meter with a temperature probe.
struct PinMeter;

impl Instrument for PinMeter {
    fn fields(&self, wetness: f64, _worn: f64, random: &mut SplitMix) -> Value {
        let shown = (wetness + 3.0 * (random.unit() - 0.5)).clamp(6.0, 60.0);
        let temperature = 8.0 + 8.0 * random.unit();
        json!({ "method": "meter", "meter": format!("{shown:.1}"), "wood_temperature": format!("{temperature:.0}") })
    }
}

/// A gauge that takes both diameters of a drawn fastening.
struct DrawGauge;

impl Instrument for DrawGauge {
    fn fields(&self, _wetness: f64, worn: f64, random: &mut SplitMix) -> Value {
        let original = 6.0;
        let left = original * (1.0 - worn * (0.6 + 0.8 * random.unit())).clamp(0.1, 1.0);
        json!({
            "method": "draw_fastening", "original_diameter": format!("{original:.1} mm"),
            "remaining_diameter": format!("{left:.1} mm"), "wood": if worn > 0.25 { "black" } else { "sound" },
        })
    }
}

/// Reads an instrument at a place; `taken` readings were taken on the boat before, so that the next one differs.
/// `None` when there is no such instrument.
pub fn read(name: &str, file: &BoatFile, place: &Place, part: &Part<'_>, taken: u64) -> Option<Value> {
    let instrument: &dyn Instrument = match name {
        "meter" => &PinMeter,
        "gauge" => &DrawGauge,
        _ => return None,
    };
    let seed = seed_of(&place.to_string(), taken);
    // What it "finds" follows what was found there: rot is wet, sick fastenings are thin.
    let near = |kind: fn(FindingKind) -> bool| {
        file.findings.iter().any(|f| f.member_id == part.member_id() && f.grade > Grade::Sound && kind(f.kind))
    };
    let below = part.kind().is_below_waterline() || place.shell().is_some_and(|at| file.is_below_waterline(at.strake));
    let wetness = 14.0 + if below { 5.0 } else { 0.0 } + if near(FindingKind::spreads) { 9.0 } else { 0.0 };
    let worn = if near(|k| k == FindingKind::SickFastening) { 0.3 } else { 0.06 };
    let mut fields = instrument.fields(wetness, worn, &mut SplitMix(seed));
    fields["simulated"] = json!("1");
    Some(fields)
}
