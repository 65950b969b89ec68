//! The handbook: its chapters, one to a page, and a search through all of them.

use askama::Template;
use mend_keel_store::accounts;
use rocket::get;

use crate::view::handbook::{self, Chapter, Hit};
use crate::web::desk::{Desk, Page, render};
use crate::web::error::{AppError, Result};

#[derive(Template)]
#[template(path = "handbook.html")]
struct Show {
    page: Page,
    chapters: &'static [Chapter],
    /// The chapter that is open, and its text.
    here: &'static str,
    html: String,
    asked: String,
    hits: Vec<Hit>,
}

#[get("/handbook?<q>")]
pub async fn contents(desk: Desk<'_>, q: Option<&str>) -> Result {
    let asked = q.unwrap_or_default().trim().chars().take(80).collect::<String>();
    render(&Show {
        page: desk.page("Handbook", "handbook"),
        chapters: handbook::chapters(),
        here: "",
        html: String::new(),
        hits: handbook::search(&asked),
        asked,
    })
}

#[get("/handbook/<slug>")]
pub async fn chapter(desk: Desk<'_>, slug: &str) -> Result {
    let chapter = handbook::chapter(slug).ok_or(AppError::NotFound("chapter"))?;
    let practice = accounts::practice(desk.store).await?.0;
    render(&Show {
        page: desk.page(&chapter.title, "handbook"),
        chapters: handbook::chapters(),
        here: &chapter.slug,
        html: chapter.html(&practice),
        asked: String::new(),
        hits: Vec::new(),
    })
}
