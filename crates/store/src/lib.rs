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
pub mod boards;
pub mod boats;
pub mod captures;
pub mod decisions;
pub mod fastenings;
pub mod findings;
pub mod history;
pub mod members;
pub mod plans;
pub mod samples;
pub mod seams;
pub mod shed;
pub mod stores;
pub mod surveys;
pub mod tasks;
pub mod today;

use std::path::Path;
use std::time::Duration;

use jiff::Timestamp;
use sqlx::sqlite::{SqliteConnectOptions, SqliteJournalMode, SqlitePool, SqlitePoolOptions, SqliteSynchronous};
use sqlx::{Connection, Database, Sqlite, Transaction};
use sqlx_core::transaction::TransactionManager;
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
}

/// SQLite's codes for a disk, or a database, that is full.
const FULL: [&str; 2] = ["13", "778"];

impl StoreError {
    /// Whether nothing was saved because the disk is full.
    pub fn is_full(&self) -> bool {
        matches!(self, Self::Database(sqlx::Error::Database(e)) if e.code().is_some_and(|code| FULL.contains(&code.as_ref())))
    }
}

pub type Result<T> = std::result::Result<T, StoreError>;

/// The open database.
#[derive(Debug, Clone)]
pub struct Store {
    pool: SqlitePool,
    /// A connection that only watches: it is told when any other one has committed.
    watch: SqlitePool,
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
    /// Opens a database, making or migrating it as needed.
    pub async fn open(path: &Path) -> Result<Self> {
        let options = SqliteConnectOptions::new()
            .filename(path)
            .create_if_missing(true)
            .foreign_keys(true)
            // Readers never wait for the writer.
            .journal_mode(SqliteJournalMode::Wal)
            // A saved entry survives a power cut, not only a killed process.
            .synchronous(SqliteSynchronous::Full)
            .busy_timeout(Duration::from_secs(10));
        let pool = SqlitePoolOptions::new()
            .max_connections(8)
            // A failed statement can end its transaction behind the driver's back (a full disk does): such a connection is thrown
            // away, or nothing could be begun on it again.
            .after_release(|connection, _| {
                Box::pin(async move {
                    // Rolls back what was left open.
                    connection.ping().await?;
                    Ok(<Sqlite as Database>::TransactionManager::get_transaction_depth(connection) == 0)
                })
            })
            .connect_with(options.clone())
            .await?;
        sqlx::migrate!().run(&pool).await?;
        let watch = SqlitePoolOptions::new().max_connections(1).idle_timeout(None).max_lifetime(None);
        Ok(Self { pool, watch: watch.connect_with(options).await? })
    }

    pub async fn close(&self) {
        self.watch.close().await;
        self.pool.close().await;
    }

    /// A number that is another one after anything was committed, by this program or any other. What was read before it was asked
    /// for is still true while it stays the same.
    pub async fn version(&self) -> Result<i64> {
        let (version,) = sqlx::query_as("PRAGMA data_version").fetch_one(&self.watch).await?;
        Ok(version)
    }

    pub(crate) fn pool(&self) -> &SqlitePool {
        &self.pool
    }

    /// Begins a user action. [`StoreError::AlreadyDone`] tells where the same form led the first time.
    pub async fn begin(&self, act: Act) -> Result<Work> {
        // IMMEDIATE takes the write lock now, so that two sendings of one form cannot both find it unused.
        let mut tx = self.pool.begin_with("BEGIN IMMEDIATE").await?;
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
        for _ in 0..store.pool.options().get_max_connections() {
            let mut connection = store.pool.acquire().await.unwrap();
            let sql = format!("PRAGMA max_page_count = {pages}");
            sqlx::query(sqlx::AssertSqlSafe(sql)).execute(&mut *connection).await.unwrap();
            held.push(connection);
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
}
