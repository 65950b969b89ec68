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

#[cfg(test)]
mod tests {
    use mend_keel_store::Act;
    use mend_keel_store::accounts::{NewAccount, Role};

    use super::*;

    async fn yard() -> (tempfile::TempDir, Store) {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(&folder.path().join("yard.db")).await.unwrap();
        for (login, role) in [("ada", Role::Owner), ("ben", Role::Owner), ("cai", Role::Shipwright)] {
            let mut work = store.begin(Act::now("Ada Brook", None)).await.unwrap();
            let new = NewAccount {
                login: login.into(),
                name: login.to_uppercase(),
                role,
                guest_boat: None,
                password_hash: "none".into(),
            };
            work.add_account(&new).await.unwrap();
            work.commit("/").await.unwrap();
        }
        (folder, store)
    }

    async fn version(store: &Store) -> i64 {
        accounts::now(store).await.unwrap().version
    }

    async fn who(front: &Front, store: &Store, token: &str) -> Option<String> {
        let found = front.session(store, version(store).await, token).await.unwrap();
        found.map(|s| format!("{}, {}", s.account.name, s.account.role.code()))
    }

    #[rocket::async_test]
    async fn a_session_is_known_until_something_is_committed_and_then_as_it_is() {
        let (_folder, store) = yard().await;
        let front = Front::default();
        assert_eq!(who(&front, &store, "of cai").await, None, "it was not opened yet");
        let cai = accounts::find_login(&store, "cai").await.unwrap().unwrap();
        accounts::open_session(&store, cai.id, "of cai", "a token").await.unwrap();
        assert_eq!(who(&front, &store, "of cai").await.as_deref(), Some("CAI, shipwright"), "opened since");
        assert_eq!(front.at(version(&store).await).sessions.len(), 1, "and kept");
        assert_eq!(who(&front, &store, "of cai").await.as_deref(), Some("CAI, shipwright"));
        assert_eq!(who(&front, &store, "of somebody else").await, None);

        let mut work = store.begin(Act::now("Ada Brook", None)).await.unwrap();
        work.set_role(&cai, Role::Owner, None).await.unwrap();
        work.commit("/").await.unwrap();
        assert_eq!(who(&front, &store, "of cai").await.as_deref(), Some("CAI, owner"), "at once");
        let mut work = store.begin(Act::now("Ada Brook", None)).await.unwrap();
        work.remove_account(&cai).await.unwrap();
        work.commit("/").await.unwrap();
        assert_eq!(who(&front, &store, "of cai").await, None, "whoever is removed is out at once");
    }

    #[rocket::async_test]
    async fn a_session_that_was_closed_opens_nothing_any_more() {
        let (_folder, store) = yard().await;
        let front = Front::default();
        let ben = accounts::find_login(&store, "ben").await.unwrap().unwrap();
        for token in ["one", "other"] {
            accounts::open_session(&store, ben.id, token, token).await.unwrap();
            assert!(who(&front, &store, token).await.is_some());
        }
        accounts::close_session(&store, "one").await.unwrap();
        assert_eq!(who(&front, &store, "one").await, None);
        assert_eq!(who(&front, &store, "other").await.as_deref(), Some("BEN, owner"));
    }

    #[rocket::async_test]
    async fn what_was_read_at_an_older_version_is_not_kept_for_the_newer_one() {
        let (_folder, store) = yard().await;
        let front = Front::default();
        let ada = front.first(&store, version(&store).await).await.unwrap().unwrap();
        assert_eq!(ada.name, "ADA");
        let before = version(&store).await;
        let mut work = store.begin(Act::now("Ada Brook", None)).await.unwrap();
        work.remove_account(&ada).await.unwrap();
        work.commit("/").await.unwrap();
        // A request that began before may still be told of her; whoever begins after it is not.
        assert_eq!(front.first(&store, before).await.unwrap().unwrap().name, "ADA");
        assert_eq!(front.first(&store, version(&store).await).await.unwrap().unwrap().name, "BEN");
    }

    #[rocket::async_test]
    async fn a_crowd_of_sessions_fills_no_memory() {
        let (_folder, store) = yard().await;
        let front = Front::default();
        let ada = accounts::find_login(&store, "ada").await.unwrap().unwrap();
        accounts::open_session(&store, ada.id, "her own", "token").await.unwrap();
        let now = version(&store).await;
        let session = accounts::session(&store, "her own").await.unwrap().unwrap();
        for n in 0..MOST {
            front.at(now).sessions.insert(format!("token {n}"), (session.clone(), Instant::now()));
        }
        assert!(front.session(&store, now, "her own").await.unwrap().is_some());
        assert_eq!(front.at(now).sessions.len(), 1, "the others are asked for anew");
    }
}
