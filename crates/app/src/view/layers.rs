//! What every cell of a boat shows by layer, and the patterns it is drawn with: told apart without colour.

use std::collections::{BTreeSet, HashMap};

use mend_keel_core::grid::{Address, Side};
use mend_keel_core::survey::original::Wood;
use mend_keel_core::survey::past::{PastKind, Quality};
use mend_keel_core::survey::reading::Filler;
use mend_keel_core::survey::{Grade, Method};
use mend_keel_core::timber::moisture::MoistureClass;

/// What is known of one cell.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct CellState {
    /// The worst grade of what was found there; sound where it was only looked over.
    pub grade: Option<Grade>,
    pub looked: BTreeSet<Method>,
    /// Read or estimated from readings near by, %.
    pub moisture: Option<f64>,
    pub past: Option<(PastKind, Quality)>,
    /// What is on record of its wood; `None`: nobody knows.
    pub wood: Option<Wood>,
}

/// The state of every cell about which anything is known, by member and cell.
pub type Cells = HashMap<(i64, u32), CellState>;

/// A place with a moisture reading, to be drawn with its figure.
#[derive(Debug, Clone)]
pub struct MoistureSpot {
    pub at: Address,
    /// mm aft of frame 1, and up from the strake's lower edge.
    pub x: f64,
    pub y: f64,
    pub moisture: f64,
}

/// A fastening that was drawn, or is picked to be.
#[derive(Debug, Clone)]
pub struct DrawnSpot {
    pub at: Address,
    pub nth: u32,
    /// `None`: picked, still to be drawn.
    pub grade: Option<Grade>,
}

/// A stretch of seam that was looked into: under strake `row + 1`.
#[derive(Debug, Clone)]
pub struct SeamSpot {
    pub side: Side,
    pub row: usize,
    pub from: f64,
    pub to: f64,
    pub filler: Option<Filler>,
}

/// Everything beyond findings that the map can show.
#[derive(Debug, Default)]
pub struct Layers {
    pub cells: Cells,
    pub moisture: Vec<MoistureSpot>,
    pub drawn: Vec<DrawnSpot>,
    pub seams: Vec<SeamSpot>,
}

/// The layers a map can be looked at by: code, label.
pub const LAYERS: [(&str, &str); 9] = [
    ("none", "Plain"),
    ("grade", "Grade"),
    ("moisture", "Moisture"),
    ("fastenings", "Fastenings"),
    ("seams", "Seams"),
    ("past", "Past repairs"),
    ("age", "Age and originality"),
    ("coverage", "Coverage"),
    ("grid", "Measured or generated"),
];

/// Pattern of a grade.
pub fn grade_pattern(grade: Grade) -> &'static str {
    match grade {
        Grade::Sound => "p-dots",
        Grade::Watch => "p-thin",
        Grade::Mend => "p-lines",
        Grade::Renew => "p-cross",
        Grade::Unsafe => "p-dense",
    }
}

/// Pattern of a moisture class: the wetter, the denser.
pub fn moisture_pattern(class: MoistureClass) -> &'static str {
    match class {
        MoistureClass::Ready => "p-dots",
        MoistureClass::Paint => "p-thin",
        MoistureClass::TooWet => "p-lines",
        MoistureClass::DecayRisk => "p-cross",
        MoistureClass::Wet => "p-dense",
    }
}

/// Pattern of how well a past repair serves.
pub fn past_pattern(quality: Quality) -> &'static str {
    match quality {
        Quality::Good => "p-brick",
        Quality::Fair => "p-level",
        Quality::Poor => "p-lines",
        Quality::Harmful => "p-dense",
    }
}

/// Pattern of the wood of a cell; none where nobody knows.
pub fn wood_pattern(wood: Wood) -> Option<&'static str> {
    match wood {
        Wood::Original => Some("p-dots"),
        Wood::Renewed { .. } => Some("p-upright"),
        Wood::Unknown => None,
    }
}

/// Pattern of how a cell was looked at: looked only, one instrument, several.
pub fn coverage_pattern(looked: &BTreeSet<Method>) -> Option<&'static str> {
    match looked.len() {
        0 => None,
        1 if looked.contains(&Method::Look) => Some("p-dots"),
        1 => Some("p-upright"),
        _ => Some("p-cross"),
    }
}

/// Legend of a layer: pattern or glyph, and what it means.
pub fn legend(layer: &str) -> Vec<(&'static str, String)> {
    match layer {
        "grade" => Grade::ALL.iter().map(|g| (grade_pattern(*g), g.label().to_owned())).collect(),
        "moisture" => {
            use MoistureClass as M;
            let mut rows: Vec<_> = [M::Ready, M::Paint, M::TooWet, M::DecayRisk, M::Wet]
                .map(|c| (moisture_pattern(c), c.label().to_owned()))
                .into();
            rows.push(("", "plain: nobody measured near".to_owned()));
            rows
        }
        "fastenings" => vec![
            ("g-drawn-good", "drawn, good".to_owned()),
            ("g-drawn-tired", "drawn, tired".to_owned()),
            ("g-drawn-bad", "drawn, bad".to_owned()),
            ("g-pick", "draw here next".to_owned()),
        ],
        "seams" => vec![
            ("s-soft", "soft and held".to_owned()),
            ("s-loose", "loose".to_owned()),
            ("s-hard", "hard".to_owned()),
            ("s-missing", "missing or open".to_owned()),
        ],
        "past" => Quality::ALL.iter().map(|q| (past_pattern(*q), q.label().to_owned())).collect(),
        "age" => vec![
            ("p-dots", "looked at, original".to_owned()),
            ("p-upright", "new wood in it".to_owned()),
            ("", "plain: nobody knows".to_owned()),
        ],
        "coverage" => vec![
            ("p-dots", "looked at".to_owned()),
            ("p-upright", "one instrument".to_owned()),
            ("p-cross", "two ways or more".to_owned()),
            ("", "plain: not looked at".to_owned()),
        ],
        "grid" => vec![("p-dots", "width measured".to_owned()), ("", "plain: generated, to be measured".to_owned())],
        _ => Vec::new(),
    }
}

/// Class of a seam's state on the map.
pub fn seam_class(filler: Option<Filler>) -> &'static str {
    match filler {
        Some(Filler::Soft) => "s-soft",
        Some(Filler::Loose) => "s-loose",
        Some(Filler::Hard) => "s-hard",
        Some(Filler::Missing) | None => "s-missing",
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::view::svg::GLYPHS;

    #[test]
    fn every_pattern_and_glyph_of_a_legend_is_drawn() {
        for (layer, _) in LAYERS {
            for (mark, label) in legend(layer) {
                let seam = mark.starts_with("s-");
                assert!(mark.is_empty() || seam || GLYPHS.contains(&format!("id=\"{mark}\"")), "{layer}: {label}");
            }
        }
    }

    #[test]
    fn no_two_entries_of_a_legend_look_alike() {
        for (layer, _) in LAYERS {
            let marks: Vec<&str> = legend(layer).iter().map(|(mark, _)| *mark).collect();
            let unique: BTreeSet<&&str> = marks.iter().collect();
            assert_eq!(unique.len(), marks.len(), "{layer}");
        }
    }
}
