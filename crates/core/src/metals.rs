//! Metals side by side in wet wood and water: which pairs eat each other, what must not be there at all, and when fastenings fall due.

use std::sync::LazyLock;

use serde::{Deserialize, Serialize};

use crate::choice::choices;
use crate::error::{self, InputError};
use crate::reason::{Reason, Verdict};
use crate::timber::Species;

/// One line of the table of metals (`data/metals.csv`).
#[derive(Debug, Clone, PartialEq, Deserialize)]
pub struct Metal {
    pub id: String,
    pub name: String,
    /// V against Ag/AgCl in flowing sea water.
    pub potential: f64,
    /// Starved of oxygen.
    pub active: Option<f64>,
    /// Usual life in wood, years.
    pub years_from: Option<u32>,
    pub years_to: Option<u32>,
}

impl Metal {
    pub fn is_stainless(&self) -> bool {
        self.id.starts_with("stainless")
    }

    fn is_iron(&self) -> bool {
        matches!(self.id.as_str(), "mild_steel" | "cast_iron" | "galvanised_steel")
    }

    fn is_copper_alloy(&self) -> bool {
        self.id.contains("bronze") || self.id.contains("brass") || self.id == "copper" || self.id == "cupronickel"
    }
}

static TABLE: LazyLock<Vec<Metal>> = LazyLock::new(|| {
    csv::ReaderBuilder::new()
        .comment(Some(b'#'))
        .from_reader(include_str!("../data/metals.csv").as_bytes())
        .deserialize()
        .collect::<Result<_, _>>()
        .expect("the shipped table of metals is checked by a test")
});

/// Every metal, ordered by id.
pub fn all() -> &'static [Metal] {
    &TABLE
}

/// The metal with this id. Errors name `metal`.
pub fn find(id: &str) -> Result<&'static Metal, InputError> {
    TABLE.iter().find(|m| m.id == id).ok_or_else(|| {
        let shown: String = id.chars().take(40).collect();
        InputError::new("metal", format!("there is no metal “{shown}” in the table"))
    })
}

choices! {
    /// Where a metal lies.
    Zone {
        Below = "below", "Below the waterline";
        Bilge = "bilge", "Bilge";
        Splash = "splash", "Splash zone";
        Deck = "deck", "On deck";
        Dry = "dry", "Dry inside";
    }
}

/// A piece of metal on the boat.
#[derive(Debug, Clone, PartialEq)]
pub struct Item {
    pub name: String,
    pub metal: &'static Metal,
    pub zone: Zone,
    /// Wetted, mm².
    pub area: f64,
    /// Along, across and up, mm.
    pub at: [f64; 3],
    /// It sits in wood.
    pub in_wood: bool,
    /// Of tannic wood: oak.
    pub in_oak: bool,
    /// White powder or soft stringy wood was seen round it.
    pub alkali: bool,
}

/// How bad a finding is, worst last.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Level {
    Note,
    /// Isolate, or change one of them.
    Isolate,
    /// Not at all.
    No,
}

impl Level {
    pub fn label(self) -> &'static str {
        match self {
            Self::Note => "Note",
            Self::Isolate => "Isolate or change",
            Self::No => "Not together",
        }
    }

    fn step_up(self) -> Self {
        match self {
            Self::Note => Self::Isolate,
            _ => Self::No,
        }
    }
}

/// Something wrong with one piece or a pair.
#[derive(Debug, Clone, PartialEq)]
pub struct Trouble {
    /// Index of the piece; of the anode, which is eaten, where there are two.
    pub a: usize,
    /// The cathode.
    pub b: Option<usize>,
    pub level: Level,
    /// Difference of potential, V; 0 for one piece alone.
    pub difference: f64,
    pub reasons: Vec<Reason>,
    pub cure: &'static str,
}

/// Pairs farther apart than this do not count unless wet wood joins them, mm.
pub const NEAR: f64 = 300.0;
/// Differences that count, V: below and in the bilge, in the splash zone and on deck.
pub const LIMITS: (f64, f64) = (0.20, 0.30);
/// A noble area this many times the active one makes it a step worse.
pub const AREA_RATIO: f64 = 10.0;

/// Wetted area of the head of a plank fastening, mm²: a disc twice as wide as its shank.
pub fn head_area(shank: f64) -> f64 {
    std::f64::consts::PI * shank * shank
}

/// Distance of two places, mm.
pub fn apart(p: [f64; 3], q: [f64; 3]) -> f64 {
    p.iter().zip(q).map(|(a, b)| (a - b).powi(2)).sum::<f64>().sqrt()
}

/// Potential where a piece lies: below water and in the bilge stainless is taken as active (crevices in wood).
pub fn potential(item: &Item) -> f64 {
    let starved = matches!(item.zone, Zone::Below | Zone::Bilge) && item.in_wood;
    item.metal.active.filter(|_| starved).unwrap_or(item.metal.potential)
}

/// Checks all metal recorded on a boat, worst first. `joined` are pairs that wet wood joins whatever their distance. Errors name
/// `items[i].area` or `joined`.
///
/// Source: handbook 05; potentials after MIL-STD-889 and ASTM G82.
pub fn check(items: &[Item], joined: &[(usize, usize)]) -> Result<Vec<Trouble>, InputError> {
    const MOST: usize = 4_000;
    if items.len() > MOST {
        return Err(InputError::new("items", format!("takes no more than {MOST}, got {}", items.len())));
    }
    for (i, item) in items.iter().enumerate() {
        error::within("area", item.area, 0.0, 1e9).map_err(|e| e.within(&format!("items[{i}]")))?;
        if item.at.iter().any(|v| !v.is_finite()) {
            return Err(InputError::new(format!("items[{i}].at"), "must be numbers"));
        }
    }
    if let Some(pair) = joined.iter().find(|(a, b)| *a >= items.len() || *b >= items.len() || a == b) {
        return Err(InputError::new("joined", format!("{pair:?} is no pair of two items")));
    }
    let mut found: Vec<Trouble> = items.iter().enumerate().flat_map(|(i, item)| alone(i, item)).collect();
    // Along the boat in order, so that only neighbours are held against each other.
    let mut order: Vec<usize> = (0..items.len()).collect();
    order.sort_by(|a, b| items[*a].at[0].total_cmp(&items[*b].at[0]));
    for (k, &i) in order.iter().enumerate() {
        for &j in order[k + 1..].iter().take_while(|j| items[**j].at[0] - items[i].at[0] <= NEAR) {
            let away = apart(items[i].at, items[j].at);
            if away <= NEAR {
                found.extend(pair(items, i, j, Some(away)));
            }
        }
    }
    for (i, j) in joined {
        let known = found
            .iter()
            .any(|t| t.b.is_some() && [(t.a, t.b), (t.b.unwrap_or(0), Some(t.a))].contains(&(*i, Some(*j))));
        if !known {
            found.extend(pair(items, *i, *j, None));
        }
    }
    found.sort_by(|x, y| {
        y.level.cmp(&x.level).then(y.difference.total_cmp(&x.difference)).then((x.a, x.b).cmp(&(y.a, y.b)))
    });
    Ok(found)
}

fn pair(items: &[Item], i: usize, j: usize, away: Option<f64>) -> Option<Trouble> {
    let (vi, vj) = (potential(&items[i]), potential(&items[j]));
    let difference = (vi - vj).abs();
    // The wetter of the two decides.
    let zone = items[i].zone.min(items[j].zone);
    let mut level = match zone {
        Zone::Below | Zone::Bilge if difference > LIMITS.0 => Level::No,
        Zone::Splash | Zone::Deck if difference > LIMITS.1 => Level::Isolate,
        Zone::Dry if difference > LIMITS.0 => Level::Note,
        _ => return None,
    };
    let (a, b) = if vi <= vj { (i, j) } else { (j, i) };
    // An anode is meant to be eaten.
    if items[a].metal.id == "zinc" {
        return None;
    }
    let ratio = items[b].area / items[a].area.max(1e-9);
    let limit = if zone <= Zone::Bilge { LIMITS.0 } else { LIMITS.1 };
    let mut reasons = vec![
        Reason::new(
            "metals.pair",
            if level == Level::Note { Verdict::Note } else { Verdict::Against },
            format!("{} is eaten beside {}", items[a].metal.name.to_lowercase(), items[b].metal.name.to_lowercase()),
        )
        .formula("difference of potential in flowing sea water")
        .against("difference", difference, "V", limit)
        .source("MIL-STD-889, ASTM G82; limits yard rule, handbook 05"),
    ];
    if let Some(away) = away {
        reasons.push(Reason::note("metals.near", "within 300 mm of each other").against("apart", away, "mm", NEAR));
    } else {
        reasons.push(Reason::note("metals.joined", "joined by wet wood"));
    }
    if items[a].area > 0.0 && ratio > AREA_RATIO {
        level = level.step_up();
        reasons.push(
            Reason::new(
                "metals.area",
                Verdict::Against,
                "a small active piece on a large noble one is eaten fast: one step worse",
            )
            .against("area ratio", ratio, "", AREA_RATIO),
        );
    }
    let cure = match level {
        Level::No => "change one of them to the other’s metal",
        Level::Isolate => "isolate with sleeves and washers and bed both, or change one",
        Level::Note => "keep it dry and look at it each year",
    };
    Some(Trouble { a, b: Some(b), level, difference, reasons, cure })
}

fn alone(i: usize, item: &Item) -> Vec<Trouble> {
    let mut found = Vec::new();
    let mut tell = |level, rule, text: &str, cure| {
        let verdict = if level == Level::No { Verdict::Forbids } else { Verdict::Against };
        let reasons = vec![Reason::new(rule, verdict, text).source("handbook 05")];
        found.push(Trouble { a: i, b: None, level, difference: 0.0, reasons, cure });
    };
    let wet = matches!(item.zone, Zone::Below | Zone::Bilge);
    if item.metal.is_stainless() && item.in_wood && wet {
        tell(
            Level::No,
            "metals.crevice",
            "stainless in wet wood is starved of oxygen, goes active and rots in its crevices",
            "silicon bronze in its place",
        );
    } else if item.metal.id == "stainless_304" && item.zone != Zone::Dry {
        tell(
            Level::No,
            "metals.304",
            "304 has no place on a boat in salt water: 316, and that above the waterline only",
            "316 above the waterline, bronze below",
        );
    }
    if item.metal.id == "yellow_brass" && item.in_wood {
        tell(
            Level::No,
            "metals.brass",
            "yellow brass in wood loses its zinc and crumbles",
            "silicon bronze in its place",
        );
    }
    if item.metal.is_iron() && item.in_oak {
        tell(
            Level::Isolate,
            "metals.tannin",
            "iron and oak rot each other: tannic acid eats the iron, iron blackens and softens the oak",
            "bronze when it is renewed; until then keep it coated and dry",
        );
    }
    if item.alkali {
        let bronze = item.metal.is_copper_alloy();
        tell(
            Level::Isolate,
            "metals.alkali",
            if bronze {
                "white powder or soft, stringy wood round bronze near much zinc: alkali from over-protection"
            } else {
                "white powder or soft, stringy wood: alkali from over-protection"
            },
            "less anode area; neutralise with dilute mild acid, rinse, cut back to sound wood",
        );
    }
    found
}

/// When fastenings of a metal that were fitted in a year fall due: the first and the last year of their usual life. `None` where nothing
/// is known.
pub fn due(metal: &Metal, fitted: i32) -> Option<(i32, i32)> {
    Some((fitted + metal.years_from? as i32, fitted + metal.years_to? as i32))
}

/// Zinc under water, as a share of the bronze and copper it shields, from which the wood round them suffers (*yard rule*).
pub const MUCH_ZINC: f64 = 0.05;

/// How much zinc there is under water against bronze and copper there. `None` where neither is. Source: handbook 05: alkali from
/// over-protection shows as white powder when it is late; the areas tell before.
pub fn anodes(items: &[Item]) -> Option<Reason> {
    let under = |of: &dyn Fn(&Item) -> bool| -> f64 {
        items.iter().filter(|i| i.zone == Zone::Below && of(i)).map(|i| i.area).sum()
    };
    let zinc = under(&|i| i.metal.id == "zinc");
    let bronze = under(&|i| i.metal.is_copper_alloy());
    if zinc + bronze <= 0.0 {
        return None;
    }
    let share = if bronze > 0.0 { zinc / bronze } else { f64::INFINITY };
    let (verdict, text) = match (zinc > 0.0, bronze > 0.0) {
        (false, _) => (
            Verdict::Note,
            "bronze under water and no anode recorded: bronze in wood needs none; iron and steel beside it would",
        ),
        (true, false) => {
            (Verdict::Against, "anodes under water and no bronze recorded: record what they shield, or take them off")
        }
        (true, true) if share > MUCH_ZINC => (
            Verdict::Against,
            "much zinc for the bronze under water: too much of it makes alkali, and the wood round the bronze goes soft and white; \
             fewer or smaller anodes, and bond nothing that need not be",
        ),
        (true, true) => (Verdict::For, "little zinc for the bronze under water"),
    };
    let reason = Reason::new("metals.anodes", verdict, text)
        .source("handbook 05, yard rule")
        .value("zinc under water", zinc / 100.0, "cm²")
        .value("bronze and copper under water", bronze / 100.0, "cm²");
    Some(if share.is_finite() {
        reason.against("zinc to bronze", share * 100.0, "%", MUCH_ZINC * 100.0)
    } else {
        reason
    })
}

/// What is to be said of fastenings of some age: by what was drawn of them where anything was, which outranks the table of ages.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Age {
    /// Of those drawn, so many are good: the table does not count while all are, and they are due when some are not.
    Drawn { good: usize, of: usize },
    /// Years past the end of their usual life.
    Past(i32),
    /// Within it.
    Due,
    /// Years until it begins.
    In(i32),
}

/// How old fastenings stand in a year. `life`: the first and last year of their usual life; `drawn`: how many were drawn and found good,
/// and how many at all. Source: handbook 05; what was drawn comes first.
pub fn age(life: (i32, i32), year: i32, drawn: (usize, usize)) -> Age {
    match drawn {
        (good, of) if of > 0 => Age::Drawn { good, of },
        _ if year > life.1 => Age::Past(year - life.1),
        _ if year >= life.0 => Age::Due,
        _ => Age::In(life.0 - year),
    }
}

/// Wood whose acid eats plain iron and steel: the oaks (*Wood Handbook*, chapter 1).
pub fn is_tannic(wood: &Species) -> bool {
    wood.id.contains("oak")
}

/// Alkali-softened wood that was found speaks for the metal near it. `soft` are places, mm.
pub fn spread_alkali(items: &mut [Item], soft: &[[f64; 3]]) {
    for item in items {
        item.alkali |= soft.iter().any(|s| apart(*s, item.at) <= NEAR);
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn item(metal: &str, zone: Zone, x: f64) -> Item {
        Item {
            name: metal.into(),
            metal: find(metal).unwrap(),
            zone,
            area: 1_000.0,
            at: [x, 0.0, 0.0],
            in_wood: true,
            in_oak: false,
            alkali: false,
        }
    }

    #[test]
    fn the_shipped_table_is_ordered_unique_and_in_range() {
        assert!(all().len() >= 17 && all().windows(2).all(|w| w[0].id < w[1].id));
        assert!(all().iter().all(|m| (-1.2..0.4).contains(&m.potential) && m.active.is_none_or(|a| a < m.potential)));
        assert_eq!(find("tin").unwrap_err().field, "metal");
    }

    #[test]
    fn galvanised_nails_beside_a_bronze_skin_fitting_are_eaten() {
        let items = [
            item("silicon_bronze", Zone::Below, 0.0),
            item("galvanised_steel", Zone::Below, 120.0),
            item("silicon_bronze", Zone::Below, 900.0),
        ];
        let found = check(&items, &[]).unwrap();
        assert_eq!((found.len(), found[0].a, found[0].b, found[0].level), (1, 1, Some(0), Level::No));
        assert!((found[0].difference - 0.73).abs() < 1e-9);
        let joined = check(&items, &[(1, 2)]).unwrap();
        assert_eq!(joined.len(), 2);
    }

    #[test]
    fn what_is_only_noted_when_dry_is_a_step_worse_on_a_large_cathode() {
        let mut items = [item("mild_steel", Zone::Dry, 0.0), item("copper", Zone::Dry, 10.0)];
        assert_eq!(check(&items, &[]).unwrap()[0].level, Level::Note);
        items[1].area = 20_000.0;
        assert_eq!(check(&items, &[]).unwrap()[0].level, Level::Isolate);
    }

    #[test]
    fn stainless_below_brass_in_wood_and_iron_in_oak_are_each_told() {
        let mut oak = item("mild_steel", Zone::Deck, 4_000.0);
        oak.in_oak = true;
        let items = [
            item("stainless_316", Zone::Below, 0.0),
            item("yellow_brass", Zone::Deck, 2_000.0),
            oak,
            item("zinc", Zone::Below, 6_000.0),
        ];
        let rules: Vec<&str> = check(&items, &[]).unwrap().iter().map(|t| t.reasons[0].rule).collect();
        assert_eq!(rules, ["metals.crevice", "metals.brass", "metals.tannin"]);
        assert_eq!(due(find("galvanised_steel").unwrap(), 1998), Some((2023, 2028)));
    }

    #[test]
    fn copper_that_was_drawn_good_is_not_past_its_life() {
        let life = due(find("copper").unwrap(), 1936).unwrap();
        assert_eq!(age(life, 2026, (5, 5)), Age::Drawn { good: 5, of: 5 });
        assert_eq!(age(life, 2026, (0, 0)), Age::Past(2026 - life.1));
        assert_eq!(age(life, 1980, (0, 0)), Age::In(life.0 - 1980));
        assert_eq!(age(life, life.0, (0, 0)), Age::Due);
        assert_eq!(age(life, 1980, (2, 3)), Age::Drawn { good: 2, of: 3 });
    }

    #[test]
    fn zinc_against_bronze_under_water_is_told_before_the_powder_shows() {
        let of = |metal: &str, zone, area| Item { area, ..item(metal, zone, 0.0) };
        let told = |items: &[Item]| anodes(items).map(|r| r.verdict);
        let bronze = of("silicon_bronze", Zone::Below, 100_000.0);
        assert_eq!(told(&[]), None);
        assert_eq!(told(&[of("zinc", Zone::Deck, 9_000.0)]), None, "only what is under water");
        assert_eq!(told(std::slice::from_ref(&bronze)), Some(Verdict::Note));
        assert_eq!(told(&[bronze.clone(), of("zinc", Zone::Below, 4_000.0)]), Some(Verdict::For));
        assert_eq!(told(&[bronze, of("zinc", Zone::Below, 6_000.0)]), Some(Verdict::Against));
        assert_eq!(told(&[of("zinc", Zone::Below, 6_000.0)]), Some(Verdict::Against));
    }

    #[test]
    fn a_head_is_a_disc_of_twice_the_shank() {
        assert!((head_area(6.0) - 113.097).abs() < 1e-3);
    }

    proptest! {
        #[test]
        fn the_anode_is_always_the_less_noble(kinds in proptest::collection::vec((0usize..18, 0usize..5, 0.0..900.0f64), 2..12)) {
            let items: Vec<Item> = kinds.iter().map(|(m, z, x)| item(&all()[*m % all().len()].id, Zone::ALL[*z], *x)).collect();
            let found = check(&items, &[]).unwrap();
            for t in found.iter().filter(|t| t.b.is_some()) {
                let b = t.b.unwrap();
                prop_assert!(potential(&items[t.a]) <= potential(&items[b]));
                prop_assert!((items[t.a].at[0] - items[b].at[0]).abs() <= NEAR);
            }
            prop_assert!(found.windows(2).all(|w| w[0].level >= w[1].level));
        }
    }

    #[test]
    fn soft_wood_speaks_for_the_metal_within_a_foot_of_it() {
        let at = |x: f64| Item { at: [x, 0.0, 0.0], ..item("silicon_bronze", Zone::Below, 100.0) };
        let mut items = [at(0.0), at(250.0), at(600.0)];
        spread_alkali(&mut items, &[[280.0, 0.0, 0.0]]);
        assert_eq!(items.each_ref().map(|i| i.alkali), [true, true, false]);
    }

    #[test]
    fn only_oaks_are_tannic() {
        let wood = |id: &str| crate::timber::species::find(id).unwrap();
        assert!(is_tannic(wood("white_oak")) && is_tannic(wood("red_oak")));
        assert!(!is_tannic(wood("western_larch")));
    }
}
