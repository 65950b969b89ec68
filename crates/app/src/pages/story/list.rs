//! Story: a boat's history and a plank's own life line; nothing in it is ever overwritten.

use std::collections::HashMap;

use askama::Template;
use mend_keel_core::{InputError, when};
use mend_keel_store::history::{self, Event, Only, Proof, Stretch};
use mend_keel_store::{accounts, members};
use rocket::http::RawStr;
use rocket::{FromForm, get, post};
use serde_json::json;

use crate::file::boat::BoatFile;
use crate::view;
use crate::view::entry::{self, Telling};
use crate::web::auth::{BoatReader, Crew};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NOTE_LIMIT, Posted, Reader, Typed};
use crate::web::photos;

#[derive(Template)]
#[template(path = "story/list.html")]
struct Story {
    page: Page,
    boat_id: i64,
    /// The plank whose life line this is.
    plank: Option<String>,
    facts: Vec<(&'static str, String)>,
    /// Kinds the story may be cut down to, and who wrote in it.
    groups: Vec<(String, String)>,
    people: Vec<(String, String)>,
    of: String,
    who: String,
    kinds: Vec<(String, String)>,
    typed: Typed,
    faults: Faults,
    events: Vec<EventView>,
    proof: Proof,
    pages: Pages,
}

/// Where a story's own page, the page after this one and the page before it are found.
struct Pages {
    here: String,
    /// What is asked for beside the page: `&of=work`.
    only: String,
    key: &'static str,
    further: Option<i64>,
    back: Option<i64>,
}

struct EventView {
    id: i64,
    /// Where a new day begins.
    day: Option<String>,
    when: String,
    /// When it happened, where that is not when it was entered.
    happened: String,
    photo: Option<String>,
    /// It stands in the story where it happened.
    placed: bool,
    done_at: Option<String>,
    /// The day it was entered, where that is another one.
    entered: String,
    /// It was told by hand and may be put right.
    told: bool,
    /// What the entry said that it corrects.
    was: String,
    who: String,
    kind: String,
    summary: String,
    corrects: Option<i64>,
    /// What was typed with it.
    words: String,
    details: Vec<entry::Line>,
    plank: Option<(i64, String)>,
    hash: String,
}

/// Entries as they are shown: a new day is told where it begins, a correction with what it corrects.
async fn views(desk: &Desk<'_>, file: &BoatFile, events: Vec<Event>) -> std::result::Result<Vec<EventView>, AppError> {
    let corrected: Vec<i64> = events.iter().filter_map(|e| e.corrects).collect();
    let said: HashMap<i64, String> = if corrected.is_empty() {
        HashMap::new()
    } else {
        history::said(desk.store, file.boat.id, &corrected).await?.into_iter().collect()
    };
    let telling = Telling { units: desk.units, costs: desk.sees_costs() };
    let mut last = String::new();
    let mut shown = Vec::with_capacity(events.len());
    for event in events {
        let day_of = |at: &str| view::when(at).split(", ").next().unwrap_or_default().to_owned();
        let entered = day_of(&event.at);
        let mut view = event_view(file, event, telling);
        // It stands where it happened; when it was written down is said beside it.
        let day = match (&view.happened, &view.done_at) {
            (told, _) if view.placed && !told.is_empty() => told.clone(),
            (_, Some(done_at)) => day_of(done_at),
            _ => entered.clone(),
        };
        if day != entered {
            view.entered = entered;
        }
        view.was = view.corrects.and_then(|id| said.get(&id).cloned()).unwrap_or_default();
        if day != last {
            view.day = Some(day.clone());
            last = day;
        }
        shown.push(view);
    }
    Ok(shown)
}

fn event_view(file: &BoatFile, event: Event, telling: Telling) -> EventView {
    let body: serde_json::Value = serde_json::from_str(&event.body).unwrap_or_default();
    let text = |field: &str| body[field].as_str().unwrap_or_default().to_owned();
    let told = event.kind == "told" || body["told"].is_string();
    EventView {
        id: event.id,
        day: None,
        when: view::when(body["done_at"].as_str().unwrap_or(&event.at))
            .rsplit(", ")
            .next()
            .unwrap_or_default()
            .to_owned(),
        happened: if told { text("happened") } else { String::new() },
        placed: body["on"].is_string(),
        done_at: body["done_at"].as_str().map(str::to_owned),
        entered: String::new(),
        photo: body["photo"].as_str().map(str::to_owned),
        told,
        was: String::new(),
        who: event.by_name,
        kind: event.kind,
        words: if told { String::new() } else { entry::words(&body, &event.summary) },
        summary: event.summary,
        corrects: event.corrects,
        details: if told { Vec::new() } else { entry::lines(&body, telling) },
        plank: event.member_id.and_then(|id| {
            let plank = file.planks.iter().find(|p| p.id == id).map(|p| (p.id, p.name()));
            plank.or_else(|| file.members.iter().find(|m| m.id == id).map(|m| (m.id, m.name.clone())))
        }),
        hash: event.hash.chars().take(12).collect(),
    }
}

/// What a story may be cut down to, each with the kinds of entries in it.
const GROUPS: [(&str, &str, &[&str]); 7] = [
    ("told", "Told by hand", &["told", "photo"]),
    (
        "survey",
        "Survey",
        &[
            "finding",
            "reading",
            "looked",
            "line",
            "lines",
            "cause",
            "past_repair",
            "outcome",
            "measured",
            "grid",
            "salvage",
            "sample",
            "survey",
        ],
    ),
    ("decide", "Decided", &["decision", "order", "opening"]),
    ("wood", "Shape and timber", &["shape", "piece", "board", "cut", "given_back", "reserved", "received", "moisture"]),
    (
        "fasten",
        "Fastenings and seams",
        &["refasten", "fasten", "fastened", "fitting", "metal", "seam", "launch", "sample_board"],
    ),
    ("finish", "Finish and upkeep", &["finish", "coat", "weather", "upkeep"]),
    ("work", "Work and hours", &["task", "hours", "plan", "job", "hung"]),
];

/// What is told by hand.
const TOLD: [(&str, &str); 6] = [
    ("note", "Note"),
    ("find", "Something found"),
    ("voyage", "Voyage"),
    ("owner", "Owner"),
    ("visitor", "Visitor or volunteer day"),
    ("photo", "Photograph"),
];

/// The chain as far as it is proven, or the whole of it where somebody asked for that.
async fn proof(desk: &Desk<'_>, asked: Option<&str>) -> mend_keel_store::Result<Proof> {
    match asked {
        Some(_) => history::whole_proof(desk.store).await,
        None => history::proof(desk.store).await,
    }
}

#[derive(Debug, FromForm)]
pub struct Asked<'r> {
    upto: Option<i64>,
    whole: Option<&'r str>,
    of: Option<&'r str>,
    who: Option<&'r str>,
}

async fn show(
    desk: &Desk<'_>,
    file: &BoatFile,
    asked: Asked<'_>,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<Story, AppError> {
    let id = file.boat.id;
    let group = GROUPS.iter().find(|g| Some(g.0) == asked.of);
    let who = asked.who.unwrap_or_default();
    let only = Only { kinds: group.map_or(&[], |g| g.2), by: who, without_hours: !desk.sees_costs() };
    let Stretch { events, further, back } = history::of_boat(desk.store, id, asked.upto, only).await?;
    let mut query = String::new();
    for (name, value) in [("of", group.map_or("", |g| g.0)), ("who", who)] {
        if !value.is_empty() {
            query.push_str(&format!("&{name}={}", RawStr::new(value).percent_encode()));
        }
    }
    let pair = |(code, label): (&str, &str)| (code.to_owned(), label.to_owned());
    let mut people: Vec<(String, String)> =
        accounts::list(desk.store).await?.into_iter().map(|a| (a.name.clone(), a.name)).collect();
    if !who.is_empty() && people.iter().all(|(name, _)| name != who) {
        people.push(pair((who, who)));
    }
    Ok(Story {
        page: desk.boat_page(file, "Story", "story"),
        boat_id: id,
        plank: None,
        facts: Vec::new(),
        groups: GROUPS.iter().map(|g| pair((g.0, g.1))).collect(),
        people,
        of: group.map_or(String::new(), |g| g.0.to_owned()),
        who: who.to_owned(),
        kinds: TOLD.map(pair).to_vec(),
        typed: Typed::default().with("kind", "note").over(&typed),
        faults,
        events: views(desk, file, events).await?,
        proof: proof(desk, asked.whole).await?,
        pages: Pages { here: format!("/boats/{id}/story"), only: query, key: "upto", further, back },
    })
}

#[get("/boats/<id>/story?<asked..>")]
pub async fn boat(desk: Desk<'_>, _who: BoatReader, id: i64, asked: Asked<'_>) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    render(&show(&desk, &file, asked, Typed::default(), Faults::default()).await?)
}

/// Something told by hand: with when it happened, where, and a photograph. `corrects` puts an earlier one right.
#[post("/boats/<id>/story", data = "<posted>")]
pub async fn tell(desk: Desk<'_>, _who: Crew, id: i64, mut posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let mut faults = Faults::default();
    let photo = photos::optional(&desk.settings.folder.photos(), &mut posted.form, &mut faults).await;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    read.faults = faults;
    let kind = read.choice("kind", |code| TOLD.iter().find(|(c, _)| *c == code));
    let words = read.text("words", NOTE_LIMIT);
    if words.is_empty() {
        read.faults.add(InputError::new("words", "say what happened"));
    }
    let happened = read.text("happened", 40);
    let place = posted.form.get("place").trim();
    let mut member = None;
    if !place.is_empty() {
        match file.locate(place) {
            Ok((_, part)) => member = Some(part.member_id()),
            Err(e) => read.faults.add(InputError::new("place", e.message)),
        }
    }
    let earlier = match posted.form.get("corrects").parse::<i64>() {
        Ok(entry) => Some(history::told(desk.store, id, entry).await?),
        Err(_) => None,
    };
    let (Some((code, label)), true) = (kind, read.faults.is_empty()) else {
        let asked = Asked { upto: None, whole: None, of: None, who: None };
        return render_faulty(&show(&desk, &file, asked, posted.form.typed(), read.faults).await?);
    };
    let summary = format!("{label}: {words}");
    let mut body = json!({ "told": code, "words": words, "happened": happened, "photo": photo });
    if let Some(on) = when::sorted_by(&happened) {
        body["on"] = on.into();
    }
    let mut work = desk.store.begin(posted.act()).await?;
    let entry = match earlier {
        Some(earlier) => work.correct(id, member.or(earlier.member_id), &summary, &body, earlier.id).await?,
        None => work.note(Some(id), member, "told", &summary, &body).await?,
    };
    // What happened long ago stands far down: it is shown where it stands.
    let location = format!("/boats/{id}/story?upto={entry}#e{entry}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
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
    let only = Only { without_hours: !desk.sees_costs(), ..Only::default() };
    let Stretch { events, further, back } = history::of_plank(desk.store, member.id, from, only).await?;
    let minutes: f64 = file.tasks.iter().filter(|t| t.member_id == Some(member.id)).map(|t| t.minutes).sum();
    let length = plank.map_or(member.length, |p| {
        let (from, to) = p.place().span(&file.boat.shell);
        to - from
    });
    let species = mend_keel_core::timber::species::name(&member.species);
    let mut facts = vec![
        ("Timber", species),
        ("Age", member.year.map_or("original".to_owned(), |y| format!("renewed {y}"))),
        ("Length", desk.units.run(length)),
        ("Thickness", desk.units.len(member.thickness)),
    ];
    if desk.sees_costs() {
        facts.push(("Hours booked", mend_keel_store::tasks::spoken(minutes)));
    }
    render(&Story {
        page: desk.boat_page(&file, &name, "story"),
        boat_id: id,
        plank: Some(name),
        facts,
        groups: Vec::new(),
        people: Vec::new(),
        of: String::new(),
        who: String::new(),
        kinds: Vec::new(),
        typed: Typed::default(),
        faults: Faults::default(),
        events: views(&desk, &file, events).await?,
        proof: proof(&desk, whole).await?,
        pages: Pages {
            here: format!("/boats/{id}/planks/{}", member.id),
            only: String::new(),
            key: "from",
            further,
            back,
        },
    })
}
