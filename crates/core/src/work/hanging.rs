//! Hanging a plank, gluing it and fixing it as one sequence on one card; frames, beams and panels likewise. Source: handbook 08.

use crate::choice::choices;
use crate::error::{self, InputError};
use crate::geometry::{Point, polyline_at};
use crate::grid::Between;
use crate::grid::offsets::Offsets;
use crate::reason::{Reason, Verdict};
use crate::repair::gluing::{self, Adhesive, at_temperature};
use crate::shape::frame;
use crate::shape::spiling::{Edge, Girth};
use crate::timber::board::hands;

choices! {
    /// What is hung.
    What {
        Plank = "plank", "Plank";
        Frame = "frame", "Frame";
        Beam = "beam", "Beam";
        Panel = "panel", "Panel";
        Spar = "spar", "Spar";
        Timber = "timber", "Timber";
    }
}

choices! {
    /// What an end of it comes to.
    End {
        Butt = "butt", "Butt on its block";
        Scarf = "scarf", "Scarf";
        Home = "home", "In its place";
    }
}

/// What it lies on at a place.
#[derive(Debug, Clone, PartialEq)]
pub struct Rest {
    /// From its forward end or its heel, mm.
    pub x: f64,
    pub name: String,
    /// How far the face it lies on leans out from plumb, degrees, positive where its upper edge lies outboard; `None`: nobody knows.
    pub lean: Option<f64>,
}

/// How it is glued.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Glued {
    pub adhesive: Adhesive,
    /// Of the joint, °C; `None`: nobody read it.
    pub temperature: Option<f64>,
    /// Length of joint, m.
    pub metres: f64,
    /// Hours a metre of joint takes from the first brush to the last clamp, by all who work at it.
    pub hours_each: f64,
    /// How many of the yard's own jobs stand behind that; 0: it is the table's.
    pub logged: usize,
}

/// A piece that is ready to go in.
#[derive(Debug, Clone, PartialEq)]
pub struct Piece {
    pub what: What,
    /// mm.
    pub length: f64,
    pub width: f64,
    pub ends: [End; 2],
    /// Length of its scarf, mm; 0: none.
    pub scarf: f64,
    /// In the order of `x`.
    pub rests: Vec<Rest>,
    /// It was cut to a shape somebody took.
    pub shape_taken: bool,
    pub glue: Option<Glued>,
    /// Layers it is glued up of on a former before it goes in; 1: solid.
    pub plies: u32,
    pub fastenings: u32,
    /// Its weight, kg, where it can be reckoned.
    pub weight: Option<f64>,
    /// What lies between it and its neighbours.
    pub between: Between,
    /// What lies behind it and is not ready, by name.
    pub behind: Vec<String>,
}

impl Piece {
    /// It is glued up on a former, and goes in dry when it has cured.
    fn is_laid_up(&self) -> bool {
        self.glue.is_some() && self.plies > 1
    }

    /// It is a spar's new end, tied round its scarf.
    fn is_tied(&self) -> bool {
        self.what == What::Spar && self.scarf > 0.0
    }
}

/// One clamp, or several at one place; a panel is held by temporary screws instead.
#[derive(Debug, Clone, PartialEq)]
pub struct Clamp {
    pub x: f64,
    pub at: String,
    pub count: u32,
    /// The edge that stands off here, tightened first.
    pub first: Option<Edge>,
    /// How far it stands off before it is pulled in, mm.
    pub off: Option<f64>,
}

/// Whether the time is enough.
#[derive(Debug, Clone, PartialEq)]
pub struct OpenTime {
    /// Minutes from the first brush to the last clamp.
    pub needed: f64,
    /// Minutes the glue stays open at this temperature.
    pub open: f64,
    /// Length of joint that can be done at once, m.
    pub metres: f64,
    /// The warmest it may be for all of it at once, °C; `None` where the glue would be too cold to cure by then.
    pub warmest: Option<f64>,
}

impl OpenTime {
    pub fn fits(&self) -> bool {
        self.needed <= self.open
    }
}

choices! {
    /// When a step of the card comes.
    Phase {
        Before = "before", "Before";
        During = "during", "Hang it";
        After = "after", "After";
    }
}

/// One line of the card.
#[derive(Debug, Clone, PartialEq)]
pub struct Step {
    pub code: &'static str,
    pub phase: Phase,
    pub text: String,
    /// It is photographed.
    pub photo: bool,
    /// What speaks against going on from here.
    pub reasons: Vec<Reason>,
}

/// The card.
#[derive(Debug, Clone, PartialEq)]
pub struct Card {
    pub steps: Vec<Step>,
    /// In the order they are set.
    pub clamps: Vec<Clamp>,
    pub open: Option<OpenTime>,
    /// Hours in the clamps; `None` where nothing is glued or nobody read the temperature.
    pub clamped: Option<f64>,
    /// The place that springs most: its edge and by how much, mm.
    pub springs: Option<(Edge, f64, f64)>,
    pub people: u32,
    pub reasons: Vec<Reason>,
}

impl Card {
    /// Clamps, or screws, altogether.
    fn count(&self) -> u32 {
        self.clamps.iter().map(|c| c.count).sum()
    }
}

/// Clamps at each end.
pub const AT_END: u32 = 2;
/// Temporary screws along each beam of a panel, mm apart (handbook 10).
pub const SCREWS: f64 = 150.0;
/// An edge that stands off less than this is pulled in by any clamp, mm (*yard rule*).
pub const STANDS_OFF: f64 = 1.0;
/// A plank longer than this is not hung alone, mm (*yard rule*).
const ALONE: f64 = 1_800.0;

/// Lays out the card. Errors name `length`, `width`, `rests[i].x`, `rests[i].lean`, `glue.metres`, `glue.hours_each` or
/// `glue.temperature`.
pub fn card(piece: &Piece) -> Result<Card, InputError> {
    check(piece)?;
    let clamps = match piece.what {
        What::Panel => screws(piece),
        _ if piece.is_tied() => along_scarf(piece),
        _ if piece.is_laid_up() => on_former(piece),
        _ => clamps(piece),
    };
    let springs = clamps.iter().filter_map(|c| Some((c.first?, c.x, c.off?))).max_by(|a, b| a.2.total_cmp(&b.2));
    let open = piece.glue.as_ref().and_then(open_time);
    let clamped = piece.glue.and_then(|g| Some(at_temperature(g.adhesive.usual().1, g.temperature?)));
    let people = people(piece);
    let mut card = Card { steps: Vec::new(), clamps, open, clamped, springs, people, reasons: Vec::new() };
    card.reasons = reasons(piece, &card);
    card.steps = [before(piece, &card), during(piece, &card), after(piece, &card)].concat();
    Ok(card)
}

fn check(piece: &Piece) -> Result<(), InputError> {
    error::length("length", piece.length)?;
    error::length("width", piece.width)?;
    for (i, rest) in piece.rests.iter().enumerate() {
        let before = if i > 0 { piece.rests[i - 1].x } else { 0.0 };
        error::within("x", rest.x, before, piece.length).map_err(|e| e.within(&format!("rests[{i}]")))?;
        if let Some(lean) = rest.lean {
            error::within("lean", lean, -90.0, 90.0).map_err(|e| e.within(&format!("rests[{i}]")))?;
        }
    }
    if let Some(glue) = &piece.glue {
        error::within("glue.metres", glue.metres, 0.0, 1_000.0)?;
        error::within("glue.hours_each", glue.hours_each, 0.0, 1_000.0)?;
        if let Some(temperature) = glue.temperature {
            error::within("glue.temperature", temperature, -20.0, 60.0)?;
        }
    }
    Ok(())
}

/// How far an edge stands off where a plank that leans `own` comes to a face that leans `face`, degrees; `None` where either edge is
/// drawn in by any clamp.
fn stands_off(own: f64, face: f64, width: f64) -> Option<(Edge, f64)> {
    let off = width * (own - face).to_radians().sin();
    let edge = if off > 0.0 { Edge::Upper } else { Edge::Lower };
    (off.abs() >= STANDS_OFF).then_some((edge, off.abs()))
}

/// One clamp loosely so that it cannot fall, both ends tight, then home from the forward end on. Between the last clamp and the after
/// end it is twisted evenly: what a frame asks beyond that stands off.
fn clamps(piece: &Piece) -> Vec<Clamp> {
    let plain = |x: f64, at: String, count| Clamp { x, at, count, first: None, off: None };
    let (fore, aft) = match piece.what {
        What::Frame => ("heel", "head"),
        What::Beam => ("one end", "other end"),
        _ => ("forward end", "after end"),
    };
    let middle = piece.length / 2.0;
    let near = piece.rests.iter().min_by(|a, b| (a.x - middle).abs().total_cmp(&(b.x - middle).abs()));
    let mut all = vec![match near {
        Some(rest) => plain(rest.x, format!("safety clamp, loosely, at {}", rest.name), 1),
        None => plain(middle, "safety clamp, loosely, in the middle".to_owned(), 1),
    }];
    all.push(plain(0.0, fore.to_owned(), AT_END));
    let known: Vec<(f64, f64)> = piece.rests.iter().filter_map(|r| Some((r.x, r.lean?))).collect();
    let mut last = plain(piece.length, aft.to_owned(), AT_END);
    let (first_known, last_known) = (known.first().copied(), known.last().copied());
    if let (Some(first), Some(end)) = (first_known, last_known)
        && let Some((edge, off)) = stands_off(first.1, end.1, piece.width)
    {
        (last.first, last.off) = (Some(edge), Some(off));
    }
    all.push(last);
    let mut held = first_known;
    for rest in &piece.rests {
        let mut clamp = plain(rest.x, rest.name.clone(), 1);
        if let (Some((x, own)), Some((end_x, end)), Some(face)) = (held, last_known, rest.lean) {
            let along = if end_x > x { (rest.x - x) / (end_x - x) } else { 0.0 };
            if let Some((edge, off)) = stands_off(own + (end - own) * along, face, piece.width) {
                (clamp.first, clamp.off) = (Some(edge), Some(off));
            }
            held = Some((rest.x, face));
        }
        all.push(clamp);
    }
    all
}

/// Clamps of a lamination stand this far apart at most, mm (*yard rule*).
pub const ON_FORMER: f64 = 100.0;

/// A lamination's clamps on its former, from the middle to both ends so that the plies slide and the glue is pressed out.
fn on_former(piece: &Piece) -> Vec<Clamp> {
    let middle = piece.length / 2.0;
    let bays = (piece.length / ON_FORMER).ceil().max(2.0);
    from_middle(0.0, piece.length, bays, |x| {
        let side = if x < middle { "heel" } else { "head" };
        match (x - middle).abs() {
            off if off < 1e-6 => "its middle".to_owned(),
            off if off > middle - 1e-6 => format!("its {side}"),
            _ => format!("on towards its {side}"),
        }
    })
}

/// Clamps at both ends of so many even bays along a length, in the order of their distance from its middle.
fn from_middle(from: f64, length: f64, bays: f64, at: impl Fn(f64) -> String) -> Vec<Clamp> {
    let middle = from + length / 2.0;
    let mut places: Vec<f64> = (0..=bays as u32).map(|i| from + length * f64::from(i) / bays).collect();
    places.sort_by(|a, b| (a - middle).abs().total_cmp(&(b - middle).abs()));
    places.into_iter().map(|x| Clamp { x, at: at(x), count: 1, first: None, off: None }).collect()
}

/// Turns of rope or hose clamps round a spar's scarf stand this far apart, mm (handbook 10).
pub const ROUND_SPAR: f64 = 150.0;

/// What goes round a spar's scarf, from its middle to both feathers so that neither face slides.
fn along_scarf(piece: &Piece) -> Vec<Clamp> {
    // The scarf lies at the end that is new.
    let from = if piece.ends[0] == End::Scarf { 0.0 } else { piece.length - piece.scarf };
    let middle = from + piece.scarf / 2.0;
    let bays = (piece.scarf / ROUND_SPAR).ceil().max(1.0);
    from_middle(from, piece.scarf, bays, |x| {
        let feather = (x - middle).abs() > piece.scarf / 2.0 - 1e-6;
        if feather { "a feather".to_owned() } else { "on along the scarf".to_owned() }
    })
}

/// A panel's temporary screws, from its middle outwards so that the glue is pressed out and not in.
fn screws(piece: &Piece) -> Vec<Clamp> {
    let middle = piece.length / 2.0;
    let count = (piece.width / SCREWS).ceil().max(1.0) as u32 + 1;
    let mut rests: Vec<&Rest> = piece.rests.iter().collect();
    rests.sort_by(|a, b| (a.x - middle).abs().total_cmp(&(b.x - middle).abs()));
    rests.into_iter().map(|r| Clamp { x: r.x, at: r.name.clone(), count, first: None, off: None }).collect()
}

/// A film stays open as long as the pot does (*yard rule*: the product's sheet comes first).
fn open_time(glue: &Glued) -> Option<OpenTime> {
    let (pot, _, _) = glue.adhesive.usual();
    let needed = glue.metres * glue.hours_each * 60.0;
    let open = at_temperature(pot, glue.temperature?);
    let metres = if needed > open { glue.metres * open / needed } else { glue.metres };
    let warmest = if needed > 0.0 { 20.0 - 10.0 * (needed / pot).log2() } else { 60.0 };
    let cures = glue.adhesive.coldest().is_none_or(|coldest| warmest >= coldest);
    Some(OpenTime { needed, open, metres, warmest: cures.then_some(warmest) })
}

fn people(piece: &Piece) -> u32 {
    let carried = piece.weight.map_or(1, hands);
    let held = if piece.length > ALONE { 2 } else { 1 };
    carried.max(held)
}

fn reasons(piece: &Piece, card: &Card) -> Vec<Reason> {
    let tell = |rule, verdict, text: String| Reason::new(rule, verdict, text).source("handbook 08");
    let mut reasons = Vec::new();
    let count = card.count();
    reasons.push(match piece.what {
        What::Panel => tell(
            "hang.clamps",
            Verdict::Note,
            format!("temporary screws with washers, {SCREWS:.0} mm apart on each beam, from the middle outwards"),
        )
        .value("screws", f64::from(count), ""),
        _ if piece.is_tied() => tell(
            "hang.clamps",
            Verdict::Note,
            format!("turns of rope twisted tight, or hose clamps, {ROUND_SPAR:.0} mm apart along the scarf, from its middle to both feathers"),
        )
        .value("turns", f64::from(count), ""),
        _ if piece.is_laid_up() => tell(
            "hang.clamps",
            Verdict::Note,
            format!("on its former, {ON_FORMER:.0} mm apart at most, from the middle to both ends so that the plies can slide"),
        )
        .value("clamps", f64::from(count), ""),
        _ => tell(
            "hang.clamps",
            Verdict::Note,
            "a safety clamp, two at each end, one at each place it lies on; none with full force until all hang".into(),
        )
        .value("clamps", f64::from(count), ""),
    });
    if matches!(piece.what, What::Plank | What::Timber) {
        reasons.push(springs(piece, card));
    }
    if piece.what == What::Plank && !piece.shape_taken {
        let text = "it was cut to no shape that somebody took: whether it must be forced edgewise is not known, and a plank that is forced springs at its hollow edge. The dry fit decides";
        reasons.push(tell("hang.springs", Verdict::Against, text.into()));
    }
    if let Some(glue) = &piece.glue {
        reasons.extend(of_glue(glue, card.open.as_ref()));
    }
    for name in &piece.behind {
        reasons.push(tell("hang.behind", Verdict::Forbids, format!("behind it and not ready: {name}")));
    }
    reasons
}

/// What is known of the edge that wants to spring.
fn springs(piece: &Piece, card: &Card) -> Reason {
    let why = |verdict, text: String| {
        Reason::new("hang.springs", verdict, text)
            .formula("stands off = width × sin(lean of the plank − lean of what it lies on)")
            .source("handbook 08")
    };
    let known = piece.rests.iter().filter(|r| r.lean.is_some()).count();
    match (known, card.springs) {
        (0 | 1, _) => why(
            Verdict::Note,
            "which edge springs is not known: nobody took how she leans along it. The dry fit shows it: mark the edge that stands off, and tighten it first".into(),
        ),
        (_, Some((edge, x, off))) => why(
            Verdict::Note,
            format!("the {} edge wants to spring, most {x:.0} mm from the forward end: tighten it first there", edge.label().to_lowercase()),
        )
        .value("stands off", off, "mm"),
        (_, None) => why(Verdict::Note, "it is twisted evenly between its ends: neither edge springs".into()),
    }
}

fn of_glue(glue: &Glued, open: Option<&OpenTime>) -> Vec<Reason> {
    let tell = |rule, verdict, text: String| Reason::new(rule, verdict, text).source("handbook 08");
    let mut reasons = Vec::new();
    let (Some(open), Some(temperature)) = (open, glue.temperature) else {
        return vec![tell(
            "hang.open",
            Verdict::Against,
            "nobody read the temperature: whether the glue stays open long enough is not known".into(),
        )];
    };
    let cold = gluing::warmth(glue.adhesive, temperature).filter(|r| r.verdict == Verdict::Forbids);
    reasons.extend(cold.map(|r| r.source("handbook 08")));
    let (verdict, text) = if open.fits() {
        (Verdict::For, "the glue stays open until the last clamp is on".to_owned())
    } else {
        let cooler = match open.warmest {
            Some(warmest) => format!(", work at {:.0} °C at most", warmest.floor()),
            None => String::new(),
        };
        let text = format!(
            "the glue is off before the last clamp is on: {:.1} m at once, more hands, a slower hardener{cooler}",
            open.metres
        );
        (Verdict::Forbids, text)
    };
    reasons.push(
        tell("hang.open", verdict, text)
            .formula("metres × hours a metre × 60 against the pot life at this temperature")
            .against("from the first brush to the last clamp", open.needed, "min", open.open),
    );
    if glue.logged == 0 {
        reasons.push(tell(
            "hang.open",
            Verdict::Note,
            "the minutes are the table’s: this yard has logged no such gluing yet".into(),
        ));
    }
    reasons
}

fn step(code: &'static str, phase: Phase, text: impl Into<String>) -> Step {
    Step { code, phase, text: text.into(), photo: false, reasons: Vec::new() }
}

fn of_rule(card: &Card, rule: &str) -> Vec<Reason> {
    card.reasons.iter().filter(|r| r.rule == rule && r.verdict >= Verdict::Against).cloned().collect()
}

fn before(piece: &Piece, card: &Card) -> Vec<Step> {
    let at = |code, text: &str| step(code, Phase::Before, text);
    let mut steps = vec![Step {
        photo: true,
        reasons: of_rule(card, "hang.behind"),
        ..at(
            "behind",
            match piece.what {
                What::Spar => {
                    "Both lengths lie straight on trestles, to a wire along their middle; the joint can turn nowhere"
                }
                What::Frame => "The planking it lies on is sound, primed and photographed",
                _ => "What will be behind it is fitted, coated and photographed",
            },
        )
    }];
    match piece.ends.iter().filter(|e| **e == End::Butt).count() {
        0 => {}
        1 => steps.push(at("blocks", "The butt’s block is in and dry")),
        _ => steps.push(at("blocks", "Both butts’ blocks are in and dry")),
    }
    if piece.ends.contains(&End::Scarf) {
        steps.push(at("scarfs", "The scarfs close dry, both faces clean and fresh"));
    }
    if piece.what == What::Plank {
        steps.push(at("stubs", "Old stubs are left as points to wedge against until they are in the way"));
    }
    if piece.is_laid_up() {
        steps.push(at(
            "former",
            "The former stands fast and is covered so that no glue sticks; heel, head and middle are marked on it",
        ));
        let text = format!(
            "All {} plies are planed, dusted and numbered, and were bent dry round the former: they close all along",
            piece.plies
        );
        steps.push(step("dry_fit", Phase::Before, text));
    } else {
        steps.push(at("dry_fit", "It was fitted dry and closes all along; the edges that stood off are marked"));
    }
    let count = card.count();
    let counted = match piece.what {
        What::Panel if count == 0 => {
            format!(
                "Temporary screws with washers are laid out for {SCREWS:.0} mm on each beam, their lines drawn on the panel"
            )
        }
        What::Panel => format!("{count} temporary screws with washers are laid out, their lines drawn on the panel"),
        _ if piece.is_tied() => {
            format!("{count} turns of rope with their sticks, or hose clamps, are laid out, and film under them")
        }
        _ => format!("{count} clamps are counted and laid out in their order"),
    };
    steps.push(step("clamps", Phase::Before, counted));
    if piece.fastenings > 0 && !piece.is_laid_up() {
        let text = format!("{} fastenings, plugs, drill and driver are at hand", piece.fastenings);
        steps.push(step("tools", Phase::Before, text));
    }
    let weight = piece.weight.map_or(String::new(), |kg| format!("; it weighs about {kg:.0} kg"));
    let hands =
        if card.people == 1 { "One person is enough".to_owned() } else { format!("{} people are there", card.people) };
    steps.push(step("people", Phase::Before, format!("{hands}{weight}")));
    if piece.glue.is_some() {
        let mut against = of_rule(card, "hang.open");
        against.extend(of_rule(card, "glue.cold"));
        let text = match &card.open {
            Some(open) => format!("The glue stays open {:.0} min here; this takes {:.0} min", open.open, open.needed),
            None => "Read the temperature of the joint".to_owned(),
        };
        steps.push(Step { reasons: against, ..step("open", Phase::Before, text) });
    }
    steps
}

fn during(piece: &Piece, card: &Card) -> Vec<Step> {
    let at = |code, text: &str| step(code, Phase::During, text);
    if piece.is_laid_up() {
        return vec![
            at(
                "wet",
                "Both faces of every joint wet out with unfilled glue, thickened over it; the two outsides stay dry",
            ),
            at("locate", "Stack them on the former in their order, middle marks together, and clamp there"),
            at(
                "home",
                "Clamp by clamp from the middle to both ends, the plies knocked level as they slide. Full force when all hang",
            ),
            Step {
                photo: true,
                ..at("squeeze", "Squeeze-out shows along every joint; where it does not, open it again")
            },
            at("clean", "Scrape off what came out before it sets"),
        ];
    }
    if piece.is_tied() {
        return vec![
            at("wet", "Both faces wet out with unfilled glue, again until they take no more; thickened over it"),
            at("locate", "Faces on each other to their marks; a stop at each feather, so that it cannot slide"),
            at(
                "home",
                "Turn by turn from the middle to both feathers; sighted along the wire before the last is tight",
            ),
            Step {
                photo: true,
                ..at("squeeze", "Squeeze-out shows along the joint on both sides; where it does not, open it again")
            },
            at("clean", "Clean up before it sets"),
        ];
    }
    let mut steps = Vec::new();
    if piece.glue.is_some() {
        steps.push(at(
            "wet",
            "Wet out edge and both faces of the joint with unfilled glue, end grain twice; thickened over it",
        ));
    } else {
        steps.push(at("prime", "The faces that close on each other are primed"));
    }
    steps.push(match piece.what {
        What::Panel => at("locate", "Lay it on its marks, one screw in the middle"),
        What::Frame => at("locate", "Safety clamp on, then its heel in its place"),
        What::Beam => at("locate", "Safety clamp on, then one end in its place"),
        What::Plank | What::Timber | What::Spar => at("locate", "Safety clamp on, then its forward end in its place"),
    });
    if piece.what != What::Panel {
        let butts = if piece.ends.contains(&End::Butt) { "Butts tight" } else { "Both ends tight" };
        steps.push(step("ends", Phase::During, format!("{butts} before it is bent home")));
    }
    let home = match (piece.what, card.springs) {
        (What::Panel, _) => "Screw by screw from the middle outwards; glue shows along every beam".to_owned(),
        (_, Some((edge, x, off))) => format!(
            "Home, clamp by clamp from there; where an edge stands off it first: most the {} one, {x:.0} mm along, by {off:.0} mm. Full force when all hang",
            edge.label().to_lowercase()
        ),
        (_, None) => {
            "Home, clamp by clamp from there; the edge that stands off first. Full force when all hang".to_owned()
        }
    };
    steps.push(step("home", Phase::During, home));
    if piece.fastenings > 0 {
        let from = if piece.ends.contains(&End::Butt) { "the butt outward" } else { "one end to the other" };
        steps.push(step("fasten", Phase::During, format!("Fasten, from {from}")));
    }
    if piece.glue.is_some() {
        steps.push(Step {
            photo: true,
            ..at("squeeze", "Squeeze-out shows along the whole joint; where it does not, open it again")
        });
    }
    steps.push(at("clean", "Clean up before it sets"));
    steps
}

fn after(piece: &Piece, card: &Card) -> Vec<Step> {
    let mut steps = Vec::new();
    let free = match piece.what {
        What::Panel => "screws out and their holes plugged",
        _ => "clamps off: they are free for the next",
    };
    if piece.glue.is_some() {
        let text = match card.clamped {
            Some(hours) => format!("Cured {hours:.0} h, {free}"),
            None => format!("Cured, {free}"),
        };
        steps.push(step("cured", Phase::After, text));
        steps.extend(if piece.is_laid_up() { goes_in(piece) } else { Vec::new() });
    } else {
        steps.push(step("cured", Phase::After, "All fastened, clamps off: they are free for the next"));
    }
    match piece.what {
        What::Plank => {
            steps.push(step("stubs_cut", Phase::After, "Stubs in the way of the next plank are cut"));
            let seam = match piece.between {
                Between::Seam => {
                    "The seam is left open until the planks beside it are in, or filled as the school says"
                }
                Between::Lap => "The lap beside it is clean for the next plank",
                Between::GluedEdge | Between::Joint => "Its edge is planed clean for the next plank",
            };
            steps.push(step("seam", Phase::After, seam));
        }
        What::Spar => steps.extend([
            step("sighted", Phase::After, "Sighted straight along the wire, from two sides"),
            step(
                "rounded",
                Phase::After,
                "To its diameters by eight and sixteen, then round; weighed before and after",
            ),
        ]),
        What::Panel => steps.push(step("edges", Phase::After, "Edges trimmed, what stands proud for a bevel left")),
        What::Frame | What::Beam | What::Timber => {
            steps.push(step("shores", Phase::After, "Shores and braces stay until it is fastened and has cured"));
        }
    }
    steps
}

/// What is done with a lamination off its former.
fn goes_in(piece: &Piece) -> Vec<Step> {
    let at = |code, text: &str| step(code, Phase::After, text);
    let mut steps = vec![
        at(
            "held_against",
            "Held against its template: it opens by about a part in plies squared of its rise, and no more",
        ),
        at("planed", "Both sides planed level to its siding; bevelled where bevels were taken"),
        at("fitted", "Fitted dry in its place, then the faces that close on each other primed"),
    ];
    if piece.fastenings > 0 {
        let text = format!("Clamped home and fastened from one end to the other: {} fastenings", piece.fastenings);
        steps.push(step("fasten", Phase::After, text));
    }
    steps
}

/// Why a step may not be ticked yet: what comes before is open, or a reason stands against it. Empty: it may.
pub fn held(card: &Card, code: &str, done: &[&str]) -> Vec<Reason> {
    let Some(step) = card.steps.iter().find(|s| s.code == code) else { return Vec::new() };
    let open = card.steps.iter().filter(|s| s.phase < step.phase && !done.contains(&s.code));
    let mut held: Vec<Reason> = open
        .map(|s| Reason::new("hang.before", Verdict::Forbids, format!("first: {}", s.text)).source("handbook 08"))
        .collect();
    held.extend(step.reasons.iter().cloned());
    held
}

/// How a plank leans at places along it, degrees, from the places its edges were taken; `None` beyond them.
pub fn leans_of(stations: &[Girth], x: f64) -> Option<f64> {
    let lean = |g: &Girth| (g.upper[0] - g.lower[0]).atan2(g.upper[1] - g.lower[1]).to_degrees();
    let after = stations.iter().position(|g| g.x >= x - 1e-9)?;
    let b = &stations[after];
    if after == 0 {
        return ((b.x - x).abs() < 1e-6).then(|| lean(b));
    }
    let a = &stations[after - 1];
    Some(lean(a) + (lean(b) - lean(a)) * (x - a.x) / (b.x - a.x))
}

/// How a strake leans at a frame by the table of offsets, degrees; `low` and `high` are its edges as shares of the girth from the keel
/// up, `space` the frame space, mm. `None` where the table does not reach.
pub fn lean_by_offsets(offsets: &Offsets, x: f64, space: f64, [low, high]: [f64; 2]) -> Option<f64> {
    let section = frame::shape(offsets, x, space).ok()?;
    let girths = frame::running(&section.section);
    let along =
        |axis: usize| -> Vec<Point> { girths.iter().zip(&section.section).map(|(g, p)| [*g, p[axis]]).collect() };
    let (breadths, heights) = (along(0), along(1));
    let rise = |line: &[Point]| polyline_at(line, high * section.girth) - polyline_at(line, low * section.girth);
    let (out, up) = (rise(&breadths), rise(&heights));
    (out.hypot(up) > 1.0).then(|| out.atan2(up).to_degrees())
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::grid::offsets::{Row, RowKind};

    fn rests(leans: &[Option<f64>]) -> Vec<Rest> {
        let name = |i: usize| format!("frame {}", 10 + i);
        leans
            .iter()
            .enumerate()
            .map(|(i, lean)| Rest { x: 300.0 + 400.0 * i as f64, name: name(i), lean: *lean })
            .collect()
    }

    fn plank(leans: &[Option<f64>]) -> Piece {
        Piece {
            what: What::Plank,
            length: 600.0 + 400.0 * (leans.len().max(1) - 1) as f64,
            width: 150.0,
            ends: [End::Butt, End::Butt],
            scarf: 0.0,
            rests: rests(leans),
            shape_taken: true,
            glue: None,
            plies: 1,
            fastenings: 24,
            weight: Some(14.0),
            between: Between::Seam,
            behind: Vec::new(),
        }
    }

    fn glued(metres: f64, temperature: Option<f64>) -> Glued {
        Glued { adhesive: Adhesive::Epoxy, temperature, metres, hours_each: 0.5, logged: 4 }
    }

    #[test]
    fn a_plank_is_held_tight_at_both_ends_and_then_brought_home_from_forward() {
        let laid = card(&plank(&[Some(10.0), Some(10.0), Some(10.0), Some(10.0)])).unwrap();
        let order: Vec<&str> = laid.clamps.iter().map(|c| c.at.as_str()).collect();
        assert_eq!(
            order,
            [
                "safety clamp, loosely, at frame 11",
                "forward end",
                "after end",
                "frame 10",
                "frame 11",
                "frame 12",
                "frame 13"
            ]
        );
        // One at each of four frames, two at each end, and the safety clamp.
        assert_eq!(laid.clamps.iter().map(|c| c.count).sum::<u32>(), 9);
        assert_eq!((laid.springs, laid.people), (None, 1));
        let codes: Vec<&str> = laid.steps.iter().map(|s| s.code).collect();
        let at = |code| codes.iter().position(|c| *c == code).unwrap();
        assert!(at("blocks") < at("locate") && at("locate") < at("ends") && at("ends") < at("home"));
        assert!(at("home") < at("fasten") && at("fasten") < at("stubs_cut"));
        assert!(
            !codes.contains(&"squeeze") && !codes.contains(&"open"),
            "nothing of glue on a plank that is not glued"
        );
    }

    #[test]
    fn the_edge_that_springs_is_where_the_frames_turn_quicker_than_a_plank_twists() {
        // Between its ends, 0° and 12°, it leans 4° and 8° by itself: frame 11 stands at 9°, its lower edge outboard of the plank's.
        let laid = card(&plank(&[Some(0.0), Some(9.0), Some(10.5), Some(12.0)])).unwrap();
        let at = |name: &str| laid.clamps.iter().find(|c| c.at == name).unwrap();
        let off = 150.0 * 5f64.to_radians().sin();
        assert_eq!(at("frame 11").first, Some(Edge::Lower));
        assert!((at("frame 11").off.unwrap() - off).abs() < 1e-9);
        // From 9° on it twists evenly to 12°: frame 12 asks for nothing more.
        assert_eq!((at("frame 12").first, at("frame 13").first), (None, None));
        // Pulled to the after end from 0°, the lower edge comes last by the most.
        let (edge, x, most) = laid.springs.unwrap();
        assert_eq!((edge, x), (Edge::Lower, laid.clamps[2].x));
        assert!((most - 150.0 * 12f64.to_radians().sin()).abs() < 1e-9);
        // Turned the other way it is the upper one.
        let turned = card(&plank(&[Some(0.0), Some(-9.0), Some(-10.5), Some(-12.0)])).unwrap();
        assert_eq!(turned.springs.unwrap().0, Edge::Upper);
    }

    #[test]
    fn what_stands_off_is_the_distance_of_an_edge_from_the_face_it_is_to_lie_on() {
        // A second way: the plank as a line that touches the face with one edge, and how far its other edge lies off the face.
        for (own, face) in [(10.0f64, 4.0f64), (4.0, 10.0), (-20.0, 30.0), (45.0, 44.0)] {
            let direction = |lean: f64| [lean.to_radians().sin(), lean.to_radians().cos()];
            let (p, f) = (direction(own), direction(face));
            let outboard = [f[1], -f[0]];
            let upper_off = 150.0 * (p[0] * outboard[0] + p[1] * outboard[1]);
            let (edge, off) = stands_off(own, face, 150.0).unwrap();
            assert!((off - upper_off.abs()).abs() < 1e-9, "{own} on {face}");
            assert_eq!(edge, if upper_off > 0.0 { Edge::Upper } else { Edge::Lower }, "{own} on {face}");
        }
        assert_eq!(stands_off(10.0, 10.3, 150.0), None, "less than a millimetre");
    }

    #[test]
    fn where_nobody_took_how_she_leans_no_edge_is_named() {
        for leans in [&[None, None, None][..], &[Some(5.0), None, None], &[]] {
            let laid = card(&plank(leans)).unwrap();
            assert!(laid.clamps.iter().all(|c| c.first.is_none()) && laid.springs.is_none());
            let told = laid.reasons.iter().find(|r| r.rule == "hang.springs").unwrap();
            assert!(told.text.contains("not known"), "{}", told.text);
        }
        // One frame in the middle that nobody measured is passed over; the others are told.
        let laid = card(&plank(&[Some(0.0), None, Some(9.0), Some(9.0)])).unwrap();
        let at = |name: &str| laid.clamps.iter().find(|c| c.at == name).unwrap().first;
        assert_eq!((at("frame 11"), at("frame 12")), (None, Some(Edge::Lower)));
    }

    #[test]
    fn glue_that_goes_off_before_the_last_clamp_says_how_far_to_go_at_once() {
        // 2 m at half an hour a metre: 60 min; epoxy stays open 25 min at 20 °C and 50 min at 10 °C.
        let of = |metres, temperature| {
            let piece = Piece { glue: Some(glued(metres, Some(temperature))), ..plank(&[Some(0.0), Some(0.0)]) };
            card(&piece).unwrap()
        };
        let warm = of(2.0, 20.0);
        let open = warm.open.as_ref().unwrap();
        assert_eq!((open.needed, open.open, open.fits()), (60.0, 25.0, false));
        assert!((open.metres - 2.0 * 25.0 / 60.0).abs() < 1e-12);
        // It would be open for an hour at 7.4 °C, which is too cold for it to cure.
        assert_eq!(open.warmest, None);
        assert_eq!(warm.clamped, Some(24.0));
        let stands = warm.steps.iter().find(|s| s.code == "open").unwrap();
        assert!(stands.reasons.iter().any(|r| r.verdict == Verdict::Forbids && r.text.contains("0.8 m at once")));
        // One metre takes 30 min: at 17 °C it just fits.
        let less = of(1.0, 20.0).open.unwrap();
        let just = less.warmest.unwrap();
        assert!((just - (20.0 - 10.0 * 1.2f64.log2())).abs() < 1e-9);
        let at_that = of(1.0, just).open.unwrap();
        assert!((at_that.needed - at_that.open).abs() < 1e-9);
        assert!(of(0.5, 20.0).open.unwrap().fits());
        let cold = of(0.5, 6.0);
        assert!(cold.reasons.iter().any(|r| r.rule == "glue.cold" && r.verdict == Verdict::Forbids));
        // Nothing to glue takes no time.
        assert!(of(0.0, 20.0).open.unwrap().fits());
    }

    #[test]
    fn a_temperature_nobody_read_is_not_twenty_degrees() {
        let laid = card(&Piece { glue: Some(glued(0.2, None)), ..plank(&[Some(0.0), Some(0.0)]) }).unwrap();
        assert_eq!((laid.open.as_ref(), laid.clamped), (None, None));
        let step = laid.steps.iter().find(|s| s.code == "open").unwrap();
        assert!(step.reasons.iter().any(|r| r.text.contains("nobody read the temperature")));
        assert!(laid.steps.iter().any(|s| s.code == "cured" && !s.text.contains(" h,")), "and no hours are told");
    }

    #[test]
    fn nothing_is_closed_before_what_lies_behind_is_ready() {
        let piece =
            Piece { behind: vec!["frame 12 port: decayed at its heel".into()], ..plank(&[Some(0.0), Some(0.0)]) };
        let laid = card(&piece).unwrap();
        let told = held(&laid, "behind", &[]);
        assert!(told.len() == 1 && told[0].text.contains("frame 12 port"), "{told:?}");
        let free = card(&plank(&[Some(0.0), Some(0.0)])).unwrap();
        assert_eq!(held(&free, "behind", &[]), []);
        // Hanging waits for everything before it, what comes after for both.
        let before: Vec<&str> = free.steps.iter().filter(|s| s.phase == Phase::Before).map(|s| s.code).collect();
        assert_eq!(held(&free, "locate", &[]).len(), before.len());
        assert_eq!(held(&free, "locate", &before), []);
        assert!(held(&free, "cured", &before).iter().any(|r| r.text.contains("Butts tight")));
        assert_eq!(held(&free, "no such step", &[]), []);
    }

    #[test]
    fn a_panel_is_screwed_from_its_middle_outwards() {
        let piece = Piece {
            what: What::Panel,
            length: 1_800.0,
            width: 800.0,
            ends: [End::Home, End::Home],
            glue: Some(glued(1.0, Some(15.0))),
            ..plank(&[None, None, None, None])
        };
        let laid = card(&piece).unwrap();
        let order: Vec<f64> = laid.clamps.iter().map(|c| c.x).collect();
        // Beams at 300, 700, 1100 and 1500: those next to 900 first.
        assert_eq!(order, [700.0, 1_100.0, 300.0, 1_500.0]);
        // 800 mm in steps of at most 150: 6 spaces, 7 screws.
        assert!(laid.clamps.iter().all(|c| c.count == 7));
        assert!(laid.steps.iter().any(|s| s.text.starts_with("28 temporary screws")));
        assert!(!laid.reasons.iter().any(|r| r.rule == "hang.springs"));
        let bare = card(&Piece { rests: Vec::new(), ..piece }).unwrap();
        assert!(
            bare.clamps.is_empty() && !bare.steps.iter().any(|s| s.text.starts_with('0')),
            "no number nobody counted"
        );
    }

    #[test]
    fn a_plank_cut_to_no_shape_that_was_taken_says_that_it_may_have_to_be_forced() {
        let told = |taken| {
            let laid = card(&Piece { shape_taken: taken, ..plank(&[Some(0.0), Some(0.0)]) }).unwrap();
            laid.reasons.iter().any(|r| r.verdict == Verdict::Against && r.text.contains("forced edgewise"))
        };
        assert!(told(false) && !told(true));
    }

    #[test]
    fn frames_beams_and_lapped_planks_have_steps_of_their_own() {
        let told =
            |piece: Piece| -> String { card(&piece).unwrap().steps.into_iter().map(|s| s.text + "\n").collect() };
        let frame = told(Piece { what: What::Frame, ends: [End::Home, End::Scarf], ..plank(&[None, None]) });
        assert!(frame.contains("heel in its place") && frame.contains("scarfs close dry") && !frame.contains("stub"));
        let beam =
            told(Piece { what: What::Beam, ends: [End::Home, End::Home], fastenings: 0, ..plank(&[None, None]) });
        assert!(
            beam.contains("one end in its place") && !beam.contains("fastenings") && beam.contains("Both ends tight")
        );
        let lapped = told(Piece { between: Between::Lap, ..plank(&[None, None]) });
        assert!(lapped.contains("lap beside it") && !lapped.to_lowercase().contains("caulk"));
        let heavy = card(&Piece { weight: Some(61.0), ..plank(&[None]) }).unwrap();
        assert_eq!(heavy.people, 3);
        let long = card(&plank(&[None; 9])).unwrap();
        assert_eq!(long.people, 2, "3.8 m is not hung alone");
    }

    #[test]
    fn a_mast_is_scarfed_on_trestles_and_tied_from_the_middle_of_its_scarf() {
        let head = Piece {
            what: What::Spar,
            length: 2_464.0,
            width: 138.0,
            ends: [End::Scarf, End::Home],
            scarf: 1_654.0,
            glue: Some(glued(1.7, Some(18.0))),
            fastenings: 0,
            ..plank(&[])
        };
        let laid = card(&head).unwrap();
        // 1,654 mm in twelve spaces of 138 mm.
        assert_eq!(laid.clamps.len(), 13);
        assert!(laid.clamps.iter().all(|c| (0.0..=1_654.0).contains(&c.x)), "{:?}", laid.clamps);
        assert!((laid.clamps[0].x - 827.0).abs() < 1e-6 && laid.clamps[12].at == "a feather");
        let told: String = laid.steps.iter().map(|s| s.text.clone() + "\n").collect();
        for said in ["trestles", "turns of rope", "cannot slide", "sixteen", "Sighted straight"] {
            assert!(told.contains(said), "{said}: {told}");
        }
        assert!(!told.contains("Shores") && !told.contains("bent home") && !told.contains("behind it"), "{told}");
        // At its other end, where the new length is the foot.
        let foot = card(&Piece { ends: [End::Home, End::Scarf], ..head }).unwrap();
        assert!(foot.clamps.iter().all(|c| c.x >= 2_464.0 - 1_654.0 - 1e-6));
    }

    #[test]
    fn a_lamination_is_glued_on_its_former_and_goes_in_when_it_has_cured() {
        let rib = Piece {
            what: What::Frame,
            length: 1_740.0,
            ends: [End::Home, End::Home],
            glue: Some(glued(3.0, Some(18.0))),
            plies: 8,
            ..plank(&[None, None])
        };
        let laid = card(&rib).unwrap();
        let places: Vec<f64> = laid.clamps.iter().map(|c| c.x).collect();
        // Both ends and every 97 mm between them: 18 bays; from the middle outwards.
        assert_eq!(places.len(), 19);
        assert!((places[0] - 870.0).abs() < 1e-9, "{places:?}");
        assert!(places.windows(2).all(|w| (w[1] - 870.0).abs() >= (w[0] - 870.0).abs() - 1e-9), "{places:?}");
        let codes: Vec<(Phase, &str)> = laid.steps.iter().map(|s| (s.phase, s.code)).collect();
        let at = |code| codes.iter().position(|c| c.1 == code).unwrap_or_else(|| panic!("{code}: {codes:?}"));
        assert!(at("former") < at("wet") && at("wet") < at("squeeze") && at("squeeze") < at("cured"));
        assert!(at("cured") < at("planed") && at("planed") < at("fasten"), "it is fastened when it has cured");
        let told = |piece: &Piece| card(piece).unwrap().steps.iter().map(|s| s.text.clone()).collect::<String>();
        assert!(told(&rib).contains("All 8 plies") && !told(&rib).contains("bent home"));
        // Solid, or without glue, it is hung as before.
        for other in [Piece { plies: 1, ..rib.clone() }, Piece { glue: None, ..rib.clone() }] {
            assert!(told(&other).contains("heel in its place") && !told(&other).contains("former"));
        }
    }

    #[test]
    fn what_cannot_be_is_told_at_its_field() {
        let field = |piece: Piece| card(&piece).unwrap_err().field;
        let mut out_of_order = plank(&[None, None]);
        out_of_order.rests.reverse();
        assert_eq!(field(out_of_order), "rests[1].x");
        assert_eq!(field(Piece { width: 0.0, ..plank(&[None]) }), "width");
        assert_eq!(field(plank(&[Some(f64::NAN), None])), "rests[0].lean");
        assert_eq!(field(Piece { glue: Some(glued(1.0, Some(300.0))), ..plank(&[None]) }), "glue.temperature");
        assert_eq!(field(Piece { glue: Some(glued(f64::INFINITY, None)), ..plank(&[None]) }), "glue.metres");
    }

    #[test]
    fn how_a_plank_leans_is_read_from_its_edges() {
        let station = |x, out| Girth { x, lower: [1_000.0, 500.0], upper: [1_000.0 + out, 600.0] };
        let taken = [station(0.0, 0.0), station(1_000.0, 100.0)];
        assert_eq!(leans_of(&taken, 0.0), Some(0.0));
        assert!((leans_of(&taken, 1_000.0).unwrap() - 45.0).abs() < 1e-9);
        assert!((leans_of(&taken, 500.0).unwrap() - 22.5).abs() < 1e-9);
        assert_eq!((leans_of(&taken, -1.0), leans_of(&taken, 1_001.0), leans_of(&[], 0.0)), (None, None, None));
    }

    #[test]
    fn how_a_strake_leans_is_read_from_the_table_of_offsets() {
        // Flat at 45° from the keel to the chine, plumb from there: half of the girth each.
        let row = |name: &str, kind, value: f64| Row { name: name.into(), kind, at: 0.0, values: vec![Some(value); 3] };
        let side = 1_000.0 * 2f64.sqrt();
        let mut rows = vec![row("keel", RowKind::Height, 0.0)];
        for i in 1..=8 {
            let t = f64::from(i) / 8.0;
            rows.push(row(&format!("b{i}"), RowKind::HalfBreadth, 1_000.0 * t));
            rows.push(row(&format!("b{i}"), RowKind::Height, 1_000.0 * t));
            rows.push(row(&format!("s{i}"), RowKind::HalfBreadth, 1_000.0));
            rows.push(row(&format!("s{i}"), RowKind::Height, 1_000.0 + side * t));
        }
        let offsets = Offsets { stations: vec![0.0, 1_000.0, 2_000.0], rows };
        let lean = |low, high| lean_by_offsets(&offsets, 1_000.0, 300.0, [low, high]).unwrap();
        assert!((lean(0.1, 0.35) - 45.0).abs() < 1.5, "{}", lean(0.1, 0.35));
        assert!(lean(0.7, 0.95).abs() < 1.5, "{}", lean(0.7, 0.95));
        assert_eq!(lean_by_offsets(&offsets, 9_000.0, 300.0, [0.1, 0.3]), None);
        assert_eq!(lean_by_offsets(&offsets, 1_000.0, 300.0, [0.2, 0.2]), None, "no strake at all");
    }

    fn any_piece() -> impl Strategy<Value = Piece> {
        let leans = proptest::collection::vec(proptest::option::weighted(0.8, -80.0..80.0f64), 0..20);
        let glue = proptest::option::of((0.0..20.0f64, proptest::option::of(-20.0..60.0f64), 0u32..6));
        (leans, glue, 0usize..5, 20.0..400.0f64, 0u32..80, proptest::option::of(0.5..300.0f64)).prop_map(
            |(leans, glue, what, width, fastenings, weight)| Piece {
                what: What::ALL[what],
                width,
                fastenings,
                weight,
                glue: glue.map(|(metres, temperature, n)| Glued {
                    adhesive: Adhesive::ALL[n as usize],
                    ..glued(metres, temperature)
                }),
                ..plank(&leans)
            },
        )
    }

    proptest! {
        /// Every place it lies on gets its clamp, none stands off further than it is wide, and once everything before is ticked only a
        /// reason of its own holds a step back.
        #[test]
        fn every_card_is_whole(piece in any_piece()) {
            let laid = card(&piece).unwrap();
            for rest in &piece.rests {
                prop_assert!(laid.clamps.iter().any(|c| c.at == rest.name && (c.x - rest.x).abs() < 1e-9));
            }
            for clamp in &laid.clamps {
                prop_assert!(clamp.off.is_none_or(|off| (STANDS_OFF..=piece.width).contains(&off)));
                prop_assert_eq!(clamp.off.is_some(), clamp.first.is_some());
            }
            let all: Vec<&str> = laid.steps.iter().map(|s| s.code).collect();
            let mut own = all.clone();
            own.sort_unstable();
            own.dedup();
            prop_assert_eq!(own.len(), all.len(), "a step's code is its own");
            for step in &laid.steps {
                prop_assert_eq!(held(&laid, step.code, &all), step.reasons.clone());
            }
            if let Some(open) = &laid.open {
                prop_assert!(open.metres <= piece.glue.unwrap().metres + 1e-12);
                prop_assert!(open.fits() == ((open.metres - piece.glue.unwrap().metres).abs() < 1e-12));
            }
        }

        /// A plank whose frames lean evenly along it springs nowhere between its ends.
        #[test]
        fn an_even_twist_springs_nowhere_between_the_ends(from in -40.0..40.0f64, each in -4.0..4.0f64, n in 3usize..15) {
            let leans: Vec<Option<f64>> = (0..n).map(|i| Some(from + each * i as f64)).collect();
            let laid = card(&plank(&leans)).unwrap();
            prop_assert!(laid.clamps.iter().skip(3).all(|c| c.first.is_none()));
        }

        /// Warmer glue is never open for longer, and more joint never takes less time.
        #[test]
        fn warmth_and_length_only_shorten(t in -10.0..45.0f64, more in 0.1..10.0f64, metres in 0.1..10.0f64) {
            let of = |metres, t| open_time(&glued(metres, Some(t))).unwrap();
            prop_assert!(of(metres, t + more).open < of(metres, t).open);
            prop_assert!(of(metres + more, t).needed > of(metres, t).needed);
        }
    }
}
