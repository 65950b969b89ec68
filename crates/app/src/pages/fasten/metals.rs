//! Metals: what is recorded of metal on the boat held side by side, and when fastenings fall due.

use std::fmt::Write;

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::metals::{self, Age, Item, Level, Trouble, Zone};
use mend_keel_store::fastenings::{self, MetalItem};
use rocket::{get, post};

use crate::file::metals::{drawn_of, due_of_planking, joined, load, recorded};
use crate::file::place::typed_place;
use crate::file::survey::SurveyFile;
use crate::view::reasons::{self, ReasonView};
use crate::view::{Units, svg};
use crate::web::auth::{BoatReader, Crew};
use crate::web::choices::{Choices, metal_choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "fasten/metals.html")]
struct Show {
    page: Page,
    boat_id: i64,
    troubles: Vec<TroubleView>,
    anodes: Vec<ReasonView>,
    svg: String,
    items: Vec<(i64, String, String, String)>,
    due: Vec<(String, String, String)>,
    metals: Choices,
    zones: Choices,
    pieces: Choices,
    electrician: &'static str,
    typed: Typed,
    faults: Faults,
}

struct TroubleView {
    level: &'static str,
    class: &'static str,
    what: String,
    /// Other pieces of which the same is true.
    others: Vec<String>,
    cure: &'static str,
    reasons: Vec<ReasonView>,
}

async fn show(
    desk: &Desk<'_>,
    survey: &SurveyFile,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<Show, AppError> {
    let all = load(desk.store, survey.file.boat.id).await?;
    let kept = &all.kept;
    let items = recorded(survey, &all);
    let found = metals::check(&items, &joined(kept)).map_err(|e| AppError::Refused(e.to_string()))?;
    // The same thing said of forty nails is said once.
    let mut troubles: Vec<(String, TroubleView)> = Vec::new();
    for t in &found {
        let key = format!("{:?}{}{}", t.level, t.reasons[0].rule, t.reasons[0].text);
        let name = &items[t.a].name;
        match troubles.iter_mut().find(|(k, _)| *k == key) {
            Some((_, first)) if !first.others.contains(name) => first.others.push(name.clone()),
            Some(_) => {}
            None => troubles.push((key, trouble_view(t, &items, desk.units))),
        }
    }
    let year = jiff::ZonedDateTime::now().date().year();
    let written = kept.iter().filter_map(|m| Some((m.name.clone(), m.metal.as_str(), m.fitted?)));
    let mut due: Vec<(i32, (String, String, String))> = written
        .chain(due_of_planking(survey, &all))
        .filter_map(|(name, id, fitted)| {
            let metal = metals::find(id).ok()?;
            let (from, to) = metals::due(metal, i32::from(i16::try_from(fitted).ok()?))?;
            let says = match metals::age((from, to), i32::from(year), drawn_of(survey, id)) {
                Age::Drawn { good, of } if good == of => {
                    format!("✓ {of} drawn, all good: that counts, not their age; draw some again")
                }
                Age::Drawn { good, of } => format!("▲ {} of {of} drawn are not good: it falls due now", of - good),
                Age::Past(years) => format!("▲ {years} years past its usual life; draw some, nobody has"),
                Age::Due => "▲ falls due now; draw some, nobody has".to_owned(),
                Age::In(years) => format!("in {years} years"),
            };
            Some((from, (name, format!("{}, {from} to {to}", metal.name.to_lowercase()), says)))
        })
        .collect();
    due.sort();
    Ok(Show {
        page: desk.boat_page(&survey.file, "Metals", "fasten"),
        boat_id: survey.file.boat.id,
        troubles: troubles.into_iter().map(|(_, t)| t).collect(),
        anodes: reasons::views(&metals::anodes(&items).into_iter().collect::<Vec<_>>(), desk.units),
        svg: draw(&items, &found),
        items: kept
            .iter()
            .map(|m| {
                let metal = metals::find(&m.metal).map_or(m.metal.clone(), |x| x.name.clone());
                let place = format!("{}, {} aft", m.zone.label().to_lowercase(), desk.units.run(m.x));
                let joined = m.joined_to.and_then(|id| kept.iter().find(|k| k.id == id));
                let place = joined.map_or(place.clone(), |j| format!("{place}, joined by wet wood to {}", j.name));
                (m.id, m.name.clone(), metal, place)
            })
            .collect(),
        pieces: kept.iter().map(|m| (m.id.to_string(), m.name.clone())).collect(),
        due: due.into_iter().map(|(_, d)| d).collect(),
        metals: metal_choices(),
        zones: pairs(Zone::ALL, Zone::code, Zone::label),
        electrician: "Stray current, bonding and shore power: a qualified marine electrician.",
        typed,
        faults,
    })
}

fn trouble_view(t: &Trouble, items: &[Item], units: Units) -> TroubleView {
    let name = |i: usize| format!("{} ({})", items[i].name, items[i].metal.name.to_lowercase());
    TroubleView {
        level: t.level.label(),
        class: match t.level {
            Level::No => "unsafe",
            Level::Isolate => "mend",
            Level::Note => "watch",
        },
        what: match t.b {
            Some(b) => format!("{} eaten by {}", name(t.a), name(b)),
            None => name(t.a),
        },
        others: Vec::new(),
        cure: t.cure,
        reasons: reasons::views(&t.reasons, units),
    }
}

/// Anodes to the left, cathodes to the right: each metal aboard at its potential, with an arrow from what is eaten to what eats it.
fn draw(items: &[Item], found: &[Trouble]) -> String {
    let mut aboard: Vec<(f64, &str)> = items.iter().map(|i| (metals::potential(i), i.metal.name.as_str())).collect();
    aboard.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(b.1)));
    aboard.dedup();
    if aboard.is_empty() {
        return String::new();
    }
    let x = |v: f64| 60.0 + (v + 1.1) / 1.4 * 780.0;
    let height = 90.0 + 24.0 * aboard.len() as f64;
    let mut out = format!(
        "<svg class=\"deviations\" viewBox=\"0 0 900 {height:.0}\" role=\"img\" aria-label=\"Metals aboard by potential, anodes left\">"
    );
    let base = height - 34.0;
    let _ = write!(
        out,
        "<path class=\"chord\" d=\"M40 {base:.0}H870\"/><text class=\"chart-text\" x=\"40\" y=\"{0:.0}\">anode: is eaten</text><text class=\"chart-text end\" x=\"870\" y=\"{0:.0}\">cathode: eats</text>",
        height - 6.0
    );
    for tick in [-1.0, -0.8, -0.6, -0.4, -0.2, 0.0] {
        let _ = write!(
            out,
            "<path class=\"chord\" d=\"M{0:.0} {1:.0}v6\"/><text class=\"chart-text middle\" x=\"{0:.0}\" y=\"{2:.0}\">{tick:.1} V</text>",
            x(tick),
            base,
            base + 18.0
        );
    }
    let row =
        |name: &str, v: f64| aboard.iter().position(|(p, n)| *n == name && (*p - v).abs() < 1e-9).unwrap_or(0) as f64;
    for (i, (v, name)) in aboard.iter().enumerate() {
        let y = 30.0 + 24.0 * i as f64;
        let _ = write!(
            out,
            "<circle class=\"measured-point\" cx=\"{:.0}\" cy=\"{y:.0}\" r=\"5\"/><text class=\"chart-text\" x=\"{:.0}\" y=\"{:.0}\">{}</text>",
            x(*v),
            x(*v) + 6.0,
            y - 8.0,
            svg::safe(name)
        );
    }
    let mut drawn: Vec<(usize, usize)> = Vec::new();
    for t in found.iter().filter(|t| t.level != Level::Note) {
        let Some(b) = t.b else { continue };
        let (va, vb) = (metals::potential(&items[t.a]), metals::potential(&items[b]));
        let (ra, rb) = (row(&items[t.a].metal.name, va), row(&items[b].metal.name, vb));
        if drawn.contains(&(ra as usize, rb as usize)) {
            continue;
        }
        drawn.push((ra as usize, rb as usize));
        let (ya, yb) = (30.0 + 24.0 * ra, 30.0 + 24.0 * rb);
        let _ = write!(out, "<path class=\"eaten\" d=\"M{:.0} {ya:.0}L{:.0} {yb:.0}\"/>", x(va), x(vb));
    }
    out + "</svg>"
}

#[get("/boats/<id>/metals")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    render(&show(&desk, &survey, Typed::default(), Faults::default()).await?)
}

#[post("/boats/<id>/metals", data = "<posted>")]
pub async fn add(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let name = read.name("name");
    let metal = read.choice("metal", |id| metals::find(id).ok());
    let zone = read.choice("zone", Zone::from_code);
    let area = read.optional_number("area", 0.0, 1e6).unwrap_or(0.0) * 100.0;
    // A place on the shell says all three at once.
    let at = match read.text("place", 20) {
        text if text.is_empty() => None,
        text => match typed_place(&survey.file, &text)
            .map(|p| p.shell().and_then(|at| survey.file.boat.shell.spot(at, survey.file.boat.beam)))
        {
            Ok(Some(at)) => Some(at),
            Ok(None) => {
                read.faults.add(InputError::new("place", "is not on her planking: write it as P7 F12, or how far aft"));
                None
            }
            Err(e) => {
                read.faults.add_under("place", e);
                None
            }
        },
    };
    let [x, y, z] = match at {
        Some(at) => at,
        None if read.faults.has("place") => [0.0; 3],
        None => [read.length("x"), read.optional_length("y").unwrap_or(0.0), read.optional_length("z").unwrap_or(0.0)],
    };
    for (field, v) in [("x", x), ("y", y), ("z", z)] {
        if v.abs() > 100_000.0 {
            read.faults.add(InputError::new(field, "is farther than any boat is long"));
        }
    }
    let (in_wood, in_oak, alkali) = (read.is_on("in_wood"), read.is_on("in_oak"), read.is_on("alkali"));
    let fitted = read.optional_whole("fitted", 1_700, 2_200).map(|y| y as i32);
    let kept = fastenings::metal(desk.store, id).await?;
    let joined_to =
        read.optional_choice("joined_to", |code| kept.iter().find(|m| m.id.to_string() == code).map(|m| m.id));
    let (Some(metal), Some(zone), true) = (metal, zone, read.faults.is_empty()) else {
        return render_faulty(&show(&desk, &survey, posted.form.typed(), read.faults).await?);
    };
    let new = MetalItem {
        id: 0,
        boat_id: id,
        name,
        metal: metal.id.clone(),
        zone,
        area,
        x,
        y,
        z,
        in_wood,
        in_oak,
        alkali,
        fitted,
        joined_to,
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_metal(&new).await?;
    let location = format!("/boats/{id}/metals");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[post("/boats/<id>/metals/<item>/withdraw", data = "<posted>")]
pub async fn withdraw(desk: Desk<'_>, _who: Crew, id: i64, item: i64, posted: Posted) -> Result {
    let kept = fastenings::metal(desk.store, id).await?;
    let item = kept.iter().find(|m| m.id == item).ok_or(AppError::NotFound("piece of metal"))?;
    let location = format!("/boats/{id}/metals");
    let mut work = desk.store.begin(posted.act()).await?;
    work.withdraw_metal(item).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
