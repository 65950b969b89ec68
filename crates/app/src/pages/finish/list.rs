//! Finish: a recipe on an area becomes coats in order, with quantities and the earliest time of each.

use askama::Template;
use jiff::Timestamp;
use mend_keel_core::finish;
use mend_keel_core::{InputError, Verdict};
use mend_keel_store::plans::{self, Coat, Laid, NewPlan};
use rocket::{get, post};
use serde_json::json;

use super::coat::SEEN;
use crate::file::boat::BoatFile;
use crate::file::finish::{
    CoatState, Recipes, Stretch, between, coats_from, recipe_of, stands_before, state, steps_of, stretch, stretches,
};
use crate::file::place::typed_place;
use crate::file::seams::SeamFile;
use crate::view;
use crate::view::reasons::{self, ReasonView};
use crate::web::auth::{BoatReader, Crew};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NAME_LIMIT, NOTE_LIMIT, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "finish/list.html")]
struct List {
    page: Page,
    boat_id: i64,
    plans: Vec<PlanView>,
    recipes: Vec<(String, String)>,
    places: Vec<(String, String)>,
    /// Stretches of her planking, each with its area by the grid.
    stretches: Vec<(String, String)>,
    typed: Typed,
    faults: Faults,
}

struct PlanView {
    id: i64,
    /// None of its coats is on: it can be taken back.
    untouched: bool,
    what: String,
    recipe: String,
    asked: String,
    /// `4 of 10 on`.
    on: String,
    paper: String,
    hours: String,
    reasons: Vec<ReasonView>,
    /// What the other steps have not finished, while no coat is on.
    before: Vec<ReasonView>,
    coats: Vec<CoatView>,
    litres: String,
}

struct CoatView {
    id: i64,
    name: String,
    sand: String,
    litres: String,
    /// How it went on, where it did.
    laid: String,
    against: String,
    when: String,
    state: CoatState,
    /// The next one that may be laid on.
    is_next: bool,
    /// The last one that was: it can be taken back.
    is_last: bool,
}

async fn page(desk: &Desk<'_>, id: i64, typed: Typed, faults: Faults) -> std::result::Result<List, AppError> {
    let seams = SeamFile::load(desk.store, id).await?;
    let file = seams.file();
    let now = Timestamp::now();
    let mut shown = Vec::new();
    for plan in plans::of_boat(desk.store, file.boat.id, "finish").await? {
        let number = |field: &str| plan.asked[field].as_f64().unwrap_or(0.0);
        let Some(steps) = steps_of(&plan) else { continue };
        let (area, temperature, humidity) = (number("area"), number("temperature"), number("humidity"));
        let coats: Vec<&Coat> = file.coats.iter().filter(|c| c.plan_id == plan.id).collect();
        let next = coats.iter().find(|c| c.done_at.is_none()).map(|c| c.id);
        let last = coats.iter().rev().find(|c| c.done_at.is_some()).map(|c| c.id);
        let planned = finish::plan(&steps, area, temperature, humidity).ok();
        let computed = planned.as_ref().map(|p| p.reasons.clone()).unwrap_or_default();
        let on = coats.iter().filter(|c| c.done_at.is_some()).count();
        let before = match steps.first() {
            Some(first) if on == 0 => stands_before(&seams, &plan, first),
            _ => Vec::new(),
        };
        shown.push(PlanView {
            id: plan.id,
            untouched: coats.iter().all(|c| c.done_at.is_none()),
            what: plan.asked["what"].as_str().unwrap_or_default().to_owned(),
            recipe: recipe_of(&plan),
            asked: format!(
                "{area} m²{} at {temperature} °C and {humidity} % humidity",
                plan.asked["known"].as_str().map_or(String::new(), |known| format!(" {known},"))
            ),
            before: reasons::views(&before, desk.units),
            on: format!("{on} of {} on", coats.len()),
            paper: planned.as_ref().map_or(String::new(), |p| {
                let papers = p.paper.iter().map(|paper| format!("{} for {:.1} m²", paper.grit, paper.area));
                papers.collect::<Vec<_>>().join(", ")
            }),
            hours: planned.map_or(String::new(), |p| view::hours(p.hours)),
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
                    litres: format!("{:.2} l", c.laid.as_ref().and_then(|l| l.litres).unwrap_or(c.litres)),
                    laid: c.laid.as_ref().map_or(String::new(), laid_says),
                    against: c.laid.as_ref().map_or(String::new(), |l| match l.why.as_str() {
                        "" => String::new(),
                        why => format!("against the rule, because {why}: {}", l.against.join("; ")),
                    }),
                    when: view::when_next(c.done_at.as_deref().unwrap_or(&c.earliest_at)),
                    // Whatever its hour: none goes on before the one below it.
                    state: match state(c, now) {
                        CoatState::On => CoatState::On,
                        _ if next != Some(c.id) => CoatState::Waits,
                        CoatState::MayGo if !before.is_empty() => CoatState::Held,
                        other => other,
                    },
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
        recipes: Recipes::load(desk.store).await?.names(),
        stretches: stretches(file)
            .into_iter()
            .map(|s| (s.code, format!("{}, {:.1} m² {}", s.label, s.area, s.known)))
            .collect(),
        places: PLACES.iter().map(|(code, label)| ((*code).to_owned(), (*label).to_owned())).collect(),
        typed,
        faults,
    })
}

/// How a coat went on, in a line.
fn laid_says(laid: &Laid) -> String {
    let mut told: Vec<String> = Vec::new();
    told.extend(laid.temperature.map(|t| format!("{t:.0} °C")));
    told.extend(laid.humidity.map(|h| format!("{h:.0} %")));
    told.extend(laid.wood.map(|w| format!("wood {w:.0} %")));
    if !laid.batch.is_empty() {
        told.push(format!("batch {}", laid.batch));
    }
    let seen =
        SEEN.iter().filter(|(code, _)| laid.seen.iter().any(|s| s == code)).map(|(_, label)| label.to_lowercase());
    told.extend(seen);
    if !laid.note.is_empty() {
        told.push(laid.note.clone());
    }
    told.join(", ")
}

/// Where a face stands while it is coated.
const PLACES: [(&str, &str); 2] = [("outside", "outside"), ("shed", "in the shed")];

#[get("/boats/<id>/finish")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let usual =
        [("recipe", "paint_topsides"), ("temperature", "18"), ("humidity", "60"), ("place", "outside"), ("start", "")];
    let typed = usual.into_iter().fold(Typed::default(), |t, (field, value)| t.with(field, value));
    render(&page(&desk, id, typed, Faults::default()).await?)
}

#[post("/boats/<id>/finish", data = "<posted>")]
pub async fn keep(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let picked = picked(&file, &mut read);
    let stretch = match picked {
        Some(_) => picked,
        None => {
            let code = read.text("of", NAME_LIMIT);
            let found = stretch(&file, &code);
            if found.is_none() && !code.is_empty() {
                read.faults.add(InputError::new("of", "is not one of the choices"));
            }
            found
        }
    };
    let faces = if read.is_on("faces") { 2.0 } else { 1.0 };
    // What is typed counts before the grid.
    let what = match &stretch {
        Some(stretch) if posted.form.get("what").trim().is_empty() => {
            format!("{}{}", stretch.label, if faces > 1.0 { ", both faces" } else { "" })
        }
        _ => read.name("what"),
    };
    let recipes = Recipes::load(desk.store).await?;
    let code = posted.form.get("recipe");
    let recipe = recipes.find(code);
    if recipe.is_none() {
        read.faults.add(InputError::new("recipe", "is not one of the recipes"));
    }
    let place =
        read.optional_choice("place", |code| PLACES.iter().find(|(c, _)| *c == code)).map_or("outside", |p| p.0);
    let (area, known) = match &stretch {
        Some(stretch) if posted.form.get("area").trim().is_empty() => {
            ((faces * stretch.area * 100.0).round() / 100.0, Some(stretch.known))
        }
        _ => (read.number("area", 0.01, 10_000.0), None),
    };
    let temperature = read.number("temperature", 5.0, 35.0);
    let humidity = read.number("humidity", 1.0, 95.0);
    let start = start_time(posted.form.get("start")).unwrap_or_else(|e| {
        read.faults.add(e);
        Timestamp::now()
    });
    let (Some((recipe_name, steps)), true) = (recipe, read.faults.is_empty()) else {
        return render_faulty(&page(&desk, id, posted.form.typed(), read.faults).await?);
    };
    let plan = finish::plan(&steps, area, temperature, humidity).map_err(|e| AppError::Refused(e.to_string()))?;
    if let Some(rule) = plan.reasons.iter().find(|r| r.verdict == Verdict::Forbids) {
        // What a rule forbids is not put down as if it could go on.
        read.faults.add(InputError::new("humidity", format!("no coat goes on so: {}", rule.text)));
        return render_faulty(&page(&desk, id, posted.form.typed(), read.faults).await?);
    }
    let coats = coats_from(&plan, start);
    let new = NewPlan {
        boat_id: id,
        member_id: None,
        piece_id: None,
        kind: "finish",
        summary: format!("Finish planned: {} on {what}, {area} m²", recipe_name.to_lowercase()),
        asked: json!({ "what": what, "recipe": code, "recipe_name": recipe_name, "steps": steps, "of": stretch.map(|s| s.code), "faces": faces, "area": area, "known": known, "place": place, "temperature": temperature, "humidity": humidity, "start": start.to_string() }),
        answer: json!({ "litres": plan.litres, "coats": coats.len(), "reasons": plan.reasons }),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    let plan_id = work.add_plan(&new).await?;
    work.add_coats(id, plan_id, &coats).await?;
    let location = format!("/boats/{id}/finish");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// Planking between two corners, where somebody said both.
fn picked(file: &BoatFile, read: &mut Reader<'_>) -> Option<Stretch> {
    let corner = |read: &mut Reader<'_>, field: &str| {
        let text = read.text(field, NAME_LIMIT);
        if text.is_empty() {
            return None;
        }
        let found = typed_place(file, &text).and_then(|place| {
            let at = place.shell().ok_or_else(|| InputError::new(field, "write a place of her planking, as P5 F12"))?;
            file.boat.shell.place(at)
        });
        found.map_err(|e| read.faults.add_under(field, e)).ok()
    };
    let corners = (corner(read, "corner"), corner(read, "other_corner"));
    match corners {
        (Some(a), Some(b)) => Some(between(file, [a, b], read.is_on("both"))),
        (Some(_), None) if !read.faults.has("other_corner") => {
            read.faults.add(InputError::new("other_corner", "say the other corner too"));
            None
        }
        (None, Some(_)) if !read.faults.has("corner") => {
            read.faults.add(InputError::new("corner", "say the other corner too"));
            None
        }
        _ => None,
    }
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
        return render_faulty(&page(&desk, id, posted.form.typed(), read.faults).await?);
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
