//! What every request asks first: the yard's own ways, and whose it is, which is kept while nothing was committed.

use std::collections::HashMap;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use mend_keel_store::accounts::{self, Account, Now, Session};
use mend_keel_store::{Store, StoreError};
use rocket::Request;

/// How long a session is believed without being asked for again: it ends by the clock too.
const BELIEVED: Duration = Duration::from_secs(60);
/// Sessions kept at once.
const MOST: usize = 1_000;

#[derive(Debug, Default)]
struct Known {
    /// The store's version that all of it is as old as, at least.
    version: i64,
    /// Whose yard it is: the one who is signed in where nobody signs in.
    first: Option<Account>,
    sessions: HashMap<String, (Session, Instant)>,
}

/// What is known at the front.
#[derive(Debug, Default)]
pub struct Front {
    known: Mutex<Known>,
}

/// The store's version and the yard's ways when this request began. What is read for it later is not older.
pub async fn now<'r>(request: &'r Request<'_>, store: &Store) -> Option<&'r Now> {
    request.local_cache_async(async { accounts::now(store).await.ok() }).await.as_ref()
}

impl Front {
    /// What is known, emptied where something was committed since.
    fn at(&self, version: i64) -> MutexGuard<'_, Known> {
        let mut known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        if known.version != version {
            *known = Known { version, ..Known::default() };
        }
        known
    }

    /// Whoever made this yard.
    pub async fn first(&self, store: &Store, version: i64) -> Result<Option<Account>, StoreError> {
        if let Some(account) = &self.at(version).first {
            return Ok(Some(account.clone()));
        }
        let first = accounts::list(store).await?.into_iter().next();
        self.at(version).first.clone_from(&first);
        Ok(first)
    }

    /// The session a token opens, if any.
    pub async fn session(&self, store: &Store, version: i64, token: &str) -> Result<Option<Session>, StoreError> {
        if let Some((session, asked)) = self.at(version).sessions.get(token)
            && asked.elapsed() < BELIEVED
        {
            return Ok(Some(session.clone()));
        }
        let asked = Instant::now();
        let Some(session) = accounts::session(store, token).await? else { return Ok(None) };
        let mut known = self.at(version);
        if known.sessions.len() >= MOST {
            known.sessions.clear();
        }
        // It is renewed once, by whoever asks first.
        let kept = Session { renewed: false, ..session.clone() };
        known.sessions.insert(token.to_owned(), (kept, asked));
        Ok(Some(session))
    }
}
