//! The rack in and out of files, and its labels.

use askama::Template;
use mend_keel_core::timber::board::BoardState;
use mend_keel_core::timber::species;
use mend_keel_exchange::label::{self, Label};
use mend_keel_exchange::sheet::rack::{BoardRow, read_boards, write_boards};
use mend_keel_store::StoreError;
use mend_keel_store::boards::{self, Board, NewBoard};
use rocket::http::ContentType;
use rocket::http::uri::Host;
use rocket::{get, post};

use crate::pages::rack::tabs;
use crate::view::Units;
use crate::web::auth::Crew;
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, Posted};
use crate::web::uploads::{FaultView, uploaded};

#[derive(Template)]
#[template(path = "rack/files.html")]
struct Show {
    page: Page,
    tabs: Vec<(&'static str, &'static str)>,
    boards: usize,
    told: Vec<FaultView>,
    taken: String,
    faults: Faults,
}

fn show(desk: &Desk<'_>, boards: usize, told: Vec<FaultView>, taken: String, faults: Faults) -> Show {
    Show { page: desk.page("Rack, files and labels", "rack"), tabs: tabs(), boards, told, taken, faults }
}

#[get("/rack/files?<taken>")]
pub async fn page(desk: Desk<'_>, _who: Crew, taken: Option<u32>) -> Result {
    let boards = boards::list(desk.store).await?.len();
    let taken = taken.map_or(String::new(), |n| format!("{n} boards were put in the rack."));
    render(&show(&desk, boards, Vec::new(), taken, Faults::default()))
}

#[get("/rack.csv")]
pub async fn csv(desk: Desk<'_>, _who: Crew) -> Result {
    let rows: Vec<BoardRow> = boards::list(desk.store)
        .await?
        .into_iter()
        .filter(|b| b.state != BoardState::Cut)
        .map(|b| BoardRow { stock: b.stock(), tag: b.tag, details: b.details, note: b.origin_note, place: b.place })
        .collect();
    Ok(Answer::File("rack.csv".into(), ContentType::CSV, write_boards(rows.iter()).into_bytes()))
}

/// Puts every board of a file in the rack, or none: a file with a fault is told whole and taken when it is mended.
#[post("/rack/files", data = "<posted>")]
pub async fn take(desk: Desk<'_>, _who: Crew, mut posted: Posted) -> Result {
    let there = boards::list(desk.store).await?.len();
    let bytes = match uploaded(&mut posted.form) {
        Ok(bytes) => bytes,
        Err(e) => {
            let mut faults = Faults::default();
            faults.add(e);
            return render_faulty(&show(&desk, there, Vec::new(), String::new(), faults));
        }
    };
    let loaded = read_boards(&bytes);
    let mut told: Vec<FaultView> = loaded.faults.iter().map(FaultView::new).collect();
    let fault = |line, message: &str| FaultView { line, column: "tag".into(), message: message.to_owned() };
    let mut work = desk.store.begin(posted.act()).await?;
    for (line, row) in &loaded.rows {
        let new = NewBoard {
            tag: row.tag.clone(),
            stock: row.stock.clone(),
            details: row.details.clone(),
            origin_note: row.note.clone(),
            place: row.place.clone(),
            parent_id: None,
        };
        match work.add_board(&new).await {
            Ok(_) => {}
            Err(StoreError::Conflict(why)) => told.push(fault(*line, &why)),
            Err(e) => return Err(e.into()),
        }
    }
    if loaded.rows.is_empty() && told.is_empty() {
        told.push(fault(1, "the file holds no board"));
    }
    if !told.is_empty() {
        drop(work);
        told.sort_by_key(|f| f.line);
        return render_faulty(&show(&desk, there, told, String::new(), Faults::default()));
    }
    let location = format!("/rack/files?taken={}", loaded.rows.len());
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

fn label_of(board: &Board, base: &str, units: Units) -> Label {
    let wood = species::name(&board.species);
    let from = [&board.details.from_boat, &board.details.merchant, &board.details.lot];
    let from: Vec<&str> = from.iter().map(|s| s.as_str()).filter(|s| !s.is_empty()).collect();
    Label {
        tag: board.tag.clone(),
        lines: vec![
            format!("{wood}, {}", board.grain.label().to_lowercase()),
            units.dims(&[board.length, board.width, board.thickness]),
            from.join(", "),
            board.place.clone(),
        ],
        code: format!("{base}/rack/tag/{}", board.tag.replace(' ', "%20")),
    }
}

/// Labels of one board, or of all that are not cut. The label printer is a simulated one: it writes a PDF.
#[get("/rack/labels.pdf?<board>")]
pub async fn labels(desk: Desk<'_>, _who: Crew, board: Option<i64>, host: Option<&Host<'_>>) -> Result {
    let base = host.map_or("http://127.0.0.1:8000".to_owned(), |h| format!("http://{h}"));
    let wanted: Vec<Board> = match board {
        Some(id) => vec![boards::find(desk.store, id).await?],
        None => boards::list(desk.store).await?.into_iter().filter(|b| b.state != BoardState::Cut).collect(),
    };
    let labels: Vec<Label> = wanted.iter().map(|b| label_of(b, &base, desk.units)).collect();
    let bytes = label::pdf(&labels).map_err(AppError::Refused)?;
    Ok(Answer::File("labels.pdf".into(), ContentType::PDF, bytes))
}
