//! The end of a job: what was found on the part is mended, and a part made new says from when.

use mend_keel_core::InputError;
use mend_keel_core::survey::compare::Outcome;
use mend_keel_store::findings::Finding;
use rocket::post;

use crate::file::boat::BoatFile;
use crate::file::ended;
use crate::pages::work::list;
use crate::view;
use crate::web::auth::Crew;
use crate::web::desk::Desk;
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Posted, Reader};

#[post("/boats/<id>/decisions/<decision>/mended", data = "<posted>")]
pub async fn keep(desk: Desk<'_>, _who: Crew, id: i64, decision: i64, posted: Posted) -> Result {
    let file = BoatFile::load(desk.store, id).await?;
    let decision = file.decisions.iter().find(|d| d.id == decision).ok_or(AppError::NotFound("decision"))?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    if !file.is_carried_out(decision.id) {
        read.faults.add(InputError::new("mended", "there is something left to do: tick it first"));
    }
    let location = format!("/boats/{id}/work");
    let found = ended::open(&file, decision);
    if found.is_empty() && read.faults.is_empty() {
        // Somebody told it already.
        return Ok(Answer::Go(location));
    }
    let ticked: Vec<&&Finding> = found.iter().filter(|f| posted.form.get(&format!("f{}", f.id)) == "1").collect();
    if ticked.is_empty() {
        read.faults.add(InputError::new("mended", "tick what is mended by it"));
    }
    let year = ended::is_new(&file, decision).then(|| read.whole("year", 1_800, view::this_year()));
    if !read.faults.is_empty() {
        return list::again(&desk, &file, &posted, read.faults, decision.id).await;
    }
    let mut work = desk.store.begin(posted.act()).await?;
    for finding in ticked {
        work.set_outcome(finding, &file.shown(&finding.place), Outcome::Mended).await?;
    }
    for piece in ended::not_of_the_rack(&file, decision.id) {
        work.made_elsewhere(piece).await?;
    }
    // The old wood is parted from it before it is told to be new.
    if let (Some(piece), Ok(plank)) = (ended::length_of(&file, decision.id), file.plank(decision.member_id)) {
        work.put_in(&file.boat, plank, piece).await?;
    }
    let piece = file.pieces.iter().find(|p| p.decision_id == decision.id);
    if let (Some(year), Some(piece), Some(name)) = (year, piece, file.part_name(decision.member_id)) {
        work.renew_part(id, decision.member_id, &name, &piece.species, i64::from(year)).await?;
    }
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}
