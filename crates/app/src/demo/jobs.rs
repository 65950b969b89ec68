//! Whole jobs of the demo yard: Lady Teasel's deck and covering boards, Brindle Wren's topmast with three bad staves, Pennywort's
//! floorboards from card templates.

use jiff::{SignedDuration, Timestamp};
use mend_keel_core::deck::plan::{Held, Job, Way};
use mend_keel_core::geometry::Point;
use mend_keel_core::job::Spec;
use mend_keel_core::job::deck::Deck;
use mend_keel_core::job::edge::Edge;
use mend_keel_core::job::spar::{Soft, Spar};
use mend_keel_core::job::template::{Diagonal, Named, Template};
use mend_keel_core::repair::butts::CLOSE;
use mend_keel_store::jobs::NewJob;
use mend_keel_store::{Act, Result, Store};

use super::survey;

/// Half breadths of Lady Teasel's foredeck as they were taken, every 500 mm from the stem.
const FOREDECK: [f64; 6] = [100.0, 380.0, 610.0, 790.0, 920.0, 1_000.0];

fn foredecks_edge() -> Vec<Point> {
    FOREDECK.iter().enumerate().map(|(n, y)| [500.0 * n as f64, *y]).collect()
}

fn foredeck() -> Deck {
    Deck {
        laid: Job {
            outline: foredecks_edge(),
            king: 130.0,
            cover: 110.0,
            plank: 48.0,
            seam: 5.0,
            way: Way::Straight,
            beams: (1..9).map(|n| 280.0 * f64::from(n)).collect(),
            longest: 3_000.0,
            rule: CLOSE,
            held: Held::Glued,
        },
        thickness: 12.0,
        species: "teak".into(),
        ring_angle: 80.0,
        compound: None,
        per_cartridge: Some(7_200.0),
        measured: true,
    }
}

fn covering() -> Edge {
    let from_centre = |by: f64| {
        let at = |(n, y): (usize, &f64)| [500.0 * n as f64, y - 110.0 + if n == 3 { by } else { 0.0 }];
        FOREDECK.iter().enumerate().skip(1).map(at).collect()
    };
    Edge {
        outer: foredecks_edge(),
        width: 110.0,
        thickness: 20.0,
        species: "true_mahogany".into(),
        rail: Some(22.0),
        overlap: Some(3.0),
        standing: vec![[0.0, 20.0], [1_000.0, 22.5], [2_500.0, 21.0]],
        port: from_centre(0.4),
        starboard: from_centre(-2.6),
        board: Some(700.0),
        saw: 4.0,
        corner: Some(62.0),
        slope: 5.0,
        round: Some(12.0),
        screws: vec![30.0, 80.0],
        counterbore: 9.0,
        plug: 10.0,
        measured: true,
    }
}

fn topmast() -> Spar {
    Spar {
        length: 4_800.0,
        staves: 8,
        taper: vec![[0.0, 96.0], [3_200.0, 96.0], [4_800.0, 62.0]],
        wall: Some(18.0),
        ratio: 12.0,
        species: "sitka_spruce".into(),
        soft: vec![
            Soft { stave: 2, from: 350.0, to: 1_150.0 },
            Soft { stave: 3, from: 480.0, to: 900.0 },
            Soft { stave: 6, from: 600.0, to: 1_000.0 },
        ],
        margin: None,
        stock: vec![2_400.0, 2_400.0, 1_900.0],
    }
}

fn floorboards() -> Template {
    let points =
        [("A", [0.0, 0.0]), ("B", [1_450.0, 0.0]), ("C", [1_450.0, 330.0]), ("D", [820.0, 420.0]), ("E", [0.0, 290.0])];
    let measured = [("A", "C", 1_487.5), ("B", "E", 1_478.0), ("A", "D", 921.0)];
    Template {
        points: points.iter().map(|(name, at)| Named { name: (*name).into(), at: *at }).collect(),
        measured: measured.iter().map(|(a, b, mm)| Diagonal { a: (*a).into(), b: (*b).into(), mm: *mm }).collect(),
        tolerance: 2.0,
        half: true,
        other: Vec::new(),
        splits: Vec::new(),
        photograph: None,
    }
}

pub async fn fill(store: &Store, boats: [i64; 3], start: Timestamp) -> Result<()> {
    let [wren, pennywort, teasel] = boats;
    let jobs = [
        (wren, "Topmast, three staves", Spec::Spar(topmast()), "Cracks in the varnish above the lower band."),
        (pennywort, "Floorboards", Spec::Template(floorboards()), "Card from the centre line out, both sides alike."),
        (teasel, "Foredeck", Spec::Deck(foredeck()), ""),
        (teasel, "Covering board, foredeck", Spec::Edge(covering()), ""),
    ];
    for (n, (boat, name, spec, note)) in jobs.into_iter().enumerate() {
        let told = spec.plan(&|op| op.rate().0).map_err(survey::told)?;
        let at = start + SignedDuration::from_hours(24 * 18 + n as i64);
        let mut work = store.begin(Act { by: "Ines Varga".into(), at, once: None }).await?;
        let new = NewJob { boat_id: boat, member_id: None, name: name.into(), spec, note: note.into(), photo: None };
        work.add_job(&new, &told.tasks).await?;
        work.commit("/").await?;
    }
    Ok(())
}
