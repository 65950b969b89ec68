//! Bench: the calculators on their own. Each works through the same compute contract as the command line.

use std::fmt::Write;

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::fastening::through;
use mend_keel_core::grid::Construction;
use mend_keel_core::seam::balance::Filling;
use mend_keel_core::seam::{LaidDeck, SeamSchool, Treatment};
use mend_keel_core::units::{LengthUnit, parse_length};
use mend_keel_exchange::compute;
use mend_keel_store::boats;
use rocket::{get, post};
use serde_json::{Map, Value, json};

use crate::view::reasons::{self, ReasonView};
use crate::view::{Units, crossing};
use crate::web::auth::Crew;
use crate::web::choices::{Choices, Control, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{AppError, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};
use crate::web::heavy;

/// How a field of a calculator is typed.
#[derive(Debug, Clone, Copy)]
enum Kind {
    /// A length, in any way a yard writes one.
    Length,
    Number,
    /// A whole number.
    Count,
    Text,
    /// A table species.
    Species,
    /// Points, one to a line.
    Points,
    /// Layers of a stack, one to a line: a thickness each.
    Layers,
    /// Old holes, one to a line: x, y, diameter.
    Holes,
    /// Pieces of metal, one to a line: metal, zone, how far along, and how large it is.
    Metals,
    /// A length that may be left out.
    MaybeLength,
    /// One of a closed list; the empty code leaves it to the rules.
    Choice(fn() -> Choices),
    /// Ticked or not.
    Yes,
}

/// A field of a calculator: the contract's name, its label, how it is typed, and an ordinary value.
type Field = (&'static str, &'static str, Kind, &'static str);

/// A calculator: the contract's name, a title, what it says, its fields, and the formula with its source.
struct Tool {
    name: &'static str,
    title: &'static str,
    fields: &'static [Field],
    formula: &'static str,
    source: &'static str,
}

use Kind::{Length, Number, Points, Text};

fn fastenings() -> Choices {
    let mut all = pairs(
        &[through::Kind::Screw, through::Kind::Rivet, through::Kind::Clench],
        through::Kind::code,
        through::Kind::label,
    );
    all.insert(0, (String::new(), "what the rules say".to_owned()));
    all
}

fn originals() -> Choices {
    let mut all = fastenings();
    all[0].1 = "driven nails, or not known".to_owned();
    all
}

fn constructions() -> Choices {
    pairs(Construction::ALL, Construction::code, Construction::label)
}

fn treatments() -> Choices {
    let mut all = pairs(Treatment::ALL, Treatment::code, Treatment::label);
    all.insert(0, (String::new(), "the usual one".to_owned()));
    all
}

fn schools() -> Choices {
    pairs(SeamSchool::ALL, SeamSchool::code, SeamSchool::label)
}

fn surfaces() -> Choices {
    pairs(through::Surface::ALL, through::Surface::code, through::Surface::label)
}

fn decks() -> Choices {
    pairs(LaidDeck::ALL, LaidDeck::code, LaidDeck::label)
}

fn fillings() -> Choices {
    pairs(Filling::ALL, Filling::code, Filling::label)
}

/// The contract's tool behind a calculator: one may have more than one page.
fn contract(name: &'static str) -> &'static str {
    match name {
        "deck-seam" => "seam",
        other => other,
    }
}

const TOOLS: [Tool; 28] = [
    Tool {
        name: "length",
        title: "Read a length",
        fields: &[("text", "Length as written", Text, "3-4-5+")],
        formula: "feet-inches-eighths; + is a sixteenth more",
        source: "handbook 02",
    },
    Tool {
        name: "emc",
        title: "Moisture wood comes to",
        fields: &[("temperature", "Temperature, °C", Number, "15"), ("humidity", "Humidity, %", Number, "70")],
        formula: "1800/W · [KH/(1−KH) + (K1·KH + 2·K1·K2·K²H²)/(1 + K1·KH + K1·K2·K²H²)]",
        source: "Wood Handbook eq. 4-5",
    },
    Tool {
        name: "meter",
        title: "Correct a pin meter",
        fields: &[
            ("reading", "Reading, %", Number, "14"),
            ("wood_temperature", "Wood, °C", Number, "8"),
            ("species_offset", "Species offset, %", Number, "0"),
        ],
        formula: "(R + 0.567 − 0.0260t + 0.000051t²) / (0.881 · 1.0056^t) + offset",
        source: "Garrahan 1988",
    },
    Tool {
        name: "movement",
        title: "Movement of a width",
        fields: &[
            ("width", "Width", Length, "150"),
            ("species", "Species", Kind::Species, "western_larch"),
            ("ring_angle", "Ring angle, ° (0 flat, 90 quarter)", Number, "90"),
            ("from", "From, %", Number, "12"),
            ("to", "To, %", Number, "18"),
        ],
        formula: "ΔD = D·(Mf − Mi) / (30·100/S − 30 + Mi)",
        source: "Wood Handbook eq. 13-1",
    },
    Tool {
        name: "board-measure",
        title: "Measure a board",
        fields: &[
            ("thickness", "Thickness", Length, "32"),
            ("width", "Width", Length, "180"),
            ("length", "Length", Length, "3.6 m"),
        ],
        formula: "in × in × ft / 12; thickness × width × length",
        source: "handbook 02",
    },
    Tool {
        name: "section-loss",
        title: "A drawn fastening",
        fields: &[
            ("original_diameter", "Diameter when new", Length, "5"),
            ("remaining_diameter", "Diameter left", Length, "4.2"),
        ],
        formula: "1 − (d/d0)²; to 10 % good, to 30 % tired, then bad",
        source: "yard rule, handbook 03",
    },
    Tool {
        name: "hog",
        title: "Hog of a keel",
        fields: &[("points", "Stations, one to a line: x, height", Points, "0, 0\n2 m, 9\n4 m, 16\n6 m, 14\n8 m, 4")],
        formula: "height above the straight line through the ends",
        source: "handbook 03",
    },
    Tool {
        name: "fastener-sample",
        title: "A sample of fastenings",
        fields: &[
            ("population", "Fastenings in the region", Kind::Count, "2400"),
            ("drawn", "Drawn", Kind::Count, "20"),
            ("bad", "Bad among them", Kind::Count, "3"),
        ],
        formula: "exact interval: Clopper–Pearson, hypergeometric above a tenth of the region",
        source: "handbook 03; verdicts yard rule",
    },
    Tool {
        name: "fair",
        title: "Fair a line",
        fields: &[(
            "points",
            "Measurements, one to a line: x, offset",
            Points,
            "0, 120\n500, 96\n1000, 79\n1500, 79\n2000, 66\n2500, 72\n3000, 85",
        )],
        formula: "least ∫ f''² dx within 1.5 mm of every measurement",
        source: "handbook 04",
    },
    Tool {
        name: "bend",
        title: "Bend a piece",
        fields: &[
            ("species", "Species", Kind::Species, "white_oak"),
            ("thickness", "Thickness", Length, "25"),
            ("radius", "Inside radius", Length, "400"),
            ("drying", "Dried: green, air, kiln or unknown", Text, "air"),
        ],
        formula: "strain t/(2R + t) × E against half the bending strength; steamed R ≥ k·t; steam 2.4 min/mm",
        source: "Wood Handbook ch. 5; radii yard rule",
    },
    Tool {
        name: "scarf",
        title: "A scarf",
        fields: &[
            ("thickness", "Thickness", Length, "25"),
            ("width", "Width", Length, "150"),
            ("ratio", "Ratio to 1", Number, "8"),
        ],
        formula: "length = ratio × thickness; glue area = width × √(L² + t²)",
        source: "Wood Handbook ch. 12",
    },
    Tool {
        name: "hollow",
        title: "Hollow a plank",
        fields: &[
            ("width", "Plank width", Length, "150"),
            ("radius", "Frame radius", Length, "900"),
            ("finished_thickness", "Finished thickness", Length, "25"),
        ],
        formula: "h = R − √(R² − w²/4)",
        source: "handbook 04",
    },
    Tool {
        name: "format-length",
        title: "Write a length in inches",
        fields: &[("mm", "Length", Length, "1031.9 mm")],
        formula: "to the nearest sixteenth, feet and inches above 24 in",
        source: "handbook 02",
    },
    Tool {
        name: "fasten",
        title: "Fastenings for a plank",
        fields: &[
            ("plank_species", "Planking", Kind::Species, "western_larch"),
            ("frame_species", "Frames", Kind::Species, "white_oak"),
            ("plank_thickness", "Plank thickness", Length, "25"),
            ("plank_width", "Plank width", Length, "140"),
            ("frame_moulded", "Frame, moulded", Length, "60"),
            ("to_plane_off", "Still to plane off", Length, "2"),
            ("count", "How many", Kind::Count, "96"),
            ("inside", "reached from inside", Kind::Yes, ""),
            ("original", "What was there", Kind::Choice(originals), ""),
            ("kind", "Kind", Kind::Choice(fastenings), "screw"),
        ],
        formula: "shank = 0.060 in + 0.013 in × gauge; withdrawal p = 108.25·G²·D·L, a fifth of it to work with",
        source: "Wood Handbook ch. 8; sizes yard rule",
    },
    Tool {
        name: "fasten-pattern",
        title: "Places among old holes",
        fields: &[
            ("width", "Plank width", Length, "140"),
            ("sided", "Frame, sided", Length, "45"),
            ("gauge", "Gauge", Kind::Count, "14"),
            (
                "old",
                "Old holes, one to a line: x from the frame’s middle, y up, diameter",
                Kind::Holes,
                "0, 35, 5\n0, 105, 5",
            ),
            ("end", "Aft to the plank’s end, where it is near", Kind::MaybeLength, ""),
        ],
        formula: "edge ≥ max(12, 2.5 d); old holes ≥ 3 d; holes ≤ 20 % of the width",
        source: "handbook 05",
    },
    Tool {
        name: "bolt",
        title: "A bolt for a stack",
        fields: &[
            ("diameter", "Bolt, mm", Number, "8"),
            ("layers", "Layers, one to a line: a thickness each", Kind::Layers, "22\n18\n5"),
            ("washers", "Washers together", Length, "3"),
            ("surface", "Bedded on", Kind::Choice(surfaces), "wood"),
            ("comes_apart", "must come apart again", Kind::Yes, ""),
            ("below", "below the waterline", Kind::Yes, ""),
        ],
        formula: "grip + nut + 2 × pitch, rounded up to a length that is sold",
        source: "handbook 05",
    },
    Tool {
        name: "metals",
        title: "Metals side by side",
        fields: &[(
            "items",
            "Pieces, one to a line: metal, zone (below, bilge, splash, deck, dry), how far along, wetted cm²",
            Kind::Metals,
            "silicon_bronze, below, 0, 90\ngalvanised_steel, below, 120, 4",
        )],
        formula: "difference of potential within 300 mm: 0.20 V below and in the bilge, 0.30 V in the splash zone and on deck",
        source: "MIL-STD-889, ASTM G82; limits yard rule",
    },
    Tool {
        name: "seam",
        title: "Caulk a seam",
        fields: &[
            ("thickness", "Plank thickness", Length, "25"),
            ("length", "Seam", Length, "8 m"),
            ("width", "Width, where measured", Kind::MaybeLength, ""),
            ("construction", "Construction", Kind::Choice(constructions), "carvel_caulked"),
            ("treatment", "Treatment", Kind::Choice(treatments), ""),
            ("school", "School", Kind::Choice(schools), "soft"),
            ("stays_dry", "she stays dry", Kind::Yes, ""),
        ],
        formula: "width = thickness / 16 + 0.8 mm; cotton to half the depth; compound max(5, thickness / 4)",
        source: "handbook 06",
    },
    Tool {
        name: "deck-seam",
        title: "A deck’s seams",
        fields: &[
            ("deck", "Deck", Kind::Choice(decks), "caulked"),
            ("width", "Width", Length, "5"),
            ("depth", "Compound, deep", Kind::MaybeLength, ""),
            ("length", "Seams together", Length, "40 m"),
        ],
        formula: "compound as deep as it is wide, to half as much again; volume = width × depth × length × 1.15",
        source: "handbook 06 and 10",
    },
    Tool {
        name: "seam-balance",
        title: "What becomes of a seam",
        fields: &[
            ("plank_width", "Plank width", Length, "150"),
            ("species", "Planking", Kind::Species, "western_larch"),
            ("ring_angle", "Ring angle, °", Number, "80"),
            ("now", "Moisture now, %", Number, "12"),
            ("service", "In service, %", Number, "18"),
            ("seam_width", "Seam width", Length, "2.4"),
            ("filling", "Filled with", Kind::Choice(fillings), "soft"),
        ],
        formula: "closure = ΔW − 0.5 % of the width − what the filling gives",
        source: "handbook 06",
    },
    Tool {
        name: "dew-point",
        title: "Dew point",
        fields: &[("temperature", "Temperature, °C", Number, "14"), ("humidity", "Humidity, %", Number, "70")],
        formula: "γ = ln(RH/100) + 17.62T/(243.12 + T), Td = 243.12γ/(17.62 − γ); the surface stays 3 °C above it",
        source: "Magnus; handbook 07",
    },
    Tool {
        name: "drying",
        title: "Drying time",
        fields: &[
            ("at20", "Hours at 20 °C", Number, "6"),
            ("temperature", "Temperature, °C", Number, "12"),
            ("humidity", "Humidity, %", Number, "70"),
        ],
        formula: "t · 2^((20 − T)/10), × 1.3 above 75 % humidity",
        source: "handbook 07",
    },
    Tool {
        name: "sun-dose",
        title: "The sun on a face",
        fields: &[
            ("latitude", "Latitude, ° north", Number, "50"),
            ("tilt", "Leans: 0 flat, 90 upright", Number, "90"),
            ("bearing", "Looks to, ° from north", Number, "180"),
            ("shade", "Shade: 0 open, 1 covered", Number, "0"),
        ],
        formula: "through air 0.7^(m^0.678); varnish lives 2/dose years, 6 at most, paint 2.5 times that, 12 at most",
        source: "Kasten and Young 1989; handbook 07",
    },
    Tool {
        name: "ring",
        title: "A laminated ring",
        fields: &[
            ("inner_diameter", "Inside diameter", Length, "110"),
            ("thickness", "Thickness", Length, "12"),
            ("ply", "Strips thick", Length, "4"),
            ("taper", "Feathered end", Length, "60"),
            ("species", "Species", Kind::Species, "white_oak"),
            ("drying", "Dried: green, air, kiln or unknown", Text, "air"),
            ("soaked", "soaked first", Kind::Yes, ""),
        ],
        formula: "Σ π·(inside + (2i − 1)·ply) and two ends; one spare in ten at low risk, one in four at high",
        source: "handbook 10",
    },
    Tool {
        name: "spar",
        title: "A hollow spar of staves",
        fields: &[
            ("diameter", "Diameter", Length, "120"),
            ("staves", "Staves", Kind::Count, "8"),
            ("wall", "Wall, where it is no fifth", Kind::MaybeLength, ""),
        ],
        formula: "notch t·sinφ·cosφ deep, its apex t·cos²φ below the face, φ = 2π/n",
        source: "handbook 10",
    },
    Tool {
        name: "spar-solid",
        title: "A solid spar",
        fields: &[("diameter", "Diameter", Length, "100")],
        formula: "square, eight: (D − D·tan π/8)/2 from each edge, sixteen: half of what its face is wider",
        source: "geometry; handbook 10",
    },
    Tool {
        name: "ballast",
        title: "Weights on a glued deck",
        fields: &[
            ("area_m2", "Area, m²", Number, "3.4"),
            ("per_m2", "Laid on, kg/m²", Number, "80"),
            ("bag", "A bag, kg", Number, "25"),
        ],
        formula: "area × weight, whole bags",
        source: "handbook 10",
    },
    Tool {
        name: "tape",
        title: "Masking tape",
        fields: &[("face", "Face between seams", Length, "42"), ("seam_length", "Seams together", Length, "30 m")],
        formula: "two lengths a seam and 5 %; no wider than the face",
        source: "handbook 06",
    },
];

#[derive(Template)]
#[template(path = "bench.html")]
struct List {
    page: Page,
    tools: Vec<(&'static str, &'static str)>,
}

#[get("/bench")]
pub fn list(desk: Desk<'_>, _who: Crew) -> Result {
    render(&List { page: desk.page("Bench", "bench"), tools: TOOLS.iter().map(|t| (t.name, t.title)).collect() })
}

struct FieldView {
    name: &'static str,
    label: &'static str,
    kind: Control,
    choices: Choices,
}

#[derive(Template)]
#[template(path = "bench_tool.html")]
struct Show {
    page: Page,
    name: &'static str,
    title: &'static str,
    formula: &'static str,
    source: &'static str,
    fields: Vec<FieldView>,
    typed: Typed,
    faults: Faults,
    results: Vec<(String, String)>,
    svg: String,
    reasons: Vec<ReasonView>,
    asked: String,
    /// Boats an answer may be pinned to.
    boats: Choices,
    pinned: String,
}

fn find(name: &str) -> std::result::Result<&'static Tool, AppError> {
    TOOLS.iter().find(|t| t.name == name).ok_or(AppError::NotFound("calculator"))
}

async fn show(
    desk: &Desk<'_>,
    tool: &'static Tool,
    typed: Typed,
    faults: Faults,
    answer: &Value,
    asked: String,
) -> Result<Show> {
    let boats = boats::list(desk.store).await?;
    let kind = |kind| match kind {
        Kind::Length | Kind::MaybeLength => Control::Length,
        Kind::Species | Kind::Choice(_) => Control::Choice,
        Kind::Yes => Control::Yes,
        Kind::Points | Kind::Layers | Kind::Holes | Kind::Metals => Control::Lines,
        Kind::Number | Kind::Count | Kind::Text => Control::Words,
    };
    Ok(Show {
        page: desk.page(tool.title, "bench"),
        name: tool.name,
        title: tool.title,
        formula: tool.formula,
        source: tool.source,
        fields: tool
            .fields
            .iter()
            .map(|(name, label, k, _)| FieldView {
                name,
                label,
                kind: kind(*k),
                choices: match k {
                    Kind::Species => crate::web::choices::species_choices(),
                    Kind::Choice(list) => list(),
                    _ => Choices::new(),
                },
            })
            .collect(),
        results: rows(answer, desk.units),
        svg: if tool.name == "fasten-pattern" { draw_pattern(&typed, answer, desk.units) } else { String::new() },
        reasons: reasons::kept(&all_reasons(answer), desk.units),
        typed,
        faults,
        asked,
        boats: boats.iter().map(|b| (b.id.to_string(), b.name.clone())).collect(),
        pinned: String::new(),
    })
}

#[get("/bench/<tool>")]
pub async fn tool(desk: Desk<'_>, _who: Crew, tool: &str) -> Result {
    let tool = find(tool)?;
    let typed = tool.fields.iter().fold(Typed::default(), |t, (name, _, _, usual)| t.with(name, *usual));
    render(&show(&desk, tool, typed, Faults::default(), &Value::Null, String::new()).await?)
}

#[post("/bench/<tool>", data = "<posted>")]
pub async fn work(desk: Desk<'_>, _who: Crew, tool: &str, posted: Posted) -> Result {
    let tool = find(tool)?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let mut input = Map::new();
    for (name, _, kind, _) in tool.fields {
        let value = match kind {
            Length => json!(read.length(name)),
            Number => json!(read.number(name, -1e6, 1e6)),
            Kind::Count => json!(read.whole(name, 0, 1_000_000)),
            Text | Kind::Species => json!(posted.form.get(name)),
            Kind::MaybeLength => match read.optional_length(name) {
                Some(mm) => json!(mm),
                None => continue,
            },
            Kind::Choice(list) => match read.optional_choice(name, |code| list().iter().position(|c| c.0 == code)) {
                Some(i) => json!(list()[i].0),
                None => continue,
            },
            Kind::Yes => json!(read.is_on(name)),
            Points => json!(read.points(name)),
            Kind::Layers | Kind::Holes | Kind::Metals => {
                listed(*kind, name, &mut read, posted.form.get(name), desk.units.unit)
            }
        };
        input.insert((*name).to_owned(), value);
    }
    match tool.name {
        "length" => drop(input.insert("unit".into(), json!(desk.units.unit))),
        "format-length" => drop(input.insert("unit".into(), json!("in"))),
        _ => {}
    }
    let mut faults = std::mem::take(&mut read.faults);
    let asked = Value::Object(input.clone()).to_string();
    let mut answer = Value::Null;
    if faults.is_empty() {
        match heavy::compute(|| compute::run(contract(tool.name), Value::Object(input))).await {
            Ok(Ok(output)) => answer = output,
            Ok(Err(e)) => faults.add_listed(&e),
            Err(halted) => faults.add(InputError::new("", halted.says())),
        }
    }
    let good = faults.is_empty();
    let boat = posted.form.get("pin").parse::<i64>().ok().filter(|_| good);
    let pinned = match boat {
        Some(id) => {
            let boat = boats::find(desk.store, id).await?;
            let results = rows(&answer, desk.units);
            let told: Vec<String> = results.iter().take(6).map(|(name, value)| format!("{name} {value}")).collect();
            let mut work = desk.store.begin(posted.act()).await?;
            let body = json!({ "tool": tool.name, "asked": asked, "answer": results });
            work.note(
                Some(id),
                None,
                "bench",
                &format!("From the bench, {}: {}", tool.title.to_lowercase(), told.join(", ")),
                &body,
            )
            .await?;
            work.commit(&format!("/bench/{}", tool.name)).await?;
            boat.name
        }
        None => String::new(),
    };
    let page = Show { pinned, ..show(&desk, tool, posted.form.typed(), faults, &answer, asked).await? };
    if good { render(&page) } else { render_faulty(&page) }
}

/// Lines of a list as the contract wants them; faults are told at the field with their line.
fn listed(kind: Kind, name: &str, read: &mut Reader<'_>, text: &str, unit: LengthUnit) -> Value {
    let mut all = Vec::new();
    for (i, line) in text.lines().enumerate().filter(|(_, l)| !l.trim().is_empty()) {
        let cells: Vec<&str> = line.split([',', ';']).map(str::trim).collect();
        let mm = |t: &str| parse_length(t, unit).ok();
        let item = match (kind, cells.as_slice()) {
            (Kind::Layers, [.., t]) => mm(t).map(|t| json!({ "thickness": t })),
            (Kind::Holes, [x, y, d]) => {
                mm(x).zip(mm(y)).zip(mm(d)).map(|((x, y), d)| json!({ "x": x, "y": y, "diameter": d }))
            }
            (Kind::Metals, [metal, zone, x, size @ ..]) if size.len() < 2 => {
                let area = size.first().map_or(Some(0.0), |t| t.replace(',', ".").parse::<f64>().ok());
                mm(x).zip(area).map(|(x, area)| {
                    json!({ "metal": metal, "zone": zone, "at": [x, 0.0, 0.0], "area": area * 100.0, "in_wood": true })
                })
            }
            _ => None,
        };
        match item {
            Some(item) => all.push(item),
            None => read.faults.add(InputError::new(name, format!("line {} cannot be read", i + 1))),
        }
    }
    Value::Array(all)
}

/// The reasons of an answer, and those of the troubles in it.
fn all_reasons(answer: &Value) -> Value {
    let own = answer["reasons"].as_array().into_iter().flatten();
    let inner = answer["troubles"].as_array().into_iter().flatten().filter_map(|t| t["reasons"].as_array()).flatten();
    Value::Array(own.chain(inner).cloned().collect())
}

/// Old holes and new places of a crossing, as they were asked and answered.
fn draw_pattern(typed: &Typed, answer: &Value, units: Units) -> String {
    let mm = |text: &str| parse_length(text, units.unit).ok();
    let (Some(width), Some(sided), Some(places)) =
        (mm(typed.get("width")), mm(typed.get("sided")), answer["places"].as_array())
    else {
        return String::new();
    };
    let bare = crossing::Bare::new(width, sided, None);
    let mut out = bare.svg.clone();
    for line in typed.get("old").lines() {
        let cells: Vec<f64> = line.split([',', ';']).filter_map(|t| mm(t.trim())).collect();
        if let [x, y, d] = cells[..] {
            let [cx, cy] = bare.place(x, y);
            let _ = write!(out, "<circle class=\"old-hole\" cx=\"{cx:.1}\" cy=\"{cy:.1}\" r=\"{:.1}\"/>", d / 2.0);
        }
    }
    for place in places {
        if let (Some(x), Some(y), Some(d)) = (place["x"].as_f64(), place["y"].as_f64(), place["diameter"].as_f64()) {
            let [cx, cy] = bare.place(x, y);
            let _ = write!(out, "<circle class=\"new-screw\" cx=\"{cx:.1}\" cy=\"{cy:.1}\" r=\"{d:.1}\"/>");
        }
    }
    out + "</svg>"
}

/// A list in the answer, an item at a time.
fn item(value: &Value) -> String {
    match value {
        Value::Object(fields) => fields
            .iter()
            .filter(|(name, value)| !value.is_null() && *name != "reasons")
            .map(|(name, value)| format!("{} {}", name.replace('_', " "), item(value)))
            .collect::<Vec<_>>()
            .join(", "),
        Value::Number(n) => n.as_f64().map_or_else(|| n.to_string(), |n| tidy(n, 2)),
        Value::String(text) => text.replace('_', " "),
        Value::Array(items) => items.iter().map(item).collect::<Vec<_>>().join(" × "),
        other => other.to_string(),
    }
}

/// The answer's fields as a person reads them.
/// How a figure of an answer is said.
#[derive(Clone, Copy)]
enum Said {
    /// A length, in the yard's unit.
    Len,
    /// A long one.
    Run,
    Drill,
    /// A share, in per cent.
    Share,
    /// mm², in cm².
    Area,
    /// A number and what it counts.
    Of(&'static str),
}

/// The figures that have a unit, by the contract's name: how they are called and said.
const FIGURES: &[(&str, &str, Said)] = {
    use Said::{Area, Drill, Len, Of, Run, Share};
    &[
        ("mm", "Length", Len),
        ("emc", "Comes to", Of("% moisture")),
        ("moisture", "Moisture", Of("%")),
        ("change", "Moves", Len),
        ("shrinkage", "Shrinks, green to dry", Of("%")),
        ("board_feet", "Board feet", Of("")),
        ("cubic_metres", "Volume", Of("m³")),
        ("estimate", "Bad, as far as drawn", Share),
        ("low", "At least", Share),
        ("high", "At most", Share),
        ("loss", "Section lost", Share),
        ("deviations", "Above the straight line", Len),
        ("greatest", "Most", Len),
        ("at", "There", Run),
        ("one_in", "One in", Of("")),
        ("residuals", "Off the fair line", Len),
        ("scatter", "A good tick scatters", Len),
        ("cold_ratio", "Of its strength, bent cold", Share),
        ("steam_min_radius", "Steamed, no closer than", Len),
        ("steam_minutes", "In the steam", Of("min")),
        ("spring_back", "Springs back", Share),
        ("edge_set_ratio", "Of its strength, edge-set", Share),
        ("ply_thickness", "Each ply", Len),
        ("length", "Length", Len),
        ("glue_area", "Glued", Area),
        ("efficiency", "As strong as whole wood", Share),
        ("nib", "Nib", Len),
        ("hollow", "Hollow", Len),
        ("stock_thickness", "Stock", Len),
        ("shank", "Shank", Len),
        ("root", "Root", Len),
        ("head", "Head", Len),
        ("clearance_drill", "Clearance drill", Drill),
        ("pilot_drill", "Pilot drill", Drill),
        ("tapping_drill", "Tapping drill", Drill),
        ("drill", "Drill", Drill),
        ("plug", "Plug", Len),
        ("head_depth", "Head below the face", Len),
        ("bored_depth", "Bored", Len),
        ("hold", "Holds", Of("N")),
        ("working_load", "To work with", Of("N")),
        ("edge_distance", "From the edge", Len),
        ("end_distance", "From the end", Len),
        ("stagger", "Staggered by", Len),
        ("section", "Of the width in holes", Share),
        ("grip", "Grip", Len),
        ("needed", "Needed", Len),
        ("width", "Width", Len),
        ("depth", "Deep", Len),
        ("depth_least", "Deep at least", Len),
        ("depth_most", "Deep at most", Len),
        ("open_depth", "Opened", Len),
        ("cotton_depth", "Cotton", Len),
        ("compound_depth", "Compound, deep", Len),
        ("edge_bevel", "Edge bevelled", Len),
        ("bond_breaker_width", "Bond breaker", Len),
        ("cotton_length", "Cotton, in all", Run),
        ("tape_length", "Tape", Run),
        ("compound_ml", "Compound", Of("ml")),
        ("primer_ml", "Primer", Of("ml")),
        ("swelling", "Swells", Len),
        ("crush", "Crushes", Len),
        ("give", "The filling gives", Len),
        ("closure", "Closes by", Len),
        ("opens", "Opens", Len),
        ("dew_point", "Dew point", Of("°C")),
        ("hours", "Takes", Of("h")),
        ("dose", "Of an open flat face at 50°", Share),
        ("varnish_years", "Varnish lives", Of("years")),
        ("paint_years", "Paint lives", Of("years")),
        ("strip_length", "Strip", Run),
        ("outer_diameter", "Outside", Len),
        ("spares", "Strips beside", Share),
        ("stave_width", "Staves wide", Len),
        ("notch_depth", "Notch deep", Len),
        ("notch_apex", "Its apex below the face", Len),
        ("wall", "Wall", Len),
        ("solid_share", "Of a solid one’s wood", Share),
        ("square", "Square", Len),
        ("eight", "Eight: from each edge", Len),
        ("sixteen", "Sixteen: from each edge", Len),
        ("mass", "Weight", Of("kg")),
    ]
};

fn figure(n: f64, said: Said, units: Units) -> String {
    match said {
        Said::Len => units.fine(n),
        Said::Run => units.run(n),
        Said::Drill => units.drill(n),
        Said::Share => format!("{} %", tidy(n * 100.0, 1)),
        Said::Area => format!("{} cm²", tidy(n / 100.0, 1)),
        Said::Of(unit) => format!("{} {unit}", tidy(n, 2)).trim_end().to_owned(),
    }
}

fn rows(output: &Value, units: Units) -> Vec<(String, String)> {
    let shown = |value: &Value, said: Option<Said>| {
        let one = |value: &Value| match (value.as_f64(), said) {
            (Some(n), Some(said)) => figure(n, said, units),
            _ => item(value),
        };
        match value {
            Value::Array(items) if items.is_empty() => "none".to_owned(),
            Value::Array(items) => items.iter().map(one).collect::<Vec<_>>().join("; "),
            Value::Bool(true) => "yes".to_owned(),
            Value::Bool(false) => "no".to_owned(),
            other => one(other),
        }
    };
    output
        .as_object()
        .into_iter()
        .flatten()
        .filter(|(name, value)| !value.is_null() && *name != "reasons")
        .map(|(name, value)| {
            let known = FIGURES.iter().find(|(code, ..)| code == name);
            let mut label = known.map_or_else(|| name.replace('_', " "), |(_, label, _)| (*label).to_owned());
            if let Some(first) = label.get(..1).map(str::to_uppercase) {
                label.replace_range(..1, &first);
            }
            (label, shown(value, known.map(|(.., said)| *said)))
        })
        .collect()
}

/// A number with so many decimals, and no noughts behind.
fn tidy(n: f64, places: usize) -> String {
    // A number too small for its decimals keeps two figures: 0.0048 m³ is not 0.
    let small = n != 0.0 && n.abs() < 0.5 * 10f64.powi(-(places as i32));
    let places = if small { (1.0 - n.abs().log10().floor()).min(12.0) as usize } else { places };
    let text = format!("{n:.places$}");
    if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_owned() } else { text }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_calculator_is_a_tool_of_the_contract() {
        let known: Vec<&str> = compute::tools().collect();
        assert!(TOOLS.iter().all(|t| known.contains(&contract(t.name))));
    }

    #[test]
    fn an_answer_says_what_each_figure_is_and_in_which_unit() {
        let inches = Units { unit: LengthUnit::Inch, denominator: 16 };
        let told = |name: &str, value: f64, units: Units| rows(&json!({ name: value }), units).remove(0);
        let metric = Units { unit: LengthUnit::Millimetre, denominator: 16 };
        assert_eq!(told("dew_point", 8.612_7, metric), ("Dew point".into(), "8.61 °C".into()));
        assert_eq!(told("solid_share", 0.620_3, metric), ("Of a solid one’s wood".into(), "62 %".into()));
        assert!(told("stave_width", 46.8, inches).1.contains('"'));
        // A figure nobody named keeps its own name, and no answer hides one.
        assert_eq!(told("strands", 2.0, metric), ("Strands".into(), "2".into()));
    }

    #[test]
    fn numbers_are_shown_without_tails() {
        assert_eq!(tidy(200.0, 2), "200");
        assert_eq!(tidy(3.130_444_26, 2), "3.13");
        assert_eq!(tidy(0.0, 2), "0");
        assert_eq!(tidy(0.004_83, 2), "0.0048");
        assert_eq!(tidy(120.0, 0), "120");
    }
}
