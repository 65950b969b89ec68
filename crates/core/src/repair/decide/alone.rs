//! Deciding on one member by itself: without the rack and without its neighbours.

use crate::error::{self, InputError};
use crate::grid::member::MemberKind;
use crate::grid::plank::PlankPlace;
use crate::grid::{Construction, Shell, Side};
use crate::practice::{Practice, School, Use};
use crate::repair::butts::Rule;
use crate::survey::{Answer, Cause, Grade};
use crate::timber::species::Species;
use crate::work::estimate::Operation;

use super::member::{self, Class, Curve};
use crate::repair::way::OptionKind;

use super::{
    Body, DRIED, Facts, Found, RepairOption, Skin, answered_in, is_wet, leave, limits, old_holes, once_dry, plank, rank,
};

/// A member by itself, with everything found on it. Lengths mm.
#[derive(Debug, Clone)]
pub struct Alone<'s> {
    pub construction: Construction,
    pub boat_use: Use,
    pub school: School,
    /// Of the boat, years.
    pub age: Option<f64>,
    pub kind: MemberKind,
    /// A plywood panel of the shell, whatever the construction.
    pub panel: bool,
    pub length: f64,
    /// Its face, or its moulded depth.
    pub width: f64,
    /// Or sided.
    pub thickness: f64,
    pub species: Option<&'s Species>,
    pub curve: Curve,
    pub below_waterline: bool,
    pub moisture: Option<f64>,
    pub found: Vec<Found>,
    pub cause_treated: bool,
    /// Holes somebody recorded, `[along, across, diameter]`.
    pub old_holes: Vec<[f64; 3]>,
    pub skin: Option<Skin>,
    pub practice: Practice,
}

/// What can be done, and the step that answers it where no wood is taken.
#[derive(Debug, Clone, PartialEq)]
pub struct Answered {
    pub options: Vec<RepairOption>,
    /// `survey` also where nobody knows how deep it goes: it is opened up first.
    pub answered_in: Option<&'static str>,
    /// What comes first once it is dry, where only its being wet refuses it now.
    pub once_dry: Option<OptionKind>,
}

/// Frames behind a plank by itself stand so many thicknesses apart, within these limits in mm (*yard rule*).
const FRAMES_APART: (f64, f64, f64) = (12.0, 150.0, 450.0);

/// Lays out the options of a member by itself. Errors name the field, damage as `damage[i].…`.
pub fn decide(alone: &Alone<'_>) -> Result<Answered, InputError> {
    let within = |e: InputError| e.within("member");
    error::length("length", alone.length).map_err(within)?;
    error::length("width", alone.width).map_err(within)?;
    error::length("thickness", alone.thickness).map_err(within)?;
    if alone.found.is_empty() {
        return Err(InputError::new("damage", "say what was found: at least one crack, break, rot or other finding"));
    }
    for (i, found) in alone.found.iter().enumerate() {
        found.check(alone.length, alone.width, alone.thickness).map_err(|e| e.within(&format!("damage[{i}]")))?;
    }
    for (i, hole) in alone.old_holes.iter().enumerate() {
        error::length("diameter", hole[2]).map_err(|e| e.within(&format!("old_holes[{i}]")))?;
    }
    let open: Vec<&Found> = alone.found.iter().filter(|f| f.grade > Grade::Sound).collect();
    if let Some(step) = answered_in(alone.found.iter().map(|f| (f.kind, f.grade))) {
        return Ok(Answered { options: only_leave(alone), answered_in: Some(step), once_dry: None });
    }
    if open.is_empty() {
        return Ok(Answered { options: only_leave(alone), answered_in: None, once_dry: None });
    }
    let unknown = |f: &&Found| f.takes_wood() && f.depth <= 0.0 && !f.kind.taken_as_through();
    if open.iter().any(unknown) {
        return Ok(Answered { options: only_leave(alone), answered_in: Some("survey"), once_dry: None });
    }
    let options = laid_out(alone)?;
    let once_dry = if is_wet(alone.moisture) {
        once_dry(&options, &laid_out(&Alone { moisture: Some(DRIED), ..alone.clone() })?)
    } else {
        None
    };
    Ok(Answered { options, answered_in: None, once_dry })
}

/// The options of a member by itself, ranked.
fn laid_out(alone: &Alone<'_>) -> Result<Vec<RepairOption>, InputError> {
    let rate = |op: Operation| op.rate().0;
    let causes = if alone.cause_treated { Vec::new() } else { vec![Cause::Unknown] };
    let class = match Class::of_shell(alone.construction) {
        _ if alone.panel => Some(Class::Panel),
        class if alone.kind == MemberKind::Plank => class,
        _ => Some(Class::of(alone.kind)),
    };
    match class {
        Some(class) => member::options(&alone.member(class, causes), rate),
        None => {
            let shell = alone.shell();
            plank::options(&alone.plank(&shell, causes), rate)
        }
    }
}

fn only_leave(alone: &Alone<'_>) -> Vec<RepairOption> {
    let body = Body {
        kind: alone.kind,
        length: alone.length,
        width: alone.width,
        thickness: alone.thickness,
        below_waterline: alone.below_waterline,
        moisture: alone.moisture,
        cause_treated: alone.cause_treated,
        durability: alone.species.map(|s| s.decay),
        holes: &alone.old_holes,
    };
    let facts = Facts::of(&alone.found, &body);
    let mut draft = leave(&facts);
    limits::judge(&mut draft, &facts, None);
    let mut options = vec![draft.finish((alone.length, alone.thickness), &alone.practice, &[], |op| op.rate().0)];
    rank(&mut options, &alone.practice, alone.school);
    options
}

impl<'s> Alone<'s> {
    fn member(&self, class: Class, causes: Vec<Cause>) -> member::Case<'s> {
        member::Case {
            kind: self.kind,
            class,
            length: self.length,
            face: None,
            width: self.width,
            thickness: self.thickness,
            species: self.species,
            found: self.found.clone(),
            drawn: Vec::new(),
            recorded_holes: self.old_holes.clone(),
            causes,
            moisture: self.moisture,
            below_waterline: self.below_waterline,
            curve: self.curve,
            skin: self.skin,
            age: self.age,
            boat_use: Some(self.boat_use),
            strake_width: if self.kind.is_planked() { STRAKE } else { 0.0 },
            crook: false,
            school: self.school,
            practice: self.practice,
        }
    }

    /// A strake by itself over frames that are assumed.
    fn shell(&self) -> Shell {
        let (times, least, most) = FRAMES_APART;
        let apart = (times * self.thickness).clamp(least, most);
        let bays = (self.length / apart).round().clamp(2.0, 2_000.0);
        let frames: Vec<f64> = (0..=bays as usize).map(|i| self.length * i as f64 / bays).collect();
        let edges = vec![vec![0.0; frames.len()], vec![self.width; frames.len()]];
        Shell::new(frames, edges)
    }

    fn plank<'b>(&self, shell: &'b Shell, causes: Vec<Cause>) -> plank::Case<'b> {
        let open = self.found.iter().filter(|f| f.grade > Grade::Sound);
        let damage = open
            .filter(|f| f.kind.answer() == Answer::Wood || f.takes_wood())
            .filter_map(|f| f.cut_out(&[], self.length, self.width, self.thickness))
            .collect();
        plank::Case {
            shell,
            place: PlankPlace { side: Side::Port, strake: 1, from_bay: None, to_bay: None },
            thickness: self.thickness,
            damage,
            found: self.found.clone(),
            holes: old_holes(&self.old_holes),
            recorded_holes: self.old_holes.clone(),
            assumed_ends: [false; 2],
            frame_sided: 0.0,
            causes,
            moisture: self.moisture,
            below_waterline: self.below_waterline,
            durability: self.species.map(|s| s.decay),
            between: self.construction.between(),
            other_joints: Vec::new(),
            school: self.school,
            butt_rule: Rule::for_use(self.boat_use),
            practice: self.practice,
        }
    }
}

/// Width of the strakes that cross a frame by itself, mm (*yard rule*).
const STRAKE: f64 = 130.0;
