//! A fitting that takes load: through bolts or studs in tapped holes, and the order that saves the deck from a wrong hole.

use serde::{Deserialize, Serialize};

use super::{Amount, Rate, Steps, Told};
use crate::caution::Caution;
use crate::choice::choices;
use crate::error::{self, InputError};
use crate::reason::{Reason, Verdict};
use crate::work::estimate::Operation as O;
use crate::work::tasks::Task;

choices! {
    /// What a thread is cut in.
    Into {
        Steel = "steel", "steel or bronze";
        Aluminium = "aluminium", "aluminium";
        Resin = "resin", "plastics or filled resin";
    }
}

/// A fitting held by studs in tapped holes. Lengths in mm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Fitting {
    pub holes: u32,
    pub diameter: f64,
    pub pitch: f64,
    pub into: Into,
    /// What the thread is cut in is so thick; a hole through it is tapped right through.
    pub depth: f64,
    /// Everything between it and the nut, washers counted.
    pub stack: f64,
    /// The stud is stainless.
    pub stainless: bool,
    /// The fitting was tried with the real chain, line or roller.
    pub tried: bool,
    /// Somebody bored wrong.
    pub wrong: bool,
}

/// Thread engaged, times the diameter (handbook 10).
pub const ENGAGED: (f64, f64) = (1.0, 1.5);
/// Below the thread of a blind hole, pitches.
pub const BELOW: f64 = 2.0;
/// A nut is so high, times the diameter, and so many pitches stand over it.
pub const NUT: (f64, f64) = (0.8, 2.0);

/// A tapped hole and its stud, mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Tapped {
    pub engaged: f64,
    /// Bored; `None`: right through.
    pub blind: Option<f64>,
    pub tapping_drill: f64,
    pub stud: f64,
}

impl Fitting {
    /// Its holes and studs. Errors name `diameter`, `pitch`, `stack` or `depth`, where the thread finds no hold.
    pub fn tapped(&self) -> Result<Tapped, InputError> {
        error::within("diameter", self.diameter, 2.0, 60.0)?;
        error::within("pitch", self.pitch, 0.2, self.diameter / 2.0)?;
        error::within("stack", self.stack, 0.0, 2_000.0)?;
        error::length("depth", self.depth)?;
        let times = match self.into {
            Into::Steel => ENGAGED.0,
            Into::Aluminium | Into::Resin => ENGAGED.1,
        };
        let engaged = times * self.diameter;
        if self.depth < engaged {
            return Err(InputError::new(
                "depth",
                format!("gives the thread too little hold: {engaged:.1} mm are needed, or a nut behind it"),
            ));
        }
        let blind = engaged + BELOW * self.pitch;
        Ok(Tapped {
            engaged,
            blind: (self.depth > blind).then_some(blind),
            tapping_drill: self.diameter - self.pitch,
            stud: engaged + self.stack + NUT.0 * self.diameter + NUT.1 * self.pitch,
        })
    }

    pub(super) fn plan(&self, rate: Rate<'_>) -> Result<Told, InputError> {
        if self.holes == 0 || self.holes > 500 {
            return Err(InputError::new("holes", "must be between 1 and 500"));
        }
        let tapped = self.tapped()?;
        let mut told = Told::default();
        let why = |verdict, text: &str| Reason::new("fitting.tapped", verdict, text).source("handbook 10");
        told.figure("Thread engaged", Amount::Length(tapped.engaged));
        told.figure("Tapping drill", Amount::Length(tapped.tapping_drill));
        match tapped.blind {
            Some(deep) => {
                told.figure("Blind hole, deep", Amount::Length(deep));
                told.reasons.push(why(Verdict::Note, "a blind hole: bottoming tap, and two pitches below the thread"));
            }
            None => told.reasons.push(why(Verdict::Note, "bored and tapped right through: no room for a blind hole")),
        }
        told.figure("Studs", Amount::Length(tapped.stud));
        told.need(
            format!("Studs M{} × {:.0} mm, nuts and washers", self.diameter, tapped.stud),
            Amount::Count(self.holes),
        );
        if self.stainless && self.into == Into::Aluminium {
            told.need("Paste against seizing", Amount::Count(1));
            told.reasons
                .push(why(Verdict::Against, "stainless in aluminium seizes and corrodes: paste on every thread"));
        }
        if !self.tried {
            told.reasons.push(
                Reason::new(
                    "fitting.line",
                    Verdict::Forbids,
                    "lay out the line of pull with the real thing before anything is bored",
                )
                .source("handbook 10"),
            );
        }
        if self.wrong {
            told.reasons.push(
                Reason::note(
                    "fitting.wrong",
                    "bored wrong: fill with thickened epoxy, let it cure, bore again from the template",
                )
                .source("handbook 10"),
            );
        }
        told.tasks = self.tasks(rate);
        Ok(told)
    }

    fn tasks(&self, rate: Rate<'_>) -> Vec<Task> {
        let holes = f64::from(self.holes);
        let mut steps = Steps::new(rate);
        let line = "Lay out the line of pull with the real chain, line or roller; dry run with the real part";
        steps.add(O::Inspect, line, if self.tried { 0.0 } else { 1.0 }, 0.0, &[]);
        let filled = if self.wrong { 0.5 } else { 0.0 };
        steps.add(O::Seal, "Fill the wrong holes with thickened epoxy", filled, 24.0, &[Caution::Resins]);
        steps.add(O::TakeShape, "Template of the holes; which old hole is kept as the guide", 0.5, 0.0, &[]);
        steps.add(
            O::CutOut,
            "Backing and solid core first; bore square, a block held behind; tap",
            0.2 * holes,
            0.0,
            &[Caution::Machines],
        );
        steps.add(O::DryFit, "Fit dry, and pull on it", 0.3, 0.0, &[]);
        steps.add(O::Fasten, "Bed, set and tighten; two sign for it", holes, 0.0, &[Caution::Solvents]);
        steps.tasks
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use crate::job::table;

    pub(crate) fn windlass() -> Fitting {
        Fitting {
            holes: 4,
            diameter: 10.0,
            pitch: 1.5,
            into: Into::Aluminium,
            depth: 30.0,
            stack: 25.0,
            stainless: true,
            tried: false,
            wrong: true,
        }
    }

    #[test]
    fn a_blind_hole_has_two_pitches_below_its_thread() {
        let tapped = windlass().tapped().unwrap();
        assert_eq!((tapped.engaged, tapped.blind, tapped.tapping_drill), (15.0, Some(18.0), 8.5));
        assert!((tapped.stud - (15.0 + 25.0 + 8.0 + 3.0)).abs() < 1e-9);
        assert_eq!(Fitting { into: Into::Steel, ..windlass() }.tapped().unwrap().engaged, 10.0);
        assert_eq!(Fitting { depth: 16.0, ..windlass() }.tapped().unwrap().blind, None);
    }

    #[test]
    fn thin_metal_asks_for_a_nut_behind_it() {
        let thin = Fitting { depth: 8.0, ..windlass() }.plan(&table).unwrap_err();
        assert!(thin.field == "depth" && thin.message.contains("nut"));
        assert_eq!(Fitting { holes: 0, ..windlass() }.plan(&table).unwrap_err().field, "holes");
        assert_eq!(Fitting { pitch: 9.0, ..windlass() }.plan(&table).unwrap_err().field, "pitch");
    }

    #[test]
    fn nothing_is_bored_before_the_line_of_pull_is_laid_out() {
        let told = windlass().plan(&table).unwrap();
        assert!(told.reasons.iter().any(|r| r.rule == "fitting.line" && r.verdict == Verdict::Forbids));
        assert_eq!(told.tasks[0].operation, O::Inspect);
        assert!(told.needs.iter().any(|n| n.what.contains("seizing")));
        let tried = Fitting { tried: true, wrong: false, stainless: false, ..windlass() }.plan(&table).unwrap();
        assert!(tried.reasons.iter().all(|r| r.verdict == Verdict::Note) && tried.tasks[0].operation == O::TakeShape);
    }
}
