//! Refasten: a region planned crossing by crossing among its old holes, ticked off on the boat, also without signal.

use std::collections::BTreeMap;
use std::fmt::Write;

use askama::Template;
use mend_keel_core::fastening::pattern::{How, OldHole, Size};
use mend_keel_core::fastening::record as recorded;
use mend_keel_core::fastening::region::{self, Count, Drills, Fastener, Planned, RegionPlan};
use mend_keel_core::fastening::sick::Sick;
use mend_keel_core::fastening::through::{self, At, Kind};
use mend_keel_core::grid::{Address, Between, Side, run_of};
use mend_keel_core::units::parse_length;
use mend_keel_core::work::estimate::Operation;
use mend_keel_core::{InputError, Verdict, metals};
use mend_keel_store::fastenings::{self, Done, NewRegion, Region};
use mend_keel_store::findings;
use mend_keel_store::stores::{self, Item};
use rocket::{FromForm, get, post};

use crate::file::boat::BoatFile;
use crate::file::learned::YardRates;
use crate::file::refasten::{self, KnownBy, Worked, old_diameter, work_out};
use crate::view::reasons::{self, ReasonView};
use crate::view::{self, Units, crossing, svg};
use crate::web::auth::{BoatReader, Crew};
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed};
use crate::web::photos;

/// Metals new fastenings may be of.
const METALS: [&str; 4] = ["silicon_bronze", "copper", "monel", "stainless_316"];
/// Kinds that are planned.
pub const KINDS: [Kind; 4] = [Kind::Screw, Kind::Rivet, Kind::Clench, Kind::Bolt];
/// Crossings that are on the page at once, so that they can be walked through without signal: the one looked at and the open ones
/// after it.
const WALKED: usize = 90;
/// Most old holes taken at a crossing.
const MOST_HOLES: usize = 40;

/// What sick fastenings ask for.
#[derive(Debug)]
pub struct AskingView {
    /// Regions that nobody planned yet: where and how many places were found, and the form with its bounds.
    pub regions: Vec<(String, String)>,
    /// Parts that are no planking.
    pub members: Vec<String>,
}

/// What sick fastenings ask for beside the regions that are planned.
pub fn asking(file: &BoatFile, planned: &[Region]) -> AskingView {
    let asking = refasten::asking(file, planned);
    let view = |s: &Sick| {
        let count = s.places.len();
        let what = format!(
            "{}, {}, {}: found at {count} crossing{}",
            s.side.label(),
            run_of("strake", s.strakes),
            run_of("frame", s.frames),
            if count == 1 { "" } else { "s" }
        );
        let href = format!(
            "/boats/{}/refasten?side={}&strake_from={}&strake_to={}&frame_from={}&frame_to={}#region",
            file.boat.id,
            s.side.code(),
            s.strakes.0,
            s.strakes.1,
            s.frames.0,
            s.frames.1
        );
        (what, href)
    };
    AskingView { regions: asking.regions.iter().map(view).collect(), members: asking.members }
}

#[derive(Template)]
#[template(path = "fasten/refasten_list.html")]
struct List {
    page: Page,
    boat_id: i64,
    asking: AskingView,
    rows: Vec<(i64, String, String, String)>,
    sides: Choices,
    kinds: Choices,
    metals: Choices,
    laps: bool,
    typed: Typed,
    faults: Faults,
}

fn where_of(region: &Region) -> String {
    format!(
        "{} strakes {} to {}, frames {} to {}",
        region.side.label(),
        region.strake_from,
        region.strake_to,
        region.frame_from,
        region.frame_to
    )
}

async fn list_page(
    desk: &Desk<'_>,
    file: &BoatFile,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<List, AppError> {
    let mut rows = Vec::new();
    let regions = fastenings::regions(desk.store, file.boat.id).await?;
    for region in &regions {
        let done = fastenings::done(desk.store, region.id).await?.len();
        let what = format!("{}, {}", where_of(region), region.kind.label().to_lowercase());
        rows.push((region.id, region.name.clone(), what, format!("{done} of {} crossings", region.crossings())));
    }
    Ok(List {
        page: desk.boat_page(file, "Refasten", "fasten"),
        boat_id: file.boat.id,
        asking: asking(file, &regions),
        rows,
        sides: pairs(&Side::BOTH, Side::code, Side::label),
        kinds: pairs(&KINDS, Kind::code, Kind::label),
        metals: METALS.iter().filter_map(|id| metals::find(id).ok()).map(|m| (m.id.clone(), m.name.clone())).collect(),
        laps: file.boat.construction.between() == Between::Lap,
        typed,
        faults,
    })
}

/// Bounds a region is begun with.
#[derive(Debug, FromForm)]
pub struct Bounds<'r> {
    side: Option<&'r str>,
    strake_from: Option<&'r str>,
    strake_to: Option<&'r str>,
    frame_from: Option<&'r str>,
    frame_to: Option<&'r str>,
}

#[get("/boats/<id>/refasten?<bounds..>")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64, bounds: Bounds<'_>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let bounds = [
        ("side", bounds.side),
        ("strake_from", bounds.strake_from),
        ("strake_to", bounds.strake_to),
        ("frame_from", bounds.frame_from),
        ("frame_to", bounds.frame_to),
    ];
    let mut typed = Typed::default().with("to_plane_off", desk.units.fine(0.0));
    for (field, value) in bounds {
        typed = typed.with(field, value.unwrap_or_default());
    }
    render(&list_page(&desk, &file, typed, Faults::default()).await?)
}

#[post("/boats/<id>/refasten", data = "<posted>")]
pub async fn create(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let name = read.name("name");
    let side = read.choice("side", Side::from_code);
    let (strakes, frames) = (file.boat.shell.strake_count(), file.boat.shell.frame_count());
    let (s, f) = (read.span("strake_from", "strake_to", strakes), read.span("frame_from", "frame_to", frames));
    let inside = read.is_on("inside");
    let kind_of = |code: &str| KINDS.iter().copied().find(|k| k.code() == code);
    let first = side.map(|side| Address { side, strake: s.0, frame: f.0 });
    let on_record = first.and_then(|at| recorded::holding(&file.fastened, at)).map(|r| r.kind);
    let original = read.optional_choice("original", kind_of).or(on_record.filter(|k| KINDS.contains(k)));
    let lap = file.boat.construction.between() == Between::Lap;
    let in_lap = if lap { read.optional_whole("in_lap", 0, 20).unwrap_or(0) } else { 0 };
    let by_rule = through::choose(At { inside, lap: in_lap > 0, original, structural: false }).0;
    let kind = read.optional_choice("kind", kind_of).unwrap_or(by_rule);
    if kind != Kind::Screw && !inside && in_lap == 0 && !read.faults.has("kind") {
        read.faults.add(InputError::new("kind", "needs somebody inside: say that it can be reached, or take screws"));
    }
    // Also where the frames were typed the wrong way round, or no side was: what speaks against a metal is told with the other faults.
    let here = |frame| (f.0.min(f.1)..=f.0.max(f.1)).contains(&frame);
    let below = file.is_stretch_below(side.unwrap_or(Side::Port), s.0, here);
    let metal = read.optional_choice("metal", |id| METALS.iter().find(|m| **m == id).copied());
    let metal = metal.unwrap_or(through::metal(kind, below).0);
    // What the metals check would say of the whole boat is said before it is planned.
    let judged = through::judge_metal(kind, metal, below);
    if judged.verdict == Verdict::Forbids {
        read.faults.add(InputError::new("metal", judged.text));
    }
    let to_plane_off = read.length("to_plane_off");
    if !(0.0..=20.0).contains(&to_plane_off) && !to_plane_off.is_nan() {
        read.faults.add(InputError::new("to_plane_off", "must be between 0 and 20 mm"));
    }
    let (Some(side), true) = (side, read.faults.is_empty()) else {
        return render_faulty(&list_page(&desk, &file, posted.form.typed(), read.faults).await?);
    };
    let new = NewRegion {
        boat_id: id,
        name,
        side,
        strakes: s,
        frames: f,
        metal: metal.to_owned(),
        to_plane_off,
        kind,
        original,
        inside,
        in_lap,
    };
    let mut work = desk.store.begin(posted.act()).await?;
    let region = work.add_region(&new).await?;
    let location = format!("/boats/{id}/refasten/{region}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[derive(Template)]
#[template(path = "fasten/refasten.html")]
struct Show {
    page: Page,
    boat_id: i64,
    region: i64,
    name: String,
    what: String,
    svg: String,
    facts: Vec<(&'static str, String)>,
    counts: Vec<(String, String, String)>,
    marked: Vec<(String, String, String)>,
    crossings: Vec<CrossingView>,
    kind: Vec<ReasonView>,
    reasons: Vec<ReasonView>,
    typed: Typed,
    faults: Faults,
}

struct CrossingView {
    /// The one that is looked at; the rest wait on the page.
    here: bool,
    shown: String,
    strake: u32,
    frame: u32,
    svg: String,
    todo: Vec<String>,
    reasons: Vec<ReasonView>,
    done: Option<(String, Option<String>)>,
    renew: bool,
    recorded: bool,
    holes: String,
    next: Option<(u32, u32)>,
}

async fn show(
    desk: &Desk<'_>,
    file: &BoatFile,
    region: &Region,
    at: Option<(u32, u32)>,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<Show, AppError> {
    let units = desk.units;
    let holes = fastenings::holes(desk.store, file.boat.id).await?;
    let readings = findings::readings(desk.store, file.boat.id).await?;
    let (thick, known) = old_diameter(file, &readings, region);
    let worked = work_out(file, region, &holes, thick, units.unit)?;
    let plan = &worked.plan;
    let done = fastenings::done(desk.store, region.id).await?;
    let items = stores::items(desk.store).await?;
    let metal = metals::find(&region.metal).map_or(region.metal.clone(), |m| m.name.clone());
    let placed: u32 = plan.counts.iter().map(|c| c.needed).sum();
    let hours = f64::from(placed) * YardRates::load(desk.store).await?.rate(Operation::Fasten);
    let mut facts = vec![
        ("Crossings", plan.crossings.len().to_string()),
        ("Done", format!("{} of {}", done.len(), plan.crossings.len())),
        ("Kind", format!("{}, {}", region.kind.label().to_lowercase(), metal.to_lowercase())),
    ];
    if let Some(first) = worked.fasteners.values().next() {
        facts.extend(sizes(first, units));
    }
    if plan.in_laps > 0 {
        facts.push(("In the laps", format!("{} of them, {} to a bay", plan.in_laps, region.in_lap)));
    }
    let recorded = plan.crossings.iter().filter(|c| c.recorded).count();
    facts.extend([
        (
            "Old holes",
            format!(
                "{} thick, {}; recorded at {recorded} crossings",
                units.fine(thick),
                match known {
                    KnownBy::Drawn(n) => format!("by {n} drawn"),
                    KnownBy::Record => "as recorded".to_owned(),
                    KnownBy::Nobody => "taken from the plank’s thickness: nobody drew or recorded any".to_owned(),
                }
            ),
        ),
        ("Record the holes first", plan.crossings.iter().filter(|c| c.doubtful).count().to_string()),
        ("Dowels", plan.dowels.to_string()),
        ("Hours", view::hours(hours)),
    ]);
    let counts = plan.counts.iter().map(|c| count_view(c, region, &worked, &items, units)).collect();
    let marked = plan
        .crossings
        .iter()
        .filter(|c| c.plan.renew)
        .map(|c| {
            let why = c.plan.reasons.last().map_or(String::new(), |r| r.text.clone());
            (file.boat.shown(c.at), format!("{}.{}", c.at.strake, c.at.frame), why)
        })
        .collect();
    let is_done = |c: &Planned| done.iter().any(|d| (d.strake, d.frame) == (c.at.strake, c.at.frame));
    let open = |c: &&Planned| !c.plan.renew && !is_done(c);
    let chosen = at.or_else(|| plan.crossings.iter().find(open).map(|c| (c.at.strake, c.at.frame)));
    let start = plan.crossings.iter().position(|c| Some((c.at.strake, c.at.frame)) == chosen).unwrap_or(0);
    // Round the region from the chosen one, so that none that is open is left out where there is room.
    let round = plan.crossings.iter().enumerate().skip(start).chain(plan.crossings.iter().enumerate().take(start));
    let crossings = round
        .filter(|(i, c)| *i == start || open(c))
        .take(WALKED)
        .filter(|_| chosen.is_some())
        .map(|(i, c)| {
            let next = plan.crossings.iter().skip(i + 1).find(open).map(|c| (c.at.strake, c.at.frame));
            CrossingView { here: i == start, next, ..crossing_view(file, region, c, &done, thick, units) }
        })
        .collect();
    let here = |frame| (region.frame_from..=region.frame_to).contains(&frame);
    let below = file.is_stretch_below(region.side, region.strake_from, here);
    let access = At { inside: region.inside, lap: region.in_lap > 0, original: region.original(), structural: false };
    let (by_rule, mut kind) = through::choose(access);
    if by_rule != region.kind {
        kind.push(mend_keel_core::Reason::new(
            "fasten.kind",
            Verdict::Note,
            format!(
                "the rules would take: {}; somebody chose {}",
                by_rule.label().to_lowercase(),
                region.kind.label().to_lowercase()
            ),
        ));
    }
    kind.push(through::judge_metal(region.kind, &region.metal, below));
    let mut because = Vec::new();
    for fastener in worked.fasteners.values() {
        for reason in &fastener.reasons {
            if !because.contains(reason) {
                because.push(reason.clone());
            }
        }
    }
    Ok(Show {
        page: desk.boat_page(file, &region.name, "fasten"),
        boat_id: file.boat.id,
        region: region.id,
        name: region.name.clone(),
        what: where_of(region),
        svg: draw_region(file, region, plan, &done, chosen),
        facts,
        counts,
        marked,
        crossings,
        kind: reasons::views(&kind, units),
        reasons: reasons::views(&because, units),
        typed,
        faults,
    })
}

/// A size as it is ordered.
pub fn size_text(size: Size, units: Units) -> String {
    match size {
        Size::Screw(gauge) => format!("gauge {gauge}"),
        Size::Nail(mm) => format!("{} nail", units.fine(mm)),
        Size::Bolt(mm) => format!("{} bolt", units.fine(mm)),
    }
}

/// A fastening's size and length as they are ordered.
pub fn size_and_length(f: &Fastener, units: Units) -> String {
    let length = f.length.map_or("cut from rod".to_owned(), |l| units.len(l));
    format!("{} × {length}", size_text(f.size, units))
}

/// What a fastening of a region is bored with.
fn sizes(f: &Fastener, units: Units) -> Vec<(&'static str, String)> {
    let mut rows = vec![("Size", size_and_length(f, units))];
    match &f.drills {
        Drills::Screw(screw) => rows.extend([
            ("Pilot", format!("{} in the frame", units.drill(screw.pilot_frame))),
            ("Clearance", format!("{} in the plank", units.drill(screw.pilot_plank))),
            ("Plug", format!("{}, bored {} deep", units.fine(screw.plug), units.fine(screw.bored_depth))),
            ("Bears each", format!("{:.0} N", screw.working_load)),
        ]),
        Drills::Nail(nail) => rows.push(("Drill", units.drill(nail.drill))),
        Drills::Bolt(clearance) => rows.push(("Clearance drill", units.drill(*clearance))),
    }
    rows
}

/// A size counted, held against the stores.
fn count_view(c: &Count, region: &Region, worked: &Worked, items: &[Item], units: Units) -> (String, String, String) {
    let length = worked.fasteners.values().find_map(|f| f.length);
    let wanted = match c.size {
        Size::Screw(gauge) => f64::from(gauge),
        Size::Nail(mm) | Size::Bolt(mm) => mm,
    };
    let same = |a: Option<f64>, b: f64| a.is_some_and(|a| (a - b).abs() < 0.06);
    // A nail is cut to its length; a screw that is too long comes through.
    let fits = |i: &&Item| match (region.kind, length, i.fastening.length) {
        (Kind::Screw | Kind::Bolt, Some(need), Some(has)) => (need - has).abs() < 1.0,
        (_, Some(need), Some(has)) => has >= need - 0.5,
        _ => true,
    };
    let (fitting, others): (Vec<&Item>, Vec<&Item>) = items
        .iter()
        .filter(|i| i.fastening.form.as_deref() == Some(region.kind.code()))
        .filter(|i| i.fastening.metal.as_deref() == Some(&region.metal) && same(i.fastening.size, wanted))
        .partition(fits);
    let free = |items: &[&Item]| items.iter().map(|i| i.there - i.reserved).sum::<f64>() + 0.0;
    let (there, other) = (free(&fitting), free(&others));
    let short = f64::from(c.ordered) - there;
    let mut stores = if short > 0.0 {
        format!("▲ {there:.0} free in the stores: {short:.0} to order")
    } else {
        format!("✓ {there:.0} free in the stores")
    };
    if other > 0.0 {
        let _ = write!(stores, "; {other:.0} more of another length");
    }
    let plural = if c.boxes == 1 { "" } else { "es" };
    (
        size_text(c.size, units),
        format!("{}; with spares {}, {} box{plural} of 100", c.needed, c.ordered, c.boxes),
        stores,
    )
}

fn crossing_view(
    file: &BoatFile,
    region: &Region,
    c: &Planned,
    done: &[Done],
    thick: f64,
    units: Units,
) -> CrossingView {
    let (at, p) = (c.at, &c.plan);
    let mut todo: Vec<String> = Vec::new();
    let shell = &file.boat.shell;
    if !shell.measured.contains(&at) {
        let width = units.len(shell.width(at));
        todo.push(format!("Measure the plank here first: {width} is generated, and the places move with its width"));
    }
    if c.doubtful {
        todo.push(
            "Look for the old holes and record them first: where the pattern would have put them there is no room"
                .to_owned(),
        );
    }
    for old in &p.plug {
        todo.push(format!("Old hole {}: draw it, drill out and plug with an epoxied dowel", old + 1));
    }
    let name = match region.kind {
        Kind::Screw => "Screw",
        Kind::Bolt => "Bolt",
        _ => "Nail",
    };
    for (n, place) in p.places.iter().enumerate() {
        let along = match place.x {
            x if x.abs() < 0.5 => "on the frame’s middle".to_owned(),
            x if x < 0.0 => format!("{} forward of the frame’s middle", units.fine(-x)),
            x => format!("{} aft of the frame’s middle", units.fine(x)),
        };
        let where_ = format!("{} up, {along}", units.len(place.y));
        let what = match place.how {
            How::New => "new hole in sound wood",
            How::Reuse => "in the old hole, thicker",
            How::BesidePlug => "beside the plug, once it has cured",
        };
        todo.push(format!("{name} {}: {}, {what}, {where_}", n + 1, size_text(place.size, units)));
    }
    if region.in_lap > 0 && at.frame < region.frame_to && !p.renew {
        todo.push(format!("{} more in the lap aft of this frame, evenly spaced", region.in_lap));
    }
    // Where the pattern only puts them they are no measure to a thousandth.
    let written = |mm| if c.recorded { units.exact(mm) } else { units.fine(mm) };
    let holes = c.old.iter().map(|h| format!("{}, {}, {}", written(h.x), written(h.y), written(h.diameter)));
    CrossingView {
        here: false,
        next: None,
        shown: file.boat.shown(at),
        strake: at.strake,
        frame: at.frame,
        svg: draw_crossing(file, c, thick),
        todo,
        reasons: reasons::views(&p.reasons, units),
        done: done.iter().find(|d| (d.strake, d.frame) == (at.strake, at.frame)).map(|d| {
            let note = if d.note.is_empty() { String::new() } else { format!(": {}", d.note) };
            (format!("done {} by {}{note}", view::when(&d.at), d.by_name), d.photo.clone())
        }),
        renew: p.renew,
        recorded: c.recorded,
        holes: holes.collect::<Vec<_>>().join("\n"),
    }
}

/// The region as a table of crossings, sheer up, each a link.
fn draw_region(
    file: &BoatFile,
    region: &Region,
    plan: &RegionPlan,
    done: &[Done],
    chosen: Option<(u32, u32)>,
) -> String {
    const CELL: (f64, f64) = (34.0, 30.0);
    const ROOM: (f64, f64) = (46.0, 26.0);
    let (columns, rows) = (region.frame_to - region.frame_from + 1, region.strake_to - region.strake_from + 1);
    let mut out = format!(
        "<svg class=\"region-map\" viewBox=\"0 0 {:.0} {:.0}\" role=\"group\" aria-label=\"Crossings of the region\">{}",
        ROOM.0 + f64::from(columns) * CELL.0 + 6.0,
        ROOM.1 + f64::from(rows) * CELL.1 + 6.0,
        svg::GLYPHS
    );
    let ticked: BTreeMap<(u32, u32), &Done> = done.iter().map(|d| ((d.strake, d.frame), d)).collect();
    for frame in region.frame_from..=region.frame_to {
        let x = ROOM.0 + (f64::from(frame - region.frame_from) + 0.5) * CELL.0;
        let at = Address { side: region.side, strake: region.strake_from, frame };
        let shown = file.boat.shown(at);
        let number = shown.rsplit('F').next().unwrap_or_default().to_owned();
        let _ = write!(out, "<text class=\"chart-text middle\" x=\"{x:.1}\" y=\"18\">{}</text>", svg::safe(&number));
    }
    for c in &plan.crossings {
        let (at, p) = (&c.at, &c.plan);
        let x = ROOM.0 + f64::from(at.frame - region.frame_from) * CELL.0;
        let y = ROOM.1 + f64::from(region.strake_to - at.strake) * CELL.1;
        let is_done = ticked.contains_key(&(at.strake, at.frame));
        let word = region::word(p);
        let (letter, says) = match (is_done, word) {
            (true, _) => ("✓", "done"),
            (_, "renew") => ("✕", "renew or splice"),
            (_, "reuse") => ("↑", "a thicker one in the old hole"),
            (_, "plug") => ("●", "plug, bore beside"),
            _ => ("+", "new places"),
        };
        let here = if chosen == Some((at.strake, at.frame)) { " here" } else { "" };
        let state = if is_done { "done" } else { word };
        let _ = write!(
            out,
            "<a href=\"?at={0}.{1}#crossing\" data-crossing=\"c-{0}-{1}\" aria-label=\"{2}: {says}\"><rect class=\"crossing-cell {state}{here}\" x=\"{3:.1}\" y=\"{4:.1}\" width=\"{5:.1}\" height=\"{6:.1}\"/><text class=\"crossing-sign {state}\" x=\"{7:.1}\" y=\"{8:.1}\">{letter}</text></a>",
            at.strake,
            at.frame,
            svg::safe(&file.boat.shown(*at)),
            x + 1.5,
            y + 1.5,
            CELL.0 - 3.0,
            CELL.1 - 3.0,
            x + CELL.0 / 2.0,
            y + CELL.1 / 2.0 + 5.0
        );
        if at.frame == region.frame_from {
            let strake = file.boat.shown_strake(at.side, at.strake);
            let _ = write!(
                out,
                "<text class=\"chart-text\" x=\"4\" y=\"{:.1}\">{}</text>",
                y + CELL.1 / 2.0 + 4.0,
                svg::safe(&strake)
            );
        }
    }
    out + "</svg>"
}

/// One crossing at twice its size: the plank over the frame, old holes and new places. A tap says where another old hole is.
fn draw_crossing(file: &BoatFile, c: &Planned, thick: f64) -> String {
    let bare = crossing::Bare::new(file.boat.shell.width(c.at), file.boat.frame_sided, Some(thick));
    let mut out = bare.svg.clone();
    for (i, hole) in c.old.iter().enumerate() {
        let [cx, cy] = bare.place(hole.x, hole.y);
        let plugged = c.plan.plug.contains(&i);
        let _ = write!(
            out,
            "<circle class=\"old-hole{}{}\" cx=\"{cx:.1}\" cy=\"{cy:.1}\" r=\"{:.1}\"/><text class=\"chart-text end\" x=\"{:.1}\" y=\"{:.1}\">{}{}</text>",
            if plugged { " plugged" } else { "" },
            if c.recorded { " recorded" } else { "" },
            hole.diameter / 2.0 + 1.0,
            cx - hole.diameter / 2.0 - 4.0,
            cy + 4.0,
            i + 1,
            if plugged { " plug" } else { "" }
        );
    }
    for (n, new) in c.plan.places.iter().enumerate() {
        let [cx, cy] = bare.place(new.x, new.y);
        let r = new.diameter;
        let _ = write!(out, "<circle class=\"new-screw\" cx=\"{cx:.1}\" cy=\"{cy:.1}\" r=\"{r:.1}\"/>");
        match new.size {
            Size::Screw(_) => {
                let _ = write!(out, "<path class=\"screw-slot\" d=\"M{:.1} {cy:.1}h{:.1}\"/>", cx - r * 0.7, r * 1.4);
            }
            Size::Nail(_) | Size::Bolt(_) => {
                let _ =
                    write!(out, "<circle class=\"screw-slot\" cx=\"{cx:.1}\" cy=\"{cy:.1}\" r=\"{:.1}\"/>", r * 0.3);
            }
        }
        let size = match new.size {
            Size::Screw(gauge) => gauge.to_string(),
            Size::Nail(mm) | Size::Bolt(mm) => format!("{mm}"),
        };
        let _ = write!(
            out,
            "<text class=\"corner-number\" x=\"{:.1}\" y=\"{:.1}\">{} · {size}</text>",
            cx + r + 3.0,
            cy + 4.0,
            n + 1
        );
    }
    out + "</svg>"
}

/// Old holes typed one to a line: x aft of the frame's middle, y up from the plank's lower edge, diameter.
fn read_holes(read: &mut Reader<'_>, text: &str, units: Units, width: f64) -> Vec<OldHole> {
    let mut holes = Vec::new();
    for (i, line) in text.lines().enumerate().filter(|(_, l)| !l.trim().is_empty()) {
        let cells: Vec<Option<f64>> = line.split([',', ';']).map(|t| parse_length(t.trim(), units.unit).ok()).collect();
        let [Some(x), Some(y), Some(diameter)] = cells[..] else {
            read.faults.add(InputError::new("holes", format!("line {}: write x, y, diameter", i + 1)));
            continue;
        };
        if !(0.0..=width).contains(&y) || x.abs() > 300.0 || !(0.5..=60.0).contains(&diameter) {
            let why = format!("line {}: is not on this crossing: the plank is {} wide", i + 1, units.len(width));
            read.faults.add(InputError::new("holes", why));
        }
        holes.push(OldHole { x, y, diameter });
    }
    if holes.len() > MOST_HOLES {
        read.faults.add(InputError::new("holes", format!("takes no more than {MOST_HOLES} holes")));
    }
    holes
}

/// Writes down the old holes as they were found at a crossing: it is planned anew round them.
#[post("/boats/<id>/refasten/<region>/holes", data = "<posted>")]
pub async fn record(desk: Desk<'_>, _who: Crew, id: i64, region: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let region = fastenings::region(desk.store, id, region).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let strake = read.whole("strake", region.strake_from, region.strake_to);
    let frame = read.whole("frame", region.frame_from, region.frame_to);
    let at = file
        .boat
        .shell
        .place(Address { side: region.side, strake, frame })
        .map_err(|_| AppError::NotFound("crossing"))?;
    let holes = read_holes(&mut read, posted.form.get("holes"), desk.units, file.boat.shell.width(at));
    if !read.faults.is_empty() {
        let chosen = Some((strake, frame));
        return render_faulty(&show(&desk, &file, &region, chosen, posted.form.typed(), read.faults).await?);
    }
    let member = file.plank_at(at).ok().map(|p| p.id);
    let mut work = desk.store.begin(posted.act()).await?;
    work.record_holes(id, member, at, &holes, &file.boat.shown(at)).await?;
    let location = format!("/boats/{id}/refasten/{}?at={strake}.{frame}", region.id);
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

fn parse_at(text: Option<&str>) -> Option<(u32, u32)> {
    let (s, f) = text?.split_once('.')?;
    Some((s.parse().ok()?, f.parse().ok()?))
}

#[get("/boats/<id>/refasten/<region>?<at>")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64, region: i64, at: Option<&str>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let region = fastenings::region(desk.store, id, region).await?;
    render(&show(&desk, &file, &region, parse_at(at), Typed::default(), Faults::default()).await?)
}

/// Ticks a crossing off, with what was found there.
#[post("/boats/<id>/refasten/<region>/tick", data = "<posted>")]
pub async fn tick(desk: Desk<'_>, _who: Crew, id: i64, region: i64, mut posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let region = fastenings::region(desk.store, id, region).await?;
    let mut faults = Faults::said_in(desk.units);
    let photo = photos::optional(&desk.settings.folder.photos(), &mut posted.form, &mut faults).await;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    read.faults = faults;
    let strake = read.whole("strake", region.strake_from, region.strake_to);
    let frame = read.whole("frame", region.frame_from, region.frame_to);
    let note = read.text("note", NOTE_LIMIT);
    if !read.faults.is_empty() {
        return render_faulty(
            &show(&desk, &file, &region, Some((strake, frame)), posted.form.typed(), read.faults).await?,
        );
    }
    let at = Address { side: region.side, strake, frame };
    let member = file.plank_at(at).ok().map(|p| p.id);
    let mut work = desk.store.begin(posted.act()).await?;
    work.tick(&region, member, strake, frame, &note, photo.as_deref(), &file.boat.shown(at)).await?;
    let location = format!("/boats/{id}/refasten/{}", region.id);
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[post("/boats/<id>/refasten/<region>/withdraw", data = "<posted>")]
pub async fn withdraw(desk: Desk<'_>, _who: Crew, id: i64, region: i64, posted: Posted) -> Result {
    let region = fastenings::region(desk.store, id, region).await?;
    let location = format!("/boats/{id}/refasten");
    let mut work = desk.store.begin(posted.act()).await?;
    work.withdraw_region(&region).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
