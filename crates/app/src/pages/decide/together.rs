//! Together: new lengths in several planks laid out over the whole region, their joints to be moved on the map.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::grid::Joint;
use mend_keel_core::repair::butts::{Rule, Violation};
use mend_keel_core::repair::decide::plank::Joined;
use mend_keel_core::repair::decide::region::{self, Stretch, Strip};
use mend_keel_core::repair::decide::{RepairOption, plank as core_plank};
use mend_keel_core::survey::{Answer as Answered, FindingKind, Grade};
use mend_keel_core::timber::board::{self, BoardState};
use mend_keel_core::units::parse_length;
use mend_keel_core::work::estimate::Operation;
use mend_keel_core::work::quote::Currency;
use mend_keel_store::boards;
use mend_keel_store::boats::Plank;
use mend_keel_store::decisions::{Geometry, NewPiece};
use mend_keel_store::quotes;
use rocket::{FromForm, get, post};
use serde_json::json;

use crate::file::boat::{Asking, BoatFile};
use crate::file::decide::{self, Subject};
use crate::file::learned::YardRates;
use crate::view;
use crate::view::layers::Layers;
use crate::view::map::{Map, Trial};
use crate::view::reasons::{self, ReasonView};
use crate::web::auth::{BoatReader, Crew};
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "decide/together.html")]
struct Show {
    page: Page,
    boat_id: i64,
    /// Planks that may be ticked: id, name, ticked.
    planks: Vec<(i64, String, bool)>,
    joints: Choices,
    joined: &'static str,
    longest: String,
    /// Why nothing is laid out.
    none: String,
    /// Planks that cannot take part, and why.
    left_out: Vec<(String, String)>,
    body: String,
    typed: Typed,
    faults: Faults,
}

/// The drawing and what it means: exchanged as a whole when a joint was moved.
#[derive(Template)]
#[template(path = "decide/together_layout.html")]
struct Body {
    boat_id: i64,
    /// Hours and costs are shown.
    costs: bool,
    svg: String,
    layout: String,
    /// Pairs of joints, as the script finds them on the drawing.
    pairs: String,
    broken: Vec<(String, String, String)>,
    rows: Vec<Row>,
    moved: bool,
    says: String,
}

struct Row {
    part: String,
    what: String,
    spaces: u32,
    length: String,
    kept: String,
    hours: String,
    cost: String,
    blocks: String,
    reasons: Vec<ReasonView>,
}

/// Where one plank's new wood lies.
#[derive(Debug, Clone, PartialEq)]
struct Laid {
    part: i64,
    stretch: Stretch,
}

/// Writes a layout into one field: `12:8:15:10+12`, own ends as `-`.
fn write(laid: &[Laid]) -> String {
    let end = |bay: Option<u32>| bay.map_or("-".to_owned(), |b| b.to_string());
    let one = |l: &Laid| {
        let between: Vec<String> = l.stretch.between.iter().map(u32::to_string).collect();
        format!("{}:{}:{}:{}", l.part, end(l.stretch.fore), end(l.stretch.aft), between.join("+"))
    };
    laid.iter().map(one).collect::<Vec<_>>().join(",")
}

fn read(text: &str) -> Option<Vec<Laid>> {
    let end = |t: &str| if t == "-" { Some(None) } else { t.parse::<u32>().ok().map(Some) };
    let one = |t: &str| {
        let mut parts = t.split(':');
        let part = parts.next()?.parse().ok()?;
        let (fore, aft) = (end(parts.next()?)?, end(parts.next()?)?);
        let between = match parts.next()? {
            "" => Vec::new(),
            bays => bays.split('+').map(|b| b.parse().ok()).collect::<Option<Vec<u32>>>()?,
        };
        Some(Laid { part, stretch: Stretch { fore, aft, between, spaces: 0 } })
    };
    let laid: Vec<Laid> = text.split(',').filter(|t| !t.is_empty()).map(one).collect::<Option<_>>()?;
    (!laid.is_empty() && laid.len() <= region::MOST).then_some(laid)
}

/// The planks of a layout as the core sees them.
struct Region<'f> {
    file: &'f BoatFile,
    joined: Joined,
    planks: Vec<&'f Plank>,
    strips: Vec<Strip>,
}

fn joined(asked: Option<&str>) -> Joined {
    asked.and_then(Joined::from_code).unwrap_or(Joined::Butts)
}

impl<'f> Region<'f> {
    /// Errors say which plank cannot be laid out, and why.
    fn new(file: &'f BoatFile, joined: Joined, parts: &[i64], longest: u32) -> std::result::Result<Self, AppError> {
        let mut planks = Vec::new();
        let mut strips = Vec::new();
        for id in parts {
            let plank = file.plank(*id)?;
            let refuse = |e: InputError| AppError::Refused(format!("{}: {}", plank.name(), e.message));
            let case = decide::case(file, plank, file.boat.school).map_err(refuse)?;
            let cut = core_plank::joined_bays(&case, joined).map_err(refuse)?;
            strips.push(Strip {
                side: plank.side,
                strake: plank.strake,
                from_bay: plank.from_bay,
                to_bay: plank.to_bay,
                cut,
                longest,
            });
            planks.push(plank);
        }
        Ok(Self { file, joined, planks, strips })
    }

    fn last(&self) -> u32 {
        self.file.boat.shell.frame_count()
    }

    /// How far its new joints must lie from each other and from what stays.
    fn rule(&self) -> Rule {
        match self.joined {
            Joined::Butts => self.file.butt_rule(),
            Joined::Scarfs => self.file.butt_rule().for_scarfs(),
        }
    }

    fn best(&self) -> std::result::Result<(Vec<Laid>, bool), AppError> {
        let layout = region::plan(&self.rule(), self.last(), &self.file.joints, &self.strips)
            .map_err(|e| AppError::Refused(e.message))?;
        let laid =
            self.planks.iter().zip(layout.stretches).map(|(plank, stretch)| Laid { part: plank.id, stretch }).collect();
        Ok((laid, layout.proven))
    }

    /// A layout as somebody moved it, put back within its bounds.
    fn held(&self, laid: &[Laid]) -> Vec<Laid> {
        laid.iter()
            .zip(&self.strips)
            .map(|(l, strip)| {
                let (first, end) = (strip.from_bay.unwrap_or(0), strip.to_bay.unwrap_or(self.last()));
                let clamp = |bay: u32, low: u32, high: u32| (low <= high).then(|| bay.clamp(low, high));
                let fore = l.stretch.fore.and_then(|b| clamp(b, first + 1, strip.cut.0));
                let aft = l.stretch.aft.and_then(|b| clamp(b, strip.cut.1, end.saturating_sub(1)));
                let (from, to) = (fore.unwrap_or(first), aft.unwrap_or(end));
                let mut between: Vec<u32> =
                    l.stretch.between.iter().copied().filter(|b| *b > from && *b < to).collect();
                between.sort_unstable();
                between.dedup();
                Laid { part: l.part, stretch: Stretch { fore, aft, between, spaces: to - from } }
            })
            .collect()
    }

    fn new_joints(&self, laid: &[Laid]) -> Vec<Joint> {
        laid.iter().zip(&self.strips).flat_map(|(l, strip)| l.stretch.joints(strip)).collect()
    }

    fn violations(&self, laid: &[Laid]) -> (Vec<Joint>, Vec<Violation>) {
        region::joints_after(&self.rule(), &self.file.joints, &self.new_joints(laid))
    }

    fn options(&self, laid: &[Laid], known: &YardRates) -> std::result::Result<Vec<RepairOption>, AppError> {
        let rate = |op: Operation| known.rate(op);
        self.planks
            .iter()
            .zip(laid)
            .map(|(plank, l)| {
                decide::case(self.file, plank, self.file.boat.school)
                    .and_then(|case| core_plank::with_joints(&case, self.joined, l.stretch.fore, l.stretch.aft, rate))
                    .map_err(|e| AppError::Refused(format!("{}: {}", plank.name(), e.message)))
            })
            .collect()
    }

    fn trials(&self, laid: &[Laid]) -> Vec<Trial> {
        let shell = &self.file.boat.shell;
        self.planks
            .iter()
            .zip(laid)
            .zip(&self.strips)
            .map(|((plank, l), strip)| {
                let (from, to) = plank.place().span(shell);
                let (first, end) = (strip.from_bay.unwrap_or(0), strip.to_bay.unwrap_or(self.last()));
                let s = &l.stretch;
                let at = |bay: Option<u32>, own: f64| bay.map_or(own, |b| shell.bay_middle(b));
                let mut joints = Vec::new();
                if let Some(bay) = s.fore {
                    joints.push(("fore".to_owned(), bay, (first + 1, strip.cut.0)));
                }
                for (k, bay) in s.between.iter().enumerate() {
                    let (low, high) = (s.fore.unwrap_or(first) + 1, s.aft.unwrap_or(end).saturating_sub(1));
                    joints.push((format!("between{k}"), *bay, (low, high)));
                }
                if let Some(bay) = s.aft {
                    joints.push(("aft".to_owned(), bay, (strip.cut.1, end.saturating_sub(1))));
                }
                Trial {
                    part: plank.id,
                    side: plank.side,
                    strake: plank.strake,
                    from: at(s.fore, from),
                    to: at(s.aft, to),
                    joints,
                }
            })
            .collect()
    }
}

fn joint_name(file: &BoatFile, joint: &Joint) -> String {
    let at = mend_keel_core::grid::Address { side: joint.side, strake: joint.strake, frame: joint.bay.max(1) };
    let shown = file.boat.shown(at);
    format!("{} bay {}", shown.split(' ').next().unwrap_or_default(), joint.bay)
}

fn key(joint: &Joint) -> String {
    format!("{}{}.{}", joint.side.letter(), joint.strake, joint.bay)
}

fn body(
    region: &Region<'_>,
    laid: &[Laid],
    options: &[RepairOption],
    (moved, proven): (bool, bool),
    currency: &Currency,
    desk: &Desk<'_>,
) -> std::result::Result<String, AppError> {
    let units = desk.units;
    let file = region.file;
    let (joints, violations) = region.violations(laid);
    let trials = region.trials(laid);
    let layers = Layers::default();
    let map = Map {
        joints: &joints[..file.joints.len()],
        decisions: &[],
        pieces: &[],
        trials: &trials,
        ..file.planking(&layers)
    };
    let pairs: Vec<_> = violations.iter().map(|v| json!([key(&joints[v.a]), key(&joints[v.b])])).collect();
    let rule = region.rule();
    let bay_clear = file.boat.shell.frame_space() - file.boat.frame_sided;
    let rows = region
        .planks
        .iter()
        .zip(laid)
        .zip(options)
        .map(|((plank, l), option)| {
            let (block_length, block_thick) = mend_keel_core::repair::butts::block(plank.thickness, bay_clear);
            let joint = if region.joined == Joined::Butts { "butt" } else { "scarf" };
            let end = |bay: Option<u32>, own: &str| bay.map_or(own.to_owned(), |b| format!("{joint} in bay {b}"));
            let between: Vec<String> = l.stretch.between.iter().map(|b| format!("{joint} in bay {b}")).collect();
            let joint_count =
                l.stretch.between.len() + usize::from(l.stretch.fore.is_some()) + usize::from(l.stretch.aft.is_some());
            let length = match &option.wood {
                decide_core::Wood::Plank(s) => units.run(s.length()),
                _ => String::new(),
            };
            Row {
                part: plank.name(),
                what: [
                    vec![end(l.stretch.fore, "its own fore end")],
                    between,
                    vec![end(l.stretch.aft, "its own after end")],
                ]
                .concat()
                .join(" to "),
                spaces: l.stretch.spaces,
                length,
                kept: view::percent(option.kept),
                hours: view::hours(option.hours.p50),
                cost: currency.about(option.cost),
                blocks: match (joint_count, region.joined) {
                    (0, _) | (_, Joined::Scarfs) => "none".to_owned(),
                    (n, Joined::Butts) => format!("{n} of {}", units.dims(&[block_length, block_thick])),
                },
                reasons: reasons::views(&option.reasons, units),
            }
        })
        .collect();
    let says = match (violations.is_empty(), proven, moved) {
        (true, true, false) => {
            "No layout with less new wood keeps the rule; a joint counts as two frame spaces.".to_owned()
        }
        (false, true, false) => format!(
            "No layout keeps the rule ({} frame spaces between neighbours): this one breaks it least. The joints that light up are in the way.",
            rule.adjacent
        ),
        (_, false, false) => "The best found in the time there was; a better one may exist.".to_owned(),
        (true, _, true) => "As you laid it: every rule is kept.".to_owned(),
        (false, _, true) => "As you laid it: move a joint that lights up until none does.".to_owned(),
    };
    let template = Body {
        boat_id: file.boat.id,
        costs: desk.sees_costs(),
        svg: map.draw(),
        layout: write(laid),
        pairs: json!(pairs).to_string(),
        broken: violations
            .iter()
            .map(|v| (joint_name(file, &joints[v.a]), joint_name(file, &joints[v.b]), v.conflict.text()))
            .collect(),
        rows,
        moved,
        says,
    };
    Ok(template.render()?)
}

use mend_keel_core::repair::decide as decide_core;

#[derive(Debug, Default, FromForm)]
pub struct Asked<'r> {
    joints: Option<&'r str>,
    part: Vec<i64>,
    longest: Option<&'r str>,
    layout: Option<&'r str>,
}

/// Stock where the rack tells nothing, mm.
const USUAL_STOCK: f64 = 6_000.0;

/// The longest board of the planking's species, or what is usually to be had, mm.
async fn longest_stock(desk: &Desk<'_>, file: &BoatFile) -> std::result::Result<f64, AppError> {
    let longest = boards::list(desk.store)
        .await?
        .iter()
        .filter(|b| b.state == BoardState::Free && b.species == file.boat.plank_species)
        .map(|b| b.length)
        .fold(0.0, f64::max);
    Ok(longest.max(USUAL_STOCK))
}

fn spaces(file: &BoatFile, length: f64) -> u32 {
    ((length - 2.0 * board::END_ALLOWANCE) / file.boat.shell.frame_space().max(1.0)).floor().clamp(1.0, 500.0) as u32
}

async fn show(
    desk: &Desk<'_>,
    file: &BoatFile,
    asked: &Asked<'_>,
    typed: Typed,
    mut faults: Faults,
) -> std::result::Result<Show, AppError> {
    let asking = decide::asking_planks(file);
    let moved = asked.layout.and_then(read);
    let mut parts: Vec<i64> = match &moved {
        Some(laid) => laid.iter().map(|l| l.part).collect(),
        None => asked.part.clone(),
    };
    parts.retain(|p| asking.iter().any(|a| a.id == *p));
    let by_default = parts.is_empty() && asked.part.is_empty();
    if by_default {
        let wants = |a: &&Asking| file.decision(a.id).is_none() && wants_length(file, a.id);
        parts = asking.iter().filter(wants).map(|a| a.id).collect();
    }
    // What cannot take part is left out; where it was asked for, it says why. The others go on.
    let mut left_out: Vec<(String, String)> = Vec::new();
    let joined = joined(asked.joints);
    parts.retain(|id| match cannot(file, joined, *id) {
        None => true,
        Some(why) => {
            left_out.extend(file.part_name(*id).filter(|_| !by_default).map(|name| (name, why)));
            false
        }
    });
    if by_default {
        parts.truncate(USUAL);
    }
    parts.truncate(region::MOST);
    let stock = longest_stock(desk, file).await?;
    let longest = match asked.longest.filter(|t| !t.trim().is_empty()) {
        None => stock,
        Some(text) => match parse_length(text, desk.units.unit) {
            Ok(mm) if mm >= 500.0 => mm,
            Ok(_) => {
                faults.add(InputError::new("longest", "must be at least half a metre"));
                stock
            }
            Err(e) => {
                faults.add(InputError::new("longest", e.message));
                stock
            }
        },
    };
    let laid = if parts.is_empty() {
        Err(AppError::Refused("Tick the planks that are to be renewed together.".to_owned()))
    } else {
        lay(desk, file, joined, &parts, moved, spaces(file, longest)).await
    };
    let (body, none) = match laid {
        Ok(body) => (body, String::new()),
        Err(AppError::Refused(why)) => (String::new(), why),
        Err(e) => return Err(e),
    };
    Ok(Show {
        page: desk.boat_page(file, "Decide together", "decide"),
        boat_id: file.boat.id,
        planks: asking.into_iter().map(|a| (a.id, a.name, parts.contains(&a.id))).collect(),
        joints: pairs(Joined::ALL, Joined::code, Joined::label),
        joined: joined.code(),
        longest: asked.longest.map_or_else(|| desk.units.run(longest), str::to_owned),
        none,
        left_out,
        body,
        typed,
        faults,
    })
}

/// Planks laid out where nobody ticked any.
const USUAL: usize = 8;

/// Why a plank's new lengths cannot be laid out; `None` where they can.
fn cannot(file: &BoatFile, joined: Joined, id: i64) -> Option<String> {
    let Ok(plank) = file.plank(id) else { return Some("is no plank of the shell".to_owned()) };
    let case = decide::case(file, plank, file.boat.school);
    case.and_then(|case| core_plank::joined_bays(&case, joined)).err().map(|e| e.message)
}

/// Whether what was found on a plank asks for a length of new wood: a place graded Renew or worse, or a break.
fn wants_length(file: &BoatFile, id: i64) -> bool {
    file.found_on(id).any(|f| {
        let wood = !matches!(f.kind.answer(), Answered::Step(_));
        wood && (f.grade >= Grade::Renew || (f.kind == FindingKind::Broken && f.grade >= Grade::Mend))
    })
}

async fn lay(
    desk: &Desk<'_>,
    file: &BoatFile,
    joined: Joined,
    parts: &[i64],
    moved: Option<Vec<Laid>>,
    longest: u32,
) -> std::result::Result<String, AppError> {
    let region = Region::new(file, joined, parts, longest)?;
    let was_moved = moved.is_some();
    let (laid, proven) = match moved {
        Some(laid) => (region.held(&laid), false),
        None => region.best()?,
    };
    let options = region.options(&laid, &YardRates::load(desk.store).await?)?;
    let currency = quotes::terms(desk.store).await?.0.currency;
    body(&region, &laid, &options, (was_moved, proven), &currency, desk)
}

#[get("/boats/<id>/together?<asked..>")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64, asked: Asked<'_>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    render(&show(&desk, &file, &asked, Typed::default(), Faults::default()).await?)
}

/// A layout as it was moved: the drawing and the table, without the page round them.
#[get("/boats/<id>/together/check?<layout>&<joints>")]
pub async fn check(desk: Desk<'_>, _who: BoatReader, id: i64, layout: &str, joints: Option<&str>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let laid = read(layout).ok_or_else(|| AppError::Refused("this is no layout".to_owned()))?;
    let parts: Vec<i64> = laid.iter().map(|l| l.part).collect();
    let longest = spaces(&file, longest_stock(&desk, &file).await?);
    let html = lay(&desk, &file, joined(joints), &parts, Some(laid), longest).await?;
    Ok(Answer::Page(rocket::http::Status::Ok, html))
}

/// Decides on every plank of the layout at once.
#[post("/boats/<id>/together", data = "<posted>")]
pub async fn keep(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let layout = posted.form.get("layout").to_owned();
    let laid = read(&layout).ok_or_else(|| AppError::Refused("this is no layout".to_owned()))?;
    let mut form = Reader::new(&posted.form, desk.units.unit);
    let reason = super::options::reason(&mut form);
    let joints = posted.form.get("joints");
    let asked = Asked { joints: Some(joints), part: Vec::new(), longest: None, layout: Some(&layout) };
    if !form.faults.is_empty() {
        return render_faulty(&show(&desk, &file, &asked, posted.form.typed(), form.faults).await?);
    }
    let parts: Vec<i64> = laid.iter().map(|l| l.part).collect();
    let region = Region::new(&file, joined(Some(joints)), &parts, spaces(&file, longest_stock(&desk, &file).await?))?;
    let laid = region.held(&laid);
    let known = YardRates::load(desk.store).await?;
    let options = region.options(&laid, &known)?;
    let against = form.text("against", NOTE_LIMIT);
    let refused: Vec<String> =
        region.planks.iter().zip(&options).filter(|(_, o)| o.forbidden()).map(|(p, _)| p.name()).collect();
    if !refused.is_empty() && against.is_empty() {
        let message = format!("a rule speaks against this on {}: say why it is done all the same", refused.join(", "));
        form.faults.add(InputError::new("against", message));
    }
    if !form.faults.is_empty() {
        return render_faulty(&show(&desk, &file, &asked, posted.form.typed(), form.faults).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    for ((plank, l), option) in region.planks.iter().zip(&laid).zip(&options) {
        let why = if option.forbidden() { against.as_str() } else { "" };
        let (decision, pieces) = decide::settled(&file, &Subject::Plank(plank), option, reason.clone(), why);
        let pieces = divided(&file, plank, &l.stretch, pieces);
        let decided = work.decide(&decision, &pieces).await?;
        work.add_tasks(id, plank.id, decided, &known.reckoned(&option.tasks)).await?;
    }
    let location = format!("/boats/{id}/shape");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// A stretch with joints inside it as the pieces that make it up.
fn divided(file: &BoatFile, plank: &Plank, stretch: &Stretch, pieces: Vec<NewPiece>) -> Vec<NewPiece> {
    let [piece] = pieces.as_slice() else { return pieces };
    let Geometry::Stretch { from, to, new_fore, new_aft, scarf, fore_bay, aft_bay, nibbed, .. } = piece.geometry else {
        return pieces;
    };
    if stretch.between.is_empty() {
        return pieces;
    }
    let shell = &file.boat.shell;
    let (origin, _) = plank.place().span(shell);
    let x = |bay: u32| shell.bay_middle(bay) - origin;
    let mut cuts: Vec<(f64, Option<u32>, bool)> = vec![(from, fore_bay, new_fore)];
    cuts.extend(stretch.between.iter().map(|bay| (x(*bay), Some(*bay), true)));
    cuts.push((to, aft_bay, new_aft));
    cuts.windows(2)
        .enumerate()
        .map(|(i, pair)| {
            let (mut a, mut b) = (pair[0], pair[1]);
            // Pieces scarfed to each other lap by the scarf's length, half of it each way from the middle of its bay.
            if i > 0 {
                a.0 -= scarf / 2.0;
            }
            if i + 2 < cuts.len() {
                b.0 += scarf / 2.0;
            }
            let line = shell.strake_width_line(plank.side, plank.strake, origin + a.0, origin + b.0, origin);
            let width = line.iter().map(|p| p[1]).fold(0.0, f64::max);
            NewPiece {
                name: format!("{} {}", piece.name, i + 1),
                geometry: Geometry::Stretch {
                    from: a.0,
                    to: b.0,
                    width,
                    new_fore: a.2,
                    new_aft: b.2,
                    scarf,
                    fore_bay: a.1,
                    aft_bay: b.1,
                    nibbed,
                },
                length: b.0 - a.0 + 2.0 * board::END_ALLOWANCE,
                width: width + 2.0 * board::EDGE_ALLOWANCE,
                ..piece.clone()
            }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use mend_keel_core::grid::Side;

    use super::*;

    #[test]
    fn a_layout_is_read_as_it_was_written() {
        let laid = vec![
            Laid { part: 12, stretch: Stretch { fore: Some(8), aft: None, between: vec![10, 14], spaces: 0 } },
            Laid { part: 3, stretch: Stretch { fore: None, aft: Some(20), between: vec![], spaces: 0 } },
        ];
        assert_eq!(write(&laid), "12:8:-:10+14,3:-:20:");
        assert_eq!(read(&write(&laid)), Some(laid));
        for bad in ["", ",", "x", "1:2", "1:2:3", "1:a:3:", "1:2:3:4+", "9:-:-:x"] {
            assert_eq!(read(bad), None, "{bad}");
        }
        let many = vec!["1:2:3:"; 60].join(",");
        assert_eq!(read(&many), None);
    }

    #[test]
    fn joints_are_named_by_side_strake_and_bay() {
        assert_eq!(key(&Joint { side: Side::Starboard, strake: 4, bay: 12 }), "S4.12");
    }
}
