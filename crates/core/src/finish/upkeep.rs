//! Upkeep: how long each coated face lasts where she lies, when it is refreshed, and varnish held against paint.

use super::Recipe;
use super::sun::{self, Face, REFRESH_AT, Wear};
use crate::choice::choices;
use crate::error::{self, InputError};

choices! {
    /// Where a face looks, seen from the boat.
    Looks {
        Port = "port", "to port";
        Starboard = "starboard", "to starboard";
        Forward = "forward", "forward";
        Aft = "aft", "aft";
        Around = "around", "all around, or up";
    }
}

choices! {
    /// What lies on a face.
    Coating {
        Varnish = "varnish", "varnish";
        Paint = "paint", "paint";
    }
}

impl Looks {
    /// Degrees clockwise from the bow; `None` all around.
    fn off_the_bow(self) -> Option<f64> {
        match self {
            Self::Forward => Some(0.0),
            Self::Starboard => Some(90.0),
            Self::Aft => Some(180.0),
            Self::Port => Some(270.0),
            Self::Around => None,
        }
    }
}

/// Where she lies.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Berth {
    /// Degrees north; south is negative.
    pub latitude: f64,
    /// Where the bow points, degrees from north clockwise; `None` where she swings.
    pub bow: Option<f64>,
}

/// A face of the boat.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Kept {
    /// m².
    pub area: f64,
    /// Degrees: 0 lies flat, 90 stands upright.
    pub tilt: f64,
    pub looks: Looks,
    /// 0 in the open … 1 under cover all year.
    pub shade: f64,
    /// m above where one stands.
    pub height: f64,
}

/// Bearings a face that turns is averaged over.
const AROUND: u32 = 16;

/// What the sun does to a face of a boat that lies there; a boat that swings, or a round face, wears by the mean of
/// all bearings. Errors name `latitude`, `bow`, `tilt` or `shade`.
pub fn wear(berth: Berth, face: &Kept) -> Result<Wear, InputError> {
    let toward = |bearing| Face { latitude: berth.latitude, tilt: face.tilt, bearing, shade: face.shade };
    if let (Some(bow), Some(from_bow)) = (berth.bow, face.looks.off_the_bow()) {
        error::within("bow", bow, 0.0, 360.0)?;
        return sun::wear(&toward((bow + from_bow) % 360.0));
    }
    let mut dose = 0.0;
    for turn in 0..AROUND {
        dose += sun::wear(&toward(360.0 * f64::from(turn) / f64::from(AROUND)))?.dose / f64::from(AROUND);
    }
    Ok(Wear::of(dose))
}

/// An inspection: years after the coat, and how worn it was, 0 as new … 1 gone.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Inspection {
    pub years: f64,
    pub worn: f64,
}

/// How long a coat lives on a face, and when it is refreshed; years since it was done.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Life {
    pub years: f64,
    pub refresh: f64,
    /// Moved by an inspection; foretold by the sun alone otherwise.
    pub seen: bool,
}

/// The life of a coating from the sun, moved by the last inspection of it. Errors name `worn` or `years`.
pub fn life(wear: &Wear, coating: Coating, last: Option<Inspection>) -> Result<Life, InputError> {
    let foretold = match coating {
        Coating::Varnish => wear.varnish_years,
        Coating::Paint => wear.paint_years,
    };
    let years = match last {
        Some(i) => sun::seen(foretold, i.worn, i.years)?,
        None => foretold,
    };
    Ok(Life { years, refresh: REFRESH_AT * years, seen: last.is_some() })
}

/// What ten years of a coating ask for.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct TenYears {
    pub refreshes: u32,
    /// Hours of one person, access counted.
    pub hours: f64,
}

/// Years over which varnish and paint are held against each other.
pub const SPAN: f64 = 10.0;
/// Above this height, m, each metre makes a coat so much dearer (*yard rule*).
pub const FROM_THE_GROUND: f64 = 2.0;
pub const DEARER_A_METRE: f64 = 0.1;

/// Refreshes and hours of ten years on a face: two coats, sanded, each time a coating is 40 % worn.
///
/// A face that needs none in ten years needs none. Source: handbook 07.
pub fn ten_years(coating: Coating, life: &Life, face: &Kept) -> Result<TenYears, InputError> {
    error::within("area", face.area, 0.0, 10_000.0)?;
    error::within("height", face.height, 0.0, 60.0)?;
    error::positive("life", life.refresh)?;
    let recipe = match coating {
        Coating::Varnish => Recipe::BrightRefresh,
        Coating::Paint => Recipe::PaintTopsides,
    };
    let steps = recipe.steps();
    // The last two coats of paint are what a refresh lays; varnish has a recipe of its own for it.
    let a_time: f64 = steps.iter().rev().take(2).map(|s| s.coat_hours + s.sand_hours).sum();
    let access = 1.0 + DEARER_A_METRE * (face.height - FROM_THE_GROUND).max(0.0);
    // Those that fall due before the ten years are over.
    let refreshes = (SPAN / life.refresh - 1e-9).floor().clamp(0.0, 1_000.0) as u32;
    Ok(TenYears { refreshes, hours: f64::from(refreshes) * a_time * face.area * access })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn face(tilt: f64, looks: Looks) -> Kept {
        Kept { area: 3.0, tilt, looks, shade: 0.0, height: 0.0 }
    }

    const HOME: Berth = Berth { latitude: 50.0, bow: Some(0.0) };

    #[test]
    fn a_side_wears_by_where_the_bow_points() {
        let years = |bow, looks| wear(Berth { bow, ..HOME }, &face(90.0, looks)).unwrap().varnish_years;
        // Bow to the north: port looks west, and starboard as much east.
        assert!((years(Some(0.0), Looks::Port) - 3.8).abs() < 0.1);
        assert!((years(Some(0.0), Looks::Port) - years(Some(0.0), Looks::Starboard)).abs() < 0.02);
        // Bow to the west: port looks south, into the sun; starboard north.
        assert!((years(Some(270.0), Looks::Port) - 2.5).abs() < 0.1);
        assert_eq!(years(Some(270.0), Looks::Starboard), 6.0);
        // One that swings lies between the best and the worst, whichever side.
        let swings = years(None, Looks::Port);
        assert!(swings > 2.5 && swings < 6.0 && swings == years(None, Looks::Forward));
        assert_eq!(wear(Berth { bow: Some(720.0), ..HOME }, &face(90.0, Looks::Port)).unwrap_err().field, "bow");
    }

    #[test]
    fn a_refresh_is_due_at_two_fifths_of_the_life_and_an_inspection_moves_it() {
        let flat = wear(HOME, &face(0.0, Looks::Around)).unwrap();
        let foretold = life(&flat, Coating::Varnish, None).unwrap();
        assert!((foretold.years - 2.0).abs() < 1e-9 && (foretold.refresh - 0.8).abs() < 1e-9 && !foretold.seen);
        // A fifth worn after a year says five years: three to one against two.
        let seen = life(&flat, Coating::Varnish, Some(Inspection { years: 1.0, worn: 0.2 })).unwrap();
        assert!((seen.years - 4.25).abs() < 1e-9 && seen.seen);
        assert_eq!(
            life(&flat, Coating::Varnish, Some(Inspection { years: 1.0, worn: 2.0 })).unwrap_err().field,
            "worn"
        );
    }

    #[test]
    fn ten_years_of_varnish_on_a_flat_face_are_twelve_refreshes() {
        let flat = face(0.0, Looks::Around);
        let sun = wear(HOME, &flat).unwrap();
        let of = |coating| ten_years(coating, &life(&sun, coating, None).unwrap(), &flat).unwrap();
        // Every 0.8 years: 12.5, so twelve; 0.8 h a m² for two coats with their sanding.
        assert_eq!(of(Coating::Varnish).refreshes, 12);
        assert!((of(Coating::Varnish).hours - 12.0 * 0.8 * 3.0).abs() < 1e-9);
        // Paint lives five years there: every two years, the one at ten years is another decade's.
        assert_eq!(of(Coating::Paint).refreshes, 4);
        // 14 m up each coat takes 1 + 0.1 × 12 times as long.
        let aloft = Kept { height: 14.0, ..flat };
        let high = ten_years(Coating::Paint, &life(&sun, Coating::Paint, None).unwrap(), &aloft).unwrap();
        assert!((high.hours - of(Coating::Paint).hours * 2.2).abs() < 1e-9);
        assert_eq!(
            ten_years(Coating::Paint, &Life { years: 0.0, refresh: 0.0, seen: false }, &flat).unwrap_err().field,
            "life"
        );
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]
        #[test]
        fn paint_never_asks_for_more_refreshes_than_varnish(lat in -65.0..65.0f64, tilt in 0.0..90.0f64, bow in 0.0..360.0f64, shade in 0.0..1.0f64) {
            let kept = Kept { shade, ..face(tilt, Looks::Port) };
            let sun = wear(Berth { latitude: lat, bow: Some(bow) }, &kept).unwrap();
            let of = |coating| ten_years(coating, &life(&sun, coating, None).unwrap(), &kept).unwrap().refreshes;
            prop_assert!(of(Coating::Paint) <= of(Coating::Varnish));
        }
    }
}
