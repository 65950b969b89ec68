//! The fastening sample: regions, where to draw next, exact intervals, the verdict, and how many more would settle it.

use std::collections::BTreeSet;

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::survey::sample::{self, Height, Part, Region, Spot};
use rocket::{get, post};

use crate::file::sample::{RegionView, region_view};
use crate::file::survey::SurveyFile;
use crate::pages::survey::{Tab, tabs};
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

struct Waiting {
    at: String,
    shown: String,
    nth: u32,
    region: String,
}

/// Most picked at once: nobody draws more in a day.
const MOST_AT_ONCE: u32 = 200;

fn region_from(code: &str) -> Option<Region> {
    let (height, part) = code.split_once('-')?;
    Some(Region { height: Height::from_code(height)?, part: Part::from_code(part)? })
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
        regions: Region::all()
            .map(|region| region_view(survey, region, desk.units))
            .filter(|r| r.population > 0)
            .collect(),
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
    let population = sample::population(&boat.shell, boat.waterline(), wanted);
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
