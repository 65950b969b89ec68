//! Repairs: which one, its outline, its joints.

pub mod butts;
pub mod decide;
pub mod gluing;
pub mod graving;
pub mod resin;
pub mod scarf;
pub mod scarf_run;
pub mod way;
