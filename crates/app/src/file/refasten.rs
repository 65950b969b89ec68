//! A region that is refastened, with the fastenings and old holes that count there.

use std::collections::{BTreeMap, HashMap};

use mend_keel_core::InputError;
use mend_keel_core::fastening::pattern::{OldHole, Size};
use mend_keel_core::fastening::region::{self, Fastener, Known, Region as CoreRegion, RegionPlan};
use mend_keel_core::fastening::sick::{self, Sick};
use mend_keel_core::fastening::{Joining, record, through};
use mend_keel_core::grid::Address;
use mend_keel_core::survey::reading::Measure;
use mend_keel_core::survey::{FindingKind, Grade};
use mend_keel_core::timber::species;
use mend_keel_core::units::LengthUnit;
use mend_keel_store::StoreError;
use mend_keel_store::fastenings::Region;
use mend_keel_store::findings::{Finding, Reading};

use crate::file::boat::BoatFile;

/// How anybody knows how thick the old fastenings of a region are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum KnownBy {
    /// So many were drawn.
    Drawn(usize),
    /// Somebody recorded it.
    Record,
    /// Nobody: a nail's by the plank's thickness.
    Nobody,
}

/// How thick the old fastenings are, mm, and how it is known: the thickest drawn in the region when new; the
/// thickest recorded there; the thickest drawn elsewhere on the boat; a nail's by the plank's thickness.
pub fn old_diameter(file: &BoatFile, readings: &[Reading], region: &Region) -> (f64, KnownBy) {
    let drawn: Vec<(Address, f64)> = readings
        .iter()
        .filter_map(|r| match r.measure {
            Measure::DrawFastening { original, .. } => Some((r.place.shell()?, original)),
            _ => None,
        })
        .collect();
    let thickest = |of: &[f64]| of.iter().copied().max_by(f64::total_cmp);
    let within: Vec<f64> = drawn.iter().filter(|(at, _)| region.holds(*at)).map(|(_, d)| *d).collect();
    let anywhere: Vec<f64> = drawn.iter().map(|(_, d)| *d).collect();
    let recorded: Vec<f64> =
        crossings(region).flat_map(|at| record::at(&file.fastened, at)).filter_map(|r| r.diameter).collect();
    // What was drawn here counts before what somebody wrote of it, and that before what was drawn elsewhere.
    if let Some(d) = thickest(&within) {
        (d, KnownBy::Drawn(within.len()))
    } else if let Some(d) = thickest(&recorded) {
        (d, KnownBy::Record)
    } else if let Some(d) = thickest(&anywhere) {
        (d, KnownBy::Drawn(anywhere.len()))
    } else {
        (through::nail_shank(file.boat.plank_thickness), KnownBy::Nobody)
    }
}

/// Every crossing of a region.
fn crossings(region: &Region) -> impl Iterator<Item = Address> + use<> {
    let (side, frames) = (region.side, region.frame_from..=region.frame_to);
    (region.strake_from..=region.strake_to)
        .flat_map(move |strake| frames.clone().map(move |frame| Address { side, strake, frame }))
}

/// What goes into a strake: sized by the thinnest of its planks in the region, on the frames behind it.
fn fastener(
    file: &BoatFile,
    region: &Region,
    strake: u32,
    unit: LengthUnit,
) -> std::result::Result<Fastener, StoreError> {
    let broken = |e: InputError| StoreError::Conflict(e.to_string());
    let frames = (region.frame_from..=region.frame_to).map(|frame| Address { side: region.side, strake, frame });
    let thickness = frames
        .clone()
        .filter_map(|at| file.plank_at(at).ok())
        .map(|p| p.thickness)
        .min_by(f64::total_cmp)
        .unwrap_or(file.boat.plank_thickness);
    region::fastener(
        region.kind,
        &Joining {
            plank: species::find(&file.boat.plank_species).map_err(broken)?,
            frame: species::find(&file.boat.frame_species).map_err(broken)?,
            plank_thickness: thickness,
            plank_width: file.boat.shell.widest(region.side, strake, region.frame_from, region.frame_to),
            frame_moulded: file.boat.frame_moulded,
            to_plane_off: region.to_plane_off,
        },
        unit,
    )
    .map_err(broken)
}

/// A region with what goes into each strake and every crossing planned.
#[derive(Debug)]
pub struct Worked {
    pub fasteners: BTreeMap<u32, Fastener>,
    pub plan: RegionPlan,
}

pub fn work_out(
    file: &BoatFile,
    region: &Region,
    holes: &HashMap<Address, Vec<OldHole>>,
    old_diameter: f64,
    unit: LengthUnit,
) -> std::result::Result<Worked, StoreError> {
    let shell = &file.boat.shell;
    // The grid may have been made smaller than the region.
    let region = Region {
        strake_to: region.strake_to.min(shell.strake_count()),
        frame_to: region.frame_to.min(shell.frame_count()),
        ..region.clone()
    };
    let mut fasteners = BTreeMap::new();
    for strake in region.strake_from..=region.strake_to {
        fasteners.insert(strake, fastener(file, &region, strake, unit)?);
    }
    let asked = CoreRegion {
        side: region.side,
        strakes: (region.strake_from, region.strake_to),
        frames: (region.frame_from, region.frame_to),
        frame_sided: file.boat.frame_sided,
        old_diameter,
        in_lap: region.in_lap,
    };
    let ends = |strake: u32| {
        let joints = file.joints.iter().filter(move |j| j.side == region.side && j.strake == strake);
        joints.map(|j| shell.bay_middle(j.bay)).collect()
    };
    let size = |strake: u32| fasteners.get(&strake).map_or(Size::Screw(14), |f| f.size);
    let known = Known { ends: &ends, size: &size, found: &|at| holes.get(&at).cloned() };
    let plan = region::plan_region(shell, &asked, &known).map_err(|e| StoreError::Conflict(e.to_string()))?;
    Ok(Worked { fasteners, plan })
}

/// Sick fastenings that no region takes in yet: regions to plan, and parts that are no planking.
#[derive(Debug)]
pub struct Asking {
    pub regions: Vec<Sick>,
    /// Parts with one, each once: a bolt or a fitting, which is not planned by a region.
    pub members: Vec<String>,
}

/// What sick fastenings still ask for.
pub fn asking(file: &BoatFile, planned: &[Region]) -> Asking {
    let open = |f: &&Finding| f.kind == FindingKind::SickFastening && f.is_open() && f.grade > Grade::Sound;
    let (mut places, mut members) = (Vec::new(), Vec::new());
    for finding in file.findings.iter().filter(open) {
        match finding.address() {
            Some(at) if planned.iter().any(|r| r.holds(at)) => {}
            Some(at) => places.push(at),
            None => members.extend(file.members.iter().find(|m| m.id == finding.member_id).map(|m| m.name.clone())),
        }
    }
    members.sort();
    members.dedup();
    Asking { regions: sick::regions(&places), members }
}
