//! The offsets a hull was built to: half-breadths and heights by station, and the lines drawn from them.

use serde::{Deserialize, Serialize};

use crate::choice::choices;
use crate::error::{InputError, LENGTH_LIMIT_MM};
use crate::geometry::Point;

choices! {
    /// What a row of the table gives at each station.
    RowKind {
        /// Half-breadth of a line that has a height row of the same name (sheer, chine, rabbet).
        HalfBreadth = "half_breadth", "Half-breadth";
        /// Height of such a line above the base line.
        Height = "height", "Height";
        /// Half-breadths on a waterline, whose height above the base is `at`.
        Waterline = "waterline", "Waterline";
        /// Heights on a buttock, whose distance from the centre line is `at`.
        Buttock = "buttock", "Buttock";
    }
}

/// One row of the table, mm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Row {
    pub name: String,
    pub kind: RowKind,
    /// Height of a waterline or half-breadth of a buttock; 0 for other rows.
    pub at: f64,
    /// One for each station; `None` where the line does not reach.
    pub values: Vec<Option<f64>>,
}

/// A table of offsets, mm.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Offsets {
    /// Distance of each station aft of the first, rising.
    pub stations: Vec<f64>,
    pub rows: Vec<Row>,
}

/// Most stations and rows taken.
pub const MOST: usize = 120;

/// Lines to draw: each a name and its points.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Lines {
    /// `[x, height]`.
    pub profile: Vec<(String, Vec<Point>)>,
    /// `[x, half-breadth]`.
    pub plan: Vec<(String, Vec<Point>)>,
    /// `[half-breadth, height]` for each station, from the keel up; those forward of the middle are drawn to the right.
    pub body: Vec<(String, Vec<Point>)>,
}

impl Offsets {
    /// Checks the table. Errors name `stations`, `stations[i]`, `rows[i]` or `rows[i].values[j]`.
    pub fn check(&self) -> Result<(), InputError> {
        if self.stations.len() < 2 || self.stations.len() > MOST {
            return Err(InputError::new(
                "stations",
                format!("needs 2 to {MOST} stations, got {}", self.stations.len()),
            ));
        }
        for (i, pair) in self.stations.windows(2).enumerate() {
            if pair[1] <= pair[0] || !pair[1].is_finite() || !pair[0].is_finite() {
                return Err(InputError::new(format!("stations[{}]", i + 1), "stations must rise going aft"));
            }
        }
        if self.rows.is_empty() || self.rows.len() > MOST {
            return Err(InputError::new("rows", format!("needs 1 to {MOST} rows, got {}", self.rows.len())));
        }
        for (i, row) in self.rows.iter().enumerate() {
            if row.values.len() != self.stations.len() {
                return Err(InputError::new(
                    format!("rows[{i}]"),
                    format!("has {} values for {} stations", row.values.len(), self.stations.len()),
                ));
            }
            for (j, value) in row.values.iter().enumerate().filter_map(|(j, v)| Some((j, (*v)?))) {
                let breadth = matches!(row.kind, RowKind::HalfBreadth | RowKind::Waterline);
                if !value.is_finite() || value.abs() > LENGTH_LIMIT_MM || (breadth && value < 0.0) {
                    return Err(InputError::new(
                        format!("rows[{i}].values[{j}]"),
                        "must be a length, 0 or more for a breadth",
                    ));
                }
            }
        }
        Ok(())
    }

    fn along(&self, row: &Row) -> Vec<Point> {
        self.stations.iter().zip(&row.values).filter_map(|(x, v)| Some([*x, (*v)?])).collect()
    }

    fn heights_of(&self, name: &str) -> Option<&Row> {
        self.rows.iter().find(|r| r.kind == RowKind::Height && r.name == name)
    }

    /// The lines in profile, plan and body plan.
    pub fn lines(&self) -> Lines {
        let mut lines = Lines::default();
        for row in &self.rows {
            let drawn = (row.name.clone(), self.along(row));
            match row.kind {
                RowKind::Height | RowKind::Buttock => lines.profile.push(drawn),
                RowKind::HalfBreadth | RowKind::Waterline => lines.plan.push(drawn),
            }
        }
        for (station, x) in self.stations.iter().enumerate() {
            let mut section: Vec<Point> = self
                .rows
                .iter()
                .filter_map(|row| {
                    let value = row.values[station]?;
                    match row.kind {
                        RowKind::Waterline => Some([value, row.at]),
                        RowKind::Buttock => Some([row.at, value]),
                        RowKind::HalfBreadth => Some([value, self.heights_of(&row.name)?.values[station]?]),
                        // A height alone lies on the centre line only when no breadth goes with it.
                        RowKind::Height => {
                            let paired = self.rows.iter().any(|r| r.kind == RowKind::HalfBreadth && r.name == row.name);
                            (!paired).then_some([0.0, value])
                        }
                    }
                })
                .collect();
            section.sort_by(|a, b| a[1].total_cmp(&b[1]).then(a[0].total_cmp(&b[0])));
            if section.len() > 1 {
                lines.body.push((format!("station {} at {x:.0}", station + 1), section));
            }
        }
        lines
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn table() -> Offsets {
        let row = |name: &str, kind, at, values: [f64; 3]| Row {
            name: name.into(),
            kind,
            at,
            values: values.into_iter().map(Some).collect(),
        };
        Offsets {
            stations: vec![0.0, 2_000.0, 4_000.0],
            rows: vec![
                row("sheer", RowKind::HalfBreadth, 0.0, [200.0, 900.0, 600.0]),
                row("sheer", RowKind::Height, 0.0, [1_200.0, 1_000.0, 1_050.0]),
                row("rabbet", RowKind::Height, 0.0, [100.0, 80.0, 150.0]),
                row("WL2", RowKind::Waterline, 500.0, [80.0, 700.0, 300.0]),
            ],
        }
    }

    #[test]
    fn a_section_is_gathered_from_every_row_that_crosses_it() {
        let lines = table().lines();
        assert_eq!((lines.profile.len(), lines.plan.len(), lines.body.len()), (2, 2, 3));
        assert_eq!(lines.body[1].1, vec![[0.0, 80.0], [700.0, 500.0], [900.0, 1_000.0]]);
    }

    #[test]
    fn a_table_that_cannot_be_drawn_says_where() {
        assert!(table().check().is_ok());
        let spoiled = |change: fn(&mut Offsets)| {
            let mut table = table();
            change(&mut table);
            table.check().unwrap_err().field
        };
        assert_eq!(spoiled(|t| t.stations[2] = 1_000.0), "stations[2]");
        assert_eq!(spoiled(|t| t.rows[1].values.truncate(2)), "rows[1]");
        assert_eq!(spoiled(|t| t.rows[0].values[1] = Some(-4.0)), "rows[0].values[1]");
        assert_eq!(spoiled(|t| t.rows.clear()), "rows");
    }
}
