//! Members that were damaged, what an experienced restorer would do with them under each school, and why.

use std::fmt::Write;

use super::alone::{Alone, Answered, decide};
use super::member::Curve;
use super::{Found, Skin};
use crate::grid::Construction;
use crate::grid::member::MemberKind;
use crate::practice::{Practice, School, Use};
use crate::repair::way::OptionKind as O;
use crate::survey::{Certainty, FindingKind as F, Grade};
use crate::timber::species;

const CARVEL: Construction = Construction::CarvelCaulked;

fn found(kind: F, grade: Grade, along: (f64, f64), across: (f64, f64), depth: f64) -> Found {
    let certainty = Certainty::Confirmed;
    Found { kind, grade, certainty, from: along.0, to: along.1, low: across.0, high: across.1, depth }
}

fn member(kind: MemberKind, size: [f64; 3], wood: &str, found: Vec<Found>) -> Alone<'static> {
    Alone {
        construction: CARVEL,
        boat_use: Use::Coastal,
        school: School::Conserve,
        age: None,
        kind,
        panel: false,
        length: size[0],
        width: size[1],
        thickness: size[2],
        species: Some(species::find(wood).unwrap()),
        curve: Curve::Unknown,
        below_waterline: false,
        moisture: Some(14.0),
        found,
        cause_treated: true,
        old_holes: Vec::new(),
        skin: None,
        practice: Practice::default(),
    }
}

fn frame(of: Vec<Found>) -> Alone<'static> {
    Alone { curve: Curve::Radius(900.0), ..member(MemberKind::Frame, [1_800.0, 46.0, 40.0], "white_oak", of) }
}

fn beam(of: Vec<Found>) -> Alone<'static> {
    Alone { curve: Curve::Radius(8_000.0), ..member(MemberKind::Beam, [2_200.0, 90.0, 60.0], "white_oak", of) }
}

fn plank(of: Vec<Found>) -> Alone<'static> {
    member(MemberKind::Plank, [5_000.0, 140.0, 25.0], "western_larch", of)
}

fn keel(of: Vec<Found>) -> Alone<'static> {
    let keel = member(MemberKind::Keel, [7_000.0, 180.0, 100.0], "white_oak", of);
    Alone { below_waterline: true, ..keel }
}

fn stem(of: Vec<Found>) -> Alone<'static> {
    member(MemberKind::Stem, [1_500.0, 150.0, 120.0], "white_oak", of)
}

fn panel(of: Vec<Found>) -> Alone<'static> {
    let panel = member(MemberKind::Plank, [2_400.0, 600.0, 9.0], "african_mahogany", of);
    Alone { panel: true, construction: Construction::PlywoodFramed, boat_use: Use::Sheltered, ..panel }
}

fn moulded(of: Vec<Found>) -> Alone<'static> {
    let row = member(MemberKind::Plank, [4_000.0, 500.0, 12.0], "african_mahogany", of);
    Alone { construction: Construction::ColdMoulded, ..row }
}

/// A damaged member: what comes first under Conserve, Renew and Workboat, what must be refused under all of them, and why.
struct Row {
    what: &'static str,
    case: Alone<'static>,
    first: [O; 3],
    refused: &'static [O],
    /// The reason an experienced restorer would give.
    why: &'static str,
}

fn row(what: &'static str, case: Alone<'static>, first: [O; 3], refused: &'static [O], why: &'static str) -> Row {
    Row { what, case, first, refused, why }
}

#[rustfmt::skip]
fn rows() -> Vec<Row> {
    use Grade::{Mend, Renew, Watch, Unsafe};
    vec![
        row("frame head rotten through", frame(vec![found(F::Rot, Renew, (0.0, 140.0), (0.0, 46.0), 40.0)]),
            [O::SpliceEnd, O::Steam, O::SpliceEnd], &[O::Leave, O::Treat],
            "the rest of the frame is good: a new head; who renews steams a whole one, the curve allows it"),
        row("frame heel rotten through", frame(vec![found(F::Rot, Renew, (1_650.0, 1_800.0), (0.0, 46.0), 40.0)]),
            [O::SpliceEnd, O::Steam, O::SpliceEnd], &[O::Leave, O::Treat], "as a head, at the other end"),
        row("frame broken in the middle", frame(vec![found(F::Broken, Renew, (880.0, 900.0), (0.0, 46.0), 40.0)]),
            [O::Sister, O::Steam, O::Sister], &[O::Leave, O::Treat], "sound wood that broke: a sister past it each way carries again"),
        row("frame rotten in the middle", frame(vec![found(F::Rot, Renew, (800.0, 950.0), (0.0, 46.0), 40.0)]),
            [O::Sister, O::Steam, O::Steam], &[O::Leave, O::Treat], "a sister beside rot lasts ten years: only who saves every piece takes it"),
        row("frame with a small check", frame(vec![found(F::Crack, Watch, (600.0, 700.0), (20.0, 22.0), 6.0)]),
            [O::Leave; 3], &[O::Treat], "it is watched: nothing is cut for it"),
        row("frame soft a little on its face", frame(vec![found(F::Rot, Mend, (600.0, 680.0), (10.0, 25.0), 4.0)]),
            [O::Treat, O::Treat, O::Treat], &[], "shallow, dry, its cause gone: scraped and treated, whatever the school"),
        row("the same, its cause not gone", Alone { cause_treated: false, ..frame(vec![found(F::Rot, Mend, (600.0, 680.0), (10.0, 25.0), 4.0)]) },
            [O::Graving; 3], &[O::Treat], "treated now it comes back: a small piece is let in once the cause is stopped"),
        row("frame broken, tight curve", Alone { curve: Curve::Radius(350.0), ..frame(vec![found(F::Broken, Unsafe, (300.0, 320.0), (0.0, 46.0), 40.0)]) },
            [O::SpliceEnd, O::Laminate, O::SpliceEnd], &[O::Leave, O::Treat, O::Steam, O::Saw], "near its head: spliced; tighter than oak steams, and straight grain would run out: thin plies"),
        row("beam gone for more than half, middle", beam(vec![found(F::Rot, Renew, (900.0, 1_200.0), (0.0, 90.0), 36.0)]),
            [O::Sister, O::Laminate, O::Laminate], &[O::Leave, O::Treat, O::Graving], "a beam that rots at its middle is made new; only who saves every piece doubles it, for ten years"),
        row("beam end rotten", beam(vec![found(F::Rot, Renew, (0.0, 200.0), (0.0, 90.0), 60.0)]),
            [O::SpliceEnd, O::Laminate, O::SpliceEnd], &[O::Leave, O::Treat], "the end is spliced, its landing on the shelf is good again"),
        row("beam chafed on top", beam(vec![found(F::Chafe, Mend, (1_000.0, 1_150.0), (0.0, 15.0), 20.0)]),
            [O::Graving; 3], &[O::Treat], "a small piece let in where the mast coat wore it"),
        row("beam cracked through", beam(vec![found(F::Broken, Unsafe, (1_100.0, 1_110.0), (0.0, 90.0), 60.0)]),
            [O::Sister, O::Laminate, O::Sister], &[O::Leave, O::Treat, O::Graving], "sound wood that broke takes a doubler; who renews laminates"),
        row("garboard, three metres of rot", Alone { below_waterline: true, ..plank(vec![found(F::Rot, Renew, (800.0, 3_800.0), (0.0, 140.0), 20.0)]) },
            [O::WholePlank, O::WholePlank, O::WholePlank], &[O::Leave, O::Treat, O::Graving], "less than 40 % of it is sound: a whole plank, with no joint in the garboard"),
        row("plank with a hand's breadth of rot", plank(vec![found(F::Rot, Mend, (2_000.0, 2_250.0), (55.0, 80.0), 10.0)]),
            [O::Graving; 3], &[O::Treat], "one small piece, well under a fifth of the plank"),
        row("plank cracked along", plank(vec![found(F::Crack, Mend, (2_000.0, 2_200.0), (60.0, 66.0), 25.0)]),
            [O::Graving; 3], &[O::Treat], "a crack is let in, at half depth where old wood is saved"),
        row("plank with a check on watch", plank(vec![found(F::Crack, Watch, (2_000.0, 2_120.0), (60.0, 62.0), 4.0)]),
            [O::Leave; 3], &[O::Treat], "nothing asks for wood to be cut"),
        row("topside plank soft 2 mm deep", plank(vec![found(F::Rot, Mend, (2_000.0, 2_120.0), (55.0, 80.0), 2.0)]),
            [O::Treat; 3], &[], "shallow and dry: scraped, treated, coated"),
        row("the same under water", Alone { below_waterline: true, ..plank(vec![found(F::Rot, Mend, (2_000.0, 2_120.0), (55.0, 80.0), 2.0)]) },
            [O::Graving; 3], &[O::Treat], "confirmed rot under water is cut out"),
        row("the same, wet", Alone { moisture: Some(24.0), ..plank(vec![found(F::Rot, Mend, (2_000.0, 2_120.0), (55.0, 80.0), 2.0)]) },
            [O::ButtPiece, O::WholePlank, O::ButtPiece], &[O::Treat, O::Graving, O::ScarfPiece], "neither preservative nor glue takes on wet wood: until it is dried only what is fastened holds"),
        row("plank soft over most of its width", plank(vec![found(F::Rot, Renew, (2_000.0, 2_400.0), (10.0, 120.0), 20.0)]),
            [O::ScarfPiece, O::WholePlank, O::ButtPiece], &[O::Leave, O::Treat, O::Graving], "wider than 60 %: a splice; by scarfs, whole or by butts as the school has it"),
        row("two places in one plank", plank(vec![found(F::Gouge, Mend, (800.0, 900.0), (50.0, 80.0), 10.0), found(F::Rot, Mend, (3_600.0, 3_800.0), (50.0, 80.0), 10.0)]),
            [O::Graving, O::WholePlank, O::Graving], &[O::Treat], "two patches in a plank are one too many for who renews"),
        row("plank broken across", plank(vec![found(F::Broken, Unsafe, (2_000.0, 2_010.0), (0.0, 140.0), 25.0)]),
            [O::ScarfPiece, O::WholePlank, O::ButtPiece], &[O::Leave, O::Treat], "it no longer holds: a length of new plank"),
        row("plank buckled", plank(vec![found(F::Buckled, Mend, (1_500.0, 2_300.0), (0.0, 140.0), 0.0)]),
            [O::FreeAndFlatten; 3], &[O::Treat], "free it, rake its seams, press it flat and fasten it again"),
        row("plank buckled and crushed", plank(vec![found(F::Buckled, Renew, (1_500.0, 2_300.0), (0.0, 140.0), 0.0)]),
            [O::ScarfPiece, O::WholePlank, O::ButtPiece], &[O::Leave, O::FreeAndFlatten], "crushed fibres do not lie flat again"),
        row("plank forced out of shape", plank(vec![found(F::Forced, Mend, (1_000.0, 1_900.0), (0.0, 140.0), 0.0)]),
            [O::FreeAndFlatten; 3], &[O::Treat], "freed and blocked to shape for days"),
        row("plywood let into a plank", plank(vec![found(F::WrongMaterial, Mend, (2_000.0, 2_300.0), (40.0, 95.0), 0.0)]),
            [O::Graving; 3], &[O::Treat], "it comes out and right wood goes in"),
        row("failed patch in a plank", plank(vec![found(F::FailedRepair, Renew, (2_000.0, 2_260.0), (45.0, 95.0), 12.0)]),
            [O::Graving, O::Graving, O::Graving], &[O::Leave, O::Treat], "a little larger than the old one, in sound wood"),
        row("plank with its crossing all holes", Alone {
                old_holes: vec![[2_095.0, 30.0, 13.0], [2_110.0, 70.0, 13.0], [2_100.0, 110.0, 13.0]],
                ..plank(vec![found(F::Crack, Mend, (2_000.0, 2_150.0), (68.0, 72.0), 25.0)])
            },
            [O::ScarfPiece, O::WholePlank, O::ButtPiece], &[O::Treat], "holes over a fifth of the width: no more fastening there, new wood"),
        row("lapstrake plank cracked", Alone { construction: Construction::Lapstrake, ..member(MemberKind::Plank, [4_000.0, 120.0, 12.0], "western_larch", vec![found(F::Crack, Mend, (1_500.0, 1_650.0), (50.0, 54.0), 12.0)]) },
            [O::Graving; 3], &[O::Treat], "a crack is let in"),
        row("keel scarf open", keel(vec![found(F::OpenScarf, Mend, (3_000.0, 4_200.0), (0.0, 180.0), 0.0)]),
            [O::RefitScarf; 3], &[O::Treat], "opened, cleaned, closed and bolted again"),
        row("keel scarf past closing", keel(vec![found(F::OpenScarf, Renew, (3_000.0, 4_200.0), (0.0, 180.0), 0.0)]),
            [O::NewScarf, O::NewScarf, O::NewScarf], &[O::Leave, O::RefitScarf], "its faces are gone: new wood, scarfed in anew"),
        row("keel soft on a corner", keel(vec![found(F::Rot, Mend, (2_000.0, 2_300.0), (0.0, 50.0), 25.0)]),
            [O::Graving; 3], &[O::Treat], "a piece let in keeps the keel"),
        row("keel soft on a corner, wet", Alone { moisture: Some(24.0), ..keel(vec![found(F::Rot, Mend, (2_000.0, 2_300.0), (0.0, 50.0), 25.0)]) },
            [O::ScarfPiece; 3], &[O::Treat, O::Graving], "no glue takes: bedded and bolted, and nobody takes out a keel for it"),
        row("keel gone for two thirds", keel(vec![found(F::Rot, Renew, (2_000.0, 2_600.0), (0.0, 150.0), 80.0)]),
            [O::ScarfPiece; 3], &[O::Leave, O::Treat, O::Graving], "a length of new keel, scarfed twelve to one"),
        row("stem foot rotten", stem(vec![found(F::Rot, Renew, (0.0, 150.0), (0.0, 150.0), 120.0)]),
            [O::Replace, O::Replace, O::Replace], &[O::Leave, O::Treat, O::Graving], "a scarf of 1.4 m in a stem of 1.5 m is a new stem"),
        row("shelf broken", member(MemberKind::Shelf, [6_000.0, 60.0, 40.0], "western_larch", vec![found(F::Broken, Renew, (2_000.0, 2_020.0), (0.0, 60.0), 40.0)]),
            [O::ScarfPiece; 3], &[O::Leave, O::Treat, O::Graving], "a length scarfed in ten to one"),
        row("clamp rotten over half its length", member(MemberKind::Clamp, [5_000.0, 120.0, 35.0], "western_larch", vec![found(F::Rot, Renew, (500.0, 4_200.0), (0.0, 120.0), 30.0)]),
            [O::Replace; 3], &[O::Leave, O::Treat, O::Graving], "little of it is left"),
        row("spar checked", member(MemberKind::Spar, [8_000.0, 150.0, 150.0], "sitka_spruce", vec![found(F::Crack, Watch, (2_000.0, 3_000.0), (70.0, 74.0), 20.0)]),
            [O::Leave; 3], &[O::Treat], "a drying check is watched"),
        row("spar rotten through", member(MemberKind::Spar, [8_000.0, 150.0, 150.0], "sitka_spruce", vec![found(F::Rot, Unsafe, (3_000.0, 3_300.0), (0.0, 150.0), 140.0)]),
            [O::ScarfPiece, O::Replace, O::ScarfPiece], &[O::Leave, O::Treat, O::Graving], "a length scarfed in twelve to one; who renews makes a new spar"),
        row("masthead soft under its cap, half through", member(MemberKind::Spar, [10_340.0, 138.0, 138.0], "sitka_spruce", vec![found(F::Rot, Renew, (9_800.0, 10_340.0), (0.0, 130.0), 70.0)]),
            [O::ScarfPiece, O::Replace, O::ScarfPiece], &[O::Leave, O::Treat, O::Graving], "no patch carries half a mast: a new head scarfed on"),
        row("spar chafed at its jaws", member(MemberKind::Spar, [6_000.0, 110.0, 110.0], "sitka_spruce", vec![found(F::Chafe, Mend, (400.0, 560.0), (30.0, 60.0), 14.0)]),
            [O::Graving; 3], &[O::Treat], "a third of its width, not deep: a small piece glued in"),
        row("deck plank rotten over its width", member(MemberKind::DeckPlank, [4_000.0, 60.0, 35.0], "teak", vec![found(F::Rot, Renew, (1_500.0, 2_000.0), (0.0, 60.0), 30.0)]),
            [O::ScarfPiece, O::WholePlank, O::ScarfPiece], &[O::Leave, O::Treat, O::Graving], "teak is kept where it can be"),
        row("covering board chafed", member(MemberKind::CoveringBoard, [3_000.0, 140.0, 30.0], "teak", vec![found(F::Chafe, Mend, (700.0, 800.0), (100.0, 125.0), 8.0)]),
            [O::Graving; 3], &[O::Treat], "a small piece let in"),
        row("transom plank rotten at its end", member(MemberKind::TransomPlank, [1_600.0, 160.0, 28.0], "african_mahogany", vec![found(F::Rot, Renew, (0.0, 250.0), (0.0, 150.0), 26.0)]),
            [O::ScarfPiece, O::WholePlank, O::ScarfPiece], &[O::Leave, O::Treat, O::Graving], "an end scarfed on"),
        row("floor broken", member(MemberKind::Floor, [900.0, 120.0, 50.0], "white_oak", vec![found(F::Broken, Unsafe, (440.0, 450.0), (0.0, 120.0), 50.0)]),
            [O::Sister, O::Saw, O::Sister], &[O::Leave, O::Treat, O::Graving], "a doubler, or a new one; what it is made of depends on its shape"),
        row("plywood panel soft at an edge", panel(vec![found(F::Rot, Mend, (300.0, 500.0), (0.0, 80.0), 6.0)]),
            [O::PanelPatch; 3], &[O::Treat], "a scarfed patch in a skin that is good"),
        row("plywood skin soft in many places", Alone { skin: Some(Skin { panels: 24, soft_panels: 9, soft_share: 0.22, other_thickness: 0 }), ..panel(vec![found(F::Rot, Renew, (300.0, 500.0), (0.0, 80.0), 6.0)]) },
            [O::Reskin; 3], &[O::Leave, O::Treat], "one patch after another is never done"),
        row("old plywood that goes to sea", Alone { age: Some(46.0), boat_use: Use::Coastal, ..panel(vec![found(F::Delamination, Renew, (300.0, 500.0), (0.0, 80.0), 6.0)]) },
            [O::Reskin; 3], &[O::Leave, O::Treat], "past forty years, coastal: the whole skin"),
        row("deck panel with a soft corner", Alone { construction: CARVEL, ..member(MemberKind::DeckPanel, [2_400.0, 900.0, 12.0], "african_mahogany", vec![found(F::Rot, Renew, (0.0, 250.0), (0.0, 150.0), 10.0)]) },
            [O::PanelPatch; 3], &[O::Leave, O::Treat], "a patch, eight to one all round"),
        row("moulded layers apart, fresh", moulded(vec![found(F::Delamination, Mend, (500.0, 700.0), (100.0, 200.0), 6.0)]),
            [O::Inject; 3], &[O::Treat], "dry and fresh: glued together again"),
        row("moulded layers apart for years", moulded(vec![found(F::Delamination, Renew, (500.0, 700.0), (100.0, 200.0), 6.0)]),
            [O::LayerPatch; 3], &[O::Leave, O::Treat, O::Inject], "let in layer by layer"),
        row("moulded hull soft", moulded(vec![found(F::Rot, Renew, (500.0, 700.0), (100.0, 200.0), 8.0)]),
            [O::LayerPatch; 3], &[O::Leave, O::Treat], "let in layer by layer: never a plank with butts"),
        row("worm in the deadwood", Alone { below_waterline: true, ..member(MemberKind::Deadwood, [1_200.0, 200.0, 120.0], "white_oak", vec![found(F::Worm, Mend, (300.0, 500.0), (0.0, 60.0), 30.0)]) },
            [O::Graving; 3], &[O::Treat], "cut out and let in; confirmed under water it is not treated"),
        row("ceiling soft", member(MemberKind::Ceiling, [3_000.0, 120.0, 16.0], "western_larch", vec![found(F::Rot, Renew, (1_000.0, 1_300.0), (0.0, 120.0), 14.0)]),
            [O::ScarfPiece, O::WholePlank, O::ScarfPiece], &[O::Leave, O::Treat, O::Graving], "a board like another"),
    ]
}

fn ranked(case: &Alone<'static>, school: School) -> Answered {
    decide(&Alone { school, ..case.clone() }).unwrap()
}

fn told(answered: &Answered) -> String {
    answered.options.iter().fold(String::new(), |mut all, o| {
        let refused = if o.forbidden() { "✕" } else { "" };
        let _ = write!(
            all,
            "{refused}{} {:.1} (k{:.2} s{:.2} y{:.0} h{:.0} c{:.0}); ",
            o.kind.code(),
            o.score,
            o.kept,
            o.strength,
            o.years,
            o.hours.p50,
            o.cost
        );
        all
    })
}

#[test]
fn each_school_takes_what_an_experienced_restorer_would() {
    let mut wrong = Vec::new();
    for row in rows() {
        assert!(!row.why.is_empty());
        for (school, first) in School::ALL.iter().zip(row.first) {
            let answered = ranked(&row.case, *school);
            let best = &answered.options[0];
            if best.kind != first || best.forbidden() {
                wrong.push(format!(
                    "{} · {}: wanted {}\n    {}",
                    row.what,
                    school.code(),
                    first.code(),
                    told(&answered)
                ));
            }
            for kind in row.refused {
                let Some(option) = answered.options.iter().find(|o| o.kind == *kind) else { continue };
                if !option.forbidden() {
                    wrong.push(format!("{} · {}: {} is not refused", row.what, school.code(), kind.code()));
                }
            }
        }
    }
    assert!(wrong.is_empty(), "{} wrong\n{}", wrong.len(), wrong.join("\n"));
}

#[test]
fn a_wet_frame_head_is_told_to_be_dried_and_what_comes_then() {
    let head = frame(vec![found(F::Rot, Grade::Renew, (0.0, 140.0), (0.0, 46.0), 36.0)]);
    let at = |moisture: Option<f64>| decide(&Alone { moisture, ..head.clone() }).unwrap();
    let wet = at(Some(26.0));
    assert_eq!(wet.once_dry, Some(O::SpliceEnd), "{}", told(&wet));
    assert_ne!(wet.options[0].kind, O::SpliceEnd);
    assert_eq!(at(Some(13.0)).options[0].kind, O::SpliceEnd);
    // Dry, or nobody measured: nothing is promised of drying.
    assert_eq!((at(Some(16.0)).once_dry, at(None).once_dry), (None, None));
    // What is not glued is no better for being dry.
    let broken = frame(vec![found(F::Broken, Grade::Renew, (900.0, 905.0), (0.0, 46.0), 40.0)]);
    let sister = decide(&Alone { moisture: Some(26.0), ..broken }).unwrap();
    assert!(sister.once_dry.is_none() || sister.options[0].kind != sister.once_dry.unwrap());
}
