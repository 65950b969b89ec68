//! The fastening sample of a boat: each region with what was drawn of it, its exact interval, and the verdict.

use mend_keel_core::survey::sample::{self, Region, SampleVerdict};
use mend_keel_core::{Reason, Verdict};

use super::survey::SurveyFile;
use crate::view::reasons::ReasonView;
use crate::view::{Units, percent};

/// A region as it is shown.
#[derive(Debug)]
pub struct RegionView {
    pub code: String,
    pub label: String,
    pub population: usize,
    pub drawn: usize,
    pub bad: usize,
    pub picked: usize,
    pub interval: String,
    pub verdict: &'static str,
    pub class: &'static str,
    /// The interval as a bar, 0–100: from, width, and the estimate.
    pub bar: Option<(String, String, String)>,
    pub more: String,
    pub suggested: u32,
    pub reason: Option<ReasonView>,
    pub seeds: String,
}

/// How many are drawn first where nothing is known (*yard rule*).
const FIRST_DRAW: u32 = 10;
fn code(region: Region) -> String {
    format!("{}-{}", region.height.code(), region.part.code())
}

/// A region with what was drawn of it and what that says.
pub fn region_view(survey: &SurveyFile, region: Region, units: Units) -> RegionView {
    let boat = &survey.file.boat;
    let population = sample::population(&boat.shell, boat.waterline(), region);
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
            units,
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
pub fn region_rows(survey: &SurveyFile, units: Units) -> Vec<Vec<String>> {
    Region::all()
        .map(|region| region_view(survey, region, units))
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
