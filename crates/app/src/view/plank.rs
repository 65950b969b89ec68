//! A plank's own drawing: a stretch of it to scale, with frames, fastenings, damage and pieces.
//!
//! One unit is one millimetre; y grows downward on the page, so heights are turned over.

use std::fmt::Write;

use mend_keel_core::geometry::{Point, polyline_at};
use mend_keel_core::grid::plank::Hole;
use mend_keel_core::survey::{Certainty, Extent, FindingKind};

use super::svg;

/// A damage shape to draw.
#[derive(Debug, Clone)]
pub struct Mark {
    pub kind: FindingKind,
    pub certainty: Certainty,
    pub shape: Vec<Point>,
}

/// A stretch of plank, x in mm of the drawing's own datum.
#[derive(Debug, Clone)]
pub struct PlankView {
    pub from: f64,
    pub to: f64,
    /// Upper edge above the lower one, x rising over the stretch.
    pub upper: Vec<Point>,
    /// Frame number and x of its centre line.
    pub frames: Vec<(u32, f64)>,
    pub frame_sided: f64,
    pub holes: Vec<Hole>,
    pub marks: Vec<Mark>,
    /// Outlines of new wood.
    pub outlines: Vec<Vec<Point>>,
    /// Where the plank's own ends fall in the stretch.
    pub ends: Vec<f64>,
}

/// Room round the plank for numbers, mm.
pub const ROOM: f64 = 46.0;

impl PlankView {
    /// A part that is no plank, so wide, mm, from one x of it to another; `ends`: where it and its cells end.
    pub fn of_part(
        width: f64,
        [from, to]: [f64; 2],
        ends: &[f64],
        marks: Vec<Mark>,
        outlines: Vec<Vec<Point>>,
    ) -> Self {
        Self {
            from,
            to,
            upper: vec![[from, width], [to, width]],
            frames: Vec::new(),
            frame_sided: 0.0,
            holes: Vec::new(),
            marks,
            outlines,
            ends: ends.iter().copied().filter(|x| (from..=to).contains(x)).collect(),
        }
    }

    /// By itself beside what is said of it, on a page that has the glyphs.
    pub fn strip(&self, what: &str, clip: &str) -> String {
        let (width, height) = self.size();
        let mut out = format!(
            "<svg class=\"strip plank-drawing\" viewBox=\"0 0 {width:.0} {height:.0}\" role=\"img\" aria-label=\"{}\">",
            svg::safe(what)
        );
        self.body(&mut out, clip);
        out.push_str("</svg>");
        out
    }

    /// As high as it is drawn: new wood may be wider than the part was thought to be.
    pub fn tallest(&self) -> f64 {
        self.upper.iter().chain(self.outlines.iter().flatten()).map(|p| p[1]).fold(1.0, f64::max)
    }

    /// A point of the plank on the page.
    pub fn place(&self, p: Point) -> Point {
        [p[0] - self.from + ROOM, self.tallest() - p[1] + ROOM]
    }

    pub fn size(&self) -> (f64, f64) {
        (self.to - self.from + 2.0 * ROOM, self.tallest() + 2.0 * ROOM)
    }

    /// What lies under every drawing of a plank: its face, frames, fastenings, damage, and new wood. `clip`: what cuts
    /// it off at its ends, one name for each drawing of a page.
    pub fn body(&self, out: &mut String, clip: &str) {
        let mut face: Vec<Point> = vec![[self.from, 0.0], [self.to, 0.0]];
        face.extend(self.upper.iter().rev());
        let _ = write!(
            out,
            "<polygon class=\"plank-face\" points=\"{}\"/>",
            svg::points(face.into_iter().map(|p| self.place(p)))
        );
        for (number, x) in &self.frames {
            let top = polyline_at(&self.upper, *x);
            let [left, y_top] = self.place([x - self.frame_sided / 2.0, top]);
            let [_, y_foot] = self.place([*x, 0.0]);
            let _ = write!(
                out,
                "<rect class=\"frame-band\" x=\"{left:.1}\" y=\"{y_top:.1}\" width=\"{:.1}\" height=\"{:.1}\"/>\
                 <text class=\"plank-number\" x=\"{:.1}\" y=\"{:.1}\">F{number}</text>",
                self.frame_sided,
                y_foot - y_top,
                left + self.frame_sided / 2.0,
                y_top - 8.0
            );
        }
        for x in &self.ends {
            let [px, foot] = self.place([*x, 0.0]);
            let [_, head] = self.place([*x, polyline_at(&self.upper, *x)]);
            let _ = write!(out, "<path class=\"joint\" d=\"M{px:.1} {foot:.1}V{head:.1}\"/>");
        }
        let (width, height) = self.size();
        let _ = write!(
            out,
            "<clipPath id=\"{clip}\"><rect x=\"{ROOM}\" y=\"0\" width=\"{:.1}\" height=\"{height:.1}\"/></clipPath><g clip-path=\"url(#{clip})\">",
            width - 2.0 * ROOM
        );
        for outline in &self.outlines {
            let _ = write!(
                out,
                "<polygon class=\"piece\" points=\"{}\"/>",
                svg::points(outline.iter().map(|p| self.place(*p)))
            );
        }
        for mark in &self.marks {
            self.mark(out, mark);
        }
        out.push_str("</g>");
        for hole in &self.holes {
            let [x, y] = self.place([hole.x, hole.y]);
            let _ = write!(
                out,
                "<circle class=\"hole{}\" cx=\"{x:.1}\" cy=\"{y:.1}\" r=\"{:.1}\"><title>Fastening {}{}</title></circle>",
                if hole.live { " live" } else { "" },
                hole.diameter / 2.0,
                svg::safe(&hole.id),
                if hole.live { ", holding" } else { ", sick" }
            );
        }
    }

    fn mark(&self, out: &mut String, mark: &Mark) {
        let drawn: Vec<Point> = mark.shape.iter().map(|p| self.place(*p)).collect();
        let class = format!("damage {} {}", mark.kind.code(), mark.certainty.code());
        match drawn.as_slice() {
            [] => {}
            [only] => out.push_str(&svg::glyph(mark.kind, mark.certainty, *only, 22.0)),
            row if mark.kind.extent() == Extent::Point => {
                for at in row {
                    out.push_str(&svg::glyph(mark.kind, mark.certainty, *at, 22.0));
                }
            }
            line if mark.kind.extent() == Extent::Line || line.len() == 2 => {
                let _ = write!(out, "<polyline class=\"{class}\" points=\"{}\"/>", svg::points(drawn));
            }
            _ => {
                let _ = write!(out, "<polygon class=\"{class}\" points=\"{}\"/>", svg::points(drawn));
            }
        }
    }

    /// The drawing to mark damage on: the script reads its datum and size from data attributes.
    pub fn entry(&self) -> String {
        let (width, height) = self.size();
        let mut out = format!(
            "<svg id=\"plank\" class=\"plank-drawing entry\" viewBox=\"0 0 {width:.0} {height:.0}\" role=\"img\" \
             aria-label=\"The plank here: tap or drag to mark the damage\" data-from=\"{:.2}\" data-room=\"{ROOM}\" \
             data-top=\"{:.2}\">{}",
            self.from,
            self.tallest(),
            svg::GLYPHS
        );
        self.body(&mut out, "plank-clip");
        let [zero, foot] = self.place([0.0, 0.0]);
        let _ = write!(
            out,
            "<path class=\"datum\" d=\"M{zero:.1} {:.1}V{:.1}\"/><text class=\"plank-number datum-text\" x=\"{zero:.1}\" y=\"{:.1}\">0</text>\
             <g id=\"plank-draft\" class=\"draft\"></g></svg>",
            foot + 12.0,
            ROOM - 6.0,
            foot + 26.0
        );
        out
    }
}
