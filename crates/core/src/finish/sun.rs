//! The sun on a face, and how long a coat lives under it, from geometry alone (handbook 07, the sun).

use std::sync::LazyLock;

use crate::error::{self, InputError};

/// A face: where on the earth, how it leans, and what is over it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Face {
    /// Degrees north; south is negative.
    pub latitude: f64,
    /// 0 lies flat, 90 stands upright.
    pub tilt: f64,
    /// Where it looks, degrees from north clockwise.
    pub bearing: f64,
    /// 0 in the open … 1 under a cover that lets nothing through.
    pub shade: f64,
}

/// What the sun does to it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Wear {
    /// Yearly dose against an open flat face at 50°.
    pub dose: f64,
    /// Life of a full varnish system, years.
    pub varnish_years: f64,
    /// Life of paint, years.
    pub paint_years: f64,
}

/// Years a full varnish system lasts under a dose of 1, and at most.
const VARNISH: (f64, f64) = (2.0, 6.0);
/// Paint lasts so many times as long, and at most so many years.
const PAINT: (f64, f64) = (2.5, 12.0);
/// Worn so far, a system is refreshed (handbook 07).
pub const REFRESH_AT: f64 = 0.4;
/// The formula counts as one judgement, an inspection as three (*yard rule*).
const INSPECTION: f64 = 3.0;
/// Of the light that came through the air, what the sky adds to a flat face.
const SKY: f64 = 0.2;

/// The dose of an open flat face at 50°, which all others are held against.
static REFERENCE: LazyLock<f64> = LazyLock::new(|| mean(50.0, 0.0, 0.0));

/// Declination of the sun on a day of the year (1 … 365), radians (Cooper 1969).
fn declination(day: u32) -> f64 {
    23.45_f64.to_radians() * (std::f64::consts::TAU * f64::from(284 + day) / 365.0).sin()
}

/// Mean over the hours of a year of what reaches a face.
fn mean(latitude: f64, tilt: f64, bearing: f64) -> f64 {
    let (lat, lean, looks) = (latitude.to_radians(), tilt.to_radians(), bearing.to_radians());
    let [east, north, up] = [lean.sin() * looks.sin(), lean.sin() * looks.cos(), lean.cos()];
    let sky = SKY * (1.0 + lean.cos()) / 2.0;
    let mut sum = 0.0;
    for day in 1..=365 {
        let (sin_d, cos_d) = declination(day).sin_cos();
        for hour in 0..24 {
            // The middle of the hour, by the sun's own time.
            let turn = (15.0 * (f64::from(hour) + 0.5 - 12.0)).to_radians();
            let height = lat.sin() * sin_d + lat.cos() * cos_d * turn.cos();
            if height <= 0.0 {
                continue;
            }
            let degrees = height.asin().to_degrees();
            let mass = 1.0 / (height + 0.505_72 * (degrees + 6.079_95).powf(-1.636_4));
            let through = 0.7_f64.powf(mass.powf(0.678));
            let on_face =
                -cos_d * turn.sin() * east + (lat.cos() * sin_d - lat.sin() * cos_d * turn.cos()) * north + height * up;
            sum += through * (on_face.max(0.0) + sky);
        }
    }
    sum / (365.0 * 24.0)
}

/// What the sun does to a face in a year, and how long coats live there.
///
/// A face under full cover wears nothing: its coats reach the longest life there is. Errors name the field out of
/// range. Source: handbook 07; air mass after Kasten and Young 1989, clear air after Meinel 1976.
pub fn wear(face: &Face) -> Result<Wear, InputError> {
    error::within("latitude", face.latitude, -90.0, 90.0)?;
    error::within("tilt", face.tilt, 0.0, 90.0)?;
    error::within("bearing", face.bearing, -360.0, 360.0)?;
    error::within("shade", face.shade, 0.0, 1.0)?;
    let dose = mean(face.latitude, face.tilt, face.bearing) * (1.0 - face.shade) / *REFERENCE;
    Ok(Wear::of(dose))
}

impl Wear {
    /// The lives of coats under a yearly dose.
    pub(super) fn of(dose: f64) -> Self {
        let varnish_years = if dose > 0.0 { (VARNISH.0 / dose).min(VARNISH.1) } else { VARNISH.1 };
        Self { dose, varnish_years, paint_years: (PAINT.0 * varnish_years).min(PAINT.1) }
    }
}

/// The life of a coat, years, after an inspection saw it `worn` (0 … 1) when it was `years` old.
///
/// What was seen counts three to one against what was foretold; nothing worn yet says only that it lives longer than
/// it is old. Errors name `worn` or `years`.
pub fn seen(foretold: f64, worn: f64, years: f64) -> Result<f64, InputError> {
    error::within("worn", worn, 0.0, 1.0)?;
    error::positive("years", years)?;
    if worn <= 0.0 {
        return Ok(foretold.max(years));
    }
    Ok((foretold + INSPECTION * years / worn) / (1.0 + INSPECTION))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn face(latitude: f64, tilt: f64, bearing: f64) -> Face {
        Face { latitude, tilt, bearing, shade: 0.0 }
    }

    #[test]
    fn lives_are_those_the_handbook_names_at_fifty_degrees() {
        let life = |tilt, bearing| wear(&face(50.0, tilt, bearing)).unwrap().varnish_years;
        assert!((life(0.0, 0.0) - 2.0).abs() < 1e-12, "flat is what all is held against");
        assert!((life(90.0, 180.0) - 2.5).abs() < 0.1, "upright facing the sun");
        assert!((life(90.0, 90.0) - 3.8).abs() < 0.1 && (life(90.0, 270.0) - 3.8).abs() < 0.1, "east and west");
        assert_eq!(life(90.0, 0.0), 6.0, "upright in shade");
    }

    #[test]
    fn a_cover_and_an_inspection_move_the_life() {
        let covered = wear(&Face { shade: 1.0, ..face(50.0, 0.0, 0.0) }).unwrap();
        assert_eq!((covered.dose, covered.varnish_years, covered.paint_years), (0.0, 6.0, 12.0));
        // Half worn after two years: four years, three to one against two.
        assert!((seen(2.0, 0.5, 2.0).unwrap() - 3.5).abs() < 1e-12);
        assert_eq!(seen(2.0, 0.0, 3.0).unwrap(), 3.0);
        assert_eq!(seen(2.0, 0.2, 0.0).unwrap_err().field, "years");
    }

    #[test]
    fn a_face_that_is_none_is_refused_at_its_field() {
        assert_eq!(wear(&face(91.0, 0.0, 0.0)).unwrap_err().field, "latitude");
        assert_eq!(wear(&face(50.0, f64::NAN, 0.0)).unwrap_err().field, "tilt");
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]
        #[test]
        fn the_world_is_even_east_to_west_and_north_to_south(lat in 0.0..89.0f64, tilt in 0.0..90.0f64, east in 0.0..180.0f64) {
            let dose = |f| wear(&f).unwrap().dose;
            let here = dose(face(lat, tilt, east));
            prop_assert!((here - dose(face(lat, tilt, -east))).abs() < 1e-9);
            // South of the line the sun stands in the north; a year is not quite even about its middle.
            prop_assert!((here - dose(face(-lat, tilt, 180.0 - east))).abs() < 0.01);
        }

        #[test]
        fn more_cover_is_never_more_sun(lat in -80.0..80.0f64, tilt in 0.0..90.0f64, shade in 0.0..1.0f64) {
            let open = wear(&face(lat, tilt, 120.0)).unwrap();
            let under = wear(&Face { shade, ..face(lat, tilt, 120.0) }).unwrap();
            prop_assert!(under.dose <= open.dose && under.varnish_years >= open.varnish_years);
            prop_assert!(under.paint_years >= under.varnish_years && under.paint_years <= 12.0);
        }
    }
}
