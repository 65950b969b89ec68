//! Boats: the list, and receiving a new one with a first grid from its principal dimensions.

use askama::Template;
use mend_keel_core::grid::Construction;
use mend_keel_core::grid::member::{DeckKind, Rig};
use mend_keel_core::hull::{self, Principal};
use mend_keel_core::practice::{School, Use};
use mend_keel_core::timber::species::{self, UNKNOWN};
use mend_keel_core::{InputError, chance};
use mend_keel_store::boats::{self, Boat, NewBoat, Papers};
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::web::auth::{Crew, Owner};
use crate::web::changed::Kept;
use crate::web::choices::{Choices, pairs, timber_choices};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, Result};
use crate::web::form::{Faults, NAME_LIMIT, Posted, Reader, Submission, Typed};

#[derive(Template)]
#[template(path = "boats.html")]
struct List {
    page: Page,
    boats: Vec<Row>,
    /// Those that left the yard.
    gone: Vec<Row>,
}

struct Row {
    id: i64,
    name: String,
    what: String,
    size: String,
    school: &'static str,
}

#[get("/boats")]
pub async fn list(desk: Desk<'_>, _who: Crew) -> Result {
    let row = |b: Boat| Row {
        id: b.id,
        what: format!("{}{}", b.construction.label(), b.year.map_or(String::new(), |y| format!(", {y}"))),
        size: format!(
            "{}, {} frames, {} strakes a side",
            desk.units.run(b.length),
            b.shell.frame_count(),
            b.shell.strake_count()
        ),
        school: b.school.label(),
        name: b.name,
    };
    let (gone, here): (Vec<Boat>, Vec<Boat>) = boats::list(desk.store).await?.into_iter().partition(|b| b.archived);
    let rows = |boats: Vec<Boat>| boats.into_iter().map(row).collect();
    render(&List { page: desk.page("Boats", "boats"), boats: rows(here), gone: rows(gone) })
}

#[derive(Template)]
#[template(path = "boat_papers.html")]
struct PapersPage {
    page: Page,
    boat_id: i64,
    archived: bool,
    strakes: u32,
    was: String,
    uses: Choices,
    schools: Choices,
    typed: Typed,
    faults: Faults,
}

/// A boat's papers as they stand.
fn papers_kept(boat: &Boat) -> Kept {
    let said = |strake: Option<u32>| strake.map_or(String::new(), |s| s.to_string());
    Kept::default()
        .text("name", "Name", boat.name.clone())
        .text("year", "Built in", boat.year.map_or(String::new(), |y| y.to_string()))
        .text("owner", "Owner", boat.owner.clone())
        .choice("boat_use", "Use", boat.boat_use.code(), &pairs(Use::ALL, Use::code, Use::label))
        .choice("school", "School", boat.school.code(), &pairs(School::ALL, School::code, School::label))
        .text("waterline_strake", "Under water amidships", boat.waterline_strake.to_string())
        .text("waterline_stem", "at the stem", said(boat.waterline_stem))
        .text("waterline_stern", "at the stern", said(boat.waterline_stern))
}

fn papers_page(desk: &Desk<'_>, file: &BoatFile, typed: Typed, faults: Faults) -> PapersPage {
    let boat = &file.boat;
    PapersPage {
        page: desk.boat_page(file, "Her papers", "boats"),
        boat_id: boat.id,
        archived: boat.archived,
        strakes: boat.shell.strake_count(),
        was: papers_kept(boat).token(),
        uses: pairs(Use::ALL, Use::code, Use::label),
        schools: pairs(School::ALL, School::code, School::label),
        typed,
        faults,
    }
}

/// What is said of a boat, to be said anew.
#[get("/boats/<id>/papers")]
pub async fn papers(desk: Desk<'_>, _who: Crew, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let typed = papers_kept(&file.boat).typed();
    render(&papers_page(&desk, &file, typed, Faults::default()))
}

#[post("/boats/<id>/papers", data = "<posted>")]
pub async fn keep_papers(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let name = read.name("name");
    let year = read.optional_whole("year", 1000, 2100).map(i64::from);
    let owner = read.text("owner", NAME_LIMIT);
    let boat_use = read.choice("boat_use", Use::from_code);
    let school = read.choice("school", School::from_code);
    let strakes = file.boat.shell.strake_count();
    let waterline_strake = read.whole("waterline_strake", 0, strakes);
    let waterline_stem = read.optional_whole("waterline_stem", 0, strakes);
    let waterline_stern = read.optional_whole("waterline_stern", 0, strakes);
    let (Some(boat_use), Some(school), true) = (boat_use, school, read.faults.is_empty()) else {
        return render_faulty(&papers_page(&desk, &file, posted.form.typed(), read.faults));
    };
    posted.still("Her papers", &papers_kept(&file.boat))?;
    let new = Papers { name, year, owner, boat_use, school, waterline_strake, waterline_stem, waterline_stern };
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_papers(&file.boat, &new).await?;
    let location = format!("/boats/{id}/papers");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// She leaves the yard, or comes back.
#[post("/boats/<id>/archive", data = "<posted>")]
pub async fn archive(desk: Desk<'_>, _who: Owner, id: i64, posted: Posted) -> Result {
    let boat = boats::find(desk.store, id).await?;
    let leaves = posted.form.get("back") != "1";
    let mut work = desk.store.begin(posted.act()).await?;
    work.archive_boat(&boat, leaves).await?;
    let location = if leaves { "/boats".to_owned() } else { format!("/boats/{id}") };
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[derive(Template)]
#[template(path = "boat_new.html")]
struct New {
    page: Page,
    typed: Typed,
    faults: Faults,
    constructions: Choices,
    uses: Choices,
    schools: Choices,
    species: Choices,
    decks: Choices,
    rigs: Choices,
}

fn form(desk: &Desk<'_>, typed: Typed, faults: Faults) -> New {
    New {
        page: desk.page("Receive a boat", "boats"),
        typed,
        faults,
        constructions: pairs(Construction::ALL, Construction::code, Construction::label),
        uses: pairs(Use::ALL, Use::code, Use::label),
        schools: pairs(School::ALL, School::code, School::label),
        species: timber_choices(),
        decks: pairs(DeckKind::ALL, DeckKind::code, DeckKind::label),
        rigs: pairs(Rig::ALL, Rig::code, Rig::label),
    }
}

#[get("/boats/new")]
pub fn new_form(desk: Desk<'_>, _who: Crew) -> Result {
    let usual = [
        ("frames", "24"),
        ("strakes", "12"),
        ("construction", "carvel_caulked"),
        ("plank_species", UNKNOWN),
        ("frame_species", UNKNOWN),
        ("boat_use", "coastal"),
        ("deck", "laid_straight"),
        ("rig", "none"),
    ];
    let typed = usual.into_iter().fold(Typed::default(), |t, (field, value)| t.with(field, value));
    render(&form(&desk, typed, Faults::default()))
}

#[post("/boats/new", data = "<posted>")]
pub async fn create(desk: Desk<'_>, _who: Crew, posted: Posted) -> Result {
    let new = match read(&desk, &posted.form) {
        Ok(new) => new,
        Err(faults) => return render_faulty(&form(&desk, posted.form.typed(), faults)),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    let id = work.add_boat(&new).await?;
    let location = format!("/boats/{id}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

fn read(desk: &Desk<'_>, form: &Submission) -> std::result::Result<NewBoat, Faults> {
    let mut read = Reader::new(form, desk.units.unit);
    let name = read.name("name");
    let construction = read.choice("construction", Construction::from_code);
    let boat_use = read.choice("boat_use", Use::from_code);
    let school = read.choice("school", School::from_code);
    let deck = read.optional_choice("deck", DeckKind::from_code).unwrap_or(DeckKind::Open);
    let rig = read.optional_choice("rig", Rig::from_code).unwrap_or(Rig::None);
    let year = read.optional_whole("year", 1000, 2100).map(i64::from);
    let plank_species = read.choice("plank_species", species::or_unknown);
    let frame_species = read.choice("frame_species", species::or_unknown);
    let (length, beam, depth) = (read.size("length"), read.size("beam"), read.size("depth"));
    let plank_thickness = read.size("plank_thickness");
    let frames = read.whole("frames", hull::MIN_FRAMES, hull::MAX_FRAMES);
    let strakes = read.whole("strakes", hull::MIN_STRAKES, hull::MAX_STRAKES);
    // Sided and moulded where they are not known yet: what planking of this thickness usually lies on.
    let frame_sided = read.optional_length("frame_sided").unwrap_or(plank_thickness * 1.8);
    let frame_moulded = read.optional_length("frame_moulded").unwrap_or(plank_thickness * 2.2);
    for (field, mm) in [("frame_sided", frame_sided), ("frame_moulded", frame_moulded)] {
        if mm <= 0.0 || mm > 600.0 {
            read.faults.add(InputError::new(field, "must be between 0 and 600 mm"));
        }
    }
    let chosen = construction.zip(boat_use).zip(school).zip(plank_species).zip(frame_species);
    let Some(((((construction, boat_use), school), plank_species), frame_species)) = chosen else {
        return Err(read.faults);
    };
    let principal = Principal { construction, length, beam, depth, frames, strakes, plank_thickness };
    // The name seeds the hull, so that the same boat entered again looks the same.
    let seed = chance::seed_of(&name, 0);
    let generated = match hull::generate(&principal, seed) {
        Ok(generated) if read.faults.is_empty() => generated,
        Ok(_) => return Err(read.faults),
        Err(errors) => {
            errors.into_iter().for_each(|e| read.faults.add(e));
            return Err(read.faults);
        }
    };
    Ok(NewBoat {
        name,
        construction,
        boat_use,
        school,
        year,
        length,
        beam,
        depth,
        plank_thickness,
        plank_species,
        frame_species,
        frame_sided,
        frame_moulded,
        waterline_strake: strakes * 6 / 10,
        shell: generated.shell,
        joints: generated.joints,
        joints_seen: false,
        deck,
        spars: rig.spars(length),
    })
}
