//! Where new fastenings go at one crossing of a plank and a frame, among the holes that are there already.
//!
//! Coordinates of a crossing: x along the plank from the frame's centre line, y up from the plank's lower edge, mm. The plank's grain
//! runs along x, the frame's along y.

use serde::{Deserialize, Serialize};

use crate::error::{self, InputError};
use crate::reason::{Reason, Verdict};

use super::through::{bolt_up, nail_up};
use super::{crossing as usual_places, per_crossing, shank};

/// A hole that is there already.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OldHole {
    pub x: f64,
    pub y: f64,
    pub diameter: f64,
}

/// How thick a fastening is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Size {
    /// Gauge.
    Screw(u32),
    /// Shank of a copper nail, mm.
    Nail(f64),
    /// Diameter, mm.
    Bolt(f64),
}

impl Size {
    /// Of the hole it takes in the plank, mm.
    pub fn diameter(self) -> f64 {
        match self {
            Self::Screw(gauge) => shank(gauge),
            Self::Nail(mm) | Self::Bolt(mm) => mm,
        }
    }

    /// What takes an old hole of this size: a screw two gauges up, a nail two sizes of its table, a bolt one (*yard rules*; handbook 05
    /// speaks of screws). `None` when none is made so thick.
    pub fn up(self) -> Option<Self> {
        match self {
            Self::Screw(gauge) => Some(Self::Screw(gauge + GAUGES_UP)),
            Self::Nail(mm) => nail_up(mm).map(Self::Nail),
            Self::Bolt(mm) => bolt_up(mm).map(Self::Bolt),
        }
    }

    /// The gauge, of a screw.
    pub fn gauge(self) -> Option<u32> {
        match self {
            Self::Screw(gauge) => Some(gauge),
            Self::Nail(_) | Self::Bolt(_) => None,
        }
    }

    fn check(self) -> Result<(), InputError> {
        match self {
            Self::Screw(gauge) if gauge > 40 => Err(InputError::new("gauge", "must be between 0 and 40")),
            Self::Screw(_) => Ok(()),
            Self::Nail(mm) | Self::Bolt(mm) => {
                error::within("diameter", error::positive("diameter", mm)?, 0.5, 40.0).map(|_| ())
            }
        }
    }
}

/// A crossing to be fastened.
#[derive(Debug, Clone, PartialEq)]
pub struct Crossing {
    /// Width of the plank here.
    pub width: f64,
    /// Thickness of the frame along the plank.
    pub sided: f64,
    /// Of the new fastenings.
    pub size: Size,
    pub old: Vec<OldHole>,
    /// The plank's own end, where it lies near: x of the butt.
    pub end: Option<f64>,
}

/// How a new fastening comes to its place.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum How {
    /// In sound wood, clear of every old hole.
    New,
    /// In an old hole, with a thicker fastening ([`Size::up`]).
    Reuse,
    /// In sound wood near old holes, which are plugged with epoxied dowels first.
    BesidePlug,
}

/// A new fastening's place.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Place {
    pub x: f64,
    pub y: f64,
    pub size: Size,
    /// Hole in the plank, mm.
    pub diameter: f64,
    pub how: How,
    /// The old hole it takes.
    pub old: Option<usize>,
}

/// A crossing as it is to be done.
#[derive(Debug, Clone, PartialEq)]
pub struct CrossingPlan {
    /// As many as wanted; empty where the rules cannot be met.
    pub places: Vec<Place>,
    /// Old holes that are plugged, by index.
    pub plug: Vec<usize>,
    /// Share of the plank's width that holes take, with the new ones.
    pub section: f64,
    /// The rules cannot be met: renew or splice here instead.
    pub renew: bool,
    pub reasons: Vec<Reason>,
}

/// Holes may take this share of a plank's width at one crossing, handbook 04.
pub const SECTION_LIMIT: f64 = 0.20;
/// Gauges a screw goes up when it takes an old hole.
pub const GAUGES_UP: u32 = 2;
/// Ends at butts are this many diameters away, handbook 05; two on one grain line this many.
pub const END: f64 = 8.0;
pub const STAGGER: f64 = 5.0;
/// Two fastenings whose lines are nearer than this many diameters share a grain line (*yard rule*).
const SAME_LINE: f64 = 1.5;
/// A pattern may go this much farther from its usual places so that two do not share a grain line of the frame, mm (*yard rule*).
const STAGGER_WORTH: f64 = 6.0;
/// Places looked at for each fastening.
const LOOKED_AT: usize = 28;

/// Edge distance of a screw, mm: max(12, 2.5 d).
pub fn edge_distance(d: f64) -> f64 {
    f64::max(12.0, 2.5 * d)
}

/// Plans a crossing. Errors name `width`, `sided`, `gauge` or `old[i]…`.
///
/// Tried in this order: sound wood 3 d clear of every old hole; an old hole two gauges up; sound wood beside old holes that are plugged
/// first. Source: handbook 05, *yard rules*.
pub fn plan(crossing: &Crossing) -> Result<CrossingPlan, InputError> {
    error::length("width", crossing.width)?;
    error::length("sided", crossing.sided)?;
    crossing.size.check()?;
    for (i, hole) in crossing.old.iter().enumerate() {
        for v in [hole.x, hole.y] {
            error::within(&format!("old[{i}]"), v, -1e4, 1e4)?;
        }
        error::within(
            &format!("old[{i}].diameter"),
            error::positive(&format!("old[{i}].diameter"), hole.diameter)?,
            0.0,
            100.0,
        )?;
    }
    let wanted = per_crossing(crossing.width) as usize;
    let old_sum: f64 = crossing.old.iter().map(|h| h.diameter).sum();
    let limit = SECTION_LIMIT * crossing.width;
    let mut reasons = Vec::new();
    let targets = usual_places(crossing.width);
    for how in [How::New, How::Reuse, How::BesidePlug] {
        let Some(places) = search(crossing, &targets, how, limit, old_sum) else { continue };
        let section = section_of(crossing, &places, old_sum);
        reasons.push(pattern_reason(crossing));
        reasons.push(match how {
            How::New => Reason::new("pattern.new", Verdict::For, "in sound wood, 3 diameters clear of every old hole"),
            How::Reuse => Reason::note(
                "pattern.reuse",
                "an old hole is taken by a thicker one: the wood has no room for more holes",
            )
            .formula("a screw two gauges up, a nail two sizes, a bolt one; never thinner than the hole"),
            How::BesidePlug => Reason::note(
                "pattern.plug",
                "old holes are plugged with epoxied dowels and the new ones bored beside them",
            ),
        });
        reasons.push(
            Reason::new(
                "pattern.section",
                Verdict::For,
                "holes at this crossing stay within a fifth of the plank’s width",
            )
            .against("of the width", section * 100.0, "%", SECTION_LIMIT * 100.0)
            .source("handbook 04"),
        );
        let plug = (0..crossing.old.len()).filter(|i| places.iter().all(|p| p.old != Some(*i))).collect();
        return Ok(CrossingPlan { places, plug, section, renew: false, reasons });
    }
    let least = old_sum + wanted as f64 * crossing.size.diameter();
    let full = old_sum / crossing.width;
    let why = if least > limit {
        Reason::new(
            "pattern.section",
            Verdict::Forbids,
            "holes add up to more than a fifth of the plank’s width: do not add another, renew or splice here",
        )
        .against("holes, old and new", least, "mm", limit)
        .source("handbook 04")
    } else {
        Reason::new(
            "pattern.room",
            Verdict::Forbids,
            "no place keeps its distance from edges, ends, old holes and other fastenings: renew or splice here",
        )
        .value("edge distance", edge_distance(crossing.size.diameter()), "mm")
    };
    reasons.push(why);
    Ok(CrossingPlan {
        places: Vec::new(),
        plug: (0..crossing.old.len()).collect(),
        section: full,
        renew: true,
        reasons,
    })
}

fn pattern_reason(crossing: &Crossing) -> Reason {
    let d = crossing.size.diameter();
    let count = per_crossing(crossing.width);
    Reason::note("pattern.count", format!("{count} at a plank {:.0} mm wide, never two on one grain line", crossing.width))
        .formula("two up to 150 mm, three above; edge ≥ max(12, 2.5 d); ends ≥ 8 d; on one grain line ≥ 5 d apart; old holes ≥ 3 d")
        .value("d", d, "mm")
}

/// What a new fastening adds to the holes of a crossing, mm.
fn adds(crossing: &Crossing, place: &Place) -> f64 {
    match place.old {
        Some(i) => (place.diameter - crossing.old[i].diameter).max(0.0),
        None => place.diameter,
    }
}

fn section_of(crossing: &Crossing, places: &[Place], old_sum: f64) -> f64 {
    let more: f64 = places.iter().map(|p| adds(crossing, p)).sum();
    (old_sum + more) / crossing.width
}

/// The best set of places of a tier: nearest to the usual ones.
fn search(crossing: &Crossing, targets: &[f64], tier: How, limit: f64, old_sum: f64) -> Option<Vec<Place>> {
    let choices: Vec<Vec<(f64, Place)>> = targets.iter().map(|y| candidates(crossing, *y, tier)).collect();
    let least = |of: &dyn Fn(&(f64, Place)) -> f64| -> Vec<f64> {
        // What the fastenings still to be placed cost or add at the very least.
        let mut rest = vec![0.0; choices.len() + 1];
        for depth in (0..choices.len()).rev() {
            rest[depth] = rest[depth + 1] + choices[depth].iter().map(of).fold(f64::INFINITY, f64::min);
        }
        rest
    };
    let (rest_cost, rest_added) = (least(&|c| c.0), least(&|c| adds(crossing, &c.1)));
    let mut hunt = Hunt {
        crossing,
        choices: &choices,
        rest_cost,
        rest_added,
        room: limit - old_sum + 1e-9,
        taken: Vec::new(),
        best: None,
    };
    hunt.dig(0.0, 0.0);
    hunt.best.map(|(_, places)| places)
}

/// A search among the places each fastening may take, cut off where it can no longer be better or keep the section.
struct Hunt<'c> {
    crossing: &'c Crossing,
    choices: &'c [Vec<(f64, Place)>],
    rest_cost: Vec<f64>,
    rest_added: Vec<f64>,
    /// mm of hole that may still be added.
    room: f64,
    taken: Vec<Place>,
    best: Option<(f64, Vec<Place>)>,
}

impl Hunt<'_> {
    fn dig(&mut self, cost: f64, added: f64) {
        let depth = self.taken.len();
        if depth == self.choices.len() {
            self.best = Some((cost, self.taken.clone()));
            return;
        }
        if added + self.rest_added[depth] > self.room {
            return;
        }
        let choices = self.choices;
        for (own, place) in &choices[depth] {
            let at_least = cost + own + self.rest_cost[depth + 1];
            if self.best.as_ref().is_some_and(|(least, _)| at_least >= *least) {
                // They come in order: the rest only costs more.
                return;
            }
            if !self.taken.iter().all(|other| apart(place, other)) {
                continue;
            }
            let beside = self.taken.iter().filter(|other| !staggered(place, other)).count();
            let now = cost + own + STAGGER_WORTH * beside as f64;
            let added = added + adds(self.crossing, place);
            if self.best.as_ref().is_some_and(|(least, _)| now + self.rest_cost[depth + 1] >= *least)
                || added + self.rest_added[depth + 1] > self.room
            {
                continue;
            }
            self.taken.push(*place);
            self.dig(now, added);
            self.taken.pop();
        }
    }
}

/// Whether two fastenings keep their distance: never on one grain line of plank or frame nearer than 5 d.
fn apart(a: &Place, b: &Place) -> bool {
    if a.old.is_some() && a.old == b.old {
        return false;
    }
    let d = a.diameter.max(b.diameter);
    let (along, across) = ((a.x - b.x).abs(), (a.y - b.y).abs());
    let in_plank = across >= SAME_LINE * d || along >= STAGGER * d;
    let in_frame = along >= SAME_LINE * d || across >= STAGGER * d;
    in_plank && in_frame
}

/// Whether two fastenings stand on different grain lines of the frame.
fn staggered(a: &Place, b: &Place) -> bool {
    (a.x - b.x).abs() >= SAME_LINE * a.diameter.max(b.diameter)
}

/// Places one fastening may take, those nearest to where it usually goes first.
fn candidates(crossing: &Crossing, target: f64, tier: How) -> Vec<(f64, Place)> {
    let d = crossing.size.diameter();
    let edge = edge_distance(d);
    // A frame too thin for the edge distance on both sides is fastened along its middle.
    let reach = (crossing.sided / 2.0 - edge).max(0.0);
    let off_end = |x: f64, d: f64| crossing.end.is_none_or(|end| (x - end).abs() >= END * d - 1e-9);
    let mut found: Vec<(f64, Place)> = Vec::new();
    if let (How::Reuse, Some(up)) = (tier, crossing.size.up()) {
        let diameter = up.diameter();
        for (i, hole) in crossing.old.iter().enumerate() {
            let inside = hole.y >= edge_distance(diameter) && crossing.width - hole.y >= edge_distance(diameter);
            let on_frame = hole.x.abs() + diameter / 2.0 <= crossing.sided / 2.0;
            // A hole larger than the screw does not hold it.
            if inside && on_frame && diameter >= hole.diameter && off_end(hole.x, diameter) {
                let cost = (hole.y - target).abs() + 0.2 * hole.x.abs() + 20.0;
                found.push((cost, Place { x: hole.x, y: hole.y, size: up, diameter, how: How::Reuse, old: Some(i) }));
            }
        }
    }
    let xs = if reach > 0.5 { vec![0.0, -reach, reach, -reach / 2.0, reach / 2.0] } else { vec![0.0] };
    let (low, high) = (edge, crossing.width - edge);
    if low <= high {
        let clear = |x: f64, y: f64| {
            crossing.old.iter().all(|h| {
                let away = (h.x - x).hypot(h.y - y);
                match tier {
                    // A dowel is as good as wood to bore beside, not into.
                    How::BesidePlug => away >= h.diameter / 2.0 + d,
                    How::New | How::Reuse => away >= 3.0 * d.max(h.diameter),
                }
            })
        };
        let how = if tier == How::BesidePlug { How::BesidePlug } else { How::New };
        let steps = ((high - low) / 2.0).floor() as usize;
        let mut ys: Vec<f64> =
            (0..=steps).map(|k| low + 2.0 * k as f64).chain([high, target.clamp(low, high)]).collect();
        ys.sort_by(|a, b| (a - target).abs().total_cmp(&(b - target).abs()));
        'all: for y in ys {
            for x in &xs {
                if clear(*x, y) && off_end(*x, d) {
                    let cost = (y - target).abs() + 0.05 * x.abs();
                    found.push((cost, Place { x: *x, y, size: crossing.size, diameter: d, how, old: None }));
                    if found.len() >= LOOKED_AT {
                        break 'all;
                    }
                }
            }
        }
    }
    found.sort_by(|a, b| a.0.total_cmp(&b.0));
    found
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn crossing(width: f64, old: &[[f64; 3]]) -> Crossing {
        let old = old.iter().map(|[x, y, d]| OldHole { x: *x, y: *y, diameter: *d }).collect();
        Crossing { width, sided: 45.0, size: Size::Screw(14), old, end: None }
    }

    #[test]
    fn a_clean_crossing_takes_two_or_three_at_the_usual_places() {
        let two = plan(&crossing(140.0, &[])).unwrap();
        assert_eq!(two.places.iter().map(|p| p.y).collect::<Vec<_>>(), [35.0, 105.0]);
        assert_eq!(plan(&crossing(170.0, &[])).unwrap().places.len(), 3);
        assert!(two.places.iter().all(|p| p.how == How::New) && two.plug.is_empty());
        assert!(staggered(&two.places[0], &two.places[1]), "where the frame is wide enough they are staggered");
        let narrow = plan(&Crossing { sided: 24.0, ..crossing(140.0, &[]) }).unwrap();
        assert!(narrow.places.iter().all(|p| p.x == 0.0), "a thin frame is fastened along its middle");
    }

    #[test]
    fn new_screws_keep_three_diameters_from_old_nails_which_are_plugged() {
        let plan = plan(&crossing(140.0, &[[0.0, 35.0, 5.0], [0.0, 105.0, 5.0]])).unwrap();
        assert_eq!((plan.places.len(), plan.plug.as_slice()), (2, [0, 1].as_slice()));
        for p in &plan.places {
            assert!((p.y - 35.0).hypot(p.x) >= 3.0 * 6.1468 && (p.y - 105.0).hypot(p.x) >= 3.0 * 6.1468);
        }
    }

    #[test]
    fn where_new_holes_would_weaken_it_old_ones_are_taken_two_gauges_up() {
        // 2 × 8 old and 2 × 6.1 new are 28.3 of 28 mm allowed; two gauges up adds nothing to a hole of 6.8.
        let plan = plan(&crossing(140.0, &[[0.0, 36.0, 6.7], [0.0, 104.0, 6.7], [0.0, 70.0, 4.0]])).unwrap();
        assert!(!plan.renew);
        assert!(plan.places.iter().any(|p| p.how == How::Reuse && p.size == Size::Screw(16)), "{plan:?}");
        assert!(plan.section <= SECTION_LIMIT);
    }

    #[test]
    fn a_plank_that_is_all_holes_is_to_be_renewed_and_says_why() {
        let holes: Vec<[f64; 3]> = (0..6).map(|i| [0.0, 20.0 + 20.0 * f64::from(i), 9.0]).collect();
        let plan = plan(&crossing(140.0, &holes)).unwrap();
        assert!(plan.renew && plan.places.is_empty());
        assert_eq!((plan.reasons[0].rule, plan.reasons[0].verdict), ("pattern.section", Verdict::Forbids));
    }

    proptest! {
        /// No pattern breaks its own rules.
        #[test]
        fn every_pattern_keeps_every_rule(
            width in 40.0..260.0f64, sided in 18.0..90.0f64,
            size in prop_oneof![(6u32..20).prop_map(Size::Screw), (3.0..5.5f64).prop_map(Size::Nail), (5.0..12.0f64).prop_map(Size::Bolt)],
            holes in proptest::collection::vec((-30.0..30.0f64, 0.0..1.0f64, 2.0..9.0f64), 0..8),
            end in proptest::option::of(-60.0..60.0f64),
        ) {
            let old: Vec<OldHole> = holes.into_iter().map(|(x, y, diameter)| OldHole { x, y: y * width, diameter }).collect();
            let crossing = Crossing { width, sided, size, old, end };
            let plan = plan(&crossing).unwrap();
            prop_assert_eq!(plan.renew, plan.places.is_empty());
            if !plan.renew {
                prop_assert_eq!(plan.places.len() as u32, per_crossing(width));
                prop_assert!(plan.section <= SECTION_LIMIT + 1e-9);
            }
            for (i, p) in plan.places.iter().enumerate() {
                prop_assert!(p.y >= edge_distance(p.diameter) - 1e-9 && width - p.y >= edge_distance(p.diameter) - 1e-9);
                prop_assert!(p.x.abs() <= sided / 2.0);
                prop_assert!(crossing.end.is_none_or(|e| (e - p.x).abs() >= 8.0 * p.diameter - 1e-6));
                for other in &plan.places[i + 1..] {
                    prop_assert!(apart(p, other));
                }
                for (k, h) in crossing.old.iter().enumerate() {
                    let away = (h.x - p.x).hypot(h.y - p.y);
                    match p.how {
                        How::New => prop_assert!(away >= 3.0 * p.diameter.max(h.diameter) - 1e-9),
                        How::Reuse => prop_assert!(p.old != Some(k) || (away < 1e-9 && p.diameter >= h.diameter && Some(p.size) == size.up())),
                        How::BesidePlug => prop_assert!(away >= p.diameter + h.diameter / 2.0 - 1e-9 && plan.plug.contains(&k)),
                    }
                }
            }
        }
    }
}
