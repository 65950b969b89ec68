//! Practice hulls: what each is made from, the looks that were paid for, and whether she was uncovered.

use mend_keel_core::grid::Place;
use mend_keel_core::hidden::Seed;
use mend_keel_core::hidden::exercise::Kind;
use mend_keel_core::hidden::look::Tool;
use serde_json::json;
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

/// A practice hull.
#[derive(Debug, Clone, FromRow)]
pub struct Hull {
    pub boat_id: i64,
    pub name: String,
    #[sqlx(json)]
    pub seed: Seed,
    /// Worked with the coach; otherwise as an exam.
    pub coached: bool,
    pub uncovered_at: Option<String>,
}

/// A look that was paid for.
#[derive(Debug, Clone, FromRow)]
pub struct Look {
    #[sqlx(try_from = "String")]
    pub place: Place,
    #[sqlx(try_from = "String")]
    pub tool: Tool,
}

const HULL: &str =
    "SELECT boat_id, name, seed, coached, uncovered_at FROM practice_hull JOIN boat ON boat.id = boat_id";

pub async fn list(store: &Store) -> Result<Vec<Hull>> {
    let sql = format!("{HULL} ORDER BY boat_id DESC");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).fetch_all(store.pool()).await?)
}

pub async fn find(store: &Store, boat: i64) -> Result<Hull> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{HULL} WHERE boat_id = ?")))
        .bind(boat)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("practice hull"))
}

/// Who worked a hull: everybody with an entry in her story, in the order they came.
pub async fn worked_by(store: &Store, boat: i64) -> Result<String> {
    let sql = "SELECT by_name FROM event WHERE boat_id = ? GROUP BY by_name ORDER BY min(id)";
    let names: Vec<(String,)> = sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?;
    Ok(names.into_iter().map(|n| n.0).collect::<Vec<_>>().join(", "))
}

pub async fn looks(store: &Store, boat: i64) -> Result<Vec<Look>> {
    let sql = "SELECT place, tool FROM practice_look WHERE boat_id = ? ORDER BY id";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

/// Drills a person answered: of each kind how many, and how many rightly.
pub async fn drilled(store: &Store, by: &str) -> Result<Vec<(String, i64, i64)>> {
    let sql = "SELECT kind, count(*), sum(correct) FROM practice_drill WHERE by_name = ? GROUP BY kind";
    Ok(sqlx::query_as(sql).bind(by).fetch_all(store.pool()).await?)
}

impl Work {
    pub async fn add_drill(&mut self, kind: Kind, correct: bool) -> Result<()> {
        sqlx::query("INSERT INTO practice_drill (kind, correct, by_name, at) VALUES (?, ?, ?, ?)")
            .bind(kind.code())
            .bind(correct)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        Ok(())
    }

    pub async fn add_hull(&mut self, boat: i64, seed: &Seed, coached: bool) -> Result<()> {
        sqlx::query("INSERT INTO practice_hull (boat_id, seed, coached) VALUES (?, ?, ?)")
            .bind(boat)
            .bind(serde_json::to_string(seed)?)
            .bind(coached)
            .execute(&mut *self.tx)
            .await?;
        Ok(())
    }

    /// Pays for a look; refused once she is uncovered.
    pub async fn pay_look(&mut self, hull: &Hull, place: &Place, tool: Tool) -> Result<()> {
        let (uncovered,): (bool,) =
            sqlx::query_as("SELECT uncovered_at IS NOT NULL FROM practice_hull WHERE boat_id = ?")
                .bind(hull.boat_id)
                .fetch_one(&mut *self.tx)
                .await?;
        if uncovered {
            return Err(StoreError::Conflict("she is uncovered: there is nothing left to look for".into()));
        }
        sqlx::query("INSERT INTO practice_look (boat_id, place, tool, at) VALUES (?, ?, ?, ?)")
            .bind(hull.boat_id)
            .bind(place.to_string())
            .bind(tool.code())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        Ok(())
    }

    /// Uncovers her, once and for all.
    pub async fn uncover(&mut self, hull: &Hull) -> Result<()> {
        let done = sqlx::query("UPDATE practice_hull SET uncovered_at = ? WHERE boat_id = ? AND uncovered_at IS NULL")
            .bind(self.stamp())
            .bind(hull.boat_id)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() > 0 {
            self.note(Some(hull.boat_id), None, "hull", "Uncovered", &json!({})).await?;
        }
        Ok(())
    }
}
