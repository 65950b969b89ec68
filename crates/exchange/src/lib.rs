//! Open formats in and out of the core's types.
//!
//! [`compute`] is the JSON contract of `mend-keel compute`: wire types of their own that refuse unknown
//! fields, converted to core types before anything is worked out.
//!
//! ```
//! use serde_json::json;
//! let output = mend_keel_exchange::compute::run("scarf", json!({ "thickness": 25, "width": 150, "ratio": 8 })).unwrap();
//! assert_eq!(output["length"], 200.0);
//! ```

pub mod calendar;
pub mod compute;
pub mod dossier;
pub mod drawing;
pub mod label;
pub mod report;
pub mod sheet;
