//! A practice hull uncovered: bay by bay what she is and what was said of her.

use std::fmt::Write;

use mend_keel_core::geometry::{Point, extent};
use mend_keel_core::grid::{Address, Side};
use mend_keel_core::hidden::Truth;
use mend_keel_core::survey::Grade;

const WIDE: f64 = 1_000.0;
const ROW: f64 = 20.0;
const LEFT: f64 = 44.0;

/// Both sides of the hull, port above, strakes from the sheer down to the keel and up again. `said` gives what somebody said of a bay.
pub fn draw(truth: &Truth, said: impl Fn(Address) -> Grade) -> String {
    let (strakes, bays) = (truth.shell.strake_count(), truth.shell.frame_count().saturating_sub(1).max(1));
    let per = (WIDE - LEFT - 10.0) / f64::from(bays);
    let half = f64::from(strakes) * ROW;
    let height = 2.0 * half + 54.0;
    let mut out = format!(
        "<svg class=\"hull-uncovered\" viewBox=\"0 0 {WIDE} {height:.0}\" role=\"img\" aria-label=\"The hull uncovered, bay by bay: what she is, and what was found, missed and falsely condemned\">"
    );
    for cell in truth.cells() {
        let down = match cell.side {
            Side::Port => strakes - cell.strake,
            Side::Starboard => cell.strake - 1,
        };
        let top = f64::from(down) * ROW + if cell.side == Side::Port { 16.0 } else { 28.0 + half };
        let x = LEFT + f64::from(cell.frame - 1) * per;
        let (is, says) = (truth.grade(cell), said(cell));
        let class = match is {
            Grade::Sound => "hull-sound",
            Grade::Watch => "hull-watch",
            Grade::Mend => "hull-mend",
            Grade::Renew | Grade::Unsafe => "hull-renew",
        };
        let _ = write!(
            out,
            "<rect class=\"{class}\" x=\"{x:.1}\" y=\"{top:.1}\" width=\"{:.1}\" height=\"{:.1}\"><title>{cell}: {}, {}</title></rect>",
            per - 1.0,
            ROW - 1.0,
            is.label(),
            if says > Grade::Sound { format!("said to be {}", says.label()) } else { "nothing said".to_owned() }
        );
        let mark = match (is >= Grade::Mend, says) {
            (true, Grade::Sound) => "▲",
            (true, _) => "✓",
            (false, says) if says >= Grade::Mend && is == Grade::Sound => "×",
            _ => continue,
        };
        let _ = write!(
            out,
            "<text class=\"hull-mark\" x=\"{:.1}\" y=\"{:.1}\">{mark}</text>",
            x + per / 2.0,
            top + ROW / 2.0 + 5.0
        );
    }
    for (side, y) in [(Side::Port, 12.0), (Side::Starboard, 24.0 + half)] {
        let _ = write!(
            out,
            "<text class=\"chart-text\" x=\"{LEFT}\" y=\"{y:.0}\">{}, sheer {}</text>",
            side.label(),
            if side == Side::Port { "above" } else { "below" }
        );
    }
    for frame in (1..=bays).filter(|f| bays <= 16 || f % 2 == 1) {
        let x = LEFT + (f64::from(frame) - 0.5) * per;
        let _ =
            write!(out, "<text class=\"chart-text middle\" x=\"{x:.1}\" y=\"{:.0}\">F{frame}</text>", height - 10.0);
    }
    out + "</svg>"
}

/// Ticks of a line to be read by eye: heights drawn larger, and no line through them.
pub fn ticks(points: &[Point]) -> String {
    let Some(((x0, x1), (y0, y1))) = extent(points, 0).zip(extent(points, 1)) else { return String::new() };
    let place = |p: &Point| {
        let x = LEFT + (p[0] - x0) / (x1 - x0).max(1.0) * (WIDE - 2.0 * LEFT);
        [x, 200.0 - (p[1] - y0) / (y1 - y0).max(1.0) * 150.0]
    };
    let mut out = format!(
        "<svg class=\"shape-drawing\" viewBox=\"0 0 {WIDE} 240\" role=\"img\" aria-label=\"The ticks, heights drawn larger\">"
    );
    for (p, n) in points.iter().zip(1..) {
        let [x, y] = place(p);
        let _ = write!(
            out,
            "<circle class=\"measured-point\" cx=\"{x:.1}\" cy=\"{y:.1}\" r=\"4\"/><text class=\"chart-text middle\" x=\"{x:.1}\" y=\"{:.1}\">{n}</text>",
            y + 20.0
        );
    }
    out + "</svg>"
}
