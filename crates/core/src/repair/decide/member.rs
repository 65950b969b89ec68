//! The options for everything that is no plank in a hull with seams: frames and floors, backbone, deck, transom, inside
//! structure, spars, and plywood panels.

use crate::error::{self, InputError};
use crate::fastening;
use crate::grid::member::MemberKind;
use crate::practice::{Practice, School};
use crate::reason::{Reason, Verdict};
use crate::repair::scarf;
use crate::shape::bend;
use crate::survey::{Cause, Grade};
use crate::timber::board::Drying;
use crate::timber::moisture::GLUE_LIMIT;
use crate::timber::species::Species;
use crate::work::estimate::Operation;
use crate::work::tasks::Extent;

use super::{Draft, RepairOption, Timber, Wood, leave, rank, treat};
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
}

impl Class {
    pub fn of(kind: MemberKind) -> Self {
        use MemberKind as K;
        match kind {
            K::Frame | K::Floor | K::Beam => Self::Rib,
            K::Stem | K::Keel | K::Keelson | K::Deadwood | K::Sternpost | K::HornTimber | K::Spar => Self::Long(12),
            K::Clamp | K::Shelf | K::Stringer => Self::Long(10),
            K::Plank | K::CoveringBoard | K::DeckPlank | K::KingPlank | K::TransomPlank | K::Ceiling => Self::Board,
            K::DeckPanel => Self::Panel,
        }
    }
}

/// One damaged place. x along the member from its start, `across` of its face and `depth` into it, mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Place {
    pub from: f64,
    pub to: f64,
    pub across: f64,
    pub depth: f64,
    /// Soft wood, whose edge is not seen: cut beyond it.
    pub rotten: bool,
    /// Broken right through.
    pub broken: bool,
}

/// Everything the options depend on. Lengths mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Case<'s> {
    pub kind: MemberKind,
    pub class: Class,
    pub length: f64,
    /// Its face as one looks at it: moulded, for a frame.
    pub width: f64,
    /// Sided, for a frame.
    pub thickness: f64,
    pub species: &'s Species,
    pub damage: Vec<Place>,
    pub worst: Grade,
    pub causes: Vec<Cause>,
    /// Highest corrected moisture read on it, %.
    pub moisture: Option<f64>,
    pub below_waterline: bool,
    /// Tightest inside radius of its curve; `None` where it is nearly straight.
    pub radius: Option<f64>,
    /// Mean width of the strakes that cross it; 0 where none do.
    pub strake_width: f64,
    /// A crook grown to its curve is at hand.
    pub crook: bool,
    pub school: School,
    pub practice: Practice,
}

/// Frame splices scarf at this ratio across the moulding.
pub const SPLICE_RATIO: f64 = 12.0;
/// A sister runs past the break by this many strakes each way.
pub const SISTER_STRAKES: f64 = 3.0;
/// Strength of a rib with a full sister beside it (*yard rule*: the fastenings share the load).
const SISTERED: f64 = 0.95;
/// Strength of a bevelled patch in a panel, at 8:1.
const PANEL_RATIO: f64 = 8.0;
/// Let-in pieces carry this share of their section.
const LET_IN: f64 = 0.65;
/// A let-in piece takes no more than this of a member's section.
const LET_IN_MOST: f64 = 0.60;
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
    if let Some(radius) = case.radius {
        error::positive("radius", radius)?;
    }
    if case.damage.is_empty() {
        return Err(InputError::new("damage", "mark the damage on this part first"));
    }
    let context = Context::new(case);
    let mut drafts = vec![context.leave(), context.treat()];
    match case.class {
        Class::Rib => {
            drafts.push(context.sister());
            drafts.extend(context.splice());
            drafts.extend(context.new_rib());
        }
        Class::Long(ratio) => {
            drafts.push(context.graving());
            drafts.extend(context.scarf(f64::from(ratio)));
            drafts.push(context.whole(OptionKind::Replace));
        }
        Class::Board => {
            drafts.push(context.graving());
            drafts.extend(context.scarf(scarf::PLANKING_RATIO));
            drafts.push(context.whole(OptionKind::WholePlank));
        }
        Class::Panel => {
            drafts.push(context.panel_patch());
            drafts.push(context.reskin());
        }
    }
    let mut options: Vec<RepairOption> = drafts
        .into_iter()
        .map(|d| d.finish((case.length, case.thickness), &case.practice, &case.causes, &rate))
        .collect();
    rank(&mut options, &case.practice, case.school);
    Ok(options)
}

struct Context<'c> {
    case: &'c Case<'c>,
    /// Damage along the member with what must be cut beyond it.
    cut: (f64, f64),
    /// Share of the section lost at the worst place.
    lost: f64,
}

impl<'c> Context<'c> {
    fn new(case: &'c Case<'c>) -> Self {
        let rules = &case.practice.graving;
        let beyond = |p: &Place| if p.rotten { rules.rot_along.max(2.0 * case.thickness) } else { rules.crack_tip };
        let from = case.damage.iter().map(|p| p.from - beyond(p)).fold(f64::INFINITY, f64::min);
        let to = case.damage.iter().map(|p| p.to + beyond(p)).fold(f64::NEG_INFINITY, f64::max);
        let section = |p: &Place| {
            if p.broken { 1.0 } else { (p.across / case.width).min(1.0) * (p.depth / case.thickness).min(1.0) }
        };
        Self {
            case,
            cut: (from.clamp(0.0, case.length), to.clamp(0.0, case.length)),
            lost: case.damage.iter().map(section).fold(0.0, f64::max),
        }
    }

    fn cut_length(&self) -> f64 {
        (self.cut.1 - self.cut.0).max(1.0)
    }

    fn leave(&self) -> Draft {
        leave(self.case.worst, self.lost, self.case.below_waterline)
    }

    fn treat(&self) -> Draft {
        let length: f64 = self.case.damage.iter().map(|p| p.to - p.from).sum();
        let area = self.case.damage.iter().map(|p| (p.to - p.from).max(20.0) * p.across.max(20.0)).sum();
        let open = self.case.damage.iter().any(|p| p.broken);
        treat(self.case.worst, self.lost, open, self.case.moisture, length, area, self.case.damage.len() as u32)
    }

    /// Glued work waits for dry wood.
    fn dry(&self) -> Option<Reason> {
        self.case.moisture.map(|moisture| {
            let (verdict, text) = if moisture > GLUE_LIMIT {
                (Verdict::Forbids, "too wet to glue: dry it first")
            } else {
                (Verdict::For, "dry enough to glue")
            };
            Reason::new("graving.wet", verdict, text).against("moisture", moisture, "%", GLUE_LIMIT)
        })
    }

    fn crossings(&self, length: f64) -> u32 {
        if self.case.strake_width > 0.0 {
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
        }
    }

    /// A let-in piece over each damaged place.
    fn graving(&self) -> Draft {
        let rules = &self.case.practice.graving;
        let share =
            self.case.damage.iter().map(|p| (p.across + 2.0 * rules.rot_across).min(self.case.width) / self.case.width);
        let widest = share.fold(0.0, f64::max);
        let deepest = self.case.damage.iter().map(|p| p.depth).fold(0.0, f64::max);
        let depth = (self.case.thickness / 2.0).max(deepest + 1.0).min(self.case.thickness);
        let section = widest * depth / self.case.thickness;
        let too_much = section > LET_IN_MOST || self.case.damage.iter().any(|p| p.broken);
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
                LET_IN_MOST * 100.0,
            )];
        reasons.extend(self.dry());
        let slope = self.case.practice.graving.end_slope;
        let length = self.cut_length() + 2.0 * slope * widest * self.case.width / 2.0;
        let (from, to) = (self.cut.0, (self.cut.0 + length).min(self.case.length));
        let width = widest * self.case.width;
        Draft {
            lasting: 1.0,
            kind: OptionKind::Graving,
            kept: 1.0 - (to - from) * width * depth / (self.case.length * self.case.width * self.case.thickness),
            strength: 1.0 - section * (1.0 - LET_IN),
            extent: Extent {
                length: to - from,
                cut: 2.0 * (to - from + width),
                fastenings: 2,
                area: (to - from) * width,
                places: self.case.damage.len() as u32,
                ..Extent::default()
            },
            wood: Wood::Timber(Timber { from, to, width, thickness: depth, scarf: 0.0, sheet: false, plies: 1 }),
            reasons,
        }
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
        reasons.extend(self.dry());
        if self.case.practice.school(self.case.school).butts_first && self.case.class == Class::Board {
            reasons.push(
                Reason::new("school.butts", Verdict::Against, "butts rather than scarfs").school(self.case.school),
            );
        }
        let joints = f64::from(u32::from(!at_start) + u32::from(!at_end));
        Some(Draft {
            lasting: 1.0,
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
        let rebuild = matches!(self.case.class, Class::Long(_));
        if rebuild {
            reasons.push(
                Reason::new(
                    "decide.backbone",
                    Verdict::Against,
                    "everything that hangs on it must be freed and held first",
                )
                .source("handbook 08"),
            );
        }
        Draft {
            lasting: 1.0,
            kind,
            kept: 0.0,
            strength: 1.0,
            extent: self.extent(self.case.length, 2.0 * self.case.width),
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

    /// A sister of the same section beside the rib, three strakes past the break each way.
    fn sister(&self) -> Draft {
        let past = SISTER_STRAKES * if self.case.strake_width > 0.0 { self.case.strake_width } else { 150.0 };
        let (from, to) = ((self.cut.0 - past).max(0.0), (self.cut.1 + past).min(self.case.length));
        let short = self.cut.0 - past < 0.0 || self.cut.1 + past > self.case.length;
        let mut reasons = vec![
            Reason::note(
                "frame.sister",
                "a sister of the same section, at least three strakes past the break each way",
            )
            .value("past the break", past, "mm")
            .value("length", to - from, "mm"),
        ];
        if short {
            reasons.push(Reason::new(
                "frame.sister_short",
                Verdict::Against,
                "the break is too near its end: the sister cannot run three strakes past it; splice the end",
            ));
        }
        if self.case.damage.iter().any(|p| p.rotten) {
            reasons.push(Reason::new(
                "frame.sister_rot",
                Verdict::Against,
                "a sister beside rot takes the rot too: cut it out, and let air between",
            ));
        }
        Draft {
            lasting: 1.0,
            kind: OptionKind::Sister,
            kept: 1.0,
            strength: if short { SISTERED - 0.1 } else { SISTERED },
            extent: self.extent(to - from, 0.0),
            wood: self.timber(from, to, 0.0, 1),
            reasons,
        }
    }

    /// The head or the heel renewed, scarfed 12 to 1 across the moulding.
    fn splice(&self) -> Option<Draft> {
        let length = SPLICE_RATIO * self.case.width;
        let at_start = self.cut.0 < self.case.length - self.cut.1;
        let (from, to) = if at_start { (0.0, self.cut.1 + length) } else { (self.cut.0 - length, self.case.length) };
        if from < 0.0 || to > self.case.length || to - from > 0.8 * self.case.length {
            return None;
        }
        let end = match self.case.kind {
            MemberKind::Frame if at_start => "head",
            MemberKind::Frame => "heel",
            _ => "end",
        };
        let mut reasons = vec![
            Reason::note("frame.splice", format!("a new {end}, scarfed 12 to 1 across the moulding"))
                .formula("length = 12 × moulded")
                .value("scarf", length, "mm")
                .value("strength", scarf::efficiency(SPLICE_RATIO) * 100.0, "%"),
        ];
        reasons.extend(self.dry());
        Some(Draft {
            lasting: 1.0,
            kind: OptionKind::SpliceEnd,
            kept: 1.0 - (to - from - length / 2.0) / self.case.length,
            strength: scarf::efficiency(SPLICE_RATIO),
            extent: self.extent(to - from, length + self.case.thickness),
            wood: self.timber(from, to, length, 1),
            reasons,
        })
    }

    /// A new rib, laminated, sawn and steamed: which way by curve, timber and school.
    fn new_rib(&self) -> Vec<Draft> {
        let way = which_way(self.case.species, self.case.width, self.case.length, self.case.radius, self.case.crook);
        let sound = 1.0 - self.cut_length() / self.case.length;
        way.into_iter()
            .map(|w| {
                let mut reasons = w.reasons;
                reasons.extend(self.whole_rule(sound));
                Draft {
                    lasting: 1.0,
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

    /// A patch let into the panel with bevels of 8 to 1 all round.
    fn panel_patch(&self) -> Draft {
        let bevel = PANEL_RATIO * self.case.thickness;
        let rules = &self.case.practice.graving;
        let across = self.case.damage.iter().map(|p| p.across + 2.0 * rules.rot_across).fold(0.0, f64::max);
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
        Draft {
            lasting: 1.0,
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

    fn reskin(&self) -> Draft {
        let sound = 1.0 - self.cut_length() / self.case.length;
        let mut reasons = vec![Reason::new(
            "panel.reskin",
            Verdict::For,
            "a sound panel edge to edge; its framing is seen and mended",
        )];
        reasons.extend(self.whole_rule(sound));
        Draft {
            lasting: 1.0,
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

/// How a new rib may be made: laminated, sawn, steamed. R/t below the steaming limit with only straight stock → laminate;
/// nearly straight or a crook at hand → saw; moderate → steam. Lengths mm; `moulded` is the depth in the plane of the bend.
/// Source: handbook 04.
pub fn which_way(species: &Species, moulded: f64, length: f64, radius: Option<f64>, crook: bool) -> Vec<Way> {
    let straight = 1e6;
    let radius = radius.unwrap_or(straight);
    let out = run_out(length, radius);
    let bend = bend::plan(&bend::Request {
        species,
        thickness: moulded,
        radius,
        drying: Drying::Air,
        soaked: false,
        strap: false,
        width: None,
    });
    let Ok(bend) = bend else { return Vec::new() };
    let steam_ok = bend.steam_ok;
    let easy = out <= NEARLY_STRAIGHT || crook;
    let ply = bend::plies_for(species, moulded, radius);
    let verdict = |good: bool| if good { Verdict::For } else { Verdict::Against };
    let compared = |reason: Reason| reason.against("inside radius", radius.min(straight), "mm", bend.steam_min_radius);
    vec![
        Way {
            kind: OptionKind::Laminate,
            plies: ply,
            reasons: vec![
                compared(Reason::new(
                    "frame.laminate",
                    verdict(!steam_ok && !crook),
                    if steam_ok {
                        "the curve could be steamed in one piece"
                    } else {
                        "tighter than it can be steamed: thin plies on a former"
                    },
                ))
                .formula("plies so thin that each bends cold within half its strength, three at least")
                .value("plies", f64::from(ply), ""),
            ],
        },
        Way {
            kind: OptionKind::Saw,
            plies: 1,
            reasons: vec![
                Reason::new(
                    "frame.saw",
                    if out > RUN_OUT && !crook { Verdict::Forbids } else { verdict(easy) },
                    match (crook, out) {
                        (true, _) => "a crook grown to the curve is at hand",
                        (_, o) if o <= NEARLY_STRAIGHT => "nearly straight: it can be sawn from a plank",
                        (_, o) if o <= RUN_OUT => "it can be sawn, but the grain runs out at its ends",
                        _ => "straight grain would run out and break: futtocks, a crook, or laminate",
                    },
                )
                .formula("run-out = L / 2R")
                .against("run-out", out, "°", RUN_OUT),
            ],
        },
        Way {
            kind: OptionKind::Steam,
            plies: 1,
            reasons: vec![
                compared(Reason::new(
                    "frame.steam",
                    match bend.steam_risk {
                        bend::SteamRisk::Low => verdict(!easy || out > NEARLY_STRAIGHT),
                        bend::SteamRisk::High => Verdict::Against,
                        bend::SteamRisk::Breaks => Verdict::Forbids,
                    },
                    match bend.steam_risk {
                        bend::SteamRisk::Low => "a moderate curve: green or air-dried stock bends to it",
                        bend::SteamRisk::High => "near the limit: make spares, thinner strips, tapered ends",
                        bend::SteamRisk::Breaks => "it breaks at this radius",
                    },
                ))
                .formula("least radius = R/t of the species × moulded"),
            ],
        },
    ]
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::timber::species;

    fn frame(damage: Place) -> Case<'static> {
        Case {
            kind: MemberKind::Frame,
            class: Class::Rib,
            length: 1_800.0,
            width: 46.0,
            thickness: 40.0,
            species: species::find("white_oak").unwrap(),
            damage: vec![damage],
            worst: Grade::Renew,
            causes: vec![Cause::FreshWater],
            moisture: Some(14.0),
            below_waterline: false,
            radius: Some(900.0),
            strake_width: 120.0,
            crook: false,
            school: School::Conserve,
            practice: Practice::default(),
        }
    }

    const HEAD_ROT: Place = Place { from: 0.0, to: 140.0, across: 46.0, depth: 30.0, rotten: true, broken: false };
    const BREAK: Place = Place { from: 880.0, to: 900.0, across: 46.0, depth: 40.0, rotten: false, broken: true };

    fn of(case: &Case<'_>, kind: OptionKind) -> Option<RepairOption> {
        options(case, |op| op.rate().0).unwrap().into_iter().find(|o| o.kind == kind)
    }

    #[test]
    fn a_rotten_frame_head_is_spliced_twelve_to_one_in_the_conserving_school() {
        let case = frame(HEAD_ROT);
        let best = &options(&case, |op| op.rate().0).unwrap()[0];
        assert_eq!(best.kind, OptionKind::SpliceEnd);
        let Wood::Timber(piece) = &best.wood else { panic!("a splice is a piece of timber") };
        // Rot ends at 140, two thicknesses beyond it are cut, then 12 × 46 of scarf.
        assert_eq!((piece.from, piece.to, piece.scarf), (0.0, 140.0 + 80.0 + 552.0, 552.0));
        assert_eq!(best.strength, 0.90);
        assert!(best.cost > 0.0);
    }

    #[test]
    fn a_rib_broken_in_the_middle_takes_a_sister_three_strakes_past() {
        let case = frame(BREAK);
        let sister = of(&case, OptionKind::Sister).unwrap();
        let Wood::Timber(piece) = &sister.wood else { panic!("a sister is a piece of timber") };
        assert_eq!((piece.from, piece.to), (880.0 - 25.0 - 360.0, 900.0 + 25.0 + 360.0));
        assert!(!sister.reasons.iter().any(|r| r.verdict >= Verdict::Against) && sister.kept == 1.0);
        let near = of(&frame(Place { from: 100.0, to: 120.0, ..BREAK }), OptionKind::Sister).unwrap();
        assert!(near.reasons.iter().any(|r| r.rule == "frame.sister_short"));
        assert!(of(&case, OptionKind::Leave).unwrap().strength < 1e-9);
    }

    #[test]
    fn a_tight_curve_is_laminated_a_straight_one_sawn_a_moderate_one_steamed() {
        let oak = species::find("white_oak").unwrap();
        let best = |radius, crook| {
            let ways = which_way(oak, 46.0, 1_200.0, radius, crook);
            ways.into_iter().find(|w| w.reasons[0].verdict == Verdict::For).unwrap().kind
        };
        assert_eq!(best(Some(46.0 * oak.bend_ratio * 0.5), false), OptionKind::Laminate);
        assert_eq!(best(None, false), OptionKind::Saw);
        assert_eq!(best(Some(46.0 * oak.bend_ratio * 0.5), true), OptionKind::Saw);
        assert_eq!(best(Some(46.0 * oak.bend_ratio * 1.5), false), OptionKind::Steam);
    }

    #[test]
    fn a_keel_keeps_most_of_itself_and_a_panel_is_patched_with_bevels() {
        let keel = Case {
            kind: MemberKind::Keel,
            class: Class::of(MemberKind::Keel),
            length: 6_900.0,
            width: 180.0,
            thickness: 100.0,
            damage: vec![Place { from: 2_000.0, to: 2_300.0, across: 60.0, depth: 25.0, rotten: true, broken: false }],
            radius: None,
            strake_width: 0.0,
            ..frame(HEAD_ROT)
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
        assert_eq!(options(&Case { damage: vec![], ..panel }, |op| op.rate().0).unwrap_err().field, "damage");
    }

    #[test]
    fn wet_wood_is_not_glued() {
        let wet = Case { moisture: Some(22.0), ..frame(HEAD_ROT) };
        assert!(of(&wet, OptionKind::SpliceEnd).unwrap().forbidden());
        assert!(!of(&wet, OptionKind::Sister).unwrap().forbidden());
    }

    proptest! {
        #[test]
        fn every_option_keeps_and_carries_a_share_and_stays_on_its_member(
            kind in proptest::sample::select(MemberKind::ALL.to_vec()), from in 0.0..1_700.0f64, long in 1.0..600.0f64,
            across in 1.0..80.0f64, depth in 1.0..60.0f64, rotten: bool, broken: bool, radius in proptest::option::of(100.0..5_000.0f64),
            school in proptest::sample::select(School::ALL.to_vec()),
        ) {
            let damage = Place { from, to: (from + long).min(1_800.0), across, depth, rotten, broken };
            let case = Case { kind, class: Class::of(kind), school, radius, ..frame(damage) };
            let all = options(&case, |op| op.rate().0).unwrap();
            prop_assert!(all.len() >= 4);
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
