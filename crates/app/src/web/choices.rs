//! What lists offer: codes and labels, in the order of the core.

use mend_keel_core::metals;
use mend_keel_core::timber::species;

/// What a list offers: codes and labels.
pub type Choices = Vec<(String, String)>;

/// A closed list of the core as choices.
pub fn pairs<T: Copy>(all: &[T], code: impl Fn(T) -> &'static str, label: impl Fn(T) -> &'static str) -> Choices {
    all.iter().map(|c| (code(*c).to_owned(), label(*c).to_owned())).collect()
}

pub fn species_choices() -> Choices {
    species::known().into_iter().map(|s| (s.id.clone(), s.name.clone())).collect()
}

/// Every timber, and that nobody knows which.
pub fn timber_choices() -> Choices {
    let mut all = vec![(species::UNKNOWN.to_owned(), species::name(species::UNKNOWN))];
    all.extend(species_choices());
    all
}

/// Every metal of the table, to choose from.
pub fn metal_choices() -> Choices {
    metals::all().iter().map(|m| (m.id.clone(), m.name.clone())).collect()
}

/// What a field of a form made from a list is typed into.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Control {
    Length,
    /// A number or a word.
    Words,
    Choice,
    Yes,
    /// Several rows, one to a line.
    Lines,
}
