//! What goes wrong on the way to a page, and how it is told.

use std::sync::Arc;

use mend_keel_store::StoreError;
use rocket::http::{ContentType, Status};
use rocket::request::Request;
use rocket::response::{self, Redirect, Responder, Response};

use crate::web::changed::Changed;
use crate::web::heavy::{COME_BACK, Halted};
use crate::web::kept::Drawn;

/// A page, or where to go next.
#[derive(Debug)]
pub enum Answer {
    Page(Status, String),
    /// A page that is kept as it was drawn.
    Same(Arc<Drawn>),
    Go(String),
    /// For the page's script.
    Data(serde_json::Value),
    /// To be kept: its name, kind and content.
    File(String, ContentType, Vec<u8>),
}

pub type Result<T = Answer> = std::result::Result<T, AppError>;

/// Everything that is not a page.
#[derive(Debug)]
pub enum AppError {
    /// This form was sent before; its answer is there.
    Done(String),
    NotFound(&'static str),
    /// A rule speaks against it; shown as a page with a way back.
    Refused(String),
    Broken(String),
    /// Too many wait for the same: come back in a moment.
    Busy,
    /// Somebody else changed it meanwhile; both versions are shown.
    Changed(Box<Changed>),
}

impl AppError {
    /// One line of what went wrong, for work that has no page of its own.
    pub fn says(&self) -> String {
        match self {
            Self::Done(_) => "it was done already".to_owned(),
            Self::NotFound(what) => format!("there is no such {what}"),
            Self::Refused(why) | Self::Broken(why) => why.clone(),
            Self::Changed(changed) => changed.says(),
            Self::Busy => format!("busy: try again in {COME_BACK} s"),
        }
    }
}

impl From<StoreError> for AppError {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::NotFound(what) => Self::NotFound(what),
            StoreError::AlreadyDone(location) => Self::Done(location),
            StoreError::Stale(what) => Self::Refused(format!("{what} was changed by somebody else meanwhile")),
            StoreError::Conflict(why) => Self::Refused(why),
            full if full.is_full() => Self::Refused(
                "The disk is full: nothing of this was saved. Make room, then send it again; what you typed is still on the page before."
                    .to_owned(),
            ),
            busy if busy.is_busy() => Self::Refused(
                "Somebody else is writing and has not finished: nothing of this was saved. Send it again in a moment; what you typed is still on the page before."
                    .to_owned(),
            ),
            damaged if damaged.is_damaged() => Self::Refused(
                "The database is damaged: nothing can be saved until a good copy of it is put back.".to_owned(),
            ),
            other => Self::Broken(other.to_string()),
        }
    }
}

impl From<Halted> for AppError {
    fn from(halted: Halted) -> Self {
        match halted {
            Halted::Busy => Self::Busy,
            Halted::TooLong => Self::Refused(format!("{}; nothing was changed", halted.says())),
        }
    }
}

impl From<askama::Error> for AppError {
    fn from(error: askama::Error) -> Self {
        Self::Broken(error.to_string())
    }
}

impl From<std::io::Error> for AppError {
    fn from(error: std::io::Error) -> Self {
        Self::Broken(error.to_string())
    }
}

impl From<serde_json::Error> for AppError {
    fn from(error: serde_json::Error) -> Self {
        Self::Broken(error.to_string())
    }
}

/// Whether a script asks, which is told where an answer leads instead of being led there.
fn asks_for_json(request: &Request<'_>) -> bool {
    request.headers().get_one("Accept").is_some_and(|accept| accept.starts_with("application/json"))
}

fn led_to(request: &Request<'_>, location: String) -> response::Result<'static> {
    if asks_for_json(request) {
        let body = serde_json::json!({ "location": location }).to_string();
        return (ContentType::JSON, body).respond_to(request);
    }
    Redirect::to(location).respond_to(request)
}

impl<'r> Responder<'r, 'static> for Answer {
    fn respond_to(self, request: &'r Request<'_>) -> response::Result<'static> {
        match self {
            Self::Page(status, html) => {
                Response::build_from((ContentType::HTML, html).respond_to(request)?).status(status).ok()
            }
            Self::Same(page) => page.respond(request),
            Self::Go(location) => led_to(request, location),
            Self::Data(body) => (ContentType::JSON, body.to_string()).respond_to(request),
            Self::File(name, kind, body) => {
                let mut response = Response::build_from((kind, body).respond_to(request)?);
                response.raw_header("Content-Disposition", format!("attachment; filename=\"{name}\""));
                response.ok()
            }
        }
    }
}

impl<'r> Responder<'r, 'static> for AppError {
    fn respond_to(self, request: &'r Request<'_>) -> response::Result<'static> {
        if let Self::Changed(changed) = &self {
            let page = changed.page(request);
            return Response::build_from((ContentType::HTML, page).respond_to(request)?).status(Status::Conflict).ok();
        }
        let busy = matches!(self, Self::Busy);
        let (status, title, message) = match self {
            Self::Busy => (
                Status::ServiceUnavailable,
                "Busy",
                format!(
                    "Much is being worked out just now. Try again in {COME_BACK} seconds; what you typed is still on the page before."
                ),
            ),
            Self::Done(location) => return led_to(request, location),
            Self::Changed(changed) => (Status::Conflict, "Changed meanwhile", changed.says()),
            Self::NotFound(what) => (Status::NotFound, "Not found", format!("There is no such {what}.")),
            Self::Refused(why) => (Status::Conflict, "That could not be done", why),
            Self::Broken(why) => {
                eprintln!("mend-keel: {} {}: {why}", request.method(), request.uri().path());
                (
                    Status::InternalServerError,
                    "Something broke",
                    "It has been logged. Nothing you entered before was lost.".to_owned(),
                )
            }
        };
        let html = crate::web::problem::render(title, &message);
        let mut response = Response::build_from((ContentType::HTML, html).respond_to(request)?);
        response.status(status);
        if busy {
            response.raw_header("Retry-After", COME_BACK.to_string());
        }
        response.ok()
    }
}
