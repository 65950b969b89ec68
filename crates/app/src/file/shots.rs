//! Photographs of a boat by the part they were taken of, with the two that show it before and after.

use std::collections::BTreeMap;

use mend_keel_core::before::{self, Record, Taken};
use mend_keel_core::survey::FindingKind;
use mend_keel_store::shots::{self, Shot};
use mend_keel_store::{Store, StoreError};

use crate::file::boat::BoatFile;

/// Photographs of one part, oldest first.
#[derive(Debug)]
pub struct Series {
    pub member_id: i64,
    pub part: String,
    pub shots: Vec<Shot>,
    /// Which of them show it before and after.
    pub pair: Option<(usize, usize)>,
}

/// Her photographs, part by part; those with a pair first.
pub async fn series(store: &Store, file: &BoatFile) -> Result<Vec<Series>, StoreError> {
    let mut by_part: BTreeMap<i64, Vec<Shot>> = BTreeMap::new();
    for shot in shots::of_boat(store, file.boat.id).await? {
        let at_crossing = || shot.crossing.address().and_then(|at| file.plank_at(at).ok()).map(|p| p.id);
        if let Some(part) = shot.member_id.or_else(at_crossing) {
            by_part.entry(part).or_default().push(shot);
        }
    }
    let mut all: Vec<Series> = by_part
        .into_iter()
        .filter_map(|(member_id, shots)| {
            let taken: Vec<Taken> = shots.iter().map(Shot::taken).collect();
            Some(Series { member_id, part: file.part_name(member_id)?, pair: before::pair(&taken), shots })
        })
        .collect();
    all.sort_by_key(|s| s.pair.is_none());
    Ok(all)
}

/// What a photograph shows, in the words of the record it belongs to.
pub fn says(shot: &Shot) -> String {
    let words = shot.words.trim();
    match shot.of {
        Record::Finding => FindingKind::from_code(words).map_or(words, |kind| kind.label()).to_owned(),
        Record::Told => words.to_owned(),
        of if words.is_empty() => of.label().to_owned(),
        of => format!("{}: {words}", of.label()),
    }
}
