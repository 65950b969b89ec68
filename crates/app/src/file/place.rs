//! A place as somebody typed it, found on the boat.

use mend_keel_core::InputError;
use mend_keel_core::grid::Place;

use crate::file::boat::{BoatFile, Part};

/// A name as it is compared: in small letters, without commas.
fn plain(text: &str) -> String {
    text.trim().to_lowercase().replace(',', "")
}

/// A place as it is typed, in the crew's own numbers; names of parts (`frame 12 port`) are found too.
pub fn typed_place(file: &BoatFile, text: &str) -> std::result::Result<Place, InputError> {
    let wanted = plain(text);
    let called = |name: &str| file.members.iter().find(|m| plain(&m.name) == name);
    if let Some(member) = called(&wanted) {
        return Place::parse(&member.code);
    }
    // `Mast 3`, `mast metre 3`: a cell of a part by its name.
    if let Some((name, cell)) = wanted.rsplit_once(' ')
        && cell.bytes().all(|b| b.is_ascii_digit())
        && let Some(member) = called(name.strip_suffix(" metre").unwrap_or(name))
    {
        return Place::parse(&format!("{} {cell}", member.code));
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
