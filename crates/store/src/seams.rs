//! Every seam of a boat with its treatment and the steps done on it, her school of seams, and her launch.

use mend_keel_core::grid::Side;
use mend_keel_core::seam::line::{CaulkOrder, SeamAt};
use mend_keel_core::seam::work::StepKind;
use mend_keel_core::seam::{SeamSchool, Treatment, Ways};
use serde_json::json;
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

/// A boat's school of seams and the order she is caulked in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BoatWays {
    pub ways: Ways,
    pub order: CaulkOrder,
}

impl Default for BoatWays {
    fn default() -> Self {
        Self { ways: Ways::default(), order: CaulkOrder::GarboardLast }
    }
}

pub async fn ways(store: &Store, boat: i64) -> Result<BoatWays> {
    let row: Option<(String, bool, String)> =
        sqlx::query_as("SELECT school, stays_dry, caulk_order FROM seam_ways WHERE boat_id = ?")
            .bind(boat)
            .fetch_optional(store.pool())
            .await?;
    let usual = BoatWays::default();
    Ok(row.map_or(usual, |(school, stays_dry, order)| BoatWays {
        ways: Ways { school: SeamSchool::from_code(&school).unwrap_or(usual.ways.school), stays_dry },
        order: CaulkOrder::from_code(&order).unwrap_or(usual.order),
    }))
}

/// A seam somebody has decided on. `width` mm, `cures_in` hours.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct Seam {
    pub id: i64,
    pub boat_id: i64,
    #[sqlx(try_from = "String")]
    pub side: Side,
    pub row: u32,
    #[sqlx(try_from = "String")]
    pub treatment: Treatment,
    pub width: Option<f64>,
    pub cures_in: Option<f64>,
    pub version: i64,
}

impl Seam {
    pub fn at(&self) -> SeamAt {
        SeamAt { side: self.side, row: self.row }
    }
}

/// A step that was done.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct Step {
    pub id: i64,
    pub seam_id: i64,
    #[sqlx(try_from = "String")]
    pub kind: StepKind,
    pub moisture: Option<f64>,
    pub temperature: Option<f64>,
    pub note: String,
    pub photo: Option<String>,
    pub by_name: String,
    pub at: String,
}

pub async fn of_boat(store: &Store, boat: i64) -> Result<Vec<Seam>> {
    let sql = "SELECT id, boat_id, side, row, treatment, width, cures_in, version FROM seam WHERE boat_id = ? AND removed = 0 ORDER BY side, row";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

/// The steps done on a boat's seams, the oldest first.
pub async fn steps(store: &Store, boat: i64) -> Result<Vec<Step>> {
    let sql = "SELECT p.id, seam_id, kind, moisture, temperature, note, photo, by_name, at FROM seam_step p JOIN seam ON seam.id = seam_id WHERE boat_id = ? AND removed = 0 AND undone = 0 ORDER BY p.id";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

/// The boats a photo was taken on while a seam was done.
pub async fn boats_with_photo(store: &Store, hash: &str) -> Result<Vec<i64>> {
    let sql = "SELECT DISTINCT boat_id FROM seam JOIN seam_step ON seam_id = seam.id WHERE photo = ?";
    Ok(sqlx::query_scalar(sql).bind(hash).fetch_all(store.pool()).await?)
}

/// A launch. `on_day` as `2026-03-01`; `pumps` litres an hour of all pumps together.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct Launch {
    pub boat_id: i64,
    pub on_day: String,
    pub wet_days: u32,
    pub pumps: Option<f64>,
    pub version: i64,
}

/// What the pumps lifted, litres an hour, hours after she floated.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct Lifted {
    pub hours: f64,
    pub litres: f64,
    pub note: String,
    pub by_name: String,
    pub at: String,
}

pub async fn launch(store: &Store, boat: i64) -> Result<Option<Launch>> {
    let sql = "SELECT boat_id, on_day, wet_days, pumps, version FROM launch WHERE boat_id = ?";
    Ok(sqlx::query_as(sql).bind(boat).fetch_optional(store.pool()).await?)
}

/// Launches of all boats that are here, on a day or after it, the next first.
pub async fn launches(store: &Store, from: &str) -> Result<Vec<Launch>> {
    let sql =
        "SELECT boat_id, on_day, wet_days, pumps, launch.version AS version FROM launch JOIN boat ON boat.id = boat_id
               WHERE archived = 0 AND on_day >= ? ORDER BY on_day, boat_id";
    Ok(sqlx::query_as(sql).bind(from).fetch_all(store.pool()).await?)
}

/// What is ready for the launch: code, who said so, when.
pub async fn ready(store: &Store, boat: i64) -> Result<Vec<(String, String, String)>> {
    let sql = "SELECT what, by_name, at FROM launch_ready WHERE boat_id = ?";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn lifted(store: &Store, boat: i64) -> Result<Vec<Lifted>> {
    let sql = "SELECT hours, litres, note, by_name, at FROM launch_log WHERE boat_id = ? ORDER BY hours, id";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

impl Work {
    pub async fn set_seam_ways(&mut self, boat: i64, new: BoatWays) -> Result<()> {
        sqlx::query("INSERT INTO seam_ways (boat_id, school, stays_dry, caulk_order) VALUES (?, ?, ?, ?) ON CONFLICT (boat_id) DO UPDATE SET school = excluded.school, stays_dry = excluded.stays_dry, caulk_order = excluded.caulk_order")
            .bind(boat)
            .bind(new.ways.school.code())
            .bind(new.ways.stays_dry)
            .bind(new.order.code())
            .execute(&mut *self.tx)
            .await?;
        let body = json!({ "school": new.ways.school, "stays_dry": new.ways.stays_dry, "order": new.order });
        self.note(Some(boat), None, "seam", &format!("Her school of seams: {}", new.ways.school.label()), &body)
            .await?;
        Ok(())
    }

    /// Decides on a seam. `version` is that of what was read, 0 where nothing was; [`StoreError::Conflict`] when somebody was faster.
    /// A new treatment sets the steps of the old one aside; a seam that is reefed out and clean stays so.
    pub async fn decide_seam(&mut self, new: &Seam, member: Option<i64>, shown: &str) -> Result<i64> {
        let was: Option<(i64, String, i64)> = sqlx::query_as(
            "SELECT id, treatment, version FROM seam WHERE boat_id = ? AND side = ? AND row = ? AND removed = 0",
        )
        .bind(new.boat_id)
        .bind(new.side.code())
        .bind(new.row)
        .fetch_optional(&mut *self.tx)
        .await?;
        let faster = || StoreError::Conflict("somebody else decided on this seam meanwhile: look at it again".into());
        let id = match &was {
            Some((_, _, version)) if *version != new.version => return Err(faster()),
            None if new.version != 0 => return Err(faster()),
            Some((id, treatment, _)) => {
                sqlx::query(
                    "UPDATE seam SET treatment = ?, width = ?, cures_in = ?, version = version + 1 WHERE id = ?",
                )
                .bind(new.treatment.code())
                .bind(new.width)
                .bind(new.cures_in)
                .bind(id)
                .execute(&mut *self.tx)
                .await?;
                if treatment != new.treatment.code() {
                    sqlx::query("UPDATE seam_step SET undone = 1 WHERE seam_id = ? AND kind NOT IN ('reef', 'scrape')")
                        .bind(id)
                        .execute(&mut *self.tx)
                        .await?;
                }
                *id
            }
            None => sqlx::query(
                "INSERT INTO seam (boat_id, side, row, treatment, width, cures_in) VALUES (?, ?, ?, ?, ?, ?)",
            )
            .bind(new.boat_id)
            .bind(new.side.code())
            .bind(new.row)
            .bind(new.treatment.code())
            .bind(new.width)
            .bind(new.cures_in)
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid(),
        };
        let body = json!({ "seam": id, "at": new.at().to_string(), "treatment": new.treatment, "width_mm": new.width, "cures_in_h": new.cures_in });
        let told = format!("Seam {shown}: {}", new.treatment.label().to_lowercase());
        self.note(Some(new.boat_id), member, "seam", &told, &body).await?;
        Ok(id)
    }

    /// Writes down a step; its `id`, `by_name` and `at` are given here. A second time adds what it says to the first.
    pub async fn add_seam_step(&mut self, seam: &Seam, new: &Step, member: Option<i64>, shown: &str) -> Result<()> {
        let done = sqlx::query("INSERT INTO seam_step (seam_id, kind, moisture, temperature, note, photo, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING")
            .bind(seam.id)
            .bind(new.kind.code())
            .bind(new.moisture)
            .bind(new.temperature)
            .bind(&new.note)
            .bind(&new.photo)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            if new.note.is_empty() && new.photo.is_none() {
                return Ok(());
            }
            let also = format!("{}: {}", self.act.by, new.note);
            sqlx::query(
                "UPDATE seam_step SET note = CASE WHEN ?1 = '' THEN note ELSE trim(note || '; ' || ?2, '; ') END,
                 photo = coalesce(photo, ?3) WHERE seam_id = ?4 AND kind = ?5 AND undone = 0",
            )
            .bind(&new.note)
            .bind(&also)
            .bind(&new.photo)
            .bind(seam.id)
            .bind(new.kind.code())
            .execute(&mut *self.tx)
            .await?;
            let body = json!({ "seam": seam.id, "step": new.kind, "note": new.note, "photo": new.photo });
            let told =
                format!("Seam {shown}, {} a second time, and said: {}", new.kind.label().to_lowercase(), new.note);
            self.note(Some(seam.boat_id), member, "seam", &told, &body).await?;
            return Ok(());
        }
        let body = json!({ "seam": seam.id, "step": new.kind, "moisture": new.moisture, "temperature": new.temperature, "note": new.note, "photo": new.photo });
        let told = format!("Seam {shown}: {}", new.kind.label().to_lowercase());
        self.note(Some(seam.boat_id), member, "seam", &told, &body).await?;
        Ok(())
    }

    /// Takes the last step of a seam back: it was not done.
    pub async fn undo_seam_step(&mut self, seam: &Seam, step: &Step, member: Option<i64>, shown: &str) -> Result<()> {
        sqlx::query("UPDATE seam_step SET undone = 1 WHERE id = ?").bind(step.id).execute(&mut *self.tx).await?;
        let told = format!("Seam {shown}, taken back: {}", step.kind.label().to_lowercase());
        self.note(Some(seam.boat_id), member, "seam", &told, &json!({ "seam": seam.id, "step": step.kind })).await?;
        Ok(())
    }

    /// Sets the day she floats. [`StoreError::Conflict`] when somebody was faster.
    pub async fn set_launch(&mut self, new: &Launch) -> Result<()> {
        let done = sqlx::query("INSERT INTO launch (boat_id, on_day, wet_days, pumps) VALUES (?1, ?2, ?3, ?4) ON CONFLICT (boat_id) DO UPDATE SET on_day = ?2, wet_days = ?3, pumps = ?4, version = version + 1 WHERE version = ?5")
            .bind(new.boat_id)
            .bind(&new.on_day)
            .bind(new.wet_days)
            .bind(new.pumps)
            .bind(new.version)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Conflict("somebody else set the launch meanwhile: look at it again".into()));
        }
        let body = json!({ "on": new.on_day, "wet_days": new.wet_days, "pumps_l_h": new.pumps });
        self.note(Some(new.boat_id), None, "launch", &format!("Launch planned for {}", new.on_day), &body).await?;
        Ok(())
    }

    /// Says that something is ready, or no longer.
    pub async fn set_ready(&mut self, boat: i64, what: &str, label: &str, on: bool) -> Result<()> {
        let changed = if on {
            sqlx::query(
                "INSERT INTO launch_ready (boat_id, what, by_name, at) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING",
            )
            .bind(boat)
            .bind(what)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
        } else {
            sqlx::query("DELETE FROM launch_ready WHERE boat_id = ? AND what = ?")
                .bind(boat)
                .bind(what)
                .execute(&mut *self.tx)
                .await?
        };
        if changed.rows_affected() == 0 {
            return Ok(());
        }
        let told = if on { format!("For the launch: {label}") } else { format!("For the launch, not yet: {label}") };
        self.note(Some(boat), None, "launch", &told, &json!({ "what": what, "ready": on })).await?;
        Ok(())
    }

    /// Writes down what the pumps lift.
    pub async fn add_lifted(&mut self, boat: i64, hours: f64, litres: f64, note: &str) -> Result<()> {
        sqlx::query("INSERT INTO launch_log (boat_id, hours, litres, note, by_name, at) VALUES (?, ?, ?, ?, ?, ?)")
            .bind(boat)
            .bind(hours)
            .bind(litres)
            .bind(note)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        let told = format!("{hours:.0} h afloat: she makes {litres:.0} l an hour");
        self.note(Some(boat), None, "launch", &told, &json!({ "hours": hours, "litres": litres, "note": note }))
            .await?;
        Ok(())
    }
}
