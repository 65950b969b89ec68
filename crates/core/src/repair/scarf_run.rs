//! A long piece scarfed together from short stock: the least stock opened, then the fewest pieces, then the longest
//! shortest piece.
//!
//! Sets of stock are gone through by what they open. Whether a set reaches from end to end is asked of every order of
//! its pieces at once: for each part of the set already used, the stretches of the run where its last scarf may end.
//! Only where that fails for a place no scarf may lie is one stock cut into several pieces; each such cutting is
//! a small linear programme.

use good_lp::{Expression, Solution, SolverModel, constraint, microlp, variable, variables};

use crate::error::{self, InputError};

/// Lost between two pieces of one stock, mm.
pub const KERF: f64 = 3.0;
/// Pieces are at least this many scarfs long (*yard rule*).
pub const LEAST_SCARFS: f64 = 3.0;
/// Sets of stock and cuttings tried before the work is cut short.
const BUDGET: u32 = 300_000;
/// Of one stock several pieces: cuttings tried for one set.
const CUTTINGS: u32 = 4_000;
/// Lengths that differ by less are the same.
const SAME: f64 = 1e-7;
/// Most stock a set may hold: its orders are gone through together.
const MOST_IN_SET: usize = 14;

/// A run to be made up. Lengths in mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Job {
    pub required: f64,
    pub scarf_length: f64,
    /// Lengths of the stock there is.
    pub stock: Vec<f64>,
    pub min_piece: f64,
    /// Places, from the run's start, where no part of a scarf may lie.
    pub forbidden: Vec<[f64; 2]>,
    pub max_pieces: Option<usize>,
}

/// A piece, from one place of the run to another, mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Piece {
    /// Which of the stock.
    pub stock: usize,
    pub from: f64,
    pub to: f64,
}

/// How a run is made up.
#[derive(Debug, Clone, PartialEq)]
pub struct Run {
    /// From the start of the run; neighbours overlap by the scarf.
    pub pieces: Vec<Piece>,
    /// Lengths of all pieces together, mm.
    pub used: f64,
    /// Whole lengths of the stock that is cut into, mm.
    pub stock_opened: f64,
    /// Nothing better exists; false when the work was cut short.
    pub proven: bool,
}

impl Run {
    pub fn shortest(&self) -> f64 {
        self.pieces.iter().map(|p| p.to - p.from).fold(f64::INFINITY, f64::min)
    }
}

/// What came of making up a run.
#[derive(Debug, Clone, PartialEq)]
pub enum Answer {
    Found(Run),
    Impossible(String),
}

impl Job {
    /// Checks a job. Errors name its field.
    fn check(&self) -> Result<(), InputError> {
        error::length("required", self.required)?;
        error::length("scarf_length", self.scarf_length)?;
        if !self.min_piece.is_finite() || self.min_piece < self.scarf_length {
            return Err(InputError::new("min_piece", "must be at least as long as the scarf"));
        }
        if self.stock.len() > 200 {
            return Err(InputError::new("stock", "takes no more than 200 lengths"));
        }
        for (i, length) in self.stock.iter().enumerate() {
            error::length("length", *length).map_err(|e| e.within(&format!("stock[{i}]")))?;
        }
        for (i, [from, to]) in self.forbidden.iter().enumerate() {
            if !(from.is_finite() && to.is_finite() && from < to) {
                return Err(InputError::new(format!("forbidden[{i}]"), "must go from a lower to a higher place"));
            }
        }
        if self.max_pieces == Some(0) {
            return Err(InputError::new("max_pieces", "must be at least 1"));
        }
        Ok(())
    }

    /// Stretches where the end of a scarf may lie, so that all of it keeps off what is forbidden.
    fn gaps(&self) -> Vec<[f64; 2]> {
        let mut shut: Vec<[f64; 2]> = self.forbidden.iter().map(|f| [f[0], f[1] + self.scarf_length]).collect();
        shut.sort_by(|a, b| a[0].total_cmp(&b[0]));
        let (mut gaps, mut from) = (Vec::new(), self.scarf_length);
        for [low, high] in shut {
            if low >= from {
                gaps.push([from, low.min(self.required)]);
            }
            from = from.max(high);
        }
        gaps.push([from, self.required]);
        gaps.retain(|g| g[0] <= g[1]);
        gaps
    }

    /// What `pieces` pieces must measure together.
    fn measure(&self, pieces: usize) -> f64 {
        self.required + (pieces as f64 - 1.0) * self.scarf_length
    }
}

/// Makes up a run from stock. Errors name the field.
pub fn make_up(job: &Job) -> Result<Answer, InputError> {
    job.check()?;
    let mut order: Vec<usize> = (0..job.stock.len()).collect();
    order.sort_by(|a, b| job.stock[*b].total_cmp(&job.stock[*a]));
    let mut search = Search { job, gaps: job.gaps(), order, best: None, left: BUDGET, whole: true };
    search.choose(0, &mut Vec::new(), 0.0);
    match search.best.take() {
        Some(best) => Ok(Answer::Found(Run { proven: search.whole, ..best })),
        None => Ok(Answer::Impossible(search.why())),
    }
}

/// Stretches in order that do not touch.
type Stretches = Vec<[f64; 2]>;

fn merged(mut stretches: Stretches) -> Stretches {
    stretches.sort_by(|a, b| a[0].total_cmp(&b[0]));
    let mut out: Stretches = Vec::new();
    for s in stretches {
        match out.last_mut() {
            Some(last) if s[0] <= last[1] + SAME => last[1] = last[1].max(s[1]),
            _ => out.push(s),
        }
    }
    out
}

struct Search<'j> {
    job: &'j Job,
    gaps: Stretches,
    /// Stock, longest first.
    order: Vec<usize>,
    best: Option<Run>,
    left: u32,
    whole: bool,
}

impl Search<'_> {
    /// Whether opening so much in so many pieces can still be as good as the best.
    fn hopeful(&self, opened: f64, pieces: usize) -> bool {
        if self.job.max_pieces.is_some_and(|most| pieces > most) {
            return false;
        }
        self.best.as_ref().is_none_or(|best| {
            opened < best.stock_opened - SAME || (opened <= best.stock_opened + SAME && pieces <= best.pieces.len())
        })
    }

    /// Goes through sets of stock: `chosen` and any of those from `next` on.
    fn choose(&mut self, next: usize, chosen: &mut Vec<usize>, opened: f64) {
        if self.left == 0 {
            self.whole = false;
            return;
        }
        self.left -= 1;
        crate::patience::look();
        let pieces = chosen.len();
        if pieces > 0 && opened + SAME >= self.job.measure(pieces) && self.made_of(chosen, opened) {
            // More stock would only open more.
            return;
        }
        // One more piece must still be worth it, whichever it is.
        let least = (opened + self.order.last().map_or(0.0, |s| self.job.stock[*s])).max(self.job.measure(pieces + 1));
        if !self.hopeful(least, pieces + 1) || pieces == MOST_IN_SET {
            self.whole &= pieces != MOST_IN_SET;
            return;
        }
        let mut last = f64::NAN;
        for at in (next..self.order.len()).rev() {
            let length = self.job.stock[self.order[at]];
            // Of stock as long as what was just tried nothing new can come; too short a stock gives no piece.
            let too_short = length + SAME < self.job.min_piece && length + SAME < self.job.required;
            if length == last || too_short || !self.hopeful(opened + length, pieces + 1) {
                continue;
            }
            // The first of its equals stands for them, so that more of them can follow.
            let first = (next..=at).find(|i| self.job.stock[self.order[*i]] == length).unwrap_or(at);
            last = length;
            chosen.push(self.order[first]);
            self.choose(first + 1, chosen, opened + length);
            chosen.pop();
        }
    }

    /// Makes the run of this set if it can, and keeps it when it is the best so far.
    fn made_of(&mut self, set: &[usize], opened: f64) -> bool {
        if !self.hopeful(opened, set.len()) {
            return false;
        }
        let least = if set.len() == 1 { self.job.min_piece.min(self.job.required) } else { self.job.min_piece };
        let pieces = match self.in_order(set, least) {
            Some(any) => Some(self.evened(set, least, any)),
            // Only a place where no scarf may lie makes it worth cutting one stock into several pieces.
            None if !self.job.forbidden.is_empty() => self.cut_several(set, opened),
            None => None,
        };
        let Some(pieces) = pieces else { return false };
        let used = pieces.iter().map(|p| p.to - p.from).sum();
        let run = Run { pieces, used, stock_opened: opened, proven: true };
        let better = self.best.as_ref().is_none_or(|best| {
            let by_opened = run.stock_opened.total_cmp(&best.stock_opened);
            let same = (run.stock_opened - best.stock_opened).abs() <= SAME;
            (!same && by_opened.is_lt())
                || (same && run.pieces.len() < best.pieces.len())
                || (same && run.pieces.len() == best.pieces.len() && run.shortest() > best.shortest() + SAME)
        });
        if better {
            self.best = Some(run);
        }
        true
    }

    /// The same set with its shortest piece as long as it can be.
    fn evened(&self, set: &[usize], least: f64, any: Vec<Piece>) -> Vec<Piece> {
        let shortest = set.iter().map(|s| self.job.stock[*s]).fold(f64::INFINITY, f64::min);
        let (mut low, mut high) = (least, (self.job.measure(set.len()) / set.len() as f64).min(shortest));
        let mut best = any;
        if let Some(even) = self.in_order(set, high) {
            return even;
        }
        while high - low > 1e-9 * self.job.required.max(1.0) {
            let middle = (low + high) / 2.0;
            match self.in_order(set, middle) {
                Some(better) => (best, low) = (better, middle),
                None => high = middle,
            }
        }
        best
    }

    /// One piece of each stock, none shorter than `least`, in whatever order reaches from end to end.
    fn in_order(&self, set: &[usize], least: f64) -> Option<Vec<Piece>> {
        let (n, scarf) = (set.len(), self.job.scarf_length);
        let full = (1usize << n) - 1;
        let mut ends: Vec<Stretches> = vec![Vec::new(); full + 1];
        ends[0] = vec![[scarf, scarf]];
        for used in 0..full {
            if ends[used].is_empty() {
                continue;
            }
            ends[used] = merged(std::mem::take(&mut ends[used]));
            for (i, stock) in set.iter().enumerate().filter(|(i, _)| used & (1 << i) == 0) {
                let next = used | (1 << i);
                let most = self.job.stock[*stock];
                if most + SAME < least {
                    continue;
                }
                let allowed: &[[f64; 2]] =
                    if next == full { &[[self.job.required, self.job.required]] } else { &self.gaps };
                let reached: Stretches = ends[used]
                    .iter()
                    .map(|s| [s[0] - scarf + least, s[1] - scarf + most])
                    .flat_map(|s| allowed.iter().map(move |gap| [s[0].max(gap[0]), s[1].min(gap[1])]))
                    .filter(|s| s[0] <= s[1] + SAME)
                    .collect();
                ends[next].extend(reached);
            }
        }
        if ends[full].is_empty() {
            return None;
        }
        // Back from the end: a last piece that leaves a place the rest can reach.
        let (mut used, mut end) = (full, self.job.required);
        let mut pieces = Vec::new();
        while used != 0 {
            let before = (0..n).filter(|i| used & (1 << i) != 0).find_map(|i| {
                let most = self.job.stock[set[i]];
                let (low, high) = (end - most + scarf, end - least + scarf);
                let rest = used & !(1 << i);
                let from = ends[rest].iter().find_map(|s| {
                    let (low, high) = (low.max(s[0]), high.min(s[1]));
                    (low <= high + SAME && most + SAME >= least).then_some(low.min(high).max(s[0]))
                })?;
                Some((i, from))
            });
            let (i, from) = before?;
            pieces.push(Piece { stock: set[i], from: from - scarf, to: end });
            (used, end) = (used & !(1 << i), from);
        }
        pieces.reverse();
        Some(pieces)
    }

    /// Some stock of the set cut into several pieces, with as few pieces as possible.
    fn cut_several(&mut self, set: &[usize], opened: f64) -> Option<Vec<Piece>> {
        let whole = set.iter().map(|s| self.job.stock[*s]).sum::<f64>();
        let mut tries = CUTTINGS;
        for pieces in set.len() + 1.. {
            let kerfs = (pieces - set.len()) as f64 * KERF;
            let enough = self.job.measure(pieces) + kerfs <= whole + SAME
                && pieces as f64 * self.job.min_piece <= self.job.measure(pieces) + SAME;
            if !enough || !self.hopeful(opened, pieces) {
                return None;
            }
            let mut best: Option<(f64, Vec<Piece>)> = None;
            self.sequences(set, pieces, &mut Vec::new(), &mut tries, &mut best);
            if tries == 0 {
                self.whole = false;
            }
            if let Some((_, found)) = best {
                return Some(found);
            }
        }
        None
    }

    /// Goes through the stock of each piece in turn, and the stretch each scarf lies in.
    fn sequences(
        &self,
        set: &[usize],
        pieces: usize,
        so_far: &mut Vec<usize>,
        tries: &mut u32,
        best: &mut Option<(f64, Vec<Piece>)>,
    ) {
        let missing = set.iter().filter(|s| !so_far.contains(s)).count();
        if *tries == 0 || missing > pieces - so_far.len() {
            return;
        }
        if so_far.len() == pieces {
            self.scarfs(so_far, &mut Vec::new(), tries, best);
            return;
        }
        for stock in set {
            // Two pieces of one stock after each other are one piece with a needless scarf in it.
            if so_far.last() != Some(stock) {
                so_far.push(*stock);
                self.sequences(set, pieces, so_far, tries, best);
                so_far.pop();
            }
        }
    }

    fn scarfs(&self, stocks: &[usize], gaps: &mut Vec<usize>, tries: &mut u32, best: &mut Option<(f64, Vec<Piece>)>) {
        if *tries == 0 {
            return;
        }
        if gaps.len() + 1 == stocks.len() {
            *tries -= 1;
            if let Some(found) = self.cutting(stocks, gaps)
                && best.as_ref().is_none_or(|b| found.0 > b.0 + SAME)
            {
                *best = Some(found);
            }
            return;
        }
        for gap in gaps.last().copied().unwrap_or(0)..self.gaps.len() {
            // The stretch must be within reach of the one before.
            let before = gaps.last().map_or([self.job.scarf_length; 2], |g| self.gaps[*g]);
            let most = self.job.stock[stocks[gaps.len()]] - self.job.scarf_length;
            if self.gaps[gap][0] > before[1] + most + SAME {
                break;
            }
            gaps.push(gap);
            self.scarfs(stocks, gaps, tries, best);
            gaps.pop();
        }
    }

    /// The lengths of pieces from these stocks with their scarfs in these stretches: the shortest as long as it can be.
    fn cutting(&self, stocks: &[usize], gaps: &[usize]) -> Option<(f64, Vec<Piece>)> {
        let (job, scarf) = (self.job, self.job.scarf_length);
        variables! { all: shortest >= job.min_piece; }
        let ends: Vec<_> =
            gaps.iter().map(|gap| all.add(variable().min(self.gaps[*gap][0]).max(self.gaps[*gap][1]))).collect();
        let length = |i: usize| -> Expression {
            let from: Expression = if i == 0 { 0.0.into() } else { ends[i - 1] - scarf };
            let to: Expression = if i == ends.len() { job.required.into() } else { ends[i].into() };
            to - from
        };
        let mut model = all.maximise(shortest).using(microlp);
        for i in 0..stocks.len() {
            model.add_constraint(constraint!(length(i) >= shortest));
        }
        let mut kinds: Vec<usize> = stocks.to_vec();
        kinds.sort_unstable();
        kinds.dedup();
        for stock in kinds {
            let own: Vec<usize> = (0..stocks.len()).filter(|i| stocks[*i] == stock).collect();
            let together: Expression = own.iter().map(|i| length(*i)).sum();
            let most = job.stock[stock] - (own.len() as f64 - 1.0) * KERF;
            model.add_constraint(constraint!(together <= most));
        }
        let solved = model.solve().ok()?;
        let ends: Vec<f64> = ends.iter().map(|e| solved.value(*e)).collect();
        let pieces: Vec<Piece> = stocks
            .iter()
            .enumerate()
            .map(|(i, stock)| Piece {
                stock: *stock,
                from: if i == 0 { 0.0 } else { ends[i - 1] - scarf },
                to: ends.get(i).copied().unwrap_or(job.required),
            })
            .collect();
        Some((solved.value(shortest), pieces))
    }

    /// Why there is no way.
    fn why(&self) -> String {
        let job = self.job;
        let long: Vec<f64> = job.stock.iter().copied().filter(|l| *l >= job.min_piece || *l >= job.required).collect();
        let total: f64 = long.iter().sum();
        if !self.whole {
            return "no way was found in the time there was; there may be one".into();
        }
        if long.is_empty() {
            return format!("no stock gives a piece of {:.0} mm", job.min_piece.min(job.required));
        }
        if total < job.measure(long.len()) && total < job.required {
            return format!(
                "all the stock together is {total:.0} mm long; {:.0} mm are needed, and the scarfs",
                job.required
            );
        }
        if self.gaps.is_empty() && long.iter().all(|l| *l < job.required) {
            return "a scarf would lie where none may, wherever it is put".into();
        }
        match job.max_pieces {
            Some(most) => format!("with at most {most} pieces no order of the stock puts every scarf where it may lie"),
            None => "no order of the stock puts every scarf where it may lie with pieces long enough".into(),
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn job(required: f64, stock: &[f64]) -> Job {
        Job {
            required,
            scarf_length: 200.0,
            stock: stock.to_vec(),
            min_piece: 600.0,
            forbidden: Vec::new(),
            max_pieces: None,
        }
    }

    fn made(job: &Job) -> Run {
        match make_up(job).unwrap() {
            Answer::Found(run) => run,
            Answer::Impossible(why) => panic!("{why}"),
        }
    }

    /// What the contract asks of any answer.
    fn is_right(job: &Job, run: &Run) -> Result<(), String> {
        let ok = |test: bool, what: &str| if test { Ok(()) } else { Err(format!("{what}: {run:?}")) };
        ok(run.pieces[0].from.abs() < 1e-6, "begins at the start")?;
        ok((run.pieces.last().unwrap().to - job.required).abs() < 1e-6, "ends at the end")?;
        for pair in run.pieces.windows(2) {
            let (low, high) = (pair[1].from, pair[0].to);
            ok((high - low - job.scarf_length).abs() < 1e-6, "overlaps by the scarf")?;
            ok(job.forbidden.iter().all(|f| high <= f[0] + 1e-6 || low >= f[1] - 1e-6), "keeps off what is forbidden")?;
        }
        let least = if run.pieces.len() == 1 { 0.0 } else { job.min_piece };
        ok(run.pieces.iter().all(|p| p.to - p.from >= least - 1e-6), "no piece too short")?;
        for (stock, length) in job.stock.iter().enumerate() {
            let own: Vec<f64> = run.pieces.iter().filter(|p| p.stock == stock).map(|p| p.to - p.from).collect();
            let kerfs = own.len().saturating_sub(1) as f64 * KERF;
            ok(own.iter().sum::<f64>() + kerfs <= length + 1e-6, "fits its stock")?;
        }
        ok(job.max_pieces.is_none_or(|most| run.pieces.len() <= most), "not too many pieces")
    }

    #[test]
    fn the_shortest_stock_that_does_is_opened() {
        let run = made(&job(4_000.0, &[5_200.0, 4_100.0, 2_000.0, 2_300.0]));
        assert_eq!((run.pieces.len(), run.stock_opened, run.proven), (1, 4_100.0, true));
        let run = made(&job(4_000.0, &[5_200.0, 2_000.0, 2_300.0]));
        assert_eq!((run.pieces.len(), run.stock_opened, run.used), (2, 4_300.0, 4_200.0));
        assert!((run.shortest() - 2_000.0).abs() < 1e-3, "the shorter is used whole");
    }

    #[test]
    fn pieces_are_as_even_as_the_stock_lets_them_be() {
        let run = made(&job(6_000.0, &[3_400.0, 3_400.0]));
        assert!((run.shortest() - 3_100.0).abs() < 1e-3, "{run:?}");
        assert!(is_right(&job(6_000.0, &[3_400.0, 3_400.0]), &run).is_ok());
    }

    #[test]
    fn a_scarf_keeps_off_what_is_forbidden_even_if_one_stock_must_be_cut_twice() {
        // The one scarf of two pieces would end between 2800 and 3400: it is moved off by a third piece.
        let kept_off = Job { forbidden: vec![[2_700.0, 3_300.0]], ..job(6_000.0, &[3_400.0, 3_400.0]) };
        let run = made(&kept_off);
        is_right(&kept_off, &run).unwrap();
        assert_eq!((run.pieces.len(), run.stock_opened), (3, 6_800.0));
        // Beside the middle there is room for it.
        let beside = Job { forbidden: vec![[2_700.0, 2_900.0]], ..job(6_000.0, &[3_400.0, 3_400.0]) };
        let run = made(&beside);
        is_right(&beside, &run).unwrap();
        assert!(run.pieces.len() == 2 && (run.shortest() - 3_100.0).abs() < 1e-3, "{run:?}");
    }

    #[test]
    fn what_cannot_be_made_up_says_why() {
        let why = |job: Job| match make_up(&job).unwrap() {
            Answer::Impossible(why) => why,
            Answer::Found(run) => panic!("{run:?}"),
        };
        assert!(why(job(6_000.0, &[2_000.0, 2_000.0])).contains("4000 mm long"));
        assert!(why(job(6_000.0, &[])).contains("no stock gives a piece"));
        assert!(why(Job { max_pieces: Some(2), ..job(6_000.0, &[2_600.0; 4]) }).contains("at most 2 pieces"));
        assert!(
            why(Job { forbidden: vec![[-10.0, 7_000.0]], ..job(6_000.0, &[4_000.0; 4]) })
                .contains("wherever it is put")
        );
        assert_eq!(make_up(&job(-1.0, &[])).unwrap_err().field, "required");
        assert_eq!(make_up(&job(1.0, &[100.0, 0.0])).unwrap_err().field, "stock[1].length");
        assert_eq!(make_up(&Job { min_piece: 10.0, ..job(900.0, &[]) }).unwrap_err().field, "min_piece");
        assert_eq!(make_up(&Job { forbidden: vec![[5.0, 5.0]], ..job(900.0, &[]) }).unwrap_err().field, "forbidden[0]");
    }

    /// Every way on a grid of 100 mm: opened, pieces, shortest.
    fn brute(job: &Job, most: usize) -> Option<(f64, usize, f64)> {
        fn go(job: &Job, most: usize, so_far: &mut Vec<Piece>, best: &mut Option<(f64, usize, f64)>) {
            let from = so_far.last().map_or(0.0, |p| p.to - job.scarf_length);
            for stock in 0..job.stock.len() {
                let mut to = from + 100.0;
                while to <= job.required {
                    so_far.push(Piece { stock, from, to });
                    let mut seen: Vec<usize> = so_far.iter().map(|p| p.stock).collect();
                    seen.sort_unstable();
                    seen.dedup();
                    let opened = seen.iter().map(|s| job.stock[*s]).sum();
                    let run = Run { pieces: so_far.clone(), used: 0.0, stock_opened: opened, proven: true };
                    if to == job.required && is_right(job, &run).is_ok() {
                        let found = (opened, run.pieces.len(), run.shortest());
                        let better = best.is_none_or(|b| (found.0, found.1, -found.2) < (b.0, b.1, -b.2));
                        if better {
                            *best = Some(found);
                        }
                    } else if to < job.required && so_far.len() < most && to - from >= job.min_piece {
                        go(job, most, so_far, best);
                    }
                    so_far.pop();
                    to += 100.0;
                }
            }
        }
        let mut best = None;
        go(job, most, &mut Vec::new(), &mut best);
        best
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 200, ..ProptestConfig::default() })]
        #[test]
        fn no_way_on_a_grid_is_better(
            required in 8u32..24, stock in proptest::collection::vec(5u32..20, 1..4), forbidden in proptest::collection::vec((0u32..22, 1u32..8), 0..3),
            most in proptest::option::of(1usize..4),
        ) {
            let job = Job {
                required: f64::from(required) * 100.0,
                scarf_length: 100.0,
                stock: stock.into_iter().map(|l| f64::from(l) * 100.0).collect(),
                min_piece: 300.0,
                forbidden: forbidden.into_iter().map(|(from, long)| [f64::from(from) * 100.0, f64::from(from + long) * 100.0]).collect(),
                max_pieces: most,
            };
            let grid = brute(&job, most.unwrap_or(4));
            match make_up(&job).unwrap() {
                Answer::Found(run) => {
                    if let Err(what) = is_right(&job, &run) {
                        prop_assert!(false, "{}", what);
                    }
                    prop_assert!(run.proven);
                    if let Some((opened, pieces, shortest)) = grid {
                        prop_assert!(run.stock_opened <= opened + 1e-6, "{:?} against {:?}", run, grid);
                        if (run.stock_opened - opened).abs() < 1e-6 {
                            prop_assert!(run.pieces.len() <= pieces, "{:?} against {:?}", run, grid);
                            prop_assert!(run.pieces.len() < pieces || run.shortest() >= shortest - 1e-3, "{:?} against {:?}", run, grid);
                        }
                    }
                }
                Answer::Impossible(why) => prop_assert!(grid.is_none(), "{} against {:?}", why, grid),
            }
        }
    }
}
