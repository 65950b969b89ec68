//! The tasks of a decided repair, in the order they are done.

use std::borrow::Cow;

use crate::caution::Caution;
use crate::error::{self, InputError};
use crate::grid::Between;
use crate::grid::member::{MemberKind, Surface};
use crate::repair::way::OptionKind;

use super::estimate::{Hours, Operation};

/// A task as a decision unfolds it.
#[derive(Debug, Clone, PartialEq)]
pub struct Task {
    pub operation: Operation,
    pub what: Cow<'static, str>,
    /// In the operation's unit.
    pub amount: f64,
    pub hours: Hours,
    /// Nothing that follows may start until this many hours after it ends: cure, drying.
    pub wait_after: f64,
    pub cautions: Vec<Caution>,
}

/// How big a repair is.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Extent {
    /// What it goes into; `None` is a plank of her skin.
    pub member: Option<MemberKind>,
    /// Length of new wood, mm.
    pub length: f64,
    /// Length of glue or cut line, mm.
    pub cut: f64,
    /// Seams touched, mm.
    pub seam: f64,
    pub fastenings: u32,
    /// Face to coat, mm².
    pub area: f64,
    /// Separate pieces.
    pub places: u32,
    /// How much heavier the new wood is to measure, shape and try than a plank or a frame: 1 or less counts as 1.
    pub heavy: f64,
    /// What lies between the planks beside it: seams are caulked, laps cleaned and bedded, edges glued.
    pub between: Between,
    /// Length of backing pieces behind graving pieces, mm.
    pub backing: f64,
}

/// A plank pressed to shape stays blocked so long before it is fastened, h: days, not hours (*yard rule*).
pub const SET_HOURS: f64 = 72.0;
/// Epoxy cures 24 h at 20 °C unless the product says otherwise.
pub const GLUE_CURE_HOURS: f64 = 24.0;

/// Unfolds an option into its tasks: nothing comes out before it is shored, the old part stays as pattern
/// until the shape is taken, fastening before seams, seams before fairing, fairing before finish.
///
/// `rate` gives the yard's hours per unit for an operation.
pub fn unfold(kind: OptionKind, extent: &Extent, rate: impl Fn(Operation) -> f64) -> Vec<Task> {
    use Operation as O;
    let metres = extent.length / 1000.0;
    let cut = extent.cut / 1000.0;
    let seam = extent.seam / 1000.0;
    let places = f64::from(extent.places);
    let heavy = extent.heavy.max(1.0);
    let task = |operation: Operation, what: &'static str, amount: f64, wait_after, cautions: &[Caution]| Task {
        operation,
        what: what.into(),
        amount,
        hours: Hours::around(amount * rate(operation)),
        wait_after,
        cautions: cautions.to_vec(),
    };
    let inspect = task(O::Inspect, "Look again and record what is found", 1.0, 0.0, &[]);
    if kind == OptionKind::Leave {
        return vec![inspect];
    }
    let area = extent.area / 1e6;
    if kind == OptionKind::Treat {
        return vec![
            task(
                O::Strip,
                "Strip the coating and open it to the air",
                metres.max(0.3 * places),
                0.0,
                &[Caution::OldPaint],
            ),
            inspect,
            task(
                O::Seal,
                "Dry below 16 %, borate, consolidate and seal",
                metres.max(0.5 * places).max(area),
                12.0,
                &[Caution::Solvents, Caution::Preservative],
            ),
        ];
    }
    let fasten = || task(O::Fasten, "Bore, counterbore, fasten and plug", f64::from(extent.fastenings), 0.0, &[]);
    let opened = |what: &'static str| match extent.between {
        Between::Seam => task(O::Reef, what, seam, 0.0, &[Caution::OldPaint]),
        Between::Lap => {
            task(O::Lap, "Open the laps and clean them to bare wood", seam * 0.5, 0.0, &[Caution::OldPaint])
        }
        Between::GluedEdge | Between::Joint => {
            task(O::CutOut, "Saw the glued edges open", seam, 0.0, &[Caution::Machines, Caution::Dust])
        }
    };
    let caulk = || match extent.between {
        Between::Seam => task(O::Caulk, "Prime, caulk and pay the seams", seam, 24.0, &[Caution::Solvents]),
        Between::Lap => task(
            O::Lap,
            "Sealer on the bare laps, flexible adhesive, and the land's fastenings renewed between the frames",
            seam,
            24.0,
            &[Caution::Solvents],
        ),
        Between::GluedEdge | Between::Joint => {
            task(O::Glue, "Glue the edges", seam, GLUE_CURE_HOURS, &[Caution::Resins])
        }
    };
    let seal = || task(O::Seal, "Prime bare wood the same day", metres.max(0.3 * places), 12.0, &[Caution::Solvents]);
    let glued = "Wet out twice on end grain, glue and clamp; squeeze-out along the whole joint";
    if kind == OptionKind::FreeAndFlatten {
        let mut tasks = vec![
            task(O::Strip, "Free the fastenings for its length", metres.max(0.3 * places), 0.0, &[Caution::OldPaint]),
            opened("Rake the seams beside it"),
            task(O::DryFit, "Wet it and press it flat, block by block", metres.max(0.3 * places), SET_HOURS, &[]),
        ];
        if extent.fastenings > 0 {
            tasks.push(fasten());
        }
        if seam > 0.0 {
            tasks.push(caulk());
        }
        tasks.push(seal());
        tasks.retain(|t| t.amount > 0.0);
        return tasks;
    }
    if matches!(kind, OptionKind::RefitScarf | OptionKind::Inject) {
        let open = if kind == OptionKind::Inject {
            "Open the edge, bore, and see that it is dry and clean inside"
        } else {
            "Open the scarf and clean both faces to bare wood"
        };
        let mut tasks = vec![
            task(O::Strip, open, metres.max(0.3 * places), 0.0, &[Caution::OldPaint]),
            task(O::DryFit, "Close it dry, and see that it closes all along", metres.max(0.3 * places), 0.0, &[]),
            task(O::Glue, glued, cut.max(0.5) * heavy, GLUE_CURE_HOURS, &[Caution::Resins]),
        ];
        if extent.fastenings > 0 {
            tasks.push(fasten());
        }
        tasks.push(task(O::Fair, "Plane flush and fair", metres.max(0.3 * places), 0.0, &[Caution::Dust]));
        tasks.push(seal());
        return tasks;
    }
    let steamed = kind == OptionKind::Steam;
    let mut tasks = Vec::new();
    if kind.takes_out() {
        let (what, cautions) = held(extent.member);
        tasks.push(task(O::Shore, what, 1.0, 0.0, cautions));
    }
    tasks.push(task(O::Strip, "Strip the coating and prove the extent", metres, 0.0, &[Caution::OldPaint]));
    if seam > 0.0 {
        tasks.push(opened("Reef out the seams touched, without widening them"));
    }
    // The damaged wood holds the shape and is the pattern: the shape is taken before it is cut out.
    tasks.push(match extent.member.map(MemberKind::surface) {
        // It is measured, not patterned: however thick it is.
        Some(Surface::Spars) => {
            let what = "Take its diameters every half metre off a centre line";
            task(O::TakeShape, what, metres.max(0.3 * places), 0.0, &[])
        }
        _ => task(O::TakeShape, "Take the shape and make the pattern", metres.max(0.3 * places) * heavy, 0.0, &[]),
    });
    let out = [Caution::Machines, Caution::Dust];
    if kind.is_whole() {
        // It is not cut out: it comes off along its seams, a metre of it as long as a metre of cut (*yard rule*). Of a laminated one the
        // cut is its glue lines.
        let off = if kind == OptionKind::Laminate { metres } else { metres.max(cut) };
        let what = "Draw or punch out its fastenings and take it off, whole where it will come";
        tasks.push(task(O::CutOut, what, off * heavy, 0.0, &out));
    } else if cut > 0.0 {
        tasks.push(task(O::CutOut, "Cut out to the lines", cut * heavy, 0.0, &out));
    }
    tasks.push(task(
        O::Mill,
        "Mill and shape the new wood",
        metres.max(0.3 * places) * heavy,
        0.0,
        &[Caution::Machines, Caution::Dust],
    ));
    if steamed {
        tasks.push(task(O::Bend, "Steam and bend to the former", metres.max(0.5), 24.0, &[Caution::Steam]));
    }
    tasks.push(task(O::DryFit, "Dry-fit, trim and bevel until it closes", metres.max(0.4 * places) * heavy, 0.0, &[]));
    if kind.is_glued() {
        tasks.push(task(O::Glue, glued, cut.max(0.5), GLUE_CURE_HOURS, &[Caution::Resins]));
    }
    if extent.backing > 0.0 {
        let what = "Make the backing piece, fit it to the plank from inside, wet out and bed it";
        tasks.push(task(O::DryFit, what, (extent.backing / 1000.0).max(0.3), 0.0, &[Caution::Resins]));
    }
    if extent.fastenings > 0 {
        tasks.push(fasten());
    }
    if seam > 0.0 {
        tasks.push(caulk());
    }
    tasks.push(task(O::Fair, "Plane flush and fair", metres.max(0.3 * places), 0.0, &[Caution::Dust]));
    tasks.push(seal());
    tasks
}

/// What holds the shape of a part's surroundings while it is out, and what to take care of.
fn held(member: Option<MemberKind>) -> (&'static str, &'static [Caution]) {
    match member.map(MemberKind::surface) {
        Some(Surface::Deck) => ("Stanchion the deck and brace her across, each side of the opening", &[]),
        Some(Surface::Spars) => ("Lay it out straight on trestles, blocked and held each side of the opening", &[]),
        Some(Surface::Backbone) => {
            ("Take the weight off it and shore the hull each side of the opening", &[Caution::UnderHull])
        }
        _ => ("Shore and batten the hull each side of the opening", &[Caution::UnderHull]),
    }
}

/// A task in two: amount and hours of the first part and of the rest, in proportion. Errors name `amount`.
pub fn split(amount: f64, hours: Hours, first: f64) -> Result<[(f64, Hours); 2], InputError> {
    error::positive("amount", first)?;
    if first >= amount {
        return Err(InputError::new(
            "amount",
            "must be less than the whole: something must be left for the other part",
        ));
    }
    let share = first / amount;
    let part = |share: f64| Hours { p50: hours.p50 * share, p80: hours.p80 * share };
    Ok([(first, part(share)), (amount - first, part(1.0 - share))])
}

#[cfg(test)]
mod tests {
    use super::*;

    fn order_of(kind: OptionKind) -> Vec<Operation> {
        let extent = Extent {
            length: 2_000.0,
            cut: 900.0,
            seam: 4_000.0,
            fastenings: 16,
            area: 3e5,
            places: 1,
            heavy: 1.0,
            between: Between::Seam,
            backing: 0.0,
            member: None,
        };
        unfold(kind, &extent, |op| op.rate().0).into_iter().map(|t| t.operation).collect()
    }

    #[test]
    fn nothing_comes_out_before_it_is_shored_and_measured() {
        let order = order_of(OptionKind::WholePlank);
        let at = |op| order.iter().position(|o| *o == op).unwrap();
        assert!(at(Operation::Shore) < at(Operation::CutOut) && at(Operation::TakeShape) < at(Operation::CutOut));
        assert!(at(Operation::Fasten) < at(Operation::Caulk) && at(Operation::Caulk) < at(Operation::Fair));
        assert!(at(Operation::Fair) < at(Operation::Seal));
    }

    #[test]
    fn what_is_replaced_whole_is_taken_off_and_nothing_is_done_in_no_time() {
        let extent = Extent { length: 4_570.0, seam: 9_140.0, fastenings: 48, places: 1, ..Extent::default() };
        let tasks = unfold(OptionKind::WholePlank, &extent, |op| op.rate().0);
        let off = tasks.iter().find(|t| t.operation == Operation::CutOut).unwrap();
        assert!(off.what.contains("take it off") && (off.amount - 4.57).abs() < 1e-9, "{off:?}");
        // The cut of a laminated frame is its glue lines: it takes no longer to come off than a sawn one.
        let rib = Extent { cut: 4_000.0, length: 2_000.0, ..extent };
        let off = |kind| {
            unfold(kind, &rib, |op| op.rate().0).iter().find(|t| t.operation == Operation::CutOut).unwrap().amount
        };
        assert_eq!((off(OptionKind::Laminate), off(OptionKind::Replace)), (2.0, 4.0));
        let cut = Extent { cut: 300.0, ..extent };
        let tasks = unfold(OptionKind::ButtPiece, &cut, |op| op.rate().0);
        let out = tasks.iter().find(|t| t.operation == Operation::CutOut).unwrap();
        assert!(out.what.contains("to the lines") && (out.amount - 0.3).abs() < 1e-9, "{out:?}");
        // A sister lies beside what stays: nothing comes out.
        let tasks = unfold(OptionKind::Sister, &extent, |op| op.rate().0);
        assert!(tasks.iter().all(|t| t.operation != Operation::CutOut));
        for kind in OptionKind::ALL {
            let tasks = unfold(*kind, &cut, |op| op.rate().0);
            assert!(tasks.iter().all(|t| t.amount > 0.0), "{}: {tasks:?}", kind.label());
        }
    }

    #[test]
    fn every_way_that_takes_wood_out_is_shored_first() {
        for kind in OptionKind::ALL {
            let order = order_of(*kind);
            assert_eq!(order.contains(&Operation::Shore), kind.takes_out(), "{}", kind.label());
            assert_eq!(order.contains(&Operation::Glue), kind.is_glued(), "{}", kind.label());
        }
        let steamed = order_of(OptionKind::Steam);
        let at = |op| steamed.iter().position(|o| *o == op).unwrap();
        assert!(at(Operation::Mill) < at(Operation::Bend) && at(Operation::Bend) < at(Operation::DryFit));
    }

    #[test]
    fn a_beam_is_held_by_stanchions_and_a_spar_lies_on_trestles() {
        let shore = |member| {
            let extent = Extent { member, length: 1_000.0, places: 1, ..Extent::default() };
            let tasks = unfold(OptionKind::SpliceEnd, &extent, |op| op.rate().0);
            tasks.into_iter().find(|t| t.operation == Operation::Shore).unwrap()
        };
        for kind in MemberKind::ALL.iter().copied() {
            let task = shore(Some(kind));
            let hull = task.what.contains("hull");
            assert_eq!(
                hull,
                !matches!(kind.surface(), Surface::Deck | Surface::Spars),
                "{}: {}",
                kind.label(),
                task.what
            );
            assert_eq!(task.cautions.contains(&Caution::UnderHull), hull, "{}", kind.label());
        }
        assert!(shore(Some(MemberKind::Beam)).what.contains("Stanchion"));
        assert!(shore(Some(MemberKind::Spar)).what.contains("trestles"));
        assert!(shore(None).what.contains("hull"), "a plank");
    }

    #[test]
    fn a_spar_is_measured_and_a_keel_patterned() {
        let shape = |member| {
            let extent = Extent {
                member: Some(member),
                length: 2_000.0,
                heavy: 4.0,
                cut: 500.0,
                places: 1,
                ..Extent::default()
            };
            let tasks = unfold(OptionKind::ScarfPiece, &extent, |op| op.rate().0);
            tasks.into_iter().find(|t| t.operation == Operation::TakeShape).unwrap()
        };
        let (spar, keel) = (shape(MemberKind::Spar), shape(MemberKind::Keel));
        assert!(spar.what.contains("diameters") && keel.what.contains("pattern"));
        assert_eq!((spar.amount, keel.amount), (2.0, 8.0));
    }

    #[test]
    fn a_backing_piece_is_fitted_before_it_is_fastened() {
        let backed = Extent { backing: 400.0, fastenings: 8, places: 1, length: 300.0, ..Extent::default() };
        let told: Vec<_> = unfold(OptionKind::Graving, &backed, |op| op.rate().0).into_iter().map(|t| t.what).collect();
        let at = |word: &str| told.iter().position(|t| t.contains(word)).unwrap();
        assert!(at("glue and clamp") < at("backing piece") && at("backing piece") < at("fasten and plug"));
        let bare = Extent { backing: 0.0, ..backed };
        assert!(!unfold(OptionKind::Graving, &bare, |op| op.rate().0).iter().any(|t| t.what.contains("backing")));
    }

    #[test]
    fn only_glued_work_waits_for_glue() {
        assert!(order_of(OptionKind::Graving).contains(&Operation::Glue));
        assert!(!order_of(OptionKind::ButtPiece).contains(&Operation::Glue));
        assert_eq!(order_of(OptionKind::Leave), [Operation::Inspect]);
    }

    #[test]
    fn a_task_in_two_is_the_whole_again() {
        let whole = Hours { p50: 6.0, p80: 9.0 };
        let [(a, first), (b, rest)] = split(12.0, whole, 3.0).unwrap();
        assert_eq!((a, first.p50, first.p80), (3.0, 1.5, 2.25));
        assert_eq!((b, rest.p50, rest.p80), (9.0, 4.5, 6.75));
        for none in [0.0, -1.0, 12.0, 13.0, f64::NAN, f64::INFINITY] {
            assert_eq!(split(12.0, whole, none).unwrap_err().field, "amount", "{none}");
        }
    }

    #[test]
    fn hours_follow_the_yards_own_rate() {
        let extent = Extent { length: 1_000.0, cut: 500.0, places: 1, ..Extent::default() };
        let slow = unfold(OptionKind::Graving, &extent, |_| 2.0);
        let quick = unfold(OptionKind::Graving, &extent, |_| 1.0);
        for (s, q) in slow.iter().zip(&quick) {
            assert!((s.hours.p50 - 2.0 * q.hours.p50).abs() < 1e-12);
        }
    }
}
