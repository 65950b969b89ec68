//! Bending: cold, steamed or laminated, and how far it springs back.

use serde::Serialize;

use crate::error::{self, InputError};
use crate::timber::board::Drying;
use crate::timber::species::Species;

/// How a piece is to be bent.
#[derive(Debug, Clone, PartialEq)]
pub struct Request<'s> {
    pub species: &'s Species,
    /// Across the bend, mm.
    pub thickness: f64,
    /// Inside radius, mm.
    pub radius: f64,
    pub drying: Drying,
    /// Kiln-dried strips up to 6 mm soaked for an hour or more bend as if air-dried.
    pub soaked: bool,
    /// A back strap takes up the stretch.
    pub strap: bool,
    /// The curve in the plank's own plane that it would be forced to: its width there and the radius, mm.
    pub edge_set: Option<(f64, f64)>,
}

impl<'s> Request<'s> {
    /// Air-dried stock bent without a strap, as most is.
    pub fn air_dried(species: &'s Species, thickness: f64, radius: f64) -> Self {
        Self { species, thickness, radius, drying: Drying::Air, soaked: false, strap: false, edge_set: None }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum SteamRisk {
    Low,
    /// Make spares, thinner and longer strips, tapered ends.
    High,
    Breaks,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Method {
    Cold,
    Steam,
    Laminate,
}

/// What bending a piece takes. Lengths mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bend {
    /// Outer-fibre stress of a dry cold bend against the bending strength, ε·E / MOR.
    pub cold_ratio: f64,
    pub cold_ok: bool,
    pub steam_ok: bool,
    pub steam_risk: SteamRisk,
    pub steam_min_radius: f64,
    pub steam_minutes: f64,
    pub method: Method,
    /// 1 unless laminated.
    pub plies: u32,
    pub ply_thickness: f64,
    /// Share of the rise that springs back off the former, for the method.
    pub spring_back: f64,
    /// The same ratio for an edge-set in the plank's own plane; beyond 0.15 it is a spiling error, not something to force.
    pub edge_set_ratio: Option<f64>,
    /// The plies would be thinner than [`THINNEST_PLY`]: soak and thin first, or make it of another wood.
    pub too_thin: bool,
}

/// Lost to the saw between two plies, mm (*yard rule*).
pub const PLY_KERF: f64 = 3.0;
/// Planed off a lamination's sides once it is glued, both together, mm (*yard rule*).
pub const CLEAN_UP: f64 = 4.0;
/// A cold bend is comfortable up to this share of the bending strength; the rest is left for service.
pub const COLD_COMFORT: f64 = 0.5;
/// Beyond this share a forced edge-set is a spiling error.
pub const EDGE_SET_LIMIT: f64 = 0.15;
/// Below this share of the least radius a steamed bend breaks.
const STEAM_RISKY: f64 = 0.7;
const STRAP: f64 = 0.6;
const KILN: f64 = 1.25;
const SOAKED_UP_TO: f64 = 6.0;
const MINUTES_PER_MM: f64 = 2.4;
const STEAMED_SPRING_BACK: f64 = 0.12;
const FEWEST_PLIES: f64 = 3.0;
/// Plies are not made thinner, mm (*yard rule*).
pub const THINNEST_PLY: f64 = 2.0;

/// Works out a bend: strain `ε = t/(2R + t)`, least steamed radius `k·t`. Errors name `thickness`, `radius` or `width`.
///
/// Source: handbook 02; stiffness and strength from the Wood Handbook, radii *yard rule*.
pub fn plan(request: &Request<'_>) -> Result<Bend, InputError> {
    let t = error::length("thickness", request.thickness)?;
    let radius = error::positive("radius", request.radius)?;
    let species = request.species;
    let stiffness = species.modulus_gpa * 1000.0 / species.bending_strength_mpa;
    let ratio = |depth: f64, radius: f64| depth / (2.0 * radius + depth) * stiffness;
    let edge_set_ratio = match request.edge_set {
        Some((width, own)) => Some(ratio(error::length("width", width)?, error::positive("edge_radius", own)?)),
        None => None,
    };
    let cold_ratio = ratio(t, radius);
    let kiln_soaked = request.soaked && t <= SOAKED_UP_TO;
    // Nobody knows how it was dried: then it may have been in a kiln.
    let may_be_kiln = matches!(request.drying, Drying::Kiln | Drying::Unknown);
    let dryness = if may_be_kiln && !kiln_soaked { KILN } else { 1.0 };
    let strap = if request.strap { STRAP } else { 1.0 };
    let steam_min_radius = species.bend_ratio * t * dryness * strap;
    let steam_risk = match radius / steam_min_radius {
        r if r >= 1.0 => SteamRisk::Low,
        r if r >= STEAM_RISKY => SteamRisk::High,
        _ => SteamRisk::Breaks,
    };
    let (cold_ok, steam_ok) = (cold_ratio <= COLD_COMFORT, steam_risk == SteamRisk::Low);
    let method = match (cold_ok, steam_ok) {
        (true, _) => Method::Cold,
        (false, true) => Method::Steam,
        (false, false) => Method::Laminate,
    };
    let plies = if method == Method::Laminate { f64::from(plies_for(species, t, radius)) } else { 1.0 };
    Ok(Bend {
        cold_ratio,
        cold_ok,
        steam_ok,
        steam_risk,
        steam_min_radius,
        steam_minutes: MINUTES_PER_MM * t,
        method,
        plies: plies as u32,
        ply_thickness: t / plies,
        spring_back: match method {
            // Sprung in cold, it comes all the way back unless it is fastened.
            Method::Cold => 1.0,
            Method::Steam => STEAMED_SPRING_BACK,
            Method::Laminate => 1.0 / (plies * plies),
        },
        edge_set_ratio,
        too_thin: plies > 1.0 && t / plies < THINNEST_PLY,
    })
}

impl Bend {
    /// What must be done before it is bent so, where the plain method will not do.
    pub fn advice(&self) -> Option<&'static str> {
        self.too_thin.then_some("plies this thin are not sawn and glued: soak thicker ones and bend them steamed, or take a wood that bends")
    }
}

/// The thickest ply that still bends cold in comfort: `t/(2R + t)·E = 0.5·MOR`, solved for t.
fn coldest_ply(radius: f64, stiffness: f64) -> f64 {
    let strain = COLD_COMFORT / stiffness;
    2.0 * radius * strain / (1.0 - strain)
}

/// Plies to laminate a thickness round an inside radius, mm: each bends cold in comfort, three at least.
pub fn plies_for(species: &Species, thickness: f64, radius: f64) -> u32 {
    let stiffness = species.modulus_gpa * 1000.0 / species.bending_strength_mpa;
    (thickness / coldest_ply(radius, stiffness)).ceil().max(FEWEST_PLIES) as u32
}

/// Radius of the former that a piece springs back from to the radius wanted, mm: the rise is made greater by what comes back.
///
/// Over a chord `2a` the rise of a circle is `R − √(R² − a²)`; the former has that rise divided by `1 − spring_back`. A bend
/// that comes all the way back has no former: `None`.
pub fn former_radius(radius: f64, chord: f64, spring_back: f64) -> Option<f64> {
    let half = (chord / 2.0).min(radius);
    let rise = radius - (radius * radius - half * half).max(0.0).sqrt();
    (spring_back < 1.0 && rise > 0.0).then(|| {
        let over = rise / (1.0 - spring_back);
        (half * half + over * over) / (2.0 * over)
    })
}

/// Pieces to be steamed, and what the box and the crew can do.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Steaming {
    pub pieces: u32,
    pub risk: SteamRisk,
    /// Across the bend, mm.
    pub thickness: f64,
    /// Pieces the box takes side by side.
    pub box_takes: u32,
    /// Seconds from the box to the last clamp, by the crew's own count.
    pub fitting_seconds: f64,
}

/// A session with the steam box.
#[derive(Debug, Clone, PartialEq)]
pub struct SteamingPlan {
    /// Pieces made over what is needed.
    pub spares: u32,
    /// Minutes each piece is steamed, and the longest it may be left.
    pub minutes: f64,
    pub most_minutes: f64,
    /// Seconds in which a piece must be on its former.
    pub working_seconds: f64,
    /// Minutes after lighting up at which each piece goes in and comes out, in order.
    pub runs: Vec<(f64, f64)>,
    /// Whether the crew is quick enough.
    pub in_time: bool,
}

/// Seconds a piece stays supple for each mm of its thickness (*yard rule*) …
const SUPPLE_PER_MM: f64 = 1.5;
/// … and the least and most.
const SUPPLE: (f64, f64) = (10.0, 45.0);
/// Between pieces coming out: bending one and coming back for the next, min (*yard rule*).
const TURN_ROUND: f64 = 5.0;
/// Longest steaming against the least.
const OVER_STEAMED: f64 = 1.5;
/// Spares for a low and for a high risk, as shares of what is needed (*yard rule*).
const SPARE_SHARES: (f64, f64) = (0.10, 0.35);

/// Plans a steaming session: pieces go in one after another so that each comes out as the last one is clamped, the box never
/// holding more than it takes, none steamed more than half as long again.
///
/// Errors name `pieces`, `thickness`, `box_takes` or `fitting_seconds`; a bend that breaks is refused at `risk`.
pub fn steaming(job: &Steaming) -> Result<SteamingPlan, InputError> {
    let t = error::length("thickness", job.thickness)?;
    if job.pieces == 0 || job.pieces > 500 {
        return Err(InputError::new("pieces", format!("must be between 1 and 500, was {}", job.pieces)));
    }
    if job.box_takes == 0 || job.box_takes > 100 {
        return Err(InputError::new("box_takes", format!("must be between 1 and 100, was {}", job.box_takes)));
    }
    error::within("fitting_seconds", job.fitting_seconds, 1.0, 600.0)?;
    let share = match job.risk {
        SteamRisk::Low => SPARE_SHARES.0,
        SteamRisk::High => SPARE_SHARES.1,
        SteamRisk::Breaks => {
            return Err(InputError::new("risk", "it breaks at this radius: laminate it, or use a back strap"));
        }
    };
    let spares = (f64::from(job.pieces) * share).ceil() as u32;
    let minutes = MINUTES_PER_MM * t;
    let working_seconds = (SUPPLE_PER_MM * t).clamp(SUPPLE.0, SUPPLE.1);
    // Each goes in a turn-round after the one before, or when a place in the box is free.
    let turn = TURN_ROUND.max(job.fitting_seconds / 60.0);
    let mut runs: Vec<(f64, f64)> = Vec::new();
    for n in 0..(job.pieces + spares) as usize {
        let after_last = runs.last().map_or(0.0, |(start, _)| start + turn);
        let place_free = n.checked_sub(job.box_takes as usize).map_or(0.0, |k| runs[k].1);
        let start = after_last.max(place_free);
        runs.push((start, start + minutes));
    }
    Ok(SteamingPlan {
        spares,
        minutes,
        most_minutes: minutes * OVER_STEAMED,
        working_seconds,
        in_time: job.fitting_seconds <= working_seconds,
        runs,
    })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::timber::species;

    fn oak(thickness: f64, radius: f64, drying: Drying) -> Request<'static> {
        let species = species::find("white_oak").unwrap();
        Request { species, thickness, radius, drying, soaked: false, strap: false, edge_set: None }
    }

    #[test]
    fn an_inch_of_oak_steams_round_a_bilge_but_not_dry_from_the_kiln() {
        let air = plan(&oak(25.0, 400.0, Drying::Air)).unwrap();
        assert_eq!((air.method, air.steam_min_radius, air.steam_minutes), (Method::Steam, 325.0, 60.0));
        let kiln = plan(&oak(25.0, 400.0, Drying::Kiln)).unwrap();
        assert_eq!((kiln.steam_risk, kiln.method), (SteamRisk::High, Method::Laminate));
        assert_eq!(
            plan(&oak(25.0, 400.0, Drying::Unknown)).unwrap().steam_min_radius,
            kiln.steam_min_radius,
            "nobody knows how it was dried"
        );
        let strapped = plan(&Request { strap: true, ..oak(25.0, 400.0, Drying::Kiln) }).unwrap();
        assert_eq!(strapped.method, Method::Steam);
    }

    #[test]
    fn a_laminated_rib_has_plies_that_bend_cold() {
        let rib = plan(&oak(30.0, 250.0, Drying::Air)).unwrap();
        assert_eq!((rib.steam_risk, rib.method), (SteamRisk::Breaks, Method::Laminate));
        let ply = plan(&oak(rib.ply_thickness, 250.0, Drying::Air)).unwrap();
        assert!(ply.cold_ok && (rib.ply_thickness * f64::from(rib.plies) - 30.0).abs() < 1e-9);
        assert_eq!(plan(&oak(0.0, 250.0, Drying::Air)).unwrap_err().field, "thickness");
    }

    #[test]
    fn a_forced_edge_set_shows() {
        // A bend of any radius across its thickness says nothing of the curve in its own plane.
        let of = |bend: f64, own: f64| {
            plan(&Request { edge_set: Some((150.0, own)), ..oak(20.0, bend, Drying::Air) })
                .unwrap()
                .edge_set_ratio
                .unwrap()
        };
        assert!(of(900.0, 20_000.0) > EDGE_SET_LIMIT && of(900.0, 400_000.0) < EDGE_SET_LIMIT);
        assert_eq!(of(900.0, 20_000.0), of(90_000.0, 20_000.0));
        assert_eq!(plan(&oak(20.0, 900.0, Drying::Air)).unwrap().edge_set_ratio, None);
    }

    #[test]
    fn plies_thinner_than_two_millimetres_are_not_advised() {
        let tight = plan(&oak(12.0, 60.0, Drying::Kiln)).unwrap();
        assert!(tight.ply_thickness < THINNEST_PLY && tight.advice().is_some_and(|a| a.contains("soak")));
        assert_eq!(plan(&oak(12.0, 3_000.0, Drying::Air)).unwrap().advice(), None);
    }

    #[test]
    fn ten_ribs_come_out_of_a_box_for_three_one_after_another() {
        let job = Steaming { pieces: 10, risk: SteamRisk::Low, thickness: 20.0, box_takes: 3, fitting_seconds: 25.0 };
        let plan = steaming(&job).unwrap();
        assert_eq!((plan.spares, plan.minutes, plan.most_minutes, plan.runs.len()), (1, 48.0, 72.0, 11));
        assert_eq!((plan.working_seconds, plan.in_time), (30.0, true));
        assert_eq!(&plan.runs[..4], &[(0.0, 48.0), (5.0, 53.0), (10.0, 58.0), (48.0, 96.0)]);
        assert_eq!(steaming(&Steaming { risk: SteamRisk::High, ..job }).unwrap().spares, 4);
        assert_eq!(steaming(&Steaming { risk: SteamRisk::Breaks, ..job }).unwrap_err().field, "risk");
        assert!(!steaming(&Steaming { fitting_seconds: 60.0, ..job }).unwrap().in_time);
    }

    #[test]
    fn a_former_is_tighter_by_what_springs_back() {
        let former = former_radius(1_000.0, 800.0, 0.12).unwrap();
        let rise = |r: f64| r - (r * r - 160_000.0).sqrt();
        assert!((rise(former) * 0.88 - rise(1_000.0)).abs() < 1e-6);
        assert_eq!(former_radius(1_000.0, 800.0, 1.0), None);
    }

    proptest! {
        #[test]
        fn the_box_never_holds_more_than_it_takes(pieces in 1u32..40, box_takes in 1u32..8, t in 5.0..60.0f64) {
            let job = Steaming { pieces, risk: SteamRisk::High, thickness: t, box_takes, fitting_seconds: 20.0 };
            let plan = steaming(&job).unwrap();
            for (i, (start, _)) in plan.runs.iter().enumerate() {
                let inside = plan.runs[..=i].iter().filter(|(_, out)| out > start).count();
                prop_assert!(inside <= box_takes as usize);
            }
            prop_assert!(plan.runs.windows(2).all(|w| w[1].1 - w[0].1 >= 5.0 - 1e-9), "two never come out at once");
        }

        #[test]
        fn a_gentler_curve_is_never_harder(t in 2.0..60.0f64, a in 100.0..9_000.0f64, b in 100.0..9_000.0f64) {
            let (tight, gentle) = (plan(&oak(t, a.min(b), Drying::Air)).unwrap(), plan(&oak(t, a.max(b), Drying::Air)).unwrap());
            prop_assert!(gentle.cold_ratio <= tight.cold_ratio && gentle.plies <= tight.plies);
        }
    }
}
