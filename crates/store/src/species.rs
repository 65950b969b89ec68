//! Species a yard added to the shipped table.

use mend_keel_core::timber::species::{self, Own};
use serde_json::json;
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

/// A species of the yard's own.
#[derive(Debug, Clone, FromRow)]
pub struct OwnRow {
    pub code: String,
    #[sqlx(json)]
    pub body: Own,
    pub version: i64,
    pub by_name: String,
    pub at: String,
}

const SELECT: &str = "SELECT code, body, version, by_name, at FROM species WHERE removed = 0";

/// The yard's own species, by code.
pub async fn all(store: &Store) -> Result<Vec<OwnRow>> {
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(format!("{SELECT} ORDER BY code"))).fetch_all(store.pool()).await?)
}

pub async fn find(store: &Store, code: &str) -> Result<OwnRow> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{SELECT} AND code = ?")))
        .bind(code)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("species"))
}

/// Tells the core every species of the yard's own; done when a yard is opened and after each change.
pub async fn tell(store: &Store) -> Result<()> {
    let all = all(store).await?;
    species::learn(all.iter().filter_map(|row| row.body.species(&row.code).ok()).collect());
    Ok(())
}

impl Work {
    /// Adds a species. Its code is its name and something of its own, so that no other yard has the same. [`StoreError::Conflict`] where
    /// there is one of that name.
    pub async fn add_species(&mut self, own: &Own) -> Result<String> {
        self.unlike(own, "").await?;
        let word: String = own
            .name
            .chars()
            .map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '_' })
            .take(30)
            .collect();
        let (own_part,): (String,) =
            sqlx::query_as("SELECT lower(hex(randomblob(4)))").fetch_one(&mut *self.tx).await?;
        let code = format!("{word}_{own_part}");
        sqlx::query("INSERT INTO species (code, body, by_name, at) VALUES (?, ?, ?, ?)")
            .bind(&code)
            .bind(serde_json::to_string(own)?)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        let body = json!({ "code": code, "species": own });
        self.note(None, None, "species", &format!("Species added: {}, by {}", own.name, own.source), &body).await?;
        Ok(code)
    }

    /// Keeps other figures of a species. [`StoreError::Stale`] when it is no longer at the version it was read at.
    pub async fn change_species(&mut self, was: &OwnRow, version: i64, own: &Own) -> Result<()> {
        self.unlike(own, &was.code).await?;
        let done = sqlx::query(
            "UPDATE species SET body = ?, version = version + 1, by_name = ?, at = ? WHERE code = ? AND version = ? AND removed = 0",
        )
        .bind(serde_json::to_string(own)?)
        .bind(self.act.by.clone())
        .bind(self.stamp())
        .bind(&was.code)
        .bind(version)
        .execute(&mut *self.tx)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Stale("this species"));
        }
        let body = json!({ "code": was.code, "before": was.body, "species": own });
        self.note(None, None, "species", &format!("Species changed: {}", own.name), &body).await.map(|_| ())
    }

    /// Takes a species off the list. [`StoreError::Conflict`] while a boat, a part or a board is of it.
    pub async fn remove_species(&mut self, was: &OwnRow) -> Result<()> {
        let (used,): (i64,) = sqlx::query_as(
            "SELECT (SELECT count(*) FROM member WHERE species = ?1 AND removed = 0) + (SELECT count(*) FROM board WHERE species = ?1)
                  + (SELECT count(*) FROM boat WHERE plank_species = ?1 OR frame_species = ?1)",
        )
        .bind(&was.code)
        .fetch_one(&mut *self.tx)
        .await?;
        if used > 0 {
            return Err(StoreError::Conflict(
                "a boat, a part or a board is of it: say there first what else it is".into(),
            ));
        }
        let done = sqlx::query("UPDATE species SET removed = 1 WHERE code = ? AND removed = 0")
            .bind(&was.code)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() > 0 {
            let body = json!({ "code": was.code });
            self.note(None, None, "species", &format!("Species taken off the list: {}", was.body.name), &body).await?;
        }
        Ok(())
    }

    async fn unlike(&mut self, own: &Own, code: &str) -> Result<()> {
        let (taken,): (i64,) = sqlx::query_as(
            "SELECT count(*) FROM species WHERE removed = 0 AND code <> ? AND lower(json_extract(body, '$.name')) = lower(?)",
        )
        .bind(code)
        .bind(&own.name)
        .fetch_one(&mut *self.tx)
        .await?;
        let shipped = species::all().iter().any(|s| s.name.eq_ignore_ascii_case(&own.name));
        if taken > 0 || shipped {
            return Err(StoreError::Conflict(format!("there is a {} already", own.name)));
        }
        Ok(())
    }
}
