//! What goes out on paper or as a file of its own, for the pages and for the command line alike: reports, editions, the dossier.

pub mod dossier;
pub mod edition;
pub mod quote;
pub mod report;
