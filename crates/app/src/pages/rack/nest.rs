//! Sheets: templates and panels nested on plywood.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::cutting::sheets::{self, GAP, Job, Part, Turn};
use mend_keel_core::geometry::Point;
use mend_keel_core::job::Spec;
use mend_keel_core::shape::pattern::{self, Allowances};
use mend_keel_exchange::drawing::{Drawing, Layer};
use mend_keel_store::decisions::{self, Geometry};
use mend_keel_store::{Act, Store, boards, boats as boat_store, captures, jobs};
use rocket::{State, get, post, tokio};
use serde::{Deserialize, Serialize};

use crate::pages::rack::tabs;
use crate::view::{self, svg};
use crate::web::auth::Crew;
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::drawn;
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};
use crate::web::jobs::Jobs;

/// Sheets that are sold, mm.
const SHEETS: [(&str, &str, (f64, f64)); 2] =
    [("2440x1220", "2440 × 1220", (2_440.0, 1_220.0)), ("2500x1220", "2500 × 1220", (2_500.0, 1_220.0))];
/// Longest a nest may be searched for, s.
const LONGEST: f64 = 120.0;

/// A nest as it is kept.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct Kept {
    kind: String,
    width: f64,
    height: f64,
    gap: f64,
    parts: Vec<KeptPart>,
    sheets: usize,
    last: f64,
    density: f64,
    unplaced: Vec<String>,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
struct KeptPart {
    name: String,
    sheet: usize,
    outline: Vec<Point>,
}

/// Something that may be nested.
struct Candidate {
    key: String,
    name: String,
    outline: Vec<Point>,
}

#[derive(Template)]
#[template(path = "rack/nest.html")]
struct Show {
    page: Page,
    tabs: Vec<(&'static str, &'static str)>,
    parts: Vec<(String, String, String)>,
    sheets: Choices,
    turns: Choices,
    made: String,
    facts: Vec<(&'static str, String)>,
    drawn: Vec<String>,
    unplaced: Vec<String>,
    typed: Typed,
    faults: Faults,
}

/// Shapes taken from the boats, and pieces that are cut from sheets.
async fn candidates(store: &Store) -> std::result::Result<Vec<Candidate>, AppError> {
    let mut all = Vec::new();
    for boat in boat_store::list(store).await? {
        for row in captures::of_boat(store, boat.id).await? {
            let taken = row.capture.edges().and_then(|e| pattern::plan(&e, row.tolerance, Allowances::default()));
            if let Ok(pattern) = taken {
                let name = format!("{}, {}", row.name, boat.name);
                all.push(Candidate { key: format!("s{}", row.id), name, outline: thinned(pattern.outline) });
            }
        }
        for piece in decisions::pieces(store, boat.id).await? {
            if let Geometry::Timber { sheet: true, .. } = piece.geometry {
                let outline = vec![[0.0, 0.0], [piece.length, 0.0], [piece.length, piece.width], [0.0, piece.width]];
                all.push(Candidate {
                    key: format!("p{}", piece.id),
                    name: format!("{}, {}", piece.name, boat.name),
                    outline,
                });
            }
        }
    }
    let names: Vec<_> = boat_store::list(store).await?;
    for job in jobs::templates(store).await? {
        let Spec::Template(card) = &job.spec else { continue };
        // A template that nothing may be cut to is not nested.
        let sure = card.photograph.as_ref().is_none_or(|p| p.flat);
        if let (Ok(drawn), true) = (card.draw(), sure) {
            let boat = names.iter().find(|b| b.id == job.boat_id).map_or("", |b| b.name.as_str());
            let outline = if drawn.or_marks.is_empty() { drawn.outline } else { continue };
            all.push(Candidate {
                key: format!("j{}", job.id),
                name: format!("{}, {boat}", job.name),
                outline: thinned(outline),
            });
        }
    }
    Ok(all)
}

/// No more corners than a nest takes.
fn thinned(outline: Vec<Point>) -> Vec<Point> {
    const MOST: usize = 120;
    let step = outline.len().div_ceil(MOST).max(1);
    outline.into_iter().step_by(step).collect()
}

async fn show(desk: &Desk<'_>, typed: Typed, faults: Faults) -> std::result::Result<Show, AppError> {
    let units = desk.units;
    let row = boards::cut_plan(desk.store, "nest").await?;
    let kept: Option<Kept> = row.as_ref().map(|r| serde_json::from_value(r.body.clone())).transpose()?;
    let (mut facts, mut drawn, mut unplaced) = (Vec::new(), Vec::new(), Vec::new());
    if let Some(k) = &kept {
        facts.push(("Sheets", format!("{} of {}", k.sheets, units.dims(&[k.width, k.height]))));
        facts.push(("Used of the last", units.run(k.last)));
        facts.push(("Parts, share of what is used", view::percent(k.density)));
        facts.push(("Between parts", units.fine(k.gap)));
        drawn = (0..k.sheets).map(|sheet| draw(k, sheet)).collect();
        unplaced = k.unplaced.clone();
    }
    let parts = candidates(desk.store).await?;
    Ok(Show {
        page: desk.page("Sheets", "rack"),
        tabs: tabs(),
        parts: parts
            .into_iter()
            .map(|c| {
                let size = |axis| mend_keel_core::geometry::extent(&c.outline, axis).map_or(0.0, |(a, b)| b - a);
                (c.key, c.name, units.dims(&[size(0), size(1)]))
            })
            .collect(),
        sheets: SHEETS.iter().map(|s| (s.0.to_owned(), format!("{} mm", s.1))).collect(),
        turns: pairs(Turn::ALL, Turn::code, Turn::label),
        made: row.map_or(String::new(), |r| format!("worked out {} by {}", view::when(&r.at), r.by_name)),
        facts,
        drawn,
        unplaced,
        typed,
        faults,
    })
}

fn draw(kept: &Kept, sheet: usize) -> String {
    let mut out = format!(
        "<svg class=\"sheet-drawing\" viewBox=\"-20 -20 {:.0} {:.0}\" role=\"img\" aria-label=\"Sheet {}\">\
         <rect class=\"board-face\" x=\"0\" y=\"0\" width=\"{}\" height=\"{}\"/>",
        kept.width + 40.0,
        kept.height + 40.0,
        sheet + 1,
        kept.width,
        kept.height
    );
    for part in kept.parts.iter().filter(|p| p.sheet == sheet) {
        let middle = |axis| mend_keel_core::geometry::extent(&part.outline, axis).map_or(0.0, |(a, b)| (a + b) / 2.0);
        let points = svg::points(part.outline.iter().map(|p| [p[0], kept.height - p[1]]));
        out += &format!(
            "<polygon class=\"board-piece open\" points=\"{points}\"/><text class=\"board-word\" font-size=\"34\" x=\"{:.0}\" y=\"{:.0}\">{}</text>",
            middle(0),
            kept.height - middle(1) + 12.0,
            svg::safe(&part.name.chars().take(24).collect::<String>())
        );
    }
    out + "</svg>"
}

#[get("/rack/nest")]
pub async fn page(desk: Desk<'_>, _who: Crew) -> Result {
    let typed = Typed::default()
        .with("seconds", "8")
        .with("sheets", "4")
        .with("gap", desk.units.exact(GAP))
        .with("turn", "any");
    render(&show(&desk, typed, Faults::default()).await?)
}

#[post("/rack/nest", data = "<posted>")]
pub async fn begin(desk: Desk<'_>, _who: Crew, jobs: &State<Jobs>, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let size = SHEETS.iter().find(|s| s.0 == posted.form.get("sheet")).unwrap_or(&SHEETS[0]).2;
    let gap = read.length("gap");
    let count = read.whole("sheets", 1, 200);
    let seconds = read.number("seconds", 1.0, LONGEST);
    let turn = read.choice("turn", Turn::from_code).unwrap_or(Turn::Any);
    let mut wanted = Vec::new();
    for c in candidates(desk.store).await? {
        let field = format!("count-{}", c.key);
        let copies = read.optional_whole(&field, 0, 200).unwrap_or(0);
        if copies > 0 {
            wanted.push((c.name, Part { outline: c.outline, turn, count: copies }));
        }
    }
    if wanted.is_empty() && read.faults.is_empty() {
        read.faults.add(InputError::new("parts", "say how many of at least one part"));
    }
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, posted.form.typed(), read.faults).await?);
    }
    let (names, parts): (Vec<String>, Vec<Part>) = wanted.into_iter().unzip();
    let job = Job { width: size.0, height: size.1, sheets: count, parts, gap, seed: 1 };
    let id = crate::web::auth::random_token().map_err(|e| AppError::Broken(e.message))?;
    let limit = std::time::Duration::from_secs_f64(seconds);
    let Some(handle) = jobs.begin(&id, "Nesting parts on sheets", desk.user.account.id, limit) else {
        return Err(AppError::Refused(
            "Two plans are being worked out already: wait for one of them, or stop it.".into(),
        ));
    };
    let (store, by) = (desk.store.clone(), desk.user.account.name.clone());
    tokio::spawn(async move {
        let told = handle.clone();
        let nested = tokio::task::spawn_blocking(move || {
            let nest = sheets::nest(&job, u64::MAX, &mut |p| told.go_on(p));
            nest.map(|nest| keep(&job, &names, &nest))
        })
        .await;
        match nested {
            Ok(Ok(kept)) => match store_nest(&store, &by, &kept).await {
                Ok(()) => handle.done("/rack/nest".into()),
                Err(e) => handle.failed(e.says()),
            },
            Ok(Err(e)) => handle.failed(e.to_string()),
            Err(e) => handle.failed(e.to_string()),
        }
    });
    Ok(Answer::Go(format!("/jobs/{id}")))
}

fn keep(job: &Job, names: &[String], nest: &sheets::Nest) -> Kept {
    let part = |p: &sheets::Placement| KeptPart {
        name: names[p.part].clone(),
        sheet: p.sheet,
        outline: p.outline(&job.parts[p.part]),
    };
    Kept {
        kind: "nest".into(),
        width: job.width,
        height: job.height,
        gap: job.gap,
        parts: nest.placements.iter().map(part).collect(),
        sheets: nest.sheets_used,
        last: nest.last_sheet_length,
        density: nest.density,
        unplaced: nest.unplaced.iter().map(|i| left_over(job, &names[*i], &job.parts[*i])).collect(),
    }
}

/// A part that was not placed, and why.
fn left_over(job: &Job, name: &str, part: &Part) -> String {
    let why = match sheets::goes_on_a_sheet(job, part) {
        true => "no room was left on so many sheets",
        false => "goes on no sheet in any way it may lie: scarf sheets together first, or split it",
    };
    format!("{name}: {why}")
}

async fn store_nest(store: &Store, by: &str, kept: &Kept) -> std::result::Result<(), AppError> {
    let mut work = store.begin(Act::now(by, None)).await?;
    work.add_cut_plan(&serde_json::to_value(kept)?).await?;
    Ok(work.commit("/rack/nest").await?)
}

/// A sheet as a file: DXF, SVG or paper at its true size.
#[get("/rack/nest/<sheet>/<kind>")]
pub async fn file(desk: Desk<'_>, _who: Crew, sheet: usize, kind: &str) -> Result {
    let row = boards::cut_plan(desk.store, "nest").await?.ok_or(AppError::NotFound("nest"))?;
    let kept: Kept = serde_json::from_value(row.body)?;
    if sheet == 0 || sheet > kept.sheets {
        return Err(AppError::NotFound("sheet"));
    }
    let mut drawing = Drawing::new(format!("Sheet {sheet} of {}", kept.sheets));
    let face = vec![[0.0, 0.0], [kept.width, 0.0], [kept.width, kept.height], [0.0, kept.height]];
    drawing.outline(Layer::Blank, face);
    for part in kept.parts.iter().filter(|p| p.sheet + 1 == sheet) {
        drawing.outline(Layer::Cut, part.outline.clone());
    }
    drawn::file(&drawing, kind).await
}
