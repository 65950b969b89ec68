//! What rests on what: what may come out of the boat now, what must be shored first, and which deck holds itself up.
//! Handbook 08, taking her apart.

use crate::error::InputError;
use crate::grid::Side;
use crate::grid::member::MemberKind;
use crate::reason::{Reason, Verdict};

use super::order::EVERY_THIRD;

/// A member that stands in the boat, by its index in the list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Member {
    pub name: String,
    pub kind: MemberKind,
    /// Number among its like, counted along the boat, with the side it is on where it has one; `None`: not numbered.
    pub number: Option<(String, u32)>,
    /// Indices of what it rests on.
    pub rests_on: Vec<usize>,
    pub rotten: bool,
    /// Out of the boat already.
    pub out: bool,
}

/// A part of a boat whose members rest on each other as they usually do.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stands {
    pub name: String,
    pub kind: MemberKind,
    pub side: Option<Side>,
    pub number: u32,
    pub rotten: bool,
    pub out: bool,
}

/// What rests on what in a hull as it is usually built: shelf and clamp on the frames of their side, each end of a beam on shelf and
/// clamp of its side, the deck on the beams. Parts keep their places in the list; the ends of beams come after them.
pub fn standing(parts: &[Stands]) -> Vec<Member> {
    use MemberKind as K;
    let of =
        |wanted: &dyn Fn(&Stands) -> bool| -> Vec<usize> { (0..parts.len()).filter(|i| wanted(&parts[*i])).collect() };
    let beams = of(&|p| p.kind == K::Beam);
    let mut all: Vec<Member> = parts
        .iter()
        .map(|p| Member {
            name: p.name.clone(),
            kind: p.kind,
            number: Some((p.side.map_or(String::new(), |s| s.letter().to_string()), p.number)),
            rests_on: match p.kind {
                K::Shelf | K::Clamp => of(&|f| f.kind == K::Frame && f.side == p.side),
                kind if is_deck(kind) => beams.clone(),
                _ => Vec::new(),
            },
            rotten: p.rotten,
            out: p.out,
        })
        .collect();
    for beam in beams {
        for side in Side::BOTH {
            let under = of(&|p| matches!(p.kind, K::Shelf | K::Clamp) && p.side == Some(side));
            if !under.is_empty() {
                all.push(Member {
                    name: format!("{}, {} end", parts[beam].name, side.label().to_lowercase()),
                    // It is no beam of its own: its neighbours may be out.
                    kind: K::Floor,
                    number: Some((format!("end of {beam}"), 0)),
                    rests_on: under,
                    rotten: false,
                    out: parts[beam].out,
                });
            }
        }
    }
    all
}

/// What may be done.
#[derive(Debug, Clone, PartialEq)]
pub struct Holds {
    /// It may come out as things are.
    pub allowed: bool,
    /// What rests on it alone: shored, braced or held by a stanchion before it comes out.
    pub shore_first: Vec<usize>,
    /// Decks that nothing sound holds up: nobody steps on them.
    pub keep_off: Vec<usize>,
    pub reasons: Vec<Reason>,
}

fn is_deck(kind: MemberKind) -> bool {
    use MemberKind as K;
    matches!(kind, K::DeckPlank | K::DeckPanel | K::KingPlank | K::CoveringBoard)
}

/// Decks of which everything they rest on is rotten or out.
pub fn keep_off(members: &[Member]) -> Vec<usize> {
    let sound = |i: &usize| members.get(*i).is_some_and(|m| !m.out && !m.rotten);
    (0..members.len())
        .filter(|i| {
            let m = &members[*i];
            !m.out && is_deck(m.kind) && !m.rests_on.is_empty() && !m.rests_on.iter().any(sound)
        })
        .collect()
}

/// What standing members rest on `next` with nothing else sound under them.
fn rests_alone(members: &[Member], next: usize) -> Vec<usize> {
    let other = |i: &usize| *i != next && members.get(*i).is_some_and(|m| !m.out && !m.rotten);
    (0..members.len())
        .filter(|i| {
            let m = &members[*i];
            *i != next && !m.out && m.rests_on.contains(&next) && !m.rests_on.iter().any(other)
        })
        .collect()
}

/// Members of its kind that are out and too near it: a beam's neighbours, frames within two.
fn too_near(members: &[Member], next: usize) -> Vec<usize> {
    let apart = match members[next].kind {
        MemberKind::Beam => 2,
        MemberKind::Frame | MemberKind::Floor => EVERY_THIRD,
        _ => return Vec::new(),
    };
    let like: Vec<usize> = (0..members.len()).filter(|i| members[*i].kind == members[next].kind).collect();
    let place = |i: usize| like.iter().position(|j| *j == i).unwrap_or(0) as u32;
    like.iter()
        .copied()
        .filter(|i| *i != next && members[*i].out)
        .filter(|i| match (&members[*i].number, &members[next].number) {
            (Some((side, a)), Some((other, b))) => side == other && a.abs_diff(*b) < apart,
            _ => members[next].kind == MemberKind::Beam && place(*i).abs_diff(place(next)) < apart,
        })
        .collect()
}

/// Whether a member may come out next. Errors name `next` or `members[i].rests_on`.
pub fn check(members: &[Member], next: usize) -> Result<Holds, InputError> {
    let Some(member) = members.get(next) else {
        return Err(InputError::new("next", "is none of the members"));
    };
    for (i, m) in members.iter().enumerate() {
        if m.rests_on.iter().any(|r| *r >= members.len()) {
            return Err(InputError::new(format!("members[{i}].rests_on"), "names something that is no member"));
        }
        if m.rests_on.contains(&i) {
            return Err(InputError::new(format!("members[{i}].rests_on"), "a member does not rest on itself"));
        }
    }
    if member.out {
        return Err(InputError::new("next", format!("{} is out already", member.name)));
    }
    let says = |rule, verdict, text: String| Reason::new(rule, verdict, text).source("handbook 08");
    let shore_first = rests_alone(members, next);
    let mut reasons: Vec<Reason> = shore_first
        .iter()
        .map(|i| {
            let text = format!("{} rests on {} alone: shore it first", members[*i].name, member.name);
            says("order.rests", Verdict::Forbids, text)
        })
        .collect();
    let near = too_near(members, next);
    reasons.extend(near.iter().map(|i| {
        let text = match member.kind {
            MemberKind::Beam => format!("{} is out: no two neighbouring beams out together", members[*i].name),
            _ => format!("{} is out: every third at most", members[*i].name),
        };
        says("order.near", Verdict::Forbids, text)
    }));
    let keep_off = keep_off(members);
    reasons.extend(keep_off.iter().map(|i| {
        let text = format!("{} is held up by itself: nothing sound is under it; keep off", members[*i].name);
        says("order.keep_off", Verdict::Note, text)
    }));
    if shore_first.is_empty() && near.is_empty() {
        reasons.push(says("order.rests", Verdict::For, "nothing that stands rests on it alone".to_owned()));
    }
    Ok(Holds { allowed: shore_first.is_empty() && near.is_empty(), shore_first, keep_off, reasons })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn member(kind: MemberKind, number: u32, rests_on: &[usize]) -> Member {
        Member {
            name: format!("{} {number}", kind.label()),
            kind,
            number: Some((String::new(), number)),
            rests_on: rests_on.to_vec(),
            rotten: false,
            out: false,
        }
    }

    /// Two frames, a shelf on both, three beams on it, a deck panel on the first two beams.
    fn boat() -> Vec<Member> {
        use MemberKind as K;
        vec![
            member(K::Frame, 5, &[]),
            member(K::Frame, 6, &[]),
            member(K::Shelf, 1, &[0, 1]),
            member(K::Beam, 3, &[2]),
            member(K::Beam, 4, &[2]),
            member(K::Beam, 5, &[2]),
            member(K::DeckPanel, 1, &[3, 4]),
        ]
    }

    #[test]
    fn a_shelf_comes_out_only_with_its_beams_on_stanchions() {
        let found = check(&boat(), 2).unwrap();
        assert_eq!((found.allowed, found.shore_first), (false, vec![3, 4, 5]));
        assert!(check(&boat(), 0).unwrap().allowed, "the shelf still has the other frame");
        let mut rotten = boat();
        rotten[1].rotten = true;
        assert_eq!(check(&rotten, 0).unwrap().shore_first, [2], "a rotten frame head holds nothing");
    }

    #[test]
    fn no_two_neighbouring_beams_and_a_deck_that_holds_itself_up_is_kept_off() {
        let mut open = boat();
        open[3].out = true;
        let next = check(&open, 4).unwrap();
        assert!(!next.allowed && next.reasons.iter().any(|r| r.rule == "order.near"));
        assert_eq!(next.shore_first, [6], "the deck has no other beam");
        assert!(check(&open, 5).unwrap().allowed);
        open[4].rotten = true;
        assert_eq!(check(&open, 5).unwrap().keep_off, [6]);
        assert_eq!(check(&open, 3).unwrap_err().field, "next");
        assert_eq!(check(&open, 99).unwrap_err().field, "next");
        open[0].rests_on = vec![0];
        assert_eq!(check(&open, 5).unwrap_err().field, "members[0].rests_on");
    }

    #[test]
    fn each_end_of_a_beam_rests_on_the_shelf_of_its_own_side() {
        use MemberKind as K;
        let stands = |kind, side, number| Stands {
            name: format!("{} {number}", K::label(kind)),
            kind,
            side,
            number,
            rotten: false,
            out: false,
        };
        let (port, starboard) = (Some(Side::Port), Some(Side::Starboard));
        let parts = [
            stands(K::Frame, port, 5),
            stands(K::Frame, port, 6),
            stands(K::Shelf, port, 1),
            stands(K::Shelf, starboard, 1),
            stands(K::Beam, None, 3),
            stands(K::DeckPanel, port, 1),
        ];
        let names = |parts: &[Stands], next: usize| -> Vec<String> {
            let all = standing(parts);
            check(&all, next).unwrap().shore_first.iter().map(|i| all[*i].name.clone()).collect()
        };
        assert_eq!(names(&parts, 2), ["Beam 3, port end"], "the other shelf holds the other end");
        assert_eq!(names(&parts, 4), ["Deck panel 1"]);
        assert!(names(&parts, 0).is_empty());
        let mut rotten = parts.clone();
        rotten[1].rotten = true;
        assert_eq!(names(&rotten, 0), ["Shelf 1"], "rotten frame heads hold nothing");
        rotten[4].rotten = true;
        assert_eq!(keep_off(&standing(&rotten)), [5]);
    }

    proptest! {
        #[test]
        fn what_may_come_out_leaves_everything_that_stands_on_something(
            links in proptest::collection::vec((proptest::collection::vec(0usize..12, 0..4), any::<bool>(), any::<bool>()), 12),
            next in 0usize..12,
        ) {
            let mut members: Vec<Member> = links.into_iter().enumerate().map(|(i, (rests_on, rotten, out))| Member {
                rests_on: rests_on.into_iter().filter(|r| *r < i).collect(), rotten, out,
                ..member(MemberKind::DeckPlank, i as u32, &[])
            }).collect();
            members[next].out = false;
            let found = check(&members, next).unwrap();
            // Brute force: take it out and see who stood on it and has nothing sound left.
            let mut after = members.clone();
            after[next].out = true;
            let held = |all: &[Member], m: &Member| m.rests_on.iter().any(|r| !all[*r].out && !all[*r].rotten);
            for (i, m) in members.iter().enumerate().filter(|(i, m)| *i != next && !m.out) {
                let must = m.rests_on.contains(&next) && !held(&after, m);
                prop_assert_eq!(found.shore_first.contains(&i), must);
                let alone = !m.rests_on.is_empty() && !held(&members, m);
                prop_assert_eq!(found.keep_off.contains(&i), alone);
            }
            prop_assert_eq!(found.allowed, found.shore_first.is_empty());
        }
    }
}
