//! Shape: the curves of a hull and the stock they need.

pub mod bend;
pub mod bevel;
pub mod fair;
pub mod hollow;
