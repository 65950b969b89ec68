//! Long work: it runs beside the pages, says how far it has come, and can be stopped with the best found so far.

use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use mend_keel_core::cutting::Progress;

/// One piece of long work as it stands.
#[derive(Debug, Clone, Default)]
pub struct Standing {
    pub title: String,
    /// 0–1.
    pub share: f64,
    pub says: String,
    /// Where the answer is, once it is done.
    pub location: Option<String>,
    pub failed: Option<String>,
}

#[derive(Debug, Clone)]
struct Entry {
    standing: Standing,
    stop: Arc<AtomicBool>,
    account: i64,
    begun: Instant,
    /// A file it made, by its name.
    file: Option<(String, Arc<Vec<u8>>)>,
}

/// All long work of this server.
#[derive(Debug, Clone, Default)]
pub struct Jobs(Arc<Mutex<HashMap<String, Entry>>>);

/// Done work is forgotten after this long.
const KEPT: Duration = Duration::from_secs(3_600);
/// Pieces of work at once; more wait at the door.
const AT_ONCE: usize = 2;

/// What the work itself holds: it tells through this how far it is, and hears whether to stop.
#[derive(Debug, Clone)]
pub struct Handle {
    jobs: Jobs,
    id: String,
    stop: Arc<AtomicBool>,
    begun: Instant,
    limit: Duration,
}

impl Jobs {
    fn with<T>(&self, work: impl FnOnce(&mut HashMap<String, Entry>) -> T) -> T {
        work(&mut self.0.lock().unwrap_or_else(PoisonError::into_inner))
    }

    /// Begins work that may take up to `limit`. `None` while too much is going on already.
    pub fn begin(&self, id: &str, title: &str, account: i64, limit: Duration) -> Option<Handle> {
        let stop = Arc::new(AtomicBool::new(false));
        let entry = Entry {
            standing: Standing { title: title.to_owned(), ..Standing::default() },
            stop: stop.clone(),
            account,
            begun: Instant::now(),
            file: None,
        };
        let taken = self.with(|all| {
            all.retain(|_, e| e.begun.elapsed() < KEPT);
            let running = all.values().filter(|e| e.standing.location.is_none() && e.standing.failed.is_none()).count();
            let free = running < AT_ONCE;
            if free {
                all.insert(id.to_owned(), entry);
            }
            free
        });
        taken.then(|| Handle { jobs: self.clone(), id: id.to_owned(), stop, begun: Instant::now(), limit })
    }

    /// How a person's work stands.
    pub fn standing(&self, id: &str, account: i64) -> Option<Standing> {
        self.with(|all| all.get(id).filter(|e| e.account == account).map(|e| e.standing.clone()))
    }

    /// The file a person's work made.
    pub fn file(&self, id: &str, account: i64) -> Option<(String, Arc<Vec<u8>>)> {
        self.with(|all| all.get(id).filter(|e| e.account == account).and_then(|e| e.file.clone()))
    }

    pub fn stop(&self, id: &str, account: i64) {
        self.with(|all| {
            if let Some(entry) = all.get(id).filter(|e| e.account == account) {
                entry.stop.store(true, Ordering::Relaxed);
            }
        });
    }
}

impl Handle {
    /// Tells how far a search is; the share of the time that has gone while there is some left and nobody stopped it.
    pub fn go_on(&self, progress: Progress) -> Option<f64> {
        let share = self.begun.elapsed().as_secs_f64() / self.limit.as_secs_f64();
        let says = format!("{} placed, cost {:.0}", progress.placed, progress.cost);
        self.tell(share.max(progress.share), &says);
        (share < 1.0 && !self.stop.load(Ordering::Relaxed)).then_some(share)
    }

    /// Tells how far work is that counts in something of its own.
    pub fn tell(&self, share: f64, says: &str) {
        self.jobs.with(|all| {
            if let Some(entry) = all.get_mut(&self.id) {
                entry.standing.share = share.clamp(0.0, 1.0);
                entry.standing.says = says.to_owned();
            }
        });
    }

    /// Work that made a file is done; whoever asked for it fetches it while it is remembered.
    pub fn made(&self, name: String, bytes: Vec<u8>) {
        self.jobs.with(|all| {
            if let Some(entry) = all.get_mut(&self.id) {
                entry.file = Some((name, Arc::new(bytes)));
            }
        });
        self.done(format!("/jobs/{}/file", self.id));
    }

    pub fn done(&self, location: String) {
        self.end(|standing| standing.location = Some(location));
    }

    pub fn failed(&self, why: String) {
        self.end(|standing| standing.failed = Some(why));
    }

    fn end(&self, set: impl FnOnce(&mut Standing)) {
        self.jobs.with(|all| {
            if let Some(entry) = all.get_mut(&self.id) {
                entry.standing.share = 1.0;
                set(&mut entry.standing);
            }
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn work_is_seen_and_stopped_by_whoever_began_it_only() {
        let jobs = Jobs::default();
        let handle = jobs.begin("a", "Plan", 1, Duration::from_secs(60)).unwrap();
        let progress = Progress { share: 0.25, placed: 3, cost: 40.0 };
        assert!(handle.go_on(progress).is_some());
        assert!(jobs.standing("a", 2).is_none());
        assert_eq!(jobs.standing("a", 1).unwrap().says, "3 placed, cost 40");
        jobs.stop("a", 2);
        assert!(handle.go_on(progress).is_some());
        jobs.stop("a", 1);
        assert!(handle.go_on(progress).is_none());
        handle.done("/rack/cut".into());
        assert_eq!(jobs.standing("a", 1).unwrap().location.as_deref(), Some("/rack/cut"));
    }

    #[test]
    fn more_than_two_at_once_wait_at_the_door() {
        let jobs = Jobs::default();
        let first = jobs.begin("a", "Plan", 1, Duration::from_secs(60)).unwrap();
        assert!(jobs.begin("b", "Plan", 1, Duration::from_secs(60)).is_some());
        assert!(jobs.begin("c", "Plan", 1, Duration::from_secs(60)).is_none());
        first.failed("no board".into());
        assert!(jobs.begin("c", "Plan", 1, Duration::from_secs(60)).is_some());
    }
}
