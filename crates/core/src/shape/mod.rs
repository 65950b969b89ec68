//! Shape: the curves of a hull and the stock they need.

pub mod hollow;
