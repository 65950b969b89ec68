//! Everything kept of one boat.

use std::collections::{HashMap, HashSet};

use mend_keel_core::InputError;
use mend_keel_core::fastening::{self, pattern::OldHole, record::Fastened};
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::grid::plank::Hole;
use mend_keel_core::grid::{Address, Joint, MemberCell, Place, Side};
use mend_keel_core::practice::Practice;
use mend_keel_core::repair::butts::{self, Rule, Violation};
use mend_keel_core::survey::mark::Cell;
use mend_keel_core::survey::reading::On;
use mend_keel_core::survey::{Certainty, FindingKind, Grade, Weighed};
use mend_keel_core::timber::species;
use mend_keel_store::boats::{self as boat_store, Boat, Plank};
use mend_keel_store::captures::{self, CaptureRow};
use mend_keel_store::decisions::{self, Decision, Geometry, Piece, PieceState};
use mend_keel_store::fastenings::{self, FastenedRow};
use mend_keel_store::findings::{self, Finding};
use mend_keel_store::jobs::{self, Job};
use mend_keel_store::members::{self as member_store, MemberRow};
use mend_keel_store::plans::{self, Coat, Plan};
use mend_keel_store::tasks::{self, Task};
use mend_keel_store::{Store, StoreError, accounts};

use crate::view::line_of_work::{BoatBar, Stage};

/// Everything kept of one boat.
#[derive(Debug, Clone)]
pub struct BoatFile {
    pub boat: Boat,
    pub planks: Vec<Plank>,
    /// Everything that is not planking.
    pub members: Vec<MemberRow>,
    pub findings: Vec<Finding>,
    pub decisions: Vec<Decision>,
    pub pieces: Vec<Piece>,
    pub tasks: Vec<Task>,
    /// Whole jobs beside the decisions on parts.
    pub jobs: Vec<Job>,
    pub coats: Vec<Coat>,
    pub seams: Vec<Plan>,
    pub fastenings: Vec<Plan>,
    /// Joints of the planking that somebody saw.
    pub joints: Vec<Joint>,
    /// Joints that are only likely: no conflict counts until somebody saw them.
    pub assumed_joints: Vec<Joint>,
    pub captures: Vec<CaptureRow>,
    /// Old holes of the planking that somebody recorded, by crossing.
    pub old_holes: HashMap<Address, Vec<OldHole>>,
    /// How her planking is fastened, as somebody recorded it.
    pub fastened: Vec<Fastened>,
    /// The yard's ways.
    pub practice: Practice,
    /// The yard's corrections of a pin meter by species, points.
    pub meter_offsets: HashMap<String, f64>,
}

/// A part that asks for a decision.
#[derive(Debug, Clone)]
pub struct Asking {
    pub id: i64,
    pub name: String,
    pub kind: MemberKind,
}

/// A part of the boat with the place on it: what a finding or a reading belongs to.
#[derive(Debug, Clone, Copy)]
pub enum Part<'f> {
    Plank(&'f Plank, Address),
    Member(&'f MemberRow, u32),
}

impl Part<'_> {
    pub fn member_id(&self) -> i64 {
        match self {
            Self::Plank(plank, _) => plank.id,
            Self::Member(member, _) => member.id,
        }
    }

    pub fn kind(&self) -> MemberKind {
        match self {
            Self::Plank(..) => MemberKind::Plank,
            Self::Member(member, _) => member.kind,
        }
    }

    pub fn thickness(&self) -> f64 {
        match self {
            Self::Plank(plank, _) => plank.thickness,
            Self::Member(member, _) => member.thickness,
        }
    }

    pub fn species(&self) -> &str {
        match self {
            Self::Plank(plank, _) => &plank.species,
            Self::Member(member, _) => &member.species,
        }
    }

    /// The cell it is looked at by: the bay of a plank, the part of a member.
    pub fn cell(&self) -> u32 {
        match self {
            Self::Plank(_, at) => at.frame,
            Self::Member(_, cell) => *cell,
        }
    }

    /// `P7, stem to bay 12`, or `Frame 12, port: head`.
    pub fn name(&self) -> String {
        match self {
            Self::Plank(plank, _) => plank.name(),
            Self::Member(member, cell) => member.cell_name(*cell),
        }
    }
}

impl BoatFile {
    pub async fn load(store: &Store, id: i64) -> std::result::Result<Self, StoreError> {
        let boat = boat_store::find(store, id).await?;
        let planks = boat_store::planks(store, id).await?;
        Ok(Self {
            findings: findings::of_boat(store, id).await?,
            decisions: decisions::of_boat(store, id).await?,
            pieces: decisions::pieces(store, id).await?,
            tasks: tasks::of_boat(store, id).await?,
            jobs: jobs::of_boat(store, id).await?,
            coats: plans::coats(store, id).await?,
            seams: plans::of_boat(store, id, "seam").await?,
            fastenings: plans::of_boat(store, id, "fasten").await?,
            joints: boat_store::joints(&planks, true),
            assumed_joints: boat_store::joints(&planks, false),
            members: member_store::of_boat(store, id).await?,
            captures: captures::of_boat(store, id).await?,
            old_holes: fastenings::holes(store, id).await?,
            fastened: fastenings::fastened(store, id).await?.iter().map(FastenedRow::core).collect(),
            practice: accounts::practice(store).await?.0,
            meter_offsets: accounts::meter_offsets(store).await?.into_iter().collect(),
            planks,
            boat,
        })
    }

    pub fn plank(&self, id: i64) -> std::result::Result<&Plank, StoreError> {
        self.planks.iter().find(|p| p.id == id).ok_or(StoreError::NotFound("plank"))
    }

    /// The part of the boat at a place. Errors say what places there are.
    pub fn part_at(&self, place: &Place) -> std::result::Result<Part<'_>, InputError> {
        match place {
            Place::Shell(at) => Ok(Part::Plank(self.plank_at(*at)?, *at)),
            Place::Member(at) => {
                let member = self
                    .members
                    .iter()
                    .find(|m| m.code == at.code)
                    .ok_or_else(|| InputError::new("address", format!("there is no {} on this boat", at.code)))?;
                if at.cell > member.cells {
                    let message = format!("{} has parts 1 to {}", member.name, member.cells);
                    return Err(InputError::new("address", message));
                }
                Ok(Part::Member(member, at.cell))
            }
        }
    }

    /// Reads a canonical place and finds what is there.
    pub fn locate(&self, text: &str) -> std::result::Result<(Place, Part<'_>), InputError> {
        let place = self.read(text)?;
        let part = self.part_at(&place)?;
        Ok((place, part))
    }

    /// Reads a place as it is typed, or as a page prints it: a member's cell by its number or by its name, `FR12P head`.
    pub fn read(&self, text: &str) -> std::result::Result<Place, InputError> {
        let named = text.trim().split_once(char::is_whitespace).and_then(|(code, words)| {
            let member = self.members.iter().find(|m| m.code.eq_ignore_ascii_case(code))?;
            let words = words.split_whitespace().collect::<Vec<_>>().join(" ").to_lowercase();
            let cell = (1..=member.cells).find(|cell| member.kind.cell_name(*cell) == words)?;
            Some(Place::Member(MemberCell { code: member.code.clone(), cell }))
        });
        named.map_or_else(|| Place::parse(text), Ok)
    }

    /// What was found and where, as the crew say it.
    pub fn told(&self, finding: &Finding) -> String {
        format!("{} at {}", finding.kind.label(), self.shown(&finding.place))
    }

    /// What was found and where, and how it is graded.
    pub fn told_graded(&self, finding: &Finding) -> String {
        format!("{}, {}", self.told(finding), finding.grade.label())
    }

    /// A place as this boat's crew call it.
    pub fn shown(&self, place: &Place) -> String {
        match (place, self.part_at(place)) {
            (Place::Shell(at), _) => self.boat.shown(*at),
            (Place::Member(at), Ok(Part::Member(member, cell))) if member.cells > 1 => {
                format!("{} {}", at.code, member.kind.cell_name(cell))
            }
            (Place::Member(at), _) => at.code.clone(),
        }
    }

    /// A place as it stands in a field to be typed over: the shell as the crew number it, members by their code.
    pub fn typed(&self, place: &Place) -> String {
        place.shell().map_or_else(|| place.to_string(), |at| self.boat.shown(at))
    }

    /// Where x of a shape begins and ends, and the width there: from the datum of a plank's frame or the start of a
    /// member's cell, mm.
    pub fn reach(&self, part: &Part<'_>) -> (f64, f64, f64) {
        match part {
            Part::Plank(plank, at) => {
                let (from, to) = plank.place().span(&self.boat.shell);
                let datum = self.boat.datum(at.frame);
                (from - datum, to - datum, self.boat.shell.width(*at))
            }
            Part::Member(member, cell) => {
                let length = member.core().cell_length();
                let before = length * f64::from(cell - 1);
                (-before, member.length - before, member.width)
            }
        }
    }

    /// The stretch a place on a part names, for a finding that nobody drew.
    pub fn cell(&self, part: &Part<'_>) -> Cell {
        let (from, to, width) = self.reach(part);
        match part {
            Part::Plank(..) => Cell::bay(from, to, width, self.boat.shell.frame_space(), self.boat.frame_sided),
            Part::Member(member, _) => Cell { from, to, width, middle: member.core().cell_length() / 2.0 },
        }
    }

    /// What a reading at a part is taken on.
    pub fn on<'p>(&self, part: &'p Part<'_>) -> On<'p> {
        On {
            species: species::find(part.species()).ok(),
            thickness: part.thickness(),
            construction: self.boat.construction,
        }
    }

    /// What the urgency of a finding depends on.
    pub fn weighed(&self, finding: &Finding) -> Weighed {
        let member = self.part_at(&finding.place).map_or(MemberKind::Plank, |part| part.kind());
        let below_waterline = match finding.address() {
            Some(at) => self.is_below_waterline(at),
            None => member.is_below_waterline(),
        };
        Weighed { kind: finding.kind, grade: finding.grade, certainty: finding.certainty, member, below_waterline }
    }

    /// The fastenings chosen for a piece last.
    pub fn fastening_of(&self, piece: i64) -> Option<&Plan> {
        self.fastenings.iter().filter(|plan| plan.piece_id == Some(piece)).max_by_key(|plan| plan.id)
    }

    pub fn decision(&self, plank: i64) -> Option<&Decision> {
        self.decisions.iter().find(|d| d.member_id == plank)
    }

    /// Parts on which something was found that calls for a decision, planks first.
    pub fn asking(&self) -> Vec<Asking> {
        let open = self.findings.iter().filter(|f| f.grade > Grade::Sound && f.is_open());
        let found: HashSet<i64> = open.map(|f| f.member_id).collect();
        let planks = self.planks.iter().map(|p| Asking { id: p.id, name: p.name(), kind: MemberKind::Plank });
        let members = self.members.iter().map(|m| Asking { id: m.id, name: m.name.clone(), kind: m.kind });
        planks.chain(members).filter(|a| found.contains(&a.id)).collect()
    }

    /// What a part is called; `None` when there is none of this number.
    pub fn part_name(&self, id: i64) -> Option<String> {
        let plank = self.planks.iter().find(|p| p.id == id).map(Plank::name);
        plank.or_else(|| self.members.iter().find(|m| m.id == id).map(|m| m.name.clone()))
    }

    /// What was found on a part and is still open, planks and others alike.
    pub fn found_on(&self, id: i64) -> impl Iterator<Item = &Finding> {
        self.findings.iter().filter(move |f| f.member_id == id && f.is_open())
    }

    /// What was found on a part after it was decided on, and is not in the figures that were decided on.
    pub fn found_since(&self, id: i64) -> Vec<&Finding> {
        let Some(decision) = self.decision(id) else { return Vec::new() };
        let known: HashSet<(i64, i64)> = decision.body["found"]
            .as_array()
            .into_iter()
            .flatten()
            .filter_map(|f| Some((f["id"].as_i64()?, f["version"].as_i64()?)))
            .collect();
        let new = |f: &&Finding| match known.is_empty() {
            // Decided before the figures were kept with it: by the clock.
            true => f.at > decision.at,
            false => !known.contains(&(f.id, f.version)),
        };
        self.found_on(id).filter(|f| f.grade > Grade::Sound).filter(new).collect()
    }

    /// Why repairs of a member may not be relied on yet: causes of what was found there that nobody treated.
    pub fn untreated(&self, member: i64) -> Vec<String> {
        let found = self.findings.iter().filter(|f| f.member_id == member && f.is_open());
        let mut texts: Vec<String> =
            found.filter_map(|f| f.cause.untreated(f.cause_treated.is_some())).map(|r| r.text).collect();
        texts.sort();
        texts.dedup();
        texts
    }

    /// Whether the joints at a plank's fore and after ends are only assumed.
    pub fn assumed_ends(&self, plank: &Plank) -> [bool; 2] {
        let assumed = |bay: Option<u32>| {
            bay.is_some_and(|bay| self.assumed_joints.contains(&Joint { side: plank.side, strake: plank.strake, bay }))
        };
        [assumed(plank.from_bay), assumed(plank.to_bay)]
    }

    pub fn butt_rule(&self) -> Rule {
        Rule::for_use(self.boat.boat_use)
    }

    pub fn violations(&self) -> Vec<Violation> {
        butts::check(&self.butt_rule(), &self.joints)
    }

    pub fn is_below_waterline(&self, at: Address) -> bool {
        self.boat.waterline().covers(at, self.boat.shell.frame_count())
    }

    /// Whether any of a plank is under water.
    pub fn is_plank_below(&self, plank: &Plank) -> bool {
        self.is_stretch_below(plank.side, plank.strake, |frame| plank.covers(frame))
    }

    /// Whether any of a strake is under water at the frames that are `held`.
    pub fn is_stretch_below(&self, side: Side, strake: u32, held: impl Fn(u32) -> bool) -> bool {
        let frames = (1..=self.boat.shell.frame_count()).filter(|frame| held(*frame));
        frames.map(|frame| Address { side, strake, frame }).any(|at| self.is_below_waterline(at))
    }

    /// Checks an address and finds its plank.
    pub fn plank_at(&self, at: Address) -> std::result::Result<&Plank, InputError> {
        self.boat.shell.place(at)?;
        boat_store::plank_at(&self.planks, at).ok_or_else(|| InputError::new("frame", "there is no plank there"))
    }

    /// Open findings on a plank with their addresses.
    pub fn on_plank<'f>(&'f self, plank: &Plank) -> impl Iterator<Item = (&'f Finding, Address)> + use<'f> {
        let id = plank.id;
        self.findings
            .iter()
            .filter(move |f| f.member_id == id && f.is_open())
            .filter_map(|f| Some((f, f.address()?)))
            .filter(|(_, at)| self.boat.shell.place(*at).is_ok())
    }

    /// A finding's shape in plank coordinates, x from the plank's fore joint.
    pub fn shape_on_plank(&self, plank: &Plank, finding: &Finding, at: Address) -> Vec<[f64; 2]> {
        let shift = self.boat.datum(at.frame) - plank.place().span(&self.boat.shell).0;
        finding.shape.iter().map(|p| [p[0] + shift, p[1]]).collect()
    }

    /// The fastenings of a plank as the pattern puts them; those near a finding of a sick one no longer hold.
    pub fn holes(&self, plank: &Plank) -> Vec<Hole> {
        let sick: Vec<[f64; 2]> = self
            .on_plank(plank)
            .filter(|(f, _)| f.kind == FindingKind::SickFastening)
            .flat_map(|(f, at)| self.shape_on_plank(plank, f, at))
            .collect();
        fastening::of_plank(&self.boat.shell, &plank.place(), &sick, &|at| self.old_holes.get(&at).cloned())
    }

    /// Old holes that somebody recorded on a plank: x from its fore joint, y up, and diameter, mm.
    pub fn recorded_holes(&self, plank: &Plank) -> Vec<[f64; 3]> {
        let place = plank.place();
        let (from, to) = place.span(&self.boat.shell);
        let here = |at: &Address| at.side == place.side && at.strake == place.strake;
        let mut holes: Vec<[f64; 3]> = self
            .old_holes
            .iter()
            .filter(|(at, _)| here(at) && at.frame <= self.boat.shell.frame_count())
            .flat_map(|(at, holes)| {
                let x = self.boat.shell.frame_x(at.frame);
                holes.iter().map(move |h| [x + h.x - from, h.y, h.diameter])
            })
            .filter(|h| (0.0..=to - from).contains(&h[0]))
            .collect();
        holes.sort_by(|a, b| a[0].total_cmp(&b[0]).then(a[1].total_cmp(&b[1])));
        holes
    }

    /// Whether a decision has tasks and all of them are done.
    pub fn is_carried_out(&self, decision: i64) -> bool {
        let mut tasks = self.tasks.iter().filter(|t| t.decision_id == Some(decision)).peekable();
        tasks.peek().is_some() && tasks.all(|t| t.done_at.is_some())
    }

    /// What is still open at each stage of the work.
    fn stages(&self) -> Vec<Stage> {
        let undecided = self.asking().iter().filter(|p| self.decision(p.id).is_none()).count();
        let without_board = self.pieces.iter().filter(|p| p.state != PieceState::Cut).count();
        let planned = |plans: &[Plan], piece: &Piece| plans.iter().any(|p| p.piece_id == Some(piece.id));
        let unseamed = self
            .decided_new_planks()
            .filter(|p| self.seam_length(p) > 0.0 && !self.seams.iter().any(|s| s.member_id == Some(p.id)))
            .filter(|p| !self.decision(p.id).is_some_and(|d| self.is_carried_out(d.id)))
            .count();
        let suspected = self.findings.iter().filter(|f| f.is_open() && f.certainty == Certainty::Suspected).count();
        let stage = |key, label, open| Stage { key, label, open };
        vec![
            stage("survey", "Survey", suspected),
            stage("decide", "Decide", undecided),
            stage("shape", "Shape", self.violations().len()),
            stage("timber", "Timber", without_board),
            stage(
                "fasten",
                "Fasten",
                self.pieces
                    .iter()
                    .filter(|p| self.plank(p.member_id).is_ok() && !planned(&self.fastenings, p))
                    .filter(|p| !self.is_carried_out(p.decision_id))
                    .count(),
            ),
            stage("seams", "Seams", unseamed),
            stage("finish", "Finish", self.coats.iter().filter(|c| c.done_at.is_none()).count()),
            stage("work", "Work", self.tasks.iter().filter(|t| t.done_at.is_none()).count()),
            stage("story", "Story", 0),
        ]
    }

    /// Metres of seam that a plank's work opens: both edges of its new wood, or of the whole plank.
    pub fn seam_length(&self, plank: &Plank) -> f64 {
        let (from, to) = plank.place().span(&self.boat.shell);
        let stretches: f64 = self
            .pieces
            .iter()
            .filter(|p| p.member_id == plank.id)
            .map(|p| match &p.geometry {
                Geometry::Stretch { from, to, .. } => 2.0 * (to - from),
                Geometry::Patch { to_edge, .. } => f64::from(to_edge.seams()) * p.length,
                Geometry::Timber { .. } => 0.0,
            })
            .sum();
        let open = self
            .findings
            .iter()
            .any(|f| f.member_id == plank.id && f.kind == mend_keel_core::survey::FindingKind::OpenSeam);
        if open { to - from } else { stretches }
    }

    /// Planks with a decision that opens their seams.
    pub fn decided_new_planks(&self) -> impl Iterator<Item = &Plank> {
        self.planks.iter().filter(|p| {
            self.pieces.iter().any(|piece| piece.member_id == p.id)
                || self.findings.iter().any(|f| f.member_id == p.id && f.is_open() && f.kind == FindingKind::OpenSeam)
        })
    }
}

impl From<&BoatFile> for BoatBar {
    fn from(file: &BoatFile) -> Self {
        let overruled = file.decisions.iter().filter_map(|d| {
            let part = file.part_name(d.member_id)?;
            Some((part, d.kind.label(), d.against()?.to_owned()))
        });
        Self { id: file.boat.id, name: file.boat.name.clone(), stages: file.stages(), overruled: overruled.collect() }
    }
}
