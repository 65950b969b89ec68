//! Cutting: pieces laid out on boards so that a saw can follow, and parts nested on sheets.

pub mod boards;
pub mod layout;
pub mod sheets;

/// Asked now and then while a plan is searched, with how far it has come: `None` stops it, else the share of the time allowed that
/// has gone, 0–1 (0 where only the work is bounded). Towards the end only what is better is taken.
pub type GoOn<'a> = &'a mut dyn FnMut(Progress) -> Option<f64>;

/// How far a search has come.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Progress {
    /// Share of the work allowed that is done, 0–1.
    pub share: f64,
    /// Pieces placed in the best plan so far.
    pub placed: usize,
    /// What the best plan so far costs: the stock it opens, or the sheets it needs.
    pub cost: f64,
}
