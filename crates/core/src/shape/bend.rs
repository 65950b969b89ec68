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
    /// Width in the plane of an edge-set of the same radius, mm.
    pub width: Option<f64>,
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
    /// The same ratio for an edge-set across `width`; beyond 0.15 it is a spiling error, not something to force.
    pub edge_set_ratio: Option<f64>,
}

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

/// Works out a bend: strain `ε = t/(2R + t)`, least steamed radius `k·t`. Errors name `thickness`, `radius` or `width`.
///
/// Source: handbook 02; stiffness and strength from the Wood Handbook, radii *yard rule*.
pub fn plan(request: &Request<'_>) -> Result<Bend, InputError> {
    let t = error::length("thickness", request.thickness)?;
    let radius = error::positive("radius", request.radius)?;
    let species = request.species;
    let stiffness = species.modulus_gpa * 1000.0 / species.bending_strength_mpa;
    let ratio = |depth: f64| depth / (2.0 * radius + depth) * stiffness;
    let edge_set_ratio = request.width.map(|width| error::length("width", width).map(ratio)).transpose()?;
    let cold_ratio = ratio(t);
    let kiln_soaked = request.soaked && t <= SOAKED_UP_TO;
    let dryness = if request.drying == Drying::Kiln && !kiln_soaked { KILN } else { 1.0 };
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
    let plies =
        if method == Method::Laminate { (t / coldest_ply(radius, stiffness)).ceil().max(FEWEST_PLIES) } else { 1.0 };
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
    })
}

/// The thickest ply that still bends cold in comfort: `t/(2R + t)·E = 0.5·MOR`, solved for t.
fn coldest_ply(radius: f64, stiffness: f64) -> f64 {
    let strain = COLD_COMFORT / stiffness;
    2.0 * radius * strain / (1.0 - strain)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::timber::species;

    fn oak(thickness: f64, radius: f64, drying: Drying) -> Request<'static> {
        let species = species::find("white_oak").unwrap();
        Request { species, thickness, radius, drying, soaked: false, strap: false, width: None }
    }

    #[test]
    fn an_inch_of_oak_steams_round_a_bilge_but_not_dry_from_the_kiln() {
        let air = plan(&oak(25.0, 400.0, Drying::Air)).unwrap();
        assert_eq!((air.method, air.steam_min_radius, air.steam_minutes), (Method::Steam, 325.0, 60.0));
        let kiln = plan(&oak(25.0, 400.0, Drying::Kiln)).unwrap();
        assert_eq!((kiln.steam_risk, kiln.method), (SteamRisk::High, Method::Laminate));
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
        let forced = plan(&Request { width: Some(150.0), ..oak(20.0, 20_000.0, Drying::Air) }).unwrap();
        assert!(forced.edge_set_ratio.unwrap() > EDGE_SET_LIMIT);
    }

    proptest! {
        #[test]
        fn a_gentler_curve_is_never_harder(t in 2.0..60.0f64, a in 100.0..9_000.0f64, b in 100.0..9_000.0f64) {
            let (tight, gentle) = (plan(&oak(t, a.min(b), Drying::Air)).unwrap(), plan(&oak(t, a.max(b), Drying::Air)).unwrap());
            prop_assert!(gentle.cold_ratio <= tight.cold_ratio && gentle.plies <= tight.plies);
        }
    }
}
