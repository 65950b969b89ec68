//! Refasten: a region planned crossing by crossing among its old holes, ticked off on the boat, also without signal.

use std::collections::BTreeMap;
use std::fmt::Write;

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::fastening::pattern::{CrossingPlan, How};
use mend_keel_core::fastening::region::{self, Region as CoreRegion, RegionPlan};
use mend_keel_core::fastening::through::{self, At};
use mend_keel_core::fastening::{self, Joining};
use mend_keel_core::grid::{Address, Side};
use mend_keel_core::metals;
use mend_keel_core::timber::species;
use mend_keel_core::work::estimate::Operation;
use mend_keel_store::fastenings::{self, Done, NewRegion, Region};
use mend_keel_store::stores;
use rocket::{get, post};

use super::{BoatFile, Choices, Desk, Page, decide, pairs, render, render_faulty};
use crate::auth::{BoatReader, Crew};
use crate::error::{Answer, AppError, Result};
use crate::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed};
use crate::photos;
use crate::view::reasons::{self, ReasonView};
use crate::view::{self, Units, svg};

/// Metals new screws may be of.
const SCREWS: [&str; 3] = ["silicon_bronze", "monel", "stainless_316"];

#[derive(Template)]
#[template(path = "refasten_list.html")]
struct List {
    page: Page,
    boat_id: i64,
    rows: Vec<(i64, String, String, String)>,
    sides: Choices,
    metals: Choices,
    typed: Typed,
    faults: Faults,
}

/// The shanks of the old boat nails, by the plank's thickness, mm.
fn old_diameter(file: &BoatFile) -> f64 {
    through::nail_shank(file.boat.plank_thickness)
}

fn gauge(file: &BoatFile, region: &Region) -> std::result::Result<fastening::ScrewPlan, AppError> {
    let broken = |e: InputError| AppError::Refused(e.to_string());
    let at = Address { side: region.side, strake: region.strake_from, frame: region.frame_from };
    fastening::screws(&Joining {
        plank: species::find(&file.boat.plank_species).map_err(broken)?,
        frame: species::find(&file.boat.frame_species).map_err(broken)?,
        plank_thickness: file.boat.plank_thickness,
        plank_width: file.boat.shell.width(at),
        frame_moulded: file.boat.frame_moulded,
        to_plane_off: region.to_plane_off,
    })
    .map_err(broken)
}

fn plan(file: &BoatFile, region: &Region, gauge: u32) -> std::result::Result<RegionPlan, AppError> {
    let asked = CoreRegion {
        side: region.side,
        strakes: (region.strake_from, region.strake_to),
        frames: (region.frame_from, region.frame_to),
        gauge,
        frame_sided: file.boat.frame_sided,
        old_diameter: old_diameter(file),
    };
    let shell = &file.boat.shell;
    let ends = |strake: u32| {
        let joints = file.joints.iter().filter(move |j| j.side == region.side && j.strake == strake);
        joints.map(|j| shell.bay_middle(j.bay)).collect()
    };
    region::plan_region(shell, &asked, ends).map_err(|e| AppError::Refused(e.to_string()))
}

async fn list_page(
    desk: &Desk<'_>,
    file: &BoatFile,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<List, AppError> {
    let mut rows = Vec::new();
    for region in fastenings::regions(desk.store, file.boat.id).await? {
        let done = fastenings::done(desk.store, region.id).await?.len();
        let all = (region.strake_to - region.strake_from + 1) * (region.frame_to - region.frame_from + 1);
        let what = format!(
            "{} strakes {} to {}, frames {} to {}",
            region.side.label(),
            region.strake_from,
            region.strake_to,
            region.frame_from,
            region.frame_to
        );
        rows.push((region.id, region.name, what, format!("{done} of {all} crossings")));
    }
    Ok(List {
        page: desk.boat_page(file, "Refasten", "fasten"),
        boat_id: file.boat.id,
        rows,
        sides: pairs(&Side::BOTH, Side::code, Side::label),
        metals: SCREWS.iter().filter_map(|id| metals::find(id).ok()).map(|m| (m.id.clone(), m.name.clone())).collect(),
        typed,
        faults,
    })
}

#[get("/boats/<id>/refasten")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let typed = Typed::default().with("to_plane_off", desk.units.fine(0.0)).with("metal", "silicon_bronze");
    render(&list_page(&desk, &file, typed, Faults::default()).await?)
}

#[post("/boats/<id>/refasten", data = "<posted>")]
pub async fn create(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let name = read.name("name");
    let side = read.choice("side", Side::from_code);
    let (strakes, frames) = (file.boat.shell.strake_count(), file.boat.shell.frame_count());
    let s = (read.whole("strake_from", 1, strakes), read.whole("strake_to", 1, strakes));
    let f = (read.whole("frame_from", 1, frames), read.whole("frame_to", 1, frames));
    for (field, (a, b)) in [("strake_to", s), ("frame_to", f)] {
        if a > b && !read.faults.has(field) {
            read.faults.add(InputError::new(field, "must not be before the first"));
        }
    }
    let metal = read.choice("metal", |id| SCREWS.iter().find(|m| **m == id).copied());
    // What the metals check would say of the whole boat is said before it is planned.
    if metal == Some("stainless_316") && file.is_below_waterline(s.0) {
        read.faults.add(InputError::new(
            "metal",
            "stainless in wet wood is starved of oxygen and rots: bronze below the waterline",
        ));
    }
    let to_plane_off = read.length("to_plane_off");
    if !(0.0..=20.0).contains(&to_plane_off) && !to_plane_off.is_nan() {
        read.faults.add(InputError::new("to_plane_off", "must be between 0 and 20 mm"));
    }
    let (Some(side), Some(metal), true) = (side, metal, read.faults.is_empty()) else {
        return render_faulty(&list_page(&desk, &file, posted.form.typed(), read.faults).await?);
    };
    let new = NewRegion { boat_id: id, name, side, strakes: s, frames: f, metal: metal.to_owned(), to_plane_off };
    let mut work = desk.store.begin(posted.act()).await?;
    let region = work.add_region(&new).await?;
    let location = format!("/boats/{id}/refasten/{region}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[derive(Template)]
#[template(path = "refasten.html")]
struct Show {
    page: Page,
    boat_id: i64,
    region: i64,
    name: String,
    what: String,
    svg: String,
    facts: Vec<(&'static str, String)>,
    screws: Vec<(String, String, String)>,
    marked: Vec<(String, String, String)>,
    crossing: Option<CrossingView>,
    kind: Vec<ReasonView>,
    reasons: Vec<ReasonView>,
    typed: Typed,
    faults: Faults,
}

struct CrossingView {
    shown: String,
    strake: u32,
    frame: u32,
    svg: String,
    todo: Vec<String>,
    reasons: Vec<ReasonView>,
    done: Option<(String, Option<String>)>,
    renew: bool,
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
    let screw = gauge(file, region)?;
    let plan = plan(file, region, screw.gauge)?;
    let done = fastenings::done(desk.store, region.id).await?;
    let items = stores::items(desk.store).await?;
    let metal = metals::find(&region.metal).map_or(region.metal.clone(), |m| m.name.clone());
    let placed: u32 = plan.screws.values().map(|s| s.0).sum();
    let rates = decide::rates(desk).await?;
    let hours = f64::from(placed) * rates.get(&Operation::Fasten).copied().unwrap_or(Operation::Fasten.rate().0);
    let facts = vec![
        ("Crossings", plan.crossings.len().to_string()),
        ("Done", format!("{} of {}", done.len(), plan.crossings.len())),
        ("Screws", format!("gauge {} × {}, {}", screw.gauge, units.len(screw.length), metal.to_lowercase())),
        (
            "Pilot in the frame, clearance in the plank",
            format!("{} and {}", units.fine(screw.pilot_frame), units.fine(screw.pilot_plank)),
        ),
        ("Plug, bored to", format!("{} and {}", units.fine(screw.plug), units.fine(screw.bored_depth))),
        ("Bears each", format!("{:.0} N", screw.working_load)),
        ("Dowels", plan.dowels.to_string()),
        ("Hours", view::hours(hours)),
    ];
    let screws = plan
        .screws
        .iter()
        .map(|(gauge, (needed, spare, boxes))| {
            let there: f64 = items
                .iter()
                .filter(|i| {
                    i.kind == "fastening"
                        && i.name.to_lowercase().starts_with(&metal.to_lowercase())
                        && i.name.contains(&format!(" {gauge} ×"))
                })
                .map(|i| i.there - i.reserved)
                .sum();
            let short = f64::from(*spare) - there;
            let stores = if short > 0.0 {
                format!("▲ {there:.0} in the stores: {short:.0} to order")
            } else {
                format!("✓ {there:.0} in the stores")
            };
            (
                format!("gauge {gauge}"),
                format!("{needed}; with spares {spare}, {boxes} box{} of 100", if *boxes == 1 { "" } else { "es" }),
                stores,
            )
        })
        .collect();
    let marked = plan
        .crossings
        .iter()
        .filter(|(_, p)| p.renew)
        .map(|(at, p)| {
            let why = p.reasons.last().map_or(String::new(), |r| r.text.clone());
            (file.boat.shown(*at), format!("{}.{}", at.strake, at.frame), why)
        })
        .collect();
    let first_open = plan
        .crossings
        .iter()
        .find(|(a, p)| !p.renew && !done.iter().any(|d| (d.strake, d.frame) == (a.strake, a.frame)))
        .map(|(a, _)| (a.strake, a.frame));
    let chosen = at.or(first_open);
    let crossing = chosen.and_then(|(s, f)| {
        let (i, (at, p)) = plan.crossings.iter().enumerate().find(|(_, (a, _))| (a.strake, a.frame) == (s, f))?;
        Some(crossing_view(file, &plan, i, *at, p, &done, units))
    });
    let inside = through::choose(At { inside: true, lap: false, original: None, structural: false });
    let outside = through::choose(At { inside: false, lap: false, original: None, structural: false });
    let mut kind = inside.1;
    kind.extend(outside.1);
    Ok(Show {
        page: desk.boat_page(file, &region.name, "fasten"),
        boat_id: file.boat.id,
        region: region.id,
        name: region.name.clone(),
        what: format!(
            "{} strakes {} to {}, frames {} to {}",
            region.side.label(),
            region.strake_from,
            region.strake_to,
            region.frame_from,
            region.frame_to
        ),
        svg: draw_region(file, region, &plan, &done, chosen),
        facts,
        screws,
        marked,
        crossing,
        kind: reasons::views(&kind, units),
        reasons: reasons::views(&screw.reasons, units),
        typed,
        faults,
    })
}

fn crossing_view(
    file: &BoatFile,
    plan: &RegionPlan,
    i: usize,
    at: Address,
    p: &CrossingPlan,
    done: &[Done],
    units: Units,
) -> CrossingView {
    let is_done = |a: &Address| done.iter().find(|d| (d.strake, d.frame) == (a.strake, a.frame));
    let mut todo: Vec<String> = Vec::new();
    for old in &p.plug {
        todo.push(format!("Old hole {}: draw it, drill out and plug with an epoxied dowel", old + 1));
    }
    for (n, place) in p.places.iter().enumerate() {
        let where_ = format!(
            "{} up, {} {}",
            units.len(place.y),
            units.fine(place.x.abs()),
            if place.x < 0.0 { "forward of the frame’s middle" } else { "aft of it" }
        );
        let what = match place.how {
            How::New => "new hole in sound wood",
            How::Reuse => "in the old hole, two gauges up",
            How::BesidePlug => "beside the plug, once it has cured",
        };
        todo.push(format!("Screw {}: gauge {}, {what}, {where_}", n + 1, place.gauge));
    }
    let next = plan
        .crossings
        .iter()
        .skip(i + 1)
        .find(|(a, q)| !q.renew && is_done(a).is_none())
        .map(|(a, _)| (a.strake, a.frame));
    CrossingView {
        shown: file.boat.shown(at),
        strake: at.strake,
        frame: at.frame,
        svg: draw_crossing(file, at, p),
        todo,
        reasons: reasons::views(&p.reasons, units),
        done: is_done(&at).map(|d| {
            (
                format!(
                    "done {} by {}{}",
                    view::when(&d.at),
                    d.by_name,
                    if d.note.is_empty() { String::new() } else { format!(": {}", d.note) }
                ),
                d.photo.clone(),
            )
        }),
        renew: p.renew,
        next,
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
    for (at, p) in &plan.crossings {
        let x = ROOM.0 + f64::from(at.frame - region.frame_from) * CELL.0;
        let y = ROOM.1 + f64::from(region.strake_to - at.strake) * CELL.1;
        let is_done = ticked.contains_key(&(at.strake, at.frame));
        let word = region::word(p);
        let (letter, says) = match (is_done, word) {
            (true, _) => ("✓", "done"),
            (_, "renew") => ("✕", "renew or splice"),
            (_, "reuse") => ("↑", "two gauges up"),
            (_, "plug") => ("●", "plug, bore beside"),
            _ => ("+", "new places"),
        };
        let here = if chosen == Some((at.strake, at.frame)) { " here" } else { "" };
        let state = if is_done { "done" } else { word };
        let _ = write!(
            out,
            "<a href=\"?at={}.{}#crossing\" aria-label=\"{}: {says}\"><rect class=\"crossing-cell {state}{here}\" x=\"{:.1}\" y=\"{:.1}\" width=\"{:.1}\" height=\"{:.1}\"/><text class=\"crossing-sign {state}\" x=\"{:.1}\" y=\"{:.1}\">{letter}</text></a>",
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
            let shown = file.boat.shown(*at);
            let strake = shown.split(' ').next().unwrap_or_default();
            let _ = write!(
                out,
                "<text class=\"chart-text\" x=\"4\" y=\"{:.1}\">{}</text>",
                y + CELL.1 / 2.0 + 4.0,
                svg::safe(strake)
            );
        }
    }
    out + "</svg>"
}

/// One crossing at twice its size: the plank over the frame, old holes and new places.
fn draw_crossing(file: &BoatFile, at: Address, p: &CrossingPlan) -> String {
    let width = file.boat.shell.width(at);
    let sided = file.boat.frame_sided;
    let half = (sided / 2.0 + 40.0).max(80.0);
    let (w, h) = (2.0 * half + 40.0, width + 40.0);
    let place = |x: f64, y: f64| [20.0 + half + x, 20.0 + width - y];
    let mut out = format!(
        "<svg class=\"crossing-drawing\" viewBox=\"0 0 {w:.0} {h:.0}\" role=\"img\" aria-label=\"Old holes and new places\"><rect class=\"plank-face\" x=\"20\" y=\"20\" width=\"{:.1}\" height=\"{width:.1}\"/><rect class=\"frame-band\" x=\"{:.1}\" y=\"20\" width=\"{sided:.1}\" height=\"{width:.1}\"/>",
        2.0 * half,
        20.0 + half - sided / 2.0
    );
    let old = fastening::crossing(width);
    let d = old_diameter(file);
    for (i, y) in old.iter().enumerate() {
        let [cx, cy] = place(0.0, *y);
        let plugged = p.plug.contains(&i);
        let _ = write!(
            out,
            "<circle class=\"old-hole{}\" cx=\"{cx:.1}\" cy=\"{cy:.1}\" r=\"{:.1}\"/><text class=\"chart-text end\" x=\"{:.1}\" y=\"{:.1}\">{}{}</text>",
            if plugged { " plugged" } else { "" },
            d / 2.0 + 1.0,
            cx - d / 2.0 - 4.0,
            cy + 4.0,
            i + 1,
            if plugged { " plug" } else { "" }
        );
    }
    for (n, new) in p.places.iter().enumerate() {
        let [cx, cy] = place(new.x, new.y);
        let _ = write!(
            out,
            "<circle class=\"new-screw\" cx=\"{cx:.1}\" cy=\"{cy:.1}\" r=\"{:.1}\"/><path class=\"screw-slot\" d=\"M{:.1} {cy:.1}h{:.1}\"/><text class=\"corner-number\" x=\"{:.1}\" y=\"{:.1}\">{} · {}</text>",
            new.diameter,
            cx - new.diameter * 0.7,
            new.diameter * 1.4,
            cx + new.diameter + 3.0,
            cy + 4.0,
            n + 1,
            new.gauge
        );
    }
    out + "</svg>"
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
    let uploads = std::mem::take(&mut posted.form.uploads);
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let strake = read.whole("strake", region.strake_from, region.strake_to);
    let frame = read.whole("frame", region.frame_from, region.frame_to);
    let note = read.text("note", NOTE_LIMIT);
    let mut photo = None;
    if let Some(upload) = uploads.into_iter().next() {
        match photos::file(&desk.settings.folder.photos(), upload).await {
            Ok(hash) => photo = Some(hash),
            Err(e) => read.faults.add(e),
        }
    }
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
