//! Surveys closed, and what became of the findings from one to the next.

use askama::Template;
use mend_keel_core::survey::compare::{self, Change, Compared, Entry};
use mend_keel_store::surveys::{self, Survey};
use rocket::{get, post};
use serde_json::json;

use crate::file::survey::SurveyFile;
use crate::pages::survey::{Tab, tabs};
use crate::view;
use crate::web::auth::{BoatReader, Crew};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "survey/compare.html")]
struct Show {
    page: Page,
    tabs: Vec<Tab>,
    boat_id: i64,
    closed: Vec<ClosedView>,
    before: i64,
    after: i64,
    before_name: String,
    after_name: String,
    counts: Vec<(&'static str, usize)>,
    rows: Vec<Row>,
    typed: Typed,
    faults: Faults,
}

struct ClosedView {
    id: i64,
    name: String,
    when: String,
    by: String,
    findings: usize,
    coverage: Vec<String>,
}

struct Row {
    id: i64,
    change: &'static str,
    code: &'static str,
    place: String,
    kind: &'static str,
    before: String,
    after: String,
    why: String,
}

fn row(c: &Compared) -> Option<Row> {
    let entry = c.after.as_ref().or(c.before.as_ref())?;
    let grade = |e: &Option<Entry>| e.as_ref().map_or("–".to_owned(), |e| e.grade.label().to_owned());
    Some(Row {
        id: c.id,
        change: c.change.label(),
        code: c.change.code(),
        place: entry.place.clone(),
        kind: entry.kind.label(),
        before: grade(&c.before),
        after: grade(&c.after),
        why: c.why.clone(),
    })
}

async fn page_of(
    desk: &Desk<'_>,
    id: i64,
    before: Option<i64>,
    after: Option<i64>,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<Show, crate::web::error::AppError> {
    let survey = SurveyFile::load(desk.store, id).await?;
    let closed = surveys::surveys(desk.store, id).await?;
    let find = |wanted: Option<i64>| wanted.and_then(|w| closed.iter().find(|s| s.id == w));
    // Without a choice: the last survey closed against how she stands now.
    let first: Option<&Survey> = find(before).or(closed.last());
    let second: Option<&Survey> = find(after);
    let now = survey.entries();
    let rows: Vec<Compared> = first
        .map_or(Vec::new(), |f| compare::surveys(&f.entries, second.map_or(now.as_slice(), |s| s.entries.as_slice())));
    Ok(Show {
        page: desk.boat_page(&survey.file, "Compare surveys", "survey"),
        tabs: tabs("survey/compare"),
        boat_id: id,
        before: first.map_or(0, |s| s.id),
        after: second.map_or(0, |s| s.id),
        before_name: first.map_or(String::new(), |s| s.name.clone()),
        after_name: second.map_or("now".to_owned(), |s| s.name.clone()),
        counts: Change::ALL
            .iter()
            .map(|change| (change.label(), rows.iter().filter(|r| r.change == *change).count()))
            .collect(),
        rows: rows.iter().filter(|r| r.change != Change::Same).filter_map(row).collect(),
        closed: closed
            .iter()
            .map(|s| ClosedView {
                id: s.id,
                name: s.name.clone(),
                when: view::when(&s.at),
                by: s.by_name.clone(),
                findings: s.entries.len(),
                coverage: s
                    .coverage
                    .as_object()
                    .into_iter()
                    .flatten()
                    .map(|(surface, share)| {
                        format!("{} {}", surface.to_lowercase(), view::percent(share.as_f64().unwrap_or(0.0)))
                    })
                    .collect(),
            })
            .collect(),
        typed,
        faults,
    })
}

#[get("/boats/<id>/survey/compare?<before>&<after>")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64, before: Option<i64>, after: Option<i64>) -> Result {
    render(&page_of(&desk, id, before, after, Typed::default(), Faults::default()).await?)
}

/// Closes a survey: how she stands now is kept, to be compared with later.
#[post("/boats/<id>/survey/compare", data = "<posted>")]
pub async fn close(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let name = read.name("name");
    if !read.faults.is_empty() {
        return render_faulty(&page_of(&desk, id, None, None, posted.form.typed(), read.faults).await?);
    }
    let survey = SurveyFile::load(desk.store, id).await?;
    let coverage: serde_json::Map<String, serde_json::Value> =
        survey.coverage().into_iter().map(|(surface, c)| (surface.label().to_owned(), json!(c.share()))).collect();
    let location = format!("/boats/{id}/survey/compare");
    let mut work = desk.store.begin(posted.act()).await?;
    work.close_survey(id, &name, &survey.entries(), &serde_json::Value::Object(coverage)).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
