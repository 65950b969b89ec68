//! Timber: the shipped species to read, the yard's own to write down with where their figures are from.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::timber::species::{self, Own, Species};
use mend_keel_store::StoreError;
use mend_keel_store::species::{self as kept, OwnRow};
use rocket::http::Status;
use rocket::{get, post};

use crate::view;
use crate::web::auth::Crew;
use crate::web::choices::Choices;
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NAME_LIMIT, NOTE_LIMIT, Posted, Reader, Submission, Typed};

#[derive(Template)]
#[template(path = "species.html")]
struct List {
    page: Page,
    rows: Vec<Row>,
}

struct Row {
    name: String,
    /// Where it is changed; empty for a shipped one.
    edit: String,
    shrinkage: String,
    gravity: String,
    stiffness: String,
    strength: String,
    decay: u8,
    bend: String,
    notes: String,
    source: String,
}

#[derive(Template)]
#[template(path = "species_form.html")]
struct Form {
    page: Page,
    action: String,
    code: String,
    likes: Choices,
    figures: Vec<Figure>,
    by: String,
    theirs: Vec<(&'static str, String, String)>,
    typed: Typed,
    faults: Faults,
}

/// A figure of a species: field, label, unit; empty in the form where it is that of the species it is likened to.
#[derive(Clone, Copy)]
struct Figure {
    field: &'static str,
    label: &'static str,
    unit: &'static str,
}

const fn figure(field: &'static str, label: &'static str, unit: &'static str) -> Figure {
    Figure { field, label, unit }
}

const FIGURES: [Figure; 7] = [
    figure("shrinkage_radial", "Shrinks along the rays", "%, green to oven-dry"),
    figure("shrinkage_tangential", "Shrinks along the rings", "%, green to oven-dry"),
    figure("specific_gravity", "Specific gravity", "oven-dry mass by volume at 12 %"),
    figure("modulus_gpa", "Stiffness", "GPa at 12 %"),
    figure("bending_strength_mpa", "Bending strength", "MPa at 12 %"),
    figure("decay", "Durability of its heartwood", "1 very durable to 5 perishable"),
    figure("bend_ratio", "Steams to", "inside radius by thickness"),
];

fn row(s: &Species, own: bool) -> Row {
    Row {
        name: s.name.clone(),
        edit: if own { format!("/species/{}", s.id) } else { String::new() },
        shrinkage: format!("{:.1} and {:.1} %", s.shrinkage_radial, s.shrinkage_tangential),
        gravity: format!("{:.2}", s.specific_gravity),
        stiffness: format!("{:.1} GPa", s.modulus_gpa),
        strength: format!("{:.0} MPa", s.bending_strength_mpa),
        decay: s.decay,
        bend: format!("{:.0} t", s.bend_ratio),
        notes: s.notes.clone(),
        source: if own { s.source.clone() } else { "Wood Handbook".to_owned() },
    }
}

#[get("/species")]
pub async fn list(desk: Desk<'_>, _who: Crew) -> Result {
    let own = species::added();
    let mut rows: Vec<Row> = own.iter().map(|s| row(s, true)).collect();
    rows.extend(species::known().into_iter().filter(|s| own.iter().all(|o| o.id != s.id)).map(|s| row(s, false)));
    render(&List { page: desk.page("Timber", "practice"), rows })
}

fn stored(own: &Own, version: i64) -> Typed {
    let number = |n: Option<f64>| n.map_or(String::new(), |n| n.to_string());
    Typed::default()
        .with("name", own.name.clone())
        .with("like", own.like.clone())
        .with("shrinkage_radial", number(own.shrinkage_radial))
        .with("shrinkage_tangential", number(own.shrinkage_tangential))
        .with("specific_gravity", number(own.specific_gravity))
        .with("modulus_gpa", number(own.modulus_gpa))
        .with("bending_strength_mpa", number(own.bending_strength_mpa))
        .with("decay", number(own.decay.map(f64::from)))
        .with("bend_ratio", number(own.bend_ratio))
        .with("notes", own.notes.clone())
        .with("source", own.source.clone())
        .with("version", version.to_string())
}

fn form(desk: &Desk<'_>, row: Option<&OwnRow>, typed: Typed, faults: Faults) -> Form {
    let code = row.map_or(String::new(), |r| r.code.clone());
    Form {
        page: desk.page("A species of the yard’s own", "practice"),
        action: if code.is_empty() { "/species/new".to_owned() } else { format!("/species/{code}") },
        code,
        likes: species::all().iter().map(|s| (s.id.clone(), s.name.clone())).collect(),
        figures: FIGURES.to_vec(),
        by: row.map_or(String::new(), |r| format!("{}, {}", r.by_name, view::when(&r.at))),
        theirs: Vec::new(),
        typed,
        faults,
    }
}

fn read(desk: &Desk<'_>, submitted: &Submission) -> std::result::Result<Own, Faults> {
    let mut read = Reader::new(submitted, desk.units.unit);
    let name = read.name("name");
    let like = read.text("like", NAME_LIMIT);
    let mut number = |field: &str| read.optional_number(field, 0.0, 1_000.0);
    let [radial, tangential, gravity, modulus, strength, bend] = [
        "shrinkage_radial",
        "shrinkage_tangential",
        "specific_gravity",
        "modulus_gpa",
        "bending_strength_mpa",
        "bend_ratio",
    ]
    .map(&mut number);
    let own = Own {
        name,
        like,
        shrinkage_radial: radial,
        shrinkage_tangential: tangential,
        specific_gravity: gravity,
        modulus_gpa: modulus,
        bending_strength_mpa: strength,
        decay: read.optional_whole("decay", 1, 5).map(|d| d as u8),
        bend_ratio: bend,
        notes: read.text("notes", NOTE_LIMIT),
        source: read.text("source", NAME_LIMIT),
    };
    if read.faults.is_empty()
        && let Err(e) = own.species("")
    {
        read.faults.add(e);
    }
    if read.faults.is_empty() { Ok(own) } else { Err(read.faults) }
}

#[get("/species/new")]
pub async fn new_form(desk: Desk<'_>, _who: Crew) -> Result {
    render(&form(&desk, None, Typed::default(), Faults::default()))
}

#[post("/species/new", data = "<posted>")]
pub async fn create(desk: Desk<'_>, _who: Crew, posted: Posted) -> Result {
    let own = match read(&desk, &posted.form) {
        Ok(own) => own,
        Err(faults) => return render_faulty(&form(&desk, None, posted.form.typed(), faults)),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    match work.add_species(&own).await {
        Ok(_) => work.commit("/species").await?,
        Err(e) => {
            drop(work);
            return render_faulty(&form(&desk, None, posted.form.typed(), named(e)?));
        }
    }
    kept::tell(desk.store).await?;
    Ok(Answer::Go("/species".to_owned()))
}

/// A name that is taken, at its field.
fn named(e: StoreError) -> std::result::Result<Faults, AppError> {
    let StoreError::Conflict(why) = e else { return Err(e.into()) };
    let mut faults = Faults::default();
    faults.add(InputError::new("name", why));
    Ok(faults)
}

#[get("/species/<code>")]
pub async fn edit_form(desk: Desk<'_>, _who: Crew, code: &str) -> Result {
    let row = kept::find(desk.store, code).await?;
    render(&form(&desk, Some(&row), stored(&row.body, row.version), Faults::default()))
}

#[post("/species/<code>", data = "<posted>", rank = 2)]
pub async fn change(desk: Desk<'_>, _who: Crew, code: &str, posted: Posted) -> Result {
    let row = kept::find(desk.store, code).await?;
    let own = match read(&desk, &posted.form) {
        Ok(own) => own,
        Err(faults) => return render_faulty(&form(&desk, Some(&row), posted.form.typed(), faults)),
    };
    let version = posted.form.get("version").parse().unwrap_or(0);
    let mut work = desk.store.begin(posted.act()).await?;
    match work.change_species(&row, version, &own).await {
        Ok(()) => work.commit("/species").await?,
        Err(StoreError::Stale(_)) => {
            drop(work);
            let typed = posted.form.typed();
            let mut fields = vec![("name", "Name"), ("like", "Like")];
            fields.extend(FIGURES.iter().map(|f| (f.field, f.label)));
            fields.extend([("notes", "Notes"), ("source", "Source")]);
            let theirs = stored(&row.body, row.version).against(&typed, &fields);
            let typed = typed.with("version", row.version.to_string());
            let page = Form { theirs, ..form(&desk, Some(&row), typed, Faults::default()) };
            return Ok(Answer::Page(Status::Conflict, page.render().map_err(AppError::from)?));
        }
        Err(e) => {
            drop(work);
            return render_faulty(&form(&desk, Some(&row), posted.form.typed(), named(e)?));
        }
    }
    kept::tell(desk.store).await?;
    Ok(Answer::Go("/species".to_owned()))
}

/// Takes it off the list, as long as nothing is of it.
#[post("/species/<code>/remove", data = "<posted>")]
pub async fn remove(desk: Desk<'_>, _who: Crew, code: &str, posted: Posted) -> Result {
    let row = kept::find(desk.store, code).await?;
    let mut work = desk.store.begin(posted.act()).await?;
    match work.remove_species(&row).await {
        Ok(()) => work.commit("/species").await?,
        Err(e) => {
            drop(work);
            return render_faulty(&form(&desk, Some(&row), stored(&row.body, row.version), named(e)?));
        }
    }
    kept::tell(desk.store).await?;
    Ok(Answer::Go("/species".to_owned()))
}
