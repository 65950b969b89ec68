//! Finish: a recipe on an area becomes coats in order, with quantities and the earliest time of each.

use askama::Template;
use jiff::Timestamp;
use mend_keel_core::finish::{self, Recipe};
use mend_keel_core::{InputError, Verdict};
use mend_keel_store::plans::{self, Coat, NewPlan};
use rocket::{get, post};
use serde_json::json;

use crate::file::boat::BoatFile;
use crate::file::finish::{coats_from, state};
use crate::view;
use crate::view::reasons::{self, ReasonView};
use crate::web::auth::{BoatReader, Crew};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "finish/list.html")]
struct List {
    page: Page,
    boat_id: i64,
    plans: Vec<PlanView>,
    recipes: Vec<(String, String)>,
    places: Vec<(String, String)>,
    typed: Typed,
    faults: Faults,
}

struct PlanView {
    id: i64,
    /// None of its coats is on: it can be taken back.
    untouched: bool,
    what: String,
    recipe: &'static str,
    asked: String,
    reasons: Vec<ReasonView>,
    coats: Vec<CoatView>,
    litres: String,
}

struct CoatView {
    id: i64,
    name: String,
    sand: String,
    litres: String,
    when: String,
    state: &'static str,
    /// The next one that may be laid on.
    is_next: bool,
    /// The last one that was: it can be taken back.
    is_last: bool,
}

async fn page(desk: &Desk<'_>, file: &BoatFile, typed: Typed, faults: Faults) -> std::result::Result<List, AppError> {
    let now = Timestamp::now();
    let mut shown = Vec::new();
    for plan in plans::of_boat(desk.store, file.boat.id, "finish").await? {
        let number = |field: &str| plan.asked[field].as_f64().unwrap_or(0.0);
        let Some(recipe) = plan.asked["recipe"].as_str().and_then(Recipe::from_code) else {
            continue;
        };
        let (area, temperature, humidity) = (number("area"), number("temperature"), number("humidity"));
        let steps: Vec<_> = recipe.steps().collect();
        let coats: Vec<&Coat> = file.coats.iter().filter(|c| c.plan_id == plan.id).collect();
        let next = coats.iter().find(|c| c.done_at.is_none()).map(|c| c.id);
        let last = coats.iter().rev().find(|c| c.done_at.is_some()).map(|c| c.id);
        let computed = finish::plan(recipe, area, temperature, humidity).map(|p| p.reasons).unwrap_or_default();
        shown.push(PlanView {
            id: plan.id,
            untouched: coats.iter().all(|c| c.done_at.is_none()),
            what: plan.asked["what"].as_str().unwrap_or_default().to_owned(),
            recipe: recipe.label(),
            asked: format!("{area} m² at {temperature} °C and {humidity} % humidity"),
            reasons: reasons::views(&computed, desk.units),
            litres: format!("{:.2} l", coats.iter().map(|c| c.litres).sum::<f64>()),
            coats: coats
                .iter()
                .map(|c| CoatView {
                    id: c.id,
                    name: c.name.clone(),
                    sand: steps
                        .get(c.seq as usize)
                        .and_then(|s| s.grit_before)
                        .map_or(String::new(), |grit| format!("sand with {grit} first")),
                    litres: format!("{:.2} l", c.litres),
                    when: view::when_next(c.done_at.as_deref().unwrap_or(&c.earliest_at)),
                    state: state(c, now),
                    is_next: next == Some(c.id),
                    is_last: last == Some(c.id),
                })
                .collect(),
        });
    }
    Ok(List {
        page: desk.boat_page(file, "Finish", "finish"),
        boat_id: file.boat.id,
        plans: shown,
        recipes: Recipe::ALL.iter().map(|r| (r.code().to_owned(), r.label().to_owned())).collect(),
        places: PLACES.iter().map(|(code, label)| ((*code).to_owned(), (*label).to_owned())).collect(),
        typed,
        faults,
    })
}

/// Where a face stands while it is coated.
const PLACES: [(&str, &str); 2] = [("outside", "outside"), ("shed", "in the shed")];

#[get("/boats/<id>/finish")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let usual =
        [("recipe", "paint_topsides"), ("temperature", "18"), ("humidity", "60"), ("place", "outside"), ("start", "")];
    let typed = usual.into_iter().fold(Typed::default(), |t, (field, value)| t.with(field, value));
    render(&page(&desk, &file, typed, Faults::default()).await?)
}

#[post("/boats/<id>/finish", data = "<posted>")]
pub async fn keep(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let what = read.name("what");
    let recipe = read.choice("recipe", Recipe::from_code);
    let place =
        read.optional_choice("place", |code| PLACES.iter().find(|(c, _)| *c == code)).map_or("outside", |p| p.0);
    let area = read.number("area", 0.01, 10_000.0);
    let temperature = read.number("temperature", 5.0, 35.0);
    let humidity = read.number("humidity", 1.0, 95.0);
    let start = start_time(posted.form.get("start")).unwrap_or_else(|e| {
        read.faults.add(e);
        Timestamp::now()
    });
    let (Some(recipe), true) = (recipe, read.faults.is_empty()) else {
        return render_faulty(&page(&desk, &file, posted.form.typed(), read.faults).await?);
    };
    let plan = finish::plan(recipe, area, temperature, humidity).map_err(|e| AppError::Refused(e.to_string()))?;
    if let Some(rule) = plan.reasons.iter().find(|r| r.verdict == Verdict::Forbids) {
        // What a rule forbids is not put down as if it could go on.
        read.faults.add(InputError::new("humidity", format!("no coat goes on so: {}", rule.text)));
        return render_faulty(&page(&desk, &file, posted.form.typed(), read.faults).await?);
    }
    let coats = coats_from(&plan, start);
    let new = NewPlan {
        boat_id: id,
        member_id: None,
        piece_id: None,
        kind: "finish",
        summary: format!("Finish planned: {} on {what}, {area} m²", recipe.label().to_lowercase()),
        asked: json!({ "what": what, "recipe": recipe, "area": area, "place": place, "temperature": temperature, "humidity": humidity, "start": start.to_string() }),
        answer: json!({ "litres": plan.litres, "coats": coats.len(), "reasons": plan.reasons }),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    let plan_id = work.add_plan(&new).await?;
    work.add_coats(id, plan_id, &coats).await?;
    let location = format!("/boats/{id}/finish");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// A date and time as a browser's field writes it (`2026-11-24T08:00`), local; empty means now.
fn start_time(text: &str) -> std::result::Result<Timestamp, InputError> {
    let text = text.trim();
    if text.is_empty() {
        return Ok(Timestamp::now());
    }
    text.parse::<jiff::civil::DateTime>()
        .ok()
        .and_then(|at| at.to_zoned_datetime(jiff::tz::TimeZone::system()).ok())
        .map(|at| at.timestamp())
        .filter(|at| {
            at.to_zoned_datetime(jiff::tz::TimeZone::UTC).year() >= 2000
                && at.to_zoned_datetime(jiff::tz::TimeZone::UTC).year() < 2200
        })
        .ok_or_else(|| InputError::new("start", "write a date and time, or leave it empty for now"))
}

#[post("/boats/<id>/coats/<coat>/lay", data = "<posted>")]
pub async fn lay(desk: Desk<'_>, _who: Crew, id: i64, coat: i64, posted: Posted) -> Result {
    let coat = plans::coat(desk.store, id, coat).await?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.lay_coat(&coat).await?;
    let location = format!("/boats/{id}/finish");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// A coat that was ticked by mistake: it was not laid on.
#[post("/boats/<id>/coats/<coat>/undo", data = "<posted>")]
pub async fn undo(desk: Desk<'_>, _who: Crew, id: i64, coat: i64, posted: Posted) -> Result {
    let coat = plans::coat(desk.store, id, coat).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let why = read.text("why", NOTE_LIMIT);
    if why.is_empty() {
        read.faults.add(InputError::new(format!("undo{}", coat.id), "say what was wrong"));
    }
    if !read.faults.is_empty() {
        let file = BoatFile::load(desk.store, id).await?;
        return render_faulty(&page(&desk, &file, posted.form.typed(), read.faults).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    work.take_coat_back(&coat, &why).await?;
    let location = format!("/boats/{id}/finish");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// A plan that is not wanted any more.
#[post("/boats/<id>/finish/<plan>/withdraw", data = "<posted>")]
pub async fn withdraw(desk: Desk<'_>, _who: Crew, id: i64, plan: i64, posted: Posted) -> Result {
    let plans = plans::of_boat(desk.store, id, "finish").await?;
    let location = format!("/boats/{id}/finish");
    // Withdrawing twice is once.
    let Some(plan) = plans.iter().find(|p| p.id == plan) else { return Ok(Answer::Go(location)) };
    let what = plan.asked["what"].as_str().unwrap_or_default().to_owned();
    let mut work = desk.store.begin(posted.act()).await?;
    work.withdraw_plan(plan, &what).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_start_is_a_date_or_now() {
        assert!(start_time("").is_ok());
        assert!(start_time("2026-11-24T08:00").is_ok());
        for bad in ["tomorrow", "2026-13-40T08:00", "9999-01-01T00:00", "'; DROP"] {
            assert_eq!(start_time(bad).unwrap_err().field, "start", "{bad}");
        }
    }
}
