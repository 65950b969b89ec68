//! What the yard has learned of each operation from the hours it logged.

use std::collections::BTreeMap;

use mend_keel_core::work::estimate::{Learned, Logged, Operation};
use mend_keel_core::work::tasks::Task;
use mend_keel_store::{Store, StoreError, tasks};

/// Its rates: the table's, pulled by what was logged; and the jobs behind them.
#[derive(Debug)]
pub struct YardRates {
    pub rates: BTreeMap<Operation, Learned>,
    /// P80 as it was reckoned, and hours as booked, of each job done.
    pub jobs: Vec<(f64, f64)>,
}

impl YardRates {
    pub async fn load(store: &Store) -> Result<Self, StoreError> {
        let done = tasks::done_jobs(store).await?;
        let rates = Operation::ALL.iter().filter_map(|op| {
            let of = done.iter().filter(|job| job.operation == *op);
            let logged = of.map(|job| Logged { amount: job.amount, hours: job.hours });
            Some((*op, Learned::of(op.rate().0, logged).ok()?))
        });
        Ok(Self { rates: rates.collect(), jobs: done.iter().map(|job| (job.p80, job.hours)).collect() })
    }

    /// Hours per unit at even odds.
    pub fn rate(&self, op: Operation) -> f64 {
        self.rates.get(&op).map_or(op.rate().0, Learned::rate)
    }

    /// Tasks with their hours as the yard knows them; twice as wide where it did fewer than three of a kind.
    pub fn reckoned(&self, tasks: &[Task]) -> Vec<Task> {
        let hours = |t: &Task| self.rates.get(&t.operation)?.hours(t.amount, true).ok();
        let one = |t: &Task| Task { hours: hours(t).unwrap_or(t.hours), ..t.clone() };
        tasks.iter().map(one).collect()
    }
}
