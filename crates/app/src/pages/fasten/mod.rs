//! Fasten: the fastenings of pieces, regions, metals and fittings.

pub mod bolts;
pub mod metals;
pub mod planned;
pub mod refasten;
