//! What an option takes of materials, and what they cost.

use serde::Serialize;

use crate::fastening;
use crate::grid::Between;
use crate::grid::member::MemberKind;
use crate::practice::Prices;
use crate::repair::{gluing, graving};
use crate::work::tasks::Extent;

use super::Wood;
use crate::repair::way::OptionKind;

/// One line of what is needed. `each` is the price of one unit, in the yard's own money.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Material {
    pub what: &'static str,
    pub amount: f64,
    pub unit: &'static str,
    pub each: f64,
}

impl Material {
    pub fn cost(&self) -> f64 {
        self.amount * self.each
    }
}

/// Planed off each face of a blank's rough stock, mm (*yard rule*).
const ROUGH: f64 = 4.0;

/// Materials of an option: timber as bought (finished volume with planing, times the yard's waste), glue by joint area,
/// fastenings, seams and what is brushed on. Lines that come to nothing are left out. `length` and `thickness` are the member's.
pub fn materials(
    kind: OptionKind,
    extent: &Extent,
    wood: &Wood,
    (length, thickness): (f64, f64),
    prices: &Prices,
) -> Vec<Material> {
    let cubic = |long: f64, width: f64, thick: f64| long * width * (thick + ROUGH) / 1e9;
    let member = extent.member.unwrap_or(MemberKind::Plank);
    let (mut timber, mut plywood, mut glue_area) = (0.0, 0.0, 0.0);
    match wood {
        Wood::None => {}
        Wood::Patches(patches) => {
            for patch in patches {
                timber += cubic(patch.blank.length, patch.blank.width, patch.blank.thickness);
                glue_area += graving::joint_area(&patch.outline, patch.depth, patch.through);
                if let Some(back) = &patch.backing {
                    timber += cubic(back.length(), back.width(), back.thickness);
                    glue_area += back.face();
                }
            }
        }
        Wood::Plank(stretch) => {
            timber += cubic(stretch.length(), stretch.width, thickness);
            let scarfs = f64::from(u32::from(stretch.new_fore) + u32::from(stretch.new_aft));
            glue_area += scarfs * gluing::scarf_face(stretch.width, stretch.scarf, thickness);
        }
        Wood::Timber(piece) if piece.sheet => {
            plywood += piece.length() * piece.width / 1e6 * piece.thickness;
            glue_area += piece.joints(member, length).area();
        }
        Wood::Timber(piece) => {
            timber += cubic(piece.length(), piece.width, piece.thickness);
            glue_area += piece.joints(member, length).area();
        }
    }
    let line = |what, amount, unit, each| Material { what, amount, unit, each };
    let (with_spares, _) = fastening::order(extent.fastenings);
    let seam = match extent.between {
        Between::Seam => "seam, caulked and payed",
        Between::Lap => "laps, sealed and bedded",
        Between::GluedEdge | Between::Joint => "edges, sealed and glued",
    };
    let treated = if matches!(kind, OptionKind::Treat) { extent.area / 1e6 * 3.0 } else { extent.area / 1e6 };
    [
        line("timber, as bought", timber * prices.waste, "m³", prices.timber),
        line("plywood", plywood * prices.waste, "m² × mm", prices.plywood),
        line("glue, mixed", gluing::mixed_kg(glue_area), "kg", prices.glue),
        line("fastenings", f64::from(with_spares), "", prices.fastening),
        line(seam, extent.seam / 1e3, "m", prices.seam),
        line("primer and treatment", treated, "m²", prices.treatment),
    ]
    .into_iter()
    .filter(|m| m.amount > 1e-9)
    .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::repair::decide::Timber;

    #[test]
    fn a_new_frame_costs_its_timber_with_waste_and_its_fastenings() {
        let prices = Prices { timber: 2_000.0, waste: 1.5, fastening: 1.0, ..Prices::default() };
        let frame = Timber { from: 0.0, to: 2_000.0, width: 46.0, thickness: 40.0, scarf: 0.0, sheet: false, plies: 1 };
        let extent = Extent { fastenings: 20, ..Extent::default() };
        let lines = materials(OptionKind::Saw, &extent, &Wood::Timber(frame), (2_000.0, 40.0), &prices);
        assert_eq!(lines.iter().map(|m| m.what).collect::<Vec<_>>(), ["timber, as bought", "fastenings"]);
        let volume = 2.0 * 0.046 * 0.044;
        assert!((lines[0].cost() - volume * 1.5 * 2_000.0).abs() < 1e-9);
        assert!(lines[1].amount >= 20.0, "spares are ordered with them");
        assert!(materials(OptionKind::Leave, &Extent::default(), &Wood::None, (4_000.0, 25.0), &prices).is_empty());
    }
}
