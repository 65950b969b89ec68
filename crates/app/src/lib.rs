//! Mend Keel, the application: pages over the core, a store under them, and the command line.
//!
//! Read [`server`] for the route table, then [`form`] for how a request becomes core types, then a page in
//! [`pages`] with its template beside it. [`view`] draws; [`demo`] makes the demo yard; [`cli`] is the command line.

pub mod assets;
pub mod auth;
pub mod cli;
pub mod demo;
pub mod error;
pub mod folder;
pub mod form;
pub mod instruments;
pub mod jobs;
pub mod pages;
pub mod photos;
pub mod server;
pub mod view;
