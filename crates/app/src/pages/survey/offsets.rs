//! The table of offsets a hull was built to, and its lines in profile, plan and body plan.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::grid::offsets::Offsets;
use mend_keel_core::units::LengthUnit;
use mend_keel_exchange::sheet::offsets as sheet;
use rocket::http::ContentType;
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::pages::survey::{Tab, tabs};
use crate::view::chart;
use crate::web::auth::{BoatReader, Crew};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, Posted, Typed};
use crate::web::uploads::{FaultView, uploaded};

#[derive(Template)]
#[template(path = "survey/offsets.html")]
struct Show {
    page: Page,
    tabs: Vec<Tab>,
    boat_id: i64,
    svg: String,
    stations: Vec<String>,
    rows: Vec<Vec<String>>,
    typed: Typed,
    faults: Faults,
    file_faults: Vec<FaultView>,
}

fn show(desk: &Desk<'_>, file: &BoatFile, typed: Typed, faults: Faults, file_faults: Vec<FaultView>) -> Show {
    let none = Offsets::default();
    let table = file.boat.offsets.as_ref().unwrap_or(&none);
    let units = desk.units;
    Show {
        page: desk.boat_page(file, "Offsets", "survey"),
        tabs: tabs("grid"),
        boat_id: file.boat.id,
        svg: if table.rows.is_empty() { String::new() } else { chart::lines_plan(&table.lines()) },
        stations: table.stations.iter().map(|x| units.run(*x)).collect(),
        rows: table
            .rows
            .iter()
            .map(|row| {
                let at = if row.at == 0.0 { String::new() } else { units.len(row.at) };
                let values = row.values.iter().map(|v| v.map_or("–".to_owned(), |v| units.len(v)));
                [row.name.clone(), row.kind.label().to_owned(), at].into_iter().chain(values).collect()
            })
            .collect(),
        typed,
        faults,
        file_faults,
    }
}

#[get("/boats/<id>/offsets")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let typed = Typed::default().with("unit", desk.units.unit.code());
    render(&show(&desk, &file, typed, Faults::default(), Vec::new()))
}

#[get("/boats/<id>/offsets.csv")]
pub async fn write(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let table = file.boat.offsets.ok_or(AppError::NotFound("table of offsets"))?;
    Ok(Answer::File(format!("offsets-{id}.csv"), ContentType::CSV, sheet::write_offsets(&table).into_bytes()))
}

/// Takes a table from a file or as pasted: the good rows, when they are asked for beside bad ones.
#[post("/boats/<id>/offsets", data = "<posted>")]
pub async fn take(desk: Desk<'_>, _who: Crew, id: i64, mut posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let unit = if posted.form.get("unit") == "in" { LengthUnit::Inch } else { LengthUnit::Millimetre };
    let mut faults = Faults::said_in(desk.units);
    let bytes = match posted.form.get("table").trim() {
        "" => uploaded(&mut posted.form),
        pasted => Ok(pasted.as_bytes().to_vec()),
    };
    let bytes = match bytes {
        Ok(bytes) => bytes,
        Err(e) => {
            faults.add(InputError::new("table", format!("paste a table or pick a file ({})", e.message)));
            return render_faulty(&show(&desk, &file, posted.form.typed(), faults, Vec::new()));
        }
    };
    // What was read is kept in the form: a file need not be picked again.
    let typed = posted.form.typed().with("table", String::from_utf8_lossy(&bytes));
    let (table, bad) = sheet::read_offsets(&bytes, unit);
    let bad: Vec<FaultView> = bad.iter().map(FaultView::new).collect();
    if !bad.is_empty() && posted.form.get("good") != "1" {
        let message =
            format!("{} cells cannot be read; {} rows can. Nothing was taken yet", bad.len(), table.rows.len());
        faults.add(InputError::new("table", message));
        return render_faulty(&show(&desk, &file, typed, faults, bad));
    }
    if let Err(e) = table.check() {
        faults.add(InputError::new("table", format!("{}: {}", e.field, e.message)));
        return render_faulty(&show(&desk, &file, typed, faults, bad));
    }
    let location = format!("/boats/{id}/offsets");
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_offsets(id, &table).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
