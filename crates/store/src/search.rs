//! What anybody may look for: names, findings' words, tags, tasks, people and the story, by their first letters.

use sqlx::FromRow;

use crate::{Result, Store};

/// What a hit is; the number is its part of the row's key.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Found {
    Boat,
    Member,
    Finding,
    Piece,
    Task,
    Board,
    StoreItem,
    Account,
    Event,
}

impl Found {
    const ALL: [Self; 9] = [
        Self::Boat,
        Self::Member,
        Self::Finding,
        Self::Piece,
        Self::Task,
        Self::Board,
        Self::StoreItem,
        Self::Account,
        Self::Event,
    ];

    fn of_key(key: i64) -> Option<Self> {
        Self::ALL.get(usize::try_from(key % 16 - 1).ok()?).copied()
    }
}

/// Something that was found.
#[derive(Debug, Clone)]
pub struct Hit {
    pub what: Found,
    pub id: i64,
    pub words: String,
    /// What else is said of it.
    pub more: String,
    pub boat_id: Option<i64>,
    /// Name of that boat.
    pub boat: Option<String>,
}

#[derive(FromRow)]
struct Row {
    key: i64,
    words: String,
    more: String,
    boat_id: Option<i64>,
    boat: Option<String>,
}

/// Hits shown at most.
pub const MOST: i64 = 40;

/// Where all words begin as typed, best first; of one boat only where `only` names it.
///
/// `preferred`: hits of this boat come before those of others. Words are letters and digits; all else parts them.
pub async fn search(store: &Store, typed: &str, only: Option<i64>, preferred: Option<i64>) -> Result<Vec<Hit>> {
    let words: Vec<String> = typed
        .split(|c: char| !c.is_alphanumeric())
        .filter(|w| !w.is_empty())
        .take(8)
        .map(|w| format!("\"{w}\"*"))
        .collect();
    if words.is_empty() {
        return Ok(Vec::new());
    }
    // The story tells of everything once more: what it tells of comes first.
    let sql = "SELECT search.rowid AS key, words, more, search.boat_id, boat.name AS boat FROM search
               LEFT JOIN boat ON boat.id = search.boat_id
               WHERE search MATCH ?1 AND (?2 IS NULL OR search.boat_id = ?2)
               ORDER BY (search.rowid % 16 = 9), (?3 IS NOT NULL AND search.boat_id IS NOT ?3), rank, search.rowid DESC LIMIT ?4";
    let rows: Vec<Row> =
        sqlx::query_as(sql).bind(words.join(" ")).bind(only).bind(preferred).bind(MOST).fetch_all(store.pool()).await?;
    Ok(rows
        .into_iter()
        .filter_map(|r| {
            let what = Found::of_key(r.key)?;
            Some(Hit { what, id: r.key / 16, words: r.words, more: r.more, boat_id: r.boat_id, boat: r.boat })
        })
        .collect())
}
