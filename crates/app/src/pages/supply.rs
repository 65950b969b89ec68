//! What must be there and when: timber, glue, fastenings and coatings the plan asks for, against rack and stores, with the last day to
//! order what runs short.

use askama::Template;
use jiff::ToSpan;
use jiff::civil::Date;
use mend_keel_core::fastening::through::Kind;
use rocket::get;

use crate::file::planned;
use crate::file::supply::{self, Asked, Line, Thing};
use crate::view::Units;
use crate::web::auth::Crew;
use crate::web::desk::{Desk, Page, render};
use crate::web::error::Result;

#[derive(Template)]
#[template(path = "supply.html")]
struct Show {
    page: Page,
    planned: bool,
    short: Vec<LineView>,
    enough: Vec<LineView>,
    wood: Vec<WoodView>,
    unknown: Vec<(String, String)>,
}

struct LineView {
    what: String,
    /// Items of the stores: address and name.
    items: Vec<(String, String)>,
    needed: String,
    there: String,
    missing: String,
    short_on: String,
    order_by: String,
    late: bool,
    asked: Vec<AskedView>,
}

struct AskedView {
    what: String,
    href: String,
    when: String,
    amount: String,
}

struct WoodView {
    what: String,
    href: String,
    when: String,
    board: Option<String>,
}

/// A day so many days ahead, as this yard writes days.
fn day(today: Date, ahead: i32) -> String {
    today.saturating_add(ahead.days()).strftime("%a %-d %b").to_string()
}

fn when(today: Date, ahead: Option<i32>) -> String {
    match ahead {
        None => "no day yet".to_owned(),
        Some(ahead) if ahead <= 0 => "now".to_owned(),
        Some(ahead) => day(today, ahead),
    }
}

/// So much of a thing, in its unit.
fn amount(thing: &Thing, much: f64) -> String {
    match thing {
        Thing::Glue => format!("{much:.2} kg"),
        Thing::Fastening(..) => format!("{much:.0}"),
        Thing::Coating(_) => format!("{much:.2} l"),
    }
}

fn name(thing: &Thing, units: Units) -> String {
    match thing {
        Thing::Glue => "Glue, mixed".to_owned(),
        Thing::Fastening(code, size, length) => {
            let kind = Kind::from_code(code);
            let size = *size as f64 / 100.0;
            let thick = if kind == Some(Kind::Screw) { format!("no. {size:.0}") } else { units.fine(size) };
            let long = if *length > 0 { format!(" × {}", units.len(*length as f64 / 10.0)) } else { String::new() };
            format!("{} {thick}{long}", kind.map_or(*code, Kind::label))
        }
        Thing::Coating(product) => product.clone(),
    }
}

fn line(line: &Line, today: Date, units: Units) -> LineView {
    let s = &line.standing;
    let asked = |a: &Asked| AskedView {
        what: format!("{}, {}", a.what, a.boat),
        href: a.href.clone(),
        when: when(today, a.need.day),
        amount: amount(&line.thing, a.need.amount),
    };
    LineView {
        what: name(&line.thing, units),
        items: line.items.iter().map(|i| (format!("/stores/{}", i.id), i.name.clone())).collect(),
        needed: amount(&line.thing, s.needed),
        there: if line.items.is_empty() { "not kept".to_owned() } else { amount(&line.thing, line.free) },
        missing: amount(&line.thing, s.missing),
        short_on: when(today, s.short_on),
        order_by: match (s.order_by, s.short_on) {
            (Some(by), _) if by < 0 => format!("{} days ago", -by),
            (Some(0), _) => "today".to_owned(),
            (Some(by), _) => day(today, by),
            (None, Some(_)) => "not known: nobody said how long it takes to come".to_owned(),
            (None, None) => String::new(),
        },
        late: s.order_by.is_some_and(|by| by <= 0),
        asked: line.asked.iter().map(asked).collect(),
    }
}

#[get("/plan/materials")]
pub async fn page(desk: Desk<'_>, _who: Crew) -> Result {
    let today = jiff::ZonedDateTime::now().date();
    let kept = planned::kept(desk.store).await?.map(|(_, body)| body);
    let gathered = supply::gather(desk.store, kept.as_ref(), today).await?;
    let (short, enough): (Vec<&Line>, Vec<&Line>) = gathered.lines.iter().partition(|l| l.standing.is_short());
    let view = |lines: Vec<&Line>| lines.into_iter().map(|l| line(l, today, desk.units)).collect();
    render(&Show {
        page: desk.page("What must be there", "plan"),
        planned: kept.is_some(),
        short: view(short),
        enough: view(enough),
        wood: gathered
            .wood
            .iter()
            .map(|w| WoodView {
                what: format!("{}, {}", w.asked.what, w.asked.boat),
                href: w.asked.href.clone(),
                when: when(today, w.asked.need.day),
                board: w.board.clone(),
            })
            .collect(),
        unknown: gathered.unknown,
    })
}

#[cfg(test)]
mod tests {
    use mend_keel_core::units::LengthUnit;

    use super::*;

    #[test]
    fn a_fastening_is_called_by_its_size_in_the_yards_own_unit() {
        let units = |unit| Units { unit, denominator: 16 };
        let of = |thing: &Thing, unit| name(thing, units(unit));
        let screw = Thing::Fastening("screw", 1_400, 635);
        assert_eq!(of(&screw, LengthUnit::Millimetre), "Screw no. 14 × 63.5 mm");
        assert_eq!(of(&screw, LengthUnit::Inch), "Screw no. 14 × 2 1/2\"");
        assert_eq!(of(&Thing::Fastening("bolt", 635, 0), LengthUnit::Inch), "Bolt 1/4\"");
        assert_eq!(amount(&Thing::Glue, 0.2), "0.20 kg");
    }
}
