//! The plan of work as a strip of days: a row for each part, person or piece of gear, work and cures on it.

use std::collections::HashMap;
use std::fmt::Write;

use super::svg;

/// Something on a row, hours from the first day's midnight.
#[derive(Debug, Clone)]
pub struct Bar {
    pub from: f64,
    pub to: f64,
    /// What it says when it is pointed at; and its letters, where there is room.
    pub says: String,
    pub label: String,
    /// `work`, `cure`, `errand`, `done`.
    pub class: &'static str,
    pub critical: bool,
    /// Where its task is found.
    pub href: String,
}

#[derive(Debug, Clone)]
pub struct Row {
    pub label: String,
    pub under: String,
    pub bars: Vec<Bar>,
}

/// A day of the strip.
#[derive(Debug, Clone)]
pub struct Day {
    pub name: String,
    /// Nobody works.
    pub closed: bool,
}

const LEFT: f64 = 170.0;
/// A day is as wide as the window lets it be, within these.
const DAY: (f64, f64) = (72.0, 150.0);
const WINDOW: f64 = 740.0;
const ROW: f64 = 32.0;
const TOP: f64 = 30.0;

/// The clock hours of a working day are drawn as wide as all others together would be: nights are narrow.
struct Scale {
    from: f64,
    to: f64,
    day: f64,
}

/// Share of a day's width the night takes.
const NIGHT: f64 = 0.22;

impl Scale {
    fn x(&self, hour: f64) -> f64 {
        let (day, clock) = ((hour / 24.0).floor(), hour.rem_euclid(24.0));
        let (before, work, after) = (self.from, self.to - self.from, 24.0 - self.to);
        let night = (before + after).max(1e-9);
        let share = if clock <= self.from {
            NIGHT * clock / night
        } else if clock <= self.to {
            NIGHT * before / night + (1.0 - NIGHT) * (clock - before) / work
        } else {
            NIGHT * before / night + (1.0 - NIGHT) + NIGHT * (clock - self.to) / night
        };
        LEFT + self.day * (day + share)
    }
}

/// The drawing. `hours`: clock hours people work in; `now`: hours from the first midnight.
pub fn draw(rows: &[Row], days: &[Day], hours: [u32; 2], now: f64) -> String {
    let day_wide = (WINDOW / days.len().max(1) as f64).clamp(DAY.0, DAY.1);
    let scale = Scale { from: f64::from(hours[0]), to: f64::from(hours[1]), day: day_wide };
    let (width, height) = (LEFT + day_wide * days.len() as f64 + 8.0, TOP + ROW * rows.len() as f64 + 6.0);
    let mut out = String::with_capacity(32 * 1024);
    let _ = write!(
        out,
        "<svg class=\"gantt\" viewBox=\"0 0 {width:.0} {height:.0}\" width=\"{width:.0}\" height=\"{height:.0}\" role=\"img\" aria-label=\"The plan of work, {} rows over {} days\">",
        rows.len(),
        days.len()
    );
    for (n, day) in days.iter().enumerate() {
        let x = LEFT + day_wide * n as f64;
        if day.closed {
            let _ = write!(
                out,
                "<rect class=\"closed-day\" x=\"{x:.0}\" y=\"{TOP:.0}\" width=\"{day_wide:.0}\" height=\"{:.0}\"/>",
                height - TOP
            );
        }
        let _ = write!(
            out,
            "<path class=\"day-line\" d=\"M{x:.0} {TOP:.0}V{height:.0}\"/><text class=\"gantt-day\" x=\"{:.0}\" y=\"19\">{}</text>",
            x + 3.0,
            svg::safe(&day.name)
        );
    }
    let most = LEFT + day_wide * days.len() as f64;
    for (n, row) in rows.iter().enumerate() {
        let y = TOP + ROW * n as f64;
        let _ = write!(
            out,
            "<path class=\"row-edge\" d=\"M0 {:.0}H{width:.0}\"/><text class=\"gantt-row\" x=\"4\" y=\"{:.0}\">{}</text><text class=\"gantt-under\" x=\"4\" y=\"{:.0}\">{}</text>",
            y + ROW,
            y + 13.0,
            svg::safe(&svg::short(&row.label, 24)),
            y + 25.0,
            svg::safe(&svg::short(&row.under, 28))
        );
        for bar in row.bars.iter().filter(|b| b.to > 0.0) {
            let (inset, tall) = if bar.class == "cure" { (12.0, 8.0) } else { (5.0, 22.0) };
            let critical = if bar.critical { " critical" } else { "" };
            let _ = write!(out, "<a href=\"{}\"><title>{}</title>", svg::safe(&bar.href), svg::safe(&bar.says));
            let parts = parts(bar, days, hours);
            if let (Some(first), Some(last), true) = (parts.first(), parts.last(), parts.len() > 1) {
                // It goes on when people are back.
                let _ = write!(
                    out,
                    "<path class=\"bar-goes-on {}\" d=\"M{:.1} {:.1}H{:.1}\"/>",
                    bar.class,
                    scale.x(first.1).min(most),
                    y + ROW / 2.0,
                    scale.x(last.0).min(most)
                );
            }
            let mut room_at = (0.0, 0.0);
            for (from, to) in parts {
                let (from, to) = (scale.x(from).min(most), scale.x(to).min(most));
                let wide = (to - from).max(2.0);
                if wide > room_at.1 {
                    room_at = (from, wide);
                }
                let _ = write!(
                    out,
                    "<rect class=\"bar {}{critical}\" x=\"{from:.1}\" y=\"{:.1}\" width=\"{wide:.1}\" height=\"{tall}\" rx=\"2\"/>",
                    bar.class,
                    y + inset
                );
            }
            let (from, wide) = room_at;
            // About six pixels a letter.
            let room = ((wide - 6.0) / 6.0).max(0.0) as usize;
            if room >= 3 && bar.class != "cure" {
                let _ = write!(
                    out,
                    "<text class=\"bar-name {}\" x=\"{:.1}\" y=\"{:.1}\">{}</text>",
                    bar.class,
                    from + 4.0,
                    y + 20.0,
                    svg::safe(&svg::short(&bar.label, room))
                );
            }
            out.push_str("</a>");
        }
    }
    if now >= 0.0 && scale.x(now) <= most {
        let x = scale.x(now);
        let _ = write!(out, "<path class=\"now-line\" d=\"M{x:.1} {:.0}V{height:.0}\"/>", TOP - 4.0);
    }
    out.push_str("</svg>");
    out
}

/// The stretches of a bar in which it is worked on: a cure goes on through the night, people do not.
fn parts(bar: &Bar, days: &[Day], hours: [u32; 2]) -> Vec<(f64, f64)> {
    let (from, to) = (bar.from.max(0.0), bar.to);
    if bar.class == "cure" {
        return vec![(from, to)];
    }
    let day = |n: f64| (n >= 0.0).then(|| days.get(n as usize)).flatten();
    let worked: Vec<(f64, f64)> = (0..days.len())
        .map(|n| n as f64)
        .filter(|n| day(*n).is_some_and(|d| !d.closed))
        .map(|n| (24.0 * n + f64::from(hours[0]), 24.0 * n + f64::from(hours[1])))
        .map(|(a, b)| (a.max(from), b.min(to)))
        .filter(|(a, b)| a < b)
        .collect();
    // An appointment outside the yard's hours is drawn where it is.
    if worked.is_empty() { vec![(from, to)] } else { worked }
}

/// Rows by a key of each bar, in the order the keys first come; a bar without one is left out.
pub fn rows_by(bars: impl IntoIterator<Item = (Option<(String, String)>, Bar)>) -> Vec<Row> {
    let mut rows: Vec<Row> = Vec::new();
    let mut at: HashMap<(String, String), usize> = HashMap::new();
    for (key, bar) in bars {
        let Some(key) = key else { continue };
        let n = *at.entry(key.clone()).or_insert_with(|| {
            rows.push(Row { label: key.0, under: key.1, bars: Vec::new() });
            rows.len() - 1
        });
        rows[n].bars.push(bar);
    }
    rows
}

#[cfg(test)]
mod tests {
    use super::*;

    fn bar(from: f64, to: f64) -> Bar {
        Bar {
            from,
            to,
            says: "Glue <it>".into(),
            label: "Glue and clamp; squeeze-out along the whole joint".into(),
            class: "work",
            critical: true,
            href: "/boats/1/work".into(),
        }
    }

    #[test]
    fn a_day_is_as_wide_as_its_hours_and_nights_are_narrow() {
        let scale = Scale { from: 8.0, to: 17.0, day: 90.0 };
        assert_eq!((scale.x(0.0), scale.x(24.0)), (LEFT, LEFT + 90.0));
        let (night, work) = (scale.x(8.0) - scale.x(0.0), scale.x(17.0) - scale.x(8.0));
        assert!(work > 6.0 * night, "{night} {work}");
        // It goes on without a jump, hour by hour.
        for h in 0..96 {
            let step = scale.x(f64::from(h) + 1.0) - scale.x(f64::from(h));
            assert!(step > 0.5 && step < 10.0, "{h}: {step}");
        }
        let all = Scale { from: 0.0, to: 24.0, day: 90.0 };
        assert!((all.x(36.0) - all.x(24.0) - 90.0 * (1.0 - NIGHT) / 2.0).abs() < 1e-9);
    }

    #[test]
    fn nobody_is_drawn_at_work_by_night_or_on_a_closed_day_but_glue_cures_there() {
        let day = |closed| Day { name: String::new(), closed };
        let days = [day(false), day(true), day(false)];
        let over = bar(15.0, 51.0);
        assert_eq!(parts(&over, &days, [8, 17]), [(15.0, 17.0)]);
        assert_eq!(parts(&bar(15.0, 58.0), &days, [8, 17]), [(15.0, 17.0), (56.0, 58.0)]);
        assert_eq!(parts(&Bar { class: "cure", ..bar(15.0, 51.0) }, &days, [8, 17]), [(15.0, 51.0)]);
        assert_eq!(parts(&bar(34.0, 36.0), &days, [8, 17]), [(34.0, 36.0)], "a crane on a closed day");
    }

    #[test]
    fn what_is_over_is_left_out_and_names_are_only_text() {
        let days = vec![Day { name: "Thu 26 Nov".into(), closed: false }; 3];
        let rows = rows_by([
            (Some(("P6".to_owned(), "Sable Plover".to_owned())), bar(8.0, 12.0)),
            (Some(("P6".to_owned(), "Sable Plover".to_owned())), bar(-20.0, -10.0)),
            (None, bar(1.0, 2.0)),
            (Some(("P7".to_owned(), "Sable Plover".to_owned())), bar(30.0, 900.0)),
        ]);
        assert_eq!(rows.iter().map(|r| r.bars.len()).collect::<Vec<_>>(), [2, 1]);
        let svg = draw(&rows, &days, [8, 17], 10.0);
        // One on the first day; the one that goes on for weeks on the second and third.
        assert_eq!(svg.matches("class=\"bar ").count(), 3);
        assert!(svg.contains("Glue &lt;it&gt;") && svg.contains("now-line"));
        assert!(!draw(&rows, &days, [8, 17], 99.0).contains("now-line"), "now lies past the strip");
    }
}
