//! Taking the shape: five ways to carry a plank's edges from the boat to the bench, all giving the same two edges.

use serde::{Deserialize, Serialize};

use crate::choice::choices;
use crate::error::{self, InputError};
use crate::geometry::{Point, cross, signed_area};

choices! {
    /// A way to take a shape.
    Way {
        Batten = "batten", "Spiling batten with ticks";
        Arcs = "arcs", "Compass arcs of one radius";
        Strip = "strip", "Strip template";
        Pattern = "pattern", "Old plank as pattern";
        Offsets = "offsets", "Half-breadths and heights";
        Rib = "rib", "Frame or beam, from a straight edge";
    }
}

choices! {
    /// Which edge of the plank.
    Edge {
        Lower = "lower", "Lower";
        Upper = "upper", "Upper";
    }
}

/// At one station of a straight batten: how far its reference line is from each edge, mm. A distance is negative where the
/// edge lies on the line's other side.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Tick {
    pub x: f64,
    pub lower: Option<f64>,
    pub upper: Option<f64>,
}

/// Two marks on the batten at the compass's opening from one point of an edge, mm.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Arc {
    pub edge: Edge,
    pub a: Point,
    pub b: Point,
}

/// At one place along a straight edge that stands inside a frame, from heel to head: how far its inside and its outside lie out from
/// the edge, square to it, mm; and the bevel there, degrees, positive where the hull narrows going aft.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct RibTick {
    pub x: f64,
    pub inside: Option<f64>,
    pub outside: Option<f64>,
    pub bevel: Option<f64>,
}

/// Steepest bevel that is taken, degrees.
pub const MOST_BEVEL: f64 = 60.0;

/// At one station: where the plank's two edges lie, `[half-breadth, height]`, mm.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Girth {
    /// Distance aft.
    pub x: f64,
    pub lower: Point,
    pub upper: Point,
}

/// A shape as it was taken.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "way", rename_all = "snake_case")]
pub enum Capture {
    Batten {
        ticks: Vec<Tick>,
    },
    Arcs {
        radius: f64,
        arcs: Vec<Arc>,
    },
    /// Points all round, in order.
    Strip {
        points: Vec<Point>,
    },
    /// Points all round, in order.
    Pattern {
        points: Vec<Point>,
    },
    Offsets {
        stations: Vec<Girth>,
    },
    /// A frame by its outside and inside; where no inside was taken it lies `moulded` inside the outside, mm.
    Rib {
        moulded: f64,
        ticks: Vec<RibTick>,
    },
}

/// A plank's edges as they were measured: x along it, rising; y up. A point keeps the number of the row it was measured in.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Edges {
    /// The lower edge was not measured: it is laid so far below the upper one, square to it, mm.
    pub parallel: Option<f64>,
    /// Bent so far that it is faired along its own circle.
    pub round: bool,
    pub lower: Vec<Point>,
    pub upper: Vec<Point>,
    /// Row of each point, counted from 0.
    pub lower_rows: Vec<usize>,
    pub upper_rows: Vec<usize>,
}

/// Most rows taken.
pub const MOST: usize = 400;
/// Fewest points of an edge.
pub const FEWEST: usize = 3;

impl Capture {
    pub fn way(&self) -> Way {
        match self {
            Self::Batten { .. } => Way::Batten,
            Self::Arcs { .. } => Way::Arcs,
            Self::Strip { .. } => Way::Strip,
            Self::Pattern { .. } => Way::Pattern,
            Self::Offsets { .. } => Way::Offsets,
            Self::Rib { .. } => Way::Rib,
        }
    }

    pub fn rows(&self) -> usize {
        match self {
            Self::Batten { ticks } => ticks.len(),
            Self::Arcs { arcs, .. } => arcs.len(),
            Self::Strip { points } | Self::Pattern { points } => points.len(),
            Self::Offsets { stations } => stations.len(),
            Self::Rib { ticks, .. } => ticks.len(),
        }
    }

    /// The edges; of a frame the inside is the lower one. Errors name `rows`, `rows[i].x`, `rows[i].lower`, `rows[i].upper`, `rows[i]`,
    /// `radius` or `moulded`.
    ///
    /// Offsets are laid flat as a strip of triangles between the stations, so that lengths along the edges and across at the
    /// stations are true.
    pub fn edges(&self) -> Result<Edges, InputError> {
        if self.rows() > MOST {
            return Err(InputError::new("rows", format!("takes no more than {MOST} rows, got {}", self.rows())));
        }
        let edges = match self {
            Self::Batten { ticks } => from_ticks(ticks)?,
            Self::Arcs { radius, arcs } => from_arcs(*radius, arcs)?,
            Self::Strip { points } | Self::Pattern { points } => from_outline(points)?,
            Self::Offsets { stations } => developed(stations)?,
            Self::Rib { moulded, ticks } => from_rib(*moulded, ticks)?,
        };
        let names = if self.way() == Way::Rib { ["inside", "outside"] } else { ["lower edge", "upper edge"] };
        for (name, edge) in names.into_iter().zip([&edges.lower, &edges.upper]) {
            let laid = edges.parallel.is_some() && edge.is_empty();
            if edge.len() < FEWEST && !laid {
                let message = format!("the {name} needs at least {FEWEST} points, has {}", edge.len());
                return Err(InputError::new("rows", message));
            }
        }
        Ok(edges)
    }
}

fn number(field: String, value: f64) -> Result<f64, InputError> {
    error::within(&field, value, -error::LENGTH_LIMIT_MM, error::LENGTH_LIMIT_MM)
}

fn from_ticks(ticks: &[Tick]) -> Result<Edges, InputError> {
    let mut edges = Edges::default();
    for (i, tick) in ticks.iter().enumerate() {
        number(format!("rows[{i}].x"), tick.x)?;
        if i > 0 && tick.x <= ticks[i - 1].x {
            return Err(InputError::new(
                format!("rows[{i}].x"),
                "stations must run one way along the batten, each once",
            ));
        }
        if let Some(lower) = tick.lower {
            edges.lower.push([tick.x, -number(format!("rows[{i}].lower"), lower)?]);
            edges.lower_rows.push(i);
        }
        if let Some(upper) = tick.upper {
            edges.upper.push([tick.x, number(format!("rows[{i}].upper"), upper)?]);
            edges.upper_rows.push(i);
        }
        if let (Some(lower), Some(upper)) = (tick.lower, tick.upper)
            && lower + upper <= 0.0
        {
            return Err(InputError::new(format!("rows[{i}].upper"), "the upper edge must lie above the lower one"));
        }
    }
    Ok(edges)
}

fn from_rib(moulded: f64, ticks: &[RibTick]) -> Result<Edges, InputError> {
    error::length("moulded", moulded)?;
    let mut edges = Edges { round: true, ..Edges::default() };
    for (i, tick) in ticks.iter().enumerate() {
        number(format!("rows[{i}].x"), tick.x)?;
        if i > 0 && tick.x <= ticks[i - 1].x {
            return Err(InputError::new(
                format!("rows[{i}].x"),
                "places must run one way along the straight edge, from the heel up, each once",
            ));
        }
        if let Some(bevel) = tick.bevel {
            error::within(&format!("rows[{i}].bevel"), bevel, -MOST_BEVEL, MOST_BEVEL)?;
        }
        if let Some(inside) = tick.inside {
            edges.lower.push([tick.x, number(format!("rows[{i}].lower"), inside)?]);
            edges.lower_rows.push(i);
        }
        if let Some(outside) = tick.outside {
            edges.upper.push([tick.x, number(format!("rows[{i}].upper"), outside)?]);
            edges.upper_rows.push(i);
        }
        if let (Some(inside), Some(outside)) = (tick.inside, tick.outside)
            && outside <= inside
        {
            let message = "the outside must lie farther from the straight edge than the inside";
            return Err(InputError::new(format!("rows[{i}].upper"), message));
        }
    }
    edges.parallel = edges.lower.is_empty().then_some(moulded);
    Ok(edges)
}

/// The point at the compass's opening from both marks, on the side of its edge.
fn from_arcs(radius: f64, arcs: &[Arc]) -> Result<Edges, InputError> {
    error::length("radius", radius)?;
    let mut found: Vec<(Edge, Point, usize)> = Vec::new();
    for (i, arc) in arcs.iter().enumerate() {
        for (field, value) in [("ax", arc.a[0]), ("ay", arc.a[1]), ("bx", arc.b[0]), ("by", arc.b[1])] {
            number(format!("rows[{i}].{field}"), value)?;
        }
        let (dx, dy) = (arc.b[0] - arc.a[0], arc.b[1] - arc.a[1]);
        let apart = dx.hypot(dy);
        if apart < 1.0 {
            return Err(InputError::new(
                format!("rows[{i}]"),
                "the two marks must lie apart, or the point cannot be found",
            ));
        }
        if apart > 2.0 * radius {
            let message = format!("the marks are {apart:.0} mm apart: more than twice the compass's opening");
            return Err(InputError::new(format!("rows[{i}]"), message));
        }
        let middle = [(arc.a[0] + arc.b[0]) / 2.0, (arc.a[1] + arc.b[1]) / 2.0];
        let out = (radius * radius - apart * apart / 4.0).sqrt();
        let normal = [-dy / apart, dx / apart];
        let up = if normal[1] >= 0.0 { 1.0 } else { -1.0 };
        let side = up * if arc.edge == Edge::Upper { 1.0 } else { -1.0 };
        found.push((arc.edge, [middle[0] + side * out * normal[0], middle[1] + side * out * normal[1]], i));
    }
    found.sort_by(|a, b| a.1[0].total_cmp(&b.1[0]));
    let mut edges = Edges::default();
    for (edge, point, row) in found {
        let (line, rows) = match edge {
            Edge::Lower => (&mut edges.lower, &mut edges.lower_rows),
            Edge::Upper => (&mut edges.upper, &mut edges.upper_rows),
        };
        if line.last().is_some_and(|last: &Point| point[0] - last[0] < 0.5) {
            return Err(InputError::new(format!("rows[{row}]"), "two points of this edge fall in one place"));
        }
        line.push(point);
        rows.push(row);
    }
    Ok(edges)
}

/// First pair of sides of a closed outline that cross, as the numbers of the points they start at.
pub fn crossing(points: &[Point]) -> Option<(usize, usize)> {
    let n = points.len();
    let side = |i: usize| (points[i], points[(i + 1) % n]);
    for i in 0..n {
        for j in i + 2..n {
            if i == 0 && j == n - 1 {
                continue;
            }
            let ((a, b), (c, d)) = (side(i), side(j));
            let (x0, x1) = (a[0].min(b[0]), a[0].max(b[0]));
            if c[0].max(d[0]) < x0 || c[0].min(d[0]) > x1 {
                continue;
            }
            if cross(a, b, c) * cross(a, b, d) < 0.0 && cross(c, d, a) * cross(c, d, b) < 0.0 {
                return Some((i, j));
            }
        }
    }
    None
}

/// Divides a closed outline into its two edges: the ends are the sides between the corners nearest to those of its own box.
fn from_outline(points: &[Point]) -> Result<Edges, InputError> {
    for (i, p) in points.iter().enumerate() {
        number(format!("rows[{i}].x"), p[0])?;
        number(format!("rows[{i}].y"), p[1])?;
    }
    if points.len() < 2 * FEWEST {
        let message = format!("an outline needs at least {} points, has {}", 2 * FEWEST, points.len());
        return Err(InputError::new("rows", message));
    }
    if let Some((i, j)) = crossing(points) {
        let message =
            format!("the outline crosses itself: the side after point {} and the one after point {}", i + 1, j + 1);
        return Err(InputError::new(format!("rows[{j}]"), message));
    }
    let area = signed_area(points);
    if area.abs() < 1.0 {
        return Err(InputError::new("rows", "the outline encloses no area"));
    }
    let n = points.len();
    // Counter-clockwise, each with its row.
    let around: Vec<(Point, usize)> = if area > 0.0 {
        points.iter().copied().zip(0..n).collect()
    } else {
        points.iter().copied().zip(0..n).rev().collect()
    };
    let low = |axis: usize| points.iter().map(|p| p[axis]).fold(f64::INFINITY, f64::min);
    let high = |axis: usize| points.iter().map(|p| p[axis]).fold(f64::NEG_INFINITY, f64::max);
    if high(0) - low(0) < high(1) - low(1) {
        return Err(InputError::new("rows", "lay it with x along the plank: it is taller than it is long"));
    }
    let nearest = |corner: Point| {
        let far = |p: Point| (p[0] - corner[0]).hypot(p[1] - corner[1]);
        (0..n).min_by(|a, b| far(around[*a].0).total_cmp(&far(around[*b].0))).unwrap_or(0)
    };
    // A bent plank's corners lie where its ends are, not at the box: the height of each end is its own.
    let end_band = 0.04 * (high(0) - low(0));
    let end_heights = |at: f64| {
        let near = around.iter().filter(|(p, _)| (p[0] - at).abs() <= end_band).map(|(p, _)| p[1]);
        (near.clone().fold(f64::INFINITY, f64::min), near.fold(f64::NEG_INFINITY, f64::max))
    };
    let (fore, aft) = (end_heights(low(0)), end_heights(high(0)));
    let [fore_low, fore_high] = [[low(0), fore.0], [low(0), fore.1]].map(nearest);
    let [aft_low, aft_high] = [[high(0), aft.0], [high(0), aft.1]].map(nearest);
    let chain = |from: usize, to: usize| -> Vec<(Point, usize)> {
        let length = (to + n - from) % n;
        (0..=length).map(|k| around[(from + k) % n]).collect()
    };
    let lower = chain(fore_low, aft_low);
    let mut upper = chain(aft_high, fore_high);
    upper.reverse();
    let mut edges = Edges::default();
    for (chain, line, rows) in
        [(lower, &mut edges.lower, &mut edges.lower_rows), (upper, &mut edges.upper, &mut edges.upper_rows)]
    {
        for (p, row) in chain {
            if line.last().is_some_and(|last: &Point| p[0] <= last[0]) {
                let message = "an edge must run one way along the plank: points are out of order here";
                return Err(InputError::new(format!("rows[{row}]"), message));
            }
            line.push(p);
            rows.push(row);
        }
    }
    Ok(edges)
}

/// The strip between two edges given station by station, laid flat triangle by triangle.
fn developed(stations: &[Girth]) -> Result<Edges, InputError> {
    let space = |s: &Girth, p: Point| [s.x, p[0], p[1]];
    let far = |a: [f64; 3], b: [f64; 3]| ((a[0] - b[0]).powi(2) + (a[1] - b[1]).powi(2) + (a[2] - b[2]).powi(2)).sqrt();
    for (i, s) in stations.iter().enumerate() {
        for (field, value) in
            [("x", s.x), ("lb", s.lower[0]), ("lh", s.lower[1]), ("ub", s.upper[0]), ("uh", s.upper[1])]
        {
            number(format!("rows[{i}].{field}"), value)?;
        }
        if i > 0 && s.x <= stations[i - 1].x {
            return Err(InputError::new(format!("rows[{i}].x"), "stations must rise going aft"));
        }
        if far(space(s, s.lower), space(s, s.upper)) < 1.0 {
            return Err(InputError::new(format!("rows[{i}].ub"), "the two edges must lie apart"));
        }
    }
    let Some(first) = stations.first() else { return Ok(Edges::default()) };
    let width = far(space(first, first.lower), space(first, first.upper));
    let mut flat: Vec<(Point, Point)> = vec![([0.0, 0.0], [0.0, width])];
    for pair in stations.windows(2) {
        let [l0, u0] = [pair[0].lower, pair[0].upper].map(|p| space(&pair[0], p));
        let [l1, u1] = [pair[1].lower, pair[1].upper].map(|p| space(&pair[1], p));
        let (fl0, fu0) = flat[flat.len() - 1];
        // The lower corner from the last station, then the upper one from it and the last upper corner.
        let fl1 = third(fl0, fu0, far(l0, l1), far(u0, l1), false);
        let fu1 = third(fl1, fu0, far(l1, u1), far(u0, u1), false);
        flat.push((fl1, fu1));
    }
    // Laid along the line between the middles of its ends.
    let middle = |(l, u): (Point, Point)| [(l[0] + u[0]) / 2.0, (l[1] + u[1]) / 2.0];
    let (a, b) = (middle(flat[0]), middle(flat[flat.len() - 1]));
    let long = (b[0] - a[0]).hypot(b[1] - a[1]).max(1e-9);
    let (c, s) = ((b[0] - a[0]) / long, (b[1] - a[1]) / long);
    let turn = |p: Point| [c * (p[0] - a[0]) + s * (p[1] - a[1]), -s * (p[0] - a[0]) + c * (p[1] - a[1])];
    let rows: Vec<usize> = (0..stations.len()).collect();
    Ok(Edges {
        parallel: None,
        round: false,
        lower: flat.iter().map(|(l, _)| turn(*l)).collect(),
        upper: flat.iter().map(|(_, u)| turn(*u)).collect(),
        lower_rows: rows.clone(),
        upper_rows: rows,
    })
}

/// Third corner of a triangle on `a`→`b`, at its distances from both, to the right of the way up (or the left).
fn third(a: Point, b: Point, from_a: f64, from_b: f64, left: bool) -> Point {
    let (dx, dy) = (b[0] - a[0], b[1] - a[1]);
    let base = dx.hypot(dy).max(1e-9);
    let along = (from_a * from_a - from_b * from_b + base * base) / (2.0 * base);
    let out = (from_a * from_a - along * along).max(0.0).sqrt() * if left { 1.0 } else { -1.0 };
    let (ux, uy) = (dx / base, dy / base);
    [a[0] + along * ux - out * uy, a[1] + along * uy + out * ux]
}

/// Length of an edge, mm.
pub fn length_of(edge: &[Point]) -> f64 {
    edge.windows(2).map(|w| (w[1][0] - w[0][0]).hypot(w[1][1] - w[0][1])).sum()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// A plank that is 100 wide in the middle, curved in its own plane.
    fn lower(x: f64) -> f64 {
        -40.0 - 30.0 * (x / 3_000.0 - 0.5).powi(2)
    }

    fn upper(x: f64) -> f64 {
        60.0 - 50.0 * (x / 3_000.0 - 0.5).powi(2)
    }

    const XS: [f64; 7] = [0.0, 500.0, 1_000.0, 1_500.0, 2_000.0, 2_500.0, 3_000.0];

    fn same(edges: &Edges) {
        assert_eq!((edges.lower.len(), edges.upper.len()), (7, 7));
        for (x, (low, high)) in XS.iter().zip(edges.lower.iter().zip(&edges.upper)) {
            assert!((low[0] - x).abs() < 1e-6 && (low[1] - lower(*x)).abs() < 1e-6, "{low:?}");
            assert!((high[0] - x).abs() < 1e-6 && (high[1] - upper(*x)).abs() < 1e-6, "{high:?}");
        }
    }

    #[test]
    fn ticks_arcs_and_a_tracing_of_one_plank_give_the_same_edges() {
        let ticks = XS.map(|x| Tick { x, lower: Some(-lower(x)), upper: Some(upper(x)) }).to_vec();
        same(&Capture::Batten { ticks }.edges().unwrap());
        let radius = 200.0f64;
        // Marks on the batten's line, where the compass reaches it from each edge.
        let arc = |edge, x: f64, y: f64| {
            let reach = (radius * radius - y * y).sqrt();
            Arc { edge, a: [x - reach, 0.0], b: [x + reach, 0.0] }
        };
        let arcs = XS.iter().flat_map(|x| [arc(Edge::Lower, *x, lower(*x)), arc(Edge::Upper, *x, upper(*x))]).collect();
        same(&Capture::Arcs { radius, arcs }.edges().unwrap());
        let points: Vec<Point> =
            XS.iter().map(|x| [*x, lower(*x)]).chain(XS.iter().rev().map(|x| [*x, upper(*x)])).collect();
        same(&Capture::Strip { points: points.clone() }.edges().unwrap());
        let turned: Vec<Point> = points.iter().rev().copied().collect();
        same(&Capture::Pattern { points: turned }.edges().unwrap());
    }

    #[test]
    fn a_plank_round_a_cone_is_laid_flat_at_its_true_lengths() {
        // Edges on two circles, as round a bow: the developed strip curves, its lengths do not change.
        let stations: Vec<Girth> = (0..9)
            .map(|i| {
                let x = 300.0 * f64::from(i);
                let breadth = 900.0 - (x - 1_200.0).powi(2) / 4_000.0;
                Girth { x, lower: [breadth, 400.0 + x / 20.0], upper: [breadth + 60.0, 500.0 + x / 18.0] }
            })
            .collect();
        let edges = Capture::Offsets { stations: stations.clone() }.edges().unwrap();
        let space: f64 = stations
            .windows(2)
            .map(|w| {
                ((w[1].x - w[0].x).powi(2)
                    + (w[1].lower[0] - w[0].lower[0]).powi(2)
                    + (w[1].lower[1] - w[0].lower[1]).powi(2))
                .sqrt()
            })
            .sum();
        assert!((length_of(&edges.lower) - space).abs() < 1e-6);
        for (i, s) in stations.iter().enumerate() {
            let across = (s.upper[0] - s.lower[0]).hypot(s.upper[1] - s.lower[1]);
            let flat = (edges.upper[i][0] - edges.lower[i][0]).hypot(edges.upper[i][1] - edges.lower[i][1]);
            assert!((across - flat).abs() < 1e-6);
        }
        assert!(edges.lower.windows(2).all(|w| w[1][0] > w[0][0]) && edges.upper[4][1] > edges.lower[4][1]);
    }

    #[test]
    fn bad_rows_are_named() {
        let field = |capture: Capture| capture.edges().unwrap_err().field;
        let tick = |x, lower, upper| Tick { x, lower: Some(lower), upper: Some(upper) };
        assert_eq!(field(Capture::Batten { ticks: vec![tick(0.0, 1.0, 1.0), tick(0.0, 1.0, 1.0)] }), "rows[1].x");
        assert_eq!(field(Capture::Batten { ticks: vec![tick(0.0, -9.0, 1.0)] }), "rows[0].upper");
        assert_eq!(field(Capture::Batten { ticks: vec![tick(0.0, f64::NAN, 1.0)] }), "rows[0].lower");
        assert_eq!(field(Capture::Batten { ticks: vec![] }), "rows");
        let arc = Arc { edge: Edge::Upper, a: [0.0, 0.0], b: [500.0, 0.0] };
        assert_eq!(field(Capture::Arcs { radius: 200.0, arcs: vec![arc] }), "rows[0]");
        let bow_tie = vec![[0.0, 0.0], [100.0, 0.0], [200.0, 0.0], [200.0, 50.0], [100.0, -30.0], [0.0, 50.0]];
        assert!(field(Capture::Strip { points: bow_tie }).starts_with("rows["));
        assert_eq!(field(Capture::Pattern { points: vec![[0.0, 0.0]; 8] }), "rows");
    }

    proptest! {
        #[test]
        fn an_outline_with_whatever_ends_comes_apart_into_two_edges(
            slant in -60.0..60.0f64, bow in -80.0..80.0f64, start in 0usize..14,
        ) {
            let y = |x: f64| bow * (1.0 - (x / 1_500.0 - 1.0).powi(2));
            let mut points: Vec<Point> = XS.iter().map(|x| [*x, y(*x)]).collect();
            points.extend(XS.iter().rev().map(|x| [*x + slant * f64::from(u8::from(*x == 3_000.0)), y(*x) + 120.0]));
            points.rotate_left(start);
            let edges = Capture::Strip { points }.edges().unwrap();
            prop_assert_eq!((edges.lower.len(), edges.upper.len()), (7, 7));
            prop_assert!(edges.lower.iter().zip(&edges.upper).all(|(l, u)| u[1] - l[1] > 100.0));
        }
    }
}
