//! Work: tasks, hours, and the card by which a piece is hung.

pub mod hang;
pub mod list;
pub mod task;
