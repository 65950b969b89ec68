//! Before and after: her photographs part by part, the two that show what was done side by side.

use askama::Template;
use mend_keel_core::before;
use rocket::get;

use crate::file::boat::BoatFile;
use crate::file::shots::{self, Series};
use crate::view;
use crate::web::auth::BoatReader;
use crate::web::desk::{Desk, Page, render};
use crate::web::error::Result;

#[derive(Template)]
#[template(path = "story/pairs.html")]
struct Show {
    page: Page,
    boat_id: i64,
    parts: Vec<Part>,
    /// Photographs of parts that are not shown.
    left_out: usize,
}

struct Part {
    member_id: i64,
    name: String,
    /// Each with what it is called.
    pair: Option<[(&'static str, Picture); 2]>,
    /// The others, oldest first.
    others: Vec<Picture>,
}

struct Picture {
    hash: String,
    says: String,
    when: String,
}

/// Most photographs shown of one part beside its pair, and most parts on a page.
const MOST_OTHERS: usize = 12;
const MOST_PARTS: usize = 60;

fn part(series: &Series) -> Part {
    let picture = |i: usize| {
        let shot = &series.shots[i];
        let when = if shot.at.len() > 10 { view::when(&shot.at) } else { view::day(&shot.at) };
        Picture { hash: shot.hash.clone(), says: shots::says(shot), when }
    };
    let in_pair = |i: &usize| series.pair.is_some_and(|(before, after)| [before, after].contains(i));
    Part {
        member_id: series.member_id,
        name: series.part.clone(),
        pair: series.pair.map(|(first, last)| {
            let [one, other] = before::called(series.shots[last].taken().stage);
            [(one, picture(first)), (other, picture(last))]
        }),
        others: (0..series.shots.len()).filter(|i| !in_pair(i)).take(MOST_OTHERS).map(picture).collect(),
    }
}

#[get("/boats/<id>/before-and-after")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let all = shots::series(desk.store, &file).await?;
    let parts: Vec<Part> = all.iter().take(MOST_PARTS).map(part).collect();
    let shown = |p: &Part| p.others.len() + if p.pair.is_some() { 2 } else { 0 };
    let left_out = all.iter().map(|s| s.shots.len()).sum::<usize>() - parts.iter().map(shown).sum::<usize>();
    render(&Show { page: desk.boat_page(&file, "Before and after", "story"), boat_id: id, parts, left_out })
}
