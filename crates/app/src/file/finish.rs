//! Coats: which may go on, and how a recipe becomes them.

use jiff::{SignedDuration, Timestamp};
use mend_keel_core::finish;
use mend_keel_store::plans::{Coat, NewCoat};

/// `done`, `now`, `wait`, or `sand` when the coat below has waited too long.
pub fn state(coat: &Coat, now: Timestamp) -> &'static str {
    let at = |text: &str| text.parse::<Timestamp>().ok();
    if coat.done_at.is_some() {
        "done"
    } else if at(&coat.earliest_at).is_some_and(|earliest| now < earliest) {
        "wait"
    } else if coat.latest_at.as_deref().and_then(at).is_some_and(|latest| now > latest) {
        "sand"
    } else {
        "now"
    }
}

/// The coats of a plan with their times from the first one's.
pub fn coats_from(plan: &finish::Plan, start: Timestamp) -> Vec<NewCoat> {
    let after = |hours: f64| start + SignedDuration::from_secs_f64(hours * 3600.0);
    let coat = |c: &finish::Coat| NewCoat {
        name: c.step.step.clone(),
        litres: c.litres,
        earliest: after(c.earliest),
        latest: c.latest.map(after),
    };
    plan.coats.iter().map(coat).collect()
}
