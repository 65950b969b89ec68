//! Whole jobs drawn: a deck in plan, a spar unrolled and in section, rings, an edge with its blanks, a template, panels.

use std::fmt::Write;

use mend_keel_core::deck::plan::{Plan, Way};
use mend_keel_core::geometry::{Point, extent};
use mend_keel_core::job::deck::Deck;
use mend_keel_core::job::edge::Edge;
use mend_keel_core::job::panels::{PROUD, Panels};
use mend_keel_core::job::ring::Rings;
use mend_keel_core::job::sheer::{self, Sheer};
use mend_keel_core::job::spar::Spar;
use mend_keel_core::job::template::{Drawn, Template};
use mend_keel_core::job::{Spec, edge};
use mend_keel_core::shape::covering;
use mend_keel_core::spar::stave::Answer;
use mend_keel_exchange::drawing::{Drawing, Layer};

use super::{Units, svg};

/// Width of every drawing, and the room about it.
const WIDE: f64 = 1_000.0;
const ROOM: f64 = 28.0;
/// Height of words on a drawing for files, mm.
const WORDS: f64 = 6.0;

/// A flat thing placed on the drawing: x to the right, y up, at one scale.
struct Scale {
    low: Point,
    per: f64,
    height: f64,
}

impl Scale {
    fn of(points: &[Point]) -> Option<Self> {
        let ((x0, x1), (y0, y1)) = extent(points, 0).zip(extent(points, 1))?;
        let per = ((WIDE - 2.0 * ROOM) / (x1 - x0).max(1.0)).min((620.0 - 2.0 * ROOM) / (y1 - y0).max(1.0));
        Some(Self { low: [x0, y0], per, height: (y1 - y0) * per + 2.0 * ROOM })
    }

    fn at(&self, p: Point) -> Point {
        [ROOM + (p[0] - self.low[0]) * self.per, self.height - ROOM - (p[1] - self.low[1]) * self.per]
    }

    fn points(&self, list: &[Point]) -> String {
        svg::points(list.iter().map(|p| self.at(*p)))
    }
}

fn open(height: f64, says: &str) -> String {
    format!(
        "<svg class=\"job-drawing\" viewBox=\"0 0 {WIDE} {height:.0}\" role=\"img\" aria-label=\"{}\">",
        svg::safe(says)
    )
}

fn line(out: &mut String, class: &str, a: Point, b: Point) {
    let _ = write!(out, "<path class=\"{class}\" d=\"M{:.1} {:.1}L{:.1} {:.1}\"/>", a[0], a[1], b[0], b[1]);
}

fn text(out: &mut String, class: &str, at: Point, words: &str) {
    let _ = write!(
        out,
        "<text class=\"chart-text {class}\" x=\"{:.1}\" y=\"{:.1}\">{}</text>",
        at[0],
        at[1],
        svg::safe(words)
    );
}

/// Across the drawing what nobody measured is told.
fn stamp(out: &mut String, height: f64) {
    let _ = write!(
        out,
        "<text class=\"stamp-text\" x=\"{}\" y=\"{:.0}\">generated, do not cut</text>",
        WIDE / 2.0,
        height / 2.0
    );
}

/// The drawing of a job; empty where there is nothing to draw. `picture`: where a photograph at true scale is fetched, with the
/// place it shows, mm.
pub fn draw(spec: &Spec, units: Units, picture: Option<(&str, [Point; 2])>) -> String {
    match spec {
        Spec::Deck(deck) => deck.planks().map_or(String::new(), |plan| draw_deck(deck, &plan)),
        Spec::Spar(spar) => draw_spar(spar, units),
        Spec::Ring(rings) => draw_ring(rings, units),
        Spec::Edge(edge) => draw_edge(edge),
        Spec::Template(template) => {
            template.draw().map_or(String::new(), |drawn| draw_template(template, &drawn, units, picture))
        }
        Spec::Panels(panels) => draw_panels(panels, units),
        Spec::Sheer(sheer) => sheer.draw().map_or(String::new(), |drawn| draw_sheer(sheer, &drawn, units)),
        Spec::Fitting(_) | Spec::Own(_) => String::new(),
    }
}

/// Rows of planks by their inner edges, one side: from the king plank outward.
fn rows(deck: &Deck, plan: &Plan) -> Vec<Vec<Point>> {
    let job = &deck.laid;
    let pitch = job.plank + job.seam;
    let first = job.king / 2.0 + job.seam;
    (0..plan.rows)
        .map(|row| {
            let of: Vec<_> =
                plan.planks.iter().filter(|p| p.row == row && p.side == mend_keel_core::grid::Side::Port).collect();
            let (from, to) = (of.first().map_or(0.0, |p| p.from), of.last().map_or(0.0, |p| p.to));
            match job.way {
                Way::Straight => {
                    let y = first + row as f64 * pitch;
                    vec![[from, y], [to, y]]
                }
                Way::Swept => {
                    let deep = job.cover + job.seam + (plan.rows - 1 - row) as f64 * pitch;
                    let curve = covering::inner_edge(&job.outline, deep).unwrap_or_default();
                    curve
                        .into_iter()
                        .filter(|p| p[1] >= first - 1.0 && p[0] >= from - 1.0 && p[0] <= to + 1.0)
                        .collect()
                }
            }
        })
        .collect()
}

/// The part of a line that stands farther out than `least` and no farther aft than `last`, ended where it crosses them.
fn within(line: &[Point], least: f64, last: f64) -> Vec<Point> {
    let mut kept: Vec<Point> = Vec::new();
    for pair in line.windows(2) {
        let [a, b] = [pair[0], pair[1]];
        let on = |t: f64| [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t];
        // From where to where of this stretch both hold.
        let (mut from, mut to) = (0.0f64, 1.0f64);
        let rise = b[1] - a[1];
        if rise.abs() > 1e-9 {
            let at = (least - a[1]) / rise;
            if rise > 0.0 { from = from.max(at) } else { to = to.min(at) }
        } else if a[1] < least {
            continue;
        }
        if b[0] > a[0] {
            to = to.min((last - a[0]) / (b[0] - a[0]));
        }
        if to > from {
            kept.extend([on(from), on(to)]);
        }
    }
    kept
}

fn both(line: &[Point]) -> [Vec<Point>; 2] {
    [line.to_vec(), line.iter().map(|p| [p[0], -p[1]]).collect()]
}

fn draw_deck(deck: &Deck, plan: &Plan) -> String {
    let job = &deck.laid;
    let whole: Vec<Point> =
        job.outline.iter().copied().chain(job.outline.iter().rev().map(|p| [p[0], -p[1]])).collect();
    let Some(scale) = Scale::of(&whole) else { return String::new() };
    let mut out =
        open(scale.height, "The deck in plan, forward to the left: beams, planks, joints and covering boards");
    let _ = write!(out, "<polygon class=\"plank-face\" points=\"{}\"/>", scale.points(&whole));
    let (first, last) = (job.outline[0][0], job.outline[job.outline.len() - 1][0]);
    for x in job.beams.iter().filter(|x| **x > first && **x < last) {
        let y = mend_keel_core::geometry::polyline_at(&job.outline, *x);
        line(&mut out, "deck-beam", scale.at([*x, -y]), scale.at([*x, y]));
    }
    if let Ok(inner) = covering::inner_edge(&job.outline, job.cover) {
        for side in both(&within(&inner, job.king / 2.0, last)) {
            let _ = write!(out, "<polyline class=\"deck-cover\" points=\"{}\"/>", scale.points(&side));
        }
    }
    let rows = rows(deck, plan);
    for row in &rows {
        for side in both(row) {
            let _ = write!(out, "<polyline class=\"deck-seam\" points=\"{}\"/>", scale.points(&side));
        }
    }
    let king = job.king / 2.0;
    for y in [king, -king] {
        line(&mut out, "deck-king", scale.at([first, y]), scale.at([last, y]));
    }
    // Joints: a tick across the plank on its beam.
    for (side, row, beam) in &plan.joints {
        let Some(run) = rows.get(*row) else { continue };
        let x = job.beams[*beam];
        let y = mend_keel_core::geometry::polyline_at(run, x);
        let sign = if *side == mend_keel_core::grid::Side::Port { 1.0 } else { -1.0 };
        let [a, b] = [[x, sign * y], [x, sign * (y + job.plank)]];
        line(&mut out, "deck-joint", scale.at(a), scale.at(b));
    }
    if !deck.measured {
        stamp(&mut out, scale.height);
    }
    out + "</svg>"
}

fn draw_spar(spar: &Spar, units: Units) -> String {
    let Ok(drawn) = spar.draw() else { return String::new() };
    let strip = (300.0 / f64::from(spar.staves)).clamp(16.0, 34.0);
    let (left, right) = (ROOM + 40.0, WIDE - ROOM);
    let top = 30.0;
    let bottom = top + strip * f64::from(spar.staves);
    let section = 240.0;
    let x = |mm: f64| left + (right - left) * mm / spar.length;
    let y = |stave: u32| top + strip * f64::from(stave - 1);
    let mut out = open(bottom + section + 40.0, "The spar unrolled, heel to the left, stave by stave, and its section");
    text(&mut out, "", [left, 20.0], "heel");
    text(&mut out, "end", [right, 20.0], &format!("head, {}", units.run(spar.length)));
    for stave in 1..=spar.staves {
        let _ = write!(
            out,
            "<rect class=\"plank-face\" x=\"{left:.1}\" y=\"{:.1}\" width=\"{:.1}\" height=\"{:.1}\"/>",
            y(stave) + 1.0,
            right - left,
            strip - 2.0
        );
        text(&mut out, "end", [left - 8.0, y(stave) + strip / 2.0 + 4.0], &stave.to_string());
    }
    let scarf = spar.ratio * drawn.hollow.wall;
    if let Some(Answer::Repair(repair)) = &drawn.mend {
        for piece in &repair.pieces {
            let stave = piece.stave as u32 + 1;
            let cut = |at: f64, end: f64| if (at - end).abs() < 1e-6 { 0.0 } else { scarf };
            let (a, b) = (cut(piece.from, 0.0), cut(piece.to, spar.length));
            let corners = [
                [x(piece.from), y(stave) + strip - 1.0],
                [x(piece.from + a), y(stave) + 1.0],
                [x(piece.to), y(stave) + 1.0],
                [x(piece.to - b), y(stave) + strip - 1.0],
            ];
            let _ = write!(out, "<polygon class=\"spar-new\" points=\"{}\"/>", svg::points(corners));
        }
    }
    for soft in &spar.soft {
        let _ = write!(
            out,
            "<rect class=\"spar-soft\" x=\"{:.1}\" y=\"{:.1}\" width=\"{:.1}\" height=\"{:.1}\"/>",
            x(soft.from),
            y(soft.stave) + strip * 0.3,
            x(soft.to) - x(soft.from),
            strip * 0.4
        );
    }
    draw_section(&mut out, spar, drawn.hollow.wall, [left + 130.0, bottom + 130.0], 105.0, units);
    out + "</svg>"
}

/// Staves round the section, numbered clockwise as they are seen at the heel.
fn draw_section(out: &mut String, spar: &Spar, wall: f64, middle: Point, radius: f64, units: Units) {
    let thickest = spar.taper.iter().map(|t| t[1]).fold(1.0, f64::max);
    let inner = radius * (1.0 - 2.0 * wall / thickest);
    let n = f64::from(spar.staves);
    let at = |r: f64, k: f64| {
        let angle = std::f64::consts::TAU * k / n - std::f64::consts::FRAC_PI_2;
        [middle[0] + r * angle.cos(), middle[1] + r * angle.sin()]
    };
    for stave in 0..spar.staves {
        let k = f64::from(stave);
        let soft = spar.soft.iter().any(|s| s.stave == stave + 1);
        // The joint stands at the flats' corners: half a stave either way.
        let corners = [at(radius, k - 0.5), at(radius, k + 0.5), at(inner, k + 0.5), at(inner, k - 0.5)];
        let class = if soft { "spar-soft" } else { "plank-face" };
        let _ = write!(out, "<polygon class=\"{class}\" points=\"{}\"/>", svg::points(corners));
        let [tx, ty] = at((radius + inner) / 2.0, k);
        text(out, "middle", [tx, ty + 4.0], &(stave + 1).to_string());
    }
    text(
        out,
        "",
        [middle[0] + radius + 24.0, middle[1] - 10.0],
        &format!("{} across at the thickest", units.len(thickest)),
    );
    text(out, "", [middle[0] + radius + 24.0, middle[1] + 10.0], &format!("wall {}", units.fine(wall)));
    text(out, "", [middle[0] + radius + 24.0, middle[1] + 30.0], "seen at the heel, looking to the head");
}

fn draw_ring(rings: &Rings, units: Units) -> String {
    let Ok(ring) = rings.ring() else { return String::new() };
    let (height, middle) = (520.0, [WIDE / 2.0, 260.0]);
    let per = 225.0 / (ring.outer_diameter / 2.0);
    let mut out = open(height, "The ring seen from its end, turn by turn");
    let steps = 90 * ring.turns.min(60);
    let spiral = (0..=steps).map(|i| {
        let turn = f64::from(i) / 90.0;
        let r = (rings.inner_diameter / 2.0 + rings.ply * turn) * per;
        let angle = std::f64::consts::TAU * turn;
        [middle[0] + r * angle.cos(), middle[1] + r * angle.sin()]
    });
    for radius in [rings.inner_diameter / 2.0, ring.outer_diameter / 2.0] {
        let _ = write!(
            out,
            "<circle class=\"ring-face\" cx=\"{}\" cy=\"{}\" r=\"{:.1}\"/>",
            middle[0],
            middle[1],
            radius * per
        );
    }
    let _ = write!(out, "<polyline class=\"curve\" points=\"{}\"/>", svg::points(spiral));
    text(&mut out, "middle", [middle[0], middle[1] + 4.0], &format!("inside {}", units.len(rings.inner_diameter)));
    text(&mut out, "middle", [middle[0], height - 6.0], &format!("outside {}", units.len(ring.outer_diameter)));
    out + "</svg>"
}

/// The sheer twice: in its true proportion, and below with heights enlarged so that the eye finds a bump.
fn draw_sheer(sheer: &Sheer, drawn: &sheer::Drawn, units: Units) -> String {
    let heights = |of: &dyn Fn(&sheer::Station) -> Option<f64>| -> Vec<Point> {
        sheer.stations.iter().filter_map(|s| Some([s.x, of(s)?])).collect()
    };
    let (port, starboard) = (heights(&|s| s.port), heights(&|s| s.starboard));
    let mut all: Vec<Point> = drawn.line.clone();
    all.extend(port.iter().chain(&starboard));
    let Some(((x0, x1), (y0, y1))) = extent(&all, 0).zip(extent(&all, 1)) else { return String::new() };
    let per = (WIDE - 2.0 * ROOM) / (x1 - x0).max(1.0);
    let tall = per * ((300.0 / ((y1 - y0).max(1.0) * per)).clamp(1.0, 12.0));
    let (true_height, large_height) = ((y1 - y0) * per, (y1 - y0) * tall);
    let (top, below) = (40.0, 40.0 + true_height + 60.0);
    let mut out = open(
        below + large_height + 40.0,
        "The sheer, forward to the left: in its true proportion above, with heights enlarged below",
    );
    let at =
        |p: Point, base: f64, height: f64, per_y: f64| [ROOM + (p[0] - x0) * per, base + height - (p[1] - y0) * per_y];
    let line_of = |list: &[Point], base: f64, height: f64, per_y: f64| {
        svg::points(list.iter().map(|p| at(*p, base, height, per_y)))
    };
    text(&mut out, "", [ROOM, 22.0], "‹ forward · in true proportion");
    let _ = write!(out, "<polyline class=\"curve\" points=\"{}\"/>", line_of(&drawn.line, top, true_height, per));
    let words = format!("heights {:.0} times larger · dotted: port · dashed: starboard", tall / per);
    text(&mut out, "", [ROOM, below - 18.0], &words);
    for (side, class) in [(&port, "other-line"), (&starboard, "last-line")] {
        let _ =
            write!(out, "<polyline class=\"curve {class}\" points=\"{}\"/>", line_of(side, below, large_height, tall));
    }
    let _ = write!(
        out,
        "<polyline class=\"curve measured-line\" points=\"{}\"/>",
        line_of(&drawn.line, below, large_height, tall)
    );
    for (i, (p, row)) in drawn.means.iter().zip(&drawn.rows).enumerate() {
        let [x, y] = at(*p, below, large_height, tall);
        let wrong = drawn.fair.suspects.contains(&i);
        let class = if wrong { "suspect" } else { "measured-point" };
        let _ =
            write!(out, "<circle class=\"{class}\" cx=\"{x:.1}\" cy=\"{y:.1}\" r=\"{}\"/>", if wrong { 10 } else { 4 });
        text(&mut out, "middle small", [x, below + large_height + 24.0], &(row + 1).to_string());
        if wrong {
            let off = units.len(drawn.fair.residuals[i].abs());
            text(&mut out, "suspect-text", [x - 20.0, y - 22.0], &format!("{off} off"));
        }
    }
    out + "</svg>"
}

fn draw_edge(edge: &Edge) -> String {
    let Ok((outer, inner)) = edge.face() else { return String::new() };
    let mut face: Vec<Point> = outer.clone();
    face.extend(inner.iter().rev());
    let Some(scale) = Scale::of(&face) else { return String::new() };
    let board = edge.board.and_then(|board| Some((board, edge::blanks(&outer, &inner, board, edge.saw).ok()?)));
    let extra = board.map_or(0.0, |(wide, blanks)| 40.0 + wide * (WIDE - 2.0 * ROOM) / blanks.length.max(1.0));
    let mut out = open(scale.height + extra, "The edge in plan, and its blanks on the board");
    let _ = write!(out, "<polygon class=\"plank-face\" points=\"{}\"/>", scale.points(&face));
    for p in &edge.outer {
        let [x, y] = scale.at(*p);
        let _ = write!(out, "<circle class=\"measured-point\" cx=\"{x:.1}\" cy=\"{y:.1}\" r=\"3\"/>");
    }
    if let Some((wide, blanks)) = board {
        let per = (WIDE - 2.0 * ROOM) / blanks.length.max(1.0);
        let (top, bottom) = (scale.height + 20.0, scale.height + 20.0 + wide * per);
        let _ = write!(
            out,
            "<rect class=\"blank-box\" x=\"{ROOM}\" y=\"{top:.1}\" width=\"{:.1}\" height=\"{:.1}\"/>",
            WIDE - 2.0 * ROOM,
            wide * per
        );
        let (a, b) = (outer[0], outer[outer.len() - 1]);
        let (sin, cos) = (b[1] - a[1]).atan2(b[0] - a[0]).sin_cos();
        let turned: Vec<Point> = face
            .iter()
            .map(|p| [(p[0] - a[0]) * cos + (p[1] - a[1]) * sin, (p[1] - a[1]) * cos - (p[0] - a[0]) * sin])
            .collect();
        let (left, low) = (extent(&turned, 0).map_or(0.0, |e| e.0), extent(&turned, 1).map_or(0.0, |e| e.0));
        for n in 0..blanks.count.min(40) {
            let up = f64::from(n) * blanks.pitch;
            let points = turned.iter().map(|p| [ROOM + (p[0] - left) * per, bottom - (p[1] - low + up) * per]);
            let _ = write!(out, "<polygon class=\"spar-new\" points=\"{}\"/>", svg::points(points));
        }
    }
    if !edge.measured {
        stamp(&mut out, scale.height);
    }
    out + "</svg>"
}

fn draw_template(template: &Template, drawn: &Drawn, units: Units, picture: Option<(&str, [Point; 2])>) -> String {
    let mut all = drawn.outline.clone();
    all.extend(&template.other);
    if let Some((_, corners)) = picture {
        all.extend(corners);
    }
    let Some(scale) = Scale::of(&all) else { return String::new() };
    let mut out = open(scale.height, "The template, its points, and what was laid over it");
    if let Some((href, [low, high])) = picture {
        let ([x0, y1], [x1, y0]) = (scale.at(low), scale.at(high));
        let _ = write!(
            out,
            "<image href=\"{href}\" x=\"{x0:.1}\" y=\"{y0:.1}\" width=\"{:.1}\" height=\"{:.1}\" preserveAspectRatio=\"none\"/>",
            x1 - x0,
            y1 - y0
        );
    }
    let class = if picture.is_some() { "template-traced" } else { "plank-face" };
    let _ = write!(out, "<polygon class=\"{class}\" points=\"{}\"/>", scale.points(&drawn.outline));
    if !template.other.is_empty() {
        let _ = write!(out, "<polygon class=\"template-other\" points=\"{}\"/>", scale.points(&template.other));
        for (p, by) in template.other.iter().zip(&drawn.differs).filter(|(_, by)| by.abs() > template.tolerance) {
            let [x, y] = scale.at(*p);
            text(
                &mut out,
                "suspect-text",
                [x + 6.0, y - 6.0],
                &format!("{}{}", if *by > 0.0 { "+" } else { "−" }, units.fine(by.abs())),
            );
        }
    }
    let place = |name: &str| drawn.points.iter().find(|p| p.0 == name).map(|p| scale.at(p.1));
    for (d, i) in template.measured.iter().zip(0..) {
        if let (Some(a), Some(b)) = (place(&d.a), place(&d.b)) {
            let off = drawn
                .checked
                .as_ref()
                .is_some_and(|c| c.misfits.get(i).is_some_and(|m: &f64| m.abs() > template.tolerance));
            line(&mut out, if off { "template-diagonal off" } else { "template-diagonal" }, a, b);
        }
    }
    let suspect = drawn.checked.as_ref().and_then(|c| c.suspect_point);
    for (i, (name, at, _)) in drawn.points.iter().enumerate() {
        let [x, y] = scale.at(*at);
        let class = if suspect == Some(i) { "suspect" } else { "measured-point" };
        let _ = write!(out, "<circle class=\"{class}\" cx=\"{x:.1}\" cy=\"{y:.1}\" r=\"4\"/>");
        if drawn.points.len() <= 60 {
            text(&mut out, "", [x + 6.0, y - 5.0], name);
        }
    }
    for p in &drawn.ticks {
        let [x, y] = scale.at(*p);
        line(&mut out, "deck-joint", [x, y - 9.0], [x, y + 9.0]);
    }
    if template.photograph.as_ref().is_some_and(|p| !p.flat) {
        stamp(&mut out, scale.height);
    }
    out + "</svg>"
}

fn draw_panels(panels: &Panels, units: Units) -> String {
    let proud = if panels.bevelled { PROUD } else { 0.0 };
    let longest = panels.panels.iter().map(|p| p.length + 2.0 * proud).fold(panels.sheet_length, f64::max);
    let per = (WIDE - 2.0 * ROOM) / longest;
    let tall: f64 = panels.panels.iter().map(|p| (p.width + 2.0 * proud) * per + 26.0).sum();
    let mut out = open(tall + ROOM, "The panels one below the other, with where a sheet ends");
    let mut y = ROOM / 2.0;
    for p in &panels.panels {
        let (long, wide) = ((p.length + 2.0 * proud) * per, (p.width + 2.0 * proud) * per);
        let _ = write!(
            out,
            "<rect class=\"plank-face\" x=\"{ROOM}\" y=\"{y:.1}\" width=\"{long:.1}\" height=\"{wide:.1}\"/>"
        );
        if p.length + 2.0 * proud > panels.sheet_length {
            let x = ROOM + panels.sheet_length * per;
            line(&mut out, "deck-joint", [x, y], [x, y + wide]);
        }
        let words = format!("{}, {}", p.name, units.dims(&[p.length + 2.0 * proud, p.width + 2.0 * proud]));
        text(&mut out, "", [ROOM + 8.0, y + 16.0], &words);
        y += wide + 26.0;
    }
    out + "</svg>"
}

/// Whether a job that can be drawn has a drawing for files and paper too.
pub fn has_paper(spec: &Spec) -> bool {
    matches!(spec, Spec::Template(_) | Spec::Edge(_) | Spec::Deck(_) | Spec::Sheer(_))
}

/// A job as a drawing for files and paper; `None` where it has none.
pub fn paper(name: &str, spec: &Spec, units: Units) -> Option<Drawing> {
    let mut drawing = Drawing::new(name);
    match spec {
        Spec::Template(t) => {
            let drawn = t.draw().ok()?;
            drawing.outline(Layer::Cut, drawn.outline.clone());
            for (mark, at, error) in &drawn.points {
                drawing.line(Layer::Marks, vec![[at[0] - 4.0, at[1]], [at[0] + 4.0, at[1]]]);
                drawing.line(Layer::Marks, vec![[at[0], at[1] - 4.0], [at[0], at[1] + 4.0]]);
                let sure = error.map_or(String::new(), |e| format!(" ±{}", units.fine(e)));
                drawing.label([at[0] + 5.0, at[1] + 5.0], WORDS, format!("{mark}{sure}"));
            }
            for tick in &drawn.ticks {
                drawing.line(Layer::Marks, vec![[tick[0], tick[1] - 12.0], [tick[0], tick[1] + 12.0]]);
            }
            for x in &t.splits {
                let (low, high) = extent(&drawn.outline, 1)?;
                drawing.line(Layer::Datum, vec![[*x, low], [*x, high]]);
            }
            drawing.notes = vec!["Mark up, fore and side on every piece.".to_owned()];
            let unsure = t.photograph.as_ref().is_some_and(|p| !p.flat) || !drawn.or_marks.is_empty();
            drawing.stamp = unsure.then(|| "generated, do not cut".to_owned());
        }
        Spec::Edge(e) => {
            let (mut face, inner) = e.face().ok()?;
            face.extend(inner.iter().rev());
            drawing.outline(Layer::Cut, face);
            for p in &e.outer {
                drawing.line(Layer::Marks, vec![[p[0], p[1] - 4.0], [p[0], p[1] + 4.0]]);
            }
            drawing.notes = vec![format!("Outer edge up. {} thick.", units.len(e.thickness))];
            drawing.stamp = (!e.measured).then(|| "generated, do not cut".to_owned());
        }
        Spec::Sheer(s) => {
            let drawn = s.draw().ok()?;
            drawing.line(Layer::Cut, drawn.line.clone());
            let low = drawn.line.iter().map(|p| p[1]).fold(f64::INFINITY, f64::min);
            for (p, row) in drawn.means.iter().zip(&drawn.rows) {
                let y = sheer::Sheer::at(&drawn, p[0]);
                drawing.line(Layer::Marks, vec![[p[0], low - 40.0], [p[0], y]]);
                drawing.label([p[0] + 4.0, low - 40.0], WORDS, format!("{}: {}", row + 1, units.fine(y)));
            }
            drawing.notes = vec!["Heights above the level line; strike the same off on both sides.".to_owned()];
        }
        Spec::Deck(d) => {
            let plan = d.planks().ok()?;
            let whole: Vec<Point> =
                d.laid.outline.iter().copied().chain(d.laid.outline.iter().rev().map(|p| [p[0], -p[1]])).collect();
            drawing.outline(Layer::Cut, whole);
            for row in rows(d, &plan) {
                for side in both(&row) {
                    drawing.line(Layer::Plank, side);
                }
            }
            for x in &d.laid.beams {
                let y = mend_keel_core::geometry::polyline_at(&d.laid.outline, *x);
                drawing.line(Layer::Frames, vec![[*x, -y], [*x, y]]);
            }
            drawing.notes = vec![format!("{} rows a side, {} planks", plan.rows, plan.planks.len())];
            drawing.stamp = (!d.measured).then(|| "generated, do not cut".to_owned());
        }
        _ => return None,
    }
    Some(drawing)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_ends_where_it_leaves_what_it_is_drawn_in() {
        let line = [[0.0, -50.0], [100.0, 50.0], [200.0, 150.0], [300.0, 100.0]];
        let kept = within(&line, 25.0, 260.0);
        assert_eq!((kept[0], kept[kept.len() - 1]), ([75.0, 25.0], [260.0, 120.0]));
        assert!(within(&[[0.0, 1.0], [9.0, 1.0]], 5.0, 100.0).is_empty());
    }

    #[test]
    fn what_nobody_measured_is_stamped_on_screen_and_on_paper() {
        let units = Units { unit: mend_keel_core::units::LengthUnit::Millimetre, denominator: 16 };
        let edge = |measured| {
            Spec::Edge(Edge {
                outer: vec![[0.0, 500.0], [500.0, 560.0], [1_000.0, 580.0]],
                width: 90.0,
                thickness: 20.0,
                species: "teak".into(),
                rail: None,
                overlap: None,
                standing: Vec::new(),
                port: Vec::new(),
                starboard: Vec::new(),
                board: Some(250.0),
                saw: 4.0,
                corner: None,
                slope: 0.0,
                round: None,
                screws: Vec::new(),
                counterbore: 9.0,
                plug: 10.0,
                measured,
            })
        };
        for (measured, stamps) in [(true, 0), (false, 1)] {
            let svg = draw(&edge(measured), units, None);
            assert_eq!(svg.matches("generated, do not cut").count(), stamps);
            assert_eq!(paper("Rail", &edge(measured), units).unwrap().stamp.is_some(), !measured);
            assert!(svg.matches("spar-new").count() > 1, "its blanks lie on the board");
        }
    }
}
