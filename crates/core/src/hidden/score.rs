//! A practice hull uncovered: what was found, missed and falsely condemned, whether the fastening draw held, what it cost, and what
//! became of her in ten years; each loss with the rule that would have saved it.

use std::collections::BTreeMap;

use super::look::Tool;
use super::{Soft, Truth};
use crate::error::InputError;
use crate::forecast::{self, Decay, Pace, Part, Place, Water};
use crate::grid::{Address, Side};
use crate::reason::{Reason, Verdict};
use crate::survey::reading::{FasteningGrade, WoodAround, fastening_grade, section_loss};
use crate::survey::{Cause, Grade, sample};

/// What somebody said of a bay.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Claim {
    pub at: Address,
    pub grade: Grade,
}

/// What was decided on a stretch of a strake: bays, both ends in.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Decided {
    pub side: Side,
    pub strake: u32,
    pub bays: (u32, u32),
    /// New wood takes its place.
    pub takes_out: bool,
}

/// A cause that was treated, and where it was found.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Treated {
    pub at: Address,
    pub cause: Cause,
}

/// A look that was paid for.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Looked {
    pub at: Address,
    pub tool: Tool,
}

/// A fastening drawn: the crossing, and whether it was bad.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Drawn {
    pub at: Address,
    pub bad: bool,
}

/// All that was done on her.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Work {
    pub claims: Vec<Claim>,
    pub decided: Vec<Decided>,
    pub treated: Vec<Treated>,
    pub looked: Vec<Looked>,
    pub drawn: Vec<Drawn>,
}

impl Work {
    /// The worst that was said of each bay.
    pub fn said(&self) -> BTreeMap<Address, Grade> {
        let mut said = BTreeMap::new();
        for claim in &self.claims {
            let worst = said.entry(claim.at).or_insert(Grade::Sound);
            *worst = (*worst).max(claim.grade);
        }
        said
    }
}

/// Bays by what they are and what was said of them: `[truth][said]`, Sound to Renew.
pub type Table = [[u32; 4]; 4];

/// What became of a soft place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fate {
    /// It was taken out, and what let the water in was treated.
    Mended,
    /// It was taken out, and rots again.
    ComesAgain,
    /// It stands still.
    Rests,
    /// It goes on.
    GoesOn,
}

/// A soft place as it turned out.
#[derive(Debug, Clone, PartialEq)]
pub struct Turned {
    pub soft: Soft,
    /// The worst of its bays.
    pub was: Grade,
    pub fate: Fate,
    /// In ten years, at the slow and at the fast end of the band.
    pub then: [Grade; 2],
    /// What would have saved it; none where nothing was lost.
    pub lessons: Vec<Reason>,
}

/// A hull uncovered.
#[derive(Debug, Clone, PartialEq)]
pub struct Score {
    pub table: Table,
    /// Bays that must be mended: found, and missed; and bays condemned that are sound.
    pub found: u32,
    pub missed: u32,
    pub falsely: u32,
    /// m² of each.
    pub areas: [f64; 3],
    pub minutes: f64,
    /// Holes made by looking.
    pub harmed: u32,
    /// Sound wood of all that was taken out, a share; `None` where nothing was.
    pub sound_taken: Option<f64>,
    /// Share of bad fastenings in truth, and the interval that was drawn; `None` where nothing was drawn.
    pub fastenings: (f64, Option<[f64; 2]>),
    pub turned: Vec<Turned>,
    pub lessons: Vec<Reason>,
}

impl Score {
    /// The draw's interval holds the truth.
    pub fn draw_held(&self) -> Option<bool> {
        self.fastenings.1.map(|[low, high]| (low - 1e-9..=high + 1e-9).contains(&self.fastenings.0))
    }
}

/// Whether the fastenings at a crossing are bad in truth.
fn has_bad(truth: &Truth, at: Address) -> bool {
    fastening_grade(truth.loss(at)) == FasteningGrade::Bad
}

fn place_of(grade: Grade) -> usize {
    match grade {
        Grade::Sound => 0,
        Grade::Watch => 1,
        Grade::Mend => 2,
        Grade::Renew | Grade::Unsafe => 3,
    }
}

pub(super) fn tell(rule: &'static str, text: String) -> Reason {
    Reason::new(rule, Verdict::Against, text).source("handbook 03")
}

/// Whether a fastening drawn is bad: thinner than that, or the wood round it is (handbook 03).
pub fn is_bad(original: f64, left: f64, wood: WoodAround) -> bool {
    wood != WoodAround::Sound || section_loss(original, left).is_ok_and(|(_, grade)| grade == FasteningGrade::Bad)
}

/// Scores the work on a hull. Errors are those of the forecast, and cannot come from a hull of its own.
pub fn score(truth: &Truth, work: &Work) -> Result<Score, InputError> {
    let said = work.said();
    let mut table: Table = [[0; 4]; 4];
    let (mut counts, mut areas) = ([0u32; 3], [0.0f64; 3]);
    for cell in truth.cells() {
        let (is, says) = (truth.grade(cell), said.get(&cell).copied().unwrap_or(Grade::Sound));
        table[place_of(is)][place_of(says)] += 1;
        let which = match (is >= Grade::Mend, says >= Grade::Mend, is) {
            (true, _, _) if says > Grade::Sound => 0,
            (true, ..) => 1,
            (false, true, Grade::Sound) => 2,
            _ => continue,
        };
        counts[which] += 1;
        let (from, to) = truth.bay(cell.frame);
        areas[which] += truth.shell.width(cell) * (to - from) / 1e6;
    }
    let minutes = work.looked.iter().map(|l| l.tool.minutes()).sum();
    let turned: Result<Vec<Turned>, InputError> =
        truth.soft.iter().map(|soft| turn(truth, work, &said, soft)).collect();
    let mut score = Score {
        table,
        found: counts[0],
        missed: counts[1],
        falsely: counts[2],
        areas,
        minutes,
        harmed: work.looked.iter().filter(|l| l.tool.harms()).count() as u32,
        sound_taken: sound_taken(truth, work),
        fastenings: fastenings(truth, work)?,
        turned: turned?,
        lessons: Vec::new(),
    };
    if score.falsely > 0 {
        let text = format!(
            "{} sound bays were condemned: what only sounds dull or reads wet is confirmed by spike or drill first",
            score.falsely
        );
        score.lessons.push(tell("hull.confirm", text));
    }
    match (score.draw_held(), score.fastenings.0) {
        (None, share) if share > 0.1 => score.lessons.push(tell(
            "hull.draw",
            "no fastening was drawn: how many are bad can only be said from a draw".into(),
        )),
        (Some(false), _) => score.lessons.push(tell(
            "hull.draw",
            "the draw’s interval does not hold the truth: drawn where they looked bad, or in one region only, and not at random".into(),
        )),
        _ => {}
    }
    Ok(score)
}

/// Of the bays that were taken out the share that was sound.
fn sound_taken(truth: &Truth, work: &Work) -> Option<f64> {
    let taken = |c: &Address| work.decided.iter().any(|d| d.takes_out && covers(d, *c));
    let out: Vec<Address> = truth.cells().filter(taken).collect();
    if out.is_empty() {
        return None;
    }
    let sound = out.iter().filter(|c| truth.grade(**c) == Grade::Sound).count();
    Some(sound as f64 / out.len() as f64)
}

/// Whether what was decided is on a bay.
pub(super) fn covers(decided: &Decided, at: Address) -> bool {
    decided.side == at.side && decided.strake == at.strake && (decided.bays.0..=decided.bays.1).contains(&at.frame)
}

fn fastenings(truth: &Truth, work: &Work) -> Result<(f64, Option<[f64; 2]>), InputError> {
    let crossings: Vec<Address> = truth.cells().collect();
    let bad = crossings.iter().filter(|c| has_bad(truth, **c)).count();
    let share = bad as f64 / crossings.len().max(1) as f64;
    let drawn = u32::try_from(work.drawn.len()).unwrap_or(u32::MAX);
    let population = u32::try_from(crossings.len()).unwrap_or(u32::MAX);
    if drawn == 0 || drawn > population {
        return Ok((share, None));
    }
    let bad_drawn = work.drawn.iter().filter(|d| d.bad).count() as u32;
    let read = sample::read(population, drawn, bad_drawn, 0.95)?;
    Ok((share, Some([read.low, read.high])))
}

/// What becomes of one soft place on what was decided.
fn turn(truth: &Truth, work: &Work, said: &BTreeMap<Address, Grade>, soft: &Soft) -> Result<Turned, InputError> {
    let its = |c: &Address| {
        c.side == soft.side && c.strake == soft.strake && truth.deepest(*c).is_some_and(|(s, _)| s == soft)
    };
    let bays: Vec<Address> = truth.cells().filter(its).collect();
    let was = bays.iter().map(|c| truth.grade(*c)).max().unwrap_or(Grade::Sound);
    let worst: Vec<Address> = bays.iter().copied().filter(|c| truth.grade(*c) >= Grade::Mend).collect();
    let taken = !worst.is_empty() && worst.iter().all(|c| work.decided.iter().any(|d| d.takes_out && covers(d, *c)));
    let treated =
        work.treated.iter().any(|t| t.cause == soft.cause && t.at.side == soft.side && t.at.strake == soft.strake);
    let wood = Part {
        length: truth.shell.length(),
        width: truth.shell.widest(soft.side, soft.strake, 1, truth.shell.frame_count()).max(1.0),
        thickness: truth.principal.plank_thickness,
        planking: true,
        durability: None,
        decay: Vec::new(),
        meets: Vec::new(),
    };
    let span = |middle: f64, half: f64, most: f64| [(middle - half).max(0.0), (middle + half).min(most)];
    let place = Place {
        along: span(soft.at, soft.half, wood.length),
        across: span(soft.up * wood.width, soft.half_up * wood.width, wood.width),
        depth: soft.depth.min(wood.thickness),
    };
    // New wood begins sound, and wet again where the water was let be.
    let begins = if taken { Place { along: [soft.at; 2], across: [place.across[0]; 2], depth: 0.0 } } else { place };
    let water = Water { moisture: Some(if treated { 15.0 } else { soft.wet }), treated };
    let decay = Decay { place: begins, water, grade: if taken { Grade::Sound } else { was } };
    let part = Part { decay: vec![decay], ..wood };
    let mut then = [Grade::Sound; 2];
    for (n, pace) in [Pace::Least, Pace::Most].into_iter().enumerate() {
        let after: Vec<Place> = forecast::after(std::slice::from_ref(&part), f64::from(forecast::YEARS), pace)?
            .iter()
            .map(|f| f.place)
            .collect();
        then[n] = if taken && treated { Grade::Sound } else { forecast::grade(&part, &after) };
    }
    let fate = match (taken, treated) {
        (true, true) => Fate::Mended,
        (true, false) => Fate::ComesAgain,
        (false, true) => Fate::Rests,
        (false, false) => Fate::GoesOn,
    };
    let mut lessons = Vec::new();
    let was_said = worst.iter().any(|c| said.get(c).is_some_and(|g| *g > Grade::Sound));
    if was >= Grade::Mend && !was_said {
        lessons.push(how_it_was_missed(work, soft, &worst));
    }
    if was >= Grade::Mend && was_said && !taken {
        lessons.push(tell("hull.decide", "it was found, and nothing was decided that takes it out".into()));
    }
    if !treated && (taken || was_said) {
        let text = format!(
            "{} let the water in and was not treated: {}",
            soft.cause.label().to_lowercase(),
            soft.cause.cure().to_lowercase()
        );
        lessons.push(tell("hull.cause", text));
    }
    Ok(Turned { soft: *soft, was, fate, then, lessons })
}

/// Which look would have shown what was missed.
fn how_it_was_missed(work: &Work, soft: &Soft, bays: &[Address]) -> Reason {
    let with = |tool: Tool| work.looked.iter().any(|l| l.tool == tool && bays.contains(&l.at));
    let text = match (work.looked.iter().any(|l| bays.contains(&l.at)), soft.hides) {
        (false, _) => "nobody looked here: what was not looked at is not sound, it is unknown",
        (true, true) if !with(Tool::Open) => {
            "it lies under a past repair: its face is hard; the meter, a dull ring on a second blow, or opening the repair tells"
        }
        (true, _) if !with(Tool::Mallet) && !with(Tool::Spike) => {
            "it was only looked at: paint hides rot; sound it, then prick it"
        }
        (true, _) if !with(Tool::Spike) && !with(Tool::Open) => {
            "it was sounded, and one place in seven sounds fair and is soft: confirm with spike or drill"
        }
        _ => "the looks told of it, and it was not marked",
    };
    tell("hull.missed", text.to_owned())
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::super::Level;
    use super::super::tests::small;
    use super::*;

    /// Everything said as it is, taken out and treated.
    fn perfect(truth: &Truth) -> Work {
        let claims = truth.cells().map(|at| Claim { at, grade: truth.grade(at) }).collect();
        let bad: Vec<Address> = truth.cells().filter(|c| truth.grade(*c) >= Grade::Mend).collect();
        Work {
            claims,
            decided: bad
                .iter()
                .map(|c| Decided { side: c.side, strake: c.strake, bays: (c.frame, c.frame), takes_out: true })
                .collect(),
            treated: truth
                .soft
                .iter()
                .map(|s| Treated { at: Address { side: s.side, strake: s.strake, frame: 1 }, cause: s.cause })
                .collect(),
            looked: bad.iter().map(|at| Looked { at: *at, tool: Tool::Spike }).collect(),
            drawn: truth.cells().map(|at| Drawn { at, bad: truth.loss(at) > 0.30 }).collect(),
        }
    }

    #[test]
    fn who_says_all_as_it_is_misses_nothing_and_nothing_comes_again() {
        let truth = small("heron", Level::Plain);
        let told = score(&truth, &perfect(&truth)).unwrap();
        assert_eq!((told.missed, told.falsely), (0, 0));
        assert!(told.found > 0 && told.areas[0] > 0.0 && told.areas[1] == 0.0);
        assert_eq!(told.sound_taken, Some(0.0));
        assert_eq!(told.draw_held(), Some(true));
        for t in told.turned.iter().filter(|t| t.was >= Grade::Mend) {
            assert!(t.fate == Fate::Mended && t.then == [Grade::Sound; 2] && t.lessons.is_empty(), "{t:?}");
        }
        assert!(told.lessons.is_empty(), "{:?}", told.lessons);
        // The table by hand: everything on its diagonal.
        for (is, row) in told.table.iter().enumerate() {
            assert!(row.iter().enumerate().all(|(says, n)| is == says || *n == 0), "{:?}", told.table);
        }
    }

    #[test]
    fn a_fastening_is_bad_by_its_loss_or_by_the_wood_round_it() {
        // 30 % of the section is gone where 83.7 % of the diameter is left.
        assert!(!is_bad(5.0, 4.2, WoodAround::Sound) && is_bad(5.0, 4.18, WoodAround::Sound));
        assert!(is_bad(5.0, 5.0, WoodAround::Black) && is_bad(0.0, 0.0, WoodAround::Mushy));
    }

    #[test]
    fn who_does_nothing_misses_all_of_it_and_it_goes_on() {
        let truth = small("heron", Level::Plain);
        let told = score(&truth, &Work::default()).unwrap();
        assert_eq!((told.found, told.falsely, told.minutes, told.harmed), (0, 0, 0.0, 0));
        assert_eq!(told.missed as usize, truth.cells().filter(|c| truth.grade(*c) >= Grade::Mend).count());
        let lost: Vec<&Turned> = told.turned.iter().filter(|t| t.was >= Grade::Mend).collect();
        assert!(!lost.is_empty());
        for t in lost {
            assert!(t.fate == Fate::GoesOn && t.then[1] >= t.was);
            assert!(t.lessons[0].rule == "hull.missed" && t.lessons[0].text.contains("nobody looked here"));
        }
        assert_eq!(told.draw_held(), None);
    }

    #[test]
    fn new_wood_where_the_water_was_let_be_rots_again() {
        let truth = small("heron", Level::Plain);
        let work = Work { treated: Vec::new(), ..perfect(&truth) };
        let told = score(&truth, &work).unwrap();
        let mended: Vec<&Turned> = told.turned.iter().filter(|t| t.was >= Grade::Mend).collect();
        assert!(mended.iter().all(|t| t.fate == Fate::ComesAgain && t.lessons.iter().any(|l| l.rule == "hull.cause")));
        assert!(mended.iter().any(|t| t.then[1] > Grade::Sound), "ten years of wet wood show");
    }

    #[test]
    fn condemning_everything_is_told_and_costs_sound_wood() {
        let truth = small("heron", Level::Plain);
        let all = Work {
            claims: truth.cells().map(|at| Claim { at, grade: Grade::Renew }).collect(),
            decided: truth
                .cells()
                .map(|c| Decided { side: c.side, strake: c.strake, bays: (c.frame, c.frame), takes_out: true })
                .collect(),
            ..Work::default()
        };
        let told = score(&truth, &all).unwrap();
        assert_eq!(told.missed, 0);
        assert!(told.falsely > told.found && told.sound_taken.unwrap() > 0.5);
        assert!(told.lessons.iter().any(|l| l.rule == "hull.confirm"));
    }

    #[test]
    fn each_way_of_missing_has_its_own_lesson() {
        let truth = small("heron", Level::Plain);
        let soft = truth
            .soft
            .iter()
            .find(|s| truth.cells().any(|c| c.side == s.side && c.strake == s.strake && truth.grade(c) >= Grade::Mend))
            .unwrap();
        let bays: Vec<Address> = truth
            .cells()
            .filter(|c| c.side == soft.side && c.strake == soft.strake && truth.grade(*c) >= Grade::Mend)
            .collect();
        let told = |tools: &[Tool], hides: bool| {
            let looked = bays.iter().flat_map(|at| tools.iter().map(|tool| Looked { at: *at, tool: *tool })).collect();
            how_it_was_missed(&Work { looked, ..Work::default() }, &Soft { hides, ..*soft }, &bays).text
        };
        assert!(told(&[Tool::Eye], false).contains("only looked at"));
        assert!(told(&[Tool::Eye, Tool::Mallet], false).contains("sounds fair and is soft"));
        assert!(told(&[Tool::Mallet, Tool::Spike], false).contains("was not marked"));
        assert!(told(&[Tool::Spike], true).contains("past repair"));
        assert!(told(&[], false).contains("nobody looked"));
    }

    proptest! {
        /// Found and missed are together what there is, and what is said changes neither of the two sums.
        #[test]
        fn found_and_missed_are_all_there_is(n in 0u32..500, every in 1usize..6) {
            let truth = small(&format!("p{n}"), Level::Hidden);
            let claims = truth.cells().step_by(every).map(|at| Claim { at, grade: Grade::Mend }).collect();
            let told = score(&truth, &Work { claims, ..Work::default() }).unwrap();
            let bad = truth.cells().filter(|c| truth.grade(*c) >= Grade::Mend).count() as u32;
            prop_assert_eq!(told.found + told.missed, bad);
            let all: u32 = told.table.iter().flatten().sum();
            prop_assert_eq!(all as usize, truth.cells().count());
        }

        /// Treating what let the water in never makes it worse.
        #[test]
        fn treating_a_cause_never_makes_the_future_worse(n in 0u32..300) {
            let truth = small(&format!("t{n}"), Level::Plain);
            let nothing = score(&truth, &Work::default()).unwrap();
            let treated = score(&truth, &Work { treated: perfect(&truth).treated, ..Work::default() }).unwrap();
            for (a, b) in nothing.turned.iter().zip(&treated.turned) {
                prop_assert!(b.then[0] <= a.then[0] && b.then[1] <= a.then[1], "{:?} {:?}", a, b);
            }
        }
    }
}
