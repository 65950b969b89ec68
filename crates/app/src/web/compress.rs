//! Answers made smaller on the wire, where the browser takes it; a part of a page that stays the same is packed once.

use std::collections::HashMap;
use std::io::{Cursor, Write};
use std::sync::{Arc, Mutex, PoisonError};

use flate2::write::GzEncoder;
use flate2::{Compress as Deflate, Compression, Crc, FlushCompress, Status};
use rocket::fairing::{Fairing, Info, Kind};
use rocket::http::{ContentType, Header};
use rocket::request::{FromRequest, Outcome};
use rocket::{Request, Response};

use crate::web::kept::{self, welcomes_gzip};

/// Shorter than this nothing is gained, bytes.
const WORTH_IT: usize = 1_400;
/// How hard pages are packed, and what is shipped.
const QUICK: u32 = 4;
const HARDEST: u32 = 9;
/// Addresses of what is shipped that are kept packed.
const MOST_SHIPPED: usize = 100;
/// Bytes by which a part is looked for.
const BEGINNING: usize = 64;
/// Parts kept packed; the one asked for longest ago goes first.
const MOST: usize = 12;

/// Packs pages, styles, scripts, drawings and data.
#[derive(Debug, Default)]
pub struct Compress {
    parts: Mutex<Vec<Arc<Packed>>>,
    /// What never changes, packed whole, by its address. There are as many as the program ships.
    shipped: Mutex<HashMap<String, Arc<[u8]>>>,
}

/// A part of an answer, as it stands in it and packed: whole blocks that say nothing of what comes before them.
#[derive(Debug)]
struct Packed {
    text: Arc<str>,
    blocks: Vec<u8>,
    crc: Crc,
}

/// Where a page says which part of it stays the same for the next who asks.
#[derive(Debug)]
pub struct Stays<'r>(&'r Slot);

type Slot = Mutex<Option<Arc<str>>>;

impl Stays<'_> {
    pub fn say(&self, part: Option<Arc<str>>) {
        *self.0.lock().unwrap_or_else(PoisonError::into_inner) = part;
    }
}

#[rocket::async_trait]
impl<'r> FromRequest<'r> for Stays<'r> {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, ()> {
        Outcome::Success(Self(request.local_cache(Slot::default)))
    }
}

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
        if !response.headers().contains("Vary") {
            response.set_header(Header::new("Vary", "Accept-Encoding"));
        }
        if !welcomes_gzip(request) {
            return;
        }
        // What cannot be read whole is sent as it is: its length then speaks for it.
        let Ok(body) = response.body_mut().to_bytes().await else { return };
        let for_ever = response.headers().get_one("Cache-Control").is_some_and(|keep| keep.contains("immutable"));
        // In a debug build what is shipped is read from the disk each time.
        if for_ever
            && !cfg!(debug_assertions)
            && let Some(packed) = self.shipped(request.uri().path().as_str(), &body)
        {
            response.set_header(Header::new("Content-Encoding", "gzip"));
            response.set_sized_body(packed.len(), Cursor::new(packed));
            return;
        }
        let stays = request.local_cache(Slot::default).lock().unwrap_or_else(PoisonError::into_inner).take();
        let packed = match stays {
            _ if body.len() < WORTH_IT => None,
            Some(part) => self.spliced(&body, part).or_else(|| pack(&body, QUICK)),
            None => pack(&body, QUICK),
        };
        match packed {
            Some(packed) => {
                if let Some(page) = request.local_cache(kept::Slot::new).get() {
                    page.keep_packed(&packed);
                }
                response.set_header(Header::new("Content-Encoding", "gzip"));
                response.set_sized_body(packed.len(), Cursor::new(packed));
            }
            None => response.set_sized_body(body.len(), Cursor::new(body)),
        }
    }
}

impl Compress {
    /// What never changes at an address, packed as hard as it goes the first time it is asked for.
    fn shipped(&self, address: &str, body: &[u8]) -> Option<Arc<[u8]>> {
        let mut shipped = self.shipped.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(packed) = shipped.get(address) {
            return Some(Arc::clone(packed));
        }
        let packed: Arc<[u8]> = pack(body, HARDEST)?.into();
        if shipped.len() < MOST_SHIPPED {
            shipped.insert(address.to_owned(), Arc::clone(&packed));
        }
        Some(packed)
    }

    /// A page packed about a part of it that may be packed already. `None` where the part is not in it.
    fn spliced(&self, body: &[u8], part: Arc<str>) -> Option<Vec<u8>> {
        let at = place_of(part.as_bytes(), body)?;
        let packed = self.packed(part)?;
        let (head, tail) = (&body[..at], &body[at + packed.text.len()..]);
        // A gzip file (RFC 1952): its head without a name or a time, one stream of blocks, the check sum and the length.
        let mut out = vec![0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 255];
        deflate(head, QUICK, FlushCompress::Full, &mut out)?;
        out.extend_from_slice(&packed.blocks);
        deflate(tail, QUICK, FlushCompress::Finish, &mut out)?;
        let mut crc = Crc::new();
        crc.update(head);
        crc.combine(&packed.crc);
        let mut after = Crc::new();
        after.update(tail);
        crc.combine(&after);
        out.extend_from_slice(&crc.sum().to_le_bytes());
        out.extend_from_slice(&(body.len() as u32).to_le_bytes());
        Some(out)
    }

    fn packed(&self, text: Arc<str>) -> Option<Arc<Packed>> {
        let same = |p: &Arc<Packed>| Arc::ptr_eq(&p.text, &text);
        let mut parts = self.parts.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(at) = parts.iter().position(same) {
            let found = parts.remove(at);
            parts.push(Arc::clone(&found));
            return Some(found);
        }
        drop(parts);
        let mut blocks = Vec::with_capacity(text.len() / 4);
        deflate(text.as_bytes(), QUICK, FlushCompress::Full, &mut blocks)?;
        let mut crc = Crc::new();
        crc.update(text.as_bytes());
        let made = Arc::new(Packed { text, blocks, crc });
        let mut parts = self.parts.lock().unwrap_or_else(PoisonError::into_inner);
        if parts.len() >= MOST {
            parts.remove(0);
        }
        parts.push(Arc::clone(&made));
        Some(made)
    }
}

/// Where a long part begins in a body: by its first bytes, since most that look alike differ there.
fn place_of(part: &[u8], body: &[u8]) -> Option<usize> {
    let first = &part[..part.len().min(BEGINNING)];
    let last = body.len().checked_sub(part.len())?;
    (0..=last).find(|at| body[*at..].starts_with(first) && body[*at..].starts_with(part))
}

/// Packs bytes into blocks of their own, ended as `flush` says, at the end of `out`.
fn deflate(bytes: &[u8], level: u32, flush: FlushCompress, out: &mut Vec<u8>) -> Option<()> {
    let mut packer = Deflate::new(Compression::new(level), false);
    loop {
        out.reserve(bytes.len() / 4 + 256);
        let (taken, room) = (packer.total_in() as usize, out.capacity() - out.len());
        let status = packer.compress_vec(&bytes[taken..], out, flush).ok()?;
        let all = packer.total_in() as usize == bytes.len();
        // Blocks are ended once there was room to spare for them.
        let ended = match flush {
            FlushCompress::Finish => status == Status::StreamEnd,
            _ => all && out.len() < out.capacity(),
        };
        if ended {
            return Some(());
        }
        if status == Status::BufError && room > 256 {
            return None;
        }
    }
}

fn is_text(kind: &ContentType) -> bool {
    kind.top() == "text"
        || [ContentType::JSON, ContentType::JavaScript, ContentType::SVG].contains(kind)
        || kind.sub() == "manifest+json"
}

fn pack(body: &[u8], level: u32) -> Option<Vec<u8>> {
    let mut packer = GzEncoder::new(Vec::with_capacity(body.len() / 4), Compression::new(level));
    packer.write_all(body).ok()?;
    packer.finish().ok()
}

#[cfg(test)]
mod tests {
    use std::io::Read;

    use proptest::prelude::*;

    use super::*;

    fn unpacked(packed: &[u8]) -> Vec<u8> {
        let mut out = Vec::new();
        flate2::read::GzDecoder::new(packed).read_to_end(&mut out).unwrap();
        out
    }

    #[test]
    fn what_is_packed_comes_out_as_it_went_in_and_smaller() {
        let body = "<path class=\"joint\" d=\"M120 40L120 80\"/>".repeat(900);
        let packed = pack(body.as_bytes(), QUICK).unwrap();
        assert!(packed.len() * 10 < body.len());
        assert_eq!(unpacked(&packed), body.as_bytes());
    }

    #[test]
    fn a_part_is_packed_once_and_stands_in_every_page_about_it() {
        let keeper = Compress::default();
        let part: Arc<str> = "<path class=\"joint\" d=\"M120 40L120 80\"/>".repeat(3_000).into();
        for key in ["one", "another", "a third"] {
            let page = format!("<html>{key}<svg>{part}</svg>{key} and <b>{key}</b></html>");
            let packed = keeper.spliced(page.as_bytes(), Arc::clone(&part)).unwrap();
            assert_eq!(unpacked(&packed), page.as_bytes());
            assert!(packed.len() * 20 < page.len(), "{} of {}", packed.len(), page.len());
        }
        assert_eq!(keeper.parts.lock().unwrap().len(), 1);
        assert!(keeper.spliced(b"<html>something else</html>", part).is_none());
    }

    #[test]
    fn a_part_is_found_where_it_stands_whole_and_nowhere_else() {
        let part = "a".repeat(100);
        assert_eq!(place_of(part.as_bytes(), format!("{} {part}b", "a".repeat(80)).as_bytes()), Some(81));
        assert_eq!(place_of(part.as_bytes(), part.as_bytes()), Some(0));
        assert_eq!(place_of(part.as_bytes(), &part.as_bytes()[1..]), None);
        assert_eq!(place_of(b"", b"x"), Some(0));
    }

    #[test]
    fn only_so_many_parts_are_kept() {
        let keeper = Compress::default();
        for n in 0..MOST + 5 {
            let part: Arc<str> = format!("part {n}").into();
            let page = format!("before part {n} after");
            assert_eq!(unpacked(&keeper.spliced(page.as_bytes(), part).unwrap()), page.as_bytes());
        }
        assert_eq!(keeper.parts.lock().unwrap().len(), MOST);
    }

    #[test]
    fn what_is_shipped_is_packed_once_and_a_made_up_address_fills_nothing() {
        let keeper = Compress::default();
        let style = "a { color: red } ".repeat(400);
        let first = keeper.shipped("/assets/1/a.css", style.as_bytes()).unwrap();
        assert_eq!(unpacked(&first), style.as_bytes());
        assert!(Arc::ptr_eq(&first, &keeper.shipped("/assets/1/a.css", style.as_bytes()).unwrap()));
        for n in 0..MOST_SHIPPED + 20 {
            let packed = keeper.shipped(&format!("/assets/{n}/b.css"), style.as_bytes()).unwrap();
            assert_eq!(unpacked(&packed), style.as_bytes());
        }
        assert_eq!(keeper.shipped.lock().unwrap().len(), MOST_SHIPPED);
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]

        #[test]
        fn whatever_stands_about_a_part_comes_out_whole(
            head in "[ -~äß✓]{0,900}", part in "[ -~äß✓]{1,4000}", tail in "[ -~äß✓]{0,900}", times in 1usize..40,
        ) {
            let part: Arc<str> = part.repeat(times).into();
            let page = format!("{head}{part}{tail}");
            let packed = Compress::default().spliced(page.as_bytes(), part).unwrap();
            prop_assert_eq!(unpacked(&packed), page.as_bytes());
        }
    }

    #[test]
    fn only_text_is_packed() {
        assert!(is_text(&ContentType::HTML) && is_text(&ContentType::CSV) && is_text(&ContentType::SVG));
        assert!(!is_text(&ContentType::PDF) && !is_text(&ContentType::JPEG));
    }
}
