//! Taking the shape: what was measured on the boat, faired, with what to measure again, and the pattern to cut by.

use askama::Template;
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::shape::bend::{self, EDGE_SET_LIMIT};
use mend_keel_core::shape::covering::{self, Finish};
use mend_keel_core::shape::pattern::{self, Allowances, Pattern};
use mend_keel_core::shape::spiling::{Arc, Capture, Edge, Girth, MOST_BEVEL, RibTick, Tick, Way};
use mend_keel_core::shape::{frame, hollow};
use mend_keel_core::timber::species;
use mend_keel_core::units::parse_length;
use mend_keel_core::{InputError, Reason};
use mend_keel_exchange::drawing::dxf;
use mend_keel_exchange::drawing::outline::{self, Fault, UNITS};
use mend_keel_store::captures::{self, CaptureRow, NewCapture};
use mend_keel_store::decisions::{Piece, PieceState};
use mend_keel_store::{StoreError, Work};
use rocket::{FromForm, get, post};

use crate::file::boat::BoatFile;
use crate::file::decide;
use crate::file::shape::{self, allowances, caulked, plan, thickness};
use crate::view::reasons::{self, ReasonView};
use crate::view::{self, Units, paper, shape as drawing};
use crate::web::auth::{BoatReader, Crew};
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::drawn;
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Submission, Typed};

/// Rows shown in an empty table.
const ROWS: usize = 10;
/// Rows left empty at the end of a filled one.
const MORE: usize = 2;
/// Most rows of a form.
const MOST: usize = 60;

#[derive(Template)]
#[template(path = "shape/capture_form.html")]
struct Form {
    page: Page,
    boat_id: i64,
    /// The shape that is measured again.
    capture: Option<i64>,
    action: String,
    way: &'static str,
    ways: Choices,
    parts: Choices,
    columns: Vec<Column>,
    rows: Vec<usize>,
    edges: Choices,
    units: Choices,
    /// It is a frame's: with a moulded size, without a radius of the frames.
    rib: bool,
    hint: &'static str,
    theirs: Vec<(&'static str, String, String)>,
    typed: Typed,
    faults: Faults,
    /// The field to begin at.
    focus: String,
}

/// A column of the table: the fields' name, its head, and whether a choice of edge.
struct Column {
    name: &'static str,
    head: &'static str,
    edge: bool,
}

fn columns(way: Way) -> Vec<Column> {
    let column = |name, head| Column { name, head, edge: false };
    match way {
        Way::Batten => {
            vec![column("x", "Along the batten"), column("l", "To the lower edge"), column("u", "To the upper edge")]
        }
        Way::Arcs => vec![
            Column { name: "e", head: "Edge", edge: true },
            column("ax", "First mark, along"),
            column("ay", "up"),
            column("bx", "Second mark, along"),
            column("by", "up"),
        ],
        Way::Strip | Way::Pattern => Vec::new(),
        Way::Offsets => vec![
            column("x", "Station"),
            column("lb", "Lower, half-breadth"),
            column("lh", "Lower, height"),
            column("ub", "Upper, half-breadth"),
            column("uh", "Upper, height"),
        ],
        Way::Rib => vec![
            column("x", "Up along the straight edge"),
            column("l", "Out to the inside"),
            column("u", "Out to the outside"),
            column("b", "Bevel, °"),
        ],
    }
}

fn hint(way: Way) -> &'static str {
    match way {
        Way::Batten => {
            "Lay a straight batten along the opening; at each frame and butt measure from its reference line square to both edges. Negative where an edge lies on the other side of the line."
        }
        Way::Arcs => {
            "One opening of the compass for the whole batten. From each point of an edge strike two marks on the batten, and measure where they lie along it and up from its line."
        }
        Way::Strip => "Points all round the strip template, in order, from any corner. The last one joins the first.",
        Way::Pattern => "Trace the old plank: points all round it in order, or a DXF or CSV of them.",
        Way::Offsets => "Where both edges cross each station. The plank is laid flat from it, its lengths kept true.",
        Way::Rib => {
            "Stand a straight edge inside the frame from heel to head, or under a beam from end to end. From the heel up, measure square to it out to the frame’s inside and to its outside; leave the inside empty all along and it is laid the moulded size in. Bevels where you took them: + where the hull narrows going aft."
        }
    }
}

/// Kinds whose shape is taken with a straight edge.
fn is_rib(kind: MemberKind) -> bool {
    matches!(kind, MemberKind::Frame | MemberKind::Floor | MemberKind::Beam)
}

/// Parts a shape may be taken of.
pub fn parts(file: &BoatFile, way: Way) -> Choices {
    if way == Way::Rib {
        let ribs = file.members.iter().filter(|m| is_rib(m.kind));
        let mut all: Vec<_> = ribs.map(|m| (m.id.to_string(), m.name.clone(), file.found_on(m.id).count())).collect();
        // What something was found on comes first.
        all.sort_by_key(|(.., found)| *found == 0);
        return all.into_iter().map(|(id, name, _)| (id, name)).collect();
    }
    let asked: Vec<i64> = file.pieces.iter().map(|p| p.member_id).chain(file.asking().iter().map(|a| a.id)).collect();
    let planks = file.planks.iter().map(|p| (p.id, p.name()));
    let boards = file.members.iter().filter(|m| m.kind.is_planking()).map(|m| (m.id, m.name.clone()));
    let mut all: Vec<(i64, String)> = planks.chain(boards).collect();
    // What is being worked on comes first.
    all.sort_by_key(|(id, _)| !asked.contains(id));
    all.into_iter().map(|(id, name)| (id.to_string(), name)).collect()
}

struct FormParts {
    way: Way,
    capture: Option<i64>,
    typed: Typed,
    faults: Faults,
    theirs: Vec<(&'static str, String, String)>,
    focus: String,
}

fn form(desk: &Desk<'_>, file: &BoatFile, parts_of: FormParts) -> Form {
    let FormParts { way, capture, typed, faults, theirs, focus } = parts_of;
    let names = columns(way);
    let filled = (0..MOST)
        .rev()
        .find(|i| names.iter().any(|c| !c.edge && !typed.get(&format!("{}{i}", c.name)).trim().is_empty()))
        .map_or(0, |i| i + 1);
    let count = (filled + MORE).clamp(ROWS, MOST);
    let action = match capture {
        Some(id) => format!("/boats/{}/shapes/{id}", file.boat.id),
        None => format!("/boats/{}/shapes/new", file.boat.id),
    };
    let mut units: Choices = vec![(String::new(), "as the file says".to_owned())];
    units.extend(UNITS.iter().map(|(code, label, _)| ((*code).to_owned(), (*label).to_owned())));
    Form {
        page: desk.boat_page(file, "Take the shape", "shape"),
        boat_id: file.boat.id,
        capture,
        action,
        way: way.code(),
        ways: pairs(Way::ALL, Way::code, Way::label),
        parts: parts(file, way),
        columns: names,
        rows: (0..count).collect(),
        edges: pairs(Edge::ALL, Edge::code, Edge::label),
        units,
        rib: way == Way::Rib,
        hint: hint(way),
        theirs,
        typed,
        faults,
        focus,
    }
}

#[get("/boats/<id>/shapes/new?<part>&<way>")]
pub async fn new_form(desk: Desk<'_>, _who: Crew, id: i64, part: Option<i64>, way: Option<&str>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let part = part.filter(|p| file.part_name(*p).is_some());
    let member = file.members.iter().find(|m| Some(m.id) == part);
    let usual = if member.is_some_and(|m| is_rib(m.kind)) { Way::Rib } else { Way::Batten };
    let way = way.and_then(Way::from_code).unwrap_or(usual);
    let typed = Typed::default()
        .with("moulded", member.map_or(String::new(), |m| desk.units.exact(m.width)))
        .with("part", part.map_or(String::new(), |p| p.to_string()))
        .with("tolerance", desk.units.fine(mend_keel_core::shape::fair::TOLERANCE));
    let parts =
        FormParts { way, capture: None, typed, faults: Faults::default(), theirs: Vec::new(), focus: String::new() };
    render(&form(&desk, &file, parts))
}

/// A shape as the form has it, for typing it over.
fn as_typed(row: &CaptureRow, units: Units) -> Typed {
    let mut typed = Typed::default()
        .with("part", row.member_id.to_string())
        .with("name", row.name.clone())
        .with("tolerance", units.exact(row.tolerance))
        .with("radius", row.radius.map_or(String::new(), |r| units.exact(r)))
        .with("note", row.note.clone())
        .with("version", row.version.to_string());
    let mut put = |name: String, value: Option<f64>| {
        typed = std::mem::take(&mut typed).with(&name, value.map_or(String::new(), |v| units.exact(v)));
    };
    match &row.capture {
        Capture::Batten { ticks } => {
            for (i, t) in ticks.iter().enumerate() {
                put(format!("x{i}"), Some(t.x));
                put(format!("l{i}"), t.lower);
                put(format!("u{i}"), t.upper);
            }
        }
        Capture::Arcs { radius, arcs } => {
            put("compass".to_owned(), Some(*radius));
            for (i, a) in arcs.iter().enumerate() {
                for (name, value) in [("ax", a.a[0]), ("ay", a.a[1]), ("bx", a.b[0]), ("by", a.b[1])] {
                    put(format!("{name}{i}"), Some(value));
                }
                put(format!("e{i}"), None);
            }
            for (i, a) in arcs.iter().enumerate() {
                typed = typed.with(&format!("e{i}"), a.edge.code());
            }
        }
        Capture::Strip { points } | Capture::Pattern { points } => {
            let lines: Vec<String> =
                points.iter().map(|p| format!("{}, {}", units.exact(p[0]), units.exact(p[1]))).collect();
            typed = typed.with("points", lines.join("\n"));
        }
        Capture::Rib { moulded, ticks } => {
            put("moulded".to_owned(), Some(*moulded));
            for (i, t) in ticks.iter().enumerate() {
                put(format!("x{i}"), Some(t.x));
                put(format!("l{i}"), t.inside);
                put(format!("u{i}"), t.outside);
            }
            for (i, bevel) in ticks.iter().enumerate().filter_map(|(i, t)| Some((i, t.bevel?))) {
                typed = typed.with(&format!("b{i}"), bevel.to_string());
            }
        }
        Capture::Offsets { stations } => {
            for (i, s) in stations.iter().enumerate() {
                for (name, value) in
                    [("x", s.x), ("lb", s.lower[0]), ("lh", s.lower[1]), ("ub", s.upper[0]), ("uh", s.upper[1])]
                {
                    put(format!("{name}{i}"), Some(value));
                }
            }
        }
    }
    typed
}

/// What the form says. Faults of the core's rows are put at the form's own fields.
fn read(desk: &Desk<'_>, file: &BoatFile, submitted: &mut Submission, way: Way) -> (Option<NewCapture>, Faults, Typed) {
    let mut file_fault = None;
    let mut typed = submitted.typed();
    if matches!(way, Way::Strip | Way::Pattern)
        && let Some(upload) = submitted.uploads.first()
    {
        let found = if upload.too_large {
            Err("is too large".to_owned())
        } else {
            outline_of(&upload.bytes, submitted.get("unit"))
        };
        match found {
            // What was read is kept in the form: a file need not be picked again.
            Ok(points) => {
                let lines: Vec<String> = points.iter().map(|p| format!("{:.3} mm, {:.3} mm", p[0], p[1])).collect();
                submitted.set("points", lines.join("\n"));
                typed = submitted.typed();
            }
            Err(message) => file_fault = Some(message),
        }
    }
    let mut form = Reader::new(submitted, desk.units.unit);
    let member_id = submitted.get("part").parse::<i64>().ok().filter(|p| file.part_name(*p).is_some());
    if member_id.is_none() {
        form.faults.add(InputError::new("part", "choose the part it was taken of"));
    }
    let name = form.text("name", crate::web::form::NAME_LIMIT);
    let note = form.text("note", NOTE_LIMIT);
    let tolerance = form.length("tolerance");
    if !(0.0..=50.0).contains(&tolerance) && !tolerance.is_nan() {
        form.faults.add(InputError::new("tolerance", "must be between 0 and 50 mm"));
    }
    let radius = form.optional_length("radius");
    if radius.is_some_and(|r| r <= 0.0) {
        form.faults.add(InputError::new("radius", "must be greater than 0; leave it empty where it is nearly flat"));
    }
    let (capture, rows) = read_rows(&mut form, submitted, way);
    let mut faults = form.faults;
    if let Some(message) = file_fault {
        faults.add(InputError::new("file", message));
    }
    if faults.is_empty()
        && let Err(e) = capture.edges().and_then(|edges| pattern::plan(&edges, tolerance, Allowances::default()))
    {
        faults.add(InputError::new(form_field(&e.field, &rows, way), e.message));
    }
    let name = if name.is_empty() { member_id.and_then(|p| file.part_name(p)).unwrap_or_default() } else { name };
    let new = (faults.is_empty()).then(|| NewCapture {
        boat_id: file.boat.id,
        member_id: member_id.unwrap_or_default(),
        name,
        capture,
        tolerance,
        radius,
        note,
    });
    (new, faults, typed)
}

/// The field of the form a fault of the core belongs to: `rows[3].lower` is `l7` when the fourth row filled is the form's eighth.
fn form_field(field: &str, rows: &[usize], way: Way) -> String {
    let outline = matches!(way, Way::Strip | Way::Pattern);
    let Some(rest) = field.strip_prefix("rows[") else {
        return match field {
            "radius" if way == Way::Arcs => "compass".to_owned(),
            "rows" if outline => "points".to_owned(),
            other => other.to_owned(),
        };
    };
    if outline {
        return "points".to_owned();
    }
    let (number, part) = rest.split_once(']').unwrap_or((rest, ""));
    let row = number.parse::<usize>().ok().and_then(|i| rows.get(i)).copied().unwrap_or(0);
    let name = match part.trim_start_matches('.') {
        "lower" => "l",
        "upper" => "u",
        "bevel" => "b",
        "" if way == Way::Arcs => "ax",
        "" => "x",
        name => name,
    };
    format!("{name}{row}")
}

fn read_rows(form: &mut Reader<'_>, submitted: &Submission, way: Way) -> (Capture, Vec<usize>) {
    let names = columns(way);
    let filled =
        |i: usize| names.iter().any(|c| !c.edge && !submitted.get(&format!("{}{i}", c.name)).trim().is_empty());
    let rows: Vec<usize> = (0..MOST).filter(|i| filled(*i)).collect();
    let capture = match way {
        Way::Batten => Capture::Batten {
            ticks: rows
                .iter()
                .map(|i| Tick {
                    x: form.length(&format!("x{i}")),
                    lower: form.optional_length(&format!("l{i}")),
                    upper: form.optional_length(&format!("u{i}")),
                })
                .collect(),
        },
        Way::Arcs => Capture::Arcs {
            radius: form.size("compass"),
            arcs: rows
                .iter()
                .map(|i| Arc {
                    edge: form.choice(&format!("e{i}"), Edge::from_code).unwrap_or(Edge::Lower),
                    a: [form.length(&format!("ax{i}")), form.length(&format!("ay{i}"))],
                    b: [form.length(&format!("bx{i}")), form.length(&format!("by{i}"))],
                })
                .collect(),
        },
        Way::Strip => Capture::Strip { points: form.points("points") },
        Way::Pattern => Capture::Pattern { points: form.points("points") },
        Way::Rib => Capture::Rib {
            moulded: form.size("moulded"),
            ticks: rows
                .iter()
                .map(|i| RibTick {
                    x: form.length(&format!("x{i}")),
                    inside: form.optional_length(&format!("l{i}")),
                    outside: form.optional_length(&format!("u{i}")),
                    bevel: form.optional_number(&format!("b{i}"), -MOST_BEVEL, MOST_BEVEL),
                })
                .collect(),
        },
        Way::Offsets => Capture::Offsets {
            stations: rows
                .iter()
                .map(|i| Girth {
                    x: form.length(&format!("x{i}")),
                    lower: [form.length(&format!("lb{i}")), form.length(&format!("lh{i}"))],
                    upper: [form.length(&format!("ub{i}")), form.length(&format!("uh{i}"))],
                })
                .collect(),
        },
    };
    (capture, rows)
}

/// Most points of an outline that a form still holds.
const FORM_POINTS: usize = 190;

/// The outline in a DXF or a CSV, mm.
fn outline_of(bytes: &[u8], unit: &str) -> std::result::Result<Vec<[f64; 2]>, String> {
    let head = String::from_utf8_lossy(&bytes[..bytes.len().min(400)]).to_uppercase();
    let found = if head.contains("SECTION") || head.contains("AUTOCAD BINARY DXF") {
        dxf::read(bytes)?
    } else {
        outline::read_csv(bytes)?
    };
    let asked = UNITS.iter().find(|u| u.0 == unit).map(|u| u.2);
    let points = outline::largest(&found, asked).map_err(|fault| match fault {
        Fault::Unit => "the file does not say its unit: choose it below and pick the file again".to_owned(),
        Fault::Refused(why) => why,
    })?;
    if points.len() <= FORM_POINTS {
        return Ok(points);
    }
    let step = points.len() as f64 / FORM_POINTS as f64;
    Ok((0..FORM_POINTS).map(|i| points[(i as f64 * step) as usize]).collect())
}

/// New wood for the part takes the size of the shape's blank, as long as it is not cut: lengths of plank that of its pattern, a whole frame
/// or beam that of its mould.
async fn becomes_piece(work: &mut Work, file: &BoatFile, new: &NewCapture) -> std::result::Result<(), AppError> {
    let Ok(pattern) = shape::pattern_of(file, new.member_id, &new.capture, new.tolerance) else { return Ok(()) };
    let uncut: Vec<&Piece> =
        file.pieces.iter().filter(|p| p.member_id == new.member_id && p.state != PieceState::Cut).collect();
    let its = |p: &&&Piece| shape::is_length(file, p) && shape::may_be_of(file, p, &new.capture);
    for piece in uncut.iter().filter(its) {
        let blank = [pattern.blank_length, pattern.blank_width, piece.thickness];
        work.size_piece(piece, blank, &piece.geometry.as_wide(pattern.widest), &new.name).await?;
    }
    let Capture::Rib { ticks, .. } = &new.capture else { return Ok(()) };
    let whole: Vec<&Piece> = uncut.into_iter().filter(|p| decide::is_whole_piece(file, p)).collect();
    let way = file.decision(new.member_id).map(|d| d.kind);
    let member = file.members.iter().find(|m| m.id == new.member_id);
    let mould = member.zip(way).and_then(|(m, way)| decide::mould_of(&frame::taken(&pattern, ticks), m, way));
    // Where it now wants another number of futtocks than was decided on, it is decided on anew.
    if let Some(mould) = mould.filter(|m| m.pieces as usize == whole.len()) {
        for piece in whole {
            work.size_piece(piece, mould.blank(), &piece.geometry, &new.name).await?;
        }
    }
    Ok(())
}

#[post("/boats/<id>/shapes/new", data = "<posted>")]
pub async fn create(desk: Desk<'_>, _who: Crew, id: i64, mut posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let way = Way::from_code(posted.form.get("way")).unwrap_or(Way::Batten);
    let (new, faults, typed) = read(&desk, &file, &mut posted.form, way);
    let Some(new) = new else {
        let parts = FormParts { way, capture: None, typed, faults, theirs: Vec::new(), focus: String::new() };
        return render_faulty(&form(&desk, &file, parts));
    };
    let mut work = desk.store.begin(posted.act()).await?;
    let capture = work.add_capture(&new).await?;
    becomes_piece(&mut work, &file, &new).await?;
    let location = format!("/boats/{id}/shapes/{capture}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[get("/boats/<id>/shapes/<capture>/edit?<row>&<edge>")]
pub async fn edit_form(
    desk: Desk<'_>,
    _who: Crew,
    id: i64,
    capture: i64,
    row: Option<usize>,
    edge: Option<&str>,
) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let kept = captures::find(desk.store, id, capture).await?;
    let way = kept.capture.way();
    let column = match (way, edge) {
        (Way::Batten | Way::Rib, Some("upper")) => "u",
        (Way::Batten | Way::Rib, _) => "l",
        (Way::Offsets, Some("upper")) => "ub",
        (Way::Offsets, _) => "lb",
        (Way::Arcs, _) => "ax",
        _ => "points",
    };
    let focus = row.filter(|r| *r < MOST && column != "points").map_or(String::new(), |r| format!("{column}{r}"));
    let parts = FormParts {
        way,
        capture: Some(kept.id),
        typed: as_typed(&kept, desk.units),
        faults: Faults::default(),
        theirs: Vec::new(),
        focus,
    };
    render(&form(&desk, &file, parts))
}

#[post("/boats/<id>/shapes/<capture>", data = "<posted>", rank = 2)]
pub async fn change(desk: Desk<'_>, _who: Crew, id: i64, capture: i64, mut posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let kept = captures::find(desk.store, id, capture).await?;
    let way = kept.capture.way();
    let (new, faults, typed) = read(&desk, &file, &mut posted.form, way);
    let version: i64 = posted.form.get("version").parse().unwrap_or(0);
    let again =
        |typed, faults, theirs| FormParts { way, capture: Some(capture), typed, faults, theirs, focus: String::new() };
    let Some(new) = new else {
        return render_faulty(&form(&desk, &file, again(typed, faults, Vec::new())));
    };
    let location = format!("/boats/{id}/shapes/{capture}");
    let mut work = desk.store.begin(posted.act()).await?;
    match work.change_capture(capture, version, &new).await {
        Ok(()) => becomes_piece(&mut work, &file, &new).await?,
        Err(StoreError::Stale(_)) => {
            drop(work);
            let theirs = as_typed(&kept, desk.units);
            let mut labels: Vec<(String, &'static str)> = Vec::new();
            for c in columns(way) {
                labels.extend((0..MOST).map(|i| (format!("{}{i}", c.name), c.head)));
            }
            let fields: Vec<(&str, &'static str)> = labels.iter().map(|(name, head)| (name.as_str(), *head)).collect();
            let differ = theirs.against(&typed, &fields);
            let typed = typed.with("version", kept.version.to_string());
            return render_faulty(&form(&desk, &file, again(typed, Faults::default(), differ)));
        }
        Err(e) => return Err(e.into()),
    }
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[post("/boats/<id>/shapes/<capture>/withdraw", data = "<posted>")]
pub async fn withdraw(desk: Desk<'_>, _who: Crew, id: i64, capture: i64, posted: Posted) -> Result {
    let kept = captures::find(desk.store, id, capture).await?;
    let location = format!("/boats/{id}/shape");
    let mut work = desk.store.begin(posted.act()).await?;
    work.withdraw_capture(&kept).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[derive(Template)]
#[template(path = "shape/capture.html")]
struct Show {
    page: Page,
    boat_id: i64,
    capture: i64,
    name: String,
    part: String,
    part_id: i64,
    way: &'static str,
    by: String,
    svg: String,
    /// It is a frame's: no mirror, no hollow.
    rib: bool,
    suspects: Vec<SuspectView>,
    /// There were ticks enough to contradict one another.
    checked: bool,
    facts: Vec<(&'static str, String)>,
    section: Vec<(&'static str, String)>,
    reasons: Vec<ReasonView>,
    others: Choices,
    beside: String,
    compared: Vec<(String, String, String, String)>,
    covering: bool,
    covering_facts: Vec<(String, String)>,
    covering_reasons: Vec<ReasonView>,
    note: String,
    typed: Typed,
    faults: Faults,
}

struct SuspectView {
    text: String,
    row: usize,
    edge: &'static str,
}

/// How the page is asked for.
#[derive(Debug, Default, FromForm)]
pub struct Asked<'r> {
    beside: Option<i64>,
    mirror: Option<&'r str>,
    rail: Option<&'r str>,
    overlap: Option<&'r str>,
    round: Option<&'r str>,
    inset: Option<&'r str>,
    bored: Option<&'r str>,
}

/// `measure station 7 upper edge again: 9 mm off what the others say`.
fn suspect_views(row: &CaptureRow, pattern: &Pattern, units: Units) -> Vec<SuspectView> {
    let what = match row.capture.way() {
        Way::Batten | Way::Offsets => "station",
        Way::Rib => "row",
        Way::Arcs => "mark",
        Way::Strip | Way::Pattern => "point",
    };
    pattern
        .suspects
        .iter()
        .map(|s| SuspectView {
            text: format!(
                "Measure {what} {} {} again: {} off what the others say{}",
                s.row + 1,
                edge_words(row.capture.way(), s.edge),
                units.len(s.off.abs()),
                if s.at_end { ". No good tick holds the line at this end: cut nothing by it there before" } else { "" }
            ),
            row: s.row,
            edge: s.edge.code(),
        })
        .collect()
}

fn edge_words(way: Way, edge: Edge) -> &'static str {
    match (way, edge) {
        (Way::Rib, Edge::Lower) => "inside",
        (Way::Rib, Edge::Upper) => "outside",
        (_, Edge::Lower) => "lower edge",
        (_, Edge::Upper) => "upper edge",
    }
}

/// The after face of a frame whose template this is, where its bevels were taken.
fn after_face(file: &BoatFile, row: &CaptureRow, pattern: &Pattern) -> Option<Vec<[f64; 2]>> {
    let Capture::Rib { ticks, .. } = &row.capture else { return None };
    frame::other_face(pattern, &frame::taken(pattern, ticks).bevels, thickness(file, row.member_id))
}

/// What a frame's template says in section, in place of a plank's hollow and edges.
fn rib_view(file: &BoatFile, row: &CaptureRow, pattern: &Pattern, ticks: &[RibTick], units: Units) -> SectionView {
    let shape = frame::taken(pattern, ticks);
    let sided = thickness(file, row.member_id);
    let mut facts = vec![
        ("Sided", units.len(sided)),
        ("Girth outside", units.run(shape.girth)),
        ("Tightest radius outside", shape.radius.map_or("nearly straight".to_owned(), |r| units.len(r))),
    ];
    if let Some(m) = file.members.iter().find(|m| m.id == row.member_id) {
        let share = shape.girth / m.length.max(1.0);
        let known = if m.measured { "" } else { ", which nobody measured" };
        facts.push(("Of the part’s length", format!("{} of {}{known}", view::percent(share), units.run(m.length))));
    }
    let inside = if pattern.lower.measured.is_empty() {
        "not taken: laid the moulded size inside the outside"
    } else {
        "as it was taken"
    };
    facts.push(("Inside", inside.to_owned()));
    match shape.bevels.as_slice() {
        [] => facts.push(("Bevels", "not known: nobody took them. Take two at least before it is sawn".to_owned())),
        [one] => {
            let words = format!("{:+.1}° at one place only: take another before it is sawn", one.bevel);
            facts.push(("Bevels", words));
        }
        many => {
            let words: Vec<String> =
                many.iter().map(|b| format!("{:+.1}° at {}", b.bevel, units.len(b.height))).collect();
            facts.push(("Bevels", words.join(", ")));
            let extra = frame::bevel_width(sided, shape.most_bevel);
            facts.push(("Faces lie apart by up to", units.fine(extra)));
        }
    }
    let other = after_face(file, row, pattern);
    let reason = Reason::note(
        "frame.other_face",
        if other.is_some() {
            "the template is the fore face; the after face lies in or out by the bevel at each place, outside and inside alike"
        } else {
            "the after face is not drawn: a bevel that nobody took is not taken for square"
        },
    )
    .formula("sided × tan β");
    (facts, reasons::views(&[reason], units))
}

fn length_of(text: Option<&str>, field: &str, units: Units, faults: &mut Faults) -> Option<f64> {
    let text = text.map(str::trim).filter(|t| !t.is_empty())?;
    match parse_length(text, units.unit) {
        Ok(mm) if mm >= 0.0 => Some(mm),
        Ok(_) => {
            faults.add(InputError::new(field, "must not be negative"));
            None
        }
        Err(e) => {
            faults.add(InputError::new(field, e.message));
            None
        }
    }
}

type CoveringView = (Vec<(String, String)>, Vec<ReasonView>);

fn covering_view(asked: &Asked<'_>, thickness: f64, units: Units, faults: &mut Faults) -> CoveringView {
    let mut facts = Vec::new();
    let mut found = Vec::new();
    let rail = length_of(asked.rail, "rail", units, faults);
    let overlap = length_of(asked.overlap, "overlap", units, faults);
    if let (Some(rail), Some(overlap)) = (rail, overlap) {
        match covering::reveal(rail, overlap) {
            Ok(reveal) => facts.push(("Reveal, the same all along".to_owned(), units.len(reveal))),
            Err(e) => faults.add(InputError::new(if e.field == "overlap" { "overlap" } else { "rail" }, e.message)),
        }
    }
    if let Some(radius) = length_of(asked.round, "round", units, faults).filter(|r| *r > 0.0) {
        let finish = Finish::Round { radius };
        match covering::flats(thickness, finish) {
            Ok(flats) if flats.is_empty() => facts.push(("Flats".to_owned(), "none: too little comes off".to_owned())),
            Ok(flats) => facts.extend(flats.iter().enumerate().map(|(i, f)| {
                let text = format!(
                    "from {} in on top to {} down the edge",
                    units.fine(f.in_from_edge),
                    units.fine(f.down_from_top)
                );
                (format!("Flat {} at {:.0}°", i + 1, f.degrees), text)
            })),
            Err(e) => faults.add(InputError::new("round", e.message)),
        }
        let inset = length_of(asked.inset, "inset", units, faults);
        let bored = length_of(asked.bored, "bored", units, faults);
        if let (Some(inset), Some(bored)) = (inset, bored) {
            found.push(covering::counterbore(finish, inset, bored, 13.0));
        }
    }
    (facts, reasons::views(&found, units))
}

#[get("/boats/<id>/shapes/<capture>?<asked..>", rank = 2)]
pub async fn show(desk: Desk<'_>, _who: BoatReader, id: i64, capture: i64, asked: Asked<'_>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let row = captures::find(desk.store, id, capture).await?;
    let units = desk.units;
    let (_, pattern) = plan(&file, &row).map_err(|e| AppError::Refused(e.message))?;
    let thick = thickness(&file, row.member_id);
    let other_face = after_face(&file, &row, &pattern);
    let (long, wide) = match &row.capture {
        Capture::Rib { .. } => frame::blank(&pattern, other_face.as_deref(), allowances(&file, row.member_id)),
        _ => (pattern.blank_length, pattern.blank_width),
    };
    let mut facts = vec![
        ("Blank", format!("{} by {}", units.run(long), units.len(wide))),
        match &row.capture {
            Capture::Rib { .. } => {
                let (least, most) = frame::across(&pattern);
                ("Square across", format!("{} to {}", units.len(least), units.len(most)))
            }
            _ => ("Widest", units.len(pattern.widest)),
        },
        ("Curve in its own plane", curve_words(pattern.curve, units)),
        ("Run-out, fore and aft", format!("{:.1}° and {:.1}°", pattern.run_out.0, pattern.run_out.1)),
        ("Face", format!("{:.3} m²", pattern::area(&pattern) / 1e6)),
        ("Longer edge", units.run(pattern::longest_edge(&pattern))),
        ("Measured to", units.fine(row.tolerance)),
    ];
    if !matches!(row.capture, Capture::Rib { .. })
        && let Some(text) = edge_set(&file, &row, &pattern)
    {
        facts.push(("A straight board forced to it", text));
    }
    let (section, mut found) = match &row.capture {
        Capture::Rib { ticks, .. } => rib_view(&file, &row, &pattern, ticks, units),
        _ => section_view(&file, &row, &pattern, thick, units)?,
    };
    found.extend(reasons::views(&pattern.reasons, units));
    let others: Choices = file
        .captures
        .iter()
        .filter(|c| c.id != row.id)
        .map(|c| (c.id.to_string(), format!("{} ({})", c.name, file.part_name(c.member_id).unwrap_or_default())))
        .collect();
    let other = asked.beside.and_then(|b| file.captures.iter().find(|c| c.id == b && c.id != row.id));
    let compared = match other {
        Some(other) => beside(&file, &pattern, other, units)?,
        None => Vec::new(),
    };
    let mut faults = Faults::said_in(desk.units);
    let covering = file.members.iter().any(|m| m.id == row.member_id && m.kind == MemberKind::CoveringBoard);
    let (covering_facts, covering_reasons) =
        if covering { covering_view(&asked, thick, units, &mut faults) } else { Default::default() };
    let kept = |text: Option<&str>| text.unwrap_or_default().to_owned();
    render(&Show {
        svg: drawing::pattern(&pattern, matches!(row.capture, Capture::Rib { .. }), other_face.as_deref(), units),
        rib: matches!(row.capture, Capture::Rib { .. }),
        page: desk.boat_page(&file, &row.name, "shape"),
        boat_id: id,
        capture,
        name: row.name.clone(),
        part: file.part_name(row.member_id).unwrap_or_default(),
        part_id: row.member_id,
        way: row.capture.way().label(),
        by: row.by_name.clone(),
        suspects: suspect_views(&row, &pattern, units),
        checked: pattern.checked(),
        facts,
        section,
        reasons: found,
        others,
        beside: other.map_or(String::new(), |o| o.id.to_string()),
        compared,
        covering,
        covering_facts,
        covering_reasons,
        note: row.note.clone(),
        typed: Typed::default()
            .with("rail", kept(asked.rail))
            .with("overlap", kept(asked.overlap))
            .with("round", kept(asked.round))
            .with("inset", kept(asked.inset))
            .with("bored", kept(asked.bored)),
        faults,
    })
}

fn curve_words(curve: f64, units: Units) -> String {
    match curve {
        c if c.abs() < 1.0 => "straight".to_owned(),
        c if c > 0.0 => format!("hangs {} below its ends", units.len(c)),
        c => format!("rises {} above its ends", units.len(-c)),
    }
}

/// Whether a straight board could be sprung edgewise to this curve.
fn edge_set(file: &BoatFile, row: &CaptureRow, pattern: &Pattern) -> Option<String> {
    let species_id = file
        .planks
        .iter()
        .find(|p| p.id == row.member_id)
        .map(|p| p.species.as_str())
        .or_else(|| file.members.iter().find(|m| m.id == row.member_id).map(|m| m.species.as_str()))?;
    if pattern.curve.abs() < 1.0 {
        return None;
    }
    let radius = pattern.blank_length * pattern.blank_length / (8.0 * pattern.curve.abs());
    let bend = bend::plan(&bend::Request {
        edge_set: Some((pattern.widest, radius)),
        ..bend::Request::air_dried(species::find(species_id).ok()?, thickness(file, row.member_id), radius)
    })
    .ok()?;
    let ratio = bend.edge_set_ratio?;
    let says = if ratio > EDGE_SET_LIMIT { "do not force it: cut it to shape" } else { "it would go without harm" };
    Some(format!("{:.0} % of its strength edgewise; {says}", ratio * 100.0))
}

type SectionView = (Vec<(&'static str, String)>, Vec<ReasonView>);

fn section_view(
    file: &BoatFile,
    row: &CaptureRow,
    pattern: &Pattern,
    thick: f64,
    units: Units,
) -> std::result::Result<SectionView, AppError> {
    let caulked = caulked(file);
    let section = match pattern::section(pattern.widest, thick, row.radius, caulked) {
        Ok(section) => section,
        Err(e) => return Ok((vec![("Section", format!("{}: {}", e.field, e.message))], Vec::new())),
    };
    let mut facts = Vec::new();
    if let Some(radius) = row.radius {
        let hollow = hollow::plan(pattern.widest, radius, thick).map_err(|e| AppError::Broken(e.to_string()))?;
        facts.push(("Hollow inside", units.fine(hollow.hollow)));
        facts.push(("Stock thickness", units.len(hollow.stock_thickness)));
        facts.push(("Edges lean out", format!("{:.1}°", section.edge_bevel)));
        facts.push((
            "Frame side, caulk side",
            format!("{} and {}", units.len(section.frame_side), units.len(section.caulk_side)),
        ));
    } else {
        facts.push(("Hollow inside", "none: nearly flat".to_owned()));
    }
    if caulked {
        let text =
            format!("{} off each edge, over the outer {}", units.fine(section.eased), units.len(section.eased_depth));
        facts.push(("Caulking bevel", text));
    }
    facts.push(("Marks", "F on the frame side, C on the caulk side; the pattern shows F".to_owned()));
    Ok((facts, Vec::new()))
}

fn beside(
    file: &BoatFile,
    pattern: &Pattern,
    other: &CaptureRow,
    units: Units,
) -> std::result::Result<Vec<(String, String, String, String)>, AppError> {
    let (_, there) = plan(file, other).map_err(|e| AppError::Refused(e.message))?;
    Ok(pattern::compared(pattern, &there)
        .iter()
        .map(|b| (units.run(b.x), units.fine(b.this), units.fine(b.other), units.fine(b.other - b.this)))
        .collect())
}

/// The pattern as a file: `svg`, `dxf`, `csv`, or PDF on a sheet of paper; mirrored for the other side.
#[get("/boats/<id>/shapes/<capture>/file/<kind>?<asked..>")]
pub async fn file(desk: Desk<'_>, _who: BoatReader, id: i64, capture: i64, kind: &str, asked: Asked<'_>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let row = captures::find(desk.store, id, capture).await?;
    let (edges, mut pattern) = plan(&file, &row).map_err(|e| AppError::Refused(e.message))?;
    let mut name = format!("{}, {}", row.name, file.boat.name);
    // The other side's frame is the same template, turned over.
    let turns = !matches!(row.capture, Capture::Rib { .. });
    if turns && asked.mirror.is_some_and(|m| m == "1" || m == "on") {
        let turned = pattern::mirrored(&edges);
        pattern = pattern::plan(&turned, row.tolerance, allowances(&file, row.member_id))
            .map_err(|e| AppError::Refused(e.message))?;
        name = format!("{name}, mirrored");
    }
    let thick = thickness(&file, row.member_id);
    let mut drawing = match &row.capture {
        Capture::Rib { moulded, ticks } => {
            let bevels = frame::taken(&pattern, ticks).bevels;
            paper::rib(&name, &pattern, after_face(&file, &row, &pattern), &bevels, *moulded, desk.units)
        }
        _ => {
            let section = pattern::section(pattern.widest, thick, row.radius, caulked(&file)).ok();
            paper::pattern(&name, &pattern, section.as_ref(), desk.units)
        }
    };
    if pattern.end_in_doubt() {
        drawing.stamp.get_or_insert_with(|| shape::END_IN_DOUBT.to_owned());
    }
    drawn::file(&drawing, kind).await
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_fault_of_the_core_stands_at_the_field_it_was_typed_in() {
        let rows = [0, 1, 4, 7];
        assert_eq!(form_field("rows[3].lower", &rows, Way::Batten), "l7");
        assert_eq!(form_field("rows[2].x", &rows, Way::Batten), "x4");
        assert_eq!(form_field("rows[1]", &rows, Way::Arcs), "ax1");
        assert_eq!(form_field("rows[1].bx", &rows, Way::Arcs), "bx1");
        assert_eq!(form_field("rows[12].uh", &rows, Way::Offsets), "uh0");
        assert_eq!(form_field("rows[4]", &rows, Way::Strip), "points");
        assert_eq!(form_field("radius", &rows, Way::Arcs), "compass");
        assert_eq!(form_field("tolerance", &rows, Way::Batten), "tolerance");
        assert_eq!(form_field("rows[3].bevel", &rows, Way::Rib), "b7");
        assert_eq!(form_field("rows[0].lower", &rows, Way::Rib), "l0");
        assert_eq!(form_field("moulded", &rows, Way::Rib), "moulded");
    }

    #[test]
    fn a_file_without_its_unit_asks_for_it() {
        let square = b"x,y\n0,0\n40,0\n40,2\n0,2\n";
        assert!(outline_of(square, "").unwrap_err().contains("unit"));
        assert_eq!(outline_of(square, "cm").unwrap()[1], [400.0, 0.0]);
        assert!(outline_of(b"", "mm").is_err());
    }
}
