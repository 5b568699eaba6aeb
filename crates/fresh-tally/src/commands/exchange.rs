//! Tallies that come from another shelf, and go to one.

use super::dataset::{self, WHOLE};
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::signatures::{self, Signer, Signers};
use crate::{offers, output};
use std::fs;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use tally_report::count_of;
use tally_shelf::{
    ENDING, Merged, PACKED_ENDING, is_thumbnail, read_pictures, read_tally, stem_of, write_atomically,
    write_pictures,
};
use tally_trees::{NodeKind, OnDisk, ReadAt, Tree, archive};
use tempfile::TempDir;

/// Folders that are inside one another in an archive.
const DEPTH: usize = 8;
/// Bytes of one file of an archive that is unpacked: 256 MiB, as a tally may have.
const FILE_BYTES: u64 = 256 << 20;

/// A tally's file, and what it is called in messages.
struct Given {
    file: PathBuf,
    shown: String,
}

/// Every file is tried; what is no tally is named, and the rest goes on. With signers nothing is imported unless they signed all of it.
pub(super) fn import(
    given: &[PathBuf],
    signers: Option<&Path>,
    settings: &Settings,
) -> Result<Exit, CommandError> {
    let signers = signers.map(Signers::read).transpose()?;
    let mut files: Vec<Given> = Vec::new();
    // What archives held lies here until it is on the shelf.
    let mut unpacked: Vec<TempDir> = Vec::new();
    for path in given {
        if path.is_dir() {
            let whole = path.join(WHOLE);
            match dataset::is_dataset(path)? {
                true if !whole.is_dir() => return Err(dataset::not_whole(path)),
                true => files.extend(tallies_below(&whole)?),
                false => files.extend(tallies_in(path)?),
            }
        } else if let Some((folder, found)) = tallies_of_archive(path)? {
            files.extend(found);
            unpacked.push(folder);
        } else {
            files.push(Given { file: path.clone(), shown: path.display().to_string() });
        }
    }
    let mut by: Vec<String> = Vec::new();
    if let Some(signers) = &signers {
        for Given { file, shown } in &files {
            let who = signers.check(file, shown, &settings.now)?;
            if !by.contains(&who) {
                by.push(who);
            }
        }
    }
    let (mut first_error, mut done) = (None, 0);
    for Given { file, shown } in &files {
        match read_tally(file).and_then(|mut tally| settings.shelf.merge(&mut tally)) {
            Ok(merged) => {
                done += 1;
                let handle = merged.handle();
                if let Err(error) = carry(file, &settings.shelf.file(handle), false) {
                    output::warn(&format!("`{shown}`: what is kept beside it was left out: {error}"));
                }
                let said = match &merged {
                    Merged::Added(_) => "is on the shelf as",
                    Merged::Extended(_) => "added its notes to the same tally,",
                    Merged::Known(_) => "was on the shelf before, as",
                };
                output::status(settings, &format!("`{shown}` {said} `{handle}`."));
            }
            Err(error) if first_error.is_none() && files.len() == 1 => return Err(error.into()),
            Err(error) => {
                output::warn(&format!("left out: {error}"));
                first_error.get_or_insert(error);
            }
        }
    }
    let signed = if by.is_empty() { String::new() } else { format!(" Signed by {}.", by.join(", ")) };
    let of = count_of(files.len() as u64, "file");
    output::status(settings, &format!("Imported {done} of {of}.{signed}"));
    match first_error {
        Some(error) => Err(error.into()),
        None => Ok(Exit::Done),
    }
}

/// The tallies in a folder, and in none of its folders.
fn tallies_in(folder: &Path) -> Result<Vec<Given>, CommandError> {
    let fail = |error: std::io::Error| CommandError::Source { path: folder.into(), why: error.into() };
    let mut found = Vec::new();
    for entry in fs::read_dir(folder).map_err(fail)? {
        let file = entry.map_err(fail)?.path();
        if file.file_name().and_then(|name| name.to_str()).and_then(stem_of).is_some() {
            found.push(Given { shown: file.display().to_string(), file });
        }
    }
    found.sort_by(|a, b| a.file.cmp(&b.file));
    Ok(found)
}

/// The tallies of a dataset: those in the folders below one.
fn tallies_below(folder: &Path) -> Result<Vec<Given>, CommandError> {
    let fail = |error: std::io::Error| CommandError::Source { path: folder.into(), why: error.into() };
    let mut found = Vec::new();
    for entry in fs::read_dir(folder).map_err(fail)? {
        let entry = entry.map_err(fail)?;
        if entry.file_type().map_err(fail)?.is_dir() {
            found.extend(tallies_in(&entry.path())?);
        }
    }
    found.sort_by(|a, b| a.file.cmp(&b.file));
    Ok(found)
}

/// Whether a file of an archive is a tally, or lies beside one.
fn is_carried(path: &Path) -> bool {
    let name = path.file_name().and_then(|name| name.to_str()).unwrap_or_default();
    let is_tally = stem_of(name.strip_suffix(".sig").unwrap_or(name)).is_some();
    let in_pictures = path.parent().is_some_and(|folder| folder.to_string_lossy().ends_with(".pictures"));
    is_tally || name.ends_with(".offer.zst") || (in_pictures && is_thumbnail(name))
}

/// The tallies of an archive, unpacked into a folder that is gone with the first value; `None` for what is no archive.
fn tallies_of_archive(path: &Path) -> Result<Option<(TempDir, Vec<Given>)>, CommandError> {
    let fail = |error: std::io::Error| CommandError::Source { path: path.into(), why: error.into() };
    let file = tally_shelf::open_file(path).map_err(fail)?;
    if tally_shelf::is_tally(path) {
        return Ok(None);
    }
    let bytes: Arc<dyn ReadAt> = Arc::new(OnDisk::new(file).map_err(fail)?);
    let Some((tree, damage)) = archive(&bytes).map_err(fail)? else { return Ok(None) };
    if let Some(damage) = damage {
        output::warn(&format!("`{}` breaks off: {damage}", path.display()));
    }
    let folder = tempfile::tempdir().map_err(fail)?;
    let mut found = Vec::new();
    let mut waiting = vec![PathBuf::new()];
    while let Some(inner) = waiting.pop() {
        let Ok(entries) = tree.list(&inner) else { continue };
        for entry in entries {
            let name = inner.join(&entry.name);
            match entry.kind {
                NodeKind::Folder if name.components().count() < DEPTH => waiting.push(name),
                NodeKind::File if is_carried(&name) => {
                    let shown = format!("{}: {}", path.display(), name.display());
                    match unpack(tree.as_ref(), &name, folder.path()) {
                        Ok(file)
                            if file
                                .file_name()
                                .and_then(|name| name.to_str())
                                .and_then(stem_of)
                                .is_some() =>
                        {
                            found.push(Given { file, shown });
                        }
                        Ok(_) => {}
                        Err(error) => output::warn(&format!("`{shown}`: left out: {error}")),
                    }
                }
                _ => {}
            }
        }
    }
    if found.is_empty() {
        let why = "is an archive without tallies";
        return Err(CommandError::Source { path: path.into(), why: why.into() });
    }
    found.sort_by(|a, b| a.shown.cmp(&b.shown));
    Ok(Some((folder, found)))
}

/// Unpacks a file of an archive below a folder; names of a tree lead nowhere else.
fn unpack(tree: &dyn Tree, name: &Path, folder: &Path) -> std::io::Result<PathBuf> {
    let mut content = Vec::new();
    tree.read_into(name, FILE_BYTES, &mut content).map_err(std::io::Error::other)?;
    let to = folder.join(name);
    fs::create_dir_all(to.parent().unwrap_or(folder))?;
    fs::write(&to, content)?;
    Ok(to)
}

/// Copies tallies into a folder, in the form that the shelf writes, and signs them where a key is given.
pub(super) fn copy(
    handles: &[String],
    folder: &Path,
    key: Option<&Path>,
    settings: &Settings,
) -> Result<(), CommandError> {
    let signer = key.map(Signer::read).transpose()?;
    let fail = |source| CommandError::Output { to: format!("`{}`", folder.display()), source };
    fs::create_dir_all(folder).map_err(fail)?;
    for handle in handles {
        let tally = settings.shelf.get(handle)?;
        let ending = if settings.config.compress { PACKED_ENDING } else { ENDING };
        let file = folder.join(format!("{handle}{ending}"));
        let bytes = output::tally(&file, &tally)?;
        if let Some(signer) = &signer {
            output::file(&signatures::beside(&file), &signer.sign(&bytes)?)?;
        }
        carry(&settings.shelf.file(handle), &file, true).map_err(fail)?;
    }
    let signed = if signer.is_some() { ", each with a signature" } else { "" };
    let of = count_of(handles.len() as u64, "tally");
    output::status(settings, &format!("Copied {of} to `{}`{signed}.", folder.display()));
    Ok(())
}

/// What is kept beside a tally goes along with it; what is there already stays where it may not be replaced.
fn carry(tally: &Path, to: &Path, replace: bool) -> std::io::Result<()> {
    let pictures = read_pictures(&pictures_beside(tally));
    let to_pictures = pictures_beside(to);
    if !pictures.is_empty() && (replace || !to_pictures.exists()) {
        let named: Vec<(&str, &[u8])> =
            pictures.iter().map(|(name, bytes)| (name.as_str(), bytes.as_slice())).collect();
        write_pictures(&to_pictures, &named).map_err(std::io::Error::other)?;
    }
    let to_offer = offers::beside(to);
    if !replace && to_offer.exists() {
        return Ok(());
    }
    match fs::read(offers::beside(tally)) {
        Ok(bytes) => write_atomically(&to_offer, &bytes, true).map_err(std::io::Error::other),
        Err(error) if error.kind() == ErrorKind::NotFound => Ok(()),
        Err(error) => Err(error),
    }
}

/// The folder of thumbnails beside a tally: `NAME.pictures` for `NAME.tally.json`.
pub(crate) fn pictures_beside(tally: &Path) -> PathBuf {
    let name = tally.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let stem = stem_of(&name).or_else(|| name.strip_suffix(".json")).unwrap_or(&name);
    tally.with_file_name(format!("{stem}.pictures"))
}
