//! A laid deck in plan: rows of planks beside the king plank, ends at the covering boards, joints on beams, seams, and
//! what it takes to screw or glue it down (handbook 10).

use serde::{Deserialize, Serialize};

use super::{BAG, BALLAST, ballast};
use crate::choice::choices;
use crate::error::{self, InputError};
use crate::grid::{Joint, Side};
use crate::repair::butts::{Rule, conflict};

choices! {
    /// How planks run.
    Way {
        Straight = "straight", "straight, beside the king plank";
        Swept = "swept", "swept, along the side";
    }
}

choices! {
    /// What holds them.
    Held {
        Screwed = "screwed", "screwed and plugged";
        Glued = "glued", "glued, with no screw left in it";
    }
}

/// A deck to be laid. Lengths in mm; x aft along the middle line, y the half breadth.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Job {
    /// The port half, from forward aft. A half breadth of 0 at an end is a point; any other a transom.
    pub outline: Vec<[f64; 2]>,
    /// Width of the king plank, over both sides.
    pub king: f64,
    /// Width of the covering board, square to the edge; a transom has a margin as wide.
    pub cover: f64,
    pub plank: f64,
    pub seam: f64,
    pub way: Way,
    /// Places of the beams, rising.
    pub beams: Vec<f64>,
    /// Longest plank there is.
    pub longest: f64,
    /// Least distances between joints, in beam spaces.
    pub rule: Rule,
    pub held: Held,
}

/// A plank, from one end to the other along the middle line.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Plank {
    pub side: Side,
    /// 0 beside the king plank.
    pub row: usize,
    pub from: f64,
    pub to: f64,
}

/// A deck as it is laid.
#[derive(Debug, Clone, PartialEq)]
pub struct Plan {
    /// On each side.
    pub rows: usize,
    pub planks: Vec<Plank>,
    /// Side, row, and index of the beam.
    pub joints: Vec<(Side, usize, usize)>,
    /// Indices of planks whose tapered end would be longer than twice their width: they are let in square.
    pub nibbed: Vec<usize>,
    pub seam_metres: f64,
    /// Screws, and plugs over them.
    pub screws: u32,
    /// kg of adhesive, and bags of ballast.
    pub glue: Option<(f64, u32)>,
}

/// kg of adhesive a square metre.
pub const GLUE: f64 = 1.2;
/// Rows, beams and points of an outline taken.
const MOST: (usize, usize, usize) = (200, 300, 500);
/// Places a curve is looked at.
const SAMPLES: usize = 1_500;
/// Ways to set joints gone through.
const BUDGET: u32 = 300_000;

/// The deck's edge: the side, and a transom at an end that is not a point.
struct Edge {
    parts: Vec<[[f64; 2]; 2]>,
    from: f64,
    to: f64,
}

impl Edge {
    fn new(outline: &[[f64; 2]]) -> Self {
        let mut parts: Vec<[[f64; 2]; 2]> = outline.windows(2).map(|w| [w[0], w[1]]).collect();
        for end in [outline[0], outline[outline.len() - 1]] {
            if end[1] > 0.0 {
                parts.push([end, [end[0], 0.0]]);
            }
        }
        Self { parts, from: outline[0][0], to: outline[outline.len() - 1][0] }
    }

    /// Half breadth at a place.
    fn breadth(&self, x: f64) -> f64 {
        let along = self.parts.iter().filter(|[a, b]| a[0] <= x && x <= b[0] && b[0] > a[0]);
        let at = |[a, b]: &[[f64; 2]; 2]| a[1] + (b[1] - a[1]) * (x - a[0]) / (b[0] - a[0]);
        along.map(at).fold(0.0, f64::max)
    }

    /// How far inside the edge a point lies; negative outside.
    fn inside(&self, x: f64, y: f64) -> f64 {
        let to = |[a, b]: &[[f64; 2]; 2]| {
            let (dx, dy) = (b[0] - a[0], b[1] - a[1]);
            let t = (((x - a[0]) * dx + (y - a[1]) * dy) / (dx * dx + dy * dy).max(1e-12)).clamp(0.0, 1.0);
            (x - a[0] - t * dx).hypot(y - a[1] - t * dy)
        };
        let far = self.parts.iter().map(to).fold(f64::INFINITY, f64::min);
        if x < self.from || x > self.to || y > self.breadth(x) { -far } else { far }
    }

    /// The stretch of a line at half breadth `y` that lies `deep` inside the edge; the longest where there are several.
    fn stretch(&self, y: f64, deep: f64) -> Option<(f64, f64)> {
        let at = |i: usize| self.from + (self.to - self.from) * i as f64 / SAMPLES as f64;
        let holds = |x: f64| self.inside(x, y) >= deep - 1e-9;
        let mut best: Option<(usize, usize)> = None;
        let mut begun = None;
        for i in 0..=SAMPLES + 1 {
            match (i <= SAMPLES && holds(at(i)), begun) {
                (true, None) => begun = Some(i),
                (false, Some(from)) => {
                    if best.is_none_or(|(a, b)| i - 1 - from > b - a) {
                        best = Some((from, i - 1));
                    }
                    begun = None;
                }
                _ => {}
            }
        }
        let (from, to) = best?;
        let narrow = |mut holding: f64, mut not: f64| {
            for _ in 0..60 {
                let middle = (holding + not) / 2.0;
                if holds(middle) { holding = middle } else { not = middle }
            }
            holding
        };
        let from = if from == 0 { at(0) } else { narrow(at(from), at(from - 1)) };
        let to = if to == SAMPLES { at(SAMPLES) } else { narrow(at(to), at(to + 1)) };
        (to > from).then_some((from, to))
    }

    /// Greatest half breadth that lies `deep` inside the edge at a place of the stretch along the middle line.
    fn reach(&self, x: f64, deep: f64) -> f64 {
        let (mut low, mut high) = (0.0, self.breadth(x));
        for _ in 0..50 {
            let middle = (low + high) / 2.0;
            if self.inside(x, middle) >= deep - 1e-6 { low = middle } else { high = middle }
        }
        low
    }

    /// Length of the line `deep` inside the edge from `from` to `to`, and the area between it and the middle line.
    fn line(&self, deep: f64, from: f64, to: f64) -> (f64, f64) {
        let at = |i: usize| {
            let x = from + (to - from) * i as f64 / SAMPLES as f64;
            [x, self.reach(x, deep)]
        };
        let mut last = at(0);
        let (mut length, mut area) = (0.0, 0.0);
        for i in 1..=SAMPLES {
            let next = at(i);
            length += (next[0] - last[0]).hypot(next[1] - last[1]);
            area += (next[0] - last[0]) * (next[1] + last[1]) / 2.0;
            last = next;
        }
        (length, area)
    }
}

impl Job {
    fn check(&self) -> Result<(), InputError> {
        let points = &self.outline;
        if points.len() < 2 || points.len() > MOST.2 {
            return Err(InputError::new("outline", format!("needs 2 to {} points", MOST.2)));
        }
        for (i, [x, y]) in points.iter().enumerate() {
            if !x.is_finite() || !y.is_finite() || *y < 0.0 || *y > error::LENGTH_LIMIT_MM {
                return Err(InputError::new(format!("outline[{i}]"), "must be a place aft and a half breadth"));
            }
            if i > 0 && *x <= points[i - 1][0] {
                return Err(InputError::new(format!("outline[{i}]"), "must lie farther aft than the one before"));
            }
        }
        for (field, value) in
            [("king", self.king), ("cover", self.cover), ("plank", self.plank), ("longest", self.longest)]
        {
            error::length(field, value)?;
        }
        error::within("seam", self.seam, 0.0, 100.0)?;
        if self.beams.is_empty() || self.beams.len() > MOST.1 {
            return Err(InputError::new("beams", format!("needs 1 to {} beams", MOST.1)));
        }
        for (i, x) in self.beams.iter().enumerate() {
            if !x.is_finite() || (i > 0 && *x <= self.beams[i - 1]) {
                return Err(InputError::new(format!("beams[{i}]"), "must lie farther aft than the one before"));
            }
        }
        Ok(())
    }
}

/// A row: from where to where, the same of its other edge, and the length of the seam inside it.
struct Row {
    from: f64,
    to: f64,
    /// Where its tapered ends begin; `None` where it is taper all through.
    full: Option<(f64, f64)>,
    seam: f64,
}

fn rows(job: &Job, edge: &Edge) -> Result<Vec<Row>, InputError> {
    let pitch = job.plank + job.seam;
    let mut rows = Vec::new();
    for n in 0..=MOST.0 {
        let over = n as f64 * pitch;
        // The edge it is as long as, and the other one: half breadth and depth inside the deck's edge.
        let (long, short) = match job.way {
            Way::Straight => {
                let (y, deep) = (job.king / 2.0 + job.seam + over, job.cover + job.seam);
                ((y, deep), (y + job.plank, deep))
            }
            Way::Swept => {
                let (y, deep) = (job.king / 2.0 + job.seam, job.cover + job.seam + over);
                ((y, deep), (y, deep + job.plank))
            }
        };
        let Some((from, to)) = edge.stretch(long.0, long.1) else { break };
        let seam = match job.way {
            Way::Straight => to - from,
            Way::Swept => edge.line(long.1, from, to).0,
        };
        rows.push(Row { from, to, full: edge.stretch(short.0, short.1), seam });
    }
    if rows.is_empty() {
        return Err(InputError::new("plank", "no row of planks has room beside the king plank"));
    }
    if rows.len() > MOST.0 {
        return Err(InputError::new("plank", format!("takes more than {} rows on a side", MOST.0)));
    }
    // The first row lies beside the king plank, either way.
    if job.way == Way::Swept {
        rows.reverse();
    }
    Ok(rows)
}

/// Beams under the joints of each row, so that no plank is too long and no two joints too near.
struct Joints<'j> {
    job: &'j Job,
    rows: &'j [Row],
    set: Vec<Vec<usize>>,
    left: u32,
}

impl Joints<'_> {
    fn fits(&self, row: usize, beam: usize) -> bool {
        let joint = |row: usize, beam: usize| Joint { side: Side::Port, strake: row as u32 + 1, bay: beam as u32 + 1 };
        let first = row.saturating_sub(self.job.rule.same_bay_between as usize + 2);
        let own = self.set.get(row).and_then(|own| own.last());
        own.is_none_or(|last| beam - last >= self.job.rule.min_piece.max(1) as usize)
            && self.set[first..row.min(self.set.len())].iter().enumerate().all(|(n, beams)| {
                beams.iter().all(|b| conflict(&self.job.rule, joint(first + n, *b), joint(row, beam)).is_none())
            })
    }

    /// Goes on in a row from a place: the farthest beam first.
    fn on(&mut self, row: usize, from: f64) -> bool {
        let Some(here) = self.rows.get(row) else { return true };
        if self.left == 0 {
            return false;
        }
        self.left -= 1;
        crate::patience::look();
        let longest = self.job.longest;
        if here.to - from <= longest + 1e-9 {
            let next = self.rows.get(row + 1).map_or(0.0, |r| r.from);
            self.set.push(Vec::new());
            if self.on(row + 1, next) {
                return true;
            }
            self.set.pop();
            // A joint more may leave the rows after it room, as far as the budget goes.
        }
        let beams = &self.job.beams;
        let reach = (0..beams.len()).rev().filter(|b| beams[*b] > from + 1e-9 && beams[*b] < here.to - 1e-9);
        for beam in reach.filter(|b| beams[*b] - from <= longest + 1e-9).collect::<Vec<_>>() {
            if !self.fits(row, beam) {
                continue;
            }
            self.set[row].push(beam);
            if self.on(row, beams[beam]) {
                return true;
            }
            self.set[row].pop();
        }
        false
    }
}

/// Lays a deck. Errors name the field; `longest` where no joints keep the rule.
///
/// Where planks are glued the adhesive and the ballast are for all that lies inside the covering boards' seams, the king
/// plank with it. Source: handbook 10; contract `deck-plan`.
pub fn plan(job: &Job) -> Result<Plan, InputError> {
    job.check()?;
    let edge = Edge::new(&job.outline);
    let rows = rows(job, &edge)?;
    let mut joints = Joints { job, rows: &rows, set: vec![Vec::new()], left: BUDGET };
    if !joints.on(0, rows[0].from) {
        return Err(InputError::new(
            "longest",
            "no joints on these beams keep planks short enough and joints far enough apart",
        ));
    }
    let set = joints.set;
    let (mut planks, mut nibbed, mut told) = (Vec::new(), Vec::new(), Vec::new());
    for side in Side::BOTH {
        for (n, row) in rows.iter().enumerate() {
            let cuts: Vec<f64> = set[n].iter().map(|b| job.beams[*b]).collect();
            told.extend(set[n].iter().map(|b| (side, n, *b)));
            let ends: Vec<f64> = [row.from].into_iter().chain(cuts).chain([row.to]).collect();
            for pair in ends.windows(2) {
                let taper = match row.full {
                    None => f64::INFINITY,
                    Some((from, to)) => {
                        let first = if pair[0] == row.from { from - row.from } else { 0.0 };
                        let last = if pair[1] == row.to { row.to - to } else { 0.0 };
                        first.max(last)
                    }
                };
                if taper > 2.0 * job.plank {
                    nibbed.push(planks.len());
                }
                planks.push(Plank { side, row: n, from: pair[0], to: pair[1] });
            }
        }
    }
    let Some((from, to)) = edge.stretch(0.0, job.cover) else {
        return Err(InputError::new("cover", "leaves nothing between the covering boards"));
    };
    let (board, _) = edge.line(job.cover, from, to);
    // Across a transom the covering boards' seam goes on to the middle line.
    let across = |x: f64, y: f64| if y > 0.0 { edge.reach(x, job.cover) } else { 0.0 };
    let ends = [job.outline[0], job.outline[job.outline.len() - 1]];
    let board = board + across(from, ends[0][1]) + across(to, ends[1][1]);
    let between: f64 = match job.way {
        Way::Straight => rows.iter().map(|r| r.seam).sum(),
        // The outermost row's outer seam is the covering board's; the king's seam is as long as that row.
        Way::Swept => {
            let outer = rows.last().map_or(0.0, |r| r.to - r.from);
            rows[..rows.len() - 1].iter().map(|r| r.seam).sum::<f64>() + outer
        }
    };
    let seam_metres = 2.0 * (between + board) / 1000.0 + told.len() as f64 * job.plank / 1000.0;
    let crossed = |p: &Plank| job.beams.iter().filter(|b| p.from - 1e-9 <= **b && **b <= p.to + 1e-9).count();
    let (screws, glue) = match job.held {
        Held::Screwed => (2 * planks.iter().map(crossed).sum::<usize>(), None),
        Held::Glued => {
            let deep = job.cover + job.seam;
            let area = edge.stretch(0.0, deep).map_or(0.0, |(a, b)| 2.0 * edge.line(deep, a, b).1 / 1e6);
            (0, Some((GLUE * area, ballast(area, BALLAST, BAG)?.bags)))
        }
    };
    let screws = u32::try_from(screws).unwrap_or(u32::MAX);
    Ok(Plan { rows: rows.len(), planks, joints: told, nibbed, seam_metres, screws, glue })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::repair::butts::{WIDE, check};

    /// A box 6 m long and 2 m wide with beams every half metre.
    fn boxed(way: Way) -> Job {
        Job {
            outline: vec![[0.0, 1_000.0], [6_000.0, 1_000.0]],
            king: 100.0,
            cover: 100.0,
            plank: 45.0,
            seam: 5.0,
            way,
            beams: (0..=12).map(|n| 500.0 * f64::from(n)).collect(),
            longest: 4_000.0,
            rule: WIDE,
            held: Held::Screwed,
        }
    }

    /// A pointed bow and a transom.
    fn pointed(way: Way) -> Job {
        let outline = (0..=20).map(|n| {
            let t = f64::from(n) / 20.0;
            [8_000.0 * t, 1_300.0 * (std::f64::consts::PI * t * 0.6).sin()]
        });
        Job { outline: outline.collect(), beams: (1..20).map(|n| 400.0 * f64::from(n)).collect(), ..boxed(way) }
    }

    fn breaks(job: &Job, plan: &Plan) -> Vec<String> {
        let mut wrong = Vec::new();
        for p in &plan.planks {
            if p.to - p.from > job.longest + 1e-6 {
                wrong.push(format!("{p:?} is too long"));
            }
        }
        for side in Side::BOTH {
            for row in 0..plan.rows {
                let own: Vec<&Plank> = plan.planks.iter().filter(|p| p.side == side && p.row == row).collect();
                if own.is_empty() || own.windows(2).any(|w| w[0].to != w[1].from) {
                    wrong.push(format!("row {row} is not laid end to end"));
                }
                let joints = plan.joints.iter().filter(|j| j.0 == side && j.1 == row).count();
                if joints + 1 != own.len() {
                    wrong.push(format!("row {row} has {joints} joints and {} planks", own.len()));
                }
            }
        }
        let joints: Vec<Joint> = plan
            .joints
            .iter()
            .map(|(side, row, beam)| Joint { side: *side, strake: *row as u32 + 1, bay: *beam as u32 + 1 })
            .collect();
        wrong.extend(check(&job.rule, &joints).iter().map(|v| format!("{v:?}")));
        wrong
    }

    #[test]
    fn a_box_is_laid_with_rows_and_seams_that_can_be_counted_by_hand() {
        let job = boxed(Way::Straight);
        let plan = plan(&job).unwrap();
        // From 55 mm out every 50 mm, while the inner edge lies inside 895 mm: 17 rows, the last 855 … 900 all taper.
        assert_eq!(plan.rows, 17);
        assert_eq!(breaks(&job, &plan), [] as [String; 0]);
        // Every row 105 mm short at both transoms: 5.79 m; the covering boards' inner edge 5.8 + 2 · 0.9 m a side.
        let butts = plan.joints.len() as f64 * 0.045;
        assert!((plan.seam_metres - (2.0 * (17.0 * 5.79 + 5.8 + 1.8) + butts)).abs() < 0.01, "{}", plan.seam_metres);
        // Eleven beams lie under a row; one under a joint counts for both planks.
        assert_eq!(plan.screws as usize, 2 * (2 * 17 * 11 + plan.joints.len()));
        assert!(plan.nibbed.iter().all(|n| plan.planks[*n].row == 16), "only the last is taper: {:?}", plan.nibbed);
    }

    #[test]
    fn a_glued_deck_has_no_screw_and_is_weighed_down_by_bags() {
        let job = Job { held: Held::Glued, ..boxed(Way::Straight) };
        let plan = plan(&job).unwrap();
        // 5.79 m by 1.79 m: 10.36 m², 12.4 kg, 829 kg in 34 bags.
        let (kg, bags) = plan.glue.unwrap();
        assert!((kg - 1.2 * 5.79 * 1.79).abs() < 0.01 && bags == 34 && plan.screws == 0, "{kg} {bags}");
    }

    #[test]
    fn planks_that_run_out_at_a_fine_angle_are_nibbed_and_swept_ones_at_the_king() {
        let straight = plan(&pointed(Way::Straight)).unwrap();
        assert!(!straight.nibbed.is_empty());
        let job = pointed(Way::Swept);
        let swept = plan(&job).unwrap();
        assert_eq!(breaks(&job, &swept), [] as [String; 0]);
        let length = |row| {
            swept.planks.iter().filter(|p| p.side == Side::Port && p.row == row).map(|p| p.to - p.from).sum::<f64>()
        };
        assert!(length(0) < length(swept.rows - 1), "the row beside the king plank is the shortest");
    }

    #[test]
    fn what_cannot_be_laid_is_told_at_its_field() {
        let field = |job: Job| plan(&job).unwrap_err().field;
        let good = boxed(Way::Straight);
        assert_eq!(field(Job { outline: vec![[0.0, 1.0]], ..good.clone() }), "outline");
        assert_eq!(field(Job { outline: vec![[0.0, 1_000.0], [0.0, 900.0]], ..good.clone() }), "outline[1]");
        assert_eq!(field(Job { beams: vec![500.0, 400.0], ..good.clone() }), "beams[1]");
        assert_eq!(field(Job { king: 1_900.0, ..good.clone() }), "plank");
        assert_eq!(field(Job { longest: 700.0, ..good.clone() }), "longest");
        assert_eq!(field(Job { plank: 2.0, seam: 0.0, ..good }), "plank");
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(12))]
        #[test]
        fn every_deck_is_laid_end_to_end_without_a_joint_too_near(half in 500.0..2_000.0f64, longest in 3_800.0..6_000.0f64, swept in any::<bool>()) {
            let way = if swept { Way::Swept } else { Way::Straight };
            let shape = pointed(way);
            let outline = shape.outline.iter().map(|[x, y]| [*x, y / 1_300.0 * half]).collect();
            let job = Job { outline, longest, ..shape };
            if let Ok(plan) = plan(&job) {
                prop_assert_eq!(breaks(&job, &plan), [] as [String; 0]);
            }
        }
    }
}
