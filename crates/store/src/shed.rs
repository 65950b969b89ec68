//! The shed's air as its logger wrote it, and what merchants ask.

use sqlx::FromRow;

use crate::{Result, Store, Work};

/// One row of the logger: the start of the hour in UTC, °C and %.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct Air {
    pub at: String,
    pub temperature: f64,
    pub humidity: f64,
    pub simulated: bool,
}

/// The logger's rows since a moment, oldest first.
pub async fn air(store: &Store, since: &str) -> Result<Vec<Air>> {
    let sql = "SELECT at, temperature, humidity, simulated FROM shed_log WHERE at >= ? ORDER BY at";
    Ok(sqlx::query_as(sql).bind(since).fetch_all(store.pool()).await?)
}

/// What a merchant asks for boards of a species up to a size.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct Price {
    pub merchant: String,
    pub species: String,
    /// Rough, mm.
    pub thickness: f64,
    /// Widest and longest, mm.
    pub width: f64,
    pub length: f64,
    /// The yard's money for a m³.
    pub per_cubic_metre: f64,
    pub simulated: bool,
}

/// Every price, cheapest first within a species and thickness.
pub async fn prices(store: &Store) -> Result<Vec<Price>> {
    let sql = "SELECT merchant, species, thickness, width, length, per_cubic_metre, simulated FROM price ORDER BY species, thickness, per_cubic_metre";
    Ok(sqlx::query_as(sql).fetch_all(store.pool()).await?)
}

impl Work {
    /// Keeps rows of the logger; an hour that is there already is written over.
    pub async fn add_air(&mut self, rows: &[Air]) -> Result<()> {
        for row in rows {
            sqlx::query("INSERT INTO shed_log (at, temperature, humidity, simulated) VALUES (?, ?, ?, ?) ON CONFLICT (at) DO UPDATE SET temperature = excluded.temperature, humidity = excluded.humidity, simulated = excluded.simulated")
                .bind(&row.at)
                .bind(row.temperature)
                .bind(row.humidity)
                .bind(row.simulated)
                .execute(&mut *self.tx)
                .await?;
        }
        Ok(())
    }

    /// Puts one merchant's list in place of the one there was.
    pub async fn set_prices(&mut self, merchant: &str, list: &[Price]) -> Result<()> {
        sqlx::query("DELETE FROM price WHERE merchant = ?").bind(merchant).execute(&mut *self.tx).await?;
        for p in list {
            sqlx::query("INSERT INTO price (merchant, species, thickness, width, length, per_cubic_metre, simulated, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)")
                .bind(merchant)
                .bind(&p.species)
                .bind(p.thickness)
                .bind(p.width)
                .bind(p.length)
                .bind(p.per_cubic_metre)
                .bind(p.simulated)
                .bind(self.stamp())
                .execute(&mut *self.tx)
                .await?;
        }
        Ok(())
    }
}
