//! May this coat go on, now, on this: what is held against a brush already wet (handbook 07, its gates).

use super::{Base, Step, check_air, dew_point, time_factor};
use crate::error::{self, InputError};
use crate::reason::{Reason, Verdict};

/// The coat below, and how long it has been on.
#[derive(Debug, Clone, PartialEq)]
pub struct Below {
    pub step: Step,
    /// Clock hours since it was laid.
    pub hours: f64,
    /// °C and % while it dried, on the whole; the air of now where nobody read it.
    pub air: Option<(f64, f64)>,
}

/// What is known where the coat is to be laid.
#[derive(Debug, Clone, PartialEq)]
pub struct Here {
    /// °C.
    pub temperature: f64,
    /// %.
    pub humidity: f64,
    /// Of the surface, °C, where it was measured; the air's otherwise.
    pub surface: Option<f64>,
    /// Of the wood, %, where it was measured.
    pub wood: Option<f64>,
    /// `None` for the first coat.
    pub below: Option<Below>,
    /// It was sanded since the coat below.
    pub sanded: bool,
    /// Faired, no fastening proud, dust off and masked.
    pub ready: bool,
    /// Cracks in the old paint or sheathing that nobody has opened yet.
    pub cracks: u32,
    /// Hours until she is launched or slung, where that is set.
    pub launch: Option<f64>,
    /// The last coat of its recipe.
    pub last: bool,
}

/// What the other steps have not finished where a first coat is to go, each in words.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Unfinished {
    /// Work on what is coated that is not done.
    pub tasks: Vec<String>,
    /// Seams that are opened and not finished, or in which something hard was found.
    pub seams: Vec<String>,
    /// What was found there, has to be mended, and is not.
    pub found: Vec<String>,
    /// The newest reading of each place: where, and %.
    pub wood: Vec<(String, f64)>,
}

/// Names told one by one; more are counted.
const NAMED: usize = 3;

/// `this; that; and 4 more`.
fn named(names: &[String]) -> String {
    let mut told = names[..names.len().min(NAMED)].join("; ");
    if names.len() > NAMED {
        told.push_str(&format!("; and {} more", names.len() - NAMED));
    }
    told
}

/// What stands before the first coat of a recipe: a face is coated once all the work on it is done, its seams are filled and cured,
/// what was found is mended, and the wood is dry where it was measured. Nothing where nothing is left. Source: handbook 07, gates.
pub fn unfinished(step: &Step, left: &Unfinished) -> Vec<Reason> {
    let mut reasons = Vec::new();
    let mut hold = |rule, names: &[String], text: &str| {
        if !names.is_empty() {
            reasons.push(Reason::new(rule, Verdict::Against, format!("{text}: {}", named(names))));
        }
    };
    hold("finish.ready", &left.tasks, "work on it is not done");
    hold("finish.ready", &left.seams, "its seams are not finished");
    hold("finish.found", &left.found, "found on it and not mended, and under paint nobody sees it");
    let limit = step.wood_max();
    let mut wet: Vec<&(String, f64)> = left.wood.iter().filter(|(_, percent)| *percent > limit).collect();
    wet.sort_by(|a, b| b.1.total_cmp(&a.1));
    if let Some((_, most)) = wet.first() {
        let places: Vec<String> = wet.iter().map(|(place, percent)| format!("{place} {percent:.0} %")).collect();
        let text = format!("too wet when it was last measured: {}; measure there again", named(&places));
        reasons.push(Reason::new("finish.wood", Verdict::Against, text).against("moisture", *most, "%", limit));
    }
    reasons
}

/// Wettest wood a coat goes over, %: varnish, and all others (handbook 07).
pub const WOOD_VARNISH: f64 = 14.0;
pub const WOOD: f64 = 16.0;
/// °C the surface stays above the dew point.
const MARGIN: f64 = super::coats::DEW_MARGIN;

impl Step {
    /// Wettest wood it goes over, %.
    pub fn wood_max(&self) -> f64 {
        if self.product.contains("varnish") { WOOD_VARNISH } else { WOOD }
    }
}

/// Why a coat must not, or may, go on now. A reason that forbids holds it back; one against it wants to be answered.
///
/// What was not measured forbids nothing: it asks to be measured. Errors name `temperature`, `humidity`, `surface`,
/// `wood` or `hours`. Source: handbook 07.
pub fn check(step: &Step, here: &Here) -> Result<Vec<Reason>, InputError> {
    check_air(here.temperature, here.humidity)?;
    if let Some(surface) = here.surface {
        error::within("surface", surface, -60.0, 90.0)?;
    }
    if let Some(wood) = here.wood {
        error::within("wood", wood, 0.0, 120.0)?;
    }
    let mut reasons = vec![temperature(step, here), humidity(step, here), dew(here)];
    match &here.below {
        Some(below) => reasons.extend(over(step, below, here)?),
        None => reasons.push(wood(step, here)),
    }
    if !here.ready {
        let text = "faired, no fastening proud, dust off and masked: say that it is so";
        reasons.push(Reason::new("finish.ready", Verdict::Against, text));
    }
    if here.cracks > 0 {
        let text = "a crack in sheathing or paint is opened, never painted over: the wood below is wet, or the cloth never held";
        reasons.push(Reason::new("finish.cracks", Verdict::Forbids, text).value(
            "cracks not opened",
            f64::from(here.cracks),
            "",
        ));
    }
    reasons.extend(launch(step, here));
    Ok(reasons)
}

fn temperature(step: &Step, here: &Here) -> Reason {
    let at = here.surface.unwrap_or(here.temperature);
    let (low, high) = (step.temperature_min, step.temperature_max);
    let reason = |verdict, text: &str, limit| {
        Reason::new("finish.temperature", verdict, text).against("temperature", at, "°C", limit)
    };
    if at < low {
        reason(
            Verdict::Forbids,
            "too cold for this product: warm the product and the room, never the hull with a flame",
            low,
        )
    } else if at > high {
        reason(Verdict::Forbids, "too hot: it runs and blisters; wait for shade", high)
    } else {
        reason(Verdict::For, "warm enough for this product", low)
    }
}

fn humidity(step: &Step, here: &Here) -> Reason {
    let damp = here.humidity > step.humidity_max;
    let (verdict, text) = if damp {
        (Verdict::Forbids, "the air is too damp for this product")
    } else {
        (Verdict::For, "dry enough air")
    };
    Reason::new("finish.humidity", verdict, text).against("humidity", here.humidity, "%", step.humidity_max)
}

fn dew(here: &Here) -> Reason {
    let margin = here.surface.unwrap_or(here.temperature) - dew_point(here.temperature, here.humidity);
    let verdict = if margin >= MARGIN { Verdict::For } else { Verdict::Forbids };
    Reason::new("finish.dew", verdict, "the surface must stay 3 °C above the dew point for the whole drying time")
        .formula("γ = ln(RH/100) + 17.62T/(243.12+T); Td = 243.12γ/(17.62−γ)")
        .source("Magnus")
        .against("above the dew point", margin, "°C", MARGIN)
}

fn wood(step: &Step, here: &Here) -> Reason {
    let limit = step.wood_max();
    match here.wood {
        None => Reason::new(
            "finish.wood",
            Verdict::Against,
            "nobody measured how wet the wood is: put the meter on it first",
        ),
        Some(wet) if wet > limit => {
            let text = "the wood is too wet: what is shut in comes back as blisters and rot";
            Reason::new("finish.wood", Verdict::Forbids, text).against("moisture", wet, "%", limit)
        }
        Some(wet) => Reason::new("finish.wood", Verdict::For, "dry enough wood").against("moisture", wet, "%", limit),
    }
}

/// What the coat below says.
fn over(step: &Step, below: &Below, here: &Here) -> Result<Vec<Reason>, InputError> {
    error::within("hours", below.hours, 0.0, 1e7)?;
    let (temperature, humidity) = below.air.unwrap_or((here.temperature, here.humidity));
    let factor = time_factor(temperature, humidity);
    let mut reasons = Vec::new();
    let soonest = below.step.recoat_min * factor;
    if below.hours + 1e-9 < soonest {
        let text = "the coat below is not ready: the next one wrinkles it, or shuts its solvent in";
        reasons.push(
            Reason::new("finish.recoat", Verdict::Forbids, text)
                .formula("t(T) = t20 × 2^((20 − T)/10), × 1.3 above 75 % humidity")
                .against("since the coat below", below.hours, "h", soonest),
        );
    } else if let Some(latest) = below.step.recoat_max.map(|max| max * factor)
        && below.hours > latest
    {
        let (verdict, text) = if here.sanded {
            (Verdict::For, "it waited past its time, and was sanded")
        } else {
            (
                Verdict::Forbids,
                "the coat below waited too long: the next one does not hold on it unless it is sanded first",
            )
        };
        reasons.push(Reason::new("finish.recoat", verdict, text).against(
            "since the coat below",
            below.hours,
            "h",
            latest,
        ));
    } else {
        let text = "the coat below is ready";
        reasons.push(Reason::new("finish.recoat", Verdict::For, text).against(
            "since the coat below",
            below.hours,
            "h",
            soonest,
        ));
    }
    if step.base == Base::TwoPart && matches!(below.step.base, Base::OnePart | Base::Oil) {
        let text = "a two-part coat lifts what was laid in one part: take that off, or stay with one part";
        reasons.push(Reason::new("finish.over", Verdict::Forbids, text));
    } else if step.base != Base::Oil && below.step.base == Base::Oil {
        let text = "nothing holds on oil that has not cured: try it on a corner for a week first";
        reasons.push(Reason::new("finish.over", Verdict::Against, text));
    }
    Ok(reasons)
}

/// What the launch says: the last coat must have cured by then.
fn launch(step: &Step, here: &Here) -> Option<Reason> {
    let (until, true) = (here.launch?, here.last) else { return None };
    let cure = step.full_cure * time_factor(here.temperature, here.humidity);
    let reason =
        |verdict, text: &str| Reason::new("finish.launch", verdict, text).against("until the launch", until, "h", cure);
    Some(if until < cure {
        reason(Verdict::Against, "it has not cured when she is slung and launched: slings and water mark it")
    } else {
        reason(Verdict::For, "it cures before she is launched")
    })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::finish::Recipe;

    fn fair() -> Here {
        Here {
            temperature: 18.0,
            humidity: 55.0,
            surface: None,
            wood: Some(12.0),
            below: None,
            sanded: false,
            ready: true,
            cracks: 0,
            launch: None,
            last: false,
        }
    }

    #[test]
    fn what_the_other_steps_left_stands_before_the_first_coat() {
        let (paint, varnish) = (coat(Recipe::PaintTopsides, 0), coat(Recipe::BrightBare, 0));
        assert!(unfinished(&paint, &Unfinished::default()).is_empty());
        let many: Vec<String> = (1..=5).map(|n| format!("Plane flush and fair, P{n}")).collect();
        let left = Unfinished {
            tasks: many,
            seams: vec!["P8/P9, hard filler in it".into()],
            found: vec!["Rot at P9 F8, Renew".into()],
            wood: vec![("P7 F10".into(), 15.0), ("P9 F2".into(), 17.4), ("P9 F3".into(), 22.0)],
        };
        let told = unfinished(&paint, &left);
        let rules: Vec<&str> = told.iter().map(|r| r.rule).collect();
        assert_eq!(rules, ["finish.ready", "finish.ready", "finish.found", "finish.wood"]);
        assert!(told.iter().all(|r| r.verdict == Verdict::Against), "each may be answered");
        assert!(
            told[0].text.ends_with("P1; Plane flush and fair, P2; Plane flush and fair, P3; and 2 more"),
            "{}",
            told[0].text
        );
        assert!(
            told[3].text.contains("P9 F3 22 %; P9 F2 17 %; measure") && !told[3].text.contains("P7 F10"),
            "{}",
            told[3].text
        );
        // Varnish wants drier wood than paint does; at the limit it goes on.
        let damp = Unfinished { wood: left.wood[..1].to_vec(), ..Unfinished::default() };
        assert!(unfinished(&paint, &damp).is_empty() && unfinished(&varnish, &damp).len() == 1);
        let dry = Unfinished { wood: vec![("P1 F1".into(), WOOD_VARNISH)], ..Unfinished::default() };
        assert!(unfinished(&varnish, &dry).is_empty());
    }

    fn coat(recipe: Recipe, n: usize) -> Step {
        recipe.steps().remove(n)
    }

    /// Rules that speak against the coat, each with whether it forbids.
    fn wrong(step: &Step, here: &Here) -> Vec<(&'static str, bool)> {
        let reasons = check(step, here).unwrap();
        let bad = reasons.iter().filter(|r| r.verdict >= Verdict::Against);
        bad.map(|r| (r.rule, r.verdict == Verdict::Forbids)).collect()
    }

    fn after(step: Step, hours: f64) -> Option<Below> {
        Some(Below { step, hours, air: None })
    }

    #[test]
    fn a_fair_day_on_dry_wood_has_nothing_against_it() {
        assert_eq!(wrong(&coat(Recipe::BrightBare, 0), &fair()), []);
    }

    #[test]
    fn each_mistake_is_caught_by_its_own_rule() {
        let varnish = coat(Recipe::BrightBare, 0);
        assert_eq!(wrong(&varnish, &Here { wood: Some(15.0), ..fair() }), [("finish.wood", true)]);
        // Paint takes wood that varnish does not.
        assert_eq!(wrong(&coat(Recipe::PaintTopsides, 0), &Here { wood: Some(15.0), ..fair() }), []);
        assert_eq!(wrong(&varnish, &Here { wood: None, ..fair() }), [("finish.wood", false)]);
        assert_eq!(wrong(&varnish, &Here { temperature: 5.0, ..fair() }), [("finish.temperature", true)]);
        assert_eq!(wrong(&varnish, &Here { surface: Some(40.0), ..fair() }), [("finish.temperature", true)]);
        assert_eq!(wrong(&varnish, &Here { ready: false, ..fair() }), [("finish.ready", false)]);
        assert_eq!(wrong(&varnish, &Here { cracks: 2, ..fair() }), [("finish.cracks", true)]);
        // 18 °C at 85 %: dew at 15.4 °C; and the limit of the product is 80 %.
        let damp = wrong(&varnish, &Here { humidity: 85.0, ..fair() });
        assert_eq!(damp, [("finish.humidity", true), ("finish.dew", true)]);
        // A hull that is colder than the air sweats before the air is damp: dew at 8.8 °C.
        let cold_hull = Here { surface: Some(11.0), ..fair() };
        assert_eq!(wrong(&varnish, &cold_hull), [("finish.dew", true)]);
    }

    #[test]
    fn the_coat_below_is_waited_for_and_sanded_when_it_waited_too_long() {
        let (one, two) = (coat(Recipe::BrightBare, 2), coat(Recipe::BrightBare, 3));
        // 24 h at 20 °C are 27.57 h at 18 °C; 72 h are 82.7 h.
        let at = |hours, sanded| wrong(&two, &Here { below: after(one.clone(), hours), sanded, ..fair() });
        assert_eq!(at(27.0, false), [("finish.recoat", true)]);
        assert_eq!(at(28.0, false), []);
        assert_eq!(at(83.0, false), [("finish.recoat", true)]);
        assert_eq!(at(83.0, true), []);
        // What it dried in counts, not the air of now.
        let warm = Below { step: one.clone(), hours: 20.0, air: Some((28.0, 50.0)) };
        assert_eq!(wrong(&two, &Here { below: Some(warm), ..fair() }), []);
    }

    #[test]
    fn two_part_never_goes_over_one_part_but_the_other_way_it_may() {
        let (one, two) = (coat(Recipe::PaintTopsides, 0), coat(Recipe::Sole, 1));
        assert_eq!(wrong(&two, &Here { below: after(one.clone(), 100.0), ..fair() }), [("finish.over", true)]);
        assert_eq!(wrong(&one, &Here { below: after(two, 30.0), ..fair() }), []);
        let oil = coat(Recipe::Oil, 0);
        assert_eq!(wrong(&one, &Here { below: after(oil, 100.0), ..fair() }), [("finish.over", false)]);
    }

    #[test]
    fn the_last_coat_cures_before_the_launch() {
        let last = Recipe::PaintBottom.steps().pop().unwrap();
        let before = |until| wrong(&last, &Here { launch: Some(until), last: true, ..fair() });
        // 12 h at 20 °C are 13.8 h at 18 °C.
        assert_eq!(before(12.0), [("finish.launch", false)]);
        assert_eq!(before(14.0), []);
        assert_eq!(wrong(&last, &Here { launch: Some(1.0), last: false, ..fair() }), []);
    }

    #[test]
    fn what_is_no_reading_is_refused_at_its_field() {
        let step = coat(Recipe::Oil, 0);
        let field = |here: Here| check(&step, &here).unwrap_err().field;
        assert_eq!(field(Here { temperature: f64::NAN, ..fair() }), "temperature");
        assert_eq!(field(Here { humidity: 0.0, ..fair() }), "humidity");
        assert_eq!(field(Here { wood: Some(-1.0), ..fair() }), "wood");
        assert_eq!(field(Here { below: after(step.clone(), -3.0), ..fair() }), "hours");
    }

    proptest! {
        #[test]
        fn drier_wood_and_a_longer_wait_are_never_worse(wood in 0.0..40.0f64, drier in 0.0..20.0f64, hours in 0.0..60.0f64, more in 0.0..10.0f64) {
            let step = coat(Recipe::BrightBare, 0);
            let forbids = |here: &Here| check(&step, here).unwrap().iter().filter(|r| r.verdict == Verdict::Forbids).count();
            let wet = Here { wood: Some(wood), ..fair() };
            let dry = Here { wood: Some((wood - drier).max(0.0)), ..fair() };
            prop_assert!(forbids(&dry) <= forbids(&wet));
            // Up to the latest recoat (over 80 h at 18 °C) a longer wait only helps.
            let sooner = Here { below: after(step.clone(), hours), ..fair() };
            let later = Here { below: after(step.clone(), hours + more), ..fair() };
            prop_assert!(forbids(&later) <= forbids(&sooner));
        }
    }
}
