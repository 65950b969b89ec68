//! The demo yard's rack and stores.

use jiff::{SignedDuration, Timestamp};
use mend_keel_core::timber::board::{Board as Stock, Defect, DefectKind, Details, Drying, Edges, Form, Grain, Origin};
use mend_keel_store::boards::NewBoard;
use mend_keel_store::shed::Air;
use mend_keel_store::stores::{self, FasteningSpec, ItemKind, NewItem};
use mend_keel_store::{Act, Result, Store};

use crate::file::instruments;

/// The boards in the rack.
pub fn boards() -> Vec<NewBoard> {
    let board =
        |tag: &str, species: &str, size: [f64; 3], grain, drying, moisture, origin, note: &str, place: &str| NewBoard {
            tag: tag.into(),
            stock: Stock {
                species: species.into(),
                length: size[0],
                width: size[1],
                thickness: size[2],
                grain,
                drying,
                moisture,
                origin,
            },
            details: Details::default(),
            origin_note: note.into(),
            place: place.into(),
            parent_id: None,
        };
    use {Drying as D, Grain as G, Origin as O};
    let mut all = vec![
        board(
            "L-01",
            "western_larch",
            [4_800.0, 210.0, 32.0],
            G::Quarter,
            D::Air,
            Some(14.0),
            O::New,
            "Anvel sawmill, lot 12",
            "long rack, top",
        ),
        board(
            "L-02",
            "western_larch",
            [3_100.0, 190.0, 32.0],
            G::Rift,
            D::Air,
            Some(15.0),
            O::New,
            "Anvel sawmill, lot 12",
            "long rack, top",
        ),
        board(
            "L-03",
            "western_larch",
            [1_250.0, 160.0, 29.0],
            G::Quarter,
            D::Air,
            Some(11.0),
            O::Salvage,
            "Brindle Wren, old ceiling plank",
            "short rack 2",
        ),
        board(
            "L-04",
            "western_larch",
            [900.0, 120.0, 22.0],
            G::Flat,
            D::Air,
            Some(22.0),
            O::Offcut,
            "",
            "short rack 2",
        ),
        board(
            "L-05",
            "western_larch",
            [2_200.0, 175.0, 38.0],
            G::Quarter,
            D::Green,
            None,
            O::New,
            "Anvel sawmill, lot 15",
            "yard, in stick",
        ),
        board(
            "O-01",
            "white_oak",
            [2_600.0, 150.0, 60.0],
            G::Flat,
            D::Air,
            Some(16.0),
            O::New,
            "Anvel sawmill, lot 9",
            "long rack, foot",
        ),
        board(
            "M-01",
            "true_mahogany",
            [3_400.0, 180.0, 26.0],
            G::Quarter,
            D::Air,
            Some(12.0),
            O::New,
            "merchant in Hollin Quay, papers 88",
            "long rack, middle",
        ),
        board(
            "M-02",
            "true_mahogany",
            [740.0, 130.0, 22.0],
            G::Quarter,
            D::Air,
            Some(11.0),
            O::Salvage,
            "a shop counter",
            "short rack 1",
        ),
    ];
    all.extend([
        board(
            "L-06",
            "western_larch",
            [5_400.0, 230.0, 34.0],
            G::Quarter,
            D::Air,
            Some(13.0),
            O::New,
            "",
            "long rack, top",
        ),
        board(
            "L-07",
            "western_larch",
            [2_700.0, 200.0, 32.0],
            G::Rift,
            D::Air,
            Some(15.0),
            O::New,
            "",
            "long rack, top",
        ),
        board(
            "O-02",
            "white_oak",
            [1_900.0, 240.0, 65.0],
            G::Flat,
            D::Air,
            Some(15.0),
            O::New,
            "",
            "crooks, north wall",
        ),
        board("O-03", "white_oak", [1_100.0, 130.0, 60.0], G::Rift, D::Air, Some(14.0), O::Offcut, "", "short rack 3"),
        board("P-01", "dark_red_meranti", [2_440.0, 1_220.0, 9.0], G::Flat, D::Kiln, None, O::New, "", "sheets"),
    ]);
    for b in &mut all {
        known(b);
    }
    all
}

/// What is known of a board beside its size.
fn known(b: &mut NewBoard) {
    let knot = |kind, x0: f64, x1: f64, y0: f64, y1: f64| Defect { kind, x0, x1, y0, y1 };
    use DefectKind as K;
    let d = &mut b.details;
    match b.tag.as_str() {
        "L-01" | "L-02" => {
            d.merchant = "Anvel sawmill".into();
            d.lot = "12".into();
            d.ring_angle = Some(if b.tag == "L-01" { 80.0 } else { 50.0 });
            d.defects = vec![knot(K::SmallKnot, 1_240.0, 1_275.0, 60.0, 95.0), knot(K::Split, 0.0, 140.0, 90.0, 110.0)];
            d.price = Some(if b.tag == "L-01" { 96.0 } else { 52.0 });
            b.origin_note.clear();
        }
        "L-03" => {
            d.form = Form::Salvage;
            d.from_boat = "Brindle Wren".into();
            d.from_member = "ceiling".into();
            d.from_year = Some(1929);
            d.defects = vec![knot(K::Hole, 400.0, 412.0, 70.0, 82.0)];
            b.origin_note.clear();
        }
        "L-05" => {
            d.merchant = "Anvel sawmill".into();
            d.lot = "15".into();
            d.edges = Edges::Waney;
            d.dried_since = jiff::ZonedDateTime::now()
                .date()
                .checked_sub(jiff::Span::new().months(5))
                .ok()
                .map(|day| day.to_string());
            d.defects = vec![knot(K::Sapwood, 0.0, 2_200.0, 0.0, 18.0), knot(K::Wane, 900.0, 1_500.0, 160.0, 175.0)];
            b.origin_note.clear();
        }
        "L-06" => {
            d.merchant = "Anvel sawmill".into();
            d.lot = "16".into();
            d.price = Some(128.0);
        }
        "L-07" => {
            d.defects = vec![knot(K::Knot, 1_310.0, 1_390.0, 40.0, 120.0), knot(K::Resin, 300.0, 380.0, 150.0, 170.0)]
        }
        "O-02" => {
            d.form = Form::Crook;
            d.edges = Edges::Waney;
            d.sweep = 210.0;
            d.defects = vec![knot(K::Shake, 1_700.0, 1_900.0, 90.0, 130.0)];
        }
        "M-01" => {
            d.merchant = "merchant in Hollin Quay".into();
            d.papers = "export permit 88, copy in the office".into();
            b.origin_note.clear();
        }
        "P-01" => {
            d.form = Form::Sheet;
            d.plies = Some(7);
            d.price = Some(84.0);
        }
        _ => {}
    }
}

/// What is in the stores, a year of the shed's air, and a merchant's list.
pub async fn fill(store: &Store, start: Timestamp) -> Result<()> {
    let act = |by: &str, at| Act { by: by.into(), at, once: None };
    let day = |days: i64| {
        let date = jiff::ZonedDateTime::now().date();
        date.checked_add(jiff::Span::new().days(days)).map_or(String::new(), |d| d.to_string())
    };
    let things = [
        (ItemKind::Fastening, "Silicon bronze screw 14 × 64 mm", "pieces", "drawer 4", 100.0, 340.0, "B-2207", None),
        (ItemKind::Fastening, "Silicon bronze screw 12 × 44 mm", "pieces", "drawer 4", 100.0, 64.0, "B-2198", None),
        (ItemKind::Fastening, "Copper nail 3.0 mm with rove", "pieces", "drawer 7", 200.0, 520.0, "C-31", None),
        (ItemKind::Fastening, "Larch plug 16 mm", "pieces", "drawer 1", 150.0, 410.0, "own", None),
        (ItemKind::Glue, "Epoxy, slow", "kg", "paint store", 2.0, 5.5, "E-1904", Some(day(210))),
        (ItemKind::Glue, "Resorcinol glue", "kg", "paint store", 1.0, 2.0, "R-77", Some(day(-12))),
        (
            ItemKind::Compound,
            "Seam compound that stays soft",
            "cartridges",
            "paint store",
            6.0,
            14.0,
            "S-52",
            Some(day(120)),
        ),
        (ItemKind::Caulking, "Caulking cotton", "kg", "loft", 1.5, 6.0, "K-8", None),
        (ItemKind::Coating, "Varnish, outdoor", "l", "paint store", 2.5, 7.5, "V-610", Some(day(400))),
        (ItemKind::Abrasive, "Paper 120", "m²", "drawer 9", 2.0, 1.2, "P-3", None),
    ];
    let mut work = store.begin(act("Ines Varga", start)).await?;
    let mut ids = Vec::new();
    for (kind, name, unit, place, reorder_at, ..) in &things {
        let (kind, name) = (*kind, (*name).to_owned());
        let spec = |metal: &str, form: &str, size, length| FasteningSpec {
            metal: Some(metal.into()),
            form: Some(form.into()),
            size: Some(size),
            length,
        };
        let fastening = match name.split(' ').collect::<Vec<_>>()[..] {
            ["Silicon", "bronze", "screw", "14", ..] => spec("silicon_bronze", "screw", 14.0, Some(64.0)),
            ["Silicon", "bronze", "screw", "12", ..] => spec("silicon_bronze", "screw", 12.0, Some(44.0)),
            ["Copper", "nail", ..] => spec("copper", "rivet", 3.0, None),
            _ => FasteningSpec::default(),
        };
        ids.push(
            work.add_item(&NewItem {
                kind,
                name,
                unit: (*unit).into(),
                place: (*place).into(),
                reorder_at: *reorder_at,
                // The shop round the corner has varnish; all else is sent for.
                lead_days: Some(if unit == &"l" { 1 } else { 6 }),
                fastening,
            })
            .await?,
        );
    }
    work.commit("/").await?;
    for (id, (.., amount, batch, expires)) in ids.into_iter().zip(things) {
        let item = stores::item(store, id).await?;
        let mut work = store.begin(act("Ines Varga", start + SignedDuration::from_hours(3))).await?;
        work.receive(&item, batch, amount, expires.as_deref(), None).await?;
        work.commit("/").await?;
    }
    let from = Timestamp::from_second(Timestamp::now().as_second() / 3_600 * 3_600).unwrap_or(start)
        - SignedDuration::from_hours(24 * 365);
    let air: Vec<Air> = instruments::shed_logger(from, 24 * 365, 9)
        .into_iter()
        .map(|r| Air { at: r.at, temperature: r.temperature, humidity: r.humidity, simulated: true })
        .collect();
    let mut work = store.begin(act("Ines Varga", start)).await?;
    work.add_air(&air).await?;
    work.commit("/").await
}
