//! The history: every event of a boat, append-only, each entry chained to the one before by its hash.

use std::sync::{MutexGuard, PoisonError};

use serde_json::Value;
use sha2::{Digest, Sha256};
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

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

    /// The hashes an entry that was told elsewhere takes in this yard's chain, as the newest entry there is.
    pub(crate) async fn chained(&mut self, mut event: Event) -> Result<(String, String)> {
        let last: Option<(String,)> =
            sqlx::query_as("SELECT hash FROM event ORDER BY id DESC LIMIT 1").fetch_optional(&mut *self.tx).await?;
        event.prev_hash = last.map_or(String::new(), |(hash,)| hash);
        event.hash = event.expected_hash();
        Ok((event.prev_hash, event.hash))
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

/// Entries on one page of a story.
pub const STRETCH: i64 = 200;

/// Entries read at once while the chain is proven.
const BATCH: i64 = 2_000;

/// Entries a page proves beyond what was proven before it: its cost does not grow with the history.
const AT_ONCE: i64 = 20_000;

/// A page of a story.
#[derive(Debug, Clone)]
pub struct Stretch {
    pub events: Vec<Event>,
    /// The entry the next page begins with; `None` on the last.
    pub further: Option<i64>,
    /// The entry the page before this one begins with; `None` on the first.
    pub back: Option<i64>,
}

/// What of a story is asked for.
#[derive(Debug, Clone, Copy, Default)]
pub struct Only<'a> {
    /// Kinds of entries; all where none is named.
    pub kinds: &'a [&'a str],
    /// By whom; anybody where it is empty.
    pub by: &'a str,
    /// Without the hours that were booked.
    pub without_hours: bool,
}

/// When an entry's matter happened: as it was told, as a device said that kept it for a signal, or when it was entered. An index stands
/// on these very words.
macro_rules! happened {
    () => {
        "coalesce(body ->> '$.on', body ->> '$.done_at', at)"
    };
}
/// When the matter of the entry an edge names happened; where there is none of that number, as [`BEFORE`] or [`AFTER`] says.
macro_rules! edge {
    () => {
        concat!("coalesce((SELECT ", happened!(), " FROM event WHERE id = ?4), ?7)")
    };
}
/// Entries on one side of an edge: by the day first, which the index seeks, then by the number among those of a moment.
macro_rules! beyond {
    ($loose:literal, $strict:literal) => {
        concat!(
            happened!(),
            " ",
            $loose,
            " ",
            edge!(),
            " AND (",
            happened!(),
            ", id) ",
            $strict,
            " (",
            edge!(),
            ", ?4) ORDER BY ",
            happened!()
        )
    };
}
/// Before everything that can have happened, and after it.
const BEFORE: &str = "";
const AFTER: &str = "~";

/// A boat's story, what happened last first: the entries up to one, all of them where none is given.
pub async fn of_boat(store: &Store, boat: i64, upto: Option<i64>, only: Only<'_>) -> Result<Stretch> {
    let edge = upto.unwrap_or(i64::MAX);
    let on = concat!(beyond!("<=", "<="), " DESC, id DESC");
    let back = concat!(beyond!(">=", ">"), ", id");
    let none = if upto.is_none() { AFTER } else { BEFORE };
    stretch(store, "boat_id", boat, (edge, none), [on, back], only).await
}

/// A plank's own life line, what happened first first: the entries from one on, all of them where none is given.
pub async fn of_plank(store: &Store, plank: i64, from: Option<i64>, only: Only<'_>) -> Result<Stretch> {
    let edge = from.unwrap_or(0);
    let on = concat!(beyond!(">=", ">="), ", id");
    let back = concat!(beyond!("<=", "<"), " DESC, id DESC");
    let none = if from.is_none() { BEFORE } else { AFTER };
    stretch(store, "member_id", plank, (edge, none), [on, back], only).await
}

/// One page by key, and where its neighbours begin. `[on, back]` say which entries follow the edge and which lie before it.
async fn stretch(
    store: &Store,
    whose: &str,
    of: i64,
    (edge, none): (i64, &str),
    [on, back]: [&str; 2],
    only: Only<'_>,
) -> Result<Stretch> {
    let kinds = serde_json::to_string(only.kinds)?;
    let asked = "(?2 = '[]' OR kind IN (SELECT value FROM json_each(?2))) AND (?3 = '' OR by_name = ?3) AND (?6 = 0 OR kind <> 'hours')";
    let page = |columns: &str, order: &str| {
        format!("SELECT {columns} FROM event WHERE {whose} = ?1 AND {asked} AND {order} LIMIT ?5")
    };
    let mut events: Vec<Event> = sqlx::query_as(sqlx::AssertSqlSafe(page(COLUMNS, on)))
        .bind(of)
        .bind(&kinds)
        .bind(only.by)
        .bind(edge)
        .bind(STRETCH + 1)
        .bind(only.without_hours)
        .bind(none)
        .fetch_all(store.pool())
        .await?;
    let further = events.get(STRETCH as usize).map(|event| event.id);
    events.truncate(STRETCH as usize);
    let first = events.first().map_or(edge, |event| event.id);
    let before: Vec<(i64,)> = sqlx::query_as(sqlx::AssertSqlSafe(page("id", back)))
        .bind(of)
        .bind(&kinds)
        .bind(only.by)
        .bind(first)
        .bind(STRETCH)
        .bind(only.without_hours)
        .bind(none)
        .fetch_all(store.pool())
        .await?;
    Ok(Stretch { events, further, back: before.last().map(|(id,)| *id) })
}

/// What entries of a boat said, by id: those that later ones correct.
pub async fn said(store: &Store, boat: i64, ids: &[i64]) -> Result<Vec<(i64, String)>> {
    let sql = "SELECT id, summary FROM event WHERE boat_id = ? AND id IN (SELECT value FROM json_each(?))";
    Ok(sqlx::query_as(sql).bind(boat).bind(serde_json::to_string(ids)?).fetch_all(store.pool()).await?)
}

/// An entry told by hand, where it is one of this boat and was not put right yet.
pub async fn told(store: &Store, boat: i64, id: i64) -> Result<Event> {
    let sql = format!(
        "SELECT {COLUMNS} FROM event WHERE boat_id = ? AND id = ? AND (kind = 'told' OR (kind = 'correction' AND body ->> '$.told' IS NOT NULL))"
    );
    let event: Option<Event> =
        sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).bind(id).fetch_optional(store.pool()).await?;
    event.ok_or(StoreError::NotFound("entry"))
}

/// The boats a photo was told of by hand.
pub async fn boats_with_photo(store: &Store, hash: &str) -> Result<Vec<i64>> {
    let sql = "SELECT DISTINCT boat_id FROM event WHERE kind = 'told' AND body ->> '$.photo' = ?";
    Ok(sqlx::query_scalar(sql).bind(hash).fetch_all(store.pool()).await?)
}

/// How far the chain of all entries is proven.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Proof {
    /// The newest entry proven.
    pub upto: i64,
    /// The newest entry there is.
    pub newest: i64,
    /// The first entry whose hash or link does not hold.
    pub broken: Option<i64>,
}

impl Proof {
    /// Whether every entry there is was proven and holds.
    pub fn is_whole(&self) -> bool {
        self.broken.is_none() && self.upto == self.newest
    }
}

/// Where a proof stands: the last entry that held, and its hash.
#[derive(Debug, Clone, Default)]
pub(crate) struct Proven {
    id: i64,
    hash: String,
}

/// Proves the entries that came since the last proof, so many at most; what was proven since the program started is not read again but
/// for its last entry. Where that one is gone or another the whole chain is proven, and holds no more.
pub async fn proof(store: &Store) -> Result<Proof> {
    let from = proven(store).clone();
    if still_holds(store, &from).await? {
        return prove(store, from, AT_ONCE).await;
    }
    let whole = prove(store, Proven::default(), i64::MAX).await?;
    // A chain that holds without what was proven before was cut off or written anew.
    Ok(Proof { broken: whole.broken.or(Some(from.id)), ..whole })
}

/// Proves every entry from the first.
pub async fn whole_proof(store: &Store) -> Result<Proof> {
    prove(store, Proven::default(), i64::MAX).await
}

/// The first entry whose hash or link does not hold; `None` when the whole chain does.
pub async fn broken_link(store: &Store) -> Result<Option<i64>> {
    Ok(whole_proof(store).await?.broken)
}

fn proven(store: &Store) -> MutexGuard<'_, Proven> {
    store.proven.lock().unwrap_or_else(PoisonError::into_inner)
}

async fn prove(store: &Store, mut at: Proven, most: i64) -> Result<Proof> {
    let (newest,): (i64,) = sqlx::query_as("SELECT coalesce(max(id), 0) FROM event").fetch_one(store.pool()).await?;
    let sql = format!("SELECT {COLUMNS} FROM event WHERE id > ? AND id <= ? ORDER BY id LIMIT ?");
    let mut left = most;
    while at.id < newest && left > 0 {
        let events: Vec<Event> = sqlx::query_as(sqlx::AssertSqlSafe(sql.as_str()))
            .bind(at.id)
            .bind(newest)
            .bind(BATCH.min(left))
            .fetch_all(store.pool())
            .await?;
        left -= BATCH;
        for event in events {
            if event.prev_hash != at.hash || event.hash != event.expected_hash() {
                // Proven anew from the first entry each time, until somebody puts the last good copy back.
                *proven(store) = Proven::default();
                return Ok(Proof { upto: at.id, newest, broken: Some(event.id) });
            }
            at = Proven { id: event.id, hash: event.hash };
        }
    }
    let upto = at.id;
    let mut kept = proven(store);
    if upto > kept.id {
        *kept = at;
    }
    Ok(Proof { upto, newest, broken: None })
}

/// Whether the entry a proof stands on is still the one that was proven.
async fn still_holds(store: &Store, at: &Proven) -> Result<bool> {
    if at.id == 0 {
        return Ok(true);
    }
    let sql = format!("SELECT {COLUMNS} FROM event WHERE id = ?");
    let event: Option<Event> =
        sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(at.id).fetch_optional(store.pool()).await?;
    Ok(event.is_some_and(|event| event.hash == at.hash && event.hash == event.expected_hash()))
}
