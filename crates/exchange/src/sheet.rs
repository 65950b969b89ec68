//! Comma-separated files in and out: findings, readings, the grid, offsets.
//!
//! A file may have its columns in any order and leave out what is optional. Every fault is told by line and column
//! and costs only its own row: the good rows are there to be taken. What is written is read back without loss.

pub mod grid;
pub mod offsets;
pub mod rack;
pub mod survey;
pub mod weather;

use std::collections::HashMap;

use csv::{ReaderBuilder, StringRecord, Writer};
use mend_keel_core::InputError;
use mend_keel_core::units::{LengthUnit, parse_length};

/// What is wrong with a cell.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fault {
    /// Line of the file, counted from 1.
    pub line: u64,
    /// Name of the column; empty when the row as a whole is meant.
    pub column: String,
    pub message: String,
}

/// Rows read, each with its line, and what was wrong with the others.
#[derive(Debug, Clone, PartialEq)]
pub struct Loaded<T> {
    pub rows: Vec<(u64, T)>,
    pub faults: Vec<Fault>,
}

/// Most rows taken from one file.
pub const MOST_ROWS: usize = 50_000;

/// Reads a file row by row. Columns in `needed` must be there; every other is optional.
fn load<T>(bytes: &[u8], needed: &[&str], row: impl Fn(&mut Cells<'_>) -> Option<T>) -> Loaded<T> {
    // Spreadsheets write a mark at the head of a file that is not text of it.
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    let delimiter = delimiter(bytes);
    let mut reader = ReaderBuilder::new().flexible(true).delimiter(delimiter).from_reader(bytes);
    let mut loaded = Loaded { rows: Vec::new(), faults: Vec::new() };
    let fault = |line, column: &str, message: String| Fault { line, column: column.to_owned(), message };
    let columns: HashMap<String, usize> = match reader.headers() {
        Ok(names) => names.iter().enumerate().map(|(i, n)| (n.trim().to_lowercase(), i)).collect(),
        Err(e) => {
            loaded.faults.push(fault(1, "", e.to_string()));
            return loaded;
        }
    };
    for name in needed.iter().filter(|n| !columns.contains_key(**n)) {
        loaded.faults.push(fault(1, name, "this column is missing".into()));
    }
    if !loaded.faults.is_empty() {
        return loaded;
    }
    for record in reader.records() {
        if loaded.rows.len() + loaded.faults.len() >= MOST_ROWS {
            loaded.faults.push(fault(0, "", format!("no more than {MOST_ROWS} rows are taken from one file")));
            break;
        }
        let record = match record {
            Ok(record) => record,
            Err(e) => {
                let line = e.position().map_or(0, csv::Position::line);
                loaded.faults.push(fault(line, "", "is not text in UTF-8".into()));
                continue;
            }
        };
        let line = record.position().map_or(0, csv::Position::line);
        if record.iter().all(|cell| cell.trim().is_empty()) {
            continue;
        }
        let mut cells = Cells { record: &record, columns: &columns, line, faults: Vec::new() };
        let read = row(&mut cells);
        match read {
            Some(read) if cells.faults.is_empty() => loaded.rows.push((line, read)),
            _ => loaded.faults.append(&mut cells.faults),
        }
    }
    loaded
}

/// Some spreadsheets part columns with semicolons or tabs: the first line tells.
fn delimiter(bytes: &[u8]) -> u8 {
    let first = bytes.split(|b| *b == b'\n').next().unwrap_or_default();
    let count = |d: u8| first.iter().filter(|b| **b == d).count();
    // `max_by_key` takes the last of equals: the comma.
    [b'\t', b';', b','].into_iter().max_by_key(|d| count(*d)).unwrap_or(b',')
}

/// The cells of a row, by the names of their columns.
struct Cells<'r> {
    record: &'r StringRecord,
    columns: &'r HashMap<String, usize>,
    line: u64,
    faults: Vec<Fault>,
}

impl Cells<'_> {
    fn fault(&mut self, column: &str, message: impl Into<String>) {
        self.faults.push(Fault { line: self.line, column: column.to_owned(), message: message.into() });
    }

    /// A cell as it stands, without the blanks round it; empty when there is no such column.
    fn raw(&self, column: &str) -> &str {
        self.columns.get(column).and_then(|i| self.record.get(*i)).unwrap_or_default().trim()
    }

    fn is_empty(&self, column: &str) -> bool {
        self.raw(column).is_empty()
    }

    /// A text, as it was written by [`text`].
    fn text(&self, column: &str) -> String {
        let cell = self.columns.get(column).and_then(|i| self.record.get(*i)).unwrap_or_default();
        untext(cell).to_owned()
    }

    fn needed(&mut self, column: &str) -> Option<&str> {
        if self.is_empty(column) {
            self.fault(column, "must not be empty");
            return None;
        }
        Some(self.raw(column))
    }

    fn choice<T>(&mut self, column: &str, from_code: impl Fn(&str) -> Option<T>) -> Option<T> {
        let found = from_code(self.raw(column));
        if found.is_none() {
            let message = match self.raw(column) {
                "" => "must not be empty".to_owned(),
                code => format!("“{}” is not one of the choices", code.chars().take(40).collect::<String>()),
            };
            self.fault(column, message);
        }
        found
    }

    /// A number between two bounds.
    fn within(&mut self, column: &str, low: f64, high: f64) -> Option<f64> {
        let value = self.number(column)?;
        if (low..=high).contains(&value) {
            return Some(value);
        }
        self.fault(column, format!("must be between {low} and {high}"));
        None
    }

    /// A number; a comma may stand for the point.
    fn number(&mut self, column: &str) -> Option<f64> {
        let text = self.needed(column)?.replace(',', ".");
        match text.parse::<f64>() {
            Ok(n) if n.is_finite() => Some(n),
            _ => {
                self.fault(column, "must be a number");
                None
            }
        }
    }

    fn optional_number(&mut self, column: &str) -> Option<f64> {
        if self.is_empty(column) { None } else { self.number(column) }
    }

    fn whole(&mut self, column: &str) -> Option<u32> {
        let found = self.needed(column)?.parse().ok();
        if found.is_none() {
            self.fault(column, "must be a whole number");
        }
        found
    }

    /// A length: a bare number is mm, feet and inches are read too.
    fn length(&mut self, column: &str) -> Option<f64> {
        let text = self.needed(column)?.to_owned();
        match parse_length(&text, LengthUnit::Millimetre) {
            Ok(mm) => Some(mm),
            Err(e) => {
                self.fault(column, e.message);
                None
            }
        }
    }

    fn yes(&self, column: &str) -> bool {
        matches!(self.raw(column).to_lowercase().as_str(), "1" | "yes" | "true")
    }

    fn core(&mut self, column: &str, error: InputError) {
        self.fault(column, error.message);
    }
}

/// What a spreadsheet would take for a formula.
fn looks_like_formula(text: &str) -> bool {
    text.starts_with(['=', '+', '-', '@', '\t', '\r', '\''])
}

/// A text so written that no spreadsheet runs it as a formula; [`untext`] gives it back.
fn text(text: &str) -> String {
    if looks_like_formula(text) { format!("'{text}") } else { text.to_owned() }
}

fn untext(cell: &str) -> &str {
    match cell.strip_prefix('\'') {
        Some(rest) if looks_like_formula(rest) => rest,
        _ => cell,
    }
}

/// Writes a table that is only read by people and spreadsheets: no cell is taken for a formula.
pub fn table(columns: &[&str], rows: impl Iterator<Item = Vec<String>>) -> String {
    write(columns, rows.map(|row| row.iter().map(|cell| text(cell)).collect()))
}

/// Writes a table.
fn write(columns: &[&str], rows: impl Iterator<Item = Vec<String>>) -> String {
    let mut writer = Writer::from_writer(Vec::new());
    // Writing to memory does not fail.
    let _ = writer.write_record(columns);
    for row in rows {
        let _ = writer.write_record(&row);
    }
    writer.into_inner().ok().and_then(|bytes| String::from_utf8(bytes).ok()).unwrap_or_default()
}

fn optional(n: Option<f64>) -> String {
    n.map_or(String::new(), |n| n.to_string())
}

fn yes_no(on: bool) -> String {
    if on { "yes".into() } else { String::new() }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn no_note_becomes_a_formula_in_a_spreadsheet() {
        for bad in ["=1+1", "+49", "-2", "@x", "'=1"] {
            assert!(text(bad).starts_with('\''), "{bad}");
            assert_eq!(untext(&text(bad)), bad);
        }
        assert_eq!(text("it's soft"), "it's soft");
    }

    #[test]
    fn semicolons_and_the_mark_of_a_spreadsheet_are_understood() {
        let loaded = load(b"\xef\xbb\xbfA;B\n1;2,5\n", &["a", "b"], |c| c.number("b"));
        assert_eq!(loaded.rows, [(2, 2.5)]);
        assert!(loaded.faults.is_empty());
    }

    proptest! {
        #[test]
        fn any_text_comes_back_as_it_went(note in any::<String>()) {
            let csv = write(&["a", "note"], std::iter::once(vec!["1".into(), text(&note)]));
            let loaded = load(csv.as_bytes(), &["note"], |c| Some(c.text("note")));
            prop_assert_eq!(loaded.rows.first().map(|r| r.1.as_str()), Some(note.as_str()));
        }

        #[test]
        fn no_bytes_break_the_reader(bytes in proptest::collection::vec(any::<u8>(), 0..400)) {
            let loaded = load(&bytes, &["a"], |c| c.number("a"));
            prop_assert!(loaded.faults.iter().all(|f| !f.message.is_empty()));
        }
    }
}
