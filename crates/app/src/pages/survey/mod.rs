//! Survey: everything found and read of a boat, and what follows from it.

pub mod causes;
pub mod compare;
pub mod coverage;
pub mod files;
pub mod finding;
pub mod grid;
pub mod grid_table;
pub mod lines;
pub mod links;
pub mod list;
pub mod map;
pub mod members;
pub mod offsets;
pub mod past;
pub mod quick;
pub mod reading;
pub mod salvage;
pub mod sample;

/// A tab of the survey: where it leads, and its label.
#[derive(Debug)]
pub struct Tab {
    pub path: &'static str,
    pub label: &'static str,
    pub here: bool,
}

/// The survey's own pages, in the order one looks.
pub fn tabs(here: &'static str) -> Vec<Tab> {
    [
        ("survey", "Findings"),
        ("survey/coverage", "Coverage"),
        ("survey/sample", "Fastening sample"),
        ("survey/lines", "Hog and sheer"),
        ("survey/causes", "Causes"),
        ("survey/past", "Past repairs"),
        ("survey/salvage", "Salvage"),
        ("survey/compare", "Compare"),
        ("survey/files", "Files"),
        ("grid", "Grid"),
    ]
    .into_iter()
    .map(|(path, label)| Tab { path, label, here: path == here })
    .collect()
}
