//! The rules of the job: what a boat restorer measures, computes and decides, with no interface,
//! database, file or clock in it. The same input always gives the same output.
//!
//! Read the modules in the order of the work:
//!
//! 1. [`units`]: lengths as they are typed in a yard, and [`reason`]: why a number is what it is.
//! 2. [`grid`]: frames, strakes, bays and addresses; [`hull`] makes a first grid from principal dimensions.
//! 3. [`survey`]: readings and what they mean.
//! 4. [`timber`]: species, moisture, movement, boards.
//! 5. [`repair`]: deciding, graving pieces, scarfs, butts. [`shape`]: curves and the stock they need.
//! 6. [`cutting`]: pieces onto boards and sheets. [`fastening`], [`metals`], [`seam`], [`finish`], [`work`]: putting it back
//!    together, in order.
//! 7. [`deck`], [`spar`], [`job`]: whole jobs beside the repair of a part.
//! 8. [`practice`]: schools and yard rules. [`handbook`]: the values its text states. [`caution`]: the short warnings shown
//!    beside dangerous work. [`chance`]: seeded, so that it can be repeated. [`patience`]: when a search is stopped.
//!
//! Lengths are millimetres and angles degrees unless a name says otherwise. Fallible functions return
//! [`InputError`], which names the field and says what to do.
//!
//! ```
//! use mend_keel_core::{repair::scarf, units::{parse_length, LengthUnit}};
//!
//! // A 1 in plank, 6 in wide, to be scarfed 8 to 1.
//! let thickness = parse_length("1", LengthUnit::Inch)?;
//! let width = parse_length("0-6-0", LengthUnit::Inch)?;
//! let joint = scarf::plan(thickness, width, 8.0)?;
//! assert_eq!(joint.length, 203.2);
//! assert_eq!(joint.efficiency, 0.80);
//! # Ok::<(), mend_keel_core::InputError>(())
//! ```

pub mod before;
pub mod caution;
pub mod chance;
pub mod cutting;
pub mod deck;
pub mod drill;
pub mod due;
pub mod edition;
pub mod fastening;
pub mod finish;
pub mod forecast;
pub mod geometry;
pub mod grid;
pub mod handbook;
pub mod hidden;
pub mod hull;
pub mod job;
pub mod metals;
pub mod patience;
pub mod practice;
pub mod reason;
pub mod repair;
pub mod seam;
pub mod shape;
pub mod spar;
pub mod survey;
pub mod timber;
pub mod units;
pub mod when;
pub mod work;

mod choice;
mod error;

pub use error::InputError;
pub use reason::{Reason, Verdict};
