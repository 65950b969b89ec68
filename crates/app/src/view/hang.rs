//! The order of the clamps, drawn on the piece: it stands upright so that it is read on a phone, its forward end or its head at the top.

use std::fmt::Write;

use mend_keel_core::shape::spiling::Edge;
use mend_keel_core::work::hanging::{Clamp, What};

use super::{Units, svg};

/// Width of the piece, of the whole, and room above it, in units of the drawing.
const STRIP: (f64, f64) = (70.0, 130.0);
const WIDTH: f64 = 450.0;
const TOP: f64 = 34.0;
/// Least distance of two lines of writing.
const LINE: f64 = 26.0;
/// Least height of the strip.
const LEAST: f64 = 300.0;

/// The piece with its clamps, in the order they are set. Along it is to scale, across it is not.
pub fn draw(clamps: &[Clamp], length: f64, what: What, units: Units) -> String {
    let height = (clamps.len() as f64 * LINE).max(LEAST);
    // A frame is set from its heel, which stands below.
    let up = what == What::Frame;
    let y = |x: f64| {
        let share = (x / length.max(1.0)).clamp(0.0, 1.0);
        TOP + height * if up { 1.0 - share } else { share }
    };
    let (left, right) = STRIP;
    let (first, last) = match what {
        What::Frame => ("head", "heel"),
        What::Plank => ("forward", "aft"),
        _ => ("one end", "other end"),
    };
    let mut out = format!(
        "<svg class=\"hang-drawing\" viewBox=\"0 0 {WIDTH:.0} {:.0}\" role=\"img\" aria-label=\"The clamps in their order\">\
         <rect class=\"plank-face\" x=\"{left}\" y=\"{TOP}\" width=\"{}\" height=\"{height:.1}\"/>\
         <text class=\"hang-end\" x=\"{}\" y=\"{}\">{first}</text><text class=\"hang-end\" x=\"{}\" y=\"{:.1}\">{last}</text>",
        TOP * 2.0 + height,
        right - left,
        (left + right) / 2.0,
        TOP - 12.0,
        (left + right) / 2.0,
        TOP + height + 22.0,
    );
    if what == What::Plank {
        let _ = write!(
            out,
            "<text class=\"hang-edge\" x=\"{:.1}\" y=\"{:.1}\">lower</text><text class=\"hang-edge\" x=\"{:.1}\" y=\"{:.1}\">upper</text>",
            left - 34.0,
            TOP + height + 22.0,
            right + 34.0,
            TOP + height + 22.0
        );
    }
    // Writing that would lie on other writing moves down, and a line leads to its place.
    let mut rows: Vec<(usize, f64)> = clamps.iter().enumerate().map(|(i, c)| (i, y(c.x))).collect();
    rows.sort_by(|a, b| a.1.total_cmp(&b.1));
    let mut written = f64::NEG_INFINITY;
    let mut lines = vec![0.0; clamps.len()];
    for (i, at) in &rows {
        written = at.max(written + LINE);
        lines[*i] = written;
    }
    // What ran out below comes back up.
    let mut below = TOP + height + 4.0;
    for (i, _) in rows.iter().rev() {
        lines[*i] = lines[*i].min(below);
        below = lines[*i] - LINE;
    }
    for (i, clamp) in clamps.iter().enumerate() {
        let (at, line) = (y(clamp.x), lines[i]);
        let middle = (left + right) / 2.0;
        let _ = write!(
            out,
            "<path class=\"hang-lead\" d=\"M{middle} {at:.1}L{:.1} {line:.1}H{:.1}\"/>\
             <circle class=\"hang-clamp\" cx=\"{middle}\" cy=\"{at:.1}\" r=\"5\"/>",
            right + 12.0,
            right + 34.0,
        );
        if let (Some(edge), Some(off)) = (clamp.first, clamp.off) {
            let (x, turn) = if edge == Edge::Lower { (left, -1.0) } else { (right, 1.0) };
            let _ = write!(
                out,
                "<path class=\"hang-first\" d=\"M{x} {at:.1}l{:.0} -8v16z\"><title>{} edge first: it stands off {}</title></path>",
                turn * 14.0,
                edge.label(),
                units.fine(off)
            );
        }
        let count = if clamp.count > 1 { format!(" × {}", clamp.count) } else { String::new() };
        let first = match (clamp.first, clamp.off) {
            (Some(edge), Some(off)) => format!(", {} edge first, {}", edge.label().to_lowercase(), units.len(off)),
            _ => String::new(),
        };
        let _ = write!(
            out,
            "<text class=\"hang-row\" x=\"{:.1}\" y=\"{:.1}\"><tspan class=\"hang-no\">{}</tspan> {}{count}{first}</text>",
            right + 38.0,
            line + 5.0,
            i + 1,
            svg::safe(&clamp.at)
        );
    }
    out.push_str("</svg>");
    out
}

#[cfg(test)]
mod tests {
    use mend_keel_core::units::LengthUnit;

    use super::*;

    const MM: Units = Units { unit: LengthUnit::Millimetre, denominator: 16 };

    fn clamp(x: f64, at: &str) -> Clamp {
        Clamp { x, at: at.into(), count: 1, first: None, off: None }
    }

    /// Heights at which something is written beside the strip, in the order of the clamps.
    fn lines(svg: &str) -> Vec<f64> {
        let rows = svg.split("class=\"hang-row\"").skip(1);
        rows.map(|row| row.split("y=\"").nth(1).unwrap().split('"').next().unwrap().parse().unwrap()).collect()
    }

    #[test]
    fn no_two_rows_lie_on_each_other_however_close_the_frames_are() {
        let clamps: Vec<Clamp> = (0..40).map(|i| clamp(1_000.0 + f64::from(i % 7), &format!("frame {i}"))).collect();
        let svg = draw(&clamps, 5_000.0, What::Plank, MM);
        let mut rows = lines(&svg);
        assert_eq!(rows.len(), 40);
        rows.sort_by(f64::total_cmp);
        assert!(rows.windows(2).all(|p| p[1] - p[0] > LINE - 0.2), "{rows:?}");
        let tall: f64 = svg.split("viewBox=\"0 0 450 ").nth(1).unwrap().split('"').next().unwrap().parse().unwrap();
        assert!(rows[0] > 0.0 && rows[39] < tall);
    }

    #[test]
    fn a_frame_stands_on_its_heel_and_a_name_stays_text() {
        let clamps = [clamp(0.0, "heel"), clamp(2_000.0, "<b>head")];
        let svg = draw(&clamps, 2_000.0, What::Frame, MM);
        let rows = lines(&svg);
        assert!(rows[0] > rows[1], "the heel is below");
        assert!(svg.contains("&lt;b&gt;head") && !svg.contains("<b>head"));
        let plank = lines(&draw(&clamps, 2_000.0, What::Plank, MM));
        assert!(plank[0] < plank[1], "a plank's forward end is above");
    }

    #[test]
    fn the_edge_that_is_tightened_first_is_marked_on_its_own_side() {
        let of = |edge| Clamp { first: Some(edge), off: Some(13.04), ..clamp(500.0, "frame 4") };
        let upper = draw(&[of(Edge::Upper)], 1_000.0, What::Plank, MM);
        assert!(upper.contains("upper edge first, 13 mm") && upper.contains(&format!("M{} ", STRIP.1)));
        let lower = draw(&[of(Edge::Lower)], 1_000.0, What::Plank, MM);
        assert!(
            lower.contains("lower edge first") && lower.contains(&format!("class=\"hang-first\" d=\"M{} ", STRIP.0))
        );
        assert!(draw(&[], 0.0, What::Panel, MM).starts_with("<svg"), "nothing to clamp is drawn too");
    }
}
