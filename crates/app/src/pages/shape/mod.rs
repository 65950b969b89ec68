//! Shape: taken shapes, frames and pieces.

pub mod capture;
pub mod frames;
pub mod list;
pub mod piece;
