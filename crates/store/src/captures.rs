//! Shapes as they were taken from the boat.

use mend_keel_core::shape::spiling::Capture;
use serde_json::json;
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

/// A shape of a member. Lengths mm.
#[derive(Debug, Clone, FromRow)]
pub struct CaptureRow {
    pub id: i64,
    pub boat_id: i64,
    pub member_id: i64,
    pub name: String,
    #[sqlx(json, rename = "body")]
    pub capture: Capture,
    pub tolerance: f64,
    /// Of the frames under it; `None`: nearly flat.
    pub radius: Option<f64>,
    pub note: String,
    pub version: i64,
    pub by_name: String,
    pub at: String,
}

/// A shape to be kept.
#[derive(Debug, Clone)]
pub struct NewCapture {
    pub boat_id: i64,
    pub member_id: i64,
    pub name: String,
    pub capture: Capture,
    pub tolerance: f64,
    pub radius: Option<f64>,
    pub note: String,
}

const CAPTURE: &str = "SELECT id, boat_id, member_id, name, body, tolerance, radius, note, version, by_name, at FROM capture WHERE withdrawn = 0";

/// A boat's shapes, newest first.
pub async fn of_boat(store: &Store, boat: i64) -> Result<Vec<CaptureRow>> {
    let sql = format!("{CAPTURE} AND boat_id = ? ORDER BY id DESC");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn find(store: &Store, boat: i64, id: i64) -> Result<CaptureRow> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{CAPTURE} AND boat_id = ? AND id = ?")))
        .bind(boat)
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("shape"))
}

impl Work {
    pub async fn add_capture(&mut self, new: &NewCapture) -> Result<i64> {
        let id = sqlx::query("INSERT INTO capture (boat_id, member_id, name, body, tolerance, radius, note, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(new.boat_id)
            .bind(new.member_id)
            .bind(&new.name)
            .bind(serde_json::to_string(&new.capture)?)
            .bind(new.tolerance)
            .bind(new.radius)
            .bind(&new.note)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        let summary = format!("Took the shape of {} by {}", new.name, new.capture.way().label().to_lowercase());
        let body = json!({ "capture": id, "shape": new.capture, "tolerance": new.tolerance });
        self.note(Some(new.boat_id), Some(new.member_id), "shape", &summary, &body).await?;
        Ok(id)
    }

    /// Keeps a shape measured again. Refused when somebody else kept another version since `version`.
    pub async fn change_capture(&mut self, id: i64, version: i64, new: &NewCapture) -> Result<()> {
        let done = sqlx::query("UPDATE capture SET name = ?, body = ?, tolerance = ?, radius = ?, note = ?, version = version + 1, by_name = ?, at = ? WHERE id = ? AND version = ? AND withdrawn = 0")
            .bind(&new.name)
            .bind(serde_json::to_string(&new.capture)?)
            .bind(new.tolerance)
            .bind(new.radius)
            .bind(&new.note)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .bind(id)
            .bind(version)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Stale("this shape"));
        }
        let body = json!({ "capture": id, "shape": new.capture, "tolerance": new.tolerance });
        self.note(Some(new.boat_id), Some(new.member_id), "shape", &format!("Measured {} again", new.name), &body)
            .await?;
        Ok(())
    }

    /// Takes a shape off the list; its story stays.
    pub async fn withdraw_capture(&mut self, row: &CaptureRow) -> Result<()> {
        if !self.set_aside("capture", row.id).await? {
            return Ok(());
        }
        let summary = format!("Set the shape of {} aside", row.name);
        self.note(Some(row.boat_id), Some(row.member_id), "shape", &summary, &json!({ "capture": row.id })).await?;
        Ok(())
    }
}
