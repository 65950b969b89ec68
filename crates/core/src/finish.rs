//! Finish: coats in order, how much of each, and the earliest hour of each from recoat times.

pub mod coats;
pub mod sun;

use std::sync::LazyLock;

use serde::Deserialize;

use crate::choice::choices;
use crate::error::{self, InputError};
use crate::reason::Reason;

choices! {
    /// The recipes shipped in `data/recipes.csv`.
    Recipe {
        BrightBare = "bright_bare", "Bright from bare wood";
        BrightRefresh = "bright_refresh", "Bright, refresh";
        PaintTopsides = "paint_topsides", "Paint, topsides";
        PaintBottom = "paint_bottom", "Paint, bottom";
    }
}

/// One coat of a recipe at 20 °C. Times in hours, coverage in m² per litre.
#[derive(Debug, Clone, PartialEq, Deserialize)]
pub struct Step {
    pub recipe: Recipe,
    pub step: String,
    pub product: String,
    pub thinning_percent: f64,
    /// Sand with this grit first.
    pub grit_before: Option<u32>,
    pub coverage: f64,
    pub touch_dry: f64,
    pub recoat_min: f64,
    /// Beyond it the coat must be sanded before the next.
    pub recoat_max: Option<f64>,
    /// Dew does no harm from then on.
    pub dew_safe: f64,
    /// °C, while it is laid and dries.
    pub temperature_min: f64,
    pub temperature_max: f64,
    /// %, while it is laid and dries.
    pub humidity_max: f64,
    /// Hours of one painter a m²: laying it, and sanding before it.
    pub coat_hours: f64,
    pub sand_hours: f64,
}

static STEPS: LazyLock<Vec<Step>> = LazyLock::new(|| {
    csv::ReaderBuilder::new()
        .comment(Some(b'#'))
        .from_reader(include_str!("../data/recipes.csv").as_bytes())
        .deserialize()
        .collect::<Result<_, _>>()
        .expect("the shipped recipes are checked by a test")
});

impl Recipe {
    /// The coats in order.
    pub fn steps(self) -> impl Iterator<Item = &'static Step> {
        STEPS.iter().filter(move |step| step.recipe == self)
    }
}

/// A coat planned on an area.
#[derive(Debug, Clone, PartialEq)]
pub struct Coat {
    pub step: &'static Step,
    pub litres: f64,
    pub thinners: f64,
    /// Hours after the first coat at which this one may go on at the earliest.
    pub earliest: f64,
    /// Hours after the first coat beyond which the one below must be sanded first.
    pub latest: Option<f64>,
    /// It is dry to the touch this many hours after it went on.
    pub touch_dry: f64,
}

/// Coats, quantities and earliest times.
#[derive(Debug, Clone, PartialEq)]
pub struct Plan {
    pub coats: Vec<Coat>,
    pub litres: f64,
    pub reasons: Vec<Reason>,
}

/// A tenth more than area / coverage.
pub const LOSS: f64 = 1.1;
/// Above this humidity, %, everything takes longer …
pub const DAMP_FROM: f64 = 75.0;
/// … by this factor.
pub const DAMP_FACTOR: f64 = 1.3;

/// How much longer than at 20 °C a coat or a cure takes: `2^((20 − T)/10)`, × 1.3 above 75 % humidity.
pub fn time_factor(temperature: f64, humidity: f64) -> f64 {
    2f64.powf((20.0 - temperature) / 10.0) * if humidity > DAMP_FROM { DAMP_FACTOR } else { 1.0 }
}

/// Dew point in °C (Magnus): `γ = ln(RH/100) + 17.62T/(243.12+T)`, `Td = 243.12γ/(17.62−γ)`.
pub fn dew_point(temperature: f64, humidity: f64) -> f64 {
    let gamma = (humidity / 100.0).ln() + 17.62 * temperature / (243.12 + temperature);
    243.12 * gamma / (17.62 - gamma)
}

/// Refuses air that no coat meets. Errors name `temperature` (°C) or `humidity` (%).
pub fn check_air(temperature: f64, humidity: f64) -> Result<(), InputError> {
    error::within("temperature", temperature, -60.0, 70.0)?;
    error::within("humidity", humidity, 0.1, 100.0)?;
    Ok(())
}

/// Hours a drying of `at20` hours at 20 °C takes in this air. Errors name `at20`, `temperature` or `humidity`.
pub fn drying(at20: f64, temperature: f64, humidity: f64) -> Result<f64, InputError> {
    error::within("at20", at20, 0.0, 1e5)?;
    check_air(temperature, humidity)?;
    Ok(at20 * time_factor(temperature, humidity))
}

/// Plans a recipe on `area` m² at a steady temperature (°C) and humidity (%).
pub fn plan(recipe: Recipe, area: f64, temperature: f64, humidity: f64) -> Result<Plan, InputError> {
    error::positive("area", area)?;
    error::within("area", area, 0.0, 10_000.0)?;
    error::within("temperature", temperature, 5.0, 35.0)?;
    error::within("humidity", humidity, 1.0, 95.0)?;
    let factor = time_factor(temperature, humidity);
    let mut earliest = 0.0;
    let mut latest = None;
    let mut coats: Vec<Coat> = Vec::new();
    for step in recipe.steps() {
        let litres = area / step.coverage * LOSS;
        coats.push(Coat {
            step,
            litres,
            thinners: litres * step.thinning_percent / 100.0,
            earliest,
            latest,
            touch_dry: step.touch_dry * factor,
        });
        latest = step.recoat_max.map(|max| earliest + max * factor);
        earliest += step.recoat_min * factor;
    }
    let dew = dew_point(temperature, humidity);
    let mut reasons = vec![
        Reason::note("finish.time", "drying and recoat times follow the temperature")
            .formula("t(T) = t20 × 2^((20 − T)/10), × 1.3 above 75 % humidity")
            .value("temperature", temperature, "°C")
            .value("humidity", humidity, "%")
            .value("times longer than at 20 °C", factor, ""),
        Reason::note("finish.amount", "area over coverage and a tenth more")
            .formula("litres = area / coverage × 1.1")
            .value("area", area, "m²"),
    ];
    let margin = temperature - dew;
    let verdict = if margin >= 3.0 { crate::Verdict::For } else { crate::Verdict::Forbids };
    reasons.push(
        Reason::new("finish.dew", verdict, "the surface must stay 3 °C above the dew point for the whole drying time")
            .formula("γ = ln(RH/100) + 17.62T/(243.12+T); Td = 243.12γ/(17.62−γ)")
            .source("Magnus")
            .against("above the dew point", margin, "°C", 3.0),
    );
    Ok(Plan { litres: coats.iter().map(|c| c.litres).sum(), coats, reasons })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_shipped_recipes_are_whole() {
        for recipe in Recipe::ALL {
            let steps: Vec<_> = recipe.steps().collect();
            assert!(steps.len() >= 2, "{}", recipe.label());
            for step in steps {
                assert!(step.coverage > 0.0 && step.touch_dry > 0.0 && step.recoat_min >= step.touch_dry);
                assert!(step.recoat_max.is_none_or(|max| max > step.recoat_min));
            }
        }
        let full_coats = Recipe::BrightBare.steps().filter(|s| s.thinning_percent == 0.0).count();
        assert!(full_coats >= 8, "at least eight full coats outdoors");
    }

    #[test]
    fn ten_degrees_colder_takes_twice_as_long() {
        let warm = plan(Recipe::PaintBottom, 10.0, 20.0, 60.0).unwrap();
        let cold = plan(Recipe::PaintBottom, 10.0, 10.0, 60.0).unwrap();
        let hours = |plan: &Plan| plan.coats.iter().map(|c| c.earliest).collect::<Vec<_>>();
        assert_eq!(hours(&warm), [0.0, 12.0, 24.0, 30.0]);
        assert_eq!(hours(&cold), [0.0, 24.0, 48.0, 60.0]);
        assert!((warm.coats[0].litres - 10.0 / 8.0 * 1.1).abs() < 1e-12);
    }

    #[test]
    fn saturated_air_is_refused_by_the_dew_rule() {
        let damp = plan(Recipe::BrightBare, 2.0, 12.0, 92.0).unwrap();
        assert!(damp.reasons.iter().any(|r| r.rule == "finish.dew" && r.verdict == crate::Verdict::Forbids));
        assert!((dew_point(20.0, 50.0) - 9.26).abs() < 0.01);
    }
}
