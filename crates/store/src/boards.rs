//! The rack: boards, what is reserved, and what cutting leaves. Nothing vanishes.

use mend_keel_core::timber::board::{Board as Stock, Cut, Drying, Grain, Origin, Rectangle};
use serde_json::json;
use sqlx::FromRow;

use crate::decisions::Piece;
use crate::{Result, Store, StoreError, Work};

#[derive(Debug, Clone, FromRow)]
pub struct Board {
    pub id: i64,
    pub tag: String,
    pub species: String,
    pub length: f64,
    pub width: f64,
    pub thickness: f64,
    #[sqlx(try_from = "String")]
    pub grain: Grain,
    #[sqlx(try_from = "String")]
    pub drying: Drying,
    pub moisture: Option<f64>,
    #[sqlx(try_from = "String")]
    pub origin: Origin,
    pub origin_note: String,
    pub place: String,
    /// `free`, `reserved` or `cut`.
    pub state: String,
    pub parent_id: Option<i64>,
    pub waste_area: Option<f64>,
}

impl Board {
    /// The board as the core sees it.
    pub fn stock(&self) -> Stock {
        Stock {
            species: self.species.clone(),
            length: self.length,
            width: self.width,
            thickness: self.thickness,
            grain: self.grain,
            drying: self.drying,
            moisture: self.moisture,
            origin: self.origin,
        }
    }

    pub fn face(&self) -> Rectangle {
        Rectangle { length: self.length, width: self.width }
    }
}

#[derive(Debug, Clone)]
pub struct NewBoard {
    pub tag: String,
    pub stock: Stock,
    pub origin_note: String,
    pub place: String,
    pub parent_id: Option<i64>,
}

const BOARD: &str = "SELECT id, tag, species, length, width, thickness, grain, drying, moisture, origin, origin_note, place, state, parent_id, waste_area FROM board";

/// Everything in the rack, cut boards last.
pub async fn list(store: &Store) -> Result<Vec<Board>> {
    let sql = format!("{BOARD} ORDER BY state = 'cut', species, tag");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).fetch_all(store.pool()).await?)
}

pub async fn find(store: &Store, id: i64) -> Result<Board> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{BOARD} WHERE id = ?")))
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("board"))
}

/// Offcuts of a board.
pub async fn offcuts(store: &Store, board: i64) -> Result<Vec<Board>> {
    let sql = format!("{BOARD} WHERE parent_id = ? ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(board).fetch_all(store.pool()).await?)
}

impl Work {
    /// Puts a board in the rack. [`StoreError::Conflict`] when its tag is taken.
    pub async fn add_board(&mut self, new: &NewBoard) -> Result<i64> {
        let taken: Option<(i64,)> =
            sqlx::query_as("SELECT id FROM board WHERE tag = ?").bind(&new.tag).fetch_optional(&mut *self.tx).await?;
        if taken.is_some() {
            return Err(StoreError::Conflict("that tag is on another board".into()));
        }
        let stock = &new.stock;
        let id = sqlx::query("INSERT INTO board (tag, species, length, width, thickness, grain, drying, moisture, origin, origin_note, place, state, parent_id, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 'free', ?, ?)")
            .bind(&new.tag)
            .bind(&stock.species)
            .bind(stock.length)
            .bind(stock.width)
            .bind(stock.thickness)
            .bind(stock.grain.code())
            .bind(stock.drying.code())
            .bind(stock.moisture)
            .bind(stock.origin.code())
            .bind(&new.origin_note)
            .bind(&new.place)
            .bind(new.parent_id)
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        let body = json!({ "board": id, "tag": new.tag, "species": stock.species, "length_mm": stock.length, "width_mm": stock.width, "thickness_mm": stock.thickness });
        self.note(None, None, "board", &format!("Put {} in the rack", new.tag), &body).await?;
        Ok(id)
    }

    /// Reserves a free board for a piece, giving back the one it had.
    pub async fn reserve(&mut self, board: &Board, piece: &Piece) -> Result<()> {
        let taken = sqlx::query("UPDATE board SET state = 'reserved' WHERE id = ? AND state = 'free'")
            .bind(board.id)
            .execute(&mut *self.tx)
            .await?;
        if taken.rows_affected() == 0 {
            return Err(StoreError::Conflict(format!("{} is no longer free", board.tag)));
        }
        sqlx::query("UPDATE board SET state = 'free' WHERE state = 'reserved' AND id = ?")
            .bind(piece.board_id)
            .execute(&mut *self.tx)
            .await?;
        let done = sqlx::query(
            "UPDATE piece SET state = 'reserved', board_id = ? WHERE id = ? AND state IN ('planned', 'reserved')",
        )
        .bind(board.id)
        .bind(piece.id)
        .execute(&mut *self.tx)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Conflict("this piece has already been cut".into()));
        }
        let body = json!({ "board": board.id, "tag": board.tag, "piece": piece.id });
        let summary = format!("Reserved {} for {}", board.tag, piece.name);
        self.note(Some(piece.boat_id), Some(piece.member_id), "reserved", &summary, &body).await?;
        Ok(())
    }

    /// Carries out a cut: the piece is made, its offcuts go back in the rack under tags of their own, and the
    /// waste is recorded.
    pub async fn take_from_rack(&mut self, board: &Board, piece: &Piece, cut: &Cut) -> Result<()> {
        let done = sqlx::query("UPDATE board SET state = 'cut', waste_area = ? WHERE id = ? AND state = 'reserved'")
            .bind(cut.waste_area)
            .bind(board.id)
            .execute(&mut *self.tx)
            .await?;
        let made = sqlx::query("UPDATE piece SET state = 'cut' WHERE id = ? AND board_id = ? AND state = 'reserved'")
            .bind(piece.id)
            .bind(board.id)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 || made.rows_affected() == 0 {
            return Err(StoreError::Conflict("reserve the board for this piece first".into()));
        }
        let mut tags = Vec::new();
        for (n, offcut) in cut.offcuts.iter().enumerate() {
            let tag = self.free_tag(&board.tag, n + 1).await?;
            let stock = Stock { length: offcut.length, width: offcut.width, origin: Origin::Offcut, ..board.stock() };
            let new = NewBoard {
                tag: tag.clone(),
                stock,
                origin_note: format!("offcut of {}", board.tag),
                place: board.place.clone(),
                parent_id: Some(board.id),
            };
            self.add_board(&new).await?;
            tags.push(tag);
        }
        let body = json!({ "board": board.id, "tag": board.tag, "species": board.species, "origin": board.origin,
            "piece": piece.id, "piece_mm": cut.piece, "offcuts": tags, "waste_mm2": cut.waste_area });
        let summary = format!("Cut {} from {}", piece.name, board.tag);
        self.note(Some(piece.boat_id), Some(piece.member_id), "cut", &summary, &body).await?;
        Ok(())
    }

    /// `L-12/1`, or the next number that is free.
    async fn free_tag(&mut self, parent: &str, from: usize) -> Result<String> {
        let mut n = from;
        loop {
            let tag = format!("{parent}/{n}");
            let taken: Option<(i64,)> =
                sqlx::query_as("SELECT id FROM board WHERE tag = ?").bind(&tag).fetch_optional(&mut *self.tx).await?;
            if taken.is_none() {
                return Ok(tag);
            }
            n += 1;
        }
    }
}
