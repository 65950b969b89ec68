//! An outline drawn by hand, held against the rules one by one: which rule breaks, and at which corner.

use crate::error::InputError;
use crate::geometry::{
    HalfPlane, Point, convex_contains, convex_hull, cross, distance, distance_to_segment, extent, polyline_at,
    signed_area,
};
use crate::reason::{Reason, Verdict};

use super::growth::grown_damage;
use super::search::{Clean, corner_angle};
use super::{END_SLOPE_LIMITS, FRAME_ROW, LIVE_CLEARANCE, Patch, Request, ToEdge, check, check_points, facts};

/// A rule that an outline breaks.
#[derive(Debug, Clone, PartialEq)]
pub struct Broken {
    pub reason: Reason,
    /// The corners it happens at, counted from 0.
    pub corners: Vec<usize>,
}

/// An outline as it was drawn: the piece it makes, and what is wrong with it.
#[derive(Debug, Clone, PartialEq)]
pub struct Checked {
    /// The outline put counter-clockwise, with its depth, blank and what it swallows.
    pub patch: Patch,
    /// Empty when every rule is kept.
    pub broken: Vec<Broken>,
}

/// Sides within this of a rule keep it, mm: outlines are kept to a thousandth.
const SLACK: f64 = 0.01;
/// A corner this near to the plank's edge, or beyond it, runs out to it, mm.
const AT_EDGE: f64 = 0.5;
/// A side no steeper than this runs with the grain.
const LEVEL: f64 = 0.02;
/// Most corners of a graving piece.
const MOST_CORNERS: usize = 6;

/// Holds an outline against the rules of a graving piece.
///
/// Errors name `outline` (fewer than three corners, no area) or the fields of [`super::plan`]. A rule that breaks is no
/// error: it is told in [`Checked::broken`]. Source: handbook 04, all values *yard rule*.
pub fn outline(request: &Request, outline: &[Point]) -> Result<Checked, InputError> {
    check(request)?;
    check_points("outline", outline)?;
    if outline.len() < 3 || outline.len() > 4 * MOST_CORNERS {
        return Err(InputError::new("outline", format!("needs 3 to 6 corners, got {}", outline.len())));
    }
    let area = signed_area(outline);
    if area.abs() < 1.0 {
        return Err(InputError::new("outline", "encloses no area"));
    }
    let turned = area < 0.0;
    let mut around = outline.to_vec();
    if turned {
        around.reverse();
    }
    let n = around.len();
    // Corners are told by the numbers they were given in.
    let number = |i: usize| if turned { n - 1 - i % n } else { i % n };
    let must = convex_hull(&grown_damage(request)?);
    let sides = Sides { request, around: &around };
    let mut broken = Vec::new();
    let mut add = |reason: Reason, corners: Vec<usize>| {
        broken.push(Broken { reason, corners: corners.into_iter().map(number).collect() });
    };
    if n > MOST_CORNERS {
        add(forbid("graving.corners", "no more than six corners").against("corners", n as f64, "", 6.0), vec![]);
    }
    let hollow: Vec<usize> =
        (0..n).filter(|i| cross(around[(i + n - 1) % n], around[*i], around[(i + 1) % n]) < -SLACK).collect();
    if !hollow.is_empty() {
        add(forbid("graving.convex", "a corner turns inward: the piece could not be let in from above"), hollow);
    }
    let (left_out, side) = sides.damage_outside(&must);
    if left_out > SLACK {
        add(
            forbid("graving.damage", "damage with its clearance lies outside").value("outside by", left_out, "mm"),
            vec![side, (side + 1) % n],
        );
    }
    sides.slopes(&mut add);
    sides.holes(&mut add);
    sides.land(&mut add);
    sides.frames(&mut add);
    sides.shape(&mut add);
    let length = request.plank.length;
    let off: Vec<usize> = (0..n).filter(|i| around[*i][0] < -SLACK || around[*i][0] > length + SLACK).collect();
    if !off.is_empty() {
        add(forbid("graving.off_plank", "runs off the end of the plank"), off);
    }
    let to_edge = match (sides.runs_out(true), sides.runs_out(false)) {
        (false, false) => ToEdge::None,
        (true, false) => ToEdge::Lower,
        (false, true) => ToEdge::Upper,
        (true, true) => ToEdge::Both,
    };
    let patch = facts(request, around, to_edge, None, false);
    if let Some(why) = &patch.splice_instead {
        broken.push(Broken { reason: forbid("graving.width", why.clone()), corners: vec![] });
    }
    Ok(Checked { patch, broken })
}

fn forbid(rule: &'static str, text: impl Into<String>) -> Reason {
    Reason::new(rule, Verdict::Forbids, text)
}

struct Sides<'r> {
    request: &'r Request,
    around: &'r [Point],
}

impl Sides<'_> {
    fn n(&self) -> usize {
        self.around.len()
    }

    fn side(&self, i: usize) -> (Point, Point) {
        (self.around[i], self.around[(i + 1) % self.n()])
    }

    fn at_edge(&self, p: Point, lower: bool) -> bool {
        let plank = &self.request.plank;
        if lower {
            p[1] <= polyline_at(&plank.lower, p[0]) + AT_EDGE
        } else {
            p[1] >= polyline_at(&plank.upper, p[0]) - AT_EDGE
        }
    }

    /// Whether a side lies along the plank's edge.
    fn on_edge(&self, i: usize) -> bool {
        let (a, b) = self.side(i);
        [true, false].into_iter().any(|lower| self.at_edge(a, lower) && self.at_edge(b, lower))
    }

    fn runs_out(&self, lower: bool) -> bool {
        (0..self.n()).any(|i| {
            let (a, b) = self.side(i);
            self.at_edge(a, lower) && self.at_edge(b, lower)
        })
    }

    /// How far the grown damage reaches over the outline, and over which side.
    fn damage_outside(&self, must: &[Point]) -> (f64, usize) {
        let over = |i: usize| {
            let half = HalfPlane::left_of(self.side(i).0, self.side(i).1);
            must.iter().map(|p| half.outside(*p)).fold(f64::NEG_INFINITY, f64::max)
        };
        (0..self.n())
            .filter(|i| self.side(*i).0 != self.side(*i).1)
            .map(|i| (over(i), i))
            .max_by(|a, b| a.0.total_cmp(&b.0))
            .unwrap_or((0.0, 0))
    }

    fn slopes(&self, add: &mut impl FnMut(Reason, Vec<usize>)) {
        for i in (0..self.n()).filter(|i| !self.on_edge(*i)) {
            let (a, b) = self.side(i);
            let (dx, dy) = ((b[0] - a[0]).abs(), (b[1] - a[1]).abs());
            let at = vec![i, (i + 1) % self.n()];
            let slope = if dy > 0.0 { dx / dy } else { f64::INFINITY };
            if dy <= LEVEL * dx {
                if dy > SLACK {
                    add(
                        forbid("graving.grain", "a long side must run with the grain, level").value(
                            "out of level by",
                            dy,
                            "mm",
                        ),
                        at,
                    );
                }
            } else if slope < END_SLOPE_LIMITS.0 - 1e-3 {
                let text = if slope < 0.05 { "a square end: ends must slope" } else { "an end is too steep" };
                add(forbid("graving.slope", text).against("slope, to 1", slope, "", END_SLOPE_LIMITS.0), at);
            } else if slope > END_SLOPE_LIMITS.1 + 1e-3 {
                add(
                    forbid("graving.slope", "an end is too flat").against("slope, to 1", slope, "", END_SLOPE_LIMITS.1),
                    at,
                );
            }
        }
    }

    fn holes(&self, add: &mut impl FnMut(Reason, Vec<usize>)) {
        for hole in &self.request.holes {
            let centre = [hole.x, hole.y];
            let rim = hole.diameter / 2.0;
            let inside = convex_contains(self.around, centre, 0.0);
            let live = hole.live && !inside;
            let clear = if live {
                LIVE_CLEARANCE.max(self.request.rules.hole_clearance)
            } else {
                self.request.rules.hole_clearance
            };
            let nearest = (0..self.n())
                .filter(|i| !self.on_edge(*i))
                .map(|i| (distance_to_segment(centre, self.side(i).0, self.side(i).1) - rim, i))
                .min_by(|a, b| a.0.total_cmp(&b.0));
            let Some((distance, i)) = nearest.filter(|(distance, _)| *distance < clear - SLACK) else { continue };
            let what = if live { "a fastening that holds" } else { "the rim of an old hole" };
            let text = if distance < 0.0 {
                format!("the line cuts through hole {}: take it in whole or leave it out", hole.id)
            } else {
                format!("too near to {what} ({})", hole.id)
            };
            add(forbid("graving.hole", text).against("distance", distance, "mm", clear), vec![i, (i + 1) % self.n()]);
        }
    }

    fn land(&self, add: &mut impl FnMut(Reason, Vec<usize>)) {
        let plank = &self.request.plank;
        let least = self.request.least_land();
        for i in (0..self.n()).filter(|i| !self.on_edge(*i)) {
            let (a, b) = self.side(i);
            if (b[1] - a[1]).abs() > LEVEL * (b[0] - a[0]).abs() {
                continue;
            }
            // Counter-clockwise: the lower side runs aft.
            let lower = b[0] > a[0];
            let line = if lower { &plank.lower } else { &plank.upper };
            let (from, to) = (a[0].min(b[0]), a[0].max(b[0]));
            let y = |x: f64| a[1] + (b[1] - a[1]) * (x - a[0]) / (b[0] - a[0]);
            let land = line
                .iter()
                .map(|p| p[0])
                .filter(|x| *x > from && *x < to)
                .chain([from, to])
                .map(|x| if lower { y(x) - polyline_at(line, x) } else { polyline_at(line, x) - y(x) })
                .fold(f64::INFINITY, f64::min);
            if land < least - SLACK {
                let text = "the land between the piece and the plank's edge is too narrow: run out to the edge";
                add(forbid("graving.land", text).against("land", land, "mm", least), vec![i, (i + 1) % self.n()]);
            }
        }
    }

    fn shape(&self, add: &mut impl FnMut(Reason, Vec<usize>)) {
        let (n, rules) = (self.n(), &self.request.rules);
        let on_edge: Vec<bool> = (0..n).map(|i| self.on_edge(i)).collect();
        let clean = Clean::new(rules, on_edge.iter().filter(|e| **e).count() == 1);
        let against = |text: &str| Reason::new("graving.shape", Verdict::Against, text);
        for i in 0..n {
            let (before, (at, after)) = (self.around[(i + n - 1) % n], self.side(i));
            let long = distance(at, after);
            if long < rules.least_side - SLACK {
                let text = "a side too short to cut clean";
                add(against(text).against("length", long, "mm", rules.least_side), vec![i, (i + 1) % n]);
            }
            let at_edge = on_edge[i] || on_edge[(i + n - 1) % n];
            let angle = corner_angle(before, at, after);
            if clean.is_sharp(before, at, after, at_edge) {
                let text = "a corner too sharp to cut clean";
                add(against(text).against("corner", angle, "°", rules.least_corner), vec![i]);
            }
            if clean.undercuts(before, at, after, at_edge) {
                let text =
                    "the piece is narrower at the plank's edge than within: old wood is left in a point before it";
                add(against(text).against("corner", angle, "°", 90.0), vec![i]);
            }
        }
    }

    fn frames(&self, add: &mut impl FnMut(Reason, Vec<usize>)) {
        let near = |p: &Point| self.request.frames.iter().any(|f| (p[0] - f).abs() < FRAME_ROW - SLACK);
        let on: Vec<usize> = (0..self.n()).filter(|i| near(&self.around[*i])).collect();
        if !on.is_empty() {
            add(Reason::new("graving.frame_row", Verdict::Against, "a corner lies on a frame's row of fastenings"), on);
        }
    }
}

/// The piece for the same place on the other side of the boat, seen from outside: x runs the same way, so the outline
/// is unchanged from the plank's own datum, but drawn as one looks at it, forward and aft change hands.
pub fn mirrored(outline: &[Point]) -> Vec<Point> {
    let Some((x0, x1)) = extent(outline, 0) else { return Vec::new() };
    outline.iter().rev().map(|p| [x0 + x1 - p[0], p[1]]).collect()
}
