//! How much of a boat is original over the years: what is for certain, and the band of what nobody knows.

use std::fmt::Write;

use mend_keel_core::survey::original::Original;

use super::svg;

const SIZE: [f64; 2] = [720.0, 220.0];
const LEFT: f64 = 56.0;
const TOP: f64 = 14.0;
const FOOT: f64 = 28.0;

/// The line over the years; nothing where it has no two years to go between.
pub fn draw(years: &[(i32, Original)]) -> String {
    let (Some((first, _)), Some((last, now))) = (years.first(), years.last()) else { return String::new() };
    if first == last {
        return String::new();
    }
    let x = |year: i32| LEFT + f64::from(year - first) / f64::from(last - first) * (SIZE[0] - LEFT - 24.0);
    let y = |share: f64| TOP + (1.0 - share) * (SIZE[1] - TOP - FOOT);
    // It stands until something is renewed, and falls then.
    let steps = |of: &dyn Fn(&Original) -> f64| {
        let mut line: Vec<[f64; 2]> = Vec::new();
        for (year, original) in years {
            if let Some(before) = line.last().map(|p| p[1]) {
                line.push([x(*year), before]);
            }
            line.push([x(*year), y(of(original))]);
        }
        line
    };
    let (least, most) = (steps(&|o| o.least), steps(&|o| o.most));
    let said = format!(
        "Original today: between {:.0} and {:.0} per cent; drawn from {first} to {last}",
        now.least * 100.0,
        now.most * 100.0
    );
    let mut out = format!(
        "<svg class=\"years original\" viewBox=\"0 0 {} {}\" role=\"img\" aria-label=\"{}\">",
        SIZE[0],
        SIZE[1],
        svg::safe(&said)
    );
    for tenth in [0, 5, 10] {
        let at = y(f64::from(tenth) / 10.0);
        let _ = write!(
            out,
            "<path class=\"year-line\" d=\"M{LEFT} {at:.1}H{:.1}\"/><text class=\"chart-text end\" x=\"{:.1}\" y=\"{:.1}\">{} %</text>",
            SIZE[0] - 24.0,
            LEFT - 8.0,
            at + 4.0,
            tenth * 10
        );
    }
    let around = most.iter().copied().chain(least.iter().rev().copied());
    let _ = write!(out, "<polygon class=\"band\" points=\"{}\"/>", svg::points(around));
    let _ = write!(out, "<polyline class=\"curve measured-line\" points=\"{}\"/>", svg::points(least.iter().copied()));
    let mut free = f64::MIN;
    for (year, _) in years {
        let at = x(*year);
        // Names that would lie over each other are left out; the last one always stands.
        if at - free < 44.0 || (year != last && x(*last) - at < 44.0) {
            continue;
        }
        free = at;
        let _ = write!(out, "<text class=\"chart-text middle\" x=\"{at:.1}\" y=\"{:.1}\">{year}</text>", SIZE[1] - 8.0);
    }
    out.push_str("</svg>");
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn original(least: f64, most: f64) -> Original {
        Original { least, most }
    }

    #[test]
    fn it_falls_in_steps_and_names_the_years_that_have_room() {
        let years = [
            (1931, original(1.0, 1.0)),
            (1932, original(0.9, 1.0)),
            (1974, original(0.5, 0.8)),
            (2026, original(0.4, 0.8)),
        ];
        let drawn = draw(&years);
        assert_eq!(drawn.matches("chart-text middle").count(), 3, "1932 has no room beside 1931");
        assert!(drawn.contains(">2026<") && drawn.contains("between 40 and 80 per cent"));
        let band = drawn.split("class=\"band\" points=\"").nth(1).unwrap().split('"').next().unwrap();
        assert_eq!(band.split(' ').count(), 2 * 7, "each year after the first is a step");
    }

    #[test]
    fn one_year_or_none_is_no_line() {
        assert_eq!(draw(&[]), "");
        assert_eq!(draw(&[(2026, original(1.0, 1.0))]), "");
        assert_eq!(draw(&[(2026, original(1.0, 1.0)), (2026, original(0.5, 1.0))]), "");
    }
}
