//! Story: a boat's history.

pub mod list;
