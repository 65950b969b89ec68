//! Deciding: for a damaged member, the options side by side, ranked under the boat's school.
//!
//! The user decides; this only lays out what each way keeps, costs and breaks. [`plank`] knows planks in a hull with seams,
//! [`member`] everything else, [`region`] lays out the joints of several planks together, [`cost`] what it takes.

pub mod cost;
pub mod member;
pub mod plank;
pub mod region;

use crate::practice::{Practice, School};
use crate::reason::{Reason, Verdict};
use crate::survey::{Cause, Grade};
use crate::timber::moisture::GLUE_LIMIT;
use crate::work::estimate::{Hours, Operation, whole_job};
use crate::work::tasks::{self, Extent, Task};

use super::gluing::MemberJoints;
use super::graving::Patch;
use super::way::OptionKind;
use cost::Material;
pub use plank::{Case, Stretch, options};

/// A piece of new wood that is no plank of the shell: x along the member, mm. Sizes are finished ones.
#[derive(Debug, Clone, PartialEq)]
pub struct Timber {
    pub from: f64,
    pub to: f64,
    pub width: f64,
    pub thickness: f64,
    /// Scarf taken up at each new end, mm; 0: none.
    pub scarf: f64,
    /// Sheet material.
    pub sheet: bool,
    /// Layers it is glued up of; 1: solid.
    pub plies: u32,
}

impl Timber {
    pub fn length(&self) -> f64 {
        self.to - self.from
    }

    /// What is glued of it in a member so long: an end inside the member is a new one.
    pub fn joints(&self, member_length: f64) -> MemberJoints {
        MemberJoints {
            length: self.length(),
            width: self.width,
            thickness: self.thickness,
            scarf: self.scarf,
            ends: u32::from(self.from > 1.0) + u32::from(self.to < member_length - 1.0),
            plies: self.plies,
            sheet: self.sheet,
        }
    }
}

/// What new wood an option needs.
#[derive(Debug, Clone, PartialEq)]
pub enum Wood {
    None,
    Patches(Vec<Patch>),
    Plank(Stretch),
    Timber(Timber),
}

/// One way, with what it keeps, costs and breaks.
#[derive(Debug, Clone, PartialEq)]
pub struct RepairOption {
    pub kind: OptionKind,
    /// Share of the member's original timber that stays, 0–1.
    pub kept: f64,
    /// Strength against a sound member, 0–1.
    pub strength: f64,
    pub hours: Hours,
    pub tasks: Vec<Task>,
    pub wood: Wood,
    pub materials: Vec<Material>,
    /// Share of what it keeps and of its strength that counts as lasting, 0–1: below 1 where damage is left alone.
    pub lasting: f64,
    /// Of the materials, in the yard's money.
    pub cost: f64,
    /// 0–100 under the boat's school; a forbidden option scores 0.
    pub score: f64,
    pub reasons: Vec<Reason>,
}

impl RepairOption {
    pub fn forbidden(&self) -> bool {
        self.reasons.iter().any(|r| r.verdict == Verdict::Forbids)
    }
}

/// An option before its hours and cost are known.
struct Draft {
    kind: OptionKind,
    kept: f64,
    strength: f64,
    extent: Extent,
    wood: Wood,
    /// Share of what it keeps and of its strength that counts as lasting: 1 unless the damage is left alone.
    lasting: f64,
    reasons: Vec<Reason>,
}

impl Draft {
    fn finish(
        self,
        (length, thickness): (f64, f64),
        practice: &Practice,
        causes: &[Cause],
        rate: impl Fn(Operation) -> f64,
    ) -> RepairOption {
        let tasks = tasks::unfold(self.kind, &self.extent, rate);
        let medians: Vec<f64> = tasks.iter().map(|t| t.hours.p50).collect();
        let materials = cost::materials(self.kind, &self.extent, &self.wood, (length, thickness), &practice.prices);
        let mut reasons = self.reasons;
        reasons.extend(cause_reasons(causes));
        RepairOption {
            kind: self.kind,
            kept: self.kept.clamp(0.0, 1.0),
            strength: self.strength.clamp(0.0, 1.0),
            hours: whole_job(&medians),
            tasks,
            wood: self.wood,
            lasting: self.lasting,
            // The sum of nothing is −0, which is no price.
            cost: materials.iter().map(Material::cost).sum::<f64>() + 0.0,
            materials,
            score: 0.0,
            reasons,
        }
    }
}

/// Scores the options against each other and sorts them, best first.
///
/// Score = 100 × (lasting·(w_kept·kept + w_strength·strength) + w_hours·(1 − hours/most) + w_cost·(1 − cost/most)), less the school's
/// points for each rule that speaks against; an option that a rule forbids scores 0.
pub fn rank(options: &mut [RepairOption], practice: &Practice, school: School) {
    let rules = practice.school(school);
    let weights = rules.weights.shares();
    let most = |of: fn(&RepairOption) -> f64| options.iter().map(of).fold(1e-9, f64::max);
    let (hours, cost) = (most(|o| o.hours.p50), most(|o| o.cost));
    for option in options.iter_mut() {
        let against = option.reasons.iter().filter(|r| r.verdict == Verdict::Against).count() as f64;
        let merit = option.lasting * (weights.kept * option.kept + weights.strength * option.strength)
            + weights.hours * (1.0 - option.hours.p50 / hours)
            + weights.cost * (1.0 - option.cost / cost);
        option.score = if option.forbidden() { 0.0 } else { (100.0 * merit - rules.against * against).max(1.0) };
    }
    options.sort_by(|a, b| b.score.total_cmp(&a.score));
}

fn cause_reasons(causes: &[Cause]) -> Vec<Reason> {
    let mut causes = causes.to_vec();
    causes.sort();
    causes.dedup();
    causes
        .into_iter()
        .map(|cause| Reason::note("cause.first", format!("{}: {}", cause.label(), cause.cure())))
        .collect()
}

/// Section lost up to which soft wood may be consolidated and left (*yard rule*).
pub const TREAT_UP_TO: f64 = 0.15;

/// Leaving it, and looking again. What was graded to be mended goes on getting worse: half of what is kept and of its strength
/// counts, and nothing of what was graded to be renewed (*yard rule*).
fn leave(worst: Grade, lost: f64, below_waterline: bool) -> Draft {
    let lasting = match worst {
        Grade::Sound | Grade::Watch => 1.0,
        Grade::Mend => 0.5,
        Grade::Renew | Grade::Unsafe => 0.0,
    };
    let verdict = match worst {
        Grade::Sound | Grade::Watch => Verdict::For,
        Grade::Mend | Grade::Renew => Verdict::Against,
        Grade::Unsafe => Verdict::Forbids,
    };
    let mut reasons = vec![
        Reason::new("decide.leave", verdict, format!("the worst grade found here is {}", worst.label()))
            .value("section lost at the worst place", lost * 100.0, "%")
            .value("of what is kept and of its strength counts", lasting * 100.0, "%"),
    ];
    if below_waterline && worst >= Grade::Mend {
        reasons.push(Reason::new(
            "decide.below_water",
            Verdict::Against,
            "it lies below the waterline, where nobody sees it get worse",
        ));
    }
    Draft {
        kind: OptionKind::Leave,
        kept: 1.0,
        strength: 1.0 - lost,
        extent: Extent { places: 1, ..Extent::default() },
        wood: Wood::None,
        lasting,
        reasons,
    }
}

/// Treating it: dry, stop the cause, consolidate. `open`: cracked or broken. `length` and `area` are those of the damage, mm
/// and mm².
fn treat(worst: Grade, lost: f64, open: bool, moisture: Option<f64>, length: f64, area: f64, places: u32) -> Draft {
    let verdict = |forbids: bool, against: bool| match (forbids, against) {
        (true, _) => Verdict::Forbids,
        (_, true) => Verdict::Against,
        _ => Verdict::For,
    };
    let much = lost > TREAT_UP_TO;
    let mut reasons = vec![
        Reason::new(
            "decide.treat",
            verdict(worst == Grade::Unsafe, much || worst == Grade::Renew),
            if much {
                "consolidant gives no strength back: too much of the section is gone to leave it so"
            } else {
                "dry it, stop the cause, consolidate and seal; little of the section is gone"
            },
        )
        .against("section lost", lost * 100.0, "%", TREAT_UP_TO * 100.0),
        Reason::note(
            "decide.borate",
            "a borate salt keeps decay from coming back, and is kept out of the water; glycol is poisonous and keeps glue and paint from sticking",
        )
        .source("handbook 09"),
    ];
    if open {
        reasons.push(Reason::new(
            "decide.treat_crack",
            Verdict::Forbids,
            "a crack or a break is not closed by treating it: let in a piece, splice it, or watch it",
        ));
    }
    if let Some(moisture) = moisture.filter(|m| *m > GLUE_LIMIT) {
        reasons.push(
            Reason::new("decide.dry_first", Verdict::Note, "too wet to consolidate now: dry it first")
                .against("moisture", moisture, "%", GLUE_LIMIT),
        );
    }
    Draft {
        kind: OptionKind::Treat,
        kept: 1.0,
        strength: 1.0 - lost,
        extent: Extent { length, area, places, ..Extent::default() },
        wood: Wood::None,
        lasting: 1.0,
        reasons,
    }
}
