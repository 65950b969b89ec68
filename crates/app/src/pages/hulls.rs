//! Practice hulls: made from a word, asked with hands and instruments at a price, and uncovered at the end.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::grid::Address;
use mend_keel_core::grid::member::DeckKind;
use mend_keel_core::hidden::coach::{self, Hint};
use mend_keel_core::hidden::exercise::{self, Exercise, Kind};
use mend_keel_core::hidden::look::{Says, Tool};
use mend_keel_core::hidden::score::{Fate, Score, score};
use mend_keel_core::hidden::{Level, Seed, Size, Truth, truth};
use mend_keel_core::practice::{School, Use};
use mend_keel_core::survey::Grade;
use mend_keel_store::boats::NewBoat;
use mend_keel_store::hulls::{self as store, Hull};
use rocket::{get, post};
use serde_json::{Value, json};

use crate::file::boat::BoatFile;
use crate::file::hulls;
use crate::view::reasons::{ReasonView, views};
use crate::view::{self, hull as drawing};
use crate::web::auth::Crew;
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, Posted, Typed};
use crate::web::heavy;

#[derive(Template)]
#[template(path = "hulls.html")]
struct List {
    page: Page,
    hulls: Vec<Row>,
    sizes: Choices,
    levels: Choices,
    typed: Typed,
    faults: Faults,
}

struct Row {
    boat: i64,
    name: String,
    word: String,
    size: &'static str,
    level: &'static str,
    coached: bool,
    uncovered: bool,
}

#[derive(Template)]
#[template(path = "hull.html")]
struct Show {
    page: Page,
    boat_id: i64,
    word: String,
    size: &'static str,
    level: &'static str,
    coached: bool,
    /// Wrong steps so far, where the coach tells of them.
    hints: Vec<HintView>,
    /// Looks by tool, and their minutes.
    looks: Vec<(&'static str, usize, String)>,
    minutes: String,
    uncovered: bool,
    svg: String,
    facts: Vec<(&'static str, String)>,
    places: Vec<PlaceView>,
    lessons: Vec<ReasonView>,
    /// The same hull as others worked her, and this one among them.
    beside: Vec<Beside>,
}

struct HintView {
    /// Addresses on the map.
    at: Vec<String>,
    reason: Vec<ReasonView>,
}

/// One working of a hull that several worked.
struct Beside {
    boat: i64,
    name: String,
    who: String,
    here: bool,
    found: u32,
    missed: u32,
    falsely: u32,
    minutes: String,
    sound_taken: String,
    draw: &'static str,
    /// Soft places that are mended or rest, of all.
    ends_well: String,
}

struct PlaceView {
    place: String,
    was: &'static str,
    cause: &'static str,
    fate: &'static str,
    then: String,
    hid: bool,
    lessons: Vec<ReasonView>,
}

fn only_here(desk: &Desk<'_>) -> std::result::Result<(), AppError> {
    if desk.settings.mode == crate::web::settings::Mode::Practise {
        return Ok(());
    }
    Err(AppError::Refused(
        "practice hulls lie in a yard of their own, so that nothing of them mixes with real boats: start it with “mend-keel practise”"
            .into(),
    ))
}

async fn list_page(desk: &Desk<'_>, typed: Typed, faults: Faults) -> std::result::Result<List, AppError> {
    let row = |h: Hull| Row {
        boat: h.boat_id,
        name: h.name,
        word: h.seed.word,
        size: h.seed.size.label(),
        level: h.seed.level.label(),
        coached: h.coached,
        uncovered: h.uncovered_at.is_some(),
    };
    Ok(List {
        page: desk.page("Practice hulls", "hulls"),
        hulls: store::list(desk.store).await?.into_iter().map(row).collect(),
        sizes: pairs(Size::ALL, Size::code, Size::label),
        levels: pairs(Level::ALL, Level::code, Level::label),
        typed,
        faults,
    })
}

#[get("/hulls")]
pub async fn list(desk: Desk<'_>, _who: Crew) -> Result {
    only_here(&desk)?;
    let usual = Typed::default().with("size", "small").with("level", "plain").with("with", "coach");
    render(&list_page(&desk, usual, Faults::default()).await?)
}

/// Makes a hull from a word.
#[post("/hulls", data = "<posted>")]
pub async fn make(desk: Desk<'_>, _who: Crew, posted: Posted) -> Result {
    only_here(&desk)?;
    let size = Size::from_code(posted.form.get("size")).unwrap_or(Size::Small);
    let level = Level::from_code(posted.form.get("level")).unwrap_or(Level::Plain);
    let made = match Seed::new(posted.form.get("word"), size, level) {
        Ok(seed) => truth(&seed),
        Err(e) => Err(e),
    };
    let made = match made {
        Ok(made) => made,
        Err(e) => {
            let mut faults = Faults::default();
            faults.add(e);
            return render_faulty(&list_page(&desk, posted.form.typed(), faults).await?);
        }
    };
    let taken = store::list(desk.store).await?;
    let same = taken.iter().filter(|h| h.seed == made.seed).count();
    let again = if same > 0 { format!(", {}", same + 1) } else { String::new() };
    let new = NewBoat {
        name: format!("Practice “{}”, {}{again}", made.seed.word, made.seed.size.label().to_lowercase()),
        construction: made.principal.construction,
        boat_use: Use::Coastal,
        school: School::Conserve,
        year: None,
        length: made.principal.length,
        beam: made.principal.beam,
        depth: made.principal.depth,
        plank_thickness: made.principal.plank_thickness,
        plank_species: "western_larch".into(),
        frame_species: "white_oak".into(),
        frame_sided: 30.0,
        frame_moulded: 35.0,
        waterline_strake: made.waterline,
        shell: made.shell.clone(),
        joints: made.joints.clone(),
        joints_seen: true,
        deck: DeckKind::Open,
        spars: Vec::new(),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    let boat = work.add_boat(&new).await?;
    work.add_hull(boat, &made.seed, posted.form.get("with") != "exam").await?;
    let to = format!("/boats/{boat}/hull");
    work.commit(&to).await?;
    Ok(Answer::Go(to))
}

/// Asks her at a place with a tool: what it says comes back as fields of a reading, and the minutes are paid.
#[post("/boats/<id>/ask", data = "<posted>")]
pub async fn ask(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    only_here(&desk)?;
    let hull = store::find(desk.store, id).await?;
    let tool = Tool::from_code(posted.form.get("tool")).ok_or(AppError::NotFound("tool"))?;
    let file = BoatFile::load(desk.store, id).await?;
    let place = file.read(posted.form.get("at")).map_err(|e| AppError::Refused(e.message))?;
    file.part_at(&place).map_err(|e| AppError::Refused(e.message))?;
    let at = place.shell().ok_or(AppError::Refused("only her planking can be asked".into()))?;
    let before = store::looks(desk.store, id).await?;
    let nth = before.iter().filter(|l| l.tool == tool && l.place == place).count();
    let hidden = truth(&hull.seed).map_err(|e| AppError::Broken(e.message))?;
    let says = hidden.look(tool, at, u32::try_from(nth).unwrap_or(u32::MAX));
    let mut work = desk.store.begin(posted.act()).await?;
    work.pay_look(&hull, &place, tool).await?;
    work.commit(&format!("/boats/{id}/hull")).await?;
    Ok(Answer::Data(fields(says)))
}

/// What a look says, as the fields of a reading.
fn fields(says: Says) -> Value {
    match says {
        Says::Look(sign) => json!({ "method": "look", "sign": sign.code(), "told": sign.label() }),
        Says::Sound(ring) => json!({ "method": "sound", "ring": ring.code(), "told": ring.label() }),
        Says::Spike(mm) => {
            json!({ "method": "spike", "spike": format!("{mm:.1} mm"), "told": format!("{mm:.1} mm in") })
        }
        Says::Meter(shown, temperature) => json!({
            "method": "meter", "meter": format!("{shown:.1}"), "wood_temperature": format!("{temperature:.0}"),
            "told": format!("{shown:.1} %"),
        }),
        Says::Drawn { original, left, wood } => json!({
            "method": "draw_fastening", "original_diameter": format!("{original:.1} mm"),
            "remaining_diameter": format!("{left:.2} mm"), "fastening": "boat_nail", "metal": "galvanised",
            "wood": wood.code(), "told": format!("{left:.2} of {original:.1} mm left, wood {}", wood.label().to_lowercase()),
        }),
        Says::Feeler { width, depth, filler } => json!({
            "method": "feeler", "seam_width": format!("{width:.1} mm"), "seam_depth": format!("{depth:.0} mm"),
            "filler": filler.code(), "told": format!("{width:.1} mm wide, filler {}", filler.label().to_lowercase()),
        }),
        Says::Opened(deep) => json!({
            "method": "open_up", "told": if deep > 0.0 { format!("soft to {deep:.1} mm") } else { "sound all through".to_owned() },
        }),
    }
}

#[get("/boats/<id>/hull")]
pub async fn show(desk: Desk<'_>, _who: Crew, id: i64) -> Result {
    only_here(&desk)?;
    let hull = store::find(desk.store, id).await?;
    let file = BoatFile::load(desk.store, id).await?;
    let looks = store::looks(desk.store, id).await?;
    let by_tool = Tool::ALL.iter().filter_map(|tool| {
        let count = looks.iter().filter(|l| l.tool == *tool).count();
        (count > 0).then(|| (tool.label(), count, spoken(count as f64 * tool.minutes())))
    });
    let mut page = Show {
        page: desk.boat_page(&file, "Practice hull", "hull"),
        boat_id: id,
        word: hull.seed.word.clone(),
        size: hull.seed.size.label(),
        level: hull.seed.level.label(),
        coached: hull.coached,
        hints: Vec::new(),
        looks: by_tool.collect(),
        minutes: spoken(looks.iter().map(|l| l.tool.minutes()).sum()),
        uncovered: hull.uncovered_at.is_some(),
        svg: String::new(),
        facts: Vec::new(),
        places: Vec::new(),
        lessons: Vec::new(),
        beside: Vec::new(),
    };
    if hull.coached && !page.uncovered {
        let work = hulls::work(desk.store, &hull).await?;
        page.hints = coach::hints(&work).into_iter().map(|h| hint_view(&desk, h)).collect();
    }
    // Nothing of the truth is made before she is uncovered: neither a page nor its time can tell of it.
    if page.uncovered {
        let work = hulls::work(desk.store, &hull).await?;
        let broken = |e: InputError| AppError::Broken(e.message);
        let (truth, told) = heavy::compute(|| {
            let truth = truth(&hull.seed)?;
            let told = score(&truth, &work)?;
            Ok((truth, told))
        })
        .await?
        .map_err(broken)?;
        let said = work.said();
        page.svg = drawing::draw(&truth, |at| said.get(&at).copied().unwrap_or(Grade::Sound));
        page.facts = facts(&told);
        page.lessons = views(&told.lessons, desk.units);
        page.beside = beside(&desk, &hull, &truth).await?;
        page.places = told.turned.iter().map(|t| place_view(&desk, &file, t)).collect();
    }
    render(&page)
}

/// Most workings of one hull held beside each other, the newest first.
const MOST_BESIDE: usize = 8;

/// The same hull as it was worked by everybody who has uncovered her; none where nobody else has.
async fn beside(desk: &Desk<'_>, hull: &Hull, truth: &Truth) -> std::result::Result<Vec<Beside>, AppError> {
    let same = |h: &Hull| h.seed == hull.seed && h.uncovered_at.is_some();
    let all: Vec<Hull> = store::list(desk.store).await?.into_iter().filter(same).take(MOST_BESIDE).collect();
    if all.len() < 2 {
        return Ok(Vec::new());
    }
    let mut rows = Vec::new();
    for one in all {
        let work = hulls::work(desk.store, &one).await?;
        let told = heavy::compute(|| score(truth, &work)).await?;
        let told = told.map_err(|e| AppError::Broken(e.message))?;
        let well = told.turned.iter().filter(|t| matches!(t.fate, Fate::Mended | Fate::Rests)).count();
        rows.push(Beside {
            boat: one.boat_id,
            here: one.boat_id == hull.boat_id,
            who: store::worked_by(desk.store, one.boat_id).await?,
            name: one.name,
            found: told.found,
            missed: told.missed,
            falsely: told.falsely,
            minutes: spoken(told.minutes),
            sound_taken: told.sound_taken.map_or("nothing taken out".to_owned(), view::percent),
            draw: match told.draw_held() {
                Some(true) => "it held",
                Some(false) => "it did not hold",
                None => "none drawn",
            },
            ends_well: format!("{well} of {}", told.turned.len()),
        });
    }
    Ok(rows)
}

fn hint_view(desk: &Desk<'_>, hint: Hint) -> HintView {
    HintView { at: hint.at.iter().map(ToString::to_string).collect(), reason: views(&[hint.reason], desk.units) }
}

fn spoken(minutes: f64) -> String {
    mend_keel_store::tasks::spoken(minutes)
}

fn place_view(desk: &Desk<'_>, file: &BoatFile, turned: &mend_keel_core::hidden::score::Turned) -> PlaceView {
    let soft = &turned.soft;
    let bay = file.boat.shell.frames.partition_point(|x| *x <= soft.at).max(1);
    let at = Address { side: soft.side, strake: soft.strake, frame: u32::try_from(bay).unwrap_or(1) };
    let [slow, fast] = turned.then;
    PlaceView {
        place: format!("{at}, {} deep", desk.units.fine(soft.depth)),
        was: turned.was.label(),
        cause: soft.cause.label(),
        fate: match turned.fate {
            Fate::Mended => "mended",
            Fate::ComesAgain => "comes again",
            Fate::Rests => "rests",
            Fate::GoesOn => "goes on",
        },
        then: if slow == fast { slow.label().to_owned() } else { format!("{} to {}", slow.label(), fast.label()) },
        hid: soft.hides,
        lessons: views(&turned.lessons, desk.units),
    }
}

fn facts(told: &Score) -> Vec<(&'static str, String)> {
    let area = |n: u32, m2: f64| format!("{n} bays, {m2:.2} m²");
    let [found, missed, falsely] = told.areas;
    let mut facts = vec![
        ("Found", area(told.found, found)),
        ("Missed", area(told.missed, missed)),
        ("Falsely condemned", area(told.falsely, falsely)),
        ("Looked for", spoken(told.minutes)),
        ("Holes left by looking", told.harmed.to_string()),
        ("Fastenings bad, in truth", view::percent(told.fastenings.0)),
    ];
    match told.fastenings.1 {
        Some([low, high]) => facts.push((
            if told.draw_held() == Some(true) { "Drawn, and it held" } else { "Drawn, and it did not hold" },
            format!("{} to {}", view::percent(low), view::percent(high)),
        )),
        None => facts.push(("Drawn", "none".to_owned())),
    }
    if let Some(share) = told.sound_taken {
        facts.push(("Sound wood of what is taken out", view::percent(share)));
    }
    facts
}

/// Uncovers her, once and for all.
#[post("/boats/<id>/hull/uncover", data = "<posted>")]
pub async fn uncover(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    only_here(&desk)?;
    let hull = store::find(desk.store, id).await?;
    let to = format!("/boats/{id}/hull");
    let mut work = desk.store.begin(posted.act()).await?;
    work.uncover(&hull).await?;
    work.commit(&to).await?;
    Ok(Answer::Go(to))
}

#[derive(Template)]
#[template(path = "drill.html")]
struct Drill {
    page: Page,
    kind: &'static str,
    title: &'static str,
    n: u32,
    asks: String,
    answers: Vec<String>,
    /// Ticks to be read: number, along, and the offset.
    ticks: Vec<(usize, String, String)>,
    svg: String,
    /// What was answered; empty as long as nothing was.
    given: String,
    is_right: bool,
    right: String,
    why: Vec<ReasonView>,
    /// Of each kind: its name, how many were answered, and how many rightly.
    progress: Vec<(&'static str, &'static str, i64, i64)>,
}

/// Of each kind how many a person answered, and how many rightly.
async fn progress(desk: &Desk<'_>) -> std::result::Result<Vec<(Kind, i64, i64)>, AppError> {
    let done = store::drilled(desk.store, &desk.user.account.name).await?;
    let of = |kind: &Kind| done.iter().find(|d| d.0 == kind.code()).map_or((*kind, 0, 0), |d| (*kind, d.1, d.2));
    Ok(Kind::ALL.iter().map(of).collect())
}

/// The kind a person is weakest in: what was never answered first, then the least share of right answers.
fn weakest(progress: &[(Kind, i64, i64)]) -> Kind {
    let share = |(_, all, right): &&(Kind, i64, i64)| if *all == 0 { -1.0 } else { *right as f64 / *all as f64 };
    progress.iter().min_by(|a, b| share(a).total_cmp(&share(b))).map_or(Kind::Line, |p| p.0)
}

fn drill_page(desk: &Desk<'_>, one: Exercise, n: u32, answered: Option<usize>, progress: &[(Kind, i64, i64)]) -> Drill {
    Drill {
        page: desk.page("Drills", "hulls"),
        kind: one.kind.code(),
        title: one.kind.label(),
        n,
        svg: drawing::ticks(&one.ticks),
        ticks: one.ticks.iter().zip(1..).map(|(p, i)| (i, desk.units.run(p[0]), desk.units.fine(p[1]))).collect(),
        why: if answered.is_some() { views(&[one.why], desk.units) } else { Vec::new() },
        asks: one.asks,
        given: answered.and_then(|a| one.answers.get(a).cloned()).unwrap_or_default(),
        is_right: answered == Some(one.right),
        right: one.answers.get(one.right).cloned().unwrap_or_default(),
        answers: one.answers,
        progress: progress.iter().map(|(k, all, right)| (k.code(), k.label(), *all, *right)).collect(),
    }
}

/// A drill of the kind asked for, or of the one a person is weakest in.
#[get("/hulls/drills?<kind>")]
pub async fn drill(desk: Desk<'_>, _who: Crew, kind: Option<&str>) -> Result {
    only_here(&desk)?;
    let progress = progress(&desk).await?;
    let kind = kind.and_then(Kind::from_code).unwrap_or_else(|| weakest(&progress));
    // Another question each time: they are numbered by how many this person answered.
    let n = progress.iter().map(|p| u32::try_from(p.1).unwrap_or(0)).sum();
    let one = exercise::exercise(kind, &desk.user.account.name, n).map_err(|e| AppError::Broken(e.message))?;
    render(&drill_page(&desk, one, n, None, &progress))
}

/// What is right, and why.
#[post("/hulls/drills", data = "<posted>")]
pub async fn answer(desk: Desk<'_>, _who: Crew, posted: Posted) -> Result {
    only_here(&desk)?;
    let kind = Kind::from_code(posted.form.get("kind")).ok_or(AppError::NotFound("drill"))?;
    let n = posted.form.get("n").parse().unwrap_or(0);
    let one = exercise::exercise(kind, &desk.user.account.name, n).map_err(|e| AppError::Broken(e.message))?;
    let answered: Option<usize> = posted.form.get("answer").parse().ok().filter(|a| *a < one.answers.len());
    let Some(answered) = answered else {
        return render_faulty(&drill_page(&desk, one, n, None, &progress(&desk).await?));
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_drill(kind, answered == one.right).await?;
    work.commit("/hulls/drills").await?;
    render(&drill_page(&desk, one, n, Some(answered), &progress(&desk).await?))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_never_answered_comes_first_then_what_goes_worst() {
        let all = [(Kind::Line, 4, 4), (Kind::Butts, 0, 0), (Kind::Coat, 3, 1)];
        assert_eq!(weakest(&all), Kind::Butts);
        assert_eq!(weakest(&[all[0], all[2]]), Kind::Coat);
        assert_eq!(weakest(&[]), Kind::Line);
    }
}
