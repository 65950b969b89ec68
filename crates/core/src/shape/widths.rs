//! Measured widths that speak against the others of their strake.

use super::fair;
use crate::grid::{Address, Shell, Side};

/// A width to take again: where, and by how much the fair line of the others misses it, mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Suspect {
    pub at: Address,
    /// Measured less fair, mm.
    pub off: f64,
}

/// Widths of one side that the fair line through the measured ones of their strake calls wrong (handbook 04).
///
/// Generated widths are no evidence and are left out; a strake with fewer than six measured widths has no suspects.
/// `tolerance` in mm, as for any fair line.
pub fn widths(shell: &Shell, side: Side, tolerance: f64) -> Vec<Suspect> {
    let mut found = Vec::new();
    for strake in 1..=shell.strake_count() {
        let measured: Vec<Address> = (1..=shell.frame_count())
            .map(|frame| Address { side, strake, frame })
            .filter(|at| shell.measured.contains(at))
            .collect();
        let points: Vec<_> = measured.iter().map(|at| [shell.frame_x(at.frame), shell.width(*at)]).collect();
        // Too few points, or frames that stand on each other: nothing can be said of them.
        let Ok(line) = fair::fit(&points, tolerance, None) else { continue };
        found.extend(line.suspects.iter().map(|i| Suspect { at: measured[*i], off: line.residuals[*i] }));
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::grid::Construction;
    use crate::grid::edit::Edit;
    use crate::hull::{Principal, generate};

    fn measured(wrong: Option<(u32, f64)>) -> Shell {
        let boat = Principal {
            construction: Construction::CarvelCaulked,
            length: 8_600.0,
            beam: 2_700.0,
            depth: 1_300.0,
            frames: 34,
            strakes: 13,
            plank_thickness: 25.0,
        };
        let mut shell = generate(&boat, 7).expect("a plain hull").shell;
        for frame in (2..=32).step_by(3) {
            let at = Address { side: Side::Port, strake: 5, frame };
            let off = wrong.filter(|(f, _)| *f == frame).map_or(0.0, |(_, off)| off);
            let mm = 150.0 + 30.0 * (f64::from(frame) / 34.0 * std::f64::consts::PI).sin() + off;
            Edit::Width { at, mm }.apply(&mut shell).expect("a width");
        }
        shell
    }

    #[test]
    fn a_width_misread_by_twelve_millimetres_is_the_one_that_is_named() {
        let found = widths(&measured(Some((17, 12.0))), Side::Port, 1.5);
        assert_eq!(found.iter().map(|s| s.at.frame).collect::<Vec<_>>(), [17]);
        assert!((found[0].off - 12.0).abs() < 1.5, "{}", found[0].off);
    }

    #[test]
    fn fair_widths_and_widths_nobody_measured_are_not_suspected() {
        assert!(widths(&measured(None), Side::Port, 1.5).is_empty());
        // To starboard nothing was measured.
        assert!(widths(&measured(Some((17, 12.0))), Side::Starboard, 1.5).is_empty());
    }
}
