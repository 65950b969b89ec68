//! Moisture: what the air will bring wood to, and what a pin meter really says.

use serde::Serialize;

use crate::error::{self, InputError};

/// Moisture content wood comes to in still air, % (Wood Handbook eq. 4-5).
///
/// `temperature` in °C, −10 … 60; `humidity` in %, 0 … 98.
pub fn equilibrium(temperature: f64, humidity: f64) -> Result<f64, InputError> {
    let t = error::within("temperature", temperature, -10.0, 60.0)?;
    let h = error::within("humidity", humidity, 0.0, 98.0)? / 100.0;
    let w = 349.0 + 1.29 * t + 0.0135 * t * t;
    let k = 0.805 + 0.000_736 * t - 0.000_002_73 * t * t;
    let k1 = 6.27 - 0.009_38 * t - 0.000_303 * t * t;
    let k2 = 1.91 + 0.0407 * t - 0.000_293 * t * t;
    let kh = k * h;
    let second = k1 * k2 * kh * kh;
    Ok(1800.0 / w * (kh / (1.0 - kh) + (k1 * kh + 2.0 * second) / (1.0 + k1 * kh + second)))
}

/// What a moisture content means for the work (*yard rule*).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum MoistureClass {
    /// ≤ 12 %: ready to glue or varnish.
    Ready,
    /// ≤ 16 %: ready for paint and bedding, glue with care.
    Paint,
    /// ≤ 20 %: too wet to glue.
    TooWet,
    /// ≤ 28 %: decay can start.
    DecayRisk,
    /// Above: decay is active where air gets in.
    Wet,
}

impl MoistureClass {
    pub fn of(moisture: f64) -> Self {
        match moisture {
            m if m <= 12.0 => Self::Ready,
            m if m <= GLUE_LIMIT => Self::Paint,
            m if m <= 20.0 => Self::TooWet,
            m if m <= 28.0 => Self::DecayRisk,
            _ => Self::Wet,
        }
    }

    pub fn label(self) -> &'static str {
        match self {
            Self::Ready => "ready to glue or varnish",
            Self::Paint => "ready for paint and bedding, glue with care",
            Self::TooWet => "too wet to glue",
            Self::DecayRisk => "decay can start",
            Self::Wet => "wet: decay is active where air gets in",
        }
    }
}

/// Wood wetter than this, %, is neither glued nor patched over (*yard rule*).
pub const GLUE_LIMIT: f64 = 16.0;

/// Above this a pin meter only says "wet".
pub const METER_LIMIT: f64 = 25.0;

/// A corrected pin-meter reading.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Corrected {
    pub moisture: f64,
    pub class: MoistureClass,
    /// The figure only says that the wood is wet.
    pub only_wet: bool,
}

/// Corrects a pin-meter reading (%) for wood temperature (°C) and species (Garrahan 1988):
/// `MC = (R + 0.567 − 0.0260t + 0.000051t²) / (0.881·1.0056^t)`, then adds the species offset.
pub fn correct_meter(reading: f64, wood_temperature: f64, species_offset: f64) -> Result<Corrected, InputError> {
    error::within("reading", reading, 0.0, 100.0)?;
    let t = error::within("wood_temperature", wood_temperature, -20.0, 60.0)?;
    error::within("species_offset", species_offset, -15.0, 15.0)?;
    let moisture = (reading + 0.567 - 0.0260 * t + 0.000_051 * t * t) / (0.881 * 1.0056f64.powf(t)) + species_offset;
    Ok(Corrected { moisture, class: MoistureClass::of(moisture), only_wet: moisture > METER_LIMIT })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn a_dry_shed_brings_wood_to_nine_percent() {
        assert!((equilibrium(20.0, 50.0).unwrap() - 9.271_140_71).abs() < 1e-8);
        assert_eq!(equilibrium(20.0, 99.0).unwrap_err().field, "humidity");
    }

    #[test]
    fn cold_wood_is_wetter_than_the_meter_says() {
        let read = correct_meter(12.0, 5.0, 0.0).unwrap();
        assert_eq!(read.class, MoistureClass::Paint);
        assert!((read.moisture - 13.729_601_2).abs() < 1e-6 && !read.only_wet);
        assert!(correct_meter(30.0, 10.0, 0.0).unwrap().only_wet);
    }

    proptest! {
        #[test]
        fn damper_air_never_dries_wood(t in -10.0..60.0f64, a in 0.0..98.0f64, b in 0.0..98.0f64) {
            let (low, high) = (a.min(b), a.max(b));
            prop_assert!(equilibrium(t, low).unwrap() <= equilibrium(t, high).unwrap() + 1e-9);
        }
    }
}
