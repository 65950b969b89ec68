//! Seams: the balance of all, each through its gates, decks, sample boards and the launch.

pub mod balance;
pub mod deck;
pub mod launch;
pub mod line;
pub mod opened;
pub mod samples;
