//! Drawing: lengths and reasons as people read them, and the SVG views.

pub mod map;
pub mod piece;
pub mod plank;
pub mod reasons;
pub mod svg;

use mend_keel_core::units::{LengthUnit, Precision, format_length};

/// How this yard writes lengths.
#[derive(Debug, Clone, Copy)]
pub struct Units {
    pub unit: LengthUnit,
    pub denominator: u32,
}

impl Units {
    pub fn len(&self, mm: f64) -> String {
        format_length(mm, self.unit, self.denominator, Precision::Usual)
    }

    /// To a tenth of a millimetre: drills, seam widths, and what is shown to be typed over.
    pub fn fine(&self, mm: f64) -> String {
        format_length(mm, self.unit, self.denominator, Precision::Fine)
    }

    /// Metres, or feet and inches.
    pub fn run(&self, mm: f64) -> String {
        match self.unit {
            LengthUnit::Millimetre => format!("{:.2} m", mm / 1000.0),
            LengthUnit::Inch => self.len(mm),
        }
    }
}

/// A share as a percentage without needless digits.
pub fn percent(share: f64) -> String {
    let value = share * 100.0;
    if value > 99.0 && value < 100.0 {
        format!("{value:.1} %")
    } else {
        format!("{value:.0} %")
    }
}

/// Hours as a person says them.
pub fn hours(value: f64) -> String {
    if value < 10.0 {
        format!("{value:.1} h")
    } else {
        format!("{value:.0} h")
    }
}

/// `2026-11-23 14:05` of a stored time; the stored text itself when it is none.
pub fn when(stored: &str) -> String {
    stored
        .parse::<jiff::Timestamp>()
        .map_or_else(|_| stored.to_owned(), |t| clock_text(t, "%Y-%m-%d %H:%M"))
}

/// `Tue 24 Nov, 14:05`.
pub fn when_next(stored: &str) -> String {
    stored
        .parse::<jiff::Timestamp>()
        .map_or_else(|_| stored.to_owned(), |t| clock_text(t, "%a %d %b, %H:%M"))
}

fn clock_text(at: jiff::Timestamp, format: &str) -> String {
    at.to_zoned_datetime(jiff::tz::TimeZone::system())
        .strftime(format)
        .to_string()
}
