//! A whole region refastened: what kind and size goes where, every crossing of some strakes and frames, and what it takes altogether.

use crate::error::{self, InputError};
use crate::grid::{Address, Shell, Side};
use crate::reason::Reason;
use crate::units::LengthUnit;

use super::pattern::{Crossing, CrossingPlan, How, OldHole, Size, plan};
use super::through::{self, Kind, Layer, Nail};
use super::{Joining, ScrewPlan, crossing, order, screws, table_end};

/// A fastening with its size, drills and length, for one thickness of plank. mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Fastener {
    pub kind: Kind,
    pub size: Size,
    /// As sold; a nail's as it is cut before it is riveted. `None`: cut a bolt from rod.
    pub length: Option<f64>,
    pub drills: Drills,
    pub reasons: Vec<Reason>,
}

/// What is bored for it.
#[derive(Debug, Clone, PartialEq)]
pub enum Drills {
    Screw(Box<ScrewPlan>),
    Nail(Nail),
    /// Clearance.
    Bolt(f64),
}

/// Washers under head and nut of a bolt through planking, together, mm.
const WASHERS: f64 = 3.0;

/// Sizes a kind of fastening for a plank on what is behind it. Errors name the field of [`Joining`], or `kind` for a trenail, which has
/// no table. Bolts are those a yard buys that measures in `unit`.
pub fn fastener(kind: Kind, join: &Joining<'_>, unit: LengthUnit) -> Result<Fastener, InputError> {
    let screw = screws(join)?;
    match kind {
        Kind::Screw => Ok(Fastener {
            kind,
            size: Size::Screw(screw.gauge),
            length: Some(screw.length),
            reasons: screw.reasons.clone(),
            drills: Drills::Screw(Box::new(screw)),
        }),
        Kind::Rivet | Kind::Clench => {
            let nail = through::nail(join.plank_thickness, join.frame_moulded, kind)?;
            let formula = if kind == Kind::Clench {
                "length = plank + frame + 4 × shank"
            } else {
                "length = plank + frame + 1.5 × shank + rove"
            };
            let reason =
                Reason::note("fasten.nail", format!("{} mm for a {:.0} mm plank", nail.shank, join.plank_thickness))
                    .formula(formula)
                    .source("handbook 05")
                    .value("plank", join.plank_thickness, "mm")
                    .value("frame", join.frame_moulded, "mm")
                    .value("length", nail.length, "mm");
            Ok(Fastener {
                kind,
                size: Size::Nail(nail.shank),
                length: Some(nail.length),
                drills: Drills::Nail(nail),
                reasons: vec![
                    reason,
                    table_end(
                        join.plank_thickness,
                        through::THICKEST_NAILED,
                        "5.5 mm is the last: bolts hold thicker planking",
                    ),
                ],
            })
        }
        Kind::Bolt => {
            let layer = |name: &str, thickness| Layer { name: name.into(), thickness };
            let stack = [layer("plank", join.plank_thickness), layer("frame", join.frame_moulded)];
            let diameter = through::bolt_for(screw.shank, unit);
            let bolt = through::bolt(diameter, &stack, WASHERS, true)?;
            Ok(Fastener {
                kind,
                size: Size::Bolt(diameter),
                length: bolt.length,
                drills: Drills::Bolt(bolt.clearance_drill),
                reasons: bolt.reasons.into_iter().filter(|r| r.rule == "bolt.length").collect(),
            })
        }
        Kind::Trenail => Err(InputError::new("kind", "trenails are not planned by a table")),
    }
}

/// What is refastened.
#[derive(Debug, Clone, PartialEq)]
pub struct Region {
    pub side: Side,
    /// Strakes and frames, both ends in.
    pub strakes: (u32, u32),
    pub frames: (u32, u32),
    pub frame_sided: f64,
    /// Diameter of the old fastenings' holes where nobody recorded them, mm.
    pub old_diameter: f64,
    /// Fastenings in the lap between two frames, on a lapstrake hull.
    pub in_lap: u32,
}

/// What is known strake by strake and crossing by crossing.
pub struct Known<'k> {
    /// x of the joints on a strake, mm aft of frame 1.
    pub ends: &'k dyn Fn(u32) -> Vec<f64>,
    /// Size of the new fastenings in a strake.
    pub size: &'k dyn Fn(u32) -> Size,
    /// Old holes as somebody found them at a crossing; where nobody looked they are taken to lie where the pattern puts them.
    pub found: &'k dyn Fn(Address) -> Option<Vec<OldHole>>,
}

impl std::fmt::Debug for Known<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Known").finish_non_exhaustive()
    }
}

/// A crossing of a region.
#[derive(Debug, Clone, PartialEq)]
pub struct Planned {
    pub at: Address,
    pub old: Vec<OldHole>,
    /// Somebody recorded the old holes here.
    pub recorded: bool,
    /// Holes where the pattern would have put them leave no room, but nobody recorded any: the places are those of sound wood, and
    /// the old holes are looked for first.
    pub doubtful: bool,
    pub plan: CrossingPlan,
}

/// So many of one size.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Count {
    pub size: Size,
    pub needed: u32,
    /// With 5 % more, and in whole boxes.
    pub ordered: u32,
    pub boxes: u32,
}

/// A region as it is to be done.
#[derive(Debug, Clone, PartialEq)]
pub struct RegionPlan {
    pub crossings: Vec<Planned>,
    /// By size, the thinnest first; those of the laps with them.
    pub counts: Vec<Count>,
    /// Of them in laps.
    pub in_laps: u32,
    /// Old holes to be plugged with dowels.
    pub dowels: u32,
    /// Crossings where the rules cannot be met.
    pub renew: u32,
}

/// Most fastenings in a lap between two frames.
const IN_LAP_MOST: u32 = 20;

/// The holes at a crossing where nobody recorded any: the usual places, as thick as `diameter`.
pub fn usual_holes(width: f64, diameter: f64) -> Vec<OldHole> {
    crossing(width).into_iter().map(|y| OldHole { x: 0.0, y, diameter }).collect()
}

/// Plans every crossing of a region. Errors name `strakes`, `frames`, `in_lap`, or the field of a crossing.
pub fn plan_region(shell: &Shell, region: &Region, known: &Known<'_>) -> Result<RegionPlan, InputError> {
    let within = |field: &str, (from, to): (u32, u32), most: u32| {
        if from == 0 || from > to || to > most {
            return Err(InputError::new(field, format!("must run from 1 to {most}, the first not after the last")));
        }
        Ok(())
    };
    within("strakes", region.strakes, shell.strake_count())?;
    within("frames", region.frames, shell.frame_count())?;
    error::within("in_lap", f64::from(region.in_lap), 0.0, f64::from(IN_LAP_MOST))?;
    let mut crossings = Vec::new();
    let mut sizes: Vec<(Size, u32)> = Vec::new();
    let mut add = |size: Size, n: u32| match sizes.iter_mut().find(|(s, _)| *s == size) {
        Some((_, count)) => *count += n,
        None => sizes.push((size, n)),
    };
    let mut in_laps = 0;
    for strake in region.strakes.0..=region.strakes.1 {
        let (joints, size) = ((known.ends)(strake), (known.size)(strake));
        for frame in region.frames.0..=region.frames.1 {
            let at = Address { side: region.side, strake, frame };
            let (width, x) = (shell.width(at), shell.frame_x(frame));
            let found = (known.found)(at);
            let recorded = found.is_some();
            let old = found.unwrap_or_else(|| usual_holes(width, region.old_diameter));
            let end =
                joints.iter().map(|e| e - x).min_by(|a, b| a.abs().total_cmp(&b.abs())).filter(|e| e.abs() < 200.0);
            let here = Crossing { width, sided: region.frame_sided, size, old, end };
            let mut planned = plan(&here)?;
            // What nobody recorded condemns no plank.
            let mut doubtful = false;
            if planned.renew && !recorded {
                let sound = plan(&Crossing { old: Vec::new(), ..here.clone() })?;
                if !sound.renew {
                    (planned, doubtful) = (sound, true);
                }
            }
            planned.places.iter().for_each(|p| add(p.size, 1));
            crossings.push(Planned { at, old: here.old, recorded, doubtful, plan: planned });
        }
        let bays = region.frames.1 - region.frames.0;
        if region.in_lap > 0 && bays > 0 {
            add(size, region.in_lap * bays);
            in_laps += region.in_lap * bays;
        }
    }
    sizes.sort_by(|a, b| a.0.diameter().total_cmp(&b.0.diameter()));
    let counts = sizes
        .into_iter()
        .map(|(size, needed)| {
            let (ordered, boxes) = order(needed);
            Count { size, needed, ordered, boxes }
        })
        .collect();
    Ok(RegionPlan {
        counts,
        in_laps,
        dowels: crossings.iter().filter(|c| !c.plan.renew).map(|c| c.plan.plug.len() as u32).sum(),
        renew: crossings.iter().filter(|c| c.plan.renew).count() as u32,
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
    use crate::timber::species;

    fn shell() -> Shell {
        Shell::new(
            (0..20).map(|f| f64::from(f) * 260.0).collect(),
            (0..=8).map(|s| vec![f64::from(s) * 132.0; 20]).collect(),
        )
    }

    fn bilge() -> Region {
        Region { side: Side::Port, strakes: (3, 6), frames: (2, 18), frame_sided: 45.0, old_diameter: 4.5, in_lap: 0 }
    }

    const NOTHING: Known<'static> = Known { ends: &|_| Vec::new(), size: &|_| Size::Screw(14), found: &|_| None };

    #[test]
    fn a_bilge_is_refastened_and_its_screws_are_counted_into_boxes() {
        let known = Known { ends: &|_| vec![260.0 * 7.0 + 20.0], ..NOTHING };
        let plan = plan_region(&shell(), &bilge(), &known).unwrap();
        assert_eq!(plan.crossings.len(), 4 * 17);
        let placed: usize = plan.crossings.iter().map(|c| c.plan.places.len()).sum();
        let counted: u32 = plan.counts.iter().map(|c| c.needed).sum();
        assert_eq!(placed as u32, counted);
        assert!(plan.renew > 0, "20 mm from a butt there is no room for eight diameters");
        let wrong = Region { strakes: (4, 9), ..bilge() };
        assert_eq!(plan_region(&shell(), &wrong, &NOTHING).unwrap_err().field, "strakes");
    }

    #[test]
    fn holes_as_found_count_before_those_the_pattern_would_have() {
        let odd = Address { side: Side::Port, strake: 4, frame: 5 };
        let holes: Vec<OldHole> =
            (0..6).map(|i| OldHole { x: 0.0, y: 20.0 + 18.0 * f64::from(i), diameter: 8.0 }).collect();
        let known = Known { found: &|at| (at == odd).then(|| holes.clone()), ..NOTHING };
        let plan = plan_region(&shell(), &bilge(), &known).unwrap();
        let here = plan.crossings.iter().find(|c| c.at == odd).unwrap();
        assert!(here.recorded && here.plan.renew && here.old.len() == 6);
        assert_eq!(plan.renew, 1);
        assert!(plan.crossings.iter().filter(|c| c.at != odd).all(|c| !c.recorded && c.old.len() == 2));
    }

    #[test]
    fn a_lap_is_riveted_between_its_frames_too_and_each_strake_has_its_own_size() {
        let region = Region { strakes: (1, 2), frames: (1, 5), in_lap: 3, ..bilge() };
        let known = Known { size: &|strake| Size::Nail(if strake == 1 { 3.5 } else { 3.0 }), ..NOTHING };
        let plan = plan_region(&shell(), &region, &known).unwrap();
        assert_eq!(plan.in_laps, 2 * 4 * 3);
        let counts: Vec<(f64, u32)> = plan.counts.iter().map(|c| (c.size.diameter(), c.needed)).collect();
        assert_eq!(counts, [(3.0, 5 * 2 + 12), (3.5, 5 * 2 + 12)]);
        assert_eq!(plan_region(&shell(), &Region { in_lap: 21, ..region }, &known).unwrap_err().field, "in_lap");
    }

    #[test]
    fn every_kind_gets_its_size_from_plank_and_frame() {
        let join = Joining {
            plank: species::find("western_larch").unwrap(),
            frame: species::find("white_oak").unwrap(),
            plank_thickness: 25.0,
            plank_width: 140.0,
            frame_moulded: 40.0,
            to_plane_off: 1.0,
        };
        let of = |kind| fastener(kind, &join, LengthUnit::Millimetre).unwrap();
        assert_eq!((of(Kind::Screw).size, of(Kind::Rivet).size), (Size::Screw(14), Size::Nail(4.5)));
        // 25 + 40 + 1.5 × 4.5 + 1.2; clenched 25 + 40 + 4 × 4.5.
        assert_eq!((of(Kind::Rivet).length, of(Kind::Clench).length), (Some(72.95), Some(83.0)));
        // 65 + 3 + 1 grip, 5.2 nut, 2 threads.
        assert_eq!((of(Kind::Bolt).size, of(Kind::Bolt).length), (Size::Bolt(6.0), Some(80.0)));
        // 69 + 7/32 in + 2 threads of 1/20 in come to 77.1 mm: 3 1/4 in is the next that is sold.
        let inch = fastener(Kind::Bolt, &join, LengthUnit::Inch).unwrap();
        assert_eq!((inch.size, inch.length), (Size::Bolt(6.35), Some(3.25 * 25.4)));
        assert_eq!(fastener(Kind::Trenail, &join, LengthUnit::Inch).unwrap_err().field, "kind");
    }
}
