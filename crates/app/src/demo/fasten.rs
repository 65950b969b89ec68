//! Brindle Wren's sick nails along the waterline being renewed, the metal she carries, and a fitting that waits for a second hand.

use jiff::{SignedDuration, Timestamp};
use mend_keel_core::fastening::pattern::OldHole;
use mend_keel_core::fastening::through::{Fitting, Kind, Surface};
use mend_keel_core::grid::{Address, Side};
use mend_keel_core::metals::Zone;
use mend_keel_core::seam::Treatment;
use mend_keel_core::seam::work::StepKind;
use mend_keel_store::fastenings::{self, MetalItem, NewRegion};
use mend_keel_store::samples::{Hold, Sample};
use mend_keel_store::seams::{Launch, Seam, Step};
use mend_keel_store::{Act, Result, Store, accounts};

use super::stories::MAUD;
use super::survey;

pub async fn fill(store: &Store, boat: i64, start: Timestamp) -> Result<()> {
    let at = |day: i64, hour: i64| start + SignedDuration::from_hours(24 * day + hour);
    let new = NewRegion {
        boat_id: boat,
        name: "Along the waterline, port".into(),
        side: Side::Port,
        strakes: (6, 9),
        frames: (8, 26),
        metal: "silicon_bronze".into(),
        to_plane_off: 1.0,
        kind: Kind::Screw,
        original: None,
        inside: false,
        in_lap: 0,
    };
    let mut work = store.begin(Act { by: "Ines Varga".into(), at: at(17, 1), once: None }).await?;
    let region = work.add_region(&new).await?;
    let mut shaft = None;
    for (name, metal, zone, area, place, in_wood, alkali, fitted) in [
        (
            "Skin fitting of the cockpit drain",
            "silicon_bronze",
            Zone::Below,
            9_000.0,
            [6_400.0, 520.0, 430.0],
            true,
            false,
            Some(1994),
        ),
        (
            "Boat nails round it",
            "galvanised_steel",
            Zone::Below,
            400.0,
            [6_520.0, 560.0, 430.0],
            true,
            false,
            Some(1991),
        ),
        ("Anode on the sternpost", "zinc", Zone::Below, 21_000.0, [7_900.0, 0.0, 300.0], false, false, Some(2024)),
        ("Propeller shaft", "stainless_316", Zone::Below, 60_000.0, [7_600.0, 0.0, 380.0], false, false, Some(2003)),
        ("Rudder strap, lower", "silicon_bronze", Zone::Below, 26_000.0, [8_050.0, 0.0, 250.0], true, true, Some(1929)),
        ("Chainplate bolts", "mild_steel", Zone::Splash, 1_200.0, [2_700.0, 1_290.0, 1_500.0], true, false, Some(1962)),
    ] {
        let [x, y, z] = place;
        let item = MetalItem {
            id: 0,
            boat_id: boat,
            name: name.into(),
            metal: metal.into(),
            zone,
            area,
            x,
            y,
            z,
            in_wood,
            in_oak: in_wood,
            alkali,
            fitted,
            // The shaft runs in the same wet deadwood as the strap.
            joined_to: (name == "Rudder strap, lower").then_some(shaft).flatten(),
        };
        let id = work.add_metal(&item).await?;
        if name == "Propeller shaft" {
            shaft = Some(id);
        }
    }
    let plan = Fitting {
        diameter: 10.0,
        layers: vec![("planking".into(), 25.0), ("frame pad".into(), 40.0), ("backing plate".into(), 6.0)],
        washers: 3.0,
        surface: Surface::Wood,
        comes_apart: true,
        below: false,
        metal: Some("silicon_bronze".into()),
        place: Some("P13 F12".into()),
        holes: vec![[0.0, 60.0], [0.0, 160.0], [0.0, 260.0]],
        note: String::new(),
        cored: false,
    };
    let fitting = work.add_bolted(boat, "Port chainplate", &plan).await?;
    for (laid_on, primer, colour, hold, cured_after, good, note) in [
        (9, "", "black", Hold::LetGo, Some(4.0), Some(false), "no primer: peeled off the larch by hand"),
        (12, "wood primer, one coat, 45 min", "black", Hold::Held, Some(3.0), Some(true), "16 °C in the shed"),
    ] {
        let sample = Sample {
            id: 0,
            boat_id: boat,
            laid_on: at(laid_on, 0).strftime("%Y-%m-%d").to_string(),
            compound: "Polyurethane adhesive sealant, lot 4".into(),
            primer: primer.into(),
            colour: colour.into(),
            seam_width: 4.0,
            cured_after,
            hold,
            good,
            note: note.into(),
            photo: None,
            by_name: String::new(),
        };
        work.add_sample(&sample).await?;
    }
    work.commit("/").await?;
    let file = survey::load(store, boat).await?;
    let region = fastenings::region(store, boat, region).await?;
    for (n, frame) in (8..14).enumerate() {
        let place = Address { side: Side::Port, strake: 7, frame };
        let member = file.plank_at(place).ok().map(|p| p.id);
        let note = if n == 2 { "nail gone to dust, the oak black round it" } else { "" };
        let mut work = store.begin(Act { by: MAUD.into(), at: at(18, n as i64), once: None }).await?;
        work.tick(&region, member, 7, frame, note, None, &file.boat.shown(place)).await?;
        work.commit("/").await?;
    }
    // Where the apprentice looked closely the nails were not where the rule would have them.
    let odd = Address { side: Side::Port, strake: 7, frame: 15 };
    let holes = [(-6.0, 30.0), (9.0, 62.0), (2.0, 98.0)].map(|(x, y)| OldHole { x, y, diameter: 4.5 });
    let mut work = store.begin(Act { by: MAUD.into(), at: at(18, 9), once: None }).await?;
    let member = file.plank_at(odd).ok().map(|p| p.id);
    work.record_holes(boat, member, odd, &holes, &file.boat.shown(odd)).await?;
    work.commit("/").await?;
    seams(store, boat, &at).await?;
    if let Some(tobias) = accounts::find_login(store, "tobias").await? {
        let fitting = fastenings::bolted(store, boat, fitting).await?;
        let mut work = store.begin(Act { by: tobias.name.clone(), at: at(19, 2), once: None }).await?;
        work.sign_bolted(&fitting, tobias.id).await?;
        work.commit("/").await?;
    }
    Ok(())
}

/// The topmost seams opened so far, and the day she is to float.
async fn seams(store: &Store, boat: i64, at: &(dyn Fn(i64, i64) -> Timestamp + Sync)) -> Result<()> {
    use StepKind::{Caulk, Prime, Reef, Scrape};
    for (row, shown, steps) in
        [(12, "P12/P13", &[Reef, Scrape, Prime, Caulk][..]), (11, "P11/P12", &[Reef, Scrape][..])]
    {
        let mut seam = Seam {
            id: 0,
            boat_id: boat,
            side: Side::Port,
            row,
            treatment: Treatment::CottonCompound,
            width: Some(3.0),
            cures_in: None,
            version: 0,
        };
        let mut work = store.begin(Act { by: "Tobias Renn".into(), at: at(19, i64::from(row)), once: None }).await?;
        seam.id = work.decide_seam(&seam, None, shown).await?;
        for kind in steps {
            let step = Step {
                id: 0,
                seam_id: seam.id,
                kind: *kind,
                moisture: (*kind == Prime).then_some(14.5),
                temperature: None,
                note: String::new(),
                photo: None,
                by_name: String::new(),
                at: String::new(),
            };
            work.add_seam_step(&seam, &step, None, shown).await?;
        }
        work.commit("/").await?;
    }
    let mut work = store.begin(Act { by: "Ines Varga".into(), at: at(19, 3), once: None }).await?;
    let on_day = at(110, 0).strftime("%Y-%m-%d").to_string();
    work.set_launch(&Launch { boat_id: boat, on_day, wet_days: 6, pumps: Some(4_000.0), version: 0 }).await?;
    work.commit("/").await
}
