//! A graving piece or a stretch of new plank, drawn to scale with running dimensions from a datum.

use std::fmt::Write;

use mend_keel_core::geometry::{Point, extent};
use mend_keel_core::repair::scarf::Joint;
use mend_keel_store::decisions::Piece;

use super::plank::{PlankView, ROOM};
use super::{Units, svg};

/// A corner to be marked out: its number and coordinates from the datum.
#[derive(Debug, Clone)]
pub struct Corner {
    pub number: usize,
    pub x: String,
    pub y: String,
}

/// The outline's corners from a datum at `datum_x` of the drawing.
pub fn corners(outline: &[Point], datum_x: f64, units: Units) -> Vec<Corner> {
    outline
        .iter()
        .enumerate()
        .map(|(i, p)| Corner { number: i + 1, x: units.fine(p[0] - datum_x), y: units.fine(p[1]) })
        .collect()
}

/// Draws a piece on its plank: corners numbered, running dimensions along the lower edge from the datum.
pub fn draw(view: &PlankView, outline: &[Point], datum: (u32, f64), units: Units) -> String {
    const FOOT: f64 = 60.0;
    let (width, height) = view.size();
    let mut out = format!(
        "<svg class=\"plank-drawing piece-drawing\" data-from=\"{:.3}\" data-room=\"{ROOM}\" data-top=\"{:.3}\" viewBox=\"0 0 {width:.0} {:.0}\" role=\"img\" aria-label=\"The piece on its plank, to scale\">{}",
        view.from,
        view.tallest(),
        height + FOOT,
        svg::GLYPHS
    );
    view.body(&mut out, "plank-clip");
    for (i, p) in outline.iter().enumerate().filter(|(i, _)| is_numbered(*i, outline.len())) {
        let [x, y] = view.place(*p);
        let _ = write!(
            out,
            "<circle class=\"corner\" cx=\"{x:.1}\" cy=\"{y:.1}\" r=\"3.2\"/><text class=\"corner-number\" x=\"{:.1}\" y=\"{:.1}\">{}</text>",
            x + 5.0,
            y - 5.0,
            i + 1
        );
    }
    running_dimensions(&mut out, view, outline, datum, units);
    out.push_str("</svg>");
    out
}

/// What a datum is called on a drawing: the after edge of a frame, or the start of a part that lies on none.
pub fn datum_words(zero: &str, frame: u32) -> String {
    if frame == 0 { format!("{zero} start") } else { format!("{zero} F{frame} aft edge") }
}

/// Whether a corner is numbered on the drawing: of a shape that was taken, with a hundred of them, every tenth is; its list has all.
fn is_numbered(corner: usize, of: usize) -> bool {
    of <= NUMBERED || corner.is_multiple_of(10) || corner + 1 == of
}

/// So many corners are all numbered.
const NUMBERED: usize = 24;

/// Each corner's distance from the datum, ticked off below the plank; a number that would run into another goes
/// one row down.
fn running_dimensions(out: &mut String, view: &PlankView, outline: &[Point], datum: (u32, f64), units: Units) {
    let [zero, foot] = view.place([datum.1, 0.0]);
    let base = foot + 16.0;
    let Some((x0, x1)) = extent(outline, 0) else { return };
    let [left, _] = view.place([x0.min(datum.1), 0.0]);
    let [right, _] = view.place([x1.max(datum.1), 0.0]);
    let _ = write!(
        out,
        "<path class=\"dimension\" d=\"M{left:.1} {base:.1}H{right:.1}M{zero:.1} {:.1}V{:.1}\"/>",
        ROOM - 4.0,
        base + 6.0
    );
    let numbered = outline.iter().enumerate().filter(|(i, _)| is_numbered(*i, outline.len()));
    let mut xs: Vec<f64> = numbered.map(|(_, p)| p[0]).collect();
    xs.sort_by(f64::total_cmp);
    xs.dedup_by(|a, b| (*a - *b).abs() < 0.5);
    let mut marks = vec![(zero, datum_words("0 =", datum.0))];
    marks.extend(xs.iter().map(|x| (view.place([*x, 0.0])[0], units.len(x - datum.1))));
    marks.sort_by(|a, b| a.0.total_cmp(&b.0));
    /// Room a letter takes, mm of the drawing.
    const LETTER: f64 = 7.0;
    let mut row_ends = [f64::NEG_INFINITY; 3];
    for (x, text) in marks {
        let half = LETTER * text.chars().count() as f64 / 2.0;
        let row = row_ends.iter().position(|end| x - half > *end).unwrap_or(row_ends.len() - 1);
        row_ends[row] = x + half;
        let _ = write!(
            out,
            "<path class=\"dimension\" d=\"M{x:.1} {:.1}V{:.1}\"/><text class=\"dimension-text\" x=\"{x:.1}\" y=\"{:.1}\">{text}</text>",
            base - 5.0,
            base + 5.0,
            base + 20.0 + 17.0 * row as f64
        );
    }
}

/// A scarf: its edge, drawn ten times as thick as long where it is flat, and both faces with the joint's line on each.
pub fn scarf(joint: &Joint, width: f64, units: Units) -> String {
    const LONG: f64 = 560.0;
    const EDGE: f64 = 90.0;
    const FACE: f64 = 56.0;
    let beyond = joint.length / 4.0;
    let per_mm = LONG / (joint.length + 2.0 * beyond);
    let thick = EDGE / joint.thickness;
    let x = |v: f64| 30.0 + (v + beyond) * per_mm;
    let edge = |p: &Point| [x(p[0]), 40.0 + (joint.thickness - p[1]) * thick];
    let mut out = String::from(
        "<svg class=\"scarf-drawing\" viewBox=\"0 0 620 330\" role=\"img\" aria-label=\"The scarf on its edge and on both faces\">",
    );
    for (shape, class) in [(&joint.forward, "scarf-fore"), (&joint.aft, "scarf-aft")] {
        let _ = write!(out, "<polygon class=\"{class}\" points=\"{}\"/>", svg::points(shape.iter().map(edge)));
    }
    let foot = 40.0 + EDGE;
    let _ = write!(
        out,
        "<text class=\"chart-text\" x=\"30\" y=\"32\">edge · outside up · forward ‹</text>\
         <path class=\"dimension\" d=\"M{0:.1} {1:.1}H{2:.1}M{0:.1} {3:.1}V{4:.1}M{2:.1} {3:.1}V{4:.1}\"/>\
         <text class=\"dimension-text\" x=\"{5:.1}\" y=\"{6:.1}\">{7}</text>",
        x(0.0),
        foot + 14.0,
        x(joint.length),
        foot + 9.0,
        foot + 19.0,
        x(joint.length / 2.0),
        foot + 30.0,
        units.len(joint.length)
    );
    for (k, (name, line, hidden)) in
        [("outside", joint.line_outside, joint.line_inside), ("inside", joint.line_inside, joint.line_outside)]
            .into_iter()
            .enumerate()
    {
        let top = 186.0 + 72.0 * k as f64;
        let _ = write!(
            out,
            "<rect class=\"scarf-face\" x=\"{:.1}\" y=\"{top}\" width=\"{LONG}\" height=\"{FACE}\"/>\
             <path class=\"joint\" d=\"M{1:.1} {top}v{FACE}\"/><path class=\"joint-hidden\" d=\"M{2:.1} {top}v{FACE}\"/>\
             <text class=\"chart-text\" x=\"36\" y=\"{3}\">{name} · {4} wide</text>",
            x(-beyond),
            x(line),
            x(hidden),
            top + 18.0,
            units.len(width)
        );
    }
    out.push_str("</svg>");
    out
}

pub fn blank(units: Units, piece: &Piece) -> String {
    units.dims(&[piece.length, piece.width, piece.thickness])
}
