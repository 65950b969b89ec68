//! What is handed over: a boat's dossier on paper, in the edition of whoever reads it.

use mend_keel_core::before;
use mend_keel_core::edition::{self, Edition};
use mend_keel_core::grid::member::Surface;
use mend_keel_core::survey::past::Quality;
use mend_keel_exchange::report::{Block, Photo, Report};
use mend_keel_store::decisions::{Decision, PieceState};
use mend_keel_store::history::{self, Only};
use mend_keel_store::{StoreError, accounts, boards, quotes, tasks};

use super::report::{self, Printing, heading, pictures, table, what_was_inspected};
use crate::file::original;
use crate::file::shots;
use crate::file::survey::SurveyFile;
use crate::view::{self, percent};
use crate::web::photos;

/// How an edition puts a text.
type Said<'a> = dyn Fn(&str) -> String + Send + Sync + 'a;

/// Entries of the story that are printed at most; the file holds all of them.
const MOST_ENTRIES: usize = 400;

/// Lays a boat's dossier out for a reader. `allowed`: names that may stand in an edition without names.
pub async fn dossier(
    print: &Printing<'_>,
    survey: &SurveyFile,
    edition: Edition,
    allowed: &[String],
) -> Result<Report, StoreError> {
    if edition == Edition::Surveyor {
        return report::report(print, survey).await;
    }
    let boat = &survey.file.boat;
    let people: Vec<String> = people(print, survey).await?;
    let said = |text: &str| edition::text(edition, text, &people, allowed);
    let mut blocks = vec![Block::Caution(
        "Told from the yard’s record. What is only suspected is said to be; what nobody looked at may not be sound."
            .into(),
    )];
    particulars(print, survey, edition, &mut blocks);
    originality(survey, &mut blocks);
    what_was_inspected(survey, &mut blocks);
    blocks.push(Block::Drawing {
        svg: survey.draw(Surface::Shell, None, "grade"),
        caption: "Her planking, hatched by grade, the denser the worse; plain: not known.".into(),
    });
    work(print, survey, edition, &said, &mut blocks).await?;
    harm(survey, &said, &mut blocks);
    open(survey, &said, &mut blocks);
    if edition.has_money() {
        hours(survey, &mut blocks);
        quoted(print, survey, &mut blocks).await?;
    }
    story(print, survey, edition, &said, allowed, &mut blocks).await?;
    pairs(print, survey, &said, &mut blocks).await?;
    pictures(print, survey, &mut blocks).await?;
    let built = boat.year.map_or(String::new(), |y| format!(", {y}"));
    let who = edition::name(edition, print.who, allowed);
    Ok(Report {
        title: format!("{}: her dossier", boat.name),
        lines: vec![
            format!("{}{built}. For {}: {}", boat.construction.label(), edition.label().to_lowercase(), edition.says()),
            format!("{}; given out {} by {who}.", print.yard, view::today()),
        ],
        foot: format!("{}: her dossier, as given out {}.", boat.name, view::today()),
        blocks,
    })
}

/// Everybody who is named in what is printed: the yard's people, and who is named in her records.
async fn people(print: &Printing<'_>, survey: &SurveyFile) -> Result<Vec<String>, StoreError> {
    let file = &survey.file;
    let mut names: Vec<String> = accounts::list(print.store).await?.into_iter().map(|a| a.name).collect();
    names.extend(file.findings.iter().map(|f| f.by_name.clone()));
    names.extend(file.decisions.iter().map(|d| d.by_name.clone()));
    names.push(file.boat.owner.clone());
    names.sort();
    names.dedup();
    names.retain(|name| !name.is_empty());
    Ok(names)
}

/// Most parts shown before and after.
const MOST_PAIRS: usize = 12;

/// Parts before and after, side by side.
async fn pairs(
    print: &Printing<'_>,
    survey: &SurveyFile,
    said: &Said<'_>,
    blocks: &mut Vec<Block>,
) -> Result<(), StoreError> {
    let all = shots::series(print.store, &survey.file).await?;
    let mut printed = Vec::new();
    for (series, (first, last)) in all.iter().filter_map(|s| Some((s, s.pair?))).take(MOST_PAIRS) {
        let mut both = Vec::new();
        let called = before::called(series.shots[last].taken().stage);
        for (shot, word) in [&series.shots[first], &series.shots[last]].into_iter().zip(called) {
            let Some(path) = photos::path(print.photos, &shot.hash) else { break };
            let Ok(jpeg) = rocket::tokio::fs::read(path).await else { break };
            let day = view::day(shot.at.get(..10).unwrap_or(&shot.at));
            let caption = said(&format!("{word}: {}, {}, {day}", series.part, shots::says(shot)));
            both.push(Photo { jpeg, marks: Vec::new(), caption });
        }
        // One without the other shows nothing.
        if both.len() == 2 {
            printed.append(&mut both);
        }
    }
    if !printed.is_empty() {
        blocks.push(heading("Before and after"));
        blocks.push(Block::Photos(printed));
    }
    Ok(())
}

fn particulars(print: &Printing<'_>, survey: &SurveyFile, edition: Edition, blocks: &mut Vec<Block>) {
    let boat = &survey.file.boat;
    let units = print.units;
    let mut rows = vec![
        vec!["Built".to_owned(), boat.year.map_or("not known".to_owned(), |y| y.to_string())],
        vec!["Construction".to_owned(), boat.construction.label().to_owned()],
        vec!["Length, beam, depth".to_owned(), [boat.length, boat.beam, boat.depth].map(|mm| units.run(mm)).join(", ")],
        vec![
            "Planking".to_owned(),
            format!("{} of {}", units.len(boat.plank_thickness), boat.plank_species.replace('_', " ")),
        ],
        vec!["Used".to_owned(), boat.boat_use.label().to_owned()],
    ];
    if edition.has_names() && !boat.owner.is_empty() {
        rows.push(vec!["Owner".to_owned(), boat.owner.clone()]);
    }
    blocks.push(heading("The boat"));
    blocks.push(table(&[("", 1.0), ("", 3.0)], rows));
}

fn originality(survey: &SurveyFile, blocks: &mut Vec<Block>) {
    let now = i32::from(jiff::ZonedDateTime::now().year());
    let Ok(shares) = original::shares(survey, now) else { return };
    blocks.push(heading("How much of her is original"));
    let years = |share: &original::Share| {
        let told: Vec<String> = share.years.iter().map(|(y, o)| format!("{y}: {}", original::says(*o))).collect();
        if told.is_empty() { "her year is not known".to_owned() } else { told.join("; ") }
    };
    let rows = shares.iter().map(|s| vec![s.label.to_owned(), original::says(s.today), years(s)]).collect();
    blocks.push(table(&[("", 1.4), ("Original today", 1.4), ("Over the years", 3.0)], rows));
    blocks.push(Block::Text(
        "By what is on record: shell and deck by area, the rest by volume. What nobody looked at counts as unknown and \
         makes the band wide; it is never guessed."
            .into(),
    ));
}

/// Each piece of work from its sign to what was kept.
async fn work(
    print: &Printing<'_>,
    survey: &SurveyFile,
    edition: Edition,
    said: &Said<'_>,
    blocks: &mut Vec<Block>,
) -> Result<(), StoreError> {
    let file = &survey.file;
    blocks.push(heading("What was decided, and why"));
    if file.decisions.is_empty() {
        blocks.push(Block::Text("Nothing was decided yet.".into()));
        return Ok(());
    }
    let all = boards::list(print.store).await?;
    let mut rows = Vec::new();
    for decision in &file.decisions {
        let name = file.part_name(decision.member_id).unwrap_or_default();
        let signs: Vec<String> = file
            .findings
            .iter()
            .filter(|f| f.member_id == decision.member_id)
            .map(|f| {
                let certain = f.certainty.label().to_lowercase();
                let cause = f.cause.label().to_lowercase();
                let treated = f.cause_treated.as_ref().map_or(String::new(), |how| format!(", treated: {how}"));
                format!("{} ({certain}), cause: {cause}{treated}", f.kind.label())
            })
            .collect();
        let against = decision.against().map_or(String::new(), |why| format!(" Against the rule, because {why}."));
        let wood: Vec<String> = file
            .pieces
            .iter()
            .filter(|p| p.decision_id == decision.id)
            .map(|p| {
                let board = p.board_id.and_then(|id| all.iter().find(|b| b.id == id));
                let from =
                    board.map_or(String::new(), |b| format!(" from board {}, {}", b.tag, b.species.replace('_', " ")));
                let state = if p.state == PieceState::Cut { "" } else { " (not cut yet)" };
                format!("{}{from}{state}", p.name)
            })
            .collect();
        let mut row = vec![
            name,
            said(&signs.join("; ")),
            said(&format!("{}: {}{against}", decision.kind.label(), decision.reason)),
            if wood.is_empty() { "–".to_owned() } else { wood.join("; ") },
            percent(decision.kept),
        ];
        if edition.has_money() {
            row.push(booked(survey, decision));
        }
        rows.push(row);
    }
    let mut columns =
        vec![("Part", 1.2), ("Sign and cause", 2.0), ("Decision and reason", 2.4), ("New wood", 1.8), ("Kept", 0.6)];
    if edition.has_money() {
        columns.push(("Hours", 1.0));
    }
    blocks.push(table(&columns, rows));
    Ok(())
}

/// Hours of a decision: as reckoned, and booked so far.
fn booked(survey: &SurveyFile, decision: &Decision) -> String {
    let minutes: f64 = survey.file.tasks.iter().filter(|t| t.decision_id == Some(decision.id)).map(|t| t.minutes).sum();
    let reckoned = [decision.p50, decision.p80].map(view::hours).join(" – ");
    format!("{reckoned}; booked {}", tasks::spoken(minutes))
}

/// What earlier work did to her, in plain words.
fn harm(survey: &SurveyFile, said: &Said<'_>, blocks: &mut Vec<Block>) {
    let rows: Vec<Vec<String>> = survey
        .past
        .iter()
        .filter(|p| p.quality >= Quality::Poor)
        .map(|p| {
            let when = p.year.map_or("when is not known".to_owned(), |y| y.to_string());
            let name = survey.file.part_name(p.member_id).unwrap_or_default();
            vec![name, format!("{}, {when}", p.kind.label()), p.quality.label().to_owned(), said(&p.note)]
        })
        .collect();
    if !rows.is_empty() {
        blocks.push(heading("Earlier work that did not serve her"));
        blocks.push(table(&[("Where", 1.4), ("What", 1.6), ("How it serves", 1.0), ("Note", 2.4)], rows));
    }
}

fn open(survey: &SurveyFile, said: &Said<'_>, blocks: &mut Vec<Block>) {
    let file = &survey.file;
    blocks.push(heading("What was found and is still open"));
    let rows: Vec<Vec<String>> = file
        .findings
        .iter()
        .filter(|f| f.is_open())
        .map(|f| {
            let what = format!("{}, {}", f.kind.label(), f.certainty.label().to_lowercase());
            vec![file.shown(&f.place), what, f.grade.label().to_owned(), f.cause.label().to_owned(), said(&f.note)]
        })
        .collect();
    if rows.is_empty() {
        blocks.push(Block::Text("Nothing is open.".into()));
    } else {
        let columns = [("Place", 1.0), ("What", 1.8), ("Grade", 0.8), ("Cause", 1.4), ("Note", 2.4)];
        blocks.push(table(&columns, rows));
    }
}

fn hours(survey: &SurveyFile, blocks: &mut Vec<Block>) {
    let file = &survey.file;
    let booked: f64 = file.tasks.iter().map(|t| t.minutes).sum();
    let reckoned: f64 = file.decisions.iter().map(|d| d.p50).sum();
    let materials: f64 = file.decisions.iter().filter_map(|d| d.body["cost"].as_f64()).sum();
    blocks.push(heading("Hours and materials"));
    blocks.push(Block::Text(format!(
        "Reckoned at even odds: {}. Booked so far: {}. Materials as reckoned, in the yard’s own prices: {materials:.0}.",
        view::hours(reckoned),
        tasks::spoken(booked),
    )));
}

/// The newest quote, with what was said to each part of it.
async fn quoted(print: &Printing<'_>, survey: &SurveyFile, blocks: &mut Vec<Block>) -> Result<(), StoreError> {
    let boat = survey.file.boat.id;
    let Some(given) = quotes::of_boat(print.store, boat).await?.into_iter().next() else { return Ok(()) };
    let words = quotes::words(print.store, boat).await?;
    let money = &given.body.terms.currency;
    let rows = given.body.parts.iter().map(|p| {
        let word = words.iter().rfind(|w| w.decision_id == p.decision && w.quote_id == given.id);
        let said = word.map_or("waits".to_owned(), |w| {
            let why = if w.why.is_empty() { String::new() } else { format!(": {}", w.why) };
            format!("{}, {}{why}", w.word.label(), w.name)
        });
        vec![p.name.clone(), p.way.clone(), money.band(p.line.net()), said]
    });
    blocks.push(heading(&format!(
        "Quote {}, {}",
        given.number,
        view::day(&given.at.chars().take(10).collect::<String>())
    )));
    blocks.push(table(
        &[("Part", 1.6), ("What is done", 1.6), ("Before tax", 1.6), ("Owner’s word", 2.0)],
        rows.collect(),
    ));
    blocks.push(Block::Text(format!("In all, with tax: {}.", money.band(given.body.sum.gross))));
    Ok(())
}

/// What is told in an edition: the family reads what was told by hand and what was decided.
const FOR_THE_FAMILY: &[&str] = &["told", "correction", "decision", "finding", "outcome", "coat"];

async fn story(
    print: &Printing<'_>,
    survey: &SurveyFile,
    edition: Edition,
    said: &Said<'_>,
    allowed: &[String],
    blocks: &mut Vec<Block>,
) -> Result<(), StoreError> {
    let only = Only { kinds: if edition.has_money() { &[] } else { FOR_THE_FAMILY }, by: "", without_hours: false };
    let (mut rows, mut upto, mut more) = (Vec::new(), None, false);
    'pages: loop {
        let page = history::of_boat(print.store, survey.file.boat.id, upto, only).await?;
        for event in page.events {
            // Hours by name are the yard's.
            if event.kind == "hours" && !edition.has_hours_by_name() {
                continue;
            }
            if rows.len() == MOST_ENTRIES {
                more = true;
                break 'pages;
            }
            let who = edition::name(edition, &event.by_name, allowed).to_owned();
            rows.push(vec![view::when(&event.at), who, said(&event.summary)]);
        }
        match page.further {
            Some(next) => upto = Some(next),
            None => break,
        }
    }
    blocks.push(heading("Her story, newest first"));
    if rows.is_empty() {
        blocks.push(Block::Text("Nothing was told yet.".into()));
        return Ok(());
    }
    blocks.push(table(&[("When", 1.2), ("Who", 1.2), ("What", 4.0)], rows));
    if more {
        blocks.push(Block::Text("Older entries are in the file and not printed here.".into()));
    }
    Ok(())
}
