//! What the plan of work needs of timber, glue, fastenings and coatings, and when, against the rack and the stores.

use std::collections::{BTreeMap, HashMap};

use jiff::Timestamp;
use jiff::civil::Date;
use mend_keel_core::fastening::through::Kind;
use mend_keel_core::repair::gluing;
use mend_keel_core::timber::species;
use mend_keel_core::work::estimate::Operation;
use mend_keel_core::work::supply::{Need, Standing, standing};
use mend_keel_store::decisions::{Piece, PieceState};
use mend_keel_store::plans;
use mend_keel_store::stores::{self, Item, ItemKind};
use mend_keel_store::tasks::Task;
use mend_keel_store::{Store, StoreError, boats};

use super::boat::BoatFile;
use super::planned::{Body, days_to};
use super::timber::Rack;
use super::{finish, shape, timber};

/// A thing the stores are asked for.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Thing {
    Glue,
    /// Code of its kind, size in hundredths (a screw's gauge, mm of any other), length in tenths of mm.
    Fastening(&'static str, i64, i64),
    /// By the name of the product.
    Coating(String),
}

/// Something needed, with who asks for it.
#[derive(Debug, Clone)]
pub struct Asked {
    pub need: Need,
    pub boat: String,
    pub what: String,
    pub href: String,
}

/// A thing of the stores, or what it would be, with all that is asked of it.
#[derive(Debug)]
pub struct Line {
    pub thing: Thing,
    /// Items of the stores that serve; none: nothing of the kind is kept.
    pub items: Vec<Item>,
    /// There, not reserved for anything else, and not past its day.
    pub free: f64,
    pub standing: Standing,
    pub asked: Vec<Asked>,
}

/// Timber that no board is kept for yet.
#[derive(Debug)]
pub struct Wood {
    pub asked: Asked,
    /// A board of the rack that yields it.
    pub board: Option<String>,
}

/// Everything, what must be ordered first first.
#[derive(Debug, Default)]
pub struct Supply {
    pub lines: Vec<Line>,
    pub wood: Vec<Wood>,
    /// What is asked for in amounts nobody knows yet: what, and where that is said.
    pub unknown: Vec<(String, String)>,
}

/// When tasks begin by the plan that is kept, days from today.
struct Days<'p> {
    of: HashMap<i64, &'p super::planned::Piece>,
    today: Date,
}

impl<'p> Days<'p> {
    fn of(body: Option<&'p Body>, today: Date) -> Self {
        let pieces = body.map_or(&[][..], |b| b.pieces.as_slice());
        let of = pieces.iter().flat_map(|p| p.tasks.iter().map(move |t| (*t, p))).collect();
        Self { of, today }
    }

    fn task(&self, task: &Task) -> Option<i32> {
        days_to(self.today, self.of.get(&task.id)?.from.date())
    }
}

/// Gathers what all boats that are here ask for.
pub async fn gather(store: &Store, body: Option<&Body>, today: Date) -> Result<Supply, StoreError> {
    let days = Days::of(body, today);
    let rack = Rack::load(store).await?;
    let mut needs: BTreeMap<Thing, Vec<Asked>> = BTreeMap::new();
    let mut supply = Supply::default();
    for boat in boats::list(store).await?.into_iter().filter(|b| !b.archived) {
        let file = BoatFile::load(store, boat.id).await?;
        let open: Vec<&Task> = file.tasks.iter().filter(|t| t.done_at.is_none()).collect();
        for piece in &file.pieces {
            of_piece(&file, piece, &open, &days, &rack, &mut needs, &mut supply);
        }
        coats(store, &file, today, &mut needs).await?;
        let caulk = open.iter().filter(|t| t.operation == Operation::Caulk).map(|t| t.amount).sum::<f64>();
        if caulk > 0.0 {
            let says = format!("{}: cotton and compound for {caulk:.1} m of seam", boat.name);
            supply.unknown.push((says, format!("/boats/{}/seams", boat.id)));
        }
    }
    let items = stores::items(store).await?;
    let lots = stores::lots(store, None).await?;
    let day = today.to_string();
    let stale = |item: &Item| -> f64 {
        let over = lots.iter().filter(|l| l.item_id == item.id && l.is_past(&day));
        over.map(|l| l.there).sum()
    };
    for (thing, asked) in needs {
        let serving: Vec<Item> = items.iter().filter(|i| serves(i, &thing)).cloned().collect();
        let free: f64 = serving.iter().map(|i| i.there - i.reserved - stale(i)).sum::<f64>().max(0.0);
        // Where several serve, the one that comes soonest is ordered.
        let lead = serving.iter().filter_map(|i| i.lead_days).min();
        let all: Vec<Need> = asked.iter().map(|a| a.need).collect();
        let standing = standing(&all, free, lead).map_err(|e| StoreError::Conflict(e.to_string()))?;
        supply.lines.push(Line { thing, items: serving, free, standing, asked });
    }
    let first = |l: &Line| (!l.standing.is_short(), l.standing.order_by.or(l.standing.short_on).unwrap_or(i32::MAX));
    supply.lines.sort_by_key(first);
    supply.wood.sort_by_key(|w| (w.board.is_some(), w.asked.need.day.unwrap_or(i32::MAX)));
    Ok(supply)
}

/// Timber, glue and fastenings of one piece.
fn of_piece(
    file: &BoatFile,
    piece: &Piece,
    open: &[&Task],
    days: &Days<'_>,
    rack: &Rack,
    needs: &mut BTreeMap<Thing, Vec<Asked>>,
    supply: &mut Supply,
) {
    let task = |op: Operation| open.iter().find(|t| t.decision_id == Some(piece.decision_id) && t.operation == op);
    let asked = |day: Option<i32>, amount: f64| Asked {
        need: Need { day, amount },
        boat: file.boat.name.clone(),
        what: piece.name.clone(),
        href: format!("/boats/{}/pieces/{}", file.boat.id, piece.id),
    };
    if piece.state == PieceState::Planned {
        let mill = task(Operation::Mill).and_then(|t| days.task(t));
        let wood = species::find(&piece.species).ok();
        let best = wood.and_then(|wood| rack.serving(&timber::need(piece), wood, &file.boat.name).into_iter().next());
        supply.wood.push(Wood { asked: asked(mill, 1.0), board: best.map(|(b, _)| b.tag.clone()) });
    }
    if let Some(glue) = task(Operation::Glue) {
        let kg = gluing::mixed_kg(shape::joint_area(file, piece));
        if kg > 0.0 {
            needs.entry(Thing::Glue).or_default().push(asked(days.task(glue), kg));
        }
    }
    if let Some(fasten) = task(Operation::Fasten) {
        match chosen(file, piece) {
            Some((thing, count)) => needs.entry(thing).or_default().push(asked(days.task(fasten), count)),
            None => {
                let says = format!("{}: fastenings for {}, not chosen yet", file.boat.name, piece.name);
                supply.unknown.push((says, format!("/boats/{}/fasten", file.boat.id)));
            }
        }
    }
}

/// The fastenings that were chosen for a piece, and how many.
fn chosen(file: &BoatFile, piece: &Piece) -> Option<(Thing, f64)> {
    let kept = file.fastening_of(piece.id)?;
    let kind = kept.asked["kind"].as_str().and_then(Kind::from_code)?;
    let size = match kept.answer["gauge"].as_f64() {
        Some(gauge) => gauge,
        None => kept.answer["diameter_mm"].as_f64()?,
    };
    let length = kept.answer["length_mm"].as_f64().unwrap_or(0.0);
    let count = kept.answer["count"].as_f64()?;
    Some((Thing::Fastening(kind.code(), (size * 100.0).round() as i64, (length * 10.0).round() as i64), count))
}

async fn coats(
    store: &Store,
    file: &BoatFile,
    today: Date,
    needs: &mut BTreeMap<Thing, Vec<Asked>>,
) -> Result<(), StoreError> {
    for plan in plans::of_boat(store, file.boat.id, "finish").await? {
        let steps = finish::steps_of(&plan).unwrap_or_default();
        for coat in file.coats.iter().filter(|c| c.plan_id == plan.id && c.done_at.is_none() && c.litres > 0.0) {
            let Some(step) = usize::try_from(coat.seq).ok().and_then(|at| steps.get(at)) else { continue };
            let at = coat.earliest_at.parse::<Timestamp>().ok();
            let day = at.and_then(|at| days_to(today, at.to_zoned_datetime(jiff::tz::TimeZone::system()).date()));
            needs.entry(Thing::Coating(step.product.clone())).or_default().push(Asked {
                need: Need { day, amount: coat.litres },
                boat: file.boat.name.clone(),
                what: format!("{}, {}", coat.name, plan.asked["what"].as_str().unwrap_or_default()),
                href: format!("/boats/{}/finish", file.boat.id),
            });
        }
    }
    Ok(())
}

/// Whether an item of the stores serves for a thing, in the same unit.
fn serves(item: &Item, thing: &Thing) -> bool {
    let unit = item.unit.trim().to_lowercase();
    match thing {
        Thing::Glue => item.kind == ItemKind::Glue && unit == "kg",
        Thing::Fastening(form, size, length) => {
            let spec = &item.fastening;
            let same = |told: Option<f64>, wanted: i64, per: f64, within: f64| {
                told.is_some_and(|told| (told * per - wanted as f64).abs() <= within)
            };
            spec.form.as_deref() == Some(*form)
                && same(spec.size, *size, 100.0, 6.0)
                && (*length == 0 || same(spec.length, *length, 10.0, 15.0))
        }
        Thing::Coating(product) => {
            let names = |a: &str, b: &str| a.to_lowercase().contains(&b.to_lowercase());
            item.kind == ItemKind::Coating && unit == "l" && names(&item.name, product)
        }
    }
}
