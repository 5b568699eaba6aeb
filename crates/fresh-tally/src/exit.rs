//! Exit codes, and the one place that turns an error into words, a hint and a code.

use crate::error::CommandError;
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

/// Says what went wrong on standard error: one line, and a hint where one helps.
#[allow(clippy::print_stderr, reason = "errors end here")]
pub(crate) fn report(failure: &CommandError) -> Exit {
    if failure.is_closed_pipe() {
        return Exit::Done;
    }
    eprintln!("error: {}", tally_report::clean(&failure.to_string()));
    if tracing::enabled!(tracing::Level::INFO) {
        causes(failure);
    }
    if let Some(hint) = failure.hint() {
        eprintln!("hint: {}", tally_report::clean(&hint));
    }
    failure.exit()
}

/// What a panic prints: where it happened, and that it is not the user's fault; with `RUST_BACKTRACE=1` the way there as well. One that
/// is caught where a file is decoded is told of as that file's, and not here.
#[allow(clippy::print_stderr, reason = "the last words of the program")]
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
    eprintln!("error: a bug in fresh-tally {} at {place}: {words}", env!("CARGO_PKG_VERSION"));
    let trace = Backtrace::capture();
    if trace.status() == BacktraceStatus::Captured {
        eprintln!("{trace}");
    } else {
        eprintln!("hint: please report this line and your command; RUST_BACKTRACE=1 shows more");
    }
}

/// Says what led to an error, cause by cause, where more was asked for with `-v`.
#[allow(clippy::print_stderr, reason = "errors end here")]
fn causes(failure: &CommandError) {
    let mut cause = std::error::Error::source(failure);
    while let Some(error) = cause {
        eprintln!("because: {}", tally_report::clean(&error.to_string()));
        cause = error.source();
    }
}
