//! The history: every event of a boat, append-only, each entry chained to the one before by its hash.

use serde_json::Value;
use sha2::{Digest, Sha256};
use sqlx::FromRow;

use crate::{Result, Store, Work};

/// One entry.
#[derive(Debug, Clone, FromRow)]
pub struct Event {
    pub id: i64,
    pub boat_id: Option<i64>,
    pub member_id: Option<i64>,
    pub at: String,
    pub by_name: String,
    pub kind: String,
    pub summary: String,
    pub body: String,
    /// The entry this one corrects.
    pub corrects: Option<i64>,
    pub prev_hash: String,
    pub hash: String,
}

const COLUMNS: &str = "id, boat_id, member_id, at, by_name, kind, summary, body, corrects, prev_hash, hash";

impl Event {
    /// What the entry's hash should be: over everything in it and the hash before it.
    fn expected_hash(&self) -> String {
        let mut hasher = Sha256::new();
        let numbers = [Some(self.id), self.boat_id, self.member_id, self.corrects]
            .map(|n| n.map_or(String::new(), |n| n.to_string()));
        let texts = [&self.at, &self.by_name, &self.kind, &self.summary, &self.body, &self.prev_hash];
        for part in numbers.iter().chain(texts) {
            // Length first, so that no two different entries run together into the same bytes.
            hasher.update((part.len() as u64).to_le_bytes());
            hasher.update(part.as_bytes());
        }
        format!("{:x}", hasher.finalize())
    }
}

impl Work {
    /// Appends an entry and gives its id.
    pub async fn note(
        &mut self,
        boat: Option<i64>,
        plank: Option<i64>,
        kind: &str,
        summary: &str,
        body: &Value,
    ) -> Result<i64> {
        self.append(boat, plank, kind, summary, body, None).await
    }

    /// Appends an entry that corrects an earlier one, which stays.
    pub async fn correct(
        &mut self,
        boat: i64,
        plank: Option<i64>,
        summary: &str,
        body: &Value,
        corrects: i64,
    ) -> Result<i64> {
        self.append(Some(boat), plank, "correction", summary, body, Some(corrects)).await
    }

    async fn append(
        &mut self,
        boat_id: Option<i64>,
        member_id: Option<i64>,
        kind: &str,
        summary: &str,
        body: &Value,
        corrects: Option<i64>,
    ) -> Result<i64> {
        let last: Option<(i64, String)> =
            sqlx::query_as("SELECT id, hash FROM event ORDER BY id DESC LIMIT 1").fetch_optional(&mut *self.tx).await?;
        let (last_id, prev_hash) = last.unwrap_or_default();
        let mut event = Event {
            id: last_id + 1,
            boat_id,
            member_id,
            at: self.stamp(),
            by_name: self.act.by.clone(),
            kind: kind.to_owned(),
            summary: summary.to_owned(),
            body: body.to_string(),
            corrects,
            prev_hash,
            hash: String::new(),
        };
        event.hash = event.expected_hash();
        sqlx::query("INSERT INTO event (id, boat_id, member_id, at, by_name, kind, summary, body, corrects, prev_hash, hash) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(event.id)
            .bind(event.boat_id)
            .bind(event.member_id)
            .bind(&event.at)
            .bind(&event.by_name)
            .bind(&event.kind)
            .bind(&event.summary)
            .bind(&event.body)
            .bind(event.corrects)
            .bind(&event.prev_hash)
            .bind(&event.hash)
            .execute(&mut *self.tx)
            .await?;
        Ok(event.id)
    }

    /// The newest entry of a kind about a plank: what a correction points at.
    pub async fn last_entry(&mut self, plank: i64, kinds: &[&str]) -> Result<Option<i64>> {
        let rows: Vec<(i64, String)> =
            sqlx::query_as("SELECT id, kind FROM event WHERE member_id = ? ORDER BY id DESC")
                .bind(plank)
                .fetch_all(&mut *self.tx)
                .await?;
        Ok(rows.into_iter().find(|(_, kind)| kinds.contains(&kind.as_str())).map(|(id, _)| id))
    }
}

/// A boat's story, newest first.
pub async fn of_boat(store: &Store, boat: i64) -> Result<Vec<Event>> {
    let sql = format!("SELECT {COLUMNS} FROM event WHERE boat_id = ? ORDER BY id DESC");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

/// A plank's own life line, oldest first.
pub async fn of_plank(store: &Store, plank: i64) -> Result<Vec<Event>> {
    let sql = format!("SELECT {COLUMNS} FROM event WHERE member_id = ? ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(plank).fetch_all(store.pool()).await?)
}

/// The first entry whose hash or link does not hold; `None` when the whole chain does.
pub async fn broken_link(store: &Store) -> Result<Option<i64>> {
    let sql = format!("SELECT {COLUMNS} FROM event ORDER BY id");
    let events: Vec<Event> = sqlx::query_as(sqlx::AssertSqlSafe(sql)).fetch_all(store.pool()).await?;
    let mut before = String::new();
    for event in events {
        if event.prev_hash != before || event.hash != event.expected_hash() {
            return Ok(Some(event.id));
        }
        before = event.hash;
    }
    Ok(None)
}
