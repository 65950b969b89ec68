//! Coverage: what was looked at by which method on every surface, what was not, and looking over a stretch.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::grid::Place;
use mend_keel_core::grid::member::Surface;
use mend_keel_core::survey::Method;
use rocket::{get, post};

use super::links::place_link;
use crate::file::boat::{BoatFile, Part};
use crate::file::place::typed_place;
use crate::file::survey::{SurveyFile, cell_of, look_next, untouched};
use crate::pages::survey::{Tab, tabs};
use crate::view::percent;
use crate::web::auth::{BoatReader, Crew};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "survey/coverage.html")]
struct Show {
    page: Page,
    tabs: Vec<Tab>,
    boat_id: i64,
    methods: Vec<(&'static str, &'static str)>,
    surfaces: Vec<Row>,
    missed: Vec<(String, Vec<String>)>,
    /// Where to look next: as an address in a link, and as this boat's crew call it.
    next: Vec<(String, String)>,
    typed: Typed,
    faults: Faults,
    example_from: String,
}

/// Places told as the next ones.
const NEXT: usize = 8;

struct Row {
    code: &'static str,
    label: &'static str,
    cells: usize,
    seen: String,
    /// Width of its bar, 0–100.
    bar: String,
    by_method: Vec<String>,
}

fn show(desk: &Desk<'_>, survey: &SurveyFile, typed: Typed, faults: Faults) -> Show {
    let file = &survey.file;
    let coverage = survey.coverage();
    let surfaces = coverage
        .iter()
        .map(|(surface, c)| Row {
            code: surface.code(),
            label: surface.label(),
            cells: c.cells,
            seen: percent(c.share()),
            bar: format!("{:.0}", c.share() * 100.0),
            by_method: Method::ALL
                .iter()
                .map(|m| c.by_method.iter().find(|(by, _)| by == m).map_or("–".to_owned(), |(_, n)| n.to_string()))
                .collect(),
        })
        .collect();
    let missed = untouched(survey, &coverage);
    use mend_keel_core::grid::{Address, Side};
    let at = |frame| file.boat.shown(Address { side: Side::Port, strake: 2, frame });
    Show {
        page: desk.boat_page(file, "Coverage", "survey"),
        tabs: tabs("survey/coverage"),
        boat_id: file.boat.id,
        methods: Method::ALL.iter().map(|m| (m.code(), m.label())).collect(),
        surfaces,
        missed,
        next: look_next(survey, NEXT)
            .into_iter()
            .map(|at| (at.to_string().replace(' ', "+"), file.boat.shown(at)))
            .collect(),
        typed,
        faults,
        example_from: at(3),
    }
}

#[get("/boats/<id>/survey/coverage")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    render(&show(&desk, &survey, Typed::default(), Faults::default()))
}

/// Looked over and nothing found: one place, or from one to another along the same part.
#[post("/boats/<id>/looked", data = "<posted>")]
pub async fn looked(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let method = read.choice("method", Method::from_code);
    let stretch = stretch(
        &survey.file,
        &mut read,
        posted.form.get("from"),
        posted.form.get("to"),
        posted.form.get("typed") == "1",
    );
    let (Some(method), Some((place, member, cells, shown)), true) = (method, stretch, read.faults.is_empty()) else {
        return render_faulty(&show(&desk, &survey, posted.form.typed(), read.faults));
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.look_over(id, member, cells, method, &shown).await?;
    let location =
        if posted.form.get("typed") == "1" { format!("/boats/{id}/survey/coverage") } else { place_link(id, &place) };
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// Reads a stretch of one part: where it begins, the member, its cells, and what it is called. `typed` places are in
/// the crew's own numbers. Faults are told at `from` and `to`.
pub fn stretch(
    file: &BoatFile,
    read: &mut Reader<'_>,
    from: &str,
    to: &str,
    typed: bool,
) -> Option<(Place, i64, (u32, u32), String)> {
    let mut locate = |field: &str, text: &str| {
        let place = if typed { typed_place(file, text) } else { file.read(text) };
        match place.and_then(|place| file.part_at(&place).map(|part| (place, part))) {
            Ok(found) => Some(found),
            Err(e) => {
                read.faults.add_under(field, e);
                None
            }
        }
    };
    let (start, first) = locate("from", from)?;
    let to = to.trim();
    if to.is_empty() {
        let cell = cell_of(&start);
        return Some((start.clone(), first.member_id(), (cell, cell), file.shown(&start)));
    }
    let (end, second) = locate("to", to)?;
    let same = match (&first, &second) {
        // A strake may be looked over across a joint: the stretch counts for the plank it begins on up to its end.
        (Part::Plank(a, _), Part::Plank(b, _)) => a.id == b.id,
        _ => first.member_id() == second.member_id(),
    };
    if !same {
        let message = format!("is not on the same part as {}: one plank or member at a time", file.shown(&start));
        read.faults.add(InputError::new("to", message));
        return None;
    }
    let (a, b) = (cell_of(&start), cell_of(&end));
    let shown = format!("{} to {}", file.shown(&start), file.shown(&end));
    Some((start, first.member_id(), (a.min(b), a.max(b)), shown))
}

/// Looks over a whole surface at once: what a walk round the boat is.
#[post("/boats/<id>/looked/surface", data = "<posted>")]
pub async fn looked_surface(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let refuse = || AppError::Refused("choose a surface and how it was looked at".into());
    let surface = Surface::from_code(posted.form.get("surface")).ok_or_else(refuse)?;
    let method = Method::from_code(posted.form.get("method")).ok_or_else(refuse)?;
    let mut cells: Vec<_> = survey.cells_of(surface).into_iter().collect();
    cells.sort_unstable();
    let location = format!("/boats/{id}/survey/coverage");
    let mut work = desk.store.begin(posted.act()).await?;
    let mut rest = cells.as_slice();
    while let Some((member, first)) = rest.first().copied() {
        let run = rest.iter().take_while(|c| c.0 == member).count();
        let last = rest[run - 1].1;
        work.look_over_quietly(id, member, (first, last), method).await?;
        rest = &rest[run..];
    }
    work.tell_looked_over(id, surface.label(), method).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
