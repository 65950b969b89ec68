//! What Today asks of all boats at once: a fixed number of statements, however many boats there are.

use mend_keel_core::grid::Side;
use mend_keel_core::survey::{Cause, Grade};
use serde::Deserialize;
use sqlx::FromRow;

use crate::plans::{COAT, Coat};
use crate::{Result, Store, boats};

/// A boat, with one of its tasks that can be done next; boats without one have a row of their own.
#[derive(Debug, Clone)]
pub struct Next {
    pub boat_id: i64,
    pub boat: String,
    pub task: Option<NextTask>,
    /// What her owner said that the yard has not seen yet.
    pub said: Vec<Said>,
}

/// What an owner said: who, and in which words.
#[derive(Debug, Clone, Deserialize)]
pub struct Said {
    pub by: String,
    pub words: String,
}

/// The first open task of a decision.
#[derive(Debug, Clone)]
pub struct NextTask {
    pub what: String,
    /// The part it is done on.
    pub part: String,
    /// Hours at even odds.
    pub p50: f64,
}

/// An open finding, as far as Today counts it.
#[derive(Debug, Clone, FromRow)]
pub struct Found {
    pub boat_id: i64,
    pub member_id: i64,
    #[sqlx(try_from = "String")]
    pub grade: Grade,
    #[sqlx(try_from = "String")]
    pub cause: Cause,
    pub treated: bool,
    /// A decision on its part is in force.
    pub decided: bool,
}

#[derive(FromRow)]
struct NextRow {
    boat_id: i64,
    boat: String,
    what: Option<String>,
    p50: Option<f64>,
    kind: Option<String>,
    name: Option<String>,
    side: Option<String>,
    number: Option<u32>,
    from_bay: Option<u32>,
    to_bay: Option<u32>,
    job: Option<String>,
    #[sqlx(json)]
    said: Vec<Said>,
}

/// Every boat in order, each with the first open task of each decision.
pub async fn next(store: &Store) -> Result<Vec<Next>> {
    let sql = "SELECT boat.id AS boat_id, boat.name AS boat, task.what, task.p50, member.kind, member.name, member.side, member.number, member.from_bay, member.to_bay, job.name AS job,
                   (SELECT json_group_array(json_object('by', by_name, 'words', words)) FROM owner_note WHERE owner_note.boat_id = boat.id AND seen = 0) AS said
               FROM boat
               LEFT JOIN task ON task.boat_id = boat.id AND task.id =
                   (SELECT first.id FROM task first WHERE first.decision_id IS task.decision_id AND first.job_id IS task.job_id
                        AND first.dropped = 0 AND first.done_at IS NULL ORDER BY first.seq LIMIT 1)
               LEFT JOIN member ON member.id = task.member_id
               LEFT JOIN job ON job.id = task.job_id
               WHERE boat.archived = 0
               ORDER BY boat.id, task.decision_id IS NULL, task.decision_id, task.job_id";
    let rows: Vec<NextRow> = sqlx::query_as(sql).fetch_all(store.pool()).await?;
    Ok(rows.into_iter().map(NextRow::read).collect())
}

impl NextRow {
    fn read(self) -> Next {
        let plank = || {
            let side = self.side.as_deref().and_then(Side::from_code)?;
            Some(boats::plank_name(side, self.number?, self.from_bay, self.to_bay))
        };
        let part = match (&self.job, self.kind.as_deref()) {
            (Some(job), _) => Some(job.clone()),
            (None, Some("plank")) => plank(),
            (None, _) => self.name.clone(),
        };
        let task = self.what.clone().map(|what| NextTask {
            what,
            part: part.unwrap_or_default(),
            p50: self.p50.unwrap_or_default(),
        });
        Next { boat_id: self.boat_id, boat: self.boat, task, said: self.said }
    }
}

/// The next coat of each plan of all boats, and the last one laid of each while it still cures.
pub async fn coats(store: &Store, now: &str) -> Result<Vec<Coat>> {
    let sql = format!(
        "{COAT} WHERE plan_id IN (SELECT id FROM plan WHERE withdrawn = 0) AND boat_id IN (SELECT id FROM boat WHERE archived = 0) AND
             (seq = (SELECT min(c.seq) FROM coat c WHERE c.plan_id = coat.plan_id AND c.done_at IS NULL) OR
              (cured_at > ? AND seq = (SELECT max(c.seq) FROM coat c WHERE c.plan_id = coat.plan_id AND c.done_at IS NOT NULL)))
         ORDER BY boat_id, plan_id, seq"
    );
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(now).fetch_all(store.pool()).await?)
}

/// Open findings of all boats on parts that are still there.
pub async fn found(store: &Store) -> Result<Vec<Found>> {
    let sql = "SELECT finding.boat_id, finding.member_id, grade, cause, cause_treated IS NOT NULL AS treated,
                   EXISTS (SELECT 1 FROM decision d WHERE d.member_id = finding.member_id AND d.superseded = 0) AS decided
               FROM finding JOIN member ON member.id = finding.member_id AND member.removed = 0
               WHERE withdrawn = 0 AND outcome = 'open' AND finding.boat_id IN (SELECT id FROM boat WHERE archived = 0)";
    Ok(sqlx::query_as(sql).fetch_all(store.pool()).await?)
}
