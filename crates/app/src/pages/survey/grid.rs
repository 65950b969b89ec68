//! The grid corrected: widths and spacing as measured, frames and strakes, joints, numbering, members; in and out as
//! a file.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::grid::edit::Edit;
use mend_keel_core::grid::member::{DeckKind, Member, MemberKind, check_sizes};
use mend_keel_core::grid::{Address, JointKind, Numbering, Place, Side};
use mend_keel_exchange::sheet::grid as sheet;
use mend_keel_store::boats::species_of;
use mend_keel_store::{Result as StoreResult, StoreError, Work};
use rocket::http::ContentType;
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::file::place::typed_place;
use crate::pages::survey::links::place_link;
use crate::pages::survey::{Tab, tabs};
use crate::view::percent;
use crate::web::auth::{BoatReader, Crew};
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NAME_LIMIT, Posted, Reader, Submission, Typed};
use crate::web::uploads::{FaultView, uploaded};

#[derive(Template)]
#[template(path = "survey/grid.html")]
struct Show {
    page: Page,
    tabs: Vec<Tab>,
    boat_id: i64,
    version: i64,
    frames: u32,
    strakes: u32,
    measured: String,
    spaced: String,
    numbering: Numbering,
    row_word: &'static str,
    example: String,
    sides: Vec<SideView>,
    joints: Choices,
    kinds: Choices,
    decks: Choices,
    typed: Typed,
    faults: Faults,
    /// The edit whose form the faults belong to.
    faulty: String,
    /// Rows of a file that did not fit.
    file_faults: Vec<FaultView>,
}

struct SideView {
    label: &'static str,
    /// Frames as the crew number them, with the distance from the one before and whether it was measured.
    frames: Vec<(u32, String, bool)>,
    strakes: Vec<StrakeView>,
}

struct StrakeView {
    name: String,
    /// Place in a link, width, measured.
    cells: Vec<(String, String, bool)>,
}

impl Show {
    fn at(&self, edit: &str, field: &str) -> &str {
        if self.faulty == edit { self.faults.at(field) } else { "" }
    }

    fn val(&self, edit: &str, field: &str) -> &str {
        if self.faulty == edit || self.faulty.is_empty() { self.typed.get(field) } else { "" }
    }
}

fn show(desk: &Desk<'_>, file: &BoatFile, typed: Typed, faults: Faults, faulty: &str, bad: Vec<FaultView>) -> Show {
    let shell = &file.boat.shell;
    let turn = |side, strake, frame| file.boat.numbering.turn(Address { side, strake, frame }, shell);
    let side_view = |side: Side| SideView {
        label: side.label(),
        frames: (1..=shell.frame_count())
            .map(|frame| {
                let space = match frame {
                    1 => String::new(),
                    _ => desk.units.len(shell.frame_x(frame) - shell.frame_x(frame - 1)),
                };
                (turn(side, 1, frame).frame, space, shell.measured_frames.contains(&frame))
            })
            .collect(),
        strakes: (1..=shell.strake_count())
            .rev()
            .map(|strake| StrakeView {
                name: format!("{}{}", side.letter(), turn(side, strake, 1).strake),
                cells: (1..=shell.frame_count())
                    .map(|frame| Address { side, strake, frame })
                    .map(|at| (at.to_string(), desk.units.len(shell.width(at)), shell.measured.contains(&at)))
                    .collect(),
            })
            .collect(),
    };
    let cells = f64::from(2 * shell.frame_count() * shell.strake_count());
    let spaces = f64::from(shell.frame_count() - 1);
    let members = MemberKind::ALL.iter().copied().filter(|k| *k != MemberKind::Plank).collect::<Vec<_>>();
    Show {
        page: desk.boat_page(file, "Grid", "survey"),
        tabs: tabs("grid"),
        boat_id: file.boat.id,
        version: file.boat.version,
        frames: shell.frame_count(),
        strakes: shell.strake_count(),
        measured: percent(shell.measured.len() as f64 / cells),
        spaced: percent(shell.measured_frames.len() as f64 / spaces),
        numbering: file.boat.numbering,
        row_word: file.boat.construction.row(),
        example: file.boat.shown(Address { side: Side::Port, strake: 2, frame: 3 }),
        sides: Side::BOTH.into_iter().map(side_view).collect(),
        joints: pairs(JointKind::ALL, JointKind::code, JointKind::label),
        kinds: pairs(&members, MemberKind::code, MemberKind::label),
        decks: pairs(DeckKind::ALL, DeckKind::code, DeckKind::label),
        typed,
        faults,
        faulty: faulty.to_owned(),
        file_faults: bad,
    }
}

#[get("/boats/<id>/grid?<at>")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64, at: Option<&str>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let at = at.and_then(|at| Place::parse(at).ok()).and_then(|p| p.shell());
    let typed = Typed::default().with("place", at.map_or(String::new(), |at| file.boat.shown(at)));
    let typed = typed.with("deck", file.boat.deck.code());
    render(&show(&desk, &file, typed, Faults::default(), "", Vec::new()))
}

/// An edit of the grid read from its form.
enum Change {
    Edit(Edit, String),
    Move {
        fore: i64,
        bay: u32,
        kind: JointKind,
    },
    Split {
        plank: i64,
        bay: u32,
        kind: JointKind,
    },
    Join {
        fore: i64,
    },
    See {
        fore: i64,
        kind: JointKind,
    },
    Number(Numbering),
    LayOut(DeckKind),
    /// A member, and what it is called where it is not called by its kind.
    Add(Member, String),
}

/// Reads a place on the shell as the crew number it.
fn shell_place(file: &BoatFile, read: &mut Reader<'_>, form: &Submission) -> Option<Address> {
    match typed_place(file, form.get("place")) {
        Ok(Place::Shell(at)) => match file.boat.shell.place(at) {
            Ok(at) => return Some(at),
            Err(e) => read.faults.add_under("place", e),
        },
        Ok(_) => read.faults.add(InputError::new("place", "must lie on the shell")),
        Err(e) => read.faults.add_under("place", e),
    }
    None
}

/// A frame or strake number as the crew count, in the grid's own.
fn turned(file: &BoatFile, strake: u32, frame: u32) -> Address {
    file.boat.numbering.turn(Address { side: Side::Port, strake, frame }, &file.boat.shell)
}

fn read(desk: &Desk<'_>, file: &BoatFile, edit: &str, form: &Submission) -> std::result::Result<Change, Faults> {
    let mut read = Reader::new(form, desk.units.unit);
    if form.get("version").parse() != Ok(file.boat.version) {
        let message = "somebody corrected the grid meanwhile: look at it again, then send this again";
        read.faults.add(InputError::new("version", message));
        return Err(read.faults);
    }
    let shell = &file.boat.shell;
    let (frames, strakes) = (shell.frame_count(), shell.strake_count());
    let units = desk.units;
    let numbering = file.boat.numbering;
    let change = match edit {
        "width" => {
            let at = shell_place(file, &mut read, form);
            let mm = read.size("width");
            at.map(|at| {
                Change::Edit(Edit::Width { at, mm }, format!("{} is {} wide", file.boat.shown(at), units.len(mm)))
            })
        }
        "spacing" => {
            let shown = read.whole("frame", 1, frames);
            let mm = read.size("spacing");
            // Counted from aft, the space forward of a frame is the one behind it in the grid's own order.
            let frame = turned(file, 1, shown).frame + u32::from(numbering.frames_from_aft);
            Some(Change::Edit(
                Edit::Spacing { frame, mm },
                format!("Frame {shown} stands {} from the one before", units.len(mm)),
            ))
        }
        "add_frame" => {
            let shown = read.whole("frame", 1, frames);
            let after = turned(file, 1, shown).frame - u32::from(numbering.frames_from_aft);
            Some(Change::Edit(Edit::AddFrame { after }, format!("A frame was missed after frame {shown}")))
        }
        "remove_frame" => {
            let shown = read.whole("frame", 1, frames);
            let frame = turned(file, 1, shown).frame;
            Some(Change::Edit(Edit::RemoveFrame { frame }, format!("There is no frame {shown}")))
        }
        "add_strake" => {
            let shown = read.whole("strake", 1, strakes);
            let above = turned(file, shown, 1).strake;
            Some(Change::Edit(Edit::AddStrake { above }, format!("A strake was missed above strake {shown}")))
        }
        "remove_strake" => {
            let shown = read.whole("strake", 1, strakes);
            let strake = turned(file, shown, 1).strake;
            Some(Change::Edit(Edit::RemoveStrake { strake }, format!("There is no strake {shown}")))
        }
        "move_joint" | "split" | "join" | "see" => joint_change(file, edit, form, &mut read),
        "numbering" => Some(Change::Number(Numbering {
            frames_from_aft: form.get("frames_from") == "aft",
            strakes_from_sheer: form.get("strakes_from") == "sheer",
        })),
        "lay_out" => read.choice("deck", DeckKind::from_code).map(Change::LayOut),
        "member" => {
            let kind = read.choice("kind", MemberKind::from_code).filter(|k| *k != MemberKind::Plank);
            let side = match form.get("side") {
                "port" => Some(Side::Port),
                "starboard" => Some(Side::Starboard),
                _ => None,
            };
            let number = read.whole("number", 1, 200);
            let (length, width, thickness) = (read.size("length"), read.size("width"), read.size("thickness"));
            if read.faults.is_empty()
                && let Err(e) = check_sizes(length, width, thickness)
            {
                read.faults.add(e);
            }
            let called = read.text("called", NAME_LIMIT);
            let alike = file.members.iter().filter(|m| Some(m.kind) == kind).collect::<Vec<_>>();
            // Pieces of a keel and spars have as many metres as they are long; other parts as many as those like them.
            let of = alike.iter().map(|m| m.of_count.max(m.number)).max().map_or(number, |n| n.max(number));
            kind.map(|kind| {
                let by_length = matches!(kind, MemberKind::Keel | MemberKind::Keelson | MemberKind::Spar);
                let cells = alike.first().filter(|_| !by_length).map_or(kind.cells(length), |m| m.cells);
                Change::Add(Member { kind, side, number, of, cells, length, width, thickness }, called)
            })
        }
        _ => {
            read.faults.add(InputError::new("version", "there is no such correction"));
            None
        }
    };
    if let Some(Change::Edit(edit, _)) = &change
        && read.faults.is_empty()
        && let Err(e) = edit.apply(&mut shell.clone())
    {
        read.faults.add(e);
    }
    match change {
        Some(change) if read.faults.is_empty() => Ok(change),
        _ => Err(read.faults),
    }
}

fn joint_change(file: &BoatFile, edit: &str, form: &Submission, read: &mut Reader<'_>) -> Option<Change> {
    let at = shell_place(file, read, form)?;
    let plank = match file.plank_at(at) {
        Ok(plank) => plank,
        Err(e) => {
            read.faults.add_under("place", e);
            return None;
        }
    };
    let kind = read.optional_choice("kind", JointKind::from_code).unwrap_or(JointKind::Butt);
    match edit {
        "split" => Some(Change::Split { plank: plank.id, bay: at.frame, kind }),
        "join" => Some(Change::Join { fore: plank.id }),
        "see" => Some(Change::See { fore: plank.id, kind }),
        _ => {
            let to = match typed_place(file, form.get("to")) {
                Ok(Place::Shell(to)) if to.side == at.side && to.strake == at.strake => to,
                Ok(_) => {
                    read.faults.add(InputError::new("to", "must lie on the same strake"));
                    return None;
                }
                Err(e) => {
                    read.faults.add_under("to", e);
                    return None;
                }
            };
            Some(Change::Move { fore: plank.id, bay: to.frame, kind })
        }
    }
}

async fn make(work: &mut Work, file: &BoatFile, change: &Change) -> StoreResult<()> {
    let plank = |id: i64| file.planks.iter().find(|p| p.id == id).ok_or(StoreError::NotFound("plank"));
    match change {
        Change::Edit(edit, summary) => {
            let mut shell = file.boat.shell.clone();
            edit.apply(&mut shell).map_err(|e| StoreError::Conflict(e.message))?;
            work.correct_grid(&file.boat, edit, &shell, summary).await
        }
        Change::Move { fore, bay, kind } => work.move_joint(&file.boat, plank(*fore)?, *bay, *kind).await,
        Change::Split { plank: id, bay, kind } => {
            work.split_plank(&file.boat, plank(*id)?, *bay, *kind).await.map(|_| ())
        }
        Change::Join { fore } => work.join_planks(&file.boat, plank(*fore)?).await,
        Change::See { fore, kind } => work.see_joint(&file.boat, plank(*fore)?, *kind).await,
        Change::Number(numbering) => work.set_numbering(file.boat.id, *numbering).await,
        Change::LayOut(deck) => work.lay_out_members(&file.boat, *deck).await.map(|_| ()),
        Change::Add(member, called) => {
            let species = species_of(member.kind, &file.boat.plank_species, &file.boat.frame_species);
            let name = if called.is_empty() { member.name() } else { called.clone() };
            work.add_one_member(file.boat.id, member, &name, species).await.map(|_| ())
        }
    }
}

#[post("/boats/<id>/grid/<edit>", data = "<posted>")]
pub async fn correct(desk: Desk<'_>, _who: Crew, id: i64, edit: &str, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let again = |faults| show(&desk, &file, posted.form.typed(), faults, edit, Vec::new());
    let change = match read(&desk, &file, edit, &posted.form) {
        Ok(change) => change,
        Err(faults) => return render_faulty(&again(faults)),
    };
    // From the map one goes back to the place there.
    let on_map = typed_place(&file, posted.form.get("place")).ok().filter(|_| posted.form.get("back") == "map");
    let location = match on_map {
        Some(place) => place_link(id, &place),
        None => format!("/boats/{id}/grid"),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    match make(&mut work, &file, &change).await {
        Ok(()) => {
            work.commit(&location).await?;
            Ok(Answer::Go(location))
        }
        Err(StoreError::Conflict(why)) => {
            let mut faults = Faults::said_in(desk.units);
            faults.add(InputError::new("version", why));
            render_faulty(&again(faults))
        }
        Err(e) => Err(e.into()),
    }
}

/// The grid as a file.
#[get("/boats/<id>/grid.csv")]
pub async fn write(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    Ok(Answer::File(format!("grid-{id}.csv"), ContentType::CSV, sheet::write_grid(&file.boat.shell).into_bytes()))
}

/// Lays a file's figures over the grid: all of them, or none when one does not fit.
#[post("/boats/<id>/grid.csv", data = "<posted>")]
pub async fn take(desk: Desk<'_>, _who: Crew, id: i64, mut posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let bytes = match uploaded(&mut posted.form) {
        Ok(bytes) => bytes,
        Err(e) => {
            let mut faults = Faults::said_in(desk.units);
            faults.add(e);
            return render_faulty(&show(&desk, &file, posted.form.typed(), faults, "file", Vec::new()));
        }
    };
    let loaded = sheet::read_grid(&bytes);
    let (shell, misfits) = sheet::lay_over(&file.boat.shell, &loaded.rows);
    let bad: Vec<FaultView> = loaded.faults.iter().chain(&misfits).map(FaultView::new).collect();
    // The good rows are offered: taken only when they are asked for.
    if !bad.is_empty() && posted.form.get("good") != "1" {
        let mut faults = Faults::said_in(desk.units);
        let good = loaded.rows.len() - misfits.len();
        faults.add(InputError::new("file", format!("{} rows do not fit, {good} do; nothing was taken yet", bad.len())));
        return render_faulty(&show(&desk, &file, posted.form.typed(), faults, "file", bad));
    }
    let location = format!("/boats/{id}/grid");
    let mut work = desk.store.begin(posted.act()).await?;
    let summary = format!("The grid was laid over from a file of {} rows", loaded.rows.len());
    match work.replace_shell(&file.boat, &shell, &summary).await {
        Ok(()) => {
            work.commit(&location).await?;
            Ok(Answer::Go(location))
        }
        Err(e) => Err(AppError::from(e)),
    }
}
