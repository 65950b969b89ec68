//! Several planks decided together: where each new length begins and ends, so that no two new joints, and no new and old
//! one, come too close, with the least new wood.
//!
//! For each plank every pair of ends that takes in its damage is a choice; the choices of all planks are searched together,
//! best first, with a bound, so that the layout found is proven best unless the work was cut short.

use crate::error::InputError;
use crate::grid::{Joint, Side};
use crate::repair::butts::{Rule, Violation, check, conflict};

/// A plank with damage that is to be cut out. Bays are counted as joints are: 0 is the stem, the last frame the stern.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Strip {
    pub side: Side,
    pub strake: u32,
    /// Bays of its own ends; `None` where it ends with the boat.
    pub from_bay: Option<u32>,
    pub to_bay: Option<u32>,
    /// First and last bay that must be new wood: a joint may lie at or forward of the first, at or aft of the last.
    pub cut: (u32, u32),
    /// Longest stock, frame spaces.
    pub longest: u32,
}

/// New wood in a strip, from bay to bay; `None` at an end it already had.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stretch {
    pub fore: Option<u32>,
    pub aft: Option<u32>,
    /// Joints inside the new wood, where stock is shorter than the stretch.
    pub between: Vec<u32>,
    /// Frame spaces of new wood.
    pub spaces: u32,
}

impl Stretch {
    /// Its new joints on a strake.
    pub fn joints(&self, strip: &Strip) -> Vec<Joint> {
        let at = |bay: &u32| Joint { side: strip.side, strake: strip.strake, bay: *bay };
        self.fore.iter().chain(&self.between).chain(&self.aft).map(at).collect()
    }
}

/// A layout for all strips.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Layout {
    /// One for each strip, in their order.
    pub stretches: Vec<Stretch>,
    /// Pairs too close that no layout avoids, among the fixed joints and the new ones, as texts of what is wrong.
    pub broken: usize,
    /// Frame spaces of new wood altogether.
    pub spaces: u32,
    /// Nothing better exists.
    pub proven: bool,
}

/// Most planks laid out together.
pub const MOST: usize = 24;
/// Choices gone through before the work is cut short.
const BUDGET: usize = 400_000;
/// Choices kept of each plank: those that break least and are shortest.
const CHOICES: usize = 160;
/// What a new joint counts, frame spaces of new wood (*yard rule*).
const JOINT_COUNTS: u32 = 2;

/// Cost of a choice: rules broken first, then wood and joints.
type Cost = (usize, u32);

struct Choice {
    stretch: Stretch,
    joints: Vec<Joint>,
    cost: Cost,
}

/// Lays out the new joints of several planks together: fewest rules broken, then least new wood, a joint counting as two
/// frame spaces. `last` is the bay of the stern, `fixed` every joint that stays (the strips' own ends among them).
///
/// Errors name `strips` or `strips[i]…`. Source: handbook 04, rules *yard rule*.
pub fn plan(rule: &Rule, last: u32, fixed: &[Joint], strips: &[Strip]) -> Result<Layout, InputError> {
    if strips.is_empty() || strips.len() > MOST {
        return Err(InputError::new("strips", format!("needs 1 to {MOST} planks, got {}", strips.len())));
    }
    for (i, strip) in strips.iter().enumerate() {
        let (first, end) = (strip.from_bay.unwrap_or(0), strip.to_bay.unwrap_or(last));
        let (from, to) = strip.cut;
        if first >= end || end > last || from > to || from < first || to > end {
            return Err(InputError::new(format!("strips[{i}].cut"), "must lie between the plank's own ends"));
        }
        if strip.longest == 0 {
            return Err(InputError::new(format!("strips[{i}].longest"), "must be greater than 0"));
        }
    }
    let mut all: Vec<Vec<Choice>> = strips.iter().map(|strip| choices(rule, last, fixed, strip)).collect();
    // Planks with few ways first: a bad start shows early.
    let mut order: Vec<usize> = (0..strips.len()).collect();
    order.sort_by_key(|i| (strips[*i].side, strips[*i].strake));
    let mut search = Search {
        rule,
        all: &mut all,
        order: &order,
        taken: Vec::new(),
        best: None,
        tried: 0,
        rest: vec![(0, 0); order.len() + 1],
    };
    for depth in (0..order.len()).rev() {
        let least = search.all[order[depth]].iter().map(|c| c.cost).min().unwrap_or((0, 0));
        let after = search.rest[depth + 1];
        search.rest[depth] = (least.0 + after.0, least.1 + after.1);
    }
    search.go(0, (0, 0));
    let tried = search.tried;
    let Some((cost, picked)) = search.best else {
        return Err(InputError::new("strips", "no layout was found in the time there was"));
    };
    let mut stretches: Vec<Option<Stretch>> = vec![None; strips.len()];
    for (depth, choice) in picked.into_iter().enumerate() {
        let strip = order[depth];
        stretches[strip] = Some(all[strip][choice].stretch.clone());
    }
    let stretches: Vec<Stretch> = stretches.into_iter().flatten().collect();
    Ok(Layout { spaces: stretches.iter().map(|s| s.spaces).sum(), stretches, broken: cost.0, proven: tried < BUDGET })
}

/// Pairs of joints that are too close once a layout is carried out, as indices into the joints returned with them.
pub fn joints_after(rule: &Rule, fixed: &[Joint], new: &[Joint]) -> (Vec<Joint>, Vec<Violation>) {
    let joints: Vec<Joint> = fixed.iter().chain(new).copied().collect();
    let pairs = check(rule, &joints).into_iter().filter(|v| v.a >= fixed.len() || v.b >= fixed.len()).collect();
    (joints, pairs)
}

/// The ways one strip's new wood may lie.
fn choices(rule: &Rule, last: u32, fixed: &[Joint], strip: &Strip) -> Vec<Choice> {
    let (first, end) = (strip.from_bay.unwrap_or(0), strip.to_bay.unwrap_or(last));
    let fores = (first + 1..end).filter(|bay| *bay <= strip.cut.0).map(Some).chain([None]);
    let mut found = Vec::new();
    for fore in fores {
        let afts = (first + 1..end).filter(|bay| *bay >= strip.cut.1 && Some(*bay) > fore).map(Some).chain([None]);
        for aft in afts {
            let (from, to) = (fore.unwrap_or(first), aft.unwrap_or(end));
            for between in divisions(from, to, strip.longest, rule.min_piece) {
                let stretch = Stretch { fore, aft, between, spaces: to - from };
                let joints = stretch.joints(strip);
                let ends: Vec<u32> = [first].into_iter().chain(joints.iter().map(|j| j.bay)).chain([end]).collect();
                let short = ends
                    .windows(2)
                    .filter(|w| w[1] > w[0] && w[1] - w[0] < rule.min_piece && w[1] - w[0] < end - first)
                    .count();
                let own = |j: &&Joint| {
                    j.side == strip.side
                        && j.strake == strip.strake
                        && (Some(j.bay) == strip.from_bay || Some(j.bay) == strip.to_bay)
                };
                let near: usize = joints
                    .iter()
                    .map(|joint| {
                        fixed
                            .iter()
                            .filter(|j| !own(j))
                            .filter(|other| conflict(rule, *joint, **other).is_some())
                            .count()
                    })
                    .sum();
                let cost = (short + near, stretch.spaces + JOINT_COUNTS * joints.len() as u32);
                found.push(Choice { stretch, joints, cost });
            }
        }
    }
    found.sort_by_key(|c| c.cost);
    found.truncate(CHOICES);
    found
}

/// Ways to divide new wood from one bay to another into lengths of stock: as even as can be, and shifted either way.
fn divisions(from: u32, to: u32, longest: u32, shortest: u32) -> Vec<Vec<u32>> {
    let pieces = (to - from).div_ceil(longest);
    if pieces <= 1 {
        return vec![Vec::new()];
    }
    let even: Vec<i64> =
        (1..pieces).map(|k| i64::from(from) + i64::from(to - from) * i64::from(k) / i64::from(pieces)).collect();
    let slack = i64::from(longest * pieces - (to - from));
    let fits = |joints: &[u32]| {
        let ends: Vec<u32> = [from].iter().chain(joints).chain([&to]).copied().collect();
        ends.windows(2).all(|w| w[1] > w[0] && w[1] - w[0] <= longest && w[1] - w[0] >= shortest.min(to - from))
    };
    let shifted = (-slack..=slack)
        .map(|shift| even.iter().map(|bay| (bay + shift).max(0) as u32).collect::<Vec<u32>>())
        .filter(|joints| fits(joints));
    let mut ways: Vec<Vec<u32>> = shifted.collect();
    if ways.is_empty() {
        ways.push(even.into_iter().map(|bay| bay as u32).collect());
    }
    ways
}

struct Search<'s> {
    rule: &'s Rule,
    all: &'s mut Vec<Vec<Choice>>,
    order: &'s [usize],
    /// Choice by depth.
    taken: Vec<usize>,
    best: Option<(Cost, Vec<usize>)>,
    tried: usize,
    /// Least cost of the strips from a depth on.
    rest: Vec<Cost>,
}

impl Search<'_> {
    fn go(&mut self, depth: usize, cost: Cost) {
        if depth == self.order.len() {
            if self.best.as_ref().is_none_or(|(best, _)| cost < *best) {
                self.best = Some((cost, self.taken.clone()));
            }
            return;
        }
        let strip = self.order[depth];
        let rest = self.rest[depth + 1];
        // What each choice costs here: its own and what it breaks against those taken.
        let mut costs: Vec<(Cost, usize)> = (0..self.all[strip].len())
            .map(|i| {
                let choice = &self.all[strip][i];
                let broken: usize = self
                    .taken
                    .iter()
                    .enumerate()
                    .flat_map(|(d, c)| &self.all[self.order[d]][*c].joints)
                    .map(|other| choice.joints.iter().filter(|j| conflict(self.rule, **j, *other).is_some()).count())
                    .sum();
                ((choice.cost.0 + broken, choice.cost.1), i)
            })
            .collect();
        costs.sort_unstable();
        for (own, i) in costs {
            let now = (cost.0 + own.0, cost.1 + own.1);
            let bound = (now.0 + rest.0, now.1 + rest.1);
            if self.best.as_ref().is_some_and(|(best, _)| bound >= *best) {
                // The rest of this list only costs more.
                return;
            }
            self.tried += 1;
            crate::patience::look();
            if self.tried >= BUDGET && self.best.is_some() {
                return;
            }
            self.taken.push(i);
            self.go(depth + 1, now);
            self.taken.pop();
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::repair::butts::WIDE;

    fn strip(strake: u32, cut: (u32, u32)) -> Strip {
        Strip { side: Side::Port, strake, from_bay: None, to_bay: None, cut, longest: 40 }
    }

    #[test]
    fn two_neighbouring_planks_shift_their_butts_without_being_told() {
        let layout = plan(&WIDE, 34, &[], &[strip(5, (11, 14)), strip(6, (12, 15))]).unwrap();
        assert_eq!((layout.broken, layout.proven), (0, true));
        let (five, six) = (&layout.stretches[0], &layout.stretches[1]);
        assert!(five.spaces >= 5 && six.spaces >= 5);
        let new: Vec<Joint> =
            five.joints(&strip(5, (11, 14))).into_iter().chain(six.joints(&strip(6, (12, 15)))).collect();
        assert!(joints_after(&WIDE, &[], &new).1.is_empty());
    }

    #[test]
    fn a_crowd_of_old_joints_pushes_the_new_ones_out_of_the_way() {
        let fixed: Vec<Joint> = [9, 17].into_iter().map(|bay| Joint { side: Side::Port, strake: 4, bay }).collect();
        let layout = plan(&WIDE, 34, &fixed, &[strip(5, (11, 14))]).unwrap();
        assert_eq!(layout.broken, 0);
        for joint in layout.stretches[0].joints(&strip(5, (11, 14))) {
            assert!(fixed.iter().all(|f| f.bay.abs_diff(joint.bay) >= 3));
        }
    }

    #[test]
    fn a_stretch_longer_than_the_stock_is_divided() {
        let long = Strip { longest: 12, ..strip(5, (5, 30)) };
        let layout = plan(&WIDE, 34, &[], &[long]).unwrap();
        assert!(!layout.stretches[0].between.is_empty());
        let bad = Strip { cut: (3, 2), ..strip(5, (5, 30)) };
        assert_eq!(plan(&WIDE, 34, &[], &[bad]).unwrap_err().field, "strips[0].cut");
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]

        /// Held against going through every layout of two planks.
        #[test]
        fn two_planks_are_laid_out_as_well_as_by_trying_everything(
            a in 4u32..14, b in 4u32..14, old in proptest::collection::vec((3u32..8, 2u32..18), 0..5),
        ) {
            let fixed: Vec<Joint> = old.into_iter().map(|(strake, bay)| Joint { side: Side::Port, strake, bay }).collect();
            let strips = [strip(5, (a, a + 2)), strip(6, (b, b + 3))];
            let layout = plan(&WIDE, 20, &fixed, &strips).unwrap();
            let ways: Vec<Vec<Choice>> = strips.iter().map(|s| choices(&WIDE, 20, &fixed, s)).collect();
            let mut best = (usize::MAX, u32::MAX);
            for x in &ways[0] {
                for y in &ways[1] {
                    let broken = x.joints.iter().flat_map(|j| y.joints.iter().map(move |k| (j, k)))
                        .filter(|(j, k)| conflict(&WIDE, **j, **k).is_some()).count();
                    best = best.min((x.cost.0 + y.cost.0 + broken, x.cost.1 + y.cost.1));
                }
            }
            let joints: u32 = layout.stretches.iter().zip(&strips).map(|(s, strip)| s.joints(strip).len() as u32).sum();
            prop_assert_eq!((layout.broken, layout.spaces + 2 * joints), best);
            for (stretch, strip) in layout.stretches.iter().zip(&strips) {
                prop_assert!(stretch.fore.is_none_or(|bay| bay <= strip.cut.0) && stretch.aft.is_none_or(|bay| bay >= strip.cut.1));
            }
        }
    }
}
