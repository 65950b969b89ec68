//! For the saw: pieces of all decided repairs laid out on boards, over one boat or several; and cutting by that plan.

use std::collections::{BTreeSet, HashMap, HashSet};

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::cutting::boards::{self as planner, Job, Piece as Wanted, Stock};
use mend_keel_core::cutting::layout::{Area, Cut};
use mend_keel_core::timber::board::{
    self, BoardState, END_TRIM, KERF, Origin, PLANING_PER_FACE, Rectangle, SMALLEST_OFFCUT, end_trim,
};
use mend_keel_core::timber::moisture::GLUE_LIMIT;
use mend_keel_store::boards::{self, Board, CutPiece, Offcut};
use mend_keel_store::boats::{self as boat_store, Boat};
use mend_keel_store::decisions::{self, Geometry, Piece, PieceState};
use mend_keel_store::{Act, Store, accounts};
use rocket::{State, get, post, tokio};
use serde::{Deserialize, Serialize};

use crate::file::boat::BoatFile;
use crate::file::shape;
use crate::pages::rack::tabs;
use crate::view::board::{self as drawing, Face, OnBoard};
use crate::view::{self, Units};
use crate::web::auth::Crew;
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed};
use crate::web::jobs::Jobs;

/// A plan as it is kept.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct Kept {
    kind: String,
    boards: Vec<KeptBoard>,
    unplaced: Vec<i64>,
    cost: f64,
    bound: f64,
    waste: f64,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
struct KeptBoard {
    board: i64,
    pieces: Vec<KeptPiece>,
    offcuts: Vec<Area>,
    cuts: Vec<Cut>,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
struct KeptPiece {
    piece: i64,
    boat: i64,
    area: Area,
}

#[derive(Template)]
#[template(path = "rack/cut.html")]
struct Show {
    page: Page,
    tabs: Vec<(&'static str, &'static str)>,
    boats: Vec<(i64, String, usize)>,
    made: String,
    /// The plan's own number: what is ticked belongs to it.
    plan: i64,
    facts: Vec<(&'static str, String)>,
    boards: Vec<BoardView>,
    unplaced: Vec<(String, String, String)>,
    none: String,
    typed: Typed,
    faults: Faults,
}

struct BoardView {
    id: i64,
    tag: String,
    what: String,
    svg: String,
    pieces: Vec<PieceView>,
    offcuts: Vec<String>,
    /// Nobody measured the edges of some of them.
    unmeasured: bool,
    /// It was cut or reserved otherwise since the plan was made.
    gone: bool,
}

struct PieceView {
    id: i64,
    name: String,
    boat: String,
    length: String,
    width: String,
    /// Where its shape is taken, if nobody measured the edges it would be cut by.
    unmeasured: Option<String>,
}

/// Most that is cut off an end as a matter of course, mm.
const MOST_TRIM: f64 = 200.0;
/// How long a plan may be searched for.
const LONGEST: std::time::Duration = std::time::Duration::from_secs(10);

/// Everything a plan is made from.
struct Yard {
    boats: HashMap<i64, Boat>,
    pieces: Vec<Piece>,
    rack: Vec<Board>,
}

impl Yard {
    async fn load(store: &Store) -> std::result::Result<Self, AppError> {
        let boats = boat_store::list(store).await?.into_iter().map(|b| (b.id, b)).collect();
        Ok(Self { boats, pieces: decisions::wanting(store).await?, rack: boards::list(store).await? })
    }

    fn boat_name(&self, id: i64) -> String {
        self.boats.get(&id).map_or(String::new(), |b| b.name.clone())
    }

    /// Pieces of these boats that have no board yet; sheets are nested, not sawn from boards.
    fn wanted(&self, boats: &[i64]) -> Vec<&Piece> {
        self.pieces
            .iter()
            .filter(|p| p.state == PieceState::Planned && boats.contains(&p.boat_id))
            .filter(|p| !matches!(p.geometry, Geometry::Timber { sheet: true, .. }))
            .collect()
    }
}

/// Those of some pieces whose edges nobody measured; each of their boats is loaded once.
async fn unmeasured(store: &Store, pieces: &[&Piece]) -> std::result::Result<HashSet<i64>, AppError> {
    let mut found = HashSet::new();
    for boat in pieces.iter().map(|p| p.boat_id).collect::<BTreeSet<i64>>() {
        let file = BoatFile::load(store, boat).await?;
        let hers = pieces.iter().filter(|p| p.boat_id == boat && shape::nobody_measured(&file, p));
        found.extend(hers.map(|p| p.id));
    }
    Ok(found)
}

/// How far a piece curves in its own plane, mm: it is counted in its blank's width.
fn hang(piece: &Piece) -> f64 {
    match &piece.geometry {
        Geometry::Patch { .. } => 0.0,
        Geometry::Stretch { width, .. } | Geometry::Timber { width, .. } => board::hang(piece.width, *width),
    }
}

/// The planner's job, with what is lost at both ends of a board where somebody said so: which boards may give which piece, what each board costs, and what spoils it.
fn job(yard: &Yard, wanted: &[&Piece], timber_price: f64, trim: Option<f64>, seed: u64) -> (Job, Vec<i64>) {
    let free: Vec<&Board> = yard.rack.iter().filter(|b| b.state == BoardState::Free).collect();
    let stock = free.iter().map(|b| {
        let defects: Vec<(Area, u8)> = b
            .details
            .defects
            .iter()
            .map(|d| (Area { x0: d.x0, x1: d.x1, y0: d.y0, y1: d.y1 }, d.kind.severity()))
            .collect();
        let by_volume = b.length * b.width * b.thickness / 1e9 * timber_price;
        // Salvage and offcuts lie in the yard already and are not bought: they go before any new board.
        let cost = if b.origin == Origin::New { b.details.price.unwrap_or(by_volume) } else { 0.0 };
        Stock {
            length: b.length,
            width: b.width,
            thickness: b.details.dressed.unwrap_or((b.thickness - 2.0 * PLANING_PER_FACE).max(0.1)),
            cost,
            origin: b.origin,
            defects,
            sweep: b.details.sweep,
            end_trim: Some(trim.unwrap_or_else(|| end_trim(b.thickness))),
        }
    });
    let pieces = wanted.iter().map(|p| {
        let serves = |b: &Board| {
            let dry = !p.geometry.is_glued() || b.moisture.is_none_or(|m| m <= GLUE_LIMIT);
            // What was salvaged from a boat goes back into her.
            let here = yard.boats.values().map(|boat| boat.name.as_str());
            let hers = board::may_go_into(&b.details.from_boat, &yard.boat_name(p.boat_id), here);
            b.species == p.species && dry && hers
        };
        Wanted {
            length: p.length,
            width: p.width,
            thickness: p.thickness,
            tolerates: p.quality.tolerates(),
            hang: hang(p),
            from: Some(free.iter().enumerate().filter(|(_, b)| serves(b)).map(|(i, _)| i).collect()),
        }
    });
    let job = Job { kerf: KERF, end_trim: END_TRIM, seed, ..Job::new(stock.collect(), pieces.collect()) };
    (job, free.iter().map(|b| b.id).collect())
}

fn keep(plan: &planner::Plan, wanted: &[(i64, i64)], ids: &[i64]) -> Kept {
    Kept {
        kind: "saw".into(),
        boards: plan
            .opened
            .iter()
            .map(|o| KeptBoard {
                board: ids[o.board],
                pieces: o
                    .layout
                    .placed
                    .iter()
                    .map(|p| KeptPiece { piece: wanted[p.piece].0, boat: wanted[p.piece].1, area: p.area })
                    .collect(),
                offcuts: o.offcuts().copied().collect(),
                cuts: o.layout.cuts.clone(),
            })
            .collect(),
        unplaced: plan.unplaced.iter().map(|p| wanted[*p].0).collect(),
        cost: plan.cost,
        bound: plan.bound,
        waste: plan.waste,
    }
}

async fn show(desk: &Desk<'_>, typed: Typed, faults: Faults) -> std::result::Result<Show, AppError> {
    let yard = Yard::load(desk.store).await?;
    let units = desk.units;
    let mut boats: Vec<(i64, String, usize)> = yard
        .boats
        .values()
        .map(|b| (b.id, b.name.clone(), yard.wanted(&[b.id]).len()))
        .filter(|(_, _, n)| *n > 0)
        .collect();
    boats.sort();
    let row = boards::cut_plan(desk.store, "saw").await?;
    let kept: Option<Kept> = row.as_ref().map(|r| serde_json::from_value(r.body.clone())).transpose()?;
    let (mut facts, mut views, mut unplaced) = (Vec::new(), Vec::new(), Vec::new());
    if let Some(kept) = &kept {
        facts.push(("Boards opened", kept.boards.len().to_string()));
        facts.push((
            "New stock",
            format!("{:.0}; no plan that places as much costs less than {:.0}", kept.cost, kept.bound),
        ));
        facts.push(("Waste", format!("{:.2} m² of face", kept.waste / 1e6)));
        let on_boards: HashSet<i64> = kept.boards.iter().flat_map(|b| &b.pieces).map(|k| k.piece).collect();
        let open: Vec<&Piece> = yard.pieces.iter().filter(|p| on_boards.contains(&p.id)).collect();
        let unmeasured = unmeasured(desk.store, &open).await?;
        views = kept.boards.iter().filter_map(|b| board_view(&yard, b, &unmeasured, units)).collect();
        unplaced = kept
            .unplaced
            .iter()
            .filter_map(|id| yard.pieces.iter().find(|p| p.id == *id))
            .map(|p| {
                let wood = units.dims(&[p.length, p.width, p.thickness]);
                (p.name.clone(), format!("/boats/{}/pieces/{}", p.boat_id, p.id), wood)
            })
            .collect();
    }
    let none = if boats.is_empty() && views.is_empty() { "No piece waits for a board." } else { "" };
    Ok(Show {
        page: desk.page("For the saw", "rack"),
        tabs: tabs(),
        boats,
        plan: row.as_ref().map_or(0, |r| r.id),
        made: row.map_or(String::new(), |r| format!("worked out {} by {}", view::when(&r.at), r.by_name)),
        facts,
        boards: views,
        unplaced,
        none: none.to_owned(),
        typed,
        faults,
    })
}

fn board_view(yard: &Yard, kept: &KeptBoard, unmeasured: &HashSet<i64>, units: Units) -> Option<BoardView> {
    let board = yard.rack.iter().find(|b| b.id == kept.board)?;
    let open: Vec<(&KeptPiece, &Piece)> = kept
        .pieces
        .iter()
        .filter_map(|k| Some((k, yard.pieces.iter().find(|p| p.id == k.piece && p.state == PieceState::Planned)?)))
        .collect();
    let on: Vec<OnBoard> = kept
        .pieces
        .iter()
        .map(|k| {
            let piece = yard.pieces.iter().find(|p| p.id == k.piece);
            OnBoard {
                area: k.area,
                text: piece.map_or("cut".to_owned(), |p| p.name.clone()),
                class: if piece.is_some() { "open" } else { "done" },
                piece: None,
            }
        })
        .collect();
    let face = Face {
        length: board.length,
        width: board.width,
        details: &board.details,
        pieces: &on,
        left: &kept.offcuts,
        cuts: &kept.cuts,
    };
    Some(BoardView {
        id: board.id,
        tag: board.tag.clone(),
        what: format!(
            "{}, {}",
            units.dims(&[board.length, board.width, board.thickness]),
            board.origin.label().to_lowercase()
        ),
        svg: drawing::draw(face, units),
        pieces: open
            .iter()
            .map(|(k, p)| PieceView {
                id: p.id,
                name: p.name.clone(),
                boat: yard.boat_name(p.boat_id),
                length: units.exact(k.area.length()),
                width: units.exact(k.area.width()),
                unmeasured: unmeasured
                    .contains(&p.id)
                    .then(|| format!("/boats/{}/shapes/new?part={}", p.boat_id, p.member_id)),
            })
            .collect(),
        offcuts: kept.offcuts.iter().map(|a| units.dims(&[a.length(), a.width()])).collect(),
        unmeasured: open.iter().any(|(_, p)| unmeasured.contains(&p.id)),
        gone: board.state != BoardState::Free || open.len() != kept.pieces.len(),
    })
}

#[get("/rack/cut")]
pub async fn page(desk: Desk<'_>, _who: Crew) -> Result {
    render(&show(&desk, Typed::default(), Faults::default()).await?)
}

/// Begins to work a plan out; it runs beside the pages.
#[post("/rack/cut", data = "<posted>")]
pub async fn begin(desk: Desk<'_>, _who: Crew, jobs: &State<Jobs>, posted: Posted) -> Result {
    let yard = Yard::load(desk.store).await?;
    let picked: Vec<i64> =
        yard.boats.keys().copied().filter(|id| posted.form.get(&format!("boat{id}")) == "1").collect();
    let wanted = yard.wanted(&picked);
    if wanted.is_empty() {
        let mut faults = Faults::said_in(desk.units);
        faults.add(InputError::new("boats", "tick at least one boat whose pieces wait for boards"));
        return render_faulty(&show(&desk, posted.form.typed(), faults).await?);
    }
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let trim = read.optional_length("end_trim");
    if trim.is_some_and(|mm| !(0.0..=MOST_TRIM).contains(&mm)) && !read.faults.has("end_trim") {
        read.faults.add(InputError::new("end_trim", "must be between 0 and 200 mm"));
    }
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, posted.form.typed(), read.faults).await?);
    }
    let price = accounts::practice(desk.store).await?.0.prices.timber;
    let (job, ids) = job(&yard, &wanted, price, trim, 1);
    let owners: Vec<(i64, i64)> = wanted.iter().map(|p| (p.id, p.boat_id)).collect();
    let id = crate::web::auth::random_token().map_err(|e| AppError::Broken(e.message))?;
    let title = format!("Laying {} pieces on {} boards", wanted.len(), ids.len());
    let Some(handle) = jobs.begin(&id, &title, desk.user.account.id, LONGEST) else {
        return Err(AppError::Refused(
            "Two plans are being worked out already: wait for one of them, or stop it.".into(),
        ));
    };
    let (store, by) = (desk.store.clone(), desk.user.account.name.clone());
    tokio::spawn(async move {
        let told = handle.clone();
        let planned =
            tokio::task::spawn_blocking(move || planner::plan(&job, planner::BUDGET, &mut |p| told.go_on(p))).await;
        match planned {
            Ok(Ok(plan)) => match store_plan(&store, &by, &keep(&plan, &owners, &ids)).await {
                Ok(()) => handle.done("/rack/cut".into()),
                Err(e) => handle.failed(e.says()),
            },
            Ok(Err(e)) => handle.failed(e.to_string()),
            Err(e) => handle.failed(e.to_string()),
        }
    });
    Ok(Answer::Go(format!("/jobs/{id}")))
}

async fn store_plan(store: &Store, by: &str, kept: &Kept) -> std::result::Result<(), AppError> {
    let mut work = store.begin(Act::now(by, None)).await?;
    work.add_cut_plan(&serde_json::to_value(kept)?).await?;
    Ok(work.commit("/rack/cut").await?)
}

/// Cuts a board by the plan: those pieces that are ticked, at the sizes they really came out; a piece that is not keeps its place as
/// an offcut reserved for it.
#[post("/rack/cut/<board>", data = "<posted>")]
pub async fn carry_out(desk: Desk<'_>, _who: Crew, board: i64, posted: Posted) -> Result {
    let yard = Yard::load(desk.store).await?;
    let row = boards::cut_plan(desk.store, "saw").await?;
    // Ticks of a plan that was replaced meanwhile would land on pieces of another.
    let of = posted.form.get("plan");
    if row.as_ref().is_some_and(|r| !of.is_empty() && of != r.id.to_string()) {
        return Err(AppError::Refused(
            "this plan was replaced by a newer one: nothing was cut; look at the plan as it is now".into(),
        ));
    }
    let kept: Option<Kept> = row.map(|r| serde_json::from_value(r.body)).transpose()?;
    let (Some(kept), Some(stock)) = (
        kept.as_ref().and_then(|k| k.boards.iter().find(|b| b.board == board)),
        yard.rack.iter().find(|b| b.id == board),
    ) else {
        return Err(AppError::Refused("the plan has changed meanwhile: look at it again".into()));
    };
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let (mut made, mut offcuts) = (Vec::new(), Vec::new());
    for k in &kept.pieces {
        let Some(piece) = yard.pieces.iter().find(|p| p.id == k.piece && p.state == PieceState::Planned) else {
            continue;
        };
        if !read.is_on(&format!("cut{}", k.piece)) {
            let face = Rectangle { length: k.area.length(), width: k.area.width() };
            offcuts.push(Offcut { x: k.area.x0, y: k.area.y0, face, piece: Some(piece.id) });
            continue;
        }
        let (lf, wf) = (format!("length{}", k.piece), format!("width{}", k.piece));
        let (length, width) = (read.size(&lf), read.size(&wf));
        if length > k.area.length() + KERF {
            read.faults.add(InputError::new(lf, "is longer than the place it was cut from"));
        }
        if width > k.area.width() + KERF {
            read.faults.add(InputError::new(wf, "is wider than the place it was cut from"));
        }
        made.push((piece, CutPiece { piece: piece.id, name: piece.name.clone(), length, width }));
    }
    let cut: Vec<&Piece> = made.iter().map(|(piece, _)| *piece).collect();
    let unmeasured = unmeasured(desk.store, &cut).await?;
    let because = format!("unmeasured{board}");
    let why = read.text(&because, NOTE_LIMIT);
    if !unmeasured.is_empty() && why.is_empty() {
        read.faults.add(InputError::new(because, "say why, or take their shape first"));
    }
    if made.is_empty() {
        read.faults.add(InputError::new(format!("board{board}"), "tick what was cut"));
    }
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, posted.form.typed(), read.faults).await?);
    }
    let worth = |a: &&Area| a.length() >= SMALLEST_OFFCUT.0 && a.width() >= SMALLEST_OFFCUT.1;
    offcuts.extend(kept.offcuts.iter().filter(worth).map(|a| Offcut {
        x: a.x0,
        y: a.y0,
        face: Rectangle { length: a.length(), width: a.width() },
        piece: None,
    }));
    let mut work = desk.store.begin(posted.act()).await?;
    work.cut_board(stock, &made, &offcuts).await?;
    for piece in cut.iter().filter(|p| unmeasured.contains(&p.id)) {
        work.tell_unmeasured(piece, &why).await?;
    }
    let location = format!("/rack/{board}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
