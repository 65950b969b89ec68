//! Readings: taken by themselves, again for a finding, or with a new one; what they say, and their series.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::geometry::Point;
use mend_keel_core::grid::Place;
use mend_keel_core::survey::Method;
use mend_keel_core::survey::reading::{FasteningKind, Filler, Measure, Metal, Read, Ring, Sign, WoodAround};
use mend_keel_store::findings::{self, NewReading, Reading};
use rocket::{get, post};

use super::links::{off_the_boat, place_link};
use crate::file::boat::{BoatFile, Part};
use crate::file::place::typed_place;
use crate::view::{self, chart};
use crate::web::auth::Crew;
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, Posted, Reader, Submission, Typed};

/// What can be chosen in the fields of a measure.
#[derive(Debug)]
pub struct Lists {
    pub methods: Choices,
    pub signs: Choices,
    pub rings: Choices,
    pub fastenings: Choices,
    pub metals: Choices,
    pub woods: Choices,
    pub fillers: Choices,
}

impl Default for Lists {
    fn default() -> Self {
        Self {
            methods: pairs(Method::ALL, Method::code, Method::label),
            signs: pairs(Sign::ALL, Sign::code, Sign::label),
            rings: pairs(Ring::ALL, Ring::code, Ring::label),
            fastenings: pairs(FasteningKind::ALL, FasteningKind::code, FasteningKind::label),
            metals: pairs(Metal::ALL, Metal::code, Metal::label),
            woods: pairs(WoodAround::ALL, WoodAround::code, WoodAround::label),
            fillers: pairs(Filler::ALL, Filler::code, Filler::label),
        }
    }
}

/// A reading as a line on a page.
#[derive(Debug)]
pub struct ReadingView {
    pub id: i64,
    pub method: &'static str,
    pub says: String,
    pub simulated: bool,
    pub when: String,
    pub by: String,
}

impl ReadingView {
    pub fn new(r: &Reading) -> Self {
        Self {
            id: r.id,
            method: r.method.label(),
            says: r.says.clone(),
            simulated: r.simulated,
            when: view::when(&r.at),
            by: r.by_name.clone(),
        }
    }
}

/// A chart for each method with more than one figure.
pub fn series(readings: &[Reading]) -> Vec<(&'static str, String)> {
    Method::ALL
        .iter()
        .filter_map(|method| {
            let of_method: Vec<&Reading> = readings.iter().filter(|r| r.method == *method).collect();
            let values: Vec<f64> = of_method.iter().filter_map(|r| r.value).collect();
            let unit = of_method.last()?.unit.clone();
            (values.len() > 1).then(|| (method.label(), chart::series(&values, &unit)))
        })
        .collect()
}

/// Whether a drawn fastening answers a pick of the random draw.
fn is_sampled(measure: &Measure, form: &Submission) -> bool {
    matches!(measure, Measure::DrawFastening { nth, .. } if *nth > 0) && form.get("sampled") == "1"
}

/// A reading of a form, to be kept.
pub fn taken(
    file: &BoatFile,
    place: &Place,
    part: &Part<'_>,
    at: Option<Point>,
    (measure, read): (Measure, Read),
    form: &Submission,
) -> NewReading {
    NewReading {
        place: place.clone(),
        shown: file.shown(place),
        member_id: part.member_id(),
        at,
        sampled: is_sampled(&measure, form),
        measure,
        read,
        simulated: form.get("simulated") == "1",
    }
}

/// The fields of a measure bear other names in a form than in the core.
fn form_field(method: Method, core: &str) -> &str {
    match (method, core) {
        (Method::Spike, "depth") => "spike",
        (Method::Meter, "shown") => "meter",
        (Method::DrawFastening, "original") => "original_diameter",
        (Method::DrawFastening, "remaining") => "remaining_diameter",
        (Method::Feeler, "width") => "seam_width",
        (Method::Feeler, "depth") => "seam_depth",
        (_, other) => other,
    }
}

/// Reads the fields of a method into a measure, and what the core reads out of it. `None` when the method needs no
/// figure and nothing was said, or when something is wrong, which is then among the faults.
pub fn read_measure(
    read: &mut Reader<'_>,
    method: Option<Method>,
    file: &BoatFile,
    part: &Part<'_>,
) -> Option<(Measure, Read)> {
    let method = method?;
    let faults_before = read.faults.count();
    let measure = match method {
        Method::Look => {
            // The finding itself says what was seen; a sign is only kept when one was picked.
            let sign = read.optional_choice("sign", Sign::from_code)?;
            Measure::Look { sign }
        }
        Method::Sound => Measure::Sound { ring: read.choice("ring", Ring::from_code)? },
        Method::Spike => Measure::Spike { depth: read.length("spike") },
        Method::Meter => Measure::Meter {
            shown: read.number("meter", 0.0, 100.0),
            wood_temperature: read.number("wood_temperature", -20.0, 60.0),
            relative: read.is_on("relative"),
            species_offset: file.meter_offsets.get(part.species()).copied().unwrap_or(0.0),
        },
        Method::DrawFastening => {
            // What was drawn is in the hand: nothing of it is taken for granted, and all that lacks is told at once.
            let kind = read.choice("fastening", FasteningKind::from_code);
            let metal = read.choice("metal", Metal::from_code);
            let wood = read.choice("wood", WoodAround::from_code);
            let (original, remaining) = (read.size("original_diameter"), read.length("remaining_diameter"));
            Measure::DrawFastening {
                kind: kind?,
                metal: metal?,
                original,
                remaining,
                wood: wood?,
                nth: read.optional_whole("nth", 1, 20).unwrap_or(0),
            }
        }
        Method::Thickness => Measure::Thickness {
            nominal: read.optional_length("nominal").unwrap_or(part.thickness()),
            measured: read.size("measured"),
        },
        Method::Feeler => Measure::Feeler {
            width: read.length("seam_width"),
            depth: read.optional_length("seam_depth").unwrap_or(0.0),
            filler: read.choice("filler", Filler::from_code)?,
        },
        Method::OpenUp => Measure::OpenUp {},
    };
    if read.faults.count() > faults_before {
        return None;
    }
    match measure.read(&file.on(part)) {
        Ok(said) => Some((measure, said)),
        Err(e) => {
            let field = form_field(method, &e.field).to_owned();
            read.faults.add_under(&field, e);
            None
        }
    }
}

#[derive(Template)]
#[template(path = "survey/reading.html")]
struct Form {
    page: Page,
    boat_id: i64,
    at: String,
    shown: String,
    part: String,
    finding: Option<i64>,
    typed: Typed,
    faults: Faults,
    lists: Lists,
}

fn form(
    desk: &Desk<'_>,
    file: &BoatFile,
    at: &str,
    finding: Option<i64>,
    typed: Typed,
    faults: Faults,
) -> Option<Form> {
    let (place, part) = file.locate(at).ok()?;
    Some(Form {
        page: desk.boat_page(file, "A reading", "survey"),
        boat_id: file.boat.id,
        at: place.to_string(),
        shown: file.shown(&place),
        part: part.name(),
        finding,
        typed,
        faults,
        lists: Lists::default(),
    })
}

#[get("/boats/<id>/readings/new?<at>&<finding>&<method>&<nth>")]
pub async fn new_form(
    desk: Desk<'_>,
    _who: Crew,
    id: i64,
    at: &str,
    finding: Option<i64>,
    method: Option<&str>,
    nth: Option<u32>,
) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let method = method.and_then(Method::from_code).unwrap_or(Method::Meter);
    let nth = nth.map_or(String::new(), |n| n.to_string());
    let sampled = if nth.is_empty() { "" } else { "1" };
    let typed = Typed::default().with("method", method.code()).with("nth", nth).with("sampled", sampled);
    match form(&desk, &file, at, finding, typed, Faults::default()) {
        Some(page) => render(&page),
        None => Ok(off_the_boat(id, at)),
    }
}

#[post("/boats/<id>/readings/new?<at>&<finding>", data = "<posted>")]
pub async fn create(desk: Desk<'_>, _who: Crew, id: i64, at: &str, finding: Option<i64>, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let Ok((place, part)) = file.locate(at) else {
        return Ok(off_the_boat(id, at));
    };
    let new = match read(&desk, &file, &place, &part, &posted.form) {
        Ok(new) => new,
        Err(faults) => {
            return match form(&desk, &file, at, finding, posted.form.typed(), faults) {
                Some(page) => render_faulty(&page),
                None => Ok(off_the_boat(id, at)),
            };
        }
    };
    let location = match finding {
        Some(finding) => {
            let found = findings::find(desk.store, id, finding).await?;
            format!("/boats/{id}/findings/{}", found.id)
        }
        None if new.sampled => format!("/boats/{id}/survey/sample"),
        None => place_link(id, &place),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_reading(id, &new, finding).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// Reads a form into a reading at a place.
pub fn read(
    desk: &Desk<'_>,
    file: &BoatFile,
    place: &Place,
    part: &Part<'_>,
    form: &Submission,
) -> std::result::Result<NewReading, Faults> {
    let mut reader = Reader::new(form, desk.units.unit);
    let method = reader.choice("method", Method::from_code);
    let x = reader.optional_length("x");
    let y = reader.optional_length("y");
    let (from, to, width) = file.reach(part);
    if x.is_some_and(|x| x < from || x > to) {
        reader.faults.add(InputError::new("x", format!("this part runs from {from:.0} to {to:.0} mm")));
    }
    if y.is_some_and(|y| y < 0.0 || y > width) {
        reader.faults.add(InputError::new("y", format!("this part is {width:.0} mm wide here")));
    }
    if method == Some(Method::Look) && form.get("sign").is_empty() {
        reader.faults.add(InputError::new("sign", "choose what you see"));
    }
    let measured = read_measure(&mut reader, method, file, part);
    let Some((measure, said)) = measured else {
        return Err(reader.faults);
    };
    if !reader.faults.is_empty() {
        return Err(reader.faults);
    }
    Ok(taken(file, place, part, x.zip(y).map(|(x, y)| [x, y]), (measure, said), form))
}

#[post("/boats/<id>/readings/<reading>/withdraw", data = "<posted>")]
pub async fn withdraw(desk: Desk<'_>, _who: Crew, id: i64, reading: i64, posted: Posted) -> Result {
    let kept = findings::reading(desk.store, id, reading).await?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.withdraw_reading(&kept).await?;
    let location = match kept.finding_id {
        Some(finding) => format!("/boats/{id}/findings/{finding}"),
        None => place_link(id, &kept.place),
    };
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// A stand-in for an instrument that would be paired: fills the fields of a reading, marked simulated.
#[get("/boats/<id>/simulate/<instrument>?<at>&<typed>")]
pub async fn simulate(desk: Desk<'_>, _who: Crew, id: i64, instrument: &str, at: &str, typed: Option<&str>) -> Result {
    desk.may_stand_in()?;
    let file = BoatFile::load(desk.store, id).await?;
    // Quick entry asks with the place as it was typed, in the crew's own numbers.
    let found = if typed == Some("1") { typed_place(&file, at) } else { file.read(at) };
    let place = found.map_err(|e| AppError::Refused(e.message))?;
    let part = file.part_at(&place).map_err(|e| AppError::Refused(e.message))?;
    let taken = findings::readings(desk.store, id).await?.len() as u64;
    let fields = crate::file::instruments::read(instrument, &file, &place, &part, taken)
        .ok_or(AppError::NotFound("instrument"))?;
    Ok(Answer::Data(fields))
}
