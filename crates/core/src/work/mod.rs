//! Work: the tasks a decision unfolds into, in structural order, and how long they take.

pub mod drawn;
pub mod estimate;
pub mod hanging;
pub mod holds;
pub mod order;
pub mod plan;
pub mod quote;
pub mod rest;
pub mod schedule;
pub mod sequence;
pub mod supply;
pub mod tasks;
