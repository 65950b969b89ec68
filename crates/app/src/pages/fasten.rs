//! Fasten: screws, drills, plugs and how many for each piece.

use askama::Template;
use mend_keel_core::fastening::{self, Joining, ScrewPlan};
use mend_keel_core::timber::species;
use mend_keel_store::decisions::{Geometry, Piece};
use mend_keel_store::plans::NewPlan;
use rocket::{get, post};
use serde_json::json;

use super::{BoatFile, Desk, Page, render, render_faulty};
use crate::auth::{BoatReader, Crew};
use crate::error::{Answer, AppError, Result};
use crate::form::{Faults, Posted, Reader, Typed};
use crate::view::reasons::{self, ReasonView};

#[derive(Template)]
#[template(path = "fasten.html")]
struct List {
    page: Page,
    boat_id: i64,
    pieces: Vec<PieceView>,
    typed: Typed,
    faults: Faults,
}

struct PieceView {
    id: i64,
    name: String,
    rows: Vec<(&'static str, String)>,
    reasons: Vec<ReasonView>,
    kept: bool,
    none: bool,
}

/// Fastenings a piece needs: those it swallows that held, or every crossing and butt of a stretch.
fn needed(file: &BoatFile, piece: &Piece, per_crossing: u32) -> u32 {
    let Ok(plank) = file.plank(piece.member_id) else {
        return 0;
    };
    let holes = file.holes(plank);
    match &piece.geometry {
        Geometry::Patch { swallowed, .. } => swallowed.len() as u32,
        Geometry::Stretch { from, to, width, new_fore, new_aft, scarf, .. } => {
            let crossings: std::collections::HashSet<&str> =
                holes.iter().filter(|h| h.x >= *from && h.x <= *to).filter_map(|h| h.id.split('.').next()).collect();
            let butts = if *scarf > 0.0 { 0 } else { u32::from(*new_fore) + u32::from(*new_aft) };
            crossings.len() as u32 * per_crossing + butts * 2 * fastening::per_butt_side(*width)
        }
        Geometry::Timber { .. } => 0,
    }
}

fn plan(file: &BoatFile, piece: &Piece, to_plane_off: f64) -> std::result::Result<ScrewPlan, AppError> {
    let plank = file.plank(piece.member_id)?;
    let broken = |e: mend_keel_core::InputError| AppError::Refused(e.to_string());
    let width = match piece.geometry {
        Geometry::Stretch { width, .. } => width,
        Geometry::Patch { .. } | Geometry::Timber { .. } => piece.width,
    };
    fastening::screws(&Joining {
        plank: species::find(&piece.species).map_err(broken)?,
        frame: species::find(&file.boat.frame_species).map_err(broken)?,
        plank_thickness: plank.thickness,
        plank_width: width,
        frame_moulded: file.boat.frame_moulded,
        to_plane_off,
    })
    .map_err(broken)
}

fn piece_view(
    desk: &Desk<'_>,
    file: &BoatFile,
    piece: &Piece,
    to_plane_off: f64,
) -> std::result::Result<PieceView, AppError> {
    let units = desk.units;
    let p = plan(file, piece, to_plane_off)?;
    let count = needed(file, piece, p.per_crossing);
    let (order, boxes) = fastening::order(count);
    let rows = vec![
        ("Screws", format!("gauge {} × {}, silicon bronze", p.gauge, units.len(p.length))),
        (
            "How many",
            format!(
                "{count}; with spares {order}, {boxes} box{} of {}",
                if boxes == 1 { "" } else { "es" },
                fastening::BOX
            ),
        ),
        ("Clearance in the plank", units.fine(p.pilot_plank)),
        ("Pilot in the frame", units.fine(p.pilot_frame)),
        ("Plug", units.fine(p.plug)),
        (
            "Bore the counterbore",
            format!(
                "{} deep now; the head ends {} below the finished face",
                units.fine(p.bored_depth),
                units.fine(p.head_depth)
            ),
        ),
        ("Thread in the frame", units.fine(p.hold)),
        (
            "Keep from edges and ends",
            format!(
                "{} and {}; stagger {}",
                units.fine(p.edge_distance),
                units.fine(p.end_distance),
                units.fine(p.stagger)
            ),
        ),
        ("Working load each", format!("{:.0} N", p.working_load)),
    ];
    Ok(PieceView {
        id: piece.id,
        name: piece.name.clone(),
        rows,
        reasons: reasons::views(&p.reasons, units),
        kept: file.fastenings.iter().any(|plan| plan.piece_id == Some(piece.id)),
        none: count == 0,
    })
}

/// Planed off after fastening unless somebody says otherwise, mm: what a piece is left proud.
const USUAL_PLANING: f64 = 2.0;

fn page(
    desk: &Desk<'_>,
    file: &BoatFile,
    to_plane_off: f64,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<List, AppError> {
    let pieces = file
        .pieces
        .iter()
        .filter(|p| file.plank(p.member_id).is_ok())
        .map(|p| piece_view(desk, file, p, to_plane_off))
        .collect::<std::result::Result<_, _>>()?;
    Ok(List { page: desk.boat_page(file, "Fasten", "fasten"), boat_id: file.boat.id, pieces, typed, faults })
}

#[get("/boats/<id>/fasten")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let typed = Typed::default().with("to_plane_off", desk.units.fine(USUAL_PLANING));
    render(&page(&desk, &file, USUAL_PLANING, typed, Faults::default())?)
}

#[post("/boats/<id>/fasten/<piece>", data = "<posted>")]
pub async fn keep(desk: Desk<'_>, _who: Crew, id: i64, piece: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let piece = file.pieces.iter().find(|p| p.id == piece).ok_or(AppError::NotFound("piece"))?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let to_plane_off = read.length("to_plane_off");
    if !(0.0..=20.0).contains(&to_plane_off) {
        read.faults.add(mend_keel_core::InputError::new("to_plane_off", "must be between 0 and 20 mm"));
    }
    if let Err(faults) = read.finish() {
        return render_faulty(&page(&desk, &file, USUAL_PLANING, posted.form.typed(), faults)?);
    }
    let p = plan(&file, piece, to_plane_off)?;
    let count = needed(&file, piece, p.per_crossing);
    let new = NewPlan {
        boat_id: id,
        member_id: Some(piece.member_id),
        piece_id: Some(piece.id),
        kind: "fasten",
        summary: format!(
            "Fastening planned for {}: {count} of gauge {} × {}",
            piece.name,
            p.gauge,
            desk.units.len(p.length)
        ),
        asked: json!({ "to_plane_off_mm": to_plane_off, "piece": piece.id }),
        answer: json!({ "gauge": p.gauge, "length_mm": p.length, "count": count, "pilot_plank_mm": p.pilot_plank,
            "pilot_frame_mm": p.pilot_frame, "plug_mm": p.plug, "bored_depth_mm": p.bored_depth, "head_depth_mm": p.head_depth,
            "reasons": p.reasons }),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_plan(&new).await?;
    let location = format!("/boats/{id}/fasten");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
