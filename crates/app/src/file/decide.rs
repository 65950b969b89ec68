//! What the core needs to lay out the options of a part, and what a choice among them keeps.

use std::collections::HashMap;

use mend_keel_core::InputError;
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::grid::{Construction, Place};
use mend_keel_core::practice::School;
use mend_keel_core::repair::decide::member::{self, Class};
use mend_keel_core::repair::decide::{Case, RepairOption, Timber, Wood};
use mend_keel_core::repair::graving::{Damage, Patch};
use mend_keel_core::shape::frame;
use mend_keel_core::survey::{FindingKind, Grade};
use mend_keel_core::timber::{board, species};
use mend_keel_core::work::estimate::{Operation, learn};
use mend_keel_store::boats::Plank;
use mend_keel_store::decisions::{Geometry, NewDecision, NewPiece};
use mend_keel_store::members::MemberRow;
use mend_keel_store::{Store, StoreError, tasks};
use serde_json::json;

use crate::file::boat::{Asking, BoatFile};

/// Hours per unit of each operation: the yard's table, pulled by what was logged.
pub async fn rates(store: &Store) -> std::result::Result<HashMap<Operation, f64>, StoreError> {
    let logged = tasks::learned(store).await?;
    let rate = |op: &Operation| {
        let rates: Vec<f64> = logged.iter().filter(|(o, _)| o == op).map(|(_, rate)| *rate).collect();
        (*op, learn(op.rate().0, &rates))
    };
    Ok(Operation::ALL.iter().map(rate).collect())
}

/// What is decided on: a plank of a hull with seams, or any other part.
#[derive(Debug, Clone, Copy)]
pub enum Subject<'f> {
    Plank(&'f Plank),
    Member(&'f MemberRow),
    /// A strake of a hull glued up of panels.
    Panel(&'f Plank),
}

impl<'f> Subject<'f> {
    pub fn of(file: &'f BoatFile, id: i64) -> std::result::Result<Self, StoreError> {
        if let Some(plank) = file.planks.iter().find(|p| p.id == id) {
            let panel = file.boat.construction == Construction::PlywoodTaped;
            return Ok(if panel { Self::Panel(plank) } else { Self::Plank(plank) });
        }
        file.members.iter().find(|m| m.id == id).map(Self::Member).ok_or(StoreError::NotFound("part"))
    }

    pub fn id(&self) -> i64 {
        match self {
            Self::Plank(plank) | Self::Panel(plank) => plank.id,
            Self::Member(member) => member.id,
        }
    }

    pub fn name(&self) -> String {
        match self {
            Self::Plank(plank) | Self::Panel(plank) => plank.name(),
            Self::Member(member) => member.name.clone(),
        }
    }

    fn species(&self) -> &str {
        match self {
            Self::Plank(plank) | Self::Panel(plank) => &plank.species,
            Self::Member(member) => &member.species,
        }
    }
}

/// Damage whose depth nobody knows cannot be laid out.
fn depth_known(file: &BoatFile, id: i64) -> std::result::Result<(), InputError> {
    let unknown = file.found_on(id).find(|f| f.grade > Grade::Sound && f.kind.is_damage() && f.depth <= 0.0);
    match unknown {
        Some(f) => {
            let what = f.kind.label().to_lowercase();
            let at = file.shown(&f.place);
            let message = format!("nobody knows how deep the {what} at {at} goes: open it up first, then decide");
            Err(InputError::new("damage", message))
        }
        None => Ok(()),
    }
}

/// What the core needs to lay out a plank's options. Errors name `damage`.
pub fn case<'f>(file: &'f BoatFile, plank: &Plank, school: School) -> std::result::Result<Case<'f>, InputError> {
    let found: Vec<_> = file.on_plank(plank).collect();
    depth_known(file, plank.id)?;
    let damage: Vec<Damage> = found
        .iter()
        // A place found to be sound asks for nothing.
        .filter(|(f, _)| f.grade > Grade::Sound)
        .filter_map(|(f, at)| {
            Some(Damage {
                kind: f.kind.cut_as()?,
                points: file.shape_on_plank(plank, f, *at),
                depth: f.depth.min(plank.thickness),
            })
        })
        .collect();
    if damage.is_empty() {
        return Err(InputError::new(
            "damage",
            "no crack, rot or gouge is marked on this plank: fastenings and seams have their own pages",
        ));
    }
    let own = [plank.from_bay, plank.to_bay];
    Ok(Case {
        shell: &file.boat.shell,
        place: plank.place(),
        thickness: plank.thickness,
        damage,
        holes: file.holes(plank),
        worst: found.iter().map(|(f, _)| f.grade).max().unwrap_or(Grade::Watch),
        causes: found.iter().filter(|(f, _)| f.cause_treated.is_none()).map(|(f, _)| f.cause).collect(),
        moisture: found.iter().filter_map(|(f, _)| f.moisture).reduce(f64::max),
        below_waterline: file.is_below_waterline(plank.strake),
        other_joints: file
            .joints
            .iter()
            .copied()
            .filter(|j| !(j.side == plank.side && j.strake == plank.strake && own.contains(&Some(j.bay))))
            .collect(),
        school,
        butt_rule: file.butt_rule(),
        practice: file.practice,
    })
}

/// Where damage lies along a part and across it. x from the part's start, mm.
fn places(file: &BoatFile, id: i64, from: impl Fn(&Place) -> f64, width: f64, thickness: f64) -> Vec<member::Place> {
    file.found_on(id)
        .filter(|f| f.grade > Grade::Sound && f.kind.is_damage())
        .map(|f| {
            let start = from(&f.place);
            let range = |axis: usize| {
                let values = f.shape.iter().map(|p| p[axis]);
                (values.clone().fold(f64::INFINITY, f64::min), values.fold(f64::NEG_INFINITY, f64::max))
            };
            let ((x0, x1), (y0, y1)) =
                if f.shape.is_empty() { ((0.0, 20.0), (0.0, width)) } else { (range(0), range(1)) };
            let broken = f.kind == FindingKind::Broken;
            member::Place {
                from: start + x0,
                to: start + x1.max(x0 + 1.0),
                across: if broken { width } else { (y1 - y0).clamp(5.0, width) },
                depth: if broken { thickness } else { f.depth.clamp(1.0, thickness) },
                rotten: f.kind.spreads(),
                broken,
            }
        })
        .collect()
}

/// What the core needs to lay out the options of a part that is no plank in a hull with seams. Errors name `damage`.
pub fn member_case(
    file: &BoatFile,
    subject: &Subject<'_>,
    school: School,
) -> std::result::Result<member::Case<'static>, InputError> {
    let id = subject.id();
    depth_known(file, id)?;
    let shell = &file.boat.shell;
    let (kind, class, length, width, thickness, damage) = match subject {
        Subject::Member(m) => {
            let cell = m.core().cell_length();
            let start = |place: &Place| match place {
                Place::Member(at) => cell * f64::from(at.cell.saturating_sub(1)),
                Place::Shell(_) => 0.0,
            };
            let damage = places(file, id, start, m.width, m.thickness);
            (m.kind, Class::of(m.kind), m.length, m.width, m.thickness, damage)
        }
        Subject::Plank(p) | Subject::Panel(p) => {
            let (from, to) = p.place().span(shell);
            let width = shell.widest(p.side, p.strake, 1, shell.frame_count());
            let start = |place: &Place| place.shell().map_or(0.0, |at| file.boat.datum(at.frame) - from);
            let damage = places(file, id, start, width, p.thickness);
            (MemberKind::Plank, Class::Panel, to - from, width, p.thickness, damage)
        }
    };
    if damage.is_empty() {
        return Err(InputError::new("damage", "no crack, break, rot or gouge is marked on this part"));
    }
    let found: Vec<_> = file.found_on(id).collect();
    let girth = shell.greatest_girth();
    let crossed = matches!(kind, MemberKind::Frame | MemberKind::Floor);
    Ok(member::Case {
        kind,
        class,
        length,
        width,
        thickness,
        species: species::find(subject.species())?,
        damage,
        worst: found.iter().map(|f| f.grade).max().unwrap_or(Grade::Watch),
        causes: found.iter().filter(|f| f.cause_treated.is_none()).map(|f| f.cause).collect(),
        moisture: found.iter().filter_map(|f| f.moisture).reduce(f64::max),
        below_waterline: kind.is_below_waterline(),
        radius: match subject {
            Subject::Member(m) if m.kind == MemberKind::Frame => frame_shape(file, m.number).and_then(|f| f.radius),
            _ => None,
        },
        strake_width: if crossed { girth / f64::from(shell.strake_count().max(1)) } else { 0.0 },
        crook: false,
        school,
        practice: file.practice,
    })
}

/// A frame's shape out of the table of offsets, where there is one that reaches it. Station 1 is taken to stand at frame 1.
pub fn frame_shape(file: &BoatFile, number: u32) -> Option<frame::FrameShape> {
    let offsets = file.boat.offsets.as_ref()?;
    let shell = &file.boat.shell;
    if number == 0 || number > shell.frame_count() {
        return None;
    }
    frame::shape(offsets, shell.frame_x(number), shell.frame_space()).ok()
}

/// An option as the decision and the pieces that are kept of it.
pub fn settled(
    file: &BoatFile,
    subject: &Subject<'_>,
    option: &RepairOption,
    reason: String,
) -> (NewDecision, Vec<NewPiece>) {
    let decision = NewDecision {
        boat_id: file.boat.id,
        member_id: subject.id(),
        plank_name: subject.name(),
        kind: option.kind,
        reason,
        kept: option.kept,
        strength: option.strength,
        p50: option.hours.p50,
        p80: option.hours.p80,
        rules: json!({
            "school": file.boat.school, "score": option.score, "reasons": option.reasons,
            "materials": option.materials, "cost": option.cost,
        }),
    };
    (decision, pieces(subject, option))
}

/// Lost to the saw between two plies, mm (*yard rule*).
const PLY_KERF: f64 = 3.0;

/// The pieces of new wood that an option asks for.
pub fn pieces(subject: &Subject<'_>, option: &RepairOption) -> Vec<NewPiece> {
    let species = subject.species().to_owned();
    let name = subject.name();
    match &option.wood {
        Wood::None => Vec::new(),
        Wood::Patches(patches) => {
            let many = patches.len() > 1;
            patches
                .iter()
                .enumerate()
                .map(|(i, patch)| patch_piece(&name, patch, many.then_some(i + 1), &species))
                .collect()
        }
        Wood::Plank(s) => vec![NewPiece {
            name: format!("{}, {name}", option.kind.label()),
            geometry: Geometry::Stretch {
                from: s.from,
                to: s.to,
                width: s.width,
                new_fore: s.new_fore,
                new_aft: s.new_aft,
                scarf: s.scarf,
                fore_bay: s.fore_bay,
                aft_bay: s.aft_bay,
                nibbed: false,
            },
            length: s.length() + 2.0 * board::END_ALLOWANCE,
            width: s.width + 2.0 * board::EDGE_ALLOWANCE,
            thickness: match subject {
                Subject::Plank(plank) | Subject::Panel(plank) => plank.thickness,
                Subject::Member(member) => member.thickness,
            },
            species,
        }],
        Wood::Timber(t) => vec![timber_piece(format!("{}, {name}", option.kind.label()), t, species)],
    }
}

fn timber_piece(name: String, t: &Timber, species: String) -> NewPiece {
    let geometry = Geometry::Timber {
        from: t.from,
        to: t.to,
        width: t.width,
        thickness: t.thickness,
        scarf: t.scarf,
        sheet: t.sheet,
        plies: t.plies,
    };
    // Plies are ripped beside each other out of one board as thick as the rib is sided.
    let plies = f64::from(t.plies.max(1));
    let width = if t.plies > 1 { t.width + plies * PLY_KERF } else { t.width + 2.0 * board::EDGE_ALLOWANCE };
    NewPiece { name, geometry, length: t.length() + 2.0 * board::END_ALLOWANCE, width, thickness: t.thickness, species }
}

fn patch_piece(name: &str, patch: &Patch, number: Option<usize>, species: &str) -> NewPiece {
    NewPiece {
        name: format!("Graving piece{}, {name}", number.map_or(String::new(), |n| format!(" {n}"))),
        geometry: patch_geometry(patch),
        length: patch.blank.length,
        width: patch.blank.width,
        thickness: patch.blank.thickness,
        species: species.to_owned(),
    }
}

/// A graving piece as it is kept.
pub fn patch_geometry(patch: &Patch) -> Geometry {
    Geometry::Patch {
        outline: patch.outline.clone(),
        depth: patch.depth,
        through: patch.through,
        area: patch.area,
        swallowed: patch.swallowed.clone(),
        to_edge: patch.to_edge,
    }
}

/// Planks that ask for a decision, for laying out together.
pub fn asking_planks(file: &BoatFile) -> Vec<Asking> {
    file.asking().into_iter().filter(|a| a.kind == MemberKind::Plank).collect()
}
