//! Survey: what was found, how it was read, and what the reading means.

pub mod sample;

use serde::Serialize;

use crate::choice::choices;
use crate::error::{self, InputError};
use crate::geometry::{Point, extent};
use crate::timber::Species;

choices! {
    /// What a finding is.
    FindingKind {
        Crack = "crack", "Crack";
        Rot = "rot", "Rot";
        Gouge = "gouge", "Gouge";
        SickFastening = "sick_fastening", "Sick fastening";
        OpenSeam = "open_seam", "Open seam";
    }
}

choices! {
    /// How it was looked at.
    Method {
        Look = "look", "Look";
        Sound = "sound", "Sound (mallet)";
        Spike = "spike", "Spike";
        Meter = "meter", "Pin meter";
        DrawFastening = "draw_fastening", "Drawn fastening";
        Feeler = "feeler", "Feeler in the seam";
        OpenUp = "open_up", "Opened up";
    }
}

choices! {
    /// The grade of a finding, from best to worst.
    Grade {
        Sound = "sound", "Sound";
        Watch = "watch", "Watch";
        Mend = "mend", "Mend";
        Renew = "renew", "Renew";
        Unsafe = "unsafe", "Unsafe";
    }
}

choices! {
    /// How sure anyone can be of its extent; suspected and confirmed are drawn differently.
    Certainty {
        Suspected = "suspected", "Suspected";
        Confirmed = "confirmed", "Confirmed";
        OpenedUp = "opened_up", "Opened up";
    }
}

choices! {
    /// Why it happened. A repair whose cause is not treated comes back.
    Cause {
        Unknown = "unknown", "Not known yet";
        FreshWater = "fresh_water", "Fresh water from above";
        Condensation = "condensation", "Condensation under a cover";
        StandingWater = "standing_water", "Standing water";
        Chafe = "chafe", "Chafe or point load";
        Grounding = "grounding", "Grounding or blow";
        DissimilarMetals = "dissimilar_metals", "Dissimilar metals";
        StrayCurrent = "stray_current", "Stray current";
        RigidFiller = "rigid_filler", "Rigid filler in a working seam";
        OverCaulked = "over_caulked", "Over-driven caulking";
        OverFastened = "over_fastened", "Over-fastening";
        ForcedShape = "forced_shape", "Shape forced by a repair";
        Sun = "sun", "Sun";
        Worm = "worm", "Worm";
        Age = "age", "Age";
    }
}

choices! {
    /// What a mallet or knuckle says.
    Ring {
        Bright = "bright", "Bright";
        Dull = "dull", "Dull";
        Dead = "dead", "Dead";
        Papery = "papery", "Papery and high";
    }
}

impl Cause {
    /// What treats the cause itself.
    pub fn cure(self) -> &'static str {
        match self {
            Self::Unknown => "Find the cause before the cure.",
            Self::FreshWater => "Find the entry and close it.",
            Self::Condensation => "Ventilate under the cover.",
            Self::StandingWater => "Clear or cut limbers; drain.",
            Self::Chafe => "Move or pad the cradle, trailer or fender.",
            Self::Grounding => "Check the frames and fastenings behind the blow.",
            Self::DissimilarMetals => "Separate, use the same metal, or less anode.",
            Self::StrayCurrent => "Call a qualified marine electrician.",
            Self::RigidFiller => "Rake the filler out.",
            Self::OverCaulked => "Reef out; caulk again by hand pressure.",
            Self::OverFastened => "Add no fastening; renew or splice there.",
            Self::ForcedShape => "Free it and block it to shape first.",
            Self::Sun => "Keep the coating up; shade.",
            Self::Worm => "Kill it, and keep the coating whole.",
            Self::Age => "Plan the renewal of its neighbours of the same age.",
        }
    }
}

impl FindingKind {
    /// Whether it takes wood away, so that a repair must cut it out.
    pub fn is_damage(self) -> bool {
        matches!(self, Self::Crack | Self::Rot | Self::Gouge)
    }
}

/// What a reading says about the wood or metal.
#[derive(Debug, Clone, PartialEq)]
pub struct Read {
    /// The grade the reading alone would give; `None` when it does not decide.
    pub grade: Option<Grade>,
    pub says: String,
}

/// Reads a spike pushed in under hand pressure, mm. For hard species the limits are halved.
pub fn read_spike(depth: f64, species: Option<&Species>) -> Result<Read, InputError> {
    error::within("reading", depth, 0.0, 300.0)?;
    /// Specific gravity from which wood counts as hard under a spike (*yard rule*).
    const HARD_FROM: f64 = 0.60;
    let scale = if species.is_some_and(|s| s.specific_gravity >= HARD_FROM) { 0.5 } else { 1.0 };
    let (grade, says) = match depth / scale {
        d if d <= 1.0 => (Grade::Sound, "sound"),
        d if d <= 3.0 => (Grade::Watch, "soft at the surface"),
        d if d <= 6.0 => (Grade::Mend, "soft"),
        _ => (Grade::Renew, "rotten"),
    };
    Ok(Read { grade: Some(grade), says: says.to_owned() })
}

/// Reads the sound of a mallet.
pub fn read_ring(ring: Ring) -> Read {
    let (grade, says) = match ring {
        Ring::Bright => (None, "sounds fair; it can still be soft inside: confirm with spike or drill"),
        Ring::Dull => (Some(Grade::Watch), "damp or soft within"),
        Ring::Dead => (Some(Grade::Mend), "rot or a void"),
        Ring::Papery => (Some(Grade::Mend), "plies or layers parted"),
    };
    Read { grade, says: says.to_owned() }
}

/// State of a drawn fastening.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum FasteningGrade {
    Good,
    Tired,
    Bad,
}

/// Section lost by a drawn fastening, 0–1, and its grade: `1 − (d/d0)²`; to 10 % good, to 30 % tired, then bad.
///
/// Diameters in mm; the remaining one may be 0 (it is gone). Black, soft or mushy wood round it is bad
/// whatever the metal looks like: that is for the surveyor to say.
pub fn section_loss(original: f64, remaining: f64) -> Result<(f64, FasteningGrade), InputError> {
    error::length("original_diameter", original)?;
    if !remaining.is_finite() || remaining < 0.0 {
        return Err(InputError::new("remaining_diameter", format!("must not be less than 0, was {remaining}")));
    }
    if remaining > original {
        return Err(InputError::new("remaining_diameter", "must not be more than the original diameter"));
    }
    let loss = 1.0 - (remaining / original).powi(2);
    let grade = match loss {
        l if l <= 0.10 => FasteningGrade::Good,
        l if l <= 0.30 => FasteningGrade::Tired,
        _ => FasteningGrade::Bad,
    };
    Ok((loss, grade))
}

/// Reads a drawn fastening by the section it has lost.
pub fn read_drawn(original: f64, remaining: f64) -> Result<Read, InputError> {
    let (loss, grade) = section_loss(original, remaining)?;
    let (grade, word) = match grade {
        FasteningGrade::Good => (Grade::Sound, "good"),
        FasteningGrade::Tired => (Grade::Watch, "tired"),
        FasteningGrade::Bad => (Grade::Renew, "bad"),
    };
    Ok(Read { grade: Some(grade), says: format!("{:.0} % of its section lost: {word}", loss * 100.0) })
}

/// How far a keel (or sheer) departs from the straight line through its ends.
#[derive(Debug, Clone, PartialEq)]
pub struct Hog {
    /// mm above (+) or below (−) the chord, one for each point.
    pub deviations: Vec<f64>,
    /// The greatest of them, signed: hogged when positive, sagged when negative.
    pub greatest: f64,
    /// Where, as the x of that point.
    pub at: f64,
    /// Length over greatest deviation: 1 in this many. `None` when the line is straight.
    pub one_in: Option<f64>,
}

impl Hog {
    /// What the yard rule makes of it.
    pub fn advice(&self) -> &'static str {
        match self.one_in {
            Some(n) if n < 300.0 => {
                "a structural matter for a surveyor or naval architect; never jack straight in a day: at most 3 mm at a lift and a day between lifts"
            }
            Some(n) if n <= 600.0 => "shore to shape before planking: at most 3 mm at a lift and a day between lifts",
            _ => "nothing to plan",
        }
    }
}

/// Measures hog from at least three points `[x, z]` in mm with x rising. Errors name `points` or `points[i]`.
pub fn hog(points: &[Point]) -> Result<Hog, InputError> {
    if points.len() < 3 {
        return Err(InputError::new("points", format!("needs at least 3 points, got {}", points.len())));
    }
    for (i, p) in points.iter().enumerate() {
        if !p[0].is_finite() || !p[1].is_finite() {
            return Err(InputError::new(format!("points[{i}]"), "must be two numbers"));
        }
        if i > 0 && p[0] <= points[i - 1][0] {
            return Err(InputError::new(format!("points[{i}]"), "x must rise from point to point"));
        }
    }
    let (first, last) = (points[0], points[points.len() - 1]);
    let length = last[0] - first[0];
    let deviations: Vec<f64> =
        points.iter().map(|p| p[1] - (first[1] + (last[1] - first[1]) * (p[0] - first[0]) / length)).collect();
    let worst =
        (0..points.len()).fold(0, |best, i| if deviations[i].abs() > deviations[best].abs() { i } else { best });
    let greatest = deviations[worst];
    Ok(Hog { greatest, at: points[worst][0], one_in: (greatest != 0.0).then(|| length / greatest.abs()), deviations })
}

/// Checks the drawn shape of a finding in plank coordinates: at least one point, all of them on the plank
/// (from its fore joint to its after joint, lower edge to upper), and depth no more than its thickness.
///
/// Errors name `shape` or `depth`.
pub fn check_shape(
    shape: &[Point],
    from_x: f64,
    to_x: f64,
    width: f64,
    thickness: f64,
    depth: f64,
) -> Result<(), InputError> {
    let Some(((low_x, high_x), (low_y, high_y))) = extent(shape, 0).zip(extent(shape, 1)) else {
        return Err(InputError::new("shape", "mark at least one point on the plank"));
    };
    if shape.iter().flatten().any(|v| !v.is_finite()) {
        return Err(InputError::new("shape", "every point must be two numbers"));
    }
    // Half a millimetre of slack: what is read off a drawing is rounded.
    const SLACK: f64 = 0.5;
    if low_x < from_x - SLACK || high_x > to_x + SLACK {
        return Err(InputError::new(
            "shape",
            format!(
                "reaches from {low_x:.0} to {high_x:.0} mm; this plank runs from {from_x:.0} to {to_x:.0} mm of the datum"
            ),
        ));
    }
    if low_y < -SLACK || high_y > width + SLACK {
        return Err(InputError::new(
            "shape",
            format!("reaches from {low_y:.0} to {high_y:.0} mm up; this plank is {width:.0} mm wide there"),
        ));
    }
    error::within("depth", depth, 0.0, f64::INFINITY)?;
    if depth > thickness + SLACK {
        return Err(InputError::new("depth", format!("the plank is only {thickness:.0} mm thick")));
    }
    Ok(())
}

/// Urgency of a finding for the list in order of urgency; higher comes first.
///
/// Structure × consequence: the grade's weight, doubled below the waterline, a fifth less while nobody has
/// confirmed it (*yard rule*).
pub fn urgency(grade: Grade, below_waterline: bool, certainty: Certainty) -> f64 {
    let structure = match grade {
        Grade::Sound => 0.0,
        Grade::Watch => 1.0,
        Grade::Mend => 3.0,
        Grade::Renew => 5.0,
        Grade::Unsafe => 9.0,
    };
    let consequence = if below_waterline { 2.0 } else { 1.0 };
    let sure = if certainty == Certainty::Suspected { 0.8 } else { 1.0 };
    structure * consequence * sure
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::timber::species;

    #[test]
    fn a_spike_reads_harder_wood_more_strictly() {
        let oak = species::find("white_oak").unwrap();
        assert_eq!(read_spike(2.0, None).unwrap().grade, Some(Grade::Watch));
        assert_eq!(read_spike(2.0, Some(oak)).unwrap().grade, Some(Grade::Mend));
        assert_eq!(read_spike(7.0, None).unwrap().says, "rotten");
        assert!(read_spike(-1.0, None).is_err());
    }

    #[test]
    fn a_nail_a_tenth_thinner_is_tired() {
        let (loss, grade) = section_loss(5.0, 4.5).unwrap();
        assert!((loss - 0.19).abs() < 1e-12);
        assert_eq!(grade, FasteningGrade::Tired);
        assert_eq!(section_loss(5.0, 0.0).unwrap(), (1.0, FasteningGrade::Bad));
        assert_eq!(section_loss(5.0, 6.0).unwrap_err().field, "remaining_diameter");
    }

    #[test]
    fn a_keel_that_rises_amidships_is_hogged() {
        let keel = hog(&[[0.0, 0.0], [2000.0, 9.0], [4000.0, 16.0], [6000.0, 14.0], [8000.0, 4.0]]).unwrap();
        assert_eq!((keel.greatest, keel.at), (14.0, 4000.0));
        assert!(keel.advice().starts_with("shore to shape"));
        let straight = hog(&[[0.0, 5.0], [1.0, 5.0], [2.0, 5.0]]).unwrap();
        assert_eq!((straight.one_in, straight.advice()), (None, "nothing to plan"));
        assert_eq!(hog(&[[0.0, 0.0], [0.0, 1.0], [2.0, 0.0]]).unwrap_err().field, "points[1]");
    }

    #[test]
    fn a_finding_off_the_plank_is_refused() {
        let on = |shape: &[Point], depth| check_shape(shape, -500.0, 1500.0, 140.0, 25.0, depth);
        assert!(on(&[[0.0, 0.0], [1500.0, 140.0]], 25.0).is_ok());
        assert_eq!(on(&[], 5.0).unwrap_err().field, "shape");
        assert_eq!(on(&[[1600.0, 20.0]], 5.0).unwrap_err().field, "shape");
        assert_eq!(on(&[[0.0, 150.0]], 5.0).unwrap_err().field, "shape");
        assert_eq!(on(&[[0.0, 20.0]], 40.0).unwrap_err().field, "depth");
        assert_eq!(on(&[[0.0, 20.0]], -1.0).unwrap_err().field, "depth");
    }

    proptest! {
        #[test]
        fn hog_ignores_how_the_string_was_tilted(zs in proptest::collection::vec(-50.0..50.0f64, 3..20), tilt in -0.2..0.2f64) {
            let straight: Vec<Point> = zs.iter().enumerate().map(|(i, z)| [i as f64 * 500.0, *z]).collect();
            let tilted: Vec<Point> = straight.iter().map(|p| [p[0], p[1] + tilt * p[0]]).collect();
            let (a, b) = (hog(&straight).unwrap(), hog(&tilted).unwrap());
            prop_assert!(a.deviations.iter().zip(&b.deviations).all(|(x, y)| (x - y).abs() < 1e-6));
        }
    }
}
