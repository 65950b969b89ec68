//! A place as somebody typed it, found on the boat.

use mend_keel_core::InputError;
use mend_keel_core::grid::Place;

use crate::file::boat::{BoatFile, Part};

/// A place as it is typed, in the crew's own numbers; names of parts (`frame 12 port`) are found too.
pub fn typed_place(file: &BoatFile, text: &str) -> std::result::Result<Place, InputError> {
    let wanted = text.trim().to_lowercase();
    if let Some(member) =
        file.members.iter().find(|m| m.name.to_lowercase().replace(',', "") == wanted.replace(',', ""))
    {
        return Place::parse(&member.code);
    }
    Ok(match file.read(text)? {
        Place::Shell(at) => Place::Shell(file.boat.numbering.turn(at, &file.boat.shell)),
        // `FR12P head`: the name of a cell instead of its number.
        other => other,
    })
}

/// The part at a place as it is typed.
pub fn typed_part<'f>(file: &'f BoatFile, text: &str) -> std::result::Result<(Place, Part<'f>), InputError> {
    let place = typed_place(file, text)?;
    let part = file.part_at(&place)?;
    Ok((place, part))
}
