//! A graving piece or a stretch of new plank, drawn to scale with running dimensions from a datum.

use std::fmt::Write;

use mend_keel_core::geometry::{Point, extent};

use super::Units;
use super::plank::{PlankView, ROOM};
use super::svg;

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
        .map(|(i, p)| Corner {
            number: i + 1,
            x: units.fine(p[0] - datum_x),
            y: units.fine(p[1]),
        })
        .collect()
}

/// Draws a piece on its plank: corners numbered, running dimensions along the lower edge from the datum.
pub fn draw(view: &PlankView, outline: &[Point], datum: (u32, f64), units: Units) -> String {
    const FOOT: f64 = 60.0;
    let (width, height) = view.size();
    let mut out = format!(
        "<svg class=\"plank-drawing\" viewBox=\"0 0 {width:.0} {:.0}\" role=\"img\" aria-label=\"The piece on its plank, to scale\">{}",
        height + FOOT,
        svg::GLYPHS
    );
    view.body(&mut out);
    for (i, p) in outline.iter().enumerate() {
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

/// Each corner's distance from the datum, ticked off below the plank; crowded ones are put on a second row.
fn running_dimensions(out: &mut String, view: &PlankView, outline: &[Point], datum: (u32, f64), units: Units) {
    let [zero, foot] = view.place([datum.1, 0.0]);
    let base = foot + 16.0;
    let Some((x0, x1)) = extent(outline, 0) else {
        return;
    };
    let [left, _] = view.place([x0.min(datum.1), 0.0]);
    let [right, _] = view.place([x1.max(datum.1), 0.0]);
    let _ = write!(
        out,
        "<path class=\"dimension\" d=\"M{left:.1} {base:.1}H{right:.1}M{zero:.1} {:.1}V{:.1}\"/>\
         <text class=\"dimension-text\" x=\"{zero:.1}\" y=\"{:.1}\">F{} aft edge: 0</text>",
        ROOM - 4.0,
        base + 6.0,
        base + 64.0,
        datum.0
    );
    let mut xs: Vec<f64> = outline.iter().map(|p| p[0]).collect();
    xs.sort_by(f64::total_cmp);
    xs.dedup_by(|a, b| (*a - *b).abs() < 0.5);
    let mut last = [f64::NEG_INFINITY; 2];
    // A number takes about this much room, mm of the drawing.
    const TEXT: f64 = 46.0;
    for x in xs {
        let [px, _] = view.place([x, 0.0]);
        let row = usize::from(px - last[0] < TEXT);
        last[row] = px;
        let y = base + 20.0 + 18.0 * row as f64;
        let _ = write!(
            out,
            "<path class=\"dimension\" d=\"M{px:.1} {:.1}V{:.1}\"/><text class=\"dimension-text\" x=\"{px:.1}\" y=\"{y:.1}\">{}</text>",
            base - 5.0,
            base + 5.0,
            units.len(x - datum.1)
        );
    }
}
