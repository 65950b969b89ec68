//! Fastening, seam and finish plans as they were asked and answered, and the coats that follow.

use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

#[derive(Debug, Clone, FromRow)]
pub struct Plan {
    pub id: i64,
    pub boat_id: i64,
    pub member_id: Option<i64>,
    pub piece_id: Option<i64>,
    pub kind: String,
    #[sqlx(json)]
    pub asked: Value,
    #[sqlx(json)]
    pub answer: Value,
    pub by_name: String,
    pub at: String,
}

#[derive(Debug, Clone)]
pub struct NewPlan {
    pub boat_id: i64,
    pub member_id: Option<i64>,
    pub piece_id: Option<i64>,
    /// `fasten`, `seam` or `finish`.
    pub kind: &'static str,
    pub summary: String,
    pub asked: Value,
    pub answer: Value,
}

/// A coat to be laid on.
#[derive(Debug, Clone, FromRow)]
pub struct Coat {
    pub id: i64,
    pub plan_id: i64,
    pub boat_id: i64,
    pub seq: i64,
    pub name: String,
    pub litres: f64,
    pub earliest_at: String,
    pub latest_at: Option<String>,
    pub done_at: Option<String>,
    #[sqlx(json(nullable))]
    pub laid: Option<Laid>,
    /// Dry to the touch, and cured through, from then on.
    pub dry_at: Option<String>,
    pub cured_at: Option<String>,
}

/// How a coat went on, as it was read and seen there.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Laid {
    /// °C and %.
    pub temperature: Option<f64>,
    pub humidity: Option<f64>,
    /// Who read the air: `typed`, `logger`.
    pub read_by: String,
    /// Of the surface, °C.
    pub surface: Option<f64>,
    /// Of the wood, %.
    pub wood: Option<f64>,
    /// It was sanded since the coat below.
    pub sanded: bool,
    pub batch: String,
    pub litres: Option<f64>,
    /// Runs, dust, a dry edge …
    pub seen: Vec<String>,
    pub note: String,
    pub photo: Option<String>,
    /// Rules it went against, in words.
    pub against: Vec<String>,
    pub why: String,
}

/// What follows from the air a coat was laid in.
#[derive(Debug, Clone, Copy)]
pub struct Drying {
    pub dry: Timestamp,
    pub cured: Timestamp,
    /// The next coat's earliest and latest.
    pub next: Timestamp,
    pub next_latest: Option<Timestamp>,
}

#[derive(Debug, Clone)]
pub struct NewCoat {
    pub name: String,
    pub litres: f64,
    pub earliest: Timestamp,
    pub latest: Option<Timestamp>,
}

/// A boat's plans of a kind, newest first.
pub async fn of_boat(store: &Store, boat: i64, kind: &str) -> Result<Vec<Plan>> {
    let sql = "SELECT id, boat_id, member_id, piece_id, kind, asked, answer, by_name, at FROM plan WHERE boat_id = ? AND kind = ? AND withdrawn = 0 ORDER BY id DESC";
    Ok(sqlx::query_as(sql).bind(boat).bind(kind).fetch_all(store.pool()).await?)
}

pub(crate) const COAT: &str =
    "SELECT id, plan_id, boat_id, seq, name, litres, earliest_at, latest_at, done_at, laid, dry_at, cured_at FROM coat";

/// Coats whose plan was not taken back.
const IN_FORCE: &str = "plan_id IN (SELECT id FROM plan WHERE withdrawn = 0)";

/// A boat's coats, plan by plan.
pub async fn coats(store: &Store, boat: i64) -> Result<Vec<Coat>> {
    let sql = format!("{COAT} WHERE boat_id = ? AND {IN_FORCE} ORDER BY plan_id, seq");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn coat(store: &Store, boat: i64, id: i64) -> Result<Coat> {
    let sql = format!("{COAT} WHERE boat_id = ? AND id = ?");
    sqlx::query_as(sqlx::AssertSqlSafe(sql))
        .bind(boat)
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("coat"))
}

/// The boats a photo was taken on while a coat was laid.
pub async fn boats_with_photo(store: &Store, hash: &str) -> Result<Vec<i64>> {
    let sql = "SELECT DISTINCT boat_id FROM coat WHERE laid ->> 'photo' = ?";
    Ok(sqlx::query_scalar(sql).bind(hash).fetch_all(store.pool()).await?)
}

impl Work {
    pub async fn add_plan(&mut self, new: &NewPlan) -> Result<i64> {
        let id = sqlx::query("INSERT INTO plan (boat_id, member_id, piece_id, kind, asked, answer, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(new.boat_id)
            .bind(new.member_id)
            .bind(new.piece_id)
            .bind(new.kind)
            .bind(new.asked.to_string())
            .bind(new.answer.to_string())
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        let body = serde_json::json!({ "plan": id, "asked": new.asked, "answer": new.answer });
        self.note(Some(new.boat_id), new.member_id, new.kind, &new.summary, &body).await?;
        Ok(id)
    }

    pub async fn add_coats(&mut self, boat: i64, plan: i64, coats: &[NewCoat]) -> Result<()> {
        for (seq, coat) in coats.iter().enumerate() {
            sqlx::query("INSERT INTO coat (plan_id, boat_id, seq, name, litres, earliest_at, latest_at) VALUES (?, ?, ?, ?, ?, ?, ?)")
                .bind(plan)
                .bind(boat)
                .bind(seq as i64)
                .bind(&coat.name)
                .bind(coat.litres)
                .bind(coat.earliest.to_string())
                .bind(coat.latest.map(|t| t.to_string()))
                .execute(&mut *self.tx)
                .await?;
        }
        Ok(())
    }

    /// Takes a plan back. Refused once one of its coats is on.
    pub async fn withdraw_plan(&mut self, plan: &Plan, what: &str) -> Result<()> {
        let (on,): (i64,) = sqlx::query_as("SELECT count(*) FROM coat WHERE plan_id = ? AND done_at IS NOT NULL")
            .bind(plan.id)
            .fetch_one(&mut *self.tx)
            .await?;
        if on > 0 {
            return Err(StoreError::Conflict("a coat of it is on already: take that back first, if it is not".into()));
        }
        if !self.set_aside("plan", plan.id).await? {
            return Ok(());
        }
        let body = serde_json::json!({ "plan": plan.id });
        self.note(Some(plan.boat_id), plan.member_id, &plan.kind, &format!("Plan taken back: {what}"), &body).await?;
        Ok(())
    }

    /// Takes back that a coat was laid on: it was not. Only the last one of its plan can be.
    pub async fn take_coat_back(&mut self, coat: &Coat, why: &str) -> Result<()> {
        let (later,): (i64,) =
            sqlx::query_as("SELECT count(*) FROM coat WHERE plan_id = ? AND seq > ? AND done_at IS NOT NULL")
                .bind(coat.plan_id)
                .bind(coat.seq)
                .fetch_one(&mut *self.tx)
                .await?;
        if later > 0 {
            return Err(StoreError::Conflict("a later coat lies on it: take that back first".into()));
        }
        let done = sqlx::query("UPDATE coat SET done_at = NULL, laid = NULL, dry_at = NULL, cured_at = NULL WHERE id = ? AND done_at IS NOT NULL")
            .bind(coat.id)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            return Ok(());
        }
        let body = serde_json::json!({ "coat": coat.id, "why": why });
        let told = format!("Taken back, it was not laid on: {}, because {why}", coat.name.to_lowercase());
        self.note(Some(coat.boat_id), None, "coat", &told, &body).await?;
        Ok(())
    }

    /// Records that a coat was laid on at a moment. The coats after it keep their spacing from what it really needs to dry.
    pub async fn lay_coat(&mut self, coat: &Coat, at: Timestamp, laid: &Laid, drying: Drying) -> Result<()> {
        let sql = "UPDATE coat SET done_at = ?, laid = ?, dry_at = ?, cured_at = ? WHERE id = ? AND done_at IS NULL
                   AND NOT EXISTS (SELECT 1 FROM coat c WHERE c.plan_id = coat.plan_id AND c.seq < coat.seq AND c.done_at IS NULL)";
        let done = sqlx::query(sql)
            .bind(at.to_string())
            .bind(serde_json::to_string(laid)?)
            .bind(drying.dry.to_string())
            .bind(drying.cured.to_string())
            .bind(coat.id)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Conflict("this coat is on already, or the one below is not: look again".into()));
        }
        let following: Vec<Coat> =
            sqlx::query_as(sqlx::AssertSqlSafe(format!("{COAT} WHERE plan_id = ? AND seq > ? ORDER BY seq")))
                .bind(coat.plan_id)
                .bind(coat.seq)
                .fetch_all(&mut *self.tx)
                .await?;
        let planned: Option<Timestamp> = following.first().and_then(|next| next.earliest_at.parse().ok());
        let late = planned.map(|planned| drying.next.duration_since(planned)).unwrap_or_default();
        let shifted =
            |at: &str| at.parse::<Timestamp>().map(|t| (t + late).to_string()).unwrap_or_else(|_| at.to_owned());
        for (n, next) in following.iter().enumerate() {
            let latest = next.latest_at.as_deref().map(shifted);
            sqlx::query("UPDATE coat SET earliest_at = ?, latest_at = ? WHERE id = ?")
                .bind(shifted(&next.earliest_at))
                .bind(if n == 0 { drying.next_latest.map(|t| t.to_string()) } else { latest })
                .bind(next.id)
                .execute(&mut *self.tx)
                .await?;
        }
        let body = serde_json::json!({ "coat": coat.id, "litres": laid.litres.unwrap_or(coat.litres), "laid": laid });
        let (on,): (Option<String>,) = sqlx::query_as("SELECT json_extract(asked, '$.what') FROM plan WHERE id = ?")
            .bind(coat.plan_id)
            .fetch_one(&mut *self.tx)
            .await?;
        let on = on.map_or(String::new(), |what| format!(" on {}", what.to_lowercase()));
        let told = match laid.why.as_str() {
            "" => format!("Laid {}{on}", coat.name.to_lowercase()),
            why => format!("Laid against the rule, {}{on}, because {why}", coat.name.to_lowercase()),
        };
        self.note(Some(coat.boat_id), None, "coat", &told, &body).await?;
        Ok(())
    }
}
