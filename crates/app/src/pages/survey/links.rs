//! Where a place on the boat leads to, and what is answered for one that lies off her.

use mend_keel_core::grid::Place;

use crate::web::error::Answer;

/// An address that is not on the boat leads back to the map, where it is told at the field.
pub fn off_the_boat(id: i64, at: &str) -> Answer {
    let at: String = at.chars().take(60).collect();
    Answer::Go(format!("/boats/{id}?at={}", rocket::http::RawStr::new(&at).percent_encode()))
}

/// Where a place's panel is.
pub fn place_link(id: i64, place: &Place) -> String {
    format!("/boats/{id}?at={}", place.to_string().replace(' ', "+"))
}
