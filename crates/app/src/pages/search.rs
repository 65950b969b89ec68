//! Search: an address, a tag, words of a finding, a person, a rule of the handbook, a page; answers as one types.

use askama::Template;
use mend_keel_core::survey::FindingKind;
use mend_keel_store::accounts::Role;
use mend_keel_store::search::{self, Found, Hit};
use rocket::{State, get};

use crate::file::kept::Files;
use crate::file::place::typed_place;
use crate::view::handbook;
use crate::web::desk::{Desk, Page, render};
use crate::web::error::Result;

#[derive(Template)]
#[template(path = "search.html")]
struct Show {
    page: Page,
    boat: Option<i64>,
    typed: String,
    hits: String,
}

#[derive(Template)]
#[template(path = "search_hits.html")]
struct Hits {
    typed: String,
    groups: Vec<(&'static str, Vec<Line>)>,
}

/// One line of the answer.
struct Line {
    link: String,
    what: String,
    more: String,
}

/// A search is no essay.
const LONGEST: usize = 80;
/// Rules of the handbook shown at most.
const RULES: usize = 6;

/// Pages of the yard and of a boat (below `/boats/<id>`), by the names they have.
const YARD_PAGES: &[(&str, &str)] = &[
    ("Today", "/"),
    ("Boats", "/boats"),
    ("Rack: timber", "/rack"),
    ("For the saw: cutting plan", "/rack/cut"),
    ("Sheets and nesting", "/rack/nest"),
    ("Shed air", "/rack/air"),
    ("Buying list", "/rack/buying"),
    ("Stores", "/stores"),
    ("Bench: calculators", "/bench"),
    ("Practice: schools and limits", "/practice"),
    ("Timber: species and their figures", "/species"),
    ("Yard: people and settings", "/yard"),
    ("Handbook", "/handbook"),
];
const BOAT_PAGES: &[(&str, &str)] = &[
    ("Map", ""),
    ("Survey", "/survey"),
    ("Quick entry", "/quick"),
    ("Coverage: where to look", "/survey/coverage"),
    ("Causes", "/survey/causes"),
    ("Salvage", "/survey/salvage"),
    ("Decide", "/decide"),
    ("Decide together: joints", "/together"),
    ("Structural order", "/order"),
    ("Shape", "/shape"),
    ("Frames", "/frames"),
    ("Offsets", "/offsets"),
    ("Grid: strakes and frames", "/grid"),
    ("Timber", "/timber"),
    ("Fasten", "/fasten"),
    ("Refasten", "/refasten"),
    ("As she is fastened", "/fastened"),
    ("Metals", "/metals"),
    ("Bolts and fittings", "/bolts"),
    ("Seams", "/seams"),
    ("Every seam", "/seams/all"),
    ("Deck seams", "/seams/deck"),
    ("Launch", "/seams/launch"),
    ("Finish: coats", "/finish"),
    ("Work: tasks and clocks", "/work"),
    ("Story", "/story"),
    ("Her papers", "/papers"),
];

/// All words typed stand in a name, each at the beginning of one of its words.
fn named(name: &str, typed: &str) -> bool {
    let name = name.to_lowercase();
    let has = |word: &str| name.split(|c: char| !c.is_alphanumeric()).any(|w| w.starts_with(word));
    let mut words = typed.split_whitespace().peekable();
    words.peek().is_some() && words.all(|w| has(&w.to_lowercase()))
}

/// Kinds of damage by their code, as the table keeps them.
fn in_codes(typed: &str) -> String {
    let lower = typed.to_lowercase();
    FindingKind::ALL
        .iter()
        .find(|k| lower.contains(&k.label().to_lowercase()))
        .map_or(lower.clone(), |k| lower.replace(&k.label().to_lowercase(), &k.code().replace('_', " ")))
}

fn line(hit: Hit) -> (&'static str, Line) {
    let boat = hit.boat_id.unwrap_or_default();
    let (group, link) = match hit.what {
        Found::Boat => ("Boats", format!("/boats/{}", hit.id)),
        Found::Member => ("Parts", format!("/boats/{boat}/planks/{}", hit.id)),
        Found::Finding => ("Findings", format!("/boats/{boat}/findings/{}", hit.id)),
        Found::Piece => ("Pieces", format!("/boats/{boat}/pieces/{}", hit.id)),
        Found::Task => ("Work", format!("/boats/{boat}/work")),
        Found::Board => ("Rack", format!("/rack/{}", hit.id)),
        Found::StoreItem => ("Stores", format!("/stores/{}", hit.id)),
        Found::Account => ("People", "/yard".to_owned()),
        Found::Event => {
            ("Story", if hit.boat_id.is_some() { format!("/boats/{boat}/story") } else { "/yard".to_owned() })
        }
    };
    let mut what = hit.words;
    if let Some(first) = what.get(..1).map(str::to_uppercase) {
        what.replace_range(..1, &first);
    }
    let more = [hit.boat.unwrap_or_default(), hit.more.trim().to_owned()];
    let more = more.into_iter().filter(|m| !m.is_empty()).collect::<Vec<_>>().join(" · ");
    (group, Line { link, what, more })
}

async fn answer(
    desk: &Desk<'_>,
    files: &Files,
    typed: &str,
    boat: Option<i64>,
) -> std::result::Result<String, crate::web::error::AppError> {
    let account = &desk.user.account;
    // A guest reads one boat and finds nothing else.
    let only = (account.role == Role::Guest).then(|| account.guest_boat.unwrap_or_default());
    let boat = only.or(boat);
    let mut groups: Vec<(&'static str, Vec<Line>)> = Vec::new();
    if let Some(id) = boat
        && !typed.is_empty()
        && let Ok(survey) = files.survey(desk.store, desk.version, id).await
    {
        let file = &survey.file;
        if let Ok(place) = typed_place(file, typed)
            && let Ok(part) = file.part_at(&place)
        {
            let shown = file.shown(&place);
            let link = format!("/boats/{id}?at={}", place.to_string().replace(' ', "+"));
            let more = format!("{} · {}", file.boat.name, part.name());
            groups.push(("Place", vec![Line { link, what: shown, more }]));
        }
    }
    for hit in search::search(desk.store, &in_codes(typed), only, boat).await? {
        let (group, line) = line(hit);
        match groups.iter_mut().find(|(name, _)| *name == group) {
            Some((_, lines)) => lines.push(line),
            None => groups.push((group, vec![line])),
        }
    }
    let rules = handbook::search(typed).into_iter().take(RULES);
    let rules: Vec<Line> =
        rules.map(|h| Line { link: h.link, what: h.title, more: format!("handbook · {}", h.chapter) }).collect();
    let mut pages: Vec<Line> = Vec::new();
    if let Some(id) = boat {
        let here = BOAT_PAGES.iter().filter(|(name, _)| named(name, typed));
        pages.extend(here.map(|(name, path)| Line {
            link: format!("/boats/{id}{path}"),
            what: (*name).to_owned(),
            more: "page of this boat".to_owned(),
        }));
    }
    if only.is_none() {
        let yard = YARD_PAGES.iter().filter(|(name, _)| named(name, typed));
        pages.extend(yard.map(|(name, path)| Line {
            link: (*path).to_owned(),
            what: (*name).to_owned(),
            more: "page of the yard".to_owned(),
        }));
    }
    let at = usize::from(groups.first().is_some_and(|(name, _)| *name == "Place"));
    for (name, lines) in [("Handbook", rules), ("Pages", pages)] {
        if !lines.is_empty() {
            let place = if name == "Pages" {
                at
            } else {
                groups.iter().position(|(n, _)| *n == "Story").unwrap_or(groups.len())
            };
            groups.insert(place, (name, lines));
        }
    }
    Ok(Hits { typed: typed.to_owned(), groups }.render()?)
}

fn cut(q: Option<&str>) -> String {
    q.unwrap_or_default().trim().chars().take(LONGEST).collect()
}

#[get("/search?<q>&<boat>")]
pub async fn page(desk: Desk<'_>, files: &State<Files>, q: Option<&str>, boat: Option<i64>) -> Result {
    let typed = cut(q);
    let hits = answer(&desk, files, &typed, boat).await?;
    render(&Show { page: desk.page("Search", "search"), boat, typed, hits })
}

/// The answer alone, while somebody types.
#[get("/search/as-typed?<q>&<boat>")]
pub async fn as_typed(desk: Desk<'_>, files: &State<Files>, q: Option<&str>, boat: Option<i64>) -> Result {
    let hits = answer(&desk, files, &cut(q), boat).await?;
    Ok(crate::web::error::Answer::Page(rocket::http::Status::Ok, hits))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_page_is_named_by_the_beginnings_of_its_words() {
        assert!(named("Structural order", "ord") && named("Every seam", "seam every"));
        assert!(!named("Structural order", "rder") && !named("Every seam", "") && !named("Every seam", "  "));
    }

    #[test]
    fn a_kind_of_damage_is_looked_for_by_its_code() {
        assert_eq!(in_codes("Soft rot P5"), "rot p5");
        assert_eq!(in_codes("garboard"), "garboard");
    }
}
