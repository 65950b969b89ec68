//! Shape: the curves of a hull and the stock they need.

pub mod bend;
pub mod bevel;
pub mod covering;
pub mod fair;
pub mod frame;
pub mod hollow;
pub mod pattern;
pub mod rectify;
pub mod spiling;
pub mod template;
pub mod widths;
