//! The quote: what her decisions cost as they stand, given out in versions, the owner's word part by part, and spent against authorised.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::work::estimate::whole_job;
use mend_keel_core::work::quote::{Currency, Money, Quote, Standing, Terms, Word};
use mend_keel_store::jobs::Job;
use mend_keel_store::quotes::{self, Given, NewWord};
use mend_keel_store::{accounts, owners};
use rocket::http::ContentType;
use rocket::{get, post};

use crate::file::boat::BoatFile;
use crate::file::learned::YardRates;
use crate::file::quote::{self, Account};
use crate::file::survey::SurveyFile;
use crate::papers;
use crate::view;
use crate::web::auth::Crew;
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NAME_LIMIT, NOTE_LIMIT, Posted, Reader, Submission, Typed};
use crate::web::heavy;

#[derive(Template)]
#[template(path = "story/quote.html")]
struct Show {
    page: Page,
    boat_id: i64,
    /// Other ways and allowances were reckoned too.
    full: bool,
    /// Kinds of work nobody gave a rate for.
    without_rate: Vec<&'static str>,
    parts: Vec<PartView>,
    allowances: Vec<[String; 3]>,
    sum: Vec<[String; 3]>,
    /// Whole jobs with work left, and its hours: no quote holds them yet.
    jobs: Vec<(String, String)>,
    given: Vec<GivenView>,
    words: Choices,
    typed: Typed,
    faults: Faults,
}

struct PartView {
    decision: i64,
    member: i64,
    name: String,
    way: String,
    hours: String,
    materials: String,
    net: String,
    others: Vec<String>,
    wishes: Vec<String>,
    /// What the owner said, and of which quote.
    word: String,
    account: String,
    warns: bool,
    /// In the newest quote, to be answered.
    asked: bool,
    bought_field: String,
}

struct GivenView {
    number: i64,
    when: String,
    by: String,
    gross: String,
}

/// Whole jobs that are not done, with their hours at even and at four-in-five odds.
fn jobs_left(file: &BoatFile) -> Vec<(String, String)> {
    let left = |id: i64| -> Vec<f64> {
        file.tasks.iter().filter(|t| t.job_id == Some(id) && t.done_at.is_none()).map(|t| t.p50).collect()
    };
    let row = |job: &Job| {
        let open = left(job.id);
        let all = whole_job(&open);
        (!open.is_empty()).then(|| (job.name.clone(), hours([all.p50, all.p80])))
    };
    file.jobs.iter().filter_map(row).collect()
}

fn hours(hours: [f64; 2]) -> String {
    hours.map(view::hours).join(" – ")
}

/// What else could be done with a part, in words.
pub fn others(part: &mend_keel_core::work::quote::Part, money: &Currency) -> Vec<String> {
    let mut told: Vec<String> = part
        .others
        .iter()
        .map(|o| {
            let refused = if o.refused { " (against the rules)" } else { "" };
            let again = o.later.as_ref().map_or(String::new(), |l| {
                format!(
                    "; after {} {} again for {}",
                    view::in_years(l.years.into()),
                    l.way.to_lowercase(),
                    money.band(l.line.net())
                )
            });
            format!("{}{refused}: {}, lasts {}{again}", o.way, money.band(o.line.net()), view::in_years(o.years))
        })
        .collect();
    told.extend(part.waiting.as_ref().map(|w| {
        format!("Waiting {} years: at worst {} for {}", w.years, w.way.to_lowercase(), money.band(w.line.net()))
    }));
    told
}

fn account_words(account: &Account, money: &Currency) -> (String, bool) {
    let spent = money.shown(account.spent);
    let of = money.shown(account.authorised);
    match account.standing {
        Standing::Within if account.authorised.is_zero() => (String::new(), false),
        Standing::Within => (format!("{spent} of {of} spent"), false),
        Standing::Near => (format!("▲ {spent} of {of} spent: nearly all"), true),
        Standing::Over => (format!("▲ {spent} spent, {of} authorised"), true),
        Standing::Unauthorised => (format!("▲ {spent} spent that nobody authorised"), true),
    }
}

/// What was said to a part, and of which quote.
pub fn word_words(account: Option<&Account>) -> String {
    account.and_then(|a| a.word.as_ref()).map_or(String::new(), |w| {
        let why = if w.why.is_empty() { String::new() } else { format!(": {}", w.why) };
        format!("{} (quote {}, {}, {}){why}", w.word.label(), w.number, w.name, view::when(&w.at))
    })
}

fn sum_rows(quote: &Quote) -> Vec<[String; 3]> {
    let money = &quote.terms.currency;
    let row = |label: String, [low, high]: [Money; 2]| [label, money.shown(low), money.shown(high)];
    vec![
        row("Before tax".to_owned(), quote.sum.net),
        row(format!("Tax, {} %", papers::quote::percent(quote.terms.tax)), quote.sum.tax),
        row("With tax".to_owned(), quote.sum.gross),
    ]
}

/// What the page stands on.
struct Ground {
    survey: SurveyFile,
    terms: Terms,
    given: Vec<Given>,
    accounts: Vec<Account>,
}

async fn ground(desk: &Desk<'_>, id: i64) -> std::result::Result<Ground, AppError> {
    let survey = SurveyFile::load(desk.store, id).await?;
    let (terms, _) = quotes::terms(desk.store).await?;
    let given = quotes::of_boat(desk.store, id).await?;
    let words = quotes::words(desk.store, id).await?;
    let accounts = quote::accounts(&survey, &given, &words, &terms).map_err(|e| AppError::Refused(e.to_string()))?;
    Ok(Ground { survey, terms, given, accounts })
}

fn bought_field(decision: i64) -> String {
    format!("bought{decision}")
}

async fn draft(
    desk: &Desk<'_>,
    ground: &Ground,
    bought: impl Fn(i64) -> Money,
    note: &str,
    full: bool,
) -> std::result::Result<Quote, AppError> {
    let broken = |e: InputError| AppError::Refused(e.to_string());
    let wishes = owners::notes(desk.store, ground.survey.file.boat.id).await?;
    let drafted = quote::draft(&ground.survey, &ground.terms, &wishes, bought, note).map_err(broken)?;
    if !full {
        return Ok(drafted);
    }
    let rates = YardRates::load(desk.store).await?;
    heavy::compute(|| quote::in_full(drafted, &ground.survey, &rates)).await?.map_err(broken)
}

async fn show(
    desk: &Desk<'_>,
    ground: &Ground,
    full: bool,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<Show, AppError> {
    let quote = draft(desk, ground, |_| Money::ZERO, "", full).await?;
    let money = &ground.terms.currency;
    let id = ground.survey.file.boat.id;
    let newest = ground.given.first();
    let part = |p: &mend_keel_core::work::quote::Part| {
        let account = ground.accounts.iter().find(|a| a.decision == p.decision);
        let (told, warns) = account.map_or((String::new(), false), |a| account_words(a, money));
        PartView {
            decision: p.decision,
            member: p.member,
            name: p.name.clone(),
            way: p.way.clone(),
            hours: hours(p.line.hours),
            materials: money.bare(p.line.materials),
            net: money.band(p.line.net()),
            others: others(p, money),
            wishes: p.wishes.clone(),
            word: word_words(account),
            account: told,
            warns,
            asked: newest.is_some_and(|q| q.body.parts.iter().any(|own| own.decision == p.decision)),
            bought_field: bought_field(p.decision),
        }
    };
    Ok(Show {
        full,
        page: desk.boat_page(&ground.survey.file, "Quote", "story"),
        boat_id: id,
        without_rate: ground.terms.without_rate().into_iter().map(|t| t.label()).collect(),
        parts: quote.parts.iter().map(part).collect(),
        allowances: quote
            .allowances
            .iter()
            .map(|a| [papers::quote::trigger(&a.trigger).to_owned(), hours(a.hours), money.band(a.net)])
            .collect(),
        sum: sum_rows(&quote),
        jobs: jobs_left(&ground.survey.file),
        given: ground
            .given
            .iter()
            .map(|g| GivenView {
                number: g.number,
                when: view::when(&g.at),
                by: g.by_name.clone(),
                gross: g.body.terms.currency.band(g.body.sum.gross),
            })
            .collect(),
        words: pairs(Word::ALL, Word::code, Word::label),
        typed,
        faults,
    })
}

fn back(id: i64) -> String {
    format!("/boats/{id}/quote")
}

#[get("/boats/<id>/quote?<full>")]
pub async fn page(desk: Desk<'_>, _who: Crew, id: i64, full: Option<&str>) -> Result {
    let ground = ground(&desk, id).await?;
    render(&show(&desk, &ground, full.is_some(), Typed::default(), Faults::default()).await?)
}

/// Gives the quote out as it stands.
#[post("/boats/<id>/quote", data = "<posted>")]
pub async fn give(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let ground = ground(&desk, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let note = read.text("note", NOTE_LIMIT);
    let money = &ground.terms.currency;
    let mut bought = Vec::new();
    for decision in &ground.survey.file.decisions {
        let field = bought_field(decision.id);
        let text = posted.form.get(&field).trim();
        match if text.is_empty() { Ok(Money::ZERO) } else { money.read(text) } {
            Ok(amount) if amount >= Money::ZERO => bought.push((decision.id, amount)),
            Ok(_) => read.faults.add(InputError::new(&*field, "must not be less than nothing")),
            Err(e) => read.faults.add(InputError::new(&*field, e.message)),
        }
    }
    if !ground.terms.without_rate().is_empty() {
        read.faults.add(InputError::new("note", "say first what an hour of each kind of work costs"));
    }
    if ground.survey.file.decisions.is_empty() {
        read.faults.add(InputError::new("note", "nothing is decided yet: there is nothing to quote"));
    }
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, &ground, false, posted.form.typed(), read.faults).await?);
    }
    let of = |decision: i64| bought.iter().find(|(id, _)| *id == decision).map_or(Money::ZERO, |(_, amount)| *amount);
    let quote = draft(&desk, &ground, of, &note, true).await?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.give_quote(id, &quote).await?;
    work.commit(&back(id)).await?;
    Ok(Answer::Go(back(id)))
}

fn numbered(given: Vec<Given>, number: i64) -> std::result::Result<Given, AppError> {
    given.into_iter().find(|g| g.number == number).ok_or(AppError::NotFound("quote"))
}

/// Reads an owner's word on a part of a quote.
pub fn read_word(form: &Submission, quote: &Given, name: String) -> std::result::Result<NewWord, InputError> {
    let decision: Option<i64> = form.get("decision").parse().ok();
    let part = quote.body.parts.iter().find(|p| Some(p.decision) == decision);
    let part = part.ok_or_else(|| InputError::new("decision", "is no part of this quote"))?;
    let word = Word::from_code(form.get("word")).ok_or_else(|| InputError::new("word", "choose one"))?;
    let why: String = form.get("why").trim().chars().take(NOTE_LIMIT).collect();
    if word == Word::Refused && why.is_empty() {
        return Err(InputError::new("why", "say why, so that it is known later"));
    }
    Ok(NewWord { decision: part.decision, part: part.name.clone(), word, name, why })
}

/// What the owner said, entered by the yard.
#[post("/boats/<id>/quote/<number>/word", data = "<posted>")]
pub async fn word(desk: Desk<'_>, _who: Crew, id: i64, number: i64, posted: Posted) -> Result {
    let ground = ground(&desk, id).await?;
    let given = numbered(ground.given.clone(), number)?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let name: String = read.text("name", NAME_LIMIT);
    if name.is_empty() {
        read.faults.add(InputError::new("name", "say whose word it is"));
    }
    let new = match read_word(&posted.form, &given, name) {
        Ok(new) if read.faults.is_empty() => new,
        Ok(_) => return render_faulty(&show(&desk, &ground, false, posted.form.typed(), read.faults).await?),
        Err(e) => {
            read.faults.add(e);
            return render_faulty(&show(&desk, &ground, false, posted.form.typed(), read.faults).await?);
        }
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.say_to_quote(&given, &new).await?;
    work.commit(&back(id)).await?;
    Ok(Answer::Go(back(id)))
}

/// A quote as it was given out, on paper.
#[get("/boats/<id>/quote/<number>/pdf")]
pub async fn pdf(desk: Desk<'_>, _who: Crew, id: i64, number: i64) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let given = numbered(quotes::of_boat(desk.store, id).await?, number)?;
    let yard = accounts::yard(desk.store).await?;
    let report = papers::quote::report(&given, &survey.file.boat.name, &yard.name);
    let pdf = papers::report::pdf(&report).await?;
    Ok(Answer::File(format!("quote-{id}-{number}.pdf"), ContentType::PDF, pdf))
}

/// What was booked, as lines of an invoice.
#[get("/boats/<id>/invoice.csv")]
pub async fn invoice(desk: Desk<'_>, _who: Crew, id: i64) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let (terms, _) = quotes::terms(desk.store).await?;
    let text = papers::quote::invoice(&survey, &terms);
    Ok(Answer::File(format!("invoice-{id}.csv"), ContentType::CSV, text.into_bytes()))
}
