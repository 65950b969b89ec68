//! Who is asking: sessions, roles as request guards, passwords, and a limit on sign-in tries.

use std::collections::HashMap;
use std::sync::{LazyLock, Mutex};
use std::time::{Duration, Instant};

use argon2::Argon2;
use argon2::password_hash::phc::PasswordHash;
use argon2::password_hash::{PasswordHasher, PasswordVerifier};
use mend_keel_core::InputError;
use mend_keel_store::Store;
use mend_keel_store::accounts::{self, Account, Role, Session};
use rocket::http::{Cookie, CookieJar, SameSite, Status};
use rocket::request::{FromRequest, Outcome, Request};
use sha2::{Digest, Sha256};

use crate::web::folder::random_bytes;
use crate::web::settings::{Mode, Settings};

const SESSION_COOKIE: &str = "keel_session";

/// A signed-in person, whatever their role.
#[derive(Debug, Clone)]
pub struct User {
    pub account: Account,
    pub csrf: String,
}

/// Owner of the yard or shipwright: may change things.
#[derive(Debug, Clone)]
pub struct Crew(pub User);

/// Owner of the yard: may change people and settings.
#[derive(Debug, Clone)]
pub struct Owner(pub User);

/// May read the boat whose id is the second part of the path: crew, or that boat's guest.
#[derive(Debug, Clone)]
pub struct BoatReader(pub User);

#[rocket::async_trait]
impl<'r> FromRequest<'r> for User {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, ()> {
        // A page asks for its user in several guards: one look-up serves them all.
        let found = request.local_cache_async(async { find_user(request).await }).await;
        match found {
            Some(user) => Outcome::Success(user.clone()),
            None => Outcome::Error((Status::Unauthorized, ())),
        }
    }
}

async fn find_user(request: &Request<'_>) -> Option<User> {
    let store = request.rocket().state::<Store>()?;
    let settings = request.rocket().state::<Settings>()?;
    let jar = request.cookies();
    if let Some(cookie) = jar.get_private(SESSION_COOKIE)
        && let Ok(Some(Session { account, csrf })) = accounts::session(store, &digest(cookie.value())).await
    {
        return Some(User { account, csrf });
    }
    // The demo yard is on this machine only and signs its owner in by itself.
    if settings.mode == Mode::Demo {
        let owner = accounts::list(store).await.ok()?.into_iter().next()?;
        return sign_in(store, jar, owner).await.ok();
    }
    None
}

/// Opens a session and leaves its cookie.
pub async fn sign_in(store: &Store, jar: &CookieJar<'_>, account: Account) -> Result<User, InputError> {
    let failed = |_| InputError::new("", "could not open a session");
    let token = random_token()?;
    let csrf = random_token()?;
    accounts::open_session(store, account.id, &digest(&token), &csrf).await.map_err(failed)?;
    let cookie = Cookie::build((SESSION_COOKIE, token)).same_site(SameSite::Lax).http_only(true).path("/").permanent();
    jar.add_private(cookie);
    Ok(User { account, csrf })
}

pub async fn sign_out(store: &Store, jar: &CookieJar<'_>) {
    if let Some(cookie) = jar.get_private(SESSION_COOKIE) {
        // A session that cannot be closed now ends by itself; the cookie goes either way.
        let _ = accounts::close_session(store, &digest(cookie.value())).await;
    }
    jar.remove_private(Cookie::build(SESSION_COOKIE).path("/"));
}

/// 32 random bytes as text.
pub fn random_token() -> Result<String, InputError> {
    let bytes: [u8; 32] = random_bytes().map_err(|_| InputError::new("", "no randomness to be had"))?;
    Ok(bytes.iter().map(|b| format!("{b:02x}")).collect())
}

fn digest(token: &str) -> String {
    format!("{:x}", Sha256::digest(token.as_bytes()))
}

async fn user_with(request: &Request<'_>, may: impl Fn(&User) -> bool) -> Outcome<User, ()> {
    match User::from_request(request).await {
        Outcome::Success(user) if may(&user) => Outcome::Success(user),
        Outcome::Success(_) => Outcome::Error((Status::Forbidden, ())),
        other => other,
    }
}

#[rocket::async_trait]
impl<'r> FromRequest<'r> for Crew {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, ()> {
        user_with(request, |user| user.account.role != Role::Guest).await.map(Crew)
    }
}

#[rocket::async_trait]
impl<'r> FromRequest<'r> for Owner {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, ()> {
        user_with(request, |user| user.account.role == Role::Owner).await.map(Owner)
    }
}

#[rocket::async_trait]
impl<'r> FromRequest<'r> for BoatReader {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, ()> {
        let boat = request.param::<i64>(1).and_then(Result::ok);
        user_with(request, |user| {
            user.account.role != Role::Guest || (boat.is_some() && user.account.guest_boat == boat)
        })
        .await
        .map(BoatReader)
    }
}

/// Shortest password taken.
const SHORTEST_PASSWORD: usize = 10;
const LONGEST_PASSWORD: usize = 200;

/// Hashes a new password (argon2id). Errors name the field `password`.
pub fn hash_password(password: &str) -> Result<String, InputError> {
    let length = password.chars().count();
    if !(SHORTEST_PASSWORD..=LONGEST_PASSWORD).contains(&length) {
        return Err(InputError::new(
            "password",
            format!("must have {SHORTEST_PASSWORD} to {LONGEST_PASSWORD} characters"),
        ));
    }
    let salt: [u8; 16] = random_bytes().map_err(|_| InputError::new("password", "no randomness to be had"))?;
    Argon2::default()
        .hash_password_with_salt(password.as_bytes(), &salt)
        .map(|hash| hash.to_string())
        .map_err(|e| InputError::new("password", e.to_string()))
}

/// Whether a password is the account's. Without an account the same work is done, so that nobody can tell
/// from the time it takes which logins exist.
pub fn password_matches(password: &str, account: Option<&Account>) -> bool {
    static NOBODY: LazyLock<String> = LazyLock::new(|| hash_password("nobody has this password").unwrap_or_default());
    let stored = account.map_or(NOBODY.as_str(), |a| a.password_hash.as_str());
    let verified = PasswordHash::new(stored)
        .is_ok_and(|hash| Argon2::default().verify_password(password.as_bytes(), &hash).is_ok());
    verified && account.is_some()
}

/// Counts failed sign-ins: after five for a login within a quarter of an hour, the next ones wait.
#[derive(Debug, Default)]
pub struct SignInTries(Mutex<HashMap<String, (u32, Instant)>>);

const TRIES: u32 = 5;
const COOL_DOWN: Duration = Duration::from_secs(15 * 60);
/// Logins remembered at most, so that made-up ones cannot fill the memory.
const REMEMBERED: usize = 10_000;

impl SignInTries {
    pub fn may_try(&self, login: &str) -> bool {
        let tries = self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        tries.get(&login.to_lowercase()).is_none_or(|(count, since)| *count < TRIES || since.elapsed() > COOL_DOWN)
    }

    pub fn failed(&self, login: &str) {
        let mut tries = self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        if tries.len() >= REMEMBERED {
            tries.retain(|_, (_, since)| since.elapsed() <= COOL_DOWN);
        }
        let entry = tries.entry(login.to_lowercase()).or_insert((0, Instant::now()));
        if entry.1.elapsed() > COOL_DOWN {
            *entry = (0, Instant::now());
        }
        entry.0 += 1;
    }

    pub fn succeeded(&self, login: &str) {
        self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner).remove(&login.to_lowercase());
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_password_is_known_again_and_another_is_not() {
        let hash = hash_password("a long enough one").unwrap();
        let account = Account {
            id: 1,
            login: "x".into(),
            name: "X".into(),
            role: Role::Owner,
            guest_boat: None,
            password_hash: hash,
        };
        assert!(password_matches("a long enough one", Some(&account)));
        assert!(!password_matches("another one", Some(&account)));
        assert!(!password_matches("nobody has this password", None));
        assert_eq!(hash_password("short").unwrap_err().field, "password");
    }

    #[test]
    fn the_sixth_try_waits() {
        let tries = SignInTries::default();
        for _ in 0..5 {
            assert!(tries.may_try("Ines"));
            tries.failed("ines");
        }
        assert!(!tries.may_try("INES"));
        assert!(tries.may_try("tobias"));
        tries.succeeded("ines");
        assert!(tries.may_try("ines"));
    }
}
