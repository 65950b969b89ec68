//! Everything found, in the order found or of urgency with its reasons, and what has not been looked at.

use askama::Template;
use mend_keel_core::Reason;
use mend_keel_core::survey::urgency;
use mend_keel_store::findings::{self, Finding};
use rocket::get;

use crate::file::survey::SurveyFile;
use crate::pages::survey::{Tab, tabs};
use crate::view::reasons::{self, ReasonView};
use crate::view::{self, percent};
use crate::web::auth::BoatReader;
use crate::web::desk::{Desk, Page, render};
use crate::web::error::Result;

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
}

struct Row {
    id: i64,
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

#[get("/boats/<id>/survey?<order>&<undo>&<show>&<page>")]
pub async fn list(
    desk: Desk<'_>,
    _who: BoatReader,
    id: i64,
    order: Option<&str>,
    undo: Option<i64>,
    show: Option<&str>,
    page: Option<usize>,
) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let file = &survey.file;
    let by_urgency = order == Some("urgency");
    let open_only = show != Some("all");
    let mut found: Vec<((f64, Vec<Reason>), &Finding)> =
        file.findings.iter().filter(|f| !open_only || f.is_open()).map(|f| (urgency(&file.weighed(f)), f)).collect();
    if by_urgency {
        found.sort_by(|a, b| b.0.0.total_cmp(&a.0.0));
    }
    let total = found.len();
    let pages = total.div_ceil(PER_PAGE).max(1);
    let page_no = page.unwrap_or(1).clamp(1, pages);
    let rows = found
        .into_iter()
        .skip((page_no - 1) * PER_PAGE)
        .take(PER_PAGE)
        .map(|((score, reasons), f)| {
            let untreated = f.cause.untreated(f.cause_treated.is_some());
            Row {
                id: f.id,
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
    let withdrawn = match undo {
        Some(finding) => findings::find(desk.store, id, finding).await.ok().filter(|f| f.withdrawn).map(|f| f.id),
        None => None,
    };
    render(&List {
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
    })
}
