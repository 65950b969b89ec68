//! A boat's dossier: written to a file, and read back from one that may come from anywhere.

use std::collections::BTreeSet;
use std::fs::{self, File};
use std::path::{Path, PathBuf};

use mend_keel_core::grid::member::Surface;
use mend_keel_core::hull;
use mend_keel_exchange::dossier::{self as archive, Contents, Unpacked};
use mend_keel_exchange::sheet;
use mend_keel_store::dossier::{self, Clashes, Names};
use mend_keel_store::history::Only;
use mend_keel_store::{
    Act, Store, StoreError, before, boards, decisions, fastenings, findings, history, plans, samples, seams, species,
    surveys, upkeep,
};
use rocket::tokio::task;
use serde_json::{Value, json};

use crate::file::survey::SurveyFile;
use crate::web::photos;

/// A boat's document as it stands in a file.
pub fn text(document: &Value) -> String {
    format!("{document:#}\n")
}

/// What was written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Written {
    pub photos: usize,
    pub bytes: u64,
}

/// Writes a boat's dossier beside its place and puts it there once it is whole. The error is one line.
pub async fn write(store: &Store, folder: &Path, boat: i64, pdf: Vec<u8>, to: &Path) -> Result<Written, String> {
    let dossier = dossier::export(store, boat).await.map_err(|e| e.to_string())?;
    let mut pictures: Vec<(String, PathBuf)> = Vec::new();
    for hash in &dossier.photos {
        let path = photos::path(folder, hash).filter(|path| path.exists());
        let path = path.ok_or_else(|| format!("the photograph {hash} is not in {} any more", folder.display()))?;
        pictures.push((hash.clone(), path));
    }
    let to = to.to_owned();
    task::spawn_blocking(move || {
        let cannot = |e: std::io::Error| format!("cannot write {}: {e}", to.display());
        let beside = to.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or_else(|| Path::new("."));
        let partial = tempfile::NamedTempFile::new_in(beside).map_err(cannot)?;
        let document = text(&dossier.document);
        let contents =
            Contents { document: document.as_bytes(), pdf: &pdf, photos: &pictures, papers: &dossier.papers };
        let file = archive::write(partial.reopen().map_err(cannot)?, &contents).map_err(cannot)?;
        file.sync_all().map_err(cannot)?;
        let bytes = file.metadata().map_err(cannot)?.len();
        partial.persist(&to).map_err(|e| cannot(e.error))?;
        Ok(Written { photos: pictures.len(), bytes })
    })
    .await
    .map_err(|e| e.to_string())?
}

/// One of a boat's lists as CSV: the rows of her document with a column for every field any of them has. `None` where she has none of
/// this name.
pub async fn list(store: &Store, boat: i64, name: &str) -> Result<Option<String>, StoreError> {
    let dossier = dossier::export(store, boat).await?;
    let Some(rows) = dossier.document[name].as_array() else { return Ok(None) };
    let columns: BTreeSet<&String> = rows.iter().filter_map(|r| r.as_object()).flat_map(|r| r.keys()).collect();
    let cell = |value: &Value| match value {
        Value::Null => String::new(),
        Value::String(text) => text.clone(),
        other => other.to_string(),
    };
    let lines = rows.iter().map(|row| columns.iter().map(|c| cell(&row[c.as_str()])).collect());
    let heads: Vec<&str> = columns.iter().map(|c| c.as_str()).collect();
    Ok(Some(sheet::table(&heads, lines)))
}

/// Why a dossier is not taken. Nothing of it is here.
#[derive(Debug, PartialEq, Eq)]
pub enum Refused {
    /// Names the yard has already: it is asked under which she goes.
    Clash(Clashes),
    Says(String),
}

impl From<String> for Refused {
    fn from(says: String) -> Self {
        Self::Says(says)
    }
}

impl From<StoreError> for Refused {
    fn from(error: StoreError) -> Self {
        Self::Says(error.to_string())
    }
}

/// Reads a dossier into a yard, whole or not at all; gives the boat's id. It is first read into a yard of its own, where everything of it
/// is looked through and drawn as the pages would.
pub async fn read(store: &Store, folder: &Path, from: &Path, names: &Names, by: &str) -> Result<i64, Refused> {
    let room = tempfile::TempDir::new().map_err(|e| format!("there is no room to unpack it: {e}"))?;
    let (file, unpacked_to) = (from.to_owned(), room.path().to_owned());
    let unpacked = task::spawn_blocking(move || {
        let open = File::open(&file).map_err(|e| format!("cannot open {}: {e}", file.display()))?;
        archive::read(open, &unpacked_to)
    })
    .await
    .map_err(|e| e.to_string())??;
    look_through(&unpacked, &room.path().join("look.db")).await?;
    let clashes = dossier::clashes(store, &unpacked.document, names).await?;
    if !clashes.is_empty() {
        return Err(Refused::Clash(clashes));
    }
    for (hash, path) in &unpacked.photos {
        let to = photos::path(folder, hash).ok_or_else(|| format!("{hash} is no photograph"))?;
        if !to.exists() {
            fs::copy(path, &to).map_err(|e| format!("the photographs cannot be kept: {e}"))?;
        }
    }
    let mut work = store.begin(Act::now(by, None)).await?;
    for (hash, path) in &unpacked.papers {
        work.keep_paper(hash, &fs::read(path).map_err(|e| e.to_string())?).await?;
    }
    let boat = work.carry_boat(&unpacked.document, names).await?;
    // Told of the yard and not of the boat: her own dossier stays what it was.
    work.note(None, None, "yard", "A boat came in a dossier", &json!({ "boat": boat })).await?;
    work.commit("/boats").await?;
    species::tell(store).await?;
    Ok(boat)
}

/// Reads a dossier into a yard that nobody sees, and everything of it as the pages do.
async fn look_through(unpacked: &Unpacked, database: &Path) -> Result<(), String> {
    let store = Store::open(database).await.map_err(|e| e.to_string())?;
    let done = look_through_in(unpacked, &store).await;
    store.close().await;
    done
}

async fn look_through_in(unpacked: &Unpacked, store: &Store) -> Result<(), String> {
    for path in unpacked.photos.values() {
        photos::is_ours(path).map_err(|why| format!("a photograph in it {why}"))?;
    }
    let says = |e: StoreError| match e {
        // What a row holds beyond its kind is only seen when it is read.
        StoreError::Conflict(says) => says,
        StoreError::Database(e) => format!("something in it fits no boat: {e}"),
        other => format!("something in it fits no boat: {other}"),
    };
    let mut work = store.begin(Act::now("", None)).await.map_err(says)?;
    for (hash, path) in &unpacked.papers {
        work.keep_paper(hash, &fs::read(path).map_err(|e| e.to_string())?).await.map_err(says)?;
    }
    let boat = work.carry_boat(&unpacked.document, &Names::default()).await.map_err(says)?;
    work.commit("/").await.map_err(says)?;
    let carried = dossier::export(store, boat).await.map_err(says)?;
    let papers: BTreeSet<String> = carried.papers.keys().cloned().collect();
    unpacked.check(&carried.photos, &papers)?;
    let survey = readable(store, boat).await.map_err(says)?;
    hull::check(&survey.file.boat.shell).map_err(|e| format!("her grid is none: {}", e.message))?;
    let draw = move || {
        for surface in Surface::ALL {
            survey.draw(*surface, None, "grade");
        }
    };
    // A drawing of what fits together nowhere may break; nothing else does with it.
    task::spawn_blocking(draw).await.map_err(|_| "something in it cannot be drawn".to_owned())
}

/// Reads all there is of a boat.
async fn readable(store: &Store, boat: i64) -> Result<SurveyFile, StoreError> {
    let survey = SurveyFile::load(store, boat).await?;
    decisions::until(store, boat, "9999").await?;
    decisions::all_pieces(store, boat).await?;
    for kind in ["seam", "fasten", "finish"] {
        plans::of_boat(store, boat, kind).await?;
    }
    fastenings::regions(store, boat).await?;
    fastenings::metal(store, boat).await?;
    fastenings::all_bolted(store, boat).await?;
    findings::photos_of_boat(store, boat).await?;
    surveys::fittings(store, boat).await?;
    surveys::lines(store, boat).await?;
    surveys::surveys(store, boat).await?;
    samples::of_boat(store, boat).await?;
    seams::ways(store, boat).await?;
    seams::of_boat(store, boat).await?;
    seams::steps(store, boat).await?;
    seams::launch(store, boat).await?;
    seams::lifted(store, boat).await?;
    upkeep::coated(store, boat).await?;
    upkeep::seen(store, boat).await?;
    upkeep::berth(store, boat).await?;
    boards::list(store).await?;
    before::before(store, boat, "9999").await?;
    history::of_boat(store, boat, None, Only::default()).await?;
    Ok(survey)
}
