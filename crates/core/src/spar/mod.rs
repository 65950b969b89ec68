//! Spars: hollow ones of staves, solid ones, and rings to go round them (handbook 10).

pub mod ring;
pub mod round;
pub mod stave;
