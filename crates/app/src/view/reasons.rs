//! Reasons as they stand on a page.

use mend_keel_core::practice::School;
use mend_keel_core::{Reason, Verdict};
use serde_json::Value;

use super::{Units, handbook};

/// A reason ready to be shown: its verdict by glyph and word, the values compared, formula, school, source.
#[derive(Debug, Clone)]
pub struct ReasonView {
    pub class: &'static str,
    pub glyph: &'static str,
    pub word: &'static str,
    pub text: String,
    pub values: Vec<String>,
    pub formula: String,
    pub school: Option<String>,
    pub source: String,
    pub rule: String,
    /// The rule's section in the handbook.
    pub link: Option<&'static str>,
}

impl ReasonView {
    pub fn new(reason: &Reason, units: Units) -> Self {
        let (class, glyph, word) = verdict(reason.verdict);
        let values = reason
            .compared
            .iter()
            .map(|c| {
                let value = amount(c.value, c.unit, units);
                let limit = c.limit.map_or(String::new(), |limit| format!(" (limit {})", amount(limit, c.unit, units)));
                format!("{} {value}{limit}", c.what)
            })
            .collect();
        Self {
            class,
            glyph,
            word,
            text: units.words(&reason.text),
            values,
            formula: reason.formula.to_owned(),
            school: reason.school.map(|s| s.label().to_owned()),
            source: reason.source.to_owned(),
            rule: reason.rule.to_owned(),
            link: handbook::link(reason.rule),
        }
    }

    /// Whether there is more to ask than the sentence itself.
    pub fn has_more(&self) -> bool {
        !self.values.is_empty() || !self.formula.is_empty()
    }
}

fn verdict(verdict: Verdict) -> (&'static str, &'static str, &'static str) {
    match verdict {
        Verdict::For => ("for", "✓", "for"),
        Verdict::Note => ("note", "·", "note"),
        Verdict::Against => ("against", "▲", "against"),
        Verdict::Forbids => ("forbids", "✕", "not allowed"),
    }
}

/// Reasons as they were kept with a decision.
pub fn kept(reasons: &Value, units: Units) -> Vec<ReasonView> {
    let text = |value: &Value, field: &str| value[field].as_str().unwrap_or_default().to_owned();
    let one = |reason: &Value| {
        let (class, glyph, word) = verdict(serde_json::from_value(reason["verdict"].clone()).unwrap_or(Verdict::Note));
        let compared = reason["compared"].as_array().cloned().unwrap_or_default();
        let values = compared.iter().map(|c| {
            let unit = text(c, "unit");
            let number = |field: &str| c[field].as_f64().map(|n| amount(n, &unit, units));
            let limit = number("limit").map_or(String::new(), |limit| format!(" (limit {limit})"));
            format!("{} {}{limit}", text(c, "what"), number("value").unwrap_or_default())
        });
        ReasonView {
            class,
            glyph,
            word,
            text: units.words(&text(reason, "text")),
            values: values.collect(),
            formula: text(reason, "formula"),
            school: reason["school"].as_str().and_then(School::from_code).map(|s| s.label().to_owned()),
            source: text(reason, "source"),
            link: handbook::link(&text(reason, "rule")),
            rule: text(reason, "rule"),
        }
    };
    reasons.as_array().into_iter().flatten().map(one).collect()
}

pub fn views(reasons: &[Reason], units: Units) -> Vec<ReasonView> {
    reasons.iter().map(|r| ReasonView::new(r, units)).collect()
}

fn amount(value: f64, unit: &str, units: Units) -> String {
    match unit {
        "mm" => units.fine(value),
        "mm²" => format!("{:.0} cm²", value / 100.0),
        "" if value.fract() == 0.0 => format!("{value:.0}"),
        "" => format!("{value:.2}"),
        "%" | "frame spaces" | "N" | "ml" => format!("{value:.0} {unit}"),
        unit => format!("{value:.1} {unit}"),
    }
}

#[cfg(test)]
mod tests {
    use mend_keel_core::units::LengthUnit;

    use super::*;

    #[test]
    fn a_kept_reason_reads_as_it_did_when_it_was_given() {
        let units = Units { unit: LengthUnit::Millimetre, denominator: 16 };
        let given = Reason::new("graving.width", Verdict::Against, "too wide")
            .school(School::Renew)
            .formula("width / plank")
            .against("patch width", 80.0, "mm", 60.0);
        let stored = serde_json::to_value(vec![given.clone()]).unwrap();
        assert_eq!(format!("{:?}", kept(&stored, units)), format!("{:?}", views(&[given], units)));
    }
}
