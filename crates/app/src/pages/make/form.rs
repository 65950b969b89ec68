//! Beginning a whole job, and changing one.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::grid::member::Surface;
use mend_keel_core::job::own::MOST;
use mend_keel_core::job::{JobKind, Spec, Told};
use mend_keel_store::jobs::{self, NewJob};
use rocket::{get, post};

use super::fields::{self, Group, Typing};
use crate::file::boat::BoatFile;
use crate::file::learned::YardRates;
use crate::file::make;
use crate::view::Units;
use crate::web::auth::Crew;
use crate::web::choices::{Choices, Control};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Submission, Typed};
use crate::web::{heavy, photos};

#[derive(Template)]
#[template(path = "make/form.html")]
struct Form {
    page: Page,
    boat_id: i64,
    title: String,
    action: String,
    kind: &'static str,
    groups: Vec<GroupView>,
    /// Rows of other work.
    rows: Vec<usize>,
    operations: Choices,
    parts: Choices,
    /// It may be traced from a photograph.
    may_trace: bool,
    photo: String,
    /// What the boat's own lines were used for.
    from_lines: &'static str,
    theirs: Vec<(&'static str, String, String)>,
    typed: Typed,
    faults: Faults,
}

struct GroupView {
    title: &'static str,
    fields: Vec<FieldView>,
}

struct FieldView {
    name: &'static str,
    label: &'static str,
    kind: Control,
    hint: &'static str,
    choices: Choices,
}

/// Rows left empty at the end of other work, and at the beginning.
const MORE: usize = 2;
const ROWS: usize = 5;

fn group(group: &Group) -> GroupView {
    let field = |(name, label, typing): &fields::Field| FieldView {
        name,
        label,
        kind: match typing {
            Typing::Length => Control::Length,
            Typing::Number => Control::Words,
            Typing::Choice(_) => Control::Choice,
            Typing::Yes => Control::Yes,
            Typing::Lines(_) => Control::Lines,
        },
        hint: if let Typing::Lines(hint) = typing { hint } else { "" },
        choices: if let Typing::Choice(list) = typing { list() } else { Choices::new() },
    };
    GroupView { title: group.0, fields: group.1.iter().map(field).collect() }
}

/// Parts of the boat a job of this kind may be of, and the one it is of: among three hundred of all kinds nobody finds the mast.
fn parts(file: &BoatFile, kind: JobKind, chosen: &str) -> Choices {
    let only = match kind {
        JobKind::Spar => Some(Surface::Spars),
        JobKind::Deck | JobKind::Edge => Some(Surface::Deck),
        _ => None,
    };
    file.members
        .iter()
        .filter(|m| only.is_none_or(|surface| m.kind.surface() == surface) || m.id.to_string() == chosen)
        .map(|m| (m.id.to_string(), m.name.clone()))
        .collect()
}

fn form(desk: &Desk<'_>, file: &BoatFile, kind: JobKind, job: Option<i64>, typed: Typed, faults: Faults) -> Form {
    let boat = file.boat.id;
    let filled = (0..MOST).rev().find(|i| !typed.get(&format!("what{i}")).is_empty()).map_or(0, |i| i + 1);
    let title = if job.is_some() { format!("Change: {}", typed.get("name")) } else { kind.label().to_owned() };
    Form {
        page: desk.boat_page(file, &title, "work"),
        boat_id: boat,
        title,
        action: job.map_or(format!("/boats/{boat}/jobs"), |id| format!("/boats/{boat}/jobs/{id}")),
        kind: kind.code(),
        groups: fields::groups(kind).iter().map(group).collect(),
        rows: if kind == JobKind::Own { (0..(filled + MORE).clamp(ROWS, MOST)).collect() } else { Vec::new() },
        operations: fields::operations(),
        parts: parts(file, kind, typed.get("part")),
        may_trace: kind == JobKind::Template,
        photo: typed.get("photo_hash").to_owned(),
        from_lines: "",
        theirs: Vec::new(),
        typed,
        faults,
    }
}

/// What a new job of a kind begins with: the usual values, and what the boat's own lines say.
fn beginning(file: &BoatFile, kind: JobKind, units: Units) -> (Typed, &'static str) {
    let typed = fields::usual(kind, units);
    if kind != JobKind::Deck && kind != JobKind::Edge {
        return (typed, "");
    }
    let (outline, of_her_lines) = make::deck_outline(file);
    let points: Vec<String> = outline.iter().map(|p| format!("{}; {}", units.exact(p[0]), units.exact(p[1]))).collect();
    let says = if of_her_lines {
        "The outline is the sheer of her table of offsets: take it on the boat before anything is cut."
    } else {
        "The outline is a likely one, generated from her length and beam: it shows how much there will be, and nothing is cut to it."
    };
    let beams: Vec<String> = make::beams(file).iter().map(|x| units.exact(*x)).collect();
    let field = if kind == JobKind::Deck { "outline" } else { "outer" };
    let typed = typed.with(field, points.join("\n"));
    (if kind == JobKind::Deck { typed.with("beams", beams.join("\n")) } else { typed }, says)
}

#[get("/boats/<id>/jobs/new?<kind>")]
pub async fn new_form(desk: Desk<'_>, _who: Crew, id: i64, kind: Option<&str>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let kind = kind.and_then(JobKind::from_code).ok_or(AppError::NotFound("kind of job"))?;
    let (typed, from_lines) = beginning(&file, kind, desk.units);
    render(&Form { from_lines, ..form(&desk, &file, kind, None, typed.with("name", kind.label()), Faults::default()) })
}

#[get("/boats/<id>/jobs/<job>/edit")]
pub async fn edit(desk: Desk<'_>, _who: Crew, id: i64, job: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let kept = jobs::find(desk.store, id, job).await?;
    render(&form(&desk, &file, kept.kind, Some(job), kept_typed(&kept, desk.units), Faults::default()))
}

/// A kept job as its form has it.
fn kept_typed(kept: &jobs::Job, units: Units) -> Typed {
    fields::typed(&kept.spec, units)
        .with("name", kept.name.clone())
        .with("note", kept.note.clone())
        .with("part", kept.member_id.map_or(String::new(), |m| m.to_string()))
        .with("photo_hash", kept.photo.clone().unwrap_or_default())
        .with("version", kept.version.to_string())
}

/// A form read: the job as it is to be kept, and what it comes to.
struct Read {
    job: NewJob,
    told: Told,
}

/// Reads a form. Its photograph is filed first, so that it can be traced on the page that comes back.
async fn read(
    desk: &Desk<'_>,
    file: &BoatFile,
    kind: JobKind,
    form: &mut Submission,
) -> std::result::Result<Read, (Typed, Faults)> {
    let mut faults = Faults::said_in(desk.units);
    let arrived = photos::optional(&desk.settings.folder.photos(), form, &mut faults).await;
    if let Some(hash) = &arrived {
        form.set("photo_hash", hash.clone());
        if form.get("click").is_empty() {
            form.set("click", "2".to_owned());
        }
    }
    let hash = form.get("photo_hash").to_owned();
    if !hash.is_empty() && photos::path(&desk.settings.folder.photos(), &hash).is_none_or(|p| !p.exists()) {
        faults.add(InputError::new("photo", "is not kept any more: send it again"));
    }
    let mut reader = Reader::new(form, desk.units.unit);
    reader.faults = faults;
    let name = reader.name("name");
    let note = reader.text("note", NOTE_LIMIT);
    let spec = fields::read(kind, &mut reader, form, desk.units.unit);
    let part = form.get("part").parse::<i64>().ok().filter(|p| file.members.iter().any(|m| m.id == *p));
    let mut faults = reader.faults;
    // A photograph that just came is traced on the page that comes back: nothing is wrong with what nobody could click yet.
    if arrived.is_some() && form.get("marks").trim().is_empty() && faults.is_empty() {
        faults.add(InputError::new("marks", "the picture is here: click its marks, then along the outline"));
    }
    if !faults.is_empty() {
        return Err((form.typed(), faults));
    }
    match plan(desk, &spec).await {
        Ok(told) => {
            let photo = Some(hash).filter(|h| !h.is_empty());
            Ok(Read { job: NewJob { boat_id: file.boat.id, member_id: part, name, spec, note, photo }, told })
        }
        Err(e) => {
            faults.add_listed(&e);
            Err((form.typed(), faults))
        }
    }
}

/// What a job comes to at the yard's own rates.
pub async fn plan(desk: &Desk<'_>, spec: &Spec) -> std::result::Result<Told, InputError> {
    let broken = |e: String| InputError::new("name", e);
    let known = YardRates::load(desk.store).await.map_err(|e| broken(e.to_string()))?;
    let told = heavy::compute(|| spec.plan(&|op| known.rate(op))).await;
    let mut told = told.map_err(|halted| broken(halted.says()))??;
    told.tasks = known.reckoned(&told.tasks);
    Ok(told)
}

#[post("/boats/<id>/jobs", data = "<posted>")]
pub async fn begin(desk: Desk<'_>, _who: Crew, id: i64, mut posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let kind = JobKind::from_code(posted.form.get("kind")).ok_or(AppError::NotFound("kind of job"))?;
    let Read { job, told } = match read(&desk, &file, kind, &mut posted.form).await {
        Ok(read) => read,
        Err((typed, faults)) => return render_faulty(&form(&desk, &file, kind, None, typed, faults)),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    let new = work.add_job(&job, &told.tasks).await?;
    let to = format!("/boats/{id}/jobs/{new}");
    work.commit(&to).await?;
    Ok(Answer::Go(to))
}

#[post("/boats/<id>/jobs/<job>", data = "<posted>")]
pub async fn change(desk: Desk<'_>, _who: Crew, id: i64, job: i64, mut posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let kept = jobs::find(desk.store, id, job).await?;
    let read = match read(&desk, &file, kept.kind, &mut posted.form).await {
        Ok(read) => read,
        Err((typed, faults)) => return render_faulty(&form(&desk, &file, kept.kind, Some(job), typed, faults)),
    };
    let version = posted.form.get("version").parse().unwrap_or(0);
    if version != kept.version {
        let theirs = kept_typed(&kept, desk.units);
        let mut fields: Vec<(&str, &'static str)> = vec![("name", "Name"), ("note", "Note")];
        fields.extend(fields::groups(kept.kind).iter().flat_map(|g| g.1).map(|f| (f.0, f.1)));
        fields.extend([("marks", "Marks"), ("traced", "Traced")]);
        let both = theirs.against(&posted.form.typed(), &fields);
        let typed = posted.form.typed().with("version", kept.version.to_string());
        let mut faults = Faults::said_in(desk.units);
        faults.add(InputError::new(
            "version",
            "somebody else changed it meanwhile: both are below; save again to keep yours",
        ));
        return render_faulty(&Form { theirs: both, ..form(&desk, &file, kept.kind, Some(job), typed, faults) });
    }
    let mut work = desk.store.begin(posted.act()).await?;
    work.change_job(job, version, &read.job, &read.told.tasks).await?;
    let to = format!("/boats/{id}/jobs/{job}");
    work.commit(&to).await?;
    Ok(Answer::Go(to))
}

/// Takes a job off the list.
#[post("/boats/<id>/jobs/<job>/withdraw", data = "<posted>")]
pub async fn withdraw(desk: Desk<'_>, _who: Crew, id: i64, job: i64, posted: Posted) -> Result {
    let kept = jobs::find(desk.store, id, job).await?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.withdraw_job(&kept).await?;
    let to = format!("/boats/{id}/jobs");
    work.commit(&to).await?;
    Ok(Answer::Go(to))
}
