//! Finish: coats on areas.

pub mod list;
pub mod weather;
