//! Practice: the schools, the yard rules and tables in force, and the yard's unit.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::practice::{Practice, School, SchoolRules, Weights};
use mend_keel_core::repair::{butts, graving};
use mend_keel_core::timber::species::{self, Species};
use mend_keel_core::work::estimate::Operation;
use mend_keel_store::accounts::{self, Yard};
use rocket::{get, post};
use serde_json::json;

use crate::file::learned::YardRates;
use crate::web::auth::{Crew, Owner};
use crate::web::changed::Kept;
use crate::web::choices::Choices;
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "practice.html")]
struct Show {
    page: Page,
    typed: Typed,
    faults: Faults,
    version: i64,
    schools: Vec<SchoolView>,
    school_fields: Vec<(&'static str, &'static str)>,
    /// Field and label of each limit for graving pieces and of each price.
    graving: Vec<(&'static str, &'static str)>,
    prices: Vec<(&'static str, &'static str)>,
    slope_limits: String,
    butts: Vec<(&'static str, butts::Rule)>,
    rates: Vec<(&'static str, String, String)>,
    was_yard: String,
    was_meter: String,
    species: &'static [Species],
    choices: Vec<(String, String)>,
    /// Corrections of the pin meter that are not nothing.
    offsets: Vec<(String, String)>,
    units: Vec<(String, String)>,
    denominators: Vec<(String, String)>,
}

struct SchoolView {
    code: &'static str,
    label: &'static str,
    creed: &'static str,
    own: bool,
}

/// Weights and limits of a school, as fields.
const SCHOOL_FIELDS: [(&str, &str); 9] = [
    ("kept", "Original kept, %"),
    ("strength", "Strength, %"),
    ("years", "Years it lasts, %"),
    ("hours", "Hours saved, %"),
    ("cost", "Cost saved, %"),
    ("patch_share", "Patches on no more than, % of a face"),
    ("patches", "Patches in a plank, at most"),
    ("bays_from_butt", "No patch within bays of a butt"),
    ("whole_below", "Whole member only below, % sound"),
];

const GRAVING_FIELDS: [(&str, &str); 12] = [
    ("crack_side", "Clear of a crack, to the side"),
    ("crack_tip", "Beyond a crack’s tip"),
    ("gouge", "Round a gouge"),
    ("rot_along", "Beyond rot, along the grain"),
    ("rot_across", "Beyond rot, across"),
    ("hole_clearance", "From the rim of an old hole"),
    ("edge_land", "Narrowest land to an edge"),
    ("proud", "Left proud"),
    ("blank_margin", "Blank larger, each side"),
    ("least_side", "Shortest side, where the rules leave a choice"),
    ("end_slope", "End slope the eye prefers, to 1"),
    ("least_corner", "Sharpest corner, °, where the rules leave a choice"),
];

const PRICE_FIELDS: [(&str, &str); 7] = [
    ("timber", "Boat timber, per m³"),
    ("plywood", "Plywood, per m² and mm"),
    ("fastening", "One fastening with its plug"),
    ("glue", "Mixed glue, per kg"),
    ("seam", "Cotton, primer, compound, per m of seam"),
    ("treatment", "Primer and treatment, per m²"),
    ("waste", "Timber bought for timber built in"),
];

/// The fields of everything that is set here, as they stand.
fn written(practice: &Practice, units: crate::view::Units, mut typed: Typed) -> Typed {
    let plain = |v: f64| {
        let text = format!("{v:.3}");
        text.trim_end_matches('0').trim_end_matches('.').to_owned()
    };
    for school in School::ALL {
        let r = practice.school(*school);
        let values = [
            r.weights.kept * 100.0,
            r.weights.strength * 100.0,
            r.weights.years * 100.0,
            r.weights.hours * 100.0,
            r.weights.cost * 100.0,
            r.patch_share * 100.0,
            f64::from(r.patches),
            f64::from(r.bays_from_butt),
            r.whole_below * 100.0,
        ];
        for ((field, _), value) in SCHOOL_FIELDS.iter().zip(values) {
            typed = typed.with(&format!("{}_{field}", school.code()), plain(value));
        }
        typed = typed.with(&format!("{}_butts", school.code()), if r.butts_first { "1" } else { "" });
        typed = typed.with(&format!("{}_against", school.code()), plain(r.against));
    }
    let g = &practice.graving;
    let lengths = [
        g.crack_side,
        g.crack_tip,
        g.gouge,
        g.rot_along,
        g.rot_across,
        g.hole_clearance,
        g.edge_land,
        g.proud,
        g.blank_margin,
        g.least_side,
    ];
    for ((field, _), mm) in GRAVING_FIELDS.iter().zip(lengths) {
        typed = typed.with(&format!("g_{field}"), units.exact(mm));
    }
    typed = typed.with("g_end_slope", plain(g.end_slope));
    typed = typed.with("g_least_corner", plain(g.least_corner));
    let p = &practice.prices;
    let prices = [p.timber, p.plywood, p.fastening, p.glue, p.seam, p.treatment, p.waste];
    for ((field, _), price) in PRICE_FIELDS.iter().zip(prices) {
        typed = typed.with(&format!("p_{field}"), plain(price));
    }
    typed
}

async fn page(desk: &Desk<'_>, typed: Typed, faults: Faults) -> std::result::Result<Show, crate::web::error::AppError> {
    let (practice, version) = accounts::practice(desk.store).await?;
    let learned = YardRates::load(desk.store).await?;
    let mut rates = Vec::new();
    for op in Operation::ALL {
        let (table, unit) = op.rate();
        let now = learned.rate(*op);
        rates.push((op.label(), format!("{table:.2} h per {unit}"), format!("{now:.2} h per {unit}")));
    }
    Ok(Show {
        page: desk.page("Practice", "practice"),
        typed,
        faults,
        version,
        schools: School::ALL
            .iter()
            .map(|s| SchoolView {
                code: s.code(),
                label: s.label(),
                creed: s.creed(),
                own: *practice.school(*s) != s.rules(),
            })
            .collect(),
        school_fields: SCHOOL_FIELDS.to_vec(),
        graving: GRAVING_FIELDS.to_vec(),
        prices: PRICE_FIELDS.to_vec(),
        slope_limits: format!("between {} and {}", graving::END_SLOPE_LIMITS.0, graving::END_SLOPE_LIMITS.1),
        butts: vec![("Wide: offshore, coastal, museum", butts::WIDE), ("Close: sheltered, workboat", butts::CLOSE)],
        rates,
        species: species::all(),
        choices: crate::web::choices::species_choices(),
        offsets: accounts::meter_offsets(desk.store)
            .await?
            .into_iter()
            .filter(|(_, points)| *points != 0.0)
            .map(|(id, points)| (species::name(&id), format!("{points:+}")))
            .collect(),
        units: units(),
        denominators: denominators(),
        was_yard: yard_kept(desk).token(),
        was_meter: offsets_kept(desk).await?.token(),
    })
}

fn units() -> Choices {
    vec![("mm".into(), "Millimetres".into()), ("in".into(), "Inches".into())]
}

fn denominators() -> Choices {
    vec![("16".into(), "sixteenths".into()), ("32".into(), "thirty-seconds".into())]
}

/// Everything as it stands.
async fn in_force(desk: &Desk<'_>) -> std::result::Result<Typed, crate::web::error::AppError> {
    let (practice, _) = accounts::practice(desk.store).await?;
    let typed = Typed::default()
        .with("name", desk.yard.name.clone())
        .with("unit", desk.yard.unit.clone())
        .with("inch_denominator", desk.yard.inch_denominator.to_string())
        .with("stand_ins", if desk.yard.stand_ins { "1" } else { "" })
        .with("guests_see_costs", if desk.yard.guests_see_costs { "1" } else { "" });
    Ok(written(&practice, desk.units, typed))
}

/// What stands, with what was just typed over it.
async fn typed_over(desk: &Desk<'_>, posted: &Posted) -> std::result::Result<Typed, crate::web::error::AppError> {
    Ok(in_force(desk).await?.over(&posted.form.typed()))
}

async fn keep(desk: &Desk<'_>, posted: &Posted, practice: &Practice, what: &str) -> Result {
    let version: i64 = posted.form.get("version").parse().unwrap_or(0);
    let mut work = desk.store.begin(posted.act()).await?;
    if let Err(stale) = work.set_practice(practice, version, what).await {
        drop(work);
        let (now, theirs) = (accounts::practice(desk.store).await?.1, in_force(desk).await?);
        let fields: Vec<(String, String)> = posted.form.fields().map(|(k, v)| (k.to_owned(), v.to_owned())).collect();
        let rows = || {
            let own = ["csrf", "once", "version", "was"];
            let differs = |(k, v): &(String, String)| !own.contains(&k.as_str()) && theirs.get(k) != v.trim();
            let row = |(k, v): &(String, String)| (label_of(k), theirs.get(k).to_owned(), v.clone());
            fields.iter().filter(|f| differs(f)).map(row).collect()
        };
        return Err(posted.stale(stale, "The yard’s practice", rows, &[("version", now.to_string())]));
    }
    work.commit("/practice").await?;
    Ok(Answer::Go("/practice".into()))
}

/// What a field of practice is called on the page.
fn label_of(field: &str) -> String {
    let known = GRAVING_FIELDS.iter().chain(&PRICE_FIELDS).map(|(f, l)| (*f, *l)).chain(SCHOOL_FIELDS);
    let bare = field.split_once('_').map_or(field, |(_, rest)| rest);
    known.into_iter().find(|(f, _)| *f == bare).map_or(field.replace('_', " "), |(_, label)| label.to_owned())
}

/// The yard's settings as they stand.
fn yard_kept(desk: &Desk<'_>) -> Kept {
    let (unit, denominator) = (units(), denominators());
    Kept::default()
        .text("name", "Name", desk.yard.name.clone())
        .choice("unit", "A bare number is in", &desk.yard.unit, &unit)
        .choice("inch_denominator", "Inches to", &desk.yard.inch_denominator.to_string(), &denominator)
        .ticked("stand_ins", "Stand-ins", desk.yard.stand_ins)
        .ticked("guests_see_costs", "Guests see hours and costs", desk.yard.guests_see_costs)
}

/// The meter's corrections as they stand.
async fn offsets_kept(desk: &Desk<'_>) -> std::result::Result<Kept, crate::web::error::AppError> {
    let offsets = accounts::meter_offsets(desk.store).await?;
    let all: Vec<String> = offsets.iter().map(|(species, points)| format!("{species} {points:+}")).collect();
    Ok(Kept::default().text("points", "Points", all.join(", ")))
}

/// Keeps a school's weights and limits; `reset` puts the handbook's back.
#[post("/practice/school/<code>", data = "<posted>")]
pub async fn keep_school(desk: Desk<'_>, _who: Owner, code: &str, posted: Posted) -> Result {
    let school = School::from_code(code).ok_or(crate::web::error::AppError::NotFound("school"))?;
    let (mut practice, _) = accounts::practice(desk.store).await?;
    if posted.form.get("reset") == "1" {
        *practice.school_mut(school) = school.rules();
        return keep(&desk, &posted, &practice, &format!("The {} school is the handbook’s again", school.label()))
            .await;
    }
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let name = |field: &str| format!("{code}_{field}");
    let mut percent = |field: &str| read.number(&name(field), 0.0, 100.0) / 100.0;
    let weights = Weights {
        kept: percent("kept"),
        strength: percent("strength"),
        years: percent("years"),
        hours: percent("hours"),
        cost: percent("cost"),
    };
    let (patch_share, whole_below) = (percent("patch_share"), percent("whole_below"));
    let rules = SchoolRules {
        weights,
        patch_share,
        patches: read.whole(&name("patches"), 0, 99),
        bays_from_butt: read.whole(&name("bays_from_butt"), 0, 50),
        whole_below,
        butts_first: read.is_on(&name("butts")),
        against: read.number(&name("against"), 0.0, 50.0),
    };
    if read.faults.is_empty()
        && let Err(e) = rules.check()
    {
        read.faults.add(InputError::new(name(&e.field), e.message));
    }
    if !read.faults.is_empty() {
        return render_faulty(&page(&desk, typed_over(&desk, &posted).await?, read.faults).await?);
    }
    *practice.school_mut(school) = rules;
    keep(&desk, &posted, &practice, &format!("Changed the {} school", school.label())).await
}

/// Keeps the limits for graving pieces.
#[post("/practice/graving", data = "<posted>")]
pub async fn keep_graving(desk: Desk<'_>, _who: Owner, posted: Posted) -> Result {
    let (mut practice, _) = accounts::practice(desk.store).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let mut limit = |field: &str, most: f64| {
        let name = format!("g_{field}");
        let mm = read.length(&name);
        if !(0.0..=most).contains(&mm) && !mm.is_nan() {
            read.faults.add(InputError::new(name, format!("must be between 0 and {most:.0} mm")));
        }
        mm
    };
    let g = &mut practice.graving;
    g.crack_side = limit("crack_side", 100.0);
    g.crack_tip = limit("crack_tip", 500.0);
    g.gouge = limit("gouge", 100.0);
    g.rot_along = limit("rot_along", 1_000.0);
    g.rot_across = limit("rot_across", 500.0);
    g.hole_clearance = limit("hole_clearance", 50.0);
    g.edge_land = limit("edge_land", 200.0);
    g.proud = limit("proud", 20.0);
    g.blank_margin = limit("blank_margin", 100.0);
    g.least_side = limit("least_side", 100.0);
    g.end_slope = read.number("g_end_slope", graving::END_SLOPE_LIMITS.0, graving::END_SLOPE_LIMITS.1);
    g.least_corner = read.number("g_least_corner", 0.0, 90.0);
    if !read.faults.is_empty() {
        return render_faulty(&page(&desk, typed_over(&desk, &posted).await?, read.faults).await?);
    }
    keep(&desk, &posted, &practice, "Changed the limits for graving pieces").await
}

/// Keeps what things cost the yard.
#[post("/practice/prices", data = "<posted>")]
pub async fn keep_prices(desk: Desk<'_>, _who: Owner, posted: Posted) -> Result {
    let (mut practice, _) = accounts::practice(desk.store).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let mut price = |field: &str| read.number(&format!("p_{field}"), 0.0, 1e6);
    let p = &mut practice.prices;
    p.timber = price("timber");
    p.plywood = price("plywood");
    p.fastening = price("fastening");
    p.glue = price("glue");
    p.seam = price("seam");
    p.treatment = price("treatment");
    p.waste = read.number("p_waste", 1.0, 5.0);
    if !read.faults.is_empty() {
        return render_faulty(&page(&desk, typed_over(&desk, &posted).await?, read.faults).await?);
    }
    keep(&desk, &posted, &practice, "Changed what materials cost").await
}

#[get("/practice")]
pub async fn show(desk: Desk<'_>, _who: Crew) -> Result {
    let typed = in_force(&desk).await?;
    render(&page(&desk, typed, Faults::default()).await?)
}

#[post("/practice", data = "<posted>")]
pub async fn save(desk: Desk<'_>, _who: Owner, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let name = read.name("name");
    let unit = read.choice("unit", |u| ["mm", "in"].into_iter().find(|known| *known == u));
    let denominator = read.choice("inch_denominator", |d| match d {
        "16" => Some(16),
        "32" => Some(32),
        _ => None,
    });
    let (Some(unit), Some(inch_denominator), true) = (unit, denominator, read.faults.is_empty()) else {
        return render_faulty(&page(&desk, typed_over(&desk, &posted).await?, read.faults).await?);
    };
    let stand_ins = posted.form.get("stand_ins") == "1";
    let guests_see_costs = posted.form.get("guests_see_costs") == "1";
    posted.still("What the yard is called and writes", &yard_kept(&desk))?;
    let yard = Yard { name, unit: unit.to_owned(), inch_denominator, stand_ins, guests_see_costs };
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_yard(&yard).await?;
    let body = json!({ "name": yard.name, "unit": yard.unit, "inch_denominator": yard.inch_denominator,
        "stand_ins": stand_ins, "guests_see_costs": guests_see_costs });
    work.note(None, None, "yard", "Changed the yard’s practice", &body).await?;
    work.commit("/practice").await?;
    Ok(Answer::Go("/practice".into()))
}

/// Keeps the correction of the pin meter for a species.
#[post("/practice/meter", data = "<posted>")]
pub async fn meter(desk: Desk<'_>, _who: Owner, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let species = read.choice("species", |id| species::find(id).ok());
    let points = read.number("points", -15.0, 15.0);
    let (Some(species), true) = (species, read.faults.is_empty()) else {
        return render_faulty(&page(&desk, typed_over(&desk, &posted).await?, read.faults).await?);
    };
    posted.still("The meter’s corrections", &offsets_kept(&desk).await?)?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_meter_offset(&species.id, points).await?;
    let summary = format!("Pin meter corrected by {points:+} points for {}", species.name.to_lowercase());
    work.note(None, None, "yard", &summary, &json!({ "species": species.id, "points": points })).await?;
    work.commit("/practice").await?;
    Ok(Answer::Go("/practice".into()))
}
