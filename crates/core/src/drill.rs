//! Drills as they are sold: by the tenth of a millimetre, or by fraction, number and letter.

use crate::units::{LengthUnit, MM_PER_INCH};

/// Number drills 1 to 60, inches (published standard sizes).
const NUMBERS: [f64; 60] = [
    0.228, 0.221, 0.213, 0.209, 0.2055, 0.204, 0.201, 0.199, 0.196, 0.1935, 0.191, 0.189, 0.185, 0.182, 0.18, 0.177,
    0.173, 0.1695, 0.166, 0.161, 0.159, 0.157, 0.154, 0.152, 0.1495, 0.147, 0.144, 0.1405, 0.136, 0.1285, 0.12, 0.116,
    0.113, 0.111, 0.11, 0.1065, 0.104, 0.1015, 0.0995, 0.098, 0.096, 0.0935, 0.089, 0.086, 0.082, 0.081, 0.0785, 0.076,
    0.073, 0.07, 0.067, 0.0635, 0.0595, 0.055, 0.052, 0.0465, 0.043, 0.042, 0.041, 0.04,
];
/// Letter drills A to Z, inches (published standard sizes).
const LETTERS: [f64; 26] = [
    0.234, 0.238, 0.242, 0.246, 0.25, 0.257, 0.261, 0.266, 0.272, 0.277, 0.281, 0.29, 0.295, 0.302, 0.316, 0.323,
    0.332, 0.339, 0.348, 0.358, 0.368, 0.377, 0.386, 0.397, 0.404, 0.413,
];
/// Fraction drills go by sixty-fourths up to this many, inches in 64ths.
const FRACTIONS_TO: u32 = 64;
/// Metric drills go by tenths of a millimetre.
const METRIC_STEP: f64 = 0.1;

/// A drill that is sold.
#[derive(Debug, Clone, PartialEq)]
pub struct Drill {
    /// `3.4 mm`, `9/64"`, `no. 29`, `F`.
    pub name: String,
    pub mm: f64,
}

/// The drill nearest to a diameter, mm; of two as near the smaller, which can be opened out. A fraction goes before a number or letter
/// of the same size. Sizes below the smallest give the smallest.
///
/// ```
/// use mend_keel_core::drill::nearest;
/// use mend_keel_core::units::LengthUnit::*;
/// assert_eq!(nearest(3.45, Inch).name, "no. 29");
/// assert_eq!(nearest(6.35, Inch).name, "1/4\"");
/// assert_eq!(nearest(3.44, Millimetre).name, "3.4 mm");
/// ```
pub fn nearest(mm: f64, unit: LengthUnit) -> Drill {
    match unit {
        LengthUnit::Millimetre => {
            let tenths = (mm / METRIC_STEP).round().max(1.0);
            Drill { name: format!("{:.1} mm", tenths * METRIC_STEP), mm: tenths * METRIC_STEP }
        }
        LengthUnit::Inch => inch(mm / MM_PER_INCH),
    }
}

fn inch(wanted: f64) -> Drill {
    // Larger than any number or letter: whole sixteenths.
    if wanted > 1.0 {
        let sixteenths = (wanted * 16.0).round();
        return Drill { name: format!("{}\"", mixed(sixteenths as u32, 16)), mm: sixteenths / 16.0 * MM_PER_INCH };
    }
    let fractions = (1..=FRACTIONS_TO).map(|n| (f64::from(n) / 64.0, format!("{}\"", mixed(n, 64))));
    let numbers = NUMBERS.iter().enumerate().map(|(i, d)| (*d, format!("no. {}", i + 1)));
    let letters = LETTERS.iter().zip('A'..='Z').map(|(d, letter)| (*d, letter.to_string()));
    let all = fractions.chain(numbers).chain(letters);
    let nearest = all.min_by(|a, b| {
        let off = |d: f64| (d - wanted).abs();
        // What is as near to a thousandth of a thousandth is the same.
        if (off(a.0) - off(b.0)).abs() < 1e-9 { a.0.total_cmp(&b.0) } else { off(a.0).total_cmp(&off(b.0)) }
    });
    let (d, name) = nearest.unwrap_or((1.0 / 64.0, "1/64\"".to_owned()));
    Drill { name, mm: d * MM_PER_INCH }
}

/// `1 1/4`, `9/64`, `1`.
fn mixed(n: u32, of: u32) -> String {
    let (whole, rest) = (n / of, n % of);
    let shared = (0..=of.trailing_zeros()).rev().find(|k| rest % (1 << k) == 0).unwrap_or(0);
    match (whole, rest) {
        (whole, 0) => whole.to_string(),
        (0, rest) => format!("{}/{}", rest >> shared, of >> shared),
        (whole, rest) => format!("{whole} {}/{}", rest >> shared, of >> shared),
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn the_tables_fall_and_rise_without_a_gap() {
        assert!(NUMBERS.windows(2).all(|w| w[0] > w[1] && w[0] - w[1] < 0.0086));
        assert!(LETTERS.windows(2).all(|w| w[0] < w[1] && w[1] - w[0] < 0.0145));
    }

    #[test]
    fn drills_a_shop_knows_by_name() {
        let name = |inches: f64| nearest(inches * MM_PER_INCH, LengthUnit::Inch).name;
        assert_eq!([name(0.136), name(0.159), name(0.201)], ["no. 29", "no. 21", "no. 7"]);
        assert_eq!([name(0.25), name(0.257), name(0.5), name(1.0)], ["1/4\"", "F", "1/2\"", "1\""]);
        assert_eq!([name(0.0), name(1.13), name(0.140625)], ["1/64\"", "1 1/8\"", "9/64\""]);
        assert_eq!(nearest(0.0, LengthUnit::Millimetre).name, "0.1 mm");
    }

    proptest! {
        #[test]
        fn no_drill_that_is_sold_is_nearer(mm in 1.1..25.0f64) {
            let found = nearest(mm, LengthUnit::Inch);
            let off = (found.mm - mm).abs();
            for sold in NUMBERS.iter().chain(&LETTERS).copied().chain((1..=64).map(|n| f64::from(n) / 64.0)) {
                prop_assert!(off <= (sold * MM_PER_INCH - mm).abs() + 1e-9, "{} against {sold}", found.name);
            }
            prop_assert!((nearest(mm, LengthUnit::Millimetre).mm - mm).abs() <= 0.05 + 1e-9);
        }
    }
}
