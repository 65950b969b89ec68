//! The rack: boards, what is known of them, what is reserved, and what cutting leaves. Nothing vanishes: what was cut wrongly is put
//! back by an entry that corrects the cut.

use mend_keel_core::cutting::layout::Area;
use mend_keel_core::timber::board::BoardState;
use mend_keel_core::timber::board::{Board as Stock, Details, Drying, Grain, Laid, Origin, Rectangle};
use serde::{Deserialize, Serialize};
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
    #[sqlx(try_from = "String")]
    pub state: BoardState,
    pub parent_id: Option<i64>,
    pub waste_area: Option<f64>,
    #[sqlx(json)]
    pub details: Details,
    pub version: i64,
    pub at: String,
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
    pub details: Details,
    pub origin_note: String,
    pub place: String,
    pub parent_id: Option<i64>,
}

const BOARD: &str = "SELECT id, tag, species, length, width, thickness, grain, drying, moisture, origin, origin_note, place, state, parent_id, waste_area, details, version, at FROM board";

/// Everything in the rack, cut boards last.
pub async fn list(store: &Store) -> Result<Vec<Board>> {
    let sql = format!("{BOARD} WHERE withdrawn = 0 ORDER BY state = 'cut', species, tag");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).fetch_all(store.pool()).await?)
}

pub async fn find(store: &Store, id: i64) -> Result<Board> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{BOARD} WHERE id = ?")))
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("board"))
}

/// The board with this tag, however it is written.
pub async fn by_tag(store: &Store, tag: &str) -> Result<Board> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{BOARD} WHERE tag = ? AND withdrawn = 0")))
        .bind(tag)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("board"))
}

/// A pin meter's reading of a board.
#[derive(Debug, Clone, FromRow)]
pub struct BoardMoisture {
    pub id: i64,
    pub board_id: i64,
    pub shown: f64,
    pub wood_temperature: f64,
    pub moisture: f64,
    pub simulated: bool,
    pub by_name: String,
    pub at: String,
}

/// A board's readings, oldest first.
pub async fn moistures(store: &Store, board: i64) -> Result<Vec<BoardMoisture>> {
    let sql = "SELECT id, board_id, shown, wood_temperature, moisture, simulated, by_name, at FROM board_moisture WHERE board_id = ? ORDER BY id";
    Ok(sqlx::query_as(sql).bind(board).fetch_all(store.pool()).await?)
}

/// Hashes of a board's photos.
pub async fn photos(store: &Store, board: i64) -> Result<Vec<String>> {
    let rows: Vec<(String,)> = sqlx::query_as("SELECT hash FROM board_photo WHERE board_id = ? ORDER BY id")
        .bind(board)
        .fetch_all(store.pool())
        .await?;
    Ok(rows.into_iter().map(|(hash,)| hash).collect())
}

/// A piece as it was really cut, mm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct CutPiece {
    pub piece: i64,
    pub name: String,
    pub length: f64,
    pub width: f64,
}

/// An offcut by its place on the board it comes from, mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Offcut {
    pub x: f64,
    pub y: f64,
    pub face: Rectangle,
    /// The piece it stays reserved for.
    pub piece: Option<i64>,
}

/// What was cut from a board.
#[derive(Debug, Clone, FromRow)]
pub struct BoardCut {
    pub id: i64,
    pub board_id: i64,
    pub event_id: i64,
    #[sqlx(json)]
    pub pieces: Vec<CutPiece>,
    #[sqlx(json)]
    pub offcuts: Vec<i64>,
    pub piece_area: f64,
    pub offcut_area: f64,
    pub waste_area: f64,
    pub undone: bool,
    pub by_name: String,
    pub at: String,
}

const CUT: &str = "SELECT id, board_id, event_id, pieces, offcuts, piece_area, offcut_area, waste_area, undone, by_name, at FROM board_cut";

/// The cut of a board that holds, if it was cut.
pub async fn cut_of(store: &Store, board: i64) -> Result<Option<BoardCut>> {
    let sql = format!("{CUT} WHERE board_id = ? AND undone = 0 ORDER BY id DESC");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(board).fetch_optional(store.pool()).await?)
}

/// Face of all pieces, offcuts and waste of the cuts that hold, mm²: the yard's own record.
pub async fn yield_so_far(store: &Store) -> Result<(f64, f64, f64)> {
    let sql = "SELECT TOTAL(piece_area), TOTAL(offcut_area), TOTAL(waste_area) FROM board_cut WHERE undone = 0";
    Ok(sqlx::query_as(sql).fetch_one(store.pool()).await?)
}

/// A plan for the saw as it was worked out.
#[derive(Debug, Clone, FromRow)]
pub struct CutPlan {
    pub id: i64,
    #[sqlx(json)]
    pub body: serde_json::Value,
    pub by_name: String,
    pub at: String,
}

/// The newest plan of a kind: `saw` or `nest`.
pub async fn cut_plan(store: &Store, kind: &str) -> Result<Option<CutPlan>> {
    let sql =
        "SELECT id, body, by_name, at FROM cut_plan WHERE json_extract(body, '$.kind') = ? ORDER BY id DESC LIMIT 1";
    Ok(sqlx::query_as(sql).bind(kind).fetch_optional(store.pool()).await?)
}

/// Offcuts of a board.
pub async fn offcuts(store: &Store, board: i64) -> Result<Vec<Board>> {
    let sql = format!("{BOARD} WHERE parent_id = ? AND withdrawn = 0 ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(board).fetch_all(store.pool()).await?)
}

impl Work {
    /// [`StoreError::Conflict`] where a board other than `own` has the tag.
    async fn tag_is_free(&mut self, tag: &str, own: Option<i64>) -> Result<()> {
        let taken: Option<(i64,)> = sqlx::query_as("SELECT id FROM board WHERE tag = ? AND id IS NOT ?")
            .bind(tag)
            .bind(own)
            .fetch_optional(&mut *self.tx)
            .await?;
        match taken {
            Some(_) => Err(StoreError::Conflict("that tag is on another board".into())),
            None => Ok(()),
        }
    }

    /// Puts a board in the rack. [`StoreError::Conflict`] when its tag is taken.
    pub async fn add_board(&mut self, new: &NewBoard) -> Result<i64> {
        self.tag_is_free(&new.tag, None).await?;
        let stock = &new.stock;
        let id = sqlx::query("INSERT INTO board (tag, species, length, width, thickness, grain, drying, moisture, origin, origin_note, place, state, parent_id, details, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 'free', ?, ?, ?)")
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
            .bind(serde_json::to_string(&new.details)?)
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        let body = json!({ "board": id, "tag": new.tag, "species": stock.species, "length_mm": stock.length, "width_mm": stock.width,
            "thickness_mm": stock.thickness, "details": new.details });
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

    /// Gives a board back that was reserved for a piece: both are as they were before. [`StoreError::Conflict`] where it is cut, or
    /// has no board.
    pub async fn give_back(&mut self, board: &Board, piece: &Piece) -> Result<()> {
        let done = sqlx::query(
            "UPDATE piece SET state = 'planned', board_id = NULL WHERE id = ? AND board_id = ? AND state = 'reserved'",
        )
        .bind(piece.id)
        .bind(board.id)
        .execute(&mut *self.tx)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Conflict(format!("{} is not reserved for this piece", board.tag)));
        }
        sqlx::query("UPDATE board SET state = 'free' WHERE state = 'reserved' AND id = ?")
            .bind(board.id)
            .execute(&mut *self.tx)
            .await?;
        let body = json!({ "board": board.id, "tag": board.tag, "piece": piece.id });
        let summary = format!("Gave {} back: not for {}", board.tag, piece.name);
        self.note(Some(piece.boat_id), Some(piece.member_id), "given_back", &summary, &body).await?;
        Ok(())
    }

    /// Changes what is known of a board. [`StoreError::Stale`] when somebody else did meanwhile, [`StoreError::Conflict`] once it is
    /// cut or when its new tag is taken.
    pub async fn change_board(&mut self, board: &Board, version: i64, new: &NewBoard) -> Result<()> {
        self.tag_is_free(&new.tag, Some(board.id)).await?;
        let stock = &new.stock;
        let done = sqlx::query("UPDATE board SET tag = ?, species = ?, length = ?, width = ?, thickness = ?, grain = ?, drying = ?, moisture = ?, origin = ?, origin_note = ?, place = ?, details = ?, version = version + 1 WHERE id = ? AND version = ? AND state <> 'cut'")
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
            .bind(serde_json::to_string(&new.details)?)
            .bind(board.id)
            .bind(version)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            return Err(if board.state == BoardState::Cut {
                StoreError::Conflict(format!("{} has been cut: it stays as it was", board.tag))
            } else {
                StoreError::Stale("board")
            });
        }
        let body = json!({ "board": board.id, "tag": new.tag, "length_mm": stock.length, "width_mm": stock.width,
            "thickness_mm": stock.thickness, "details": new.details, "before": { "tag": board.tag, "length_mm": board.length,
            "width_mm": board.width, "thickness_mm": board.thickness, "details": board.details } });
        self.note(None, None, "board", &format!("Changed what is known of {}", new.tag), &body).await?;
        Ok(())
    }

    /// Keeps a pin meter's reading of a board; the newest one is what the board is taken to have.
    pub async fn add_board_moisture(
        &mut self,
        board: &Board,
        shown: f64,
        wood_temperature: f64,
        moisture: f64,
        simulated: bool,
    ) -> Result<()> {
        sqlx::query("INSERT INTO board_moisture (board_id, shown, wood_temperature, moisture, simulated, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?)")
            .bind(board.id)
            .bind(shown)
            .bind(wood_temperature)
            .bind(moisture)
            .bind(simulated)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        sqlx::query("UPDATE board SET moisture = ? WHERE id = ?")
            .bind(moisture)
            .bind(board.id)
            .execute(&mut *self.tx)
            .await?;
        let body = json!({ "board": board.id, "tag": board.tag, "shown": shown, "wood_temperature": wood_temperature,
            "moisture": moisture, "simulated": simulated });
        self.note(None, None, "moisture", &format!("{} measured: {moisture:.1} %", board.tag), &body).await?;
        Ok(())
    }

    pub async fn add_board_photo(&mut self, board: &Board, hash: &str) -> Result<()> {
        sqlx::query("INSERT INTO board_photo (board_id, hash, by_name, at) VALUES (?, ?, ?, ?)")
            .bind(board.id)
            .bind(hash)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        let body = json!({ "board": board.id, "tag": board.tag, "photo": hash });
        self.note(None, None, "board", &format!("A photo of {}", board.tag), &body).await?;
        Ok(())
    }

    /// Keeps a plan for the saw.
    pub async fn add_cut_plan(&mut self, body: &serde_json::Value) -> Result<i64> {
        Ok(sqlx::query("INSERT INTO cut_plan (body, by_name, at) VALUES (?, ?, ?)")
            .bind(body.to_string())
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid())
    }

    /// Carries out a cut: the piece is made, its offcuts go back in the rack under tags of their own, and the
    /// waste is recorded.
    pub async fn take_from_rack(&mut self, board: &Board, piece: &Piece, laid: &Laid) -> Result<()> {
        let offcut = |a: &Area| Offcut {
            x: a.x0,
            y: a.y0,
            face: Rectangle { length: a.length(), width: a.width() },
            piece: None,
        };
        let offcuts: Vec<Offcut> = laid.offcuts.iter().map(offcut).collect();
        let (length, width) = (laid.piece.length(), laid.piece.width());
        let made = CutPiece { piece: piece.id, name: piece.name.clone(), length, width };
        self.cut_board(board, &[(piece, made)], &offcuts).await
    }

    /// Cuts a board into pieces and offcuts; what is neither is waste. Pieces must have the board reserved, or no board yet while the
    /// board is free.
    pub async fn cut_board(&mut self, board: &Board, pieces: &[(&Piece, CutPiece)], offcuts: &[Offcut]) -> Result<()> {
        let (state,): (String,) =
            sqlx::query_as("SELECT state FROM board WHERE id = ?").bind(board.id).fetch_one(&mut *self.tx).await?;
        if state == "cut" {
            return Err(StoreError::Conflict(format!("{} has been cut meanwhile", board.tag)));
        }
        sqlx::query("UPDATE board SET state = 'cut' WHERE id = ?").bind(board.id).execute(&mut *self.tx).await?;
        for (piece, _) in pieces {
            let free = if state == "free" { "planned" } else { "reserved" };
            let made = sqlx::query("UPDATE piece SET state = 'cut', board_id = ? WHERE id = ? AND (board_id = ? OR (? = 'planned' AND state = 'planned')) AND state IN ('planned', 'reserved')")
                .bind(board.id)
                .bind(piece.id)
                .bind(board.id)
                .bind(free)
                .execute(&mut *self.tx)
                .await?;
            if made.rows_affected() == 0 {
                return Err(StoreError::Conflict("reserve the board for this piece first".into()));
            }
        }
        let (mut tags, mut ids) = (Vec::new(), Vec::new());
        for (n, offcut) in offcuts.iter().enumerate() {
            let tag = self.free_tag(&board.tag, n + 1).await?;
            let stock =
                Stock { length: offcut.face.length, width: offcut.face.width, origin: Origin::Offcut, ..board.stock() };
            let new = NewBoard {
                tag: tag.clone(),
                stock,
                details: board.details.of_offcut(offcut.x, offcut.y, offcut.face),
                origin_note: format!("offcut of {}", board.tag),
                place: board.place.clone(),
                parent_id: Some(board.id),
            };
            let id = self.add_board(&new).await?;
            if let Some(piece) = offcut.piece {
                sqlx::query("UPDATE piece SET state = 'reserved', board_id = ? WHERE id = ? AND state IN ('planned', 'reserved')")
                    .bind(id)
                    .bind(piece)
                    .execute(&mut *self.tx)
                    .await?;
                sqlx::query("UPDATE board SET state = 'reserved' WHERE id = ?").bind(id).execute(&mut *self.tx).await?;
            }
            tags.push(tag);
            ids.push(id);
        }
        let piece_area: f64 = pieces.iter().map(|(_, p)| p.length * p.width).sum();
        let offcut_area: f64 = offcuts.iter().map(|o| o.face.length * o.face.width).sum();
        let waste_area = board.length * board.width - piece_area - offcut_area;
        if waste_area < -1.0 {
            return Err(StoreError::Conflict("the pieces and offcuts are more than the board".into()));
        }
        sqlx::query("UPDATE board SET waste_area = ? WHERE id = ?")
            .bind(waste_area.max(0.0))
            .bind(board.id)
            .execute(&mut *self.tx)
            .await?;
        let made: Vec<&CutPiece> = pieces.iter().map(|(_, p)| p).collect();
        let mut entry = 0;
        for (piece, cut) in pieces {
            let body = json!({ "board": board.id, "tag": board.tag, "species": board.species, "origin": board.origin,
                "details": board.details, "piece": piece.id, "piece_mm": { "length": cut.length, "width": cut.width },
                "offcuts": tags, "waste_mm2": waste_area });
            let summary = format!("Cut {} from {}", piece.name, board.tag);
            entry = self.note(Some(piece.boat_id), Some(piece.member_id), "cut", &summary, &body).await?;
        }
        if pieces.is_empty() {
            let body = json!({ "board": board.id, "tag": board.tag, "offcuts": tags, "waste_mm2": waste_area });
            entry = self.note(None, None, "cut", &format!("Cut {} up", board.tag), &body).await?;
        }
        sqlx::query("INSERT INTO board_cut (board_id, event_id, pieces, offcuts, piece_area, offcut_area, waste_area, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(board.id)
            .bind(entry)
            .bind(serde_json::to_string(&made)?)
            .bind(serde_json::to_string(&ids)?)
            .bind(piece_area)
            .bind(offcut_area)
            .bind(waste_area.max(0.0))
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        Ok(())
    }

    /// That a piece was cut by edges nobody measured, and why.
    pub async fn tell_unmeasured(&mut self, piece: &Piece, why: &str) -> Result<()> {
        let summary = format!("{} was cut by edges nobody measured, because {why}", piece.name);
        let body = json!({ "piece": piece.id, "unmeasured": true, "why": why });
        self.note(Some(piece.boat_id), Some(piece.member_id), "cut", &summary, &body).await?;
        Ok(())
    }

    /// Takes a cut back by an entry that corrects it: the board is whole again, its pieces have no board, its offcuts are gone.
    /// [`StoreError::Conflict`] once an offcut is in use.
    pub async fn undo_cut(&mut self, board: &Board, cut: &BoardCut, why: &str) -> Result<()> {
        for id in &cut.offcuts {
            let done = sqlx::query("UPDATE board SET withdrawn = 1 WHERE id = ? AND state = 'free' AND withdrawn = 0")
                .bind(id)
                .execute(&mut *self.tx)
                .await?;
            if done.rows_affected() == 0 {
                return Err(StoreError::Conflict("an offcut of it is in use: give that back first".into()));
            }
        }
        sqlx::query("UPDATE board SET state = 'free', waste_area = NULL WHERE id = ?")
            .bind(board.id)
            .execute(&mut *self.tx)
            .await?;
        sqlx::query("UPDATE board_cut SET undone = 1 WHERE id = ?").bind(cut.id).execute(&mut *self.tx).await?;
        let boats: Vec<(i64, i64, i64, i64)> = sqlx::query_as(
            "SELECT piece.id, piece.boat_id, piece.member_id, event.id FROM piece JOIN event ON event.member_id = piece.member_id AND event.kind = 'cut'
             WHERE piece.board_id = ? AND piece.state = 'cut' AND json_extract(event.body, '$.piece') = piece.id GROUP BY piece.id HAVING event.id = MAX(event.id)",
        )
        .bind(board.id)
        .fetch_all(&mut *self.tx)
        .await?;
        sqlx::query("UPDATE piece SET state = 'planned', board_id = NULL WHERE board_id = ? AND state = 'cut'")
            .bind(board.id)
            .execute(&mut *self.tx)
            .await?;
        let body = json!({ "board": board.id, "tag": board.tag, "why": why, "offcuts": cut.offcuts });
        let summary = format!("The cut of {} is taken back: {why}", board.tag);
        for (_, boat, member, event) in &boats {
            self.correct(*boat, Some(*member), &summary, &body, *event).await?;
        }
        if boats.is_empty() {
            self.note(None, None, "correction", &summary, &body).await?;
        }
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
