//! Frames: each one's section and bevels out of the table of offsets, and how a new one is made.

use askama::Template;
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::repair::decide::member::{Curve, Rib, Way, which_way};
use mend_keel_core::shape::bend::{self, SteamRisk, Steaming};
use mend_keel_core::shape::frame::{self, FrameShape, Scantling};
use mend_keel_core::timber::species::{self, Species};
use mend_keel_core::{InputError, Verdict};
use mend_keel_store::members::MemberRow;
use rocket::{FromForm, get};

use crate::file::boat::BoatFile;
use crate::file::decide;
use crate::view::reasons::{self, ReasonView};
use crate::view::{Units, paper, shape as drawing};
use crate::web::auth::BoatReader;
use crate::web::desk::{Desk, Page, render};
use crate::web::drawn;
use crate::web::error::{AppError, Result};
use crate::web::form::{Faults, Typed};

#[derive(Template)]
#[template(path = "shape/frames.html")]
struct List {
    page: Page,
    boat_id: i64,
    rows: Vec<Row>,
    has_offsets: bool,
}

struct Row {
    id: i64,
    name: String,
    girth: String,
    radius: String,
    bevel: String,
    way: &'static str,
    found: usize,
}

fn frames(file: &BoatFile) -> impl Iterator<Item = &MemberRow> {
    file.members.iter().filter(|m| m.kind == MemberKind::Frame)
}

fn radius_words(shape: &FrameShape, units: Units) -> String {
    shape.radius.map_or("nearly straight".to_owned(), |r| units.len(r))
}

/// A frame that is to be made new.
fn rib(m: &MemberRow, shape: Option<&FrameShape>) -> Rib {
    let curve = shape.map_or(Curve::Unknown, |shape| shape.curve(m.width));
    Rib { moulded: m.width, length: m.length, curve, steams: true }
}

/// The way that speaks best for itself.
fn best_way(species: &Species, m: &MemberRow, shape: Option<&FrameShape>, crook: bool) -> &'static str {
    if shape.is_none() {
        return "curve not known";
    }
    let ways = which_way(Some(species), &rib(m, shape), crook);
    let worst = |w: &Way| w.reasons.iter().map(|r| r.verdict).max();
    let best = ways.iter().min_by_key(|w| worst(w).unwrap_or(Verdict::Note));
    best.map_or("", |w| w.kind.label())
}

#[get("/boats/<id>/frames")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let rows = frames(&file)
        .map(|m| {
            let shape = decide::frame_shape(&file, m);
            let wood = species::find(&m.species).ok();
            Row {
                id: m.id,
                name: m.name.clone(),
                girth: shape.as_ref().map_or(desk.units.run(m.length), |s| desk.units.run(s.girth)),
                radius: shape.as_ref().map_or(String::new(), |s| radius_words(s, desk.units)),
                bevel: shape
                    .as_ref()
                    .filter(|s| !s.bevels.is_empty())
                    .map_or(String::new(), |s| format!("{:+.1}°", s.most_bevel)),
                way: wood.map_or("", |w| best_way(w, m, shape.as_ref(), false)),
                found: file.found_on(m.id).count(),
            }
        })
        .collect();
    render(&List {
        page: desk.boat_page(&file, "Frames", "shape"),
        boat_id: id,
        rows,
        has_offsets: file.boat.offsets.is_some(),
    })
}

#[derive(Template)]
#[template(path = "shape/frame.html")]
struct Show {
    page: Page,
    boat_id: i64,
    member_id: i64,
    name: String,
    /// The template its shape is by, and who took it.
    template: Option<(i64, String)>,
    none: String,
    svg: String,
    facts: Vec<(&'static str, String)>,
    bevels: Vec<(String, String, String)>,
    ways: Vec<WayView>,
    moulds: Vec<MouldView>,
    steam: Vec<(&'static str, String)>,
    steam_runs: Vec<(usize, String, String)>,
    steam_caution: &'static str,
    typed: Typed,
    faults: Faults,
}

struct WayView {
    label: &'static str,
    forbidden: bool,
    reasons: Vec<ReasonView>,
}

struct MouldView {
    label: &'static str,
    facts: Vec<(&'static str, String)>,
    reasons: Vec<ReasonView>,
}

/// How the page is asked for.
#[derive(Debug, Default, FromForm)]
pub struct Asked<'r> {
    crook: Option<&'r str>,
    pieces: Option<&'r str>,
    holds: Option<&'r str>,
    seconds: Option<&'r str>,
}

fn frame_of(file: &BoatFile, id: i64) -> std::result::Result<&MemberRow, AppError> {
    frames(file).find(|m| m.id == id).ok_or(AppError::NotFound("frame"))
}

fn mould_views(shape: &FrameShape, m: &MemberRow, wood: &Species, units: Units) -> Vec<MouldView> {
    let scantling = Scantling { sided: m.thickness, moulded: m.width };
    let Ok(moulds) = frame::moulds(shape, scantling, wood) else { return Vec::new() };
    moulds
        .into_iter()
        .map(|mould| {
            let mut facts = vec![("Pieces", mould.pieces.to_string()), ("Stock for each", units.dims(&mould.stock))];
            if mould.plies > 1 {
                facts.push(("Plies", format!("{} of {}", mould.plies, units.fine(mould.ply_thickness))));
            }
            if let Some(radius) = mould.former_radius {
                facts.push(("Former, inside radius", units.len(radius)));
            }
            if let Some((rise, over)) = mould.rises {
                facts
                    .push(("Rise of the frame, of the former", format!("{} and {}", units.len(rise), units.len(over))));
            }
            if mould.spring_back > 0.0 {
                facts.push(("Springs back", format!("{:.1} % of its rise", mould.spring_back * 100.0)));
            }
            MouldView { label: mould.way.label(), facts, reasons: reasons::views(&mould.reasons, units) }
        })
        .collect()
}

/// A number as it was asked for, or what is usual.
fn asked_number(text: Option<&str>, field: &str, usual: f64, most: f64, faults: &mut Faults) -> f64 {
    let Some(text) = text.map(|t| t.trim().replace(',', ".")).filter(|t| !t.is_empty()) else { return usual };
    match text.parse::<f64>() {
        Ok(n) if (1.0..=most).contains(&n) => n,
        _ => {
            faults.add(InputError::new(field, format!("must be between 1 and {most:.0}")));
            usual
        }
    }
}

fn facts(shape: &FrameShape, m: &MemberRow, units: Units) -> Vec<(&'static str, String)> {
    let mut facts = vec![
        ("Girth", units.run(shape.girth)),
        ("Tightest radius, outside", radius_words(shape, units)),
        ("That is, up from the heel", units.len(shape.tightest_at)),
        ("Sided, moulded", units.dims(&[m.thickness, m.width])),
    ];
    if shape.bevels.is_empty() {
        facts.push(("Bevels", "not known: nobody took them".to_owned()));
        return facts;
    }
    let turns = if shape.turns { "yes: square somewhere along it" } else { "no: one way all along" };
    facts.extend([
        ("Greatest bevel", format!("{:+.1}°", shape.most_bevel)),
        ("Extra width for it", units.fine(frame::bevel_width(m.thickness, shape.most_bevel))),
        ("Bevel turns", turns.to_owned()),
    ]);
    facts
}

#[get("/boats/<id>/frames/<member>?<asked..>")]
pub async fn show(desk: Desk<'_>, _who: BoatReader, id: i64, member: i64, asked: Asked<'_>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let m = frame_of(&file, member)?;
    let units = desk.units;
    let wood = species::find(&m.species).map_err(|e| AppError::Refused(e.message))?;
    let crook = asked.crook.is_some_and(|c| c == "1");
    let shape = decide::frame_shape(&file, m);
    let radius = shape.as_ref().and_then(|s| s.radius);
    let mut faults = Faults::said_in(desk.units);
    let ways = which_way(Some(wood), &rib(m, shape.as_ref()), crook)
        .into_iter()
        .map(|w| WayView {
            label: w.kind.label(),
            forbidden: w.reasons.iter().any(|r| r.verdict == Verdict::Forbids),
            reasons: reasons::views(&w.reasons, units),
        })
        .collect();
    let pieces = asked_number(asked.pieces, "pieces", 1.0, 200.0, &mut faults);
    let holds = asked_number(asked.holds, "holds", 3.0, 50.0, &mut faults);
    let seconds = asked_number(asked.seconds, "seconds", 25.0, 600.0, &mut faults);
    // Without a shape nobody knows how far it bends: then there is no session to plan.
    let bent = radius.map(|r| bend::plan(&bend::Request::air_dried(wood, m.width, (r - m.width).max(m.width))));
    let (mut steam, mut steam_runs) = (Vec::new(), Vec::new());
    match bent {
        None => steam.push(("Not known", "how far it bends: take its shape first".to_owned())),
        Some(bent) => {
            let risk = bent.map(|b| b.steam_risk).unwrap_or(SteamRisk::Breaks);
            let job = Steaming {
                pieces: pieces as u32,
                risk,
                thickness: m.width,
                box_takes: holds as u32,
                fitting_seconds: seconds,
            };
            match bend::steaming(&job) {
                Ok(plan) => {
                    steam.push(("Made, with spares", format!("{} and {} spare", job.pieces, plan.spares)));
                    steam.push((
                        "In the box",
                        format!("{:.0} min each, no more than {:.0}", plan.minutes, plan.most_minutes),
                    ));
                    let quick =
                        if plan.in_time { "quick enough" } else { "too slow: more hands, or closer to the box" };
                    steam.push(("On the former within", format!("{:.0} s; {quick}", plan.working_seconds)));
                    let all = plan.runs.last().map_or(0.0, |r| r.1);
                    steam.push(("The whole session", format!("{:.0} h {:.0} min", (all / 60.0).floor(), all % 60.0)));
                    let runs = plan.runs.iter().enumerate().take(60);
                    steam_runs = runs
                        .map(|(i, (start, end))| (i + 1, format!("{start:.0} min"), format!("{end:.0} min")))
                        .collect();
                }
                Err(e) => steam.push(("Not steamed", e.message)),
            }
        }
    }
    let typed = Typed::default()
        .with("crook", if crook { "1" } else { "" })
        .with("pieces", asked.pieces.unwrap_or("1"))
        .with("holds", asked.holds.unwrap_or("3"))
        .with("seconds", asked.seconds.unwrap_or("25"));
    let (svg, facts, bevels, moulds, none) = match &shape {
        Some(shape) => (
            drawing::frame(shape, m.width, units),
            facts(shape, m, units),
            shape
                .bevels
                .iter()
                .map(|b| (units.len(b.along), units.len(b.height), format!("{:+.1}°", b.bevel)))
                .collect(),
            mould_views(shape, m, wood, units),
            String::new(),
        ),
        None => {
            let why = match &file.boat.offsets {
                None => {
                    "No table of offsets is kept of her: with one, every frame’s section and bevels are drawn here. Or take this frame’s template with a straight edge."
                }
                Some(_) => {
                    "The table of offsets does not reach this frame, or gives too few points here. Take its template with a straight edge."
                }
            };
            (String::new(), Vec::new(), Vec::new(), Vec::new(), why.to_owned())
        }
    };
    render(&Show {
        page: desk.boat_page(&file, &m.name, "shape"),
        boat_id: id,
        member_id: m.id,
        name: m.name.clone(),
        template: decide::template(&file, m.id).map(|(row, _)| (row.id, row.by_name.clone())),
        none,
        svg,
        facts,
        bevels,
        ways,
        moulds,
        steam,
        steam_runs,
        steam_caution: mend_keel_core::caution::Caution::Steam.text(),
        typed,
        faults,
    })
}

/// A frame's mould as a file.
#[get("/boats/<id>/frames/<member>/file/<kind>")]
pub async fn file(desk: Desk<'_>, _who: BoatReader, id: i64, member: i64, kind: &str) -> Result {
    let boat = BoatFile::load(desk.store, id).await?;
    let m = frame_of(&boat, member)?;
    let shape =
        decide::frame_shape(&boat, m).filter(|s| !s.taken).ok_or(AppError::NotFound("section of this frame"))?;
    drawn::file(&paper::mould(&format!("Mould of {}, {}", m.name, boat.boat.name), &shape, m.width), kind).await
}
