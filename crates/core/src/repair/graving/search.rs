//! The search for the smallest outline.
//!
//! Inside a given lower and upper side the two ends do not depend on each other, and a side only ever moves
//! out from the damage to swallow a hole or to run out to an edge. So: every sensible pair of sides, cheapest
//! possible first; for each, every end made of one or two lines that touch the damage or just swallow a hole,
//! at slopes from a grid and at the slopes where a line touches both damage and a hole; the two ends joined in
//! order of area until one pair breaks no rule; then the same again with ever finer slopes round the best.

use arrayvec::ArrayVec;

use crate::geometry::{Point, convex_contains, distance, distance_to_segment, edges, extent, polyline_at, signed_area};

use crate::practice::GravingRules;

use super::{END_SLOPE_LIMITS, FRAME_ROW, LIVE_CLEARANCE, Request};

/// … unless avoiding it costs more than this much more area.
const FRAME_ROW_WORTH: f64 = 1.15;
/// Among outlines this close in area the eye decides.
pub(super) const EYE_DECIDES: f64 = 1.009;
/// Numbers closer than this are the same place, mm.
const EPSILON: f64 = 1e-7;

/// A lower or upper side of the outline: `y = height + rise·x`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct SideLine {
    height: f64,
    rise: f64,
    /// It is the plank's own edge.
    pub(super) edge: bool,
}

impl SideLine {
    pub(super) fn at(&self, x: f64) -> f64 {
        self.height + self.rise * x
    }

    fn mirrored(self) -> Self {
        Self { rise: -self.rise, ..self }
    }

    /// Where it meets an end line.
    fn meets(&self, end: EndLine) -> Point {
        let x = (end.start + end.slope * self.height) / (1.0 - end.slope * self.rise);
        [x, self.at(x)]
    }
}

/// A line of a left end: `x = start + slope·y`; the patch lies to its right.
#[derive(Debug, Clone, Copy, PartialEq)]
struct EndLine {
    slope: f64,
    start: f64,
}

impl EndLine {
    fn x(&self, y: f64) -> f64 {
        self.start + self.slope * y
    }
}

/// One end of a patch, drawn as a left end: one or two lines, from the lower side to the upper.
#[derive(Debug, Clone, PartialEq)]
struct End {
    corners: ArrayVec<Point, 3>,
    slopes: ArrayVec<f64, 2>,
    /// Signed area between this end and the middle of the damage.
    area: f64,
}

impl End {
    fn mirrored(mut self) -> Self {
        self.corners.iter_mut().for_each(|p| p[0] = -p[0]);
        self
    }
}

/// A hole as the outline sees it.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Keep {
    centre: Point,
    /// Least distance from its centre to the outline when it is swallowed.
    inside: f64,
    /// The same when it is spared.
    outside: f64,
}

#[derive(Debug, Clone)]
pub(super) struct Found {
    pub(super) outline: Vec<Point>,
    /// For each side of the outline, whether it is the plank's edge.
    pub(super) on_edge: Vec<bool>,
    pub(super) area: f64,
    pub(super) slopes: Vec<f64>,
    pub(super) lower: SideLine,
    pub(super) upper: SideLine,
    pub(super) on_frame: bool,
    /// No short side, no sharp corner, no undercut at the plank's edge.
    pub(super) shapely: bool,
    /// A rule could not be kept; why.
    pub(super) broken: Option<&'static str>,
}

/// What an outline is asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd)]
enum Ask {
    /// Only that it takes in the damage.
    Damage,
    /// Every rule, of whatever shape.
    Rules,
    /// Every rule, and a shape that can be cut clean: see [`super::GravingRules::least_corner`].
    Shapely,
}

impl Ask {
    fn rules(self) -> bool {
        self >= Self::Rules
    }
}

/// Least areas are taken on a grid of slopes: finer ones may still win this much on them.
const GRID_SLACK: f64 = 1.02;

/// The least area each end of a pair of sides can take.
#[derive(Debug, Clone, Copy)]
struct Leasts {
    left: f64,
    right: f64,
}

impl Leasts {
    fn together(self) -> f64 {
        self.left + self.right
    }
}

/// How far the search goes before it settles.
mod effort {
    /// Slopes tried between the limits in the first round.
    pub const GRID: u32 = 16;
    /// Later rounds look again this many times, each with a step a sixth of the one before.
    pub const ROUNDS: u32 = 3;
    /// Lines kept for each lean of an end, tightest first.
    pub const LINES: usize = 140;
    /// Holes beyond the damage that a side may move out to swallow, nearest first.
    pub const SIDE_HOLES: usize = 16;
    /// Pairs of sides tried, those with the least possible area first.
    pub const SIDE_PAIRS: usize = 40;
    /// Corners of the damage up to which every one of its own slopes is tried.
    pub const HULL: usize = 80;
    /// Holes near an end that its lines may touch.
    pub const HOLES: usize = 8;
    /// Ends kept for joining.
    pub const ENDS: usize = 400;
    /// Joined pairs looked at in each pass over a pair of sides.
    pub const PAIRS: usize = 800;
}

pub(super) struct Search<'r> {
    request: &'r Request,
    must: &'r [Point],
    keeps: Vec<Keep>,
    middle: f64,
}

impl<'r> Search<'r> {
    pub(super) fn new(request: &'r Request, must: &'r [Point]) -> Self {
        let (x0, x1) = extent(must, 0).unwrap_or_default();
        // Across the plank's whole width the flattest end runs out no further than this.
        let reach = END_SLOPE_LIMITS.1 * request.plank.widest() + 100.0;
        let keeps = request
            .holes
            .iter()
            .filter(|hole| hole.x + hole.diameter > x0 - reach && hole.x - hole.diameter < x1 + reach)
            .map(|hole| {
                let rim = hole.diameter / 2.0;
                let inside = rim + request.rules.hole_clearance;
                let live = if hole.live { LIVE_CLEARANCE } else { 0.0 };
                Keep { centre: [hole.x, hole.y], inside, outside: inside.max(rim + live) }
            })
            .collect();
        Self { request, must, keeps, middle: (x0 + x1) / 2.0 }
    }

    pub(super) fn run(&self) -> Found {
        let first = self.over_all_sides(Ask::Shapely).or_else(|| self.over_all_sides(Ask::Rules));
        // Where nothing sound exists the damage is still drawn, with the rule it breaks.
        first.unwrap_or_else(|| {
            let mut found = self.over_all_sides(Ask::Damage).unwrap_or_else(|| self.bare_box());
            found.broken = Some(self.what_is_broken(&found));
            found
        })
    }

    fn what_is_broken(&self, found: &Found) -> &'static str {
        let (x0, x1) = extent(&found.outline, 0).unwrap_or_default();
        if x0 < 0.0 || x1 > self.request.plank.length {
            "the damage runs out to the end of the plank: there is no room for a sloping end"
        } else {
            "no outline here keeps clear of the old holes"
        }
    }

    /// The damage's own box with ends at the flattest allowed slope; a drawing, not an answer.
    fn bare_box(&self) -> Found {
        let ((x0, x1), (y0, y1)) = extent(self.must, 0).zip(extent(self.must, 1)).unwrap_or_default();
        let run = (y1 - y0) / 2.0 * END_SLOPE_LIMITS.0;
        let middle = (y0 + y1) / 2.0;
        let outline = vec![[x0, y0], [x1, y0], [x1 + run, middle], [x1, y1], [x0, y1], [x0 - run, middle]];
        let side = |height| SideLine { height, rise: 0.0, edge: false };
        Found {
            area: signed_area(&outline),
            on_edge: vec![false; outline.len()],
            outline,
            slopes: vec![END_SLOPE_LIMITS.0; 4],
            lower: side(y0),
            upper: side(y1),
            on_frame: false,
            shapely: true,
            broken: None,
        }
    }

    /// Best over every sensible lower and upper side; of the outlines that are as asked.
    fn over_all_sides(&self, ask: Ask) -> Option<Found> {
        let grid = slope_grid();
        let mut pairs: Vec<(Leasts, SideLine, SideLine)> = Vec::new();
        for lower in self.side_candidates(true, ask.rules()) {
            for upper in self.side_candidates(false, ask.rules()) {
                pairs.extend(self.leasts(lower, upper, &grid, ask).map(|leasts| (leasts, lower, upper)));
            }
        }
        pairs.sort_by(|a, b| a.0.together().total_cmp(&b.0.together()));
        let mut pool = Pool::default();
        for (leasts, lower, upper) in pairs.into_iter().take(effort::SIDE_PAIRS) {
            if leasts.together() > pool.limit() * GRID_SLACK {
                break;
            }
            self.join(lower, upper, leasts, &grid, ask, &mut pool);
        }
        self.refine(&mut pool, ask);
        pool.settle()
    }

    /// Looks again with ever finer slopes round the best outlines found.
    fn refine(&self, pool: &mut Pool, ask: Ask) {
        let (low, high) = END_SLOPE_LIMITS;
        let mut step = (high - low) / f64::from(effort::GRID);
        for _ in 0..effort::ROUNDS {
            step /= 3.0;
            for best in [pool.any.clone(), pool.clear_of_frames.clone()].into_iter().flatten() {
                let near: Vec<f64> = best
                    .slopes
                    .iter()
                    .flat_map(|s| (-3..=3).map(move |k| s.abs() + f64::from(k) * step))
                    .filter(|s| (low..=high).contains(s))
                    .collect();
                if let Some(leasts) = self.leasts(best.lower, best.upper, &near, ask) {
                    self.join(best.lower, best.upper, leasts, &near, ask, pool);
                }
            }
            step /= 2.0;
        }
    }

    fn edge_line(&self, lower: bool) -> SideLine {
        let edge = if lower { &self.request.plank.lower } else { &self.request.plank.upper };
        let ((x0, x1), (y0, y1)) = extent(self.must, 0).zip(extent(self.must, 1)).unwrap_or_default();
        let reach = 3.0 * (y1 - y0);
        let (from, to) = ((x0 - reach).max(0.0), (x1 + reach).min(self.request.plank.length));
        let (from, to) = if to > from { (from, to) } else { (0.0, self.request.plank.length) };
        let rise = (polyline_at(edge, to) - polyline_at(edge, from)) / (to - from);
        // A bent edge is followed by its chord, moved out until no wood of the plank lies beyond it.
        let heights = edge
            .iter()
            .filter(|p| p[0] > from && p[0] < to)
            .map(|p| p[1] - rise * p[0])
            .chain(std::iter::once(polyline_at(edge, from) - rise * from));
        let height =
            if lower { heights.fold(f64::INFINITY, f64::min) } else { heights.fold(f64::NEG_INFINITY, f64::max) };
        SideLine { height, rise, edge: true }
    }

    /// The damage's own limit, the limit that just swallows each hole beyond it, and the plank's edge.
    fn side_candidates(&self, lower: bool, with_holes: bool) -> Vec<SideLine> {
        let (y0, y1) = extent(self.must, 1).unwrap_or_default();
        let outward = if lower { -1.0 } else { 1.0 };
        let tight = if lower { y0 } else { y1 };
        let edge = self.edge_line(lower);
        let mut heights = vec![tight];
        if with_holes {
            let (x0, x1) = extent(self.must, 0).unwrap_or_default();
            let reach = (y1 - y0 + 50.0) * END_SLOPE_LIMITS.1;
            heights.extend(
                self.keeps
                    .iter()
                    .filter(|k| k.centre[0] > x0 - reach && k.centre[0] < x1 + reach)
                    .map(|k| k.centre[1] + outward * k.inside)
                    .filter(|h| (h - tight) * outward > 0.0 && (edge.at(self.middle) - h) * outward > 0.0),
            );
        }
        heights.sort_by(|a, b| ((a - tight) * outward).total_cmp(&((b - tight) * outward)));
        heights.dedup_by(|a, b| (*a - *b).abs() < EPSILON);
        heights.truncate(1 + effort::SIDE_HOLES);
        heights
            .into_iter()
            .filter(|h| self.has_land(*h, lower))
            .map(|height| SideLine { height, rise: 0.0, edge: false })
            .chain(std::iter::once(edge))
            .collect()
    }

    fn land(&self) -> f64 {
        self.request.least_land()
    }

    /// Whether a level side leaves enough land at the damage itself; its corners are checked later.
    fn has_land(&self, height: f64, lower: bool) -> bool {
        let (x0, x1) = extent(self.must, 0).unwrap_or_default();
        self.land_between(height, x0, x1, lower) >= self.land() - EPSILON
    }

    /// Narrowest land between a level side and the plank's edge over a stretch.
    fn land_between(&self, height: f64, from: f64, to: f64, lower: bool) -> f64 {
        let edge = if lower { &self.request.plank.lower } else { &self.request.plank.upper };
        let outward = if lower { -1.0 } else { 1.0 };
        edge.iter()
            .map(|p| p[0])
            .filter(|x| *x > from && *x < to)
            .chain([from, to])
            .map(|x| (polyline_at(edge, x) - height) * outward)
            .fold(f64::INFINITY, f64::min)
    }

    /// Areas of the tightest ends the slopes allow, holes left aside.
    fn leasts(&self, lower: SideLine, upper: SideLine, slopes: &[f64], ask: Ask) -> Option<Leasts> {
        let least = |left: bool| {
            let view = View::new(self, left, lower, upper, ask);
            let ends = view.ends(&view.tight_lines(slopes), &[], f64::INFINITY);
            ends.into_iter().map(|end| end.area).min_by(f64::total_cmp)
        };
        Some(Leasts { left: least(true)?, right: least(false)? })
    }

    /// Joins the ends of one pair of sides in order of area and pools what breaks no rule.
    fn join(&self, lower: SideLine, upper: SideLine, leasts: Leasts, slopes: &[f64], ask: Ask, pool: &mut Pool) {
        let limit = pool.limit() * GRID_SLACK;
        let ends = |left: bool| -> Vec<End> {
            let view = View::new(self, left, lower, upper, ask);
            let keeps = if ask.rules() { view.near_holes() } else { Vec::new() };
            // An end that loses even with the best there can be at the other side is not worth keeping.
            let most = limit - if left { leasts.right } else { leasts.left };
            let mut ends = view.ends(&view.lines(slopes, &keeps), &keeps, most);
            ends.sort_by(|a, b| a.area.total_cmp(&b.area));
            if left { ends } else { ends.into_iter().map(End::mirrored).collect() }
        };
        let (lefts, rights) = (ends(true), ends(false));
        let pick = |ends: &[End], keep: &dyn Fn(&End) -> bool| -> Vec<End> {
            ends.iter().filter(|end| keep(end)).take(effort::ENDS).cloned().collect()
        };
        // Ends that stay on their own half never cross, so their pass always has something to offer; the others may
        // lean over the middle. Ends clear of the frames are joined apart: among all of them, thousands that differ
        // by a hair would come first.
        for clear_only in [false, true] {
            let may = |end: &End| !clear_only || !self.on_frame(&end.corners);
            let upright = |end: &End, left: bool| {
                end.corners.iter().all(|p| if left { p[0] <= self.middle } else { p[0] >= self.middle })
            };
            for own_half in [true, false] {
                let lefts = pick(&lefts, &|end| may(end) && (!own_half || upright(end, true)));
                let rights = pick(&rights, &|end| may(end) && (!own_half || upright(end, false)));
                crate::patience::look();
                for (left, right) in Pairs::new(&lefts, &rights).take(effort::PAIRS) {
                    if pool.is_beaten(left.area + right.area, clear_only) {
                        break;
                    }
                    if let Some(found) = self.close(left, right, lower, upper, ask) {
                        pool.offer(found, self.request.rules.end_slope);
                    }
                }
            }
            if self.request.frames.is_empty() {
                break;
            }
        }
    }

    /// Two ends and two sides as an outline, if it breaks no rule.
    fn close(&self, left: &End, right: &End, lower: SideLine, upper: SideLine, ask: Ask) -> Option<Found> {
        let (l0, l1) = (left.corners[0], *left.corners.last()?);
        let (r0, r1) = (right.corners[0], *right.corners.last()?);
        if l0[0] >= r0[0] || l1[0] >= r1[0] {
            return None;
        }
        // Level sides too short to cut clean are lengthened aft.
        let short = self.request.rules.least_side - (r0[0] - l0[0]).min(r1[0] - l1[0]);
        let level = lower.rise == 0.0 && upper.rise == 0.0;
        let aft = if ask == Ask::Shapely && level { short.max(0.0) } else { 0.0 };
        let moved = right.corners.iter().map(|p| [p[0] + aft, p[1]]);
        let outline: Vec<Point> = moved.chain(left.corners.iter().rev().copied()).collect();
        // Sides: along the right end, the upper side, along the left end, the lower side.
        let mut on_edge = vec![false; outline.len()];
        on_edge[right.corners.len() - 1] = upper.edge;
        on_edge[outline.len() - 1] = lower.edge;
        let shapely = is_shapely(&outline, &on_edge, &self.request.rules);
        if ask == Ask::Shapely && !shapely {
            return None;
        }
        let found = Found {
            area: signed_area(&outline),
            on_frame: self.on_frame(&outline),
            slopes: left.slopes.iter().chain(&right.slopes).copied().collect(),
            outline,
            on_edge,
            lower,
            upper,
            shapely,
            broken: None,
        };
        (!ask.rules() || self.keeps_every_rule(&found)).then_some(found)
    }

    fn on_frame(&self, outline: &[Point]) -> bool {
        outline.iter().any(|p| self.request.frames.iter().any(|f| (p[0] - f).abs() < FRAME_ROW - EPSILON))
    }

    fn keeps_every_rule(&self, found: &Found) -> bool {
        let Some((x0, x1)) = extent(&found.outline, 0) else {
            return false;
        };
        if x0 < -EPSILON || x1 > self.request.plank.length + EPSILON {
            return false;
        }
        let level_land = |side: SideLine, lower: bool| {
            let corners: Vec<f64> =
                found.outline.iter().filter(|p| (p[1] - side.height).abs() < EPSILON).map(|p| p[0]).collect();
            let from = corners.iter().copied().fold(f64::INFINITY, f64::min);
            let to = corners.iter().copied().fold(f64::NEG_INFINITY, f64::max);
            side.edge || self.land_between(side.height, from, to, lower) >= self.land() - EPSILON
        };
        level_land(found.lower, true)
            && level_land(found.upper, false)
            && self.keeps.iter().all(|keep| {
                // Most holes lie far beyond either end.
                let reach = keep.outside.max(keep.inside);
                if keep.centre[0] < x0 - reach || keep.centre[0] > x1 + reach {
                    return true;
                }
                let inside = convex_contains(&found.outline, keep.centre, 0.0);
                let least = if inside { keep.inside } else { keep.outside };
                edges(&found.outline)
                    .zip(&found.on_edge)
                    .filter(|(_, on_edge)| !**on_edge)
                    .all(|((a, b), _)| distance_to_segment(keep.centre, a, b) >= least - EPSILON)
            })
    }
}

/// Whether an outline can be cut clean: no side and no corner smaller than the rules', and where one side is the plank's
/// edge no wood of the plank lies between the piece and that edge.
fn is_shapely(outline: &[Point], on_edge: &[bool], rules: &GravingRules) -> bool {
    let n = outline.len();
    let clean = Clean::new(rules, on_edge.iter().filter(|e| **e).count() == 1);
    (0..n).all(|i| {
        let (before, at, after) = (outline[(i + n - 1) % n], outline[i], outline[(i + 1) % n]);
        clean.is_long(at, after) && clean.is_corner(before, at, after, on_edge[i] || on_edge[(i + n - 1) % n])
    })
}

/// What can be cut clean. By cosines, which need no arc cosine for each of the million corners of a search.
#[derive(Debug, Clone, Copy)]
pub(super) struct Clean {
    least_side: f64,
    /// Of the least corner: a sharper one has more.
    sharp: f64,
    /// No corner on the plank's edge may be wider than square. A piece from edge to edge undercuts one of them whatever its ends, and is
    /// not asked.
    square: bool,
}

impl Clean {
    /// An angle closer than this is the same, degrees.
    const SLACK: f64 = 1e-6;

    pub(super) fn new(rules: &GravingRules, one_edge: bool) -> Self {
        Self {
            least_side: rules.least_side - EPSILON,
            sharp: (rules.least_corner - Self::SLACK).to_radians().cos(),
            square: !rules.undercut && one_edge,
        }
    }

    fn is_long(&self, a: Point, b: Point) -> bool {
        distance(a, b) >= self.least_side
    }

    /// Corners on the edge itself are sharp by their slope and are not asked.
    pub(super) fn is_sharp(&self, before: Point, at: Point, after: Point, at_edge: bool) -> bool {
        let (dot, sides) = between(before, at, after);
        !at_edge && dot > self.sharp * sides
    }

    pub(super) fn undercuts(&self, before: Point, at: Point, after: Point, at_edge: bool) -> bool {
        let (dot, sides) = between(before, at, after);
        self.square && at_edge && dot < -Self::SLACK.to_radians() * sides
    }

    fn is_corner(&self, before: Point, at: Point, after: Point, at_edge: bool) -> bool {
        !self.is_sharp(before, at, after, at_edge) && !self.undercuts(before, at, after, at_edge)
    }
}

/// Of the sides that meet at a corner: their dot product, and the product of their lengths.
fn between(before: Point, at: Point, after: Point) -> (f64, f64) {
    let (u, v) = ([before[0] - at[0], before[1] - at[1]], [after[0] - at[0], after[1] - at[1]]);
    (u[0] * v[0] + u[1] * v[1], distance(before, at) * distance(after, at))
}

/// The angle between the sides that meet at a corner, degrees.
pub(super) fn corner_angle(before: Point, at: Point, after: Point) -> f64 {
    let (dot, sides) = between(before, at, after);
    (dot / sides).clamp(-1.0, 1.0).acos().to_degrees()
}

fn slope_grid() -> Vec<f64> {
    let (low, high) = END_SLOPE_LIMITS;
    (0..=effort::GRID).map(|i| low + (high - low) * f64::from(i) / f64::from(effort::GRID)).collect()
}

/// A pair of ends waiting to be joined; the smallest area comes out of the heap first.
#[derive(PartialEq)]
struct Key {
    area: f64,
    pair: (usize, usize),
}

impl Eq for Key {}

impl Ord for Key {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        other.area.total_cmp(&self.area).then_with(|| other.pair.cmp(&self.pair))
    }
}

impl PartialOrd for Key {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

/// Pairs of ends in order of their area together.
struct Pairs<'e> {
    lefts: &'e [End],
    rights: &'e [End],
    waiting: std::collections::BinaryHeap<Key>,
}

impl<'e> Pairs<'e> {
    /// Both must be sorted by area.
    fn new(lefts: &'e [End], rights: &'e [End]) -> Self {
        let mut pairs = Self { lefts, rights, waiting: std::collections::BinaryHeap::new() };
        pairs.push(0, 0);
        pairs
    }

    fn push(&mut self, i: usize, j: usize) {
        if let (Some(left), Some(right)) = (self.lefts.get(i), self.rights.get(j)) {
            self.waiting.push(Key { area: left.area + right.area, pair: (i, j) });
        }
    }
}

impl<'e> Iterator for Pairs<'e> {
    type Item = (&'e End, &'e End);

    fn next(&mut self) -> Option<Self::Item> {
        let Key { pair: (i, j), .. } = self.waiting.pop()?;
        self.push(i, j + 1);
        if j == 0 {
            self.push(i + 1, 0);
        }
        Some((&self.lefts[i], &self.rights[j]))
    }
}

/// The best outlines so far, with and without a corner on a frame's row, and those the eye may choose from.
#[derive(Default)]
struct Pool {
    any: Option<Found>,
    clear_of_frames: Option<Found>,
    /// Departure from the preferred slope, and the outline, for all that may come within the eye's choice.
    pleasing: Vec<(f64, Found)>,
}

impl Pool {
    /// Whether an outline of this area can no longer be wanted, among all or among those clear of the frames.
    fn is_beaten(&self, area: f64, clear_only: bool) -> bool {
        let past = |best: &Option<Found>, worth: f64| best.as_ref().is_some_and(|best| area > best.area * worth);
        if clear_only {
            past(&self.any, FRAME_ROW_WORTH) || past(&self.clear_of_frames, EYE_DECIDES)
        } else {
            past(&self.any, EYE_DECIDES)
        }
    }

    /// Area beyond which no outline can be wanted any more; endless while there is none.
    fn limit(&self) -> f64 {
        let times = |best: &Option<Found>, worth: f64| best.as_ref().map_or(f64::INFINITY, |best| best.area * worth);
        times(&self.any, FRAME_ROW_WORTH).min(times(&self.clear_of_frames, EYE_DECIDES))
    }

    fn offer(&mut self, found: Found, preferred: f64) {
        let better = |best: &Option<Found>| best.as_ref().is_none_or(|best| found.area < best.area);
        if better(&self.any) {
            self.any = Some(found.clone());
        }
        if !found.on_frame && better(&self.clear_of_frames) {
            self.clear_of_frames = Some(found.clone());
        }
        let departure: f64 = found.slopes.iter().map(|s| (s.abs() - preferred).abs()).sum();
        const ENOUGH: usize = 4_000;
        if self.pleasing.len() < ENOUGH {
            self.pleasing.push((departure / found.slopes.len() as f64, found));
        }
    }

    fn settle(self) -> Option<Found> {
        let any = self.any?;
        let best = match self.clear_of_frames {
            Some(clear) if clear.area <= any.area * FRAME_ROW_WORTH => clear,
            _ => any,
        };
        let eye = self
            .pleasing
            .into_iter()
            .filter(|(_, f)| f.on_frame == best.on_frame && f.area <= best.area * EYE_DECIDES)
            .min_by(|a, b| a.0.total_cmp(&b.0).then(a.1.area.total_cmp(&b.1.area)));
        Some(eye.map_or(best, |(_, found)| found))
    }
}

/// The patch seen so that the end being looked for is on the left.
struct View<'s> {
    search: &'s Search<'s>,
    flip: f64,
    must: Vec<Point>,
    lower: SideLine,
    upper: SideLine,
    middle: f64,
    /// What its corners are asked for, where they are.
    clean: Option<Clean>,
}

impl<'s> View<'s> {
    fn new(search: &'s Search<'s>, left: bool, lower: SideLine, upper: SideLine, ask: Ask) -> Self {
        let flip = if left { 1.0 } else { -1.0 };
        Self {
            search,
            flip,
            must: search.must.iter().map(|p| [p[0] * flip, p[1]]).collect(),
            lower: if left { lower } else { lower.mirrored() },
            upper: if left { upper } else { upper.mirrored() },
            middle: search.middle * flip,
            clean: (ask == Ask::Shapely).then(|| Clean::new(&search.request.rules, lower.edge != upper.edge)),
        }
    }

    /// The line of this slope that just touches the damage, and the point it touches.
    fn tight(&self, slope: f64) -> (EndLine, Point) {
        let touch = |p: &Point| p[0] - slope * p[1];
        let point = self.must.iter().copied().min_by(|a, b| touch(a).total_cmp(&touch(b))).unwrap_or_default();
        (EndLine { slope, start: touch(&point) }, point)
    }

    fn tight_lines(&self, slopes: &[f64]) -> Vec<EndLine> {
        slopes.iter().flat_map(|s| [*s, -*s]).map(|s| self.tight(s).0).collect()
    }

    /// Holes an end line could come near, nearest to the damage first.
    fn near_holes(&self) -> Vec<Keep> {
        let (x0, _) = extent(&self.must, 0).unwrap_or_default();
        let (y0, y1) = (self.lower.at(x0), self.upper.at(x0));
        let reach = (y1 - y0).abs() * END_SLOPE_LIMITS.1;
        let mut near: Vec<Keep> = self
            .search
            .keeps
            .iter()
            .map(|k| Keep { centre: [k.centre[0] * self.flip, k.centre[1]], ..*k })
            .filter(|k| k.centre[0] > x0 - reach - 2.0 * k.outside && k.centre[0] < self.middle + reach)
            .filter(|k| k.centre[1] > y0 - k.outside && k.centre[1] < y1 + k.outside)
            .collect();
        near.sort_by(|a, b| (a.centre[0] - x0).abs().total_cmp(&(b.centre[0] - x0).abs()));
        near.truncate(effort::HOLES);
        near
    }

    /// Every line an end may be made of: touching the damage, just swallowing a hole, or with its corner just
    /// clear of a frame's row; at the given slopes and at those where a line touches damage and hole at once.
    fn lines(&self, slopes: &[f64], keeps: &[Keep]) -> Vec<EndLine> {
        let (low, high) = END_SLOPE_LIMITS;
        let (x0, _) = extent(&self.must, 0).unwrap_or_default();
        let span = (self.upper.at(x0) - self.lower.at(x0)).abs() * high + FRAME_ROW;
        let frames: Vec<f64> =
            self.search.request.frames.iter().map(|f| f * self.flip).filter(|f| (f - x0).abs() < span).collect();
        let mut lines: Vec<(f64, EndLine)> = Vec::new();
        for lean in [1.0, -1.0] {
            let mut tried: Vec<f64> = slopes.to_vec();
            let mut touched: Vec<Point> = slopes.iter().map(|s| self.tight(s * lean).1).collect();
            touched.dedup();
            for p in &touched {
                tried.extend(self.critical_slopes(*p, keeps, &frames).into_iter().map(|s| s * lean));
            }
            let own_slopes = if self.must.len() <= effort::HULL { &self.must[..] } else { &[] };
            for (a, b) in edges(own_slopes) {
                tried.push((b[0] - a[0]) / (b[1] - a[1]) * lean);
            }
            tried.retain(|s| (low..=high).contains(s));
            tried.sort_by(f64::total_cmp);
            tried.dedup_by(|a, b| (*a - *b).abs() < 1e-9);
            let mut of_this_lean: Vec<(f64, EndLine)> = Vec::new();
            for slope in tried.into_iter().map(|s| s * lean) {
                let (tight, _) = self.tight(slope);
                let swallow =
                    keeps.iter().map(|k| k.centre[0] - slope * k.centre[1] - k.inside * (1.0 + slope * slope).sqrt());
                let clear = frames
                    .iter()
                    .flat_map(|f| [self.lower, self.upper].map(|side| f - FRAME_ROW - slope * side.at(f - FRAME_ROW)));
                let starts = swallow.chain(clear).filter(|start| *start < tight.start).chain([tight.start]);
                of_this_lean.extend(starts.map(|start| (tight.start - start, EndLine { slope, start })));
            }
            of_this_lean.sort_by(|a, b| a.0.total_cmp(&b.0));
            of_this_lean.truncate(effort::LINES);
            lines.extend(of_this_lean);
        }
        lines.into_iter().map(|(_, line)| line).collect()
    }

    /// Slopes (dx/dy) of the lines through a point of the damage that touch a hole's keep-clear circle or put
    /// a corner just beside a frame's row.
    fn critical_slopes(&self, p: Point, keeps: &[Keep], frames: &[f64]) -> Vec<f64> {
        let mut slopes = Vec::new();
        for keep in keeps {
            let (dx, dy) = (keep.centre[0] - p[0], keep.centre[1] - p[1]);
            for radius in [keep.inside, keep.outside] {
                // x = p.x + s·(y − p.y) is at distance r of the centre: (dx − s·dy)² = r²·(1 + s²).
                let (a, b, c) = (dy * dy - radius * radius, -2.0 * dx * dy, dx * dx - radius * radius);
                let discriminant = b * b - 4.0 * a * c;
                if a.abs() > 1e-9 && discriminant >= 0.0 {
                    slopes.extend([1.0, -1.0].map(|sign| (-b + sign * discriminant.sqrt()) / (2.0 * a)));
                }
            }
        }
        for frame in frames {
            for (side, x) in
                [self.lower, self.upper].into_iter().flat_map(|s| [(s, frame - FRAME_ROW), (s, frame + FRAME_ROW)])
            {
                let rise = side.at(x) - p[1];
                if rise.abs() > 1e-9 {
                    slopes.push((x - p[0]) / rise);
                }
            }
        }
        slopes
    }

    /// Every end of one line, and of two lines meeting in a point, that keeps clear of these holes and takes no more
    /// than `most` area.
    fn ends(&self, lines: &[EndLine], keeps: &[Keep], most: f64) -> Vec<End> {
        let mut ends = Vec::new();
        // Asked of a million ends: what costs least to ask comes first.
        let mut consider = |corners: &[Point], slopes: &[f64]| {
            let area = self.area_to_middle(corners);
            let rises = || corners.windows(2).all(|pair| pair[1][1] > pair[0][1] + EPSILON);
            let clean = |clean: Clean| {
                corners.windows(2).all(|pair| clean.is_long(pair[0], pair[1]))
                    && corners.windows(3).all(|three| clean.is_corner(three[0], three[1], three[2], false))
            };
            if area <= most && rises() && self.clean.is_none_or(clean) && clear_of(keeps, corners) {
                let (corners, slopes) = (corners.iter().copied().collect(), slopes.iter().copied().collect());
                ends.push(End { corners, slopes, area });
            }
        };
        // The long sides of an end are looked at when it is closed. Its corner with either is the same wherever another line crosses it.
        let foot = |line: &&EndLine| self.foot_is_clean(**line);
        let head = |line: &&EndLine| self.head_is_clean(**line);
        for line in lines.iter().filter(foot).filter(head) {
            consider(&[self.lower.meets(*line), self.upper.meets(*line)], &[line.slope]);
        }
        let up: Vec<EndLine> = lines.iter().filter(|line| line.slope > 0.0).filter(head).copied().collect();
        let down: Vec<EndLine> = lines.iter().filter(|line| line.slope <= 0.0).filter(foot).copied().collect();
        for below in &down {
            crate::patience::look();
            for above in &up {
                let (below, above) = self.with_long_sides(*below, *above);
                let foot = self.lower.meets(below);
                let y = (below.start - above.start) / (above.slope - below.slope);
                let head = self.upper.meets(above);
                consider(&[foot, [below.x(y), y], head], &[below.slope, above.slope]);
            }
        }
        ends
    }

    /// Two lines of a pointed end, one of them moved out as far as it takes for neither side of the point to be too short.
    fn with_long_sides(&self, below: EndLine, above: EndLine) -> (EndLine, EndLine) {
        let least = self.search.request.rules.least_side;
        if self.clean.is_none() || least <= 0.0 {
            return (below, above);
        }
        let y = (below.start - above.start) / (above.slope - below.slope);
        let (foot, head) = (self.lower.meets(below)[1], self.upper.meets(above)[1]);
        let rise = |line: EndLine| (least + EPSILON) / (1.0 + line.slope * line.slope).sqrt();
        let (low, high) = (foot + rise(below), head - rise(above));
        if low > high {
            (below, above)
        } else if y < low {
            (below, EndLine { start: below.x(low) - above.slope * low, ..above })
        } else if y > high {
            (EndLine { start: above.x(high) - below.slope * high, ..below }, above)
        } else {
            (below, above)
        }
    }

    /// Whether an end line's corner on the lower side can be cut clean; the long side runs on to the right.
    fn foot_is_clean(&self, line: EndLine) -> bool {
        let (foot, head) = (self.lower.meets(line), self.upper.meets(line));
        let along = [foot[0] + 1.0, foot[1] + self.lower.rise];
        self.clean.is_none_or(|clean| clean.is_corner(along, foot, head, self.lower.edge))
    }

    /// The same of its corner on the upper side.
    fn head_is_clean(&self, line: EndLine) -> bool {
        let (foot, head) = (self.lower.meets(line), self.upper.meets(line));
        let along = [head[0] + 1.0, head[1] + self.upper.rise];
        self.clean.is_none_or(|clean| clean.is_corner(foot, head, along, self.upper.edge))
    }

    /// Signed area between an end and the upright through the middle of the damage; the areas of the two ends
    /// add up to that of the outline.
    fn area_to_middle(&self, corners: &[Point]) -> f64 {
        let (below, above) = ([self.middle, self.lower.at(self.middle)], [self.middle, self.upper.at(self.middle)]);
        let twice = |a: Point, b: Point| a[0] * b[1] - b[0] * a[1];
        let (first, last) = (corners[0], corners[corners.len() - 1]);
        let along_end: f64 = corners.windows(2).map(|pair| twice(pair[1], pair[0])).sum();
        (twice(below, above) + twice(above, last) + along_end + twice(first, below)) / 2.0
    }
}

/// Whether the lines of a left end keep their distance from some holes, whatever the rest of the outline is.
fn clear_of(keeps: &[Keep], corners: &[Point]) -> bool {
    keeps.iter().all(|keep| {
        let right_of_all = corners.windows(2).all(|pair| crate::geometry::cross(pair[0], pair[1], keep.centre) < 0.0);
        let least = if right_of_all { keep.inside } else { keep.outside };
        corners.windows(2).all(|pair| distance_to_segment(keep.centre, pair[0], pair[1]) >= least - EPSILON)
    })
}
