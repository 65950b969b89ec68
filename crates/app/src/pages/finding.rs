//! Marking and changing a finding; its photo; withdrawing it and putting it back.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::grid::Address;
use mend_keel_core::survey::{self, Cause, Certainty, FindingKind, Grade, Method, Ring};
use mend_keel_core::timber::moisture::correct_meter;
use mend_keel_core::timber::species;
use mend_keel_store::StoreError;
use mend_keel_store::boats::Plank;
use mend_keel_store::findings::{self, Finding, NewFinding, Reading};
use rocket::fs::NamedFile;
use rocket::http::Status;
use rocket::{get, post};

use super::{BoatFile, Desk, Page, render, render_faulty};
use crate::auth::{Crew, User};
use crate::error::{Answer, AppError, Result};
use crate::form::{Faults, NOTE_LIMIT, Posted, Reader, Submission, Typed};
use crate::photos;
use crate::view::plank::{Mark, PlankView};

type Choices = Vec<(String, String)>;

#[derive(Template)]
#[template(path = "finding.html")]
struct Entry {
    page: Page,
    boat_id: i64,
    /// A finding that is being changed.
    id: Option<i64>,
    at: String,
    plank: String,
    svg: String,
    typed: Typed,
    faults: Faults,
    kinds: Choices,
    methods: Choices,
    grades: Choices,
    certainties: Choices,
    causes: Choices,
    rings: Choices,
    photo: Option<String>,
    /// What somebody else saved meanwhile, field by field, beside what was typed.
    theirs: Vec<(&'static str, String, String)>,
}

fn pairs<T: Copy>(all: &[T], code: impl Fn(T) -> &'static str, label: impl Fn(T) -> &'static str) -> Choices {
    all.iter().map(|c| (code(*c).to_owned(), label(*c).to_owned())).collect()
}

/// The stretch of plank round a frame, with what is on it already.
fn drawing(file: &BoatFile, plank: &Plank, frame: u32, except: Option<i64>) -> PlankView {
    let shell = &file.boat.shell;
    let (plank_from, plank_to) = plank.place().span(shell);
    let datum = file.boat.datum(frame);
    let space = shell.frame_space();
    let from = (datum - 1.2 * space).max(plank_from);
    let to = (datum + 2.2 * space).min(plank_to);
    let marks = file
        .findings
        .iter()
        .filter(|f| f.plank_id == plank.id && Some(f.id) != except)
        .map(|f| {
            let shift = file.boat.datum(f.frame) - datum;
            Mark { kind: f.kind, certainty: f.certainty, shape: f.shape.iter().map(|p| [p[0] + shift, p[1]]).collect() }
        })
        .filter(|m| m.shape.iter().any(|p| p[0] > from - datum && p[0] < to - datum))
        .collect();
    let holes = file
        .holes(plank)
        .into_iter()
        .map(|mut h| {
            h.x += plank_from - datum;
            h
        })
        .filter(|h| h.x > from - datum && h.x < to - datum)
        .collect();
    PlankView {
        from: from - datum,
        to: to - datum,
        upper: shell.strake_width_line(plank.strake, from, to, datum),
        frames: (1..=shell.frame_count())
            .map(|n| (n, shell.frame_x(n) - datum))
            .filter(|(_, x)| *x >= from - datum && *x <= to - datum)
            .collect(),
        frame_sided: file.boat.frame_sided,
        holes,
        marks,
        outlines: Vec::new(),
        ends: [plank_from, plank_to].into_iter().filter(|x| *x >= from && *x <= to).map(|x| x - datum).collect(),
    }
}

fn entry(
    desk: &Desk<'_>,
    file: &BoatFile,
    at: Address,
    plank: &Plank,
    id: Option<i64>,
    typed: Typed,
    faults: Faults,
) -> Entry {
    let title = if id.is_some() { "Finding" } else { "Mark a finding" };
    let mut grades = vec![(String::new(), "As the reading says".to_owned())];
    grades.extend(pairs(Grade::ALL, Grade::code, Grade::label));
    Entry {
        page: desk.boat_page(file, title, "survey"),
        boat_id: file.boat.id,
        id,
        at: at.to_string(),
        plank: plank.name(),
        svg: drawing(file, plank, at.frame, id).entry(),
        typed,
        faults,
        kinds: pairs(FindingKind::ALL, FindingKind::code, FindingKind::label),
        methods: pairs(Method::ALL, Method::code, Method::label),
        grades,
        certainties: pairs(Certainty::ALL, Certainty::code, Certainty::label),
        causes: pairs(Cause::ALL, Cause::code, Cause::label),
        rings: pairs(Ring::ALL, Ring::code, Ring::label),
        photo: id.and_then(|id| file.findings.iter().find(|f| f.id == id)).and_then(|f| f.photo.clone()),
        theirs: Vec::new(),
    }
}

/// An address that is not on the boat leads back to the map, where it is told at the field.
fn off_the_boat(id: i64, at: &str) -> Answer {
    let at: String = at.chars().take(60).collect();
    Answer::Go(format!("/boats/{id}?at={}", rocket::http::RawStr::new(&at).percent_encode()))
}

#[get("/boats/<id>/findings/new?<at>&<kind>")]
pub async fn new_form(desk: Desk<'_>, _who: Crew, id: i64, at: &str, kind: Option<&str>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let Ok((at, plank)) = Address::parse(at).and_then(|at| Ok((at, file.plank_at(at)?))) else {
        return Ok(off_the_boat(id, at));
    };
    let kind = kind.and_then(FindingKind::from_code).unwrap_or(FindingKind::Crack);
    let typed = Typed::default()
        .with("kind", kind.code())
        .with("method", Method::Look.code())
        .with("certainty", Certainty::Suspected.code())
        .with("cause", Cause::Unknown.code());
    render(&entry(&desk, &file, at, plank, None, typed, Faults::default()))
}

#[post("/boats/<id>/findings/new?<at>", data = "<posted>")]
pub async fn create(desk: Desk<'_>, _who: Crew, id: i64, at: &str, mut posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let Ok((address, plank)) = Address::parse(at).and_then(|at| Ok((at, file.plank_at(at)?))) else {
        return Ok(off_the_boat(id, at));
    };
    let new = match read(&desk, &file, address, plank, &mut posted.form, None).await {
        Ok(new) => new,
        Err(faults) => {
            return render_faulty(&entry(&desk, &file, address, plank, None, posted.form.typed(), faults));
        }
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_finding(id, &new).await?;
    let location = format!("/boats/{id}?at={}", address.to_string().replace(' ', "+"));
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

fn stored(desk: &Desk<'_>, f: &Finding) -> Typed {
    let exact = |mm: Option<f64>| mm.map_or(String::new(), |mm| desk.units.exact(mm));
    let plain = |n: Option<f64>| n.map_or(String::new(), |n| n.to_string());
    let shape: Vec<String> =
        f.shape.iter().map(|p| format!("{}, {}", desk.units.exact(p[0]), desk.units.exact(p[1]))).collect();
    Typed::default()
        .with("kind", f.kind.code())
        .with("method", f.method.code())
        .with("grade", f.grade.code())
        .with("certainty", f.certainty.code())
        .with("cause", f.cause.code())
        .with("depth", exact((f.depth > 0.0).then_some(f.depth)))
        .with("note", f.note.clone())
        .with("shape", shape.join("\n"))
        .with("spike", exact(f.reading.spike))
        .with("ring", f.reading.ring.map_or("", |ring| ring.code()))
        .with("meter", plain(f.reading.meter))
        .with("wood_temperature", plain(f.reading.wood_temperature))
        .with("original_diameter", exact(f.reading.original_diameter))
        .with("remaining_diameter", exact(f.reading.remaining_diameter))
        .with("version", f.version.to_string())
}

#[get("/boats/<id>/findings/<finding>", rank = 2)]
pub async fn edit_form(desk: Desk<'_>, _who: Crew, id: i64, finding: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let f = findings::find(desk.store, id, finding).await?;
    let plank = file.plank(f.plank_id)?;
    render(&entry(&desk, &file, f.address(), plank, Some(f.id), stored(&desk, &f), Faults::default()))
}

#[post("/boats/<id>/findings/<finding>", data = "<posted>", rank = 2)]
pub async fn change(desk: Desk<'_>, _who: Crew, id: i64, finding: i64, mut posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let f = findings::find(desk.store, id, finding).await?;
    let (at, plank) = (f.address(), file.plank(f.plank_id)?);
    let new = match read(&desk, &file, at, plank, &mut posted.form, f.photo.clone()).await {
        Ok(new) => new,
        Err(faults) => {
            return render_faulty(&entry(&desk, &file, at, plank, Some(f.id), posted.form.typed(), faults));
        }
    };
    let version = posted.form.get("version").parse().unwrap_or(0);
    let mut work = desk.store.begin(posted.act()).await?;
    match work.change_finding(id, finding, version, &new).await {
        Ok(()) => {
            let location = format!("/boats/{id}?at={}", at.to_string().replace(' ', "+"));
            work.commit(&location).await?;
            Ok(Answer::Go(location))
        }
        Err(StoreError::Stale(_)) => {
            drop(work);
            both_versions(&desk, &file, &f, plank, &posted.form)
        }
        Err(e) => Err(e.into()),
    }
}

/// Somebody saved it first: both versions side by side, what was typed kept, ready to be saved over theirs.
fn both_versions(desk: &Desk<'_>, file: &BoatFile, theirs: &Finding, plank: &Plank, mine: &Submission) -> Result {
    let (kept, typed) = (stored(desk, theirs), mine.typed());
    let theirs_rows = [
        ("kind", "What"),
        ("method", "Looked at by"),
        ("grade", "Grade"),
        ("certainty", "How sure"),
        ("cause", "Cause"),
        ("depth", "Depth"),
        ("ring", "Sound"),
        ("spike", "Spike"),
        ("meter", "Meter"),
        ("wood_temperature", "Wood temperature"),
        ("original_diameter", "Diameter when new"),
        ("remaining_diameter", "Diameter left"),
        ("note", "Note"),
        ("shape", "Shape"),
    ]
    .into_iter()
    .filter(|(field, _)| kept.get(field).replace('\r', "").trim() != typed.get(field).replace('\r', "").trim())
    .map(|(field, label)| (label, kept.get(field).to_owned(), typed.get(field).to_owned()))
    .collect();
    let typed = typed.with("version", theirs.version.to_string());
    let mut page = entry(desk, file, theirs.address(), plank, Some(theirs.id), typed, Faults::default());
    page.theirs = theirs_rows;
    Ok(Answer::Page(Status::Conflict, page.render()?))
}

/// Reads the form into a finding on a plank. The photo is filed only when nothing else is wrong.
async fn read(
    desk: &Desk<'_>,
    file: &BoatFile,
    at: Address,
    plank: &Plank,
    form: &mut Submission,
    photo_before: Option<String>,
) -> std::result::Result<NewFinding, Faults> {
    let upload = form.upload.take();
    let mut read = Reader::new(form, desk.units.unit);
    let kind = read.choice("kind", FindingKind::from_code);
    let method = read.choice("method", Method::from_code);
    let certainty = read.choice("certainty", Certainty::from_code);
    let cause = read.choice("cause", Cause::from_code);
    let note = read.text("note", NOTE_LIMIT);
    let shape = read.points("shape");
    let depth = read.optional_length("depth").unwrap_or(0.0);
    if kind.is_some_and(|k| k.is_damage()) && depth <= 0.0 && !read.faults.has("depth") {
        read.faults.add(InputError::new("depth", "how deep does it go? Enter more than 0"));
    }
    let (from, to) = plank.place().span(&file.boat.shell);
    let datum = file.boat.datum(at.frame);
    if !read.faults.has("shape") && !read.faults.has("depth") {
        let widest = widest_under(file, plank, &shape, datum);
        if let Err(e) = survey::check_shape(&shape, from - datum, to - datum, widest, plank.thickness, depth) {
            read.faults.add(e);
        }
    }
    let (reading, by_reading) = read_method(&mut read, method, plank);
    let grade = match Grade::from_code(form.get("grade")).or(by_reading) {
        Some(grade) => Some(grade),
        None => {
            read.faults.add(InputError::new("grade", "choose a grade: this reading alone does not give one"));
            None
        }
    };
    let (Some(kind), Some(method), Some(certainty), Some(cause), Some(grade)) = (kind, method, certainty, cause, grade)
    else {
        return Err(read.faults);
    };
    // A photo that is too large or is none is told together with the other faults.
    let mut faults = std::mem::take(&mut read.faults);
    let photo = match upload {
        Some(upload) if faults.is_empty() || upload.too_large => {
            photos::file(&desk.settings.folder.photos(), upload).await.map(Some).unwrap_or_else(|e| {
                faults.add(e);
                None
            })
        }
        Some(_) => None,
        None => photo_before,
    };
    if !faults.is_empty() {
        return Err(faults);
    }
    Ok(NewFinding { at, plank_id: plank.id, kind, method, reading, shape, depth, grade, certainty, cause, note, photo })
}

/// Greatest width of the plank under a shape; the whole plank's when the shape lies off it.
fn widest_under(file: &BoatFile, plank: &Plank, shape: &[[f64; 2]], datum: f64) -> f64 {
    let (from, to) = plank.place().span(&file.boat.shell);
    let line = file.boat.shell.strake_width_line(plank.strake, from, to, datum);
    shape
        .iter()
        .filter(|p| p[0] >= from - datum && p[0] <= to - datum)
        .map(|p| mend_keel_core::geometry::polyline_at(&line, p[0]))
        .reduce(f64::max)
        .unwrap_or_else(|| line.iter().map(|p| p[1]).fold(0.0, f64::max))
}

/// The reading that belongs to a method, what it says, and the grade it gives.
fn read_method(read: &mut Reader<'_>, method: Option<Method>, plank: &Plank) -> (Reading, Option<Grade>) {
    let mut reading = Reading::default();
    let outcome: std::result::Result<Option<Grade>, InputError> = match method {
        Some(Method::Sound) => Ok(read.choice("ring", Ring::from_code).and_then(|ring| {
            let said = survey::read_ring(ring);
            (reading.ring, reading.says) = (Some(ring), said.says);
            said.grade
        })),
        Some(Method::Spike) => {
            let depth = read.length("spike");
            reading.spike = Some(depth);
            survey::read_spike(depth, species::find(&plank.species).ok()).map(|said| {
                reading.says = said.says;
                said.grade
            })
        }
        Some(Method::Meter) => {
            let value = read.number("meter", 0.0, 100.0);
            let temperature = read.number("wood_temperature", -20.0, 60.0);
            (reading.meter, reading.wood_temperature) = (Some(value), Some(temperature));
            correct_meter(value, temperature, 0.0).map(|said| {
                reading.moisture = Some(said.moisture);
                let only = if said.only_wet { " (the meter only says wet)" } else { "" };
                reading.says = format!("{:.1} %: {}{only}", said.moisture, said.class.label());
                (said.moisture > 20.0).then_some(Grade::Watch)
            })
        }
        Some(Method::DrawFastening) => {
            let (original, remaining) = (read.size("original_diameter"), read.length("remaining_diameter"));
            (reading.original_diameter, reading.remaining_diameter) = (Some(original), Some(remaining));
            survey::read_drawn(original, remaining).map(|said| {
                reading.says = said.says;
                said.grade
            })
        }
        _ => Ok(None),
    };
    match outcome {
        Ok(grade) => (reading, grade),
        Err(e) => {
            let field = if e.field == "reading" { "spike".to_owned() } else { e.field.clone() };
            // The field may have been told already, in the words of what was typed.
            read.faults.add_under(&field, e);
            (reading, None)
        }
    }
}

#[post("/boats/<id>/findings/<finding>/withdraw", data = "<posted>")]
pub async fn withdraw(desk: Desk<'_>, _who: Crew, id: i64, finding: i64, posted: Posted) -> Result {
    let f = findings::find(desk.store, id, finding).await?;
    let back = posted.form.get("back") == "1";
    let mut work = desk.store.begin(posted.act()).await?;
    work.withdraw_finding(&f, !back).await?;
    let location = if back { format!("/boats/{id}/survey") } else { format!("/boats/{id}/survey?undo={finding}") };
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// Photos are served only by hash, to people who may see a boat they belong to.
#[get("/photos/<hash>")]
pub async fn photo(desk: Desk<'_>, user: User, hash: &str) -> std::result::Result<NamedFile, AppError> {
    let missing = AppError::NotFound("photo");
    let Some(path) = photos::path(&desk.settings.folder.photos(), hash) else {
        return Err(missing);
    };
    if let Some(boat) = user.account.guest_boat
        && !findings::boats_with_photo(desk.store, hash).await?.contains(&boat)
    {
        return Err(missing);
    }
    NamedFile::open(path).await.map_err(|_| missing)
}
