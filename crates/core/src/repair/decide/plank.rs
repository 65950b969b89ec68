//! The options for a damaged plank of a hull with seams.

use crate::choice::choices;
use crate::error::InputError;
use crate::fastening;
use crate::geometry::{Point, extent};
use crate::grid::member::MemberKind;
use crate::grid::plank::Hole;
use crate::grid::plank::PlankPlace;
use crate::grid::{Between, Joint, Shell};
use crate::practice::{Practice, School, SchoolRules};
use crate::reason::{Reason, Verdict};
use crate::repair::butts::{self, Conflict, Rule};
use crate::repair::graving::{self, Damage, Patch, Plank};
use crate::repair::scarf;
use crate::survey::{Answer, Cause, FindingKind, Grade};
use crate::work::estimate::Operation;
use crate::work::tasks::Extent;

use super::{
    Body, Draft, Facts, Found, JOINT_THICKNESSES, RepairOption, Wood, flatten, full_length, groups, inject, leave,
    let_in, limits, patched, rank, refit, said_once, treat,
};
use crate::repair::way::OptionKind;

/// Everything the options depend on. Shapes are in plank coordinates: x from the fore joint, y from the lower edge.
#[derive(Debug, Clone, PartialEq)]
pub struct Case<'b> {
    pub shell: &'b Shell,
    pub place: PlankPlace,
    pub thickness: f64,
    /// What takes wood away, as drawn.
    pub damage: Vec<Damage>,
    /// Everything found on it.
    pub found: Vec<Found>,
    pub holes: Vec<Hole>,
    /// Holes somebody recorded, `[along, across, diameter]`.
    pub recorded_holes: Vec<[f64; 3]>,
    /// Of the frames behind it, mm.
    pub frame_sided: f64,
    /// The joints at its fore and after ends are only assumed: nobody saw them.
    pub assumed_ends: [bool; 2],
    /// Causes nobody treated.
    pub causes: Vec<Cause>,
    /// Highest corrected moisture read on it, %.
    pub moisture: Option<f64>,
    pub below_waterline: bool,
    /// Heartwood of the species, 1 very durable … 5 perishable.
    pub durability: Option<u8>,
    /// What lies between it and its neighbours.
    pub between: Between,
    /// Every joint of the boat but this plank's own two.
    pub other_joints: Vec<Joint>,
    pub school: School,
    pub butt_rule: Rule,
    pub practice: Practice,
}

impl Case<'_> {
    /// Under the school that keeps the old wood a crack right through thin sound planking is let in at half depth.
    fn half_depth(&self) -> bool {
        let through = |d: &Damage| d.kind == graving::DamageKind::Crack && d.depth > self.thickness / 2.0 - 1.0;
        self.school == School::Conserve
            && self.thickness <= THIN_PLANKING
            && self.thickness / 2.0 >= graving::LEFT_BEHIND.1
            && !self.damage.is_empty()
            && self.damage.iter().all(|d| d.kind == graving::DamageKind::Crack)
            && self.damage.iter().any(through)
    }

    /// The damage as a graving piece has to take it in: as it was drawn, or half the plank deep where a crack is let in at half depth.
    pub fn let_in(&self) -> Vec<Damage> {
        let mut damage = self.damage.clone();
        if self.half_depth() {
            damage.iter_mut().for_each(|d| d.depth = d.depth.min(self.thickness / 2.0 - 1.0));
        }
        damage
    }
}

impl Case<'_> {
    /// What is asked of a graving piece for some damage on its face.
    pub fn graving(&self, damage: Vec<Damage>) -> graving::Request {
        graving::Request {
            plank: Plank::of(&self.place, self.shell, self.thickness),
            damage,
            holes: self.holes.clone(),
            frames: self.frames(),
            rules: self.practice.graving,
            face_depth: None,
        }
    }

    /// Middles of the frames behind it, mm from its fore joint.
    fn frames(&self) -> Vec<f64> {
        let (from, to) = self.place.span(self.shell);
        self.shell.frames.iter().filter(|x| **x >= from && **x <= to).map(|x| x - from).collect()
    }
}

/// A stretch of new plank. Lengths mm from the plank's fore joint.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stretch {
    pub from: f64,
    pub to: f64,
    pub width: f64,
    /// Whether each end is a new joint.
    pub new_fore: bool,
    pub new_aft: bool,
    /// Scarf length taken up at each new end; 0 for butts.
    pub scarf: f64,
    /// Bays of the new joints.
    pub fore_bay: Option<u32>,
    pub aft_bay: Option<u32>,
}

impl Stretch {
    /// A stretch whose ends are the plank's own.
    fn unjoined(from: f64, to: f64, width: f64) -> Self {
        Self { from, to, width, new_fore: false, new_aft: false, scarf: 0.0, fore_bay: None, aft_bay: None }
    }

    pub fn length(&self) -> f64 {
        self.to - self.from
    }
}

/// Shares of the section that a steep-ended let-in piece carries (that of a 5:1 scarf).
const PATCH_EFFICIENCY: f64 = 0.65;
/// Planking no thicker than this is thin, mm (*yard rule*).
const THIN_PLANKING: f64 = 25.0;

/// All options for a damaged plank, best first. `rate` gives the yard's hours per unit of an operation.
///
/// Errors come from the damage's shape (`damage[i]…`) or the plank's dimensions (`plank…`).
pub fn options(case: &Case<'_>, rate: impl Fn(Operation) -> f64) -> Result<Vec<RepairOption>, InputError> {
    let context = Context::new(case)?;
    let mut drafts = vec![leave(&context.facts), context.treat()];
    if !case.damage.is_empty() {
        drafts.push(context.graving()?);
    }
    let answers = |answer: Answer| case.found.iter().any(|f| f.grade > Grade::Sound && f.kind.answer() == answer);
    if answers(Answer::Layers) {
        drafts.push(context.inject());
    }
    if answers(Answer::Shape) {
        drafts.push(context.flatten());
    }
    if answers(Answer::Scarf) {
        drafts.push(context.refit());
        drafts.extend(context.scarf_piece().map(|draft| Draft { kind: OptionKind::NewScarf, ..draft }));
    } else {
        drafts.extend(context.scarf_piece());
    }
    drafts.extend(context.butt_piece());
    drafts.push(context.whole());
    for draft in &mut drafts {
        context.judge(draft);
    }
    let mut options: Vec<RepairOption> = drafts
        .into_iter()
        .map(|draft| draft.finish((context.plank.length, case.thickness), &case.practice, &case.causes, &rate))
        .collect();
    rank(&mut options, &case.practice, case.school);
    Ok(options)
}

choices! {
    /// How new lengths are joined to the old ones.
    Joined {
        Butts = "butts", "Butts on blocks";
        Scarfs = "scarfs", "Scarfs";
    }
}

/// First and last bay of a plank that must be new wood: a joint may lie at or forward of the first, at or aft of the last; the plank's
/// own ends where there is no bay between. A scarf needs its own length clear of the damage, so
/// that its bay lies as far off or farther. Errors as [`options`].
pub fn joined_bays(case: &Case<'_>, joined: Joined) -> Result<(u32, u32), InputError> {
    let context = Context::new(case)?;
    let (from, to) = context.cut_bays();
    if joined == Joined::Butts {
        return Ok((from, to));
    }
    let (first, last) = case.place.bays(case.shell);
    let length = context.scarf()?.length;
    let fits = |bay: &u32, way: f64| context.scarf_in(*bay, length, way).is_some();
    let fore = (first + 1..=from).rev().find(|bay| fits(bay, -1.0));
    let aft = (to..last).find(|bay| fits(bay, 1.0));
    Ok((fore.unwrap_or(first), aft.unwrap_or(last)))
}

/// The option whose joints lie where somebody put them (`None`: the plank's own end), with every rule that breaks; a whole plank
/// where both ends are its own. Errors name `fore` or `aft` when the damage is not taken in, or are those of [`options`].
pub fn with_joints(
    case: &Case<'_>,
    joined: Joined,
    fore: Option<u32>,
    aft: Option<u32>,
    rate: impl Fn(Operation) -> f64,
) -> Result<RepairOption, InputError> {
    let context = Context::new(case)?;
    let (first, last) = case.place.bays(case.shell);
    let (from, to) = context.cut_bays();
    let lies = "the joint would lie in the damage, or off the plank";
    if fore.is_some_and(|bay| bay <= first || bay > from) {
        return Err(InputError::new("fore", lies));
    }
    if aft.is_some_and(|bay| bay >= last || bay < to) {
        return Err(InputError::new("aft", lies));
    }
    let mut draft = match joined {
        _ if fore.is_none() && aft.is_none() => context.whole(),
        Joined::Butts => {
            let (stretch, reasons) = context.butted(fore, aft);
            context.butt_draft(stretch, reasons)
        }
        Joined::Scarfs => {
            let joint = context.scarf()?;
            let place = |bay: Option<u32>, way: f64, field: &'static str| match bay {
                None => Ok(None),
                Some(bay) => context.scarf_in(bay, joint.length, way).map(Some).ok_or_else(|| {
                    InputError::new(field, format!("no scarf finds its length in bay {bay} clear of the damage"))
                }),
            };
            let (fore_end, aft_end) = (place(fore, -1.0, "fore")?, place(aft, 1.0, "aft")?);
            let beside = [fore_end, aft_end].into_iter().flatten().any(|end| !end.1);
            let stretch = context.scarfed(fore_end.map(|e| e.0), aft_end.map(|e| e.0), (fore, aft), joint.length);
            let mut reasons = Vec::new();
            if beside {
                reasons.push(
                    Reason::new(
                        "scarf.strength",
                        Verdict::Against,
                        "a feather lies beside a frame's fastenings: it may split",
                    )
                    .value("clear of fastenings", scarf::FEATHER_CLEARANCE, "mm"),
                );
            }
            context.scarf_draft(stretch, &joint, reasons)
        }
    };
    context.judge(&mut draft);
    Ok(draft.finish((context.plank.length, case.thickness), &case.practice, &case.causes, rate))
}

struct Context<'c> {
    case: &'c Case<'c>,
    plank: Plank,
    frames: Vec<f64>,
    /// Damage along the plank, grown by what must be cut beyond it.
    cut: (f64, f64),
    facts: Facts,
    screw_shank: f64,
}

impl<'c> Context<'c> {
    fn new(case: &'c Case<'c>) -> Result<Self, InputError> {
        let plank = Plank::of(&case.place, case.shell, case.thickness);
        let points: Vec<Point> = case.damage.iter().flat_map(|d| d.points.iter().copied()).collect();
        let ends = case.found.iter().filter(|f| f.asks()).flat_map(|f| [f.from, f.to]);
        let xs: Vec<f64> = points.iter().map(|p| p[0]).chain(ends).collect();
        if xs.is_empty() {
            return Err(InputError::new("damage", "mark the damage on this plank first"));
        }
        let (x0, x1) = (xs.iter().copied().fold(f64::INFINITY, f64::min), xs.iter().copied().fold(0.0, f64::max));
        let body = Body {
            kind: MemberKind::Plank,
            length: plank.length,
            width: plank.width_at(((x0 + x1) / 2.0).clamp(0.0, plank.length)).max(1.0),
            thickness: case.thickness,
            below_waterline: case.below_waterline,
            moisture: case.moisture,
            cause_treated: limits::treated(&case.causes),
            durability: case.durability,
            holes: &case.recorded_holes,
        };
        let facts = Facts::of(&case.found, &body);
        let beyond = case.practice.graving.rot_along.max(2.0 * case.thickness);
        Ok(Self {
            cut: ((x0 - beyond).max(0.0), (x1 + beyond).min(plank.length)),
            facts,
            plank,
            frames: case.frames(),
            case,
            screw_shank: fastening::shank(14),
        })
    }

    fn area(&self) -> f64 {
        crate::geometry::signed_area(&self.plank.polygon())
    }

    fn rules(&self) -> &SchoolRules {
        self.case.practice.school(self.case.school)
    }

    /// What the limits say of an option.
    fn judge(&self, draft: &mut Draft) {
        let renewed = match &draft.wood {
            Wood::Plank(stretch) => Some((stretch.from, stretch.to)),
            Wood::Patches(_) | Wood::Timber(_) | Wood::None => None,
        };
        let new_share = renewed.map_or(0.0, |(from, to)| (to - from) / self.plank.length);
        let sound = 1.0 - (self.cut.1 - self.cut.0) / self.plank.length;
        let part = full_length(draft.kind, true, new_share, sound, self.case.school, &self.case.practice);
        draft.reasons.extend(part);
        limits::judge(draft, &self.facts, renewed);
    }

    fn size(&self, which: impl Fn(&Found) -> bool) -> (f64, f64, u32) {
        limits::size(&self.case.found, f64::INFINITY, which)
    }

    fn treat(&self) -> Draft {
        let (length, area, places) = self.size(|f| f.kind.is_decay());
        treat(&self.facts, length, area, places)
    }

    fn inject(&self) -> Draft {
        let (length, area, places) = self.size(|f| f.kind == FindingKind::Delamination);
        inject(length, area, places)
    }

    /// Freed over a frame space beyond what is out of shape each way.
    fn flatten(&self) -> Draft {
        let bent = self.case.found.iter().filter(|f| f.kind.answer() == Answer::Shape);
        let (from, to) = bent.fold((f64::INFINITY, 0.0f64), |(a, b), f| (a.min(f.from), b.max(f.to)));
        let space = self.case.shell.frame_space();
        let (from, to) = ((from - space).max(0.0), (to + space).min(self.plank.length));
        let stretch = Stretch::unjoined(from, to, self.width_between(from, to));
        flatten(self.stretch_extent(&stretch), self.facts.left().min(0.95))
    }

    /// The scarf opened, cleaned and closed again.
    fn refit(&self) -> Draft {
        let (length, area, places) = self.size(|f| f.kind == FindingKind::OpenScarf);
        let width = self.plank.width_at(self.cut.0);
        let extent = Extent {
            length,
            cut: f64::from(places.max(1)) * (scarf::PLANKING_RATIO * self.case.thickness + width),
            seam: 2.0 * length,
            fastenings: 2 * fastening::per_butt_side(width) * places.max(1),
            area,
            places,
            between: self.case.between,
            ..Extent::default()
        };
        refit(extent, scarf::efficiency(scarf::PLANKING_RATIO) * 0.9, self.dry())
    }

    /// Glued work waits for dry wood.
    fn dry(&self) -> Option<Reason> {
        limits::glues(self.case.moisture, "do not patch over wet wood: dry it first", "dry enough to patch")
    }

    fn graving(&self) -> Result<Draft, InputError> {
        let mut patches = Vec::new();
        let half = self.case.half_depth();
        for damage in groups(self.case.let_in()) {
            let mut patch = graving::plan(&self.case.graving(damage))?;
            // A frame behind it backs a crack let in at half depth, and so does the plank it laps.
            let framed = |x: (f64, f64)| self.frames.iter().any(|f| (x.0..=x.1).contains(f));
            let lapped = self.lapped(&patch).iter().any(|l| *l > 0.0);
            if half && !lapped && !extent(&patch.outline, 0).is_some_and(framed) {
                patch.backing = graving::backing(&self.plank, &patch.outline);
            }
            patches.push(patch);
        }
        let area: f64 = patches.iter().map(|p| p.area).sum();
        let share = area / self.area();
        let mut reasons = said_once(&patches);
        if half {
            reasons.push(
                Reason::new(
                    "graving.half_depth",
                    Verdict::For,
                    "a crack right through thin sound planking, let in at half depth: cleaned, run full of thin resin from \
                     behind, and backed across where it is not on a frame",
                )
                .school(School::Conserve)
                .against("thickness", self.case.thickness, "mm", THIN_PLANKING),
            );
        }
        let laps: Vec<f64> = patches.iter().flat_map(|p| self.lapped(p)).collect();
        let lapped: f64 = laps.iter().sum();
        if lapped > 0.0 {
            reasons.push(
                Reason::new(
                    "graving.in_lap",
                    Verdict::Against,
                    "it lies where the planks lap, as broad as is usual: the lap is opened over its length, both faces cleaned and bedded \
                     again, and its fastenings renewed through both planks",
                )
                .formula("2 × thickness, at least 15 mm")
                .value("lap", fastening::lap_breadth(self.case.thickness), "mm")
                .value("opened", lapped, "mm"),
            );
        }
        reasons.extend(self.graving_rules(&patches, share));
        let worst_section = let_in(&patches, &self.plank);
        let volume: f64 = patches.iter().map(|p| p.area * p.depth).sum();
        let extent = Extent {
            length: patches.iter().map(|p| p.blank.length).sum(),
            cut: patches.iter().map(Patch::perimeter).sum(),
            seam: lapped,
            fastenings: self.renewed_fastenings(&patches)
                + laps.iter().map(|l| fastening::in_lap(*l)).sum::<u32>()
                + patches.iter().filter_map(|p| p.backing.as_ref()).map(|b| b.fastenings).sum::<u32>(),
            backing: patches.iter().filter_map(|p| p.backing.as_ref()).map(graving::Backing::length).sum(),
            area,
            places: patches.len() as u32,
            between: self.case.between,
            ..Extent::default()
        };
        Ok(Draft {
            years: OptionKind::Graving.years(false),
            kind: OptionKind::Graving,
            kept: 1.0 - volume / (self.area() * self.case.thickness),
            strength: 1.0 - worst_section * (1.0 - PATCH_EFFICIENCY),
            extent,
            wood: Wood::Patches(patches),
            reasons,
        })
    }

    /// Length, mm, over which a patch lies in the laps below and above; nothing on a hull without laps.
    fn lapped(&self, patch: &Patch) -> [f64; 2] {
        match self.case.between {
            Between::Lap => graving::lapped(&self.plank, &patch.outline),
            Between::Seam | Between::GluedEdge | Between::Joint => [0.0; 2],
        }
    }

    fn renewed_fastenings(&self, patches: &[Patch]) -> u32 {
        let live = |id: &String| self.case.holes.iter().any(|h| h.live && h.id == *id);
        patches.iter().flat_map(|p| &p.swallowed).filter(|id| live(id)).count() as u32
    }

    fn graving_rules(&self, patches: &[Patch], share: f64) -> Vec<Reason> {
        let mut reasons = Vec::new();
        let near_joint = JOINT_THICKNESSES * self.case.thickness;
        for patch in patches {
            let (x0, x1) = extent(&patch.outline, 0).unwrap_or_default();
            let ends = [(self.case.place.from_bay, x0), (self.case.place.to_bay, self.plank.length - x1)];
            let joints = ends.into_iter().zip(self.case.assumed_ends).filter(|((joint, _), _)| joint.is_some());
            for ((_, distance), assumed) in joints {
                let (verdict, text) = if distance < near_joint && assumed {
                    (
                        Verdict::Note,
                        "a joint is assumed here that nobody saw: see it first; near a joint it is a splice",
                    )
                } else if distance < near_joint {
                    (Verdict::Forbids, "nearer than 3 thicknesses to a joint: a splice, not a patch")
                } else {
                    (Verdict::For, "at least 3 thicknesses clear of the joint")
                };
                reasons.push(Reason::new("graving.joint", verdict, text).against(
                    "distance to the joint",
                    distance,
                    "mm",
                    near_joint,
                ));
            }
        }
        reasons.extend(self.dry());
        reasons.extend(patched(share, patches.len(), self.case.school, &self.case.practice));
        let rules = self.rules();
        if rules.bays_from_butt > 0 {
            reasons.extend(self.patches_by_butts(patches, rules.bays_from_butt));
        }
        reasons
    }

    /// Patches within so many bays of one of the plank's own butts.
    fn patches_by_butts(&self, patches: &[Patch], bays: u32) -> Option<Reason> {
        let space = self.case.shell.frame_space();
        let near = patches
            .iter()
            .filter_map(|p| extent(&p.outline, 0))
            .flat_map(|(x0, x1)| {
                let [fore_assumed, aft_assumed] = self.case.assumed_ends;
                let fore = self.case.place.from_bay.filter(|_| !fore_assumed).map(|_| x0);
                let aft = self.case.place.to_bay.filter(|_| !aft_assumed).map(|_| self.plank.length - x1);
                [fore, aft]
            })
            .flatten()
            .fold(f64::INFINITY, f64::min);
        let found = near / space;
        (found < f64::from(bays)).then(|| {
            Reason::new("school.patch_by_butt", Verdict::Against, "a patch this near to a butt weakens both")
                .school(self.case.school)
                .against("from the butt", found, "frame spaces", f64::from(bays))
        })
    }

    /// Fastenings, seams and hours for a stretch of new plank.
    fn stretch_extent(&self, stretch: &Stretch) -> Extent {
        let crossings = self.frames.iter().filter(|x| **x >= stretch.from && **x <= stretch.to).count() as u32;
        let per_crossing = fastening::per_crossing(stretch.width);
        let butt_ends =
            u32::from(stretch.new_fore && stretch.scarf == 0.0) + u32::from(stretch.new_aft && stretch.scarf == 0.0);
        let joints = u32::from(stretch.new_fore) + u32::from(stretch.new_aft);
        Extent {
            length: stretch.length(),
            cut: f64::from(joints) * (stretch.width + stretch.scarf),
            seam: 2.0 * stretch.length(),
            fastenings: crossings * per_crossing
                + butt_ends * 2 * fastening::per_butt_side(stretch.width)
                + self.in_laps(stretch.length()),
            area: stretch.length() * stretch.width,
            places: 1,
            between: self.case.between,
            ..Extent::default()
        }
    }

    /// Fastenings of the laps between the frames, on a lapstrake hull.
    fn in_laps(&self, length: f64) -> u32 {
        match self.case.between {
            Between::Lap => fastening::in_laps(length, self.case.shell.frame_space(), self.case.frame_sided),
            _ => 0,
        }
    }

    fn width_between(&self, from: f64, to: f64) -> f64 {
        self.plank
            .upper
            .iter()
            .map(|p| p[0])
            .filter(|x| *x > from && *x < to)
            .chain([from, to])
            .map(|x| self.plank.width_at(x))
            .fold(0.0, f64::max)
    }

    fn plank_draft(&self, kind: OptionKind, stretch: Stretch, strength: f64, reasons: Vec<Reason>) -> Draft {
        let renewed = crate::geometry::signed_area(&self.face_between(stretch.from, stretch.to));
        Draft {
            years: kind.years(false),
            kind,
            kept: 1.0 - renewed / self.area(),
            strength,
            extent: self.stretch_extent(&stretch),
            wood: Wood::Plank(stretch),
            reasons,
        }
    }

    fn face_between(&self, from: f64, to: f64) -> Vec<Point> {
        use crate::geometry::{HalfPlane, clip};
        let aft_of = HalfPlane { nx: -1.0, ny: 0.0, d: -from };
        let forward_of = HalfPlane { nx: 1.0, ny: 0.0, d: to };
        clip(&clip(&self.plank.polygon(), &aft_of), &forward_of)
    }

    fn whole(&self) -> Draft {
        let length = self.plank.length;
        let stretch = Stretch::unjoined(0.0, length, self.width_between(0.0, length));
        let damaged = (self.cut.1 - self.cut.0) / self.plank.length;
        let sound = 1.0 - damaged;
        let mut reasons = vec![Reason::new("decide.whole", Verdict::For, "no new joint in the strake").value(
            "sound length of the plank",
            sound * 100.0,
            "%",
        )];
        let least = self.rules().whole_below;
        if least < 1.0 {
            let (verdict, text) = if sound < least {
                (Verdict::For, "little of it is sound: a whole plank is right")
            } else {
                (Verdict::Against, "too much of it is sound for a whole plank")
            };
            reasons.push(Reason::new("school.whole", verdict, text).school(self.case.school).against(
                "sound",
                sound * 100.0,
                "%",
                least * 100.0,
            ));
        }
        self.plank_draft(OptionKind::WholePlank, stretch, 1.0, reasons)
    }

    /// The new joints that a part plank may have, with the rules they break against the boat's other joints.
    fn joint_conflicts(&self, bay: u32, rule: &Rule) -> Vec<(Joint, Conflict)> {
        let here = Joint { side: self.case.place.side, strake: self.case.place.strake, bay };
        self.case
            .other_joints
            .iter()
            .filter_map(|other| butts::conflict(rule, here, *other).map(|conflict| (*other, conflict)))
            .collect()
    }

    /// Part plank between two butts (or a butt and an old joint): fewest broken rules, then least new wood.
    fn butt_piece(&self) -> Option<Draft> {
        let (first, last) = self.case.place.bays(self.case.shell);
        let (from, to) = self.cut_bays();
        let fores = (first + 1..last).filter(|bay| *bay <= from).map(Some).chain([None]);
        let mut best: Option<((usize, f64), Stretch, Vec<Reason>)> = None;
        for fore in fores {
            for aft in (first + 1..last).filter(|bay| *bay >= to).map(Some).chain([None]) {
                if fore.is_none() && aft.is_none() {
                    continue;
                }
                let (stretch, reasons) = self.butted(fore, aft);
                let merit = (reasons.len(), stretch.length());
                if best.as_ref().is_none_or(|(other, ..)| merit < *other) {
                    best = Some((merit, stretch, reasons));
                }
            }
        }
        let (_, stretch, reasons) = best?;
        Some(self.butt_draft(stretch, reasons))
    }

    /// The bays a joint may lie at: at or forward of the first, at or aft of the second.
    fn cut_bays(&self) -> (u32, u32) {
        let (first, last) = self.case.place.bays(self.case.shell);
        let middle = |bay: u32| self.case.shell.bay_middle(bay) - self.case.place.span(self.case.shell).0;
        let from = (first + 1..last).take_while(|bay| middle(*bay) <= self.cut.0).last().unwrap_or(first);
        let to = (first + 1..last).find(|bay| middle(*bay) >= self.cut.1).unwrap_or(last);
        (from, to)
    }

    /// New wood between two butts, and every rule it breaks.
    fn butted(&self, fore: Option<u32>, aft: Option<u32>) -> (Stretch, Vec<Reason>) {
        let shell = self.case.shell;
        let (from_x, _) = self.case.place.span(shell);
        let (first, last) = self.case.place.bays(shell);
        let rule = &self.case.butt_rule;
        let middle = |bay: u32| shell.bay_middle(bay) - from_x;
        let mut reasons = Vec::new();
        let ends = [first, fore.unwrap_or(first), aft.unwrap_or(last), last];
        for pair in ends.windows(2).filter(|pair| pair[0] != pair[1]) {
            let found = pair[1] - pair[0];
            if found < rule.min_piece {
                let text = format!("it leaves a piece of {found} frame spaces in the strake");
                reasons.push(Reason::new("butts.short_piece", Verdict::Against, text).against(
                    "piece",
                    f64::from(found),
                    "frame spaces",
                    f64::from(rule.min_piece),
                ));
            }
        }
        for bay in [fore, aft].into_iter().flatten() {
            let conflicts = self.joint_conflicts(bay, rule).into_iter();
            reasons.extend(conflicts.map(|(other, conflict)| conflict_reason(bay, other, conflict)));
        }
        let (from, to) = (fore.map_or(0.0, middle), aft.map_or(self.plank.length, middle));
        let stretch = Stretch {
            from,
            to,
            width: self.width_between(from, to),
            new_fore: fore.is_some(),
            new_aft: aft.is_some(),
            scarf: 0.0,
            fore_bay: fore,
            aft_bay: aft,
        };
        (stretch, reasons)
    }

    fn butt_draft(&self, stretch: Stretch, mut reasons: Vec<Reason>) -> Draft {
        if reasons.is_empty() {
            reasons.push(Reason::new(
                "butts.shift",
                Verdict::For,
                "the new butts keep the shift from every other joint",
            ));
        }
        if self.rules().butts_first {
            reasons
                .push(Reason::new("school.butts", Verdict::For, "butts rather than scarfs").school(self.case.school));
        }
        let holes = f64::from(fastening::per_butt_side(stretch.width)) * self.screw_shank;
        let strength = 1.0 - (holes / stretch.width).min(1.0);
        reasons.push(
            Reason::note("butts.strength", "net section at the butt's fastenings, block as thick as the plank")
                .formula("1 − fastenings × shank / width")
                .value("strength", strength * 100.0, "%"),
        );
        self.plank_draft(OptionKind::ButtPiece, stretch, strength, reasons)
    }

    /// Part plank between two scarfs, each feather kept off the frames' fastenings.
    fn scarf_piece(&self) -> Option<Draft> {
        let joint = self.scarf().ok()?;
        let fore = self.scarf_end(self.cut.0, -joint.length);
        let aft = self.scarf_end(self.cut.1, joint.length);
        if fore.is_none() && aft.is_none() {
            return None;
        }
        let (from_x, _) = self.case.place.span(self.case.shell);
        // The bay an x lies in: the last frame at or forward of it.
        let bay_at = |x: f64| self.case.shell.frames.iter().filter(|f| **f <= x + from_x).count() as u32;
        let bays = (fore.map(|x| bay_at(x + joint.length / 2.0)), aft.map(|x| bay_at(x - joint.length / 2.0)));
        Some(self.scarf_draft(self.scarfed(fore, aft, bays, joint.length), &joint, Vec::new()))
    }

    /// The scarf new lengths of this plank are joined by. Errors as [`scarf::plan`].
    fn scarf(&self) -> Result<scarf::Scarf, InputError> {
        scarf::plan(self.case.thickness, self.plank.width_at(self.cut.0), scarf::PLANKING_RATIO)
    }

    /// Whether a feather here is clear of the frames' fastenings.
    fn is_clear(&self, x: f64) -> bool {
        self.frames.iter().all(|f| (f - x).abs() >= scarf::FEATHER_CLEARANCE)
    }

    /// Where the outer end of a scarf lies whose middle is in a bay, `way` −1 at the fore end and 1 at the after one: as near to the damage
    /// as it may, and whether both its feathers are clear of the frames. `None` where its length is not clear of the damage, or runs off.
    fn scarf_in(&self, bay: u32, length: f64, way: f64) -> Option<(f64, bool)> {
        const STEP: f64 = 5.0;
        let (from_x, _) = self.case.place.span(self.case.shell);
        let frame = |n: u32| self.case.shell.frames.get(n.checked_sub(1)? as usize).map(|x| x - from_x);
        let (low, high) = (frame(bay)?, frame(bay + 1)?);
        let mut beside = None;
        for step in 0..=((high - low) / STEP) as u32 {
            let off = STEP * f64::from(step);
            let middle = if way < 0.0 { high - off } else { low + off };
            let (outer, inner) = (middle + way * length / 2.0, middle - way * length / 2.0);
            let past = if way < 0.0 { inner <= self.cut.0 } else { inner >= self.cut.1 };
            if !past || outer <= 0.0 || outer >= self.plank.length {
                continue;
            }
            if self.is_clear(outer) && self.is_clear(inner) {
                return Some((outer, true));
            }
            beside.get_or_insert((outer, false));
        }
        beside
    }

    /// New wood between two scarfs, whose outer ends and bays these are.
    fn scarfed(&self, fore: Option<f64>, aft: Option<f64>, bays: (Option<u32>, Option<u32>), length: f64) -> Stretch {
        let (from, to) = (fore.unwrap_or(0.0), aft.unwrap_or(self.plank.length));
        Stretch {
            from,
            to,
            width: self.width_between(from, to),
            new_fore: fore.is_some(),
            new_aft: aft.is_some(),
            scarf: length,
            fore_bay: bays.0,
            aft_bay: bays.1,
        }
    }

    fn scarf_draft(&self, stretch: Stretch, joint: &scarf::Scarf, mut reasons: Vec<Reason>) -> Draft {
        reasons.extend(self.dry());
        let scarf_rule = self.case.butt_rule.for_scarfs();
        for bay in [stretch.fore_bay, stretch.aft_bay].into_iter().flatten() {
            reasons.extend(
                self.joint_conflicts(bay, &scarf_rule)
                    .into_iter()
                    .map(|(other, conflict)| conflict_reason(bay, other, conflict)),
            );
        }
        if self.rules().butts_first {
            reasons.push(
                Reason::new("school.butts", Verdict::Against, "butts rather than scarfs").school(self.case.school),
            );
        }
        reasons.push(
            Reason::note(
                "scarf.strength",
                "scarfs 8 to 1, the outer feather pointing aft, feathers 40 mm clear of fastenings",
            )
            .formula("length = ratio × thickness")
            .source("Wood Handbook ch. 12")
            .value("scarf length", joint.length, "mm")
            .value("strength", joint.efficiency * 100.0, "%"),
        );
        self.plank_draft(OptionKind::ScarfPiece, stretch, joint.efficiency, reasons)
    }

    /// Outer end of a scarf that begins at `cut` and runs out by `run` (negative: forward), shifted outward
    /// until both feathers are clear of the frames; `None` when it would run off the plank.
    fn scarf_end(&self, cut: f64, run: f64) -> Option<f64> {
        const STEP: f64 = 5.0;
        let mut feather = cut;
        loop {
            let outer = feather + run;
            if outer <= 0.0 || outer >= self.plank.length {
                return None;
            }
            if self.is_clear(feather) && self.is_clear(outer) {
                return Some(outer);
            }
            feather += STEP * run.signum();
        }
    }
}

fn conflict_reason(bay: u32, other: Joint, conflict: Conflict) -> Reason {
    Reason::new("butts.shift", Verdict::Against, format!("a joint in bay {bay} and {other}: {}", conflict.text()))
        .against("found", f64::from(conflict.found), "", f64::from(conflict.needed))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::grid::{Construction, Side};
    use crate::hull::{self, Principal};
    use crate::repair::graving::DamageKind;

    fn shell() -> Shell {
        let boat = Principal {
            construction: Construction::CarvelCaulked,
            length: 8_600.0,
            beam: 2_700.0,
            depth: 1_500.0,
            frames: 34,
            strakes: 13,
            plank_thickness: 25.0,
        };
        hull::generate(&boat, 1929).unwrap().shell
    }

    fn found(kind: FindingKind, from: f64, to: f64) -> Found {
        let certainty = crate::survey::Certainty::Confirmed;
        Found { kind, grade: Grade::Mend, certainty, from, to, low: 55.0, high: 60.0, depth: 8.0 }
    }

    fn case(shell: &Shell, school: School) -> Case<'_> {
        Case {
            shell,
            place: PlankPlace { side: Side::Port, strake: 5, from_bay: None, to_bay: Some(20) },
            thickness: 25.0,
            damage: vec![Damage {
                kind: DamageKind::Crack,
                points: vec![[2_000.0, 55.0], [2_180.0, 60.0]],
                depth: 8.0,
            }],
            found: vec![found(FindingKind::Crack, 2_000.0, 2_180.0)],
            holes: vec![],
            recorded_holes: vec![],
            assumed_ends: [false; 2],
            frame_sided: 40.0,
            causes: vec![Cause::Grounding],
            moisture: Some(14.0),
            below_waterline: true,
            durability: Some(3),
            between: Between::Seam,
            other_joints: vec![],
            school,
            butt_rule: butts::WIDE,
            practice: Practice::default(),
        }
    }

    fn first(case: &Case<'_>) -> OptionKind {
        options(case, |op| op.rate().0).unwrap()[0].kind
    }

    #[test]
    fn the_schools_disagree_about_a_cracked_bilge_plank() {
        let shell = shell();
        assert_eq!(first(&case(&shell, School::Conserve)), OptionKind::Graving);
        let all = options(&case(&shell, School::Conserve), |op| op.rate().0).unwrap();
        assert_eq!(all.len(), 6);
        let whole = all.iter().find(|o| o.kind == OptionKind::WholePlank).unwrap();
        assert!(whole.reasons.iter().any(|r| r.school == Some(School::Conserve) && r.verdict == Verdict::Against));
        assert!(whole.kept < 1e-9 && all[0].kept > 0.95);
    }

    /// A crack along the rivets of a lap, right through 10 mm planking.
    fn split_in_the_lap(shell: &Shell) -> Case<'_> {
        let damage = Damage { kind: DamageKind::Crack, points: vec![[2_000.0, 14.0], [2_400.0, 17.0]], depth: 10.0 };
        Case { thickness: 10.0, between: Between::Lap, damage: vec![damage], ..case(shell, School::Conserve) }
    }

    fn graving_of(case: &Case<'_>) -> RepairOption {
        options(case, |op| op.rate().0).unwrap().into_iter().find(|o| o.kind == OptionKind::Graving).unwrap()
    }

    fn amounts(option: &RepairOption, operation: Operation) -> Vec<f64> {
        option.tasks.iter().filter(|t| t.operation == operation).map(|t| t.amount).collect()
    }

    #[test]
    fn a_patch_in_a_lap_opens_it_and_renews_its_fastenings() {
        let shell = shell();
        let split = split_in_the_lap(&shell);
        let lapped = graving_of(&split);
        let Wood::Patches(patches) = &lapped.wood else { panic!("a graving piece is a patch") };
        let (x0, x1) = extent(&patches[0].outline, 0).unwrap();
        assert!(lapped.reasons.iter().any(|r| r.rule == "graving.in_lap" && r.verdict == Verdict::Against));
        let metres = (x1 - x0) / 1000.0;
        // Opened in half the time it is bedded in.
        assert_eq!(amounts(&lapped, Operation::Lap), [metres * 0.5, metres]);
        assert!(amounts(&lapped, Operation::Fasten)[0] >= (metres * 1000.0 / 75.0).floor());
        // The plank it laps backs it.
        assert_eq!(patches[0].backing, None);
        // The same crack on a hull with seams, or in the middle of the plank, touches no lap.
        let seamed = graving_of(&Case { between: Between::Seam, ..split_in_the_lap(&shell) });
        let mut middle = split_in_the_lap(&shell);
        middle.damage[0].points = vec![[2_000.0, 60.0], [2_400.0, 62.0]];
        for other in [seamed, graving_of(&middle)] {
            assert!(amounts(&other, Operation::Lap).is_empty() && amounts(&other, Operation::Fasten).is_empty());
            assert!(other.reasons.iter().all(|r| r.rule != "graving.in_lap"));
        }
    }

    #[test]
    fn an_outline_moved_by_hand_stays_as_deep_as_it_was_laid_out() {
        let shell = shell();
        for thickness in [10.0, 12.0, 20.0] {
            let mut split = split_in_the_lap(&shell);
            split.thickness = thickness;
            split.damage[0].depth = thickness;
            let Wood::Patches(patches) = graving_of(&split).wood else { panic!("a graving piece is a patch") };
            let request = graving::Request {
                plank: Plank::of(&split.place, &shell, thickness),
                damage: split.let_in(),
                holes: vec![],
                frames: vec![],
                rules: split.practice.graving,
                face_depth: None,
            };
            let held = graving::check::outline(&request, &patches[0].outline).unwrap();
            assert_eq!((held.patch.depth, held.patch.through), (patches[0].depth, false), "{thickness} mm");
            assert_eq!(held.patch.depth, thickness / 2.0);
            // The other schools go right through, by hand too.
            split.school = School::Renew;
            assert_eq!(split.let_in(), split.damage);
        }
    }

    #[test]
    fn two_patches_in_a_plank_speak_against_patching_in_the_renew_school() {
        let shell = shell();
        let mut two = case(&shell, School::Renew);
        two.damage.push(Damage {
            kind: DamageKind::Gouge,
            points: vec![[3_500.0, 50.0], [3_560.0, 50.0], [3_530.0, 70.0]],
            depth: 5.0,
        });
        let all = options(&two, |op| op.rate().0).unwrap();
        let graving = all.iter().find(|o| o.kind == OptionKind::Graving).unwrap();
        assert!(graving.reasons.iter().any(|r| r.rule == "school.patches" && r.verdict == Verdict::Against));
    }

    #[test]
    fn wet_wood_is_never_patched() {
        let shell = shell();
        let wet = Case { moisture: Some(24.0), ..case(&shell, School::Conserve) };
        let all = options(&wet, |op| op.rate().0).unwrap();
        let graving = all.iter().find(|o| o.kind == OptionKind::Graving).unwrap();
        assert!(graving.forbidden() && graving.score == 0.0);
    }

    #[test]
    fn a_part_plank_shifts_its_butts_from_the_neighbours() {
        let shell = shell();
        let crowded = Case {
            other_joints: (5..12).map(|bay| Joint { side: Side::Port, strake: 4, bay }).collect(),
            ..case(&shell, School::Workboat)
        };
        let all = options(&crowded, |op| op.rate().0).unwrap();
        let butt = all.iter().find(|o| o.kind == OptionKind::ButtPiece).unwrap();
        let Wood::Plank(stretch) = &butt.wood else { panic!("a part plank is a stretch") };
        for bay in [stretch.fore_bay, stretch.aft_bay].into_iter().flatten() {
            assert!(!(3..=13).contains(&bay), "bay {bay} is within three of a neighbour's joint");
        }
    }

    #[test]
    fn butts_put_by_hand_are_told_what_they_break() {
        let shell = shell();
        let mut by_hand = case(&shell, School::Workboat);
        let (from, to) = joined_bays(&by_hand, Joined::Butts).unwrap();
        assert!(from < to && shell.bay_middle(from) <= 2_000.0 && shell.bay_middle(to) >= 2_180.0);
        by_hand.other_joints = vec![Joint { side: Side::Port, strake: 4, bay: from }];
        let rate = |op: Operation| op.rate().0;
        let near = with_joints(&by_hand, Joined::Butts, Some(from), Some(to), rate).unwrap();
        assert!(near.reasons.iter().any(|r| r.rule == "butts.shift" && r.verdict == Verdict::Against));
        let whole = with_joints(&by_hand, Joined::Butts, None, None, rate).unwrap();
        assert_eq!((whole.kind, whole.kept), (OptionKind::WholePlank, 0.0));
        assert_eq!(with_joints(&by_hand, Joined::Butts, Some(from + 1), Some(to), rate).unwrap_err().field, "fore");
        assert_eq!(with_joints(&by_hand, Joined::Butts, None, Some(from), rate).unwrap_err().field, "aft");
    }

    #[test]
    fn scarfs_put_by_hand_lie_clear_of_the_damage_and_shift_by_half() {
        let shell = shell();
        let mut by_hand = case(&shell, School::Conserve);
        let rate = |op: Operation| op.rate().0;
        let (butt_from, butt_to) = joined_bays(&by_hand, Joined::Butts).unwrap();
        let (from, to) = joined_bays(&by_hand, Joined::Scarfs).unwrap();
        assert!(from <= butt_from && to >= butt_to);
        for (fore, aft) in [(from, to), (from - 1, to + 1), (from - 2, to)] {
            let made = with_joints(&by_hand, Joined::Scarfs, Some(fore), Some(aft), rate).unwrap();
            let Wood::Plank(s) = made.wood else { panic!("a part plank is a stretch") };
            assert_eq!((made.kind, s.fore_bay, s.aft_bay), (OptionKind::ScarfPiece, Some(fore), Some(aft)));
            // The middle of each scarf lies in its bay, its inner end clear of the soft wood from 2,000 to 2,180.
            let middles = [(s.from + s.scarf / 2.0, fore), (s.to - s.scarf / 2.0, aft)];
            for (x, bay) in middles {
                assert!(x >= shell.frame_x(bay) && x <= shell.frame_x(bay + 1), "{x} is not in bay {bay}");
            }
            assert!(s.from + s.scarf <= 2_000.0 && s.to - s.scarf >= 2_180.0, "{s:?}");
            let beside = |x: f64| shell.frames.iter().any(|f| (f - x).abs() < 40.0 - 1e-9);
            let split = [s.from, s.from + s.scarf, s.to, s.to - s.scarf].into_iter().any(beside);
            assert_eq!(split, made.reasons.iter().any(|r| r.text.contains("may split")));
        }
        // Two spaces off a neighbour's joint is too near for a butt, not for a scarf.
        by_hand.other_joints = vec![Joint { side: Side::Port, strake: 4, bay: from - 2 }];
        let clash = |joined| {
            let made = with_joints(&by_hand, joined, Some(from), Some(to), rate).unwrap();
            made.reasons.iter().any(|r| r.rule == "butts.shift" && r.verdict == Verdict::Against)
        };
        assert_eq!((clash(Joined::Butts), clash(Joined::Scarfs)), (true, false));
        let inside = with_joints(&by_hand, Joined::Scarfs, Some(butt_to + 1), None, rate).unwrap_err();
        assert_eq!(inside.field, "fore");
    }

    #[test]
    fn scarf_feathers_stay_off_the_frames() {
        let shell = shell();
        let all = options(&case(&shell, School::Conserve), |op| op.rate().0).unwrap();
        let Wood::Plank(stretch) = all.iter().find(|o| o.kind == OptionKind::ScarfPiece).unwrap().wood.clone() else {
            panic!("a part plank is a stretch")
        };
        for feather in [stretch.from, stretch.from + stretch.scarf, stretch.to, stretch.to - stretch.scarf] {
            assert!(shell.frames.iter().all(|f| (f - feather).abs() >= 40.0 - 1e-9));
        }
    }
}
