//! Timber: boards for the pieces of a boat.

pub mod list;
