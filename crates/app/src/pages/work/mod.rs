//! Work: tasks and hours.

pub mod list;
