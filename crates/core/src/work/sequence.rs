//! What must be done before what within one job, and what still cures.

use crate::error::InputError;
use crate::reason::{Reason, Verdict};

use super::estimate::Operation;

/// A task of a job as it stands, in the order the job unfolded.
#[derive(Debug, Clone, PartialEq)]
pub struct Step {
    pub operation: Operation,
    pub what: String,
    /// Hours since it was done; `None`: it is open.
    pub done: Option<f64>,
    /// Hours nothing that rests on it may follow: cure, drying.
    pub wait_after: f64,
}

/// Operations that come before one, where the job has them.
fn before(operation: Operation) -> &'static [Operation] {
    use Operation as O;
    match operation {
        O::Shore | O::Strip | O::Reef | O::Inspect => &[],
        O::TakeShape => &[O::Strip],
        O::CutOut => &[O::Shore, O::Strip, O::Reef, O::Lap, O::TakeShape],
        O::Mill => &[O::TakeShape],
        O::Bend => &[O::Mill],
        O::DryFit => &[O::Strip, O::CutOut, O::Mill, O::Bend],
        O::Glue => &[O::Strip, O::CutOut, O::Mill, O::Bend, O::DryFit],
        O::Fasten => &[O::CutOut, O::Mill, O::Bend, O::DryFit, O::Glue],
        O::Caulk | O::Lap => &[O::CutOut, O::DryFit, O::Glue, O::Fasten],
        O::Fair => &[O::DryFit, O::Glue, O::Fasten, O::Caulk, O::Lap],
        O::Seal => &[O::Strip, O::CutOut, O::DryFit, O::Glue, O::Fasten, O::Caulk, O::Lap, O::Fair],
        O::Coat => &[O::Fair, O::Seal],
    }
}

/// Why a task of a job may not be started or done yet: earlier ones that are open, or that still cure. Empty: it may. A place that is
/// not in the list holds nothing back. Source: handbook 08, *Order*.
pub fn held(steps: &[Step], which: usize) -> Vec<Reason> {
    let Some(step) = steps.get(which) else { return Vec::new() };
    let first = before(step.operation);
    steps[..which]
        .iter()
        .filter(|earlier| first.contains(&earlier.operation))
        .filter_map(|earlier| match earlier.done {
            None => Some(Reason::new("task.before", Verdict::Forbids, format!("first: {}", earlier.what))),
            Some(since) if since < earlier.wait_after => Some(
                Reason::new("task.cure", Verdict::Forbids, format!("it still sets or dries: {}", earlier.what))
                    .against("hours since", since.max(0.0), "h", earlier.wait_after),
            ),
            Some(_) => None,
        })
        .collect()
}

/// What speaks against a job being done in another order: `order` is its places as they would follow on each other. Only what must
/// come before something and would come after it is told; done tasks count as any other. Errors name `order` where it is none of the
/// places once each. Source: handbook 08, *Order*.
pub fn reordered(steps: &[Step], order: &[usize]) -> Result<Vec<Reason>, InputError> {
    let mut places = order.to_vec();
    places.sort_unstable();
    if places.len() != steps.len() || places.iter().enumerate().any(|(i, p)| i != *p) {
        return Err(InputError::new("order", "must name every task of the job once"));
    }
    let mut told = Vec::new();
    for (i, earlier) in order.iter().enumerate() {
        for later in &order[i + 1..] {
            // They were the other way round, and the one that comes later now is asked for by the other.
            if later < earlier && before(steps[*earlier].operation).contains(&steps[*later].operation) {
                let text = format!("{} comes before {}", steps[*later].what, steps[*earlier].what);
                told.push(Reason::new("task.before", Verdict::Forbids, text));
            }
        }
    }
    Ok(told)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::repair::way::OptionKind;
    use crate::work::tasks::{Extent, unfold};

    fn job(kind: OptionKind) -> Vec<Step> {
        let extent = Extent { length: 900.0, cut: 700.0, seam: 1_800.0, fastenings: 8, places: 1, ..Extent::default() };
        let step = |t: crate::work::tasks::Task| Step {
            operation: t.operation,
            what: t.what.into_owned(),
            done: None,
            wait_after: t.wait_after,
        };
        unfold(kind, &extent, |op| op.rate().0).into_iter().map(step).collect()
    }

    #[test]
    fn nothing_is_cut_before_it_is_shored_and_its_shape_is_taken() {
        let mut steps = job(OptionKind::WholePlank);
        let cut = steps.iter().position(|s| s.operation == Operation::CutOut).unwrap();
        let told: Vec<String> = held(&steps, cut).into_iter().map(|r| r.text).collect();
        assert!(told.iter().any(|t| t.contains("Shore")) && told.iter().any(|t| t.contains("pattern")), "{told:?}");
        steps[..cut].iter_mut().for_each(|s| s.done = Some(0.0));
        assert_eq!(held(&steps, cut), Vec::new());
    }

    #[test]
    fn a_job_may_be_done_in_another_order_where_no_rule_speaks_against_it() {
        let steps = job(OptionKind::ButtPiece);
        let at = |op| steps.iter().position(|s| s.operation == op).unwrap();
        let swapped = |a: usize, b: usize| {
            let mut order: Vec<usize> = (0..steps.len()).collect();
            order.swap(a, b);
            reordered(&steps, &order).unwrap()
        };
        // Shoring and stripping wait for nothing of each other.
        assert_eq!(swapped(at(Operation::Shore), at(Operation::Strip)), []);
        let told = swapped(at(Operation::CutOut), at(Operation::TakeShape));
        assert!(
            told.iter().any(|r| r.text.starts_with("Take the shape") && r.text.contains("before Cut out")),
            "{told:?}"
        );
        let wrong = |order: &[usize]| reordered(&steps[..3], order).unwrap_err().field;
        assert_eq!(
            (wrong(&[0, 1]), wrong(&[0, 1, 1]), wrong(&[1, 2, 3])),
            ("order".into(), "order".into(), "order".into())
        );
        assert_eq!(reordered(&[], &[]).unwrap(), []);
    }

    #[test]
    fn glue_that_cures_holds_back_what_loads_it_until_it_has() {
        let mut steps = job(OptionKind::Graving);
        let glue = steps.iter().position(|s| s.operation == Operation::Glue).unwrap();
        let fair = steps.iter().position(|s| s.operation == Operation::Fair).unwrap();
        steps.iter_mut().for_each(|s| s.done = Some(100.0));
        (steps[glue].done, steps[fair].done) = (Some(23.9), None);
        let told = held(&steps, fair);
        assert_eq!(told.iter().map(|r| r.rule).collect::<Vec<_>>(), ["task.cure"]);
        steps[glue].done = Some(24.0);
        assert_eq!(held(&steps, fair), Vec::new());
        assert_eq!(held(&steps, 99), Vec::new());
    }

    proptest! {
        /// An order that is told to be free leaves every task as free as it was: brute force over what must come before what.
        #[test]
        fn a_free_order_holds_back_nothing_new(shuffle in proptest::collection::vec(0.0..1.0f64, 24), which in 0usize..4) {
            let kind = [OptionKind::WholePlank, OptionKind::Graving, OptionKind::Steam, OptionKind::ButtPiece][which];
            let steps = job(kind);
            let mut order: Vec<usize> = (0..steps.len()).collect();
            order.sort_by(|a, b| shuffle[*a].total_cmp(&shuffle[*b]));
            let told = reordered(&steps, &order).unwrap();
            let shuffled: Vec<Step> = order.iter().map(|i| steps[*i].clone()).collect();
            // Who waits for whom, by name: in the old order, and in the new one.
            let waits = |of: &[Step]| -> std::collections::BTreeSet<(String, String)> {
                let each = (0..of.len()).flat_map(|i| held(of, i).into_iter().map(move |r| (i, r.text)));
                each.map(|(i, text)| (of[i].what.clone(), text)).collect()
            };
            let lost = waits(&steps).difference(&waits(&shuffled)).count();
            prop_assert_eq!(told.is_empty(), lost == 0);
        }
    }

    proptest! {
        /// In the order the job unfolded, waiting as told, every task may be done when its turn comes.
        #[test]
        fn a_job_done_in_its_own_order_is_never_held(kind in 0..OptionKind::ALL.len()) {
            let mut steps = job(OptionKind::ALL[kind]);
            for i in 0..steps.len() {
                prop_assert_eq!(held(&steps, i), Vec::new(), "{}", steps[i].what);
                steps[i].done = Some(steps[i].wait_after);
            }
        }
    }
}
