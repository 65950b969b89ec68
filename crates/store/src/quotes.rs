//! How the yard charges, quotes as they were given out, and what the owner said to them.

use std::collections::BTreeMap;

use mend_keel_core::work::quote::{Currency, Quote, Terms, Word};
use serde_json::json;
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

/// A quote as it was given out.
#[derive(Debug, Clone, FromRow)]
pub struct Given {
    pub id: i64,
    pub boat_id: i64,
    /// Counted for the boat.
    pub number: i64,
    #[sqlx(json)]
    pub body: Quote,
    pub by_name: String,
    pub at: String,
}

/// What the owner said to a part.
#[derive(Debug, Clone, FromRow)]
pub struct Said {
    pub quote_id: i64,
    /// Of the quote, counted for the boat.
    pub number: i64,
    pub decision_id: i64,
    #[sqlx(try_from = "String")]
    pub word: Word,
    pub name: String,
    pub why: String,
    pub by_name: String,
    pub at: String,
}

/// A word as it is given.
#[derive(Debug, Clone)]
pub struct NewWord {
    pub decision: i64,
    pub part: String,
    pub word: Word,
    pub name: String,
    pub why: String,
}

/// How the yard charges, and the version of it: 0, and no rates, while nobody said.
pub async fn terms(store: &Store) -> Result<(Terms, i64)> {
    let kept: Option<(String, i64)> =
        sqlx::query_as("SELECT body, version FROM terms WHERE id = 1").fetch_optional(store.pool()).await?;
    Ok(match kept {
        Some((body, version)) => (serde_json::from_str(&body)?, version),
        None => (Terms { currency: Currency::default(), tax: 0, hour: BTreeMap::new(), on_materials: 0 }, 0),
    })
}

/// A boat's quotes, newest first.
pub async fn of_boat(store: &Store, boat: i64) -> Result<Vec<Given>> {
    let sql = "SELECT id, boat_id, number, body, by_name, at FROM quote WHERE boat_id = ? ORDER BY number DESC";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

/// What was said to a boat's quotes, in the order it was said.
pub async fn words(store: &Store, boat: i64) -> Result<Vec<Said>> {
    let sql = "SELECT quote_id, number, decision_id, word, name, why, quote_word.by_name, quote_word.at FROM quote_word
               JOIN quote ON quote.id = quote_id WHERE quote_word.boat_id = ? ORDER BY quote_word.id";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

impl Work {
    /// Keeps how the yard charges. Refused when somebody else changed it since `version`.
    pub async fn set_terms(&mut self, terms: &Terms, version: i64) -> Result<()> {
        let body = serde_json::to_string(terms)?;
        let sql = if version == 0 {
            "INSERT INTO terms (id, body) VALUES (1, ?1) ON CONFLICT (id) DO NOTHING"
        } else {
            "UPDATE terms SET body = ?1, version = version + 1 WHERE id = 1 AND version = ?2"
        };
        let done = sqlx::query(sql).bind(&body).bind(version).execute(&mut *self.tx).await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Stale("how the yard charges"));
        }
        self.note(None, None, "yard", "The yard charges otherwise from now on", &serde_json::to_value(terms)?).await?;
        Ok(())
    }

    /// Gives a quote out; gives its number.
    pub async fn give_quote(&mut self, boat: i64, quote: &Quote) -> Result<i64> {
        let number: i64 = sqlx::query_scalar("SELECT coalesce(max(number), 0) + 1 FROM quote WHERE boat_id = ?")
            .bind(boat)
            .fetch_one(&mut *self.tx)
            .await?;
        let id = sqlx::query("INSERT INTO quote (boat_id, number, body, by_name, at) VALUES (?, ?, ?, ?, ?)")
            .bind(boat)
            .bind(number)
            .bind(serde_json::to_string(quote)?)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        let body = json!({ "quote": id, "number": number, "gross": quote.sum.gross });
        let shown = quote.terms.currency.band(quote.sum.gross);
        self.note(Some(boat), None, "quote", &format!("Quote {number} given out: {shown}"), &body).await?;
        Ok(number)
    }

    /// Keeps what the owner says to a part of a quote.
    pub async fn say_to_quote(&mut self, quote: &Given, new: &NewWord) -> Result<()> {
        sqlx::query("INSERT INTO quote_word (boat_id, quote_id, decision_id, word, name, why, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(quote.boat_id)
            .bind(quote.id)
            .bind(new.decision)
            .bind(new.word.code())
            .bind(&new.name)
            .bind(&new.why)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        let why = if new.why.is_empty() { String::new() } else { format!(": {}", new.why) };
        let told = format!("{} on {} of quote {}, {}{why}", new.word.label(), new.part, quote.number, new.name);
        let body = json!({ "quote": quote.id, "decision": new.decision, "word": new.word.code(), "why": new.why });
        self.note(Some(quote.boat_id), None, "quote", &told, &body).await?;
        Ok(())
    }
}
