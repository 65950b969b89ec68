//! Shapes taken from the boat: a plank's measured and fair edges with their curvature, and a frame's section.

use std::fmt::Write;

use mend_keel_core::geometry::{Point, extent};
use mend_keel_core::shape::frame::FrameShape;
use mend_keel_core::shape::pattern::{FairEdge, Pattern, beside};

use super::{Units, svg};

const SIZE: (f64, f64) = (1_000.0, 420.0);
const ROOM: (f64, f64) = (54.0, 70.0);

/// A plank's pattern: measured points, fair edges, curvature combs, the blank. Heights are drawn larger so that they are seen.
///
/// `rib`: it is a frame's, with the heel where a plank has its fore end; `other_face`: the face that its bevels move in or out.
pub fn pattern(pattern: &Pattern, rib: bool, other_face: Option<&[Point]>, units: Units) -> String {
    let mut all: Vec<Point> = pattern.outline.clone();
    all.extend(other_face.unwrap_or_default());
    all.extend(pattern.lower.measured.iter().chain(&pattern.upper.measured));
    all.extend(pattern.blank_box);
    let Some(((x0, x1), (y0, y1))) = extent(&all, 0).zip(extent(&all, 1)) else { return String::new() };
    let per_x = (SIZE.0 - 2.0 * ROOM.0) / (x1 - x0).max(1.0);
    // A frame is drawn as it is; of a plank heights are enlarged.
    let most = if rib { 1.0 } else { 12.0 };
    let per_y = ((SIZE.1 - 2.0 * ROOM.1) / (y1 - y0).max(1.0)).min(most * per_x);
    let height = (y1 - y0) * per_y + 2.0 * ROOM.1;
    let place = |p: Point| [ROOM.0 + (p[0] - x0) * per_x, height - ROOM.1 - (p[1] - y0) * per_y];
    let mut out = format!(
        "<svg class=\"shape-drawing\" viewBox=\"0 0 {} {height:.0}\" role=\"img\" aria-label=\"The plank’s edges as measured and faired, with their curvature\">\
         <polygon class=\"blank-box\" points=\"{}\"/><polygon class=\"plank-face\" points=\"{}\"/>",
        SIZE.0,
        svg::points(pattern.blank_box.iter().map(|p| place(*p))),
        svg::points(pattern.outline.iter().map(|p| place(*p)))
    );
    if let Some(other) = other_face {
        let _ = write!(
            out,
            "<polygon class=\"curve other-line\" points=\"{}\"/>",
            svg::points(other.iter().map(|p| place(*p)))
        );
    }
    let strongest = pattern.lower.curvature.iter().chain(&pattern.upper.curvature).fold(1e-9f64, |m, k| m.max(k.abs()));
    for (edge, up) in [(&pattern.lower, false), (&pattern.upper, true)] {
        comb(&mut out, edge, strongest, up, &place);
        for (held, part) in edge.parts() {
            let class = if held { "curve" } else { "curve unheld" };
            let _ =
                write!(out, "<polyline class=\"{class}\" points=\"{}\"/>", svg::points(part.iter().map(|p| place(*p))));
        }
        for (i, (p, row)) in edge.measured.iter().zip(&edge.rows).enumerate() {
            let [x, y] = place(*p);
            if edge.fair.suspects.contains(&i) {
                let text = units.len(edge.fair.residuals[i].abs());
                // At the after end its words stand before it.
                let (beside, anchor) =
                    if x > SIZE.0 - 3.0 * ROOM.0 { (-15.0, " text-anchor=\"end\"") } else { (15.0, "") };
                let _ = write!(
                    out,
                    "<circle class=\"suspect\" cx=\"{x:.1}\" cy=\"{y:.1}\" r=\"11\"/><path class=\"suspect-cross\" d=\"M{:.1} {:.1}l10 10m0 -10l-10 10\"/>\
                     <text class=\"chart-text suspect-text\" x=\"{:.1}\" y=\"{:.1}\"{anchor}>{}: {text} off</text>",
                    x - 5.0,
                    y - 5.0,
                    x + beside,
                    y + if up { -12.0 } else { 24.0 },
                    row + 1
                );
            } else {
                let _ = write!(out, "<circle class=\"measured-point\" cx=\"{x:.1}\" cy=\"{y:.1}\" r=\"4\"/>");
                if edge.measured.len() <= 24 {
                    let _ = write!(
                        out,
                        "<text class=\"chart-text middle small\" x=\"{x:.1}\" y=\"{:.1}\">{}</text>",
                        y + if up { -9.0 } else { 19.0 },
                        row + 1
                    );
                }
            }
        }
    }
    let (end, wide) = if rib {
        ("‹ heel, outside up · in true proportion".to_owned(), String::new())
    } else {
        (
            format!("‹ fore · heights drawn {:.1} times larger", per_y / per_x),
            format!(", {} wide", units.len(pattern.widest)),
        )
    };
    let _ = write!(
        out,
        "<text class=\"chart-text\" x=\"{}\" y=\"20\">{end} · hairs: curvature · dashed: the blank{}</text>\
         <text class=\"chart-text end\" x=\"{}\" y=\"{:.0}\">{} long{wide}</text></svg>",
        ROOM.0,
        if other_face.is_some() { " · dotted: the after face" } else { "" },
        SIZE.0 - ROOM.0,
        height - 10.0,
        units.run(x1 - x0)
    );
    out
}

/// Hairs square to an edge, as long as it is curved there.
fn comb(out: &mut String, edge: &FairEdge, strongest: f64, up: bool, place: &dyn Fn(Point) -> Point) {
    const LONGEST: f64 = 34.0;
    let tips: Vec<Point> = edge
        .line
        .iter()
        .zip(&edge.curvature)
        .map(|(p, k)| {
            let [x, y] = place(*p);
            let hair = LONGEST * k.abs() / strongest;
            [x, if up { y - hair } else { y + hair }]
        })
        .collect();
    let mut hairs = String::new();
    for (p, [x, tip]) in edge.line.iter().zip(&tips) {
        let [_, y] = place(*p);
        let _ = write!(hairs, "M{x:.1} {y:.1}V{tip:.1}");
    }
    let _ = write!(
        out,
        "<path class=\"comb\" d=\"{hairs}\"/><polyline class=\"comb-tips\" points=\"{}\"/>",
        svg::points(tips)
    );
}

/// A frame's section with its neighbours, the frame's own thickness inside it, and the bevels along it.
pub fn frame(shape: &FrameShape, moulded: f64, units: Units) -> String {
    let all: Vec<Point> = shape.section.iter().chain(&shape.fore).chain(&shape.aft).copied().collect();
    let Some(((x0, x1), (y0, y1))) = extent(&all, 0).zip(extent(&all, 1)) else { return String::new() };
    const WIDE: f64 = 640.0;
    const EDGE: f64 = 60.0;
    let scale = ((WIDE - 220.0) / (x1 - x0.min(0.0)).max(1.0)).min(560.0 / (y1 - y0).max(1.0));
    let height = (y1 - y0) * scale + 2.0 * EDGE;
    let place = |p: Point| [EDGE + (p[0] - x0.min(0.0)) * scale, height - EDGE - (p[1] - y0) * scale];
    let line = |points: &[Point]| svg::points(points.iter().map(|p| place(*p)));
    let inside = beside(&shape.section, |_| moulded);
    let mut around = shape.section.clone();
    around.extend(inside.iter().rev());
    let centre = place([0.0, y0])[0];
    let mut out = format!(
        "<svg class=\"shape-drawing\" viewBox=\"0 0 {WIDE} {height:.0}\" role=\"img\" aria-label=\"The frame’s section with its bevels\">\
         <path class=\"chord\" d=\"M{centre:.1} {EDGE}V{:.1}\"/><polyline class=\"curve other-line\" points=\"{}\"/>\
         <polyline class=\"curve last-line\" points=\"{}\"/><polygon class=\"plank-face\" points=\"{}\"/><polyline class=\"curve\" points=\"{}\"/>",
        height - EDGE,
        line(&shape.fore),
        line(&shape.aft),
        line(&around),
        line(&shape.section)
    );
    for bevel in &shape.bevels {
        let [x, y] = place([bevel.half_breadth, bevel.height]);
        let _ = write!(
            out,
            "<path class=\"dimension\" d=\"M{:.1} {y:.1}h26\"/><text class=\"chart-text\" x=\"{:.1}\" y=\"{:.1}\">{:+.1}°</text>",
            x + 3.0,
            x + 32.0,
            y + 4.0,
            bevel.bevel
        );
    }
    let _ = write!(
        out,
        "<text class=\"chart-text\" x=\"{EDGE}\" y=\"24\">{}</text>\
         <text class=\"chart-text\" x=\"{EDGE}\" y=\"{:.0}\">girth {}</text></svg>",
        if shape.taken {
            "by its template; line: the straight edge"
        } else {
            "dotted: a frame space forward · dashed: aft"
        },
        height - 14.0,
        units.run(shape.girth)
    );
    out
}
