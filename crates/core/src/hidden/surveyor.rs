//! A scripted surveyor, who works a practice hull by a rule and by nothing else: so that the advice where to look next can be held
//! against looking anywhere.

use std::collections::{BTreeMap, BTreeSet};

use super::look::{Says, Tool};
use super::score::{Claim, Decided, Drawn, Looked, Treated, Work, is_bad};
use super::{Truth, grade};
use crate::chance::Chance;
use crate::choice::choices;
use crate::grid::Address;
use crate::survey::coverage::advised;
use crate::survey::reading::{Filler, Ring};
use crate::survey::{Cause, Grade};

choices! {
    /// How he goes about it.
    Way {
        Advised = "advised", "As advised";
        Anywhere = "anywhere", "Anywhere";
    }
}

/// Wood above this is not dry, %: what sounds dull and lets no spike in is opened (handbook 03).
const WET: f64 = 22.0;
/// Share of the time kept for drawing fastenings.
const DRAWING: f64 = 0.2;

/// What he knows so far.
struct Surveyor<'t> {
    truth: &'t Truth,
    left: f64,
    asked: BTreeMap<(Tool, Address), u32>,
    work: Work,
    said: BTreeMap<Address, Grade>,
}

impl Surveyor<'_> {
    /// Asks a tool; nothing where there is no time for it.
    fn ask(&mut self, tool: Tool, at: Address) -> Option<Says> {
        if self.left < tool.minutes() {
            return None;
        }
        self.left -= tool.minutes();
        let nth = self.asked.entry((tool, at)).or_insert(0);
        let says = self.truth.look(tool, at, *nth);
        *nth += 1;
        self.work.looked.push(Looked { at, tool });
        Some(says)
    }

    fn claim(&mut self, at: Address, grade: Grade) {
        if grade > Grade::Sound {
            self.said.insert(at, grade);
            self.work.claims.push(Claim { at, grade });
        }
    }

    /// Sounds a bay, and confirms what does not ring. Gives whether something was found.
    fn sound(&mut self, at: Address) -> bool {
        let Some(Says::Sound(ring)) = self.ask(Tool::Mallet, at) else { return false };
        if ring == Ring::Bright {
            return false;
        }
        let Some(Says::Spike(depth)) = self.ask(Tool::Spike, at) else { return false };
        let met = grade(depth);
        if met > Grade::Watch {
            self.claim(at, met);
            return true;
        }
        // Dull, and the spike meets sound wood: under a repair, or nothing. A second blow and the meter tell which to open.
        let again = matches!(self.ask(Tool::Mallet, at), Some(Says::Sound(ring)) if ring != Ring::Bright);
        let wet = again && matches!(self.ask(Tool::Meter, at), Some(Says::Meter(shown, _)) if shown > WET);
        if !wet {
            self.claim(at, met);
            return false;
        }
        match self.ask(Tool::Open, at) {
            Some(Says::Opened(depth)) => {
                self.claim(at, grade(depth));
                grade(depth) > Grade::Watch
            }
            // No time to open it: it is watched, not condemned.
            _ => {
                self.claim(at, Grade::Watch);
                false
            }
        }
    }

    /// Follows what was found along its plank until it rings again.
    fn follow(&mut self, from: Address, seen: &mut BTreeSet<Address>, bays: u32) {
        for step in [-1i64, 1] {
            let mut frame = i64::from(from.frame) + step;
            while (1..=i64::from(bays)).contains(&frame) {
                let at = Address { frame: frame as u32, ..from };
                if !seen.insert(at) || !self.sound(at) {
                    break;
                }
                frame += step;
            }
        }
    }

    /// Draws fastenings, so many minutes long.
    fn draw(&mut self, places: &[Address], minutes: f64) {
        let until = (self.left - minutes).max(0.0);
        for at in places {
            if self.left - Tool::Gauge.minutes() < until {
                return;
            }
            if let Some(Says::Drawn { original, left, wood }) = self.ask(Tool::Gauge, *at) {
                self.work.drawn.push(Drawn { at: *at, bad: is_bad(original, left, wood) });
            }
        }
    }

    /// What let the water in, as far as anybody can say who stands there.
    fn cause(&mut self, at: Address, strakes: u32) -> Cause {
        if at.strake == strakes {
            return Cause::FreshWater;
        }
        if at.strake == 1 {
            return Cause::StandingWater;
        }
        match self.ask(Tool::Feeler, at) {
            Some(Says::Feeler { filler: Filler::Hard, .. }) => Cause::RigidFiller,
            _ => Cause::FreshWater,
        }
    }

    /// Decides on what was condemned: new wood from bay to bay, and the cause treated.
    fn decide(&mut self, strakes: u32) {
        let bad: Vec<Address> = self.said.iter().filter(|(_, g)| **g >= Grade::Mend).map(|(at, _)| *at).collect();
        let mut runs: Vec<(Address, u32)> = Vec::new();
        for at in bad {
            match runs.last_mut() {
                Some((from, to)) if from.side == at.side && from.strake == at.strake && *to + 1 == at.frame => {
                    *to = at.frame
                }
                _ => runs.push((at, at.frame)),
            }
        }
        for (from, to) in runs {
            let (side, strake) = (from.side, from.strake);
            self.work.decided.push(Decided { side, strake, bays: (from.frame, to), takes_out: true });
            let cause = self.cause(from, strakes);
            self.work.treated.push(Treated { at: from, cause });
        }
    }
}

/// Surveys a hull in so many minutes; `seed` only where he looks anywhere, and where he draws. No look is made that there is no time for.
pub fn survey(truth: &Truth, way: Way, minutes: f64, seed: u64) -> Work {
    let strakes = truth.shell.strake_count();
    let bays = truth.shell.frame_count().saturating_sub(1);
    let mut random = Chance::seeded(seed);
    let mut shuffled = advised(strakes, bays);
    let all = shuffled.len();
    random.shuffle(&mut shuffled, all);
    let order = match way {
        Way::Advised => advised(strakes, bays),
        Way::Anywhere => shuffled.clone(),
    };
    let mut he =
        Surveyor { truth, left: minutes, asked: BTreeMap::new(), work: Work::default(), said: BTreeMap::new() };
    // Where he draws nobody chooses: that is the point of a sample.
    he.draw(&shuffled, minutes * DRAWING);
    let mut seen = BTreeSet::new();
    for at in order {
        if !seen.insert(at) {
            continue;
        }
        if he.sound(at) && way == Way::Advised {
            he.follow(at, &mut seen, bays);
        }
    }
    he.decide(strakes);
    he.work
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::super::score::{Score, score};
    use super::super::{Level, Seed, Size, truth};
    use super::*;

    fn hull(word: &str, level: Level) -> Truth {
        truth(&Seed::new(word, Size::Middle, level).unwrap()).unwrap()
    }

    fn worked(truth: &Truth, way: Way, minutes: f64) -> Score {
        score(truth, &survey(truth, way, minutes, 7)).unwrap()
    }

    #[test]
    fn following_the_advice_finds_more_in_the_same_time_than_looking_anywhere() {
        let (mut advised, mut anywhere, mut bad) = (0, 0, 0);
        for n in 0..40 {
            let truth = hull(&format!("hull{n}"), Level::Plain);
            let of = |way| worked(&truth, way, 240.0);
            let (a, b) = (of(Way::Advised), of(Way::Anywhere));
            advised += a.found;
            anywhere += b.found;
            bad += a.found + a.missed;
        }
        let share = |n: u32| f64::from(n) / f64::from(bad);
        assert!(share(advised) > share(anywhere) + 0.1, "{} against {}", share(advised), share(anywhere));
    }

    #[test]
    fn without_time_nothing_is_said_and_with_all_of_it_little_is_missed() {
        let truth = hull("curlew", Level::Plain);
        let none = survey(&truth, Way::Advised, 0.4, 1);
        assert_eq!(none, Work::default());
        let all = worked(&truth, Way::Advised, 5_000.0);
        let bad = all.found + all.missed;
        assert!(f64::from(all.found) >= 0.6 * f64::from(bad), "{} of {bad}", all.found);
        assert!(f64::from(all.falsely) <= 0.05 * truth.cells().count() as f64, "{}", all.falsely);
    }

    proptest! {
        /// No more time is used than there is, nothing is said of a bay nobody looked at, and the same hull is surveyed the same way.
        #[test]
        fn a_survey_is_honest(n in 0u32..10_000, minutes in 0.0..900.0f64, way in 0usize..2, seed in 0u64..1_000) {
            let truth = hull(&format!("h{n}"), Level::Sly);
            let way = Way::ALL[way];
            let work = survey(&truth, way, minutes, seed);
            let used: f64 = work.looked.iter().map(|l| l.tool.minutes()).sum();
            prop_assert!(used <= minutes + 1e-9);
            for claim in &work.claims {
                prop_assert!(work.looked.iter().any(|l| l.at == claim.at));
            }
            for decided in &work.decided {
                prop_assert!(decided.bays.0 <= decided.bays.1);
            }
            prop_assert_eq!(&work, &survey(&truth, way, minutes, seed));
        }
    }
}
