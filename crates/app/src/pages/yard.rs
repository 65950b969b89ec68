//! Yard: the people who may sign in, and adding one.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_store::accounts::{self, NewAccount, Role};
use mend_keel_store::{StoreError, boats};
use rocket::{get, post};
use serde_json::json;

use crate::web::auth::{self, Crew, Owner};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};
use crate::web::heavy;

#[derive(Template)]
#[template(path = "yard.html")]
struct Show {
    page: Page,
    people: Vec<(String, String, &'static str, String)>,
    folder: String,
    typed: Typed,
    faults: Faults,
    roles: Vec<(String, String)>,
    boats: Vec<(String, String)>,
}

async fn page(desk: &Desk<'_>, typed: Typed, faults: Faults) -> std::result::Result<Show, AppError> {
    let boats = boats::list(desk.store).await?;
    let boat_name = |id: Option<i64>| boats.iter().find(|b| Some(b.id) == id).map_or(String::new(), |b| b.name.clone());
    let people = accounts::list(desk.store).await?;
    let mut choices = vec![(String::new(), "only for a guest".to_owned())];
    choices.extend(boats.iter().map(|b| (b.id.to_string(), b.name.clone())));
    Ok(Show {
        page: desk.page("Yard", "yard"),
        people: people.into_iter().map(|p| (p.name, p.login, p.role.label(), boat_name(p.guest_boat))).collect(),
        folder: desk.settings.folder.path().display().to_string(),
        typed,
        faults,
        roles: [Role::Shipwright, Role::Owner, Role::Guest]
            .map(|r| (r.code().to_owned(), r.label().to_owned()))
            .to_vec(),
        boats: choices,
    })
}

#[get("/yard")]
pub async fn show(desk: Desk<'_>, _who: Crew) -> Result {
    render(&page(&desk, Typed::default(), Faults::default()).await?)
}

#[post("/yard/people", data = "<posted>")]
pub async fn add(desk: Desk<'_>, _who: Owner, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let (name, login) = (read.name("name"), read.name("login"));
    let role = read.choice("role", Role::from_code);
    let mut guest_boat = None;
    if role == Some(Role::Guest) {
        let known = boats::list(desk.store).await?;
        guest_boat = posted.form.get("boat").parse().ok().filter(|id| known.iter().any(|b| b.id == *id));
        if guest_boat.is_none() {
            read.faults.add(InputError::new("boat", "choose the boat this guest may read"));
        }
    }
    let password_hash =
        heavy::compute(|| auth::hash_password(posted.form.get("password"))).await?.unwrap_or_else(|e| {
            read.faults.add(e);
            String::new()
        });
    let mut faults = std::mem::take(&mut read.faults);
    let (Some(role), true) = (role, faults.is_empty()) else {
        return render_faulty(&page(&desk, posted.form.typed(), faults).await?);
    };
    let new = NewAccount { login, name: name.clone(), role, guest_boat, password_hash };
    let mut work = desk.store.begin(posted.act()).await?;
    match work.add_account(&new).await {
        Ok(_) => {}
        Err(StoreError::Conflict(why)) => {
            drop(work);
            faults.add(InputError::new("login", why));
            return render_faulty(&page(&desk, posted.form.typed(), faults).await?);
        }
        Err(e) => return Err(e.into()),
    }
    work.note(None, None, "yard", &format!("{name} may sign in as {}", role.label().to_lowercase()), &json!({}))
        .await?;
    work.commit("/yard").await?;
    Ok(Answer::Go("/yard".into()))
}
