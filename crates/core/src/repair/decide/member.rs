//! The options for everything that is no plank in a hull with seams: frames and floors, backbone, deck, transom, inside
//! structure, spars, and plywood panels.

use crate::error::{self, InputError};
use crate::fastening;
use crate::geometry::extent;
use crate::grid::Construction;
use crate::grid::member::{MemberKind, Surface};
use crate::practice::{Practice, School, Use};
use crate::reason::{Reason, Verdict};
use crate::repair::graving::{self, Backing, Damage, Patch, Plank};
use crate::repair::scarf;
use crate::shape::bend;
use crate::survey::{Answer, Cause, FindingKind};
use crate::timber::moisture::GLUE_LIMIT;
use crate::timber::species::Species;
use crate::work::estimate::Operation;
use crate::work::tasks::Extent;

use super::{
    Body, Draft, Facts, Found, JOINT_THICKNESSES, RepairOption, Skin, Timber, Wood, flatten, full_length, groups,
    inject, leave, let_in, limits, old_holes, patched, rank, refit, said_once, treat,
};
use crate::repair::way::OptionKind;

/// How a member is mended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Class {
    /// Frames, floors, beams: bent or sawn ribs that stand across the boat.
    Rib,
    /// Keel, stem, shelves, spars: long solid timbers that can be scarfed at this ratio.
    Long(u32),
    /// Deck planks, covering boards, transom planks, ceiling.
    Board,
    /// Plywood.
    Panel,
    /// Layers of veneer glued over each other.
    Moulded,
    /// Knees, stopwaters, drains: mended as a whole or not at all.
    Whole,
}

impl Class {
    pub fn of(kind: MemberKind) -> Self {
        use MemberKind as K;
        match kind {
            K::Frame | K::Floor | K::Beam => Self::Rib,
            K::Stem | K::Keel | K::Keelson | K::Deadwood | K::Sternpost | K::HornTimber | K::Spar => Self::Long(12),
            K::Clamp | K::Shelf | K::Stringer | K::Carlin => Self::Long(10),
            K::Hatch | K::Coaming => Self::Board,
            K::Knee | K::Stopwater | K::Drain => Self::Whole,
            K::Plank | K::CoveringBoard | K::DeckPlank | K::KingPlank | K::TransomPlank | K::Ceiling => Self::Board,
            K::DeckPanel => Self::Panel,
        }
    }

    /// How a piece of the shell is mended that is no plank in a hull with seams; `None` where it is one.
    pub fn of_shell(construction: Construction) -> Option<Self> {
        match construction {
            Construction::PlywoodFramed | Construction::PlywoodTaped => Some(Self::Panel),
            Construction::ColdMoulded => Some(Self::Moulded),
            Construction::Strip => Some(Self::Board),
            Construction::CarvelCaulked | Construction::CarvelGlued | Construction::BattenSeam => None,
            Construction::DoublePlanked | Construction::Lapstrake => None,
        }
    }
}

/// Everything the options depend on. Lengths mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Case<'s> {
    pub kind: MemberKind,
    pub class: Class,
    pub length: f64,
    /// Its edges, where they are not even.
    pub face: Option<Plank>,
    /// Its face as one looks at it: moulded, for a frame.
    pub width: f64,
    /// Sided, for a frame.
    pub thickness: f64,
    /// `None`: not known.
    pub species: Option<&'s Species>,
    /// Everything found on it.
    pub found: Vec<Found>,
    /// What is cut out of it as it was drawn on its face, x from its start; empty: as far as `found` says.
    pub drawn: Vec<Damage>,
    /// Holes somebody recorded, `[along, across, diameter]`.
    pub recorded_holes: Vec<[f64; 3]>,
    /// Causes nobody treated.
    pub causes: Vec<Cause>,
    /// Highest corrected moisture read on it, %.
    pub moisture: Option<f64>,
    pub below_waterline: bool,
    pub curve: Curve,
    /// Of a plywood hull: its whole skin, her age in years and what she is used for.
    pub skin: Option<Skin>,
    pub age: Option<f64>,
    pub boat_use: Option<Use>,
    /// Mean width of the strakes that cross it; 0 where none do.
    pub strake_width: f64,
    /// A crook grown to its curve is at hand.
    pub crook: bool,
    pub school: School,
    pub practice: Practice,
}

/// The curve of a member.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Curve {
    /// Nobody took its shape.
    Unknown,
    /// Nearly straight.
    Straight,
    /// Inside radius of the curve it must be bent or sawn to, mm.
    Radius(f64),
}

impl Curve {
    /// The radius it is bent to, mm, where its shape is known; a straight one is bent to nothing.
    fn radius(self) -> Option<f64> {
        match self {
            Self::Unknown => None,
            Self::Straight => Some(STRAIGHT),
            Self::Radius(radius) => Some(radius),
        }
    }
}

/// Stands for the radius of what is straight, mm.
const STRAIGHT: f64 = 1e6;

/// Frame splices scarf at this ratio across the moulding, or across the siding.
pub const SPLICE_RATIO: f64 = 12.0;
/// A sister runs past the break by this many strakes each way.
pub const SISTER_STRAKES: f64 = 3.0;
/// … and by this many of its own depths where no strakes cross it (*yard rule*).
const SISTER_DEPTHS: f64 = 6.0;
/// Strength of a sister that cannot run past the damage on one side (*yard rule*): that end is not restored.
const SISTERED_SHORT: f64 = 0.75;
/// A splice longer than this share of the member is a new member.
const SPLICE_MOST: f64 = 0.8;
/// Section of a plank or a frame of ordinary size, mm²: what is heavier takes longer in proportion (*yard rule*) …
const ORDINARY_SECTION: f64 = 4_000.0;
/// … up to so many times.
const HEAVIEST: f64 = 8.0;
/// Fastenings of the two planks that end side by side on a stem or a sternpost, both sides of the boat …
const HOOD_ENDS: u32 = 6;
/// … and how much of the member such a pair takes, mm (*yard rule*).
const HOOD_WIDTH: f64 = 130.0;
/// How far apart the garboard is fastened along a keel, mm (*yard rule*).
const GARBOARD_SPACING: f64 = 110.0;
/// Strength of a rib with a full sister beside it (*yard rule*: the fastenings share the load).
const SISTERED: f64 = 0.95;
/// Strength of a bevelled patch in a panel, at 8:1.
const PANEL_RATIO: f64 = 8.0;
/// Let-in pieces carry this share of their section.
const LET_IN: f64 = 0.65;
/// A let-in piece takes no more than this of the section of a member that is held all along.
pub const LET_IN_MOST: f64 = 0.60;
/// A let-in piece takes no more than this of the section of what is bent under load: beams, spars (*yard rule*).
pub const LET_IN_BENT: f64 = 0.35;

/// Share of a member's section that may be let in.
fn let_in_most(kind: MemberKind) -> f64 {
    match kind {
        MemberKind::Beam | MemberKind::Carlin | MemberKind::Spar => LET_IN_BENT,
        _ => LET_IN_MOST,
    }
}
/// How deep damage of the face of heavy timber is let in, mm, where it goes no deeper (*yard rule*).
pub const FACE_DEPTH: f64 = 12.0;
/// A patch may take this share of a panel before it is re-skinned (*yard rule*).
const PANEL_PATCH_MOST: f64 = 0.40;
/// Grain that runs out more than this, °, breaks.
pub const RUN_OUT: f64 = 6.0;

/// All options for a damaged member, best first. `rate` gives the yard's hours per unit of an operation.
///
/// Errors name `length`, `width`, `thickness`, `radius` or `damage`. Source: handbook 04.
pub fn options(case: &Case<'_>, rate: impl Fn(Operation) -> f64) -> Result<Vec<RepairOption>, InputError> {
    error::length("length", case.length)?;
    error::length("width", case.width)?;
    error::length("thickness", case.thickness)?;
    if let Curve::Radius(radius) = case.curve {
        error::positive("radius", radius)?;
    }
    if !case.found.iter().any(Found::asks) {
        return Err(InputError::new("damage", "mark the damage on this part first"));
    }
    let context = Context::new(case);
    let mut drafts = context.drafts();
    for draft in &mut drafts {
        context.judge(draft);
    }
    let mut options: Vec<RepairOption> = drafts
        .into_iter()
        .map(|mut d| {
            d.extent.member = Some(case.kind);
            d.finish((case.length, case.thickness), &case.practice, &case.causes, &rate)
        })
        .collect();
    rank(&mut options, &case.practice, case.school);
    Ok(options)
}

impl Case<'_> {
    /// How deep damage of its face is let in, mm; `None`: as in a plank.
    fn face_depth(&self) -> Option<f64> {
        matches!(self.class, Class::Rib | Class::Long(_)).then(|| FACE_DEPTH.min(self.thickness / 2.0))
    }

    /// What is cut out, on its face.
    pub fn let_in(&self) -> Vec<Damage> {
        let (length, width, thickness) = (self.length, self.width, self.thickness);
        if self.drawn.is_empty() {
            let found = self.found.iter().filter(|f| f.asks());
            return found.filter_map(|f| f.cut_out(&[], length, width, thickness)).collect();
        }
        let mut drawn = self.drawn.clone();
        // Its size may have been measured after the damage was drawn.
        for point in drawn.iter_mut().flat_map(|d| &mut d.points) {
            *point = [point[0].clamp(0.0, length), point[1].clamp(0.0, width)];
        }
        drawn
    }

    /// What is asked of a graving piece for some damage on its face.
    pub fn graving(&self, damage: Vec<Damage>) -> graving::Request {
        graving::Request {
            plank: self.plank(),
            damage,
            holes: old_holes(&self.recorded_holes),
            frames: Vec::new(),
            rules: self.practice.graving,
            face_depth: self.face_depth(),
        }
    }

    fn plank(&self) -> Plank {
        self.face.clone().unwrap_or_else(|| Plank::parallel(self.length, self.width, self.thickness))
    }
}

struct Context<'c> {
    case: &'c Case<'c>,
    /// What asks for work here.
    damage: Vec<Found>,
    /// Damage along the member with what must be cut beyond it.
    cut: (f64, f64),
    facts: Facts,
}

impl<'c> Context<'c> {
    fn new(case: &'c Case<'c>) -> Self {
        let rules = &case.practice.graving;
        let damage: Vec<Found> = case.found.iter().filter(|f| f.asks()).copied().collect();
        let beyond = |f: &Found| {
            if f.kind.spreads() { rules.rot_along.max(2.0 * case.thickness) } else { rules.crack_tip }
        };
        let from = damage.iter().map(|f| f.from - beyond(f)).fold(f64::INFINITY, f64::min);
        let to = damage.iter().map(|f| f.to + beyond(f)).fold(f64::NEG_INFINITY, f64::max);
        let body = Body {
            kind: case.kind,
            length: case.length,
            width: case.width,
            thickness: case.thickness,
            below_waterline: case.below_waterline,
            moisture: case.moisture,
            cause_treated: limits::treated(&case.causes),
            durability: case.species.map(|s| s.decay),
            holes: &case.recorded_holes,
        };
        Self {
            case,
            cut: (from.clamp(0.0, case.length), to.clamp(0.0, case.length)),
            facts: Facts::of(&case.found, &body),
            damage,
        }
    }

    /// Everything that could be done, before the limits.
    fn drafts(&self) -> Vec<Draft> {
        let case = self.case;
        let answers = |answer: Answer| self.damage.iter().any(|f| f.kind.answer() == answer);
        // Nothing painted on makes a stopwater or a drain tight.
        let bored = matches!(case.kind, MemberKind::Stopwater | MemberKind::Drain);
        let mut drafts = vec![leave(&self.facts)];
        drafts.extend((!bored).then(|| self.treat()));
        if answers(Answer::Layers) {
            let (length, area, places) = self.size(|f| f.kind == FindingKind::Delamination);
            drafts.push(inject(length, area, places));
        }
        if answers(Answer::Shape) {
            let length = (self.cut_length() + 2.0 * self.case.width).min(case.length);
            drafts.push(flatten(self.extent(length, 0.0), self.facts.left().min(0.95)));
        }
        let open_scarf = answers(Answer::Scarf);
        if open_scarf {
            drafts.push(self.refit());
        }
        let let_in = !matches!(case.class, Class::Panel | Class::Moulded | Class::Whole);
        if let_in && (answers(Answer::Wood) || answers(Answer::Layers)) {
            drafts.extend(self.graving());
        }
        let joined = |ratio: f64| if open_scarf { self.new_scarf(ratio) } else { self.scarf(ratio) };
        match case.class {
            Class::Rib => {
                drafts.push(self.sister());
                drafts.extend(self.splice());
                drafts.extend(self.new_scarf(SPLICE_RATIO).filter(|_| open_scarf));
                drafts.extend(self.new_rib());
            }
            Class::Long(ratio) => {
                drafts.extend(joined(f64::from(ratio)));
                drafts.push(self.whole(OptionKind::Replace));
            }
            Class::Board => {
                drafts.extend(joined(scarf::PLANKING_RATIO));
                drafts.push(self.whole(OptionKind::WholePlank));
            }
            Class::Whole => drafts.push(self.renewed()),
            Class::Panel => drafts.extend([self.panel_patch(), self.reskin()]),
            Class::Moulded => drafts.extend([self.layer_patch(), self.reskin()]),
        }
        drafts
    }

    /// What the limits say of an option.
    fn judge(&self, draft: &mut Draft) {
        let renewed = match &draft.wood {
            Wood::Timber(t) if draft.kind.takes_out() => Some((t.from, t.to)),
            _ => None,
        };
        let new_share = match &draft.wood {
            Wood::Timber(t) => t.length() / self.case.length,
            _ => 0.0,
        };
        let sound = 1.0 - self.cut_length() / self.case.length;
        let board = self.case.class == Class::Board;
        let backbone = self.case.kind.surface() == Surface::Backbone;
        if !backbone {
            let part = full_length(draft.kind, board, new_share, sound, self.case.school, &self.case.practice);
            draft.reasons.extend(part);
        }
        limits::judge(draft, &self.facts, renewed);
    }

    fn size(&self, which: impl Fn(&Found) -> bool) -> (f64, f64, u32) {
        limits::size(&self.damage, self.case.width, which)
    }

    fn cut_length(&self) -> f64 {
        (self.cut.1 - self.cut.0).max(1.0)
    }

    fn treat(&self) -> Draft {
        let (length, area, places) = self.size(|f| f.kind.is_decay());
        treat(&self.facts, length, area, places)
    }

    /// A small part made new, with how it is put in.
    fn renewed(&self) -> Draft {
        let mut draft = self.whole(OptionKind::Replace);
        draft.reasons.extend(match self.case.kind {
            MemberKind::Stopwater => Some(Reason::note(
                "stopwater.renew",
                "never mended: bored out along the joint’s own line one size larger, a dry softwood dowel driven through and cut flush",
            )),
            MemberKind::Drain => Some(Reason::note(
                "drain.renew",
                "bored out to sound wood, the end grain sealed, a sleeve bedded, and tried with a bucket of water",
            )),
            _ => None,
        });
        draft
    }

    /// Heavier than a plank or a frame: measured, shaped and tried so many times as long (*yard rule*).
    fn heavy(&self) -> f64 {
        (self.case.width * self.case.thickness / ORDINARY_SECTION).clamp(1.0, HEAVIEST)
    }

    /// Glued work waits for dry wood.
    fn dry(&self) -> Option<Reason> {
        limits::glues(self.case.moisture, "too wet to glue: dry it first", "dry enough to glue")
    }

    fn crossings(&self, length: f64) -> u32 {
        if self.case.kind == MemberKind::Spar {
            // A spar is glued; nothing is fastened through it.
            0
        } else if self.case.strake_width > 0.0 {
            2 * (length / self.case.strake_width).ceil() as u32
        } else {
            (length / 300.0).ceil() as u32
        }
    }

    fn timber(&self, from: f64, to: f64, scarf: f64, plies: u32) -> Wood {
        let (width, thickness) = (self.case.width, self.case.thickness);
        Wood::Timber(Timber { from, to, width, thickness, scarf, sheet: self.case.class == Class::Panel, plies })
    }

    fn extent(&self, length: f64, cut: f64) -> Extent {
        Extent {
            length,
            cut,
            seam: 0.0,
            fastenings: self.crossings(length),
            area: 2.0 * length * (self.case.width + self.case.thickness),
            places: 1,
            heavy: if matches!(self.case.class, Class::Long(_)) { self.heavy() } else { 1.0 },
            ..Extent::default()
        }
    }

    /// Across the face, what is let in over a place, mm: rot is cut beyond its edge.
    fn let_in_width(&self, found: &Found) -> f64 {
        let rules = &self.case.practice.graving;
        let beside = if found.kind.spreads() { rules.rot_across } else { rules.gouge };
        (found.across(self.case.width) + 2.0 * beside).min(self.case.width)
    }

    /// A let-in piece over each damaged place; none where nothing that was found is cut out, or it lies beside the part as it was measured
    /// since.
    fn graving(&self) -> Option<Draft> {
        let case = self.case;
        let board = case.class == Class::Board;
        let damage = Some(case.let_in()).filter(|damage| !damage.is_empty())?;
        let laid_out = groups(damage).into_iter().map(|damage| graving::plan(&case.graving(damage)));
        let patches: Vec<Patch> = laid_out.collect::<Result<_, _>>().ok()?;
        let plank = case.plank();
        let section = let_in(&patches, &plank);
        let most = let_in_most(case.kind);
        let too_much = section > most || self.damage.iter().any(|f| f.kind == FindingKind::Broken);
        let (verdict, text) = if too_much {
            (Verdict::Forbids, "too much of the section would be let in: splice it")
        } else {
            (Verdict::For, "little of the section is let in")
        };
        let mut reasons =
            vec![Reason::new("graving.section", verdict, text).formula("width let in × depth / section").against(
                "section let in",
                section * 100.0,
                "%",
                most * 100.0,
            )];
        // How wide a patch may be is a rule of planks and other boards: of heavier timber its section says it.
        reasons.extend(said_once(&patches).into_iter().filter(|r| board || r.rule != "graving.width"));
        let area: f64 = patches.iter().map(|p| p.area).sum();
        if board {
            reasons.extend(self.near_ends(&patches));
            reasons.extend(patched(area / (case.length * case.width), patches.len(), case.school, &case.practice));
        }
        reasons.extend(self.dry());
        let volume: f64 = patches.iter().map(|p| p.area * p.depth).sum();
        let backing = || patches.iter().filter_map(|p| p.backing.as_ref());
        // A spar is glued; nothing is fastened through it.
        let each = if case.kind == MemberKind::Spar { 0 } else { 2 };
        Some(Draft {
            years: OptionKind::Graving.years(false),
            kind: OptionKind::Graving,
            kept: 1.0 - volume / (case.length * case.width * case.thickness),
            strength: 1.0 - section * (1.0 - LET_IN),
            extent: Extent {
                length: patches.iter().map(|p| p.blank.length).sum(),
                cut: patches.iter().map(Patch::perimeter).sum(),
                fastenings: each * patches.len() as u32 + backing().map(|b| b.fastenings).sum::<u32>(),
                backing: backing().map(Backing::length).sum(),
                area,
                places: patches.len() as u32,
                ..Extent::default()
            },
            wood: Wood::Patches(patches),
            reasons,
        })
    }

    /// Patches of a board too near one of its ends.
    fn near_ends(&self, patches: &[Patch]) -> Vec<Reason> {
        let near = JOINT_THICKNESSES * self.case.thickness;
        let distance = |p: &Patch| {
            let (x0, x1) = extent(&p.outline, 0).unwrap_or_default();
            x0.min(self.case.length - x1)
        };
        let least = patches.iter().map(distance).fold(f64::INFINITY, f64::min).max(0.0);
        let (verdict, text) = if least < near {
            (Verdict::Forbids, "nearer than 3 thicknesses to its end: a splice, not a patch")
        } else {
            (Verdict::For, "at least 3 thicknesses clear of its ends")
        };
        vec![Reason::new("graving.joint", verdict, text).against("distance to its end", least, "mm", near)]
    }

    /// The open scarf cleaned and closed again, glued where it is dry, bedded and bolted where it is not.
    fn refit(&self) -> Draft {
        let (length, area, places) = self.size(|f| f.kind == FindingKind::OpenScarf);
        let extent = Extent {
            length,
            cut: length + self.case.width,
            fastenings: self.crossings(length.max(300.0)),
            area,
            places,
            heavy: self.heavy(),
            ..Extent::default()
        };
        refit(extent, 0.85, self.bolted())
    }

    /// A new scarf in new wood where the old one is.
    fn new_scarf(&self, ratio: f64) -> Option<Draft> {
        let draft = self.scarf(ratio)?;
        Some(Draft { kind: OptionKind::NewScarf, years: OptionKind::NewScarf.years(false), ..draft })
    }

    /// Backbone timber is never dry: what cannot be glued is bedded, bolted and stopped with stopwaters.
    fn bolted(&self) -> Option<Reason> {
        if !matches!(self.case.class, Class::Long(_)) || self.case.kind == MemberKind::Spar {
            return self.dry();
        }
        self.case.moisture.filter(|m| *m > GLUE_LIMIT).map(|moisture| {
            Reason::note(
                "scarf.bedded",
                "too wet to glue: the scarf is bedded, bolted and stopped with a stopwater at its seam",
            )
            .against("moisture", moisture, "%", GLUE_LIMIT)
        })
    }

    /// The damaged length replaced, scarfed to what is sound.
    fn scarf(&self, ratio: f64) -> Option<Draft> {
        let joint = scarf::plan(self.case.thickness, self.case.width, ratio).ok()?;
        let (at_start, at_end) = (self.cut.0 - joint.length <= 0.0, self.cut.1 + joint.length >= self.case.length);
        if at_start && at_end {
            return None;
        }
        let from = if at_start { 0.0 } else { self.cut.0 - joint.length };
        let to = if at_end { self.case.length } else { self.cut.1 + joint.length };
        let mut reasons = vec![
            Reason::note("scarf.strength", format!("scarfed {ratio:.0} to 1 at each new end"))
                .formula("length = ratio × thickness")
                .source("Wood Handbook ch. 12")
                .value("scarf length", joint.length, "mm")
                .value("strength", joint.efficiency * 100.0, "%"),
        ];
        reasons.extend(self.bolted());
        if self.case.practice.school(self.case.school).butts_first && self.case.class == Class::Board {
            reasons.push(
                Reason::new("school.butts", Verdict::Against, "butts rather than scarfs").school(self.case.school),
            );
        }
        let joints = f64::from(u32::from(!at_start) + u32::from(!at_end));
        Some(Draft {
            years: OptionKind::ScarfPiece.years(false),
            kind: OptionKind::ScarfPiece,
            kept: 1.0 - (to - from) / self.case.length,
            strength: joint.efficiency,
            extent: self.extent(to - from, joints * (joint.length + self.case.width)),
            wood: self.timber(from, to, joint.length, 1),
            reasons,
        })
    }

    fn whole(&self, kind: OptionKind) -> Draft {
        let sound = 1.0 - self.cut_length() / self.case.length;
        let mut reasons =
            vec![Reason::new("decide.whole", Verdict::For, "no new joint").value("sound length", sound * 100.0, "%")];
        reasons.extend(self.whole_rule(sound));
        let backbone = self.case.kind.surface() == Surface::Backbone;
        if backbone {
            reasons.push(
                Reason::new(
                    "decide.backbone",
                    Verdict::Against,
                    "everything that hangs on it must be freed and held first",
                )
                .source("handbook 08"),
            );
        }
        let mut extent = self.extent(self.case.length, 2.0 * self.case.width);
        // Every plank that lands on it is freed and fastened again, its seam raked and caulked, on both sides.
        let landing = match self.case.kind {
            MemberKind::Stem | MemberKind::Sternpost | MemberKind::HornTimber => {
                HOOD_ENDS * (self.case.length / HOOD_WIDTH).ceil() as u32
            }
            MemberKind::Keel | MemberKind::Deadwood => 2 * (self.case.length / GARBOARD_SPACING).ceil() as u32,
            _ => 0,
        };
        if landing > 0 {
            extent.seam = 2.0 * self.case.length;
            extent.fastenings += landing;
            extent.cut += 2.0 * self.case.length;
        }
        Draft {
            years: kind.years(false),
            kind,
            kept: 0.0,
            strength: 1.0,
            extent,
            wood: self.timber(0.0, self.case.length, 0.0, 1),
            reasons,
        }
    }

    /// The school's limit for taking out a whole member.
    fn whole_rule(&self, sound: f64) -> Option<Reason> {
        let least = self.case.practice.school(self.case.school).whole_below;
        (least < 1.0).then(|| {
            let (verdict, text) = if sound < least {
                (Verdict::For, "little of it is sound: a new one is right")
            } else {
                (Verdict::Against, "too much of it is sound to take it out")
            };
            Reason::new("school.whole", verdict, text).school(self.case.school).against(
                "sound",
                sound * 100.0,
                "%",
                least * 100.0,
            )
        })
    }

    /// A sister of the same section beside the rib: three strakes past the break each way, or six depths where no strakes cross it.
    fn sister(&self) -> Draft {
        let frame = self.case.strake_width > 0.0;
        let past = if frame { SISTER_STRAKES * self.case.strake_width } else { SISTER_DEPTHS * self.case.width };
        let (from, to) = ((self.cut.0 - past).max(0.0), (self.cut.1 + past).min(self.case.length));
        let short = self.cut.0 - past < 0.0 || self.cut.1 + past > self.case.length;
        let how = if frame {
            "a sister of the same section, at least three strakes past the break each way"
        } else {
            "a sister of the same section, at least six depths past the break each way"
        };
        let mut reasons = vec![Reason::note("frame.sister", how).value("past the break", past, "mm").value(
            "length",
            to - from,
            "mm",
        )];
        if short {
            reasons.push(Reason::new(
                "frame.sister_short",
                Verdict::Against,
                "the damage is too near its end: a sister cannot run past it on that side",
            ));
        }
        let rot = self.damage.iter().any(|f| f.kind.spreads());
        if rot {
            reasons.push(Reason::new(
                "frame.sister_rot",
                Verdict::Against,
                "a sister beside rot takes the rot too, and the old piece goes on rotting",
            ));
        }
        // What is soft beside it is lost all the same.
        let gone = if rot { self.cut_length() / self.case.length * self.facts.lost } else { 0.0 };
        Draft {
            years: OptionKind::Sister.years(rot),
            kind: OptionKind::Sister,
            kept: 1.0 - gone,
            strength: if short { SISTERED_SHORT } else { SISTERED },
            extent: self.extent(to - from, 0.0),
            wood: self.timber(from, to, 0.0, 1),
            reasons,
        }
    }

    /// The head, the heel or an end renewed, scarfed 12 to 1: across the moulding, or across the siding where the long one finds no
    /// room.
    fn splice(&self) -> Option<Draft> {
        let ways = [(self.case.width, "moulding"), (self.case.thickness, "siding")];
        ways.into_iter().find_map(|(depth, across)| self.spliced(SPLICE_RATIO * depth, across))
    }

    fn spliced(&self, length: f64, across: &str) -> Option<Draft> {
        let at_start = self.cut.0 < self.case.length - self.cut.1;
        let (from, to) = if at_start { (0.0, self.cut.1 + length) } else { (self.cut.0 - length, self.case.length) };
        if from < 0.0 || to > self.case.length || to - from > SPLICE_MOST * self.case.length {
            return None;
        }
        let end = match self.case.kind {
            MemberKind::Frame if at_start => "head",
            MemberKind::Frame => "heel",
            _ => "end",
        };
        let mut reasons = vec![
            Reason::note("frame.splice", format!("a new {end}, scarfed 12 to 1 across the {across}"))
                .formula("length = 12 × depth scarfed")
                .value("scarf", length, "mm")
                .value("strength", scarf::efficiency(SPLICE_RATIO) * 100.0, "%"),
        ];
        reasons.extend(self.dry());
        Some(Draft {
            years: OptionKind::SpliceEnd.years(false),
            kind: OptionKind::SpliceEnd,
            kept: 1.0 - (to - from - length / 2.0) / self.case.length,
            strength: scarf::efficiency(SPLICE_RATIO),
            extent: self.extent(to - from, length + self.case.thickness),
            wood: self.timber(from, to, length, 1),
            reasons,
        })
    }

    /// A new rib, laminated, sawn and steamed: which way by curve, timber and school. Floors and beams are not steamed.
    fn new_rib(&self) -> Vec<Draft> {
        let steams = self.case.kind == MemberKind::Frame;
        let rib = Rib { moulded: self.case.width, length: self.case.length, curve: self.case.curve, steams };
        let way = which_way(self.case.species, &rib, self.case.crook);
        let sound = 1.0 - self.cut_length() / self.case.length;
        way.into_iter()
            .filter(|w| steams || w.kind != OptionKind::Steam)
            .map(|w| {
                let mut reasons = w.reasons;
                reasons.extend(self.whole_rule(sound));
                Draft {
                    years: w.kind.years(false),
                    kind: w.kind,
                    kept: 0.0,
                    strength: 1.0,
                    extent: self.extent(
                        self.case.length,
                        if w.plies > 1 { f64::from(w.plies - 1) * self.case.length * 0.25 } else { 0.0 },
                    ),
                    wood: self.timber(0.0, self.case.length, 0.0, w.plies),
                    reasons,
                }
            })
            .collect()
    }

    /// Layers let in one by one, each stepped 8 to 1 beyond the one below.
    fn layer_patch(&self) -> Draft {
        let patch = self.panel_patch();
        let mut reasons: Vec<Reason> =
            patch.reasons.into_iter().filter(|r| r.rule != "scarf.strength" && r.rule != "panel.share").collect();
        reasons.insert(
            0,
            Reason::new(
                "panel.layers",
                Verdict::For,
                "cut out layer by layer, each stepped 8 to 1 of its veneer beyond the one below, and glued in the same way",
            )
            .source("handbook 04"),
        );
        Draft { kind: OptionKind::LayerPatch, years: OptionKind::LayerPatch.years(false), reasons, ..patch }
    }

    /// A patch let into the panel with bevels of 8 to 1 all round.
    fn panel_patch(&self) -> Draft {
        let bevel = PANEL_RATIO * self.case.thickness;
        let across = self.damage.iter().map(|f| self.let_in_width(f)).fold(0.0, f64::max);
        let (from, to) = ((self.cut.0 - bevel).max(0.0), (self.cut.1 + bevel).min(self.case.length));
        let width = (across + 2.0 * bevel).min(self.case.width);
        let share = (to - from) * width / (self.case.length * self.case.width);
        let (verdict, text) = if share > PANEL_PATCH_MOST {
            (Verdict::Against, "so much of the panel is patched that a new skin is as quick")
        } else {
            (Verdict::For, "a small part of the panel")
        };
        let mut reasons = vec![
            Reason::new("panel.share", verdict, text).against("patched", share * 100.0, "%", PANEL_PATCH_MOST * 100.0),
            Reason::note("scarf.strength", "bevelled 8 to 1 all round, backed while it cures")
                .formula("bevel = 8 × thickness")
                .source("Wood Handbook ch. 12")
                .value("bevel", bevel, "mm"),
        ];
        reasons.extend(self.dry());
        reasons.extend(limits::mismatched(self.case.skin.as_ref()));
        if self.whole_skin().is_some() {
            reasons.push(Reason::new(
                "panel.patch_after_patch",
                Verdict::Against,
                "one patch after another in a skin that is going: look at the whole of it first",
            ));
        }
        Draft {
            years: OptionKind::PanelPatch.years(false),
            kind: OptionKind::PanelPatch,
            kept: 1.0 - share,
            strength: scarf::efficiency(PANEL_RATIO),
            extent: Extent { fastenings: 0, ..self.extent(to - from, 2.0 * (to - from + width)) },
            wood: Wood::Timber(Timber {
                from,
                to,
                width,
                thickness: self.case.thickness,
                scarf: bevel,
                sheet: true,
                plies: 1,
            }),
            reasons,
        }
    }

    /// Why the whole skin comes before this panel.
    fn whole_skin(&self) -> Option<Reason> {
        if self.case.class != Class::Panel || self.case.kind != MemberKind::Plank {
            return None;
        }
        let soft = self.damage.iter().any(|f| f.kind.spreads());
        let old = |age: f64| soft.then_some(age);
        limits::skin(self.case.skin.as_ref(), self.case.age.and_then(old), self.case.boat_use)
    }

    fn reskin(&self) -> Draft {
        let sound = 1.0 - self.cut_length() / self.case.length;
        let mut reasons = vec![Reason::new(
            "panel.reskin",
            Verdict::For,
            "a sound panel edge to edge; its framing is seen and mended",
        )];
        match self.whole_skin() {
            Some(skin) => {
                reasons.push(skin);
                reasons.push(
                    Reason::note(
                        "panel.save",
                        "save the hardwood first: skeg, knees, rubbing strakes and fittings, listed before anything comes off",
                    )
                    .source("handbook 10"),
                );
            }
            None => reasons.extend(self.whole_rule(sound)),
        }
        reasons.extend(limits::mismatched(self.case.skin.as_ref()));
        Draft {
            years: OptionKind::Reskin.years(false),
            kind: OptionKind::Reskin,
            kept: 0.0,
            strength: 1.0,
            extent: Extent {
                fastenings: fastening::per_crossing(self.case.width) * (self.case.length / 150.0).ceil() as u32,
                ..self.extent(self.case.length, 2.0 * (self.case.length + self.case.width))
            },
            wood: self.timber(0.0, self.case.length, 0.0, 1),
            reasons,
        }
    }
}

/// A way to make a new rib, with what speaks for and against it.
#[derive(Debug, Clone, PartialEq)]
pub struct Way {
    pub kind: OptionKind,
    pub plies: u32,
    pub reasons: Vec<Reason>,
}

/// Nearly straight: sawn without thinking twice, ° of run-out.
const NEARLY_STRAIGHT: f64 = 2.0;

/// Run-out of straight grain in a piece sawn to a curve, °: half the angle the piece turns through, `L / 2R`.
pub fn run_out(length: f64, radius: f64) -> f64 {
    (length / (2.0 * radius)).to_degrees()
}

/// A rib that is to be made new. Lengths mm; `moulded` is the depth in the plane of the bend.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Rib {
    pub moulded: f64,
    pub length: f64,
    pub curve: Curve,
    /// Frames are steamed; floors and beams are not.
    pub steams: bool,
}

/// How a new rib may be made: laminated, sawn, steamed. R/t below the steaming limit with only straight stock → laminate;
/// nearly straight or a crook at hand → saw; moderate → steam. A curve nobody took says so and asks for the shape. Source:
/// handbook 04.
pub fn which_way(species: Option<&Species>, rib: &Rib, crook: bool) -> Vec<Way> {
    let Rib { moulded, length, curve, steams } = *rib;
    let known = curve.radius().zip(species).and_then(|(radius, species)| {
        let bend = bend::plan(&bend::Request::air_dried(species, moulded, radius));
        Some((radius, species, bend.ok()?))
    });
    let Some((radius, species, bend)) = known else { return unknown_curve(curve) };
    let out = run_out(length, radius);
    let steam_ok = bend.steam_ok && steams;
    let easy = out <= NEARLY_STRAIGHT || crook;
    let ply = bend::plies_for(species, moulded, radius);
    let verdict = |good: bool| if good { Verdict::For } else { Verdict::Against };
    let compared = |reason: Reason| reason.against("inside radius", radius, "mm", bend.steam_min_radius);
    let laminate = match (steam_ok, crook, easy) {
        (_, true, _) => "more work than a crook that is at hand",
        (_, _, true) => "more work than it needs: it is nearly straight",
        (true, false, false) => "more work than it needs: the curve can be steamed in one piece",
        (false, false, false) if !steams => "too much curve to saw from straight stock: thin plies on a former",
        (false, false, false) => "tighter than it can be steamed: thin plies on a former",
    };
    let saw = match (crook, out) {
        (true, _) => "a crook grown to the curve is at hand",
        (_, o) if o <= NEARLY_STRAIGHT => "nearly straight: it can be sawn from a plank",
        (_, o) if o <= RUN_OUT => "sawn from straight stock the grain runs out at its ends",
        _ => "straight grain would run out and break: futtocks, a crook, or laminate",
    };
    let (steam_verdict, steam) = match bend.steam_risk {
        bend::SteamRisk::Low if easy => (Verdict::Against, "no need to steam it: it can be sawn as it is"),
        bend::SteamRisk::Low => (Verdict::For, "a moderate curve: green or air-dried stock bends to it"),
        bend::SteamRisk::High => {
            (Verdict::Against, "near the limit of what bends: spares, thinner strips and tapered ends are needed")
        }
        bend::SteamRisk::Breaks => (Verdict::Forbids, "it breaks at this radius"),
    };
    vec![
        Way {
            kind: OptionKind::Laminate,
            plies: ply,
            reasons: vec![
                compared(Reason::new("frame.laminate", verdict(!steam_ok && !easy), laminate))
                    .formula("plies so thin that each bends cold within half its strength, three at least")
                    .value("plies", f64::from(ply), ""),
            ],
        },
        Way {
            kind: OptionKind::Saw,
            plies: 1,
            reasons: vec![
                Reason::new("frame.saw", if out > RUN_OUT && !crook { Verdict::Forbids } else { verdict(easy) }, saw)
                    .formula("run-out = L / 2R")
                    .against("run-out", out, "°", RUN_OUT),
            ],
        },
        Way {
            kind: OptionKind::Steam,
            plies: 1,
            reasons: vec![
                compared(Reason::new("frame.steam", steam_verdict, steam))
                    .formula("least radius = R/t of the species × moulded"),
            ],
        },
    ]
}

/// Plies taken for a rib whose curve nobody knows: three at least (handbook 04).
const LEAST_PLIES: u32 = 3;

/// The ways of making a rib whose curve or species is not known: none is advised before it is.
fn unknown_curve(curve: Curve) -> Vec<Way> {
    let text = match curve {
        Curve::Unknown => "its curve is not known: take its shape, then sawn, steamed or laminated can be chosen",
        Curve::Straight | Curve::Radius(_) => "its species is not known: whether it bends to this cannot be said",
    };
    [(OptionKind::Laminate, LEAST_PLIES), (OptionKind::Saw, 1), (OptionKind::Steam, 1)]
        .into_iter()
        .map(|(kind, plies)| Way { kind, plies, reasons: vec![Reason::note("frame.curve_unknown", text)] })
        .collect()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::repair::graving::DamageKind;
    use crate::survey::Grade;
    use crate::timber::species;

    fn found(kind: FindingKind, from: f64, to: f64, across: f64, depth: f64) -> Found {
        let certainty = crate::survey::Certainty::Confirmed;
        Found { kind, grade: Grade::Renew, certainty, from, to, low: 0.0, high: across, depth }
    }

    fn frame(damage: Found) -> Case<'static> {
        Case {
            kind: MemberKind::Frame,
            class: Class::Rib,
            length: 1_800.0,
            face: None,
            width: 46.0,
            thickness: 40.0,
            species: species::find("white_oak").ok(),
            found: vec![damage],
            drawn: vec![],
            recorded_holes: vec![],
            causes: vec![Cause::FreshWater],
            moisture: Some(14.0),
            below_waterline: false,
            curve: Curve::Radius(900.0),
            skin: None,
            age: None,
            boat_use: None,
            strake_width: 120.0,
            crook: false,
            school: School::Conserve,
            practice: Practice::default(),
        }
    }

    fn head_rot() -> Found {
        found(FindingKind::Rot, 0.0, 140.0, 46.0, 30.0)
    }

    fn broken(from: f64, to: f64) -> Found {
        found(FindingKind::Broken, from, to, 46.0, 40.0)
    }

    fn of(case: &Case<'_>, kind: OptionKind) -> Option<RepairOption> {
        options(case, |op| op.rate().0).unwrap().into_iter().find(|o| o.kind == kind)
    }

    /// What a whole new one frees and fastens again is what lands on it: hood ends on a stem, the garboards along a keel, nothing of the
    /// planking on a keelson.
    #[test]
    fn a_new_keel_takes_the_garboards_fastenings_and_a_keelson_none_of_the_plankings() {
        let long = |kind: MemberKind| {
            let rot = found(FindingKind::Rot, 0.0, 5_000.0, 150.0, 90.0);
            let case = Case {
                kind,
                class: Class::of(kind),
                length: 5_500.0,
                width: 200.0,
                thickness: 110.0,
                strake_width: 0.0,
                found: vec![rot],
                ..frame(head_rot())
            };
            let whole = of(&case, OptionKind::Replace).unwrap();
            let of_line = |what: &str| whole.materials.iter().find(|m| m.what == what).map_or(0.0, |m| m.amount);
            let bored: f64 = whole.tasks.iter().filter(|t| t.operation == Operation::Fasten).map(|t| t.amount).sum();
            (bored, of_line("seam, caulked and payed"))
        };
        // By hand: 5,500 / 300 is 19 of its own; 2 × 5,500 / 110 is 100; 6 × (5,500 / 130, rounded up to 43) is 258.
        assert_eq!(long(MemberKind::Keel), (119.0, 11.0));
        assert_eq!(long(MemberKind::Stem), (277.0, 11.0));
        assert_eq!(long(MemberKind::Keelson), (19.0, 0.0));
    }

    #[test]
    fn a_rotten_frame_head_is_spliced_twelve_to_one_in_the_conserving_school() {
        let case = frame(head_rot());
        let best = &options(&case, |op| op.rate().0).unwrap()[0];
        assert_eq!(best.kind, OptionKind::SpliceEnd);
        let Wood::Timber(piece) = &best.wood else { panic!("a splice is a piece of timber") };
        // Rot ends at 140, two thicknesses beyond it are cut, then 12 × 46 of scarf.
        assert_eq!((piece.from, piece.to, piece.scarf), (0.0, 140.0 + 80.0 + 552.0, 552.0));
        assert_eq!(best.strength, 0.90);
        assert!(best.cost > 0.0);
    }

    #[test]
    fn an_option_says_what_else_was_found_that_it_leaves_as_it_is() {
        let keel = Case {
            kind: MemberKind::Keel,
            class: Class::Long(12),
            length: 6_800.0,
            width: 200.0,
            thickness: 110.0,
            strake_width: 0.0,
            found: vec![
                Found { grade: Grade::Mend, ..found(FindingKind::OpenScarf, 3_000.0, 3_400.0, 30.0, 0.0) },
                Found { grade: Grade::Mend, ..found(FindingKind::Gouge, 800.0, 1_000.0, 60.0, 30.0) },
            ],
            ..frame(head_rot())
        };
        let left = |kind: OptionKind| -> Option<String> {
            let told = of(&keel, kind).unwrap().reasons.into_iter().find(|r| r.rule == "decide.leaves_open");
            told.map(|r| r.text)
        };
        assert!(left(OptionKind::Graving).unwrap().contains("scarf"));
        assert!(left(OptionKind::RefitScarf).unwrap().contains("gouge"));
        assert_eq!((left(OptionKind::Replace), left(OptionKind::Leave)), (None, None));
        // One thing found is answered by what is made for it.
        assert!(
            of(&frame(head_rot()), OptionKind::SpliceEnd)
                .unwrap()
                .reasons
                .iter()
                .all(|r| r.rule != "decide.leaves_open")
        );
    }

    #[test]
    fn a_rib_broken_in_the_middle_takes_a_sister_three_strakes_past() {
        let case = frame(broken(880.0, 900.0));
        let sister = of(&case, OptionKind::Sister).unwrap();
        let Wood::Timber(piece) = &sister.wood else { panic!("a sister is a piece of timber") };
        assert_eq!((piece.from, piece.to), (880.0 - 25.0 - 360.0, 900.0 + 25.0 + 360.0));
        assert!(!sister.reasons.iter().any(|r| r.verdict >= Verdict::Against) && sister.kept == 1.0);
        let near = of(&frame(broken(100.0, 120.0)), OptionKind::Sister).unwrap();
        assert!(near.reasons.iter().any(|r| r.rule == "frame.sister_short"));
        assert!(of(&case, OptionKind::Leave).unwrap().strength < 1e-9);
    }

    #[test]
    fn a_tight_curve_is_laminated_a_straight_one_sawn_a_moderate_one_steamed() {
        let oak = species::find("white_oak").unwrap();
        let best = |curve, crook| {
            let rib = Rib { moulded: 46.0, length: 1_200.0, curve, steams: true };
            let ways = which_way(Some(oak), &rib, crook);
            ways.into_iter().find(|w| w.reasons[0].verdict == Verdict::For).unwrap().kind
        };
        assert_eq!(best(Curve::Radius(46.0 * oak.bend_ratio * 0.5), false), OptionKind::Laminate);
        assert_eq!(best(Curve::Straight, false), OptionKind::Saw);
        assert_eq!(best(Curve::Radius(46.0 * oak.bend_ratio * 0.5), true), OptionKind::Saw);
        assert_eq!(best(Curve::Radius(46.0 * oak.bend_ratio * 1.5), false), OptionKind::Steam);
    }

    #[test]
    fn a_keel_keeps_most_of_itself_and_a_panel_is_patched_with_bevels() {
        let keel = Case {
            kind: MemberKind::Keel,
            class: Class::of(MemberKind::Keel),
            length: 6_900.0,
            width: 180.0,
            thickness: 100.0,
            found: vec![found(FindingKind::Rot, 2_000.0, 2_300.0, 60.0, 25.0)],
            curve: Curve::Unknown,
            strake_width: 0.0,
            ..frame(head_rot())
        };
        assert_eq!(options(&keel, |op| op.rate().0).unwrap()[0].kind, OptionKind::Graving);
        let scarfed = of(&keel, OptionKind::ScarfPiece).unwrap();
        assert_eq!(scarfed.strength, 0.90);
        let panel = Case {
            kind: MemberKind::DeckPanel,
            class: Class::Panel,
            width: 600.0,
            length: 2_400.0,
            thickness: 12.0,
            ..keel.clone()
        };
        let patch = of(&panel, OptionKind::PanelPatch).unwrap();
        let Wood::Timber(piece) = &patch.wood else { panic!("a panel patch is a piece") };
        assert!(piece.sheet && piece.scarf == 96.0);
        assert!(patch.materials.iter().any(|m| m.what == "plywood"));
        assert_eq!(options(&Case { found: vec![], ..panel }, |op| op.rate().0).unwrap_err().field, "damage");
    }

    /// Two places far apart on a covering board are two pieces, each so long as its own place asks; near its end it is spliced, and wider than
    /// 60 % too. By hand: rot 60 mm along takes 50 more each way, and both ends slope.
    #[test]
    fn a_board_is_patched_place_by_place_and_spliced_at_its_end() {
        let board = |places: &[(f64, f64, f64)]| Case {
            kind: MemberKind::CoveringBoard,
            class: Class::Board,
            length: 6_000.0,
            width: 150.0,
            thickness: 24.0,
            strake_width: 0.0,
            found: places
                .iter()
                .map(|(from, low, high)| Found {
                    grade: Grade::Mend,
                    low: *low,
                    high: *high,
                    ..found(FindingKind::Rot, *from, from + 60.0, 0.0, 6.0)
                })
                .collect(),
            ..frame(head_rot())
        };
        let refusals = |o: &RepairOption| -> Vec<&'static str> {
            o.reasons.iter().filter(|r| r.verdict == Verdict::Forbids).map(|r| r.rule).collect()
        };
        let two = of(&board(&[(800.0, 60.0, 80.0), (4_000.0, 60.0, 80.0)]), OptionKind::Graving).unwrap();
        let Wood::Patches(patches) = &two.wood else { panic!("a graving piece is a patch") };
        assert_eq!((patches.len(), refusals(&two)), (2, vec![]));
        for (patch, from) in patches.iter().zip([800.0, 4_000.0]) {
            let (x0, x1) = extent(&patch.outline, 0).unwrap();
            assert!(x0 <= from - 50.0 && x1 >= from + 110.0 && x1 - x0 < 600.0, "{:?}", patch.outline);
            assert_eq!(patch.depth, 12.0);
        }
        let volume: f64 = patches.iter().map(|p| p.area * p.depth).sum();
        assert!((two.kept - (1.0 - volume / (6_000.0 * 150.0 * 24.0))).abs() < 1e-9);
        // The school that renews counts them; the one that keeps the old wood does not.
        let renewing = Case { school: School::Renew, ..board(&[(800.0, 60.0, 80.0), (4_000.0, 60.0, 80.0)]) };
        let against =
            |o: &RepairOption| o.reasons.iter().any(|r| r.rule == "school.patches" && r.verdict == Verdict::Against);
        assert!(against(&of(&renewing, OptionKind::Graving).unwrap()) && !against(&two));
        let at_end = of(&board(&[(20.0, 60.0, 80.0)]), OptionKind::Graving).unwrap();
        assert_eq!(refusals(&at_end), ["graving.impossible", "graving.joint"]);
        let wide = of(&board(&[(3_000.0, 30.0, 120.0)]), OptionKind::Graving).unwrap();
        assert_eq!(refusals(&wide), ["graving.width"]);
    }

    /// What was drawn is what is cut, wherever it lies; what lies beside the part, as it was measured since, is brought back onto it.
    #[test]
    fn a_drawn_gouge_is_let_in_as_it_was_drawn() {
        let points = vec![[500.0, 40.0], [560.0, 52.0], [620.0, 44.0], [560.0, 38.0]];
        let gouge = found(FindingKind::Gouge, 500.0, 620.0, 60.0, 8.0);
        let keel = Case {
            kind: MemberKind::Keel,
            class: Class::of(MemberKind::Keel),
            length: 4_000.0,
            width: 160.0,
            thickness: 90.0,
            drawn: vec![Damage { kind: DamageKind::Gouge, points: points.clone(), depth: 8.0 }],
            ..frame(gouge)
        };
        let outline = |case: &Case<'_>| match of(case, OptionKind::Graving).unwrap().wood {
            Wood::Patches(patches) => patches[0].outline.clone(),
            wood => panic!("a graving piece is a patch: {wood:?}"),
        };
        let drawn = outline(&keel);
        for p in &points {
            assert!(crate::geometry::convex_contains(&drawn, *p, 1e-6), "{p:?} {drawn:?}");
        }
        let taken = extent(&drawn, 1).unwrap();
        assert!(taken.0 > 25.0 && taken.1 < 65.0, "{taken:?}");
        // Without its drawing the whole box of it is taken.
        let boxed = extent(&outline(&Case { drawn: vec![], ..keel.clone() }), 1).unwrap();
        assert!(boxed.1 >= 66.0, "{boxed:?}");
        // All of it beside the part, as it was measured since: nothing is let in, and the other ways stand.
        let beside = Damage { kind: DamageKind::Gouge, points: vec![[4_500.0, 170.0]; 4], depth: 8.0 };
        let moved = options(&Case { drawn: vec![beside], ..keel.clone() }, |op| op.rate().0).unwrap();
        assert!(!moved.is_empty() && moved.iter().all(|o| o.kind != OptionKind::Graving));
        let narrower = Case { width: 50.0, ..keel };
        assert!(extent(&outline(&narrower), 1).unwrap().1 <= 50.0);
    }

    #[test]
    fn wet_wood_is_not_glued() {
        let wet = Case { moisture: Some(22.0), ..frame(broken(700.0, 720.0)) };
        assert!(of(&wet, OptionKind::SpliceEnd).unwrap().forbidden());
        assert!(!of(&wet, OptionKind::Sister).unwrap().forbidden());
    }

    proptest! {
        #[test]
        fn every_option_keeps_and_carries_a_share_and_stays_on_its_member(
            kind in proptest::sample::select(MemberKind::ALL.to_vec()), from in 0.0..1_700.0f64, long in 1.0..600.0f64,
            across in 1.0..80.0f64, depth in 1.0..60.0f64, radius in proptest::option::of(100.0..5_000.0f64),
            school in proptest::sample::select(School::ALL.to_vec()),
            finding in proptest::sample::select(FindingKind::ALL.to_vec()),
        ) {
            prop_assume!(!matches!(finding.answer(), Answer::Step(_)));
            let damage = Found { kind: finding, ..found(FindingKind::Rot, from, (from + long).min(1_800.0), across, depth) };
            let curve = radius.map_or(Curve::Unknown, Curve::Radius);
            let case = Case { kind, class: Class::of(kind), school, curve, ..frame(damage) };
            let all = options(&case, |op| op.rate().0).unwrap();
            let fewest = if Class::of(kind) == Class::Whole { 2 } else { 4 };
            prop_assert!(all.len() >= fewest);
            prop_assert!(all.windows(2).all(|pair| pair[0].score >= pair[1].score));
            for option in &all {
                prop_assert!((0.0..=1.0).contains(&option.kept) && (0.0..=1.0).contains(&option.strength));
                prop_assert!(option.hours.p50 > 0.0 && option.hours.p50 < option.hours.p80 && option.cost >= 0.0);
                if let Wood::Timber(piece) = &option.wood {
                    prop_assert!(piece.from >= 0.0 && piece.to <= case.length + 1e-9 && piece.from < piece.to);
                }
            }
        }
    }
}
