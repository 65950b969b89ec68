//! The demo yard: Saltmeadow Slip on the tidal river Anvel, its people, three boats, and a rack. All invented.
//!
//! Boats come from the core's hull generator with fixed seeds and are then damaged by each boat's story; dates
//! are set back from the day the demo is first started.

use jiff::tz::TimeZone;
use jiff::{SignedDuration, Span, Timestamp, ZonedDateTime};
use mend_keel_core::finish::{self, Recipe};
use mend_keel_core::geometry::Point;
use mend_keel_core::grid::{Address, Construction, Joint, Side};
use mend_keel_core::hull::{self, Principal};
use mend_keel_core::practice::{School, Use};
use mend_keel_core::repair::decide::{self as core_decide, OptionKind};
use mend_keel_core::survey::{self, Cause, Certainty, FindingKind, Grade, Method};
use mend_keel_core::timber::board::{Board as Stock, Drying, Grain, Origin};
use mend_keel_store::accounts::{self, NewAccount, Role, Yard};
use mend_keel_store::boards::NewBoard;
use mend_keel_store::boats::{self, NewBoat};
use mend_keel_store::findings::{NewFinding, Reading};
use mend_keel_store::plans::{self, NewPlan};
use mend_keel_store::{Act, Result, Store, StoreError, tasks};
use serde_json::json;

use crate::pages::finish::coats_from;
use crate::pages::{BoatFile, decide};

/// Nobody signs in with these: the demo's owner is signed in by itself, and this matches no password.
const NO_PASSWORD: &str = "!";

/// Fills an empty store with the demo yard; leaves any other store alone.
pub async fn fill(store: &Store) -> Result<()> {
    if !accounts::list(store).await?.is_empty() {
        return Ok(());
    }
    let start = first_morning().unwrap_or_else(Timestamp::now);
    let mut work = store.begin(Act { by: "Ines Varga".into(), at: start, once: None }).await?;
    work.set_yard(&Yard { name: "Saltmeadow Slip".into(), unit: "mm".into(), inch_denominator: 16 }).await?;
    for (login, name, role) in [
        ("ines", "Ines Varga", Role::Owner),
        ("tobias", "Tobias Renn", Role::Shipwright),
        ("maud", "Maud Okafor", Role::Shipwright),
    ] {
        let account = NewAccount {
            login: login.into(),
            name: name.into(),
            role,
            guest_boat: None,
            password_hash: NO_PASSWORD.into(),
        };
        work.add_account(&account).await?;
    }
    let wren = work.add_boat(&brindle_wren()?).await?;
    let pennywort = work.add_boat(&pennywort()?).await?;
    let teasel = work.add_boat(&lady_teasel()?).await?;
    for board in rack() {
        work.add_board(&board).await?;
    }
    work.commit("/").await?;
    for (boat, story) in [(wren, wren_story()), (pennywort, pennywort_story()), (teasel, teasel_story())] {
        tell(store, boat, &story, start).await?;
    }
    begin_work(store, wren, start).await?;
    begin_varnish(store, teasel).await
}

/// Seven in the morning, three weeks ago, where the demo runs.
fn first_morning() -> Option<Timestamp> {
    let today = ZonedDateTime::now().date();
    let seven = today.checked_sub(Span::new().weeks(3)).ok()?.at(7, 0, 0, 0);
    Some(seven.to_zoned_datetime(TimeZone::system()).ok()?.timestamp())
}

/// One plank of Brindle Wren is decided on and its first tasks are done, so that there is work to look at.
async fn begin_work(store: &Store, boat: i64, start: Timestamp) -> Result<()> {
    let told = |e: String| StoreError::Conflict(e);
    let file = BoatFile::load(store, boat).await.map_err(|e| told(format!("{e:?}")))?;
    let place = Address { side: Side::Port, strake: 6, frame: 13 };
    let plank = file.plank_at(place).map_err(|e| told(e.to_string()))?;
    let options = decide::case(&file, plank)
        .and_then(|case| core_decide::options(&case, |op| op.rate().0))
        .map_err(|e| told(e.to_string()))?;
    let Some(option) = options.iter().find(|o| o.kind == OptionKind::Graving) else {
        return Ok(());
    };
    let reason = "One short crack in sound larch; the plank has been there since she was built.";
    let (decision, pieces) = decide::settled(&file, plank, option, reason.into());
    let at = |day: i64, hour: i64| start + SignedDuration::from_hours(24 * day + hour);
    let mut work = store.begin(Act { by: "Ines Varga".into(), at: at(13, 1), once: None }).await?;
    let decided = work.decide(&decision, &pieces).await?;
    work.add_tasks(boat, plank.id, decided, &option.tasks).await?;
    work.commit("/").await?;
    let maud = accounts::find_login(store, "maud").await?.ok_or(StoreError::NotFound("account"))?;
    for (n, (task, minutes)) in tasks::of_boat(store, boat).await?.into_iter().zip([35.0, 50.0]).enumerate() {
        let mut work = store.begin(Act { by: maud.name.clone(), at: at(14 + n as i64, 4), once: None }).await?;
        work.book(&task, maud.id, minutes).await?;
        work.finish_task(&task, true).await?;
        work.commit("/").await?;
    }
    Ok(())
}

/// The varnish of Lady Teasel's sunny side was begun yesterday.
async fn begin_varnish(store: &Store, boat: i64) -> Result<()> {
    let (recipe, area, temperature, humidity) = (Recipe::BrightBare, 14.0, 18.0, 60.0);
    let plan = finish::plan(recipe, area, temperature, humidity).map_err(|e| StoreError::Conflict(e.to_string()))?;
    let begun = Timestamp::now() - SignedDuration::from_hours(22);
    let act = |at| Act { by: MAUD.into(), at, once: None };
    let mut work = store.begin(act(begun)).await?;
    let new = NewPlan {
        boat_id: boat,
        plank_id: None,
        piece_id: None,
        kind: "finish",
        summary: "Finish planned: bright from bare wood on the starboard topsides, 14 m²".into(),
        asked: json!({ "what": "Topsides, starboard", "recipe": recipe, "area": area, "temperature": temperature,
            "humidity": humidity, "start": begun.to_string() }),
        answer: json!({ "litres": plan.litres, "coats": plan.coats.len(), "reasons": plan.reasons }),
    };
    let id = work.add_plan(&new).await?;
    work.add_coats(boat, id, &coats_from(&plan, begun)).await?;
    work.commit("/").await?;
    if let Some(first) = plans::coats(store, boat).await?.first() {
        let mut work = store.begin(act(begun)).await?;
        work.lay_coat(first).await?;
        work.commit("/").await?;
    }
    Ok(())
}

fn generated(principal: &Principal, seed: u64) -> Result<hull::Generated> {
    hull::generate(principal, seed).map_err(|errors| {
        let all: Vec<String> = errors.iter().map(ToString::to_string).collect();
        StoreError::Conflict(all.join("; "))
    })
}

/// The main case: butts were crowded into neighbouring bays by a hurried job long ago.
fn brindle_wren() -> Result<NewBoat> {
    let principal = Principal {
        construction: Construction::CarvelCaulked,
        length: 8_600.0,
        beam: 2_900.0,
        depth: 1_650.0,
        frames: 34,
        strakes: 13,
        plank_thickness: 25.0,
    };
    let hull::Generated { shell, mut joints } = generated(&principal, 1929)?;
    let hurried = [(6, 20), (7, 21), (8, 20), (9, 22)];
    joints.retain(|j| j.side != Side::Port || !hurried.iter().any(|(strake, _)| *strake == j.strake));
    joints.extend(hurried.map(|(strake, bay)| Joint { side: Side::Port, strake, bay }));
    joints.sort();
    Ok(NewBoat {
        name: "Brindle Wren".into(),
        construction: principal.construction,
        boat_use: Use::Coastal,
        school: School::Conserve,
        year: Some(1929),
        length: principal.length,
        beam: principal.beam,
        depth: principal.depth,
        plank_thickness: principal.plank_thickness,
        plank_species: "western_larch".into(),
        frame_species: "white_oak".into(),
        frame_sided: 45.0,
        frame_moulded: 55.0,
        waterline_strake: 8,
        shell,
        joints,
    })
}

fn pennywort() -> Result<NewBoat> {
    let principal = Principal {
        construction: Construction::Lapstrake,
        length: 4_200.0,
        beam: 1_350.0,
        depth: 480.0,
        frames: 18,
        strakes: 9,
        plank_thickness: 9.0,
    };
    let hull::Generated { shell, joints } = generated(&principal, 1952)?;
    Ok(NewBoat {
        name: "Pennywort".into(),
        construction: principal.construction,
        boat_use: Use::Sheltered,
        school: School::Conserve,
        year: Some(1952),
        length: principal.length,
        beam: principal.beam,
        depth: principal.depth,
        plank_thickness: principal.plank_thickness,
        plank_species: "western_larch".into(),
        frame_species: "white_ash".into(),
        frame_sided: 18.0,
        frame_moulded: 12.0,
        waterline_strake: 4,
        shell,
        joints,
    })
}

fn lady_teasel() -> Result<NewBoat> {
    let principal = Principal {
        construction: Construction::CarvelCaulked,
        length: 11_400.0,
        beam: 2_300.0,
        depth: 1_150.0,
        frames: 46,
        strakes: 12,
        plank_thickness: 19.0,
    };
    let hull::Generated { shell, joints } = generated(&principal, 1938)?;
    Ok(NewBoat {
        name: "Lady Teasel".into(),
        construction: principal.construction,
        boat_use: Use::Sheltered,
        school: School::Renew,
        year: Some(1938),
        length: principal.length,
        beam: principal.beam,
        depth: principal.depth,
        plank_thickness: principal.plank_thickness,
        plank_species: "true_mahogany".into(),
        frame_species: "white_oak".into(),
        frame_sided: 32.0,
        frame_moulded: 38.0,
        waterline_strake: 6,
        shell,
        joints,
    })
}

/// One thing found, told briefly.
struct Found {
    day: i64,
    by: &'static str,
    at: (Side, u32, u32),
    kind: FindingKind,
    method: Method,
    reading: Reading,
    shape: &'static [Point],
    depth: f64,
    grade: Grade,
    certainty: Certainty,
    cause: Cause,
    note: &'static str,
}

fn spike(depth: f64, says: &str) -> Reading {
    Reading { spike: Some(depth), says: says.into(), ..Reading::default() }
}

fn drawn(original: f64, remaining: f64) -> Reading {
    let says = survey::read_drawn(original, remaining).map_or(String::new(), |said| said.says);
    Reading { original_diameter: Some(original), remaining_diameter: Some(remaining), says, ..Reading::default() }
}

async fn tell(store: &Store, boat: i64, story: &[Found], start: Timestamp) -> Result<()> {
    let planks = boats::planks(store, boat).await?;
    for found in story {
        let (side, strake, frame) = found.at;
        let at = Address { side, strake, frame };
        let Some(plank) = boats::plank_at(&planks, at) else {
            continue;
        };
        let when = start + SignedDuration::from_hours(24 * found.day + 2);
        let mut work = store.begin(Act { by: found.by.into(), at: when, once: None }).await?;
        let new = NewFinding {
            at,
            plank_id: plank.id,
            kind: found.kind,
            method: found.method,
            reading: found.reading.clone(),
            shape: found.shape.to_vec(),
            depth: found.depth,
            grade: found.grade,
            certainty: found.certainty,
            cause: found.cause,
            note: found.note.into(),
            photo: None,
        };
        work.add_finding(boat, &new).await?;
        work.commit("/").await?;
    }
    Ok(())
}

const TOBIAS: &str = "Tobias Renn";
const MAUD: &str = "Maud Okafor";

/// Rain through a split rail, two bilge planks cracked in a grounding, boat nails sick along the waterline.
fn wren_story() -> Vec<Found> {
    use Certainty as C;
    use FindingKind as F;
    use Grade as G;
    let port = Side::Port;
    let starboard = Side::Starboard;
    let mut story = vec![
        Found {
            day: 2,
            by: TOBIAS,
            at: (port, 5, 12),
            kind: F::Crack,
            method: Method::Look,
            reading: Reading::default(),
            shape: &[[30.0, 62.0], [120.0, 66.0], [215.0, 61.0]],
            depth: 9.0,
            grade: G::Mend,
            certainty: C::Confirmed,
            cause: Cause::Grounding,
            note: "Opened when the coating came off; runs with the grain.",
        },
        Found {
            day: 2,
            by: TOBIAS,
            at: (port, 6, 13),
            kind: F::Crack,
            method: Method::Look,
            reading: Reading::default(),
            shape: &[[60.0, 48.0], [190.0, 55.0]],
            depth: 7.0,
            grade: G::Mend,
            certainty: C::Confirmed,
            cause: Cause::Grounding,
            note: "",
        },
        Found {
            day: 3,
            by: TOBIAS,
            at: (port, 5, 14),
            kind: F::Gouge,
            method: Method::Look,
            reading: Reading::default(),
            shape: &[[20.0, 60.0], [95.0, 58.0], [90.0, 82.0], [25.0, 84.0]],
            depth: 5.0,
            grade: G::Mend,
            certainty: C::Confirmed,
            cause: Cause::Grounding,
            note: "From the same stone.",
        },
        Found {
            day: 5,
            by: MAUD,
            at: (starboard, 9, 22),
            kind: F::Rot,
            method: Method::Spike,
            reading: spike(5.0, "soft"),
            shape: &[[40.0, 60.0], [110.0, 58.0], [118.0, 84.0], [44.0, 88.0]],
            depth: 10.0,
            grade: G::Mend,
            certainty: C::Confirmed,
            cause: Cause::FreshWater,
            note: "A knot filled long ago let go; water stood behind the filler.",
        },
        Found {
            day: 8,
            by: TOBIAS,
            at: (starboard, 8, 9),
            kind: F::OpenSeam,
            method: Method::Feeler,
            reading: Reading::default(),
            shape: &[[0.0, 0.0], [240.0, 0.0]],
            depth: 12.0,
            grade: G::Watch,
            certainty: C::Confirmed,
            cause: Cause::Age,
            note: "3 mm, filling loose.",
        },
        Found {
            day: 9,
            by: MAUD,
            at: (starboard, 4, 18),
            kind: F::Crack,
            method: Method::Sound,
            reading: Reading { says: "damp or soft within".into(), ..Reading::default() },
            shape: &[[20.0, 70.0], [150.0, 74.0]],
            depth: 6.0,
            grade: G::Watch,
            certainty: C::Suspected,
            cause: Cause::Unknown,
            note: "Dull under the mallet; not opened.",
        },
    ];
    for (i, frame) in [7, 9, 11, 13, 15].into_iter().enumerate() {
        story.push(Found {
            day: 6,
            by: MAUD,
            at: (port, 13, frame),
            kind: F::Rot,
            method: Method::Spike,
            reading: spike(4.0, "soft"),
            shape: &[[-20.0, 95.0], [38.0, 95.0], [36.0, 120.0], [-18.0, 121.0]],
            depth: 8.0,
            grade: G::Watch,
            certainty: if i < 2 { C::Confirmed } else { C::Suspected },
            cause: Cause::FreshWater,
            note: "Under the split rail, over the frame head.",
        });
    }
    for frame in [10, 16, 21, 25, 28] {
        story.push(Found {
            day: 10,
            by: TOBIAS,
            at: (port, 8, frame),
            kind: F::SickFastening,
            method: Method::DrawFastening,
            reading: drawn(6.0, 4.6),
            shape: &[[-22.0, 36.0]],
            depth: 0.0,
            grade: G::Renew,
            certainty: C::OpenedUp,
            cause: Cause::Age,
            note: "Black wood round the nail.",
        });
    }
    story
}

/// Laps once filled with hard putty, a plank split where the ribs broke at the turn of the bilge.
fn pennywort_story() -> Vec<Found> {
    use Certainty as C;
    use FindingKind as F;
    use Grade as G;
    vec![
        Found {
            day: 4,
            by: MAUD,
            at: (Side::Starboard, 4, 9),
            kind: F::Crack,
            method: Method::Look,
            reading: Reading::default(),
            shape: &[[10.0, 36.0], [150.0, 40.0]],
            depth: 9.0,
            grade: G::Mend,
            certainty: C::Confirmed,
            cause: Cause::ForcedShape,
            note: "Over two broken ribs.",
        },
        Found {
            day: 4,
            by: MAUD,
            at: (Side::Port, 3, 6),
            kind: F::OpenSeam,
            method: Method::Feeler,
            reading: Reading::default(),
            shape: &[[0.0, 0.0], [210.0, 0.0]],
            depth: 4.0,
            grade: G::Mend,
            certainty: C::Confirmed,
            cause: Cause::RigidFiller,
            note: "Hard putty in the lap; the land is lifting.",
        },
    ]
}

/// Epoxy run into two topside seams, brass screws that crumble.
fn teasel_story() -> Vec<Found> {
    use Certainty as C;
    use FindingKind as F;
    use Grade as G;
    let seam: &[Point] = &[[0.0, 0.0], [230.0, 0.0]];
    let mut story: Vec<Found> = [9, 10]
        .into_iter()
        .map(|strake| Found {
            day: 7,
            by: TOBIAS,
            at: (Side::Starboard, strake, 20),
            kind: F::OpenSeam,
            method: Method::Feeler,
            reading: Reading::default(),
            shape: seam,
            depth: 10.0,
            grade: G::Mend,
            certainty: C::Confirmed,
            cause: Cause::RigidFiller,
            note: "Epoxy in a working seam; the edge beside it is crushed.",
        })
        .collect();
    for frame in [12, 19, 27] {
        story.push(Found {
            day: 11,
            by: MAUD,
            at: (Side::Starboard, 6, frame),
            kind: F::SickFastening,
            method: Method::DrawFastening,
            reading: drawn(4.5, 3.1),
            shape: &[[-16.0, 30.0]],
            depth: 0.0,
            grade: G::Renew,
            certainty: C::OpenedUp,
            cause: Cause::DissimilarMetals,
            note: "Brass: it crumbles pink.",
        });
    }
    story.push(Found {
        day: 12,
        by: MAUD,
        at: (Side::Starboard, 11, 30),
        kind: F::Gouge,
        method: Method::Look,
        reading: Reading::default(),
        shape: &[[40.0, 30.0], [120.0, 30.0], [110.0, 48.0], [50.0, 46.0]],
        depth: 4.0,
        grade: G::Mend,
        certainty: C::Confirmed,
        cause: Cause::Chafe,
        note: "Fender chain.",
    });
    story
}

fn rack() -> Vec<NewBoard> {
    let board =
        |tag: &str, species: &str, size: [f64; 3], grain, drying, moisture, origin, note: &str, place: &str| NewBoard {
            tag: tag.into(),
            stock: Stock {
                species: species.into(),
                length: size[0],
                width: size[1],
                thickness: size[2],
                grain,
                drying,
                moisture,
                origin,
            },
            origin_note: note.into(),
            place: place.into(),
            parent_id: None,
        };
    use {Drying as D, Grain as G, Origin as O};
    vec![
        board(
            "L-01",
            "western_larch",
            [4_800.0, 210.0, 32.0],
            G::Quarter,
            D::Air,
            Some(14.0),
            O::New,
            "Anvel sawmill, lot 12",
            "long rack, top",
        ),
        board(
            "L-02",
            "western_larch",
            [3_100.0, 190.0, 32.0],
            G::Rift,
            D::Air,
            Some(15.0),
            O::New,
            "Anvel sawmill, lot 12",
            "long rack, top",
        ),
        board(
            "L-03",
            "western_larch",
            [1_250.0, 160.0, 29.0],
            G::Quarter,
            D::Air,
            Some(11.0),
            O::Salvage,
            "Brindle Wren, old ceiling plank",
            "short rack 2",
        ),
        board(
            "L-04",
            "western_larch",
            [900.0, 120.0, 22.0],
            G::Flat,
            D::Air,
            Some(22.0),
            O::Offcut,
            "",
            "short rack 2",
        ),
        board(
            "L-05",
            "western_larch",
            [2_200.0, 175.0, 38.0],
            G::Quarter,
            D::Green,
            None,
            O::New,
            "Anvel sawmill, lot 15",
            "yard, in stick",
        ),
        board(
            "O-01",
            "white_oak",
            [2_600.0, 150.0, 60.0],
            G::Flat,
            D::Air,
            Some(16.0),
            O::New,
            "Anvel sawmill, lot 9",
            "long rack, foot",
        ),
        board(
            "M-01",
            "true_mahogany",
            [3_400.0, 180.0, 26.0],
            G::Quarter,
            D::Air,
            Some(12.0),
            O::New,
            "merchant in Hollin Quay, papers 88",
            "long rack, middle",
        ),
        board(
            "M-02",
            "true_mahogany",
            [740.0, 130.0, 22.0],
            G::Quarter,
            D::Air,
            Some(11.0),
            O::Salvage,
            "a shop counter",
            "short rack 1",
        ),
    ]
}
