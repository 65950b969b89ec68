//! Computing off the threads that answer: only so much at once, and a queue that says when it is full.

use std::sync::LazyLock;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Duration;

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
/// When to come back, s.
pub const COME_BACK: u32 = 5;

/// Too many wait.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Busy;

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

async fn room() -> Result<SemaphorePermit<'static>, Busy> {
    let _queued = InQueue::join().ok_or(Busy)?;
    match time::timeout(PATIENCE, ROOM.acquire()).await {
        Ok(Ok(permit)) => Ok(permit),
        Ok(Err(_)) | Err(_) => Err(Busy),
    }
}

/// Does work that takes long, without keeping others from being answered. Refused with [`Busy`] when too many wait.
pub async fn compute<T>(work: impl FnOnce() -> T) -> Result<T, Busy> {
    let _permit = room().await?;
    Ok(match Handle::try_current().map(|h| h.runtime_flavor()) {
        Ok(RuntimeFlavor::MultiThread) => task::block_in_place(work),
        // With one thread there is nobody else to answer.
        _ => work(),
    })
}

/// Does work that nobody waits for, only where there is room at once: it never makes anybody queue.
pub async fn ahead(work: impl FnOnce() + Send + 'static) {
    let Ok(permit) = ROOM.try_acquire() else { return };
    // Whatever became of it, whoever asks later works it out anew.
    let _ = task::spawn_blocking(work).await;
    drop(permit);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[rocket::async_test]
    async fn a_full_queue_says_so_and_frees_itself() {
        let all: Vec<_> = (0..QUEUE).map(|_| InQueue::join()).collect();
        assert!(all.iter().filter(|q| q.is_some()).count() >= QUEUE - 2);
        assert!(InQueue::join().is_none() && matches!(room().await, Err(Busy)));
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
}
