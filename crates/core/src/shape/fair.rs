//! Fairing: the line a batten would take through measurements, and which of them is wrong.
//!
//! The fair line is the natural cubic spline that stays within the measuring tolerance of every measurement with the least
//! bending `∫ f''² dx`. A measurement is suspect when the line made without it misses it by more than three times the median
//! miss, and by more than the tolerance. One bad measurement drags the line towards itself and makes its neighbours look bad
//! too, so suspects are taken out one at a time until none is left.

use crate::error::{self, InputError};
use crate::geometry::Point;

/// Measuring tolerance where none is given, mm (*yard rule*).
pub const TOLERANCE: f64 = 1.5;
/// A miss of more than this many times the median miss is suspect.
pub const SUSPECT_TIMES: f64 = 3.0;
/// Fewest points a line can be judged by.
const FEWEST: usize = 4;
/// Most points taken: every one is left out once, so the work grows with the fourth power.
pub const MOST: usize = 120;
/// Curvature smaller than this share of the greatest does not count as a change of sign.
const FLAT: f64 = 0.02;

/// A fair line through measurements.
#[derive(Debug, Clone, PartialEq)]
pub struct Fair {
    /// Measurements to take again, in the order of their places.
    pub suspects: Vec<usize>,
    /// Measured − fair, mm, for every measurement, the suspect ones too.
    pub residuals: Vec<f64>,
    /// The fair line at the places asked for, else at the measurements.
    pub curve: Vec<Point>,
    /// Changes of sign of its curvature.
    pub inflections: usize,
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
    let mut suspects = suspects(points, tolerance);
    suspects.sort_unstable();
    let line = Spline::within(&without(points, &suspects), tolerance);
    let places: Vec<f64> = at.map_or_else(|| points.iter().map(|p| p[0]).collect(), <[f64]>::to_vec);
    Ok(Fair {
        residuals: points.iter().map(|p| p[1] - line.at(p[0])).collect(),
        curve: places.into_iter().map(|x| [x, line.at(x)]).collect(),
        inflections: line.inflections(),
        suspects,
    })
}

/// Values at some places of the natural spline through points with rising x: every one is believed. Beyond its ends it runs on
/// straight.
pub(crate) fn through(points: &[Point], at: &[f64]) -> Vec<f64> {
    let x: Vec<f64> = points.iter().map(|p| p[0]).collect();
    let y: Vec<f64> = points.iter().map(|p| p[1]).collect();
    let bend = second_derivatives(&x, &y);
    let line = Spline { x, y, bend };
    at.iter().map(|x| line.at(*x)).collect()
}

fn without(points: &[Point], left_out: &[usize]) -> Vec<Point> {
    points.iter().enumerate().filter(|(i, _)| !left_out.contains(i)).map(|(_, p)| *p).collect()
}

/// How far the others say each point is off, and which of them are suspect for it.
///
/// Inside the line a point is held against the fair line of the others, and against the curve through its two neighbours on
/// each side, since a line of least bending flattens across a gap; the smaller miss counts. At an end there is only the curve
/// through the three nearest: how far such a reach usually misses on this line is what the end's own miss is held against.
struct Misses {
    miss: Vec<f64>,
    suspect: Vec<usize>,
}

impl Misses {
    fn of(points: &[Point], tolerance: f64) -> Self {
        let n = points.len();
        let miss: Vec<f64> = (0..n)
            .map(|i| {
                if i == 0 {
                    return off(points[0], &points[1..4]);
                }
                if i == n - 1 {
                    return off(points[i], &points[i - 3..i]);
                }
                let others = without(points, &[i]);
                let near = &others[i.saturating_sub(2)..(i + 2).min(others.len())];
                let off_line = (points[i][1] - Spline::within(&others, tolerance).at(points[i][0])).abs();
                off_line.min(off(points[i], near))
            })
            .collect();
        let reaches = points.windows(4).flat_map(|four| [off(four[0], &four[1..]), off(four[3], &four[..3])]).collect();
        let inside_limit = (SUSPECT_TIMES * median(miss[1..n - 1].to_vec())).max(tolerance);
        let end_limit = (SUSPECT_TIMES * median(reaches)).max(tolerance);
        let limit = |i: usize| if i == 0 || i == n - 1 { end_limit } else { inside_limit };
        let mut suspect: Vec<usize> = (0..n).filter(|i| miss[*i] > limit(*i)).collect();
        suspect.sort_by(|a, b| (miss[*b] / limit(*b)).total_cmp(&(miss[*a] / limit(*a))));
        Self { miss, suspect }
    }

    fn total(&self) -> f64 {
        self.miss.iter().sum()
    }
}

/// Distance of a point from the curve through some others (Lagrange).
fn off(point: Point, others: &[Point]) -> f64 {
    let curve: f64 = others
        .iter()
        .enumerate()
        .map(|(i, p)| {
            let rest = others.iter().enumerate().filter(|(j, _)| *j != i);
            p[1] * rest.map(|(_, q)| (point[0] - q[0]) / (p[0] - q[0])).product::<f64>()
        })
        .sum();
    (point[1] - curve).abs()
}

fn median(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    values.get(values.len() / 2).copied().unwrap_or(0.0)
}

/// Suspects that are tried out before one is blamed.
const TRIED: usize = 4;

/// A bad measurement makes its neighbours look bad: of the worst few the one is blamed without which the rest agree best.
fn suspects(points: &[Point], tolerance: f64) -> Vec<usize> {
    let mut left: Vec<usize> = (0..points.len()).collect();
    let mut out = Vec::new();
    while left.len() > FEWEST {
        let now: Vec<Point> = left.iter().map(|i| points[*i]).collect();
        let blamed = Misses::of(&now, tolerance)
            .suspect
            .into_iter()
            .take(TRIED)
            .map(|i| (Misses::of(&without(&now, &[i]), tolerance).total(), i))
            .min_by(|a, b| a.0.total_cmp(&b.0));
        let Some((_, i)) = blamed else { break };
        out.push(left.remove(i));
    }
    out
}

/// A natural cubic spline by its values and second derivatives at the knots.
struct Spline {
    x: Vec<f64>,
    y: Vec<f64>,
    bend: Vec<f64>,
}

impl Spline {
    /// The spline of least bending within `tolerance` of every point.
    fn within(points: &[Point], tolerance: f64) -> Self {
        let x: Vec<f64> = points.iter().map(|p| p[0]).collect();
        let measured: Vec<f64> = points.iter().map(|p| p[1]).collect();
        let y = if points.len() < 3 { measured } else { least_bending(&bending_matrix(&x), &measured, tolerance) };
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

    fn inflections(&self) -> usize {
        let most = self.bend.iter().fold(0.0f64, |m, b| m.max(b.abs()));
        let signs: Vec<bool> = self.bend.iter().filter(|b| b.abs() > FLAT * most).map(|b| *b > 0.0).collect();
        signs.windows(2).filter(|pair| pair[0] != pair[1]).count()
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

/// K with `yᵀ K y = ∫ f''² dx` for the natural spline through y at x, scaled so that its diagonal averages 1.
fn bending_matrix(x: &[f64]) -> Vec<Vec<f64>> {
    let n = x.len();
    let unit = |i: usize| (0..n).map(|j| f64::from(u8::from(i == j))).collect::<Vec<f64>>();
    let h: Vec<f64> = x.windows(2).map(|p| p[1] - p[0]).collect();
    // K·e_i = Qᵀ-wise second differences of the second derivatives that e_i gives.
    let mut k: Vec<Vec<f64>> = (0..n)
        .map(|i| {
            let bend = second_derivatives(x, &unit(i));
            (0..n)
                .map(|j| {
                    let before = if j > 0 { (bend[j - 1] - bend[j]) / h[j - 1] } else { 0.0 };
                    let after = if j + 1 < n { (bend[j + 1] - bend[j]) / h[j] } else { 0.0 };
                    before + after
                })
                .collect()
        })
        .collect();
    let scale = (0..n).map(|i| k[i][i]).sum::<f64>() / n as f64;
    k.iter_mut().flatten().for_each(|value| *value /= scale);
    k
}

/// Keeps the solution unique where a straight line would do as well, mm⁻² against bending.
const NEAREST_DATA: f64 = 1e-9;

/// Minimises `yᵀ K y` with every value within `tolerance` of what was measured: a primal-dual active set, falling back to
/// one change at a time where it would go in circles.
fn least_bending(k: &[Vec<f64>], measured: &[f64], tolerance: f64) -> Vec<f64> {
    let n = measured.len();
    // −1 held at the lower bound, +1 at the upper, 0 free.
    let mut held = vec![0i8; n];
    let mut y = measured.to_vec();
    let rounds = 60 + 20 * n;
    for round in 0..rounds {
        y = solve_free(k, measured, tolerance, &held);
        let force: Vec<f64> =
            (0..n).map(|i| (0..n).map(|j| k[i][j] * y[j]).sum::<f64>() + NEAREST_DATA * (y[i] - measured[i])).collect();
        let wanted: Vec<i8> = (0..n)
            .map(|i| {
                let off = y[i] - measured[i];
                match held[i] {
                    0 if off > tolerance * (1.0 + 1e-9) + 1e-12 => 1,
                    0 if off < -tolerance * (1.0 + 1e-9) - 1e-12 => -1,
                    // A bound that pushes the wrong way is let go.
                    1 if force[i] > 1e-13 => 0,
                    -1 if force[i] < -1e-13 => 0,
                    side => side,
                }
            })
            .collect();
        if wanted == held {
            break;
        }
        if round < 30 {
            held = wanted;
        } else if let Some(i) = (0..n).find(|i| wanted[*i] != held[*i]) {
            held[i] = wanted[i];
        }
    }
    y.iter().zip(measured).map(|(y, m)| y.clamp(m - tolerance, m + tolerance)).collect()
}

/// Values with the held ones at their bounds and the free ones where the bending is least.
fn solve_free(k: &[Vec<f64>], measured: &[f64], tolerance: f64, held: &[i8]) -> Vec<f64> {
    let mut y: Vec<f64> = measured.iter().zip(held).map(|(m, side)| m + tolerance * f64::from(*side)).collect();
    let free: Vec<usize> = (0..held.len()).filter(|i| held[*i] == 0).collect();
    let size = free.len();
    let mut a: Vec<Vec<f64>> = free
        .iter()
        .map(|&i| {
            let mut row: Vec<f64> = free.iter().map(|&j| k[i][j] + if i == j { NEAREST_DATA } else { 0.0 }).collect();
            let bound: f64 = (0..held.len()).filter(|j| held[*j] != 0).map(|j| k[i][j] * y[j]).sum();
            row.push(NEAREST_DATA * measured[i] - bound);
            row
        })
        .collect();
    // Gaussian elimination with pivoting: the system is small and positive definite.
    for column in 0..size {
        let pivot = (column..size).max_by(|p, q| a[*p][column].abs().total_cmp(&a[*q][column].abs())).unwrap_or(column);
        a.swap(column, pivot);
        let (above, below) = a.split_at_mut(column + 1);
        let pivot_row = &above[column];
        for row in below {
            let factor = row[column] / pivot_row[column];
            row.iter_mut().zip(pivot_row).skip(column).for_each(|(value, pivot)| *value -= factor * pivot);
        }
    }
    for row in (0..size).rev() {
        let known: f64 = (row + 1..size).map(|j| a[row][j] * y[free[j]]).sum();
        y[free[row]] = (a[row][size] - known) / a[row][row];
    }
    y
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
        assert!(fair.residuals.iter().all(|r| r.abs() <= TOLERANCE + 1e-6), "{:?}", fair.residuals);
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

    fn bending(points: &[Point]) -> f64 {
        let (x, y): (Vec<f64>, Vec<f64>) = points.iter().map(|p| (p[0], p[1])).unzip();
        let bend = second_derivatives(&x, &y);
        x.windows(2)
            .zip(bend.windows(2))
            .map(|(x, b)| (x[1] - x[0]) * (b[0] * b[0] + b[0] * b[1] + b[1] * b[1]) / 3.0)
            .sum()
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]

        #[test]
        fn no_nudge_within_the_tolerance_bends_less(noise in proptest::collection::vec(-4.0..4.0f64, 6..14), at in 0usize..6, nudge in -0.5..0.5f64) {
            let points: Vec<Point> = noise.iter().enumerate().map(|(i, n)| [400.0 * i as f64, n + (i as f64 * 0.5).sin() * 60.0]).collect();
            let line = Spline::within(&points, TOLERANCE);
            let fair: Vec<Point> = line.x.iter().zip(&line.y).map(|(x, y)| [*x, *y]).collect();
            let mut other = fair.clone();
            other[at][1] = (other[at][1] + nudge).clamp(points[at][1] - TOLERANCE, points[at][1] + TOLERANCE);
            prop_assert!(bending(&fair) <= bending(&other) * (1.0 + 1e-6) + 1e-15);
        }
    }
}
