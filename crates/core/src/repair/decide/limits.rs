//! What may not be ranked: the limits every school respects, for every kind of member and finding. Handbook 04.

use crate::error::{self, InputError};
use crate::geometry::Point;
use crate::grid::member::MemberKind;
use crate::practice::Use;
use crate::reason::{Reason, Verdict};
use crate::repair::graving::{Damage, DamageKind};
use crate::repair::way::OptionKind;
use crate::survey::{Answer, Cause, Certainty, FindingKind, Grade};
use crate::timber::decay;
use crate::timber::moisture::GLUE_LIMIT;

use super::Draft;

/// Section lost up to which soft wood may be treated and left: no less than 85 % of the strength stays (*yard rule*).
pub const TREAT_UP_TO: f64 = 0.15;
/// How deep it may go, as a share of the thickness …
pub const TREAT_DEEP: f64 = 0.15;
/// … and in planking, mm.
pub const TREAT_DEEP_PLANKING: f64 = 3.0;
/// How much of the section, or of the face, it may take.
pub const TREAT_SPREAD: f64 = 0.10;
/// Wetter than this, %, no preservative goes in: decay can start.
pub const TREAT_WET: f64 = decay::WET;
/// Below this share of its strength only what restores a member that carries is ranked.
pub const WEAK: f64 = 0.50;
/// What carries this share again is restored (*yard rule*: that of a plank's own scarf).
pub const RESTORED: f64 = 0.80;
/// Holes at one crossing that add up to more than this share of the width leave a plank weak.
pub const CROSSING: f64 = 0.20;
/// Holes so near along the member are one crossing, mm (*yard rule*).
const ONE_CROSSING: f64 = 60.0;
/// Soft share of a plywood skin from which a new skin comes first.
pub const SKIN_SHARE: f64 = 0.15;
/// Soft panels from which it does.
pub const SKIN_PANELS: u32 = 5;
/// Years from which it does in coastal or offshore use.
pub const SKIN_AGE: f64 = 40.0;

/// What stands for a place that was only pointed at, mm each way (*yard rule*).
const POINTED: f64 = 10.0;

/// One thing found on a member. `from` and `to` along it, `low` and `high` across its face, `depth` into it, mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Found {
    pub kind: FindingKind,
    pub grade: Grade,
    pub certainty: Certainty,
    pub from: f64,
    pub to: f64,
    pub low: f64,
    pub high: f64,
    pub depth: f64,
}

impl Found {
    /// A fault in its numbers. Errors name the field.
    pub fn check(&self, length: f64, width: f64, thickness: f64) -> Result<(), InputError> {
        const SLACK: f64 = 0.5;
        let on = |field: &str, value: f64, most: f64| -> Result<(), InputError> {
            error::within(field, value, -SLACK, most + SLACK).map(|_| ())
        };
        on("from", self.from, length)?;
        on("to", self.to, length)?;
        on("low", self.low, width)?;
        on("high", self.high, width)?;
        on("depth", self.depth, thickness)?;
        if self.to < self.from {
            return Err(InputError::new("to", format!("must not lie before from ({}), was {}", self.from, self.to)));
        }
        if self.high < self.low {
            return Err(InputError::new("high", format!("must not lie below low ({}), was {}", self.low, self.high)));
        }
        Ok(())
    }

    /// Whether it asks for work on the wood: a place found to be sound asks for nothing, and what another step answers for no wood.
    pub fn asks(&self) -> bool {
        self.grade > Grade::Sound && !matches!(self.kind.answer(), Answer::Step(_))
    }

    pub fn length(&self) -> f64 {
        self.to - self.from
    }

    /// Across the face; a break goes right across.
    pub fn across(&self, width: f64) -> f64 {
        if self.kind == FindingKind::Broken { width } else { (self.high - self.low).clamp(2.0, width.max(2.0)) }
    }

    /// Into the member: a break goes right through, and so does what was let in wrongly where nobody said how deep.
    pub fn deep(&self, thickness: f64) -> f64 {
        let through = self.kind == FindingKind::Broken || (self.kind.taken_as_through() && self.depth <= 0.0);
        if through { thickness } else { self.depth.min(thickness) }
    }

    /// Its shape on its member: a line for a crack, an outline otherwise; what was only pointed at has some size.
    fn outline(&self, length: f64, width: f64) -> Vec<Point> {
        let spread = |low: f64, high: f64, most: f64| {
            let middle = ((low + high) / 2.0).clamp(0.0, most);
            let half = ((high - low) / 2.0).max(POINTED);
            ((middle - half).max(0.0), (middle + half).min(most))
        };
        let (from, to) = spread(self.from, self.to, length);
        if self.kind.cut_as() == Some(DamageKind::Crack) {
            let (low, high) = (self.low.clamp(0.0, width), self.high.clamp(0.0, width));
            return vec![[from, low], [to, high]];
        }
        let (low, high) = spread(self.low, self.high, width);
        vec![[from, low], [to, low], [to, high], [from, high]]
    }

    /// As it is cut out of a member of this length, width and thickness, mm: as it was drawn, or so large as it is where it was only pointed
    /// at. `None`: no wood is taken for it.
    pub fn cut_out(&self, drawn: &[Point], length: f64, width: f64, thickness: f64) -> Option<Damage> {
        let kind = self.kind.cut_as()?;
        let flat = self.to - self.from < 1.0 || drawn.len() < 3;
        let line = kind == DamageKind::Crack && drawn.len() > 1 && self.to > self.from;
        let points = if line || !flat { drawn.to_vec() } else { self.outline(length, width) };
        Some(Damage { kind, points, depth: self.deep(thickness) })
    }

    /// Whether wood must be cut away for it.
    pub fn takes_wood(&self) -> bool {
        self.kind.cut_as().is_some()
    }

    /// Share of the section it takes.
    fn section(&self, width: f64, thickness: f64) -> f64 {
        if !self.takes_wood() || self.kind == FindingKind::Delamination {
            return 0.0;
        }
        (self.across(width) / width).min(1.0) * (self.deep(thickness) / thickness).min(1.0)
    }
}

/// The whole skin of a plywood hull, of which a panel is a part.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Skin {
    pub panels: u32,
    pub soft_panels: u32,
    /// Soft area over the whole skin, 0–1.
    pub soft_share: f64,
    /// Panels measured that are not as thick as the rest.
    pub other_thickness: u32,
}

/// A panel this much thicker or thinner than the rest is of another sheet, mm (*yard rule*).
pub const OTHER_SHEET: f64 = 0.8;

/// What the limits are held against.
#[derive(Debug, Clone)]
pub struct Facts {
    pub worst: Grade,
    /// Share of the section lost at the worst place, over everything found there.
    pub lost: f64,
    /// Share of the face that is soft.
    face: f64,
    /// Deepest decay, mm, and how deep it may go to be treated.
    deepest: f64,
    may_be_deep: f64,
    decay: bool,
    only_decay: bool,
    open: bool,
    confirmed_rot: bool,
    pub below_waterline: bool,
    cause_treated: bool,
    /// %; `None`: nobody measured.
    pub moisture: Option<f64>,
    /// Carries the boat: below half its strength only what restores it is ranked.
    carries: bool,
    /// How far a front of decay runs in this wood in a year, mm along the grain, least and most.
    front: [f64; 2],
    /// Layers came apart, and nothing else was found.
    layers: bool,
    crushed: bool,
    out_of_shape: bool,
    /// Everything found that asks to be mended.
    asks: Vec<Found>,
    /// Crossings weakened by holes somebody recorded: where along, and the share of the width.
    crossings: Vec<(f64, f64)>,
}

/// The member that something was found on.
#[derive(Debug, Clone, Copy)]
pub struct Body<'m> {
    pub kind: MemberKind,
    /// mm, as are its face and its thickness.
    pub length: f64,
    /// mm.
    pub width: f64,
    /// mm.
    pub thickness: f64,
    pub below_waterline: bool,
    /// %; `None`: nobody measured.
    pub moisture: Option<f64>,
    pub cause_treated: bool,
    /// Heartwood of the species, 1 very durable … 5 perishable; `None` where the species is not known.
    pub durability: Option<u8>,
    /// Holes that somebody recorded, `[along, across, diameter]`: never those a pattern only supposes.
    pub holes: &'m [[f64; 3]],
}

/// Whether nothing is left to treat of the causes that nobody treated: age is no cause that is.
pub fn treated(untreated: &[Cause]) -> bool {
    untreated.iter().all(|c| *c == Cause::Age)
}

/// Length, area and number of what was found and is one of `which`, on a member of this width: mm and mm².
pub(super) fn size(found: &[Found], width: f64, which: impl Fn(&Found) -> bool) -> (f64, f64, u32) {
    let those = || found.iter().filter(|f| f.grade > Grade::Sound && which(f));
    let area = those().map(|f| f.length().max(20.0) * f.across(width).max(20.0)).sum();
    (those().map(Found::length).sum(), area, those().count() as u32)
}

/// Glued work waits for dry wood. `wet` and `dry`: what is said of it.
pub(super) fn glues(moisture: Option<f64>, wet: &str, dry: &str) -> Option<Reason> {
    moisture.map(|moisture| {
        let (verdict, text) = if moisture > GLUE_LIMIT { (Verdict::Forbids, wet) } else { (Verdict::For, dry) };
        Reason::new("graving.wet", verdict, text).against("moisture", moisture, "%", GLUE_LIMIT)
    })
}

/// Whether the boat hangs on a member of this kind.
pub fn carries(kind: MemberKind) -> bool {
    use MemberKind as K;
    match kind {
        K::Frame | K::Floor | K::Beam | K::Clamp | K::Shelf | K::Stringer | K::Spar => true,
        K::Stem | K::Keel | K::Keelson | K::Deadwood | K::Sternpost | K::HornTimber => true,
        K::Plank | K::CoveringBoard | K::DeckPlank | K::KingPlank | K::DeckPanel => false,
        K::TransomPlank | K::Ceiling | K::Hatch | K::Coaming | K::Drain => false,
        K::Carlin | K::Knee | K::Stopwater => true,
    }
}

impl Facts {
    pub fn of(found: &[Found], body: &Body<'_>) -> Self {
        let decay: Vec<&Found> = found.iter().filter(|f| f.kind.is_decay() && f.grade > Grade::Sound).collect();
        let wood: Vec<&Found> = found.iter().filter(|f| f.grade > Grade::Sound).collect();
        let face: f64 = decay.iter().map(|f| f.length() * f.across(body.width)).sum();
        let deep = |f: &&&Found| f.deep(body.thickness);
        let may_be_deep = if body.kind.is_planking() { TREAT_DEEP_PLANKING } else { TREAT_DEEP * body.thickness };
        Self {
            worst: found.iter().map(|f| f.grade).max().unwrap_or(Grade::Sound),
            lost: section_lost(&wood, body),
            face: face / (body.length * body.width),
            deepest: decay.iter().map(|f| deep(&f)).fold(0.0, f64::max),
            may_be_deep,
            decay: !decay.is_empty(),
            only_decay: !decay.is_empty() && wood.iter().all(|f| f.kind.is_decay()),
            open: wood.iter().any(|f| matches!(f.kind, FindingKind::Crack | FindingKind::Split | FindingKind::Broken)),
            confirmed_rot: decay.iter().any(|f| f.certainty != Certainty::Suspected),
            below_waterline: body.below_waterline,
            cause_treated: body.cause_treated,
            moisture: body.moisture,
            carries: carries(body.kind),
            front: decay::front(body.durability),
            layers: !wood.is_empty() && wood.iter().all(|f| f.kind == FindingKind::Delamination),
            crushed: wood.iter().any(|f| f.kind == FindingKind::Crushed)
                || wood.iter().any(|f| f.kind.answer() == Answer::Shape && f.grade >= Grade::Renew),
            out_of_shape: wood.iter().any(|f| f.kind.answer() == Answer::Shape),
            asks: found.iter().filter(|f| f.grade >= Grade::Mend && f.asks()).copied().collect(),
            crossings: weak_crossings(body.holes, body.width),
        }
    }

    /// Strength that is left, 0–1.
    pub fn left(&self) -> f64 {
        1.0 - self.lost
    }

    /// Whether only what restores the member is ranked.
    fn must_be_restored(&self) -> bool {
        self.carries && self.left() < WEAK
    }
}

/// Share of the section lost at the worst place: what lies side by side at one place adds up.
fn section_lost(found: &[&Found], body: &Body<'_>) -> f64 {
    let at = |x: f64| -> f64 {
        found.iter().filter(|f| f.from <= x && x <= f.to).map(|f| f.section(body.width, body.thickness)).sum()
    };
    found.iter().map(|f| at(f.from).max(at(f.to))).fold(0.0, f64::max).min(1.0)
}

/// Crossings where the holes somebody recorded add up to more than [`CROSSING`] of the width.
fn weak_crossings(holes: &[[f64; 3]], width: f64) -> Vec<(f64, f64)> {
    let mut sorted = holes.to_vec();
    sorted.sort_by(|a, b| a[0].total_cmp(&b[0]));
    let mut groups: Vec<Vec<[f64; 3]>> = Vec::new();
    for hole in sorted {
        match groups.last_mut() {
            Some(group) if hole[0] - group[0][0] <= ONE_CROSSING => group.push(hole),
            _ => groups.push(vec![hole]),
        }
    }
    groups
        .iter()
        .map(|group| {
            let share = group.iter().map(|h| h[2]).sum::<f64>() / width;
            (group.iter().map(|h| h[0]).sum::<f64>() / group.len() as f64, share)
        })
        .filter(|(_, share)| *share > CROSSING)
        .collect()
}

/// Adds to an option what the limits say of it. `renewed` is the stretch that it gives new wood, if any.
pub(super) fn judge(draft: &mut Draft, facts: &Facts, renewed: Option<(f64, f64)>) {
    let mut reasons = match draft.kind {
        OptionKind::Leave => leave(facts),
        OptionKind::Treat => treat(facts),
        OptionKind::Inject => inject(facts),
        OptionKind::FreeAndFlatten => flatten(facts),
        OptionKind::RefitScarf => refit(facts),
        kind => wood(kind, facts),
    };
    if facts.must_be_restored() && draft.strength < RESTORED {
        reasons.push(
            Reason::new(
                "decide.restore",
                Verdict::Forbids,
                "less than half its strength is left: only what restores it is ranked",
            )
            .value("strength left now", facts.left() * 100.0, "%")
            .against("strength after", draft.strength * 100.0, "%", RESTORED * 100.0),
        );
    }
    for (x, share) in &facts.crossings {
        if renewed.is_some_and(|(from, to)| from <= *x && *x <= to) {
            continue;
        }
        let text = "the holes at one crossing leave it weak there: add no fastening; renew or splice there";
        let verdict = match draft.kind {
            OptionKind::Sister => Verdict::Note,
            // What fastens there again makes it weaker, what is only brushed on leaves it so.
            OptionKind::Graving | OptionKind::Treat | OptionKind::FreeAndFlatten => Verdict::Forbids,
            _ => Verdict::Against,
        };
        reasons.push(Reason::new("decide.crossing", verdict, text).value("along it", *x, "mm").against(
            "holes of the width",
            share * 100.0,
            "%",
            CROSSING * 100.0,
        ));
    }
    reasons.extend(leaves_open(draft.kind, facts, renewed));
    draft.reasons.extend(reasons);
}

/// Whether a way answers something found: it renews the stretch it lies in, or is made for its kind.
fn answers(kind: OptionKind, found: &Found, renewed: Option<(f64, f64)>) -> bool {
    use OptionKind as O;
    if renewed.is_some_and(|(from, to)| from <= found.from && found.to <= to) {
        return true;
    }
    let shape = found.kind.answer() == Answer::Shape;
    let scarf = found.kind == FindingKind::OpenScarf;
    match kind {
        // Who leaves it leaves it all.
        O::Leave => true,
        O::Treat => found.kind.is_decay(),
        O::Inject | O::LayerPatch => {
            found.kind == FindingKind::Delamination || (kind == O::LayerPatch && !shape && !scarf)
        }
        O::FreeAndFlatten => shape,
        O::RefitScarf => scarf,
        O::Graving | O::PanelPatch => !shape && !scarf,
        O::Sister => !scarf,
        O::NewScarf => scarf,
        O::WholePlank | O::Replace | O::Laminate | O::Saw | O::Steam | O::Reskin => true,
        O::ButtPiece | O::ScarfPiece | O::SpliceEnd => false,
    }
}

/// That an option leaves something else that was found on the member as it is.
fn leaves_open(kind: OptionKind, facts: &Facts, renewed: Option<(f64, f64)>) -> Option<Reason> {
    let mut left: Vec<&'static str> =
        facts.asks.iter().filter(|f| !answers(kind, f, renewed)).map(|f| f.kind.label()).collect();
    left.sort_unstable();
    left.dedup();
    (!left.is_empty()).then(|| {
        let what = left.join(", ").to_lowercase();
        let text = format!("it leaves what else was found as it is: {what}; that wants a job of its own");
        Reason::new("decide.leaves_open", Verdict::Against, text)
    })
}

/// *Leave and watch* is for Sound and Watch; at Mend never first, with what it costs to wait; at Renew and Unsafe refused.
fn leave(facts: &Facts) -> Vec<Reason> {
    let worst = facts.worst.label();
    let (verdict, text) = match facts.worst {
        Grade::Sound | Grade::Watch => {
            (Verdict::For, format!("the worst grade found here is {worst}: nothing asks for wood to be cut yet"))
        }
        Grade::Mend => (Verdict::Against, format!("graded {worst}: it may wait a while, it is never the first choice")),
        Grade::Renew | Grade::Unsafe => {
            (Verdict::Forbids, format!("graded {worst}: leaving it is for what is Sound or on Watch"))
        }
    };
    let mut reasons = vec![Reason::new("decide.leave", verdict, text).value(
        "section lost at the worst place",
        facts.lost * 100.0,
        "%",
    )];
    if facts.worst >= Grade::Mend {
        if facts.decay {
            let [least, most] = facts.front;
            reasons.push(
                Reason::new(
                    "decide.wait",
                    Verdict::Against,
                    format!("waiting costs wood: while it stays wet, decay runs {least:.0} to {most:.0} mm a year along the grain"),
                )
                .source("handbook 11"),
            );
        } else {
            reasons.push(
                Reason::new(
                    "decide.wait",
                    Verdict::Against,
                    "waiting: what works goes on working, and what is open lets water in",
                )
                .source("handbook 11"),
            );
        }
    }
    if facts.below_waterline && facts.worst >= Grade::Mend {
        reasons.push(Reason::new(
            "decide.below_water",
            Verdict::Against,
            "it lies below the waterline, where nobody sees it get worse",
        ));
    }
    reasons
}

/// *Treat* is for decay that is shallow and not spread, with its cause treated, in dry wood.
fn treat(facts: &Facts) -> Vec<Reason> {
    let forbids = |rule, text: &str| Reason::new(rule, Verdict::Forbids, text);
    let mut reasons = Vec::new();
    if !facts.decay {
        reasons.push(forbids("decide.treat", "treating is for decay: there is none here to treat"));
    }
    if facts.worst > Grade::Mend {
        let text = format!("graded {}: treating is for nothing worse than Mend", facts.worst.label());
        reasons.push(forbids("decide.treat", &text));
    }
    if facts.decay && facts.deepest > facts.may_be_deep + 1e-9 {
        reasons.push(forbids("decide.treat_deep", "too deep: consolidant gives no strength back").against(
            "depth",
            facts.deepest,
            "mm",
            facts.may_be_deep,
        ));
    }
    let spread = facts.lost.max(facts.face);
    if facts.decay && spread > TREAT_SPREAD + 1e-9 {
        reasons.push(
            forbids("decide.treat_spread", "too much of it is soft: it has spread")
                .value("section lost", facts.lost * 100.0, "%")
                .against("soft share of section or face", spread * 100.0, "%", TREAT_SPREAD * 100.0),
        );
    }
    if facts.lost > TREAT_UP_TO + 1e-9 {
        reasons.push(forbids("decide.treat", "it carries less than 85 % of its strength").against(
            "strength left",
            facts.left() * 100.0,
            "%",
            (1.0 - TREAT_UP_TO) * 100.0,
        ));
    }
    if facts.open {
        reasons.push(forbids(
            "decide.treat_crack",
            "a crack or a break is not closed by treating it: let in a piece, splice it, or watch it",
        ));
    } else if facts.decay && !facts.only_decay {
        reasons.push(forbids("decide.treat", "treating does not answer everything that was found here"));
    }
    if facts.confirmed_rot && facts.below_waterline {
        reasons.push(forbids("decide.below_water", "confirmed rot below the waterline is cut out, not treated"));
    }
    if facts.decay && !facts.cause_treated {
        reasons.push(forbids(
            "decide.treat_cause",
            "its cause is not treated: what did this will do it again under any preservative",
        ));
    }
    match facts.moisture {
        Some(moisture) if moisture > TREAT_WET => reasons.push(
            forbids("decide.dry_first", "too wet to take a preservative: dry it first")
                .against("moisture", moisture, "%", TREAT_WET),
        ),
        Some(_) => {}
        None => reasons
            .push(Reason::note("decide.dry_first", "its moisture was not measured: measure it, and dry it first")),
    }
    if !reasons.iter().any(|r| r.verdict == Verdict::Forbids) {
        reasons.push(
            Reason::new(
                "decide.treat",
                Verdict::For,
                "shallow and not spread: dry it, scrape it to sound wood, treat and seal it",
            )
            .against("depth", facts.deepest, "mm", facts.may_be_deep),
        );
    }
    reasons.push(
        Reason::note(
            "decide.borate",
            "a borate salt keeps decay from coming back, and is kept out of the water; glycol is poisonous and keeps glue and paint from sticking",
        )
        .source("handbook 09"),
    );
    reasons
}

/// Layers glued together again from behind: only where they came apart lately and are dry.
fn inject(facts: &Facts) -> Vec<Reason> {
    let mut reasons = Vec::new();
    if facts.worst > Grade::Mend {
        reasons.push(Reason::new(
            "decide.inject",
            Verdict::Forbids,
            "not fresh: layers that were apart for long are dirty inside and hold no glue",
        ));
    }
    if facts.decay {
        reasons.push(Reason::new("decide.inject", Verdict::Forbids, "soft layers hold no glue: cut them out"));
    }
    if let Some(moisture) = facts.moisture.filter(|m| *m > GLUE_LIMIT) {
        reasons.push(
            Reason::new("graving.wet", Verdict::Forbids, "too wet to glue: dry it first")
                .against("moisture", moisture, "%", GLUE_LIMIT),
        );
    }
    if reasons.is_empty() {
        reasons.push(Reason::new(
            "decide.inject",
            Verdict::For,
            "dry and fresh layers are glued together again: run full of thin resin and pressed",
        ));
    }
    reasons
}

/// Freed and pressed back: not where the fibres are crushed.
fn flatten(facts: &Facts) -> Vec<Reason> {
    let reason = if facts.crushed {
        Reason::new(
            "decide.flatten",
            Verdict::Forbids,
            "its fibres are crushed or it is past mending: it will not lie flat and hold; new wood there",
        )
    } else {
        Reason::new(
            "decide.flatten",
            Verdict::For,
            "free its fastenings, rake the seams, wet it, press it to shape for days, then fasten it",
        )
    };
    vec![reason]
}

/// A scarf closes again while its faces are good.
fn refit(facts: &Facts) -> Vec<Reason> {
    if facts.worst < Grade::Renew {
        return Vec::new();
    }
    vec![Reason::new(
        "scarf.refit",
        Verdict::Forbids,
        "graded past mending: its faces no longer close; cut a new scarf in new wood",
    )]
}

fn allows(reasons: &[Reason]) -> bool {
    reasons.iter().all(|r| r.verdict != Verdict::Forbids)
}

/// What gives new wood or stands beside the old.
fn wood(kind: OptionKind, facts: &Facts) -> Vec<Reason> {
    let mut reasons = Vec::new();
    if allows(&treat(facts)) {
        reasons.push(Reason::new(
            "decide.shallow",
            Verdict::Against,
            "shallow and not spread: this takes more sound wood than is soft; treat it",
        ));
    }
    // What is cut or fastened now would not be, once glue takes: the frame's head is spliced, the plank let in.
    let now = kind.takes_out() || kind == OptionKind::Sister;
    if let Some(moisture) = facts.moisture.filter(|m| *m > GLUE_LIMIT && facts.left() >= WEAK && now) {
        reasons.push(
            Reason::new(
                "decide.dry_then",
                Verdict::Against,
                "it is wet: dry it before any of this is cut, then treating, a small piece or a splice may do",
            )
            .against("moisture", moisture, "%", GLUE_LIMIT),
        );
    }
    if facts.layers && allows(&inject(facts)) {
        reasons.push(Reason::new(
            "decide.fresh",
            Verdict::Against,
            "the layers are dry and came apart lately: glue them together again before any is cut",
        ));
    }
    if facts.worst <= Grade::Watch {
        reasons.push(Reason::new(
            "decide.watch",
            Verdict::Against,
            format!("graded {} only: nothing asks for it yet", facts.worst.label()),
        ));
    }
    if facts.out_of_shape && matches!(kind, OptionKind::Graving | OptionKind::ButtPiece | OptionKind::ScarfPiece) {
        reasons.push(Reason::note(
            "decide.free_first",
            "wood pulled out of shape is freed and blocked to shape before it is mended",
        ));
    }
    reasons
}

/// That some panels are of another thickness than the rest, where any was measured to be.
pub fn mismatched(skin: Option<&Skin>) -> Option<Reason> {
    let skin = skin.filter(|s| s.other_thickness > 0)?;
    let text = "some panels are not as thick as the rest: renewed or sheathed once; what is let in beside them matches what is there";
    Some(Reason::note("panel.thickness", text).source("handbook 10").value(
        "panels of another thickness",
        f64::from(skin.other_thickness),
        "",
    ))
}

/// Why a new skin comes first for the whole hull, if it does.
pub fn skin(skin: Option<&Skin>, age: Option<f64>, use_of: Option<Use>) -> Option<Reason> {
    let reason = |text: &str| Reason::new("panel.skin", Verdict::For, text).source("handbook 10");
    if let Some(skin) = skin {
        if skin.soft_share > SKIN_SHARE {
            return Some(reason("too much of the whole skin is soft: a new one comes before panel by panel").against(
                "soft over the whole skin",
                skin.soft_share * 100.0,
                "%",
                SKIN_SHARE * 100.0,
            ));
        }
        if skin.soft_panels > SKIN_PANELS {
            return Some(reason("too many panels are soft: a new skin comes before panel by panel").against(
                "soft panels",
                f64::from(skin.soft_panels),
                "",
                f64::from(SKIN_PANELS),
            ));
        }
    }
    match (age, use_of) {
        (Some(age), Some(Use::Coastal | Use::Offshore)) if age > SKIN_AGE => Some(
            reason("her plywood is old for the waters she goes in: a new skin comes before panel by panel")
                .against("age", age, "years", SKIN_AGE),
        ),
        _ => None,
    }
}
