//! The dossier: editions on paper, each kept as it was given out, the whole of her as one file, and her lists as CSV.

use std::collections::BTreeSet;

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::edition::Edition;
use mend_keel_store::dossier as store;
use rocket::http::ContentType;
use rocket::{get, post};
use sha2::{Digest, Sha256};

use crate::file::original::{self, Share};
use crate::file::survey::SurveyFile;
use crate::papers::dossier::{self, Refused};
use crate::papers::edition;
use crate::papers::report::{self, Printing};
use crate::view;
use crate::web::auth::{BoatReader, Crew, Owner};
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NAME_LIMIT, NOTE_LIMIT, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "story/dossier.html")]
struct Show {
    page: Page,
    boat_id: i64,
    /// What each edition holds.
    says: Vec<(&'static str, &'static str)>,
    editions: Choices,
    given: Vec<Given>,
    shares: Vec<ShareView>,
    years: String,
    /// Each of her lists, by its code and as it is called.
    lists: Vec<(String, String)>,
    typed: Typed,
    faults: Faults,
}

struct Given {
    id: i64,
    edition: &'static str,
    when: String,
    by: String,
    hash: String,
}

struct ShareView {
    label: &'static str,
    today: String,
    /// From and to of the bar, 0–100.
    least: String,
    band: String,
}

fn share_view(share: &Share) -> ShareView {
    ShareView {
        label: share.label,
        today: original::says(share.today),
        least: format!("{:.1}", share.today.least * 100.0),
        band: format!("{:.1}", (share.today.most - share.today.least) * 100.0),
    }
}

fn may_read(edition: Edition, is_guest: bool) -> bool {
    !is_guest || matches!(edition, Edition::Owner | Edition::Family)
}

async fn show(
    desk: &Desk<'_>,
    survey: &SurveyFile,
    typed: Typed,
    faults: Faults,
) -> std::result::Result<Show, AppError> {
    let id = survey.file.boat.id;
    let page = desk.boat_page(&survey.file, "Dossier", "story");
    let given = store::given_out(desk.store, id).await?;
    let now = i32::from(jiff::ZonedDateTime::now().year());
    let shares = original::shares(survey, now).map_err(|e| AppError::Refused(e.to_string()))?;
    let lists = if page.may_write { store::lists(desk.store, id).await? } else { Vec::new() };
    let named = |code: String| (code.clone(), code.replace('_', " "));
    Ok(Show {
        boat_id: id,
        says: Edition::ALL.iter().map(|e| (e.label(), e.says())).collect(),
        editions: pairs(Edition::ALL, Edition::code, Edition::label),
        given: given
            .into_iter()
            .filter(|g| may_read(g.edition, !page.may_write))
            .map(|g| Given {
                id: g.id,
                edition: g.edition.label(),
                when: view::when(&g.at),
                by: g.by_name,
                hash: g.hash.chars().take(12).collect(),
            })
            .collect(),
        years: shares.last().map_or(String::new(), |whole| view::original::draw(&whole.years)),
        shares: shares.iter().map(share_view).collect(),
        lists: lists.into_iter().map(named).collect(),
        typed: Typed::default().with("edition", Edition::Owner.code()).over(&typed),
        faults,
        page,
    })
}

#[get("/boats/<id>/dossier")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    render(&show(&desk, &survey, Typed::default(), Faults::default()).await?)
}

/// Prints an edition and keeps it as it is given out.
#[post("/boats/<id>/dossier", data = "<posted>")]
pub async fn give(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let edition = read.choice("edition", Edition::from_code);
    let names = read.text("names", NOTE_LIMIT);
    let (Some(edition), true) = (edition, read.faults.is_empty()) else {
        return render_faulty(&show(&desk, &survey, posted.form.typed(), read.faults).await?);
    };
    let allowed: Vec<String> =
        names.split([',', ';', '\n']).map(|n| n.trim().to_owned()).filter(|n| !n.is_empty()).collect();
    let photos = desk.settings.folder.photos();
    let report = edition::dossier(&Printing::at(&desk, &photos), &survey, edition, &allowed).await?;
    let pdf = report::pdf(&report).await?;
    let location = format!("/boats/{id}/dossier");
    let hash = format!("{:x}", Sha256::digest(&pdf));
    let mut work = desk.store.begin(posted.act()).await?;
    work.give_out(id, edition, &hash, &pdf).await?;
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// A paper as it was given out.
#[get("/boats/<id>/dossier/given/<given>")]
pub async fn given(desk: Desk<'_>, who: BoatReader, id: i64, given: i64) -> Result {
    let all = store::given_out(desk.store, id).await?;
    let is_guest = who.0.account.guest_boat.is_some();
    let found = all.into_iter().find(|g| g.id == given && may_read(g.edition, is_guest));
    let found = found.ok_or(AppError::NotFound("paper"))?;
    let bytes = store::paper(desk.store, &found.hash).await?;
    let day: String = found.at.chars().take(10).collect();
    Ok(Answer::File(format!("dossier-{id}-{}-{day}.pdf", found.edition.code()), ContentType::PDF, bytes))
}

/// The whole of her as one file.
#[get("/boats/<id>/dossier.zip")]
pub async fn file(desk: Desk<'_>, _who: Crew, id: i64) -> Result {
    let survey = SurveyFile::load(desk.store, id).await?;
    let photos = desk.settings.folder.photos();
    let report = edition::dossier(&Printing::at(&desk, &photos), &survey, Edition::Yard, &[]).await?;
    let pdf = report::pdf(&report).await?;
    let room = tempfile::TempDir::new_in(desk.settings.folder.path())?;
    let path = room.path().join("dossier.zip");
    dossier::write(desk.store, &photos, id, pdf, &path).await.map_err(AppError::Refused)?;
    let bytes = rocket::tokio::fs::read(&path).await?;
    Ok(Answer::File(format!("dossier-{id}.zip"), ContentType::ZIP, bytes))
}

/// One of her lists, as it stands in the dossier.
#[get("/boats/<id>/lists/<name>")]
pub async fn list(desk: Desk<'_>, _who: Crew, id: i64, name: &str) -> Result {
    let table = name.strip_suffix(".csv").ok_or(AppError::NotFound("list"))?;
    let text = dossier::list(desk.store, id, table).await?.ok_or(AppError::NotFound("list"))?;
    Ok(Answer::File(format!("{table}-{id}.csv"), ContentType::CSV, text.into_bytes()))
}

#[derive(Template)]
#[template(path = "story/take.html")]
struct Take {
    page: Page,
    /// Names the yard has already.
    clash: Vec<String>,
    typed: Typed,
    faults: Faults,
}

fn take_page(desk: &Desk<'_>, clash: Vec<String>, typed: Typed, faults: Faults) -> Take {
    Take { page: desk.page("Take in a dossier", "boats"), clash, typed, faults }
}

#[get("/boats/take")]
pub fn take_form(desk: Desk<'_>, _who: Owner) -> Result {
    render(&take_page(&desk, Vec::new(), Typed::default(), Faults::default()))
}

/// Reads a dossier in: whole, or not at all.
#[post("/boats/take", data = "<posted>")]
pub async fn take(desk: Desk<'_>, _who: Owner, mut posted: Posted) -> Result {
    let typed = posted.form.typed();
    let uploads = std::mem::take(&mut posted.form.uploads);
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let names = store::Names { boat: read.text("name", NAME_LIMIT), tags: read.text("tags", 12) };
    let upload = uploads.into_iter().next();
    match &upload {
        None => read.faults.add(InputError::new("dossier", "pick a file")),
        Some(u) if u.too_large => {
            read.faults.add(InputError::new("dossier", "is too large for a page: take it in with mend-keel import"));
        }
        Some(_) => {}
    }
    let (Some(upload), true) = (upload, read.faults.is_empty()) else {
        return render_faulty(&take_page(&desk, Vec::new(), typed, read.faults));
    };
    let room = tempfile::NamedTempFile::new_in(desk.settings.folder.path())?;
    rocket::tokio::fs::write(room.path(), upload.bytes).await?;
    let photos = desk.settings.folder.photos();
    match dossier::read(desk.store, &photos, room.path(), &names, &posted.user.account.name).await {
        Ok(boat) => Ok(Answer::Go(format!("/boats/{boat}"))),
        Err(Refused::Says(says)) => {
            read.faults.add(InputError::new("dossier", says));
            render_faulty(&take_page(&desk, Vec::new(), typed, read.faults))
        }
        Err(Refused::Clash(clashes)) => {
            let mut asked = BTreeSet::new();
            if clashes.boat {
                read.faults.add(InputError::new("name", "a boat of this name is here: say what this one is called"));
            }
            if !clashes.tags.is_empty() {
                read.faults.add(InputError::new("tags", "say what goes before the tags of her boards"));
                asked.extend(clashes.tags);
            }
            render_faulty(&take_page(&desk, asked.into_iter().collect(), typed, read.faults))
        }
    }
}
