//! Findings: what was seen, where, by which method, and how sure anyone is.

use mend_keel_core::geometry::Point;
use mend_keel_core::grid::{Address, Side};
use mend_keel_core::survey::{Cause, Certainty, FindingKind, Grade, Method, Ring};
use serde::{Deserialize, Serialize};
use serde_json::json;
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

/// What an instrument or hand said, by method. Lengths mm, moisture %, temperature °C.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Reading {
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub spike: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub meter: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub wood_temperature: Option<f64>,
    /// The meter corrected, as the core gave it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub moisture: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub original_diameter: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub remaining_diameter: Option<f64>,
    /// What a mallet or knuckle said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ring: Option<Ring>,
    /// What the reading means, in words.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub says: String,
}

/// A finding. The shape is in mm: x aft of the datum frame's after edge, y up from the plank's lower edge.
#[derive(Debug, Clone, FromRow)]
pub struct Finding {
    pub id: i64,
    pub boat_id: i64,
    pub plank_id: i64,
    #[sqlx(try_from = "String")]
    pub side: Side,
    pub strake: u32,
    pub frame: u32,
    #[sqlx(try_from = "String")]
    pub kind: FindingKind,
    #[sqlx(try_from = "String")]
    pub method: Method,
    #[sqlx(json)]
    pub reading: Reading,
    #[sqlx(json)]
    pub shape: Vec<Point>,
    pub depth: f64,
    #[sqlx(try_from = "String")]
    pub grade: Grade,
    #[sqlx(try_from = "String")]
    pub certainty: Certainty,
    #[sqlx(try_from = "String")]
    pub cause: Cause,
    pub note: String,
    pub photo: Option<String>,
    pub withdrawn: bool,
    pub version: i64,
    pub by_name: String,
    pub at: String,
}

impl Finding {
    pub fn address(&self) -> Address {
        Address { side: self.side, strake: self.strake, frame: self.frame }
    }
}

/// A finding as it was entered.
#[derive(Debug, Clone, PartialEq)]
pub struct NewFinding {
    pub at: Address,
    pub plank_id: i64,
    pub kind: FindingKind,
    pub method: Method,
    pub reading: Reading,
    pub shape: Vec<Point>,
    pub depth: f64,
    pub grade: Grade,
    pub certainty: Certainty,
    pub cause: Cause,
    pub note: String,
    /// Content hash of a photo already filed.
    pub photo: Option<String>,
}

const FINDING: &str = "SELECT id, boat_id, plank_id, side, strake, frame, kind, method, reading, shape, depth, grade, certainty, cause, note, photo, withdrawn, version, by_name, at FROM finding";

/// A boat's findings in the order found, withdrawn ones left out.
pub async fn of_boat(store: &Store, boat: i64) -> Result<Vec<Finding>> {
    let sql = format!("{FINDING} WHERE boat_id = ? AND withdrawn = 0 ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn of_plank(store: &Store, plank: i64) -> Result<Vec<Finding>> {
    let sql = format!("{FINDING} WHERE plank_id = ? AND withdrawn = 0 ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(plank).fetch_all(store.pool()).await?)
}

pub async fn find(store: &Store, boat: i64, id: i64) -> Result<Finding> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{FINDING} WHERE boat_id = ? AND id = ?")))
        .bind(boat)
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("finding"))
}

/// Whether any finding shows this photo, and on which boat.
pub async fn boats_with_photo(store: &Store, hash: &str) -> Result<Vec<i64>> {
    let rows: Vec<(i64,)> = sqlx::query_as("SELECT DISTINCT boat_id FROM finding WHERE photo = ?")
        .bind(hash)
        .fetch_all(store.pool())
        .await?;
    Ok(rows.into_iter().map(|(id,)| id).collect())
}

fn summary(verb: &str, new: &NewFinding) -> String {
    let at = new.at;
    format!(
        "{verb} {} at {at}: {}, {}",
        new.kind.label().to_lowercase(),
        new.grade.label(),
        new.certainty.label().to_lowercase()
    )
}

fn body(id: i64, new: &NewFinding) -> serde_json::Value {
    json!({
        "finding": id, "kind": new.kind, "method": new.method, "reading": new.reading, "shape_mm": new.shape,
        "depth_mm": new.depth, "grade": new.grade, "certainty": new.certainty, "cause": new.cause, "note": new.note,
        "photo": new.photo,
    })
}

/// Binds what a finding says, in the order the statements name it.
fn bind<'q>(query: FindingQuery<'q>, new: &'q NewFinding) -> Result<FindingQuery<'q>> {
    Ok(query
        .bind(new.plank_id)
        .bind(new.at.side.code())
        .bind(new.at.strake)
        .bind(new.at.frame)
        .bind(new.kind.code())
        .bind(new.method.code())
        .bind(serde_json::to_string(&new.reading)?)
        .bind(serde_json::to_string(&new.shape)?)
        .bind(new.depth)
        .bind(new.grade.code())
        .bind(new.certainty.code())
        .bind(new.cause.code())
        .bind(&new.note)
        .bind(&new.photo))
}

type FindingQuery<'q> = sqlx::query::Query<'q, sqlx::Sqlite, sqlx::sqlite::SqliteArguments>;

impl Work {
    pub async fn add_finding(&mut self, boat: i64, new: &NewFinding) -> Result<i64> {
        let sql = "INSERT INTO finding (plank_id, side, strake, frame, kind, method, reading, shape, depth, grade, certainty,
                   cause, note, photo, boat_id, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)";
        let id = bind(sqlx::query(sql), new)?
            .bind(boat)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        self.note(Some(boat), Some(new.plank_id), "finding", &summary("Found", new), &body(id, new)).await?;
        Ok(id)
    }

    /// Saves a changed finding. [`StoreError::Stale`] when it is no longer at `version`.
    pub async fn change_finding(&mut self, boat: i64, id: i64, version: i64, new: &NewFinding) -> Result<()> {
        let sql = "UPDATE finding SET plank_id = ?, side = ?, strake = ?, frame = ?, kind = ?, method = ?, reading = ?, shape = ?,
                   depth = ?, grade = ?, certainty = ?, cause = ?, note = ?, photo = ?, version = version + 1
                   WHERE boat_id = ? AND id = ? AND version = ?";
        let done = bind(sqlx::query(sql), new)?.bind(boat).bind(id).bind(version).execute(&mut *self.tx).await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Stale("the finding"));
        }
        let corrects = self.last_entry(new.plank_id, &["finding", "correction"]).await?;
        let (text, body) = (summary("Corrected", new), body(id, new));
        match corrects {
            Some(entry) => self.correct(boat, Some(new.plank_id), &text, &body, entry).await?,
            None => self.note(Some(boat), Some(new.plank_id), "finding", &text, &body).await?,
        };
        Ok(())
    }

    /// Withdraws a finding, or takes the withdrawal back; the history keeps both.
    pub async fn withdraw_finding(&mut self, finding: &Finding, withdrawn: bool) -> Result<()> {
        sqlx::query("UPDATE finding SET withdrawn = ?, version = version + 1 WHERE id = ?")
            .bind(withdrawn)
            .bind(finding.id)
            .execute(&mut *self.tx)
            .await?;
        let verb = if withdrawn { "Withdrew" } else { "Put back" };
        let summary = format!("{verb} the {} at {}", finding.kind.label().to_lowercase(), finding.address());
        self.note(
            Some(finding.boat_id),
            Some(finding.plank_id),
            "withdrawal",
            &summary,
            &json!({ "finding": finding.id }),
        )
        .await?;
        Ok(())
    }
}
