//! Parts nested on sheets: any rotation, quarter turns, or bound to the face grain; a gap between parts and half of it to the
//! sheet's edge; parts lie in other parts' hollows.
//!
//! Collisions are jagua-rs's ([`CDEngine`]); the search is ours. Parts are first placed one by one, each as far to the butt end
//! of the sheet as it goes. Then the last sheet is emptied into the others and drawn together: parts are pushed into less room
//! than they have and moved apart again, those that keep overlapping counting ever more, until nothing overlaps or patience is
//! at its end. The best found is kept all along, so that the work may be stopped at any time.

use std::sync::Arc;

use geo::algorithm::buffer::{BufferStyle, LineJoin};
use geo::{Area as _, Buffer as _};
use jagua_rs::collision_detection::hazards::collector::BasicHazardCollector;
use jagua_rs::collision_detection::hazards::filter::NoFilter;
use jagua_rs::collision_detection::hazards::{Hazard, HazardEntity};
use jagua_rs::collision_detection::{CDEConfig, CDEngine};
use jagua_rs::geometry::DTransformation;
use jagua_rs::geometry::fail_fast::SPSurrogateConfig;
use jagua_rs::geometry::geo_enums::GeoPosition;
use jagua_rs::geometry::geo_traits::TransformableFrom;
use jagua_rs::geometry::primitives::{Rect, SPolygon};
use jagua_rs::io::ext_repr::{ExtItem, ExtOrientation, ExtRotation, ExtSPolygon, ExtShape};
use jagua_rs::io::import::Importer;

use crate::chance::Chance;
use crate::choice::choices;
use crate::error::{self, InputError};
use crate::geometry::{Point, extent, signed_area};

use super::{GoOn, Progress};

choices! {
    /// How a part may be turned on the sheet.
    Turn {
        Any = "any", "Any way";
        Quarter = "quarter", "Quarter turns";
        None = "none", "As drawn: the face grain matters";
    }
}

/// A part, and how often it is wanted. The outline is simple and closed by itself, mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Part {
    pub outline: Vec<Point>,
    pub turn: Turn,
    pub count: u32,
}

/// What is asked. Lengths mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Job {
    pub width: f64,
    pub height: f64,
    /// Sheets there are at most.
    pub sheets: u32,
    pub parts: Vec<Part>,
    /// Between parts; half of it to the sheet's edge.
    pub gap: f64,
    pub seed: u64,
}

/// Gap between parts, mm (*yard rule*).
pub const GAP: f64 = 6.0;
/// Most parts, sheets and corners of an outline taken.
pub const MOST: (u32, u32, usize) = (2_000, 200, 500);
/// Moves tried before a search stops by itself.
pub const BUDGET: u64 = 400_000;

/// A part where it lies: its outline is turned about its own origin by `rotation` degrees counter-clockwise and then moved.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Placement {
    pub part: usize,
    pub sheet: usize,
    pub rotation: f64,
    pub x: f64,
    pub y: f64,
}

impl Placement {
    /// The part's outline on its sheet.
    pub fn outline(&self, part: &Part) -> Vec<Point> {
        let (sin, cos) = self.rotation.to_radians().sin_cos();
        part.outline.iter().map(|p| [p[0] * cos - p[1] * sin + self.x, p[0] * sin + p[1] * cos + self.y]).collect()
    }
}

/// A nest.
#[derive(Debug, Clone, PartialEq)]
pub struct Nest {
    pub placements: Vec<Placement>,
    /// Parts no sheet is left for, one entry a copy.
    pub unplaced: Vec<usize>,
    pub sheets_used: usize,
    /// Of the last sheet, along the sheet's width, from its edge to the farthest part, mm.
    pub last_sheet_length: f64,
    /// Face of the parts on the sheets before the last and the length used of the last, 0–1.
    pub density: f64,
}

/// Steps of a degree in which a part that may lie any way is turned to see whether it goes on a sheet by itself.
const STEPS_A_DEGREE: u32 = 10;

/// Whether a part goes on an empty sheet of this job in any way it may lie: where not, sheets are scarfed together first, or the part is
/// split, and no number of sheets helps.
pub fn goes_on_a_sheet(job: &Job, part: &Part) -> bool {
    let (wide, high) = (job.width - job.gap, job.height - job.gap);
    let fits = |degrees: f64| {
        let turned = Placement { part: 0, sheet: 0, rotation: degrees, x: 0.0, y: 0.0 }.outline(part);
        let size = |axis| extent(&turned, axis).map_or(0.0, |(a, b)| b - a);
        size(0) <= wide + 1e-6 && size(1) <= high + 1e-6
    };
    match part.turn {
        Turn::None => fits(0.0),
        Turn::Quarter => fits(0.0) || fits(90.0),
        Turn::Any => (0..180 * STEPS_A_DEGREE).any(|step| fits(f64::from(step) / f64::from(STEPS_A_DEGREE))),
    }
}

/// What f32 coordinates and the chords of rounded corners may take off the gap, mm.
const SAFETY: f64 = 0.02;

/// Nests a job. Errors name `parts[i]…`, `width`, `height`, `sheets` or `gap`. The same job and seed give the same nest unless
/// `go_on` stops the search.
pub fn nest(job: &Job, budget: u64, go_on: GoOn<'_>) -> Result<Nest, InputError> {
    let shapes = shapes(job)?;
    let mut items = Vec::new();
    for (part, p) in job.parts.iter().enumerate() {
        items.extend((0..p.count).map(|_| part));
    }
    let mut search = Search {
        job,
        shapes: &shapes,
        items,
        random: Chance::seeded(job.seed),
        sheets: Vec::new(),
        unplaced: Vec::new(),
        tried: 0,
        budget,
        share: 0.0,
        stopped: false,
        go_on,
        engine: engine_config(),
        buffers: shapes.iter().map(|s| (*s.body).clone()).collect(),
    };
    search.place_all();
    search.improve();
    Ok(search.answer())
}

/// One part's outline, grown by half the gap, its middle at the origin.
struct Shape {
    body: Arc<SPolygon>,
    /// The outline's own point that lies at the origin.
    middle: Point,
    turn: Turn,
    area: f64,
    /// Degrees that lay one of its long sides along the sheet.
    leans: Vec<f64>,
}

fn engine_config() -> CDEConfig {
    CDEConfig {
        quadtree_depth: 5,
        cd_threshold: 16,
        item_surrogate_config: SPSurrogateConfig {
            n_pole_limits: [(14, 0.0), (9, 0.75), (6, 0.85)],
            ff_pole_area_ratio: 0.5,
            n_ff_piers: 0,
        },
    }
}

fn shapes(job: &Job) -> Result<Vec<Shape>, InputError> {
    // Smaller than this is no sheet, and larger no saw takes.
    error::within("width", job.width, 10.0, 1e5)?;
    error::within("height", job.height, 10.0, 1e5)?;
    error::within("gap", job.gap, 0.0, 200.0)?;
    let copies: u64 = job.parts.iter().map(|p| u64::from(p.count)).sum();
    if copies > u64::from(MOST.0) {
        return Err(InputError::new("parts", format!("takes no more than {} parts, got {copies}", MOST.0)));
    }
    if job.sheets == 0 || job.sheets > MOST.1 {
        return Err(InputError::new("sheets", format!("must be between 1 and {}, was {}", MOST.1, job.sheets)));
    }
    let importer = Importer::new(engine_config(), None, None);
    job.parts.iter().enumerate().map(|(i, part)| shape(&importer, i, part, job.gap / 2.0 + SAFETY)).collect()
}

/// An outline grown on every side, with few corners: mitred where no corner is sharp, else rounded from outside.
fn grown(outline: &[Point], by: f64) -> Vec<Point> {
    let ring = |points: &[Point]| geo::LineString::from(points.to_vec());
    let n = outline.len();
    let turned = signed_area(outline).signum();
    let sharp = (0..n).any(|i| {
        let (a, b, c) = (outline[(i + n - 1) % n], outline[i], outline[(i + 1) % n]);
        let (u, v) = ([b[0] - a[0], b[1] - a[1]], [c[0] - b[0], c[1] - b[1]]);
        let turn = (u[0] * v[1] - u[1] * v[0]).atan2(u[0] * v[0] + u[1] * v[1]) * turned;
        turn > SHARP
    });
    let style = if sharp {
        BufferStyle::new(by / (ROUND / 2.0).cos()).line_join(LineJoin::Round(ROUND))
    } else {
        BufferStyle::new(by).line_join(LineJoin::Miter(0.2))
    };
    let bodies = geo::Polygon::new(ring(outline), Vec::new()).buffer_with_style(style);
    let largest = bodies.0.iter().max_by(|a, b| a.unsigned_area().total_cmp(&b.unsigned_area()));
    let mut points: Vec<Point> =
        largest.map(|p| p.exterior().points().map(|p| [p.x(), p.y()]).collect()).unwrap_or_default();
    points.pop();
    points
}

/// A corner turns by more than this, radians, and is rounded; the arcs are of steps of this.
const SHARP: f64 = 1.9;
const ROUND: f64 = 0.6;

fn shape(importer: &Importer, i: usize, part: &Part, by: f64) -> Result<Shape, InputError> {
    let field = format!("parts[{i}].outline");
    let refuse = |why: &str| InputError::new(field.clone(), why.to_owned());
    if part.outline.len() < 3 || part.outline.len() > MOST.2 {
        return Err(refuse(&format!("needs 3 to {} corners, has {}", MOST.2, part.outline.len())));
    }
    for p in &part.outline {
        for v in p {
            error::within(&field, *v, -1e5, 1e5)?;
        }
    }
    if crosses(&part.outline) {
        return Err(refuse("crosses itself"));
    }
    let area = signed_area(&part.outline).abs();
    if area < 1.0 {
        return Err(refuse("has no area"));
    }
    // Near the origin f32 is finest.
    let n = part.outline.len() as f64;
    let about = part.outline.iter().fold([0.0, 0.0], |a, p| [a[0] + p[0] / n, a[1] + p[1] / n]);
    let near = grown(&part.outline, by).iter().map(|p| ((p[0] - about[0]) as f32, (p[1] - about[1]) as f32)).collect();
    let item = importer
        .import_item(
            &ExtItem {
                id: i as u64,
                orientation: ExtOrientation { rotation: ExtRotation::Continuous {}, reflection_axes: Vec::new() },
                shape: ExtShape::SimplePolygon(ExtSPolygon(near)),
                min_quality: None,
            },
            i,
        )
        .map_err(|e| refuse(&format!("cannot be nested: {e}")))?;
    let (cx, cy) = item.shape_orig().pre_transform.translation();
    let mut sides: Vec<(f64, f64)> = crate::geometry::edges(&part.outline)
        .map(|(a, b)| ((b[0] - a[0]).hypot(b[1] - a[1]), (b[1] - a[1]).atan2(b[0] - a[0]).to_degrees()))
        .collect();
    sides.sort_by(|a, b| b.0.total_cmp(&a.0));
    let mut leans: Vec<f64> = sides
        .iter()
        .take(3)
        .flat_map(|(_, lean)| [0.0, 90.0, 180.0, 270.0].map(|q| (q - lean).rem_euclid(360.0)))
        .collect();
    leans.sort_by(f64::total_cmp);
    leans.dedup_by(|a, b| (*a - *b).abs() < 1e-6);
    Ok(Shape {
        body: item.shape_cd().clone(),
        middle: [about[0] - f64::from(cx), about[1] - f64::from(cy)],
        turn: part.turn,
        area,
        leans,
    })
}

/// Whether two sides of an outline that do not meet at a corner touch.
fn crosses(outline: &[Point]) -> bool {
    use crate::geometry::cross;
    let n = outline.len();
    let side = |i: usize| (outline[i], outline[(i + 1) % n]);
    (0..n).any(|i| {
        let (a, b) = side(i);
        (i + 2..n).filter(|j| !(i == 0 && *j == n - 1)).any(|j| {
            let (c, d) = side(j);
            cross(a, b, c) * cross(a, b, d) < 0.0 && cross(c, d, a) * cross(c, d, b) < 0.0
        })
    })
}

/// What a collision is with.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum What {
    Edge,
    Item(usize),
}

impl HazardEntity for What {
    fn scope(&self) -> GeoPosition {
        if *self == Self::Edge { GeoPosition::Exterior } else { GeoPosition::Interior }
    }

    fn is_dynamic(&self) -> bool {
        *self != Self::Edge
    }
}

/// Where an item lies: turned by `rotation` radians, its middle at x, y.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Pose {
    rotation: f64,
    x: f64,
    y: f64,
}

impl Pose {
    fn transformation(&self) -> jagua_rs::geometry::Transformation {
        DTransformation::new(self.rotation as f32, (self.x as f32, self.y as f32)).compose()
    }
}

struct Sheet {
    engine: CDEngine<What>,
    /// Item, where it lies, and its shape there.
    placed: Vec<(usize, Pose, Arc<SPolygon>)>,
    /// The shape by item, where it lies here.
    shapes: Vec<Option<Arc<SPolygon>>>,
}

impl Sheet {
    fn put(&mut self, item: usize, pose: Pose, shape: &SPolygon) {
        let shape = Arc::new(shape.clone());
        self.engine.register_hazard(Hazard::new(What::Item(item), shape.clone()));
        self.shapes[item] = Some(shape.clone());
        self.placed.push((item, pose, shape));
    }

    fn take(&mut self, item: usize) -> Option<(Pose, Arc<SPolygon>)> {
        let at = self.placed.iter().position(|(i, ..)| *i == item)?;
        self.engine.deregister_hazard_by_entity(What::Item(item));
        self.shapes[item] = None;
        let (_, pose, shape) = self.placed.swap_remove(at);
        Some((pose, shape))
    }

    fn poses(&self) -> Vec<(usize, Pose)> {
        self.placed.iter().map(|(item, pose, _)| (*item, *pose)).collect()
    }

    /// Farthest point of what lies on it, mm.
    fn reach(&self) -> f64 {
        self.placed.iter().map(|(_, _, s)| f64::from(s.bbox().x_max)).fold(0.0, f64::max)
    }
}

/// Where every item of every sheet lies.
type Poses = Vec<Vec<(usize, Pose)>>;

/// Parts left over, sheets, length used of the last in thousandths of a mm.
type Standing = (usize, usize, u64);

struct Search<'j, 'g> {
    job: &'j Job,
    shapes: &'j [Shape],
    /// Part by item.
    items: Vec<usize>,
    random: Chance,
    sheets: Vec<Sheet>,
    unplaced: Vec<usize>,
    tried: u64,
    budget: u64,
    /// Of the work or the time allowed, 0–1.
    share: f64,
    stopped: bool,
    go_on: GoOn<'g>,
    engine: CDEConfig,
    /// One shape for each part to be moved about without asking for memory.
    buffers: Vec<SPolygon>,
}

/// Places tried for a part at first, and when it is moved apart.
const FIRST: u32 = 900;
/// Orders tried for the first placing, and the share of the work they may take.
const ORDERS: (u32, f64) = (12, 0.25);
const APART: (u32, u32) = (14, 8);
/// Rounds of moving apart without getting better before it is given up.
const PATIENCE: u32 = 40;
/// Share of its length a sheet is drawn together by at first.
const SHRINK: f64 = 0.04;
/// Turns without anything getting better before a search ends by itself.
const IDLE: u32 = 60;

impl Search<'_, '_> {
    fn sheet(&self) -> Sheet {
        let (w, h) = (self.job.width as f32, self.job.height as f32);
        let room = Rect { x_min: -1.0, y_min: -1.0, x_max: w + 1.0, y_max: h + 1.0 };
        let edge = SPolygon::from(Rect { x_min: 0.0, y_min: 0.0, x_max: w, y_max: h });
        let engine =
            CDEngine::new(room.inflate_to_square(), vec![Hazard::new(What::Edge, Arc::new(edge))], self.engine);
        Sheet { engine, placed: Vec::new(), shapes: vec![None; self.items.len()] }
    }

    fn shape(&self, item: usize) -> &Shape {
        &self.shapes[self.items[item]]
    }

    /// Counts a move, and asks now and then whether to go on.
    fn step(&mut self) -> bool {
        self.tried += 1;
        crate::patience::look();
        if self.tried.is_multiple_of(64) {
            let progress = Progress {
                share: (self.tried as f64 / self.budget as f64).min(1.0),
                placed: self.items.len() - self.unplaced.len(),
                cost: self.sheets.len() as f64,
            };
            match (self.go_on)(progress) {
                Some(gone) => self.share = gone.max(progress.share),
                None => self.stopped = true,
            }
            self.stopped |= self.tried >= self.budget;
        }
        !self.stopped
    }

    /// A turn the part allows, radians.
    fn turn(&mut self, item: usize) -> f64 {
        let shape = &self.shapes[self.items[item]];
        match shape.turn {
            Turn::None => 0.0,
            Turn::Quarter => f64::from(self.random.below(4)) * std::f64::consts::FRAC_PI_2,
            Turn::Any if self.random.unit() < 0.6 => {
                shape.leans[self.random.below(shape.leans.len() as u32) as usize].to_radians()
            }
            Turn::Any => self.random.unit() * std::f64::consts::TAU,
        }
    }

    /// Where the middle of an item turned so may lie for it to be on the sheet up to `length`; `None`: nowhere.
    fn room(&mut self, item: usize, rotation: f64, length: f64) -> Option<((f64, f64), (f64, f64))> {
        let part = self.items[item];
        let turned = Pose { rotation, x: 0.0, y: 0.0 }.transformation();
        self.buffers[part].transform_from(&self.shapes[part].body, &turned);
        let b = self.buffers[part].bbox();
        // A hair inside, for f32.
        const HAIR: f64 = 0.005;
        let x = (HAIR - f64::from(b.x_min), length - HAIR - f64::from(b.x_max));
        let y = (HAIR - f64::from(b.y_min), self.job.height - HAIR - f64::from(b.y_max));
        (x.0 <= x.1 && y.0 <= y.1).then_some((x, y))
    }

    fn random_pose(&mut self, item: usize, length: f64) -> Option<Pose> {
        let rotation = self.turn(item);
        let (x, y) = self.room(item, rotation, length)?;
        let (u, v) = (self.random.unit(), self.random.unit());
        Some(Pose { rotation, x: x.0 + (x.1 - x.0) * u, y: y.0 + (y.1 - y.0) * v })
    }

    fn lies_free(&mut self, sheet: usize, item: usize, pose: Pose) -> bool {
        let part = self.items[item];
        self.buffers[part].transform_from(&self.shapes[part].body, &pose.transformation());
        !self.sheets[sheet].engine.detect_poly_collision(&self.buffers[part], &NoFilter)
    }

    /// The free place nearest the butt end found for an item.
    fn free_place(&mut self, sheet: usize, item: usize, tries: u32) -> Option<Pose> {
        let length = self.job.width;
        let mut best: Option<(f64, Pose)> = None;
        let worth = |search: &Self, item: usize, pose: &Pose| {
            let b = search.buffers[search.items[item]].bbox();
            let _ = pose;
            f64::from(b.x_max) + 0.02 * f64::from(b.y_max)
        };
        for _ in 0..tries {
            if !self.step() && best.is_some() {
                break;
            }
            let Some(pose) = self.random_pose(item, best.map_or(length, |(reach, _)| reach.min(length))) else {
                continue;
            };
            if self.lies_free(sheet, item, pose) {
                let reach = worth(self, item, &pose);
                if best.is_none_or(|(least, _)| reach < least) {
                    best = Some((reach, pose));
                }
            }
            if self.stopped && best.is_none() && self.tried > self.budget.saturating_mul(2) {
                break;
            }
        }
        let (mut reach, mut pose) = best?;
        // Slid towards the butt end and the lower edge while it stays free.
        let mut by = length / 8.0;
        while by > 0.2 {
            let mut moved = false;
            for (dx, dy) in [(-by, 0.0), (0.0, -by), (-by, by), (-by, -by)] {
                let next = Pose { x: pose.x + dx, y: pose.y + dy, ..pose };
                let Some((x, y)) = self.room(item, pose.rotation, length) else { break };
                let next = Pose { x: next.x.clamp(x.0, x.1), y: next.y.clamp(y.0, y.1), ..next };
                if self.lies_free(sheet, item, next) {
                    let there = worth(self, item, &next);
                    if there < reach - 1e-6 {
                        (reach, pose, moved) = (there, next, true);
                    }
                }
            }
            if !moved {
                by /= 2.0;
            }
        }
        Some(pose)
    }

    fn put(&mut self, sheet: usize, item: usize, pose: Pose) {
        let part = self.items[item];
        self.buffers[part].transform_from(&self.shapes[part].body, &pose.transformation());
        self.sheets[sheet].put(item, pose, &self.buffers[part]);
    }

    /// Places all in several orders, the largest first more or less, and keeps the best.
    fn place_all(&mut self) {
        let mut best: Option<(Standing, Poses, Vec<usize>)> = None;
        for k in 0..ORDERS.0 {
            if k > 0 && (self.stopped || self.share >= ORDERS.1) {
                break;
            }
            (self.sheets, self.unplaced) = (Vec::new(), Vec::new());
            self.place_in_order(if k == 0 { 0.0 } else { 0.8 });
            let standing = self.standing();
            if best.as_ref().is_none_or(|(least, ..)| standing < *least) {
                best = Some((standing, self.sheets.iter().map(Sheet::poses).collect(), self.unplaced.clone()));
            }
        }
        let Some((_, sheets, unplaced)) = best else { return };
        self.sheets = Vec::new();
        for poses in sheets {
            let sheet = self.sheet();
            self.sheets.push(sheet);
            let last = self.sheets.len() - 1;
            self.restore(last, &poses);
        }
        self.unplaced = unplaced;
    }

    /// What makes one nest better than another: parts left over, sheets, length used of the last.
    fn standing(&self) -> Standing {
        let last = self.sheets.last().map_or(0.0, Sheet::reach);
        (self.unplaced.len(), self.sheets.len(), (last * 1_000.0) as u64)
    }

    /// Largest first, shaken by `noise`, each onto the first sheet that takes it.
    fn place_in_order(&mut self, noise: f64) {
        let mut order: Vec<(f64, usize)> = Vec::with_capacity(self.items.len());
        for item in 0..self.items.len() {
            let s = self.shape(item);
            let size = s.area.sqrt() * f64::from(s.body.diameter());
            order.push((size * (1.0 + noise * (self.random.unit() - 0.5)), item));
        }
        order.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        for (_, item) in order {
            let mut found = None;
            for sheet in 0..self.sheets.len() {
                if let Some(pose) = self.free_place(sheet, item, FIRST) {
                    found = Some((sheet, pose));
                    break;
                }
            }
            if found.is_none() && self.sheets.len() < self.job.sheets as usize {
                let sheet = self.sheet();
                self.sheets.push(sheet);
                let last = self.sheets.len() - 1;
                match self.free_place(last, item, FIRST) {
                    Some(pose) => found = Some((last, pose)),
                    None => {
                        self.sheets.pop();
                    }
                }
            }
            match found {
                Some((sheet, pose)) => self.put(sheet, item, pose),
                None => self.unplaced.push(item),
            }
        }
    }

    /// Draws the sheets together one by one, fills the room this makes from what is left over and from the last sheet, and
    /// draws the last one together.
    fn improve(&mut self) {
        let mut steps = vec![SHRINK; self.sheets.len()];
        let mut idle = 0;
        while !self.stopped && !self.sheets.is_empty() && idle < IDLE {
            let last = self.sheets.len() - 1;
            let mut better = false;
            if last == 0 || self.random.unit() < 0.4 {
                better |= self.compress(last, &mut steps[last]);
            } else {
                let sheet = self.random.below(last as u32) as usize;
                better |= self.compress(sheet, &mut steps[sheet]);
                better |= self.fill_from_last(sheet);
                if self.sheets[last].placed.is_empty() {
                    self.sheets.pop();
                    continue;
                }
            }
            for sheet in 0..self.sheets.len() {
                let Some(item) = self.unplaced.last().copied() else { break };
                if !self.stopped && self.squeeze_in(sheet, item) {
                    self.unplaced.pop();
                    better = true;
                }
            }
            if self.unplaced.len() > 1 {
                // Another may go in where this one does not.
                let by = self.random.below(self.unplaced.len() as u32) as usize;
                let end = self.unplaced.len() - 1;
                self.unplaced.swap(by, end);
            }
            if self.unplaced.is_empty() && self.sheets.len() == 1 && self.tight(0) {
                break;
            }
            idle = if better { 0 } else { idle + 1 };
            if !self.step() {
                break;
            }
        }
    }

    /// Draws a sheet together as long as it goes, in steps that grow while it does and shrink when it does not.
    fn compress(&mut self, sheet: usize, step: &mut f64) -> bool {
        let mut better = false;
        for _ in 0..6 {
            if self.stopped {
                break;
            }
            if self.draw_together(sheet, *step) {
                better = true;
                *step = (*step * 1.2).min(0.1);
            } else {
                *step *= 0.5;
                if *step < 0.002 {
                    *step = SHRINK / 2.0;
                    break;
                }
            }
        }
        better
    }

    /// Moves what fits from the last sheet onto this one: first what goes in as it lies, the largest first, then one that is
    /// squeezed in.
    fn fill_from_last(&mut self, sheet: usize) -> bool {
        let last = self.sheets.len() - 1;
        let mut items: Vec<usize> = self.sheets[last].placed.iter().map(|(i, ..)| *i).collect();
        items.sort_by(|a, b| self.shape(*b).area.total_cmp(&self.shape(*a).area).then(a.cmp(b)));
        let room = self.job.width * self.job.height * 0.97;
        let fits = |search: &Self, item: usize| {
            let used: f64 =
                search.sheets[sheet].placed.iter().map(|(i, ..)| f64::from(search.shape(*i).body.area())).sum();
            used + f64::from(search.shape(item).body.area()) <= room
        };
        let mut moved = false;
        for item in &items {
            if self.stopped {
                return moved;
            }
            if fits(self, *item)
                && let Some(pose) = self.free_place(sheet, *item, FIRST / 2)
            {
                self.put(sheet, *item, pose);
                self.sheets[last].take(*item);
                moved = true;
            }
        }
        if moved || items.is_empty() {
            return moved;
        }
        let item = items[self.random.below(items.len() as u32) as usize];
        let squeezed = fits(self, item) && self.squeeze_in(sheet, item);
        if squeezed {
            self.sheets[last].take(item);
        }
        squeezed
    }

    /// Nothing more is to be had: the last sheet is as short as its widest part or as its area allows.
    fn tight(&self, last: usize) -> bool {
        let area: f64 = self.sheets[last].placed.iter().map(|(i, ..)| self.shape(*i).area).sum();
        self.sheets[last].reach() <= area / self.job.height * 1.001
    }

    /// Puts an item onto a sheet where it overlaps least, then moves all apart; what was is put back when it fails.
    fn squeeze_in(&mut self, sheet: usize, item: usize) -> bool {
        let before = self.sheets[sheet].poses();
        if let Some(pose) = self.free_place(sheet, item, FIRST / 4) {
            self.put(sheet, item, pose);
            return true;
        }
        let Some(pose) = self.random_pose(item, self.job.width) else { return false };
        self.put(sheet, item, pose);
        if self.move_apart(sheet, self.job.width) {
            return true;
        }
        self.restore(sheet, &before);
        false
    }

    /// Pushes what lies on a sheet into a shorter length and moves it apart.
    fn draw_together(&mut self, sheet: usize, share: f64) -> bool {
        let before = self.sheets[sheet].poses();
        let reach = self.sheets[sheet].reach();
        let length = reach * (1.0 - share);
        for (item, pose) in &before {
            let Some((x, y)) = self.room(*item, pose.rotation, length) else {
                let Some(other) = (0..20).find_map(|_| self.random_pose(*item, length)) else {
                    // What was moved before this one goes back too.
                    self.restore(sheet, &before);
                    return false;
                };
                self.sheets[sheet].take(*item);
                self.put(sheet, *item, other);
                continue;
            };
            if pose.x > x.1 {
                // What stuck out goes back by itself or anywhere.
                let moved = if self.random.unit() < 0.5 {
                    Pose { x: x.1, y: pose.y.clamp(y.0, y.1), ..*pose }
                } else {
                    self.random_pose(*item, length).unwrap_or(Pose { x: x.1, ..*pose })
                };
                self.sheets[sheet].take(*item);
                self.put(sheet, *item, moved);
            }
        }
        if self.move_apart(sheet, length) {
            return true;
        }
        self.restore(sheet, &before);
        false
    }

    fn restore(&mut self, sheet: usize, poses: &[(usize, Pose)]) {
        self.sheets[sheet] = self.sheet();
        for (item, pose) in poses {
            self.put(sheet, *item, *pose);
        }
    }

    /// Moves what overlaps until nothing does: those that keep overlapping count ever more. Whether it came out.
    fn move_apart(&mut self, sheet: usize, length: f64) -> bool {
        let n = self.items.len();
        let mut weights: Vec<f32> = vec![1.0; n * n];
        let mut least = f32::INFINITY;
        let mut waited = 0;
        loop {
            let pairs = self.overlaps(sheet);
            let total: f32 = pairs.iter().map(|(_, _, by)| by).sum();
            if pairs.is_empty() {
                return true;
            }
            if total < least * 0.98 {
                (least, waited) = (total, 0);
            } else {
                waited += 1;
            }
            if waited > PATIENCE || self.stopped {
                return false;
            }
            let worst = pairs.iter().map(|(_, _, by)| *by).fold(1e-9, f32::max);
            for w in &mut weights {
                *w = f32::max(1.0, *w * 0.97);
            }
            for (a, b, by) in &pairs {
                let grown = weights[a * n + b] * (1.25 + 0.75 * by / worst);
                weights[a * n + b] = grown;
                weights[b * n + a] = grown;
            }
            let mut moving: Vec<usize> = pairs.iter().flat_map(|(a, b, _)| [*a, *b]).collect();
            moving.sort_unstable();
            moving.dedup();
            for i in (1..moving.len()).rev() {
                let j = self.random.below(i as u32 + 1) as usize;
                moving.swap(i, j);
            }
            for item in moving {
                if !self.step() {
                    return false;
                }
                self.move_one(sheet, item, length, &weights);
            }
        }
    }

    /// Pairs that overlap, and by how much.
    fn overlaps(&self, sheet: usize) -> Vec<(usize, usize, f32)> {
        let sheet = &self.sheets[sheet];
        let mut pairs = Vec::new();
        for (item, _, shape) in &sheet.placed {
            hit(sheet, *item, shape, f32::INFINITY, |other, by| {
                if other > *item {
                    pairs.push((*item, other, by));
                }
                by
            });
        }
        // The engine gives them in no order of its own.
        pairs.sort_by_key(|(a, b, _)| (*a, *b));
        pairs
    }

    /// What an item at a pose overlaps by, the weights counted; more than `most` is not told apart.
    fn loss(&mut self, sheet: usize, item: usize, pose: Pose, weights: &[f32], most: f32) -> f32 {
        let (part, n) = (self.items[item], self.items.len());
        self.buffers[part].transform_from(&self.shapes[part].body, &pose.transformation());
        hit(&self.sheets[sheet], item, &self.buffers[part], most, |other, by| by * weights[item * n + other])
    }

    /// Moves an item to where it overlaps least, if that is better than where it is.
    fn move_one(&mut self, sheet: usize, item: usize, length: f64, weights: &[f32]) {
        let Some((now, shape)) = self.sheets[sheet].take(item) else { return };
        let at_first = self.loss(sheet, item, now, weights, f32::INFINITY);
        if at_first <= 0.0 {
            self.sheets[sheet].put(item, now, &shape);
            return;
        }
        let mut found: Vec<(f32, Pose)> = vec![(at_first, now)];
        for _ in 0..APART.0 {
            if let Some(pose) = self.random_pose(item, length) {
                found.push((self.loss(sheet, item, pose, weights, 2.0 * at_first), pose));
            }
        }
        let size = f64::from(shape.diameter()) * 0.25;
        for _ in 0..APART.1 {
            let next = Pose {
                rotation: if self.random.unit() < 0.5 { now.rotation } else { self.turn(item) },
                x: now.x + (self.random.unit() - 0.5) * size,
                y: now.y + (self.random.unit() - 0.5) * size,
            };
            if let Some(pose) = self.held(item, next, length) {
                found.push((self.loss(sheet, item, pose, weights, 2.0 * at_first), pose));
            }
        }
        found.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut best = found[0];
        for start in found.into_iter().take(3) {
            let ended = self.descend(sheet, item, start, length, weights);
            if ended.0 < best.0 {
                best = ended;
            }
            if best.0 <= 0.0 {
                break;
            }
        }
        self.put(sheet, item, if best.0 < at_first { best.1 } else { now });
    }

    /// A pose kept on the sheet up to `length`.
    fn held(&mut self, item: usize, pose: Pose, length: f64) -> Option<Pose> {
        let (x, y) = self.room(item, pose.rotation, length)?;
        Some(Pose { x: pose.x.clamp(x.0, x.1), y: pose.y.clamp(y.0, y.1), ..pose })
    }

    /// From a pose to a better one nearby, in steps that grow when they help and shrink when they do not.
    fn descend(&mut self, sheet: usize, item: usize, start: (f32, Pose), length: f64, weights: &[f32]) -> (f32, Pose) {
        let (mut least, mut pose) = start;
        let size = f64::from(self.shape(item).body.diameter());
        let free = self.shape(item).turn == Turn::Any;
        let (mut by, mut turn) = (size * 0.06, 0.08);
        while by > size * 0.0008 && least > 0.0 {
            let (u, v) = (self.random.unit(), self.random.unit());
            let next = if free && u < 0.25 {
                Pose { rotation: pose.rotation + turn * (2.0 * v - 1.0), ..pose }
            } else {
                let angle = std::f64::consts::TAU * v;
                let straight = [(by, 0.0), (-by, 0.0), (0.0, by), (0.0, -by)][(v * 4.0) as usize % 4];
                let (dx, dy) = if u < 0.6 { straight } else { (by * angle.cos(), by * angle.sin()) };
                Pose { x: pose.x + dx, y: pose.y + dy, ..pose }
            };
            let Some(next) = self.held(item, next, length) else { break };
            let loss = self.loss(sheet, item, next, weights, least);
            if loss < least {
                (least, pose) = (loss, next);
                by *= 1.1;
            } else {
                by *= 0.86;
                turn *= 0.9;
            }
        }
        (least, pose)
    }

    fn answer(self) -> Nest {
        let mut placements = Vec::new();
        for (sheet, s) in self.sheets.iter().enumerate() {
            for (item, pose) in s.poses() {
                let part = self.items[item];
                // The engine's own f32 place; the angle it rounds is given as it is: quarter turns are quarter turns.
                let degrees = if self.shapes[part].turn == Turn::Any {
                    f64::from(pose.rotation as f32).to_degrees().rem_euclid(360.0)
                } else {
                    ((pose.rotation.to_degrees() / 90.0).round() * 90.0).rem_euclid(360.0)
                };
                let (sin, cos) = degrees.to_radians().sin_cos();
                let [mx, my] = self.shapes[part].middle;
                placements.push(Placement {
                    part,
                    sheet,
                    rotation: degrees,
                    x: f64::from(pose.x as f32) - (mx * cos - my * sin),
                    y: f64::from(pose.y as f32) - (mx * sin + my * cos),
                });
            }
        }
        placements.sort_by(|a, b| (a.sheet, a.part).cmp(&(b.sheet, b.part)).then(a.x.total_cmp(&b.x)));
        let used = self.sheets.len();
        // The parts' own extent, without the gap round them.
        let last = placements
            .iter()
            .filter(|p| p.sheet + 1 == used)
            .flat_map(|p| p.outline(&self.job.parts[p.part]))
            .map(|p| p[0])
            .fold(0.0, f64::max);
        let face: f64 = placements.iter().map(|p| self.shapes[p.part].area).sum();
        let room = (used.saturating_sub(1) as f64 * self.job.width + last) * self.job.height;
        let mut unplaced: Vec<usize> = self.unplaced.iter().map(|i| self.items[*i]).collect();
        unplaced.sort_unstable();
        Nest {
            placements,
            unplaced,
            sheets_used: used,
            last_sheet_length: last,
            density: if room > 0.0 { face / room } else { 0.0 },
        }
    }
}

/// What a shape overlaps on a sheet, and by how much it counts, until `most` is passed: the sum, or what it had come to by then.
fn hit(sheet: &Sheet, item: usize, shape: &SPolygon, most: f32, mut counts: impl FnMut(usize, f32) -> f32) -> f32 {
    let mut collector = BasicHazardCollector::<What>::new();
    let mut sum = 0.0;
    let _ = sheet.engine.collect_poly_collisions_until(shape, &Own(item), &mut collector, |what| {
        if let What::Item(other) = what
            && let Some(there) = &sheet.shapes[other]
        {
            sum += counts(other, depth(shape, there));
        }
        sum > most
    });
    sum
}

/// Everything but the item itself.
struct Own(usize);

impl jagua_rs::collision_detection::hazards::filter::HazardFilter<What> for Own {
    fn is_irrelevant(&self, _: jagua_rs::collision_detection::hazards::HazKey, entity: &What) -> bool {
        *entity == What::Item(self.0)
    }
}

/// How deep two shapes go into each other, by the circles that lie in them: it falls as they are drawn apart, and never to 0
/// while they touch.
fn depth(a: &SPolygon, b: &SPolygon) -> f32 {
    let near = a.diameter().min(b.diameter()) * 0.01;
    let mut sum = 0.0;
    for p in &a.surrogate().poles {
        for q in &b.surrogate().poles {
            let (dx, dy) = (p.center.0 - q.center.0, p.center.1 - q.center.1);
            let into = p.radius + q.radius - (dx * dx + dy * dy).sqrt();
            let counted = if into >= near { into } else { near * near / (2.0 * near - into) };
            sum += counted * p.radius.min(q.radius);
        }
    }
    // Awkward shapes are harder to move.
    let hull = (a.surrogate().convex_hull_area * b.surrogate().convex_hull_area).sqrt().sqrt();
    (sum.sqrt() * hull.sqrt()).max(1e-6)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::geometry::{distance_to_segment, edges};

    fn part(outline: &[Point], turn: Turn, count: u32) -> Part {
        Part { outline: outline.to_vec(), turn, count }
    }

    fn rectangle(w: f64, h: f64) -> Vec<Point> {
        vec![[0.0, 0.0], [w, 0.0], [w, h], [0.0, h]]
    }

    fn job(parts: Vec<Part>) -> Job {
        Job { width: 2_440.0, height: 1_220.0, sheets: 3, parts, gap: GAP, seed: 7 }
    }

    fn inside(outline: &[Point], p: Point) -> bool {
        edges(outline)
            .filter(|(a, b)| {
                (a[1] > p[1]) != (b[1] > p[1]) && p[0] < a[0] + (p[1] - a[1]) / (b[1] - a[1]) * (b[0] - a[0])
            })
            .count()
            % 2
            == 1
    }

    /// Recomputed from the outlines themselves: on the sheet, the gap kept, turned only as allowed, every part once.
    fn assert_right(job: &Job, nest: &Nest) {
        let laid: Vec<(usize, Vec<Point>)> =
            nest.placements.iter().map(|p| (p.sheet, p.outline(&job.parts[p.part]))).collect();
        for (i, (sheet, a)) in laid.iter().enumerate() {
            let ((x0, x1), (y0, y1)) = extent(a, 0).zip(extent(a, 1)).unwrap();
            let half = job.gap / 2.0 - 1e-3;
            assert!(
                x0 >= half && y0 >= half && x1 <= job.width - half && y1 <= job.height - half,
                "off the sheet: {x0} {y0} {x1} {y1}"
            );
            if *sheet + 1 == nest.sheets_used {
                assert!(x1 <= nest.last_sheet_length);
            }
            for (_, b) in laid[i + 1..].iter().filter(|(s, _)| s == sheet) {
                assert!(!inside(a, b[0]) && !inside(b, a[0]), "one lies in the other");
                let apart = a
                    .iter()
                    .flat_map(|p| edges(b).map(move |(c, d)| distance_to_segment(*p, c, d)))
                    .chain(b.iter().flat_map(|p| edges(a).map(move |(c, d)| distance_to_segment(*p, c, d))))
                    .fold(f64::INFINITY, f64::min);
                assert!(apart >= job.gap - 1e-3, "{apart} apart");
            }
        }
        for (i, p) in job.parts.iter().enumerate() {
            let count = nest.placements.iter().filter(|x| x.part == i).count()
                + nest.unplaced.iter().filter(|x| **x == i).count();
            assert_eq!(count, p.count as usize);
            for placed in nest.placements.iter().filter(|x| x.part == i) {
                match p.turn {
                    Turn::None => assert_eq!(placed.rotation, 0.0),
                    Turn::Quarter => assert!([0.0, 90.0, 180.0, 270.0].contains(&placed.rotation)),
                    Turn::Any => {}
                }
            }
        }
    }

    #[test]
    fn a_part_that_no_sheet_takes_by_itself_is_told_apart_from_one_that_found_no_room() {
        let strip = |long: f64, wide: f64, turn| Part {
            outline: vec![[0.0, 0.0], [long, 0.0], [long, wide], [0.0, wide]],
            turn,
            count: 1,
        };
        let job = Job { width: 2_440.0, height: 1_220.0, sheets: 1, parts: Vec::new(), gap: 6.0, seed: 1 };
        let goes = |long, wide, turn| goes_on_a_sheet(&job, &strip(long, wide, turn));
        assert!(goes(2_434.0, 1_214.0, Turn::None) && !goes(2_435.0, 1_214.0, Turn::Any));
        // On end it goes where a quarter turn is allowed, and not where the face grain matters.
        assert!(goes(1_000.0, 2_000.0, Turn::Quarter) && !goes(1_000.0, 2_000.0, Turn::None));
        // The diagonal of the sheet is 2,721 mm: a narrow strip longer than the sheet lies across it.
        assert!(
            goes(2_600.0, 40.0, Turn::Any) && !goes(2_600.0, 40.0, Turn::Quarter) && !goes(2_760.0, 40.0, Turn::Any)
        );
        let long = Job { parts: vec![strip(3_000.0, 100.0, Turn::Any)], ..job.clone() };
        assert_eq!(nest(&long, 1_000, &mut |_| Some(0.0)).unwrap().unplaced, [0]);
    }

    #[test]
    fn a_knee_lies_in_the_hollow_of_a_frame() {
        let frame = [[0.0, 0.0], [1_000.0, 0.0], [1_000.0, 120.0], [120.0, 120.0], [120.0, 900.0], [0.0, 900.0]];
        let job = Job {
            width: 1_030.0,
            height: 930.0,
            sheets: 1,
            ..job(vec![part(&frame, Turn::None, 1), part(&rectangle(600.0, 500.0), Turn::Quarter, 1)])
        };
        let found = nest(&job, 20_000, &mut |_| Some(0.0)).unwrap();
        assert!(found.unplaced.is_empty());
        assert_right(&job, &found);
    }

    #[test]
    fn what_is_bound_to_the_face_grain_is_not_turned_and_may_stay_over() {
        let long = part(&rectangle(2_000.0, 300.0), Turn::None, 1);
        let narrow = Job { width: 1_220.0, height: 2_440.0, sheets: 1, ..job(vec![long.clone()]) };
        assert_eq!(nest(&narrow, 2_000, &mut |_| Some(0.0)).unwrap().unplaced, [0]);
        let free = Job { parts: vec![Part { turn: Turn::Quarter, ..long }], ..narrow };
        let found = nest(&free, 2_000, &mut |_| Some(0.0)).unwrap();
        assert_eq!((found.unplaced.len(), found.sheets_used), (0, 1));
        assert_right(&free, &found);
    }

    #[test]
    fn the_second_sheet_is_emptied_when_the_first_takes_all() {
        // 18 of 400 × 390 fill a sheet three high and six long but for little.
        let job = Job { sheets: 2, ..job(vec![part(&rectangle(396.0, 396.0), Turn::None, 15)]) };
        let found = nest(&job, 60_000, &mut |_| Some(0.0)).unwrap();
        assert_right(&job, &found);
        assert_eq!((found.sheets_used, found.unplaced.len()), (1, 0), "{}", found.last_sheet_length);
    }

    #[test]
    fn nonsense_is_refused_at_its_field_and_nothing_needs_no_sheet() {
        let bow = part(&[[0.0, 0.0], [100.0, 100.0], [100.0, 0.0], [0.0, 100.0]], Turn::Any, 1);
        assert_eq!(nest(&job(vec![bow]), 10, &mut |_| Some(0.0)).unwrap_err().field, "parts[0].outline");
        let flat = part(&[[0.0, 0.0], [100.0, 0.0], [200.0, 0.0]], Turn::Any, 1);
        assert_eq!(nest(&job(vec![flat]), 10, &mut |_| Some(0.0)).unwrap_err().field, "parts[0].outline");
        assert_eq!(nest(&Job { gap: -1.0, ..job(vec![]) }, 10, &mut |_| Some(0.0)).unwrap_err().field, "gap");
        let empty = nest(&job(vec![]), 10, &mut |_| Some(0.0)).unwrap();
        assert_eq!((empty.sheets_used, empty.placements.len(), empty.last_sheet_length), (0, 0, 0.0));
    }

    #[test]
    fn parts_upon_each_other_are_seen_from_both_sides_also_where_no_edges_cross() {
        let whole = rectangle(400.0, 300.0);
        let job = job(vec![part(&whole, Turn::None, 2), part(&rectangle(200.0, 50.0), Turn::None, 1)]);
        let shapes = shapes(&job).unwrap();
        let mut go_on = |_: Progress| Some(0.0);
        let mut search = Search {
            job: &job,
            shapes: &shapes,
            items: vec![0, 0, 1],
            random: Chance::seeded(1),
            sheets: Vec::new(),
            unplaced: Vec::new(),
            tried: 0,
            budget: 10,
            share: 0.0,
            stopped: false,
            go_on: &mut go_on,
            engine: engine_config(),
            buffers: shapes.iter().map(|s| (*s.body).clone()).collect(),
        };
        let pose = Pose { rotation: 0.0, x: 600.0, y: 400.0 };
        // One exactly upon its like, the small one within the large one, and the large one round it.
        for (lies, comes) in [(0, 1), (0, 2), (2, 0)] {
            search.sheets = vec![search.sheet()];
            search.put(0, lies, pose);
            assert!(!search.lies_free(0, comes, pose), "{comes} upon {lies}");
            search.put(0, comes, pose);
            let pairs: Vec<(usize, usize)> = search.overlaps(0).iter().map(|(a, b, _)| (*a, *b)).collect();
            assert_eq!(pairs, [(lies.min(comes), lies.max(comes))]);
        }
    }

    #[test]
    fn a_search_that_is_stopped_at_once_still_gives_a_right_nest() {
        let job = job(vec![part(&rectangle(700.0, 500.0), Turn::Any, 9)]);
        let found = nest(&job, 1_000_000, &mut |_| None).unwrap();
        assert_right(&job, &found);
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(12))]

        #[test]
        fn every_nest_is_right(
            parts in proptest::collection::vec((80.0..700.0f64, 60.0..500.0f64, 0.15..0.85f64, 0u8..3, 1u32..4), 1..6),
            gap in 0.0..14.0f64, seed: u64,
        ) {
            let parts = parts.into_iter().map(|(w, h, notch, turn, count)| {
                // A rectangle with a corner let out, anywhere but at its origin.
                let outline: Vec<Point> = [[0.0, 0.0], [w, 0.0], [w, h * notch], [w * notch, h * notch], [w * notch, h], [0.0, h]]
                    .map(|p| [p[0] + 350.0, p[1] - 120.0]).to_vec();
                Part { outline, turn: Turn::ALL[turn as usize], count }
            }).collect();
            let job = Job { gap, seed, ..job(parts) };
            let found = nest(&job, 4_000, &mut |_| Some(0.0)).unwrap();
            assert_right(&job, &found);
            prop_assert_eq!(&found, &nest(&job, 4_000, &mut |_| Some(0.0)).unwrap(), "the same seed gives the same nest");
        }
    }
}
