//! New wood that was put into a plank: the boat as she is now.

use mend_keel_core::grid::JointKind;
use mend_keel_core::grid::plank::PlankPlace;
use serde_json::json;

use crate::boats::{Boat, Plank};
use crate::decisions::{Geometry, Piece};
use crate::{Result, StoreError, Work};

impl Work {
    /// New wood that was put into a plank with joints at its new ends is a plank of its own, and keeps the number, the decision and the
    /// story; the old wood beyond its joints is planks of their own. Its pieces' places are counted from its own fore joint then. An end
    /// that is the plank's own already is left: the rest of what it mends may be told later.
    pub async fn put_in(&mut self, boat: &Boat, plank: &Plank, piece: &Piece) -> Result<()> {
        let Geometry::Stretch { new_fore, new_aft, scarf, fore_bay, aft_bay, .. } = &piece.geometry else {
            return Ok(());
        };
        let kind = if *scarf > 0.0 { JointKind::ScarfAft } else { JointKind::Butt };
        let fore = fore_bay.filter(|bay| *new_fore && plank.from_bay != Some(*bay));
        let aft = aft_bay.filter(|bay| *new_aft && plank.to_bay != Some(*bay));
        let within = |bay: u32| plank.from_bay.is_none_or(|b| bay > b) && plank.to_bay.is_none_or(|b| bay < b);
        if [fore, aft].into_iter().flatten().any(|bay| !within(bay)) || fore.zip(aft).is_some_and(|(f, a)| f >= a) {
            return Err(StoreError::Conflict("its joints were moved meanwhile: look at the decision again".into()));
        }
        if fore.is_none() && aft.is_none() {
            return Ok(());
        }
        if let Some(bay) = aft {
            self.part_aft(plank.id, bay, kind).await?;
        }
        if let Some(bay) = fore {
            self.part_fore(plank.id, bay, kind).await?;
            let now = PlankPlace { from_bay: Some(bay), ..plank.place() };
            let moved = now.span(&boat.shell).0 - plank.place().span(&boat.shell).0;
            self.count_from(piece.decision_id, moved).await?;
        }
        self.sort_findings(boat.id, plank.side, plank.strake).await?;
        let summary = format!("{} is new wood with joints of its own", plank.name());
        let body = json!({ "fore": fore, "aft": aft, "kind": kind, "plank": plank.id });
        self.note(Some(boat.id), Some(plank.id), "grid", &summary, &body).await?;
        Ok(())
    }

    /// Counts the places of a decision's lengths of plank from a point so far aft, mm.
    async fn count_from(&mut self, decision: i64, moved: f64) -> Result<()> {
        let rows: Vec<(i64, String)> = sqlx::query_as("SELECT id, geometry FROM piece WHERE decision_id = ?")
            .bind(decision)
            .fetch_all(&mut *self.tx)
            .await?;
        for (id, geometry) in rows {
            let mut geometry: Geometry = serde_json::from_str(&geometry)?;
            let Geometry::Stretch { from, to, .. } = &mut geometry else { continue };
            (*from, *to) = (*from - moved, *to - moved);
            sqlx::query("UPDATE piece SET geometry = ? WHERE id = ?")
                .bind(serde_json::to_string(&geometry)?)
                .bind(id)
                .execute(&mut *self.tx)
                .await?;
        }
        Ok(())
    }
}
