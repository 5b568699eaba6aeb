//! What is done, while it is done, for whoever asks with `-v`.

use std::io;
use tracing::Level;
use tracing_subscriber::fmt::MakeWriter;

/// Begins to say on standard error what is done: with 1 what takes time, with 2 and more every file; with 0 nothing is, and nothing costs
/// anything.
pub(crate) fn begin(verbose: u8) {
    let level = match verbose {
        0 => return,
        1 => Level::INFO,
        _ => Level::DEBUG,
    };
    let subscriber = tracing_subscriber::fmt()
        .with_max_level(level)
        .with_writer(Clean)
        .with_ansi(false)
        .with_target(false)
        .with_level(false)
        .without_time()
        // What can't be written is not told there either.
        .log_internal_errors(false)
        .finish();
    // Somebody else's would be there already in a test at the most.
    _ = tracing::subscriber::set_global_default(subscriber);
}

/// Standard error, with what a terminal would obey made visible: names of files are a stranger's.
struct Clean;

impl<'w> MakeWriter<'w> for Clean {
    type Writer = Self;

    fn make_writer(&'w self) -> Self {
        Self
    }
}

impl io::Write for Clean {
    fn write(&mut self, line: &[u8]) -> io::Result<usize> {
        let text = String::from_utf8_lossy(line);
        let text = text.strip_suffix('\n').unwrap_or(&text);
        crate::output::message(text);
        Ok(line.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}
