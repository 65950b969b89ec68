//! Bevels: how far a frame's faces are out of square where the hull narrows past it.

use crate::error::{self, InputError};
use crate::geometry::Point;

/// A station's outline in the body plan: `[half-breadth, height]` from the keel up, mm, and its place aft, mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Section {
    pub x: f64,
    pub points: Vec<Point>,
}

/// A bevel at a height.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bevel {
    /// Degrees, positive where the hull narrows going aft (a standing bevel on the after face).
    pub bevel: f64,
    /// Between the neighbouring outlines, square to this one, mm; positive likewise.
    pub distance: f64,
}

/// Bevel of the frame at `sections[station]` at a height: `β = atan(d/s)`, d the distance between the outlines of the two
/// neighbouring stations measured square to the frame's own outline, s their spacing; at the first and last station the one
/// neighbour there is.
///
/// Errors name `sections…`, `station` or `height`. Source: handbook 04.
pub fn at(sections: &[Section], station: usize, height: f64) -> Result<Bevel, InputError> {
    check(sections)?;
    if station >= sections.len() {
        return Err(InputError::new("station", format!("there are stations 0 to {}", sections.len() - 1)));
    }
    let (point, normal) = place(&sections[station], height)?;
    let fore = station.saturating_sub(1);
    let aft = (station + 1).min(sections.len() - 1);
    let out = |i: usize| {
        if i == station { Some(0.0) } else { along_normal(&sections[i].points, point, normal) }
    };
    let (Some(fore_out), Some(aft_out)) = (out(fore), out(aft)) else {
        return Err(InputError::new("height", "the neighbouring outline does not pass this height"));
    };
    let distance = fore_out - aft_out;
    Ok(Bevel { bevel: (distance / (sections[aft].x - sections[fore].x)).atan().to_degrees(), distance })
}

fn check(sections: &[Section]) -> Result<(), InputError> {
    if sections.len() < 2 {
        return Err(InputError::new("sections", format!("needs at least 2 stations, got {}", sections.len())));
    }
    for (i, section) in sections.iter().enumerate() {
        if !section.x.is_finite() || (i > 0 && section.x <= sections[i - 1].x) {
            return Err(InputError::new(format!("sections[{i}].x"), "x must rise from station to station"));
        }
        let bad = |p: &Point| p.iter().any(|v| !v.is_finite() || v.abs() > error::LENGTH_LIMIT_MM);
        if section.points.len() < 2 || section.points.iter().any(bad) {
            return Err(InputError::new(
                format!("sections[{i}].points"),
                "needs at least 2 points, each of two numbers",
            ));
        }
    }
    Ok(())
}

/// The point of an outline at a height and the unit normal there, outward.
fn place(section: &Section, height: f64) -> Result<(Point, Point), InputError> {
    let line = &section.points;
    let spans = |pair: &[Point]| (pair[0][1] - height) * (pair[1][1] - height) <= 0.0 && pair[0][1] != pair[1][1];
    let Some(i) = line.windows(2).position(spans) else {
        return Err(InputError::new("height", format!("the outline at this station does not pass height {height}")));
    };
    let (a, b) = (line[i], line[i + 1]);
    let t = (height - a[1]) / (b[1] - a[1]);
    let point = [a[0] + t * (b[0] - a[0]), height];
    // At a measured point the outline runs between its neighbours; inside a stretch, along it.
    let at_point = |k: usize| (line[k.saturating_sub(1)], line[(k + 1).min(line.len() - 1)]);
    let (from, to) = match t {
        t if t <= 0.0 => at_point(i),
        t if t >= 1.0 => at_point(i + 1),
        _ => (a, b),
    };
    let (dx, dy) = (to[0] - from[0], to[1] - from[1]);
    let len = dx.hypot(dy);
    if len == 0.0 {
        return Err(InputError::new("height", "the outline doubles back on itself here"));
    }
    // Outward is to the right of the way up from the keel.
    let up = if dy < 0.0 { -1.0 } else { 1.0 };
    Ok((point, [up * dy / len, -up * dx / len]))
}

/// Signed distance from a point along a direction to the nearest crossing of an outline, whose ends are carried on.
fn along_normal(line: &[Point], from: Point, direction: Point) -> Option<f64> {
    let last = line.len() - 2;
    let crossing = |(i, pair): (usize, &[Point])| {
        let (ex, ey) = (pair[1][0] - pair[0][0], pair[1][1] - pair[0][1]);
        let cross = direction[0] * ey - direction[1] * ex;
        if cross.abs() < 1e-12 {
            return None;
        }
        let (px, py) = (pair[0][0] - from[0], pair[0][1] - from[1]);
        let along = (px * ey - py * ex) / cross;
        let t = (px * direction[1] - py * direction[0]) / cross;
        let within = (t >= 0.0 || i == 0) && (t <= 1.0 || i == last);
        within.then_some(along)
    };
    line.windows(2).enumerate().filter_map(crossing).min_by(|a, b| a.abs().total_cmp(&b.abs()))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A wedge-sided hull: straight topsides that lean out, narrowing aft by a mm every ten.
    fn wedge(lean: f64) -> Vec<Section> {
        (0..3)
            .map(|i| {
                let x = 500.0 * f64::from(i);
                let half = 800.0 - x / 10.0;
                Section { x, points: vec![[half, 0.0], [half + 900.0 * lean, 900.0]] }
            })
            .collect()
    }

    #[test]
    fn an_upright_side_bevels_by_its_taper() {
        for station in 0..3 {
            let bevel = at(&wedge(0.0), station, 400.0).unwrap();
            assert!((bevel.bevel - (0.1f64).atan().to_degrees()).abs() < 1e-9, "station {station}: {bevel:?}");
        }
        assert!((at(&wedge(0.0), 1, 400.0).unwrap().distance - 100.0).abs() < 1e-9);
    }

    #[test]
    fn a_leaning_side_is_measured_square_to_itself() {
        // Level distance 100 between the outlines; square to a side leaning 45° that is 100·cos 45°.
        let bevel = at(&wedge(1.0), 1, 400.0).unwrap();
        assert!((bevel.distance - 100.0 * std::f64::consts::FRAC_1_SQRT_2).abs() < 1e-9);
    }

    #[test]
    fn bad_stations_are_named() {
        assert_eq!(at(&wedge(0.0)[..1], 0, 1.0).unwrap_err().field, "sections");
        assert_eq!(at(&wedge(0.0), 9, 1.0).unwrap_err().field, "station");
        assert_eq!(at(&wedge(0.0), 1, 5_000.0).unwrap_err().field, "height");
        let mut back = wedge(0.0);
        back[2].x = 100.0;
        assert_eq!(at(&back, 1, 1.0).unwrap_err().field, "sections[2].x");
    }
}
