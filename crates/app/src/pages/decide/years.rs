//! What becomes of her: rot run forward by rule for the next ten years, drawn on her, and what waiting costs.

use askama::Template;
use mend_keel_core::forecast::{Pace, YEARS};
use mend_keel_core::grid::member::Surface;
use mend_keel_core::repair::decide::RepairOption;
use mend_keel_core::survey::Grade;
use mend_keel_core::work::quote::Currency;
use mend_keel_store::quotes;
use rocket::get;

use crate::file::decide::{self, Subject};
use crate::file::forecast::{self, Fate, Plan};
use crate::file::learned::YardRates;
use crate::file::survey::SurveyFile;
use crate::view;
use crate::web::auth::BoatReader;
use crate::web::desk::{Desk, Page, render};
use crate::web::error::{AppError, Result};
use crate::web::heavy;

#[derive(Template)]
#[template(path = "decide/years.html")]
struct Show {
    page: Page,
    boat_id: i64,
    /// This page, and what it was asked for.
    here: String,
    query: String,
    in_words: String,
    plan_words: &'static str,
    least: bool,
    years: Vec<Pick>,
    plans: Vec<Pick>,
    paces: Vec<Pick>,
    svg: String,
    rows: Vec<Row>,
    /// Simulated readings were left out.
    simulated: bool,
    /// The part whose cost of waiting is laid out.
    waiting: Option<Waiting>,
}

/// The same page, asked for something else.
struct Pick {
    label: String,
    query: String,
    is_here: bool,
}

/// What the page is asked for.
#[derive(Clone, Copy, PartialEq)]
struct Asked {
    year: u32,
    plan: Plan,
    pace: Pace,
}

impl Asked {
    fn query(self) -> String {
        let pace = if self.pace == Pace::Least { "least" } else { "most" };
        format!("year={}&plan={}&pace={pace}", self.year, self.plan.code())
    }

    fn pick(self, label: impl Into<String>, other: Self) -> Pick {
        Pick { label: label.into(), query: other.query(), is_here: self == other }
    }
}

struct Row {
    id: i64,
    name: String,
    now: &'static str,
    /// By the year asked for, and after ten years.
    then: String,
    at_last: String,
    /// When it may pass to the next grade.
    passes: Vec<String>,
    because: Vec<String>,
}

/// What a part costs now, and by the fast end of the band later.
struct Waiting {
    name: String,
    rows: Vec<WaitingRow>,
}

struct WaitingRow {
    when: String,
    way: String,
    hours: String,
    materials: String,
}

fn band(least: Grade, most: Grade) -> String {
    if least == most { least.label().to_owned() } else { format!("{} to {}", least.label(), most.label()) }
}

fn row(survey: &SurveyFile, fate: &Fate, year: u32) -> Row {
    let at = |year: u32| fate.years.get(year as usize).map_or(String::new(), |b| band(b.least, b.most));
    let first = |grade: Grade, of: &dyn Fn(&forecast::Band) -> Grade| fate.years.iter().position(|b| of(b) >= grade);
    let passes = [Grade::Mend, Grade::Renew]
        .into_iter()
        .filter(|grade| *grade > fate.now)
        .filter_map(|grade| {
            let soonest = first(grade, &|b| b.most)?;
            let label = grade.label();
            Some(match first(grade, &|b| b.least) {
                Some(latest) if latest == soonest => format!("{label} in year {soonest}"),
                Some(latest) => format!("{label} from year {soonest} at the soonest, by year {latest}"),
                None => format!("{label} from year {soonest} at the soonest, perhaps never"),
            })
        })
        .collect();
    let mut because = fate.because.clone();
    because.extend(fate.reached.map(|year| format!("rot may reach it from another part in year {year}")));
    Row {
        id: fate.member,
        name: survey.file.part_name(fate.member).unwrap_or_default(),
        now: fate.now.label(),
        then: at(year),
        at_last: at(YEARS),
        passes,
        because,
    }
}

/// Years for which the cost of waiting is laid out.
const LATER: [u32; 4] = [1, 3, 6, 10];

fn best(survey: &SurveyFile, part: i64, known: &YardRates) -> std::result::Result<Option<RepairOption>, AppError> {
    let subject = Subject::of(&survey.file, part)?;
    let laid = decide::lay_out(&survey.file, &subject, survey.file.boat.school, |op| known.rate(op));
    // What cannot be laid out costs nobody knows what.
    Ok(laid.ok().and_then(|answered| answered.options.into_iter().find(|o| !o.forbidden())))
}

fn waiting_row(when: String, option: Option<RepairOption>, currency: &Currency) -> WaitingRow {
    let (way, hours, materials) = match option {
        Some(o) => (o.kind.label(), [o.hours.p50, o.hours.p80].map(view::hours).join(" – "), currency.about(o.cost)),
        None => ("nobody can say", "–".to_owned(), "–".to_owned()),
    };
    WaitingRow { when, way: way.to_owned(), hours, materials }
}

async fn waiting(desk: &Desk<'_>, survey: &SurveyFile, part: i64) -> std::result::Result<Option<Waiting>, AppError> {
    let Some(name) = survey.file.part_name(part) else { return Err(AppError::NotFound("part")) };
    let known = YardRates::load(desk.store).await?;
    let currency = &quotes::terms(desk.store).await?.0.currency;
    let rows = heavy::compute(|| -> std::result::Result<Vec<WaitingRow>, AppError> {
        let mut rows = vec![waiting_row("now".to_owned(), best(survey, part, &known)?, currency)];
        for year in LATER {
            let then = forecast::in_years(survey, Plan::Nothing, Pace::Most, year)
                .map_err(|e| AppError::Refused(e.to_string()))?;
            rows.push(waiting_row(format!("in {}", years(year)), best(&then, part, &known)?, currency));
        }
        Ok(rows)
    });
    Ok(Some(Waiting { name, rows: rows.await?? }))
}

fn years(n: u32) -> String {
    if n == 1 { "1 year".to_owned() } else { format!("{n} years") }
}

/// Her planking after so many years.
#[get("/boats/<id>/decide/years?<year>&<plan>&<pace>&<part>")]
pub async fn page(
    desk: Desk<'_>,
    _who: BoatReader,
    id: i64,
    year: Option<u32>,
    plan: Option<&str>,
    pace: Option<&str>,
    part: Option<i64>,
) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let asked = Asked {
        year: year.unwrap_or(5).min(YEARS),
        plan: plan.and_then(Plan::from_code).unwrap_or(Plan::Nothing),
        pace: if pace == Some("least") { Pace::Least } else { Pace::Most },
    };
    let Asked { year, plan, pace } = asked;
    let run = heavy::compute(|| {
        let fates = forecast::fates(&survey, plan)?;
        let then = forecast::in_years(&survey, plan, pace, year)?;
        Ok::<_, mend_keel_core::InputError>((fates, then.draw(Surface::Shell, None, "grade")))
    });
    let (fates, svg) = run.await?.map_err(|e| AppError::Refused(e.to_string()))?;
    let waiting = match part {
        Some(part) => waiting(&desk, &survey, part).await?,
        None => None,
    };
    render(&Show {
        page: desk.boat_page(&survey.file, "What becomes of her", "decide"),
        boat_id: id,
        here: format!("/boats/{id}/decide/years"),
        query: asked.query(),
        in_words: if year == 0 { "today".to_owned() } else { format!("in {}", years(year)) },
        plan_words: plan.label(),
        least: pace == Pace::Least,
        years: (0..=YEARS)
            .map(|year| {
                asked.pick(if year == 0 { "now".to_owned() } else { year.to_string() }, Asked { year, ..asked })
            })
            .collect(),
        plans: Plan::ALL.map(|plan| asked.pick(plan.label(), Asked { plan, ..asked })).into(),
        paces: [("at worst", Pace::Most), ("at best", Pace::Least)]
            .map(|(label, pace)| asked.pick(label, Asked { pace, ..asked }))
            .into(),
        svg,
        rows: fates.iter().map(|f| row(&survey, f, year)).collect(),
        simulated: survey.readings.iter().any(|r| r.simulated),
        waiting,
    })
}
