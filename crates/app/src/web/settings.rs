//! What every route may need to know of how the program was started.

use mend_keel_core::units::LengthUnit;

use crate::web::folder::DataFolder;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mode {
    /// Nothing without signing in.
    Serve,
    /// The demo yard's owner is signed in by itself; loopback only.
    Demo,
}

/// What every route may need to know.
#[derive(Debug)]
pub struct Settings {
    pub mode: Mode,
    pub folder: DataFolder,
}

/// The unit a yard's code stands for.
pub fn yard_unit(code: &str) -> LengthUnit {
    if code == "in" { LengthUnit::Inch } else { LengthUnit::Millimetre }
}
