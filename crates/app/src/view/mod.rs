//! Drawing: lengths and reasons as people read them, and the SVG views.

pub mod board;
pub mod chart;
pub mod crossing;
pub mod entry;
pub mod gantt;
pub mod handbook;
pub mod hang;
pub mod hours;
pub mod hull;
pub mod job;
pub mod layers;
pub mod line_of_work;
pub mod map;
pub mod original;
pub mod paper;
pub mod piece;
pub mod plank;
pub mod reasons;
pub mod seam_lines;
pub mod shape;
pub mod surface;
pub mod svg;
pub mod years;

use mend_keel_core::fastening::record::Fastened;
use mend_keel_core::units::{LengthUnit, MM_PER_INCH, Precision, format_length, parse_length};
use mend_keel_core::{drill, metals};

/// How a choice stands beside the best one, of 100 points each, as somebody at a bench would say it.
pub fn standing(points: f64, best: f64) -> &'static str {
    match best - points {
        behind if behind <= 0.0 => "serves best",
        behind if behind < 5.0 => "about as good",
        behind if behind < 15.0 => "nearly as good",
        behind if behind < 35.0 => "less good",
        _ => "far behind",
    }
}

/// `1 year`, `30 years`.
pub fn in_years(years: f64) -> String {
    let said = format!("{years:.0}");
    format!("{said} year{}", if said == "1" { "" } else { "s" })
}

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

    /// A stored length to be typed over: what is shown reads back as the same length, so that saving a form
    /// unchanged changes nothing.
    pub fn exact(&self, mm: f64) -> String {
        let trimmed = |n: f64, places: usize| {
            let text = format!("{n:.places$}");
            if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_owned() } else { text }
        };
        match self.unit {
            LengthUnit::Millimetre => format!("{} mm", trimmed(mm, 3)),
            LengthUnit::Inch => {
                let fraction = self.len(mm);
                match parse_length(&fraction, self.unit) {
                    Ok(read) if (read - mm).abs() < 1e-3 => fraction,
                    _ => format!("{} in", trimmed(mm / MM_PER_INCH, 5)),
                }
            }
        }
    }

    /// `302 × 50 × 14.5 mm`, or each in inches.
    pub fn dims(&self, sizes: &[f64]) -> String {
        let each: Vec<String> = sizes.iter().map(|mm| self.len(*mm)).collect();
        match self.unit {
            LengthUnit::Millimetre => each.join(" × ").replace(" mm ×", " ×"),
            LengthUnit::Inch => each.join(" × "),
        }
    }

    /// The drill that is sold nearest to a diameter, and how it departs from it.
    pub fn drill(&self, mm: f64) -> String {
        let found = drill::nearest(mm, self.unit);
        let off = found.mm - mm;
        match self.unit {
            LengthUnit::Millimetre => found.name,
            LengthUnit::Inch if off.abs() < 0.005 => format!("{} ({:.3}\")", found.name, found.mm / MM_PER_INCH),
            LengthUnit::Inch => {
                format!("{} ({:.3}\"), the nearest to {:.3}\"", found.name, found.mm / MM_PER_INCH, mm / MM_PER_INCH)
            }
        }
    }

    /// A sentence of the core, whose lengths are in millimetres, as this yard writes them: `9 × 12 mm` is two lengths, `20–60 mm` too.
    pub fn words(&self, text: &str) -> String {
        if self.unit == LengthUnit::Millimetre || !text.contains(" mm") {
            return text.to_owned();
        }
        let said: Vec<&str> = text.split(' ').collect();
        let mut shown: Vec<Option<String>> = said.iter().map(|w| Some((*w).to_owned())).collect();
        for at in 1..said.len() {
            let Some(after) = said[at].strip_prefix("mm").filter(|a| !a.starts_with(['²', '³', 'a', 'b'])) else {
                continue;
            };
            let mut number = at - 1;
            let Some(last) = self.lengths(said[number]) else { continue };
            shown[number] = Some(last + after);
            shown[at] = None;
            // The other sides of one size, the other end of one range.
            while number >= 2 {
                let joined = match said[number - 1] {
                    "×" | "to" => true,
                    "and" => number >= 3 && said[number - 3] == "between",
                    _ => false,
                };
                let Some(other) = self.lengths(said[number - 2]).filter(|_| joined) else { break };
                number -= 2;
                shown[number] = Some(other);
            }
        }
        shown.into_iter().flatten().collect::<Vec<_>>().join(" ")
    }

    /// `20` or `20–60`, mm, as this yard writes it.
    fn lengths(&self, word: &str) -> Option<String> {
        let each: Option<Vec<String>> = word.split('–').map(|n| Some(self.fine(n.parse::<f64>().ok()?))).collect();
        Some(each?.join("–"))
    }

    /// Metres, or feet and inches.
    pub fn run(&self, mm: f64) -> String {
        match self.unit {
            LengthUnit::Millimetre => format!("{:.2} m", mm / 1000.0),
            LengthUnit::Inch => self.len(mm),
        }
    }

    /// How much of a task there is, in the unit its operation counts: `31 fastenings`, `1.7 m of seam`, and feet where she measures so.
    pub fn amount(&self, amount: f64, unit: &str) -> String {
        let Some(of) = unit.strip_prefix('m') else {
            let count = format!("{amount:.2}");
            let count = count.trim_end_matches('0').trim_end_matches('.');
            return format!("{count} {unit}{}", if count == "1" { "" } else { "s" });
        };
        match (self.unit, of) {
            (LengthUnit::Millimetre, _) => format!("{amount:.1} {unit}"),
            (LengthUnit::Inch, "²") => format!("{:.1} sq ft", amount / FOOT.powi(2)),
            (LengthUnit::Inch, _) => format!("{:.1} ft{of}", amount / FOOT),
        }
    }
}

/// A foot, m.
const FOOT: f64 = MM_PER_INCH * 12.0 / 1000.0;

/// A share as a percentage without needless digits.
pub fn percent(share: f64) -> String {
    let value = share * 100.0;
    if value > 99.0 && value < 100.0 { format!("{value:.1} %") } else { format!("{value:.0} %") }
}

/// Hours as a person says them.
pub fn hours(value: f64) -> String {
    if value < 10.0 { format!("{value:.1} h") } else { format!("{value:.0} h") }
}

/// `23 Nov 2026, 14:05` of a stored time; the stored text itself when it is none.
pub fn when(stored: &str) -> String {
    stored.parse::<jiff::Timestamp>().map_or_else(|_| stored.to_owned(), |t| clock_text(t, "%-d %b %Y, %H:%M"))
}

/// `23 Nov 2026` of a stored day; the stored text itself when it is none.
pub fn day(stored: &str) -> String {
    stored.parse::<jiff::civil::Date>().map_or_else(|_| stored.to_owned(), |d| d.strftime("%-d %b %Y").to_string())
}

/// `Tue 24 Nov, 14:05`.
pub fn when_next(stored: &str) -> String {
    stored.parse::<jiff::Timestamp>().map_or_else(|_| stored.to_owned(), |t| clock_text(t, "%a %-d %b, %H:%M"))
}

/// Today's date, where this runs.
pub fn today() -> String {
    clock_text(jiff::Timestamp::now(), "%Y-%m-%d")
}

/// The year it is, where this runs.
pub fn this_year() -> u32 {
    u32::from(jiff::ZonedDateTime::now().year().unsigned_abs())
}

fn clock_text(at: jiff::Timestamp, format: &str) -> String {
    at.to_zoned_datetime(jiff::tz::TimeZone::system()).strftime(format).to_string()
}

/// A record of how she is fastened: `copper nail and rove, copper, 1936, all of them`.
pub fn fastened_says(record: &Fastened, units: Units) -> String {
    let metal = metals::find(&record.metal).map_or(record.metal.clone(), |m| m.name.to_lowercase());
    let thick = record.diameter.map_or(String::new(), |d| format!(" {}", units.fine(d)));
    let year = record.year.map_or("year not known".to_owned(), |y| y.to_string());
    format!("{}{thick}, {metal}, {year}, {}", record.kind.label().to_lowercase(), record.share.label())
}

#[cfg(test)]
mod tests {
    use mend_keel_core::work::estimate::Operation;

    use super::*;

    #[test]
    fn an_amount_of_work_is_counted_or_measured_as_its_operation_says() {
        let metric = Units { unit: LengthUnit::Millimetre, denominator: 16 };
        let inch = Units { unit: LengthUnit::Inch, denominator: 16 };
        for (amount, unit, in_metres, in_feet) in [
            (31.0, "fastening", "31 fastenings", "31 fastenings"),
            (1.0, "place", "1 place", "1 place"),
            (2.5, "place", "2.5 places", "2.5 places"),
            (0.0, "fastening", "0 fastenings", "0 fastenings"),
            (3.048, "m", "3.0 m", "10.0 ft"),
            (1.7, "m of seam", "1.7 m of seam", "5.6 ft of seam"),
            (9.290_304, "m²", "9.3 m²", "100.0 sq ft"),
        ] {
            assert_eq!(
                (metric.amount(amount, unit).as_str(), inch.amount(amount, unit).as_str()),
                (in_metres, in_feet)
            );
        }
        // Every operation's unit is one of these two: a length or an area, or a thing that takes an s.
        for operation in Operation::ALL {
            let (_, unit) = operation.rate();
            assert!(
                unit == "place" || unit == "fastening" || unit == "m²" || unit == "m" || unit.starts_with("m of "),
                "{unit}"
            );
        }
    }

    #[test]
    fn a_choice_stands_beside_the_best_in_words_that_never_rise_as_its_points_fall() {
        assert_eq!(standing(82.0, 82.0), "serves best");
        assert_eq!(standing(81.0, 82.0), "about as good");
        assert_eq!(standing(0.0, 0.0), "serves best", "one alone is the best there is");
        let words = ["serves best", "about as good", "nearly as good", "less good", "far behind"];
        let place = |points: i32| words.iter().position(|w| *w == standing(f64::from(points), 100.0)).unwrap();
        let places: Vec<usize> = (0..=100).rev().map(place).collect();
        assert!(places.windows(2).all(|w| w[0] <= w[1]) && places.last() == Some(&4), "{places:?}");
        assert_eq!(
            [in_years(1.0), in_years(0.6), in_years(6.5), in_years(0.0)],
            ["1 year", "1 year", "6 years", "0 years"]
        );
    }

    #[test]
    fn a_length_shown_to_be_typed_over_reads_back_the_same() {
        for unit in [LengthUnit::Millimetre, LengthUnit::Inch] {
            let units = Units { unit, denominator: 16 };
            for mm in [0.0, 9.0, 9.525, 170.3, -22.25, 1031.875, 8600.0] {
                let shown = units.exact(mm);
                assert!((parse_length(&shown, unit).unwrap() - mm).abs() < 1e-3, "{mm} as {shown}");
            }
        }
        assert_eq!(Units { unit: LengthUnit::Inch, denominator: 16 }.exact(9.525), "3/8\"");
    }

    #[test]
    fn sizes_say_their_unit_once() {
        let metric = Units { unit: LengthUnit::Millimetre, denominator: 16 };
        assert_eq!(metric.dims(&[302.0, 50.0, 14.5]), "302 × 50 × 14.5 mm");
        assert_eq!(metric.words("a turn of rope every 150 mm"), "a turn of rope every 150 mm");
        let imperial = Units { unit: LengthUnit::Inch, denominator: 16 };
        assert_eq!(imperial.dims(&[914.4, 25.4]), "3' × 1\"");
    }

    #[test]
    fn a_sentence_of_the_core_speaks_the_yards_unit() {
        let inch = Units { unit: LengthUnit::Inch, denominator: 16 };
        let said = [
            ("a turn of rope every 152.4 mm; squeeze-out", "a turn of rope every 6\"; squeeze-out"),
            ("Teak, 25.4 × 50.8 mm strips", "Teak, 1\" × 2\" strips"),
            ("runs on 25.4–50.8 mm a year", "runs on 1\"–2\" a year"),
            ("strake 3 is 12.7 mm short, 25.4 mm here", "strake 3 is 1/2\" short, 1\" here"),
            ("must be between 25.4 and 304.8 mm", "must be between 1\" and 12\""),
            ("strakes 3 and 25.4 mm more", "strakes 3 and 1\" more"),
            ("640 mm² of glue, and no mm at all", "640 mm² of glue, and no mm at all"),
            ("nothing to turn", "nothing to turn"),
            (" mm", " mm"),
        ];
        for (core, shown) in said {
            assert_eq!(inch.words(core), shown);
        }
    }
}
