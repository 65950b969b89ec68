//! Small drawings of numbers: a series of readings, a keel against its chord, a hull's lines.

use std::fmt::Write;

use mend_keel_core::geometry::{Point, extent};
use mend_keel_core::grid::offsets::Lines;

use super::svg;

/// A series of readings in the order taken, oldest first: a line with a dot for each and the first and last figure.
pub fn series(values: &[f64], unit: &str) -> String {
    let (Some(first), Some(last)) = (values.first(), values.last()) else {
        return String::new();
    };
    const SIZE: (f64, f64) = (240.0, 64.0);
    const ROOM: f64 = 16.0;
    let (low, high) = values.iter().fold((f64::MAX, f64::MIN), |(l, h), v| (l.min(*v), h.max(*v)));
    let span = (high - low).max(1e-9);
    let step = (SIZE.0 - 2.0 * ROOM) / (values.len().max(2) - 1) as f64;
    let place = |(i, v): (usize, &f64)| {
        let share = if high - low < 1e-9 { 0.5 } else { (v - low) / span };
        [ROOM + i as f64 * step, SIZE.1 - ROOM - share * (SIZE.1 - 2.0 * ROOM)]
    };
    let points: Vec<Point> = values.iter().enumerate().map(place).collect();
    let said = format!("{} readings, from {first:.1} to {last:.1} {unit}", values.len());
    let mut out = format!(
        "<svg class=\"series\" viewBox=\"0 0 {} {}\" role=\"img\" aria-label=\"{}\"><polyline class=\"series-line\" points=\"{}\"/>",
        SIZE.0,
        SIZE.1,
        svg::safe(&said),
        svg::points(points.iter().copied())
    );
    for [x, y] in &points {
        let _ = write!(out, "<circle class=\"series-dot\" cx=\"{x:.1}\" cy=\"{y:.1}\" r=\"4\"/>");
    }
    out.push_str("</svg>");
    out
}

/// One line over the chord: what it is called and how it is drawn, with its points `[x, deviation]`.
#[derive(Debug, Clone)]
pub struct Curve {
    pub label: String,
    pub class: &'static str,
    pub points: Vec<Point>,
}

/// Lines of a keel or sheer against their chords, heights drawn larger so that they are seen.
pub fn deviations(curves: &[Curve], unit: &dyn Fn(f64) -> String) -> String {
    const SIZE: (f64, f64) = (900.0, 260.0);
    const ROOM: (f64, f64) = (48.0, 40.0);
    let all: Vec<Point> = curves.iter().flat_map(|c| c.points.iter().copied()).collect();
    let Some(((x0, x1), (low, high))) = extent(&all, 0).zip(extent(&all, 1)) else {
        return String::new();
    };
    let (low, high) = (low.min(0.0), high.max(0.0));
    let (per_x, per_y) =
        ((SIZE.0 - 2.0 * ROOM.0) / (x1 - x0).max(1.0), (SIZE.1 - 2.0 * ROOM.1) / (high - low).max(1.0));
    let place = |p: &Point| [ROOM.0 + (p[0] - x0) * per_x, SIZE.1 - ROOM.1 - (p[1] - low) * per_y];
    let zero = place(&[x0, 0.0])[1];
    let mut out = format!(
        "<svg class=\"deviations\" viewBox=\"0 0 {} {}\" role=\"img\" aria-label=\"Deviations from the chord, heights drawn {:.0} times larger\">\
         <path class=\"chord\" d=\"M{} {zero:.1}H{}\"/><text class=\"chart-text\" x=\"{}\" y=\"{:.1}\">chord</text>",
        SIZE.0,
        SIZE.1,
        per_y / per_x,
        ROOM.0,
        SIZE.0 - ROOM.0,
        SIZE.0 - ROOM.0 + 6.0,
        zero + 4.0
    );
    for curve in curves {
        let points: Vec<Point> = curve.points.iter().map(place).collect();
        let _ = write!(
            out,
            "<polyline class=\"curve {}\" points=\"{}\"/>",
            curve.class,
            svg::points(points.iter().copied())
        );
        if curve.class == "measured-line" {
            for (p, [x, y]) in curve.points.iter().zip(&points) {
                let over = if p[1] >= 0.0 { -9.0 } else { 20.0 };
                let _ = write!(
                    out,
                    "<circle class=\"series-dot\" cx=\"{x:.1}\" cy=\"{y:.1}\" r=\"4.5\"/><text class=\"chart-text middle\" x=\"{x:.1}\" y=\"{:.1}\">{}</text>",
                    y + over,
                    svg::safe(&unit(p[1]))
                );
            }
        }
    }
    out.push_str("</svg>");
    out
}

/// Profile, plan and body plan of a table of offsets, to one scale.
pub fn lines_plan(lines: &Lines) -> String {
    const WIDTH: f64 = 1_000.0;
    const ROOM: f64 = 30.0;
    let long: Vec<Point> = lines.profile.iter().chain(&lines.plan).flat_map(|(_, p)| p.iter().copied()).collect();
    let body: Vec<Point> = lines.body.iter().flat_map(|(_, p)| p.iter().copied()).collect();
    let Some((x0, x1)) = extent(&long, 0) else {
        return String::new();
    };
    let heights: Vec<Point> =
        lines.profile.iter().flat_map(|(_, p)| p.iter().copied()).chain(body.iter().copied()).collect();
    let breadths: Vec<Point> = lines.plan.iter().flat_map(|(_, p)| p.iter().copied()).collect();
    let (z0, z1) = extent(&heights, 1).unwrap_or((0.0, 1.0));
    let widest = extent(&breadths, 1).map_or(0.0, |e| e.1).max(extent(&body, 0).map_or(0.0, |e| e.1)).max(1.0);
    let scale = (WIDTH - 2.0 * ROOM) / (x1 - x0).max(1.0);
    let tall = ((z1 - z0) * scale).max(10.0);
    let (profile_foot, plan_foot) = (ROOM + tall, ROOM * 3.0 + tall + widest * scale);
    // The body plan stands below, as large as there is room for.
    let body_scale = ((WIDTH - 2.0 * ROOM) / 2.0 / widest).min(360.0 / (z1 - z0).max(1.0));
    let body_foot = plan_foot + ROOM * 2.0 + (z1 - z0) * body_scale;
    let height = body_foot + ROOM;
    let mut out = format!(
        "<svg class=\"lines-plan\" viewBox=\"0 0 {WIDTH} {height:.0}\" role=\"img\" aria-label=\"Lines: profile, plan and body plan\">"
    );
    let _ = write!(
        out,
        "<path class=\"chord\" d=\"M{ROOM} {profile_foot:.1}H{0:.0}M{ROOM} {plan_foot:.1}H{0:.0}M{1:.0} {2:.1}V{body_foot:.1}\"/>\
         <text class=\"chart-text\" x=\"{ROOM}\" y=\"{3:.1}\">Profile</text><text class=\"chart-text\" x=\"{ROOM}\" y=\"{4:.1}\">Plan</text><text class=\"chart-text\" x=\"{ROOM}\" y=\"{5:.1}\">Body plan</text>",
        WIDTH - ROOM,
        WIDTH / 2.0,
        plan_foot + ROOM * 2.0,
        profile_foot + 18.0,
        plan_foot + 18.0,
        plan_foot + ROOM * 2.0 + 6.0,
    );
    let mut draw = |name: &str, points: Vec<Point>| {
        let _ = write!(
            out,
            "<polyline class=\"hull-line\" points=\"{}\"><title>{}</title></polyline>",
            svg::points(points),
            svg::safe(name)
        );
    };
    for (name, points) in &lines.profile {
        draw(name, points.iter().map(|p| [ROOM + (p[0] - x0) * scale, profile_foot - (p[1] - z0) * scale]).collect());
    }
    for (name, points) in &lines.plan {
        draw(name, points.iter().map(|p| [ROOM + (p[0] - x0) * scale, plan_foot - p[1] * scale]).collect());
    }
    for (i, (name, points)) in lines.body.iter().enumerate() {
        // Stations forward of the middle to the right, those aft of it to the left.
        let side = if i < lines.body.len().div_ceil(2) { 1.0 } else { -1.0 };
        draw(
            name,
            points
                .iter()
                .map(|p| [WIDTH / 2.0 + side * p[0] * body_scale, body_foot - (p[1] - z0) * body_scale])
                .collect(),
        );
    }
    out.push_str("</svg>");
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_series_of_one_or_of_equal_readings_is_still_drawn() {
        for values in [vec![12.0], vec![12.0, 12.0], vec![12.0, 18.0, 15.5]] {
            let drawn = series(&values, "%");
            assert_eq!(drawn.matches("<circle").count(), values.len());
            assert!(!drawn.contains("NaN") && !drawn.contains("inf"), "{drawn}");
        }
        assert_eq!(series(&[], "%"), "");
    }

    #[test]
    fn lines_without_a_height_are_drawn_without_a_nan() {
        let lines = Lines { plan: vec![("WL".into(), vec![[0.0, 1.0], [10.0, 2.0]])], ..Lines::default() };
        assert!(!lines_plan(&lines).contains("NaN"));
        assert_eq!(lines_plan(&Lines::default()), "");
    }
}
