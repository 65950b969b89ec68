//! Decide: a part by itself, several planks together, and the order in which things come out.

pub mod options;
pub mod order;
pub mod together;
pub mod years;
