//! What the core needs to lay out the options of a part, and what a choice among them keeps.

use mend_keel_core::InputError;
use mend_keel_core::geometry::{Point, extent};
use mend_keel_core::grid::Place;
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::practice::School;
use mend_keel_core::repair::decide::alone::Answered;
use mend_keel_core::repair::decide::limits::OTHER_SHEET;
use mend_keel_core::repair::decide::member::{self, Class, Curve};
use mend_keel_core::repair::decide::{self, Case, Found, RepairOption, Skin, Timber, Wood};
use mend_keel_core::repair::graving::{self, Backing, Damage, Patch};
use mend_keel_core::repair::way::OptionKind;
use mend_keel_core::shape::frame::{self, FrameShape, Mould, Scantling};
use mend_keel_core::shape::spiling::{Capture, RibTick};
use mend_keel_core::survey::{Cause, Grade, mark};
use mend_keel_core::timber::{board, species};
use mend_keel_core::work::estimate::Operation;
use mend_keel_store::StoreError;
use mend_keel_store::boats::Plank;
use mend_keel_store::captures::CaptureRow;
use mend_keel_store::decisions::{Geometry, NewDecision, NewPiece, Piece};
use mend_keel_store::findings::Finding;
use mend_keel_store::members::MemberRow;
use serde_json::json;

use crate::file::boat::{Asking, BoatFile};
use crate::file::shape;
use crate::view::plank::Mark;

/// What is decided on: a plank of a hull with seams, or any other part.
#[derive(Debug, Clone, Copy)]
pub enum Subject<'f> {
    Plank(&'f Plank),
    Member(&'f MemberRow),
    /// A row of a hull that has no planks with seams, and how it is mended.
    Panel(&'f Plank, Class),
}

impl<'f> Subject<'f> {
    pub fn of(file: &'f BoatFile, id: i64) -> std::result::Result<Self, StoreError> {
        if let Some(plank) = file.planks.iter().find(|p| p.id == id) {
            return Ok(match Class::of_shell(file.boat.construction) {
                Some(class) => Self::Panel(plank, class),
                None => Self::Plank(plank),
            });
        }
        file.members.iter().find(|m| m.id == id).map(Self::Member).ok_or(StoreError::NotFound("part"))
    }

    pub fn id(&self) -> i64 {
        match self {
            Self::Plank(plank) | Self::Panel(plank, _) => plank.id,
            Self::Member(member) => member.id,
        }
    }

    pub fn name(&self) -> String {
        match self {
            Self::Plank(plank) | Self::Panel(plank, _) => plank.name(),
            Self::Member(member) => member.name.clone(),
        }
    }

    /// Whether its section was measured: what of it is lost is reckoned by it.
    pub fn section_measured(&self) -> bool {
        match self {
            Self::Plank(_) | Self::Panel(..) => true,
            Self::Member(member) => member.measured,
        }
    }

    /// Whether somebody said what wood it is of.
    pub fn timber_known(&self) -> bool {
        species::find(self.species()).is_ok()
    }

    fn species(&self) -> &str {
        match self {
            Self::Plank(plank) | Self::Panel(plank, _) => &plank.species,
            Self::Member(member) => &member.species,
        }
    }
}

/// Damage whose depth nobody knows cannot be laid out.
fn depth_known(file: &BoatFile, id: i64) -> std::result::Result<(), InputError> {
    let unknown = file
        .found_on(id)
        .find(|f| f.grade > Grade::Sound && f.kind.is_damage() && f.depth <= 0.0 && !f.kind.taken_as_through());
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

/// Everything found on a part that is open, with its drawing along the part. A place nobody drew lies where it was told, with its kind's
/// own size. `start`: where along the part x of a finding's drawing begins.
fn shapes(file: &BoatFile, id: i64, start: impl Fn(&Place) -> f64) -> impl Iterator<Item = (&Finding, Vec<Point>)> {
    file.found_on(id).map(move |f| {
        let told = || file.part_at(&f.place).map(|part| mark::shape(f.kind, file.cell(&part), None));
        let shape = if f.shape.is_empty() { told().unwrap_or_default() } else { f.shape.clone() };
        let start = start(&f.place);
        (f, shape.into_iter().map(|p| [p[0] + start, p[1]]).collect())
    })
}

/// Everything found on a part that is no plank, as it is drawn on it, x from the part's start.
pub fn marks_on_member(file: &BoatFile, m: &MemberRow) -> Vec<Mark> {
    let mark = |(f, shape): (&Finding, Vec<Point>)| Mark { kind: f.kind, certainty: f.certainty, shape };
    shapes(file, m.id, along(m)).map(mark).collect()
}

/// Where along a member x of a drawing in one of its cells begins.
fn along(m: &MemberRow) -> impl Fn(&Place) -> f64 + use<> {
    let cell = m.core().cell_length();
    move |place| match place {
        Place::Member(at) => cell * f64::from(at.cell.saturating_sub(1)),
        Place::Shell(_) => 0.0,
    }
}

/// Everything found on a part that is open, as the core knows it. `start`: where along the part x of a finding's drawing begins.
fn found(
    file: &BoatFile,
    id: i64,
    start: impl Fn(&Place) -> f64,
    length: f64,
    width: f64,
    thickness: f64,
) -> Vec<Found> {
    shapes(file, id, start)
        .map(|(f, shape)| {
            let range = |axis: usize, most: f64| {
                extent(&shape, axis).map_or((0.0, most), |(low, high)| (low.clamp(0.0, most), high.clamp(0.0, most)))
            };
            let ((from, to), (low, high)) = (range(0, length), range(1, width));
            let (kind, grade, certainty) = (f.kind, f.grade, f.certainty);
            Found { kind, grade, certainty, from, to, low, high, depth: f.depth.min(thickness) }
        })
        .collect()
}

/// A part with everything found on it that is open, in the order of [`BoatFile::found_on`]. Sizes mm.
#[derive(Debug)]
pub struct Extents<'f> {
    pub length: f64,
    pub width: f64,
    pub thickness: f64,
    pub species: &'f str,
    pub found: Vec<Found>,
}

/// What was found on a part, along and across it.
pub fn extents<'f>(file: &BoatFile, subject: &Subject<'f>) -> Extents<'f> {
    match subject {
        Subject::Plank(plank) | Subject::Panel(plank, _) => {
            let (found, length, width) = found_on_plank(file, plank);
            Extents { length, width, thickness: plank.thickness, species: &plank.species, found }
        }
        Subject::Member(m) => {
            let found = found_on_member(file, m);
            Extents { length: m.length, width: m.width, thickness: m.thickness, species: &m.species, found }
        }
    }
}

/// Everything found on a member that is no plank, x from its first cell's start.
fn found_on_member(file: &BoatFile, m: &MemberRow) -> Vec<Found> {
    found(file, m.id, along(m), m.length, m.width, m.thickness)
}

/// Causes of what was found on a part that nobody treated.
fn untreated_causes(file: &BoatFile, id: i64) -> Vec<Cause> {
    file.found_on(id).filter(|f| f.cause_treated.is_none()).map(|f| f.cause).collect()
}

/// Everything found on a plank, x from its fore joint.
fn found_on_plank(file: &BoatFile, plank: &Plank) -> (Vec<Found>, f64, f64) {
    let shell = &file.boat.shell;
    let (from, to) = plank.place().span(shell);
    let width = shell.widest(plank.side, plank.strake, 1, shell.frame_count());
    let start = |place: &Place| place.shell().map_or(0.0, |at| file.boat.datum(at.frame) - from);
    (found(file, plank.id, start, to - from, width, plank.thickness), to - from, width)
}

/// What the core needs to lay out a plank's options. Errors name `damage`.
pub fn case<'f>(file: &'f BoatFile, plank: &Plank, school: School) -> std::result::Result<Case<'f>, InputError> {
    depth_known(file, plank.id)?;
    let (found, length, width) = found_on_plank(file, plank);
    let findings: Vec<_> = file.on_plank(plank).collect();
    let damage: Vec<Damage> = file
        .found_on(plank.id)
        .zip(&found)
        // A place found to be sound asks for nothing.
        .filter(|(f, _)| f.grade > Grade::Sound)
        .filter_map(|(f, as_found)| {
            let at = f.address().filter(|at| file.boat.shell.place(*at).is_ok())?;
            as_found.cut_out(&file.shape_on_plank(plank, f, at), length, width, plank.thickness)
        })
        .collect();
    let own = [plank.from_bay, plank.to_bay];
    Ok(Case {
        shell: &file.boat.shell,
        place: plank.place(),
        thickness: plank.thickness,
        damage,
        holes: file.holes(plank),
        recorded_holes: file.recorded_holes(plank),
        causes: untreated_causes(file, plank.id),
        moisture: findings.iter().filter_map(|(f, _)| f.moisture).reduce(f64::max),
        below_waterline: file.is_plank_below(plank),
        durability: species::find(&plank.species).ok().map(|s| s.decay),
        between: file.boat.construction.between(),
        assumed_ends: file.assumed_ends(plank),
        frame_sided: file.boat.frame_sided,
        other_joints: file
            .joints
            .iter()
            .copied()
            .filter(|j| !(j.side == plank.side && j.strake == plank.strake && own.contains(&Some(j.bay))))
            .collect(),
        found,
        school,
        butt_rule: file.butt_rule(),
        practice: file.practice,
    })
}

/// The whole skin of a plywood hull: how much of it is soft over all panels.
fn skin(file: &BoatFile) -> Skin {
    let (mut soft_panels, mut soft, mut whole) = (0, 0.0, 0.0);
    let usual = file.boat.plank_thickness;
    let another = |p: &&Plank| p.measured && (p.thickness - usual).abs() > OTHER_SHEET;
    let other_thickness = file.planks.iter().filter(another).count() as u32;
    for plank in &file.planks {
        let (found, length, width) = found_on_plank(file, plank);
        let spread: f64 = found
            .iter()
            .filter(|f| f.kind.spreads() && f.grade >= Grade::Mend)
            .map(|f| f.length() * f.across(width))
            .sum();
        soft_panels += u32::from(spread > 0.0);
        soft += spread;
        whole += length * width;
    }
    let soft_share = if whole > 0.0 { soft / whole } else { 0.0 };
    Skin { panels: file.planks.len() as u32, soft_panels, soft_share, other_thickness }
}

/// The boat's age in years, where her year is known.
fn age(file: &BoatFile) -> Option<f64> {
    file.boat.year.map(|year| (i64::from(jiff::ZonedDateTime::now().year()) - year).max(0) as f64)
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
    let (kind, class, extents) = match subject {
        Subject::Member(m) => (m.kind, Class::of(m.kind), extents(file, subject)),
        Subject::Plank(_) => (MemberKind::Plank, Class::Board, extents(file, subject)),
        Subject::Panel(_, class) => (MemberKind::Plank, *class, extents(file, subject)),
    };
    let Extents { length, width, thickness, found, .. } = extents;
    let drawn: Vec<Vec<Point>> = match subject {
        Subject::Member(m) => shapes(file, id, along(m)).map(|(_, shape)| shape).collect(),
        Subject::Plank(p) | Subject::Panel(p, _) => {
            file.found_on(id).map(|f| f.address().map_or(Vec::new(), |at| file.shape_on_plank(p, f, at))).collect()
        }
    };
    let drawn = found.iter().zip(&drawn).filter(|(f, _)| f.asks());
    let drawn = drawn.filter_map(|(f, drawn)| f.cut_out(drawn, length, width, thickness)).collect();
    let girth = shell.greatest_girth();
    let below_waterline = match subject {
        Subject::Member(_) => kind.is_below_waterline(),
        Subject::Plank(p) | Subject::Panel(p, _) => file.is_plank_below(p),
    };
    Ok(member::Case {
        kind,
        class,
        length,
        face: match subject {
            Subject::Panel(p, Class::Board) => Some(graving::Plank::of(&p.place(), shell, p.thickness)),
            _ => None,
        },
        width,
        thickness,
        species: species::find(subject.species()).ok(),
        found,
        drawn,
        recorded_holes: Vec::new(),
        causes: untreated_causes(file, id),
        moisture: file.found_on(id).filter_map(|f| f.moisture).reduce(f64::max),
        below_waterline,
        curve: match subject {
            Subject::Member(m) => frame_shape(file, m).map_or(Curve::Unknown, |f| f.curve(m.width)),
            _ => Curve::Unknown,
        },
        skin: (class == Class::Panel && kind == MemberKind::Plank).then(|| skin(file)),
        age: age(file),
        boat_use: Some(file.boat.boat_use),
        strake_width: if kind.is_planked() { girth / f64::from(shell.strake_count().max(1)) } else { 0.0 },
        crook: false,
        school,
        practice: file.practice,
    })
}

/// A part's options under a school, or the step that answers what was found there. Errors name `damage`.
pub fn lay_out(
    file: &BoatFile,
    subject: &Subject<'_>,
    school: School,
    rate: impl Fn(Operation) -> f64,
) -> std::result::Result<Answered, InputError> {
    if let Some(step) = answered_in(file, subject.id()) {
        return Ok(Answered { options: Vec::new(), answered_in: Some(step), once_dry: None });
    }
    let dried = Some(decide::DRIED);
    let (options, once_dry) = match subject {
        Subject::Plank(plank) => {
            let case = case(file, plank, school)?;
            let options = decide::options(&case, &rate)?;
            let dry = decide::is_wet(case.moisture).then(|| decide::options(&Case { moisture: dried, ..case }, &rate));
            (options, dry.transpose()?)
        }
        _ => {
            let case = member_case(file, subject, school)?;
            let options = member::options(&case, &rate)?;
            let dry = decide::is_wet(case.moisture)
                .then(|| member::options(&member::Case { moisture: dried, ..case }, &rate));
            (options, dry.transpose()?)
        }
    };
    let once_dry = once_dry.and_then(|dry| decide::once_dry(&options, &dry));
    Ok(Answered { options, answered_in: None, once_dry })
}

/// The step that answers what was found on a part without taking wood away.
pub fn answered_in(file: &BoatFile, id: i64) -> Option<&'static str> {
    decide::answered_in(file.found_on(id).map(|f| (f.kind, f.grade)))
}

/// Parts like this one that were damaged alike and are not decided on: what can be decided at once.
pub fn alike<'f>(file: &'f BoatFile, subject: &Subject<'_>) -> Vec<&'f MemberRow> {
    let Subject::Member(this) = subject else { return Vec::new() };
    let marks = |id: i64| {
        let mut kinds: Vec<_> = file.found_on(id).filter(|f| f.grade > Grade::Sound).map(|f| f.kind).collect();
        kinds.sort();
        kinds.dedup();
        let worst = file.found_on(id).map(|f| f.grade).max();
        let cells: Vec<u32> = file
            .found_on(id)
            .filter_map(|f| match &f.place {
                Place::Member(at) => Some(at.cell),
                Place::Shell(_) => None,
            })
            .collect();
        (kinds, worst, cells.iter().min().copied())
    };
    let own = marks(this.id);
    file.members
        .iter()
        .filter(|m| m.id != this.id && m.kind == this.kind && file.decision(m.id).is_none())
        .filter(|m| marks(m.id) == own)
        .collect()
}

/// The template that was taken of a frame, a floor or a beam, the newest.
pub fn template(file: &BoatFile, member: i64) -> Option<(&CaptureRow, &[RibTick])> {
    let ribs = file.captures.iter().filter(|c| c.member_id == member).filter_map(|c| match &c.capture {
        Capture::Rib { ticks, .. } => Some((c, ticks.as_slice())),
        _ => None,
    });
    ribs.max_by_key(|(c, _)| c.id)
}

/// The shape of a frame, a floor or a beam by its template; a frame's else out of the table of offsets, where there is one that reaches
/// it. Station 1 is taken to stand at frame 1.
pub fn frame_shape(file: &BoatFile, m: &MemberRow) -> Option<frame::FrameShape> {
    if let Some((row, ticks)) = template(file, m.id) {
        let (_, pattern) = shape::plan(file, row).ok()?;
        return Some(frame::taken(&pattern, ticks));
    }
    let offsets = file.boat.offsets.as_ref().filter(|_| m.kind == MemberKind::Frame)?;
    let shell = &file.boat.shell;
    if m.number == 0 || m.number > shell.frame_count() {
        return None;
    }
    frame::shape(offsets, shell.frame_x(m.number), shell.frame_space()).ok()
}

/// An option as the decision and the pieces that are kept of it, with what it was decided on. `against`: why it is done against a
/// rule; empty where none speaks against it.
pub fn settled(
    file: &BoatFile,
    subject: &Subject<'_>,
    option: &RepairOption,
    reason: String,
    against: &str,
) -> (NewDecision, Vec<NewPiece>) {
    let found: Vec<_> = file
        .found_on(subject.id())
        .map(|f| {
            json!({
                "id": f.id, "version": f.version, "kind": f.kind, "grade": f.grade, "certainty": f.certainty,
                "place": f.place.to_string(), "depth": f.depth,
            })
        })
        .collect();
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
            "materials": option.materials, "cost": option.cost, "years": option.years, "against": against, "found": found,
        }),
    };
    (decision, pieces(file, subject, option))
}

/// The pieces of new wood that an option asks for.
pub fn pieces(file: &BoatFile, subject: &Subject<'_>, option: &RepairOption) -> Vec<NewPiece> {
    let species = subject.species().to_owned();
    let name = subject.name();
    match &option.wood {
        Wood::None => Vec::new(),
        Wood::Patches(patches) => {
            let many = patches.len() > 1;
            let number = |i: usize| many.then_some(i + 1);
            patches
                .iter()
                .enumerate()
                .flat_map(|(i, patch)| {
                    let piece = patch_piece(&name, patch, number(i), &species);
                    let back = patch.backing.as_ref().map(|b| backing_piece(&name, b, number(i), &species));
                    std::iter::once(piece).chain(back)
                })
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
                Subject::Plank(plank) | Subject::Panel(plank, _) => plank.thickness,
                Subject::Member(member) => member.thickness,
            },
            species,
        }],
        Wood::Timber(t) => {
            let name = format!("{}, {name}", option.kind.label());
            let mould = match subject {
                Subject::Member(m) => mould(file, m, option.kind).filter(|_| is_whole(t, m)),
                Subject::Plank(_) | Subject::Panel(..) => None,
            };
            match mould {
                Some(mould) => moulded_pieces(&name, t, &mould, &species),
                None => vec![timber_piece(name, t, t.blank(), species)],
            }
        }
    }
}

/// Whether new wood is a whole part, its ends those of the part itself.
fn is_whole(t: &Timber, m: &MemberRow) -> bool {
    t.scarf == 0.0 && !t.sheet && (t.length() - m.length).abs() < 1.0
}

/// Whether a piece is a whole part that is no plank, or a futtock of one.
pub fn is_whole_piece(file: &BoatFile, piece: &Piece) -> bool {
    let Some(m) = file.members.iter().find(|m| m.id == piece.member_id) else { return false };
    let of_it = file.pieces.iter().filter(|p| p.decision_id == piece.decision_id && p.member_id == m.id);
    let length: f64 = of_it.filter_map(|p| shape::timber(&p.geometry)).map(|t| t.length()).sum();
    shape::timber(&piece.geometry).is_some_and(|t| is_whole(&Timber { from: 0.0, to: length, ..t }, m))
}

/// How a whole part that is bent or sawn to a shape is made, where its shape was taken.
fn mould(file: &BoatFile, m: &MemberRow, way: OptionKind) -> Option<Mould> {
    mould_of(&frame_shape(file, m)?, m, way)
}

/// Likewise, to a shape that is being kept.
pub fn mould_of(shape: &FrameShape, m: &MemberRow, way: OptionKind) -> Option<Mould> {
    let wood = species::find(&m.species).ok()?;
    let moulds = frame::moulds(shape, Scantling { sided: m.thickness, moulded: m.width }, wood).ok()?;
    moulds.into_iter().find(|mould| mould.way == way)
}

/// The pieces a mould asks for, evenly along the part: one, or its futtocks.
fn moulded_pieces(name: &str, t: &Timber, mould: &Mould, species: &str) -> Vec<NewPiece> {
    let (count, each) = (mould.pieces.max(1), t.length() / f64::from(mould.pieces.max(1)));
    (0..count)
        .map(|i| {
            let from = t.from + each * f64::from(i);
            let name = if count > 1 { format!("{name}, futtock {} of {count}", i + 1) } else { name.to_owned() };
            let one = Timber { from, to: from + each, ..t.clone() };
            timber_piece(name, &one, mould.blank(), species.to_owned())
        })
        .collect()
}

fn timber_piece(name: String, t: &Timber, blank: [f64; 3], species: String) -> NewPiece {
    let geometry = Geometry::Timber {
        from: t.from,
        to: t.to,
        width: t.width,
        thickness: t.thickness,
        scarf: t.scarf,
        sheet: t.sheet,
        plies: t.plies,
        low: 0.0,
    };
    let [length, width, thickness] = blank;
    NewPiece { name, geometry, length, width, thickness, species }
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

/// The piece behind a graving piece: as wide and long as it laps, out of the same wood.
fn backing_piece(name: &str, back: &Backing, number: Option<usize>, species: &str) -> NewPiece {
    NewPiece {
        name: format!("Backing piece{}, {name}", number.map_or(String::new(), |n| format!(" {n}"))),
        geometry: Geometry::Timber {
            from: back.from,
            to: back.to,
            width: back.width(),
            thickness: back.thickness,
            scarf: 0.0,
            sheet: false,
            plies: 1,
            low: back.low,
        },
        length: back.length() + 2.0 * board::END_ALLOWANCE,
        width: back.width() + 2.0 * board::EDGE_ALLOWANCE,
        thickness: back.thickness,
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
