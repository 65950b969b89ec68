//! Everything found, in the order found or of urgency with its reasons, and what has not been looked at.

use askama::Template;
use mend_keel_core::Reason;
use mend_keel_core::survey::compare::Outcome;
use mend_keel_core::survey::urgency;
use mend_keel_store::findings::{self, Finding};
use rocket::{FromForm, get, post};

use crate::file::boat::BoatFile;
use crate::file::survey::SurveyFile;
use crate::pages::survey::{Tab, tabs};
use crate::view::reasons::{self, ReasonView};
use crate::view::{self, percent};
use crate::web::auth::{BoatReader, Crew};
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::Posted;

#[derive(Template)]
#[template(path = "survey/findings.html")]
struct List {
    page: Page,
    tabs: Vec<Tab>,
    boat_id: i64,
    by_urgency: bool,
    /// `open`, or all of them.
    open_only: bool,
    rows: Vec<Row>,
    /// How many there are in all, before they were cut to a page.
    total: usize,
    page_no: usize,
    pages: usize,
    surfaces: Vec<(&'static str, String, bool)>,
    undo: Option<i64>,
    outcomes: Choices,
    fault: String,
}

struct Row {
    id: i64,
    version: i64,
    /// Where it is as an address in a link, and as this boat's crew call it.
    at: String,
    shown: String,
    kind: &'static str,
    grade: &'static str,
    certainty: &'static str,
    outcome: &'static str,
    method: &'static str,
    says: String,
    cause: &'static str,
    cure: String,
    untreated: bool,
    photo: Option<String>,
    when: String,
    by: String,
    score: String,
    reasons: Vec<ReasonView>,
}

/// Findings on one page of the list.
const PER_PAGE: usize = 100;

/// How the list is asked for.
#[derive(Debug, Default, FromForm)]
pub struct Asked<'r> {
    order: Option<&'r str>,
    /// A finding that was withdrawn just now.
    undo: Option<i64>,
    show: Option<&'r str>,
    page: Option<usize>,
}

#[get("/boats/<id>/survey?<asked..>")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64, asked: Asked<'_>) -> Result {
    render(&listed(&desk, id, &asked, String::new()).await?)
}

async fn listed(desk: &Desk<'_>, id: i64, asked: &Asked<'_>, fault: String) -> std::result::Result<List, AppError> {
    let survey = SurveyFile::load(desk.store, id).await?;
    let file = &survey.file;
    let by_urgency = asked.order == Some("urgency");
    let open_only = asked.show != Some("all");
    let mut found: Vec<((f64, Vec<Reason>), &Finding)> =
        file.findings.iter().filter(|f| !open_only || f.is_open()).map(|f| (urgency(&file.weighed(f)), f)).collect();
    if by_urgency {
        found.sort_by(|a, b| b.0.0.total_cmp(&a.0.0));
    }
    let total = found.len();
    let pages = total.div_ceil(PER_PAGE).max(1);
    let page_no = asked.page.unwrap_or(1).clamp(1, pages);
    let rows = found
        .into_iter()
        .skip((page_no - 1) * PER_PAGE)
        .take(PER_PAGE)
        .map(|((score, reasons), f)| {
            let untreated = f.cause.untreated(f.cause_treated.is_some());
            Row {
                id: f.id,
                version: f.version,
                at: f.place.to_string(),
                shown: file.shown(&f.place),
                kind: f.kind.label(),
                grade: f.grade.label(),
                certainty: f.certainty.label(),
                outcome: f.outcome.label(),
                method: f.method.label(),
                says: f.says.clone(),
                cause: f.cause.label(),
                cure: f.cause_treated.clone().map_or(f.cause.cure().to_owned(), |how| format!("treated: {how}")),
                untreated: untreated.is_some(),
                photo: f.photo.clone(),
                when: view::when(&f.at),
                by: f.by_name.clone(),
                score: format!("{score:.1}"),
                reasons: reasons::views(&reasons, desk.units),
            }
        })
        .collect();
    let surfaces = survey
        .coverage()
        .into_iter()
        .map(|(surface, c)| (surface.label(), percent(c.share()), c.seen < c.cells))
        .collect();
    // The undo bar tells what was withdrawn, while it can still be put back.
    let withdrawn = match asked.undo {
        Some(finding) => findings::find(desk.store, id, finding).await.ok().filter(|f| f.withdrawn).map(|f| f.id),
        None => None,
    };
    Ok(List {
        page: desk.boat_page(file, "Survey", "survey"),
        tabs: tabs("survey"),
        boat_id: id,
        by_urgency,
        open_only,
        rows,
        total,
        page_no,
        pages,
        surfaces,
        undo: withdrawn,
        outcomes: pairs(Outcome::ALL, Outcome::code, Outcome::label),
        fault,
    })
}

/// Says what has become of several findings in one act: all that were ticked, or none where one was changed meanwhile.
#[post("/boats/<id>/findings-at-once", data = "<posted>")]
pub async fn at_once(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let asked = Asked { show: Some(posted.form.get("show")), ..Asked::default() };
    let ticked: Vec<(&Finding, &str)> = file
        .findings
        .iter()
        .map(|f| (f, posted.form.get(&format!("f{}", f.id))))
        .filter(|(_, version)| !version.is_empty())
        .collect();
    let changed: Vec<String> =
        ticked.iter().filter(|(f, v)| v.parse() != Ok(f.version)).map(|(f, _)| file.shown(&f.place)).collect();
    let outcome = Outcome::from_code(posted.form.get("outcome"));
    let fault = match (ticked.is_empty(), changed.is_empty(), outcome) {
        (true, ..) => Some("tick the findings it is true of".to_owned()),
        (_, false, _) => {
            Some(format!("somebody changed what was found at {} meanwhile: look at it first", changed.join(", ")))
        }
        (_, _, None) => Some("say what has become of them".to_owned()),
        _ => None,
    };
    let (None, Some(outcome)) = (&fault, outcome) else {
        return render_faulty(&listed(&desk, id, &asked, fault.unwrap_or_default()).await?);
    };
    let location = format!("/boats/{id}/survey{}", if asked.show == Some("all") { "?show=all" } else { "" });
    let mut work = desk.store.begin(posted.act()).await?;
    for (finding, _) in ticked.iter().filter(|(f, _)| f.outcome != outcome) {
        work.set_outcome(finding, &file.shown(&finding.place), outcome).await?;
    }
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
