//! What was found on each boat, told in the order of the survey. Each boat is damaged by her own story.

use mend_keel_core::geometry::Point;
use mend_keel_core::survey::reading::{FasteningKind, Filler, Measure, Metal, Ring, WoodAround};
use mend_keel_core::survey::{Cause, Certainty, FindingKind, Grade, Method};

/// One thing found, told briefly.
pub struct Found {
    pub day: i64,
    pub by: &'static str,
    /// A place in canonical numbers: `P5 F12`, `FR7P 1`.
    pub at: String,
    pub kind: FindingKind,
    pub method: Method,
    /// The reading it rests on.
    pub measure: Option<Measure>,
    pub shape: Vec<Point>,
    pub depth: f64,
    pub grade: Grade,
    pub certainty: Certainty,
    pub cause: Cause,
    pub note: &'static str,
    /// A picture was taken.
    pub photo: bool,
}

pub const TOBIAS: &str = "Tobias Renn";
pub const MAUD: &str = "Maud Okafor";

fn found(day: i64, by: &'static str, at: impl Into<String>, kind: FindingKind, shape: &[Point], depth: f64) -> Found {
    Found {
        day,
        by,
        at: at.into(),
        kind,
        method: Method::Look,
        measure: None,
        shape: shape.to_vec(),
        depth,
        grade: Grade::Mend,
        certainty: Certainty::Confirmed,
        cause: Cause::Unknown,
        note: "",
        photo: false,
    }
}

impl Found {
    fn grade(mut self, grade: Grade, certainty: Certainty) -> Self {
        (self.grade, self.certainty) = (grade, certainty);
        self
    }

    fn cause(mut self, cause: Cause, note: &'static str) -> Self {
        (self.cause, self.note) = (cause, note);
        self
    }

    fn read(mut self, measure: Measure) -> Self {
        self.method = measure.method();
        self.measure = Some(measure);
        self
    }

    fn photo(mut self) -> Self {
        self.photo = true;
        self
    }
}

fn spike(depth: f64) -> Measure {
    Measure::Spike { depth }
}

fn feeler(width: f64, depth: f64, filler: Filler) -> Measure {
    Measure::Feeler { width, depth, filler }
}

fn drawn(metal: Metal, kind: FasteningKind, original: f64, remaining: f64, wood: WoodAround) -> Measure {
    Measure::DrawFastening { kind, metal, original, remaining, wood, nth: 1 }
}

/// Rain through a split rail, two bilge planks cracked in a grounding, boat nails sick along the waterline.
pub fn brindle_wren() -> Vec<Found> {
    use Certainty as C;
    use FindingKind as F;
    use Grade as G;
    let rain = Cause::FreshWater;
    let mut story = vec![
        found(2, TOBIAS, "P5 F12", F::Crack, &[[30.0, 62.0], [120.0, 66.0], [215.0, 61.0]], 9.0)
            .cause(Cause::Grounding, "Opened when the coating came off; runs with the grain.")
            .photo(),
        found(2, TOBIAS, "P6 F13", F::Crack, &[[60.0, 48.0], [190.0, 55.0]], 7.0).cause(Cause::Grounding, ""),
        found(3, TOBIAS, "P5 F14", F::Gouge, &[[20.0, 60.0], [95.0, 58.0], [90.0, 82.0], [25.0, 84.0]], 5.0)
            .cause(Cause::Grounding, "From the same stone."),
        found(5, MAUD, "S9 F22", F::Rot, &[[40.0, 60.0], [110.0, 58.0], [118.0, 84.0], [44.0, 88.0]], 10.0)
            .read(spike(5.0))
            .cause(rain, "A knot filled long ago let go; water stood behind the filler.")
            .photo(),
        found(8, TOBIAS, "S8 F9", F::OpenSeam, &[[0.0, 0.0], [240.0, 0.0]], 12.0)
            .read(feeler(3.0, 12.0, Filler::Loose))
            .grade(G::Watch, C::Confirmed)
            .cause(Cause::Age, ""),
        found(9, MAUD, "S4 F18", F::Crack, &[[20.0, 70.0], [150.0, 74.0]], 6.0)
            .read(Measure::Sound { ring: Ring::Dull })
            .grade(G::Watch, C::Suspected)
            .cause(Cause::Unknown, "Dull under the mallet; not opened."),
    ];
    for (i, frame) in [7, 9, 11, 13, 15].into_iter().enumerate() {
        let sure = if i < 2 { C::Confirmed } else { C::Suspected };
        let shape = [[-20.0, 95.0], [38.0, 95.0], [36.0, 120.0], [-18.0, 121.0]];
        story.push(
            found(6, MAUD, format!("P13 F{frame}"), F::Rot, &shape, 8.0)
                .read(spike(4.0))
                .grade(G::Watch, sure)
                .cause(rain, "Under the split rail, over the frame head."),
        );
        let head = [[0.0, 4.0], [140.0 + 20.0 * i as f64, 4.0], [120.0 + 20.0 * i as f64, 50.0], [0.0, 50.0]];
        let (grade, deep) = if i < 2 { (G::Renew, 30.0) } else { (G::Mend, 14.0) };
        story.push(
            found(6, MAUD, format!("FR{frame}P 1"), F::Rot, &head, deep)
                .read(spike(if i < 2 { 9.0 } else { 2.4 }))
                .grade(grade, sure)
                .cause(rain, "The head stands in the wet under the rail."),
        );
    }
    story.push(
        found(6, TOBIAS, "CBP 8", F::Split, &[[20.0, 60.0], [330.0, 66.0]], 25.0)
            .cause(rain, "The rail over it is split: rain runs to the frame heads.")
            .photo(),
    );
    story.push(
        found(7, TOBIAS, "KEEL 5", F::Gouge, &[[120.0, 40.0], [420.0, 34.0], [400.0, 90.0], [140.0, 96.0]], 18.0)
            .cause(Cause::Grounding, "The stone again; no fastening laid bare."),
    );
    story.push(
        found(7, MAUD, "FL14 2", F::Crack, &[[30.0, 40.0], [260.0, 44.0]], 20.0)
            .grade(G::Mend, C::Suspected)
            .cause(Cause::Grounding, "Dark line over the keel bolt; look again when the ballast is out."),
    );
    for frame in [10, 16, 21, 25, 28] {
        let sick = drawn(Metal::Galvanised, FasteningKind::BoatNail, 6.0, 4.6, WoodAround::Black);
        story.push(
            found(10, TOBIAS, format!("P8 F{frame}"), F::SickFastening, &[[-22.0, 36.0]], 0.0)
                .read(sick)
                .grade(G::Renew, C::OpenedUp)
                .cause(Cause::Age, "Black wood round the nail."),
        );
    }
    story.push(
        found(11, TOBIAS, "SPAR1 2", F::Crack, &[[100.0, 60.0], [820.0, 66.0]], 12.0)
            .grade(G::Watch, C::Confirmed)
            .cause(Cause::Sun, "A drying check, no wider than a coin at its mouth."),
    );
    story
}

/// Laps once filled with hard putty, ribs broken at the turn of the bilge, a transom split at the rowlock chock.
pub fn pennywort() -> Vec<Found> {
    use Certainty as C;
    use FindingKind as F;
    use Grade as G;
    let mut story = vec![
        found(4, MAUD, "S4 F9", F::Crack, &[[10.0, 36.0], [150.0, 40.0]], 9.0)
            .cause(Cause::ForcedShape, "Over two broken ribs."),
        found(4, MAUD, "P3 F6", F::OpenSeam, &[[0.0, 0.0], [210.0, 0.0]], 4.0)
            .read(feeler(1.6, 4.0, Filler::Hard))
            .cause(Cause::RigidFiller, "Hard putty in the lap; the land is lifting."),
        found(5, TOBIAS, "TR2 2", F::Split, &[[15.0, 40.0], [150.0, 46.0]], 9.0)
            .cause(Cause::Chafe, "Split at the rowlock chock."),
    ];
    for frame in [9, 10] {
        story.push(
            found(4, MAUD, format!("FR{frame}S 2"), F::Broken, &[[60.0, 2.0], [68.0, 10.0]], 12.0)
                .grade(G::Renew, C::Confirmed)
                .cause(Cause::ForcedShape, "Broken at the turn of the bilge."),
        );
    }
    story
}

/// Varnish gone on the side that faces the sun, deck seams that have let go, epoxy run into two topside seams, brass
/// screws that crumble.
pub fn lady_teasel() -> Vec<Found> {
    use Certainty as C;
    use FindingKind as F;
    use Grade as G;
    let mut story: Vec<Found> = [9, 10]
        .into_iter()
        .map(|strake| {
            found(7, TOBIAS, format!("S{strake} F20"), F::OpenSeam, &[[0.0, 0.0], [230.0, 0.0]], 10.0)
                .read(feeler(2.6, 10.0, Filler::Hard))
                .cause(Cause::RigidFiller, "Epoxy in a working seam; the edge beside it is crushed.")
        })
        .collect();
    for frame in [12, 19, 27] {
        let sick = drawn(Metal::Brass, FasteningKind::Screw, 4.5, 3.1, WoodAround::Sound);
        story.push(
            found(11, MAUD, format!("S6 F{frame}"), F::SickFastening, &[[-16.0, 30.0]], 0.0)
                .read(sick)
                .grade(G::Renew, C::OpenedUp)
                .cause(Cause::DissimilarMetals, "Brass: it crumbles pink."),
        );
    }
    story.push(
        found(12, MAUD, "S11 F30", F::Gouge, &[[40.0, 30.0], [120.0, 30.0], [110.0, 48.0], [50.0, 46.0]], 4.0)
            .cause(Cause::Chafe, "Fender chain."),
    );
    for frame in [14, 22, 31] {
        story.push(
            found(
                12,
                TOBIAS,
                format!("S12 F{frame}"),
                F::Sun,
                &[[0.0, 8.0], [200.0, 8.0], [200.0, 60.0], [0.0, 60.0]],
                1.0,
            )
            .cause(Cause::Sun, "Varnish gone on the side that faces the sun; the wood is grey."),
        );
    }
    for plank in [2, 3, 5] {
        story.push(
            found(12, MAUD, format!("D{plank}S 9"), F::OpenSeam, &[[0.0, 0.0], [380.0, 0.0]], 8.0)
                .read(feeler(4.0, 8.0, Filler::Loose))
                .cause(Cause::Age, "The deck seam has let go of one edge."),
        );
    }
    story
}
