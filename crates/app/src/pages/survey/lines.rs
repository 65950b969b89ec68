//! Hog and sheer: lines read with a string or a level against the chord, the design, the other side and last time.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::grid::Side;
use mend_keel_core::survey::line::{self, LineKind};
use mend_keel_store::surveys;
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::file::lines::{LineView, views};
use crate::pages::survey::{Tab, tabs};
use crate::web::auth::{BoatReader, Crew};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, Result};
use crate::web::form::{Faults, NAME_LIMIT, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "survey/lines.html")]
struct Show {
    page: Page,
    tabs: Vec<Tab>,
    boat_id: i64,
    drawn: Vec<LineView>,
    typed: Typed,
    faults: Faults,
}

async fn page_of(
    desk: &Desk<'_>,
    id: i64,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<Show, crate::web::error::AppError> {
    let file = BoatFile::load(desk.store, id).await?;
    let all = surveys::lines(desk.store, id).await?;
    // Older ones are in the story.
    let drawn = views(&all, desk.units);
    Ok(Show {
        page: desk.boat_page(&file, "Hog and sheer", "survey"),
        tabs: tabs("survey/lines"),
        boat_id: id,
        drawn,
        typed,
        faults,
    })
}

#[get("/boats/<id>/survey/lines")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let typed = Typed::default().with("what", "keel").with("designed", "0");
    render(&page_of(&desk, id, typed, Faults::default()).await?)
}

#[post("/boats/<id>/survey/lines", data = "<posted>")]
pub async fn add(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let what = read.choice("what", |w| match w {
        "keel" => Some((LineKind::Keel, None)),
        "sheer_port" => Some((LineKind::Sheer, Some(Side::Port))),
        "sheer_starboard" => Some((LineKind::Sheer, Some(Side::Starboard))),
        _ => None,
    });
    let note = read.text("note", NAME_LIMIT);
    let points = read.points("points");
    if !read.faults.has("points")
        && let Err(e) = line::hog(&points)
    {
        // A fault of one point is told with its number, counted as a person counts lines.
        let which = e.field.trim_start_matches("points").trim_matches(['[', ']']);
        let line = which.parse::<usize>().map_or(String::new(), |n| format!("line {}: ", n + 1));
        read.faults.add(InputError::new("points", format!("{line}{}", e.message)));
    }
    let (Some((what, side)), true) = (what, read.faults.is_empty()) else {
        return render_faulty(&page_of(&desk, id, posted.form.typed(), read.faults).await?);
    };
    let location = format!("/boats/{id}/survey/lines");
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_line(id, what, side, posted.form.get("designed") == "1", &points, &note).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
