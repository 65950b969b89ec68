//! Part renewal of a hollow spar: which staves from where to where, scarfs staggered round it, the stock they are cut
//! from, and what may be out together (handbook 10).

use crate::error::{self, InputError};
use crate::repair::scarf_run::{KERF, LEAST_SCARFS};

/// A soft stretch of a stave, mm from the heel.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bad {
    pub stave: usize,
    pub from: f64,
    pub to: f64,
}

/// A spar to be mended. Lengths in mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Job {
    pub length: f64,
    /// They stand in a ring: the last is neighbour of the first.
    pub staves: usize,
    pub wall: f64,
    /// Of a scarf: its length over the wall.
    pub ratio: f64,
    pub bad: Vec<Bad>,
    /// Beyond the last soft wood each way; the usual one where none is given.
    pub margin: Option<f64>,
    pub stock: Vec<f64>,
    /// Most staves out at one place; half of them where it is not said.
    pub most_out: Option<usize>,
}

/// New wood of a stave.
#[derive(Debug, Clone, PartialEq)]
pub struct Piece {
    pub stave: usize,
    pub from: f64,
    pub to: f64,
    /// Indices of the stock it is cut from, heel first.
    pub stock: Vec<usize>,
}

#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Scarf {
    pub stave: usize,
    /// Its middle.
    pub at: f64,
}

/// How the spar is mended.
#[derive(Debug, Clone, PartialEq)]
pub struct Repair {
    /// By stave, heel first.
    pub pieces: Vec<Piece>,
    pub scarfs: Vec<Scarf>,
    pub new_length: f64,
    /// Indices of pieces that may be out together.
    pub at_once: Vec<Vec<usize>>,
}

#[derive(Debug, Clone, PartialEq)]
pub enum Answer {
    Repair(Repair),
    Impossible(String),
}

/// Distances that differ by less are the same, mm.
const HAIR: f64 = 1e-6;
/// Places and cuttings tried before the best so far is taken.
const BUDGET: u32 = 600_000;
/// Most soft stretches.
const MOST: usize = 60;

/// Where a piece may end: a scarf at a place, or the spar's own end.
#[derive(Debug, Clone, Copy, PartialEq)]
struct End {
    /// How much longer than it must be.
    more: f64,
    /// The end of the piece.
    at: f64,
    /// Middle of the scarf; `None` at the spar's end.
    scarf: Option<f64>,
}

/// What a piece must hold, mm from the heel; its ends may only go outward.
#[derive(Debug, Clone, Copy)]
struct Need {
    stave: usize,
    from: f64,
    to: f64,
}

impl Job {
    fn scarf(&self) -> f64 {
        self.ratio * self.wall
    }

    fn margin(&self) -> f64 {
        self.margin.unwrap_or((2.0 * self.wall).max(50.0))
    }

    fn check(&self) -> Result<(), InputError> {
        error::length("length", self.length)?;
        error::length("wall", self.wall)?;
        error::within("ratio", self.ratio, 1.0, 100.0)?;
        if self.staves < 5 || self.staves > 64 {
            return Err(InputError::new("staves", "must be between 5 and 64"));
        }
        if let Some(margin) = self.margin {
            error::within("margin", margin, 0.0, self.length)?;
        }
        if self.bad.is_empty() || self.bad.len() > MOST {
            return Err(InputError::new("bad", format!("needs 1 to {MOST} stretches")));
        }
        for (i, bad) in self.bad.iter().enumerate() {
            let field = |name: &str| format!("bad[{i}].{name}");
            if bad.stave >= self.staves {
                return Err(InputError::new(
                    field("stave"),
                    format!("there are {} staves, counted from 0", self.staves),
                ));
            }
            error::within(&field("from"), bad.from, 0.0, self.length)?;
            error::within(&field("to"), bad.to, 0.0, self.length)?;
            if bad.to <= bad.from {
                return Err(InputError::new(field("to"), "must lie beyond where it begins"));
            }
        }
        if self.stock.len() > 100 {
            return Err(InputError::new("stock", "takes no more than 100 lengths"));
        }
        for (i, length) in self.stock.iter().enumerate() {
            error::length("length", *length).map_err(|e| e.within(&format!("stock[{i}]")))?;
        }
        if self.most_out == Some(0) {
            return Err(InputError::new("most_out", "must be 1 at least"));
        }
        Ok(())
    }

    fn beside(&self, a: usize, b: usize) -> bool {
        let apart = a.abs_diff(b);
        apart == 1 || apart == self.staves - 1
    }

    /// What must be new on each stave, stretches that lie near each other taken as one.
    fn needs(&self) -> Vec<Need> {
        let (scarf, margin) = (self.scarf(), self.margin());
        let mut bad = self.bad.clone();
        bad.sort_by(|a, b| a.stave.cmp(&b.stave).then(a.from.total_cmp(&b.from)));
        let mut joined: Vec<Bad> = Vec::new();
        for one in bad {
            match joined.last_mut() {
                Some(last) if last.stave == one.stave && one.from - last.to < LEAST_SCARFS * scarf - HAIR => {
                    last.to = last.to.max(one.to);
                }
                _ => joined.push(one),
            }
        }
        let near = scarf + margin;
        let need = |b: &Bad| Need {
            stave: b.stave,
            from: if b.from < near - HAIR { 0.0 } else { b.from - near },
            to: if self.length - b.to < near - HAIR { self.length } else { b.to + near },
        };
        joined.iter().map(need).collect()
    }

    /// Needs with some that follow each other on one stave made one, by the bits of `merged`; `None` where two that are
    /// left apart cannot be.
    fn merged(&self, needs: &[Need], merged: u32) -> Option<Vec<Need>> {
        let mut out: Vec<Need> = Vec::new();
        let mut bit = 0;
        for need in needs {
            match out.last_mut() {
                Some(last) if last.stave == need.stave => {
                    let one = merged >> bit & 1 == 1;
                    bit += 1;
                    if one {
                        last.to = need.to;
                    } else if need.from - last.to < LEAST_SCARFS * self.scarf() - HAIR {
                        return None;
                    } else {
                        out.push(*need);
                    }
                }
                _ => out.push(*need),
            }
        }
        Some(out)
    }

    /// Ends a piece may have, the nearest first. A best plan has every scarf where it must be, or a whole number of
    /// scarf lengths from where another must be: each that is moved touches one it was moved from.
    fn ends(&self, needs: &[Need], at: f64, outward: f64) -> Vec<End> {
        let (scarf, edge) = (self.scarf(), if outward < 0.0 { 0.0 } else { self.length });
        let spar_end = End { more: (at - edge).abs(), at: edge, scarf: None };
        if spar_end.more <= HAIR {
            return vec![End { more: 0.0, ..spar_end }];
        }
        let middle = |end: f64| end - outward * scarf / 2.0;
        let all = needs.iter().flat_map(|n| [(n.from, -1.0), (n.to, 1.0)]);
        let fixed: Vec<f64> = all
            .filter(|(end, way)| (*end - if *way < 0.0 { 0.0 } else { self.length }).abs() > HAIR)
            .map(|(end, way)| end - way * scarf / 2.0)
            .collect();
        let steps = 2 * needs.len() as i32 + 2;
        let mut ends: Vec<End> = fixed
            .iter()
            .flat_map(|base| (-steps..=steps).map(move |k| base + f64::from(k) * scarf))
            .map(|m| End { more: (m - middle(at)) * outward, at: m + outward * scarf / 2.0, scarf: Some(m) })
            .filter(|e| e.more > -HAIR && e.at > HAIR && e.at < self.length - HAIR)
            .chain([spar_end])
            .collect();
        ends.sort_by(|a, b| a.more.total_cmp(&b.more));
        ends.dedup_by(|a, b| (a.more - b.more).abs() < HAIR && a.scarf.is_some() == b.scarf.is_some());
        ends
    }
}

/// Ends of all pieces, searched in the order of [`Placing::slots`].
struct Placing<'j> {
    job: &'j Job,
    needs: Vec<Need>,
    /// For each slot (heel and head end of each need) what it may be.
    slots: Vec<Vec<End>>,
    taken: Vec<End>,
    best: Option<(f64, Vec<End>)>,
    bound: f64,
    left: u32,
}

impl Placing<'_> {
    fn fits(&self, slot: usize, end: End) -> bool {
        let scarf = self.job.scarf();
        let stave = self.needs[slot / 2].stave;
        for (other, taken) in self.taken.iter().enumerate() {
            let theirs = self.needs[other / 2].stave;
            if let (Some(a), Some(b), true) = (end.scarf, taken.scarf, self.job.beside(stave, theirs))
                && (a - b).abs() < scarf - HAIR
            {
                return false;
            }
            // The head end of the piece before, on the same stave: old wood between them.
            let follows = theirs == stave && slot.is_multiple_of(2) && other + 1 == slot;
            if follows && end.at - taken.at < LEAST_SCARFS * scarf - HAIR {
                return false;
            }
        }
        true
    }

    fn search(&mut self, more: f64) {
        if more >= self.bound - HAIR || self.left == 0 {
            return;
        }
        self.left -= 1;
        crate::patience::look();
        let slot = self.taken.len();
        let Some(ends) = self.slots.get(slot).cloned() else {
            self.bound = more;
            self.best = Some((more, self.taken.clone()));
            return;
        };
        for end in ends {
            if more + end.more >= self.bound - HAIR {
                break;
            }
            if self.fits(slot, end) {
                self.taken.push(end);
                self.search(more + end.more);
                self.taken.pop();
            }
        }
    }
}

/// A piece of stock while pieces are cut from it.
#[derive(Debug, Clone, Copy)]
struct Board {
    left: f64,
    whole: f64,
    cut: bool,
}

impl Board {
    /// What one more piece may have.
    fn gives(&self) -> f64 {
        if self.cut { self.left - KERF } else { self.left }
    }

    fn take(&mut self, length: f64) {
        self.left -= length + if self.cut { KERF } else { 0.0 };
        self.cut = true;
    }
}

struct Cutting<'j> {
    job: &'j Job,
    /// Stave, from, to; the longest first.
    pieces: Vec<(usize, f64, f64)>,
    /// Scarfs at the pieces' ends.
    ends: Vec<Scarf>,
    boards: Vec<Board>,
    /// Stock of each piece so far, and the scarf inside it.
    taken: Vec<(Vec<usize>, Option<Scarf>)>,
    best: Option<Vec<(Vec<usize>, Option<Scarf>)>>,
    bound: f64,
    left: u32,
}

impl Cutting<'_> {
    fn staggered(&self, scarf: Scarf) -> bool {
        let inner = self.taken.iter().filter_map(|(_, s)| *s);
        self.ends.iter().copied().chain(inner).all(|other| {
            !self.job.beside(other.stave, scarf.stave) || (other.at - scarf.at).abs() >= self.job.scarf() - HAIR
        })
    }

    /// Boards worth trying: of those alike only one.
    fn worth(&self) -> Vec<usize> {
        let alike = |a: &Board, b: &Board| a.cut == b.cut && (a.left - b.left).abs() < HAIR && a.whole == b.whole;
        let mut worth: Vec<usize> = Vec::new();
        for i in 0..self.boards.len() {
            if worth.iter().all(|w| !alike(&self.boards[*w], &self.boards[i])) {
                worth.push(i);
            }
        }
        // What is open already costs nothing; then the shortest.
        worth.sort_by(|a, b| {
            let key = |i: &usize| (!self.boards[*i].cut, self.boards[*i].left);
            key(a).0.cmp(&key(b).0).then(key(a).1.total_cmp(&key(b).1))
        });
        worth
    }

    fn search(&mut self, opened: f64) {
        if opened >= self.bound - HAIR || self.left == 0 {
            return;
        }
        self.left -= 1;
        crate::patience::look();
        let Some(&(stave, from, to)) = self.pieces.get(self.taken.len()) else {
            self.bound = opened;
            self.best = Some(self.taken.clone());
            return;
        };
        let (length, scarf) = (to - from, self.job.scarf());
        let worth = self.worth();
        let price = |board: &Board| if board.cut { 0.0 } else { board.whole };
        for &i in &worth {
            if self.boards[i].gives() < length - HAIR {
                continue;
            }
            let (kept, cost) = (self.boards[i], price(&self.boards[i]));
            self.boards[i].take(length);
            self.taken.push((vec![i], None));
            self.search(opened + cost);
            self.taken.pop();
            self.boards[i] = kept;
        }
        let least = LEAST_SCARFS * scarf;
        for &i in &worth {
            // The second may be one like the first: any board but it.
            for j in (0..self.boards.len()).filter(|j| *j != i) {
                let (a, b) = (self.boards[i].gives(), self.boards[j].gives());
                let (low, high) = (least.max(length + scarf - b), a.min(length + scarf - least));
                if low > high + HAIR || opened + price(&self.boards[i]) + price(&self.boards[j]) >= self.bound - HAIR {
                    continue;
                }
                // Heel part as long or as short as it may be, or beside a scarf of a neighbour.
                let near = self.ends.iter().chain(self.taken.iter().filter_map(|(_, s)| s.as_ref()));
                let places = near
                    .filter(|s| self.job.beside(s.stave, stave))
                    .flat_map(|s| [s.at - scarf, s.at + scarf])
                    .map(|at| at + scarf / 2.0 - from);
                let mut parts: Vec<f64> = places.filter(|p| *p >= low - HAIR && *p <= high + HAIR).collect();
                parts.extend([high, low]);
                for part in parts {
                    let inner = Scarf { stave, at: from + part - scarf / 2.0 };
                    if !self.staggered(inner) {
                        continue;
                    }
                    let kept = (self.boards[i], self.boards[j]);
                    let cost = price(&kept.0) + price(&kept.1);
                    self.boards[i].take(part);
                    self.boards[j].take(length + scarf - part);
                    self.taken.push((vec![i, j], Some(inner)));
                    self.search(opened + cost);
                    self.taken.pop();
                    (self.boards[i], self.boards[j]) = kept;
                }
            }
        }
    }
}

/// Plans the part renewal of a hollow spar: least length of new wood, then least stock opened.
///
/// Errors name the field. Source: handbook 10; contract `stave-repair`.
pub fn plan(job: &Job) -> Result<Answer, InputError> {
    job.check()?;
    let needs = job.needs();
    let pairs = needs.windows(2).filter(|w| w[0].stave == w[1].stave).count();
    let mut best: Option<(f64, Vec<Need>, Vec<End>)> = None;
    // Which of those that follow each other on a stave are made one; past a dozen all that must be.
    for merged in 0..1u32 << pairs.min(12) {
        let Some(needs) = job.merged(&needs, merged) else { continue };
        let least: f64 = needs.iter().map(|n| n.to - n.from).sum();
        let known = best.as_ref().map_or(f64::INFINITY, |b| b.0);
        let slots = needs.iter().flat_map(|n| [job.ends(&needs, n.from, -1.0), job.ends(&needs, n.to, 1.0)]).collect();
        let mut placing = Placing {
            job,
            needs: needs.clone(),
            slots,
            taken: Vec::new(),
            best: None,
            bound: known - least,
            left: BUDGET,
        };
        placing.search(0.0);
        if let Some((more, ends)) = placing.best {
            best = Some((least + more, needs, ends));
        }
    }
    let Some((new_length, needs, ends)) = best else {
        return Ok(Answer::Impossible("the scarfs cannot be staggered round this spar".into()));
    };
    let at = |n: usize| (needs[n].stave, ends[2 * n].at, ends[2 * n + 1].at);
    let mut scarfs: Vec<Scarf> = (0..ends.len())
        .filter_map(|slot| Some(Scarf { stave: needs[slot / 2].stave, at: ends[slot].scarf? }))
        .collect();
    let mut order: Vec<usize> = (0..needs.len()).collect();
    order.sort_by(|a, b| (at(*b).2 - at(*b).1).total_cmp(&(at(*a).2 - at(*a).1)));
    let mut cutting = Cutting {
        job,
        pieces: order.iter().map(|n| at(*n)).collect(),
        ends: scarfs.clone(),
        boards: job.stock.iter().map(|l| Board { left: *l, whole: *l, cut: false }).collect(),
        taken: Vec::new(),
        best: None,
        bound: f64::INFINITY,
        left: BUDGET,
    };
    cutting.search(0.0);
    let Some(cut) = cutting.best else {
        return Ok(Answer::Impossible("the stock does not reach: no piece is made of more than two lengths".into()));
    };
    let mut pieces: Vec<Option<Piece>> = vec![None; needs.len()];
    for (n, (stock, inner)) in order.iter().zip(cut) {
        let (stave, from, to) = at(*n);
        scarfs.extend(inner);
        pieces[*n] = Some(Piece { stave, from, to, stock });
    }
    let pieces: Vec<Piece> = pieces.into_iter().flatten().collect();
    scarfs.sort_by(|a, b| a.stave.cmp(&b.stave).then(a.at.total_cmp(&b.at)));
    let at_once = groups(job, &pieces);
    Ok(Answer::Repair(Repair { pieces, scarfs, new_length, at_once }))
}

/// Whether pieces may be out together.
fn together(job: &Job, pieces: &[Piece], group: &[usize]) -> bool {
    let most = job.most_out.unwrap_or(job.staves / 2);
    let over = |a: &Piece, b: &Piece| a.from < b.to - HAIR && b.from < a.to - HAIR;
    group.iter().all(|i| {
        let one = &pieces[*i];
        // The most staves are out where some piece begins.
        let here = group.iter().filter(|j| pieces[**j].from <= one.from + HAIR && pieces[**j].to > one.from + HAIR);
        here.count() <= most
            && group.iter().all(|j| i == j || !job.beside(one.stave, pieces[*j].stave) || !over(one, &pieces[*j]))
    })
}

/// Fewest groups of pieces that may be out together.
fn groups(job: &Job, pieces: &[Piece]) -> Vec<Vec<usize>> {
    fn fill(job: &Job, pieces: &[Piece], next: usize, groups: &mut Vec<Vec<usize>>, left: &mut u32) -> bool {
        if next == pieces.len() {
            return true;
        }
        if *left == 0 {
            return false;
        }
        *left -= 1;
        crate::patience::look();
        for g in 0..groups.len() {
            groups[g].push(next);
            if together(job, pieces, &groups[g]) && fill(job, pieces, next + 1, groups, left) {
                return true;
            }
            groups[g].pop();
            // Empty groups are all alike.
            if groups[g].is_empty() {
                break;
            }
        }
        false
    }
    for count in 1..=pieces.len() {
        let (mut groups, mut left) = (vec![Vec::new(); count], BUDGET / 10);
        if fill(job, pieces, 0, &mut groups, &mut left) {
            groups.retain(|g| !g.is_empty());
            return groups;
        }
    }
    (0..pieces.len()).map(|i| vec![i]).collect()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// A scarf of 240 mm, and 50 mm of sound wood beyond what is soft.
    fn spar(bad: &[(usize, f64, f64)]) -> Job {
        Job {
            length: 10_000.0,
            staves: 8,
            wall: 20.0,
            ratio: 12.0,
            bad: bad.iter().map(|(stave, from, to)| Bad { stave: *stave, from: *from, to: *to }).collect(),
            margin: None,
            stock: vec![4_000.0; 12],
            most_out: None,
        }
    }

    fn mended(job: &Job) -> Repair {
        match plan(job).unwrap() {
            Answer::Repair(repair) => repair,
            Answer::Impossible(why) => panic!("{why}"),
        }
    }

    /// Rules a repair breaks, by code of its own.
    fn breaks(job: &Job, repair: &Repair) -> Vec<String> {
        let (scarf, margin) = (job.scarf(), job.margin());
        let mut wrong = Vec::new();
        for b in &job.bad {
            let held = repair.pieces.iter().any(|p| {
                let heel = p.from <= HAIR || p.from + scarf <= b.from - margin + HAIR;
                let head = p.to >= job.length - HAIR || p.to - scarf >= b.to + margin - HAIR;
                p.stave == b.stave && p.from <= b.from && p.to >= b.to && heel && head
            });
            if !held {
                wrong.push(format!("{b:?} is not held"));
            }
        }
        for (i, a) in repair.scarfs.iter().enumerate() {
            for b in &repair.scarfs[i + 1..] {
                if job.beside(a.stave, b.stave) && (a.at - b.at).abs() < scarf - HAIR {
                    wrong.push(format!("{a:?} and {b:?} are not staggered"));
                }
            }
        }
        for pair in repair.pieces.windows(2) {
            if pair[0].stave == pair[1].stave && pair[1].from - pair[0].to < 3.0 * scarf - HAIR {
                wrong.push(format!("{pair:?} keep too little old wood"));
            }
        }
        let mut grouped: Vec<usize> = repair.at_once.concat();
        grouped.sort_unstable();
        if grouped != (0..repair.pieces.len()).collect::<Vec<_>>() {
            wrong.push("a piece is in no group, or in two".into());
        }
        for group in &repair.at_once {
            for x in (0..=job.length as usize).step_by(25).map(|x| x as f64) {
                let out: Vec<usize> = group
                    .iter()
                    .filter(|i| repair.pieces[**i].from < x && x < repair.pieces[**i].to)
                    .map(|i| repair.pieces[*i].stave)
                    .collect();
                let beside = out.iter().any(|a| out.iter().any(|b| job.beside(*a, *b)));
                if beside || out.len() > job.most_out.unwrap_or(job.staves / 2) {
                    wrong.push(format!("at {x} staves {out:?} are out"));
                    break;
                }
            }
        }
        wrong
    }

    #[test]
    fn one_bad_stave_is_renewed_with_a_scarf_beyond_the_margin_at_each_end() {
        let repair = mended(&spar(&[(3, 2_000.0, 2_100.0)]));
        assert_eq!((repair.pieces[0].from, repair.pieces[0].to), (2_000.0 - 50.0 - 240.0, 2_100.0 + 50.0 + 240.0));
        let at: Vec<f64> = repair.scarfs.iter().map(|s| s.at).collect();
        assert_eq!(at, [1_830.0, 2_270.0]);
        assert_eq!(repair.new_length, 680.0);
        // Near the heel it runs out to it: no scarf there.
        let heel = mended(&spar(&[(0, 289.0, 400.0)]));
        assert_eq!((heel.pieces[0].from, heel.scarfs.len()), (0.0, 1));
        let beyond = mended(&spar(&[(0, 291.0, 400.0)]));
        assert!(beyond.pieces[0].from > 0.9 && beyond.scarfs.len() == 2);
    }

    #[test]
    fn neighbours_are_staggered_by_a_scarf_and_those_across_are_not() {
        // Alike on two neighbours: one scarf length more at each end.
        let beside = mended(&spar(&[(0, 2_000.0, 2_100.0), (7, 2_000.0, 2_100.0)]));
        assert_eq!(beside.new_length, 2.0 * 680.0 + 2.0 * 240.0);
        assert_eq!(beside.at_once.len(), 2, "never two neighbours out at one place");
        let across = mended(&spar(&[(0, 2_000.0, 2_100.0), (4, 2_000.0, 2_100.0)]));
        assert_eq!(across.new_length, 2.0 * 680.0);
        assert_eq!(across.at_once, [[0, 1]]);
        // Three in a row: the middle one goes outward at both ends, the outer two stay.
        let row = mended(&spar(&[(1, 2_000.0, 2_100.0), (2, 2_000.0, 2_100.0), (3, 2_000.0, 2_100.0)]));
        assert_eq!(row.new_length, 3.0 * 680.0 + 480.0);
    }

    #[test]
    fn stretches_near_each_other_become_one_and_old_wood_between_pieces_is_three_scarfs() {
        assert_eq!(mended(&spar(&[(2, 2_000.0, 2_100.0), (2, 2_800.0, 2_900.0)])).pieces.len(), 1);
        // 720 mm apart they are two stretches, whose scarfs leave only 140 mm of old wood: one piece.
        assert_eq!(mended(&spar(&[(2, 2_000.0, 2_100.0), (2, 2_820.0, 2_900.0)])).pieces.len(), 1);
        let apart = mended(&spar(&[(2, 2_000.0, 2_100.0), (2, 2_100.0 + 580.0 + 720.0, 3_500.0)]));
        assert_eq!(apart.pieces.len(), 2);
        assert_eq!(apart.pieces[1].from - apart.pieces[0].to, 720.0);
    }

    #[test]
    fn short_stock_is_scarfed_from_two_and_the_least_is_opened() {
        let mut job = spar(&[(0, 2_000.0, 5_000.0)]);
        // 3,580 mm of new wood: one of 3.6 m opens less than two of 2 m, which reach 3,760 mm together.
        job.stock = vec![2_000.0, 2_000.0, 3_600.0];
        assert_eq!(mended(&job).pieces[0].stock, [2]);
        job.stock.pop();
        let two = mended(&job);
        assert_eq!((two.pieces[0].stock.len(), two.scarfs.len()), (2, 3));
        assert_eq!(breaks(&job, &two), [] as [String; 0]);
        job.stock = vec![1_900.0, 1_900.0];
        assert!(matches!(plan(&job).unwrap(), Answer::Impossible(why) if why.contains("stock")));
        // Two pieces of 680 mm come out of one length with the saw's cut between; a millimetre less, and they do not.
        let mut small = spar(&[(0, 2_000.0, 2_100.0), (4, 2_000.0, 2_100.0)]);
        small.stock = vec![1_363.0, 900.0];
        assert!(mended(&small).pieces.iter().all(|p| p.stock == [0]));
        small.stock = vec![1_362.0, 900.0];
        assert_ne!(mended(&small).pieces[0].stock, mended(&small).pieces[1].stock);
    }

    #[test]
    fn what_is_no_spar_is_refused_at_its_field() {
        let field = |job: Job| plan(&job).unwrap_err().field;
        let good = spar(&[(0, 1.0, 2.0)]);
        assert_eq!(field(Job { staves: 4, ..good.clone() }), "staves");
        assert_eq!(field(Job { bad: Vec::new(), ..good.clone() }), "bad");
        assert_eq!(field(spar(&[(8, 1.0, 2.0)])), "bad[0].stave");
        assert_eq!(field(spar(&[(0, 5.0, 5.0)])), "bad[0].to");
        assert_eq!(field(spar(&[(0, 5.0, 20_000.0)])), "bad[0].to");
        assert_eq!(field(Job { wall: 0.0, ..good.clone() }), "wall");
        assert_eq!(field(Job { stock: vec![-1.0], ..good }), "stock[0].length");
    }

    /// Least length by trying every end on a raster, for two staves beside each other.
    fn brute(job: &Job) -> f64 {
        let needs = job.needs();
        let scarf = job.scarf();
        let places = |end: f64, way: f64| -> Vec<f64> {
            let steps = (0..=40).map(|k| end + way * f64::from(k) * 20.0);
            steps.filter(|e| *e > 0.0 && *e < job.length).chain([if way < 0.0 { 0.0 } else { job.length }]).collect()
        };
        let middle = |end: f64, way: f64| (end > HAIR && end < job.length - HAIR).then(|| end - way * scarf / 2.0);
        let mut best = f64::INFINITY;
        for a in places(needs[0].from, -1.0) {
            for b in places(needs[0].to, 1.0) {
                for c in places(needs[1].from, -1.0) {
                    for d in places(needs[1].to, 1.0) {
                        let ours = [middle(a, -1.0), middle(b, 1.0)];
                        let theirs = [middle(c, -1.0), middle(d, 1.0)];
                        let clash = ours
                            .iter()
                            .flatten()
                            .any(|m| theirs.iter().flatten().any(|o| (m - o).abs() < scarf - HAIR));
                        if !clash {
                            best = best.min(b - a + d - c);
                        }
                    }
                }
            }
        }
        best
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]
        #[test]
        fn two_neighbours_are_never_longer_than_the_best_of_a_raster(a in 100..200i32, la in 5..30i32, b in 100..200i32, lb in 5..30i32) {
            let at = |n: i32| f64::from(n) * 20.0;
            let job = spar(&[(2, at(a), at(a + la)), (3, at(b), at(b + lb))]);
            let repair = mended(&job);
            prop_assert!((repair.new_length - brute(&job)).abs() < 1e-6, "{} against {}", repair.new_length, brute(&job));
        }

        #[test]
        fn no_repair_breaks_a_rule(bad in prop::collection::vec((0..8usize, 0.0..9_000.0f64, 20.0..900.0f64), 1..6), most in 1..5usize) {
            let bad: Vec<_> = bad.iter().map(|(s, from, long)| (*s, *from, from + long)).collect();
            let job = Job { stock: vec![6_000.0; 12], most_out: Some(most), ..spar(&bad) };
            if let Answer::Repair(repair) = plan(&job).unwrap() {
                prop_assert_eq!(breaks(&job, &repair), [] as [String; 0]);
            }
        }
    }
}
