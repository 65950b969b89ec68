//! What a piece asks of the rack, and what the rack says to it.

use mend_keel_core::timber::board::{self, BoardState, Grain, Need, Quality};
use mend_keel_core::timber::species;
use mend_keel_store::boards::Board;
use mend_keel_store::decisions::{Geometry, NewPiece, Piece};

use crate::view::Units;

/// What a piece asks of a board.
pub fn need(piece: &Piece) -> Need {
    Need {
        species: piece.species.clone(),
        length: piece.length,
        width: piece.width,
        thickness: piece.thickness,
        // Planking is quarter-sawn where it can be had: it moves half as much across.
        grain: (!matches!(piece.geometry, Geometry::Timber { .. })).then_some(Grain::Quarter),
        glued: piece.geometry.is_glued(),
        quality: piece.quality,
        hang: 0.0,
    }
}

/// What the rack says to a piece that is only thought of: how many boards yield it, or what would have to be bought.
pub fn rack_says(piece: &NewPiece, rack: &[Board], units: Units) -> String {
    if matches!(piece.geometry, Geometry::Timber { sheet: true, .. }) {
        return format!("a sheet of {}", units.len(piece.thickness));
    }
    let need = Need {
        species: piece.species.clone(),
        length: piece.length,
        width: piece.width,
        thickness: piece.thickness,
        grain: None,
        glued: piece.geometry.is_glued(),
        quality: Quality::Clear,
        hang: 0.0,
    };
    let Ok(wanted) = species::find(&piece.species) else { return String::new() };
    let mut serving: Vec<(&Board, f64)> = rack
        .iter()
        .filter(|b| b.state == BoardState::Free)
        .map(|b| (b, board::fit(&b.stock(), &b.details, &need, wanted)))
        .filter(|(_, fit)| fit.serves)
        .map(|(b, fit)| (b, fit.score))
        .collect();
    serving.sort_by(|a, b| b.1.total_cmp(&a.1));
    match serving.as_slice() {
        [] => {
            let rough = piece.thickness + 2.0 * board::PLANING_PER_FACE;
            let length = piece.length + 2.0 * board::end_trim(rough);
            format!("to buy: {}, {}", wanted.name.to_lowercase(), units.dims(&[length, piece.width, rough]))
        }
        [(only, _)] => format!("{} yields it", only.tag),
        [(best, _), rest @ ..] => format!("{} yields it, and {} more", best.tag, rest.len()),
    }
}
