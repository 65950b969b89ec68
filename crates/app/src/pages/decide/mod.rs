//! Decide: a part by itself, several planks together, the openings made to look, and the order in which things come out.

pub mod openings;
pub mod options;
pub mod order;
pub mod together;
pub mod years;
