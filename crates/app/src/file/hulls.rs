//! A practice hull as her truth, and what was done on her as the core scores it.

use mend_keel_core::grid::Address;
use mend_keel_core::hidden::score::{Claim, Decided, Drawn, Looked, Treated, Work, is_bad};
use mend_keel_core::repair::way::OptionKind;
use mend_keel_core::survey::compare::Outcome;
use mend_keel_core::survey::reading::Measure;
use mend_keel_store::findings::Finding;
use mend_keel_store::hulls::{self, Hull};
use mend_keel_store::{Store, StoreError};

use super::boat::BoatFile;
use super::survey::SurveyFile;

/// Bays a finding lies in: those its shape reaches over, or the one it was marked at.
fn bays(file: &BoatFile, finding: &Finding, at: Address) -> Vec<Address> {
    let datum = file.boat.datum(at.frame);
    let shell = &file.boat.shell;
    let (from, to) = finding
        .shape
        .iter()
        .fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), p| (low.min(datum + p[0]), high.max(datum + p[0])));
    let last = shell.frame_count().saturating_sub(1);
    let mut all: Vec<Address> = (1..=last)
        .filter(|bay| from < shell.frame_x(bay + 1) && to > shell.frame_x(*bay))
        .map(|frame| Address { frame, ..at })
        .collect();
    if all.is_empty() {
        all.push(at);
    }
    all
}

/// Everything that was done on a hull.
pub async fn work(store: &Store, hull: &Hull) -> Result<Work, StoreError> {
    let survey = SurveyFile::load(store, hull.boat_id).await?;
    let file = &survey.file;
    let mut work = Work::default();
    let last = file.boat.shell.frame_count().saturating_sub(1);
    for finding in file.findings.iter().filter(|f| !f.withdrawn && f.outcome == Outcome::Open && f.kind.is_decay()) {
        let Some(at) = finding.place.shell() else { continue };
        let cells = bays(file, finding, at);
        work.claims.extend(cells.iter().map(|at| Claim { at: *at, grade: finding.grade }));
        if finding.cause_treated.is_some() {
            work.treated.push(Treated { at, cause: finding.cause });
        }
        if file.decision(finding.member_id).is_some_and(|d| d.kind.lets_in()) {
            let one = |at: &Address| Decided {
                side: at.side,
                strake: at.strake,
                bays: (at.frame, at.frame),
                takes_out: true,
            };
            work.decided.extend(cells.iter().map(one));
        }
    }
    for decision in file.decisions.iter().filter(|d| d.kind.takes_out()) {
        if let Some(plank) = file.planks.iter().find(|p| p.id == decision.member_id) {
            let whole = (plank.from_bay.unwrap_or(1), plank.to_bay.unwrap_or(last));
            // A new length reaches at least over what was found.
            let found =
                work.claims.iter().map(|c| c.at).filter(|at| at.side == plank.side && at.strake == plank.strake);
            let found = found.map(|at| at.frame).filter(|bay| (whole.0..=whole.1).contains(bay));
            let (from, to) = match decision.kind {
                OptionKind::ButtPiece | OptionKind::ScarfPiece => {
                    found.fold((whole.1, whole.0), |(low, high), bay| (low.min(bay), high.max(bay)))
                }
                _ => whole,
            };
            work.decided.push(Decided { side: plank.side, strake: plank.strake, bays: (from, to), takes_out: true });
        }
    }
    for look in hulls::looks(store, hull.boat_id).await? {
        if let Some(at) = look.place.shell() {
            work.looked.push(Looked { at, tool: look.tool });
        }
    }
    for reading in &survey.readings {
        if let (Measure::DrawFastening { original, remaining, wood, .. }, Some(at)) =
            (&reading.measure, reading.place.shell())
        {
            work.drawn.push(Drawn { at, bad: is_bad(*original, *remaining, *wood) });
        }
    }
    Ok(work)
}
