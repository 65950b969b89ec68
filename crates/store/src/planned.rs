//! The yard's plan of work: when and with what it works, its errands, and the plans that were kept.

use serde_json::{Value, json};
use sqlx::FromRow;

use crate::tasks::{Running, Task};
use crate::{Result, Store, StoreError, Work};

/// When and with what the yard works.
#[derive(Debug, Clone, PartialEq, Eq, FromRow)]
pub struct Hours {
    /// Monday first, `1` where it is worked.
    pub days: String,
    pub from_hour: u32,
    pub to_hour: u32,
    pub people: u32,
    pub clamps: u32,
    pub steam_boxes: u32,
    /// 0 while nobody said anything.
    pub version: i64,
}

impl Default for Hours {
    fn default() -> Self {
        Self { days: "1111100".into(), from_hour: 8, to_hour: 17, people: 1, clamps: 1, steam_boxes: 1, version: 0 }
    }
}

/// Something to be done beside the repairs.
#[derive(Debug, Clone, FromRow)]
pub struct Errand {
    pub id: i64,
    pub boat_id: Option<i64>,
    pub kind: String,
    pub what: String,
    pub hours: f64,
    pub people: u32,
    /// It must begin then, the yard's own time.
    pub at: Option<String>,
    pub not_before: Option<String>,
    pub done_at: Option<String>,
}

#[derive(Debug, Clone, Default)]
pub struct NewErrand {
    pub boat_id: Option<i64>,
    pub kind: &'static str,
    pub what: String,
    pub hours: f64,
    pub people: u32,
    pub at: Option<String>,
    pub not_before: Option<String>,
}

/// A plan as it was kept.
#[derive(Debug, Clone, FromRow)]
pub struct Kept {
    pub id: i64,
    #[sqlx(json)]
    pub body: Value,
    pub by_name: String,
    pub at: String,
}

pub async fn hours(store: &Store) -> Result<Hours> {
    let sql = "SELECT days, from_hour, to_hour, people, clamps, steam_boxes, version FROM yard_work WHERE id = 1";
    Ok(sqlx::query_as(sql).fetch_optional(store.pool()).await?.unwrap_or_default())
}

/// Days on which nobody works, with why, from a day on.
pub async fn closed(store: &Store, since: &str) -> Result<Vec<(String, String)>> {
    let sql = "SELECT day, why FROM closed_day WHERE day >= ? ORDER BY day";
    Ok(sqlx::query_as(sql).bind(since).fetch_all(store.pool()).await?)
}

/// Errands still to be done, appointments first.
pub async fn errands(store: &Store) -> Result<Vec<Errand>> {
    let sql = "SELECT id, boat_id, kind, what, hours, people, at, not_before, done_at FROM errand
               WHERE withdrawn = 0 AND done_at IS NULL ORDER BY at IS NULL, at, id";
    Ok(sqlx::query_as(sql).fetch_all(store.pool()).await?)
}

pub async fn errand(store: &Store, id: i64) -> Result<Errand> {
    let sql = "SELECT id, boat_id, kind, what, hours, people, at, not_before, done_at FROM errand WHERE id = ? AND withdrawn = 0";
    sqlx::query_as(sql).bind(id).fetch_optional(store.pool()).await?.ok_or(StoreError::NotFound("errand"))
}

/// Tasks that are not begun before a day.
pub async fn task_days(store: &Store) -> Result<Vec<(i64, String)>> {
    Ok(sqlx::query_as("SELECT task_id, day FROM task_day").fetch_all(store.pool()).await?)
}

/// The plan in force.
pub async fn kept(store: &Store) -> Result<Option<Kept>> {
    let sql = "SELECT id, body, by_name, at FROM work_plan ORDER BY id DESC LIMIT 1";
    Ok(sqlx::query_as(sql).fetch_optional(store.pool()).await?)
}

/// What Today asks of the work, in one statement.
#[derive(Debug, Clone, FromRow)]
pub struct OfDay {
    #[sqlx(json(nullable))]
    pub plan: Option<Value>,
    /// The day's appointments: when, what.
    #[sqlx(json)]
    pub appointments: Vec<(String, String)>,
    /// Tasks that are done.
    #[sqlx(json)]
    pub done: Vec<i64>,
    #[sqlx(json)]
    pub running: Vec<Running>,
}

/// The plan in force, a day's appointments, what is done, and the clocks that run.
pub async fn of_day(store: &Store, day: &str) -> Result<OfDay> {
    let sql = "SELECT (SELECT body FROM work_plan ORDER BY id DESC LIMIT 1) AS plan,
                   (SELECT json_group_array(json_array(at, what) ORDER BY at) FROM errand WHERE withdrawn = 0 AND done_at IS NULL AND substr(at, 1, 10) = ?) AS appointments,
                   (SELECT json_group_array(id) FROM task WHERE done_at IS NOT NULL AND dropped = 0) AS done,
                   (SELECT json_group_array(json_object('id', clock.id, 'task_id', task_id, 'account_id', account_id, 'who', account.name,
                        'started_at', started_at, 'what', what, 'boat_id', boat_id, 'boat', boat.name) ORDER BY started_at)
                    FROM clock JOIN task ON task.id = task_id JOIN account ON account.id = account_id JOIN boat ON boat.id = boat_id
                    WHERE stopped_at IS NULL) AS running";
    Ok(sqlx::query_as(sql).bind(day).fetch_one(store.pool()).await?)
}

impl Work {
    /// Refused where somebody else changed them since `new.version`.
    pub async fn set_hours(&mut self, new: &Hours) -> Result<()> {
        let sql = "INSERT INTO yard_work (id, days, from_hour, to_hour, people, clamps, steam_boxes) VALUES (1, ?1, ?2, ?3, ?4, ?5, ?6)
                   ON CONFLICT (id) DO UPDATE SET days = ?1, from_hour = ?2, to_hour = ?3, people = ?4, clamps = ?5, steam_boxes = ?6, version = version + 1 WHERE version = ?7";
        let done = sqlx::query(sql)
            .bind(&new.days)
            .bind(new.from_hour)
            .bind(new.to_hour)
            .bind(new.people)
            .bind(new.clamps)
            .bind(new.steam_boxes)
            .bind(new.version)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Conflict(
                "somebody else set the yard’s hours meanwhile: look at them again".into(),
            ));
        }
        let body = json!({ "days": new.days, "from": new.from_hour, "to": new.to_hour, "people": new.people, "clamps": new.clamps, "steam_boxes": new.steam_boxes });
        self.note(None, None, "plan", "The yard’s hours and gear set", &body).await?;
        Ok(())
    }

    /// Closes a day, or opens it again where `why` is `None`.
    pub async fn close_day(&mut self, day: &str, why: Option<&str>) -> Result<()> {
        match why {
            Some(why) => {
                sqlx::query(
                    "INSERT INTO closed_day (day, why) VALUES (?1, ?2) ON CONFLICT (day) DO UPDATE SET why = ?2",
                )
                .bind(day)
                .bind(why)
                .execute(&mut *self.tx)
                .await?;
            }
            None => {
                let done = sqlx::query("DELETE FROM closed_day WHERE day = ?").bind(day).execute(&mut *self.tx).await?;
                if done.rows_affected() == 0 {
                    return Ok(());
                }
            }
        }
        let verb = if why.is_some() { "closed" } else { "open again" };
        self.note(None, None, "plan", &format!("{day} {verb}"), &json!({ "day": day, "why": why })).await?;
        Ok(())
    }

    pub async fn add_errand(&mut self, new: &NewErrand) -> Result<i64> {
        let id = sqlx::query("INSERT INTO errand (boat_id, kind, what, hours, people, at, not_before, by_name, entered) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(new.boat_id)
            .bind(new.kind)
            .bind(&new.what)
            .bind(new.hours)
            .bind(new.people)
            .bind(&new.at)
            .bind(&new.not_before)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        let body = json!({ "errand": id, "hours": new.hours, "people": new.people, "at": new.at, "not_before": new.not_before });
        self.note(new.boat_id, None, "plan", &format!("To be done: {}", new.what), &body).await?;
        Ok(id)
    }

    pub async fn finish_errand(&mut self, errand: &Errand) -> Result<()> {
        let done = sqlx::query("UPDATE errand SET done_at = ? WHERE id = ? AND done_at IS NULL")
            .bind(self.stamp())
            .bind(errand.id)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() > 0 {
            let body = json!({ "errand": errand.id });
            self.note(errand.boat_id, None, "plan", &format!("Done: {}", errand.what), &body).await?;
        }
        Ok(())
    }

    pub async fn withdraw_errand(&mut self, errand: &Errand) -> Result<()> {
        if self.set_aside("errand", errand.id).await? {
            let body = json!({ "errand": errand.id });
            self.note(errand.boat_id, None, "plan", &format!("Not to be done after all: {}", errand.what), &body)
                .await?;
        }
        Ok(())
    }

    /// Sets a task not to begin before a day, or frees it again.
    pub async fn set_task_day(&mut self, task: &Task, day: Option<&str>) -> Result<()> {
        match day {
            Some(day) => {
                sqlx::query(
                    "INSERT INTO task_day (task_id, day) VALUES (?1, ?2) ON CONFLICT (task_id) DO UPDATE SET day = ?2",
                )
                .bind(task.id)
                .bind(day)
                .execute(&mut *self.tx)
                .await?;
            }
            None => {
                sqlx::query("DELETE FROM task_day WHERE task_id = ?").bind(task.id).execute(&mut *self.tx).await?;
            }
        }
        let told = match day {
            Some(day) => format!("Not before {day}: {}", task.what),
            None => format!("On no set day any more: {}", task.what),
        };
        self.note(Some(task.boat_id), task.member_id, "plan", &told, &json!({ "task": task.id, "day": day })).await?;
        Ok(())
    }

    /// Keeps a plan; it takes the place of the one before.
    pub async fn keep_plan(&mut self, body: &Value, told: &str) -> Result<()> {
        sqlx::query("INSERT INTO work_plan (body, by_name, at) VALUES (?, ?, ?)")
            .bind(body.to_string())
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        // Plans long past say nothing any more; their keeping is in the story.
        sqlx::query("DELETE FROM work_plan WHERE id <= (SELECT max(id) - 20 FROM work_plan)")
            .execute(&mut *self.tx)
            .await?;
        self.note(None, None, "plan", told, &json!({})).await?;
        Ok(())
    }
}
