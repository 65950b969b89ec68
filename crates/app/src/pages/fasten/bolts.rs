//! Bolts and fittings: the stack to a bolt, drills, bedding, a hole plan, and the sheet two people sign before boring.

use std::fmt::Write;

use askama::Template;
use mend_keel_core::fastening::through::{self, Bolt, Fitting, Surface};
use mend_keel_core::units::{LengthUnit, MM_PER_INCH, parse_length};
use mend_keel_core::{InputError, metals};
use mend_keel_exchange::drawing::{Drawing, Layer as Line};
use mend_keel_store::fastenings::{self, Bolted};
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::file::place::typed_place;
use crate::view::reasons::{self, ReasonView};
use crate::view::{self, Units, svg};
use crate::web::auth::{BoatReader, Crew};
use crate::web::choices::{Choices, metal_choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::drawn;
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Submission, Typed};

#[derive(Template)]
#[template(path = "fasten/bolts.html")]
struct Show {
    page: Page,
    boat_id: i64,
    fittings: Vec<FittingView>,
    surfaces: Choices,
    metals: Choices,
    typed: Typed,
    faults: Faults,
}

struct FittingView {
    id: i64,
    name: String,
    facts: Vec<(&'static str, String)>,
    checks: Vec<String>,
    reasons: Vec<ReasonView>,
    first: String,
    second: String,
    holes: usize,
    stack: String,
    may_sign: bool,
}

fn fitting_view(f: &Bolted, account: i64, units: Units) -> Option<FittingView> {
    let plan = &f.plan;
    let b = plan.bolt().ok()?;
    let (bedding, because) = through::bedding(plan.surface, plan.comes_apart, plan.below);
    let stack: Vec<String> = plan.layers.iter().map(|(n, t)| format!("{n} {}", units.fine(*t))).collect();
    let sold = b.length.map_or("longer than is sold: cut it from rod".to_owned(), |l| units.len(l));
    let below = plan.below;
    let judged = plan.metal.as_ref().map(|m| through::judge_metal(through::Kind::Bolt, m, below));
    let mut facts = vec![
        ("Stack", stack.join(", ")),
        ("Grip", units.fine(b.grip)),
        ("Bolt", format!("{} by {sold}", units.exact(plan.diameter))),
        ("Clearance drill", units.drill(b.clearance_drill)),
        ("Tapping drill", units.drill(b.tapping_drill)),
        ("Oversize, to be filled", units.fine(b.oversize)),
        (
            "Backing plate",
            format!(
                "{} square, {} of metal or {} of plywood",
                units.len(b.plate.0),
                units.fine(b.plate.1),
                units.fine(b.plate.2)
            ),
        ),
        ("Bedding", bedding.to_owned()),
        ("Holes", plan.holes.len().to_string()),
    ];
    if let Some(metal) = plan.metal.as_deref().and_then(|m| metals::find(m).ok()) {
        facts.push(("Metal", metal.name.clone()));
    }
    if let Some(place) = &plan.place {
        facts.push(("At", place.clone()));
    }
    let mut checks = vec![
        "The real part is laid in place and the line of pull checked".to_owned(),
        format!("What lies behind was looked at: {}", stack.join(", ")),
        format!(
            "Drill read out: {} for clearance, {} where it is tapped",
            units.drill(b.clearance_drill),
            units.drill(b.tapping_drill)
        ),
        format!("Depth read out: {} through", units.fine(b.grip)),
    ];
    if plan.cored {
        checks.extend([
            format!("Bored oversize first: {}, the core raked out a little behind the skins", units.fine(b.oversize)),
            "The hole painted with unfilled epoxy, then filled with thickened epoxy, proud".to_owned(),
            format!("Cured hard, planed flush, and only then bored again at {}", units.drill(b.clearance_drill)),
        ]);
    }
    for (n, h) in plan.holes.iter().enumerate().take(40) {
        checks.push(format!("Hole {} at {} and {} from the datum", n + 1, units.fine(h[0]), units.fine(h[1])));
    }
    let signed = |name: &Option<String>, at: &Option<String>| match (name, at) {
        (Some(name), Some(at)) => format!("{name}, {}", view::when(at)),
        _ => String::new(),
    };
    let mut all = b.reasons.clone();
    all.extend(because);
    all.extend(judged);
    Some(FittingView {
        id: f.id,
        name: f.name.clone(),
        facts,
        checks,
        reasons: reasons::views(&all, units),
        first: signed(&f.first_name, &f.first_at),
        second: signed(&f.second_name, &f.second_at),
        holes: plan.holes.len(),
        stack: draw_stack(plan, &b, units),
        may_sign: f.second_by.is_none() && f.first_by != Some(account),
    })
}

/// The stack in section, head left: layers to scale with the bolt through them.
fn draw_stack(plan: &Fitting, bolt: &Bolt, units: Units) -> String {
    let through = bolt.length.unwrap_or(bolt.needed);
    let scale = 520.0 / through.max(1.0);
    let half = (plan.diameter * scale / 2.0).clamp(3.0, 26.0);
    let mut out = String::from(
        "<svg class=\"stack-drawing\" viewBox=\"0 0 640 184\" role=\"img\" aria-label=\"The layers and the bolt through them\">",
    );
    let mut x = 50.0;
    for (i, (name, t)) in plan.layers.iter().enumerate() {
        let width = t * scale;
        // Names of thin layers stand lower in turn, so that they do not run into each other.
        let y = 148.0 + 20.0 * (i % 2) as f64;
        let _ = write!(
            out,
            "<rect class=\"stack-layer{}\" x=\"{x:.1}\" y=\"26\" width=\"{width:.1}\" height=\"104\"/><text class=\"chart-text middle\" x=\"{:.1}\" y=\"{y}\">{} {}</text>",
            if i % 2 == 1 { " other" } else { "" },
            x + width / 2.0,
            svg::safe(name),
            units.fine(*t)
        );
        x += width;
    }
    let end = 50.0 + through * scale;
    let _ = write!(
        out,
        "<rect class=\"stack-bolt\" x=\"34\" y=\"{:.1}\" width=\"16\" height=\"{:.1}\"/><rect class=\"stack-bolt\" x=\"50\" y=\"{:.1}\" width=\"{:.1}\" height=\"{:.1}\"/><text class=\"chart-text middle\" x=\"{:.1}\" y=\"18\">{}</text></svg>",
        78.0 - 1.8 * half,
        3.6 * half,
        78.0 - half,
        end - 50.0,
        2.0 * half,
        (50.0 + end) / 2.0,
        units.len(through)
    );
    out
}

async fn show(desk: &Desk<'_>, file: &BoatFile, typed: Typed, faults: Faults) -> std::result::Result<Show, AppError> {
    let account = desk.user.account.id;
    let fittings = fastenings::all_bolted(desk.store, file.boat.id).await?;
    Ok(Show {
        page: desk.boat_page(file, "Bolts and fittings", "fasten"),
        boat_id: file.boat.id,
        fittings: fittings.iter().filter_map(|f| fitting_view(f, account, desk.units)).collect(),
        metals: metal_choices(),
        surfaces: pairs(Surface::ALL, Surface::code, Surface::label),
        typed,
        faults,
    })
}

#[get("/boats/<id>/bolts")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let usual = match desk.units.unit {
        LengthUnit::Millimetre => 8.0,
        LengthUnit::Inch => 0.3125 * MM_PER_INCH,
    };
    let typed = Typed::default().with("diameter", desk.units.exact(usual)).with("washers", desk.units.fine(3.0));
    render(&show(&desk, &file, typed, Faults::default()).await?)
}

/// Layers typed one to a line: `deck, 22`.
fn layers(text: &str, unit: LengthUnit) -> std::result::Result<Vec<(String, f64)>, String> {
    text.lines()
        .enumerate()
        .filter(|(_, l)| !l.trim().is_empty())
        .map(|(i, line)| {
            let (name, mm) = line.rsplit_once(',').unwrap_or(("", line));
            let mm = parse_length(mm, unit).map_err(|e| format!("line {}: {}", i + 1, e.message))?;
            Ok((name.trim().chars().take(60).collect(), mm))
        })
        .collect()
}

fn read(file: &BoatFile, form: &Submission, unit: LengthUnit) -> std::result::Result<(String, Fitting), Faults> {
    let mut read = Reader::new(form, unit);
    let metal = read.optional_choice("metal", |id| metals::find(id).ok()).map(|m| m.id.clone());
    let place = match read.text("place", 20) {
        text if text.is_empty() => None,
        text => match typed_place(file, &text).and_then(|p| {
            let at = p.shell().ok_or_else(|| InputError::new("place", "is not on her planking: write it as P7 F12"))?;
            file.boat.shell.place(at)
        }) {
            Ok(at) => Some(at.to_string()),
            Err(e) => {
                read.faults.add_under("place", e);
                None
            }
        },
    };
    let name = read.name("name");
    let diameter = read.size("diameter");
    let stack = layers(form.get("layers"), unit).unwrap_or_else(|why| {
        read.faults.add(InputError::new("layers", why));
        Vec::new()
    });
    let washers = read.optional_length("washers").unwrap_or(0.0);
    let surface = read.choice("surface", Surface::from_code).unwrap_or(Surface::Wood);
    let holes = read.points("holes");
    let note = read.text("note", NOTE_LIMIT);
    let plan = Fitting {
        diameter,
        layers: stack,
        washers,
        surface,
        comes_apart: read.is_on("comes_apart"),
        below: read.is_on("below"),
        holes,
        note,
        metal,
        place,
        cored: read.is_on("cored"),
    };
    if read.faults.is_empty()
        && let Err(e) = plan.bolt()
    {
        let field = if e.field.starts_with("layers") { "layers".to_owned() } else { e.field };
        read.faults.add(InputError::new(field, e.message));
    }
    if read.faults.is_empty() { Ok((name, plan)) } else { Err(read.faults) }
}

#[post("/boats/<id>/bolts", data = "<posted>")]
pub async fn add(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let (name, plan) = match read(&file, &posted.form, desk.units.unit) {
        Ok(read) => read,
        Err(faults) => return render_faulty(&show(&desk, &file, posted.form.typed(), faults).await?),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_bolted(id, &name, &plan).await?;
    let location = format!("/boats/{id}/bolts");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// Signs the sheet: two people, each once.
#[post("/boats/<id>/bolts/<fitting>/sign", data = "<posted>")]
pub async fn sign(desk: Desk<'_>, _who: Crew, id: i64, fitting: i64, posted: Posted) -> Result {
    let fitting = fastenings::bolted(desk.store, id, fitting).await?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.sign_bolted(&fitting, desk.user.account.id).await?;
    let location = format!("/boats/{id}/bolts");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// The hole plan: DXF, SVG or paper at its true size.
#[get("/boats/<id>/bolts/<fitting>/<kind>")]
pub async fn file(desk: Desk<'_>, _who: BoatReader, id: i64, fitting: i64, kind: &str) -> Result {
    let fitting = fastenings::bolted(desk.store, id, fitting).await?;
    let plan = &fitting.plan;
    if plan.holes.is_empty() {
        return Err(AppError::Refused("no hole is placed on this fitting".into()));
    }
    let mut drawing = Drawing::new(fitting.name.as_str());
    drawing.line(Line::Datum, vec![[-15.0, 0.0], [15.0, 0.0]]);
    drawing.line(Line::Datum, vec![[0.0, -15.0], [0.0, 15.0]]);
    for (n, hole) in plan.holes.iter().enumerate() {
        drawing.circle(Line::Holes, *hole, plan.diameter * 1.05 / 2.0);
        drawing.label([hole[0] + plan.diameter, hole[1]], 4.0, format!("{}", n + 1));
    }
    drawn::file(&drawing, kind).await
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn layers_are_read_line_by_line_in_any_unit() {
        let read = layers("deck, 7/8\n3/4\n", LengthUnit::Inch).unwrap();
        assert_eq!([&read[0].0[..], &read[1].0[..]], ["deck", ""]);
        assert!(read.len() == 2 && (read[0].1 - 22.225).abs() < 1e-9 && (read[1].1 - 19.05).abs() < 1e-9);
        assert!(layers("deck, thick", LengthUnit::Millimetre).unwrap_err().starts_with("line 1"));
    }
}
