//! Shape: the pieces to be made, each drawn to scale from a datum, and the shift of butts over both sides.

use askama::Template;

use mend_keel_core::repair::{butts, graving, scarf};
use mend_keel_store::boats::Plank;
use mend_keel_store::decisions::{self, Geometry, Piece};
use rocket::get;

use super::{BoatFile, Desk, Page, render};
use crate::auth::BoatReader;
use crate::error::{AppError, Result};
use crate::view::layers::Layers;
use crate::view::map::Map;
use crate::view::piece::{self as drawing, Corner};
use crate::view::plank::{Mark, PlankView};
use crate::view::reasons::{self, ReasonView};

#[derive(Template)]
#[template(path = "shape.html")]
struct List {
    page: Page,
    boat_id: i64,
    pieces: Vec<Row>,
    rule: String,
    broken: Vec<Broken>,
    joints: usize,
    svg: String,
}

struct Row {
    id: i64,
    name: String,
    blank: String,
    state: &'static str,
}

struct Broken {
    a: String,
    b: String,
    a_place: String,
    text: String,
    side: &'static str,
}

#[get("/boats/<id>/shape")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let violations = file.violations();
    let rule = file.butt_rule();
    let broken = violations
        .iter()
        .map(|v| {
            let (a, b) = (file.joints[v.a], file.joints[v.b]);
            Broken {
                a: a.to_string(),
                b: b.to_string(),
                a_place: format!("{}{} F{}", a.side.letter(), a.strake, a.bay.max(1)),
                text: v.conflict.text(),
                side: a.side.label(),
            }
        })
        .collect();
    let layers = Layers::default();
    let map = Map {
        boat: &file.boat,
        planks: &file.planks,
        findings: &[],
        decisions: &file.decisions,
        pieces: &file.pieces,
        joints: &file.joints,
        violations: &violations,
        selected: None,
        layers: &layers,
        layer: "",
    };
    render(&List {
        svg: map.draw(),
        page: desk.boat_page(&file, "Shape", "shape"),
        boat_id: id,
        pieces: file.pieces.iter().map(|p| row(&desk, p)).collect(),
        rule: format!(
            "neighbouring strakes {} frame spaces, one strake between {}, same bay only with {} strakes between, no piece under {}",
            rule.adjacent, rule.one_between, rule.same_bay_between, rule.min_piece
        ),
        broken,
        joints: file.joints.len(),
    })
}

fn row(desk: &Desk<'_>, piece: &Piece) -> Row {
    Row { id: piece.id, name: piece.name.clone(), blank: blank(desk, piece), state: piece.state.label() }
}

pub fn blank(desk: &Desk<'_>, piece: &Piece) -> String {
    desk.units.dims(&[piece.length, piece.width, piece.thickness])
}

#[derive(Template)]
#[template(path = "piece.html")]
struct Show {
    page: Page,
    boat_id: i64,
    member_id: i64,
    untreated: Vec<String>,
    name: String,
    state: &'static str,
    svg: String,
    corners: Vec<Corner>,
    datum: String,
    facts: Vec<(&'static str, String)>,
    swallowed: Vec<String>,
    scarf: Vec<(&'static str, String)>,
    reasons: Vec<ReasonView>,
}

#[get("/boats/<id>/pieces/<piece>")]
pub async fn piece(desk: Desk<'_>, _who: BoatReader, id: i64, piece: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let piece = decisions::piece(desk.store, id, piece).await?;
    let plank = file.plank(piece.member_id)?;
    let Described { outline, mut facts, swallowed, scarf } = described(&desk, &piece, plank)?;
    if matches!(piece.geometry, Geometry::Stretch { scarf, new_fore, new_aft, .. } if scarf == 0.0 && (new_fore || new_aft))
    {
        let bay_clear = file.boat.shell.frame_space() - file.boat.frame_sided;
        let (length, thickness) = butts::block(plank.thickness, bay_clear);
        facts.push(("Butt block", format!("{}, clear of both frames by 15 mm", desk.units.dims(&[length, thickness]))));
    }
    let (from, _) = plank.place().span(&file.boat.shell);
    let x0 = outline.iter().map(|p| p[0]).fold(f64::INFINITY, f64::min);
    let x1 = outline.iter().map(|p| p[0]).fold(f64::NEG_INFINITY, f64::max);
    let datum = datum_frame(&file, from + x0);
    let datum_x = file.boat.datum(datum) - from;
    let drawn = stretch(&file, plank, x0.min(datum_x) - 120.0, x1 + 120.0, vec![outline.clone()]);
    render(&Show {
        svg: drawing::draw(&drawn, &outline, (datum, datum_x), desk.units),
        page: desk.boat_page(&file, &piece.name, "shape"),
        boat_id: id,
        member_id: plank.id,
        untreated: file.untreated(piece.member_id),
        name: piece.name.clone(),
        state: piece.state.label(),
        corners: drawing::corners(&outline, datum_x, desk.units),
        datum: format!("frame {datum}, after edge"),
        facts,
        swallowed,
        scarf,
        reasons: file.decision(plank.id).map(|d| reasons::kept(&d.body["reasons"], desk.units)).unwrap_or_default(),
    })
}

type Facts = Vec<(&'static str, String)>;

/// A piece in words and as an outline, x from the plank's fore joint.
struct Described {
    outline: Vec<[f64; 2]>,
    facts: Facts,
    /// Fastenings that disappear under it.
    swallowed: Vec<String>,
    scarf: Facts,
}

fn described(desk: &Desk<'_>, piece: &Piece, plank: &Plank) -> std::result::Result<Described, AppError> {
    let units = desk.units;
    match &piece.geometry {
        Geometry::Patch { outline, depth, through, area, swallowed, to_edge } => {
            let glue = graving::glue_grams(outline, *depth, *through);
            let facts = vec![
                (
                    "Depth",
                    if *through {
                        format!("{} — right through, with a backing piece", units.fine(*depth))
                    } else {
                        units.fine(*depth)
                    },
                ),
                ("Piece, before planing flush", units.fine(piece.thickness)),
                ("Blank", blank(desk, piece)),
                ("Area", format!("{:.0} cm²", area / 100.0)),
                (
                    "Runs out to",
                    match to_edge.as_str() {
                        "lower" => "the lower edge",
                        "upper" => "the upper edge",
                        "both" => "both edges",
                        _ => "no edge",
                    }
                    .to_owned(),
                ),
                ("Clamps", graving::clamps(piece.length, piece.width).to_string()),
                ("Glue", format!("{glue:.0} g mixed: 0.30 kg/m² of joint and 15 %")),
            ];
            Ok(Described { outline: outline.clone(), facts, swallowed: swallowed.clone(), scarf: Vec::new() })
        }
        Geometry::Stretch { from, to, width, new_fore, new_aft, scarf, fore_bay, aft_bay } => {
            let end = |new: bool, bay: &Option<u32>| match (new, bay) {
                (true, Some(bay)) if *scarf > 0.0 => format!("scarf in bay {bay}"),
                (true, Some(bay)) => format!("butt in bay {bay}"),
                _ => "the old end".to_owned(),
            };
            let facts = vec![
                ("Length", units.run(to - from)),
                ("Greatest width", units.len(*width)),
                ("Fore end", end(*new_fore, fore_bay)),
                ("After end", end(*new_aft, aft_bay)),
                ("Blank", blank(desk, piece)),
            ];
            let outline = vec![[*from, 0.0], [*to, 0.0], [*to, *width], [*from, *width]];
            let joint = if *scarf > 0.0 { scarf_facts(units, plank, *width)? } else { Vec::new() };
            Ok(Described { outline, facts, swallowed: Vec::new(), scarf: joint })
        }
    }
}

fn scarf_facts(units: crate::view::Units, plank: &Plank, width: f64) -> std::result::Result<Facts, AppError> {
    let joint =
        scarf::plan(plank.thickness, width, scarf::PLANKING_RATIO).map_err(|e| AppError::Broken(e.to_string()))?;
    Ok(vec![
        ("Ratio", format!("{:.0} : 1", scarf::PLANKING_RATIO)),
        ("Length", units.len(joint.length)),
        ("Points", "outer feather edge aft".to_owned()),
        ("Glue area", format!("{:.0} cm² each", joint.glue_area / 100.0)),
        ("Strength", crate::view::percent(joint.efficiency)),
        ("Nib, where nibbed", units.fine(joint.nib)),
    ])
}

/// The frame at or forward of a place.
fn datum_frame(file: &BoatFile, x: f64) -> u32 {
    (1..=file.boat.shell.frame_count()).take_while(|f| file.boat.datum(*f) <= x).last().unwrap_or(1)
}

/// A stretch of a plank with all that is on it, x from its fore joint.
fn stretch(file: &BoatFile, plank: &Plank, from: f64, to: f64, outlines: Vec<Vec<[f64; 2]>>) -> PlankView {
    let shell = &file.boat.shell;
    let (origin, end) = plank.place().span(shell);
    let (from, to) = (from.max(0.0), to.min(end - origin));
    let marks = file
        .on_plank(plank)
        .map(|(f, at)| Mark { kind: f.kind, certainty: f.certainty, shape: file.shape_on_plank(plank, f, at) })
        .filter(|m| m.shape.iter().all(|p| p[0] >= from && p[0] <= to))
        .collect();
    PlankView {
        from,
        to,
        upper: shell.strake_width_line(plank.side, plank.strake, origin + from, origin + to, origin),
        frames: (1..=shell.frame_count())
            .map(|n| (n, shell.frame_x(n) - origin))
            .filter(|(_, x)| *x >= from && *x <= to)
            .collect(),
        frame_sided: file.boat.frame_sided,
        holes: file.holes(plank).into_iter().filter(|h| h.x >= from && h.x <= to).collect(),
        marks,
        outlines,
        ends: [0.0, end - origin].into_iter().filter(|x| *x >= from && *x <= to).collect(),
    }
}
