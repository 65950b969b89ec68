//! Finish: coats in order, how much of each, and the earliest hour of each from recoat times.

pub mod area;
pub mod coats;
pub mod lay;
pub mod sun;
pub mod upkeep;

use std::collections::BTreeMap;
use std::sync::LazyLock;

use serde::{Deserialize, Serialize};

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
        BrightStained = "bright_stained", "Bright from bare wood, bleached and stained";
        PaintDeck = "paint_deck", "Paint, deck";
        Interior = "interior", "Interior, satin varnish";
        Sole = "sole", "Sole, two-part";
        Oil = "oil", "Oil, wiped";
        SheathedSpar = "sheathed_spar", "Paint over cloth, spar";
        SmallParts = "small_parts", "Small parts, water-based";
    }
}

choices! {
    /// What a product is made of: what may lie over what follows from it.
    Base {
        OnePart = "one_part", "one-part";
        TwoPart = "two_part", "two-part";
        Water = "water", "water-based";
        Oil = "oil", "oil";
        /// Leaves no film: bleach, neutraliser.
        Wash = "wash", "a wash, no film";
    }
}

/// One coat of a recipe at 20 °C. Times in hours, coverage in m² per litre.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Step {
    /// The shipped recipe it is of; `None` in a yard's own.
    pub recipe: Option<Recipe>,
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
    pub base: Base,
    /// Hours until slings, fenders and water may touch it.
    pub full_cure: f64,
}

/// Most coats of a recipe.
pub const MOST_COATS: usize = 40;

impl Step {
    /// Refuses a coat that cannot be. Errors name the field.
    pub fn check(&self) -> Result<(), InputError> {
        if self.step.trim().is_empty() {
            return Err(InputError::new("step", "give the coat a name"));
        }
        error::within("thinning_percent", self.thinning_percent, 0.0, 100.0)?;
        error::within("coverage", self.coverage, 0.1, 100.0)?;
        error::within("touch_dry", self.touch_dry, 0.1, 1_000.0)?;
        error::within("recoat_min", self.recoat_min, 0.1, 2_000.0)?;
        error::within("dew_safe", self.dew_safe, 0.0, 1_000.0)?;
        error::within("temperature_min", self.temperature_min, -20.0, 50.0)?;
        error::within("temperature_max", self.temperature_max, -20.0, 60.0)?;
        error::within("humidity_max", self.humidity_max, 1.0, 100.0)?;
        error::within("coat_hours", self.coat_hours, 0.001, 100.0)?;
        error::within("sand_hours", self.sand_hours, 0.0, 100.0)?;
        error::within("full_cure", self.full_cure, 0.1, 10_000.0)?;
        let wrong = |field: &str, says: &str| Err(InputError::new(field, says));
        if self.recoat_min < self.touch_dry {
            return wrong("recoat_min", "no coat goes on before the one below is dry to the touch");
        }
        if self.recoat_max.is_some_and(|max| !max.is_finite() || max <= self.recoat_min) {
            return wrong(
                "recoat_max",
                "must be later than the earliest recoat; leave it empty where there is no limit",
            );
        }
        if self.temperature_max <= self.temperature_min {
            return wrong("temperature_max", "must be above the lowest");
        }
        if self.grit_before.is_some_and(|grit| !(16..=5_000).contains(&grit)) {
            return wrong("grit_before", "grits go from 16 to 5000");
        }
        Ok(())
    }
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
    pub fn steps(self) -> Vec<Step> {
        STEPS.iter().filter(|step| step.recipe == Some(self)).cloned().collect()
    }
}

/// A coat planned on an area.
#[derive(Debug, Clone, PartialEq)]
pub struct Coat {
    pub step: Step,
    pub litres: f64,
    pub thinners: f64,
    /// Hours after the first coat at which this one may go on at the earliest.
    pub earliest: f64,
    /// Hours after the first coat beyond which the one below must be sanded first.
    pub latest: Option<f64>,
    /// It is dry to the touch this many hours after it went on.
    pub touch_dry: f64,
}

/// Paper to sand an area with, before the coats that ask for it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Paper {
    pub grit: u32,
    /// m² of the boat, all its sandings together.
    pub area: f64,
}

/// Coats, quantities and earliest times.
#[derive(Debug, Clone, PartialEq)]
pub struct Plan {
    pub coats: Vec<Coat>,
    pub litres: f64,
    /// By grit, the coarsest first.
    pub paper: Vec<Paper>,
    /// Hours from the first coat until slings, fenders and water may touch the last.
    pub full_cure: f64,
    /// Hours of one painter: coats, and the sanding the recipe asks for.
    pub hours: f64,
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

/// Plans the coats of a recipe on `area` m² at a steady temperature (°C) and humidity (%).
///
/// Errors name the field, or `recipe` where it has no coat or too many.
pub fn plan(steps: &[Step], area: f64, temperature: f64, humidity: f64) -> Result<Plan, InputError> {
    error::positive("area", area)?;
    error::within("area", area, 0.0, 10_000.0)?;
    error::within("temperature", temperature, 5.0, 35.0)?;
    error::within("humidity", humidity, 1.0, 95.0)?;
    let factor = time_factor(temperature, humidity);
    let mut earliest = 0.0;
    let mut latest = None;
    let mut coats: Vec<Coat> = Vec::new();
    if steps.is_empty() || steps.len() > MOST_COATS {
        return Err(InputError::new("recipe", format!("needs 1 to {MOST_COATS} coats")));
    }
    let (mut paper, mut hours) = (BTreeMap::new(), 0.0);
    for step in steps {
        step.check()?;
        hours += area * step.coat_hours;
        if let Some(grit) = step.grit_before {
            *paper.entry(grit).or_insert(0.0) += area;
            hours += area * step.sand_hours;
        }
        let litres = area / step.coverage * LOSS;
        coats.push(Coat {
            step: step.clone(),
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
    let full_cure = coats.last().map_or(0.0, |c| c.earliest + c.step.full_cure * factor);
    let paper = paper.into_iter().map(|(grit, area)| Paper { grit, area }).collect();
    Ok(Plan { litres: coats.iter().map(|c| c.litres).sum(), coats, paper, full_cure, hours, reasons })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_shipped_recipes_are_whole() {
        for recipe in Recipe::ALL {
            let steps = recipe.steps();
            assert!(steps.len() >= 2, "{}", recipe.label());
            for step in &steps {
                step.check().unwrap_or_else(|e| panic!("{}, {}: {e}", recipe.label(), step.step));
            }
            assert!(steps.last().is_some_and(|s| s.recoat_max.is_none()), "nothing follows the last coat");
        }
        let bare = Recipe::BrightBare.steps();
        let full_coats = bare.iter().filter(|s| s.thinning_percent == 0.0).count();
        assert!(full_coats >= 8, "at least eight full coats outdoors");
    }

    #[test]
    fn ten_degrees_colder_takes_twice_as_long() {
        let warm = plan(&Recipe::PaintBottom.steps(), 10.0, 20.0, 60.0).unwrap();
        let cold = plan(&Recipe::PaintBottom.steps(), 10.0, 10.0, 60.0).unwrap();
        let hours = |plan: &Plan| plan.coats.iter().map(|c| c.earliest).collect::<Vec<_>>();
        assert_eq!(hours(&warm), [0.0, 12.0, 24.0, 30.0]);
        assert_eq!(hours(&cold), [0.0, 24.0, 48.0, 60.0]);
        assert!((warm.coats[0].litres - 10.0 / 8.0 * 1.1).abs() < 1e-12);
    }

    #[test]
    fn saturated_air_is_refused_by_the_dew_rule() {
        let damp = plan(&Recipe::BrightBare.steps(), 2.0, 12.0, 92.0).unwrap();
        assert!(damp.reasons.iter().any(|r| r.rule == "finish.dew" && r.verdict == crate::Verdict::Forbids));
        assert!((dew_point(20.0, 50.0) - 9.26).abs() < 0.01);
    }

    #[test]
    fn paper_hours_and_full_cure_are_summed_over_the_coats() {
        // Four square metres of sole: 180 once, 320 twice, three coats of 0.2 h and as much sanding a m²; the last goes on
        // after two waits of 8 h and cures for a week.
        let sole = plan(&Recipe::Sole.steps(), 4.0, 20.0, 50.0).unwrap();
        let paper: Vec<_> = sole.paper.iter().map(|p| (p.grit, p.area)).collect();
        assert_eq!(paper, [(180, 4.0), (320, 8.0)]);
        assert!((sole.hours - 4.0 * (3.0 * 0.2 + 3.0 * 0.2)).abs() < 1e-12);
        assert_eq!(sole.full_cure, 16.0 + 168.0);
        assert_eq!(plan(&[], 4.0, 20.0, 50.0).unwrap_err().field, "recipe");
    }

    #[test]
    fn a_coat_that_cannot_be_is_refused_at_its_field() {
        let good = Recipe::Sole.steps().remove(0);
        let wrong = |change: fn(&mut Step)| {
            let mut step = good.clone();
            change(&mut step);
            step.check().unwrap_err().field
        };
        assert_eq!(wrong(|s| s.step = "  ".into()), "step");
        assert_eq!(wrong(|s| s.coverage = 0.0), "coverage");
        assert_eq!(wrong(|s| s.recoat_min = s.touch_dry / 2.0), "recoat_min");
        assert_eq!(wrong(|s| s.recoat_max = Some(s.recoat_min)), "recoat_max");
        assert_eq!(wrong(|s| s.temperature_max = s.temperature_min), "temperature_max");
        assert_eq!(wrong(|s| s.touch_dry = f64::NAN), "touch_dry");
        assert_eq!(wrong(|s| s.grit_before = Some(3)), "grit_before");
    }
}
