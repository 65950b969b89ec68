//! Buying: what no board in the rack yields, over all boats, with what merchants ask for it.

use std::collections::BTreeMap;

use askama::Template;
use mend_keel_core::timber::board::{PLANING_PER_FACE, end_trim};
use mend_keel_core::timber::{measure, species};
use mend_keel_core::units::LengthUnit;
use mend_keel_exchange::sheet::rack::{read_prices, write_prices};
use mend_keel_store::decisions::{self, Geometry, PieceState};
use mend_keel_store::shed::{self, Price};
use mend_keel_store::{accounts, boards, boats as boat_store, quotes};
use rocket::http::ContentType;
use rocket::{get, post};

use crate::file::instruments;
use crate::file::timber::{Rack, need};
use crate::pages::rack::tabs;
use crate::web::auth::Crew;
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};
use crate::web::uploads::{FaultView, uploaded};

#[derive(Template)]
#[template(path = "rack/buying.html")]
struct Show {
    page: Page,
    tabs: Vec<(&'static str, &'static str)>,
    lines: Vec<Line>,
    totals: Vec<(String, String, String)>,
    boats: Vec<(String, String)>,
    waste: String,
    merchants: Vec<(String, usize, bool)>,
    told: Vec<FaultView>,
    typed: Typed,
    faults: Faults,
}

struct Line {
    needed_by: String,
    piece: String,
    href: String,
    boat: String,
    species: String,
    size: String,
    amount: String,
    merchant: String,
    cost: String,
}

/// The merchant the demo's simulated list is from.
const SIMULATED: &str = "Hollin Quay timber";

/// Timber bought for timber built in: the yard's own record once it is large enough to say anything, else its rule.
async fn waste(desk: &Desk<'_>) -> Result<(f64, String)> {
    /// Face cut before the record counts, mm².
    const ENOUGH: f64 = 2e6;
    let (pieces, _, lost) = boards::yield_so_far(desk.store).await?;
    if pieces + lost >= ENOUGH {
        let factor = (pieces + lost) / pieces.max(1.0);
        return Ok((factor, format!("× {factor:.2}, from {:.1} m² the yard cut itself", (pieces + lost) / 1e6)));
    }
    let factor = accounts::practice(desk.store).await?.0.prices.waste;
    Ok((factor, format!("× {factor:.2}, the yard’s rule until it has cut 2 m² itself")))
}

async fn show(desk: &Desk<'_>, typed: Typed, told: Vec<FaultView>, faults: Faults) -> Result<Show> {
    let units = desk.units;
    let (factor, waste) = waste(desk).await?;
    let rack = Rack::load(desk.store).await?;
    let prices = shed::prices(desk.store).await?;
    let usual = accounts::practice(desk.store).await?.0.prices;
    let currency = quotes::terms(desk.store).await?.0.currency;
    let boats: BTreeMap<i64, String> =
        boat_store::list(desk.store).await?.into_iter().map(|b| (b.id, b.name)).collect();
    let mut lines: Vec<(Option<String>, Line)> = Vec::new();
    let mut by_merchant: BTreeMap<String, (f64, f64)> = BTreeMap::new();
    let mut by_boat: BTreeMap<String, f64> = BTreeMap::new();
    for piece in decisions::wanting(desk.store).await? {
        let Ok(wood) = species::find(&piece.species) else { continue };
        let boat = boats.get(&piece.boat_id).cloned().unwrap_or_default();
        let is_sheet = matches!(piece.geometry, Geometry::Timber { sheet: true, .. });
        let served = !rack.serving(&need(&piece), wood, &boat).is_empty();
        if piece.state != PieceState::Planned || (served && !is_sheet) {
            continue;
        }
        let rough = piece.thickness + 2.0 * PLANING_PER_FACE;
        let length = piece.length + 2.0 * end_trim(rough);
        let (amount, cubic) = match measure(rough, piece.width, length, false) {
            Ok(m) if units.unit == LengthUnit::Inch => {
                (format!("{:.1} board feet", m.board_feet * factor), m.cubic_metres * factor)
            }
            Ok(m) => (format!("{:.4} m³", m.cubic_metres * factor), m.cubic_metres * factor),
            Err(_) => (String::new(), 0.0),
        };
        let (merchant, cost) = if is_sheet {
            let face = piece.length * piece.width / 1e6;
            ("plywood, any".to_owned(), face * piece.thickness * usual.plywood * factor)
        } else {
            let fits = |p: &&Price| {
                p.species == piece.species && p.thickness >= rough && p.width >= piece.width && p.length >= length
            };
            match prices.iter().filter(fits).min_by(|a, b| a.per_cubic_metre.total_cmp(&b.per_cubic_metre)) {
                Some(p) => (p.merchant.clone(), cubic * p.per_cubic_metre),
                None => ("no list has it so large".to_owned(), cubic * usual.timber),
            }
        };
        let total = by_merchant.entry(merchant.clone()).or_default();
        *total = (total.0 + cubic, total.1 + cost);
        *by_boat.entry(boat.clone()).or_default() += cost;
        let line = Line {
            needed_by: piece.needed_by.clone().unwrap_or_else(|| "no day".to_owned()),
            piece: piece.name.clone(),
            href: format!("/boats/{}/pieces/{}", piece.boat_id, piece.id),
            boat,
            species: if is_sheet { "marine plywood".to_owned() } else { wood.name.clone() },
            size: units.dims(&if is_sheet {
                [piece.length, piece.width, piece.thickness]
            } else {
                [length, piece.width, rough]
            }),
            amount,
            merchant,
            cost: currency.about(cost),
        };
        lines.push((piece.needed_by, line));
    }
    // What is needed first comes first; what has no day comes last.
    lines.sort_by(|a, b| (a.0.is_none(), &a.0).cmp(&(b.0.is_none(), &b.0)));
    let mut merchants: BTreeMap<String, (usize, bool)> = BTreeMap::new();
    for p in &prices {
        let entry = merchants.entry(p.merchant.clone()).or_default();
        *entry = (entry.0 + 1, entry.1 || p.simulated);
    }
    Ok(Show {
        page: desk.page("Buying", "rack"),
        tabs: tabs(),
        lines: lines.into_iter().map(|(_, line)| line).collect(),
        totals: by_merchant
            .into_iter()
            .map(|(name, (cubic, cost))| {
                let feet = cubic * 1e9 / (25.4f64.powi(3) * 144.0);
                let amount = if units.unit == LengthUnit::Inch {
                    format!("{feet:.0} board feet")
                } else {
                    format!("{cubic:.3} m³")
                };
                (name, amount, currency.about(cost))
            })
            .collect(),
        boats: by_boat.into_iter().map(|(name, cost)| (name, currency.about(cost))).collect(),
        waste,
        merchants: merchants.into_iter().map(|(name, (n, simulated))| (name, n, simulated)).collect(),
        told,
        typed,
        faults,
    })
}

#[get("/rack/buying")]
pub async fn page(desk: Desk<'_>, _who: Crew) -> Result {
    render(&show(&desk, Typed::default(), Vec::new(), Faults::default()).await?)
}

/// The simulated merchant's list, as a file.
#[get("/rack/prices.csv")]
pub async fn list(desk: Desk<'_>, _who: Crew) -> Result {
    desk.may_stand_in()?;
    let rows = instruments::merchant_list(SIMULATED);
    Ok(Answer::File("prices.csv".into(), ContentType::CSV, write_prices(rows.iter()).into_bytes()))
}

/// Takes a merchant's list in place of the one there was.
#[post("/rack/prices", data = "<posted>")]
pub async fn take(desk: Desk<'_>, _who: Crew, mut posted: Posted) -> Result {
    let simulated = posted.form.get("simulated") == "1";
    if simulated {
        desk.may_stand_in()?;
    }
    let mut faults = Faults::said_in(desk.units);
    let (merchant, bytes) = if simulated {
        (SIMULATED.to_owned(), write_prices(instruments::merchant_list(SIMULATED).iter()).into_bytes())
    } else {
        let file = uploaded(&mut posted.form);
        let mut read = Reader::new(&posted.form, desk.units.unit);
        let merchant = read.name("merchant");
        faults = read.faults;
        let bytes = file.unwrap_or_else(|e| {
            faults.add(e);
            Vec::new()
        });
        (merchant, bytes)
    };
    if !faults.is_empty() {
        return render_faulty(&show(&desk, posted.form.typed(), Vec::new(), faults).await?);
    }
    let loaded = read_prices(&bytes);
    if !loaded.faults.is_empty() || loaded.rows.is_empty() {
        let mut told: Vec<FaultView> = loaded.faults.iter().map(FaultView::new).collect();
        if told.is_empty() {
            told.push(FaultView { line: 1, column: String::new(), message: "the file holds no price".into() });
        }
        return render_faulty(&show(&desk, posted.form.typed(), told, Faults::default()).await?);
    }
    let prices: Vec<Price> = loaded
        .rows
        .into_iter()
        .map(|(_, r)| Price {
            merchant: merchant.clone(),
            species: r.species,
            thickness: r.thickness,
            width: r.width,
            length: r.length,
            per_cubic_metre: r.per_cubic_metre,
            simulated,
        })
        .collect();
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_prices(&merchant, &prices).await?;
    work.commit("/rack/buying").await?;
    Ok(Answer::Go("/rack/buying".into()))
}
