//! A frame's own shape, out of the table of offsets or off a template: its section, the bevel along it, its other face, and the
//! moulds to make it by.

use crate::error::{self, InputError};
use crate::geometry::{Point, distance_to_segment, polyline_at};
use crate::grid::offsets::{Offsets, RowKind};
use crate::reason::{Reason, Verdict};
use crate::repair::decide::member::{Curve, RUN_OUT, run_out};
use crate::repair::way::OptionKind;
use crate::timber::board::EDGE_ALLOWANCE;
use crate::timber::species::Species;

use super::bend::{self, CLEAN_UP, PLY_KERF};
use super::bevel::{self, Section};
use super::fair;
use super::pattern::{Allowances, Pattern, beside, least_box};
use super::spiling::RibTick;

/// The bevel at a height of a frame.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct BevelAt {
    pub height: f64,
    pub half_breadth: f64,
    /// Along the frame from its heel, mm.
    pub along: f64,
    /// Degrees; positive where the hull narrows going aft.
    pub bevel: f64,
}

/// A frame's shape. Lengths mm.
#[derive(Debug, Clone, PartialEq)]
pub struct FrameShape {
    /// Taken on the boat by a template; else out of the table of offsets.
    pub taken: bool,
    /// `[half-breadth, height]` from the heel up, close together; of a template `[out, along]` its straight edge.
    pub section: Vec<Point>,
    /// The sections a frame space forward and aft, for drawing; empty where it was taken by a template.
    pub fore: Vec<Point>,
    pub aft: Vec<Point>,
    pub bevels: Vec<BevelAt>,
    pub girth: f64,
    /// Tightest radius of its curve, away from the rabbet; `None` where it is nearly straight.
    pub radius: Option<f64>,
    /// Where that is, along from the heel.
    pub tightest_at: f64,
    /// Greatest bevel, whichever way, degrees.
    pub most_bevel: f64,
    /// The bevel changes sides along it: the frame stands square somewhere.
    pub turns: bool,
}

impl FrameShape {
    /// The curve a new frame is made to: the radius of its inside, which lies the moulded size inside the section, mm.
    pub fn curve(&self, moulded: f64) -> Curve {
        self.radius.map_or(Curve::Straight, |outside| Curve::Radius((outside - moulded).max(moulded)))
    }
}

/// Near the rabbet a small radius over a short end is not the frame's curve: this share of the girth is passed over there
/// (*yard rule*).
const HEEL: f64 = 0.2;
/// Points of a section.
const DENSE: usize = 41;
/// Points each way that a radius is taken over.
const REACH: usize = 4;
/// Bevels given along a frame.
const BEVELS: usize = 9;
/// A radius of more than this is straight, mm.
const STRAIGHT: f64 = 20_000.0;

/// A frame's shape at `x`, with bevels over a frame space each way. Errors name `offsets` or `x`. Source: handbook 04.
///
/// The lines of the table are carried through the stations as a batten would take them (natural splines), the section through
/// its points likewise.
pub fn shape(offsets: &Offsets, x: f64, space: f64) -> Result<FrameShape, InputError> {
    offsets.check().map_err(|e| InputError::new("offsets", format!("{}: {}", e.field, e.message)))?;
    error::length("space", space)?;
    let (first, last) = (offsets.stations[0], offsets.stations[offsets.stations.len() - 1]);
    if x < first || x > last {
        let message = format!("lies outside the stations ({first:.0} to {last:.0} mm)");
        return Err(InputError::new("x", message));
    }
    let at = |x: f64| dense(&points_at(offsets, x));
    let section = at(x)?;
    let (fore, aft) = ((x - space).max(first), (x + space).min(last));
    let (fore_section, aft_section) = (at(fore)?, at(aft)?);
    let girth_to = running(&section);
    let (radius, tightest_at) = tightest(&section, &girth_to);
    let mut sections = vec![Section { x: fore, points: fore_section.clone() }];
    let station = usize::from(fore < x);
    if fore < x {
        sections.push(Section { x, points: section.clone() });
    }
    if aft > x {
        sections.push(Section { x: aft, points: aft_section.clone() });
    }
    let mut bevels = Vec::new();
    for i in 0..BEVELS {
        let k = 1 + i * (DENSE - 3) / (BEVELS - 1);
        let [half_breadth, height] = section[k];
        // Near the keel and the sheer a neighbour may end lower or higher: there is no bevel to give.
        if let Ok(found) = bevel::at(&sections, station, height) {
            bevels.push(BevelAt { height, half_breadth, along: girth_to[k], bevel: found.bevel });
        }
    }
    Ok(FrameShape {
        taken: false,
        fore: fore_section,
        aft: aft_section,
        girth: girth_to[DENSE - 1],
        radius,
        tightest_at,
        most_bevel: most_bevel(&bevels),
        turns: turns(&bevels),
        bevels,
        section,
    })
}

/// The tightest radius of a section away from the rabbet, `None` where it is nearly straight, and where that is along it.
fn tightest(section: &[Point], girth_to: &[f64]) -> (Option<f64>, f64) {
    let n = section.len();
    if n < 2 * REACH + 1 {
        return (None, 0.0);
    }
    let girth = girth_to[n - 1];
    // Over a fifth of the girth: a spline between few points bends a little more here and a little less there.
    let reach = REACH * n / DENSE;
    let curvature =
        |i: usize| super::pattern::curvature(&[section[i - reach], section[i], section[i + reach]])[1].abs();
    let heel = girth_to.iter().position(|g| *g >= HEEL * girth).unwrap_or(reach);
    let at = (heel.max(reach)..n - reach).max_by(|a, b| curvature(*a).total_cmp(&curvature(*b))).unwrap_or(n / 2);
    let radius = 1.0 / curvature(at).max(1e-9);
    ((radius < STRAIGHT).then_some(radius), girth_to[at])
}

fn most_bevel(bevels: &[BevelAt]) -> f64 {
    bevels.iter().map(|b| b.bevel).fold(0.0f64, |m, b| if b.abs() > m.abs() { b } else { m })
}

fn turns(bevels: &[BevelAt]) -> bool {
    bevels.iter().any(|b| b.bevel > 0.5) && bevels.iter().any(|b| b.bevel < -0.5)
}

/// A frame as its template was taken: the fair outside, and the bevels where somebody took them. Nothing is known of its neighbours.
pub fn taken(pattern: &Pattern, ticks: &[RibTick]) -> FrameShape {
    let section: Vec<Point> = pattern.upper.line.iter().map(|p| [p[1], p[0]]).collect();
    let girth_to = running(&section);
    let (radius, tightest_at) = tightest(&section, &girth_to);
    let along: Vec<Point> = section.iter().zip(&girth_to).map(|(p, g)| [p[1], *g]).collect();
    let bevels: Vec<BevelAt> = ticks
        .iter()
        .filter_map(|t| {
            let bevel = t.bevel?;
            let half_breadth = polyline_at(&pattern.upper.line, t.x);
            Some(BevelAt { height: t.x, half_breadth, along: polyline_at(&along, t.x), bevel })
        })
        .collect();
    FrameShape {
        taken: true,
        fore: Vec::new(),
        aft: Vec::new(),
        girth: girth_to.last().copied().unwrap_or_default(),
        radius,
        tightest_at,
        most_bevel: most_bevel(&bevels),
        turns: turns(&bevels),
        bevels,
        section,
    }
}

/// Least and greatest width of a frame measured square to its outside, mm, away from its ends.
pub fn across(pattern: &Pattern) -> (f64, f64) {
    let (outside, inside) = (&pattern.upper.line, &pattern.lower.line);
    let n = outside.len();
    let far = |p: &Point| inside.windows(2).map(|w| distance_to_segment(*p, w[0], w[1])).fold(f64::INFINITY, f64::min);
    // Near an end square across leads past the other edge's end.
    let middle = outside.iter().skip(n / 6).take(n - 2 * (n / 6)).map(far);
    middle.fold((f64::INFINITY, 0.0), |(least, most), w| (w.min(least), w.max(most)))
}

/// Fewest places where a bevel must have been taken for the other face to be drawn.
pub const FEWEST_BEVELS: usize = 2;

/// The outline of a frame's after face, where `pattern` is its fore face: a sawn frame is a parallelogram in section, so that outside and
/// inside both move by `sided × tan β`, inwards where the hull narrows going aft. `None` where too few bevels were taken: a face that
/// nobody measured is not drawn square. Bevels run evenly from place to place, and on as at the last one. Source: handbook 04.
pub fn other_face(pattern: &Pattern, bevels: &[BevelAt], sided: f64) -> Option<Vec<Point>> {
    if bevels.len() < FEWEST_BEVELS {
        return None;
    }
    let along: Vec<Point> = bevels.iter().map(|b| [b.height, b.bevel]).collect();
    let (first, last) = (along[0][0], along[along.len() - 1][0]);
    let by = |x: f64| -sided * polyline_at(&along, x.clamp(first, last)).to_radians().tan();
    let mut outline = beside(&pattern.lower.line, by);
    outline.extend(beside(&pattern.upper.line, by).into_iter().rev());
    Some(outline)
}

/// Length and width of the blank both faces are cut from, mm, with what is left on.
pub fn blank(pattern: &Pattern, other: Option<&[Point]>, allow: Allowances) -> (f64, f64) {
    let all: Vec<Point> = pattern.outline.iter().chain(other.unwrap_or_default()).copied().collect();
    let Some((corners, _)) = least_box(&all) else { return (pattern.blank_length, pattern.blank_width) };
    let side = |a: usize, b: usize| (corners[b][0] - corners[a][0]).hypot(corners[b][1] - corners[a][1]);
    (side(0, 1) + 2.0 * allow.trim, side(1, 2) + 2.0 * allow.planing)
}

/// Every point the table gives at a place along the boat, from the heel up.
fn points_at(offsets: &Offsets, x: f64) -> Vec<Point> {
    let along = |values: &[Option<f64>]| -> Vec<Point> {
        offsets.stations.iter().zip(values).filter_map(|(x, v)| Some([*x, (*v)?])).collect()
    };
    let value = |values: &[Option<f64>]| -> Option<f64> {
        let line = along(values);
        let inside = line.first()?[0] <= x && x <= line.last()?[0];
        match line.len() {
            _ if !inside => None,
            0 | 1 => None,
            2 => Some(polyline_at(&line, x)),
            _ => Some(fair::through(&line, &[x])[0]),
        }
    };
    let height_of = |name: &str| {
        offsets.rows.iter().find(|r| r.kind == RowKind::Height && r.name == name).and_then(|r| value(&r.values))
    };
    let lines = offsets.rows.iter().filter_map(|row| match row.kind {
        RowKind::Waterline => Some([value(&row.values)?, row.at]),
        RowKind::Buttock => Some([row.at, value(&row.values)?]),
        RowKind::HalfBreadth => Some([value(&row.values)?, height_of(&row.name)?]),
        RowKind::Height => {
            let paired = offsets.rows.iter().any(|r| r.kind == RowKind::HalfBreadth && r.name == row.name);
            if paired { None } else { Some([0.0, value(&row.values)?]) }
        }
    });
    let mut points: Vec<Point> = lines.map(|p| [p[0].max(0.0), p[1]]).collect();
    points.sort_by(|a, b| a[1].total_cmp(&b[1]).then(a[0].total_cmp(&b[0])));
    // Below the lowest named line (the rabbet) there is no frame.
    let named = offsets.rows.iter().filter(|r| r.kind == RowKind::Height).filter_map(|r| value(&r.values));
    let (lowest, highest) = named.fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), v| (l.min(v), h.max(v)));
    if lowest < highest {
        points.retain(|p| p[1] >= lowest - 1.0 && p[1] <= highest + 1.0);
    }
    points.dedup_by(|a, b| (a[0] - b[0]).hypot(a[1] - b[1]) < 5.0);
    points
}

/// A section close together: a spline along the chord through its points.
fn dense(points: &[Point]) -> Result<Vec<Point>, InputError> {
    if points.len() < 3 {
        return Err(InputError::new("offsets", "give fewer than three points here: no section can be drawn"));
    }
    let along = running(points);
    let total = along[along.len() - 1];
    let at: Vec<f64> = (0..DENSE).map(|i| total * i as f64 / (DENSE - 1) as f64).collect();
    let axis = |k: usize| {
        let line: Vec<Point> = along.iter().zip(points).map(|(s, p)| [*s, p[k]]).collect();
        fair::through(&line, &at)
    };
    Ok(axis(0).into_iter().zip(axis(1)).map(|(b, h)| [b.max(0.0), h]).collect())
}

/// Distance along a line to each of its points.
pub(crate) fn running(points: &[Point]) -> Vec<f64> {
    let mut total = 0.0;
    let mut out = vec![0.0];
    for w in points.windows(2) {
        total += (w[1][0] - w[0][0]).hypot(w[1][1] - w[0][1]);
        out.push(total);
    }
    out
}

/// What a frame is made to.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Scantling {
    pub sided: f64,
    pub moulded: f64,
}

/// How a frame is made: stock and mould. Lengths mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Mould {
    pub way: OptionKind,
    /// Pieces, and each piece's stock: length, width in the plane of the curve, thickness (sided, with the bevel).
    pub pieces: u32,
    pub stock: [f64; 3],
    pub plies: u32,
    pub ply_thickness: f64,
    /// Inside radius of the former; `None` where it is sawn to the mould.
    pub former_radius: Option<f64>,
    /// How far the former is tighter: rise over the frame's chord, the frame's own and the former's.
    pub rises: Option<(f64, f64)>,
    pub spring_back: f64,
    pub reasons: Vec<Reason>,
}

impl Mould {
    /// Length, width and thickness of the board each of its pieces is cut from, mm: the plies of a lamination are ripped beside each other
    /// out of one, and lie in it on their edges.
    pub fn blank(&self) -> [f64; 3] {
        let [length, width, thickness] = self.stock;
        let planed = 2.0 * EDGE_ALLOWANCE;
        match self.way {
            OptionKind::Laminate => [length, f64::from(self.plies) * (self.ply_thickness + PLY_KERF), width],
            OptionKind::Steam => [length, thickness + planed, width],
            _ => [length, width + planed, thickness],
        }
    }
}

/// Longest of a strip over its frame, each end, mm (*yard rule*).
const END_OVER: f64 = 50.0;

/// Extra width that a bevel asks of the stock: sided × tan β, mm.
pub fn bevel_width(sided: f64, bevel: f64) -> f64 {
    sided * bevel.abs().to_radians().tan()
}

/// The mould for each way of making the frame: sawn, steamed, laminated.
///
/// Sawn: futtocks so short that the grain runs out no more than 6°, stock wide enough for the curve and the bevel. Steamed: 12 %
/// springs back, so the former is tighter. Laminated: `n = t / t_ply` plies, 1/n² springs back. Errors name `sided` or `moulded`.
pub fn moulds(frame: &FrameShape, scantling: Scantling, species: &Species) -> Result<Vec<Mould>, InputError> {
    let sided = error::length("sided", scantling.sided)?;
    let moulded = error::length("moulded", scantling.moulded)?;
    let extra = bevel_width(sided, frame.most_bevel);
    let outer = frame.radius.unwrap_or(STRAIGHT);
    // The frame lies inside its section.
    let radius = (outer - moulded).max(moulded);
    let chord = {
        let (a, b) = (frame.section[0], frame.section[frame.section.len() - 1]);
        (b[0] - a[0]).hypot(b[1] - a[1])
    };
    let bevel_reason = if frame.bevels.is_empty() {
        let words = "nobody took its bevels: the stock is figured square, and wants to be wider by what they ask for";
        Reason::new("frame.bevel_width", Verdict::Against, words).formula("sided × tan β")
    } else {
        Reason::note("frame.bevel_width", "the bevel is cut out of the stock: it is that much wider")
            .formula("sided × tan β")
            .value("greatest bevel", frame.most_bevel, "°")
            .value("extra width", extra, "mm")
    };
    let futtocks = (run_out(frame.girth, radius.max(frame.girth / 4.0)) / RUN_OUT).ceil().clamp(1.0, 8.0);
    let each = frame.girth / futtocks;
    let rise = sagitta(radius, each);
    let bend = bend::plan(&bend::Request::air_dried(species, moulded, radius))?;
    let plies = bend::plies_for(species, moulded, radius);
    let (steamed_back, glued_back) = (0.12, 1.0 / f64::from(plies * plies));
    let former = |spring_back: f64| bend::former_radius(radius, chord.min(1.9 * radius), spring_back);
    let rises = |spring_back: f64| {
        let rise = sagitta(radius, chord.min(1.9 * radius));
        Some((rise, rise / (1.0 - spring_back)))
    };
    Ok(vec![
        Mould {
            way: OptionKind::Saw,
            pieces: futtocks as u32,
            stock: [each + 2.0 * END_OVER, moulded + rise + extra, sided],
            plies: 1,
            ply_thickness: moulded,
            former_radius: None,
            rises: None,
            spring_back: 0.0,
            reasons: vec![
                Reason::note("frame.futtocks", "so many futtocks that the grain runs out no more than 6° in any; butts staggered from floor to floor")
                    .formula("L / 2R ≤ 6° for each")
                    .value("futtocks", futtocks, "")
                    .value("rise in one futtock", rise, "mm"),
                bevel_reason.clone(),
            ],
        },
        Mould {
            way: OptionKind::Steam,
            pieces: 1,
            stock: [frame.girth + 2.0 * END_OVER, sided + extra, moulded],
            plies: 1,
            ply_thickness: moulded,
            former_radius: former(steamed_back),
            rises: rises(steamed_back),
            spring_back: steamed_back,
            reasons: vec![
                Reason::new(
                    "frame.steam",
                    match bend.steam_risk {
                        bend::SteamRisk::Low => Verdict::For,
                        bend::SteamRisk::High => Verdict::Against,
                        bend::SteamRisk::Breaks => Verdict::Forbids,
                    },
                    "steamed stock springs back about 12 %: the former is tighter by that",
                )
                .formula("rise / (1 − 0.12)")
                .against("inside radius", radius, "mm", bend.steam_min_radius)
                .value("minutes in the box", bend.steam_minutes, "min"),
                bevel_reason.clone(),
            ],
        },
        Mould {
            way: OptionKind::Laminate,
            pieces: 1,
            stock: [frame.girth + 2.0 * END_OVER, sided + extra + CLEAN_UP, moulded / f64::from(plies)],
            plies,
            ply_thickness: moulded / f64::from(plies),
            former_radius: former(glued_back),
            rises: rises(glued_back),
            spring_back: glued_back,
            reasons: vec![
                Reason::note("frame.laminate", "plies thin enough to bend cold; the stack springs back by 1/n² of its rise")
                    .formula("n = t / t_ply, three at least; spring-back 1/n²")
                    .value("plies", f64::from(plies), "")
                    .value("ply", moulded / f64::from(plies), "mm"),
                bevel_reason,
            ],
        },
    ])
}

/// Rise of an arc of a radius over a chord.
fn sagitta(radius: f64, chord: f64) -> f64 {
    let half = (chord / 2.0).min(radius);
    radius - (radius * radius - half * half).max(0.0).sqrt()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::grid::offsets::Row;
    use crate::timber::species;

    /// A hull whose sections are quarter circles of 1,000 mm radius, narrowing by 100 mm a metre going aft.
    fn round() -> Offsets {
        let stations: Vec<f64> = (0..5).map(|i| 1_000.0 * f64::from(i)).collect();
        let radius = |x: f64| 1_000.0 - x / 10.0;
        let row = |name: &str, kind, at, of: &dyn Fn(f64) -> f64| Row {
            name: name.into(),
            kind,
            at,
            values: stations.iter().map(|x| Some(of(*x))).collect(),
        };
        let mut rows: Vec<Row> = (1..8)
            .map(|i| {
                let h = 100.0 * f64::from(i);
                // Height measured up from the circle's foot, the same at every station.
                row(&format!("WL{i}"), RowKind::Waterline, h, &|x| {
                    let r = radius(x);
                    (r * r - (r - h).max(0.0).powi(2)).sqrt()
                })
            })
            .collect();
        rows.push(row("Rabbet", RowKind::HalfBreadth, 0.0, &|x| (radius(x) * 100.0 - 2_500.0).max(0.0).sqrt()));
        rows.push(row("Rabbet", RowKind::Height, 0.0, &|_| 50.0));
        rows.push(row("Sheer", RowKind::HalfBreadth, 0.0, &|x| {
            let r = radius(x);
            (r * r - (r - 750.0).max(0.0).powi(2)).sqrt()
        }));
        rows.push(row("Sheer", RowKind::Height, 0.0, &|_| 750.0));
        Offsets { stations: stations.clone(), rows }
    }

    #[test]
    fn a_round_section_has_its_own_radius_and_bevels_the_way_it_narrows() {
        let frame = shape(&round(), 2_000.0, 300.0).unwrap();
        let radius = frame.radius.unwrap();
        assert!((radius - 800.0).abs() < 120.0, "{radius}");
        assert_eq!(frame.section.len(), 41);
        assert!(frame.bevels.len() >= 5 && frame.bevels.iter().all(|b| b.bevel > 0.0), "{:?}", frame.bevels);
        assert!(frame.bevels.windows(2).all(|w| w[1].along > w[0].along) && !frame.turns);
        assert_eq!(shape(&round(), 9_000.0, 300.0).unwrap_err().field, "x");
        assert_eq!(shape(&Offsets::default(), 0.0, 300.0).unwrap_err().field, "offsets");
    }

    use crate::shape::pattern::plan;
    use crate::shape::spiling::{Capture, Way};

    /// A frame 50 mm moulded whose outside is a circle of 900 mm about a centre 600 mm inside the straight edge.
    fn round_ticks(inside: bool, bevel: impl Fn(f64) -> Option<f64>) -> Vec<RibTick> {
        let out = |x: f64, r: f64| (r * r - (x - 500.0).powi(2)).sqrt() - 600.0;
        (0..9)
            .map(|i| 125.0 * f64::from(i))
            .map(|x| RibTick {
                x,
                inside: inside.then(|| out(x, 850.0)),
                outside: Some(out(x, 900.0)),
                bevel: bevel(x),
            })
            .collect()
    }

    fn template(ticks: &[RibTick]) -> Pattern {
        let capture = Capture::Rib { moulded: 50.0, ticks: ticks.to_vec() };
        assert_eq!((capture.way(), capture.rows()), (Way::Rib, ticks.len()));
        plan(&capture.edges().unwrap(), 1.5, Allowances::default()).unwrap()
    }

    #[test]
    fn ticks_from_a_straight_edge_give_the_frame_its_radius_and_girth() {
        let ticks = round_ticks(true, |_| None);
        let shape = taken(&template(&ticks), &ticks);
        // By the arc's own formula.
        let girth = 2.0 * 900.0 * (500.0f64 / 900.0).asin();
        let (least, most) = across(&template(&ticks));
        assert!((least - 50.0).abs() < 0.3 && (most - 50.0).abs() < 0.3, "{least} to {most}");
        assert!((shape.girth - girth).abs() < 1.0, "{} for {girth}", shape.girth);
        assert!((shape.radius.unwrap() - 900.0).abs() < 30.0, "{:?}", shape.radius);
        assert!(shape.taken && shape.bevels.is_empty() && shape.most_bevel == 0.0);
    }

    #[test]
    fn a_frame_bent_round_the_bilge_is_true_at_its_steep_ends() {
        // 620 mm radius, so far round that its ends stand at 58°, ticked to a tenth of a millimetre every 150 mm.
        let out = |x: f64| (620.0f64.powi(2) - (x - 525.0).powi(2)).sqrt() - 300.0;
        let tick = |x: f64| RibTick { x, inside: None, outside: Some((out(x) * 10.0).round() / 10.0), bevel: None };
        let ticks: Vec<RibTick> = (0..8).map(|i| tick(150.0 * f64::from(i))).collect();
        let pattern = template(&ticks);
        for p in &pattern.upper.line {
            assert!((p[1] - out(p[0])).abs() < 0.5, "{p:?} for {}", out(p[0]));
        }
        let shape = taken(&pattern, &ticks);
        assert!((shape.radius.unwrap() - 620.0).abs() < 12.0, "{:?}", shape.radius);
        // Its inside is what the wood is bent to.
        assert!(matches!(shape.curve(55.0), Curve::Radius(r) if (r - 565.0).abs() < 12.0));
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]

        #[test]
        fn any_frame_comes_back_within_its_ticks_scatter(
            radius in 350.0..3_000.0f64, half in 0.15..1.25f64, lean in -0.3..0.3f64, hard in 0.0..0.12f64,
            seed in 0u64..1_000,
        ) {
            // An arc that is a little harder at one end than at the other, from a straight edge that leans: its ends may stand upright,
            // but the wood does not turn back under it.
            let from = -half + lean;
            let at = |t: f64| {
                let angle = from + 2.0 * half * t;
                let r = radius * (1.0 - hard * t * t);
                [r * angle.sin() - radius * from.sin(), r * angle.cos()]
            };
            let dense: Vec<Point> = (0..=2_000).map(|i| at(f64::from(i) / 2_000.0)).collect();
            prop_assume!(dense.windows(2).all(|w| w[1][0] > w[0][0]));
            let mut random = crate::chance::Chance::seeded(seed);
            let mut ticks: Vec<RibTick> = Vec::new();
            for i in 0..11 {
                let [x, y] = at(f64::from(i) / 10.0);
                let scatter = (f64::from(random.below(1_000)) / 1_000.0 - 0.5) * 0.8;
                if ticks.last().is_none_or(|t| x > t.x + 5.0) {
                    ticks.push(RibTick { x, inside: None, outside: Some(y + scatter), bevel: None });
                }
            }
            prop_assume!(ticks.len() >= 8);
            let pattern = template(&ticks);
            prop_assert!(pattern.suspects.is_empty(), "{:?}", pattern.suspects);
            let far = |p: &Point| {
                dense.windows(2).map(|w| distance_to_segment(*p, w[0], w[1])).fold(f64::INFINITY, f64::min)
            };
            let worst = pattern.upper.line.iter().map(far).fold(0.0, f64::max);
            prop_assert!(worst < 1.5, "{worst} mm off");
        }
    }

    #[test]
    fn a_frame_that_turns_back_under_the_straight_edge_asks_for_it_to_be_laid_anew() {
        // Round a bilge of 600 mm, on to 17.5° past upright.
        let at = |degrees: f64| [600.0 * degrees.to_radians().sin(), 600.0 * degrees.to_radians().cos()];
        let ticks: Vec<RibTick> = (0..10)
            .map(|i| at(-50.0 + 17.5 * f64::from(i)))
            .map(|[x, y]| RibTick { x, inside: None, outside: Some(y), bevel: None })
            .collect();
        // The last lies under the one before: x no longer rises.
        assert_eq!(Capture::Rib { moulded: 50.0, ticks: ticks.clone() }.edges().unwrap_err().field, "rows[9].x");
        // Left out, the end stands upright: the rest is true.
        let pattern = template(&ticks[..9]);
        assert!(pattern.suspects.is_empty(), "{:?}", pattern.suspects);
        for p in &pattern.upper.line {
            assert!((p[0].hypot(p[1]) - 600.0).abs() < 0.5, "{p:?}");
        }
        // Ticks that all rise, over wood that turns back between the last two.
        let harder = |i: usize| {
            let t = i as f64 / 10.0;
            let angle: f64 = -0.98 + 2.5 * t;
            let r = 2_900.0 * (1.0 - 0.12 * t * t);
            RibTick { x: r * angle.sin(), inside: None, outside: Some(r * angle.cos()), bevel: None }
        };
        let ticks: Vec<RibTick> = [0, 1, 2, 3, 4, 5, 6, 7, 8, 10].into_iter().map(harder).collect();
        assert!(ticks.windows(2).all(|w| w[1].x > w[0].x), "{ticks:?}");
        let edges = Capture::Rib { moulded: 50.0, ticks }.edges().unwrap();
        let told = plan(&edges, 1.5, Allowances::default()).unwrap_err();
        assert!(told.field == "rows" && told.message.contains("turns back"), "{told:?}");
    }

    #[test]
    fn an_inside_that_nobody_took_lies_the_moulded_size_inside() {
        let laid = template(&round_ticks(false, |_| None));
        let took = template(&round_ticks(true, |_| None));
        for x in [200.0, 500.0, 800.0] {
            let off = polyline_at(&laid.lower.line, x) - polyline_at(&took.lower.line, x);
            assert!(off.abs() < 0.5, "{off} at {x}");
        }
        assert!(laid.lower.measured.is_empty() && laid.suspects.is_empty());
    }

    #[test]
    fn a_wrong_tick_outside_is_named_once_and_few_are_too_few_to_check() {
        let mut ticks = round_ticks(false, |_| None);
        if let Some(out) = ticks[4].outside.as_mut() {
            *out += 12.0;
        }
        let told = template(&ticks);
        assert_eq!(told.suspects.iter().map(|s| s.row).collect::<Vec<_>>(), [4]);
        let few = template(&[ticks[0], ticks[3], ticks[8]]);
        assert!(!few.checked() && few.suspects.is_empty());
        let words = few.reasons.iter().find(|r| r.rule == "shape.suspect").unwrap();
        assert!(words.text.contains("too few to check"));
    }

    #[test]
    fn the_after_face_lies_in_by_sided_times_the_bevels_tangent() {
        let ticks = round_ticks(true, |x| [0.0, 500.0, 1_000.0].contains(&x).then_some(10.0));
        let pattern = template(&ticks);
        let shape = taken(&pattern, &ticks);
        let other = other_face(&pattern, &shape.bevels, 40.0).unwrap();
        let in_by = 40.0 * 10f64.to_radians().tan();
        // Amidships the circle runs along the straight edge: there the faces lie apart straight out.
        let upper: Vec<Point> = other[other.len() / 2..].iter().rev().copied().collect();
        let lower = &other[..other.len() / 2];
        assert!((polyline_at(&pattern.upper.line, 500.0) - polyline_at(&upper, 500.0) - in_by).abs() < 0.05);
        assert!((polyline_at(&pattern.lower.line, 500.0) - polyline_at(lower, 500.0) - in_by).abs() < 0.05);
        let (length, width) = blank(&pattern, Some(&other), Allowances::default());
        assert!(width > pattern.blank_width && length >= pattern.blank_length - 1e-6);
        assert_eq!(blank(&pattern, None, Allowances::default()), (pattern.blank_length, pattern.blank_width));
    }

    #[test]
    fn a_face_whose_bevels_nobody_took_is_not_drawn_square() {
        for places in [&[][..], &[500.0][..]] {
            let ticks = round_ticks(true, |x| places.contains(&x).then_some(10.0));
            let pattern = template(&ticks);
            assert_eq!(other_face(&pattern, &taken(&pattern, &ticks).bevels, 40.0), None);
        }
    }

    #[test]
    fn what_cannot_be_a_frame_is_told_at_its_row() {
        let fault = |spoil: &dyn Fn(&mut Vec<RibTick>)| {
            let mut ticks = round_ticks(true, |_| None);
            spoil(&mut ticks);
            Capture::Rib { moulded: 50.0, ticks }.edges().unwrap_err()
        };
        assert_eq!(fault(&|t| t[3].x = t[2].x).field, "rows[3].x");
        assert_eq!(fault(&|t| t[2].outside = t[2].inside).field, "rows[2].upper");
        assert_eq!(fault(&|t| t[5].bevel = Some(80.0)).field, "rows[5].bevel");
        assert_eq!(fault(&|t| t[1].inside = Some(f64::NAN)).field, "rows[1].lower");
        let few = fault(&|t| t.iter_mut().skip(2).for_each(|t| t.inside = None));
        assert!(few.field == "rows" && few.message.contains("inside needs at least 3"), "{few:?}");
        assert!(fault(&|t| t.iter_mut().for_each(|t| t.outside = None)).message.contains("outside"));
        assert_eq!(Capture::Rib { moulded: 0.0, ticks: Vec::new() }.edges().unwrap_err().field, "moulded");
    }

    #[test]
    fn each_way_of_making_it_has_its_stock_and_its_former() {
        let frame = shape(&round(), 2_000.0, 300.0).unwrap();
        let oak = species::find("white_oak").unwrap();
        let moulds = moulds(&frame, Scantling { sided: 40.0, moulded: 46.0 }, oak).unwrap();
        let of = |way| moulds.iter().find(|m| m.way == way).unwrap();
        let (saw, steam, glued) = (of(OptionKind::Saw), of(OptionKind::Steam), of(OptionKind::Laminate));
        assert!(saw.pieces >= 2 && saw.stock[1] > 46.0 && saw.former_radius.is_none());
        let inside = frame.radius.unwrap() - 46.0;
        assert!(
            steam.former_radius.unwrap() < glued.former_radius.unwrap()
                && glued.former_radius.unwrap() <= inside + 1e-6
        );
        assert!(glued.plies >= 3 && (glued.ply_thickness * f64::from(glued.plies) - 46.0).abs() < 1e-9);
        assert!((glued.spring_back - 1.0 / f64::from(glued.plies * glued.plies)).abs() < 1e-12);
        assert!((bevel_width(40.0, 45.0) - 40.0).abs() < 1e-9);
        // Every board is longer than what comes of it, wider by what is planed or lost to the saw, and as thick as the frame is sided.
        let beyond = bevel_width(40.0, frame.most_bevel);
        assert_eq!(steam.blank(), [frame.girth + 100.0, 46.0 + 12.0, 40.0 + beyond]);
        assert_eq!(glued.blank(), [frame.girth + 100.0, 46.0 + 3.0 * f64::from(glued.plies), 40.0 + beyond + 4.0]);
        let each = frame.girth / f64::from(saw.pieces);
        assert!((saw.blank()[0] - each - 100.0).abs() < 1e-9 && saw.blank()[1] > 46.0 + 12.0 + beyond);
    }
}
