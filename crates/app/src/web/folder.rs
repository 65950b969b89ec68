//! The data folder: the database, photos by content hash, the cookie key, and a lock against a second start.

use std::fs::{self, File, TryLockError};
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use rocket::tokio;

/// What lies in a data folder.
pub const DATABASE: &str = "mend-keel.db";
pub const PHOTOS: &str = "photos";

/// An opened data folder; the lock is held until it is dropped.
#[derive(Debug)]
pub struct DataFolder {
    path: PathBuf,
    _lock: File,
}

impl DataFolder {
    /// Opens the folder, making it if need be. The error is one line a person can act on.
    pub fn open(path: &Path) -> Result<Self, String> {
        let shown = path.display();
        let told = |e: io::Error| format!("cannot use the data folder {shown}: {e}");
        fs::create_dir_all(path.join(PHOTOS)).map_err(told)?;
        let lock = File::options().create(true).truncate(false).write(true).open(path.join("lock")).map_err(told)?;
        match lock.try_lock() {
            Ok(()) => Ok(Self { path: path.to_owned(), _lock: lock }),
            Err(TryLockError::WouldBlock) => Err(format!("Mend Keel is already running on the data folder {shown}")),
            Err(TryLockError::Error(e)) => Err(told(e)),
        }
    }

    /// Refuses a folder that kept a yard whose database is gone or empty: it would open to whoever comes first.
    pub fn fit_for_a_yard(&self) -> Result<(), String> {
        let database = self.database();
        let size = database.metadata().map(|file| file.len());
        if size.as_ref().is_ok_and(|size| *size > 0) {
            return Ok(());
        }
        let photos = fs::read_dir(self.photos()).is_ok_and(|mut inside| inside.next().is_some());
        let kept = self.path.join("cookie.key").exists() || photos;
        if size.is_ok() || kept {
            return Err(format!(
                "{} is {}: a new yard is made only in an empty folder; put the database back, or start with another --data",
                database.display(),
                if size.is_ok() { "empty" } else { "not there, though a yard was kept here" }
            ));
        }
        Ok(())
    }

    pub fn path(&self) -> &Path {
        &self.path
    }

    pub fn database(&self) -> PathBuf {
        self.path.join(DATABASE)
    }

    pub fn photos(&self) -> PathBuf {
        self.path.join(PHOTOS)
    }

    /// The key that cookies are encrypted with; made on the first start.
    pub fn cookie_key(&self) -> io::Result<[u8; 64]> {
        let path = self.path.join("cookie.key");
        if let Ok(bytes) = fs::read(&path)
            && let Ok(key) = <[u8; 64]>::try_from(bytes.as_slice())
        {
            return Ok(key);
        }
        let key = random_bytes()?;
        write_private(&path, &key)?;
        Ok(key)
    }
}

#[cfg(unix)]
fn write_private(path: &Path, bytes: &[u8]) -> io::Result<()> {
    use std::io::Write;
    use std::os::unix::fs::OpenOptionsExt;
    File::options().create(true).write(true).truncate(true).mode(0o600).open(path)?.write_all(bytes)
}

#[cfg(not(unix))]
fn write_private(path: &Path, bytes: &[u8]) -> io::Result<()> {
    fs::write(path, bytes)
}

/// Bytes from the system's own source of randomness.
pub fn random_bytes<const N: usize>() -> io::Result<[u8; N]> {
    let mut bytes = [0; N];
    getrandom::fill(&mut bytes).map_err(|e| io::Error::other(e.to_string()))?;
    Ok(bytes)
}

/// Writes a file so that it is either there whole or not at all.
pub async fn write_whole(path: &Path, bytes: Vec<u8>) -> io::Result<()> {
    let path = path.to_owned();
    let write = move || {
        let folder = path.parent().ok_or(io::ErrorKind::InvalidInput)?;
        let mut partial = tempfile::NamedTempFile::new_in(folder)?;
        partial.write_all(&bytes)?;
        partial.as_file().sync_all()?;
        partial.persist(&path).map_err(|e| e.error)?;
        Ok(())
    };
    tokio::task::spawn_blocking(write).await.map_err(io::Error::other)?
}
