//! Hog and sheer: lines read with a string or a level against the chord, the design, the other side and last time.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::geometry::Point;
use mend_keel_core::grid::Side;
use mend_keel_core::survey::line::{self, LineKind};
use mend_keel_store::surveys::{self, Line};
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::pages::survey::{Tab, tabs};
use crate::view;
use crate::view::chart::{self, Curve};
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

struct LineView {
    name: String,
    when: String,
    by: String,
    note: String,
    greatest: String,
    at: String,
    one_in: String,
    advice: &'static str,
    serious: bool,
    svg: String,
    curves: Vec<(&'static str, String)>,
    compared: Vec<String>,
    formula: &'static str,
}

/// What a line is of.
fn kind_name(line: &Line) -> String {
    let side = line.side.map_or(String::new(), |s| format!(", {}", s.label().to_lowercase()));
    format!("{}{side}", line.what.label())
}

fn curve(label: &str, class: &'static str, points: &[Point]) -> Option<Curve> {
    let hog = line::hog(points).ok()?;
    let points = points.iter().zip(&hog.deviations).map(|(p, d)| [p[0], *d]).collect();
    Some(Curve { label: label.to_owned(), class, points })
}

fn line_view(desk: &Desk<'_>, line: &Line, all: &[Line]) -> Option<LineView> {
    let hog = line::hog(&line.points).ok()?;
    let units = desk.units;
    let newest = |test: &dyn Fn(&&Line) -> bool| all.iter().find(|l| l.what == line.what && l.id != line.id && test(l));
    let references = [
        ("as designed", "design-line", newest(&|l| l.designed && (l.side == line.side || l.side.is_none()))),
        (
            "the other side",
            "other-line",
            newest(&|l| !l.designed && line.side.is_some_and(|s| l.side == Some(s.other()))),
        ),
        ("last time", "last-line", newest(&|l| !l.designed && l.side == line.side && l.id < line.id)),
    ];
    let mut curves: Vec<Curve> = Vec::new();
    let mut compared = Vec::new();
    for (label, class, other) in references {
        let Some(other) = other else { continue };
        curves.extend(curve(label, class, &other.points));
        if let Ok(Some(d)) = line::against(&line.points, &other.points) {
            let way = if d.greatest >= 0.0 { "higher" } else { "lower" };
            compared.push(format!("against {label}: {} {way} at {}", units.len(d.greatest.abs()), units.run(d.at)));
        }
    }
    curves.extend(curve("measured", "measured-line", &line.points));
    let serious = hog.one_in.is_some_and(|n| n <= 600.0);
    let word = if hog.greatest >= 0.0 { "hogged" } else { "sagged" };
    Some(LineView {
        name: kind_name(line),
        when: view::when(&line.at),
        by: line.by_name.clone(),
        note: line.note.clone(),
        greatest: if hog.greatest == 0.0 {
            "straight".into()
        } else {
            format!("{word} {}", units.len(hog.greatest.abs()))
        },
        at: units.run(hog.at),
        one_in: hog.one_in.map_or("–".into(), |n| format!("1 in {n:.0}")),
        // A sheer is a curve by design: the yard rule is for what should be straight.
        advice: if line.what == LineKind::Keel {
            hog.advice()
        } else {
            "compare with the design and the other side; fairness is judged under Shape"
        },
        serious: serious && line.what == LineKind::Keel,
        svg: chart::deviations(&curves, &|mm| units.len(mm)),
        curves: curves.iter().map(|c| (c.class, c.label.clone())).collect(),
        compared,
        formula: "deviation = z − chord through the ends; 1 in (length / greatest)",
    })
}

/// The newest of each line drawn, with what it is held against.
fn views(desk: &Desk<'_>, all: &[Line]) -> Vec<LineView> {
    let mut seen = std::collections::HashSet::new();
    let newest = all.iter().filter(|l| !l.designed && seen.insert((l.what, l.side)));
    let mut newest: Vec<&Line> = newest.collect();
    // What should be straight comes first.
    newest.sort_by_key(|l| (l.what, l.side));
    newest.into_iter().filter_map(|l| line_view(desk, l, all)).collect()
}

/// The same for print: the drawing and what it says.
pub fn drawn_lines(desk: &Desk<'_>, all: &[Line]) -> Vec<(String, String)> {
    let caption = |v: &LineView| {
        let compared = v.compared.iter().map(|c| format!("; {c}")).collect::<String>();
        format!("{}, {}: {} at {} ({}){compared}. {}.", v.name, v.when, v.greatest, v.at, v.one_in, v.advice)
    };
    views(desk, all).iter().map(|v| (v.svg.clone(), caption(v))).collect()
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
    let drawn = views(desk, &all);
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
