//! The fields of each kind of whole job: how they are typed, read into what the core asks for, and shown again.

use mend_keel_core::InputError;
use mend_keel_core::deck::plan::{Held, Job, Way};
use mend_keel_core::geometry::Point;
use mend_keel_core::job::deck::Deck;
use mend_keel_core::job::edge::Edge;
use mend_keel_core::job::fitting::{Fitting, Into};
use mend_keel_core::job::own::{Line, MOST, Own};
use mend_keel_core::job::panels::{Panel, Panels};
use mend_keel_core::job::ring::Rings;
use mend_keel_core::job::sheer::{Sheer, Station};
use mend_keel_core::job::spar::{Soft, Spar};
use mend_keel_core::job::template::{Diagonal, Named, Photograph, Seen, Template};
use mend_keel_core::job::{JobKind, Spec};
use mend_keel_core::repair::butts::{CLOSE, WIDE};
use mend_keel_core::shape::fair;
use mend_keel_core::timber::board::Drying;
use mend_keel_core::units::{LengthUnit, parse_length};
use mend_keel_core::work::estimate::Operation;

use crate::view::Units;
use crate::web::choices::{Choices, pairs, species_choices};
use crate::web::form::{Reader, Submission, Typed};

/// How a field is typed.
#[derive(Debug, Clone, Copy)]
pub enum Typing {
    Length,
    Number,
    Choice(fn() -> Choices),
    Yes,
    /// One thing a line, as its hint says.
    Lines(&'static str),
}

/// A field: its name, what it is called, and how it is typed.
pub type Field = (&'static str, &'static str, Typing);

/// Fields that belong together.
pub type Group = (&'static str, &'static [Field]);

use Typing::{Choice, Length, Lines, Number, Yes};

fn ways() -> Choices {
    pairs(Way::ALL, Way::code, Way::label)
}

fn held() -> Choices {
    pairs(Held::ALL, Held::code, Held::label)
}

fn rules() -> Choices {
    vec![
        ("wide".to_owned(), "as offshore and coastal".to_owned()),
        ("close".to_owned(), "as in sheltered water".to_owned()),
    ]
}

fn drying() -> Choices {
    pairs(Drying::ALL, Drying::code, Drying::label)
}

fn into() -> Choices {
    pairs(Into::ALL, Into::code, Into::label)
}

/// Operations other work is booked as.
pub fn operations() -> Choices {
    pairs(Operation::ALL, Operation::code, Operation::label)
}

const POINTS: &str = "x aft, half breadth; one to a line";

/// The fields of a kind, in the order they are asked.
pub fn groups(kind: JobKind) -> &'static [Group] {
    match kind {
        JobKind::Deck => &[
            (
                "Outline",
                &[
                    ("outline", "The port half, from forward aft", Lines(POINTS)),
                    ("measured", "taken on the boat", Yes),
                    ("beams", "Beams, places aft", Lines("one to a line")),
                ],
            ),
            (
                "Planks",
                &[
                    ("way", "They run", Choice(ways)),
                    ("king", "King plank, wide", Length),
                    ("cover", "Covering board, wide", Length),
                    ("plank", "Planks, wide", Length),
                    ("thickness", "thick", Length),
                    ("longest", "Longest plank there is", Length),
                    ("species", "Timber", Choice(species_choices)),
                    ("ring_angle", "Rings to the face, ° (90 quarter-sawn)", Number),
                ],
            ),
            (
                "Fastened and payed",
                &[
                    ("held", "Held by", Choice(held)),
                    ("rule", "Joints apart", Choice(rules)),
                    ("seam", "Seams, wide", Length),
                    ("compound", "Compound deep, where it is not a quarter more", Length),
                    ("per_cartridge", "Seam the first cartridge filled, once measured", Length),
                ],
            ),
        ],
        JobKind::Panels => &[
            (
                "Panels",
                &[
                    ("panels", "Name, length, width", Lines("one to a line: Foredeck port, 2300, 900")),
                    ("thickness", "Plywood, thick", Length),
                    ("sheet_length", "A sheet, long", Length),
                    ("sheet_width", "wide", Length),
                    ("bevelled", "an edge gets a bevel", Yes),
                ],
            ),
            (
                "On what",
                &[
                    ("bearing", "Beams and edges they lie on, all together", Length),
                    ("bearing_width", "wide", Length),
                    ("radius", "Least radius they are bent to, where they are", Length),
                ],
            ),
            (
                "Resin",
                &[
                    ("ratio", "Parts to one of hardener", Number),
                    ("pot_life", "Minutes in the pot at 20 °C", Number),
                    ("temperature", "It is, °C", Number),
                ],
            ),
        ],
        JobKind::Edge => &[
            (
                "The edge",
                &[
                    ("outer", "Outer edge", Lines(POINTS)),
                    ("measured", "taken on the boat", Yes),
                    ("width", "Wide", Length),
                    ("thickness", "Thick", Length),
                    ("species", "Timber", Choice(species_choices)),
                    ("board", "Stock, wide", Length),
                    ("saw", "The saw takes", Length),
                ],
            ),
            (
                "Landing",
                &[
                    ("rail", "Rail, wide", Length),
                    ("overlap", "laps over", Length),
                    ("standing", "What stands of the side now", Lines("x aft, width; one to a line")),
                ],
            ),
            (
                "Both sides, from a taut centre line",
                &[
                    ("port", "Port", Lines("x aft, distance; one to a line")),
                    ("starboard", "Starboard, at the same stations", Lines("x aft, distance; one to a line")),
                ],
            ),
            (
                "Ends and finish",
                &[
                    ("corner", "Corner in plan, °, where it is mitred", Number),
                    ("slope", "Slope athwart, °", Number),
                    ("round", "Edge rounded to", Length),
                    ("screws", "Screws, in from the edge", Lines("one to a line")),
                    ("counterbore", "Counterbore, deep", Length),
                    ("plug", "Plug, across", Length),
                ],
            ),
        ],
        JobKind::Spar => &[
            (
                "The spar",
                &[
                    ("length", "Long", Length),
                    ("staves", "Staves", Number),
                    ("taper", "Diameters along it", Lines("place from the heel, diameter; one to a line")),
                    ("wall", "Wall, where it is no fifth", Length),
                    ("species", "Timber", Choice(species_choices)),
                ],
            ),
            (
                "What is soft",
                &[
                    (
                        "soft",
                        "Staves that are soft; none: it is made new",
                        Lines("stave, from, to; counted from 1, from the heel"),
                    ),
                    ("ratio", "Scarfs, to one", Number),
                    ("margin", "Beyond the last soft wood, where it is not the usual", Length),
                    ("stock", "Lengths there are to cut from", Lines("one to a line")),
                ],
            ),
        ],
        JobKind::Ring => &[
            (
                "Rings",
                &[
                    ("count", "How many", Number),
                    ("inner_diameter", "Inside, across", Length),
                    ("thickness", "Thick", Length),
                    ("height", "Along the spar", Length),
                    ("ply", "Strips, thick", Length),
                    ("taper", "Feathered end", Length),
                ],
            ),
            (
                "Strips",
                &[
                    ("species", "Timber", Choice(species_choices)),
                    ("drying", "Dried", Choice(drying)),
                    ("soaked", "soaked an hour first", Yes),
                    ("broken", "Broke so far", Number),
                ],
            ),
        ],
        JobKind::Template => &[
            (
                "Points",
                &[
                    ("points", "All round, in order", Lines("mark, x, y; one to a line")),
                    ("half", "half of a whole: y is 0 along the centre line", Yes),
                    ("measured", "Diagonals measured", Lines("mark, mark, distance; one to a line")),
                    ("tolerance", "They may be off by", Length),
                ],
            ),
            (
                "Laid over and carried",
                &[
                    ("other", "What was delivered, or the old part", Lines("x, y; one to a line, all round")),
                    ("splits", "Split for carrying at", Lines("x; one to a line")),
                ],
            ),
        ],
        JobKind::Sheer => &[(
            "Ticks of the batten",
            &[
                ("stations", "Stations", Lines("x aft, port height, starboard height; one to a line")),
                ("tolerance", "A tick is true to", Length),
                ("level", "both sides from one level line", Yes),
            ],
        )],
        JobKind::Fitting => &[
            (
                "Holes",
                &[
                    ("holes", "How many", Number),
                    ("diameter", "Thread, across", Length),
                    ("pitch", "Pitch", Length),
                    ("into", "Cut in", Choice(into)),
                    ("depth", "which is thick", Length),
                    ("stack", "Fitting, washers and bedding above it", Length),
                    ("stainless", "studs of stainless", Yes),
                ],
            ),
            (
                "How it went",
                &[
                    ("tried", "tried with the real chain, line or roller", Yes),
                    ("wrong", "a hole was bored wrong", Yes),
                ],
            ),
        ],
        JobKind::Own => &[],
    }
}

/// Usual values of a kind, as they are typed.
pub fn usual(kind: JobKind, units: Units) -> Typed {
    let all: &[(&str, &str)] = match kind {
        JobKind::Deck => &[("way", "straight"), ("ring_angle", "90"), ("held", "glued"), ("rule", "wide")],
        JobKind::Panels => &[("ratio", "2"), ("pot_life", "40"), ("temperature", "18")],
        JobKind::Edge => &[("slope", "0")],
        JobKind::Spar => &[("staves", "8"), ("ratio", "12")],
        JobKind::Ring => &[("broken", "0"), ("drying", "air")],
        JobKind::Sheer => &[("level", "1")],
        JobKind::Template | JobKind::Fitting | JobKind::Own => &[],
    };
    let lengths: &[(&str, f64)] = match kind {
        JobKind::Deck => &[
            ("king", 120.0),
            ("cover", 140.0),
            ("plank", 50.0),
            ("thickness", 14.0),
            ("longest", 3_600.0),
            ("seam", 5.0),
        ],
        JobKind::Panels => {
            &[("sheet_length", 2_440.0), ("sheet_width", 1_220.0), ("thickness", 9.0), ("bearing_width", 40.0)]
        }
        JobKind::Edge => &[("saw", 4.0), ("counterbore", 9.0), ("plug", 12.0)],
        JobKind::Ring => &[("taper", 60.0)],
        JobKind::Template => &[("tolerance", 2.0)],
        JobKind::Sheer => &[("tolerance", fair::TOLERANCE)],
        JobKind::Spar | JobKind::Fitting | JobKind::Own => &[],
    };
    let typed = all.iter().fold(Typed::default(), |t, (name, value)| t.with(name, *value));
    lengths.iter().fold(typed, |t, (name, mm)| t.with(name, units.exact(*mm)))
}

/// Cells of each line that holds anything, with its number.
fn cells(text: &str) -> impl Iterator<Item = (usize, Vec<&str>)> {
    text.lines().enumerate().filter(|(_, l)| !l.trim().is_empty()).map(|(i, l)| {
        let separator = if l.contains(';') { ';' } else { ',' };
        (i + 1, l.split(separator).map(str::trim).collect())
    })
}

/// Things typed one to a line; a line that cannot be read is told by its number.
fn lines<T>(
    read: &mut Reader<'_>,
    form: &Submission,
    field: &str,
    wants: &str,
    one: impl Fn(&[&str]) -> Option<T>,
) -> Vec<T> {
    const MOST: usize = 400;
    let mut all = Vec::new();
    for (i, cells) in cells(form.get(field)) {
        match one(&cells) {
            Some(_) if all.len() == MOST => {
                read.faults.add(InputError::new(field, format!("takes no more than {MOST} lines")));
                break;
            }
            Some(thing) => all.push(thing),
            None => read.faults.add(InputError::new(field, format!("line {i}: write {wants}"))),
        }
    }
    all
}

fn lengths(read: &mut Reader<'_>, form: &Submission, field: &str, unit: LengthUnit) -> Vec<f64> {
    // A line is one length: a comma in it is a decimal one.
    let mut all = Vec::new();
    for (i, line) in form.get(field).lines().enumerate().filter(|(_, l)| !l.trim().is_empty()) {
        match parse_length(line.trim(), unit) {
            Ok(mm) if all.len() < 400 => all.push(mm),
            Ok(_) => break,
            Err(e) => read.faults.add(InputError::new(field, format!("line {}: {}", i + 1, e.message))),
        }
    }
    all
}

/// What a form asks for. Faults are told at the fields.
pub fn read(kind: JobKind, read: &mut Reader<'_>, form: &Submission, unit: LengthUnit) -> Spec {
    let mm = |text: &str| parse_length(text, unit).ok();
    match kind {
        JobKind::Deck => {
            let laid = Job {
                outline: read.points("outline"),
                king: read.length("king"),
                cover: read.length("cover"),
                plank: read.length("plank"),
                seam: read.length("seam"),
                way: read.choice("way", Way::from_code).unwrap_or(Way::Straight),
                beams: lengths(read, form, "beams", unit),
                longest: read.length("longest"),
                rule: if form.get("rule") == "close" { CLOSE } else { WIDE },
                held: read.choice("held", Held::from_code).unwrap_or(Held::Glued),
            };
            Spec::Deck(Deck {
                laid,
                thickness: read.length("thickness"),
                species: read.name("species"),
                ring_angle: read.number("ring_angle", 0.0, 90.0),
                compound: read.optional_length("compound"),
                per_cartridge: read.optional_length("per_cartridge"),
                measured: read.is_on("measured"),
            })
        }
        JobKind::Panels => Spec::Panels(Panels {
            panels: lines(read, form, "panels", "a name, a length and a width", |c| match c {
                [name, length, width] if !name.is_empty() => {
                    Some(Panel { name: (*name).to_owned(), length: mm(length)?, width: mm(width)? })
                }
                _ => None,
            }),
            thickness: read.length("thickness"),
            sheet_length: read.length("sheet_length"),
            sheet_width: read.length("sheet_width"),
            bearing: read.length("bearing"),
            bearing_width: read.length("bearing_width"),
            radius: read.optional_length("radius"),
            bevelled: read.is_on("bevelled"),
            ratio: read.number("ratio", 0.01, 100.0),
            pot_life: read.number("pot_life", 1.0, 1_000.0),
            temperature: read.number("temperature", -10.0, 60.0),
        }),
        JobKind::Edge => Spec::Edge(Edge {
            outer: read.points("outer"),
            width: read.length("width"),
            thickness: read.length("thickness"),
            species: read.name("species"),
            rail: read.optional_length("rail"),
            overlap: read.optional_length("overlap"),
            standing: read.points("standing"),
            port: read.points("port"),
            starboard: read.points("starboard"),
            board: read.optional_length("board"),
            saw: read.length("saw"),
            corner: read.optional_number("corner", 10.0, 180.0),
            slope: read.number("slope", -80.0, 80.0),
            round: read.optional_length("round"),
            screws: lengths(read, form, "screws", unit),
            counterbore: read.length("counterbore"),
            plug: read.length("plug"),
            measured: read.is_on("measured"),
        }),
        JobKind::Spar => Spec::Spar(Spar {
            length: read.length("length"),
            staves: read.whole("staves", 5, 24),
            taper: read.points("taper"),
            wall: read.optional_length("wall"),
            ratio: read.number("ratio", 8.0, 20.0),
            species: read.name("species"),
            soft: lines(read, form, "soft", "the stave, from and to", |c| match c {
                [stave, from, to] => Some(Soft { stave: stave.parse().ok()?, from: mm(from)?, to: mm(to)? }),
                _ => None,
            }),
            margin: read.optional_length("margin"),
            stock: lengths(read, form, "stock", unit),
        }),
        JobKind::Ring => Spec::Ring(Rings {
            count: read.whole("count", 1, 500),
            inner_diameter: read.length("inner_diameter"),
            thickness: read.length("thickness"),
            ply: read.length("ply"),
            taper: read.length("taper"),
            height: read.length("height"),
            species: read.name("species"),
            drying: read.choice("drying", Drying::from_code).unwrap_or(Drying::Unknown),
            soaked: read.is_on("soaked"),
            broken: read.whole("broken", 0, 500),
        }),
        JobKind::Template => Spec::Template(template(read, form, unit)),
        JobKind::Sheer => Spec::Sheer(Sheer {
            stations: lines(
                read,
                form,
                "stations",
                "x, port, starboard; leave a side empty that was not ticked",
                |c| {
                    let side = |text: &str| if text.is_empty() { Some(None) } else { Some(Some(mm(text)?)) };
                    match c {
                        [x, port] => Some(Station { x: mm(x)?, port: side(port)?, starboard: None }),
                        [x, port, starboard] => {
                            Some(Station { x: mm(x)?, port: side(port)?, starboard: side(starboard)? })
                        }
                        _ => None,
                    }
                },
            ),
            tolerance: read.length("tolerance"),
            level: read.is_on("level"),
        }),
        JobKind::Fitting => Spec::Fitting(Fitting {
            holes: read.whole("holes", 1, 500),
            diameter: read.length("diameter"),
            pitch: read.length("pitch"),
            into: read.choice("into", Into::from_code).unwrap_or(Into::Steel),
            depth: read.length("depth"),
            stack: read.length("stack"),
            stainless: read.is_on("stainless"),
            tried: read.is_on("tried"),
            wrong: read.is_on("wrong"),
        }),
        JobKind::Own => Spec::Own(own(read, form)),
    }
}

fn template(read: &mut Reader<'_>, form: &Submission, unit: LengthUnit) -> Template {
    let mm = |text: &str| parse_length(text, unit).ok();
    let px = |text: &str| text.parse::<f64>().ok().filter(|v| v.is_finite());
    let photographed = !form.get("photo_hash").is_empty();
    Template {
        points: if photographed {
            Vec::new()
        } else {
            lines(read, form, "points", "its mark, x and y", |c| match c {
                [name, x, y] if !name.is_empty() => Some(Named { name: (*name).to_owned(), at: [mm(x)?, mm(y)?] }),
                _ => None,
            })
        },
        measured: lines(read, form, "measured", "two marks and the distance", |c| match c {
            [a, b, d] => Some(Diagonal { a: (*a).to_owned(), b: (*b).to_owned(), mm: mm(d)? }),
            _ => None,
        }),
        tolerance: read.length("tolerance"),
        half: read.is_on("half"),
        other: read.points("other"),
        splits: lengths(read, form, "splits", unit),
        photograph: photographed.then(|| Photograph {
            marks: lines(
                read,
                form,
                "marks",
                "where it is in the picture, and where it is: px, px, x, y",
                |c| match c {
                    [u, v, x, y] => Some(Seen { px: [px(u)?, px(v)?], mm: [mm(x)?, mm(y)?] }),
                    _ => None,
                },
            ),
            traced: lines(read, form, "traced", "a place in the picture: px, px", |c| match c {
                [u, v] => Some([px(u)?, px(v)?]),
                _ => None,
            }),
            click: read.number("click", 0.1, 50.0),
            flat: read.is_on("flat"),
        }),
    }
}

fn own(read: &mut Reader<'_>, form: &Submission) -> Own {
    let mut lines = Vec::new();
    // Empty rows between others close up; faults are told at the rows as they will stand.
    for i in 0..MOST {
        let at = |name: &str| format!("{name}{i}");
        let what = form.get(&at("what")).trim().to_owned();
        if what.is_empty() && form.get(&at("hours")).trim().is_empty() {
            continue;
        }
        if what.is_empty() {
            read.faults.add(InputError::new(at("what"), "say what is done"));
        }
        lines.push(Line {
            what,
            operation: read.choice(&at("operation"), Operation::from_code).unwrap_or(Operation::Inspect),
            hours: read.number(&at("hours"), 0.05, 2_000.0),
            wait: read.optional_number(&at("wait"), 0.0, 2_000.0).unwrap_or(0.0),
            heavy: read.is_on(&at("heavy")),
        });
    }
    Own { lines }
}

/// What is kept, as the form has it.
pub fn typed(spec: &Spec, units: Units) -> Typed {
    let mut typed = Typed::default();
    let mut put = |name: &str, value: String| typed = std::mem::take(&mut typed).with(name, value);
    let maybe = |v: Option<f64>| v.map_or(String::new(), |v| units.exact(v));
    let number = |v: f64| format!("{v}");
    let yes = |v: bool| if v { "1".to_owned() } else { String::new() };
    let all = |list: &[f64]| list.iter().map(|v| units.exact(*v)).collect::<Vec<_>>().join("\n");
    let points = |list: &[Point]| {
        list.iter().map(|p| format!("{}; {}", units.exact(p[0]), units.exact(p[1]))).collect::<Vec<_>>().join("\n")
    };
    match spec {
        Spec::Deck(d) => {
            put("outline", points(&d.laid.outline));
            put("beams", all(&d.laid.beams));
            for (name, v) in [
                ("king", d.laid.king),
                ("cover", d.laid.cover),
                ("plank", d.laid.plank),
                ("seam", d.laid.seam),
                ("longest", d.laid.longest),
                ("thickness", d.thickness),
            ] {
                put(name, units.exact(v));
            }
            put("way", d.laid.way.code().into());
            put("rule", if d.laid.rule == CLOSE { "close" } else { "wide" }.into());
            put("held", d.laid.held.code().into());
            put("species", d.species.clone());
            put("ring_angle", number(d.ring_angle));
            put("compound", maybe(d.compound));
            put("per_cartridge", maybe(d.per_cartridge));
            put("measured", yes(d.measured));
        }
        Spec::Panels(p) => {
            let one = |p: &Panel| format!("{}; {}; {}", p.name, units.exact(p.length), units.exact(p.width));
            put("panels", p.panels.iter().map(one).collect::<Vec<_>>().join("\n"));
            for (name, v) in [
                ("thickness", p.thickness),
                ("sheet_length", p.sheet_length),
                ("sheet_width", p.sheet_width),
                ("bearing", p.bearing),
                ("bearing_width", p.bearing_width),
            ] {
                put(name, units.exact(v));
            }
            put("radius", maybe(p.radius));
            put("bevelled", yes(p.bevelled));
            put("ratio", number(p.ratio));
            put("pot_life", number(p.pot_life));
            put("temperature", number(p.temperature));
        }
        Spec::Edge(e) => {
            for (name, list) in
                [("outer", &e.outer), ("standing", &e.standing), ("port", &e.port), ("starboard", &e.starboard)]
            {
                put(name, points(list));
            }
            for (name, v) in [
                ("width", e.width),
                ("thickness", e.thickness),
                ("saw", e.saw),
                ("counterbore", e.counterbore),
                ("plug", e.plug),
            ] {
                put(name, units.exact(v));
            }
            for (name, v) in [("rail", e.rail), ("overlap", e.overlap), ("board", e.board), ("round", e.round)] {
                put(name, maybe(v));
            }
            put("species", e.species.clone());
            put("corner", e.corner.map_or(String::new(), number));
            put("slope", number(e.slope));
            put("screws", all(&e.screws));
            put("measured", yes(e.measured));
        }
        Spec::Spar(s) => {
            put("length", units.exact(s.length));
            put("staves", s.staves.to_string());
            put("taper", points(&s.taper));
            put("wall", maybe(s.wall));
            put("ratio", number(s.ratio));
            put("species", s.species.clone());
            let soft = |b: &Soft| format!("{}; {}; {}", b.stave, units.exact(b.from), units.exact(b.to));
            put("soft", s.soft.iter().map(soft).collect::<Vec<_>>().join("\n"));
            put("margin", maybe(s.margin));
            put("stock", all(&s.stock));
        }
        Spec::Ring(r) => {
            put("count", r.count.to_string());
            for (name, v) in [
                ("inner_diameter", r.inner_diameter),
                ("thickness", r.thickness),
                ("ply", r.ply),
                ("taper", r.taper),
                ("height", r.height),
            ] {
                put(name, units.exact(v));
            }
            put("species", r.species.clone());
            put("drying", r.drying.code().into());
            put("soaked", yes(r.soaked));
            put("broken", r.broken.to_string());
        }
        Spec::Template(t) => {
            let named = |p: &Named| format!("{}; {}; {}", p.name, units.exact(p.at[0]), units.exact(p.at[1]));
            put("points", t.points.iter().map(named).collect::<Vec<_>>().join("\n"));
            let diagonal = |d: &Diagonal| format!("{}; {}; {}", d.a, d.b, units.exact(d.mm));
            put("measured", t.measured.iter().map(diagonal).collect::<Vec<_>>().join("\n"));
            put("tolerance", units.exact(t.tolerance));
            put("half", yes(t.half));
            put("other", points(&t.other));
            put("splits", all(&t.splits));
            if let Some(photo) = &t.photograph {
                let mark =
                    |m: &Seen| format!("{}; {}; {}; {}", m.px[0], m.px[1], units.exact(m.mm[0]), units.exact(m.mm[1]));
                put("marks", photo.marks.iter().map(mark).collect::<Vec<_>>().join("\n"));
                put(
                    "traced",
                    photo.traced.iter().map(|p| format!("{}; {}", p[0], p[1])).collect::<Vec<_>>().join("\n"),
                );
                put("click", number(photo.click));
                put("flat", yes(photo.flat));
            }
        }
        Spec::Sheer(s) => {
            let one = |s: &Station| format!("{}; {}; {}", units.exact(s.x), maybe(s.port), maybe(s.starboard));
            put("stations", s.stations.iter().map(one).collect::<Vec<_>>().join("\n"));
            put("tolerance", units.exact(s.tolerance));
            put("level", yes(s.level));
        }
        Spec::Fitting(f) => {
            put("holes", f.holes.to_string());
            for (name, v) in [("diameter", f.diameter), ("pitch", f.pitch), ("depth", f.depth), ("stack", f.stack)] {
                put(name, units.exact(v));
            }
            put("into", f.into.code().into());
            for (name, v) in [("stainless", f.stainless), ("tried", f.tried), ("wrong", f.wrong)] {
                put(name, yes(v));
            }
        }
        Spec::Own(o) => {
            for (i, line) in o.lines.iter().enumerate() {
                put(&format!("what{i}"), line.what.clone());
                put(&format!("operation{i}"), line.operation.code().into());
                put(&format!("hours{i}"), number(line.hours));
                put(&format!("wait{i}"), if line.wait > 0.0 { number(line.wait) } else { String::new() });
                put(&format!("heavy{i}"), yes(line.heavy));
            }
        }
    }
    typed
}

#[cfg(test)]
mod tests {
    use mend_keel_core::units::LengthUnit;

    use super::*;

    fn form_of(typed: &Typed, kind: JobKind) -> Submission {
        let mut form = Submission::default();
        let own = (0..4).flat_map(|i| ["what", "operation", "hours", "wait", "heavy"].map(move |n| format!("{n}{i}")));
        let plain = groups(kind).iter().flat_map(|g| g.1).map(|f| f.0.to_owned());
        let photo = ["marks", "traced", "click", "flat"].map(str::to_owned);
        for name in own.chain(plain).chain(photo) {
            let value = typed.get(&name).to_owned();
            if !value.is_empty() {
                form.set(&name, value);
            }
        }
        form
    }

    fn each() -> Vec<Spec> {
        let line = |what: &str, wait| Line {
            what: what.into(),
            operation: Operation::Glue,
            hours: 2.5,
            wait,
            heavy: wait > 0.0,
        };
        vec![
            Spec::Ring(Rings {
                count: 3,
                inner_diameter: 111.5,
                thickness: 12.0,
                ply: 3.0,
                taper: 60.0,
                height: 20.0,
                species: "white_oak".into(),
                drying: Drying::Kiln,
                soaked: true,
                broken: 1,
            }),
            Spec::Spar(Spar {
                length: 5_200.0,
                staves: 8,
                taper: vec![[0.0, 110.0], [5_200.0, 72.5]],
                wall: None,
                ratio: 12.0,
                species: "sitka_spruce".into(),
                soft: vec![Soft { stave: 3, from: 400.0, to: 900.0 }],
                margin: Some(80.0),
                stock: vec![3_000.0, 2_400.0],
            }),
            Spec::Sheer(Sheer {
                stations: vec![
                    Station { x: 0.0, port: Some(900.0), starboard: Some(897.5) },
                    Station { x: 800.0, port: None, starboard: Some(850.0) },
                    Station { x: 1_600.0, port: Some(840.0), starboard: None },
                ],
                tolerance: 2.0,
                level: true,
            }),
            Spec::Own(Own { lines: vec![line("Fetch the trailer", 0.0), line("Lift the engine", 12.0)] }),
            Spec::Template(Template {
                points: Vec::new(),
                measured: Vec::new(),
                tolerance: 2.0,
                half: false,
                other: Vec::new(),
                splits: vec![300.0],
                photograph: Some(Photograph {
                    marks: vec![Seen { px: [10.5, 20.0], mm: [0.0, 100.0] }],
                    traced: vec![[4.0, 5.25]],
                    click: 1.5,
                    flat: true,
                }),
            }),
        ]
    }

    #[test]
    fn what_is_kept_is_typed_and_read_back_the_same_in_either_unit() {
        for units in
            [Units { unit: LengthUnit::Millimetre, denominator: 16 }, Units { unit: LengthUnit::Inch, denominator: 16 }]
        {
            for spec in each() {
                let mut form = form_of(&typed(&spec, units), spec.kind());
                if matches!(spec, Spec::Template(_)) {
                    form.set("photo_hash", "abc".into());
                }
                let mut reader = Reader::new(&form, units.unit);
                let back = read(spec.kind(), &mut reader, &form, units.unit);
                assert!(reader.faults.is_empty(), "{:?}: {:?}", spec.kind(), reader.faults);
                let (a, b) = (serde_json::to_value(&spec).unwrap(), serde_json::to_value(&back).unwrap());
                assert!(near(&a, &b), "{a}\n{b}");
            }
        }
    }

    fn near(a: &serde_json::Value, b: &serde_json::Value) -> bool {
        use serde_json::Value as V;
        match (a, b) {
            (V::Number(a), V::Number(b)) => (a.as_f64().unwrap() - b.as_f64().unwrap()).abs() < 1e-3,
            (V::Array(a), V::Array(b)) => a.len() == b.len() && a.iter().zip(b).all(|(a, b)| near(a, b)),
            (V::Object(a), V::Object(b)) => {
                a.len() == b.len() && a.iter().all(|(k, v)| b.get(k).is_some_and(|w| near(v, w)))
            }
            _ => a == b,
        }
    }

    #[test]
    fn a_line_that_cannot_be_read_is_told_by_its_number() {
        let mut form = Submission::default();
        form.set("soft", "1, 300, 900\n\ntwo, 4, 5".into());
        let mut reader = Reader::new(&form, LengthUnit::Millimetre);
        drop(read(JobKind::Spar, &mut reader, &form, LengthUnit::Millimetre));
        assert!(reader.faults.at("soft").starts_with("line 3: write the stave"), "{}", reader.faults.at("soft"));
        assert!(reader.faults.has("length") && reader.faults.has("staves"));
    }
}
