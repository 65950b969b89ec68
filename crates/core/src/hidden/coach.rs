//! The coach of a practice hull: after a wrong step, the rule it breaks and what would put it right.
//!
//! The coach sees what was done and never the truth ([`Work`] alone is given), so nothing of it can be told before she is uncovered: what
//! is wrong is that a thing was done on too little, not that it was done in the wrong place.

use std::collections::BTreeSet;

use super::look::Tool;
use super::score::{self, Decided, Work, covers};
use crate::grid::Address;
use crate::reason::Reason;
use crate::survey::Grade;

/// A wrong step.
#[derive(Debug, Clone, PartialEq)]
pub struct Hint {
    /// The bays it was done in; none where it is of the whole hull.
    pub at: Vec<Address>,
    pub reason: Reason,
}

/// Fewer fastenings drawn than this tell of no region (*yard rule*): five good ones still leave nearly half of them in doubt.
pub const LEAST_DRAWN: usize = 8;

/// Whether what a tool says of wood confirms rot: it goes in, or shows it.
fn confirms(tool: Tool) -> bool {
    matches!(tool, Tool::Spike | Tool::Open)
}

/// What went wrong so far, each wrong step once with all its bays. Empty: nothing to say.
pub fn hints(work: &Work) -> Vec<Hint> {
    let asked = |at: Address| work.looked.iter().any(|l| l.at == at);
    let confirmed = |at: Address| work.looked.iter().any(|l| l.at == at && confirms(l.tool));
    let said = work.said().into_iter().filter(|(_, grade)| *grade >= Grade::Mend).map(|(at, _)| at);
    let condemned: Vec<Address> = said.collect();
    let (doubtful, unasked) = condemned.iter().filter(|at| !confirmed(**at)).partition(|at| asked(**at));
    let mut hints = Vec::new();
    let mut tell = |rule: &'static str, at: Vec<Address>, text: &str| {
        if !at.is_empty() {
            hints.push(Hint { at, reason: score::tell(rule, text.to_owned()) });
        }
    };
    tell("hull.confirm", unasked, "called bad, and nothing was asked there: look, sound it, then prick it");
    tell(
        "hull.confirm",
        doubtful,
        "called bad on what only sounds dull, reads wet or shows at the face: confirm with the spike, or open it up",
    );
    tell(
        "hull.confirm",
        opened_first(work),
        "opened up before anything cheaper was asked: it leaves a hole, and the spike would have told in two minutes",
    );
    let out: Vec<&Decided> = work.decided.iter().filter(|d| d.takes_out).collect();
    let first = |d: &Decided| Address { side: d.side, strake: d.strake, frame: d.bays.0 };
    let wet = |d: &Decided| !work.treated.iter().any(|t| t.at.side == d.side && t.at.strake == d.strake);
    let places = |wrong: &dyn Fn(&Decided) -> bool| -> Vec<Address> {
        let firsts: BTreeSet<Address> = out.iter().filter(|d| wrong(d)).map(|d| first(d)).collect();
        firsts.into_iter().collect()
    };
    tell(
        "hull.cause",
        places(&wet),
        "new wood goes in where no cause was treated: it rots again. Find what lets the water in first",
    );
    let unseen = |d: &Decided| {
        let bays = f64::from(d.bays.1 - d.bays.0 + 1);
        let seen: BTreeSet<u32> = work.looked.iter().filter(|l| covers(d, l.at)).map(|l| l.at.frame).collect();
        (seen.len() as f64) < bays / 2.0
    };
    tell(
        "hull.decide",
        places(&unseen),
        "most of what comes out was never looked at: sound along it to where it is good before a length is chosen",
    );
    if !out.is_empty() {
        let left = condemned.into_iter().filter(|at| !out.iter().any(|d| covers(d, *at))).collect();
        tell("hull.decide", left, "called bad, and nothing is decided that takes it out");
    }
    let drawn = work.drawn.len();
    if (1..LEAST_DRAWN).contains(&drawn) {
        let text = format!(
            "{drawn} drawn: too few to speak for a region. Draw {LEAST_DRAWN} at random, and then as the sample says"
        );
        hints.push(Hint { at: Vec::new(), reason: score::tell("hull.draw", text) });
    }
    hints
}

/// Bays whose first look opened them up.
fn opened_first(work: &Work) -> Vec<Address> {
    let mut seen = BTreeSet::new();
    work.looked.iter().filter(|l| seen.insert(l.at) && l.tool == Tool::Open).map(|l| l.at).collect()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::super::score::{Claim, Drawn, Looked, Treated};
    use super::*;
    use crate::grid::Side;
    use crate::survey::Cause;

    fn at(strake: u32, frame: u32) -> Address {
        Address { side: Side::Port, strake, frame }
    }

    fn rules(work: &Work) -> Vec<(&'static str, usize)> {
        hints(work).iter().map(|h| (h.reason.rule, h.at.len())).collect()
    }

    fn looked(tools: &[Tool], place: Address) -> Vec<Looked> {
        tools.iter().map(|tool| Looked { at: place, tool: *tool }).collect()
    }

    fn claim(place: Address, grade: Grade) -> Claim {
        Claim { at: place, grade }
    }

    #[test]
    fn a_hull_worked_by_the_book_hears_nothing() {
        assert_eq!(hints(&Work::default()), []);
        let work = Work {
            claims: vec![claim(at(5, 9), Grade::Renew), claim(at(3, 2), Grade::Watch)],
            decided: vec![Decided { side: Side::Port, strake: 5, bays: (9, 10), takes_out: true }],
            treated: vec![Treated { at: at(5, 9), cause: Cause::FreshWater }],
            looked: [looked(&[Tool::Mallet, Tool::Spike], at(5, 9)), looked(&[Tool::Mallet], at(5, 10))].concat(),
            drawn: vec![Drawn { at: at(8, 4), bad: false }; LEAST_DRAWN],
        };
        assert_eq!(hints(&work), []);
    }

    #[test]
    fn condemning_on_nothing_and_on_a_dull_sound_are_told_apart() {
        let mut work = Work { claims: vec![claim(at(5, 9), Grade::Mend)], ..Work::default() };
        let told = hints(&work);
        assert!(told.len() == 1 && told[0].reason.text.contains("nothing was asked"), "{told:?}");
        work.looked = looked(&[Tool::Eye, Tool::Mallet, Tool::Meter], at(5, 9));
        let told = hints(&work);
        assert!(told.len() == 1 && told[0].reason.text.contains("only sounds dull"), "{told:?}");
        work.looked.extend(looked(&[Tool::Spike], at(5, 9)));
        assert_eq!(hints(&work), []);
        // Two claims of one bay are one wrong step; watching condemns nothing.
        work.looked.clear();
        work.claims.push(claim(at(5, 9), Grade::Renew));
        work.claims.push(claim(at(6, 1), Grade::Watch));
        assert_eq!(rules(&work), [("hull.confirm", 1)]);
    }

    #[test]
    fn opening_up_is_the_last_look_and_not_the_first() {
        let work = |tools: &[Tool]| Work { looked: looked(tools, at(2, 2)), ..Work::default() };
        assert_eq!(rules(&work(&[Tool::Open])), [("hull.confirm", 1)]);
        assert_eq!(rules(&work(&[Tool::Open, Tool::Spike])), [("hull.confirm", 1)], "the hole is there by then");
        assert_eq!(rules(&work(&[Tool::Mallet, Tool::Open])), []);
    }

    #[test]
    fn new_wood_over_water_or_over_what_nobody_looked_at_is_told() {
        let decided = vec![Decided { side: Side::Port, strake: 4, bays: (3, 8), takes_out: true }];
        let mut work = Work { decided, ..Work::default() };
        assert_eq!(rules(&work), [("hull.cause", 1), ("hull.decide", 1)]);
        work.treated = vec![Treated { at: at(4, 5), cause: Cause::FreshWater }];
        work.looked = (3..=5).map(|bay| Looked { at: at(4, bay), tool: Tool::Mallet }).collect();
        assert_eq!(hints(&work), [], "half of it was looked at");
        // A cause on the other side lets the water in here all the same.
        work.treated[0].at.side = Side::Starboard;
        assert_eq!(rules(&work), [("hull.cause", 1)]);
        // What stays in is the learner's choice, as long as nothing was decided at all.
        work.decided[0].takes_out = false;
        assert_eq!(hints(&work), []);
    }

    #[test]
    fn a_few_fastenings_speak_for_nothing() {
        let work = |n| Work { drawn: vec![Drawn { at: at(1, 1), bad: true }; n], ..Work::default() };
        assert_eq!(rules(&work(0)), []);
        assert_eq!(rules(&work(1)), [("hull.draw", 0)]);
        assert!(hints(&work(7))[0].reason.text.starts_with("7 drawn"));
        assert_eq!(rules(&work(LEAST_DRAWN)), []);
    }

    fn tool() -> impl Strategy<Value = Tool> {
        (0..Tool::ALL.len()).prop_map(|n| Tool::ALL[n])
    }

    proptest! {
        /// Whatever is done, a wrong step is told once for each bay, and more looking never makes a confirmed place doubtful.
        #[test]
        fn looking_once_more_with_the_spike_takes_the_doubt_away(
            claims in prop::collection::vec((1u32..5, 1u32..9), 0..12),
            looks in prop::collection::vec((1u32..5, 1u32..9, tool()), 0..30),
        ) {
            let mut work = Work {
                claims: claims.iter().map(|(s, f)| claim(at(*s, *f), Grade::Renew)).collect(),
                looked: looks.iter().map(|(s, f, t)| Looked { at: at(*s, *f), tool: *t }).collect(),
                ..Work::default()
            };
            for told in hints(&work) {
                let once: BTreeSet<Address> = told.at.iter().copied().collect();
                prop_assert_eq!(once.len(), told.at.len());
            }
            let all: Vec<Address> = work.claims.iter().map(|c| c.at).collect();
            work.looked.extend(all.iter().map(|at| Looked { at: *at, tool: Tool::Spike }));
            prop_assert!(hints(&work).iter().all(|h| h.reason.text.contains("opened up")));
        }
    }
}
