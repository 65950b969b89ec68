//! The grid typed as a table: widths of every strake at every frame, and the spacings, all kept in one act.

use std::collections::HashMap;

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::grid::edit::Edit;
use mend_keel_core::grid::{Address, Shell, Side};
use mend_keel_core::shape::widths;
use mend_keel_store::StoreError;
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::pages::survey::{Tab, tabs};
use crate::web::auth::{BoatReader, Crew};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};

/// Measuring tolerance of a width, mm, where a yard says nothing else (handbook 04).
const TOLERANCE: f64 = 1.5;

#[derive(Template)]
#[template(path = "survey/grid_table.html")]
struct Show {
    page: Page,
    tabs: Vec<Tab>,
    boat_id: i64,
    version: i64,
    side: &'static str,
    sides: Vec<(&'static str, &'static str)>,
    frames: Vec<u32>,
    rows: Vec<Row>,
    suspects: usize,
    faults: Faults,
}

struct Row {
    name: String,
    cells: Vec<Cell>,
}

struct Cell {
    /// Name of its field; empty where there is nothing to type.
    field: String,
    label: String,
    value: String,
    /// How it is drawn, and what that means: measured, generated, or measured against the others of its strake.
    class: &'static str,
    says: String,
}

impl Cell {
    fn new(field: String, label: String, value: String, measured: bool, off: Option<String>) -> Self {
        let (class, says) = match (measured, off) {
            (_, Some(off)) => {
                ("measured-cell suspect-cell", format!("{off} off the fair line of the others: measure again"))
            }
            (true, None) => ("measured-cell", "measured".to_owned()),
            (false, None) => ("", "generated".to_owned()),
        };
        Self { field, label, value, class, says }
    }
}

fn width_field(at: Address) -> String {
    format!("w{}{}.{}", at.side.letter(), at.strake, at.frame)
}

fn spacing_field(frame: u32) -> String {
    format!("s{frame}")
}

fn show(desk: &Desk<'_>, file: &BoatFile, side: Side, typed: &Typed, faults: Faults) -> Show {
    let shell = &file.boat.shell;
    let turn = |strake, frame| file.boat.numbering.turn(Address { side, strake, frame }, shell);
    let value = |field: &str, mm: f64| match typed.get(field) {
        "" => desk.units.len(mm),
        typed => typed.to_owned(),
    };
    let off: HashMap<Address, f64> = widths::widths(shell, side, TOLERANCE).iter().map(|s| (s.at, s.off)).collect();
    let spacing = |frame: u32| match frame {
        1 => Cell::new(String::new(), String::new(), String::new(), false, None),
        _ => Cell::new(
            spacing_field(frame),
            format!("Frame {} from the one before", turn(1, frame).frame),
            value(&spacing_field(frame), shell.frame_x(frame) - shell.frame_x(frame - 1)),
            shell.measured_frames.contains(&frame),
            None,
        ),
    };
    let width = |at: Address| {
        Cell::new(
            width_field(at),
            file.boat.shown(at),
            value(&width_field(at), shell.width(at)),
            shell.measured.contains(&at),
            off.get(&at).map(|off| desk.units.len(*off)),
        )
    };
    let frames = 1..=shell.frame_count();
    let mut rows = vec![Row { name: "Spacing".to_owned(), cells: frames.clone().map(spacing).collect() }];
    rows.extend((1..=shell.strake_count()).rev().map(|strake| Row {
        name: format!("{}{}", side.letter(), turn(strake, 1).strake),
        cells: frames.clone().map(|frame| width(Address { side, strake, frame })).collect(),
    }));
    Show {
        page: desk.boat_page(file, "Grid as a table", "survey"),
        tabs: tabs("grid"),
        boat_id: file.boat.id,
        version: file.boat.version,
        side: side.code(),
        sides: Side::BOTH.into_iter().map(|s| (s.code(), s.label())).collect(),
        frames: frames.map(|frame| turn(1, frame).frame).collect(),
        rows,
        suspects: off.len(),
        faults,
    }
}

#[get("/boats/<id>/grid-table?<side>")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64, side: Option<&str>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let side = side.and_then(Side::from_code).unwrap_or(Side::Port);
    render(&show(&desk, &file, side, &Typed::default(), Faults::default()))
}

/// What was typed over, laid on a copy of the grid; a cell left as it was shown is no measurement.
fn lay(desk: &Desk<'_>, file: &BoatFile, side: Side, posted: &Posted) -> (Shell, usize, Faults) {
    let mut shell = file.boat.shell.clone();
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let mut changed = 0;
    let edits = (2..=shell.frame_count()).map(|frame| (spacing_field(frame), None, frame)).chain(
        (1..=shell.strake_count())
            .flat_map(|strake| (1..=file.boat.shell.frame_count()).map(move |frame| Address { side, strake, frame }))
            .map(|at| (width_field(at), Some(at), at.frame)),
    );
    for (field, at, frame) in edits.collect::<Vec<_>>() {
        let there = match at {
            Some(at) => file.boat.shell.width(at),
            None => file.boat.shell.frame_x(frame) - file.boat.shell.frame_x(frame - 1),
        };
        let typed = posted.form.get(&field).trim();
        if typed.is_empty() || typed == desk.units.len(there) {
            continue;
        }
        let mm = read.size(&field);
        if read.faults.has(&field) {
            continue;
        }
        let edit = at.map_or(Edit::Spacing { frame, mm }, |at| Edit::Width { at, mm });
        match edit.apply(&mut shell) {
            Ok(()) => changed += 1,
            Err(e) => read.faults.add_under(&field, e),
        }
    }
    (shell, changed, read.faults)
}

#[post("/boats/<id>/grid-table", data = "<posted>")]
pub async fn keep(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let side = Side::from_code(posted.form.get("side")).unwrap_or(Side::Port);
    let (shell, changed, mut faults) = lay(&desk, &file, side, &posted);
    let again = |faults| show(&desk, &file, side, &posted.form.typed(), faults);
    if posted.form.get("version").parse() != Ok(file.boat.version) {
        let message =
            "somebody corrected the grid meanwhile: what you typed stands below, look at it and send it again";
        faults.add(InputError::new("version", message));
    }
    if changed == 0 && faults.is_empty() {
        faults.add(InputError::new("version", "nothing was typed over: a width left as it stood is no measurement"));
    }
    if !faults.is_empty() {
        return render_faulty(&again(faults));
    }
    let location = format!("/boats/{id}/grid-table?side={}", side.code());
    let mut work = desk.store.begin(posted.act()).await?;
    let figures = if changed == 1 { "figure" } else { "figures" };
    let summary = format!("{changed} measured {figures} of the grid were typed, {}", side.label().to_lowercase());
    match work.replace_shell(&file.boat, &shell, &summary).await {
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
