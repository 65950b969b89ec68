//! Pages for when there is no page: not found, not allowed, not signed in, broken.

use askama::Template;
use rocket::http::Status;
use rocket::response::Redirect;
use rocket::{Catcher, Request, catch, catchers};

use crate::web::assets;

#[derive(Template)]
#[template(path = "problem.html")]
struct Problem<'p> {
    title: &'p str,
    message: &'p str,
    stamp: &'static str,
}

pub fn render(title: &str, message: &str) -> String {
    let page = Problem { title, message, stamp: assets::STAMP.as_str() };
    page.render().unwrap_or_else(|_| title.to_owned())
}

pub fn catchers() -> Vec<Catcher> {
    catchers![unauthorized, forbidden, not_found, too_large, other]
}

#[catch(401)]
fn unauthorized() -> Redirect {
    Redirect::to("/sign-in")
}

fn page(title: &str, message: &str) -> rocket::response::content::RawHtml<String> {
    rocket::response::content::RawHtml(render(title, message))
}

#[catch(403)]
fn forbidden() -> rocket::response::content::RawHtml<String> {
    page(
        "Not allowed",
        "Your account may not do that, or this form is from an earlier sign-in. Go back, reload the page and send it again.",
    )
}

#[catch(404)]
fn not_found() -> rocket::response::content::RawHtml<String> {
    page("Not found", "There is nothing at this address.")
}

#[catch(413)]
fn too_large() -> rocket::response::content::RawHtml<String> {
    page(
        "Too large",
        "What was sent is larger than this yard takes. A photo may have 20 MB. Go back: what you typed is still there.",
    )
}

#[catch(default)]
fn other(status: Status, _: &Request<'_>) -> rocket::response::content::RawHtml<String> {
    page(status.reason_lossy(), "The request could not be worked.")
}
