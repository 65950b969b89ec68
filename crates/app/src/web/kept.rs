//! A page that is kept as it was drawn, and how it is sent: whole, packed, or not at all to whoever has it.

use std::io::Cursor;
use std::sync::{Arc, OnceLock};

use rocket::http::{ContentType, Status};
use rocket::request::Request;
use rocket::response::{self, Response};

/// A page as it was drawn.
#[derive(Debug)]
pub struct Drawn {
    tag: String,
    html: Arc<[u8]>,
    packed: OnceLock<Arc<[u8]>>,
}

/// Where an answer that is kept waits to be packed.
pub type Slot = OnceLock<Arc<Drawn>>;

impl Drawn {
    pub fn new(tag: String, html: String) -> Self {
        Self { tag, html: html.into_bytes().into(), packed: OnceLock::new() }
    }

    /// What it is known by.
    pub fn tag(&self) -> &str {
        &self.tag
    }

    /// Keeps what the page was packed to.
    pub fn keep_packed(&self, packed: &[u8]) {
        self.packed.get_or_init(|| packed.into());
    }

    pub fn respond(self: Arc<Self>, request: &Request<'_>) -> response::Result<'static> {
        let tag = format!("W/\"{}\"", self.tag);
        let mut response = Response::build();
        response.raw_header("Cache-Control", "private, no-cache");
        response.raw_header("Vary", "Accept-Encoding").raw_header_adjoin("Vary", "Cookie");
        if request.headers().get("If-None-Match").any(|known| known.split(',').any(|k| k.trim() == tag)) {
            return response.status(Status::NotModified).raw_header("ETag", tag).ok();
        }
        response.raw_header("ETag", tag).header(ContentType::HTML);
        match self.packed.get().filter(|_| welcomes_gzip(request)) {
            Some(packed) => {
                response
                    .raw_header("Content-Encoding", "gzip")
                    .sized_body(packed.len(), Cursor::new(Arc::clone(packed)));
            }
            None => {
                response.sized_body(self.html.len(), Cursor::new(Arc::clone(&self.html)));
                request.local_cache(Slot::new).get_or_init(|| self);
            }
        }
        response.ok()
    }
}

/// Whether whoever asks takes gzip.
pub fn welcomes_gzip(request: &Request<'_>) -> bool {
    request.headers().get("Accept-Encoding").any(takes_gzip)
}

/// Whether a header says that gzip is welcome.
fn takes_gzip(header: &str) -> bool {
    header.split(',').any(|part| {
        let mut words = part.split(';').map(str::trim);
        let named = words.next().is_some_and(|name| name.eq_ignore_ascii_case("gzip") || name == "*");
        let refused = words.any(|w| w.strip_prefix("q=").and_then(|q| q.parse::<f64>().ok()) == Some(0.0));
        named && !refused
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_who_takes_it_gets_it() {
        for yes in ["gzip", "br, gzip;q=0.8", "deflate, GZIP", "*"] {
            assert!(takes_gzip(yes), "{yes}");
        }
        for no in ["", "br", "identity", "gzip;q=0", "gzip; q=0.0", "x-gzipped"] {
            assert!(!takes_gzip(no), "{no}");
        }
    }

    #[test]
    fn what_it_was_packed_to_first_is_kept() {
        let page = Drawn::new("a tag".into(), "<p>plank</p>".into());
        assert!(page.tag() == "a tag" && page.packed.get().is_none());
        page.keep_packed(b"once");
        page.keep_packed(b"twice");
        assert_eq!(page.packed.get().map(|p| p.to_vec()), Some(b"once".to_vec()));
    }
}
