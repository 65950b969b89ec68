//! The plan of work: all open tasks of all boats on the yard's days, people and gear; kept, and planned again.

use std::collections::{BTreeSet, HashMap, HashSet};

use askama::Template;
use jiff::civil::{Date, DateTime};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan, Unit, ZonedDateTime};
use mend_keel_core::InputError;
use mend_keel_core::work::estimate::held;
use mend_keel_core::work::plan::{self as core, Gear, Outcome};
use mend_keel_exchange::calendar::{self, Entry};
use mend_keel_store::boats::Boat;
use mend_keel_store::planned::{self as store, Hours, NewErrand};
use mend_keel_store::{StoreError, boats, seams, tasks};
use rocket::http::ContentType;
use rocket::{FromForm, get, post};

use crate::file::learned::YardRates;
use crate::file::planned::{self, Body, Piece};
use crate::view;
use crate::view::gantt::{self, Bar, Day};
use crate::web::auth::Crew;
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, Posted, Reader, Typed, day};
use crate::web::heavy;

#[derive(Template)]
#[template(path = "plan.html")]
struct Show {
    page: Page,
    svg: String,
    by: &'static str,
    ways: [(&'static str, &'static str); 3],
    none: &'static str,
    kept: String,
    finish: String,
    odds: String,
    proof: String,
    gains: Vec<String>,
    moved: Vec<(String, String, String)>,
    drift: String,
    /// Boats that are launched, and whether what is planned of them comes too late.
    launches: Vec<LaunchView>,
    next: Vec<NextView>,
    errands: Vec<ErrandView>,
    closed: Vec<(String, String)>,
    held: String,
    week: Vec<(usize, &'static str, bool)>,
    version: i64,
    kinds: Vec<(String, String)>,
    boats: Vec<(String, String)>,
    /// The form of an errand, or of the hours, has something to look at again.
    errand_wrong: bool,
    hours_wrong: bool,
    typed: Typed,
    faults: Faults,
}

struct LaunchView {
    boat: i64,
    says: String,
    late: bool,
}

struct NextView {
    task: i64,
    /// It may be given a day here; fastenings, seams and coats are kept where they are done.
    is_task: bool,
    boat: i64,
    what: String,
    part: String,
    when: String,
    by: String,
    critical: bool,
    set: String,
}

struct ErrandView {
    id: i64,
    what: String,
    when: String,
}

/// Kinds of errands.
const KINDS: [(&str, &str); 7] = [
    ("buy", "Buy or order"),
    ("fetch", "Fetch"),
    ("clean", "Clean and tidy"),
    ("visit", "Visit"),
    ("crane", "Crane or haul"),
    ("tide", "Tide"),
    ("class", "Class or volunteer day"),
];

/// How the strip is laid out.
const WAYS: [(&str, &str); 3] = [("part", "By part"), ("people", "By people"), ("gear", "By gear")];

/// Days drawn at most, and how long the plan is searched for, s.
const STRIP: i32 = 70;
const SEARCH: f64 = 4.0;
/// Blocks listed as what comes next.
const NEXT: usize = 14;

fn today() -> Date {
    ZonedDateTime::now().date()
}

/// Hours from today's midnight.
fn hours_from(today: Date, at: DateTime) -> f64 {
    at.since((Unit::Minute, today.at(0, 0, 0, 0))).map_or(0.0, |s| s.get_minutes() as f64 / 60.0)
}

fn when(at: DateTime) -> String {
    at.strftime("%a %-d %b, %H:%M").to_string()
}

#[derive(Debug, FromForm)]
pub struct Asked<'r> {
    by: Option<&'r str>,
}

impl Show {
    /// What the plan that is kept says, drawn.
    fn draw(&mut self, body: &Body, hours: &Hours, closed: &[(String, String)], done: &HashSet<i64>) {
        let today = today();
        let bar = |p: &Piece| {
            let ready = !p.tasks.is_empty() && p.tasks.iter().all(|t| done.contains(t));
            let class = match (&p.key[..1], ready) {
                (_, true) => "done",
                ("c", _) => "cure",
                ("e", _) => "errand",
                _ => "work",
            };
            let by = if p.by.is_empty() { String::new() } else { format!(", {}", p.by.join(" and ")) };
            Bar {
                from: hours_from(today, p.from),
                to: hours_from(today, p.to),
                says: format!(
                    "{}{}: {} to {}{by}",
                    if p.part.is_empty() { String::new() } else { format!("{}, ", p.part) },
                    p.what,
                    when(p.from),
                    when(p.to)
                ),
                label: p.what.clone(),
                class,
                critical: p.critical && !ready,
                href: p.boat.map_or("/plan".to_owned(), |b| format!("/boats/{b}/work")),
            }
        };
        let bars = body.pieces.iter().flat_map(|p| {
            let keys: Vec<Option<(String, String)>> = match self.by {
                "people" => p.by.iter().map(|name| Some((name.clone(), String::new()))).collect(),
                "gear" => vec![p.gear.map(|g| (g.label().to_owned(), String::new()))],
                _ if p.part.is_empty() => vec![Some(("Errands".to_owned(), String::new()))],
                _ => vec![Some((p.part.clone(), p.boat_name.clone()))],
            };
            keys.into_iter().map(move |key| (key, p))
        });
        let rows = gantt::rows_by(bars.map(|(key, p)| (key, bar(p))));
        let rows: Vec<_> = rows.into_iter().filter(|r| r.bars.iter().any(|b| b.to > 0.0)).collect();
        let last = body.pieces.iter().map(|p| p.to.date()).max().unwrap_or(today);
        let days = today.until((Unit::Day, last)).map_or(0, |s| s.get_days()).clamp(6, STRIP - 1) + 1;
        let yard = planned::yard(hours, closed, today, 0);
        let days: Vec<Day> = (0..days)
            .map(|n| Day {
                name: today.saturating_add(n.days()).strftime("%a %-d %b").to_string(),
                closed: !yard.works_on(n.unsigned_abs()),
            })
            .collect();
        let now = ZonedDateTime::now().datetime();
        if rows.is_empty() {
            self.none = "Nothing of this plan lies ahead.";
        } else {
            self.svg = gantt::draw(&rows, &days, [hours.from_hour, hours.to_hour], hours_from(today, now));
        }
        self.finish = body.finish.map_or(String::new(), when);
        self.odds = match (body.even, body.rarely_later) {
            (Some(even), Some(late)) => {
                format!("as likely as not by {}, rarely later than {}", when(even), when(late))
            }
            _ => String::new(),
        };
        self.proof = match (body.proven, body.bound) {
            (true, _) => "No plan finishes earlier.".to_owned(),
            (false, Some(bound)) => format!("No plan finishes before {}.", when(bound)),
            (false, None) => String::new(),
        };
        self.gains = body.gains.iter().map(|(what, hours)| gain(what, *hours)).collect();
        self.moved = body.moved.iter().take(NEXT).map(|(what, a, b)| (what.clone(), when(*a), when(*b))).collect();
    }
}

/// Launches to come, each with when the last of that boat's planned work ends.
async fn launches(
    desk: &Desk<'_>,
    body: &Body,
    done: &HashSet<i64>,
    today: Date,
    boats: &[Boat],
) -> std::result::Result<Vec<LaunchView>, AppError> {
    let days = seams::launches(desk.store, &today.to_string()).await?;
    let days: Vec<(i64, Date)> = days.iter().filter_map(|l| Some((l.boat_id, l.on_day.parse().ok()?))).collect();
    let said = |l: planned::Launching| {
        let name = boats.iter().find(|b| b.id == l.boat).map_or("", |b| b.name.as_str());
        let day = view::day(&l.day.to_string());
        let late = l.is_late();
        let says = match (l.ends, l.days_left) {
            (Some(ends), Some(left)) => {
                let apart = match left {
                    0 => "on the very day".to_owned(),
                    1 | -1 => format!("a day {}", if left > 0 { "before" } else { "after" }),
                    _ => format!("{} days {}", left.abs(), if left > 0 { "before" } else { "after" }),
                };
                format!("{name} is launched on {day}: the last of her planned work ends {}, {apart}.", when(ends))
            }
            _ => format!("{name} is launched on {day}: no work of hers is planned."),
        };
        LaunchView { boat: l.boat, says, late }
    };
    Ok(planned::launching(body, &days, done).into_iter().map(said).collect())
}

/// What one more would gain, in words.
fn gain(what: &str, hours: u32) -> String {
    let more = Gear::from_code(what).map_or("pair of hands".to_owned(), |g| g.label().to_lowercase());
    match hours {
        0 => format!("One more {more} gains nothing."),
        h if h < 48 => format!("One more {more} gains {h} h."),
        h => format!("One more {more} gains {:.0} days.", f64::from(h) / 24.0),
    }
}

async fn show(desk: &Desk<'_>, by: Option<&str>, typed: Typed, faults: Faults) -> std::result::Result<Show, AppError> {
    let hours = store::hours(desk.store).await?;
    let today = today();
    let closed = store::closed(desk.store, &today.to_string()).await?;
    let kept = planned::kept(desk.store).await?;
    let ids = tasks::ids(desk.store).await?;
    let (done, open): (Vec<_>, Vec<_>) = ids.into_iter().partition(|(_, done)| *done);
    let set = |all: Vec<(i64, bool)>| all.into_iter().map(|(id, _)| id).collect::<HashSet<i64>>();
    let (done, open) = (set(done), set(open));
    let days: HashMap<i64, String> = store::task_days(desk.store).await?.into_iter().collect();
    let boats = boats::list(desk.store).await?;
    let known = YardRates::load(desk.store).await?;
    let (within, all) = held(&known.jobs);
    let usual = Typed::default()
        .with("people", hours.people.to_string())
        .with("from", hours.from_hour.to_string())
        .with("to", hours.to_hour.to_string())
        .with("clamps", hours.clamps.to_string())
        .with("steam", hours.steam_boxes.to_string())
        .with("hours", "1")
        .with("hands", "1");
    let week = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
    let mut show = Show {
        page: desk.page("Plan of work", "plan"),
        svg: String::new(),
        by: WAYS.iter().find(|(code, _)| Some(*code) == by).map_or("part", |w| w.0),
        ways: WAYS,
        none: "",
        kept: String::new(),
        finish: String::new(),
        odds: String::new(),
        proof: String::new(),
        gains: Vec::new(),
        moved: Vec::new(),
        drift: String::new(),
        launches: Vec::new(),
        next: Vec::new(),
        errands: store::errands(desk.store)
            .await?
            .into_iter()
            .map(|e| ErrandView {
                id: e.id,
                when: match (&e.at, &e.not_before) {
                    (Some(at), _) => at.parse().map_or(at.clone(), when),
                    (None, Some(day)) => format!("not before {}", view::day(day)),
                    (None, None) => view::hours(e.hours),
                },
                what: e.what,
            })
            .collect(),
        closed: closed.iter().map(|(day, why)| (day.clone(), why.clone())).collect(),
        held: if all == 0 {
            "No task was done with hours booked yet: estimates are the table’s.".to_owned()
        } else {
            format!("{within} of {all} tasks done stayed within the hours that were rarely to be passed.")
        },
        week: week
            .into_iter()
            .enumerate()
            .map(|(n, name)| (n, name, hours.days.as_bytes().get(n) == Some(&b'1')))
            .collect(),
        version: hours.version,
        kinds: KINDS.iter().map(|(c, l)| ((*c).to_owned(), (*l).to_owned())).collect(),
        boats: boats.iter().filter(|b| !b.archived).map(|b| (b.id.to_string(), b.name.clone())).collect(),
        errand_wrong: ["what", "hours", "hands", "at", "not_before"].iter().any(|f| faults.has(f)),
        hours_wrong: ["people", "from", "to", "days", "clamps", "steam"].iter().any(|f| faults.has(f)),
        typed: usual.over(&typed),
        faults,
    };
    let Some((kept, body)) = kept else {
        show.none = if open.is_empty() {
            "No task is open on any boat: decide on a part first."
        } else {
            "Nothing is planned yet. Say who works when, then plan."
        };
        return Ok(show);
    };
    show.kept = format!("{}, {}", kept.by_name, view::when(&kept.at));
    show.draw(&body, &hours, &closed, &done);
    show.launches = launches(desk, &body, &done, today, &boats).await?;
    let (new, gone) = planned::drift(&body, &open, &done);
    if new + gone > 0 {
        show.drift =
            format!("{new} open tasks are not in this plan, {gone} of it are not to be done any more: plan again.");
    }
    let now = ZonedDateTime::now().datetime();
    let late = body.pieces.iter().filter(|p| p.to < now && p.tasks.iter().any(|t| open.contains(t))).count();
    if late > 0 && show.drift.is_empty() {
        show.drift = format!("{late} blocks should be done by now and are not: plan again.");
    }
    let mut ahead: Vec<&Piece> =
        body.pieces.iter().filter(|p| p.tasks.iter().any(|t| open.contains(t) || (*t < 0 && p.to > now))).collect();
    ahead.sort_by_key(|p| p.from);
    show.next = ahead
        .into_iter()
        .enumerate()
        // What somebody set to a day is found again however far ahead it lies.
        .filter(|(i, p)| *i < NEXT || p.tasks.first().is_some_and(|t| days.contains_key(t)))
        .filter_map(|(_, p)| {
            let task = *p.tasks.first()?;
            Some(NextView {
                task,
                is_task: task >= 0,
                boat: p.boat?,
                what: p.what.clone(),
                part: format!("{}, {}", p.part, p.boat_name),
                when: when(p.from),
                by: p.by.join(" and "),
                critical: p.critical,
                set: days.get(&task).cloned().unwrap_or_default(),
            })
        })
        .collect();
    Ok(show)
}

#[get("/plan?<asked..>")]
pub async fn page(desk: Desk<'_>, _who: Crew, asked: Asked<'_>) -> Result {
    render(&show(&desk, asked.by, Typed::default(), Faults::default()).await?)
}

const HERE: &str = "/plan";

/// Plans all open work and keeps the plan.
#[post("/plan", data = "<posted>")]
pub async fn make(desk: Desk<'_>, _who: Crew, posted: Posted) -> Result {
    let hours = store::hours(desk.store).await?;
    let today = today();
    let closed = store::closed(desk.store, &today.to_string()).await?;
    let at = Timestamp::now();
    let now = at.to_zoned_datetime(TimeZone::system()).datetime();
    let hour_of = |day: &str| planned::day_number(today, day).map(|days| 24 * days);
    let known = YardRates::load(desk.store).await?;
    let open = planned::open(desk.store, at, &known, hour_of).await?;
    let boats: HashMap<i64, String> = boats::list(desk.store).await?.into_iter().map(|b| (b.id, b.name)).collect();
    let (mut errands, mut names) = (Vec::new(), Vec::new());
    for e in store::errands(desk.store).await? {
        let begins = e.at.as_deref().and_then(|at| at.parse::<DateTime>().ok()).map(|at| hours_from(today, at));
        // An appointment that has passed is not planned any more.
        if begins.is_some_and(|b| b < 0.0) {
            continue;
        }
        errands.push(core::Errand {
            hours: e.hours,
            people: e.people,
            at: begins.map(|b| b.floor() as u32),
            earliest: e.not_before.as_deref().and_then(hour_of).unwrap_or(0),
        });
        let boat = e.boat_id.and_then(|id| boats.get(&id).cloned()).unwrap_or_default();
        names.push((e.id, e.boat_id, boat, e.what));
    }
    let whole_hour = u32::from(now.hour().unsigned_abs()) + u32::from(now.minute() > 0);
    let yard = planned::yard(&hours, &closed, today, whole_hour);
    let outcome = heavy::compute(|| planned::search(&open, &errands, &yard, &known, SEARCH)).await?;
    let again = async |fault: InputError| {
        let mut faults = Faults::default();
        faults.add_under("plan", fault);
        render_faulty(&show(&desk, None, posted.form.typed(), faults).await?)
    };
    let plan = match outcome {
        Ok(Outcome::Plan(plan)) => plan,
        Ok(Outcome::Impossible { why, tasks }) => {
            let told: Vec<&str> = tasks.iter().filter_map(|id| open.what.get(id)).map(String::as_str).take(4).collect();
            return again(InputError::new("plan", format!("there is no plan: {why} ({})", told.join("; ")))).await;
        }
        Err(e) => return again(e).await,
    };
    let before = planned::kept(desk.store).await?.map(|(_, body)| body);
    let body = planned::body(&plan, &open, &names, &planned::people(desk.store).await?, today, before.as_ref());
    let told =
        format!("Work planned: {} blocks, done by {}", body.pieces.len(), body.finish.map_or(String::new(), when));
    let value = serde_json::to_value(&body).map_err(|e| AppError::Refused(e.to_string()))?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.keep_plan(&value, &told).await?;
    work.commit(HERE).await?;
    Ok(Answer::Go(HERE.to_owned()))
}

/// When and with what the yard works.
#[post("/plan/hours", data = "<posted>")]
pub async fn hours(desk: Desk<'_>, _who: Crew, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let days: String = (0..7).map(|n| if read.is_on(&format!("day{n}")) { '1' } else { '0' }).collect();
    let new = Hours {
        from_hour: read.whole("from", 0, 23),
        to_hour: read.whole("to", 1, 24),
        people: read.whole("people", 1, 200),
        clamps: read.whole("clamps", 0, 1_000),
        steam_boxes: read.whole("steam", 0, 100),
        version: posted.form.get("version").parse().unwrap_or(0),
        days,
    };
    if !new.days.contains('1') {
        read.faults.add(InputError::new("days", "work on one day of the week at least"));
    }
    if read.faults.is_empty() && new.to_hour <= new.from_hour {
        read.faults.add(InputError::new("to", "must be after the hour work begins"));
    }
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, None, posted.form.typed(), read.faults).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    if let Err(e) = work.set_hours(&new).await {
        drop(work);
        let StoreError::Conflict(says) = e else { return Err(e.into()) };
        read.faults.add(InputError::new("people", says));
        return render_faulty(&show(&desk, None, posted.form.typed(), read.faults).await?);
    }
    work.commit(HERE).await?;
    Ok(Answer::Go(HERE.to_owned()))
}

/// The day a form names, and why it is closed.
fn closed_day(read: &mut Reader<'_>) -> (Option<String>, String) {
    let named = day(read, "closed");
    if named.is_none() && read.faults.is_empty() {
        read.faults.add(InputError::new("closed", "say which day"));
    }
    (named, read.text("closed_why", 80))
}

/// Closes a day: nobody works on it.
#[post("/plan/closed", data = "<posted>")]
pub async fn close(desk: Desk<'_>, _who: Crew, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let (named, why) = closed_day(&mut read);
    let (Some(named), true) = (named, read.faults.is_empty()) else {
        return render_faulty(&show(&desk, None, posted.form.typed(), read.faults).await?);
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.close_day(&named, Some(&why)).await?;
    work.commit(HERE).await?;
    Ok(Answer::Go(HERE.to_owned()))
}

/// Opens a closed day again.
#[post("/plan/open", data = "<posted>")]
pub async fn open(desk: Desk<'_>, _who: Crew, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let (named, _) = closed_day(&mut read);
    let (Some(named), true) = (named, read.faults.is_empty()) else {
        return render_faulty(&show(&desk, None, posted.form.typed(), read.faults).await?);
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.close_day(&named, None).await?;
    work.commit(HERE).await?;
    Ok(Answer::Go(HERE.to_owned()))
}

/// Something to be done beside the repairs.
#[post("/plan/errands", data = "<posted>")]
pub async fn errand(desk: Desk<'_>, _who: Crew, posted: Posted) -> Result {
    let known: BTreeSet<i64> = boats::list(desk.store).await?.iter().map(|b| b.id).collect();
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let at = posted.form.get("at").trim().to_owned();
    let not_before = day(&mut read, "not_before");
    let boat = posted.form.get("boat").parse::<i64>().ok().filter(|id| known.contains(id));
    let new = NewErrand {
        boat_id: boat,
        kind: read.choice("kind", |code| KINDS.iter().find(|(c, _)| *c == code)).map_or("", |k| k.0),
        what: read.name("what"),
        hours: read.number("hours", 0.1, 200.0),
        people: read.whole("hands", 0, 50),
        at: (!at.is_empty()).then(|| at.clone()),
        not_before,
    };
    if new.at.is_some() && at.parse::<DateTime>().is_err() {
        read.faults.add(InputError::new("at", "write a date and time as 2026-12-01T10:00"));
    }
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, None, posted.form.typed(), read.faults).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_errand(&new).await?;
    work.commit(HERE).await?;
    Ok(Answer::Go(HERE.to_owned()))
}

#[post("/plan/errands/<id>/<verb>", data = "<posted>")]
pub async fn errand_over(desk: Desk<'_>, _who: Crew, id: i64, verb: &str, posted: Posted) -> Result {
    let errand = store::errand(desk.store, id).await?;
    let mut work = desk.store.begin(posted.act()).await?;
    match verb {
        "done" => work.finish_errand(&errand).await?,
        "withdraw" => work.withdraw_errand(&errand).await?,
        _ => return Err(AppError::NotFound("page")),
    }
    work.commit(HERE).await?;
    Ok(Answer::Go(HERE.to_owned()))
}

/// Sets a task not to begin before a day; an empty day frees it.
#[post("/plan/tasks/<boat>/<task>/day", data = "<posted>")]
pub async fn task_day(desk: Desk<'_>, _who: Crew, boat: i64, task: i64, posted: Posted) -> Result {
    let task = tasks::find(desk.store, boat, task).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let field = format!("day_of_{}", task.id);
    let day = day(&mut read, &field);
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, None, posted.form.typed(), read.faults).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_task_day(&task, day.as_deref()).await?;
    work.commit(HERE).await?;
    Ok(Answer::Go(HERE.to_owned()))
}

/// The plan as a calendar file: everybody's, or one person's.
#[get("/plan.ics?<who>")]
pub async fn ics(desk: Desk<'_>, _who: Crew, who: Option<&str>) -> Result {
    let body = planned::kept(desk.store).await?.map(|(_, body)| body);
    let entries: Vec<Entry> = body
        .iter()
        .flat_map(|b| &b.pieces)
        .filter(|p| !p.is_cure() && who.is_none_or(|who| p.by.iter().any(|name| name == who)))
        .map(|p| Entry {
            id: format!("plan-{}", p.key),
            day: p.from.date().to_string(),
            hours: (p.from.date() == p.to.date()).then(|| [p.from.hour().unsigned_abs(), p.to.hour().unsigned_abs()]),
            what: if p.part.is_empty() { p.what.clone() } else { format!("{}: {}", p.part, p.what) },
            more: format!("{} {}", p.boat_name, p.by.join(" and ")).trim().to_owned(),
        })
        .collect();
    let text = calendar::write(&format!("{}, plan of work", desk.yard.name), &entries);
    Ok(Answer::File("plan.ics".to_owned(), ContentType::Calendar, text.into_bytes()))
}

/// The plan as a table.
#[get("/plan.csv")]
pub async fn csv(desk: Desk<'_>, _who: Crew) -> Result {
    let body = planned::kept(desk.store).await?.map(|(_, body)| body);
    let rows = body.iter().flat_map(|b| &b.pieces).map(|p| {
        vec![
            p.from.to_string(),
            p.to.to_string(),
            p.boat_name.clone(),
            p.part.clone(),
            p.what.clone(),
            p.by.join(" and "),
            p.gear.map_or("", Gear::label).to_owned(),
        ]
    });
    let head = ["from", "to", "boat", "part", "what", "who", "gear"];
    let text = mend_keel_exchange::sheet::table(&head, rows);
    Ok(Answer::File("plan.csv".to_owned(), ContentType::CSV, text.into_bytes()))
}
