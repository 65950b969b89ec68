//! Correcting a grid after it was made: frames and strakes added or taken out, widths and spacing as measured.
//!
//! An edit says both what becomes of the shell and where every old place and joint is afterwards, so that what
//! was found there stays where it was found.

use std::collections::BTreeSet;

use serde::{Deserialize, Serialize};

use crate::error::{self, InputError};
use crate::grid::{Address, Shell, Side};
use crate::hull::{MAX_FRAMES, MAX_STRAKES, MIN_FRAMES, MIN_STRAKES};

/// One correction.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Edit {
    /// A strake's width at a frame, mm, as measured; the strakes above move with it.
    Width { at: Address, mm: f64 },
    /// Distance of a frame from the one before it, mm, as measured; the frames aft move with it.
    Spacing { frame: u32, mm: f64 },
    /// A frame that was missed, in the bay aft of this frame.
    AddFrame { after: u32 },
    /// A frame that is not there.
    RemoveFrame { frame: u32 },
    /// A strake that was missed, above this one, which gives it half its width.
    AddStrake { above: u32 },
    /// A strake that is not there; the one below (above, for the garboard) takes its width.
    RemoveStrake { strake: u32 },
}

/// Narrowest and widest strake taken, mm.
const WIDTHS: (f64, f64) = (5.0, 3_000.0);
/// Closest and farthest frames taken, mm.
const SPACINGS: (f64, f64) = (40.0, 3_000.0);

impl Edit {
    /// Where a seam is afterwards, by the edge row it lies on (0 between keel and garboard); `None` when it is gone.
    pub fn seam(&self, row: u32) -> Option<u32> {
        match *self {
            Self::AddStrake { above } if row >= above => Some(row + 1),
            Self::RemoveStrake { strake } => {
                let gone = if strake == 1 { 1 } else { strake - 1 };
                match row.cmp(&gone) {
                    std::cmp::Ordering::Less => Some(row),
                    std::cmp::Ordering::Equal => None,
                    std::cmp::Ordering::Greater => Some(row - 1),
                }
            }
            _ => Some(row),
        }
    }

    /// Makes the correction. Errors name `width`, `spacing`, `frame` or `strake`; the shell is then unchanged.
    pub fn apply(&self, shell: &mut Shell) -> Result<(), InputError> {
        let (frames, strakes) = (shell.frame_count(), shell.strake_count());
        match *self {
            Self::Width { at, mm } => {
                shell.place(at)?;
                error::within("width", mm, WIDTHS.0, WIDTHS.1)?;
                set_width(shell, at, mm);
                shell.measured.insert(at);
            }
            Self::Spacing { frame, mm } => {
                if frame < 2 || frame > frames {
                    return Err(InputError::new("frame", format!("frames with one before them go from 2 to {frames}")));
                }
                error::within("spacing", mm, SPACINGS.0, SPACINGS.1)?;
                let at = frame as usize - 1;
                let shift = mm - (shell.frames[at] - shell.frames[at - 1]);
                shell.frames[at..].iter_mut().for_each(|x| *x += shift);
                shell.measured_frames.insert(frame);
            }
            Self::AddFrame { after } => {
                if after < 1 || after >= frames {
                    return Err(InputError::new("frame", format!("bays go from 1 to {}", frames - 1)));
                }
                if frames >= MAX_FRAMES {
                    return Err(InputError::new("frame", format!("a boat takes no more than {MAX_FRAMES} frames")));
                }
                let at = after as usize;
                let middle = (shell.frames[at - 1] + shell.frames[at]) / 2.0;
                shell.frames.insert(at, middle);
                for edges in sides(shell) {
                    for row in edges {
                        row.insert(at, (row[at - 1] + row[at]) / 2.0);
                    }
                }
                self.carry_measured(shell);
            }
            Self::RemoveFrame { frame } => {
                if frame < 2 || frame >= frames {
                    return Err(InputError::new(
                        "frame",
                        format!("a frame between the ends can be taken out: 2 to {}", frames - 1),
                    ));
                }
                if frames <= MIN_FRAMES {
                    return Err(InputError::new("frame", format!("a boat needs at least {MIN_FRAMES} frames")));
                }
                shell.measured.retain(|at| at.frame != frame);
                shell.measured_frames.remove(&frame);
                shell.frames.remove(frame as usize - 1);
                for edges in sides(shell) {
                    for row in edges {
                        row.remove(frame as usize - 1);
                    }
                }
                self.carry_measured(shell);
            }
            Self::AddStrake { above } => {
                if above < 1 || above > strakes {
                    return Err(InputError::new("strake", format!("strakes go from 1 to {strakes}")));
                }
                if strakes >= MAX_STRAKES {
                    return Err(InputError::new("strake", format!("a side takes no more than {MAX_STRAKES} strakes")));
                }
                let row = above as usize;
                // Half of a measured width is measured no longer.
                shell.measured.retain(|at| at.strake != above);
                for edges in sides(shell) {
                    let between = edges[row - 1].iter().zip(&edges[row]).map(|(a, b)| (a + b) / 2.0).collect();
                    edges.insert(row, between);
                }
                self.carry_measured(shell);
            }
            Self::RemoveStrake { strake } => {
                if strake < 1 || strake > strakes {
                    return Err(InputError::new("strake", format!("strakes go from 1 to {strakes}")));
                }
                if strakes <= MIN_STRAKES {
                    return Err(InputError::new("strake", format!("a side needs at least {MIN_STRAKES} strakes")));
                }
                let grown = if strake == 1 { 2 } else { strake - 1 };
                shell.measured.retain(|at| at.strake != strake && at.strake != grown);
                // The edge between the two goes: the garboard's upper, any other's lower.
                let edge = if strake == 1 { 1 } else { strake as usize - 1 };
                for edges in sides(shell) {
                    edges.remove(edge);
                }
                self.carry_measured(shell);
            }
        }
        Ok(())
    }

    /// Where an old place is afterwards. A place on a strake taken out is on the one that took its width.
    pub fn address(&self, at: Address) -> Address {
        let mut moved = at;
        match *self {
            Self::AddFrame { after } if at.frame > after => moved.frame += 1,
            Self::RemoveFrame { frame } if at.frame >= frame => moved.frame -= 1,
            Self::AddStrake { above } if at.strake > above => moved.strake += 1,
            Self::RemoveStrake { strake } if at.strake >= strake && at.strake > 1 => moved.strake -= 1,
            _ => {}
        }
        moved
    }

    /// Where a joint's bay is afterwards; a joint in a bay that is divided stays in its fore half.
    pub fn bay(&self, bay: u32) -> u32 {
        match *self {
            Self::AddFrame { after } if bay > after => bay + 1,
            Self::RemoveFrame { frame } if bay >= frame => bay - 1,
            _ => bay,
        }
    }

    /// Whether places are numbered anew.
    pub fn renumbers(&self) -> bool {
        !matches!(self, Self::Width { .. } | Self::Spacing { .. })
    }

    fn carry_measured(&self, shell: &mut Shell) {
        shell.measured = shell.measured.iter().map(|at| self.address(*at)).collect();
        let frames: BTreeSet<u32> = shell
            .measured_frames
            .iter()
            .map(|frame| self.address(Address { side: Side::Port, strake: 1, frame: *frame }).frame)
            .collect();
        shell.measured_frames = frames;
    }
}

fn sides(shell: &mut Shell) -> impl Iterator<Item = &mut Vec<Vec<f64>>> {
    std::iter::once(&mut shell.edges).chain(shell.starboard.as_mut())
}

/// Sets a width on one side only: a side measured apart gets edges of its own.
fn set_width(shell: &mut Shell, at: Address, mm: f64) {
    let change = mm - shell.width(at);
    if shell.starboard.is_none() {
        shell.starboard = Some(shell.edges.clone());
    }
    let edges = match at.side {
        Side::Port => &mut shell.edges,
        Side::Starboard => shell.starboard.get_or_insert_default(),
    };
    for row in &mut edges[at.strake as usize..] {
        row[at.frame as usize - 1] += change;
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::grid::Construction;
    use crate::hull::{Principal, generate};

    fn shell() -> Shell {
        let boat = Principal {
            construction: Construction::CarvelCaulked,
            length: 7_000.0,
            beam: 2_200.0,
            depth: 1_100.0,
            frames: 20,
            strakes: 9,
            plank_thickness: 22.0,
        };
        generate(&boat, 3).unwrap().shell
    }

    fn at(strake: u32, frame: u32) -> Address {
        Address { side: Side::Port, strake, frame }
    }

    #[test]
    fn a_measured_width_replaces_one_cell_of_one_side() {
        let (before, mut after) = (shell(), shell());
        Edit::Width { at: at(4, 7), mm: 151.0 }.apply(&mut after).unwrap();
        assert!((after.width(at(4, 7)) - 151.0).abs() < 1e-9);
        for (strake, frame) in [(3, 7), (5, 7), (4, 6), (9, 7)] {
            assert!((after.width(at(strake, frame)) - before.width(at(strake, frame))).abs() < 1e-9);
        }
        let opposite = Address { side: Side::Starboard, ..at(4, 7) };
        assert_eq!(after.width(opposite), before.width(opposite), "the other side was not measured");
        assert_eq!(after.measured.iter().copied().collect::<Vec<_>>(), [at(4, 7)]);
    }

    #[test]
    fn impossible_corrections_are_refused_and_change_nothing() {
        let whole = shell();
        for (edit, field) in [
            (Edit::Width { at: at(10, 7), mm: 100.0 }, "strake"),
            (Edit::Width { at: at(4, 7), mm: -3.0 }, "width"),
            (Edit::Width { at: at(4, 7), mm: f64::NAN }, "width"),
            (Edit::Spacing { frame: 1, mm: 300.0 }, "frame"),
            (Edit::Spacing { frame: 3, mm: 0.0 }, "spacing"),
            (Edit::AddFrame { after: 20 }, "frame"),
            (Edit::RemoveFrame { frame: 1 }, "frame"),
            (Edit::AddStrake { above: 0 }, "strake"),
            (Edit::RemoveStrake { strake: 10 }, "strake"),
        ] {
            let mut changed = whole.clone();
            assert_eq!(edit.apply(&mut changed).unwrap_err().field, field, "{edit:?}");
            assert_eq!(changed, whole);
        }
    }

    #[test]
    fn a_seam_stays_between_its_strakes() {
        let add = Edit::AddStrake { above: 3 };
        assert_eq!([0, 2, 3, 4].map(|row| add.seam(row)), [Some(0), Some(2), Some(4), Some(5)]);
        let out = Edit::RemoveStrake { strake: 4 };
        assert_eq!([0, 2, 3, 4].map(|row| out.seam(row)), [Some(0), Some(2), None, Some(3)]);
        let garboard = Edit::RemoveStrake { strake: 1 };
        assert_eq!([0, 1, 2].map(|row| garboard.seam(row)), [Some(0), None, Some(1)]);
        assert_eq!(Edit::AddFrame { after: 3 }.seam(5), Some(5));
    }

    proptest! {
        #[test]
        fn adding_and_taking_out_the_same_frame_or_strake_gives_the_shell_back(n in 1u32..19, s in 1u32..9) {
            let whole = shell();
            let mut changed = whole.clone();
            Edit::AddFrame { after: n }.apply(&mut changed).unwrap();
            prop_assert_eq!(changed.frame_count(), 21);
            Edit::RemoveFrame { frame: n + 1 }.apply(&mut changed).unwrap();
            Edit::AddStrake { above: s }.apply(&mut changed).unwrap();
            Edit::RemoveStrake { strake: s + 1 }.apply(&mut changed).unwrap();
            prop_assert_eq!(changed, whole);
        }

        #[test]
        fn every_place_stays_on_the_boat_and_keeps_its_wood(n in 2u32..19, s in 1u32..=9, frame in 1u32..=20, strake in 1u32..=9) {
            for edit in [Edit::AddFrame { after: n }, Edit::RemoveFrame { frame: n }, Edit::AddStrake { above: s }, Edit::RemoveStrake { strake: s }] {
                let (before, mut after) = (shell(), shell());
                edit.apply(&mut after).unwrap();
                let moved = edit.address(at(strake, frame));
                prop_assert!(after.place(moved).is_ok(), "{edit:?}");
                if !matches!(edit, Edit::RemoveFrame { frame: gone } if gone == frame) {
                    prop_assert_eq!(after.frame_x(moved.frame), before.frame_x(frame));
                }
            }
        }
    }
}
