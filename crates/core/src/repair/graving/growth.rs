//! Damage grown by its clearances, as far as it lies on the plank.

use crate::error::InputError;
use crate::geometry::{HalfPlane, Point, clip, convex_hull, cross, edges, polyline_at};
use crate::practice::GravingRules;

use super::{Damage, DamageKind, Plank, Request};

/// Points whose hull is the damage grown by its clearances, as far as it lies on the plank.
pub(super) fn grown_damage(request: &Request) -> Result<Vec<Point>, InputError> {
    let plank = &request.plank;
    let mut all = Vec::new();
    for (i, damage) in request.damage.iter().enumerate() {
        if !touches(plank, damage) {
            return Err(InputError::new(format!("damage[{i}].points"), "none of it lies on the plank"));
        }
        let mut points: Vec<Point> =
            growth(damage, &request.rules).iter().flat_map(|part| on_plank(plank, part)).collect();
        if damage.kind != DamageKind::Crack {
            points.extend(plank.polygon().into_iter().filter(|corner| inside_polygon(&damage.points, *corner)));
        }
        all.extend(points);
    }
    if convex_hull(&all).len() < 3 {
        return Err(InputError::new("damage", "covers no area of the plank"));
    }
    Ok(all)
}

/// The convex parts that make up one damage's grown shape.
fn growth(damage: &Damage, rules: &GravingRules) -> Vec<Vec<Point>> {
    let mut line = damage.points.clone();
    line.dedup();
    match damage.kind {
        DamageKind::Crack => crack_growth(&line, rules),
        DamageKind::Gouge => outline_growth(&line, &disc(rules.gouge)),
        DamageKind::Rot => {
            let (x, y) = (rules.rot_along, rules.rot_across);
            outline_growth(&line, &[[-x, -y], [x, -y], [x, y], [-x, y]])
        }
    }
}

/// A square-ended band round each stretch of a crack, and a disc at each bend.
fn crack_growth(line: &[Point], rules: &GravingRules) -> Vec<Vec<Point>> {
    let last = line.len() - 2;
    let mut parts: Vec<Vec<Point>> = line
        .windows(2)
        .enumerate()
        .map(|(i, pair)| {
            let (a, b) = (pair[0], pair[1]);
            let len = (b[0] - a[0]).hypot(b[1] - a[1]);
            let (ux, uy) = ((b[0] - a[0]) / len, (b[1] - a[1]) / len);
            let before = if i == 0 { rules.crack_tip } else { 0.0 };
            let beyond = if i == last { rules.crack_tip } else { 0.0 };
            let corner =
                |p: Point, along: f64, side: f64| [p[0] + ux * along - uy * side, p[1] + uy * along + ux * side];
            let side = rules.crack_side;
            vec![corner(a, -before, side), corner(a, -before, -side), corner(b, beyond, -side), corner(b, beyond, side)]
        })
        .collect();
    let round = disc(rules.crack_side);
    parts.extend(line[1..line.len() - 1].iter().map(|p| round.iter().map(|d| [p[0] + d[0], p[1] + d[1]]).collect()));
    parts
}

fn outline_growth(polygon: &[Point], brush: &[Point]) -> Vec<Vec<Point>> {
    edges(polygon)
        .map(|(a, b)| {
            let swept: Vec<Point> =
                brush.iter().flat_map(|d| [[a[0] + d[0], a[1] + d[1]], [b[0] + d[0], b[1] + d[1]]]).collect();
            convex_hull(&swept)
        })
        .collect()
}

/// A polygon round a circle (never inside it), so that growing by it is never short.
fn disc(radius: f64) -> Vec<Point> {
    const SIDES: u32 = 32;
    let step = std::f64::consts::TAU / f64::from(SIDES);
    let reach = radius / (step / 2.0).cos();
    (0..SIDES).map(|i| f64::from(i) * step).map(|a| [reach * a.cos(), reach * a.sin()]).collect()
}

/// What of a convex shape lies on the plank: clipped slab by slab, since edges may bend either way.
fn on_plank(plank: &Plank, shape: &[Point]) -> Vec<Point> {
    let mut xs: Vec<f64> = plank.lower.iter().chain(&plank.upper).map(|p| p[0]).collect();
    xs.extend([0.0, plank.length]);
    xs.retain(|x| (0.0..=plank.length).contains(x));
    xs.sort_by(f64::total_cmp);
    xs.dedup();
    let mut points = Vec::new();
    for slab in xs.windows(2) {
        let at = |line: &[Point], x: f64| [x, polyline_at(line, x)];
        let around = [
            at(&plank.lower, slab[0]),
            at(&plank.lower, slab[1]),
            at(&plank.upper, slab[1]),
            at(&plank.upper, slab[0]),
        ];
        points.extend(edges(&around).fold(shape.to_vec(), |rest, (a, b)| clip(&rest, &HalfPlane::left_of(a, b))));
    }
    points
}

/// Whether some of a damage itself, not of what is cut beyond it, lies on the plank.
fn touches(plank: &Plank, damage: &Damage) -> bool {
    let face = plank.polygon();
    let on_face = |p: &Point| {
        (0.0..=plank.length).contains(&p[0])
            && (polyline_at(&plank.lower, p[0])..=polyline_at(&plank.upper, p[0])).contains(&p[1])
    };
    let crosses = |(a, b): (Point, Point)| {
        edges(&face).any(|(p, q)| cross(a, b, p) * cross(a, b, q) <= 0.0 && cross(p, q, a) * cross(p, q, b) <= 0.0)
    };
    damage.points.iter().any(on_face)
        || damage.points.windows(2).any(|pair| crosses((pair[0], pair[1])))
        || (damage.kind != DamageKind::Crack && face.iter().any(|corner| inside_polygon(&damage.points, *corner)))
}

fn inside_polygon(polygon: &[Point], p: Point) -> bool {
    edges(polygon).fold(false, |inside, (a, b)| {
        let crosses = (a[1] > p[1]) != (b[1] > p[1]) && p[0] < a[0] + (p[1] - a[1]) / (b[1] - a[1]) * (b[0] - a[0]);
        inside != crosses
    })
}
