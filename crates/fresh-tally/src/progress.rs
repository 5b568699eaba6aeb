//! Bars on a terminal for what takes long. A pipe and a quiet run see none.

use crate::settings::Settings;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use std::fs::File;
use std::io;
use std::io::IsTerminal;
use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};
use tally_trees::{OnDisk, ReadAt};

/// What is done sooner than this needs no bar.
const PATIENCE: Duration = Duration::from_millis(500);

/// A bar over bytes; without a length it only counts.
pub(crate) fn bar(length: Option<u64>, what: &str, settings: &Settings) -> ProgressBar {
    if settings.quiet || !io::stderr().is_terminal() {
        return ProgressBar::hidden();
    }
    let bar = ProgressBar::with_draw_target(length, ProgressDrawTarget::stderr_with_hz(10));
    let template = match length {
        Some(_) => "{msg} {bar:30} {decimal_bytes} of {decimal_total_bytes}, {eta} left",
        None => "{msg} {decimal_bytes}, {elapsed}",
    };
    let style = ProgressStyle::with_template(template).unwrap_or_else(|_| ProgressStyle::default_bar());
    bar.set_style(style.progress_chars("=> "));
    bar.set_message(tally_report::clean(what).into_owned());
    bar
}

/// A file that shows on a bar how far it was read.
struct Watched {
    file: OnDisk,
    bar: ProgressBar,
    began: Instant,
}

impl ReadAt for Watched {
    fn len(&self) -> u64 {
        self.file.len()
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.file.read_at(offset, buffer)?;
        let reached = offset + read as u64;
        if self.began.elapsed() > PATIENCE && reached > self.bar.position() {
            self.bar.set_position(reached);
        }
        Ok(read)
    }
}

impl Drop for Watched {
    fn drop(&mut self) {
        self.bar.finish_and_clear();
    }
}

/// Opens a file whose reading shows on a bar.
pub(crate) fn watched(path: &Path, named: &Path, settings: &Settings) -> io::Result<Arc<dyn ReadAt>> {
    watched_file(File::open(path)?, named, settings)
}

/// The same for a file that is open.
pub(crate) fn watched_file(file: File, named: &Path, settings: &Settings) -> io::Result<Arc<dyn ReadAt>> {
    let file = OnDisk::new(file)?;
    let bar = bar(Some(file.len()), &format!("Reading {}", named.display()), settings);
    Ok(Arc::new(Watched { file, bar, began: Instant::now() }))
}
