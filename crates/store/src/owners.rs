//! Owners: the addresses given to them, and what they wish and say.

use jiff::{SignedDuration, Timestamp};
use serde_json::json;
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

/// An address with a secret, given to somebody for one boat.
#[derive(Debug, Clone, FromRow)]
pub struct Link {
    pub id: i64,
    pub boat_id: i64,
    pub name: String,
    pub expires_at: String,
    pub by_name: String,
    pub at: String,
}

/// What an owner wishes or says.
#[derive(Debug, Clone, FromRow)]
pub struct Note {
    pub id: i64,
    pub boat_id: i64,
    pub member_id: Option<i64>,
    /// `wish` or `comment`.
    pub kind: String,
    pub words: String,
    pub by_name: String,
    pub at: String,
    /// By the yard.
    pub seen: bool,
}

impl Note {
    pub fn is_wish(&self) -> bool {
        self.kind == "wish"
    }

    /// Whether it is a wish that touches a part: one of it, or of the boat as a whole.
    pub fn wishes_of(&self, member: i64) -> bool {
        self.is_wish() && self.member_id.is_none_or(|own| own == member)
    }
}

/// Most that is kept of what owners say of one boat: a link that got about fills no disk.
const MOST_NOTES: i64 = 500;

const LINK: &str = "SELECT id, boat_id, name, expires_at, by_name, at FROM owner_link WHERE withdrawn = 0";

/// A boat's links that were not withdrawn, newest first.
pub async fn links(store: &Store, boat: i64) -> Result<Vec<Link>> {
    let sql = format!("{LINK} AND boat_id = ? ORDER BY id DESC");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

/// The link of a secret, by its digest; none where it was withdrawn, has run out, or her boat has left the yard.
pub async fn link(store: &Store, token_hash: &str) -> Result<Link> {
    let sql =
        format!("{LINK} AND token_hash = ? AND expires_at > ? AND boat_id IN (SELECT id FROM boat WHERE archived = 0)");
    let found: Option<Link> = sqlx::query_as(sqlx::AssertSqlSafe(sql))
        .bind(token_hash)
        .bind(Timestamp::now().to_string())
        .fetch_optional(store.pool())
        .await?;
    found.ok_or(StoreError::NotFound("page"))
}

/// What was wished and said of a boat, oldest first.
pub async fn notes(store: &Store, boat: i64) -> Result<Vec<Note>> {
    let sql =
        "SELECT id, boat_id, member_id, kind, words, by_name, at, seen FROM owner_note WHERE boat_id = ? ORDER BY id";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

/// An owner's wishes that touch a part: those of it, and those of the boat as a whole.
pub async fn wishes(store: &Store, boat: i64, member: i64) -> Result<Vec<String>> {
    let notes = notes(store, boat).await?;
    Ok(notes.into_iter().filter(|n| n.wishes_of(member)).map(|n| n.words).collect())
}

impl Work {
    /// Gives somebody an address for so many days; the secret itself is not kept.
    pub async fn add_link(&mut self, boat: i64, name: &str, token_hash: &str, days: u32) -> Result<()> {
        let expires = self.act.at + SignedDuration::from_hours(24 * i64::from(days));
        sqlx::query(
            "INSERT INTO owner_link (boat_id, token_hash, name, expires_at, by_name, at) VALUES (?, ?, ?, ?, ?, ?)",
        )
        .bind(boat)
        .bind(token_hash)
        .bind(name)
        .bind(expires.to_string())
        .bind(self.act.by.clone())
        .bind(self.stamp())
        .execute(&mut *self.tx)
        .await?;
        let told = format!("An address was given to {name} for {days} days");
        self.note(Some(boat), None, "owner", &told, &json!({ "days": days })).await?;
        Ok(())
    }

    pub async fn withdraw_link(&mut self, link: &Link) -> Result<()> {
        if self.set_aside("owner_link", link.id).await? {
            let told = format!("The address given to {} was withdrawn", link.name);
            self.note(Some(link.boat_id), None, "owner", &told, &json!({})).await?;
        }
        Ok(())
    }

    /// Keeps what an owner wishes (of a part, or of the boat) or says.
    pub async fn add_owner_note(&mut self, boat: i64, member: Option<i64>, wish: bool, words: &str) -> Result<()> {
        let count: i64 = sqlx::query_scalar("SELECT count(*) FROM owner_note WHERE boat_id = ?")
            .bind(boat)
            .fetch_one(&mut *self.tx)
            .await?;
        if count >= MOST_NOTES {
            return Err(StoreError::Conflict(format!("{MOST_NOTES} notes are kept of a boat: speak to the yard")));
        }
        let kind = if wish { "wish" } else { "comment" };
        sqlx::query("INSERT INTO owner_note (boat_id, member_id, kind, words, by_name, at) VALUES (?, ?, ?, ?, ?, ?)")
            .bind(boat)
            .bind(member)
            .bind(kind)
            .bind(words)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        let told = format!("{}: {words}", if wish { "The owner wishes" } else { "The owner says" });
        self.note(Some(boat), member, "owner", &told, &json!({ "kind": kind })).await?;
        Ok(())
    }

    /// The yard has seen what was said of a boat.
    pub async fn see_owner_notes(&mut self, boat: i64) -> Result<()> {
        sqlx::query("UPDATE owner_note SET seen = 1 WHERE boat_id = ?").bind(boat).execute(&mut *self.tx).await?;
        Ok(())
    }
}
