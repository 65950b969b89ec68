//! Fourteen days hour by hour: what forbids a coat to begin, in a lane for each cause, and the coats where they are placed.

use std::fmt::Write;

use mend_keel_core::finish::coats::Why;

use super::svg;

/// An area's hours.
#[derive(Debug)]
pub struct Row {
    pub label: String,
    /// What forbids its first coat to begin in each hour.
    pub starts: Vec<Why>,
    pub coats: Vec<Bar>,
}

/// A coat where it is placed, hours from the first.
#[derive(Debug)]
pub struct Bar {
    pub label: String,
    pub from: usize,
    pub to: usize,
    pub touch_dry: usize,
    pub sand: Vec<usize>,
}

const HOUR: f64 = 4.0;
const LEFT: f64 = 78.0;
const LANE: f64 = 9.0;
const ROW: f64 = 108.0;
/// A lane: its name, and whether it forbids an hour.
type Lane = (&'static str, fn(&Why) -> bool);

const LANES: [Lane; 5] = [
    ("cold, hot", |w| w.cold + w.hot > 0),
    ("damp", |w| w.damp > 0),
    ("dew", |w| w.dew > 0),
    ("rain", |w| w.rain > 0),
    ("wind", |w| w.wind > 0),
];

/// Runs of hours in which something holds.
fn runs(hours: &[Why], holds: impl Fn(&Why) -> bool) -> Vec<(usize, usize)> {
    let mut runs: Vec<(usize, usize)> = Vec::new();
    for (h, _) in hours.iter().enumerate().filter(|(_, why)| holds(why)) {
        match runs.last_mut() {
            Some((_, to)) if *to == h => *to = h + 1,
            _ => runs.push((h, h + 1)),
        }
    }
    runs
}

/// The drawing. `days`: a name for each day; `now`: the first hour that is still ahead.
pub fn draw(rows: &[Row], days: &[String], now: usize) -> String {
    let hours = days.len() * 24;
    let x = |h: usize| LEFT + HOUR * h as f64;
    let (width, height) = (x(hours) + 10.0, 34.0 + ROW * rows.len() as f64);
    let mut out = String::with_capacity(64 * 1024);
    let _ = write!(
        out,
        "<svg class=\"hours-drawing\" viewBox=\"0 0 {width:.0} {height:.0}\" role=\"img\" aria-label=\"When coats may begin, hour by hour for {} days\">",
        days.len()
    );
    for (day, name) in days.iter().enumerate() {
        let _ = write!(
            out,
            "<path class=\"day-line\" d=\"M{0:.0} 8V{height:.0}\"/><text class=\"hours-day\" x=\"{1:.0}\" y=\"18\">{2}</text>",
            x(24 * day),
            x(24 * day) + 4.0,
            svg::safe(name)
        );
    }
    for (i, row) in rows.iter().enumerate() {
        let top = 30.0 + ROW * i as f64;
        let _ =
            write!(out, "<text class=\"hours-what\" x=\"4\" y=\"{:.0}\">{}</text>", top + 10.0, svg::safe(&row.label));
        let lanes = top + 16.0;
        for (lane, (name, holds)) in LANES.into_iter().enumerate() {
            let y = lanes + LANE * lane as f64;
            let _ =
                write!(out, "<text class=\"hours-lane\" x=\"{:.0}\" y=\"{:.1}\">{name}</text>", LEFT - 6.0, y + 7.5);
            for (from, to) in runs(&row.starts, holds) {
                let _ = write!(
                    out,
                    "<rect class=\"forbids lane-{lane}\" x=\"{:.0}\" y=\"{y:.1}\" width=\"{:.0}\" height=\"{:.1}\"/>",
                    x(from),
                    HOUR * (to - from) as f64,
                    LANE - 1.5
                );
            }
        }
        let may = lanes + LANE * LANES.len() as f64;
        let _ =
            write!(out, "<text class=\"hours-lane\" x=\"{:.0}\" y=\"{:.1}\">may begin</text>", LEFT - 6.0, may + 9.0);
        for (from, to) in runs(&row.starts, |w| *w == Why::default()) {
            let _ = write!(
                out,
                "<rect class=\"may-begin\" x=\"{:.0}\" y=\"{may:.1}\" width=\"{:.0}\" height=\"10\"/>",
                x(from),
                HOUR * (to - from) as f64
            );
        }
        let bars = may + 16.0;
        for bar in &row.coats {
            let _ = write!(
                out,
                "<g class=\"coat-bar\"><title>{0}</title><rect class=\"drying\" x=\"{1:.0}\" y=\"{2:.0}\" width=\"{3:.0}\" height=\"5\"/>\
                 <rect class=\"laying\" x=\"{4:.0}\" y=\"{bars:.0}\" width=\"{5:.0}\" height=\"14\"/>\
                 <text class=\"hours-coat\" x=\"{4:.0}\" y=\"{6:.0}\">{0}</text></g>",
                svg::safe(&bar.label),
                x(bar.to),
                bars + 5.0,
                HOUR * bar.touch_dry.saturating_sub(bar.to) as f64,
                x(bar.from),
                HOUR * (bar.to - bar.from) as f64,
                bars + 25.0
            );
            for h in &bar.sand {
                let _ = write!(
                    out,
                    "<rect class=\"sanding\" x=\"{:.0}\" y=\"{bars:.0}\" width=\"{HOUR}\" height=\"14\"><title>sanding before {}</title></rect>",
                    x(*h),
                    svg::safe(&bar.label)
                );
            }
        }
    }
    let _ = write!(out, "<path class=\"now-line\" d=\"M{0:.0} 8V{height:.0}\"/></svg>", x(now.min(hours)));
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hours_that_follow_each_other_are_one_run() {
        let wet = Why { rain: 1, ..Why::default() };
        let hours = [wet, wet, Why::default(), wet];
        assert_eq!(runs(&hours, |w| w.rain > 0), [(0, 2), (3, 4)]);
        assert_eq!(runs(&hours, |w| *w == Why::default()), [(2, 3)]);
        assert!(runs(&[], |_| true).is_empty());
    }

    #[test]
    fn names_are_written_as_text_and_each_day_has_its_own() {
        let row = Row { label: "<b>".into(), starts: vec![Why::default(); 48], coats: Vec::new() };
        let drawn = draw(&[row], &["Thu 26".into(), "Fri 27".into()], 9);
        assert!(drawn.contains("&lt;b&gt;") && drawn.contains("Fri 27") && !drawn.contains("<b>"));
        assert_eq!(drawn.matches("may-begin").count(), 1);
    }
}
