//! Another species in place of one that is not to be had: what it moves, rots, bends, weighs and bears beside the one wanted.

use crate::reason::{Reason, Verdict};

use super::species::Species;

/// A species held beside the one wanted.
#[derive(Debug, Clone, PartialEq)]
pub struct Substitute {
    pub species: &'static Species,
    /// Tangential shrinkage, weight, stiffness and strength against the one wanted: 1 is alike.
    pub movement: f64,
    pub weight: f64,
    pub stiffness: f64,
    pub strength: f64,
    /// 0–100: how near it comes.
    pub score: f64,
    pub reasons: Vec<Reason>,
}

/// Every other species, nearest first.
///
/// What lasts less, bears less or moves more counts against it twice as much as what lasts or bears more counts for it (*yard rule*).
/// `bent`: the piece is to be bent.
pub fn rank(wanted: &Species, all: &'static [Species], bent: bool) -> Vec<Substitute> {
    let mut found: Vec<Substitute> =
        all.iter().filter(|s| s.id != wanted.id).map(|s| beside(wanted, s, bent)).collect();
    found.sort_by(|a, b| b.score.total_cmp(&a.score).then(a.species.id.cmp(&b.species.id)));
    found
}

fn beside(wanted: &Species, s: &'static Species, bent: bool) -> Substitute {
    let movement = s.shrinkage_tangential / wanted.shrinkage_tangential;
    let weight = s.specific_gravity / wanted.specific_gravity;
    let stiffness = s.modulus_gpa / wanted.modulus_gpa;
    let strength = s.bending_strength_mpa / wanted.bending_strength_mpa;
    let mut reasons = Vec::new();
    let mut points = 100.0;
    let mut hold = |rule, worse: f64, text: &str, value: f64, unit, limit: f64| {
        points -= 60.0 * worse.abs() * if worse > 0.0 { 1.0 } else { 0.5 };
        let verdict = match worse {
            w if w > 0.08 => Verdict::Against,
            w if w < -0.08 => Verdict::For,
            _ => Verdict::Note,
        };
        reasons.push(
            Reason::new(rule, verdict, text)
                .against(s.name.to_lowercase(), value, unit, limit)
                .source("Wood Handbook ch. 4 and 5"),
        );
    };
    hold(
        "substitute.movement",
        movement - 1.0,
        "how much it moves across, flat-sawn",
        s.shrinkage_tangential,
        "%",
        wanted.shrinkage_tangential,
    );
    hold(
        "substitute.strength",
        1.0 - strength,
        "bending strength",
        s.bending_strength_mpa,
        "MPa",
        wanted.bending_strength_mpa,
    );
    hold("substitute.stiffness", 1.0 - stiffness, "stiffness", s.modulus_gpa, "GPa", wanted.modulus_gpa);
    hold(
        "substitute.weight",
        weight - 1.0,
        "weight",
        s.specific_gravity * 1_000.0,
        "kg/m³",
        wanted.specific_gravity * 1_000.0,
    );
    let decay = f64::from(s.decay) - f64::from(wanted.decay);
    hold(
        "substitute.decay",
        decay / 4.0,
        "decay: 1 lasts longest, 5 least",
        f64::from(s.decay),
        "",
        f64::from(wanted.decay),
    );
    if bent {
        let harder = s.bend_ratio / wanted.bend_ratio - 1.0;
        hold("substitute.bend", harder, "smallest steamed radius to thickness", s.bend_ratio, "", wanted.bend_ratio);
    }
    if !s.notes.is_empty() {
        let bad = s.notes.contains("not for frames or planking") || s.notes.contains("rots fast");
        if bad {
            points -= 40.0;
        }
        let verdict = if bad { Verdict::Against } else { Verdict::Note };
        reasons.push(Reason::new("substitute.note", verdict, s.notes.clone()).source("handbook 02"));
    }
    Substitute { species: s, movement, weight, stiffness, strength, score: points.clamp(0.0, 100.0), reasons }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::timber::species;

    #[test]
    fn larch_gives_way_to_fir_or_pine_and_never_to_ash_or_red_oak_first() {
        let larch = species::find("western_larch").unwrap();
        let ranked = rank(larch, species::all(), false);
        assert_eq!(ranked.len(), species::all().len() - 1);
        let near: Vec<&str> = ranked.iter().take(4).map(|s| s.species.id.as_str()).collect();
        assert!(near.contains(&"douglas_fir"), "{near:?}");
        let place = |id: &str| ranked.iter().position(|s| s.species.id == id).unwrap();
        assert!(place("red_oak") > place("longleaf_pine") && place("white_ash") > place("longleaf_pine"));
        assert!(ranked.iter().all(|s| (0.0..=100.0).contains(&s.score) && s.reasons.len() >= 5));
    }
}
