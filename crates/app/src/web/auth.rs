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
use mend_keel_store::entry;
use rocket::http::{Cookie, CookieJar, SameSite, Status};
use rocket::request::{FromRequest, Outcome, Request};
use rocket::time;
use sha2::{Digest, Sha256};

use crate::web::device::Device;
use crate::web::folder::random_bytes;
use crate::web::front::{self, Front};
use crate::web::settings::{Mode, Settings};

const SESSION_COOKIE: &str = "keel_session";
/// The demo's visitor: nothing is kept of it on the server.
const DEMO_COOKIE: &str = "keel_demo";
/// A device on which somebody signed in before.
const DEVICE_COOKIE: &str = "keel_device";
/// A session's cookie and its row end together, so many days after they were last used.
const SESSION_AGE: time::Duration = time::Duration::days(accounts::SESSION_DAYS);
/// How long a device is known.
const DEVICE_AGE: time::Duration = time::Duration::days(400);

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
    let known = request.rocket().state::<Front>()?;
    let version = front::now(request, store).await?.version;
    let jar = request.cookies();
    if let Some(cookie) = jar.get_private(SESSION_COOKIE)
        && let Ok(Some(Session { account, csrf, renewed })) =
            known.session(store, version, &digest(cookie.value())).await
    {
        if renewed {
            jar.add_private(session_cookie(settings, cookie.value().to_owned()));
        }
        return Some(User { account, csrf });
    }
    // The demo yard is on this machine only and signs its owner in by itself; nothing of a visit is kept on the server.
    if settings.mode != Mode::Serve {
        let account = known.first(store, version).await.ok()??;
        let visit = match jar.get_private(DEMO_COOKIE) {
            Some(cookie) => cookie.value().to_owned(),
            None => {
                let visit = random_token().ok()?;
                jar.add_private(lasting(settings, DEMO_COOKIE, visit.clone(), SESSION_AGE));
                visit
            }
        };
        return Some(User { account, csrf: digest(&format!("form token of {visit}")) });
    }
    None
}

/// A cookie of ours: to this site only, not for scripts, and only over TLS where that is in front.
fn lasting(settings: &Settings, name: &'static str, value: String, age: time::Duration) -> Cookie<'static> {
    Cookie::build((name, value))
        .same_site(SameSite::Lax)
        .http_only(true)
        .secure(settings.tls_in_front)
        .path("/")
        .max_age(age)
        .build()
}

fn session_cookie(settings: &Settings, token: String) -> Cookie<'static> {
    lasting(settings, SESSION_COOKIE, token, SESSION_AGE)
}

/// Opens a session and leaves its cookie; one that was open here before ends.
pub async fn sign_in(
    store: &Store,
    settings: &Settings,
    jar: &CookieJar<'_>,
    account: Account,
    device: &Device,
) -> Result<User, InputError> {
    let failed = |_| InputError::new("", "could not open a session");
    if let Some(before) = jar.get_private(SESSION_COOKIE) {
        accounts::close_session(store, &digest(before.value())).await.map_err(failed)?;
    }
    let token = random_token()?;
    let csrf = random_token()?;
    accounts::open_session(store, account.id, &digest(&token), &csrf).await.map_err(failed)?;
    entry::on_device(store, &digest(&token), &device.0).await.map_err(failed)?;
    entry::log(store, &account.login, true, &device.0).await.map_err(failed)?;
    jar.add_private(session_cookie(settings, token));
    jar.add_private(lasting(settings, DEVICE_COOKIE, account.login.to_lowercase(), DEVICE_AGE));
    Ok(User { account, csrf })
}

/// Whether this person signed in on this device before.
pub fn knows_device(jar: &CookieJar<'_>, login: &str) -> bool {
    jar.get_private(DEVICE_COOKIE).is_some_and(|cookie| cookie.value() == login.to_lowercase())
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

/// What is kept of a secret that is given away.
pub fn secret_digest(secret: &str) -> String {
    digest(secret)
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

/// Counts tries to sign in before any password is looked at, by login and by address. After some the next one waits, longer each time.
/// On a device that knew the login its tries are counted apart: a stranger's guesses keep nobody out of their own device.
#[derive(Debug, Default)]
pub struct SignInTries(Mutex<HashMap<String, Tries>>);

/// Tries under one key, and when the last one was let through.
#[derive(Debug, Clone, Copy)]
struct Tries {
    count: u32,
    last: Instant,
}

/// Tries that need not wait, for one login or device, and for one address from which several people come.
const FREE_TRIES: u32 = 5;
const FREE_TRIES_OF_ADDRESS: u32 = 25;
/// What the first one waits after that; each later one waits twice as long, up to the most.
const FIRST_WAIT: Duration = Duration::from_secs(15);
const LONGEST_WAIT: Duration = Duration::from_secs(15 * 60);
/// Tries are forgotten after this long without one.
const FORGOTTEN: Duration = Duration::from_secs(60 * 60);
/// Keys remembered at most, so that made-up ones cannot fill the memory.
const REMEMBERED: usize = 10_000;

/// Whose tries these are.
#[derive(Debug, Clone)]
pub struct Trier {
    login: String,
    address: String,
}

impl Trier {
    pub fn new(login: &str, address: Option<std::net::IpAddr>, known_device: bool) -> Self {
        let login = login.to_lowercase();
        Self {
            login: if known_device { format!("device of {login}") } else { format!("login {login}") },
            address: format!("address {}", address.map_or("unknown".to_owned(), |ip| ip.to_string())),
        }
    }
}

impl Tries {
    /// How long the next one waits, counted from the last.
    fn wait(self, free: u32) -> Duration {
        match self.count.checked_sub(free) {
            None => Duration::ZERO,
            Some(over) => FIRST_WAIT.saturating_mul(1 << over.min(16)).min(LONGEST_WAIT),
        }
    }
}

impl SignInTries {
    /// Counts a try and lets it through, or says for how long to wait. It is counted before anything is looked at, so that many at once
    /// are not all let through.
    pub fn begin(&self, who: &Trier) -> Result<(), Duration> {
        let mut tries = self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        if tries.len() >= REMEMBERED {
            tries.retain(|_, t| t.last.elapsed() <= FORGOTTEN);
        }
        let now = Instant::now();
        let keys = [(&who.login, FREE_TRIES), (&who.address, FREE_TRIES_OF_ADDRESS)];
        for (key, free) in keys {
            if let Some(t) = tries.get(key)
                && t.last.elapsed() <= FORGOTTEN
            {
                let left = t.wait(free).saturating_sub(t.last.elapsed());
                if !left.is_zero() {
                    return Err(left);
                }
            }
        }
        for (key, _) in keys {
            let entry = tries.entry(key.clone()).or_insert(Tries { count: 0, last: now });
            if entry.last.elapsed() > FORGOTTEN {
                entry.count = 0;
            }
            *entry = Tries { count: entry.count + 1, last: now };
        }
        Ok(())
    }

    /// The password was right: what was tried for this login, or on this device, is forgotten.
    pub fn succeeded(&self, who: &Trier) {
        let mut tries = self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        tries.remove(&who.login);
        if let Some(address) = tries.get_mut(&who.address) {
            address.count = address.count.saturating_sub(1);
        }
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

    fn from(login: &str, last: u8, known: bool) -> Trier {
        Trier::new(login, Some([10, 0, 0, last].into()), known)
    }

    #[test]
    fn the_sixth_try_waits_and_each_later_one_longer() {
        let tries = SignInTries::default();
        for n in 0..5 {
            assert_eq!(tries.begin(&from("Ines", n, false)), Ok(()));
        }
        let wait = tries.begin(&from("INES", 9, false)).unwrap_err();
        assert!(wait <= FIRST_WAIT && wait > FIRST_WAIT / 2);
        assert_eq!(tries.begin(&from("tobias", 9, false)), Ok(()));
        let count = |count| Tries { count, last: Instant::now() }.wait(FREE_TRIES);
        assert_eq!(
            [count(4), count(5), count(6), count(7)],
            [Duration::ZERO, FIRST_WAIT, FIRST_WAIT * 2, FIRST_WAIT * 4]
        );
        assert_eq!(count(4_000_000_000), LONGEST_WAIT);
        tries.succeeded(&from("ines", 9, false));
        assert_eq!(tries.begin(&from("ines", 9, false)), Ok(()));
    }

    #[test]
    fn of_forty_at_once_only_the_free_ones_are_looked_at_and_the_right_person_enters_from_their_own_device() {
        let tries = std::sync::Arc::new(SignInTries::default());
        let guess = || {
            let tries = tries.clone();
            std::thread::spawn(move || tries.begin(&from("ines", 7, false)).is_ok())
        };
        let guesses: Vec<_> = (0..40).map(|_| guess()).collect();
        let through = guesses.into_iter().filter_map(|g| g.join().ok()).filter(|through| *through).count();
        assert_eq!(through, FREE_TRIES as usize);
        assert_eq!(tries.begin(&from("ines", 8, true)), Ok(()));
    }

    #[test]
    fn one_address_that_tries_many_logins_waits_too() {
        let tries = SignInTries::default();
        let through = (0..100).filter(|n| tries.begin(&from(&format!("person {n}"), 3, false)).is_ok()).count();
        assert_eq!(through, FREE_TRIES_OF_ADDRESS as usize);
        assert_eq!(tries.begin(&from("somebody", 4, false)), Ok(()));
    }
}
