//! The weather as it is foretold, and coats placed by it.

use jiff::Timestamp;
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

/// An hour that is foretold: its start in UTC, °C, %, mm of rain, m/s of wind.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct Foretold {
    pub at: String,
    pub temperature: f64,
    pub humidity: f64,
    pub rain: f64,
    pub wind: f64,
    pub simulated: bool,
}

/// The forecast since a moment, oldest first.
pub async fn forecast(store: &Store, since: &str) -> Result<Vec<Foretold>> {
    let sql = "SELECT at, temperature, humidity, rain, wind, simulated FROM forecast WHERE at >= ? ORDER BY at";
    Ok(sqlx::query_as(sql).bind(since).fetch_all(store.pool()).await?)
}

/// When a coat is to go on: its id, and the hour.
#[derive(Debug, Clone)]
pub struct Placed {
    pub coat: i64,
    pub from: Timestamp,
}

impl Work {
    /// Puts a forecast in place of the one there was. Hours that stand twice count once, the last one.
    pub async fn set_forecast(&mut self, hours: &[Foretold], told: &str) -> Result<()> {
        sqlx::query("DELETE FROM forecast").execute(&mut *self.tx).await?;
        for hour in hours {
            sqlx::query("INSERT INTO forecast (at, temperature, humidity, rain, wind, simulated) VALUES (?, ?, ?, ?, ?, ?) ON CONFLICT (at) DO UPDATE SET temperature = excluded.temperature, humidity = excluded.humidity, rain = excluded.rain, wind = excluded.wind, simulated = excluded.simulated")
                .bind(&hour.at)
                .bind(hour.temperature)
                .bind(hour.humidity)
                .bind(hour.rain)
                .bind(hour.wind)
                .bind(hour.simulated)
                .execute(&mut *self.tx)
                .await?;
        }
        let body = serde_json::json!({ "hours": hours.len(), "simulated": hours.iter().any(|h| h.simulated) });
        self.note(None, None, "weather", told, &body).await?;
        Ok(())
    }

    /// Keeps when the coats of a boat are to go on. Refused where one was laid meanwhile.
    pub async fn place_coats(&mut self, boat: i64, placed: &[Placed], told: &str) -> Result<()> {
        for one in placed {
            let done = sqlx::query("UPDATE coat SET earliest_at = ? WHERE id = ? AND boat_id = ? AND done_at IS NULL")
                .bind(one.from.to_string())
                .bind(one.coat)
                .bind(boat)
                .execute(&mut *self.tx)
                .await?;
            if done.rows_affected() == 0 {
                return Err(StoreError::Conflict("a coat was laid meanwhile: look at the plan again".into()));
            }
        }
        let coats: Vec<_> =
            placed.iter().map(|p| serde_json::json!({ "coat": p.coat, "from": p.from.to_string() })).collect();
        self.note(Some(boat), None, "finish", told, &serde_json::json!({ "coats": coats })).await?;
        Ok(())
    }
}
