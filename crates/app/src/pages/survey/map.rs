//! A boat's home: the planking map and her other surfaces, and what there is to say of the place selected.

use std::sync::Arc;

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::fastening::record;
use mend_keel_core::grid::member::Surface;
use mend_keel_core::grid::{Address, JointKind, Place};
use mend_keel_core::survey::{FindingKind, Method};
use mend_keel_store::before;
use mend_keel_store::findings::Finding;
use rocket::{State, get};

use crate::file::boat::{BoatFile, Part};
use crate::file::kept::Files;
use crate::file::place::typed_place;
use crate::file::survey::SurveyFile;
use crate::pages::survey::reading::series;
use crate::view::layers::{LAYERS, legend};
use crate::view::{self, Units, fastened_says};
use crate::web::auth::BoatReader;
use crate::web::choices::{Choices, pairs};
use crate::web::compress::Stays;
use crate::web::desk::{Desk, Page, render};
use crate::web::error::{Answer, AppError, Result};
use crate::web::same::Same;

#[derive(Template)]
#[template(path = "survey/map.html")]
struct Show {
    page: Page,
    boat_id: i64,
    svg: String,
    panel: Option<Panel>,
    /// Something was wrong with the address asked for.
    fault: String,
    typed: String,
    example: String,
    too_close: usize,
    /// Joints that nobody saw.
    assumed: usize,
    findings: usize,
    is_shell: bool,
    surfaces: Vec<SurfaceTab>,
    layer: &'static str,
    layers: Vec<LayerView>,
    kinds: Vec<(&'static str, String, &'static str)>,
    row_word: &'static str,
    /// Letters that open a finding, for the page's script.
    keys: String,
    /// The day the boat is shown as she was; today where she is shown as she is.
    day: String,
    /// That day in words, where it is past.
    then: Option<String>,
    /// The day her story begins.
    begun: String,
    today: String,
}

struct LayerView {
    code: &'static str,
    label: &'static str,
    legend: Vec<(&'static str, String)>,
}

/// The side panel: what is here, what was seen, what is planned, what it waits for, its story.
#[derive(Template)]
#[template(path = "survey/place.html")]
struct Panel {
    csrf: String,
    once: String,
    boat_id: i64,
    at: String,
    shown: String,
    may_write: bool,
    is_plank: bool,
    member_id: i64,
    part: String,
    facts: Vec<(&'static str, String)>,
    measured: bool,
    crossing: String,
    /// A joint that is assumed in this bay and that nobody saw: the grid's version, and what it can be.
    assumed: Option<(i64, Choices)>,
    findings: Vec<Seen>,
    readings: Vec<(String, String, bool)>,
    series: Vec<(&'static str, String)>,
    past: Vec<(String, String)>,
    looked: String,
    decided: Option<String>,
    /// Nothing that was found on the part is open any more.
    is_over: bool,
    /// Causes that are not treated though a repair is decided.
    untreated: Vec<String>,
    pieces: Vec<(i64, String)>,
    waits: Option<String>,
    common: Vec<FindingKind>,
    others: Vec<FindingKind>,
    methods: Vec<(&'static str, &'static str)>,
    /// The newest finding elsewhere, to be entered again here.
    same: Option<(i64, String)>,
}

struct Seen {
    id: i64,
    what: String,
    says: String,
    class: String,
    here: bool,
    over: bool,
}

fn facts(desk: &Desk<'_>, file: &BoatFile, part: &Part<'_>) -> Vec<(&'static str, String)> {
    let units = desk.units;
    let species = mend_keel_core::timber::species::name(part.species());
    let age = |year: Option<i64>| year.map_or("original".to_owned(), |year| format!("renewed {year}"));
    let said = |text: &str| if text.is_empty() { "not recorded".to_owned() } else { text.to_owned() };
    match part {
        Part::Plank(plank, at) => {
            let (from, to) = plank.place().span(&file.boat.shell);
            let generated = if file.boat.shell.measured.contains(at) { "measured" } else { "generated" };
            let lies = if file.is_below_waterline(*at) { "below the waterline" } else { "above the waterline" };
            let thickness = if plank.measured { "measured" } else { "as planked" };
            vec![
                ("Width here", format!("{}, {generated}", units.len(file.boat.shell.width(*at)))),
                ("Thickness", format!("{}, {thickness}", units.len(plank.thickness))),
                ("Length", units.run(to - from)),
                (
                    "Timber",
                    plank.grain().map_or(species.clone(), |g| format!("{species}, {}", g.label().to_lowercase())),
                ),
                ("Age", age(plank.year)),
                ("Fastened", fastened(file, *at, units).unwrap_or_else(|| said(&plank.fastened))),
                ("Finish", said(&plank.finish)),
                ("Lies", lies.to_owned()),
                ("After end", after_end(plank)),
            ]
        }
        Part::Member(member, _) => vec![
            ("Length", units.run(member.length)),
            ("Face", units.len(member.width)),
            ("Sided", units.len(member.thickness)),
            ("Timber", species),
            ("Age", age(member.year)),
            ("Fastened", said(&member.fastened)),
            ("Sizes", if member.measured { "measured" } else { "generated, to be measured" }.to_owned()),
        ],
    }
}

/// How a place is recorded to be fastened, oldest first.
fn fastened(file: &BoatFile, at: Address, units: Units) -> Option<String> {
    let told: Vec<String> = record::at(&file.fastened, at).into_iter().map(|r| fastened_says(r, units)).collect();
    (!told.is_empty()).then(|| told.join("; "))
}

/// Where a plank ends aft, and how anybody knows.
fn after_end(plank: &mend_keel_store::boats::Plank) -> String {
    match plank.to_bay {
        None => "the stern".to_owned(),
        Some(bay) if plank.to_seen => format!("{} in bay {bay}", plank.to_joint.label().to_lowercase()),
        Some(bay) => format!("a joint is assumed in bay {bay}: nobody saw it"),
    }
}

fn panel(
    desk: &Desk<'_>,
    survey: &SurveyFile,
    place: &Place,
    may_write: bool,
) -> std::result::Result<Panel, InputError> {
    let file = &survey.file;
    let part = file.part_at(place)?;
    let member_id = part.member_id();
    let seen = |f: &Finding| Seen {
        id: f.id,
        what: format!("{}, {}", f.kind.label(), f.certainty.label().to_lowercase()),
        says: f.says.clone(),
        class: f.grade.label().to_owned(),
        here: f.place == *place,
        over: !f.is_open(),
    };
    let decision = file.decision(member_id);
    let untreated = decision.map_or_else(Vec::new, |_| file.untreated(member_id));
    let here: Vec<_> = survey.readings.iter().filter(|r| r.place == *place).cloned().collect();
    let cell = part.cell();
    let mut methods: Vec<&str> =
        survey.looks().filter(|(at, _)| *at == (member_id, cell)).map(|(_, m)| m.label()).collect();
    methods.sort_unstable();
    methods.dedup();
    let common: Vec<FindingKind> = super::finding::common_kinds(Some(&part)).to_vec();
    let others = FindingKind::ALL.iter().copied().filter(|k| !common.contains(k)).collect();
    let by: &str = &desk.user.account.name;
    let last = file.findings.iter().rev().find(|f| f.by_name == by).or(file.findings.last());
    Ok(Panel {
        csrf: desk.user.csrf.clone(),
        once: crate::web::auth::random_token().unwrap_or_default(),
        boat_id: file.boat.id,
        at: place.to_string(),
        shown: file.shown(place),
        may_write,
        is_plank: matches!(part, Part::Plank(..)),
        member_id,
        part: part.name(),
        facts: facts(desk, file, &part),
        measured: match part {
            Part::Plank(_, at) => file.boat.shell.measured.contains(&at),
            Part::Member(member, _) => member.measured,
        },
        crossing: match part {
            Part::Plank(_, at) => survey.draw_crossing(at),
            Part::Member(..) => String::new(),
        },
        assumed: match part {
            Part::Plank(plank, at) if plank.to_bay == Some(at.frame) && !plank.to_seen => {
                Some((file.boat.version, pairs(JointKind::ALL, JointKind::code, JointKind::label)))
            }
            _ => None,
        },
        findings: file.findings.iter().filter(|f| f.member_id == member_id).map(seen).collect(),
        readings: here
            .iter()
            .rev()
            .map(|r| (r.method.label().to_owned(), format!("{} ({})", r.says, view::when(&r.at)), r.simulated))
            .collect(),
        series: series(&here),
        past: survey
            .past
            .iter()
            .filter(|p| p.member_id == member_id && (p.from_cell..=p.to_cell).contains(&cell))
            .map(|p| {
                (format!("{}, {}", p.kind.label(), p.quality.label().to_lowercase()), p.kind.look_behind().to_owned())
            })
            .collect(),
        looked: methods.join(", "),
        is_over: decision.is_some_and(|d| !file.found_on(d.member_id).any(|f| f.is_open())),
        decided: decision.map(|d| format!("{}: {}", d.kind.label(), d.reason)),
        untreated,
        pieces: file.pieces.iter().filter(|p| p.member_id == member_id).map(|p| (p.id, p.name.clone())).collect(),
        waits: file
            .tasks
            .iter()
            .find(|t| t.member_id == Some(member_id) && t.done_at.is_none())
            .map(|t| t.what.clone()),
        common,
        others,
        methods: Method::ALL.iter().map(|m| (m.code(), m.label())).collect(),
        same: last.map(|f| (f.id, format!("{} as at {}", f.kind.label(), file.shown(&f.place)))),
    })
}

/// The day shown: as typed, not later than today; `None` is now.
fn day_shown(day: Option<&str>) -> Option<jiff::civil::Date> {
    let day: jiff::civil::Date = day?.trim().parse().ok()?;
    (day < jiff::ZonedDateTime::now().date()).then_some(day)
}

#[allow(clippy::too_many_arguments)] // What a link to the map can say.
#[get("/boats/<id>?<at>&<surface>&<layer>&<day>")]
pub async fn show(
    desk: Desk<'_>,
    who: BoatReader,
    id: i64,
    at: Option<&str>,
    surface: Option<&str>,
    layer: Option<&str>,
    day: Option<&str>,
    files: &State<Files>,
    stays: Stays<'_>,
    same: Same<'_>,
) -> Result {
    // The panel of a place holds forms, each with its one-time key: only the map without it is kept.
    let tag = match at {
        None => Some(same.tag(&desk)),
        Some(_) => None,
    };
    if let Some(kept) = tag.as_deref().and_then(|tag| same.found(tag)) {
        return Ok(kept);
    }
    let day = day_shown(day);
    let survey = match day {
        None => files.survey(desk.store, desk.version, id).await?,
        Some(day) => Arc::new(SurveyFile::on_day(desk.store, id, day).await?),
    };
    let file = &survey.file;
    let may_write = who.0.account.guest_boat.is_none();
    let mut fault = String::new();
    let mut selected = None;
    let mut shown_panel = None;
    if let Some(text) = at.filter(|text| !text.trim().is_empty()) {
        match file.read(text).and_then(|place| Ok((panel(&desk, &survey, &place, may_write)?, place))) {
            Ok((found, place)) => {
                selected = Some(place);
                shown_panel = Some(found);
            }
            Err(e) => fault = e.message,
        }
    }
    let of_place = selected.as_ref().and_then(|place| file.part_at(place).ok()).map(|part| part.kind().surface());
    let surface = of_place.or_else(|| surface.and_then(Surface::from_code)).unwrap_or(Surface::Shell);
    let (layer, _) = LAYERS.iter().find(|(code, _)| Some(*code) == layer).unwrap_or(&LAYERS[0]);
    let violations = file.violations();
    let is_shell = surface == Surface::Shell;
    let svg = survey.draw(surface, selected.as_ref(), layer);
    stays.say(survey.inside().filter(|_| is_shell));
    let only_shell = ["fastenings", "seams"];
    let keys: serde_json::Map<String, serde_json::Value> =
        FindingKind::ALL.iter().map(|k| (k.key().to_owned(), k.code().into())).collect();
    let here: std::collections::BTreeSet<FindingKind> = file.findings.iter().map(|f| f.kind).collect();
    let show = Show {
        svg,
        page: desk.boat_page(file, surface.label(), "map"),
        boat_id: id,
        panel: shown_panel,
        fault,
        typed: selected.as_ref().map_or_else(|| at.unwrap_or_default().chars().take(40).collect(), |p| file.typed(p)),
        example: file.boat.shown(Address { side: mend_keel_core::grid::Side::Port, strake: 2, frame: 3 }),
        too_close: violations.len(),
        assumed: file.assumed_joints.len(),
        findings: file.findings.len(),
        is_shell,
        surfaces: surfaces(file, surface),
        layer,
        layers: LAYERS
            .iter()
            .filter(|(code, _)| is_shell || !only_shell.contains(code))
            .map(|(code, label)| LayerView { code, label, legend: legend(code) })
            .collect(),
        kinds: FindingKind::ALL
            .iter()
            .filter(|k| here.contains(k))
            .map(|k| (k.code(), k.label().to_lowercase(), k.key()))
            .collect(),
        row_word: file.boat.construction.row(),
        keys: serde_json::Value::Object(keys).to_string(),
        day: day.map_or_else(view::today, |day| day.to_string()),
        then: day.map(|day| view::day(&day.to_string())),
        begun: before::begun(desk.store, id).await?.map_or_else(view::today, |at| at.chars().take(10).collect()),
        today: view::today(),
    };
    match tag {
        Some(tag) => Ok(same.keep(tag, show.render()?)),
        None => render(&show),
    }
}

struct SurfaceTab {
    code: &'static str,
    label: &'static str,
    here: bool,
}

/// The surfaces this boat has.
fn surfaces(file: &BoatFile, shown: Surface) -> Vec<SurfaceTab> {
    Surface::ALL
        .iter()
        .filter(|s| **s == Surface::Shell || file.members.iter().any(|m| m.kind.surface() == **s))
        .map(|s| SurfaceTab { code: s.code(), label: s.label(), here: *s == shown })
        .collect()
}

/// The panel alone, for the page's script.
#[get("/boats/<id>/place?<at>")]
pub async fn place(desk: Desk<'_>, who: BoatReader, id: i64, at: &str, files: &State<Files>) -> Result {
    let survey = files.survey(desk.store, desk.version, id).await?;
    let panel = survey
        .file
        .read(at)
        .and_then(|place| panel(&desk, &survey, &place, who.0.account.guest_boat.is_none()))
        .map_err(|e| AppError::Refused(e.message))?;
    render(&panel)
}

#[derive(Template)]
#[template(path = "survey/crossing.html")]
struct Crossing {
    page: Page,
    boat_id: i64,
    at: String,
    shown: String,
    plank: String,
    svg: String,
    near: Vec<(&'static str, String)>,
}

/// A single crossing, close to.
#[get("/boats/<id>/crossing?<at>")]
pub async fn close_to(desk: Desk<'_>, _who: BoatReader, id: i64, at: &str, files: &State<Files>) -> Result {
    let survey = files.survey(desk.store, desk.version, id).await?;
    let file = &survey.file;
    let Ok((Place::Shell(at), part)) = file.locate(at) else {
        return Ok(super::links::off_the_boat(id, at));
    };
    let step = |label, strake: i64, frame: i64| {
        let moved = Address {
            side: at.side,
            strake: u32::try_from(i64::from(at.strake) + strake).ok()?,
            frame: u32::try_from(i64::from(at.frame) + frame).ok()?,
        };
        file.boat.shell.place(moved).ok().map(|m| (label, m.to_string()))
    };
    let near =
        [step("← forward", 0, -1), step("→ aft", 0, 1), step("↑ strake above", 1, 0), step("↓ strake below", -1, 0)];
    render(&Crossing {
        page: desk.boat_page(file, "Crossing", "map"),
        boat_id: id,
        at: at.to_string(),
        shown: file.boat.shown(at),
        plank: part.name(),
        svg: survey.draw_crossing(at),
        near: near.into_iter().flatten().collect(),
    })
}

/// `/` finds anything by address.
#[get("/boats/<id>/find?<q>")]
pub async fn find(desk: Desk<'_>, _who: BoatReader, id: i64, q: &str) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let at = typed_place(&file, q).map_or_else(|_| q.chars().take(60).collect(), |place| place.to_string());
    Ok(Answer::Go(format!("/boats/{id}?at={}", rocket::http::RawStr::new(&at).percent_encode())))
}
