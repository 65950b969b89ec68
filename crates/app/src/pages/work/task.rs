//! One task: all that is known of it, changed, in two, in one with the next, in another place, or not needed.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::work::estimate::{Hours, Operation};
use mend_keel_core::work::{sequence, tasks as rules};
use mend_keel_store::StoreError;
use mend_keel_store::tasks::{self, Changed, Own, Task};
use rocket::http::Status;
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::file::order::{self, HeldBack, job};
use crate::view::reasons::{self, ReasonView};
use crate::web::auth::{BoatReader, Crew};
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NAME_LIMIT, NOTE_LIMIT, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "work/task.html")]
struct Show {
    page: Page,
    boat_id: i64,
    id: i64,
    what: String,
    unit: &'static str,
    part: String,
    facts: Vec<(&'static str, String)>,
    cautions: Vec<String>,
    held: Vec<ReasonView>,
    /// The next of the same kind, which it may be made one with.
    next: Option<String>,
    /// Whether something of its job lies before it, and after.
    earlier: bool,
    later: bool,
    /// It is done: nothing of it is changed any more.
    done: bool,
    operations: Choices,
    /// What is asked of a task of somebody's own: field, label, hint.
    own: [(&'static str, &'static str, &'static str); 5],
    /// The form a fault belongs to.
    form: &'static str,
    /// What somebody else kept meanwhile.
    theirs: Vec<(&'static str, String, String)>,
    typed: Typed,
    faults: Faults,
}

/// Longest wait after a task, h.
const LONGEST_WAIT: f64 = 10_000.0;
/// Most of a task, in its unit, and most hours.
const MOST: f64 = 100_000.0;

/// The next one of the same kind that is as open as it is.
fn next<'f>(file: &'f BoatFile, task: &Task) -> Option<&'f Task> {
    let job = job(file, task);
    let at = job.iter().position(|t| t.id == task.id)?;
    job[at + 1..]
        .iter()
        .find(|t| t.operation == task.operation && t.done_at.is_none() && task.done_at.is_none())
        .copied()
}

fn stored(task: &Task) -> Typed {
    Typed::default()
        .with("what", task.what.clone())
        .with("amount", plain(task.amount))
        .with("hours", plain(task.p50))
        .with("rarely", plain(task.p80))
        .with("wait", plain(task.wait_after))
        .with("version", task.version.to_string())
}

/// A number as it is typed over: to a hundredth, without zeros at its end.
fn plain(number: f64) -> String {
    let text = format!("{number:.2}");
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

fn show(desk: &Desk<'_>, file: &BoatFile, task: &Task, form: &'static str, typed: Typed, faults: Faults) -> Show {
    let (_, unit) = task.operation.rate();
    let job = job(file, task);
    let at = job.iter().position(|t| t.id == task.id).unwrap_or(0);
    let mut facts = vec![
        ("Kind", task.operation.label().to_owned()),
        ("Place in its job", format!("{} of {}", at + 1, job.len())),
        ("Needs", order::needs(task)),
    ];
    if desk.user.account.role != mend_keel_store::accounts::Role::Guest {
        let booked = if task.minutes > 0.0 { tasks::spoken(task.minutes) } else { "nothing yet".to_owned() };
        facts.push(("Booked", booked));
    }
    if let Some(before) = at.checked_sub(1).map(|i| job[i]) {
        facts.push(("After", before.what.clone()));
    }
    if let Some(after) = job.get(at + 1) {
        facts.push(("Before", after.what.clone()));
    }
    if task.own {
        facts.push(("Added", "by hand".to_owned()));
    }
    Show {
        page: desk.boat_page(file, &task.what, "work"),
        boat_id: file.boat.id,
        id: task.id,
        what: task.what.clone(),
        unit,
        part: task.member_id.and_then(|m| file.part_name(m)).unwrap_or_default(),
        facts,
        cautions: task.cautions.clone(),
        held: reasons::views(&HeldBack::of(file).task(task), desk.units),
        next: next(file, task).map(|t| t.what.clone()),
        earlier: at > 0,
        later: at + 1 < job.len(),
        done: task.done_at.is_some(),
        own: [
            ("what", "What", ""),
            ("amount", "Amount", "in the unit of its kind"),
            ("hours", "Hours, as likely as not", ""),
            ("rarely", "Rarely over, h", "empty: half as much again"),
            ("wait", "Then nothing for, h", "empty: nothing waits"),
        ],
        operations: pairs(Operation::ALL, Operation::code, Operation::label),
        form,
        theirs: Vec::new(),
        typed,
        faults,
    }
}

/// The task with its boat, where it is one of its job still.
async fn found(desk: &Desk<'_>, id: i64, task: i64) -> std::result::Result<(BoatFile, Task), AppError> {
    let file = BoatFile::load(desk.store, id).await?;
    let task = file.tasks.iter().find(|t| t.id == task).cloned().ok_or(AppError::NotFound("task"))?;
    Ok((file, task))
}

/// The same, to be changed: done work stays as it was done.
async fn open(desk: &Desk<'_>, id: i64, task: i64) -> std::result::Result<(BoatFile, Task), AppError> {
    let (file, task) = found(desk, id, task).await?;
    if task.done_at.is_some() {
        return Err(AppError::Refused("it is done: open it again first".into()));
    }
    Ok((file, task))
}

fn here(id: i64, task: i64) -> String {
    format!("/boats/{id}/tasks/{task}")
}

#[get("/boats/<id>/tasks/<task>")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64, task: i64) -> Result {
    let (file, task) = found(&desk, id, task).await?;
    render(&show(&desk, &file, &task, "", stored(&task), Faults::default()))
}

/// What is said of a task; hours that rarely are more follow the others where they were left as they stood.
fn told(read: &mut Reader<'_>, before: Option<&Task>) -> Changed {
    let what = read.name("what");
    let amount = read.number("amount", 0.01, MOST);
    let p50 = read.number("hours", 0.01, MOST);
    let wait_after = read.optional_number("wait", 0.0, LONGEST_WAIT).unwrap_or(0.0);
    let usual = Hours::around(p50).p80;
    let p80 = match (read.optional_number("rarely", 0.01, MOST), before) {
        (Some(told), Some(task)) if plain(task.p80) == plain(told) => p50 * task.p80 / task.p50.max(1e-9),
        (Some(told), _) => told,
        (None, _) => usual,
    };
    if p80 < p50 && read.faults.is_empty() {
        read.faults.add(InputError::new("rarely", "must not be less than the hours at even odds"));
    }
    Changed { what, amount, hours: Hours { p50, p80 }, wait_after }
}

/// The page again: what somebody else kept meanwhile beside what was typed.
fn both(desk: &Desk<'_>, file: &BoatFile, now: &Task, form: &'static str, typed: Typed) -> Result {
    let fields =
        [("what", "What"), ("amount", "Amount"), ("hours", "Hours"), ("rarely", "Rarely over"), ("wait", "Wait after")];
    let theirs = stored(now).against(&typed, &fields);
    let typed = typed.with("version", now.version.to_string());
    let page = Show { theirs, ..show(desk, file, now, form, typed, Faults::default()) };
    Ok(Answer::Page(Status::Conflict, page.render().map_err(AppError::from)?))
}

#[post("/boats/<id>/tasks/<task>/change", data = "<posted>")]
pub async fn change(desk: Desk<'_>, _who: Crew, id: i64, task: i64, posted: Posted) -> Result {
    let (file, task) = open(&desk, id, task).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let new = told(&mut read, Some(&task));
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, &file, &task, "change", posted.form.typed(), read.faults));
    }
    let version = posted.form.get("version").parse().unwrap_or(0);
    let mut work = desk.store.begin(posted.act()).await?;
    match work.change_task(&task, version, &new).await {
        Ok(()) => {}
        Err(StoreError::Stale(_)) => {
            drop(work);
            let (file, now) = found(&desk, id, task.id).await?;
            return both(&desk, &file, &now, "change", posted.form.typed());
        }
        Err(e) => return Err(e.into()),
    }
    work.commit(&here(id, task.id)).await?;
    Ok(Answer::Go(here(id, task.id)))
}

#[post("/boats/<id>/tasks/<task>/split", data = "<posted>")]
pub async fn split(desk: Desk<'_>, _who: Crew, id: i64, task: i64, posted: Posted) -> Result {
    let (file, task) = open(&desk, id, task).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let first = read.number("first", 0.001, MOST);
    let names = [read.text("what_first", NAME_LIMIT), read.text("what_rest", NAME_LIMIT)];
    let parts = match rules::split(task.amount, Hours { p50: task.p50, p80: task.p80 }, first) {
        Ok(parts) => Some(parts),
        Err(e) => {
            if read.faults.is_empty() {
                read.faults.add_under("first", e);
            }
            None
        }
    };
    let (Some(parts), true) = (parts, read.faults.is_empty()) else {
        return render_faulty(&show(&desk, &file, &task, "split", posted.form.typed(), read.faults));
    };
    let (_, unit) = task.operation.rate();
    let part = |i: usize| {
        let (amount, hours) = parts[i];
        let usual = format!("{}, {}", task.what, desk.units.amount(amount, unit));
        let what = if names[i].is_empty() { usual } else { names[i].clone() };
        Changed { what, amount, hours, wait_after: task.wait_after }
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.split_task(&task, task.version, &[part(0), part(1)]).await?;
    work.commit(&here(id, task.id)).await?;
    Ok(Answer::Go(here(id, task.id)))
}

#[post("/boats/<id>/tasks/<task>/join", data = "<posted>")]
pub async fn join(desk: Desk<'_>, _who: Crew, id: i64, task: i64, posted: Posted) -> Result {
    let (file, task) = open(&desk, id, task).await?;
    let next = next(&file, &task).ok_or_else(|| AppError::Refused("nothing of the same kind follows it".into()))?;
    let whole = Changed {
        what: task.what.clone(),
        amount: task.amount + next.amount,
        hours: Hours { p50: task.p50 + next.p50, p80: task.p80 + next.p80 },
        wait_after: task.wait_after.max(next.wait_after),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.join_tasks(&task, task.version, next, &whole).await?;
    work.commit(&here(id, task.id)).await?;
    Ok(Answer::Go(here(id, task.id)))
}

/// One place earlier or later within its job.
#[post("/boats/<id>/tasks/<task>/move", data = "<posted>")]
pub async fn shift(desk: Desk<'_>, _who: Crew, id: i64, task: i64, posted: Posted) -> Result {
    let (file, task) = open(&desk, id, task).await?;
    let mut order = job(&file, &task);
    let at = order.iter().position(|t| t.id == task.id).unwrap_or(0);
    let to =
        if posted.form.get("to") == "earlier" { at.checked_sub(1) } else { Some(at + 1).filter(|i| *i < order.len()) };
    let Some(to) = to else { return Ok(Answer::Go(here(id, task.id))) };
    let mut places: Vec<usize> = (0..order.len()).collect();
    places.swap(at, to);
    let against = sequence::reordered(&order::steps(&order), &places).map_err(|e| AppError::Broken(e.to_string()))?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let why = read.text("why", NOTE_LIMIT);
    if let Some(first) = against.first().filter(|_| why.is_empty()) {
        read.faults.add(InputError::new("why", format!("{}: say why it is done the other way round", first.text)));
        return render_faulty(&show(&desk, &file, &task, "move", posted.form.typed(), read.faults));
    }
    order.swap(at, to);
    let mut work = desk.store.begin(posted.act()).await?;
    work.order_tasks(&order, &task, (!against.is_empty()).then_some(why.as_str())).await?;
    work.commit(&here(id, task.id)).await?;
    Ok(Answer::Go(here(id, task.id)))
}

/// A task of somebody's own, after this one.
#[post("/boats/<id>/tasks/<task>/after", data = "<posted>")]
pub async fn after(desk: Desk<'_>, _who: Crew, id: i64, task: i64, posted: Posted) -> Result {
    let (file, task) = found(&desk, id, task).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let operation = read.choice("operation", Operation::from_code);
    let told = told(&mut read, None);
    let (Some(operation), true) = (operation, read.faults.is_empty()) else {
        return render_faulty(&show(&desk, &file, &task, "after", posted.form.typed(), read.faults));
    };
    let mut work = desk.store.begin(posted.act()).await?;
    let new = work.add_own_task(&task, &Own { operation, told }).await?;
    work.commit(&here(id, new)).await?;
    Ok(Answer::Go(here(id, new)))
}

#[post("/boats/<id>/tasks/<task>/drop", data = "<posted>")]
pub async fn take_off(desk: Desk<'_>, _who: Crew, id: i64, task: i64, posted: Posted) -> Result {
    let (file, task) = open(&desk, id, task).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let why = read.text("because", NOTE_LIMIT);
    if why.is_empty() {
        read.faults.add(InputError::new("because", "say why it is not needed"));
    }
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, &file, &task, "drop", posted.form.typed(), read.faults));
    }
    let location = format!("/boats/{id}/work");
    let mut work = desk.store.begin(posted.act()).await?;
    if let Err(e) = work.drop_task(&task, &why).await {
        drop(work);
        let StoreError::Conflict(says) = e else { return Err(e.into()) };
        read.faults.add(InputError::new("because", says));
        return render_faulty(&show(&desk, &file, &task, "drop", posted.form.typed(), read.faults));
    }
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
