//! The quote: what a decision costs, in whole smallest units of the yard's money and never as a broken number.
//!
//! Hours at even and at four-in-five odds times rates by kind of work, materials, what is bought in, and allowances for what nobody
//! knows yet, each with what would bring it about. Source: handbook 11.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::choice::choices;
use crate::error::{self, InputError};
use crate::work::estimate::{Hours, Operation};

/// An amount in the smallest unit of its currency: cents.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Money(i64);

/// Most that any sum may come to, in the smallest unit: a floating point number still holds it exactly.
const MOST: i64 = 1 << 52;

impl Money {
    pub const ZERO: Self = Self(0);

    pub const fn minor(units: i64) -> Self {
        Self(units)
    }

    pub const fn units(self) -> i64 {
        self.0
    }

    /// To the nearest smallest unit, half of one away from nothing. Errors name `amount`.
    fn nearest(units: f64) -> Result<Self, InputError> {
        let rounded = units.round();
        if !rounded.is_finite() || rounded.abs() > MOST as f64 {
            return Err(InputError::new("amount", "is too large"));
        }
        Ok(Self(rounded as i64))
    }

    /// So many times, or a share of it.
    pub fn times(self, factor: f64) -> Result<Self, InputError> {
        Self::nearest(self.0 as f64 * factor)
    }

    /// A tax on it, in hundredths of a per cent; half of a smallest unit goes away from nothing.
    pub fn tax(self, hundredths: u32) -> Self {
        let whole = i128::from(self.0) * i128::from(hundredths);
        let half = if whole < 0 { -5_000 } else { 5_000 };
        Self(((whole + half) / 10_000) as i64)
    }

    pub fn is_zero(self) -> bool {
        self.0 == 0
    }
}

impl std::ops::Add for Money {
    type Output = Self;

    fn add(self, other: Self) -> Self {
        Self(self.0.saturating_add(other.0))
    }
}

impl std::ops::Sub for Money {
    type Output = Self;

    fn sub(self, other: Self) -> Self {
        Self(self.0.saturating_sub(other.0))
    }
}

impl std::iter::Sum for Money {
    fn sum<I: Iterator<Item = Self>>(all: I) -> Self {
        all.fold(Self::ZERO, |a, b| a + b)
    }
}

/// The yard's money: its code, and how many decimals it is written with.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Currency {
    /// Three letters.
    pub code: String,
    /// 0 … 3.
    pub decimals: u32,
}

impl Default for Currency {
    fn default() -> Self {
        Self { code: "EUR".to_owned(), decimals: 2 }
    }
}

impl Currency {
    /// Errors name `currency` or `decimals`.
    pub fn new(code: &str, decimals: u32) -> Result<Self, InputError> {
        let code = code.trim().to_ascii_uppercase();
        if code.len() != 3 || !code.bytes().all(|b| b.is_ascii_uppercase()) {
            return Err(InputError::new("currency", "write its three letters, as EUR"));
        }
        if decimals > 3 {
            return Err(InputError::new("decimals", "must be between 0 and 3"));
        }
        Ok(Self { code, decimals })
    }

    fn scale(&self) -> i64 {
        10_i64.pow(self.decimals)
    }

    /// An amount of the yard's own price lists, which are decimal numbers. Errors name `amount`.
    pub fn of(&self, amount: f64) -> Result<Money, InputError> {
        Money::nearest(amount * self.scale() as f64)
    }

    /// `1,234.50`; without the currency.
    pub fn bare(&self, money: Money) -> String {
        let (scale, sign) = (self.scale(), if money.0 < 0 { "−" } else { "" });
        let (whole, rest) = ((money.0 / scale).unsigned_abs(), (money.0 % scale).unsigned_abs());
        let digits = whole.to_string();
        let mut grouped = String::new();
        for (i, digit) in digits.chars().enumerate() {
            if i > 0 && (digits.len() - i).is_multiple_of(3) {
                grouped.push(',');
            }
            grouped.push(digit);
        }
        match self.decimals {
            0 => format!("{sign}{grouped}"),
            n => format!("{sign}{grouped}.{rest:0width$}", width = n as usize),
        }
    }

    /// An estimate in whole units, which has no cents: `1235 EUR`. What is below nothing is a rounding, and nothing.
    pub fn about(&self, amount: f64) -> String {
        format!("{:.0} {}", amount.max(0.0) + 0.0, self.code)
    }

    /// `1,234.50 EUR`.
    pub fn shown(&self, money: Money) -> String {
        format!("{} {}", self.bare(money), self.code)
    }

    /// Two ends of a band: `1,200 – 1,900 EUR`.
    pub fn band(&self, [low, high]: [Money; 2]) -> String {
        if low == high { self.shown(low) } else { format!("{} – {}", self.bare(low), self.shown(high)) }
    }

    /// Plain digits to be typed over, and for a file: `1234.50`.
    pub fn plain(&self, money: Money) -> String {
        self.bare(money).replace(',', "").replace('−', "-")
    }

    /// Reads an amount as it is typed: digits with a point or a comma before the decimals, spaces between thousands. Never through a
    /// floating point number. Errors name `amount`.
    pub fn read(&self, text: &str) -> Result<Money, InputError> {
        let wrong = |why: &str| Err(InputError::new("amount", why));
        let text: String = text.trim().chars().filter(|c| !c.is_whitespace()).collect();
        let (sign, digits) = match text.strip_prefix(['-', '−']) {
            Some(rest) => (-1, rest),
            None => (1, text.as_str()),
        };
        if digits.is_empty() {
            return wrong("must not be empty");
        }
        let (whole, rest) = digits.split_once(['.', ',']).unwrap_or((digits, ""));
        let numeric = |t: &str| t.bytes().all(|b| b.is_ascii_digit());
        if !numeric(whole) || !numeric(rest) || (whole.is_empty() && rest.is_empty()) {
            return wrong("write an amount as 1234.50");
        }
        if rest.len() > self.decimals as usize {
            return Err(InputError::new("amount", format!("{} has {} decimals", self.code, self.decimals)));
        }
        let padded = format!("{whole}{rest:0<width$}", width = self.decimals as usize);
        match padded.parse::<i64>() {
            Ok(units) if units <= MOST => Ok(Money(sign * units)),
            _ => wrong("is too large"),
        }
    }
}

choices! {
    /// Kinds of work that are charged alike.
    Trade {
        Open = "open", "Shoring, opening up and looking";
        Shape = "shape", "Shaping and fitting";
        Fix = "fix", "Gluing, fastening and caulking";
        Coat = "coat", "Sealing and coating";
    }
}

impl Operation {
    pub fn trade(self) -> Trade {
        match self {
            Self::Shore | Self::Strip | Self::Inspect => Trade::Open,
            Self::Reef | Self::CutOut | Self::TakeShape | Self::Mill | Self::Bend | Self::DryFit | Self::Fair => {
                Trade::Shape
            }
            Self::Glue | Self::Fasten | Self::Caulk | Self::Lap => Trade::Fix,
            Self::Seal | Self::Coat => Trade::Coat,
        }
    }
}

/// How the yard charges.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Terms {
    pub currency: Currency,
    /// VAT or sales tax, hundredths of a per cent.
    pub tax: u32,
    /// What an hour costs, by kind of work.
    pub hour: BTreeMap<Trade, Money>,
    /// Added to materials for handling and waste that is not in the amounts, per cent.
    pub on_materials: u32,
}

impl Terms {
    /// What an hour of a kind of work costs; nothing where nobody said.
    pub fn rate(&self, trade: Trade) -> Money {
        self.hour.get(&trade).copied().unwrap_or_default()
    }

    /// Kinds of work nobody gave a rate for.
    pub fn without_rate(&self) -> Vec<Trade> {
        Trade::ALL.iter().copied().filter(|t| self.rate(*t).is_zero()).collect()
    }
}

/// What a part costs; pairs are at even and at four-in-five odds.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Line {
    /// Hours.
    pub hours: [f64; 2],
    pub labour: [Money; 2],
    pub materials: Money,
    pub bought_in: Money,
}

impl Line {
    pub fn net(&self) -> [Money; 2] {
        self.labour.map(|labour| labour + self.materials + self.bought_in)
    }
}

/// Longest job and dearest materials of one line: beyond them a typing error is likelier.
const MOST_HOURS: f64 = 1_000_000.0;

/// What a part costs: its hours at the mean rate of its tasks, which are weighed by their own hours.
///
/// `tasks`: each operation with its hours at even odds. `materials`: as bought, before what the yard adds. Errors name `hours`,
/// `tasks[i]` or `amount`.
pub fn line(
    tasks: &[(Operation, f64)],
    hours: Hours,
    materials: Money,
    bought_in: Money,
    terms: &Terms,
) -> Result<Line, InputError> {
    error::within("hours", hours.p50, 0.0, MOST_HOURS)?;
    error::within("hours", hours.p80, hours.p50, MOST_HOURS)?;
    let (mut all, mut charged) = (0.0, 0.0);
    for (i, (operation, p50)) in tasks.iter().enumerate() {
        error::within(&format!("tasks[{i}]"), *p50, 0.0, MOST_HOURS)?;
        all += p50;
        charged += p50 * terms.rate(operation.trade()).0 as f64;
    }
    let mean = if all > 0.0 { charged / all } else { 0.0 };
    Ok(Line {
        hours: [hours.p50, hours.p80],
        labour: [Money::nearest(hours.p50 * mean)?, Money::nearest(hours.p80 * mean)?],
        materials: materials.times(1.0 + f64::from(terms.on_materials) / 100.0)?,
        bought_in,
    })
}

/// What all lines come to; pairs are at even and at four-in-five odds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Sum {
    pub net: [Money; 2],
    pub tax: [Money; 2],
    pub gross: [Money; 2],
}

/// Adds lines up. At even odds they are simply added; at four-in-five odds not every line runs late at once, so the labour of all grows
/// only as the hours of the whole job do, `whole`.
pub fn sum(lines: &[Line], whole: Hours, terms: &Terms) -> Result<Sum, InputError> {
    let labour: Money = lines.iter().map(|l| l.labour[0]).sum();
    let rest: Money = lines.iter().map(|l| l.materials + l.bought_in).sum();
    let grows = if whole.p50 > 0.0 { (whole.p80 / whole.p50).max(1.0) } else { 1.0 };
    let net = [labour + rest, labour.times(grows)? + rest];
    let tax = net.map(|net| net.tax(terms.tax));
    Ok(Sum { net, tax, gross: [net[0] + tax[0], net[1] + tax[1]] })
}

/// What brings an allowance about.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Trigger {
    /// Something suspected that proves worse when it is opened up.
    Finding { finding: i64, says: String },
    /// A part nobody looked at.
    Gap { member: i64, says: String },
}

/// Contingency as what is unknown: hours and money that come only where something proves so.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Allowance {
    pub trigger: Trigger,
    /// Hours more.
    pub hours: [f64; 2],
    /// Money more, before tax.
    pub net: [Money; 2],
}

/// Another way the same part may go.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Other {
    pub way: String,
    /// It breaks a rule and was not ranked.
    pub refused: bool,
    pub line: Line,
    /// How long it lasts, years.
    pub years: f64,
    /// What it costs again later: in how many years, and the best way there is then.
    pub later: Option<Later>,
}

/// What a part costs if it is left for some years, by the forecast at its worst.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Later {
    pub years: u32,
    pub way: String,
    pub line: Line,
}

/// A part as it is quoted.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Part {
    pub decision: i64,
    pub member: i64,
    pub name: String,
    pub way: String,
    pub reason: String,
    pub line: Line,
    pub others: Vec<Other>,
    /// What it costs when nothing is done for some years.
    pub waiting: Option<Later>,
    /// Owner's wishes that touch it.
    pub wishes: Vec<String>,
}

/// A quote as it is given out; it stays as it was given.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Quote {
    pub terms: Terms,
    pub parts: Vec<Part>,
    pub allowances: Vec<Allowance>,
    pub sum: Sum,
    pub note: String,
}

choices! {
    /// What the owner says to a part of a quote.
    Word {
        Authorised = "authorised", "Do it";
        Refused = "refused", "Do not do it";
        Postponed = "postponed", "Later";
    }
}

/// From this share of what was authorised on the yard is warned (*yard rule*).
pub const WARN_AT: f64 = 0.8;

/// Spent against authorised.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Standing {
    Within,
    /// At [`WARN_AT`] or more.
    Near,
    Over,
    /// Something was spent that nobody authorised.
    Unauthorised,
}

/// How what was spent stands against what was authorised.
pub fn standing(spent: Money, authorised: Money) -> Standing {
    match () {
        () if spent.0 > 0 && authorised.0 <= 0 => Standing::Unauthorised,
        () if spent > authorised => Standing::Over,
        () if authorised.0 > 0 && spent.0 as f64 >= WARN_AT * authorised.0 as f64 => Standing::Near,
        () => Standing::Within,
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn terms() -> Terms {
        Terms {
            currency: Currency::default(),
            tax: 1_900,
            hour: [
                (Trade::Open, Money::minor(4_500)),
                (Trade::Shape, Money::minor(6_500)),
                (Trade::Fix, Money::minor(5_500)),
                (Trade::Coat, Money::minor(4_000)),
            ]
            .into(),
            on_materials: 10,
        }
    }

    #[test]
    fn an_estimate_has_no_cents_and_is_never_less_than_nothing() {
        let yen = Currency::new("jpy", 0).unwrap();
        for (amount, says) in
            [(1234.5, "1234 JPY"), (0.49, "0 JPY"), (-0.0, "0 JPY"), (-3.0, "0 JPY"), (1e9, "1000000000 JPY")]
        {
            assert_eq!(yen.about(amount), says);
        }
    }

    #[test]
    fn money_is_read_and_written_without_losing_a_cent() {
        let eur = Currency::default();
        for (typed, units) in
            [("1234.5", 123_450), ("1 234,50", 123_450), ("0.07", 7), (".5", 50), ("-3", -300), ("12", 1_200)]
        {
            assert_eq!(eur.read(typed).unwrap(), Money::minor(units), "{typed}");
        }
        for wrong in ["", "1.234", "1,234.50", "twelve", "1e3", "--2", ".", "99999999999999999999"] {
            assert_eq!(eur.read(wrong).unwrap_err().field, "amount", "{wrong}");
        }
        assert_eq!(eur.shown(Money::minor(123_456_789)), "1,234,567.89 EUR");
        assert_eq!(eur.shown(Money::minor(-705)), "−7.05 EUR");
        assert_eq!(eur.shown(Money::ZERO), "0.00 EUR");
        assert_eq!(eur.plain(Money::minor(-123_450)), "-1234.50");
        let whole = Currency::new("jpy", 0).unwrap();
        assert_eq!(whole.shown(Money::minor(1_200)), "1,200 JPY");
        assert_eq!(whole.read("1.5").unwrap_err().field, "amount");
        assert_eq!(Currency::new("EURO", 2).unwrap_err().field, "currency");
        assert_eq!(Currency::new("EUR", 4).unwrap_err().field, "decimals");
    }

    #[test]
    fn a_line_is_its_hours_at_the_mean_rate_of_its_tasks() {
        // 6 h at 65 and 2 h at 55: 62.50 on the mean.
        let tasks = [(Operation::Mill, 6.0), (Operation::Glue, 2.0)];
        let line =
            line(&tasks, Hours { p50: 8.4, p80: 11.0 }, Money::minor(12_000), Money::minor(5_000), &terms()).unwrap();
        assert_eq!(line.labour, [Money::minor(52_500), Money::minor(68_750)]);
        assert_eq!(line.materials, Money::minor(13_200), "a tenth on top");
        assert_eq!(line.net(), [Money::minor(70_700), Money::minor(86_950)]);
    }

    #[test]
    fn lines_add_up_and_not_every_one_runs_late_at_once() {
        let one = |p50: f64| {
            line(&[(Operation::Mill, p50)], Hours { p50, p80: 1.5 * p50 }, Money::ZERO, Money::ZERO, &terms()).unwrap()
        };
        let lines = [one(10.0), one(20.0)];
        let sum = sum(&lines, Hours { p50: 30.0, p80: 39.0 }, &terms()).unwrap();
        assert_eq!(sum.net, [Money::minor(195_000), Money::minor(253_500)], "30 h at 65, and 1.3 times that");
        assert_eq!(sum.tax, [Money::minor(37_050), Money::minor(48_165)]);
        assert_eq!(sum.gross[0], Money::minor(232_050));
        let nothing = super::sum(&[], Hours { p50: 0.0, p80: 0.0 }, &terms()).unwrap();
        assert_eq!(nothing.gross, [Money::ZERO; 2]);
    }

    #[test]
    fn a_job_without_tasks_or_rates_costs_its_materials_and_says_which_rates_are_missing() {
        let bare = Terms { hour: BTreeMap::new(), ..terms() };
        let line = line(&[(Operation::Mill, 3.0)], Hours { p50: 3.0, p80: 4.0 }, Money::minor(100), Money::ZERO, &bare)
            .unwrap();
        assert_eq!(line.net(), [Money::minor(110); 2]);
        assert_eq!(bare.without_rate(), Trade::ALL);
        assert_eq!(terms().without_rate(), []);
    }

    #[test]
    fn bad_hours_and_sums_too_large_name_their_field() {
        let fault = |p50, p80, m| {
            line(&[(Operation::Mill, 1.0)], Hours { p50, p80 }, Money::minor(m), Money::ZERO, &terms())
                .unwrap_err()
                .field
        };
        assert_eq!(fault(-1.0, 2.0, 0), "hours");
        assert_eq!(fault(3.0, 2.0, 0), "hours");
        assert_eq!(fault(f64::NAN, 2.0, 0), "hours");
        assert_eq!(fault(1.0, 2.0, i64::MAX / 2), "amount");
        let tasks = [(Operation::Mill, f64::INFINITY)];
        assert_eq!(
            line(&tasks, Hours { p50: 1.0, p80: 1.0 }, Money::ZERO, Money::ZERO, &terms()).unwrap_err().field,
            "tasks[0]"
        );
    }

    #[test]
    fn half_a_cent_of_tax_goes_up_on_what_is_owed_and_on_what_is_given_back() {
        // 19 % of 0.50 is 0.095.
        assert_eq!(Money::minor(50).tax(1_900), Money::minor(10));
        assert_eq!(Money::minor(-50).tax(1_900), Money::minor(-10));
        assert_eq!(Money::minor(10_001).tax(0), Money::ZERO);
    }

    #[test]
    fn spent_is_warned_of_at_four_fifths() {
        let of = |spent, authorised| standing(Money::minor(spent), Money::minor(authorised));
        assert_eq!(
            (of(79, 100), of(80, 100), of(100, 100), of(101, 100)),
            (Standing::Within, Standing::Near, Standing::Near, Standing::Over)
        );
        assert_eq!((of(0, 0), of(1, 0)), (Standing::Within, Standing::Unauthorised));
    }

    proptest! {
        #[test]
        fn an_amount_reads_back_as_it_is_written(units in -(1i64 << 50)..(1i64 << 50), decimals in 0u32..4) {
            let currency = Currency::new("ABC", decimals).unwrap();
            prop_assert_eq!(currency.read(&currency.plain(Money::minor(units))).unwrap(), Money::minor(units));
        }

        #[test]
        fn sums_are_exact_and_ordered(
            jobs in proptest::collection::vec((0.0..400.0f64, 1.0..2.0f64, 0i64..1_000_000, 0i64..100_000), 0..12), grows in 1.0..2.0f64, tax in 0u32..3_000,
        ) {
            let terms = Terms { tax, ..terms() };
            let lines: Vec<Line> = jobs
                .iter()
                .map(|(p50, more, m, b)| {
                    line(&[(Operation::Mill, *p50), (Operation::Coat, 1.0)], Hours { p50: *p50, p80: p50 * more }, Money::minor(*m), Money::minor(*b), &terms).unwrap()
                })
                .collect();
            let sum = sum(&lines, Hours { p50: 100.0, p80: 100.0 * grows }, &terms).unwrap();
            let by_hand: i64 = lines.iter().map(|l| l.net()[0].units()).sum();
            prop_assert_eq!(sum.net[0].units(), by_hand, "what stands on the lines is what is asked");
            prop_assert!(sum.net[0] <= sum.net[1] && sum.gross[0] <= sum.gross[1]);
            for k in 0..2 {
                prop_assert_eq!(sum.net[k] + sum.tax[k], sum.gross[k]);
                let exact = sum.net[k].units() as f64 * f64::from(tax) / 10_000.0;
                prop_assert!((sum.tax[k].units() as f64 - exact).abs() <= 0.5 + 1e-6 * exact);
            }
        }
    }
}
