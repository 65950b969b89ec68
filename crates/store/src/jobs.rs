//! Whole jobs: a deck, a spar, rings, an edge, a template, other work; what was asked, and the tasks they come to.

use mend_keel_core::job::{JobKind, Spec};
use mend_keel_core::work::tasks::Task as Planned;
use serde_json::json;
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

/// A whole job.
#[derive(Debug, Clone, FromRow)]
pub struct Job {
    pub id: i64,
    pub boat_id: i64,
    /// The part it is of, where it is of one.
    pub member_id: Option<i64>,
    #[sqlx(try_from = "String")]
    pub kind: JobKind,
    pub name: String,
    #[sqlx(json)]
    pub spec: Spec,
    pub note: String,
    /// By the hash of its content.
    pub photo: Option<String>,
    pub version: i64,
    pub by_name: String,
    pub at: String,
}

/// A job to be kept.
#[derive(Debug, Clone)]
pub struct NewJob {
    pub boat_id: i64,
    pub member_id: Option<i64>,
    pub name: String,
    pub spec: Spec,
    pub note: String,
    pub photo: Option<String>,
}

const JOB: &str =
    "SELECT id, boat_id, member_id, kind, name, spec, note, photo, version, by_name, at FROM job WHERE withdrawn = 0";

/// A boat's jobs in the order they were begun.
pub async fn of_boat(store: &Store, boat: i64) -> Result<Vec<Job>> {
    let sql = format!("{JOB} AND boat_id = ? ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn find(store: &Store, boat: i64, id: i64) -> Result<Job> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{JOB} AND boat_id = ? AND id = ?")))
        .bind(boat)
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("job"))
}

/// Templates of all boats that are here, which may be nested on sheets.
pub async fn templates(store: &Store) -> Result<Vec<Job>> {
    let sql =
        format!("{JOB} AND kind = 'template' AND boat_id IN (SELECT id FROM boat WHERE archived = 0) ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).fetch_all(store.pool()).await?)
}

/// Boats with a job that has this photograph.
pub async fn boats_with_photo(store: &Store, hash: &str) -> Result<Vec<i64>> {
    let rows: Vec<(i64,)> =
        sqlx::query_as("SELECT boat_id FROM job WHERE photo = ?").bind(hash).fetch_all(store.pool()).await?;
    Ok(rows.into_iter().map(|r| r.0).collect())
}

impl Work {
    /// Begins a job with its tasks.
    pub async fn add_job(&mut self, new: &NewJob, tasks: &[Planned]) -> Result<i64> {
        let kind = new.spec.kind();
        let id = sqlx::query("INSERT INTO job (boat_id, member_id, kind, name, spec, note, photo, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(new.boat_id)
            .bind(new.member_id)
            .bind(kind.code())
            .bind(&new.name)
            .bind(serde_json::to_string(&new.spec)?)
            .bind(&new.note)
            .bind(&new.photo)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        self.put_tasks(new, id, tasks).await?;
        let body = json!({ "job": id, "spec": new.spec, "tasks": tasks.len() });
        let summary = format!("To be made, {}: {}", kind.label().to_lowercase(), new.name);
        self.note(Some(new.boat_id), new.member_id, "job", &summary, &body).await?;
        Ok(id)
    }

    /// Changes a job. What is done of it stays done with its hours, what somebody began stays as it is, and the rest is told
    /// anew. Refused where somebody else kept another version since `version`.
    pub async fn change_job(&mut self, id: i64, version: i64, new: &NewJob, tasks: &[Planned]) -> Result<()> {
        let done = sqlx::query("UPDATE job SET member_id = ?, name = ?, spec = ?, note = ?, photo = coalesce(?, photo), version = version + 1, by_name = ?, at = ? WHERE id = ? AND version = ? AND withdrawn = 0")
            .bind(new.member_id)
            .bind(&new.name)
            .bind(serde_json::to_string(&new.spec)?)
            .bind(&new.note)
            .bind(&new.photo)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .bind(id)
            .bind(version)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Stale("this job"));
        }
        self.put_tasks(new, id, tasks).await?;
        let body = json!({ "job": id, "spec": new.spec });
        self.note(Some(new.boat_id), new.member_id, "job", &format!("Changed: {}", new.name), &body).await?;
        Ok(())
    }

    /// Puts down a job's tasks: those that are done or begun stay where they are.
    async fn put_tasks(&mut self, new: &NewJob, job: i64, tasks: &[Planned]) -> Result<()> {
        let kept: Vec<(String, String, i64)> = sqlx::query_as(
            "SELECT operation, what, seq FROM task WHERE job_id = ? AND dropped = 0 AND
                 (done_at IS NOT NULL OR EXISTS (SELECT 1 FROM clock WHERE task_id = task.id))",
        )
        .bind(job)
        .fetch_all(&mut *self.tx)
        .await?;
        let open = "UPDATE task SET dropped = 1 WHERE job_id = ? AND done_at IS NULL AND NOT EXISTS (SELECT 1 FROM clock WHERE task_id = task.id)";
        sqlx::query(open).bind(job).execute(&mut *self.tx).await?;
        let mut left = kept;
        for (seq, task) in tasks.iter().enumerate() {
            let same = |k: &(String, String, i64)| k.0 == task.operation.code() && k.1 == task.what;
            if let Some(at) = left.iter().position(same) {
                left.remove(at);
                continue;
            }
            self.add_task(new.boat_id, new.member_id, TaskOf::Job(job), seq, task).await?;
        }
        Ok(())
    }

    /// Takes a job off the list; what was done of it stays in the story.
    pub async fn withdraw_job(&mut self, job: &Job) -> Result<()> {
        if !self.set_aside("job", job.id).await? {
            return Ok(());
        }
        sqlx::query("UPDATE task SET dropped = 1 WHERE job_id = ? AND done_at IS NULL")
            .bind(job.id)
            .execute(&mut *self.tx)
            .await?;
        let summary = format!("Not to be made after all: {}", job.name);
        self.note(Some(job.boat_id), job.member_id, "job", &summary, &json!({ "job": job.id })).await?;
        Ok(())
    }
}

/// What a task is one of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TaskOf {
    Decision(i64),
    Job(i64),
}
