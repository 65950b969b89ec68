//! Sample boards of a seam: laid on the bench first, judged, then laid on the boat.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_store::samples::{self, Hold, Sample};
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::web::auth::{BoatReader, Crew};
use crate::web::changed::Kept;
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed, day};
use crate::web::photos;

#[derive(Template)]
#[template(path = "seams/samples.html")]
struct Show {
    page: Page,
    boat_id: i64,
    boards: Vec<View>,
    holds: Choices,
    verdicts: Choices,
    typed: Typed,
    faults: Faults,
}

struct View {
    id: i64,
    compound: String,
    facts: Vec<(&'static str, String)>,
    hold: &'static str,
    cured: String,
    verdict: &'static str,
    class: &'static str,
    good: &'static str,
    note: String,
    /// With what outcome it was shown.
    was: String,
    photo: Option<String>,
    /// The form with the faults is this board's.
    faulty: bool,
}

const DAYS_MOST: f64 = 120.0;

fn verdicts() -> Choices {
    [("", "not judged yet"), ("yes", "goes on the boat"), ("no", "does not")]
        .map(|(c, l)| (c.into(), l.into()))
        .to_vec()
}

fn verdict(good: Option<bool>) -> (&'static str, &'static str, &'static str) {
    match good {
        Some(true) => ("✓ goes on the boat", "holds", "yes"),
        Some(false) => ("▲ does not go on the boat", "presses", "no"),
        None => ("not judged yet", "", ""),
    }
}

fn from_verdict(code: &str) -> Option<Option<bool>> {
    match code {
        "" => Some(None),
        "yes" => Some(Some(true)),
        "no" => Some(Some(false)),
        _ => None,
    }
}

async fn show(
    desk: &Desk<'_>,
    file: &BoatFile,
    judged: Option<i64>,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<Show, AppError> {
    let boards = samples::of_boat(desk.store, file.boat.id).await?;
    let view = |s: Sample| {
        let (words, class, good) = verdict(s.good);
        let was = judged_kept(&s).token();
        let mut facts =
            vec![("Laid", format!("{} by {}", s.laid_on, s.by_name)), ("Seam", desk.units.fine(s.seam_width))];
        for (label, text) in [("Primer", s.primer), ("Colour", s.colour)] {
            if !text.is_empty() {
                facts.push((label, text));
            }
        }
        View {
            id: s.id,
            compound: s.compound,
            facts,
            hold: s.hold.code(),
            cured: s.cured_after.map_or(String::new(), |d| format!("{d}")),
            verdict: words,
            class,
            good,
            note: s.note,
            was,
            photo: s.photo,
            faulty: judged == Some(s.id),
        }
    };
    Ok(Show {
        page: desk.boat_page(file, "Sample boards", "seams"),
        boat_id: file.boat.id,
        boards: boards.into_iter().map(view).collect(),
        holds: pairs(Hold::ALL, Hold::code, Hold::label),
        verdicts: verdicts(),
        typed,
        faults,
    })
}

#[get("/boats/<id>/seams/samples")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    render(&show(&desk, &file, None, Typed::default(), Faults::default()).await?)
}

/// How it came out, at the same fields of both forms. A board that let go or stayed soft cannot be found good.
fn outcome(read: &mut Reader<'_>) -> Option<(Hold, Option<f64>, Option<bool>)> {
    let hold = read.choice("hold", Hold::from_code);
    let cured = read.optional_number("cured_after", 0.0, DAYS_MOST);
    let good = read.choice("good", from_verdict);
    if good == Some(Some(true)) && hold.is_some_and(|h| h != Hold::Held) {
        read.faults.add(InputError::new("good", "only a seam that held to both sides goes on the boat"));
    }
    Some((hold?, cured, good?))
}

#[post("/boats/<id>/seams/samples", data = "<posted>")]
pub async fn add(desk: Desk<'_>, _who: Crew, id: i64, mut posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut faults = Faults::said_in(desk.units);
    let photo = photos::optional(&desk.settings.folder.photos(), &mut posted.form, &mut faults).await;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    read.faults = faults;
    let compound = read.name("compound");
    let primer = read.text("primer", 120);
    let colour = read.text("colour", 120);
    let seam_width = read.size("seam_width");
    if seam_width > 60.0 {
        read.faults.add(InputError::new("seam_width", "is wider than any seam"));
    }
    let laid_on = day(&mut read, "laid_on");
    if laid_on.is_none() && !read.faults.has("laid_on") {
        read.faults.add(InputError::new("laid_on", "is needed: the cure counts from it"));
    }
    let outcome = outcome(&mut read);
    let note = read.text("note", NOTE_LIMIT);
    let (Some((hold, cured_after, good)), Some(laid_on), true) = (outcome, laid_on, read.faults.is_empty()) else {
        return render_faulty(&show(&desk, &file, None, posted.form.typed(), read.faults).await?);
    };
    let new = Sample {
        id: 0,
        boat_id: id,
        laid_on,
        compound,
        primer,
        colour,
        seam_width,
        cured_after,
        hold,
        good,
        note,
        photo,
        by_name: String::new(),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_sample(&new).await?;
    done(work, id).await
}

/// How a board came out as it stands.
fn judged_kept(sample: &Sample) -> Kept {
    Kept::default()
        .choice("hold", "How it held", sample.hold.code(), &pairs(Hold::ALL, Hold::code, Hold::label))
        .text("cured_after", "Cured after", sample.cured_after.map_or(String::new(), |d| d.to_string()))
        .choice("good", "For the boat", verdict(sample.good).2, &verdicts())
}

async fn done(work: mend_keel_store::Work, boat: i64) -> Result {
    let location = format!("/boats/{boat}/seams/samples");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

async fn board(desk: &Desk<'_>, boat: i64, id: i64) -> std::result::Result<Sample, AppError> {
    let all = samples::of_boat(desk.store, boat).await?;
    all.into_iter().find(|s| s.id == id).ok_or(AppError::NotFound("sample board"))
}

#[post("/boats/<id>/seams/samples/<sample>/judge", data = "<posted>")]
pub async fn judge(desk: Desk<'_>, _who: Crew, id: i64, sample: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let sample = board(&desk, id, sample).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let outcome = outcome(&mut read);
    let (Some((hold, cured_after, good)), true) = (outcome, read.faults.is_empty()) else {
        return render_faulty(&show(&desk, &file, Some(sample.id), posted.form.typed(), read.faults).await?);
    };
    posted.still("How the board came out", &judged_kept(&sample))?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.judge_sample(&sample, hold, cured_after, good).await?;
    done(work, id).await
}

#[post("/boats/<id>/seams/samples/<sample>/withdraw", data = "<posted>")]
pub async fn withdraw(desk: Desk<'_>, _who: Crew, id: i64, sample: i64, posted: Posted) -> Result {
    let sample = board(&desk, id, sample).await?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.withdraw_sample(&sample).await?;
    done(work, id).await
}
