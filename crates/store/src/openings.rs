//! Openings made to look, and things drawn out of her.

use mend_keel_core::work::drawn::Thing;
use serde_json::json;
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

/// An opening.
#[derive(Debug, Clone, FromRow)]
pub struct Opening {
    pub id: i64,
    pub boat_id: i64,
    pub what: String,
    /// What it is to show, and what may be decided after it.
    pub shows: String,
    pub decides: String,
    /// Code of what is drawn; `None`: it is opened to look.
    pub thing: Option<String>,
    /// mm and kg, where somebody measured them.
    pub length: Option<f64>,
    pub room: Option<f64>,
    pub weight: Option<f64>,
    /// What was seen, once it is open.
    pub seen: Option<String>,
    pub opened_at: Option<String>,
    pub by_name: String,
}

impl Opening {
    pub fn thing(&self) -> Option<Thing> {
        self.thing.as_deref().and_then(Thing::from_code)
    }
}

/// An opening to be planned.
#[derive(Debug, Clone)]
pub struct NewOpening {
    pub boat_id: i64,
    pub what: String,
    pub shows: String,
    pub decides: String,
    pub thing: Option<Thing>,
    pub length: Option<f64>,
    pub room: Option<f64>,
    pub weight: Option<f64>,
}

const OPENING: &str = "SELECT id, boat_id, what, shows, decides, thing, length, room, weight, seen, opened_at, by_name FROM opening WHERE withdrawn = 0";

/// A boat's openings in the order they were planned.
pub async fn of_boat(store: &Store, boat: i64) -> Result<Vec<Opening>> {
    let sql = format!("{OPENING} AND boat_id = ? ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn find(store: &Store, boat: i64, id: i64) -> Result<Opening> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{OPENING} AND boat_id = ? AND id = ?")))
        .bind(boat)
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("opening"))
}

impl Work {
    pub async fn add_opening(&mut self, new: &NewOpening) -> Result<i64> {
        let sql = "INSERT INTO opening (boat_id, what, shows, decides, thing, length, room, weight, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)";
        let id = sqlx::query(sql)
            .bind(new.boat_id)
            .bind(&new.what)
            .bind(&new.shows)
            .bind(&new.decides)
            .bind(new.thing.map(Thing::code))
            .bind(new.length)
            .bind(new.room)
            .bind(new.weight)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        let body = json!({ "opening": id, "shows": new.shows, "decides": new.decides });
        self.note(Some(new.boat_id), None, "opening", &format!("To be opened: {}", new.what), &body).await?;
        Ok(id)
    }

    /// It is open: what was seen. A second word is added to the first.
    pub async fn opened(&mut self, opening: &Opening, seen: &str) -> Result<()> {
        let both = match &opening.seen {
            Some(first) if !first.is_empty() => format!("{first}; {}: {seen}", self.act.by),
            _ => seen.to_owned(),
        };
        sqlx::query("UPDATE opening SET seen = ?, opened_at = coalesce(opened_at, ?) WHERE id = ?")
            .bind(both)
            .bind(self.stamp())
            .bind(opening.id)
            .execute(&mut *self.tx)
            .await?;
        let body = json!({ "opening": opening.id, "seen": seen });
        self.note(Some(opening.boat_id), None, "opening", &format!("Opened: {}. {seen}", opening.what), &body).await?;
        Ok(())
    }

    pub async fn withdraw_opening(&mut self, opening: &Opening) -> Result<()> {
        if !self.set_aside("opening", opening.id).await? {
            return Ok(());
        }
        let body = json!({ "opening": opening.id });
        let told = format!("Not to be opened after all: {}", opening.what);
        self.note(Some(opening.boat_id), None, "opening", &told, &body).await?;
        Ok(())
    }
}
