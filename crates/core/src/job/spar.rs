//! A hollow spar of staves: made new, or mended where some of its staves are soft, each against the other.

use serde::{Deserialize, Serialize};

use super::{Amount, Rate, Steps, Told};
use crate::caution::Caution;
use crate::error::{self, InputError};
use crate::geometry::{Point, polyline_at};
use crate::reason::{Reason, Verdict};
use crate::spar::{round, stave};
use crate::timber::species;
use crate::units::whole_up;
use crate::work::estimate::Operation as O;
use crate::work::tasks::{GLUE_CURE_HOURS, Task};

/// A soft stretch of a stave; staves are counted from 1, as they are marked on the heel.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Soft {
    pub stave: u32,
    pub from: f64,
    pub to: f64,
}

/// A hollow spar. Lengths in mm, from the heel.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Spar {
    pub length: f64,
    pub staves: u32,
    /// Place and diameter there, rising; one is a spar without taper.
    pub taper: Vec<Point>,
    /// A fifth of the thickest diameter where nobody says.
    pub wall: Option<f64>,
    /// Of the scarfs.
    pub ratio: f64,
    /// An id of the table of species.
    pub species: String,
    /// Staves that are soft; none: the spar is made new.
    pub soft: Vec<Soft>,
    /// Beyond the last soft wood each way; the usual one where nobody says.
    pub margin: Option<f64>,
    /// Lengths there are to cut staves from.
    pub stock: Vec<f64>,
}

/// Turns of rope, and supports, lie so far apart, mm (*yard rule*; handbook 10).
pub const TURNS: f64 = 150.0;
pub const SUPPORTS: f64 = 1_000.0;
/// Lost to the saw and the plane on each stave's width, mm (*yard rule*).
pub const STAVE_WASTE: f64 = 6.0;

/// What a spar comes to, for its drawing.
#[derive(Debug, Clone, PartialEq)]
pub struct Drawn {
    pub hollow: round::Hollow,
    /// How it is mended; `None` where it is made new.
    pub mend: Option<stave::Answer>,
}

impl Spar {
    fn thickest(&self) -> f64 {
        self.taper.iter().map(|t| t[1]).fold(0.0, f64::max)
    }

    /// Staves, and the pieces and scarfs where it is mended. Errors name a field of the spar.
    pub fn draw(&self) -> Result<Drawn, InputError> {
        error::length("length", self.length)?;
        error::within("ratio", self.ratio, 8.0, 20.0)?;
        let Some(last) = self.taper.last() else {
            return Err(InputError::new("taper", "needs a diameter at least"));
        };
        if last[0] > self.length + 1e-9 {
            return Err(InputError::new("taper", "lies beyond the head"));
        }
        let hollow = round::hollow(self.thickest(), self.staves, self.wall, &self.taper)
            .map_err(|e| InputError::new(if e.root() == "diameter" { "taper" } else { e.root() }, e.message.clone()))?;
        if self.soft.is_empty() {
            return Ok(Drawn { hollow, mend: None });
        }
        let mut bad = Vec::with_capacity(self.soft.len());
        for soft in &self.soft {
            if soft.stave == 0 || soft.stave > self.staves {
                return Err(InputError::new("soft", format!("there are staves 1 to {}", self.staves)));
            }
            bad.push(stave::Bad { stave: soft.stave as usize - 1, from: soft.from, to: soft.to });
        }
        let job = stave::Job {
            length: self.length,
            staves: self.staves as usize,
            wall: hollow.wall,
            ratio: self.ratio,
            bad,
            margin: self.margin,
            stock: self.stock.clone(),
            most_out: None,
        };
        let mend = stave::plan(&job)
            .map_err(|e| InputError::new(if e.root() == "bad" { "soft" } else { e.root() }, e.message.clone()))?;
        Ok(Drawn { hollow, mend: Some(mend) })
    }

    /// Wood of the finished spar, m³, from heel to head.
    fn volume(&self, hollow: &round::Hollow) -> Result<f64, InputError> {
        const PARTS: u32 = 200;
        let step = self.length / f64::from(PARTS);
        let mut volume = 0.0;
        for n in 0..PARTS {
            let diameter = polyline_at(&self.taper, (f64::from(n) + 0.5) * step);
            let here = round::hollow(diameter, self.staves, Some(hollow.wall), &[])?;
            volume += here.solid_share * std::f64::consts::FRAC_PI_4 * diameter * diameter * step;
        }
        Ok(volume / 1e9)
    }

    pub(super) fn plan(&self, rate: Rate<'_>) -> Result<Told, InputError> {
        let wood = species::find(&self.species)?;
        let Drawn { hollow, mend } = self.draw()?;
        let mut told = Told::default();
        told.figure("Staves wide, at the thickest", Amount::Length(hollow.stave_width));
        told.figure("Wall", Amount::Length(hollow.wall));
        told.figure("Notch, deep", Amount::Length(hollow.notch_depth));
        told.figure("Its apex below the face", Amount::Length(hollow.notch_apex));
        let volume = self.volume(&hollow)?;
        // As the table has it: oven-dry by volume at 12 %, and the water.
        told.figure("It weighs, without fittings", Amount::Of(volume * wood.specific_gravity * 1_120.0, "kg"));
        told.figure("Supports, at least", Amount::Count(whole_up(self.length / SUPPORTS) as u32 + 1));
        let anew = self.anew(&hollow, rate);
        let width = format!(
            "{}, {:.0} × {:.0} mm in the rough, clear",
            wood.name,
            hollow.stave_width + STAVE_WASTE,
            hollow.wall + STAVE_WASTE
        );
        let hours = |tasks: &[Task]| tasks.iter().map(|t| t.hours.p50).sum::<f64>();
        match mend {
            None => {
                told.need(width, Amount::Run(f64::from(self.staves) * self.stave_run(&hollow)));
                told.tasks = anew;
            }
            Some(stave::Answer::Impossible(why)) => {
                told.reasons.push(
                    Reason::new("spar.staves", Verdict::Forbids, format!("it cannot be mended so: {why}"))
                        .source("handbook 10"),
                );
                told.need(width, Amount::Run(f64::from(self.staves) * self.stave_run(&hollow)));
                told.tasks = anew;
            }
            Some(stave::Answer::Repair(repair)) => {
                let tasks = self.mended(&repair, &hollow, rate);
                told.figure("New wood, all pieces", Amount::Run(repair.new_length));
                told.figure("Scarfs", Amount::Count(repair.scarfs.len() as u32));
                told.figure("Taken out in turns", Amount::Count(repair.at_once.len() as u32));
                told.need(width, Amount::Run(repair.new_length));
                told.need("Turns of rope, twisted tight", Amount::Count(turns(&repair)));
                let whole = f64::from(self.staves) * self.length;
                let share = repair.new_length / whole;
                let (verdict, text) = if hours(&tasks) < hours(&anew) {
                    (Verdict::For, "mending takes fewer hours than a new spar of wood")
                } else {
                    (Verdict::Against, "a new spar of wood takes fewer hours than mending this one")
                };
                told.reasons.push(
                    Reason::new("spar.or_new", verdict, text)
                        .source("handbook 10")
                        .value("hours to mend", hours(&tasks), "h")
                        .value("hours to make new", hours(&anew), "h")
                        .value("share of new wood", 100.0 * share, "%"),
                );
                told.reasons.push(
                    Reason::new(
                        "spar.staves",
                        Verdict::Note,
                        "glue lines between staves stop rot: each is judged by itself; never two neighbours out, nor more than half",
                    )
                    .source("handbook 10")
                    .value("scarf", self.ratio * hollow.wall, "mm"),
                );
                told.tasks = tasks;
            }
        }
        told.reasons.push(
            Reason::note("spar.stepping", "wires drawn and tested, and full cure, before she is stepped")
                .source("handbook 10"),
        );
        Ok(told)
    }

    /// Length of stock for one stave of a new spar: scarfed where none of the stock is as long.
    fn stave_run(&self, hollow: &round::Hollow) -> f64 {
        let longest = self.stock.iter().copied().fold(0.0, f64::max);
        let scarf = self.ratio * hollow.wall;
        if longest <= scarf || longest >= self.length {
            return self.length;
        }
        self.length + whole_up((self.length - longest) / (longest - scarf)) * scarf
    }

    fn anew(&self, hollow: &round::Hollow, rate: Rate<'_>) -> Vec<Task> {
        let metres = f64::from(self.staves) * self.stave_run(hollow) / 1000.0;
        let long = self.length / 1000.0;
        let mut steps = Steps::new(rate);
        steps.add(O::TakeShape, "Table of diameters, and one bench as long as the spar, true", long, 0.0, &[]);
        steps.add(
            O::Mill,
            "Mill the staves, scarf them to length, taper, cut the notch",
            metres,
            0.0,
            &[Caution::Machines, Caution::Dust],
        );
        steps.add(O::DryFit, "Dry-fit round its plugs: every notch closes", long, 0.0, &[]);
        steps.add(
            O::Glue,
            "Glue, a turn of rope every 150 mm; sight it straight",
            metres,
            GLUE_CURE_HOURS,
            &[Caution::Resins],
        );
        steps.add(O::Fair, "Eight, sixteen, round", long, 0.0, &[Caution::Dust]);
        steps.add(O::Seal, "Seal the same day, end grain first", long, 12.0, &[Caution::Solvents]);
        steps.tasks
    }

    fn mended(&self, repair: &stave::Repair, hollow: &round::Hollow, rate: Rate<'_>) -> Vec<Task> {
        let metres = repair.new_length / 1000.0;
        let scarf = self.ratio * hollow.wall;
        let mut steps = Steps::new(rate);
        steps.add(
            O::Inspect,
            "Cracks along paint or cloth opened; staves counted and marked at the heel",
            1.0,
            0.0,
            &[],
        );
        steps.add(
            O::Strip,
            "Strip it over the length and prove how far each stave is soft",
            metres,
            0.0,
            &[Caution::OldPaint],
        );
        steps.add(O::TakeShape, "Diameters and stave widths along it, while it is whole", metres, 0.0, &[]);
        for (turn, group) in repair.at_once.iter().enumerate() {
            let pieces: Vec<&stave::Piece> = group.iter().map(|i| &repair.pieces[*i]).collect();
            let length = pieces.iter().map(|p| p.to - p.from).sum::<f64>() / 1000.0;
            let named = pieces.iter().map(|p| (p.stave + 1).to_string()).collect::<Vec<_>>().join(", ");
            let of = if pieces.len() == 1 { format!("stave {named}") } else { format!("staves {named}") };
            let first =
                if turn == 0 { "Supported every metre, saw out" } else { "Once the turn before has cured, saw out" };
            steps.add(
                O::CutOut,
                format!("{first} {of}, scarfs cut to their marks"),
                length,
                0.0,
                &[Caution::Machines, Caution::Dust],
            );
            steps.add(
                O::Mill,
                format!("Mill new wood for {of}, no knot in a scarf"),
                length,
                0.0,
                &[Caution::Machines, Caution::Dust],
            );
            steps.add(O::DryFit, format!("Dry-fit {of}, blocks inside where fittings bear"), length, 0.0, &[]);
            // Both edges of each, and its scarfs.
            steps.add(
                O::Glue,
                format!("Glue {of}, a turn of rope every 150 mm; squeeze-out along both joints"),
                2.0 * length + 2.0 * pieces.len() as f64 * scarf / 1000.0,
                GLUE_CURE_HOURS,
                &[Caution::Resins],
            );
        }
        steps.add(O::Fair, "Eight, sixteen, round, into the old face", metres, 0.0, &[Caution::Dust]);
        steps.add(O::Seal, "Seal the same day, end grain first", metres, 12.0, &[Caution::Solvents]);
        steps.tasks
    }
}

/// Turns of rope over all new wood: one every 150 mm of the spar, whatever lies side by side there.
fn turns(repair: &stave::Repair) -> u32 {
    let mut spans: Vec<(f64, f64)> = repair.pieces.iter().map(|p| (p.from, p.to)).collect();
    spans.sort_by(|a, b| a.0.total_cmp(&b.0));
    let (mut covered, mut end) = (0.0, f64::NEG_INFINITY);
    for (from, to) in spans {
        covered += (to - end.max(from)).max(0.0);
        end = end.max(to);
    }
    whole_up(covered / TURNS) as u32 + 1
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use crate::job::table;

    pub(crate) fn topmast() -> Spar {
        Spar {
            length: 6_000.0,
            staves: 8,
            taper: vec![[0.0, 110.0], [4_000.0, 110.0], [6_000.0, 70.0]],
            wall: Some(20.0),
            ratio: 12.0,
            species: "sitka_spruce".into(),
            soft: vec![
                Soft { stave: 1, from: 1_000.0, to: 1_600.0 },
                Soft { stave: 2, from: 1_100.0, to: 1_500.0 },
                Soft { stave: 5, from: 900.0, to: 1_400.0 },
            ],
            margin: None,
            stock: vec![3_000.0, 2_400.0, 2_400.0],
        }
    }

    #[test]
    fn neighbours_come_out_in_turns_and_each_turn_cures() {
        let told = topmast().plan(&table).unwrap();
        let Some(stave::Answer::Repair(repair)) = topmast().draw().unwrap().mend else { panic!() };
        assert!(repair.at_once.len() >= 2, "staves 1 and 2 are neighbours");
        let glued: Vec<_> = told.tasks.iter().filter(|t| t.operation == O::Glue).collect();
        assert_eq!(glued.len(), repair.at_once.len());
        assert!(glued.iter().all(|t| t.wait_after == GLUE_CURE_HOURS));
        let first: Vec<bool> = ["stave 1", "staves 1"].iter().map(|s| glued[0].what.contains(s)).collect();
        let second: Vec<bool> = [", 2", "stave 2", "staves 2"].iter().map(|s| glued[0].what.contains(s)).collect();
        assert!(!(first.contains(&true) && second.contains(&true)), "{}", glued[0].what);
    }

    #[test]
    fn a_spar_without_soft_staves_is_made_new_and_weighs_what_its_wood_does() {
        let straight = Spar { taper: vec![[0.0, 100.0]], soft: Vec::new(), stock: vec![6_500.0], ..topmast() };
        let told = straight.plan(&table).unwrap();
        let weight = told.figures.iter().find(|f| f.what.starts_with("It weighs")).unwrap().amount;
        // A ring between a circle of 50 and an eight-sided hole whose sides stand 30 from the middle.
        let hole = 8.0 * 30.0f64.powi(2) * (std::f64::consts::PI / 8.0).tan();
        let kg = (std::f64::consts::PI * 2_500.0 - hole) * 6_000.0 / 1e9
            * crate::timber::species::find("sitka_spruce").unwrap().specific_gravity
            * 1_120.0;
        let Amount::Of(told_kg, "kg") = weight else { panic!() };
        assert!((told_kg - kg).abs() < 0.01, "{told_kg} {kg}");
        assert!(told.needs.iter().any(|n| n.amount == Amount::Run(48_000.0)), "eight staves, none scarfed");
        assert!(told.tasks.iter().all(|t| t.operation != O::CutOut));
    }

    #[test]
    fn short_stock_is_scarfed_to_length() {
        let short = Spar { soft: Vec::new(), stock: vec![2_500.0], ..topmast() };
        // 240 mm a scarf: 2500 + 2260 + 1720: three pieces, two scarfs.
        assert_eq!(short.stave_run(&short.draw().unwrap().hollow), 6_480.0);
    }

    #[test]
    fn stock_that_does_not_reach_is_said_and_the_spar_made_new() {
        let none = Spar { stock: vec![500.0], ..topmast() }.plan(&table).unwrap();
        assert!(none.reasons.iter().any(|r| r.rule == "spar.staves" && r.verdict == Verdict::Forbids));
        assert!(none.tasks.iter().all(|t| t.operation != O::CutOut));
    }

    #[test]
    fn rope_is_counted_once_where_staves_lie_side_by_side() {
        let piece = |stave, from, to| stave::Piece { stave, from, to, stock: vec![0] };
        let repair = stave::Repair {
            pieces: vec![piece(0, 0.0, 1_500.0), piece(3, 750.0, 1_500.0), piece(5, 3_000.0, 3_300.0)],
            scarfs: Vec::new(),
            new_length: 0.0,
            at_once: Vec::new(),
        };
        assert_eq!(turns(&repair), 13, "1500 and 300 of the spar, and the last");
    }

    #[test]
    fn errors_name_the_field_of_the_form() {
        let field = |spar: Spar| spar.plan(&table).unwrap_err().field;
        assert_eq!(field(Spar { taper: Vec::new(), ..topmast() }), "taper");
        assert_eq!(field(Spar { taper: vec![[0.0, 100.0], [9_000.0, 80.0]], ..topmast() }), "taper");
        assert_eq!(field(Spar { wall: Some(60.0), ..topmast() }), "wall");
        assert_eq!(field(Spar { soft: vec![Soft { stave: 9, from: 0.0, to: 1.0 }], ..topmast() }), "soft");
        assert_eq!(field(Spar { soft: vec![Soft { stave: 1, from: 9.0, to: 1.0 }], ..topmast() }), "soft");
        assert_eq!(field(Spar { species: String::new(), ..topmast() }), "species");
        assert_eq!(field(Spar { ratio: 2.0, ..topmast() }), "ratio");
    }
}
