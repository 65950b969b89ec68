//! Butts: how far joints in neighbouring strakes must be shifted, and which pairs are too close.

pub mod plan;

use serde::{Deserialize, Serialize};

use crate::grid::Joint;

/// Least distances between butts, in frame spaces (*yard rule*; handbook 04).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Rule {
    /// Between butts in neighbouring strakes.
    pub adjacent: u32,
    /// Between butts with one strake between them.
    pub one_between: u32,
    /// Strakes that must lie between two butts in the same bay.
    pub same_bay_between: u32,
    /// Shortest plank.
    pub min_piece: u32,
}

/// Offshore and coastal.
pub const WIDE: Rule = Rule { adjacent: 3, one_between: 2, same_bay_between: 3, min_piece: 5 };
/// Sheltered water and workboats.
pub const CLOSE: Rule = Rule { adjacent: 2, one_between: 1, same_bay_between: 2, min_piece: 5 };

impl Rule {
    /// The rule for scarfs: they shift like butts, at half the distance (handbook 04).
    pub fn for_scarfs(&self) -> Self {
        Self { adjacent: self.adjacent.div_ceil(2), one_between: self.one_between.div_ceil(2), ..*self }
    }

    /// The rule a boat's use asks for.
    pub fn for_use(use_: crate::practice::Use) -> Self {
        use crate::practice::Use;
        match use_ {
            Use::Sheltered | Use::Workboat => CLOSE,
            Use::Coastal | Use::Offshore | Use::Museum => WIDE,
        }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum ConflictKind {
    ShortPiece,
    SameBay,
    Adjacent,
    OneBetween,
}

/// Why two joints are too close, with the values compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Conflict {
    pub kind: ConflictKind,
    /// Frame spaces apart; for the same bay, strakes between.
    pub found: u32,
    pub needed: u32,
}

impl Conflict {
    pub fn text(&self) -> String {
        let Self { found, needed, .. } = *self;
        match self.kind {
            ConflictKind::ShortPiece => {
                format!("the plank between them is {found} frame spaces long; it should be {needed}")
            }
            ConflictKind::SameBay => {
                format!("in the same bay with {found} strakes between them; there should be {needed}")
            }
            ConflictKind::Adjacent => {
                format!("in neighbouring strakes {found} frame spaces apart; it should be {needed}")
            }
            ConflictKind::OneBetween => {
                format!("one strake between them and {found} frame spaces apart; it should be {needed}")
            }
        }
    }
}

/// Whether two joints break the rule: the first that applies of short piece, same bay, adjacent, one between.
/// Joints on different sides never do.
pub fn conflict(rule: &Rule, a: Joint, b: Joint) -> Option<Conflict> {
    if a.side != b.side {
        return None;
    }
    let strakes = a.strake.abs_diff(b.strake);
    let bays = a.bay.abs_diff(b.bay);
    let broken = |kind, found, needed| (found < needed).then_some(Conflict { kind, found, needed });
    if strakes == 0 {
        return broken(ConflictKind::ShortPiece, bays, rule.min_piece);
    }
    (bays == 0).then(|| broken(ConflictKind::SameBay, strakes - 1, rule.same_bay_between)).flatten().or_else(|| {
        match strakes {
            1 => broken(ConflictKind::Adjacent, bays, rule.adjacent),
            2 => broken(ConflictKind::OneBetween, bays, rule.one_between),
            _ => None,
        }
    })
}

/// Two joints (indices, `a < b`) that are too close.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Violation {
    pub a: usize,
    pub b: usize,
    #[serde(flatten)]
    pub conflict: Conflict,
}

/// Every pair of joints that breaks the rule, sorted by `a`, then `b`.
///
/// Only joints near each other are compared, so that a whole hull is checked in the time of its joints.
pub fn check(rule: &Rule, joints: &[Joint]) -> Vec<Violation> {
    let mut order: Vec<usize> = (0..joints.len()).collect();
    order.sort_by_key(|i| (joints[*i].side, joints[*i].bay, joints[*i].strake));
    let reach = rule.adjacent.max(rule.one_between).max(rule.min_piece);
    let mut found = Vec::new();
    for (n, &i) in order.iter().enumerate() {
        let near = order[n + 1..]
            .iter()
            .take_while(|j| joints[**j].side == joints[i].side && joints[**j].bay - joints[i].bay < reach.max(1));
        for &j in near {
            if let Some(conflict) = conflict(rule, joints[i], joints[j]) {
                found.push(Violation { a: i.min(j), b: i.max(j), conflict });
            }
        }
    }
    found.sort_by_key(|v| (v.a, v.b));
    found
}

/// Clearance of a butt block from the frames, mm (*yard rule*): water must get past.
pub const LIMBER_GAP: f64 = 15.0;

/// Length and thickness of a butt block, mm: 12 × plank thickness where the bay allows, clear of both frames.
pub fn block(plank_thickness: f64, bay_clear: f64) -> (f64, f64) {
    ((12.0 * plank_thickness).min((bay_clear - 2.0 * LIMBER_GAP).max(0.0)), plank_thickness)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::grid::Side;

    fn joint(strake: u32, bay: u32) -> Joint {
        Joint { side: Side::Port, strake, bay }
    }

    #[test]
    fn crowded_butts_are_named_pair_by_pair() {
        let joints = [joint(3, 10), joint(4, 11), joint(5, 10), Joint { side: Side::Starboard, ..joint(3, 10) }];
        let found: Vec<_> =
            check(&WIDE, &joints).iter().map(|v| (v.a, v.b, v.conflict.kind, v.conflict.found)).collect();
        assert_eq!(
            found,
            [(0, 1, ConflictKind::Adjacent, 1), (0, 2, ConflictKind::SameBay, 1), (1, 2, ConflictKind::Adjacent, 1)]
        );
    }

    #[test]
    fn three_strakes_between_may_share_a_bay() {
        assert_eq!(conflict(&WIDE, joint(2, 8), joint(6, 8)), None);
        assert!(conflict(&WIDE, joint(2, 8), joint(5, 8)).is_some());
        assert_eq!(conflict(&CLOSE, joint(2, 8), joint(5, 8)), None);
    }

    #[test]
    fn a_butt_block_leaves_water_a_way_past() {
        assert_eq!(block(25.0, 400.0), (300.0, 25.0));
        assert_eq!(block(25.0, 200.0), (170.0, 25.0));
    }

    #[test]
    fn a_short_plank_is_a_short_piece_even_with_both_butts_in_one_bay() {
        let found = conflict(&WIDE, joint(2, 8), joint(2, 8)).unwrap();
        assert_eq!((found.kind, found.found, found.needed), (ConflictKind::ShortPiece, 0, 5));
    }

    proptest! {
        #[test]
        fn comparing_only_neighbours_misses_nothing(
            places in proptest::collection::vec((1u32..14, 0u32..30, prop::bool::ANY), 0..60),
            adjacent in 0u32..8, one_between in 0u32..8, same_bay_between in 0u32..8, min_piece in 0u32..8,
        ) {
            let rule = Rule { adjacent, one_between, same_bay_between, min_piece };
            let joints: Vec<Joint> = places.into_iter()
                .map(|(strake, bay, port)| Joint { side: if port { Side::Port } else { Side::Starboard }, strake, bay })
                .collect();
            let mut plain = Vec::new();
            for a in 0..joints.len() {
                for b in a + 1..joints.len() {
                    plain.extend(conflict(&rule, joints[a], joints[b]).map(|conflict| Violation { a, b, conflict }));
                }
            }
            prop_assert_eq!(check(&rule, &joints), plain);
        }
    }
}
