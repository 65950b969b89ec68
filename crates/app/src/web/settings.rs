//! What every route may need to know of how the program was started.

use mend_keel_core::units::LengthUnit;

use crate::web::folder::DataFolder;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mode {
    /// Nothing without signing in.
    Serve,
    /// The demo yard's owner is signed in by itself; loopback only.
    Demo,
    /// The same with practice hulls in place of boats: what is asked of them is answered from a truth nobody sees.
    Practise,
}

/// What every route may need to know.
#[derive(Debug)]
pub struct Settings {
    pub mode: Mode,
    pub folder: DataFolder,
    /// Names it is asked under beside this machine's own.
    pub hosts: Vec<String>,
    /// TLS is in front of it: cookies go over TLS only.
    pub tls_in_front: bool,
    /// Largest photo that is unpacked, megapixels.
    pub megapixels: u32,
}

impl Settings {
    /// Whether it answers under a name: this machine's own, and in `serve` those it was started with. A page of another site whose name
    /// was turned to this machine is not answered.
    pub fn answers(&self, host: &str) -> bool {
        let own = ["localhost", "127.0.0.1", "::1", "[::1]"];
        own.contains(&host)
            || (self.mode == Mode::Serve && self.hosts.iter().any(|name| name.eq_ignore_ascii_case(host)))
    }
}

/// The unit a yard's code stands for.
pub fn yard_unit(code: &str) -> LengthUnit {
    if code == "in" { LengthUnit::Inch } else { LengthUnit::Millimetre }
}
