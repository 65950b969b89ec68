//! The owner's view: one boat by an address with a secret, or for a guest signed in; he wishes, says and chooses, and changes nothing.

use askama::Template;
use jiff::Timestamp;
use mend_keel_core::InputError;
use mend_keel_core::edition::Edition;
use mend_keel_core::grid::member::Surface;
use mend_keel_core::work::quote::{Standing, Word};
use mend_keel_store::history::{self, Only};
use mend_keel_store::owners::{self, Link};
use mend_keel_store::{Act, Store, StoreError, accounts, dossier, findings, quotes, seams};
use rocket::form::Form;
use rocket::fs::NamedFile;
use rocket::{State, get, post};

use super::quote::{others, read_word, word_words};
use crate::file::planned;
use crate::file::quote as file_quote;
use crate::file::survey::SurveyFile;
use crate::view;
use crate::web::auth::{BoatReader, Crew, random_token, secret_digest};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NAME_LIMIT, NOTE_LIMIT, Posted, Reader, Submission, Typed};
use crate::web::settings::{Settings, yard_unit};
use crate::web::{assets, photos};

/// What an owner sees of his boat.
struct View {
    boat: String,
    yard: String,
    svg: String,
    /// Where his forms go, and where his photographs are.
    here: String,
    once: String,
    /// Share of the hours at even odds that is done, 0–100.
    done: String,
    progress: String,
    next: Vec<String>,
    floats: String,
    parts: Vec<PartView>,
    /// The quote his word is asked to.
    quote: Option<i64>,
    gross: String,
    spent: String,
    open: Vec<String>,
    photos: Vec<PhotoView>,
    story: Vec<[String; 2]>,
    notes: Vec<NoteView>,
    places: Vec<(i64, String)>,
    typed: Typed,
    faults: Faults,
}

struct PartView {
    decision: i64,
    name: String,
    way: String,
    reason: String,
    net: String,
    others: Vec<String>,
    word: String,
    /// His word is still asked for.
    waits: bool,
    warns: bool,
}

struct PhotoView {
    hash: String,
    caption: String,
}

struct NoteView {
    what: &'static str,
    words: String,
    by: String,
    when: String,
}

/// Photographs, and entries of the story, that are shown.
const MOST_PHOTOS: usize = 12;
const MOST_ENTRIES: usize = 30;
const NEXT: usize = 4;

/// Kinds of entries an owner reads: nobody's hours, and none of the yard's own.
const FOR_THE_OWNER: &[&str] = &[
    "told",
    "correction",
    "decision",
    "finding",
    "outcome",
    "cut",
    "coat",
    "seam",
    "quote",
    "owner",
    "launch",
    "task",
];

async fn view(
    store: &Store,
    survey: &SurveyFile,
    here: String,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<View, AppError> {
    let file = &survey.file;
    let boat = file.boat.id;
    let yard = accounts::yard(store).await?;
    let given = quotes::of_boat(store, boat).await?;
    let words = quotes::words(store, boat).await?;
    let (terms, _) = quotes::terms(store).await?;
    let standing =
        file_quote::accounts(survey, &given, &words, &terms).map_err(|e| AppError::Refused(e.to_string()))?;
    let newest = given.first();
    let parts = newest.map_or_else(Vec::new, |q| {
        let money = &q.body.terms.currency;
        let part = |p: &mend_keel_core::work::quote::Part| {
            let account = standing.iter().find(|a| a.decision == p.decision);
            let said = account.and_then(|a| a.word.as_ref());
            PartView {
                decision: p.decision,
                name: p.name.clone(),
                way: p.way.clone(),
                reason: p.reason.clone(),
                net: money.band(p.line.net()),
                others: others(p, money),
                word: word_words(account),
                waits: said.is_none_or(|w| w.quote_id != q.id || w.word == Word::Postponed),
                warns: account.is_some_and(|a| matches!(a.standing, Standing::Near | Standing::Over)),
            }
        };
        q.body.parts.iter().map(part).collect()
    });
    let (all, done) = file
        .tasks
        .iter()
        .fold((0.0, 0.0), |(all, done), t| (all + t.p50, done + if t.done_at.is_some() { t.p50 } else { 0.0 }));
    let share = if all > 0.0 { done / all } else { 0.0 };
    let mut pictures = findings::photos_of_boat(store, boat).await?;
    pictures.reverse();
    let photos = pictures.into_iter().take(MOST_PHOTOS).map(|p| {
        let of = file.findings.iter().find(|f| f.id == p.finding_id);
        let what = of.map_or(String::new(), |f| file.told(f));
        PhotoView { hash: p.hash, caption: format!("{what}, {}", view::when(&p.at)) }
    });
    let only = Only { kinds: FOR_THE_OWNER, by: "", without_hours: false };
    let entries = history::of_boat(store, boat, None, only).await?.events;
    let notes = owners::notes(store, boat).await?;
    let money = &terms.currency;
    let spent: mend_keel_core::work::quote::Money = standing.iter().map(|a| a.spent).sum();
    let authorised: mend_keel_core::work::quote::Money = standing.iter().map(|a| a.authorised).sum();
    Ok(View {
        boat: file.boat.name.clone(),
        yard: yard.name,
        svg: survey.draw(Surface::Shell, None, "grade"),
        here,
        once: random_token().unwrap_or_default(),
        done: format!("{:.0}", share * 100.0),
        progress: if all > 0.0 {
            format!("{} of the hours reckoned for what is decided are done", view::percent(share))
        } else {
            "Nothing is decided yet".to_owned()
        },
        next: file.tasks.iter().filter(|t| t.done_at.is_none()).map(|t| t.what.clone()).take(NEXT).collect(),
        floats: floats(store, boat).await?,
        parts,
        quote: newest.map(|q| q.number),
        gross: newest.map_or(String::new(), |q| q.body.terms.currency.band(q.body.sum.gross)),
        spent: if authorised.is_zero() {
            String::new()
        } else {
            format!("{} spent of {} authorised, with tax", money.shown(spent), money.shown(authorised))
        },
        open: file
            .findings
            .iter()
            .filter(|f| f.is_open())
            .map(|f| format!("{}, {}", file.told(f), f.certainty.label().to_lowercase()))
            .collect(),
        photos: photos.collect(),
        story: entries.into_iter().take(MOST_ENTRIES).map(|e| [view::when(&e.at), e.summary]).collect(),
        notes: notes
            .into_iter()
            .rev()
            .map(|n| NoteView {
                what: if n.is_wish() { "Wish" } else { "Said" },
                words: n.words,
                by: n.by_name,
                when: view::when(&n.at),
            })
            .collect(),
        places: file.decisions.iter().filter_map(|d| Some((d.member_id, file.part_name(d.member_id)?))).collect(),
        typed,
        faults,
    })
}

/// When she floats: the day of the launch where it was said, and when the plan of all work is done at even and at four-in-five odds.
async fn floats(store: &Store, boat: i64) -> std::result::Result<String, StoreError> {
    let launch = seams::launch(store, boat).await?.map(|l| format!("Launch is set for {}.", view::day(&l.on_day)));
    let plan =
        planned::kept(store).await?.map(|(_, body)| body).filter(|b| b.pieces.iter().any(|p| p.boat == Some(boat)));
    let day = |at: jiff::civil::DateTime| view::day(&at.date().to_string());
    let done = plan.and_then(|b| Some((b.even?, b.rarely_later?))).map(|(even, rarely)| {
        format!("The yard’s plan is done by {} at even odds, by {} four times in five.", day(even), day(rarely))
    });
    let told: Vec<String> = launch.into_iter().chain(done).collect();
    Ok(if told.is_empty() { "No day is planned yet.".to_owned() } else { told.join(" ") })
}

#[derive(Template)]
#[template(path = "story/owner.html")]
struct Secret {
    view: View,
    stamp: &'static str,
}

#[derive(Template)]
#[template(path = "story/owner_page.html")]
struct ForYard {
    page: Page,
    boat_id: i64,
    view: View,
    links: Vec<LinkView>,
    /// An address just made: shown once.
    made: String,
    typed: Typed,
    faults: Faults,
}

struct LinkView {
    id: i64,
    /// Where it is withdrawn.
    withdraw: String,
    name: String,
    until: String,
    by: String,
}

async fn yard_page(
    desk: &Desk<'_>,
    id: i64,
    made: String,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<ForYard, AppError> {
    let survey = SurveyFile::load(desk.store, id).await?;
    let page = desk.boat_page(&survey.file, "Owner", "story");
    let links = if page.may_write { owners::links(desk.store, id).await? } else { Vec::new() };
    Ok(ForYard {
        boat_id: id,
        view: view(desk.store, &survey, format!("/boats/{id}/owner"), typed.clone(), faults.clone()).await?,
        links: links
            .into_iter()
            .map(|l| LinkView {
                withdraw: format!("/boats/{id}/owner/link/{}/withdraw", l.id),
                id: l.id,
                name: l.name,
                until: view::when(&l.expires_at),
                by: l.by_name,
            })
            .collect(),
        made,
        typed: Typed::default().with("days", "90").over(&typed),
        faults,
        page,
    })
}

/// What the owner sees: for himself where he is signed in as a guest, for the yard to look at and to give him an address.
#[get("/boats/<id>/owner")]
pub async fn page(desk: Desk<'_>, who: BoatReader, id: i64) -> Result {
    let shown = yard_page(&desk, id, String::new(), Typed::default(), Faults::default()).await?;
    if who.0.account.guest_boat.is_none() && owners::notes(desk.store, id).await?.iter().any(|n| !n.seen) {
        let mut work =
            desk.store.begin(Act { by: who.0.account.name.clone(), at: Timestamp::now(), once: None }).await?;
        work.see_owner_notes(id).await?;
        work.commit("/").await?;
    }
    render(&shown)
}

/// Makes an address for an owner; it is shown once, only its digest is kept.
#[post("/boats/<id>/owner/link", data = "<posted>")]
pub async fn give_link(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let name = read.name("name");
    let days = read.whole("days", 1, 730);
    if !read.faults.is_empty() {
        return render_faulty(&yard_page(&desk, id, String::new(), posted.form.typed(), read.faults).await?);
    }
    mend_keel_store::boats::find(desk.store, id).await?;
    let secret = random_token().map_err(|e| AppError::Broken(e.to_string()))?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_link(id, &name, &secret_digest(&secret), days).await?;
    work.commit(&format!("/boats/{id}/owner")).await?;
    render(&yard_page(&desk, id, format!("/o/{secret}"), Typed::default(), Faults::default()).await?)
}

#[post("/boats/<id>/owner/link/<link>/withdraw", data = "<posted>")]
pub async fn withdraw_link(desk: Desk<'_>, _who: Crew, id: i64, link: i64, posted: Posted) -> Result {
    let location = format!("/boats/{id}/owner");
    let all = owners::links(desk.store, id).await?;
    // Withdrawing twice is once.
    let Some(link) = all.into_iter().find(|l| l.id == link) else { return Ok(Answer::Go(location)) };
    let mut work = desk.store.begin(posted.act()).await?;
    work.withdraw_link(&link).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// A wish or a word, as a form has it: the part it touches, whether it is a wish, and the words.
async fn read_note(
    store: &Store,
    boat: i64,
    form: &Submission,
) -> std::result::Result<std::result::Result<(Option<i64>, bool, String), Faults>, AppError> {
    let yard = accounts::yard(store).await?;
    let mut read = Reader::new(form, yard_unit(&yard.unit));
    let words = read.text("words", NOTE_LIMIT);
    if words.is_empty() {
        read.faults.add(InputError::new("words", "say it in words"));
    }
    let part: Option<i64> = form.get("part").parse().ok();
    if let Some(part) = part {
        let file = crate::file::boat::BoatFile::load(store, boat).await?;
        if file.part_name(part).is_none() {
            read.faults.add(InputError::new("part", "is no part of her"));
        }
    }
    let wish = form.get("kind") != "comment";
    Ok(if read.faults.is_empty() { Ok((part, wish, words)) } else { Err(read.faults) })
}

/// A guest's, or the yard's own, wish or word.
#[post("/boats/<id>/owner/note", data = "<posted>")]
pub async fn note(desk: Desk<'_>, _who: BoatReader, id: i64, posted: Posted) -> Result {
    let (part, wish, words) = match read_note(desk.store, id, &posted.form).await? {
        Ok(read) => read,
        Err(faults) => return render_faulty(&yard_page(&desk, id, String::new(), posted.form.typed(), faults).await?),
    };
    let location = format!("/boats/{id}/owner");
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_owner_note(id, part, wish, &words).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// A guest's word on a part of the newest quote.
#[post("/boats/<id>/owner/word", data = "<posted>")]
pub async fn word(desk: Desk<'_>, _who: BoatReader, id: i64, posted: Posted) -> Result {
    let name: String = posted.user.account.name.clone();
    match say(desk.store, id, &posted.form, name, posted.act(), format!("/boats/{id}/owner")).await? {
        Ok(location) => Ok(Answer::Go(location)),
        Err(faults) => render_faulty(&yard_page(&desk, id, String::new(), posted.form.typed(), faults).await?),
    }
}

/// Keeps a word on a part of a boat's newest quote; gives where to go, or what is wrong.
async fn say(
    store: &Store,
    boat: i64,
    form: &Submission,
    name: String,
    act: Act,
    location: String,
) -> std::result::Result<std::result::Result<String, Faults>, AppError> {
    let given = quotes::of_boat(store, boat).await?;
    let quote = given.first().ok_or(AppError::NotFound("quote"))?;
    // What he saw is what he speaks of.
    if form.get("quote") != quote.number.to_string() {
        return Err(AppError::Refused("a newer quote was given out meanwhile: look at it first".to_owned()));
    }
    let new = match read_word(form, quote, name) {
        Ok(new) => new,
        Err(e) => {
            let mut faults = Faults::default();
            faults.add(e);
            return Ok(Err(faults));
        }
    };
    let mut work = store.begin(act).await?;
    work.say_to_quote(quote, &new).await?;
    work.commit(&location).await?;
    Ok(Ok(location))
}

async fn link(store: &Store, secret: &str) -> std::result::Result<Link, AppError> {
    Ok(owners::link(store, &secret_digest(secret)).await?)
}

async fn secret_page(
    store: &Store,
    link: &Link,
    secret: &str,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<Secret, AppError> {
    let survey = SurveyFile::load(store, link.boat_id).await?;
    let view = view(store, &survey, format!("/o/{secret}"), typed, faults).await?;
    Ok(Secret { view, stamp: assets::STAMP.as_str() })
}

#[get("/o/<secret>")]
pub async fn secret(store: &State<Store>, secret: &str) -> Result {
    let link = link(store, secret).await?;
    render(&secret_page(store, &link, secret, Typed::default(), Faults::default()).await?)
}

/// Who speaks by a link, with the form's one-time key.
fn act(link: &Link, form: &Submission) -> Act {
    let key = form.get("once");
    Act::now(&link.name, (!key.is_empty()).then_some(key))
}

#[post("/o/<secret>/note", data = "<form>")]
pub async fn secret_note(store: &State<Store>, secret: &str, form: Form<Submission>) -> Result {
    let link = link(store, secret).await?;
    let (part, wish, words) = match read_note(store, link.boat_id, &form).await? {
        Ok(read) => read,
        Err(faults) => return render_faulty(&secret_page(store, &link, secret, form.typed(), faults).await?),
    };
    let location = format!("/o/{secret}");
    let mut work = store.begin(act(&link, &form)).await?;
    work.add_owner_note(link.boat_id, part, wish, &words).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[post("/o/<secret>/word", data = "<form>")]
pub async fn secret_word(store: &State<Store>, secret: &str, form: Form<Submission>) -> Result {
    let link = link(store, secret).await?;
    let name: String = link.name.chars().take(NAME_LIMIT).collect();
    match say(store, link.boat_id, &form, name, act(&link, &form), format!("/o/{secret}")).await? {
        Ok(location) => Ok(Answer::Go(location)),
        Err(faults) => render_faulty(&secret_page(store, &link, secret, form.typed(), faults).await?),
    }
}

/// A photograph of his boat, small.
#[get("/o/<secret>/photos/<hash>")]
pub async fn secret_photo(
    store: &State<Store>,
    settings: &State<Settings>,
    secret: &str,
    hash: &str,
) -> std::result::Result<NamedFile, AppError> {
    let link = link(store, secret).await?;
    let boats = findings::boats_with_photo(store, hash).await?;
    if !boats.contains(&link.boat_id) {
        return Err(AppError::NotFound("photo"));
    }
    let path = photos::small(&settings.folder.photos(), hash).await.ok_or(AppError::NotFound("photo"))?;
    Ok(NamedFile::open(path).await?)
}

/// The newest paper that was given out for the owner.
#[get("/o/<secret>/dossier.pdf")]
pub async fn secret_paper(store: &State<Store>, secret: &str) -> Result {
    let link = link(store, secret).await?;
    let given = dossier::given_out(store, link.boat_id).await?;
    let newest = given.into_iter().find(|g| g.edition == Edition::Owner).ok_or(AppError::NotFound("paper"))?;
    let bytes = dossier::paper(store, &newest.hash).await?;
    Ok(Answer::File("dossier.pdf".to_owned(), rocket::http::ContentType::PDF, bytes))
}
