//! How people come in: inviting, where they are signed in, who tried, and what each role may.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::units::LengthUnit;
use mend_keel_store::accounts::{self, Role};
use mend_keel_store::entry::{self, Invite};
use mend_keel_store::{Act, Store, StoreError, boats};
use rocket::form::Form;
use rocket::http::{CookieJar, Status};
use rocket::{State, get, post};

use crate::view;
use crate::web::assets;
use crate::web::auth::{self, Owner, random_token, secret_digest};
use crate::web::choices::Choices;
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::device::Device;
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, Posted, Reader, Submission, Typed};
use crate::web::heavy;
use crate::web::settings::Settings;

#[derive(Template)]
#[template(path = "people.html")]
struct Show {
    page: Page,
    invites: Vec<InviteView>,
    /// An address just made: shown once.
    made: String,
    signed_in: Vec<SignedInView>,
    tried: Vec<TriedView>,
    roles: Choices,
    boats: Vec<(String, String)>,
    typed: Typed,
    faults: Faults,
}

struct InviteView {
    id: i64,
    name: String,
    role: &'static str,
    until: String,
}

struct SignedInView {
    id: i64,
    name: String,
    device: String,
    since: String,
}

struct TriedView {
    login: String,
    came_in: bool,
    device: String,
    when: String,
}

/// Of those who came in or tried, shown at most.
const SHOWN: i64 = 40;
const HERE: &str = "/yard/people";

async fn show(desk: &Desk<'_>, made: String, typed: Typed, faults: Faults) -> std::result::Result<Show, AppError> {
    let mut choices = vec![(String::new(), "only for a guest".to_owned())];
    choices.extend(boats::list(desk.store).await?.into_iter().map(|b| (b.id.to_string(), b.name)));
    let invites = entry::invites(desk.store).await?;
    let signed_in = entry::signed_in(desk.store).await?;
    let tried = entry::tried(desk.store, SHOWN).await?;
    let roles = [Role::Shipwright, Role::Owner, Role::Guest];
    Ok(Show {
        page: desk.page("Coming in", "yard"),
        made,
        invites: invites
            .into_iter()
            .map(|i| InviteView { id: i.id, name: i.name, role: i.role.label(), until: view::when(&i.expires_at) })
            .collect(),
        signed_in: signed_in
            .into_iter()
            .map(|s| SignedInView {
                id: s.id,
                name: s.name,
                device: if s.device.is_empty() { "not known".to_owned() } else { s.device },
                since: if s.begun_at.is_empty() { "not known".to_owned() } else { view::when(&s.begun_at) },
            })
            .collect(),
        tried: tried
            .into_iter()
            .map(|t| TriedView { login: t.login, came_in: t.came_in, device: t.device, when: view::when(&t.at) })
            .collect(),
        roles: roles.iter().map(|r| (r.code().to_owned(), r.label().to_owned())).collect(),
        boats: choices,
        typed: Typed::default().with("days", "14").with("role", Role::Shipwright.code()).over(&typed),
        faults,
    })
}

#[get("/yard/people")]
pub async fn page(desk: Desk<'_>, _who: Owner) -> Result {
    render(&show(&desk, String::new(), Typed::default(), Faults::default()).await?)
}

/// Invites somebody: the address is shown once, only its digest is kept.
#[post("/yard/invites", data = "<posted>")]
pub async fn invite(desk: Desk<'_>, _who: Owner, posted: Posted) -> Result {
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let name = read.name("name");
    let role = read.choice("role", Role::from_code);
    let days = read.whole("days", 1, 90);
    let mut guest_boat = None;
    if role == Some(Role::Guest) {
        let known = boats::list(desk.store).await?;
        guest_boat = posted.form.get("boat").parse().ok().filter(|id| known.iter().any(|b| b.id == *id));
        if guest_boat.is_none() {
            read.faults.add(InputError::new("boat", "choose the boat this guest may read"));
        }
    }
    let (Some(role), true) = (role, read.faults.is_empty()) else {
        return render_faulty(&show(&desk, String::new(), posted.form.typed(), read.faults).await?);
    };
    let secret = random_token().map_err(|e| AppError::Broken(e.to_string()))?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_invite(&name, role, guest_boat, &secret_digest(&secret), days).await?;
    work.commit(HERE).await?;
    render(&show(&desk, format!("/invited/{secret}"), Typed::default(), Faults::default()).await?)
}

#[post("/yard/invites/<id>/withdraw", data = "<posted>")]
pub async fn withdraw(desk: Desk<'_>, _who: Owner, id: i64, posted: Posted) -> Result {
    let all = entry::invites(desk.store).await?;
    // Withdrawing twice is once.
    let Some(invite) = all.into_iter().find(|i| i.id == id) else { return Ok(Answer::Go(HERE.to_owned())) };
    let mut work = desk.store.begin(posted.act()).await?;
    work.withdraw_invite(&invite).await?;
    work.commit(HERE).await?;
    Ok(Answer::Go(HERE.to_owned()))
}

/// Ends where somebody is signed in: he signs in anew.
#[post("/yard/sessions/<id>/end", data = "<posted>")]
pub async fn end(desk: Desk<'_>, _who: Owner, id: i64, posted: Posted) -> Result {
    let all = entry::signed_in(desk.store).await?;
    let Some(signed_in) = all.into_iter().find(|s| s.id == id) else { return Ok(Answer::Go(HERE.to_owned())) };
    let mut work = desk.store.begin(posted.act()).await?;
    work.end_session(&signed_in).await?;
    work.commit(HERE).await?;
    Ok(Answer::Go(HERE.to_owned()))
}

#[derive(Template)]
#[template(path = "invited.html")]
struct Invited {
    stamp: &'static str,
    yard: String,
    name: String,
    role: String,
    here: String,
    typed: Typed,
    faults: Faults,
}

async fn invited(store: &Store, invite: &Invite, secret: &str, typed: Typed, faults: Faults) -> Result {
    let status = if faults.is_empty() { Status::Ok } else { Status::UnprocessableEntity };
    let page = Invited {
        stamp: assets::STAMP.as_str(),
        yard: accounts::yard(store).await?.name,
        name: invite.name.clone(),
        role: invite.role.label().to_lowercase(),
        here: format!("/invited/{secret}"),
        typed,
        faults,
    };
    Ok(Answer::Page(status, page.render()?))
}

#[get("/invited/<secret>")]
pub async fn invited_form(store: &State<Store>, secret: &str) -> Result {
    let invite = entry::invite(store, &secret_digest(secret)).await?;
    invited(store, &invite, secret, Typed::default(), Faults::default()).await
}

/// Chooses login and password; the invitation is used up, and he is signed in.
#[post("/invited/<secret>", data = "<form>")]
pub async fn accept(
    store: &State<Store>,
    settings: &State<Settings>,
    jar: &CookieJar<'_>,
    device: Device,
    secret: &str,
    form: Form<Submission>,
) -> Result {
    let invite = entry::invite(store, &secret_digest(secret)).await?;
    let typed = Typed::default().with("login", form.get("login"));
    let mut read = Reader::new(&form, LengthUnit::Millimetre);
    let login = read.name("login");
    let hash = heavy::compute(|| auth::hash_password(form.get("password"))).await?.unwrap_or_else(|e| {
        read.faults.add(e);
        String::new()
    });
    if !read.faults.is_empty() {
        return invited(store, &invite, secret, typed, read.faults).await;
    }
    let mut work = store.begin(Act::now(&invite.name, None)).await?;
    match work.accept_invite(&invite, &login, &hash).await {
        Ok(_) => work.commit("/").await?,
        Err(StoreError::Conflict(why)) => {
            drop(work);
            read.faults.add(InputError::new("login", why));
            return invited(store, &invite, secret, typed, read.faults).await;
        }
        Err(e) => return Err(e.into()),
    }
    let account = accounts::find_login(store, &login).await?.ok_or(AppError::NotFound("person"))?;
    let home = account.guest_boat.map_or("/".to_owned(), |boat| format!("/boats/{boat}"));
    auth::sign_in(store, settings, jar, account, &device).await.map_err(|e| AppError::Broken(e.message))?;
    Ok(Answer::Go(home))
}
