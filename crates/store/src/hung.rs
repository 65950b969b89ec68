//! Steps ticked on the card by which a piece is hung.

use jiff::Timestamp;
use serde_json::json;
use sqlx::FromRow;

use crate::decisions::Piece;
use crate::{Result, Store, Work};

/// A step as somebody told it.
#[derive(Debug, Clone, FromRow)]
pub struct Hung {
    pub step: String,
    pub note: String,
    /// By the hash of its content.
    pub photo: Option<String>,
    /// Why it was done before its turn, or against a reason; empty where nothing stood against it.
    pub against: String,
    pub by_name: String,
    /// When it was done: what waited for a signal arrived later.
    pub at: String,
}

/// A step to be ticked.
#[derive(Debug, Clone, Copy)]
pub struct Tick<'t> {
    pub step: &'t str,
    /// In the words of the card.
    pub what: &'t str,
    pub note: &'t str,
    pub photo: Option<&'t str>,
    pub against: &'t str,
    pub at: Timestamp,
}

/// What was ticked for a piece, in the order it was told.
pub async fn of_piece(store: &Store, piece: i64) -> Result<Vec<Hung>> {
    let sql =
        "SELECT step, note, photo, against, by_name, at FROM hung WHERE piece_id = ? AND withdrawn = 0 ORDER BY id";
    Ok(sqlx::query_as(sql).bind(piece).fetch_all(store.pool()).await?)
}

/// The boats on whose cards a photo was taken.
pub async fn boats_with_photo(store: &Store, hash: &str) -> Result<Vec<i64>> {
    let sql = "SELECT DISTINCT boat_id FROM hung WHERE photo = ?";
    Ok(sqlx::query_scalar(sql).bind(hash).fetch_all(store.pool()).await?)
}

impl Work {
    /// Ticks a step of a piece's card.
    pub async fn tick_hung(&mut self, piece: &Piece, tick: &Tick<'_>) -> Result<()> {
        sqlx::query("INSERT INTO hung (boat_id, piece_id, step, note, photo, against, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(piece.boat_id)
            .bind(piece.id)
            .bind(tick.step)
            .bind(tick.note)
            .bind(tick.photo)
            .bind(tick.against)
            .bind(self.act.by.clone())
            .bind(tick.at.to_string())
            .execute(&mut *self.tx)
            .await?;
        let mut told = format!("{}: {}", piece.name, tick.what);
        if !tick.against.is_empty() {
            told = format!("{told}, all the same, because {}", tick.against);
        }
        if !tick.note.is_empty() {
            told = format!("{told}. {}", tick.note);
        }
        let body = json!({ "piece": piece.id, "step": tick.step, "note": tick.note, "photo": tick.photo, "against": tick.against, "done_at": tick.at.to_string() });
        self.note(Some(piece.boat_id), Some(piece.member_id), "hung", &told, &body).await?;
        Ok(())
    }

    /// Takes a tick back, with everything that was told with it; it stays in the story.
    pub async fn untick_hung(&mut self, piece: &Piece, step: &str, what: &str) -> Result<()> {
        let done = sqlx::query("UPDATE hung SET withdrawn = 1 WHERE piece_id = ? AND step = ? AND withdrawn = 0")
            .bind(piece.id)
            .bind(step)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            return Ok(());
        }
        let body = json!({ "piece": piece.id, "step": step, "withdrawn": true });
        let told = format!("{}: taken back: {what}", piece.name);
        self.note(Some(piece.boat_id), Some(piece.member_id), "hung", &told, &body).await?;
        Ok(())
    }
}
