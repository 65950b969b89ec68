//! Fasten: screws, drills, plugs and how many for each piece.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::fastening::member::{self, Layers};
use mend_keel_core::fastening::region::{self, Drills, Fastener};
use mend_keel_core::fastening::through::{self, Kind};
use mend_keel_core::fastening::{self, Joining, pattern, record};
use mend_keel_core::grid::{Address, Between, Side};
use mend_keel_core::metals;
use mend_keel_core::reason::Reason;
use mend_keel_core::repair::graving;
use mend_keel_core::timber::species;
use mend_keel_core::units::LengthUnit;
use mend_keel_core::work::estimate::Operation;
use mend_keel_store::boats::Plank;
use mend_keel_store::decisions::{Geometry, Piece};
use mend_keel_store::fastenings;
use mend_keel_store::plans::NewPlan;
use rocket::{get, post};
use serde_json::json;

use crate::file::boat::BoatFile;
use crate::file::hanging;
use crate::pages::fasten::refasten::{self, AskingView, KINDS, size_and_length, size_text};
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
    /// The piece whose form was refused, with what was typed there.
    refused: Option<i64>,
    typed: Typed,
    faults: Faults,
}

impl List {
    /// Whether a piece's form was refused.
    fn is_refused(&self, piece: &PieceView) -> bool {
        self.refused == Some(piece.id)
    }

    /// Whether a kind stands chosen in a piece's form: as it was typed where that was refused, as it is kept otherwise.
    fn is_kind(&self, piece: &PieceView, code: &str) -> bool {
        if self.is_refused(piece) { self.typed.is("kind", code) } else { piece.kind == code }
    }

    /// A measure of a piece's form, likewise.
    fn measure<'v>(&'v self, piece: &PieceView, field: &str, kept: &'v str) -> &'v str {
        if self.is_refused(piece) { self.typed.get(field) } else { kept }
    }

    fn fault(&self, piece: &PieceView, field: &str) -> &str {
        if self.is_refused(piece) { self.faults.at(field) } else { "" }
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
    /// What its fastenings go through and into, of what is no plank: field, label and value, empty where nobody gave it.
    layers: Vec<(&'static str, &'static str, String)>,
}

/// Fastenings a piece needs: those it swallows that held, or every crossing and butt of a stretch.
fn needed(file: &BoatFile, piece: &Piece, per_crossing: u32) -> u32 {
    let Ok(plank) = file.plank(piece.member_id) else {
        return hanging::share(file, piece, Operation::Fasten, |_| true).round() as u32;
    };
    let holes = file.holes(plank);
    match &piece.geometry {
        // Old holes that held nothing are not fastened again.
        Geometry::Patch { swallowed, .. } => {
            let held = |id: &String| holes.iter().any(|h| h.live && h.id == *id);
            swallowed.iter().filter(|id| held(id)).count() as u32 + in_patched_laps(file, piece, plank)
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

/// Fastenings of the laps a patch reaches into, on a lapstrake hull.
fn in_patched_laps(file: &BoatFile, piece: &Piece, plank: &Plank) -> u32 {
    let (Geometry::Patch { outline, .. }, Between::Lap) = (&piece.geometry, file.boat.construction.between()) else {
        return 0;
    };
    let plank = graving::Plank::of(&plank.place(), &file.boat.shell, plank.thickness);
    graving::lapped(&plank, outline).iter().map(|length| fastening::in_lap(*length)).sum()
}

/// Whether a piece is solid wood of a part that is no plank.
fn is_of_wood(piece: &Piece) -> bool {
    matches!(piece.geometry, Geometry::Timber { sheet: false, .. } | Geometry::Patch { .. })
}

/// A plank's width where a piece goes in.
fn width_of(piece: &Piece) -> f64 {
    match piece.geometry {
        Geometry::Stretch { width, .. } => width,
        Geometry::Patch { .. } | Geometry::Timber { .. } => piece.width,
    }
}

/// The fastener for a piece; `None` where nobody said what it goes through.
fn plan(
    file: &BoatFile,
    piece: &Piece,
    asked: Asked,
    unit: LengthUnit,
) -> std::result::Result<Option<Fastener>, InputError> {
    let (layers, behind) = match (file.plank(piece.member_id), &piece.geometry, asked.layers) {
        // A backing piece lies behind its plank where no frame is.
        (Ok(plank), Geometry::Timber { .. }, _) => {
            (Layers { through: plank.thickness, into: piece.thickness }, &piece.species)
        }
        (Ok(plank), ..) => {
            (Layers { through: plank.thickness, into: file.boat.frame_moulded }, &file.boat.frame_species)
        }
        (Err(_), _, Some(layers)) => (layers, &piece.species),
        (Err(_), _, None) => return Ok(None),
    };
    // Of a frame, and behind a plank, the piece is what the planking is fastened to.
    let planked = part(file, piece).is_some_and(|p| p.kind.is_planked());
    let planking = if planked { &file.boat.plank_species } else { &piece.species };
    region::fastener(
        asked.kind,
        &Joining {
            plank: species::find(planking)?,
            frame: species::find(behind)?,
            plank_thickness: layers.through,
            plank_width: width_of(piece),
            frame_moulded: layers.into,
            to_plane_off: asked.to_plane_off,
        },
        unit,
    )
    .map(Some)
}

/// What is recorded of a part that is no plank, for its fastenings.
fn part(file: &BoatFile, piece: &Piece) -> Option<member::Piece> {
    let row = file.members.iter().find(|m| m.id == piece.member_id)?;
    let Geometry::Timber { width, thickness, scarf, .. } = piece.geometry else { return None };
    Some(member::Piece { kind: row.kind, moulded: width, thickness, of: row.thickness, is_scarfed: scarf > 0.0 })
}

/// What is still planed off after fastening, mm, the kind of fastening, and what it joins where that is no plank on a frame.
#[derive(Debug, Clone, Copy)]
struct Asked {
    to_plane_off: f64,
    kind: Kind,
    layers: Option<Layers>,
}

impl Asked {
    /// A lapstrake hull is riveted, any other screwed, unless somebody says otherwise.
    fn usual(file: &BoatFile) -> Self {
        let lap = file.boat.construction.between() == Between::Lap;
        Self { to_plane_off: USUAL_PLANING, kind: if lap { Kind::Rivet } else { Kind::Screw }, layers: None }
    }

    /// As her planking is recorded to be fastened at a place; the usual where nobody recorded it.
    fn planking(file: &BoatFile, side: Side, strake: u32, frame: u32) -> Self {
        let usual = Self::usual(file);
        let held = record::holding(&file.fastened, Address { side, strake, frame });
        Self { kind: held.map(|r| r.kind).filter(|k| KINDS.contains(k)).unwrap_or(usual.kind), ..usual }
    }

    /// As the planking is fastened where a piece lies, of planks and of what they are fastened to; a scarf of anything else is bolted, and
    /// what is let in is screwed.
    fn there(file: &BoatFile, piece: &Piece) -> Self {
        if let Ok(plank) = file.plank(piece.member_id) {
            let bays = plank.bays(file.boat.shell.frame_count());
            return Self::planking(file, plank.side, plank.strake, (bays.0 + bays.1) / 2);
        }
        let Some(part) = part(file, piece) else { return Self::usual(file) };
        let layers = member::layers(&part, file.boat.plank_thickness).map(|(layers, _)| layers);
        if part.kind.is_planked() {
            let row = file.members.iter().find(|m| m.id == piece.member_id);
            let (side, frame) = row.map_or((Side::Port, 1), |m| (m.side.unwrap_or(Side::Port), m.number.max(1)));
            let middle = file.boat.shell.strake_count().div_ceil(2);
            return Self { layers, ..Self::planking(file, side, middle, frame) };
        }
        let kind = if part.is_scarfed { Kind::Bolt } else { Kind::Screw };
        Self { kind, to_plane_off: 0.0, layers }
    }

    /// What was chosen for a piece; the usual where nothing was yet.
    fn chosen(file: &BoatFile, piece: &Piece) -> Option<Self> {
        let kept = file.fastening_of(piece.id)?;
        let kind = kept.asked["kind"].as_str().and_then(|code| KINDS.iter().copied().find(|k| k.code() == code))?;
        let layer = |key: &str| kept.asked[key].as_f64();
        let layers = layer("through_mm").zip(layer("into_mm")).map(|(through, into)| Layers { through, into });
        let layers = layers.or(Self::there(file, piece).layers);
        Some(Self { to_plane_off: kept.asked["to_plane_off_mm"].as_f64()?, kind, layers })
    }
}

/// Whether a piece's fastenings lie under water: those of planking on a frame do somewhere along it.
fn is_below(file: &BoatFile, piece: &Piece) -> bool {
    match file.plank(piece.member_id) {
        Ok(plank) => file.is_plank_below(plank),
        Err(_) => part(file, piece).is_some_and(|p| p.kind.is_planked() || p.kind.is_below_waterline()),
    }
}

fn piece_view(desk: &Desk<'_>, file: &BoatFile, piece: &Piece, asked: Asked) -> PieceView {
    let units = desk.units;
    let count = needed(file, piece, fastening::per_crossing(width_of(piece)));
    let mut view = PieceView {
        id: piece.id,
        name: piece.name.clone(),
        rows: Vec::new(),
        reasons: Vec::new(),
        kept: file.fastening_of(piece.id).is_some(),
        none: count == 0,
        kind: asked.kind.code(),
        to_plane_off: units.fine(asked.to_plane_off),
        layers: match file.plank(piece.member_id) {
            Ok(_) => Vec::new(),
            Err(_) => {
                let value = |of: fn(Layers) -> f64| asked.layers.map_or(String::new(), |l| units.fine(of(l)));
                vec![("through", "Goes through", value(|l| l.through)), ("into", "and into", value(|l| l.into))]
            }
        },
    };
    let how_many = {
        let (order, boxes) = fastening::order(count);
        let box_es = if boxes == 1 { "box" } else { "boxes" };
        ("How many", format!("{count}; with spares {order}, {boxes} {box_es} of {}", fastening::BOX))
    };
    let p = match plan(file, piece, asked, units.unit) {
        Ok(Some(p)) => p,
        Ok(None) => {
            view.rows = vec![how_many, ("Size", "give what it goes through and into: nobody recorded it".to_owned())];
            return view;
        }
        Err(e) => {
            view.rows = vec![how_many, ("Size", e.message)];
            return view;
        }
    };
    let (metal, why) = through::metal(p.kind, is_below(file, piece));
    let metal = metals::find(metal).map_or(String::new(), |m| m.name.to_lowercase());
    let d = p.size.diameter();
    let rows = &mut view.rows;
    rows.extend([(p.kind.label(), format!("{}, {metal}", size_and_length(&p, units))), how_many]);
    let laps = match (&piece.geometry, file.plank(piece.member_id)) {
        (Geometry::Stretch { from, to, .. }, _) => in_laps(file, to - from),
        (Geometry::Patch { .. }, Ok(plank)) => in_patched_laps(file, piece, plank),
        _ => 0,
    };
    if laps > 0 {
        let each = fastening::per_lap_bay(file.boat.shell.frame_space(), file.boat.frame_sided);
        // Between the frames it holds plank to plank, and is that much shorter.
        let thickness = file.plank(piece.member_id).map_or(piece.thickness, |plank| plank.thickness);
        let kind = if p.kind == Kind::Clench { Kind::Clench } else { Kind::Rivet };
        let size = through::nail(thickness, thickness, kind)
            .map(|n| {
                format!("; {} × {} through both", size_text(pattern::Size::Nail(n.shank), units), units.len(n.length))
            })
            .unwrap_or_default();
        rows.push((
            "In the laps",
            format!("{laps} of them: {each} in each lap between two frames, plank to plank{size}"),
        ));
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
    view.reasons = reasons::views(&reasons_of(file, piece, &p, why), units);
    view
}

/// Why a piece's fastenings are as they are: what they go through, their sizes, and what the wood is too narrow for.
fn reasons_of(file: &BoatFile, piece: &Piece, fastener: &Fastener, metal: Vec<Reason>) -> Vec<Reason> {
    let part = part(file, piece);
    let joined = part.and_then(|p| member::layers(&p, file.boat.plank_thickness)).map(|(_, why)| why);
    let narrow = part.and_then(|p| member::narrow(p.of, fastener.size));
    joined.into_iter().chain(fastener.reasons.clone()).chain(narrow).chain(metal).collect()
}

/// Planed off after fastening unless somebody says otherwise, mm: what a piece is left proud.
const USUAL_PLANING: f64 = 2.0;

/// A form that was refused: the piece it was for, what was typed and what is wrong with it.
struct Refused {
    piece: i64,
    typed: Typed,
    faults: Faults,
}

async fn page(desk: &Desk<'_>, file: &BoatFile, refused: Option<Refused>) -> std::result::Result<List, AppError> {
    let pieces = file
        .pieces
        .iter()
        .filter(|p| file.plank(p.member_id).is_ok() || is_of_wood(p))
        .map(|p| piece_view(desk, file, p, Asked::chosen(file, p).unwrap_or_else(|| Asked::there(file, p))))
        .collect();
    let regions = fastenings::regions(desk.store, file.boat.id).await?;
    let (refused, typed, faults) = match refused {
        Some(r) => (Some(r.piece), r.typed, r.faults),
        None => (None, Typed::default(), Faults::default()),
    };
    Ok(List {
        asking: refasten::asking(file, &regions),
        page: desk.boat_page(file, "Fasten", "fasten"),
        boat_id: file.boat.id,
        pieces,
        kinds: pairs(&KINDS, Kind::code, Kind::label),
        refused,
        typed,
        faults,
    })
}

#[get("/boats/<id>/fasten")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    render(&page(&desk, &file, None).await?)
}

#[post("/boats/<id>/fasten/<piece>", data = "<posted>")]
pub async fn keep(desk: Desk<'_>, _who: Crew, id: i64, piece: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let piece = file.pieces.iter().find(|p| p.id == piece).ok_or(AppError::NotFound("piece"))?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let to_plane_off = read.length("to_plane_off");
    if !(0.0..=20.0).contains(&to_plane_off) {
        read.faults.add(InputError::new("to_plane_off", "must be between 0 and 20 mm"));
    }
    let layers =
        file.plank(piece.member_id).is_err().then(|| Layers { through: read.size("through"), into: read.size("into") });
    let kind = read.choice("kind", |code| KINDS.iter().copied().find(|k| k.code() == code));
    let mut faults = read.faults;
    let planned = match kind {
        Some(kind) if faults.is_empty() => plan(&file, piece, Asked { to_plane_off, kind, layers }, desk.units.unit)
            .unwrap_or_else(|e| {
                faults.add_under(if layers.is_some() { "through" } else { "kind" }, e);
                None
            })
            .map(|p| (kind, p)),
        _ => None,
    };
    let Some((kind, p)) = planned else {
        let refused = Refused { piece: piece.id, typed: posted.form.typed(), faults };
        return render_faulty(&page(&desk, &file, Some(refused)).await?);
    };
    let count = needed(&file, piece, fastening::per_crossing(width_of(piece)));
    let drills = match &p.drills {
        Drills::Screw(s) => {
            json!({ "pilot_plank_mm": s.pilot_plank, "pilot_frame_mm": s.pilot_frame, "plug_mm": s.plug,
            "bored_depth_mm": s.bored_depth, "head_depth_mm": s.head_depth })
        }
        Drills::Nail(nail) => json!({ "drill_mm": nail.drill }),
        Drills::Bolt(clearance) => json!({ "clearance_mm": clearance }),
    };
    let reasons = reasons_of(&file, piece, &p, Vec::new());
    let new = NewPlan {
        boat_id: id,
        member_id: Some(piece.member_id),
        piece_id: Some(piece.id),
        kind: "fasten",
        summary: format!("Fastening planned for {}: {count} of {}", piece.name, size_and_length(&p, desk.units)),
        asked: json!({ "to_plane_off_mm": to_plane_off, "kind": kind, "piece": piece.id,
            "through_mm": layers.map(|l| l.through), "into_mm": layers.map(|l| l.into) }),
        answer: json!({ "gauge": p.size.gauge(), "diameter_mm": p.size.diameter(), "length_mm": p.length, "count": count,
            "drills": drills, "reasons": reasons }),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_plan(&new).await?;
    let location = format!("/boats/{id}/fasten");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
