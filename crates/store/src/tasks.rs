//! Tasks, and the clocks that run on them.

use jiff::Timestamp;
use mend_keel_core::caution::Caution;
use mend_keel_core::work::estimate::{HourKind, Hours, Operation};
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
    pub version: i64,
    /// Added by hand.
    pub own: bool,
}

impl Task {
    /// It takes two people.
    pub fn is_heavy(&self) -> bool {
        self.cautions.iter().any(|c| c == Caution::Heavy.text())
    }
}

/// What somebody says of a task in place of what was unfolded.
#[derive(Debug, Clone, PartialEq)]
pub struct Changed {
    pub what: String,
    pub amount: f64,
    pub hours: Hours,
    pub wait_after: f64,
}

/// A task of somebody's own within a job.
#[derive(Debug, Clone)]
pub struct Own {
    pub operation: Operation,
    pub told: Changed,
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

const TASK: &str = "SELECT task.id, task.boat_id, member_id, decision_id, job_id, seq, operation, what, amount, p50, p80, wait_after, cautions, done_at, task.version, own,
    coalesce((SELECT sum(minutes) FROM clock WHERE task_id = task.id), 0.0) AS minutes,
    (SELECT count(*) FROM clock WHERE task_id = task.id AND stopped_at IS NULL) AS running FROM task";

/// A boat's tasks in their order, dropped ones left out.
pub async fn of_boat(store: &Store, boat: i64) -> Result<Vec<Task>> {
    let sql =
        format!("{TASK} WHERE boat_id = ? AND dropped = 0 ORDER BY decision_id IS NULL, decision_id, job_id, seq");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

/// Tasks with hours on them that are no longer anybody's: of decisions since revised, or taken off by hand.
pub async fn former(store: &Store, boat: i64) -> Result<Vec<Task>> {
    let sql = format!(
        "{TASK} WHERE task.boat_id = ? AND (dropped = 1 OR decision_id IN (SELECT id FROM decision WHERE superseded = 1))
         AND EXISTS (SELECT 1 FROM clock WHERE task_id = task.id) ORDER BY task.id"
    );
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

    /// Keeps what somebody says of a task. [`StoreError::Stale`] when it is no longer at the version it was read at.
    pub async fn change_task(&mut self, task: &Task, version: i64, new: &Changed) -> Result<()> {
        self.set_task(task, version, new).await?;
        let body = json!({
            "task": task.id, "was": [task.what, task.amount, task.p50, task.p80, task.wait_after],
            "now": [new.what, new.amount, new.hours.p50, new.hours.p80, new.wait_after],
        });
        self.note(Some(task.boat_id), task.member_id, "task", &format!("Task changed: {}", new.what), &body).await?;
        Ok(())
    }

    async fn set_task(&mut self, task: &Task, version: i64, new: &Changed) -> Result<()> {
        let sql = "UPDATE task SET what = ?, amount = ?, p50 = ?, p80 = ?, wait_after = ?, version = version + 1 WHERE id = ? AND version = ? AND dropped = 0";
        let done = sqlx::query(sql)
            .bind(&new.what)
            .bind(new.amount)
            .bind(new.hours.p50)
            .bind(new.hours.p80)
            .bind(new.wait_after)
            .bind(task.id)
            .bind(version)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 { Err(StoreError::Stale("this task")) } else { Ok(()) }
    }

    /// Makes room after a task within its job, and gives the place.
    async fn room_after(&mut self, task: &Task) -> Result<i64> {
        let sql = "UPDATE task SET seq = seq + 1 WHERE seq > ? AND (decision_id = ? OR job_id = ?)";
        sqlx::query(sql).bind(task.seq).bind(task.decision_id).bind(task.job_id).execute(&mut *self.tx).await?;
        Ok(task.seq + 1)
    }

    /// Adds a task of a job after another, with what it shares with that.
    async fn add_beside(&mut self, task: &Task, new: &Own, cautions: &[String], own: bool) -> Result<i64> {
        let seq = self.room_after(task).await?;
        let sql = "INSERT INTO task (boat_id, member_id, decision_id, job_id, seq, operation, what, amount, p50, p80, wait_after, cautions, own) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)";
        let done = sqlx::query(sql)
            .bind(task.boat_id)
            .bind(task.member_id)
            .bind(task.decision_id)
            .bind(task.job_id)
            .bind(seq)
            .bind(new.operation.code())
            .bind(&new.told.what)
            .bind(new.told.amount)
            .bind(new.told.hours.p50)
            .bind(new.told.hours.p80)
            .bind(new.told.wait_after)
            .bind(serde_json::to_string(cautions)?)
            .bind(own)
            .execute(&mut *self.tx)
            .await?;
        Ok(done.last_insert_rowid())
    }

    /// Makes two of a task; what was booked stays with the first. Gives the second. [`StoreError::Stale`] as above.
    pub async fn split_task(&mut self, task: &Task, version: i64, parts: &[Changed; 2]) -> Result<i64> {
        self.set_task(task, version, &parts[0]).await?;
        let rest = Own { operation: task.operation, told: parts[1].clone() };
        let second = self.add_beside(task, &rest, &task.cautions, task.own).await?;
        let body = json!({ "task": task.id, "second": second, "amounts": [parts[0].amount, parts[1].amount] });
        let told = format!("In two parts: {}", task.what);
        self.note(Some(task.boat_id), task.member_id, "task", &told, &body).await?;
        Ok(second)
    }

    /// Puts a task's next one, of the same kind, into it, with all that was booked on it. [`StoreError::Stale`] as above.
    pub async fn join_tasks(&mut self, task: &Task, version: i64, next: &Task, whole: &Changed) -> Result<()> {
        self.set_task(task, version, whole).await?;
        sqlx::query("UPDATE clock SET task_id = ? WHERE task_id = ?")
            .bind(task.id)
            .bind(next.id)
            .execute(&mut *self.tx)
            .await?;
        sqlx::query("UPDATE task SET dropped = 1 WHERE id = ?").bind(next.id).execute(&mut *self.tx).await?;
        let body = json!({ "task": task.id, "joined": next.id, "amount": whole.amount });
        let told = format!("In one: {} and {}", task.what, next.what);
        self.note(Some(task.boat_id), task.member_id, "task", &told, &body).await?;
        Ok(())
    }

    /// Adds a task of somebody's own after another of the same job.
    pub async fn add_own_task(&mut self, after: &Task, new: &Own) -> Result<i64> {
        let id = self.add_beside(after, new, &[], true).await?;
        let body = json!({ "task": id, "after": after.id, "own": true, "hours": new.told.hours.p50 });
        let told = format!("Task added: {}", new.told.what);
        self.note(Some(after.boat_id), after.member_id, "task", &told, &body).await?;
        Ok(id)
    }

    /// Takes a task off that is not needed. Refused while hours are booked on it: those are never lost.
    pub async fn drop_task(&mut self, task: &Task, why: &str) -> Result<()> {
        let (clocks,): (i64,) = sqlx::query_as("SELECT count(*) FROM clock WHERE task_id = ?")
            .bind(task.id)
            .fetch_one(&mut *self.tx)
            .await?;
        if clocks > 0 {
            return Err(StoreError::Conflict("hours are booked on it: it is done, or done in part".into()));
        }
        let done = sqlx::query("UPDATE task SET dropped = 1 WHERE id = ? AND dropped = 0")
            .bind(task.id)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() > 0 {
            let body = json!({ "task": task.id, "dropped": why });
            let told = format!("Not needed: {}, because {why}", task.what);
            self.note(Some(task.boat_id), task.member_id, "task", &told, &body).await?;
        }
        Ok(())
    }

    /// Puts a job's tasks in another order: all of them, by id. `against`: why against a rule.
    pub async fn order_tasks(&mut self, job: &[&Task], moved: &Task, against: Option<&str>) -> Result<()> {
        self.note_against(moved, "in another order", against).await?;
        for (seq, task) in job.iter().enumerate() {
            sqlx::query("UPDATE task SET seq = ? WHERE id = ?")
                .bind(seq as i64)
                .bind(task.id)
                .execute(&mut *self.tx)
                .await?;
        }
        let body = json!({ "order": job.iter().map(|t| json!({ "task": t.id })).collect::<Vec<_>>() });
        let told = format!("In another order: {}", moved.what);
        self.note(Some(moved.boat_id), moved.member_id, "task", &told, &body).await?;
        Ok(())
    }

    /// Stops every clock that runs on a decision's tasks, as it is revised: what they ran is booked.
    pub(crate) async fn stop_clocks_of(&mut self, decision: i64) -> Result<()> {
        let sql =
            "SELECT account_id FROM clock JOIN task ON task.id = task_id WHERE decision_id = ? AND stopped_at IS NULL";
        let open: Vec<(i64,)> = sqlx::query_as(sql).bind(decision).fetch_all(&mut *self.tx).await?;
        for (account,) in open {
            self.stop_clock(account, self.at(), None).await?;
        }
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

    /// Starts a person's clock on a task at a moment, stopping the one they had running. `against`: why before its turn.
    pub async fn start_clock(&mut self, task: &Task, account: i64, at: Timestamp, against: Option<&str>) -> Result<()> {
        if task.done_at.is_some() {
            return Err(StoreError::Conflict("this task is done; open it again to book on it".into()));
        }
        self.note_against(task, "started", against).await?;
        // Told late, while another clock was started since: this one ran until then.
        let running: Option<String> =
            sqlx::query_scalar("SELECT started_at FROM clock WHERE account_id = ? AND stopped_at IS NULL")
                .bind(account)
                .fetch_optional(&mut *self.tx)
                .await?;
        let until = running.filter(|since| is_before(at, since));
        if until.is_none() {
            self.stop_clock(account, at, None).await?;
        }
        let minutes = until.as_ref().and_then(|until| Some(minutes_between(&at.to_string(), until.parse().ok()?)));
        sqlx::query("INSERT INTO clock (task_id, account_id, started_at, stopped_at, minutes) VALUES (?, ?, ?, ?, ?)")
            .bind(task.id)
            .bind(account)
            .bind(at.to_string())
            .bind(until)
            .bind(minutes)
            .execute(&mut *self.tx)
            .await?;
        Ok(())
    }

    /// Stops a person's clock at a moment and books what it ran, or `minutes` where they are given: it was forgotten, and ran on. Nothing
    /// happens when none is running.
    pub async fn stop_clock(&mut self, account: i64, at: Timestamp, minutes: Option<f64>) -> Result<()> {
        let sql = "SELECT clock.id, started_at, boat_id, member_id, what FROM clock JOIN task ON task.id = task_id
                   WHERE account_id = ? AND stopped_at IS NULL";
        let open: Option<(i64, String, i64, Option<i64>, String)> =
            sqlx::query_as(sql).bind(account).fetch_optional(&mut *self.tx).await?;
        let Some((clock, started, boat, plank, what)) = open else {
            return Ok(());
        };
        // Told late of a clock before this one.
        if at < self.at() && is_before(at, &started) {
            return Ok(());
        }
        let ran = minutes_between(&started, at);
        let minutes = minutes.unwrap_or(ran);
        sqlx::query("UPDATE clock SET stopped_at = ?, minutes = ? WHERE id = ?")
            .bind(at.to_string())
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

    /// Marks a task done at a moment, or opens it again (`None`). Clocks running on it are stopped first. `against`: why before its turn.
    pub async fn finish_task(&mut self, task: &Task, done: Option<Timestamp>, against: Option<&str>) -> Result<()> {
        self.note_against(task, "done", against).await?;
        let open: Vec<(i64,)> = sqlx::query_as("SELECT account_id FROM clock WHERE task_id = ? AND stopped_at IS NULL")
            .bind(task.id)
            .fetch_all(&mut *self.tx)
            .await?;
        for (account,) in open {
            self.stop_clock(account, done.unwrap_or(self.at()), None).await?;
        }
        // Who tells it second tells nothing new: the first to say so stays.
        if done.is_some() == task.done_at.is_some() {
            return Ok(());
        }
        sqlx::query("UPDATE task SET done_at = ? WHERE id = ?")
            .bind(done.map(|at| at.to_string()))
            .bind(task.id)
            .execute(&mut *self.tx)
            .await?;
        let verb = if done.is_some() { "Done" } else { "Opened again" };
        let body = json!({ "task": task.id, "done": done.is_some() });
        self.note(Some(task.boat_id), task.member_id, "task", &format!("{verb}: {}", task.what), &body).await?;
        Ok(())
    }
}

/// Whether a moment lies before a stored time.
fn is_before(at: Timestamp, stored: &str) -> bool {
    stored.parse::<Timestamp>().is_ok_and(|stored| at < stored)
}

/// Minutes from a stored time to a moment; 0 where that was before.
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
