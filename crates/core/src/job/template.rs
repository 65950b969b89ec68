//! A template of card, strips or a photograph: its points, checked by diagonals, mirrored about the centre line, laid over
//! another shape, and split into pieces one person carries.

use serde::{Deserialize, Serialize};

use super::{Amount, Rate, Steps, Told};
use crate::error::{self, InputError};
use crate::geometry::{Point, distance_to_segment, edges, extent, perimeter, signed_area};
use crate::reason::{Reason, Verdict};
use crate::shape::rectify::{self, Mark};
use crate::shape::template::{self, Measured};
use crate::work::estimate::Operation as O;

/// A point of the template, by the mark that is written beside it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Named {
    pub name: String,
    pub at: Point,
}

/// A distance measured between two of its points, mm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Diagonal {
    pub a: String,
    pub b: String,
    pub mm: f64,
}

/// A mark of a photograph: px, and mm.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Seen {
    pub px: Point,
    pub mm: Point,
}

/// A photograph that is traced.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Photograph {
    pub marks: Vec<Seen>,
    /// Clicked along the outline, px.
    pub traced: Vec<Point>,
    /// 1σ of a click, px.
    pub click: f64,
    /// The thing is flat.
    pub flat: bool,
}

/// A template. Lengths in mm; x along the edge that lies on the centre line where it is half of a whole.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Template {
    /// All round, in order.
    pub points: Vec<Named>,
    pub measured: Vec<Diagonal>,
    pub tolerance: f64,
    /// It is one half; the other is its mirror image about `y = 0`.
    pub half: bool,
    /// What was delivered, or the old part, in the same place: all round, in order.
    pub other: Vec<Point>,
    /// Places along x it is cut in two for carrying.
    pub splits: Vec<f64>,
    pub photograph: Option<Photograph>,
}

/// What a template comes to.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Drawn {
    /// The whole outline, mirrored where it is a half.
    pub outline: Vec<Point>,
    /// The points as they were taken, with how sure each is, mm; `None` where nobody can say.
    pub points: Vec<(String, Point, Option<f64>)>,
    pub checked: Option<template::Checked>,
    /// Of each point of the other shape how far outside the outline it lies; negative inside.
    pub differs: Vec<f64>,
    /// Where a split crosses the outline.
    pub ticks: Vec<Point>,
    /// A mark of the photograph the others speak against, and others that may be the wrong one as well.
    pub suspect_mark: Option<usize>,
    pub or_marks: Vec<usize>,
}

/// Points taken of one template.
const MOST: usize = 400;
/// A piece one person carries is no longer, mm (*yard rule*).
pub const CARRIED: f64 = 2_400.0;
/// A traced point less sure than this is told, mm (*yard rule*).
pub const UNSURE: f64 = 3.0;

impl Template {
    /// Its outline and what the checks say. Errors name `points`, `measured`, `tolerance`, `other`, `marks`, `traced` or `splits`.
    pub fn draw(&self) -> Result<Drawn, InputError> {
        let mut drawn = Drawn::default();
        drawn.points = match &self.photograph {
            Some(photo) => {
                let told = photo.rectified()?;
                (drawn.suspect_mark, drawn.or_marks) = (told.suspect, told.or_one_of);
                let points = told.points.into_iter().zip(told.errors).enumerate();
                points.map(|(i, (at, error))| ((i + 1).to_string(), at, Some(error))).collect()
            }
            None => self.points.iter().map(|p| (p.name.clone(), p.at, None)).collect(),
        };
        if drawn.points.len() < 3 || drawn.points.len() > MOST {
            let field = if self.photograph.is_some() { "traced" } else { "points" };
            return Err(InputError::new(field, format!("needs 3 to {MOST} points, all round")));
        }
        let taken: Vec<Point> = drawn.points.iter().map(|p| p.1).collect();
        if taken.iter().flatten().any(|v| !v.is_finite() || v.abs() > error::LENGTH_LIMIT_MM) {
            return Err(InputError::new("points", "must be places in mm"));
        }
        for (i, (name, ..)) in drawn.points.iter().enumerate() {
            if drawn.points[..i].iter().any(|p| p.0 == *name) {
                return Err(InputError::new("points", format!("“{name}” stands twice")));
            }
        }
        if !self.measured.is_empty() {
            let find = |name: &str| {
                let missing = || InputError::new("measured", format!("there is no point “{name}”"));
                drawn.points.iter().position(|p| p.0 == name).ok_or_else(missing)
            };
            let measured: Result<Vec<Measured>, InputError> =
                self.measured.iter().map(|d| Ok(Measured { a: find(&d.a)?, b: find(&d.b)?, mm: d.mm })).collect();
            let plain = |e: InputError| {
                InputError::new(if e.field == "tolerance" { "tolerance" } else { "measured" }, e.message)
            };
            drawn.checked = Some(template::check(&taken, &measured?, self.tolerance).map_err(plain)?);
        }
        drawn.outline = if self.half { mirrored(&taken)? } else { taken };
        let size = signed_area(&drawn.outline).abs();
        if size < 1.0 {
            let field = if self.photograph.is_some() { "traced" } else { "points" };
            return Err(InputError::new(field, "they enclose nothing: go all round, in order"));
        }
        if !self.other.is_empty() {
            if self.other.len() < 3 || self.other.len() > MOST {
                return Err(InputError::new("other", format!("needs 3 to {MOST} points, all round")));
            }
            drawn.differs = self.other.iter().map(|p| outside(&drawn.outline, *p)).collect();
        }
        for x in &self.splits {
            let before = drawn.ticks.len();
            for (a, b) in edges(&drawn.outline) {
                if (a[0] <= *x) != (b[0] <= *x) {
                    drawn.ticks.push([*x, a[1] + (b[1] - a[1]) * (x - a[0]) / (b[0] - a[0])]);
                }
            }
            if drawn.ticks.len() == before {
                return Err(InputError::new("splits", format!("{x:.0} mm lies beside the template")));
            }
        }
        Ok(drawn)
    }

    pub(super) fn plan(&self, rate: Rate<'_>) -> Result<Told, InputError> {
        let drawn = self.draw()?;
        let mut told = Told::default();
        let size = |axis| extent(&drawn.outline, axis).map_or(0.0, |(a, b)| b - a);
        told.figure("Long", Amount::Run(size(0)));
        told.figure("Wide", Amount::Run(size(1)));
        told.figure("Area", Amount::Of(signed_area(&drawn.outline).abs() / 1e6, "m²"));
        told.figure("All round", Amount::Run(perimeter(&drawn.outline)));
        self.checks(&drawn, &mut told);
        let ends: Vec<f64> = {
            let (low, high) = extent(&drawn.outline, 0).unwrap_or_default();
            let mut all = vec![low, high];
            all.extend(&self.splits);
            all.sort_by(f64::total_cmp);
            all
        };
        let longest = ends.windows(2).map(|w| w[1] - w[0]).fold(0.0, f64::max);
        if longest > CARRIED {
            told.reasons.push(
                Reason::new(
                    "template.split",
                    Verdict::Against,
                    "split it: one person carries no piece so long, and it racks",
                )
                .source("handbook 10")
                .against("longest piece", longest, "mm", CARRIED),
            );
        }
        let mut steps = Steps::new(rate);
        let round = perimeter(&drawn.outline) / 1000.0;
        steps.add(
            O::TakeShape,
            "Strips or card to the line, tabs, diagonals; up, fore, side and ticks marked",
            round,
            0.0,
            &[],
        );
        steps.add(O::Inspect, "Diagonals measured; laid over what was delivered", 1.0, 0.0, &[]);
        told.tasks = steps.tasks;
        Ok(told)
    }

    fn checks(&self, drawn: &Drawn, told: &mut Told) {
        let tell = |rule, verdict, text: String| Reason::new(rule, verdict, text).source("handbook 10");
        match &drawn.checked {
            None if self.photograph.is_none() => told.reasons.push(tell(
                "template.diagonals",
                Verdict::Against,
                "no diagonal was measured: it may have racked".into(),
            )),
            None => {}
            Some(checked) => {
                let worst = checked.misfits.iter().map(|m| m.abs()).fold(0.0, f64::max);
                let (verdict, text) = match (checked.suspect_point, checked.suspect_measure) {
                    (Some(p), _) => (
                        Verdict::Forbids,
                        format!("point {} is wrong: all that do not fit meet in it", drawn.points[p].0),
                    ),
                    (_, Some(m)) => {
                        let d = &self.measured[m];
                        (Verdict::Against, format!("{} to {} was read wrong, it seems: measure it again", d.a, d.b))
                    }
                    (None, None) if worst > self.tolerance => {
                        (Verdict::Forbids, "it has racked, or more than one is wrong: measure again".into())
                    }
                    _ => (Verdict::For, "the diagonals agree".into()),
                };
                told.reasons.push(
                    tell("template.diagonals", verdict, text).against("most off", worst, "mm", self.tolerance).value(
                        "on the whole",
                        checked.rms,
                        "mm",
                    ),
                );
            }
        }
        if let Some(photo) = &self.photograph {
            if !photo.flat {
                told.generated = true;
                told.reasons.push(tell(
                    "template.photo",
                    Verdict::Forbids,
                    "a photograph is true for what is flat only: this is not, or nobody said that it is".into(),
                ));
            }
            let least_sure = drawn.points.iter().filter_map(|p| p.2).fold(0.0, f64::max);
            told.figure("Least sure point, within", Amount::Length(least_sure));
            if least_sure > UNSURE {
                told.reasons.push(
                    tell(
                        "template.photo",
                        Verdict::Against,
                        "some points are not sure enough to cut to: more marks, nearer to them".into(),
                    )
                    .against("least sure", least_sure, "mm", UNSURE),
                );
            }
            match (drawn.suspect_mark, drawn.or_marks.as_slice()) {
                (None, _) => {}
                (Some(mark), []) => told.reasons.push(tell(
                    "template.photo",
                    Verdict::Against,
                    format!("mark {} was clicked or measured wrong; it is left out", mark + 1),
                )),
                (Some(mark), others) => {
                    told.generated = true;
                    let all: Vec<String> = others.iter().chain([&mark]).map(|m| (m + 1).to_string()).collect();
                    told.reasons.push(tell(
                        "template.photo",
                        Verdict::Forbids,
                        format!(
                            "one of the marks {} is wrong, and nothing tells which: look at each, or add one more",
                            all.join(", ")
                        ),
                    ));
                }
            }
        }
        if !drawn.differs.is_empty() {
            let most = drawn.differs.iter().copied().fold(f64::NEG_INFINITY, f64::max);
            let least = drawn.differs.iter().copied().fold(f64::INFINITY, f64::min);
            told.figure("The other stands out by", Amount::Length(most.max(0.0)));
            told.figure("and falls short by", Amount::Length((-least).max(0.0)));
            let off = most.max(-least);
            let (verdict, text) = if off > self.tolerance {
                (Verdict::Against, "the other shape differs: nothing is cut or glued before it is known which is right")
            } else {
                (Verdict::For, "the other shape agrees")
            };
            told.reasons.push(tell("template.other", verdict, text.into()).against("most", off, "mm", self.tolerance));
        }
    }
}

impl Photograph {
    /// The traced points in mm, how sure each is, and the mark the others speak against.
    fn rectified(&self) -> Result<rectify::Rectified, InputError> {
        let marks: Vec<Mark> = self.marks.iter().map(|m| Mark { px: m.px, mm: m.mm }).collect();
        rectify::rectify(&marks, &self.traced, self.click).map_err(|e| {
            let field = match e.root() {
                "points" => "traced",
                "pixel_error" => "click",
                _ => "marks",
            };
            InputError::new(field, e.message)
        })
    }
}

/// A half and its mirror image about `y = 0`, as one outline. Its ends must lie on the centre line's side that it is a half of.
fn mirrored(half: &[Point]) -> Result<Vec<Point>, InputError> {
    let (above, below) = (half.iter().any(|p| p[1] > 0.5), half.iter().any(|p| p[1] < -0.5));
    if above && below {
        return Err(InputError::new("points", "half a template lies on one side of its centre line: y is 0 along it"));
    }
    // Only what stands off the centre line is seen twice; what lies on it becomes the seam of the two halves.
    let on_line: Vec<bool> = half.iter().map(|p| p[1].abs() <= 0.5).collect();
    let Some(start) = (0..half.len()).find(|i| on_line[*i] && !on_line[(i + 1) % half.len()]) else {
        return Err(InputError::new("points", "half a template begins and ends on its centre line, where y is 0"));
    };
    let mut side = vec![half[start]];
    for k in 1..half.len() {
        let i = (start + k) % half.len();
        side.push(half[i]);
        if on_line[i] {
            break;
        }
    }
    if !on_line[half.iter().position(|p| p == &side[side.len() - 1]).unwrap_or(0)] {
        return Err(InputError::new("points", "half a template begins and ends on its centre line, where y is 0"));
    }
    let back = side[1..side.len() - 1].iter().rev().map(|p| [p[0], -p[1]]).collect::<Vec<_>>();
    side.extend(back);
    Ok(side)
}

/// How far a point lies outside a closed outline; negative inside.
fn outside(outline: &[Point], p: Point) -> f64 {
    let far = edges(outline).map(|(a, b)| distance_to_segment(p, a, b)).fold(f64::INFINITY, f64::min);
    let crossings = edges(outline)
        .filter(|(a, b)| (a[1] > p[1]) != (b[1] > p[1]) && p[0] < a[0] + (b[0] - a[0]) * (p[1] - a[1]) / (b[1] - a[1]));
    if crossings.count() % 2 == 1 { -far } else { far }
}

#[cfg(test)]
pub(crate) mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::job::table;

    fn named(points: &[(&str, Point)]) -> Vec<Named> {
        points.iter().map(|(name, at)| Named { name: (*name).into(), at: *at }).collect()
    }

    fn measured(all: &[(&str, &str, f64)]) -> Vec<Diagonal> {
        all.iter().map(|(a, b, mm)| Diagonal { a: (*a).into(), b: (*b).into(), mm: *mm }).collect()
    }

    pub(crate) fn sole() -> Template {
        Template {
            points: named(&[("A", [0.0, 0.0]), ("B", [1_200.0, 0.0]), ("C", [1_200.0, 500.0]), ("D", [0.0, 300.0])]),
            measured: measured(&[("A", "C", 1_300.0), ("B", "D", 1_236.9)]),
            tolerance: 2.0,
            half: false,
            other: Vec::new(),
            splits: vec![600.0],
            photograph: None,
        }
    }

    fn said(template: &Template, rule: &str) -> Vec<(Verdict, String)> {
        let told = template.plan(&table).unwrap();
        told.reasons.into_iter().filter(|r| r.rule == rule).map(|r| (r.verdict, r.text)).collect()
    }

    #[test]
    fn a_racked_template_is_told_by_its_diagonals() {
        assert_eq!(said(&sole(), "template.diagonals")[0].0, Verdict::For);
        // Racked by 20 mm at the top: one diagonal longer, the other shorter.
        let racked = Template { measured: measured(&[("A", "C", 1_319.0), ("B", "D", 1_217.5)]), ..sole() };
        assert_eq!(said(&racked, "template.diagonals")[0].0, Verdict::Forbids);
        let misread = Template { measured: measured(&[("A", "C", 1_400.0), ("B", "D", 1_236.9)]), ..sole() };
        assert!(said(&misread, "template.diagonals")[0].1.contains("A to C"));
        let none = Template { measured: Vec::new(), ..sole() };
        assert_eq!(said(&none, "template.diagonals")[0].0, Verdict::Against);
    }

    #[test]
    fn half_a_template_is_mirrored_about_its_centre_line() {
        let half = Template { half: true, measured: Vec::new(), splits: Vec::new(), ..sole() };
        let whole = half.draw().unwrap().outline;
        assert!((signed_area(&whole).abs() - 2.0 * 480_000.0).abs() < 1e-6, "{whole:?}");
        let width = extent(&whole, 1).unwrap();
        assert_eq!(width, (-500.0, 500.0));
        // The same from whichever point it was begun.
        for turn in 1..4 {
            let mut points = half.points.clone();
            points.rotate_left(turn);
            let again = Template { points, ..half.clone() }.draw().unwrap().outline;
            assert!((signed_area(&again).abs() - 960_000.0).abs() < 1e-6, "{turn}: {again:?}");
        }
        let crossing = Template {
            points: named(&[("A", [0.0, -50.0]), ("B", [900.0, 60.0]), ("C", [0.0, 90.0])]),
            ..half.clone()
        };
        assert_eq!(crossing.draw().unwrap_err().field, "points");
        let aloft = Template { points: named(&[("A", [0.0, 50.0]), ("B", [900.0, 60.0]), ("C", [0.0, 90.0])]), ..half };
        assert!(aloft.draw().unwrap_err().message.contains("centre line"));
    }

    #[test]
    fn what_was_delivered_is_told_where_it_stands_out() {
        let other = vec![[0.0, 0.0], [1_200.0, 0.0], [1_200.0, 507.0], [100.0, 303.0]];
        let drawn = Template { other: other.clone(), ..sole() }.draw().unwrap();
        assert!(drawn.differs[2] > 6.0 && drawn.differs[3] < -10.0, "{:?}", drawn.differs);
        assert!(said(&Template { other, ..sole() }, "template.other")[0].1.contains("differs"));
        let same = Template { other: vec![[0.0, 0.0], [1_200.0, 0.0], [1_200.0, 500.0], [0.0, 300.0]], ..sole() };
        assert_eq!(said(&same, "template.other")[0].0, Verdict::For);
    }

    #[test]
    fn a_split_has_its_ticks_on_the_outline_and_one_beside_it_is_refused() {
        let drawn = sole().draw().unwrap();
        assert_eq!(drawn.ticks, vec![[600.0, 0.0], [600.0, 400.0]]);
        assert_eq!(Template { splits: vec![1_500.0], ..sole() }.draw().unwrap_err().field, "splits");
        let long = Template {
            points: named(&[("A", [0.0, 0.0]), ("B", [4_000.0, 0.0]), ("C", [4_000.0, 300.0])]),
            measured: Vec::new(),
            splits: Vec::new(),
            ..sole()
        };
        assert!(said(&long, "template.split")[0].1.contains("split it"));
        assert!(said(&Template { splits: vec![2_000.0], ..long }, "template.split").is_empty());
    }

    fn photograph(flat: bool) -> Template {
        // A camera square on: two pixels a millimetre, the y axis down.
        let seen = |x: f64, y: f64| Seen { px: [100.0 + 2.0 * x, 900.0 - 2.0 * y], mm: [x, y] };
        let marks = vec![
            seen(0.0, 0.0),
            seen(400.0, 0.0),
            seen(400.0, 300.0),
            seen(0.0, 300.0),
            seen(200.0, 0.0),
            seen(200.0, 300.0),
        ];
        let traced = vec![[200.0, 800.0], [800.0, 800.0], [800.0, 400.0], [200.0, 400.0]];
        Template {
            points: Vec::new(),
            measured: Vec::new(),
            splits: Vec::new(),
            photograph: Some(Photograph { marks, traced, click: 1.0, flat }),
            ..sole()
        }
    }

    #[test]
    fn a_photograph_is_traced_in_true_scale_and_only_of_what_is_flat() {
        let drawn = photograph(true).draw().unwrap();
        let want = [[50.0, 50.0], [350.0, 50.0], [350.0, 250.0], [50.0, 250.0]];
        for (got, want) in drawn.outline.iter().zip(want) {
            assert!((got[0] - want[0]).hypot(got[1] - want[1]) < 1e-6, "{got:?}");
        }
        assert!(drawn.points.iter().all(|p| p.2.is_some_and(|e| e > 0.2 && e < 3.0)), "{:?}", drawn.points);
        let told = photograph(false).plan(&table).unwrap();
        assert!(
            told.generated && told.reasons.iter().any(|r| r.rule == "template.photo" && r.verdict == Verdict::Forbids)
        );
        let mut wrong = photograph(true);
        wrong.photograph.as_mut().unwrap().marks[4].px[1] += 60.0;
        let drawn = wrong.draw().unwrap();
        assert_eq!((drawn.suspect_mark, drawn.or_marks.as_slice()), (Some(4), &[][..]));
        // Along the line of its neighbours either of two may be wrong: nothing tells which, and nothing is cut to it.
        let mut either = photograph(true);
        either.photograph.as_mut().unwrap().marks[4].px[0] += 60.0;
        let drawn = either.draw().unwrap();
        let mut both: Vec<usize> = drawn.or_marks.iter().copied().chain(drawn.suspect_mark).collect();
        both.sort_unstable();
        assert!(both.contains(&4) && both.len() >= 2, "{both:?}");
        assert!(either.plan(&table).unwrap().generated);
        let mut few = photograph(true);
        few.photograph.as_mut().unwrap().marks.truncate(3);
        assert_eq!(few.draw().unwrap_err().field, "marks");
    }

    #[test]
    fn points_that_are_none_are_refused_at_their_field() {
        let field = |t: Template| t.draw().unwrap_err().field;
        assert_eq!(field(Template { points: named(&[("A", [0.0, 0.0]), ("B", [9.0, 0.0])]), ..sole() }), "points");
        assert_eq!(
            field(Template { points: named(&[("A", [0.0, 0.0]), ("A", [9.0, 0.0]), ("C", [9.0, 9.0])]), ..sole() }),
            "points"
        );
        assert_eq!(field(Template { measured: measured(&[("A", "Q", 9.0)]), ..sole() }), "measured");
        assert_eq!(field(Template { tolerance: 0.0, ..sole() }), "tolerance");
        assert_eq!(field(Template { other: vec![[0.0, 0.0]], ..sole() }), "other");
        assert_eq!(
            field(Template {
                points: named(&[("A", [0.0, 0.0]), ("B", [9.0, 0.0]), ("C", [99.0, 0.0])]),
                measured: Vec::new(),
                splits: Vec::new(),
                ..sole()
            }),
            "points"
        );
    }

    proptest! {
        /// A point moved straight out of a rectangle by so much is told so much outside.
        #[test]
        fn distance_outside_is_as_it_was_moved(x in 10.0..990.0f64, by in -100.0..300.0f64) {
            let rectangle = [[0.0, 0.0], [1_000.0, 0.0], [1_000.0, 600.0], [0.0, 600.0]];
            let told = outside(&rectangle, [x, 600.0 + by]);
            let nearest = if by < 0.0 { by.max(-x).max(x - 1_000.0) } else { by };
            prop_assert!((told - nearest).abs() < 1e-9, "{} {}", told, nearest);
        }
    }
}
