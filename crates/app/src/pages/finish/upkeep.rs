//! Upkeep: each coated face, how the sun wears it where she lies, when it is refreshed, and varnish held against paint.

use askama::Template;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan, ZonedDateTime};
use mend_keel_core::InputError;
use mend_keel_core::finish::upkeep::{self, Berth, Coating, Inspection, Kept, Life, Looks};
use mend_keel_exchange::calendar::{self, Entry};
use mend_keel_store::upkeep::{self as store, Coated, NewCoated, Seen};
use mend_keel_store::{Store, StoreError, seams};
use rocket::http::ContentType;
use rocket::{get, post};

use crate::file::due::{self, Due};
use crate::file::metals;
use crate::file::survey::SurveyFile;
use crate::view;
use crate::view::years::{self, AHEAD};
use crate::web::auth::{BoatReader, Crew};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed, day};

#[derive(Template)]
#[template(path = "finish/upkeep.html")]
struct Show {
    page: Page,
    boat_id: i64,
    berth: String,
    svg: String,
    faces: Vec<FaceView>,
    /// What falls due besides.
    due: Vec<DueView>,
    coatings: Vec<(String, String)>,
    looks: Vec<(String, String)>,
    typed: Typed,
    faults: Faults,
}

struct FaceView {
    id: i64,
    what: String,
    lies: String,
    due: String,
    late: bool,
    /// By the sun alone, or moved by an inspection.
    by: String,
    /// Refreshes and hours of ten years: varnish, paint.
    varnish: String,
    paint: String,
    seen: Vec<String>,
}

struct DueView {
    when: String,
    what: String,
    why: String,
    late: bool,
}

/// What falls due on a boat besides her coats, in the years drawn.
async fn due_list(store: &Store, survey: &SurveyFile) -> std::result::Result<Vec<Due>, StoreError> {
    let boat = survey.file.boat.id;
    let recorded = metals::load(store, boat).await?;
    let launch = seams::launch(store, boat).await?.and_then(|l| l.on_day.parse().ok());
    let today = ZonedDateTime::now().date();
    Ok(due::list(survey, &recorded, launch, today, (f64::from(AHEAD) * YEAR) as u32))
}

/// A year, days.
const YEAR: f64 = 365.25;

fn years_between(from: &str, to: &str) -> Option<f64> {
    let (from, to) = (from.parse::<Date>().ok()?, to.parse::<Date>().ok()?);
    Some(f64::from(from.until((jiff::Unit::Day, to)).ok()?.get_days()) / YEAR)
}

fn kept(face: &Coated) -> Kept {
    Kept { area: face.area, tilt: face.tilt, looks: face.looks, shade: face.shade, height: face.height }
}

/// The last inspection of the coat that is on now.
fn last(face: &Coated, seen: &[Seen]) -> Option<Inspection> {
    let of_this = |s: &&Seen| s.coated_id == face.id && s.on_day > face.on_day;
    let last = seen.iter().rfind(of_this)?;
    Some(Inspection { years: years_between(&face.on_day, &last.on_day)?, worn: last.worn })
}

/// A face with the life of what is on it, and the day it is refreshed.
struct Known {
    life: Life,
    due: Date,
}

fn known(face: &Coated, berth: Berth, seen: &[Seen]) -> std::result::Result<Known, InputError> {
    let life = upkeep::life(&upkeep::wear(berth, &kept(face))?, face.coat, last(face, seen))?;
    let done: Date = face.on_day.parse().map_err(|_| InputError::new("on_day", "is no day"))?;
    let days = (life.refresh * YEAR).round().clamp(0.0, 1e5) as i64;
    let due = done.checked_add(days.days()).map_err(|_| InputError::new("on_day", "is too far off"))?;
    Ok(Known { life, due })
}

fn of(berth: store::Berth) -> Berth {
    Berth { latitude: berth.latitude, bow: berth.bow }
}

async fn show(
    desk: &Desk<'_>,
    survey: &SurveyFile,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<Show, AppError> {
    let file = &survey.file;
    let berth = store::berth(desk.store, file.boat.id).await?;
    let faces = store::coated(desk.store, file.boat.id).await?;
    let seen = store::seen(desk.store, file.boat.id).await?;
    let today = view::today();
    let (mut rows, mut views) = (Vec::new(), Vec::new());
    for face in &faces {
        let Some(berth) = berth.map(of) else { break };
        let broken = |e: InputError| AppError::Refused(format!("{}: {e}", face.what));
        let known = known(face, berth, &seen).map_err(broken)?;
        let due = known.due.to_string();
        let from_today = |day: &str| years_between(&today, day).unwrap_or(0.0);
        rows.push(years::Row {
            label: face.what.clone(),
            done: from_today(&face.on_day),
            refresh: from_today(&due),
            every: known.life.refresh,
            seen: known.life.seen,
        });
        let wear = upkeep::wear(berth, &kept(face)).map_err(broken)?;
        let ten = |coating: Coating| -> std::result::Result<String, AppError> {
            // What was seen speaks of the coat that is on.
            let last = if coating == face.coat { last(face, &seen) } else { None };
            let life = upkeep::life(&wear, coating, last).map_err(broken)?;
            let ten = upkeep::ten_years(coating, &life, &kept(face)).map_err(broken)?;
            Ok(format!("{} times, {}", ten.refreshes, view::hours(ten.hours)))
        };
        views.push(FaceView {
            id: face.id,
            what: face.what.clone(),
            lies: format!(
                "{} of {} m², looks {}, {:.0}° from flat{}{}",
                face.coat.label(),
                face.area,
                kept(face).looks.label(),
                face.tilt,
                if face.shade > 0.0 { format!(", {} shaded", view::percent(face.shade)) } else { String::new() },
                if face.height > 0.0 { format!(", {} m up", face.height) } else { String::new() },
            ),
            late: due <= today,
            due: view::day(&due),
            by: if known.life.seen {
                format!("full life {:.1} years, moved by what was seen", known.life.years)
            } else {
                format!("full life {:.1} years, by the sun alone: nobody looked yet", known.life.years)
            },
            varnish: ten(Coating::Varnish)?,
            paint: ten(Coating::Paint)?,
            seen: seen
                .iter()
                .filter(|s| s.coated_id == face.id)
                .map(|s| {
                    let note = if s.note.is_empty() { String::new() } else { format!(": {}", s.note) };
                    format!("{}, {} worn, {}{note}", view::day(&s.on_day), view::percent(s.worn), s.by_name)
                })
                .collect(),
        });
    }
    let now = Timestamp::now().to_zoned_datetime(TimeZone::system());
    let svg = if rows.is_empty() {
        String::new()
    } else {
        years::draw(&rows, i32::from(now.year()), f64::from(now.day_of_year()) / YEAR)
    };
    let berth_typed = |t: Typed| match berth {
        Some(b) => {
            t.with("latitude", b.latitude.to_string()).with("bow", b.bow.map_or(String::new(), |bow| bow.to_string()))
        }
        None => t,
    };
    let usual = [("tilt", "90"), ("shade", "0"), ("height", "0"), ("area", ""), ("on_day", &today)];
    let usual = usual.into_iter().fold(Typed::default(), |t, (field, value)| t.with(field, value));
    let pairs = |all: Vec<(&str, &str)>| all.into_iter().map(|(c, l)| (c.to_owned(), l.to_owned())).collect();
    Ok(Show {
        page: desk.boat_page(file, "Upkeep", "finish"),
        boat_id: file.boat.id,
        berth: berth.map_or(String::new(), |b| {
            let bow = b.bow.map_or("swinging".to_owned(), |bow| format!("her bow {bow:.0}° from north"));
            format!("At {}° north, {bow}", b.latitude)
        }),
        svg,
        faces: views,
        due: due_list(desk.store, survey)
            .await?
            .into_iter()
            .map(|d| DueView {
                when: if d.late { "now".to_owned() } else { view::day(&d.day.to_string()) },
                what: d.what,
                why: d.why,
                late: d.late,
            })
            .collect(),
        coatings: pairs(Coating::ALL.iter().map(|c| (c.code(), c.label())).collect()),
        looks: pairs(Looks::ALL.iter().map(|l| (l.code(), l.label())).collect()),
        typed: berth_typed(usual).over(&typed),
        faults,
    })
}

#[get("/boats/<id>/finish/upkeep")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    render(&show(&desk, &survey, Typed::default(), Faults::default()).await?)
}

/// Refreshes of the years ahead, as a calendar file.
#[get("/boats/<id>/finish/upkeep.ics")]
pub async fn ics(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let berth = store::berth(desk.store, id).await?;
    let seen = store::seen(desk.store, id).await?;
    let until = Timestamp::now().to_zoned_datetime(TimeZone::system()).date().saturating_add(i64::from(AHEAD).years());
    let mut entries = Vec::new();
    for face in store::coated(desk.store, id).await? {
        let Some(Ok(known)) = berth.map(|b| known(&face, of(b), &seen)) else { continue };
        let step = (known.life.refresh * YEAR).round().max(1.0) as i64;
        let mut due = known.due;
        let mut n = 0;
        while due <= until && n < 200 {
            entries.push(Entry {
                id: format!("boat-{id}-coat-{}-{n}", face.id),
                day: due.to_string(),
                hours: None,
                what: format!("{}: refresh the {} of {}", survey.file.boat.name, face.coat.label(), face.what),
                more: "Look at it first: what is seen moves the day.".to_owned(),
            });
            let Ok(next) = due.checked_add(step.days()) else { break };
            (due, n) = (next, n + 1);
        }
    }
    entries.extend(due_list(desk.store, &survey).await?.into_iter().map(|d| Entry {
        id: format!("boat-{id}-{}", d.key.replace(' ', "-")),
        day: d.day.to_string(),
        hours: None,
        what: format!("{}: {}", survey.file.boat.name, d.what),
        more: d.why,
    }));
    let text = calendar::write(&format!("{}, upkeep", survey.file.boat.name), &entries);
    Ok(Answer::File("upkeep.ics".to_owned(), ContentType::Calendar, text.into_bytes()))
}

fn back(id: i64) -> String {
    format!("/boats/{id}/finish/upkeep")
}

#[post("/boats/<id>/finish/berth", data = "<posted>")]
pub async fn berth(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let latitude = read.number("latitude", -90.0, 90.0);
    let bow = read.optional_number("bow", 0.0, 360.0);
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, &survey, posted.form.typed(), read.faults).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_berth(id, store::Berth { latitude, bow }).await?;
    work.commit(&back(id)).await?;
    Ok(Answer::Go(back(id)))
}

#[post("/boats/<id>/finish/upkeep", data = "<posted>")]
pub async fn add(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let (coat, looks) = (read.choice("coat", Coating::from_code), read.choice("looks", Looks::from_code));
    let new = NewCoated {
        what: read.name("what"),
        // A choice that is none is a fault already: nothing is kept.
        coat: coat.unwrap_or(Coating::Varnish),
        area: read.number("area", 0.01, 10_000.0),
        tilt: read.number("tilt", 0.0, 90.0),
        looks: looks.unwrap_or(Looks::Around),
        shade: read.number("shade", 0.0, 100.0) / 100.0,
        height: read.number("height", 0.0, 60.0),
        on_day: past_day(&mut read, "on_day"),
    };
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, &survey, posted.form.typed(), read.faults).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_coated(id, &new).await?;
    work.commit(&back(id)).await?;
    Ok(Answer::Go(back(id)))
}

/// A day that is not to come; a fault at its field otherwise.
fn past_day(read: &mut Reader<'_>, field: &str) -> String {
    let known = read.faults.count();
    let on_day = day(read, field);
    match on_day {
        Some(on_day) if on_day <= view::today() => return on_day,
        Some(_) => read.faults.add(InputError::new(field, "is yet to come")),
        None if read.faults.count() == known => read.faults.add(InputError::new(field, "say which day")),
        None => {}
    }
    String::new()
}

async fn face(desk: &Desk<'_>, boat: i64, face: i64) -> std::result::Result<Coated, AppError> {
    let all = store::coated(desk.store, boat).await?;
    all.into_iter().find(|f| f.id == face).ok_or(AppError::NotFound("coated face"))
}

/// What an inspection saw, or the coat done anew.
#[post("/boats/<id>/finish/upkeep/<face_id>/seen", data = "<posted>")]
pub async fn seen(desk: Desk<'_>, _who: Crew, id: i64, face_id: i64, posted: Posted) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let face = face(&desk, id, face_id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let (worn_field, day_field) = (format!("worn{face_id}"), format!("day{face_id}"));
    let anew = posted.form.get("anew") == "1";
    let worn = if anew { 0.0 } else { read.number(&worn_field, 0.0, 100.0) / 100.0 };
    let on_day = past_day(&mut read, &day_field);
    let note = read.text("note", NOTE_LIMIT);
    if read.faults.is_empty() && on_day < face.on_day {
        read.faults.add(InputError::new(&*day_field, format!("is before the coat of {}", face.on_day)));
    }
    if read.faults.is_empty() && !anew && on_day == face.on_day {
        read.faults.add(InputError::new(&*day_field, "is the day of the coat: nothing has worn yet"));
    }
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, &survey, posted.form.typed(), read.faults).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    if anew {
        work.renew_coated(&face, &on_day).await?;
    } else {
        work.see_coat(&face, &on_day, worn, &note).await?;
    }
    work.commit(&back(id)).await?;
    Ok(Answer::Go(back(id)))
}

#[post("/boats/<id>/finish/upkeep/<face_id>/withdraw", data = "<posted>")]
pub async fn withdraw(desk: Desk<'_>, _who: Crew, id: i64, face_id: i64, posted: Posted) -> Result {
    let all = store::coated(desk.store, id).await?;
    // Withdrawing twice is once.
    let Some(face) = all.into_iter().find(|f| f.id == face_id) else { return Ok(Answer::Go(back(id))) };
    let mut work = desk.store.begin(posted.act()).await?;
    work.withdraw_coated(&face).await?;
    work.commit(&back(id)).await?;
    Ok(Answer::Go(back(id)))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn face(on_day: &str) -> Coated {
        Coated {
            id: 1,
            boat_id: 1,
            what: "Coaming".into(),
            coat: Coating::Varnish,
            area: 2.0,
            tilt: 0.0,
            looks: Looks::Around,
            shade: 0.0,
            height: 0.0,
            on_day: on_day.into(),
        }
    }

    #[test]
    fn what_was_seen_of_an_earlier_coat_says_nothing_of_this_one() {
        let seen = |on_day: &str, worn| Seen {
            coated_id: 1,
            on_day: on_day.into(),
            worn,
            note: String::new(),
            by_name: String::new(),
        };
        let all = [seen("2025-06-01", 0.9), seen("2026-05-01", 0.1), seen("2026-11-01", 0.3)];
        assert_eq!(last(&face("2026-11-20"), &all), None);
        let last = last(&face("2025-11-01"), &all).unwrap();
        assert!((last.years - 365.0 / YEAR).abs() < 1e-9 && last.worn == 0.3);
    }

    #[test]
    fn a_flat_face_at_fifty_degrees_is_due_after_two_fifths_of_two_years() {
        let berth = Berth { latitude: 50.0, bow: None };
        let known = known(&face("2026-01-01"), berth, &[]).unwrap();
        // 0.8 years are 292 days.
        assert_eq!(known.due.to_string(), "2026-10-20");
    }
}
