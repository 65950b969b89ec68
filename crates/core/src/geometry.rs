//! Plane geometry of convex shapes in plank coordinates: x along the grain going aft, y up, both mm.

/// A point `[x, y]` in mm.
pub type Point = [f64; 2];

/// Twice-signed-area test: positive when `c` lies to the left of the way from `a` to `b`.
pub fn cross(a: Point, b: Point, c: Point) -> f64 {
    (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
}

/// Area of a simple polygon in mm², positive when its corners run counter-clockwise.
pub fn signed_area(polygon: &[Point]) -> f64 {
    edges(polygon).map(|(a, b)| a[0] * b[1] - b[0] * a[1]).sum::<f64>() / 2.0
}

/// The sides of a closed polygon.
pub fn edges(polygon: &[Point]) -> impl Iterator<Item = (Point, Point)> + '_ {
    polygon.iter().enumerate().map(|(i, a)| (*a, polygon[(i + 1) % polygon.len()]))
}

/// Length all round a closed polygon, mm.
pub fn perimeter(polygon: &[Point]) -> f64 {
    edges(polygon).map(|(a, b)| distance(a, b)).sum()
}

/// Convex hull, counter-clockwise, without points on its sides (Andrew's monotone chain).
pub fn convex_hull(points: &[Point]) -> Vec<Point> {
    let mut sorted = points.to_vec();
    sorted.sort_by(|a, b| a[0].total_cmp(&b[0]).then(a[1].total_cmp(&b[1])));
    sorted.dedup();
    if sorted.len() < 3 {
        return sorted;
    }
    let half = |points: &mut dyn Iterator<Item = Point>| {
        let mut chain: Vec<Point> = Vec::new();
        for p in points {
            while chain.len() >= 2 && cross(chain[chain.len() - 2], chain[chain.len() - 1], p) <= 0.0 {
                chain.pop();
            }
            chain.push(p);
        }
        chain.pop();
        chain
    };
    let mut hull = half(&mut sorted.iter().copied());
    hull.extend(half(&mut sorted.iter().rev().copied()));
    hull
}

/// The half-plane `nx·x + ny·y ≤ d` with a unit outward normal.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct HalfPlane {
    pub nx: f64,
    pub ny: f64,
    pub d: f64,
}

impl HalfPlane {
    /// The side to the left of the way from `a` to `b`.
    pub fn left_of(a: Point, b: Point) -> Self {
        let (dx, dy) = (b[0] - a[0], b[1] - a[1]);
        let len = dx.hypot(dy);
        let (nx, ny) = (dy / len, -dx / len);
        Self { nx, ny, d: nx * a[0] + ny * a[1] }
    }

    /// Distance outside the boundary; negative inside.
    pub fn outside(&self, p: Point) -> f64 {
        self.nx * p[0] + self.ny * p[1] - self.d
    }
}

/// What is left of a polygon inside a half-plane (Sutherland–Hodgman).
pub fn clip(polygon: &[Point], half: &HalfPlane) -> Vec<Point> {
    let mut kept = Vec::with_capacity(polygon.len() + 1);
    for (a, b) in edges(polygon) {
        let (da, db) = (half.outside(a), half.outside(b));
        if da <= 0.0 {
            kept.push(a);
        }
        if (da < 0.0 && db > 0.0) || (da > 0.0 && db < 0.0) {
            let t = da / (da - db);
            kept.push([a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1])]);
        }
    }
    kept
}

/// Distance of two points. By the plain root: sizes of a boat neither overflow nor vanish when squared, and searches ask it by the million.
pub fn distance(a: Point, b: Point) -> f64 {
    let (dx, dy) = (b[0] - a[0], b[1] - a[1]);
    (dx * dx + dy * dy).sqrt()
}

/// Distance from a point to the stretch from `a` to `b`.
pub fn distance_to_segment(p: Point, a: Point, b: Point) -> f64 {
    let (dx, dy) = (b[0] - a[0], b[1] - a[1]);
    let len2 = dx * dx + dy * dy;
    let t = if len2 > 0.0 { (((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / len2).clamp(0.0, 1.0) } else { 0.0 };
    distance(p, [a[0] + t * dx, a[1] + t * dy])
}

/// Whether a point lies in a convex counter-clockwise polygon, its sides included, to within `slack` mm.
pub fn convex_contains(polygon: &[Point], p: Point, slack: f64) -> bool {
    edges(polygon).all(|(a, b)| {
        let len = distance(a, b);
        len < 1e-12 || cross(a, b, p) >= -slack * len
    })
}

/// Lowest and highest `axis` coordinate (0 for x, 1 for y) of some points; `None` when there are none.
pub fn extent(points: &[Point], axis: usize) -> Option<(f64, f64)> {
    points.iter().map(|p| p[axis]).fold(None, |range, v| match range {
        None => Some((v, v)),
        Some((low, high)) => Some((f64::min(low, v), f64::max(high, v))),
    })
}

/// Height of a polyline (x rising) at `x`; beyond its ends the last stretch is carried on.
pub fn polyline_at(line: &[Point], x: f64) -> f64 {
    match line {
        [] => 0.0,
        [only] => only[1],
        _ => {
            let after = line.partition_point(|p| p[0] < x).clamp(1, line.len() - 1);
            let (a, b) = (line[after - 1], line[after]);
            a[1] + (b[1] - a[1]) * (x - a[0]) / (b[0] - a[0])
        }
    }
}

/// How large a shape is: the area of a polygon in mm², the length of a line in mm. A polygon folded to nothing counts as a line.
pub fn size_of(shape: &[Point]) -> f64 {
    let area = signed_area(shape).abs();
    if shape.len() > 2 && area > 1.0 {
        return area;
    }
    let open = shape.len().saturating_sub(1);
    edges(shape).take(open).map(|(a, b)| distance(a, b)).sum()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_polygon_counts_by_its_area_and_a_line_by_its_length() {
        assert_eq!(size_of(&[[0.0, 0.0], [30.0, 0.0], [30.0, 20.0], [0.0, 20.0]]), 600.0);
        assert_eq!(size_of(&[[0.0, 0.0], [30.0, 40.0]]), 50.0);
        assert_eq!(size_of(&[[0.0, 0.0], [30.0, 40.0], [60.0, 80.0]]), 100.0);
        assert_eq!(size_of(&[[5.0, 5.0]]), 0.0);
    }

    #[test]
    fn a_hull_drops_what_lies_inside_and_on_its_sides() {
        let hull = convex_hull(&[[0.0, 0.0], [2.0, 0.0], [1.0, 0.0], [2.0, 2.0], [0.0, 2.0], [1.0, 1.0]]);
        assert_eq!(hull, vec![[0.0, 0.0], [2.0, 0.0], [2.0, 2.0], [0.0, 2.0]]);
        assert_eq!(signed_area(&hull), 4.0);
    }

    #[test]
    fn clipping_a_square_by_its_diagonal_halves_it() {
        let square = [[0.0, 0.0], [2.0, 0.0], [2.0, 2.0], [0.0, 2.0]];
        let half = clip(&square, &HalfPlane::left_of([0.0, 0.0], [2.0, 2.0]));
        assert!((signed_area(&half) - 2.0).abs() < 1e-12);
        assert!(convex_contains(&half, [0.5, 1.5], 0.0) && !convex_contains(&half, [1.5, 0.5], 0.0));
    }

    #[test]
    fn a_polyline_is_carried_on_beyond_its_ends() {
        let line = [[0.0, 0.0], [10.0, 10.0], [20.0, 10.0]];
        assert_eq!(polyline_at(&line, 5.0), 5.0);
        assert_eq!(polyline_at(&line, -5.0), -5.0);
        assert_eq!(polyline_at(&line, 30.0), 10.0);
    }
}
