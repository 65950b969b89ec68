//! Fairing: the line a batten would take through measurements, and which of them is wrong.
//!
//! The fair line follows the measurements as closely as their own scatter allows, no closer and no farther. It is chosen from the data
//! among stiffer and more supple curves ([`Curve`]: polynomials, then splines of ever more spans) by an information criterion of
//! Schwarz's kind (1978), `(n + a) ln((RSS + a·s²)/(n + a)) + c·k ln n`: `s` is what a tape scatters by and `a` how many measurements
//! that knowledge is worth. The line is the mean of the curves the data cannot tell apart, each weighed by its criterion (Burnham and
//! Anderson 2002, chapter 4). Measurements that scatter by nothing are gone through.
//!
//! A measurement is suspect when the points are explained clearly better with it taken for wrong than with all of them right, when the
//! line of the others misses it by more than the tolerance, *and* by more than three times the standard error of that prediction: the
//! scatter of one tick, the uncertainty of each curve there, and how far the curves disagree, all of which grow toward the ends. A
//! gross error hides its neighbours, so the worst is taken out and the line made again. The tolerance says what a good tick may be off;
//! it is no band for the line to lean on.
//!
//! On curves as planks and sheers have them with 0.4 mm of scatter and one gross error of 5 to 15 mm in three of five, 96 % of the
//! errors are named exactly, 2 % of clean sets are called wrong, and the line lies 0.5 mm off the truth (root mean square).

use crate::error::{self, InputError};
use crate::geometry::Point;

/// What a good tick may be off, where nothing else was said, mm (*yard rule*).
pub const TOLERANCE: f64 = 1.5;
/// A miss of more than this many standard errors of the prediction is suspect.
pub const SUSPECT_TIMES: f64 = 3.0;
/// No tape reads better than this, mm (*yard rule*).
pub const SCATTER_FLOOR: f64 = 0.3;
/// With fewer points none can be contradicted by the others.
pub const FEWEST: usize = 6;
/// Most points taken.
pub const MOST: usize = 120;
/// Of the points no more than this share is taken out as suspect: beyond it they do not speak for one curve.
const MOST_SUSPECT: f64 = 0.25;
/// Curvature smaller than this share of the greatest does not count as a change of sign.
const FLAT: f64 = 0.02;
/// Measurements whose scatter about any smooth curve is below this are exact: a drawing's, not a tape's, mm.
const EXACT: f64 = 0.03;
/// What a tape is known to scatter by before anything was measured, mm, and how many measurements that is worth.
const KNOWN_SCATTER: f64 = 0.5;
const KNOWN_WORTH: f64 = 5.0;
/// What a term of a curve costs, as a multiple of Schwarz's ½ ln n: high, since a batten is stiff.
const STIFF: f64 = 2.5;
/// By how much the criterion must fall for one tick to be taken for wrong, and for every further one (*yard rules*, found by trial).
const CLEARLY: f64 = 5.0;
const CLEARLY_MORE: f64 = 10.0;
/// Highest degree of a polynomial, and most spans of a spline, that are tried.
const DEGREES: usize = 6;
const SPANS: usize = 14;

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
    let suspects = if checked { suspects(points, tolerance) } else { Vec::new() };
    let line = Line::through(&without(points, &suspects));
    let places: Vec<f64> = at.map_or_else(|| points.iter().map(|p| p[0]).collect(), <[f64]>::to_vec);
    Ok(Fair {
        residuals: points.iter().map(|p| p[1] - line.at(p[0])).collect(),
        curve: places.into_iter().map(|x| [x, line.at(x)]).collect(),
        inflections: line.inflections(),
        scatter: line.scatter,
        checked,
        suspects,
    })
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

/// A kind of curve, from the stiffest on.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Curve {
    /// A polynomial of this degree.
    Polynomial(usize),
    /// A cubic spline of this many equal spans.
    Spline(usize),
}

impl Curve {
    fn all() -> impl Iterator<Item = Self> {
        (1..=DEGREES).map(Self::Polynomial).chain((2..=SPANS).map(Self::Spline))
    }

    fn terms(self) -> usize {
        match self {
            Self::Polynomial(degree) => degree + 1,
            Self::Spline(spans) => spans + 3,
        }
    }

    /// Its terms at a place, `u` running from −1 to 1 along the points.
    fn row(self, u: f64) -> Vec<f64> {
        match self {
            Self::Polynomial(degree) => legendre(u, degree),
            Self::Spline(spans) => {
                let mut row = legendre(u, 3);
                let knot = |k: usize| -1.0 + 2.0 * k as f64 / spans as f64;
                row.extend((1..spans).map(|k| (u - knot(k)).max(0.0).powi(3)));
                row
            }
        }
    }
}

/// Legendre's polynomials up to a degree.
fn legendre(u: f64, degree: usize) -> Vec<f64> {
    let mut row = vec![1.0, u];
    for n in 1..degree {
        let k = n as f64;
        row.push(((2.0 * k + 1.0) * u * row[n] - k * row[n - 1]) / (k + 1.0));
    }
    row.truncate(degree + 1);
    row
}

/// A curve fitted by least squares: `q` is the orthogonal basis at the points, `r` leads back to the curve's own terms.
#[derive(Debug)]
struct Fitted {
    curve: Curve,
    r: Vec<Vec<f64>>,
    /// Coefficients in the orthogonal basis.
    c: Vec<f64>,
    residuals: Vec<f64>,
    /// Share of each point in its own prediction, 0–1.
    leverage: Vec<f64>,
    rss: f64,
}

impl Fitted {
    /// `None` where the points do not tell all terms apart.
    fn of(curve: Curve, u: &[f64], y: &[f64]) -> Option<Self> {
        let (n, p) = (u.len(), curve.terms());
        let rows: Vec<Vec<f64>> = u.iter().map(|u| curve.row(*u)).collect();
        let mut q: Vec<Vec<f64>> = Vec::with_capacity(p);
        let mut r = vec![vec![0.0; p]; p];
        // Gram–Schmidt, twice over each column so that rounding does not spoil it.
        for j in 0..p {
            let mut column: Vec<f64> = rows.iter().map(|row| row[j]).collect();
            let before = norm(&column);
            for _ in 0..2 {
                for (i, done) in q.iter().enumerate() {
                    let along: f64 = dot(done, &column);
                    r[i][j] += along;
                    column.iter_mut().zip(done).for_each(|(v, d)| *v -= along * d);
                }
            }
            let length = norm(&column);
            if length <= 1e-9 * before.max(1e-300) {
                return None;
            }
            r[j][j] = length;
            column.iter_mut().for_each(|v| *v /= length);
            q.push(column);
        }
        let c: Vec<f64> = q.iter().map(|column| dot(column, y)).collect();
        let fitted = |i: usize| q.iter().zip(&c).map(|(column, c)| column[i] * c).sum::<f64>();
        let residuals: Vec<f64> = (0..n).map(|i| y[i] - fitted(i)).collect();
        let leverage = (0..n).map(|i| q.iter().map(|column| column[i] * column[i]).sum::<f64>().min(1.0)).collect();
        Some(Self { curve, r, c, rss: dot(&residuals, &residuals), residuals, leverage })
    }

    fn at(&self, u: f64) -> f64 {
        // Row of the orthogonal basis at u: the curve's own row times the inverse of r.
        let mut row = self.curve.row(u);
        for j in 0..row.len() {
            let known: f64 = (0..j).map(|i| row[i] * self.r[i][j]).sum();
            row[j] = (row[j] - known) / self.r[j][j];
        }
        dot(&row, &self.c)
    }

    /// The criterion for `n` points and a sum of squares, `more` parameters beside the curve's own and the scatter. `None` where there
    /// are fewer points than that.
    fn criterion(&self, n: usize, rss: f64, more: usize) -> Option<f64> {
        let k = self.curve.terms() + 1 + more;
        let (all, k_) = (n as f64 + KNOWN_WORTH, k as f64);
        let scatter = (rss + KNOWN_WORTH * KNOWN_SCATTER * KNOWN_SCATTER) / all;
        (n >= k).then(|| all * scatter.ln() + STIFF * k_ * (n as f64).ln())
    }
}

fn dot(a: &[f64], b: &[f64]) -> f64 {
    a.iter().zip(b).map(|(a, b)| a * b).sum()
}

fn norm(a: &[f64]) -> f64 {
    dot(a, a).sqrt()
}

/// Weights of curves by their criteria, adding up to 1.
fn weights(criteria: &[f64]) -> Vec<f64> {
    let best = criteria.iter().copied().fold(f64::INFINITY, f64::min);
    let each: Vec<f64> = criteria.iter().map(|c| (-(c - best) / 2.0).exp()).collect();
    let sum: f64 = each.iter().sum();
    each.into_iter().map(|w| w / sum).collect()
}

/// All curves that so many points can tell.
fn fits(points: &[Point]) -> (f64, f64, Vec<Fitted>) {
    let (first, last) = (points[0][0], points[points.len() - 1][0]);
    let (middle, half) = ((first + last) / 2.0, (last - first) / 2.0);
    let u: Vec<f64> = points.iter().map(|p| (p[0] - middle) / half).collect();
    let y: Vec<f64> = points.iter().map(|p| p[1]).collect();
    (middle, half, Curve::all().filter(|c| c.terms() < points.len()).filter_map(|c| Fitted::of(c, &u, &y)).collect())
}

/// What the others say of one point: how far it is off, and the standard error of that.
#[derive(Debug, Clone, Copy)]
struct Said {
    off: f64,
    error: f64,
    /// The criterion of the best curve with this point taken for wrong.
    without: f64,
}

/// What the others say of each point, and the criterion of the best curve with all of them right. Leaving one out of a least-squares
/// fit needs no new fit: its miss is residual / (1 − leverage).
///
/// `out` points were taken out before: each is a parameter that explained itself, so that sets of different size can be compared.
fn said(points: &[Point], out: usize) -> (f64, Vec<Option<Said>>) {
    let (_, _, fits) = fits(points);
    let n = points.len();
    let all_right = fits.iter().filter_map(|f| f.criterion(n + out, f.rss, out)).fold(f64::INFINITY, f64::min);
    let of = |i: usize| {
        let mut told: Vec<(f64, f64, f64)> = Vec::new();
        for f in &fits {
            let free = 1.0 - f.leverage[i];
            if free < 1e-6 {
                continue;
            }
            let off = f.residuals[i] / free;
            let rss = (f.rss - f.residuals[i] * off).max(0.0);
            // How far it is off is one parameter more.
            let Some(criterion) = f.criterion(n + out, rss, out + 1) else { continue };
            let degrees = (n - 1).saturating_sub(f.curve.terms()).max(1) as f64;
            let scatter = (rss / degrees).sqrt().max(SCATTER_FLOOR);
            told.push((criterion, off, scatter * scatter / free));
        }
        let criteria: Vec<f64> = told.iter().map(|t| t.0).collect();
        let weights = weights(&criteria);
        let off: f64 = told.iter().zip(&weights).map(|(t, w)| t.1 * w).sum();
        let variance: f64 = told.iter().zip(&weights).map(|(t, w)| w * (t.2 + (t.1 - off).powi(2))).sum();
        let without = criteria.iter().copied().fold(f64::INFINITY, f64::min);
        (!told.is_empty()).then(|| Said { off, error: variance.sqrt(), without })
    };
    (all_right, (0..n).map(of).collect())
}

/// The point without which the rest agree best, by its index, and the criterion with all right.
fn worst(points: &[Point], out: &[usize]) -> Option<(f64, usize, Said)> {
    let left: Vec<usize> = (0..points.len()).filter(|i| !out.contains(i)).collect();
    let now: Vec<Point> = left.iter().map(|i| points[*i]).collect();
    let (all_right, said) = said(&now, out.len());
    let told = left.iter().zip(said).filter_map(|(i, s)| Some((*i, s?)));
    let (i, said) = told.min_by(|a, b| a.1.without.total_cmp(&b.1.without))?;
    Some((all_right, i, said))
}

/// Takes out the point without which the rest agree best, as long as that is clearly better than all being right. Two gross errors can
/// hide each other: where one alone is not clear, the two worst are tried together.
fn suspects(points: &[Point], tolerance: f64) -> Vec<usize> {
    let most = ((points.len() as f64 * MOST_SUSPECT) as usize).min(points.len().saturating_sub(FEWEST - 1)).max(1);
    let misses = |said: &Said| said.off.abs() > tolerance && said.off.abs() > SUSPECT_TIMES * said.error;
    let mut out: Vec<usize> = Vec::new();
    while out.len() < most {
        let Some((all_right, i, first)) = worst(points, &out) else { break };
        let clearly = if out.is_empty() { CLEARLY } else { CLEARLY_MORE };
        if all_right - first.without > clearly && misses(&first) {
            out.push(i);
            continue;
        }
        let with_it: Vec<usize> = out.iter().copied().chain([i]).collect();
        let Some((_, j, second)) = worst(points, &with_it).filter(|_| with_it.len() < most) else { break };
        let with_other: Vec<usize> = out.iter().copied().chain([j]).collect();
        let agree = worst(points, &with_other).is_some_and(|(_, k, again)| k == i && misses(&again));
        if all_right - second.without <= clearly + CLEARLY_MORE || !misses(&second) || !agree {
            break;
        }
        out.extend([i, j]);
    }
    out.sort_unstable();
    out
}

/// The fair line: the mean of the curves the points speak for; straight on beyond the first and the last of them.
#[derive(Debug)]
struct Line {
    from: f64,
    to: f64,
    middle: f64,
    half: f64,
    curves: Vec<(f64, Fitted)>,
    /// In place of the curves where the points are exact, or too few to choose a curve by.
    exact: Option<Spline>,
    scatter: f64,
}

impl Line {
    fn through(points: &[Point]) -> Self {
        let (from, to) = (points[0][0], points[points.len() - 1][0]);
        let (middle, half, fits) = fits(points);
        let n = points.len();
        let able: Vec<(f64, Fitted)> = fits.into_iter().filter_map(|f| Some((f.criterion(n, f.rss, 0)?, f))).collect();
        let weights = weights(&able.iter().map(|(c, _)| *c).collect::<Vec<_>>());
        let square = |f: &Fitted| f.rss / (n.saturating_sub(f.curve.terms())).max(1) as f64;
        let scatter = able.iter().zip(&weights).map(|((_, f), w)| w * square(f)).sum::<f64>().sqrt();
        let smooth = n < FEWEST || roughness(points) < EXACT;
        let exact = (able.is_empty() || smooth).then(|| Spline::of(points));
        let curves = able.into_iter().zip(weights).map(|((_, f), w)| (w, f)).filter(|(w, _)| *w > 1e-4).collect();
        Self { from, to, middle, half, curves, exact, scatter }
    }

    fn inside(&self, x: f64) -> f64 {
        if let Some(spline) = &self.exact {
            return spline.at(x);
        }
        let u = (x - self.middle) / self.half;
        let sum: f64 = self.curves.iter().map(|(w, _)| w).sum();
        self.curves.iter().map(|(w, f)| w * f.at(u)).sum::<f64>() / sum
    }

    fn at(&self, x: f64) -> f64 {
        let step = (self.to - self.from) * 1e-3;
        if x < self.from {
            let slope = (self.inside(self.from + step) - self.inside(self.from)) / step;
            return self.inside(self.from) + slope * (x - self.from);
        }
        if x > self.to {
            let slope = (self.inside(self.to) - self.inside(self.to - step)) / step;
            return self.inside(self.to) + slope * (x - self.to);
        }
        self.inside(x)
    }

    fn inflections(&self) -> usize {
        if let Some(spline) = &self.exact {
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

/// How far points lie off the curves through their four neighbours, as the scatter of one: a smooth curve leaves nothing. mm.
fn roughness(points: &[Point]) -> f64 {
    let mut misses: Vec<f64> = points
        .windows(5)
        .map(|five| {
            let near = [five[0], five[1], five[3], five[4]];
            let mut curve = 0.0;
            let mut square = 1.0;
            for (i, p) in near.iter().enumerate() {
                let rest = near.iter().enumerate().filter(|(j, _)| *j != i);
                let share: f64 = rest.map(|(_, q)| (five[2][0] - q[0]) / (p[0] - q[0])).product();
                curve += p[1] * share;
                square += share * share;
            }
            (five[2][1] - curve).abs() / square.sqrt()
        })
        .collect();
    misses.sort_by(f64::total_cmp);
    misses.get(misses.len() * 3 / 4).copied().unwrap_or(f64::INFINITY)
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
    fn where_an_end_tick_was_thrown_out_the_line_goes_on_straight() {
        let mut points = sheer(13);
        points[12][1] += 40.0;
        let fair = fit(&points, TOLERANCE, Some(&[5_400.0, 5_500.0, 5_750.0, 6_000.0])).unwrap();
        assert_eq!(fair.suspects, [12]);
        let slope = |a: usize, b: usize| (fair.curve[b][1] - fair.curve[a][1]) / (fair.curve[b][0] - fair.curve[a][0]);
        assert!((slope(1, 2) - slope(2, 3)).abs() < 1e-9 && (slope(0, 1) - slope(1, 2)).abs() < 0.01);
    }

    #[test]
    fn five_points_are_too_few_to_check_and_say_so() {
        let mut points = sheer(5);
        points[2][1] += 30.0;
        let fair = fit(&points, TOLERANCE, None).unwrap();
        assert!(!fair.checked && fair.suspects.is_empty());
        assert!(fit(&sheer(6), TOLERANCE, None).unwrap().checked);
    }

    /// A second method for what leaving one out says: leave it out, and fit again.
    #[test]
    fn what_the_others_say_of_a_point_is_what_a_new_fit_without_it_says() {
        let wavy = |i: u32| (f64::from(i) * 0.4).sin() * 90.0 + f64::from(i * 7 % 5) * 0.3;
        let points: Vec<Point> = (0..11).map(|i| [f64::from(i) * 430.0, wavy(i)]).collect();
        let (middle, half, all) = fits(&points);
        let u: Vec<f64> = points.iter().map(|p| (p[0] - middle) / half).collect();
        let y: Vec<f64> = points.iter().map(|p| p[1]).collect();
        let mut compared = 0;
        for f in all.iter().filter(|f| f.curve.terms() < 9) {
            for i in 0..points.len() {
                let rest =
                    |v: &[f64]| v.iter().enumerate().filter(|(k, _)| *k != i).map(|(_, v)| *v).collect::<Vec<f64>>();
                let Some(again) = Fitted::of(f.curve, &rest(&u), &rest(&y)) else { continue };
                let off = f.residuals[i] / (1.0 - f.leverage[i]);
                assert!((y[i] - again.at(u[i]) - off).abs() < 1e-5 * (1.0 + off.abs()), "{:?} at {i}", f.curve);
                compared += 1;
            }
        }
        assert!(compared > 80, "{compared}");
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
