//! A piece to be made: its drawing, whose corners may be moved while the rules look on, its joints, its glue, and its files.

use askama::Template;
use mend_keel_core::caution::Caution;
use mend_keel_core::geometry::{Point, extent, signed_area};
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::repair::gluing::{self, Adhesive};
use mend_keel_core::repair::graving::{self, check as rules};
use mend_keel_core::repair::scarf_run::{self, Job};
use mend_keel_core::repair::{butts, scarf};
use mend_keel_core::timber::board::{self, BoardState};
use mend_keel_core::timber::species;
use mend_keel_core::units::parse_length;
use mend_keel_core::{InputError, Reason, Verdict};
use mend_keel_store::boards;
use mend_keel_store::boats::Plank;
use mend_keel_store::captures::CaptureRow;
use mend_keel_store::decisions::{self, Geometry, NewPiece, Piece, PieceState};
use rocket::{FromForm, get, post};

use crate::file::boat::BoatFile;
use crate::file::decide::{self, Subject};
use crate::file::hanging;
use crate::file::shape::{self, EdgesFrom};
use crate::view::piece::{self as drawing, Corner, blank};
use crate::view::plank::{Mark, PlankView};
use crate::view::reasons::{self, ReasonView};
use crate::view::{self, Units, paper};
use crate::web::auth::{BoatReader, Crew};
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::drawn;
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed};

/// More corners than this are folded away: a shape taken from the boat has a hundred.
const MOST_IN_SIGHT: usize = 12;

#[derive(Template)]
#[template(path = "shape/piece.html")]
struct Show {
    page: Page,
    boat_id: i64,
    piece_id: i64,
    member_id: i64,
    version: i64,
    untreated: Vec<String>,
    name: String,
    state: &'static str,
    may_move: bool,
    svg: String,
    corners: Vec<Corner>,
    datum: String,
    facts: Facts,
    swallowed: Vec<String>,
    scarf: Facts,
    scarf_svg: String,
    nibbed: bool,
    reasons: Vec<ReasonView>,
    check: String,
    outline: String,
    least: String,
    glue: Option<Glue>,
    adhesives: Choices,
    make_up: Option<MakeUp>,
    shapes: Vec<(i64, String)>,
    bush: String,
    cautions: Vec<&'static str>,
    is_drawn: bool,
    on_plank: bool,
    /// Which way x and y run.
    axes: String,
    /// An edge of it was measured by nobody.
    generated: bool,
    /// The template it is cut to, where its drawing is only a box round it.
    template: Option<(i64, String)>,
    /// It has a card to be hung by.
    hung: bool,
    typed: Typed,
    faults: Faults,
}

/// What the rules say to an outline; exchanged while a corner is moved.
#[derive(Template)]
#[template(path = "shape/piece_check.html")]
struct Check {
    broken: Vec<BrokenView>,
    /// Corners that break a rule, counted from 0.
    bad: String,
    area: String,
    kept: String,
    depth: String,
    blank: String,
    swallowed: String,
}

struct BrokenView {
    reason: ReasonView,
    corners: String,
}

struct Glue {
    facts: Facts,
    batches: String,
    reasons: Vec<ReasonView>,
    cautions: Vec<&'static str>,
}

struct MakeUp {
    says: String,
    pieces: Vec<(String, String, String)>,
}

type Facts = Vec<(&'static str, String)>;

/// How the page is asked for.
#[derive(Debug, Default, FromForm)]
pub struct Asked<'r> {
    adhesive: Option<&'r str>,
    temperature: Option<&'r str>,
    bush: Option<&'r str>,
    mirror: Option<&'r str>,
}

impl Asked<'_> {
    fn bush(&self, units: Units) -> std::result::Result<Option<f64>, InputError> {
        match self.bush.map(str::trim).filter(|t| !t.is_empty()) {
            None => Ok(None),
            Some(text) => {
                let mm = parse_length(text, units.unit).map_err(|e| InputError::new("bush", e.message))?;
                if !(0.0..=100.0).contains(&mm) {
                    return Err(InputError::new("bush", "must be between 0 and 100 mm"));
                }
                Ok(Some(mm).filter(|mm| *mm > 0.0))
            }
        }
    }
}

/// A piece with what it lies on.
struct Laid<'f> {
    piece: Piece,
    plank: Option<&'f Plank>,
    /// x from the plank's fore joint or the member's start, mm.
    outline: Vec<Point>,
    edges: EdgesFrom<'f>,
}

impl<'f> Laid<'f> {
    async fn load(desk: &Desk<'_>, file: &'f BoatFile, id: i64) -> std::result::Result<Self, AppError> {
        let piece = decisions::piece(desk.store, file.boat.id, id).await?;
        let plank = file.planks.iter().find(|p| p.id == piece.member_id);
        let mut outline = outline(file, &piece, plank);
        let edges = shape::edges(file, &piece);
        if let EdgesFrom::Shape(_, pattern) = &edges {
            // The shape as it was taken, laid where the piece begins.
            let at = |axis| extent(&outline, axis).map_or(0.0, |e: (f64, f64)| e.0);
            let own = |axis| extent(&pattern.outline, axis).map_or(0.0, |e: (f64, f64)| e.0);
            let (dx, dy) = (at(0) - own(0), at(1) - own(1));
            outline = pattern.outline.iter().map(|p| [p[0] + dx, p[1] + dy]).collect();
        }
        Ok(Self { piece, plank, outline, edges })
    }

    /// The frame it is measured from, and where that lies in its own x.
    fn datum(&self, file: &BoatFile) -> (u32, f64) {
        let Some(plank) = self.plank else { return (0, 0.0) };
        let (from, _) = plank.place().span(&file.boat.shell);
        let x0 = extent(&self.outline, 0).map_or(0.0, |x| x.0);
        let frame = datum_frame(file, from + x0);
        (frame, file.boat.datum(frame) - from)
    }

    /// The plank round it as a drawing shows it.
    fn view(&self, file: &BoatFile) -> PlankView {
        let (x0, x1) = extent(&self.outline, 0).unwrap_or_default();
        let datum_x = self.datum(file).1;
        let outlines = vec![self.outline.clone()];
        match self.plank {
            Some(plank) => stretch(file, plank, x0.min(datum_x) - 120.0, x1 + 120.0, outlines),
            None => member_view(file, &self.piece, x0, x1, outlines),
        }
    }

    /// What a graving piece must take in: the damage it was laid out for.
    fn request(&self, file: &BoatFile) -> std::result::Result<Option<graving::Request>, AppError> {
        if !matches!(self.piece.geometry, Geometry::Patch { .. }) {
            return Ok(None);
        }
        let (x0, x1) = extent(&self.outline, 0).unwrap_or_default();
        let within =
            |d: &graving::Damage| extent(&d.points, 0).is_some_and(|(a, b)| (a + b) / 2.0 >= x0 && (a + b) / 2.0 <= x1);
        let here = |damage: Vec<graving::Damage>| -> Vec<_> { damage.into_iter().filter(within).collect() };
        let asked = match Subject::of(file, self.piece.member_id)? {
            Subject::Plank(plank) => {
                decide::case(file, plank, file.boat.school).map(|case| case.graving(here(case.let_in())))
            }
            other => decide::member_case(file, &other, file.boat.school).map(|case| case.graving(here(case.let_in()))),
        };
        Ok(asked.ok().filter(|asked| !asked.damage.is_empty()))
    }
}

/// A piece's outline: a patch's own, a stretch of the strake at its real widths, or a plain box.
fn outline(file: &BoatFile, piece: &Piece, plank: Option<&Plank>) -> Vec<Point> {
    match (&piece.geometry, plank) {
        (Geometry::Stretch { from, to, .. }, Some(plank)) => {
            let shell = &file.boat.shell;
            let (origin, _) = plank.place().span(shell);
            let upper = shell.strake_width_line(plank.side, plank.strake, origin + from, origin + to, origin);
            [vec![[*from, 0.0], [*to, 0.0]], upper.into_iter().rev().collect()].concat()
        }
        (geometry, _) => shape::laid_out(geometry),
    }
}

fn member_view(file: &BoatFile, piece: &Piece, x0: f64, x1: f64, outlines: Vec<Vec<Point>>) -> PlankView {
    let member = file.members.iter().find(|m| m.id == piece.member_id);
    let (length, width) = member.map_or((x1, 100.0), |m| (m.length, m.width));
    // A shape may turn out longer than the part was thought to be.
    let (from, to) = ((x0 - 200.0).max(0.0), (x1 + 200.0).min(length.max(x1)));
    let mut marks = member.map_or_else(Vec::new, |m| decide::marks_on_member(file, m));
    marks.retain(|m| m.shape.iter().all(|p| p[0] >= from && p[0] <= to));
    PlankView::of_part(width, [from, to], &[0.0, length], marks, outlines)
}

/// An outline as it stands in a form, mm: `x, y` line by line.
fn written(outline: &[Point]) -> String {
    outline.iter().map(|p| format!("{:.3}, {:.3}", p[0], p[1])).collect::<Vec<_>>().join("\n")
}

fn read_outline(text: &str) -> std::result::Result<Vec<Point>, InputError> {
    let point = |line: &str| -> Option<Point> {
        let (x, y) = line.split_once(',')?;
        let number = |t: &str| t.trim().parse::<f64>().ok().filter(|v| v.is_finite());
        Some([number(x)?, number(y)?])
    };
    let points: Option<Vec<Point>> =
        text.split(['\n', ';']).map(str::trim).filter(|l| !l.is_empty()).take(64).map(point).collect();
    points.filter(|p| p.len() >= 3).ok_or_else(|| InputError::new("outline", "write each corner as x, y in mm"))
}

fn check_view(request: &graving::Request, outline: &[Point], units: Units) -> std::result::Result<String, AppError> {
    let checked = rules::outline(request, outline).map_err(|e| AppError::Refused(e.message))?;
    let patch = &checked.patch;
    let mut bad: Vec<usize> = checked.broken.iter().flat_map(|b| b.corners.iter().copied()).collect();
    bad.sort_unstable();
    bad.dedup();
    let numbers = |list: &[usize]| list.iter().map(|i| (i + 1).to_string()).collect::<Vec<_>>().join(", ");
    let broken = checked
        .broken
        .iter()
        .map(|b| BrokenView { reason: ReasonView::new(&b.reason, units), corners: numbers(&b.corners) })
        .collect();
    let template = Check {
        broken,
        bad: bad.iter().map(usize::to_string).collect::<Vec<_>>().join(" "),
        area: format!("{:.0} cm²", patch.area / 100.0),
        kept: view::percent(patch.kept),
        depth: units.fine(patch.depth),
        blank: units.dims(&[patch.blank.length, patch.blank.width, patch.blank.thickness]),
        swallowed: if patch.swallowed.is_empty() { "none".to_owned() } else { patch.swallowed.join(", ") },
    };
    Ok(template.render()?)
}

fn facts(file: &BoatFile, laid: &Laid<'_>, units: Units) -> Facts {
    let piece = &laid.piece;
    let mut facts = match &piece.geometry {
        Geometry::Patch { depth, through, area, to_edge, .. } => vec![
            ("Depth", if *through { format!("{}, right through", units.fine(*depth)) } else { units.fine(*depth) }),
            ("Piece, before planing flush", units.fine(piece.thickness)),
            ("Blank", blank(units, piece)),
            ("Area", format!("{:.0} cm²", area / 100.0)),
            ("Runs out to", to_edge.label().to_owned()),
            ("Clamps", gluing::clamps(piece.length, piece.width).to_string()),
        ],
        Geometry::Stretch { from, to, width, new_fore, new_aft, scarf, fore_bay, aft_bay, .. } => {
            let end = |new: bool, bay: &Option<u32>| match (new, bay) {
                (true, Some(bay)) if *scarf > 0.0 => format!("scarf in bay {bay}"),
                (true, Some(bay)) => format!("butt in bay {bay}"),
                _ => "the old end".to_owned(),
            };
            let mut facts = vec![
                ("Length", units.run(to - from)),
                ("Greatest width", units.len(*width)),
                ("Fore end", end(*new_fore, fore_bay)),
                ("After end", end(*new_aft, aft_bay)),
                ("Blank", blank(units, piece)),
            ];
            if *scarf == 0.0
                && (*new_fore || *new_aft)
                && let Some(plank) = laid.plank
            {
                let clear = file.boat.shell.frame_space() - file.boat.frame_sided;
                let (length, thickness) = butts::block(plank.thickness, clear);
                let block = units.dims(&[length, thickness]);
                facts.push((
                    "Butt block",
                    format!(
                        "{block}, clear of both frames by 15 mm, its top edge bevelled so that water runs off, bedded"
                    ),
                ));
                let screws = mend_keel_core::fastening::per_butt_side(*width);
                facts.push(("At each butt", format!("{screws} fastenings each side")));
            }
            facts
        }
        Geometry::Timber { from, to, width, thickness, scarf, sheet, plies, .. } => {
            let mut facts = vec![
                ("Length", units.run(to - from)),
                ("Section", units.dims(&[*width, *thickness])),
                ("From the start of the part", format!("{} to {}", units.len(*from), units.len(*to))),
                ("Blank", blank(units, piece)),
            ];
            if *scarf > 0.0 {
                facts.push((if *sheet { "Bevel all round" } else { "Scarf" }, units.len(*scarf)));
            }
            if *plies > 1 {
                facts.push(("Plies", format!("{plies} of {}", units.fine(width / f64::from(*plies)))));
            }
            facts
        }
    };
    facts.push((
        "Edges",
        match &laid.edges {
            EdgesFrom::Shape(row, _) => format!("as taken: {}", said(row)),
            EdgesFrom::Template(row) => format!("those of its template, not of this drawing: {}", said(row)),
            EdgesFrom::Generated => "from the generated grid: nobody measured them".to_owned(),
            EdgesFrom::Measured => {
                format!("from what was drawn on the {}", if laid.plank.is_some() { "plank" } else { "part" })
            }
        },
    ));
    if let Some((kg, people)) = weighs(piece) {
        facts.push((
            "Weight of the blank",
            format!("{kg:.1} kg; {people} {}", if people > 1 { "people" } else { "person" }),
        ));
    }
    facts
}

/// A shape by its name, who took it and when.
fn said(row: &CaptureRow) -> String {
    format!("{}, {} on {}", row.name, row.by_name, &row.at[..10.min(row.at.len())])
}

/// Weight of a blank, and with how many people it is carried.
fn weighs(piece: &Piece) -> Option<(f64, u32)> {
    let wood = species::find(&piece.species).ok()?;
    Some(board::weight(piece.length, piece.width, piece.thickness, wood.specific_gravity))
}

/// Ratio of the scarf a piece is joined with.
fn ratio(piece: &Piece, thickness: f64) -> Option<f64> {
    match &piece.geometry {
        Geometry::Stretch { scarf, .. } if *scarf > 0.0 => Some(scarf / thickness.max(1.0)),
        Geometry::Timber { scarf, .. } if *scarf > 0.0 => Some(scarf / thickness.max(1.0)),
        _ => None,
    }
}

/// The scarf in numbers, and drawn on its edge and both faces.
fn scarf_of(file: &BoatFile, laid: &Laid<'_>, units: Units) -> std::result::Result<(Facts, String, bool), AppError> {
    let piece = &laid.piece;
    let member = file.members.iter().find(|m| m.id == piece.member_id);
    let (thickness, width) = match (&piece.geometry, laid.plank, shape::timber(&piece.geometry)) {
        (Geometry::Stretch { width, .. }, Some(plank), _) => (plank.thickness, *width),
        (.., Some(wood)) => wood.cut_through(member.map_or(MemberKind::Plank, |m| m.kind)),
        _ => return Ok((Vec::new(), String::new(), false)),
    };
    let Some(ratio) = ratio(piece, thickness) else { return Ok((Vec::new(), String::new(), false)) };
    let broken = |e: InputError| AppError::Broken(e.to_string());
    let nibbed = matches!(piece.geometry, Geometry::Stretch { nibbed: true, .. });
    let plan = scarf::plan(thickness, width, ratio).map_err(broken)?;
    let joint = scarf::joint(thickness, ratio, nibbed, true).map_err(broken)?;
    let mut facts = vec![
        ("Ratio", format!("{ratio:.0} : 1")),
        ("Length", units.len(plan.length)),
        ("Glue area", format!("{:.0} cm² each", plan.glue_area / 100.0)),
        ("Strength", view::percent(plan.efficiency)),
        ("Feathers from fastenings", format!("{} at least", units.len(scarf::FEATHER_CLEARANCE))),
    ];
    if laid.plank.is_some() {
        facts.push(("Points", "outer edge aft, so that water runs over it".to_owned()));
    }
    if nibbed {
        facts.push(("Nibs", format!("{} deep; slope between them {:.1} : 1", units.fine(joint.nib), joint.slope)));
    }
    Ok((facts, drawing::scarf(&joint, width, units), nibbed))
}

fn glue(file: &BoatFile, laid: &Laid<'_>, asked: &Asked<'_>, units: Units, faults: &mut Faults) -> Option<Glue> {
    let piece = &laid.piece;
    let area = shape::joint_area(file, piece);
    if area <= 0.0 {
        return None;
    }
    let adhesive = asked.adhesive.and_then(Adhesive::from_code).filter(|a| a.is_glue()).unwrap_or(Adhesive::Epoxy);
    let temperature = match asked.temperature.map(|t| t.trim().replace(',', ".")).filter(|t| !t.is_empty()) {
        None => 18.0,
        Some(text) => match text.parse::<f64>() {
            Ok(t) if (-10.0..=45.0).contains(&t) => t,
            _ => {
                faults.add(InputError::new("temperature", "must be between -10 and 45"));
                return None;
            }
        },
    };
    let (pot_life, cure, parts) = adhesive.usual();
    let plan = gluing::plan(&gluing::Request {
        adhesive,
        area,
        fillet: (0.0, 0.0),
        temperature,
        moisture: None,
        pot_life,
        cure,
        ratio: parts,
        spread: gluing::SPREAD,
        length: shape::clamped_length(file, piece),
        width: piece.width,
    })
    .map_err(|e| faults.add(InputError::new("temperature", e.message)))
    .ok()?;
    let first = plan.batches.first()?;
    let long = |hours: f64| if hours < 100.0 { format!("{hours:.0} h") } else { format!("{:.0} days", hours / 24.0) };
    Some(Glue {
        facts: vec![
            ("Joint", format!("{:.0} cm²", area / 100.0)),
            ("Mixed glue", format!("{:.0} g", plan.grams)),
            ("Pot life now", format!("{:.0} min; work it in {:.0}", plan.pot_life, plan.working)),
            ("In the clamps", long(plan.clamped)),
            ("Full load after", long(plan.full_load)),
            ("Clamps", format!("{}, one each {}", plan.clamps, units.len(100.0))),
        ],
        batches: format!(
            "{} pot{} of {:.0} g: {:.0} g resin, {:.0} g hardener",
            plan.batches.len(),
            if plan.batches.len() == 1 { "" } else { "s" },
            first.grams,
            first.resin,
            first.hardener
        ),
        reasons: reasons::views(&plan.reasons, units),
        cautions: plan.cautions.iter().map(|c| c.text()).collect(),
    })
}

/// A piece longer than any board, made up from shorter ones.
async fn make_up(desk: &Desk<'_>, laid: &Laid<'_>) -> std::result::Result<Option<MakeUp>, AppError> {
    let piece = &laid.piece;
    if matches!(piece.geometry, Geometry::Patch { .. } | Geometry::Timber { sheet: true, .. }) {
        return Ok(None);
    }
    let rough = piece.thickness + 2.0 * board::PLANING_PER_FACE;
    let trim = 2.0 * board::end_trim(rough);
    let stock: Vec<_> = boards::list(desk.store)
        .await?
        .into_iter()
        .filter(|b| {
            b.state == BoardState::Free
                && b.species == piece.species
                && b.width >= piece.width
                && b.thickness >= rough
                && b.length > trim
        })
        .take(60)
        .collect();
    if stock.iter().any(|b| b.length >= piece.length + trim) {
        return Ok(None);
    }
    let scarf_length = scarf::PLANKING_RATIO * piece.thickness;
    let job = Job {
        required: piece.length,
        scarf_length,
        stock: stock.iter().map(|b| b.length - trim).collect(),
        min_piece: 3.0 * scarf_length,
        forbidden: Vec::new(),
        max_pieces: None,
    };
    let none = |says: String| Ok(Some(MakeUp { says, pieces: Vec::new() }));
    if stock.is_empty() {
        return none("No board on the rack is wide and thick enough to be part of it.".to_owned());
    }
    match scarf_run::make_up(&job) {
        Ok(scarf_run::Answer::Found(run)) => Ok(Some(MakeUp {
            says: format!(
                "No board is long enough; scarfed 8 to 1 ({} each) it is made up of {} pieces. {}",
                desk.units.len(scarf_length),
                run.pieces.len(),
                if run.proven { "No way takes less timber." } else { "The best found in the time there was." }
            ),
            pieces: run
                .pieces
                .iter()
                .map(|p| {
                    let place = format!("{} to {}", desk.units.run(p.from), desk.units.run(p.to));
                    (stock[p.stock].tag.clone(), desk.units.run(p.to - p.from), place)
                })
                .collect(),
        })),
        Ok(scarf_run::Answer::Impossible(why)) => none(format!("The rack cannot make it up: {why}")),
        Err(e) => none(format!("It cannot be made up of shorter lengths: {}", e.message)),
    }
}

async fn page(
    desk: &Desk<'_>,
    file: &BoatFile,
    laid: &Laid<'_>,
    asked: &Asked<'_>,
    typed: Typed,
    mut faults: Faults,
) -> std::result::Result<Show, AppError> {
    let units = desk.units;
    let piece = &laid.piece;
    let view = laid.view(file);
    let datum = laid.datum(file);
    let may_move = matches!(piece.geometry, Geometry::Patch { .. })
        && piece.state != PieceState::Cut
        && desk.user.account.role != mend_keel_store::accounts::Role::Guest;
    let request = laid.request(file)?;
    // What somebody moved and could not keep is shown again.
    let typed_outline = typed.get("outline").to_owned();
    let outline = read_outline(&typed_outline).unwrap_or_else(|_| laid.outline.clone());
    let (check, least) = match &request {
        Some(request) => {
            let least = graving::plan(request).map(|p| written(&p.outline)).unwrap_or_default();
            (check_view(request, &outline, units)?, least)
        }
        None => (String::new(), String::new()),
    };
    let (scarf, scarf_svg, nibbed) = scarf_of(file, laid, units)?;
    let glue = glue(file, laid, asked, units, &mut faults);
    if let Err(e) = asked.bush(units) {
        faults.add(e);
    }
    let swallowed = match &piece.geometry {
        Geometry::Patch { swallowed, .. } => swallowed.clone(),
        _ => Vec::new(),
    };
    let drawn = PlankView { outlines: vec![outline.clone()], ..view };
    let svg = if laid.plank.is_some() {
        drawing::draw(&drawn, &outline, datum, units)
    } else {
        drawing::draw(&drawn, &outline, (0, 0.0), units)
    };
    let adhesives: Vec<Adhesive> = Adhesive::ALL.iter().copied().filter(|a| a.is_glue()).collect();
    let typed = typed
        .with("adhesive", asked.adhesive.unwrap_or("epoxy"))
        .with("temperature", asked.temperature.unwrap_or("18"));
    let mut cautions = vec![Caution::Machines.text(), Caution::OldPaint.text(), Caution::Dust.text()];
    if weighs(piece).is_some_and(|(_, people)| people > 1) {
        cautions.push(Caution::Heavy.text());
    }
    Ok(Show {
        page: desk.boat_page(file, &piece.name, "shape"),
        boat_id: file.boat.id,
        piece_id: piece.id,
        member_id: piece.member_id,
        version: piece.version,
        untreated: file.untreated(piece.member_id),
        name: piece.name.clone(),
        state: piece.state.label(),
        may_move: may_move && request.is_some(),
        svg,
        corners: drawing::corners(&outline, datum.1, units),
        datum: if laid.plank.is_some() {
            format!("frame {}, after edge", datum.0)
        } else {
            "the start of the part".to_owned()
        },
        facts: facts(file, laid, units),
        swallowed,
        scarf,
        scarf_svg,
        nibbed,
        reasons: file.decision(piece.member_id).map(|d| reasons::kept(&d.body["reasons"], units)).unwrap_or_default(),
        check,
        outline: written(&outline),
        least,
        glue,
        adhesives: pairs(&adhesives, Adhesive::code, Adhesive::label),
        make_up: make_up(desk, laid).await?,
        shapes: file
            .captures
            .iter()
            .filter(|c| c.member_id == piece.member_id)
            .map(|c| (c.id, c.name.clone()))
            .collect(),
        bush: asked.bush.unwrap_or_default().to_owned(),
        cautions,
        on_plank: laid.plank.is_some(),
        axes: match file.members.iter().find(|m| m.id == piece.member_id) {
            Some(m) => format!("{}, from the edge that is below here", m.kind.axes()),
            None => "x runs aft, y up from the lower edge".to_owned(),
        },
        is_drawn: laid.plank.is_some()
            || matches!(piece.geometry, Geometry::Patch { .. })
            || matches!(laid.edges, EdgesFrom::Shape(..)),
        generated: matches!(laid.edges, EdgesFrom::Generated),
        template: match laid.edges {
            EdgesFrom::Template(row) => Some((row.id, row.name.clone())),
            _ => None,
        },
        hung: hanging::is_hung(file, piece),
        typed,
        faults,
    })
}

#[get("/boats/<id>/pieces/<piece>?<asked..>")]
pub async fn show(desk: Desk<'_>, _who: BoatReader, id: i64, piece: i64, asked: Asked<'_>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let laid = Laid::load(&desk, &file, piece).await?;
    render(&page(&desk, &file, &laid, &asked, Typed::default(), Faults::default()).await?)
}

/// What the rules say to an outline as somebody draws it; nothing is kept.
#[get("/boats/<id>/pieces/<piece>/check?<outline>")]
pub async fn check(desk: Desk<'_>, _who: BoatReader, id: i64, piece: i64, outline: &str) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let laid = Laid::load(&desk, &file, piece).await?;
    let request = laid.request(&file)?.ok_or(AppError::NotFound("graving piece"))?;
    let outline = read_outline(outline).map_err(|e| AppError::Refused(e.message))?;
    Ok(Answer::Page(rocket::http::Status::Ok, check_view(&request, &outline, desk.units)?))
}

/// Keeps an outline that was moved by hand, or nibs. What breaks a rule is kept only with a reason.
#[post("/boats/<id>/pieces/<piece>", data = "<posted>")]
pub async fn reshape(desk: Desk<'_>, _who: Crew, id: i64, piece: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let laid = Laid::load(&desk, &file, piece).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let why = read.text("why", NOTE_LIMIT);
    let version: i64 = posted.form.get("version").parse().unwrap_or(0);
    let new = match &laid.piece.geometry {
        Geometry::Patch { .. } => moved_patch(&file, &laid, posted.form.get("outline"), &why, &mut read.faults)?,
        Geometry::Stretch { .. } => nibbed(&laid.piece, read.is_on("nibbed")),
        Geometry::Timber { .. } => None,
    };
    if !read.faults.is_empty() {
        let shown = page(&desk, &file, &laid, &Asked::default(), posted.form.typed(), read.faults).await?;
        return render_faulty(&shown);
    }
    let location = format!("/boats/{id}/pieces/{piece}");
    let Some((new, told)) = new else { return Ok(Answer::Go(location)) };
    let told = if why.is_empty() { told } else { format!("{told} ({why})") };
    let mut work = desk.store.begin(posted.act()).await?;
    if let Err(stale) = work.reshape(&laid.piece, version, &new, &told).await {
        drop(work);
        let theirs = decisions::piece(desk.store, id, piece).await?;
        let now = [("version", theirs.version.to_string())];
        let shape = |geometry: &Geometry| match geometry {
            Geometry::Patch { outline, .. } => written(outline),
            Geometry::Stretch { nibbed, .. } => (if *nibbed { "with nibs" } else { "with feather edges" }).to_owned(),
            Geometry::Timber { .. } => String::new(),
        };
        let rows = || vec![("Corners, x and y in mm".to_owned(), shape(&theirs.geometry), shape(&new.geometry))];
        return Err(posted.stale(stale, &theirs.name, rows, &now));
    }
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// A patch with its outline as it was moved; the faults are left in `faults`.
fn moved_patch(
    file: &BoatFile,
    laid: &Laid<'_>,
    text: &str,
    why: &str,
    faults: &mut Faults,
) -> std::result::Result<Option<(NewPiece, String)>, AppError> {
    let request = laid.request(file)?.ok_or(AppError::Refused("the damage it was laid out for is gone".to_owned()))?;
    let checked = match read_outline(text).and_then(|outline| rules::outline(&request, &outline)) {
        Ok(checked) => checked,
        Err(e) => {
            faults.add_under("outline", e);
            return Ok(None);
        }
    };
    let forbidden: Vec<&Reason> =
        checked.broken.iter().map(|b| &b.reason).filter(|r| r.verdict == Verdict::Forbids).collect();
    if !forbidden.is_empty() && why.is_empty() {
        let message = format!("{} rules break: say why it is right here, or move the corners on", forbidden.len());
        faults.add(InputError::new("why", message));
        return Ok(None);
    }
    let patch = checked.patch;
    let told = match forbidden.len() {
        0 => "outline moved by hand".to_owned(),
        n => format!("outline moved by hand against {n} rules"),
    };
    let new = NewPiece {
        name: laid.piece.name.clone(),
        geometry: decide::patch_geometry(&patch),
        length: patch.blank.length,
        width: patch.blank.width,
        thickness: patch.blank.thickness,
        species: laid.piece.species.clone(),
    };
    Ok(Some((new, told)))
}

fn nibbed(piece: &Piece, on: bool) -> Option<(NewPiece, String)> {
    let mut geometry = piece.geometry.clone();
    let Geometry::Stretch { nibbed, .. } = &mut geometry else { return None };
    *nibbed = on;
    let new = NewPiece {
        name: piece.name.clone(),
        geometry,
        length: piece.length,
        width: piece.width,
        thickness: piece.thickness,
        species: piece.species.clone(),
    };
    Some((new, if on { "scarfs with nibs".to_owned() } else { "scarfs with feather edges".to_owned() }))
}

/// The piece as a file: `svg`, `dxf`, `csv`, or PDF on a sheet of paper; with a template for a bush, or mirrored.
#[get("/boats/<id>/pieces/<piece>/file/<kind>?<asked..>")]
pub async fn file(desk: Desk<'_>, _who: BoatReader, id: i64, piece: i64, kind: &str, asked: Asked<'_>) -> Result {
    let boat = BoatFile::load(desk.store, id).await?;
    let laid = Laid::load(&desk, &boat, piece).await?;
    let bush = asked.bush(desk.units).map_err(|e| AppError::Refused(format!("bush offset: {}", e.message)))?;
    let template = bush.map(|offset| template(&laid.outline, offset));
    let mut drawing =
        paper::piece(&laid.piece.name, &laid.view(&boat), &laid.outline, template, laid.datum(&boat), desk.units);
    drawing.notes =
        facts(&boat, &laid, desk.units).into_iter().map(|(what, value)| format!("{what}: {value}")).collect();
    drawing.notes.insert(0, format!("{}. Area {:.0} cm²", boat.boat.name, signed_area(&laid.outline).abs() / 100.0));
    if let Some(offset) = bush {
        drawing.notes.push(format!("Dashed: router template, {} outside for the bush", desk.units.fine(offset)));
    }
    drawing.stamp = laid.edges.stamp().map(str::to_owned);
    let mirrored = asked.mirror.is_some_and(|m| m == "1" || m == "on");
    drawn::file(&if mirrored { drawing.mirrored() } else { drawing }, kind).await
}

/// The outline offset outwards for a router's guide bush.
fn template(outline: &[Point], offset: f64) -> Vec<Point> {
    graving::offset(outline, offset)
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
