//! The species table (`data/species.csv`), shipped as data with its source, and what a yard adds to it.

use std::sync::{LazyLock, PoisonError, RwLock};

use serde::{Deserialize, Serialize};

use crate::error::{self, InputError};

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
    /// Where a yard's own figures are from; the shipped table says its own at its head.
    #[serde(default)]
    pub source: String,
}

/// Stands for a timber nobody has said.
pub const UNKNOWN: &str = "unknown";

/// A species of the yard's own: figures that are left out are those of the species it is likened to.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Own {
    pub name: String,
    /// Id of a shipped species.
    pub like: String,
    /// % from green to oven-dry.
    pub shrinkage_radial: Option<f64>,
    pub shrinkage_tangential: Option<f64>,
    pub specific_gravity: Option<f64>,
    /// GPa.
    pub modulus_gpa: Option<f64>,
    /// MPa.
    pub bending_strength_mpa: Option<f64>,
    /// 1 very durable … 5 perishable.
    pub decay: Option<u8>,
    /// Inside radius by thickness.
    pub bend_ratio: Option<f64>,
    pub notes: String,
    /// Where the figures are from.
    pub source: String,
}

impl Own {
    /// The species it is, under an id of the yard's. Errors name the figure that cannot be, `like` or `source`.
    pub fn species(&self, id: &str) -> Result<Species, InputError> {
        let like = TABLE
            .iter()
            .find(|s| s.id == self.like)
            .ok_or_else(|| InputError::new("like", "is not in the shipped table"))?;
        let figure = |field: &str, own: Option<f64>, usual: f64, low: f64, high: f64| match own {
            Some(value) => error::within(field, value, low, high),
            None => Ok(usual),
        };
        let radial = figure("shrinkage_radial", self.shrinkage_radial, like.shrinkage_radial, 0.5, 10.0)?;
        let tangential =
            figure("shrinkage_tangential", self.shrinkage_tangential, like.shrinkage_tangential, 0.5, 18.0)?;
        if radial > tangential {
            return Err(InputError::new("shrinkage_radial", "is never more than across the rings"));
        }
        let decay = self.decay.unwrap_or(like.decay);
        error::within("decay", f64::from(decay), 1.0, 5.0)?;
        if self.source.trim().is_empty() {
            return Err(InputError::new("source", "say where the figures are from"));
        }
        let notes = match self.given() {
            FIGURES => self.notes.clone(),
            _ if self.notes.is_empty() => format!("figures not given are those of {}", like.name),
            _ => format!("{}; figures not given are those of {}", self.notes, like.name),
        };
        Ok(Species {
            id: id.to_owned(),
            name: self.name.clone(),
            shrinkage_radial: radial,
            shrinkage_tangential: tangential,
            specific_gravity: figure("specific_gravity", self.specific_gravity, like.specific_gravity, 0.1, 1.4)?,
            modulus_gpa: figure("modulus_gpa", self.modulus_gpa, like.modulus_gpa, 2.0, 30.0)?,
            bending_strength_mpa: figure(
                "bending_strength_mpa",
                self.bending_strength_mpa,
                like.bending_strength_mpa,
                10.0,
                250.0,
            )?,
            decay,
            bend_ratio: figure("bend_ratio", self.bend_ratio, like.bend_ratio, 5.0, 60.0)?,
            hardwood: like.hardwood,
            notes,
            source: self.source.clone(),
        })
    }

    /// How many of its figures are its own.
    pub fn given(&self) -> usize {
        let figures = [
            self.shrinkage_radial,
            self.shrinkage_tangential,
            self.specific_gravity,
            self.modulus_gpa,
            self.bending_strength_mpa,
            self.bend_ratio,
        ];
        figures.iter().flatten().count() + usize::from(self.decay.is_some())
    }
}

/// Figures of a species.
const FIGURES: usize = 7;

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

/// What the yard added, by name. A table of the process like the shipped one: it is told once when a yard is opened and again when the
/// yard changes it, so that whatever is worked out knows every timber by its id alone.
static ADDED: RwLock<Vec<&'static Species>> = RwLock::new(Vec::new());

/// Every species of the shipped table, ordered by id.
pub fn all() -> &'static [Species] {
    &TABLE
}

/// The shipped species and the yard's own, by name.
pub fn known() -> Vec<&'static Species> {
    let mut known: Vec<&'static Species> = TABLE.iter().chain(added()).collect();
    known.sort_by(|a, b| a.name.cmp(&b.name));
    known
}

/// The yard's own.
pub fn added() -> Vec<&'static Species> {
    ADDED.read().unwrap_or_else(PoisonError::into_inner).clone()
}

/// Takes the yard's own species, in place of those it had. One that is in the shipped table stays as it is shipped.
pub fn learn(own: Vec<Species>) {
    let mut added = ADDED.write().unwrap_or_else(PoisonError::into_inner);
    // What was told before may be in somebody's hands: it is never taken back, and a yard has few.
    let before = added.clone();
    let kept = |s: Species| before.iter().find(|b| ***b == s).copied().unwrap_or_else(|| &*Box::leak(Box::new(s)));
    *added = own.into_iter().filter(|s| TABLE.iter().all(|t| t.id != s.id)).map(kept).collect();
}

/// What a timber is called: by its name, by its id where it is in no table, and `Not known` where nobody said it.
pub fn name(id: &str) -> String {
    match find(id) {
        Ok(species) => species.name.clone(),
        Err(_) if id == UNKNOWN || id.is_empty() => "Not known".to_owned(),
        Err(_) => id.to_owned(),
    }
}

/// The id of a species there is, or [`UNKNOWN`]: what a list of timbers offers where nobody must know.
pub fn or_unknown(id: &str) -> Option<String> {
    (id == UNKNOWN || find(id).is_ok()).then(|| id.to_owned())
}

/// The species with this id. Errors name the field `species`.
pub fn find(id: &str) -> Result<&'static Species, InputError> {
    if id == UNKNOWN {
        return Err(InputError::new("species", "the timber is not known: say first what it is"));
    }
    TABLE.iter().find(|s| s.id == id).or_else(|| added().into_iter().find(|s| s.id == id)).ok_or_else(|| {
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

    fn own() -> Own {
        Own {
            name: "European larch".into(),
            like: "western_larch".into(),
            shrinkage_radial: Some(3.3),
            shrinkage_tangential: Some(7.8),
            specific_gravity: None,
            modulus_gpa: None,
            bending_strength_mpa: None,
            decay: None,
            bend_ratio: None,
            notes: String::new(),
            source: "timber merchant's data sheet".into(),
        }
    }

    #[test]
    fn a_yards_own_species_takes_what_it_does_not_say_from_the_one_it_is_like_and_says_so() {
        let larch = find("western_larch").unwrap();
        let made = own().species("own_larch").unwrap();
        assert_eq!((made.shrinkage_radial, made.shrinkage_tangential), (3.3, 7.8));
        assert_eq!((made.specific_gravity, made.decay, made.hardwood), (larch.specific_gravity, larch.decay, false));
        assert_eq!(made.notes, "figures not given are those of Western larch");
        let field = |spoil: &dyn Fn(&mut Own)| {
            let mut own = own();
            spoil(&mut own);
            own.species("own_larch").unwrap_err().field
        };
        assert_eq!(field(&|o| o.shrinkage_radial = Some(9.0)), "shrinkage_radial");
        assert_eq!(field(&|o| o.modulus_gpa = Some(f64::NAN)), "modulus_gpa");
        assert_eq!(field(&|o| o.decay = Some(0)), "decay");
        assert_eq!(field(&|o| o.source = " ".into()), "source");
        assert_eq!(field(&|o| o.like = "balsa".into()), "like");
    }

    #[test]
    fn what_a_yard_added_is_found_by_its_id_and_never_hides_the_shipped() {
        let mine = own().species("own_test_larch").unwrap();
        let clash = Species { id: "teak".into(), decay: 5, ..mine.clone() };
        learn(vec![mine.clone(), clash]);
        assert_eq!(find("own_test_larch").unwrap(), &mine);
        assert_eq!(find("teak").unwrap().decay, 1);
        assert!(known().windows(2).all(|pair| pair[0].name <= pair[1].name) && known().len() == all().len() + 1);
        assert_eq!((name("own_test_larch").as_str(), name("unknown").as_str()), ("European larch", "Not known"));
        let held = find("own_test_larch").unwrap();
        learn(Vec::new());
        assert_eq!(find("own_test_larch").unwrap_err().field, "species");
        assert_eq!(held.name, "European larch");
        assert!(find(UNKNOWN).unwrap_err().message.contains("not known"));
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
