//! Pages that stay the same until something is committed: kept as they were drawn, and not sent again to whoever has them.

use std::sync::{Arc, Mutex, PoisonError};

use rocket::State;
use rocket::request::{FromRequest, Outcome, Request};
use sha2::{Digest, Sha256};

use crate::view;
use crate::web::assets;
use crate::web::auth::random_token;
use crate::web::desk::Desk;
use crate::web::error::Answer;
use crate::web::kept::Drawn;

/// Pages kept at once; the one asked for longest ago goes first.
const MOST: usize = 64;
/// Letters of a digest that tell pages apart.
const LETTERS: usize = 32;

/// The pages that are kept, the one asked for last at the end.
#[derive(Debug)]
pub struct Pages {
    /// Tells the pages of this start of the program from those of the one before: a version counts from its start.
    born: String,
    kept: Mutex<Vec<Arc<Drawn>>>,
}

impl Default for Pages {
    fn default() -> Self {
        Self { born: random_token().unwrap_or_default(), kept: Mutex::default() }
    }
}

/// Where a page that holds no one-time key is kept. What it shows must follow from the store, from whoever asks, from their screen and
/// from the day.
#[derive(Debug)]
pub struct Same<'r> {
    pages: &'r Pages,
    address: String,
}

#[rocket::async_trait]
impl<'r> FromRequest<'r> for Same<'r> {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, ()> {
        let pages = request.guard::<&State<Pages>>().await;
        pages.map(|pages| Self { pages: pages.inner(), address: request.uri().to_string() }).map_error(|e| (e.0, ()))
    }
}

impl Same<'_> {
    /// What the page at this address is known by: another one after anything was committed.
    pub fn tag(&self, desk: &Desk<'_>) -> String {
        let version = desk.version.to_string();
        let mut hasher = Sha256::new();
        for part in [
            self.pages.born.as_str(),
            &version,
            &desk.user.csrf,
            desk.surface,
            &view::today(),
            assets::STAMP.as_str(),
            &self.address,
        ] {
            hasher.update(part);
            hasher.update([0]);
        }
        let mut tag = format!("{:x}", hasher.finalize());
        tag.truncate(LETTERS);
        tag
    }

    /// The page as it was drawn.
    pub fn found(&self, tag: &str) -> Option<Answer> {
        let mut kept = self.pages.kept.lock().unwrap_or_else(PoisonError::into_inner);
        let at = kept.iter().position(|page| page.tag() == tag)?;
        let page = kept.remove(at);
        kept.push(Arc::clone(&page));
        Some(Answer::Same(page))
    }

    /// Keeps a page that was drawn.
    pub fn keep(&self, tag: String, html: String) -> Answer {
        let page = Arc::new(Drawn::new(tag, html));
        let mut kept = self.pages.kept.lock().unwrap_or_else(PoisonError::into_inner);
        kept.retain(|other| other.tag() != page.tag());
        if kept.len() >= MOST {
            kept.remove(0);
        }
        kept.push(Arc::clone(&page));
        Answer::Same(page)
    }
}
