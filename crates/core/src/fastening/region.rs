//! A whole region refastened: every crossing of some strakes and frames, and what it takes altogether.

use std::collections::BTreeMap;

use crate::error::InputError;
use crate::grid::{Address, Shell, Side};

use super::pattern::{Crossing, CrossingPlan, How, OldHole, plan};
use super::{crossing, order};

/// What is refastened.
#[derive(Debug, Clone, PartialEq)]
pub struct Region {
    pub side: Side,
    /// Strakes and frames, both ends in.
    pub strakes: (u32, u32),
    pub frames: (u32, u32),
    pub gauge: u32,
    pub frame_sided: f64,
    /// Diameter of the old fastenings' holes, mm.
    pub old_diameter: f64,
}

/// A region as it is to be done.
#[derive(Debug, Clone, PartialEq)]
pub struct RegionPlan {
    pub crossings: Vec<(Address, CrossingPlan)>,
    /// Screws by gauge: needed, with 5 % spares, and boxes.
    pub screws: BTreeMap<u32, (u32, u32, u32)>,
    /// Old holes to be plugged with dowels.
    pub dowels: u32,
    /// Crossings where the rules cannot be met.
    pub renew: u32,
}

/// Plans every crossing of a region. `ends` gives, for a strake, x of the joints on it, mm aft of frame 1. Errors name `strakes` or `frames`.
pub fn plan_region(shell: &Shell, region: &Region, ends: impl Fn(u32) -> Vec<f64>) -> Result<RegionPlan, InputError> {
    let within = |field: &str, (from, to): (u32, u32), most: u32| {
        if from == 0 || from > to || to > most {
            return Err(InputError::new(field, format!("must run from 1 to {most}, the first not after the last")));
        }
        Ok(())
    };
    within("strakes", region.strakes, shell.strake_count())?;
    within("frames", region.frames, shell.frame_count())?;
    let mut crossings = Vec::new();
    for strake in region.strakes.0..=region.strakes.1 {
        let joints = ends(strake);
        for frame in region.frames.0..=region.frames.1 {
            let at = Address { side: region.side, strake, frame };
            let (width, x) = (shell.width(at), shell.frame_x(frame));
            let old =
                crossing(width).into_iter().map(|y| OldHole { x: 0.0, y, diameter: region.old_diameter }).collect();
            let end =
                joints.iter().map(|e| e - x).min_by(|a, b| a.abs().total_cmp(&b.abs())).filter(|e| e.abs() < 200.0);
            let here = Crossing { width, sided: region.frame_sided, gauge: region.gauge, old, end };
            crossings.push((at, plan(&here)?));
        }
    }
    let mut screws: BTreeMap<u32, u32> = BTreeMap::new();
    for place in crossings.iter().flat_map(|(_, p)| &p.places) {
        *screws.entry(place.gauge).or_default() += 1;
    }
    Ok(RegionPlan {
        screws: screws
            .into_iter()
            .map(|(gauge, needed)| {
                let (with_spares, boxes) = order(needed);
                (gauge, (needed, with_spares, boxes))
            })
            .collect(),
        dowels: crossings.iter().filter(|(_, p)| !p.renew).map(|(_, p)| p.plug.len() as u32).sum(),
        renew: crossings.iter().filter(|(_, p)| p.renew).count() as u32,
        crossings,
    })
}

/// What is done at a crossing, in one word.
pub fn word(plan: &CrossingPlan) -> &'static str {
    if plan.renew {
        return "renew";
    }
    match plan.places.iter().map(|p| p.how).max_by_key(|how| match how {
        How::New => 0,
        How::Reuse => 1,
        How::BesidePlug => 2,
    }) {
        Some(How::Reuse) => "reuse",
        Some(How::BesidePlug) => "plug",
        _ => "new",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_bilge_is_refastened_and_its_screws_are_counted_into_boxes() {
        let shell = Shell::new(
            (0..20).map(|f| f64::from(f) * 260.0).collect(),
            (0..=8).map(|s| vec![f64::from(s) * 132.0; 20]).collect(),
        );
        let region = Region {
            side: Side::Port,
            strakes: (3, 6),
            frames: (2, 18),
            gauge: 14,
            frame_sided: 45.0,
            old_diameter: 4.5,
        };
        let plan = plan_region(&shell, &region, |_| vec![260.0 * 7.0 + 20.0]).unwrap();
        assert_eq!(plan.crossings.len(), 4 * 17);
        let placed: usize = plan.crossings.iter().map(|(_, p)| p.places.len()).sum();
        let counted: u32 = plan.screws.values().map(|s| s.0).sum();
        assert_eq!(placed as u32, counted);
        assert!(plan.renew > 0, "20 mm from a butt there is no room for eight diameters");
        assert_eq!(
            plan_region(&shell, &Region { strakes: (4, 9), ..region }, |_| vec![]).unwrap_err().field,
            "strakes"
        );
    }
}
