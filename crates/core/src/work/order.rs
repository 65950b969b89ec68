//! Structural order over all decided work: what may come out now, what must be shored first, and in which turns, both sides in
//! balance. Handbook 08.

use std::collections::BTreeMap;

use crate::choice::choices;
use crate::grid::Side;
use crate::grid::member::MemberKind;
use crate::reason::{Reason, Verdict};

choices! {
    /// Which goes on first.
    DeckSchool {
        CoveringFirst = "covering_first", "Covering boards first";
        PlanksFirst = "planks_first", "Deck planks first";
    }
}

/// How far work on a part has come.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum State {
    /// Decided; still in the boat.
    Planned,
    /// Cut out and not yet replaced.
    Out,
    /// Replaced.
    In,
}

/// A part of the boat that was decided on.
#[derive(Debug, Clone, PartialEq)]
pub struct Part {
    pub id: i64,
    pub name: String,
    pub kind: MemberKind,
    pub side: Option<Side>,
    /// Strake, frame or other number.
    pub number: u32,
    /// From where to where along the boat, mm aft of frame 1.
    pub span: (f64, f64),
    /// Wood comes out of the boat for it.
    pub takes_out: bool,
    pub shored: bool,
    /// The old part's shape was taken.
    pub measured: bool,
    pub state: State,
}

/// What holds the shape beside the parts themselves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Hull {
    /// Moulds or battens hold the whole shape.
    pub moulds: bool,
    pub deck: DeckSchool,
}

/// What may be done with a part.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum May {
    /// It may come out, or be worked in place.
    Now,
    /// Shore it first, then it may.
    ShoreFirst,
    /// Something else must be back in before it.
    Wait,
    Out,
    Done,
}

impl May {
    pub fn label(self) -> &'static str {
        match self {
            Self::Now => "Now",
            Self::ShoreFirst => "Shore first",
            Self::Wait => "Wait",
            Self::Out => "Out",
            Self::Done => "Done",
        }
    }

    pub fn code(self) -> &'static str {
        match self {
            Self::Now => "now",
            Self::ShoreFirst => "shore",
            Self::Wait => "wait",
            Self::Out => "out",
            Self::Done => "done",
        }
    }
}

/// A part's place in the order.
#[derive(Debug, Clone, PartialEq)]
pub struct Status {
    pub id: i64,
    pub may: May,
    /// The turn it comes out in, from 1; 0 for what is out or done.
    pub turn: u32,
    pub reasons: Vec<Reason>,
}

/// The order over a boat.
#[derive(Debug, Clone, PartialEq)]
pub struct Order {
    /// One for each part, in their order.
    pub parts: Vec<Status>,
    pub turns: u32,
    /// What is wrong with what is out now.
    pub wrong: Vec<Reason>,
    /// Parts out on each side.
    pub out: (usize, usize),
}

/// Frames out together stand at least this many apart: every third at most.
pub const EVERY_THIRD: u32 = 3;
/// No more neighbouring strakes than this off a side.
pub const NEIGHBOURS: usize = 2;
/// Work this far along the boat from other work does not touch it, mm (*yard rule*).
const APART: f64 = 300.0;
/// More parts out on one side than on the other by more than this, and the hull is out of balance (*yard rule*).
const UNEVEN: usize = 2;

/// When a part goes back in: backbone, frames and floors, clamp and shelf, beams, planking, deck.
fn stage(kind: MemberKind, deck: DeckSchool) -> u32 {
    use MemberKind as K;
    match kind {
        K::Stem | K::Keel | K::Keelson | K::Deadwood | K::Sternpost | K::HornTimber => 0,
        K::Frame | K::Floor => 1,
        K::Clamp | K::Shelf | K::Stringer => 2,
        K::Stopwater => 0,
        K::Beam | K::Carlin | K::Knee => 3,
        K::Plank | K::TransomPlank => 4,
        K::CoveringBoard => {
            if deck == DeckSchool::CoveringFirst {
                5
            } else {
                6
            }
        }
        K::DeckPlank | K::KingPlank | K::DeckPanel => {
            if deck == DeckSchool::CoveringFirst {
                6
            } else {
                5
            }
        }
        K::Ceiling | K::Spar | K::Hatch | K::Coaming | K::Drain => 7,
    }
}

/// What the stages are called.
fn stage_name(stage: u32) -> &'static str {
    ["backbone", "frames and floors", "clamp and shelf", "beams", "planking", "deck", "deck", "inside and spars"]
        [stage.min(7) as usize]
}

fn touch(a: &Part, b: &Part) -> bool {
    let sides = a.side.is_none() || b.side.is_none() || a.side == b.side;
    sides && overlap(a, b)
}

fn overlap(a: &Part, b: &Part) -> bool {
    a.span.0 <= b.span.1 + APART && b.span.0 <= a.span.1 + APART
}

/// Why two parts must not be out at the same time.
fn clash(a: &Part, b: &Part, hull: Hull) -> Option<Reason> {
    use MemberKind as K;
    if !a.takes_out || !b.takes_out {
        return None;
    }
    let wait = |rule, text: String| Reason::new(rule, Verdict::Forbids, text).source("handbook 08");
    match (a.kind, b.kind) {
        (K::Frame | K::Floor, K::Frame | K::Floor) if a.kind == b.kind => {
            let apart = a.number.abs_diff(b.number);
            if a.side == b.side && apart < EVERY_THIRD {
                return Some(
                    wait("order.frames", format!("{} is out with it: every third frame at most", b.name)).against(
                        "frames apart",
                        f64::from(apart),
                        "",
                        f64::from(EVERY_THIRD),
                    ),
                );
            }
            (a.side != b.side && apart == 0)
                .then(|| wait("order.alternate", format!("{} stands across from it: alternate sides", b.name)))
        }
        (K::Plank, K::Plank) if !hull.moulds && a.number == b.number && a.side != b.side && overlap(a, b) => {
            Some(wait(
                "order.both_sides",
                format!("{} is the same strake on the other side: never both, unless moulds hold the shape", b.name),
            ))
        }
        _ => None,
    }
}

/// Whether one more strake would leave more than two neighbours off a side.
fn too_many_strakes(part: &Part, out: &[&Part], hull: Hull) -> Option<Reason> {
    if part.kind != MemberKind::Plank || !part.takes_out || hull.moulds {
        return None;
    }
    let off: Vec<u32> = out
        .iter()
        .filter(|p| p.kind == MemberKind::Plank && p.takes_out && p.side == part.side && overlap(p, part))
        .map(|p| p.number)
        .chain([part.number])
        .collect();
    let run = |step: i64| (1..).take_while(|k| off.contains(&((i64::from(part.number) + step * k) as u32))).count();
    let neighbours = 1 + run(1) + run(-1);
    (neighbours > NEIGHBOURS).then(|| {
        Reason::new(
            "order.strakes",
            Verdict::Forbids,
            "no more than two neighbouring strakes off a side, unless moulds hold the shape",
        )
        .source("handbook 08")
        .against("neighbouring strakes off", neighbours as f64, "", NEIGHBOURS as f64)
    })
}

/// Works out the order: what each part waits for, and turns in which all can be done.
pub fn check(parts: &[Part], hull: Hull) -> Order {
    let out: Vec<&Part> = parts.iter().filter(|p| p.state == State::Out && p.takes_out).collect();
    let turns = turns(parts, hull);
    let statuses = parts
        .iter()
        .enumerate()
        .map(|(i, part)| {
            let (may, reasons) = status(part, parts, &out, hull);
            Status { id: part.id, may, turn: turns[i], reasons }
        })
        .collect();
    let mut wrong = Vec::new();
    for (i, a) in out.iter().enumerate() {
        for b in &out[i + 1..] {
            if let Some(mut reason) = clash(a, b, hull) {
                reason.text = format!("{}: {}", a.name, reason.text);
                wrong.push(reason);
            }
        }
        let others: Vec<&Part> = out.iter().filter(|p| p.id != a.id && p.number > a.number).copied().collect();
        if let Some(reason) = too_many_strakes(a, &others, hull) {
            wrong.push(reason);
        }
        if !a.shored {
            wrong.push(
                Reason::new(
                    "order.shore",
                    Verdict::Forbids,
                    format!("{} is out and nothing is recorded that shores it", a.name),
                )
                .source("handbook 08"),
            );
        }
    }
    let side = |s: Side| out.iter().filter(|p| p.side == Some(s)).count();
    let balance = (side(Side::Port), side(Side::Starboard));
    if balance.0.abs_diff(balance.1) > UNEVEN {
        wrong.push(
            Reason::new(
                "order.balance",
                Verdict::Against,
                "much more is out on one side than on the other: the hull may twist",
            )
            .source("handbook 08")
            .value("out to port", balance.0 as f64, "")
            .value("out to starboard", balance.1 as f64, ""),
        );
    }
    Order { turns: turns.iter().copied().max().unwrap_or(0), parts: statuses, wrong, out: balance }
}

fn status(part: &Part, parts: &[Part], out: &[&Part], hull: Hull) -> (May, Vec<Reason>) {
    match part.state {
        State::In => return (May::Done, Vec::new()),
        State::Out => return (May::Out, Vec::new()),
        State::Planned => {}
    }
    let mut reasons: Vec<Reason> = out.iter().filter_map(|other| clash(part, other, hull)).collect();
    reasons.extend(too_many_strakes(part, out, hull));
    let own = stage(part.kind, hull.deck);
    let earlier: Vec<&Part> =
        parts.iter().filter(|p| p.state != State::In && stage(p.kind, hull.deck) < own && touch(p, part)).collect();
    if let Some(first) = earlier.iter().min_by_key(|p| stage(p.kind, hull.deck)) {
        let more = if earlier.len() > 1 { format!(" and {} more", earlier.len() - 1) } else { String::new() };
        let text = format!(
            "{}{more} here first: {} before {}",
            first.name,
            stage_name(stage(first.kind, hull.deck)),
            stage_name(own)
        );
        // Open planking lets one reach the frames: it may be opened, not closed.
        let opens = part.kind == MemberKind::Plank;
        let verdict = if opens { Verdict::Note } else { Verdict::Forbids };
        let text = if opens { format!("{text}; it may come off for that, and goes back on after") } else { text };
        reasons.push(Reason::new("order.stage", verdict, text).source("handbook 08"));
    }
    if reasons.iter().any(|r| r.verdict == Verdict::Forbids) {
        return (May::Wait, reasons);
    }
    if part.takes_out && !part.shored {
        reasons.push(
            Reason::new("order.shore", Verdict::Against, "nothing comes out before its shore is in")
                .source("handbook 08"),
        );
        return (May::ShoreFirst, reasons);
    }
    if part.takes_out && !part.measured {
        reasons.push(
            Reason::note(
                "order.pattern",
                "the old part is the pattern and holds the shape: it stays until the new one is measured",
            )
            .source("handbook 08"),
        );
    }
    (May::Now, reasons)
}

/// A turn for each part that is still to be done, so that no two of one turn clash: earlier stages first, and within a stage
/// sides taking turns. What is out now counts as turn 0.
fn turns(parts: &[Part], hull: Hull) -> Vec<u32> {
    let mut turn = vec![0u32; parts.len()];
    let mut open: Vec<usize> = (0..parts.len()).filter(|i| parts[*i].state == State::Planned).collect();
    open.sort_by_key(|i| (stage(parts[*i].kind, hull.deck), parts[*i].number, parts[*i].side));
    let mut now = 0;
    while !open.is_empty() {
        now += 1;
        let mut taken: Vec<usize> = Vec::new();
        let mut count: BTreeMap<Option<Side>, usize> = BTreeMap::new();
        for &i in &open {
            let part = &parts[i];
            let held: Vec<&Part> = taken.iter().map(|t| &parts[*t]).collect();
            let clashes = held.iter().any(|other| clash(part, other, hull).is_some())
                || too_many_strakes(part, &held, hull).is_some();
            let own = stage(part.kind, hull.deck);
            let waits = open.iter().any(|j| stage(parts[*j].kind, hull.deck) < own && touch(&parts[*j], part));
            let other_side = part.side.map_or(0, |s| count.get(&Some(s.other())).copied().unwrap_or(0));
            let this_side = count.get(&part.side).copied().unwrap_or(0);
            let more_waits_there = open
                .iter()
                .any(|j| !taken.contains(j) && parts[*j].side == part.side.map(Side::other) && part.side.is_some());
            let uneven = part.side.is_some() && part.takes_out && more_waits_there && this_side >= other_side + UNEVEN;
            if !clashes && !waits && !uneven {
                taken.push(i);
                *count.entry(part.side).or_default() += usize::from(part.takes_out);
            }
        }
        // Balance must never keep everything waiting.
        if taken.is_empty() {
            taken.push(open[0]);
        }
        for i in &taken {
            turn[*i] = now;
        }
        open.retain(|i| !taken.contains(i));
    }
    turn
}

/// For each part that is still to come out, the parts that must be closed before it does: those of an earlier turn, or out
/// now, that it may not be out with, or that belong under it. Indices into `parts`; there is no circle in them.
pub fn waits(parts: &[Part], hull: Hull) -> Vec<Vec<usize>> {
    let turns = turns(parts, hull);
    let before = |j: usize, i: usize| match parts[j].state {
        State::In => false,
        State::Out => true,
        State::Planned => turns[j] < turns[i],
    };
    let keeps = |i: usize, j: usize| {
        let (a, b) = (&parts[i], &parts[j]);
        let strakes = a.kind == MemberKind::Plank
            && b.kind == MemberKind::Plank
            && b.takes_out
            && !hull.moulds
            && a.side == b.side
            && a.number.abs_diff(b.number) as usize <= NEIGHBOURS
            && overlap(a, b);
        let under = stage(b.kind, hull.deck) < stage(a.kind, hull.deck) && touch(a, b) && a.kind != MemberKind::Plank;
        strakes || under || clash(a, b, hull).is_some()
    };
    (0..parts.len())
        .map(|i| {
            if !parts[i].takes_out || parts[i].state != State::Planned {
                return Vec::new();
            }
            (0..parts.len()).filter(|j| *j != i && before(*j, i) && keeps(i, *j)).collect()
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn a_part_waits_for_those_it_may_not_be_out_with_and_for_no_others() {
        use MemberKind::{Frame, Plank};
        let port = Some(Side::Port);
        let frame = |n| part(i64::from(n), Frame, port, n);
        let mut out = frame(7);
        out.state = State::Out;
        // Frame 9 may not be out with 7, frame 13 may; what is closed already holds nothing up.
        assert_eq!(waits(&[out.clone(), frame(9), frame(13)], HULL), [vec![], vec![0], vec![]]);
        out.state = State::In;
        assert_eq!(waits(&[out, frame(9), frame(13)], HULL), [[0usize; 0]; 3]);
        // Three neighbouring strakes: two at once, the third waits for both.
        let planks: Vec<Part> = (4..7).map(|n| part(i64::from(n), Plank, port, n)).collect();
        assert_eq!(waits(&planks, HULL), [vec![], vec![], vec![0, 1]]);
    }

    const HULL: Hull = Hull { moulds: false, deck: DeckSchool::CoveringFirst };

    fn part(id: i64, kind: MemberKind, side: Option<Side>, number: u32) -> Part {
        let at = f64::from(number) * 250.0;
        let span = if kind == MemberKind::Frame { (at, at) } else { (0.0, 4_000.0) };
        Part {
            id,
            name: format!("{} {number}{}", kind.label(), side.map_or(String::new(), |s| s.letter().to_string())),
            kind,
            side,
            number,
            span,
            takes_out: true,
            shored: true,
            measured: true,
            state: State::Planned,
        }
    }

    fn frame(id: i64, side: Side, number: u32) -> Part {
        part(id, MemberKind::Frame, Some(side), number)
    }

    #[test]
    fn no_two_neighbouring_frames_and_nothing_unshored() {
        let mut frames = vec![frame(1, Side::Port, 7), frame(2, Side::Port, 9), frame(3, Side::Port, 10)];
        frames[0].state = State::Out;
        let order = check(&frames, HULL);
        assert_eq!([order.parts[1].may, order.parts[2].may], [May::Wait, May::Now]);
        assert_eq!(order.parts[1].reasons[0].rule, "order.frames");
        frames[2].shored = false;
        assert_eq!(check(&frames, HULL).parts[2].may, May::ShoreFirst);
        frames[1].state = State::Out;
        frames[1].shored = false;
        let wrong: Vec<&str> = check(&frames, HULL).wrong.iter().map(|r| r.rule).collect();
        assert_eq!(wrong, ["order.frames", "order.shore"]);
    }

    #[test]
    fn five_frame_heads_come_out_in_turns() {
        let heads: Vec<Part> =
            [7, 9, 11, 13, 15].into_iter().enumerate().map(|(i, n)| frame(i as i64, Side::Port, n)).collect();
        let order = check(&heads, HULL);
        assert_eq!(order.parts.iter().map(|p| p.turn).collect::<Vec<_>>(), [1, 2, 1, 2, 1]);
        assert_eq!(order.turns, 2);
    }

    #[test]
    fn the_third_strake_and_the_same_strake_across_wait_unless_moulds_hold_the_shape() {
        let plank = |id, side, n| part(id, MemberKind::Plank, Some(side), n);
        let mut planks = vec![
            plank(1, Side::Port, 5),
            plank(2, Side::Port, 6),
            plank(3, Side::Port, 7),
            plank(4, Side::Starboard, 6),
        ];
        (planks[0].state, planks[1].state) = (State::Out, State::Out);
        let order = check(&planks, HULL);
        assert_eq!(
            (order.parts[2].reasons[0].rule, order.parts[3].reasons[0].rule),
            ("order.strakes", "order.both_sides")
        );
        let held = check(&planks, Hull { moulds: true, ..HULL });
        assert_eq!((held.parts[2].may, held.parts[3].may), (May::Now, May::Now));
    }

    #[test]
    fn beams_wait_for_the_shelf_and_covering_boards_go_by_their_school() {
        let parts = vec![
            part(1, MemberKind::Shelf, Some(Side::Port), 1),
            part(2, MemberKind::Beam, None, 4),
            part(3, MemberKind::CoveringBoard, Some(Side::Port), 1),
            part(4, MemberKind::DeckPlank, Some(Side::Port), 2),
        ];
        let turns = |deck| check(&parts, Hull { deck, ..HULL }).parts.iter().map(|p| p.turn).collect::<Vec<_>>();
        assert_eq!(turns(DeckSchool::CoveringFirst), [1, 2, 3, 4]);
        assert_eq!(turns(DeckSchool::PlanksFirst), [1, 2, 4, 3]);
        assert_eq!(check(&parts, HULL).parts[1].may, May::Wait);
    }

    #[test]
    fn a_side_stripped_bare_is_out_of_balance() {
        let mut frames: Vec<Part> = [3, 6, 9].into_iter().map(|n| frame(i64::from(n), Side::Port, n)).collect();
        frames.iter_mut().for_each(|f| f.state = State::Out);
        assert_eq!(check(&frames, HULL).wrong.iter().map(|r| r.rule).collect::<Vec<_>>(), ["order.balance"]);
    }

    proptest! {
        #[test]
        fn no_turn_takes_out_what_must_not_be_out_together(
            numbers in proptest::collection::vec((0usize..2, 0usize..4, 1u32..20), 1..40), moulds: bool,
        ) {
            let kinds = [MemberKind::Frame, MemberKind::Plank, MemberKind::Shelf, MemberKind::Beam];
            let hull = Hull { moulds, ..HULL };
            let parts: Vec<Part> = numbers.into_iter().enumerate()
                .map(|(i, (side, kind, n))| part(i as i64, kinds[kind], Some(Side::BOTH[side]), n)).collect();
            let order = check(&parts, hull);
            for (i, a) in parts.iter().enumerate() {
                prop_assert!(order.parts[i].turn >= 1);
                let together: Vec<&Part> = parts.iter().enumerate()
                    .filter(|(j, _)| *j != i && order.parts[*j].turn == order.parts[i].turn).map(|(_, p)| p).collect();
                prop_assert!(together.iter().all(|b| clash(a, b, hull).is_none()));
                prop_assert!(too_many_strakes(a, &together, hull).is_none());
            }
        }
    }
}
