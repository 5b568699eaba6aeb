//! The only door to standard output, standard error and answer files.

use crate::args::ChartArgs;
use crate::error::CommandError;
use crate::settings::Settings;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use tally_core::model::Tally;
use tally_report::chart::{Chart, ChartForm};
use tally_report::{RenderError, Theme, View, render};
use tally_shelf::{Draft, encode, pack, read_file};

/// Renders a view, and sends it where the answer goes.
pub(crate) fn show(view: &dyn View, settings: &Settings) -> Result<(), CommandError> {
    let bytes = render(view, settings.format(), settings.options)?;
    answer(&bytes, settings)
}

/// The picture that the ending of `-o` asks for, as with a report; none where a format is named.
pub(crate) fn chart_form(settings: &Settings) -> Option<ChartForm> {
    let ending = settings.output.as_deref().and_then(Path::extension).and_then(|ending| ending.to_str());
    let of = |form: &&ChartForm| settings.format.is_none() && ending == Some(form.ending());
    ChartForm::ALL.iter().find(of).copied()
}

/// Draws a chart, and sends it where the answer goes.
pub(crate) fn chart(
    chart: &Chart,
    form: ChartForm,
    how: &ChartArgs,
    settings: &Settings,
) -> Result<(), CommandError> {
    let theme = if how.dark { Theme::Dark } else { Theme::Light };
    let drawn = match form {
        ChartForm::Svg => chart.svg(how.size, theme, how.transparent).into_bytes(),
        ChartForm::Png => chart.png(how.size, theme, how.transparent).map_err(CommandError::Picture)?,
    };
    answer(&drawn, settings)
}

/// Sends the answer to standard output, or to the file of `-o`.
pub(crate) fn answer(bytes: &[u8], settings: &Settings) -> Result<(), CommandError> {
    match &settings.output {
        Some(path) => file(path, bytes),
        None => stdout(bytes),
    }
}

/// Writes a file as a whole or not at all. What is no regular file (a device, a pipe, a terminal) is written to, and stays what it is.
pub(crate) fn file(path: &Path, bytes: &[u8]) -> Result<(), CommandError> {
    written(path, |out| out.write_all(bytes))
}

/// Where a path leads.
enum Place {
    /// The standard output of this program, under whatever name.
    Stdout,
    /// A device, a pipe, a descriptor: it is written to as it is.
    Direct,
    /// A file that is there or not yet; links are followed, and stay.
    File(PathBuf),
}

impl Place {
    fn of(path: &Path) -> Self {
        if ["/dev/stdout", "/dev/fd/1", "/proc/self/fd/1"].iter().any(|name| path == Path::new(name)) {
            return Self::Stdout;
        }
        let is_descriptor = ["/dev/fd", "/dev/stderr", "/proc"].iter().any(|folder| path.starts_with(folder));
        let is_special = path.metadata().is_ok_and(|found| !found.is_file() && !found.is_dir());
        if is_descriptor || is_special {
            return Self::Direct;
        }
        let is_link = path.symlink_metadata().is_ok_and(|found| found.is_symlink());
        let target = is_link.then(|| path.canonicalize().ok()).flatten();
        Self::File(target.unwrap_or_else(|| path.to_owned()))
    }
}

/// The one way in which something is written to a path: a file appears under its name when it is complete.
fn written(
    path: &Path,
    write: impl FnOnce(&mut dyn Write) -> std::io::Result<()>,
) -> Result<(), CommandError> {
    let buffered = |out: &mut dyn Write| {
        let mut out = std::io::BufWriter::new(out);
        write(&mut out)?;
        out.flush()
    };
    let done = match Place::of(path) {
        Place::Stdout => buffered(&mut std::io::stdout().lock()),
        Place::Direct => {
            std::fs::OpenOptions::new().write(true).open(path).and_then(|mut file| buffered(&mut file))
        }
        Place::File(path) => Draft::new(&path).and_then(|mut draft| {
            buffered(&mut draft)?;
            draft.finish(true)
        }),
    };
    done.map_err(|source| CommandError::Output { to: format!("`{}`", path.display()), source })
}

/// Writes a tally, compressed where the name of the file says so; gives what was written.
pub(crate) fn tally(path: &Path, tally: &Tally) -> Result<Vec<u8>, CommandError> {
    let mut bytes = encode(tally).map_err(|error| CommandError::Render(RenderError::Json(error)))?;
    if path.extension().is_some_and(|ending| ending == "zst") {
        bytes = pack(&bytes);
    }
    file(path, &bytes)?;
    Ok(bytes)
}

/// Writes to standard output.
pub(crate) fn stdout(bytes: &[u8]) -> Result<(), CommandError> {
    let mut out = std::io::stdout().lock();
    let result = out.write_all(bytes).and_then(|()| out.flush());
    result.map_err(|source| CommandError::Output { to: "to standard output".into(), source })
}

/// Warnings that wait while the terminal shows something else; `None` while they don't.
static HELD: Mutex<Option<Vec<String>>> = Mutex::new(None);

fn held() -> MutexGuard<'static, Option<Vec<String>>> {
    HELD.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Holds warnings back, and says no status lines, until [`say_held`].
#[cfg(feature = "browse")]
pub(crate) fn hold() {
    held().get_or_insert_default();
}

/// The warning that was held back last, of those that came after the first `known`; and how many there are.
#[cfg(feature = "browse")]
pub(crate) fn last_held(known: usize) -> (Option<String>, usize) {
    let held = held();
    let all = held.as_deref().unwrap_or_default();
    (all.last().filter(|_| all.len() > known).cloned(), all.len())
}

/// Says what was held back, each once.
#[cfg(feature = "browse")]
pub(crate) fn say_held() {
    let mut waiting = held().take().unwrap_or_default();
    waiting.sort();
    waiting.dedup();
    waiting.iter().for_each(|sentence| warn(sentence));
}

/// A status line on standard error: a full sentence, unless quiet.
pub(crate) fn status(settings: &Settings, sentence: &str) {
    if !settings.quiet && held().is_none() {
        message(sentence);
    }
}

/// A line on standard error, without what a terminal would obey. Where it can't be written nobody hears it, and the work goes on.
pub(crate) fn message(line: &str) {
    _ = writeln!(std::io::stderr(), "{}", tally_report::clean(line));
}

/// A warning on standard error, quiet or not: something of what was asked for is left out.
pub(crate) fn warn(sentence: &str) {
    match held().as_mut() {
        Some(waiting) => waiting.push(sentence.to_owned()),
        None => message(&format!("warning: {sentence}")),
    }
}

/// Sends an answer piece by piece; a file appears under its name when it is complete.
pub(crate) fn stream(
    settings: &Settings,
    write: impl FnOnce(&mut dyn Write) -> std::io::Result<()>,
) -> Result<(), CommandError> {
    if let Some(path) = settings.output.as_deref() {
        return written(path, write);
    }
    let mut out = std::io::BufWriter::new(std::io::stdout().lock());
    let result = write(&mut out).and_then(|()| out.flush());
    result.map_err(|source| CommandError::Output { to: "to standard output".into(), source })
}

/// Bytes that a file of settings, questions or rules may have: 16 MiB.
const TEXT_LIMIT: u64 = 16 << 20;

/// Reads a text that the reviewer wrote: a regular file of UTF-8.
pub(crate) fn text(path: &Path) -> Result<String, CommandError> {
    let fail =
        |why: Box<dyn std::error::Error + Send + Sync>| CommandError::Source { path: path.into(), why };
    let bytes = read_file(path, TEXT_LIMIT).map_err(|error| fail(error.into()))?;
    String::from_utf8(bytes).map_err(|error| {
        let good = &error.as_bytes()[..error.utf8_error().valid_up_to()];
        fail(format!("line {} is not UTF-8", good.iter().filter(|byte| **byte == b'\n').count() + 1).into())
    })
}
