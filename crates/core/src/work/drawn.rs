//! Things that must be drawn out of her: the length to draw against the room there is, the weight and the hands. Source: handbook 08,
//! *Taking her apart*.

use crate::choice::choices;
use crate::error::{self, InputError};
use crate::reason::{Reason, Verdict};
use crate::timber::board::hands;

choices! {
    /// What is drawn.
    Thing {
        Shaft = "shaft", "Shaft";
        Rudder = "rudder", "Rudder and its stock";
        MastStump = "mast_stump", "Mast or its stump";
        KeelBolt = "keel_bolt", "Keel bolt";
        Other = "other", "Something else";
    }
}

impl Thing {
    /// Where the room must be.
    pub fn room(self) -> &'static str {
        match self {
            Self::Shaft => "aft",
            Self::Rudder | Self::KeelBolt => "below",
            Self::MastStump => "above",
            Self::Other => "on its way out",
        }
    }

    /// What can be done where there is too little.
    fn ways(self) -> &'static str {
        match self {
            Self::Shaft => "take the rudder off, draw it inboard, or cut it and sleeve the new one",
            Self::Rudder => "dig, or lift her; a stock in two parts where neither can be",
            Self::MastStump => "open the shed's roof or move her, or cut it short on deck",
            Self::KeelBolt => "dig, lift her, or draw it up inside; cut and sleeve it where it will not come",
            Self::Other => "dig, lift her, cut and sleeve it, or take its neighbour off",
        }
    }
}

/// Room for hands and a drift beyond the length, mm (*yard rule*).
pub const HANDS: f64 = 150.0;
/// More than so many people do not come near it: it is lifted by gear (*yard rule*).
pub const MOST_PEOPLE: u32 = 4;

/// What is known of it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Draw {
    pub thing: Thing,
    /// Drawn by so much until it is free, mm.
    pub length: f64,
    /// Free way there is, mm; `None`: nobody measured it.
    pub room: Option<f64>,
    /// kg; `None`: nobody knows.
    pub weight: Option<f64>,
}

/// Whether it comes out, with how many hands. Errors name `length`, `room` or `weight`.
pub fn clearance(draw: &Draw) -> Result<Vec<Reason>, InputError> {
    error::length("length", draw.length)?;
    let tell = |rule, verdict, text: String| Reason::new(rule, verdict, text).source("handbook 08");
    let needed = draw.length + HANDS;
    let mut reasons = vec![match draw.room {
        None => tell(
            "drawn.room",
            Verdict::Against,
            format!("nobody measured the room {}: {needed:.0} mm are needed", draw.thing.room()),
        ),
        Some(room) => {
            error::within("room", room, 0.0, error::LENGTH_LIMIT_MM)?;
            let short = needed - room;
            let reason = if short <= 0.0 {
                tell("drawn.room", Verdict::For, format!("there is room to draw it {}", draw.thing.room()))
            } else {
                let text = format!("{short:.0} mm too little room {}: {}", draw.thing.room(), draw.thing.ways());
                tell("drawn.room", Verdict::Forbids, text)
            };
            reason.formula("length + 150 mm for hands and a drift").against("room", room, "mm", needed)
        }
    }];
    match draw.weight {
        None => reasons.push(tell(
            "drawn.weight",
            Verdict::Note,
            "its weight is not known: rig it before it is free".into(),
        )),
        Some(kg) => {
            error::within("weight", kg, 0.0, 100_000.0)?;
            let people = hands(kg);
            let reason = if people > MOST_PEOPLE {
                tell(
                    "drawn.weight",
                    Verdict::Against,
                    "too heavy for the hands that reach it: gear takes it before it is free".into(),
                )
            } else {
                tell("drawn.weight", Verdict::Note, format!("{people} to hold it as it comes free"))
            };
            reasons.push(reason.value("weight", kg, "kg"));
        }
    }
    Ok(reasons)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn of(thing: Thing, length: f64, room: Option<f64>, weight: Option<f64>) -> Vec<Reason> {
        clearance(&Draw { thing, length, room, weight }).unwrap()
    }

    #[test]
    fn a_rudder_that_wants_more_than_there_is_below_names_what_can_be_done() {
        // 900 mm of stock, 700 mm to the ground: 350 mm too little with room for hands.
        let told = of(Thing::Rudder, 900.0, Some(700.0), Some(60.0));
        assert!(told[0].verdict == Verdict::Forbids && told[0].text.starts_with("350 mm too little room below"));
        assert!(told[0].text.contains("dig, or lift her"), "{}", told[0].text);
        assert!(told[1].text.starts_with("3 to hold it"), "{}", told[1].text);
        // Dug out to the very measure it comes.
        assert_eq!(of(Thing::Rudder, 900.0, Some(1_050.0), None)[0].verdict, Verdict::For);
        assert_eq!(of(Thing::Rudder, 900.0, Some(1_049.0), None)[0].verdict, Verdict::Forbids);
    }

    #[test]
    fn a_room_nobody_measured_is_not_room_enough_and_a_weight_nobody_knows_is_no_weight() {
        let told = of(Thing::Shaft, 1_800.0, None, None);
        assert!(told[0].verdict == Verdict::Against && told[0].text.contains("nobody measured the room aft: 1950 mm"));
        assert!(told[1].text.contains("not known") && told[1].compared.is_empty());
        let heavy = of(Thing::KeelBolt, 500.0, Some(9_000.0), Some(101.0));
        assert!(heavy[1].verdict == Verdict::Against && heavy[1].text.contains("gear takes it"));
        assert_eq!(of(Thing::KeelBolt, 500.0, Some(9_000.0), Some(100.0))[1].verdict, Verdict::Note);
    }

    #[test]
    fn every_thing_has_its_way_out() {
        for thing in Thing::ALL {
            let told = of(*thing, 1_000.0, Some(0.0), Some(0.0));
            assert!(told[0].text.contains(thing.room()) && told[0].text.len() > 50, "{}", thing.label());
        }
        let field = |d: Draw| clearance(&d).unwrap_err().field;
        let ok = Draw { thing: Thing::Other, length: 1.0, room: Some(1.0), weight: Some(1.0) };
        assert_eq!(field(Draw { length: 0.0, ..ok }), "length");
        assert_eq!(field(Draw { room: Some(-1.0), ..ok }), "room");
        assert_eq!(field(Draw { weight: Some(f64::NAN), ..ok }), "weight");
    }

    proptest! {
        /// More room never speaks more against it, and a longer one never less.
        #[test]
        fn room_helps_and_length_hinders(length in 1.0..9_000.0f64, room in 0.0..9_000.0f64, more in 0.0..3_000.0f64) {
            let verdict = |length, room| of(Thing::Other, length, Some(room), None)[0].verdict;
            prop_assert!(verdict(length, room + more) <= verdict(length, room));
            prop_assert!(verdict(length + more, room) >= verdict(length, room));
        }
    }
}
