//! Sick fastenings gathered into regions: what lies close together is refastened together.

use crate::grid::{Address, Side};

/// Places so many strakes and frames apart belong together: what drew one nail has mostly drawn its neighbours (*yard rule*).
const TOGETHER: (u32, u32) = (1, 2);

/// Strakes and frames of one side with sick fastenings in them; every bound belongs to it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sick {
    pub side: Side,
    pub strakes: (u32, u32),
    pub frames: (u32, u32),
    /// Where somebody found one, in the order of the grid, each once.
    pub places: Vec<Address>,
}

impl Sick {
    fn at(place: Address) -> Self {
        let Address { side, strake, frame } = place;
        Self { side, strakes: (strake, strake), frames: (frame, frame), places: vec![place] }
    }

    /// Whether a place lies within its bounds.
    pub fn holds(&self, at: Address) -> bool {
        let within = |(from, to): (u32, u32), v: u32| (from..=to).contains(&v);
        self.side == at.side && within(self.strakes, at.strake) && within(self.frames, at.frame)
    }

    fn is_near(&self, other: &Self) -> bool {
        let near = |a: (u32, u32), b: (u32, u32), most: u32| a.0 <= b.1 + most && b.0 <= a.1 + most;
        self.side == other.side
            && near(self.strakes, other.strakes, TOGETHER.0)
            && near(self.frames, other.frames, TOGETHER.1)
    }

    fn with(mut self, other: Self) -> Self {
        let both = |a: (u32, u32), b: (u32, u32)| (a.0.min(b.0), a.1.max(b.1));
        self.strakes = both(self.strakes, other.strakes);
        self.frames = both(self.frames, other.frames);
        self.places.extend(other.places);
        self
    }
}

/// Regions round places with sick fastenings, in the order of the grid; two of them are never near each other.
pub fn regions(places: &[Address]) -> Vec<Sick> {
    let mut regions: Vec<Sick> = Vec::new();
    for place in places {
        let mut grown = Sick::at(*place);
        // What it has grown over may have come near to another.
        while let Some(i) = regions.iter().position(|r| r.is_near(&grown)) {
            grown = regions.swap_remove(i).with(grown);
        }
        regions.push(grown);
    }
    for region in &mut regions {
        region.places.sort_unstable();
        region.places.dedup();
    }
    regions.sort_by(|a, b| a.places.cmp(&b.places));
    regions
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn at(side: Side, strake: u32, frame: u32) -> Address {
        Address { side, strake, frame }
    }

    #[test]
    fn neighbours_are_one_region_and_the_other_side_is_another() {
        let found = [
            at(Side::Port, 4, 10),
            at(Side::Port, 5, 12),
            at(Side::Port, 4, 10),
            at(Side::Port, 9, 12),
            at(Side::Starboard, 4, 10),
        ];
        let regions = regions(&found);
        let told: Vec<_> = regions.iter().map(|r| (r.side, r.strakes, r.frames, r.places.len())).collect();
        let expected = [
            (Side::Port, (4, 5), (10, 12), 2),
            (Side::Port, (9, 9), (12, 12), 1),
            (Side::Starboard, (4, 4), (10, 10), 1),
        ];
        for one in expected {
            assert!(told.contains(&one), "{one:?} in {told:?}");
        }
        assert_eq!(told.len(), 3);
        assert!(super::regions(&[]).is_empty());
    }

    #[test]
    fn a_place_between_two_regions_makes_them_one() {
        let apart = [at(Side::Port, 3, 5), at(Side::Port, 3, 9)];
        assert_eq!(regions(&apart).len(), 2);
        let joined = regions(&[apart[0], apart[1], at(Side::Port, 4, 7)]);
        assert_eq!((joined.len(), joined[0].strakes, joined[0].frames), (1, (3, 4), (5, 9)));
    }

    fn places() -> impl Strategy<Value = Vec<Address>> {
        let place = (any::<bool>(), 1u32..12, 1u32..30);
        let side = |port: bool| if port { Side::Port } else { Side::Starboard };
        proptest::collection::vec(place.prop_map(move |(port, strake, frame)| at(side(port), strake, frame)), 0..40)
    }

    proptest! {
        #[test]
        fn every_place_lies_in_one_region_whose_bounds_reach_no_farther_than_its_places(found in places()) {
            let regions = regions(&found);
            for place in &found {
                prop_assert_eq!(regions.iter().filter(|r| r.holds(*place)).count(), 1);
            }
            for (i, region) in regions.iter().enumerate() {
                let strakes = || region.places.iter().map(|p| p.strake);
                let frames = || region.places.iter().map(|p| p.frame);
                prop_assert_eq!(region.strakes, (strakes().min().unwrap(), strakes().max().unwrap()));
                prop_assert_eq!(region.frames, (frames().min().unwrap(), frames().max().unwrap()));
                prop_assert!(region.places.windows(2).all(|w| w[0] < w[1]), "in order, each once");
                prop_assert!(regions[i + 1..].iter().all(|other| !other.is_near(region)));
            }
        }

        #[test]
        fn the_order_in_which_they_were_found_makes_no_difference(found in places(), by in 0usize..40) {
            let mut turned = found.clone();
            turned.rotate_left(by.min(found.len()));
            turned.reverse();
            prop_assert_eq!(regions(&found), regions(&turned));
        }
    }
}
