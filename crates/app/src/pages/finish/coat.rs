//! Laying one coat, on the phone beside the boat: what is held against it, what was read and seen, and what is dry when.

use askama::Template;
use jiff::{SignedDuration, Timestamp};
use mend_keel_core::caution::Caution;
use mend_keel_core::finish::lay::{Below, Here, check};
use mend_keel_core::finish::{Base, Step};
use mend_keel_core::survey::FindingKind;
use mend_keel_core::{InputError, Reason, Verdict};
use mend_keel_store::findings::Finding;
use mend_keel_store::plans::{self, Coat, Laid, Plan};
use mend_keel_store::stores::{self, ItemKind, MoveKind};
use mend_keel_store::{StoreError, seams, shed};
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::file::finish::{drying, stands_before, steps_of, stretch};
use crate::file::seams::SeamFile;
use crate::view;
use crate::view::reasons::{self, ReasonView};
use crate::web::auth::{BoatReader, Crew};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed};
use crate::web::photos;

/// What may be seen on a coat.
pub(super) const SEEN: [(&str, &str); 6] = [
    ("runs", "Runs"),
    ("dust", "Dust in it"),
    ("dry_edge", "Dry edge"),
    ("bloom", "Bloom, dull"),
    ("holidays", "Missed places"),
    ("blisters", "Blisters"),
];

/// A reading of the shed logger counts as the air of now for so long.
const FRESH: SignedDuration = SignedDuration::from_hours(3);

#[derive(Template)]
#[template(path = "finish/coat.html")]
struct Show {
    page: Page,
    boat_id: i64,
    coat_id: i64,
    name: String,
    what: String,
    product: Vec<(&'static str, String)>,
    below: String,
    first: bool,
    /// The coat below waited too long, as far as its recipe says.
    stale: bool,
    logger: String,
    lots: Vec<(String, String)>,
    seen: Vec<(&'static str, &'static str, bool)>,
    reasons: Vec<ReasonView>,
    /// A rule stands against it: why it is laid all the same is asked for.
    held: bool,
    /// It is on: nothing is asked.
    on: String,
    cautions: Vec<&'static str>,
    typed: Typed,
    faults: Faults,
}

/// A coat with all that is known of it.
struct Known {
    coat: Coat,
    plan: Plan,
    step: Step,
    /// The coat below and its step.
    below: Option<(Coat, Step)>,
    last: bool,
}

async fn known(desk: &Desk<'_>, file: &BoatFile, id: i64) -> std::result::Result<Known, AppError> {
    let coat = plans::coat(desk.store, file.boat.id, id).await?;
    let plan = plans::of_boat(desk.store, file.boat.id, "finish").await?.into_iter().find(|p| p.id == coat.plan_id);
    let plan = plan.ok_or(AppError::NotFound("coat"))?;
    let steps = steps_of(&plan).ok_or(AppError::NotFound("coat"))?;
    let at = usize::try_from(coat.seq).unwrap_or(usize::MAX);
    let step = steps.get(at).cloned().ok_or(AppError::NotFound("coat"))?;
    let below = file.coats.iter().find(|c| c.plan_id == coat.plan_id && c.seq + 1 == coat.seq).cloned();
    let below = below.and_then(|c| Some((c, steps.get(at.checked_sub(1)?)?.clone())));
    Ok(Known { last: at + 1 == steps.len(), coat, plan, step, below })
}

/// The newest reading of the shed logger that is fresh and was really read.
async fn logger(desk: &Desk<'_>, plan: &Plan, now: Timestamp) -> std::result::Result<Option<shed::Air>, AppError> {
    if plan.asked["place"].as_str() != Some("shed") {
        return Ok(None);
    }
    let rows = shed::air(desk.store, &(now - FRESH).to_string()).await?;
    let fresh = |a: &shed::Air| !a.simulated && a.at.parse::<Timestamp>().is_ok_and(|at| at <= now);
    Ok(rows.into_iter().filter(fresh).max_by(|a, b| a.at.cmp(&b.at)))
}

/// Hours until she is launched, where a day is set and has not passed.
async fn until_launch(desk: &Desk<'_>, boat: i64, now: Timestamp) -> std::result::Result<Option<f64>, AppError> {
    let day = seams::launch(desk.store, boat).await?.and_then(|l| l.on_day.parse::<jiff::civil::Date>().ok());
    let at =
        day.and_then(|d| d.at(0, 0, 0, 0).to_zoned_datetime(jiff::tz::TimeZone::system()).ok()).map(|z| z.timestamp());
    Ok(at.map(|at| at.duration_since(now).as_secs_f64() / 3600.0).filter(|h| *h > 0.0))
}

/// Coatings that lift or crack, found on what is coated and still open: nobody knows what is below.
fn cracks(file: &BoatFile, plan: &Plan) -> u32 {
    let Some(of) = plan.asked["of"].as_str().and_then(|code| stretch(file, code)) else { return 0 };
    let on = |f: &&Finding| f.kind == FindingKind::Stain && f.place.shell().is_some_and(|at| of.holds(at));
    u32::try_from(file.findings.iter().filter(on).count()).unwrap_or(u32::MAX)
}

/// What the other steps have not finished where the first coat is to go.
fn before(seams: &SeamFile, known: &Known) -> Vec<Reason> {
    if known.below.is_some() || known.coat.done_at.is_some() {
        return Vec::new();
    }
    stands_before(seams, &known.plan, &known.step)
}

fn hours_since(at: &str, now: Timestamp) -> Option<f64> {
    Some(now.duration_since(at.parse().ok()?).as_secs_f64() / 3600.0)
}

fn show(desk: &Desk<'_>, file: &BoatFile, known: &Known, because: &[Reason], typed: Typed, faults: Faults) -> Show {
    let now = Timestamp::now();
    let Known { coat, plan, step, .. } = known;
    let ticked: Vec<String> = typed.get("seen").split_whitespace().map(str::to_owned).collect();
    let waited = known.below.as_ref().and_then(|(below, _)| hours_since(below.done_at.as_deref()?, now));
    let mut cautions = vec![Caution::Solvents.text()];
    match step.base {
        Base::Oil => cautions.insert(0, Caution::OilyRags.text()),
        Base::TwoPart => cautions.insert(0, Caution::Resins.text()),
        _ => {}
    }
    Show {
        page: desk.boat_page(file, &coat.name, "finish"),
        boat_id: file.boat.id,
        coat_id: coat.id,
        name: coat.name.clone(),
        what: plan.asked["what"].as_str().unwrap_or_default().to_owned(),
        product: vec![
            ("Product", product(step)),
            ("Amount", format!("{:.2} l", coat.litres)),
            ("Sand first", step.grit_before.map_or("not by the recipe".into(), |grit| format!("with {grit}"))),
            (
                "Takes",
                format!(
                    "{} to {} °C, at most {} % humidity",
                    step.temperature_min, step.temperature_max, step.humidity_max
                ),
            ),
        ],
        below: match (&known.below, waited) {
            (None, _) => format!("The first coat: the wood may hold {} % at most.", step.wood_max()),
            (Some((below, _)), Some(hours)) => format!("{} has been on for {}.", below.name, view::hours(hours)),
            (Some((below, _)), None) => format!("{} is not on yet.", below.name),
        },
        first: known.below.is_none(),
        stale: coat.latest_at.as_deref().and_then(|l| l.parse().ok()).is_some_and(|latest: Timestamp| now > latest),
        logger: String::new(),
        lots: Vec::new(),
        seen: SEEN.map(|(code, label)| (code, label, ticked.iter().any(|t| t == code))).to_vec(),
        held: because.iter().any(|r| r.verdict >= Verdict::Against),
        reasons: reasons::views(because, desk.units),
        on: coat.done_at.as_deref().map_or(String::new(), view::when),
        cautions,
        typed,
        faults,
    }
}

/// `varnish, one-part, thinned 50 %`.
fn product(step: &Step) -> String {
    let thinned =
        if step.thinning_percent > 0.0 { format!(", thinned {} %", step.thinning_percent) } else { String::new() };
    format!("{}, {}{thinned}", step.product, step.base.label())
}

/// The coating batches in the stores, newest first.
async fn lots(desk: &Desk<'_>) -> std::result::Result<Vec<(stores::Item, stores::Lot)>, AppError> {
    let items = stores::items(desk.store).await?;
    let lots = stores::lots(desk.store, None).await?.into_iter().filter(|l| l.there > 0.0);
    let coating = |id| items.iter().find(|i: &&stores::Item| i.id == id && i.kind == ItemKind::Coating).cloned();
    Ok(lots.filter_map(|lot| Some((coating(lot.item_id)?, lot))).collect())
}

async fn filled(desk: &Desk<'_>, known: &Known, mut show: Show) -> std::result::Result<Show, AppError> {
    show.lots = lots(desk)
        .await?
        .iter()
        .map(|(item, lot)| {
            (lot.id.to_string(), format!("{}, batch {}, {:.2} {}", item.name, lot.batch, lot.there, item.unit))
        })
        .collect();
    if let Some(air) = logger(desk, &known.plan, Timestamp::now()).await? {
        show.logger = format!("the shed logger, {}", view::when(&air.at));
        if show.typed.get("temperature").is_empty() && show.typed.get("humidity").is_empty() {
            show.typed = std::mem::take(&mut show.typed)
                .with("temperature", format!("{:.1}", air.temperature))
                .with("humidity", format!("{:.0}", air.humidity));
        }
    }
    Ok(show)
}

#[get("/boats/<id>/coats/<coat>")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64, coat: i64) -> Result {
    let seams = SeamFile::load(desk.store, id).await?;
    let file = seams.file();
    let known = known(&desk, file, coat).await?;
    let before = before(&seams, &known);
    let shown = show(&desk, file, &known, &before, Typed::default(), Faults::default());
    render(&filled(&desk, &known, shown).await?)
}

#[post("/boats/<id>/coats/<coat>/lay", data = "<posted>")]
pub async fn lay(desk: Desk<'_>, _who: Crew, id: i64, coat: i64, mut posted: Posted) -> Result {
    let seams = SeamFile::load(desk.store, id).await?;
    let file = seams.file();
    let known = known(&desk, file, coat).await?;
    let now = posted.form.made_at(Timestamp::now());
    let mut faults = Faults::default();
    let photo = photos::optional(&desk.settings.folder.photos(), &mut posted.form, &mut faults).await;
    let ticked: Vec<String> = SEEN
        .iter()
        .filter(|(code, _)| posted.form.get(&format!("seen_{code}")) == "1")
        .map(|(c, _)| (*c).to_owned())
        .collect();
    let typed = posted.form.typed().with("seen", ticked.join(" "));
    let mut read = Reader::new(&posted.form, desk.units.unit);
    read.faults = faults;
    let temperature = read.number("temperature", -30.0, 60.0);
    let humidity = read.number("humidity", 1.0, 100.0);
    let surface = read.optional_number("surface", -30.0, 90.0);
    let wood = read.optional_number("wood", 0.0, 120.0);
    let litres = read.optional_number("litres", 0.001, 10_000.0);
    let (note, why) = (read.text("note", NOTE_LIMIT), read.text("why", NOTE_LIMIT));
    let lot = posted.form.get("lot").parse::<i64>().ok();
    let lot = lots(&desk).await?.into_iter().find(|(_, l)| Some(l.id) == lot);
    if lot.is_none() && !posted.form.get("lot").is_empty() {
        read.faults.add(InputError::new("lot", "is not in the stores any more"));
    }
    let mut because = Vec::new();
    if read.faults.is_empty() {
        let below = match &known.below {
            None => None,
            Some((below, step)) => {
                let hours = below.done_at.as_deref().and_then(|at| hours_since(at, now));
                let Some(hours) = hours else {
                    return Err(AppError::Refused(format!("{} is not on yet: lay it first", below.name)));
                };
                let air = below.laid.as_ref().and_then(|l| Some((l.temperature?, l.humidity?)));
                Some(Below { step: step.clone(), hours: hours.max(0.0), air })
            }
        };
        let here = Here {
            temperature,
            humidity,
            surface,
            wood,
            sanded: read.is_on("sanded"),
            ready: below.is_some() || read.is_on("ready"),
            below,
            cracks: if known.below.is_none() { cracks(file, &known.plan) } else { 0 },
            launch: until_launch(&desk, id, now).await?,
            last: known.last,
        };
        match check(&known.step, &here) {
            Ok(reasons) => {
                because = before(&seams, &known);
                because.extend(reasons);
            }
            Err(e) => read.faults.add(e),
        }
    }
    let against: Vec<&Reason> = because.iter().filter(|r| r.verdict >= Verdict::Against).collect();
    if !against.is_empty() && why.is_empty() && read.faults.is_empty() {
        read.faults
            .add(InputError::new("why", "a rule stands against it: put it right, or say why it is laid all the same"));
    }
    if !read.faults.is_empty() {
        let shown = show(&desk, file, &known, &because, typed, read.faults);
        return render_faulty(&filled(&desk, &known, shown).await?);
    }
    let from_logger = logger(&desk, &known.plan, now)
        .await?
        .is_some_and(|air| (air.temperature - temperature).abs() < 0.051 && (air.humidity - humidity).abs() < 0.51);
    let laid = Laid {
        temperature: Some(temperature),
        humidity: Some(humidity),
        read_by: if from_logger { "logger" } else { "typed" }.to_owned(),
        surface,
        wood,
        sanded: read.is_on("sanded"),
        batch: lot.as_ref().map_or(String::new(), |(_, l)| l.batch.clone()),
        litres,
        seen: ticked,
        note,
        photo,
        why: if against.is_empty() { String::new() } else { why },
        against: against.iter().map(|r| r.text.clone()).collect(),
    };
    let location = format!("/boats/{id}/finish");
    let mut work = desk.store.begin(posted.act()).await?;
    work.lay_coat(&known.coat, now, &laid, drying(&known.step, temperature, humidity, now)).await?;
    if let (Some((item, lot)), Some(litres)) = (&lot, litres) {
        let told = format!("{} on {}", known.coat.name, known.plan.asked["what"].as_str().unwrap_or_default());
        if let Err(e) = work.move_store(item, Some(lot.id), Some(id), MoveKind::Used, litres, &told).await {
            drop(work);
            let StoreError::Conflict(says) = e else { return Err(e.into()) };
            let mut faults = Faults::default();
            faults.add(InputError::new("litres", says));
            let shown = show(&desk, file, &known, &because, typed, faults);
            return render_faulty(&filled(&desk, &known, shown).await?);
        }
    }
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
