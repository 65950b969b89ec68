//! Finish: coats on areas, and their upkeep.

pub mod coat;
pub mod list;
pub mod recipes;
pub mod upkeep;
pub mod weather;
