//! Finish: air, drying, the sun on a face, resin, and coats placed in the weather.

use mend_keel_core::InputError;
use mend_keel_core::finish;
use mend_keel_core::finish::coats::{self, Answer, Area, Coat, Hour, Job, Step, Work};
use mend_keel_core::finish::sun::{self, Face};
use mend_keel_core::repair::resin::{self, Mix, Use};
use serde::Deserialize;
use serde_json::{Value, json};

use super::{Outcome, read, stand_once};

pub fn dew_point_tool(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        temperature: f64,
        humidity: f64,
    }
    let input: In = read(input)?;
    finish::check_air(input.temperature, input.humidity)?;
    Ok(json!({ "dew_point": finish::dew_point(input.temperature, input.humidity) }))
}

pub fn drying(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        at20: f64,
        temperature: f64,
        humidity: f64,
    }
    let input: In = read(input)?;
    Ok(json!({ "hours": finish::drying(input.at20, input.temperature, input.humidity)? }))
}

pub fn sun_dose(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        latitude: f64,
        tilt: f64,
        bearing: f64,
        #[serde(default)]
        shade: f64,
    }
    let input: In = read(input)?;
    let face = Face { latitude: input.latitude, tilt: input.tilt, bearing: input.bearing, shade: input.shade };
    let wear = sun::wear(&face)?;
    Ok(json!({ "dose": wear.dose, "varnish_years": wear.varnish_years, "paint_years": wear.paint_years }))
}

#[derive(Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
enum Item {
    Joint {
        area_m2: f64,
    },
    Fillet {
        radius: f64,
        length: f64,
    },
    Cloth {
        area_m2: f64,
        gsm: f64,
        #[serde(default = "one")]
        layers: u32,
    },
    Seal {
        area_m2: f64,
        #[serde(default = "two")]
        coats: u32,
        #[serde(default)]
        end_grain: bool,
    },
    Bead {
        diameter: f64,
        length: f64,
    },
}

fn one() -> u32 {
    1
}

fn two() -> u32 {
    2
}

impl From<Item> for Use {
    fn from(item: Item) -> Self {
        match item {
            Item::Joint { area_m2 } => Self::Joint { area: area_m2 },
            Item::Fillet { radius, length } => Self::Fillet { radius, length },
            Item::Cloth { area_m2, gsm, layers } => Self::Cloth { area: area_m2, weight: gsm, layers },
            Item::Seal { area_m2, coats, end_grain } => Self::Seal { area: area_m2, coats, end_grain },
            Item::Bead { diameter, length } => Self::Bead { diameter, length },
        }
    }
}

pub fn resin_tool(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        items: Vec<Item>,
        ratio: [f64; 2],
        pot_life: f64,
        temperature: f64,
        use_minutes: Option<f64>,
    }
    let input: In = read(input)?;
    let In { items, ratio, pot_life, temperature, use_minutes } = input;
    let uses: Vec<Use> = items.into_iter().map(Use::from).collect();
    let told = resin::amount(&uses, &Mix { ratio, pot_life, temperature, use_minutes })?;
    Ok(json!({
        "mass_kg": told.mass, "resin_kg": told.resin, "hardener_kg": told.hardener, "filler_litres": told.filler,
        "pot_minutes": told.pot_minutes, "batch_kg": told.batch, "batches": told.batches,
    }))
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ExtHour {
    temperature: f64,
    humidity: f64,
    rain: f64,
    wind: f64,
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields)]
struct Shed {
    temperature: f64,
    humidity: f64,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ExtWork {
    weekdays: Vec<u32>,
    from: usize,
    to: usize,
    painters: u32,
}

#[derive(Deserialize)]
#[serde(rename_all = "snake_case")]
enum Where {
    Outside,
    Shed,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ExtStep {
    /// Read, and given back by its index.
    #[allow(dead_code)]
    name: String,
    coat_hours: f64,
    sand_hours: f64,
    touch_dry: f64,
    dew_safe: f64,
    recoat_min: f64,
    recoat_max: Option<f64>,
    temperature: [f64; 2],
    humidity_max: f64,
    #[serde(default = "usual_margin")]
    dew_margin: f64,
    #[serde(default = "usual_wind")]
    wind_max: f64,
}

fn usual_margin() -> f64 {
    coats::DEW_MARGIN
}

fn usual_wind() -> f64 {
    coats::WIND_MAX
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ExtArea {
    id: String,
    area_m2: f64,
    place: Where,
    #[serde(default)]
    after: Vec<String>,
    steps: Vec<ExtStep>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct CoatPlanIn {
    first_weekday: u32,
    weather: Vec<ExtHour>,
    #[serde(default)]
    shed: Option<Shed>,
    work: ExtWork,
    areas: Vec<ExtArea>,
}

/// Plans tried where painters are short: some seconds on a large job.
const EFFORT: usize = 600;

pub fn coat_plan(input: Value) -> Outcome {
    let input: CoatPlanIn = read(input)?;
    let ids: Vec<String> = input.areas.iter().map(|a| a.id.clone()).collect();
    stand_once("areas", ids.iter())?;
    let areas = input.areas.into_iter().enumerate().map(|(i, a)| area(i, a, &ids)).collect::<Result<Vec<_>, _>>()?;
    let shed = input.shed.unwrap_or_default();
    let job = Job {
        first_weekday: input.first_weekday,
        weather: input
            .weather
            .into_iter()
            .map(|h| Hour { temperature: h.temperature, humidity: h.humidity, rain: h.rain, wind: h.wind })
            .collect(),
        shed: [shed.temperature, shed.humidity],
        work: Work {
            weekdays: input.work.weekdays,
            from: input.work.from,
            to: input.work.to,
            painters: input.work.painters,
        },
        areas,
    };
    Ok(match coats::plan(&job, EFFORT)? {
        Answer::Plan(plan) => json!({
            "coats": plan.coats.iter().map(|c| coat(c, &ids)).collect::<Vec<_>>(),
            "finish": plan.finish, "bound": plan.bound, "proven": plan.proven,
        }),
        Answer::Impossible(told) => json!({
            "impossible": told.iter().map(|t| json!({ "area": ids[t.area], "step": t.step, "why": t.why })).collect::<Vec<_>>(),
        }),
    })
}

fn coat(coat: &Coat, ids: &[String]) -> Value {
    json!({
        "area": ids[coat.area], "step": coat.step, "from": coat.from, "to": coat.to, "touch_dry": coat.touch_dry,
        "sand": coat.sand,
    })
}

fn area(i: usize, area: ExtArea, ids: &[String]) -> Result<Area, InputError> {
    let after = area.after.iter().enumerate().map(|(k, name)| {
        let found = ids.iter().position(|id| id == name);
        found.ok_or_else(|| InputError::new(format!("areas[{i}].after[{k}]"), format!("there is no area “{name}”")))
    });
    Ok(Area {
        area: area.area_m2,
        outside: matches!(area.place, Where::Outside),
        after: after.collect::<Result<_, _>>()?,
        not_before: 0,
        steps: area
            .steps
            .into_iter()
            .map(|s| Step {
                coat_hours: s.coat_hours,
                sand_hours: s.sand_hours,
                touch_dry: s.touch_dry,
                dew_safe: s.dew_safe,
                recoat_min: s.recoat_min,
                recoat_max: s.recoat_max,
                temperature: s.temperature,
                humidity_max: s.humidity_max,
                dew_margin: s.dew_margin,
                wind_max: s.wind_max,
            })
            .collect(),
    })
}
