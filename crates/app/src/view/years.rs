//! The years ahead of each coat: how far it is worn, and when it is refreshed.

use std::fmt::Write;

use super::svg;

/// A face.
#[derive(Debug)]
pub struct Row {
    pub label: String,
    /// Years from today of the coat (behind: negative) and of its first refresh; further ones follow in the same steps.
    pub done: f64,
    pub refresh: f64,
    pub every: f64,
    /// An inspection moved it.
    pub seen: bool,
}

/// Years drawn.
pub const AHEAD: u32 = 10;
const LEFT: f64 = 150.0;
const YEAR: f64 = 70.0;
const ROW: f64 = 34.0;
const TOP: f64 = 26.0;
/// Years behind today that are drawn.
const BEHIND: f64 = 1.0;

/// The drawing; `this_year` names the year today lies in, `into` how far it has gone (0 … 1).
pub fn draw(rows: &[Row], this_year: i32, into: f64) -> String {
    let x = |years: f64| LEFT + YEAR * (BEHIND + years.clamp(-BEHIND, f64::from(AHEAD)));
    let (width, height) = (x(f64::from(AHEAD)) + 12.0, TOP + ROW * rows.len() as f64 + 6.0);
    let mut out = format!(
        "<svg class=\"years\" viewBox=\"0 0 {width:.0} {height:.0}\" role=\"img\" aria-label=\"When each coat is refreshed, over {AHEAD} years\">"
    );
    for n in 0..=AHEAD {
        let from_now = f64::from(n) - into;
        if from_now < -BEHIND {
            continue;
        }
        let year = this_year + i32::try_from(n).unwrap_or(0);
        let at = x(from_now.max(-BEHIND));
        let _ = write!(
            out,
            "<line class=\"year-line\" x1=\"{at:.1}\" y1=\"{TOP}\" x2=\"{at:.1}\" y2=\"{height:.0}\"/><text class=\"year-name\" x=\"{:.1}\" y=\"16\">{year}</text>",
            at + 3.0
        );
    }
    for (n, row) in rows.iter().enumerate() {
        let y = TOP + ROW * n as f64;
        let _ = write!(
            out,
            "<text class=\"year-face\" x=\"4\" y=\"{:.0}\">{}</text>",
            y + 21.0,
            svg::safe(&svg::short(&row.label, 20))
        );
        let class = if row.seen { "coat-life seen" } else { "coat-life" };
        let (from, to) = (x(row.done), x(row.refresh));
        let _ = write!(
            out,
            "<rect class=\"{class}\" x=\"{from:.1}\" y=\"{:.0}\" width=\"{:.1}\" height=\"18\"/>",
            y + 7.0,
            (to - from).max(0.5)
        );
        let mut due = row.refresh;
        let mut marks = 0;
        while due <= f64::from(AHEAD) && marks < 40 && row.every > 0.05 {
            if due >= -BEHIND {
                let class = if due < 0.0 { "refresh-mark late" } else { "refresh-mark" };
                let at = x(due);
                let _ = write!(out, "<path class=\"{class}\" d=\"M{at:.1} {:.0}l6 9l-6 9l-6 -9z\"/>", y + 7.0);
            }
            due = if due < 0.0 { row.every } else { due + row.every };
            marks += 1;
        }
    }
    let now = x(0.0);
    let _ = write!(
        out,
        "<line class=\"year-now\" x1=\"{now:.1}\" y1=\"{:.0}\" x2=\"{now:.1}\" y2=\"{height:.0}\"/></svg>",
        TOP - 6.0
    );
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn row(done: f64, refresh: f64, every: f64) -> Row {
        Row { label: "Topsides <port>".into(), done, refresh, every, seen: false }
    }

    #[test]
    fn every_refresh_of_ten_years_has_a_mark_and_a_late_one_is_marked_so() {
        let marks = |row: Row| draw(&[row], 2026, 0.5).matches("refresh-mark").count();
        assert_eq!(marks(row(-0.2, 0.6, 0.8)), 12, "0.6, 1.4 … 9.4");
        assert_eq!(marks(row(0.0, 4.8, 4.8)), 2);
        let late = draw(&[row(-2.0, -0.4, 1.6)], 2026, 0.5);
        assert_eq!((late.matches("refresh-mark late").count(), late.matches("refresh-mark").count()), (1, 7));
        assert!(late.contains("&lt;port&gt;"), "a name is only text");
        // One that cannot be drawn ends all the same.
        assert_eq!(marks(row(0.0, 1.0, 0.0)), 0);
    }
}
