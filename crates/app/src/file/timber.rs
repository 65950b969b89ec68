//! What a piece asks of the rack, and what the rack says to it.

use mend_keel_core::timber::board::{self, BoardState, Fit, Grain, Need, Quality};
use mend_keel_core::timber::species::{self, Species};
use mend_keel_store::boards::{self, Board};
use mend_keel_store::decisions::{Geometry, NewPiece, Piece};
use mend_keel_store::{Store, StoreError, boats};

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

/// The rack, and whose boats are here: what was salvaged from one of them goes into no other.
#[derive(Debug)]
pub struct Rack {
    pub boards: Vec<Board>,
    here: Vec<String>,
}

impl Rack {
    pub async fn load(store: &Store) -> Result<Self, StoreError> {
        let here = boats::list(store).await?.into_iter().map(|b| b.name).collect();
        Ok(Self { boards: boards::list(store).await?, here })
    }

    pub fn find(&self, board: i64) -> Option<&Board> {
        self.boards.iter().find(|b| b.id == board)
    }

    /// A board held against what is needed for a boat.
    pub fn fit(&self, board: &Board, need: &Need, wood: &Species, boat: &str) -> Fit {
        let fit = board::fit(&board.stock(), &board.details, need, wood);
        let from = &board.details.from_boat;
        match board::may_go_into(from, boat, self.here.iter().map(String::as_str)) {
            true => fit,
            false => fit.of_another(from),
        }
    }

    /// Free boards that yield what is needed for a boat, the best first, with how well they do.
    pub fn serving(&self, need: &Need, wood: &Species, boat: &str) -> Vec<(&Board, f64)> {
        let free = self.boards.iter().filter(|b| b.state == BoardState::Free);
        let fits = free.map(|b| (b, self.fit(b, need, wood, boat))).filter(|(_, fit)| fit.serves);
        let mut serving: Vec<(&Board, f64)> = fits.map(|(b, fit)| (b, fit.score)).collect();
        serving.sort_by(|a, b| b.1.total_cmp(&a.1));
        serving
    }

    /// What it says to a piece that is only thought of: how many boards yield it, or what would have to be bought.
    pub fn says(&self, piece: &NewPiece, boat: &str, units: Units) -> String {
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
        match self.serving(&need, wanted, boat).as_slice() {
            [] => {
                let rough = piece.thickness + 2.0 * board::PLANING_PER_FACE;
                let length = piece.length + 2.0 * board::end_trim(rough);
                format!("to buy: {}, {}", wanted.name.to_lowercase(), units.dims(&[length, piece.width, rough]))
            }
            [(only, _)] => format!("{} yields it", only.tag),
            [(best, _), rest @ ..] => format!("{} yields it, and {} more", best.tag, rest.len()),
        }
    }
}
