//! Laying out new butts: fewest joints that break no rule, then the shortest new plank as long as it can be.
//!
//! Runs of new planking that can touch each other's joints are solved together, the rest apart. Each joint has the set
//! of bays it may still lie in; choosing one strikes out what it forbids the others, over and over (arc consistency),
//! so that a layout is found or ruled out after few choices. How long the shortest plank can be is asked from the
//! top down: the first length that works is proven best.

use std::collections::BTreeSet;

use serde::{Deserialize, Serialize};

use super::{Rule, conflict};
use crate::error::InputError;
use crate::grid::{Joint, Side};

/// New planking on a strake from one bay to another. Its ends are joints already there, or the ends of the boat.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Run {
    pub side: Side,
    pub strake: u32,
    pub from: u32,
    pub to: u32,
    /// Frame spaces that the longest stock spans.
    pub longest: u32,
}

impl Run {
    fn length(&self) -> u32 {
        self.to - self.from
    }

    /// Fewest joints that stock of the longest length needs.
    fn fewest(&self) -> usize {
        self.length().div_ceil(self.longest) as usize - 1
    }

    /// Most joints that leave no piece shorter than the rule's.
    fn most(&self, rule: &Rule) -> usize {
        (self.length() / rule.min_piece.max(1)).saturating_sub(1) as usize
    }
}

/// A layout of new joints.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Layout {
    /// Sorted by side, strake and bay.
    pub joints: Vec<Joint>,
    /// Frame spaces of the shortest new plank; 0 when there is no run.
    pub shortest: u32,
    /// Nothing better exists. When the work was cut short it may: but no shortest plank longer than `bound`, at this
    /// number of joints or more.
    pub proven: bool,
    pub bound: u32,
}

/// What came of laying out joints.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Answer {
    Found(Layout),
    /// No layout keeps the rule. Taking any one of these fixed joints away might make one possible; empty when the
    /// runs cannot be divided whatever lies round them.
    Impossible {
        in_the_way: Vec<Joint>,
        why: String,
    },
}

/// Most bays taken.
pub const MOST_BAYS: u32 = 256;
/// Choices tried before the work is cut short: some seconds.
pub const BUDGET: u64 = 30_000;
/// Ways to number joints gone through to tell which fixed joints are in the way.
const WAYS_IN_THE_WAY: usize = 2_000;
/// Choices for a first layout of any kind, once the others ran out.
const LAST_TRY: u64 = 500;

/// A set of bays.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
struct Bays([u64; 4]);

impl Bays {
    fn insert(&mut self, bay: u32) {
        self.0[bay as usize / 64] |= 1 << (bay % 64);
    }

    fn remove(&mut self, bay: u32) {
        self.0[bay as usize / 64] &= !(1 << (bay % 64));
    }

    fn one(bay: u32) -> Self {
        let mut bays = Self::default();
        bays.insert(bay);
        bays
    }

    fn and(self, other: Self) -> Self {
        Self(std::array::from_fn(|i| self.0[i] & other.0[i]))
    }

    fn is_empty(self) -> bool {
        self.0 == [0; 4]
    }

    fn count(self) -> u32 {
        self.0.iter().map(|word| word.count_ones()).sum()
    }

    fn iter(self) -> impl Iterator<Item = u32> {
        (0..4u32).flat_map(move |word| {
            let mut left = self.0[word as usize];
            std::iter::from_fn(move || {
                (left != 0).then(|| {
                    let bit = left.trailing_zeros();
                    left &= left - 1;
                    word * 64 + bit
                })
            })
        })
    }
}

/// Checks a job. Errors name `bays`, `fixed[i]` or `runs[i]…`.
fn check(bays: u32, fixed: &[Joint], runs: &[Run]) -> Result<(), InputError> {
    if bays == 0 || bays > MOST_BAYS {
        return Err(InputError::new("bays", format!("must be between 1 and {MOST_BAYS}, was {bays}")));
    }
    for (i, run) in runs.iter().enumerate() {
        let fault = |field: &str, message: String| Err(InputError::new(format!("runs[{i}]{field}"), message));
        if run.from >= run.to || run.to > bays {
            return fault("", format!("must go aft from one bay to another, none beyond {bays}"));
        }
        if run.longest == 0 {
            return fault(".longest", "must be greater than 0".into());
        }
        let over = |other: &Run| {
            other.side == run.side && other.strake == run.strake && other.from < run.to && run.from < other.to
        };
        if runs[..i].iter().any(over) {
            return fault("", "lies over an earlier run of the same strake".into());
        }
    }
    for (i, joint) in fixed.iter().enumerate() {
        if joint.bay >= bays {
            return Err(InputError::new(format!("fixed[{i}].bay"), format!("bays go from 0 to {}", bays - 1)));
        }
        let inside = |run: &&Run| {
            run.side == joint.side && run.strake == joint.strake && joint.bay > run.from && joint.bay < run.to
        };
        if runs.iter().any(|run| inside(&run)) {
            let message = "lies inside a run of new planking: it goes with the old planks, leave it out";
            return Err(InputError::new(format!("fixed[{i}]"), message));
        }
    }
    Ok(())
}

/// Lays out joints for runs of new planking, with at most `budget` choices (and never more than [`BUDGET`]) for each group
/// of runs.
///
/// Bays are counted from 0. Pieces that end at the boat's end or at a joint already there keep the rule's shortest
/// piece too, except where the run itself is shorter. Fixed joints too close to each other are not the planner's
/// doing: they are left as they are. Errors name `bays`, `fixed[i]` or `runs[i]`.
pub fn plan(rule: &Rule, bays: u32, fixed: &[Joint], runs: &[Run], budget: u64) -> Result<Answer, InputError> {
    check(bays, fixed, runs)?;
    let mut layout = Layout { joints: Vec::new(), shortest: u32::MAX, proven: true, bound: u32::MAX };
    for group in groups(rule, runs) {
        match (Group { rule, bays, fixed, runs: &group }).solve(budget.min(BUDGET)) {
            Solved::Layout(part) => {
                layout.joints.extend(part.joints);
                layout.shortest = layout.shortest.min(part.shortest);
                layout.bound = layout.bound.min(part.bound);
                layout.proven &= part.proven;
            }
            Solved::Impossible { in_the_way, why } => return Ok(Answer::Impossible { in_the_way, why }),
        }
    }
    // A group cut short does not matter where another one holds the shortest plank, proven.
    layout.proven |= layout.bound <= layout.shortest;
    layout.joints.sort();
    if runs.is_empty() {
        (layout.shortest, layout.bound) = (0, 0);
    }
    Ok(Answer::Found(layout))
}

/// Strakes over which joints mind each other.
fn reach(rule: &Rule) -> u32 {
    rule.same_bay_between.max(2)
}

/// Runs whose joints can mind each other, together.
fn groups(rule: &Rule, runs: &[Run]) -> Vec<Vec<Run>> {
    let bays = rule.adjacent.max(rule.one_between).max(rule.min_piece);
    let touch = |a: &Run, b: &Run| {
        a.side == b.side && a.strake.abs_diff(b.strake) <= reach(rule) && a.from < b.to + bays && b.from < a.to + bays
    };
    let mut groups: Vec<Vec<Run>> = Vec::new();
    for run in runs {
        let (near, far): (Vec<_>, Vec<_>) = groups.drain(..).partition(|group| group.iter().any(|r| touch(r, run)));
        groups = far;
        groups.push(near.into_iter().flatten().chain(std::iter::once(*run)).collect());
    }
    groups
}

enum Solved {
    Layout(Layout),
    Impossible { in_the_way: Vec<Joint>, why: String },
}

/// Runs that are solved together.
struct Group<'g> {
    rule: &'g Rule,
    bays: u32,
    fixed: &'g [Joint],
    runs: &'g [Run],
}

impl Group<'_> {
    fn solve(&self, budget: u64) -> Solved {
        let most: Vec<usize> = self.runs.iter().map(|r| r.most(self.rule).max(r.fewest())).collect();
        let mut fewest = Vec::with_capacity(self.runs.len());
        for (run, most) in self.runs.iter().zip(&most) {
            // A run that cannot be divided beside the fixed joints alone needs no company to fail.
            let alone = Group { runs: std::slice::from_ref(run), ..*self };
            match alone.fewest_alone(*most) {
                Some(few) => fewest.push(few),
                None if run.fewest() > run.most(self.rule) => return undividable(run, self.rule),
                None => return alone.in_the_way(&[run.fewest()], &[*most]),
            }
        }
        let spare: usize = most.iter().zip(&fewest).map(|(m, f)| m - f).sum();
        let mut left = budget;
        for extra in 0..=spare {
            let mut best: Option<Layout> = None;
            for counts in spread(&fewest, &most, extra) {
                let floor = best.as_ref().map_or(0, |b| b.shortest + 1);
                best = self.best_of(&counts, floor, &mut left).or(best);
                if left == 0 {
                    break;
                }
            }
            if let Some(found) = best {
                return Solved::Layout(if left == 0 { self.unproven(found, &fewest) } else { found });
            }
            if left == 0 {
                return self.any_layout(&fewest, &most);
            }
        }
        self.in_the_way(&fewest, &most)
    }

    /// Fewest joints with which a single run can be divided beside the fixed ones.
    fn fewest_alone(&self, most: usize) -> Option<usize> {
        let run = self.runs.first()?;
        (run.fewest()..=most).find(|count| self.works(&[*count], 0, &mut BUDGET.clone()))
    }

    fn works(&self, counts: &[usize], shortest: u32, left: &mut u64) -> bool {
        Search::new(self, counts, shortest).is_some_and(|mut search| search.run(left) == Some(true))
    }

    /// The work was cut short before anything was found: any layout is better than none.
    fn any_layout(&self, fewest: &[usize], most: &[usize]) -> Solved {
        let spare: usize = most.iter().zip(fewest).map(|(m, f)| m - f).sum();
        // One more joint here and there, spread over the runs, soon makes room.
        const TRIES: usize = 60;
        let tries = (0..=spare).flat_map(|extra| spread(fewest, most, extra).into_iter().take(40)).take(TRIES);
        for counts in tries {
            if let Some(found) = self.at_least(&counts, 0, &mut LAST_TRY.clone()) {
                return Solved::Layout(self.unproven(found, fewest));
            }
        }
        let why = "no layout was found in the time there was; there may be one".to_owned();
        Solved::Impossible { in_the_way: Vec::new(), why }
    }

    /// A layout found before the choices ran out: a better one may be there.
    fn unproven(&self, found: Layout, fewest: &[usize]) -> Layout {
        Layout { proven: false, bound: self.longest_shortest(fewest), ..found }
    }

    /// No shortest plank can be longer: every run divided evenly.
    fn longest_shortest(&self, counts: &[usize]) -> u32 {
        self.runs.iter().zip(counts).map(|(run, k)| run.length() / (*k as u32 + 1)).min().unwrap_or(0)
    }

    /// No pair of runs lets the shortest plank be longer than this; `None` when a pair cannot be laid out at all.
    fn pairs_allow(&self, counts: &[usize], top: u32) -> Option<u32> {
        let mut top = top;
        for a in 0..self.runs.len() {
            for b in a..self.runs.len() {
                let (one, other) = (&self.runs[a], &self.runs[b]);
                if one.side != other.side || one.strake.abs_diff(other.strake) > reach(self.rule) {
                    continue;
                }
                let runs = if a == b { vec![*one] } else { vec![*one, *other] };
                let counts = if a == b { vec![counts[a]] } else { vec![counts[a], counts[b]] };
                let pair = Group { runs: &runs, ..*self };
                top = (0..=top).rev().find(|shortest| pair.works(&counts, *shortest, &mut BUDGET.clone()))?;
            }
        }
        Some(top)
    }

    /// The layout with these numbers of joints whose shortest plank is longest, and at least `floor`. `None` when there
    /// is none, or when no choices are left.
    fn best_of(&self, counts: &[usize], floor: u32, left: &mut u64) -> Option<Layout> {
        let even = self.longest_shortest(counts);
        // A run shorter than the rule's shortest piece is one piece, whatever the others are.
        let low = floor.max(self.rule.min_piece.min(even));
        *left = left.saturating_sub(1);
        let best = self.at_least(counts, low, left)?;
        if best.shortest == even {
            return Some(best);
        }
        let top = self.pairs_allow(counts, even)?;
        for shortest in (best.shortest + 1..=top).rev() {
            if let Some(better) = self.at_least(counts, shortest, left) {
                return Some(better);
            }
            // Whoever asked sees that the choices ran out.
            if *left == 0 {
                break;
            }
        }
        Some(best)
    }

    /// Any layout with these numbers of joints and no plank shorter.
    fn at_least(&self, counts: &[usize], shortest: u32, left: &mut u64) -> Option<Layout> {
        let mut search = Search::new(self, counts, shortest)?;
        (search.run(left) == Some(true)).then(|| {
            let joints = search.joints();
            let shortest = self.shortest_of(&joints);
            Layout { joints, shortest, proven: true, bound: shortest }
        })
    }

    fn shortest_of(&self, joints: &[Joint]) -> u32 {
        let pieces = self.runs.iter().flat_map(|run| {
            let here = joints
                .iter()
                .filter(|j| j.side == run.side && j.strake == run.strake && j.bay > run.from && j.bay < run.to);
            let mut ends: Vec<u32> = here.map(|j| j.bay).chain([run.from, run.to]).collect();
            ends.sort_unstable();
            ends.windows(2).map(|pair| pair[1] - pair[0]).collect::<Vec<u32>>()
        });
        pieces.min().unwrap_or(0)
    }

    /// Whether any number of joints works with these fixed ones.
    fn is_possible(&self, fixed: &[Joint], fewest: &[usize], most: &[usize]) -> bool {
        let group = Group { fixed, ..*self };
        let spare: usize = most.iter().zip(fewest).map(|(m, f)| m - f).sum();
        let mut left = BUDGET / 10;
        let mut ways = (0..=spare).flat_map(|extra| spread(fewest, most, extra)).take(WAYS_IN_THE_WAY);
        ways.any(|counts| group.works(&counts, 0, &mut left))
    }

    /// Fixed joints without which it would work: each of them is needed to spoil it.
    fn in_the_way(&self, fewest: &[usize], most: &[usize]) -> Solved {
        let near =
            |j: &&Joint| self.runs.iter().any(|r| r.side == j.side && r.strake.abs_diff(j.strake) <= reach(self.rule));
        let mut kept: Vec<Joint> = self.fixed.iter().filter(near).copied().collect();
        if !self.is_possible(&[], fewest, most) {
            let why = "these runs leave each other no room, whatever joints are there already".to_owned();
            return Solved::Impossible { in_the_way: Vec::new(), why };
        }
        let mut i = 0;
        while i < kept.len() {
            let mut without = kept.clone();
            without.remove(i);
            if self.is_possible(&without, fewest, most) {
                i += 1;
            } else {
                kept = without;
            }
        }
        kept.sort();
        let named: Vec<String> = kept.iter().map(ToString::to_string).collect();
        let why = format!("no layout keeps the rule beside {}", named.join(", "));
        Solved::Impossible { in_the_way: kept, why }
    }
}

fn undividable(run: &Run, rule: &Rule) -> Solved {
    let why = format!(
        "{}{} from bay {} to bay {} cannot be divided: stock spans {} frame spaces and no plank may be shorter than {}",
        run.side.letter(),
        run.strake,
        run.from,
        run.to,
        run.longest,
        rule.min_piece
    );
    Solved::Impossible { in_the_way: Vec::new(), why }
}

/// Every way to give `extra` joints to runs beyond the fewest, none more than its most.
fn spread(fewest: &[usize], most: &[usize], extra: usize) -> Vec<Vec<usize>> {
    // More ways than there are choices to try them are not gone through anyway.
    const WAYS: usize = BUDGET as usize;
    let (Some((few, rest_few)), Some((many, rest_many))) = (fewest.split_first(), most.split_first()) else {
        return if extra == 0 { vec![Vec::new()] } else { Vec::new() };
    };
    let mut all = Vec::new();
    for own in 0..=extra.min(many - few) {
        if all.len() > WAYS {
            break;
        }
        for mut rest in spread(rest_few, rest_many, extra - own) {
            rest.insert(0, few + own);
            all.push(rest);
        }
    }
    all
}

/// One joint to be placed.
#[derive(Debug, Clone, Copy)]
struct Place {
    run: usize,
    side: Side,
    strake: u32,
}

/// A search for one layout.
struct Search {
    places: Vec<Place>,
    domains: Vec<Bays>,
    /// For each joint the joints that mind it, and how.
    near: Vec<Vec<(usize, Minds)>>,
    /// `apart[d][bay]`: bays that a joint `d` strakes away may lie in.
    apart: Vec<Vec<Bays>>,
    /// Most bays that any joint shuts to one `d` strakes away.
    shut: Vec<u32>,
    /// `after[run][bay]`, `before[run][bay]`: bays of the next and the last joint of the same run.
    after: Vec<Vec<Bays>>,
    before: Vec<Vec<Bays>>,
}

#[derive(Debug, Clone, Copy)]
enum Minds {
    Strakes(usize),
    After,
    Before,
}

impl Search {
    /// Sets up joints with the bays each can lie in; `None` when one has none.
    fn new(group: &Group<'_>, counts: &[usize], shortest: u32) -> Option<Self> {
        let (rule, bays) = (group.rule, group.bays);
        let (mut places, mut domains) = (Vec::new(), Vec::new());
        for (n, (run, count)) in group.runs.iter().zip(counts).enumerate() {
            let count = *count as u32;
            let least = shortest.max(rule.min_piece);
            if count == 0 {
                // One piece as long as the run: shorter than the rule only where the run is.
                if run.length() < shortest || run.length() > run.longest {
                    return None;
                }
                continue;
            }
            for index in 1..=count {
                let left = count + 1 - index;
                let low = (run.from + index * least).max(run.to.saturating_sub(left * run.longest));
                let high = run.to.checked_sub(left * least)?.min(run.from + index * run.longest);
                let mut domain = Bays::default();
                for bay in low..=high.min(bays - 1) {
                    let own = Joint { side: run.side, strake: run.strake, bay };
                    // The run's own ends are joints too, and pieces to them are measured above.
                    let minds = |f: &&Joint| {
                        let end = f.strake == run.strake && (f.bay == run.from || f.bay == run.to);
                        !end && conflict(rule, own, **f).is_some()
                    };
                    if !group.fixed.iter().any(|f| minds(&f)) {
                        domain.insert(bay);
                    }
                }
                if domain.is_empty() {
                    return None;
                }
                places.push(Place { run: n, side: run.side, strake: run.strake });
                domains.push(domain);
            }
        }
        let near = (0..places.len())
            .map(|i| {
                (0..places.len())
                    .filter(|j| *j != i)
                    .filter_map(|j| {
                        let (a, b): (Place, Place) = (places[i], places[j]);
                        if a.run == b.run {
                            return match j as i64 - i as i64 {
                                1 => Some((j, Minds::After)),
                                -1 => Some((j, Minds::Before)),
                                _ => None,
                            };
                        }
                        let d = a.strake.abs_diff(b.strake);
                        (a.side == b.side && d <= reach(rule)).then_some((j, Minds::Strakes(d as usize)))
                    })
                    .collect()
            })
            .collect();
        let sets = |allowed: &dyn Fn(u32, u32) -> bool| -> Vec<Bays> {
            (0..bays)
                .map(|a| {
                    let mut set = Bays::default();
                    (0..bays).filter(|b| allowed(a, *b)).for_each(|b| set.insert(b));
                    set
                })
                .collect()
        };
        let side = Side::Port;
        let apart: Vec<Vec<Bays>> = (0..=reach(rule))
            .map(|d| {
                let joint = |strake, bay| Joint { side, strake, bay };
                sets(&|a, b| conflict(rule, joint(1, a), joint(1 + d, b)).is_none())
            })
            .collect();
        let shut = apart.iter().map(|sets| sets.iter().map(|set| bays - set.count()).max().unwrap_or(0)).collect();
        let least = shortest.max(rule.min_piece);
        let spans = |span: u32, run: &Run| span >= least && span <= run.longest;
        let after = group.runs.iter().map(|run| sets(&|a, b| b > a && spans(b - a, run))).collect();
        let before = group.runs.iter().map(|run| sets(&|a, b| b < a && spans(a - b, run))).collect();
        Some(Self { places, domains, near, apart, shut, after, before })
    }

    fn allowed(&self, place: usize, bay: u32, minds: Minds) -> Bays {
        let bay = bay as usize;
        match minds {
            Minds::Strakes(d) => self.apart[d][bay],
            Minds::After => self.after[self.places[place].run][bay],
            Minds::Before => self.before[self.places[place].run][bay],
        }
    }

    /// `Some(true)` when a layout was found, `Some(false)` when there is none, `None` when the choices ran out.
    fn run(&mut self, left: &mut u64) -> Option<bool> {
        let all: BTreeSet<usize> = (0..self.places.len()).collect();
        if !self.settle(all) {
            return Some(false);
        }
        self.choose(left)
    }

    fn choose(&mut self, left: &mut u64) -> Option<bool> {
        let open = (0..self.places.len()).filter(|i| self.domains[*i].count() > 1);
        // The joint with the fewest bays left, then the one that minds most others.
        let Some(pick) = open.min_by_key(|i| (self.domains[*i].count(), std::cmp::Reverse(self.near[*i].len()))) else {
            return Some(true);
        };
        let whole = self.domains.clone();
        for bay in self.domains[pick].iter() {
            if *left == 0 {
                return None;
            }
            *left -= 1;
            crate::patience::look();
            self.domains[pick] = Bays::one(bay);
            if self.settle(BTreeSet::from([pick])) {
                match self.choose(left) {
                    Some(false) => {}
                    other => return other,
                }
            }
            self.domains.clone_from(&whole);
        }
        Some(false)
    }

    /// Strikes out bays that leave a neighbour nowhere to lie, until nothing changes. False when a joint has none left.
    fn settle(&mut self, mut changed: BTreeSet<usize>) -> bool {
        while let Some(by) = changed.pop_first() {
            for n in 0..self.near[by].len() {
                let (other, minds) = self.near[by][n];
                // More bays than any one can shut: whatever the other takes, one is left.
                if let Minds::Strakes(d) = minds
                    && self.domains[by].count() > self.shut[d]
                {
                    continue;
                }
                let back = match minds {
                    Minds::After => Minds::Before,
                    Minds::Before => Minds::After,
                    same => same,
                };
                let mut domain = self.domains[other];
                for bay in self.domains[other].iter() {
                    if self.allowed(other, bay, back).and(self.domains[by]).is_empty() {
                        domain.remove(bay);
                    }
                }
                if domain.is_empty() {
                    return false;
                }
                if domain != self.domains[other] {
                    self.domains[other] = domain;
                    changed.insert(other);
                }
            }
        }
        true
    }

    fn joints(&self) -> Vec<Joint> {
        self.places
            .iter()
            .zip(&self.domains)
            .filter_map(|(p, d)| Some(Joint { side: p.side, strake: p.strake, bay: d.iter().next()? }))
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::repair::butts::{CLOSE, WIDE, check};

    fn run(strake: u32, from: u32, to: u32, longest: u32) -> Run {
        Run { side: Side::Port, strake, from, to, longest }
    }

    fn joint(strake: u32, bay: u32) -> Joint {
        Joint { side: Side::Port, strake, bay }
    }

    fn found(answer: Answer) -> Layout {
        match answer {
            Answer::Found(layout) => layout,
            Answer::Impossible { why, .. } => panic!("{why}"),
        }
    }

    /// Every layout there is, best first by the contract: fewest joints, then the longest shortest piece.
    fn brute(rule: &Rule, bays: u32, fixed: &[Joint], runs: &[Run]) -> Option<(usize, u32)> {
        fn cuts(rule: &Rule, bays: u32, run: &Run, from: u32) -> Vec<Vec<u32>> {
            let mut all = Vec::new();
            let rest = run.to - from;
            let whole = from == run.from && rest < rule.min_piece;
            if rest <= run.longest && (rest >= rule.min_piece || whole) {
                all.push(Vec::new());
            }
            for bay in from + rule.min_piece.max(1)..run.to.min(bays) {
                if bay - from <= run.longest {
                    for mut later in cuts(rule, bays, run, bay) {
                        later.insert(0, bay);
                        all.push(later);
                    }
                }
            }
            all
        }
        let mut layouts: Vec<Vec<(usize, Vec<u32>)>> = vec![Vec::new()];
        for (n, run) in runs.iter().enumerate() {
            let own = cuts(rule, bays, run, run.from);
            layouts = layouts
                .iter()
                .flat_map(|l| own.iter().map(|c| l.iter().cloned().chain([(n, c.clone())]).collect()))
                .collect();
        }
        let judged = layouts.iter().filter_map(|layout| {
            let new: Vec<Joint> = layout
                .iter()
                .flat_map(|(n, cuts)| {
                    cuts.iter().map(|bay| Joint { side: runs[*n].side, strake: runs[*n].strake, bay: *bay })
                })
                .collect();
            let all: Vec<Joint> = fixed.iter().copied().chain(new.iter().copied()).collect();
            let broken = check(rule, &all).iter().any(|v| v.a >= fixed.len() || v.b >= fixed.len());
            let pieces = layout.iter().flat_map(|(n, cuts)| {
                let mut ends = vec![runs[*n].from];
                ends.extend(cuts);
                ends.push(runs[*n].to);
                ends.windows(2).map(|p| p[1] - p[0]).collect::<Vec<u32>>()
            });
            (!broken).then(|| (new.len(), pieces.min().unwrap_or(0)))
        });
        judged.min_by_key(|(joints, shortest)| (*joints, std::cmp::Reverse(*shortest)))
    }

    #[test]
    fn one_plank_is_divided_evenly_and_a_neighbour_keeps_its_distance() {
        let layout = found(plan(&WIDE, 30, &[], &[run(3, 0, 29, 16)], BUDGET).unwrap());
        assert_eq!((layout.joints.len(), layout.shortest, layout.proven), (1, 14, true));
        let layout = found(plan(&WIDE, 30, &[joint(4, 14)], &[run(3, 0, 29, 16)], BUDGET).unwrap());
        assert!(layout.joints[0].bay.abs_diff(14) >= 3 || layout.joints.len() > 1, "{layout:?}");
    }

    #[test]
    fn what_cannot_be_laid_out_names_the_joints_in_the_way() {
        // A plank from bay 0 to 14 of stock that spans 8 has one joint, in bay 6 to 8.
        let fixed = [joint(4, 7), joint(2, 10), joint(9, 3)];
        let Answer::Impossible { in_the_way, why } = plan(&WIDE, 26, &fixed, &[run(3, 0, 14, 8)], BUDGET).unwrap()
        else {
            panic!("bays 6 to 8 are all too near to bay 7 of the next strake");
        };
        assert_eq!(in_the_way, [joint(4, 7)]);
        assert!(why.contains("P4 bay 7"), "{why}");
        let Answer::Impossible { in_the_way, .. } = plan(&WIDE, 26, &[], &[run(3, 0, 25, 4)], BUDGET).unwrap() else {
            panic!("no plank may be shorter than 5");
        };
        assert!(in_the_way.is_empty());
    }

    #[test]
    fn a_run_shorter_than_the_rule_is_one_piece() {
        let layout = found(plan(&WIDE, 30, &[joint(3, 10), joint(3, 13)], &[run(3, 10, 13, 9)], BUDGET).unwrap());
        assert_eq!((layout.joints.len(), layout.shortest), (0, 3));
    }

    #[test]
    fn bad_jobs_are_refused_at_their_field() {
        let field = |bays, fixed: &[Joint], runs: &[Run]| plan(&WIDE, bays, fixed, runs, BUDGET).unwrap_err().field;
        assert_eq!(field(0, &[], &[]), "bays");
        assert_eq!(field(30, &[], &[run(3, 9, 9, 4)]), "runs[0]");
        assert_eq!(field(30, &[], &[run(3, 0, 9, 0)]), "runs[0].longest");
        assert_eq!(field(30, &[], &[run(3, 0, 9, 9), run(3, 5, 20, 9)]), "runs[1]");
        assert_eq!(field(30, &[joint(3, 5)], &[run(3, 0, 9, 9)]), "fixed[0]");
        assert_eq!(field(30, &[joint(3, 30)], &[]), "fixed[0].bay");
    }

    /// Both sides of sixteen strakes at sixty frames, eighty new pieces.
    #[test]
    fn a_whole_hull_is_planned_and_proven() {
        let runs: Vec<Run> = Side::BOTH
            .into_iter()
            .flat_map(|side| {
                (1..=16u32).map(move |strake| {
                    let longest = if strake % 2 == 0 { 24 } else { 31 };
                    Run { side, strake, from: 0, to: 59, longest }
                })
            })
            .collect();
        let layout = found(plan(&WIDE, 60, &[], &runs, BUDGET).unwrap());
        assert_eq!(layout.joints.len(), 2 * (8 * 2 + 8), "eighty pieces");
        assert!(check(&WIDE, &layout.joints).is_empty());
        assert!(layout.proven, "{layout:?}");
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 160, ..ProptestConfig::default() })]
        #[test]
        fn it_is_as_good_as_trying_every_layout(
            wide in any::<bool>(), lengths in proptest::collection::vec((1u32..5, 0u32..3, 9u32..17, 5u32..12), 1..4),
            fixed in proptest::collection::vec((1u32..7, 0u32..20), 0..5),
        ) {
            let rule = if wide { WIDE } else { CLOSE };
            let mut runs: Vec<Run> = Vec::new();
            for (strake, from, length, longest) in lengths {
                if runs.iter().all(|r| r.strake != strake) {
                    runs.push(run(strake, from, from + length, longest));
                }
            }
            let fixed: Vec<Joint> = fixed
                .into_iter()
                .map(|(strake, bay)| joint(strake, bay))
                .filter(|j| runs.iter().all(|r| r.strake != j.strake))
                .collect();
            let answer = plan(&rule, 20, &fixed, &runs, BUDGET).unwrap();
            match (answer, brute(&rule, 20, &fixed, &runs)) {
                (Answer::Found(layout), Some((joints, shortest))) => {
                    prop_assert_eq!((layout.joints.len(), layout.shortest), (joints, shortest));
                    let all: Vec<Joint> = fixed.iter().copied().chain(layout.joints.iter().copied()).collect();
                    prop_assert!(check(&rule, &all).iter().all(|v| v.b < fixed.len()), "breaks the rule");
                }
                (Answer::Impossible { .. }, None) => {}
                (answer, brute) => prop_assert!(false, "{:?} against {:?}", answer, brute),
            }
        }
    }
}
