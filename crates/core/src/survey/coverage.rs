//! What was looked at, by which method, and how much was not.

use std::collections::{BTreeMap, HashSet};

use crate::grid::{Address, Side};
use crate::survey::Method;

/// A cell of a boat: the member's id where it is kept, and the cell on it.
pub type Cell = (i64, u32);

/// How much of a surface was looked at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Coverage {
    pub cells: usize,
    /// Looked at by any method.
    pub seen: usize,
    /// Cells looked at by each method that was used.
    pub by_method: Vec<(Method, usize)>,
}

impl Coverage {
    /// Counts looks at the `cells` of a surface; looks elsewhere do not count, the same look twice counts once.
    pub fn of(cells: &HashSet<Cell>, looks: impl IntoIterator<Item = (Cell, Method)>) -> Self {
        let mut seen = HashSet::new();
        let mut by_method: BTreeMap<Method, HashSet<Cell>> = BTreeMap::new();
        for (cell, method) in looks {
            if cells.contains(&cell) {
                seen.insert(cell);
                by_method.entry(method).or_default().insert(cell);
            }
        }
        let by_method = by_method.into_iter().map(|(method, cells)| (method, cells.len())).collect();
        Self { cells: cells.len(), seen: seen.len(), by_method }
    }

    /// Share looked at, 0–1; a surface without cells is all seen.
    pub fn share(&self) -> f64 {
        if self.cells == 0 { 1.0 } else { self.seen as f64 / self.cells as f64 }
    }
}

/// Where to look, in the order that is advised: where fresh water comes in and where water stands, strake by strake every second bay, the
/// ends before the middle; then what lies between, nearest to where something was found.
pub fn advised(strakes: u32, bays: u32) -> Vec<Address> {
    let rank = |at: &Address| {
        let strake = match at.strake {
            s if s == strakes => 0,
            1 => 1,
            _ => 2,
        };
        let ends = at.frame.min(bays + 1 - at.frame);
        ((at.frame + at.strake) % 2, strake, ends, at.strake, at.side, at.frame)
    };
    let mut all: Vec<Address> = Side::BOTH
        .into_iter()
        .flat_map(|side| {
            (1..=strakes).flat_map(move |strake| (1..=bays).map(move |frame| Address { side, strake, frame }))
        })
        .collect();
    all.sort_by_key(rank);
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_cell_counts_once_a_method_and_only_on_its_surface() {
        let cells: HashSet<Cell> = (1..=10).map(|n| (1, n)).collect();
        let looks = [
            ((1, 1), Method::Look),
            ((1, 1), Method::Spike),
            ((1, 2), Method::Look),
            ((1, 2), Method::Look),
            ((7, 1), Method::Look),
        ];
        let coverage = Coverage::of(&cells, looks);
        assert_eq!((coverage.cells, coverage.seen), (10, 2));
        assert_eq!(coverage.by_method, [(Method::Look, 2), (Method::Spike, 1)]);
        assert_eq!(coverage.share(), 0.2);
        assert_eq!(Coverage::of(&HashSet::new(), []).share(), 1.0);
    }

    #[test]
    fn every_bay_is_advised_once_and_the_sheer_and_the_garboard_first() {
        let all = advised(8, 17);
        assert_eq!(all.len(), 2 * 8 * 17);
        assert_eq!(all.iter().collect::<HashSet<_>>().len(), all.len());
        let half = all.len() / 2;
        let first: Vec<u32> = all[..2 * 17].iter().map(|a| a.strake).collect();
        assert!(first.iter().all(|s| *s == 8 || *s == 1), "{first:?}");
        // Half way through every second bay of her was looked at.
        let looked: HashSet<Address> = all[..half].iter().copied().collect();
        let beside = |a: &Address| {
            looked.contains(&Address { frame: a.frame + 1, ..*a })
                || looked.contains(&Address { frame: a.frame.max(2) - 1, ..*a })
        };
        assert!(all[half..].iter().all(beside));
    }
}
