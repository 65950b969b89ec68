//! Backups: the ones that lie in the yard's folder, taking one, and one every night.

use askama::Template;
use jiff::Timestamp;
use mend_keel_core::InputError;
use mend_keel_store::accounts;
use rocket::http::ContentType;
use rocket::{get, post};

use crate::web::auth::Owner;
use crate::web::backup;
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "backups.html")]
struct Show {
    page: Page,
    folder: String,
    kept: Vec<(String, String)>,
    nightly: bool,
    typed: Typed,
    faults: Faults,
}

async fn show(desk: &Desk<'_>, typed: Typed, faults: Faults) -> std::result::Result<Show, AppError> {
    let (nightly, kept) = accounts::backups(desk.store).await?;
    let folder = backup::folder(desk.settings.folder.path());
    Ok(Show {
        page: desk.page("Backups", "yard"),
        kept: backup::kept(&folder).into_iter().map(|k| (k.name, format!("{:.1} MB", k.bytes as f64 / 1e6))).collect(),
        folder: folder.display().to_string(),
        nightly,
        typed: Typed::default().with("kept", kept.to_string()).over(&typed),
        faults,
    })
}

const HERE: &str = "/yard/backups";

#[get("/yard/backups")]
pub async fn page(desk: Desk<'_>, _who: Owner) -> Result {
    render(&show(&desk, Typed::default(), Faults::default()).await?)
}

/// Takes one now.
#[post("/yard/backups", data = "<posted>")]
pub async fn take(desk: Desk<'_>, _who: Owner, posted: Posted) -> Result {
    let (_, keep) = accounts::backups(desk.store).await?;
    let data = desk.settings.folder.path();
    if let Err(says) = backup::take_kept(data, Timestamp::now().to_string(), keep as usize).await {
        let mut faults = Faults::default();
        faults.add(InputError::new("taken", says));
        return render_faulty(&show(&desk, posted.form.typed(), faults).await?);
    }
    Ok(Answer::Go(HERE.to_owned()))
}

/// Whether one is taken every night, and how many stay.
#[post("/yard/backups/nightly", data = "<posted>")]
pub async fn nightly(desk: Desk<'_>, _who: Owner, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let (nightly, kept) = (read.is_on("nightly"), read.whole("kept", 1, 400));
    if !read.faults.is_empty() {
        return render_faulty(&show(&desk, posted.form.typed(), read.faults).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_backups(nightly, kept).await?;
    work.commit(HERE).await?;
    Ok(Answer::Go(HERE.to_owned()))
}

/// One of them, to be kept somewhere else: a copy on the same disk is none.
#[get("/yard/backups/<name>")]
pub async fn file(desk: Desk<'_>, _who: Owner, name: &str) -> Result {
    let folder = backup::folder(desk.settings.folder.path());
    let known = backup::kept(&folder).into_iter().find(|k| k.name == name).ok_or(AppError::NotFound("backup"))?;
    let bytes = rocket::tokio::fs::read(folder.join(&known.name)).await.map_err(|_| AppError::NotFound("backup"))?;
    Ok(Answer::File(known.name, ContentType::ZIP, bytes))
}
