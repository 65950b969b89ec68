//! Members of a boat that are not planking, and what is known of any member.

use mend_keel_core::InputError;
use mend_keel_core::grid::Side;
use mend_keel_core::grid::member::{Member, MemberKind};
use serde_json::json;
use sqlx::FromRow;
use sqlx_sqlite::{Sqlite, SqliteExecutor};

use crate::{Result, Store, StoreError, Work};

/// A member as it is kept. Lengths in mm.
#[derive(Debug, Clone, FromRow)]
pub struct MemberRow {
    pub id: i64,
    pub boat_id: i64,
    #[sqlx(try_from = "String")]
    pub kind: MemberKind,
    pub code: String,
    pub name: String,
    #[sqlx(try_from = "MaybeSide")]
    pub side: Option<Side>,
    pub number: u32,
    pub of_count: u32,
    pub cells: u32,
    pub length: f64,
    pub width: f64,
    pub thickness: f64,
    /// Its sizes were measured, not generated.
    pub measured: bool,
    pub species: String,
    pub grain: Option<String>,
    /// `None`: original.
    pub year: Option<i64>,
    pub finish: String,
    pub fastened: String,
    pub version: i64,
}

/// A side as it is stored: null on the centre line.
#[derive(Debug, sqlx::Type)]
#[sqlx(transparent)]
pub(crate) struct MaybeSide(Option<String>);

impl TryFrom<MaybeSide> for Option<Side> {
    type Error = InputError;

    fn try_from(stored: MaybeSide) -> std::result::Result<Self, InputError> {
        stored.0.map(Side::try_from).transpose()
    }
}

impl MemberRow {
    pub fn core(&self) -> Member {
        Member {
            kind: self.kind,
            side: self.side,
            number: self.number,
            of: self.of_count,
            cells: self.cells,
            length: self.length,
            width: self.width,
            thickness: self.thickness,
        }
    }

    /// `Frame 12, port: head`.
    pub fn cell_name(&self, cell: u32) -> String {
        if self.cells <= 1 {
            return self.name.clone();
        }
        format!("{}: {}", self.name, self.kind.cell_name(cell))
    }
}

/// What is known of a member, planks among them. Lengths mm.
#[derive(Debug, Clone)]
pub struct Known {
    /// What it is called, where it is given another name.
    pub name: Option<String>,
    /// Length and width; a plank's grid tells them.
    pub face: Option<(f64, f64)>,
    pub thickness: f64,
    pub species: String,
    pub grain: Option<String>,
    pub year: Option<i64>,
    pub finish: String,
    pub fastened: String,
}

const COLUMNS: &str = "id, boat_id, kind, coalesce(code, '') AS code, name, side, number, of_count, cells, coalesce(length, 0.0) AS length, coalesce(width, 0.0) AS width, thickness, measured, species, grain, year, finish, fastened, version";

/// Every member that is not planking, in the order they were laid out.
pub(crate) async fn rows<'e>(executor: impl SqliteExecutor<'e>, boat: i64) -> Result<Vec<MemberRow>> {
    let sql = format!("SELECT {COLUMNS} FROM member WHERE boat_id = ? AND kind <> 'plank' AND removed = 0 ORDER BY id");
    Ok(sqlx::query_as::<Sqlite, MemberRow>(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(executor).await?)
}

pub async fn of_boat(store: &Store, boat: i64) -> Result<Vec<MemberRow>> {
    rows(store.pool(), boat).await
}

/// A member of any kind; a plank has no code.
pub async fn find(store: &Store, boat: i64, id: i64) -> Result<MemberRow> {
    let sql = format!("SELECT {COLUMNS} FROM member WHERE boat_id = ? AND id = ? AND removed = 0");
    sqlx::query_as::<Sqlite, MemberRow>(sqlx::AssertSqlSafe(sql))
        .bind(boat)
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("member"))
}

impl Work {
    pub(crate) async fn add_member(&mut self, boat: i64, member: &Member, name: &str, species: &str) -> Result<i64> {
        let id = sqlx::query(
            "INSERT INTO member (boat_id, kind, code, name, side, number, of_count, cells, length, width, thickness, species)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(boat)
        .bind(member.kind.code())
        .bind(member.code())
        .bind(name)
        .bind(member.side.map(Side::code))
        .bind(member.number)
        .bind(member.of)
        .bind(member.cells)
        .bind(member.length)
        .bind(member.width)
        .bind(member.thickness)
        .bind(species)
        .execute(&mut *self.tx)
        .await?
        .last_insert_rowid();
        Ok(id)
    }

    /// Adds a member that the first layout did not have.
    pub async fn add_one_member(&mut self, boat: i64, member: &Member, name: &str, species: &str) -> Result<i64> {
        let (taken,): (i64,) =
            sqlx::query_as("SELECT count(*) FROM member WHERE boat_id = ? AND code = ? AND removed = 0")
                .bind(boat)
                .bind(member.code())
                .fetch_one(&mut *self.tx)
                .await?;
        if taken > 0 {
            return Err(StoreError::Conflict(format!("there is a {} already", member.name().to_lowercase())));
        }
        let id = self.add_member(boat, member, name, species).await?;
        // Those like it know how many there are now: pieces of one keel share its length on the drawing.
        sqlx::query("UPDATE member SET of_count = max(of_count, ?) WHERE boat_id = ? AND kind = ? AND removed = 0")
            .bind(member.of)
            .bind(boat)
            .bind(member.kind.code())
            .execute(&mut *self.tx)
            .await?;
        self.note(Some(boat), Some(id), "grid", &format!("Added {name}"), &json!({ "code": member.code() })).await?;
        Ok(id)
    }

    /// Takes a member off the boat that is not there. Refused while anything found or decided hangs on it.
    pub async fn remove_member(&mut self, member: &MemberRow) -> Result<()> {
        let (used,): (i64,) = sqlx::query_as(
            "SELECT (SELECT count(*) FROM finding WHERE member_id = ?1 AND withdrawn = 0)
                  + (SELECT count(*) FROM decision WHERE member_id = ?1 AND superseded = 0)",
        )
        .bind(member.id)
        .fetch_one(&mut *self.tx)
        .await?;
        if used > 0 {
            return Err(StoreError::Conflict("something was found or decided on it: withdraw that first".into()));
        }
        let done = sqlx::query("UPDATE member SET removed = 1 WHERE id = ? AND kind <> 'plank' AND removed = 0")
            .bind(member.id)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            return Ok(());
        }
        let body = json!({ "code": member.code });
        self.note(Some(member.boat_id), Some(member.id), "grid", &format!("There is no {}", member.name), &body)
            .await?;
        Ok(())
    }

    /// A part was made new: of what timber and in which year. How its grain runs nobody has said yet.
    pub async fn renew_part(&mut self, boat: i64, id: i64, name: &str, species: &str, year: i64) -> Result<()> {
        sqlx::query(
            "UPDATE member SET species = ?, grain = NULL, year = ?, version = version + 1 WHERE boat_id = ? AND id = ?",
        )
        .bind(species)
        .bind(year)
        .bind(boat)
        .bind(id)
        .execute(&mut *self.tx)
        .await?;
        let body = json!({ "species": species, "year": year });
        self.note(Some(boat), Some(id), "grid", &format!("{name} is new wood of {year}"), &body).await?;
        Ok(())
    }

    /// Keeps what is known of a member. [`StoreError::Stale`] when it is no longer at `version`.
    pub async fn know_member(&mut self, boat: i64, id: i64, version: i64, name: &str, known: &Known) -> Result<()> {
        let done = sqlx::query(
            "UPDATE member SET name = coalesce(?, name), length = coalesce(?, length), width = coalesce(?, width), thickness = ?, species = ?, grain = ?, year = ?,
             finish = ?, fastened = ?, measured = 1, version = version + 1 WHERE boat_id = ? AND id = ? AND version = ?",
        )
        .bind(&known.name)
        .bind(known.face.map(|f| f.0))
        .bind(known.face.map(|f| f.1))
        .bind(known.thickness)
        .bind(&known.species)
        .bind(&known.grain)
        .bind(known.year)
        .bind(&known.finish)
        .bind(&known.fastened)
        .bind(boat)
        .bind(id)
        .bind(version)
        .execute(&mut *self.tx)
        .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Stale("what is known of it"));
        }
        let body = json!({
            "face_mm": known.face, "thickness_mm": known.thickness, "species": known.species, "grain": known.grain,
            "year": known.year, "finish": known.finish, "fastened": known.fastened,
        });
        self.note(Some(boat), Some(id), "measured", &format!("Measured {name}"), &body).await?;
        Ok(())
    }
}
