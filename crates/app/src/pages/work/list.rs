//! Work: the tasks decisions unfolded into, clocks on them, and planned against actual.

use std::collections::BTreeMap;

use askama::Template;
use jiff::Timestamp;
use mend_keel_core::InputError;
use mend_keel_core::work::estimate::{HourKind, Operation, whole_job};
use mend_keel_store::StoreError;
use mend_keel_store::tasks::{self, Task};
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::file::ended::{self, Ending};
use crate::file::hanging;
use crate::file::order::HeldBack;
use crate::file::planned;
use crate::view::reasons::{self, ReasonView};
use crate::view::{self, Units};
use crate::web::auth::{BoatReader, Crew};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed};
use crate::web::problem;

#[derive(Template)]
#[template(path = "work/list.html")]
struct List {
    page: Page,
    boat_id: i64,
    jobs: Vec<Job>,
    actuals: Vec<Actual>,
    /// Work that is kept where it is done: in words, and where.
    elsewhere: Vec<(String, String)>,
    whole: String,
    booked: String,
    /// Hours on tasks of decisions since revised.
    former: Vec<(String, String)>,
    /// What was done over or waited for.
    lost: Vec<(String, String)>,
    /// Operations that went wrong twice: another method before a third.
    twice: Vec<&'static str>,
    /// The reader's own clock, where it has run too long to be true.
    forgotten: Option<Forgotten>,
    kinds: Vec<(&'static str, &'static str)>,
    this_year: u32,
    typed: Typed,
    faults: Faults,
    faulty: i64,
}

impl List {
    /// Whether there is a task to tick.
    fn is_open(&self) -> bool {
        self.jobs.iter().any(|job| !job.now.is_empty() || !job.later.is_empty())
    }

    /// Whether a finding was ticked in the form that was refused.
    fn was_ticked(&self, finding: &i64) -> bool {
        self.typed.is(&format!("f{finding}"), "1")
    }
}

struct Job {
    href: String,
    /// Its pieces that are hung, by their cards.
    cards: Vec<(i64, String)>,
    plank: String,
    decided: String,
    untreated: Vec<String>,
    done: Vec<TaskView>,
    /// What runs, what is next, and what was just refused.
    now: Vec<TaskView>,
    later: Vec<TaskView>,
    /// Hours of what comes later, at even odds.
    later_hours: String,
    /// All of it is done: what is mended by it.
    ending: Option<Ending>,
}

struct TaskView {
    id: i64,
    number: i64,
    operation: &'static str,
    what: String,
    amount: String,
    p50: String,
    p80: String,
    booked: String,
    wait: String,
    cautions: Vec<String>,
    /// What it waits for.
    held: Vec<ReasonView>,
    done: bool,
    running: bool,
}

/// A clock somebody forgot to stop.
struct Forgotten {
    boat: i64,
    task: i64,
    what: String,
    since: String,
    ran: String,
}

/// A clock that runs longer than this, h, was forgotten.
const LONG: f64 = 10.0;

/// The reader's own clock, where it was forgotten by then.
async fn forgotten(desk: &Desk<'_>, now: Timestamp) -> std::result::Result<Option<Forgotten>, AppError> {
    let own = tasks::running(desk.store).await?.into_iter().find(|r| r.account_id == desk.user.account.id);
    Ok(own.and_then(|r| {
        let minutes = tasks::minutes_between(&r.started_at, now);
        (minutes > LONG * 60.0).then(|| Forgotten {
            boat: r.boat_id,
            task: r.task_id,
            what: format!("{}, {}", r.what, r.boat),
            since: view::when(&r.started_at),
            ran: tasks::spoken(minutes),
        })
    }))
}

struct Actual {
    operation: &'static str,
    fitting: bool,
    planned: String,
    actual: String,
}

fn task_view(task: &Task, held: &HeldBack<'_>, units: Units) -> TaskView {
    let (_, unit) = task.operation.rate();
    TaskView {
        id: task.id,
        number: task.seq + 1,
        operation: task.operation.label(),
        what: task.what.clone(),
        amount: units.amount(task.amount, unit),
        p50: view::hours(task.p50),
        p80: view::hours(task.p80),
        booked: if task.minutes > 0.0 { tasks::spoken(task.minutes) } else { String::new() },
        wait: if task.wait_after > 0.0 {
            format!("then {:.0} h before the next", task.wait_after)
        } else {
            String::new()
        },
        cautions: task.cautions.clone(),
        held: reasons::views(&held.task(task), units),
        done: task.done_at.is_some(),
        running: task.running > 0,
    }
}

/// The tasks of one decision or one whole job: what is done, what is at hand, and what comes later.
fn gathered(
    file: &BoatFile,
    held: &HeldBack<'_>,
    faulty: i64,
    units: Units,
    name: String,
    decided: &str,
    of: impl Fn(&Task) -> bool,
) -> Job {
    let tasks: Vec<&Task> = file.tasks.iter().filter(|t| of(t)).collect();
    let next = tasks.iter().find(|t| t.done_at.is_none()).map(|t| t.id);
    let now = |t: &Task| t.running > 0 || Some(t.id) == next || t.id == faulty;
    let later: Vec<f64> = tasks.iter().filter(|t| t.done_at.is_none() && !now(t)).map(|t| t.p50).collect();
    let mut job = Job {
        href: String::new(),
        cards: Vec::new(),
        plank: name,
        decided: decided.to_owned(),
        untreated: Vec::new(),
        done: Vec::new(),
        now: Vec::new(),
        later: Vec::new(),
        later_hours: view::hours(whole_job(&later).p50),
        ending: None,
    };
    for task in tasks {
        let place = match (now(task), task.done_at.is_some()) {
            (true, _) => &mut job.now,
            (false, true) => &mut job.done,
            (false, false) => &mut job.later,
        };
        place.push(task_view(task, held, units));
    }
    job
}

async fn page(
    desk: &Desk<'_>,
    file: &BoatFile,
    typed: Typed,
    faults: Faults,
    faulty: i64,
) -> std::result::Result<List, AppError> {
    let lost = tasks::lost(desk.store, file.boat.id).await?;
    let over = |op: Operation| lost.iter().filter(|l| l.operation == op && l.kind == HourKind::Rework).count();
    let twice = Operation::ALL.iter().filter(|op| over(**op) >= 2).map(|op| op.label()).collect();
    let held = HeldBack::of(file);
    let (rest, named) = planned::rest(desk.store, file, Timestamp::now(), &|_| None).await?;
    let units = desk.units;
    let mut jobs: Vec<Job> = file
        .decisions
        .iter()
        .filter_map(|d| {
            Some(Job {
                href: format!("/boats/{}/planks/{}", file.boat.id, d.member_id),
                cards: file
                    .pieces
                    .iter()
                    .filter(|p| p.decision_id == d.id && hanging::is_hung(file, p))
                    .map(|p| (p.id, p.name.clone()))
                    .collect(),
                untreated: file.untreated(d.member_id),
                ending: ended::ending(file, d),
                ..gathered(file, &held, faulty, units, file.part_name(d.member_id)?, d.kind.label(), |t| {
                    t.decision_id == Some(d.id)
                })
            })
        })
        .collect();
    jobs.extend(file.jobs.iter().map(|job| Job {
        href: format!("/boats/{}/jobs/{}", file.boat.id, job.id),
        ..gathered(file, &held, faulty, units, job.name.clone(), job.kind.label(), |t| t.job_id == Some(job.id))
    }));
    // What runs first, then what only wants to be told that it is mended, then what can be begun, then what waits; what is done last.
    jobs.sort_by_key(|job| {
        let can_begin = job.now.iter().any(|t| t.held.is_empty());
        (!job.now.iter().any(|t| t.running), job.ending.is_none(), !can_begin, job.now.is_empty())
    });
    let mut by_operation: BTreeMap<Operation, (f64, f64)> = BTreeMap::new();
    for task in &file.tasks {
        let entry = by_operation.entry(task.operation).or_default();
        // Only what was started is compared: an untouched task says nothing about the estimate.
        if task.minutes > 0.0 {
            entry.0 += task.p50;
            entry.1 += task.minutes / 60.0;
        }
    }
    let actuals = by_operation
        .into_iter()
        .filter(|(_, (_, actual))| *actual > 0.0)
        .map(|(operation, (planned, actual))| Actual {
            operation: operation.label(),
            fitting: operation.is_fitting(),
            planned: view::hours(planned),
            actual: view::hours(actual),
        })
        .collect();
    let open: Vec<f64> = file.tasks.iter().filter(|t| t.done_at.is_none()).map(|t| t.p50).collect();
    let job = whole_job(&open);
    let former = tasks::former(desk.store, file.boat.id).await?;
    let told = |t: &Task| {
        let part = t.member_id.and_then(|m| file.part_name(m)).map_or(String::new(), |name| format!("{name}: "));
        (tasks::spoken(t.minutes), format!("{part}{}", t.what))
    };
    // What was done under a decision since revised is among the boat's tasks still; what was dropped is not.
    let gone = former.iter().filter(|f| file.tasks.iter().all(|t| t.id != f.id)).map(|t| t.minutes).sum::<f64>();
    Ok(List {
        former: former.iter().map(told).collect(),
        lost: lost
            .iter()
            .map(|l| (format!("{} of {}", tasks::spoken(l.minutes), l.kind.label()), format!("{}: {}", l.what, l.why)))
            .collect(),
        elsewhere: named.all(&rest, file.boat.id),
        twice,
        forgotten: forgotten(desk, Timestamp::now()).await?,
        kinds: HourKind::ALL.iter().map(|k| (k.code(), k.label())).collect(),
        this_year: view::this_year(),
        page: desk.boat_page(file, "Work", "work"),
        boat_id: file.boat.id,
        jobs,
        actuals,
        whole: format!("{} at even odds, {} at four in five", view::hours(job.p50), view::hours(job.p80)),
        booked: tasks::spoken(file.tasks.iter().map(|t| t.minutes).sum::<f64>() + gone),
        typed,
        faults,
        faulty,
    })
}

#[get("/boats/<id>/work")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    render(&page(&desk, &file, Typed::default(), Faults::default(), 0).await?)
}

/// The page with what was typed at the end of a job and what is wrong with it.
pub async fn again(desk: &Desk<'_>, file: &BoatFile, posted: &Posted, faults: Faults, decision: i64) -> Result {
    let typed = posted.form.typed().with("ended", decision.to_string());
    render_faulty(&page(desk, file, typed, faults, 0).await?)
}

fn back(id: i64) -> String {
    format!("/boats/{id}/work")
}

/// When it was tapped: what waited on a phone for a signal is told late.
fn made_at(posted: &Posted) -> Timestamp {
    posted.form.made_at(Timestamp::now())
}

/// Why a task is begun or done before its turn; `None` where it is its turn. Errors are the page with the fault at that task.
async fn why_now(desk: &Desk<'_>, posted: &Posted, task: &Task) -> std::result::Result<Option<String>, Answer> {
    let refused = |e: AppError| {
        Answer::Page(rocket::http::Status::Conflict, problem::render("That could not be done", &e.says()))
    };
    let file = BoatFile::load(desk.store, task.boat_id).await.map_err(|e| refused(e.into()))?;
    if HeldBack::of(&file).task(task).is_empty() {
        return Ok(None);
    }
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let why = read.text("why", NOTE_LIMIT);
    if !why.is_empty() && read.faults.is_empty() {
        return Ok(Some(why));
    }
    read.faults.add(InputError::new("why", "it is not its turn: say why it is done all the same"));
    let shown = page(desk, &file, posted.form.typed(), read.faults, task.id).await;
    Err(shown.and_then(|shown| render_faulty(&shown)).unwrap_or_else(refused))
}

/// The page again, with what is asked about a clock that was forgotten.
async fn ask_worked(desk: &Desk<'_>, id: i64, posted: &Posted, says: &str) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut faults = Faults::default();
    faults.add(InputError::new("worked", says));
    render_faulty(&page(desk, &file, posted.form.typed(), faults, 0).await?)
}

#[post("/boats/<id>/tasks/<task>/start", data = "<posted>")]
pub async fn start(desk: Desk<'_>, who: Crew, id: i64, task: i64, posted: Posted) -> Result {
    let task = tasks::find(desk.store, id, task).await?;
    if forgotten(&desk, made_at(&posted)).await?.is_some() {
        return ask_worked(&desk, id, &posted, "say first how long you worked by it").await;
    }
    let against = match why_now(&desk, &posted, &task).await {
        Ok(against) => against,
        Err(page) => return Ok(page),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.start_clock(&task, who.0.account.id, made_at(&posted), against.as_deref()).await?;
    work.commit(&back(id)).await?;
    Ok(Answer::Go(back(id)))
}

#[post("/boats/<id>/tasks/<task>/stop", data = "<posted>")]
pub async fn stop(desk: Desk<'_>, who: Crew, id: i64, task: i64, posted: Posted) -> Result {
    tasks::find(desk.store, id, task).await?;
    let mut minutes = None;
    if forgotten(&desk, made_at(&posted)).await?.is_some() {
        let mut read = Reader::new(&posted.form, desk.units.unit);
        minutes = Some(60.0 * read.number("worked", 0.0, 24.0));
        if !read.faults.is_empty() {
            return ask_worked(&desk, id, &posted, read.faults.at("worked")).await;
        }
    }
    let mut work = desk.store.begin(posted.act()).await?;
    work.stop_clock(who.0.account.id, made_at(&posted), minutes).await?;
    work.commit(&back(id)).await?;
    Ok(Answer::Go(back(id)))
}

/// Several tasks done in one act: all that were ticked, or none where one is not its turn and nobody said why.
#[post("/boats/<id>/tasks-at-once", data = "<posted>")]
pub async fn at_once(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let mut file = BoatFile::load(desk.store, id).await?;
    let at = made_at(&posted);
    let ticked: Vec<Task> = file
        .tasks
        .iter()
        .filter(|t| posted.form.get(&format!("t{}", t.id)) == "1" && t.done_at.is_none())
        .cloned()
        .collect();
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let why = read.text("why", NOTE_LIMIT);
    if ticked.is_empty() {
        read.faults.add(InputError::new("at_once", "tick the tasks that are done"));
    }
    let mut held = Vec::new();
    for task in &ticked {
        // One after the other, in their order: what is ticked before counts as done.
        let why_not = HeldBack::of(&file).task(task);
        if let Some(first) = why_not.first() {
            held.push((task.id, format!("{}: {}", task.what, first.text)));
        }
        if let Some(t) = file.tasks.iter_mut().find(|t| t.id == task.id) {
            t.done_at = Some(at.to_string());
        }
    }
    if let Some((_, first)) = held.first().filter(|_| why.is_empty()) {
        let more = if held.len() > 1 { format!(", and {} more", held.len() - 1) } else { String::new() };
        let says =
            format!("It is not the turn of {first}{more}. Say why they are done all the same, or take the tick away");
        read.faults.add(InputError::new("at_once", says));
    }
    if !read.faults.is_empty() {
        let file = BoatFile::load(desk.store, id).await?;
        return render_faulty(&page(&desk, &file, posted.form.typed(), read.faults, 0).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    for task in &ticked {
        let against = held.iter().any(|(id, _)| *id == task.id).then_some(why.as_str());
        work.finish_task(task, Some(at), against).await?;
    }
    work.commit(&back(id)).await?;
    Ok(Answer::Go(back(id)))
}

#[post("/boats/<id>/tasks/<task>/book", data = "<posted>")]
pub async fn book(desk: Desk<'_>, who: Crew, id: i64, task: i64, posted: Posted) -> Result {
    let task = tasks::find(desk.store, id, task).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let hours = read.number("hours", -24.0, 24.0);
    let why = read.text("correction", NOTE_LIMIT);
    if hours.abs() < 0.01 {
        read.faults.add(InputError::new("hours", "must not be nothing: −0.5 takes half an hour back"));
    }
    let kind = read.optional_choice("kind", HourKind::from_code).unwrap_or(HourKind::Work);
    if hours < 0.0 && why.is_empty() {
        read.faults.add(InputError::new("correction", "say why hours are taken back"));
    }
    if hours > 0.0 && kind != HourKind::Work && why.is_empty() {
        read.faults.add(InputError::new("correction", format!("say what the {} was for", kind.label())));
    }
    let again = async |faults| {
        let file = BoatFile::load(desk.store, id).await?;
        render_faulty(&page(&desk, &file, posted.form.typed(), faults, task.id).await?)
    };
    if !read.faults.is_empty() {
        return again(read.faults).await;
    }
    let mut work = desk.store.begin(posted.act()).await?;
    if let Err(e) = work.book(&task, who.0.account.id, hours * 60.0, kind, &why).await {
        drop(work);
        let StoreError::Conflict(told) = e else { return Err(e.into()) };
        read.faults.add(InputError::new("hours", told));
        return again(read.faults).await;
    }
    work.commit(&back(id)).await?;
    Ok(Answer::Go(back(id)))
}

#[post("/boats/<id>/tasks/<task>/done", data = "<posted>")]
pub async fn done(desk: Desk<'_>, _who: Crew, id: i64, task: i64, posted: Posted) -> Result {
    let task = tasks::find(desk.store, id, task).await?;
    let again = posted.form.get("again") == "1";
    let against = match why_now(&desk, &posted, &task).await {
        Ok(against) => against.filter(|_| !again),
        Err(page) => return Ok(page),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.finish_task(&task, (!again).then(|| made_at(&posted)), against.as_deref()).await?;
    work.commit(&back(id)).await?;
    Ok(Answer::Go(back(id)))
}
