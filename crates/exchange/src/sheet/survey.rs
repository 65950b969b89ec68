//! Findings and readings.

use mend_keel_core::geometry::Point;
use mend_keel_core::grid::Place;
use mend_keel_core::survey::compare::Outcome;
use mend_keel_core::survey::reading::{FasteningKind, Filler, Measure, Metal, Ring, Sign, WoodAround};
use mend_keel_core::survey::{Cause, Certainty, FindingKind, Grade, Method};

use super::{Cells, Loaded, load, optional, text, untext, write, yes_no};

/// A finding as it stands in a file.
#[derive(Debug, Clone, PartialEq)]
pub struct FindingRow {
    /// The same wherever the finding is kept; empty for one that was never kept.
    pub uid: String,
    pub place: Place,
    pub kind: FindingKind,
    pub method: Method,
    pub grade: Grade,
    pub certainty: Certainty,
    pub cause: Cause,
    pub cause_treated: Option<String>,
    pub outcome: Outcome,
    pub depth: f64,
    pub shape: Vec<Point>,
    pub note: String,
    pub by: String,
    pub at: String,
}

/// A reading as it stands in a file.
#[derive(Debug, Clone, PartialEq)]
pub struct ReadingRow {
    pub uid: String,
    /// The finding it belongs to; empty when to none.
    pub finding: String,
    pub place: Place,
    pub xy: Option<Point>,
    pub measure: Measure,
    pub simulated: bool,
    pub sampled: bool,
    /// What it says: written for people, not read back, since the rules say it anew.
    pub says: String,
    pub by: String,
    pub at: String,
}

const FINDING: [&str; 14] = [
    "uid",
    "place",
    "kind",
    "method",
    "grade",
    "certainty",
    "cause",
    "cause_treated",
    "outcome",
    "depth_mm",
    "shape_mm",
    "note",
    "by",
    "at",
];

/// Points as `x y; x y`, mm.
fn points(shape: &[Point]) -> String {
    shape.iter().map(|p| format!("{} {}", p[0], p[1])).collect::<Vec<_>>().join("; ")
}

fn read_points(cells: &mut Cells<'_>) -> Vec<Point> {
    let mut shape = Vec::new();
    // A shape that begins with a minus was kept from being a formula.
    let text = untext(cells.raw("shape_mm")).to_owned();
    for (n, pair) in text.split(';').enumerate() {
        if pair.trim().is_empty() {
            continue;
        }
        let numbers: Vec<f64> =
            pair.split_whitespace().filter_map(|n| n.parse().ok()).filter(|n: &f64| n.is_finite()).collect();
        match numbers[..] {
            [x, y] if pair.split_whitespace().count() == 2 => shape.push([x, y]),
            _ => cells.fault("shape_mm", format!("point {}: write x and y in mm, points parted by ;", n + 1)),
        }
    }
    shape
}

fn place(cells: &mut Cells<'_>) -> Option<Place> {
    let text = cells.needed("place")?.to_owned();
    match Place::parse(&text) {
        Ok(place) => Some(place),
        Err(e) => {
            cells.core("place", e);
            None
        }
    }
}

/// Writes findings.
pub fn write_findings(rows: &[FindingRow]) -> String {
    write(
        &FINDING,
        rows.iter().map(|f| {
            vec![
                f.uid.clone(),
                f.place.to_string(),
                f.kind.code().into(),
                f.method.code().into(),
                f.grade.code().into(),
                f.certainty.code().into(),
                f.cause.code().into(),
                text(f.cause_treated.as_deref().unwrap_or_default()),
                f.outcome.code().into(),
                f.depth.to_string(),
                text(&points(&f.shape)),
                text(&f.note),
                text(&f.by),
                f.at.clone(),
            ]
        }),
    )
}

/// Reads findings. Needed are place, kind, grade and shape; what else is left out is taken as it is when nobody says.
pub fn read_findings(bytes: &[u8]) -> Loaded<FindingRow> {
    load(bytes, &["place", "kind", "grade", "shape_mm"], |c| {
        let place = place(c);
        let kind = c.choice("kind", FindingKind::from_code);
        let grade = c.choice("grade", Grade::from_code);
        let or = |c: &mut Cells<'_>, column: &str| !c.is_empty(column);
        let method = if or(c, "method") { c.choice("method", Method::from_code) } else { Some(Method::Look) };
        let certainty =
            if or(c, "certainty") { c.choice("certainty", Certainty::from_code) } else { Some(Certainty::Suspected) };
        let cause = if or(c, "cause") { c.choice("cause", Cause::from_code) } else { Some(Cause::Unknown) };
        let outcome = if or(c, "outcome") { c.choice("outcome", Outcome::from_code) } else { Some(Outcome::Open) };
        let depth = c.optional_number("depth_mm").unwrap_or(0.0);
        let shape = read_points(c);
        if shape.is_empty() && c.faults.is_empty() {
            c.fault("shape_mm", "must not be empty");
        }
        let treated = c.text("cause_treated");
        Some(FindingRow {
            uid: c.raw("uid").to_owned(),
            place: place?,
            kind: kind?,
            method: method?,
            grade: grade?,
            certainty: certainty?,
            cause: cause?,
            cause_treated: (!treated.is_empty()).then_some(treated),
            outcome: outcome?,
            depth,
            shape,
            note: c.text("note"),
            by: c.text("by"),
            at: c.raw("at").to_owned(),
        })
    })
}

const READING: [&str; 29] = [
    "uid",
    "finding",
    "place",
    "x_mm",
    "y_mm",
    "method",
    "sign",
    "ring",
    "spike_mm",
    "meter_percent",
    "wood_temperature",
    "relative",
    "species_offset",
    "fastening",
    "metal",
    "original_mm",
    "remaining_mm",
    "wood",
    "nth",
    "nominal_mm",
    "measured_mm",
    "seam_width_mm",
    "seam_depth_mm",
    "filler",
    "simulated",
    "sampled",
    "says",
    "by",
    "at",
];

/// A measure's figures by the columns they stand in.
fn figures(measure: &Measure) -> Vec<(&'static str, String)> {
    match measure {
        Measure::Look { sign } => vec![("sign", sign.code().into())],
        Measure::Sound { ring } => vec![("ring", ring.code().into())],
        Measure::Spike { depth } => vec![("spike_mm", depth.to_string())],
        Measure::Meter { shown, wood_temperature, relative, species_offset } => vec![
            ("meter_percent", shown.to_string()),
            ("wood_temperature", wood_temperature.to_string()),
            ("relative", yes_no(*relative)),
            ("species_offset", species_offset.to_string()),
        ],
        Measure::DrawFastening { kind, metal, original, remaining, wood, nth } => vec![
            ("fastening", kind.code().into()),
            ("metal", metal.code().into()),
            ("original_mm", original.to_string()),
            ("remaining_mm", remaining.to_string()),
            ("wood", wood.code().into()),
            ("nth", if *nth == 0 { String::new() } else { nth.to_string() }),
        ],
        Measure::Thickness { nominal, measured } => {
            vec![("nominal_mm", nominal.to_string()), ("measured_mm", measured.to_string())]
        }
        Measure::Feeler { width, depth, filler } => vec![
            ("seam_width_mm", width.to_string()),
            ("seam_depth_mm", depth.to_string()),
            ("filler", filler.code().into()),
        ],
        Measure::OpenUp {} => Vec::new(),
    }
}

fn measure(c: &mut Cells<'_>) -> Option<Measure> {
    Some(match c.choice("method", Method::from_code)? {
        Method::Look => Measure::Look { sign: c.choice("sign", Sign::from_code)? },
        Method::Sound => Measure::Sound { ring: c.choice("ring", Ring::from_code)? },
        Method::Spike => Measure::Spike { depth: c.number("spike_mm")? },
        Method::Meter => {
            let (shown, wood_temperature) = (c.number("meter_percent"), c.number("wood_temperature"));
            let species_offset = c.optional_number("species_offset").unwrap_or(0.0);
            Measure::Meter {
                shown: shown?,
                wood_temperature: wood_temperature?,
                relative: c.yes("relative"),
                species_offset,
            }
        }
        Method::DrawFastening => {
            let (kind, metal) = (c.choice("fastening", FasteningKind::from_code), c.choice("metal", Metal::from_code));
            let (original, remaining) = (c.number("original_mm"), c.number("remaining_mm"));
            let wood = c.choice("wood", WoodAround::from_code);
            let nth = if c.is_empty("nth") { Some(0) } else { c.whole("nth") };
            Measure::DrawFastening {
                kind: kind?,
                metal: metal?,
                original: original?,
                remaining: remaining?,
                wood: wood?,
                nth: nth?,
            }
        }
        Method::Thickness => {
            let (nominal, measured) = (c.number("nominal_mm"), c.number("measured_mm"));
            Measure::Thickness { nominal: nominal?, measured: measured? }
        }
        Method::Feeler => {
            let (width, depth) = (c.number("seam_width_mm"), c.number("seam_depth_mm"));
            Measure::Feeler { width: width?, depth: depth?, filler: c.choice("filler", Filler::from_code)? }
        }
        Method::OpenUp => Measure::OpenUp {},
    })
}

/// The column in which the core's field of a measure stands.
pub fn column_of(method: Method, field: &str) -> &'static str {
    match (method, field) {
        (Method::Spike, _) => "spike_mm",
        (Method::Meter, "wood_temperature") => "wood_temperature",
        (Method::Meter, "species_offset") => "species_offset",
        (Method::Meter, _) => "meter_percent",
        (Method::DrawFastening, "original") => "original_mm",
        (Method::DrawFastening, _) => "remaining_mm",
        (Method::Thickness, "nominal") => "nominal_mm",
        (Method::Thickness, _) => "measured_mm",
        (Method::Feeler, "depth") => "seam_depth_mm",
        (Method::Feeler, _) => "seam_width_mm",
        _ => "method",
    }
}

/// Writes readings.
pub fn write_readings(rows: &[ReadingRow]) -> String {
    write(
        &READING,
        rows.iter().map(|r| {
            let figures = figures(&r.measure);
            let figure =
                |column: &str| figures.iter().find(|(c, _)| *c == column).map_or(String::new(), |f| f.1.clone());
            READING
                .iter()
                .map(|column| match *column {
                    "uid" => r.uid.clone(),
                    "finding" => r.finding.clone(),
                    "place" => r.place.to_string(),
                    "x_mm" => optional(r.xy.map(|p| p[0])),
                    "y_mm" => optional(r.xy.map(|p| p[1])),
                    "method" => r.measure.method().code().into(),
                    "simulated" => yes_no(r.simulated),
                    "sampled" => yes_no(r.sampled),
                    "says" => text(&r.says),
                    "by" => text(&r.by),
                    "at" => r.at.clone(),
                    other => figure(other),
                })
                .collect()
        }),
    )
}

/// Reads readings. Needed are place and method, and the figures of the method.
pub fn read_readings(bytes: &[u8]) -> Loaded<ReadingRow> {
    load(bytes, &["place", "method"], |c| {
        let (place, measure) = (place(c), measure(c));
        let (x, y) = (c.optional_number("x_mm"), c.optional_number("y_mm"));
        if x.is_some() != y.is_some() {
            c.fault(if x.is_some() { "y_mm" } else { "x_mm" }, "x and y belong together");
        }
        Some(ReadingRow {
            uid: c.raw("uid").to_owned(),
            finding: c.raw("finding").to_owned(),
            place: place?,
            xy: x.zip(y).map(|(x, y)| [x, y]),
            measure: measure?,
            simulated: c.yes("simulated"),
            sampled: c.yes("sampled"),
            says: c.text("says"),
            by: c.text("by"),
            at: c.raw("at").to_owned(),
        })
    })
}

#[cfg(test)]
mod tests {
    use mend_keel_core::grid::{Address, MemberCell, Side};
    use proptest::prelude::*;
    use proptest::sample::select;

    use super::*;

    #[test]
    fn a_bad_row_is_told_by_line_and_column_and_costs_only_itself() {
        let csv = "place,kind,grade,shape_mm,depth_mm\n\
                   P5 F12,crack,mend,30 60; 90 62,8\n\
                   P5 F99x,crock,mend,30,deep\n\
                   FR12P 1,rot,renew,0 0; 10 0; 10 10,\n";
        let loaded = read_findings(csv.as_bytes());
        assert_eq!(loaded.rows.iter().map(|r| r.0).collect::<Vec<_>>(), [2, 4]);
        let told: Vec<(u64, &str)> = loaded.faults.iter().map(|f| (f.line, f.column.as_str())).collect();
        assert_eq!(told, [(3, "place"), (3, "kind"), (3, "depth_mm"), (3, "shape_mm")]);
        let headless = read_findings(b"where,what\nP5 F12,crack\n");
        assert_eq!(
            headless.faults.iter().map(|f| f.column.as_str()).collect::<Vec<_>>(),
            ["place", "kind", "grade", "shape_mm"]
        );
    }

    #[test]
    fn a_reading_needs_the_figures_of_its_method() {
        let csv = "place,method,meter_percent,wood_temperature,spike_mm\nP5 F1,meter,22,,\nP5 F1,spike,,,\"2,5\"\n";
        let loaded = read_readings(csv.as_bytes());
        assert_eq!(loaded.faults[0].column, "wood_temperature");
        assert_eq!(loaded.rows[0].1.measure, Measure::Spike { depth: 2.5 });
    }

    fn any_place() -> impl Strategy<Value = Place> {
        let shell = (select(&Side::BOTH[..]), 1..40u32, 1..120u32)
            .prop_map(|(side, strake, frame)| Place::Shell(Address { side, strake, frame }));
        let member = (select(&["FR12P", "KEEL", "CBS", "D3P"][..]), 1..30u32)
            .prop_map(|(code, cell)| Place::Member(MemberCell { code: code.to_owned(), cell }));
        prop_oneof![shell, member]
    }

    fn any_measure() -> impl Strategy<Value = Measure> {
        let n = || -500.0..500.0f64;
        prop_oneof![
            select(Sign::ALL).prop_map(|sign| Measure::Look { sign }),
            select(Ring::ALL).prop_map(|ring| Measure::Sound { ring }),
            n().prop_map(|depth| Measure::Spike { depth }),
            (n(), n(), any::<bool>(), n()).prop_map(|(shown, wood_temperature, relative, species_offset)| {
                Measure::Meter { shown, wood_temperature, relative, species_offset }
            }),
            (select(FasteningKind::ALL), select(Metal::ALL), n(), n(), select(WoodAround::ALL), 0..9u32).prop_map(
                |(kind, metal, original, remaining, wood, nth)| Measure::DrawFastening {
                    kind,
                    metal,
                    original,
                    remaining,
                    wood,
                    nth
                }
            ),
            (n(), n()).prop_map(|(nominal, measured)| Measure::Thickness { nominal, measured }),
            (n(), n(), select(Filler::ALL)).prop_map(|(width, depth, filler)| Measure::Feeler { width, depth, filler }),
            Just(Measure::OpenUp {}),
        ]
    }

    proptest! {
        #[test]
        fn findings_come_back_as_they_went(
            uid in "[a-f0-9]{16}", place in any_place(), kind in select(FindingKind::ALL), method in select(Method::ALL),
            grade in select(Grade::ALL), certainty in select(Certainty::ALL), cause in select(Cause::ALL),
            treated in proptest::option::of("\\PC{1,30}"), outcome in select(Outcome::ALL),
            shape in proptest::collection::vec((-1e4..1e4f64, -1e3..1e3f64), 1..9), depth in 0.0..90.0f64,
            note in any::<String>(), by in "\\PC{0,20}",
        ) {
            let row = FindingRow {
                uid, place, kind, method, grade, certainty, cause, cause_treated: treated, outcome, depth,
                shape: shape.into_iter().map(|(x, y)| [x, y]).collect(), note, by, at: "2026-11-24T08:00:00Z".into(),
            };
            let loaded = read_findings(write_findings(std::slice::from_ref(&row)).as_bytes());
            prop_assert_eq!(&loaded.faults, &vec![]);
            prop_assert_eq!(&loaded.rows, &vec![(2, row)]);
        }

        #[test]
        fn readings_come_back_as_they_went(
            place in any_place(), measure in any_measure(), xy in proptest::option::of((-1e4..1e4f64, -1e3..1e3f64)),
            simulated in any::<bool>(), sampled in any::<bool>(), says in any::<String>(),
        ) {
            let row = ReadingRow {
                uid: "1f".into(), finding: String::new(), place, xy: xy.map(|(x, y)| [x, y]), measure, simulated, sampled,
                says, by: "Ines".into(), at: "2026-11-24T08:00:00Z".into(),
            };
            let loaded = read_readings(write_readings(std::slice::from_ref(&row)).as_bytes());
            prop_assert_eq!(&loaded.faults, &vec![]);
            prop_assert_eq!(&loaded.rows, &vec![(2, row)]);
        }

        #[test]
        fn a_torn_file_is_told_and_never_breaks_the_reader(cut in 0..400usize, junk in any::<u8>(), at in 0..400usize) {
            let row = FindingRow {
                uid: "a1".into(), place: Place::parse("P5 F12").unwrap(), kind: FindingKind::Rot, method: Method::Spike,
                grade: Grade::Mend, certainty: Certainty::Confirmed, cause: Cause::FreshWater, cause_treated: None,
                outcome: Outcome::Open, depth: 9.5, shape: vec![[1.0, 2.0]], note: "a, \"b\"\nc".into(), by: "Ines".into(),
                at: "2026-11-24T08:00:00Z".into(),
            };
            let mut bytes = write_findings(&[row.clone(), row]).into_bytes();
            bytes.truncate(cut);
            if let Some(byte) = bytes.get_mut(at) {
                *byte = junk;
            }
            let loaded = read_findings(&bytes);
            prop_assert!(loaded.rows.len() <= 2);
            prop_assert!(loaded.faults.iter().all(|f| !f.message.is_empty()));
        }
    }
}
