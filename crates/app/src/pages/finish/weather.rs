//! Fourteen days: when each coat may begin, what forbids every other hour, and all coats placed to finish earliest.

use askama::Template;
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp};
use mend_keel_core::InputError;
use mend_keel_core::finish::coats::{self, Coat, Job, NoPlace, Plan, Why, Work};
use mend_keel_exchange::sheet::weather::{WeatherRow, read_weather, write_weather};
use mend_keel_store::plans;
use mend_keel_store::weather::Placed;
use rocket::http::ContentType;
use rocket::{FromForm, get, post};

use crate::file::boat::BoatFile;
use crate::file::instruments;
use crate::file::weather::{DAYS, Outlook, Waiting, foretold, kept, waiting};
use crate::view;
use crate::view::hours::{self as strip, Bar, Row};
use crate::web::auth::{BoatReader, Crew};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, Posted, Reader, Submission, Typed};
use crate::web::heavy;
use crate::web::uploads::{FaultView, uploaded};

#[derive(Template)]
#[template(path = "finish/weather.html")]
struct Show {
    page: Page,
    boat_id: i64,
    svg: String,
    /// Nothing to draw, and why.
    none: &'static str,
    simulated: bool,
    coats: Vec<CoatLine>,
    /// Areas and the coat of theirs that finds no place, with what forbade how many hours.
    no_place: Vec<(String, String, String)>,
    finish: String,
    /// How good it is.
    proof: String,
    /// What is posted back with the plan, to be kept as it was shown.
    kept: String,
    told: Vec<FaultView>,
    typed: Typed,
    faults: Faults,
}

struct CoatLine {
    what: String,
    coat: String,
    when: String,
    dry: String,
    sand: String,
    waits: String,
}

/// How a plan is asked for.
#[derive(Debug, Default, FromForm)]
pub struct Asked<'r> {
    painters: Option<&'r str>,
    from: Option<&'r str>,
    to: Option<&'r str>,
    saturday: Option<&'r str>,
    warmer: Option<&'r str>,
    drier: Option<&'r str>,
}

impl Asked<'_> {
    fn typed(&self) -> Typed {
        let said = |text: Option<&str>, usual: &str| text.unwrap_or(usual).trim().chars().take(12).collect::<String>();
        Typed::default()
            .with("painters", said(self.painters, "1"))
            .with("from", said(self.from, "8"))
            .with("to", said(self.to, "17"))
            .with("saturday", said(self.saturday, ""))
            .with("warmer", said(self.warmer, "8"))
            .with("drier", said(self.drier, "20"))
    }
}

/// Plans tried where painters are short.
const EFFORT: usize = 200;
/// Longest forecast taken, hours.
const MOST_HOURS: usize = 24 * 60;

/// Working time and the shed's air as they were typed.
fn working(typed: &Typed, faults: &mut Faults) -> (Work, [f64; 2]) {
    let mut form = Submission::default();
    for field in ["painters", "from", "to", "warmer", "drier"] {
        form.set(field, typed.get(field).to_owned());
    }
    let mut read = Reader::new(&form, mend_keel_core::units::LengthUnit::default());
    let painters = read.whole("painters", 1, 50);
    let (from, to) = (read.whole("from", 0, 23) as usize, read.whole("to", 1, 24) as usize);
    let shed = [read.number("warmer", -20.0, 30.0), -read.number("drier", -50.0, 80.0)];
    if read.faults.is_empty() && from >= to {
        read.faults.add(InputError::new("to", "must be after the hour work begins"));
    }
    *faults = read.faults;
    let last = if typed.is("saturday", "1") { 6 } else { 5 };
    (Work { weekdays: (1..=last).collect(), from, to, painters }, shed)
}

/// What a coat waited for, in words, the longest first.
fn waits(coat: &Coat) -> String {
    let Why { cold, hot, damp, dew, rain, wind, .. } = coat.waits;
    let mut causes = vec![
        (rain, "rain"),
        (dew, "dew"),
        (damp, "damp air"),
        (cold, "cold"),
        (hot, "heat"),
        (wind, "wind"),
        (coat.painter, "the painter, or the coat after it"),
    ];
    causes.retain(|(n, _)| *n > 0);
    causes.sort_by_key(|(n, _)| std::cmp::Reverse(*n));
    causes.iter().map(|(n, what)| format!("{n} h {what}")).collect::<Vec<_>>().join(", ")
}

fn forbids(told: &NoPlace) -> String {
    let w = &told.why;
    let all = [
        (w.hours, "outside working hours, or it would not end in them"),
        (w.end, "past the end of the forecast"),
        (w.rain, "rain"),
        (w.dew, "dew"),
        (w.damp, "damp air"),
        (w.cold, "cold"),
        (w.hot, "heat"),
        (w.wind, "wind"),
    ];
    let told = all.iter().filter(|(n, _)| *n > 0).map(|(n, what)| format!("{n} h {what}"));
    told.collect::<Vec<_>>().join(", ")
}

/// The drawing and the list of a plan.
fn shown(
    show: &mut Show,
    outlook: &Outlook,
    areas: &[Waiting<'_>],
    starts: Vec<Vec<Why>>,
    plan: Option<&Plan>,
    short: &[NoPlace],
) {
    let when = |hour: usize| view::when_next(&outlook.at(hour).to_string());
    let placed: &[Coat] = plan.map_or(&[], |plan| &plan.coats);
    let name = |c: &Coat| areas[c.area].coats.get(c.step).map_or(String::new(), |coat| coat.name.clone());
    let rows: Vec<Row> = areas
        .iter()
        .zip(starts)
        .enumerate()
        .map(|(i, (area, starts))| Row {
            label: area.what.clone(),
            starts,
            coats: placed
                .iter()
                .filter(|c| c.area == i)
                .map(|c| Bar { label: name(c), from: c.from, to: c.to, touch_dry: c.touch_dry, sand: c.sand.clone() })
                .collect(),
        })
        .collect();
    let days: Vec<String> = (0..outlook.weather.len().div_ceil(24))
        .map(|day| {
            let at = outlook.at(24 * day).to_zoned_datetime(TimeZone::system());
            at.strftime("%a %-d %b").to_string()
        })
        .collect();
    show.svg = strip::draw(&rows, &days, outlook.now);
    show.simulated = outlook.simulated;
    show.no_place = short
        .iter()
        .map(|t| {
            let coat = areas[t.area].coats.get(t.step).map_or(String::new(), |c| c.name.clone());
            (areas[t.area].what.clone(), coat, forbids(t))
        })
        .collect();
    let Some(plan) = plan else { return };
    show.finish = when(plan.finish);
    show.proof = match (plan.proven, plan.finish > plan.bound) {
        (true, _) => "no plan finishes earlier".to_owned(),
        (false, true) => format!("no plan finishes before {}", when(plan.bound)),
        (false, false) => "no plan finishes earlier; one with less sanding may be there".to_owned(),
    };
    show.coats = plan
        .coats
        .iter()
        .map(|c| CoatLine {
            what: areas[c.area].what.clone(),
            coat: name(c),
            when: when(c.from),
            dry: when(c.touch_dry),
            sand: match c.sand.len() {
                0 => String::new(),
                n => format!("sand first: waited too long, {n} h"),
            },
            waits: waits(c),
        })
        .collect();
    show.kept = plan
        .coats
        .iter()
        .filter_map(|c| Some(format!("{}:{}", areas[c.area].coats.get(c.step)?.id, outlook.at(c.from))))
        .collect::<Vec<_>>()
        .join(" ");
}

async fn show(
    desk: &Desk<'_>,
    file: &BoatFile,
    typed: Typed,
    told: Vec<FaultView>,
    faults: Faults,
) -> std::result::Result<Show, AppError> {
    let now = Timestamp::now();
    let forecast = kept(desk.store, now).await?;
    let all = plans::of_boat(desk.store, file.boat.id, "finish").await?;
    let mut show = Show {
        page: desk.boat_page(file, "Fourteen days", "finish"),
        boat_id: file.boat.id,
        svg: String::new(),
        none: "",
        simulated: false,
        coats: Vec::new(),
        no_place: Vec::new(),
        finish: String::new(),
        proof: String::new(),
        kept: String::new(),
        told,
        typed,
        faults,
    };
    let mut asked_wrong = Faults::default();
    let (work, shed) = working(&show.typed, &mut asked_wrong);
    if !asked_wrong.is_empty() {
        show.faults = asked_wrong;
        return Ok(show);
    }
    let Some(outlook) = Outlook::of(&forecast, now) else {
        show.none = "No forecast is kept that reaches this hour. Bring one in as a file.";
        return Ok(show);
    };
    let areas = waiting(&all, &file.coats, &outlook);
    if areas.is_empty() {
        show.none = "No coat waits to be laid. Plan a finish first.";
        return Ok(show);
    }
    let job = Job {
        first_weekday: outlook.first_weekday,
        weather: outlook.weather.clone(),
        shed,
        work,
        areas: areas.iter().map(|w| w.area.clone()).collect(),
    };
    let (starts, placing) =
        heavy::compute(|| (coats::first_starts(&job), coats::as_far_as_it_goes(&job, EFFORT))).await?;
    let refused = |e: InputError| AppError::Refused(e.to_string());
    let (plan, short) = placing.map_err(refused)?;
    shown(&mut show, &outlook, &areas, starts.map_err(refused)?, plan.as_ref(), &short);
    Ok(show)
}

#[get("/boats/<id>/finish/weather?<asked..>")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64, asked: Asked<'_>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let show = show(&desk, &file, asked.typed(), Vec::new(), Faults::default()).await?;
    if show.faults.is_empty() { render(&show) } else { render_faulty(&show) }
}

/// A forecast as the file it is taken from: the simulated one, to look at or to change.
#[get("/boats/<_id>/finish/weather.csv")]
pub async fn csv(desk: Desk<'_>, _who: Crew, _id: i64) -> Result {
    let rows: Vec<WeatherRow> = kept(desk.store, Timestamp::now())
        .await?
        .into_iter()
        .map(|f| WeatherRow { at: f.at, temperature: f.temperature, humidity: f.humidity, rain: f.rain, wind: f.wind })
        .collect();
    Ok(Answer::File("forecast.csv".to_owned(), ContentType::CSV, write_weather(rows.iter()).into_bytes()))
}

/// The start of the hour a file names: a moment, or a local date and time.
fn hour(text: &str) -> Option<Timestamp> {
    let text = text.trim();
    let local = |t: &str| {
        let at: jiff::civil::DateTime = t.parse().ok()?;
        Some(at.to_zoned_datetime(TimeZone::system()).ok()?.timestamp())
    };
    let at = text.parse::<Timestamp>().ok().or_else(|| local(text))?;
    Timestamp::from_second(at.as_second().div_euclid(3_600) * 3_600).ok()
}

/// Takes a forecast out of a file, or the simulated one; it takes the place of the one before.
#[post("/boats/<id>/finish/weather", data = "<posted>")]
pub async fn take(desk: Desk<'_>, _who: Crew, id: i64, mut posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let simulated = posted.form.get("simulated") == "1";
    let again = async |told: Vec<FaultView>, fault: InputError| {
        let mut faults = Faults::default();
        faults.add(fault);
        render_faulty(&show(&desk, &file, Asked::default().typed(), told, faults).await?)
    };
    let rows: Vec<(u64, WeatherRow)> = if simulated {
        desk.may_stand_in()?;
        let from = hour(&(Timestamp::now() - SignedDuration::from_hours(24)).to_string()).unwrap_or_default();
        let hours = u32::try_from((DAYS + 2) * 24).unwrap_or_default();
        let seed = from.as_second().unsigned_abs() / 86_400;
        instruments::forecast(from, hours, seed).into_iter().map(|r| (0, r)).collect()
    } else {
        let bytes = match uploaded(&mut posted.form) {
            Ok(bytes) => bytes,
            Err(e) => return again(Vec::new(), e).await,
        };
        let loaded = read_weather(&bytes);
        if !loaded.faults.is_empty() {
            let told = loaded.faults.iter().map(FaultView::new).collect();
            return again(told, InputError::new("file", "some rows cannot be read; nothing was taken")).await;
        }
        loaded.rows
    };
    if rows.is_empty() || rows.len() > MOST_HOURS {
        let message = format!("needs 1 to {MOST_HOURS} hours, has {}", rows.len());
        return again(Vec::new(), InputError::new("file", message)).await;
    }
    let mut hours = Vec::with_capacity(rows.len());
    for (line, row) in rows {
        let Some(at) = hour(&row.at) else {
            let message = format!("line {line}: “{}” is no date and time", row.at);
            return again(Vec::new(), InputError::new("file", message)).await;
        };
        hours.push(foretold(&row, at.to_string(), simulated));
    }
    let location = format!("/boats/{id}/finish/weather");
    let mut work = desk.store.begin(posted.act()).await?;
    let told = format!("A forecast of {} hours{}", hours.len(), if simulated { ", simulated" } else { "" });
    work.set_forecast(&hours, &told).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// Keeps when the coats go on, as the plan was shown.
#[post("/boats/<id>/finish/weather/keep", data = "<posted>")]
pub async fn keep(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let placed: Option<Vec<Placed>> = posted
        .form
        .get("kept")
        .split_whitespace()
        .map(|one| {
            let (coat, from) = one.split_once(':')?;
            Some(Placed { coat: coat.parse().ok()?, from: from.parse().ok()? })
        })
        .collect();
    let placed = placed
        .filter(|p| !p.is_empty())
        .ok_or_else(|| AppError::Refused("no plan was shown that could be kept".into()))?;
    // No coat is laid by a forecast that nobody foretold.
    if kept(desk.store, Timestamp::now()).await?.iter().any(|f| f.simulated) {
        return Err(AppError::Refused("the forecast is simulated: bring one in as a file, then keep the times".into()));
    }
    let location = format!("/boats/{id}/finish");
    let mut work = desk.store.begin(posted.act()).await?;
    work.place_coats(id, &placed, &format!("{} coats placed by the forecast", placed.len())).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
