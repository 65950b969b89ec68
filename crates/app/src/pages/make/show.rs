//! A whole job: drawn, with what it measures, what must be there, why, and its tasks.

use askama::Template;
use mend_keel_core::geometry::{Point, extent};
use mend_keel_core::job::template::Template as Card;
use mend_keel_core::job::{Amount, Spec};
use mend_keel_core::shape::rectify::{Mark, Plane};
use mend_keel_core::work::estimate::whole_job;
use mend_keel_store::jobs;
use rocket::get;
use rocket::http::ContentType;

use super::form::plan;
use crate::file::boat::BoatFile;
use crate::view::reasons::{ReasonView, views};
use crate::view::{self, Units, job as drawing};
use crate::web::auth::BoatReader;
use crate::web::desk::{Desk, Page, render};
use crate::web::error::{Answer, AppError, Result};
use crate::web::{drawn, heavy, photos};

#[derive(Template)]
#[template(path = "make/show.html")]
struct Show {
    page: Page,
    boat_id: i64,
    job: i64,
    name: String,
    kind: &'static str,
    note: String,
    by: String,
    part: String,
    svg: String,
    /// It can be had as a file.
    files: bool,
    generated: bool,
    figures: Vec<(&'static str, String)>,
    needs: Vec<(String, String)>,
    reasons: Vec<ReasonView>,
    tasks: Vec<TaskRow>,
    left: String,
    booked: String,
    /// Why it comes to nothing any more.
    fault: String,
}

struct TaskRow {
    what: String,
    hours: String,
    wait: String,
    done: bool,
}

/// An amount in the yard's unit.
fn said(amount: Amount, units: Units) -> String {
    match amount {
        Amount::Length(mm) => units.fine(mm),
        Amount::Run(mm) => units.run(mm),
        Amount::Degrees(d) => format!("{d:.1}°"),
        Amount::Count(n) => n.to_string(),
        Amount::Share(share) => view::percent(share),
        Amount::Of(n, unit) if n < 10.0 => format!("{n:.2} {unit}"),
        Amount::Of(n, unit) => format!("{n:.0} {unit}"),
    }
}

/// Marks of a photograph, as the core asks for them.
fn marks(card: &Card) -> Vec<Mark> {
    let all = card.photograph.iter().flat_map(|p| &p.marks);
    all.map(|m| Mark { px: m.px, mm: m.mm }).collect()
}

/// The stretch of its plane that a photograph is shown for: the marks and the outline, and a little round them.
fn shown(card: &Card) -> Option<[Point; 2]> {
    let drawn = card.draw().ok()?;
    let mut all: Vec<Point> = marks(card).iter().map(|m| m.mm).collect();
    all.extend(drawn.points.iter().map(|p| p.1));
    let ((x0, x1), (y0, y1)) = extent(&all, 0).zip(extent(&all, 1))?;
    let room = 0.04 * (x1 - x0).max(y1 - y0);
    Some([[x0 - room, y0 - room], [x1 + room, y1 + room]])
}

#[get("/boats/<id>/jobs/<job>")]
pub async fn show(desk: Desk<'_>, _who: BoatReader, id: i64, job: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let kept = jobs::find(desk.store, id, job).await?;
    let (told, fault) = match plan(&desk, &kept.spec).await {
        Ok(told) => (told, String::new()),
        Err(e) => (Default::default(), e.message),
    };
    let href = format!("/boats/{id}/jobs/{job}/picture");
    let corners = match (&kept.spec, &kept.photo) {
        (Spec::Template(card), Some(_)) => shown(card),
        _ => None,
    };
    let units = desk.units;
    let of: Vec<_> = file.tasks.iter().filter(|t| t.job_id == Some(job)).collect();
    let open: Vec<f64> = of.iter().filter(|t| t.done_at.is_none()).map(|t| t.p50).collect();
    let left = whole_job(&open);
    // A drawing plans the planks or the staves again.
    let svg = heavy::compute(|| drawing::draw(&kept.spec, units, corners.map(|c| (href.as_str(), c)))).await?;
    render(&Show {
        page: desk.boat_page(&file, &kept.name, "work"),
        boat_id: id,
        job,
        files: drawing::has_paper(&kept.spec) && !svg.is_empty(),
        svg,
        generated: told.generated,
        figures: told.figures.iter().map(|f| (f.what, said(f.amount, units))).collect(),
        needs: told.needs.iter().map(|n| (units.words(&n.what), said(n.amount, units))).collect(),
        reasons: views(&told.reasons, units),
        tasks: of
            .iter()
            .map(|t| TaskRow {
                what: units.words(&t.what),
                hours: view::hours(t.p50),
                wait: if t.wait_after > 0.0 { format!("then {:.0} h", t.wait_after) } else { String::new() },
                done: t.done_at.is_some(),
            })
            .collect(),
        left: if open.is_empty() {
            "nothing open".to_owned()
        } else {
            format!("{} at even odds, {} at four in five", view::hours(left.p50), view::hours(left.p80))
        },
        booked: mend_keel_store::tasks::spoken(of.iter().map(|t| t.minutes).sum()),
        part: kept.member_id.and_then(|m| file.part_name(m)).unwrap_or_default(),
        by: format!("{}, {}", kept.by_name, view::when(&kept.at)),
        kind: kept.kind.label(),
        name: kept.name,
        note: kept.note,
        fault,
    })
}

/// A job's drawing as a file: DXF, SVG, its points, or paper at true size.
#[get("/boats/<id>/jobs/<job>/file/<kind>")]
pub async fn file(desk: Desk<'_>, _who: BoatReader, id: i64, job: i64, kind: &str) -> Result {
    let kept = jobs::find(desk.store, id, job).await?;
    let drawing = heavy::compute(|| drawing::paper(&kept.name, &kept.spec, desk.units)).await?;
    let drawing = drawing.ok_or(AppError::NotFound("drawing"))?;
    drawn::file(&drawing, kind).await
}

/// The photograph of a template brought to true scale.
#[get("/boats/<id>/jobs/<job>/picture")]
pub async fn picture(desk: Desk<'_>, _who: BoatReader, id: i64, job: i64) -> Result {
    let kept = jobs::find(desk.store, id, job).await?;
    let (Spec::Template(card), Some(hash)) = (&kept.spec, &kept.photo) else {
        return Err(AppError::NotFound("picture"));
    };
    let corners = shown(card).ok_or(AppError::NotFound("picture"))?;
    let suspect = card.draw().ok().and_then(|d| d.suspect_mark);
    let plane = Plane::of(&marks(card), suspect).ok_or(AppError::NotFound("picture"))?;
    let path = photos::path(&desk.settings.folder.photos(), hash).ok_or(AppError::NotFound("photo"))?;
    let jpeg = photos::warped(path, corners, move |mm| plane.seen(mm)).await?;
    Ok(Answer::File("template.jpg".to_owned(), ContentType::JPEG, jpeg))
}
