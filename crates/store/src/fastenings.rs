//! Regions that are refastened and ticked off, the metal on a boat, and fittings signed for before they are bored.

use std::collections::HashMap;

use mend_keel_core::fastening::pattern::OldHole;
use mend_keel_core::fastening::record::{Fastened, Share};
use mend_keel_core::fastening::through::Fitting;
use mend_keel_core::fastening::through::Kind;
use mend_keel_core::grid::{Address, Side};
use mend_keel_core::metals::Zone;
use serde_json::json;
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

/// A region to be refastened: strakes and frames, both ends in.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct Region {
    pub id: i64,
    pub boat_id: i64,
    pub name: String,
    #[sqlx(try_from = "String")]
    pub side: Side,
    pub strake_from: u32,
    pub strake_to: u32,
    pub frame_from: u32,
    pub frame_to: u32,
    /// Of the new screws: an id of the table of metals.
    pub metal: String,
    pub to_plane_off: f64,
    #[sqlx(try_from = "String")]
    pub kind: Kind,
    /// Code of what was there; empty: driven nails, or not known.
    pub original: String,
    pub inside: bool,
    pub in_lap: u32,
    pub by_name: String,
    pub at: String,
}

impl Region {
    /// What was there.
    pub fn original(&self) -> Option<Kind> {
        Kind::from_code(&self.original)
    }

    /// Whether a crossing is one of its.
    pub fn holds(&self, at: Address) -> bool {
        at.side == self.side
            && (self.strake_from..=self.strake_to).contains(&at.strake)
            && (self.frame_from..=self.frame_to).contains(&at.frame)
    }

    pub fn crossings(&self) -> u32 {
        (self.strake_to - self.strake_from + 1) * (self.frame_to - self.frame_from + 1)
    }
}

#[derive(Debug, Clone)]
pub struct NewRegion {
    pub boat_id: i64,
    pub name: String,
    pub side: Side,
    pub strakes: (u32, u32),
    pub frames: (u32, u32),
    pub metal: String,
    pub to_plane_off: f64,
    pub kind: Kind,
    pub original: Option<Kind>,
    pub inside: bool,
    pub in_lap: u32,
}

/// How a region is fastened as somebody recorded it.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct FastenedRow {
    pub id: i64,
    pub side: Option<String>,
    pub strake_from: u32,
    pub strake_to: u32,
    pub frame_from: u32,
    pub frame_to: u32,
    #[sqlx(try_from = "String")]
    pub kind: Kind,
    pub metal: String,
    pub diameter: Option<f64>,
    pub year: Option<i32>,
    #[sqlx(try_from = "String")]
    pub share: Share,
    pub note: String,
    pub by_name: String,
    pub at: String,
}

impl FastenedRow {
    /// As the core sees it.
    pub fn core(&self) -> Fastened {
        Fastened {
            side: self.side.as_deref().and_then(Side::from_code),
            strakes: (self.strake_from, self.strake_to),
            frames: (self.frame_from, self.frame_to),
            kind: self.kind,
            metal: self.metal.clone(),
            diameter: self.diameter,
            year: self.year,
            share: self.share,
        }
    }
}

/// How a boat is fastened, in the order it was recorded.
pub async fn fastened(store: &Store, boat: i64) -> Result<Vec<FastenedRow>> {
    let sql = "SELECT id, side, strake_from, strake_to, frame_from, frame_to, kind, metal, diameter, year, share, note, by_name, at
               FROM fastened WHERE boat_id = ? AND withdrawn = 0 ORDER BY id";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

/// A crossing that was done.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct Done {
    pub strake: u32,
    pub frame: u32,
    pub note: String,
    pub photo: Option<String>,
    pub by_name: String,
    pub at: String,
}

const REGION: &str = "SELECT id, boat_id, name, side, strake_from, strake_to, frame_from, frame_to, metal, to_plane_off, kind, original, inside, in_lap, by_name, at FROM refasten WHERE withdrawn = 0";

pub async fn regions(store: &Store, boat: i64) -> Result<Vec<Region>> {
    let sql = format!("{REGION} AND boat_id = ? ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn region(store: &Store, boat: i64, id: i64) -> Result<Region> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{REGION} AND boat_id = ? AND id = ?")))
        .bind(boat)
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("refastened region"))
}

pub async fn done(store: &Store, region: i64) -> Result<Vec<Done>> {
    let sql = "SELECT strake, frame, note, photo, by_name, at FROM refasten_done WHERE refasten_id = ? ORDER BY id";
    Ok(sqlx::query_as(sql).bind(region).fetch_all(store.pool()).await?)
}

/// Old holes of a boat's planking as they were found, by crossing.
pub async fn holes(store: &Store, boat: i64) -> Result<HashMap<Address, Vec<OldHole>>> {
    let sql = "SELECT side, strake, frame, holes FROM crossing_holes WHERE boat_id = ? ORDER BY id";
    let rows: Vec<(String, u32, u32, String)> = sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?;
    let mut found = HashMap::new();
    for (side, strake, frame, holes) in rows {
        if let Some(side) = Side::from_code(&side) {
            found.insert(Address { side, strake, frame }, serde_json::from_str(&holes)?);
        }
    }
    Ok(found)
}

/// Whether a photo was taken while refastening this boat.
pub async fn boats_with_photo(store: &Store, hash: &str) -> Result<Vec<i64>> {
    let sql = "SELECT DISTINCT boat_id FROM refasten JOIN refasten_done ON refasten_id = refasten.id WHERE photo = ?";
    let rows: Vec<(i64,)> = sqlx::query_as(sql).bind(hash).fetch_all(store.pool()).await?;
    Ok(rows.into_iter().map(|(id,)| id).collect())
}

/// A piece of metal on a boat. mm from frame 1, athwart, and up from the keel.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct MetalItem {
    pub id: i64,
    pub boat_id: i64,
    pub name: String,
    pub metal: String,
    #[sqlx(try_from = "String")]
    pub zone: Zone,
    pub area: f64,
    pub x: f64,
    pub y: f64,
    pub z: f64,
    pub in_wood: bool,
    pub in_oak: bool,
    pub alkali: bool,
    pub fitted: Option<i32>,
    /// Wet wood joins it to this piece, however far away.
    pub joined_to: Option<i64>,
}

pub async fn metal(store: &Store, boat: i64) -> Result<Vec<MetalItem>> {
    let sql = "SELECT id, boat_id, name, metal, zone, area, x, y, z, in_wood, in_oak, alkali, fitted, joined_to FROM metal_item WHERE boat_id = ? AND withdrawn = 0 ORDER BY id";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

/// A fitting that goes through the boat.
#[derive(Debug, Clone, FromRow)]
pub struct Bolted {
    pub id: i64,
    pub boat_id: i64,
    pub name: String,
    #[sqlx(json, rename = "body")]
    pub plan: Fitting,
    pub first_by: Option<i64>,
    pub first_name: Option<String>,
    pub first_at: Option<String>,
    pub second_by: Option<i64>,
    pub second_name: Option<String>,
    pub second_at: Option<String>,
    pub by_name: String,
    pub at: String,
}

const BOLTED: &str = "SELECT id, boat_id, name, body, first_by, (SELECT name FROM account WHERE account.id = first_by) AS first_name, first_at,
    second_by, (SELECT name FROM account WHERE account.id = second_by) AS second_name, second_at, by_name, at FROM bolted WHERE withdrawn = 0";

pub async fn all_bolted(store: &Store, boat: i64) -> Result<Vec<Bolted>> {
    let sql = format!("{BOLTED} AND boat_id = ? ORDER BY id DESC");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn bolted(store: &Store, boat: i64, id: i64) -> Result<Bolted> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{BOLTED} AND boat_id = ? AND id = ?")))
        .bind(boat)
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("fitting"))
}

impl Work {
    /// Records how a region is fastened.
    pub async fn add_fastened(&mut self, boat: i64, new: &Fastened, note: &str, shown: &str) -> Result<i64> {
        let id = sqlx::query("INSERT INTO fastened (boat_id, side, strake_from, strake_to, frame_from, frame_to, kind, metal, diameter, year, share, note, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(boat)
            .bind(new.side.map(Side::code))
            .bind(new.strakes.0)
            .bind(new.strakes.1)
            .bind(new.frames.0)
            .bind(new.frames.1)
            .bind(new.kind.code())
            .bind(&new.metal)
            .bind(new.diameter)
            .bind(new.year)
            .bind(new.share.code())
            .bind(note)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        let body = json!({ "record": id, "side": new.side, "strakes": new.strakes, "frames": new.frames, "kind": new.kind,
            "metal": new.metal, "diameter_mm": new.diameter, "year": new.year, "share": new.share, "note": note });
        self.note(Some(boat), None, "fastened", &format!("Fastened: {shown}"), &body).await?;
        Ok(id)
    }

    /// Takes a record of how she is fastened back.
    pub async fn withdraw_fastened(&mut self, boat: i64, record: i64, shown: &str) -> Result<()> {
        let done = sqlx::query("UPDATE fastened SET withdrawn = 1 WHERE id = ? AND boat_id = ? AND withdrawn = 0")
            .bind(record)
            .bind(boat)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            return Ok(());
        }
        let body = json!({ "record": record });
        self.note(Some(boat), None, "fastened", &format!("Taken back: fastened {shown}"), &body).await?;
        Ok(())
    }

    pub async fn add_region(&mut self, new: &NewRegion) -> Result<i64> {
        let id = sqlx::query("INSERT INTO refasten (boat_id, name, side, strake_from, strake_to, frame_from, frame_to, metal, to_plane_off, kind, original, inside, in_lap, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(new.boat_id)
            .bind(&new.name)
            .bind(new.side.code())
            .bind(new.strakes.0)
            .bind(new.strakes.1)
            .bind(new.frames.0)
            .bind(new.frames.1)
            .bind(&new.metal)
            .bind(new.to_plane_off)
            .bind(new.kind.code())
            .bind(new.original.map_or("", Kind::code))
            .bind(new.inside)
            .bind(new.in_lap)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        let body = json!({ "region": id, "side": new.side, "strakes": new.strakes, "frames": new.frames, "kind": new.kind, "metal": new.metal });
        self.note(Some(new.boat_id), None, "refasten", &format!("Refastening planned: {}", new.name), &body).await?;
        Ok(id)
    }

    /// Sets a region aside; what was done in it stays told.
    pub async fn withdraw_region(&mut self, region: &Region) -> Result<()> {
        if !self.set_aside("refasten", region.id).await? {
            return Ok(());
        }
        let body = json!({ "region": region.id });
        self.note(Some(region.boat_id), None, "refasten", &format!("Refastening set aside: {}", region.name), &body)
            .await?;
        Ok(())
    }

    /// Writes down the old holes found at a crossing; the newest count.
    pub async fn record_holes(
        &mut self,
        boat: i64,
        member: Option<i64>,
        at: Address,
        holes: &[OldHole],
        shown: &str,
    ) -> Result<()> {
        sqlx::query("INSERT INTO crossing_holes (boat_id, side, strake, frame, holes, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?)")
            .bind(boat)
            .bind(at.side.code())
            .bind(at.strake)
            .bind(at.frame)
            .bind(serde_json::to_string(holes)?)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        let body = json!({ "at": at.to_string(), "holes": holes });
        let told = format!("Old holes at {shown}: {}", holes.len());
        self.note(Some(boat), member, "refasten", &told, &body).await?;
        Ok(())
    }

    /// Ticks a crossing off. A second tick of the same one adds what it says to the first: its note, and its photo where there was none.
    #[allow(clippy::too_many_arguments, reason = "a crossing, what was found there, and what is told of it")]
    pub async fn tick(
        &mut self,
        region: &Region,
        member: Option<i64>,
        strake: u32,
        frame: u32,
        note: &str,
        photo: Option<&str>,
        shown: &str,
    ) -> Result<()> {
        let done = sqlx::query("INSERT INTO refasten_done (refasten_id, strake, frame, note, photo, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING")
            .bind(region.id)
            .bind(strake)
            .bind(frame)
            .bind(note)
            .bind(photo)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            if note.is_empty() && photo.is_none() {
                return Ok(());
            }
            let also = format!("{}: {note}", self.act.by);
            sqlx::query(
                "UPDATE refasten_done SET note = CASE WHEN ?1 = '' THEN note ELSE trim(note || '; ' || ?2, '; ') END,
                 photo = coalesce(photo, ?3) WHERE refasten_id = ?4 AND strake = ?5 AND frame = ?6",
            )
            .bind(note)
            .bind(&also)
            .bind(photo)
            .bind(region.id)
            .bind(strake)
            .bind(frame)
            .execute(&mut *self.tx)
            .await?;
            let body = json!({ "region": region.id, "strake": strake, "frame": frame, "note": note, "photo": photo });
            let told = format!("Ticked {shown} a second time, and said: {note}");
            self.note(Some(region.boat_id), member, "refasten", &told, &body).await?;
            return Ok(());
        }
        let body = json!({ "region": region.id, "strake": strake, "frame": frame, "note": note, "photo": photo });
        let note = if note.is_empty() { String::new() } else { format!(": {note}") };
        self.note(Some(region.boat_id), member, "refasten", &format!("Refastened {shown}{note}"), &body).await?;
        Ok(())
    }

    pub async fn add_metal(&mut self, new: &MetalItem) -> Result<i64> {
        let id = sqlx::query("INSERT INTO metal_item (boat_id, name, metal, zone, area, x, y, z, in_wood, in_oak, alkali, fitted, joined_to, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(new.boat_id)
            .bind(&new.name)
            .bind(&new.metal)
            .bind(new.zone.code())
            .bind(new.area)
            .bind(new.x)
            .bind(new.y)
            .bind(new.z)
            .bind(new.in_wood)
            .bind(new.in_oak)
            .bind(new.alkali)
            .bind(new.fitted)
            .bind(new.joined_to)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        let body = json!({ "item": id, "metal": new.metal, "zone": new.zone, "area_mm2": new.area, "at_mm": [new.x, new.y, new.z], "fitted": new.fitted, "joined_to": new.joined_to });
        self.note(Some(new.boat_id), None, "metal", &format!("{} of {}", new.name, new.metal.replace('_', " ")), &body)
            .await?;
        Ok(id)
    }

    pub async fn withdraw_metal(&mut self, item: &MetalItem) -> Result<()> {
        if !self.set_aside("metal_item", item.id).await? {
            return Ok(());
        }
        let body = json!({ "item": item.id });
        self.note(Some(item.boat_id), None, "metal", &format!("{} is no longer there", item.name), &body).await?;
        Ok(())
    }

    pub async fn add_bolted(&mut self, boat: i64, name: &str, plan: &Fitting) -> Result<i64> {
        let body = serde_json::to_value(plan)?;
        let id = sqlx::query("INSERT INTO bolted (boat_id, name, body, by_name, at) VALUES (?, ?, ?, ?, ?)")
            .bind(boat)
            .bind(name)
            .bind(body.to_string())
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        self.note(
            Some(boat),
            None,
            "fitting",
            &format!("Fitting planned: {name}"),
            &json!({ "fitting": id, "plan": body }),
        )
        .await?;
        Ok(id)
    }

    /// Signs for a fitting before it is bored: two people, each once. [`StoreError::Conflict`] when one signs twice.
    pub async fn sign_bolted(&mut self, fitting: &Bolted, account: i64) -> Result<()> {
        if fitting.first_by == Some(account) || fitting.second_by == Some(account) {
            return Err(StoreError::Conflict("you have signed already: a second person reads it out and signs".into()));
        }
        let first = sqlx::query("UPDATE bolted SET first_by = ?, first_at = ? WHERE id = ? AND first_by IS NULL")
            .bind(account)
            .bind(self.stamp())
            .bind(fitting.id)
            .execute(&mut *self.tx)
            .await?;
        if first.rows_affected() == 0 {
            let second = sqlx::query(
                "UPDATE bolted SET second_by = ?, second_at = ? WHERE id = ? AND second_by IS NULL AND first_by <> ?",
            )
            .bind(account)
            .bind(self.stamp())
            .bind(fitting.id)
            .bind(account)
            .execute(&mut *self.tx)
            .await?;
            if second.rows_affected() == 0 {
                return Err(StoreError::Conflict("two have signed already".into()));
            }
        }
        let body = json!({ "fitting": fitting.id, "account": account });
        self.note(Some(fitting.boat_id), None, "fitting", &format!("Signed before boring: {}", fitting.name), &body)
            .await?;
        Ok(())
    }
}
