//! Deciding: a damaged member by itself, and what may come out of the boat.

use mend_keel_core::InputError;
use mend_keel_core::grid::Construction;
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::practice::{Practice, School, Use};
use mend_keel_core::repair::decide::alone::{self, Alone};
use mend_keel_core::repair::decide::member::Curve;
use mend_keel_core::repair::decide::{Found, RepairOption, Skin};
use mend_keel_core::survey::{Certainty, FindingKind, Grade};
use mend_keel_core::timber::species;
use mend_keel_core::work::holds;
use serde::Deserialize;
use serde_json::{Value, json};

use super::{Outcome, read};

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Boat {
    construction: Construction,
    #[serde(rename = "use")]
    boat_use: Use,
    school: School,
    age: Option<f64>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Member {
    kind: String,
    length: f64,
    width: f64,
    thickness: f64,
    species: Option<String>,
    radius: Option<f64>,
    #[serde(default)]
    below_waterline: bool,
    moisture: Option<f64>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ExtFound {
    kind: FindingKind,
    grade: Grade,
    certainty: Certainty,
    from: f64,
    to: f64,
    low: f64,
    high: f64,
    depth: f64,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct OldHole {
    x: f64,
    y: f64,
    diameter: f64,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ExtSkin {
    panels: u32,
    soft_panels: u32,
    soft_share: f64,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct In {
    boat: Boat,
    member: Member,
    damage: Vec<ExtFound>,
    #[serde(default)]
    cause_treated: bool,
    #[serde(default)]
    old_holes: Vec<OldHole>,
    skin: Option<ExtSkin>,
}

/// The code of a plywood panel of the shell, beside the kinds of the grid.
const PANEL: &str = "panel";

fn kind_of(code: &str) -> Option<MemberKind> {
    if code == PANEL { Some(MemberKind::Plank) } else { MemberKind::from_code(code) }
}

pub fn decide(input: Value) -> Outcome {
    let input: In = read(input)?;
    let member = input.member;
    let panel = member.kind == PANEL;
    let kind = kind_of(&member.kind).ok_or_else(|| {
        let known: Vec<&str> = MemberKind::ALL.iter().map(|k| k.code()).chain([PANEL]).collect();
        InputError::new(
            "member.kind",
            format!("“{}” is no kind of member; there are {}", member.kind, known.join(", ")),
        )
    })?;
    let species = member.species.as_deref().map(species::find).transpose().map_err(|e| e.within("member"))?;
    if let Some(radius) = member.radius.filter(|r| !(r.is_finite() && *r > 0.0)) {
        return Err(InputError::new("member.radius", format!("must be greater than 0, was {radius}")));
    }
    if let Some(moisture) = member.moisture.filter(|m| !(0.0..=200.0).contains(m)) {
        return Err(InputError::new("member.moisture", format!("must be between 0 and 200 %, was {moisture}")));
    }
    if let Some(age) = input.boat.age.filter(|a| !(0.0..=1_000.0).contains(a)) {
        return Err(InputError::new("boat.age", format!("must be between 0 and 1000 years, was {age}")));
    }
    let skin = input.skin.map(checked_skin).transpose()?;
    let found = |f: ExtFound| Found {
        kind: f.kind,
        grade: f.grade,
        certainty: f.certainty,
        from: f.from,
        to: f.to,
        low: f.low,
        high: f.high,
        depth: f.depth,
    };
    let answered = alone::decide(&Alone {
        construction: input.boat.construction,
        boat_use: input.boat.boat_use,
        school: input.boat.school,
        age: input.boat.age,
        kind,
        panel,
        length: member.length,
        width: member.width,
        thickness: member.thickness,
        species,
        curve: member.radius.map_or(Curve::Unknown, Curve::Radius),
        below_waterline: member.below_waterline,
        moisture: member.moisture,
        found: input.damage.into_iter().map(found).collect(),
        cause_treated: input.cause_treated,
        old_holes: input.old_holes.iter().map(|h| [h.x, h.y, h.diameter]).collect(),
        skin,
        practice: Practice::default(),
    })?;
    let options: Vec<Value> = answered.options.iter().map(option).collect();
    Ok(json!({ "options": options, "answered_in": answered.answered_in,
        "once_dry": answered.once_dry }))
}

fn checked_skin(skin: ExtSkin) -> Result<Skin, InputError> {
    if skin.soft_panels > skin.panels {
        return Err(InputError::new("skin.soft_panels", format!("is more than there are panels ({})", skin.panels)));
    }
    if !(0.0..=1.0).contains(&skin.soft_share) {
        return Err(InputError::new("skin.soft_share", format!("must be between 0 and 1, was {}", skin.soft_share)));
    }
    Ok(Skin { panels: skin.panels, soft_panels: skin.soft_panels, soft_share: skin.soft_share, other_thickness: 0 })
}

fn option(option: &RepairOption) -> Value {
    json!({
        "option": option.kind.code(), "label": option.kind.label(), "score": option.score, "refused": option.forbidden(),
        "kept": option.kept, "strength": option.strength, "years": option.years,
        "hours": { "p50": option.hours.p50, "p80": option.hours.p80 }, "cost": option.cost,
        "reasons": option.reasons,
    })
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Standing {
    id: String,
    kind: String,
    #[serde(default)]
    rests_on: Vec<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Holding {
    members: Vec<Standing>,
    #[serde(default)]
    rotten: Vec<String>,
    #[serde(default)]
    out: Vec<String>,
    next: String,
}

/// The number an id carries, with what stands round it: `FR12P` is number 12 of `FR·P`.
fn number_in(id: &str) -> Option<(String, u32)> {
    let from = id.find(|c: char| c.is_ascii_digit())?;
    let digits: String = id[from..].chars().take_while(char::is_ascii_digit).collect();
    Some((format!("{}·{}", &id[..from], &id[from + digits.len()..]), digits.parse().ok()?))
}

pub fn what_holds(input: Value) -> Outcome {
    let input: Holding = read(input)?;
    let at = |id: &String| input.members.iter().position(|m| m.id == *id);
    let known =
        |field: String, id: &String| at(id).ok_or_else(|| InputError::new(field, format!("there is no member “{id}”")));
    for (i, member) in input.members.iter().enumerate() {
        if at(&member.id) != Some(i) {
            return Err(InputError::new(format!("members[{i}].id"), "stands twice"));
        }
    }
    for (field, ids) in [("rotten", &input.rotten), ("out", &input.out)] {
        for (i, id) in ids.iter().enumerate() {
            known(format!("{field}[{i}]"), id)?;
        }
    }
    let mut members = Vec::new();
    for (i, m) in input.members.iter().enumerate() {
        let kind = kind_of(&m.kind).ok_or_else(|| {
            InputError::new(format!("members[{i}].kind"), format!("“{}” is no kind of member", m.kind))
        })?;
        let rests_on = m
            .rests_on
            .iter()
            .enumerate()
            .map(|(j, id)| known(format!("members[{i}].rests_on[{j}]"), id))
            .collect::<Result<Vec<usize>, InputError>>()?;
        members.push(holds::Member {
            name: m.id.clone(),
            kind,
            number: number_in(&m.id),
            rests_on,
            rotten: input.rotten.contains(&m.id),
            out: input.out.contains(&m.id),
        });
    }
    let found = holds::check(&members, known("next".to_owned(), &input.next)?)?;
    let ids = |of: &[usize]| of.iter().map(|i| input.members[*i].id.clone()).collect::<Vec<String>>();
    Ok(json!({
        "allowed": found.allowed, "shore_first": ids(&found.shore_first), "keep_off": ids(&found.keep_off),
        "reasons": found.reasons,
    }))
}
