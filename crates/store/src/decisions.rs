//! Decisions on planks, and the pieces of new wood they ask for.

use mend_keel_core::geometry::Point;
use mend_keel_core::repair::graving::ToEdge;
use mend_keel_core::repair::way::OptionKind;
use mend_keel_core::timber::board::Quality;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

#[derive(Debug, Clone, FromRow)]
pub struct Decision {
    pub id: i64,
    pub boat_id: i64,
    pub member_id: i64,
    #[sqlx(try_from = "String")]
    pub kind: OptionKind,
    pub reason: String,
    pub kept: f64,
    pub strength: f64,
    pub p50: f64,
    pub p80: f64,
    /// The rules as they stood.
    #[sqlx(json)]
    pub body: Value,
    pub by_name: String,
    pub at: String,
}

impl Decision {
    /// Why it was taken against a rule, where it was.
    pub fn against(&self) -> Option<&str> {
        self.body["against"].as_str().filter(|why| !why.is_empty())
    }
}

#[derive(Debug, Clone)]
pub struct NewDecision {
    pub boat_id: i64,
    pub member_id: i64,
    pub plank_name: String,
    pub kind: OptionKind,
    pub reason: String,
    pub kept: f64,
    pub strength: f64,
    pub p50: f64,
    pub p80: f64,
    /// The rules as they stood, for the record.
    pub rules: Value,
}

/// The drawn shape of a piece, in mm from the plank's fore joint and lower edge.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Geometry {
    Patch {
        outline: Vec<Point>,
        depth: f64,
        through: bool,
        area: f64,
        swallowed: Vec<String>,
        to_edge: ToEdge,
    },
    Stretch {
        from: f64,
        to: f64,
        width: f64,
        new_fore: bool,
        new_aft: bool,
        scarf: f64,
        fore_bay: Option<u32>,
        aft_bay: Option<u32>,
        /// Scarfs have nibs in place of feather edges.
        #[serde(default)]
        nibbed: bool,
    },
    /// New wood of a member that is no plank of the shell: x along it from its start.
    Timber {
        from: f64,
        to: f64,
        width: f64,
        thickness: f64,
        scarf: f64,
        sheet: bool,
        plies: u32,
        /// Its lower edge above the plank's, for what lies behind a plank.
        #[serde(default)]
        low: f64,
    },
}

impl Geometry {
    /// The same, as wide as its shape shows, mm; an outline is as wide as it is.
    pub fn as_wide(&self, mm: f64) -> Self {
        let mut geometry = self.clone();
        if let Self::Stretch { width, .. } | Self::Timber { width, .. } = &mut geometry {
            *width = mm;
        }
        geometry
    }

    /// Whether it is glued in.
    pub fn is_glued(&self) -> bool {
        match self {
            Self::Patch { .. } => true,
            Self::Stretch { scarf, .. } => *scarf > 0.0,
            Self::Timber { scarf, plies, .. } => *scarf > 0.0 || *plies > 1,
        }
    }
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PieceState {
    Planned,
    Reserved,
    Cut,
    Dropped,
}

impl PieceState {
    pub fn label(&self) -> &'static str {
        match self {
            Self::Planned => "No board yet",
            Self::Reserved => "Board reserved",
            Self::Cut => "Cut",
            Self::Dropped => "Dropped",
        }
    }
}

impl TryFrom<String> for PieceState {
    type Error = String;

    fn try_from(code: String) -> std::result::Result<Self, String> {
        match code.as_str() {
            "planned" => Ok(Self::Planned),
            "reserved" => Ok(Self::Reserved),
            "cut" => Ok(Self::Cut),
            "dropped" => Ok(Self::Dropped),
            _ => Err(code),
        }
    }
}

/// A piece; its length, width and thickness are those of the blank, mm.
#[derive(Debug, Clone, FromRow)]
pub struct Piece {
    pub id: i64,
    pub boat_id: i64,
    pub member_id: i64,
    pub decision_id: i64,
    pub name: String,
    #[sqlx(json)]
    pub geometry: Geometry,
    pub length: f64,
    pub width: f64,
    pub thickness: f64,
    pub species: String,
    #[sqlx(try_from = "String")]
    pub state: PieceState,
    pub board_id: Option<i64>,
    /// Of its outline.
    pub version: i64,
    /// What its wood must be free of.
    #[sqlx(try_from = "String")]
    pub quality: Quality,
    /// Day it is needed, where it was said.
    pub needed_by: Option<String>,
}

#[derive(Debug, Clone)]
pub struct NewPiece {
    pub name: String,
    pub geometry: Geometry,
    pub length: f64,
    pub width: f64,
    pub thickness: f64,
    pub species: String,
}

const DECISION: &str =
    "SELECT id, boat_id, member_id, kind, reason, kept, strength, p50, p80, body, by_name, at FROM decision";
const PIECE: &str = "SELECT id, boat_id, member_id, decision_id, name, geometry, length, width, thickness, species, state, board_id, version, quality, needed_by FROM piece";

/// Decisions in force.
pub async fn of_boat(store: &Store, boat: i64) -> Result<Vec<Decision>> {
    let sql = format!("{DECISION} WHERE boat_id = ? AND superseded = 0 ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

/// Every decision taken before a moment, oldest first, also those replaced since.
pub async fn until(store: &Store, boat: i64, moment: &str) -> Result<Vec<Decision>> {
    let sql = format!("{DECISION} WHERE boat_id = ? AND at < ? ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).bind(moment).fetch_all(store.pool()).await?)
}

/// Every piece there ever was, also dropped ones.
pub async fn all_pieces(store: &Store, boat: i64) -> Result<Vec<Piece>> {
    let sql = format!("{PIECE} WHERE boat_id = ? ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn of_plank(store: &Store, plank: i64) -> Result<Option<Decision>> {
    let sql = format!("{DECISION} WHERE member_id = ? AND superseded = 0");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(plank).fetch_optional(store.pool()).await?)
}

pub async fn pieces(store: &Store, boat: i64) -> Result<Vec<Piece>> {
    let sql = format!("{PIECE} WHERE boat_id = ? AND state <> 'dropped' ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn piece(store: &Store, boat: i64, id: i64) -> Result<Piece> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{PIECE} WHERE boat_id = ? AND id = ?")))
        .bind(boat)
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("piece"))
}

/// Pieces that still want a board, over all boats.
pub async fn wanting(store: &Store) -> Result<Vec<Piece>> {
    let sql = format!(
        "{PIECE} WHERE state IN ('planned', 'reserved') AND boat_id IN (SELECT id FROM boat WHERE archived = 0) ORDER BY boat_id, id"
    );
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).fetch_all(store.pool()).await?)
}

impl Work {
    /// A piece takes the size of its blank and its own from the shape that was taken, mm.
    pub async fn size_piece(&mut self, piece: &Piece, blank: [f64; 3], geometry: &Geometry, shape: &str) -> Result<()> {
        let [length, width, thickness] = blank;
        sqlx::query("UPDATE piece SET geometry = ?, length = ?, width = ?, thickness = ? WHERE id = ?")
            .bind(serde_json::to_string(geometry)?)
            .bind(length)
            .bind(width)
            .bind(thickness)
            .bind(piece.id)
            .execute(&mut *self.tx)
            .await?;
        let body =
            json!({ "piece": piece.id, "length": length, "width": width, "thickness": thickness, "shape": shape });
        let summary = format!("{}: its size is now that of the shape “{shape}”", piece.name);
        self.note(Some(piece.boat_id), Some(piece.member_id), "piece", &summary, &body).await?;
        Ok(())
    }

    /// Keeps what a piece asks of its wood, and by when.
    pub async fn set_piece_wants(&mut self, piece: &Piece, quality: Quality, needed_by: Option<&str>) -> Result<()> {
        sqlx::query("UPDATE piece SET quality = ?, needed_by = ? WHERE id = ?")
            .bind(quality.code())
            .bind(needed_by)
            .bind(piece.id)
            .execute(&mut *self.tx)
            .await?;
        let body = json!({ "piece": piece.id, "quality": quality, "needed_by": needed_by });
        let by = needed_by.map_or(String::new(), |day| format!(", needed by {day}"));
        let summary = format!("{}: {}{by}", piece.name, quality.label().to_lowercase());
        self.note(Some(piece.boat_id), Some(piece.member_id), "piece", &summary, &body).await?;
        Ok(())
    }

    /// Decides on a plank. A decision already in force is superseded: its uncut pieces are dropped, their
    /// boards set free and its open tasks dropped. Refused once one of its pieces has been cut.
    pub async fn decide(&mut self, new: &NewDecision, pieces: &[NewPiece]) -> Result<i64> {
        let before: Option<(i64,)> = sqlx::query_as("SELECT id FROM decision WHERE member_id = ? AND superseded = 0")
            .bind(new.member_id)
            .fetch_optional(&mut *self.tx)
            .await?;
        if let Some((old,)) = before {
            self.supersede(old).await?;
        }
        let id = sqlx::query("INSERT INTO decision (boat_id, member_id, kind, reason, kept, strength, p50, p80, body, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(new.boat_id)
            .bind(new.member_id)
            .bind(new.kind.code())
            .bind(&new.reason)
            .bind(new.kept)
            .bind(new.strength)
            .bind(new.p50)
            .bind(new.p80)
            .bind(new.rules.to_string())
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        for piece in pieces {
            sqlx::query("INSERT INTO piece (boat_id, member_id, decision_id, name, geometry, length, width, thickness, species, state) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, 'planned')")
                .bind(new.boat_id)
                .bind(new.member_id)
                .bind(id)
                .bind(&piece.name)
                .bind(serde_json::to_string(&piece.geometry)?)
                .bind(piece.length)
                .bind(piece.width)
                .bind(piece.thickness)
                .bind(&piece.species)
                .execute(&mut *self.tx)
                .await?;
        }
        let summary = format!("Decided on {}: {}", new.plank_name, new.kind.label().to_lowercase());
        let body = json!({
            "decision": id, "kind": new.kind, "reason": new.reason, "kept": new.kept, "strength": new.strength,
            "hours_p50": new.p50, "hours_p80": new.p80, "supersedes": before.map(|b| b.0), "rules": new.rules,
        });
        self.note(Some(new.boat_id), Some(new.member_id), "decision", &summary, &body).await?;
        Ok(id)
    }

    /// Gives a piece another shape and blank. Refused once it is cut, or when somebody else changed it since `version`. A board
    /// reserved for it is set free: it was chosen for the old blank.
    pub async fn reshape(&mut self, piece: &Piece, version: i64, new: &NewPiece, why: &str) -> Result<()> {
        let done = sqlx::query("UPDATE piece SET geometry = ?, length = ?, width = ?, thickness = ?, state = 'planned', board_id = NULL, version = version + 1 WHERE id = ? AND version = ? AND state IN ('planned', 'reserved')")
            .bind(serde_json::to_string(&new.geometry)?)
            .bind(new.length)
            .bind(new.width)
            .bind(new.thickness)
            .bind(piece.id)
            .bind(version)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            return Err(match piece.state {
                PieceState::Cut => StoreError::Conflict("it is cut already".into()),
                _ => StoreError::Stale("this piece"),
            });
        }
        if let Some(board) = piece.board_id {
            self.free_board(board).await?;
        }
        let body = json!({ "piece": piece.id, "was": piece.geometry, "now": new.geometry, "why": why });
        self.note(Some(piece.boat_id), Some(piece.member_id), "piece", &format!("{}: {why}", piece.name), &body)
            .await?;
        Ok(())
    }

    /// A piece is in the boat whose wood came from no board of the rack: it asks for none any more, and one kept for it is free.
    pub async fn made_elsewhere(&mut self, piece: &Piece) -> Result<()> {
        let done = sqlx::query(
            "UPDATE piece SET state = 'cut', board_id = NULL WHERE id = ? AND state IN ('planned', 'reserved')",
        )
        .bind(piece.id)
        .execute(&mut *self.tx)
        .await?;
        if done.rows_affected() == 0 {
            return Ok(());
        }
        if let Some(board) = piece.board_id {
            self.free_board(board).await?;
        }
        let body = json!({ "piece": piece.id });
        let summary = format!("{}: its wood is not of the rack", piece.name);
        self.note(Some(piece.boat_id), Some(piece.member_id), "piece", &summary, &body).await?;
        Ok(())
    }

    async fn free_board(&mut self, board: i64) -> Result<()> {
        sqlx::query("UPDATE board SET state = 'free' WHERE id = ? AND state = 'reserved'")
            .bind(board)
            .execute(&mut *self.tx)
            .await?;
        Ok(())
    }

    /// A piece that was cut is spoiled, and made again from another board: what was cut of it is gone.
    pub async fn spoil_piece(&mut self, piece: &Piece, why: &str) -> Result<()> {
        let done = sqlx::query(
            "UPDATE piece SET state = 'planned', board_id = NULL, version = version + 1 WHERE id = ? AND state = 'cut'",
        )
        .bind(piece.id)
        .execute(&mut *self.tx)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Conflict("it is not cut: there is nothing of it to be spoiled".into()));
        }
        let body = json!({ "piece": piece.id, "board": piece.board_id, "why": why });
        let summary = format!("{}: spoiled, and made again: {why}", piece.name);
        self.note(Some(piece.boat_id), Some(piece.member_id), "piece", &summary, &body).await?;
        Ok(())
    }

    /// Takes a decision out of force. One that was carried out stays as it was done, wood and all: what is decided next is another job.
    async fn supersede(&mut self, decision: i64) -> Result<()> {
        let (tasks, open): (i64, i64) = sqlx::query_as(
            "SELECT count(*), coalesce(sum(done_at IS NULL), 0) FROM task WHERE decision_id = ? AND dropped = 0",
        )
        .bind(decision)
        .fetch_one(&mut *self.tx)
        .await?;
        if tasks == 0 || open > 0 {
            self.drop_what_is_open(decision).await?;
        }
        sqlx::query("UPDATE decision SET superseded = 1 WHERE id = ?").bind(decision).execute(&mut *self.tx).await?;
        Ok(())
    }

    /// Drops tasks and pieces of a decision, and frees their boards. Errors where wood was cut for it.
    async fn drop_what_is_open(&mut self, decision: i64) -> Result<()> {
        let (cut,): (i64,) = sqlx::query_as("SELECT count(*) FROM piece WHERE decision_id = ? AND state = 'cut'")
            .bind(decision)
            .fetch_one(&mut *self.tx)
            .await?;
        if cut > 0 {
            return Err(StoreError::Conflict(
                "wood has been cut for the decision in force: say under Timber that it is spoiled, or take the cut back at its board, before deciding anew".into(),
            ));
        }
        self.stop_clocks_of(decision).await?;
        for sql in [
            "UPDATE board SET state = 'free' WHERE state = 'reserved' AND id IN (SELECT board_id FROM piece WHERE decision_id = ?)",
            "UPDATE piece SET state = 'dropped', board_id = NULL WHERE decision_id = ?",
            "UPDATE task SET dropped = 1 WHERE decision_id = ? AND done_at IS NULL",
        ] {
            sqlx::query(sql).bind(decision).execute(&mut *self.tx).await?;
        }
        Ok(())
    }
}
