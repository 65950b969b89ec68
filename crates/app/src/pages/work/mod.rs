//! Work: tasks, hours, the end of a job, and the card by which a piece is hung.

pub mod hang;
pub mod list;
pub mod mended;
pub mod task;
