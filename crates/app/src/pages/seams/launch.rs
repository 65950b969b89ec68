//! Launch: what is ready, the days round it, and how she takes up by what the pumps lift.

use std::fmt::Write;

use askama::Template;
use jiff::ToSpan;
use jiff::civil::Date;
use mend_keel_core::InputError;
use mend_keel_core::caution::Caution;
use mend_keel_core::seam::launch::{self, Course, Lifted, Ready, WET_DAYS};
use mend_keel_store::StoreError;
use mend_keel_store::seams::{self as store, Launch};
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::view;
use crate::view::reasons::{self, ReasonView};
use crate::web::auth::{BoatReader, Crew};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed, day};

#[derive(Template)]
#[template(path = "seams/launch.html")]
struct Show {
    page: Page,
    boat_id: i64,
    version: i64,
    days: Vec<(String, &'static str, &'static str)>,
    ready: Vec<(&'static str, &'static str, String)>,
    course: &'static str,
    class: &'static str,
    reasons: Vec<ReasonView>,
    svg: String,
    log: Vec<(String, String, String)>,
    caution: &'static str,
    typed: Typed,
    faults: Faults,
}

/// Most water written down, litres an hour.
const MOST_LITRES: f64 = 1e6;

async fn show(desk: &Desk<'_>, file: &BoatFile, typed: Typed, faults: Faults) -> std::result::Result<Show, AppError> {
    let boat = file.boat.id;
    let planned = store::launch(desk.store, boat).await?;
    let said = store::ready(desk.store, boat).await?;
    let log = store::lifted(desk.store, boat).await?;
    let broken = |e: InputError| AppError::Refused(e.to_string());
    let entries: Vec<Lifted> = log.iter().map(|l| Lifted { hours: l.hours, litres: l.litres }).collect();
    let (course, because) = launch::course(&entries, planned.as_ref().and_then(|p| p.pumps)).map_err(broken)?;
    let mut days = Vec::new();
    if let Some((planned, on)) = planned.as_ref().and_then(|p| Some((p, p.on_day.parse::<Date>().ok()?))) {
        let today = view::today();
        for due in launch::plan(planned.wet_days).map_err(broken)? {
            let Ok(date) = on.checked_add(i64::from(due.day).days()) else { continue };
            let date = date.to_string();
            let when = if date < today {
                "past"
            } else if date == today {
                "today"
            } else {
                ""
            };
            days.push((date, due.what, when));
        }
    }
    let ready = Ready::ALL
        .iter()
        .map(|r| {
            let by = said.iter().find(|s| s.0 == r.code());
            (r.code(), r.label(), by.map_or(String::new(), |(_, name, at)| format!("{name}, {}", view::when(at))))
        })
        .collect();
    let usual = Typed::default()
        .with("on_day", planned.as_ref().map_or(String::new(), |p| p.on_day.clone()))
        .with("wet_days", planned.as_ref().map_or(WET_DAYS, |p| p.wet_days).to_string())
        .with("pumps", planned.as_ref().and_then(|p| p.pumps).map_or(String::new(), |p| format!("{p:.0}")));
    Ok(Show {
        page: desk.boat_page(file, "Launch", "seams"),
        boat_id: boat,
        version: planned.map_or(0, |p| p.version),
        days,
        ready,
        course: course.label(),
        class: match course {
            Course::Tight => "holds",
            Course::Waits | Course::TakingUp => "",
            Course::Rising | Course::Late | Course::PumpsShort => "presses",
        },
        reasons: reasons::views(&because, desk.units),
        svg: draw(&entries),
        log: log
            .iter()
            .rev()
            .map(|l| {
                let told = if l.note.is_empty() { String::new() } else { format!(": {}", l.note) };
                (format!("{:.0} h", l.hours), format!("{:.0} l an hour", l.litres), format!("{}{told}", l.by_name))
            })
            .collect(),
        caution: Caution::FirstFloat.text(),
        typed: usual.over(&typed),
        faults,
    })
}

/// What the pumps lifted over the hours, with the week in which she should take up.
fn draw(log: &[Lifted]) -> String {
    if log.is_empty() {
        return String::new();
    }
    let last = log.iter().map(|l| l.hours).fold(f64::from(launch::TAKES_UP.1) * 24.0, f64::max);
    let most = log.iter().map(|l| l.litres).fold(1.0, f64::max);
    let at = |l: &Lifted| [60.0 + l.hours / last * 620.0, 190.0 - l.litres / most * 150.0];
    let mut out = String::from(
        "<svg class=\"deviations\" viewBox=\"0 0 720 230\" role=\"img\" aria-label=\"Litres an hour since she floated\"><path class=\"chord\" d=\"M60 190H690M60 190V30\"/>",
    );
    let days = (last / 24.0).ceil() as u32;
    for day in (0..=days).filter(|d| days <= 10 || d % (days / 8 + 1) == 0) {
        let x = 60.0 + f64::from(day) * 24.0 / last * 620.0;
        let _ = write!(
            out,
            "<path class=\"chord\" d=\"M{x:.0} 190v6\"/><text class=\"chart-text middle\" x=\"{x:.0}\" y=\"212\">{day} d</text>"
        );
    }
    let _ = write!(
        out,
        "<text class=\"chart-text end\" x=\"54\" y=\"44\">{most:.0}</text><text class=\"chart-text end\" x=\"54\" y=\"194\">0</text>"
    );
    let line = crate::view::svg::points(log.iter().map(at));
    let _ = write!(out, "<polyline class=\"lifted\" points=\"{line}\"/>");
    for [x, y] in log.iter().map(at) {
        let _ = write!(out, "<circle class=\"measured-point\" cx=\"{x:.0}\" cy=\"{y:.0}\" r=\"5\"/>");
    }
    out + "</svg>"
}

#[get("/boats/<id>/seams/launch")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    render(&show(&desk, &file, Typed::default(), Faults::default()).await?)
}

#[post("/boats/<id>/seams/launch", data = "<posted>")]
pub async fn plan(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let on_day = day(&mut read, "on_day");
    if on_day.is_none() && !read.faults.has("on_day") {
        read.faults.add(InputError::new("on_day", "is needed: the days count from it"));
    }
    let wet_days = read.whole("wet_days", 0, 60);
    let pumps = read.optional_number("pumps", 1.0, MOST_LITRES);
    let version = posted.form.get("version").parse().unwrap_or(0);
    let (Some(on_day), true) = (on_day, read.faults.is_empty()) else {
        return render_faulty(&show(&desk, &file, posted.form.typed(), read.faults).await?);
    };
    let mut work = desk.store.begin(posted.act()).await?;
    match work.set_launch(&Launch { boat_id: id, on_day, wet_days, pumps, version }).await {
        Ok(()) => done(work, id).await,
        Err(StoreError::Conflict(why)) => {
            drop(work);
            let mut faults = Faults::default();
            faults.add(InputError::new("on_day", why));
            render_faulty(&show(&desk, &file, posted.form.typed(), faults).await?)
        }
        Err(e) => Err(e.into()),
    }
}

async fn done(work: mend_keel_store::Work, boat: i64) -> Result {
    let location = format!("/boats/{boat}/seams/launch");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// Says that something is ready, or takes it back.
#[post("/boats/<id>/seams/launch/ready", data = "<posted>")]
pub async fn ready(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let what = Ready::from_code(posted.form.get("what")).ok_or(AppError::NotFound("point of the launch"))?;
    let on = posted.form.get("on") == "1";
    let file = BoatFile::load(desk.store, id).await?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_ready(file.boat.id, what.code(), what.label(), on).await?;
    done(work, id).await
}

/// Writes down what the pumps lift.
#[post("/boats/<id>/seams/launch/log", data = "<posted>")]
pub async fn log(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let hours = read.number("hours", 0.0, 8_000.0);
    let litres = read.number("litres", 0.0, MOST_LITRES);
    let note = read.text("note", NOTE_LIMIT);
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, &file, posted.form.typed(), read.faults).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_lifted(id, hours, litres, &note).await?;
    done(work, id).await
}
