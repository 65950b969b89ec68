//! How a boat is fastened as somebody recorded it, by region and time, and what follows from it at a place.

use crate::choice::choices;
use crate::grid::{Address, Side};

use super::through::Kind;

choices! {
    /// How many of a region's fastenings a record speaks of.
    Share {
        All = "all", "all of them";
        Some = "some", "some among others";
    }
}

/// One record: strakes and frames both ends in.
#[derive(Debug, Clone, PartialEq)]
pub struct Fastened {
    /// `None`: both sides.
    pub side: Option<Side>,
    pub strakes: (u32, u32),
    pub frames: (u32, u32),
    pub kind: Kind,
    /// An id of the table of metals.
    pub metal: String,
    /// Shank, mm; `None`: nobody measured one.
    pub diameter: Option<f64>,
    /// `None`: not known.
    pub year: Option<i32>,
    pub share: Share,
}

impl Fastened {
    pub fn covers(&self, at: Address) -> bool {
        self.side.is_none_or(|side| side == at.side)
            && (self.strakes.0..=self.strakes.1).contains(&at.strake)
            && (self.frames.0..=self.frames.1).contains(&at.frame)
    }
}

/// What is recorded at a place, oldest first; what is of no known year before all others.
pub fn at(records: &[Fastened], place: Address) -> Vec<&Fastened> {
    let mut here: Vec<&Fastened> = records.iter().filter(|r| r.covers(place)).collect();
    here.sort_by_key(|r| r.year);
    here
}

/// What holds at a place: the newest record of all its fastenings, or else the newest of some of them.
pub fn holding(records: &[Fastened], place: Address) -> Option<&Fastened> {
    let here = at(records, place);
    here.iter().rev().find(|r| r.share == Share::All).or_else(|| here.last()).copied()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn record(kind: Kind, metal: &str, year: Option<i32>, share: Share) -> Fastened {
        let (strakes, frames) = ((3, 5), (4, 9));
        Fastened { side: Some(Side::Port), strakes, frames, kind, metal: metal.into(), diameter: None, year, share }
    }

    #[test]
    fn some_iron_of_later_years_does_not_make_a_riveted_boat_a_nailed_one() {
        let rivets = record(Kind::Rivet, "copper", Some(1936), Share::All);
        let iron = record(Kind::Clench, "mild_steel", Some(1968), Share::Some);
        let unknown = record(Kind::Screw, "silicon_bronze", None, Share::Some);
        let all = [iron.clone(), rivets.clone(), unknown.clone()];
        let place = |side, strake, frame| Address { side, strake, frame };
        let here = place(Side::Port, 4, 6);
        assert_eq!(at(&all, here), [&unknown, &rivets, &iron], "oldest first, of no year before all");
        assert_eq!(holding(&all, here), Some(&rivets));
        assert_eq!(holding(&all[..1], here), Some(&iron));
        assert_eq!(holding(&all, place(Side::Starboard, 4, 6)), None);
        assert_eq!(at(&all, place(Side::Port, 5, 9)).len(), 3, "both ends are in");
        assert_eq!(at(&all, place(Side::Port, 6, 9)).len() + at(&all, place(Side::Port, 4, 3)).len(), 0);
        let both = Fastened { side: None, ..rivets };
        assert!(both.covers(place(Side::Starboard, 3, 4)));
    }
}
