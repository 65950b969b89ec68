//! A piece as the card by which it is hung asks for it: what it lies on, how she leans there, what lies behind it.

use mend_keel_core::grid::Side;
use mend_keel_core::grid::member::MemberKind;
use mend_keel_core::repair::gluing::Adhesive;
use mend_keel_core::shape::spiling::Capture;
use mend_keel_core::survey::Grade;
use mend_keel_core::timber::{board, species};
use mend_keel_core::work::estimate::Operation;
use mend_keel_core::work::hanging::{End, Glued, Piece as Hung, Rest, What, lean_by_offsets, leans_of};
use mend_keel_store::boats::Plank;
use mend_keel_store::decisions::{Geometry, Piece};
use mend_keel_store::members::MemberRow;

use crate::file::boat::BoatFile;
use crate::file::decide;
use crate::file::learned::YardRates;
use crate::file::shape;

/// Whether a piece is hung: a plank, a frame, a beam, a panel; not what is let in, and not what lies behind a plank.
pub fn is_hung(file: &BoatFile, piece: &Piece) -> bool {
    match piece.geometry {
        Geometry::Patch { .. } => false,
        Geometry::Stretch { .. } => true,
        Geometry::Timber { .. } => !shape::is_behind(file, piece),
    }
}

/// A piece that is hung; `None` for one that is let in, and for what lies behind a plank.
pub fn piece(
    file: &BoatFile,
    piece: &Piece,
    adhesive: Adhesive,
    temperature: Option<f64>,
    known: &YardRates,
) -> Option<Hung> {
    let plank = file.planks.iter().find(|p| p.id == piece.member_id);
    if !is_hung(file, piece) {
        return None;
    }
    let (Geometry::Stretch { from, to, width, scarf, .. } | Geometry::Timber { from, to, width, scarf, .. }) =
        piece.geometry
    else {
        return None;
    };
    let member = file.members.iter().find(|m| m.id == piece.member_id);
    let what = what(piece, plank, member);
    let rests = match (plank, member) {
        (Some(plank), _) => under_plank(file, plank, from, to),
        (None, Some(member)) if what == What::Frame => under_frame(file, member, from, to),
        _ => Vec::new(),
    };
    let glue = piece.geometry.is_glued().then(|| Glued {
        adhesive,
        temperature,
        metres: share(file, piece, Operation::Glue, |p| p.geometry.is_glued()),
        hours_each: known.rate(Operation::Glue),
        logged: known.rates.get(&Operation::Glue).map_or(0, |l| l.jobs()),
    });
    // A template of a whole frame knows better how long it is than a length nobody measured: what it lies on moves with it.
    let girth = member
        .filter(|m| !m.measured && decide::is_whole_piece(file, piece))
        .and_then(|m| Some(decide::frame_shape(file, m).filter(|f| f.taken)?.girth / m.length));
    let scale = girth.filter(|s| s.is_finite() && *s > 0.0).unwrap_or(1.0);
    let rests: Vec<Rest> = rests.into_iter().map(|r| Rest { x: r.x * scale, ..r }).collect();
    Some(Hung {
        what,
        length: (to - from) * scale,
        width,
        ends: ends(file, piece, plank, member, (from, to), scarf),
        scarf,
        rests,
        shape_taken: shape::taken(file, piece).is_some(),
        glue,
        plies: match piece.geometry {
            Geometry::Timber { plies, .. } => plies.max(1),
            _ => 1,
        },
        fastenings: share(file, piece, Operation::Fasten, |_| true).round() as u32,
        weight: species::find(&piece.species)
            .ok()
            .map(|wood| board::weight(piece.length, piece.width, piece.thickness, wood.specific_gravity).0),
        between: file.boat.construction.between(),
        behind: plank.map_or(Vec::new(), |plank| behind(file, plank, from, to)),
    })
}

fn what(piece: &Piece, plank: Option<&Plank>, member: Option<&MemberRow>) -> What {
    if matches!(piece.geometry, Geometry::Timber { sheet: true, .. }) {
        return What::Panel;
    }
    match (plank, member.map(|m| m.kind)) {
        (Some(_), _) => What::Plank,
        (None, Some(MemberKind::Frame | MemberKind::Floor)) => What::Frame,
        (None, Some(MemberKind::Beam)) => What::Beam,
        (None, Some(MemberKind::Spar)) => What::Spar,
        _ => What::Timber,
    }
}

/// The frames a stretch of plank lies on, and how she leans there: by the shape that was taken with offsets, else by her table.
fn under_plank(file: &BoatFile, plank: &Plank, from: f64, to: f64) -> Vec<Rest> {
    let shell = &file.boat.shell;
    let (origin, _) = plank.place().span(shell);
    let taken = file.captures.iter().filter(|c| c.member_id == plank.id).max_by_key(|c| c.id);
    let stations = match taken.map(|c| &c.capture) {
        Some(Capture::Offsets { stations }) => stations.as_slice(),
        _ => &[],
    };
    let row = plank.strake as usize;
    let by_table = |x: f64| {
        let offsets = file.boat.offsets.as_ref()?;
        let girth = |edge: usize| shell.girth(plank.side, edge, x);
        let whole = girth(shell.strake_count() as usize);
        (whole > 0.0).then_some(())?;
        lean_by_offsets(offsets, x, shell.frame_space(), [girth(row - 1) / whole, girth(row) / whole])
    };
    (1..=shell.frame_count())
        .map(|n| (n, shell.frame_x(n)))
        .filter(|(_, x)| *x >= origin + from && *x <= origin + to)
        .map(|(n, x)| Rest {
            x: x - origin - from,
            name: format!("frame {n}"),
            lean: leans_of(stations, x).or_else(|| by_table(x)),
        })
        .collect()
}

/// The strakes that lie over a stretch of frame, at their middles; none where nobody says on which side it stands.
fn under_frame(file: &BoatFile, frame: &MemberRow, from: f64, to: f64) -> Vec<Rest> {
    let shell = &file.boat.shell;
    let Some(side) = frame.side.filter(|_| frame.number >= 1 && frame.number <= shell.frame_count()) else {
        return Vec::new();
    };
    let edges = shell.edges_of(side);
    let at = |row: u32| edges[row as usize][frame.number as usize - 1];
    let middle = |strake: u32| (at(strake - 1) + at(strake)) / 2.0;
    (1..=shell.strake_count())
        .map(|strake| (strake, middle(strake)))
        .filter(|(_, along)| *along >= from && *along <= to)
        .map(|(strake, along)| Rest { x: along - from, name: format!("strake {strake}"), lean: None })
        .collect()
}

fn ends(
    file: &BoatFile,
    piece: &Piece,
    plank: Option<&Plank>,
    member: Option<&MemberRow>,
    (from, to): (f64, f64),
    scarf: f64,
) -> [End; 2] {
    let joined = if scarf > 0.0 { End::Scarf } else { End::Butt };
    let inside = match plank {
        Some(plank) => {
            let shell = &file.boat.shell;
            let (fore, aft) = plank.place().span(shell);
            // The plank's own end is in the rabbet where she ends, and a butt where another plank goes on.
            [fore + from > 1.0, fore + to < aft.min(shell.length()) - 1.0 || aft < shell.length() - 1.0]
        }
        None => [from > 1.0, to < member.map_or(piece.length, |m| m.length) - 1.0],
    };
    let new = match piece.geometry {
        Geometry::Stretch { new_fore, new_aft, .. } => [new_fore, new_aft],
        _ => [true, true],
    };
    [0, 1].map(|i| match (inside[i], new[i]) {
        (false, _) => End::Home,
        (true, true) => joined,
        (true, false) => End::Butt,
    })
}

/// A piece's share of what its decision asks of an operation, which `sharing` of the decision's pieces ask for.
pub fn share(file: &BoatFile, piece: &Piece, operation: Operation, sharing: impl Fn(&Piece) -> bool) -> f64 {
    let of = file.tasks.iter().filter(|t| t.decision_id == Some(piece.decision_id) && t.operation == operation);
    let among = file.pieces.iter().filter(|p| p.decision_id == piece.decision_id && sharing(p)).count();
    of.map(|t| t.amount).sum::<f64>() / among.max(1) as f64
}

/// Frames and floors behind a stretch of plank on which work is open, or where something was found that nobody decided on.
fn behind(file: &BoatFile, plank: &Plank, from: f64, to: f64) -> Vec<String> {
    let shell = &file.boat.shell;
    let (origin, _) = plank.place().span(shell);
    let covers = |m: &MemberRow| {
        let side_fits = m.side.is_none_or(|side: Side| side == plank.side);
        let stands = m.kind.is_planked() && (1..=shell.frame_count()).contains(&m.number);
        stands && side_fits && {
            let x = shell.frame_x(m.number) - origin;
            x >= from && x <= to
        }
    };
    let mut told = Vec::new();
    for member in file.members.iter().filter(|m| covers(m)) {
        if let Some(decision) = file.decision(member.id) {
            let open = file.tasks.iter().filter(|t| t.decision_id == Some(decision.id) && t.done_at.is_none()).count();
            if open > 0 {
                told.push(format!("{}: {}, {open} tasks open", member.name, decision.kind.label().to_lowercase()));
            }
            continue;
        }
        let found = file.found_on(member.id).filter(|f| f.is_open() && f.grade > Grade::Sound);
        if let Some(f) = found.max_by_key(|f| f.grade) {
            told.push(format!("{}: {}, nothing decided", member.name, f.kind.label().to_lowercase()));
        }
    }
    told
}
