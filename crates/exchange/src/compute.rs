//! The compute contract: JSON in, JSON out, one tool a function. The web pages call the same core functions.
//!
//! Wire types refuse unknown fields and are converted to core types before anything is worked out.
#![doc = include_str!("../../../docs/compute.md")]

mod cutting_tools;
mod decide_tools;
mod fastening_tools;
mod finish_tools;
mod joint_tools;
mod spar_tools;
mod survey_tools;
mod work_tools;

use std::collections::HashSet;
use std::hash::Hash;
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};

use mend_keel_core::grid::plank::Hole;
use mend_keel_core::grid::{Joint, Side};
use mend_keel_core::patience::TooLong;
use mend_keel_core::practice::GravingRules;
use mend_keel_core::repair::butts::{self, Conflict, Rule};
use mend_keel_core::repair::graving::{self, Damage, DamageKind, Plank, Request};
use mend_keel_core::repair::scarf;
use mend_keel_core::shape::bevel::Section;
use mend_keel_core::shape::{bend, bevel, fair, hollow};
use mend_keel_core::survey::sample;
use mend_keel_core::timber::board::Drying;
use mend_keel_core::timber::{self, moisture, species};
use mend_keel_core::units::{LengthUnit, Precision, format_length, parse_length};
use mend_keel_core::{InputError, survey};
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};

type Outcome = Result<Value, InputError>;
type Tool = fn(Value) -> Outcome;

/// Every tool by its contract name.
const TOOLS: [(&str, Tool); 54] = [
    ("length", length),
    ("format-length", format_length_tool),
    ("emc", emc),
    ("meter", meter),
    ("movement", movement),
    ("board-measure", board_measure),
    ("fastener-sample", fastener_sample),
    ("section-loss", section_loss),
    ("hog", hog),
    ("scarf", scarf_tool),
    ("fair", fair_tool),
    ("hollow", hollow_tool),
    ("bend", bend_tool),
    ("bevel", bevel_tool),
    ("butts-check", butts_check),
    ("patch", patch),
    ("scarf-run", joint_tools::scarf_run),
    ("butts-plan", joint_tools::butts_plan),
    ("cut-plan", cutting_tools::cut_plan),
    ("nest", cutting_tools::nest),
    ("fasten", fastening_tools::fasten),
    ("fasten-pattern", fastening_tools::fasten_pattern),
    ("bolt", fastening_tools::bolt),
    ("metals", fastening_tools::metals),
    ("seam", fastening_tools::seam_tool),
    ("seam-balance", fastening_tools::seam_balance),
    ("tape", fastening_tools::tape),
    ("reading", survey_tools::reading),
    ("sample-draw", survey_tools::sample_draw),
    ("line-compare", survey_tools::line_compare),
    ("moisture-field", survey_tools::moisture_field),
    ("urgency", survey_tools::urgency),
    ("coverage", survey_tools::coverage),
    ("survey-compare", survey_tools::survey_compare),
    ("decide", decide_tools::decide),
    ("what-holds", decide_tools::what_holds),
    ("grid-edit", survey_tools::grid_edit),
    ("offsets-lines", survey_tools::offsets_lines),
    ("dew-point", finish_tools::dew_point_tool),
    ("drying", finish_tools::drying),
    ("sun-dose", finish_tools::sun_dose),
    ("coat-plan", finish_tools::coat_plan),
    ("resin", finish_tools::resin_tool),
    ("estimate", work_tools::estimate_tool),
    ("estimate-job", work_tools::estimate_job),
    ("schedule", work_tools::schedule_tool),
    ("ring", spar_tools::ring_tool),
    ("spar", spar_tools::spar),
    ("spar-solid", spar_tools::spar_solid),
    ("stave-repair", spar_tools::stave_repair),
    ("deck-plan", spar_tools::deck_plan_tool),
    ("template-check", spar_tools::template_check),
    ("rectify", spar_tools::rectify_tool),
    ("ballast", spar_tools::ballast),
];

/// Names of the tools, in the order of the contract.
pub fn tools() -> impl Iterator<Item = &'static str> {
    TOOLS.iter().map(|(name, _)| *name)
}

/// Runs a tool. Errors name the field by its dotted path, or `tool` when there is none of that name.
pub fn run(tool: &str, input: Value) -> Outcome {
    let (_, work) = TOOLS.iter().find(|(name, _)| *name == tool).ok_or_else(|| {
        let known: Vec<&str> = tools().collect();
        InputError::new("tool", format!("there is no tool of that name; there are {}", known.join(", ")))
    })?;
    within(&input, "")?;
    // What breaks inside a tool is an answer too: the lines after it still have their turn.
    catch_unwind(AssertUnwindSafe(|| work(input))).unwrap_or_else(|why| {
        // What was stopped is not broken: whoever stopped it says so.
        if why.is::<TooLong>() {
            resume_unwind(why);
        }
        Err(InputError::new("", "this cannot be worked: the figures lie outside what the tool was made for"))
    })
}

/// No figure of the trade is larger: beyond it sums and squares end in infinity.
const LARGEST: f64 = 1e9;

/// Refuses a number that no tool was made for, wherever it stands. A seed is no measure.
fn within(value: &Value, path: &str) -> Result<(), InputError> {
    match value {
        Value::Number(number) if number.as_f64().is_none_or(|n| n.abs() > LARGEST) => {
            Err(InputError::new(path, format!("must be between -{LARGEST:e} and {LARGEST:e}")))
        }
        Value::Array(items) => items.iter().enumerate().try_for_each(|(i, item)| within(item, &format!("{path}[{i}]"))),
        Value::Object(fields) => fields.iter().filter(|(name, _)| *name != "seed").try_for_each(|(name, item)| {
            let dotted = if path.is_empty() { name.clone() } else { format!("{path}.{name}") };
            within(item, &dotted)
        }),
        _ => Ok(()),
    }
}

/// An error as the contract writes it: `{"error":{"field":…,"message":…}}`.
pub fn error_json(error: &InputError) -> Value {
    json!({ "error": { "field": error.field, "message": error.message } })
}

/// Works one line of a batch: `{"id":…,"tool":"…","input":{…}}`. A bad line gets its error under its id.
pub fn run_line(line: &str) -> Value {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct Line {
        tool: String,
        input: Value,
    }
    // The id is read apart, so that a line with another fault still answers under its own id.
    let mut parsed: Value = match serde_json::from_str(line) {
        Ok(value) => value,
        Err(e) => return error_json(&InputError::new("", format!("not JSON: {e}"))),
    };
    let id = parsed.as_object_mut().and_then(|fields| fields.remove("id")).unwrap_or(Value::Null);
    let mut answer = match read::<Line>(parsed).and_then(|line| run(&line.tool, line.input)) {
        Ok(output) => json!({ "output": output }),
        Err(error) => error_json(&error),
    };
    answer["id"] = id;
    answer
}

/// Reads an input, naming the field a fault lies at.
fn read<T: DeserializeOwned>(input: Value) -> Result<T, InputError> {
    serde_path_to_error::deserialize(input).map_err(|error| {
        let path = error.path().to_string();
        let message = error.inner().to_string();
        let outer = if path == "." || path == "?" { "" } else { path.as_str() };
        // serde reports a missing field at its owner: the field itself is what a person looks for.
        match message.strip_prefix("missing field `").and_then(|rest| rest.split_once('`')) {
            Some((field, _)) => InputError::new(field, "is missing").within(outer),
            None => InputError::new(outer, message),
        }
    })
}

/// Refuses ids of a list that are neither text nor number, or stand twice.
fn named<'v>(list: &str, ids: impl Iterator<Item = &'v Value> + Clone) -> Result<(), InputError> {
    if let Some(i) = ids.clone().position(|id| !(id.is_string() || id.is_number())) {
        return Err(InputError::new(format!("{list}[{i}].id"), "must be a text or a number"));
    }
    stand_once(list, ids.map(Value::to_string))
}

/// A length of stock, by its id.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ExtStock {
    id: Value,
    length: f64,
}

/// An id stands once in its list.
fn stand_once<T: Eq + Hash>(list: &str, ids: impl Iterator<Item = T>) -> Result<(), InputError> {
    let mut seen = HashSet::new();
    for (i, id) in ids.enumerate() {
        if !seen.insert(id) {
            return Err(InputError::new(format!("{list}[{i}].id"), "stands twice"));
        }
    }
    Ok(())
}

fn write<T: Serialize>(output: T) -> Outcome {
    serde_json::to_value(output).map_err(|e| InputError::new("", e.to_string()))
}

fn length(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        text: String,
        #[serde(default)]
        unit: LengthUnit,
    }
    let input: In = read(input)?;
    Ok(json!({ "mm": parse_length(&input.text, input.unit)? }))
}

fn format_length_tool(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        mm: f64,
        unit: LengthUnit,
        #[serde(default = "sixteenths")]
        denominator: u32,
    }
    fn sixteenths() -> u32 {
        16
    }
    let input: In = read(input)?;
    if ![1, 2, 4, 8, 16, 32, 64].contains(&input.denominator) {
        return Err(InputError::new("denominator", "must be 1, 2, 4, 8, 16, 32 or 64"));
    }
    Ok(json!({ "text": format_length(input.mm, input.unit, input.denominator, Precision::Usual) }))
}

fn emc(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        temperature: f64,
        humidity: f64,
    }
    let input: In = read(input)?;
    Ok(json!({ "emc": moisture::equilibrium(input.temperature, input.humidity)? }))
}

fn meter(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        reading: f64,
        wood_temperature: f64,
        #[serde(default)]
        species_offset: f64,
    }
    let input: In = read(input)?;
    let read = moisture::correct_meter(input.reading, input.wood_temperature, input.species_offset)?;
    let warning = read.only_wet.then_some("above 25 % a pin meter only says that the wood is wet");
    Ok(json!({ "moisture": read.moisture, "class": read.class, "means": read.class.label(), "warning": warning }))
}

fn movement(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        width: f64,
        species: Option<String>,
        shrinkage: Option<f64>,
        ring_angle: Option<f64>,
        from: f64,
        to: f64,
    }
    let input: In = read(input)?;
    let shrinkage = match (input.shrinkage, &input.species) {
        (Some(_), Some(_)) => {
            return Err(InputError::new("shrinkage", "give species or shrinkage, not both"));
        }
        (Some(shrinkage), None) => shrinkage,
        (None, Some(id)) => {
            let angle = input.ring_angle.ok_or_else(|| InputError::new("ring_angle", "is missing"))?;
            if !(0.0..=90.0).contains(&angle) {
                return Err(InputError::new(
                    "ring_angle",
                    format!("must be between 0 (flat) and 90 (quarter), was {angle}"),
                ));
            }
            let species = species::find(id)?;
            timber::shrinkage_at(species.shrinkage_radial, species.shrinkage_tangential, angle)
        }
        (None, None) => {
            return Err(InputError::new("species", "is missing: give species or shrinkage"));
        }
    };
    Ok(json!({ "change": timber::movement(input.width, shrinkage, input.from, input.to)?, "shrinkage": shrinkage }))
}

fn board_measure(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        thickness: f64,
        width: f64,
        length: f64,
        #[serde(default)]
        round_up_thin: bool,
    }
    let input: In = read(input)?;
    let measure = timber::measure(input.thickness, input.width, input.length, input.round_up_thin)?;
    Ok(json!({ "board_feet": measure.board_feet, "cubic_metres": measure.cubic_metres }))
}

fn fastener_sample(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        population: u32,
        drawn: u32,
        bad: u32,
        #[serde(default = "usual_confidence")]
        confidence: f64,
    }
    fn usual_confidence() -> f64 {
        0.95
    }
    let input: In = read(input)?;
    let sample = sample::read(input.population, input.drawn, input.bad, input.confidence)?;
    Ok(json!({
        "estimate": sample.estimate, "low": sample.low, "high": sample.high, "verdict": sample.verdict,
        "draw_more": sample.draw_more, "advice": sample.advice(input.population - input.drawn),
    }))
}

fn section_loss(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        original_diameter: f64,
        remaining_diameter: f64,
    }
    let input: In = read(input)?;
    let (loss, grade) = survey::reading::section_loss(input.original_diameter, input.remaining_diameter)?;
    Ok(json!({ "loss": loss, "grade": grade }))
}

fn hog(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        points: Vec<[f64; 2]>,
    }
    let input: In = read(input)?;
    let hog = survey::hog(&input.points)?;
    Ok(json!({
        "deviations": hog.deviations, "greatest": hog.greatest, "at": hog.at,
        "one_in": hog.one_in, "advice": hog.advice(),
    }))
}

fn scarf_tool(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        thickness: f64,
        width: f64,
        ratio: f64,
    }
    let input: In = read(input)?;
    let joint = scarf::plan(input.thickness, input.width, input.ratio)?;
    Ok(json!({
        "length": joint.length, "glue_area": joint.glue_area, "efficiency": joint.efficiency, "nib": joint.nib,
        "warning": scarf::warning(input.ratio),
    }))
}

fn hollow_tool(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        width: f64,
        radius: f64,
        finished_thickness: f64,
    }
    let input: In = read(input)?;
    let hollow = hollow::plan(input.width, input.radius, input.finished_thickness)?;
    Ok(json!({ "hollow": hollow.hollow, "stock_thickness": hollow.stock_thickness }))
}

fn fair_tool(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        points: Vec<[f64; 2]>,
        tolerance: Option<f64>,
        at: Option<Vec<f64>>,
    }
    let input: In = read(input)?;
    let line = fair::fit(&input.points, input.tolerance.unwrap_or(fair::TOLERANCE), input.at.as_deref())?;
    Ok(json!({
        "suspects": line.suspects, "residuals": line.residuals, "curve": line.curve, "inflections": line.inflections,
        "checked": line.checked, "scatter": line.scatter,
    }))
}

fn bend_tool(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        species: String,
        thickness: f64,
        radius: f64,
        drying: Drying,
        #[serde(default)]
        soaked: bool,
        #[serde(default)]
        strap: bool,
        width: Option<f64>,
        edge_radius: Option<f64>,
    }
    let input: In = read(input)?;
    if input.edge_radius.is_some() && input.width.is_none() {
        return Err(InputError::new("width", "is needed to tell an edge-set"));
    }
    let request = bend::Request {
        species: species::find(&input.species)?,
        thickness: input.thickness,
        radius: input.radius,
        drying: input.drying,
        soaked: input.soaked,
        strap: input.strap,
        edge_set: input.width.zip(input.edge_radius),
    };
    let bend = bend::plan(&request)?;
    Ok(json!({
        "cold_ok": bend.cold_ok, "cold_ratio": bend.cold_ratio, "steam_ok": bend.steam_ok, "steam_risk": bend.steam_risk,
        "steam_min_radius": bend.steam_min_radius, "steam_minutes": bend.steam_minutes, "method": bend.method,
        "plies": bend.plies, "ply_thickness": bend.ply_thickness, "spring_back": bend.spring_back,
        "edge_set_ratio": bend.edge_set_ratio, "advice": bend.advice(),
    }))
}

fn bevel_tool(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct ExtSection {
        x: f64,
        points: Vec<[f64; 2]>,
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        sections: Vec<ExtSection>,
        station: usize,
        height: f64,
    }
    let input: In = read(input)?;
    let sections: Vec<Section> = input.sections.into_iter().map(|s| Section { x: s.x, points: s.points }).collect();
    let bevel = bevel::at(&sections, input.station, input.height)?;
    Ok(json!({ "bevel": bevel.bevel, "distance": bevel.distance }))
}

/// A butt rule by name or by its four numbers.
fn butt_rule(value: Value) -> Result<Rule, InputError> {
    match value {
        Value::String(name) if name == "wide" => Ok(butts::WIDE),
        Value::String(name) if name == "close" => Ok(butts::CLOSE),
        Value::String(_) => Err(InputError::new("rule", "must be \"wide\", \"close\" or the four numbers of a rule")),
        numbers => read(numbers).map_err(|e| e.within("rule")),
    }
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ExtJoint {
    side: Side,
    strake: u32,
    bay: u32,
}

impl From<ExtJoint> for Joint {
    fn from(joint: ExtJoint) -> Self {
        Self { side: joint.side, strake: joint.strake, bay: joint.bay }
    }
}

fn butts_check(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        rule: Value,
        joints: Vec<ExtJoint>,
    }
    #[derive(Serialize)]
    struct Violation {
        a: usize,
        b: usize,
        #[serde(flatten)]
        conflict: Conflict,
        text: String,
    }
    let input: In = read(input)?;
    let rule = butt_rule(input.rule)?;
    let joints: Vec<Joint> = input.joints.into_iter().map(Joint::from).collect();
    let violations: Vec<Violation> = butts::check(&rule, &joints)
        .into_iter()
        .map(|v| Violation { a: v.a, b: v.b, conflict: v.conflict, text: v.conflict.text() })
        .collect();
    write(json!({ "violations": violations }))
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ExtPlank {
    length: f64,
    width: Option<f64>,
    lower: Option<Vec<[f64; 2]>>,
    upper: Option<Vec<[f64; 2]>>,
    thickness: f64,
}

impl ExtPlank {
    fn into_plank(self) -> Result<Plank, InputError> {
        match (self.width, self.lower, self.upper) {
            (Some(width), None, None) if width.is_finite() && width > 0.0 => {
                Ok(Plank::parallel(self.length, width, self.thickness))
            }
            (Some(width), None, None) => Err(InputError::new("width", format!("must be greater than 0, was {width}"))),
            (None, Some(lower), Some(upper)) => {
                Ok(Plank { length: self.length, lower, upper, thickness: self.thickness })
            }
            (Some(_), _, _) => Err(InputError::new("width", "give the width or the lower and upper edge, not both")),
            (None, None, None) => {
                Err(InputError::new("width", "is missing: give the width, or the lower and upper edge"))
            }
            (None, lower, _) => Err(InputError::new(if lower.is_some() { "upper" } else { "lower" }, "is missing")),
        }
    }
}

#[derive(Deserialize)]
#[serde(rename_all = "snake_case")]
enum ExtDamageKind {
    Crack,
    Gouge,
    Rot,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ExtDamage {
    kind: ExtDamageKind,
    points: Vec<[f64; 2]>,
    depth: f64,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ExtHole {
    id: Value,
    x: f64,
    y: f64,
    diameter: f64,
    #[serde(default)]
    live: bool,
}

/// Rules not given keep the handbook's value, but for those of shape: the tool answers the smallest outline there is
/// unless it is asked for one without short sides, sharp corners or undercut.
#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields, default)]
struct ExtRules {
    crack_side: Option<f64>,
    crack_tip: Option<f64>,
    gouge: Option<f64>,
    rot_along: Option<f64>,
    rot_across: Option<f64>,
    hole_clearance: Option<f64>,
    end_slope: Option<f64>,
    edge_land: Option<f64>,
    proud: Option<f64>,
    blank_margin: Option<f64>,
    least_side: Option<f64>,
    least_corner: Option<f64>,
    undercut: Option<bool>,
}

impl From<ExtRules> for GravingRules {
    fn from(given: ExtRules) -> Self {
        let usual = Self::default().of_any_shape();
        Self {
            crack_side: given.crack_side.unwrap_or(usual.crack_side),
            crack_tip: given.crack_tip.unwrap_or(usual.crack_tip),
            gouge: given.gouge.unwrap_or(usual.gouge),
            rot_along: given.rot_along.unwrap_or(usual.rot_along),
            rot_across: given.rot_across.unwrap_or(usual.rot_across),
            hole_clearance: given.hole_clearance.unwrap_or(usual.hole_clearance),
            end_slope: given.end_slope.unwrap_or(usual.end_slope),
            edge_land: given.edge_land.unwrap_or(usual.edge_land),
            proud: given.proud.unwrap_or(usual.proud),
            blank_margin: given.blank_margin.unwrap_or(usual.blank_margin),
            least_side: given.least_side.unwrap_or(usual.least_side),
            least_corner: given.least_corner.unwrap_or(usual.least_corner),
            undercut: given.undercut.unwrap_or(usual.undercut),
        }
    }
}

fn patch(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        plank: ExtPlank,
        damage: Vec<ExtDamage>,
        #[serde(default)]
        holes: Vec<ExtHole>,
        #[serde(default)]
        frames: Vec<f64>,
        #[serde(default)]
        rules: ExtRules,
    }
    let input: In = read(input)?;
    let ids: Vec<Value> = input.holes.iter().map(|hole| hole.id.clone()).collect();
    let request = Request {
        plank: input.plank.into_plank().map_err(|e| e.within("plank"))?,
        damage: input.damage.into_iter().map(Damage::from).collect(),
        // Holes go in by their place in the list, so that an id may be a number or a text and come out as it went in.
        holes: input
            .holes
            .into_iter()
            .enumerate()
            .map(|(i, hole)| Hole { id: i.to_string(), x: hole.x, y: hole.y, diameter: hole.diameter, live: hole.live })
            .collect(),
        frames: input.frames,
        rules: input.rules.into(),
        face_depth: None,
    };
    let found = graving::plan(&request)?;
    let swallowed: Vec<Value> =
        found.swallowed.iter().filter_map(|i| ids.get(i.parse::<usize>().ok()?)).cloned().collect();
    let mut output = write(found)?;
    output["swallowed"] = Value::Array(swallowed);
    Ok(output)
}

impl From<ExtDamage> for Damage {
    fn from(damage: ExtDamage) -> Self {
        let kind = match damage.kind {
            ExtDamageKind::Crack => DamageKind::Crack,
            ExtDamageKind::Gouge => DamageKind::Gouge,
            ExtDamageKind::Rot => DamageKind::Rot,
        };
        Self { kind, points: damage.points, depth: damage.depth }
    }
}
