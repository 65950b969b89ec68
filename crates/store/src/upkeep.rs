//! Faces with a coat that the sun wears, where she lies, and what inspections saw.

use mend_keel_core::finish::upkeep::{Coating, Looks};
use serde_json::json;
use sqlx::FromRow;

use crate::{Result, Store, Work};

/// A face with a full system on it.
#[derive(Debug, Clone, FromRow)]
pub struct Coated {
    pub id: i64,
    pub boat_id: i64,
    pub what: String,
    #[sqlx(try_from = "String")]
    pub coat: Coating,
    /// m².
    pub area: f64,
    /// Degrees: 0 flat … 90 upright.
    pub tilt: f64,
    #[sqlx(try_from = "String")]
    pub looks: Looks,
    /// 0 in the open … 1 under cover all year.
    pub shade: f64,
    /// m above where one stands.
    pub height: f64,
    /// The day the full system was done, `2026-03-01`.
    pub on_day: String,
}

#[derive(Debug, Clone)]
pub struct NewCoated {
    pub what: String,
    pub coat: Coating,
    pub area: f64,
    pub tilt: f64,
    pub looks: Looks,
    pub shade: f64,
    pub height: f64,
    pub on_day: String,
}

/// An inspection of a coat.
#[derive(Debug, Clone, FromRow)]
pub struct Seen {
    pub coated_id: i64,
    pub on_day: String,
    /// 0 as new … 1 gone.
    pub worn: f64,
    pub note: String,
    pub by_name: String,
}

/// Where she lies.
#[derive(Debug, Clone, Copy, FromRow)]
pub struct Berth {
    /// Degrees north.
    pub latitude: f64,
    /// Where the bow points, degrees from north clockwise; `None`: she swings.
    pub bow: Option<f64>,
}

/// A boat's coated faces that were not taken back.
pub async fn coated(store: &Store, boat: i64) -> Result<Vec<Coated>> {
    let sql = "SELECT id, boat_id, what, coat, area, tilt, looks, shade, height, on_day FROM coated WHERE boat_id = ? AND withdrawn = 0 ORDER BY id";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

/// What inspections saw of a boat's faces, oldest first.
pub async fn seen(store: &Store, boat: i64) -> Result<Vec<Seen>> {
    let sql = "SELECT coated_id, coat_seen.on_day, worn, note, coat_seen.by_name FROM coat_seen JOIN coated ON coated.id = coated_id WHERE boat_id = ? ORDER BY coat_seen.on_day, coat_seen.id";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn berth(store: &Store, boat: i64) -> Result<Option<Berth>> {
    let sql = "SELECT latitude, bow FROM berth WHERE boat_id = ?";
    Ok(sqlx::query_as(sql).bind(boat).fetch_optional(store.pool()).await?)
}

impl Work {
    pub async fn add_coated(&mut self, boat: i64, new: &NewCoated) -> Result<i64> {
        let id = sqlx::query("INSERT INTO coated (boat_id, what, coat, area, tilt, looks, shade, height, on_day, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(boat)
            .bind(&new.what)
            .bind(new.coat.code())
            .bind(new.area)
            .bind(new.tilt)
            .bind(new.looks.code())
            .bind(new.shade)
            .bind(new.height)
            .bind(&new.on_day)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        let body = json!({ "coated": id, "area": new.area, "tilt": new.tilt, "looks": new.looks.code(), "shade": new.shade, "on_day": new.on_day });
        self.note(
            Some(boat),
            None,
            "upkeep",
            &format!("Coated since {}: {}, {}", new.on_day, new.what, new.coat.label()),
            &body,
        )
        .await?;
        Ok(id)
    }

    pub async fn withdraw_coated(&mut self, face: &Coated) -> Result<()> {
        if self.set_aside("coated", face.id).await? {
            let body = json!({ "coated": face.id });
            self.note(Some(face.boat_id), None, "upkeep", &format!("Not looked after any more: {}", face.what), &body)
                .await?;
        }
        Ok(())
    }

    /// An inspection.
    pub async fn see_coat(&mut self, face: &Coated, on_day: &str, worn: f64, note: &str) -> Result<()> {
        sqlx::query("INSERT INTO coat_seen (coated_id, on_day, worn, note, by_name, at) VALUES (?, ?, ?, ?, ?, ?)")
            .bind(face.id)
            .bind(on_day)
            .bind(worn)
            .bind(note)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        let body = json!({ "coated": face.id, "on_day": on_day, "worn": worn, "note": note });
        self.note(
            Some(face.boat_id),
            None,
            "upkeep",
            &format!("Looked at {}: {:.0} % worn", face.what, worn * 100.0),
            &body,
        )
        .await?;
        Ok(())
    }

    /// The full system was done anew: inspections before that day speak of the old one.
    pub async fn renew_coated(&mut self, face: &Coated, on_day: &str) -> Result<()> {
        sqlx::query("UPDATE coated SET on_day = ? WHERE id = ?")
            .bind(on_day)
            .bind(face.id)
            .execute(&mut *self.tx)
            .await?;
        let body = json!({ "coated": face.id, "on_day": on_day, "was": face.on_day });
        self.note(Some(face.boat_id), None, "upkeep", &format!("Coated anew on {on_day}: {}", face.what), &body)
            .await?;
        Ok(())
    }

    pub async fn set_berth(&mut self, boat: i64, berth: Berth) -> Result<()> {
        sqlx::query("INSERT INTO berth (boat_id, latitude, bow) VALUES (?1, ?2, ?3) ON CONFLICT (boat_id) DO UPDATE SET latitude = ?2, bow = ?3")
            .bind(boat)
            .bind(berth.latitude)
            .bind(berth.bow)
            .execute(&mut *self.tx)
            .await?;
        let body = json!({ "latitude": berth.latitude, "bow": berth.bow });
        self.note(Some(boat), None, "upkeep", &format!("She lies at {}° north", berth.latitude), &body).await?;
        Ok(())
    }
}
