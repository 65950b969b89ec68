//! Signing in and out, and the first account of a new yard.

use std::net::IpAddr;

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::units::LengthUnit;
use mend_keel_store::accounts::{self, NewAccount, Role, Yard};
use mend_keel_store::{Act, Store, entry};
use rocket::form::Form;
use rocket::http::{Cookie, CookieJar, SameSite, Status};
use rocket::{State, get, post};

use crate::web::assets;
use crate::web::auth::{self, SignInTries, Trier, random_token};
use crate::web::device::Device;
use crate::web::error::{Answer, Result};
use crate::web::form::{Faults, NAME_LIMIT, Posted, Reader, Submission, Typed};
use crate::web::heavy;
use crate::web::settings::Settings;

/// Before anyone is signed in the form's token is kept in a cookie of its own.
const FORM_COOKIE: &str = "keel_form";

#[derive(Template)]
#[template(path = "door/sign_in.html")]
struct SignIn {
    stamp: &'static str,
    token: String,
    /// No account yet: this form makes the first.
    first: bool,
    typed: Typed,
    faults: Faults,
}

fn show(jar: &CookieJar<'_>, first: bool, typed: Typed, faults: Faults) -> Result {
    let token = random_token().unwrap_or_default();
    jar.add_private(Cookie::build((FORM_COOKIE, token.clone())).same_site(SameSite::Strict).http_only(true).path("/"));
    let status = if faults.is_empty() { Status::Ok } else { Status::UnprocessableEntity };
    let page = SignIn { stamp: assets::STAMP.as_str(), token, first, typed, faults };
    Ok(Answer::Page(status, page.render()?))
}

fn token_holds(jar: &CookieJar<'_>, form: &Submission) -> bool {
    jar.get_private(FORM_COOKIE).is_some_and(|cookie| cookie.value() == form.get("csrf"))
}

fn stale() -> Faults {
    let mut faults = Faults::default();
    faults.add(InputError::new("login", "this form had gone stale; send it again"));
    faults
}

#[get("/sign-in")]
pub async fn form(store: &State<Store>, jar: &CookieJar<'_>) -> Result {
    if accounts::list(store).await?.is_empty() {
        return Ok(Answer::Go("/first".into()));
    }
    show(jar, false, Typed::default(), Faults::default())
}

#[post("/sign-in", data = "<form>")]
pub async fn enter(
    store: &State<Store>,
    settings: &State<Settings>,
    tries: &State<SignInTries>,
    jar: &CookieJar<'_>,
    address: Option<IpAddr>,
    device: Device,
    form: Form<Submission>,
) -> Result {
    let login = form.get("login").trim().to_owned();
    let typed = Typed::default().with("login", login.clone());
    if !token_holds(jar, &form) {
        return show(jar, false, typed, stale());
    }
    let mut faults = Faults::default();
    let who = Trier::new(&login, address, auth::knows_device(jar, &login));
    if let Err(wait) = tries.begin(&who) {
        let message = format!("too many tries; wait {} s", wait.as_secs().max(1));
        faults.add(InputError::new("login", message));
        return show(jar, false, typed, faults);
    }
    let account = accounts::find_login(store, &login).await?;
    if !heavy::compute(|| auth::password_matches(form.get("password"), account.as_ref())).await? {
        faults.add(InputError::new("password", "login and password do not belong together"));
        // What was typed as a login may be anything: no more of it is kept than a login has.
        let tried: String = login.chars().take(NAME_LIMIT).collect();
        entry::log(store, &tried, false, &device.0).await?;
        return show(jar, false, typed, faults);
    }
    tries.succeeded(&who);
    match account {
        Some(account) => open(store, settings, jar, account, &device).await,
        None => show(jar, false, typed, faults),
    }
}

async fn open(
    store: &Store,
    settings: &Settings,
    jar: &CookieJar<'_>,
    account: accounts::Account,
    device: &Device,
) -> Result {
    let home = account.guest_boat.map_or("/".to_owned(), |boat| format!("/boats/{boat}"));
    auth::sign_in(store, settings, jar, account, device)
        .await
        .map_err(|e| crate::web::error::AppError::Broken(e.message))?;
    Ok(Answer::Go(home))
}

#[get("/first")]
pub async fn first(store: &State<Store>, jar: &CookieJar<'_>) -> Result {
    if !accounts::list(store).await?.is_empty() {
        return Ok(Answer::Go("/sign-in".into()));
    }
    show(jar, true, Typed::default(), Faults::default())
}

#[post("/first", data = "<form>")]
pub async fn first_account(
    store: &State<Store>,
    settings: &State<Settings>,
    jar: &CookieJar<'_>,
    device: Device,
    form: Form<Submission>,
) -> Result {
    let typed = ["yard", "name", "login"].into_iter().fold(Typed::default(), |t, field| t.with(field, form.get(field)));
    if !token_holds(jar, &form) {
        return show(jar, true, typed, stale());
    }
    let mut read = Reader::new(&form, LengthUnit::Millimetre);
    let yard = Yard::named(read.name("yard"));
    let (name, login) = (read.name("name"), read.name("login"));
    let password_hash = heavy::compute(|| auth::hash_password(form.get("password"))).await?.unwrap_or_else(|e| {
        read.faults.add(e);
        String::new()
    });
    if let Err(faults) = read.finish() {
        return show(jar, true, typed, faults);
    }
    let mut work = store.begin(Act::now(&name, None)).await?;
    // Read inside the transaction's lock: two first starts cannot both make the first account.
    if !accounts::list(store).await?.is_empty() {
        return Ok(Answer::Go("/sign-in".into()));
    }
    work.set_yard(&yard).await?;
    let account = NewAccount { login: login.clone(), name, role: Role::Owner, guest_boat: None, password_hash };
    work.add_account(&account).await?;
    work.note(None, None, "yard", &format!("{} began to keep its records here", yard.name), &serde_json::json!({}))
        .await?;
    work.commit("/").await?;
    match accounts::find_login(store, &login).await? {
        Some(account) => open(store, settings, jar, account, &device).await,
        None => Ok(Answer::Go("/sign-in".into())),
    }
}

#[post("/sign-out", data = "<_posted>")]
pub async fn leave(desk: crate::web::desk::Desk<'_>, jar: &CookieJar<'_>, _posted: Posted) -> Result {
    auth::sign_out(desk.store, jar).await;
    Ok(Answer::Go("/sign-in".into()))
}
