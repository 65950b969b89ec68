//! Whole jobs beside the repair of a part: decks, panels, edges, spars, rings, templates, fittings, and other work.

pub mod fields;
pub mod form;
pub mod list;
pub mod show;
