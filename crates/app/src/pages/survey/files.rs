//! The survey in and out of files: findings and readings as CSV, and the printed survey.

use std::collections::{HashMap, HashSet};
use std::time::Duration;

use askama::Template;
use jiff::Timestamp;
use mend_keel_core::InputError;
use mend_keel_exchange::sheet::survey::{
    FindingRow, ReadingRow, column_of, read_findings, read_readings, write_findings, write_readings,
};
use mend_keel_exchange::sheet::{Fault, Loaded};
use mend_keel_store::findings::{self, Carried, NewFinding, NewReading};
use rocket::http::ContentType;
use rocket::{State, get, post};

use crate::file::boat::BoatFile;
use crate::file::survey::SurveyFile;
use crate::pages::survey::finding::check_extent;
use crate::pages::survey::{Tab, tabs};
use crate::papers::report::{self, Printing};
use crate::web::auth::{BoatReader, Crew, random_token};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NAME_LIMIT, NOTE_LIMIT, Posted};
use crate::web::jobs::Jobs;
use crate::web::uploads::{FaultView, uploaded};

impl FaultView {
    pub fn new(fault: &Fault) -> Self {
        Self { line: fault.line, column: fault.column.clone(), message: fault.message.clone() }
    }
}

#[derive(Template)]
#[template(path = "survey/files.html")]
struct Show {
    page: Page,
    tabs: Vec<Tab>,
    boat_id: i64,
    findings: usize,
    readings: usize,
    faults: Faults,
    offer: Option<Offer>,
    taken: Option<usize>,
}

/// What a file holds, before any of it is taken.
struct Offer {
    what: &'static str,
    good: usize,
    known: usize,
    bad: Vec<FaultView>,
    /// Faults beyond those shown.
    more: usize,
    /// The file, to be sent again.
    text: String,
}

/// Most faults shown at once.
const MOST_SHOWN: usize = 200;

fn show(desk: &Desk<'_>, survey: &SurveyFile, faults: Faults, offer: Option<Offer>, taken: Option<usize>) -> Show {
    Show {
        page: desk.boat_page(&survey.file, "Files", "survey"),
        tabs: tabs("survey/files"),
        boat_id: survey.file.boat.id,
        findings: survey.file.findings.len(),
        readings: survey.readings.len(),
        faults,
        offer,
        taken,
    }
}

#[get("/boats/<id>/survey/files?<taken>")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64, taken: Option<usize>) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    render(&show(&desk, &survey, Faults::default(), None, taken))
}

fn csv(name: String, text: String) -> Result {
    Ok(Answer::File(name, ContentType::CSV, text.into_bytes()))
}

#[get("/boats/<id>/survey/findings.csv")]
pub async fn findings_csv(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let rows: Vec<FindingRow> = file
        .findings
        .iter()
        .map(|f| FindingRow {
            uid: f.uid.clone(),
            place: f.place.clone(),
            kind: f.kind,
            method: f.method,
            grade: f.grade,
            certainty: f.certainty,
            cause: f.cause,
            cause_treated: f.cause_treated.clone(),
            outcome: f.outcome,
            depth: f.depth,
            shape: f.shape.clone(),
            note: f.note.clone(),
            by: f.by_name.clone(),
            at: f.at.clone(),
        })
        .collect();
    csv(format!("findings-{id}.csv"), write_findings(&rows))
}

#[get("/boats/<id>/survey/readings.csv")]
pub async fn readings_csv(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let uids: HashMap<i64, &str> = survey.file.findings.iter().map(|f| (f.id, f.uid.as_str())).collect();
    let rows: Vec<ReadingRow> = survey
        .readings
        .iter()
        .map(|r| ReadingRow {
            uid: r.uid.clone(),
            finding: r.finding_id.and_then(|id| uids.get(&id)).map_or(String::new(), |uid| (*uid).to_owned()),
            place: r.place.clone(),
            xy: r.x.zip(r.y).map(|(x, y)| [x, y]),
            measure: r.measure.clone(),
            simulated: r.simulated,
            sampled: r.sampled,
            says: r.says.clone(),
            by: r.by_name.clone(),
            at: r.at.clone(),
        })
        .collect();
    csv(format!("readings-{id}.csv"), write_readings(&rows))
}

/// Rows that can be taken, how many are here already, and what is wrong with the rest.
struct Checked<T> {
    good: Vec<T>,
    known: usize,
    faults: Vec<Fault>,
}

/// Goes through a file's rows: `check` fits one to the boat or says at which column it does not.
fn check<R, T>(
    loaded: Loaded<R>,
    known: &HashSet<String>,
    origin: impl Fn(&R) -> Carried,
    check: impl Fn(&R) -> std::result::Result<T, (String, String)>,
) -> Checked<(T, Carried)> {
    let mut checked = Checked { good: Vec::new(), known: 0, faults: loaded.faults };
    let mut seen: HashSet<String> = HashSet::new();
    for (line, row) in &loaded.rows {
        let carried = origin(row);
        let fault = |column: &str, message: String| Fault { line: *line, column: column.to_owned(), message };
        if !carried.uid.is_empty() {
            if known.contains(&carried.uid) {
                checked.known += 1;
                continue;
            }
            if carried.uid.len() > 64 || !seen.insert(carried.uid.clone()) {
                checked.faults.push(fault("uid", "stands twice in this file, or is too long".into()));
                continue;
            }
        }
        if !carried.at.is_empty() && carried.at.parse::<Timestamp>().is_err() {
            checked.faults.push(fault("at", "write a time as 2026-05-14T09:30:00Z".into()));
            continue;
        }
        if carried.by.chars().count() > NAME_LIMIT {
            checked.faults.push(fault("by", format!("must have no more than {NAME_LIMIT} characters")));
            continue;
        }
        match check(row) {
            Ok(good) => checked.good.push((good, carried)),
            Err((column, message)) => checked.faults.push(fault(&column, message)),
        }
    }
    checked.faults.sort_by_key(|f| f.line);
    checked
}

fn at<'c>(column: &'c str) -> impl Fn(InputError) -> (String, String) + 'c {
    move |e| (column.to_owned(), e.message)
}

fn fit_finding(file: &BoatFile, row: &FindingRow) -> std::result::Result<(NewFinding, FindingRow), (String, String)> {
    let part = file.part_at(&row.place).map_err(at("place"))?;
    check_extent(file, &part, &row.shape, row.depth).map_err(|e| {
        let column = if e.field == "depth" { "depth_mm" } else { "shape_mm" };
        (column.to_owned(), e.message)
    })?;
    if row.note.chars().count() > NOTE_LIMIT {
        return Err(("note".into(), format!("must have no more than {NOTE_LIMIT} characters")));
    }
    let new = NewFinding {
        shown: file.shown(&row.place),
        place: row.place.clone(),
        member_id: part.member_id(),
        kind: row.kind,
        method: row.method,
        shape: row.shape.clone(),
        depth: row.depth,
        grade: row.grade,
        certainty: row.certainty,
        cause: row.cause,
        note: row.note.clone(),
    };
    Ok((new, row.clone()))
}

fn fit_reading(
    survey: &SurveyFile,
    row: &ReadingRow,
) -> std::result::Result<(NewReading, Option<i64>), (String, String)> {
    let file = &survey.file;
    let part = file.part_at(&row.place).map_err(at("place"))?;
    let read = row
        .measure
        .read(&file.on(&part))
        .map_err(|e| (column_of(row.measure.method(), &e.field).to_owned(), e.message))?;
    let finding = match row.finding.as_str() {
        "" => None,
        uid => Some(file.findings.iter().find(|f| f.uid == uid).map(|f| f.id).ok_or_else(|| {
            ("finding".to_owned(), "is not among this boat's findings: take those in first".to_owned())
        })?),
    };
    let new = NewReading {
        shown: file.shown(&row.place),
        place: row.place.clone(),
        member_id: part.member_id(),
        at: row.xy,
        measure: row.measure.clone(),
        read,
        simulated: row.simulated,
        sampled: row.sampled,
    };
    Ok((new, finding))
}

/// Says what a file holds, and takes its good rows when that was asked for.
#[post("/boats/<id>/survey/files", data = "<posted>")]
pub async fn take(desk: Desk<'_>, _who: Crew, id: i64, mut posted: Posted) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let taking = posted.form.get("take") == "1";
    let bytes = if taking { Ok(posted.form.get("text").as_bytes().to_vec()) } else { uploaded(&mut posted.form) };
    let bytes = match bytes {
        Ok(bytes) => bytes,
        Err(e) => {
            let mut faults = Faults::default();
            faults.add(e);
            return render_faulty(&show(&desk, &survey, faults, None, None));
        }
    };
    let file = &survey.file;
    let (known_findings, known_readings) = findings::uids(desk.store, id).await?;
    // The columns tell which of the two it is.
    let is_readings = posted.form.get("what") == "readings"
        || !taking && read_findings(&bytes).faults.iter().any(|f| f.line == 1) && {
            let as_readings = read_readings(&bytes);
            as_readings.faults.iter().all(|f| f.line != 1)
        };
    let location = |n: usize| format!("/boats/{id}/survey/files?taken={n}");
    let (what, good, known, faults) = if is_readings {
        let origin = |r: &ReadingRow| Carried { uid: r.uid.clone(), by: r.by.clone(), at: r.at.clone() };
        let checked = check(read_readings(&bytes), &known_readings, origin, |row| fit_reading(&survey, row));
        if taking {
            let mut work = desk.store.begin(posted.act()).await?;
            for ((new, finding), carried) in &checked.good {
                work.carry_reading(id, new, *finding, carried).await?;
            }
            work.commit(&location(checked.good.len())).await?;
            return Ok(Answer::Go(location(checked.good.len())));
        }
        ("readings", checked.good.len(), checked.known, checked.faults)
    } else {
        let origin = |f: &FindingRow| Carried { uid: f.uid.clone(), by: f.by.clone(), at: f.at.clone() };
        let checked = check(read_findings(&bytes), &known_findings, origin, |row| fit_finding(file, row));
        if taking {
            let mut work = desk.store.begin(posted.act()).await?;
            for ((new, row), carried) in &checked.good {
                work.carry_finding(id, new, row.outcome, row.cause_treated.as_deref(), carried).await?;
            }
            work.commit(&location(checked.good.len())).await?;
            return Ok(Answer::Go(location(checked.good.len())));
        }
        ("findings", checked.good.len(), checked.known, checked.faults)
    };
    let offer = Offer {
        what,
        good,
        known,
        more: faults.len().saturating_sub(MOST_SHOWN),
        bad: faults.iter().take(MOST_SHOWN).map(FaultView::new).collect(),
        text: String::from_utf8_lossy(&bytes).into_owned(),
    };
    let page = show(&desk, &survey, Faults::default(), Some(offer), None);
    if faults.is_empty() { render(&page) } else { render_faulty(&page) }
}

/// A survey of more findings is printed beside the pages.
const AT_ONCE: usize = 500;
/// Longest it may take.
const LONGEST: Duration = Duration::from_secs(600);

/// The printed survey; a long one is made beside the pages, and fetched when it is done.
#[get("/boats/<id>/survey.pdf")]
pub async fn pdf(desk: Desk<'_>, _who: BoatReader, id: i64, jobs: &State<Jobs>) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let report = report::report(&Printing::at(&desk, &desk.settings.folder.photos()), &survey).await?;
    let name = format!("survey-{id}.pdf");
    let findings = survey.file.findings.len();
    if findings <= AT_ONCE {
        return Ok(Answer::File(name, ContentType::PDF, report::pdf(&report).await?));
    }
    let job = random_token().map_err(|e| AppError::Broken(e.message))?;
    let title = format!("Printing the survey of {}", survey.file.boat.name);
    let Some(handle) = jobs.begin(&job, &title, desk.user.account.id, LONGEST) else {
        return Err(AppError::Refused("Two long works are going on already: wait for one of them, or stop it.".into()));
    };
    rocket::tokio::spawn(async move {
        handle.tell(0.2, &format!("setting {findings} findings"));
        match rocket::tokio::task::spawn_blocking(move || mend_keel_exchange::report::write(&report)).await {
            Ok(Ok(bytes)) => handle.made(name, bytes),
            Ok(Err(why)) => handle.failed(why),
            Err(e) => handle.failed(e.to_string()),
        }
    });
    Ok(Answer::Go(format!("/jobs/{job}")))
}
