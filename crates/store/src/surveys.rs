//! What belongs to a survey beside its findings: what was looked over, past repairs, lines, the fastening draw,
//! salvage, and surveys closed for comparison.

use mend_keel_core::geometry::Point;
use mend_keel_core::grid::{Place, Side};
use mend_keel_core::survey::Method;
use mend_keel_core::survey::compare::Entry;
use mend_keel_core::survey::line::LineKind;
use mend_keel_core::survey::past::{PastKind, Quality};
use mend_keel_core::survey::sample::{Height, Part, Region, Spot};
use serde_json::{Value, json};
use sqlx::FromRow;

use crate::members::MaybeSide;
use crate::{Result, Store, Work};

/// Cells of a member inspected by a method.
#[derive(Debug, Clone, FromRow)]
pub struct Looked {
    pub id: i64,
    pub member_id: i64,
    pub from_cell: u32,
    pub to_cell: u32,
    #[sqlx(try_from = "String")]
    pub method: Method,
    pub by_name: String,
    pub at: String,
}

/// A repair done before.
#[derive(Debug, Clone, FromRow)]
pub struct PastRepair {
    pub id: i64,
    pub member_id: i64,
    pub from_cell: u32,
    pub to_cell: u32,
    #[sqlx(try_from = "String")]
    pub kind: PastKind,
    #[sqlx(try_from = "String")]
    pub quality: Quality,
    pub material: String,
    pub year: Option<i64>,
    /// What it hides.
    pub hides: String,
    pub note: String,
    pub by_name: String,
    pub at: String,
}

#[derive(Debug, Clone)]
pub struct NewPastRepair {
    pub member_id: i64,
    pub from_cell: u32,
    pub to_cell: u32,
    pub kind: PastKind,
    pub quality: Quality,
    pub material: String,
    pub year: Option<i64>,
    pub hides: String,
    pub note: String,
    /// Where it is, for the history.
    pub shown: String,
}

/// A fitting kept from the boat.
#[derive(Debug, Clone, FromRow)]
pub struct Fitting {
    pub id: i64,
    pub place: String,
    pub name: String,
    pub count: u32,
    pub metal: String,
    pub kept_at: String,
    pub note: String,
    pub by_name: String,
    pub at: String,
}

#[derive(Debug, Clone)]
pub struct NewFitting {
    pub member_id: i64,
    pub place: String,
    pub name: String,
    pub count: u32,
    pub metal: String,
    pub kept_at: String,
    pub note: String,
}

/// A line of the boat, read or designed. Points `[x, z]` mm.
#[derive(Debug, Clone, FromRow)]
pub struct Line {
    pub id: i64,
    #[sqlx(try_from = "String")]
    pub what: LineKind,
    #[sqlx(try_from = "MaybeSide")]
    pub side: Option<Side>,
    pub designed: bool,
    #[sqlx(json)]
    pub points: Vec<Point>,
    pub note: String,
    pub by_name: String,
    pub at: String,
}

/// A fastening picked to be drawn.
#[derive(Debug, Clone, FromRow)]
pub struct Pick {
    pub id: i64,
    #[sqlx(try_from = "String")]
    pub height: Height,
    #[sqlx(try_from = "String")]
    pub part: Part,
    #[sqlx(try_from = "String")]
    pub place: Place,
    pub nth: u32,
    pub seed: i64,
    /// `None`: still to be drawn.
    pub reading_id: Option<i64>,
    /// The drawn fastening is bad.
    pub bad: bool,
}

impl Pick {
    pub fn region(&self) -> Region {
        Region { height: self.height, part: self.part }
    }

    pub fn spot(&self) -> Option<Spot> {
        self.place.shell().map(|at| Spot { at, nth: self.nth })
    }
}

/// A survey that was closed.
#[derive(Debug, Clone, FromRow)]
pub struct Survey {
    pub id: i64,
    pub name: String,
    #[sqlx(json)]
    pub entries: Vec<Entry>,
    #[sqlx(json)]
    pub coverage: Value,
    pub by_name: String,
    pub at: String,
}

pub async fn looked(store: &Store, boat: i64) -> Result<Vec<Looked>> {
    let sql = "SELECT id, member_id, from_cell, to_cell, method, by_name, at FROM looked WHERE boat_id = ? ORDER BY id";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn past_repairs(store: &Store, boat: i64) -> Result<Vec<PastRepair>> {
    let sql = "SELECT id, member_id, from_cell, to_cell, kind, quality, material, year, hides, note, by_name, at
               FROM past_repair WHERE boat_id = ? AND withdrawn = 0 ORDER BY id";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn fittings(store: &Store, boat: i64) -> Result<Vec<Fitting>> {
    let sql =
        "SELECT id, place, name, count, metal, kept_at, note, by_name, at FROM fitting WHERE boat_id = ? ORDER BY id";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

/// A boat's lines, newest first.
pub async fn lines(store: &Store, boat: i64) -> Result<Vec<Line>> {
    let sql = "SELECT id, what, side, designed, points, note, by_name, at FROM line WHERE boat_id = ? ORDER BY id DESC";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn picks(store: &Store, boat: i64) -> Result<Vec<Pick>> {
    let sql = "SELECT p.id, height, part, p.place, nth, seed, p.reading_id, coalesce(r.grade IN ('renew', 'unsafe'), 0) AS bad
               FROM sample_pick p LEFT JOIN reading r ON r.id = p.reading_id WHERE p.boat_id = ? ORDER BY p.id";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

/// Surveys closed, oldest first.
pub async fn surveys(store: &Store, boat: i64) -> Result<Vec<Survey>> {
    let sql = "SELECT id, name, entries, coverage, by_name, at FROM survey WHERE boat_id = ? ORDER BY id";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

impl Work {
    pub async fn look_over(
        &mut self,
        boat: i64,
        member: i64,
        cells: (u32, u32),
        method: Method,
        shown: &str,
    ) -> Result<()> {
        self.look_over_quietly(boat, member, cells, method).await?;
        let summary = format!("Looked over {shown}, {}: nothing found", method.label().to_lowercase());
        let body = json!({ "from_cell": cells.0, "to_cell": cells.1, "method": method });
        self.note(Some(boat), Some(member), "looked", &summary, &body).await?;
        Ok(())
    }

    /// The history entry of a whole surface looked over, whose parts were kept by [`Self::look_over_quietly`].
    pub async fn tell_looked_over(&mut self, boat: i64, surface: &str, method: Method) -> Result<()> {
        let summary = format!("Looked over: {}, {}", surface.to_lowercase(), method.label().to_lowercase());
        self.note(Some(boat), None, "looked", &summary, &json!({ "surface": surface, "method": method })).await?;
        Ok(())
    }

    /// Keeps cells as looked at without an entry of their own in the history.
    pub async fn look_over_quietly(&mut self, boat: i64, member: i64, cells: (u32, u32), method: Method) -> Result<()> {
        sqlx::query("INSERT INTO looked (boat_id, member_id, from_cell, to_cell, method, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?)")
            .bind(boat)
            .bind(member)
            .bind(cells.0)
            .bind(cells.1)
            .bind(method.code())
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        Ok(())
    }

    pub async fn add_past_repair(&mut self, boat: i64, new: &NewPastRepair) -> Result<i64> {
        let id = sqlx::query(
            "INSERT INTO past_repair (boat_id, member_id, from_cell, to_cell, kind, quality, material, year, hides, note, by_name, at)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(boat)
        .bind(new.member_id)
        .bind(new.from_cell)
        .bind(new.to_cell)
        .bind(new.kind.code())
        .bind(new.quality.code())
        .bind(&new.material)
        .bind(new.year)
        .bind(&new.hides)
        .bind(&new.note)
        .bind(self.act.by.clone())
        .bind(self.stamp())
        .execute(&mut *self.tx)
        .await?
        .last_insert_rowid();
        let summary = format!(
            "Past repair at {}: {}, {}",
            new.shown,
            new.kind.label().to_lowercase(),
            new.quality.label().to_lowercase()
        );
        let body = json!({
            "past_repair": id, "cells": [new.from_cell, new.to_cell], "kind": new.kind, "quality": new.quality,
            "material": new.material, "year": new.year, "hides": new.hides, "note": new.note,
        });
        self.note(Some(boat), Some(new.member_id), "past_repair", &summary, &body).await?;
        Ok(id)
    }

    pub async fn withdraw_past_repair(&mut self, boat: i64, repair: &PastRepair) -> Result<()> {
        if !self.set_aside("past_repair", repair.id).await? {
            return Ok(());
        }
        let summary = format!("Withdrew a past repair: {}", repair.kind.label().to_lowercase());
        let body = json!({ "past_repair": repair.id });
        self.note(Some(boat), Some(repair.member_id), "withdrawal", &summary, &body).await?;
        Ok(())
    }

    pub async fn add_fitting(&mut self, boat: i64, new: &NewFitting) -> Result<i64> {
        let id = sqlx::query(
            "INSERT INTO fitting (boat_id, member_id, place, name, count, metal, kept_at, note, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(boat)
        .bind(new.member_id)
        .bind(&new.place)
        .bind(&new.name)
        .bind(new.count)
        .bind(&new.metal)
        .bind(&new.kept_at)
        .bind(&new.note)
        .bind(self.act.by.clone())
        .bind(self.stamp())
        .execute(&mut *self.tx)
        .await?
        .last_insert_rowid();
        let summary = format!("Kept {} × {} from {}", new.count, new.name, new.place);
        let body = json!({ "fitting": id, "metal": new.metal, "kept_at": new.kept_at, "note": new.note });
        self.note(Some(boat), Some(new.member_id), "salvage", &summary, &body).await?;
        Ok(id)
    }

    pub async fn add_line(
        &mut self,
        boat: i64,
        what: LineKind,
        side: Option<Side>,
        designed: bool,
        points: &[Point],
        note: &str,
    ) -> Result<i64> {
        let id = sqlx::query("INSERT INTO line (boat_id, what, side, designed, points, note, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(boat)
            .bind(what.code())
            .bind(side.map(Side::code))
            .bind(designed)
            .bind(serde_json::to_string(points)?)
            .bind(note)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        let side = side.map_or(String::new(), |s| format!(" to {}", s.label().to_lowercase()));
        let summary = format!("{} line of the {}{side}", if designed { "Designed" } else { "Read the" }, what.code());
        self.note(Some(boat), None, "line", &summary, &json!({ "line": id, "points_mm": points, "note": note }))
            .await?;
        Ok(id)
    }

    /// Keeps fastenings picked to be drawn, with the seed that picked them.
    pub async fn add_picks(&mut self, boat: i64, region: Region, picks: &[Spot], seed: i64) -> Result<()> {
        for pick in picks {
            sqlx::query("INSERT INTO sample_pick (boat_id, height, part, place, nth, seed, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)")
                .bind(boat)
                .bind(region.height.code())
                .bind(region.part.code())
                .bind(pick.at.to_string())
                .bind(pick.nth)
                .bind(seed)
                .bind(self.act.by.clone())
                .bind(self.stamp())
                .execute(&mut *self.tx)
                .await?;
        }
        let summary = format!("Picked {} fastenings to draw: {}", picks.len(), region.label().to_lowercase());
        self.note(Some(boat), None, "sample", &summary, &json!({ "region": region, "seed": seed, "picks": picks }))
            .await?;
        Ok(())
    }

    pub async fn close_survey(&mut self, boat: i64, name: &str, entries: &[Entry], coverage: &Value) -> Result<i64> {
        let id =
            sqlx::query("INSERT INTO survey (boat_id, name, entries, coverage, by_name, at) VALUES (?, ?, ?, ?, ?, ?)")
                .bind(boat)
                .bind(name)
                .bind(serde_json::to_string(entries)?)
                .bind(coverage.to_string())
                .bind(self.act.by.clone())
                .bind(self.stamp())
                .execute(&mut *self.tx)
                .await?
                .last_insert_rowid();
        let summary = format!("Closed the survey “{name}”: {} findings", entries.len());
        self.note(Some(boat), None, "survey", &summary, &json!({ "survey": id, "coverage": coverage })).await?;
        Ok(id)
    }
}
