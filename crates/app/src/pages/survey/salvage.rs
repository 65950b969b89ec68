//! Salvage marked while stripping: timber goes to the rack, fittings to a list, both with their place of origin.

use askama::Template;
use mend_keel_core::survey::reading::Metal;
use mend_keel_core::timber::board::{Board as Stock, Details, Drying, Form, Grain, Origin};
use mend_keel_core::timber::species;
use mend_keel_store::StoreError;
use mend_keel_store::boards::NewBoard;
use mend_keel_store::surveys::{self, NewFitting};
use rocket::{get, post};

use crate::file::survey::SurveyFile;
use crate::pages::survey::past::one_place;
use crate::pages::survey::{Tab, tabs};
use crate::view;
use crate::web::auth::{BoatReader, Crew};
use crate::web::choices::{pairs, timber_choices};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NAME_LIMIT, NOTE_LIMIT, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "survey/salvage.html")]
struct Show {
    page: Page,
    tabs: Vec<Tab>,
    boat_id: i64,
    fittings: Vec<Row>,
    boards: Vec<(i64, String, String)>,
    metals: Vec<(String, String)>,
    species: Vec<(String, String)>,
    grains: Vec<(String, String)>,
    typed: Typed,
    faults: Faults,
    /// Which of the two forms the faults belong to.
    faulty: &'static str,
}

struct Row {
    name: String,
    count: u32,
    metal: &'static str,
    place: String,
    kept_at: String,
    note: String,
    when: String,
}

async fn page_of(
    desk: &Desk<'_>,
    survey: &SurveyFile,
    typed: Typed,
    faults: Faults,
    faulty: &'static str,
) -> std::result::Result<Show, AppError> {
    let file = &survey.file;
    let fittings = surveys::fittings(desk.store, file.boat.id)
        .await?
        .into_iter()
        .rev()
        .map(|f| Row {
            metal: Metal::from_code(&f.metal).map_or("", Metal::label),
            name: f.name,
            count: f.count,
            place: f.place,
            kept_at: f.kept_at,
            note: f.note,
            when: view::when(&f.at),
        })
        .collect();
    // Boards that say they came off this boat.
    let of_her = format!("{}: ", file.boat.name);
    let boards = mend_keel_store::boards::list(desk.store)
        .await?
        .into_iter()
        .filter(|b| b.origin_note.starts_with(&of_her))
        .map(|b| (b.id, b.tag, b.origin_note))
        .collect();
    Ok(Show {
        page: desk.boat_page(file, "Salvage", "survey"),
        tabs: tabs("survey/salvage"),
        boat_id: file.boat.id,
        fittings,
        boards,
        metals: pairs(Metal::ALL, Metal::code, Metal::label),
        species: timber_choices(),
        grains: pairs(Grain::ALL, Grain::code, Grain::label),
        typed,
        faults,
        faulty,
    })
}

#[get("/boats/<id>/survey/salvage?<at>")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64, at: Option<&str>) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let file = &survey.file;
    let mut typed = Typed::default().with("count", "1");
    if let Some(Ok((place, part))) = at.map(|at| file.locate(at)) {
        typed = typed
            .with("place", file.typed(&place))
            .with("species", part.species())
            .with("thickness", desk.units.exact(part.thickness()));
    }
    render(&page_of(&desk, &survey, typed, Faults::default(), "").await?)
}

#[post("/boats/<id>/survey/salvage/fitting", data = "<posted>")]
pub async fn fitting(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let place = one_place(&survey, &mut read, "place", posted.form.get("place"));
    let name = read.name("name");
    let count = read.whole("count", 1, 10_000);
    let metal = read.optional_choice("metal", Metal::from_code);
    let kept_at = read.text("kept_at", NAME_LIMIT);
    let note = read.text("note", NOTE_LIMIT);
    let (Some((place, member_id)), true) = (place, read.faults.is_empty()) else {
        return render_faulty(&page_of(&desk, &survey, posted.form.typed(), read.faults, "fitting").await?);
    };
    let new = NewFitting {
        member_id,
        place: survey.file.shown(&place),
        name,
        count,
        metal: metal.map_or(String::new(), |m| m.code().to_owned()),
        kept_at,
        note,
    };
    let location = format!("/boats/{id}/survey/salvage");
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_fitting(id, &new).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[post("/boats/<id>/survey/salvage/timber", data = "<posted>")]
pub async fn timber(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let place = one_place(&survey, &mut read, "place", posted.form.get("place"));
    let tag = read.name("tag");
    let kind = read.choice("species", species::or_unknown);
    let grain = read.choice("grain", Grain::from_code);
    let (length, width, thickness) = (read.size("length"), read.size("width"), read.size("thickness"));
    let kept_at = read.text("kept_at", NAME_LIMIT);
    let (Some((place, _)), Some(kind), Some(grain), true) = (place, kind, grain, read.faults.is_empty()) else {
        return render_faulty(&page_of(&desk, &survey, posted.form.typed(), read.faults, "timber").await?);
    };
    let stock = Stock {
        species: kind,
        length,
        width,
        thickness,
        grain,
        drying: Drying::Unknown,
        moisture: None,
        origin: Origin::Salvage,
    };
    let new = NewBoard {
        tag,
        stock,
        details: Details {
            form: Form::Salvage,
            from_boat: survey.file.boat.name.clone(),
            from_member: survey.file.shown(&place),
            from_year: survey.file.boat.year.map(|y| y as i32),
            ..Details::default()
        },
        origin_note: String::new(),
        place: kept_at,
        parent_id: None,
    };
    let location = format!("/boats/{id}/survey/salvage");
    let mut work = desk.store.begin(posted.act()).await?;
    match work.add_board(&new).await {
        Ok(_) => {}
        // A tag that is taken is told at its field; what was typed stays.
        Err(StoreError::Conflict(why)) => {
            drop(work);
            let mut faults = Faults::said_in(desk.units);
            faults.add(mend_keel_core::InputError::new("tag", why));
            return render_faulty(&page_of(&desk, &survey, posted.form.typed(), faults, "timber").await?);
        }
        Err(e) => return Err(e.into()),
    }
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
