//! The card by which a piece is hung, glued and fixed: the checks before, the clamps in their order, the steps, and what comes after.

use askama::Template;
use jiff::Timestamp;
use mend_keel_core::repair::gluing::Adhesive;
use mend_keel_core::work::hanging::{self, Card, Phase, Piece as Hanging, Step};
use mend_keel_core::{InputError, Verdict};
use mend_keel_store::decisions::{self, Piece, PieceState};
use mend_keel_store::hung::{self, Hung, Tick};
use rocket::{FromForm, get, post};

use crate::file::boat::BoatFile;
use crate::file::hanging as file_hanging;
use crate::file::learned::YardRates;
use crate::view;
use crate::view::hang as drawing;
use crate::view::reasons::{self, ReasonView};
use crate::web::auth::{BoatReader, Crew};
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed};
use crate::web::photos;

#[derive(Template)]
#[template(path = "work/hang.html")]
struct Show {
    page: Page,
    boat_id: i64,
    piece_id: i64,
    name: String,
    state: &'static str,
    /// It is cut, or its blank is there: else nothing is hung yet.
    is_cut: bool,
    svg: String,
    phases: Vec<PhaseView>,
    ticked: usize,
    all: usize,
    glued: bool,
    adhesives: Choices,
    reasons: Vec<ReasonView>,
    /// What speaks against hanging it now.
    against: Vec<String>,
    typed: Typed,
    faults: Faults,
    /// The step a fault belongs to.
    faulty: String,
}

struct PhaseView {
    label: &'static str,
    /// The next step is one of its own.
    here: bool,
    done: Vec<StepView>,
    todo: Vec<StepView>,
}

struct StepView {
    code: &'static str,
    number: usize,
    text: String,
    photo: bool,
    /// The first that is not ticked.
    next: bool,
    ticks: Vec<TickView>,
    reasons: Vec<ReasonView>,
    /// What comes before is open, or something stands against it: why is asked for.
    held: bool,
}

struct TickView {
    by: String,
    when: String,
    note: String,
    against: String,
    photo: Option<String>,
}

/// How the card is asked for: what it is glued with and how warm it is.
#[derive(Debug, Default, FromForm)]
pub struct Asked<'r> {
    adhesive: Option<&'r str>,
    temperature: Option<&'r str>,
}

impl Asked<'_> {
    fn adhesive(&self) -> Adhesive {
        self.adhesive.and_then(Adhesive::from_code).filter(|a| a.is_glue()).unwrap_or(Adhesive::Epoxy)
    }

    /// °C as somebody read it; nothing where nobody did.
    fn temperature(&self, faults: &mut Faults) -> Option<f64> {
        let text = self.temperature.map(|t| t.trim().replace(',', ".")).filter(|t| !t.is_empty())?;
        match text.parse::<f64>() {
            Ok(t) if (-10.0..=45.0).contains(&t) => Some(t),
            _ => {
                faults.add(InputError::new("temperature", "must be between -10 and 45"));
                None
            }
        }
    }
}

/// A piece with its card.
struct Laid {
    piece: Piece,
    hanging: Hanging,
    card: Card,
    ticks: Vec<Hung>,
}

async fn laid(
    desk: &Desk<'_>,
    file: &BoatFile,
    id: i64,
    asked: &Asked<'_>,
    faults: &mut Faults,
) -> std::result::Result<Laid, AppError> {
    let piece = decisions::piece(desk.store, file.boat.id, id).await?;
    let known = YardRates::load(desk.store).await?;
    let hanging = file_hanging::piece(file, &piece, asked.adhesive(), asked.temperature(faults), &known)
        .filter(|_| piece.state != PieceState::Dropped)
        .ok_or(AppError::NotFound("card of this piece"))?;
    let card = hanging::card(&hanging).map_err(|e| AppError::Refused(e.to_string()))?;
    let ticks = hung::of_piece(desk.store, piece.id).await?;
    Ok(Laid { piece, hanging, card, ticks })
}

impl Laid {
    fn done(&self) -> Vec<&str> {
        self.ticks.iter().map(|t| t.step.as_str()).collect()
    }

    fn step(&self, code: &str) -> Option<&Step> {
        self.card.steps.iter().find(|s| s.code == code)
    }
}

async fn page(
    desk: &Desk<'_>,
    file: &BoatFile,
    id: i64,
    asked: &Asked<'_>,
    typed: Typed,
    mut faults: Faults,
    faulty: &str,
) -> std::result::Result<Show, AppError> {
    let units = desk.units;
    let laid = laid(desk, file, id, asked, &mut faults).await?;
    let done = laid.done();
    let next = laid.card.steps.iter().find(|s| !done.contains(&s.code)).map(|s| s.code);
    let view = |(i, step): (usize, &Step)| StepView {
        code: step.code,
        number: i + 1,
        text: units.words(&step.text),
        photo: step.photo,
        next: next == Some(step.code),
        ticks: laid
            .ticks
            .iter()
            .filter(|t| t.step == step.code)
            .map(|t| TickView {
                by: t.by_name.clone(),
                when: view::when(&t.at),
                note: t.note.clone(),
                against: t.against.clone(),
                photo: t.photo.clone(),
            })
            .collect(),
        reasons: reasons::views(&step.reasons, units),
        held: !hanging::held(&laid.card, step.code, &done).is_empty(),
    };
    let phase = |phase: &Phase| {
        let of = laid.card.steps.iter().filter(|s| s.phase == *phase).enumerate().map(view);
        let (done, todo): (Vec<StepView>, Vec<StepView>) = of.partition(|s| !s.ticks.is_empty());
        let asked = todo.iter().chain(&done).any(|s| s.next || s.code == faulty);
        PhaseView { label: phase.label(), here: asked, done, todo }
    };
    let phases = Phase::ALL.iter().map(phase).collect();
    let ticked = laid.card.steps.iter().filter(|s| done.contains(&s.code)).count();
    let adhesives: Vec<Adhesive> = Adhesive::ALL.iter().copied().filter(|a| a.is_glue()).collect();
    Ok(Show {
        page: desk.boat_page(file, &format!("Hanging {}", laid.piece.name), "work"),
        boat_id: file.boat.id,
        piece_id: laid.piece.id,
        name: laid.piece.name.clone(),
        state: laid.piece.state.label(),
        is_cut: laid.piece.state == PieceState::Cut,
        svg: drawing::draw(&laid.card.clamps, laid.hanging.length, laid.hanging.what, units),
        phases,
        ticked,
        all: laid.card.steps.len(),
        glued: laid.hanging.glue.is_some(),
        adhesives: pairs(&adhesives, Adhesive::code, Adhesive::label),
        reasons: reasons::views(&laid.card.reasons, units),
        against: laid
            .card
            .reasons
            .iter()
            .filter(|r| r.verdict >= Verdict::Against)
            .map(|r| units.words(&r.text))
            .collect(),
        typed: typed
            .with("adhesive", asked.adhesive().code())
            .with("temperature", asked.temperature.unwrap_or_default()),
        faults,
        faulty: faulty.to_owned(),
    })
}

#[get("/boats/<id>/pieces/<piece>/card?<asked..>")]
pub async fn show(desk: Desk<'_>, _who: BoatReader, id: i64, piece: i64, asked: Asked<'_>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    render(&page(&desk, &file, piece, &asked, Typed::default(), Faults::said_in(desk.units), "").await?)
}

/// Ticks a step, or takes the tick back.
#[post("/boats/<id>/pieces/<piece>/card/<step>", data = "<posted>")]
pub async fn tick(desk: Desk<'_>, _who: Crew, id: i64, piece: i64, step: &str, mut posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut faults = Faults::said_in(desk.units);
    let photo = photos::optional(&desk.settings.folder.photos(), &mut posted.form, &mut faults).await;
    let (adhesive, temperature) = (posted.form.get("adhesive").to_owned(), posted.form.get("temperature").to_owned());
    let asked = Asked { adhesive: Some(&adhesive), temperature: Some(&temperature) };
    let laid = laid(&desk, &file, piece, &asked, &mut faults).await?;
    let Some(of) = laid.step(step) else { return Err(AppError::NotFound("step of this card")) };
    // Reckoned with what was read so far.
    let with = match laid.hanging.glue.and_then(|glue| glue.temperature) {
        Some(read) => format!("?adhesive={}&temperature={read}", asked.adhesive().code()),
        None => String::new(),
    };
    let location = format!("/boats/{id}/pieces/{piece}/card{with}");
    if posted.form.get("undo") == "1" {
        let mut work = desk.store.begin(posted.act()).await?;
        work.untick_hung(&laid.piece, of.code, &of.text).await?;
        work.commit(&location).await?;
        return Ok(Answer::Go(location));
    }
    let mut read = Reader::new(&posted.form, desk.units.unit);
    read.faults = faults;
    let (note, why) = (read.text("note", NOTE_LIMIT), read.text("why", NOTE_LIMIT));
    let held = hanging::held(&laid.card, of.code, &laid.done());
    // What was ticked already is only told more of.
    let again = laid.done().contains(&of.code);
    if let Some(first) = held.first().filter(|_| why.is_empty() && !again) {
        let more = if held.len() > 1 { format!(", and {} more", held.len() - 1) } else { String::new() };
        read.faults
            .add(InputError::new("why", format!("{}{more}: do that, or say why it is done all the same", first.text)));
    }
    if !read.faults.is_empty() {
        return render_faulty(&page(&desk, &file, piece, &asked, posted.form.typed(), read.faults, step).await?);
    }
    let tick = Tick {
        step: of.code,
        what: &of.text,
        note: &note,
        photo: photo.as_deref(),
        against: if held.is_empty() || again { "" } else { &why },
        at: posted.form.made_at(Timestamp::now()),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.tick_hung(&laid.piece, &tick).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
