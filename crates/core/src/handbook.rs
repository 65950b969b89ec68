//! The values the handbook speaks of: what is usual, and what is in force in a yard that set its own.
//!
//! The text is in `docs/handbook`, one section for each rule a [`Reason`](crate::Reason) names. A figure in it is a link to
//! one of these values, so that text and program cannot drift apart: a test holds them equal.

use crate::job::{deck, edge, fitting, panels, spar, template};
use crate::practice::{Practice, School};
use crate::repair::butts::{CLOSE, WIDE};
use crate::repair::decide::{TREAT_UP_TO, limits, member};
use crate::repair::way;
use crate::repair::{gluing, graving, scarf};
use crate::shape::{fair, pattern as shape_pattern};
use crate::survey::sample;
use crate::timber::{board, decay, moisture};
use crate::work::{drawn, hanging, order, quote};
use crate::{fastening, finish, metals, seam};

/// A value the handbook states, in the unit it is stated in.
#[derive(Debug, Clone, Copy)]
pub struct Value {
    /// `graving.crack_tip`; what a link `value:…` in the text names.
    pub id: &'static str,
    /// `mm`, `%`, `frame spaces` …; empty for a plain number.
    pub unit: &'static str,
    in_force: fn(&Practice) -> f64,
}

impl Value {
    /// As most yards have it.
    pub fn usual(&self) -> String {
        self.shown(&Practice::default())
    }

    /// As this yard has it; the usual one is said beside its own where they differ.
    pub fn in_force(&self, practice: &Practice) -> String {
        let (own, usual) = (self.shown(practice), self.usual());
        if own == usual { own } else { format!("{own} (usual {usual})") }
    }

    fn shown(&self, practice: &Practice) -> String {
        let number = ((self.in_force)(practice) * 1000.0).round() / 1000.0;
        match self.unit {
            "" => format!("{number}"),
            "°" => format!("{number}°"),
            unit => format!("{number} {unit}"),
        }
    }
}

const fn value(id: &'static str, unit: &'static str, in_force: fn(&Practice) -> f64) -> Value {
    Value { id, unit, in_force }
}

/// Every value the handbook links to, by id.
pub const VALUES: &[Value] = &[
    value("board.end_trim", "mm", |_| board::END_TRIM),
    value("board.planing", "mm", |_| board::PLANING_PER_FACE),
    value("bolt.bedding", "mm", |_| fastening::through::BEDDING),
    value("butts.close.adjacent", "", |_| f64::from(CLOSE.adjacent)),
    value("butts.close.one_between", "", |_| f64::from(CLOSE.one_between)),
    value("butts.min_piece", "", |_| f64::from(WIDE.min_piece)),
    value("butts.wide.adjacent", "", |_| f64::from(WIDE.adjacent)),
    value("butts.wide.one_between", "", |_| f64::from(WIDE.one_between)),
    value("decay.front_least", "mm", |_| decay::FRONT[0]),
    value("decay.front_most", "mm", |_| decay::FRONT[1]),
    value("decay.wet", "%", |_| decay::WET),
    value("decide.crossing", "%", |_| limits::CROSSING * 100.0),
    value("decide.new", "years", |_| way::NEW_YEARS),
    value("decide.restored", "%", |_| limits::RESTORED * 100.0),
    value("decide.spliced", "years", |_| way::SPLICED_YEARS),
    value("decide.treat", "%", |_| TREAT_UP_TO * 100.0),
    value("decide.treat_deep", "%", |_| limits::TREAT_DEEP * 100.0),
    value("decide.treat_planking", "mm", |_| limits::TREAT_DEEP_PLANKING),
    value("decide.treat_spread", "%", |_| limits::TREAT_SPREAD * 100.0),
    value("decide.treat_wet", "%", |_| limits::TREAT_WET),
    value("decide.weak", "%", |_| limits::WEAK * 100.0),
    value("deck.driest", "%", |_| deck::LIVES.0),
    value("deck.quarter", "°", |_| deck::QUARTER),
    value("deck.wettest", "%", |_| deck::LIVES.1),
    value("drawn.hands", "mm", |_| drawn::HANDS),
    value("drawn.people", "", |_| f64::from(drawn::MOST_PEOPLE)),
    value("edge.pair", "mm", |_| edge::PAIR),
    value("fair.times", "", |_| fair::SUSPECT_TIMES),
    value("fair.tolerance", "mm", |_| fair::TOLERANCE),
    value("fasten.behind", "mm", |_| fastening::LEAVE_BEHIND_POINT),
    value("fasten.lap_breadth", "", |_| fastening::LAP_BREADTH.0),
    value("fasten.lap_least", "mm", |_| fastening::LAP_BREADTH.1),
    value("fasten.lap_spacing", "mm", |_| fastening::LAP_SPACING),
    value("fasten.thickest_nailed", "mm", |_| fastening::through::THICKEST_NAILED),
    value("fasten.thickest_screwed", "mm", |_| fastening::THICKEST_SCREWED),
    value("finish.damp", "%", |_| finish::DAMP_FROM),
    value("finish.damp_factor", "", |_| finish::DAMP_FACTOR),
    value("finish.dearer", "", |_| finish::upkeep::DEARER_A_METRE),
    value("finish.loss", "", |_| finish::LOSS),
    value("finish.refresh", "%", |_| finish::sun::REFRESH_AT * 100.0),
    value("finish.wood", "%", |_| finish::lay::WOOD),
    value("finish.wood_varnish", "%", |_| finish::lay::WOOD_VARNISH),
    value("fitting.below", "", |_| fitting::BELOW),
    value("fitting.engaged", "", |_| fitting::ENGAGED.1),
    value("frame.sister_strakes", "strakes", |_| member::SISTER_STRAKES),
    value("frame.splice", "", |_| member::SPLICE_RATIO),
    value("glue.per_m2", "kg/m²", |_| gluing::KG_PER_M2),
    value("glue.pot", "g", |_| gluing::HOT_POT),
    value("graving.crack_side", "mm", |p| p.graving.crack_side),
    value("graving.crack_tip", "mm", |p| p.graving.crack_tip),
    value("graving.edge_land", "mm", |p| p.graving.edge_land),
    value("graving.end_slope", "", |p| p.graving.end_slope),
    value("graving.face_depth", "mm", |_| member::FACE_DEPTH),
    value("graving.frame_row", "mm", |_| graving::FRAME_ROW),
    value("graving.gouge", "mm", |p| p.graving.gouge),
    value("graving.hole_clearance", "mm", |p| p.graving.hole_clearance),
    value("graving.lap", "mm", |_| graving::LAP),
    value("graving.least_corner", "°", |p| p.graving.least_corner),
    value("graving.least_side", "mm", |p| p.graving.least_side),
    value("graving.let_in", "%", |_| member::LET_IN_MOST * 100.0),
    value("graving.let_in_bent", "%", |_| member::LET_IN_BENT * 100.0),
    value("graving.live", "mm", |_| graving::LIVE_CLEARANCE),
    value("graving.rot_across", "mm", |p| p.graving.rot_across),
    value("graving.rot_along", "mm", |p| p.graving.rot_along),
    value("graving.widest", "%", |_| graving::WIDEST_SHARE * 100.0),
    value("hang.at_end", "", |_| f64::from(hanging::AT_END)),
    value("hang.on_former", "mm", |_| hanging::ON_FORMER),
    value("hang.round_spar", "mm", |_| hanging::ROUND_SPAR),
    value("hang.screws", "mm", |_| hanging::SCREWS),
    value("hang.stands_off", "mm", |_| hanging::STANDS_OFF),
    value("launch.reserve", "", |_| seam::launch::PUMP_RESERVE),
    value("launch.tight", "%", |_| seam::launch::TIGHT * 100.0),
    value("metals.anodes", "%", |_| metals::MUCH_ZINC * 100.0),
    value("metals.area", "", |_| metals::AREA_RATIO),
    value("metals.near", "mm", |_| metals::NEAR),
    value("moisture.glue", "%", |_| moisture::GLUE_LIMIT),
    value("moisture.meter", "%", |_| moisture::METER_LIMIT),
    value("order.strakes", "", |_| order::NEIGHBOURS as f64),
    value("panel.other_sheet", "mm", |_| limits::OTHER_SHEET),
    value("panel.skin_age", "years", |_| limits::SKIN_AGE),
    value("panel.skin_panels", "panels", |_| f64::from(limits::SKIN_PANELS)),
    value("panel.skin_share", "%", |_| limits::SKIN_SHARE * 100.0),
    value("panels.glue_line", "mm", |_| panels::GLUE_LINE),
    value("panels.proud", "mm", |_| panels::PROUD),
    value("panels.scarf", "", |_| panels::SCARF),
    value("panels.screws", "mm", |_| panels::SCREWS),
    value("pattern.end", "d", |_| fastening::pattern::END),
    value("pattern.gauges_up", "gauges", |_| f64::from(fastening::pattern::GAUGES_UP)),
    value("pattern.section", "%", |_| fastening::pattern::SECTION_LIMIT * 100.0),
    value("pattern.stagger", "d", |_| fastening::pattern::STAGGER),
    value("quote.warn", "%", |_| quote::WARN_AT * 100.0),
    value("sample.leave", "%", |_| sample::LEAVE_UP_TO * 100.0),
    value("sample.refasten", "%", |_| sample::REFASTEN_FROM * 100.0),
    value("scarf.feather", "mm", |_| scarf::FEATHER_CLEARANCE),
    value("scarf.planking", "", |_| scarf::PLANKING_RATIO),
    value("school.conserve.whole_below", "%", |p| p.school(School::Conserve).whole_below * 100.0),
    value("school.renew.bays_from_butt", "bays", |p| f64::from(p.school(School::Renew).bays_from_butt)),
    value("school.renew.patch_share", "%", |p| p.school(School::Renew).patch_share * 100.0),
    value("seam.cartridge", "ml", |_| seam::CARTRIDGE_ML),
    value("seam.cotton", "", |_| seam::COTTON_TAKE_UP),
    value("seam.crush", "%", |_| seam::balance::CRUSH * 100.0),
    value("seam.dry", "%", |_| seam::work::DRY),
    value("seam.elastomer", "%", |_| seam::balance::ELASTOMER_GIVE * 100.0),
    value("seam.primer", "mm", |_| seam::PRIMER_FILM),
    value("seam.soft", "%", |_| seam::balance::SOFT_GIVE * 100.0),
    value("seam.thin", "mm", |_| seam::THINNEST_CAULKED),
    value("shape.own_length", "%", |_| shape_pattern::OWN_LENGTH * 100.0),
    value("shape.run_out", "°", |_| shape_pattern::RUN_OUT),
    value("spar.supports", "mm", |_| spar::SUPPORTS),
    value("spar.turns", "mm", |_| spar::TURNS),
    value("template.carried", "mm", |_| template::CARRIED),
    value("template.unsure", "mm", |_| template::UNSURE),
];

/// The value of an id.
pub fn find(id: &str) -> Option<&'static Value> {
    VALUES.binary_search_by_key(&id, |v| v.id).ok().map(|i| &VALUES[i])
}

#[cfg(test)]
mod tests {
    use std::collections::{BTreeMap, BTreeSet};
    use std::fs;
    use std::path::{Path, PathBuf};

    use super::*;

    fn below(folder: &Path, ending: &str, into: &mut Vec<PathBuf>) {
        for entry in fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                below(&path, ending, into);
            } else if path.extension().is_some_and(|e| e == ending) {
                into.push(path);
            }
        }
    }

    fn workspace() -> PathBuf {
        Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
    }

    fn text() -> String {
        let mut files = Vec::new();
        below(&workspace().join("docs/handbook"), "md", &mut files);
        files.iter().filter(|f| !f.ends_with("README.md")).map(|f| fs::read_to_string(f).unwrap()).collect()
    }

    /// Rule ids as they stand in the sources: `word.word` in quotes where a reason is made.
    fn rules() -> BTreeMap<String, PathBuf> {
        let mut files = Vec::new();
        for crate_ in ["core", "exchange", "app"] {
            below(&workspace().join("crates").join(crate_).join("src"), "rs", &mut files);
        }
        let mut found = BTreeMap::new();
        for file in files.into_iter().filter(|f| !f.ends_with("handbook.rs")) {
            let source = fs::read_to_string(&file).unwrap();
            // What the tests of a file say of rules is not what it makes.
            let source = source.split("#[cfg(test)]\nmod tests").next().unwrap_or_default();
            let makers =
                ["Reason::new(", "Reason::note(", "forbid(", "forbids(", "says(", "times(", "hold(", "wait(", "tell("];
            for maker in makers {
                for (at, _) in source.match_indices(maker) {
                    let call: String = source[at + maker.len()..].chars().take(160).collect();
                    let quoted = call.split('"').skip(1).step_by(2).find(|q| {
                        q.contains('.')
                            && q.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || "_.".contains(c))
                    });
                    if let Some(id) = quoted {
                        found.insert(id.to_owned(), file.clone());
                    }
                }
            }
        }
        found
    }

    #[test]
    fn every_rule_of_the_program_has_its_own_section_and_no_section_is_of_a_rule_that_is_gone() {
        let rules = rules();
        assert!(rules.len() > 110, "only {} rules were found in the sources", rules.len());
        let text = text();
        let sections: Vec<&str> = text
            .lines()
            .filter(|l| l.starts_with('#'))
            .filter_map(|l| l.split("{#").nth(1)?.strip_suffix('}'))
            .collect();
        let once: BTreeSet<&str> = sections.iter().copied().collect();
        assert_eq!(once.len(), sections.len(), "a rule has two sections");
        for (id, file) in &rules {
            assert!(once.contains(id.as_str()), "{id} of {} has no section in docs/handbook", file.display());
        }
        for id in once {
            assert!(rules.contains_key(id), "docs/handbook has a section for {id}, which no reason names");
        }
    }

    #[test]
    fn every_figure_the_text_links_is_the_constant_in_force() {
        let text = text();
        let mut used = BTreeSet::new();
        for (at, _) in text.match_indices("](value:") {
            let said = text[..at].rsplit('[').next().unwrap();
            let id = text[at + 8..].split(')').next().unwrap();
            let value = find(id).unwrap_or_else(|| panic!("there is no value {id}"));
            assert_eq!(said, value.usual(), "{id}");
            used.insert(id.to_owned());
        }
        let all: BTreeSet<String> = VALUES.iter().map(|v| v.id.to_owned()).collect();
        assert_eq!(used, all, "values that no section states");
    }

    #[test]
    fn values_stand_in_order_so_that_they_are_found() {
        assert!(VALUES.is_sorted_by_key(|v| v.id) && VALUES.iter().all(|v| find(v.id).is_some()));
        assert!(find("graving.width_of_the_moon").is_none());
    }

    #[test]
    fn a_yard_that_set_its_own_limit_sees_both() {
        let mut own = Practice::default();
        own.graving.crack_tip = 40.0;
        assert_eq!(find("graving.crack_tip").unwrap().in_force(&own), "40 mm (usual 25 mm)");
        assert_eq!(find("graving.gouge").unwrap().in_force(&own), "6 mm");
    }
}
