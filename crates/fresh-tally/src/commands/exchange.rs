//! Tallies that come from another shelf, and go to one.

use super::dataset::{self, WHOLE};
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::signatures::{self, Signer, Signers};
use crate::{offers, output};
use std::collections::BTreeMap;
use std::fs;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use tally_core::model::Tally;
use tally_report::count_of;
use tally_shelf::{
    ENDING, Merged, PACKED_ENDING, decode, is_thumbnail, read_file, read_pictures, stem_of, unpack_tally,
    write_atomically, write_pictures,
};
use tally_trees::{NodeKind, OnDisk, ReadAt, Tree, archive};
use tempfile::TempDir;

/// Folders that are inside one another in an archive.
const DEPTH: usize = 8;
/// Bytes of one file of an archive that is unpacked: 256 MiB, as a tally may have.
const FILE_BYTES: u64 = 256 << 20;
/// Bytes of a list of hashes: 1 MiB.
const LIST_BYTES: u64 = 1 << 20;

/// A tally's file, and what it is called in messages.
struct Given {
    file: PathBuf,
    shown: String,
}

/// What lies beside a tally and goes along with it.
#[derive(Default)]
struct Beside {
    offer: Option<Vec<u8>>,
    pictures: Vec<(String, Vec<u8>)>,
}

/// What was read of a tally's file and of what lies beside it: all that is checked is in here, and nothing is read again.
struct Arrived {
    tally: Tally,
    beside: Beside,
    /// Who signed it.
    by: Option<String>,
}

/// Every file is tried; what is no tally is named, and the rest goes on. With signers nothing is imported unless they signed all of it.
pub(super) fn import(
    given: &[PathBuf],
    signers: Option<&Path>,
    settings: &Settings,
) -> Result<Exit, CommandError> {
    let signers = signers.map(|file| Signers::of(file, &settings.now)).transpose()?;
    let mut files: Vec<Given> = Vec::new();
    // What archives held lies here until it is on the shelf.
    let mut unpacked: Vec<TempDir> = Vec::new();
    for path in given {
        if path.is_dir() {
            let whole = path.join(WHOLE);
            let before = files.len();
            match dataset::is_dataset(path)? {
                true if !whole.is_dir() => return Err(dataset::not_whole(path)),
                true => files.extend(tallies_below(&whole)?),
                false => files.extend(tallies_in(path)?),
            }
            if files.len() == before {
                let why = "it is a folder without tallies";
                return Err(CommandError::Source { path: path.clone(), why: why.into() });
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
        // All of them are checked before any is taken; each is checked once more as it is read to be kept.
        for given in &files {
            signed(given, signers)?;
        }
    }
    let (mut first_error, mut done) = (None, 0);
    for given in &files {
        let shown = &given.shown;
        let merged = arrived(given, signers.as_ref()).and_then(|mut arrived| {
            let merged = settings.shelf.merge(&mut arrived.tally)?;
            Ok((merged, arrived))
        });
        match merged {
            Ok((merged, arrived)) => {
                done += 1;
                by.extend(arrived.by.filter(|who| !by.contains(who)));
                let handle = merged.handle();
                if let Err(error) = arrived.beside.write(&settings.shelf.file(handle), false) {
                    output::warn(&format!("`{shown}`: what is kept beside it was left out: {error}"));
                }
                let said = match &merged {
                    Merged::Added(_) => "is on the shelf as",
                    Merged::Extended(_) => "added its notes to the same tally,",
                    Merged::Known(_) => "was on the shelf before, as",
                };
                output::status(settings, &format!("`{shown}` {said} `{handle}`."));
            }
            Err(error) if first_error.is_none() && files.len() == 1 => return Err(error),
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
        Some(error) => Err(error),
        None => Ok(Exit::Done),
    }
}

/// The list of hashes beside a tally: `NAME.sha256` for `NAME.tally.json`, as `sha256sum` writes and checks it.
fn list_beside(tally: &Path) -> PathBuf {
    tally.with_file_name(format!("{}.sha256", stem(tally)))
}

/// Hashes by name, and who signed for them.
type SignedList = (BTreeMap<String, String>, String);

/// Reads the list of hashes beside a tally, if one of the signers signed it.
fn signed_list(given: &Given, signers: &Signers<'_>) -> Result<SignedList, CommandError> {
    let wrong = |why: String| CommandError::Signature { shown: given.shown.clone(), why };
    let list = list_beside(&given.file);
    let bytes = read_file(&list, LIST_BYTES).map_err(|error| match error.kind() {
        ErrorKind::NotFound => wrong(format!("there is no `{}.sha256` beside it", stem(&given.file))),
        _ => wrong(error.to_string()),
    })?;
    let by = signers.check(&bytes, &list, &given.shown)?;
    let text = String::from_utf8_lossy(&bytes).into_owned();
    let lines = text.lines().filter_map(|line| line.split_once("  "));
    Ok((lines.map(|(hash, name)| (name.to_owned(), hash.to_owned())).collect(), by))
}

fn content(file: &Path) -> Result<Vec<u8>, CommandError> {
    read_file(file, FILE_BYTES)
        .map_err(|error| CommandError::Source { path: file.to_owned(), why: error.into() })
}

/// The content of a tally that the list beside it has, and the list.
fn signed(given: &Given, signers: &Signers<'_>) -> Result<(Vec<u8>, SignedList), CommandError> {
    let list = signed_list(given, signers)?;
    let bytes = content(&given.file)?;
    let name = given.file.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    if list.0.get(&name).is_none_or(|hash| *hash != sha256_text(&bytes)) {
        let why = "the list that was signed has another content for it".to_owned();
        return Err(CommandError::Signature { shown: given.shown.clone(), why });
    }
    Ok((bytes, list))
}

/// Reads a tally and what lies beside it, each once. With signers all of it has to be in the list that they signed; what lies beside it
/// and is not is left behind, and said.
fn arrived(given: &Given, signers: Option<&Signers<'_>>) -> Result<Arrived, CommandError> {
    let Given { file, shown } = given;
    let (bytes, list) = match signers {
        Some(signers) => signed(given, signers).map(|(bytes, list)| (bytes, Some(list)))?,
        None => (content(file)?, None),
    };
    let mut beside = Beside::read(file);
    let mut by = None;
    if let Some((hashes, who)) = list {
        let fits =
            |name: &str, bytes: &[u8]| hashes.get(name).is_some_and(|hash| *hash == sha256_text(bytes));
        let of = stem(file);
        let before = beside.count();
        beside.offer = beside.offer.filter(|bytes| fits(&format!("{of}.offer.zst"), bytes));
        beside.pictures.retain(|(name, bytes)| fits(&format!("{of}.pictures/{name}"), bytes));
        let left = before - beside.count();
        if left > 0 {
            let files = count_of(left as u64, "file");
            output::warn(&format!("`{shown}`: {files} beside it left out, which nobody signed"));
        }
        by = Some(who);
    }
    Ok(Arrived { tally: decode(file, &unpack_tally(file, bytes)?)?, beside, by })
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
    let is_tally = stem_of(name).is_some() || name.ends_with(".sha256") || name.ends_with(".sha256.sig");
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
        let why = "it is an archive without tallies";
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
    let signer = key.map(Signer::of).transpose()?;
    let fail = |source| CommandError::Output { to: format!("`{}`", folder.display()), source };
    fs::create_dir_all(folder).map_err(fail)?;
    for handle in handles {
        let tally = settings.shelf.get(handle)?.for_others();
        let ending = if settings.config.compress { PACKED_ENDING } else { ENDING };
        let file = folder.join(format!("{handle}{ending}"));
        let bytes = output::tally(&file, &tally)?;
        let beside = Beside::read(&settings.shelf.file(handle));
        beside.write(&file, true).map_err(fail)?;
        let (list, name) = (list_beside(&file), format!("{handle}{ending}"));
        match &signer {
            Some(signer) => {
                let hashes = beside.hashes(handle, &name, &bytes);
                output::file(&list, hashes.as_bytes())?;
                output::file(&signatures::beside(&list), &signer.sign(hashes.as_bytes())?)?;
            }
            // A list of an earlier copy says nothing of this one.
            None => {
                [&list, &signatures::beside(&list)].into_iter().for_each(|file| _ = fs::remove_file(file));
            }
        }
    }
    let signed = if signer.is_some() { ", each with a signed list of its files" } else { "" };
    let of = count_of(handles.len() as u64, "tally");
    output::status(settings, &format!("Copied {of} to `{}`{signed}.", folder.display()));
    Ok(())
}

impl Beside {
    /// Reads what lies beside a tally: regular files alone, within bounds.
    fn read(tally: &Path) -> Self {
        Self {
            offer: read_file(&offers::beside(tally), FILE_BYTES).ok(),
            pictures: read_pictures(&pictures_beside(tally)),
        }
    }

    fn count(&self) -> usize {
        self.pictures.len() + usize::from(self.offer.is_some())
    }

    /// Writes it beside another tally; what is there already stays where it may not be replaced.
    fn write(&self, to: &Path, replace: bool) -> std::io::Result<()> {
        let to_pictures = pictures_beside(to);
        if !self.pictures.is_empty() && (replace || !to_pictures.exists()) {
            let named: Vec<(&str, &[u8])> =
                self.pictures.iter().map(|(name, bytes)| (name.as_str(), bytes.as_slice())).collect();
            write_pictures(&to_pictures, &named).map_err(std::io::Error::other)?;
        }
        let to_offer = offers::beside(to);
        match &self.offer {
            Some(bytes) if replace || !to_offer.exists() => {
                write_atomically(&to_offer, bytes, true).map_err(std::io::Error::other)
            }
            _ => Ok(()),
        }
    }

    /// The list of hashes of a tally and of this, as `sha256sum` writes it.
    fn hashes(&self, handle: &str, name: &str, tally: &[u8]) -> String {
        let line = |name: &str, bytes: &[u8]| format!("{}  {name}\n", sha256_text(bytes));
        let offer = self.offer.iter().map(|bytes| line(&format!("{handle}.offer.zst"), bytes));
        let pictures =
            self.pictures.iter().map(|(name, bytes)| line(&format!("{handle}.pictures/{name}"), bytes));
        std::iter::once(line(name, tally)).chain(offer).chain(pictures).collect()
    }
}

/// The SHA-256 of some bytes, lower case.
fn sha256_text(bytes: &[u8]) -> String {
    use sha2::{Digest, Sha256};
    use std::fmt::Write;
    Sha256::digest(bytes).iter().fold(String::with_capacity(64), |mut text, byte| {
        _ = write!(text, "{byte:02x}");
        text
    })
}

/// The name of a tally's file without its ending.
fn stem(tally: &Path) -> String {
    let name = tally.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    stem_of(&name).or_else(|| name.strip_suffix(".json")).unwrap_or(&name).to_owned()
}

/// The folder of thumbnails beside a tally: `NAME.pictures` for `NAME.tally.json`.
pub(crate) fn pictures_beside(tally: &Path) -> PathBuf {
    tally.with_file_name(format!("{}.pictures", stem(tally)))
}
