//! How long a search may go on: whoever asks for one says when its time is over, and the long searches ask as they go.
//!
//! There is no clock here: what says that the time is over comes from outside, and where nobody says anything a search runs to its
//! end. A search that is stopped gives nothing, never half an answer: what it had so far would depend on the machine.

use std::cell::RefCell;
use std::panic::{self, AssertUnwindSafe};

/// It took longer than whoever asked for it would wait, and was stopped.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("it took too long and was stopped")]
pub struct TooLong;

type Asked = Box<dyn Fn() -> bool>;

thread_local! {
    /// What says whether the time of the work on this thread is over.
    static IS_OVER: RefCell<Option<Asked>> = const { RefCell::new(None) };
}

/// Puts back what was asked before.
struct Before(Option<Asked>);

impl Drop for Before {
    fn drop(&mut self) {
        IS_OVER.with(|asked| *asked.borrow_mut() = self.0.take());
    }
}

/// Does some work, for as long as `is_over` says no. [`TooLong`] where a search in it was stopped; what else goes wrong in it goes on
/// as it was. Only work on this thread is stopped.
pub fn within<T>(is_over: impl Fn() -> bool + 'static, work: impl FnOnce() -> T) -> Result<T, TooLong> {
    let _before = Before(IS_OVER.with(|asked| asked.borrow_mut().replace(Box::new(is_over))));
    match panic::catch_unwind(AssertUnwindSafe(work)) {
        Ok(done) => Ok(done),
        Err(why) if why.is::<TooLong>() => Err(TooLong),
        Err(why) => panic::resume_unwind(why),
    }
}

/// Asked by every long search as it goes: does not come back where the time is over.
pub fn look() {
    if IS_OVER.with(|asked| asked.borrow().as_ref().is_some_and(|is_over| is_over())) {
        panic::resume_unwind(Box::new(TooLong));
    }
}

#[cfg(test)]
mod tests {
    use std::cell::Cell;
    use std::rc::Rc;

    use super::*;

    /// Says no so many times.
    fn after(looks: u32) -> impl Fn() -> bool {
        let left = Cell::new(looks);
        move || {
            let over = left.get() == 0;
            left.set(left.get().saturating_sub(1));
            over
        }
    }

    fn search(steps: u32) -> u32 {
        (0..steps).inspect(|_| look()).count() as u32
    }

    #[test]
    fn a_search_is_stopped_when_its_time_is_over_and_not_before() {
        assert_eq!(within(after(10), || search(10)), Ok(10));
        assert_eq!(within(after(9), || search(10)), Err(TooLong));
        assert_eq!(search(1_000), 1_000, "nobody waits: it runs to its end");
    }

    #[test]
    fn one_within_another_keeps_its_own_time() {
        let outer = Rc::new(Cell::new(0_u32));
        let told = Rc::clone(&outer);
        let both = within(
            move || {
                told.set(told.get() + 1);
                false
            },
            || {
                let inner = within(after(0), || search(1));
                (inner, search(5))
            },
        );
        assert_eq!(both, Ok((Err(TooLong), 5)));
        assert_eq!(outer.get(), 5, "only the outer search asked it");
    }

    #[test]
    fn what_else_goes_wrong_is_not_taken_for_it() {
        let wrong = panic::catch_unwind(|| within(after(9), || panic::resume_unwind(Box::new("a bug"))));
        assert_eq!(wrong.unwrap_err().downcast_ref::<&str>(), Some(&"a bug"));
        assert_eq!(search(3), 3, "and its time is not kept");
    }
}
