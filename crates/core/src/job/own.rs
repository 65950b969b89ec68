//! Other work: tasks as somebody wrote them down, in their order.

use serde::{Deserialize, Serialize};

use super::{Rate, Steps, Told};
use crate::caution::Caution;
use crate::error::{self, InputError};
use crate::work::estimate::Operation;

/// A task somebody wrote down.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Line {
    pub what: String,
    pub operation: Operation,
    /// At even odds.
    pub hours: f64,
    /// Nothing that follows may start until so many hours after it.
    pub wait: f64,
    /// It takes two people.
    pub heavy: bool,
}

/// Other work.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Own {
    pub lines: Vec<Line>,
}

/// Most tasks of one job.
pub const MOST: usize = 60;
/// Longest a task is called.
const LONGEST: usize = 200;

impl Own {
    pub(super) fn plan(&self, rate: Rate<'_>) -> Result<Told, InputError> {
        if self.lines.is_empty() || self.lines.len() > MOST {
            return Err(InputError::new("what0", format!("write down 1 to {MOST} tasks")));
        }
        let mut steps = Steps::new(rate);
        for (i, line) in self.lines.iter().enumerate() {
            let name = line.what.trim();
            if name.is_empty() || name.chars().count() > LONGEST {
                return Err(InputError::new(
                    format!("what{i}"),
                    format!("say what is done, in {LONGEST} letters at most"),
                ));
            }
            error::positive(&format!("hours{i}"), line.hours)?;
            error::within(&format!("hours{i}"), line.hours, 0.0, 2_000.0)?;
            error::within(&format!("wait{i}"), line.wait, 0.0, 2_000.0)?;
            let heavy: &[Caution] = if line.heavy { &[Caution::Heavy] } else { &[] };
            // Hours are what was said; the amount is what the yard does in them.
            steps.add(line.operation, name, line.hours / (steps.rate)(line.operation).max(1e-9), line.wait, heavy);
        }
        Ok(Told { tasks: steps.tasks, ..Told::default() })
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use crate::job::table;

    pub(crate) fn haul() -> Own {
        let line = |what: &str, hours, wait| Line {
            what: what.into(),
            operation: Operation::Inspect,
            hours,
            wait,
            heavy: false,
        };
        Own { lines: vec![line("Clear the mast step", 2.0, 0.0), line("Wash the bilge", 3.0, 12.0)] }
    }

    #[test]
    fn hours_stay_as_they_were_said_whatever_the_yard_does_in_them() {
        for rate in [0.5, 1.0, 3.0] {
            let told = haul().plan(&|_| rate).unwrap();
            assert!((told.tasks[1].hours.p50 - 3.0).abs() < 1e-9 && told.tasks[1].wait_after == 12.0);
        }
    }

    #[test]
    fn what_is_wrong_is_told_at_its_line() {
        let mut own = haul();
        own.lines[1].hours = 0.0;
        assert_eq!(own.plan(&table).unwrap_err().field, "hours1");
        own.lines[1].what = "   ".into();
        assert_eq!(own.plan(&table).unwrap_err().field, "what1");
        assert_eq!(Own { lines: Vec::new() }.plan(&table).unwrap_err().field, "what0");
    }

    #[test]
    fn two_are_asked_for_where_it_is_heavy() {
        let mut own = haul();
        own.lines[0].heavy = true;
        assert_eq!(own.plan(&table).unwrap().tasks[0].cautions, [Caution::Heavy]);
    }
}
