//! Whoever interrupts the program finds nothing half-written: temporary files go, finished ones stay.

use crate::settings::Settings;
use signal_hook::consts::{SIGABRT, SIGALRM, SIGHUP, SIGINT, SIGQUIT, SIGTERM, SIGUSR1, SIGUSR2};
use signal_hook::iterator::Signals;
use std::fs::File;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, Once};
use std::time::Duration;

/// What is cleared when the program is interrupted.
static LEFT: Mutex<Left> = Mutex::new(Left { folder: None, lock: None, beside: Vec::new() });

struct Left {
    /// The folder of everything temporary.
    folder: Option<PathBuf>,
    /// Tells other runs that this one is alive.
    lock: Option<File>,
    /// Folders in which an answer may be under way, in a file beside its place.
    beside: Vec<PathBuf>,
}

/// Whether [`prepare`] has been here.
static PREPARED: Once = Once::new();

/// Puts temporary files in a folder of this run's own, and clears it when the program is interrupted. Where that can't be
/// had, the system's own folder serves as it does without.
///
/// Called before anything is written or unpacked, once is enough: a command that only reads tallies ends before this would be done.
pub(crate) fn prepare(settings: &Settings) {
    PREPARED.call_once(|| make_ready(settings.output.as_deref(), settings.shelf.folder()));
}

fn make_ready(output: Option<&Path>, shelf: &Path) {
    clear_dead(&std::env::temp_dir());
    let Ok(folder) = tempfile::Builder::new().prefix(RUN).tempdir() else { return };
    let folder = folder.keep();
    // Held until the program ends, however it ends.
    let lock = File::open(&folder).and_then(|held| held.lock().map(|()| held)).ok();
    if tempfile::env::override_temp_dir(&folder).is_err() {
        _ = std::fs::remove_dir(folder);
        return;
    }
    if let Ok(mut left) = LEFT.lock() {
        (left.folder, left.lock) = (Some(folder), lock);
        let above = output.and_then(Path::parent).map(|parent| match parent.as_os_str().is_empty() {
            true => PathBuf::from("."),
            false => parent.to_owned(),
        });
        left.beside = above.into_iter().chain([shelf.to_owned()]).collect();
    }
    // Without a handler an interruption still ends the program; only its temporary files stay.
    if let Ok(mut signals) = Signals::new(ENDING) {
        _ = std::thread::Builder::new().name("interruption".into()).spawn(move || {
            if let Some(signal) = signals.forever().next() {
                end(signal);
            }
        });
    }
}

/// Signals that end the program, and that it may answer first.
const ENDING: [i32; 8] = [SIGINT, SIGTERM, SIGHUP, SIGQUIT, SIGALRM, SIGUSR1, SIGUSR2, SIGABRT];

/// Ends the run as the signal would have, with its number and 128, as shells tell it.
#[allow(clippy::exit, reason = "the run ends here, by the one who interrupts it")]
fn end(signal: i32) {
    #[cfg(feature = "browse")]
    crate::browse::give_back();
    clear();
    std::process::exit(128 + signal);
}

/// How the folders for temporary files begin, a folder a run.
const RUN: &str = "fresh-tally-run-";
/// A run has its folder for so long before it holds the lock at the latest.
const STARTING: Duration = Duration::from_secs(60);

/// Removes the folders of runs that were killed before they could. A run that is alive holds the lock of its folder, on whatever
/// side of a container it is.
fn clear_dead(folder: &Path) {
    let own = rustix::process::geteuid().as_raw();
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        if !entry.file_name().to_string_lossy().starts_with(RUN) {
            continue;
        }
        let is_old = |data: &std::fs::Metadata| {
            let age = data.modified().ok().and_then(|changed| changed.elapsed().ok());
            data.is_dir() && data.uid() == own && age.is_some_and(|age| age > STARTING)
        };
        let path = entry.path();
        if path.symlink_metadata().is_ok_and(|data| is_old(&data))
            && File::open(&path).is_ok_and(|held| held.try_lock().is_ok())
        {
            _ = std::fs::remove_dir_all(path);
        }
    }
}

/// Removes everything temporary.
pub(crate) fn clear() {
    let Ok(mut left) = LEFT.lock() else { return };
    if let Some(folder) = left.folder.take() {
        _ = std::fs::remove_dir_all(folder);
    }
    let own = tally_shelf::unfinished();
    for folder in left.beside.drain(..) {
        for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
            if entry.file_name().to_string_lossy().starts_with(&own) {
                let path = entry.path();
                _ = if path.is_dir() { std::fs::remove_dir_all(path) } else { std::fs::remove_file(path) };
            }
        }
    }
}
