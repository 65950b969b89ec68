//! What a piece asks of the rack, and what the rack says to it.

use mend_keel_core::timber::board::{self, BoardState, Grain, Need, Quality};
use mend_keel_core::timber::species::{self, Species};
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

/// Free boards of the rack that yield what is needed, the best first, with how well they do.
pub fn serving<'b>(need: &Need, wood: &Species, rack: &'b [Board]) -> Vec<(&'b Board, f64)> {
    let free = rack.iter().filter(|b| b.state == BoardState::Free);
    let fits = free.map(|b| (b, board::fit(&b.stock(), &b.details, need, wood))).filter(|(_, fit)| fit.serves);
    let mut serving: Vec<(&Board, f64)> = fits.map(|(b, fit)| (b, fit.score)).collect();
    serving.sort_by(|a, b| b.1.total_cmp(&a.1));
    serving
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
    match serving(&need, wanted, rack).as_slice() {
        [] => {
            let rough = piece.thickness + 2.0 * board::PLANING_PER_FACE;
            let length = piece.length + 2.0 * board::end_trim(rough);
            format!("to buy: {}, {}", wanted.name.to_lowercase(), units.dims(&[length, piece.width, rough]))
        }
        [(only, _)] => format!("{} yields it", only.tag),
        [(best, _), rest @ ..] => format!("{} yields it, and {} more", best.tag, rest.len()),
    }
}
