//! The demo yard: Saltmeadow Slip on the tidal river Anvel, its people, three boats, and a rack. All invented.
//!
//! Boats come from the core's hull generator with fixed seeds and are then damaged by each boat's story; dates
//! are set back from the day the demo is first started.

mod fasten;
mod jobs;
mod rack;
mod shapes;
mod stories;
mod survey;

use std::path::Path;

use self::stories::{Found, MAUD};
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Span, Timestamp, ZonedDateTime};
use mend_keel_core::finish::upkeep::{Coating, Looks};
use mend_keel_core::finish::{self, Recipe};
use mend_keel_core::grid::member::{DeckKind, Rig};
use mend_keel_core::grid::{Address, Construction, Joint, Side};
use mend_keel_core::hull::{self, Principal};
use mend_keel_core::practice::{School, Use};
use mend_keel_core::repair::decide as core_decide;
use mend_keel_core::repair::way::OptionKind;
use mend_keel_core::work::estimate::HourKind;
use mend_keel_store::accounts::{self, NewAccount, Role, Yard};
use mend_keel_store::boats::NewBoat;
use mend_keel_store::findings::NewFinding;
use mend_keel_store::plans::{self, Laid, NewPlan};
use mend_keel_store::upkeep::{self, Berth, NewCoated};
use mend_keel_store::{Act, Result, Store, StoreError, tasks};
use serde_json::json;

use crate::file::decide;
use crate::file::finish::{coats_from, drying};
use crate::file::instruments;
use crate::file::weather::foretold;

/// Nobody signs in with these: the demo's owner is signed in by itself, and this matches no password.
const NO_PASSWORD: &str = "!";

/// Fills an empty store with the demo yard; leaves any other store alone.
pub async fn fill(store: &Store, photos: &Path) -> Result<()> {
    if !accounts::list(store).await?.is_empty() {
        // A demo yard made before stand-ins were a setting.
        let yard = accounts::yard(store).await?;
        if !yard.stand_ins {
            let mut work = store.begin(Act::now("demo", None)).await?;
            work.set_yard(&Yard { stand_ins: true, ..yard }).await?;
            work.commit("/").await?;
        }
        return Ok(());
    }
    let start = first_morning().unwrap_or_else(Timestamp::now);
    let mut work = store.begin(Act { by: "Ines Varga".into(), at: start, once: None }).await?;
    work.set_yard(&Yard { stand_ins: true, ..Yard::named("Saltmeadow Slip") }).await?;
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
    for board in rack::boards() {
        work.add_board(&board).await?;
    }
    work.commit("/").await?;
    let told = [(wren, stories::brindle_wren()), (pennywort, stories::pennywort()), (teasel, stories::lady_teasel())];
    for (boat, story) in told {
        tell(store, photos, boat, &story, start).await?;
    }
    survey::fill(store, wren, start).await?;
    begin_work(store, wren, start).await?;
    shapes::fill(store, wren, start).await?;
    fasten::fill(store, wren, start).await?;
    begin_varnish(store, teasel).await?;
    jobs::fill(store, [wren, pennywort, teasel], start).await?;
    rack::fill(store, start).await
}

/// Makes an empty store the yard of practice hulls: one person, no boat, instruments that answer.
pub async fn practice_yard(store: &Store) -> Result<()> {
    if !accounts::list(store).await?.is_empty() {
        return Ok(());
    }
    let mut work = store.begin(Act::now("practice", None)).await?;
    work.set_yard(&Yard { stand_ins: false, ..Yard::named("Practice hulls") }).await?;
    work.add_account(&NewAccount {
        login: "learner".into(),
        name: "Learner".into(),
        role: Role::Owner,
        guest_boat: None,
        password_hash: NO_PASSWORD.into(),
    })
    .await?;
    work.commit("/").await
}

/// Seven in the morning, three weeks ago, where the demo runs.
fn first_morning() -> Option<Timestamp> {
    let today = ZonedDateTime::now().date();
    let seven = today.checked_sub(Span::new().weeks(3)).ok()?.at(7, 0, 0, 0);
    Some(seven.to_zoned_datetime(TimeZone::system()).ok()?.timestamp())
}

/// One plank of Brindle Wren is decided on and its first tasks are done, so that there is work to look at.
async fn begin_work(store: &Store, boat: i64, start: Timestamp) -> Result<()> {
    let file = survey::load(store, boat).await?;
    let place = Address { side: Side::Port, strake: 6, frame: 13 };
    let plank = file.plank_at(place).map_err(survey::told)?;
    let options = decide::case(&file, plank, file.boat.school)
        .and_then(|case| core_decide::options(&case, |op| op.rate().0))
        .map_err(survey::told)?;
    let Some(option) = options.iter().find(|o| o.kind == OptionKind::Graving) else {
        return Ok(());
    };
    let reason = "One short crack in sound larch; the plank has been there since she was built.";
    let (decision, pieces) = decide::settled(&file, &decide::Subject::Plank(plank), option, reason.into(), "");
    let at = |day: i64, hour: i64| start + SignedDuration::from_hours(24 * day + hour);
    let mut work = store.begin(Act { by: "Ines Varga".into(), at: at(13, 1), once: None }).await?;
    let decided = work.decide(&decision, &pieces).await?;
    work.add_tasks(boat, plank.id, decided, &option.tasks).await?;
    work.commit("/").await?;
    let maud = accounts::find_login(store, "maud").await?.ok_or(StoreError::NotFound("account"))?;
    for (n, (task, minutes)) in tasks::of_boat(store, boat).await?.into_iter().zip([35.0, 50.0]).enumerate() {
        let mut work = store.begin(Act { by: maud.name.clone(), at: at(14 + n as i64, 4), once: None }).await?;
        work.book(&task, maud.id, minutes, HourKind::Work, "").await?;
        work.finish_task(&task, Some(work.at()), None).await?;
        work.commit("/").await?;
    }
    Ok(())
}

/// The varnish of Lady Teasel's sunny side was begun yesterday.
async fn begin_varnish(store: &Store, boat: i64) -> Result<()> {
    let (recipe, area, temperature, humidity) = (Recipe::BrightBare, 14.0, 18.0, 60.0);
    let plan = finish::plan(&recipe.steps(), area, temperature, humidity).map_err(survey::told)?;
    let begun = Timestamp::now() - SignedDuration::from_hours(22);
    let act = |at| Act { by: MAUD.into(), at, once: None };
    let mut work = store.begin(act(begun)).await?;
    let new = NewPlan {
        boat_id: boat,
        member_id: None,
        piece_id: None,
        kind: "finish",
        summary: "Finish planned: bright from bare wood on the starboard topsides, 14 m²".into(),
        asked: json!({ "what": "Topsides, starboard", "recipe": recipe, "area": area, "temperature": temperature,
            "humidity": humidity, "place": "shed", "start": begun.to_string() }),
        answer: json!({ "litres": plan.litres, "coats": plan.coats.len(), "reasons": plan.reasons }),
    };
    let id = work.add_plan(&new).await?;
    work.add_coats(boat, id, &coats_from(&plan, begun)).await?;
    work.commit("/").await?;
    let (recipe, area) = (Recipe::PaintTopsides, 5.0);
    let plan = finish::plan(&recipe.steps(), area, temperature, humidity).map_err(survey::told)?;
    let cabin = NewPlan {
        summary: "Finish planned: paint on the cabin sides, 5 m²".into(),
        asked: json!({ "what": "Cabin sides", "recipe": recipe, "area": area, "temperature": temperature,
            "humidity": humidity, "place": "shed", "start": begun.to_string() }),
        answer: json!({ "litres": plan.litres, "coats": plan.coats.len(), "reasons": plan.reasons }),
        ..new
    };
    let mut work = store.begin(act(begun)).await?;
    let id = work.add_plan(&cabin).await?;
    work.add_coats(boat, id, &coats_from(&plan, begun)).await?;
    let from =
        Timestamp::from_second(begun.as_second() / 3_600 * 3_600).unwrap_or(begun) - SignedDuration::from_hours(6);
    let hours: Vec<_> =
        instruments::forecast(from, 24 * 17, 9).iter().map(|row| foretold(row, row.at.clone(), true)).collect();
    work.set_forecast(&hours, &format!("A forecast of {} hours, simulated", hours.len())).await?;
    work.commit("/").await?;
    if let Some(first) = plans::coats(store, boat).await?.first() {
        let laid = Laid {
            temperature: Some(18.0),
            humidity: Some(60.0),
            read_by: "typed".into(),
            wood: Some(12.5),
            batch: "V-610".into(),
            litres: Some(1.3),
            ..Laid::default()
        };
        let step = Recipe::BrightBare.steps().remove(0);
        let mut work = store.begin(act(begun)).await?;
        work.lay_coat(first, begun, &laid, drying(&step, 18.0, 60.0, begun)).await?;
        work.commit("/").await?;
    }
    look_after_coats(store, boat, begun).await
}

/// Lady Teasel's bright work and paint under the sun of her berth; her cabin sides were looked at in autumn.
async fn look_after_coats(store: &Store, boat: i64, at: Timestamp) -> Result<()> {
    let mut work = store.begin(Act { by: MAUD.into(), at, once: None }).await?;
    work.set_berth(boat, Berth { latitude: 54.0, bow: None }).await?;
    let day = |ago: i64| {
        let then = Timestamp::now() - SignedDuration::from_hours(24 * ago);
        then.to_zoned_datetime(jiff::tz::TimeZone::system()).date().to_string()
    };
    let face = |what: &str, coat, area, tilt, looks, shade, height, ago| NewCoated {
        what: what.into(),
        coat,
        area,
        tilt,
        looks,
        shade,
        height,
        on_day: day(ago),
    };
    work.add_coated(boat, &face("Coach roof", Coating::Paint, 6.0, 5.0, Looks::Around, 0.0, 0.0, 420)).await?;
    work.add_coated(boat, &face("Cabin sides, port", Coating::Varnish, 2.4, 85.0, Looks::Port, 0.0, 0.0, 500)).await?;
    work.add_coated(boat, &face("Mast", Coating::Varnish, 4.5, 90.0, Looks::Around, 0.0, 9.0, 230)).await?;
    work.add_coated(boat, &face("Tiller and hatch", Coating::Varnish, 1.1, 0.0, Looks::Around, 0.6, 0.0, 230)).await?;
    work.commit("/").await?;
    if let Some(cabin) = upkeep::coated(store, boat).await?.into_iter().find(|f| f.looks == Looks::Port) {
        let mut work = store.begin(Act { by: MAUD.into(), at, once: None }).await?;
        work.see_coat(&cabin, &day(30), 0.3, "gloss gone along the lower edge").await?;
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
        joints_seen: true,
        deck: DeckKind::LaidStraight,
        spars: Rig::Gaff.spars(principal.length),
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
        // Where her strakes are scarfed nobody looked yet.
        joints_seen: false,
        deck: DeckKind::Open,
        spars: Rig::None.spars(principal.length),
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
        joints_seen: true,
        deck: DeckKind::LaidSwept,
        spars: Rig::None.spars(principal.length),
    })
}

/// Tells a boat's story: each finding with the reading it rests on and its picture.
async fn tell(store: &Store, photos: &Path, boat: i64, story: &[Found], start: Timestamp) -> Result<()> {
    let file = survey::load(store, boat).await?;
    for found in story {
        let (place, part) = file.locate(&found.at).map_err(survey::told)?;
        let new = NewFinding {
            shown: file.shown(&place),
            member_id: part.member_id(),
            place,
            kind: found.kind,
            method: found.method,
            shape: found.shape.clone(),
            depth: found.depth,
            grade: found.grade,
            certainty: found.certainty,
            cause: found.cause,
            note: found.note.into(),
        };
        let point = found.shape.first().copied();
        let reading = found.measure.clone().map(|m| survey::reading(&file, &found.at, m, point, false)).transpose()?;
        let taken = if found.photo { vec![survey::photo(photos, found).await?] } else { Vec::new() };
        let when = start + SignedDuration::from_hours(24 * found.day + 2);
        let mut work = store.begin(Act { by: found.by.into(), at: when, once: None }).await?;
        work.add_finding(boat, &new, reading.as_ref(), &taken).await?;
        work.commit("/").await?;
    }
    Ok(())
}
