//! How the yard charges: its money, tax, and what an hour of each kind of work costs.

use std::collections::BTreeMap;

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::work::quote::{Currency, Terms, Trade};
use mend_keel_store::quotes;
use rocket::{get, post};

use crate::papers::quote::percent;
use crate::web::auth::Owner;
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "terms.html")]
struct Show {
    page: Page,
    trades: Vec<TradeField>,
    version: i64,
    typed: Typed,
    faults: Faults,
}

struct TradeField {
    field: String,
    label: &'static str,
}

fn field(trade: Trade) -> String {
    format!("hour_{}", trade.code())
}

async fn show(desk: &Desk<'_>, typed: Typed, faults: Faults) -> std::result::Result<Show, AppError> {
    let (terms, version) = quotes::terms(desk.store).await?;
    let kept = Typed::default()
        .with("currency", terms.currency.code.clone())
        .with("decimals", terms.currency.decimals.to_string())
        .with("tax", percent(terms.tax))
        .with("on_materials", terms.on_materials.to_string());
    let kept = terms.hour.iter().fold(kept, |t, (trade, rate)| t.with(&field(*trade), terms.currency.plain(*rate)));
    Ok(Show {
        page: desk.page("How the yard charges", "yard"),
        trades: Trade::ALL.iter().map(|t| TradeField { field: field(*t), label: t.label() }).collect(),
        version,
        typed: kept.over(&typed),
        faults,
    })
}

const HERE: &str = "/yard/terms";

#[get("/yard/terms")]
pub async fn page(desk: Desk<'_>, _who: Owner) -> Result {
    render(&show(&desk, Typed::default(), Faults::default()).await?)
}

#[post("/yard/terms", data = "<posted>")]
pub async fn keep(desk: Desk<'_>, _who: Owner, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let decimals = read.whole("decimals", 0, 3);
    let currency = Currency::new(posted.form.get("currency"), decimals).unwrap_or_else(|e| {
        read.faults.add(e);
        Currency::default()
    });
    let tax = read.number("tax", 0.0, 100.0);
    let on_materials = read.whole("on_materials", 0, 300);
    let mut hour = BTreeMap::new();
    for trade in Trade::ALL {
        let field = field(*trade);
        match currency.read(posted.form.get(&field)) {
            Ok(rate) if rate.units() >= 0 => {
                hour.insert(*trade, rate);
            }
            Ok(_) => read.faults.add(InputError::new(&*field, "must not be less than nothing")),
            Err(e) => read.faults.add(InputError::new(&*field, e.message)),
        }
    }
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, posted.form.typed(), read.faults).await?);
    }
    let terms = Terms { currency, tax: (tax * 100.0).round() as u32, hour, on_materials };
    let version = posted.form.get("version").parse().unwrap_or(-1);
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_terms(&terms, version).await?;
    work.commit(HERE).await?;
    Ok(Answer::Go(HERE.to_owned()))
}
