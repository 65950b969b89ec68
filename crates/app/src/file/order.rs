//! How far decided work has come, what order holds over it, and which tasks are held back.

use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::reason::{Reason, Verdict};
use mend_keel_core::survey::Grade;
use mend_keel_core::work::estimate::Operation;
use mend_keel_core::work::holds::{self, Member, Stands};
use mend_keel_core::work::order::{self, Hull, May, Part, State};
use mend_keel_core::work::sequence::{self, Step};
use mend_keel_store::decisions::Decision;
use mend_keel_store::tasks::{self, Task};

use crate::file::boat::BoatFile;

/// What holds her shape beside her parts.
pub fn hull(file: &BoatFile) -> Hull {
    Hull { moulds: file.boat.moulds, deck: file.boat.deck_school }
}

/// How far a decision's work has come, from its tasks: shored, measured, and in or out of the boat.
fn progress(file: &BoatFile, decision: &Decision) -> (bool, bool, State) {
    let of = |op: Operation| file.tasks.iter().filter(move |t| t.decision_id == Some(decision.id) && t.operation == op);
    let done = |op: Operation| of(op).all(|t| t.done_at.is_some());
    let any_done = |op: Operation| of(op).any(|t| t.done_at.is_some());
    let closes = [Operation::Glue, Operation::Fasten, Operation::Fair];
    let closing = closes.into_iter().find(|op| of(*op).next().is_some());
    let state = match closing {
        Some(op) if any_done(op) && done(Operation::Glue) && done(Operation::Fasten) => State::In,
        _ if any_done(Operation::CutOut) => State::Out,
        _ => State::Planned,
    };
    (done(Operation::Shore), done(Operation::TakeShape), state)
}

/// Every part that work was decided on, as the core sees it.
pub fn parts(file: &BoatFile) -> Vec<Part> {
    let shell = &file.boat.shell;
    file.decisions
        .iter()
        .filter_map(|decision| {
            let (shored, measured, state) = progress(file, decision);
            let (kind, side, number, span) = match file.planks.iter().find(|p| p.id == decision.member_id) {
                Some(p) => (MemberKind::Plank, Some(p.side), p.strake, p.place().span(shell)),
                None => {
                    let m = file.members.iter().find(|m| m.id == decision.member_id)?;
                    let span = match m.kind {
                        MemberKind::Frame | MemberKind::Floor if m.number <= shell.frame_count() && m.number > 0 => {
                            let x = shell.frame_x(m.number);
                            (x, x)
                        }
                        MemberKind::Beam => {
                            let x = shell.length() * f64::from(m.number) / f64::from(m.of_count.max(1));
                            (x, x)
                        }
                        _ => (0.0, shell.length()),
                    };
                    (m.kind, m.side, m.number, span)
                }
            };
            Some(Part {
                id: decision.member_id,
                name: file.part_name(decision.member_id)?,
                kind,
                side,
                number,
                span,
                takes_out: decision.kind.takes_out(),
                shored,
                measured,
                state,
            })
        })
        .collect()
}

/// Everything of her that carries or is carried, with what of it is rotten and what is out. Ids of the parts, in their order.
pub fn standing(file: &BoatFile, parts: &[Part]) -> (Vec<i64>, Vec<Member>) {
    let rotten = |id: i64| file.found_on(id).any(|f| f.kind.is_decay() && f.grade >= Grade::Renew);
    let out = |id: i64| parts.iter().any(|p| p.id == id && p.takes_out && p.state == State::Out);
    let stands: Vec<Stands> = file
        .members
        .iter()
        .map(|m| Stands {
            name: m.name.clone(),
            kind: m.kind,
            side: m.side,
            number: m.number,
            rotten: rotten(m.id),
            out: out(m.id),
        })
        .collect();
    (file.members.iter().map(|m| m.id).collect(), holds::standing(&stands))
}

/// What rests on a part alone, where it is to come out.
pub fn rests_on(part: &Part, ids: &[i64], all: &[Member]) -> Vec<Reason> {
    let Some(next) = ids.iter().position(|id| *id == part.id) else { return Vec::new() };
    if !part.takes_out || part.state != State::Planned {
        return Vec::new();
    }
    let found = holds::check(all, next).map(|h| h.reasons).unwrap_or_default();
    // What is shored for it stands in; neighbours out together are told by the order itself.
    let told = |r: &Reason| r.rule == "order.rests" && r.verdict == Verdict::Forbids && !part.shored;
    found.into_iter().filter(told).map(|r| Reason { verdict: Verdict::Against, ..r }).collect()
}

/// The tasks of the same decision or whole job, in their order.
pub fn job<'f>(file: &'f BoatFile, task: &Task) -> Vec<&'f Task> {
    file.tasks.iter().filter(|t| t.decision_id == task.decision_id && t.job_id == task.job_id).collect()
}

/// A job's tasks as the rules of its order ask for them.
pub fn steps(job: &[&Task]) -> Vec<Step> {
    let now = jiff::Timestamp::now();
    job.iter()
        .map(|t| Step {
            operation: t.operation,
            what: t.what.clone(),
            done: t.done_at.as_deref().map(|at| tasks::minutes_between(at, now) / 60.0),
            wait_after: t.wait_after,
        })
        .collect()
}

/// Hands, gear and weather a task asks for, in words.
pub fn needs(task: &Task) -> String {
    let mut needs = vec![if task.is_heavy() { "two people".to_owned() } else { "one person".to_owned() }];
    needs.extend(task.operation.gear().map(|gear| format!("a {}", gear.label().to_lowercase())));
    needs.extend(task.operation.weather().map(str::to_owned));
    needs.join(", ")
}

/// What a boat's open tasks are held back by.
#[derive(Debug)]
pub struct HeldBack<'f> {
    file: &'f BoatFile,
    parts: Vec<Part>,
    order: order::Order,
    ids: Vec<i64>,
    standing: Vec<Member>,
}

impl<'f> HeldBack<'f> {
    pub fn of(file: &'f BoatFile) -> Self {
        let parts = parts(file);
        let order = order::check(&parts, hull(file));
        let (ids, standing) = standing(file, &parts);
        Self { file, parts, order, ids, standing }
    }

    /// Why a task may not be started or done yet; empty where it may.
    pub fn task(&self, task: &Task) -> Vec<Reason> {
        if task.done_at.is_some() {
            return Vec::new();
        }
        let job = job(self.file, task);
        let steps = steps(&job);
        let which = job.iter().position(|t| t.id == task.id).unwrap_or(job.len());
        let mut held = sequence::held(&steps, which);
        if let (Operation::CutOut, Some(_), Some(member)) = (task.operation, task.decision_id, task.member_id) {
            held.extend(self.opening(member));
        }
        held
    }

    /// What speaks against a part coming out now.
    fn opening(&self, member: i64) -> Vec<Reason> {
        let Some((part, status)) = self.parts.iter().zip(&self.order.parts).find(|(p, _)| p.id == member) else {
            return Vec::new();
        };
        let waits = status.reasons.iter().filter(|r| status.may == May::Wait && r.verdict == Verdict::Forbids).cloned();
        waits.chain(rests_on(part, &self.ids, &self.standing)).collect()
    }
}
