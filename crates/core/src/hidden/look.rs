//! What a hand or an instrument says of a practice hull: from her truth, with the scatter of real ones, at a price in minutes.

use super::{Soft, Truth};
use crate::chance::Chance;
use crate::choice::choices;
use crate::grid::Address;
use crate::survey::reading::{Filler, Ring, Sign, WoodAround};

choices! {
    /// What she is looked at with.
    Tool {
        Eye = "eye", "Look";
        Mallet = "mallet", "Sound";
        Spike = "spike", "Prick";
        Meter = "meter", "Meter";
        Gauge = "gauge", "Draw a fastening";
        Feeler = "feeler", "Feel the seam above";
        Open = "open", "Open up";
    }
}

impl Tool {
    /// Minutes it takes (*yard rule*).
    pub fn minutes(self) -> f64 {
        match self {
            Self::Eye => 0.5,
            Self::Mallet => 1.0,
            Self::Spike | Self::Feeler => 2.0,
            Self::Meter => 2.5,
            Self::Gauge => 15.0,
            Self::Open => 40.0,
        }
    }

    /// Whether it leaves a hole that must be mended.
    pub fn harms(self) -> bool {
        matches!(self, Self::Open)
    }
}

/// What it says.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Says {
    Look(Sign),
    Sound(Ring),
    /// mm.
    Spike(f64),
    /// % as shown, and °C of the wood.
    Meter(f64, f64),
    /// mm left of 5 mm, and the wood round it.
    Drawn {
        original: f64,
        left: f64,
        wood: WoodAround,
    },
    /// Width and depth, mm.
    Feeler {
        width: f64,
        depth: f64,
        filler: Filler,
    },
    /// Soft so deep, mm: what lies open is seen as it is.
    Opened(f64),
}

/// Shares of the thickness from which wood may sound dull, and dead.
const DULL: f64 = 0.12;
const DEAD: f64 = 0.5;
/// How often a place that is soft sounds fair all the same, and one that is not does not (handbook 03: confirm).
pub const FAIR_BUT_SOFT: f64 = 0.15;
pub const DULL_BUT_SOUND: f64 = 0.03;
/// Scatter of the meter, points, and of the spike, mm: one standard deviation.
pub const METER_SCATTER: f64 = 1.3;
pub const SPIKE_SCATTER: f64 = 0.4;
/// Fastenings were so thick, mm.
const SHANK: f64 = 5.0;
/// Scatter of the section lost by one fastening.
const LOSS_SCATTER: f64 = 0.08;

impl Truth {
    /// What a tool says at a place. `nth`: how often it was asked there before, for a second blow is not the first one again.
    pub fn look(&self, tool: Tool, at: Address, nth: u32) -> Says {
        let mut random = Chance::seeded(self.seed.number(&format!("{}/{at}/{nth}", tool.code())));
        let (soft, depth) = match self.deepest(at) {
            Some((soft, depth)) => (Some(soft), depth),
            None => (None, 0.0),
        };
        let loss = self.loss(at);
        match tool {
            Tool::Eye => Says::Look(self.seen(soft, depth, loss, &mut random)),
            Tool::Mallet => Says::Sound(self.sounds(soft, depth, &mut random)),
            Tool::Spike => {
                let depth = if soft.is_some_and(|s| s.hides) { 0.0 } else { depth };
                // It is not pricked at its very deepest.
                let met = depth * (0.6 + 0.4 * random.unit()) + SPIKE_SCATTER * random.normal();
                Says::Spike((met.max(0.2) * 10.0).round() / 10.0)
            }
            Tool::Meter => {
                let dry = if self.is_below(at.strake) { 18.0 } else { 14.0 };
                let wet = soft
                    .map_or(dry, |s| s.wet.min(dry + (s.wet - dry) * (0.4 + depth / self.principal.plank_thickness)));
                // It reads high near salt and iron.
                let salt = if loss > 0.25 { 2.0 } else { 0.0 };
                let shown = (wet + salt + METER_SCATTER * random.normal()).clamp(7.0, 40.0);
                Says::Meter((shown * 10.0).round() / 10.0, (9.0 + 8.0 * random.unit()).round())
            }
            Tool::Gauge => {
                let lost = (loss + LOSS_SCATTER * random.normal()).clamp(0.0, 0.95);
                let wood = match (soft.is_some(), lost) {
                    (true, _) => WoodAround::Soft,
                    (false, lost) if lost > 0.3 => WoodAround::Black,
                    _ => WoodAround::Sound,
                };
                Says::Drawn { original: SHANK, left: (SHANK * (1.0 - lost).sqrt() * 100.0).round() / 100.0, wood }
            }
            Tool::Feeler => {
                let filler = self
                    .filled
                    .iter()
                    .find(|f| f.side == at.side && f.row == at.strake)
                    .map_or(Filler::Soft, |f| f.filler);
                let width = 2.0 + 0.6 * random.unit();
                Says::Feeler {
                    width: (width * 10.0).round() / 10.0,
                    depth: if filler == Filler::Missing { 9.0 } else { 2.0 },
                    filler,
                }
            }
            Tool::Open => Says::Opened((depth * 10.0).round() / 10.0),
        }
    }

    fn seen(&self, soft: Option<&Soft>, depth: f64, loss: f64, random: &mut Chance) -> Sign {
        let shows = soft.is_some_and(|s| !s.hides) && random.unit() < 0.5 * depth / self.principal.plank_thickness;
        if shows {
            return Sign::Stain;
        }
        if loss > 0.3 && random.unit() < 0.35 { Sign::WeepingFastening } else { Sign::Nothing }
    }

    fn sounds(&self, soft: Option<&Soft>, depth: f64, random: &mut Chance) -> Ring {
        let share = depth / self.principal.plank_thickness;
        let chance = random.unit();
        if share < DULL {
            return if chance < DULL_BUT_SOUND { Ring::Dull } else { Ring::Bright };
        }
        // What lies under a repair is heard less often.
        let fair = if soft.is_some_and(|s| s.hides) { 2.5 * FAIR_BUT_SOFT } else { FAIR_BUT_SOFT };
        match chance {
            c if c < fair => Ring::Bright,
            _ if share >= DEAD => Ring::Dead,
            _ => Ring::Dull,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::small;
    use super::super::{Level, grade};
    use super::*;
    use crate::survey::Grade;

    /// A soft bay of a plain hull, and one that is sound.
    fn bays() -> (Truth, Address, Address) {
        let truth = small("heron", Level::Plain);
        let soft = truth.cells().find(|c| truth.grade(*c) == Grade::Renew).expect("a bay to be renewed");
        let sound = truth.cells().find(|c| truth.deepest(*c).is_none() && truth.loss(*c) < 0.1).expect("a sound bay");
        (truth, soft, sound)
    }

    #[test]
    fn the_same_question_has_the_same_answer_and_a_second_blow_its_own() {
        let (truth, soft, _) = bays();
        for tool in Tool::ALL {
            assert_eq!(truth.look(*tool, soft, 3), truth.look(*tool, soft, 3), "{}", tool.code());
        }
        let meters: Vec<Says> = (0..8).map(|n| truth.look(Tool::Meter, soft, n)).collect();
        assert!(meters.windows(2).any(|w| w[0] != w[1]));
    }

    #[test]
    fn sounding_errs_as_often_as_it_is_said_to() {
        let (truth, soft, sound) = bays();
        let bright = |at| {
            (0..2_000).filter(|n| truth.look(Tool::Mallet, at, *n) == Says::Sound(Ring::Bright)).count() as f64
                / 2_000.0
        };
        assert!((bright(soft) - FAIR_BUT_SOFT).abs() < 0.03, "{}", bright(soft));
        assert!((1.0 - bright(sound) - DULL_BUT_SOUND).abs() < 0.02, "{}", bright(sound));
    }

    #[test]
    fn the_spike_and_the_meter_tell_soft_from_sound_and_what_lies_open_is_seen() {
        let (truth, soft, sound) = bays();
        let spike = |at| match truth.look(Tool::Spike, at, 0) {
            Says::Spike(mm) => mm,
            other => panic!("{other:?}"),
        };
        assert!(grade(spike(soft)) >= Grade::Watch && spike(sound) < 2.0);
        let Says::Opened(deep) = truth.look(Tool::Open, soft, 0) else { panic!() };
        assert!((deep - truth.deepest(soft).unwrap().1).abs() <= 0.05);
        assert_eq!(truth.look(Tool::Open, sound, 0), Says::Opened(0.0));
        let mean = |at| {
            (0..200)
                .map(|n| match truth.look(Tool::Meter, at, n) {
                    Says::Meter(m, _) => m,
                    _ => 0.0,
                })
                .sum::<f64>()
                / 200.0
        };
        assert!(mean(soft) > mean(sound) + 3.0);
    }

    #[test]
    fn what_hides_under_a_repair_is_not_pricked() {
        let truth = (0..200)
            .map(|n| small(&format!("sly{n}"), Level::Sly))
            .find(|t| t.cells().any(|c| t.grade(c) == Grade::Renew && t.deepest(c).is_some_and(|(s, _)| s.hides)))
            .expect("something hides");
        let hidden = truth
            .cells()
            .find(|c| truth.grade(*c) == Grade::Renew && truth.deepest(*c).is_some_and(|(s, _)| s.hides))
            .unwrap();
        let pricks = (0..50).map(|n| truth.look(Tool::Spike, hidden, n));
        assert!(pricks.into_iter().all(|s| matches!(s, Says::Spike(mm) if mm < 2.0)));
        assert!(matches!(truth.look(Tool::Open, hidden, 0), Says::Opened(mm) if mm > 6.0));
    }
}
