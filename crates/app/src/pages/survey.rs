//! Survey: everything found, in the order found or of urgency, and what has not been looked at.

use askama::Template;
use mend_keel_core::survey::urgency;
use mend_keel_store::findings::Finding;
use rocket::get;

use super::{BoatFile, Desk, Page, render};
use crate::auth::BoatReader;
use crate::error::Result;
use crate::view;

#[derive(Template)]
#[template(path = "survey.html")]
struct List {
    page: Page,
    boat_id: i64,
    by_urgency: bool,
    rows: Vec<Row>,
    looked_at: usize,
    planks: usize,
    undo: Option<i64>,
}

struct Row {
    id: i64,
    at: String,
    kind: &'static str,
    grade: &'static str,
    certainty: &'static str,
    method: &'static str,
    says: String,
    cause: &'static str,
    cure: &'static str,
    photo: Option<String>,
    when: String,
    by: String,
}

#[get("/boats/<id>/survey?<order>&<undo>")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64, order: Option<&str>, undo: Option<i64>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let by_urgency = order == Some("urgency");
    let mut found: Vec<&Finding> = file.findings.iter().collect();
    if by_urgency {
        let weight = |f: &Finding| urgency(f.grade, file.is_below_waterline(f.strake), f.certainty);
        found.sort_by(|a, b| weight(b).total_cmp(&weight(a)));
    }
    let rows = found
        .into_iter()
        .map(|f| Row {
            id: f.id,
            at: f.address().to_string(),
            kind: f.kind.label(),
            grade: f.grade.label(),
            certainty: f.certainty.label(),
            method: f.method.label(),
            says: f.reading.says.clone(),
            cause: f.cause.label(),
            cure: f.cause.cure(),
            photo: f.photo.clone(),
            when: view::when(&f.at),
            by: f.by_name.clone(),
        })
        .collect();
    let looked_at = file.planks.iter().filter(|p| file.findings.iter().any(|f| f.plank_id == p.id)).count();
    render(&List {
        page: desk.boat_page(&file, "Survey", "survey"),
        boat_id: id,
        by_urgency,
        rows,
        looked_at,
        planks: file.planks.len(),
        undo,
    })
}
