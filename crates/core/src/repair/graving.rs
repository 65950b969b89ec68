//! Graving pieces: the smallest let-in patch that takes in all damage and breaks no rule.
//!
//! Long sides run with the grain. Ends slope between 2:1 and 6:1, the same way (parallelogram), opposite ways
//! (trapezoid) or to a point. The outline takes in the damage grown by its clearances, keeps clear of every
//! old hole or swallows it whole, and leaves a decent land to the plank's edge or runs out to it.
//!
//! [`growth`] grows the damage by its clearances; [`search`] finds the outline.

pub mod check;
mod growth;
mod search;

use std::collections::VecDeque;
use std::sync::{Mutex, PoisonError};

use serde::{Deserialize, Serialize};

use crate::error::{self, InputError};
use crate::geometry::{
    HalfPlane, Point, clip, convex_contains, convex_hull, edges, extent, perimeter, polyline_at, signed_area,
};
use crate::grid::Shell;
use crate::grid::plank::{Hole, PlankPlace};
use crate::practice::GravingRules;
use crate::reason::{Reason, Verdict};

use growth::grown_damage;
use search::{Found, Search};

/// Flattest and steepest end allowed: run along the plank for each mm across.
pub const END_SLOPE_LIMITS: (f64, f64) = (2.0, 6.0);
/// The outline stays this far from the rim of a fastening that still holds, outside the patch, mm.
pub const LIVE_CLEARANCE: f64 = 12.0;
/// No corner nearer than this to a frame's centre line, mm …
pub const FRAME_ROW: f64 = 10.0;
/// A patch wider than this share of its plank is a splice.
pub const WIDEST_SHARE: f64 = 0.60;
/// Kept behind a patch that is not through: this share of the thickness, and at least so many mm.
pub const LEFT_BEHIND: (f64, f64) = (0.40, 5.0);

/// The plank in its own coordinates: x along the grain from 0 to `length`, y up.
#[derive(Debug, Clone, PartialEq)]
pub struct Plank {
    pub length: f64,
    /// Lower edge, x rising, at least two points.
    pub lower: Vec<Point>,
    /// Upper edge, the same.
    pub upper: Vec<Point>,
    pub thickness: f64,
}

impl Plank {
    /// The face of a plank in its strake, from 0 at the fore joint, for laying out a graving piece.
    pub fn of(place: &PlankPlace, shell: &Shell, thickness: f64) -> Self {
        let (from, to) = place.span(shell);
        let upper = shell.strake_width_line(place.side, place.strake, from, to, from);
        Self { length: to - from, lower: vec![[0.0, 0.0], [to - from, 0.0]], upper, thickness }
    }

    /// A plank of even width.
    pub fn parallel(length: f64, width: f64, thickness: f64) -> Self {
        Self { length, lower: vec![[0.0, 0.0], [length, 0.0]], upper: vec![[0.0, width], [length, width]], thickness }
    }

    pub fn width_at(&self, x: f64) -> f64 {
        polyline_at(&self.upper, x) - polyline_at(&self.lower, x)
    }

    /// Greatest width, mm.
    pub fn widest(&self) -> f64 {
        let xs = self.lower.iter().chain(&self.upper).map(|p| p[0].clamp(0.0, self.length));
        xs.chain([0.0, self.length]).map(|x| self.width_at(x)).fold(0.0, f64::max)
    }

    /// The plank's face as a polygon, counter-clockwise.
    pub fn polygon(&self) -> Vec<Point> {
        let edge = |line: &[Point]| -> Vec<Point> {
            let inside = line.iter().copied().filter(|p| p[0] > 0.0 && p[0] < self.length);
            std::iter::once([0.0, polyline_at(line, 0.0)])
                .chain(inside)
                .chain(std::iter::once([self.length, polyline_at(line, self.length)]))
                .collect()
        };
        let mut around = edge(&self.lower);
        around.extend(edge(&self.upper).into_iter().rev());
        around
    }

    fn check(&self) -> Result<(), InputError> {
        error::length("length", self.length)?;
        error::length("thickness", self.thickness)?;
        for (field, line) in [("lower", &self.lower), ("upper", &self.upper)] {
            if line.len() < 2 {
                return Err(InputError::new(field, "needs at least 2 points"));
            }
            check_points(field, line)?;
            if line.windows(2).any(|pair| pair[1][0] <= pair[0][0]) {
                return Err(InputError::new(field, "x must rise from point to point"));
            }
        }
        let xs = self.lower.iter().chain(&self.upper).map(|p| p[0].clamp(0.0, self.length));
        if xs.chain([0.0, self.length]).any(|x| self.width_at(x) <= 0.0) {
            return Err(InputError::new("upper", "must lie above the lower edge everywhere on the plank"));
        }
        Ok(())
    }
}

fn check_points(field: &str, points: &[Point]) -> Result<(), InputError> {
    match points.iter().position(|p| p.iter().any(|v| !v.is_finite() || v.abs() > error::LENGTH_LIMIT_MM)) {
        Some(i) => Err(InputError::new(format!("{field}[{i}]"), "must be two numbers, no more than a kilometre")),
        None => Ok(()),
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DamageKind {
    /// A polyline.
    Crack,
    /// A polygon.
    Gouge,
    /// A polygon.
    Rot,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Damage {
    pub kind: DamageKind,
    pub points: Vec<Point>,
    pub depth: f64,
}

/// Everything a graving piece depends on.
#[derive(Debug, Clone, PartialEq)]
pub struct Request {
    pub plank: Plank,
    pub damage: Vec<Damage>,
    pub holes: Vec<Hole>,
    /// x of each frame's centre line.
    pub frames: Vec<f64>,
    pub rules: GravingRules,
    /// How deep damage of the face is let in, mm; `None`: half the plank.
    pub face_depth: Option<f64>,
}

impl Request {
    /// How deep its piece goes, mm, and whether right through.
    fn depth(&self) -> (f64, bool) {
        depth(self.plank.thickness, self.face_depth(), self.deepest())
    }

    fn deepest(&self) -> f64 {
        self.damage.iter().map(|d| d.depth).fold(0.0, f64::max)
    }

    /// How deep damage of the face is let in, mm.
    fn face_depth(&self) -> f64 {
        self.face_depth.unwrap_or(self.plank.thickness / 2.0)
    }

    /// Narrowest land left beside the piece, mm: a plank's is as wide as the plank is thick, beside a piece let into heavy timber it is as
    /// wide as the piece is deep.
    fn least_land(&self) -> f64 {
        let thick = if self.face_depth.is_some() { self.depth().0 } else { self.plank.thickness };
        self.rules.edge_land.max(thick)
    }
}

/// Which of the plank's long edges a piece runs out to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum ToEdge {
    None,
    Lower,
    Upper,
    Both,
}

impl ToEdge {
    /// How many seams beside the plank a piece opens.
    pub fn seams(self) -> u32 {
        match self {
            Self::None => 0,
            Self::Lower | Self::Upper => 1,
            Self::Both => 2,
        }
    }

    pub fn label(self) -> &'static str {
        match self {
            Self::None => "no edge",
            Self::Lower => "the lower edge",
            Self::Upper => "the upper edge",
            Self::Both => "both edges",
        }
    }
}

/// Stock to cut the piece from, mm.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Blank {
    pub length: f64,
    pub width: f64,
    pub thickness: f64,
}

/// A backing piece behind a graving piece: lengths mm, `low` up from the plank's lower edge.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Backing {
    pub from: f64,
    pub to: f64,
    pub low: f64,
    pub high: f64,
    /// As thick as the plank.
    pub thickness: f64,
    /// Through its lap all round, a lap's breadth apart (*yard rule*).
    pub fastenings: u32,
}

impl Backing {
    pub fn length(&self) -> f64 {
        self.to - self.from
    }

    pub fn width(&self) -> f64 {
        self.high - self.low
    }

    /// Its face against plank and piece, mm².
    pub fn face(&self) -> f64 {
        self.length() * self.width()
    }
}

/// A backing piece laps the piece before it by this all round, mm.
pub const LAP: f64 = 50.0;
/// Fastenings in its lap stand this far apart, mm (*yard rule*).
const LAP_SPACING: f64 = 75.0;

/// What backs an outline in a plank: its lap all round as far as the plank goes.
pub fn backing(plank: &Plank, outline: &[Point]) -> Option<Backing> {
    let ((x0, x1), (y0, y1)) = extent(outline, 0).zip(extent(outline, 1))?;
    let (from, to) = ((x0 - LAP).max(0.0), (x1 + LAP).min(plank.length));
    let middle = ((x0 + x1) / 2.0).clamp(0.0, plank.length);
    let (lower, upper) = (polyline_at(&plank.lower, middle), polyline_at(&plank.upper, middle));
    let (low, high) = ((y0 - LAP).max(lower), (y1 + LAP).min(upper));
    Some(Backing { from, to, low, high, thickness: plank.thickness, fastenings: lap_fastenings(to - from, high - low) })
}

/// Length, mm, over which an outline lies where its plank laps the one below it and the one above, on a lapstrake hull. How broad a lap
/// is nobody measured: it is as broad as is usual.
pub fn lapped(plank: &Plank, outline: &[Point]) -> [f64; 2] {
    let (Some((x0, x1)), Some((y0, y1))) = (extent(outline, 0), extent(outline, 1)) else { return [0.0; 2] };
    let lap = crate::fastening::lap_breadth(plank.thickness);
    let width = plank.width_at((x0 + x1) / 2.0);
    [y0 < lap, y1 > width - lap].map(|reaches| if reaches { x1 - x0 } else { 0.0 })
}

/// Fastenings of a backing piece so long and wide, mm: round the middle of its lap.
pub fn lap_fastenings(length: f64, width: f64) -> u32 {
    let round = 2.0 * ((length - LAP).max(0.0) + (width - LAP).max(0.0));
    (round / LAP_SPACING).ceil().max(4.0) as u32
}

/// A graving piece. Lengths mm, areas mm².
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Patch {
    /// Convex, counter-clockwise, at most six corners.
    pub outline: Vec<Point>,
    pub depth: f64,
    pub through: bool,
    pub area: f64,
    /// Share of the plank's face that stays.
    pub kept: f64,
    /// Ids of the old holes that disappear.
    pub swallowed: Vec<String>,
    pub to_edge: ToEdge,
    /// Thickness of the piece before it is planed flush.
    pub thickness: f64,
    pub blank: Blank,
    /// What stands behind it, where it goes right through or is let into a crack at half depth.
    pub backing: Option<Backing>,
    /// Why this place wants a splice and not a patch.
    pub splice_instead: Option<String>,
    pub reasons: Vec<Reason>,
}

impl Patch {
    /// Length of glue line round the outline, mm.
    pub fn perimeter(&self) -> f64 {
        perimeter(&self.outline)
    }

    /// The outline offset outward for a router's guide bush, mm; see [`offset`].
    pub fn template(&self, bush_offset: f64) -> Vec<Point> {
        offset(&self.outline, bush_offset)
    }
}

/// A convex outline offset outward by a router's guide bush, mm; corners are mitred, so it stays convex.
pub fn offset(outline: &[Point], by: f64) -> Vec<Point> {
    let moved = edges(outline).filter(|(a, b)| a != b).map(|(a, b)| HalfPlane::left_of(a, b));
    let Some(((x0, x1), (y0, y1))) = extent(outline, 0).zip(extent(outline, 1)) else {
        return Vec::new();
    };
    let far = (x1 - x0 + y1 - y0 + by) * 10.0;
    let big = vec![[x0 - far, y0 - far], [x1 + far, y0 - far], [x1 + far, y1 + far], [x0 - far, y1 + far]];
    moved.map(|side| HalfPlane { d: side.d + by, ..side }).fold(big, |shape, side| clip(&shape, &side))
}

/// Joint of a piece, mm²: its edge all round to its depth, and the bed too where it does not go through.
pub fn joint_area(outline: &[Point], depth: f64, through: bool) -> f64 {
    let bed = if through { 0.0 } else { signed_area(outline).abs() };
    perimeter(outline) * depth + bed
}

/// Mixed glue for a piece, g (handbook 04, *yard rule*).
pub fn glue_grams(outline: &[Point], depth: f64, through: bool) -> f64 {
    super::gluing::mixed_kg(joint_area(outline, depth, through)) * 1000.0
}

/// Pieces found lately, with what they were asked for: the search is long and the same question has the same answer, whoever asks it (each
/// school, a plank as it is and once it is dry, a quote, a choice that is kept). The one asked for longest ago goes first.
static LATELY: Mutex<VecDeque<(Request, Patch)>> = Mutex::new(VecDeque::new());
/// Pieces remembered.
const REMEMBERED: usize = 64;

fn lately(request: &Request) -> Option<Patch> {
    let mut lately = LATELY.lock().unwrap_or_else(PoisonError::into_inner);
    let at = lately.iter().position(|(asked, _)| asked == request)?;
    let found = lately.remove(at)?;
    let patch = found.1.clone();
    lately.push_back(found);
    Some(patch)
}

fn remember(request: &Request, patch: &Patch) {
    let mut lately = LATELY.lock().unwrap_or_else(PoisonError::into_inner);
    if lately.len() >= REMEMBERED {
        lately.pop_front();
    }
    lately.push_back((request.clone(), patch.clone()));
}

/// Finds the graving piece for some damage on a plank.
///
/// Errors name `plank…`, `damage[i]…`, `holes[i]…` or `frames`. Source: handbook 04, all values *yard rule*.
pub fn plan(request: &Request) -> Result<Patch, InputError> {
    check(request)?;
    if let Some(patch) = lately(request) {
        return Ok(patch);
    }
    let must = convex_hull(&grown_damage(request)?);
    let best = Search::new(request, &must).run();
    let patch = describe(request, best);
    remember(request, &patch);
    Ok(patch)
}

fn check(request: &Request) -> Result<(), InputError> {
    request.plank.check().map_err(|e| e.within("plank"))?;
    check_rules(&request.rules).map_err(|e| e.within("rules"))?;
    if request.damage.is_empty() {
        return Err(InputError::new("damage", "needs at least one crack, gouge or rot"));
    }
    for (field, count, most) in
        [("damage", request.damage.len(), MOST_SHAPES), ("holes", request.holes.len(), MOST_HOLES)]
    {
        if count > most {
            return Err(InputError::new(field, format!("takes no more than {most}, got {count}")));
        }
    }
    for (i, damage) in request.damage.iter().enumerate() {
        check_damage(damage, request.plank.thickness).map_err(|e| e.within(&format!("damage[{i}]")))?;
    }
    for (i, hole) in request.holes.iter().enumerate() {
        let at = format!("holes[{i}]");
        error::length("diameter", hole.diameter).map_err(|e| e.within(&at))?;
        check_points("", &[[hole.x, hole.y]])
            .map_err(|_| InputError::new(format!("{at}.x"), "x and y must be numbers"))?;
    }
    if request.frames.iter().any(|x| !x.is_finite()) {
        return Err(InputError::new("frames", "must all be numbers"));
    }
    if let Some(depth) = request.face_depth {
        error::within("face_depth", depth, 0.0, request.plank.thickness)?;
    }
    Ok(())
}

/// More than these on one plank is a mistake, not a survey.
const MOST_SHAPES: usize = 500;
const MOST_HOLES: usize = 5_000;
const MOST_POINTS: usize = 5_000;

fn check_rules(rules: &GravingRules) -> Result<(), InputError> {
    const MOST: f64 = 10_000.0;
    for (field, value) in [
        ("crack_side", rules.crack_side),
        ("crack_tip", rules.crack_tip),
        ("gouge", rules.gouge),
        ("rot_along", rules.rot_along),
        ("rot_across", rules.rot_across),
        ("hole_clearance", rules.hole_clearance),
        ("edge_land", rules.edge_land),
        ("proud", rules.proud),
        ("blank_margin", rules.blank_margin),
        ("least_side", rules.least_side),
        ("least_corner", rules.least_corner),
    ] {
        error::within(field, value, 0.0, MOST)?;
    }
    error::within("end_slope", rules.end_slope, END_SLOPE_LIMITS.0, END_SLOPE_LIMITS.1).map(|_| ())
}

fn check_damage(damage: &Damage, thickness: f64) -> Result<(), InputError> {
    let (needed, shape) = match damage.kind {
        DamageKind::Crack => (2, "a crack is a line: it needs at least 2 points"),
        DamageKind::Gouge | DamageKind::Rot => (3, "a gouge or rot is an outline: it needs at least 3 points"),
    };
    if damage.points.len() < needed {
        return Err(InputError::new("points", shape));
    }
    if damage.points.len() > MOST_POINTS {
        return Err(InputError::new(
            "points",
            format!("takes no more than {MOST_POINTS}, got {}", damage.points.len()),
        ));
    }
    check_points("points", &damage.points)?;
    if damage.points.iter().all(|p| *p == damage.points[0]) {
        return Err(InputError::new("points", "all points are in one place"));
    }
    error::positive("depth", damage.depth)?;
    if damage.depth > thickness {
        return Err(InputError::new("depth", format!("must not be more than the plank's thickness ({thickness})")));
    }
    Ok(())
}

/// Depth of a patch and whether it goes right through; `face`: how deep damage of the face is let in.
fn depth(thickness: f64, face: f64, damage_depth: f64) -> (f64, bool) {
    let face = face.max(damage_depth + 1.0);
    let behind = (LEFT_BEHIND.0 * thickness).max(LEFT_BEHIND.1);
    if thickness - face >= behind { (face, false) } else { (thickness, true) }
}

fn describe(request: &Request, found: Found) -> Patch {
    let to_edge = match (found.lower.edge, found.upper.edge) {
        (false, false) => ToEdge::None,
        (true, false) => ToEdge::Lower,
        (false, true) => ToEdge::Upper,
        (true, true) => ToEdge::Both,
    };
    let mut patch = facts(request, found.outline, to_edge, found.broken, found.on_frame);
    if !found.shapely && found.broken.is_none() {
        patch.reasons.push(
            Reason::new(
                "graving.shape",
                Verdict::Against,
                "holes, damage and edge leave no outline without a short side, a sharp corner or an undercut",
            )
            .value("shortest side wished", request.rules.least_side, "mm")
            .value("sharpest corner wished", request.rules.least_corner, "°"),
        );
    }
    patch
}

/// What an outline makes: its depth, what it swallows and leaves, and the reasons.
fn facts(
    request: &Request,
    outline: Vec<Point>,
    to_edge: ToEdge,
    broken: Option<&'static str>,
    on_frame: bool,
) -> Patch {
    let plank = &request.plank;
    let rules = &request.rules;
    let area = signed_area(&outline);
    let (depth, through) = request.depth();
    let ((x0, x1), (y0, y1)) = extent(&outline, 0).zip(extent(&outline, 1)).unwrap_or_default();
    let middle = ((x0 + x1) / 2.0).clamp(0.0, plank.length);
    let plank_width = plank.width_at(middle);
    let patch_width = if to_edge == ToEdge::None { y1 - y0 } else { width_at(&outline, (x0 + x1) / 2.0) };
    let too_wide = patch_width > WIDEST_SHARE * plank_width;
    let splice_instead = broken.map(str::to_owned).or_else(|| {
        too_wide.then(|| {
            format!("the patch would be {patch_width:.0} mm wide: more than 60 % of the plank ({plank_width:.0} mm) is a splice")
        })
    });
    let swallowed: Vec<String> = request
        .holes
        .iter()
        .filter(|hole| convex_contains(&outline, [hole.x, hole.y], 0.0))
        .map(|hole| hole.id.clone())
        .collect();
    let plank_area = signed_area(&plank.polygon());
    let thickness = depth + rules.proud;
    let kept = 1.0 - area / plank_area;
    let verdict = |bad: bool| if bad { Verdict::Forbids } else { Verdict::For };
    let mut reasons = vec![
        Reason::note("graving.area", "the smallest outline that takes in all damage with its clearances")
            .formula("kept = 1 − patch area / plank area")
            .value("patch area", area, "mm²")
            .value("kept", kept * 100.0, "%"),
        Reason::new("graving.width", verdict(too_wide), if too_wide { "wider than 60 % of the plank: a splice, not a patch" } else { "no wider than 60 % of the plank: a patch, not a splice" })
            .against("patch width", patch_width, "mm", WIDEST_SHARE * plank_width),
        Reason::note("graving.depth", if through {
            "right through: less than 40 % of the plank (or 5 mm) would stay behind it; back it with a piece lapping 50 mm all round"
        } else if request.face_depth.is_some() {
            "heavy timber is let into no deeper than a piece needs to be glued and planed: the damage and 1 mm, or the usual depth"
        } else {
            "half the plank, or the damage and 1 mm; at least 40 % of the plank stays behind it"
        })
        .formula("depth = max(depth of the face, damage + 1)")
        .value("depth of the face", request.face_depth(), "mm")
        .value("damage depth", request.deepest(), "mm")
        .value("depth", depth, "mm"),
    ];
    if let Some(why) = broken {
        reasons.push(Reason::new("graving.impossible", Verdict::Forbids, why));
    }
    if on_frame && broken.is_none() {
        reasons.push(Reason::new(
            "graving.frame_row",
            Verdict::Against,
            "a corner lies on a frame's row; avoiding it would cost more than 15 % more area",
        ));
    }
    if request.holes.iter().any(|h| h.live && swallowed.contains(&h.id)) {
        reasons.push(Reason::note(
            "graving.live",
            "a fastening that still holds disappears under the patch: it is renewed through it",
        ));
    }
    Patch {
        depth,
        through,
        area,
        kept,
        swallowed,
        to_edge,
        thickness,
        blank: Blank {
            length: x1 - x0 + 2.0 * rules.blank_margin,
            width: y1 - y0 + 2.0 * rules.blank_margin,
            thickness,
        },
        backing: if through { backing(plank, &outline) } else { None },
        outline,
        splice_instead,
        reasons,
    }
}

/// Width of a convex outline across the grain at `x`, mm.
fn width_at(outline: &[Point], x: f64) -> f64 {
    let crossings = edges(outline).filter(|(a, b)| (a[0] - x) * (b[0] - x) <= 0.0 && a[0] != b[0]);
    let ys: Vec<Point> = crossings.map(|(a, b)| [0.0, a[1] + (b[1] - a[1]) * (x - a[0]) / (b[0] - a[0])]).collect();
    extent(&ys, 1).map_or(0.0, |(low, high)| high - low)
}

#[cfg(test)]
mod tests;
