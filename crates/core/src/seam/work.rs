//! The work on a seam step by step, and the gates of dryness, cleanliness and cure between the steps.

use crate::choice::choices;
use crate::error::InputError;
use crate::reason::Reason;

use super::{LaidDeck, Treatment};

choices! {
    /// A step of the work.
    StepKind {
        Reef = "reef", "Reef out without widening the seam";
        Scrape = "scrape", "Scrape to bare bright wood";
        Prime = "prime", "Prime the edges";
        Repair = "repair", "Repair crushed edges";
        Caulk = "caulk", "Drive the cotton, oakum over it in thick planks";
        BondBreaker = "bond_breaker", "Lay the bond breaker";
        PrimeOver = "prime_over", "Prime over the cotton";
        Mask = "mask", "Mask";
        Fill = "fill", "Fill from the bottom of the groove, strike once";
        PullTape = "pull_tape", "Pull the tape while it is wet";
        WetOut = "wet_out", "Wet out both edges with unfilled resin";
        Spline = "spline", "Set the spline or filled resin";
        Seal = "seal", "Penetrating sealer, thin coats";
        Lap = "lap", "Thin flexible adhesive in the lap";
        LapFastenings = "lap_fastenings", "Renew the fastenings of the lap";
        Bed = "bed", "Bed between plank and batten";
        Fillet = "fillet", "Fillet";
        Tape = "tape", "Tape over it, wet on wet";
        Flush = "flush", "Sand or plane flush";
    }
}

impl StepKind {
    /// Work that may be left out where nothing asks for it.
    pub fn is_optional(self) -> bool {
        matches!(self, Self::Repair | Self::Mask | Self::PullTape)
    }

    /// It puts in what has to cure.
    pub fn is_filling(self) -> bool {
        matches!(self, Self::Fill | Self::Spline | Self::Lap | Self::Bed | Self::Tape)
    }
}

/// What must hold before a step counts as done.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Gate {
    Free,
    /// No dust, old filler or oil.
    Clean,
    /// Wood no wetter than [`DRY`].
    Dry,
    /// Joint and air no colder than this, °C.
    Warm(f64),
    /// What was filled has cured.
    Cured,
}

/// Wood is dry enough for primer and glue at this moisture, %.
pub const DRY: f64 = 16.0;
/// Compound is best laid between these temperatures, °C.
pub const BEST: (f64, f64) = (15.0, 25.0);
/// Colder than this nothing is filled: glue does not cure (handbook 04), compound does not run (*yard rule*), °C.
const COLDEST_GLUE: f64 = 10.0;
const COLDEST_COMPOUND: f64 = 5.0;

/// A step with its gate.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Step {
    pub kind: StepKind,
    pub gate: Gate,
    /// The gate in words; empty where there is none.
    pub only_when: &'static str,
}

const CLEAN: &str = "no dust, old filler or oil is left: adhesion fails on them";
const AT_16: &str = "the wood is at 16 % or less";

fn steps(list: &[(StepKind, Gate, &'static str)]) -> Vec<Step> {
    list.iter().map(|(kind, gate, only_when)| Step { kind: *kind, gate: *gate, only_when }).collect()
}

/// The order of work for a treatment. Source: handbook 06.
pub fn order(treatment: Treatment) -> Vec<Step> {
    use Gate as G;
    use StepKind as S;
    let cured = (S::Flush, G::Cured, "it has cured");
    let mut all = steps(&[(S::Reef, G::Free, ""), (S::Scrape, G::Clean, CLEAN)]);
    all.extend(match treatment {
        Treatment::CottonCompound => steps(&[
            (S::Prime, G::Dry, AT_16),
            (S::Repair, G::Free, "the primer is dry"),
            (S::Caulk, G::Free, ""),
            (S::PrimeOver, G::Free, ""),
            (S::Mask, G::Free, ""),
            (S::Fill, G::Warm(COLDEST_COMPOUND), "it is 15 to 25 °C at best; cartridges warmed when it is cold"),
            (S::PullTape, G::Free, "it is still wet"),
            cured,
        ]),
        Treatment::SplinedGlue | Treatment::RigidAdhesive | Treatment::StructuralGlue => steps(&[
            (S::WetOut, G::Dry, AT_16),
            (S::Spline, G::Warm(COLDEST_GLUE), "the joint is at 10 °C or more; every seam of the hull, not some"),
            cured,
        ]),
        Treatment::FlexibleLapAdhesive => steps(&[
            (S::Seal, G::Dry, AT_16),
            (S::Lap, G::Warm(COLDEST_COMPOUND), "nothing is driven into it"),
            (S::LapFastenings, G::Free, ""),
        ]),
        Treatment::FlexibleBedding => steps(&[
            (S::Prime, G::Dry, AT_16),
            (S::Bed, G::Warm(COLDEST_COMPOUND), "nothing is driven against the batten"),
        ]),
        Treatment::FilletTape | Treatment::HardFiller => {
            steps(&[(S::Fillet, G::Dry, AT_16), (S::Tape, G::Warm(COLDEST_GLUE), "the fillet is still wet"), cured])
        }
    });
    all
}

/// The order of work on the seams of a laid deck. Source: handbook 06 and 10.
pub fn deck_order(kind: LaidDeck) -> Vec<Step> {
    let mut all = order(Treatment::CottonCompound);
    if kind == LaidDeck::Panels {
        all.retain(|s| !matches!(s.kind, StepKind::Caulk | StepKind::PrimeOver));
    }
    // Over it nothing is primed: what holds to it tears the compound.
    let before = all.iter().position(|s| s.kind == StepKind::Mask).unwrap_or(all.len());
    all.insert(
        before,
        Step { kind: StepKind::BondBreaker, gate: Gate::Free, only_when: "the compound is to stick to two sides only" },
    );
    all
}

/// What may come next: the first step past those done, and those that follow what may be left out.
pub fn next(treatment: Treatment, done: &[StepKind]) -> Vec<Step> {
    let order = order(treatment);
    let past = order.iter().rposition(|s| done.contains(&s.kind)).map_or(0, |i| i + 1);
    let must = order[past..].iter().position(|s| !s.kind.is_optional()).map_or(order.len(), |i| past + i + 1);
    order[past..must].to_vec()
}

/// What is said when a step is reported done.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Said {
    pub clean: bool,
    /// Of the wood, %.
    pub moisture: Option<f64>,
    /// °C.
    pub temperature: Option<f64>,
}

/// What came before it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Before<'d> {
    pub done: &'d [StepKind],
    /// Since the last filling, hours.
    pub filled_ago: Option<f64>,
    /// What the filling takes to cure, hours, where it is known.
    pub cures_in: Option<f64>,
}

/// Whether a step may count as done; what speaks with it. Errors name `step`, `clean`, `moisture` or `temperature` and say what is
/// missing; nothing is then changed.
pub fn may(treatment: Treatment, step: StepKind, said: &Said, before: &Before<'_>) -> Result<Vec<Reason>, InputError> {
    let order = order(treatment);
    let Some(here) = order.iter().position(|s| s.kind == step) else {
        return Err(InputError::new("step", "is no step of this treatment"));
    };
    if before.done.contains(&step) {
        return Err(InputError::new("step", "is done already"));
    }
    if let Some(first) = order[..here].iter().find(|s| !s.kind.is_optional() && !before.done.contains(&s.kind)) {
        return Err(InputError::new("step", format!("before it: {}", first.kind.label().to_lowercase())));
    }
    let gate = |text: &str| Reason::new("seam.gate", crate::Verdict::For, text).source("handbook 06");
    match order[here].gate {
        Gate::Free => Ok(Vec::new()),
        Gate::Clean if said.clean => Ok(vec![gate("clean to bright wood")]),
        Gate::Clean => Err(InputError::new("clean", format!("tick it when {CLEAN}"))),
        Gate::Dry => match said.moisture {
            None => Err(InputError::new("moisture", "measure the wood: 16 % or less")),
            Some(percent) if percent > DRY => {
                Err(InputError::new("moisture", format!("{percent:.1} % is too wet: 16 % or less, let it dry")))
            }
            Some(percent) => Ok(vec![gate("dry enough for primer and glue").against("moisture", percent, "%", DRY)]),
        },
        Gate::Warm(least) => match said.temperature {
            None => Err(InputError::new("temperature", format!("write down the temperature: {least:.0} °C or more"))),
            Some(degrees) if degrees < least => {
                Err(InputError::new("temperature", format!("{degrees:.0} °C is too cold: {least:.0} °C or more")))
            }
            Some(degrees) if (BEST.0..=BEST.1).contains(&degrees) => {
                Ok(vec![gate("a good temperature").value("temperature", degrees, "°C")])
            }
            Some(degrees) => Ok(vec![
                Reason::new(
                    "seam.gate",
                    crate::Verdict::Against,
                    "best at 15 to 25 °C: warm the cartridges, shade the seam",
                )
                .source("handbook 06")
                .value("temperature", degrees, "°C"),
            ]),
        },
        Gate::Cured => match (before.filled_ago, before.cures_in) {
            (_, None) => Err(InputError::new("step", "say first how long the filling takes to cure")),
            (Some(ago), Some(takes)) if ago >= takes => {
                Ok(vec![gate("cured").against("since it was filled", ago, "h", takes)])
            }
            (ago, Some(takes)) => {
                let left = takes - ago.unwrap_or(0.0);
                Err(InputError::new("step", format!("still curing: {left:.0} h more")))
            }
        },
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const FRESH: Before<'_> = Before { done: &[], filled_ago: None, cures_in: None };

    #[test]
    fn a_seam_is_not_primed_wet_nor_before_it_is_clean() {
        let t = Treatment::CottonCompound;
        let refused = |step, said: &Said, before: &Before<'_>| may(t, step, said, before).unwrap_err().field;
        assert_eq!(refused(StepKind::Scrape, &Said { clean: true, ..Said::default() }, &FRESH), "step");
        let reefed = Before { done: &[StepKind::Reef], ..FRESH };
        assert_eq!(refused(StepKind::Scrape, &Said::default(), &reefed), "clean");
        let clean = Before { done: &[StepKind::Reef, StepKind::Scrape], ..FRESH };
        assert_eq!(refused(StepKind::Prime, &Said::default(), &clean), "moisture");
        assert_eq!(refused(StepKind::Prime, &Said { moisture: Some(16.1), ..Said::default() }, &clean), "moisture");
        assert!(may(t, StepKind::Prime, &Said { moisture: Some(16.0), ..Said::default() }, &clean).is_ok());
        assert_eq!(refused(StepKind::Lap, &Said::default(), &clean), "step");
    }

    #[test]
    fn a_seam_is_planed_only_when_it_has_cured() {
        use StepKind::*;
        let done = [Reef, Scrape, Prime, Caulk, PrimeOver, Fill];
        let before = |ago, takes| Before { done: &done, filled_ago: ago, cures_in: takes };
        let flush = |b: &Before<'_>| may(Treatment::CottonCompound, Flush, &Said::default(), b);
        assert!(flush(&before(Some(10.0), None)).is_err());
        assert!(flush(&before(Some(10.0), Some(72.0))).unwrap_err().message.contains("62 h more"));
        assert!(flush(&before(Some(72.0), Some(72.0))).is_ok());
    }

    #[test]
    fn cold_compound_is_warned_of_and_cold_glue_refused() {
        use StepKind::*;
        let cold = Said { temperature: Some(8.0), ..Said::default() };
        let done = [Reef, Scrape, Prime, Caulk, PrimeOver, Mask];
        let compound = may(Treatment::CottonCompound, Fill, &cold, &Before { done: &done, ..FRESH }).unwrap();
        assert_eq!(compound[0].verdict, crate::Verdict::Against);
        let glue = Before { done: &[Reef, Scrape, WetOut], ..FRESH };
        assert_eq!(may(Treatment::SplinedGlue, Spline, &cold, &glue).unwrap_err().field, "temperature");
    }

    #[test]
    fn what_was_left_out_is_not_asked_for_again() {
        use StepKind::*;
        let kinds = |done: &[StepKind]| -> Vec<StepKind> {
            next(Treatment::CottonCompound, done).into_iter().map(|s| s.kind).collect()
        };
        assert_eq!(kinds(&[]), [Reef]);
        assert_eq!(kinds(&[Reef, Scrape, Prime]), [Repair, Caulk]);
        assert_eq!(kinds(&[Reef, Scrape, Prime, Caulk]), [PrimeOver]);
        assert_eq!(kinds(&[Reef, Scrape, Prime, Caulk, PrimeOver]), [Mask, Fill]);
        assert!(kinds(&[Flush]).is_empty());
    }

    #[test]
    fn every_order_is_walked_from_end_to_end_without_being_stuck() {
        let said = Said { clean: true, moisture: Some(12.0), temperature: Some(20.0) };
        for treatment in Treatment::ALL {
            let mut done = Vec::new();
            for step in order(*treatment) {
                let before = Before { done: &done, filled_ago: Some(100.0), cures_in: Some(72.0) };
                may(*treatment, step.kind, &said, &before).unwrap();
                done.push(step.kind);
            }
            assert!(done.len() >= 4, "{}", treatment.label());
        }
        for kind in LaidDeck::ALL {
            let all = deck_order(*kind);
            let at = |k| all.iter().position(|s| s.kind == k);
            assert!(at(StepKind::BondBreaker) < at(StepKind::Fill));
            assert_eq!(at(StepKind::Caulk).is_some(), *kind == LaidDeck::Caulked);
            for primed in [StepKind::Prime, StepKind::PrimeOver] {
                assert!(at(primed) < at(StepKind::BondBreaker), "nothing is primed over the bond breaker");
            }
            assert!(at(StepKind::BondBreaker) < at(StepKind::Mask));
        }
    }
}
