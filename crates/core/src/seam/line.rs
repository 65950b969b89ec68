//! A seam of the shell: where it is, what wood moves beside it, and what the survey says of it.

use std::fmt;

use crate::choice::choices;
use crate::error::InputError;
use crate::grid::{Address, Shell, Side};
use crate::survey::reading::Filler;

use super::balance::Filling;

/// A seam of a side. Row 0 lies between keel and garboard, row `s` between strakes `s` and `s + 1`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct SeamAt {
    pub side: Side,
    pub row: u32,
}

impl fmt::Display for SeamAt {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}{}", self.side.letter().to_ascii_lowercase(), self.row)
    }
}

impl SeamAt {
    /// Reads `p3`: port, between strakes 3 and 4. Errors name `seam`.
    pub fn parse(text: &str, shell: &Shell) -> Result<Self, InputError> {
        let refuse = || {
            InputError::new(
                "seam",
                format!("seams go from 0 to {} on each side", shell.strake_count().saturating_sub(1)),
            )
        };
        let mut chars = text.chars();
        let side = match chars.next() {
            Some('p') => Side::Port,
            Some('s') => Side::Starboard,
            _ => return Err(refuse()),
        };
        let row: u32 = chars.as_str().parse().map_err(|_| refuse())?;
        if row >= shell.strake_count() { Err(refuse()) } else { Ok(Self { side, row }) }
    }

    /// Every seam of a shell, port first, from the keel up.
    pub fn all(shell: &Shell) -> impl Iterator<Item = Self> {
        let rows = shell.strake_count();
        Side::BOTH.into_iter().flat_map(move |side| (0..rows).map(move |row| Self { side, row }))
    }

    /// The seam a place on the shell lies nearest to: low on its strake the one below, high the one above. `y` in mm up from the
    /// strake's lower edge; the place must lie on the shell.
    pub fn near(shell: &Shell, at: Address, y: f64) -> Self {
        let above = y > shell.width(at) / 2.0 && at.strake < shell.strake_count();
        Self { side: at.side, row: if above { at.strake } else { at.strake - 1 } }
    }

    /// Whether a strake of this side has this seam as one of its edges.
    pub fn borders(self, side: Side, strake: u32) -> bool {
        side == self.side && (strake == self.row || strake == self.row + 1)
    }

    /// Width of wood whose movement comes to this seam, mm: half of each strake beside it, each at its widest. The keel does not
    /// count: it is wet all its life.
    pub fn wood(self, shell: &Shell) -> f64 {
        let widest = |strake: u32| shell.widest(self.side, strake, 1, shell.frame_count());
        let below = if self.row > 0 { widest(self.row) } else { 0.0 };
        (below + widest(self.row + 1)) / 2.0
    }
}

/// One thing seen at a seam.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Seen {
    /// A feeler: width in mm, and what fills it.
    Feeler(f64, Filler),
    /// Moisture of the wood beside it, %.
    Moisture(f64),
    /// A finding says it is open.
    Open,
    /// A finding says the planking buckles here.
    Buckled,
}

/// What is known of a seam. The worst that was found of its filling counts for all of it.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct State {
    /// Mean of the feelers, mm.
    pub width: Option<f64>,
    pub filling: Option<Filling>,
    /// Mean, %.
    pub moisture: Option<f64>,
    /// Findings of an open seam, and of buckled planking.
    pub open: usize,
    pub buckled: usize,
}

pub fn state(seen: &[Seen]) -> State {
    let mean = |values: Vec<f64>| (!values.is_empty()).then(|| values.iter().sum::<f64>() / values.len() as f64);
    let mut fillings = Vec::new();
    let (mut widths, mut wet) = (Vec::new(), Vec::new());
    let mut state = State::default();
    for one in seen {
        match one {
            Seen::Feeler(width, filler) => {
                widths.push(*width);
                fillings.push(match filler {
                    Filler::Hard => Filling::Rigid,
                    Filler::Missing => Filling::Empty,
                    _ => Filling::SoftOverCotton,
                });
            }
            Seen::Moisture(percent) => wet.push(*percent),
            Seen::Open => state.open += 1,
            Seen::Buckled => state.buckled += 1,
        }
    }
    let worst = [Filling::Rigid, Filling::Empty, Filling::SoftOverCotton];
    state.filling = worst.into_iter().find(|f| fillings.contains(f)).or((state.open > 0).then_some(Filling::Empty));
    state.width = mean(widths);
    state.moisture = mean(wet);
    state
}

choices! {
    /// Where caulking begins. The trade has both schools.
    CaulkOrder {
        GarboardLast = "garboard_last", "From the sheer down, the garboards last";
        KeelUp = "keel_up", "From the keel up";
    }
}

impl CaulkOrder {
    /// The rows of a side in the order they are caulked.
    pub fn rows(self, count: u32) -> Vec<u32> {
        match self {
            Self::GarboardLast => (0..count).rev().collect(),
            Self::KeelUp => (0..count).collect(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn shell() -> Shell {
        Shell::new(vec![0.0, 300.0, 600.0], (0..=4).map(|s| vec![f64::from(s) * 120.0; 3]).collect())
    }

    #[test]
    fn every_strake_has_a_seam_below_it_and_the_wood_adds_up_but_for_the_free_half_of_the_sheer() {
        let shell = shell();
        let all: Vec<SeamAt> = SeamAt::all(&shell).collect();
        assert_eq!((all.len(), all[0].to_string(), all[7].to_string()), (8, "p0".to_owned(), "s3".to_owned()));
        for seam in &all {
            assert_eq!(SeamAt::parse(&seam.to_string(), &shell).unwrap(), *seam);
        }
        let port: f64 = all.iter().filter(|s| s.side == Side::Port).map(|s| s.wood(&shell)).sum();
        assert_eq!(port, 4.0 * 120.0 - 60.0);
        for bad in ["p4", "x0", "p", "", "p-1", "pé"] {
            assert_eq!(SeamAt::parse(bad, &shell).unwrap_err().field, "seam", "{bad}");
        }
    }

    #[test]
    fn a_place_low_on_a_strake_is_the_seam_below_it() {
        let at = Address { side: Side::Starboard, strake: 2, frame: 1 };
        assert_eq!(SeamAt::near(&shell(), at, 10.0).row, 1);
        assert_eq!(SeamAt::near(&shell(), at, 100.0).row, 2);
        assert_eq!(SeamAt::near(&shell(), Address { strake: 4, ..at }, 119.0).row, 3, "the sheer is no seam");
        assert!(SeamAt { side: Side::Port, row: 0 }.borders(Side::Port, 1));
    }

    #[test]
    fn the_worst_filling_found_counts_for_the_seam() {
        let seen = [Seen::Feeler(2.0, Filler::Soft), Seen::Feeler(3.0, Filler::Hard), Seen::Moisture(14.0), Seen::Open];
        let state = state(&seen);
        assert_eq!(
            (state.width, state.filling, state.moisture, state.open),
            (Some(2.5), Some(Filling::Rigid), Some(14.0), 1)
        );
        assert_eq!(super::state(&[Seen::Open]).filling, Some(Filling::Empty));
        assert_eq!(super::state(&[]), State::default());
    }

    #[test]
    fn both_orders_reach_every_seam_once() {
        assert_eq!(CaulkOrder::GarboardLast.rows(4), [3, 2, 1, 0]);
        assert_eq!(CaulkOrder::KeelUp.rows(4), [0, 1, 2, 3]);
    }
}
