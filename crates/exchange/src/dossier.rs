//! The file a dossier travels in: a ZIP with `dossier.json`, photographs and papers by the hash of their bytes, and the PDF.
//!
//! What is taken out of one is held against its hash, and nothing is taken that nobody named. docs/dossier.md describes the file.

use std::collections::{BTreeMap, BTreeSet};
use std::fs::{self, File};
use std::io::{self, Read, Seek, Write};
use std::path::{Path, PathBuf};

use sha2::{Digest, Sha256};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipArchive, ZipWriter};

const DOCUMENT: &str = "dossier.json";
const PDF: &str = "dossier.pdf";
/// Largest document, largest attachment, and most bytes of all attachments together.
const LARGEST_DOCUMENT: u64 = 256 << 20;
const LARGEST_ATTACHMENT: u64 = 64 << 20;
const LARGEST_WHOLE: u64 = 16 << 30;
/// Most files in one.
const MOST_FILES: usize = 200_000;

/// An attachment of a dossier, by the kind of thing it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Kind {
    Photo,
    Paper,
}

impl Kind {
    fn named(self, hash: &str) -> String {
        match self {
            Self::Photo => format!("photos/{hash}.jpg"),
            Self::Paper => format!("papers/{hash}.pdf"),
        }
    }

    /// What a name in the archive is, with its hash.
    fn read(name: &str) -> Option<(Self, &str)> {
        let (kind, hash) = match name.split_once('/')? {
            ("photos", rest) => (Self::Photo, rest.strip_suffix(".jpg")?),
            ("papers", rest) => (Self::Paper, rest.strip_suffix(".pdf")?),
            _ => return None,
        };
        let is_hash = hash.len() == 64 && hash.bytes().all(|b| b.is_ascii_digit() || (b'a'..=b'f').contains(&b));
        is_hash.then_some((kind, hash))
    }
}

/// What goes into a dossier.
#[derive(Debug)]
pub struct Contents<'a> {
    pub document: &'a [u8],
    pub pdf: &'a [u8],
    /// Photographs by hash, where they lie.
    pub photos: &'a [(String, PathBuf)],
    /// Papers by hash.
    pub papers: &'a BTreeMap<String, Vec<u8>>,
}

/// Writes a dossier. Photographs are stored as they are; the rest is packed.
pub fn write<W: Write + Seek>(to: W, contents: &Contents<'_>) -> io::Result<W> {
    let mut zip = ZipWriter::new(to);
    let packed = SimpleFileOptions::default().compression_method(CompressionMethod::Deflated);
    let stored = SimpleFileOptions::default().compression_method(CompressionMethod::Stored);
    zip.start_file(DOCUMENT, packed)?;
    zip.write_all(contents.document)?;
    zip.start_file(PDF, packed)?;
    zip.write_all(contents.pdf)?;
    for (hash, path) in contents.photos {
        zip.start_file(Kind::Photo.named(hash), stored)?;
        io::copy(&mut File::open(path)?, &mut zip)?;
    }
    for (hash, bytes) in contents.papers {
        zip.start_file(Kind::Paper.named(hash), packed)?;
        zip.write_all(bytes)?;
    }
    Ok(zip.finish()?)
}

/// What was taken out of a dossier; the attachments lie in the room they were unpacked to.
#[derive(Debug)]
pub struct Unpacked {
    pub document: serde_json::Value,
    pub photos: BTreeMap<String, PathBuf>,
    pub papers: BTreeMap<String, PathBuf>,
}

/// Unpacks a dossier into an empty folder. The error is one line a person can act on.
pub fn read(from: impl Read + Seek, room: &Path) -> Result<Unpacked, String> {
    let mut zip = ZipArchive::new(from).map_err(|e| format!("it is damaged or no dossier: {e}"))?;
    if zip.len() > MOST_FILES {
        return Err(format!("it holds {} files: no dossier has so many", zip.len()));
    }
    let mut text = Vec::new();
    let document = zip.by_name(DOCUMENT).map_err(|_| format!("it is no dossier: {DOCUMENT} is missing"))?;
    document
        .take(LARGEST_DOCUMENT + 1)
        .read_to_end(&mut text)
        .map_err(|e| format!("{DOCUMENT} cannot be read: {e}"))?;
    if text.len() as u64 > LARGEST_DOCUMENT {
        return Err(format!("{DOCUMENT} is too large to be true"));
    }
    let document = serde_json::from_slice(&text).map_err(|e| format!("{DOCUMENT} cannot be read: {e}"))?;
    let (mut photos, mut papers) = (BTreeMap::new(), BTreeMap::new());
    let mut left = LARGEST_WHOLE;
    for i in 0..zip.len() {
        let file = zip.by_index(i).map_err(|e| format!("it is damaged: {e}"))?;
        let name = file.name().map_err(|e| format!("it is damaged: {e}"))?.into_owned();
        if name == DOCUMENT || name == PDF {
            continue;
        }
        let shown: String = name.chars().take(80).collect();
        let (kind, hash) = Kind::read(&name).ok_or_else(|| format!("“{shown}” is nothing a dossier holds"))?;
        let mut bytes = Vec::new();
        let most = LARGEST_ATTACHMENT.min(left);
        file.take(most + 1).read_to_end(&mut bytes).map_err(|e| format!("{shown} cannot be unpacked: {e}"))?;
        if bytes.len() as u64 > most {
            return Err(format!("{shown} is too large to be true"));
        }
        left -= bytes.len() as u64;
        if format!("{:x}", Sha256::digest(&bytes)) != hash {
            return Err(format!("{shown} is not what was put into it: the file is damaged"));
        }
        let path = room.join(format!("{hash}.{}", if kind == Kind::Photo { "jpg" } else { "pdf" }));
        fs::write(&path, bytes).map_err(|e| format!("{shown} cannot be unpacked: {e}"))?;
        let list = if kind == Kind::Photo { &mut photos } else { &mut papers };
        list.insert(hash.to_owned(), path);
    }
    Ok(Unpacked { document, photos, papers })
}

impl Unpacked {
    /// Holds what lies in it against what its document names.
    pub fn check(&self, photos: &BTreeSet<String>, papers: &BTreeSet<String>) -> Result<(), String> {
        for (named, here, what) in [(photos, &self.photos, "photograph"), (papers, &self.papers, "paper")] {
            if let Some(missing) = named.iter().find(|hash| !here.contains_key(*hash)) {
                return Err(format!("the {what} {}… is missing in it", &missing[..12.min(missing.len())]));
            }
            if let Some(foreign) = here.keys().find(|hash| !named.contains(*hash)) {
                return Err(format!("it holds a {what} nobody named: {}…", &foreign[..12.min(foreign.len())]));
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use std::io::Cursor;

    use proptest::prelude::*;

    use super::*;

    fn hash(bytes: &[u8]) -> String {
        format!("{:x}", Sha256::digest(bytes))
    }

    fn room() -> tempfile::TempDir {
        tempfile::TempDir::new().unwrap()
    }

    fn packed(files: &[(&str, &[u8])]) -> Vec<u8> {
        let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
        for (name, bytes) in files {
            zip.start_file(*name, SimpleFileOptions::default()).unwrap();
            zip.write_all(bytes).unwrap();
        }
        zip.finish().unwrap().into_inner()
    }

    fn refused(files: &[(&str, &[u8])]) -> String {
        read(Cursor::new(packed(files)), room().path()).unwrap_err()
    }

    const EMPTY: (&str, &[u8]) = (DOCUMENT, b"{\"format\":1}");

    #[test]
    fn what_was_written_is_read_back_with_all_that_lies_beside_it() {
        let (from, to) = (room(), room());
        let (picture, paper) = (b"a picture".as_slice(), b"%PDF as given out".as_slice());
        let path = from.path().join("somewhere.jpg");
        fs::write(&path, picture).unwrap();
        let contents = Contents {
            document: b"{\"format\":1,\"boat\":{\"name\":\"Wren\"}}",
            pdf: b"%PDF-1.7",
            photos: &[(hash(picture), path)],
            papers: &[(hash(paper), paper.to_vec())].into(),
        };
        let file = write(Cursor::new(Vec::new()), &contents).unwrap();
        let back = read(file, to.path()).unwrap();
        assert_eq!(back.document["boat"]["name"], "Wren");
        assert_eq!(fs::read(&back.photos[&hash(picture)]).unwrap(), picture);
        assert_eq!(fs::read(&back.papers[&hash(paper)]).unwrap(), paper);
        let named = |bytes: &[u8]| BTreeSet::from([hash(bytes)]);
        assert_eq!(back.check(&named(picture), &named(paper)), Ok(()));
        assert!(back.check(&named(b"another"), &named(paper)).unwrap_err().contains("is missing"));
        assert!(back.check(&named(picture), &BTreeSet::new()).unwrap_err().contains("nobody named"));
    }

    #[test]
    fn what_is_no_dossier_or_was_changed_on_the_way_is_refused_in_one_line() {
        assert!(read(Cursor::new(b"no archive at all".to_vec()), room().path()).unwrap_err().contains("no dossier"));
        assert!(refused(&[("other.json", b"{}")]).contains("dossier.json is missing"));
        assert!(refused(&[(DOCUMENT, b"{\"format\":1")]).contains("dossier.json cannot be read"));
        let name = Kind::Photo.named(&hash(b"one"));
        assert!(refused(&[EMPTY, (&name, b"two")]).contains("is not what was put into it"));
        for foreign in
            ["../up", "photos/../../up.jpg", "/etc/passwd", "photos/x.jpg", "photos/", "yard.db", "papers/a/b.pdf"]
        {
            let told = refused(&[EMPTY, (foreign, b"x")]);
            assert!(told.contains("nothing a dossier holds") && told.lines().count() == 1, "{foreign}: {told}");
        }
        // Nested deeper than anybody writes: refused by the reader, not by the stack.
        let deep = format!("{}{}", "[".repeat(100_000), "]".repeat(100_000));
        assert!(refused(&[(DOCUMENT, deep.as_bytes())]).contains("cannot be read"));
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]
        #[test]
        fn a_byte_changed_anywhere_is_refused_or_changes_nothing_that_is_read(at in 0.0..1.0f64, to in any::<u8>()) {
            let picture = b"a picture of some length, so that the middle of the file lies in it".as_slice();
            let name = Kind::Photo.named(&hash(picture));
            let whole = packed(&[EMPTY, (&name, picture)]);
            let mut bytes = whole.clone();
            let place = ((bytes.len() - 1) as f64 * at) as usize;
            bytes[place] = to;
            let there = room();
            if let Ok(read) = read(Cursor::new(bytes), there.path()) {
                prop_assert!(read.photos.keys().all(|h| *h == hash(picture)));
                prop_assert_eq!(read.document, serde_json::json!({ "format": 1 }));
            }
        }

        #[test]
        fn bytes_that_are_nothing_are_refused(bytes in proptest::collection::vec(any::<u8>(), 0..400)) {
            prop_assert!(read(Cursor::new(bytes), room().path()).is_err());
        }
    }
}
