//! From an install, or from files, to the lists of its repositories.

use crate::error::CommandError;
use crate::install;
use crate::settings::Settings;
use std::fs;
use std::path::{Path, PathBuf};
use tally_core::model::{System, Tally, Text, Unread};
use tally_core::offer::{Catalog, PackageList, Program};
use tally_readers::packages::{from_files, keep, kept, offers_of, programs};
use tally_shelf::{read_file, stem_of};
use tally_trees::Tree;

/// What the repositories of an install offer.
#[derive(Debug)]
pub(crate) struct Found {
    pub(crate) catalogs: Vec<Catalog>,
    pub(crate) programs: Vec<Program>,
}

/// Bytes that a file of lists may have: 1 GiB.
const FILE_LIMIT: u64 = 1 << 30;

/// Folders that are inside one another below one that was given.
const DEPTH: usize = 6;

/// Files that are looked at below one that was given.
const FILES: usize = 10_000;

/// The lists that were handed over; else those kept beside the tally; else those in the install, where it is still there.
pub(crate) fn of(
    asked: &str,
    tally: &Tally,
    lists: &[PathBuf],
    settings: &Settings,
) -> Result<Option<Found>, CommandError> {
    let found =
        if lists.is_empty() { own(asked, tally, settings)? } else { Some(handed_over(lists, tally)?) };
    if let Some(found) = &found {
        for catalog in &found.catalogs {
            catalog.unread.iter().for_each(warn);
            check_machine(catalog, tally);
            if !lists.is_empty() {
                check_release(catalog, tally);
            }
        }
    }
    Ok(found.filter(|found| !found.catalogs.is_empty()))
}

/// The error of an install without lists.
pub(crate) fn none(asked: &str) -> CommandError {
    CommandError::NoLists(asked.to_owned())
}

/// Says how many records of the lists that were looked at are damaged.
pub(crate) fn warn_of_damaged(found: &Found) {
    let damaged: usize = found.catalogs.iter().map(|catalog| catalog.damaged().count()).sum();
    if damaged > 0 {
        let records = tally_report::count_of(damaged as u64, "record");
        crate::output::warn(&format!("{records} of the lists could not be read, and count for nothing"));
    }
}

fn own(asked: &str, tally: &Tally, settings: &Settings) -> Result<Option<Found>, CommandError> {
    let (asked, _) = install::named(asked, settings);
    let file =
        if settings.shelf.has(asked) { settings.shelf.offer_file(asked) } else { beside(Path::new(asked)) };
    if file.is_file() {
        let bytes = read_file(&file, FILE_LIMIT).map_err(|error| unreadable(&file, error))?;
        let (catalogs, programs) =
            kept(bytes).map_err(|why| CommandError::Source { path: file, why: why.into() })?;
        return Ok(Some(Found { catalogs, programs }));
    }
    // A tally whose install is gone has nothing but its figures.
    let Ok(tree) = install::root_of(asked, settings) else { return Ok(None) };
    Ok(Some(read(tree.as_ref(), tally)))
}

/// The file beside a tally that keeps what was on offer: `NAME.offer.zst` for `NAME.tally.json`.
pub(crate) fn beside(tally: &Path) -> PathBuf {
    let name = tally.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let stem = stem_of(&name).or_else(|| name.strip_suffix(".json")).unwrap_or(&name);
    tally.with_file_name(format!("{stem}.offer.zst"))
}

/// What the lists in an install offer.
fn read(tree: &dyn Tree, tally: &Tally) -> Found {
    let (catalogs, unread) = offers_of(tree, &tally.packages, &tally.label);
    unread.iter().for_each(warn);
    let native = catalogs.iter().map(|catalog| catalog.system).find(|system| !system.is_sandbox());
    let (programs, unread) = programs(tree, native.unwrap_or(System::Dpkg));
    unread.iter().for_each(warn);
    Found { catalogs, programs }
}

/// What is to be kept of the offer of an install that was just taken; `None`, and a warning, where there is nothing.
pub(crate) fn to_keep(
    asked: &str,
    tally: &Tally,
    settings: &Settings,
) -> Result<Option<Vec<u8>>, CommandError> {
    // What came through a pipe, or as a list of packages, has none.
    let found = install::root_of(asked, settings).ok().map(|tree| read(tree.as_ref(), tally));
    let Some(found) = found.filter(|found| !found.catalogs.is_empty()) else {
        crate::output::warn(&format!("`{asked}` has no lists of its repositories to keep"));
        return Ok(None);
    };
    let kept = keep(&found.catalogs, &found.programs);
    kept.map(Some).map_err(|error| CommandError::Render(tally_report::RenderError::Json(error)))
}

fn warn(problem: &Unread) {
    crate::output::warn(&format!("`{}` {}", problem.file, problem.why));
}

/// Lists for another machine offer this one nothing, and say so.
fn check_machine(catalog: &Catalog, tally: &Tally) {
    let looked_at =
        || (0..u32::try_from(catalog.len().min(200)).unwrap_or(0)).filter_map(|at| catalog.get(at));
    let fits = |arch: &str| catalog.fits_machine(arch);
    let own = looked_at()
        .any(|offered| fits(&offered.package.arch) && !catalog.system.is_neutral(&offered.package.arch));
    let other = looked_at().find(|offered| !fits(&offered.package.arch));
    if let (false, Some(other)) = (own, other) {
        crate::output::warn(&format!(
            "the lists are for {}, and the install is for {}",
            other.package.arch,
            tally.label.arch.as_deref().unwrap_or("another machine")
        ));
    }
}

/// Lists of another release are a mistake more often than not: it is said where each names its release, and none names this one.
fn check_release(catalog: &Catalog, tally: &Tally) {
    let Some(own) = tally.label.codename.as_deref().map(str::to_lowercase).filter(|name| !name.is_empty())
    else {
        return;
    };
    let named =
        |list: &PackageList| [&list.codename, &list.suite].into_iter().find(|name| !name.is_empty()).cloned();
    let names: Vec<Text> = catalog.lists.iter().filter_map(named).collect();
    let is_of = |name: &Text| name.to_lowercase().split(['-', '/']).any(|word| word == own);
    let both = |list: &PackageList| [&list.codename, &list.suite].into_iter().any(is_of);
    if !names.is_empty() && names.len() == catalog.lists.len() && !catalog.lists.iter().any(both) {
        crate::output::warn(&format!("the lists are of {}, and the install is of {own}", names.join(", ")));
    }
}

fn unreadable(path: &Path, error: impl std::error::Error + Send + Sync + 'static) -> CommandError {
    CommandError::Source { path: path.into(), why: error.into() }
}

fn handed_over(lists: &[PathBuf], tally: &Tally) -> Result<Found, CommandError> {
    let mut files = Vec::new();
    for path in lists {
        if path.is_dir() {
            below(path, DEPTH, &mut files)?;
        } else {
            files.push((path.clone(), true));
        }
    }
    let mut read = Vec::new();
    let mut named = Vec::new();
    for (path, is_named) in files {
        let bytes = read_file(&path, FILE_LIMIT).map_err(|error| unreadable(&path, error))?;
        let name = path.to_string_lossy().into_owned();
        if is_named {
            named.push(name.clone());
        }
        read.push((name, bytes));
    }
    let native = tally.packages.iter().find(|package| !package.system.is_sandbox());
    let arch = native.map_or("", |package| match tally.label.arch.as_deref() {
        Some(arch) => arch,
        None => package.arch.as_str(),
    });
    let found = from_files(read, arch);
    // Whatever else lies in a folder is nobody's mistake; a file that was named is.
    for problem in &found.unread {
        if named.iter().any(|name| *name == problem.file) {
            return Err(CommandError::Source {
                path: problem.file.as_str().into(),
                why: problem.why.to_string().into(),
            });
        }
    }
    Ok(Found { catalogs: found.catalogs, programs: found.programs })
}

/// The regular files below a folder, by name.
fn below(folder: &Path, depth: usize, files: &mut Vec<(PathBuf, bool)>) -> Result<(), CommandError> {
    let entries = fs::read_dir(folder).map_err(|error| unreadable(folder, error))?;
    let mut paths: Vec<(PathBuf, fs::FileType)> = Vec::new();
    for entry in entries {
        let entry = entry.map_err(|error| unreadable(folder, error))?;
        paths.push((entry.path(), entry.file_type().map_err(|error| unreadable(folder, error))?));
    }
    paths.sort_by(|a, b| a.0.cmp(&b.0));
    for (path, sort) in paths {
        if sort.is_dir() && depth > 0 {
            below(&path, depth - 1, files)?;
        } else if sort.is_file() && files.len() < FILES {
            files.push((path, false));
        }
    }
    Ok(())
}
