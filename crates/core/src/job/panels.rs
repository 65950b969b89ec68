//! Plywood panels glued to beams: beads, screws that hold while it cures, and panels longer than a sheet.

use serde::{Deserialize, Serialize};

use super::{Amount, Rate, Steps, Told};
use crate::caution::Caution;
use crate::error::{self, InputError};
use crate::reason::{Reason, Verdict};
use crate::repair::resin::{self, Mix, Use};
use crate::units::whole_up;
use crate::work::estimate::Operation as O;
use crate::work::tasks::{GLUE_CURE_HOURS, Task};

/// A panel as it is cut, mm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Panel {
    pub name: String,
    pub length: f64,
    pub width: f64,
}

/// Panels on beams. Lengths in mm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Panels {
    pub panels: Vec<Panel>,
    pub thickness: f64,
    pub sheet_length: f64,
    pub sheet_width: f64,
    /// Beams and edges they lie on, all together, and how wide these are.
    pub bearing: f64,
    pub bearing_width: f64,
    /// Least radius the panels are bent to; `None`: they lie flat.
    pub radius: Option<f64>,
    /// An edge that gets a bevel: panels are cut proud.
    pub bevelled: bool,
    /// Parts of resin to one of hardener; minutes in the pot at 20 °C, and how warm it is.
    pub ratio: f64,
    pub pot_life: f64,
    pub temperature: f64,
}

/// Screws that hold while glue cures lie so far apart, mm, and closer on a curve (*yard rule*; handbook 10).
pub const SCREWS: f64 = 150.0;
/// The radius from which they may be as far apart, mm (*yard rule*).
const GENTLE: f64 = 4_000.0;
/// Closest they are set, mm.
const CLOSEST: f64 = 75.0;
/// A bead squeezed flat leaves a glue line so thick, mm (*yard rule*).
pub const GLUE_LINE: f64 = 1.0;
/// A panel is cut so much proud where its edge gets a bevel, mm.
pub const PROUD: f64 = 6.0;
/// Scarf of plywood, to one.
pub const SCARF: f64 = 8.0;

impl Panels {
    /// Distance between screws: the usual one, closer by the curve.
    fn spacing(&self) -> f64 {
        self.radius.map_or(SCREWS, |r| (SCREWS * (r / GENTLE).sqrt()).clamp(CLOSEST, SCREWS))
    }

    /// Diameter of the bead that fills the bearing when it is squeezed flat: `d = √(4·w·g/π)`.
    pub fn bead(&self) -> f64 {
        (4.0 * self.bearing_width * GLUE_LINE / std::f64::consts::PI).sqrt()
    }

    pub(super) fn plan(&self, rate: Rate<'_>) -> Result<Told, InputError> {
        for (field, value) in [
            ("thickness", self.thickness),
            ("sheet_length", self.sheet_length),
            ("sheet_width", self.sheet_width),
            ("bearing", self.bearing),
            ("bearing_width", self.bearing_width),
        ] {
            error::length(field, value)?;
        }
        if let Some(radius) = self.radius {
            error::length("radius", radius)?;
        }
        if self.panels.is_empty() || self.panels.len() > 200 {
            return Err(InputError::new("panels", "needs 1 to 200 panels"));
        }
        let mut told = Told::default();
        let scarf = SCARF * self.thickness;
        let proud = if self.bevelled { PROUD } else { 0.0 };
        let (mut area, mut scarfs, mut run) = (0.0, 0.0, 0.0);
        for (i, panel) in self.panels.iter().enumerate() {
            let at = |e: InputError| InputError::new("panels", format!("line {}: {}", i + 1, e.message));
            let (length, width) =
                (error::length("length", panel.length).map_err(at)?, error::length("width", panel.width).map_err(at)?);
            let (length, width) = (length + 2.0 * proud, width + 2.0 * proud);
            area += length * width / 1e6;
            run += length;
            if width > self.sheet_width + 1e-9 {
                told.reasons.push(
                    Reason::new(
                        "panels.sheet",
                        Verdict::Forbids,
                        format!("{} is wider than a sheet: a seam on a beam", panel.name),
                    )
                    .source("handbook 10")
                    .against("width", width, "mm", self.sheet_width),
                );
            }
            if length > self.sheet_length + 1e-9 {
                let joints = whole_up((length - self.sheet_length) / (self.sheet_length - scarf).max(1.0));
                scarfs += joints * width;
                told.reasons.push(
                    Reason::new(
                        "panels.scarf",
                        Verdict::Note,
                        format!(
                            "{} is longer than a sheet: {joints:.0} scarf at 8:1, before its shape is cut",
                            panel.name
                        ),
                    )
                    .source("handbook 10")
                    .against("length", length, "mm", self.sheet_length)
                    .value("scarf", scarf, "mm"),
                );
            }
        }
        let spacing = self.spacing();
        let screws = whole_up(self.bearing / spacing) as u32 + 1;
        told.figure("Panels", Amount::Count(self.panels.len() as u32));
        told.figure("Their area, as cut", Amount::Of(area, "m²"));
        told.figure("Bead, across", Amount::Length(self.bead()));
        told.figure("Screws that hold, apart", Amount::Length(spacing));
        told.figure("All to come out again", Amount::Count(screws));
        told.need(format!("Plywood {:.0} mm, at least", self.thickness), Amount::Of(area, "m²"));
        told.need("Screws with washers, to hold", Amount::Count(screws));
        let mut uses = vec![Use::Bead { diameter: self.bead(), length: self.bearing }];
        if scarfs > 0.0 {
            uses.push(Use::Joint { area: scarfs * scarf / 1e6 });
        }
        let mix =
            Mix { ratio: [self.ratio, 1.0], pot_life: self.pot_life, temperature: self.temperature, use_minutes: None };
        let mixed = resin::amount(&uses, &mix).map_err(|e| InputError::new(e.root(), e.message.clone()))?;
        told.need("Resin", Amount::Of(mixed.resin, "kg"));
        told.need("Hardener", Amount::Of(mixed.hardener, "kg"));
        told.need("Filler", Amount::Of(mixed.filler, "l"));
        told.figure("Batches", Amount::Count(mixed.batches));
        told.figure("In the pot it lives", Amount::Of(mixed.pot_minutes, "min"));
        told.reasons.push(
            Reason::note(
                "panels.bead",
                "as much as fills the bearing, squeezed flat; squeeze-out everywhere tells it did",
            )
            .source("handbook 10")
            .formula("d = √(4·w·g/π)")
            .value("bearing", self.bearing_width, "mm")
            .value("glue line", GLUE_LINE, "mm"),
        );
        if self.bevelled {
            told.reasons.push(
                Reason::note("panels.proud", "cut proud where the edge gets a bevel")
                    .source("handbook 10")
                    .value("proud", PROUD, "mm"),
            );
        }
        told.tasks = self.tasks(screws, scarfs, run, rate);
        Ok(told)
    }

    fn tasks(&self, screws: u32, scarfs: f64, run: f64, rate: Rate<'_>) -> Vec<Task> {
        let (bearing, run) = (self.bearing / 1000.0, run / 1000.0);
        let mut steps = Steps::new(rate);
        steps.add(O::Inspect, "Hatches, tanks and wiring below go in before it closes over them", 1.0, 0.0, &[]);
        steps.add(O::TakeShape, "Templates, checked by their diagonals, laid over what was delivered", run, 0.0, &[]);
        steps.add(
            O::Mill,
            "Scarf what is longer than a sheet, cut to the templates",
            run,
            0.0,
            &[Caution::Machines, Caution::Dust],
        );
        steps.add(O::DryFit, "Dry-fit, marks across every edge", run, 0.0, &[]);
        let glue = "Beads on every bearing, screws and washers, squeeze-out everywhere";
        steps.add(O::Glue, glue, bearing + scarfs / 1000.0, GLUE_CURE_HOURS, &[Caution::Resins]);
        steps.add(O::Fasten, "Screws and washers all out, counted; holes plugged", f64::from(screws) / 2.0, 0.0, &[]);
        steps.add(O::Fair, "Edges flush with plane, then block; rounded", run, 0.0, &[Caution::Dust]);
        steps.add(O::Seal, "Edges and end grain sealed", run, 12.0, &[Caution::Solvents]);
        steps.tasks
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use crate::job::table;

    pub(crate) fn panels() -> Panels {
        let panel = |name: &str, length, width| Panel { name: name.into(), length, width };
        Panels {
            panels: vec![panel("Foredeck, port", 2_300.0, 900.0), panel("Side deck", 3_000.0, 400.0)],
            thickness: 9.0,
            sheet_length: 2_440.0,
            sheet_width: 1_220.0,
            bearing: 14_000.0,
            bearing_width: 40.0,
            radius: None,
            bevelled: true,
            ratio: 2.0,
            pot_life: 40.0,
            temperature: 18.0,
        }
    }

    #[test]
    fn a_bead_squeezed_flat_just_fills_its_bearing() {
        let area = std::f64::consts::FRAC_PI_4 * panels().bead().powi(2);
        assert!((area - 40.0 * GLUE_LINE).abs() < 1e-9);
    }

    #[test]
    fn what_is_longer_than_a_sheet_is_scarfed_before_it_is_cut() {
        let told = panels().plan(&table).unwrap();
        let scarfed: Vec<_> = told.reasons.iter().filter(|r| r.rule == "panels.scarf").collect();
        assert_eq!(scarfed.len(), 1);
        assert!(scarfed[0].text.contains("Side deck") && scarfed[0].text.contains("1 scarf"));
        // With six millimetres proud each way it takes a sheet exactly: no scarf. One more, and it does.
        let exact = |length| {
            let panels = Panels { panels: vec![Panel { name: "a".into(), length, width: 400.0 }], ..panels() };
            panels.plan(&table).unwrap().reasons.iter().any(|r| r.rule == "panels.scarf")
        };
        assert!(!exact(2_428.0) && exact(2_429.0));
        let wide = Panels { panels: vec![Panel { name: "b".into(), length: 900.0, width: 1_300.0 }], ..panels() };
        assert!(wide.plan(&table).unwrap().reasons.iter().any(|r| r.verdict == Verdict::Forbids));
    }

    #[test]
    fn screws_stand_closer_on_a_curve_and_never_closer_than_can_be_driven() {
        let spacing = |radius| Panels { radius, ..panels() }.spacing();
        assert_eq!(spacing(None), SCREWS);
        assert_eq!(spacing(Some(9_000.0)), SCREWS);
        assert!(spacing(Some(2_000.0)) < SCREWS && spacing(Some(2_000.0)) > CLOSEST);
        assert_eq!(spacing(Some(10.0)), CLOSEST);
    }

    #[test]
    fn errors_name_the_field_of_the_form() {
        let field = |p: Panels| p.plan(&table).unwrap_err().field;
        assert_eq!(field(Panels { panels: Vec::new(), ..panels() }), "panels");
        assert_eq!(field(Panels { bearing: 0.0, ..panels() }), "bearing");
        assert_eq!(field(Panels { ratio: 0.0, ..panels() }), "ratio");
        assert_eq!(field(Panels { temperature: 90.0, ..panels() }), "temperature");
        let none = vec![Panel { name: "c".into(), length: 0.0, width: 1.0 }];
        assert_eq!(field(Panels { panels: none, ..panels() }), "panels");
    }
}
