//! A photograph of something flat brought to true scale by marks whose places are known.
//!
//! The picture of a plane is the plane under a projective map of eight numbers. Four marks give them exactly; with more
//! the map is fitted so that the marks fall where they were clicked, least squares in the picture, where the clicks err.

use crate::error::{self, InputError};
use crate::geometry::{Point, cross};

/// A mark: where it was clicked, px, and where it is, mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Mark {
    pub px: Point,
    pub mm: Point,
}

/// Points of a picture in the plane.
#[derive(Debug, Clone, PartialEq)]
pub struct Rectified {
    pub points: Vec<Point>,
    /// For each point √(σx² + σy²), mm, from the marks' and the point's own pixel error.
    pub errors: Vec<f64>,
    /// For each mark how far the picture puts it from where it is, mm.
    pub residuals: Vec<f64>,
    /// A mark that was clicked or measured wrong; it is left out of the fit.
    pub suspect: Option<usize>,
    /// Marks that may be the wrong one as well as the suspect: without one of them all others agree too.
    pub or_one_of: Vec<usize>,
}

/// One standard deviation of a click along each axis, px, where nobody says otherwise.
pub const PIXEL_ERROR: f64 = 1.0;
/// Fewest marks, and fewest for one of them to be contradicted by the others.
const FEWEST: usize = 4;
const FEWEST_TO_SUSPECT: usize = 6;
const MOST: usize = 500;
/// A mark is suspect where the others miss it by more than chance does once in a thousand times (χ² of 2).
const BEYOND_CHANCE: f64 = 13.8;
const ROUNDS: usize = 60;

type Map = [f64; 9];

/// Places under a map; `None` on its horizon.
fn place(h: &Map, p: Point) -> Option<(Point, f64)> {
    let w = h[6] * p[0] + h[7] * p[1] + h[8];
    let at = [(h[0] * p[0] + h[1] * p[1] + h[2]) / w, (h[3] * p[0] + h[4] * p[1] + h[5]) / w];
    (w != 0.0 && at.iter().all(|v| v.is_finite())).then_some((at, w))
}

/// The inverse up to scale, which is all a projective map needs; the sign is that of the determinant's.
fn inverse(h: &Map) -> Map {
    let minor = |r: [usize; 2], c: [usize; 2]| {
        h[3 * r[0] + c[0]] * h[3 * r[1] + c[1]] - h[3 * r[0] + c[1]] * h[3 * r[1] + c[0]]
    };
    let determinant = h[0] * minor([1, 2], [1, 2]) - h[1] * minor([1, 2], [0, 2]) + h[2] * minor([1, 2], [0, 1]);
    let others = |i: usize| match i {
        0 => [1, 2],
        1 => [0, 2],
        _ => [0, 1],
    };
    std::array::from_fn(|i| {
        let (row, column) = (i / 3, i % 3);
        let sign = if (row + column) % 2 == 0 { 1.0 } else { -1.0 };
        sign * minor(others(column), others(row)) / determinant
    })
}

/// Moves and scales points about their middle to a mean distance of √2, so that the sums keep their figures.
fn levelled(points: &[Point]) -> Map {
    let n = points.len() as f64;
    let middle = [0, 1].map(|axis| points.iter().map(|p| p[axis]).sum::<f64>() / n);
    let far = points.iter().map(|p| (p[0] - middle[0]).hypot(p[1] - middle[1])).sum::<f64>() / n;
    let scale = std::f64::consts::SQRT_2 / far.max(1e-12);
    [scale, 0.0, -scale * middle[0], 0.0, scale, -scale * middle[1], 0.0, 0.0, 1.0]
}

/// Solves a symmetric system of eight; `None` where it does not determine them.
fn solve(mut a: [[f64; 8]; 8], mut b: [f64; 8]) -> Option<[f64; 8]> {
    let largest = a.iter().flatten().fold(0.0_f64, |m, v| m.max(v.abs()));
    for column in 0..8 {
        let pivot = (column..8).max_by(|i, j| a[*i][column].abs().total_cmp(&a[*j][column].abs()))?;
        if a[pivot][column].abs() <= 1e-13 * largest {
            return None;
        }
        a.swap(column, pivot);
        b.swap(column, pivot);
        for row in column + 1..8 {
            let factor = a[row][column] / a[column][column];
            let above = a[column];
            a[row].iter_mut().zip(above).skip(column).for_each(|(v, up)| *v -= factor * up);
            b[row] -= factor * b[column];
        }
    }
    for row in (0..8).rev() {
        let rest: f64 = (row + 1..8).map(|k| a[row][k] * b[k]).sum();
        b[row] = (b[row] - rest) / a[row][row];
    }
    b.iter().all(|v| v.is_finite()).then_some(b)
}

/// How a place in the picture moves with the first eight numbers of the map (the ninth is one), in u and v.
fn slopes(h: &Map, p: Point) -> Option<(Point, [[f64; 8]; 2])> {
    let (at, w) = place(h, p)?;
    let (x, y) = (p[0] / w, p[1] / w);
    Some((
        at,
        [
            [x, y, 1.0 / w, 0.0, 0.0, 0.0, -at[0] * x, -at[0] * y],
            [0.0, 0.0, 0.0, x, y, 1.0 / w, -at[1] * x, -at[1] * y],
        ],
    ))
}

/// Normal equations at a map: `JᵀJ`, `Jᵀr` and the sum of squares.
#[allow(clippy::type_complexity)] // Three parts of one system.
fn normal(h: &Map, marks: &[Mark]) -> Option<([[f64; 8]; 8], [f64; 8], f64)> {
    let (mut a, mut b, mut squares) = ([[0.0; 8]; 8], [0.0; 8], 0.0);
    for mark in marks {
        let (at, j) = slopes(h, mark.mm)?;
        for axis in 0..2 {
            let miss = mark.px[axis] - at[axis];
            squares += miss * miss;
            for i in 0..8 {
                b[i] += j[axis][i] * miss;
                for k in 0..8 {
                    a[i][k] += j[axis][i] * j[axis][k];
                }
            }
        }
    }
    Some((a, b, squares))
}

/// A map from mm to px in levelled places, the ninth number being one.
fn fit(marks: &[Mark]) -> Option<Map> {
    // First the linear form, then Gauss and Newton on what the eye sees: distances in the picture.
    let (mut a, mut b) = ([[0.0; 8]; 8], [0.0; 8]);
    for Mark { px, mm } in marks {
        for axis in 0..2 {
            let mut row = [0.0; 8];
            row[3 * axis..3 * axis + 3].copy_from_slice(&[mm[0], mm[1], 1.0]);
            row[6] = -px[axis] * mm[0];
            row[7] = -px[axis] * mm[1];
            for i in 0..8 {
                b[i] += row[i] * px[axis];
                for k in 0..8 {
                    a[i][k] += row[i] * row[k];
                }
            }
        }
    }
    let first = solve(a, b)?;
    let mut h: Map = [first[0], first[1], first[2], first[3], first[4], first[5], first[6], first[7], 1.0];
    let mut least = normal(&h, marks)?.2;
    for _ in 0..ROUNDS {
        let (a, b, _) = normal(&h, marks)?;
        let Some(step) = solve(a, b) else { break };
        // Half the way, and half of that, until it is no worse.
        let better = (0..20).find_map(|halved| {
            let share = 0.5_f64.powi(halved);
            let next: Map = std::array::from_fn(|i| if i < 8 { h[i] + share * step[i] } else { 1.0 });
            let squares = normal(&next, marks)?.2;
            (squares < least).then_some((next, squares))
        });
        let Some((next, squares)) = better else { break };
        let gain = least - squares;
        (h, least) = (next, squares);
        if gain <= 1e-15 * least.max(1e-30) {
            break;
        }
    }
    Some(h)
}

/// Whether some four of the places are in general position: no three of them in line.
fn general(places: &[Point]) -> bool {
    let spread =
        places.iter().flat_map(|a| places.iter().map(move |b| (a[0] - b[0]).hypot(a[1] - b[1]))).fold(0.0, f64::max);
    let bent = |a: Point, b: Point, c: Point| {
        let area = cross(a, b, c).abs();
        area > 1e-6 * spread * spread
    };
    let n = places.len();
    (0..n).any(|a| {
        (a + 1..n).any(|b| {
            (b + 1..n).filter(|c| bent(places[a], places[b], places[*c])).any(|c| {
                (c + 1..n).any(|d| {
                    bent(places[a], places[b], places[d])
                        && bent(places[a], places[c], places[d])
                        && bent(places[b], places[c], places[d])
                })
            })
        })
    })
}

/// A fitted picture: levelled marks, the map from mm to px in their places, and the levels.
#[derive(Debug)]
struct Fitted {
    to_px: Map,
    level_mm: Map,
    level_px: Map,
    marks: Vec<Mark>,
}

impl Fitted {
    fn of(marks: &[Mark]) -> Option<Self> {
        let [px, mm] = [|m: &Mark| m.px, |m: &Mark| m.mm].map(|which| marks.iter().map(which).collect::<Vec<Point>>());
        let (level_px, level_mm) = (levelled(&px), levelled(&mm));
        let level = |map: &Map, p: Point| place(map, p).map_or(p, |(at, _)| at);
        let marks: Vec<Mark> =
            marks.iter().map(|m| Mark { px: level(&level_px, m.px), mm: level(&level_mm, m.mm) }).collect();
        Some(Self { to_px: fit(&marks)?, level_mm, level_px, marks })
    }

    /// Where a place in the picture is in the plane, mm, and on which side of the horizon.
    fn back(&self, px: Point) -> Option<(Point, f64)> {
        let (levelled, _) = place(&self.level_px, px)?;
        let (at, w) = place(&inverse(&self.to_px), levelled)?;
        Some((place(&inverse(&self.level_mm), at)?.0, w))
    }

    /// The picture is not folded: all marks lie on one side of the horizon.
    fn lies_flat(&self) -> bool {
        let mut sides = self.marks.iter().map(|m| place(&self.to_px, m.mm).map_or(0.0, |(_, w)| w.signum()));
        sides.next().is_some_and(|first| first != 0.0 && sides.all(|s| s == first))
    }

    /// Covariance in the picture, px², of where the fit puts a place of the plane, in units of one click's variance.
    fn covariance(&self, mm: Point) -> Option<[[f64; 2]; 2]> {
        let (a, ..) = normal(&self.to_px, &self.marks)?;
        let (_, j) = slopes(&self.to_px, place(&self.level_mm, mm)?.0)?;
        let solved = [solve(a, j[0])?, solve(a, j[1])?];
        Some([0, 1].map(|r| [0, 1].map(|c| (0..8).map(|i| j[r][i] * solved[c][i]).sum())))
    }

    /// √(σx² + σy²), mm, of a point clicked with an error of `sigma` px.
    fn error(&self, px: Point, sigma: f64) -> Option<f64> {
        let (mm, _) = self.back(px)?;
        let from_marks = self.covariance(mm)?;
        let scale = self.level_px[0];
        // Clicks err by σ·scale in levelled places; the point's own click comes on top.
        let levelled_sigma = sigma * scale;
        let total = [0, 1].map(|r| {
            [0, 1].map(|c| (from_marks[r][c] + f64::from(u8::from(r == c))) * levelled_sigma * levelled_sigma)
        });
        // How the plane moves with the picture there, by a small step each way.
        let (at, _) = place(&self.level_px, px)?;
        let turned = inverse(&self.to_px);
        let step = 1e-6;
        let moved = |d: Point| Some(place(&turned, [at[0] + d[0], at[1] + d[1]])?.0);
        let (east, west) = (moved([step, 0.0])?, moved([-step, 0.0])?);
        let (north, south) = (moved([0.0, step])?, moved([0.0, -step])?);
        let j =
            [0, 1].map(|axis| [(east[axis] - west[axis]) / (2.0 * step), (north[axis] - south[axis]) / (2.0 * step)]);
        let variance: f64 = j
            .iter()
            .map(|row| (0..2).map(|r| (0..2).map(|c| row[r] * total[r][c] * row[c]).sum::<f64>()).sum::<f64>())
            .sum();
        Some(variance.max(0.0).sqrt() / self.level_mm[0])
    }

    /// How much a mark that was left out speaks against the fit: its miss against what clicks and fit may err, χ².
    fn speaks(&self, mark: &Mark, sigma: f64) -> Option<f64> {
        let (at, _) = place(&self.to_px, place(&self.level_mm, mark.mm)?.0)?;
        let (seen, _) = place(&self.level_px, mark.px)?;
        let miss = [seen[0] - at[0], seen[1] - at[1]];
        // Where the rest scatter more than was said, they scatter as they do.
        let rest = normal(&self.to_px, &self.marks)?.2;
        let free = 2.0 * self.marks.len() as f64 - 8.0;
        let said = (sigma * self.level_px[0]).powi(2);
        let variance = if free > 0.0 { said.max(rest / free) } else { said };
        let c = self.covariance(mark.mm)?;
        let [[a, b], [_, d]] = [[c[0][0] + 1.0, c[0][1]], [c[1][0], c[1][1] + 1.0]];
        let determinant = (a * d - b * b) * variance;
        Some((d * miss[0] * miss[0] - 2.0 * b * miss[0] * miss[1] + a * miss[1] * miss[1]) / determinant)
    }
}

/// The plane a picture shows: where each of its places is seen.
#[derive(Debug)]
pub struct Plane(Fitted);

impl Plane {
    /// From marks that [`rectify`] takes, without the one it suspects.
    pub fn of(marks: &[Mark], suspect: Option<usize>) -> Option<Self> {
        let good: Vec<Mark> = marks.iter().enumerate().filter(|(i, _)| Some(*i) != suspect).map(|(_, m)| *m).collect();
        Fitted::of(&good).map(Self)
    }

    /// Where a place, mm, is seen in the picture, px; `None` beyond the horizon.
    pub fn seen(&self, mm: Point) -> Option<Point> {
        let fitted = &self.0;
        let here = self.side(mm)?;
        let side = fitted.marks.first().and_then(|m| place(&fitted.to_px, m.mm)).map_or(1.0, |(_, w)| w.signum());
        (here.1.signum() == side).then_some(here.0)
    }

    fn side(&self, mm: Point) -> Option<(Point, f64)> {
        let (levelled, _) = place(&self.0.level_mm, mm)?;
        let (at, w) = place(&self.0.to_px, levelled)?;
        Some((place(&inverse(&self.0.level_px), at)?.0, w))
    }
}

/// Brings points of a picture to true scale. `pixel_error`: 1σ of a click along each axis, of marks and points alike.
///
/// Errors name `marks`, `marks[i]…`, `points[i]` or `pixel_error`; a picture that would be folded, or marks in line, is
/// refused. Good for flat things only. Source: projective geometry; handbook 10.
pub fn rectify(marks: &[Mark], points: &[Point], pixel_error: f64) -> Result<Rectified, InputError> {
    error::positive("pixel_error", pixel_error)?;
    if marks.len() < FEWEST || marks.len() > MOST {
        return Err(InputError::new("marks", format!("needs {FEWEST} to {MOST} marks, got {}", marks.len())));
    }
    for (i, mark) in marks.iter().enumerate() {
        for (name, p) in [("px", mark.px), ("mm", mark.mm)] {
            if p.iter().any(|v| !v.is_finite() || v.abs() > error::LENGTH_LIMIT_MM) {
                return Err(InputError::new(format!("marks[{i}].{name}"), "must be two numbers"));
            }
        }
    }
    let places = |which: fn(&Mark) -> Point| marks.iter().map(which).collect::<Vec<_>>();
    if !general(&places(|m| m.mm)) || !general(&places(|m| m.px)) {
        let why = if marks.len() == FEWEST {
            "three of them lie in line: take a fourth that stands off"
        } else {
            "no four of them stand off from each other's lines"
        };
        return Err(InputError::new("marks", why));
    }
    let unfit = || InputError::new("marks", "no picture of a flat thing puts them so: look at each once more");
    let suspect = suspect(marks, pixel_error);
    let good: Vec<Mark> = marks.iter().enumerate().filter(|(i, _)| Some(*i) != suspect).map(|(_, m)| *m).collect();
    let fitted = Fitted::of(&good).ok_or_else(unfit)?;
    if !fitted.lies_flat() {
        return Err(InputError::new(
            "marks",
            "they are crossed: the picture would be folded; click them in the order they lie",
        ));
    }
    let mut rectified =
        Rectified { points: Vec::new(), errors: Vec::new(), residuals: Vec::new(), suspect, or_one_of: Vec::new() };
    if let Some(suspect) = suspect {
        rectified.or_one_of = or_one_of(marks, suspect, pixel_error);
    }
    for mark in marks {
        let (at, _) = fitted.back(mark.px).ok_or_else(unfit)?;
        let off = (at[0] - mark.mm[0]).hypot(at[1] - mark.mm[1]);
        // Four marks are met exactly; what is left of them is rounding.
        rectified.residuals.push(if marks.len() == FEWEST { 0.0 } else { off });
    }
    // The way back has its own sign: that of the marks.
    let seen = fitted.back(good[0].px).ok_or_else(unfit)?.1.signum();
    for (i, point) in points.iter().enumerate() {
        let field = format!("points[{i}]");
        if point.iter().any(|v| !v.is_finite() || v.abs() > error::LENGTH_LIMIT_MM) {
            return Err(InputError::new(field, "must be two numbers"));
        }
        let beyond = || InputError::new(field.clone(), "lies beyond the horizon of the plane the marks are in");
        let (at, w) = fitted.back(*point).filter(|(_, w)| w.signum() == seen).ok_or_else(beyond)?;
        if w == 0.0 || at.iter().any(|v| v.abs() > error::LENGTH_LIMIT_MM) {
            return Err(beyond());
        }
        rectified.points.push(at);
        rectified.errors.push(fitted.error(*point, pixel_error).filter(|e| e.is_finite()).ok_or_else(beyond)?);
    }
    Ok(rectified)
}

/// The mark the others speak against most, where that is beyond chance.
fn suspect(marks: &[Mark], sigma: f64) -> Option<usize> {
    if marks.len() < FEWEST_TO_SUSPECT {
        return None;
    }
    let speaks = |i: usize| {
        let rest: Vec<Mark> = marks.iter().enumerate().filter(|(k, _)| *k != i).map(|(_, m)| *m).collect();
        if !general(&rest.iter().map(|m| m.mm).collect::<Vec<_>>()) {
            return None;
        }
        Fitted::of(&rest)?.speaks(&marks[i], sigma)
    };
    let (most, at) = (0..marks.len()).filter_map(|i| Some((speaks(i)?, i))).max_by(|a, b| a.0.total_cmp(&b.0))?;
    // The worst of many: each had its chance.
    (most > BEYOND_CHANCE + 2.0 * (marks.len() as f64).ln()).then_some(at)
}

/// Marks other than the suspect without which the rest agree as well as clicks do.
fn or_one_of(marks: &[Mark], suspect: usize, sigma: f64) -> Vec<usize> {
    let agree = |i: &usize| {
        let rest: Vec<Mark> = marks.iter().enumerate().filter(|(k, _)| k != i).map(|(_, m)| *m).collect();
        let Some(fitted) = Fitted::of(&rest) else { return false };
        let free = 2.0 * rest.len() as f64 - 8.0;
        let said = (sigma * fitted.level_px[0]).powi(2);
        // The mean of χ² and four of its deviations.
        normal(&fitted.to_px, &fitted.marks).is_some_and(|n| n.2 / said <= free + 4.0 * (2.0 * free).sqrt())
    };
    (0..marks.len()).filter(|i| *i != suspect).filter(agree).collect()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::chance::Chance;

    /// A camera over a plane, made up: mm to px.
    const CAMERA: Map = [1.9, 0.21, 800.0, -0.15, 2.1, 600.0, 0.000_11, 0.000_07, 1.0];

    #[test]
    fn a_place_is_seen_where_the_camera_sees_it_and_back_again() {
        let marks: Vec<Mark> = [[0.0, 0.0], [900.0, 0.0], [900.0, 700.0], [0.0, 700.0]].map(seen).into();
        let plane = Plane::of(&marks, None).unwrap();
        for mm in [[10.0, 20.0], [450.0, 350.0], [1_400.0, 900.0]] {
            let (px, want) = (plane.seen(mm).unwrap(), seen(mm).px);
            assert!((px[0] - want[0]).hypot(px[1] - want[1]) < 1e-6, "{px:?} {want:?}");
            let back = rectify(&marks, &[px], 1.0).unwrap().points[0];
            assert!((back[0] - mm[0]).hypot(back[1] - mm[1]) < 1e-6);
        }
        // Behind the camera nothing is seen.
        assert_eq!(plane.seen([-40_000.0, 0.0]), None);
    }

    fn seen(mm: Point) -> Mark {
        Mark { px: place(&CAMERA, mm).unwrap().0, mm }
    }

    fn grid(n: usize) -> Vec<Mark> {
        (0..n).map(|i| seen([(i % 4) as f64 * 390.0, (i / 4) as f64 * 310.0 + (i % 3) as f64 * 17.0])).collect()
    }

    #[test]
    fn four_marks_give_every_other_point_back() {
        let marks = [[0.0, 0.0], [1_200.0, 0.0], [1_200.0, 800.0], [0.0, 800.0]].map(seen);
        let hidden = [[300.0, 220.0], [900.0, 650.0], [1_500.0, -90.0]];
        let told = rectify(&marks, &hidden.map(|mm| seen(mm).px), 1.0).unwrap();
        for (at, mm) in told.points.iter().zip(hidden) {
            assert!((at[0] - mm[0]).hypot(at[1] - mm[1]) < 1e-6, "{at:?} {mm:?}");
        }
        assert_eq!(told.residuals, [0.0; 4]);
        assert!(
            told.errors[0] > 0.3 && told.errors[2] > told.errors[0],
            "out of the marks it is less sure: {:?}",
            told.errors
        );
    }

    #[test]
    fn a_mark_measured_wrong_is_named_and_left_out() {
        let mut marks = grid(9);
        marks[4].mm[0] += 25.0;
        let told = rectify(&marks, &[seen([500.0, 400.0]).px], 1.0).unwrap();
        assert_eq!(told.suspect, Some(4));
        assert!((told.points[0][0] - 500.0).abs() < 1e-6 && (told.residuals[4] - 25.0).abs() < 1e-6);
        // Five marks cannot tell which one it is.
        let mut few = grid(5);
        few[3].mm[0] += 25.0;
        assert_eq!(rectify(&few, &[], 1.0).unwrap().suspect, None);
    }

    #[test]
    fn marks_in_line_or_crossed_are_refused() {
        let line = [[0.0, 0.0], [500.0, 0.0], [1_000.0, 0.0], [0.0, 800.0]].map(seen);
        assert_eq!(rectify(&line, &[], 1.0).unwrap_err().field, "marks");
        let mut crossed = [[0.0, 0.0], [1_200.0, 0.0], [1_200.0, 800.0], [0.0, 800.0]].map(seen);
        let first = crossed[0].px;
        crossed[0].px = crossed[1].px;
        crossed[1].px = first;
        assert_eq!(rectify(&crossed, &[], 1.0).unwrap_err().field, "marks");
        assert_eq!(rectify(&grid(3), &[], 1.0).unwrap_err().field, "marks");
        assert_eq!(rectify(&grid(4), &[], 0.0).unwrap_err().field, "pixel_error");
    }

    /// Against brute force: the picture taken again and again with fresh clicks scatters as it says.
    #[test]
    fn stated_errors_are_those_of_clicks_made_again() {
        let marks = grid(8);
        let point = seen([520.0, 330.0]).px;
        let stated = rectify(&marks, &[point], 1.0).unwrap().errors[0];
        let mut chance = Chance::seeded(11);
        let mut click = |p: Point| {
            let (u, v) = (chance.normal(), chance.normal());
            [p[0] + u, p[1] + v]
        };
        let runs = 1_500;
        let squares: f64 = (0..runs)
            .map(|_| {
                let clicked: Vec<Mark> = marks.iter().map(|m| Mark { px: click(m.px), mm: m.mm }).collect();
                let at = Fitted::of(&clicked).unwrap().back(click(point)).unwrap().0;
                (at[0] - 520.0).powi(2) + (at[1] - 330.0).powi(2)
            })
            .sum();
        let scatter = (squares / f64::from(runs)).sqrt();
        assert!((scatter / stated - 1.0).abs() < 0.06, "stated {stated}, scattered {scatter}");
    }

    #[test]
    fn clicks_that_only_scatter_are_seldom_suspected() {
        let mut chance = Chance::seeded(5);
        let marks = grid(8);
        let alarms = (0..400)
            .filter(|_| {
                let mut click = |p: Point| [p[0] + chance.normal(), p[1] + chance.normal()];
                let clicked: Vec<Mark> = marks.iter().map(|m| Mark { px: click(m.px), mm: m.mm }).collect();
                suspect(&clicked, 1.0).is_some()
            })
            .count();
        assert!(alarms <= 12, "{alarms} of 400");
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]
        #[test]
        fn any_camera_that_sees_the_marks_gives_the_points_back(
            turn in 0.0..std::f64::consts::TAU, tilt in -0.000_2..0.000_2f64, lean in -0.000_2..0.000_2f64, scale in 0.3..4.0f64,
            x in 50.0..1_150.0f64, y in 50.0..750.0f64,
        ) {
            let (s, c) = turn.sin_cos();
            let camera = [scale * c, -scale * s, 900.0, scale * s, scale * c, 700.0, tilt, lean, 1.0];
            let at = |mm: Point| Mark { px: place(&camera, mm).unwrap().0, mm };
            let marks = [[0.0, 0.0], [1_200.0, 0.0], [1_200.0, 800.0], [0.0, 800.0]].map(at);
            let told = rectify(&marks, &[at([x, y]).px], 1.0).unwrap();
            prop_assert!((told.points[0][0] - x).hypot(told.points[0][1] - y) < 1e-5);
            prop_assert!(told.errors[0].is_finite() && told.errors[0] > 0.0);
        }
    }
}
