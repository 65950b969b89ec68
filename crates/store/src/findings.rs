//! Findings: what was seen, where, and how sure anyone is; the readings they rest on; their photos.

use std::collections::HashSet;

use mend_keel_core::InputError;
use mend_keel_core::geometry::Point;
use mend_keel_core::grid::{Address, Place};
use mend_keel_core::survey::compare::Outcome;
use mend_keel_core::survey::reading::{Measure, Read};
use mend_keel_core::survey::{Cause, Certainty, FindingKind, Grade, Method};
use serde::{Deserialize, Serialize};
use serde_json::json;
use sqlx::FromRow;
use sqlx::query::Query;
use sqlx_sqlite::{Sqlite, SqliteArguments};

use crate::{Result, Store, StoreError, Work};

/// A finding. The shape is in mm: x aft of the datum frame's after edge (or of the cell's start), y up from the
/// member's lower edge.
#[derive(Debug, Clone, FromRow)]
pub struct Finding {
    pub id: i64,
    /// The same in every file it is carried in.
    pub uid: String,
    pub boat_id: i64,
    pub member_id: i64,
    #[sqlx(try_from = "String")]
    pub place: Place,
    #[sqlx(try_from = "String")]
    pub kind: FindingKind,
    /// How it was first found.
    #[sqlx(try_from = "String")]
    pub method: Method,
    #[sqlx(json)]
    pub shape: Vec<Point>,
    pub depth: f64,
    #[sqlx(try_from = "String")]
    pub grade: Grade,
    #[sqlx(try_from = "String")]
    pub certainty: Certainty,
    #[sqlx(try_from = "String")]
    pub cause: Cause,
    /// How its cause was treated.
    pub cause_treated: Option<String>,
    pub note: String,
    #[sqlx(try_from = "String")]
    pub outcome: Outcome,
    pub withdrawn: bool,
    pub version: i64,
    pub by_name: String,
    pub at: String,
    /// What its newest reading says; empty when it rests on none.
    pub says: String,
    /// Highest corrected moisture read on it, %.
    pub moisture: Option<f64>,
    /// Its first photo.
    pub photo: Option<String>,
}

impl Finding {
    /// The address, when it lies on the shell.
    pub fn address(&self) -> Option<Address> {
        self.place.shell()
    }

    /// Whether it still asks for something.
    pub fn is_open(&self) -> bool {
        self.outcome == Outcome::Open
    }
}

/// A finding as it was entered.
#[derive(Debug, Clone, PartialEq)]
pub struct NewFinding {
    pub place: Place,
    /// The place as this boat's crew number it, for the history.
    pub shown: String,
    pub member_id: i64,
    pub kind: FindingKind,
    pub method: Method,
    pub shape: Vec<Point>,
    pub depth: f64,
    pub grade: Grade,
    pub certainty: Certainty,
    pub cause: Cause,
    pub note: String,
}

/// A reading: a fact, with what the core read out of it.
#[derive(Debug, Clone, FromRow)]
pub struct Reading {
    pub id: i64,
    pub uid: String,
    pub boat_id: i64,
    pub member_id: i64,
    pub finding_id: Option<i64>,
    #[sqlx(try_from = "String")]
    pub place: Place,
    pub x: Option<f64>,
    pub y: Option<f64>,
    #[sqlx(try_from = "String")]
    pub method: Method,
    #[sqlx(json)]
    pub measure: Measure,
    pub value: Option<f64>,
    pub unit: String,
    #[sqlx(try_from = "GradeText")]
    pub grade: Option<Grade>,
    pub says: String,
    pub simulated: bool,
    pub sampled: bool,
    pub by_name: String,
    pub at: String,
}

/// A grade as it is stored: null when the reading alone gives none.
#[derive(Debug, sqlx::Type)]
#[sqlx(transparent)]
struct GradeText(Option<String>);

impl TryFrom<GradeText> for Option<Grade> {
    type Error = InputError;

    fn try_from(stored: GradeText) -> std::result::Result<Self, InputError> {
        stored.0.map(Grade::try_from).transpose()
    }
}

/// A reading to be kept, read by the core.
#[derive(Debug, Clone, PartialEq)]
pub struct NewReading {
    pub place: Place,
    pub shown: String,
    pub member_id: i64,
    pub at: Option<Point>,
    pub measure: Measure,
    pub read: Read,
    pub simulated: bool,
    /// It answers a pick of the random draw.
    pub sampled: bool,
}

/// A mark on a photo, kept beside it. Both points in shares of the picture's width and height.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PhotoMark {
    pub kind: MarkKind,
    pub from: Point,
    pub to: Point,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum MarkKind {
    /// From its tail to its head.
    Arrow,
    /// From its centre to its rim.
    Circle,
}

#[derive(Debug, Clone, FromRow)]
pub struct Photo {
    pub id: i64,
    pub boat_id: i64,
    pub finding_id: i64,
    pub hash: String,
    #[sqlx(json)]
    pub marks: Vec<PhotoMark>,
    pub version: i64,
    pub by_name: String,
    pub at: String,
}

/// A photo already filed, by its content hash.
#[derive(Debug, Clone, PartialEq)]
pub struct NewPhoto {
    pub hash: String,
    pub marks: Vec<PhotoMark>,
}

const FINDING: &str = "SELECT id, uid, boat_id, member_id, place, kind, method, shape, depth, grade, certainty, cause, cause_treated, note, outcome, withdrawn, version, by_name, at,
    coalesce((SELECT says FROM reading r WHERE r.finding_id = finding.id AND r.withdrawn = 0 ORDER BY r.id DESC LIMIT 1), '') AS says,
    (SELECT max(value) FROM reading r WHERE r.finding_id = finding.id AND r.withdrawn = 0 AND r.method = 'meter' AND (r.simulated = 0 OR (SELECT stand_ins FROM yard) = 1)) AS moisture,
    (SELECT hash FROM photo p WHERE p.finding_id = finding.id ORDER BY p.id LIMIT 1) AS photo FROM finding";
const READING: &str = "SELECT id, uid, boat_id, member_id, finding_id, place, x, y, method, measure, value, unit, grade, says, simulated, sampled, by_name, at FROM reading WHERE withdrawn = 0";
const PHOTO: &str = "SELECT id, boat_id, finding_id, hash, marks, version, by_name, at FROM photo";

/// A boat's findings in the order found, withdrawn ones left out.
pub async fn of_boat(store: &Store, boat: i64) -> Result<Vec<Finding>> {
    let sql = format!("{FINDING} WHERE boat_id = ? AND withdrawn = 0 ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn find(store: &Store, boat: i64, id: i64) -> Result<Finding> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{FINDING} WHERE boat_id = ? AND id = ?")))
        .bind(boat)
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("finding"))
}

/// A boat's readings in the order taken; those of simulated instruments only where the yard turned stand-ins on.
pub async fn readings(store: &Store, boat: i64) -> Result<Vec<Reading>> {
    let sql = format!("{READING} AND (simulated = 0 OR (SELECT stand_ins FROM yard) = 1) AND boat_id = ? ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

/// What findings and readings of a boat are called in files, withdrawn ones among them.
pub async fn uids(store: &Store, boat: i64) -> Result<(HashSet<String>, HashSet<String>)> {
    let of = async |sql: &'static str| -> Result<HashSet<String>> {
        let rows: Vec<(String,)> = sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?;
        Ok(rows.into_iter().map(|r| r.0).collect())
    };
    Ok((of("SELECT uid FROM finding WHERE boat_id = ?").await?, of("SELECT uid FROM reading WHERE boat_id = ?").await?))
}

/// The readings a finding rests on, in the order taken.
pub async fn readings_of(store: &Store, finding: i64) -> Result<Vec<Reading>> {
    let sql = format!("{READING} AND finding_id = ? ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(finding).fetch_all(store.pool()).await?)
}

/// The photos of a finding, in the order taken.
pub async fn photos(store: &Store, finding: i64) -> Result<Vec<Photo>> {
    let sql = format!("{PHOTO} WHERE finding_id = ? ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(finding).fetch_all(store.pool()).await?)
}

pub async fn photos_of_boat(store: &Store, boat: i64) -> Result<Vec<Photo>> {
    let sql = format!("{PHOTO} WHERE boat_id = ? ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

/// The boats whose findings show this photo.
pub async fn boats_with_photo(store: &Store, hash: &str) -> Result<Vec<i64>> {
    let rows: Vec<(i64,)> =
        sqlx::query_as("SELECT DISTINCT boat_id FROM photo WHERE hash = ?").bind(hash).fetch_all(store.pool()).await?;
    Ok(rows.into_iter().map(|(id,)| id).collect())
}

fn summary(verb: &str, new: &NewFinding) -> String {
    format!(
        "{verb} {} at {}: {}, {}",
        new.kind.label().to_lowercase(),
        new.shown,
        new.grade.label(),
        new.certainty.label().to_lowercase()
    )
}

fn body(id: i64, new: &NewFinding) -> serde_json::Value {
    json!({
        "finding": id, "place": new.place.to_string(), "kind": new.kind, "method": new.method, "shape_mm": new.shape,
        "depth_mm": new.depth, "grade": new.grade, "certainty": new.certainty, "cause": new.cause, "note": new.note,
    })
}

type FindingQuery<'q> = Query<'q, Sqlite, SqliteArguments>;

/// Binds what a finding says, in the order the statements name it.
fn bind<'q>(query: FindingQuery<'q>, new: &'q NewFinding) -> Result<FindingQuery<'q>> {
    Ok(query
        .bind(new.member_id)
        .bind(new.place.to_string())
        .bind(new.kind.code())
        .bind(new.method.code())
        .bind(serde_json::to_string(&new.shape)?)
        .bind(new.depth)
        .bind(new.grade.code())
        .bind(new.certainty.code())
        .bind(new.cause.code())
        .bind(&new.note))
}

/// What a file says of who found or read something, and when.
#[derive(Debug, Clone, Default)]
pub struct Carried {
    pub uid: String,
    pub by: String,
    pub at: String,
}

impl Work {
    /// Puts what a file says of its origin on a row that was just added; what it leaves out stays as it is.
    async fn carry(&mut self, table: &'static str, id: i64, carried: &Carried) -> Result<()> {
        let sql = format!(
            "UPDATE {table} SET uid = coalesce(nullif(?, ''), uid), by_name = coalesce(nullif(?, ''), by_name), at = coalesce(nullif(?, ''), at) WHERE id = ?"
        );
        sqlx::query(sqlx::AssertSqlSafe(sql))
            .bind(&carried.uid)
            .bind(&carried.by)
            .bind(&carried.at)
            .bind(id)
            .execute(&mut *self.tx)
            .await?;
        Ok(())
    }

    /// Keeps a finding that was carried in a file, with what had become of it and of its cause. The history says who
    /// took it in; the finding, who found it.
    pub async fn carry_finding(
        &mut self,
        boat: i64,
        new: &NewFinding,
        outcome: Outcome,
        treated: Option<&str>,
        carried: &Carried,
    ) -> Result<i64> {
        let id = self.add_finding(boat, new, None, &[]).await?;
        sqlx::query("UPDATE finding SET outcome = ?, cause_treated = ? WHERE id = ?")
            .bind(outcome.code())
            .bind(treated)
            .bind(id)
            .execute(&mut *self.tx)
            .await?;
        self.carry("finding", id, carried).await?;
        Ok(id)
    }

    /// Keeps a reading that was carried in a file.
    pub async fn carry_reading(
        &mut self,
        boat: i64,
        new: &NewReading,
        finding: Option<i64>,
        carried: &Carried,
    ) -> Result<i64> {
        let id = self.add_reading(boat, new, finding).await?;
        self.carry("reading", id, carried).await?;
        Ok(id)
    }

    /// Keeps a finding with the reading it rests on and its photos.
    pub async fn add_finding(
        &mut self,
        boat: i64,
        new: &NewFinding,
        reading: Option<&NewReading>,
        photos: &[NewPhoto],
    ) -> Result<i64> {
        let sql = "INSERT INTO finding (member_id, place, kind, method, shape, depth, grade, certainty, cause, note, boat_id, by_name, at)
                   VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)";
        let id = bind(sqlx::query(sql), new)?
            .bind(boat)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        self.note(Some(boat), Some(new.member_id), "finding", &summary("Found", new), &body(id, new)).await?;
        if let Some(reading) = reading {
            self.add_reading(boat, reading, Some(id)).await?;
        }
        self.add_photos(boat, id, photos).await?;
        Ok(id)
    }

    pub async fn add_photos(&mut self, boat: i64, finding: i64, photos: &[NewPhoto]) -> Result<()> {
        for photo in photos {
            sqlx::query("INSERT INTO photo (boat_id, finding_id, hash, marks, by_name, at) VALUES (?, ?, ?, ?, ?, ?)")
                .bind(boat)
                .bind(finding)
                .bind(&photo.hash)
                .bind(serde_json::to_string(&photo.marks)?)
                .bind(self.act.by.clone())
                .bind(self.stamp())
                .execute(&mut *self.tx)
                .await?;
        }
        Ok(())
    }

    /// Keeps the marks on a photo. [`StoreError::Stale`] when it is no longer at `version`.
    pub async fn mark_photo(&mut self, photo: &Photo, version: i64, marks: &[PhotoMark]) -> Result<()> {
        let done = sqlx::query("UPDATE photo SET marks = ?, version = version + 1 WHERE id = ? AND version = ?")
            .bind(serde_json::to_string(marks)?)
            .bind(photo.id)
            .bind(version)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Stale("the photo's marks"));
        }
        let body = json!({ "photo": photo.hash, "finding": photo.finding_id, "marks": marks });
        self.note(Some(photo.boat_id), None, "photo", "Marked a photo", &body).await?;
        Ok(())
    }

    /// Saves a changed finding. [`StoreError::Stale`] when it is no longer at `version`.
    pub async fn change_finding(&mut self, boat: i64, id: i64, version: i64, new: &NewFinding) -> Result<()> {
        let sql = "UPDATE finding SET member_id = ?, place = ?, kind = ?, method = ?, shape = ?,
                   depth = ?, grade = ?, certainty = ?, cause = ?, note = ?, version = version + 1
                   WHERE boat_id = ? AND id = ? AND version = ?";
        let done = bind(sqlx::query(sql), new)?.bind(boat).bind(id).bind(version).execute(&mut *self.tx).await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Stale("the finding"));
        }
        let corrects = self.last_entry(new.member_id, &["finding", "correction"]).await?;
        let (text, body) = (summary("Corrected", new), body(id, new));
        match corrects {
            Some(entry) => self.correct(boat, Some(new.member_id), &text, &body, entry).await?,
            None => self.note(Some(boat), Some(new.member_id), "finding", &text, &body).await?,
        };
        Ok(())
    }

    /// Withdraws a finding, or takes the withdrawal back; the history keeps both.
    pub async fn withdraw_finding(&mut self, finding: &Finding, shown: &str, withdrawn: bool) -> Result<()> {
        let done =
            sqlx::query("UPDATE finding SET withdrawn = ?1, version = version + 1 WHERE id = ?2 AND withdrawn <> ?1")
                .bind(withdrawn)
                .bind(finding.id)
                .execute(&mut *self.tx)
                .await?;
        if done.rows_affected() == 0 {
            return Ok(());
        }
        let verb = if withdrawn { "Withdrew" } else { "Put back" };
        let summary = format!("{verb} the {} at {shown}", finding.kind.label().to_lowercase());
        let body = json!({ "finding": finding.id });
        self.note(Some(finding.boat_id), Some(finding.member_id), "withdrawal", &summary, &body).await?;
        Ok(())
    }

    /// Says what has become of a finding.
    pub async fn set_outcome(&mut self, finding: &Finding, shown: &str, outcome: Outcome) -> Result<()> {
        sqlx::query("UPDATE finding SET outcome = ?, version = version + 1 WHERE id = ?")
            .bind(outcome.code())
            .bind(finding.id)
            .execute(&mut *self.tx)
            .await?;
        let summary =
            format!("The {} at {shown}: {}", finding.kind.label().to_lowercase(), outcome.label().to_lowercase());
        let body = json!({ "finding": finding.id, "outcome": outcome });
        self.note(Some(finding.boat_id), Some(finding.member_id), "outcome", &summary, &body).await?;
        Ok(())
    }

    /// Says how a cause was treated, for every finding it did; `None` takes that back.
    pub async fn treat_cause(&mut self, boat: i64, cause: Cause, how: Option<&str>) -> Result<()> {
        sqlx::query("UPDATE finding SET cause_treated = ?, version = version + 1 WHERE boat_id = ? AND cause = ? AND withdrawn = 0")
            .bind(how)
            .bind(boat)
            .bind(cause.code())
            .execute(&mut *self.tx)
            .await?;
        let summary = match how {
            Some(how) => format!("Cause treated, {}: {how}", cause.label().to_lowercase()),
            None => format!("Cause not treated after all: {}", cause.label().to_lowercase()),
        };
        self.note(Some(boat), None, "cause", &summary, &json!({ "cause": cause, "how": how })).await?;
        Ok(())
    }

    /// Keeps a reading, for a finding or by itself.
    pub async fn add_reading(&mut self, boat: i64, new: &NewReading, finding: Option<i64>) -> Result<i64> {
        let id = sqlx::query(
            "INSERT INTO reading (boat_id, member_id, finding_id, place, x, y, method, measure, value, unit, grade, says, simulated, sampled, by_name, at)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(boat)
        .bind(new.member_id)
        .bind(finding)
        .bind(new.place.to_string())
        .bind(new.at.map(|p| p[0]))
        .bind(new.at.map(|p| p[1]))
        .bind(new.measure.method().code())
        .bind(serde_json::to_string(&new.measure)?)
        .bind(new.read.value.map(|v| v.value))
        .bind(new.read.value.map_or("", |v| v.unit))
        .bind(new.read.grade.map(Grade::code))
        .bind(&new.read.says)
        .bind(new.simulated)
        .bind(new.sampled)
        .bind(self.act.by.clone())
        .bind(self.stamp())
        .execute(&mut *self.tx)
        .await?
        .last_insert_rowid();
        if let (true, Place::Shell(_), Measure::DrawFastening { nth, .. }) = (new.sampled, &new.place, &new.measure) {
            sqlx::query("UPDATE sample_pick SET reading_id = ? WHERE boat_id = ? AND place = ? AND nth = ?")
                .bind(id)
                .bind(boat)
                .bind(new.place.to_string())
                .bind(nth)
                .execute(&mut *self.tx)
                .await?;
        }
        let simulated = if new.simulated { ", simulated" } else { "" };
        let summary = format!("{} at {}: {}{simulated}", new.measure.method().label(), new.shown, new.read.says);
        let body = json!({ "reading": id, "finding": finding, "measure": new.measure, "at_mm": new.at, "simulated": new.simulated });
        self.note(Some(boat), Some(new.member_id), "reading", &summary, &body).await?;
        Ok(id)
    }

    /// Withdraws a reading that was entered by mistake; the history keeps it.
    pub async fn withdraw_reading(&mut self, reading: &Reading) -> Result<()> {
        if !self.set_aside("reading", reading.id).await? {
            return Ok(());
        }
        sqlx::query("UPDATE sample_pick SET reading_id = NULL WHERE reading_id = ?")
            .bind(reading.id)
            .execute(&mut *self.tx)
            .await?;
        let summary = format!("Withdrew a reading: {}", reading.says);
        let body = json!({ "reading": reading.id });
        self.note(Some(reading.boat_id), Some(reading.member_id), "withdrawal", &summary, &body).await?;
        Ok(())
    }
}

/// A reading by its id.
pub async fn reading(store: &Store, boat: i64, id: i64) -> Result<Reading> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{READING} AND boat_id = ? AND id = ?")))
        .bind(boat)
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("reading"))
}

/// A photo by its id.
pub async fn photo(store: &Store, boat: i64, id: i64) -> Result<Photo> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{PHOTO} WHERE boat_id = ? AND id = ?")))
        .bind(boat)
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("photo"))
}
