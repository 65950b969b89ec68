//! One seam: what is known of it, what it gets, what goes into it, and its work step by step through the gates.

use askama::Template;
use jiff::Timestamp;
use mend_keel_core::grid::Address;
use mend_keel_core::repair::gluing;
use mend_keel_core::seam::line::SeamAt;
use mend_keel_core::seam::work::{self, Before, Gate, Said, StepKind};
use mend_keel_core::seam::{self, Treatment};
use mend_keel_core::survey::compare::Outcome;
use mend_keel_core::{InputError, Verdict};
use mend_keel_store::findings::Finding;
use mend_keel_store::seams::{Seam, Step};
use mend_keel_store::{StoreError, samples};
use rocket::{get, post};

use crate::file::seams::{Assumed, Line, SeamFile};
use crate::pages::seams::balance::{Asked, fate_shown, moves_by};
use crate::pages::seams::opened::{caulk_rows, judged, planned};
use crate::view;
use crate::view::reasons::{self, ReasonView};
use crate::web::auth::{BoatReader, Crew};
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed};
use crate::web::photos;

#[derive(Template)]
#[template(path = "seams/line.html")]
struct Show {
    page: Page,
    boat_id: i64,
    code: String,
    name: String,
    fate: String,
    class: &'static str,
    facts: Vec<(&'static str, String)>,
    balance: Vec<ReasonView>,
    /// Hard filler was found in it, whatever the planking does.
    hard: bool,
    /// What was found on it and is open still, once its work is done.
    found: Vec<(i64, String)>,
    judged: Vec<(&'static str, ReasonView)>,
    /// Somebody has decided; nothing is ticked off before.
    decided: bool,
    version: i64,
    treatments: Choices,
    takes: Vec<(&'static str, String)>,
    because: Vec<ReasonView>,
    steps: Vec<StepView>,
    next: Choices,
    asks: Asks,
    last: String,
    before: Option<String>,
    after: Option<String>,
    caution: &'static str,
    typed: Typed,
    faults: Faults,
}

struct StepView {
    what: &'static str,
    only_when: &'static str,
    optional: bool,
    done: String,
    photo: Option<String>,
}

/// Which gates the steps that may come next ask through.
#[derive(Debug, Default)]
struct Asks {
    clean: bool,
    moisture: bool,
    temperature: bool,
}

/// Hours a day; a cure is typed in days.
const DAY: f64 = 24.0;
/// Glue at 20 °C is planed after a day, handbook 04.
const GLUE_CURES: f64 = 24.0;

/// What a seam's filling takes to cure, hours: as somebody said; glue by its temperature; compound as the last sample board that was
/// found good did.
async fn cures_in(desk: &Desk<'_>, seams: &SeamFile, at: SeamAt) -> std::result::Result<Option<f64>, AppError> {
    if let Some(hours) = seams.decided(at).and_then(|s| s.cures_in) {
        return Ok(Some(hours));
    }
    if seams.treatment(at) != Treatment::CottonCompound {
        let cold = seams.done(at).iter().filter(|s| s.kind.is_filling()).filter_map(|s| s.temperature).next_back();
        return Ok(cold.map(|degrees| gluing::at_temperature(GLUE_CURES, degrees)));
    }
    let boards = samples::of_boat(desk.store, seams.file().boat.id).await?;
    Ok(boards.iter().find(|s| s.good == Some(true)).and_then(|s| s.cured_after).map(|days| days * DAY))
}

fn filled_ago(done: &[&Step]) -> Option<f64> {
    let at: Timestamp = done.iter().rfind(|s| s.kind.is_filling())?.at.parse().ok()?;
    Some(at.duration_until(Timestamp::now()).as_secs_f64() / 3_600.0)
}

async fn show(
    desk: &Desk<'_>,
    seams: &SeamFile,
    at: SeamAt,
    typed: Typed,
    mut faults: Faults,
) -> std::result::Result<Show, AppError> {
    let units = desk.units;
    let boat = &seams.file().boat;
    let decided = seams.decided(at);
    let treatment = seams.treatment(at);
    let usual = Asked::default().typed();
    let assumed = Assumed::read(&usual, &mut faults).ok_or(AppError::NotFound("seam"))?;
    let line = seams.line(at, &assumed).map_err(|e| AppError::Refused(e.to_string()))?;
    let state = seams.state(at);
    let (fate, class) = fate_shown(&line);
    let primed = seams.primed_at(at).is_some();
    let mut facts = vec![
        ("Length", units.run(line.length)),
        (
            "Width",
            format!("{}{}", units.fine(line.seam.seam_width), if line.measured { ", measured" } else { ", yard rule" }),
        ),
        (
            "Filled with",
            format!(
                "{}{}",
                line.seam.filling.label().to_lowercase(),
                if line.seen { "" } else { ", supposed: nobody looked" }
            ),
        ),
        (
            "Wood beside it",
            format!(
                "{} moves it{}",
                units.len(line.seam.plank_width),
                if seams.is_wood_measured(at) { "" } else { ", by generated widths" }
            ),
        ),
        (
            "Moisture",
            match (primed, state.moisture) {
                (true, _) => format!(
                    "{:.0} %, measured before it was primed; {:.0} % in service",
                    line.seam.now, line.seam.service
                ),
                (false, Some(_)) => {
                    format!("{:.0} %, measured; {:.0} % in service", line.seam.now, line.seam.service)
                }
                (false, None) => format!("not known: nobody measured; {:.0} % in service", line.seam.service),
            },
        ),
        ("Closes by", moves_by(&line, units)),
    ];
    if state.open > 0 {
        facts.push(("Found", format!("{} open", state.open)));
    }
    if state.buckled > 0 {
        facts.push(("Found", format!("{} buckled", state.buckled)));
    }
    let judged = judged(boat.construction, seams.ways.ways, units);
    let (takes, because) = takes(desk, &line, treatment);
    let done = seams.done(at);
    let kinds = seams.kinds_done(at);
    let order = work::order(treatment);
    let next = work::next(treatment, &kinds);
    let asks = Asks {
        clean: next.iter().any(|s| s.gate == Gate::Clean),
        moisture: next.iter().any(|s| s.gate == Gate::Dry),
        temperature: next.iter().any(|s| matches!(s.gate, Gate::Warm(_))),
    };
    let cures = cures_in(desk, seams, at).await?;
    let steps = order
        .iter()
        .map(|s| {
            let done = done.iter().find(|d| d.kind == s.kind);
            StepView {
                what: s.kind.label(),
                only_when: s.only_when,
                optional: s.kind.is_optional(),
                done: done.map_or(String::new(), |d| {
                    let mut told = format!("{}, {}", d.by_name, view::when(&d.at));
                    if let Some(percent) = d.moisture {
                        told.push_str(&format!(", {percent:.0} %"));
                    }
                    if let Some(degrees) = d.temperature {
                        told.push_str(&format!(", {degrees:.0} °C"));
                    }
                    if d.note.is_empty() { told } else { format!("{told}: {}", d.note) }
                }),
                photo: done.and_then(|d| d.photo.clone()),
            }
        })
        .collect();
    let typed = Typed::default()
        .with("treatment", treatment.code())
        .with("width", decided.and_then(|s| s.width).map_or(String::new(), |w| units.exact(w)))
        .with("cures_in", decided.and_then(|s| s.cures_in).map_or(String::new(), |h| format!("{}", h / DAY)))
        .over(&typed);
    let count = boat.shell.strake_count();
    let near = |row: Option<u32>| row.filter(|r| *r < count).map(|row| SeamAt { row, ..at }.to_string());
    if let Some(hours) = cures {
        facts.push(("Cures in", if hours < 48.0 { view::hours(hours) } else { format!("{:.1} days", hours / DAY) }));
    }
    Ok(Show {
        page: desk.boat_page(seams.file(), &format!("Seam {}", seams.name(at)), "seams"),
        boat_id: boat.id,
        code: at.to_string(),
        name: seams.name(at),
        fate,
        class,
        facts,
        hard: seams.is_hard(at),
        found: if seams.is_done(at) {
            seams.found(at).into_iter().map(|f| (f.id, seams.file().told_graded(f))).collect()
        } else {
            Vec::new()
        },
        balance: reasons::views(&line.reasons(), units),
        judged,
        decided: decided.is_some(),
        version: decided.map_or(0, |s| s.version),
        treatments: pairs(Treatment::ALL, Treatment::code, Treatment::label),
        takes,
        because,
        steps,
        next: next.iter().map(|s| (s.kind.code().to_owned(), s.kind.label().to_owned())).collect(),
        asks,
        last: done.last().map_or(String::new(), |s| s.kind.label().to_lowercase()),
        before: near(at.row.checked_sub(1)),
        after: near(Some(at.row + 1)),
        caution: mend_keel_core::caution::Caution::Solvents.text(),
        typed,
        faults,
    })
}

/// What goes into a seam, where it is caulked.
fn takes(desk: &Desk<'_>, line: &Line, treatment: Treatment) -> (Vec<(&'static str, String)>, Vec<ReasonView>) {
    let units = desk.units;
    if treatment != Treatment::CottonCompound {
        return (Vec::new(), Vec::new());
    }
    let Ok(c) = seam::caulk(line.thickness, line.length, Some(line.seam.seam_width.max(0.1))) else {
        return (Vec::new(), Vec::new());
    };
    let mut rows = caulk_rows(&c, units);
    if let Some(tape) = line.tape() {
        let width = match tape.width {
            Some(width) if tape.short > 0.5 => {
                format!("{} wide, {} short of the face", units.len(width), units.fine(tape.short))
            }
            Some(width) => format!("{} wide", units.len(width)),
            None => "none so narrow is sold".to_owned(),
        };
        rows.push(("Tape to buy", format!("{width}, {} rolls of 50 m", tape.rolls)));
    }
    (rows, reasons::views(&c.reasons, units))
}

async fn load(desk: &Desk<'_>, id: i64, seam: &str) -> std::result::Result<(SeamFile, SeamAt), AppError> {
    let seams = SeamFile::load(desk.store, id).await?;
    let at = SeamAt::parse(seam, &seams.file().boat.shell).map_err(|_| AppError::NotFound("seam"))?;
    Ok((seams, at))
}

#[get("/boats/<id>/seams/line/<seam>")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64, seam: &str) -> Result {
    let (seams, at) = load(&desk, id, seam).await?;
    render(&show(&desk, &seams, at, Typed::default(), Faults::default()).await?)
}

/// The plank a seam's story is told at: the one below it, amidships.
fn member(seams: &SeamFile, at: SeamAt) -> Option<i64> {
    let frame = seams.file().boat.shell.frame_count().div_ceil(2);
    seams.file().plank_at(Address { side: at.side, strake: at.row.max(1), frame }).ok().map(|p| p.id)
}

/// Decides what a seam gets. What is forbidden is refused with its reason.
#[post("/boats/<id>/seams/line/<seam>", data = "<posted>")]
pub async fn decide(desk: Desk<'_>, _who: Crew, id: i64, seam: &str, posted: Posted) -> Result {
    let (seams, at) = load(&desk, id, seam).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let treatment = read.choice("treatment", Treatment::from_code);
    let width = read.optional_length("width");
    if width.is_some_and(|w| !(0.1..=60.0).contains(&w)) && !read.faults.has("width") {
        read.faults.add(InputError::new("width", "must be between 0.1 and 60 mm"));
    }
    let cures_in = read.optional_number("cures_in", 0.0, 365.0).map(|days| days * DAY);
    if let Some(treatment) = treatment {
        let judged = seam::judge_by(seams.file().boat.construction, treatment, seams.ways.ways);
        let others = seams.decided.iter().filter(|s| s.at() != at).map(|s| s.treatment);
        let others = others.chain(planned(seams.file(), None));
        if judged.verdict == Verdict::Forbids {
            read.faults.add(InputError::new("treatment", format!("not on this boat: {}", judged.text)));
        } else if let Some(mixed) = seam::beside(treatment, others) {
            read.faults.add(InputError::new("treatment", mixed.text));
        }
    }
    let version = posted.form.get("version").parse().unwrap_or(0);
    let (Some(treatment), true) = (treatment, read.faults.is_empty()) else {
        return render_faulty(&show(&desk, &seams, at, posted.form.typed(), read.faults).await?);
    };
    let new = Seam { id: 0, boat_id: id, side: at.side, row: at.row, treatment, width, cures_in, version };
    let mut work = desk.store.begin(posted.act()).await?;
    match work.decide_seam(&new, member(&seams, at), &seams.name(at)).await {
        Ok(_) => {
            let location = format!("/boats/{id}/seams/line/{at}");
            work.commit(&location).await?;
            Ok(Answer::Go(location))
        }
        Err(StoreError::Conflict(why)) => {
            drop(work);
            let mut faults = Faults::said_in(desk.units);
            faults.add(InputError::new("treatment", why));
            render_faulty(&show(&desk, &seams, at, posted.form.typed(), faults).await?)
        }
        Err(e) => Err(e.into()),
    }
}

/// Reports a step done, through its gate.
#[post("/boats/<id>/seams/line/<seam>/step", data = "<posted>")]
pub async fn step(desk: Desk<'_>, _who: Crew, id: i64, seam: &str, mut posted: Posted) -> Result {
    let (seams, at) = load(&desk, id, seam).await?;
    let mut faults = Faults::said_in(desk.units);
    let photo = photos::optional(&desk.settings.folder.photos(), &mut posted.form, &mut faults).await;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    read.faults = faults;
    let kind = read.choice("step", StepKind::from_code);
    let said = Said {
        clean: read.is_on("clean"),
        moisture: read.optional_number("moisture", 0.0, 100.0),
        temperature: read.optional_number("temperature", -20.0, 60.0),
    };
    let note = read.text("note", NOTE_LIMIT);
    let decided = seams.decided(at).cloned();
    if decided.is_none() {
        read.faults.add(InputError::new("step", "decide first what this seam gets"));
    }
    if let (Some(kind), true) = (kind, read.faults.is_empty()) {
        let done = seams.done(at);
        let kinds = seams.kinds_done(at);
        let before =
            Before { done: &kinds, filled_ago: filled_ago(&done), cures_in: cures_in(&desk, &seams, at).await? };
        if let Err(e) = work::may(seams.treatment(at), kind, &said, &before) {
            read.faults.add(e);
        }
    }
    let (Some(kind), Some(decided), true) = (kind, decided, read.faults.is_empty()) else {
        return render_faulty(&show(&desk, &seams, at, posted.form.typed(), read.faults).await?);
    };
    let new = Step {
        id: 0,
        seam_id: decided.id,
        kind,
        moisture: said.moisture,
        temperature: said.temperature,
        note,
        photo,
        by_name: String::new(),
        at: String::new(),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_seam_step(&decided, &new, member(&seams, at), &seams.name(at)).await?;
    let location = format!("/boats/{id}/seams/line/{at}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// The end of the work on a seam: what was found on it is mended.
#[post("/boats/<id>/seams/line/<seam>/mended", data = "<posted>")]
pub async fn mended(desk: Desk<'_>, _who: Crew, id: i64, seam: &str, posted: Posted) -> Result {
    let (seams, at) = load(&desk, id, seam).await?;
    let location = format!("/boats/{id}/seams/line/{at}");
    let found = seams.found(at);
    if found.is_empty() {
        // Somebody told it already.
        return Ok(Answer::Go(location));
    }
    let ticked: Vec<&Finding> = found.into_iter().filter(|f| posted.form.get(&format!("f{}", f.id)) == "1").collect();
    let mut faults = Faults::said_in(desk.units);
    if !seams.is_done(at) {
        faults.add(InputError::new("mended", "there is something left to do: tick it first"));
    } else if ticked.is_empty() {
        faults.add(InputError::new("mended", "tick what is mended by it"));
    }
    if !faults.is_empty() {
        return render_faulty(&show(&desk, &seams, at, posted.form.typed(), faults).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    for finding in ticked {
        work.set_outcome(finding, &seams.file().shown(&finding.place), Outcome::Mended).await?;
    }
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// Takes the last step back.
#[post("/boats/<id>/seams/line/<seam>/undo", data = "<posted>")]
pub async fn undo(desk: Desk<'_>, _who: Crew, id: i64, seam: &str, posted: Posted) -> Result {
    let (seams, at) = load(&desk, id, seam).await?;
    let location = format!("/boats/{id}/seams/line/{at}");
    let (Some(decided), Some(last)) = (seams.decided(at), seams.done(at).last().copied()) else {
        return Ok(Answer::Go(location));
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.undo_seam_step(decided, last, member(&seams, at), &seams.name(at)).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
