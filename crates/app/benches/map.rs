//! Drawing the planking map: strakes × frames × findings.

use divan::Bencher;
use mend_keel::view::map::Map;
use mend_keel_core::grid::{Construction, Side};
use mend_keel_core::hull::{self, Principal};
use mend_keel_core::practice::{School, Use};
use mend_keel_core::repair::butts;
use mend_keel_core::survey::{Cause, Certainty, FindingKind, Grade, Method};
use mend_keel_store::boats::{Boat, Plank};
use mend_keel_store::findings::{Finding, Reading};

fn main() {
    divan::main();
}

fn boat(strakes: u32, frames: u32) -> (Boat, Vec<Plank>) {
    let principal = Principal {
        construction: Construction::CarvelCaulked,
        length: 18_000.0,
        beam: 4_500.0,
        depth: 2_400.0,
        frames,
        strakes,
        plank_thickness: 32.0,
    };
    let made = hull::generate(&principal, 7).expect("an ordinary boat");
    let planks = Side::BOTH
        .into_iter()
        .flat_map(|side| (1..=strakes).map(move |strake| (side, strake)))
        .enumerate()
        .map(|(i, (side, strake))| Plank {
            id: i as i64,
            boat_id: 1,
            side,
            strake,
            from_bay: None,
            to_bay: None,
            thickness: 32.0,
            species: "western_larch".into(),
            year: None,
        })
        .collect();
    let boat = Boat {
        id: 1,
        name: "Bench".into(),
        construction: principal.construction,
        boat_use: Use::Coastal,
        school: School::Conserve,
        year: None,
        length: principal.length,
        beam: principal.beam,
        depth: principal.depth,
        plank_thickness: 32.0,
        plank_species: "western_larch".into(),
        frame_species: "white_oak".into(),
        frame_sided: 50.0,
        frame_moulded: 60.0,
        waterline_strake: 8,
        shell: made.shell,
    };
    (boat, planks)
}

fn findings(count: usize, strakes: u32, frames: u32) -> Vec<Finding> {
    (0..count)
        .map(|i| Finding {
            id: i as i64,
            boat_id: 1,
            member_id: 0,
            side: Side::BOTH[i % 2],
            strake: 1 + (i as u32 * 7) % strakes,
            frame: 1 + (i as u32 * 13) % (frames - 1),
            kind: FindingKind::ALL[i % FindingKind::ALL.len()],
            method: Method::Look,
            reading: Reading::default(),
            shape: vec![[10.0, 20.0], [90.0, 20.0], [90.0, 60.0], [10.0, 60.0]],
            depth: 8.0,
            grade: Grade::Mend,
            certainty: Certainty::ALL[i % 3],
            cause: Cause::Unknown,
            note: String::new(),
            photo: None,
            withdrawn: false,
            version: 1,
            by_name: String::new(),
            at: String::new(),
        })
        .collect()
}

#[divan::bench(args = [(10, 24, 0), (13, 34, 300), (16, 60, 3_000), (32, 120, 12_000)])]
fn planking_map(bencher: Bencher, (strakes, frames, found): (u32, u32, usize)) {
    let (boat, planks) = boat(strakes, frames);
    let findings = findings(found, strakes, frames);
    let joints = mend_keel_store::boats::joints(&planks);
    let violations = butts::check(&butts::WIDE, &joints);
    bencher.bench_local(|| {
        let map = Map {
            boat: &boat,
            planks: &planks,
            findings: &findings,
            decisions: &[],
            pieces: &[],
            joints: &joints,
            violations: &violations,
            selected: None,
        };
        map.draw().len()
    });
}
