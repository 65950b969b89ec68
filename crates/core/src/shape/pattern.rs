//! A plank's pattern: its edges faired, the blank it is cut from, how it curves in its own plane, and the other side's.

use serde::Serialize;

use crate::error::{self, InputError};
use crate::geometry::{Point, convex_hull, extent, polyline_at, signed_area};
use crate::reason::{Reason, Verdict};

use super::fair::{self, Fair};
use super::spiling::{Edge, Edges, length_of};

/// What is left on, mm (*yard rule*; handbook 04).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Allowances {
    /// Planed off each edge.
    pub planing: f64,
    /// Made for the caulking bevel on each edge.
    pub caulking: f64,
    /// Trimmed off each end.
    pub trim: f64,
}

impl Default for Allowances {
    fn default() -> Self {
        Self { planing: 1.0, caulking: 0.0, trim: 25.0 }
    }
}

/// A measurement to take again.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Suspect {
    pub edge: Edge,
    /// Row it was measured in, counted from 0.
    pub row: usize,
    /// Measured less fair, mm.
    pub off: f64,
    /// No good tick lies between it and its end of the edge: nothing that was measured holds the line there.
    pub at_end: bool,
}

/// One edge.
#[derive(Debug, Clone, PartialEq)]
pub struct FairEdge {
    pub measured: Vec<Point>,
    pub rows: Vec<usize>,
    pub fair: Fair,
    /// The fair line close together: for drawing and cutting.
    pub line: Vec<Point>,
    /// Curvature along the line, 1/mm, positive where it bends upwards.
    pub curvature: Vec<f64>,
}

impl FairEdge {
    /// The line in parts: whether good ticks hold it on both sides, and its points. Beyond the last good tick nothing does.
    pub fn parts(&self) -> Vec<(bool, &[Point])> {
        let ends = self.fair.suspects_at_ends();
        let good = || self.measured.iter().enumerate().filter(|(i, _)| !ends.contains(i)).map(|(_, p)| p[0]);
        let (first, last) = match (good().next(), good().next_back()) {
            (Some(first), Some(last)) if !ends.is_empty() => (first, last),
            _ => return vec![(true, &self.line[..])],
        };
        let from = self.line.partition_point(|p| p[0] < first);
        let to = self.line.partition_point(|p| p[0] <= last).max(from);
        let parts = [(false, 0, from + 1), (true, from, to), (false, to.saturating_sub(1), self.line.len())];
        let cut =
            |(held, a, b): (bool, usize, usize)| (held, &self.line[a.min(self.line.len())..b.min(self.line.len())]);
        parts.into_iter().map(cut).filter(|(_, part)| part.len() > 1).collect()
    }
}

/// A shape shorter than this share of new wood is not its shape (*yard rule*).
pub const OWN_LENGTH: f64 = 0.75;

/// Whether a shape so long can be that of new wood of a length, mm. What is much shorter was taken of another opening; they need not agree
/// closely, since how long the wood was thought to be may have been generated.
pub fn may_be_of(shape: f64, wood: f64) -> bool {
    shape >= OWN_LENGTH * wood
}

/// A plank's pattern. Lengths mm, angles degrees.
#[derive(Debug, Clone, PartialEq)]
pub struct Pattern {
    pub lower: FairEdge,
    pub upper: FairEdge,
    /// Closed, counter-clockwise.
    pub outline: Vec<Point>,
    pub suspects: Vec<Suspect>,
    pub blank_length: f64,
    pub blank_width: f64,
    /// How the blank lies: degrees its long side is turned from x.
    pub blank_turn: f64,
    /// Corners of the finished outline's own box, without allowances.
    pub blank_box: [Point; 4],
    pub widest: f64,
    /// How far the middle line departs from the straight line between its ends; positive: hollow upwards.
    pub curve: f64,
    /// Run-out of straight grain at the fore and the after end.
    pub run_out: (f64, f64),
    pub reasons: Vec<Reason>,
}

/// Run-out beyond which a crook or two pieces are better, °.
pub const RUN_OUT: f64 = 6.0;
/// Points of a fair line.
const DENSE: usize = 60;
/// Changes of curvature an ordinary plank's edge calls for.
const INFLECTIONS: usize = 2;

/// Fairs the edges and works out the blank. `tolerance` is the measuring one, mm (1.5 where nobody says otherwise).
///
/// Errors name `rows` or `tolerance`. Source: handbook 04.
pub fn plan(edges: &Edges, tolerance: f64, allow: Allowances) -> Result<Pattern, InputError> {
    for (field, value) in [("planing", allow.planing), ("caulking", allow.caulking), ("trim", allow.trim)] {
        error::within(field, value, 0.0, 500.0)?;
    }
    let upper = fair_edge(&edges.upper, &edges.upper_rows, tolerance, "upper", edges.round)?;
    let lower = match edges.parallel {
        Some(inside) => laid_inside(&upper, inside),
        None => fair_edge(&edges.lower, &edges.lower_rows, tolerance, "lower", edges.round)?,
    };
    let mut outline = lower.line.clone();
    outline.extend(upper.line.iter().rev());
    let (x0, x1) = (lower.line[0][0].max(upper.line[0][0]), last(&lower.line)[0].min(last(&upper.line)[0]));
    let gap = |x: f64| polyline_at(&upper.line, x) - polyline_at(&lower.line, x);
    let between = |i: usize| x0 + (x1 - x0) * i as f64 / (DENSE - 1) as f64;
    if x1 <= x0 || (0..DENSE).any(|i| gap(between(i)) <= 0.0) {
        return Err(InputError::new("rows", "the edges cross: the upper one must lie above the lower everywhere"));
    }
    let widest = (0..DENSE).map(|i| gap(between(i))).fold(0.0, f64::max);
    let (blank_box, turn) =
        least_box(&outline).ok_or_else(|| InputError::new("rows", "the outline encloses no area"))?;
    let side = |a: usize, b: usize| (blank_box[b][0] - blank_box[a][0]).hypot(blank_box[b][1] - blank_box[a][1]);
    let middle: Vec<Point> = (0..DENSE)
        .map(between)
        .map(|x| [x, (polyline_at(&upper.line, x) + polyline_at(&lower.line, x)) / 2.0])
        .collect();
    let (curve, run_out) = bow(&middle, turn);
    let suspects = suspects(&lower, Edge::Lower).into_iter().chain(suspects(&upper, Edge::Upper)).collect::<Vec<_>>();
    let blank_length = side(0, 1) + 2.0 * allow.trim;
    let blank_width = side(1, 2) + 2.0 * (allow.planing + allow.caulking);
    let mut pattern = Pattern {
        lower,
        upper,
        outline,
        suspects,
        blank_length,
        blank_width,
        blank_turn: turn.to_degrees(),
        blank_box,
        widest,
        curve,
        run_out,
        reasons: Vec::new(),
    };
    pattern.reasons = reasons(&pattern, allow, tolerance);
    Ok(pattern)
}

fn last(line: &[Point]) -> Point {
    line.last().copied().unwrap_or_default()
}

fn fair_edge(
    measured: &[Point],
    rows: &[usize],
    tolerance: f64,
    name: &str,
    round: bool,
) -> Result<FairEdge, InputError> {
    let in_words = |e: InputError| match e.field.as_str() {
        "tolerance" => e,
        _ => InputError::new("rows", format!("{name} edge: {}", e.message)),
    };
    let first = measured.first().ok_or_else(|| InputError::new("rows", format!("the {name} edge has no points")))?;
    let xs: Vec<f64> =
        (0..DENSE).map(|i| first[0] + (last(measured)[0] - first[0]) * i as f64 / (DENSE - 1) as f64).collect();
    let kept = thinned(measured.len());
    let measured: Vec<Point> = kept.iter().map(|i| measured[*i]).collect();
    let fair =
        if round { fair::fit_round(&measured, tolerance, DENSE) } else { fair::fit(&measured, tolerance, Some(&xs)) };
    let fair = fair.map_err(in_words)?;
    let line = fair.curve.clone();
    Ok(FairEdge { measured, rows: kept.iter().map(|i| rows[*i]).collect(), curvature: curvature(&line), line, fair })
}

/// An edge that nobody measured, laid `inside` below a fair one, square to it.
fn laid_inside(upper: &FairEdge, inside: f64) -> FairEdge {
    let line = beside(&upper.line, |_| -inside);
    let fair = Fair { suspects: Vec::new(), residuals: Vec::new(), ..upper.fair.clone() };
    FairEdge { measured: Vec::new(), rows: Vec::new(), fair, curvature: curvature(&line), line }
}

/// A line laid beside another, square to it, by an amount that may change along it: positive to the left of the way it runs, mm.
pub fn beside(line: &[Point], by: impl Fn(f64) -> f64) -> Vec<Point> {
    let n = line.len();
    (0..n)
        .map(|i| {
            let (a, b) = (line[i.saturating_sub(1)], line[(i + 1).min(n - 1)]);
            let (dx, dy) = (b[0] - a[0], b[1] - a[1]);
            let len = dx.hypot(dy).max(1e-9);
            let out = by(line[i][0]);
            [line[i][0] - out * dy / len, line[i][1] + out * dx / len]
        })
        .collect()
}

/// A traced edge of more points than this is faired by so many of them, evenly taken, both ends among them.
const FAIRED_BY: usize = 48;

fn thinned(count: usize) -> Vec<usize> {
    if count <= FAIRED_BY {
        return (0..count).collect();
    }
    (0..FAIRED_BY).map(|i| i * (count - 1) / (FAIRED_BY - 1)).collect()
}

/// Curvature at each point of a line by the circle through it and its neighbours, 1/mm; 0 at the ends.
pub fn curvature(line: &[Point]) -> Vec<f64> {
    let mut out = vec![0.0; line.len()];
    for i in 1..line.len().saturating_sub(1) {
        let (a, b, c) = (line[i - 1], line[i], line[i + 1]);
        let far = |p: Point, q: Point| (q[0] - p[0]).hypot(q[1] - p[1]);
        let sides = far(a, b) * far(b, c) * far(c, a);
        if sides > 0.0 {
            out[i] = 2.0 * crate::geometry::cross(a, b, c) / sides;
        }
    }
    out
}

fn suspects(edge: &FairEdge, which: Edge) -> Vec<Suspect> {
    let ends = edge.fair.suspects_at_ends();
    let one =
        |i: &usize| Suspect { edge: which, row: edge.rows[*i], off: edge.fair.residuals[*i], at_end: ends.contains(i) };
    edge.fair.suspects.iter().map(one).collect()
}

/// The smallest rectangle round an outline: its corners from the lower fore one, counter-clockwise, long side first; and how
/// it is turned, radians. A side of the smallest one lies along a side of the convex hull.
pub fn least_box(outline: &[Point]) -> Option<([Point; 4], f64)> {
    let hull = convex_hull(outline);
    if hull.len() < 3 {
        return None;
    }
    let n = hull.len();
    let mut best: Option<(f64, [Point; 4], f64)> = None;
    for i in 0..n {
        let (a, b) = (hull[i], hull[(i + 1) % n]);
        let mut angle = (b[1] - a[1]).atan2(b[0] - a[0]);
        let (mut c, mut s) = (angle.cos(), angle.sin());
        let turned = |c: f64, s: f64| -> Vec<Point> {
            hull.iter().map(|p| [c * p[0] + s * p[1], -s * p[0] + c * p[1]]).collect()
        };
        let flat = turned(c, s);
        let ((x0, x1), (y0, y1)) = (extent(&flat, 0)?, extent(&flat, 1)?);
        let area = (x1 - x0) * (y1 - y0);
        if best.as_ref().is_some_and(|(least, ..)| area >= *least - 1e-9) {
            continue;
        }
        // Long side along x, turned no more than a quarter either way.
        if y1 - y0 > x1 - x0 {
            angle += std::f64::consts::FRAC_PI_2;
        }
        angle -= std::f64::consts::PI * (angle / std::f64::consts::PI).round();
        (c, s) = (angle.cos(), angle.sin());
        let flat = turned(c, s);
        let ((x0, x1), (y0, y1)) = (extent(&flat, 0)?, extent(&flat, 1)?);
        let back = |p: Point| [c * p[0] - s * p[1], s * p[0] + c * p[1]];
        best = Some((area, [[x0, y0], [x1, y0], [x1, y1], [x0, y1]].map(back), angle));
    }
    best.map(|(_, corners, angle)| (corners, angle))
}

/// How far a middle line bows from its chord, and its angles at both ends to straight grain along `turn`, °.
fn bow(middle: &[Point], turn: f64) -> (f64, (f64, f64)) {
    let (a, b) = (middle[0], last(middle));
    let long = (b[0] - a[0]).hypot(b[1] - a[1]).max(1e-9);
    let off = |p: &Point| ((b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0])) / long;
    let most = middle.iter().map(off).fold(0.0f64, |m, v| if v.abs() > m.abs() { v } else { m });
    let angle = |p: Point, q: Point| ((q[1] - p[1]).atan2(q[0] - p[0]) - turn).to_degrees().abs();
    let n = middle.len();
    // Hollow upwards: the middle hangs below the chord.
    (-most, (angle(middle[0], middle[1]), angle(middle[n - 2], middle[n - 1])))
}

fn reasons(p: &Pattern, allow: Allowances, tolerance: f64) -> Vec<Reason> {
    let worst = p.run_out.0.max(p.run_out.1);
    let mut reasons = vec![
        Reason::note(
            "shape.blank",
            "the smallest rectangle round the fair outline, with what is planed and trimmed off",
        )
        .formula("box + 2 × (planing + caulking bevel) by box + 2 × trim")
        .value("planing, each edge", allow.planing, "mm")
        .value("caulking bevel, each edge", allow.caulking, "mm")
        .value("trim, each end", allow.trim, "mm"),
        Reason::new(
            "shape.run_out",
            if worst > RUN_OUT { Verdict::Against } else { Verdict::For },
            if worst > RUN_OUT {
                "the grain of a straight board runs out: use a board with a natural crook, or two pieces"
            } else {
                "a straight board does: the grain hardly runs out"
            },
        )
        .against("run-out at the worse end", worst, "°", RUN_OUT),
    ];
    for (edge, name) in [(&p.lower, "lower"), (&p.upper, "upper")] {
        if edge.fair.inflections > INFLECTIONS {
            reasons.push(
                Reason::new(
                    "shape.unfair",
                    Verdict::Against,
                    format!("the {name} edge waves: a batten would not lie so"),
                )
                .against("changes of curvature", edge.fair.inflections as f64, "", INFLECTIONS as f64),
            );
        }
    }
    let measured = [&p.lower, &p.upper].map(|e| e.fair.residuals.len());
    let fewest = measured.into_iter().filter(|n| *n > 0).min().unwrap_or(0);
    if !p.checked() {
        reasons.push(
            Reason::note("shape.suspect", "too few to check: no tick can be contradicted by fewer than five others")
                .value("ticks on the edge with fewest", fewest as f64, ""),
        );
    } else if p.suspects.is_empty() {
        reasons.push(Reason::new("shape.suspect", Verdict::For, "no measurement speaks against the others").value(
            "measuring tolerance",
            tolerance,
            "mm",
        ));
    }
    reasons
}

impl Pattern {
    /// Whether no good tick holds an end of an edge.
    pub fn end_in_doubt(&self) -> bool {
        self.suspects.iter().any(|s| s.at_end)
    }

    /// Whether both edges have ticks enough for one to be contradicted by the others; where not, no suspects means nothing.
    pub fn checked(&self) -> bool {
        self.lower.fair.checked && self.upper.fair.checked
    }
}

/// The other side's plank: seen from outside, fore and aft change hands.
pub fn mirrored(edges: &Edges) -> Edges {
    let all: Vec<Point> = edges.lower.iter().chain(&edges.upper).copied().collect();
    let Some((x0, x1)) = extent(&all, 0) else { return Edges::default() };
    let turn = |line: &[Point]| line.iter().rev().map(|p| [x0 + x1 - p[0], p[1]]).collect();
    let rows = |rows: &[usize]| rows.iter().rev().copied().collect();
    Edges {
        parallel: edges.parallel,
        round: edges.round,
        lower: turn(&edges.lower),
        upper: turn(&edges.upper),
        lower_rows: rows(&edges.lower_rows),
        upper_rows: rows(&edges.upper_rows),
    }
}

/// Widths of two planks at the same places along them, and how far apart they are, mm.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Beside {
    pub x: f64,
    pub this: f64,
    pub other: f64,
}

/// Compares a plank with the other side's at each station of this one: widths, since the battens lay where they lay.
pub fn compared(this: &Pattern, other: &Pattern) -> Vec<Beside> {
    let width = |p: &Pattern, x: f64| polyline_at(&p.upper.line, x) - polyline_at(&p.lower.line, x);
    let start = |p: &Pattern| p.lower.line[0][0].min(p.upper.line[0][0]);
    let end = |p: &Pattern| last(&p.lower.line)[0].max(last(&p.upper.line)[0]);
    let (from, shift) = (start(this), start(other) - start(this));
    let across = if this.lower.measured.is_empty() { &this.upper } else { &this.lower };
    across
        .measured
        .iter()
        .map(|p| p[0])
        .filter(|x| *x >= from && x + shift <= end(other) + 1e-6)
        .map(|x| Beside { x, this: width(this, x), other: width(other, x + shift) })
        .collect()
}

/// Edges of a plank in section: square to the hull, and eased outside for the caulking. Lengths mm, angles degrees.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Section {
    /// Each edge leans out from square to the plank's face by this.
    pub edge_bevel: f64,
    /// Width of the face towards the frames, and of the caulked face before the seam is eased.
    pub frame_side: f64,
    pub caulk_side: f64,
    /// Taken off each edge at the outer face for the caulking, over the outer two thirds of the thickness.
    pub eased: f64,
    pub eased_depth: f64,
}

/// A plank's edges in section on a frame curve of `radius` (`None`: flat): edges square to the hull fan out, so the caulk side
/// is wider than the frame side by `w·t/R`; the seam opens outside by thickness/16 + 0.8 mm, half on each edge.
///
/// Errors name `width`, `thickness` or `radius`. Source: handbook 04 and 06, *yard rule*.
pub fn section(width: f64, thickness: f64, radius: Option<f64>, caulked: bool) -> Result<Section, InputError> {
    error::length("width", width)?;
    error::length("thickness", thickness)?;
    let (edge_bevel, caulk_side) = match radius {
        Some(radius) => {
            error::positive("radius", radius)?;
            if radius < width / 2.0 {
                return Err(InputError::new("radius", "must be at least half the width"));
            }
            ((width / (2.0 * radius)).asin().to_degrees(), width * (radius + thickness) / radius)
        }
        None => (0.0, width),
    };
    let eased = if caulked { crate::seam::first_width(thickness) / 2.0 } else { 0.0 };
    Ok(Section {
        edge_bevel,
        frame_side: width,
        caulk_side,
        eased,
        eased_depth: if caulked { thickness * 2.0 / 3.0 } else { 0.0 },
    })
}

/// Length along the longer edge, mm.
pub fn longest_edge(pattern: &Pattern) -> f64 {
    length_of(&pattern.lower.line).max(length_of(&pattern.upper.line))
}

/// Face of the finished plank, mm².
pub fn area(pattern: &Pattern) -> f64 {
    signed_area(&pattern.outline).abs()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::shape::spiling::{Capture, Tick};

    fn plank(sny: f64, spoil: Option<(usize, f64)>) -> Edges {
        let ticks = (0..11)
            .map(|i| {
                let x = 300.0 * f64::from(i);
                let y = sny * (x / 1_500.0 - 1.0).powi(2);
                let slip = spoil.filter(|(row, _)| *row == i as usize).map_or(0.0, |(_, off)| off);
                Tick { x, lower: Some(50.0 - y), upper: Some(60.0 + y + slip) }
            })
            .collect();
        Capture::Batten { ticks }.edges().unwrap()
    }

    /// The line's last stretch is held by nothing where the last tick is thrown out; the parts are the whole line, joined at their ends.
    #[test]
    fn an_edge_is_parted_where_its_last_good_tick_stands() {
        let edge = |spoil| plan(&plank(40.0, spoil), 1.5, Allowances::default()).unwrap().upper;
        let whole = edge(None);
        assert_eq!(whole.parts(), [(true, &whole.line[..])]);
        let doubted = edge(Some((10, 15.0)));
        let [(true, held), (false, open)] = doubted.parts()[..] else { panic!("{:?}", doubted.parts().len()) };
        assert_eq!(held.last(), open.first());
        assert_eq!(held.len() + open.len() - 1, doubted.line.len());
        let last_good = doubted.measured[doubted.measured.len() - 2][0];
        assert!(held.last().unwrap()[0] <= last_good && open[1][0] > last_good);
    }

    #[test]
    fn a_wrong_tick_is_named_with_its_station_its_edge_and_how_far_off_it_is() {
        let pattern = plan(&plank(40.0, Some((6, 9.0))), 1.5, Allowances::default()).unwrap();
        assert_eq!(pattern.suspects.len(), 1);
        let suspect = pattern.suspects[0];
        assert_eq!((suspect.edge, suspect.row), (Edge::Upper, 6));
        assert!((suspect.off - 9.0).abs() < 1.6, "{suspect:?}");
        assert!(plan(&plank(40.0, None), 1.5, Allowances::default()).unwrap().suspects.is_empty());
    }

    #[test]
    fn a_straight_plank_asks_for_its_own_box_and_allowances() {
        let pattern = plan(&plank(0.0, None), 1.5, Allowances { planing: 1.0, caulking: 1.2, trim: 25.0 }).unwrap();
        assert!((pattern.blank_length - 3_050.0).abs() < 1e-6 && (pattern.blank_width - (110.0 + 4.4)).abs() < 1e-6);
        assert!(pattern.curve.abs() < 1e-9 && pattern.run_out.0 < 1e-6);
        assert!((area(&pattern) - 330_000.0).abs() < 1.0 && (longest_edge(&pattern) - 3_000.0).abs() < 1e-6);
    }

    #[test]
    fn a_plank_that_curves_runs_out_of_its_grain_and_wants_a_crook() {
        let pattern = plan(&plank(140.0, None), 1.5, Allowances::default()).unwrap();
        // The middle line hangs 140 mm below its chord, give or take the tolerance.
        assert!((pattern.curve - 140.0).abs() < 4.0, "{}", pattern.curve);
        let verdict = |p: &Pattern| p.reasons.iter().find(|r| r.rule == "shape.run_out").unwrap().verdict;
        assert_eq!(verdict(&pattern), Verdict::Against);
        assert_eq!(verdict(&plan(&plank(20.0, None), 1.5, Allowances::default()).unwrap()), Verdict::For);
    }

    #[test]
    fn both_sides_of_the_boat_are_held_beside_each_other() {
        let port = plan(&plank(30.0, None), 0.5, Allowances::default()).unwrap();
        let wider =
            Edges { upper: plank(30.0, None).upper.iter().map(|p| [p[0], p[1] + 5.0]).collect(), ..plank(30.0, None) };
        let starboard = plan(&wider, 0.5, Allowances::default()).unwrap();
        let beside = compared(&port, &starboard);
        assert_eq!(beside.len(), 11);
        assert!(beside.iter().all(|b| (b.other - b.this - 5.0).abs() < 0.1));
        let edges = plank(30.0, None);
        let twice = mirrored(&mirrored(&edges));
        assert_eq!((twice.lower, twice.upper_rows), (edges.lower, edges.upper_rows));
    }

    #[test]
    fn edges_square_to_a_round_hull_fan_out() {
        let s = section(150.0, 25.0, Some(900.0), true).unwrap();
        assert!((s.caulk_side - 150.0 * 925.0 / 900.0).abs() < 1e-9 && (s.edge_bevel - 4.780).abs() < 1e-3);
        assert!((s.eased - (25.0 / 16.0 + 0.8) / 2.0).abs() < 1e-9);
        assert_eq!(section(150.0, 25.0, Some(60.0), true).unwrap_err().field, "radius");
        assert_eq!(section(150.0, 25.0, None, false).unwrap().eased, 0.0);
    }

    proptest! {
        #[test]
        fn the_box_holds_the_outline_and_no_turned_box_is_smaller(
            points in proptest::collection::vec((0.0..3_000.0f64, 0.0..400.0f64), 4..20), by in 0.0..180.0f64,
        ) {
            let outline: Vec<Point> = points.into_iter().map(|(x, y)| [x, y]).collect();
            prop_assume!(signed_area(&convex_hull(&outline)) > 1_000.0);
            let (corners, _) = least_box(&outline).unwrap();
            prop_assert!(outline.iter().all(|p| crate::geometry::convex_contains(&corners, *p, 1e-6)));
            let (c, s) = (by.to_radians().cos(), by.to_radians().sin());
            let flat: Vec<Point> = outline.iter().map(|p| [c * p[0] + s * p[1], -s * p[0] + c * p[1]]).collect();
            let ((x0, x1), (y0, y1)) = (extent(&flat, 0).unwrap(), extent(&flat, 1).unwrap());
            prop_assert!(signed_area(&corners) <= (x1 - x0) * (y1 - y0) + 1e-3);
        }
    }
}
