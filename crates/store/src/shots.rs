//! Photographs of a boat from every record that holds one, by the part they were taken of.

use mend_keel_core::before::{Record, Taken};
use mend_keel_core::grid::{Address, Side};
use sqlx::FromRow;

use crate::members::MaybeSide;
use crate::{Result, Store};

/// Where a region was refastened; all of it is `None` for anything else.
#[derive(Debug, Clone, FromRow)]
pub struct Crossing {
    #[sqlx(try_from = "MaybeSide")]
    side: Option<Side>,
    strake: Option<u32>,
    frame: Option<u32>,
}

impl Crossing {
    pub fn address(&self) -> Option<Address> {
        Some(Address { side: self.side?, strake: self.strake?, frame: self.frame? })
    }
}

/// A photograph with what it was taken of.
#[derive(Debug, Clone, FromRow)]
pub struct Shot {
    pub hash: String,
    /// The part, or the crossing where it was taken.
    pub member_id: Option<i64>,
    #[sqlx(flatten)]
    pub crossing: Crossing,
    pub at: String,
    pub by_name: String,
    #[sqlx(try_from = "String")]
    pub of: Record,
    /// What was said there: the kind of a finding, words, a note.
    pub words: String,
}

impl Shot {
    pub fn taken(&self) -> Taken {
        Taken { at: self.at.clone(), stage: self.of.stage() }
    }
}

/// Photographs of a boat's parts and crossings, oldest first. What was withdrawn shows nothing any more.
pub async fn of_boat(store: &Store, boat: i64) -> Result<Vec<Shot>> {
    let sql = "
        SELECT hash, finding.member_id AS member_id, NULL AS side, NULL AS strake, NULL AS frame, photo.at AS at,
               photo.by_name AS by_name, 'finding' AS of, finding.kind AS words
          FROM photo JOIN finding ON finding.id = finding_id
         WHERE photo.boat_id = ?1 AND finding.withdrawn = 0
        UNION ALL
        SELECT body ->> '$.photo', member_id, NULL, NULL, NULL, coalesce(body ->> '$.on', at), by_name, 'told',
               coalesce(body ->> '$.words', '')
          FROM event
         WHERE boat_id = ?1 AND kind = 'told' AND member_id IS NOT NULL AND body ->> '$.photo' IS NOT NULL
           AND id NOT IN (SELECT corrects FROM event WHERE boat_id = ?1 AND corrects IS NOT NULL)
        UNION ALL
        SELECT hung.photo, piece.member_id, NULL, NULL, NULL, hung.at, hung.by_name, 'hung', hung.note
          FROM hung JOIN piece ON piece.id = piece_id
         WHERE hung.boat_id = ?1 AND hung.photo IS NOT NULL AND hung.withdrawn = 0
        UNION ALL
        SELECT photo, member_id, NULL, NULL, NULL, at, by_name, 'job', note
          FROM job
         WHERE boat_id = ?1 AND photo IS NOT NULL AND member_id IS NOT NULL AND withdrawn = 0
        UNION ALL
        SELECT done.photo, NULL, refasten.side, done.strake, done.frame, done.at, done.by_name, 'refastened', done.note
          FROM refasten_done AS done JOIN refasten ON refasten.id = refasten_id
         WHERE refasten.boat_id = ?1 AND done.photo IS NOT NULL
        ORDER BY at, hash";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}
