//! Fastenings, metals, seams.

use mend_keel_core::InputError;
use mend_keel_core::fastening::pattern::Size;
use mend_keel_core::fastening::through::{self, At, Kind, Layer, Surface};
use mend_keel_core::fastening::{self, Joining, pattern};
use mend_keel_core::grid::Construction;
use mend_keel_core::metals::{self, Item, Zone};
use mend_keel_core::reason::Reason;
use mend_keel_core::seam::balance::{self, ELASTOMER_GIVE, Filling, TAPES};
use mend_keel_core::seam::{self, LaidDeck, SeamSchool, Treatment, Ways};
use mend_keel_core::timber::{shrinkage_at, species};
use serde::Deserialize;
use serde_json::{Value, json};

use super::{Outcome, read};

pub fn fasten(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        plank_species: String,
        frame_species: String,
        plank_thickness: f64,
        plank_width: f64,
        frame_moulded: f64,
        #[serde(default)]
        to_plane_off: f64,
        #[serde(default)]
        count: Option<u32>,
        #[serde(default)]
        kind: Option<Kind>,
        #[serde(default)]
        inside: bool,
        #[serde(default)]
        original: Option<Kind>,
    }
    let input: In = read(input)?;
    let at = At { inside: input.inside, lap: false, original: input.original, structural: false };
    let (by_rule, because) = through::choose(at);
    // Where access is said, the rules choose; a kind that is asked for stands.
    let said = input.inside || input.original.is_some();
    let kind = input.kind.unwrap_or(if said { by_rule } else { Kind::Screw });
    let why = |mut own: Vec<Reason>| {
        if said {
            own.extend(because.clone());
        }
        own
    };
    let wood = |field: &str, id: &str| species::find(id).map_err(|e| InputError::new(field, e.message));
    let (plank, frame) = (wood("plank_species", &input.plank_species)?, wood("frame_species", &input.frame_species)?);
    let order = input.count.map(fastening::order);
    match kind {
        Kind::Screw => {
            let p = fastening::screws(&Joining {
                plank,
                frame,
                plank_thickness: input.plank_thickness,
                plank_width: input.plank_width,
                frame_moulded: input.frame_moulded,
                to_plane_off: input.to_plane_off,
            })?;
            Ok(json!({
                "kind": "screw", "gauge": p.gauge, "length": p.length, "shank": p.shank, "root": p.root, "head": p.head,
                "clearance_drill": p.pilot_plank, "pilot_drill": p.pilot_frame, "plug": p.plug, "head_depth": p.head_depth,
                "bored_depth": p.bored_depth, "hold": p.hold, "working_load": p.working_load, "per_crossing": p.per_crossing,
                "edge_distance": p.edge_distance, "end_distance": p.end_distance, "stagger": p.stagger,
                "order": order.map(|o| o.0), "boxes": order.map(|o| o.1), "reasons": why(p.reasons),
            }))
        }
        kind @ (Kind::Rivet | Kind::Clench) => {
            let nail = through::nail(input.plank_thickness, input.frame_moulded, kind)?;
            Ok(json!({
                "kind": kind, "shank": nail.shank, "length": nail.length, "drill": nail.drill,
                "per_crossing": fastening::per_crossing(input.plank_width), "order": order.map(|o| o.0), "boxes": order.map(|o| o.1), "reasons": why(Vec::new()),
            }))
        }
        _ => Err(InputError::new("kind", "must be screw, rivet or clench; bolts have a tool of their own")),
    }
}

pub fn fasten_pattern(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        width: f64,
        sided: f64,
        #[serde(default)]
        gauge: Option<u32>,
        #[serde(default)]
        nail: Option<f64>,
        #[serde(default)]
        bolt: Option<f64>,
        #[serde(default)]
        old: Vec<pattern::OldHole>,
        #[serde(default)]
        end: Option<f64>,
    }
    let input: In = read(input)?;
    let size = match (input.gauge, input.nail, input.bolt) {
        (Some(gauge), None, None) => Size::Screw(gauge),
        (None, Some(mm), None) => Size::Nail(mm),
        (None, None, Some(mm)) => Size::Bolt(mm),
        _ => return Err(InputError::new("gauge", "give one of gauge, nail and bolt")),
    };
    let crossing = pattern::Crossing { width: input.width, sided: input.sided, size, old: input.old, end: input.end };
    let p = pattern::plan(&crossing)?;
    let places: Vec<Value> = p
        .places
        .iter()
        .map(|p| json!({ "x": p.x, "y": p.y, "gauge": p.size.gauge(), "diameter": p.diameter, "how": p.how, "old": p.old }))
        .collect();
    Ok(json!({ "places": places, "plug": p.plug, "section": p.section, "renew": p.renew, "reasons": p.reasons }))
}

pub fn bolt(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct ExtLayer {
        #[serde(default)]
        name: String,
        thickness: f64,
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        diameter: f64,
        layers: Vec<ExtLayer>,
        #[serde(default)]
        washers: f64,
        #[serde(default = "yes")]
        bedded: bool,
        #[serde(default)]
        surface: Option<Surface>,
        #[serde(default)]
        comes_apart: bool,
        #[serde(default)]
        below: bool,
    }
    fn yes() -> bool {
        true
    }
    let input: In = read(input)?;
    let layers: Vec<Layer> = input.layers.into_iter().map(|l| Layer { name: l.name, thickness: l.thickness }).collect();
    let b = through::bolt(input.diameter, &layers, input.washers, input.bedded)?;
    // What to bed it in is answered where it is said what it stands on.
    let bedding = input.surface.map(|surface| through::bedding(surface, input.comes_apart, input.below));
    let mut reasons = b.reasons;
    reasons.extend(bedding.iter().flat_map(|(_, why)| why.clone()));
    Ok(json!({
        "grip": b.grip, "needed": b.needed, "length": b.length, "tapping_drill": b.tapping_drill,
        "clearance_drill": b.clearance_drill, "oversize": b.oversize,
        "plate": { "side": b.plate.0, "metal": b.plate.1, "plywood": b.plate.2 },
        "bedding": bedding.map(|(with, _)| with), "reasons": reasons,
    }))
}

pub fn metals(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct ExtItem {
        #[serde(default)]
        name: String,
        metal: String,
        zone: Zone,
        #[serde(default)]
        area: f64,
        at: [f64; 3],
        #[serde(default)]
        in_wood: bool,
        #[serde(default)]
        in_oak: bool,
        #[serde(default)]
        alkali: bool,
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        items: Vec<ExtItem>,
        #[serde(default)]
        joined: Vec<(usize, usize)>,
    }
    let input: In = read(input)?;
    let mut items = Vec::with_capacity(input.items.len());
    for (i, item) in input.items.into_iter().enumerate() {
        items.push(Item {
            name: item.name,
            metal: metals::find(&item.metal).map_err(|e| e.within(&format!("items[{i}]")))?,
            zone: item.zone,
            area: item.area,
            at: item.at,
            in_wood: item.in_wood,
            in_oak: item.in_oak,
            alkali: item.alkali,
        });
    }
    let troubles: Vec<Value> = metals::check(&items, &input.joined)?
        .iter()
        .map(|t| json!({ "a": t.a, "b": t.b, "level": t.level, "difference": t.difference, "cure": t.cure, "reasons": t.reasons }))
        .collect();
    Ok(json!({ "troubles": troubles }))
}

pub fn seam_tool(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        #[serde(default)]
        thickness: Option<f64>,
        length: f64,
        #[serde(default)]
        width: Option<f64>,
        #[serde(default)]
        construction: Option<Construction>,
        #[serde(default)]
        treatment: Option<Treatment>,
        #[serde(default)]
        school: Option<SeamSchool>,
        #[serde(default)]
        stays_dry: bool,
        #[serde(default)]
        deck: Option<LaidDeck>,
        #[serde(default)]
        depth: Option<f64>,
    }
    let input: In = read(input)?;
    if let Some(kind) = input.deck {
        let hull = [
            ("thickness", input.thickness.is_some()),
            ("construction", input.construction.is_some()),
            ("treatment", input.treatment.is_some()),
        ];
        if let Some((field, _)) = hull.into_iter().find(|(_, given)| *given) {
            return Err(InputError::new(field, "belongs to a seam of the hull, not of a deck"));
        }
        let d = seam::deck(kind, input.width.unwrap_or(seam::DECK_WIDTH), input.depth, input.length)?;
        return Ok(json!({
            "deck": kind, "width": d.width, "depth": d.depth, "depth_least": d.depth_least, "depth_most": d.depth_most,
            "cotton": d.cotton, "bond_breaker_width": d.bond_breaker_width, "compound_ml": d.compound_ml,
            "cartridges": d.cartridges, "tape_length": d.tape_length, "reasons": d.reasons,
        }));
    }
    if input.depth.is_some() {
        return Err(InputError::new("depth", "belongs to a seam of a deck: give deck"));
    }
    let thickness = input.thickness.ok_or_else(|| InputError::new("thickness", "is needed"))?;
    let construction = input.construction.unwrap_or(Construction::CarvelCaulked);
    let ways = Ways { school: input.school.unwrap_or(SeamSchool::Soft), stays_dry: input.stays_dry };
    let treatment = input.treatment.unwrap_or_else(|| seam::usual_by(construction, ways));
    let thin = seam::too_thin(thickness, treatment);
    let judged = thin.unwrap_or_else(|| seam::judge_by(construction, treatment, ways));
    let c = seam::taken(treatment, thickness, input.length, input.width)?;
    let reasons: Vec<_> = std::iter::once(judged.clone()).chain(c.reasons).collect();
    Ok(json!({
        "verdict": judged.verdict, "treatment": treatment, "width": c.width, "open_depth": c.open_depth,
        "cotton_depth": c.cotton_depth, "compound_depth": c.compound_depth, "edge_bevel": c.edge_bevel, "strands": c.strands,
        "oakum": c.oakum, "cotton_length": c.cotton_length, "compound_ml": c.compound_ml, "cartridges": c.cartridges,
        "primer_ml": c.primer_ml, "tape_length": c.tape_length, "reasons": reasons,
    }))
}

pub fn seam_balance(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        plank_width: f64,
        #[serde(default)]
        species: Option<String>,
        #[serde(default)]
        ring_angle: Option<f64>,
        #[serde(default)]
        shrinkage: Option<f64>,
        now: f64,
        service: f64,
        seam_width: f64,
        filling: Filling,
        #[serde(default)]
        rated: Option<f64>,
    }
    let input: In = read(input)?;
    let shrinkage = match (input.shrinkage, &input.species) {
        (Some(_), Some(_)) => return Err(InputError::new("shrinkage", "give species or shrinkage, not both")),
        (Some(s), None) => s,
        (None, Some(id)) => {
            let wood = species::find(id)?;
            let angle = input.ring_angle.unwrap_or(0.0);
            if !(0.0..=90.0).contains(&angle) {
                return Err(InputError::new("ring_angle", "must be between 0 (flat) and 90 (quarter)"));
            }
            shrinkage_at(wood.shrinkage_radial, wood.shrinkage_tangential, angle)
        }
        (None, None) => return Err(InputError::new("species", "give species or shrinkage")),
    };
    let b = balance::seam(&balance::Seam {
        plank_width: input.plank_width,
        shrinkage,
        now: input.now,
        service: input.service,
        seam_width: input.seam_width,
        filling: input.filling,
        rated: input.rated.unwrap_or(ELASTOMER_GIVE),
    })?;
    Ok(json!({
        "swelling": b.swelling, "crush": b.crush, "give": b.give, "closure": b.closure, "opens": b.opens, "fate": b.fate,
        "reasons": b.reasons,
    }))
}

pub fn tape(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        face: f64,
        seam_length: f64,
        #[serde(default)]
        sold: Option<Vec<f64>>,
    }
    let input: In = read(input)?;
    let sold = input.sold.unwrap_or_else(|| TAPES.to_vec());
    let t = balance::tape(input.face, input.seam_length, &sold)?;
    Ok(json!({ "width": t.width, "short": t.short, "length": t.length, "rolls": t.rolls }))
}
