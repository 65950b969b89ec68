//! Where a finding lies that nobody drew: by its kind and, where they were said, its length and width.

use super::{Extent, FindingKind};
use crate::geometry::Point;

/// The stretch of a part that a place names, x from its datum. mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Cell {
    /// Where the part begins and ends.
    pub from: f64,
    pub to: f64,
    /// Across the part.
    pub width: f64,
    /// The middle of the cell: of the clear bay between two frames, counted from the datum at the frame's after edge.
    pub middle: f64,
}

impl Cell {
    /// The cell of a bay of planking: the datum is the after edge of a frame, the clear bay reaches to the next one.
    pub fn bay(from: f64, to: f64, width: f64, frame_space: f64, frame_sided: f64) -> Self {
        Self { from, to, width, middle: (frame_space - frame_sided) / 2.0 }
    }
}

/// Half the sides of the mark that stands for a place when nothing was said of its size, mm.
const SMALL: [f64; 2] = [40.0, 20.0];
/// Width of an area of which only the length was said, mm (*yard rule*).
pub const AREA_ACROSS: f64 = 40.0;

/// The shape of a finding in the middle of its cell. `size` is length with the grain and width across it, mm; without it the mark is
/// small. A seam lies on the lower edge, a line of some width from corner to corner.
pub fn shape(kind: FindingKind, cell: Cell, size: Option<(f64, f64)>) -> Vec<Point> {
    let room = (cell.to - cell.from).max(0.0);
    let (half, up) = match size {
        Some((along, across)) => ((along / 2.0).min(room / 2.0), across.min(cell.width) / 2.0),
        None => (SMALL[0].min(room / 2.0), SMALL[1].min(cell.width / 3.0)),
    };
    let x = cell.middle.clamp(cell.from + half, (cell.to - half).max(cell.from + half));
    let y = cell.width / 2.0;
    let (left, right) = (x - half, x + half);
    match kind.extent() {
        Extent::Point => vec![[x, y]],
        Extent::Line if matches!(kind, FindingKind::OpenSeam | FindingKind::Buckled) => vec![[left, 0.0], [right, 0.0]],
        Extent::Line if size.is_some() => vec![[left, y - up], [right, y + up]],
        Extent::Line => vec![[left, y], [right, y]],
        Extent::Area => vec![[left, y - up], [right, y - up], [right, y + up], [left, y + up]],
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const BAY: Cell = Cell { from: -400.0, to: 1_600.0, width: 120.0, middle: 115.0 };

    #[test]
    fn a_finding_without_a_drawing_lies_in_the_middle_of_the_clear_bay_whether_its_length_was_said_or_not() {
        let middle = |shape: Vec<Point>| shape.iter().map(|p| p[0]).sum::<f64>() / shape.len() as f64;
        assert_eq!(Cell::bay(-400.0, 1_600.0, 120.0, 270.0, 40.0), BAY);
        for size in [None, Some((100.0, 30.0))] {
            assert!((middle(shape(FindingKind::Rot, BAY, size)) - 115.0).abs() < 1e-9);
            assert!((middle(shape(FindingKind::Crack, BAY, size)) - 115.0).abs() < 1e-9);
        }
    }

    #[test]
    fn an_open_seam_lies_on_the_edge_and_a_long_one_stays_on_the_plank() {
        let seam = shape(FindingKind::OpenSeam, BAY, Some((5_000.0, 0.0)));
        assert_eq!(seam, vec![[-400.0, 0.0], [1_600.0, 0.0]]);
        assert!(shape(FindingKind::Rot, BAY, Some((80.0, 500.0))).iter().all(|p| (0.0..=120.0).contains(&p[1])));
    }
}
