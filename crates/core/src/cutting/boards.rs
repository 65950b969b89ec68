//! Pieces onto boards, over one boat or several: as many as can be placed, then the least cost of stock opened, then the least
//! of new stock and of long clear lengths, then the least waste.
//!
//! Boards are opened one by one, the one that gives most for its cost first; then, again and again, a few boards are emptied and
//! their pieces laid out anew, and what is no worse is kept. Every layout is made of straight cuts right across
//! ([`super::layout`]), so that a saw can follow it.

use crate::chance::Chance;
use crate::error::{self, InputError};
use crate::timber::board::{END_TRIM, KERF, Origin, SMALLEST_OFFCUT, width_along};

use super::layout::{Area, Layout};
use super::{GoOn, Progress};

/// What a hidden piece tolerates; nothing tolerates more.
pub const HIDDEN: u8 = 2;

/// A board to cut from. Lengths mm; thickness as it yields it.
#[derive(Debug, Clone, PartialEq)]
pub struct Stock {
    pub length: f64,
    pub width: f64,
    pub thickness: f64,
    pub cost: f64,
    pub origin: Origin,
    /// Each place that is spoiled, and how much: a piece keeps off what is spoiled more than it tolerates.
    pub defects: Vec<(Area, u8)>,
    /// How far the grain curves in the board's own plane over its length, mm; 0: straight.
    pub sweep: f64,
    /// Lost at both ends, mm, where it is not the job's.
    pub end_trim: Option<f64>,
}

impl Stock {
    fn trim(&self, job: &Job) -> f64 {
        self.end_trim.unwrap_or(job.end_trim)
    }
}

/// A piece to cut. Sizes with every allowance, mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Piece {
    pub length: f64,
    pub width: f64,
    pub thickness: f64,
    /// How much a place may be spoiled that it holds: 0 clear … [`HIDDEN`].
    pub tolerates: u8,
    /// How far it curves in its own plane over its length, mm, counted in its width; 0: straight.
    pub hang: f64,
    /// Boards it may come from; `None`: any.
    pub from: Option<Vec<usize>>,
}

/// What is asked.
#[derive(Debug, Clone, PartialEq)]
pub struct Job {
    pub boards: Vec<Stock>,
    pub pieces: Vec<Piece>,
    /// Saw kerf, mm.
    pub kerf: f64,
    /// Lost at both ends of a board, mm.
    pub end_trim: f64,
    pub seed: u64,
}

impl Job {
    pub fn new(boards: Vec<Stock>, pieces: Vec<Piece>) -> Self {
        Self { boards, pieces, kerf: KERF, end_trim: END_TRIM, seed: 1 }
    }
}

/// One board of a plan.
#[derive(Debug, Clone, PartialEq)]
pub struct Opened {
    pub board: usize,
    pub layout: Layout,
}

impl Opened {
    /// What is left of it that is worth keeping.
    pub fn offcuts(&self) -> impl Iterator<Item = &Area> {
        self.layout.free.iter().filter(|a| a.length() >= SMALLEST_OFFCUT.0 && a.width() >= SMALLEST_OFFCUT.1)
    }
}

/// A plan.
#[derive(Debug, Clone, PartialEq)]
pub struct Plan {
    pub opened: Vec<Opened>,
    /// Pieces no board is left for.
    pub unplaced: Vec<usize>,
    pub cost: f64,
    /// No plan that places as much can cost less than this.
    pub bound: f64,
    /// Face of the boards opened less pieces and offcuts worth keeping, mm².
    pub waste: f64,
}

/// Most boards and pieces taken.
pub const MOST: usize = 2_000;
/// Work done before a search stops by itself: pieces tried in a board. Some seconds for two hundred pieces.
pub const BUDGET: u64 = 60_000_000;
/// A new board this long without a defect is kept whole where it can be, mm (*yard rule*).
pub const LONG: f64 = 3_000.0;
/// Times boards are emptied before the search ends by itself, and more for each board and piece.
const SHAKES: (usize, usize) = (6_000, 500);
/// Boards and pieces of a job that is begun several times, and how often.
const SEVERAL: std::ops::Range<usize> = 40..140;
const BEGINNINGS: u64 = 3;
/// How much worse a plan may be and still be gone on from, shares of its cost, at first and at the end.
const HEAT: (f64, f64) = (0.002, 0.000_05);
/// Share of its cost that a full board counts less.
const FULL: f64 = 0.5;
/// Boards looked at when one is to be opened, once a first plan stands.
const LOOKED_AT: u32 = 12;
/// Boards emptied at once, at most.
const EMPTIED: u32 = 5;

/// Lays out a job.
///
/// Errors name `boards[i]…`, `pieces[i]…`, `kerf` or `end_trim`. The same job and seed give the same plan unless `go_on` stops
/// the search, which then gives the best found.
///
/// A board that curves is kept for what curves: a straight piece comes from it only where no plan without that places as much.
pub fn plan(job: &Job, budget: u64, go_on: GoOn<'_>) -> Result<Plan, InputError> {
    check(job)?;
    let spared = best_of(job, budget, &mut *go_on);
    let crooks = job.boards.iter().any(|b| b.sweep != 0.0);
    if spared.unplaced.is_empty() || !crooks {
        return Ok(spared);
    }
    let all = solve(job, budget, go_on, false);
    Ok(if all.unplaced.len() < spared.unplaced.len() { all } else { spared })
}

/// The best of several beginnings where a job is large enough to be led astray by one, and small enough for there to be time.
fn best_of(job: &Job, budget: u64, go_on: GoOn<'_>) -> Plan {
    if !SEVERAL.contains(&(job.boards.len() + job.pieces.len())) {
        return solve(job, budget, go_on, true);
    }
    let share = |n: u64, share: f64| (n as f64 + share) / BEGINNINGS as f64;
    let mut stopped = false;
    let mut best = solve(job, budget, &mut |p| go_on(Progress { share: share(0, p.share), ..p }), true);
    for n in 1..BEGINNINGS {
        if best.cost <= best.bound + 1e-9 {
            break;
        }
        let (placed, cost) = (job.pieces.len() - best.unplaced.len(), best.cost);
        // Each cools by its own work: what time has gone was the first one's.
        let told = &mut |p: Progress| {
            let told = go_on(Progress { share: share(n, p.share), placed, cost });
            stopped |= told.is_none();
            told.map(|_| 0.0)
        };
        let again = solve(&Job { seed: job.seed.wrapping_add(n), ..job.clone() }, budget, told, true);
        // At the same cost the first one stands, which weighed what else makes a plan good.
        if (again.unplaced.len(), again.cost + 1e-9) < (best.unplaced.len(), best.cost) {
            best = again;
        }
        if stopped {
            break;
        }
    }
    best
}

fn solve(job: &Job, budget: u64, go_on: GoOn<'_>, spare_crooks: bool) -> Plan {
    let mut search = Search::new(job, budget, spare_crooks);
    let mut now =
        search.open_all(State::default(), (0..job.pieces.len()).collect(), 0.0, vec![false; job.boards.len()], &[]);
    let mut best = now.clone();
    let mut asked = 0;
    let mut gone = 0.0;
    let shakes = SHAKES.0 + SHAKES.1 * (job.pieces.len() + job.boards.len());
    while search.tried < budget && asked < shakes && !job.pieces.is_empty() && !job.boards.is_empty() {
        asked += 1;
        let share = f64::max(search.tried as f64 / budget as f64, gone).max(asked as f64 / shakes as f64);
        if asked % 16 == 0 {
            let placed = job.pieces.len() - best.unplaced.len();
            match go_on(Progress { share, placed, cost: best.key.cost }) {
                Some(share) => gone = share,
                None => break,
            }
        }
        if best.unplaced.is_empty() && best.key.cost <= search.bound + 1e-9 && best.key.new_area <= 0.0 {
            break;
        }
        // What never comes to trying a piece counts too, or the search would not end.
        search.tried += 20;
        let next = search.shake(&now);
        if next.key.better(&best.key) && next.key != best.key {
            best = next.clone();
        }
        // Early on a little worse is let pass, so as not to stay in the first valley; ever less of it.
        let heat = HEAT.0 * (HEAT.1 / HEAT.0).powf(share.clamp(0.0, 1.0)) * best.key.cost.max(1e-9);
        let worse = next.energy - now.energy;
        let gone_on = match next.key.unplaced.cmp(&now.key.unplaced) {
            std::cmp::Ordering::Less => true,
            std::cmp::Ordering::Equal => worse <= 0.0 || search.random.unit() < (-worse / heat).exp(),
            std::cmp::Ordering::Greater => false,
        };
        if gone_on {
            now = next;
        }
    }
    let mut opened: Vec<Opened> = best.layouts.into_iter().map(|(board, layout)| Opened { board, layout }).collect();
    opened.sort_by_key(|o| o.board);
    let kept: f64 = opened.iter().flat_map(Opened::offcuts).map(Area::area).sum();
    let face: f64 = opened.iter().map(|o| job.boards[o.board].length * job.boards[o.board].width).sum();
    let used: f64 = opened.iter().map(|o| o.layout.used()).sum();
    let mut unplaced = best.unplaced;
    unplaced.sort_unstable();
    Plan { opened, unplaced, cost: best.key.cost, bound: search.bound, waste: face - used - kept }
}

fn check(job: &Job) -> Result<(), InputError> {
    for (name, count) in [("boards", job.boards.len()), ("pieces", job.pieces.len())] {
        if count > MOST {
            return Err(InputError::new(name, format!("takes no more than {MOST}, got {count}")));
        }
    }
    error::within("kerf", job.kerf, 0.0, 50.0)?;
    for trim in job.boards.iter().filter_map(|b| b.end_trim).chain([job.end_trim]) {
        error::within("end_trim", trim, 0.0, 2_000.0)?;
    }
    for (i, b) in job.boards.iter().enumerate() {
        let name = format!("boards[{i}]");
        for (field, v) in [("length", b.length), ("width", b.width), ("thickness", b.thickness)] {
            error::length(field, v).map_err(|e| e.within(&name))?;
        }
        error::within("cost", b.cost, 0.0, 1e9).map_err(|e| e.within(&name))?;
        error::within("sweep", b.sweep.abs(), 0.0, b.length / 2.0).map_err(|e| e.within(&name))?;
        for (k, (d, _)) in b.defects.iter().enumerate() {
            let fine = [d.x0, d.x1, d.y0, d.y1].iter().all(|v| v.is_finite()) && d.x0 <= d.x1 && d.y0 <= d.y1;
            if !fine {
                return Err(InputError::new(format!("{name}.defects[{k}]"), "needs x0 ≤ x1 and y0 ≤ y1"));
            }
        }
    }
    for (i, p) in job.pieces.iter().enumerate() {
        let name = format!("pieces[{i}]");
        for (field, v) in [("length", p.length), ("width", p.width), ("thickness", p.thickness)] {
            error::length(field, v).map_err(|e| e.within(&name))?;
        }
        error::within("hang", p.hang.abs(), 0.0, p.width).map_err(|e| e.within(&name))?;
    }
    Ok(())
}

/// What makes one plan better than another, most important first.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
struct Key {
    unplaced: usize,
    cost: f64,
    /// Face of new boards opened, mm².
    new_area: f64,
    /// Length of long clear new boards opened, mm.
    long: f64,
    /// Face of pieces that come from new boards, mm²: what is there already goes first.
    from_new: f64,
    waste: f64,
}

impl Key {
    /// No worse than another.
    fn better(&self, other: &Self) -> bool {
        if self.unplaced != other.unplaced {
            return self.unplaced < other.unplaced;
        }
        if (self.cost - other.cost).abs() > 1e-9 {
            return self.cost < other.cost;
        }
        let rest = [
            (self.new_area, other.new_area),
            (self.long, other.long),
            (self.from_new, other.from_new),
            (self.waste, other.waste),
        ];
        rest.into_iter().find(|(a, b)| (a - b).abs() > 1e-6).is_none_or(|(a, b)| a < b)
    }
}

#[derive(Debug, Clone, Default)]
struct State {
    layouts: Vec<(usize, Layout)>,
    unplaced: Vec<usize>,
    key: Key,
    /// What the search goes down: the cost of each board, less the fuller it is, so that one board is emptied into the others.
    energy: f64,
}

struct Search<'j> {
    job: &'j Job,
    random: Chance,
    tried: u64,
    bound: f64,
    /// Board by piece: whether it may come from there.
    serves: Vec<Vec<bool>>,
    /// Board by what is tolerated: the places to keep off.
    avoid: Vec<[Vec<Area>; HIDDEN as usize + 1]>,
    budget: u64,
}

impl<'j> Search<'j> {
    fn new(job: &'j Job, budget: u64, spare_crooks: bool) -> Self {
        let serves = job
            .boards
            .iter()
            .enumerate()
            .map(|(b, board)| {
                let usable = board.length - 2.0 * board.trim(job);
                job.pieces
                    .iter()
                    .map(|p| {
                        p.from.as_ref().is_none_or(|from| from.contains(&b))
                            && !(spare_crooks && board.sweep != 0.0 && p.hang == 0.0)
                            && board.thickness >= p.thickness - 1e-9
                            && usable >= p.length - 1e-9
                            && board.width >= needed_width(p, board) - 1e-9
                    })
                    .collect()
            })
            .collect();
        let spoiled = |stock: &Stock, tolerated: u8| -> Vec<Area> {
            stock.defects.iter().filter(|(_, by)| *by > tolerated).map(|(area, _)| *area).collect()
        };
        let avoid = job.boards.iter().map(|b| [0, 1, 2].map(|tolerated| spoiled(b, tolerated))).collect();
        let mut search = Self { job, random: Chance::seeded(job.seed), tried: 0, bound: 0.0, serves, avoid, budget };
        search.bound = search.lower_bound();
        search
    }

    /// For each thickness: the pieces at least as thick, each with a kerf, need so much face, which is had cheapest from the boards that are cheapest
    /// by face among those that serve any of them. What no board serves is left out.
    fn lower_bound(&self) -> f64 {
        let job = self.job;
        let placeable: Vec<usize> =
            (0..job.pieces.len()).filter(|p| self.serves.iter().any(|board| board[*p])).collect();
        let mut limits: Vec<f64> = placeable.iter().map(|p| job.pieces[*p].thickness).collect();
        limits.sort_by(f64::total_cmp);
        limits.dedup();
        let mut most: f64 = 0.0;
        for limit in limits {
            let thick: Vec<usize> = placeable.iter().copied().filter(|p| job.pieces[*p].thickness >= limit).collect();
            let mut need: f64 = thick
                .iter()
                .map(|p| {
                    (job.pieces[*p].length + job.kerf) * (job.pieces[*p].width - job.pieces[*p].hang.abs() + job.kerf)
                })
                .sum();
            let mut boards: Vec<(f64, f64)> = job
                .boards
                .iter()
                .enumerate()
                .filter(|(b, _)| thick.iter().any(|p| self.serves[*b][*p]))
                .map(|(_, b)| ((b.length - 2.0 * b.trim(job) + job.kerf) * (b.width + job.kerf), b.cost))
                .filter(|(area, _)| *area > 0.0)
                .collect();
            boards.sort_by(|a, b| (a.1 / a.0).total_cmp(&(b.1 / b.0)));
            let mut cost = 0.0;
            for (area, price) in boards {
                let share = (need / area).min(1.0);
                cost += share * price;
                need -= share * area;
                if need <= 0.0 {
                    break;
                }
            }
            // Where not all can be placed the bound of placing all says nothing.
            if need <= 1e-6 {
                most = most.max(cost);
            }
        }
        most
    }

    /// Large pieces first, the order shaken by `noise`.
    fn ordered(&mut self, mut pieces: Vec<usize>, noise: f64) -> Vec<usize> {
        let job = self.job;
        // Either way of looking at what is large serves some jobs better.
        let by_length = self.random.unit() < 0.35 && noise > 0.0;
        let mut sizes = vec![0.0; job.pieces.len()];
        for p in &pieces {
            let piece = &job.pieces[*p];
            let size =
                if by_length { piece.length * (200.0 + piece.width) } else { piece.width * (2_000.0 + piece.length) };
            let shaken = size * (1.0 + noise * (self.random.unit() - 0.5));
            sizes[*p] = if piece.tolerates == 0 { shaken * 1.05 } else { shaken };
        }
        pieces.sort_by(|a, b| sizes[*b].total_cmp(&sizes[*a]));
        pieces
    }

    /// Puts what fits of some pieces, in their order, into a board; gives those that did not.
    fn fill(&mut self, board: usize, layout: &mut Layout, pieces: &[usize], noise: f64) -> Vec<usize> {
        let stock = &self.job.boards[board];
        let mut left = Vec::new();
        let mut random = Chance::seeded(self.random.next_u64());
        let mut jitter = move || if noise > 0.0 { noise * (2.0 * random.unit() - 1.0) } else { 0.0 };
        for &p in pieces {
            let piece = &self.job.pieces[p];
            if !self.serves[board][p] || layout.free.is_empty() {
                left.push(p);
                continue;
            }
            self.tried += 1 + layout.free.len() as u64 / 4;
            crate::patience::look();
            let width = needed_width(piece, stock);
            let avoid = &self.avoid[board][usize::from(piece.tolerates.min(HIDDEN))];
            match layout.spot(piece.length, width, avoid, self.job.kerf, &mut jitter) {
                Some(spot) => layout.put(p, piece.length, width, spot, self.job.kerf),
                None => left.push(p),
            }
        }
        left
    }

    fn empty(&self, board: usize) -> Layout {
        let stock = &self.job.boards[board];
        Layout::new(stock.length, stock.width, stock.trim(self.job), self.job.kerf)
    }

    /// Opens boards for pieces until none is left or nothing serves: each time the board that gives most face for its cost, or,
    /// where one takes all that is left, the cheapest that does.
    ///
    /// `shut` are boards that are not to be opened this time.
    fn open_all(
        &mut self,
        mut state: State,
        pieces: Vec<usize>,
        noise: f64,
        shut: Vec<bool>,
        emptied: &[usize],
    ) -> State {
        let mut left = self.ordered(pieces, noise);
        // Boards that were just emptied are always looked at.
        let mut fresh = vec![false; self.job.boards.len()];
        emptied.iter().for_each(|b| fresh[*b] = true);
        let mut looked_again = false;
        let mut open = shut;
        for (b, _) in &state.layouts {
            open[*b] = true;
        }
        let boards = self.job.boards.len() as u32;
        while !left.is_empty() {
            let skip =
                if noise > 0.0 && boards > LOOKED_AT { 1.0 - f64::from(LOOKED_AT) / f64::from(boards) } else { 0.0 };
            let all_looked = skip == 0.0;
            let mut best: Option<(bool, f64, usize, Layout, Vec<usize>)> = None;
            for b in 0..self.job.boards.len() {
                if open[b]
                    || (!all_looked && !fresh[b] && self.random.unit() < skip)
                    || !left.iter().any(|p| self.serves[b][*p])
                {
                    continue;
                }
                let stock = &self.job.boards[b];
                // A copy of a board that was just looked at gives nothing new.
                if all_looked
                    && b > 0
                    && !open[b - 1]
                    && self.job.boards[b - 1] == *stock
                    && self.serves[b - 1] == self.serves[b]
                {
                    continue;
                }
                let mut layout = self.empty(b);
                let rest = self.fill(b, &mut layout, &left, noise);
                if layout.placed.is_empty() {
                    continue;
                }
                let all = rest.is_empty();
                let shaken = 1.0 + noise * 0.5 * (self.random.unit() - 0.5);
                // At equal cost what is not new goes first, and a short board before a long one.
                let cost = stock.cost * shaken
                    + 1e-6 * stock.length * stock.width / 1e6
                    + if stock.origin == Origin::New { 1e-5 } else { 0.0 };
                let merit = if all { cost } else { cost / layout.used() };
                let better = match &best {
                    None => true,
                    Some((whole, least, _, held, _)) if all != *whole => {
                        // Taking all at once is worth it when it costs no more by face.
                        let (a, b) = (cost / layout.used(), if *whole { least / held.used() } else { *least });
                        a < b
                    }
                    Some((_, least, ..)) => merit < *least,
                };
                if better {
                    best = Some((all, merit, b, layout, rest));
                }
                if self.tried > self.budget.saturating_mul(2) {
                    break;
                }
            }
            let Some((_, _, b, layout, rest)) = best else {
                // Nothing among those looked at: all the others have their turn before pieces are left over.
                if all_looked || looked_again {
                    break;
                }
                looked_again = true;
                fresh.iter_mut().for_each(|f| *f = true);
                continue;
            };
            open[b] = true;
            state.layouts.push((b, layout));
            left = rest;
        }
        state.unplaced = left;
        self.key(&mut state);
        state
    }

    fn key(&self, state: &mut State) {
        let mut key = Key { unplaced: state.unplaced.len(), ..Key::default() };
        for (b, layout) in &state.layouts {
            let stock = &self.job.boards[*b];
            key.cost += stock.cost;
            let face = stock.length * stock.width;
            if stock.origin == Origin::New {
                key.new_area += face;
                key.from_new += layout.used();
                if stock.length >= LONG && stock.defects.is_empty() {
                    key.long += stock.length;
                }
            }
            let kept: f64 = layout
                .free
                .iter()
                .filter(|a| a.length() >= SMALLEST_OFFCUT.0 && a.width() >= SMALLEST_OFFCUT.1)
                .map(Area::area)
                .sum();
            key.waste += face - layout.used() - kept;
        }
        state.key = key;
        let filled = |board: usize, layout: &Layout| {
            let stock = &self.job.boards[board];
            (layout.used() / (stock.length * stock.width)).min(1.0)
        };
        state.energy =
            state.layouts.iter().map(|(b, l)| self.job.boards[*b].cost * (1.0 - FULL * filled(*b, l).powi(2))).sum();
    }

    /// Empties a few boards and lays their pieces out anew.
    fn shake(&mut self, now: &State) -> State {
        let mut state = now.clone();
        let mut pieces = std::mem::take(&mut state.unplaced);
        let mut emptied = Vec::new();
        let mut shut = vec![false; self.job.boards.len()];
        // Now and then some boards are left aside altogether, so that others get their turn.
        if self.random.unit() < 0.3 {
            let share = 0.7 * self.random.unit();
            shut.iter_mut().for_each(|s| *s = self.random.unit() < share);
        }
        let count = match self.random.unit() {
            u if u < 0.05 => state.layouts.len() as u32,
            _ => 1 + self.random.below(EMPTIED.min(state.layouts.len().max(1) as u32)),
        };
        for _ in 0..count {
            if state.layouts.is_empty() {
                break;
            }
            // What is badly filled for its cost is emptied more often.
            let pick = |random: &mut Chance| random.below(state.layouts.len() as u32) as usize;
            let (a, b) = (pick(&mut self.random), pick(&mut self.random));
            let filled = |i: usize| {
                let (board, layout) = &state.layouts[i];
                layout.used() / (self.job.boards[*board].cost + 1e-9)
            };
            let worst = if filled(a) <= filled(b) { a } else { b };
            let (board, layout) = state.layouts.swap_remove(worst);
            emptied.push(board);
            shut[board] |= self.random.unit() < 0.4;
            pieces.extend(layout.placed.iter().map(|p| p.piece));
        }
        let noise = 0.02 + 0.6 * self.random.unit().powi(2);
        let mut left = self.ordered(pieces, noise);
        if self.random.unit() < 0.7 {
            for i in 0..state.layouts.len() {
                if left.is_empty() {
                    break;
                }
                let (board, mut layout) = (state.layouts[i].0, std::mem::take(&mut state.layouts[i].1));
                left = self.fill(board, &mut layout, &left, noise);
                state.layouts[i].1 = layout;
            }
        }
        self.open_all(state, left, noise, shut, &emptied)
    }
}

fn needed_width(piece: &Piece, board: &Stock) -> f64 {
    width_along(piece.width, piece.hang, piece.length, board.sweep, board.length)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn board(length: f64, width: f64, cost: f64, origin: Origin) -> Stock {
        Stock { length, width, thickness: 32.0, cost, origin, defects: Vec::new(), sweep: 0.0, end_trim: None }
    }

    fn piece(length: f64, width: f64) -> Piece {
        Piece { length, width, thickness: 28.0, tolerates: 0, hang: 0.0, from: None }
    }

    fn solve(boards: Vec<Stock>, pieces: Vec<Piece>) -> Plan {
        plan(&Job::new(boards, pieces), 200_000, &mut |_| Some(0.0)).unwrap()
    }

    /// Recomputed from scratch: no overlap, kerf kept, inside the trimmed board, off the defects a piece avoids.
    fn assert_right(job: &Job, plan: &Plan) {
        let mut seen = vec![0; job.pieces.len()];
        for opened in &plan.opened {
            let stock = &job.boards[opened.board];
            let placed = &opened.layout.placed;
            for (i, p) in placed.iter().enumerate() {
                let piece = &job.pieces[p.piece];
                seen[p.piece] += 1;
                assert!(stock.thickness >= piece.thickness);
                assert!((p.area.length() - piece.length).abs() < 1e-6);
                assert!(p.area.width() <= piece.width + 1e-6);
                assert!(p.area.x0 >= job.end_trim - 1e-6 && p.area.x1 <= stock.length - job.end_trim + 1e-6);
                assert!(p.area.y0 >= -1e-6 && p.area.y1 <= stock.width + 1e-6);
                let spoilt = stock.defects.iter().any(|(d, by)| *by > piece.tolerates && d.overlaps(&p.area));
                assert!(!spoilt, "{:?} lies on a defect", p.area);
                for other in &placed[i + 1..] {
                    let (a, b) = (p.area, other.area);
                    let gap = (b.x0 - a.x1).max(a.x0 - b.x1).max((b.y0 - a.y1).max(a.y0 - b.y1));
                    assert!(gap >= job.kerf - 1e-6, "{a:?} and {b:?} are {gap} apart");
                }
            }
            for (i, free) in opened.layout.free.iter().enumerate() {
                assert!(placed.iter().all(|p| !p.area.overlaps(free)));
                assert!(opened.layout.free[i + 1..].iter().all(|other| !other.overlaps(free)));
            }
        }
        for p in &plan.unplaced {
            seen[*p] += 1;
        }
        assert!(seen.iter().all(|n| *n == 1), "every piece once: {seen:?}");
        let face: f64 = plan.opened.iter().map(|o| job.boards[o.board].length * job.boards[o.board].width).sum();
        let parts: f64 = plan.opened.iter().map(|o| o.layout.used() + o.offcuts().map(Area::area).sum::<f64>()).sum();
        assert!((face - parts - plan.waste).abs() < 1e-3 && plan.waste >= -1e-6, "nothing vanishes");
        if plan.unplaced.is_empty() {
            assert!(plan.cost >= plan.bound - 1e-6);
        }
    }

    #[test]
    fn salvage_goes_before_a_new_board_of_the_same_cost_and_the_long_board_stays_whole() {
        let boards = vec![
            board(4_800.0, 200.0, 40.0, Origin::New),
            board(1_300.0, 160.0, 10.0, Origin::New),
            board(1_300.0, 160.0, 10.0, Origin::Salvage),
        ];
        let found = solve(boards, vec![piece(1_100.0, 140.0)]);
        assert_eq!((found.opened[0].board, found.opened.len(), found.cost), (2, 1, 10.0));
    }

    #[test]
    fn a_clear_piece_keeps_off_the_knot_and_a_hidden_one_may_hold_it() {
        let mut knotty = board(1_000.0, 150.0, 5.0, Origin::New);
        knotty.defects.push((Area { x0: 480.0, x1: 520.0, y0: 0.0, y1: 150.0 }, 2));
        let job = Job::new(vec![knotty], vec![piece(440.0, 140.0), piece(440.0, 140.0)]);
        let found = plan(&job, 100_000, &mut |_| Some(0.0)).unwrap();
        assert!(found.unplaced.is_empty());
        assert_right(&job, &found);
        let long = Job { pieces: vec![Piece { tolerates: HIDDEN, ..piece(900.0, 140.0) }], ..job.clone() };
        assert!(plan(&long, 100_000, &mut |_| Some(0.0)).unwrap().unplaced.is_empty());
        let clear = Job { pieces: vec![piece(900.0, 140.0)], ..job };
        assert_eq!(plan(&clear, 100_000, &mut |_| Some(0.0)).unwrap().unplaced, [0]);
    }

    #[test]
    fn a_curved_piece_comes_out_of_a_crook_that_is_too_narrow_for_it_straight() {
        let straight = board(2_400.0, 180.0, 9.0, Origin::New);
        let crook = Stock { sweep: 75.0, ..straight.clone() };
        let curved = Piece { hang: 60.0, ..piece(2_200.0, 210.0) };
        assert_eq!(solve(vec![straight], vec![curved.clone()]).unplaced, [0]);
        assert!(solve(vec![crook], vec![curved]).unplaced.is_empty());
    }

    #[test]
    fn an_offcut_that_lies_there_goes_before_more_of_a_new_board_that_is_opened_anyway() {
        let boards = vec![board(4_800.0, 200.0, 40.0, Origin::New), board(1_300.0, 160.0, 0.0, Origin::Offcut)];
        let found = solve(boards, vec![piece(3_000.0, 180.0), piece(1_100.0, 140.0)]);
        let on = |board: usize| found.opened.iter().find(|o| o.board == board).map(|o| o.layout.placed[0].piece);
        assert_eq!((on(0), on(1)), (Some(0), Some(1)), "{:?}", found.opened);
    }

    #[test]
    fn straight_pieces_leave_the_only_crook_to_the_curved_one_and_take_it_only_where_nothing_else_serves() {
        let crook = Stock { sweep: 75.0, ..board(2_400.0, 180.0, 0.0, Origin::Salvage) };
        let straight = board(2_600.0, 200.0, 30.0, Origin::New);
        let curved = Piece { hang: 60.0, ..piece(2_200.0, 210.0) };
        let heads = [piece(900.0, 80.0), piece(900.0, 80.0)];
        let found = solve(vec![crook.clone(), straight.clone()], vec![heads[0].clone(), heads[1].clone(), curved]);
        assert_eq!(found.unplaced, Vec::<usize>::new());
        let from_crook: Vec<usize> = found
            .opened
            .iter()
            .filter(|o| o.board == 0)
            .flat_map(|o| o.layout.placed.iter().map(|p| p.piece))
            .collect();
        assert_eq!(from_crook, [2]);
        // With no curved piece waiting it is still kept …
        let kept = solve(vec![crook.clone(), straight], heads.to_vec());
        assert_eq!(kept.opened.iter().map(|o| o.board).collect::<Vec<_>>(), [1]);
        // … unless there is no other board.
        assert!(solve(vec![crook], heads.to_vec()).unplaced.is_empty());
    }

    #[test]
    fn two_cheap_boards_before_one_dear_one() {
        let boards = vec![
            board(3_000.0, 200.0, 30.0, Origin::New),
            board(1_600.0, 200.0, 11.0, Origin::New),
            board(1_600.0, 200.0, 11.0, Origin::New),
        ];
        let found = solve(boards, vec![piece(1_400.0, 180.0), piece(1_400.0, 180.0)]);
        assert_eq!((found.cost, found.unplaced.len()), (22.0, 0));
    }

    #[test]
    fn cuts_run_in_an_order_the_saw_can_follow() {
        let job = Job::new(
            vec![board(2_000.0, 200.0, 1.0, Origin::New)],
            vec![piece(900.0, 90.0), piece(900.0, 90.0), piece(700.0, 150.0)],
        );
        let found = plan(&job, 50_000, &mut |_| Some(0.0)).unwrap();
        assert!(found.unplaced.is_empty());
        // Each cut goes through no piece.
        for cut in &found.opened[0].layout.cuts {
            let band = match cut.way {
                super::super::layout::Way::Cross => Area { x0: cut.at, x1: cut.at + 3.0, y0: cut.from, y1: cut.to },
                super::super::layout::Way::Rip => Area { x0: cut.from, x1: cut.to, y0: cut.at, y1: cut.at + 3.0 },
            };
            assert!(found.opened[0].layout.placed.iter().all(|p| !p.area.overlaps(&band)), "{cut:?}");
        }
    }

    #[test]
    fn nonsense_is_refused_at_its_field() {
        let bad = Job::new(vec![board(2_000.0, -1.0, 1.0, Origin::New)], vec![]);
        assert_eq!(plan(&bad, 10, &mut |_| Some(0.0)).unwrap_err().field, "boards[0].width");
        let bad = Job::new(vec![], vec![piece(f64::NAN, 10.0)]);
        assert_eq!(plan(&bad, 10, &mut |_| Some(0.0)).unwrap_err().field, "pieces[0].length");
        assert!(solve(vec![], vec![]).opened.is_empty());
        assert_eq!(solve(vec![], vec![piece(10.0, 10.0)]).unplaced, [0]);
    }

    /// Cheapest set of boards that takes everything, by trying every set.
    fn brute(job: &Job) -> Option<f64> {
        let n = job.boards.len();
        (0..1u32 << n)
            .filter_map(|set| {
                let boards: Vec<Stock> = (0..n).filter(|b| set >> b & 1 == 1).map(|b| job.boards[b].clone()).collect();
                let cost = boards.iter().map(|b| b.cost).sum();
                let found = plan(&Job { boards, ..job.clone() }, 40_000, &mut |_| Some(0.0)).unwrap();
                found.unplaced.is_empty().then_some(cost)
            })
            .min_by(f64::total_cmp)
    }

    #[test]
    fn whoever_stops_the_first_beginning_waits_for_no_other() {
        let boards: Vec<Stock> =
            (0..12).map(|n| board(2_000.0 + 40.0 * f64::from(n), 220.0, 30.0 + f64::from(n), Origin::New)).collect();
        let pieces: Vec<Piece> = (0..40).map(|n| piece(300.0 + 17.0 * f64::from(n), 60.0 + f64::from(n))).collect();
        let job = Job::new(boards, pieces);
        assert!(SEVERAL.contains(&(job.boards.len() + job.pieces.len())));
        let mut asked = 0;
        let stopped = plan(&job, BUDGET, &mut |p| {
            assert!((0.0..=1.0).contains(&p.share), "{}", p.share);
            asked += 1;
            (asked < 3).then_some(0.0)
        });
        assert!(stopped.is_ok() && asked <= 4, "asked {asked} times");
        // Begun several times it is told how far it is without going back, and costs no more than begun once.
        let mut last = 0.0;
        let mut back = false;
        let several = plan(&job, 40_000, &mut |p| {
            back |= p.share < last - 1e-9;
            last = p.share;
            Some(0.0)
        });
        let once = super::solve(&job, 40_000, &mut |_| Some(0.0), true);
        let several = several.unwrap();
        assert!(!back && several.unplaced.len() <= once.unplaced.len());
        assert!(several.unplaced.len() < once.unplaced.len() || several.cost <= once.cost + 1e-9);
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]

        #[test]
        fn every_plan_is_right(
            boards in proptest::collection::vec((400.0..4_000.0f64, 60.0..300.0f64, 1.0..60.0f64, 0u8..3, 0.0..1.0f64), 1..8),
            pieces in proptest::collection::vec((100.0..2_500.0f64, 30.0..220.0f64, 0u8..3), 0..16),
            kerf in 0.0..6.0f64, seed: u64,
        ) {
            let boards = boards.into_iter().map(|(length, width, cost, origin, knot)| Stock {
                defects: vec![(Area { x0: length * knot, x1: length * knot + 30.0, y0: width * 0.3, y1: width * 0.6 }, 1 + origin), (Area { x0: 0.0, x1: 60.0, y0: 0.0, y1: width }, 3 - origin)],
                ..board(length, width, cost, [Origin::New, Origin::Offcut, Origin::Salvage][origin as usize])
            }).collect();
            let pieces = pieces.into_iter().map(|(length, width, tolerates)| Piece { tolerates, ..piece(length, width) }).collect();
            let job = Job { kerf, seed, ..Job::new(boards, pieces) };
            let found = plan(&job, 20_000, &mut |_| Some(0.0)).unwrap();
            assert_right(&job, &found);
            prop_assert_eq!(&found, &plan(&job, 20_000, &mut |_| Some(0.0)).unwrap(), "the same job gives the same plan");
        }

        #[test]
        fn a_few_boards_are_chosen_as_well_as_by_trying_every_set(
            boards in proptest::collection::vec((800.0..3_000.0f64, 100.0..240.0f64, 5.0..40.0f64), 2..5),
            pieces in proptest::collection::vec((300.0..1_200.0f64, 50.0..120.0f64), 1..6),
        ) {
            let boards = boards.into_iter().map(|(l, w, c)| board(l, w, c, Origin::New)).collect();
            let job = Job::new(boards, pieces.into_iter().map(|(l, w)| piece(l, w)).collect());
            let found = plan(&job, 200_000, &mut |_| Some(0.0)).unwrap();
            if let Some(cost) = brute(&job) {
                prop_assert!(found.unplaced.is_empty());
                prop_assert!(found.cost <= cost + 1e-6, "{} against {}", found.cost, cost);
            }
        }
    }
}
