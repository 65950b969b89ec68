//! Fasten: screws, drills, plugs and how many for each piece.

use askama::Template;
use mend_keel_core::fastening::region::{self, Drills, Fastener};
use mend_keel_core::fastening::through::{self, Kind};
use mend_keel_core::fastening::{self, Joining, pattern, record};
use mend_keel_core::grid::{Address, Between};
use mend_keel_core::metals;
use mend_keel_core::repair::graving;
use mend_keel_core::timber::species;
use mend_keel_core::units::LengthUnit;
use mend_keel_store::decisions::{Geometry, Piece};
use mend_keel_store::fastenings;
use mend_keel_store::plans::NewPlan;
use rocket::{get, post};
use serde_json::json;

use crate::file::boat::BoatFile;
use crate::pages::fasten::refasten::{self, AskingView, KINDS, size_and_length};
use crate::view::reasons::{self, ReasonView};
use crate::web::auth::{BoatReader, Crew};
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "fasten/planned.html")]
struct List {
    page: Page,
    boat_id: i64,
    asking: AskingView,
    pieces: Vec<PieceView>,
    kinds: Choices,
    typed: Typed,
    faults: Faults,
}

impl List {
    /// Whether a kind stands chosen in a piece's form: as it was typed where that was refused, as it is kept otherwise.
    fn is_kind(&self, piece: &PieceView, code: &str) -> bool {
        if self.faults.is_empty() { piece.kind == code } else { self.typed.is("kind", code) }
    }
}

struct PieceView {
    id: i64,
    name: String,
    rows: Vec<(&'static str, String)>,
    reasons: Vec<ReasonView>,
    kept: bool,
    none: bool,
    /// As it was chosen, or as it is usual.
    kind: &'static str,
    to_plane_off: String,
}

/// Fastenings a piece needs: those it swallows that held, or every crossing and butt of a stretch.
fn needed(file: &BoatFile, piece: &Piece, per_crossing: u32) -> u32 {
    let Ok(plank) = file.plank(piece.member_id) else {
        return of_member(file, piece);
    };
    let holes = file.holes(plank);
    match &piece.geometry {
        // Old holes that held nothing are not fastened again.
        Geometry::Patch { swallowed, .. } => {
            let held = |id: &String| holes.iter().any(|h| h.live && h.id == *id);
            swallowed.iter().filter(|id| held(id)).count() as u32
        }
        Geometry::Stretch { from, to, width, new_fore, new_aft, scarf, .. } => {
            let crossings: std::collections::HashSet<&str> =
                holes.iter().filter(|h| h.x >= *from && h.x <= *to).filter_map(|h| h.id.split('.').next()).collect();
            let butts = if *scarf > 0.0 { 0 } else { u32::from(*new_fore) + u32::from(*new_aft) };
            crossings.len() as u32 * per_crossing
                + butts * 2 * fastening::per_butt_side(*width)
                + in_laps(file, to - from)
        }
        // A backing piece.
        Geometry::Timber { from, to, width, .. } => graving::lap_fastenings(to - from, *width),
    }
}

/// Fastenings of the laps between the frames of so much plank, on a lapstrake hull.
fn in_laps(file: &BoatFile, length: f64) -> u32 {
    match file.boat.construction.between() {
        Between::Lap => fastening::in_laps(length, file.boat.shell.frame_space(), file.boat.frame_sided),
        _ => 0,
    }
}

/// Whether a piece is solid wood of a part that is no plank.
fn is_of_wood(piece: &Piece) -> bool {
    matches!(piece.geometry, Geometry::Timber { sheet: false, .. })
}

/// Fastenings of a piece of a frame, a beam or the backbone: what its decision counted.
fn of_member(file: &BoatFile, piece: &Piece) -> u32 {
    let fasten = |t: &&mend_keel_store::tasks::Task| {
        t.decision_id == Some(piece.decision_id) && t.operation == mend_keel_core::work::estimate::Operation::Fasten
    };
    file.tasks.iter().filter(fasten).map(|t| t.amount.round() as u32).sum()
}

/// A plank's width where a piece goes in.
fn width_of(piece: &Piece) -> f64 {
    match piece.geometry {
        Geometry::Stretch { width, .. } => width,
        Geometry::Patch { .. } | Geometry::Timber { .. } => piece.width,
    }
}

fn plan(file: &BoatFile, piece: &Piece, asked: Asked, unit: LengthUnit) -> std::result::Result<Fastener, AppError> {
    let thickness = match file.plank(piece.member_id) {
        Ok(plank) => plank.thickness,
        // What goes through a frame or a beam goes through as much of it as the piece is thick.
        Err(_) => piece.thickness,
    };
    let broken = |e: mend_keel_core::InputError| AppError::Refused(e.to_string());
    region::fastener(
        asked.kind,
        &Joining {
            plank: species::find(&piece.species).map_err(broken)?,
            frame: species::find(&file.boat.frame_species).map_err(broken)?,
            plank_thickness: thickness,
            plank_width: width_of(piece),
            frame_moulded: file.boat.frame_moulded,
            to_plane_off: asked.to_plane_off,
        },
        unit,
    )
    .map_err(broken)
}

/// What is still planed off after fastening, mm, and the kind of fastening.
#[derive(Debug, Clone, Copy)]
struct Asked {
    to_plane_off: f64,
    kind: Kind,
}

impl Asked {
    /// A lapstrake hull is riveted, any other screwed, unless somebody says otherwise.
    fn usual(file: &BoatFile) -> Self {
        let lap = file.boat.construction.between() == Between::Lap;
        Self { to_plane_off: USUAL_PLANING, kind: if lap { Kind::Rivet } else { Kind::Screw } }
    }

    /// As her planking is recorded to be fastened where a piece lies; the usual where nobody recorded it. What is no plank is bolted
    /// where it is scarfed, screwed where not.
    fn there(file: &BoatFile, piece: &Piece) -> Self {
        let usual = Self::usual(file);
        let Ok(plank) = file.plank(piece.member_id) else {
            let scarfed = matches!(piece.geometry, Geometry::Timber { scarf, .. } if scarf > 0.0);
            return Self { kind: if scarfed { Kind::Bolt } else { Kind::Screw }, to_plane_off: 0.0 };
        };
        let bays = plank.bays(file.boat.shell.frame_count());
        let at = Address { side: plank.side, strake: plank.strake, frame: (bays.0 + bays.1) / 2 };
        let kind = record::holding(&file.fastened, at).map(|r| r.kind).filter(|k| KINDS.contains(k));
        Self { kind: kind.unwrap_or(usual.kind), ..usual }
    }

    /// What was chosen for a piece; the usual where nothing was yet.
    fn chosen(file: &BoatFile, piece: &Piece) -> Option<Self> {
        let kept = file.fastening_of(piece.id)?;
        let kind = kept.asked["kind"].as_str().and_then(|code| KINDS.iter().copied().find(|k| k.code() == code))?;
        Some(Self { to_plane_off: kept.asked["to_plane_off_mm"].as_f64()?, kind })
    }
}

fn piece_view(
    desk: &Desk<'_>,
    file: &BoatFile,
    piece: &Piece,
    asked: Asked,
) -> std::result::Result<PieceView, AppError> {
    let units = desk.units;
    let p = plan(file, piece, asked, units.unit)?;
    let count = needed(file, piece, fastening::per_crossing(width_of(piece)));
    let (order, boxes) = fastening::order(count);
    let below = file.plank(piece.member_id).is_ok_and(|plank| file.is_plank_below(plank));
    let (metal, why) = through::metal(p.kind, below);
    let metal = metals::find(metal).map_or(String::new(), |m| m.name.to_lowercase());
    let d = p.size.diameter();
    let mut rows = vec![
        (p.kind.label(), format!("{}, {metal}", size_and_length(&p, units))),
        (
            "How many",
            format!(
                "{count}; with spares {order}, {boxes} box{} of {}",
                if boxes == 1 { "" } else { "es" },
                fastening::BOX
            ),
        ),
    ];
    if let Geometry::Stretch { from, to, .. } = piece.geometry
        && in_laps(file, to - from) > 0
    {
        let each = fastening::per_lap_bay(file.boat.shell.frame_space(), file.boat.frame_sided);
        let says =
            format!("{} of them: {each} in each lap between two frames, plank to plank", in_laps(file, to - from));
        rows.push(("In the laps", says));
    }
    match &p.drills {
        Drills::Screw(screw) => rows.extend([
            ("Clearance in the plank", units.drill(screw.pilot_plank)),
            ("Pilot in the frame", units.drill(screw.pilot_frame)),
            ("Plug", units.fine(screw.plug)),
            (
                "Bore the counterbore",
                format!(
                    "{} deep now; the head ends {} below the finished face",
                    units.fine(screw.bored_depth),
                    units.fine(screw.head_depth)
                ),
            ),
            ("Thread in the frame", units.fine(screw.hold)),
            ("Working load each", format!("{:.0} N", screw.working_load)),
        ]),
        Drills::Nail(nail) => rows.push(("Drill", units.drill(nail.drill))),
        Drills::Bolt(clearance) => rows.push(("Clearance drill", units.drill(*clearance))),
    }
    rows.push((
        "Keep from edges and ends",
        format!(
            "{} and {}; stagger {}",
            units.fine(pattern::edge_distance(d)),
            units.fine(pattern::END * d),
            units.fine(pattern::STAGGER * d)
        ),
    ));
    let mut all = p.reasons.clone();
    all.extend(why);
    Ok(PieceView {
        id: piece.id,
        name: piece.name.clone(),
        rows,
        reasons: reasons::views(&all, units),
        kept: file.fastenings.iter().any(|plan| plan.piece_id == Some(piece.id)),
        none: count == 0,
        kind: p.kind.code(),
        to_plane_off: units.fine(asked.to_plane_off),
    })
}

/// Planed off after fastening unless somebody says otherwise, mm: what a piece is left proud.
const USUAL_PLANING: f64 = 2.0;

async fn page(
    desk: &Desk<'_>,
    file: &BoatFile,
    asked: Option<Asked>,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<List, AppError> {
    let pieces = file
        .pieces
        .iter()
        .filter(|p| file.plank(p.member_id).is_ok() || is_of_wood(p))
        .map(|p| {
            let there = asked.unwrap_or_else(|| Asked::there(file, p));
            piece_view(desk, file, p, Asked::chosen(file, p).unwrap_or(there))
        })
        .collect::<std::result::Result<_, _>>()?;
    let regions = fastenings::regions(desk.store, file.boat.id).await?;
    Ok(List {
        asking: refasten::asking(file, &regions),
        page: desk.boat_page(file, "Fasten", "fasten"),
        boat_id: file.boat.id,
        pieces,
        kinds: pairs(&KINDS, Kind::code, Kind::label),
        typed,
        faults,
    })
}

#[get("/boats/<id>/fasten")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let usual = Asked::usual(&file);
    let typed =
        Typed::default().with("to_plane_off", desk.units.fine(usual.to_plane_off)).with("kind", usual.kind.code());
    render(&page(&desk, &file, None, typed, Faults::default()).await?)
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
    let kind = read.choice("kind", |code| KINDS.iter().copied().find(|k| k.code() == code));
    let (Some(kind), true) = (kind, read.faults.is_empty()) else {
        return render_faulty(&page(&desk, &file, Some(Asked::usual(&file)), posted.form.typed(), read.faults).await?);
    };
    let p = plan(&file, piece, Asked { to_plane_off, kind }, desk.units.unit)?;
    let count = needed(&file, piece, fastening::per_crossing(width_of(piece)));
    let drills = match &p.drills {
        Drills::Screw(s) => {
            json!({ "pilot_plank_mm": s.pilot_plank, "pilot_frame_mm": s.pilot_frame, "plug_mm": s.plug,
            "bored_depth_mm": s.bored_depth, "head_depth_mm": s.head_depth })
        }
        Drills::Nail(nail) => json!({ "drill_mm": nail.drill }),
        Drills::Bolt(clearance) => json!({ "clearance_mm": clearance }),
    };
    let new = NewPlan {
        boat_id: id,
        member_id: Some(piece.member_id),
        piece_id: Some(piece.id),
        kind: "fasten",
        summary: format!("Fastening planned for {}: {count} of {}", piece.name, size_and_length(&p, desk.units)),
        asked: json!({ "to_plane_off_mm": to_plane_off, "kind": kind, "piece": piece.id }),
        answer: json!({ "gauge": p.size.gauge(), "diameter_mm": p.size.diameter(), "length_mm": p.length, "count": count,
            "drills": drills, "reasons": p.reasons }),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_plan(&new).await?;
    let location = format!("/boats/{id}/fasten");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
