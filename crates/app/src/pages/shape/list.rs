//! Shape: the pieces to be made, the shapes taken from the boat, and the shift of butts over both sides.

use askama::Template;
use mend_keel_core::shape::pattern::{self, Allowances};
use mend_keel_core::shape::spiling::Way;
use mend_keel_store::decisions::Piece;
use rocket::get;

use crate::file::boat::BoatFile;
use crate::view::layers::Layers;
use crate::view::map::Map;
use crate::web::auth::BoatReader;
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render};
use crate::web::error::Result;

#[derive(Template)]
#[template(path = "shape/list.html")]
struct List {
    page: Page,
    boat_id: i64,
    pieces: Vec<Row>,
    rule: String,
    broken: Vec<Broken>,
    joints: usize,
    /// Joints that nobody saw.
    assumed: usize,
    svg: String,
    shapes: Vec<Shape>,
    ways: Choices,
    /// Parts a shape may be taken of.
    parts: Choices,
}

struct Shape {
    id: i64,
    name: String,
    part: String,
    way: &'static str,
    by: String,
    suspects: usize,
    /// Why it cannot be drawn.
    fault: String,
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
    let map = Map { findings: &[], violations: &violations, layer: "", ..file.planking(&layers) };
    let shapes = file
        .captures
        .iter()
        .map(|c| {
            let plan = c.capture.edges().and_then(|edges| pattern::plan(&edges, c.tolerance, Allowances::default()));
            Shape {
                id: c.id,
                name: c.name.clone(),
                part: file.part_name(c.member_id).unwrap_or_default(),
                way: c.capture.way().label(),
                by: c.by_name.clone(),
                suspects: plan.as_ref().map_or(0, |p| p.suspects.len()),
                fault: plan.err().map_or(String::new(), |e| e.message),
            }
        })
        .collect();
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
        assumed: file.assumed_joints.len(),
        shapes,
        ways: pairs(Way::ALL, Way::code, Way::label),
        parts: [Way::Batten, Way::Rib].into_iter().flat_map(|way| super::capture::parts(&file, way)).collect(),
    })
}

fn row(desk: &Desk<'_>, piece: &Piece) -> Row {
    Row {
        id: piece.id,
        name: piece.name.clone(),
        blank: crate::view::piece::blank(desk.units, piece),
        state: piece.state.label(),
    }
}
