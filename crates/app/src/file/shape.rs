//! Shapes that were taken, as the pieces they become.

use mend_keel_core::InputError;
use mend_keel_core::geometry::{Point, extent};
use mend_keel_core::grid::Address;
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::repair::decide::Timber;
use mend_keel_core::repair::decide::member::Class;
use mend_keel_core::repair::gluing::{self, MemberJoints};
use mend_keel_core::repair::graving::{self, ToEdge};
use mend_keel_core::shape::pattern::{self, Allowances, Pattern};
use mend_keel_core::shape::spiling::{Capture, Edges};
use mend_keel_store::boats::Plank;
use mend_keel_store::captures::CaptureRow;
use mend_keel_store::decisions::{Geometry, Piece};

use crate::file::boat::BoatFile;

pub fn plan(file: &BoatFile, row: &CaptureRow) -> std::result::Result<(Edges, Pattern), InputError> {
    let edges = row.capture.edges()?;
    let pattern = pattern::plan(&edges, row.tolerance, allowances(file, row.member_id))?;
    Ok((edges, pattern))
}

/// The pattern of a shape that is being kept.
pub fn pattern_of(
    file: &BoatFile,
    part: i64,
    capture: &Capture,
    tolerance: f64,
) -> std::result::Result<Pattern, InputError> {
    pattern::plan(&capture.edges()?, tolerance, allowances(file, part))
}

/// Whether a piece is a length of new wood that becomes the shape taken of its part: of a plank, a strip, a deck or a transom plank, a
/// covering board, of the backbone; a rib becomes its mould, and a spar is measured.
pub fn is_length(file: &BoatFile, piece: &Piece) -> bool {
    let sawn = || {
        let member = file.members.iter().find(|m| m.id == piece.member_id);
        member.is_none_or(|m| Class::of(m.kind) != Class::Rib && m.kind != MemberKind::Spar)
    };
    match piece.geometry {
        Geometry::Stretch { .. } => true,
        Geometry::Timber { sheet: false, plies: 0 | 1, .. } => !is_behind(file, piece) && sawn(),
        Geometry::Timber { .. } | Geometry::Patch { .. } => false,
    }
}

/// The shape that was taken for a piece last, of its part.
fn newest<'f>(file: &'f BoatFile, piece: &Piece) -> Option<&'f CaptureRow> {
    let its = |c: &&CaptureRow| c.member_id == piece.member_id && may_be_of(file, piece, &c.capture);
    file.captures.iter().filter(its).max_by_key(|c| c.id)
}

/// Whether a shape of a part can be that of a piece: a length of new wood is not cut to the shape of a shorter opening.
pub fn may_be_of(file: &BoatFile, piece: &Piece, capture: &Capture) -> bool {
    let (Geometry::Stretch { from, to, .. } | Geometry::Timber { from, to, .. }) = piece.geometry else { return true };
    if !is_length(file, piece) {
        return true;
    }
    let Ok(edges) = capture.edges() else { return true };
    let all: Vec<Point> = edges.lower.into_iter().chain(edges.upper).collect();
    extent(&all, 0).is_none_or(|(first, last)| pattern::may_be_of(last - first, to - from))
}

/// The shape that was taken for a piece, the newest of its part, with its pattern.
pub fn taken<'f>(file: &'f BoatFile, piece: &Piece) -> Option<(&'f CaptureRow, Pattern)> {
    let newest = newest(file, piece).filter(|_| is_length(file, piece))?;
    let (_, pattern) = plan(file, newest).ok()?;
    Some((newest, pattern))
}

/// Where the edges come from that a piece is cut by.
#[derive(Debug)]
pub enum EdgesFrom<'f> {
    /// The newest shape taken of its part: its pattern is the piece.
    Shape(&'f CaptureRow, Box<Pattern>),
    /// A template of its part lies beside the drawing, which is only a box round it.
    Template(&'f CaptureRow),
    /// Drawn on the part, by what was measured.
    Measured,
    /// One of them at least comes from the generated grid: nobody measured it.
    Generated,
}

/// What stands across a pattern one end of which no good tick holds.
pub const END_IN_DOUBT: &str = "AN END IS IN DOUBT, DO NOT CUT: measure it again";

impl EdgesFrom<'_> {
    /// What stands across a drawing that is none to cut by.
    pub fn stamp(&self) -> Option<&'static str> {
        match self {
            Self::Generated => Some("GENERATED, DO NOT CUT: take its shape first"),
            Self::Template(_) => Some("ONLY A BOX ROUND IT: cut to its template"),
            Self::Shape(_, pattern) if pattern.end_in_doubt() => Some(END_IN_DOUBT),
            Self::Shape(..) | Self::Measured => None,
        }
    }
}

/// Whether a piece is a part by itself, cut to a shape of it: not what is let into a plank, nor what lies behind one and laps over.
fn is_whole(file: &BoatFile, piece: &Piece) -> bool {
    match piece.geometry {
        Geometry::Patch { .. } => false,
        Geometry::Timber { .. } => !is_behind(file, piece),
        Geometry::Stretch { .. } => true,
    }
}

/// Whether it lies behind a plank, or behind what is let into another part.
pub fn is_behind(file: &BoatFile, piece: &Piece) -> bool {
    // A strip is itself of solid wood.
    let seams = || Class::of_shell(file.boat.construction) != Some(Class::Board);
    let on_plank = || seams() && file.planks.iter().any(|p| p.id == piece.member_id);
    let patched = || {
        file.pieces.iter().any(|p| p.decision_id == piece.decision_id && matches!(p.geometry, Geometry::Patch { .. }))
    };
    matches!(piece.geometry, Geometry::Timber { .. }) && (on_plank() || patched())
}

/// Whether nobody measured an edge a piece would be cut by.
pub fn nobody_measured(file: &BoatFile, piece: &Piece) -> bool {
    match &piece.geometry {
        _ if is_whole(file, piece) => newest(file, piece).is_none(),
        Geometry::Patch { to_edge: ToEdge::None, .. } => false,
        Geometry::Patch { outline, .. } => {
            let (x0, x1) = extent(outline, 0).unwrap_or_default();
            let plank = file.planks.iter().find(|p| p.id == piece.member_id);
            let measured = || file.members.iter().any(|m| m.id == piece.member_id && m.measured);
            plank.map_or_else(|| !measured(), |plank| !grid_measured(file, plank, x0, x1))
        }
        Geometry::Stretch { .. } | Geometry::Timber { .. } => false,
    }
}

/// Where the edges of a piece come from.
pub fn edges<'f>(file: &'f BoatFile, piece: &Piece) -> EdgesFrom<'f> {
    if nobody_measured(file, piece) {
        return EdgesFrom::Generated;
    }
    if let Some((row, pattern)) = taken(file, piece) {
        return EdgesFrom::Shape(row, Box::new(pattern));
    }
    newest(file, piece).filter(|_| is_whole(file, piece)).map_or(EdgesFrom::Measured, EdgesFrom::Template)
}

/// Whether the strake's width was measured at every frame of a stretch and one beside it; x from the plank's fore joint, mm.
pub fn grid_measured(file: &BoatFile, plank: &Plank, x0: f64, x1: f64) -> bool {
    let shell = &file.boat.shell;
    let (from, _) = plank.place().span(shell);
    let space = shell.frame_space();
    let near = |frame: &u32| {
        let x = shell.frame_x(*frame) - from;
        x > x0 - space && x < x1 + space
    };
    let at = |frame| Address { side: plank.side, strake: plank.strake, frame };
    (1..=shell.frame_count()).filter(near).all(|frame| shell.measured.contains(&at(frame)))
}

/// The face of a piece by itself, as it was laid out: a patch's own outline, or a box.
pub fn laid_out(geometry: &Geometry) -> Vec<Point> {
    let (from, to, low, width) = match geometry {
        Geometry::Patch { outline, .. } => return outline.clone(),
        Geometry::Stretch { from, to, width, .. } => (*from, *to, 0.0, *width),
        Geometry::Timber { from, to, width, low, .. } => (*from, *to, *low, *width),
    };
    vec![[from, low], [to, low], [to, low + width], [from, low + width]]
}

/// A piece of a member that is no plank, as it was laid out.
pub fn timber(geometry: &Geometry) -> Option<Timber> {
    let Geometry::Timber { from, to, width, thickness, scarf, plies, sheet, .. } = geometry else { return None };
    let (from, to, width, thickness, scarf) = (*from, *to, *width, *thickness, *scarf);
    Some(Timber { from, to, width, thickness, scarf, sheet: *sheet, plies: *plies })
}

/// Faces a piece is glued by, mm².
pub fn joint_area(file: &BoatFile, piece: &Piece) -> f64 {
    match &piece.geometry {
        Geometry::Patch { outline, depth, through, .. } => graving::joint_area(outline, *depth, *through),
        Geometry::Stretch { scarf, width, .. } => new_ends(piece) * gluing::scarf_face(*width, *scarf, piece.thickness),
        Geometry::Timber { .. } => joints(file, piece).map_or(0.0, |j| j.area()),
    }
}

/// Length of a piece that is clamped when it is glued, mm.
pub fn clamped_length(file: &BoatFile, piece: &Piece) -> f64 {
    match &piece.geometry {
        Geometry::Patch { .. } => piece.length,
        Geometry::Stretch { scarf, .. } => new_ends(piece) * scarf,
        Geometry::Timber { .. } => joints(file, piece).map_or(piece.length, |j| j.clamped()),
    }
}

/// Ends of a length of plank that are new.
fn new_ends(piece: &Piece) -> f64 {
    match piece.geometry {
        Geometry::Stretch { new_fore, new_aft, .. } => f64::from(u8::from(new_fore) + u8::from(new_aft)),
        _ => 0.0,
    }
}

fn joints(file: &BoatFile, piece: &Piece) -> Option<MemberJoints> {
    let wood = timber(&piece.geometry)?;
    let member = file.members.iter().find(|m| m.id == piece.member_id);
    let (kind, length) = member.map_or((MemberKind::Plank, piece.length), |m| (m.kind, m.length));
    Some(wood.joints(kind, length))
}

pub fn thickness(file: &BoatFile, part: i64) -> f64 {
    let plank = file.planks.iter().find(|p| p.id == part).map(|p| p.thickness);
    plank
        .or_else(|| file.members.iter().find(|m| m.id == part).map(|m| m.thickness))
        .unwrap_or(file.boat.plank_thickness)
}

/// Whether the part's seams are caulked.
pub fn caulked(file: &BoatFile) -> bool {
    file.boat.construction.between() == mend_keel_core::grid::Between::Seam
}

pub fn allowances(file: &BoatFile, part: i64) -> Allowances {
    let seamed = file.members.iter().find(|m| m.id == part).is_none_or(|m| m.kind.is_planking());
    let eased =
        if seamed && caulked(file) { mend_keel_core::seam::first_width(thickness(file, part)) / 2.0 } else { 0.0 };
    Allowances { caulking: eased, ..Allowances::default() }
}

/// Why a piece is cut though nobody measured its edges, where that is so. Errors name `unmeasured`.
pub fn cut_unmeasured(
    file: &BoatFile,
    piece: &Piece,
    why: &str,
    longest: usize,
) -> std::result::Result<Option<String>, InputError> {
    if !nobody_measured(file, piece) {
        return Ok(None);
    }
    let why = why.trim();
    if why.is_empty() {
        let told = "nobody measured the edges it would be cut by: take its shape, or say why it is cut all the same";
        return Err(InputError::new("unmeasured", told));
    }
    if why.chars().count() > longest {
        return Err(InputError::new("unmeasured", format!("at most {longest} characters")));
    }
    Ok(Some(why.to_owned()))
}
