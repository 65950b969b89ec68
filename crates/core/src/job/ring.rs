//! Rings and other laminated rounds: strips, spares and the former.

use serde::{Deserialize, Serialize};

use super::{Amount, Rate, Steps, Told};
use crate::caution::Caution;
use crate::error::InputError;
use crate::reason::{Reason, Verdict};
use crate::shape::bend::{Request, SteamRisk};
use crate::spar::ring;
use crate::timber::board::Drying;
use crate::timber::species;
use crate::units::whole_up;
use crate::work::estimate::Operation as O;
use crate::work::tasks::{GLUE_CURE_HOURS, Task};

/// Rings all alike. Lengths in mm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Rings {
    pub count: u32,
    pub inner_diameter: f64,
    pub thickness: f64,
    pub ply: f64,
    /// Feathered end of the strip.
    pub taper: f64,
    /// Along the spar.
    pub height: f64,
    pub species: String,
    pub drying: Drying,
    pub soaked: bool,
    /// Strips that broke so far.
    pub broken: u32,
}

/// A metre of strip is milled in so much of the time a plank takes, and a ring is bent and rounded as so many metres of one
/// (*yard rule*).
const STRIP: f64 = 0.2;
const BENT: f64 = 0.5;
/// Most rings of one kind.
const MOST: u32 = 500;

impl Rings {
    /// Errors name its field.
    pub fn ring(&self) -> Result<ring::Ring, InputError> {
        let wood = species::find(&self.species)?;
        let strip = Request { drying: self.drying, soaked: self.soaked, ..Request::air_dried(wood, self.ply, 1.0) };
        ring::plan(self.inner_diameter, self.thickness, self.ply, self.taper, strip)
    }

    pub(super) fn plan(&self, rate: Rate<'_>) -> Result<Told, InputError> {
        crate::error::length("height", self.height)?;
        if self.count == 0 || self.count > MOST {
            return Err(InputError::new("count", format!("must be between 1 and {MOST}")));
        }
        let ring = self.ring()?;
        let wood = species::find(&self.species)?;
        let mut told = Told::default();
        told.figure("Turns", Amount::Count(ring.turns));
        told.figure("Strip, with both feathered ends", Amount::Run(ring.strip_length));
        told.figure("Outside, across", Amount::Length(ring.outer_diameter));
        let why = |verdict, text: String| Reason::new("ring.strips", verdict, text).source("handbook 10");
        let spares = ring.spares.map(|share| whole_up(share * f64::from(self.count)) as u32);
        match (ring.risk, spares) {
            (SteamRisk::Breaks, _) | (_, None) => told.reasons.push(why(
                Verdict::Forbids,
                "strips so thick break at this radius: take thinner ones, with more turns".into(),
            )),
            (risk, Some(spares)) => {
                let share = if risk == SteamRisk::High { "one in four" } else { "one in ten" };
                told.reasons.push(why(Verdict::Note, format!("{spares} to spare, {share}: some break in bending")));
                told.need(
                    format!("{}, {:.0} × {:.1} mm strips", wood.name, self.height, self.ply),
                    Amount::Run(ring.strip_length * f64::from(self.count + spares)),
                );
                told.figure("Strips to make", Amount::Count(self.count + spares));
            }
        }
        if self.broken > 0 {
            told.reasons.push(why(
                if self.broken > 1 { Verdict::Forbids } else { Verdict::Against },
                format!("{} broke: thinner strips, better soaked, before the next is tried", self.broken),
            ));
        }
        told.tasks = self.tasks(&ring, spares.unwrap_or(0), rate);
        Ok(told)
    }

    fn tasks(&self, ring: &ring::Ring, spares: u32, rate: Rate<'_>) -> Vec<Task> {
        let metres = ring.strip_length / 1000.0;
        let (made, all) = (f64::from(self.count), f64::from(self.count + spares));
        let mut steps = Steps::new(rate);
        steps.add(O::TakeShape, "One former, to the inside, with room for the clamps", 1.0, 0.0, &[]);
        steps.add(
            O::Mill,
            "Rip and plane the strips, feather both ends",
            all * metres * STRIP,
            0.0,
            &[Caution::Machines, Caution::Dust],
        );
        let soak = if self.soaked { "Soak an hour, wind" } else { "Wind" };
        steps.add(O::Bend, format!("{soak} round the former and let it set"), all * BENT, 24.0, &[Caution::Steam]);
        steps.add(
            O::Glue,
            "Glue on the former, a glue that cures in damp where strips are wet; dowels across the lap",
            made,
            GLUE_CURE_HOURS,
            &[Caution::Resins],
        );
        steps.add(O::Fair, "Round the edges", made * BENT, 0.0, &[Caution::Dust]);
        steps.add(O::Seal, "Seal all round", made * BENT, 12.0, &[Caution::Solvents]);
        steps.tasks
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use crate::job::table;

    pub(crate) fn hoops() -> Rings {
        Rings {
            count: 14,
            inner_diameter: 110.0,
            thickness: 12.0,
            ply: 3.0,
            taper: 60.0,
            height: 20.0,
            species: "white_oak".into(),
            drying: Drying::Air,
            soaked: false,
            broken: 0,
        }
    }

    #[test]
    fn spares_are_whole_strips_and_none_are_promised_of_what_breaks() {
        let told = hoops().plan(&table).unwrap();
        let ring = hoops().ring().unwrap();
        let strips = told.figures.iter().find(|f| f.what == "Strips to make");
        let share = ring.spares.expect("3 mm strips of oak bend");
        assert_eq!(strips.unwrap().amount, Amount::Count(14 + (14.0 * share).ceil() as u32));
        let thick = Rings { ply: 12.0, ..hoops() }.plan(&table).unwrap();
        assert!(thick.reasons.iter().any(|r| r.verdict == Verdict::Forbids) && thick.needs.is_empty());
    }

    #[test]
    fn a_set_of_hoops_takes_days_and_not_weeks() {
        let hours: f64 = hoops().plan(&table).unwrap().tasks.iter().map(|t| t.hours.p50).sum();
        assert!((20.0..40.0).contains(&hours), "fourteen hoops: {hours}");
    }

    #[test]
    fn the_second_that_breaks_stops_the_job() {
        let verdict = |broken| {
            let told = Rings { broken, ..hoops() }.plan(&table).unwrap();
            told.reasons.iter().filter(|r| r.text.contains("broke")).map(|r| r.verdict).next()
        };
        assert_eq!((verdict(0), verdict(1), verdict(2)), (None, Some(Verdict::Against), Some(Verdict::Forbids)));
    }

    #[test]
    fn errors_name_the_field_of_the_form() {
        let field = |rings: Rings| rings.plan(&table).unwrap_err().field;
        assert_eq!(field(Rings { count: 0, ..hoops() }), "count");
        assert_eq!(field(Rings { height: -1.0, ..hoops() }), "height");
        assert_eq!(field(Rings { inner_diameter: 0.0, ..hoops() }), "inner_diameter");
        assert_eq!(field(Rings { species: "elfwood".into(), ..hoops() }), "species");
    }
}
