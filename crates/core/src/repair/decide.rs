//! Deciding: for a damaged member, the options side by side, ranked under the boat's school.
//!
//! The user decides; this only lays out what each way keeps, costs and breaks. [`plank`] knows planks in a hull with seams,
//! [`member`] everything else, [`limits`] what may not be ranked, [`region`] lays out the joints of several planks together, [`cost`]
//! what it takes, [`alone`] one member by itself.

pub mod alone;
pub mod cost;
pub mod limits;
pub mod member;
pub mod plank;
pub mod region;
#[cfg(test)]
mod table;

use crate::geometry::extent;
use crate::grid::member::MemberKind;
use crate::grid::plank::Hole;
use crate::practice::{Practice, School};
use crate::reason::{Reason, Verdict};
use crate::shape::bend;
use crate::survey::{Answer, Cause, FindingKind, Grade};
use crate::timber::board;
use crate::timber::moisture::GLUE_LIMIT;
use crate::work::estimate::{Hours, Operation, whole_job};
use crate::work::tasks::{self, Extent, Task};

use super::gluing::MemberJoints;
use super::graving::{Damage, Patch, Plank};
use super::way::{NEW_YEARS, OptionKind};
use cost::Material;
pub use limits::{Body, Facts, Found, Skin, TREAT_UP_TO};
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

    /// Length, width and thickness of the board it is cut from, mm, where nobody took its shape: the plies of a lamination are ripped beside
    /// each other out of one, and planed level once they are glued.
    pub fn blank(&self) -> [f64; 3] {
        let length = self.length() + 2.0 * board::END_ALLOWANCE;
        if self.plies > 1 {
            let lost = f64::from(self.plies) * bend::PLY_KERF;
            return [length, self.width + lost, self.thickness + bend::CLEAN_UP];
        }
        [length, self.width + 2.0 * board::EDGE_ALLOWANCE, self.thickness]
    }

    /// What its scarf is cut through, mm: a rib's moulding, or its siding where the longer scarf found no room; any other member's
    /// thickness. And how broad it is: the other of the two.
    pub fn cut_through(&self, kind: MemberKind) -> (f64, f64) {
        let rib = matches!(member::Class::of(kind), member::Class::Rib);
        let off = |depth: f64| (self.scarf - member::SPLICE_RATIO * depth).abs();
        let moulded = rib && off(self.width) <= off(self.thickness);
        if moulded { (self.width, self.thickness) } else { (self.thickness, self.width) }
    }

    /// What is glued of it in a member so long: an end inside the member is a new one.
    pub fn joints(&self, kind: MemberKind, member_length: f64) -> MemberJoints {
        let (through, breadth) = self.cut_through(kind);
        MemberJoints {
            through,
            breadth,
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
    /// How long it lasts, years (*yard rule*).
    pub years: f64,
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

    /// Whether it leaves what asks to be mended: it may wait a while, and is never the first choice.
    pub fn only_waits(&self) -> bool {
        let against = |r: &Reason| r.rule == "decide.leave" && r.verdict == Verdict::Against;
        self.kind == OptionKind::Leave && self.reasons.iter().any(against)
    }
}

/// An option before its hours and cost are known.
struct Draft {
    kind: OptionKind,
    kept: f64,
    strength: f64,
    extent: Extent,
    wood: Wood,
    years: f64,
    reasons: Vec<Reason>,
}

impl Draft {
    /// What is said of it in its years.
    fn lasts(&self) -> Reason {
        let text = if self.kind == OptionKind::Leave { "until it must be looked at anew" } else { "how long it lasts" };
        Reason::note("decide.years", text).value("years", self.years, "")
    }

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
        let lasts = self.lasts();
        let mut reasons = self.reasons;
        reasons.push(lasts);
        reasons.extend(cause_reasons(causes));
        RepairOption {
            kind: self.kind,
            kept: self.kept.clamp(0.0, 1.0),
            strength: self.strength.clamp(0.0, 1.0),
            hours: whole_job(&medians),
            tasks,
            wood: self.wood,
            years: self.years,
            // The sum of nothing is −0, which is no price.
            cost: materials.iter().map(Material::cost).sum::<f64>() + 0.0,
            materials,
            score: 0.0,
            reasons,
        }
    }
}

/// Scores the options against each other and sorts them, best first and what is refused last.
///
/// Score = 100 × (w_kept·kept + w_strength·strength + w_years·years/40 + w_hours·(1 − hours/most) + w_cost·(1 − cost/most)), less the
/// school's points for each rule that speaks against; an option that a rule forbids scores 0. At Mend leaving it never comes first;
/// where the whole skin asks for a new one, nothing comes before it.
pub fn rank(options: &mut [RepairOption], practice: &Practice, school: School) {
    let rules = practice.school(school);
    let weights = rules.weights.shares();
    let most = |of: fn(&RepairOption) -> f64| options.iter().filter(|o| !o.forbidden()).map(of).fold(1e-9, f64::max);
    let (hours, cost) = (most(|o| o.hours.p50), most(|o| o.cost));
    for option in options.iter_mut() {
        let against = option.reasons.iter().filter(|r| r.verdict == Verdict::Against).count() as f64;
        let merit = weights.kept * option.kept
            + weights.strength * option.strength
            + weights.years * (option.years / NEW_YEARS).min(1.0)
            + weights.hours * (1.0 - option.hours.p50 / hours)
            + weights.cost * (1.0 - option.cost / cost);
        option.score = if option.forbidden() { 0.0 } else { (100.0 * merit - rules.against * against).max(1.0) };
    }
    let best = options.iter().filter(|o| !o.only_waits()).map(|o| o.score).fold(0.0, f64::max);
    if best > 0.0 {
        options.iter_mut().filter(|o| o.only_waits()).for_each(|o| o.score = o.score.min(best * BEHIND));
    }
    let asked = |o: &RepairOption| !o.forbidden() && o.reasons.iter().any(|r| r.rule == "panel.skin");
    if let Some(skin) = options.iter().find(|o| asked(o)).map(|o| o.score) {
        options.iter_mut().filter(|o| !asked(o)).for_each(|o| o.score = o.score.min(skin * BEHIND));
    }
    // What is refused scores 0, what is not more than that.
    options.sort_by(|a, b| b.score.total_cmp(&a.score));
}

/// Moisture at which a member counts as dried, %: a little under what glue takes.
pub const DRIED: f64 = GLUE_LIMIT - 1.0;

/// What comes first once a wet member is dry, where being wet is what refuses it now: the first thing to do is to dry it. `wet` and `dry`
/// are its options as it is and as it will be, best first.
pub fn once_dry(wet: &[RepairOption], dry: &[RepairOption]) -> Option<OptionKind> {
    let best = dry.iter().find(|o| !o.forbidden())?.kind;
    wet.iter().any(|o| o.kind == best && o.forbidden()).then_some(best)
}

/// Whether options are worth laying out as they will be when it is dry.
pub fn is_wet(moisture: Option<f64>) -> bool {
    moisture.is_some_and(|m| m > GLUE_LIMIT)
}

/// What a rule puts behind another option scores no more than this share of it.
const BEHIND: f64 = 0.95;

/// The step that answers what was found without taking wood away: that of the worst of it. `None` where something asks for more, or
/// nothing for anything.
pub fn answered_in(found: impl IntoIterator<Item = (FindingKind, Grade)>) -> Option<&'static str> {
    let mut worst = None;
    for (kind, grade) in found.into_iter().filter(|(_, grade)| *grade > Grade::Sound) {
        let Answer::Step(step) = kind.answer() else { return None };
        // Of two as bad the later one, as everywhere.
        if worst.is_none_or(|(so_far, _)| grade >= so_far) {
            worst = Some((grade, step));
        }
    }
    worst.map(|(_, step)| step)
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

/// What a school says of giving only a part of a member new wood: who renews wants it full length, and where less than what a
/// school asks for is sound, too little is left to joint to. `board`: a plank or another board, in which any joint is one more;
/// `new_share`: how much of its length is new.
fn full_length(
    kind: OptionKind,
    board: bool,
    new_share: f64,
    sound: f64,
    school: School,
    practice: &Practice,
) -> Vec<Reason> {
    let joined = matches!(kind, OptionKind::ButtPiece | OptionKind::ScarfPiece | OptionKind::SpliceEnd);
    let rules = practice.school(school);
    let mut reasons = Vec::new();
    let full = rules.patch_share < 1.0;
    let long = new_share > rules.patch_share && (joined || kind == OptionKind::Sister);
    if full && (long || (board && joined)) {
        reasons.push(
            Reason::new(
                "school.full_length",
                Verdict::Against,
                "full-length new timber is stronger, and often quicker",
            )
            .school(school)
            .against("new wood of its length", new_share * 100.0, "%", rules.patch_share * 100.0),
        );
    }
    if rules.whole_below < 1.0 && sound < rules.whole_below && joined {
        reasons.push(
            Reason::new("school.too_little", Verdict::Against, "too little of it is sound to joint new wood to")
                .school(school)
                .against("sound", sound * 100.0, "%", rules.whole_below * 100.0),
        );
    }
    reasons
}

/// Patches nearer than this along the wood are laid out as one, mm (*yard rule*).
const MERGE_WITHIN: f64 = 150.0;
/// A joint nearer than this many thicknesses makes a patch a splice.
const JOINT_THICKNESSES: f64 = 3.0;

/// What a school says of so many patches on so much of a plank or another board, `share` of its face.
fn patched(share: f64, patches: usize, school: School, practice: &Practice) -> Vec<Reason> {
    let rules = practice.school(school);
    let mut reasons = Vec::new();
    if rules.patch_share < 1.0 || rules.patches < 99 {
        let too_much = share > rules.patch_share || patches as u32 > rules.patches;
        let (verdict, text) = if too_much {
            (Verdict::Against, "full-length new timber once patches take too much of the plank, or are too many")
        } else {
            (Verdict::For, "few patches, on little of the plank")
        };
        reasons.push(
            Reason::new("school.patches", verdict, text)
                .school(school)
                .against("patched", share * 100.0, "%", rules.patch_share * 100.0)
                .against("patches", patches as f64, "", f64::from(rules.patches)),
        );
    }
    if school == School::Conserve {
        reasons.push(
            Reason::new(
                "school.conserve.patch",
                Verdict::For,
                "save the old timber; patch with old timber of the same species and age",
            )
            .school(school),
        );
    }
    reasons
}

/// Damage in groups that lie close enough along the wood to share a patch.
fn groups(damage: Vec<Damage>) -> Vec<Vec<Damage>> {
    let mut sorted: Vec<(f64, f64, Damage)> = damage
        .into_iter()
        .map(|d| {
            let (x0, x1) = extent(&d.points, 0).unwrap_or_default();
            (x0, x1, d)
        })
        .collect();
    sorted.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut groups: Vec<(f64, Vec<Damage>)> = Vec::new();
    for (x0, x1, damage) in sorted {
        match groups.last_mut() {
            Some((end, group)) if x0 - *end <= MERGE_WITHIN => {
                *end = end.max(x1);
                group.push(damage);
            }
            _ => groups.push((x1, vec![damage])),
        }
    }
    groups.into_iter().map(|(_, group)| group).collect()
}

/// Old holes that somebody recorded, `[along, across, diameter]`: nothing in them holds.
fn old_holes(recorded: &[[f64; 3]]) -> Vec<Hole> {
    let hole = |(i, [x, y, diameter]): (usize, &[f64; 3])| Hole {
        id: format!("old hole {}", i + 1),
        x: *x,
        y: *y,
        diameter: *diameter,
        live: false,
    };
    recorded.iter().enumerate().map(hole).collect()
}

/// Share of the section that patches take where they take the most of it.
fn let_in(patches: &[Patch], plank: &Plank) -> f64 {
    let section = |p: &Patch| {
        let ((x0, x1), (y0, y1)) = extent(&p.outline, 0).zip(extent(&p.outline, 1)).unwrap_or_default();
        ((y1 - y0) / plank.width_at((x0 + x1) / 2.0)).min(1.0) * p.depth / plank.thickness
    };
    patches.iter().map(section).fold(0.0, f64::max)
}

/// What several patches say of themselves, each thing once.
fn said_once(patches: &[Patch]) -> Vec<Reason> {
    let mut reasons: Vec<Reason> = Vec::new();
    for reason in patches.iter().flat_map(|p| &p.reasons).filter(|r| r.rule != "graving.area") {
        if !reasons.iter().any(|r| r.rule == reason.rule && r.verdict == reason.verdict) {
            reasons.push(reason.clone());
        }
    }
    reasons
}

/// Leaving it, and looking again. The limits say what speaks against it.
fn leave(facts: &Facts) -> Draft {
    let years = match facts.worst {
        Grade::Sound => 20.0,
        Grade::Watch => 15.0,
        Grade::Mend => OptionKind::Leave.years(false),
        Grade::Renew => 1.0,
        Grade::Unsafe => 0.0,
    };
    Draft {
        kind: OptionKind::Leave,
        kept: 1.0,
        strength: facts.left(),
        extent: Extent { places: 1, ..Extent::default() },
        wood: Wood::None,
        years,
        reasons: Vec::new(),
    }
}

/// Treating it: dry, stop the cause, preserve and seal. `length` and `area` are those of the damage, mm and mm².
fn treat(facts: &Facts, length: f64, area: f64, places: u32) -> Draft {
    Draft {
        kind: OptionKind::Treat,
        kept: 1.0,
        strength: facts.left(),
        extent: Extent { length, area, places, ..Extent::default() },
        wood: Wood::None,
        years: OptionKind::Treat.years(false),
        reasons: Vec::new(),
    }
}

/// Layers that came apart, glued together again where they are. `length` and `area` are those of the damage, mm and mm².
fn inject(length: f64, area: f64, places: u32) -> Draft {
    Draft {
        kind: OptionKind::Inject,
        kept: 1.0,
        strength: 0.85,
        extent: Extent { length, cut: area / 100.0, area, places, ..Extent::default() },
        wood: Wood::None,
        years: OptionKind::Inject.years(false),
        reasons: Vec::new(),
    }
}

/// A member out of shape, freed and pressed back over `length`, mm.
fn flatten(extent: Extent, strength: f64) -> Draft {
    Draft {
        kind: OptionKind::FreeAndFlatten,
        kept: 1.0,
        strength,
        extent,
        wood: Wood::None,
        years: OptionKind::FreeAndFlatten.years(false),
        reasons: vec![Reason::note(
            "decide.pressed",
            "old fastenings are drawn or cut, not levered; the shape is blocked until it stays by itself",
        )],
    }
}

/// An open scarf, cleaned and closed again. `wet`: what its moisture says of gluing it.
fn refit(extent: Extent, strength: f64, wet: Option<Reason>) -> Draft {
    let how = Reason::new(
        "scarf.refit",
        Verdict::For,
        "clean both faces to bare wood, close it dry; where it closes all along, glue or bed it and fasten it again",
    );
    Draft {
        kind: OptionKind::RefitScarf,
        kept: 1.0,
        strength,
        extent,
        wood: Wood::None,
        years: OptionKind::RefitScarf.years(false),
        reasons: std::iter::once(how).chain(wet).collect(),
    }
}
