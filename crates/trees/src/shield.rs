//! Panics in decoders of others: a file that makes one panic costs that file, and nothing else.

use std::any::Any;
use std::cell::Cell;
use std::panic::{AssertUnwindSafe, catch_unwind};

thread_local! {
    static DEPTH: Cell<usize> = const { Cell::new(0) };
}

/// Whether this thread is inside [`shielded`]: its panics are answers, and no bugs to be told of.
pub fn is_shielded() -> bool {
    DEPTH.with(Cell::get) > 0
}

/// Does something with the bytes of one file by code that may panic on them.
///
/// What was being changed meanwhile must be dropped by the caller: it may be half done.
///
/// # Errors
/// The words of the panic, as a sentence without a subject.
pub fn shielded<T>(work: impl FnOnce() -> T) -> Result<T, String> {
    DEPTH.with(|depth| depth.set(depth.get().saturating_add(1)));
    let outcome = catch_unwind(AssertUnwindSafe(work));
    DEPTH.with(|depth| depth.set(depth.get().saturating_sub(1)));
    outcome.map_err(|payload| format!("is so damaged that its decoder gave up: {}", words(&*payload)))
}

/// The words of a panic.
fn words(payload: &(dyn Any + Send)) -> &str {
    let text = payload.downcast_ref::<&str>().copied();
    text.or_else(|| payload.downcast_ref::<String>().map(String::as_str)).unwrap_or("no reason given")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    #[allow(clippy::panic, reason = "that is what is tested")]
    fn a_panic_is_an_answer_and_the_thread_goes_on() {
        let said = shielded(|| panic!("block {} is not there", 7)).map(|()| 0);
        assert_eq!(said, Err("is so damaged that its decoder gave up: block 7 is not there".to_owned()));
        assert!(!is_shielded());
        assert_eq!(shielded(|| (is_shielded(), shielded(|| 1))), Ok((true, Ok(1))));
    }
}
