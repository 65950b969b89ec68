//! Tasks, and the clocks that run on them.

use jiff::Timestamp;
use mend_keel_core::work::estimate::{HourKind, Operation};
use mend_keel_core::work::tasks::Task as Planned;
use serde::Deserialize;
use serde_json::json;
use sqlx::FromRow;

use crate::jobs::TaskOf;
use crate::{Result, Store, StoreError, Work};

/// A task with the minutes booked on it so far.
#[derive(Debug, Clone, FromRow)]
pub struct Task {
    pub id: i64,
    pub boat_id: i64,
    /// The part it is of, where it is of one.
    pub member_id: Option<i64>,
    /// Of a decision, or of a whole job.
    pub decision_id: Option<i64>,
    pub job_id: Option<i64>,
    pub seq: i64,
    #[sqlx(try_from = "String")]
    pub operation: Operation,
    pub what: String,
    /// In the operation's unit.
    pub amount: f64,
    pub p50: f64,
    pub p80: f64,
    /// Hours nothing may follow.
    pub wait_after: f64,
    #[sqlx(json)]
    pub cautions: Vec<String>,
    pub done_at: Option<String>,
    /// Booked by stopped clocks.
    pub minutes: f64,
    /// Clocks running on it now.
    pub running: i64,
}

/// Hours of a boat that were not work as planned.
#[derive(Debug, Clone, FromRow)]
pub struct Lost {
    #[sqlx(try_from = "String")]
    pub kind: HourKind,
    #[sqlx(try_from = "String")]
    pub operation: Operation,
    pub minutes: f64,
    pub why: String,
    pub what: String,
}

/// What was done over or waited for on a boat, newest first.
pub async fn lost(store: &Store, boat: i64) -> Result<Vec<Lost>> {
    let sql = "SELECT kind, operation, minutes, why, what FROM clock JOIN task ON task.id = task_id
               WHERE boat_id = ? AND kind <> 'work' AND minutes > 0 ORDER BY clock.id DESC";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

/// A running clock.
#[derive(Debug, Clone, FromRow, Deserialize)]
pub struct Running {
    pub id: i64,
    pub task_id: i64,
    pub account_id: i64,
    pub who: String,
    pub started_at: String,
    pub what: String,
    pub boat_id: i64,
    pub boat: String,
}

const TASK: &str = "SELECT task.id, task.boat_id, member_id, decision_id, job_id, seq, operation, what, amount, p50, p80, wait_after, cautions, done_at,
    coalesce((SELECT sum(minutes) FROM clock WHERE task_id = task.id), 0.0) AS minutes,
    (SELECT count(*) FROM clock WHERE task_id = task.id AND stopped_at IS NULL) AS running FROM task";

/// A boat's tasks in their order, dropped ones left out.
pub async fn of_boat(store: &Store, boat: i64) -> Result<Vec<Task>> {
    let sql =
        format!("{TASK} WHERE boat_id = ? AND dropped = 0 ORDER BY decision_id IS NULL, decision_id, job_id, seq");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn find(store: &Store, boat: i64, id: i64) -> Result<Task> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{TASK} WHERE boat_id = ? AND task.id = ?")))
        .bind(boat)
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("task"))
}

pub async fn running(store: &Store) -> Result<Vec<Running>> {
    let sql = "SELECT clock.id, task_id, account_id, account.name AS who, started_at, what, boat_id, boat.name AS boat
               FROM clock JOIN task ON task.id = task_id JOIN account ON account.id = account_id JOIN boat ON boat.id = boat_id
               WHERE stopped_at IS NULL ORDER BY started_at";
    Ok(sqlx::query_as(sql).fetch_all(store.pool()).await?)
}

/// A task that was done, with the hours booked on it.
#[derive(Debug, Clone, FromRow)]
pub struct DoneJob {
    #[sqlx(try_from = "String")]
    pub operation: Operation,
    pub amount: f64,
    /// As it was reckoned.
    pub p80: f64,
    pub hours: f64,
}

/// Every task that was done with hours booked, in the order they were done.
pub async fn done_jobs(store: &Store) -> Result<Vec<DoneJob>> {
    let sql = "SELECT operation, amount, p80, sum(minutes) / 60.0 AS hours FROM task JOIN clock ON task_id = task.id
               WHERE done_at IS NOT NULL AND kind = 'work' GROUP BY task.id HAVING sum(minutes) > 0 ORDER BY done_at, task.id";
    Ok(sqlx::query_as(sql).fetch_all(store.pool()).await?)
}

/// Ids of all tasks of boats that are here, and whether each is done.
pub async fn ids(store: &Store) -> Result<Vec<(i64, bool)>> {
    let sql = "SELECT task.id, done_at IS NOT NULL FROM task JOIN boat ON boat.id = boat_id WHERE dropped = 0 AND archived = 0";
    Ok(sqlx::query_as(sql).fetch_all(store.pool()).await?)
}

impl Work {
    pub async fn add_tasks(&mut self, boat: i64, plank: i64, decision: i64, tasks: &[Planned]) -> Result<()> {
        for (seq, task) in tasks.iter().enumerate() {
            self.add_task(boat, Some(plank), TaskOf::Decision(decision), seq, task).await?;
        }
        Ok(())
    }

    /// Adds one task of a decision or of a job.
    pub(crate) async fn add_task(
        &mut self,
        boat: i64,
        member: Option<i64>,
        of: TaskOf,
        seq: usize,
        task: &Planned,
    ) -> Result<()> {
        let cautions: Vec<&str> = task.cautions.iter().map(|c| c.text()).collect();
        let (decision, job) = match of {
            TaskOf::Decision(id) => (Some(id), None),
            TaskOf::Job(id) => (None, Some(id)),
        };
        sqlx::query("INSERT INTO task (boat_id, member_id, decision_id, job_id, seq, operation, what, amount, p50, p80, wait_after, cautions) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(boat)
            .bind(member)
            .bind(decision)
            .bind(job)
            .bind(seq as i64)
            .bind(task.operation.code())
            .bind(task.what.as_ref())
            .bind(task.amount)
            .bind(task.hours.p50)
            .bind(task.hours.p80)
            .bind(task.wait_after)
            .bind(serde_json::to_string(&cautions)?)
            .execute(&mut *self.tx)
            .await?;
        Ok(())
    }

    /// Tells that a task was begun or done before its turn, and why.
    async fn note_against(&mut self, task: &Task, what: &str, against: Option<&str>) -> Result<()> {
        let Some(why) = against else { return Ok(()) };
        let summary = format!("Against the order, {what}: {}, because {why}", task.what);
        let body = json!({ "task": task.id, "against": why });
        self.note(Some(task.boat_id), task.member_id, "task", &summary, &body).await?;
        Ok(())
    }

    /// Starts a person's clock on a task, stopping the one they had running. `against`: why before its turn.
    pub async fn start_clock(&mut self, task: &Task, account: i64, against: Option<&str>) -> Result<()> {
        if task.done_at.is_some() {
            return Err(StoreError::Conflict("this task is done; open it again to book on it".into()));
        }
        self.note_against(task, "started", against).await?;
        self.stop_clock(account).await?;
        sqlx::query("INSERT INTO clock (task_id, account_id, started_at) VALUES (?, ?, ?)")
            .bind(task.id)
            .bind(account)
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        Ok(())
    }

    /// Stops a person's clock and books the minutes; nothing happens when none is running.
    pub async fn stop_clock(&mut self, account: i64) -> Result<()> {
        self.stop_clock_after(account, None).await
    }

    /// Stops a person's clock and books `minutes` where they are given: it was forgotten, and ran on.
    pub async fn stop_clock_after(&mut self, account: i64, minutes: Option<f64>) -> Result<()> {
        let sql = "SELECT clock.id, started_at, boat_id, member_id, what FROM clock JOIN task ON task.id = task_id
                   WHERE account_id = ? AND stopped_at IS NULL";
        let open: Option<(i64, String, i64, Option<i64>, String)> =
            sqlx::query_as(sql).bind(account).fetch_optional(&mut *self.tx).await?;
        let Some((clock, started, boat, plank, what)) = open else {
            return Ok(());
        };
        let ran = minutes_between(&started, self.at());
        let minutes = minutes.unwrap_or(ran);
        sqlx::query("UPDATE clock SET stopped_at = ?, minutes = ? WHERE id = ?")
            .bind(self.stamp())
            .bind(minutes)
            .bind(clock)
            .execute(&mut *self.tx)
            .await?;
        let body = json!({ "clock": clock, "task": what, "minutes": minutes, "ran": ran });
        self.note(Some(boat), plank, "hours", &format!("{}: {}", what, spoken(minutes)), &body).await?;
        Ok(())
    }

    /// Books hours by hand; fewer than none take back what was booked too much, with why. Refused where more would be taken back than
    /// was booked.
    pub async fn book(&mut self, task: &Task, account: i64, minutes: f64, kind: HourKind, why: &str) -> Result<()> {
        if minutes < 0.0 {
            let (booked,): (f64,) = sqlx::query_as("SELECT coalesce(sum(minutes), 0.0) FROM clock WHERE task_id = ?")
                .bind(task.id)
                .fetch_one(&mut *self.tx)
                .await?;
            if booked + minutes < -1e-6 {
                return Err(StoreError::Conflict(format!("only {} are booked on it", spoken(booked))));
            }
        }
        let started = self.at() - jiff::SignedDuration::from_secs_f64(minutes.max(0.0) * 60.0);
        sqlx::query("INSERT INTO clock (task_id, account_id, started_at, stopped_at, minutes, kind, why) VALUES (?, ?, ?, ?, ?, ?, ?)")
            .bind(task.id)
            .bind(account)
            .bind(started.to_string())
            .bind(self.stamp())
            .bind(minutes)
            .bind(kind.code())
            .bind(why)
            .execute(&mut *self.tx)
            .await?;
        let body = json!({ "task": task.what, "minutes": minutes, "by_hand": true, "kind": kind.code(), "why": why });
        let told = if minutes < 0.0 {
            format!("{}: {} taken back, because {why}", task.what, spoken(-minutes))
        } else if kind == HourKind::Work {
            format!("{}: {}", task.what, spoken(minutes))
        } else {
            format!("{}: {} of {}, {why}", task.what, spoken(minutes), kind.label())
        };
        self.note(Some(task.boat_id), task.member_id, "hours", &told, &body).await?;
        Ok(())
    }

    /// Marks a task done, or opens it again. Clocks running on it are stopped first. `against`: why before its turn.
    pub async fn finish_task(&mut self, task: &Task, done: bool, against: Option<&str>) -> Result<()> {
        self.note_against(task, "done", against).await?;
        let open: Vec<(i64,)> = sqlx::query_as("SELECT account_id FROM clock WHERE task_id = ? AND stopped_at IS NULL")
            .bind(task.id)
            .fetch_all(&mut *self.tx)
            .await?;
        for (account,) in open {
            self.stop_clock(account).await?;
        }
        sqlx::query("UPDATE task SET done_at = ? WHERE id = ?")
            .bind(done.then(|| self.stamp()))
            .bind(task.id)
            .execute(&mut *self.tx)
            .await?;
        let verb = if done { "Done" } else { "Opened again" };
        let body = json!({ "task": task.id, "done": done });
        self.note(Some(task.boat_id), task.member_id, "task", &format!("{verb}: {}", task.what), &body).await?;
        Ok(())
    }
}

/// Minutes from a stored time to now; 0 when the clock was set back meanwhile.
pub fn minutes_between(started: &str, now: Timestamp) -> f64 {
    let Ok(started) = started.parse::<Timestamp>() else {
        return 0.0;
    };
    (now.duration_since(started).as_secs_f64() / 60.0).max(0.0)
}

/// `1 h 25 min`.
pub fn spoken(minutes: f64) -> String {
    let whole = minutes.round() as i64;
    if whole < 60 { format!("{whole} min") } else { format!("{} h {:02} min", whole / 60, whole % 60) }
}
