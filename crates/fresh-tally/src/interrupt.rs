//! Whoever interrupts the program finds nothing half-written: temporary files go, finished ones stay.

use crate::settings::Settings;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, Once};

/// What is cleared when the program is interrupted.
static LEFT: Mutex<Left> = Mutex::new(Left { folder: None, beside: Vec::new() });

struct Left {
    /// The folder of everything temporary.
    folder: Option<PathBuf>,
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
    let Ok(folder) = tempfile::Builder::new().prefix("fresh-tally-run-").tempdir() else { return };
    let folder = folder.keep();
    if tempfile::env::override_temp_dir(&folder).is_err() {
        _ = std::fs::remove_dir(folder);
        return;
    }
    if let Ok(mut left) = LEFT.lock() {
        left.folder = Some(folder);
        let above = output.and_then(Path::parent).map(|parent| match parent.as_os_str().is_empty() {
            true => PathBuf::from("."),
            false => parent.to_owned(),
        });
        left.beside = above.into_iter().chain([shelf.to_owned()]).collect();
    }
    // Without a handler an interruption still ends the program; only its temporary files stay.
    #[allow(clippy::exit, reason = "the run ends here, by the one who interrupts it")]
    let handler = || {
        clear();
        std::process::exit(130);
    };
    _ = ctrlc::set_handler(handler);
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
                _ = std::fs::remove_file(entry.path());
            }
        }
    }
}
