//! Lines read along keel and sheer, drawn against what they are held against.

use mend_keel_core::geometry::Point;
use mend_keel_core::survey::line::{self, LineKind};
use mend_keel_store::surveys::Line;

use crate::view::chart::{self, Curve};
use crate::view::{self, Units};

/// A line as it is drawn.
#[derive(Debug)]
pub struct LineView {
    pub name: String,
    pub when: String,
    pub by: String,
    pub note: String,
    pub greatest: String,
    pub at: String,
    pub one_in: String,
    pub advice: &'static str,
    pub serious: bool,
    pub svg: String,
    pub curves: Vec<(&'static str, String)>,
    pub compared: Vec<String>,
    pub formula: &'static str,
}

/// What a line is of.
fn kind_name(line: &Line) -> String {
    let side = line.side.map_or(String::new(), |s| format!(", {}", s.label().to_lowercase()));
    format!("{}{side}", line.what.label())
}

fn curve(label: &str, class: &'static str, points: &[Point]) -> Option<Curve> {
    let hog = line::hog(points).ok()?;
    let points = points.iter().zip(&hog.deviations).map(|(p, d)| [p[0], *d]).collect();
    Some(Curve { label: label.to_owned(), class, points })
}

fn line_view(line: &Line, all: &[Line], units: Units) -> Option<LineView> {
    let hog = line::hog(&line.points).ok()?;
    let newest = |test: &dyn Fn(&&Line) -> bool| all.iter().find(|l| l.what == line.what && l.id != line.id && test(l));
    let references = [
        ("as designed", "design-line", newest(&|l| l.designed && (l.side == line.side || l.side.is_none()))),
        (
            "the other side",
            "other-line",
            newest(&|l| !l.designed && line.side.is_some_and(|s| l.side == Some(s.other()))),
        ),
        ("last time", "last-line", newest(&|l| !l.designed && l.side == line.side && l.id < line.id)),
    ];
    let mut curves: Vec<Curve> = Vec::new();
    let mut compared = Vec::new();
    for (label, class, other) in references {
        let Some(other) = other else { continue };
        curves.extend(curve(label, class, &other.points));
        if let Ok(Some(d)) = line::against(&line.points, &other.points) {
            let way = if d.greatest >= 0.0 { "higher" } else { "lower" };
            compared.push(format!("against {label}: {} {way} at {}", units.len(d.greatest.abs()), units.run(d.at)));
        }
    }
    curves.extend(curve("measured", "measured-line", &line.points));
    let serious = hog.one_in.is_some_and(|n| n <= 600.0);
    let word = if hog.greatest >= 0.0 { "hogged" } else { "sagged" };
    Some(LineView {
        name: kind_name(line),
        when: view::when(&line.at),
        by: line.by_name.clone(),
        note: line.note.clone(),
        greatest: if hog.greatest == 0.0 {
            "straight".into()
        } else {
            format!("{word} {}", units.len(hog.greatest.abs()))
        },
        at: units.run(hog.at),
        one_in: hog.one_in.map_or("–".into(), |n| format!("1 in {n:.0}")),
        // A sheer is a curve by design: the yard rule is for what should be straight.
        advice: if line.what == LineKind::Keel {
            hog.advice()
        } else {
            "compare with the design and the other side; fairness is judged under Shape"
        },
        serious: serious && line.what == LineKind::Keel,
        svg: chart::deviations(&curves, &|mm| units.len(mm)),
        curves: curves.iter().map(|c| (c.class, c.label.clone())).collect(),
        compared,
        formula: "deviation = z − chord through the ends; 1 in (length / greatest)",
    })
}

/// The newest of each line drawn, with what it is held against.
pub fn views(all: &[Line], units: Units) -> Vec<LineView> {
    let mut seen = std::collections::HashSet::new();
    let newest = all.iter().filter(|l| !l.designed && seen.insert((l.what, l.side)));
    let mut newest: Vec<&Line> = newest.collect();
    // What should be straight comes first.
    newest.sort_by_key(|l| (l.what, l.side));
    newest.into_iter().filter_map(|l| line_view(l, all, units)).collect()
}

/// The same for print: the drawing and what it says.
pub fn drawn_lines(all: &[Line], units: Units) -> Vec<(String, String)> {
    let caption = |v: &LineView| {
        let compared = v.compared.iter().map(|c| format!("; {c}")).collect::<String>();
        format!("{}, {}: {} at {} ({}){compared}. {}.", v.name, v.when, v.greatest, v.at, v.one_in, v.advice)
    };
    views(all, units).iter().map(|v| (v.svg.clone(), caption(v))).collect()
}
