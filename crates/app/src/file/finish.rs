//! Coats: the recipes there are, which coat may go on, and how a recipe becomes coats.

use jiff::{SignedDuration, Timestamp};
use mend_keel_core::finish::{self, Recipe, Step};
use mend_keel_core::grid::{Address, Side, Waterline};
use mend_keel_store::boats::Boat;
use mend_keel_store::plans::{Coat, Drying, NewCoat, Plan};
use mend_keel_store::recipes::{self, Own};
use mend_keel_store::{Store, StoreError};

/// Every recipe a plan may be made by: the shipped ones, and the yard's own.
#[derive(Debug)]
pub struct Recipes {
    pub own: Vec<Own>,
}

impl Recipes {
    pub async fn load(store: &Store) -> Result<Self, StoreError> {
        Ok(Self { own: recipes::all(store).await? })
    }

    /// Code and name, the yard's own first.
    pub fn names(&self) -> Vec<(String, String)> {
        let own = self.own.iter().map(|own| (own.code.clone(), own.name.clone()));
        own.chain(Recipe::ALL.iter().map(|r| (r.code().to_owned(), r.label().to_owned()))).collect()
    }

    /// Name and coats of a recipe.
    pub fn find(&self, code: &str) -> Option<(String, Vec<Step>)> {
        match self.own.iter().find(|own| own.code == code) {
            Some(own) => Some((own.name.clone(), own.steps.clone())),
            None => Recipe::from_code(code).map(|r| (r.label().to_owned(), r.steps())),
        }
    }
}

/// The coats a plan was made with: as they were then, whatever became of the recipe.
pub fn steps_of(plan: &Plan) -> Option<Vec<Step>> {
    let kept = &plan.asked["steps"];
    if kept.is_array() {
        return serde_json::from_value(kept.clone()).ok();
    }
    plan.asked["recipe"].as_str().and_then(Recipe::from_code).map(Recipe::steps)
}

/// The name of the recipe a plan was made by.
pub fn recipe_of(plan: &Plan) -> String {
    let named = plan.asked["recipe_name"].as_str().map(str::to_owned);
    let shipped = || plan.asked["recipe"].as_str().and_then(Recipe::from_code).map(|r| r.label().to_owned());
    named.or_else(shipped).unwrap_or_default()
}

/// `done`, `now`, `wait`, or `sand` when the coat below has waited too long.
pub fn state(coat: &Coat, now: Timestamp) -> &'static str {
    let at = |text: &str| text.parse::<Timestamp>().ok();
    if coat.done_at.is_some() {
        "done"
    } else if at(&coat.earliest_at).is_some_and(|earliest| now < earliest) {
        "wait"
    } else if coat.latest_at.as_deref().and_then(at).is_some_and(|latest| now > latest) {
        "sand"
    } else {
        "now"
    }
}

/// Hours as a length of time.
fn lasting(hours: f64) -> SignedDuration {
    SignedDuration::from_secs_f64(hours * 3600.0)
}

/// When a coat is dry, cured, and takes the next one, from the air it was laid in.
pub fn drying(step: &Step, temperature: f64, humidity: f64, at: Timestamp) -> Drying {
    let factor = finish::time_factor(temperature, humidity);
    let after = |hours: f64| at + lasting(hours * factor);
    Drying {
        dry: after(step.touch_dry),
        cured: after(step.full_cure),
        next: after(step.recoat_min),
        next_latest: step.recoat_max.map(after),
    }
}

/// The coats of a plan with their times from the first one's.
pub fn coats_from(plan: &finish::Plan, start: Timestamp) -> Vec<NewCoat> {
    let after = |hours: f64| start + lasting(hours);
    let coat = |c: &finish::Coat| NewCoat {
        name: c.step.step.clone(),
        litres: c.litres,
        earliest: after(c.earliest),
        latest: c.latest.map(after),
    };
    plan.coats.iter().map(coat).collect()
}

/// A stretch of her planking that is coated as one.
#[derive(Debug, Clone, Copy)]
pub struct Stretch {
    pub code: &'static str,
    pub label: &'static str,
    /// m², by her grid.
    pub area: f64,
    sides: &'static [Side],
    /// Under water, above it, or both.
    under: Option<bool>,
    waterline: Waterline,
    frames: u32,
}

impl Stretch {
    /// Whether a place of her planking lies in it.
    pub fn holds(&self, at: Address) -> bool {
        let under = self.waterline.covers(at, self.frames);
        self.sides.contains(&at.side) && self.under.is_none_or(|asked| asked == under)
    }
}

/// What of her planking is coated as one, with its area by the grid.
pub fn stretches(boat: &Boat) -> Vec<Stretch> {
    let shell = &boat.shell;
    let stretch = |code, label, sides: &'static [Side], under: Option<bool>| {
        let (waterline, frames) = (boat.waterline(), shell.frame_count());
        let mut made = Stretch { code, label, area: 0.0, sides, under, waterline, frames };
        made.area = sides.iter().map(|side| shell.area(*side, |at| made.holds(at))).sum();
        made
    };
    let all = [
        stretch("topsides_port", "Topsides, port", &[Side::Port], Some(false)),
        stretch("topsides_starboard", "Topsides, starboard", &[Side::Starboard], Some(false)),
        stretch("topsides", "Topsides, both sides", &Side::BOTH, Some(false)),
        stretch("bottom", "Bottom, both sides", &Side::BOTH, Some(true)),
        stretch("hull", "All planking outside", &Side::BOTH, None),
    ];
    all.into_iter().filter(|s| s.area > 0.0).collect()
}
