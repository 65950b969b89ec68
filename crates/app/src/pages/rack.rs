//! Rack: the yard's boards; putting one in; one board's own page with its offcuts.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::timber::board::{Board as Stock, Drying, Grain, Origin};
use mend_keel_core::timber::{measure, species};
use mend_keel_store::StoreError;
use mend_keel_store::boards::{self, Board, NewBoard};
use rocket::{get, post};

use super::boats::species_choices;
use super::{Choices, Desk, Page, pairs, render, render_faulty};
use crate::auth::Crew;
use crate::error::{Answer, Result};
use crate::form::{Faults, NAME_LIMIT, Posted, Reader, Submission, Typed};

#[derive(Template)]
#[template(path = "rack.html")]
struct List {
    page: Page,
    rows: Vec<Row>,
    volume: String,
}

struct Row {
    id: i64,
    tag: String,
    species: String,
    size: String,
    grain: &'static str,
    drying: &'static str,
    moisture: String,
    origin: String,
    place: String,
    state: String,
}

fn row(desk: &Desk<'_>, b: &Board) -> Row {
    Row {
        id: b.id,
        tag: b.tag.clone(),
        species: species::find(&b.species).map_or(b.species.clone(), |s| s.name.clone()),
        size: desk.units.dims(&[b.length, b.width, b.thickness]),
        grain: b.grain.label(),
        drying: b.drying.label(),
        moisture: b.moisture.map_or("not measured".to_owned(), |m| format!("{m:.0} %")),
        origin: if b.origin_note.is_empty() {
            b.origin.label().to_owned()
        } else {
            format!("{}: {}", b.origin.label(), b.origin_note)
        },
        place: b.place.clone(),
        state: b.state.clone(),
    }
}

#[get("/rack")]
pub async fn list(desk: Desk<'_>, _who: Crew) -> Result {
    let all = boards::list(desk.store).await?;
    let cubic: f64 = all
        .iter()
        .filter(|b| b.state != "cut")
        .filter_map(|b| measure(b.thickness, b.width, b.length, false).ok())
        .map(|m| m.cubic_metres)
        .sum();
    let rows = all.iter().map(|b| row(&desk, b)).collect();
    render(&List { page: desk.page("Rack", "rack"), rows, volume: format!("{cubic:.3} m³") })
}

#[derive(Template)]
#[template(path = "board.html")]
struct Show {
    page: Page,
    board: Row,
    parent: Option<(i64, String)>,
    offcuts: Vec<Row>,
    waste: Option<String>,
    papers: bool,
}

#[get("/rack/<id>")]
pub async fn board(desk: Desk<'_>, _who: Crew, id: i64) -> Result {
    let b = boards::find(desk.store, id).await?;
    let parent = match b.parent_id {
        Some(parent) => Some(boards::find(desk.store, parent).await?).map(|p| (p.id, p.tag)),
        None => None,
    };
    let offcuts = boards::offcuts(desk.store, id).await?;
    let share = |waste: f64| format!("{:.0} cm² of face, {:.0} %", waste / 100.0, 100.0 * waste / (b.length * b.width));
    render(&Show {
        page: desk.page(&b.tag, "rack"),
        parent,
        offcuts: offcuts.iter().map(|o| row(&desk, o)).collect(),
        waste: b.waste_area.map(share),
        papers: species::find(&b.species).is_ok_and(|s| s.trade_controlled()),
        board: row(&desk, &b),
    })
}

#[derive(Template)]
#[template(path = "board_new.html")]
struct New {
    page: Page,
    typed: Typed,
    faults: Faults,
    species: Choices,
    grains: Choices,
    dryings: Choices,
    origins: Choices,
}

fn form(desk: &Desk<'_>, typed: Typed, faults: Faults) -> New {
    New {
        page: desk.page("Put a board in the rack", "rack"),
        typed,
        faults,
        species: species_choices(),
        grains: pairs(Grain::ALL, Grain::code, Grain::label),
        dryings: pairs(Drying::ALL, Drying::code, Drying::label),
        origins: pairs(Origin::ALL, Origin::code, Origin::label),
    }
}

#[get("/rack/new")]
pub fn new_form(desk: Desk<'_>, _who: Crew) -> Result {
    let typed = Typed::default().with("species", "western_larch").with("drying", "air").with("grain", "quarter");
    render(&form(&desk, typed, Faults::default()))
}

#[post("/rack/new", data = "<posted>")]
pub async fn create(desk: Desk<'_>, _who: Crew, posted: Posted) -> Result {
    let new = match read(&desk, &posted.form) {
        Ok(new) => new,
        Err(faults) => return render_faulty(&form(&desk, posted.form.typed(), faults)),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    match work.add_board(&new).await {
        Ok(id) => {
            let location = format!("/rack/{id}");
            work.commit(&location).await?;
            Ok(Answer::Go(location))
        }
        Err(StoreError::Conflict(why)) => {
            let mut faults = Faults::default();
            faults.add(InputError::new("tag", why));
            render_faulty(&form(&desk, posted.form.typed(), faults))
        }
        Err(e) => Err(e.into()),
    }
}

/// Largest board taken, mm.
const LARGEST: (f64, f64, f64) = (20_000.0, 2_000.0, 1_000.0);

fn read(desk: &Desk<'_>, form: &Submission) -> std::result::Result<NewBoard, Faults> {
    let mut read = Reader::new(form, desk.units.unit);
    let tag = read.name("tag");
    let species = read.choice("species", |id| species::find(id).ok());
    let mut sized = |field: &str, most: f64| {
        let mm = read.size(field);
        if mm > most {
            read.faults.add(InputError::new(field, format!("must not be more than {most:.0} mm")));
        }
        mm
    };
    let (length, width, thickness) =
        (sized("length", LARGEST.0), sized("width", LARGEST.1), sized("thickness", LARGEST.2));
    let grain = read.choice("grain", Grain::from_code);
    let drying = read.choice("drying", Drying::from_code);
    let origin = read.choice("origin", Origin::from_code);
    let moisture = read.optional_number("moisture", 0.0, 200.0);
    let (origin_note, place) = (read.text("origin_note", NAME_LIMIT), read.text("place", NAME_LIMIT));
    let (Some(species), Some(grain), Some(drying), Some(origin), true) =
        (species, grain, drying, origin, read.faults.is_empty())
    else {
        return Err(read.faults);
    };
    let stock = Stock { species: species.id.clone(), length, width, thickness, grain, drying, moisture, origin };
    Ok(NewBoard { tag, stock, origin_note, place, parent_id: None })
}
