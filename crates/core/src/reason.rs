//! Why a number or a verdict is what it is, as data: pages, PDFs and `compute` all show the same reasons.

use serde::{Deserialize, Serialize};

use crate::practice::School;

/// What a reason does to the thing it speaks of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// Speaks for it.
    For,
    /// Explains a number, neither for nor against.
    Note,
    /// Speaks against it.
    Against,
    /// Breaks a rule that every school respects.
    Forbids,
}

/// One value held against a limit, or one input of a formula.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Compared {
    pub what: String,
    pub value: f64,
    /// `mm`, `%`, `frame spaces` …; empty for a plain count or ratio.
    pub unit: &'static str,
    /// The limit it was held against, where there is one.
    pub limit: Option<f64>,
}

/// One reason: which rule, whose, with which values, and where it comes from.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Reason {
    /// Stable identifier, for instance `graving.width`.
    pub rule: &'static str,
    /// One short sentence a restorer can act on.
    pub text: String,
    pub verdict: Verdict,
    /// The school the rule belongs to; `None` when every school respects it.
    pub school: Option<School>,
    /// The formula in words, empty when the text says it all.
    pub formula: &'static str,
    pub compared: Vec<Compared>,
    pub source: &'static str,
}

/// Handbook values that the yard may change in its practice settings.
pub const YARD_RULE: &str = "yard rule";

impl Reason {
    pub fn new(rule: &'static str, verdict: Verdict, text: impl Into<String>) -> Self {
        Self { rule, text: text.into(), verdict, school: None, formula: "", compared: Vec::new(), source: YARD_RULE }
    }

    pub fn note(rule: &'static str, text: impl Into<String>) -> Self {
        Self::new(rule, Verdict::Note, text)
    }

    pub fn school(mut self, school: School) -> Self {
        self.school = Some(school);
        self
    }

    pub fn formula(mut self, formula: &'static str) -> Self {
        self.formula = formula;
        self
    }

    pub fn source(mut self, source: &'static str) -> Self {
        self.source = source;
        self
    }

    pub fn value(mut self, what: impl Into<String>, value: f64, unit: &'static str) -> Self {
        self.compared.push(Compared { what: what.into(), value, unit, limit: None });
        self
    }

    pub fn against(mut self, what: impl Into<String>, value: f64, unit: &'static str, limit: f64) -> Self {
        self.compared.push(Compared { what: what.into(), value, unit, limit: Some(limit) });
        self
    }
}
