//! How much resin a job takes, and how much may be mixed at once (handbook 10, contract `resin`).

use crate::error::{self, InputError};
use crate::units::whole_up;

/// Something that takes resin. Lengths mm, areas m².
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Use {
    /// Two faces glued.
    Joint { area: f64 },
    /// A fillet in a right corner.
    Fillet { radius: f64, length: f64 },
    /// Cloth wetted out; `weight` in g/m².
    Cloth { area: f64, weight: f64, layers: u32 },
    /// Bare wood sealed.
    Seal { area: f64, coats: u32, end_grain: bool },
    /// A round bead, as in a false seam.
    Bead { diameter: f64, length: f64 },
}

/// The mix and the room it is mixed in.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Mix {
    /// Parts of resin and of hardener, by mass.
    pub ratio: [f64; 2],
    /// Minutes at 20 °C.
    pub pot_life: f64,
    /// °C.
    pub temperature: f64,
    /// Minutes that laying the whole mass takes, where it was said.
    pub use_minutes: Option<f64>,
}

/// What is mixed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Amount {
    /// Resin and hardener together with waste, kg.
    pub mass: f64,
    pub resin: f64,
    pub hardener: f64,
    /// Filler with waste, l.
    pub filler: f64,
    /// Pot life at this temperature, minutes.
    pub pot_minutes: f64,
    /// The most to mix at once, kg.
    pub batch: f64,
    pub batches: u32,
}

/// A glued joint takes, kg/m².
const JOINT: f64 = 0.30;
/// A sealing coat takes, kg/m²; end grain twice that.
const SEAL: f64 = 0.15;
/// Mixed resin weighs, kg/l.
const DENSITY: f64 = 1.15;
/// Filler for a litre of resin: in a fillet, in a bead, l.
const FILLED: (f64, f64) = (1.0, 0.5);
/// What stays in the pot and on the brush.
const WASTE: f64 = 1.15;
/// No pot is larger, kg: a larger one heats itself.
const POT: f64 = 0.3;
/// mm³ in a litre.
const LITRE: f64 = 1e6;

impl Use {
    /// Mass, kg, and filler, l, before waste.
    fn takes(&self, at: &str) -> Result<(f64, f64), InputError> {
        let name = |field: &str| format!("{at}.{field}");
        let positive = |field: &str, value: f64| error::positive(&name(field), value);
        let some = |field: &str, n: u32| match n {
            1..=100 => Ok(f64::from(n)),
            _ => Err(InputError::new(name(field), "must be between 1 and 100")),
        };
        match *self {
            Self::Joint { area } => {
                positive("area_m2", area)?;
                Ok((JOINT * area, 0.0))
            }
            Self::Fillet { radius, length } => {
                positive("radius", radius)?;
                positive("length", length)?;
                let litres = radius * radius * (1.0 - std::f64::consts::FRAC_PI_4) * length / LITRE;
                Ok((litres * DENSITY, litres * FILLED.0))
            }
            Self::Cloth { area, weight, layers } => {
                positive("area_m2", area)?;
                positive("gsm", weight)?;
                Ok((area * weight / 1_000.0 * some("layers", layers)?, 0.0))
            }
            Self::Seal { area, coats, end_grain } => {
                positive("area_m2", area)?;
                let thirst = if end_grain { 2.0 } else { 1.0 };
                Ok((SEAL * area * some("coats", coats)? * thirst, 0.0))
            }
            Self::Bead { diameter, length } => {
                positive("diameter", diameter)?;
                positive("length", length)?;
                let litres = std::f64::consts::FRAC_PI_4 * diameter * diameter * length / LITRE;
                Ok((litres * DENSITY, litres * FILLED.1))
            }
        }
    }
}

/// What a list of uses takes. Errors name `items[i].…` or a field of the mix.
pub fn amount(uses: &[Use], mix: &Mix) -> Result<Amount, InputError> {
    if uses.is_empty() {
        return Err(InputError::new("items", "needs at least one"));
    }
    for (i, part) in mix.ratio.iter().enumerate() {
        error::positive(&format!("ratio[{i}]"), *part)?;
    }
    error::positive("pot_life", mix.pot_life)?;
    error::within("temperature", mix.temperature, -10.0, 60.0)?;
    if let Some(minutes) = mix.use_minutes {
        error::positive("use_minutes", minutes)?;
    }
    let (mut mass, mut filler) = (0.0, 0.0);
    for (i, item) in uses.iter().enumerate() {
        let (kg, litres) = item.takes(&format!("items[{i}]"))?;
        mass += kg * WASTE;
        filler += litres * WASTE;
    }
    let pot_minutes = mix.pot_life * 2f64.powf((20.0 - mix.temperature) / 10.0);
    let laid = mix.use_minutes.map_or(f64::INFINITY, |minutes| mass * (pot_minutes / 2.0) / minutes);
    let batch = POT.min(mass).min(laid);
    let batches = whole_up(mass / batch).max(1.0);
    if batches > f64::from(u32::MAX) {
        return Err(InputError::new("use_minutes", "no pot is so small: it is hard before it is laid"));
    }
    let [resin, hardener] = mix.ratio.map(|part| mass * part / (mix.ratio[0] + mix.ratio[1]));
    Ok(Amount { mass, resin, hardener, filler, pot_minutes, batch, batches: batches as u32 })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const MIX: Mix = Mix { ratio: [2.0, 1.0], pot_life: 40.0, temperature: 20.0, use_minutes: None };

    #[test]
    fn a_fillet_is_the_corner_less_the_quarter_round() {
        // By brute force: the corner of a 20 mm square outside a circle about its far corner.
        let n = 1_000;
        let outside = (0..n * n)
            .filter(|i| {
                let (x, y) = ((f64::from(i % n) + 0.5) / f64::from(n), (f64::from(i / n) + 0.5) / f64::from(n));
                (1.0 - x).hypot(1.0 - y) > 1.0
            })
            .count() as f64
            / f64::from(n * n);
        let one = amount(&[Use::Fillet { radius: 20.0, length: 1_000.0 }], &MIX).unwrap();
        assert!((one.mass - outside * 0.4 * DENSITY * WASTE).abs() < 1e-4, "{}", one.mass);
        assert!((one.filler - one.mass / DENSITY).abs() < 1e-12);
    }

    #[test]
    fn the_pot_is_the_least_of_three() {
        let small = amount(&[Use::Joint { area: 0.1 }], &MIX).unwrap();
        assert_eq!((small.batch, small.batches), (small.mass, 1));
        let large = amount(&[Use::Joint { area: 10.0 }], &MIX).unwrap();
        assert_eq!((large.batch, large.batches), (0.3, 12));
        let slow = amount(&[Use::Joint { area: 10.0 }], &Mix { use_minutes: Some(800.0), ..MIX }).unwrap();
        assert!((slow.batch - slow.mass * 20.0 / 800.0).abs() < 1e-12 && slow.batches == 40);
    }

    #[test]
    fn what_takes_nothing_is_refused_at_its_field() {
        assert_eq!(amount(&[], &MIX).unwrap_err().field, "items");
        assert_eq!(amount(&[Use::Joint { area: 0.0 }], &MIX).unwrap_err().field, "items[0].area_m2");
        let cloth = Use::Cloth { area: 1.0, weight: 200.0, layers: 0 };
        assert_eq!(amount(&[cloth], &MIX).unwrap_err().field, "items[0].layers");
        assert_eq!(
            amount(&[Use::Joint { area: 1.0 }], &Mix { ratio: [1.0, 0.0], ..MIX }).unwrap_err().field,
            "ratio[1]"
        );
    }

    proptest! {
        #[test]
        fn parts_make_the_whole_and_the_pots_hold_it(area in 0.01..50.0f64, t in 0.0..35.0f64, minutes in 1.0..600.0f64) {
            let all = amount(&[Use::Joint { area }, Use::Seal { area, coats: 2, end_grain: true }],
                &Mix { temperature: t, use_minutes: Some(minutes), ..MIX }).unwrap();
            prop_assert!((all.resin + all.hardener - all.mass).abs() < 1e-9);
            prop_assert!(f64::from(all.batches) * all.batch >= all.mass * (1.0 - 1e-8));
            prop_assert!(f64::from(all.batches - 1) * all.batch < all.mass);
        }
    }
}
