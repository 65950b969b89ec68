//! Covering boards, rails and other edges: the landing, the pair held against each other, blanks out of wide stock, the
//! mitre at the ends, the flats and the counterbores.

use serde::{Deserialize, Serialize};

use super::{Amount, Rate, Steps, Told};
use crate::caution::Caution;
use crate::error::{self, InputError};
use crate::geometry::{Point, polyline_at};
use crate::reason::{Reason, Verdict};
use crate::shape::covering::{self, Finish};
use crate::shape::fair;
use crate::timber::species;
use crate::work::estimate::Operation as O;
use crate::work::tasks::{GLUE_CURE_HOURS, Task};

/// An edge piece of one side. Lengths in mm, x aft.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Edge {
    /// Outer edge in plan: x, half breadth.
    pub outer: Vec<Point>,
    pub width: f64,
    pub thickness: f64,
    pub species: String,
    /// The rail above it, and how far it laps over; both or none.
    pub rail: Option<f64>,
    pub overlap: Option<f64>,
    /// What stands of the side's top along it now: x, width; to be worked down to the landing.
    pub standing: Vec<Point>,
    /// From a taut centre line, at stations both sides have: x, distance.
    pub port: Vec<Point>,
    pub starboard: Vec<Point>,
    /// The stock it is sawn from, and what the saw takes between two blanks.
    pub board: Option<f64>,
    pub saw: f64,
    /// Between the two boards that meet, in plan, and how they slope athwart; degrees.
    pub corner: Option<f64>,
    pub slope: f64,
    /// Radius the outer edge is rounded to.
    pub round: Option<f64>,
    /// Screws: how far in from the edge, one for each distance; depth and diameter of the counterbore.
    pub screws: Vec<f64>,
    pub counterbore: f64,
    pub plug: f64,
    /// The outer edge was taken on the boat.
    pub measured: bool,
}

/// Both sides lie equal within, mm.
pub const PAIR: f64 = 1.0;
/// Left over when it is fitted, mm.
pub const OVER: f64 = 1.0;

/// Where a station of one side differs from the other.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Unequal {
    pub x: f64,
    /// Port less starboard, mm.
    pub by: f64,
    /// Port is the one that leaves its own line; `None` where neither says so.
    pub port_is_off: Option<bool>,
}

/// How far a station lies off a smooth curve through the two before and the two after it, mm; `None` nearer an end.
fn leaves(line: &[Point], i: usize) -> Option<f64> {
    let around = [line.get(i.checked_sub(2)?)?, line.get(i - 1)?, line.get(i + 1)?, line.get(i + 2)?];
    let x = line[i][0];
    // The cubic through the four, by Lagrange.
    let curve: f64 = (0..4)
        .map(|k| {
            let share: f64 =
                (0..4).filter(|j| *j != k).map(|j| (x - around[j][0]) / (around[k][0] - around[j][0])).product();
            share * around[k][1]
        })
        .sum();
    Some(line[i][1] - curve)
}

/// Stations at which two sides, measured from a taut centre line, are not equal within [`PAIR`], and which side leaves its
/// own run there: the one whose station stands off a smooth curve through its neighbours by half the difference more than the
/// other's.
///
/// Errors name `port` or `starboard`. Source: handbook 10.
pub fn pair(port: &[Point], starboard: &[Point]) -> Result<Vec<Unequal>, InputError> {
    let same = port.len() == starboard.len() && port.iter().zip(starboard).all(|(a, b)| (a[0] - b[0]).abs() < 0.5);
    if !same {
        return Err(InputError::new("starboard", "both sides are measured at the same stations"));
    }
    for (field, line) in [("port", port), ("starboard", starboard)] {
        if line.iter().flatten().any(|v| !v.is_finite()) || line.windows(2).any(|w| w[1][0] <= w[0][0]) {
            return Err(InputError::new(field, "stations must rise"));
        }
    }
    let told = (0..port.len()).filter_map(|i| {
        let by = port[i][1] - starboard[i][1];
        if by.abs() <= PAIR {
            return None;
        }
        let port_is_off = leaves(port, i).zip(leaves(starboard, i)).and_then(|(p, s)| {
            let more = p.abs() - s.abs();
            (more.abs() >= by.abs() / 2.0).then_some(more > 0.0)
        });
        Some(Unequal { x: port[i][0], by, port_is_off })
    });
    Ok(told.collect())
}

/// Angles of a compound mitre, degrees.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Mitre {
    /// Of the saw from square across the face, and of its blade from upright.
    pub saw: f64,
    pub blade: f64,
    /// Of the bevel gauge on the face from the run, and on the edge from the face.
    pub gauge_face: f64,
    pub gauge_edge: f64,
}

/// The mitre of two boards that meet at `corner` in plan and both slope by `slope` athwart.
///
/// On the face `tan saw = cos slope / tan(corner/2)`; the blade `sin blade = sin slope · cos(corner/2)`. Errors name `corner`
/// or `slope`. Source: geometry; handbook 10.
pub fn mitre(corner: f64, slope: f64) -> Result<Mitre, InputError> {
    error::within("corner", corner, 10.0, 180.0)?;
    error::within("slope", slope, -80.0, 80.0)?;
    let (half, s) = ((corner / 2.0).to_radians(), slope.abs().to_radians());
    let saw = (s.cos() / half.tan()).atan().to_degrees();
    let blade = (s.sin() * half.cos()).asin().to_degrees();
    Ok(Mitre { saw, blade, gauge_face: 90.0 - saw, gauge_edge: 90.0 - blade })
}

/// Blanks of one edge out of a wide board, each lying in the hollow of the one before.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Blanks {
    /// How many a board yields; 0: it is not wide enough for one.
    pub count: u32,
    /// Length of board.
    pub length: f64,
    /// Width that one takes, and how far the next is moved across.
    pub first: f64,
    pub pitch: f64,
}

/// How many blanks between an outer and an inner edge a board of a width gives. The chord between its ends lies along the
/// board. Errors name `board` or `saw`. Source: handbook 10.
pub fn blanks(outer: &[Point], inner: &[Point], board: f64, saw: f64) -> Result<Blanks, InputError> {
    error::length("board", board)?;
    error::within("saw", saw, 0.0, 50.0)?;
    let (a, b) = (outer[0], outer[outer.len() - 1]);
    let (sin, cos) = (b[1] - a[1]).atan2(b[0] - a[0]).sin_cos();
    let turned = |line: &[Point]| -> Vec<Point> {
        let turn = |p: &Point| {
            let (x, y) = (p[0] - a[0], p[1] - a[1]);
            [x * cos + y * sin, y * cos - x * sin]
        };
        line.iter().map(turn).collect()
    };
    let (outer, inner) = (turned(outer), turned(inner));
    let ends = |axis: usize| {
        let all = outer.iter().chain(&inner).map(move |p| p[axis]);
        all.fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), v| (low.min(v), high.max(v)))
    };
    let ((left, right), (low, high)) = (ends(0), ends(1));
    const SAMPLES: u32 = 2_000;
    let thick = (0..=SAMPLES)
        .map(|n| left + (right - left) * f64::from(n) / f64::from(SAMPLES))
        .map(|x| polyline_at(&outer, x) - polyline_at(&inner, x))
        .fold(0.0, f64::max);
    let (first, pitch) = (high - low, thick + saw);
    let count = if first > board + 1e-9 { 0 } else { 1 + ((board - first + 1e-9) / pitch).floor() as u32 };
    Ok(Blanks { count, length: right - left, first, pitch })
}

/// Places a fair edge is given at.
const FAIR_PLACES: u32 = 96;

impl Edge {
    /// Its outer edge as a batten through the points lies, and which points it does not go through. Errors name `outer`.
    pub fn fair(&self) -> Result<(Vec<Point>, Vec<usize>), InputError> {
        let (Some(first), Some(last)) = (self.outer.first(), self.outer.last()) else {
            return Err(InputError::new("outer", "needs at least 3 points, x rising"));
        };
        if self.outer.len() < 3 || self.outer.windows(2).any(|w| w[1][0] <= w[0][0]) {
            return Err(InputError::new("outer", "needs at least 3 points, x rising"));
        }
        let at: Vec<f64> = (0..=FAIR_PLACES)
            .map(|n| first[0] + (last[0] - first[0]) * f64::from(n) / f64::from(FAIR_PLACES))
            .collect();
        let fair =
            fair::fit(&self.outer, fair::TOLERANCE, Some(&at)).map_err(|e| InputError::new("outer", e.message))?;
        Ok((fair.curve, fair.suspects))
    }

    /// Its fair outer and inner edge. Errors name `outer` or `width`.
    pub fn face(&self) -> Result<(Vec<Point>, Vec<Point>), InputError> {
        let (outer, _) = self.fair()?;
        let inner = covering::inner_edge(&outer, self.width)?;
        Ok((outer, inner))
    }

    pub(super) fn plan(&self, rate: Rate<'_>) -> Result<Told, InputError> {
        let wood = species::find(&self.species)?;
        error::length("thickness", self.thickness)?;
        let (outer, suspects) = self.fair()?;
        let inner = covering::inner_edge(&outer, self.width)?;
        let run: f64 = outer.windows(2).map(|w| (w[1][0] - w[0][0]).hypot(w[1][1] - w[0][1])).sum();
        let mut told = Told { generated: !self.measured, ..Told::default() };
        told.figure("Along its outer edge", Amount::Run(run));
        told.figure("Fitted over by", Amount::Length(OVER));
        if !self.measured {
            told.reasons.push(
                Reason::new(
                    "edge.outline",
                    Verdict::Forbids,
                    "nobody took this edge on the boat: take it before wood is cut to it",
                )
                .source("handbook 10"),
            );
        }
        for point in suspects {
            told.reasons.push(
                Reason::new(
                    "edge.fair",
                    Verdict::Against,
                    format!("point {} stands off a fair line through the others: measure it again", point + 1),
                )
                .source("handbook 04")
                .value("at", self.outer[point][0], "mm"),
            );
        }
        self.landing(&mut told)?;
        self.both_sides(&mut told)?;
        if let Some(board) = self.board {
            let blanks = blanks(&outer, &inner, board, self.saw)?;
            let verdict = if blanks.count == 0 { Verdict::Forbids } else { Verdict::Note };
            let text = match blanks.count {
                0 => "the board is not wide enough for one in one length: wider stock, or scarf it".to_owned(),
                n => format!("{n} out of one board, each in the hollow of the one before"),
            };
            told.reasons.push(
                Reason::new("edge.blanks", verdict, text)
                    .source("handbook 10")
                    .against("width one takes", blanks.first, "mm", board)
                    .value("the next lies over by", blanks.pitch, "mm"),
            );
            told.need(
                format!("{}, {:.0} mm wide and {:.0} mm thick in the rough", wood.name, board, self.thickness + 6.0),
                Amount::Run(blanks.length),
            );
        } else {
            told.need(format!("{}, {:.0} thick in the rough", wood.name, self.thickness + 6.0), Amount::Run(run));
        }
        if let Some(corner) = self.corner {
            let mitre = mitre(corner, self.slope)?;
            told.figure("Mitre, saw from square", Amount::Degrees(mitre.saw));
            told.figure("Mitre, blade from upright", Amount::Degrees(mitre.blade));
            told.figure("Bevel gauge on the face", Amount::Degrees(mitre.gauge_face));
            told.figure("Bevel gauge on the edge", Amount::Degrees(mitre.gauge_edge));
            told.reasons.push(
                Reason::note("edge.mitre", "the mitre is glued, not filled with seam compound")
                    .source("handbook 10")
                    .formula("tan saw = cos slope / tan(corner/2); sin blade = sin slope · cos(corner/2)"),
            );
        }
        self.finish(&mut told)?;
        told.tasks = self.tasks(run, rate);
        Ok(told)
    }

    /// The landing the side is worked down to, and what is to be planed off.
    fn landing(&self, told: &mut Told) -> Result<(), InputError> {
        let (rail, overlap) = match (self.rail, self.overlap) {
            (None, None) => {
                return match self.standing.is_empty() {
                    true => Ok(()),
                    false => Err(InputError::new("rail", "say how wide the rail is: the landing follows from it")),
                };
            }
            (Some(rail), overlap) => (rail, overlap.unwrap_or(0.0)),
            (None, Some(_)) => return Err(InputError::new("rail", "say how wide the rail is")),
        };
        let landing = covering::reveal(rail, overlap)
            .map_err(|e| InputError::new(if e.field == "overlap" { "overlap" } else { "rail" }, e.message))?;
        told.figure("Landing of constant width", Amount::Length(landing));
        let off = |p: &Point| p[1] - landing;
        let most = self.standing.iter().map(off).fold(f64::NEG_INFINITY, f64::max);
        let least = self.standing.iter().map(off).fold(f64::INFINITY, f64::min);
        if self.standing.is_empty() {
            return Ok(());
        }
        told.figure("Most to plane off", Amount::Length(most.max(0.0)));
        if let Some(short) = self.standing.iter().find(|p| off(p) < -0.5) {
            told.reasons.push(
                Reason::new(
                    "edge.landing",
                    Verdict::Against,
                    format!("at {:.0} mm the side is narrower than the landing: a strip is glued on first", short[0]),
                )
                .source("handbook 10")
                .against("stands least", landing + least, "mm", landing),
            );
        }
        Ok(())
    }

    fn both_sides(&self, told: &mut Told) -> Result<(), InputError> {
        if self.port.is_empty() && self.starboard.is_empty() {
            return Ok(());
        }
        let unequal = pair(&self.port, &self.starboard)?;
        if unequal.is_empty() {
            told.reasons.push(
                Reason::new("edge.pair", Verdict::For, "both sides are equal from the centre line")
                    .source("handbook 10")
                    .value("within", PAIR, "mm"),
            );
        }
        for station in &unequal {
            let which = match station.port_is_off {
                Some(true) => "port leaves its own line: move port",
                Some(false) => "starboard leaves its own line: move starboard",
                None => "neither leaves its own line: measure both again before one is moved",
            };
            told.reasons.push(
                Reason::new("edge.pair", Verdict::Against, format!("at {:.0} mm the sides differ: {which}", station.x))
                    .source("handbook 10")
                    .against("port less starboard", station.by, "mm", PAIR),
            );
        }
        Ok(())
    }

    /// Flats before fitting, and what is left of each counterbore after fairing.
    fn finish(&self, told: &mut Told) -> Result<(), InputError> {
        let Some(radius) = self.round else { return Ok(()) };
        let finish = Finish::Round { radius };
        let named =
            |e: InputError| InputError::new(if e.field == "radius" { "round".to_owned() } else { e.field }, e.message);
        for (n, flat) in covering::flats(self.thickness, finish).map_err(named)?.into_iter().enumerate() {
            let [of, down, at] = if n == 0 {
                ["First flat, in from the edge", "First flat, down the side", "First flat, to level"]
            } else {
                ["Second flat, in from the edge", "Second flat, down the side", "Second flat, to level"]
            };
            told.figure(of, Amount::Length(flat.in_from_edge));
            told.figure(down, Amount::Length(flat.down_from_top));
            told.figure(at, Amount::Degrees(flat.degrees));
        }
        for (i, screw) in self.screws.iter().enumerate() {
            error::within(&format!("screws[{i}]"), *screw, 0.0, self.width)?;
            let mut reason = covering::counterbore(finish, *screw, self.counterbore, self.plug);
            reason.text = format!("screw {:.0} mm in: {}", screw, reason.text);
            told.reasons.push(reason);
        }
        Ok(())
    }

    fn tasks(&self, run: f64, rate: Rate<'_>) -> Vec<Task> {
        let metres = run / 1000.0;
        let mut steps = Steps::new(rate);
        let work = if self.standing.is_empty() { 0.0 } else { metres };
        steps.add(O::Strip, "Work the top of the side down to its landing, from where it stands plumb", work, 0.0, &[]);
        steps.add(
            O::TakeShape,
            "Old board as pattern, and what the new is thicker; mirrored, checked from the centre line",
            metres,
            0.0,
            &[],
        );
        steps.add(
            O::Mill,
            "Saw the blanks, plane to the line, flats before fitting",
            metres,
            0.0,
            &[Caution::Machines, Caution::Dust],
        );
        steps.add(O::DryFit, "Fit with 1 mm over; screw line inboard of the bevel", metres, 0.0, &[]);
        let ends = if self.corner.is_some() { (self.width / 1000.0).max(0.2) } else { 0.0 };
        steps.add(O::Glue, "Glue the mitre", ends, GLUE_CURE_HOURS, &[Caution::Resins]);
        steps.add(
            O::Fasten,
            "Bore, counterbore, bed, screw and plug",
            self.screws.len() as f64,
            0.0,
            &[Caution::Solvents],
        );
        steps.add(O::Fair, "Round the edge and plane fair", metres, 0.0, &[Caution::Dust]);
        steps.add(O::Seal, "Seal the same day", metres, 12.0, &[Caution::Solvents]);
        steps.tasks
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::job::table;

    pub(crate) fn edge() -> Edge {
        let outer: Vec<Point> = (0..=20)
            .map(|n| {
                let t = f64::from(n) / 20.0;
                [3_000.0 * t, 700.0 + 250.0 * (std::f64::consts::PI * t).sin()]
            })
            .collect();
        // A side curves by itself; what is off at one station is off from that curve.
        let line = |by: f64| {
            let at = |n: u32| {
                let x = 500.0 * f64::from(n);
                [x, 500.0 + 0.35 * x - 0.000_07 * x * x + if n == 3 { by } else { 0.0 }]
            };
            (0..7).map(at).collect()
        };
        Edge {
            outer,
            width: 120.0,
            thickness: 22.0,
            species: "iroko".into(),
            rail: Some(22.0),
            overlap: Some(3.0),
            standing: vec![[0.0, 21.0], [1_500.0, 24.0], [3_000.0, 19.5]],
            port: line(4.0),
            starboard: line(0.0),
            board: Some(400.0),
            saw: 4.0,
            corner: Some(110.0),
            slope: 8.0,
            round: Some(15.0),
            screws: vec![30.0, 90.0],
            counterbore: 9.0,
            plug: 12.0,
            measured: true,
        }
    }

    fn texts(edge: &Edge, rule: &str) -> Vec<(Verdict, String)> {
        let told = edge.plan(&table).unwrap();
        told.reasons.into_iter().filter(|r| r.rule == rule).map(|r| (r.verdict, r.text)).collect()
    }

    #[test]
    fn the_landing_is_the_rail_less_what_laps_and_a_short_side_is_told() {
        let told = edge().plan(&table).unwrap();
        let of = |what: &str| told.figures.iter().find(|f| f.what == what).map(|f| f.amount);
        // The handbook's own: a 22 mm rail that laps 3 mm leaves 19.
        assert_eq!(of("Landing of constant width"), Some(Amount::Length(19.0)));
        assert_eq!(of("Most to plane off"), Some(Amount::Length(5.0)));
        assert!(texts(&edge(), "edge.landing").is_empty());
        let short = Edge { standing: vec![[0.0, 24.0], [900.0, 17.0]], ..edge() };
        assert!(texts(&short, "edge.landing")[0].1.contains("at 900 mm"));
    }

    #[test]
    fn the_side_that_leaves_its_own_line_is_the_one_to_move() {
        assert!(texts(&edge(), "edge.pair")[0].1.contains("move port"));
        let (port, starboard) = (edge().starboard, edge().port);
        assert!(texts(&Edge { port, starboard, ..edge() }, "edge.pair")[0].1.contains("move starboard"));
        // One whole side farther out: no station says which.
        let out: Vec<Point> = edge().starboard.iter().map(|p| [p[0], p[1] + 3.0]).collect();
        let all = Edge { port: out, ..edge() };
        assert!(texts(&all, "edge.pair").iter().all(|t| t.1.contains("measure both again")));
        assert_eq!(texts(&all, "edge.pair").len(), 7);
        let equal = Edge { port: edge().starboard, ..edge() };
        assert_eq!(texts(&equal, "edge.pair")[0].0, Verdict::For);
    }

    #[test]
    fn a_flat_square_corner_is_the_plain_mitre() {
        let plain = mitre(90.0, 0.0).unwrap();
        assert!((plain.saw - 45.0).abs() < 1e-9 && plain.blade.abs() < 1e-9);
        // Boards in line need none.
        let none = mitre(180.0, 20.0).unwrap();
        assert!(none.saw.abs() < 1e-9 && none.blade.abs() < 1e-9);
        // A published table of compound mitres: four sides sloping 45° are sawn at 35.26°, blade 30°.
        let table = mitre(90.0, 45.0).unwrap();
        assert!((table.saw - 35.264).abs() < 1e-3 && (table.blade - 30.0).abs() < 1e-9, "{table:?}");
    }

    #[test]
    fn the_edge_is_a_batten_through_its_points_and_one_that_stands_off_is_told() {
        // A true curve, taken at 21 places: between them the batten lies on it, where straight lines would cut its corners.
        let truth = |x: f64| 700.0 + 250.0 * (std::f64::consts::PI * x / 3_000.0).sin();
        let (fair, suspects) = edge().fair().unwrap();
        let worst = fair.iter().map(|p| (p[1] - truth(p[0])).abs()).fold(0.0, f64::max);
        assert!(worst < 0.3 && suspects.is_empty(), "{worst} {suspects:?}");
        let mut off = edge();
        off.outer[9][1] += 12.0;
        let told = texts(&off, "edge.fair");
        assert!(told.len() == 1 && told[0].1.contains("point 10"), "{told:?}");
        let outer = vec![[0.0, 1.0], [5.0, 2.0]];
        assert_eq!(Edge { outer, ..edge() }.plan(&table).unwrap_err().field, "outer");
    }

    #[test]
    fn an_edge_without_a_rail_has_no_landing_and_what_stands_asks_for_one() {
        let none = Edge { rail: None, overlap: None, standing: Vec::new(), ..edge() };
        assert!(none.plan(&table).unwrap().figures.iter().all(|f| !f.what.starts_with("Landing")));
        assert_eq!(Edge { rail: None, overlap: None, ..edge() }.plan(&table).unwrap_err().field, "rail");
        assert_eq!(Edge { overlap: Some(40.0), ..edge() }.plan(&table).unwrap_err().field, "overlap");
        assert_eq!(Edge { round: Some(40.0), ..edge() }.plan(&table).unwrap_err().field, "round");
        assert_eq!(Edge { screws: vec![500.0], ..edge() }.plan(&table).unwrap_err().field, "screws[0]");
    }

    proptest! {
        /// Blanks laid one over the other as told: none overlaps the next, all lie on the board, and one more would not.
        #[test]
        fn blanks_lie_clear_of_each_other_on_the_board(bow in 0.0..400.0f64, width in 40.0..200.0f64, board in 100.0..900.0f64, saw in 0.0..8.0f64) {
            let outer: Vec<Point> = (0..=24).map(|n| {
                let t = f64::from(n) / 24.0;
                [3_000.0 * t, bow * 4.0 * t * (1.0 - t)]
            }).collect();
            let Ok(inner) = covering::inner_edge(&outer, width) else { return Ok(()) };
            let told = blanks(&outer, &inner, board, saw).unwrap();
            let top = |n: u32, x: f64| polyline_at(&outer, x) + f64::from(n) * told.pitch;
            let low = |n: u32, x: f64| polyline_at(&inner, x) + f64::from(n) * told.pitch;
            for n in 1..told.count {
                for step in 0..=100 {
                    let x = 30.0 * f64::from(step);
                    prop_assert!(low(n, x) >= top(n - 1, x) + saw - 1e-6);
                }
            }
            let takes = |count: u32| told.first + f64::from(count.max(1) - 1) * told.pitch;
            prop_assert!(told.count == 0 || takes(told.count) <= board + 1e-6);
            prop_assert!(takes(told.count + 1) > board - 1e-6);
        }

        /// The mitre rebuilt in space: both boards' cut lines are the same line, and the blade follows the upright plane between them.
        #[test]
        fn the_cuts_of_both_boards_meet(corner in 40.0..175.0f64, slope in 0.0..60.0f64) {
            let told = mitre(corner, slope).unwrap();
            let (half, s, m) = ((corner / 2.0).to_radians(), slope.to_radians(), told.saw.to_radians());
            // A point one mm across the face along the cut: tan(saw) along the run, one across, which rises by the slope.
            let (along, across) = (m.tan(), 1.0);
            let (x, y, z) = (along, across * s.cos(), across * s.sin());
            // The bisector's plane: y/x = tan(corner/2), whatever the height.
            prop_assert!((y - x * half.tan()).abs() < 1e-9, "{x} {y} {z}");
            // The blade leans from upright to the face by the angle between the plane and the face's own normal.
            let (normal, plane) = ([0.0, -s.sin(), s.cos()], [half.sin(), -half.cos(), 0.0]);
            let dot: f64 = normal.iter().zip(plane).map(|(a, b)| a * b).sum();
            prop_assert!((dot.abs().asin().to_degrees() - told.blade).abs() < 1e-9);
        }
    }
}
