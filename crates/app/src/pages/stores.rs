//! Stores: fastenings, glues, compounds, coatings, abrasives, with batches, what is reserved, and when to order.

use askama::Template;
use mend_keel_core::fastening::through::Kind;
use mend_keel_core::{InputError, metals};
use mend_keel_store::stores::{self, FasteningSpec, Item, ItemKind, MoveKind, NewItem};
use mend_keel_store::{StoreError, boats as boat_store};
use rocket::http::Status;
use rocket::{get, post};

use crate::view;
use crate::web::auth::Crew;
use crate::web::choices::{Choices, metal_choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NAME_LIMIT, Posted, Reader, Typed, day};

/// Fastenings a plan can ask for.
const FORMS: [Kind; 4] = [Kind::Screw, Kind::Rivet, Kind::Clench, Kind::Bolt];

/// Longest an order takes, days.
const LONGEST_LEAD: u32 = 1_000;

#[derive(Template)]
#[template(path = "stores.html")]
struct List {
    page: Page,
    groups: Vec<(String, Vec<Row>)>,
    low: usize,
    stale: usize,
    kinds: Choices,
    forms: Choices,
    metals: Choices,
    typed: Typed,
    faults: Faults,
}

struct Row {
    id: i64,
    name: String,
    there: String,
    reserved: String,
    free: String,
    place: String,
    low: bool,
    stale: String,
}

/// An amount without needless digits.
fn amount(value: f64, unit: &str) -> String {
    let text = format!("{:.2}", value + 0.0);
    let text = text.trim_end_matches('0').trim_end_matches('.');
    format!("{} {unit}", if text == "-0" { "0" } else { text })
}

async fn list_page(desk: &Desk<'_>, typed: Typed, faults: Faults) -> std::result::Result<List, AppError> {
    let items = stores::items(desk.store).await?;
    let lots = stores::lots(desk.store, None).await?;
    let today = view::today();
    let row = |i: &Item| {
        let over: Vec<&str> = lots
            .iter()
            .filter(|l| l.item_id == i.id && l.there > 0.0 && l.is_past(&today))
            .map(|l| l.batch.as_str())
            .collect();
        Row {
            id: i.id,
            name: i.name.clone(),
            there: amount(i.there, &i.unit),
            reserved: if i.reserved > 0.0 { amount(i.reserved, &i.unit) } else { String::new() },
            free: amount(i.there - i.reserved, &i.unit),
            place: i.place.clone(),
            low: i.there - i.reserved <= i.reorder_at,
            stale: over.join(", "),
        }
    };
    let groups: Vec<(String, Vec<Row>)> = ItemKind::ALL
        .iter()
        .map(|kind| (kind.label().to_owned(), items.iter().filter(|i| i.kind == *kind).map(row).collect::<Vec<_>>()))
        .filter(|(_, rows)| !rows.is_empty())
        .collect();
    Ok(List {
        page: desk.page("Stores", "stores"),
        low: groups.iter().flat_map(|(_, rows)| rows).filter(|r| r.low).count(),
        stale: groups.iter().flat_map(|(_, rows)| rows).filter(|r| !r.stale.is_empty()).count(),
        groups,
        forms: pairs(&FORMS, Kind::code, Kind::label),
        metals: metal_choices(),
        kinds: pairs(ItemKind::ALL, ItemKind::code, ItemKind::label),
        typed,
        faults,
    })
}

#[get("/stores")]
pub async fn list(desk: Desk<'_>, _who: Crew) -> Result {
    render(&list_page(&desk, Typed::default(), Faults::default()).await?)
}

/// What a fastening is, so that a plan finds it: a screw's size is its gauge, any other's its thickness.
fn fastening(read: &mut Reader<'_>) -> FasteningSpec {
    let form = read.optional_choice("form", |code| FORMS.iter().copied().find(|k| k.code() == code));
    let metal = read.optional_choice("metal", |id| metals::find(id).ok());
    let size = match form {
        Some(Kind::Screw) => read.optional_whole("size", 0, 40).map(f64::from),
        _ => read.optional_length("size"),
    };
    FasteningSpec {
        metal: metal.map(|m| m.id.clone()),
        form: form.map(|k| k.code().to_owned()),
        size: size.filter(|s| s.is_finite()),
        length: read.optional_length("length").filter(|l| l.is_finite()),
    }
}

#[post("/stores", data = "<posted>")]
pub async fn create(desk: Desk<'_>, _who: Crew, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let kind = read.choice("kind", ItemKind::from_code);
    let (name, unit) = (read.name("name"), read.name("unit"));
    let place = read.text("place", NAME_LIMIT);
    let reorder_at = read.optional_number("reorder_at", 0.0, 1e6).unwrap_or(0.0);
    let lead_days = read.optional_whole("lead_days", 0, LONGEST_LEAD);
    let fastening = fastening(&mut read);
    let (Some(kind), true) = (kind, read.faults.is_empty()) else {
        return render_faulty(&list_page(&desk, posted.form.typed(), read.faults).await?);
    };
    let new = NewItem { kind, name, unit, place, reorder_at, lead_days, fastening };
    let mut work = desk.store.begin(posted.act()).await?;
    match work.add_item(&new).await {
        Ok(id) => {
            let location = format!("/stores/{id}");
            work.commit(&location).await?;
            Ok(Answer::Go(location))
        }
        Err(StoreError::Conflict(why)) => {
            drop(work);
            let mut faults = Faults::default();
            faults.add(InputError::new("name", why));
            render_faulty(&list_page(&desk, posted.form.typed(), faults).await?)
        }
        Err(e) => Err(e.into()),
    }
}

#[derive(Template)]
#[template(path = "store_item.html")]
struct Show {
    page: Page,
    id: i64,
    name: String,
    unit: String,
    facts: Vec<(&'static str, String)>,
    low: bool,
    lots: Vec<LotView>,
    moves: Vec<(String, String, String)>,
    boats: Choices,
    lot_choices: Choices,
    /// When it is ordered: as it is kept, or as it was typed.
    ordering: Typed,
    theirs: Vec<(&'static str, String, String)>,
    typed: Typed,
    faults: Faults,
}

struct LotView {
    id: i64,
    batch: String,
    there: String,
    opened: String,
    expires: String,
    stale: bool,
}

async fn show(desk: &Desk<'_>, item: &Item, typed: Typed, faults: Faults) -> std::result::Result<Show, AppError> {
    let lots = stores::lots(desk.store, Some(item.id)).await?;
    let today = view::today();
    let boats = boat_store::list(desk.store).await?;
    let name_of =
        |id: Option<i64>| boats.iter().find(|b| Some(b.id) == id).map_or(String::new(), |b| format!(", {}", b.name));
    let moves = stores::moves(desk.store, item.id)
        .await?
        .into_iter()
        .map(|m| {
            let note = if m.note.is_empty() { String::new() } else { format!(": {}", m.note) };
            (
                amount(m.amount, &item.unit),
                format!("{}{}{note}", m.kind.label(), name_of(m.boat_id)),
                format!("{} · {}", view::when(&m.at), m.by_name),
            )
        })
        .collect();
    Ok(Show {
        page: desk.page(&item.name, "stores"),
        id: item.id,
        name: item.name.clone(),
        unit: item.unit.clone(),
        facts: vec![
            ("There", amount(item.there, &item.unit)),
            ("Reserved", amount(item.reserved, &item.unit)),
            ("Free", amount(item.there - item.reserved, &item.unit)),
            ("Used so far", amount(item.used, &item.unit)),
            ("Order at", amount(item.reorder_at, &item.unit)),
            ("Comes after", item.lead_days.map_or("nobody said".to_owned(), |days| format!("{days} days"))),
            ("Place", item.place.clone()),
        ],
        low: item.there - item.reserved <= item.reorder_at,
        lot_choices: lots.iter().filter(|l| l.there > 0.0).map(|l| (l.id.to_string(), l.batch.clone())).collect(),
        lots: lots
            .into_iter()
            .map(|l| LotView {
                id: l.id,
                stale: l.there > 0.0 && l.is_past(&today),
                there: amount(l.there, &item.unit),
                opened: l.opened_on.unwrap_or_default(),
                expires: l.expires_on.unwrap_or_default(),
                batch: l.batch,
            })
            .collect(),
        moves,
        ordering: Typed::default()
            .with("reorder_at", format!("{}", item.reorder_at))
            .with("lead_days", item.lead_days.map_or(String::new(), |d| d.to_string()))
            .with("version", item.version.to_string())
            .over(&typed),
        theirs: Vec::new(),
        boats: boats.iter().map(|b| (b.id.to_string(), b.name.clone())).collect(),
        typed,
        faults,
    })
}

#[get("/stores/<id>")]
pub async fn item(desk: Desk<'_>, _who: Crew, id: i64) -> Result {
    let item = stores::item(desk.store, id).await?;
    render(&show(&desk, &item, Typed::default(), Faults::default()).await?)
}

/// When it is ordered, and how long it takes to come.
#[post("/stores/<id>/ordering", data = "<posted>")]
pub async fn ordering(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let item = stores::item(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let reorder_at = read.optional_number("reorder_at", 0.0, 1e6).unwrap_or(0.0);
    let lead_days = read.optional_whole("lead_days", 0, LONGEST_LEAD);
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, &item, posted.form.typed(), read.faults).await?);
    }
    let version = posted.form.get("version").parse().unwrap_or(0);
    let mut work = desk.store.begin(posted.act()).await?;
    match work.set_ordering(&item, version, reorder_at, lead_days).await {
        Ok(()) => {}
        Err(StoreError::Stale(_)) => {
            drop(work);
            let kept = show(&desk, &item, Typed::default(), Faults::default()).await?.ordering;
            let fields = [("reorder_at", "Order when down to"), ("lead_days", "Comes after, days")];
            let theirs = kept.against(&posted.form.typed(), &fields);
            let typed = posted.form.typed().with("version", item.version.to_string());
            let page = Show { theirs, ..show(&desk, &item, typed, Faults::default()).await? };
            return Ok(Answer::Page(Status::Conflict, page.render().map_err(AppError::from)?));
        }
        Err(e) => return Err(e.into()),
    }
    let location = format!("/stores/{id}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// A batch came in.
#[post("/stores/<id>/in", data = "<posted>")]
pub async fn receive(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let item = stores::item(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let batch = read.name("batch");
    let came = read.number("came", 0.0, 1e6);
    if came == 0.0 {
        read.faults.add(InputError::new("came", "must be more than 0"));
    }
    let expires = day(&mut read, "expires_on");
    let price = read.optional_number("price", 0.0, 1e7);
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, &item, posted.form.typed(), read.faults).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    work.receive(&item, &batch, came, expires.as_deref(), price).await?;
    let location = format!("/stores/{id}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// Something is used, reserved, given back or counted.
#[post("/stores/<id>/move", data = "<posted>")]
pub async fn shift(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let item = stores::item(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    // What comes in comes as a batch, by a form of its own.
    let kind = read.choice("kind", |code| MoveKind::from_code(code).filter(|kind| *kind != MoveKind::In));
    let much = read.number("amount", 0.0, 1e6);
    let note = read.text("note", NAME_LIMIT);
    let (lots, boats) = (stores::lots(desk.store, Some(id)).await?, boat_store::list(desk.store).await?);
    let boat = read.optional_choice("boat", |code| boats.iter().map(|b| b.id).find(|b| b.to_string() == code));
    let lot = read.optional_choice("lot", |code| lots.iter().map(|l| l.id).find(|l| l.to_string() == code));
    let (Some(kind), true) = (kind, read.faults.is_empty()) else {
        return render_faulty(&show(&desk, &item, posted.form.typed(), read.faults).await?);
    };
    let mut work = desk.store.begin(posted.act()).await?;
    let moved = match kind {
        MoveKind::Counted => work.count_store(&item, lot, much, &note).await,
        _ => work.move_store(&item, lot, boat, kind, much, &note).await,
    };
    match moved {
        Ok(()) => {}
        Err(StoreError::Conflict(why)) => {
            drop(work);
            let mut faults = Faults::default();
            faults.add(InputError::new("amount", why));
            return render_faulty(&show(&desk, &item, posted.form.typed(), faults).await?);
        }
        Err(e) => return Err(e.into()),
    }
    let location = format!("/stores/{id}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// A batch is opened today.
#[post("/stores/<id>/open/<lot>", data = "<posted>")]
pub async fn open(desk: Desk<'_>, _who: Crew, id: i64, lot: i64, posted: Posted) -> Result {
    let lots = stores::lots(desk.store, Some(id)).await?;
    let lot = lots.iter().find(|l| l.id == lot).ok_or(AppError::NotFound("batch"))?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.open_lot(lot, &view::today()).await?;
    let location = format!("/stores/{id}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn amounts_have_no_needless_digits() {
        assert_eq!(amount(12.0, "kg"), "12 kg");
        assert_eq!(amount(0.25, "l"), "0.25 l");
        assert_eq!(amount(-0.0, "m"), "0 m");
    }
}
