//! Answers made smaller on the wire, where the browser takes it.

use std::io::{Cursor, Write};

use flate2::Compression;
use flate2::write::GzEncoder;
use rocket::fairing::{Fairing, Info, Kind};
use rocket::http::{ContentType, Header};
use rocket::{Request, Response};

/// Shorter than this nothing is gained, bytes.
const WORTH_IT: usize = 1_400;

/// Packs pages, styles, scripts, drawings and data.
#[derive(Debug)]
pub struct Compress;

#[rocket::async_trait]
impl Fairing for Compress {
    fn info(&self) -> Info {
        Info { name: "compress", kind: Kind::Response }
    }

    async fn on_response<'r>(&self, request: &'r Request<'_>, response: &mut Response<'r>) {
        let packs = response.content_type().is_some_and(|kind| is_text(&kind));
        if !packs || response.headers().contains("Content-Encoding") {
            return;
        }
        response.adjoin_header(Header::new("Vary", "Accept-Encoding"));
        if !request.headers().get("Accept-Encoding").any(takes_gzip) {
            return;
        }
        // What cannot be read whole is sent as it is: its length then speaks for it.
        let Ok(body) = response.body_mut().to_bytes().await else { return };
        let packed = if body.len() < WORTH_IT { None } else { pack(&body) };
        match packed {
            Some(packed) => {
                response.set_header(Header::new("Content-Encoding", "gzip"));
                response.set_sized_body(packed.len(), Cursor::new(packed));
            }
            None => response.set_sized_body(body.len(), Cursor::new(body)),
        }
    }
}

fn is_text(kind: &ContentType) -> bool {
    kind.top() == "text"
        || [ContentType::JSON, ContentType::JavaScript, ContentType::SVG].contains(kind)
        || kind.sub() == "manifest+json"
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

fn pack(body: &[u8]) -> Option<Vec<u8>> {
    let mut packer = GzEncoder::new(Vec::with_capacity(body.len() / 4), Compression::new(4));
    packer.write_all(body).ok()?;
    packer.finish().ok()
}

#[cfg(test)]
mod tests {
    use std::io::Read;

    use super::*;

    #[test]
    fn what_is_packed_comes_out_as_it_went_in_and_smaller() {
        let body = "<path class=\"joint\" d=\"M120 40L120 80\"/>".repeat(900);
        let packed = pack(body.as_bytes()).unwrap();
        assert!(packed.len() * 10 < body.len());
        let mut out = String::new();
        flate2::read::GzDecoder::new(packed.as_slice()).read_to_string(&mut out).unwrap();
        assert_eq!(out, body);
    }

    #[test]
    fn only_who_takes_it_gets_it() {
        for yes in ["gzip", "br, gzip;q=0.8", "deflate, GZIP", "*"] {
            assert!(takes_gzip(yes), "{yes}");
        }
        for no in ["", "br", "identity", "gzip;q=0", "gzip; q=0.0", "x-gzipped"] {
            assert!(!takes_gzip(no), "{no}");
        }
        assert!(is_text(&ContentType::HTML) && is_text(&ContentType::CSV) && is_text(&ContentType::SVG));
        assert!(!is_text(&ContentType::PDF) && !is_text(&ContentType::JPEG));
    }
}
