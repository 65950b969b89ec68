//! Recipes: the shipped ones to read, the yard's own to write down and change. A plan keeps the coats it was made with.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::finish::{Base, MOST_COATS, Recipe, Step};
use mend_keel_store::StoreError;
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::file::finish::Recipes;
use crate::view;
use crate::web::auth::{BoatReader, Crew};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "finish/recipes.html")]
struct Show {
    page: Page,
    boat_id: i64,
    /// Code, name, coats, who wrote it down last; empty for a shipped one.
    list: Vec<(String, String, usize, String)>,
    picked: String,
    /// Of the yard's own: the version that is read; 0 where it would be a new one.
    version: i64,
    columns: [Column; 15],
    rows: Vec<Vec<Cell>>,
    bases: Vec<(String, String)>,
    typed: Typed,
    faults: Faults,
}

/// A figure of a coat: its field, its head, its unit.
struct Column {
    field: &'static str,
    head: &'static str,
    unit: &'static str,
}

struct Cell {
    field: String,
    label: String,
    value: String,
    fault: String,
    is_base: bool,
}

const fn column(field: &'static str, head: &'static str, unit: &'static str) -> Column {
    Column { field, head, unit }
}

const COLUMNS: [Column; 15] = [
    column("product", "Product", ""),
    column("base", "Base", ""),
    column("thinning_percent", "Thinned", "%"),
    column("grit_before", "Grit before", ""),
    column("coverage", "Covers", "m²/l"),
    column("touch_dry", "Touch dry", "h"),
    column("recoat_min", "Recoat from", "h"),
    column("recoat_max", "Recoat to", "h"),
    column("dew_safe", "Dew safe", "h"),
    column("temperature_min", "Lowest", "°C"),
    column("temperature_max", "Highest", "°C"),
    column("humidity_max", "Dampest", "%"),
    column("coat_hours", "Brush", "h/m²"),
    column("sand_hours", "Sanding", "h/m²"),
    column("full_cure", "Full cure", "h"),
];

/// What is typed over, as it stands in the step.
fn value(step: &Step, field: &str) -> String {
    let optional = |value: Option<String>| value.unwrap_or_default();
    match field {
        "step" => step.step.clone(),
        "product" => step.product.clone(),
        "base" => step.base.code().to_owned(),
        "thinning_percent" => step.thinning_percent.to_string(),
        "grit_before" => optional(step.grit_before.map(|g| g.to_string())),
        "coverage" => step.coverage.to_string(),
        "touch_dry" => step.touch_dry.to_string(),
        "recoat_min" => step.recoat_min.to_string(),
        "recoat_max" => optional(step.recoat_max.map(|m| m.to_string())),
        "dew_safe" => step.dew_safe.to_string(),
        "temperature_min" => step.temperature_min.to_string(),
        "temperature_max" => step.temperature_max.to_string(),
        "humidity_max" => step.humidity_max.to_string(),
        "coat_hours" => step.coat_hours.to_string(),
        "sand_hours" => step.sand_hours.to_string(),
        _ => step.full_cure.to_string(),
    }
}

/// Rows left empty for coats to come.
const SPARE: usize = 2;

async fn show(
    desk: &Desk<'_>,
    file: &BoatFile,
    picked: &str,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<Show, AppError> {
    let recipes = Recipes::load(desk.store).await?;
    let (name, steps) = recipes.find(picked).unwrap_or_default();
    let own = recipes.own.iter().find(|own| own.code == picked);
    let again = !faults.is_empty();
    let known = if again { rows_typed(&typed) } else { steps.len() };
    let rows = (0..(known + SPARE).min(MOST_COATS)).map(|n| {
        let cell = |field: &'static str, head: &str| {
            let name = format!("{field}_{n}");
            let value = if again {
                typed.get(&name).to_owned()
            } else {
                steps.get(n).map_or(String::new(), |step| value(step, field))
            };
            let fault = faults.at(&name).to_owned();
            Cell { label: format!("{head}, coat {}", n + 1), value, fault, is_base: field == "base", field: name }
        };
        let figures = COLUMNS.iter().map(|c| cell(c.field, c.head));
        std::iter::once(cell("step", "Name")).chain(figures).collect()
    });
    let rows: Vec<Vec<Cell>> = rows.collect();
    let mut list: Vec<_> = recipes
        .own
        .iter()
        .map(|own| {
            (own.code.clone(), own.name.clone(), own.steps.len(), format!("{}, {}", own.by_name, view::when(&own.at)))
        })
        .collect();
    list.extend(
        Recipe::ALL.iter().map(|r| (r.code().to_owned(), r.label().to_owned(), r.steps().len(), String::new())),
    );
    let proposed = if own.is_some() || name.is_empty() { name } else { format!("{name}, ours") };
    Ok(Show {
        page: desk.boat_page(file, "Recipes", "finish"),
        boat_id: file.boat.id,
        list,
        picked: picked.to_owned(),
        version: own.map_or(0, |own| own.id),
        columns: COLUMNS,
        rows,
        bases: Base::ALL.iter().map(|b| (b.code().to_owned(), b.label().to_owned())).collect(),
        typed: Typed::default().with("name", proposed).over(&typed),
        faults,
    })
}

/// How many rows of a form have anything typed in their name.
fn rows_typed(typed: &Typed) -> usize {
    (0..MOST_COATS).rev().find(|n| !typed.get(&format!("step_{n}")).trim().is_empty()).map_or(0, |n| n + 1)
}

#[get("/boats/<id>/finish/recipes?<from>")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64, from: Option<&str>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    render(&show(&desk, &file, from.unwrap_or_default(), Typed::default(), Faults::default()).await?)
}

/// The coats of a form, the empty rows left out; faults are told at their fields.
fn read_steps(read: &mut Reader<'_>, posted: &Posted) -> Vec<Step> {
    let mut steps = Vec::new();
    for n in 0..rows_typed(&posted.form.typed()) {
        let field = |name: &str| format!("{name}_{n}");
        if posted.form.get(&field("step")).trim().is_empty() {
            continue;
        }
        let before = read.faults.count();
        let product = posted.form.get(&field("product")).trim().to_owned();
        if product.is_empty() || product.chars().count() > 60 {
            read.faults.add(InputError::new(field("product"), "name the product, in 60 characters at most"));
        }
        let base = read.choice(&field("base"), Base::from_code);
        let mut number = |name: &str, low: f64, high: f64| read.number(&field(name), low, high);
        let step = Step {
            recipe: None,
            step: posted.form.get(&field("step")).trim().chars().take(60).collect(),
            product,
            thinning_percent: number("thinning_percent", 0.0, 100.0),
            grit_before: None,
            coverage: number("coverage", 0.1, 100.0),
            touch_dry: number("touch_dry", 0.1, 1_000.0),
            recoat_min: number("recoat_min", 0.1, 2_000.0),
            recoat_max: None,
            dew_safe: number("dew_safe", 0.0, 1_000.0),
            temperature_min: number("temperature_min", -20.0, 50.0),
            temperature_max: number("temperature_max", -20.0, 60.0),
            humidity_max: number("humidity_max", 1.0, 100.0),
            coat_hours: number("coat_hours", 0.001, 100.0),
            sand_hours: number("sand_hours", 0.0, 100.0),
            base: base.unwrap_or(Base::OnePart),
            full_cure: number("full_cure", 0.1, 10_000.0),
        };
        let step = Step {
            grit_before: read.optional_whole(&field("grit_before"), 16, 5_000),
            recoat_max: read.optional_number(&field("recoat_max"), 0.1, 10_000.0),
            ..step
        };
        // What each figure says by itself is told first.
        if read.faults.count() == before
            && let Err(e) = step.check()
        {
            read.faults.add(InputError::new(field(&e.field), e.message));
        }
        steps.push(step);
    }
    if steps.is_empty() && read.faults.is_empty() {
        read.faults.add(InputError::new("step_0", "a recipe has one coat at least"));
    }
    steps
}

#[post("/boats/<id>/finish/recipes", data = "<posted>")]
pub async fn keep(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let name = read.name("name");
    let steps = read_steps(&mut read, &posted);
    let recipes = Recipes::load(desk.store).await?;
    let version: i64 = posted.form.get("version").parse().unwrap_or(0);
    let was = recipes.own.iter().find(|own| own.id == version);
    if version != 0 && was.is_none() {
        read.faults
            .add(InputError::new("name", "somebody else changed this recipe meanwhile: open it again beside this one"));
    }
    if read.faults.is_empty()
        && recipes.names().iter().any(|(code, n)| *n == name && was.is_none_or(|w| w.code != *code))
    {
        read.faults.add(InputError::new("name", "another recipe has this name"));
    }
    let picked = posted.form.get("picked").to_owned();
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, &file, &picked, posted.form.typed(), read.faults).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    match work.keep_recipe(was, &name, &steps).await {
        Ok(code) => {
            let location = format!("/boats/{id}/finish/recipes?from={code}");
            work.commit(&location).await?;
            Ok(Answer::Go(location))
        }
        Err(StoreError::Conflict(says)) => {
            drop(work);
            read.faults.add(InputError::new("name", says));
            render_faulty(&show(&desk, &file, &picked, posted.form.typed(), read.faults).await?)
        }
        Err(e) => Err(e.into()),
    }
}

/// Takes one of the yard's own off the list; plans made by it stay.
#[post("/boats/<id>/finish/recipes/<code>/drop", data = "<posted>")]
pub async fn drop_own(desk: Desk<'_>, _who: Crew, id: i64, code: &str, posted: Posted) -> Result {
    let location = format!("/boats/{id}/finish/recipes");
    let recipes = Recipes::load(desk.store).await?;
    let Some(own) = recipes.own.iter().find(|own| own.code == code) else { return Ok(Answer::Go(location)) };
    let mut work = desk.store.begin(posted.act()).await?;
    work.drop_recipe(own).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
