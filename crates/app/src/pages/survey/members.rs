//! What is known of a member, planks among them: sizes, timber, age, finish and fastenings, as measured.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::grid::member::check_sizes;
use mend_keel_core::timber::board::Grain;
use mend_keel_core::timber::species;
use mend_keel_store::StoreError;
use mend_keel_store::members::{self, Known, MemberRow};
use rocket::http::{RawStr, Status};
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::web::auth::Crew;
use crate::web::choices::{Choices, pairs, timber_choices};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NAME_LIMIT, Posted, Reader, Submission, Typed};

#[derive(Template)]
#[template(path = "survey/member.html")]
struct Show {
    page: Page,
    boat_id: i64,
    id: i64,
    at: String,
    name: String,
    is_plank: bool,
    measured: bool,
    typed: Typed,
    faults: Faults,
    species: Choices,
    grains: Choices,
    /// What somebody else saved meanwhile, field by field, beside what was typed.
    theirs: Vec<(&'static str, String, String)>,
}

fn stored(desk: &Desk<'_>, m: &MemberRow) -> Typed {
    Typed::default()
        .with("length", desk.units.exact(m.length))
        .with("width", desk.units.exact(m.width))
        .with("thickness", desk.units.exact(m.thickness))
        .with("species", m.species.clone())
        .with("grain", m.grain.clone().unwrap_or_default())
        .with("year", m.year.map_or(String::new(), |y| y.to_string()))
        .with("finish", m.finish.clone())
        .with("name", m.name.clone())
        .with("fastened", m.fastened.clone())
        .with("version", m.version.to_string())
}

fn show(desk: &Desk<'_>, file: &BoatFile, m: &MemberRow, at: &str, typed: Typed, faults: Faults) -> Show {
    let plank = file.planks.iter().find(|p| p.id == m.id);
    Show {
        page: desk.boat_page(file, "Measure", "survey"),
        boat_id: file.boat.id,
        id: m.id,
        at: at.chars().take(60).collect(),
        name: plank.map_or(m.name.clone(), |p| p.name()),
        is_plank: plank.is_some(),
        measured: m.measured,
        typed,
        faults,
        species: timber_choices(),
        // Left empty where nobody looked.
        grains: pairs(&[Grain::Quarter, Grain::Rift, Grain::Flat], Grain::code, Grain::label),
        theirs: Vec::new(),
    }
}

#[get("/boats/<id>/members/<member>?<at>")]
pub async fn form(desk: Desk<'_>, _who: Crew, id: i64, member: i64, at: Option<&str>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let m = members::find(desk.store, id, member).await?;
    render(&show(&desk, &file, &m, at.unwrap_or_default(), stored(&desk, &m), Faults::default()))
}

fn read(desk: &Desk<'_>, is_plank: bool, form: &Submission) -> std::result::Result<Known, Faults> {
    let mut read = Reader::new(form, desk.units.unit);
    // A plank is called by where it lies.
    let name = if is_plank { None } else { Some(read.name("name")) };
    let face = if is_plank { None } else { Some((read.size("length"), read.size("width"))) };
    let thickness = read.size("thickness");
    let species = read.choice("species", species::or_unknown);
    let grain = read.optional_choice("grain", Grain::from_code);
    let year = read.optional_whole("year", 1000, 2100).map(i64::from);
    let (finish, fastened) = (read.text("finish", NAME_LIMIT), read.text("fastened", NAME_LIMIT));
    if read.faults.is_empty() {
        let checked = match face {
            Some((length, width)) => check_sizes(length, width, thickness),
            None if (2.0..=300.0).contains(&thickness) => Ok(()),
            None => Err(InputError::new("thickness", "must be between 2 and 300 mm")),
        };
        if let Err(e) = checked {
            read.faults.add(e);
        }
    }
    let Some(species) = species.filter(|_| read.faults.is_empty()) else {
        return Err(read.faults);
    };
    Ok(Known { name, face, thickness, species, grain: grain.map(|g| g.code().to_owned()), year, finish, fastened })
}

#[post("/boats/<id>/members/<member>?<at>", data = "<posted>")]
pub async fn keep(desk: Desk<'_>, _who: Crew, id: i64, member: i64, at: Option<&str>, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let m = members::find(desk.store, id, member).await?;
    let at = at.unwrap_or_default();
    let page = show(&desk, &file, &m, at, posted.form.typed(), Faults::default());
    let known = match read(&desk, page.is_plank, &posted.form) {
        Ok(known) => known,
        Err(faults) => return render_faulty(&Show { faults, ..page }),
    };
    let version = posted.form.get("version").parse().unwrap_or(0);
    let mut work = desk.store.begin(posted.act()).await?;
    match work.know_member(id, member, version, &page.name, &known).await {
        Ok(()) => {
            let location = format!("/boats/{id}?at={}", RawStr::new(at).percent_encode());
            work.commit(&location).await?;
            Ok(Answer::Go(location))
        }
        Err(StoreError::Stale(_)) => {
            drop(work);
            let (kept, typed) = (stored(&desk, &m), posted.form.typed());
            let fields = [
                ("name", "Name"),
                ("length", "Length"),
                ("width", "Face"),
                ("thickness", "Thickness"),
                ("species", "Timber"),
                ("grain", "Grain"),
                ("year", "Renewed in"),
                ("finish", "Finish"),
                ("fastened", "Fastened with"),
            ];
            // Name, length and face of a plank are the grid's.
            let fields = if page.is_plank { &fields[3..] } else { &fields };
            let theirs = kept.against(&typed, fields);
            let typed = typed.with("version", m.version.to_string());
            Ok(Answer::Page(Status::Conflict, Show { theirs, typed, ..page }.render().map_err(AppError::from)?))
        }
        Err(StoreError::Conflict(why)) => {
            let mut faults = Faults::said_in(desk.units);
            faults.add(InputError::new("thickness", why));
            render_faulty(&Show { faults, ..page })
        }
        Err(e) => Err(e.into()),
    }
}

/// There is no such part on this boat.
#[post("/boats/<id>/members/<member>/remove", data = "<posted>")]
pub async fn remove(desk: Desk<'_>, _who: Crew, id: i64, member: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let m = members::find(desk.store, id, member).await?;
    let mut work = desk.store.begin(posted.act()).await?;
    if let Err(e) = work.remove_member(&m).await {
        drop(work);
        let StoreError::Conflict(why) = e else { return Err(e.into()) };
        let mut faults = Faults::said_in(desk.units);
        faults.add(InputError::new("remove", why));
        return render_faulty(&show(&desk, &file, &m, "", stored(&desk, &m), faults));
    }
    let location = format!("/boats/{id}?surface={}", m.kind.surface().code());
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
