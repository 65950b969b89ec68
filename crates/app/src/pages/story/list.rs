//! Story: a boat's history and a plank's own life line; nothing in it is ever overwritten.

use askama::Template;
use mend_keel_store::history::{self, Event, Proof, Stretch};
use mend_keel_store::members;
use rocket::get;

use crate::file::boat::BoatFile;
use crate::view;
use crate::web::auth::BoatReader;
use crate::web::desk::{Desk, Page, render};
use crate::web::error::Result;

#[derive(Template)]
#[template(path = "story/list.html")]
struct Story {
    page: Page,
    boat_id: i64,
    /// The plank whose life line this is.
    plank: Option<String>,
    facts: Vec<(&'static str, String)>,
    events: Vec<EventView>,
    proof: Proof,
    pages: Pages,
}

/// Where a story's own page, the page after this one and the page before it are found.
struct Pages {
    here: String,
    key: &'static str,
    further: Option<i64>,
    back: Option<i64>,
}

struct EventView {
    id: i64,
    when: String,
    who: String,
    kind: String,
    summary: String,
    corrects: Option<i64>,
    details: String,
    plank: Option<(i64, String)>,
    hash: String,
}

fn event_view(file: &BoatFile, event: Event) -> EventView {
    let details = serde_json::from_str::<serde_json::Value>(&event.body)
        .and_then(|v| serde_json::to_string_pretty(&v))
        .unwrap_or_default();
    EventView {
        id: event.id,
        when: view::when(&event.at),
        who: event.by_name,
        kind: event.kind,
        summary: event.summary,
        corrects: event.corrects,
        details: if details == "{}" { String::new() } else { details },
        plank: event.member_id.and_then(|id| {
            let plank = file.planks.iter().find(|p| p.id == id).map(|p| (p.id, p.name()));
            plank.or_else(|| file.members.iter().find(|m| m.id == id).map(|m| (m.id, m.name.clone())))
        }),
        hash: event.hash.chars().take(12).collect(),
    }
}

/// The chain as far as it is proven, or the whole of it where somebody asked for that.
async fn proof(desk: &Desk<'_>, asked: Option<&str>) -> mend_keel_store::Result<Proof> {
    match asked {
        Some(_) => history::whole_proof(desk.store).await,
        None => history::proof(desk.store).await,
    }
}

#[get("/boats/<id>/story?<upto>&<whole>")]
pub async fn boat(desk: Desk<'_>, _who: BoatReader, id: i64, upto: Option<i64>, whole: Option<&str>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let Stretch { events, further, back } = history::of_boat(desk.store, id, upto).await?;
    render(&Story {
        page: desk.boat_page(&file, "Story", "story"),
        boat_id: id,
        plank: None,
        facts: Vec::new(),
        events: events.into_iter().map(|e| event_view(&file, e)).collect(),
        proof: proof(&desk, whole).await?,
        pages: Pages { here: format!("/boats/{id}/story"), key: "upto", further, back },
    })
}

#[get("/boats/<id>/planks/<plank>?<from>&<whole>")]
pub async fn plank(
    desk: Desk<'_>,
    _who: BoatReader,
    id: i64,
    plank: i64,
    from: Option<i64>,
    whole: Option<&str>,
) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let member = members::find(desk.store, id, plank).await?;
    let plank = file.planks.iter().find(|p| p.id == member.id);
    let name = plank.map_or(member.name.clone(), |p| p.name());
    let Stretch { events, further, back } = history::of_plank(desk.store, member.id, from).await?;
    let minutes: f64 = file.tasks.iter().filter(|t| t.member_id == member.id).map(|t| t.minutes).sum();
    let length = plank.map_or(member.length, |p| {
        let (from, to) = p.place().span(&file.boat.shell);
        to - from
    });
    let species =
        mend_keel_core::timber::species::find(&member.species).map_or(member.species.clone(), |s| s.name.clone());
    let facts = vec![
        ("Timber", species),
        ("Age", member.year.map_or("original".to_owned(), |y| format!("renewed {y}"))),
        ("Length", desk.units.run(length)),
        ("Thickness", desk.units.len(member.thickness)),
        ("Hours booked", mend_keel_store::tasks::spoken(minutes)),
    ];
    render(&Story {
        page: desk.boat_page(&file, &name, "story"),
        boat_id: id,
        plank: Some(name),
        facts,
        events: events.into_iter().map(|e| event_view(&file, e)).collect(),
        proof: proof(&desk, whole).await?,
        pages: Pages { here: format!("/boats/{id}/planks/{}", member.id), key: "from", further, back },
    })
}
