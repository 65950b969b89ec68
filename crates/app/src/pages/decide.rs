//! Decide: for a damaged plank the options side by side, and the choice with its reason.

use std::collections::HashMap;

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::repair::decide::{self, Case, OptionKind, RepairOption, Wood};
use mend_keel_core::repair::graving::{Damage, Patch};
use mend_keel_core::survey::Grade;
use mend_keel_core::work::estimate::{Operation, learn};
use mend_keel_store::boats::Plank;
use mend_keel_store::decisions::{Geometry, NewDecision, NewPiece};
use mend_keel_store::tasks;
use rocket::{get, post};
use serde_json::json;

use super::{BoatFile, Desk, Page, render, render_faulty};
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
}

struct Row {
    member_id: i64,
    plank: String,
    found: String,
    worst: &'static str,
    decided: Option<(String, String)>,
    untreated: Vec<String>,
}

#[get("/boats/<id>/decide")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut rows: Vec<(Grade, Row)> = file
        .damaged()
        .into_iter()
        .map(|plank| {
            let found: Vec<_> = file.on_plank(plank).collect();
            let worst = found.iter().map(|(f, _)| f.grade).max().unwrap_or(Grade::Sound);
            let what: Vec<String> = found
                .iter()
                .map(|(f, at)| format!("{} at {}", f.kind.label().to_lowercase(), file.boat.shown(*at)))
                .collect();
            let decided = file.decision(plank.id).map(|d| (d.kind.label().to_owned(), d.reason.clone()));
            (
                worst,
                Row {
                    member_id: plank.id,
                    plank: plank.name(),
                    found: what.join(", "),
                    worst: worst.label(),
                    untreated: file.untreated(plank.id),
                    decided,
                },
            )
        })
        .collect();
    rows.sort_by(|a, b| a.1.decided.is_some().cmp(&b.1.decided.is_some()).then(b.0.cmp(&a.0)));
    render(&List {
        page: desk.boat_page(&file, "Decide", "decide"),
        boat_id: id,
        rows: rows.into_iter().map(|(_, row)| row).collect(),
    })
}

#[derive(Template)]
#[template(path = "decide.html")]
struct Options {
    page: Page,
    boat_id: i64,
    member_id: i64,
    plank: String,
    school: &'static str,
    creed: &'static str,
    options: Vec<OptionView>,
    decided: Option<(String, String)>,
    untreated: Vec<String>,
    /// Why there are none.
    none: String,
    typed: Typed,
    faults: Faults,
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
    wood: String,
    reasons: Vec<ReasonView>,
}

fn option_view(option: &RepairOption, units: Units) -> OptionView {
    let wood = match &option.wood {
        Wood::None => "no new wood".to_owned(),
        Wood::Patches(patches) => patches
            .iter()
            .map(|p| format!("blank {}", units.dims(&[p.blank.length, p.blank.width, p.blank.thickness])))
            .collect::<Vec<_>>()
            .join("; "),
        Wood::Plank(s) => format!("{} of plank, {} wide", units.run(s.length()), units.len(s.width)),
    };
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
        wood,
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

/// What the core needs to lay out a plank's options. Errors name `damage`.
pub fn case<'f>(file: &'f BoatFile, plank: &Plank) -> std::result::Result<Case<'f>, InputError> {
    let found: Vec<_> = file.on_plank(plank).collect();
    let unknown = found.iter().find(|(f, _)| f.grade > Grade::Sound && f.kind.is_damage() && f.depth <= 0.0);
    if let Some((f, at)) = unknown {
        let what = f.kind.label().to_lowercase();
        let message =
            format!("nobody knows how deep the {what} at {} goes: open it up first, then decide", file.boat.shown(*at));
        return Err(InputError::new("damage", message));
    }
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
        school: file.boat.school,
        butt_rule: file.butt_rule(),
        graving_rules: mend_keel_core::practice::GravingRules::default(),
    })
}

async fn lay_out(desk: &Desk<'_>, file: &BoatFile, plank: &Plank) -> std::result::Result<Vec<RepairOption>, AppError> {
    let rates = rates(desk).await?;
    let rate = |op: Operation| rates.get(&op).copied().unwrap_or(op.rate().0);
    case(file, plank).and_then(|case| decide::options(&case, rate)).map_err(|e| AppError::Refused(e.message))
}

async fn page(
    desk: &Desk<'_>,
    file: &BoatFile,
    plank: &Plank,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<Options, AppError> {
    let (options, none) = match lay_out(desk, file, plank).await {
        Ok(options) => (options.iter().map(|o| option_view(o, desk.units)).collect(), String::new()),
        Err(AppError::Refused(why)) => (Vec::new(), why),
        Err(e) => return Err(e),
    };
    Ok(Options {
        page: desk.boat_page(file, &format!("Decide on {}", plank.name()), "decide"),
        boat_id: file.boat.id,
        member_id: plank.id,
        plank: plank.name(),
        school: file.boat.school.label(),
        creed: file.boat.school.creed(),
        options,
        decided: file.decision(plank.id).map(|d| (d.kind.label().to_owned(), d.reason.clone())),
        untreated: file.untreated(plank.id),
        none,
        typed,
        faults,
    })
}

#[get("/boats/<id>/planks/<plank>/decide")]
pub async fn options(desk: Desk<'_>, _who: BoatReader, id: i64, plank: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let plank = file.plank(plank)?;
    render(&page(&desk, &file, plank, Typed::default(), Faults::default()).await?)
}

#[post("/boats/<id>/planks/<plank>/decide", data = "<posted>")]
pub async fn choose(desk: Desk<'_>, _who: Crew, id: i64, plank: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let plank = file.plank(plank)?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let kind = read.choice("option", OptionKind::from_code);
    let reason = read.text("reason", NOTE_LIMIT);
    if reason.is_empty() {
        read.faults.add(InputError::new("reason", "say why: the owner will ask in ten years"));
    }
    let options = lay_out(&desk, &file, plank).await?;
    let chosen = kind.and_then(|kind| options.iter().find(|o| o.kind == kind));
    if kind.is_some() && chosen.is_none() {
        read.faults.add(InputError::new("option", "is not possible on this plank"));
    }
    let (Some(option), true) = (chosen, read.faults.is_empty()) else {
        return render_faulty(&page(&desk, &file, plank, posted.form.typed(), read.faults).await?);
    };
    let (decision, pieces) = settled(&file, plank, option, reason);
    let mut work = desk.store.begin(posted.act()).await?;
    let decided = work.decide(&decision, &pieces).await?;
    work.add_tasks(id, plank.id, decided, &option.tasks).await?;
    let location = if pieces.is_empty() { format!("/boats/{id}/decide") } else { format!("/boats/{id}/shape") };
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// An option as the decision and the pieces that are kept of it.
pub fn settled(file: &BoatFile, plank: &Plank, option: &RepairOption, reason: String) -> (NewDecision, Vec<NewPiece>) {
    let decision = NewDecision {
        boat_id: file.boat.id,
        member_id: plank.id,
        plank_name: plank.name(),
        kind: option.kind,
        reason,
        kept: option.kept,
        strength: option.strength,
        p50: option.hours.p50,
        p80: option.hours.p80,
        rules: json!({ "school": file.boat.school, "score": option.score, "reasons": option.reasons }),
    };
    (decision, pieces(plank, option))
}

/// Left to plane off each edge of a new plank's blank, and to trim off each end, mm (*yard rule*).
const EDGE_ALLOWANCE: f64 = 6.0;
const END_ALLOWANCE: f64 = 25.0;

/// The pieces of new wood that an option asks for.
fn pieces(plank: &Plank, option: &RepairOption) -> Vec<NewPiece> {
    let species = plank.species.clone();
    match &option.wood {
        Wood::None => Vec::new(),
        Wood::Patches(patches) => {
            let many = patches.len() > 1;
            patches
                .iter()
                .enumerate()
                .map(|(i, patch)| patch_piece(plank, patch, many.then_some(i + 1), &species))
                .collect()
        }
        Wood::Plank(s) => vec![NewPiece {
            name: format!("{}, {}", option.kind.label(), plank.name()),
            geometry: Geometry::Stretch {
                from: s.from,
                to: s.to,
                width: s.width,
                new_fore: s.new_fore,
                new_aft: s.new_aft,
                scarf: s.scarf,
                fore_bay: s.fore_bay,
                aft_bay: s.aft_bay,
            },
            length: s.length() + 2.0 * END_ALLOWANCE,
            width: s.width + 2.0 * EDGE_ALLOWANCE,
            thickness: plank.thickness,
            species,
        }],
    }
}

fn patch_piece(plank: &Plank, patch: &Patch, number: Option<usize>, species: &str) -> NewPiece {
    NewPiece {
        name: format!("Graving piece{}, {}", number.map_or(String::new(), |n| format!(" {n}")), plank.name()),
        geometry: Geometry::Patch {
            outline: patch.outline.clone(),
            depth: patch.depth,
            through: patch.through,
            area: patch.area,
            swallowed: patch.swallowed.clone(),
            to_edge: serde_json::to_value(patch.to_edge)
                .ok()
                .and_then(|v| v.as_str().map(str::to_owned))
                .unwrap_or_default(),
        },
        length: patch.blank.length,
        width: patch.blank.width,
        thickness: patch.blank.thickness,
        species: species.to_owned(),
    }
}
