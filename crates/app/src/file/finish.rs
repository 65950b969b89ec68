//! Coats: the recipes there are, which coat may go on, and how a recipe becomes coats.

use jiff::{SignedDuration, Timestamp};
use mend_keel_core::finish::lay::{self, Unfinished};
use mend_keel_core::finish::{self, Recipe, Step, area};
use mend_keel_core::grid::member::{MemberKind, Surface};
use mend_keel_core::grid::{Address, Between, Place, Shell, Side, Waterline, run_of};
use mend_keel_core::reason::Reason;
use mend_keel_core::seam::line::SeamAt;
use mend_keel_core::survey::Grade;
use mend_keel_core::survey::reading::Measure;
use mend_keel_core::work::estimate::Operation;
use mend_keel_store::members::MemberRow;
use mend_keel_store::plans::{Coat, Drying, NewCoat, Plan};
use mend_keel_store::recipes::{self, Own};
use mend_keel_store::tasks::Task;
use mend_keel_store::{Store, StoreError};

use super::boat::BoatFile;
use super::make;
use super::seams::SeamFile;

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
        let steps = serde_json::from_value(kept.clone());
        return steps
            .inspect_err(|e| eprintln!("mend-keel: the coats of finish plan {} cannot be read: {e}", plan.id))
            .ok();
    }
    plan.asked["recipe"].as_str().and_then(Recipe::from_code).map(Recipe::steps)
}

/// The name of the recipe a plan was made by.
pub fn recipe_of(plan: &Plan) -> String {
    let named = plan.asked["recipe_name"].as_str().map(str::to_owned);
    let shipped = || plan.asked["recipe"].as_str().and_then(Recipe::from_code).map(|r| r.label().to_owned());
    named.or_else(shipped).unwrap_or_default()
}

/// How far a coat is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CoatState {
    /// It is on, and where nobody asks for more than that.
    On,
    /// It is on and wet.
    Wet,
    /// It is on and dry, and too soft for slings.
    Soft,
    MayGo,
    /// Its time has come, and something is not finished below it.
    Held,
    /// The one below has waited too long and wants sanding first.
    Sand,
    Waits,
}

impl CoatState {
    /// The class its mark is drawn by.
    pub fn class(self) -> &'static str {
        match self {
            Self::On => "done",
            Self::Wet => "drying",
            Self::Soft => "curing",
            Self::MayGo => "now",
            Self::Sand | Self::Held => "sand",
            Self::Waits => "wait",
        }
    }
}

/// How far a coat is: on, or whether it may go on, must be sanded for, or waits.
pub fn state(coat: &Coat, now: Timestamp) -> CoatState {
    let at = |text: &str| text.parse::<Timestamp>().ok();
    if coat.done_at.is_some() {
        CoatState::On
    } else if at(&coat.earliest_at).is_some_and(|earliest| now < earliest) {
        CoatState::Waits
    } else if coat.latest_at.as_deref().and_then(at).is_some_and(|latest| now > latest) {
        CoatState::Sand
    } else {
        CoatState::MayGo
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

/// What is coated as one, with its area.
#[derive(Debug, Clone)]
pub struct Stretch {
    pub code: String,
    pub label: String,
    /// m².
    pub area: f64,
    /// How anybody knows: `by the grid`, `by likely sizes, measure it` …
    pub known: &'static str,
    cover: Cover,
}

/// Which of her planking it is.
#[derive(Debug, Clone)]
enum Cover {
    /// None: a deck, a transom, a spar.
    Other,
    /// Under water, above it, or both.
    Sides(&'static [Side], Option<bool>, Waterline, u32),
    /// Strakes and frames, both ends in.
    Range(Vec<Side>, [u32; 2], [u32; 2]),
}

impl Stretch {
    /// With its area by the grid, and whether anybody measured the widths it is made of.
    fn measured_on(self, shell: &Shell) -> Self {
        let area = Side::BOTH.into_iter().map(|side| shell.area(side, |at| self.holds(at))).sum();
        let (mut all, mut measured) = (0, 0);
        for side in Side::BOTH {
            for strake in 1..=shell.strake_count() {
                for frame in 1..=shell.frame_count() {
                    let at = Address { side, strake, frame };
                    if self.holds(at) {
                        all += 1;
                        measured += u32::from(shell.measured.contains(&at));
                    }
                }
            }
        }
        let known = match measured {
            0 => BY_GENERATED,
            n if n < all => BY_PART,
            _ => BY_GRID,
        };
        Self { area, known, ..self }
    }

    /// Whether a place of her planking lies in it.
    pub fn holds(&self, at: Address) -> bool {
        match &self.cover {
            Cover::Other => false,
            Cover::Sides(sides, asked, waterline, frames) => {
                let under = waterline.covers(at, *frames);
                sides.contains(&at.side) && asked.is_none_or(|asked| asked == under)
            }
            Cover::Range(sides, strakes, frames) => {
                let within = |n: u32, [from, to]: [u32; 2]| n >= from && n <= to;
                sides.contains(&at.side) && within(at.strake, *strakes) && within(at.frame, *frames)
            }
        }
    }

    /// Whether a part of her lies in it, or some of it does.
    fn holds_part(&self, file: &BoatFile, id: i64) -> bool {
        if let Some(plank) = file.planks.iter().find(|p| p.id == id) {
            let at = |frame| Address { side: plank.side, strake: plank.strake, frame };
            return (1..=file.boat.shell.frame_count()).any(|frame| plank.covers(frame) && self.holds(at(frame)));
        }
        let Some(member) = file.members.iter().find(|m| m.id == id) else { return false };
        match self.code.as_str() {
            "deck" => member.kind.surface() == Surface::Deck,
            "transom" => member.kind == MemberKind::TransomPlank,
            code => code.strip_prefix('m').is_some_and(|own| own == id.to_string()),
        }
    }

    /// Whether a seam lies between two strakes of it.
    fn holds_seam(&self, shell: &Shell, seam: SeamAt) -> bool {
        let at = |strake, frame| Address { side: seam.side, strake, frame };
        (1..=shell.frame_count())
            .any(|frame| self.holds(at(seam.row + 1, frame)) && (seam.row == 0 || self.holds(at(seam.row, frame))))
    }
}

/// What stands before the first coat of a plan that is of a stretch of her.
pub fn stands_before(seams: &SeamFile, plan: &Plan, first: &Step) -> Vec<Reason> {
    let of = plan.asked["of"].as_str().and_then(|code| stretch(seams.file(), code));
    of.map_or_else(Vec::new, |of| lay::unfinished(first, &unfinished(seams, &of)))
}

/// What the other steps have not finished on what is coated.
fn unfinished(seams: &SeamFile, stretch: &Stretch) -> Unfinished {
    let file = seams.file();
    let on = |place: &Place, member: i64| match place.shell() {
        Some(at) => stretch.holds(at),
        None => stretch.holds_part(file, member),
    };
    let waits = |t: &&Task| t.done_at.is_none() && !matches!(t.operation, Operation::Coat | Operation::Inspect);
    let tasks = file.tasks.iter().filter(waits).filter_map(|t| {
        let member = t.member_id.filter(|id| stretch.holds_part(file, *id))?;
        Some(format!("{}, {}", t.what, file.part_name(member)?))
    });
    let open = SeamAt::all(&file.boat.shell).filter(|at| stretch.holds_seam(&file.boat.shell, *at));
    let open = open.filter_map(|at| {
        let begun = seams.decided(at).is_some() && !seams.is_done(at);
        let hard = seams.is_hard(at);
        let says = if hard { "hard filler in it" } else { "opened, not finished" };
        (begun || hard).then(|| format!("{}, {says}", seams.name(at)))
    });
    let found = file.findings.iter().filter(|f| f.is_open() && f.grade >= Grade::Mend && on(&f.place, f.member_id));
    let mut wood: Vec<(&Place, String, f64)> = Vec::new();
    for reading in &seams.survey.readings {
        let (Measure::Meter { relative: false, .. }, Some(percent)) = (&reading.measure, reading.value) else {
            continue;
        };
        if !reading.simulated && on(&reading.place, reading.member_id) {
            // The newest one of a place counts: they come oldest first.
            wood.retain(|(place, ..)| **place != reading.place);
            wood.push((&reading.place, file.shown(&reading.place), percent));
        }
    }
    Unfinished {
        tasks: tasks.collect(),
        seams: if file.boat.construction.between() == Between::Seam { open.collect() } else { Vec::new() },
        found: found.map(|f| file.told_graded(f)).collect(),
        wood: wood.into_iter().map(|(_, place, percent)| (place, percent)).collect(),
    }
}

const BY_GRID: &str = "by her grid";
const BY_PART: &str = "by her grid, part of it generated";
const BY_GENERATED: &str = "by a generated grid: nobody measured it";
const BY_LIKELY: &str = "by likely sizes: measure it";
const BY_MEASURE: &str = "by its measures";

/// What of her is coated as one: her planking by the grid, her deck, transom, spars, hatches and coamings by their sizes.
pub fn stretches(file: &BoatFile) -> Vec<Stretch> {
    let (boat, shell) = (&file.boat, &file.boat.shell);
    let planking = |code: &str, label: &str, sides: &'static [Side], under: Option<bool>| {
        let cover = Cover::Sides(sides, under, boat.waterline(), shell.frame_count());
        let made = Stretch { code: code.into(), label: label.into(), area: 0.0, known: BY_GRID, cover };
        made.measured_on(shell)
    };
    let mut all = vec![
        planking("topsides_port", "Topsides, port", &[Side::Port], Some(false)),
        planking("topsides_starboard", "Topsides, starboard", &[Side::Starboard], Some(false)),
        planking("topsides", "Topsides, both sides", &Side::BOTH, Some(false)),
        planking("bottom", "Bottom, both sides", &Side::BOTH, Some(true)),
        planking("hull", "All planking outside", &Side::BOTH, None),
    ];
    let other =
        |code: String, label: String, area: f64, known| Stretch { code, label, area, known, cover: Cover::Other };
    if file.members.iter().any(|m| m.kind.surface() == Surface::Deck) {
        let (half, by_lines) = make::deck_outline(file);
        let known = if by_lines { "by her table of offsets" } else { BY_LIKELY };
        all.push(other("deck".into(), "Deck".into(), area::of_deck(&half), known));
    }
    let face = |m: &MemberRow| area::of_member(m.kind, m.length, m.width, m.thickness).ok().flatten();
    let transom: Vec<&MemberRow> = file.members.iter().filter(|m| m.kind == MemberKind::TransomPlank).collect();
    let measured = |measured: bool| if measured { BY_MEASURE } else { BY_LIKELY };
    let whole: f64 = transom.iter().filter_map(|m| face(m)).sum();
    let all_measured = measured(transom.iter().all(|m| m.measured));
    all.push(other("transom".into(), "Transom, outside".into(), whole, all_measured));
    for m in
        file.members.iter().filter(|m| matches!(m.kind, MemberKind::Spar | MemberKind::Hatch | MemberKind::Coaming))
    {
        all.extend(face(m).map(|area| other(format!("m{}", m.id), m.name.clone(), area, measured(m.measured))));
    }
    all.retain(|s| s.area > 0.0);
    all
}

/// The stretch a plan was made for, by its code.
pub fn stretch(file: &BoatFile, code: &str) -> Option<Stretch> {
    range(file, code).or_else(|| stretches(file).into_iter().find(|s| s.code == code))
}

/// Planking between two corners, on one side or on both.
pub fn between(file: &BoatFile, corners: [Address; 2], both: bool) -> Stretch {
    let [a, b] = corners;
    let (strakes, frames) =
        ([a.strake.min(b.strake), a.strake.max(b.strake)], [a.frame.min(b.frame), a.frame.max(b.frame)]);
    let sides = if both || a.side != b.side { Side::BOTH.to_vec() } else { vec![a.side] };
    let letters: String = sides.iter().map(|side| side.letter()).collect();
    let on = match sides[..] {
        [Side::Port] => ", port",
        [Side::Starboard] => ", starboard",
        _ => ", both sides",
    };
    let made = Stretch {
        code: format!("range:{letters}:{}-{}:{}-{}", strakes[0], strakes[1], frames[0], frames[1]),
        label: format!("{}, {}{on}", run_of("Strake", strakes.into()), run_of("frame", frames.into())),
        area: 0.0,
        known: BY_GRID,
        cover: Cover::Range(sides, strakes, frames),
    };
    made.measured_on(&file.boat.shell)
}

fn range(file: &BoatFile, code: &str) -> Option<Stretch> {
    let mut parts = code.strip_prefix("range:")?.split(':');
    let sides: Vec<Side> =
        parts.next()?.chars().filter_map(|c| Side::BOTH.into_iter().find(|s| s.letter() == c)).collect();
    let mut pair = || -> Option<[u32; 2]> {
        let (from, to) = parts.next()?.split_once('-')?;
        Some([from.parse().ok()?, to.parse().ok()?])
    };
    let (strakes, frames) = (pair()?, pair()?);
    let at = |i: usize| Some(Address { side: *sides.first()?, strake: strakes[i], frame: frames[i] });
    Some(between(file, [at(0)?, at(1)?], sides.len() > 1))
}

#[cfg(test)]
mod tests {
    use mend_keel_core::grid::Construction;
    use mend_keel_core::hull::{self, Principal};

    use super::*;

    fn shell() -> Shell {
        let principal = Principal {
            construction: Construction::CarvelCaulked,
            length: 7_200.0,
            beam: 2_300.0,
            depth: 1_250.0,
            frames: 26,
            strakes: 11,
            plank_thickness: 22.0,
        };
        hull::generate(&principal, 3).unwrap().shell
    }

    #[test]
    fn stretches_of_a_side_that_share_nothing_and_leave_nothing_are_the_side() {
        let shell = shell();
        let of = |strakes: [u32; 2], frames: [u32; 2]| {
            let cover = Cover::Range(vec![Side::Port], strakes, frames);
            let made = Stretch { code: String::new(), label: String::new(), area: 0.0, known: BY_GRID, cover };
            made.measured_on(&shell).area
        };
        let parts = of([1, 4], [1, 26]) + of([5, 11], [1, 9]) + of([5, 11], [10, 26]);
        assert!((parts - shell.area(Side::Port, |_| true)).abs() < 1e-9);
        assert_eq!(of([12, 14], [1, 26]), 0.0);
    }

    #[test]
    fn an_area_by_widths_nobody_measured_says_so() {
        let mut shell = shell();
        let known = |shell: &Shell| {
            let cover = Cover::Range(vec![Side::Port], [2, 3], [5, 6]);
            let made = Stretch { code: String::new(), label: String::new(), area: 0.0, known: BY_GRID, cover };
            made.measured_on(shell).known
        };
        assert_eq!(known(&shell), BY_GENERATED);
        for strake in [2, 3] {
            for frame in [5, 6] {
                assert_ne!(known(&shell), BY_GRID, "one is still missing");
                shell.measured.insert(Address { side: Side::Port, strake, frame });
                // The other side's is none of hers.
                shell.measured.insert(Address { side: Side::Starboard, strake: 9, frame });
            }
        }
        assert_eq!(known(&shell), BY_GRID);
        shell.measured.remove(&Address { side: Side::Port, strake: 3, frame: 6 });
        assert_eq!(known(&shell), BY_PART);
    }
}
