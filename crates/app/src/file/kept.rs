//! Boats' files kept in memory while nothing was committed, so that a tap on the map does not load the boat again.

use std::sync::{Arc, Mutex};

use mend_keel_store::{Store, StoreError};

use super::survey::SurveyFile;

/// Files kept at once; the one asked for longest ago goes first.
const MOST: usize = 12;

#[derive(Debug)]
struct Kept {
    boat: i64,
    /// What the store's version was before it was read.
    version: i64,
    file: Arc<SurveyFile>,
}

/// The files that are kept, the one asked for last at the end.
#[derive(Debug, Default)]
pub struct Files {
    kept: Mutex<Vec<Kept>>,
}

impl Files {
    /// A boat's file: kept from before while the store's version is the same, or read. The version is asked for before.
    pub async fn survey(&self, store: &Store, version: i64, boat: i64) -> Result<Arc<SurveyFile>, StoreError> {
        if let Some(file) = self.find(boat, version) {
            return Ok(file);
        }
        let file = Arc::new(SurveyFile::load(store, boat).await?);
        // A poisoned lock only means that somebody panicked while looking: what is kept is still whole.
        let mut kept = self.kept.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        kept.retain(|k| k.boat != boat);
        if kept.len() >= MOST {
            kept.remove(0);
        }
        kept.push(Kept { boat, version, file: Arc::clone(&file) });
        Ok(file)
    }

    fn find(&self, boat: i64, version: i64) -> Option<Arc<SurveyFile>> {
        let mut kept = self.kept.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        let at = kept.iter().position(|k| k.boat == boat && k.version == version)?;
        let found = kept.remove(at);
        let file = Arc::clone(&found.file);
        kept.push(found);
        Some(file)
    }
}
