//! Survey: what was found, how it was read, and what the reading means.
//!
//! A [`reading::Measure`] is a fact; a finding may rest on several. [`sample`] says how many fastenings are bad from
//! the few drawn, [`line`](mod@line) what a string along the keel says, [`field`] how wet the wood is between readings, and
//! [`compare`] what became of the findings of an earlier survey.

pub mod compare;
pub mod coverage;
pub mod field;
pub mod line;
pub mod mark;
pub mod original;
pub mod past;
pub mod reading;
pub mod sample;

pub use line::{Hog, hog};

use crate::choice::choices;
use crate::error::{self, InputError};
use crate::geometry::{Point, extent};
use crate::grid::member::MemberKind;
use crate::reason::{Reason, Verdict};
use crate::repair::graving::DamageKind;

choices! {
    /// What a finding is.
    FindingKind {
        Crack = "crack", "Crack";
        Rot = "rot", "Soft rot";
        Gouge = "gouge", "Gouge";
        SickFastening = "sick_fastening", "Sick fastening";
        OpenSeam = "open_seam", "Open seam";
        DryRot = "dry_rot", "Dry rot";
        Worm = "worm", "Worm";
        Split = "split", "Split";
        Broken = "broken", "Broken through";
        Delamination = "delamination", "Delamination";
        Sun = "sun", "Sun damage";
        Chafe = "chafe", "Chafe";
        Crushed = "crushed", "Crushed edge";
        Alkali = "alkali", "Alkali-softened wood";
        Buckled = "buckled", "Buckled plank or seam";
        FailedRepair = "failed_repair", "Failed past repair";
        WrongMaterial = "wrong_material", "Wrong material";
        Stain = "stain", "Stain or lifted coating";
        OpenScarf = "open_scarf", "Open or failed scarf";
        Forced = "forced", "Forced out of shape";
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
        Thickness = "thickness", "Thickness";
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
        OverCaulked = "over_caulked", "Over-driven filling";
        OverFastened = "over_fastened", "Over-fastening";
        ForcedShape = "forced_shape", "Shape forced by a repair";
        Sun = "sun", "Sun";
        Worm = "worm", "Worm";
        Age = "age", "Age";
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
            Self::OverCaulked => "Take the filling out; fill again by hand pressure.",
            Self::OverFastened => "Add no fastening; renew or splice there.",
            Self::ForcedShape => "Free it and block it to shape first.",
            Self::Sun => "Keep the coating up; shade.",
            Self::Worm => "Kill it, and keep the coating whole.",
            Self::Age => "Plan the renewal of its neighbours of the same age.",
        }
    }
}

/// What answers a finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Answer {
    /// Wood is cut away and replaced, or a member stands in for it.
    Wood,
    /// Freed and pressed back to shape.
    Shape,
    /// The scarf is refitted or cut anew.
    Scarf,
    /// Layers are glued together again, or let in one by one.
    Layers,
    /// No wood is taken: this step of the work answers it.
    Step(&'static str),
}

/// How the extent of a finding is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Extent {
    Line,
    Area,
    Point,
}

impl FindingKind {
    pub fn extent(self) -> Extent {
        match self {
            Self::Crack | Self::Split | Self::Broken | Self::OpenSeam | Self::Buckled | Self::OpenScarf => Extent::Line,
            Self::SickFastening => Extent::Point,
            _ => Extent::Area,
        }
    }

    /// As what a repair cuts it out; `None` when it takes no wood away.
    pub fn cut_as(self) -> Option<DamageKind> {
        match self {
            Self::Crack | Self::Split | Self::Broken => Some(DamageKind::Crack),
            Self::Gouge | Self::Chafe | Self::Crushed => Some(DamageKind::Gouge),
            Self::WrongMaterial | Self::FailedRepair => Some(DamageKind::Gouge),
            Self::Rot | Self::DryRot | Self::Worm | Self::Alkali | Self::Delamination => Some(DamageKind::Rot),
            _ => None,
        }
    }

    /// Whether it takes wood away, so that a repair must cut it out.
    pub fn is_damage(self) -> bool {
        self.cut_as().is_some()
    }

    /// Whether it goes right through where nobody said how deep it goes: what was let in wrongly was let in through.
    pub fn taken_as_through(self) -> bool {
        matches!(self, Self::WrongMaterial | Self::FailedRepair | Self::Broken)
    }

    /// Whether it is soft or eaten wood.
    pub fn is_decay(self) -> bool {
        matches!(self, Self::Rot | Self::DryRot | Self::Worm | Self::Alkali)
    }

    /// What answers it.
    pub fn answer(self) -> Answer {
        match self {
            Self::OpenSeam => Answer::Step("seams"),
            Self::SickFastening => Answer::Step("fasten"),
            Self::Sun => Answer::Step("finish"),
            Self::Stain => Answer::Step("survey"),
            Self::Buckled | Self::Forced => Answer::Shape,
            Self::OpenScarf => Answer::Scarf,
            Self::Delamination => Answer::Layers,
            _ => Answer::Wood,
        }
    }

    /// Whether it goes on spreading while it is left.
    pub fn spreads(self) -> bool {
        matches!(self, Self::Rot | Self::DryRot | Self::Worm | Self::Alkali | Self::Delamination)
    }

    /// The key that opens a new finding of the kind.
    pub fn key(self) -> &'static str {
        match self {
            Self::Crack => "c",
            Self::Rot => "r",
            Self::Gouge => "g",
            Self::SickFastening => "f",
            Self::OpenSeam => "o",
            Self::DryRot => "d",
            Self::Worm => "w",
            Self::Split => "s",
            Self::Broken => "b",
            Self::Delamination => "l",
            Self::Sun => "u",
            Self::Chafe => "h",
            Self::Crushed => "e",
            Self::Alkali => "a",
            Self::Buckled => "k",
            Self::FailedRepair => "p",
            Self::WrongMaterial => "m",
            Self::Stain => "t",
            Self::OpenScarf => "j",
            Self::Forced => "y",
        }
    }
}

impl Cause {
    /// Why a repair may not be relied on yet: its cause is not known, or known and not treated. `None` when treated,
    /// or when there is nothing to treat.
    pub fn untreated(self, treated: bool) -> Option<Reason> {
        let text = match self {
            Self::Unknown => "the cause is not known yet: what did this will do it again".to_owned(),
            Self::Age => return None,
            _ if treated => return None,
            _ => format!("the cause is not treated: {}. {}", self.label().to_lowercase(), self.cure()),
        };
        Some(Reason::new("survey.cause", Verdict::Against, text).source("handbook 01, 03"))
    }
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
                "reaches from {low_x:.0} to {high_x:.0} mm; the part runs from {from_x:.0} to {to_x:.0} mm of the datum"
            ),
        ));
    }
    if low_y < -SLACK || high_y > width + SLACK {
        return Err(InputError::new(
            "shape",
            format!("reaches from {low_y:.0} to {high_y:.0} mm up; the part is {width:.0} mm wide there"),
        ));
    }
    error::within("depth", depth, 0.0, f64::INFINITY)?;
    if depth > thickness + SLACK {
        return Err(InputError::new("depth", format!("the part is only {thickness:.0} mm thick")));
    }
    Ok(())
}

/// What the urgency of a finding depends on.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Weighed {
    pub kind: FindingKind,
    pub grade: Grade,
    pub certainty: Certainty,
    pub member: MemberKind,
    pub below_waterline: bool,
}

/// Urgency of a finding for the list in order of urgency (higher comes first), and why.
///
/// Structure × consequence (*yard rule*): the grade's weight, times the member's consequence, doubled below the
/// waterline, × 1.3 when it spreads, × 1.2 where there is no access later, × 0.8 while nobody has confirmed it.
pub fn urgency(found: &Weighed) -> (f64, Vec<Reason>) {
    let structure = match found.grade {
        Grade::Sound => 0.0,
        Grade::Watch => 1.0,
        Grade::Mend => 3.0,
        Grade::Renew => 5.0,
        Grade::Unsafe => 9.0,
    };
    const FORMULA: &str = "grade × member × waterline × spread × access × certainty";
    let mut score = structure;
    let mut reasons = vec![
        Reason::note("survey.urgency", format!("graded {}", found.grade.label()))
            .formula(FORMULA)
            .value("weight", structure, "")
            .source("handbook 03"),
    ];
    let mut times = |factor: f64, applies: bool, rule: &'static str, text: &str| {
        if applies && (factor - 1.0).abs() > 1e-9 {
            score *= factor;
            let verdict = if factor > 1.0 { Verdict::Against } else { Verdict::Note };
            reasons.push(Reason::new(rule, verdict, text).value("×", factor, "").source("handbook 03"));
        }
    };
    let member = found.member;
    let text = format!("much hangs on a {}", member.label().to_lowercase());
    times(member.consequence(), true, "survey.urgency.member", &text);
    times(2.0, found.below_waterline, "survey.urgency.waterline", "below the waterline");
    times(1.3, found.kind.spreads(), "survey.urgency.spread", "spreads while it is left");
    let hidden = matches!(member, MemberKind::Floor | MemberKind::Keelson | MemberKind::Deadwood | MemberKind::Frame);
    times(1.2, hidden, "survey.urgency.access", "closed in later: access is now");
    times(0.8, found.certainty == Certainty::Suspected, "survey.urgency.certainty", "only suspected: open it up");
    (score, reasons)
}

#[cfg(test)]
mod tests {
    use std::collections::HashSet;

    use super::*;

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

    #[test]
    fn no_two_kinds_share_a_key() {
        let keys: HashSet<&str> = FindingKind::ALL.iter().map(|k| k.key()).collect();
        assert_eq!(keys.len(), FindingKind::ALL.len());
    }

    #[test]
    fn rot_in_a_floor_below_the_waterline_comes_before_the_same_in_a_topside_plank() {
        let plank = Weighed {
            kind: FindingKind::Rot,
            grade: Grade::Mend,
            certainty: Certainty::Confirmed,
            member: MemberKind::Plank,
            below_waterline: false,
        };
        let floor = Weighed { member: MemberKind::Floor, below_waterline: true, ..plank };
        let ((low, _), (high, why)) = (urgency(&plank), urgency(&floor));
        assert!((low - 3.0 * 1.3).abs() < 1e-9, "{low}");
        assert!((high - 3.0 * 1.6 * 2.0 * 1.3 * 1.2).abs() < 1e-9, "{high}");
        assert!(why.iter().any(|r| r.rule == "survey.urgency.access"));
        let suspected = Weighed { certainty: Certainty::Suspected, ..plank };
        assert!(urgency(&suspected).0 < low);
        assert_eq!(urgency(&Weighed { grade: Grade::Sound, ..floor }).0, 0.0);
    }

    #[test]
    fn a_cause_not_known_or_not_treated_is_told_and_age_is_not() {
        assert!(Cause::Unknown.untreated(true).is_some(), "nobody can have treated what nobody knows");
        assert!(Cause::FreshWater.untreated(false).unwrap().text.contains("Find the entry"));
        assert!(Cause::FreshWater.untreated(true).is_none() && Cause::Age.untreated(false).is_none());
    }
}
