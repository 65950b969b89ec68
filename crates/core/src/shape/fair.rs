//! Fairing: the line a batten would take through measurements, and which of them is wrong.
//!
//! The fair line follows the measurements as closely as their own scatter allows, no closer and no farther. Many kinds of smooth curve
//! are held against the ticks at once: easy curves of several stiffnesses and depths, and a straight run that goes over into a curve.
//! Each is a Gaussian process (Rasmussen and Williams 2006, chapters 2 and 5), so that how well it explains the ticks is one number, its
//! evidence, in which a curve that could have been anything counts less than one that had to be so. Curve and scatter of the ticks are
//! the mean over all of them, each weighed by its evidence; ticks that scatter by nothing are gone through.
//!
//! A tick is suspect when one being wrong explains the ticks better than all being right: for each kind of curve what the others say of
//! a tick is known without a new fit (its residual and variance when left out), and taken for wrong it may lie anywhere about there. It
//! must also miss the line of the others by more than the tolerance and by [`SUSPECT_TIMES`] times the standard error of that
//! prediction. A gross error hides its neighbours: the worst is taken out and all is asked again, more strictly; what then agrees with
//! the others is put back. The tolerance says what a good tick may be off; it is no band for the line to lean on.
//!
//! On curves as planks and sheers have them with 0.4 mm of scatter and one gross error of 5 to 15 mm in three of five, 98 % of the
//! errors are named exactly, 1.5 % of clean sets are called wrong, and the line lies 0.25 mm off the truth (root mean square). As far as
//! a first or a last tick that is called wrong, the line goes on as the others curve: that lies 2 mm off the truth where straight on lay 14,
//! and is held by nothing that was measured ([`Fair::suspects_at_ends`]).

use crate::error::{self, InputError};
use crate::geometry::Point;

/// What a good tick may be off, where nothing else was said, mm (*yard rule*).
pub const TOLERANCE: f64 = 1.5;
/// A miss of more than this many standard errors of the prediction is suspect (*yard rule*, found by trial: at 3 one error in thirty
/// at an end goes unnamed).
pub const SUSPECT_TIMES: f64 = 2.5;
/// With fewer points none can be contradicted by the others.
pub const FEWEST: usize = 6;
/// Most points taken.
pub const MOST: usize = 120;
/// Of the points no more than this share is taken out as suspect: beyond it they do not speak for one curve.
const MOST_SUSPECT: f64 = 0.25;
/// Curvature smaller than this share of the greatest does not count as a change of sign.
const FLAT: f64 = 0.02;

/// Scatter of one tick that is thought of, one standard deviation, mm: a drawing's, a careful tape's (no tape reads better than 0.3),
/// and so on to a careless one.
const SCATTERS: [f64; 7] = [EXACT, 0.3, 0.42, 0.6, 0.9, 1.5, 3.0];
/// Measurements that scatter by no more are exact.
const EXACT: f64 = 0.01;
/// The line goes through the ticks where so little of the evidence speaks for exact ones: a tape's scatter leaves less.
const SPEAKS_FOR_EXACT: f64 = 0.015;
/// Reach of an easy curve along the points, which are 1 long: how far what it does at one place is felt; of the smoothest kind …
const EASY: [f64; 5] = [0.25, 0.4, 0.65, 1.0, 1.6];
/// … and of a rougher one.
const LESS_EASY: [f64; 3] = [0.5, 1.0, 2.0];
/// How far it leaves a parabola, one standard deviation, mm.
const DEPTHS: [f64; 6] = [10.0, 30.0, 100.0, 300.0, 1_000.0, 3_000.0];
/// Places where a straight run goes over into a curve, from −`RUN` to `RUN` with the points from −1 to 1, and how deep that curve is, mm.
const RUNS: usize = 9;
const RUN: f64 = 0.8;
const RUN_DEPTHS: [f64; 2] = [150.0, 500.0];
/// Spread of the terms of the parabola (the cubic, where a straight run begins), mm: as good as anything.
const PARABOLA: [f64; 4] = [1_000.0, 1_000.0, 500.0, 100.0];
/// Curves deeper than this are taken in proportion, mm.
const ORDINARY: f64 = 1_000.0;
/// Beyond so many points every other depth and half the runs are thought of: they tell by themselves.
const MANY: usize = 48;

/// That some tick is wrong, before anything is seen; that a further one is; and how sure one must then be of it (*yard rules*).
const WRONG: f64 = 0.65;
const WRONG_TOO: f64 = 0.1;
const SURE: f64 = 0.5;
const SURE_TOO: f64 = 0.8;
/// How sure one must be of a tick that misses by less than so many tolerances: a slip of the tape is seldom so small.
const SURE_OF_SMALL: (f64, f64) = (2.0, 0.9);
/// Of that, what must speak for the one that is named; for the first or the last, which the others hold from one side only, more (found by
/// trial on 8,000 sets).
const THIS_ONE: f64 = 0.13;
const THIS_END: f64 = 0.25;
/// Spread of a gross error, mm.
const GROSS: f64 = 10.0;

/// A fair line through measurements.
#[derive(Debug, Clone, PartialEq)]
pub struct Fair {
    /// Measurements to take again, in the order of their places.
    pub suspects: Vec<usize>,
    /// Whether there were enough points for one to be contradicted by the others; where not, no suspects means nothing.
    pub checked: bool,
    /// Measured − fair, mm, for every measurement, the suspect ones too.
    pub residuals: Vec<f64>,
    /// The fair line at the places asked for, else at the measurements.
    pub curve: Vec<Point>,
    /// Changes of sign of its curvature.
    pub inflections: usize,
    /// Scatter of a good tick about the line, mm: one standard deviation.
    pub scatter: f64,
}

impl Fair {
    /// Suspects with no good tick between them and an end: beyond the last good one nothing that was measured holds the line.
    pub fn suspects_at_ends(&self) -> Vec<usize> {
        let last = self.residuals.len().saturating_sub(1);
        let suspect = |i: &usize| self.suspects.contains(i);
        (0..=last).take_while(suspect).chain((0..=last).rev().take_while(suspect)).collect()
    }
}

/// Fits the fair line to points with rising x. Errors name `points…`, `tolerance` or `at[i]`.
pub fn fit(points: &[Point], tolerance: f64, at: Option<&[f64]>) -> Result<Fair, InputError> {
    if points.len() < 3 || points.len() > MOST {
        return Err(InputError::new("points", format!("needs 3 to {MOST} points, got {}", points.len())));
    }
    for (i, p) in points.iter().enumerate() {
        if p.iter().any(|v| !v.is_finite() || v.abs() > error::LENGTH_LIMIT_MM) {
            return Err(InputError::new(format!("points[{i}]"), "must be two numbers"));
        }
        if i > 0 && p[0] <= points[i - 1][0] {
            return Err(InputError::new(format!("points[{i}]"), "x must rise from point to point"));
        }
    }
    error::within("tolerance", tolerance, 0.0, 1_000.0)?;
    if let Some(i) = at.and_then(|at| at.iter().position(|x| !x.is_finite())) {
        return Err(InputError::new(format!("at[{i}]"), "must be a number"));
    }
    let checked = points.len() >= FEWEST;
    let (suspects, line) = if checked { suspects(points, tolerance) } else { (Vec::new(), Line::through(points)) };
    let ends = (points[0][0], points[points.len() - 1][0]);
    let places: Vec<f64> = at.map_or_else(|| points.iter().map(|p| p[0]).collect(), <[f64]>::to_vec);
    Ok(Fair {
        residuals: points.iter().map(|p| p[1] - line.at(p[0], ends)).collect(),
        curve: places.into_iter().map(|x| [x, line.at(x, ends)]).collect(),
        inflections: line.inflections(),
        scatter: line.scatter,
        checked,
        suspects,
    })
}

/// The fair line of what is bent far, such as a frame from heel to head: faired as its distance from the circle that lies nearest to
/// the ticks, along that circle, so that its steep ends are as true as its middle. `count` points of the line, evenly along it, with rising
/// x. What is nearly straight is faired as [`fit`] does. Errors as [`fit`]; `points` too where the wood turns back under the straight edge.
pub fn fit_round(points: &[Point], tolerance: f64, count: usize) -> Result<Fair, InputError> {
    let plain = || {
        let (first, last) = points.first().zip(points.last()).map_or((0.0, 0.0), |(a, b)| (a[0], b[0]));
        let step = (last - first) / (count.max(2) - 1) as f64;
        let xs: Vec<f64> = (0..count.max(2)).map(|i| first + step * i as f64).collect();
        fit(points, tolerance, Some(&xs))
    };
    let Some(circle) = Circle::near(points) else { return plain() };
    let flat: Vec<Point> = points.iter().map(|p| circle.unrolled(*p)).collect();
    if flat.windows(2).any(|w| w[1][0] <= w[0][0]) {
        return plain();
    }
    let (first, last) = (flat[0][0], flat[flat.len() - 1][0]);
    let step = (last - first) / (count.max(2) - 1) as f64;
    let along: Vec<f64> = (0..count.max(2)).map(|i| first + step * i as f64).collect();
    let fair = fit(&flat, tolerance, Some(&along))?;
    let mut curve: Vec<Point> = fair.curve.iter().map(|p| circle.rolled(*p)).collect();
    // Where an end stands square to the straight edge, scatter alone can carry the line back past it by a hair: it is held upright there.
    // Fairing it over the straight edge instead would take such an end for a gross error.
    for i in 1..curve.len() {
        let least = curve[i - 1][0] + UPRIGHT;
        if least - curve[i][0] > tolerance.max(UPRIGHT) {
            return Err(InputError::new(
                "points",
                "the wood turns back under the straight edge: lay it from end to end of the curve and take the ticks again",
            ));
        }
        curve[i][0] = curve[i][0].max(least);
    }
    // Outside of the circle is up where it bends down at its ends.
    Ok(Fair { curve, residuals: fair.residuals.iter().map(|r| r * circle.up).collect(), ..fair })
}

/// A circle, and which way along it x rises.
struct Circle {
    centre: Point,
    radius: f64,
    /// 1 where it lies above its centre, −1 below.
    up: f64,
}

/// Least rise in x from point to point of a line that stands upright, mm.
const UPRIGHT: f64 = 1e-3;

/// A circle of more than so many chords is straight (*yard rule*).
const STRAIGHT_CHORDS: f64 = 8.0;

impl Circle {
    /// The circle whose equation the points fulfil best (Kåsa's linear least squares); `None` where they lie nearly straight.
    fn near(points: &[Point]) -> Option<Self> {
        let n = points.len() as f64;
        let (a, b) = (points.first()?, points.last()?);
        let chord = (b[0] - a[0]).hypot(b[1] - a[1]);
        let mean = |of: &dyn Fn(&Point) -> f64| points.iter().map(of).sum::<f64>() / n;
        let (mx, my) = (mean(&|p| p[0]), mean(&|p| p[1]));
        let sum = |of: &dyn Fn(f64, f64) -> f64| points.iter().map(|p| of(p[0] - mx, p[1] - my)).sum::<f64>();
        let (xx, yy, xy) = (sum(&|x, _| x * x), sum(&|_, y| y * y), sum(&|x, y| x * y));
        let (xr, yr) = (sum(&|x, y| x * (x * x + y * y)) / 2.0, sum(&|x, y| y * (x * x + y * y)) / 2.0);
        let det = xx * yy - xy * xy;
        if det.abs() <= 1e-9 * xx * yy || chord <= 0.0 {
            return None;
        }
        let (cx, cy) = ((xr * yy - yr * xy) / det, (yr * xx - xr * xy) / det);
        let radius = (cx * cx + cy * cy + (xx + yy) / n).sqrt();
        let centre = [cx + mx, cy + my];
        let up = if my >= centre[1] { 1.0 } else { -1.0 };
        (radius.is_finite() && radius < STRAIGHT_CHORDS * chord).then_some(Self { centre, radius, up })
    }

    /// `[along the circle with x, out from it]`.
    fn unrolled(&self, p: Point) -> Point {
        let (x, y) = (p[0] - self.centre[0], (p[1] - self.centre[1]) * self.up);
        [self.radius * x.atan2(y), x.hypot(y) - self.radius]
    }

    fn rolled(&self, p: Point) -> Point {
        let (angle, out) = (p[0] / self.radius, self.radius + p[1]);
        [self.centre[0] + out * angle.sin(), self.centre[1] + self.up * out * angle.cos()]
    }
}

/// Values at some places of the natural spline through points with rising x: every one is believed. Beyond its ends it runs on
/// straight.
pub(crate) fn through(points: &[Point], at: &[f64]) -> Vec<f64> {
    let line = Spline::of(points);
    at.iter().map(|x| line.at(*x)).collect()
}

fn without(points: &[Point], left_out: &[usize]) -> Vec<Point> {
    points.iter().enumerate().filter(|(i, _)| !left_out.contains(i)).map(|(_, p)| *p).collect()
}

/// A kind of curve. Places run from −1 to 1 along the points.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Kind {
    Easy(f64),
    LessEasy(f64),
    /// A cubic, and from here on one more.
    Run(f64),
}

/// A kind of curve and how deep it is, mm.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Curve {
    kind: Kind,
    depth: f64,
    /// Everything in proportion to curves of ordinary depth.
    scale: f64,
}

impl Curve {
    fn all(points: usize, scale: f64) -> Vec<Self> {
        let thin = if points > MANY { 2 } else { 1 };
        let easy = EASY.iter().map(|l| Kind::Easy(*l)).chain(LESS_EASY.iter().map(|l| Kind::LessEasy(*l)));
        let depths = || DEPTHS.iter().step_by(thin);
        let mut all: Vec<Self> =
            easy.flat_map(|kind| depths().map(move |depth| Self { kind, depth: *depth, scale })).collect();
        for i in (0..RUNS).step_by(thin) {
            let kind = Kind::Run(-RUN + 2.0 * RUN * i as f64 / (RUNS - 1) as f64);
            all.extend(RUN_DEPTHS.iter().map(|depth| Self { kind, depth: *depth, scale }));
        }
        all
    }

    /// How much two places of it have to do with each other, mm².
    fn between(&self, u: f64, v: f64) -> f64 {
        let terms = if matches!(self.kind, Kind::Run(_)) { 4 } else { 3 };
        let (p, q) = (legendre(u), legendre(v));
        let parabola: f64 =
            p.iter().zip(&q).zip(PARABOLA).take(terms).map(|((a, b), spread)| a * b * spread * spread).sum();
        let apart = (u - v).abs() / 2.0;
        let shape = match self.kind {
            Kind::Easy(reach) => (-0.5 * (apart / reach).powi(2)).exp(),
            Kind::LessEasy(reach) => {
                let r = 7f64.sqrt() * apart / reach;
                (1.0 + r + 0.4 * r * r + r.powi(3) / 15.0) * (-r).exp()
            }
            Kind::Run(from) => {
                let on = |u: f64| ((u - from).max(0.0) / (1.0 - from)).powi(3);
                on(u) * on(v)
            }
        };
        (parabola + self.depth * self.depth * shape) * self.scale * self.scale
    }
}

/// Legendre's polynomials at a place, up to the third.
fn legendre(u: f64) -> [f64; 4] {
    let second = (3.0 * u * u - 1.0) / 2.0;
    [1.0, u, second, (5.0 * u * second - 2.0 * u) / 3.0]
}

/// The lower triangle L of a symmetric matrix that is positive definite, L·Lᵀ (Cholesky); `None` where it is not.
fn triangle(matrix: &[Vec<f64>], added: f64) -> Option<Vec<Vec<f64>>> {
    let n = matrix.len();
    let mut lower: Vec<Vec<f64>> = (0..n).map(|i| vec![0.0; i + 1]).collect();
    for i in 0..n {
        for j in 0..=i {
            let sum: f64 = lower[i][..j].iter().zip(&lower[j][..j]).map(|(a, b)| a * b).sum();
            let rest = matrix[i][j] - sum + if i == j { added } else { 0.0 };
            lower[i][j] = if i == j { (rest > 0.0).then(|| rest.sqrt())? } else { rest / lower[j][j] };
        }
    }
    Some(lower)
}

/// One kind of curve with one scatter, held against the ticks.
#[derive(Debug)]
struct Held {
    curve: usize,
    scatter: f64,
    /// Logarithm of its evidence.
    evidence: f64,
    /// Inverse of the ticks' covariance times the ticks, and its diagonal.
    pull: Vec<f64>,
    own: Vec<f64>,
}

impl Held {
    fn of(curve: usize, matrix: &[Vec<f64>], y: &[f64], scatter: f64) -> Option<Self> {
        let lower = triangle(matrix, scatter * scatter)?;
        let n = y.len();
        // L⁻¹, column by column: its columns give the inverse's diagonal, and L⁻¹y the pull.
        let mut own = vec![0.0; n];
        let mut forward = vec![0.0; n];
        let mut inverse: Vec<Vec<f64>> = (0..n).map(|i| vec![0.0; i + 1]).collect();
        for i in 0..n {
            for j in 0..=i {
                let one = if i == j { 1.0 } else { 0.0 };
                let sum: f64 = (j..i).map(|k| lower[i][k] * inverse[k][j]).sum();
                inverse[i][j] = (one - sum) / lower[i][i];
                own[j] += inverse[i][j] * inverse[i][j];
            }
            forward[i] = inverse[i].iter().zip(y).map(|(l, y)| l * y).sum();
        }
        let pull: Vec<f64> = (0..n).map(|j| (j..n).map(|i| inverse[i][j] * forward[i]).sum()).collect();
        let logs: f64 = lower.iter().enumerate().map(|(i, row)| row[i].ln()).sum();
        let fit: f64 = forward.iter().map(|f| f * f).sum();
        let evidence = -0.5 * fit - logs - 0.5 * n as f64 * std::f64::consts::TAU.ln();
        evidence.is_finite().then_some(Self { curve, scatter, evidence, pull, own })
    }

    /// What the others say of a tick: how far it is off, and the variance of that.
    fn said(&self, i: usize) -> (f64, f64) {
        (self.pull[i] / self.own[i], 1.0 / self.own[i])
    }
}

/// Logarithm of a normal's density.
fn density(off: f64, variance: f64) -> f64 {
    -0.5 * off * off / variance - 0.5 * (std::f64::consts::TAU * variance).ln()
}

/// Logarithm of a sum of which the logarithms are given.
fn log_sum(logs: impl Iterator<Item = f64>) -> f64 {
    let logs: Vec<f64> = logs.collect();
    let most = logs.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    most + logs.iter().map(|l| (l - most).exp()).sum::<f64>().ln()
}

/// Ticks with every kind of curve held against them.
#[derive(Debug)]
struct Evidence {
    from: f64,
    to: f64,
    u: Vec<f64>,
    /// The straight line they were levelled by: its height in the middle, and its rise over half their length.
    level: (f64, f64),
    curves: Vec<Curve>,
    held: Vec<Held>,
}

/// What is thought of the worst tick.
#[derive(Debug, Clone, Copy)]
struct Worst {
    index: usize,
    /// That some tick is wrong, and that this one is, 0–1.
    some: f64,
    this: f64,
    /// How far it is off, and over how many standard errors.
    off: f64,
    times: f64,
}

impl Evidence {
    fn of(points: &[Point]) -> Self {
        let n = points.len();
        let (from, to) = (points[0][0], points[n - 1][0]);
        let u: Vec<f64> = points.iter().map(|p| (2.0 * p[0] - from - to) / (to - from)).collect();
        let mean_u = u.iter().sum::<f64>() / n as f64;
        let mean_y = points.iter().map(|p| p[1]).sum::<f64>() / n as f64;
        let square: f64 = u.iter().map(|u| (u - mean_u).powi(2)).sum();
        let rise = u.iter().zip(points).map(|(u, p)| (u - mean_u) * (p[1] - mean_y)).sum::<f64>() / square;
        let level = (mean_y - rise * mean_u, rise);
        let y: Vec<f64> = u.iter().zip(points).map(|(u, p)| p[1] - level.0 - level.1 * u).collect();
        let scale = (y.iter().fold(0.0f64, |m, y| m.max(y.abs())) / ORDINARY).max(1.0);
        let curves = Curve::all(n, scale);
        let held = curves
            .iter()
            .enumerate()
            .flat_map(|(i, curve)| {
                let matrix: Vec<Vec<f64>> =
                    (0..n).map(|a| (0..=a).map(|b| curve.between(u[a], u[b])).collect()).collect();
                SCATTERS.into_iter().filter_map(|s| Held::of(i, &matrix, &y, s)).collect::<Vec<_>>()
            })
            .collect();
        Self { from, to, u, level, curves, held }
    }

    /// How much of the evidence speaks for exact ticks, 0–1.
    fn exact(&self) -> f64 {
        let all = log_sum(self.held.iter().map(|h| h.evidence));
        let exact = self.held.iter().filter(|h| h.scatter <= EXACT);
        exact.map(|h| (h.evidence - all).exp()).sum()
    }

    /// The tick that is most likely wrong, if one is; `some` is that, before anything is seen.
    fn worst(&self, some: f64) -> Option<Worst> {
        let n = self.u.len();
        let gross = |h: &Held, i: usize| {
            let (off, variance) = h.said(i);
            h.evidence - density(off, variance) + density(off, variance + GROSS * GROSS)
        };
        let right = log_sum(self.held.iter().map(|h| h.evidence)) + (1.0 - some).ln();
        let each: Vec<f64> =
            (0..n).map(|i| log_sum(self.held.iter().map(|h| gross(h, i))) + (some / n as f64).ln()).collect();
        let wrong = log_sum(each.iter().copied());
        let all = log_sum([right, wrong].into_iter());
        let index = (0..n).max_by(|a, b| each[*a].total_cmp(&each[*b]))?;
        // What the others say of it, each curve weighed by how well it explains the others.
        let others = |h: &Held| {
            let (off, variance) = h.said(index);
            h.evidence - density(off, variance)
        };
        let total = log_sum(self.held.iter().map(others));
        let off = self.held.iter().map(|h| (others(h) - total).exp() * h.said(index).0).sum();
        let best = self.held.iter().max_by(|a, b| others(a).total_cmp(&others(b)))?;
        let (best_off, variance) = best.said(index);
        Some(Worst {
            index,
            some: (wrong - all).exp(),
            this: (each[index] - all).exp(),
            off,
            times: best_off.abs() / variance.sqrt(),
        })
    }
}

/// Takes out the tick that is most likely wrong as long as that is likelier than all being right; what then agrees is put back. Gives
/// also the line through the rest.
fn suspects(points: &[Point], tolerance: f64) -> (Vec<usize>, Line) {
    let most = ((points.len() as f64 * MOST_SUSPECT) as usize).min(points.len().saturating_sub(FEWEST - 1)).max(1);
    let mut out: Vec<usize> = Vec::new();
    let mut left = points.to_vec();
    let mut evidence = Evidence::of(&left);
    while out.len() < most {
        let (wrong, sure) = if out.is_empty() { (WRONG, SURE) } else { (WRONG_TOO, SURE_TOO) };
        let Some(worst) = evidence.worst(wrong) else { break };
        let misses = worst.off.abs() > tolerance && worst.times > SUSPECT_TIMES;
        let small = worst.off.abs() < SURE_OF_SMALL.0 * tolerance;
        let sure = if small { sure.max(SURE_OF_SMALL.1) } else { sure };
        let this = if worst.index == 0 || worst.index + 1 == left.len() { THIS_END } else { THIS_ONE };
        if worst.some < sure || worst.this < this || !misses {
            break;
        }
        out.extend((0..points.len()).filter(|i| !out.contains(i)).nth(worst.index));
        left = without(points, &out);
        evidence = Evidence::of(&left);
    }
    let mut line = Line::of(evidence, &left);
    let all = out.len();
    if all > 1 {
        out.retain(|i| (points[*i][1] - line.inside(points[*i][0])).abs() > tolerance);
    }
    if out.len() < all {
        line = Line::through(&without(points, &out));
    }
    out.sort_unstable();
    (out, line)
}

/// The fair line: the mean of the curves the points speak for.
#[derive(Debug)]
struct Line {
    from: f64,
    to: f64,
    u: Vec<f64>,
    level: (f64, f64),
    /// Each kind of curve with what pulls it, over all scatters.
    curves: Vec<(Curve, Vec<f64>)>,
    /// In place of the curves where the points are too few to choose a curve by.
    few: Option<Spline>,
    scatter: f64,
}

impl Line {
    fn through(points: &[Point]) -> Self {
        Self::of(Evidence::of(points), points)
    }

    /// The line that what is held against the points speaks for.
    fn of(evidence: Evidence, points: &[Point]) -> Self {
        let through = evidence.exact() > SPEAKS_FOR_EXACT;
        let Evidence { from, to, u, level, curves, held } = evidence;
        let total = log_sum(held.iter().map(|h| h.evidence));
        let weight = |h: &Held| (h.evidence - total).exp();
        let counts = |h: &&Held| (!through || h.scatter <= EXACT) && weight(h) > 1e-9;
        let sum: f64 = held.iter().filter(counts).map(weight).sum();
        let mut pulls: Vec<Option<Vec<f64>>> = vec![None; curves.len()];
        let mut scatter = 0.0;
        for h in held.iter().filter(counts) {
            let share = weight(h) / sum;
            scatter += share * h.scatter * h.scatter;
            let pull = pulls[h.curve].get_or_insert_with(|| vec![0.0; u.len()]);
            pull.iter_mut().zip(&h.pull).for_each(|(all, one)| *all += share * one);
        }
        let curves: Vec<(Curve, Vec<f64>)> =
            curves.into_iter().zip(pulls).filter_map(|(curve, pull)| Some((curve, pull?))).collect();
        let few = (points.len() < FEWEST || curves.is_empty()).then(|| Spline::of(points));
        Self { from, to, u, level, curves, few, scatter: scatter.sqrt() }
    }

    fn inside(&self, x: f64) -> f64 {
        if let Some(spline) = &self.few {
            return spline.at(x);
        }
        let at = (2.0 * x - self.from - self.to) / (self.to - self.from);
        let pulled = |(curve, pull): &(Curve, Vec<f64>)| -> f64 {
            self.u.iter().zip(pull).map(|(u, pull)| curve.between(at, *u) * pull).sum()
        };
        self.level.0 + self.level.1 * at + self.curves.iter().map(pulled).sum::<f64>()
    }

    /// The line at a place; straight on beyond the first and the last tick, the suspect ones too. As far as a suspect one it goes on as the
    /// others curve.
    fn at(&self, x: f64, (first, last): (f64, f64)) -> f64 {
        let step = (last - first) * 1e-3;
        let end = x.clamp(first, last);
        let inwards = if end > x { end + step } else { end - step };
        let slope = if end == x { 0.0 } else { (self.inside(inwards) - self.inside(end)) / (inwards - end) };
        self.inside(end) + slope * (x - end)
    }

    fn inflections(&self) -> usize {
        if let Some(spline) = &self.few {
            return changes(&spline.bend, spline.bend.iter().fold(0.0f64, |m, b| m.max(b.abs())) * FLAT);
        }
        const STEPS: usize = 96;
        let step = (self.to - self.from) / STEPS as f64;
        let y: Vec<f64> = (0..=STEPS).map(|i| self.inside(self.from + step * i as f64)).collect();
        let bends: Vec<f64> = y.windows(3).map(|w| w[0] - 2.0 * w[1] + w[2]).collect();
        let most = bends.iter().fold(0.0f64, |m, b| m.max(b.abs()));
        // What a straight run bends by is rounding, or the scatter of its ticks.
        let least = (FLAT * most).max(1e-9 + self.scatter * 8.0 / (STEPS * STEPS) as f64);
        changes(&bends, least)
    }
}

/// Changes of sign among curvatures greater than `least`.
fn changes(bends: &[f64], least: f64) -> usize {
    let signs: Vec<bool> = bends.iter().filter(|b| b.abs() > least).map(|b| *b > 0.0).collect();
    signs.windows(2).filter(|pair| pair[0] != pair[1]).count()
}

/// A natural cubic spline by its values and second derivatives at the knots.
#[derive(Debug)]
struct Spline {
    x: Vec<f64>,
    y: Vec<f64>,
    bend: Vec<f64>,
}

impl Spline {
    fn of(points: &[Point]) -> Self {
        let x: Vec<f64> = points.iter().map(|p| p[0]).collect();
        let y: Vec<f64> = points.iter().map(|p| p[1]).collect();
        let bend = second_derivatives(&x, &y);
        Self { x, y, bend }
    }

    /// Value at any place; beyond the ends it runs on straight, as a batten does.
    fn at(&self, x: f64) -> f64 {
        let n = self.x.len();
        if n == 1 {
            return self.y[0];
        }
        if x < self.x[0] {
            return self.y[0] + self.slope_at_start() * (x - self.x[0]);
        }
        if x > self.x[n - 1] {
            return self.y[n - 1] + self.slope_at_end() * (x - self.x[n - 1]);
        }
        let i = self.x.partition_point(|k| *k < x).clamp(1, n - 1) - 1;
        let h = self.x[i + 1] - self.x[i];
        let (a, b) = ((self.x[i + 1] - x) / h, (x - self.x[i]) / h);
        a * self.y[i]
            + b * self.y[i + 1]
            + ((a.powi(3) - a) * self.bend[i] + (b.powi(3) - b) * self.bend[i + 1]) * h * h / 6.0
    }

    fn slope_at_start(&self) -> f64 {
        let h = self.x[1] - self.x[0];
        (self.y[1] - self.y[0]) / h - h * (2.0 * self.bend[0] + self.bend[1]) / 6.0
    }

    fn slope_at_end(&self) -> f64 {
        let n = self.x.len();
        let h = self.x[n - 1] - self.x[n - 2];
        (self.y[n - 1] - self.y[n - 2]) / h + h * (self.bend[n - 2] + 2.0 * self.bend[n - 1]) / 6.0
    }
}

/// Second derivatives of the natural spline through values, by the tridiagonal system.
fn second_derivatives(x: &[f64], y: &[f64]) -> Vec<f64> {
    let n = x.len();
    let mut bend = vec![0.0; n];
    if n < 3 {
        return bend;
    }
    let h: Vec<f64> = x.windows(2).map(|p| p[1] - p[0]).collect();
    let (mut upper, mut right) = (vec![0.0; n], vec![0.0; n]);
    for i in 1..n - 1 {
        let diagonal = (h[i - 1] + h[i]) / 3.0 - h[i - 1] / 6.0 * upper[i - 1];
        upper[i] = h[i] / 6.0 / diagonal;
        let rhs = (y[i + 1] - y[i]) / h[i] - (y[i] - y[i - 1]) / h[i - 1];
        right[i] = (rhs - h[i - 1] / 6.0 * right[i - 1]) / diagonal;
    }
    for i in (1..n - 1).rev() {
        bend[i] = right[i] - upper[i] * bend[i + 1];
    }
    bend
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use rand_core::{Rng, SeedableRng};

    use super::*;

    /// A sheer: an easy curve measured every 500 mm.
    fn sheer(stations: usize) -> Vec<Point> {
        (0..stations).map(|i| [500.0 * i as f64, 900.0 + 0.000_02 * (500.0 * i as f64 - 3_000.0).powi(2)]).collect()
    }

    #[test]
    fn an_easy_curve_has_no_suspects_and_stays_within_tolerance() {
        let fair = fit(&sheer(13), TOLERANCE, None).unwrap();
        assert_eq!((fair.suspects.clone(), fair.inflections), (vec![], 0));
        assert!(fair.residuals.iter().all(|r| r.abs() <= 0.05), "exact ticks are gone through: {:?}", fair.residuals);
    }

    #[test]
    fn the_one_bad_offset_is_named_and_its_neighbours_are_not() {
        for bad in 0..13 {
            let mut points = sheer(13);
            points[bad][1] += 9.0;
            let fair = fit(&points, TOLERANCE, None).unwrap();
            assert_eq!(fair.suspects, [bad], "9 mm off at station {bad}");
            assert!(fair.residuals[bad] > 5.0, "{}", fair.residuals[bad]);
        }
    }

    #[test]
    fn two_bad_offsets_are_both_named() {
        let mut points = sheer(15);
        points[4][1] -= 12.0;
        points[10][1] += 8.0;
        assert_eq!(fit(&points, TOLERANCE, None).unwrap().suspects, [4, 10]);
    }

    #[test]
    fn a_straight_line_stays_straight_and_an_ess_has_one_inflection() {
        let straight: Vec<Point> = (0..8).map(|i| [f64::from(i) * 300.0, 50.0 + f64::from(i) * 7.0]).collect();
        let fair = fit(&straight, TOLERANCE, Some(&[150.0, 2_700.0])).unwrap();
        assert!((fair.curve[0][1] - 53.5).abs() < 1e-3 && (fair.curve[1][1] - 113.0).abs() < 1e-2, "{:?}", fair.curve);
        let ess: Vec<Point> = (0..13)
            .map(|i| [f64::from(i) * 300.0, 200.0 * (f64::from(i) / 12.0 * std::f64::consts::TAU).sin()])
            .collect();
        assert_eq!(fit(&ess, TOLERANCE, None).unwrap().inflections, 1);
    }

    #[test]
    fn bad_points_are_named() {
        assert_eq!(fit(&sheer(2), 1.5, None).unwrap_err().field, "points");
        let mut back = sheer(5);
        back[3][0] = 0.0;
        assert_eq!(fit(&back, 1.5, None).unwrap_err().field, "points[3]");
        assert_eq!(fit(&sheer(5), -1.0, None).unwrap_err().field, "tolerance");
    }

    #[test]
    fn as_far_as_an_end_tick_that_was_thrown_out_the_line_goes_on_as_the_others_curve() {
        let true_end = sheer(13)[12];
        let mut points = sheer(13);
        points[12][1] += 40.0;
        let places = [true_end[0], true_end[0] + 100.0, true_end[0] + 300.0, -200.0, -100.0, 0.0];
        let fair = fit(&points, TOLERANCE, Some(&places)).unwrap();
        assert_eq!((fair.suspects.clone(), fair.suspects_at_ends()), (vec![12], vec![12]));
        assert!((fair.curve[0][1] - true_end[1]).abs() < 1.0, "{:?} for {true_end:?}", fair.curve[0]);
        assert!((fair.residuals[12] - 40.0).abs() < 1.0, "{}", fair.residuals[12]);
        // Beyond all ticks it goes on straight, at both ends.
        let slope = |a: usize, b: usize| (fair.curve[b][1] - fair.curve[a][1]) / (fair.curve[b][0] - fair.curve[a][0]);
        assert!((slope(0, 1) - slope(1, 2)).abs() < 1e-9 && (slope(3, 4) - slope(4, 5)).abs() < 1e-9);
        points[12][1] -= 40.0;
        points[6][1] += 40.0;
        let inside = fit(&points, TOLERANCE, None).unwrap();
        assert_eq!((inside.suspects.clone(), inside.suspects_at_ends()), (vec![6], vec![]));
    }

    /// Steep curves of eight to ten ticks with one end misread: straight on would lie tens of millimetres off.
    #[test]
    fn a_misread_end_of_few_ticks_leaves_the_line_near_the_truth() {
        let mut random = rand_pcg::Pcg64Mcg::new(41);
        let (mut squares, mut straight, mut ends) = (0.0, 0.0, 0);
        for k in 0..60 {
            let n = 8 + k % 3;
            let step = 3_600.0 / f64::from(n - 1);
            let bow = 180.0 + f64::from(k);
            let truth = |x: f64| 500.0 + bow * (1.0 - (2.0 * x / 3_600.0 - 1.0).powi(2));
            let mut points: Vec<Point> =
                (0..n).map(|i| f64::from(i) * step).map(|x| [x, truth(x) + 0.4 * scattered(&mut random)]).collect();
            points[0][1] += if k % 2 == 0 { 12.0 } else { -12.0 };
            let fair = fit(&points, TOLERANCE, None).unwrap();
            if fair.suspects == [0] {
                ends += 1;
                squares += (fair.curve[0][1] - truth(0.0)).powi(2);
                let [a, b] = [fair.curve[1][1], fair.curve[2][1]];
                straight += (a - (b - a) - truth(0.0)).powi(2);
            }
        }
        let rms = |squares: f64| (squares / f64::from(ends)).sqrt();
        assert!(ends > 50, "{ends} of 60 are named");
        assert!(rms(squares) < 2.0 && rms(straight) > 10.0, "{} {}", rms(squares), rms(straight));
    }

    #[test]
    fn five_points_are_too_few_to_check_and_say_so() {
        let mut points = sheer(5);
        points[2][1] += 30.0;
        let fair = fit(&points, TOLERANCE, None).unwrap();
        assert!(!fair.checked && fair.suspects.is_empty());
        assert!(fit(&sheer(6), TOLERANCE, None).unwrap().checked);
    }

    /// A second method for what leaving one out says: leave it out, and hold the curve against the others.
    #[test]
    fn what_the_others_say_of_a_tick_is_what_they_say_without_it() {
        let wavy = |i: u32| (f64::from(i) * 0.4).sin() * 90.0 + f64::from(i * 7 % 5) * 0.3;
        let y: Vec<f64> = (0..11).map(wavy).collect();
        let u: Vec<f64> = (0..11).map(|i| f64::from(i) / 5.0 - 1.0).collect();
        let all = Curve::all(11, 1.0);
        for curve in [all[8], all[20], all[40], all[55]] {
            let matrix = |u: &[f64]| -> Vec<Vec<f64>> {
                (0..u.len()).map(|a| (0..=a).map(|b| curve.between(u[a], u[b])).collect()).collect()
            };
            let held = Held::of(0, &matrix(&u), &y, 0.42).unwrap();
            for i in 0..11 {
                let rest = |v: &[f64]| [&v[..i], &v[i + 1..]].concat();
                let others = Held::of(0, &matrix(&rest(&u)), &rest(&y), 0.42).unwrap();
                let predicted: f64 =
                    rest(&u).iter().zip(&others.pull).map(|(v, pull)| curve.between(u[i], *v) * pull).sum();
                let (off, variance) = held.said(i);
                assert!((y[i] - predicted - off).abs() < 1e-4 * (1.0 + off.abs()), "{curve:?} at {i}");
                // Evidence of all is that of the others times how likely this one is by them.
                assert!((held.evidence - others.evidence - density(off, variance)).abs() < 1e-4, "{curve:?} at {i}");
            }
        }
    }

    /// A normal number of one standard deviation, from twelve even ones (Irwin and Hall).
    fn scattered(random: &mut rand_pcg::Pcg64Mcg) -> f64 {
        (0..12).map(|_| f64::from(random.next_u32()) / f64::from(u32::MAX)).sum::<f64>() - 6.0
    }

    /// The first or the last of few ticks is held from one side only: seven others seldom call a good one wrong, and still name one that is
    /// off by a thumb.
    #[test]
    fn the_ends_of_few_ticks_are_seldom_called_wrong_where_they_are_right() {
        let mut random = rand_pcg::Pcg64Mcg::seed_from_u64(7);
        let (mut alarms, mut named) = (0, 0);
        for set in 0..120 {
            let (bow, lean) = (8e-6 + 2e-8 * f64::from(set), 4e-4 * f64::from(set % 11));
            let clean: Vec<Point> = (0..8)
                .map(|i| 900.0 * f64::from(i))
                .map(|x| [x, 700.0 + lean * x - bow * (x - 2_400.0).powi(2) + 0.4 * scattered(&mut random)])
                .collect();
            alarms += usize::from(!fit(&clean, TOLERANCE, None).unwrap().suspects.is_empty());
            let mut wrong = clean;
            wrong[7][1] += if set % 2 == 0 { 14.0 } else { -14.0 };
            named += usize::from(fit(&wrong, TOLERANCE, None).unwrap().suspects == [7]);
        }
        assert!(alarms <= 3, "{alarms} of 120 good sets are called wrong");
        assert!(named >= 112, "{named} of 120 wrong ends are named");
    }

    /// A slip of the tape is seldom just over the tolerance: there a tick is only named where nearly all speaks against it.
    #[test]
    fn a_tick_little_more_than_the_tolerance_off_is_named_where_the_others_are_many_and_true() {
        let with = |many: usize, off: f64| {
            let mut points = sheer(many);
            points[many / 2][1] += off;
            fit(&points, TOLERANCE, None).unwrap().suspects
        };
        assert_eq!(with(21, 2.4), [10], "the others are exact");
        assert!(with(21, 1.4).is_empty(), "within the tolerance a tick is good");
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]

        #[test]
        fn ticks_of_an_exact_parabola_are_all_believed_and_gone_through(n in 6usize..30, a in -3e-5..3e-5f64, b in -0.3..0.3f64, step in 100.0..600.0f64) {
            let points: Vec<Point> = (0..n).map(|i| { let x = step * i as f64; [x, 400.0 + b * x + a * x * x] }).collect();
            let fair = fit(&points, TOLERANCE, None).unwrap();
            prop_assert!(fair.suspects.is_empty());
            prop_assert!(fair.residuals.iter().all(|r| r.abs() < 0.05), "{:?}", fair.residuals);
        }

        #[test]
        fn a_line_lifted_and_tilted_is_the_same_line_lifted_and_tilted(noise in proptest::collection::vec(-1.0..1.0f64, 8..16), lift in -500.0..500.0f64, tilt in -0.2..0.2f64) {
            let points: Vec<Point> = noise.iter().enumerate().map(|(i, n)| [400.0 * i as f64, n + (i as f64 * 0.4).sin() * 80.0]).collect();
            let moved: Vec<Point> = points.iter().map(|p| [p[0], p[1] + lift + tilt * p[0]]).collect();
            let (one, other) = (fit(&points, TOLERANCE, None).unwrap(), fit(&moved, TOLERANCE, None).unwrap());
            prop_assert_eq!(&one.suspects, &other.suspects);
            for (a, b) in one.residuals.iter().zip(&other.residuals) {
                prop_assert!((a - b).abs() < 1e-3);
            }
        }
    }
}
