//! Decide: for a damaged part the options side by side, under one school or two, and the choice with its reason.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::grid::member::{MemberKind, Surface};
use mend_keel_core::practice::School;
use mend_keel_core::repair::decide::alone::Answered;
use mend_keel_core::repair::decide::{RepairOption, Wood};
use mend_keel_core::repair::way::OptionKind;
use mend_keel_core::survey::Grade;
use mend_keel_core::work::quote::Currency;
use mend_keel_store::findings::Finding;
use mend_keel_store::{owners, quotes};
use rocket::{FromForm, get, post};

use crate::file::boat::BoatFile;
use crate::file::decide::{self, Subject, pieces, settled};
use crate::file::learned::YardRates;
use crate::file::shape;
use crate::file::timber::Rack;
use crate::view::layers::Layers;
use crate::view::plank::PlankView;
use crate::view::reasons::{self, ReasonView};
use crate::view::surface::SurfaceView;
use crate::view::{self, Units, svg};
use crate::web::auth::{BoatReader, Crew};
use crate::web::changed::Kept;
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed};
use crate::web::heavy;

#[derive(Template)]
#[template(path = "decide/list.html")]
struct List {
    page: Page,
    boat_id: i64,
    rows: Vec<Row>,
    /// Planks that can be laid out together.
    planks: usize,
}

struct Row {
    member_id: i64,
    is_plank: bool,
    part: String,
    found: String,
    worst: &'static str,
    decided: Option<(String, String)>,
    /// Found since it was decided.
    since: Vec<String>,
    /// The step that answers it, where no wood is taken.
    step: Option<Step>,
    untreated: Vec<String>,
}

/// A step of the work that answers what was found.
struct Step {
    key: &'static str,
    label: &'static str,
}

impl Step {
    fn of(key: &'static str) -> Self {
        let label = match key {
            "seams" => "Seams",
            "fasten" => "Fasten",
            "finish" => "Finish",
            _ => "Survey",
        };
        Self { key, label }
    }
}

#[get("/boats/<id>/decide")]
pub async fn list(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut rows: Vec<(Grade, Row)> = file
        .asking()
        .into_iter()
        .map(|asking| {
            let found: Vec<_> = file.found_on(asking.id).collect();
            let worst = found.iter().map(|f| f.grade).max().unwrap_or(Grade::Sound);
            let what: Vec<String> = found
                .iter()
                .map(|f| format!("{} at {}", f.kind.label().to_lowercase(), file.shown(&f.place)))
                .collect();
            let decided = file.decision(asking.id).map(|d| (d.kind.label().to_owned(), d.reason.clone()));
            let row = Row {
                since: since(&file, asking.id),
                step: decide::answered_in(&file, asking.id).map(Step::of),
                member_id: asking.id,
                is_plank: asking.kind == MemberKind::Plank,
                part: asking.name,
                found: what.join(", "),
                worst: worst.label(),
                untreated: file.untreated(asking.id),
                decided,
            };
            (worst, row)
        })
        .collect();
    rows.sort_by(|a, b| a.1.decided.is_some().cmp(&b.1.decided.is_some()).then(b.0.cmp(&a.0)));
    render(&List {
        page: desk.boat_page(&file, "Decide", "decide"),
        boat_id: id,
        planks: rows.iter().filter(|(_, r)| r.is_plank).count(),
        rows: rows.into_iter().map(|(_, row)| row).collect(),
    })
}

/// What was found on a part since it was decided on.
fn since(file: &BoatFile, id: i64) -> Vec<String> {
    let told = |f: &Finding| format!("{} at {}", f.kind.label().to_lowercase(), file.shown(&f.place));
    file.found_since(id).into_iter().map(told).collect()
}

#[derive(Template)]
#[template(path = "decide/options.html")]
struct Options {
    page: Page,
    boat_id: i64,
    member_id: i64,
    part: String,
    is_plank: bool,
    school: &'static str,
    creed: &'static str,
    options: Vec<OptionView>,
    decided: Option<(String, String)>,
    untreated: Vec<String>,
    /// Somebody said what wood it is.
    timber_known: bool,
    section_measured: bool,
    since: Vec<String>,
    /// What the owner wishes of it.
    wishes: Vec<String>,
    /// It is wet: what comes first once it is dry.
    dry_first: Option<String>,
    /// The part itself with what was found on it, where it is not in the planking.
    drawing: String,
    /// Glyphs and hatches of the drawings.
    glyphs: &'static str,
    /// Why there are none.
    none: String,
    /// Where it is answered.
    step: Option<Step>,
    /// Parts damaged alike that can be decided on with this one.
    alike: Vec<(i64, String)>,
    any_refused: bool,
    schools: Choices,
    with: String,
    /// Beside another school: option, rank and score here, rank and score there, what only one of them says.
    beside: Vec<Beside>,
    with_name: &'static str,
    /// With what decision the options were shown.
    was: String,
    typed: Typed,
    faults: Faults,
}

struct Beside {
    label: &'static str,
    here: String,
    there: String,
    only_here: Vec<ReasonView>,
    only_there: Vec<ReasonView>,
}

struct OptionView {
    code: &'static str,
    label: &'static str,
    /// The plank with this option's new wood on it; empty for a part that is not in the planking.
    drawing: String,
    standing: &'static str,
    points: String,
    forbidden: bool,
    kept: String,
    kept_bar: String,
    strength: String,
    p50: String,
    p80: String,
    years: String,
    wood: Vec<String>,
    rack: Vec<String>,
    cost: String,
    materials: Vec<(String, String, String)>,
    reasons: Vec<ReasonView>,
}

/// `measured`: the sizes it is cut by are.
fn wood_words(wood: &Wood, measured: bool, units: Units) -> Vec<String> {
    let nobody = if measured { "" } else { ", by generated sizes: nobody measured them" };
    match wood {
        Wood::None => vec!["no new wood".to_owned()],
        Wood::Patches(patches) => patches
            .iter()
            .map(|p| format!("blank {}", units.dims(&[p.blank.length, p.blank.width, p.blank.thickness])))
            .collect(),
        Wood::Plank(s) => {
            vec![format!("{} of plank, {} wide{nobody}", units.run(s.length()), units.len(s.width))]
        }
        Wood::Timber(t) => {
            let plies = if t.plies > 1 { format!(", {} plies", t.plies) } else { String::new() };
            let scarf = if t.scarf > 0.0 { format!(", scarfed over {}", units.len(t.scarf)) } else { String::new() };
            vec![format!("{}{plies}{scarf}{nobody}", units.dims(&[t.length(), t.width, t.thickness]))]
        }
    }
}

/// How an option stands beside the best one. Leaving what asks to be mended is no choice of its own, however near its points come.
fn standing(option: &RepairOption, best: f64) -> &'static str {
    if option.only_waits() { "may wait, never first" } else { view::standing(option.score, best) }
}

/// Points of the best that no rule refuses.
fn best(options: &[RepairOption]) -> f64 {
    options.iter().filter(|o| !o.forbidden()).map(|o| o.score).fold(0.0, f64::max)
}

/// What every option of a part is shown with.
struct Shown<'a> {
    rack: &'a Rack,
    currency: &'a Currency,
    best: f64,
    units: Units,
}

fn option_view(file: &BoatFile, option: &RepairOption, subject: &Subject<'_>, shown: &Shown<'_>) -> OptionView {
    let units = shown.units;
    let new_wood = pieces(file, subject, option);
    let drawing = match subject {
        Subject::Plank(plank) => {
            let outlines: Vec<_> = new_wood.iter().map(|p| p.geometry.clone()).collect();
            file.planking(&Layers::default()).strip(plank.id, &outlines)
        }
        Subject::Member(m) if !new_wood.is_empty() => {
            let outlines = new_wood.iter().map(|p| shape::laid_out(&p.geometry)).collect();
            PlankView::of_part(m.width, [0.0, m.length], &[0.0, m.length], decide::marks_on_member(file, m), outlines)
                .strip(&format!("{} with the new wood", m.name), &format!("clip-{}", option.kind.code()))
        }
        Subject::Member(_) | Subject::Panel(..) => String::new(),
    };
    let measured = match (subject, &option.wood) {
        (Subject::Plank(plank), Wood::Plank(s)) => shape::grid_measured(file, plank, s.from, s.to),
        (_, Wood::Timber(_)) => subject.section_measured(),
        _ => true,
    };
    let mut sorted = option.reasons.clone();
    sorted.sort_by_key(|r| std::cmp::Reverse(r.verdict));
    OptionView {
        code: option.kind.code(),
        label: option.kind.label(),
        drawing,
        standing: standing(option, shown.best),
        points: format!("{:.0}", option.score),
        forbidden: option.forbidden(),
        kept: view::percent(option.kept),
        kept_bar: format!("{:.0}", option.kept * 100.0),
        strength: view::percent(option.strength),
        p50: view::hours(option.hours.p50),
        p80: view::hours(option.hours.p80),
        years: view::in_years(option.years),
        wood: wood_words(&option.wood, measured, units),
        rack: new_wood.iter().map(|p| shown.rack.says(p, &file.boat.name, units)).collect(),
        cost: shown.currency.about(option.cost),
        materials: option
            .materials
            .iter()
            .map(|m| {
                let places = if m.amount < 0.1 { 4 } else { 2 };
                (m.what.to_owned(), format!("{:.places$} {}", m.amount, m.unit), shown.currency.about(m.cost()))
            })
            .collect(),
        reasons: reasons::views(&sorted, units),
    }
}

async fn lay_out(
    desk: &Desk<'_>,
    file: &BoatFile,
    subject: &Subject<'_>,
    school: School,
) -> std::result::Result<Answered, AppError> {
    let known = YardRates::load(desk.store).await?;
    let laid = heavy::compute(|| decide::lay_out(file, subject, school, |op| known.rate(op))).await?;
    laid.map_err(|e| AppError::Refused(e.message))
}

/// What two schools say of the same options: ranked by the boat's own.
fn beside(here: &[RepairOption], there: &[RepairOption], units: Units) -> Vec<Beside> {
    let place = |options: &[RepairOption], kind: OptionKind| {
        let best = best(options);
        options.iter().position(|o| o.kind == kind).map_or("–".to_owned(), |i| {
            let option = &options[i];
            if option.forbidden() {
                "✕ not allowed".to_owned()
            } else {
                format!("{}. {}", i + 1, standing(option, best))
            }
        })
    };
    let only = |from: &RepairOption, other: Option<&RepairOption>| {
        let told = |r: &mend_keel_core::Reason| {
            other.is_some_and(|o| {
                o.reasons.iter().any(|x| x.rule == r.rule && x.verdict == r.verdict && x.text == r.text)
            })
        };
        let own: Vec<_> = from.reasons.iter().filter(|r| !told(r)).cloned().collect();
        reasons::views(&own, units)
    };
    here.iter()
        .map(|option| {
            let other = there.iter().find(|o| o.kind == option.kind);
            Beside {
                label: option.kind.label(),
                here: place(here, option.kind),
                there: place(there, option.kind),
                only_here: only(option, other),
                only_there: other.map(|o| only(o, Some(option))).unwrap_or_default(),
            }
        })
        .collect()
}

/// The part itself, close to, where each option is not drawn on it.
fn drawing(file: &BoatFile, subject: &Subject<'_>) -> String {
    let Some(member) = file.members.iter().find(|m| m.id == subject.id()) else { return String::new() };
    if member.kind.surface() == Surface::Shell {
        return String::new();
    }
    SurfaceView {
        boat: &file.boat,
        surface: member.kind.surface(),
        members: &file.members,
        findings: &file.findings,
        cells: &Layers::default().cells,
        selected: None,
        layer: "none",
        close_to: Some(member.id),
    }
    .draw()
}

/// How a part's options are asked for.
#[derive(Debug, Default, FromForm)]
pub struct Asked<'r> {
    /// A school to hold beside the boat's own.
    with: Option<&'r str>,
}

async fn page(
    desk: &Desk<'_>,
    file: &BoatFile,
    subject: &Subject<'_>,
    with: Option<School>,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<Options, AppError> {
    let school = file.boat.school;
    let rack = Rack::load(desk.store).await?;
    let (terms, _) = quotes::terms(desk.store).await?;
    let with = with.filter(|s| *s != school);
    let (mut none, mut step, mut dry_first) = (String::new(), None, None);
    let (options, beside) = match lay_out(desk, file, subject, school).await {
        Ok(Answered { answered_in: Some(key), .. }) => {
            step = Some(Step::of(key));
            none = "What was found here is answered without taking wood away.".to_owned();
            (Vec::new(), Vec::new())
        }
        Ok(Answered { options, answered_in: None, once_dry }) => {
            dry_first = once_dry.map(|kind| kind.label().to_lowercase());
            let other = match with {
                Some(other) => beside(&options, &lay_out(desk, file, subject, other).await?.options, desk.units),
                None => Vec::new(),
            };
            let best = best(&options);
            let shown = Shown { rack: &rack, currency: &terms.currency, best, units: desk.units };
            (options.iter().map(|o| option_view(file, o, subject, &shown)).collect::<Vec<_>>(), other)
        }
        Err(AppError::Refused(why)) => {
            step = Some(Step::of("survey"));
            none = why;
            (Vec::new(), Vec::new())
        }
        Err(e) => return Err(e),
    };
    let id = subject.id();
    let others: Vec<School> = School::ALL.iter().copied().filter(|s| *s != school).collect();
    Ok(Options {
        page: desk.boat_page(file, &format!("Decide on {}", subject.name()), "decide"),
        boat_id: file.boat.id,
        member_id: id,
        part: subject.name(),
        is_plank: matches!(subject, Subject::Plank(_)),
        school: school.label(),
        creed: school.creed(),
        any_refused: options.iter().any(|o| o.forbidden),
        options,
        decided: file.decision(id).map(|d| (d.kind.label().to_owned(), d.reason.clone())),
        untreated: file.untreated(id),
        timber_known: subject.timber_known(),
        section_measured: subject.section_measured(),
        since: since(file, id),
        wishes: owners::wishes(desk.store, file.boat.id, id).await?,
        alike: decide::alike(file, subject).into_iter().map(|m| (m.id, m.name.clone())).collect(),
        dry_first,
        drawing: drawing(file, subject),
        glyphs: svg::GLYPHS,
        none,
        step,
        schools: pairs(&others, School::code, School::label),
        with: with.map_or(String::new(), |s| s.code().to_owned()),
        beside,
        with_name: with.map_or("", School::label),
        was: decided_kept(file, id).token(),
        typed,
        faults,
    })
}

#[get("/boats/<id>/parts/<part>/decide?<asked..>")]
pub async fn options(desk: Desk<'_>, _who: BoatReader, id: i64, part: i64, asked: Asked<'_>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let subject = Subject::of(&file, part)?;
    let with = asked.with.and_then(School::from_code);
    render(&page(&desk, &file, &subject, with, Typed::default(), Faults::default()).await?)
}

#[post("/boats/<id>/parts/<part>/decide", data = "<posted>")]
pub async fn choose(desk: Desk<'_>, _who: Crew, id: i64, part: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let subject = Subject::of(&file, part)?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let kind = read.choice("option", OptionKind::from_code);
    let reason = reason(&mut read);
    let against = read.text("against", NOTE_LIMIT);
    let mut subjects = vec![subject];
    for other in decide::alike(&file, &subject) {
        if read.is_on(&format!("also_{}", other.id)) {
            subjects.push(Subject::Member(other));
        }
    }
    let mut chosen: Vec<(Subject<'_>, RepairOption)> = Vec::new();
    for subject in &subjects {
        let options = lay_out(&desk, &file, subject, file.boat.school).await?.options;
        let Some(kind) = kind else { break };
        let field = if subject.id() == part { "option" } else { "also" };
        match options.into_iter().find(|o| o.kind == kind) {
            None => read.faults.add(InputError::new(field, format!("is not possible on {}", subject.name()))),
            Some(option) if option.forbidden() && against.is_empty() => {
                let message =
                    format!("a rule speaks against this on {}: say why it is done all the same", subject.name());
                read.faults.add(InputError::new("against", message));
            }
            Some(option) => chosen.push((*subject, option)),
        }
    }
    if chosen.is_empty() || !read.faults.is_empty() {
        return render_faulty(&page(&desk, &file, &subject, None, posted.form.typed(), read.faults).await?);
    }
    posted.still(&format!("The decision on {}", subject.name()), &decided_kept(&file, part))?;
    let known = YardRates::load(desk.store).await?;
    let mut work = desk.store.begin(posted.act()).await?;
    let mut new_wood = false;
    for (subject, option) in &chosen {
        let why = if option.forbidden() { against.as_str() } else { "" };
        let (decision, pieces) = settled(&file, subject, option, reason.clone(), why);
        let decided = work.decide(&decision, &pieces).await?;
        work.add_tasks(id, subject.id(), decided, &known.reckoned(&option.tasks)).await?;
        new_wood |= !pieces.is_empty();
    }
    let location = if new_wood { format!("/boats/{id}/shape") } else { format!("/boats/{id}/decide") };
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// The decision on a part as it stands.
fn decided_kept(file: &BoatFile, part: i64) -> Kept {
    let decision = file.decision(part);
    let words: Vec<(String, String)> = pairs(OptionKind::ALL, OptionKind::code, OptionKind::label);
    Kept::default().choice("option", "Decided", decision.map_or("", |d| d.kind.code()), &words).text(
        "reason",
        "Because",
        decision.map_or(String::new(), |d| d.reason.clone()),
    )
}

/// Why something was decided: it must be said.
pub fn reason(read: &mut Reader<'_>) -> String {
    let reason = read.text("reason", NOTE_LIMIT);
    if reason.is_empty() {
        read.faults.add(InputError::new("reason", "say why: the owner will ask in ten years"));
    }
    reason
}
