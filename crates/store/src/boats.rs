//! Boats, their grid, and the planks on it.

use mend_keel_core::grid::{Address, Construction, Joint, Shell, Side};
use mend_keel_core::practice::{School, Use};
use mend_keel_core::repair::decide::PlankPlace;
use serde_json::json;
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

/// A boat. Lengths in mm.
#[derive(Debug, Clone, FromRow)]
pub struct Boat {
    pub id: i64,
    pub name: String,
    #[sqlx(try_from = "String")]
    pub construction: Construction,
    #[sqlx(try_from = "String")]
    pub boat_use: Use,
    #[sqlx(try_from = "String")]
    pub school: School,
    pub year: Option<i64>,
    pub length: f64,
    pub beam: f64,
    pub depth: f64,
    pub plank_thickness: f64,
    pub plank_species: String,
    pub frame_species: String,
    pub frame_sided: f64,
    pub frame_moulded: f64,
    /// Strakes up to this one lie below the waterline.
    pub waterline_strake: u32,
    #[sqlx(json)]
    pub shell: Shell,
}

impl Boat {
    /// Where a frame's after edge lies, mm aft of frame 1: the datum findings are measured from.
    pub fn datum(&self, frame: u32) -> f64 {
        self.shell.frame_x(frame) + self.frame_sided / 2.0
    }
}

/// A boat to be received; its planks are cut at the joints.
#[derive(Debug, Clone)]
pub struct NewBoat {
    pub name: String,
    pub construction: Construction,
    pub boat_use: Use,
    pub school: School,
    pub year: Option<i64>,
    pub length: f64,
    pub beam: f64,
    pub depth: f64,
    pub plank_thickness: f64,
    pub plank_species: String,
    pub frame_species: String,
    pub frame_sided: f64,
    pub frame_moulded: f64,
    pub waterline_strake: u32,
    pub shell: Shell,
    pub joints: Vec<Joint>,
}

/// A plank of a boat.
#[derive(Debug, Clone, FromRow)]
pub struct Plank {
    pub id: i64,
    pub boat_id: i64,
    #[sqlx(try_from = "String")]
    pub side: Side,
    pub strake: u32,
    pub from_bay: Option<u32>,
    pub to_bay: Option<u32>,
    pub thickness: f64,
    pub species: String,
    /// `None`: original.
    pub year: Option<i64>,
}

impl Plank {
    pub fn place(&self) -> PlankPlace {
        PlankPlace { side: self.side, strake: self.strake, from_bay: self.from_bay, to_bay: self.to_bay }
    }

    /// `P7, stem to bay 12`.
    pub fn name(&self) -> String {
        let end = |bay: Option<u32>, free: &str| bay.map_or(free.to_owned(), |bay| format!("bay {bay}"));
        format!(
            "{}{}, {} to {}",
            self.side.letter(),
            self.strake,
            end(self.from_bay, "stem"),
            end(self.to_bay, "stern")
        )
    }

    /// Whether the bay aft of a frame lies on this plank; a butt's own bay counts with the plank forward of it.
    pub fn covers(&self, frame: u32) -> bool {
        self.from_bay.is_none_or(|bay| frame > bay) && self.to_bay.is_none_or(|bay| frame <= bay)
    }
}

const BOAT: &str = "SELECT id, name, construction, boat_use, school, year, length, beam, depth, plank_thickness, plank_species, frame_species, frame_sided, frame_moulded, waterline_strake, shell FROM boat";
const PLANK: &str = "SELECT id, boat_id, side, strake, from_bay, to_bay, thickness, species, year FROM plank";

pub async fn list(store: &Store) -> Result<Vec<Boat>> {
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(format!("{BOAT} ORDER BY id"))).fetch_all(store.pool()).await?)
}

pub async fn find(store: &Store, id: i64) -> Result<Boat> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{BOAT} WHERE id = ?")))
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("boat"))
}

/// All planks, from the keel up and from forward.
pub async fn planks(store: &Store, boat: i64) -> Result<Vec<Plank>> {
    let sql = format!("{PLANK} WHERE boat_id = ? ORDER BY side, strake, coalesce(from_bay, -1)");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn plank(store: &Store, boat: i64, id: i64) -> Result<Plank> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{PLANK} WHERE boat_id = ? AND id = ?")))
        .bind(boat)
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("plank"))
}

/// The plank at a place.
pub fn plank_at(planks: &[Plank], at: Address) -> Option<&Plank> {
    planks.iter().find(|p| p.side == at.side && p.strake == at.strake && p.covers(at.frame))
}

/// Every joint between two planks of a strake, in the order of the planks.
pub fn joints(planks: &[Plank]) -> Vec<Joint> {
    planks.iter().filter_map(|p| p.to_bay.map(|bay| Joint { side: p.side, strake: p.strake, bay })).collect()
}

impl Work {
    /// Receives a boat with its grid and planks; all of it is in the history.
    pub async fn add_boat(&mut self, new: &NewBoat) -> Result<i64> {
        let id = sqlx::query(
            "INSERT INTO boat (name, construction, boat_use, school, year, length, beam, depth, plank_thickness,
             plank_species, frame_species, frame_sided, frame_moulded, waterline_strake, shell, created_at)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(&new.name)
        .bind(new.construction.code())
        .bind(new.boat_use.code())
        .bind(new.school.code())
        .bind(new.year)
        .bind(new.length)
        .bind(new.beam)
        .bind(new.depth)
        .bind(new.plank_thickness)
        .bind(&new.plank_species)
        .bind(&new.frame_species)
        .bind(new.frame_sided)
        .bind(new.frame_moulded)
        .bind(new.waterline_strake)
        .bind(serde_json::to_string(&new.shell)?)
        .bind(self.stamp())
        .execute(&mut *self.tx)
        .await?
        .last_insert_rowid();
        for side in Side::BOTH {
            for strake in 1..=new.shell.strake_count() {
                self.add_planks(id, new, side, strake).await?;
            }
        }
        let summary = format!(
            "Received {}: {} frames, {} strakes a side",
            new.name,
            new.shell.frame_count(),
            new.shell.strake_count()
        );
        let body = json!({
            "construction": new.construction, "length_mm": new.length, "beam_mm": new.beam, "depth_mm": new.depth,
            "school": new.school, "use": new.boat_use, "joints": new.joints,
        });
        self.note(Some(id), None, "received", &summary, &body).await?;
        Ok(id)
    }

    async fn add_planks(&mut self, boat: i64, new: &NewBoat, side: Side, strake: u32) -> Result<()> {
        let mut bays: Vec<u32> =
            new.joints.iter().filter(|j| j.side == side && j.strake == strake).map(|j| j.bay).collect();
        bays.sort_unstable();
        let starts = std::iter::once(None).chain(bays.iter().copied().map(Some));
        let ends = bays.iter().copied().map(Some).chain(std::iter::once(None));
        for (from_bay, to_bay) in starts.zip(ends) {
            sqlx::query("INSERT INTO plank (boat_id, side, strake, from_bay, to_bay, thickness, species) VALUES (?, ?, ?, ?, ?, ?, ?)")
                .bind(boat)
                .bind(side.code())
                .bind(strake)
                .bind(from_bay)
                .bind(to_bay)
                .bind(new.plank_thickness)
                .bind(&new.plank_species)
                .execute(&mut *self.tx)
                .await?;
        }
        Ok(())
    }
}
