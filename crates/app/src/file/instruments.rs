//! Instruments that fill the fields of a reading, as one paired with the device would: stand-ins, seeded and marked
//! as simulated wherever their readings are shown.

use mend_keel_core::chance::{Chance, seed_of};
use mend_keel_core::grid::Place;
use mend_keel_core::survey::{FindingKind, Grade};
use mend_keel_exchange::sheet::weather::WeatherRow;
use serde_json::{Value, json};

use crate::file::boat::{BoatFile, Part};

/// What an instrument finds at a place: the fields of the form, by name.
trait Instrument {
    fn fields(&self, wetness: f64, worn: f64, random: &mut Chance) -> Value;
}

/// A pin meter with a temperature probe.
struct PinMeter;

impl Instrument for PinMeter {
    fn fields(&self, wetness: f64, _worn: f64, random: &mut Chance) -> Value {
        let shown = (wetness + 3.0 * (random.unit() - 0.5)).clamp(6.0, 60.0);
        let temperature = 8.0 + 8.0 * random.unit();
        json!({ "method": "meter", "meter": format!("{shown:.1}"), "wood_temperature": format!("{temperature:.0}") })
    }
}

/// A gauge that takes both diameters of a drawn fastening.
struct DrawGauge;

impl Instrument for DrawGauge {
    fn fields(&self, _wetness: f64, worn: f64, random: &mut Chance) -> Value {
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
    let below = part.kind().is_below_waterline() || place.shell().is_some_and(|at| file.is_below_waterline(at));
    let wetness = 14.0 + if below { 5.0 } else { 0.0 } + if near(FindingKind::spreads) { 9.0 } else { 0.0 };
    let worn = if near(|k| k == FindingKind::SickFastening) { 0.3 } else { 0.06 };
    let mut fields = instrument.fields(wetness, worn, &mut Chance::seeded(seed));
    fields["simulated"] = json!("1");
    Some(fields)
}

/// A pin meter on a board in the rack: what it shows and the wood's temperature.
pub fn board_meter(tag: &str, about: f64, taken: u64) -> (f64, f64) {
    let mut random = Chance::seeded(seed_of(tag, taken.wrapping_add(77)));
    // A board dries a little between two readings.
    let shown = (about - 0.6 * random.unit() + 0.8 * (random.unit() - 0.5)).clamp(6.0, 60.0);
    ((shown * 10.0).round() / 10.0, (8.0 + 10.0 * random.unit()).round())
}

/// A shed's logger over a year, hour by hour from a moment on, as its file: warm dry summers, damp winters, days and nights.
pub fn shed_logger(from: jiff::Timestamp, hours: u32, seed: u64) -> Vec<mend_keel_exchange::sheet::rack::AirRow> {
    let mut random = Chance::seeded(seed);
    let mut weather = 0.0;
    (0..hours)
        .filter_map(|h| {
            let at = from.checked_add(jiff::SignedDuration::from_hours(i64::from(h))).ok()?;
            let day = at.to_zoned_datetime(jiff::tz::TimeZone::UTC);
            let year = f64::from(day.day_of_year()) / 365.25;
            let season = -(std::f64::consts::TAU * (year - 0.04)).cos();
            let hour = -(std::f64::consts::TAU * (f64::from(day.hour()) - 3.0) / 24.0).cos();
            weather = 0.985 * weather + 0.35 * (random.unit() - 0.5);
            let temperature = 10.5 + 8.0 * season + 2.5 * hour + 2.0 * weather;
            let humidity =
                (76.0 - 9.0 * season - 6.0 * hour - 6.0 * weather + 3.0 * (random.unit() - 0.5)).clamp(30.0, 97.0);
            let tenth = |v: f64| (v * 10.0).round() / 10.0;
            Some(mend_keel_exchange::sheet::rack::AirRow {
                at: at.to_string(),
                temperature: tenth(temperature),
                humidity: tenth(humidity),
            })
        })
        .collect()
}

/// A forecast, hour by hour from a moment on, as its file: the shed's seasons in the open, with showers and gusts.
pub fn forecast(from: jiff::Timestamp, hours: u32, seed: u64) -> Vec<WeatherRow> {
    let mut random = Chance::seeded(seed_of("forecast", seed));
    let mut shower = 0u32;
    let tenth = |v: f64| (v * 10.0).round() / 10.0;
    shed_logger(from, hours, seed)
        .into_iter()
        .map(|air| {
            if shower == 0 && random.below(40) == 0 {
                shower = 2 + random.below(9);
            }
            shower = shower.saturating_sub(1);
            let wet = shower > 0;
            WeatherRow {
                at: air.at,
                temperature: tenth(air.temperature + 1.5),
                humidity: tenth((air.humidity - 6.0 + if wet { 12.0 } else { 0.0 }).min(98.0)),
                rain: if wet { tenth(0.2 + 1.6 * random.unit()) } else { 0.0 },
                wind: tenth(1.5 + 7.0 * random.unit().powi(3)),
            }
        })
        .collect()
}

/// A merchant's list: every species in three thicknesses, dearer the wider, the longer and the rarer.
pub fn merchant_list(merchant: &str) -> Vec<mend_keel_exchange::sheet::rack::PriceRow> {
    let mut random = Chance::seeded(seed_of(merchant, 5));
    let mut rows = Vec::new();
    for species in mend_keel_core::timber::species::all() {
        let base = 1_100.0
            + 900.0 * f64::from(6 - species.decay) / 2.0
            + if species.trade_controlled() { 2_600.0 } else { 0.0 };
        for (thickness, width, length) in [(27.0, 200.0, 3_600.0), (34.0, 240.0, 4_800.0), (52.0, 280.0, 6_000.0)] {
            let price = base * (0.9 + length / 24_000.0 + 0.15 * random.unit());
            rows.push(mend_keel_exchange::sheet::rack::PriceRow {
                species: species.id.clone(),
                thickness,
                width,
                length,
                per_cubic_metre: (price / 10.0).round() * 10.0,
            });
        }
    }
    rows
}
