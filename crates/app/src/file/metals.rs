//! All metal recorded on a boat, where it lies.

use mend_keel_core::fastening;
use mend_keel_core::fastening::record::{self, Fastened};
use mend_keel_core::fastening::through::Fitting;
use mend_keel_core::grid::{Address, Place, Side};
use mend_keel_core::metals::{self, Item, Zone};
use mend_keel_core::survey::reading::{Measure, Metal as Drawn};
use mend_keel_core::survey::{FindingKind, Grade};
use mend_keel_core::timber::species;
use mend_keel_store::fastenings::{self, Done, MetalItem, Region};
use mend_keel_store::{Store, StoreError};

use crate::file::survey::SurveyFile;

/// A metal as the survey names it, in the table.
fn of_reading(metal: Drawn) -> Option<&'static str> {
    Some(match metal {
        Drawn::Galvanised => "galvanised_steel",
        Drawn::PlainSteel => "mild_steel",
        Drawn::Copper => "copper",
        Drawn::Brass => "yellow_brass",
        Drawn::Bronze => "silicon_bronze",
        Drawn::Stainless => "stainless_316",
        Drawn::NickelCopper => "monel",
        Drawn::Wood => return None,
    })
}

/// Everything about metal that is recorded of a boat.
#[derive(Debug)]
pub struct Recorded {
    pub kept: Vec<MetalItem>,
    /// Regions refastened, each with the crossings done there.
    pub regions: Vec<(Region, Vec<Done>)>,
    pub fitted: Vec<(String, Fitting)>,
}

pub async fn load(store: &Store, boat: i64) -> std::result::Result<Recorded, StoreError> {
    let mut regions = Vec::new();
    for region in fastenings::regions(store, boat).await? {
        let done = fastenings::done(store, region.id).await?;
        regions.push((region, done));
    }
    let bolted = fastenings::all_bolted(store, boat).await?;
    let fitted = bolted.into_iter().map(|f| (f.name, f.plan)).collect();
    Ok(Recorded { kept: fastenings::metal(store, boat).await?, regions, fitted })
}

/// Everything recorded: what was written down here, every fastening that was drawn and is still what holds there, every crossing that
/// was refastened, and the bolts of fittings.
pub fn recorded(survey: &SurveyFile, all: &Recorded) -> Vec<Item> {
    let boat = &survey.file.boat;
    let oak = species::find(&boat.frame_species).is_ok_and(metals::is_tannic);
    let kept = &all.kept;
    let renewed = |at: Address| {
        all.regions
            .iter()
            .any(|(r, done)| r.side == at.side && done.iter().any(|d| (d.strake, d.frame) == (at.strake, at.frame)))
    };
    let zone = |below: bool| if below { Zone::Below } else { Zone::Splash };
    let mut items: Vec<Item> = kept
        .iter()
        .filter_map(|m| {
            Some(Item {
                name: m.name.clone(),
                metal: metals::find(&m.metal).ok()?,
                zone: m.zone,
                area: m.area,
                at: [m.x, m.y, m.z],
                in_wood: m.in_wood,
                in_oak: m.in_oak,
                alkali: m.alkali,
            })
        })
        .collect();
    let drawn = survey.readings.iter().filter_map(|r| {
        let (Measure::DrawFastening { metal, original, .. }, Some(at)) = (&r.measure, r.place.shell()) else {
            return None;
        };
        if renewed(at) {
            return None;
        }
        Some(Item {
            name: format!("fastening drawn at {}", boat.shown(at)),
            metal: metals::find(of_reading(*metal)?).ok()?,
            zone: zone(survey.file.is_below_waterline(at)),
            area: metals::head_area(*original),
            at: survey.file.boat.shell.spot(at, survey.file.boat.beam)?,
            in_wood: true,
            in_oak: oak,
            alkali: false,
        })
    });
    items.extend(drawn);
    items.extend(on_record(survey, oak, &renewed));
    for (region, done) in &all.regions {
        items.extend(done.iter().filter_map(|d| {
            let at = Address { side: region.side, strake: d.strake, frame: d.frame };
            let holding = f64::from(fastening::per_crossing(boat.shell.place(at).map(|at| boat.shell.width(at)).ok()?));
            let shank = fastening::shank_for(boat.plank_thickness);
            Some(Item {
                name: format!("new fastenings at {}", boat.shown(at)),
                metal: metals::find(&region.metal).ok()?,
                zone: zone(survey.file.is_below_waterline(at)),
                area: holding * metals::head_area(shank),
                at: survey.file.boat.shell.spot(at, survey.file.boat.beam)?,
                in_wood: true,
                in_oak: oak,
                alkali: false,
            })
        }));
    }
    items.extend(all.fitted.iter().filter_map(|(name, f)| {
        let at = Place::parse(f.place.as_deref()?).ok()?.shell()?;
        Some(Item {
            name: format!("bolts of {name}"),
            metal: metals::find(f.metal.as_deref()?).ok()?,
            zone: zone(f.below),
            area: f.holes.len().max(1) as f64 * metals::head_area(f.diameter),
            at: survey.file.boat.shell.spot(at, survey.file.boat.beam)?,
            in_wood: true,
            in_oak: oak,
            alkali: false,
        })
    }));
    // Alkali-softened wood that the survey found speaks for the metal near it.
    let soft: Vec<[f64; 3]> = survey
        .file
        .findings
        .iter()
        .filter(|f| f.is_open() && f.kind == FindingKind::Alkali)
        .filter_map(|f| survey.file.boat.shell.spot(f.address()?, survey.file.boat.beam))
        .collect();
    metals::spread_alkali(&mut items, &soft);
    items
}

/// Her fastenings as somebody recorded them, crossing by crossing where none was renewed.
fn on_record(survey: &SurveyFile, oak: bool, renewed: &impl Fn(Address) -> bool) -> Vec<Item> {
    let boat = &survey.file.boat;
    let shell = &boat.shell;
    let all = Side::BOTH.into_iter().flat_map(|side| {
        (1..=shell.strake_count())
            .flat_map(move |strake| (1..=shell.frame_count()).map(move |frame| Address { side, strake, frame }))
    });
    let mut items = Vec::new();
    for at in all.filter(|at| !renewed(*at)) {
        for record in record::at(&survey.file.fastened, at) {
            let (Ok(metal), Some(spot)) = (metals::find(&record.metal), shell.spot(at, boat.beam)) else { continue };
            let shank = record.diameter.unwrap_or_else(|| fastening::shank_for(boat.plank_thickness));
            let below = survey.file.is_below_waterline(at);
            items.push(Item {
                name: fastened_name(record),
                metal,
                zone: if below { Zone::Below } else { Zone::Splash },
                area: f64::from(fastening::per_crossing(shell.width(at))) * metals::head_area(shank),
                at: spot,
                in_wood: true,
                in_oak: oak,
                alkali: false,
            });
        }
    }
    items.truncate(MOST_RECORDED);
    items
}

/// No more crossings than this are held against each other.
const MOST_RECORDED: usize = 3_000;

/// `Copper nail and rove of 1936`.
fn fastened_name(record: &Fastened) -> String {
    match record.year {
        Some(year) => format!("{} of {year}", record.kind.label()),
        None => format!("{}, of no known year", record.kind.label()),
    }
}

/// Fastenings of a metal that were drawn: how many were good, and how many at all.
pub fn drawn_of(survey: &SurveyFile, id: &str) -> (usize, usize) {
    let of: Vec<_> = survey
        .readings
        .iter()
        .filter(|r| matches!(r.measure, Measure::DrawFastening { metal, .. } if of_reading(metal) == Some(id)))
        .collect();
    (of.iter().filter(|r| r.grade == Some(Grade::Sound)).count(), of.len())
}

/// Pairs that wet wood joins, as indexes into the items: those kept come first, in their order.
pub fn joined(kept: &[MetalItem]) -> Vec<(usize, usize)> {
    let index = |id: i64| kept.iter().position(|m| m.id == id);
    kept.iter().enumerate().filter_map(|(i, m)| Some((i, index(m.joined_to?)?))).filter(|(i, j)| i != j).collect()
}

/// When fastenings fall due that no piece above speaks of: her own, as old as she is, and those of regions renewed.
pub fn due_of_planking(survey: &SurveyFile, all: &Recorded) -> Vec<(String, &'static str, i32)> {
    let mut due: Vec<(String, &'static str, i32)> = Vec::new();
    let mut recorded: Vec<&Fastened> = survey.file.fastened.iter().filter(|r| r.year.is_some()).collect();
    recorded.dedup_by(|a, b| (a.year, &a.metal, a.kind) == (b.year, &b.metal, b.kind));
    for record in &recorded {
        if let (Some(year), Ok(metal)) = (record.year, metals::find(&record.metal)) {
            due.push((fastened_name(record), metal.id.as_str(), year));
        }
    }
    if let Some(year) = survey.file.boat.year.and_then(|y| i32::try_from(y).ok()) {
        let mut seen = std::collections::BTreeSet::new();
        for reading in &survey.readings {
            if let Measure::DrawFastening { metal, .. } = reading.measure
                && let Some(id) = of_reading(metal)
                && !recorded.iter().any(|r| r.metal == id)
                && seen.insert(id)
            {
                due.push((format!("Fastenings drawn, where they are of {year}"), id, year));
            }
        }
    }
    for (region, done) in &all.regions {
        let year = done.iter().filter_map(|d| d.at.get(..4)?.parse().ok()).max();
        if let (Some(year), Ok(metal)) = (year, metals::find(&region.metal)) {
            due.push((format!("{}, renewed", region.name), metal.id.as_str(), year));
        }
    }
    due
}
