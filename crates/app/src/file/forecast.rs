//! What becomes of a boat: what was found on her as the core's forecast takes it, and her file as she may be in years to come.

use std::collections::HashMap;

use mend_keel_core::InputError;
use mend_keel_core::forecast::{self, Decay, Foretold, Meeting, Pace, Part, Water};
use mend_keel_core::geometry::Point;
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::grid::{Address, MemberCell, Place};
use mend_keel_core::repair::way::OptionKind;
use mend_keel_core::survey::compare::Outcome;
use mend_keel_core::survey::{Certainty, FindingKind, Grade, Method};
use mend_keel_core::timber::species;
use mend_keel_store::boats::Plank;
use mend_keel_store::findings::Finding;
use mend_keel_store::members::MemberRow;

use super::boat::BoatFile;
use super::decide::{Subject, extents};
use super::survey::SurveyFile;

/// What is done meanwhile.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Plan {
    Nothing,
    AsDecided,
}

impl Plan {
    pub const ALL: [Self; 2] = [Self::Nothing, Self::AsDecided];

    pub fn code(self) -> &'static str {
        match self {
            Self::Nothing => "nothing",
            Self::AsDecided => "decided",
        }
    }

    pub fn label(self) -> &'static str {
        match self {
            Self::Nothing => "Nothing is done",
            Self::AsDecided => "It is done as decided",
        }
    }

    pub fn from_code(code: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|p| p.code() == code)
    }
}

/// Where a part lies among all, and the finding each of its decays is.
#[derive(Debug)]
struct Known {
    member: i64,
    findings: Vec<i64>,
}

/// A boat's parts as the forecast takes them.
#[derive(Debug)]
struct Parts {
    parts: Vec<Part>,
    known: Vec<Known>,
}

/// Rot that runs by itself where wood stays wet.
fn runs(kind: FindingKind) -> bool {
    matches!(kind, FindingKind::Rot | FindingKind::DryRot)
}

/// Whether new wood takes the place of what was found, once it is done as decided.
fn takes_away(kind: OptionKind) -> bool {
    kind.takes_out() || kind.lets_in()
}

/// Highest moisture that somebody measured on a finding; simulated readings are no measurement.
fn measured(survey: &SurveyFile, finding: i64) -> Option<f64> {
    let own = survey.readings.iter().filter(|r| r.finding_id == Some(finding) && !r.simulated);
    own.filter_map(|r| r.measure.moisture()).reduce(f64::max)
}

fn part_of(survey: &SurveyFile, subject: &Subject<'_>, plan: Plan, pace: Pace) -> Option<(Part, Known)> {
    let file = &survey.file;
    let id = subject.id();
    let body = extents(file, subject);
    if body.length <= 0.0 || body.width <= 0.0 || body.thickness <= 0.0 {
        return None;
    }
    let decided = file.decision(id).filter(|d| plan == Plan::AsDecided && takes_away(d.kind));
    let (mut decay, mut findings) = (Vec::new(), Vec::new());
    let open = file.found_on(id).zip(&body.found).filter(|(f, _)| runs(f.kind) && f.grade > Grade::Sound);
    for (finding, found) in open {
        let treated = finding.cause_treated.is_some();
        let mut place = forecast::Place {
            along: [found.from, found.to],
            across: [found.low, found.high],
            // How deep it goes nobody knows: it is taken as through at the fast end of the band.
            depth: if found.depth <= 0.0 && pace == Pace::Most { body.thickness } else { found.depth },
        };
        let mut grade = found.grade;
        let mut moisture = measured(survey, finding.id);
        if decided.is_some() {
            if treated {
                continue;
            }
            // New wood in the same place, and what let the water in is still there: it may begin anew.
            let middle = |[low, high]: [f64; 2]| [(low + high) / 2.0; 2];
            place = forecast::Place { along: middle(place.along), across: middle(place.across), depth: 0.0 };
            grade = Grade::Sound;
            moisture = None;
        }
        decay.push(Decay { place, water: Water { moisture, treated }, grade });
        findings.push(finding.id);
    }
    let planking = matches!(subject, Subject::Plank(_) | Subject::Panel(..));
    let durability = species::find(body.species).ok().map(|s| s.decay);
    let part = Part {
        length: body.length,
        width: body.width,
        thickness: body.thickness,
        planking,
        durability,
        decay,
        meets: Vec::new(),
    };
    Some((part, Known { member: id, findings }))
}

fn parts(survey: &SurveyFile, plan: Plan, pace: Pace) -> Parts {
    let file = &survey.file;
    let mut all = Parts { parts: Vec::new(), known: Vec::new() };
    let ids = file.planks.iter().map(|p| p.id).chain(file.members.iter().map(|m| m.id));
    for id in ids {
        let Ok(subject) = Subject::of(file, id) else { continue };
        if let Some((part, known)) = part_of(survey, &subject, plan, pace) {
            all.parts.push(part);
            all.known.push(known);
        }
    }
    let at: HashMap<i64, usize> = all.known.iter().enumerate().map(|(i, k)| (k.member, i)).collect();
    for plank in &file.planks {
        let Some(here) = at.get(&plank.id).copied() else { continue };
        for (there, meets, back) in meetings(file, plank) {
            let Some(other) = at.get(&there).copied() else { continue };
            all.parts[here].meets.push(Meeting { other, ..meets });
            all.parts[other].meets.push(Meeting { other: here, ..back });
        }
    }
    all
}

/// Where a plank meets those that come after it along her strake and above it, and the frames behind it: each meeting from both sides.
fn meetings(file: &BoatFile, plank: &Plank) -> Vec<(i64, Meeting, Meeting)> {
    let shell = &file.boat.shell;
    let (from, to) = plank.place().span(shell);
    let meeting = |at: Point, behind: bool, there: Point| Meeting { at, behind, other: 0, there };
    let mut all = Vec::new();
    let same_side = || file.planks.iter().filter(|p| p.side == plank.side);
    let width_at = |strake: u32, bay: u32| shell.width(Address { side: plank.side, strake, frame: bay });
    if let Some(bay) = plank.to_bay
        && let Some(next) = same_side().find(|p| p.strake == plank.strake && p.from_bay == Some(bay))
    {
        let middle = width_at(plank.strake, bay) / 2.0;
        let (end, begin) = ([to - from, middle], [0.0, middle]);
        all.push((next.id, meeting(end, false, begin), meeting(begin, false, end)));
    }
    for bay in (1..shell.frame_count()).filter(|bay| plank.covers(*bay)) {
        let x = shell.bay_middle(bay);
        let Some(above) = same_side().find(|p| p.strake == plank.strake + 1 && p.covers(bay)) else { continue };
        let start = above.place().span(shell).0;
        let on = |x: f64, length: f64| x.clamp(0.0, length);
        let (here, there) = ([on(x - from, to - from), width_at(plank.strake, bay)], [(x - start).max(0.0), 0.0]);
        all.push((above.id, meeting(here, false, there), meeting(there, false, here)));
    }
    for frame in file.members.iter().filter(|m| m.kind == MemberKind::Frame && m.side == Some(plank.side)) {
        if frame.number == 0 || frame.number > shell.frame_count() {
            continue;
        }
        let x = shell.frame_x(frame.number) - from;
        if !(0.0..=to - from).contains(&x) {
            continue;
        }
        // A frame is measured from its head down.
        let up = (f64::from(plank.strake) - 0.5) / f64::from(shell.strake_count().max(1));
        let on_frame = [frame.length * (1.0 - up), frame.width / 2.0];
        let on_plank = [x, width_at(plank.strake, frame.number) / 2.0];
        // The plank lies on the frame's face; the frame lies behind the plank.
        all.push((frame.id, meeting(on_plank, true, on_frame), meeting(on_frame, false, on_plank)));
    }
    all
}

/// A part's grade in years to come, at both ends of the band.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Band {
    pub least: Grade,
    pub most: Grade,
}

/// What becomes of a part.
#[derive(Debug, Clone)]
pub struct Fate {
    pub member: i64,
    pub now: Grade,
    /// By year, from today on: 0, 1, … [`forecast::YEARS`].
    pub years: Vec<Band>,
    /// Rot reached it from another part, at the fast end of the band, in this year.
    pub reached: Option<u32>,
    /// What the band rests on, in words.
    pub because: Vec<String>,
}

/// What becomes of every part that rot is in or may reach within the years of a forecast, worst first.
pub fn fates(survey: &SurveyFile, plan: Plan) -> Result<Vec<Fate>, InputError> {
    let mut all: Vec<Fate> = Vec::new();
    let (least, most) = (parts(survey, plan, Pace::Least), parts(survey, plan, Pace::Most));
    let mut grades: Vec<Vec<Band>> = vec![Vec::new(); most.parts.len()];
    let mut reached: Vec<Option<u32>> = vec![None; most.parts.len()];
    for year in 0..=forecast::YEARS {
        let slow = forecast::after(&least.parts, f64::from(year), Pace::Least)?;
        let fast = forecast::after(&most.parts, f64::from(year), Pace::Most)?;
        let (slow, fast) = (by_part(&slow, grades.len()), by_part(&fast, grades.len()));
        for (p, bands) in grades.iter_mut().enumerate() {
            let grade = |part: &Part, in_it: &[Foretold]| {
                let places: Vec<forecast::Place> = in_it.iter().map(|f| f.place).collect();
                forecast::grade(part, &places)
            };
            // Today it is as it was graded.
            bands.push(match year {
                0 => Band { least: graded(&least.parts[p]), most: graded(&most.parts[p]) },
                _ => Band { least: grade(&least.parts[p], &slow[p]), most: grade(&most.parts[p], &fast[p]) },
            });
            if reached[p].is_none() && most.parts[p].decay.is_empty() && fast[p].iter().any(|f| f.reached) {
                reached[p] = Some(year);
            }
        }
    }
    for (p, years) in grades.into_iter().enumerate() {
        let part = &most.parts[p];
        if part.decay.is_empty() && reached[p].is_none() {
            continue;
        }
        let now = graded(part);
        all.push(Fate { member: most.known[p].member, now, years, reached: reached[p], because: because(part, plan) });
    }
    all.sort_by_key(|f| std::cmp::Reverse((f.years.last().map(|b| (b.most, b.least)), f.now)));
    Ok(all)
}

/// The worst it was graded.
fn graded(part: &Part) -> Grade {
    part.decay.iter().map(|d| d.grade).max().unwrap_or(Grade::Sound)
}

fn by_part(all: &[Foretold], count: usize) -> Vec<Vec<Foretold>> {
    let mut by = vec![Vec::new(); count];
    all.iter().for_each(|f| by[f.part].push(*f));
    by
}

/// What the band of a part rests on.
fn because(part: &Part, plan: Plan) -> Vec<String> {
    let mut told: Vec<String> = part
        .decay
        .iter()
        .map(|d| {
            let wet = match d.water.moisture {
                Some(m) if m > mend_keel_core::timber::decay::WET => format!("measured {m:.0} %, wet enough to run"),
                Some(m) => format!("measured {m:.0} %, dry"),
                None if plan == Plan::AsDecided && d.grade == Grade::Sound => "new wood in the old place".to_owned(),
                None => "nobody measured how wet: it may stand still or run".to_owned(),
            };
            let cause = if d.water.treated { "its cause is treated" } else { "its cause is not treated" };
            let [least, most] = d.water.pace(part.durability);
            format!("{wet}; {cause}: {least:.0} to {most:.0} mm a year along the grain")
        })
        .collect();
    if part.durability.is_none() {
        told.push("its species is not known: the band is that of any".to_owned());
    }
    told.sort();
    told.dedup();
    told
}

/// Her file as she may be after so many years, at one end of the band: what was found has grown, and what it reached is found, as suspected.
pub fn in_years(survey: &SurveyFile, plan: Plan, pace: Pace, years: u32) -> Result<SurveyFile, InputError> {
    let file = &survey.file;
    let all = parts(survey, plan, pace);
    let foretold = forecast::after(&all.parts, f64::from(years), pace)?;
    let grouped = by_part(&foretold, all.parts.len());
    let mut findings: Vec<Finding> = file.findings.iter().filter(|f| !runs(f.kind) || !f.is_open()).cloned().collect();
    if plan == Plan::AsDecided {
        for finding in &mut findings {
            if file.decision(finding.member_id).is_some_and(|d| takes_away(d.kind)) {
                finding.outcome = Outcome::Mended;
            }
        }
    }
    let mut new = -1;
    for (p, here) in grouped.iter().enumerate() {
        let part = &all.parts[p];
        let places: Vec<forecast::Place> = here.iter().map(|f| f.place).collect();
        let grade = if years == 0 { graded(part) } else { forecast::grade(part, &places) };
        for told in here {
            let from = all.known[told.from.0].findings[told.from.1];
            let Some(source) = file.findings.iter().find(|f| f.id == from) else { continue };
            // Nothing of it is there yet.
            if told.place.depth <= 0.0 && (years == 0 || told.place.along[0] == told.place.along[1]) {
                continue;
            }
            let own = all.known[p].member;
            let Some((place, shape)) = drawn(file, own, told, (!told.reached).then_some(source)) else { continue };
            findings.push(Finding {
                id: if told.reached { new } else { source.id },
                member_id: own,
                place,
                shape,
                depth: told.place.depth,
                grade,
                certainty: if told.reached || years > 0 { Certainty::Suspected } else { source.certainty },
                method: if told.reached { Method::Look } else { source.method },
                says: String::new(),
                note: "foretold".to_owned(),
                photo: None,
                ..source.clone()
            });
            new -= i64::from(told.reached);
        }
    }
    Ok(survey.with_findings(findings))
}

/// A foretold place as a finding has it: where on the part, and its outline there. A finding that grew stays where it was told.
fn drawn(file: &BoatFile, member: i64, told: &Foretold, source: Option<&Finding>) -> Option<(Place, Vec<Point>)> {
    let [x0, x1] = told.place.along;
    let [y0, y1] = told.place.across;
    let outline = |start: f64| vec![[x0 - start, y0], [x1 - start, y0], [x1 - start, y1], [x0 - start, y1]];
    if let Some(plank) = file.planks.iter().find(|p| p.id == member) {
        let shell = &file.boat.shell;
        let from = plank.place().span(shell).0;
        let at = source.and_then(Finding::address).or_else(|| {
            let middle = from + (x0 + x1) / 2.0;
            let bays = (1..shell.frame_count()).filter(|bay| plank.covers(*bay));
            let frame = bays.min_by(|a, b| {
                let off = |bay: &u32| (shell.bay_middle(*bay) - middle).abs();
                off(a).total_cmp(&off(b))
            })?;
            Some(Address { side: plank.side, strake: plank.strake, frame })
        })?;
        return Some((Place::Shell(at), outline(file.boat.datum(at.frame) - from)));
    }
    let row: &MemberRow = file.members.iter().find(|m| m.id == member)?;
    let long = row.core().cell_length();
    let told_cell = source.and_then(|f| match &f.place {
        Place::Member(at) => Some(at.cell),
        Place::Shell(_) => None,
    });
    let cell =
        told_cell.unwrap_or_else(|| (((x0 + x1) / 2.0 / long).floor().max(0.0) as u32 + 1).min(row.cells.max(1)));
    let place = Place::Member(MemberCell { code: row.code.clone(), cell });
    Some((place, outline(long * f64::from(cell - 1))))
}
