//! Story: a boat's history.

pub mod dossier;
pub mod list;
pub mod owner;
pub mod pairs;
pub mod quote;
