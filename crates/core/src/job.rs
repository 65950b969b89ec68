//! Whole jobs beside the repair of a part: a laid deck, panels, a covering board, a spar, rings, a template, a sheer, a fitting that
//! takes load, and other work. Each is asked for by its figures, and answers with what it measures, what must be there, why,
//! and its tasks in order (handbook 10).

pub mod deck;
pub mod edge;
pub mod fitting;
pub mod own;
pub mod panels;
pub mod ring;
pub mod sheer;
pub mod spar;
pub mod template;

use serde::{Deserialize, Serialize};

use crate::caution::Caution;
use crate::choice::choices;
use crate::error::InputError;
use crate::reason::Reason;
use crate::work::estimate::{Hours, Operation};
use crate::work::tasks::Task;

choices! {
    /// What a whole job makes.
    JobKind {
        Deck = "deck", "Laid deck";
        Panels = "panels", "Plywood panels";
        Edge = "edge", "Covering board or rail";
        Spar = "spar", "Hollow spar";
        Ring = "ring", "Rings";
        Template = "template", "Template";
        Sheer = "sheer", "Sheer by eye";
        Fitting = "fitting", "Fitting that takes load";
        Own = "own", "Other work";
    }
}

/// What was asked for. Lengths in mm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Spec {
    Deck(deck::Deck),
    Panels(panels::Panels),
    Edge(edge::Edge),
    Spar(spar::Spar),
    Ring(ring::Rings),
    Template(template::Template),
    Sheer(sheer::Sheer),
    Fitting(fitting::Fitting),
    Own(own::Own),
}

/// A figure of an answer in its own kind, so that it can be said in the yard's unit.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Amount {
    /// A length to be set or cut, mm.
    Length(f64),
    /// A long run, mm.
    Run(f64),
    Degrees(f64),
    Count(u32),
    /// A share of one.
    Share(f64),
    /// A number and what it counts.
    Of(f64, &'static str),
}

/// A figure, and what it is of.
#[derive(Debug, Clone, PartialEq)]
pub struct Figure {
    pub what: &'static str,
    pub amount: Amount,
}

/// Something that must be there.
#[derive(Debug, Clone, PartialEq)]
pub struct Need {
    pub what: String,
    pub amount: Amount,
}

/// What a job comes to.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Told {
    pub figures: Vec<Figure>,
    pub needs: Vec<Need>,
    pub reasons: Vec<Reason>,
    pub tasks: Vec<Task>,
    /// Something of it nobody measured: nothing is cut to it.
    pub generated: bool,
}

impl Told {
    fn figure(&mut self, what: &'static str, amount: Amount) {
        self.figures.push(Figure { what, amount });
    }

    fn need(&mut self, what: impl Into<String>, amount: Amount) {
        self.needs.push(Need { what: what.into(), amount });
    }
}

/// Hours an operation takes for one of its unit.
pub type Rate<'r> = &'r dyn Fn(Operation) -> f64;

/// Tasks as they are added one after the other.
struct Steps<'r> {
    rate: Rate<'r>,
    tasks: Vec<Task>,
}

impl<'r> Steps<'r> {
    fn new(rate: Rate<'r>) -> Self {
        Self { rate, tasks: Vec::new() }
    }

    /// Adds a task; one of nothing is none. `wait`: hours nothing may follow.
    fn add(&mut self, operation: Operation, what: impl Into<String>, amount: f64, wait: f64, cautions: &[Caution]) {
        if amount > 0.0 {
            self.tasks.push(Task {
                operation,
                what: what.into().into(),
                amount,
                hours: Hours::around(amount * (self.rate)(operation)),
                wait_after: wait,
                cautions: cautions.to_vec(),
            });
        }
    }
}

impl Spec {
    pub fn kind(&self) -> JobKind {
        match self {
            Self::Deck(_) => JobKind::Deck,
            Self::Panels(_) => JobKind::Panels,
            Self::Edge(_) => JobKind::Edge,
            Self::Spar(_) => JobKind::Spar,
            Self::Ring(_) => JobKind::Ring,
            Self::Template(_) => JobKind::Template,
            Self::Sheer(_) => JobKind::Sheer,
            Self::Fitting(_) => JobKind::Fitting,
            Self::Own(_) => JobKind::Own,
        }
    }

    /// What it comes to, at the yard's hours for a unit of each operation. Errors name its field.
    pub fn plan(&self, rate: Rate<'_>) -> Result<Told, InputError> {
        match self {
            Self::Deck(deck) => deck.plan(rate),
            Self::Panels(panels) => panels.plan(rate),
            Self::Edge(edge) => edge.plan(rate),
            Self::Spar(spar) => spar.plan(rate),
            Self::Ring(rings) => rings.plan(rate),
            Self::Template(template) => template.plan(rate),
            Self::Sheer(sheer) => sheer.plan(rate),
            Self::Fitting(fitting) => fitting.plan(rate),
            Self::Own(own) => own.plan(rate),
        }
    }
}

#[cfg(test)]
pub(crate) fn table(operation: Operation) -> f64 {
    operation.rate().0
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::work::sequence::{self, Step};

    /// One of each, as the tests of each make them.
    fn each() -> Vec<Spec> {
        vec![
            Spec::Deck(deck::tests::deck()),
            Spec::Panels(panels::tests::panels()),
            Spec::Edge(edge::tests::edge()),
            Spec::Spar(spar::tests::topmast()),
            Spec::Ring(ring::tests::hoops()),
            Spec::Template(template::tests::sole()),
            Spec::Sheer(sheer::tests::hanging()),
            Spec::Fitting(fitting::tests::windlass()),
            Spec::Own(own::tests::haul()),
        ]
    }

    #[test]
    fn every_kind_has_its_spec_and_reads_back_as_it_was_written() {
        let all = each();
        assert_eq!(all.iter().map(Spec::kind).collect::<Vec<_>>(), JobKind::ALL);
        for spec in all {
            let text = serde_json::to_string(&spec).unwrap();
            assert!(text.contains(&format!("\"kind\":\"{}\"", spec.kind().code())), "{text}");
            assert_eq!(serde_json::from_str::<Spec>(&text).unwrap(), spec);
        }
    }

    #[test]
    fn tasks_done_in_the_order_they_are_told_are_never_held_back() {
        for spec in each() {
            let told = spec.plan(&table).unwrap();
            assert!(!told.tasks.is_empty(), "{:?}", spec.kind());
            let mut steps: Vec<Step> = told
                .tasks
                .iter()
                .map(|t| Step {
                    operation: t.operation,
                    what: t.what.to_string(),
                    done: None,
                    wait_after: t.wait_after,
                })
                .collect();
            for i in 0..steps.len() {
                assert_eq!(sequence::held(&steps, i), Vec::new(), "{:?}: {}", spec.kind(), steps[i].what);
                steps[i].done = Some(steps[i].wait_after);
            }
        }
    }

    #[test]
    fn hours_follow_the_yards_own_rate() {
        // Other work takes the hours somebody said.
        for spec in each().into_iter().filter(|s| s.kind() != JobKind::Own) {
            let (usual, slow) = (spec.plan(&table).unwrap(), spec.plan(&|op| 2.0 * table(op)).unwrap());
            assert_eq!(usual.tasks.len(), slow.tasks.len());
            for (a, b) in usual.tasks.iter().zip(&slow.tasks) {
                assert!((b.hours.p50 - 2.0 * a.hours.p50).abs() < 1e-9, "{}", a.what);
            }
        }
    }
}
