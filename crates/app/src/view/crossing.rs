//! A single crossing close to: a plank at a frame with its neighbours, fastenings, seams, and everything found and read.

use std::fmt::Write;

use mend_keel_core::geometry::Point;
use mend_keel_core::grid::plank::Hole;
use mend_keel_core::grid::{Address, Side};
use mend_keel_core::survey::Extent;
use mend_keel_store::boats::{Boat, Plank};
use mend_keel_store::findings::{Finding, Reading};

use super::svg;

/// Room round the drawing, mm.
const ROOM: f64 = 40.0;

/// What is drawn close to: of the whole boat, since what reaches into the window counts.
pub struct CloseTo<'a> {
    pub boat: &'a Boat,
    pub planks: &'a [Plank],
    pub findings: &'a [Finding],
    pub readings: &'a [Reading],
    /// The fastenings of a plank, x from its fore joint.
    pub holes: &'a dyn Fn(&Plank) -> Vec<Hole>,
}

impl std::fmt::Debug for CloseTo<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("CloseTo").field("boat", &self.boat.name).finish_non_exhaustive()
    }
}

/// Draws the crossing at an address, which must lie on the shell. One unit is one millimetre.
pub fn draw(file: &CloseTo<'_>, at: Address) -> String {
    let shell = &file.boat.shell;
    let space = shell.frame_space();
    let (x0, x1) =
        ((shell.frame_x(at.frame) - 0.6 * space).max(0.0), (shell.frame_x(at.frame) + 1.6 * space).min(shell.length()));
    let strakes = at.strake.saturating_sub(1).max(1)..=(at.strake + 1).min(shell.strake_count());
    let (low_row, high_row) = (*strakes.start() as usize - 1, *strakes.end() as usize);
    let girths = |row: usize| [x0, x1, shell.frame_x(at.frame)].map(|x| shell.girth(at.side, row, x));
    let low = girths(low_row).into_iter().fold(f64::MAX, f64::min);
    let high = girths(high_row).into_iter().fold(0.0, f64::max);
    // Port is looked at from outside with the sheer up; starboard hangs from the keel on the map, but here up is up too.
    let place = |x: f64, girth: f64| -> Point { [ROOM + x - x0, ROOM + high - girth] };
    let (width, height) = (x1 - x0 + 2.0 * ROOM, high - low + 2.0 * ROOM);
    let mut out = format!(
        "<svg id=\"crossing\" class=\"plank-drawing crossing\" viewBox=\"0 0 {width:.0} {height:.0}\" role=\"img\" aria-label=\"The crossing at {}, close to\">{}\
         <clipPath id=\"crossing-clip\"><rect x=\"{ROOM}\" y=\"{ROOM}\" width=\"{:.1}\" height=\"{:.1}\"/></clipPath><g clip-path=\"url(#crossing-clip)\">",
        svg::safe(&file.boat.shown(at)),
        svg::GLYPHS,
        x1 - x0,
        high - low
    );
    let steps = |row: usize| -> Vec<Point> {
        let between = shell.frames.iter().copied().filter(|x| *x > x0 && *x < x1);
        std::iter::once(x0)
            .chain(between)
            .chain(std::iter::once(x1))
            .map(|x| place(x, shell.girth(at.side, row, x)))
            .collect()
    };
    for strake in strakes.clone() {
        let mut face = steps(strake as usize - 1);
        face.extend(steps(strake as usize).into_iter().rev());
        let here = if strake == at.strake { " here" } else { "" };
        let _ = write!(out, "<polygon class=\"plank-face{here}\" points=\"{}\"/>", svg::points(face));
    }
    for frame in 1..=shell.frame_count() {
        let x = shell.frame_x(frame);
        if x > x0 - 100.0 && x < x1 + 100.0 {
            let [left, _] = place(x - file.boat.frame_sided / 2.0, 0.0);
            let _ = write!(
                out,
                "<rect class=\"frame-band\" x=\"{left:.1}\" y=\"{ROOM}\" width=\"{:.1}\" height=\"{:.1}\"/>",
                file.boat.frame_sided,
                high - low
            );
        }
    }
    let on_strake = |strake: u32, x: f64, y: f64| place(x, shell.girth(at.side, strake as usize - 1, x) + y);
    for plank in file.planks.iter().filter(|p| p.side == at.side && strakes.contains(&p.strake)) {
        let (from, to) = plank.place().span(shell);
        for joint in [from, to].into_iter().filter(|x| *x > x0 && *x < x1 && *x > 0.0 && *x < shell.length()) {
            let [px, top] = on_strake(plank.strake + 1, joint, 0.0);
            let [_, foot] = on_strake(plank.strake, joint, 0.0);
            let _ = write!(out, "<path class=\"joint\" d=\"M{px:.1} {foot:.1}V{top:.1}\"/>");
        }
        for hole in (file.holes)(plank) {
            let x = from + hole.x;
            if x < x0 || x > x1 {
                continue;
            }
            let [cx, cy] = on_strake(plank.strake, x, hole.y);
            let class = if hole.live { "hole live" } else { "hole" };
            let says = if hole.live { "holding" } else { "sick" };
            let _ = write!(
                out,
                "<circle class=\"{class}\" cx=\"{cx:.1}\" cy=\"{cy:.1}\" r=\"{:.1}\"><title>Fastening {}, {says}</title></circle>",
                hole.diameter / 2.0,
                svg::safe(&hole.id)
            );
        }
    }
    findings(&mut out, file, at.side, &strakes, (x0, x1), &on_strake);
    out.push_str("</g>");
    for frame in 1..=shell.frame_count() {
        let x = shell.frame_x(frame);
        if x > x0 && x < x1 {
            let number = file.boat.numbering.turn(Address { frame, ..at }, shell).frame;
            let [px, _] = place(x, 0.0);
            let _ = write!(out, "<text class=\"plank-number\" x=\"{px:.1}\" y=\"{:.1}\">F{number}</text>", ROOM - 10.0);
        }
    }
    for strake in strakes {
        let shown = file.boat.numbering.turn(Address { strake, ..at }, shell).strake;
        let y = on_strake(
            strake,
            x0,
            shell.girth(at.side, strake as usize, x0) / 2.0 - shell.girth(at.side, strake as usize - 1, x0) / 2.0,
        )[1];
        let _ = write!(
            out,
            "<text class=\"plank-number\" x=\"{:.1}\" y=\"{:.1}\">{}{shown}</text>",
            ROOM / 2.0,
            y + 5.0,
            at.side.letter()
        );
    }
    out.push_str("</svg>");
    out
}

/// A crossing alone, the plank over its frame, to be drawn on. One unit is one millimetre.
#[derive(Debug)]
pub struct Bare {
    /// Open: whoever draws on it closes it.
    pub svg: String,
    middle: f64,
    foot: f64,
}

impl Bare {
    /// With `diameter` a tap on it says where another old hole of that size is.
    pub fn new(width: f64, sided: f64, diameter: Option<f64>) -> Self {
        const ROOM: f64 = 20.0;
        let half = (sided / 2.0 + 40.0).max(80.0);
        let (middle, foot) = (ROOM + half, ROOM + width);
        let tapped = diameter.map_or(String::new(), |d| {
            format!(
                " data-middle=\"{middle:.1}\" data-foot=\"{foot:.1}\" data-width=\"{width:.1}\" data-diameter=\"{d:.1}\""
            )
        });
        let svg = format!(
            "<svg class=\"crossing-drawing\" viewBox=\"0 0 {:.0} {:.0}\" role=\"img\" aria-label=\"Old holes and new places\"{tapped}><rect class=\"plank-face\" x=\"{ROOM}\" y=\"{ROOM}\" width=\"{:.1}\" height=\"{width:.1}\"/><rect class=\"frame-band\" x=\"{:.1}\" y=\"{ROOM}\" width=\"{sided:.1}\" height=\"{width:.1}\"/>",
            2.0 * middle,
            width + 2.0 * ROOM,
            2.0 * half,
            middle - sided / 2.0
        );
        Self { svg, middle, foot }
    }

    /// A place of the crossing on the drawing: x aft of the frame's middle, y up from the plank's lower edge.
    pub fn place(&self, x: f64, y: f64) -> Point {
        [self.middle + x, self.foot - y]
    }
}

fn findings(
    out: &mut String,
    file: &CloseTo<'_>,
    side: Side,
    strakes: &std::ops::RangeInclusive<u32>,
    (x0, x1): (f64, f64),
    on_strake: &dyn Fn(u32, f64, f64) -> Point,
) {
    let near = |a: Address| a.side == side && strakes.contains(&a.strake) && file.boat.shell.place(a).is_ok();
    for finding in file.findings.iter().filter(|f| f.is_open()) {
        let Some(at) = finding.address().filter(|a| near(*a)) else { continue };
        let datum = file.boat.datum(at.frame);
        if !finding.shape.iter().any(|p| datum + p[0] > x0 && datum + p[0] < x1) {
            continue;
        }
        let drawn: Vec<Point> = finding.shape.iter().map(|p| on_strake(at.strake, datum + p[0], p[1])).collect();
        let class = format!("damage {} {}", finding.kind.code(), finding.certainty.code());
        match finding.kind.extent() {
            Extent::Line => {
                let _ = write!(out, "<polyline class=\"{class}\" points=\"{}\"/>", svg::points(drawn.iter().copied()));
            }
            Extent::Area if drawn.len() > 2 => {
                let _ = write!(out, "<polygon class=\"{class}\" points=\"{}\"/>", svg::points(drawn.iter().copied()));
            }
            _ => {}
        }
        let n = drawn.len().max(1) as f64;
        let middle = [drawn.iter().map(|p| p[0]).sum::<f64>() / n, drawn.iter().map(|p| p[1]).sum::<f64>() / n];
        out.push_str(&svg::glyph(finding.kind, finding.certainty, middle, 24.0));
    }
    for reading in file.readings {
        let (Some(at), Some(x), Some(y)) = (reading.place.shell().filter(|a| near(*a)), reading.x, reading.y) else {
            continue;
        };
        let [cx, cy] = on_strake(at.strake, file.boat.datum(at.frame) + x, y);
        let _ = write!(
            out,
            "<circle class=\"reading-dot\" cx=\"{cx:.1}\" cy=\"{cy:.1}\" r=\"4\"><title>{}: {}</title></circle>",
            reading.method.label(),
            svg::safe(&reading.says)
        );
    }
}
