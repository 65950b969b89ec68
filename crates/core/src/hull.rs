//! A first grid in a minute: a plausible shell from principal dimensions, to be replaced by measurements.
//!
//! Sections are superellipses between keel and sheer; strakes share each section's girth so that the
//! garboard is broad, the bilge strakes narrow and every strake tapers to stem and stern. It is a
//! starting grid to survey on, not a lines plan.

use std::f64::consts::FRAC_PI_2;

use crate::chance::Chance;
use crate::error::{self, InputError};
use crate::grid::{Construction, Joint, Shell, Side};
use crate::repair::butts::{self, Rule};

/// What a boat is generated from. Lengths in mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Principal {
    pub construction: Construction,
    pub length: f64,
    pub beam: f64,
    /// Depth of hull amidships, keel rabbet to sheer.
    pub depth: f64,
    pub frames: u32,
    pub strakes: u32,
    pub plank_thickness: f64,
}

/// The longest plank the generator hangs, mm: what merchants usually had.
const LONGEST_PLANK_MM: f64 = 4_800.0;
/// Largest random departure of a strake's width from its even share.
const WIDTH_SCATTER: f64 = 0.04;

pub const MIN_FRAMES: u32 = 4;
pub const MAX_FRAMES: u32 = 120;
pub const MIN_STRAKES: u32 = 2;
pub const MAX_STRAKES: u32 = 40;

impl Principal {
    /// Checks every dimension. Errors name the field; all of them are found, not only the first.
    pub fn check(&self) -> Result<(), Vec<InputError>> {
        let count = |field: &str, value: u32, low: u32, high: u32| {
            error::within(field, f64::from(value), f64::from(low), f64::from(high)).map(|_| ())
        };
        let mut errors: Vec<InputError> = [
            size("length", self.length, 1_500.0, 60_000.0),
            size("beam", self.beam, 400.0, 15_000.0),
            size("depth", self.depth, 150.0, 8_000.0),
            size("plank_thickness", self.plank_thickness, 3.0, 120.0),
            count("frames", self.frames, MIN_FRAMES, MAX_FRAMES),
            count("strakes", self.strakes, MIN_STRAKES, MAX_STRAKES),
        ]
        .into_iter()
        .filter_map(Result::err)
        .collect();
        if errors.is_empty() && self.beam > self.length {
            errors.push(InputError::new("beam", "must not be more than the length"));
        }
        if errors.is_empty() { Ok(()) } else { Err(errors) }
    }
}

fn size(field: &str, mm: f64, low: f64, high: f64) -> Result<(), InputError> {
    error::positive(field, mm)?;
    if mm < low || mm > high {
        return Err(InputError::new(field, format!("must be between {} and {}", metres(low), metres(high))));
    }
    Ok(())
}

fn metres(mm: f64) -> String {
    if mm >= 1000.0 { format!("{} m", mm / 1000.0) } else { format!("{mm} mm") }
}

/// A generated shell: the same for both sides, and the butts of each side.
#[derive(Debug, Clone, PartialEq)]
pub struct Generated {
    pub shell: Shell,
    pub joints: Vec<Joint>,
}

/// Generates a shell and its planking. The same dimensions and seed give the same boat.
pub fn generate(boat: &Principal, seed: u64) -> Result<Generated, Vec<InputError>> {
    boat.check()?;
    let mut random = Chance::seeded(seed);
    let last = boat.frames - 1;
    // The stem and sternpost rake, so frames cover a little less than the length over all.
    let frames: Vec<f64> = (0..=last).map(|f| boat.length * 0.94 * f64::from(f) / f64::from(last)).collect();
    let girths: Vec<f64> = (0..=last).map(|f| half_girth(boat, f64::from(f) / f64::from(last))).collect();
    let shares = strake_shares(boat.strakes, &mut random);
    let edges = std::iter::once(0.0)
        .chain(shares.iter().scan(0.0, |sum, share| {
            *sum += share;
            Some(*sum)
        }))
        .map(|share| girths.iter().map(|girth| girth * share).collect())
        .collect();
    let shell = Shell::new(frames, edges);
    let joints = match boat.construction {
        Construction::PlywoodFramed | Construction::PlywoodTaped => sheet_joints(&shell),
        _ if planked_in_one_length(boat) => Vec::new(),
        _ => lay_out_joints(&shell, &mut random),
    };
    Ok(Generated { shell, joints })
}

fn planked_in_one_length(boat: &Principal) -> bool {
    boat.length * 0.94 <= LONGEST_PLANK_MM
        || matches!(boat.construction, Construction::Strip | Construction::ColdMoulded)
}

/// Length of a sheet of plywood, mm.
const SHEET_LENGTH_MM: f64 = 2_440.0;

/// Panels of plywood are joined where the sheets end, those of neighbouring panels half a sheet apart.
fn sheet_joints(shell: &Shell) -> Vec<Joint> {
    let mut joints = Vec::new();
    for side in Side::BOTH {
        for strake in 1..=shell.strake_count() {
            let mut x = if strake % 2 == 0 { SHEET_LENGTH_MM / 2.0 } else { SHEET_LENGTH_MM };
            while x < shell.length() - SHEET_LENGTH_MM / 4.0 {
                let bay = shell.frames.partition_point(|f| *f <= x) as u32;
                if bay >= 1 && bay < shell.frame_count() {
                    joints.push(Joint { side, strake, bay });
                }
                x += SHEET_LENGTH_MM;
            }
        }
    }
    joints
}

/// Fullness 0 … 1 at a share of the length: fullest a little abaft the middle; the stern keeps more breadth than
/// the stem.
fn fullness(along: f64) -> f64 {
    if along < 0.55 { (FRAC_PI_2 * along / 0.55).sin() } else { (FRAC_PI_2 * (1.45 - along) / 0.9).sin() }
}

/// Half-breadth at the sheer of the generated hull, mm, at a share 0 (stem) … 1 (stern) of the length.
pub fn half_breadth(beam: f64, along: f64) -> f64 {
    beam / 2.0 * (0.12 + 0.88 * fullness(along.clamp(0.0, 1.0)).powf(0.8))
}

/// Half-girth of a section, keel to sheer, at a share 0 (stem) … 1 (stern) of the length.
fn half_girth(boat: &Principal, along: f64) -> f64 {
    let fullness = fullness(along);
    let half_beam = half_breadth(boat.beam, along);
    let sheer_spring = 1.0 + 0.12 * (2.0 * along - 1.0).powi(2);
    let depth = boat.depth * sheer_spring * (0.60 + 0.40 * fullness);
    let mut girth = 0.0;
    let mut previous = section_point(half_beam, depth, 0.0);
    const STEPS: u32 = 48;
    for step in 1..=STEPS {
        let next = section_point(half_beam, depth, f64::from(step) / f64::from(STEPS));
        girth += (next[0] - previous[0]).hypot(next[1] - previous[1]);
        previous = next;
    }
    girth
}

/// Half-breadth and height on a section, from the keel (0) to the sheer (1).
fn section_point(half_beam: f64, depth: f64, t: f64) -> [f64; 2] {
    const BILGE: f64 = 0.75; // below 1: harder bilge than an ellipse
    let angle = t * FRAC_PI_2;
    [half_beam * angle.sin().powf(BILGE), depth * (1.0 - angle.cos().powf(BILGE))]
}

/// Share of the girth of each strake, keel to sheer, adding up to 1.
fn strake_shares(strakes: u32, random: &mut Chance) -> Vec<f64> {
    let mut shares: Vec<f64> = (0..strakes)
        .map(|s| {
            let up = (f64::from(s) + 0.5) / f64::from(strakes);
            let broad_garboard = if s == 0 { 0.25 } else { 0.0 };
            let narrow_bilge = -0.22 * (-((up - 0.5) / 0.18).powi(2)).exp();
            1.0 + broad_garboard + narrow_bilge + WIDTH_SCATTER * (2.0 * random.unit() - 1.0)
        })
        .collect();
    let sum: f64 = shares.iter().sum();
    shares.iter_mut().for_each(|share| *share /= sum);
    shares
}

/// Butts from the keel up, each as far aft as the longest plank reaches unless the wide rule (or, failing
/// that, the close one) asks for a shift.
fn lay_out_joints(shell: &Shell, random: &mut Chance) -> Vec<Joint> {
    let bays = shell.frame_count() - 1;
    let longest = ((LONGEST_PLANK_MM / shell.frame_space()).floor() as u32).max(butts::WIDE.min_piece);
    let mut joints: Vec<Joint> = Vec::new();
    for side in Side::BOTH {
        for strake in 1..=shell.strake_count() {
            let mut at = random.below(butts::WIDE.min_piece);
            while bays.saturating_sub(at) > longest {
                let wanted: Vec<u32> = (at + butts::WIDE.min_piece..=at + longest)
                    .rev()
                    .filter(|bay| bays.saturating_sub(*bay) >= butts::WIDE.min_piece)
                    .collect();
                let fits = |rule: &Rule, bay: u32| {
                    let candidate = Joint { side, strake, bay };
                    joints.iter().all(|other| butts::conflict(rule, candidate, *other).is_none())
                };
                let bay = [&butts::WIDE, &butts::CLOSE]
                    .into_iter()
                    .find_map(|rule| wanted.iter().copied().find(|bay| fits(rule, *bay)))
                    .or_else(|| wanted.first().copied());
                let Some(bay) = bay else { break };
                joints.push(Joint { side, strake, bay });
                at = bay;
            }
        }
    }
    joints.sort();
    joints
}

/// Whether a shell that comes from elsewhere is one at all: frames that rise, and a girth for every strake at each of them that does not
/// fall on the way up to the sheer. Errors name `frames` or `edges`.
pub fn check(shell: &Shell) -> Result<(), InputError> {
    let frames = shell.frames.len();
    let fits = |count: usize, low: u32, high: u32| (low as usize..=high as usize).contains(&count);
    let sound = |line: &[f64]| line.iter().all(|v| (0.0..=error::LENGTH_LIMIT_MM).contains(v));
    let rises = sound(&shell.frames) && shell.frames.windows(2).all(|pair| pair[0] < pair[1]);
    if !fits(frames, MIN_FRAMES, MAX_FRAMES) || !rises {
        return Err(InputError::new("frames", "must be places that rise from frame to frame"));
    }
    for edges in std::iter::once(&shell.edges).chain(&shell.starboard) {
        let whole = edges.iter().all(|row| row.len() == frames && sound(row));
        let falls = edges.windows(2).any(|pair| pair[0].iter().zip(&pair[1]).any(|(low, high)| low > high));
        let strakes = edges.len().saturating_sub(1);
        if !fits(strakes, MIN_STRAKES, MAX_STRAKES) || edges.len() != shell.edges.len() || !whole || falls {
            return Err(InputError::new("edges", "must be a girth for each strake at each frame, rising to the sheer"));
        }
    }
    if shell.measured.iter().any(|at| shell.place(*at).is_err()) {
        return Err(InputError::new("edges", "says that a width was measured where there is no strake"));
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::grid::Address;

    fn pilot_boat() -> Principal {
        Principal {
            construction: Construction::CarvelCaulked,
            length: 8_600.0,
            beam: 2_700.0,
            depth: 1_500.0,
            frames: 34,
            strakes: 13,
            plank_thickness: 25.0,
        }
    }

    #[test]
    fn the_same_seed_gives_the_same_boat() {
        assert_eq!(generate(&pilot_boat(), 7), generate(&pilot_boat(), 7));
        assert_ne!(generate(&pilot_boat(), 7).unwrap().shell, generate(&pilot_boat(), 8).unwrap().shell);
    }

    #[test]
    fn strakes_taper_to_stem_and_stern() {
        let shell = generate(&pilot_boat(), 1).unwrap().shell;
        for strake in 1..=13 {
            let width = |frame| shell.width(Address { side: Side::Port, strake, frame });
            assert!(width(18) > width(1) && width(18) > width(34), "strake {strake}");
            assert!((80.0..260.0).contains(&width(18)), "strake {strake} is {} wide amidships", width(18));
        }
    }

    #[test]
    fn a_new_carvel_boat_breaks_no_butt_rule() {
        let joints = generate(&pilot_boat(), 1).unwrap().joints;
        assert!(joints.len() >= 26, "an 8 m strake takes at least one butt");
        assert_eq!(butts::check(&butts::WIDE, &joints), vec![]);
    }

    #[test]
    fn every_bad_dimension_is_named() {
        let bad = Principal { length: -1.0, beam: f64::NAN, frames: 0, ..pilot_boat() };
        let fields: Vec<String> = bad.check().unwrap_err().into_iter().map(|e| e.field).collect();
        assert_eq!(fields, ["length", "beam", "frames"]);
    }

    proptest! {
        #[test]
        fn any_boat_in_range_has_positive_widths_everywhere(
            length in 1_500.0..60_000.0f64, beam in 0.15..0.9f64, depth in 150.0..8_000.0f64,
            frames in MIN_FRAMES..=MAX_FRAMES, strakes in MIN_STRAKES..=MAX_STRAKES, seed: u64,
        ) {
            let boat = Principal { length, beam: (length * beam).clamp(400.0, 15_000.0).min(length), depth, frames, strakes, ..pilot_boat() };
            let made = generate(&boat, seed).unwrap();
            for strake in 1..=strakes {
                for frame in 1..=frames {
                    let at = Address { side: Side::Port, strake, frame };
                    prop_assert!(made.shell.width(at) > 0.0);
                }
            }
            let on_boat = made.joints.iter().all(|j| j.bay >= 1 && j.bay < frames && j.strake >= 1 && j.strake <= strakes);
            prop_assert!(on_boat);
        }
    }

    #[test]
    fn a_shell_from_elsewhere_is_looked_through() {
        let whole = Shell::new(
            (0..5).map(|f| 500.0 * f64::from(f)).collect(),
            (0..4).map(|s| vec![100.0 * f64::from(s); 5]).collect(),
        );
        assert_eq!(check(&whole), Ok(()));
        let field = |change: &dyn Fn(&mut Shell)| {
            let mut shell = whole.clone();
            change(&mut shell);
            check(&shell).unwrap_err().field
        };
        assert_eq!(field(&|s| s.frames.truncate(3)), "frames");
        assert_eq!(field(&|s| s.frames[2] = 500.0), "frames");
        assert_eq!(field(&|s| s.frames[4] = 1e300), "frames");
        assert_eq!(field(&|s| s.frames[1] = f64::NAN), "frames");
        assert_eq!(field(&|s| s.edges[1].truncate(4)), "edges");
        assert_eq!(field(&|s| s.edges.truncate(2)), "edges");
        assert_eq!(field(&|s| s.edges[2][3] = 50.0), "edges");
        assert_eq!(field(&|s| s.starboard = Some(vec![vec![0.0; 5]; 3])), "edges");
        let off = Address { side: Side::Port, strake: 9, frame: 1 };
        assert_eq!(
            field(&|s| {
                s.measured.insert(off);
            }),
            "edges"
        );
        // A strake that runs out to nothing is one.
        let mut runs_out = whole.clone();
        runs_out.edges[2][4] = runs_out.edges[1][4];
        assert_eq!(check(&runs_out), Ok(()));
    }
}
