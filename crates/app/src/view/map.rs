//! The planking map: both sides to scale, drawn in one pass.
//!
//! Port lies above with the sheer at the top, starboard below mirrored, the keel between them; the bow is to the
//! left. Every boat is drawn to the same length, so that glyphs and numbers stand in proportion on a skiff and on a ship.

use std::collections::BTreeMap;
use std::fmt::Write;

use mend_keel_core::fastening;
use mend_keel_core::geometry::extent;
use mend_keel_core::grid::{Address, Between, Joint, JointKind, Shell, Side};
use mend_keel_core::repair::butts::Violation;
use mend_keel_core::survey::{Extent, Grade};
use mend_keel_core::timber::moisture::MoistureClass;
use mend_keel_store::boats::{Boat, Plank};
use mend_keel_store::decisions::{Decision, Geometry, Piece, PieceState};
use mend_keel_store::findings::Finding;
use serde_json::json;

use super::layers::{self, Layers};
use super::svg;

/// Findings of one cell that are drawn apart; more are gathered into one.
const APART: usize = 4;

/// Length of every boat on the drawing, units; everything below is in the same units.
pub(super) const DRAWN_LENGTH: f64 = 8_000.0;
/// Room for frame numbers along the keel.
pub(super) const KEEL_BAND: f64 = 260.0;
/// Room round the drawing.
pub(super) const MARGIN: f64 = 220.0;
/// Findings smaller than this are only a glyph.
const SHOWN_FROM: f64 = 20.0;
/// Radius of one of a row of points.
const DOT: f64 = 14.0;
/// Size of a glyph.
const GLYPH: f64 = 110.0;
/// How far a scarf's line leans each way.
const SCARF_LEAN: f64 = 45.0;
/// Half between the two lines of a joint that is only assumed.
const OPEN: f64 = 16.0;

/// What the map shows.
#[derive(Debug)]
pub struct Map<'b> {
    pub boat: &'b Boat,
    pub planks: &'b [Plank],
    pub findings: &'b [Finding],
    pub decisions: &'b [Decision],
    pub pieces: &'b [Piece],
    pub joints: &'b [Joint],
    /// Pairs of `joints` that are too close.
    pub violations: &'b [Violation],
    pub selected: Option<Address>,
    pub layers: &'b Layers,
    /// The layer that is shown at first.
    pub layer: &'b str,
    /// New wood that is being laid out, its joints to be moved.
    pub trials: &'b [Trial],
    /// What to do with parts on the order page: member, class and words.
    pub marks: &'b [OrderMark],
}

/// A stretch of new wood that is being laid out: x mm aft of frame 1.
#[derive(Debug, Clone)]
pub struct Trial {
    pub part: i64,
    pub side: Side,
    pub strake: u32,
    pub from: f64,
    pub to: f64,
    /// Its new joints: which one, its bay, and the bays it may be moved between.
    pub joints: Vec<(String, u32, (u32, u32))>,
}

/// A part's place in the structural order.
#[derive(Debug, Clone)]
pub struct OrderMark {
    pub on: Marked,
    pub class: &'static str,
    pub text: String,
}

/// What of the shell's drawing a mark stands on.
#[derive(Debug, Clone, Copy)]
pub enum Marked {
    Plank(i64),
    Frame(Side, u32),
}

/// Places on the drawing.
pub(super) struct Scale<'s> {
    shell: &'s Shell,
    /// Greatest girth, mm.
    pub(super) girth: f64,
    /// Units for a millimetre.
    pub(super) per_mm: f64,
}

impl<'s> Scale<'s> {
    pub(super) fn new(shell: &'s Shell) -> Self {
        Self { shell, girth: shell.greatest_girth(), per_mm: DRAWN_LENGTH / shell.length().max(1.0) }
    }

    pub(super) fn x(&self, x: f64) -> f64 {
        MARGIN + x * self.per_mm
    }

    /// Height of a girth from the keel on one side.
    fn y(&self, side: Side, girth: f64) -> f64 {
        match side {
            Side::Port => MARGIN + (self.girth - girth) * self.per_mm,
            Side::Starboard => MARGIN + (self.girth + girth) * self.per_mm + KEEL_BAND,
        }
    }

    /// Height on the drawing of an edge row at any x.
    pub(super) fn edge(&self, side: Side, row: usize, x: f64) -> f64 {
        self.y(side, self.shell.girth(side, row, x))
    }

    /// An edge of a strake from one x to another, with a point at every frame between.
    pub(super) fn run(&self, side: Side, row: usize, from: f64, to: f64) -> Vec<[f64; 2]> {
        let between = self.shell.frames.iter().copied().filter(|x| *x > from && *x < to);
        std::iter::once(from)
            .chain(between)
            .chain(std::iter::once(to))
            .map(|x| [self.x(x), self.edge(side, row, x)])
            .collect()
    }

    /// A stretch of a strake as a closed shape.
    pub(super) fn stretch(&self, side: Side, strake: u32, from: f64, to: f64) -> Vec<[f64; 2]> {
        let row = strake as usize;
        let mut around = self.run(side, row - 1, from, to);
        around.extend(self.run(side, row, from, to).into_iter().rev());
        around
    }

    /// A point of a plank: x aft of frame 1, y up from the strake's lower edge.
    fn on_strake(&self, side: Side, strake: u32, x: f64, y: f64) -> [f64; 2] {
        [self.x(x), self.y(side, self.shell.girth(side, strake as usize - 1, x) + y)]
    }
}

/// New wood on a plank as a closed shape; nothing for wood that does not lie in its face.
fn on_plank(geometry: &Geometry, plank: &Plank, origin: f64, scale: &Scale<'_>) -> Option<Vec<[f64; 2]>> {
    match geometry {
        Geometry::Patch { outline, .. } => {
            Some(outline.iter().map(|p| scale.on_strake(plank.side, plank.strake, origin + p[0], p[1])).collect())
        }
        Geometry::Stretch { from, to, .. } => Some(scale.stretch(plank.side, plank.strake, origin + from, origin + to)),
        Geometry::Timber { .. } => None,
    }
}

impl Map<'_> {
    /// The whole drawing.
    pub fn draw(&self) -> String {
        self.with_inside(&self.inside())
    }

    /// The drawing round what [`Map::inside`] drew before: which cell is selected and which layer is shown stands outside it.
    pub fn with_inside(&self, inside: &str) -> String {
        let scale = Scale::new(&self.boat.shell);
        let width = DRAWN_LENGTH + 2.0 * MARGIN;
        let height = 2.0 * scale.girth * scale.per_mm + KEEL_BAND + 2.0 * MARGIN;
        let mut out = String::with_capacity(inside.len() + 16 * 1024);
        let _ = write!(
            out,
            "<svg id=\"map\" class=\"map\" viewBox=\"0 0 {width:.0} {height:.0}\" role=\"application\" tabindex=\"0\" \
             aria-label=\"Planking map of {}: arrow keys walk from cell to cell, question mark shows the keys\" \
             data-map='{}' data-layer=\"{}\">",
            svg::safe(&self.boat.name),
            svg::safe(&self.grid_data(&scale)),
            svg::safe(self.layer)
        );
        out.push_str(inside);
        out.push_str("<path id=\"map-cursor\" class=\"map-cursor\" d=\"\"/></svg>");
        out
    }

    /// One plank between its neighbours, with what was found on it and new wood laid over it.
    ///
    /// Empty where the plank is not on the drawing.
    pub fn strip(&self, plank: i64, new_wood: &[Geometry]) -> String {
        let Some(own) = self.planks.iter().find(|p| p.id == plank) else { return String::new() };
        let shell = &self.boat.shell;
        let scale = Scale::new(shell);
        let (from, to) = own.place().span(shell);
        let room = 0.04 * (to - from);
        let (from, to) = ((from - room).max(0.0), (to + room).min(shell.length()));
        let near = |p: &&Plank| p.side == own.side && p.strake.abs_diff(own.strake) <= 1;
        let mut out = String::with_capacity(8 * 1024);
        let (mut low, mut high) = (f64::INFINITY, f64::NEG_INFINITY);
        let mut planks = String::new();
        for p in self.planks.iter().filter(near) {
            let (a, b) = p.place().span(shell);
            let (a, b) = (a.max(from), b.min(to));
            if a >= b {
                continue;
            }
            let around = scale.stretch(p.side, p.strake, a, b);
            for [_, y] in &around {
                (low, high) = (low.min(*y), high.max(*y));
            }
            let class = if p.id == plank { "plank asked" } else { "plank beside" };
            let _ = write!(planks, "<polygon class=\"{class}\" points=\"{}\"/>", svg::points(around));
        }
        let pad = 90.0;
        let _ = write!(
            out,
            "<svg class=\"strip\" viewBox=\"{:.0} {:.0} {:.0} {:.0}\" role=\"img\" aria-label=\"{} with the new wood\">{planks}",
            scale.x(from),
            low - pad,
            (to - from) * scale.per_mm,
            high - low + 2.0 * pad,
            svg::safe(&self.boat.shown_strake(own.side, own.strake))
        );
        let rows = [own.strake.saturating_sub(2), (own.strake + 1).min(shell.strake_count())].map(|row| row as usize);
        for (i, x) in shell.frames.iter().enumerate().filter(|(_, x)| (from..=to).contains(*x)) {
            let [foot, head] = rows.map(|row| scale.edge(own.side, row, *x));
            let px = scale.x(*x);
            let _ = write!(out, "<path class=\"frame\" d=\"M{px:.0} {foot:.0}V{head:.0}\"/>");
            if i % 2 == 1 {
                let y = foot.max(head) + 78.0;
                let _ = write!(out, "<text class=\"map-number\" x=\"{px:.0}\" y=\"{y:.0}\">{}</text>", i + 1);
            }
        }
        let origin = own.place().span(shell).0;
        for geometry in new_wood {
            if let Some(around) = on_plank(geometry, own, origin, &scale) {
                let _ = write!(out, "<polygon class=\"piece\" points=\"{}\"/>", svg::points(around));
            }
        }
        let beside = |side, strake: u32| side == own.side && strake.abs_diff(own.strake) <= 1;
        let joints: Vec<Joint> = self.joints.iter().filter(|j| beside(j.side, j.strake)).copied().collect();
        let findings: Vec<Finding> = self.findings.iter().filter(|f| f.member_id == plank).cloned().collect();
        let planks: Vec<Plank> = self.planks.iter().filter(near).cloned().collect();
        let part = Map { joints: &joints, violations: &[], findings: &findings, planks: &planks, ..*self };
        part.draw_joints(&mut out, &scale);
        part.draw_findings(&mut out, &scale);
        out.push_str("</svg>");
        out
    }

    /// Everything within the drawing: the same while nothing was committed.
    pub fn inside(&self) -> String {
        let scale = Scale::new(&self.boat.shell);
        let mut out = String::with_capacity(64 * 1024);
        out.push_str(svg::GLYPHS);
        self.draw_planks(&mut out, &scale);
        self.draw_cells(&mut out, &scale);
        self.draw_seams(&mut out, &scale);
        self.draw_frames(&mut out, &scale);
        self.draw_pieces(&mut out, &scale);
        self.draw_joints(&mut out, &scale);
        self.draw_order(&mut out, &scale);
        self.draw_trials(&mut out, &scale);
        self.draw_spots(&mut out, &scale);
        self.draw_gathered(&mut out, &scale);
        self.draw_labels(&mut out, &scale);
        out
    }

    /// What the page's script needs to find the cell under a pointer.
    fn grid_data(&self, scale: &Scale<'_>) -> String {
        let round = |mm: f64| (mm * scale.per_mm * 10.0).round() / 10.0;
        let rows = |side| -> Vec<Vec<f64>> {
            self.boat.shell.edges_of(side).iter().map(|row| row.iter().copied().map(round).collect()).collect()
        };
        let starboard = self.boat.shell.starboard.as_ref().map(|_| rows(Side::Starboard));
        json!({
            "frames": self.boat.shell.frames.iter().copied().map(round).collect::<Vec<f64>>(),
            "edges": rows(Side::Port), "starboard": starboard, "margin": MARGIN, "girth": round(scale.girth), "band": KEEL_BAND, "boat": self.boat.id,
            "selected": self.selected.map(|at| at.to_string()),
        })
        .to_string()
    }

    /// What is known cell by cell: grade, moisture, past repairs, coverage, and which widths were measured.
    fn draw_cells(&self, out: &mut String, scale: &Scale<'_>) {
        let frames = &self.boat.shell.frames;
        let cell = |plank: &Plank, bay: u32| {
            let from = frames.get(bay as usize - 1)?;
            let to = frames.get(bay as usize)?;
            Some(svg::points(scale.stretch(plank.side, plank.strake, *from, *to)))
        };
        let mut groups: [String; 5] = Default::default();
        let mut known: Vec<_> = self.layers.cells.iter().collect();
        known.sort_by_key(|(key, _)| **key);
        for ((member, bay), state) in known {
            let Some(plank) = self.planks.iter().find(|p| p.id == *member) else {
                continue;
            };
            let Some(points) = cell(plank, *bay) else {
                continue;
            };
            let patterns = [
                state.grade.map(layers::grade_pattern),
                state.moisture.map(|m| layers::moisture_pattern(MoistureClass::of(m))),
                state.past.map(|(_, quality)| layers::past_pattern(quality)),
                layers::coverage_pattern(&state.looked),
                state.wood.and_then(layers::wood_pattern),
            ];
            for (group, pattern) in groups.iter_mut().zip(patterns) {
                if let Some(pattern) = pattern {
                    let _ = write!(group, "<polygon fill=\"url(#{pattern})\" points=\"{points}\"/>");
                }
            }
        }
        for (layer, group) in ["grade", "moisture", "past", "coverage", "age"].into_iter().zip(groups) {
            let _ = write!(out, "<g class=\"layer layer-{layer}\">{group}</g>");
        }
        out.push_str("<g class=\"layer layer-grid\">");
        for at in &self.boat.shell.measured {
            if self.boat.shell.place(*at).is_err() {
                continue;
            }
            let x = self.boat.shell.frame_x(at.frame);
            let row = at.strake as usize;
            let [low, high] = [row - 1, row].map(|row| scale.edge(at.side, row, x));
            let _ = write!(
                out,
                "<path class=\"measured\" d=\"M{0:.0} {low:.0}V{high:.0}\"/><circle class=\"measured-dot\" cx=\"{0:.0}\" cy=\"{1:.0}\" r=\"18\"/>",
                scale.x(x),
                (low + high) / 2.0
            );
        }
        out.push_str("</g><g class=\"layer layer-age\">");
        for plank in self.planks {
            if let Some(year) = plank.year {
                let (from, to) = plank.place().span(&self.boat.shell);
                let middle = (from + to) / 2.0;
                let row = plank.strake as usize;
                let y = (scale.edge(plank.side, row - 1, middle) + scale.edge(plank.side, row, middle)) / 2.0;
                let _ = write!(
                    out,
                    "<text class=\"map-year\" x=\"{:.0}\" y=\"{:.0}\">{year}</text>",
                    scale.x(middle),
                    y + 30.0
                );
            }
        }
        out.push_str("</g>");
    }

    /// Seams as they were found; a lapstrake hull shows its laps, a glued one that there is nothing to open.
    fn draw_seams(&self, out: &mut String, scale: &Scale<'_>) {
        let shell = &self.boat.shell;
        if self.boat.construction.between() == Between::Lap {
            out.push_str("<g class=\"laps\">");
            for side in Side::BOTH {
                for row in 1..shell.edges.len() - 1 {
                    // The land of a lap, drawn a little below the edge that is seen.
                    let line = scale.run(side, row, 0.0, shell.length()).into_iter().map(|[x, y]| {
                        let inward = if side == Side::Port { 14.0 } else { -14.0 };
                        [x, y + inward]
                    });
                    let _ = write!(out, "<polyline class=\"lap\" points=\"{}\"/>", svg::points(line));
                }
            }
            out.push_str("</g>");
        }
        out.push_str("<g class=\"layer layer-seams\">");
        for seam in &self.layers.seams {
            let (from, to) = (seam.from.max(0.0), seam.to.min(shell.length()));
            if from < to && seam.row < shell.edges.len() {
                let _ = write!(
                    out,
                    "<polyline class=\"seam {}\" points=\"{}\"/>",
                    layers::seam_class(seam.filler),
                    svg::points(scale.run(seam.side, seam.row, from, to))
                );
            }
        }
        out.push_str("</g>");
    }

    /// Readings with their figures, and fastenings drawn or picked.
    fn draw_spots(&self, out: &mut String, scale: &Scale<'_>) {
        let shell = &self.boat.shell;
        out.push_str("<g class=\"layer layer-moisture\">");
        for spot in &self.layers.moisture {
            let [x, y] = scale.on_strake(spot.at.side, spot.at.strake, spot.x, spot.y);
            let _ = write!(
                out,
                "<circle class=\"spot-dot\" cx=\"{x:.0}\" cy=\"{y:.0}\" r=\"16\"/><text class=\"spot-number\" x=\"{x:.0}\" y=\"{:.0}\">{:.0}</text>",
                y - 26.0,
                spot.moisture
            );
        }
        out.push_str("</g><g class=\"layer layer-fastenings\">");
        for spot in &self.layers.drawn {
            if shell.place(spot.at).is_err() {
                continue;
            }
            let heights = fastening::crossing(shell.width(spot.at));
            let y = heights.get(spot.nth.max(1) as usize - 1).or(heights.first()).copied().unwrap_or(0.0);
            let [x, y] = scale.on_strake(spot.at.side, spot.at.strake, shell.frame_x(spot.at.frame), y);
            let (glyph, size) = match spot.grade {
                None => ("g-pick", 100.0),
                Some(Grade::Sound) => ("g-drawn-good", 74.0),
                Some(Grade::Watch) => ("g-drawn-tired", 74.0),
                Some(_) => ("g-drawn-bad", 74.0),
            };
            let _ = write!(
                out,
                "<use href=\"#{glyph}\" x=\"{:.0}\" y=\"{:.0}\" width=\"{size}\" height=\"{size}\" class=\"glyph\"/>",
                x - size / 2.0,
                y - size / 2.0
            );
        }
        out.push_str("</g>");
    }

    fn draw_planks(&self, out: &mut String, scale: &Scale<'_>) {
        for plank in self.planks {
            let (from, to) = plank.place().span(&self.boat.shell);
            let decided = self.decisions.iter().any(|d| d.member_id == plank.id);
            let _ = write!(
                out,
                "<polygon class=\"plank{}{}\" points=\"{}\"/>",
                if plank.year.is_some() { " renewed" } else { "" },
                if decided { " decided" } else { "" },
                svg::points(scale.stretch(plank.side, plank.strake, from, to))
            );
        }
    }

    fn draw_frames(&self, out: &mut String, scale: &Scale<'_>) {
        let sheer = self.boat.shell.edges.len() - 1;
        for side in Side::BOTH {
            for x in &self.boat.shell.frames {
                let [foot, head] = [0, sheer].map(|row| scale.edge(side, row, *x));
                let _ = write!(out, "<path class=\"frame\" d=\"M{:.0} {foot:.0}V{head:.0}\"/>", scale.x(*x));
            }
        }
    }

    /// Kind of a joint: the plank forward of it knows.
    fn kind_of(&self, joint: &Joint) -> JointKind {
        self.planks
            .iter()
            .find(|p| p.side == joint.side && p.strake == joint.strake && p.to_bay == Some(joint.bay))
            .map_or(JointKind::Butt, |p| p.to_joint)
    }

    fn draw_joints(&self, out: &mut String, scale: &Scale<'_>) {
        for (i, joint) in self.joints.iter().enumerate() {
            let x = self.boat.shell.bay_middle(joint.bay);
            let bad = self.violations.iter().any(|v| v.a == i || v.b == i);
            let [low, high] =
                [joint.strake as usize - 1, joint.strake as usize].map(|row| scale.edge(joint.side, row, x));
            // A scarf leans the way its outer edge points.
            let lean = match self.kind_of(joint) {
                JointKind::Butt | JointKind::ButtOnFrame => 0.0,
                JointKind::ScarfAft => SCARF_LEAN,
                JointKind::ScarfForward => -SCARF_LEAN,
            };
            let _ = write!(
                out,
                "<path class=\"joint{}\" data-joint=\"{}{}.{}\" d=\"M{:.0} {low:.0}L{:.0} {high:.0}\"/>",
                if bad { " bad" } else { "" },
                joint.side.letter(),
                joint.strake,
                joint.bay,
                scale.x(x) - lean,
                scale.x(x) + lean
            );
        }
        for plank in self.planks.iter().filter(|p| !p.to_seen) {
            let Some(bay) = plank.to_bay else { continue };
            let x = self.boat.shell.bay_middle(bay);
            let [low, high] =
                [plank.strake as usize - 1, plank.strake as usize].map(|row| scale.edge(plank.side, row, x));
            let px = scale.x(x);
            let _ = write!(
                out,
                "<path class=\"joint assumed\" d=\"M{0:.0} {low:.0}L{0:.0} {high:.0}M{1:.0} {low:.0}L{1:.0} {high:.0}\"><title>joint in bay {bay}: assumed, nobody saw it</title></path>",
                px - OPEN,
                px + OPEN
            );
        }
        for v in self.violations {
            let middle = |joint: &Joint| {
                let x = self.boat.shell.bay_middle(joint.bay);
                let row = joint.strake as usize;
                [scale.x(x), (scale.edge(joint.side, row - 1, x) + scale.edge(joint.side, row, x)) / 2.0]
            };
            let [a, b] = [middle(&self.joints[v.a]), middle(&self.joints[v.b])];
            let _ = write!(
                out,
                "<path class=\"too-close\" d=\"M{:.0} {:.0}L{:.0} {:.0}\"><title>{} and {}: {}</title></path>",
                a[0],
                a[1],
                b[0],
                b[1],
                self.joints[v.a],
                self.joints[v.b],
                v.conflict.text()
            );
        }
    }

    /// New wood being laid out: each joint is a handle to be dragged from bay to bay, or moved by the arrow keys.
    fn draw_trials(&self, out: &mut String, scale: &Scale<'_>) {
        let last = self.boat.shell.frame_count().saturating_sub(1);
        for trial in self.trials {
            let _ = write!(
                out,
                "<polygon class=\"trial\" data-trial=\"{}\" points=\"{}\"/>",
                trial.part,
                svg::points(scale.stretch(trial.side, trial.strake, trial.from, trial.to))
            );
        }
        for trial in self.trials {
            for (which, bay, (low, high)) in &trial.joints {
                let x = self.boat.shell.bay_middle(*bay);
                let row = trial.strake as usize;
                let [foot, head] = [row - 1, row].map(|row| scale.edge(trial.side, row, x));
                let (top, bottom) = (foot.min(head), foot.max(head));
                let _ = write!(
                    out,
                    "<g class=\"new-joint\" data-part=\"{}\" data-which=\"{which}\" data-side=\"{}\" data-strake=\"{}\" tabindex=\"0\" role=\"slider\" \
                     aria-label=\"New joint on {}{}\" aria-valuemin=\"{low}\" aria-valuemax=\"{}\" aria-valuenow=\"{bay}\" aria-valuetext=\"bay {bay}\">\
                     <rect class=\"grip\" x=\"{:.0}\" y=\"{:.0}\" width=\"200\" height=\"{:.0}\"/>\
                     <path class=\"joint new\" d=\"M{:.0} {top:.0}V{bottom:.0}\"/></g>",
                    trial.part,
                    trial.side.letter(),
                    trial.strake,
                    trial.side.letter(),
                    trial.strake,
                    (*high).min(last),
                    scale.x(x) - 100.0,
                    top - 20.0,
                    bottom - top + 40.0,
                    scale.x(x)
                );
            }
        }
    }

    /// Planks and frames in the structural order, by hatch and by word.
    fn draw_order(&self, out: &mut String, scale: &Scale<'_>) {
        let shell = &self.boat.shell;
        for mark in self.marks {
            let (shape, at) = match mark.on {
                Marked::Plank(id) => {
                    let Some(plank) = self.planks.iter().find(|p| p.id == id) else { continue };
                    let (from, to) = plank.place().span(shell);
                    let (middle, row) = ((from + to) / 2.0, plank.strake as usize);
                    let y = (scale.edge(plank.side, row - 1, middle) + scale.edge(plank.side, row, middle)) / 2.0;
                    (svg::points(scale.stretch(plank.side, plank.strake, from, to)), [scale.x(middle), y + 36.0])
                }
                Marked::Frame(side, number) => {
                    if number == 0 || number > shell.frame_count() {
                        continue;
                    }
                    let x = shell.frame_x(number);
                    let [foot, head] = [0, shell.edges.len() - 1].map(|row| scale.edge(side, row, x));
                    let half = 42.0;
                    let left = scale.x(x) - half;
                    let right = scale.x(x) + half;
                    let band = [[left, foot], [right, foot], [right, head], [left, head]];
                    let word = head + if side == Side::Port { -24.0 } else { 100.0 };
                    (svg::points(band), [scale.x(x), word])
                }
            };
            let _ = write!(
                out,
                "<polygon class=\"order {}\" points=\"{shape}\"/><text class=\"order-word\" x=\"{:.0}\" y=\"{:.0}\">{}</text>",
                mark.class,
                at[0],
                at[1],
                svg::safe(&mark.text)
            );
        }
    }

    /// Findings as they are seen from far out: in a cell that has many they would lie on each other, and only the worst is drawn, with how
    /// many there are. What is gone or mended gives way to what is open.
    fn draw_gathered(&self, out: &mut String, scale: &Scale<'_>) {
        let mut cells: BTreeMap<Address, Vec<&Finding>> = BTreeMap::new();
        for finding in self.findings {
            if let Some(at) = finding.address() {
                cells.entry(at).or_default().push(finding);
            }
        }
        for (at, here) in cells {
            if here.len() <= APART {
                self.draw_some(out, scale, here.into_iter());
                continue;
            }
            let Some(worst) = here.iter().max_by_key(|f| (f.is_open(), f.grade)) else { continue };
            if self.boat.shell.place(at).is_err() {
                continue;
            }
            let [x, y] = scale.on_strake(at.side, at.strake, self.boat.datum(at.frame), 0.0);
            let centre = [x + GLYPH, y - GLYPH / 2.0];
            let _ = write!(
                out,
                "<g class=\"finding {} {} {}\" data-at=\"{at}\"><title>{}: {} findings, the worst {}, {}</title>{}\
                 <text class=\"gathered\" x=\"{:.1}\" y=\"{:.1}\">{}</text></g>",
                worst.grade.code(),
                worst.certainty.code(),
                worst.outcome.code(),
                self.boat.shown(at),
                here.len(),
                worst.kind.label(),
                worst.grade.label(),
                svg::glyph(worst.kind, worst.certainty, centre, GLYPH),
                centre[0] + GLYPH * 0.6,
                centre[1] + GLYPH * 0.3,
                here.len()
            );
        }
    }

    fn draw_findings(&self, out: &mut String, scale: &Scale<'_>) {
        self.draw_some(out, scale, self.findings.iter());
    }

    fn draw_some<'f>(&self, out: &mut String, scale: &Scale<'_>, findings: impl Iterator<Item = &'f Finding>) {
        for finding in findings {
            let Some(at) = finding.address().filter(|at| self.boat.shell.place(*at).is_ok()) else {
                continue;
            };
            let datum = self.boat.datum(at.frame);
            let place = |p: &[f64; 2]| scale.on_strake(at.side, at.strake, datum + p[0], p[1]);
            let drawn: Vec<[f64; 2]> = finding.shape.iter().map(place).collect();
            let Some(((x0, x1), (y0, y1))) = extent(&drawn, 0).zip(extent(&drawn, 1)) else {
                continue;
            };
            let _ = write!(
                out,
                "<g class=\"finding {} {} {}\" data-at=\"{at}\"><title>{}: {}, {}, {}</title>",
                finding.grade.code(),
                finding.certainty.code(),
                finding.outcome.code(),
                self.boat.shown(at),
                finding.kind.label(),
                finding.grade.label(),
                finding.certainty.label()
            );
            if finding.kind.extent() == Extent::Point && drawn.len() > 1 {
                for [x, y] in &drawn {
                    let _ = write!(out, "<circle class=\"extent\" cx=\"{x:.1}\" cy=\"{y:.1}\" r=\"{DOT}\"/>");
                }
            } else if x1 - x0 > SHOWN_FROM {
                let shape = if drawn.len() > 2 { "polygon" } else { "polyline" };
                let _ = write!(out, "<{shape} class=\"extent\" points=\"{}\"/>", svg::points(drawn));
            }
            out.push_str(&svg::glyph(finding.kind, finding.certainty, [(x0 + x1) / 2.0, (y0 + y1) / 2.0], GLYPH));
            out.push_str("</g>");
        }
    }

    fn draw_pieces(&self, out: &mut String, scale: &Scale<'_>) {
        for piece in self.pieces {
            let Some(plank) = self.planks.iter().find(|p| p.id == piece.member_id) else {
                continue;
            };
            let (origin, _) = plank.place().span(&self.boat.shell);
            let state = if piece.state == PieceState::Cut { "piece cut" } else { "piece" };
            let Some(around) = on_plank(&piece.geometry, plank, origin, scale) else { continue };
            let _ = write!(
                out,
                "<polygon class=\"{state}\" points=\"{}\"><title>{}</title></polygon>",
                svg::points(around),
                svg::safe(&piece.name)
            );
        }
    }

    fn draw_labels(&self, out: &mut String, scale: &Scale<'_>) {
        let shell = &self.boat.shell;
        // Which of the grid bears the number a crew counting from the other end gives it.
        let number = |shown: u32, from_far_end: bool, count: u32| if from_far_end { count + 1 - shown } else { shown };
        let every = if shell.frame_count() > 40 { 5 } else { 2 };
        let keel = scale.y(Side::Port, 0.0) + KEEL_BAND / 2.0;
        for frame in (1..=shell.frame_count()).filter(|f| *f == 1 || (f % every == 0 && *f > 2)) {
            let x = scale.x(shell.frame_x(number(frame, self.boat.numbering.frames_from_aft, shell.frame_count())));
            let _ = write!(out, "<text class=\"map-number\" x=\"{x:.0}\" y=\"{:.0}\">{frame}</text>", keel + 35.0);
        }
        // A number needs this much room at the stem, where the strakes are narrowest.
        const NUMBER: f64 = 90.0;
        let sheer_at_stem = shell.edges.last().map_or(1.0, |sheer| sheer[0]);
        let narrowest = sheer_at_stem * scale.per_mm / f64::from(shell.strake_count().max(1));
        let every = [1, 2, 5, 10].into_iter().find(|n| f64::from(*n) * narrowest >= NUMBER).unwrap_or(20);
        for side in Side::BOTH {
            for strake in (1..=shell.strake_count()).filter(|s| *s == 1 || (s % every == 0 && *s > every.min(2))) {
                let row = number(strake, self.boat.numbering.strakes_from_sheer, shell.strake_count()) as usize;
                let y = (scale.edge(side, row - 1, 0.0) + scale.edge(side, row, 0.0)) / 2.0 + 30.0;
                let x = MARGIN - 60.0;
                let _ = write!(out, "<text class=\"map-number strake\" x=\"{x:.0}\" y=\"{y:.0}\">{strake}</text>");
            }
            let y = if side == Side::Port {
                MARGIN - 60.0
            } else {
                MARGIN + 2.0 * scale.girth * scale.per_mm + KEEL_BAND + 150.0
            };
            let _ = write!(
                out,
                "<text class=\"map-side\" x=\"{MARGIN}\" y=\"{y:.0}\">◁ bow · {}</text>\
                 <text class=\"map-side end\" x=\"{:.0}\" y=\"{y:.0}\">stern ▷</text>",
                side.label(),
                MARGIN + DRAWN_LENGTH
            );
        }
    }
}
