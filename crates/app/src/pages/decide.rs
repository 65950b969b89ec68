//! Decide: for a damaged part the options side by side, under one school or two, and the choice with its reason.

use std::collections::HashMap;

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::grid::{Construction, Place};
use mend_keel_core::practice::School;
use mend_keel_core::repair::decide::member::{self, Class};
use mend_keel_core::repair::decide::{self, Case, OptionKind, RepairOption, Timber, Wood};
use mend_keel_core::repair::graving::{Damage, Patch};
use mend_keel_core::shape::frame;
use mend_keel_core::survey::{FindingKind, Grade};
use mend_keel_core::timber::species;
use mend_keel_core::work::estimate::{Operation, learn};
use mend_keel_store::boards::{self, Board};
use mend_keel_store::boats::Plank;
use mend_keel_store::decisions::{Geometry, NewDecision, NewPiece};
use mend_keel_store::members::MemberRow;
use mend_keel_store::tasks;
use rocket::{FromForm, get, post};
use serde_json::json;

use super::{Asking, BoatFile, Choices, Desk, Page, pairs, render, render_faulty, timber};
use crate::auth::{BoatReader, Crew};
use crate::error::{Answer, AppError, Result};
use crate::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed};
use crate::view::reasons::{self, ReasonView};
use crate::view::{self, Units};

#[derive(Template)]
#[template(path = "decide_list.html")]
struct List {
    page: Page,
    boat_id: i64,
    rows: Vec<Row>,
    /// Planks that can be laid out together.
    planks: usize,
}

struct Row {
    member_id: i64,
    is_plank: bool,
    part: String,
    found: String,
    worst: &'static str,
    decided: Option<(String, String)>,
    untreated: Vec<String>,
}

#[get("/boats/<id>/decide")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut rows: Vec<(Grade, Row)> = file
        .asking()
        .into_iter()
        .map(|asking| {
            let found: Vec<_> = file.found_on(asking.id).collect();
            let worst = found.iter().map(|f| f.grade).max().unwrap_or(Grade::Sound);
            let what: Vec<String> = found
                .iter()
                .map(|f| format!("{} at {}", f.kind.label().to_lowercase(), file.shown(&f.place)))
                .collect();
            let decided = file.decision(asking.id).map(|d| (d.kind.label().to_owned(), d.reason.clone()));
            let row = Row {
                member_id: asking.id,
                is_plank: asking.kind == MemberKind::Plank,
                part: asking.name,
                found: what.join(", "),
                worst: worst.label(),
                untreated: file.untreated(asking.id),
                decided,
            };
            (worst, row)
        })
        .collect();
    rows.sort_by(|a, b| a.1.decided.is_some().cmp(&b.1.decided.is_some()).then(b.0.cmp(&a.0)));
    render(&List {
        page: desk.boat_page(&file, "Decide", "decide"),
        boat_id: id,
        planks: rows.iter().filter(|(_, r)| r.is_plank).count(),
        rows: rows.into_iter().map(|(_, row)| row).collect(),
    })
}

#[derive(Template)]
#[template(path = "decide.html")]
struct Options {
    page: Page,
    boat_id: i64,
    member_id: i64,
    part: String,
    is_plank: bool,
    school: &'static str,
    creed: &'static str,
    options: Vec<OptionView>,
    decided: Option<(String, String)>,
    untreated: Vec<String>,
    /// Why there are none.
    none: String,
    schools: Choices,
    with: String,
    /// Beside another school: option, rank and score here, rank and score there, what only one of them says.
    beside: Vec<Beside>,
    with_name: &'static str,
    typed: Typed,
    faults: Faults,
}

struct Beside {
    label: &'static str,
    here: String,
    there: String,
    only_here: Vec<ReasonView>,
    only_there: Vec<ReasonView>,
}

struct OptionView {
    code: &'static str,
    label: &'static str,
    score: String,
    forbidden: bool,
    kept: String,
    kept_bar: String,
    strength: String,
    p50: String,
    p80: String,
    wood: Vec<String>,
    rack: Vec<String>,
    cost: String,
    materials: Vec<(String, String, String)>,
    reasons: Vec<ReasonView>,
}

fn money(amount: f64) -> String {
    // A sum of nothing is −0.
    format!("{:.0}", amount.max(0.0))
}

fn wood_words(wood: &Wood, units: Units) -> Vec<String> {
    match wood {
        Wood::None => vec!["no new wood".to_owned()],
        Wood::Patches(patches) => patches
            .iter()
            .map(|p| format!("blank {}", units.dims(&[p.blank.length, p.blank.width, p.blank.thickness])))
            .collect(),
        Wood::Plank(s) => vec![format!("{} of plank, {} wide", units.run(s.length()), units.len(s.width))],
        Wood::Timber(t) => {
            let plies = if t.plies > 1 { format!(", {} plies", t.plies) } else { String::new() };
            let scarf = if t.scarf > 0.0 { format!(", scarfed over {}", units.len(t.scarf)) } else { String::new() };
            vec![format!("{}{plies}{scarf}", units.dims(&[t.length(), t.width, t.thickness]))]
        }
    }
}

fn option_view(option: &RepairOption, subject: &Subject<'_>, rack: &[Board], units: Units) -> OptionView {
    let mut sorted = option.reasons.clone();
    sorted.sort_by_key(|r| std::cmp::Reverse(r.verdict));
    OptionView {
        code: option.kind.code(),
        label: option.kind.label(),
        score: format!("{:.0}", option.score),
        forbidden: option.forbidden(),
        kept: view::percent(option.kept),
        kept_bar: format!("{:.0}", option.kept * 100.0),
        strength: view::percent(option.strength),
        p50: view::hours(option.hours.p50),
        p80: view::hours(option.hours.p80),
        wood: wood_words(&option.wood, units),
        rack: pieces(subject, option).iter().map(|p| timber::rack_says(p, rack, units)).collect(),
        cost: money(option.cost),
        materials: option
            .materials
            .iter()
            .map(|m| {
                let places = if m.amount < 0.1 { 4 } else { 2 };
                (m.what.to_owned(), format!("{:.places$} {}", m.amount, m.unit), money(m.cost()))
            })
            .collect(),
        reasons: reasons::views(&sorted, units),
    }
}

/// Hours per unit of each operation: the yard's table, pulled by what was logged.
pub async fn rates(desk: &Desk<'_>) -> std::result::Result<HashMap<Operation, f64>, AppError> {
    let logged = tasks::learned(desk.store).await?;
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
    pub fn of(file: &'f BoatFile, id: i64) -> std::result::Result<Self, AppError> {
        if let Some(plank) = file.planks.iter().find(|p| p.id == id) {
            let panel = file.boat.construction == Construction::PlywoodTaped;
            return Ok(if panel { Self::Panel(plank) } else { Self::Plank(plank) });
        }
        file.members.iter().find(|m| m.id == id).map(Self::Member).ok_or(AppError::NotFound("part"))
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

async fn lay_out(
    desk: &Desk<'_>,
    file: &BoatFile,
    subject: &Subject<'_>,
    school: School,
) -> std::result::Result<Vec<RepairOption>, AppError> {
    let rates = rates(desk).await?;
    let rate = |op: Operation| rates.get(&op).copied().unwrap_or(op.rate().0);
    let options = match subject {
        Subject::Plank(plank) => case(file, plank, school).and_then(|case| decide::options(&case, rate)),
        _ => member_case(file, subject, school).and_then(|case| member::options(&case, rate)),
    };
    options.map_err(|e| AppError::Refused(e.message))
}

/// What two schools say of the same options: ranked by the boat's own.
fn beside(here: &[RepairOption], there: &[RepairOption], units: Units) -> Vec<Beside> {
    let place = |options: &[RepairOption], kind: OptionKind| {
        options.iter().position(|o| o.kind == kind).map_or("–".to_owned(), |i| {
            let option = &options[i];
            if option.forbidden() {
                "✕ not allowed".to_owned()
            } else {
                format!("{}. with {:.0}", i + 1, option.score)
            }
        })
    };
    let only = |from: &RepairOption, other: Option<&RepairOption>| {
        let told = |r: &mend_keel_core::Reason| {
            other.is_some_and(|o| {
                o.reasons.iter().any(|x| x.rule == r.rule && x.verdict == r.verdict && x.text == r.text)
            })
        };
        let own: Vec<_> = from.reasons.iter().filter(|r| !told(r)).cloned().collect();
        reasons::views(&own, units)
    };
    here.iter()
        .map(|option| {
            let other = there.iter().find(|o| o.kind == option.kind);
            Beside {
                label: option.kind.label(),
                here: place(here, option.kind),
                there: place(there, option.kind),
                only_here: only(option, other),
                only_there: other.map(|o| only(o, Some(option))).unwrap_or_default(),
            }
        })
        .collect()
}

/// How a part's options are asked for.
#[derive(Debug, Default, FromForm)]
pub struct Asked<'r> {
    /// A school to hold beside the boat's own.
    with: Option<&'r str>,
}

async fn page(
    desk: &Desk<'_>,
    file: &BoatFile,
    subject: &Subject<'_>,
    with: Option<School>,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<Options, AppError> {
    let school = file.boat.school;
    let rack = boards::list(desk.store).await?;
    let with = with.filter(|s| *s != school);
    let (options, none, beside) = match lay_out(desk, file, subject, school).await {
        Ok(options) => {
            let other = match with {
                Some(other) => beside(&options, &lay_out(desk, file, subject, other).await?, desk.units),
                None => Vec::new(),
            };
            (options.iter().map(|o| option_view(o, subject, &rack, desk.units)).collect(), String::new(), other)
        }
        Err(AppError::Refused(why)) => (Vec::new(), why, Vec::new()),
        Err(e) => return Err(e),
    };
    let id = subject.id();
    let others: Vec<School> = School::ALL.iter().copied().filter(|s| *s != school).collect();
    Ok(Options {
        page: desk.boat_page(file, &format!("Decide on {}", subject.name()), "decide"),
        boat_id: file.boat.id,
        member_id: id,
        part: subject.name(),
        is_plank: matches!(subject, Subject::Plank(_)),
        school: school.label(),
        creed: school.creed(),
        options,
        decided: file.decision(id).map(|d| (d.kind.label().to_owned(), d.reason.clone())),
        untreated: file.untreated(id),
        none,
        schools: pairs(&others, School::code, School::label),
        with: with.map_or(String::new(), |s| s.code().to_owned()),
        beside,
        with_name: with.map_or("", School::label),
        typed,
        faults,
    })
}

#[get("/boats/<id>/parts/<part>/decide?<asked..>")]
pub async fn options(desk: Desk<'_>, _who: BoatReader, id: i64, part: i64, asked: Asked<'_>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let subject = Subject::of(&file, part)?;
    let with = asked.with.and_then(School::from_code);
    render(&page(&desk, &file, &subject, with, Typed::default(), Faults::default()).await?)
}

#[post("/boats/<id>/parts/<part>/decide", data = "<posted>")]
pub async fn choose(desk: Desk<'_>, _who: Crew, id: i64, part: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let subject = Subject::of(&file, part)?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let kind = read.choice("option", OptionKind::from_code);
    let reason = reason(&mut read);
    let options = lay_out(&desk, &file, &subject, file.boat.school).await?;
    let chosen = kind.and_then(|kind| options.iter().find(|o| o.kind == kind));
    if kind.is_some() && chosen.is_none() {
        read.faults.add(InputError::new("option", "is not possible on this part"));
    }
    let (Some(option), true) = (chosen, read.faults.is_empty()) else {
        return render_faulty(&page(&desk, &file, &subject, None, posted.form.typed(), read.faults).await?);
    };
    let (decision, pieces) = settled(&file, &subject, option, reason);
    let mut work = desk.store.begin(posted.act()).await?;
    let decided = work.decide(&decision, &pieces).await?;
    work.add_tasks(id, subject.id(), decided, &option.tasks).await?;
    let location = if pieces.is_empty() { format!("/boats/{id}/decide") } else { format!("/boats/{id}/shape") };
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// Why something was decided: it must be said.
pub fn reason(read: &mut Reader<'_>) -> String {
    let reason = read.text("reason", NOTE_LIMIT);
    if reason.is_empty() {
        read.faults.add(InputError::new("reason", "say why: the owner will ask in ten years"));
    }
    reason
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

/// Left to plane off each edge of a new plank's blank, and to trim off each end, mm (*yard rule*).
pub const EDGE_ALLOWANCE: f64 = 6.0;
pub const END_ALLOWANCE: f64 = 25.0;
/// Lost to the saw between two plies, mm (*yard rule*).
const PLY_KERF: f64 = 3.0;

/// The pieces of new wood that an option asks for.
fn pieces(subject: &Subject<'_>, option: &RepairOption) -> Vec<NewPiece> {
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
            length: s.length() + 2.0 * END_ALLOWANCE,
            width: s.width + 2.0 * EDGE_ALLOWANCE,
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
    let width = if t.plies > 1 { t.width + plies * PLY_KERF } else { t.width + 2.0 * EDGE_ALLOWANCE };
    NewPiece { name, geometry, length: t.length() + 2.0 * END_ALLOWANCE, width, thickness: t.thickness, species }
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
        to_edge: serde_json::to_value(patch.to_edge)
            .ok()
            .and_then(|v| v.as_str().map(str::to_owned))
            .unwrap_or_default(),
    }
}

/// Planks that ask for a decision, for laying out together.
pub fn asking_planks(file: &BoatFile) -> Vec<Asking> {
    file.asking().into_iter().filter(|a| a.kind == MemberKind::Plank).collect()
}
