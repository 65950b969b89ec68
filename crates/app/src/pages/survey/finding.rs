//! Marking and changing a finding anywhere on the boat; its readings and photos; what has become of it.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::geometry::extent;
use mend_keel_core::grid::Place;
use mend_keel_core::survey::compare::Outcome;
use mend_keel_core::survey::{self, Cause, Certainty, Extent, FindingKind, Grade, Method, mark};
use mend_keel_store::findings::{self, Finding, NewFinding, NewPhoto, NewReading, PhotoMark};
use mend_keel_store::{Store, StoreError, fastenings, history, hung, jobs, plans, samples, seams};
use rocket::fs::NamedFile;
use rocket::http::Status;
use rocket::{get, post};

use super::links::{off_the_boat, place_link};
use crate::file::boat::{BoatFile, Part};
use crate::file::decide;
use crate::file::learned::YardRates;
use crate::pages::survey::reading::{self, Lists, ReadingView};
use crate::view::plank::{Mark, PlankView};
use crate::view::reasons::ReasonView;
use crate::web::auth::{BoatReader, Crew, User};
use crate::web::changed::Kept;
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Submission, Typed};
use crate::web::{heavy, photos};

#[derive(Template)]
#[template(path = "survey/finding.html")]
struct Entry {
    page: Page,
    boat_id: i64,
    /// A finding that is being changed.
    id: Option<i64>,
    /// The place in a link, and as this boat's crew call it.
    at: String,
    shown: String,
    part: String,
    /// Which way x and y of its drawing run.
    axes: &'static str,
    member_id: i64,
    svg: String,
    /// The whole part is drawn, not the stretch round the place.
    whole: bool,
    /// So much of it that it is drawn larger than the page is wide.
    wide: bool,
    typed: Typed,
    faults: Faults,
    kinds: Vec<KindView>,
    grades: Choices,
    certainties: Choices,
    causes: Choices,
    lists: Lists,
    photos: Vec<PhotoView>,
    readings: Vec<ReadingView>,
    /// Charts of its readings, by method.
    series: Vec<(&'static str, String)>,
    untreated: Option<ReasonView>,
    outcome: &'static str,
    /// With what outcome it was shown.
    was: String,
    /// What somebody else saved meanwhile, field by field, beside what was typed.
    theirs: Vec<(&'static str, String, String)>,
}

#[derive(Debug)]
pub struct KindView {
    pub code: &'static str,
    pub label: &'static str,
    pub extent: &'static str,
    /// Stands among the first, without opening the rest.
    pub common: bool,
}

#[derive(Debug)]
pub struct PhotoView {
    pub id: i64,
    pub hash: String,
    pub marks: String,
    pub version: i64,
    pub when: String,
}

/// The kinds that are found most often on a part of the boat.
pub fn common_kinds(part: Option<&Part<'_>>) -> &'static [FindingKind] {
    use FindingKind as F;
    match part {
        Some(Part::Plank(..)) | None => &[F::Crack, F::Rot, F::Gouge, F::SickFastening, F::OpenSeam, F::Split],
        Some(Part::Member(..)) => &[F::Crack, F::Rot, F::Broken, F::SickFastening, F::Split, F::Chafe],
    }
}

/// All kinds, those most often found first.
pub fn kind_views(common: &[FindingKind], picked: &str) -> Vec<KindView> {
    let view = |kind: &FindingKind| KindView {
        code: kind.code(),
        label: kind.label(),
        extent: match kind.extent() {
            Extent::Line => "line",
            Extent::Area => "area",
            Extent::Point => "point",
        },
        common: common.contains(kind) || kind.code() == picked,
    };
    let mut kinds: Vec<KindView> = FindingKind::ALL.iter().map(view).collect();
    kinds.sort_by_key(|k| !k.common);
    kinds
}

/// A longer stretch is drawn wider than the page, mm.
const WIDE: f64 = 2_000.0;

/// The stretch of a part round a place, or all of it, with what is on it already. What is marked there is never cut off by its edge.
fn drawing(file: &BoatFile, part: &Part<'_>, found: Option<&Finding>, whole: bool) -> PlankView {
    let shell = &file.boat.shell;
    let (reach_from, reach_to, width) = file.reach(part);
    let except = found.map(|f| f.id);
    let spread = found.and_then(|f| extent(&f.shape, 0));
    let stretch = |from: f64, to: f64| {
        let past = spread.is_some_and(|(x0, x1)| x0 < from || x1 > to);
        if whole || past { (reach_from, reach_to) } else { (from.max(reach_from), to.min(reach_to)) }
    };
    let marks_of = |id: i64, shift: &dyn Fn(&Finding) -> Option<f64>| -> Vec<Mark> {
        file.findings
            .iter()
            .filter(|f| f.member_id == id && f.is_open() && Some(f.id) != except)
            .filter_map(|f| {
                let shift = shift(f)?;
                let shape = f.shape.iter().map(|p| [p[0] + shift, p[1]]).collect();
                Some(Mark { kind: f.kind, certainty: f.certainty, shape })
            })
            .collect()
    };
    let near = |from: f64, to: f64, mut marks: Vec<Mark>| {
        marks.retain(|m| m.shape.iter().any(|p| p[0] > from && p[0] < to));
        marks
    };
    match part {
        Part::Plank(plank, at) => {
            let datum = file.boat.datum(at.frame);
            let space = shell.frame_space();
            let (from, to) = stretch(-1.2 * space, 2.2 * space);
            let marks = marks_of(plank.id, &|f| Some(file.boat.datum(f.address()?.frame) - datum));
            let origin = reach_from;
            let holes = file.holes(plank).into_iter().map(|mut h| {
                h.x += origin;
                h
            });
            PlankView {
                from,
                to,
                upper: shell.strake_width_line(plank.side, plank.strake, datum + from, datum + to, datum),
                frames: (1..=shell.frame_count())
                    .map(|n| {
                        (
                            file.boat.numbering.turn(mend_keel_core::grid::Address { frame: n, ..*at }, shell).frame,
                            shell.frame_x(n) - datum,
                        )
                    })
                    .filter(|(_, x)| *x >= from && *x <= to)
                    .collect(),
                frame_sided: file.boat.frame_sided,
                holes: holes.filter(|h| h.x > from && h.x < to).collect(),
                marks: near(from, to, marks),
                outlines: Vec::new(),
                ends: [reach_from, reach_to].into_iter().filter(|x| *x >= from && *x <= to).collect(),
            }
        }
        Part::Member(member, cell) => {
            let length = member.core().cell_length();
            let (from, to) = stretch(-0.15 * length, 1.15 * length);
            let marks = marks_of(member.id, &|f| match &f.place {
                Place::Member(at) => Some((f64::from(at.cell) - f64::from(*cell)) * length),
                Place::Shell(_) => None,
            });
            let ends = [0.0, length, reach_from, reach_to];
            PlankView::of_part(width, [from, to], &ends, near(from, to, marks), Vec::new())
        }
    }
}

fn entry(
    desk: &Desk<'_>,
    file: &BoatFile,
    place: &Place,
    part: &Part<'_>,
    found: Option<&Finding>,
    typed: Typed,
    faults: Faults,
) -> Entry {
    let whole = typed.is("whole", "1");
    let drawn = drawing(file, part, found, whole);
    let title = if found.is_some() { "Finding" } else { "Mark a finding" };
    let mut grades = vec![(String::new(), "As the reading says".to_owned())];
    grades.extend(pairs(Grade::ALL, Grade::code, Grade::label));
    let picked = typed.get("kind").to_owned();
    Entry {
        page: desk.boat_page(file, title, "survey"),
        boat_id: file.boat.id,
        id: found.map(|f| f.id),
        at: place.to_string(),
        shown: file.shown(place),
        part: part.name(),
        axes: part.kind().axes(),
        member_id: part.member_id(),
        svg: drawn.entry(),
        wide: drawn.to - drawn.from > WIDE,
        whole,
        typed,
        faults,
        kinds: kind_views(common_kinds(Some(part)), &picked),
        grades,
        certainties: pairs(Certainty::ALL, Certainty::code, Certainty::label),
        causes: pairs(Cause::ALL, Cause::code, Cause::label),
        lists: Lists::default(),
        photos: Vec::new(),
        readings: Vec::new(),
        series: Vec::new(),
        untreated: found
            .and_then(|f| f.cause.untreated(f.cause_treated.is_some()))
            .map(|reason| ReasonView::new(&reason, desk.units)),
        outcome: found.map_or("", |f| f.outcome.code()),
        was: found.map_or(String::new(), |f| outcome_kept(f).token()),
        theirs: Vec::new(),
    }
}

/// Adds what a kept finding has: its readings with their charts, and its photos.
async fn with_record(desk: &Desk<'_>, mut page: Entry, finding: i64) -> std::result::Result<Entry, AppError> {
    let readings = findings::readings_of(desk.store, finding).await?;
    page.series = reading::series(&readings);
    page.readings = readings.iter().rev().map(ReadingView::new).collect();
    page.photos = findings::photos(desk.store, finding)
        .await?
        .into_iter()
        .map(|p| PhotoView {
            id: p.id,
            marks: serde_json::to_string(&p.marks).unwrap_or_default(),
            version: p.version,
            when: crate::view::when(&p.at),
            hash: p.hash,
        })
        .collect();
    Ok(page)
}

#[get("/boats/<id>/findings/new?<at>&<kind>&<like>&<whole>")]
pub async fn new_form(
    desk: Desk<'_>,
    _who: Crew,
    id: i64,
    at: &str,
    kind: Option<&str>,
    like: Option<i64>,
    whole: Option<&str>,
) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let Ok((place, part)) = file.locate(at) else {
        return Ok(off_the_boat(id, at));
    };
    let kind = kind.and_then(FindingKind::from_code).unwrap_or(FindingKind::Crack);
    let fresh = Typed::default()
        .with("kind", kind.code())
        .with("method", Method::Look.code())
        .with("certainty", Certainty::Suspected.code())
        .with("cause", Cause::Unknown.code());
    // The same again: all that was said of another finding, here.
    let typed = match like.and_then(|like| file.findings.iter().find(|f| f.id == like)) {
        Some(other) => stored(&desk, other).with("version", "").with("method", Method::Look.code()),
        None => fresh,
    };
    let typed = typed.with("whole", whole.unwrap_or_default());
    render(&entry(&desk, &file, &place, &part, None, typed, Faults::default()))
}

#[post("/boats/<id>/findings/new?<at>", data = "<posted>")]
pub async fn create(desk: Desk<'_>, _who: Crew, id: i64, at: &str, mut posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let Ok((place, part)) = file.locate(at) else {
        return Ok(off_the_boat(id, at));
    };
    let read = match read(&desk, &file, &place, &part, &mut posted.form, None).await {
        Ok(read) => read,
        Err(faults) => {
            return render_faulty(&entry(&desk, &file, &place, &part, None, posted.form.typed(), faults));
        }
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_finding(id, &read.finding, read.reading.as_ref(), &read.photos).await?;
    let location = place_link(id, &place);
    work.commit(&location).await?;
    think_ahead(desk.store, id, part.member_id());
    Ok(Answer::Go(location))
}

/// Works out what may be done about a part before somebody asks, where a processor is idle: the piece to let in is a long search, and
/// what was just marked is what is decided on next.
pub fn think_ahead(store: &Store, boat: i64, part: i64) {
    let store = store.clone();
    rocket::tokio::spawn(async move {
        let (Ok(file), Ok(known)) = (BoatFile::load(&store, boat).await, YardRates::load(&store).await) else { return };
        heavy::ahead(move || {
            if let Ok(subject) = decide::Subject::of(&file, part) {
                let _ = decide::lay_out(&file, &subject, file.boat.school, |op| known.rate(op));
            }
        })
        .await;
    });
}

pub fn stored(desk: &Desk<'_>, f: &Finding) -> Typed {
    let exact = |mm: Option<f64>| mm.map_or(String::new(), |mm| desk.units.exact(mm));
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
        .with("version", f.version.to_string())
}

#[get("/boats/<id>/findings/<finding>", rank = 2)]
pub async fn edit_form(desk: Desk<'_>, who: BoatReader, id: i64, finding: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let f = findings::find(desk.store, id, finding).await?;
    let part = file.part_at(&f.place).map_err(|e| AppError::Refused(e.message))?;
    let page = entry(&desk, &file, &f.place, &part, Some(&f), stored(&desk, &f), Faults::default());
    let page = with_record(&desk, page, f.id).await?;
    if who.0.account.guest_boat.is_none() {
        return render(&page);
    }
    render(&Read {
        facts: vec![
            ("What", f.kind.label().to_owned()),
            ("Grade", f.grade.label().to_owned()),
            ("How sure", f.certainty.label().to_owned()),
            ("Looked at by", f.method.label().to_owned()),
            ("Depth", if f.depth > 0.0 { desk.units.fine(f.depth) } else { "not known".to_owned() }),
            ("Cause", f.cause.label().to_owned()),
            ("What has become of it", f.outcome.label().to_owned()),
            ("Found", format!("{} by {}", crate::view::when(&f.at), f.by_name)),
        ],
        note: f.note.clone(),
        entry: page,
    })
}

/// A finding as a guest reads it.
#[derive(Template)]
#[template(path = "survey/finding_read.html")]
struct Read {
    entry: Entry,
    facts: Vec<(&'static str, String)>,
    note: String,
}

impl std::ops::Deref for Read {
    type Target = Entry;

    fn deref(&self) -> &Entry {
        &self.entry
    }
}

#[post("/boats/<id>/findings/<finding>", data = "<posted>", rank = 2)]
pub async fn change(desk: Desk<'_>, _who: Crew, id: i64, finding: i64, mut posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let f = findings::find(desk.store, id, finding).await?;
    let part = file.part_at(&f.place).map_err(|e| AppError::Refused(e.message))?;
    let read = match read(&desk, &file, &f.place, &part, &mut posted.form, Some(&f)).await {
        Ok(read) => read,
        Err(faults) => {
            let page = entry(&desk, &file, &f.place, &part, Some(&f), posted.form.typed(), faults);
            return render_faulty(&with_record(&desk, page, f.id).await?);
        }
    };
    let version = posted.form.get("version").parse().unwrap_or(0);
    let mut work = desk.store.begin(posted.act()).await?;
    match work.change_finding(id, finding, version, &read.finding).await {
        Ok(()) => {
            work.add_photos(id, finding, &read.photos).await?;
            let location = place_link(id, &f.place);
            work.commit(&location).await?;
            Ok(Answer::Go(location))
        }
        Err(StoreError::Stale(_)) => {
            drop(work);
            both_versions(&desk, &file, &f, &part, &posted.form).await
        }
        Err(e) => Err(e.into()),
    }
}

/// Somebody saved it first: both versions side by side, what was typed kept, ready to be saved over theirs.
async fn both_versions(
    desk: &Desk<'_>,
    file: &BoatFile,
    theirs: &Finding,
    part: &Part<'_>,
    mine: &Submission,
) -> Result {
    let (kept, typed) = (stored(desk, theirs), mine.typed());
    let fields = [
        ("kind", "What"),
        ("grade", "Grade"),
        ("certainty", "How sure"),
        ("cause", "Cause"),
        ("depth", "Depth"),
        ("note", "Note"),
        ("shape", "Shape"),
    ];
    let theirs_rows = kept.against(&typed, &fields);
    let typed = typed.with("version", theirs.version.to_string());
    let page = entry(desk, file, &theirs.place, part, Some(theirs), typed, Faults::default());
    let mut page = with_record(desk, page, theirs.id).await?;
    page.theirs = theirs_rows;
    Ok(Answer::Page(Status::Conflict, page.render()?))
}

/// A finding with the reading it rests on and its photos, ready to be kept.
#[derive(Debug)]
pub struct Entered {
    pub finding: NewFinding,
    pub reading: Option<NewReading>,
    pub photos: Vec<NewPhoto>,
}

/// Reads the form into a finding on a part. Its photos are filed first: a page that comes back for a fault still has them.
pub async fn read(
    desk: &Desk<'_>,
    file: &BoatFile,
    place: &Place,
    part: &Part<'_>,
    form: &mut Submission,
    before: Option<&Finding>,
) -> std::result::Result<Entered, Faults> {
    let mut faults = Faults::said_in(desk.units);
    let photos = file_photos(desk, form, &mut faults).await;
    let mut read = Reader::new(form, desk.units.unit);
    read.faults = faults;
    let kind = read.choice("kind", FindingKind::from_code);
    let method = if before.is_some() { before.map(|f| f.method) } else { read.choice("method", Method::from_code) };
    let certainty = read.choice("certainty", Certainty::from_code);
    let cause = read.choice("cause", Cause::from_code);
    let note = read.text("note", NOTE_LIMIT);
    let nothing_drawn = form.get("shape").trim().is_empty();
    let shape = match kind {
        // A place that is only suspected need not be drawn, nor its depth known.
        Some(kind) if nothing_drawn && certainty == Some(Certainty::Suspected) => {
            mark::shape(kind, file.cell(part), None)
        }
        _ => read.points("shape"),
    };
    let depth = read.optional_length("depth").unwrap_or(0.0);
    let must_be_deep =
        kind.is_some_and(|k| k.is_damage() && !k.taken_as_through()) && certainty != Some(Certainty::Suspected);
    if (must_be_deep && depth <= 0.0 || depth < 0.0) && !read.faults.has("depth") {
        read.faults.add(InputError::new("depth", "how deep does it go? Enter more than 0"));
    }
    if !read.faults.has("shape")
        && !read.faults.has("depth")
        && let Err(e) = check_extent(file, part, &shape, depth)
    {
        read.faults.add(e);
    }
    let measured = if before.is_some() { None } else { reading::read_measure(&mut read, method, file, part) };
    let by_reading = measured.as_ref().and_then(|(_, said)| said.grade);
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
    if !read.faults.is_empty() {
        return Err(read.faults);
    }
    let shown = file.shown(place);
    let reading = measured.map(|measured| reading::taken(file, place, part, shape.first().copied(), measured, form));
    let finding = NewFinding {
        place: place.clone(),
        shown,
        member_id: part.member_id(),
        kind,
        method,
        shape,
        depth,
        grade,
        certainty,
        cause,
        note,
    };
    Ok(Entered { finding, reading, photos })
}

/// Files the photos of a form with what was drawn on each. What was drawn on those it brought before stays with them.
async fn file_photos(desk: &Desk<'_>, form: &mut Submission, faults: &mut Faults) -> Vec<NewPhoto> {
    let before = form.get("kept_photos").split_whitespace().count();
    let drawn = |field: &str| serde_json::from_str::<Vec<Vec<PhotoMark>>>(form.get(field)).unwrap_or_default();
    let mut marks = drawn("kept_marks");
    marks.resize(before, Vec::new());
    marks.extend(drawn("marks"));
    let hashes = photos::brought(&desk.settings.folder.photos(), form, faults).await;
    marks.resize(hashes.len(), Vec::new());
    form.set("kept_marks", serde_json::to_string(&marks).unwrap_or_default());
    let one = |(hash, marks)| NewPhoto { hash, marks: checked_marks(marks) };
    hashes.into_iter().zip(marks).map(one).collect()
}

/// Most marks kept on one photo.
const MOST_MARKS: usize = 40;

/// Marks that lie on the picture.
fn checked_marks(marks: Vec<PhotoMark>) -> Vec<PhotoMark> {
    let on = |p: [f64; 2]| p.iter().all(|v| v.is_finite() && (-0.5..=1.5).contains(v));
    marks.into_iter().filter(|m| on(m.from) && on(m.to)).take(MOST_MARKS).collect()
}

/// Checks that a finding's shape lies on its part and goes no deeper than that is thick. Errors name `shape` or `depth`.
pub fn check_extent(
    file: &BoatFile,
    part: &Part<'_>,
    shape: &[[f64; 2]],
    depth: f64,
) -> std::result::Result<(), InputError> {
    let (from, to, _) = file.reach(part);
    survey::check_shape(shape, from, to, widest_under(file, part, shape), part.thickness(), depth)
}

/// Greatest width of the part under a shape; the whole part's when the shape lies off it.
fn widest_under(file: &BoatFile, part: &Part<'_>, shape: &[[f64; 2]]) -> f64 {
    let (from, to, width) = file.reach(part);
    let Part::Plank(plank, at) = part else {
        return width;
    };
    let datum = file.boat.datum(at.frame);
    let line = file.boat.shell.strake_width_line(plank.side, plank.strake, from + datum, to + datum, datum);
    shape
        .iter()
        .filter(|p| p[0] >= from && p[0] <= to)
        .map(|p| mend_keel_core::geometry::polyline_at(&line, p[0]))
        .reduce(f64::max)
        .unwrap_or_else(|| line.iter().map(|p| p[1]).fold(0.0, f64::max))
}

#[post("/boats/<id>/findings/<finding>/withdraw", data = "<posted>")]
pub async fn withdraw(desk: Desk<'_>, _who: Crew, id: i64, finding: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let f = findings::find(desk.store, id, finding).await?;
    let back = posted.form.get("back") == "1";
    let mut work = desk.store.begin(posted.act()).await?;
    work.withdraw_finding(&f, &file.shown(&f.place), !back).await?;
    let location = if back { format!("/boats/{id}/survey") } else { format!("/boats/{id}/survey?undo={finding}") };
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// What has become of a finding as it stands.
fn outcome_kept(finding: &Finding) -> Kept {
    let words = pairs(Outcome::ALL, Outcome::code, Outcome::label);
    Kept::default().choice("outcome", "It is", finding.outcome.code(), &words)
}

/// Says what has become of a finding: mended, gone, or open again.
#[post("/boats/<id>/findings/<finding>/outcome", data = "<posted>")]
pub async fn outcome(desk: Desk<'_>, _who: Crew, id: i64, finding: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let f = findings::find(desk.store, id, finding).await?;
    let outcome = Outcome::from_code(posted.form.get("outcome"))
        .ok_or_else(|| AppError::Refused("say what has become of it".into()))?;
    posted.still("What has become of it", &outcome_kept(&f))?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_outcome(&f, &file.shown(&f.place), outcome).await?;
    let location = format!("/boats/{id}/findings/{finding}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// Keeps the marks drawn on a photo.
#[post("/boats/<id>/photos/<photo>/marks", data = "<posted>")]
pub async fn mark_photo(desk: Desk<'_>, _who: Crew, id: i64, photo: i64, posted: Posted) -> Result {
    let kept = findings::photo(desk.store, id, photo).await?;
    let marks: Vec<PhotoMark> = serde_json::from_str(posted.form.get("marks"))
        .map_err(|_| AppError::Refused("these marks cannot be read".into()))?;
    let version = posted.form.get("version").parse().unwrap_or(0);
    let marks = checked_marks(marks);
    let mut work = desk.store.begin(posted.act()).await?;
    if let Err(stale) = work.mark_photo(&kept, version, &marks).await {
        drop(work);
        let theirs = findings::photo(desk.store, id, photo).await?;
        let now = [("version", theirs.version.to_string())];
        let count = |marks: &[PhotoMark]| match marks.len() {
            1 => "1 mark".to_owned(),
            n => format!("{n} marks"),
        };
        let rows = || vec![("Marks on the photo".to_owned(), count(&theirs.marks), count(&marks))];
        return Err(posted.stale(stale, "The photo’s marks", rows, &now));
    }
    let location = format!("/boats/{id}/findings/{}", kept.finding_id);
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// Photos are served only by hash, to people who may see a boat they belong to.
#[get("/photos/<hash>")]
pub async fn photo(desk: Desk<'_>, user: User, hash: &str) -> std::result::Result<NamedFile, AppError> {
    may_see(&desk, &user, hash).await?;
    let path = photos::path(&desk.settings.folder.photos(), hash).ok_or(AppError::NotFound("photo"))?;
    NamedFile::open(path).await.map_err(|_| AppError::NotFound("photo"))
}

/// A small picture of the same.
#[get("/photos/<hash>/small")]
pub async fn small_photo(desk: Desk<'_>, user: User, hash: &str) -> std::result::Result<NamedFile, AppError> {
    may_see(&desk, &user, hash).await?;
    let path = photos::small(&desk.settings.folder.photos(), hash).await.ok_or(AppError::NotFound("photo"))?;
    NamedFile::open(path).await.map_err(|_| AppError::NotFound("photo"))
}

async fn may_see(desk: &Desk<'_>, user: &User, hash: &str) -> std::result::Result<(), AppError> {
    let Some(boat) = user.account.guest_boat else { return Ok(()) };
    let mut boats = findings::boats_with_photo(desk.store, hash).await?;
    boats.extend(fastenings::boats_with_photo(desk.store, hash).await?);
    boats.extend(samples::boats_with_photo(desk.store, hash).await?);
    boats.extend(seams::boats_with_photo(desk.store, hash).await?);
    boats.extend(plans::boats_with_photo(desk.store, hash).await?);
    boats.extend(history::boats_with_photo(desk.store, hash).await?);
    boats.extend(jobs::boats_with_photo(desk.store, hash).await?);
    boats.extend(hung::boats_with_photo(desk.store, hash).await?);
    if boats.contains(&boat) { Ok(()) } else { Err(AppError::NotFound("photo")) }
}
