//! Long work as it goes on: how far it is, and a button that stops it with the best found so far.

use askama::Template;
use rocket::http::ContentType;
use rocket::{State, get, post};
use serde_json::json;

use crate::web::auth::{Crew, User};
use crate::web::desk::{Desk, Page, render};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::Posted;
use crate::web::jobs::Jobs;

#[derive(Template)]
#[template(path = "job.html")]
struct Show {
    page: Page,
    id: String,
    title: String,
    failed: String,
}

#[get("/jobs/<id>")]
pub fn show(desk: Desk<'_>, _who: User, jobs: &State<Jobs>, id: &str) -> Result {
    let standing = jobs.standing(id, desk.user.account.id).ok_or(AppError::NotFound("work going on"))?;
    if let Some(location) = standing.location {
        return Ok(Answer::Go(location));
    }
    let page = desk.page(&standing.title, "rack");
    render(&Show { page, id: id.to_owned(), title: standing.title, failed: standing.failed.unwrap_or_default() })
}

/// What it made, for whoever asked for it.
#[get("/jobs/<id>/file")]
pub fn file(user: User, jobs: &State<Jobs>, id: &str) -> Result {
    let (name, bytes) = jobs.file(id, user.account.id).ok_or(AppError::NotFound("file"))?;
    Ok(Answer::File(name, ContentType::PDF, bytes.to_vec()))
}

/// For the page's script.
#[get("/jobs/<id>/state")]
pub fn state(user: User, jobs: &State<Jobs>, id: &str) -> Result {
    let s = jobs.standing(id, user.account.id).ok_or(AppError::NotFound("work going on"))?;
    Ok(Answer::Data(json!({ "share": s.share, "says": s.says, "location": s.location, "failed": s.failed })))
}

#[post("/jobs/<id>/stop", data = "<posted>")]
pub fn stop(_who: Crew, jobs: &State<Jobs>, id: &str, posted: Posted) -> Result {
    jobs.stop(id, posted.user.account.id);
    Ok(Answer::Go(format!("/jobs/{id}")))
}
