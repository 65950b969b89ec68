//! Mend Keel, the application: pages over the core, a store under them, and the command line.
//!
//! Read [`routes`] for the one list of routes, then a page in [`pages`] with its template beside it: [`web`] brings the
//! request to it as core types, [`file`] loads what it needs of a boat, [`view`] draws,
//! [`papers`] writes what goes out. [`demo`] makes the demo yard;
//! [`cli`] is the command line. What may import what is in `tests/structure`.

pub mod cli;
pub mod demo;
pub mod file;
pub mod pages;
pub mod papers;
pub mod routes;
pub mod server;
pub mod view;
pub mod web;
