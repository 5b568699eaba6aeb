//! Exit codes, and what a panic prints.

use crate::output::message;
use std::backtrace::{Backtrace, BacktraceStatus};
use std::panic::PanicHookInfo;
use std::process::ExitCode;

/// How the program ends. Scripts rely on these numbers.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Exit {
    /// Done.
    Done = 0,
    /// Done, and the answer is "no".
    No = 1,
    /// The command line is wrong.
    Usage = 2,
    /// An input can't be read, or an output can't be written.
    Input = 3,
    /// A bug.
    Bug = 4,
}

impl From<Exit> for ExitCode {
    fn from(exit: Exit) -> Self {
        Self::from(exit as u8)
    }
}

/// What a panic prints: where it happened, and that it is not the user's fault; with `RUST_BACKTRACE=1` the way there as well. One that
/// is caught where a file is decoded is reported as that file's, and not here.
pub(crate) fn tell_of_a_bug(info: &PanicHookInfo<'_>) {
    if tally_trees::is_shielded() {
        return;
    }
    let place = info.location().map(ToString::to_string).unwrap_or_default();
    let payload = info.payload();
    let words = payload
        .downcast_ref::<&str>()
        .copied()
        .or_else(|| payload.downcast_ref::<String>().map(String::as_str));
    let words = tally_report::clean(words.unwrap_or("no words")).into_owned();
    message(&format!("error: a bug in fresh-tally {} at {place}: {words}", env!("CARGO_PKG_VERSION")));
    let trace = Backtrace::capture();
    if trace.status() == BacktraceStatus::Captured {
        trace.to_string().lines().for_each(message);
    } else {
        message("hint: please report this line and your command; RUST_BACKTRACE=1 shows more");
    }
}
