//! Fastenings: size, hold, the drills, and how many.

pub mod member;
pub mod pattern;
pub mod record;
pub mod region;
pub mod sick;
pub mod through;

use crate::error::{self, InputError};
use crate::geometry::Point;
use crate::grid::plank::Hole;
use crate::grid::plank::PlankPlace;
use crate::grid::{Address, Shell};
use crate::reason::Reason;
use crate::timber::Species;
use crate::units::MM_PER_INCH;

/// The table ends here: planking this thick, mm, is at its last size, and thicker is bolted or trenailed.
pub const THICKEST_SCREWED: f64 = 38.0;
/// Screw gauge by plank thickness, mm (*yard rule*).
const PLANK_GAUGES: [(f64, u32); 9] = [
    (10.0, 7),
    (13.0, 8),
    (16.0, 9),
    (19.0, 10),
    (22.0, 12),
    (25.0, 14),
    (29.0, 16),
    (32.0, 18),
    (THICKEST_SCREWED, 20),
];
/// Screw lengths sold, mm.
const SCREW_LENGTHS: [f64; 13] = [16.0, 20.0, 25.0, 32.0, 38.0, 44.0, 50.0, 57.0, 64.0, 75.0, 90.0, 100.0, 125.0];
/// Plug cutters, mm.
const PLUGS: [f64; 6] = [8.0, 10.0, 12.0, 13.0, 16.0, 19.0];
/// Left uncut behind a screw's point, mm.
pub const LEAVE_BEHIND_POINT: f64 = 6.0;
/// Spares added before rounding up, and pieces in a box.
const SPARES: f64 = 0.05;
pub const BOX: u32 = 100;

/// Shank diameter of a screw gauge, mm: 0.060 in + 0.013 in × gauge.
pub fn shank(gauge: u32) -> f64 {
    (0.060 + 0.013 * f64::from(gauge)) * MM_PER_INCH
}

/// A plank screwed to a frame. Lengths mm, forces N.
#[derive(Debug, Clone, PartialEq)]
pub struct ScrewPlan {
    pub gauge: u32,
    pub length: f64,
    pub shank: f64,
    pub root: f64,
    pub head: f64,
    pub pilot_plank: f64,
    pub pilot_frame: f64,
    pub plug: f64,
    /// Depth of the head below the finished surface.
    pub head_depth: f64,
    /// What is bored now: that depth and all that will still be planed off.
    pub bored_depth: f64,
    /// Thread in the frame.
    pub hold: f64,
    /// A fifth of the withdrawal strength.
    pub working_load: f64,
    pub per_crossing: u32,
    pub edge_distance: f64,
    pub end_distance: f64,
    pub stagger: f64,
    pub reasons: Vec<Reason>,
}

/// The plank and frame a screw joins. Lengths mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Joining<'s> {
    pub plank: &'s Species,
    pub frame: &'s Species,
    pub plank_thickness: f64,
    pub plank_width: f64,
    pub frame_moulded: f64,
    /// Still to be planed off the plank's face after fastening.
    pub to_plane_off: f64,
}

/// Sizes screws, drills and plugs for planking. Errors name the field.
///
/// Sources: pilots and withdrawal `p = 108.25·G²·D·L` from the Wood Handbook (ch. 8), the rest *yard rule*.
pub fn screws(join: &Joining<'_>) -> Result<ScrewPlan, InputError> {
    let t = error::length("plank_thickness", join.plank_thickness)?;
    error::length("plank_width", join.plank_width)?;
    error::length("frame_moulded", join.frame_moulded)?;
    error::within("to_plane_off", join.to_plane_off, 0.0, 20.0)?;
    let gauge = gauge_for(t);
    let shank = shank(gauge);
    let root = shank * 2.0 / 3.0;
    let head = shank * 2.0;
    let plug = PLUGS.into_iter().find(|p| *p >= head).unwrap_or(PLUGS[PLUGS.len() - 1]);
    let wanted_depth = f64::max(6.0, plug / 2.0);
    let head_depth = wanted_depth.min(t / 2.0);
    let under_head = t - head_depth;
    let wanted_hold = 10.0 * root;
    let length = screw_length(t, under_head, wanted_hold, join.frame_moulded);
    let comes_through = length > under_head + join.frame_moulded - LEAVE_BEHIND_POINT;
    let hold = (length - under_head).clamp(0.0, join.frame_moulded);
    let pilot = |species: &Species| root * if species.hardwood { 0.9 } else { 0.7 };
    let working_load = 108.25 * join.frame.specific_gravity.powi(2) * shank * hold / 5.0;
    let reasons = vec![
        Reason::note("fasten.gauge", format!("gauge {gauge} for a {t:.0} mm plank"))
            .formula("shank = 0.060 in + 0.013 in × gauge; root = ⅔ shank; head = 2 × shank")
            .value("shank", shank, "mm"),
        table_end(t, THICKEST_SCREWED, "gauge 20 is the last: bolts, drifts or trenails hold thicker planking"),
        hold_reason(hold, wanted_hold, comes_through),
        Reason::note(
            "fasten.pilot",
            "pilot: 70 % of the root in softwood, 90 % in hardwood; clearance through the plank is the shank",
        )
        .source("Wood Handbook ch. 8")
        .value("root", root, "mm"),
        Reason::note(
            "fasten.counterbore",
            "head at least 6 mm and half a plug below the finished face, with half the plank under it",
        )
        .formula("bored depth = head depth + all that will still be planed off")
        .against("head depth", head_depth, "mm", wanted_depth)
        .value("still to plane off", join.to_plane_off, "mm"),
        Reason::note("fasten.withdrawal", "working load is a fifth of the withdrawal strength")
            .formula("p = 108.25 · G² · D · L")
            .source("Wood Handbook ch. 8")
            .value("working load", working_load, "N"),
    ];
    Ok(ScrewPlan {
        gauge,
        length,
        shank,
        root,
        head,
        pilot_plank: shank,
        pilot_frame: pilot(join.frame),
        plug,
        head_depth,
        bored_depth: head_depth + join.to_plane_off,
        hold,
        working_load,
        per_crossing: per_crossing(join.plank_width),
        edge_distance: pattern::edge_distance(shank),
        end_distance: pattern::END * shank,
        stagger: pattern::STAGGER * shank,
        reasons,
    })
}

/// Says that a table of sizes ends before a plank's thickness, or that it reaches it.
pub(crate) fn table_end(thickness: f64, last: f64, then: &str) -> Reason {
    // The last size serves as far beyond its own thickness as it would before it.
    let beyond = thickness > last * 1.1;
    let (verdict, text) = if beyond {
        (crate::Verdict::Against, format!("the table of sizes ends before this thickness: {then}"))
    } else {
        (crate::Verdict::Note, "within the table of sizes".to_owned())
    };
    Reason::new("fasten.table_end", verdict, text).against("plank", thickness, "mm", last)
}

fn hold_reason(hold: f64, wanted: f64, comes_through: bool) -> Reason {
    let (verdict, text) = if comes_through {
        (
            crate::Verdict::Forbids,
            "no screw is short enough to stay inside what it goes into: rivet it, clench it, or bolt it",
        )
    } else if hold >= wanted - 1e-9 {
        (crate::Verdict::For, "at least 10 × root of thread in the frame, not through it")
    } else {
        (
            crate::Verdict::Against,
            "the frame is too shallow for 10 × root of thread: the longest screw that stays inside it",
        )
    };
    Reason::new("fasten.hold", verdict, text).against("thread in the frame", hold, "mm", wanted)
}

/// Shank of the screw for a plank, mm.
pub fn shank_for(plank_thickness: f64) -> f64 {
    shank(gauge_for(plank_thickness))
}

/// Gauge for a plank: that of the nearest thickness in the table.
fn gauge_for(thickness: f64) -> u32 {
    let near = |entry: &&(f64, u32)| (entry.0 - thickness).abs();
    PLANK_GAUGES.iter().min_by(|a, b| near(a).total_cmp(&near(b))).map_or(10, |entry| entry.1)
}

/// The stock length nearest above 2 × plank and enough hold, short of coming through the frame.
fn screw_length(thickness: f64, under_head: f64, hold: f64, moulded: f64) -> f64 {
    let wanted = (2.0 * thickness).max(under_head + hold);
    let most = under_head + moulded - LEAVE_BEHIND_POINT;
    let fits = |length: &&f64| **length <= most;
    SCREW_LENGTHS
        .iter()
        .filter(fits)
        .find(|length| **length >= wanted)
        .or_else(|| SCREW_LENGTHS.iter().rfind(fits))
        .copied()
        .unwrap_or(SCREW_LENGTHS[0])
}

/// Fastenings where a plank crosses a frame: two up to 150 mm of width, three above.
pub fn per_crossing(plank_width: f64) -> u32 {
    if plank_width <= 150.0 { 2 } else { 3 }
}

/// Fastenings on each side of a butt: three in planks under 150 mm, five above.
pub fn per_butt_side(plank_width: f64) -> u32 {
    if plank_width < 150.0 { 3 } else { 5 }
}

/// Fastenings of a lap between the frames stand this far apart, mm (*yard rule*).
pub const LAP_SPACING: f64 = 75.0;

/// Breadth of a lap, in thicknesses of the plank, and at least, mm (*yard rule*): where nobody measured it.
pub const LAP_BREADTH: (f64, f64) = (2.0, 15.0);

/// How far planks of a thickness lap each other by custom, mm.
pub fn lap_breadth(thickness: f64) -> f64 {
    (LAP_BREADTH.0 * thickness).max(LAP_BREADTH.1)
}

/// Fastenings of a lap that stand in a length of it, mm.
pub fn in_lap(length: f64) -> u32 {
    (length / LAP_SPACING).floor().clamp(0.0, 1e5) as u32
}

/// Fastenings of one lap in the clear of a bay: plank to plank, with nothing behind. At least one.
pub fn per_lap_bay(frame_space: f64, frame_sided: f64) -> u32 {
    in_lap(frame_space - frame_sided).clamp(1, 100)
}

/// Fastenings of both laps of a length of plank between its frames.
pub fn in_laps(length: f64, frame_space: f64, frame_sided: f64) -> u32 {
    let bays = (length / frame_space.max(1.0)).ceil().clamp(0.0, 1e4) as u32;
    2 * bays * per_lap_bay(frame_space, frame_sided)
}

/// Heights of a crossing's fastenings above the plank's lower edge, mm: two a quarter in from the edges, or
/// three with one in the middle, never nearer to an edge than 12 mm where the width allows.
pub fn crossing(plank_width: f64) -> Vec<f64> {
    let inset = f64::max(12.0, plank_width / 4.0).min(plank_width / 2.0);
    match per_crossing(plank_width) {
        2 => vec![inset, plank_width - inset],
        _ => vec![inset, plank_width / 2.0, plank_width - inset],
    }
}

/// A plug covers a fastening's head: old holes count with its diameter, mm (*yard rule*).
const PLUG_DIAMETER: f64 = 13.0;
/// A sick fastening found this near a fastening is that fastening, mm.
const SAME_FASTENING: f64 = 40.0;

/// An old hole this near to where the pattern puts a fastening is that fastening's, mm.
const SAME_HOLE: f64 = 12.0;

/// Old holes as somebody recorded them at a crossing: x from the frame's middle, y up from the plank's lower edge.
pub type Recorded<'k> = &'k dyn Fn(Address) -> Option<Vec<pattern::OldHole>>;

/// The fastenings of a plank, x from its fore joint: as the pattern puts them, and every old hole that somebody recorded at a
/// crossing, which holds nothing. Those near a place in `sick` (in the same coordinates) no longer hold.
pub fn of_plank(shell: &Shell, place: &PlankPlace, sick: &[Point], recorded: Recorded<'_>) -> Vec<Hole> {
    let (from, to) = place.span(shell);
    let mut holes = Vec::new();
    for frame in 1..=shell.frame_count() {
        let x = shell.frame_x(frame);
        if x < from || x > to {
            continue;
        }
        let crossed = Address { side: place.side, strake: place.strake, frame };
        let width = shell.width(crossed);
        let old = recorded(crossed).unwrap_or_default();
        for (n, hole) in old.iter().enumerate() {
            let id = format!("F{frame}.old{}", n + 1);
            holes.push(Hole { id, x: x - from + hole.x, y: hole.y, diameter: hole.diameter, live: false });
        }
        for (n, y) in crossing(width).into_iter().enumerate() {
            let at = [x - from, y];
            if old.iter().any(|hole| hole.x.hypot(hole.y - y) < SAME_HOLE) {
                continue;
            }
            let live = !sick.iter().any(|s| (s[0] - at[0]).hypot(s[1] - at[1]) < SAME_FASTENING);
            holes.push(Hole { id: format!("F{frame}.{}", n + 1), x: at[0], y, diameter: PLUG_DIAMETER, live });
        }
    }
    holes
}

/// How many to order for so many needed: 5 % spare, and whole boxes.
pub fn order(needed: u32) -> (u32, u32) {
    let with_spares = (f64::from(needed) * (1.0 + SPARES)).ceil() as u32;
    (with_spares, with_spares.div_ceil(BOX))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::timber::species;

    fn larch_on_oak(thickness: f64, moulded: f64) -> ScrewPlan {
        screws(&Joining {
            plank: species::find("western_larch").unwrap(),
            frame: species::find("white_oak").unwrap(),
            plank_thickness: thickness,
            plank_width: 140.0,
            frame_moulded: moulded,
            to_plane_off: 2.0,
        })
        .unwrap()
    }

    #[test]
    fn a_screw_that_no_wood_hides_is_refused() {
        let join = |frame_moulded| Joining {
            plank: crate::timber::species::find("western_larch").unwrap(),
            frame: crate::timber::species::find("white_oak").unwrap(),
            plank_thickness: 10.0,
            plank_width: 90.0,
            frame_moulded,
            to_plane_off: 0.0,
        };
        let verdict = |moulded| {
            let plan = screws(&join(moulded)).unwrap();
            assert!(plan.hold <= moulded, "no more thread in the wood than there is wood: {plan:?}");
            plan.reasons.iter().find(|r| r.rule == "fasten.hold").unwrap().verdict
        };
        // The shortest, 16 mm, lies 5 mm under its head in the plank: 11 mm and 6 behind its point are 17.
        assert_eq!(
            (verdict(8.0), verdict(16.9), verdict(17.0)),
            (crate::Verdict::Forbids, crate::Verdict::Forbids, crate::Verdict::Against,)
        );
        assert_eq!(verdict(60.0), crate::Verdict::For);
    }

    #[test]
    fn an_inch_of_larch_on_oak_takes_fourteens() {
        let plan = larch_on_oak(25.0, 60.0);
        assert_eq!((plan.gauge, plan.plug, plan.per_crossing), (14, 13.0, 2));
        assert!((plan.shank - 6.1468).abs() < 1e-9);
        assert_eq!((plan.head_depth, plan.bored_depth, plan.length), (6.5, 8.5, 64.0));
        assert!((plan.pilot_frame - plan.root * 0.9).abs() < 1e-12);
    }

    #[test]
    fn a_shallow_frame_is_never_pierced_and_the_short_hold_is_told() {
        let plan = larch_on_oak(25.0, 30.0);
        assert!(plan.hold <= 24.0);
        assert!(plan.reasons.iter().any(|r| r.rule == "fasten.hold" && r.verdict == crate::Verdict::Against));
    }

    #[test]
    fn recorded_holes_stand_in_place_of_the_patterns_and_hold_nothing() {
        let frames = vec![0.0, 300.0, 600.0];
        let shell = Shell::new(frames, vec![vec![0.0; 3], vec![120.0; 3]]);
        let place = PlankPlace { side: crate::grid::Side::Port, strake: 1, from_bay: None, to_bay: None };
        let old = pattern::OldHole { x: 5.0, y: 32.0, diameter: 9.0 };
        let beside = pattern::OldHole { x: -20.0, y: 60.0, diameter: 7.0 };
        let none = of_plank(&shell, &place, &[], &|_| None);
        let found = of_plank(&shell, &place, &[], &|at| (at.frame == 2).then(|| vec![old, beside]));
        assert_eq!((none.len(), found.len()), (6, 7), "one of the pattern's is the recorded one");
        let at_two: Vec<_> = found.iter().filter(|h| h.id.starts_with("F2.")).collect();
        assert_eq!((at_two[0].x, at_two[0].y, at_two[0].diameter, at_two[0].live), (305.0, 32.0, 9.0, false));
        assert!(!at_two[1].live && at_two[2].live);
    }

    #[test]
    fn a_lap_is_fastened_between_the_frames_too() {
        assert_eq!(per_lap_bay(180.0, 20.0), 2);
        assert_eq!((per_lap_bay(60.0, 40.0), per_lap_bay(30.0, 40.0)), (1, 1), "never none");
        // Four bays and a half of plank: five bays, two laps, two in each.
        assert_eq!(in_laps(810.0, 180.0, 20.0), 20);
        assert_eq!(in_laps(0.0, 180.0, 20.0), 0);
    }

    #[test]
    fn an_order_has_spares_and_whole_boxes() {
        assert_eq!(order(96), (101, 2));
        assert_eq!(order(0), (0, 0));
    }

    #[test]
    fn planking_thicker_than_the_table_is_told_so() {
        let told = |t: f64| {
            let plan = larch_on_oak(t, 120.0);
            plan.reasons.iter().find(|r| r.rule == "fasten.table_end").map(|r| r.verdict).unwrap()
        };
        assert_eq!([told(25.0), told(38.0), told(41.0)], [crate::Verdict::Note; 3]);
        assert_eq!([told(45.0), told(70.0)], [crate::Verdict::Against; 2]);
    }

    proptest! {
        #[test]
        fn half_the_plank_stays_under_the_head(thickness in 8.0..60.0f64, moulded in 25.0..120.0f64) {
            let plan = larch_on_oak(thickness, moulded);
            prop_assert!(plan.head_depth <= thickness / 2.0);
            prop_assert!(plan.length - (thickness - plan.head_depth) <= moulded - 6.0 + 1e-9 || plan.length == 16.0);
        }
    }
}
