//! Work that may not take for ever: a file of few bytes can be made to keep a decoder busy for hours.

use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::mpsc;
use std::time::Duration;

/// The time that one picture may take.
const LIMIT: Duration = Duration::from_secs(30);
/// Threads that may be left behind, each with what it holds, before nothing more is begun.
const LEFT_BEHIND: usize = 2;

/// Runs pieces of work, each in a thread of its own and only so long.
///
/// A thread can't be ended from outside: one that takes too long is left behind, and ends with the program. So only few may be.
pub(super) struct Deadline {
    limit: Duration,
    late: AtomicUsize,
}

/// Why there is no result.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Undone {
    /// It took too long.
    Late,
    /// Others took too long before, and it was not begun.
    NotBegun,
    /// It panicked, or no thread could be had.
    Failed,
}

impl Default for Deadline {
    fn default() -> Self {
        Self { limit: LIMIT, late: AtomicUsize::new(0) }
    }
}

impl Deadline {
    /// Does a piece of work.
    ///
    /// # Errors
    /// When it takes too long, panics, or is not begun as others before took too long.
    pub(super) fn run<T: Send + 'static>(
        &self,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, Undone> {
        if self.late.load(Ordering::Relaxed) >= LEFT_BEHIND {
            return Err(Undone::NotBegun);
        }
        let (send, done) = mpsc::sync_channel(1);
        let thread = std::thread::Builder::new().spawn(move || {
            _ = send.send(catch_unwind(AssertUnwindSafe(work)));
        });
        thread.map_err(|_| Undone::Failed)?;
        match done.recv_timeout(self.limit) {
            Ok(result) => result.map_err(|_| Undone::Failed),
            Err(_) => {
                self.late.fetch_add(1, Ordering::Relaxed);
                Err(Undone::Late)
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_takes_too_long_is_left_behind_and_after_two_nothing_is_begun() {
        let deadline = Deadline { limit: Duration::from_millis(20), late: AtomicUsize::new(0) };
        let endless = || std::thread::sleep(Duration::from_secs(20));
        assert_eq!(deadline.run(|| 7), Ok(7));
        assert_eq!(deadline.run(endless), Err(Undone::Late));
        assert_eq!(deadline.run(|| 8), Ok(8), "one is no reason to stop");
        assert_eq!(deadline.run(endless), Err(Undone::Late));
        assert_eq!(deadline.run(|| 9), Err(Undone::NotBegun));
    }

    #[test]
    fn a_panic_is_a_failure_and_nothing_more() {
        let deadline = Deadline::default();
        assert_eq!(deadline.run(|| -> u8 { std::panic::resume_unwind(Box::new(())) }), Err(Undone::Failed));
        assert_eq!(deadline.run(|| 1), Ok(1));
    }
}
