//! The printed survey: what was inspected, what was not and how, what was found, and the limits of it.

use std::path::Path;

use mend_keel_core::caution::Caution;
use mend_keel_core::grid::member::Surface;
use mend_keel_core::survey::coverage::Coverage;
use mend_keel_core::survey::{Method, urgency};
use mend_keel_exchange::report::{Block, Mark, Photo, Report};
use mend_keel_store::findings::{self, MarkKind};
use mend_keel_store::{Store, StoreError, surveys};

use crate::file::lines::drawn_lines;
use crate::file::sample::region_rows;
use crate::file::survey::{SurveyFile, untouched};
use crate::view::{self, Units, percent};
use crate::web::desk::Desk;
use crate::web::error::AppError;
use crate::web::heavy;
use crate::web::photos;

/// What a report is printed with, and for whom.
#[derive(Debug, Clone, Copy)]
pub struct Printing<'a> {
    pub store: &'a Store,
    /// Where photographs lie.
    pub photos: &'a Path,
    pub units: Units,
    pub yard: &'a str,
    pub who: &'a str,
}

impl<'a> Printing<'a> {
    pub fn at(desk: &'a Desk<'_>, photos: &'a Path) -> Self {
        Self { store: desk.store, photos, units: desk.units, yard: &desk.yard.name, who: &desk.user.account.name }
    }
}

/// Most photos printed.
const MOST_PHOTOS: usize = 60;
/// Most readings printed; the file holds all of them.
const MOST_READINGS: usize = 400;

pub fn table(columns: &[(&str, f32)], rows: Vec<Vec<String>>) -> Block {
    Block::Table { columns: columns.iter().map(|(name, share)| ((*name).to_owned(), *share)).collect(), rows }
}

/// A report as PDF, written beside the threads that answer.
pub async fn pdf(report: &Report) -> Result<Vec<u8>, AppError> {
    heavy::compute(|| mend_keel_exchange::report::write(report)).await?.map_err(AppError::Broken)
}

pub fn heading(text: &str) -> Block {
    Block::Heading(text.to_owned())
}

/// Lays the survey of a boat out as a report.
pub async fn report(print: &Printing<'_>, survey: &SurveyFile) -> Result<Report, StoreError> {
    let file = &survey.file;
    let boat = &file.boat;
    let units = print.units;
    let mut blocks = vec![Block::Caution(
        "This is a working record of what was looked at and found. It is not a marine survey for insurance or \
             sale: that takes a qualified surveyor. What was not looked at may not be sound."
            .into(),
    )];
    let coverage = what_was_inspected(survey, &mut blocks);
    drawings(survey, &coverage, &mut blocks);
    findings_table(print, survey, &mut blocks);
    pictures(print, survey, &mut blocks).await?;
    sample(print, survey, &mut blocks);
    let lines = surveys::lines(print.store, boat.id).await?;
    for (svg, caption) in drawn_lines(&lines, units) {
        blocks.push(Block::Drawing { svg, caption });
    }
    records(survey, &mut blocks);
    blocks.push(heading("Limits"));
    blocks.push(Block::Text(
        "Suspected findings are drawn dashed: nobody has opened them. Grades are of the member where it was looked at, \
         not of the boat. Moisture readings near salt or metal only compare one place with the next. A place that \
         sounds fair can be soft inside."
            .into(),
    ));
    blocks.push(Block::Caution(Caution::Structure.text().into()));
    let built = boat.year.map_or(String::new(), |y| format!(", {y}"));
    Ok(Report {
        title: format!("Survey of {}", boat.name),
        lines: vec![
            format!(
                "{}{built}. {} long, {} beam.",
                boat.construction.label(),
                units.run(boat.length),
                units.run(boat.beam)
            ),
            format!("{}; printed {} for {}.", print.yard, view::today(), print.who),
        ],
        foot: format!("{}: a working record, not a marine survey for insurance or sale.", boat.name),
        blocks,
    })
}

/// What was inspected and by which method, and what was not: it stands in every edition.
pub fn what_was_inspected(survey: &SurveyFile, blocks: &mut Vec<Block>) -> Vec<(Surface, Coverage)> {
    blocks.push(heading("What was inspected, and how"));
    let coverage = survey.coverage();
    let methods: Vec<Method> = Method::ALL
        .iter()
        .copied()
        .filter(|m| coverage.iter().any(|(_, c)| c.by_method.iter().any(|b| b.0 == *m)))
        .collect();
    let mut columns: Vec<(&str, f32)> = vec![("Surface", 2.2), ("Places", 1.0), ("Looked at", 1.2)];
    columns.extend(methods.iter().map(|m| (m.label(), 1.2)));
    let rows = coverage
        .iter()
        .map(|(surface, c)| {
            let by = |m: &Method| c.by_method.iter().find(|b| b.0 == *m).map_or("–".to_owned(), |b| b.1.to_string());
            let fixed = [surface.label().to_owned(), c.cells.to_string(), percent(c.share())];
            fixed.into_iter().chain(methods.iter().map(by)).collect()
        })
        .collect();
    blocks.push(table(&columns, rows));
    blocks.push(heading("What was not looked at"));
    let missed = untouched(survey, &coverage);
    if missed.is_empty() {
        blocks.push(Block::Text("Every part was looked at in at least one place.".into()));
    }
    for (surface, names) in missed {
        blocks.push(Block::Text(format!("{surface}: {}.", names.join("; "))));
    }
    coverage
}

fn drawings(survey: &SurveyFile, coverage: &[(Surface, Coverage)], blocks: &mut Vec<Block>) {
    let file = &survey.file;
    blocks.push(heading("Where it was found"));
    for (surface, _) in coverage {
        let found = file.findings.iter().filter(|f| f.is_open());
        let here = found.filter(|f| file.part_at(&f.place).is_ok_and(|p| p.kind().surface() == *surface)).count();
        if here == 0 && *surface != Surface::Shell {
            continue;
        }
        let svg = survey.draw(*surface, None, "grade");
        let many = if here == 1 { "finding" } else { "findings" };
        let caption = format!(
            "{}: {here} open {many}. Hatched by grade, the denser the worse; dotted: inspected by more than a look and sound; plain: not known.",
            surface.label()
        );
        blocks.push(Block::Drawing { svg, caption });
    }
}

fn findings_table(print: &Printing<'_>, survey: &SurveyFile, blocks: &mut Vec<Block>) {
    let file = &survey.file;
    blocks.push(heading("What was found, most urgent first"));
    let mut found: Vec<_> =
        file.findings.iter().filter(|f| f.is_open()).map(|f| (urgency(&file.weighed(f)).0, f)).collect();
    found.sort_by(|a, b| b.0.total_cmp(&a.0));
    if found.is_empty() {
        blocks.push(Block::Text("Nothing is open.".into()));
        return;
    }
    let rows = found
        .iter()
        .map(|(score, f)| {
            let depth = if f.depth > 0.0 { format!(", {} deep", print.units.len(f.depth)) } else { String::new() };
            let says = if f.says.is_empty() { String::new() } else { format!("; last read: {}", f.says) };
            let untreated = f.cause.untreated(f.cause_treated.is_some()).is_some();
            let cure = match &f.cause_treated {
                Some(how) => format!("treated: {how}"),
                None if untreated => format!("not treated. {}", f.cause.cure()),
                None => f.cause.cure().to_owned(),
            };
            vec![
                format!("{score:.1}"),
                file.shown(&f.place),
                format!("{}, {}{depth}", f.kind.label(), f.certainty.label().to_lowercase()),
                f.grade.label().to_owned(),
                format!("{}{says}", f.method.label()),
                format!("{}: {cure}", f.cause.label()),
                f.note.clone(),
                format!("{}, {}", view::when(&f.at), f.by_name),
            ]
        })
        .collect();
    let columns = [
        ("Urgency", 0.95),
        ("Place", 1.0),
        ("What", 1.6),
        ("Grade", 0.8),
        ("Looked at by", 1.7),
        ("Cause and its cure", 2.1),
        ("Note", 2.0),
        ("When, who", 1.3),
    ];
    blocks.push(table(&columns, rows));
    blocks.push(Block::Text(
        "Urgency = grade × member × waterline × spread × access × certainty (yard rule); it orders the list and means nothing by itself.".into(),
    ));
}

pub async fn pictures(print: &Printing<'_>, survey: &SurveyFile, blocks: &mut Vec<Block>) -> Result<(), StoreError> {
    let file = &survey.file;
    let mut all = findings::photos_of_boat(print.store, file.boat.id).await?;
    all.retain(|p| file.findings.iter().any(|f| f.id == p.finding_id && f.is_open()));
    if all.is_empty() {
        return Ok(());
    }
    let left_out = all.len().saturating_sub(MOST_PHOTOS);
    let mut printed = Vec::new();
    for photo in all.into_iter().take(MOST_PHOTOS) {
        let (Some(finding), Some(path)) =
            (file.findings.iter().find(|f| f.id == photo.finding_id), photos::path(print.photos, &photo.hash))
        else {
            continue;
        };
        let Ok(jpeg) = rocket::tokio::fs::read(path).await else {
            continue;
        };
        let marks = photo
            .marks
            .iter()
            .map(|m| match m.kind {
                MarkKind::Arrow => Mark::Arrow { tail: m.from, head: m.to },
                MarkKind::Circle => Mark::Circle { middle: m.from, rim: m.to },
            })
            .collect();
        let caption = format!("{}, {}", file.told(finding), view::when(&photo.at));
        printed.push(Photo { jpeg, marks, caption });
    }
    blocks.push(heading("Photos"));
    blocks.push(Block::Photos(printed));
    if left_out > 0 {
        blocks.push(Block::Text(format!("{left_out} more photos are in the yard's records and not printed here.")));
    }
    Ok(())
}

fn sample(print: &Printing<'_>, survey: &SurveyFile, blocks: &mut Vec<Block>) {
    let rows = region_rows(survey, print.units);
    if rows.is_empty() {
        return;
    }
    blocks.push(heading("Fastening sample"));
    let columns = [
        ("Region", 2.0),
        ("Fastenings", 1.0),
        ("Drawn", 0.8),
        ("Bad", 0.7),
        ("Share bad, 95 %", 1.5),
        ("Verdict", 2.2),
        ("Seeds", 1.2),
    ];
    blocks.push(table(&columns, rows));
    blocks.push(Block::Text(
        "Exact two-sided intervals (Clopper–Pearson; hypergeometric where more than a tenth was drawn). The fastenings to draw were picked at random with the seeds given.".into(),
    ));
}

fn records(survey: &SurveyFile, blocks: &mut Vec<Block>) {
    let file = &survey.file;
    let name = |id: i64, cell: u32| {
        let plank = file.planks.iter().find(|p| p.id == id).map(|p| format!("{}, bay {cell}", p.name()));
        plank.or_else(|| file.members.iter().find(|m| m.id == id).map(|m| m.cell_name(cell))).unwrap_or_default()
    };
    if !survey.past.is_empty() {
        blocks.push(heading("Past repairs"));
        let rows = survey.past.iter().map(|p| {
            let hides =
                if p.hides.is_empty() { p.kind.look_behind().to_owned() } else { format!("hides: {}", p.hides) };
            let made = [p.material.clone(), p.year.map_or(String::new(), |y| y.to_string())];
            let made: Vec<String> = made.into_iter().filter(|t| !t.is_empty()).collect();
            vec![
                name(p.member_id, p.from_cell),
                format!("{} {}", p.kind.label(), made.join(", ")),
                p.quality.label().into(),
                hides,
                p.note.clone(),
            ]
        });
        blocks.push(table(
            &[("Where", 2.0), ("What", 2.0), ("How well", 0.9), ("Look behind it", 2.2), ("Note", 2.0)],
            rows.collect(),
        ));
    }
    if survey.readings.is_empty() {
        return;
    }
    blocks.push(heading("Readings"));
    let rows = survey.readings.iter().rev().take(MOST_READINGS).map(|r| {
        let simulated = if r.simulated { " (simulated)" } else { "" };
        vec![
            file.shown(&r.place),
            r.method.label().to_owned(),
            format!("{}{simulated}", r.says),
            format!("{}, {}", view::when(&r.at), r.by_name),
        ]
    });
    blocks.push(table(&[("Place", 1.1), ("By", 1.3), ("Reading", 4.0), ("When, who", 2.0)], rows.collect()));
    let left_out = survey.readings.len().saturating_sub(MOST_READINGS);
    if left_out > 0 {
        blocks
            .push(Block::Text(format!("{left_out} older readings are in the file of readings and not printed here.")));
    }
}
