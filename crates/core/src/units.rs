//! Lengths as they are typed and read in a yard.
//!
//! Everything inside is millimetres. A person types `1032`, `1.032 m`, `40 5/8"`, `3' 4 5/8"` or the
//! boatbuilder's `3-4-5+` (feet, inches, eighths, and one sixteenth more), and reads back what was understood.

use serde::{Deserialize, Serialize};

use crate::error::{InputError, LENGTH_LIMIT_MM};

/// Millimetres in an international inch.
pub const MM_PER_INCH: f64 = 25.4;

/// The unit of a bare number, and of what is shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
pub enum LengthUnit {
    #[default]
    #[serde(rename = "mm")]
    Millimetre,
    #[serde(rename = "in")]
    Inch,
}

impl LengthUnit {
    pub fn code(self) -> &'static str {
        match self {
            Self::Millimetre => "mm",
            Self::Inch => "in",
        }
    }

    /// Millimetres in one of this unit.
    fn in_mm(self) -> f64 {
        match self {
            Self::Millimetre => 1.0,
            Self::Inch => MM_PER_INCH,
        }
    }
}

/// The whole number no less than this one. A hair over a whole number is that number: the rest is rounding.
pub fn whole_up(exact: f64) -> f64 {
    const HAIR: f64 = 1e-9;
    (exact - HAIR).ceil()
}

/// Reads a length in any of the ways the trade writes one; a bare number is in `bare`.
///
/// A leading `-` makes it negative (an offset below a line). Errors name the field `text`.
///
/// ```
/// use mend_keel_core::units::{parse_length, LengthUnit::*};
/// assert_eq!(parse_length("3-4-5", Millimetre)?, 1031.875);
/// assert_eq!(parse_length("40 5/8", Inch)?, 1031.875);
/// assert_eq!(parse_length("103.2 cm", Inch)?, 1032.0);
/// # Ok::<(), mend_keel_core::InputError>(())
/// ```
pub fn parse_length(text: &str, bare: LengthUnit) -> Result<f64, InputError> {
    let refuse = |why: String| InputError::new("text", why);
    let shown: String = text.chars().take(40).collect();
    let trimmed = text.trim();
    if trimmed.is_empty() {
        return Err(refuse("enter a length, such as 1032, 40 5/8\" or 3-4-5".into()));
    }
    if trimmed.len() > 60 {
        return Err(refuse("that is too long to be a length".into()));
    }
    let normal = normalise(trimmed);
    let (sign, body) = match normal.strip_prefix('-') {
        Some(rest) => (-1.0, rest.trim_start()),
        None => (1.0, normal.strip_prefix('+').unwrap_or(&normal).trim_start()),
    };
    let mm = if let Some(offset) = parse_offset(body) {
        offset?
    } else {
        parse_metric(body)
            .or_else(|| parse_imperial(body))
            .or_else(|| parse_number(body).map(|n| n * bare.in_mm()))
            .ok_or_else(|| {
                refuse(format!("cannot read “{shown}” as a length: try 1032, 1.032 m, 40 5/8\", 3' 4 5/8\" or 3-4-5"))
            })?
    };
    if !mm.is_finite() || mm > LENGTH_LIMIT_MM {
        return Err(refuse("must be no longer than a kilometre".into()));
    }
    Ok(sign * mm)
}

/// One spelling for the marks people and keyboards use: primes, curly quotes, unicode fractions, decimal comma.
fn normalise(text: &str) -> String {
    let mut out = String::with_capacity(text.len() + 4);
    for c in text.chars() {
        match c {
            '’' | '′' | '‘' => out.push('\''),
            '”' | '″' | '“' => out.push('"'),
            '−' | '–' => out.push('-'),
            '⁄' => out.push('/'),
            ',' => out.push('.'),
            '½' => out.push_str(" 1/2"),
            '¼' => out.push_str(" 1/4"),
            '¾' => out.push_str(" 3/4"),
            '⅛' => out.push_str(" 1/8"),
            '⅜' => out.push_str(" 3/8"),
            '⅝' => out.push_str(" 5/8"),
            '⅞' => out.push_str(" 7/8"),
            '\u{a0}' | '\t' => out.push(' '),
            c => out.extend(c.to_lowercase()),
        }
    }
    let text = out.replace("''", "\"").trim().to_owned();
    // 1-1/8 is one and an eighth; 3-4-5 has no stroke and is an offset.
    match text.split_once('-').filter(|(whole, part)| {
        let digits = |t: &str| !t.is_empty() && t.bytes().all(|b| b.is_ascii_digit());
        let over = part.trim_end_matches(|c: char| !c.is_ascii_digit());
        digits(whole) && over.split_once('/').is_some_and(|(a, b)| digits(a) && digits(b))
    }) {
        Some((whole, part)) => format!("{whole} {part}"),
        None => text,
    }
}

/// `feet-inches-eighths` with a trailing `+` or `-` for a sixteenth. `None` when it is not written that way.
fn parse_offset(body: &str) -> Option<Result<f64, InputError>> {
    let (digits, sixteenth) = match body.as_bytes().last()? {
        b'+' => (&body[..body.len() - 1], 1.0),
        b'-' => (&body[..body.len() - 1], -1.0),
        _ => (body, 0.0),
    };
    let mut parts = digits.trim().split('-').map(str::trim);
    let (feet, inches, eighths) = (parts.next()?, parts.next()?, parts.next()?);
    if parts.next().is_some() {
        return None;
    }
    let (feet, inches, eighths) = (digits_only(feet)?, digits_only(inches)?, digits_only(eighths)?);
    if inches >= 12.0 {
        return Some(Err(InputError::new(
            "text",
            format!("inches in feet-inches-eighths go from 0 to 11, was {inches}"),
        )));
    }
    if eighths >= 8.0 {
        return Some(Err(InputError::new(
            "text",
            format!("eighths in feet-inches-eighths go from 0 to 7, was {eighths}"),
        )));
    }
    Some(Ok((feet * 12.0 + inches + eighths / 8.0 + sixteenth / 16.0) * MM_PER_INCH))
}

fn digits_only(text: &str) -> Option<f64> {
    (!text.is_empty() && text.bytes().all(|b| b.is_ascii_digit())).then(|| text.parse().ok())?
}

fn parse_metric(body: &str) -> Option<f64> {
    // Longest suffix first: "mm" also ends in "m".
    let (number, scale) = [("mm", 1.0), ("cm", 10.0), ("m", 1000.0)]
        .into_iter()
        .find_map(|(suffix, scale)| body.strip_suffix(suffix).map(|n| (n, scale)))?;
    Some(plain_number(number.trim())? * scale)
}

fn parse_imperial(body: &str) -> Option<f64> {
    let (feet, rest) = match split_suffix(body, &["feet", "ft", "'"]) {
        Some((feet, rest)) => (Some(plain_number(feet.trim())?), rest.trim()),
        None => (None, body),
    };
    let inches = ["inches", "inch", "in", "\""].into_iter().find_map(|s| rest.strip_suffix(s));
    match (feet, inches) {
        (None, None) => None,
        (Some(feet), None) if rest.is_empty() => Some(feet * 12.0 * MM_PER_INCH),
        // Feet were given, so what follows can only be inches even without a mark.
        (Some(feet), None) => Some((feet * 12.0 + parse_number(rest)?) * MM_PER_INCH),
        (feet, Some(inches)) => Some((feet.unwrap_or(0.0) * 12.0 + parse_number(inches.trim())?) * MM_PER_INCH),
    }
}

fn split_suffix<'t>(body: &'t str, marks: &[&str]) -> Option<(&'t str, &'t str)> {
    marks.iter().find_map(|mark| body.split_once(mark))
}

/// A number with an optional fraction: `40`, `40.625`, `5/8`, `40 5/8`.
fn parse_number(text: &str) -> Option<f64> {
    let text = text.trim();
    if let Some((whole, fraction)) = text.split_once(char::is_whitespace) {
        return Some(digits_only(whole)? + parse_fraction(fraction.trim())?);
    }
    parse_fraction(text).or_else(|| plain_number(text))
}

fn parse_fraction(text: &str) -> Option<f64> {
    let (top, bottom) = text.split_once('/')?;
    let (top, bottom) = (digits_only(top.trim())?, digits_only(bottom.trim())?);
    (bottom > 0.0).then(|| top / bottom)
}

/// Digits with at most one point. Unlike `f64::from_str` it takes no `inf`, `nan` or exponent.
fn plain_number(text: &str) -> Option<f64> {
    let plain = text.bytes().all(|b| b.is_ascii_digit() || b == b'.') && text.bytes().any(|b| b.is_ascii_digit());
    plain.then(|| text.parse().ok())?
}

/// What kind of dimension is being shown; it decides the precision in mm.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Precision {
    /// Whole above 100 mm, to 0.5 below.
    #[default]
    Usual,
    /// To 0.1 mm: drills, veneers, seam widths.
    Fine,
}

/// Above this many inches a dimension is shown in feet and inches.
const FEET_ABOVE_INCHES: f64 = 24.0;

/// Writes a length as the trade reads it: whole or half millimetres, or inches as a fraction of
/// `denominator` (16 or 32), in feet and inches above 24 in.
pub fn format_length(mm: f64, unit: LengthUnit, denominator: u32, precision: Precision) -> String {
    if !mm.is_finite() {
        return "—".to_owned();
    }
    match unit {
        LengthUnit::Millimetre => {
            let step = match precision {
                Precision::Fine => 0.1,
                Precision::Usual if mm.abs() < 100.0 => 0.5,
                Precision::Usual => 1.0,
            };
            let rounded = (mm / step).round() * step;
            let text = format!("{rounded:.1}");
            let text = text.strip_suffix(".0").unwrap_or(&text);
            format!("{} mm", if text == "-0" { "0" } else { text })
        }
        LengthUnit::Inch => format_inches(mm / MM_PER_INCH, denominator.max(1)),
    }
}

fn format_inches(inches: f64, denominator: u32) -> String {
    let parts = (inches.abs() * f64::from(denominator)).round() as u64;
    let per_inch = u64::from(denominator);
    let sign = if inches < 0.0 && parts > 0 { "-" } else { "" };
    let whole = parts / per_inch;
    let fraction = fraction_text(parts % per_inch, per_inch);
    if (parts as f64) / (per_inch as f64) <= FEET_ABOVE_INCHES {
        return format!("{sign}{}\"", join_parts(whole, &fraction));
    }
    let (feet, rest) = (whole / 12, whole % 12);
    if rest == 0 && fraction.is_empty() {
        return format!("{sign}{feet}'");
    }
    format!("{sign}{feet}' {}\"", join_parts(rest, &fraction))
}

fn fraction_text(top: u64, bottom: u64) -> String {
    if top == 0 {
        return String::new();
    }
    let (mut a, mut b) = (top, bottom);
    while b != 0 {
        (a, b) = (b, a % b);
    }
    format!("{}/{}", top / a, bottom / a)
}

fn join_parts(whole: u64, fraction: &str) -> String {
    match (whole, fraction) {
        (whole, "") => whole.to_string(),
        (0, fraction) => fraction.to_owned(),
        (whole, fraction) => format!("{whole} {fraction}"),
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::LengthUnit::{Inch, Millimetre};
    use super::*;

    #[test]
    fn one_and_an_eighth_is_read_however_it_is_written() {
        for text in ["1-1/8\"", "1 1/8\"", "1.125\"", "1⅛\"", "1-1/8 in"] {
            let mm = parse_length(text, LengthUnit::Millimetre).unwrap_or_else(|e| panic!("{text}: {e}"));
            assert!((mm - 28.575).abs() < 1e-9, "{text}: {mm}");
        }
        for text in ["1-1/8", "1 1/8", "1.125", "1⅛"] {
            assert!((parse_length(text, LengthUnit::Inch).unwrap() - 28.575).abs() < 1e-9, "{text}");
        }
    }

    #[test]
    fn every_way_the_handbook_writes_a_length_is_read() {
        for (text, unit, mm) in [
            ("1032", Millimetre, 1032.0),
            ("1032 mm", Inch, 1032.0),
            ("103.2 cm", Inch, 1032.0),
            ("1.032 m", Inch, 1032.0),
            ("1,032 m", Inch, 1032.0),
            ("40 5/8", Inch, 1031.875),
            ("40 5/8\"", Millimetre, 1031.875),
            ("40⅝\"", Millimetre, 1031.875),
            ("40.625 in", Millimetre, 1031.875),
            ("3' 4 5/8\"", Millimetre, 1031.875),
            ("3'4 5/8", Millimetre, 1031.875),
            ("3 ft 4 5/8 in", Millimetre, 1031.875),
            ("3′ 4 5/8″", Millimetre, 1031.875),
            ("3-4-5", Inch, 1031.875),
            ("3-4-5+", Inch, 1033.4625),
            ("3-4-5-", Inch, 1030.2875),
            ("-12", Millimetre, -12.0),
            ("2'", Millimetre, 609.6),
            ("5/8", Inch, 15.875),
        ] {
            let read = parse_length(text, unit).unwrap();
            assert!((read - mm).abs() < 1e-9, "{text}: {read} instead of {mm}");
        }
    }

    #[test]
    fn nonsense_is_refused_and_says_so() {
        for text in [
            "",
            "  ",
            "abc",
            "1/0",
            "3-13-0",
            "3-4-9",
            "1e9",
            "inf",
            "nan",
            "12 34",
            "1.2.3",
            "--5",
            "4 ft 5 mm",
            "'; DROP",
            "5 5/8 mm",
        ] {
            assert!(parse_length(text, Millimetre).is_err(), "{text:?} was read as a length");
        }
        assert!(parse_length(&"9".repeat(10_000), Millimetre).is_err());
    }

    #[test]
    fn lengths_are_shown_as_the_trade_reads_them() {
        for (mm, unit, text) in [
            (1031.875, Inch, "3' 4 5/8\""),
            (22.225, Inch, "7/8\""),
            (609.6, Inch, "24\""),
            (914.4, Inch, "3'"),
            (0.0, Inch, "0\""),
            (-22.225, Inch, "-7/8\""),
            (12.6, Millimetre, "12.5 mm"),
            (1032.4, Millimetre, "1032 mm"),
            (99.9, Millimetre, "100 mm"),
            (-0.1, Millimetre, "0 mm"),
        ] {
            assert_eq!(format_length(mm, unit, 16, Precision::Usual), text);
        }
        assert_eq!(format_length(4.74, Millimetre, 16, Precision::Fine), "4.7 mm");
    }

    proptest! {
        #[test]
        fn what_is_shown_reads_back_to_within_half_a_step(mm in 0.0..50_000.0f64) {
            let inches = format_length(mm, Inch, 16, Precision::Usual);
            prop_assert!((parse_length(&inches, Millimetre).unwrap() - mm).abs() <= MM_PER_INCH / 32.0 + 1e-6);
            let metric = format_length(mm, Millimetre, 16, Precision::Usual);
            prop_assert!((parse_length(&metric, Inch).unwrap() - mm).abs() <= 0.5 + 1e-6);
        }

        #[test]
        fn any_text_is_read_or_refused_without_a_panic(text in ".{0,80}") {
            let _ = parse_length(&text, Inch);
        }
    }
}
