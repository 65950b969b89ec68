//! The door: signing in, and what a device keeps of us.

pub mod device;
pub mod sign_in;
