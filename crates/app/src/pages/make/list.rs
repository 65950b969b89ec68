//! The whole jobs of a boat: what is begun, how far it is, and what may be begun.

use askama::Template;
use mend_keel_core::job::JobKind;
use mend_keel_core::work::estimate::whole_job;
use rocket::get;

use crate::file::boat::BoatFile;
use crate::view;
use crate::web::auth::BoatReader;
use crate::web::choices::Choices;
use crate::web::desk::{Desk, Page, render};
use crate::web::error::Result;

#[derive(Template)]
#[template(path = "make/list.html")]
struct List {
    page: Page,
    boat_id: i64,
    jobs: Vec<Row>,
    kinds: Choices,
}

struct Row {
    id: i64,
    name: String,
    kind: &'static str,
    done: usize,
    all: usize,
    left: String,
    next: String,
}

#[get("/boats/<id>/jobs")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let jobs = file
        .jobs
        .iter()
        .map(|job| {
            let of: Vec<_> = file.tasks.iter().filter(|t| t.job_id == Some(job.id)).collect();
            let open: Vec<f64> = of.iter().filter(|t| t.done_at.is_none()).map(|t| t.p50).collect();
            Row {
                id: job.id,
                name: job.name.clone(),
                kind: job.kind.label(),
                done: of.len() - open.len(),
                all: of.len(),
                left: if open.is_empty() { String::new() } else { view::hours(whole_job(&open).p50) },
                next: of.iter().find(|t| t.done_at.is_none()).map_or(String::new(), |t| t.what.clone()),
            }
        })
        .collect();
    render(&List {
        page: desk.boat_page(&file, "Whole jobs", "work"),
        boat_id: id,
        jobs,
        kinds: crate::web::choices::pairs(JobKind::ALL, JobKind::code, JobKind::label),
    })
}
