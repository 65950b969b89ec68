//! Finish: coats on areas.

pub mod list;
