//! A laid deck from its outline: planks and joints, what holds them, seams, and how much the wood will move.

use serde::{Deserialize, Serialize};

use super::{Amount, Rate, Steps, Told};
use crate::caution::Caution;
use crate::deck::plan::{self, Held, Job, Plan};
use crate::error::{self, InputError};
use crate::reason::{Reason, Verdict};
use crate::seam::{self, LaidDeck};
use crate::timber::board::QUARTER_SAWN;
use crate::timber::{movement, shrinkage_at, species};
use crate::units::whole_up;
use crate::work::estimate::Operation as O;
use crate::work::tasks::GLUE_CURE_HOURS;

/// A laid deck. Lengths in mm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Deck {
    pub laid: Job,
    pub thickness: f64,
    /// An id of the table of species.
    pub species: String,
    /// Degrees of the rings to the face: 0 flat-sawn … 90 quarter-sawn.
    pub ring_angle: f64,
    /// Of the compound; a quarter deeper than it is wide where nobody says.
    pub compound: Option<f64>,
    /// Seam one cartridge filled, mm, once the first was measured.
    pub per_cartridge: Option<f64>,
    /// The outline was taken on the boat.
    pub measured: bool,
}

/// Moisture between which a deck plank lives, %: laid dry, and wet through (*yard rule*).
pub const LIVES: (f64, f64) = (10.0, 18.0);
/// Rings that stand so steep are quarter-sawn, degrees (*yard rule*).
pub const QUARTER: f64 = QUARTER_SAWN;

impl Deck {
    /// The planks as they lie. Errors name a field of the deck's own.
    pub fn planks(&self) -> Result<Plan, InputError> {
        plan::plan(&self.laid)
    }

    pub(super) fn plan(&self, rate: Rate<'_>) -> Result<Told, InputError> {
        error::length("thickness", self.thickness)?;
        error::within("ring_angle", self.ring_angle, 0.0, 90.0)?;
        let wood = species::find(&self.species)?;
        let plan = self.planks()?;
        let mut told = Told { generated: !self.measured, ..Told::default() };
        let run: f64 = plan.planks.iter().map(|p| p.to - p.from).sum();
        let longest = plan.planks.iter().map(|p| p.to - p.from).fold(0.0, f64::max);
        let (first, last) = (self.laid.outline[0][0], self.laid.outline[self.laid.outline.len() - 1][0]);
        let king = last - first;
        told.figure("Rows on a side", Amount::Count(plan.rows as u32));
        told.figure("Planks", Amount::Count(plan.planks.len() as u32));
        told.figure("Longest plank", Amount::Run(longest));
        told.figure("Joints, all on beams", Amount::Count(plan.joints.len() as u32));
        told.figure("Ends let in square", Amount::Count(plan.nibbed.len() as u32));
        told.figure("Seams", Amount::Run(plan.seam_metres * 1000.0));
        told.need(format!("{} {} thick, planks", wood.name, tidy(self.thickness)), Amount::Run(run));
        told.need(format!("{} king plank, {} wide", wood.name, tidy(self.laid.king)), Amount::Run(king));
        if !self.measured {
            told.reasons.push(
                Reason::new(
                    "deck.outline",
                    Verdict::Forbids,
                    "nobody took this outline on the boat: take it before wood is bought or cut to it",
                )
                .source("handbook 10"),
            );
        }
        self.movement(&mut told)?;
        match plan.glue {
            Some((adhesive, bags)) => {
                told.need("Adhesive", Amount::Of(adhesive, "kg"));
                told.need("Bags to weigh it down", Amount::Count(bags));
                told.reasons.push(
                    Reason::new("deck.leaks", Verdict::For, "glued down: no screw is left in it for water to follow")
                        .source("handbook 10")
                        .value("screws", 0.0, ""),
                );
            }
            None => {
                told.need("Screws", Amount::Count(plan.screws));
                told.need("Plugs", Amount::Count(plan.screws));
                told.reasons.push(
                    Reason::new(
                        "deck.leaks",
                        Verdict::Against,
                        "every screw is a way in for water; a glued deck has none",
                    )
                    .source("handbook 10")
                    .value("screws", f64::from(plan.screws), ""),
                );
            }
        }
        if plan.seam_metres > 0.0 && self.laid.seam > 0.0 {
            let way = if self.laid.held == Held::Glued { LaidDeck::Panels } else { LaidDeck::Caulked };
            let seams = seam::deck(way, self.laid.seam, self.compound, plan.seam_metres * 1000.0)
                .map_err(|e| InputError::new(if e.field == "depth" { "compound" } else { "seam" }, e.message))?;
            told.figure("Compound, deep", Amount::Length(seams.depth));
            told.need("Seam compound", Amount::Of(seams.compound_ml / 1000.0, "l"));
            let cartridges = match self.per_cartridge {
                Some(each) => {
                    let each = error::length("per_cartridge", each)?;
                    told.reasons.push(
                        Reason::note(
                            "deck.cartridge",
                            "reckoned from what the first cartridge filled, and one in reserve",
                        )
                        .source("handbook 10")
                        .value("seam a cartridge", each, "mm"),
                    );
                    whole_up(plan.seam_metres * 1000.0 / each) as u32 + 1
                }
                None => seams.cartridges,
            };
            told.need("Cartridges of it", Amount::Count(cartridges));
            told.need("Bond breaker tape", Amount::Run(plan.seam_metres * 1000.0));
            told.need("Masking tape", Amount::Run(seams.tape_length));
            told.reasons.extend(seams.reasons);
        }
        told.tasks = self.tasks(&plan, run, king, rate);
        Ok(told)
    }

    /// How much a plank moves between laid and wet, against the other way of sawing.
    fn movement(&self, told: &mut Told) -> Result<(), InputError> {
        let wood = species::find(&self.species)?;
        let moves = |angle: f64| {
            let shrinkage = shrinkage_at(wood.shrinkage_radial, wood.shrinkage_tangential, angle);
            movement(self.laid.plank, shrinkage, LIVES.0, LIVES.1)
        };
        let (own, quarter, flat) = (moves(self.ring_angle)?, moves(90.0)?, moves(0.0)?);
        told.figure("A plank moves", Amount::Length(own));
        let (verdict, text) = if self.ring_angle >= QUARTER {
            (Verdict::For, "quarter-sawn: it moves least, and wears evenly")
        } else {
            (Verdict::Against, "not quarter-sawn: a deck is laid of quarter-sawn stock only")
        };
        told.reasons.push(
            Reason::new("deck.sawn", verdict, text)
                .source("Wood Handbook eq. 13-1")
                .formula("ΔD = D·(Mf − Mi) / (30·100/S − 30 + Mi), 10 to 18 %")
                .value("a plank as it is moves", own, "mm")
                .value("quarter-sawn", quarter, "mm")
                .value("flat-sawn", flat, "mm"),
        );
        if self.laid.seam > 0.0 && own > self.laid.seam / 2.0 {
            told.reasons.push(
                Reason::new(
                    "deck.stretch",
                    Verdict::Against,
                    "the seam would be squeezed or stretched by more than half: narrower planks, or wider seams",
                )
                .source("handbook 10")
                .against("a plank moves", own, "mm", self.laid.seam / 2.0),
            );
        }
        Ok(())
    }

    fn tasks(&self, plan: &Plan, run: f64, king: f64, rate: Rate<'_>) -> Vec<crate::work::tasks::Task> {
        let (metres, all) = (run / 1000.0, (run + king) / 1000.0);
        let glued = self.laid.held == Held::Glued;
        let mut steps = Steps::new(rate);
        steps.add(O::Inspect, "Hatches and what is below go in first; beams planed fair to a batten", 1.0, 0.0, &[]);
        if !self.measured {
            steps.add(O::TakeShape, "Take the deck’s outline on the boat", king / 1000.0, 0.0, &[]);
        }
        steps.add(
            O::Mill,
            "Mill the planks, edges square, a groove for the seam",
            all,
            0.0,
            &[Caution::Machines, Caution::Dust],
        );
        let dry = if glued {
            "Dry-fit from the king plank outward, with marks across every joint"
        } else {
            "Fit from the king plank outward, each end nibbed or cut to the covering board"
        };
        steps.add(O::DryFit, dry, metres, 0.0, &[]);
        if glued {
            let bags = plan.glue.map_or(0, |g| g.1);
            steps.add(
                O::Glue,
                format!("Glue down, {bags} bags laid from the middle outward, overnight"),
                all,
                GLUE_CURE_HOURS,
                &[Caution::Resins, Caution::Heavy],
            );
        } else {
            steps.add(O::Fasten, "Bore, counterbore, screw and plug", f64::from(plan.screws), 0.0, &[]);
        }
        let pay = if glued {
            "Mask, prime, bond breaker, fill; end rows, margins and covering-board seams last"
        } else {
            "Cotton low, bond breaker, mask, prime, fill; end rows and covering-board seams last"
        };
        steps.add(O::Caulk, pay, plan.seam_metres, 24.0, &[Caution::Solvents]);
        steps.add(O::Fair, "Plane what cups, then sand flush", all, 0.0, &[Caution::Dust]);
        steps.tasks
    }
}

/// A length without tails, for a name.
fn tidy(mm: f64) -> String {
    format!("{mm:.1} mm").replace(".0 mm", " mm")
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use crate::deck::plan::Way;
    use crate::job::table;
    use crate::repair::butts::WIDE;

    pub(crate) fn deck() -> Deck {
        Deck {
            laid: Job {
                outline: vec![[0.0, 900.0], [3_000.0, 1_000.0], [6_000.0, 700.0]],
                king: 120.0,
                cover: 140.0,
                plank: 50.0,
                seam: 5.0,
                way: Way::Straight,
                beams: (0..=12).map(|n| 500.0 * f64::from(n)).collect(),
                longest: 4_000.0,
                rule: WIDE,
                held: Held::Screwed,
            },
            thickness: 14.0,
            species: "teak".into(),
            ring_angle: 90.0,
            compound: None,
            per_cartridge: None,
            measured: true,
        }
    }

    fn of(told: &Told, what: &str) -> Amount {
        let figure = told.figures.iter().find(|f| f.what == what).map(|f| f.amount);
        figure.or_else(|| told.needs.iter().find(|n| n.what == what).map(|n| n.amount)).expect(what)
    }

    fn rules(told: &Told, verdict: Verdict) -> Vec<&'static str> {
        told.reasons.iter().filter(|r| r.verdict == verdict).map(|r| r.rule).collect()
    }

    #[test]
    fn screws_are_told_as_leaks_and_a_glued_deck_has_none() {
        let screwed = deck().plan(&table).unwrap();
        let Amount::Count(screws) = of(&screwed, "Screws") else { panic!() };
        // Counted again from the planks and the beams they lie on: two a crossing.
        let deck_ = deck();
        let plan = deck_.planks().unwrap();
        let crossings = plan
            .planks
            .iter()
            .flat_map(|p| deck_.laid.beams.iter().filter(move |b| **b >= p.from && **b <= p.to))
            .count();
        assert_eq!(screws as usize, 2 * crossings);
        assert!(rules(&screwed, Verdict::Against).contains(&"deck.leaks"));
        let mut glued = deck();
        glued.laid.held = Held::Glued;
        let glued = glued.plan(&table).unwrap();
        assert!(glued.needs.iter().all(|n| n.what != "Screws" && n.what != "Plugs"));
        assert!(rules(&glued, Verdict::For).contains(&"deck.leaks"));
        assert!(glued.tasks.iter().any(|t| t.operation == O::Glue && t.wait_after >= 24.0));
        assert!(screwed.tasks.iter().all(|t| t.operation != O::Glue));
    }

    #[test]
    fn flat_sawn_stock_is_spoken_against_with_both_figures() {
        let flat = Deck { ring_angle: 0.0, ..deck() };
        let (quarter, flat) = (deck().plan(&table).unwrap(), flat.plan(&table).unwrap());
        let moves = |told: &Told| match of(told, "A plank moves") {
            Amount::Length(mm) => mm,
            other => panic!("{other:?}"),
        };
        // Teak: 2.5 % radial, 5.8 % tangential, eight points of moisture out of thirty.
        assert!(moves(&flat) > 1.8 * moves(&quarter), "{} {}", moves(&flat), moves(&quarter));
        assert!(rules(&quarter, Verdict::For).contains(&"deck.sawn"));
        assert!(rules(&flat, Verdict::Against).contains(&"deck.sawn"));
    }

    #[test]
    fn the_first_cartridge_measured_forecasts_the_rest() {
        let told = deck().plan(&table).unwrap();
        let Amount::Run(seams) = of(&told, "Seams") else { panic!() };
        let learned = Deck { per_cartridge: Some(seams / 7.5), ..deck() }.plan(&table).unwrap();
        assert_eq!(of(&learned, "Cartridges of it"), Amount::Count(9), "eight, and one in reserve");
        let wrong = Deck { per_cartridge: Some(0.0), ..deck() }.plan(&table).unwrap_err();
        assert_eq!(wrong.field, "per_cartridge");
    }

    #[test]
    fn an_outline_nobody_took_is_not_cut_to() {
        let told = Deck { measured: false, ..deck() }.plan(&table).unwrap();
        assert!(told.generated && rules(&told, Verdict::Forbids).contains(&"deck.outline"));
        assert_eq!(told.tasks.iter().filter(|t| t.operation == O::TakeShape).count(), 1);
        assert!(!deck().plan(&table).unwrap().generated);
    }

    #[test]
    fn errors_name_the_field_of_the_form() {
        let seam = Deck { laid: Job { seam: 9.0, ..deck().laid }, ..deck() };
        assert_eq!(seam.plan(&table).unwrap_err().field, "seam");
        assert_eq!(Deck { compound: Some(20.0), ..deck() }.plan(&table).unwrap_err().field, "compound");
        assert_eq!(Deck { species: "elfwood".into(), ..deck() }.plan(&table).unwrap_err().field, "species");
        assert_eq!(Deck { thickness: 0.0, ..deck() }.plan(&table).unwrap_err().field, "thickness");
    }
}
