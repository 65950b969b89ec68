//! The fastening sample: regions, where to draw next, exact intervals, the verdict, and how many more would settle it.

use std::collections::BTreeSet;

use askama::Template;
use mend_keel_core::survey::sample::{self, Height, Part, Region, SampleVerdict, Spot};
use mend_keel_core::{InputError, Reason, Verdict};
use rocket::{get, post};

use crate::file::survey::SurveyFile;
use crate::pages::survey::{Tab, tabs};
use crate::view::percent;
use crate::view::reasons::ReasonView;
use crate::web::auth::{BoatReader, Crew, random_token};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "survey/sample.html")]
struct Show {
    page: Page,
    tabs: Vec<Tab>,
    boat_id: i64,
    regions: Vec<RegionView>,
    waiting: Vec<Waiting>,
    typed: Typed,
    faults: Faults,
    /// The region whose form the faults belong to.
    faulty: String,
    chosen: usize,
}

struct RegionView {
    code: String,
    label: String,
    population: usize,
    drawn: usize,
    bad: usize,
    picked: usize,
    interval: String,
    verdict: &'static str,
    class: &'static str,
    /// The interval as a bar, 0–100: from, width, and the estimate.
    bar: Option<(String, String, String)>,
    more: String,
    suggested: u32,
    reason: Option<ReasonView>,
    seeds: String,
}

struct Waiting {
    at: String,
    shown: String,
    nth: u32,
    region: String,
}

/// How many are drawn first where nothing is known (*yard rule*).
const FIRST_DRAW: u32 = 10;
/// Most picked at once: nobody draws more in a day.
const MOST_AT_ONCE: u32 = 200;

fn code(region: Region) -> String {
    format!("{}-{}", region.height.code(), region.part.code())
}

fn region_from(code: &str) -> Option<Region> {
    let (height, part) = code.split_once('-')?;
    Some(Region { height: Height::from_code(height)?, part: Part::from_code(part)? })
}

fn region_view(desk: &Desk<'_>, survey: &SurveyFile, region: Region) -> RegionView {
    let boat = &survey.file.boat;
    let population = sample::population(&boat.shell, boat.waterline_strake, region);
    let picks: Vec<_> = survey.picks.iter().filter(|p| p.region() == region).collect();
    let drawn: Vec<_> = picks.iter().filter(|p| p.reading_id.is_some()).collect();
    let bad = drawn.iter().filter(|p| p.bad).count();
    let read = sample::read(population.len() as u32, drawn.len() as u32, bad as u32, 0.95).ok();
    let (verdict, class) = match read.map(|r| r.verdict) {
        None => ("nothing drawn yet", "wait"),
        Some(SampleVerdict::Leave) => ("leave", "now"),
        Some(SampleVerdict::Refasten) => ("refasten the region", "sand"),
        Some(SampleVerdict::DrawMore) => ("refasten what is bad and draw more", "wait"),
    };
    let more = match read {
        None => format!("{FIRST_DRAW} to begin with"),
        Some(r) => match (r.verdict, r.draw_more) {
            (SampleVerdict::DrawMore, Some(more)) => format!("{more} more at this share would settle it"),
            (SampleVerdict::DrawMore, None) => r.advice((population.len() - drawn.len()) as u32),
            _ => "settled".to_owned(),
        },
    };
    let reason = read.map(|r| {
        let small = drawn.len() as f64 > 0.1 * population.len() as f64;
        let method = if small {
            "hypergeometric interval (over a tenth of the region drawn)"
        } else {
            "Clopper–Pearson interval"
        };
        ReasonView::new(
            &Reason::new(
                "survey.sample",
                Verdict::Note,
                format!("{method}, 95 % two-sided; at most 10 % bad: leave, at least 30 %: refasten"),
            )
            .formula("p = bad / drawn")
            .value("population", population.len() as f64, "")
            .value("drawn", drawn.len() as f64, "")
            .value("bad", bad as f64, "")
            .against("low", r.low * 100.0, "%", 30.0)
            .against("high", r.high * 100.0, "%", 10.0)
            .source("handbook 03, yard rule"),
            desk.units,
        )
    });
    let mut seeds: Vec<String> = picks.iter().map(|p| p.seed.to_string()).collect();
    seeds.dedup();
    let suggested = read.and_then(|r| r.draw_more).unwrap_or(FIRST_DRAW).clamp(1, 20);
    RegionView {
        code: code(region),
        label: region.label(),
        population: population.len(),
        drawn: drawn.len(),
        bad,
        picked: picks.len() - drawn.len(),
        interval: read.map_or("–".to_owned(), |r| {
            format!("{}, between {} and {}", percent(r.estimate), percent(r.low), percent(r.high))
        }),
        verdict,
        class,
        bar: read.map(|r| {
            let wide = ((r.high - r.low) * 100.0).max(0.8);
            (format!("{:.1}", r.low * 100.0), format!("{wide:.1}"), format!("{:.1}", r.estimate * 100.0))
        }),
        more,
        suggested,
        reason,
        seeds: seeds.join(", "),
    }
}

/// Regions drawn from, as rows of a table: region, fastenings, drawn, bad, interval, verdict, seeds.
pub fn region_rows(desk: &Desk<'_>, survey: &SurveyFile) -> Vec<Vec<String>> {
    Region::all()
        .map(|region| region_view(desk, survey, region))
        .filter(|r| r.drawn > 0)
        .map(|r| {
            let verdict = format!("{}; {}", r.verdict, r.more);
            vec![
                r.label,
                r.population.to_string(),
                r.drawn.to_string(),
                r.bad.to_string(),
                r.interval,
                verdict,
                r.seeds,
            ]
        })
        .collect()
}

fn show(desk: &Desk<'_>, survey: &SurveyFile, typed: Typed, faults: Faults, faulty: &str) -> Show {
    let waiting = survey
        .picks
        .iter()
        .filter(|p| p.reading_id.is_none())
        .map(|p| Waiting {
            at: p.place.to_string(),
            shown: survey.file.shown(&p.place),
            nth: p.nth,
            region: p.region().label(),
        })
        .collect();
    // Drawn for another reason than the random draw: they would make the region look worse than it is.
    let chosen = survey
        .readings
        .iter()
        .filter(|r| r.method == mend_keel_core::survey::Method::DrawFastening && !r.sampled)
        .count();
    Show {
        page: desk.boat_page(&survey.file, "Fastening sample", "survey"),
        tabs: tabs("survey/sample"),
        boat_id: survey.file.boat.id,
        regions: Region::all().map(|region| region_view(desk, survey, region)).filter(|r| r.population > 0).collect(),
        waiting,
        typed,
        faults,
        faulty: faulty.to_owned(),
        chosen,
    }
}

#[get("/boats/<id>/survey/sample")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    render(&show(&desk, &survey, Typed::default(), Faults::default(), ""))
}

/// Picks where to draw next, by a seed that is kept.
#[post("/boats/<id>/survey/sample/<region>", data = "<posted>")]
pub async fn pick(desk: Desk<'_>, _who: Crew, id: i64, region: &str, posted: Posted) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let count = read.whole("count", 1, MOST_AT_ONCE);
    let Some(wanted) = region_from(region) else {
        return Err(crate::web::error::AppError::NotFound("region"));
    };
    let boat = &survey.file.boat;
    let population = sample::population(&boat.shell, boat.waterline_strake, wanted);
    let before: BTreeSet<Spot> = survey.picks.iter().filter_map(|p| p.spot()).collect();
    let left = population.iter().filter(|spot| !before.contains(spot)).count();
    if read.faults.is_empty() && left == 0 {
        read.faults.add(InputError::new("count", "every fastening of this region is picked already"));
    }
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, &survey, posted.form.typed(), read.faults, region));
    }
    // A seed a person can read out and type again.
    let token = random_token().map_err(|e| crate::web::error::AppError::Broken(e.message))?;
    let seed = u64::from_str_radix(&token[..8], 16).unwrap_or_default();
    let picks = sample::draw(&population, &before, count, seed);
    let location = format!("/boats/{id}/survey/sample");
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_picks(id, wanted, &picks, seed as i64).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
