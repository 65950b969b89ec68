//! The rest of Brindle Wren's survey: meter readings, the fastening draw, lines, past repairs, what was kept.

use std::collections::BTreeSet;
use std::path::Path;

use image::{Rgb, RgbImage};
use jiff::{SignedDuration, Timestamp};
use mend_keel_core::chance::{Chance, seed_of};
use mend_keel_core::geometry::Point;
use mend_keel_core::grid::edit::Edit;
use mend_keel_core::grid::offsets::{Offsets, Row, RowKind};
use mend_keel_core::grid::{Address, Side};
use mend_keel_core::survey::line::LineKind;
use mend_keel_core::survey::past::{PastKind, Quality};
use mend_keel_core::survey::reading::{FasteningKind, Filler, Measure, Metal, WoodAround};
use mend_keel_core::survey::sample::{self, Height, Part as Stretch, Region};
use mend_keel_core::survey::{Cause, Method};
use mend_keel_store::findings::{MarkKind, NewPhoto, NewReading, PhotoMark};
use mend_keel_store::members::Known;
use mend_keel_store::surveys::{NewFitting, NewPastRepair};
use mend_keel_store::{Act, Result, Store, StoreError, boats};
use serde_json::json;

use super::stories::{Found, MAUD, TOBIAS};
use crate::file::boat::{BoatFile, Part};
use crate::file::survey::SurveyFile;
use crate::web::form::Upload;
use crate::web::photos;

/// Where the wood was read with the pins, and how wet it was each time, oldest first.
const METER: &[(&str, &[f64])] = &[
    ("P13 F6", &[17.0]),
    ("P13 F8", &[27.0, 25.0, 22.0]),
    ("P13 F10", &[26.0, 24.0]),
    ("P13 F12", &[24.0]),
    ("P13 F17", &[18.0]),
    ("P12 F9", &[21.0]),
    ("P12 F14", &[19.0]),
    ("P10 F10", &[17.0]),
    ("P8 F8", &[18.0]),
    ("P8 F14", &[20.0, 19.0]),
    ("P8 F20", &[19.0]),
    ("P5 F12", &[21.0]),
    ("P5 F15", &[20.0]),
    ("P2 F12", &[24.0]),
    ("P2 F20", &[25.0]),
    ("S9 F21", &[28.0, 26.0]),
    ("S9 F23", &[22.0]),
    ("S8 F22", &[21.0]),
    ("S12 F10", &[16.0]),
    ("S12 F20", &[15.0]),
    ("S4 F18", &[25.0]),
    ("FR7P 1", &[31.0]),
    ("FR9P 1", &[29.0]),
    ("FR11P 1", &[24.0]),
    ("FR12P 2", &[17.0]),
];

fn at(start: Timestamp, day: i64, hour: i64) -> Timestamp {
    start + SignedDuration::from_hours(24 * day + hour)
}

fn act(by: &str, at: Timestamp) -> Act {
    Act { by: by.into(), at, once: None }
}

pub fn told(e: impl ToString) -> StoreError {
    StoreError::Conflict(e.to_string())
}

/// A boat's file, its errors told as the store's.
pub async fn load(store: &Store, boat: i64) -> Result<BoatFile> {
    BoatFile::load(store, boat).await.map_err(|e| told(format!("{e:?}")))
}

/// A reading at a place, read by the core.
pub fn reading(file: &BoatFile, at: &str, measure: Measure, xy: Option<Point>, sampled: bool) -> Result<NewReading> {
    let (place, part) = file.locate(at).map_err(told)?;
    let read = measure.read(&file.on(&part)).map_err(told)?;
    Ok(NewReading {
        shown: file.shown(&place),
        member_id: part.member_id(),
        place,
        at: xy,
        measure,
        read,
        simulated: false,
        sampled,
    })
}

/// Tells all of it of one boat.
pub async fn fill(store: &Store, boat: i64, start: Timestamp) -> Result<()> {
    grid(store, boat, start).await?;
    let file = load(store, boat).await?;
    readings(store, &file, start).await?;
    close(store, boat, "As received", at(start, 7, 8)).await?;
    draw(store, &file, start).await?;
    lines(store, boat, start).await?;
    records(store, &file, start).await
}

/// The bilge planks were measured where she grounded, and the builder's table of offsets is kept.
async fn grid(store: &Store, boat: i64, start: Timestamp) -> Result<()> {
    for (strake, frame, off) in [(5, 10, 2.0), (5, 12, 1.5), (5, 14, -2.0), (6, 12, 1.0), (6, 13, -1.0), (6, 14, 0.5)] {
        let kept = boats::find(store, boat).await?;
        let place = Address { side: Side::Port, strake, frame };
        let mm = (kept.shell.width(place) + off).round();
        let (edit, mut shell) = (Edit::Width { at: place, mm }, kept.shell.clone());
        edit.apply(&mut shell).map_err(told)?;
        let mut work = store.begin(act(MAUD, at(start, 1, 2))).await?;
        work.correct_grid(&kept, &edit, &shell, &format!("{place} is {mm} mm wide")).await?;
        work.commit("/").await?;
    }
    let row = |name: &str, kind, from: f64, values: [f64; 7]| Row {
        name: name.into(),
        kind,
        at: from,
        values: values.into_iter().map(Some).collect(),
    };
    let offsets = Offsets {
        stations: (0..7).map(|n| f64::from(n) * 1_400.0).collect(),
        rows: vec![
            row("Sheer", RowKind::HalfBreadth, 0.0, [40.0, 760.0, 1_190.0, 1_400.0, 1_450.0, 1_370.0, 1_120.0]),
            row("Sheer", RowKind::Height, 0.0, [2_080.0, 1_900.0, 1_770.0, 1_690.0, 1_660.0, 1_680.0, 1_750.0]),
            row("Rabbet", RowKind::HalfBreadth, 0.0, [38.0, 52.0, 60.0, 62.0, 62.0, 60.0, 56.0]),
            row("Rabbet", RowKind::Height, 0.0, [900.0, 330.0, 250.0, 220.0, 200.0, 190.0, 420.0]),
            row("Waterline 1", RowKind::Waterline, 600.0, [0.0, 300.0, 700.0, 950.0, 990.0, 760.0, 210.0]),
            row("Waterline 2", RowKind::Waterline, 900.0, [38.0, 480.0, 940.0, 1_210.0, 1_270.0, 1_110.0, 610.0]),
            row("Waterline 3", RowKind::Waterline, 1_250.0, [39.0, 620.0, 1_090.0, 1_340.0, 1_400.0, 1_290.0, 940.0]),
        ],
    };
    let mut work = store.begin(act(TOBIAS, at(start, 1, 4))).await?;
    work.set_offsets(boat, &offsets).await?;
    work.commit("/").await
}

async fn readings(store: &Store, file: &BoatFile, start: Timestamp) -> Result<()> {
    for (place, values) in METER {
        for (n, shown) in values.iter().enumerate() {
            let measure = Measure::Meter {
                shown: *shown,
                wood_temperature: 12.0,
                relative: place.starts_with("P2 "),
                species_offset: 0.0,
            };
            let mut work = store.begin(act(MAUD, at(start, 3 + 6 * n as i64, 3))).await?;
            let on = file.findings.iter().find(|f| f.place.to_string() == *place).map(|f| f.id);
            work.add_reading(file.boat.id, &reading(file, place, measure, None, false)?, on).await?;
            work.commit("/").await?;
        }
    }
    let seams = [
        ("S8 F12", 2.2, Filler::Soft),
        ("S8 F15", 2.4, Filler::Soft),
        ("S8 F6", 3.4, Filler::Loose),
        ("P9 F18", 3.0, Filler::Missing),
        ("P10 F25", 2.5, Filler::Hard),
    ];
    for (place, width, filler) in seams {
        let mut work = store.begin(act(TOBIAS, at(start, 8, 4))).await?;
        let measure = Measure::Feeler { width, depth: 9.0, filler };
        work.add_reading(file.boat.id, &reading(file, place, measure, None, false)?, None).await?;
        work.commit("/").await?;
    }
    Ok(())
}

async fn close(store: &Store, boat: i64, name: &str, when: Timestamp) -> Result<()> {
    let survey = SurveyFile::load(store, boat).await.map_err(|e| told(format!("{e:?}")))?;
    // What stands in it is what had been found by that day.
    let entries: Vec<_> = survey
        .entries()
        .into_iter()
        .zip(&survey.file.findings)
        .filter(|(_, f)| f.at.parse::<Timestamp>().is_ok_and(|found| found <= when))
        .map(|(e, _)| e)
        .collect();
    let mut work = store.begin(act(TOBIAS, when)).await?;
    work.close_survey(boat, name, &entries, &json!({})).await?;
    work.commit("/").await
}

/// Draws by region: the waterline's nails are sick, those below are good.
async fn draw(store: &Store, file: &BoatFile, start: Timestamp) -> Result<()> {
    let regions = [
        (Region { height: Height::At, part: Stretch::Middle }, 16, 15, 0.45),
        (Region { height: Height::Below, part: Stretch::Middle }, 36, 36, 0.0),
        (Region { height: Height::Above, part: Stretch::Ends }, 12, 8, 0.1),
    ];
    for (n, (region, picked, drawn, sick)) in regions.into_iter().enumerate() {
        let seed = 1929 + n as u64;
        let population = sample::population(&file.boat.shell, file.boat.waterline(), region);
        let picks = sample::draw(&population, &BTreeSet::new(), picked, seed);
        let mut work = store.begin(act(TOBIAS, at(start, 10, 1))).await?;
        work.add_picks(file.boat.id, region, &picks, seed as i64).await?;
        work.commit("/").await?;
        let mut random = Chance::seeded(seed);
        for pick in picks.iter().take(drawn) {
            let bad = random.unit() < sick;
            let remaining = if bad { 4.4 } else { 5.8 - 0.3 * random.unit() };
            let wood = if bad { WoodAround::Black } else { WoodAround::Sound };
            let measure = Measure::DrawFastening {
                kind: FasteningKind::BoatNail,
                metal: Metal::Galvanised,
                original: 6.0,
                remaining: (remaining * 10.0_f64).round() / 10.0,
                wood,
                nth: pick.nth,
            };
            let mut work = store.begin(act(TOBIAS, at(start, 10, 3))).await?;
            work.add_reading(file.boat.id, &reading(file, &pick.at.to_string(), measure, None, true)?, None).await?;
            work.commit("/").await?;
        }
    }
    Ok(())
}

/// The keel has hogged a little; the sheer is lower to port, where the frame heads are soft.
async fn lines(store: &Store, boat: i64, start: Timestamp) -> Result<()> {
    let along = |rise: &dyn Fn(f64) -> f64| -> Vec<Point> {
        (0..=10).map(|i| f64::from(i) / 10.0).map(|t| [(t * 7_200.0).round(), rise(t).round()]).collect()
    };
    let keel = along(&|t| 4.0 + 11.0 * t + 15.0 * (std::f64::consts::PI * t).sin());
    let first = along(&|t| 2.0 + 6.0 * t + 12.0 * (std::f64::consts::PI * t).sin());
    let designed = along(&|_| 0.0);
    let sheer = |sag: f64| along(&|t| 620.0 * (t - 0.55).powi(2) + sag * (std::f64::consts::PI * t).sin());
    let told = [
        (1, LineKind::Keel, None, true, designed, "off the builder's drawing"),
        (1, LineKind::Keel, None, false, first, "string under the keel, afloat the week before"),
        (9, LineKind::Keel, None, false, keel, "string under the keel, on blocks"),
        (9, LineKind::Sheer, Some(Side::Starboard), false, sheer(0.0), "from the rail, off a level line"),
        (9, LineKind::Sheer, Some(Side::Port), false, sheer(-9.0), "from the rail, off a level line"),
    ];
    for (day, what, side, designed, points, note) in told {
        let mut work = store.begin(act(TOBIAS, at(start, day, 5))).await?;
        work.add_line(boat, what, side, designed, &points, note).await?;
        work.commit("/").await?;
    }
    Ok(())
}

async fn records(store: &Store, file: &BoatFile, start: Timestamp) -> Result<()> {
    let boat = file.boat.id;
    let mut work = store.begin(act(MAUD, at(start, 4, 1))).await?;
    for plank in file.planks.iter().filter(|p| p.side == Side::Port || p.strake > 6) {
        let cells = plank.bays(file.boat.shell.frame_count());
        work.look_over_quietly(boat, plank.id, cells, Method::Look).await?;
        if plank.side == Side::Port && (4..=8).contains(&plank.strake) {
            work.look_over_quietly(boat, plank.id, cells, Method::Sound).await?;
        }
    }
    work.tell_looked_over(boat, "Shell, port side and starboard topsides", Method::Look).await?;
    for member in file.members.iter().filter(|m| m.code.starts_with("FR") && m.number <= 20) {
        work.look_over_quietly(boat, member.id, (1, 1), Method::Look).await?;
    }
    work.tell_looked_over(boat, "Frame heads 1 to 20", Method::Look).await?;
    work.commit("/").await?;

    let past = [
        (
            "P6 F20",
            PastKind::ButtBlock,
            Quality::Poor,
            "oak",
            Some(1974),
            "",
            "In haste: the butts of four strakes lie in three bays.",
        ),
        ("P8 F20", PastKind::NewPlank, Quality::Fair, "larch", Some(1974), "", ""),
        ("S9 F22", PastKind::Filler, Quality::Harmful, "hard filler over a knot", None, "soft wood behind it", ""),
        (
            "P3 F10",
            PastKind::Sealant,
            Quality::Poor,
            "",
            Some(2009),
            "the seam under it",
            "Smeared over, not raked out.",
        ),
        ("FR18P 2", PastKind::Sister, Quality::Good, "oak", Some(1996), "", ""),
    ];
    for (at_place, kind, quality, material, year, hides, note) in past {
        let (place, part) = file.locate(at_place).map_err(told)?;
        let new = NewPastRepair {
            member_id: part.member_id(),
            from_cell: part.cell(),
            to_cell: part.cell(),
            kind,
            quality,
            material: material.into(),
            year,
            hides: hides.into(),
            note: note.into(),
            shown: file.shown(&place),
        };
        let mut work = store.begin(act(TOBIAS, at(start, 5, 2))).await?;
        work.add_past_repair(boat, &new).await?;
        work.commit("/").await?;
    }
    for (place, year) in [("P8 F20", 1974), ("S11 F6", 1996)] {
        let (_, part) = file.locate(place).map_err(told)?;
        let Part::Plank(plank, _) = part else { continue };
        let known = Known {
            name: None,
            face: None,
            thickness: 24.0,
            species: "western_larch".into(),
            grain: Some("flat".into()),
            year: Some(year),
            finish: "paint".into(),
            fastened: "galvanised boat nails, 6 mm".into(),
        };
        let mut work = store.begin(act(TOBIAS, at(start, 5, 4))).await?;
        work.know_member(boat, plank.id, plank.version, &plank.name(), &known).await?;
        work.commit("/").await?;
    }
    for (place, name, count, metal, kept_at) in
        [("CBP 8", "Mooring cleat", 1, "galvanised", "box 3"), ("SPAR1 1", "Peak halyard block", 2, "", "box 4")]
    {
        let (at_place, part) = file.locate(place).map_err(told)?;
        let new = NewFitting {
            member_id: part.member_id(),
            place: file.shown(&at_place),
            name: name.into(),
            count,
            metal: metal.into(),
            kept_at: kept_at.into(),
            note: String::new(),
        };
        let mut work = store.begin(act(MAUD, at(start, 6, 6))).await?;
        work.add_fitting(boat, &new).await?;
        work.commit("/").await?;
    }
    let mut work = store.begin(act(TOBIAS, at(start, 9, 7))).await?;
    work.treat_cause(
        boat,
        Cause::FreshWater,
        Some("The split rail is off; the covering board is tarped until the new rail is on."),
    )
    .await?;
    work.commit("/").await
}

/// A made-up picture for a finding, with a circle where to look.
pub async fn photo(folder: &Path, found: &Found) -> Result<NewPhoto> {
    let seed = seed_of(&found.at, 7);
    let mut bytes = Vec::new();
    planking(seed)
        .write_to(&mut std::io::Cursor::new(&mut bytes), image::ImageFormat::Png)
        .map_err(|e| StoreError::Conflict(e.to_string()))?;
    let hash = photos::file(folder, Upload { bytes, too_large: false }).await.map_err(told)?;
    let circle = PhotoMark { kind: MarkKind::Circle, from: [0.5, 0.47], to: [0.78, 0.47] };
    let arrow = PhotoMark { kind: MarkKind::Arrow, from: [0.16, 0.85], to: [0.33, 0.58] };
    Ok(NewPhoto { hash, marks: vec![circle, arrow] })
}

/// Three painted planks with a dark crack along the middle one.
fn planking(seed: u64) -> RgbImage {
    const WIDTH: u32 = 960;
    const HEIGHT: u32 = 640;
    let mut random = Chance::seeded(seed);
    let grain: Vec<f64> = (0..HEIGHT).map(|_| random.unit()).collect();
    let drift = random.unit() * 6.0;
    RgbImage::from_fn(WIDTH, HEIGHT, |x, y| {
        let (fx, fy) = (f64::from(x), f64::from(y));
        let wave = (fx / 170.0 + drift).sin() * 7.0;
        let row = ((fy + wave) as u32).min(HEIGHT - 1) as usize;
        let wood = 150.0 + 46.0 * grain[row] + 12.0 * (fy / 31.0).sin();
        let seam = [205.0, 425.0].iter().any(|s: &f64| (fy - s).abs() < 4.0);
        let line = 300.0 + 14.0 * (fx / 90.0 + drift).sin() + 5.0 * (fx / 17.0).sin();
        let crack =
            (230.0..720.0).contains(&fx) && (fy - line).abs() < 5.0 * (1.0 - ((fx - 475.0) / 250.0).powi(2)).max(0.15);
        let shade = if seam || crack { 0.22 } else { 1.0 };
        Rgb([(wood * shade) as u8, (wood * 0.78 * shade) as u8, (wood * 0.55 * shade) as u8])
    })
}
