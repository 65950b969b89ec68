//! How a boat stood on a day gone by, as far as her story tells.

use std::collections::{HashMap, HashSet};

use crate::decisions::{self, Decision, Piece};
use crate::{Result, Store};

/// How a boat stood before a moment, as far as the story tells.
#[derive(Debug, Clone, Default)]
pub struct Before {
    /// Findings whose outcome was set by then: the last one counts.
    pub outcomes: HashMap<i64, String>,
    /// Members new wood was cut for by then.
    pub cut: HashSet<i64>,
    /// The last decision on each member by then, by member.
    pub decisions: HashMap<i64, Decision>,
    /// The pieces of those decisions, also those dropped since.
    pub pieces: Vec<Piece>,
}

/// When a boat's story begins.
pub async fn begun(store: &Store, boat: i64) -> Result<Option<String>> {
    Ok(sqlx::query_scalar("SELECT min(at) FROM event WHERE boat_id = ?").bind(boat).fetch_one(store.pool()).await?)
}

/// An entry that changed how she stands: member, kind, finding, outcome.
type Told = (Option<i64>, String, Option<i64>, Option<String>);

/// How a boat stood before a moment (RFC 3339, as entries are stamped); see [`Before`].
pub async fn before(store: &Store, boat: i64, moment: &str) -> Result<Before> {
    let mut before = Before::default();
    let sql = "SELECT member_id, kind, json_extract(body, '$.finding'), json_extract(body, '$.outcome') FROM event
               WHERE boat_id = ? AND at < ? AND kind IN ('outcome', 'cut') ORDER BY id";
    let told: Vec<Told> = sqlx::query_as(sql).bind(boat).bind(moment).fetch_all(store.pool()).await?;
    for (member, kind, finding, outcome) in told {
        if kind == "cut" {
            before.cut.extend(member);
        } else if let (Some(finding), Some(outcome)) = (finding, outcome) {
            before.outcomes.insert(finding, outcome);
        }
    }
    for decision in decisions::until(store, boat, moment).await? {
        before.decisions.insert(decision.member_id, decision);
    }
    let in_force: HashSet<i64> = before.decisions.values().map(|d| d.id).collect();
    before.pieces = decisions::all_pieces(store, boat).await?;
    before.pieces.retain(|p| in_force.contains(&p.decision_id));
    Ok(before)
}
