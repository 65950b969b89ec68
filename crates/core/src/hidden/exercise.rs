//! Short drills, generated without end: a question with one right answer, and why it is right (handbook 12).

use crate::chance::{Chance, seed_of};
use crate::choice::choices;
use crate::error::InputError;
use crate::fastening::through::{self, At};
use crate::finish::{self, coats::DEW_MARGIN};
use crate::geometry::Point;
use crate::grid::member::MemberKind;
use crate::grid::{Joint, Side};
use crate::reason::{Reason, Verdict};
use crate::repair::butts::{WIDE, conflict};
use crate::shape::fair;
use crate::survey::reading::{FasteningGrade, section_loss};
use crate::timber::board::{self, Board, Details, Drying, Grain, Need, Origin, PLANING_PER_FACE, Quality, end_trim};
use crate::timber::species;
use crate::work::holds::{self, Stands};

choices! {
    /// What is drilled.
    Kind {
        Line = "line", "Read a fair line";
        Butts = "butts", "Lay two butts";
        Fastening = "fastening", "Judge a fastening";
        Coat = "coat", "May this coat go on";
        Board = "board", "Pick the board";
        Choose = "choose", "Choose the fastening";
        Out = "out", "What may come out";
    }
}

/// A question, its answers, and which is right.
#[derive(Debug, Clone, PartialEq)]
pub struct Exercise {
    pub kind: Kind,
    pub asks: String,
    pub answers: Vec<String>,
    /// By its place among the answers.
    pub right: usize,
    pub why: Reason,
    /// Ticks to be looked at, mm.
    pub ticks: Vec<Point>,
}

/// Ticks of a line, and how far a good one scatters, mm.
const TICKS: u32 = 9;
const SCATTER: f64 = 0.3;

/// The `n`th exercise of a kind under a word. Errors cannot come from what is generated here.
pub fn exercise(kind: Kind, word: &str, n: u32) -> Result<Exercise, InputError> {
    let mut random = Chance::seeded(seed_of(&format!("{word}/{}/{n}", kind.code()), 20));
    // The first draws of neighbouring seeds are alike: they are let go by.
    for _ in 0..4 {
        random.next_u64();
    }
    match kind {
        Kind::Line => line(&mut random),
        Kind::Butts => Ok(butts(&mut random)),
        Kind::Fastening => fastening(&mut random),
        Kind::Coat => Ok(coat(&mut random)),
        Kind::Board => board(&mut random),
        Kind::Choose => choose(&mut random),
        Kind::Out => out(&mut random),
    }
}

fn line(random: &mut Chance) -> Result<Exercise, InputError> {
    let (rise, sag) = (0.02 * random.normal(), 12.0 + 25.0 * random.unit());
    let last = f64::from(TICKS - 1) * 300.0;
    let curve = |x: f64| 80.0 + rise * x - sag * 4.0 * (x / last) * (1.0 - x / last);
    // The ends are left good: nothing beyond them speaks against one.
    let wrong = 2 + random.below(TICKS - 4);
    let by = (7.0 + 8.0 * random.unit()) * if random.below(2) == 0 { 1.0 } else { -1.0 };
    let ticks: Vec<Point> = (0..TICKS)
        .map(|i| {
            let x = 300.0 * f64::from(i);
            let off = if i == wrong { by } else { SCATTER * random.normal() };
            [x, ((curve(x) + off) * 10.0).round() / 10.0]
        })
        .collect();
    let told = fair::fit(&ticks, fair::TOLERANCE, None)?;
    let off = told.residuals.get(wrong as usize).map_or(0.0, |r| r.abs());
    Ok(Exercise {
        kind: Kind::Line,
        asks: "One tick was misread. Which?".into(),
        answers: (1..=TICKS).map(|i| format!("tick {i}")).collect(),
        right: wrong as usize,
        why: Reason::new("shape.suspect", Verdict::Note, "a fair line through the others passes it by")
            .source("handbook 04")
            .value("off the line", off, "mm"),
        ticks,
    })
}

fn butts(random: &mut Chance) -> Exercise {
    let joint = |strake, bay| Joint { side: Side::Port, strake, bay };
    let a = joint(4 + random.below(3), 10 + random.below(4));
    let b = joint(a.strake + 1 + random.below(3), a.bay + random.below(5));
    let found = conflict(&WIDE, a, b);
    let why = match found {
        Some(c) => Reason::new("butts.shift", Verdict::Forbids, c.text()),
        None => Reason::new("butts.shift", Verdict::For, "far enough apart for open water"),
    };
    Exercise {
        kind: Kind::Butts,
        asks: format!(
            "She goes coastal. One butt stands in strake {} aft of frame {}, another in strake {} aft of frame {}. May both stay?",
            a.strake, a.bay, b.strake, b.bay
        ),
        answers: vec!["Both may stay".into(), "They are too close".into()],
        right: usize::from(found.is_some()),
        why: why.source("handbook 04"),
        ticks: Vec::new(),
    }
}

fn fastening(random: &mut Chance) -> Result<Exercise, InputError> {
    let original = 4.0 + f64::from(random.below(5)) * 0.5;
    let left = ((original * (0.78 + 0.21 * random.unit())) * 10.0).round() / 10.0;
    let (loss, grade) = section_loss(original, left)?;
    let right = match grade {
        FasteningGrade::Good => 0,
        FasteningGrade::Tired => 1,
        FasteningGrade::Bad => 2,
    };
    Ok(Exercise {
        kind: Kind::Fastening,
        asks: format!("Drawn: {left:.1} mm is left of {original:.1} mm, and the wood round it is sound. It is …"),
        answers: vec!["good".into(), "tired".into(), "bad".into()],
        right,
        why: Reason::note("survey.section", "the section is what holds, and it goes with the square of the diameter")
            .source("handbook 03")
            .formula("loss = 1 − (d/d0)²")
            .value("section lost", loss * 100.0, "%"),
        ticks: Vec::new(),
    })
}

/// Boards to pick from.
const BOARDS: u32 = 4;

/// A piece, and boards of which one yields it: each of the others fails by one thing, and by little.
fn board(random: &mut Chance) -> Result<Exercise, InputError> {
    let round = |v: f64| (v / 5.0).round() * 5.0;
    let thickness = [20.0, 25.0, 30.0][random.below(3) as usize];
    let (length, width) = (round(900.0 + 1_500.0 * random.unit()), round(90.0 + 70.0 * random.unit()));
    let larch = species::find("western_larch")?;
    let need = Need {
        species: larch.id.clone(),
        length,
        width,
        thickness,
        grain: None,
        glued: true,
        quality: Quality::Clear,
        hang: 0.0,
    };
    let right = random.below(BOARDS) as usize;
    // Which way each of the wrong ones fails, so that no way comes twice.
    let first = random.below(4);
    let mut failing = (0..4).map(|n| (first + n) % 4);
    let boards: Vec<Board> = (0..BOARDS as usize)
        .map(|n| {
            let rough = thickness + 2.0 * PLANING_PER_FACE + f64::from(random.below(4));
            let mut one = Board {
                species: larch.id.clone(),
                length: round(length + 2.0 * end_trim(rough) + 20.0 + 300.0 * random.unit()),
                width: round(width + 5.0 + 40.0 * random.unit()),
                thickness: rough,
                grain: Grain::Quarter,
                drying: Drying::Air,
                moisture: Some(f64::from(11 + random.below(4))),
                origin: Origin::New,
            };
            match (n != right).then(|| failing.next()).flatten() {
                // Long enough as it lies, and not once its ends are off.
                Some(0) => one.length = round(length + end_trim(one.thickness)),
                Some(1) => one.width = width - 5.0,
                Some(2) => one.thickness = thickness + PLANING_PER_FACE,
                Some(_) => one.moisture = Some(f64::from(19 + random.below(6))),
                None => {}
            }
            one
        })
        .collect();
    let told = |b: &Board| board::fit(b, &Details::default(), &need, larch);
    let wrong = boards.iter().enumerate().find(|(n, _)| *n != right).map(|(_, b)| told(b));
    let why = wrong.and_then(|fit| fit.reasons.into_iter().find(|r| r.verdict == Verdict::Forbids));
    let name = |n: usize| char::from(b'A' + n as u8);
    let said = |(n, b): (usize, &Board)| {
        let moisture = b.moisture.unwrap_or_default();
        format!("{}: {:.0} × {:.0} × {:.0} mm rough, {moisture:.0} %", name(n), b.length, b.width, b.thickness)
    };
    let other = if right == 0 { 1 } else { 0 };
    let why = why.ok_or_else(|| InputError::new("board", "every board would do"))?;
    Ok(Exercise {
        kind: Kind::Board,
        asks: format!(
            "A piece of {length:.0} × {width:.0} × {thickness:.0} mm is glued in. Which board yields it, planed and with its ends trimmed?"
        ),
        answers: boards.iter().enumerate().map(said).collect(),
        right,
        why: Reason { text: format!("{}: {}", name(other), why.text), ..why }.source("handbook 02"),
        ticks: Vec::new(),
    })
}

/// A place, and what is to hold it.
fn choose(random: &mut Chance) -> Result<Exercise, InputError> {
    let kinds = through::Kind::ALL;
    let lap = random.below(4) == 0;
    let at = At {
        inside: random.below(2) == 0,
        lap,
        structural: !lap && random.below(4) == 0,
        original: (random.below(2) == 0).then(|| kinds[random.below(kinds.len() as u32) as usize]),
    };
    let (kind, reasons) = through::choose(at);
    let place = match (at.lap, at.structural) {
        (true, _) => "A lap edge between two frames",
        (_, true) => "A plank under a fitting that carries load",
        _ => "A plank on a frame",
    };
    let behind = if at.inside { "its inner side is reached" } else { "the ceiling is in the way behind" };
    let was = at
        .original
        .map_or("nobody knows what was there".to_owned(), |k| format!("a {} was there", k.label().to_lowercase()));
    // What was weighed last is what decided.
    let why = reasons.into_iter().next_back().ok_or_else(|| InputError::new("choose", "nothing speaks for it"))?;
    Ok(Exercise {
        kind: Kind::Choose,
        asks: format!("{place}; {behind}; {was}. What goes in?"),
        answers: kinds.iter().map(|k| k.label().to_owned()).collect(),
        right: kinds.iter().position(|k| *k == kind).unwrap_or(0),
        why,
        ticks: Vec::new(),
    })
}

/// Something that stands in the boat while something else is out or rotten: may it come out.
fn out(random: &mut Chance) -> Result<Exercise, InputError> {
    let part = |kind: MemberKind, number: u32| Stands {
        name: format!("{} {number}", kind.label().to_lowercase()),
        kind,
        side: (kind != MemberKind::Beam).then_some(Side::Port),
        number,
        rotten: false,
        out: false,
    };
    let (parts, next, asks) = match random.below(3) {
        scene @ (0 | 1) => {
            let kind = if scene == 0 { MemberKind::Frame } else { MemberKind::Beam };
            let mut parts: Vec<Stands> = (5..=12).map(|n| part(kind, n)).collect();
            let gone = 2 + random.below(4) as usize;
            let apart = 1 + random.below(4) as usize;
            let next = if gone + apart < parts.len() { gone + apart } else { gone - apart.min(gone) };
            parts[gone].out = true;
            let (label, number) = (kind.label(), parts[gone].number);
            let asks = format!("{label} {number} is out; its like stand. May {} come out now?", parts[next].name);
            (parts, next, asks)
        }
        _ => {
            let mut parts: Vec<Stands> = (7..=9).map(|n| part(MemberKind::Frame, n)).collect();
            let sound = random.below(3) as usize;
            let next = random.below(3) as usize;
            parts.iter_mut().enumerate().for_each(|(n, p)| p.rotten = n != sound);
            let asks = format!(
                "The shelf lies on frames 7, 8 and 9, and all but {} are rotten through. May {} come out now?",
                parts[sound].name, parts[next].name
            );
            parts.push(Stands { name: "the shelf".into(), ..part(MemberKind::Shelf, 1) });
            (parts, next, asks)
        }
    };
    let told = holds::check(&holds::standing(&parts), next)?;
    let right = match (told.allowed, told.shore_first.is_empty()) {
        (true, _) => 0,
        (false, true) => 1,
        (false, false) => 2,
    };
    let first = told.reasons.iter().find(|r| r.verdict == Verdict::Forbids).or(told.reasons.first());
    Ok(Exercise {
        kind: Kind::Out,
        asks,
        answers: vec!["Yes".into(), "No: too near what is out".into(), "Once what rests on it is shored".into()],
        right,
        why: first.cloned().ok_or_else(|| InputError::new("out", "nothing was weighed"))?,
        ticks: Vec::new(),
    })
}

fn coat(random: &mut Chance) -> Exercise {
    let temperature = (8.0 + 14.0 * random.unit()).round();
    let humidity = (50.0 + 45.0 * random.unit()).round();
    let surface = (temperature - 4.0 + 5.0 * random.unit()).round();
    let dew = finish::dew_point(temperature, humidity);
    let may = surface >= dew + DEW_MARGIN;
    Exercise {
        kind: Kind::Coat,
        asks: format!(
            "The air is {temperature:.0} °C and {humidity:.0} % humid, the wood’s face {surface:.0} °C. May varnish go on?"
        ),
        answers: vec!["Yes".into(), "No: it would bloom".into()],
        right: usize::from(!may),
        why: Reason::new(
            "finish.dew",
            if may { Verdict::For } else { Verdict::Forbids },
            "the face stays three degrees above the dew point, or damp settles in the coat",
        )
        .source("handbook 07")
        .value("dew point", dew, "°C")
        .against("the face", surface, "°C", dew + DEW_MARGIN),
        ticks: Vec::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_answer_can_be_the_right_one_and_the_same_question_is_the_same_again() {
        for kind in Kind::ALL {
            let all: Vec<Exercise> = (0..200).map(|n| exercise(*kind, "heron", n).unwrap()).collect();
            let mut right: Vec<usize> = all.iter().map(|e| e.right).collect();
            assert!(all.iter().all(|e| e.right < e.answers.len()), "{}", kind.code());
            right.sort_unstable();
            right.dedup();
            assert!(right.len() >= 2, "{}: always {right:?}", kind.code());
            assert_eq!(exercise(*kind, "heron", 7).unwrap(), all[7]);
            assert!(all[3] != all[4] || all[4] != all[5], "{}", kind.code());
        }
    }

    #[test]
    fn the_misread_tick_is_the_one_farthest_from_a_parabola_through_the_rest() {
        for n in 0..60 {
            let one = exercise(Kind::Line, "curlew", n).unwrap();
            // A second method: leave each out, and fit a parabola to the rest by least squares; the one left out that is missed most.
            let missed = |out: usize| {
                let rest: Vec<Point> = one
                    .ticks
                    .iter()
                    .enumerate()
                    .filter(|(i, _)| *i != out)
                    .map(|(_, p)| [p[0] / 1_000.0, p[1]])
                    .collect();
                let sum = |f: &dyn Fn(&Point) -> f64| rest.iter().map(f).sum::<f64>();
                let m: Vec<f64> = (0..5).map(|k| sum(&|p| p[0].powi(k))).collect();
                let v: Vec<f64> = (0..3).map(|k| sum(&|p| p[1] * p[0].powi(k))).collect();
                let det = |a: [[f64; 3]; 3]| {
                    a[0][0] * (a[1][1] * a[2][2] - a[1][2] * a[2][1])
                        - a[0][1] * (a[1][0] * a[2][2] - a[1][2] * a[2][0])
                        + a[0][2] * (a[1][0] * a[2][1] - a[1][1] * a[2][0])
                };
                let base = [[m[0], m[1], m[2]], [m[1], m[2], m[3]], [m[2], m[3], m[4]]];
                let by = |column: usize| {
                    let mut a = base;
                    (0..3).for_each(|row| a[row][column] = v[row]);
                    det(a) / det(base)
                };
                let (c, b, a) = (by(0), by(1), by(2));
                let x = one.ticks[out][0] / 1_000.0;
                (one.ticks[out][1] - (c + b * x + a * x * x)).abs()
            };
            let worst = (0..one.ticks.len()).max_by(|a, b| missed(*a).total_cmp(&missed(*b))).unwrap();
            assert_eq!(worst, one.right, "exercise {n}");
        }
    }

    #[test]
    fn one_board_of_four_yields_the_piece_by_hand_too() {
        let mut ways = std::collections::BTreeSet::new();
        for n in 0..200 {
            let one = exercise(Kind::Board, "wren", n).unwrap();
            let figures = |text: &str| -> Vec<f64> {
                text.split(|c: char| !c.is_ascii_digit() && c != '.').filter_map(|t| t.parse().ok()).collect()
            };
            let wanted = figures(&one.asks);
            let yields: Vec<bool> = one
                .answers
                .iter()
                .map(|answer| {
                    let b = figures(answer);
                    // Both ends off by 25 mm or one and a half thicknesses, both faces by 2 mm; glue takes no more than 16 %.
                    let long = b[0] - 2.0 * f64::max(25.0, 1.5 * b[2]) >= wanted[0];
                    let fails = [!long, b[1] < wanted[1], b[2] - 4.0 < wanted[2], b[3] > 16.0];
                    assert!(fails.iter().filter(|f| **f).count() <= 1, "{answer} for {}", one.asks);
                    !fails.contains(&true)
                })
                .collect();
            assert_eq!(yields.iter().filter(|y| **y).count(), 1, "{}: {:?}", one.asks, one.answers);
            assert!(yields[one.right], "{}: {:?}", one.asks, one.answers);
            assert!(one.why.verdict == Verdict::Forbids && !one.why.text.contains(" enough after"), "{:?}", one.why);
            ways.insert(one.why.rule);
        }
        assert_eq!(ways.len(), 4, "each way to fail is asked: {ways:?}");
    }

    #[test]
    fn what_may_come_out_and_what_goes_in_are_right_by_hand() {
        for n in 0..200 {
            let one = exercise(Kind::Out, "tern", n).unwrap();
            let figures: Vec<i64> =
                one.asks.split(|c: char| !c.is_ascii_digit()).filter_map(|t| t.parse().ok()).collect();
            let by_hand = if one.asks.contains("shelf") {
                // The last two figures: the sound frame, and the one asked for. The shelf rests on the sound one alone.
                if figures[3] == figures[4] { 2 } else { 0 }
            } else {
                // No two neighbouring beams; of frames every third at most.
                let least = if one.asks.starts_with("Beam") { 2 } else { 3 };
                usize::from((figures[0] - figures[1]).abs() < least)
            };
            assert_eq!(one.right, by_hand, "{}", one.asks);
            assert_eq!(one.right == 0, one.why.verdict != Verdict::Forbids, "{}: {:?}", one.asks, one.why);

            let one = exercise(Kind::Choose, "tern", n).unwrap();
            let right = one.answers[one.right].as_str();
            // A screw goes in where nothing else can: nobody reaches behind, and what was there needs no more than that.
            let blind = one.asks.contains("in the way") && !one.asks.contains("lap edge");
            if one.asks.contains("nobody knows") {
                assert_eq!(right == "Screw", blind, "{}: {right}", one.asks);
            }
            if blind {
                assert!(matches!(right, "Screw" | "Trenail"), "{}: {right}", one.asks);
            } else if let Some(was) =
                one.answers.iter().find(|k| one.asks.contains(&format!("a {} was", k.to_lowercase())))
            {
                let needs_inside = matches!(was.as_str(), "Copper nail and rove" | "Clench nail" | "Bolt");
                if !needs_inside || one.asks.contains("is reached") {
                    assert_eq!(right, was, "renewal keeps the kind: {}", one.asks);
                }
            }
        }
    }

    #[test]
    fn butts_and_coats_are_right_by_hand() {
        // Magnus by hand at 20 °C and 50 %: 9.3 °C.
        assert!((finish::dew_point(20.0, 50.0) - 9.26).abs() < 0.05);
        for n in 0..100 {
            let one = exercise(Kind::Coat, "w", n).unwrap();
            let told: Vec<f64> =
                one.asks.split(|c: char| !c.is_ascii_digit() && c != '-').filter_map(|t| t.parse().ok()).collect();
            let gamma = (told[1] / 100.0).ln() + 17.62 * told[0] / (243.12 + told[0]);
            let dew = 243.12 * gamma / (17.62 - gamma);
            assert_eq!(one.right == 0, told[2] >= dew + 3.0, "{}", one.asks);
        }
    }
}
