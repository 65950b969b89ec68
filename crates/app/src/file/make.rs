//! What a boat's own lines and members say at the beginning of a whole job.

use mend_keel_core::geometry::Point;
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::grid::offsets::RowKind;
use mend_keel_core::hull;

use super::boat::BoatFile;

/// Stations a generated outline is given at.
const STATIONS: u32 = 12;

/// The port half of her deck: from the table of offsets where there is one with a sheer; else as she was generated. `true`: it
/// was taken from her lines and not from likely ones; it is still to be taken on the boat.
pub fn deck_outline(file: &BoatFile) -> (Vec<Point>, bool) {
    let sheer = file.boat.offsets.as_ref().and_then(|offsets| {
        let row =
            offsets.rows.iter().find(|r| r.kind == RowKind::HalfBreadth && r.name.to_lowercase().contains("sheer"))?;
        let points = offsets.stations.iter().zip(&row.values).filter_map(|(x, v)| Some([*x, (*v)?]));
        let points: Vec<Point> = points.collect();
        (points.len() >= 3).then_some(points)
    });
    if let Some(points) = sheer {
        return (points, true);
    }
    let at = |n: u32| {
        let along = f64::from(n) / f64::from(STATIONS);
        [(along * file.boat.length).round(), hull::half_breadth(file.boat.beam, along).round()]
    };
    ((0..=STATIONS).map(at).collect(), false)
}

/// Where her deck beams stand, as they are numbered along her.
pub fn beams(file: &BoatFile) -> Vec<f64> {
    let mut all: Vec<f64> = file
        .members
        .iter()
        .filter(|m| m.kind == MemberKind::Beam && m.of_count > 0)
        .map(|m| (file.boat.length * f64::from(m.number) / f64::from(m.of_count)).round())
        .collect();
    all.sort_by(f64::total_cmp);
    all.dedup();
    all
}
