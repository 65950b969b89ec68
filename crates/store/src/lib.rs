//! Everything a yard records, in one SQLite file: one module for each aggregate, and the append-only history.
//!
//! A change is made inside a [`Work`]: one transaction for one user action, begun with who acts, when, and
//! the form's one-time key. What it writes and the history entry that tells of it are committed together.
//!
//! ```no_run
//! # async fn example() -> Result<(), mend_keel_store::StoreError> {
//! use mend_keel_store::{Act, Store};
//! let store = Store::open("yard.db".as_ref()).await?;
//! let mut work = store.begin(Act::now("Ines Varga", Some("form-key"))).await?;
//! work.note(None, None, "yard", "Swept the shed", &serde_json::json!({})).await?;
//! work.commit("/").await?;
//! # Ok(()) }
//! ```

pub mod accounts;
pub mod before;
pub mod boards;
pub mod boats;
pub mod captures;
pub mod decisions;
pub mod dossier;
pub mod entry;
pub mod fastenings;
pub mod findings;
pub mod history;
pub mod hulls;
pub mod hung;
pub mod jobs;
pub mod members;
pub mod openings;
pub mod owners;
pub mod planned;
pub mod plans;
mod put_in;
pub mod quotes;
pub mod recipes;
pub mod samples;
pub mod seams;
pub mod search;
pub mod shed;
pub mod shots;
pub mod species;
pub mod stores;
pub mod surveys;
pub mod tasks;
pub mod today;
pub mod upkeep;
pub mod weather;

use std::path::Path;
use std::sync::{Arc, Mutex};
use std::time::Duration;

use jiff::Timestamp;
use sqlx::{Connection, Database, Transaction};
use sqlx_core::transaction::TransactionManager;
use sqlx_sqlite::Sqlite;
use sqlx_sqlite::{SqliteConnectOptions, SqliteJournalMode, SqlitePool, SqlitePoolOptions, SqliteSynchronous};
use thiserror::Error;

/// What can go wrong with the store, in terms of what it means.
#[derive(Debug, Error)]
pub enum StoreError {
    #[error("there is no such {0}")]
    NotFound(&'static str),
    /// Somebody else saved it first; the caller shows both versions.
    #[error("{0} was changed by somebody else meanwhile")]
    Stale(&'static str),
    /// A rule of the store speaks against it; the message says which.
    #[error("{0}")]
    Conflict(String),
    /// This form was already sent; its answer is at the location.
    #[error("already done")]
    AlreadyDone(String),
    #[error("the database: {0}")]
    Database(#[from] sqlx::Error),
    #[error("the database's migrations: {0}")]
    Migration(#[from] sqlx::migrate::MigrateError),
    #[error("stored data: {0}")]
    Json(#[from] serde_json::Error),
    /// Nothing can be opened here; one line a person can act on.
    #[error("{0}")]
    Unusable(String),
}

/// SQLite's codes for a disk, or a database, that is full.
const FULL: [&str; 2] = ["13", "778"];
/// … that somebody else is writing.
const BUSY: [&str; 4] = ["5", "6", "261", "517"];
/// … that may only be read.
const READ_ONLY: [&str; 4] = ["8", "264", "776", "1032"];
/// … that it is not what it should be.
const MALFORMED: [&str; 4] = ["11", "26", "267", "779"];
/// How long a writer waits for one outside this program that holds the database.
const BUSY_TIMEOUT: Duration = Duration::from_secs(5);
/// How long a writer waits for its turn among those of this program.
const TURN: Duration = Duration::from_secs(10);

impl StoreError {
    /// Whether nothing was saved because the disk is full.
    pub fn is_full(&self) -> bool {
        self.has_code(&FULL)
    }

    /// Whether somebody else kept the database for writing all the time this waited.
    pub fn is_busy(&self) -> bool {
        matches!(self, Self::Database(sqlx::Error::PoolTimedOut)) || self.has_code(&BUSY)
    }

    /// Whether the database is damaged: what was asked for cannot be read, or it was opened for reading only.
    pub fn is_damaged(&self) -> bool {
        self.has_code(&READ_ONLY) || self.has_code(&MALFORMED)
    }

    fn has_code(&self, codes: &[&str]) -> bool {
        matches!(self, Self::Database(sqlx::Error::Database(e)) if e.code().is_some_and(|code| codes.contains(&code.as_ref())))
    }
}

pub type Result<T> = std::result::Result<T, StoreError>;

/// The open database.
#[derive(Debug, Clone)]
pub struct Store {
    /// Readers: they never wait for a writer.
    pool: SqlitePool,
    /// Writers, one at a time and in turn.
    writer: SqlitePool,
    /// A connection that only watches: it is told when any other one has committed.
    watch: SqlitePool,
    damaged: bool,
    /// How far the history was proven since the program started.
    proven: Arc<Mutex<history::Proven>>,
}

/// Connections of one kind, so many at most.
fn pool(most: u32) -> SqlitePoolOptions {
    SqlitePoolOptions::new()
        .max_connections(most)
        .acquire_timeout(TURN)
        // It was asked whether it answers when it was given back.
        .test_before_acquire(false)
        // A failed statement can end its transaction behind the driver's back (a full disk does): such a connection is thrown away, or
        // nothing could be begun on it again.
        .after_release(|connection, _| {
            Box::pin(async move {
                // Rolls back what was left open.
                connection.ping().await?;
                Ok(<Sqlite as Database>::TransactionManager::get_transaction_depth(connection) == 0)
            })
        })
}

/// One connection that stays: what it is told of others' commits counts from its own beginning.
fn watch() -> SqlitePoolOptions {
    SqlitePoolOptions::new().max_connections(1).idle_timeout(None).max_lifetime(None).test_before_acquire(false)
}

/// Whether SQLite finds a file whole, by its quick check.
async fn whole(path: &Path) -> bool {
    let options = SqliteConnectOptions::new().filename(path).busy_timeout(BUSY_TIMEOUT);
    let Ok(pool) = SqlitePoolOptions::new().max_connections(1).connect_with(options).await else { return false };
    let answer: sqlx::Result<(String,)> = sqlx::query_as("PRAGMA quick_check(1)").fetch_one(&pool).await;
    pool.close().await;
    answer.is_ok_and(|(says,)| says == "ok")
}

/// A migration's error in plain words where it has some.
fn told(error: sqlx::migrate::MigrateError) -> StoreError {
    use sqlx::migrate::MigrateError as M;
    match error {
        M::VersionMissing(version) => StoreError::Unusable(format!(
            "this data was kept by a newer Mend Keel (its step {version} is not known here): start that one; nothing was changed"
        )),
        other => other.into(),
    }
}

/// Leaves a copy of a database beside it before it is brought up to this version; none where nothing is to be done.
async fn copy_before_migrating(path: &Path, pool: &SqlitePool) -> Result<()> {
    let applied: sqlx::Result<Vec<(i64,)>> =
        sqlx::query_as("SELECT version FROM _sqlx_migrations WHERE success = 1 ORDER BY version").fetch_all(pool).await;
    let Ok(applied) = applied else { return Ok(()) };
    let known = sqlx::migrate!();
    let newest = applied.last().map_or(0, |(version,)| *version);
    let is_older = known.iter().any(|m| m.version > newest);
    let is_newer = applied.iter().any(|(version,)| !known.iter().any(|m| m.version == *version));
    if newest == 0 || !is_older || is_newer {
        return Ok(());
    }
    let copy = path.with_extension(format!("{newest}.before.db"));
    if copy.exists() {
        return Ok(());
    }
    sqlx::query("VACUUM INTO ?").bind(copy.display().to_string()).execute(pool).await?;
    Ok(())
}

/// Who does something, when, and the one-time key of the form it came from.
#[derive(Debug, Clone)]
pub struct Act {
    pub by: String,
    pub at: Timestamp,
    pub once: Option<String>,
}

impl Act {
    pub fn now(by: &str, once: Option<&str>) -> Self {
        Self { by: by.to_owned(), at: Timestamp::now(), once: once.map(str::to_owned) }
    }
}

/// One user action: a transaction that is rolled back unless it is committed.
#[derive(Debug)]
pub struct Work {
    tx: Transaction<'static, Sqlite>,
    act: Act,
}

impl Store {
    /// Opens a database, making or migrating it as needed. One that is damaged is opened for reading only ([`Store::is_damaged`]); a copy
    /// of one that is of an older version is left beside it first. [`StoreError::Unusable`] where it is newer than this program, or no
    /// database at all.
    pub async fn open(path: &Path) -> Result<Self> {
        let options = SqliteConnectOptions::new()
            .filename(path)
            .create_if_missing(true)
            .foreign_keys(true)
            // Readers never wait for the writer.
            .journal_mode(SqliteJournalMode::Wal)
            // A saved entry survives a power cut, not only a killed process.
            .synchronous(SqliteSynchronous::Full)
            .busy_timeout(BUSY_TIMEOUT);
        let there = path.metadata().is_ok_and(|file| file.len() > 0);
        if there && !whole(path).await {
            return Self::open_damaged(path).await;
        }
        let writer = pool(1).connect_with(options.clone()).await?;
        if there {
            copy_before_migrating(path, &writer).await?;
        }
        sqlx::migrate!().run(&writer).await.map_err(told)?;
        let pool = pool(8).connect_with(options.clone()).await?;
        Ok(Self { pool, writer, watch: watch().connect_with(options).await?, damaged: false, proven: Arc::default() })
    }

    /// Writes a whole copy of a database as it is at one moment, while others go on writing to it. `to` must not be there yet.
    pub async fn copy(path: &Path, to: &Path) -> Result<()> {
        let options = SqliteConnectOptions::new().filename(path).read_only(true).busy_timeout(BUSY_TIMEOUT);
        let one = pool(1).connect_with(options).await?;
        let done = sqlx::query("VACUUM INTO ?").bind(to.to_string_lossy().into_owned()).execute(&one).await;
        one.close().await;
        done?;
        Ok(())
    }

    async fn open_damaged(path: &Path) -> Result<Self> {
        let options = SqliteConnectOptions::new().filename(path).read_only(true).busy_timeout(BUSY_TIMEOUT);
        let opened = pool(8).connect_with(options.clone()).await;
        let readable = match &opened {
            Ok(pool) => sqlx::query("SELECT count(*) FROM account").fetch_one(pool).await.is_ok(),
            Err(_) => false,
        };
        let (Ok(pool), true) = (opened, readable) else {
            let says = format!(
                "{} is damaged beyond reading: put the last good copy of it back in its place and start again",
                path.display()
            );
            return Err(StoreError::Unusable(says));
        };
        Ok(Self {
            writer: pool.clone(),
            pool,
            watch: watch().connect_with(options).await?,
            damaged: true,
            proven: Arc::default(),
        })
    }

    /// Whether the database was found damaged and is open for reading only.
    pub fn is_damaged(&self) -> bool {
        self.damaged
    }

    pub async fn close(&self) {
        self.watch.close().await;
        self.writer.close().await;
        self.pool.close().await;
    }

    pub(crate) fn watch(&self) -> &SqlitePool {
        &self.watch
    }

    pub(crate) fn pool(&self) -> &SqlitePool {
        &self.pool
    }

    pub(crate) fn writer(&self) -> &SqlitePool {
        &self.writer
    }

    /// Begins a user action. [`StoreError::AlreadyDone`] tells where the same form led the first time.
    pub async fn begin(&self, act: Act) -> Result<Work> {
        // IMMEDIATE takes the write lock now, so that two sendings of one form cannot both find it unused.
        let mut tx = self.writer.begin_with("BEGIN IMMEDIATE").await?;
        if let Some(key) = &act.once {
            let done: Option<(String,)> = sqlx::query_as("SELECT location FROM once_key WHERE key = ?")
                .bind(key)
                .fetch_optional(&mut *tx)
                .await?;
            if let Some((location,)) = done {
                return Err(StoreError::AlreadyDone(location));
            }
        }
        Ok(Work { tx, act })
    }

    /// Whether SQLite finds the file whole, and every history entry is chained to the one before it.
    pub async fn check(&self) -> Result<bool> {
        let (answer,): (String,) = sqlx::query_as("PRAGMA integrity_check").fetch_one(&self.pool).await?;
        Ok(answer == "ok" && history::broken_link(self).await?.is_none())
    }
}

impl Work {
    /// Marks a row as withdrawn; whether it was not before: withdrawing twice is told once.
    pub(crate) async fn set_aside(&mut self, table: &'static str, id: i64) -> Result<bool> {
        let sql = format!("UPDATE {table} SET withdrawn = 1 WHERE id = ? AND withdrawn = 0");
        let done = sqlx::query(sqlx::AssertSqlSafe(sql)).bind(id).execute(&mut *self.tx).await?;
        Ok(done.rows_affected() > 0)
    }

    /// Commits, and remembers that this form led to `location`.
    pub async fn commit(mut self, location: &str) -> Result<()> {
        if let Some(key) = &self.act.once {
            sqlx::query("INSERT INTO once_key (key, location, at) VALUES (?, ?, ?)")
                .bind(key)
                .bind(location)
                .bind(self.act.at.to_string())
                .execute(&mut *self.tx)
                .await?;
        }
        self.tx.commit().await?;
        Ok(())
    }

    pub fn at(&self) -> Timestamp {
        self.act.at
    }

    fn stamp(&self) -> String {
        self.act.at.to_string()
    }
}

#[cfg(test)]
mod tests {
    use serde_json::json;
    use tempfile::TempDir;

    use super::*;

    /// Sets how large the database may grow on every connection there can be: all are held at once, those just given back too.
    async fn limit(store: &Store, pages: i64) {
        let mut held = Vec::new();
        for pool in [&store.pool, &store.writer] {
            for _ in 0..pool.options().get_max_connections() {
                let mut connection = pool.acquire().await.unwrap();
                let sql = format!("PRAGMA max_page_count = {pages}");
                sqlx::query(sqlx::AssertSqlSafe(sql)).execute(&mut *connection).await.unwrap();
                held.push(connection);
            }
        }
    }

    async fn write(store: &Store, words: usize) -> Result<()> {
        let mut work = store.begin(Act::now("Ada Brook", None)).await?;
        let body = json!({ "long": "measured again, and again. ".repeat(words) });
        work.note(None, None, "note", "A long note", &body).await?;
        work.commit("/").await
    }

    #[tokio::test]
    async fn after_a_full_disk_everything_goes_on_without_a_restart() {
        let folder = TempDir::new().unwrap();
        let store = Store::open(&folder.path().join("yard.db")).await.unwrap();
        write(&store, 10).await.unwrap();
        let (pages,): (i64,) = sqlx::query_as("PRAGMA page_count").fetch_one(&store.pool).await.unwrap();
        limit(&store, pages + 2).await;
        for _ in 0..40 {
            let full = write(&store, 4_000).await.unwrap_err();
            assert!(full.is_full(), "{full}");
            // A connection that was thrown away is followed by one without the limit.
            limit(&store, pages + 2).await;
        }
        limit(&store, i64::from(i32::MAX)).await;
        for _ in 0..60 {
            write(&store, 400).await.unwrap();
        }
        assert!(store.check().await.unwrap());
    }

    #[tokio::test]
    async fn readers_go_on_while_a_stranger_holds_the_database_and_writers_are_told_to_come_back() {
        let folder = TempDir::new().unwrap();
        let path = folder.path().join("yard.db");
        let store = Store::open(&path).await.unwrap();
        write(&store, 1).await.unwrap();
        let stranger = SqlitePoolOptions::new()
            .max_connections(1)
            .connect_with(SqliteConnectOptions::new().filename(&path))
            .await
            .unwrap();
        let held = stranger.begin_with("BEGIN IMMEDIATE").await.unwrap();
        let writers: Vec<_> = (0..12)
            .map(|_| {
                let store = store.clone();
                tokio::spawn(async move { write(&store, 1).await })
            })
            .collect();
        // While all of them wait the readers' own connections answer.
        for _ in 0..20 {
            assert_eq!(accounts::list(&store).await.unwrap().len(), 0);
        }
        for writer in writers {
            let told = writer.await.unwrap().unwrap_err();
            assert!(told.is_busy(), "{told}");
        }
        held.rollback().await.unwrap();
        write(&store, 1).await.unwrap();
    }

    #[tokio::test]
    async fn a_newer_database_is_refused_in_plain_words_and_left_as_it_is() {
        let folder = TempDir::new().unwrap();
        let path = folder.path().join("yard.db");
        let store = Store::open(&path).await.unwrap();
        let sql = "INSERT INTO _sqlx_migrations (version, description, success, checksum, execution_time) VALUES (29990101000001, 'later', 1, x'00', 1)";
        sqlx::query(sql).execute(&store.writer).await.unwrap();
        store.close().await;
        let told = Store::open(&path).await.unwrap_err().to_string();
        assert!(told.contains("kept by a newer Mend Keel") && told.contains("nothing was changed"), "{told}");
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().filter(is_copy).count(), 0);
    }

    fn is_copy(file: &std::io::Result<std::fs::DirEntry>) -> bool {
        file.as_ref().is_ok_and(|f| f.file_name().to_string_lossy().ends_with(".before.db"))
    }

    #[tokio::test]
    async fn a_copy_of_an_older_database_is_left_before_it_is_brought_up() {
        let folder = TempDir::new().unwrap();
        let path = folder.path().join("yard.db");
        // As it was before the last step.
        let options = SqliteConnectOptions::new().filename(&path).create_if_missing(true);
        let older = pool(1).connect_with(options).await.unwrap();
        let mut steps = sqlx::migrate!();
        let all = steps.migrations.len();
        steps.migrations = steps.migrations.iter().take(all - 1).cloned().collect::<Vec<_>>().into();
        steps.run(&older).await.unwrap();
        older.close().await;
        let again = Store::open(&path).await.unwrap();
        assert!(again.check().await.unwrap());
        let copies: Vec<_> = std::fs::read_dir(folder.path()).unwrap().filter(is_copy).flatten().collect();
        assert_eq!(copies.len(), 1, "{copies:?}");
        let copy = Store::open(&copies[0].path()).await.unwrap();
        assert!(copy.check().await.unwrap());
    }

    #[tokio::test]
    async fn a_damaged_database_is_read_and_not_written() {
        let folder = TempDir::new().unwrap();
        let path = folder.path().join("yard.db");
        let store = Store::open(&path).await.unwrap();
        write(&store, 9_000).await.unwrap();
        let (size, pages): (i64, i64) = {
            let (size,): (i64,) = sqlx::query_as("PRAGMA page_size").fetch_one(&store.pool).await.unwrap();
            sqlx::query("PRAGMA wal_checkpoint(TRUNCATE)").execute(&store.writer).await.unwrap();
            let (pages,): (i64,) = sqlx::query_as("PRAGMA page_count").fetch_one(&store.pool).await.unwrap();
            (size, pages)
        };
        store.close().await;
        // A page of the long note is overwritten.
        let mut bytes = std::fs::read(&path).unwrap();
        let at = ((pages - 3) * size) as usize;
        bytes[at..at + size as usize].fill(0xa5);
        std::fs::write(&path, &bytes).unwrap();
        let damaged = Store::open(&path).await.unwrap();
        assert!(damaged.is_damaged());
        assert_eq!(accounts::list(&damaged).await.unwrap().len(), 0, "it is still read");
        let told = write(&damaged, 1).await.unwrap_err();
        assert!(told.is_damaged(), "{told}");

        std::fs::write(&path, b"not a database at all, but longer than its header of a hundred bytes ".repeat(40))
            .unwrap();
        let told = Store::open(&path).await.unwrap_err().to_string();
        assert!(told.contains("damaged beyond reading"), "{told}");
    }
}
