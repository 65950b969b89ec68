//! Timber for a boat: which boards yield each blank, in order of merit; reserving one and cutting it.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::timber::board::{self, BoardState, Fit, Need, Quality, Rectangle};
use mend_keel_core::timber::{species, substitute};
use mend_keel_store::boards::{self, Board};
use mend_keel_store::decisions::{self, Geometry, Piece, PieceState};
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::file::shape;
use crate::file::timber::need;
use crate::view;
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
    pieces: Vec<PieceView>,
    qualities: Choices,
    /// The piece whose form was refused, with what is wrong with it.
    refused: i64,
    faults: Faults,
}

struct PieceView {
    id: i64,
    member_id: i64,
    name: String,
    blank: String,
    species: String,
    state: &'static str,
    is_cut: bool,
    board: Option<(i64, String)>,
    fits: Vec<FitView>,
    /// What would have to be bought when nothing serves.
    shortfall: String,
    quality: &'static str,
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

fn others(desk: &Desk<'_>, piece: &Piece, rack: &[Board]) -> Vec<OtherView> {
    let Ok(wanted) = species::find(&piece.species) else { return Vec::new() };
    let bent = matches!(piece.geometry, Geometry::Stretch { .. });
    substitute::rank(wanted, species::all(), bent)
        .into_iter()
        .take(OTHERS)
        .map(|s| {
            let need = Need { species: s.species.id.clone(), ..need(piece) };
            let tags: Vec<&str> = rack
                .iter()
                .filter(|b| b.state == BoardState::Free && board::fit(&b.stock(), &b.details, &need, s.species).serves)
                .map(|b| b.tag.as_str())
                .collect();
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

#[get("/boats/<id>/timber")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    render(&listed(&desk, id, 0, Faults::default()).await?)
}

async fn listed(desk: &Desk<'_>, id: i64, refused: i64, faults: Faults) -> std::result::Result<List, AppError> {
    let file = BoatFile::load(desk.store, id).await?;
    let rack = boards::list(desk.store).await?;
    let pieces = file.pieces.iter().map(|p| piece_view(desk, &file, p, &rack)).collect();
    let qualities = pairs(Quality::ALL, Quality::code, Quality::label);
    Ok(List { page: desk.boat_page(&file, "Timber", "timber"), boat_id: id, pieces, qualities, refused, faults })
}

fn piece_view(desk: &Desk<'_>, file: &BoatFile, piece: &Piece, rack: &[Board]) -> PieceView {
    let wanted = species::find(&piece.species).ok();
    let need = need(piece);
    let mut fits: Vec<(&Board, Fit)> = rack
        .iter()
        .filter(|b| b.state == BoardState::Free)
        .filter_map(|b| Some((b, board::fit(&b.stock(), &b.details, &need, wanted?))))
        .collect();
    fits.sort_by(|a, b| b.1.serves.cmp(&a.1.serves).then(b.1.score.total_cmp(&a.1.score)));
    let best = fits.iter().filter(|(_, f)| f.serves).map(|(_, f)| f.score).fold(0.0, f64::max);
    let serving = fits.iter().filter(|(_, f)| f.serves).count();
    // Whoever has a board asks only what would serve as well.
    let board = piece.board_id.and_then(|id| rack.iter().find(|b| b.id == id)).map(|b| (b.id, b.tag.clone()));
    let wants = serving == 0 && board.is_none();
    let misses = if board.is_none() { NEAR_MISSES } else { 0 };
    // Boards of another species are no near miss.
    let shown = fits
        .into_iter()
        .filter(|(b, f)| f.serves || b.species == piece.species)
        .take(serving + misses)
        .map(|(b, f)| FitView {
            board_id: b.id,
            tag: b.tag.clone(),
            what: format!(
                "{}, {}, {}{}",
                desk.units.dims(&[b.length, b.width, b.thickness]),
                b.grain.label().to_lowercase(),
                b.origin.label().to_lowercase(),
                b.moisture.map_or(String::new(), |m| format!(", {m:.0} %"))
            ),
            serves: f.serves,
            standing: view::standing(f.score, best),
            points: format!("{:.0}", f.score),
            reasons: reasons::views(&f.reasons, desk.units),
        })
        .collect();
    let rough = piece.thickness + 2.0 * board::PLANING_PER_FACE;
    let shortfall = if !wants {
        String::new()
    } else {
        let length = piece.length + 2.0 * board::end_trim(rough);
        format!(
            "No board in the rack yields it. To buy: {}, at least {}",
            wanted.map_or(piece.species.as_str(), |s| s.name.as_str()),
            desk.units.dims(&[length, piece.width, rough])
        )
    };
    PieceView {
        id: piece.id,
        member_id: piece.member_id,
        name: piece.name.clone(),
        blank: crate::view::piece::blank(desk.units, piece),
        species: wanted.map_or(piece.species.clone(), |s| s.name.clone()),
        state: piece.state.label(),
        is_cut: piece.state == PieceState::Cut,
        board,
        fits: shown,
        quality: piece.quality.code(),
        was: wants_kept(piece).token(),
        needed_by: piece.needed_by.clone().unwrap_or_default(),
        others: if wants && piece.state == PieceState::Planned { others(desk, piece, rack) } else { Vec::new() },
        unmeasured: piece.state != PieceState::Cut && shape::nobody_measured(file, piece),
        scarfs: wants && !matches!(piece.geometry, Geometry::Patch { .. }),
        shortfall,
    }
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
    let location = format!("/boats/{id}/timber");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[post("/boats/<id>/pieces/<piece>/reserve", data = "<posted>")]
pub async fn reserve(desk: Desk<'_>, _who: Crew, id: i64, piece: i64, posted: Posted) -> Result {
    let piece = decisions::piece(desk.store, id, piece).await?;
    let board = boards::find(desk.store, posted.form.get("board").parse().unwrap_or(0)).await?;
    let wanted = species::find(&piece.species).map_err(|e| AppError::Refused(e.message))?;
    if !board::fit(&board.stock(), &board.details, &need(&piece), wanted).serves {
        return Err(AppError::Refused(format!("{} does not yield this piece", board.tag)));
    }
    let mut work = desk.store.begin(posted.act()).await?;
    work.reserve(&board, &piece).await?;
    let location = format!("/boats/{id}/timber");
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
    let blank = Rectangle { length: piece.length, width: piece.width };
    let cut = board::take(board.face(), board.thickness, blank).map_err(|e| AppError::Refused(e.message))?;
    let file = BoatFile::load(desk.store, id).await?;
    let why = shape::cut_unmeasured(&file, &piece, posted.form.get("unmeasured"), NOTE_LIMIT)
        .map_err(|e| AppError::Refused(e.message))?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.take_from_rack(&board, &piece, &cut).await?;
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
        return render_faulty(&listed(&desk, id, piece.id, read.faults).await?);
    }
    let location = format!("/boats/{id}/timber");
    let mut work = desk.store.begin(posted.act()).await?;
    work.spoil_piece(&piece, &why).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
