//! The store on a throw-away database: one plank's life, and what the history refuses.

use mend_keel_core::chance::Chance;
use mend_keel_core::edition::Edition;
use mend_keel_core::grid::edit::Edit;
use mend_keel_core::grid::member::DeckKind;
use mend_keel_core::grid::{Address, Construction, JointKind, Place, Side};
use mend_keel_core::hull::{self, Principal};
use mend_keel_core::practice::{School, Use};
use mend_keel_core::repair::way::OptionKind;
use mend_keel_core::survey::compare::Outcome;
use mend_keel_core::survey::reading::{Measure, On};
use mend_keel_core::survey::{Cause, Certainty, FindingKind, Grade, Method};
use mend_keel_core::timber::board::BoardState;
use mend_keel_core::timber::board::{self, Board as Stock, Drying, Grain, Origin, Rectangle};
use mend_keel_core::timber::species::Own;
use mend_keel_core::work::tasks::{Extent, unfold};
use mend_keel_store::boards::NewBoard;
use mend_keel_store::boats::{self, NewBoat};
use mend_keel_store::decisions::{self, Geometry, NewDecision, NewPiece, PieceState};
use mend_keel_store::dossier::{self, Names};
use mend_keel_store::findings::{self, Carried, NewFinding, NewReading};
use mend_keel_store::history::Only;
use mend_keel_store::{Act, Store, StoreError, accounts, boards, history, members, species, tasks};
use serde_json::json;
use tempfile::TempDir;

mod clocks;
mod wares;

async fn yard() -> (TempDir, Store) {
    let folder = TempDir::new().unwrap();
    let store = Store::open(&folder.path().join("yard.db")).await.unwrap();
    (folder, store)
}

fn act() -> Act {
    Act::now("Ada Brook", None)
}

async fn boat(store: &Store) -> i64 {
    boat_of(store, "western_larch").await
}

async fn boat_of(store: &Store, timber: &str) -> i64 {
    let principal = Principal {
        construction: Construction::CarvelCaulked,
        length: 8_600.0,
        beam: 2_900.0,
        depth: 1_600.0,
        frames: 34,
        strakes: 13,
        plank_thickness: 25.0,
    };
    let made = hull::generate(&principal, 5).unwrap();
    let mut work = store.begin(act()).await.unwrap();
    let id = work
        .add_boat(&NewBoat {
            name: "Sable Plover".into(),
            construction: principal.construction,
            boat_use: Use::Coastal,
            school: School::Conserve,
            year: None,
            length: principal.length,
            beam: principal.beam,
            depth: principal.depth,
            plank_thickness: principal.plank_thickness,
            plank_species: timber.into(),
            frame_species: "white_oak".into(),
            frame_sided: 45.0,
            frame_moulded: 55.0,
            waterline_strake: 7,
            shell: made.shell,
            joints: made.joints,
            joints_seen: true,
            deck: DeckKind::LaidStraight,
            spars: vec![("Mast".into(), 9_000.0)],
        })
        .await
        .unwrap();
    work.commit("/").await.unwrap();
    id
}

const AT: Address = Address { side: Side::Port, strake: 5, frame: 9 };

fn crack(member_id: i64) -> NewFinding {
    NewFinding {
        place: Place::Shell(AT),
        shown: AT.to_string(),
        member_id,
        kind: FindingKind::Crack,
        method: Method::Look,
        shape: vec![[10.0, 50.0], [90.0, 52.0]],
        depth: 6.0,
        grade: Grade::Mend,
        certainty: Certainty::Confirmed,
        cause: Cause::Age,
        note: String::new(),
    }
}

fn larch(tag: &str) -> NewBoard {
    NewBoard {
        tag: tag.into(),
        stock: Stock {
            species: "western_larch".into(),
            length: 2_400.0,
            width: 180.0,
            thickness: 32.0,
            grain: Grain::Quarter,
            drying: Drying::Air,
            moisture: Some(12.0),
            origin: Origin::New,
        },
        details: board::Details::default(),
        origin_note: String::new(),
        place: "short rack".into(),
        parent_id: None,
    }
}

fn patch() -> NewPiece {
    NewPiece {
        name: "Graving piece".into(),
        geometry: Geometry::Patch {
            outline: vec![[0.0, 0.0], [200.0, 0.0], [100.0, 40.0]],
            depth: 12.5,
            through: false,
            area: 4_000.0,
            swallowed: vec![],
            to_edge: mend_keel_core::repair::graving::ToEdge::None,
        },
        length: 212.0,
        width: 52.0,
        thickness: 14.5,
        species: "western_larch".into(),
    }
}

async fn decide(
    store: &Store,
    boat: i64,
    plank: i64,
    kind: OptionKind,
    pieces: &[NewPiece],
) -> Result<i64, StoreError> {
    let mut work = store.begin(act()).await?;
    let new = NewDecision {
        boat_id: boat,
        member_id: plank,
        plank_name: "P5".into(),
        kind,
        reason: "small".into(),
        kept: 0.99,
        strength: 0.95,
        p50: 5.0,
        p80: 7.0,
        rules: json!({}),
    };
    let id = work.decide(&new, pieces).await?;
    let extent = Extent { length: 212.0, cut: 420.0, places: 1, ..Extent::default() };
    work.add_tasks(boat, plank, id, &unfold(kind, &extent, |op| op.rate().0)).await?;
    work.commit("/").await?;
    Ok(id)
}

#[tokio::test]
async fn a_planks_life_is_told_from_finding_to_hours() {
    let (_folder, store) = yard().await;
    let boat = boat(&store).await;
    let planks = boats::planks(&store, boat).await.unwrap();
    let plank = boats::plank_at(&planks, AT).unwrap().id;

    let mut work = store.begin(act()).await.unwrap();
    work.add_finding(boat, &crack(plank), None, &[]).await.unwrap();
    work.add_board(&larch("L-1")).await.unwrap();
    work.commit("/").await.unwrap();
    decide(&store, boat, plank, OptionKind::Graving, &[patch()]).await.unwrap();

    let piece = decisions::pieces(&store, boat).await.unwrap().remove(0);
    let stock = boards::list(&store).await.unwrap().remove(0);
    let mut work = store.begin(act()).await.unwrap();
    work.reserve(&stock, &piece).await.unwrap();
    work.commit("/").await.unwrap();

    let piece = decisions::piece(&store, boat, piece.id).await.unwrap();
    assert_eq!(piece.state, PieceState::Reserved);
    let blank = Rectangle { length: piece.length, width: piece.width };
    let cut = board::lay(stock.face(), stock.thickness, blank, &[]).unwrap();
    let mut work = store.begin(act()).await.unwrap();
    work.take_from_rack(&stock, &piece, &cut).await.unwrap();
    work.commit("/").await.unwrap();
    let offcuts = boards::offcuts(&store, stock.id).await.unwrap();
    let kept: f64 = offcuts.iter().map(|o| o.length * o.width).sum();
    let whole = boards::find(&store, stock.id).await.unwrap();
    assert_eq!(whole.state, BoardState::Cut);
    let parts = piece.length * piece.width + kept + whole.waste_area.unwrap();
    assert!((parts - whole.length * whole.width).abs() < 1e-6, "nothing vanishes");

    let task = tasks::of_boat(&store, boat).await.unwrap().remove(0);
    let mut work = store.begin(act()).await.unwrap();
    let ada = mend_keel_store::accounts::NewAccount {
        login: "ada".into(),
        name: "Ada Brook".into(),
        role: mend_keel_store::accounts::Role::Owner,
        guest_boat: None,
        password_hash: "!".into(),
    };
    let ada = work.add_account(&ada).await.unwrap();
    work.start_clock(&task, ada, work.at(), None).await.unwrap();
    work.commit("/").await.unwrap();
    let later = Act { at: jiff::Timestamp::now() + jiff::SignedDuration::from_mins(90), ..act() };
    let mut work = store.begin(later).await.unwrap();
    work.stop_clock(ada, work.at(), None).await.unwrap();
    work.commit("/").await.unwrap();
    let minutes = tasks::find(&store, boat, task.id).await.unwrap().minutes;
    assert!((minutes - 90.0).abs() < 0.2, "{minutes}");

    let kinds: Vec<String> = history::of_plank(&store, plank, None, Only::default())
        .await
        .unwrap()
        .events
        .into_iter()
        .map(|e| e.kind)
        .collect();
    assert_eq!(kinds, ["finding", "decision", "reserved", "cut", "hours"]);
    assert!(store.check().await.unwrap());
}

#[tokio::test]
async fn the_history_cannot_be_changed_and_tampering_shows() {
    let (folder, store) = yard().await;
    boat(&store).await;
    store.close().await;
    let path = folder.path().join("yard.db");
    let raw = sqlx_sqlite::SqlitePool::connect(&format!("sqlite:{}", path.display())).await.unwrap();
    assert!(sqlx::query("UPDATE event SET summary = 'x'").execute(&raw).await.is_err());
    assert!(sqlx::query("DELETE FROM event").execute(&raw).await.is_err());
    // Somebody with the file in hand can still drop the triggers: then the chain tells.
    sqlx::query("DROP TRIGGER event_is_never_changed").execute(&raw).await.unwrap();
    sqlx::query("UPDATE event SET summary = 'Received another boat' WHERE id = 1").execute(&raw).await.unwrap();
    raw.close().await;
    let store = Store::open(&path).await.unwrap();
    assert_eq!(history::broken_link(&store).await.unwrap(), Some(1));
}

/// A graving piece decided on the first plank, with a board kept for it: the plank and the board.
async fn with_a_board_reserved(store: &Store, boat: i64) -> (i64, boards::Board) {
    let plank = boats::planks(store, boat).await.unwrap()[0].id;
    decide(store, boat, plank, OptionKind::Graving, &[patch()]).await.unwrap();
    let mut work = store.begin(act()).await.unwrap();
    work.add_board(&larch("L-1")).await.unwrap();
    work.commit("/").await.unwrap();
    let stock = boards::list(store).await.unwrap().remove(0);
    let piece = decisions::pieces(store, boat).await.unwrap().remove(0);
    let mut work = store.begin(act()).await.unwrap();
    work.reserve(&stock, &piece).await.unwrap();
    work.commit("/").await.unwrap();
    (plank, stock)
}

#[tokio::test]
async fn a_board_given_back_is_anybodys_and_the_story_says_so() {
    let (_folder, store) = yard().await;
    let boat = boat(&store).await;
    let (plank, stock) = with_a_board_reserved(&store, boat).await;
    let held = decisions::pieces(&store, boat).await.unwrap().remove(0);
    let mut work = store.begin(act()).await.unwrap();
    work.add_board(&larch("L-2")).await.unwrap();
    work.commit("/").await.unwrap();
    let other = boards::list(&store).await.unwrap().into_iter().find(|b| b.tag == "L-2").unwrap();

    // Another board than its own is not given back by it.
    let mut work = store.begin(act()).await.unwrap();
    assert!(matches!(work.give_back(&other, &held).await, Err(StoreError::Conflict(_))));
    drop(work);
    assert_eq!(boards::find(&store, stock.id).await.unwrap().state, BoardState::Reserved);

    let mut work = store.begin(act()).await.unwrap();
    work.give_back(&stock, &held).await.unwrap();
    work.commit("/").await.unwrap();
    let piece = decisions::pieces(&store, boat).await.unwrap().remove(0);
    assert!(piece.state == PieceState::Planned && piece.board_id.is_none());
    assert_eq!(boards::find(&store, stock.id).await.unwrap().state, BoardState::Free);
    let mut work = store.begin(act()).await.unwrap();
    assert!(matches!(work.give_back(&stock, &piece).await, Err(StoreError::Conflict(_))), "once");
    drop(work);
    let told = history::of_plank(&store, plank, None, Only::default()).await.unwrap().events;
    assert!(told.iter().any(|e| e.kind == "given_back" && e.summary.contains("L-1")), "{told:?}");
    assert!(store.check().await.unwrap());
    // And reserved once more it is cut like any other.
    let mut work = store.begin(act()).await.unwrap();
    work.reserve(&stock, &piece).await.unwrap();
    let laid = board::lay(stock.face(), stock.thickness, Rectangle { length: 212.0, width: 52.0 }, &[]).unwrap();
    work.take_from_rack(&stock, &decisions::pieces(&store, boat).await.unwrap().remove(0), &laid).await.unwrap();
    work.commit("/").await.unwrap();
}

#[tokio::test]
async fn deciding_again_drops_what_is_open_but_not_what_is_cut() {
    let (_folder, store) = yard().await;
    let boat = boat(&store).await;
    let (plank, stock) = with_a_board_reserved(&store, boat).await;

    decide(&store, boat, plank, OptionKind::Graving, &[patch()]).await.unwrap();
    assert_eq!(boards::find(&store, stock.id).await.unwrap().state, BoardState::Free);
    let pieces = decisions::pieces(&store, boat).await.unwrap();
    assert_eq!(pieces.len(), 1);
    assert_eq!(decisions::of_boat(&store, boat).await.unwrap().len(), 1);

    let mut work = store.begin(act()).await.unwrap();
    work.reserve(&stock, &pieces[0]).await.unwrap();
    let cut = board::lay(stock.face(), stock.thickness, Rectangle { length: 212.0, width: 52.0 }, &[]).unwrap();
    work.take_from_rack(&stock, &pieces[0], &cut).await.unwrap();
    work.commit("/").await.unwrap();
    let again = decide(&store, boat, plank, OptionKind::Leave, &[]).await;
    assert!(matches!(again, Err(StoreError::Conflict(_))));
    assert_eq!(
        decisions::pieces(&store, boat).await.unwrap()[0].state,
        PieceState::Cut,
        "the refused decision changed nothing"
    );

    // What is cut is not given back.
    let mut work = store.begin(act()).await.unwrap();
    let held = decisions::pieces(&store, boat).await.unwrap().remove(0);
    assert!(matches!(work.give_back(&stock, &held).await, Err(StoreError::Conflict(_))));
    drop(work);

    // Spoiled, it is planned once more; what is not cut cannot be spoiled.
    let cut = decisions::pieces(&store, boat).await.unwrap().remove(0);
    let mut work = store.begin(act()).await.unwrap();
    work.spoil_piece(&cut, "it split at the nails").await.unwrap();
    work.commit("/").await.unwrap();
    let planned = decisions::pieces(&store, boat).await.unwrap().remove(0);
    assert_eq!((planned.state.clone(), planned.board_id), (PieceState::Planned, None));
    let mut work = store.begin(act()).await.unwrap();
    assert!(matches!(work.spoil_piece(&planned, "twice").await, Err(StoreError::Conflict(_))));
    drop(work);
    decide(&store, boat, plank, OptionKind::Graving, &[patch()]).await.unwrap();
}

#[tokio::test]
async fn what_was_carried_out_stays_as_it_was_done_when_the_part_is_decided_on_again() {
    let (_folder, store) = yard().await;
    let boat = boat(&store).await;
    let (plank, stock) = with_a_board_reserved(&store, boat).await;
    let piece = decisions::pieces(&store, boat).await.unwrap().remove(0);
    let mut work = store.begin(act()).await.unwrap();
    let cut = board::lay(stock.face(), stock.thickness, Rectangle { length: 212.0, width: 52.0 }, &[]).unwrap();
    work.take_from_rack(&stock, &piece, &cut).await.unwrap();
    for task in tasks::of_boat(&store, boat).await.unwrap() {
        work.finish_task(&task, Some(jiff::Timestamp::now()), None).await.unwrap();
    }
    work.commit("/").await.unwrap();
    let first = decisions::of_boat(&store, boat).await.unwrap().remove(0);

    // Years later it is damaged again: another job, and the wood that was cut for the first is still cut.
    decide(&store, boat, plank, OptionKind::Graving, &[patch()]).await.unwrap();
    let now = decisions::of_boat(&store, boat).await.unwrap();
    assert!(now.len() == 1 && now[0].id != first.id);
    assert_eq!(boards::find(&store, stock.id).await.unwrap().state, BoardState::Cut, "its board is not given back");
    let done = tasks::of_boat(&store, boat).await.unwrap();
    let (old, new): (Vec<_>, Vec<_>) = done.iter().partition(|t| t.decision_id == Some(first.id));
    assert!(old.iter().all(|t| t.done_at.is_some()) && new.iter().all(|t| t.done_at.is_none()) && !new.is_empty());
}

#[tokio::test]
async fn a_form_key_works_once_and_an_abandoned_one_is_free_again() {
    let (_folder, store) = yard().await;
    let boat = boat(&store).await;
    let plank = boats::planks(&store, boat).await.unwrap()[0].id;
    let keyed = || Act::now("Ada Brook", Some("key-1"));
    let mut abandoned = store.begin(keyed()).await.unwrap();
    abandoned.add_finding(boat, &crack(plank), None, &[]).await.unwrap();
    drop(abandoned);
    let mut work = store.begin(keyed()).await.unwrap();
    work.add_finding(boat, &crack(plank), None, &[]).await.unwrap();
    work.commit("/boats/1").await.unwrap();
    let again = store.begin(keyed()).await.unwrap_err();
    assert!(matches!(again, StoreError::AlreadyDone(location) if location == "/boats/1"));
    assert_eq!(findings::of_boat(&store, boat).await.unwrap().len(), 1);
}

#[tokio::test]
async fn a_stale_version_is_not_saved() {
    let (_folder, store) = yard().await;
    let boat = boat(&store).await;
    let plank = boats::planks(&store, boat).await.unwrap()[0].id;
    let mut work = store.begin(act()).await.unwrap();
    let id = work.add_finding(boat, &crack(plank), None, &[]).await.unwrap();
    work.change_finding(boat, id, 1, &NewFinding { depth: 7.0, ..crack(plank) }).await.unwrap();
    let late = work.change_finding(boat, id, 1, &NewFinding { depth: 2.0, ..crack(plank) }).await;
    assert!(matches!(late, Err(StoreError::Stale(_))));
    work.commit("/").await.unwrap();
    let kept = findings::find(&store, boat, id).await.unwrap();
    assert_eq!((kept.depth, kept.version), (7.0, 2));
    let told = history::of_plank(&store, plank, None, Only::default()).await.unwrap().events;
    assert_eq!(told.last().unwrap().corrects, Some(told[0].id), "the correction points at what it corrects");
}

#[tokio::test]
async fn a_board_is_reserved_by_one_piece_only() {
    let (_folder, store) = yard().await;
    let boat = boat(&store).await;
    let planks = boats::planks(&store, boat).await.unwrap();
    decide(&store, boat, planks[0].id, OptionKind::Graving, &[patch()]).await.unwrap();
    decide(&store, boat, planks[1].id, OptionKind::Graving, &[patch()]).await.unwrap();
    let mut work = store.begin(act()).await.unwrap();
    work.add_board(&larch("L-1")).await.unwrap();
    assert!(
        matches!(work.add_board(&larch("l-1")).await, Err(StoreError::Conflict(_))),
        "tags differ by more than case"
    );
    work.commit("/").await.unwrap();
    let (pieces, stock) =
        (decisions::pieces(&store, boat).await.unwrap(), boards::list(&store).await.unwrap().remove(0));
    let mut work = store.begin(act()).await.unwrap();
    work.reserve(&stock, &pieces[0]).await.unwrap();
    assert!(matches!(work.reserve(&stock, &pieces[1]).await, Err(StoreError::Conflict(_))));
}

fn spiked(place: &str, member_id: i64, depth: f64) -> NewReading {
    let measure = Measure::Spike { depth };
    let on = On { species: None, thickness: 25.0, construction: Construction::CarvelCaulked };
    NewReading {
        place: Place::parse(place).unwrap(),
        shown: place.into(),
        member_id,
        at: Some([20.0, 30.0]),
        read: measure.read(&on).unwrap(),
        measure,
        simulated: false,
        sampled: false,
    }
}

#[tokio::test]
async fn what_was_found_keeps_its_place_in_the_wood_when_the_grid_is_corrected() {
    let (_folder, store) = yard().await;
    let id = boat(&store).await;
    let planks = boats::planks(&store, id).await.unwrap();
    let plank = boats::plank_at(&planks, AT).unwrap().id;
    let frames = members::of_boat(&store, id).await.unwrap();
    let rib = frames.iter().find(|m| m.code == "FR12P").unwrap().id;
    let mut work = store.begin(act()).await.unwrap();
    let found = work.add_finding(id, &crack(plank), Some(&spiked("P5 F9", plank, 4.0)), &[]).await.unwrap();
    work.add_reading(id, &spiked("FR12P 1", rib, 2.0), None).await.unwrap();
    work.commit("/").await.unwrap();
    let on_hull = |b: &boats::Boat, place: &Place, x: f64| b.datum(place.shell().unwrap().frame) + x;
    let before = boats::find(&store, id).await.unwrap();
    let seen = findings::find(&store, id, found).await.unwrap();
    let lies = on_hull(&before, &seen.place, seen.shape[0][0]);

    for (edit, place, frame_code) in [
        (Edit::AddFrame { after: 4 }, "P5 F10", "FR13P 1"),
        (Edit::AddStrake { above: 2 }, "P6 F10", "FR13P 1"),
        (Edit::RemoveFrame { frame: 5 }, "P6 F9", "FR12P 1"),
    ] {
        let boat = boats::find(&store, id).await.unwrap();
        let mut shell = boat.shell.clone();
        edit.apply(&mut shell).unwrap();
        let mut work = store.begin(act()).await.unwrap();
        work.correct_grid(&boat, &edit, &shell, "corrected").await.unwrap();
        assert!(matches!(work.correct_grid(&boat, &edit, &shell, "again").await, Err(StoreError::Stale(_))));
        work.commit("/").await.unwrap();
        let seen = findings::find(&store, id, found).await.unwrap();
        assert_eq!(seen.place.to_string(), place);
        let now = boats::find(&store, id).await.unwrap();
        assert!((on_hull(&now, &seen.place, seen.shape[0][0]) - lies).abs() < 1e-6, "{edit:?}");
        let planks = boats::planks(&store, id).await.unwrap();
        assert_eq!(boats::plank_at(&planks, seen.address().unwrap()).unwrap().id, seen.member_id, "{edit:?}");
        let read: Vec<String> =
            findings::readings(&store, id).await.unwrap().iter().map(|r| r.place.to_string()).collect();
        assert_eq!(read, [place, frame_code]);
    }
    // The frame on which something was read stays; the strake on which something was found too.
    let boat = boats::find(&store, id).await.unwrap();
    let edit = Edit::RemoveStrake { strake: 6 };
    let mut shell = boat.shell.clone();
    edit.apply(&mut shell).unwrap();
    let mut work = store.begin(act()).await.unwrap();
    assert!(matches!(work.correct_grid(&boat, &edit, &shell, "no").await, Err(StoreError::Conflict(_))));
}

#[tokio::test]
async fn regions_old_holes_and_seams_follow_the_grid_when_it_is_corrected() {
    use mend_keel_core::fastening::pattern::OldHole;
    use mend_keel_core::fastening::through::Kind;
    use mend_keel_core::seam::Treatment;
    use mend_keel_core::seam::work::StepKind;
    use mend_keel_store::fastenings::{self, NewRegion};
    use mend_keel_store::seams::{self, Seam, Step};

    let (_folder, store) = yard().await;
    let id = boat(&store).await;
    let new = NewRegion {
        boat_id: id,
        name: "Bilge".into(),
        side: Side::Port,
        strakes: (3, 5),
        frames: (6, 9),
        metal: "copper".into(),
        to_plane_off: 0.0,
        kind: Kind::Rivet,
        original: Some(Kind::Rivet),
        inside: true,
        in_lap: 2,
    };
    let mut work = store.begin(act()).await.unwrap();
    let region = work.add_region(&new).await.unwrap();
    work.commit("/").await.unwrap();
    let read = fastenings::region(&store, id, region).await.unwrap();
    assert_eq!((read.kind, read.original(), read.crossings()), (Kind::Rivet, Some(Kind::Rivet), 12));
    let mut work = store.begin(act()).await.unwrap();
    for frame in 6..10 {
        work.tick(&read, None, 4, frame, &format!("F{frame}"), None, "P4").await.unwrap();
    }
    let hole = OldHole { x: 1.0, y: 30.0, diameter: 4.5 };
    work.record_holes(id, None, Address { side: Side::Port, strake: 4, frame: 7 }, &[hole, hole], "P4 F7")
        .await
        .unwrap();
    work.record_holes(id, None, Address { side: Side::Port, strake: 4, frame: 7 }, &[hole], "P4 F7").await.unwrap();
    for row in 2..5 {
        let seam = Seam {
            id: 0,
            boat_id: id,
            side: Side::Port,
            row,
            treatment: Treatment::CottonCompound,
            width: Some(f64::from(row)),
            cures_in: None,
            version: 0,
        };
        work.decide_seam(&seam, None, "seam").await.unwrap();
        assert!(
            matches!(work.decide_seam(&seam, None, "seam").await, Err(StoreError::Conflict(_))),
            "decided meanwhile"
        );
    }
    work.commit("/").await.unwrap();

    // A new treatment sets the old one's steps aside; what is reefed and clean stays so.
    let seam = seams::of_boat(&store, id).await.unwrap().remove(0);
    let step = |kind| Step {
        id: 0,
        seam_id: seam.id,
        kind,
        moisture: None,
        temperature: None,
        note: String::new(),
        photo: None,
        by_name: String::new(),
        at: String::new(),
    };
    let mut work = store.begin(act()).await.unwrap();
    for kind in [StepKind::Reef, StepKind::Scrape, StepKind::Prime, StepKind::Prime] {
        work.add_seam_step(&seam, &step(kind), None, "seam").await.unwrap();
    }
    work.commit("/").await.unwrap();
    assert_eq!(seams::steps(&store, id).await.unwrap().len(), 3, "the same step counts once");
    let mut work = store.begin(act()).await.unwrap();
    work.decide_seam(&Seam { treatment: Treatment::SplinedGlue, ..seam.clone() }, None, "seam").await.unwrap();
    work.commit("/").await.unwrap();
    let kinds: Vec<StepKind> = seams::steps(&store, id).await.unwrap().iter().map(|s| s.kind).collect();
    assert_eq!(kinds, [StepKind::Reef, StepKind::Scrape]);

    // The seam that goes is the lower edge of the strake taken out.
    for (edit, strakes, frames, seams_at) in [
        (Edit::AddFrame { after: 2 }, (3, 5), (7, 10), vec![2, 3, 4]),
        (Edit::AddStrake { above: 3 }, (3, 6), (7, 10), vec![2, 4, 5]),
        (Edit::RemoveFrame { frame: 2 }, (3, 6), (6, 9), vec![2, 4, 5]),
        (Edit::RemoveStrake { strake: 6 }, (3, 5), (6, 9), vec![2, 4]),
    ] {
        let boat = boats::find(&store, id).await.unwrap();
        let mut shell = boat.shell.clone();
        edit.apply(&mut shell).unwrap();
        let mut work = store.begin(act()).await.unwrap();
        work.correct_grid(&boat, &edit, &shell, "corrected").await.unwrap();
        work.commit("/").await.unwrap();
        let now = fastenings::region(&store, id, region).await.unwrap();
        assert_eq!(((now.strake_from, now.strake_to), (now.frame_from, now.frame_to)), (strakes, frames), "{edit:?}");
        let done = fastenings::done(&store, region).await.unwrap();
        let notes: Vec<(u32, String)> = done.iter().map(|d| (d.frame - now.frame_from, d.note.clone())).collect();
        let wanted: Vec<(u32, String)> = (0..4).map(|i| (i, format!("F{}", 6 + i))).collect();
        assert_eq!(notes, wanted, "{edit:?}");
        let rows: Vec<u32> = seams::of_boat(&store, id).await.unwrap().iter().map(|s| s.row).collect();
        assert_eq!(rows, seams_at, "{edit:?}");
    }
    let holes = fastenings::holes(&store, id).await.unwrap();
    assert_eq!(holes.len(), 1);
    assert_eq!(holes[&Address { side: Side::Port, strake: 5, frame: 7 }], [hole], "the newest counts");
    store.check().await.unwrap();
}

#[tokio::test]
async fn a_plank_is_split_and_joined_and_its_findings_follow_the_wood() {
    let (_folder, store) = yard().await;
    let id = boat(&store).await;
    let boat = boats::find(&store, id).await.unwrap();
    let planks = boats::planks(&store, id).await.unwrap();
    let plank = boats::plank_at(&planks, AT).unwrap().clone();
    let mut work = store.begin(act()).await.unwrap();
    let found = work.add_finding(id, &crack(plank.id), None, &[]).await.unwrap();
    let low = plank.from_bay.map_or(1, |b| b + 1);
    assert!(low < 9, "the finding lies aft of the new joint: {plank:?}");
    let after = work.split_plank(&boat, &plank, low, JointKind::ScarfAft).await.unwrap();
    work.commit("/").await.unwrap();
    assert_eq!(findings::find(&store, id, found).await.unwrap().member_id, after);
    let planks = boats::planks(&store, id).await.unwrap();
    let fore = boats::plank_at(&planks, Address { frame: low, ..AT }).unwrap();
    assert_eq!((fore.id, fore.to_bay, fore.to_joint), (plank.id, Some(low), JointKind::ScarfAft));

    decide(&store, id, after, OptionKind::Graving, &[patch()]).await.unwrap();
    let mut work = store.begin(act()).await.unwrap();
    let held = work.join_planks(&boat, fore).await;
    assert!(matches!(held, Err(StoreError::Conflict(_))), "a repair is drawn from where its joints are");
    drop(work);
    let mut work = store.begin(act()).await.unwrap();
    let too_far = work.move_joint(&boat, fore, 33, JointKind::Butt).await;
    assert!(matches!(too_far, Err(StoreError::Conflict(_))));
}

/// A new length of plank, places from the plank's fore joint, with joints in some bays.
fn length_of(from: f64, to: f64, fore: Option<u32>, aft: Option<u32>, scarf: f64) -> NewPiece {
    NewPiece {
        name: "Part plank".into(),
        geometry: Geometry::Stretch {
            from,
            to,
            width: 120.0,
            new_fore: fore.is_some(),
            new_aft: aft.is_some(),
            scarf,
            fore_bay: fore,
            aft_bay: aft,
            nibbed: false,
        },
        ..patch()
    }
}

#[tokio::test]
async fn new_wood_put_into_a_plank_is_a_plank_of_its_own_and_the_old_wood_stays_beside_it() {
    let (_folder, store) = yard().await;
    let id = boat(&store).await;
    let boat = boats::find(&store, id).await.unwrap();
    let planks = boats::planks(&store, id).await.unwrap();
    let plank = boats::plank_at(&planks, AT).unwrap().clone();
    let last = plank.to_bay.unwrap_or(boat.shell.frame_count());
    let (fore, aft) = (7, 12);
    assert!(plank.from_bay.is_none_or(|b| b < fore) && last > aft, "{plank:?}");
    let mut work = store.begin(act()).await.unwrap();
    let found = work.add_finding(id, &crack(plank.id), None, &[]).await.unwrap();
    work.commit("/").await.unwrap();
    let (x0, shell) = (plank.place().span(&boat.shell).0, &boat.shell);
    let (from, to) = (shell.bay_middle(fore) - x0, shell.bay_middle(aft) - x0);
    decide(&store, id, plank.id, OptionKind::ButtPiece, &[length_of(from, to, Some(fore), Some(aft), 0.0)])
        .await
        .unwrap();
    let piece = decisions::pieces(&store, id).await.unwrap().remove(0);
    let mut work = store.begin(act()).await.unwrap();
    work.put_in(&boat, &plank, &piece).await.unwrap();
    work.commit("/").await.unwrap();

    let now = boats::planks(&store, id).await.unwrap();
    let at = |frame| boats::plank_at(&now, Address { frame, ..AT }).unwrap();
    let middle = at(9);
    assert_eq!((middle.id, middle.from_bay, middle.to_bay), (plank.id, Some(fore), Some(aft)));
    assert_eq!((middle.to_joint, middle.to_seen), (JointKind::Butt, true));
    let (before, behind) = (at(5), at(14));
    assert_eq!((before.from_bay, before.to_bay, before.to_seen), (plank.from_bay, Some(fore), true));
    assert_eq!((behind.from_bay, behind.to_bay, behind.to_joint), (Some(aft), plank.to_bay, plank.to_joint));
    assert_eq!(now.len(), planks.len() + 2);
    // What was found lies on the new wood still, and the piece where it lay on the boat.
    assert_eq!(findings::find(&store, id, found).await.unwrap().member_id, plank.id);
    let piece = decisions::pieces(&store, id).await.unwrap().remove(0);
    let Geometry::Stretch { from: shifted, to: end, .. } = piece.geometry else { panic!("{piece:?}") };
    let origin = middle.place().span(&boat.shell).0;
    assert!((origin + shifted - x0 - from).abs() < 1e-6 && (origin + end - x0 - to).abs() < 1e-6);
    // A second time its joints are its own ends: nothing is cut off it again, and nothing told.
    let told = async || history::of_boat(&store, id, None, Only::default()).await.unwrap().events.len();
    let before = told().await;
    let mut work = store.begin(act()).await.unwrap();
    work.put_in(&boat, middle, &piece).await.unwrap();
    work.commit("/").await.unwrap();
    assert_eq!(boats::planks(&store, id).await.unwrap().len(), now.len());
    assert_eq!(told().await, before);
    // Where somebody moved a joint meanwhile, it is refused.
    let shorter = boats::Plank { to_bay: Some(aft - 2), ..middle.clone() };
    let mut work = store.begin(act()).await.unwrap();
    assert!(matches!(work.put_in(&boat, &shorter, &piece).await, Err(StoreError::Conflict(_))));
    drop(work);
    store.check().await.unwrap();
}

#[tokio::test]
async fn new_wood_from_an_end_of_a_plank_has_one_joint_and_a_whole_plank_none() {
    let (_folder, store) = yard().await;
    let id = boat(&store).await;
    let boat = boats::find(&store, id).await.unwrap();
    let count = boats::planks(&store, id).await.unwrap().len();
    let plank = async || boats::plank_at(&boats::planks(&store, id).await.unwrap(), AT).unwrap().clone();
    let put = async |new: NewPiece| {
        let plank = plank().await;
        decide(&store, id, plank.id, OptionKind::ScarfPiece, &[new]).await.unwrap();
        let piece = decisions::pieces(&store, id).await.unwrap().pop().unwrap();
        let mut work = store.begin(act()).await.unwrap();
        work.put_in(&boat, &plank, &piece).await.unwrap();
        work.commit("/").await.unwrap();
    };
    put(length_of(0.0, 9_000.0, None, None, 0.0)).await;
    assert_eq!(boats::planks(&store, id).await.unwrap().len(), count, "whole");
    let was = plank().await;
    put(length_of(0.0, 3_000.0, None, Some(12), 200.0)).await;
    let now = plank().await;
    assert_eq!((now.id, now.from_bay, now.to_bay, now.to_joint), (was.id, was.from_bay, Some(12), JointKind::ScarfAft));
    assert_eq!(boats::planks(&store, id).await.unwrap().len(), count + 1);
}

#[tokio::test]
async fn what_is_carried_in_a_file_keeps_who_found_it_and_is_known_again() {
    let (_folder, store) = yard().await;
    let id = boat(&store).await;
    let plank = boats::planks(&store, id).await.unwrap()[0].id;
    let carried = Carried { uid: "ab12".into(), by: "Old Hand".into(), at: "2019-05-02T09:00:00Z".into() };
    let mut work = store.begin(act()).await.unwrap();
    let found = work.carry_finding(id, &crack(plank), Outcome::Mended, Some("padded"), &carried).await.unwrap();
    work.carry_reading(id, &spiked("P5 F9", plank, 4.0), Some(found), &Carried::default()).await.unwrap();
    work.commit("/").await.unwrap();
    let kept = findings::find(&store, id, found).await.unwrap();
    assert_eq!((kept.by_name.as_str(), kept.at.as_str()), ("Old Hand", "2019-05-02T09:00:00Z"));
    assert_eq!((kept.outcome, kept.cause_treated.as_deref(), kept.is_open()), (Outcome::Mended, Some("padded"), false));
    assert_eq!(kept.says, "soft");
    let (findings, readings) = findings::uids(&store, id).await.unwrap();
    assert!(findings.contains("ab12") && readings.len() == 1);
    let mut work = store.begin(act()).await.unwrap();
    let twice = work.carry_finding(id, &crack(plank), Outcome::Open, None, &carried).await;
    assert!(twice.is_err(), "one finding cannot be there twice");
}

/// A database of the first release, with a boat, a plank and two findings in it.
async fn first_release(path: &std::path::Path) {
    let raw = sqlx_sqlite::SqlitePool::connect(&format!("sqlite:{}?mode=rwc", path.display())).await.unwrap();
    let all = sqlx::migrate!("./migrations");
    let first = sqlx::migrate::Migrator {
        migrations: all.migrations.iter().take(1).cloned().collect::<Vec<_>>().into(),
        ..sqlx::migrate!("./migrations")
    };
    first.run(&raw).await.unwrap();
    for sql in [
        r#"INSERT INTO boat (id, name, construction, boat_use, school, length, beam, depth, plank_thickness, plank_species, frame_species,
             frame_sided, frame_moulded, waterline_strake, shell, created_at)
           VALUES (1, 'Sable Plover', 'carvel_caulked', 'coastal', 'conserve', 3000, 1200, 600, 20, 'western_larch', 'white_oak', 30, 40, 2,
             '{"frames":[0,1000,2000,3000],"edges":[[0,0,0,0],[100,120,120,100],[200,240,240,200],[300,360,360,300]]}', '2026-11-23T08:00:00Z')"#,
        "INSERT INTO plank (id, boat_id, side, strake, thickness, species) VALUES (7, 1, 'port', 2, 20, 'western_larch')",
        r#"INSERT INTO finding (id, boat_id, plank_id, side, strake, frame, kind, method, reading, shape, depth, grade, certainty, cause, note, by_name, at)
           VALUES (3, 1, 7, 'port', 2, 2, 'rot', 'spike', '{"spike":5.0,"says":"soft"}', '[[10.0,20.0]]', 6, 'mend', 'confirmed', 'unknown', 'kept',
             'Ada Brook', '2026-11-23T09:00:00Z')"#,
        r#"INSERT INTO finding (id, boat_id, plank_id, side, strake, frame, kind, method, reading, shape, depth, grade, certainty, cause, note, by_name, at)
           VALUES (4, 1, 7, 'port', 2, 3, 'crack', 'look', '{}', '[[10.0,20.0]]', 6, 'watch', 'suspected', 'unknown', '', 'Ada Brook', '2026-11-23T09:00:00Z')"#,
    ] {
        sqlx::query(sql).execute(&raw).await.unwrap();
    }
    raw.close().await;
}

#[tokio::test]
async fn a_database_of_the_first_release_opens_with_all_it_held() {
    let folder = TempDir::new().unwrap();
    let path = folder.path().join("yard.db");
    first_release(&path).await;
    let store = Store::open(&path).await.unwrap();
    let found = findings::of_boat(&store, 1).await.unwrap();
    let told: Vec<(String, i64, &str)> =
        found.iter().map(|f| (f.place.to_string(), f.member_id, f.note.as_str())).collect();
    assert_eq!(told, [("P2 F2".to_owned(), 7, "kept"), ("P2 F3".to_owned(), 7, "")]);
    assert_eq!(found[0].says, "soft");
    let readings = findings::readings(&store, 1).await.unwrap();
    assert_eq!(readings.len(), 1, "a look without a sign is no reading");
    assert_eq!(readings[0].measure, Measure::Spike { depth: 5.0 });
    assert_ne!(found[0].uid, found[1].uid);
    // Members she was not laid out with are added when they are asked for, once.
    let boat = boats::find(&store, 1).await.unwrap();
    assert!(members::of_boat(&store, 1).await.unwrap().is_empty());
    for expected in [true, false] {
        let mut work = store.begin(act()).await.unwrap();
        let added = work.lay_out_members(&boat, DeckKind::Panels).await.unwrap();
        work.commit("/").await.unwrap();
        assert_eq!(added > 0, expected);
    }
    assert!(store.check().await.unwrap());
}

/// Face of everything in the rack, and of what was cut from it, mm².
async fn faces(store: &Store) -> (f64, f64) {
    let all = boards::list(store).await.unwrap();
    let whole = all.iter().filter(|b| b.state != BoardState::Cut).map(|b| b.length * b.width).sum();
    let (pieces, _, waste) = boards::yield_so_far(store).await.unwrap();
    (whole, pieces + waste)
}

/// Cutting, cutting offcuts, and taking cuts back, in any order: stock before = pieces + waste + stock after.
#[tokio::test]
async fn over_any_history_of_cuts_nothing_vanishes_and_nothing_is_made() {
    for seed in 0..6u64 {
        let mut random = mend_keel_core::chance::Chance::seeded(seed);
        let (_folder, store) = yard().await;
        let boat = boat(&store).await;
        let planks = boats::planks(&store, boat).await.unwrap();
        let mut work = store.begin(act()).await.unwrap();
        work.add_board(&larch("L-1")).await.unwrap();
        work.add_board(&larch("L-2")).await.unwrap();
        work.commit("/").await.unwrap();
        for plank in planks.iter().take(6) {
            decide(&store, boat, plank.id, OptionKind::Graving, &[patch()]).await.unwrap();
        }
        let (before, _) = faces(&store).await;
        let mut undone = 0;
        for _ in 0..24 {
            let all = boards::list(&store).await.unwrap();
            let free: Vec<_> = all.iter().filter(|b| b.state == BoardState::Free).collect();
            let pick = |random: &mut mend_keel_core::chance::Chance, n: usize| random.below(n as u32) as usize;
            let planned: Vec<_> = decisions::wanting(&store).await.unwrap();
            let mut work = store.begin(act()).await.unwrap();
            let cut_back: Vec<_> = all.iter().filter(|b| b.state == BoardState::Cut).collect();
            if random.unit() < 0.3 && !cut_back.is_empty() {
                let board = cut_back[pick(&mut random, cut_back.len())];
                let cut = boards::cut_of(&store, board.id).await.unwrap().unwrap();
                match work.undo_cut(board, &cut, "measured from the wrong end").await {
                    Ok(()) => {
                        work.commit("/").await.unwrap();
                        undone += 1;
                    }
                    Err(StoreError::Conflict(_)) => {}
                    Err(e) => panic!("{e}"),
                }
            } else if !free.is_empty() && !planned.is_empty() {
                let board = free[pick(&mut random, free.len())];
                let face = Rectangle { length: 212.0, width: 52.0 };
                let Ok(cut) = board::lay(board.face(), board.thickness, face, &[]) else { continue };
                work.reserve(board, &planned[0]).await.unwrap();
                work.take_from_rack(board, &planned[0], &cut).await.unwrap();
                work.commit("/").await.unwrap();
            }
            let (whole, gone) = faces(&store).await;
            assert!((before - whole - gone).abs() < 1e-3, "seed {seed}: {before} against {whole} and {gone}");
        }
        assert!(seed != 0 || undone > 0, "no cut was taken back");
        assert!(store.check().await.unwrap());
    }
}

#[tokio::test]
async fn a_board_that_was_cut_by_a_plan_keeps_the_piece_that_was_not_reached() {
    let (_folder, store) = yard().await;
    let boat = boat(&store).await;
    let planks = boats::planks(&store, boat).await.unwrap();
    let mut work = store.begin(act()).await.unwrap();
    let id = work.add_board(&larch("L-1")).await.unwrap();
    work.commit("/").await.unwrap();
    for plank in planks.iter().take(2) {
        decide(&store, boat, plank.id, OptionKind::Graving, &[patch()]).await.unwrap();
    }
    let (stock, pieces) = (boards::find(&store, id).await.unwrap(), decisions::wanting(&store).await.unwrap());
    let made = boards::CutPiece { piece: pieces[0].id, name: pieces[0].name.clone(), length: 211.0, width: 51.5 };
    let face = Rectangle { length: 212.0, width: 52.0 };
    let left = [
        boards::Offcut { x: 300.0, y: 0.0, face, piece: Some(pieces[1].id) },
        boards::Offcut { x: 600.0, y: 0.0, face: Rectangle { length: 1_700.0, width: 180.0 }, piece: None },
    ];
    let mut work = store.begin(act()).await.unwrap();
    work.cut_board(&stock, &[(&pieces[0], made)], &left).await.unwrap();
    work.commit("/").await.unwrap();
    let offcuts = boards::offcuts(&store, id).await.unwrap();
    assert_eq!(offcuts.iter().map(|o| o.state.code()).collect::<Vec<_>>(), ["reserved", "free"]);
    let second = decisions::piece(&store, boat, pieces[1].id).await.unwrap();
    assert_eq!((second.state, second.board_id), (PieceState::Reserved, Some(offcuts[0].id)));
    // Its offcut is in use: the cut stays.
    let cut = boards::cut_of(&store, id).await.unwrap().unwrap();
    let mut work = store.begin(act()).await.unwrap();
    assert!(matches!(work.undo_cut(&stock, &cut, "no").await, Err(StoreError::Conflict(_))));
}

#[tokio::test]
async fn the_last_of_a_thing_is_used_once_and_a_count_corrects_without_overwriting() {
    use mend_keel_store::stores::{self, FasteningSpec, ItemKind, MoveKind, NewItem};
    let (_folder, store) = yard().await;
    let mut work = store.begin(act()).await.unwrap();
    let new = NewItem {
        kind: ItemKind::Glue,
        name: "Epoxy".into(),
        unit: "kg".into(),
        place: String::new(),
        reorder_at: 1.0,
        lead_days: None,
        fastening: FasteningSpec::default(),
    };
    let id = work.add_item(&new).await.unwrap();
    assert!(matches!(work.add_item(&NewItem { name: "EPOXY".into(), ..new }).await, Err(StoreError::Conflict(_))));
    work.commit("/").await.unwrap();
    let item = stores::item(&store, id).await.unwrap();
    let mut work = store.begin(act()).await.unwrap();
    let lot = work.receive(&item, "E-1", 2.0, Some("2027-01-31"), None).await.unwrap();
    work.move_store(&item, None, None, MoveKind::Reserved, 1.5, "").await.unwrap();
    assert!(matches!(
        work.move_store(&item, None, None, MoveKind::Reserved, 1.0, "").await,
        Err(StoreError::Conflict(_))
    ));
    work.move_store(&item, Some(lot), None, MoveKind::Used, 1.5, "scarf").await.unwrap();
    assert!(matches!(work.move_store(&item, None, None, MoveKind::Used, 0.6, "").await, Err(StoreError::Conflict(_))));
    work.count_store(&item, None, 0.4, "spilt").await.unwrap();
    work.commit("/").await.unwrap();
    let item = stores::item(&store, id).await.unwrap();
    assert!((item.there - 0.4).abs() < 1e-9 && (item.used - 1.5).abs() < 1e-9);
    assert_eq!(stores::moves(&store, id).await.unwrap().len(), 4);
    assert_eq!(stores::lots(&store, Some(id)).await.unwrap()[0].batch, "E-1");
}

/// Notes so many entries about a part.
async fn note_many(store: &Store, boat: i64, plank: i64, count: usize) {
    let mut work = store.begin(act()).await.unwrap();
    for n in 0..count {
        work.note(Some(boat), Some(plank), "note", &format!("Note {n}"), &json!({ "n": n })).await.unwrap();
    }
    work.commit("/").await.unwrap();
}

#[tokio::test]
async fn a_long_story_comes_in_pages_that_miss_nothing_and_tell_nothing_twice() {
    let (_folder, store) = yard().await;
    let (boat, other) = (boat(&store).await, boat(&store).await);
    let plank = boats::planks(&store, boat).await.unwrap()[0].id;
    for count in [150, 250, 57] {
        note_many(&store, boat, plank, count).await;
        note_many(&store, other, boats::planks(&store, other).await.unwrap()[0].id, 3).await;
    }

    let mut line = Vec::new();
    let mut from = None;
    let mut begins = Vec::new();
    loop {
        let page = history::of_plank(&store, plank, from, Only::default()).await.unwrap();
        assert_eq!(page.back, begins.last().copied(), "the page before begins where it was opened");
        begins.push(page.events[0].id);
        line.extend(page.events.into_iter().map(|e| e.id));
        from = page.further;
        if from.is_none() {
            break;
        }
    }
    assert_eq!(begins.len(), 3, "457 entries");
    assert_eq!(line.len(), 457);
    assert!(line.is_sorted_by(|a, b| a < b));

    let mut story = Vec::new();
    let mut upto = None;
    loop {
        let page = history::of_boat(&store, boat, upto, history::Only::default()).await.unwrap();
        assert!(page.events.iter().all(|e| e.boat_id == Some(boat)));
        story.extend(page.events.into_iter().map(|e| e.id));
        upto = page.further;
        if upto.is_none() {
            break;
        }
    }
    assert!(story.is_sorted_by(|a, b| a > b));
    story.retain(|id| line.contains(id));
    story.reverse();
    assert_eq!(story, line, "both ways through it lie the same entries");

    let nothing = history::of_boat(&store, boat, Some(0), history::Only::default()).await.unwrap();
    assert!(nothing.events.is_empty() && nothing.further.is_none() && nothing.back.is_some());
    let nothing = history::of_plank(&store, plank, Some(i64::MAX), Only::default()).await.unwrap();
    assert!(nothing.events.is_empty() && nothing.back.is_some());
}

#[tokio::test]
async fn the_chain_is_proven_on_from_where_it_was_proven_and_whole_on_demand() {
    let (folder, store) = yard().await;
    let boat = boat(&store).await;
    let plank = boats::planks(&store, boat).await.unwrap()[0].id;
    note_many(&store, boat, plank, 40).await;
    let first = history::proof(&store).await.unwrap();
    assert!(first.is_whole(), "{first:?}");
    note_many(&store, boat, plank, 5).await;
    let then = history::proof(&store).await.unwrap();
    assert_eq!((then.upto, then.is_whole()), (first.upto + 5, true));

    // Somebody changes an entry from outside while the program runs.
    let path = folder.path().join("yard.db");
    let raw = sqlx_sqlite::SqlitePool::connect(&format!("sqlite:{}", path.display())).await.unwrap();
    for trigger in ["event_is_never_changed", "event_is_never_removed"] {
        sqlx::query(sqlx::AssertSqlSafe(format!("DROP TRIGGER {trigger}"))).execute(&raw).await.unwrap();
    }
    let change = "UPDATE event SET summary = 'Note 7, changed' WHERE id = ?";
    sqlx::query(change).bind(then.upto - 10).execute(&raw).await.unwrap();
    assert_eq!(history::whole_proof(&store).await.unwrap().broken, Some(then.upto - 10));
    // Once it was found every page tells it.
    assert_eq!(history::proof(&store).await.unwrap().broken, Some(then.upto - 10));
}

#[tokio::test]
async fn entries_cut_off_after_they_were_proven_are_missed() {
    let (folder, store) = yard().await;
    let boat = boat(&store).await;
    let plank = boats::planks(&store, boat).await.unwrap()[0].id;
    note_many(&store, boat, plank, 12).await;
    let newest = history::proof(&store).await.unwrap().upto;
    let path = folder.path().join("yard.db");
    let raw = sqlx_sqlite::SqlitePool::connect(&format!("sqlite:{}", path.display())).await.unwrap();
    sqlx::query("DROP TRIGGER event_is_never_removed").execute(&raw).await.unwrap();
    sqlx::query("DELETE FROM event WHERE id > ?").bind(newest - 3).execute(&raw).await.unwrap();
    // What is left is a chain that holds; what was proven before is gone.
    for _ in 0..2 {
        let proof = history::proof(&store).await.unwrap();
        assert_eq!((proof.broken, proof.newest), (Some(newest), newest - 3));
    }
}

/// One thing that may happen to a boat.
async fn happens(store: &Store, boat: i64, chance: &mut Chance, n: u32) -> Result<(), StoreError> {
    let planks = boats::planks(store, boat).await?;
    let plank = planks[chance.below(planks.len() as u32) as usize].id;
    let found = findings::of_boat(store, boat).await?;
    let any =
        |chance: &mut Chance| (!found.is_empty()).then(|| found[chance.below(found.len() as u32) as usize].clone());
    let kind = FindingKind::ALL[chance.below(FindingKind::ALL.len() as u32) as usize];
    match chance.below(12) {
        0 => {
            decide(store, boat, plank, OptionKind::Graving, &[patch()]).await?;
        }
        1 => {
            let pieces = decisions::pieces(store, boat).await?;
            if let Some(piece) = pieces.into_iter().find(|p| p.state == PieceState::Planned) {
                let mut work = store.begin(act()).await?;
                work.add_board(&larch(&format!("L-{boat}-{n}"))).await?;
                work.commit("/").await?;
                let stock = boards::by_tag(store, &format!("L-{boat}-{n}")).await?;
                let mut work = store.begin(act()).await?;
                work.reserve(&stock, &piece).await?;
                if chance.unit() < 0.5 {
                    let blank = Rectangle { length: piece.length, width: piece.width };
                    let cut = board::lay(stock.face(), stock.thickness, blank, &[]).unwrap();
                    work.take_from_rack(&stock, &piece, &cut).await?;
                }
                work.commit("/").await?;
            }
        }
        what => {
            let mut work =
                store.begin(Act::now(if chance.unit() < 0.5 { "Ada Brook" } else { "Ωmar “O” Ray" }, None)).await?;
            match what {
                2 | 3 => {
                    let depth = (chance.unit() * 1e6).round() / 1e6 * 20.0;
                    let note = ["", "quoted \"so\"", "line\nbreak", "日本 ✓ \\ \u{1F6F6}"][chance.below(4) as usize]
                        .to_owned();
                    let shape = vec![[chance.unit() * 90.0, 1.0 / 3.0], [0.1 + 0.2, chance.unit()]];
                    work.add_finding(boat, &NewFinding { kind, depth, note, shape, ..crack(plank) }, None, &[]).await?;
                }
                4 => {
                    work.add_reading(boat, &spiked("P5 F9", plank, chance.unit() * 9.0), any(chance).map(|f| f.id))
                        .await?;
                }
                5 => {
                    if let Some(f) = any(chance) {
                        work.withdraw_finding(&f, "there", true).await?;
                    }
                }
                6 => {
                    if let Some(f) = any(chance) {
                        let outcome = if chance.unit() < 0.5 { Outcome::Mended } else { Outcome::Gone };
                        work.set_outcome(&f, "there", outcome).await?;
                    }
                }
                7 => work.look_over(boat, plank, (1, 1 + chance.below(4)), Method::Sound, "there").await?,
                8 => work.treat_cause(boat, Cause::Age, (chance.unit() < 0.7).then_some("as it is")).await?,
                9 => {
                    let told = work
                        .note(Some(boat), Some(plank), "told", "A coin", &json!({ "told": "find", "words": "x" }))
                        .await?;
                    work.correct(boat, None, "A token", &json!({ "told": "note", "words": "y", "finding": 1 }), told)
                        .await?;
                }
                10 => work.add_owner_note(boat, (chance.unit() < 0.5).then_some(plank), true, "keep the chock").await?,
                _ => {
                    let paper = format!("paper {n}").into_bytes();
                    work.give_out(boat, Edition::Family, &format!("{n:064x}"), &paper).await?;
                }
            }
            work.commit("/").await?;
        }
    }
    Ok(())
}

#[tokio::test]
async fn a_boat_of_any_history_goes_out_and_comes_back_the_same() {
    for seed in 0..10 {
        let mut chance = Chance::seeded(seed);
        let (_folder, store) = yard().await;
        // Others are in the yard before and beside her, so that her numbers are none of the yard's.
        let (other, hers) = (boat(&store).await, boat(&store).await);
        for n in 0..50 {
            let whom = if chance.unit() < 0.3 { other } else { hers };
            match happens(&store, whom, &mut chance, n).await {
                // What is cut is not decided on again.
                Ok(()) | Err(StoreError::Conflict(_)) => {}
                Err(e) => panic!("seed {seed}: {e}"),
            }
        }
        let out = dossier::export(&store, hers).await.unwrap();
        let (_there, yard) = yard().await;
        boat(&yard).await;
        let mut work = yard.begin(act()).await.unwrap();
        for (hash, bytes) in &out.papers {
            work.keep_paper(hash, bytes).await.unwrap();
        }
        // It went through a file.
        let read: serde_json::Value = serde_json::from_str(&out.document.to_string()).unwrap();
        let names = Names { boat: String::new(), tags: String::new() };
        let there = work.carry_boat(&read, &names).await.unwrap();
        work.commit("/").await.unwrap();
        let back = dossier::export(&yard, there).await.unwrap();
        assert_eq!(back.document.to_string(), out.document.to_string(), "seed {seed}");
        assert_eq!((back.papers, back.photos), (out.papers, out.photos), "seed {seed}");
        assert!(yard.check().await.unwrap(), "every entry has its place in the chain");
        let (was, is) =
            (findings::of_boat(&store, hers).await.unwrap(), findings::of_boat(&yard, there).await.unwrap());
        assert_eq!(was.len(), is.len());
        let told =
            |f: &findings::Finding| (f.uid.clone(), f.depth.to_bits(), f.shape.clone(), f.note.clone(), f.at.clone());
        assert_eq!(was.iter().map(told).collect::<Vec<_>>(), is.iter().map(told).collect::<Vec<_>>(), "seed {seed}");
    }
}

#[tokio::test]
async fn a_species_of_a_yards_own_goes_with_the_boat_that_is_of_it() {
    let (_folder, store) = yard().await;
    let own = Own {
        name: "Valley larch".into(),
        like: "western_larch".into(),
        decay: Some(2),
        source: "the mill's own tests".into(),
        ..Own::default()
    };
    let mut work = store.begin(act()).await.unwrap();
    let code = work.add_species(&own).await.unwrap();
    // Of no boat: it stays at home.
    work.add_species(&Own { name: "Nobody's ash".into(), like: "white_oak".into(), ..own.clone() }).await.unwrap();
    work.commit("/").await.unwrap();
    let hers = boat_of(&store, &code).await;
    let out = dossier::export(&store, hers).await.unwrap();
    assert_eq!(out.document["species"].as_array().map(Vec::len), Some(1));
    assert_eq!(out.document["species"][0]["code"], code.as_str());

    let (_there, other) = yard().await;
    let carry = async |document: &serde_json::Value, name: &str| {
        let mut work = other.begin(act()).await?;
        let names = Names { boat: name.into(), tags: String::new() };
        let id = work.carry_boat(document, &names).await?;
        work.commit("/").await?;
        Ok::<i64, StoreError>(id)
    };
    let first = carry(&out.document, "").await.unwrap();
    assert_eq!(species::find(&other, &code).await.unwrap().body, own);
    assert_eq!(dossier::export(&other, first).await.unwrap().document.to_string(), out.document.to_string());

    // The other yard corrects it, and takes her again under another name: its own figures stay.
    let row = species::find(&other, &code).await.unwrap();
    let better = Own { decay: Some(3), ..own.clone() };
    let mut work = other.begin(act()).await.unwrap();
    work.change_species(&row, row.version, &better).await.unwrap();
    work.commit("/").await.unwrap();
    carry(&out.document, "Her sister").await.unwrap();
    assert_eq!(species::find(&other, &code).await.unwrap().body, better);
    assert_eq!(species::all(&other).await.unwrap().len(), 1);

    // A tree that cannot be is refused where it stands, and nothing of the boat is kept.
    let mut hostile = out.document.clone();
    hostile["species"][0]["body"]["decay"] = 9.into();
    let told = carry(&hostile, "A third").await.unwrap_err().to_string();
    assert!(told.contains("species[0]") && told.contains("decay"), "{told}");
    hostile["species"][0]["body"] = "oak".into();
    assert!(carry(&hostile, "A third").await.is_err());
    assert_eq!(boats::list(&other).await.unwrap().len(), 2);
}

#[tokio::test]
async fn a_long_story_is_paged_in_the_order_things_happened() {
    let (_folder, store) = yard().await;
    let hers = boat(&store).await;
    let mut chance = Chance::seeded(7);
    let mut work = store.begin(act()).await.unwrap();
    for n in 0..650 {
        // Every third has a day of its own, some the same; the rest stand where they were entered.
        let body = match n % 3 {
            0 => json!({ "on": format!("19{:02}-0{}", 30 + chance.below(40), 1 + chance.below(9)) }),
            1 => json!({ "done_at": format!("2026-0{}-01T08:00:00Z", 1 + chance.below(9)) }),
            _ => json!({}),
        };
        work.note(Some(hers), None, "told", &format!("entry {n}"), &body).await.unwrap();
    }
    work.commit("/").await.unwrap();
    let key = |e: &history::Event| {
        let body: serde_json::Value = serde_json::from_str(&e.body).unwrap();
        let told = body["on"].as_str().or(body["done_at"].as_str()).unwrap_or(&e.at).to_owned();
        (told, e.id)
    };
    let (mut all, mut upto, mut backs) = (Vec::new(), None, Vec::new());
    loop {
        let page = history::of_boat(&store, hers, upto, Only::default()).await.unwrap();
        assert!(page.events.len() as i64 <= history::STRETCH);
        backs.push((page.events[0].id, page.back));
        all.extend(page.events);
        upto = page.further;
        if upto.is_none() {
            break;
        }
    }
    // A second way: everything sorted at once.
    let mut sorted: Vec<_> = all.iter().map(key).collect();
    assert!(all.len() >= 650 && sorted.windows(2).all(|w| w[0] > w[1]), "newest first, each once");
    sorted.dedup();
    assert_eq!(sorted.len(), all.len());
    // Each page leads back to where the one before it began.
    assert_eq!(backs[0].1, None);
    for pair in backs.windows(2) {
        assert_eq!(pair[1].1, Some(pair[0].0));
    }
    assert!(store.check().await.unwrap(), "the chain stands as it was entered");
}

#[tokio::test]
async fn the_store_is_another_one_after_anything_was_committed_and_the_same_until_then() {
    let (folder, store) = yard().await;
    let begun = accounts::now(&store).await.unwrap();
    assert_eq!((begun.yard.name.as_str(), begun.yard.unit.as_str(), begun.yard.stand_ins), ("The yard", "mm", false));
    boats::list(&store).await.unwrap();
    assert_eq!(accounts::now(&store).await.unwrap().version, begun.version, "reading changes nothing");
    let work = store.begin(act()).await.unwrap();
    drop(work);
    assert_eq!(accounts::now(&store).await.unwrap().version, begun.version, "nor what was taken back");
    boat(&store).await;
    let then = accounts::now(&store).await.unwrap().version;
    assert_ne!(then, begun.version);
    // By another program too.
    let other = Store::open(&folder.path().join("yard.db")).await.unwrap();
    let mut work = other.begin(act()).await.unwrap();
    work.set_yard(&accounts::Yard {
        unit: "in".into(),
        guests_see_costs: true,
        ..accounts::Yard::named("Mudlark Yard")
    })
    .await
    .unwrap();
    work.commit("/").await.unwrap();
    let now = accounts::now(&store).await.unwrap();
    assert_ne!(now.version, then);
    assert_eq!(
        (now.yard.name.as_str(), now.yard.unit.as_str(), now.yard.guests_see_costs),
        ("Mudlark Yard", "in", true)
    );
    assert_eq!(accounts::yard(&other).await.unwrap().name, "Mudlark Yard");
}
