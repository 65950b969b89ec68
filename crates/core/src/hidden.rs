//! A practice hull: a boat made from a seed with a truth nobody sees, worked like any other, uncovered at the end (handbook 12).
//!
//! Everything of it follows from the seed: the same word, size and level give the same hull, the same answers to the same looks, and
//! the same score for the same claims.

pub mod coach;
pub mod exercise;
pub mod look;
pub mod score;
pub mod surveyor;

use serde::{Deserialize, Serialize};

use crate::chance::{Chance, seed_of};
use crate::choice::choices;
use crate::error::InputError;
use crate::grid::{Address, Construction, Joint, Shell, Side};
use crate::hull::{self, Generated, Principal};
use crate::survey::reading::Filler;
pub use crate::survey::reading::soft_grade as grade;
use crate::survey::{Cause, Grade};

choices! {
    /// How much hull there is.
    Size {
        Small = "small", "A few planks";
        Middle = "middle", "A small boat";
        Whole = "whole", "A whole boat";
    }
}

choices! {
    /// How well the truth hides.
    Level {
        Plain = "plain", "Plain";
        Hidden = "hidden", "Some of it hides";
        Sly = "sly", "Much of it hides";
    }
}

/// What a hull is made from: two people with the same one work the same hull.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Seed {
    /// A short word, told from one to the other.
    pub word: String,
    pub size: Size,
    pub level: Level,
}

/// Longest a word is.
const LONGEST: usize = 24;

impl Seed {
    /// A word of letters, in small ones. Errors name `word`.
    pub fn new(word: &str, size: Size, level: Level) -> Result<Self, InputError> {
        let word = word.trim().to_lowercase();
        if word.is_empty() || word.chars().count() > LONGEST || !word.chars().all(char::is_alphanumeric) {
            return Err(InputError::new("word", format!("must be one word of letters, {LONGEST} at most")));
        }
        Ok(Self { word, size, level })
    }

    /// Seeds what is told apart by `of`.
    fn number(&self, of: &str) -> u64 {
        let text = format!("{}/{}/{}/{of}", self.word, self.size.code(), self.level.code());
        // The plain sum of a text has little in its upper half: it is stirred once.
        Chance::seeded(seed_of(&text, 12)).next_u64()
    }
}

/// A soft place in a plank: deepest in the middle, running out to nothing at its edge.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Soft {
    pub side: Side,
    pub strake: u32,
    /// mm aft of frame 1, and its half length.
    pub at: f64,
    pub half: f64,
    /// Share of the plank's width from its lower edge, and half of it.
    pub up: f64,
    pub half_up: f64,
    /// mm in the middle, from the face.
    pub depth: f64,
    pub cause: Cause,
    /// Moisture of the wood there, %.
    pub wet: f64,
    /// A past repair lies over it: its face is sound.
    pub hides: bool,
}

/// Fastenings that are eaten, by region.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Sick {
    pub side: Side,
    pub strakes: (u32, u32),
    /// Section lost, a share.
    pub loss: f64,
}

/// A seam with what should not be in it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Filled {
    pub side: Side,
    pub row: u32,
    pub filler: Filler,
}

/// A hull as she is.
#[derive(Debug, Clone, PartialEq)]
pub struct Truth {
    pub seed: Seed,
    pub principal: Principal,
    pub shell: Shell,
    pub joints: Vec<Joint>,
    pub soft: Vec<Soft>,
    pub sick: Vec<Sick>,
    pub filled: Vec<Filled>,
    /// Strakes up to this one lie below the waterline.
    pub waterline: u32,
}

fn principal(size: Size) -> Principal {
    let (length, beam, depth, frames, strakes, plank_thickness) = match size {
        Size::Small => (3_600.0, 1_500.0, 620.0, 10, 5, 16.0),
        Size::Middle => (5_600.0, 2_000.0, 900.0, 18, 8, 19.0),
        Size::Whole => (8_400.0, 2_700.0, 1_450.0, 30, 12, 25.0),
    };
    Principal { construction: Construction::CarvelCaulked, length, beam, depth, frames, strakes, plank_thickness }
}

/// Makes a hull and her truth. Errors are those of the generator, and cannot come from its own sizes.
pub fn truth(seed: &Seed) -> Result<Truth, InputError> {
    let principal = principal(seed.size);
    let Generated { shell, joints } = hull::generate(&principal, seed.number("hull"))
        .map_err(|all| all.into_iter().next().unwrap_or_else(|| InputError::new("size", "makes no hull")))?;
    let mut random = Chance::seeded(seed.number("truth"));
    let waterline = (principal.strakes * 6).div_ceil(10);
    let [places, regions, seams] = match seed.size {
        Size::Small => [3, 1, 1],
        Size::Middle => [6, 2, 2],
        Size::Whole => [11, 3, 4],
    };
    let side = |random: &mut Chance| if random.below(2) == 0 { Side::Port } else { Side::Starboard };
    let hides = match seed.level {
        Level::Plain => 0.0,
        Level::Hidden => 0.3,
        Level::Sly => 0.55,
    };
    let mut soft: Vec<Soft> = Vec::new();
    while soft.len() < places {
        let strake = 1 + random.below(principal.strakes);
        // Water comes from above at the sheer, stands at the garboard, and is kept by metal between.
        let cause = match strake {
            s if s == principal.strakes => Cause::FreshWater,
            1 => Cause::StandingWater,
            s if s <= waterline && random.below(3) == 0 => Cause::DissimilarMetals,
            _ if random.below(2) == 0 => Cause::RigidFiller,
            _ => Cause::FreshWater,
        };
        let place = Soft {
            side: side(&mut random),
            strake,
            at: shell.length() * (0.06 + 0.88 * random.unit()),
            half: 90.0 + 380.0 * random.unit(),
            up: 0.2 + 0.6 * random.unit(),
            half_up: 0.2 + 0.4 * random.unit(),
            depth: principal.plank_thickness * (0.2 + 0.8 * random.unit()),
            cause,
            wet: 24.0 + 8.0 * random.unit(),
            hides: random.unit() < hides,
        };
        // Two in the same place would be one.
        let apart = |s: &Soft| {
            s.side != place.side || s.strake != place.strake || (s.at - place.at).abs() > s.half + place.half
        };
        if soft.iter().all(apart) {
            soft.push(place);
        }
    }
    let sick = (0..regions)
        .map(|_| {
            let from = 1 + random.below(principal.strakes.saturating_sub(1).max(1));
            let to = (from + 1 + random.below(2)).min(principal.strakes);
            Sick { side: side(&mut random), strakes: (from, to), loss: 0.2 + 0.4 * random.unit() }
        })
        .collect();
    let filled = (0..seams)
        .map(|_| Filled {
            side: side(&mut random),
            row: 1 + random.below(principal.strakes.saturating_sub(1).max(1)),
            filler: [Filler::Hard, Filler::Loose, Filler::Missing][random.below(3) as usize],
        })
        .collect();
    Ok(Truth { seed: seed.clone(), principal, shell, joints, soft, sick, filled, waterline })
}

impl Soft {
    /// How deep it is soft at a place of its plank, mm: x aft of frame 1, `up` a share of the width.
    fn at(&self, x: f64, up: f64) -> f64 {
        let (u, v) = ((x - self.at) / self.half, (up - self.up) / self.half_up);
        self.depth * (1.0 - u * u - v * v).max(0.0)
    }
}

/// Places of a bay that are looked at for its deepest.
const ALONG: u32 = 24;
const ACROSS: u32 = 12;

impl Truth {
    /// The soft place that is deepest in a bay of a strake, and how deep.
    pub fn deepest(&self, at: Address) -> Option<(&Soft, f64)> {
        let (from, to) = self.bay(at.frame);
        let on = self.soft.iter().filter(|s| s.side == at.side && s.strake == at.strake);
        let deepest = |s: &Soft| {
            let mut most = 0.0f64;
            for i in 0..=ALONG {
                for k in 0..=ACROSS {
                    let x = from + (to - from) * f64::from(i) / f64::from(ALONG);
                    most = most.max(s.at(x, f64::from(k) / f64::from(ACROSS)));
                }
            }
            most
        };
        on.map(|s| (s, deepest(s))).filter(|(_, d)| *d > 0.0).max_by(|a, b| a.1.total_cmp(&b.1))
    }

    /// From where to where a bay reaches, mm aft of frame 1: bay `n` lies aft of frame `n`.
    fn bay(&self, frame: u32) -> (f64, f64) {
        let last = self.shell.frame_count();
        let frame = frame.clamp(1, last.saturating_sub(1).max(1));
        (self.shell.frame_x(frame), self.shell.frame_x((frame + 1).min(last)))
    }

    /// The grade of a bay of a strake.
    pub fn grade(&self, at: Address) -> Grade {
        self.deepest(at).map_or(Grade::Sound, |(_, depth)| grade(depth))
    }

    /// Every bay of every strake.
    pub fn cells(&self) -> impl Iterator<Item = Address> + '_ {
        let (strakes, bays) = (self.shell.strake_count(), self.shell.frame_count().saturating_sub(1));
        Side::BOTH.into_iter().flat_map(move |side| {
            (1..=strakes).flat_map(move |strake| (1..=bays).map(move |frame| Address { side, strake, frame }))
        })
    }

    /// Section lost of the fastenings at a crossing, a share, before their own scatter.
    pub fn loss(&self, at: Address) -> f64 {
        let here = self.sick.iter().filter(|s| s.side == at.side && (s.strakes.0..=s.strakes.1).contains(&at.strake));
        here.map(|s| s.loss).fold(0.04, f64::max)
    }

    pub fn is_below(&self, strake: u32) -> bool {
        strake <= self.waterline
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use proptest::prelude::*;

    use super::*;

    pub(crate) fn small(word: &str, level: Level) -> Truth {
        truth(&Seed::new(word, Size::Small, level).unwrap()).unwrap()
    }

    #[test]
    fn the_same_word_makes_the_same_hull_and_another_another() {
        let (a, b, c) = (small("heron", Level::Plain), small("Heron ", Level::Plain), small("curlew", Level::Plain));
        assert_eq!(a, b);
        assert_ne!(a.soft, c.soft);
        assert_ne!(a.soft, small("heron", Level::Sly).soft);
        for wrong in ["", "two words", "../etc", &"x".repeat(40)] {
            assert_eq!(Seed::new(wrong, Size::Small, Level::Plain).unwrap_err().field, "word");
        }
    }

    #[test]
    fn a_place_is_deepest_in_its_middle_and_grades_as_the_spike_does() {
        let truth = small("heron", Level::Plain);
        let soft = truth.soft[0];
        assert!((soft.at(soft.at, soft.up) - soft.depth).abs() < 1e-9);
        assert!(soft.at(soft.at + soft.half, soft.up) < 1e-9);
        assert_eq!([0.5, 2.0, 4.0, 7.0].map(grade), [Grade::Sound, Grade::Watch, Grade::Mend, Grade::Renew]);
    }

    #[test]
    fn nothing_hides_on_a_plain_hull_and_much_on_a_sly_one() {
        let share = |level| {
            let all: Vec<Soft> = (0..60).flat_map(|n| small(&format!("word{n}"), level).soft).collect();
            all.iter().filter(|s| s.hides).count() as f64 / all.len() as f64
        };
        assert_eq!(share(Level::Plain), 0.0);
        assert!((0.2..0.4).contains(&share(Level::Hidden)) && (0.45..0.65).contains(&share(Level::Sly)));
    }

    proptest! {
        #[test]
        fn every_hull_has_its_truth_on_her_own_planks(n in 0u32..100_000, size in 0usize..3, level in 0usize..3) {
            let seed = Seed::new(&format!("w{n}"), Size::ALL[size], Level::ALL[level]).unwrap();
            let truth = truth(&seed).unwrap();
            let strakes = truth.shell.strake_count();
            for s in &truth.soft {
                prop_assert!(s.strake >= 1 && s.strake <= strakes && s.at > 0.0 && s.at < truth.shell.length());
                prop_assert!(s.depth > 0.0 && s.depth <= truth.principal.plank_thickness);
            }
            for s in &truth.sick {
                prop_assert!(s.strakes.0 >= 1 && s.strakes.1 <= strakes && s.loss < 0.7);
            }
            let bad = truth.cells().filter(|c| truth.grade(*c) >= Grade::Mend).count();
            prop_assert!(bad >= 1, "there is something to find");
        }
    }
}
