//! Boats, their grid, and the planks on it.

use mend_keel_core::grid::edit::Edit;
use mend_keel_core::grid::member::{self, DeckKind, Form};
use mend_keel_core::grid::offsets::Offsets;
use mend_keel_core::grid::plank::PlankPlace;
use mend_keel_core::grid::{Address, Construction, Joint, JointKind, Numbering, Place, Shell, Side, Waterline};
use mend_keel_core::practice::{School, Use};
use mend_keel_core::timber::board::Grain;
use mend_keel_core::work::order::DeckSchool;
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
    /// Strakes up to this one lie below the waterline amidships.
    pub waterline_strake: u32,
    /// At the stem and at the stern, where they were said; else as amidships.
    pub waterline_stem: Option<u32>,
    pub waterline_stern: Option<u32>,
    #[sqlx(json)]
    pub shell: Shell,
    #[sqlx(try_from = "String")]
    pub deck: DeckKind,
    #[sqlx(json)]
    pub numbering: Numbering,
    #[sqlx(json(nullable))]
    pub offsets: Option<Offsets>,
    /// Moulds or battens hold the whole shape.
    pub moulds: bool,
    /// Which of the deck goes on first.
    #[sqlx(try_from = "String")]
    pub deck_school: DeckSchool,
    /// Of her grid: each correction makes it one more.
    pub version: i64,
    /// She left the yard: her papers are kept, she is on no list of work.
    pub archived: bool,
    /// Whose she is; may be empty.
    pub owner: String,
}

/// What may be said anew of a boat at any time.
#[derive(Debug, Clone, PartialEq)]
pub struct Papers {
    pub name: String,
    pub year: Option<i64>,
    pub owner: String,
    pub boat_use: Use,
    pub school: School,
    pub waterline_strake: u32,
    pub waterline_stem: Option<u32>,
    pub waterline_stern: Option<u32>,
}

impl Boat {
    /// Where the water comes to, at three stations.
    pub fn waterline(&self) -> Waterline {
        let middle = self.waterline_strake;
        Waterline { stem: self.waterline_stem.unwrap_or(middle), middle, stern: self.waterline_stern.unwrap_or(middle) }
    }

    /// Where a frame's after edge lies, mm aft of frame 1: the datum findings are measured from.
    pub fn datum(&self, frame: u32) -> f64 {
        self.shell.frame_x(frame) + self.frame_sided / 2.0
    }

    /// A place on the shell as this boat's crew number it.
    pub fn shown(&self, at: Address) -> String {
        self.numbering.turn(at, &self.shell).to_string()
    }

    /// A strake's name as this boat's crew number it: `P7`.
    pub fn shown_strake(&self, side: Side, strake: u32) -> String {
        let at = self.numbering.turn(Address { side, strake, frame: 1 }, &self.shell);
        format!("{}{}", at.side.letter(), at.strake)
    }

    /// What her members are laid out from.
    pub fn form(&self) -> Form<'_> {
        Form {
            construction: self.construction,
            shell: &self.shell,
            length: self.length,
            beam: self.beam,
            depth: self.depth,
            plank_thickness: self.plank_thickness,
            frame_sided: self.frame_sided,
            frame_moulded: self.frame_moulded,
            deck: self.deck,
            spars: &[],
        }
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
    /// Somebody saw the joints; otherwise they are only likely.
    pub joints_seen: bool,
    pub deck: DeckKind,
    /// Spars by name and length, mm.
    pub spars: Vec<(String, f64)>,
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
    /// Kind of the joint at its after end.
    #[sqlx(try_from = "String")]
    pub to_joint: JointKind,
    /// Somebody saw that joint; otherwise it is assumed.
    pub to_seen: bool,
    /// `None`: nobody looked.
    pub grain: Option<String>,
    pub finish: String,
    /// Kind and metal of its fastenings.
    pub fastened: String,
    /// Its thickness was measured.
    pub measured: bool,
    pub version: i64,
}

impl Plank {
    pub fn place(&self) -> PlankPlace {
        PlankPlace { side: self.side, strake: self.strake, from_bay: self.from_bay, to_bay: self.to_bay }
    }

    /// `P7, stem to bay 12`.
    pub fn name(&self) -> String {
        plank_name(self.side, self.strake, self.from_bay, self.to_bay)
    }

    /// First and last bay that counts with it, on a boat of so many frames.
    pub fn bays(&self, frames: u32) -> (u32, u32) {
        (self.from_bay.map_or(1, |b| b + 1), self.to_bay.unwrap_or(frames - 1))
    }

    /// How its rings stand to its face, where somebody looked.
    pub fn grain(&self) -> Option<Grain> {
        self.grain.as_deref().and_then(Grain::from_code)
    }

    /// Whether the bay aft of a frame lies on this plank; a butt's own bay counts with the plank forward of it.
    pub fn covers(&self, frame: u32) -> bool {
        self.from_bay.is_none_or(|bay| frame > bay) && self.to_bay.is_none_or(|bay| frame <= bay)
    }
}

const BOAT: &str = "SELECT id, name, construction, boat_use, school, year, length, beam, depth, plank_thickness, plank_species, frame_species, frame_sided, frame_moulded, waterline_strake, waterline_stem, waterline_stern, shell, deck, numbering, offsets, moulds, deck_school, version, archived, owner FROM boat";
const PLANK: &str = "SELECT id, boat_id, side, number AS strake, from_bay, to_bay, thickness, species, year, to_joint, to_seen, grain, finish, fastened, measured, version FROM member WHERE kind = 'plank' AND removed = 0";

/// What a plank is called: `P7, stem to bay 12`.
pub(crate) fn plank_name(side: Side, strake: u32, from_bay: Option<u32>, to_bay: Option<u32>) -> String {
    let end = |bay: Option<u32>, free: &str| bay.map_or(free.to_owned(), |bay| format!("bay {bay}"));
    format!("{}{strake}, {} to {}", side.letter(), end(from_bay, "stem"), end(to_bay, "stern"))
}

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
    let sql = format!("{PLANK} AND boat_id = ? ORDER BY side, number, coalesce(from_bay, -1)");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn plank(store: &Store, boat: i64, id: i64) -> Result<Plank> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{PLANK} AND boat_id = ? AND id = ?")))
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

/// Joints between two planks of a strake, in the order of the planks: those that somebody saw, or those that are only assumed.
pub fn joints(planks: &[Plank], seen: bool) -> Vec<Joint> {
    let of = |p: &Plank| p.to_bay.map(|bay| Joint { side: p.side, strake: p.strake, bay });
    planks.iter().filter(|p| p.to_seen == seen).filter_map(of).collect()
}

impl Work {
    /// Receives a boat with its grid and planks; all of it is in the history.
    pub async fn add_boat(&mut self, new: &NewBoat) -> Result<i64> {
        let id = sqlx::query(
            "INSERT INTO boat (name, construction, boat_use, school, year, length, beam, depth, plank_thickness,
             plank_species, frame_species, frame_sided, frame_moulded, waterline_strake, shell, deck, created_at)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
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
        .bind(new.deck.code())
        .bind(self.stamp())
        .execute(&mut *self.tx)
        .await?
        .last_insert_rowid();
        for side in Side::BOTH {
            for strake in 1..=new.shell.strake_count() {
                self.add_planks(id, new, side, strake).await?;
            }
        }
        let form = Form {
            construction: new.construction,
            shell: &new.shell,
            length: new.length,
            beam: new.beam,
            depth: new.depth,
            plank_thickness: new.plank_thickness,
            frame_sided: new.frame_sided,
            frame_moulded: new.frame_moulded,
            deck: new.deck,
            spars: &new.spars,
        };
        for member in member::lay_out(&form) {
            let spar = member.kind == member::MemberKind::Spar;
            let named =
                if spar { new.spars.get(member.number as usize - 1).map(|(name, _)| name.clone()) } else { None };
            let name = named.unwrap_or_else(|| member.name());
            let species = species_of(member.kind, &new.plank_species, &new.frame_species);
            self.add_member(id, &member, &name, species).await?;
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
            sqlx::query("INSERT INTO member (boat_id, kind, name, side, number, from_bay, to_bay, to_seen, thickness, species) VALUES (?, 'plank', '', ?, ?, ?, ?, ?, ?, ?)")
                .bind(boat)
                .bind(side.code())
                .bind(strake)
                .bind(from_bay)
                .bind(to_bay)
                .bind(new.joints_seen && to_bay.is_some())
                .bind(new.plank_thickness)
                .bind(&new.plank_species)
                .execute(&mut *self.tx)
                .await?;
        }
        Ok(())
    }

    /// Keeps a grid of which nothing is renumbered, or what else hangs on the boat's version. Refused as
    /// [`StoreError::Stale`] when somebody corrected the grid meanwhile.
    async fn save_shell(&mut self, boat: &Boat, shell: &Shell) -> Result<()> {
        let done = sqlx::query("UPDATE boat SET shell = ?, version = version + 1 WHERE id = ? AND version = ?")
            .bind(serde_json::to_string(shell)?)
            .bind(boat.id)
            .bind(boat.version)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Stale("the grid"));
        }
        Ok(())
    }

    /// Corrects the grid. Everything found keeps its place in the wood: addresses, joints and planned pieces are
    /// numbered anew where they must be. `shell` is the grid after the edit.
    pub async fn correct_grid(&mut self, boat: &Boat, edit: &Edit, shell: &Shell, summary: &str) -> Result<()> {
        self.save_shell(boat, shell).await?;
        if edit.renumbers() {
            self.renumber_members(boat, edit).await?;
            self.renumber_places(boat, edit, shell).await?;
        }
        // Each station's highest strake under water keeps its place in the wood.
        let moved = |strake: u32| match edit {
            Edit::RemoveStrake { strake: gone } if strake >= *gone => strake.saturating_sub(1),
            Edit::AddStrake { above } if strake >= *above => strake + 1,
            _ => strake,
        };
        self.set_waterline(boat, moved).await?;
        self.note(Some(boat.id), None, "grid", summary, &json!({ "edit": format!("{edit:?}") })).await?;
        Ok(())
    }

    /// Keeps what is said of a boat.
    pub async fn set_papers(&mut self, boat: &Boat, papers: &Papers) -> Result<()> {
        sqlx::query(
            "UPDATE boat SET name = ?, year = ?, owner = ?, boat_use = ?, school = ?, waterline_strake = ?, waterline_stem = ?, waterline_stern = ? WHERE id = ?",
        )
        .bind(&papers.name)
        .bind(papers.year)
        .bind(&papers.owner)
        .bind(papers.boat_use.code())
        .bind(papers.school.code())
        .bind(papers.waterline_strake)
        .bind(papers.waterline_stem)
        .bind(papers.waterline_stern)
        .bind(boat.id)
        .execute(&mut *self.tx)
        .await?;
        let body = json!({
            "name": papers.name, "was": boat.name, "year": papers.year, "owner": papers.owner, "use": papers.boat_use,
            "school": papers.school, "waterline_strake": papers.waterline_strake,
            "waterline_stem": papers.waterline_stem, "waterline_stern": papers.waterline_stern,
        });
        self.note(Some(boat.id), None, "papers", &format!("Her papers: {}", papers.name), &body).await?;
        Ok(())
    }

    /// Takes a boat off the lists of work, or puts her back; nothing of hers is lost.
    pub async fn archive_boat(&mut self, boat: &Boat, archived: bool) -> Result<()> {
        let done = sqlx::query("UPDATE boat SET archived = ?1 WHERE id = ?2 AND archived <> ?1")
            .bind(archived)
            .bind(boat.id)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            return Ok(());
        }
        let told = if archived { "Left the yard: her papers are kept" } else { "Back in the yard" };
        self.note(Some(boat.id), None, "papers", told, &json!({ "archived": archived })).await?;
        Ok(())
    }

    async fn set_waterline(&mut self, boat: &Boat, moved: impl Fn(u32) -> u32) -> Result<()> {
        sqlx::query("UPDATE boat SET waterline_strake = ?, waterline_stem = ?, waterline_stern = ? WHERE id = ?")
            .bind(moved(boat.waterline_strake))
            .bind(boat.waterline_stem.map(&moved))
            .bind(boat.waterline_stern.map(&moved))
            .bind(boat.id)
            .execute(&mut *self.tx)
            .await?;
        Ok(())
    }

    async fn renumber_members(&mut self, boat: &Boat, edit: &Edit) -> Result<()> {
        let rows: Vec<(i64, u32, Option<u32>, Option<u32>)> = sqlx::query_as(
            "SELECT id, number, from_bay, to_bay FROM member WHERE boat_id = ? AND kind = 'plank' AND removed = 0",
        )
        .bind(boat.id)
        .fetch_all(&mut *self.tx)
        .await?;
        if let Edit::RemoveStrake { strake } = edit {
            let (used,): (i64,) = sqlx::query_as(
                "SELECT (SELECT count(*) FROM finding f JOIN member m ON m.id = f.member_id WHERE m.boat_id = ?1 AND m.kind = 'plank' AND m.removed = 0 AND m.number = ?2 AND f.withdrawn = 0)
                      + (SELECT count(*) FROM decision d JOIN member m ON m.id = d.member_id WHERE m.boat_id = ?1 AND m.kind = 'plank' AND m.removed = 0 AND m.number = ?2 AND d.superseded = 0)",
            )
            .bind(boat.id)
            .bind(strake)
            .fetch_one(&mut *self.tx)
            .await?;
            if used > 0 {
                return Err(StoreError::Conflict(format!(
                    "something was found or decided on strake {strake}: it cannot be taken off the grid"
                )));
            }
        }
        let place = |strake: u32| edit.address(Address { side: Side::Port, strake, frame: 1 }).strake;
        for (id, number, from_bay, to_bay) in rows {
            let gone = matches!(edit, Edit::RemoveStrake { strake } if *strake == number);
            let (from, to) = (from_bay.map(|b| edit.bay(b)), to_bay.map(|b| edit.bay(b)));
            if from.is_some() && from == to {
                return Err(StoreError::Conflict(format!(
                    "two joints of strake {number} would fall into one bay: take one of them out first"
                )));
            }
            sqlx::query("UPDATE member SET number = ?, from_bay = ?, to_bay = ?, removed = ? WHERE id = ?")
                .bind(if gone { number } else { place(number) })
                .bind(from)
                .bind(to)
                .bind(gone)
                .bind(id)
                .execute(&mut *self.tx)
                .await?;
        }
        match *edit {
            Edit::AddStrake { above } => {
                for side in Side::BOTH {
                    sqlx::query("INSERT INTO member (boat_id, kind, name, side, number, thickness, species) VALUES (?, 'plank', '', ?, ?, ?, ?)")
                        .bind(boat.id)
                        .bind(side.code())
                        .bind(above + 1)
                        .bind(boat.plank_thickness)
                        .bind(&boat.plank_species)
                        .execute(&mut *self.tx)
                        .await?;
                }
            }
            Edit::AddFrame { after } => self.shift_frames(boat, after, 1).await?,
            Edit::RemoveFrame { frame } => self.shift_frames(boat, frame, -1).await?,
            _ => {}
        }
        Ok(())
    }

    /// Numbers frames and floors aft of one anew, and takes out or adds the one between.
    async fn shift_frames(&mut self, boat: &Boat, at: u32, by: i64) -> Result<()> {
        use mend_keel_core::grid::member::Member;
        let rows: Vec<crate::members::MemberRow> = crate::members::rows(&mut *self.tx, boat.id).await?;
        let ribs = rows.into_iter().filter(|m| m.kind.is_planked());
        let mut ribs: Vec<_> = ribs.collect();
        if by < 0 {
            for gone in ribs.iter().filter(|m| m.number == at) {
                let (used,): (i64,) =
                    sqlx::query_as("SELECT count(*) FROM finding WHERE member_id = ? AND withdrawn = 0")
                        .bind(gone.id)
                        .fetch_one(&mut *self.tx)
                        .await?;
                if used > 0 {
                    return Err(StoreError::Conflict(format!(
                        "something was found on {}: it cannot be taken off the grid",
                        gone.name
                    )));
                }
                sqlx::query("UPDATE member SET removed = 1 WHERE id = ?").bind(gone.id).execute(&mut *self.tx).await?;
            }
        }
        // From the far end when they move aft, so that no two bear one code in between.
        ribs.sort_by_key(|m| if by > 0 { -i64::from(m.number) } else { i64::from(m.number) });
        for row in ribs.iter().filter(|m| m.number > at) {
            let mut moved = row.core();
            moved.number = (i64::from(moved.number) + by) as u32;
            sqlx::query("UPDATE member SET number = ?, code = ?, name = ? WHERE id = ?")
                .bind(moved.number)
                .bind(moved.code())
                .bind(moved.name())
                .bind(row.id)
                .execute(&mut *self.tx)
                .await?;
            for table in ["finding", "reading"] {
                let sql =
                    format!("UPDATE {table} SET place = ? || substr(place, instr(place, ' ')) WHERE member_id = ?");
                sqlx::query(sqlx::AssertSqlSafe(sql)).bind(moved.code()).bind(row.id).execute(&mut *self.tx).await?;
            }
        }
        if by > 0 {
            for row in ribs.iter().filter(|m| m.number == at) {
                let added = Member { number: at + 1, ..row.core() };
                self.add_member(boat.id, &added, &added.name(), &boat.frame_species).await?;
            }
        }
        Ok(())
    }

    async fn renumber_places(&mut self, boat: &Boat, edit: &Edit, shell: &Shell) -> Result<()> {
        // A finding at a frame taken out is measured from the frame before it from now on.
        let moved_datum = |at: Address| {
            let (old, new) = (boat.datum(at.frame), shell.frame_x(edit.address(at).frame) + boat.frame_sided / 2.0);
            if matches!(edit, Edit::RemoveFrame { frame } if *frame == at.frame) { old - new } else { 0.0 }
        };
        let findings: Vec<(i64, String, String)> =
            sqlx::query_as("SELECT id, place, shape FROM finding WHERE boat_id = ?")
                .bind(boat.id)
                .fetch_all(&mut *self.tx)
                .await?;
        for (id, place, shape) in findings {
            let Ok(Place::Shell(at)) = Place::parse(&place) else { continue };
            let shift = moved_datum(at);
            let mut points: Vec<[f64; 2]> = serde_json::from_str(&shape)?;
            points.iter_mut().for_each(|p| p[0] += shift);
            sqlx::query("UPDATE finding SET place = ?, shape = ? WHERE id = ?")
                .bind(edit.address(at).to_string())
                .bind(serde_json::to_string(&points)?)
                .bind(id)
                .execute(&mut *self.tx)
                .await?;
        }
        let readings: Vec<(i64, String)> = sqlx::query_as("SELECT id, place FROM reading WHERE boat_id = ?")
            .bind(boat.id)
            .fetch_all(&mut *self.tx)
            .await?;
        for (id, place) in readings {
            let Ok(Place::Shell(at)) = Place::parse(&place) else { continue };
            sqlx::query("UPDATE reading SET place = ?, x = x + ? WHERE id = ?")
                .bind(edit.address(at).to_string())
                .bind(moved_datum(at))
                .bind(id)
                .execute(&mut *self.tx)
                .await?;
        }
        self.renumber_fastenings(boat, edit).await?;
        // Picks still to be drawn are dropped: the population has changed.
        sqlx::query("DELETE FROM sample_pick WHERE boat_id = ? AND reading_id IS NULL")
            .bind(boat.id)
            .execute(&mut *self.tx)
            .await?;
        let picks: Vec<(i64, String)> =
            sqlx::query_as("SELECT id, place FROM sample_pick WHERE boat_id = ? ORDER BY id DESC")
                .bind(boat.id)
                .fetch_all(&mut *self.tx)
                .await?;
        for (id, place) in picks {
            let Ok(Place::Shell(at)) = Place::parse(&place) else { continue };
            // Two fastenings may come to one place; the draw they were counted in is over, so one of them may go.
            sqlx::query("UPDATE OR REPLACE sample_pick SET place = ? WHERE id = ?")
                .bind(edit.address(at).to_string())
                .bind(id)
                .execute(&mut *self.tx)
                .await?;
        }
        for table in ["looked", "past_repair"] {
            let sql = format!(
                "SELECT t.id, from_cell, to_cell FROM {table} t JOIN member m ON m.id = t.member_id WHERE t.boat_id = ? AND m.kind = 'plank'"
            );
            let rows: Vec<(i64, u32, u32)> =
                sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat.id).fetch_all(&mut *self.tx).await?;
            for (id, from, to) in rows {
                let sql = format!("UPDATE {table} SET from_cell = ?, to_cell = ? WHERE id = ?");
                sqlx::query(sqlx::AssertSqlSafe(sql))
                    .bind(edit.bay(from))
                    .bind(edit.bay(to))
                    .bind(id)
                    .execute(&mut *self.tx)
                    .await?;
            }
        }
        Ok(())
    }

    /// Regions that are refastened with what was done in them, old holes, and seams, after a correction of the grid.
    async fn renumber_fastenings(&mut self, boat: &Boat, edit: &Edit) -> Result<()> {
        let place = |strake: u32, frame: u32| edit.address(Address { side: Side::Port, strake, frame });
        for table in ["refasten", "fastened"] {
            let sql = format!("SELECT id, strake_from, strake_to, frame_from, frame_to FROM {table} WHERE boat_id = ?");
            let regions: Vec<(i64, u32, u32, u32, u32)> =
                sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat.id).fetch_all(&mut *self.tx).await?;
            for (id, s0, s1, f0, f1) in regions {
                let (from, to) = (place(s0, f0), place(s1, f1));
                let sql = format!(
                    "UPDATE {table} SET strake_from = ?, strake_to = ?, frame_from = ?, frame_to = ? WHERE id = ?"
                );
                sqlx::query(sqlx::AssertSqlSafe(sql))
                    .bind(from.strake)
                    .bind(to.strake)
                    .bind(from.frame)
                    .bind(to.frame)
                    .bind(id)
                    .execute(&mut *self.tx)
                    .await?;
            }
        }
        // From the far end when they move away, so that no two bear one place in between.
        let away = matches!(edit, Edit::AddFrame { .. } | Edit::AddStrake { .. });
        let order = if away { "DESC" } else { "ASC" };
        for (table, owner) in [
            ("refasten_done", "refasten_id IN (SELECT id FROM refasten WHERE boat_id = ?)"),
            ("crossing_holes", "boat_id = ?"),
        ] {
            let sql = format!(
                "SELECT id, strake, frame FROM {table} WHERE {owner} ORDER BY strake {order}, frame {order}, id"
            );
            let rows: Vec<(i64, u32, u32)> =
                sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat.id).fetch_all(&mut *self.tx).await?;
            for (id, strake, frame) in rows {
                let now = place(strake, frame);
                // A crossing that is no more is told with the one it went to; where that is done too, one of them may go.
                let sql = format!("UPDATE OR REPLACE {table} SET strake = ?, frame = ? WHERE id = ?");
                sqlx::query(sqlx::AssertSqlSafe(sql))
                    .bind(now.strake)
                    .bind(now.frame)
                    .bind(id)
                    .execute(&mut *self.tx)
                    .await?;
            }
        }
        let sql = format!("SELECT id, row FROM seam WHERE boat_id = ? AND removed = 0 ORDER BY row {order}");
        let seams: Vec<(i64, u32)> =
            sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat.id).fetch_all(&mut *self.tx).await?;
        for (id, row) in seams {
            let now = edit.seam(row);
            sqlx::query("UPDATE seam SET row = ?, removed = ? WHERE id = ?")
                .bind(now.unwrap_or(row))
                .bind(now.is_none())
                .bind(id)
                .execute(&mut *self.tx)
                .await?;
        }
        Ok(())
    }

    /// Puts a joint where it was measured to be. Errors tell when it would pass its neighbour, or when something
    /// decided hangs on the planks it joins.
    pub async fn move_joint(&mut self, boat: &Boat, fore: &Plank, bay: u32, kind: JointKind) -> Result<()> {
        let Some(was) = fore.to_bay else {
            return Err(StoreError::Conflict("this plank ends at the stern: there is no joint to move".into()));
        };
        let after = self.next_plank(boat.id, fore).await?;
        let low = fore.from_bay.map_or(1, |b| b + 1);
        let high = after.to_bay.map_or(boat.shell.frame_count() - 1, |b| b - 1);
        if bay < low || bay > high {
            return Err(StoreError::Conflict(format!("this joint can lie in bays {low} to {high}")));
        }
        if bay != was {
            self.nothing_decided(&[fore.id, after.id]).await?;
        }
        self.end_plank(fore.id, bay, kind).await?;
        self.begin_plank(after.id, bay).await?;
        self.sort_findings(boat.id, fore.side, fore.strake).await?;
        let joint = Joint { side: fore.side, strake: fore.strake, bay };
        let summary = format!("Joint of {} put in bay {bay}, it was in bay {was}", strake_name(joint));
        self.note(Some(boat.id), Some(fore.id), "grid", &summary, &json!({ "from": was, "to": bay, "kind": kind }))
            .await?;
        Ok(())
    }

    /// Somebody saw the joint that was assumed at a plank's after end, and of what kind it is.
    pub async fn see_joint(&mut self, boat: &Boat, fore: &Plank, kind: JointKind) -> Result<()> {
        let Some(bay) = fore.to_bay else {
            return Err(StoreError::Conflict("this plank ends at the stern: there is no joint to see".into()));
        };
        sqlx::query("UPDATE member SET to_joint = ?, to_seen = 1, version = version + 1 WHERE id = ?")
            .bind(kind.code())
            .bind(fore.id)
            .execute(&mut *self.tx)
            .await?;
        let joint = Joint { side: fore.side, strake: fore.strake, bay };
        let summary = format!("Joint of {} seen in bay {bay}: {}", strake_name(joint), kind.label().to_lowercase());
        self.note(Some(boat.id), Some(fore.id), "grid", &summary, &json!({ "bay": bay, "kind": kind })).await?;
        Ok(())
    }

    /// Makes two planks of one, with a joint that was overlooked.
    pub async fn split_plank(&mut self, boat: &Boat, plank: &Plank, bay: u32, kind: JointKind) -> Result<i64> {
        let low = plank.from_bay.map_or(1, |b| b + 1);
        let high = plank.to_bay.map_or(boat.shell.frame_count() - 1, |b| b - 1);
        if bay < low || bay > high {
            return Err(StoreError::Conflict(format!("a joint in this plank can lie in bays {low} to {high}")));
        }
        self.nothing_decided(&[plank.id]).await?;
        let after = self.part_aft(plank.id, bay, kind).await?;
        self.sort_findings(boat.id, plank.side, plank.strake).await?;
        let summary = format!("{} is two planks, joined in bay {bay}", plank.name());
        self.note(Some(boat.id), Some(plank.id), "grid", &summary, &json!({ "bay": bay, "after": after })).await?;
        Ok(after)
    }

    /// Takes out a joint that is not there: its two planks are one.
    pub async fn join_planks(&mut self, boat: &Boat, fore: &Plank) -> Result<()> {
        let after = self.next_plank(boat.id, fore).await?;
        self.nothing_decided(&[fore.id, after.id]).await?;
        sqlx::query("UPDATE member SET to_bay = ?, to_joint = ?, to_seen = ?, version = version + 1 WHERE id = ?")
            .bind(after.to_bay)
            .bind(after.to_joint.code())
            .bind(after.to_seen)
            .bind(fore.id)
            .execute(&mut *self.tx)
            .await?;
        sqlx::query("UPDATE member SET removed = 1 WHERE id = ?").bind(after.id).execute(&mut *self.tx).await?;
        for table in ["finding", "reading", "looked", "past_repair"] {
            let sql = format!("UPDATE {table} SET member_id = ? WHERE member_id = ?");
            sqlx::query(sqlx::AssertSqlSafe(sql)).bind(fore.id).bind(after.id).execute(&mut *self.tx).await?;
        }
        let summary = format!("There is no joint aft of {}: one plank with the next", fore.name());
        self.note(Some(boat.id), Some(fore.id), "grid", &summary, &json!({ "joined": after.id })).await?;
        Ok(())
    }

    async fn next_plank(&mut self, boat: i64, fore: &Plank) -> Result<Plank> {
        let sql = format!("{PLANK} AND boat_id = ? AND side = ? AND number = ? AND from_bay = ?");
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(boat)
            .bind(fore.side.code())
            .bind(fore.strake)
            .bind(fore.to_bay)
            .fetch_optional(&mut *self.tx)
            .await?
            .ok_or(StoreError::NotFound("plank aft of it"))
    }

    async fn nothing_decided(&mut self, planks: &[i64]) -> Result<()> {
        for id in planks {
            let (decided,): (i64,) =
                sqlx::query_as("SELECT count(*) FROM decision WHERE member_id = ? AND superseded = 0")
                    .bind(id)
                    .fetch_one(&mut *self.tx)
                    .await?;
            if decided > 0 {
                return Err(StoreError::Conflict(
                    "a repair is decided on this plank and drawn from where its joints are: decide anew first".into(),
                ));
            }
        }
        Ok(())
    }

    /// Parts what lies aft of a bay from a plank, with a joint that was seen: the number of the new one.
    pub(crate) async fn part_aft(&mut self, id: i64, bay: u32, kind: JointKind) -> Result<i64> {
        let aft = self.copy_plank(id).await?;
        self.begin_plank(aft, bay).await?;
        self.end_plank(id, bay, kind).await?;
        Ok(aft)
    }

    /// Parts what lies forward of a bay from a plank likewise.
    pub(crate) async fn part_fore(&mut self, id: i64, bay: u32, kind: JointKind) -> Result<i64> {
        let fore = self.copy_plank(id).await?;
        self.end_plank(fore, bay, kind).await?;
        self.begin_plank(id, bay).await?;
        Ok(fore)
    }

    /// The same wood in the same place once more: one of the two has to be ended or begun elsewhere.
    async fn copy_plank(&mut self, id: i64) -> Result<i64> {
        let copied = sqlx::query(
            "INSERT INTO member (boat_id, kind, name, side, number, from_bay, to_bay, to_joint, to_seen, thickness, measured, species, grain, year, finish, fastened)
             SELECT boat_id, kind, name, side, number, from_bay, to_bay, to_joint, to_seen, thickness, measured, species, grain, year, finish, fastened FROM member WHERE id = ?",
        )
        .bind(id)
        .execute(&mut *self.tx)
        .await?;
        Ok(copied.last_insert_rowid())
    }

    /// A plank ends in a bay, with a joint that was seen.
    async fn end_plank(&mut self, id: i64, bay: u32, kind: JointKind) -> Result<()> {
        sqlx::query("UPDATE member SET to_bay = ?, to_joint = ?, to_seen = 1, version = version + 1 WHERE id = ?")
            .bind(bay)
            .bind(kind.code())
            .bind(id)
            .execute(&mut *self.tx)
            .await?;
        Ok(())
    }

    /// A plank begins in a bay.
    async fn begin_plank(&mut self, id: i64, bay: u32) -> Result<()> {
        sqlx::query("UPDATE member SET from_bay = ?, version = version + 1 WHERE id = ?")
            .bind(bay)
            .bind(id)
            .execute(&mut *self.tx)
            .await?;
        Ok(())
    }

    /// Gives every finding and reading of a strake to the plank it lies on.
    pub(crate) async fn sort_findings(&mut self, boat: i64, side: Side, strake: u32) -> Result<()> {
        let sql = format!("{PLANK} AND boat_id = ? AND side = ? AND number = ?");
        let planks: Vec<Plank> = sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(boat)
            .bind(side.code())
            .bind(strake)
            .fetch_all(&mut *self.tx)
            .await?;
        for table in ["finding", "reading"] {
            let sql = format!("SELECT id, place FROM {table} WHERE boat_id = ?");
            let rows: Vec<(i64, String)> =
                sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(&mut *self.tx).await?;
            for (id, place) in rows {
                let Ok(Place::Shell(at)) = Place::parse(&place) else { continue };
                if let Some(plank) = plank_at(&planks, at) {
                    let sql = format!("UPDATE {table} SET member_id = ? WHERE id = ?");
                    sqlx::query(sqlx::AssertSqlSafe(sql)).bind(plank.id).bind(id).execute(&mut *self.tx).await?;
                }
            }
        }
        Ok(())
    }

    /// Keeps a whole grid that was read from a file.
    pub async fn replace_shell(&mut self, boat: &Boat, shell: &Shell, summary: &str) -> Result<()> {
        self.save_shell(boat, shell).await?;
        self.note(Some(boat.id), None, "grid", summary, &json!({ "measured": shell.measured.len() })).await?;
        Ok(())
    }

    pub async fn set_numbering(&mut self, boat: i64, numbering: Numbering) -> Result<()> {
        sqlx::query("UPDATE boat SET numbering = ? WHERE id = ?")
            .bind(serde_json::to_string(&numbering)?)
            .bind(boat)
            .execute(&mut *self.tx)
            .await?;
        let from = |on, far, near| if on { far } else { near };
        let summary = format!(
            "Frames are counted from {}, strakes from the {}",
            from(numbering.frames_from_aft, "aft", "forward"),
            from(numbering.strakes_from_sheer, "sheer", "keel")
        );
        self.note(Some(boat), None, "grid", &summary, &json!(numbering)).await?;
        Ok(())
    }

    pub async fn set_offsets(&mut self, boat: i64, offsets: &Offsets) -> Result<()> {
        sqlx::query("UPDATE boat SET offsets = ? WHERE id = ?")
            .bind(serde_json::to_string(offsets)?)
            .bind(boat)
            .execute(&mut *self.tx)
            .await?;
        let summary = format!("Table of offsets: {} stations, {} rows", offsets.stations.len(), offsets.rows.len());
        self.note(Some(boat), None, "lines", &summary, &json!({})).await?;
        Ok(())
    }

    /// Keeps what holds a boat's shape and which of her deck goes on first.
    pub async fn set_hold(&mut self, boat: i64, moulds: bool, deck: DeckSchool) -> Result<()> {
        sqlx::query("UPDATE boat SET moulds = ?, deck_school = ? WHERE id = ?")
            .bind(moulds)
            .bind(deck.code())
            .bind(boat)
            .execute(&mut *self.tx)
            .await?;
        let held = if moulds { "Moulds hold her shape" } else { "Nothing but her own parts holds her shape" };
        let summary = format!("{held}; {}", deck.label().to_lowercase());
        self.note(Some(boat), None, "order", &summary, &json!({ "moulds": moulds, "deck": deck })).await?;
        Ok(())
    }

    /// Lays out members a boat does not have yet; for boats received before there were any.
    pub async fn lay_out_members(&mut self, boat: &Boat, deck: DeckKind) -> Result<usize> {
        sqlx::query("UPDATE boat SET deck = ? WHERE id = ?")
            .bind(deck.code())
            .bind(boat.id)
            .execute(&mut *self.tx)
            .await?;
        let there: Vec<String> =
            crate::members::rows(&mut *self.tx, boat.id).await?.into_iter().map(|m| m.code).collect();
        let form = Form { deck, ..boat.form() };
        let mut added = 0;
        for member in member::lay_out(&form) {
            if !there.contains(&member.code()) {
                let species = species_of(member.kind, &boat.plank_species, &boat.frame_species);
                self.add_member(boat.id, &member, &member.name(), species).await?;
                added += 1;
            }
        }
        self.note(Some(boat.id), None, "grid", &format!("Laid out {added} members"), &json!({ "deck": deck })).await?;
        Ok(added)
    }
}

/// What spars are likely made of, until somebody says.
const SPAR_SPECIES: &str = "sitka_spruce";

/// The likely species of a part: that of the planking, of the frames, or of spars.
pub fn species_of<'s>(kind: member::MemberKind, planking: &'s str, frames: &'s str) -> &'s str {
    match kind {
        member::MemberKind::Spar => SPAR_SPECIES,
        kind if kind.is_planking() => planking,
        _ => frames,
    }
}

fn strake_name(joint: Joint) -> String {
    format!("{}{}", joint.side.letter(), joint.strake)
}
