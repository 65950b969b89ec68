//! Drawing the planking map: strakes × frames × findings; and opening a survey from the store: findings.

use divan::Bencher;
use mend_keel::file::survey::SurveyFile;
use mend_keel::view::layers::Layers;
use mend_keel::view::map::Map;
use mend_keel_core::grid::member::DeckKind;
use mend_keel_core::grid::{Address, Construction, JointKind, Numbering, Place, Side};
use mend_keel_core::hull::{self, Principal};
use mend_keel_core::practice::{School, Use};
use mend_keel_core::repair::butts;
use mend_keel_core::survey::compare::Outcome;
use mend_keel_core::survey::reading::{Measure, On};
use mend_keel_core::survey::{Cause, Certainty, FindingKind, Grade, Method};
use mend_keel_core::work::order::DeckSchool;
use mend_keel_store::boats::{self, Boat, NewBoat, Plank};
use mend_keel_store::findings::{Finding, NewFinding, NewReading};
use mend_keel_store::{Act, Store};
use tempfile::TempDir;
use tokio::runtime::Runtime;

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
            to_joint: JointKind::Butt,
            to_seen: true,
            grain: None,
            finish: String::new(),
            fastened: String::new(),
            measured: false,
            version: 1,
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
        waterline_stem: None,
        waterline_stern: None,
        shell: made.shell,
        deck: DeckKind::Open,
        numbering: Numbering::default(),
        offsets: None,
        moulds: false,
        deck_school: DeckSchool::CoveringFirst,
        version: 1,
        archived: false,
        owner: String::new(),
    };
    (boat, planks)
}

fn address(i: usize, strakes: u32, frames: u32) -> Address {
    Address { side: Side::BOTH[i % 2], strake: 1 + (i as u32 * 7) % strakes, frame: 1 + (i as u32 * 13) % (frames - 1) }
}

fn findings(count: usize, strakes: u32, frames: u32) -> Vec<Finding> {
    (0..count)
        .map(|i| Finding {
            id: i as i64,
            boat_id: 1,
            member_id: 0,
            uid: String::new(),
            place: Place::Shell(address(i, strakes, frames)),
            kind: FindingKind::ALL[i % FindingKind::ALL.len()],
            method: Method::Look,
            shape: vec![[10.0, 20.0], [90.0, 20.0], [90.0, 60.0], [10.0, 60.0]],
            depth: 8.0,
            grade: Grade::Mend,
            certainty: Certainty::ALL[i % 3],
            cause: Cause::Unknown,
            cause_treated: None,
            note: String::new(),
            outcome: Outcome::Open,
            says: String::new(),
            moisture: None,
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
    let joints = mend_keel_store::boats::joints(&planks, true);
    let violations = butts::check(&butts::WIDE, &joints);
    let layers = Layers::default();
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
            layers: &layers,
            layer: "none",
            trials: &[],
            marks: &[],
        };
        map.draw().len()
    });
}

/// A yard with one boat on which so much was found, each finding resting on a reading.
async fn surveyed(count: usize) -> (TempDir, Store, i64) {
    let folder = TempDir::new().expect("a folder");
    let store = Store::open(&folder.path().join("yard.db")).await.expect("a store");
    let (kept, _) = boat(16, 60);
    let new = NewBoat {
        name: kept.name,
        construction: kept.construction,
        boat_use: kept.boat_use,
        school: kept.school,
        year: None,
        length: kept.length,
        beam: kept.beam,
        depth: kept.depth,
        plank_thickness: kept.plank_thickness,
        plank_species: kept.plank_species,
        frame_species: kept.frame_species,
        frame_sided: kept.frame_sided,
        frame_moulded: kept.frame_moulded,
        waterline_strake: kept.waterline_strake,
        shell: kept.shell,
        joints: Vec::new(),
        joints_seen: true,
        deck: DeckKind::LaidStraight,
        spars: Vec::new(),
    };
    let mut work = store.begin(Act::now("Bench", None)).await.expect("work");
    let id = work.add_boat(&new).await.expect("a boat");
    work.commit("/").await.expect("kept");
    let planks = boats::planks(&store, id).await.expect("planks");
    let mut work = store.begin(Act::now("Bench", None)).await.expect("work");
    for (i, f) in findings(count, 16, 60).into_iter().enumerate() {
        let at = address(i, 16, 60);
        let plank = boats::plank_at(&planks, at).expect("a plank").id;
        let measure = Measure::Meter {
            shown: 12.0 + (i % 20) as f64,
            wood_temperature: 12.0,
            relative: false,
            species_offset: 0.0,
        };
        let on = On { species: None, thickness: 32.0, construction: Construction::CarvelCaulked };
        let reading = NewReading {
            place: f.place.clone(),
            shown: at.to_string(),
            member_id: plank,
            at: None,
            read: measure.read(&on).expect("a reading"),
            measure,
            simulated: false,
            sampled: false,
        };
        let new = NewFinding {
            place: f.place,
            shown: at.to_string(),
            member_id: plank,
            kind: f.kind,
            method: f.method,
            shape: f.shape,
            depth: f.depth,
            grade: f.grade,
            certainty: f.certainty,
            cause: f.cause,
            note: f.note,
        };
        work.add_finding(id, &new, Some(&reading), &[]).await.expect("a finding");
    }
    work.commit("/").await.expect("kept");
    (folder, store, id)
}

#[divan::bench(args = [100, 1_000, 3_000, 12_000], sample_count = 10)]
fn opening_a_survey(bencher: Bencher, count: usize) {
    let runtime = Runtime::new().expect("a runtime");
    let (_folder, store, id) = runtime.block_on(surveyed(count));
    bencher.bench_local(|| {
        let survey = runtime.block_on(SurveyFile::load(&store, id)).expect("a survey");
        survey.layers().cells.len()
    });
}
