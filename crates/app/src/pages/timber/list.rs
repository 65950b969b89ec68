//! Timber for a boat: which boards yield each blank, in order of merit; reserving one and cutting it.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::cutting::layout::{Area, Cut};
use mend_keel_core::reason::Verdict;
use mend_keel_core::timber::board::{self, BoardState, Fit, Laid, Need, Quality, Rectangle};
use mend_keel_core::timber::{species, substitute};
use mend_keel_store::boards::{self, Board};
use mend_keel_store::boats;
use mend_keel_store::decisions::{self, Geometry, Piece, PieceState};
use rocket::{get, post};
use serde_json::json;

use crate::file::boat::BoatFile;
use crate::file::shape;
use crate::file::timber::{Rack, need};
use crate::view;
use crate::view::board::{self as drawing, Face, OnBoard};
use crate::view::reasons::{self, ReasonView};
use crate::web::auth::{BoatReader, Crew};
use crate::web::changed::Kept;
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, day};

#[derive(Template)]
#[template(path = "timber/list.html")]
struct List {
    page: Page,
    boat_id: i64,
    /// Pieces that wait for a board, those that have one, and those that are cut.
    groups: Vec<(&'static str, Vec<Chip>)>,
    rows: Vec<BoardRow>,
    /// Boards of the rack that are not shown.
    more: usize,
    /// Why no board is shown.
    nothing: &'static str,
    shown: Option<PieceView>,
    qualities: Choices,
    /// What is wrong with the form of the piece that is shown.
    faults: Faults,
}

/// A piece to be taken hold of.
struct Chip {
    id: i64,
    name: String,
    blank: String,
    /// The board it has.
    on: String,
    is_cut: bool,
    is_shown: bool,
}

/// A board with what lies on it, and how it serves the piece that is shown.
struct BoardRow {
    id: i64,
    tag: String,
    what: String,
    /// `serves`, `no` or `kept`.
    class: &'static str,
    words: String,
    svg: String,
}

struct PieceView {
    id: i64,
    member_id: i64,
    name: String,
    blank: String,
    species: String,
    is_cut: bool,
    board: Option<(i64, String)>,
    /// How the board it has serves it.
    own: Option<FitView>,
    /// The board it has does not yield it: what it asks has changed.
    fails: bool,
    fits: Vec<FitView>,
    /// The board to reserve, where it has none.
    best: Option<(i64, String)>,
    /// What would have to be bought when nothing serves.
    shortfall: String,
    quality: &'static str,
    quality_words: String,
    /// With what its wishes were shown.
    was: String,
    needed_by: String,
    /// Where nothing serves: other species, nearest first, with what of them is in the rack.
    others: Vec<OtherView>,
    /// Nobody measured the edges it would be cut by.
    unmeasured: bool,
    /// It is long enough to be scarfed up from shorter boards.
    scarfs: bool,
}

struct OtherView {
    name: String,
    nearness: &'static str,
    points: String,
    movement: String,
    weight: String,
    strength: String,
    decay: u8,
    bend: String,
    rack: String,
    reasons: Vec<ReasonView>,
}

/// How near a species comes to the one that is wanted, of 100 points.
fn nearness(points: f64) -> &'static str {
    match points {
        p if p >= 90.0 => "hardly differs",
        p if p >= 75.0 => "near",
        p if p >= 55.0 => "differs",
        _ => "far off",
    }
}

/// Species shown in place of one that is not to be had.
const OTHERS: usize = 4;

fn others(desk: &Desk<'_>, boat: &str, piece: &Piece, rack: &Rack) -> Vec<OtherView> {
    let Ok(wanted) = species::find(&piece.species) else { return Vec::new() };
    let bent = matches!(piece.geometry, Geometry::Stretch { .. });
    substitute::rank(wanted, species::all(), bent)
        .into_iter()
        .take(OTHERS)
        .map(|s| {
            let need = Need { species: s.species.id.clone(), ..need(piece) };
            let tags: Vec<&str> =
                rack.serving(&need, s.species, boat).into_iter().map(|(b, _)| b.tag.as_str()).collect();
            let share = |v: f64| format!("{:+.0} %", (v - 1.0) * 100.0);
            OtherView {
                name: s.species.name.clone(),
                nearness: nearness(s.score),
                points: format!("{:.0}", s.score),
                movement: share(s.movement),
                weight: share(s.weight),
                strength: share(s.strength),
                decay: s.species.decay,
                bend: format!("{:.0} t", s.species.bend_ratio),
                rack: if tags.is_empty() { "none".to_owned() } else { tags.join(", ") },
                reasons: reasons::views(&s.reasons, desk.units),
            }
        })
        .collect()
}

struct FitView {
    board_id: i64,
    tag: String,
    what: String,
    serves: bool,
    standing: &'static str,
    points: String,
    reasons: Vec<ReasonView>,
}

/// Boards shown for a piece besides the ones that serve.
const NEAR_MISSES: usize = 3;

/// Boards drawn at once.
const MOST_ROWS: usize = 40;

#[get("/boats/<id>/timber?<piece>")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64, piece: Option<i64>) -> Result {
    render(&listed(&desk, id, piece, Faults::default()).await?)
}

/// How each board of the rack serves a piece, for whoever holds it over them.
#[get("/boats/<id>/timber/fits/<piece>")]
pub async fn fits(desk: Desk<'_>, _who: Crew, id: i64, piece: i64) -> Result {
    let piece = decisions::piece(desk.store, id, piece).await?;
    let rack = Rack::load(desk.store).await?;
    let boat = boats::find(desk.store, id).await?;
    let ranked = ranked(&boat.name, &piece, &rack);
    let best = best_of(&ranked);
    let told = ranked.iter().map(|(b, fit)| (b.id.to_string(), json!([fit.serves, words(fit, best)])));
    Ok(Answer::Data(told.collect::<serde_json::Map<_, _>>().into()))
}

/// Free boards held against a piece, and the one it has: what serves first, the best of it before the others. What is cut asks for none.
fn ranked<'b>(boat: &str, piece: &Piece, rack: &'b Rack) -> Vec<(&'b Board, Fit)> {
    let Ok(wanted) = species::find(&piece.species) else { return Vec::new() };
    if piece.state == PieceState::Cut {
        return Vec::new();
    }
    let need = need(piece);
    let mut fits: Vec<(&Board, Fit)> = rack
        .boards
        .iter()
        .filter(|b| b.state == BoardState::Free || (Some(b.id) == piece.board_id && b.state == BoardState::Reserved))
        .map(|b| (b, rack.fit(b, &need, wanted, boat)))
        .collect();
    fits.sort_by(|a, b| b.1.serves.cmp(&a.1.serves).then(b.1.score.total_cmp(&a.1.score)));
    fits
}

fn best_of(fits: &[(&Board, Fit)]) -> f64 {
    fits.iter().filter(|(_, f)| f.serves).map(|(_, f)| f.score).fold(0.0, f64::max)
}

/// How a board serves, or the first thing that keeps it from serving.
fn words(fit: &Fit, best: f64) -> String {
    if fit.serves {
        return match view::standing(fit.score, best) {
            best @ "serves best" => format!("✓ {best}"),
            less => format!("✓ yields it, {less}"),
        };
    }
    format!("✕ {}", forbidden(fit))
}

/// The first thing that keeps a board from serving.
fn forbidden(fit: &Fit) -> &str {
    let why = fit.reasons.iter().find(|r| r.verdict == Verdict::Forbids);
    why.map_or("it does not yield it", |r| r.text.as_ref())
}

async fn listed(desk: &Desk<'_>, id: i64, asked: Option<i64>, faults: Faults) -> std::result::Result<List, AppError> {
    let file = BoatFile::load(desk.store, id).await?;
    let rack = Rack::load(desk.store).await?;
    let of_state = |state: PieceState| file.pieces.iter().filter(move |p| p.state == state);
    let shown = match asked {
        Some(asked) => Some(file.pieces.iter().find(|p| p.id == asked).ok_or(AppError::NotFound("piece"))?),
        None => of_state(PieceState::Planned).chain(of_state(PieceState::Reserved)).next().or(file.pieces.first()),
    };
    let chip = |p: &Piece| Chip {
        id: p.id,
        name: p.name.clone(),
        blank: crate::view::piece::blank(desk.units, p),
        on: p.board_id.and_then(|id| rack.find(id)).map_or(String::new(), |b| b.tag.clone()),
        is_cut: p.state == PieceState::Cut,
        is_shown: shown.is_some_and(|s| s.id == p.id),
    };
    let groups =
        [("Waiting for a board", PieceState::Planned), ("Has a board", PieceState::Reserved), ("Cut", PieceState::Cut)];
    let groups = groups.map(|(name, state)| (name, of_state(state).map(chip).collect::<Vec<_>>()));
    let page = desk.boat_page(&file, "Timber", "timber");
    let nothing = match shown {
        Some(piece) if piece.state == PieceState::Cut => "It is cut: it asks for no board.",
        Some(piece) if matches!(piece.geometry, Geometry::Timber { sheet: true, .. }) => "It is cut from a sheet.",
        Some(piece) if species::find(&piece.species).is_err() => {
            "Nobody said of what timber it is: no board can be held against it."
        }
        _ if !page.may_write => "No board is kept for her.",
        _ => "No board is free.",
    };
    let fits = shown.map_or(Vec::new(), |piece| ranked(&file.boat.name, piece, &rack));
    let (rows, more) = shown.map_or((Vec::new(), 0), |piece| rows(desk, &file, piece, &rack, &fits, page.may_write));
    Ok(List {
        page,
        boat_id: id,
        groups: groups.into_iter().filter(|(_, chips)| !chips.is_empty()).collect(),
        rows,
        more,
        nothing,
        shown: shown.map(|piece| piece_view(desk, &file, piece, &rack, &fits)),
        qualities: pairs(Quality::ALL, Quality::code, Quality::label),
        faults,
    })
}

/// The boards with what lies on them: that of the piece shown, those that serve it, those of this boat's other pieces, and of what is
/// left those of its species first. How many are left out comes with them. Who is a guest sees what is kept for the boat, not what else the
/// yard has.
fn rows(
    desk: &Desk<'_>,
    file: &BoatFile,
    shown: &Piece,
    rack: &Rack,
    fits: &[(&Board, Fit)],
    yards: bool,
) -> (Vec<BoardRow>, usize) {
    let best = best_of(fits);
    let kept = |b: &Board| file.pieces.iter().find(|p| p.state == PieceState::Reserved && p.board_id == Some(b.id));
    let turn = |b: &Board, fit: Option<&Fit>| {
        if kept(b).is_some_and(|p| p.id == shown.id) {
            0
        } else if fit.is_some_and(|f| f.serves) {
            1
        } else if kept(b).is_some() {
            2
        } else {
            3 + u8::from(b.species != shown.species)
        }
    };
    let of_others = rack.boards.iter().filter(|b| kept(b).is_some_and(|p| p.id != shown.id)).map(|b| (b, None));
    let mut boards: Vec<(&Board, Option<&Fit>)> = fits.iter().map(|(b, f)| (*b, Some(f))).chain(of_others).collect();
    boards.retain(|(b, _)| yards || kept(b).is_some());
    boards.sort_by_key(|(b, fit)| turn(b, *fit));
    let more = boards.len().saturating_sub(MOST_ROWS);
    boards.truncate(MOST_ROWS);
    let longest = boards.iter().map(|(b, _)| b.length).fold(0.0, f64::max);
    let rows = boards.into_iter().map(|(b, fit)| board_row(desk, b, fit.map(|f| (f, best)), kept(b), shown, longest));
    (rows.collect(), more)
}

fn board_row(
    desk: &Desk<'_>,
    board: &Board,
    fit: Option<(&Fit, f64)>,
    kept: Option<&Piece>,
    shown: &Piece,
    longest: f64,
) -> BoardRow {
    let lies = kept.map(|p| (p, laid(board, p)));
    let thought_of = fit.filter(|(f, _)| f.serves && kept.is_none()).and_then(|_| laid(board, shown).ok());
    let mut on = Vec::new();
    let (mut left, mut cuts): (&[Area], &[Cut]) = (&[], &[]);
    match (&lies, &thought_of) {
        (Some((piece, Ok(laid))), _) => {
            let class = if piece.id == shown.id { "open asked" } else { "open" };
            on.push(OnBoard { area: laid.piece, text: piece.name.clone(), class, piece: Some(piece.id) });
            (left, cuts) = (&laid.offcuts, &laid.cuts);
        }
        (None, Some(laid)) => {
            on.push(OnBoard { area: laid.piece, text: String::new(), class: "ghost", piece: None });
        }
        _ => {}
    }
    let face = Face { length: board.length, width: board.width, details: &board.details, pieces: &on, left, cuts };
    let (class, words) = match (&lies, fit) {
        (Some((piece, Err(e))), _) => ("no", format!("✕ kept for {}: {}", piece.name, e.message)),
        (Some((piece, Ok(_))), Some((fit, best))) if !fit.serves => {
            ("no", format!("kept for {}: {}", piece.name, words(fit, best)))
        }
        (Some((piece, Ok(_))), _) => ("kept", format!("kept for {}", piece.name)),
        (None, Some((fit, best))) => (if fit.serves { "serves" } else { "no" }, words(fit, best)),
        (None, None) => ("no", String::new()),
    };
    BoardRow {
        id: board.id,
        tag: board.tag.clone(),
        what: board_words(desk, board),
        class,
        words,
        svg: drawing::draw_among(face, longest, desk.units),
    }
}

fn board_words(desk: &Desk<'_>, b: &Board) -> String {
    format!(
        "{}, {}, {}{}",
        desk.units.dims(&[b.length, b.width, b.thickness]),
        b.grain.label().to_lowercase(),
        b.origin.label().to_lowercase(),
        b.moisture.map_or(String::new(), |m| format!(", {m:.0} %"))
    )
}

fn piece_view(desk: &Desk<'_>, file: &BoatFile, piece: &Piece, rack: &Rack, fits: &[(&Board, Fit)]) -> PieceView {
    let wanted = species::find(&piece.species).ok();
    let best = best_of(fits);
    let board = piece.board_id.and_then(|id| rack.find(id)).map(|b| (b.id, b.tag.clone()));
    let (own, fits): (Vec<_>, Vec<_>) = fits.iter().partition(|(b, _)| Some(b.id) == piece.board_id);
    let serving = fits.iter().filter(|(_, f)| f.serves).count();
    // Whoever has a board asks only what would serve as well.
    let wants = serving == 0 && board.is_none();
    let misses = if board.is_none() { NEAR_MISSES } else { 0 };
    let told = |(b, f): &(&Board, Fit)| FitView {
        board_id: b.id,
        tag: b.tag.clone(),
        what: board_words(desk, b),
        serves: f.serves,
        standing: view::standing(f.score, best),
        points: format!("{:.0}", f.score),
        reasons: reasons::views(&f.reasons, desk.units),
    };
    let leads = fits.first().filter(|(_, f)| f.serves && board.is_none() && piece.state == PieceState::Planned);
    let leads = leads.map(|(b, _)| (b.id, b.tag.clone()));
    let own = own.into_iter().map(told).next();
    // Boards of another species are no near miss.
    let shown = fits
        .into_iter()
        .filter(|(b, f)| f.serves || b.species == piece.species)
        .take(serving + misses)
        .map(told)
        .collect();
    let rough = piece.thickness + 2.0 * board::PLANING_PER_FACE;
    let shortfall = match wanted {
        Some(wood) if wants => {
            let length = piece.length + 2.0 * board::end_trim(rough);
            format!(
                "No board in the rack yields it. To buy: {}, at least {}",
                wood.name,
                desk.units.dims(&[length, piece.width, rough])
            )
        }
        None if wants => "Nobody said of what timber it is: what is bought for it is not known either.".to_owned(),
        _ => String::new(),
    };
    PieceView {
        id: piece.id,
        member_id: piece.member_id,
        name: piece.name.clone(),
        blank: crate::view::piece::blank(desk.units, piece),
        species: wanted.map_or(piece.species.clone(), |s| s.name.clone()),
        is_cut: piece.state == PieceState::Cut,
        fails: own.as_ref().is_some_and(|f| !f.serves),
        own,
        board,
        fits: shown,
        best: leads,
        quality: piece.quality.code(),
        quality_words: piece.quality.label().to_lowercase(),
        was: wants_kept(piece).token(),
        needed_by: piece.needed_by.clone().unwrap_or_default(),
        others: if wants && piece.state == PieceState::Planned {
            others(desk, &file.boat.name, piece, rack)
        } else {
            Vec::new()
        },
        unmeasured: piece.state != PieceState::Cut && shape::nobody_measured(file, piece),
        scarfs: wants && !matches!(piece.geometry, Geometry::Patch { .. }),
        shortfall,
    }
}

/// Where a piece is cut from a board: clear of what it must not have.
fn laid(board: &Board, piece: &Piece) -> std::result::Result<Laid, InputError> {
    let blank = Rectangle { length: piece.length, width: piece.width };
    board::lay(board.face(), board.thickness, blank, &board::spoiled(&board.details.defects, piece.quality))
}

/// The page with a piece shown.
fn here(boat: i64, piece: &Piece) -> String {
    format!("/boats/{boat}/timber?piece={}", piece.id)
}

/// What a piece asks of its wood as it stands.
fn wants_kept(piece: &Piece) -> Kept {
    Kept::default()
        .choice(
            "quality",
            "Its wood must be",
            piece.quality.code(),
            &pairs(Quality::ALL, Quality::code, Quality::label),
        )
        .text("needed_by", "Needed by", piece.needed_by.clone().unwrap_or_default())
}

/// Keeps what a piece asks of its wood, and by when.
#[post("/boats/<id>/pieces/<piece>/wants", data = "<posted>")]
pub async fn wants(desk: Desk<'_>, _who: Crew, id: i64, piece: i64, posted: Posted) -> Result {
    let piece = decisions::piece(desk.store, id, piece).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let quality = read.choice("quality", Quality::from_code).unwrap_or(piece.quality);
    let needed_by = day(&mut read, "needed_by");
    if let Some((field, message)) = read.faults.first() {
        return Err(AppError::Refused(format!("{field}: {message}")));
    }
    posted.still(&piece.name, &wants_kept(&piece))?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_piece_wants(&piece, quality, needed_by.as_deref()).await?;
    let location = here(id, &piece);
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[post("/boats/<id>/pieces/<piece>/reserve", data = "<posted>")]
pub async fn reserve(desk: Desk<'_>, _who: Crew, id: i64, piece: i64, posted: Posted) -> Result {
    let piece = decisions::piece(desk.store, id, piece).await?;
    let boat = boats::find(desk.store, id).await?;
    let board = boards::find(desk.store, posted.form.get("board").parse().unwrap_or(0)).await?;
    let wanted = species::find(&piece.species).map_err(|e| AppError::Refused(e.message))?;
    let fit = Rack::load(desk.store).await?.fit(&board, &need(&piece), wanted, &boat.name);
    if !fit.serves {
        return Err(AppError::Refused(format!("{} does not yield this piece: {}", board.tag, forbidden(&fit))));
    }
    let mut work = desk.store.begin(posted.act()).await?;
    work.reserve(&board, &piece).await?;
    let location = here(id, &piece);
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// The board that was reserved for a piece goes back.
#[post("/boats/<id>/pieces/<piece>/give-back", data = "<posted>")]
pub async fn give_back(desk: Desk<'_>, _who: Crew, id: i64, piece: i64, posted: Posted) -> Result {
    let piece = decisions::piece(desk.store, id, piece).await?;
    let Some(board) = piece.board_id else {
        return Err(AppError::Refused("no board is reserved for this piece".into()));
    };
    let board = boards::find(desk.store, board).await?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.give_back(&board, &piece).await?;
    let location = here(id, &piece);
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[post("/boats/<id>/pieces/<piece>/take", data = "<posted>")]
pub async fn take(desk: Desk<'_>, _who: Crew, id: i64, piece: i64, posted: Posted) -> Result {
    let piece = decisions::piece(desk.store, id, piece).await?;
    let Some(board_id) = piece.board_id else {
        return Err(AppError::Refused("reserve a board for this piece first".into()));
    };
    let board = boards::find(desk.store, board_id).await?;
    let laid = laid(&board, &piece).map_err(|e| AppError::Refused(e.message))?;
    let file = BoatFile::load(desk.store, id).await?;
    let why = shape::cut_unmeasured(&file, &piece, posted.form.get("unmeasured"), NOTE_LIMIT)
        .map_err(|e| AppError::Refused(e.message))?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.take_from_rack(&board, &piece, &laid).await?;
    if let Some(why) = why {
        work.tell_unmeasured(&piece, &why).await?;
    }
    let location = format!("/rack/{board_id}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// What was cut of a piece is spoiled: it is made again.
#[post("/boats/<id>/pieces/<piece>/spoiled", data = "<posted>")]
pub async fn spoiled(desk: Desk<'_>, _who: Crew, id: i64, piece: i64, posted: Posted) -> Result {
    let piece = decisions::piece(desk.store, id, piece).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let why = read.text("spoiled", NOTE_LIMIT);
    if why.is_empty() {
        read.faults.add(InputError::new("spoiled", "say what went wrong: the next one is made otherwise"));
    }
    if !read.faults.is_empty() {
        return render_faulty(&listed(&desk, id, Some(piece.id), read.faults).await?);
    }
    let location = here(id, &piece);
    let mut work = desk.store.begin(posted.act()).await?;
    work.spoil_piece(&piece, &why).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
