//! Reasons as they stand on a page.

use mend_keel_core::{Reason, Verdict};

use super::Units;

/// A reason ready to be shown: its verdict by glyph and word, the values compared, formula, school, source.
#[derive(Debug, Clone)]
pub struct ReasonView {
    pub class: &'static str,
    pub glyph: &'static str,
    pub word: &'static str,
    pub text: String,
    pub values: Vec<String>,
    pub formula: &'static str,
    pub school: Option<&'static str>,
    pub source: &'static str,
    pub rule: &'static str,
}

impl ReasonView {
    pub fn new(reason: &Reason, units: Units) -> Self {
        let (class, glyph, word) = match reason.verdict {
            Verdict::For => ("for", "✓", "for"),
            Verdict::Note => ("note", "·", "note"),
            Verdict::Against => ("against", "▲", "against"),
            Verdict::Forbids => ("forbids", "✕", "not allowed"),
        };
        let values = reason
            .compared
            .iter()
            .map(|c| {
                let value = amount(c.value, c.unit, units);
                let limit = c.limit.map_or(String::new(), |limit| {
                    format!(" (limit {})", amount(limit, c.unit, units))
                });
                format!("{} {value}{limit}", c.what)
            })
            .collect();
        Self {
            class,
            glyph,
            word,
            text: reason.text.clone(),
            values,
            formula: reason.formula,
            school: reason.school.map(|s| s.label()),
            source: reason.source,
            rule: reason.rule,
        }
    }

    /// Whether there is more to ask than the sentence itself.
    pub fn has_more(&self) -> bool {
        !self.values.is_empty() || !self.formula.is_empty()
    }
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
