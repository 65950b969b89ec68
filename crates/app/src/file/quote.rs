//! A boat's quote as her decisions stand: what each part costs, in other ways too, what waiting costs, and what nobody knows yet.

use mend_keel_core::InputError;
use mend_keel_core::forecast::Pace;
use mend_keel_core::grid::Place;
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::repair::decide::RepairOption;
use mend_keel_core::repair::way::{NEW_YEARS, OptionKind};
use mend_keel_core::survey::{Cause, Certainty, FindingKind, Grade, Method};
use mend_keel_core::work::estimate::{Hours, Operation, whole_job};
use mend_keel_core::work::quote::{self, Allowance, Later, Line, Money, Other, Quote, Standing, Terms, Trigger, Word};
use mend_keel_store::decisions::{Decision, PieceState};
use mend_keel_store::findings::Finding;
use mend_keel_store::owners::Note;
use mend_keel_store::quotes::Said;

use super::decide::{self, Subject};
use super::forecast::{self, Plan};
use super::learned::YardRates;
use super::survey::SurveyFile;

/// After how many years a cheap way is paid for again.
const AGAIN: u32 = 6;
/// For how many years waiting is reckoned.
const WAIT: u32 = 3;
/// Allowances for parts nobody looked at, at most; the rest are named together.
const MOST_GAPS: usize = 12;

/// What an option costs.
fn line_of(option: &RepairOption, terms: &Terms) -> Result<Line, InputError> {
    let tasks: Vec<(Operation, f64)> = option.tasks.iter().map(|t| (t.operation, t.hours.p50)).collect();
    quote::line(&tasks, option.hours, terms.currency.of(option.cost)?, Money::ZERO, terms)
}

/// A part's options on a boat as she may be.
fn options(survey: &SurveyFile, member: i64, rates: &YardRates) -> Vec<RepairOption> {
    let file = &survey.file;
    let Ok(subject) = Subject::of(file, member) else { return Vec::new() };
    let laid = decide::lay_out(file, &subject, file.boat.school, |op| rates.rate(op));
    laid.map_or_else(|_| Vec::new(), |answered| answered.options)
}

/// What a part costs later, by the best way there is then.
fn later(
    then: &SurveyFile,
    member: i64,
    years: u32,
    rates: &YardRates,
    terms: &Terms,
) -> Result<Option<Later>, InputError> {
    let best = options(then, member, rates).into_iter().find(|o| !o.forbidden());
    best.map(|o| Ok(Later { years, way: o.kind.label().to_owned(), line: line_of(&o, terms)? })).transpose()
}

/// The decided line: its own tasks as they stand, done ones among them.
fn decided_line(survey: &SurveyFile, decision: &Decision, bought: Money, terms: &Terms) -> Result<Line, InputError> {
    let tasks: Vec<(Operation, f64)> =
        survey.file.tasks.iter().filter(|t| t.decision_id == Some(decision.id)).map(|t| (t.operation, t.p50)).collect();
    let materials = terms.currency.of(decision.body["cost"].as_f64().unwrap_or(0.0))?;
    quote::line(&tasks, Hours { p50: decision.p50, p80: decision.p80.max(decision.p50) }, materials, bought, terms)
}

/// The cheapest other way, with what it costs again, and the way that lasts longest.
fn others(
    survey: &SurveyFile,
    in_six: &SurveyFile,
    decision: &Decision,
    rates: &YardRates,
    terms: &Terms,
) -> Result<Vec<Other>, InputError> {
    let all = options(survey, decision.member_id, rates);
    let mut lines = Vec::new();
    for option in all.iter().filter(|o| o.kind != decision.kind && o.kind != OptionKind::Leave) {
        lines.push((option, line_of(option, terms)?));
    }
    let mut chosen: Vec<Other> = Vec::new();
    let cheapest = lines.iter().min_by_key(|(o, line)| (o.forbidden(), line.net()[0]));
    let full =
        lines.iter().filter(|(o, _)| o.years >= NEW_YEARS).min_by_key(|(o, line)| (o.forbidden(), line.net()[0]));
    for (option, line) in cheapest.into_iter().chain(full) {
        let way = option.kind.label().to_owned();
        if chosen.iter().any(|o| o.way == way) {
            continue;
        }
        let again = if option.years <= f64::from(2 * AGAIN) {
            later(in_six, decision.member_id, AGAIN, rates, terms)?
        } else {
            None
        };
        chosen.push(Other { way, refused: option.forbidden(), line: *line, years: option.years, later: again });
    }
    Ok(chosen)
}

/// Hours and money more, before tax.
struct More {
    hours: [f64; 2],
    net: [Money; 2],
}

/// What a part costs beyond what is decided, where it proves to be as told.
fn more(
    survey: &SurveyFile,
    member: i64,
    findings: Vec<Finding>,
    rates: &YardRates,
    terms: &Terms,
) -> Result<Option<More>, InputError> {
    let then = survey.with_findings(findings);
    let Some(worse) = options(&then, member, rates).into_iter().find(|o| !o.forbidden()) else { return Ok(None) };
    let worse = line_of(&worse, terms)?;
    let now = match survey.file.decision(member) {
        Some(decision) => Some(decided_line(survey, decision, Money::ZERO, terms)?),
        None => None,
    };
    let (before, spent) = now.map_or(([0.0; 2], [Money::ZERO; 2]), |now| (now.hours, now.net()));
    let [least, most] = [0, 1].map(|k| (worse.hours[k] - before[k]).max(0.0));
    let [low, high] = [0, 1].map(|k| (worse.net()[k] - spent[k]).max(Money::ZERO));
    // Where both are as wide the difference is no narrower at four-in-five odds than at even ones.
    let (hours, net) = ([least, most.max(least)], [low, high.max(low)]);
    Ok((hours[1] > 0.05 || net[1] > Money::ZERO).then_some(More { hours, net }))
}

/// Contingency as what is unknown: each place that is only suspected, and each frame behind a plank that comes off that nobody looked at.
fn allowances(survey: &SurveyFile, rates: &YardRates, terms: &Terms) -> Result<Vec<Allowance>, InputError> {
    let file = &survey.file;
    let mut all = Vec::new();
    for suspected in file
        .findings
        .iter()
        .filter(|f| f.is_open() && f.certainty == Certainty::Suspected && f.grade > Grade::Sound && f.kind.is_damage())
    {
        let Ok(part) = file.part_at(&suspected.place) else { continue };
        let proven = Finding {
            certainty: Certainty::OpenedUp,
            grade: suspected.grade.max(Grade::Renew),
            depth: part.thickness(),
            ..suspected.clone()
        };
        let findings =
            file.findings.iter().map(|f| if f.id == suspected.id { proven.clone() } else { f.clone() }).collect();
        if let Some(More { hours, net }) = more(survey, suspected.member_id, findings, rates, terms)? {
            let (kind, at) = (suspected.kind.label().to_lowercase(), file.shown(&suspected.place));
            let undecided =
                if file.decision(suspected.member_id).is_none() { " (nothing is decided on it)" } else { "" };
            let says = format!("if the {kind} suspected at {at}{undecided} goes right through");
            all.push(Allowance { trigger: Trigger::Finding { finding: suspected.id, says }, hours, net });
        }
    }
    for (member, name) in unseen_frames(survey).into_iter().take(MOST_GAPS) {
        let Some(row) = file.members.iter().find(|m| m.id == member) else { continue };
        let cell = row.cells.max(1).div_ceil(2);
        let Ok(place) = Place::parse(&format!("{} {cell}", row.code)) else { continue };
        let soft = hypothetical(file.boat.id, member, place, row.thickness);
        let findings = file.findings.iter().cloned().chain([soft]).collect();
        if let Some(More { hours, net }) = more(survey, member, findings, rates, terms)? {
            let says = format!("if {} proves soft where a plank comes off it: nobody looked", name.to_lowercase());
            all.push(Allowance { trigger: Trigger::Gap { member, says }, hours, net });
        }
    }
    Ok(all)
}

/// Rot nobody found: what a part nobody looked at would ask for.
fn hypothetical(boat_id: i64, member_id: i64, place: Place, thickness: f64) -> Finding {
    Finding {
        id: 0,
        uid: String::new(),
        boat_id,
        member_id,
        place,
        kind: FindingKind::Rot,
        method: Method::OpenUp,
        shape: Vec::new(),
        depth: thickness,
        grade: Grade::Renew,
        certainty: Certainty::OpenedUp,
        cause: Cause::Unknown,
        cause_treated: None,
        note: String::new(),
        outcome: mend_keel_core::survey::compare::Outcome::Open,
        withdrawn: false,
        version: 1,
        by_name: String::new(),
        at: String::new(),
        says: String::new(),
        moisture: None,
        photo: None,
    }
}

/// Frames behind planks that come off by decision, which nobody looked at.
fn unseen_frames(survey: &SurveyFile) -> Vec<(i64, String)> {
    let file = &survey.file;
    let shell = &file.boat.shell;
    let looked: std::collections::HashSet<i64> = survey.looks().map(|((member, _), _)| member).collect();
    let mut frames: Vec<(i64, String)> = Vec::new();
    for decision in file.decisions.iter().filter(|d| d.kind.takes_out()) {
        let Some(plank) = file.planks.iter().find(|p| p.id == decision.member_id) else { continue };
        let (from, to) = plank.place().span(shell);
        let behind = file.members.iter().filter(|m| m.kind == MemberKind::Frame && m.side == Some(plank.side));
        for frame in behind.filter(|m| (1..=shell.frame_count()).contains(&m.number)) {
            let crosses = (from..=to).contains(&shell.frame_x(frame.number));
            if crosses && !looked.contains(&frame.id) && frames.iter().all(|(id, _)| *id != frame.id) {
                frames.push((frame.id, frame.name.clone()));
            }
        }
    }
    frames
}

/// The quote as her decisions stand today, with what each part costs. `bought`: what is bought in for a decision. Errors name what cannot
/// be reckoned.
pub fn draft(
    survey: &SurveyFile,
    terms: &Terms,
    wishes: &[Note],
    bought: impl Fn(i64) -> Money,
    note: &str,
) -> Result<Quote, InputError> {
    let file = &survey.file;
    let mut parts = Vec::new();
    for decision in file.decisions.iter().filter(|d| d.kind != OptionKind::Leave) {
        parts.push(quote::Part {
            decision: decision.id,
            member: decision.member_id,
            name: file.part_name(decision.member_id).unwrap_or_default(),
            way: decision.kind.label().to_owned(),
            reason: decision.reason.clone(),
            line: decided_line(survey, decision, bought(decision.id), terms)?,
            others: Vec::new(),
            waiting: None,
            wishes: wishes.iter().filter(|w| w.wishes_of(decision.member_id)).map(|w| w.words.clone()).collect(),
        });
    }
    let medians: Vec<f64> =
        file.tasks.iter().filter(|t| parts.iter().any(|p| t.decision_id == Some(p.decision))).map(|t| t.p50).collect();
    let lines: Vec<Line> = parts.iter().map(|p| p.line).collect();
    Ok(Quote {
        terms: terms.clone(),
        sum: quote::sum(&lines, whole_job(&medians), terms)?,
        allowances: Vec::new(),
        parts,
        note: note.to_owned(),
    })
}

/// A draft with what takes longer to reckon: other ways, what waiting costs, and allowances.
pub fn in_full(mut draft: Quote, survey: &SurveyFile, rates: &YardRates) -> Result<Quote, InputError> {
    let terms = draft.terms.clone();
    let in_three = forecast::in_years(survey, Plan::Nothing, Pace::Most, WAIT)?;
    let in_six = forecast::in_years(survey, Plan::Nothing, Pace::Most, AGAIN)?;
    for part in &mut draft.parts {
        let Some(decision) = survey.file.decisions.iter().find(|d| d.id == part.decision) else { continue };
        part.others = others(survey, &in_six, decision, rates, &terms)?;
        part.waiting = later(&in_three, part.member, WAIT, rates, &terms)?;
    }
    draft.allowances = allowances(survey, rates, &terms)?;
    Ok(draft)
}

/// How a decision stands with its owner: the last word on it, and spent against authorised.
#[derive(Debug, Clone)]
pub struct Account {
    pub decision: i64,
    pub word: Option<Said>,
    /// With tax, at four-in-five odds of the quote he saw.
    pub authorised: Money,
    pub spent: Money,
    pub standing: Standing,
}

/// What was spent on a decision so far, with tax: hours booked at their rates, and its materials by the share of its pieces that are cut.
fn spent(survey: &SurveyFile, decision: &Decision, terms: &Terms) -> Result<Money, InputError> {
    let file = &survey.file;
    let mut net = Money::ZERO;
    for task in file.tasks.iter().filter(|t| t.decision_id == Some(decision.id)) {
        net = net + terms.rate(task.operation.trade()).times(task.minutes / 60.0)?;
    }
    let pieces: Vec<_> = file.pieces.iter().filter(|p| p.decision_id == decision.id).collect();
    let cut = pieces.iter().filter(|p| p.state == PieceState::Cut).count();
    if cut > 0 {
        let all = decided_line(survey, decision, Money::ZERO, terms)?.materials;
        net = net + all.times(cut as f64 / pieces.len() as f64)?;
    }
    Ok(net + net.tax(terms.tax))
}

/// Spent against authorised, decision by decision.
pub fn accounts(
    survey: &SurveyFile,
    quotes: &[mend_keel_store::quotes::Given],
    words: &[Said],
    terms: &Terms,
) -> Result<Vec<Account>, InputError> {
    let mut all = Vec::new();
    for decision in &survey.file.decisions {
        let word = words.iter().rfind(|w| w.decision_id == decision.id).cloned();
        let authorised = word
            .as_ref()
            .filter(|w| w.word == Word::Authorised)
            .and_then(|w| {
                let quote = &quotes.iter().find(|q| q.id == w.quote_id)?.body;
                let net = quote.parts.iter().find(|p| p.decision == decision.id)?.line.net()[1];
                Some(net + net.tax(quote.terms.tax))
            })
            .unwrap_or_default();
        let spent = spent(survey, decision, terms)?;
        all.push(Account {
            decision: decision.id,
            word,
            authorised,
            spent,
            standing: quote::standing(spent, authorised),
        });
    }
    Ok(all)
}
