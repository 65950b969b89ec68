//! Fasten: the fastenings of pieces, regions, metals and fittings.

pub mod as_she_is;
pub mod bolts;
pub mod metals;
pub mod planned;
pub mod refasten;
