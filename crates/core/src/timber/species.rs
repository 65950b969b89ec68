//! The species table (`data/species.csv`), shipped as data with its source.

use std::sync::LazyLock;

use serde::{Deserialize, Serialize};

use crate::error::InputError;

/// One line of the species table. Shrinkage is % from green to oven-dry.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Species {
    pub id: String,
    pub name: String,
    pub shrinkage_radial: f64,
    pub shrinkage_tangential: f64,
    /// Oven-dry mass by volume at 12 %.
    pub specific_gravity: f64,
    /// Stiffness at 12 %, GPa.
    pub modulus_gpa: f64,
    /// Bending strength at 12 %, MPa.
    pub bending_strength_mpa: f64,
    /// Heartwood, 1 very durable … 5 perishable.
    pub decay: u8,
    /// Smallest inside radius / thickness for steamed air-dried clear stock without a strap.
    pub bend_ratio: f64,
    pub hardwood: bool,
    pub notes: String,
}

impl Species {
    pub fn trade_controlled(&self) -> bool {
        self.notes.contains("trade-controlled")
    }
}

static TABLE: LazyLock<Vec<Species>> = LazyLock::new(|| {
    csv::ReaderBuilder::new()
        .comment(Some(b'#'))
        .from_reader(include_str!("../../data/species.csv").as_bytes())
        .deserialize()
        .collect::<Result<_, _>>()
        .expect("the shipped species table is checked by a test")
});

/// Every species, ordered by id.
pub fn all() -> &'static [Species] {
    &TABLE
}

/// The species with this id. Errors name the field `species`.
pub fn find(id: &str) -> Result<&'static Species, InputError> {
    TABLE.iter().find(|s| s.id == id).ok_or_else(|| {
        let shown: String = id.chars().take(40).collect();
        let near = near(&shown);
        let rest = if near.is_empty() {
            format!("there are {}", TABLE.iter().map(|s| s.id.as_str()).collect::<Vec<_>>().join(", "))
        } else {
            format!("near it are {}", near.join(", "))
        };
        InputError::new("species", format!("there is no species “{shown}” in the table; {rest}"))
    })
}

/// Ids of species that share a word, or the beginning of one, with what was written.
fn near(written: &str) -> Vec<&'static str> {
    let lower = written.to_lowercase();
    let words: Vec<&str> = lower.split(|c: char| !c.is_alphanumeric()).filter(|w| w.len() > 2).collect();
    let shares = |s: &Species| {
        let own = format!("{} {}", s.id.replace('_', " "), s.name.to_lowercase());
        let alike = |word: &&str| {
            let begin: String = word.chars().take(4).collect();
            own.split_whitespace().any(|w| w.starts_with(&begin) || word.starts_with(w))
        };
        words.iter().filter(|w| alike(w)).count()
    };
    let mut found: Vec<(usize, &'static str)> =
        TABLE.iter().map(|s| (shares(s), s.id.as_str())).filter(|(n, _)| *n > 0).collect();
    found.sort_by(|a, b| b.0.cmp(&a.0).then(a.1.cmp(b.1)));
    found.into_iter().take(4).map(|(_, id)| id).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_unknown_species_is_told_with_those_near_it() {
        let told = |id: &str| find(id).unwrap_err().message;
        assert!(told("white oak").contains("near it are white_oak"), "{}", told("white oak"));
        assert!(told("european_larch").contains("western_larch"));
        assert!(told("mahogany").contains("african_mahogany") && told("mahogany").contains("true_mahogany"));
        assert!(told("xyz").contains("there are") && told("xyz").contains("teak"));
    }

    #[test]
    fn the_shipped_table_is_ordered_unique_and_in_range() {
        assert!(all().len() >= 20);
        assert!(all().windows(2).all(|pair| pair[0].id < pair[1].id));
        for s in all() {
            assert!(s.shrinkage_radial > 1.0 && s.shrinkage_radial < s.shrinkage_tangential, "{}", s.id);
            assert!(s.shrinkage_tangential < 12.0 && (0.25..1.0).contains(&s.specific_gravity), "{}", s.id);
            assert!(
                (5.0..20.0).contains(&s.modulus_gpa) && (40.0..150.0).contains(&s.bending_strength_mpa),
                "{}",
                s.id
            );
            assert!((1..=5).contains(&s.decay) && (8.0..40.0).contains(&s.bend_ratio), "{}", s.id);
        }
        assert!(find("true_mahogany").unwrap().trade_controlled());
        assert_eq!(find("balsa").unwrap_err().field, "species");
    }
}
