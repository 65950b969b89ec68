//! Story: a boat's history.

pub mod dossier;
pub mod list;
