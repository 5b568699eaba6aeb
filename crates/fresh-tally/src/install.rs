//! From what the user calls an install to its tally.

use crate::error::Failure;
use crate::settings::Settings;
use std::path::{Path, PathBuf};
use tally_core::knowledge::PartRules;
use tally_core::model::{Medium, Reading, Taken, Tally, Text};
use tally_readers::{Overrides, TakeOptions};
use tally_shelf::{ShelfError, read_tally};
use tally_trees::{Folder, Tree};

/// Program and version, as tallies name them.
pub(crate) const PROGRAM: &str = concat!("fresh-tally ", env!("CARGO_PKG_VERSION"));

/// Finds an install: a handle on the shelf, else a tally file, else a source that is read on the fly.
pub(crate) fn find(asked: &str, settings: &Settings, rules: &PartRules) -> Result<Tally, Failure> {
    if settings.shelf.has(asked) {
        return Ok(settings.shelf.get(asked)?);
    }
    let path = Path::new(asked);
    if path.is_file() {
        return match read_tally(path) {
            Err(ShelfError::Io { source, .. }) => Err(unreadable(path, &source)),
            other => Ok(other?),
        };
    }
    if path.exists() {
        return take(path, Medium::Installed, Overrides::default(), settings, rules);
    }
    Err(unknown(asked, settings))
}

/// The error of an install that is neither on the shelf nor a path.
pub(crate) fn unknown(asked: &str, settings: &Settings) -> Failure {
    Failure::NoSuchInstall {
        asked: asked.into(),
        shelf: settings.shelf.folder().into(),
        near: near(asked, settings),
    }
}

/// The folder that an install was, or is, read from: the source itself, else where its tally says it came from.
pub(crate) fn source_of(asked: &str, settings: &Settings) -> Result<PathBuf, Failure> {
    if Path::new(asked).is_dir() && !settings.shelf.has(asked) {
        return Ok(asked.into());
    }
    let tally = find(asked, settings, &PartRules::default())?;
    let from = PathBuf::from(tally.taken.from.as_str());
    if from.is_dir() {
        return Ok(from);
    }
    let why = "the install is no longer there, and a tally keeps no lists of all files: give its root folder";
    Err(Failure::Source { path: from, why: why.into() })
}

/// Reads the install that lies in a folder.
pub(crate) fn take(
    source: &Path,
    medium: Medium,
    overrides: Overrides,
    settings: &Settings,
    rules: &PartRules,
) -> Result<Tally, Failure> {
    if source.is_file() {
        let why = if source.extension().is_some_and(|ending| ending == "json") {
            "it is a file, not a folder; a tally can be looked at with `show`"
        } else {
            "it is a file; this version reads folders"
        };
        return Err(Failure::Source { path: source.into(), why: why.into() });
    }
    let tree = Folder::open(source)
        .map_err(|error| Failure::Source { path: source.into(), why: error.why.to_string() })?;
    let from = std::path::absolute(source).unwrap_or_else(|_| PathBuf::from(source));
    let taken = Taken {
        at: settings.now.as_str().into(),
        from: Text::from(from.to_string_lossy()),
        medium,
        layer: None,
        sha256: None,
    };
    let kinds = settings.own.kinds()?;
    let options = TakeOptions {
        program: PROGRAM.into(),
        taken,
        overrides,
        rules,
        kinds: &kinds,
        roles: &settings.own.roles()?,
        agents: &settings.own.agents()?,
    };
    let mut result = tally_readers::take(&tree as &dyn Tree, options);
    if let Ok(tally) = &mut result
        && from == Path::new("/")
    {
        tally.readings = readings(&tree as &dyn Tree, medium);
    }
    result.map_err(|error| Failure::NoInstall { path: source.into(), source: error })
}

/// The figures of the system we run on; the disk's from the kernel, since no file tells.
fn readings(tree: &dyn Tree, medium: Medium) -> Vec<Reading> {
    let mut readings = tally_readers::readings::read(tree, medium, "when the tally was taken");
    let (Some(first), Ok(disk)) = (readings.first().cloned(), rustix::fs::statvfs("/")) else {
        return readings;
    };
    let used = disk.f_blocks.saturating_sub(disk.f_bfree).saturating_mul(disk.f_frsize);
    #[allow(clippy::cast_precision_loss, reason = "disks are far below 2^53 bytes")]
    let value = used as f64;
    readings.push(Reading {
        what: "disk-used".into(),
        value,
        unit: "bytes".into(),
        method: "blocks of the root file system that are not free".into(),
        ..first
    });
    readings
}

fn unreadable(path: &Path, error: &std::io::Error) -> Failure {
    Failure::Source { path: path.into(), why: error.to_string() }
}

/// Handles that look like what was asked for, likest first.
fn near(asked: &str, settings: &Settings) -> Vec<String> {
    let handles = settings.shelf.handles().unwrap_or_default();
    let mut scored: Vec<(f64, String)> = handles
        .into_iter()
        .map(|handle| (strsim::jaro_winkler(asked, &handle), handle))
        .filter(|(score, handle)| *score > 0.8 || handle.contains(asked))
        .collect();
    scored.sort_by(|a, b| b.0.total_cmp(&a.0));
    scored.into_iter().map(|(_, handle)| handle).collect()
}

/// The error of a handle that could not be a file name, before anything is read.
pub(crate) fn check_handle(handle: &str) -> Result<(), Failure> {
    if handle.is_empty() || tally_core::model::slug(handle) != handle {
        return Err(ShelfError::BadHandle { handle: handle.into() }.into());
    }
    Ok(())
}
