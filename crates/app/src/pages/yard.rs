//! Yard: the people who may sign in, and adding one.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_store::accounts::{self, Account, NewAccount, Role};
use mend_keel_store::{StoreError, boats};
use rocket::{get, post};
use serde_json::json;

use crate::web::auth::{self, Crew, Owner};
use crate::web::changed::Kept;
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};
use crate::web::heavy;

#[derive(Template)]
#[template(path = "yard.html")]
struct Show {
    page: Page,
    people: Vec<Person>,
    folder: String,
    typed: Typed,
    faults: Faults,
    roles: Vec<(String, String)>,
    boats: Vec<(String, String)>,
}

struct Person {
    id: i64,
    name: String,
    login: String,
    role: &'static str,
    role_code: &'static str,
    boat: String,
    boat_id: String,
    /// With what role the form was shown.
    was: String,
    /// The form with the faults is this person's.
    faulty: bool,
}

/// A person's role as it stands.
fn role_kept(account: &Account) -> Kept {
    Kept::default().choice("role", "Role", account.role.code(), &roles()).text(
        "boat",
        "Boat",
        account.guest_boat.map_or(String::new(), |id| id.to_string()),
    )
}

fn roles() -> Vec<(String, String)> {
    [Role::Shipwright, Role::Owner, Role::Guest].map(|r| (r.code().to_owned(), r.label().to_owned())).to_vec()
}

async fn page(desk: &Desk<'_>, typed: Typed, faults: Faults) -> std::result::Result<Show, AppError> {
    page_of(desk, typed, faults, 0).await
}

/// The page with the faults of the form of one person, by number.
async fn page_of(desk: &Desk<'_>, typed: Typed, faults: Faults, faulty: i64) -> std::result::Result<Show, AppError> {
    let boats = boats::list(desk.store).await?;
    let boat_name = |id: Option<i64>| boats.iter().find(|b| Some(b.id) == id).map_or(String::new(), |b| b.name.clone());
    let people = accounts::list(desk.store).await?;
    let mut choices = vec![(String::new(), "only for a guest".to_owned())];
    choices.extend(boats.iter().map(|b| (b.id.to_string(), b.name.clone())));
    Ok(Show {
        page: desk.page("Yard", "yard"),
        people: people
            .into_iter()
            .map(|p| Person {
                id: p.id,
                was: role_kept(&p).token(),
                role: p.role.label(),
                role_code: p.role.code(),
                boat: boat_name(p.guest_boat),
                boat_id: p.guest_boat.map_or(String::new(), |id| id.to_string()),
                faulty: p.id == faulty,
                name: p.name,
                login: p.login,
            })
            .collect(),
        folder: desk.settings.folder.path().display().to_string(),
        typed,
        faults,
        roles: roles(),
        boats: choices,
    })
}

#[get("/yard")]
pub async fn show(desk: Desk<'_>, _who: Crew) -> Result {
    render(&page(&desk, Typed::default(), Faults::default()).await?)
}

/// The boat a guest may read; nobody else has one.
async fn boat_of_guest(
    desk: &Desk<'_>,
    posted: &Posted,
    role: Option<Role>,
    read: &mut Reader<'_>,
) -> std::result::Result<Option<i64>, AppError> {
    if role != Some(Role::Guest) {
        return Ok(None);
    }
    let known = boats::list(desk.store).await?;
    let boat = posted.form.get("boat").parse().ok().filter(|id| known.iter().any(|b| b.id == *id));
    if boat.is_none() {
        read.faults.add(InputError::new("boat", "choose the boat this guest may read"));
    }
    Ok(boat)
}

async fn person(desk: &Desk<'_>, id: i64) -> std::result::Result<Account, AppError> {
    accounts::list(desk.store).await?.into_iter().find(|a| a.id == id).ok_or(AppError::NotFound("person"))
}

/// Gives somebody another role.
#[post("/yard/people/<id>/role", data = "<posted>")]
pub async fn change(desk: Desk<'_>, _who: Owner, id: i64, posted: Posted) -> Result {
    let account = person(&desk, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let role = read.choice("role", Role::from_code);
    let boat = boat_of_guest(&desk, &posted, role, &mut read).await?;
    let mut faults = std::mem::take(&mut read.faults);
    let (Some(role), true) = (role, faults.is_empty()) else {
        return render_faulty(&page_of(&desk, posted.form.typed(), faults, id).await?);
    };
    posted.still(&format!("What {} may do", account.name), &role_kept(&account))?;
    let mut work = desk.store.begin(posted.act()).await?;
    if let Err(e) = work.set_role(&account, role, boat).await {
        drop(work);
        let StoreError::Conflict(why) = e else { return Err(e.into()) };
        faults.add(InputError::new("role", why));
        return render_faulty(&page_of(&desk, posted.form.typed(), faults, id).await?);
    }
    work.commit("/yard").await?;
    Ok(Answer::Go("/yard".into()))
}

/// Gives somebody another password: the owner to anybody, everybody to themselves.
#[post("/yard/people/<id>/password", data = "<posted>")]
pub async fn new_password(desk: Desk<'_>, who: Crew, id: i64, posted: Posted) -> Result {
    if who.0.account.role != Role::Owner && who.0.account.id != id {
        return Err(AppError::Refused("only the owner gives somebody else a new password".into()));
    }
    let account = person(&desk, id).await?;
    let hashed = heavy::compute(|| auth::hash_password(posted.form.get("password"))).await?;
    let hash = match hashed {
        Ok(hash) => hash,
        Err(e) => {
            let mut faults = Faults::default();
            faults.add(InputError::new("new_password", e.message));
            return render_faulty(&page_of(&desk, Typed::default(), faults, id).await?);
        }
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_password(&account, &hash).await?;
    work.commit("/yard").await?;
    Ok(Answer::Go("/yard".into()))
}

/// Somebody may sign in no more.
#[post("/yard/people/<id>/remove", data = "<posted>")]
pub async fn remove(desk: Desk<'_>, _who: Owner, id: i64, posted: Posted) -> Result {
    let account = person(&desk, id).await?;
    let mut work = desk.store.begin(posted.act()).await?;
    if let Err(e) = work.remove_account(&account).await {
        drop(work);
        let StoreError::Conflict(why) = e else { return Err(e.into()) };
        let mut faults = Faults::default();
        faults.add(InputError::new("role", why));
        return render_faulty(&page_of(&desk, Typed::default(), faults, id).await?);
    }
    work.commit("/yard").await?;
    Ok(Answer::Go("/yard".into()))
}

#[post("/yard/people", data = "<posted>")]
pub async fn add(desk: Desk<'_>, _who: Owner, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let (name, login) = (read.name("name"), read.name("login"));
    let role = read.choice("role", Role::from_code);
    let guest_boat = boat_of_guest(&desk, &posted, role, &mut read).await?;
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
