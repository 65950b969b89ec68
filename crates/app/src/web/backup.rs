//! The yard as one file: taken while people work, looked through after writing, and put back into an empty folder.

use std::collections::BTreeMap;
use std::fs::{self, File};
use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};

use mend_keel_store::{Store, StoreError};
use rocket::tokio::task;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipArchive, ZipWriter};

use super::folder::{DATABASE, PHOTOS};

/// Of the file as it is written now; a newer one is refused.
const FORMAT: u32 = 1;
const MANIFEST: &str = "backup.json";
/// Largest file taken out of a backup, and largest manifest, bytes.
const LARGEST: u64 = 64 << 30;
const LARGEST_MANIFEST: u64 = 64 << 20;

/// What lies in a backup, each with its SHA-256.
#[derive(Debug, Serialize, Deserialize)]
struct Manifest {
    format: u32,
    program: String,
    made: String,
    files: BTreeMap<String, String>,
}

/// What was written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Taken {
    pub files: usize,
    pub bytes: u64,
}

/// Copies a reader to a writer and gives the SHA-256 of what passed.
fn hashed(from: &mut impl Read, to: &mut impl Write) -> io::Result<String> {
    let mut hasher = Sha256::new();
    let mut buffer = vec![0; 256 * 1024];
    loop {
        let n = from.read(&mut buffer)?;
        if n == 0 {
            return Ok(format!("{:x}", hasher.finalize()));
        }
        hasher.update(&buffer[..n]);
        to.write_all(&buffer[..n])?;
    }
}

/// A name a backup may hold: the database, or a photo by its hash.
fn is_ours(name: &str) -> bool {
    let photo = |rest: &str| {
        let hash = rest.trim_end_matches(".small.jpg").trim_end_matches(".jpg");
        !hash.is_empty() && hash.len() <= 128 && hash.chars().all(|c| c.is_ascii_alphanumeric())
    };
    name == DATABASE || name.strip_prefix("photos/").is_some_and(photo)
}

fn pack(copy: &Path, photos: &Path, to: File, made: &str) -> io::Result<()> {
    let mut zip = ZipWriter::new(to);
    let plain = SimpleFileOptions::default().large_file(true);
    let mut files = BTreeMap::new();
    let mut add = |zip: &mut ZipWriter<File>, name: String, path: &Path, method| -> io::Result<()> {
        zip.start_file(&name, plain.compression_method(method))?;
        let hash = hashed(&mut File::open(path)?, zip)?;
        files.insert(name, hash);
        Ok(())
    };
    add(&mut zip, DATABASE.to_owned(), copy, CompressionMethod::Deflated)?;
    let mut inside: Vec<PathBuf> = match fs::read_dir(photos) {
        Ok(inside) => inside.filter_map(Result::ok).map(|f| f.path()).collect(),
        Err(_) => Vec::new(),
    };
    inside.sort();
    for path in inside {
        let Some(name) = path.file_name().and_then(|n| n.to_str()).map(|n| format!("photos/{n}")) else { continue };
        // Small pictures are made anew; half-written files are no photos.
        if is_ours(&name) && !name.ends_with(".small.jpg") {
            add(&mut zip, name, &path, CompressionMethod::Stored)?;
        }
    }
    let manifest =
        Manifest { format: FORMAT, program: env!("CARGO_PKG_VERSION").to_owned(), made: made.to_owned(), files };
    zip.start_file(MANIFEST, plain.compression_method(CompressionMethod::Deflated))?;
    zip.write_all(&serde_json::to_vec_pretty(&manifest)?)?;
    let file = zip.finish()?;
    file.sync_all()
}

/// What a backup says it holds. The error is one line a person can act on.
fn manifest(zip: &mut ZipArchive<File>) -> Result<Manifest, String> {
    let file =
        zip.by_name(MANIFEST).map_err(|_| "this is no backup of Mend Keel: its list of files is missing".to_owned())?;
    let mut text = Vec::new();
    file.take(LARGEST_MANIFEST).read_to_end(&mut text).map_err(|e| format!("the backup cannot be read: {e}"))?;
    let manifest: Manifest =
        serde_json::from_slice(&text).map_err(|e| format!("the backup’s list of files cannot be read: {e}"))?;
    if manifest.format > FORMAT {
        return Err(format!(
            "this backup was made by a newer program ({}): update Mend Keel first; nothing was changed",
            manifest.program
        ));
    }
    if !manifest.files.contains_key(DATABASE) {
        return Err("the backup holds no database".to_owned());
    }
    if let Some(foreign) = manifest.files.keys().find(|name| !is_ours(name)) {
        return Err(format!("the backup names a file that is none of a yard’s: {foreign}"));
    }
    Ok(manifest)
}

/// Unpacks a backup into a folder, or looks it through where there is none; every file is held against its hash.
fn unpack(from: &Path, to: Option<&Path>) -> Result<Manifest, String> {
    let open = File::open(from).map_err(|e| format!("cannot open {}: {e}", from.display()))?;
    let mut zip = ZipArchive::new(open).map_err(|e| format!("{} is damaged or no backup: {e}", from.display()))?;
    let manifest = manifest(&mut zip)?;
    for (name, told) in &manifest.files {
        let file = zip.by_name(name).map_err(|_| format!("{name} is missing in the backup"))?;
        if file.size() > LARGEST {
            return Err(format!("{name} is too large to be true"));
        }
        let mut file = file.take(LARGEST);
        let hash = match to {
            Some(folder) => File::create_new(folder.join(name)).and_then(|mut out| {
                let hash = hashed(&mut file, &mut out)?;
                out.sync_all()?;
                Ok(hash)
            }),
            None => hashed(&mut file, &mut io::sink()),
        };
        let hash = hash.map_err(|e| format!("{name} cannot be unpacked: {e}"))?;
        if hash != *told {
            return Err(format!("{name} in the backup is not what was put into it: the file is damaged"));
        }
    }
    Ok(manifest)
}

/// Takes a backup of a yard that may be at work. It is written beside its place, looked through, and only then put there.
///
/// The error is one line a person can act on; what was at that place before stays.
pub async fn take(database: &Path, photos: &Path, to: &Path, made: String) -> Result<Taken, String> {
    let folder = to.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or_else(|| Path::new(".")).to_owned();
    let cannot = |e: &dyn std::fmt::Display| format!("cannot write {}: {e}", to.display());
    let room = tempfile::TempDir::new_in(&folder).map_err(|e| cannot(&e))?;
    let copy = room.path().join(DATABASE);
    Store::copy(database, &copy).await.map_err(|e| cannot(&e))?;
    // What was copied is opened as a yard would be, before anybody relies on it.
    let whole = Store::open(&copy).await.map_err(|e| cannot(&e))?;
    let good = whole.check().await.map_err(|e| cannot(&e))?;
    whole.close().await;
    if !good {
        return Err("the database is damaged: a backup of it would be too. Put the last good one back".to_owned());
    }
    let (photos, to) = (photos.to_owned(), to.to_owned());
    let write = move || {
        let cannot = |e: io::Error| format!("cannot write {}: {e}", to.display());
        let partial = tempfile::NamedTempFile::new_in(&folder).map_err(cannot)?;
        pack(&room.path().join(DATABASE), &photos, partial.reopen().map_err(cannot)?, &made).map_err(cannot)?;
        let manifest = unpack(partial.path(), None)?;
        let bytes = partial.as_file().metadata().map_err(cannot)?.len();
        partial.persist(&to).map_err(|e| cannot(e.error))?;
        Ok(Taken { files: manifest.files.len(), bytes })
    };
    task::spawn_blocking(write).await.map_err(|e| e.to_string())?
}

/// Puts a backup back into a folder that is not there or empty. Nothing is there half: it is unpacked beside its place,
/// opened, and only then moved there.
pub async fn restore(from: &Path, to: &Path) -> Result<Taken, String> {
    let taken = match to.read_dir() {
        Ok(mut inside) => inside.next().is_some(),
        Err(e) if e.kind() == io::ErrorKind::NotFound => false,
        Err(e) => return Err(format!("cannot use {}: {e}", to.display())),
    };
    if taken {
        return Err(format!("{} is not empty: a backup is put back only into an empty folder", to.display()));
    }
    let beside = to.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or_else(|| Path::new(".")).to_owned();
    let cannot = |e: io::Error| format!("cannot make {}: {e}", to.display());
    fs::create_dir_all(&beside).map_err(cannot)?;
    let room = tempfile::TempDir::new_in(&beside).map_err(cannot)?;
    fs::create_dir(room.path().join(PHOTOS)).map_err(cannot)?;
    let manifest = unpack(from, Some(room.path()))?;
    let told = |e: StoreError| match e {
        StoreError::Unusable(says) => says,
        e => format!("the database in the backup cannot be opened: {e}"),
    };
    let store = Store::open(&room.path().join(DATABASE)).await.map_err(told)?;
    let good = !store.is_damaged() && store.check().await.map_err(told)?;
    store.close().await;
    if !good {
        return Err("the database in the backup is damaged".to_owned());
    }
    let bytes = from.metadata().map(|m| m.len()).unwrap_or_default();
    if to.exists() {
        fs::remove_dir(to).map_err(cannot)?;
    }
    fs::rename(room.keep(), to).map_err(cannot)?;
    Ok(Taken { files: manifest.files.len(), bytes })
}

/// A backup that lies in the yard's own folder of backups.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Kept {
    pub name: String,
    pub bytes: u64,
}

/// Where a yard keeps its backups.
pub fn folder(data: &Path) -> PathBuf {
    data.join("backups")
}

const ENDING: &str = ".keel.zip";

/// The name of a backup taken at a moment; names sort by it.
pub fn name(made: &str) -> String {
    let stamp: String = made.chars().filter(char::is_ascii_alphanumeric).take(15).collect();
    format!("yard-{stamp}{ENDING}")
}

/// The backups in a folder, newest first.
pub fn kept(folder: &Path) -> Vec<Kept> {
    let Ok(inside) = fs::read_dir(folder) else { return Vec::new() };
    let mut kept: Vec<Kept> = inside
        .filter_map(|f| {
            let f = f.ok()?;
            let name = f.file_name().into_string().ok()?;
            let ours = name.starts_with("yard-") && name.ends_with(ENDING);
            ours.then_some(Kept { name, bytes: f.metadata().ok()?.len() })
        })
        .collect();
    kept.sort_by(|a, b| b.name.cmp(&a.name));
    kept
}

/// Takes a backup into a yard's own folder and lets the oldest go, so that `keep` stay.
pub async fn take_kept(data: &Path, made: String, keep: usize) -> Result<Taken, String> {
    let folder = folder(data);
    fs::create_dir_all(&folder).map_err(|e| format!("cannot make {}: {e}", folder.display()))?;
    let taken = take(&data.join(DATABASE), &data.join(PHOTOS), &folder.join(name(&made)), made).await?;
    for old in kept(&folder).into_iter().skip(keep.max(1)) {
        let path = folder.join(&old.name);
        if let Err(e) = fs::remove_file(&path) {
            eprintln!("mend-keel: an old backup stays, {}: {e}", path.display());
        }
    }
    Ok(taken)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A ZIP with these files and a manifest that names them, each with its true hash but those changed.
    fn packed(files: &[(&str, &[u8])], format: u32, wrong: &str) -> tempfile::NamedTempFile {
        let file = tempfile::NamedTempFile::new().unwrap();
        let mut zip = ZipWriter::new(file.reopen().unwrap());
        let mut listed = BTreeMap::new();
        for (name, bytes) in files {
            zip.start_file(*name, SimpleFileOptions::default()).unwrap();
            zip.write_all(bytes).unwrap();
            let hash = if *name == wrong { "0".repeat(64) } else { format!("{:x}", Sha256::digest(bytes)) };
            listed.insert((*name).to_owned(), hash);
        }
        let manifest = Manifest { format, program: "9.9".into(), made: String::new(), files: listed };
        zip.start_file(MANIFEST, SimpleFileOptions::default()).unwrap();
        zip.write_all(&serde_json::to_vec(&manifest).unwrap()).unwrap();
        zip.finish().unwrap();
        file
    }

    #[test]
    fn hostile_newer_and_damaged_files_are_refused_in_one_line() {
        let db: (&str, &[u8]) = (DATABASE, b"not looked at here");
        let refused = |file: &tempfile::NamedTempFile| unpack(file.path(), None).unwrap_err();
        assert!(unpack(packed(&[db], FORMAT, "").path(), None).is_ok());
        assert!(refused(&packed(&[db], FORMAT + 1, "")).contains("newer program (9.9)"));
        assert!(refused(&packed(&[db], FORMAT, DATABASE)).contains("is not what was put into it"));
        assert!(refused(&packed(&[("photos/a.jpg", b"x")], FORMAT, "")).contains("no database"));
        for foreign in ["../up.db", "photos/../../up", "/etc/passwd", "cookie.key", "photos/a/b.jpg", "photos/"] {
            let file = packed(&[db, (foreign, b"x")], FORMAT, "");
            assert!(refused(&file).contains("none of a yard’s"), "{foreign}");
        }
        let text = tempfile::NamedTempFile::new().unwrap();
        fs::write(text.path(), "no archive at all").unwrap();
        assert!(refused(&text).contains("damaged or no backup"));
    }

    #[rocket::async_test]
    async fn a_yard_comes_back_as_it_was_and_only_into_an_empty_folder() {
        let room = tempfile::TempDir::new().unwrap();
        let at = |name: &str| room.path().join(name);
        fs::create_dir(at("photos")).unwrap();
        fs::write(at("photos/abc123.jpg"), b"a picture").unwrap();
        fs::write(at("photos/abc123.small.jpg"), b"made anew").unwrap();
        let store = Store::open(&at("yard.db")).await.unwrap();
        // The yard stays open and at work meanwhile.
        let taken = take(&at("yard.db"), &at("photos"), &at("b.zip"), "2026-11-26T10:00:00Z".into()).await.unwrap();
        assert_eq!(taken.files, 2, "the database and the one photo");
        store.close().await;
        restore(&at("b.zip"), &at("new/yard")).await.unwrap();
        assert_eq!(fs::read(at("new/yard/photos/abc123.jpg")).unwrap(), b"a picture");
        assert!(!at("new/yard/photos/abc123.small.jpg").exists());
        let refused = restore(&at("b.zip"), &at("new/yard")).await.unwrap_err();
        assert!(refused.contains("is not empty"), "{refused}");
        // A byte changed on the way: nothing is there afterwards, nor beside it.
        let mut bytes = fs::read(at("b.zip")).unwrap();
        let middle = bytes.len() / 2;
        bytes[middle] ^= 0xff;
        fs::write(at("broken.zip"), bytes).unwrap();
        assert!(restore(&at("broken.zip"), &at("other/yard")).await.is_err());
        assert_eq!(fs::read_dir(at("other")).unwrap().count(), 0);
    }

    #[rocket::async_test]
    async fn the_newest_backups_stay_and_a_place_that_is_none_says_so() {
        let room = tempfile::TempDir::new().unwrap();
        let database = room.path().join(DATABASE);
        Store::open(&database).await.unwrap().close().await;
        for day in 20..25 {
            let made = format!("2026-11-{day}T02:00:00Z");
            take_kept(room.path(), made, 3).await.unwrap();
        }
        let names: Vec<String> = kept(&folder(room.path())).into_iter().map(|k| k.name).collect();
        assert_eq!(
            names,
            ["yard-20261124T020000.keel.zip", "yard-20261123T020000.keel.zip", "yard-20261122T020000.keel.zip"]
        );
        let nowhere = room.path().join("not/there/b.zip");
        let refused = take(&database, room.path(), &nowhere, String::new()).await.unwrap_err();
        assert!(refused.starts_with("cannot write "), "{refused}");
    }
}
