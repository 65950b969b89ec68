//! The application as people meet it: the real binary, its pages over HTTP, and a real browser.

mod backups;
mod browser;
mod cli;
mod corrections;
mod deciding;
mod dossier;
mod fasten;
mod finish;
mod hostile;
mod layout;
mod links;
mod offline;
mod owners;
mod people;
mod rack;
mod readme;
mod seams;
mod shaping;
mod statements;
mod story;
mod structure;
mod support;
mod survey;
mod survives;
mod work;
mod years;
