//! What the fastenings of a piece go through where it is no plank.

use crate::grid::member::MemberKind;
use crate::reason::{Reason, Verdict};

use super::pattern::{Size, edge_distance};

/// A piece of a frame, a beam or the backbone. Lengths mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Piece {
    pub kind: MemberKind,
    /// Its depth in the plane of its curve.
    pub moulded: f64,
    /// Sided; what is let in: its depth.
    pub thickness: f64,
    /// The whole part's own thickness.
    pub of: f64,
    pub is_scarfed: bool,
}

/// The wood a fastening joins, mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Layers {
    pub through: f64,
    pub into: f64,
}

/// Wood thinner than this is no layer, mm.
const THINNEST: f64 = 1.0;

/// What a piece's fastenings go through and into, and why; `None` where it hangs on what it is fastened to, which nobody recorded.
///
/// The planking is fastened anew to a piece of a frame or a floor; a scarf of anything else is bolted from face to face; a piece let
/// into a part is fastened into what is left of it. `planking`: thickness of what lies on her frames, mm. Source: *yard rule*.
pub fn layers(piece: &Piece, planking: f64) -> Option<(Layers, Reason)> {
    let why = |text: &str| Reason::note("fasten.layers", text);
    let (layers, reason) = if piece.kind.is_planked() {
        let text =
            "the planking is fastened to it anew: through the planking, into its moulded depth; a scarf in it is glued";
        (Layers { through: planking, into: piece.moulded }, why(text))
    } else if piece.is_scarfed {
        let half = piece.moulded / 2.0;
        (Layers { through: half, into: half }, why("its scarf is bolted through from face to face, its moulded depth"))
    } else {
        let left = piece.of - piece.thickness;
        (
            Layers { through: piece.thickness, into: left },
            why("through the piece that is let in, into what is left of the part"),
        )
    };
    (layers.through >= THINNEST && layers.into >= THINNEST).then_some((layers, reason))
}

/// What is to be said of a fastening in wood too narrow to keep its distance from both edges. Lengths mm. Source: handbook 05.
pub fn narrow(sided: f64, size: Size) -> Option<Reason> {
    let least = 2.0 * edge_distance(size.diameter());
    (sided < least).then(|| {
        Reason::new(
            "fasten.narrow",
            Verdict::Against,
            "no fastening keeps its distance from both edges of wood so narrow: one row along its middle, staggered by a hair, bored to size; \
             the thinner it is the less it splits",
        )
        .formula("2 × max(12, 2.5 d)")
        .against("sided", sided, "mm", least)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn piece(kind: MemberKind) -> Piece {
        Piece { kind, moulded: 60.0, thickness: 40.0, of: 40.0, is_scarfed: true }
    }

    fn of(piece: Piece) -> Option<(f64, f64)> {
        layers(&piece, 22.0).map(|(l, _)| (l.through, l.into))
    }

    #[test]
    fn a_frames_fastenings_go_through_the_planking_and_a_beams_through_its_scarf() {
        assert_eq!(of(piece(MemberKind::Frame)), Some((22.0, 60.0)));
        assert_eq!(of(Piece { is_scarfed: false, ..piece(MemberKind::Frame) }), Some((22.0, 60.0)), "a whole one too");
        assert_eq!(of(piece(MemberKind::Beam)), Some((30.0, 30.0)));
        assert_eq!(of(piece(MemberKind::Keel)), Some((30.0, 30.0)));
        let let_in = Piece { thickness: 15.0, is_scarfed: false, ..piece(MemberKind::Beam) };
        assert_eq!(of(let_in), Some((15.0, 25.0)));
    }

    #[test]
    fn what_a_whole_part_is_fastened_to_is_not_made_up() {
        for kind in MemberKind::ALL.iter().copied().filter(|k| !k.is_planked()) {
            assert_eq!(of(Piece { is_scarfed: false, ..piece(kind) }), None, "{}", kind.label());
        }
        // Nothing measured is no layer.
        assert_eq!(of(Piece { moulded: 0.0, ..piece(MemberKind::Frame) }), None);
        assert_eq!(layers(&piece(MemberKind::Frame), 0.0), None);
        assert_eq!(of(Piece { moulded: 0.0, ..piece(MemberKind::Keel) }), None);
    }

    #[test]
    fn wood_too_narrow_for_two_edges_is_told() {
        // A 3 mm nail and a 4.8 mm screw both keep the least, 12 mm; an 8 mm bolt 20.
        assert!(narrow(23.9, Size::Nail(3.0)).is_some() && narrow(24.0, Size::Nail(3.0)).is_none());
        assert!(narrow(39.9, Size::Bolt(8.0)).is_some() && narrow(40.0, Size::Bolt(8.0)).is_none());
        let told = narrow(18.0, Size::Nail(3.0)).unwrap();
        assert_eq!((told.verdict, told.rule), (Verdict::Against, "fasten.narrow"));
    }
}
