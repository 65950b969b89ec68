//! Jobs all of whose tasks are done, while what was found on the part still stands open.

use mend_keel_core::repair::way::OptionKind;
use mend_keel_store::decisions::{Decision, Geometry, Piece, PieceState};
use mend_keel_store::findings::Finding;

use crate::file::boat::BoatFile;

/// What the end of a job asks for.
#[derive(Debug)]
pub struct Ending {
    pub decision: i64,
    /// What was found on the part and is still open: its number, and in words.
    pub found: Vec<(i64, String)>,
    /// Its pieces for which no board of the rack was cut.
    pub elsewhere: Vec<String>,
    /// The part was made new: it is asked of what year.
    pub is_new: bool,
}

/// Findings of a decided part that are still open.
pub fn open<'f>(file: &'f BoatFile, decision: &Decision) -> Vec<&'f Finding> {
    file.found_on(decision.member_id).filter(|f| f.is_open()).collect()
}

/// The end of a job: where all of it is done and something found there is still open. What is left and watched has none.
pub fn ending(file: &BoatFile, decision: &Decision) -> Option<Ending> {
    let found = open(file, decision);
    if decision.kind == OptionKind::Leave || found.is_empty() || !file.is_carried_out(decision.id) {
        return None;
    }
    let told = |f: &&Finding| (f.id, file.told_graded(f));
    Some(Ending {
        decision: decision.id,
        found: found.iter().map(told).collect(),
        elsewhere: not_of_the_rack(file, decision.id).map(|p| p.name.clone()).collect(),
        is_new: is_new(file, decision),
    })
}

/// Pieces of a decision for which no board was cut.
pub fn not_of_the_rack(file: &BoatFile, decision: i64) -> impl Iterator<Item = &Piece> {
    file.pieces.iter().filter(move |p| p.decision_id == decision && p.state != PieceState::Cut)
}

/// Whether a decision makes a plank or a part of new wood: whole, or a length of plank with joints of its own.
pub fn is_new(file: &BoatFile, decision: &Decision) -> bool {
    decision.kind.is_whole() || length_of(file, decision.id).is_some()
}

/// The length of plank that a decision puts in.
pub fn length_of(file: &BoatFile, decision: i64) -> Option<&Piece> {
    file.pieces.iter().find(|p| p.decision_id == decision && matches!(p.geometry, Geometry::Stretch { .. }))
}
