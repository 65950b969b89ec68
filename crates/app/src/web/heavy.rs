//! Computing off the threads that answer: only so much at once, and a queue that says when it is full.

use std::sync::LazyLock;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

use mend_keel_core::patience;
use rocket::tokio::runtime::{Handle, RuntimeFlavor};
use rocket::tokio::sync::{Semaphore, SemaphorePermit};
use rocket::tokio::{task, time};

/// Computed at the same time: one processor is left for answering.
static ROOM: LazyLock<Semaphore> = LazyLock::new(|| {
    let processors = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    Semaphore::new(processors.saturating_sub(1).max(1))
});
/// Waiting for it.
static WAITING: AtomicUsize = AtomicUsize::new(0);
/// Most that wait, and how long they do, before they are told to come back.
const QUEUE: usize = 24;
const PATIENCE: Duration = Duration::from_secs(20);
/// A computation that goes on for longer is stopped.
const LONGEST: Duration = Duration::from_secs(60);
/// When to come back, s.
pub const COME_BACK: u32 = 5;

/// Why there is nothing to show.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Halted {
    /// Too many wait.
    Busy,
    /// It went on for longer than [`LONGEST`].
    TooLong,
}

/// Takes itself out of the queue again, also when whoever waited has gone away.
struct InQueue;

impl InQueue {
    fn join() -> Option<Self> {
        let before = WAITING.fetch_add(1, Ordering::SeqCst);
        let queued = Self;
        (before < QUEUE).then_some(queued)
    }
}

impl Drop for InQueue {
    fn drop(&mut self) {
        WAITING.fetch_sub(1, Ordering::SeqCst);
    }
}

impl Halted {
    /// What to do about it, in a line.
    pub fn says(self) -> String {
        match self {
            Self::Busy => format!("the yard’s server is busy: again in {COME_BACK} s"),
            Self::TooLong => {
                format!("it took longer than {} s and was stopped: give it less at once", LONGEST.as_secs())
            }
        }
    }
}

async fn room() -> Result<SemaphorePermit<'static>, Halted> {
    let _queued = InQueue::join().ok_or(Halted::Busy)?;
    match time::timeout(PATIENCE, ROOM.acquire()).await {
        Ok(Ok(permit)) => Ok(permit),
        Ok(Err(_)) | Err(_) => Err(Halted::Busy),
    }
}

/// Does work that takes long, without keeping others from being answered. [`Halted`] when too many wait, or when it takes too long.
pub async fn compute<T>(work: impl FnOnce() -> T) -> Result<T, Halted> {
    let _permit = room().await?;
    match Handle::try_current().map(|h| h.runtime_flavor()) {
        Ok(RuntimeFlavor::MultiThread) => task::block_in_place(|| for_so_long(LONGEST, work)),
        // With one thread there is nobody else to answer.
        _ => for_so_long(LONGEST, work),
    }
}

fn for_so_long<T>(longest: Duration, work: impl FnOnce() -> T) -> Result<T, Halted> {
    let begun = Instant::now();
    patience::within(move || begun.elapsed() > longest, work).map_err(|patience::TooLong| Halted::TooLong)
}

/// Does work that nobody waits for, only where there is room at once: it never makes anybody queue.
pub async fn ahead(work: impl FnOnce() + Send + 'static) {
    let Ok(permit) = ROOM.try_acquire() else { return };
    // Whatever became of it, whoever asks later works it out anew.
    let _ = task::spawn_blocking(|| for_so_long(LONGEST, work)).await;
    drop(permit);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[rocket::async_test]
    async fn a_full_queue_says_so_and_frees_itself() {
        let all: Vec<_> = (0..QUEUE).map(|_| InQueue::join()).collect();
        assert!(all.iter().filter(|q| q.is_some()).count() >= QUEUE - 2);
        assert!(InQueue::join().is_none() && matches!(room().await, Err(Halted::Busy)));
        drop(all);
        assert_eq!(compute(|| 6 * 7).await.ok(), Some(42));
        let (told, heard) = std::sync::mpsc::channel();
        ahead(move || told.send(1).unwrap_or_default()).await;
        assert_eq!(heard.recv().ok(), Some(1));
        // Where all room is taken it is left undone.
        let taken: Vec<_> = std::iter::from_fn(|| ROOM.try_acquire().ok()).collect();
        let (told, heard) = std::sync::mpsc::channel();
        ahead(move || told.send(1).unwrap_or_default()).await;
        assert!(heard.recv().is_err());
        drop(taken);
    }

    #[test]
    fn what_never_ends_is_stopped_and_the_next_is_not() {
        let for_ever = || -> u32 {
            loop {
                patience::look();
            }
        };
        assert_eq!(for_so_long(Duration::ZERO, for_ever), Err(Halted::TooLong));
        assert_eq!(for_so_long(LONGEST, || 6 * 7), Ok(42));
    }
}
