//! Work that is kept as fastenings, seams and coats and not as tasks: how much of it is left, as lines of the plan in the
//! order they follow the repairs (handbook 08: structure, fastening, seams, finish).

use super::estimate::Operation;
use super::plan::{Line, Step};
use crate::grid::Between;

/// A coat still to be laid.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct CoatLeft {
    pub id: i64,
    /// m².
    pub area: f64,
    /// Hours until the next may follow.
    pub recoat: f64,
    /// It is not laid before this hour of the plan.
    pub earliest: u32,
}

/// What is left of one boat.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Rest {
    /// Crossings of plank and frame to be fastened anew.
    pub crossings: u32,
    /// Seams to be opened, and to be filled, m.
    pub to_open: f64,
    pub to_fill: f64,
    pub between: Between,
    /// Coats of each plan of coats, in their order.
    pub coats: Vec<Vec<CoatLeft>>,
}

/// What a line of the rest is of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Of {
    Fastenings,
    Seams,
    /// The coats of a plan, by its place in [`Rest::coats`].
    Coats(usize),
}

/// Fastenings at a crossing (*yard rule*).
pub const A_CROSSING: u32 = 2;

/// Numbers of steps that are no tasks: below 0, the boat's own.
const A_BOAT: i64 = 10;
const COATS: i64 = 1_000_000_000;

/// The number a coat has in the plan.
pub fn coat_number(coat: i64) -> i64 {
    -(COATS + coat)
}

/// The lines of what is left. Fastenings begin once the lines `repairs` of the plan are done, seams after them, coats after the
/// seams; `first` is the number the first of these lines will have in the plan. `rate` gives the yard's hours for a unit.
pub fn lines(
    rest: &Rest,
    boat: i64,
    repairs: &[usize],
    first: usize,
    rate: impl Fn(Operation) -> f64,
) -> Vec<(Of, Line)> {
    let step = |id: i64, operation: Operation, amount: f64, wait_after: f64| Step {
        id,
        operation,
        hours: amount * rate(operation),
        wait_after,
        heavy: false,
        not_before: 0,
    };
    let line = |steps: Vec<Step>, begins_after: Vec<usize>| Line { after: Vec::new(), begins_after, steps, wait: 0.0 };
    let mut all: Vec<(Of, Line)> = Vec::new();
    if rest.crossings > 0 {
        let count = f64::from(rest.crossings) * f64::from(A_CROSSING);
        let steps = vec![step(-(A_BOAT * boat + 1), Operation::Fasten, count, 0.0)];
        all.push((Of::Fastenings, line(steps, repairs.to_vec())));
    }
    let (open, fill) = match rest.between {
        Between::Seam => (Operation::Reef, Operation::Caulk),
        Between::Lap => (Operation::Lap, Operation::Lap),
        Between::GluedEdge | Between::Joint => (Operation::CutOut, Operation::Glue),
    };
    let mut steps = Vec::new();
    if rest.to_open > 0.0 {
        steps.push(step(-(A_BOAT * boat + 2), open, rest.to_open, 0.0));
    }
    if rest.to_fill > 0.0 {
        steps.push(step(-(A_BOAT * boat + 3), fill, rest.to_fill, super::tasks::GLUE_CURE_HOURS));
    }
    if !steps.is_empty() {
        // After the fastenings, which come after the repairs; where there are none, after the repairs themselves.
        let after = if all.is_empty() { repairs.to_vec() } else { vec![first] };
        all.push((Of::Seams, line(steps, after)));
    }
    let before: Vec<usize> = if all.is_empty() { repairs.to_vec() } else { vec![first + all.len() - 1] };
    for (n, coats) in rest.coats.iter().enumerate().filter(|(_, c)| !c.is_empty()) {
        let steps = coats
            .iter()
            .map(|c| Step { not_before: c.earliest, ..step(coat_number(c.id), Operation::Coat, c.area, c.recoat) });
        all.push((Of::Coats(n), line(steps.collect(), before.clone())));
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rate(op: Operation) -> f64 {
        op.rate().0
    }

    fn rest() -> Rest {
        let coat = |id, recoat| CoatLeft { id, area: 10.0, recoat, earliest: 0 };
        Rest {
            crossings: 50,
            to_open: 8.0,
            to_fill: 20.0,
            between: Between::Seam,
            coats: vec![vec![coat(7, 12.0), coat(8, 24.0)], Vec::new(), vec![coat(9, 0.0)]],
        }
    }

    #[test]
    fn fastenings_come_before_seams_and_seams_before_coats() {
        let told = lines(&rest(), 3, &[0, 1], 2, rate);
        let order: Vec<(Of, Vec<usize>)> = told.iter().map(|(of, l)| (*of, l.begins_after.clone())).collect();
        assert_eq!(
            order,
            [(Of::Fastenings, vec![0, 1]), (Of::Seams, vec![2]), (Of::Coats(0), vec![3]), (Of::Coats(2), vec![3])]
        );
        let hours: Vec<f64> = told.iter().flat_map(|(_, l)| l.steps.iter().map(|s| s.hours)).collect();
        assert_eq!(hours, [12.0, 8.0 * 0.35, 10.0, 3.5, 3.5, 3.5]);
        let ids: Vec<i64> = told.iter().flat_map(|(_, l)| l.steps.iter().map(|s| s.id)).collect();
        let mut once = ids.clone();
        once.sort_unstable();
        once.dedup();
        assert!(once.len() == ids.len() && ids.iter().all(|id| *id < 0), "{ids:?}");
    }

    #[test]
    fn what_is_not_there_is_no_line_and_what_follows_waits_for_what_is() {
        let none = Rest::default();
        assert!(lines(&none, 3, &[0], 1, rate).is_empty());
        let seams = Rest { crossings: 0, coats: Vec::new(), ..rest() };
        assert_eq!(lines(&seams, 3, &[4], 9, rate)[0].1.begins_after, [4]);
        let coats = Rest { crossings: 0, to_open: 0.0, to_fill: 0.0, ..rest() };
        assert_eq!(lines(&coats, 3, &[4], 9, rate)[0].1.begins_after, [4]);
    }

    #[test]
    fn a_lap_is_not_caulked_and_a_glued_edge_is_glued() {
        let of = |between| {
            let told = lines(&Rest { between, ..rest() }, 1, &[], 0, rate);
            told[1].1.steps.iter().map(|s| s.operation).collect::<Vec<_>>()
        };
        assert_eq!(of(Between::Seam), [Operation::Reef, Operation::Caulk]);
        assert_eq!(of(Between::Lap), [Operation::Lap, Operation::Lap]);
        assert_eq!(of(Between::GluedEdge), [Operation::CutOut, Operation::Glue]);
    }
}
