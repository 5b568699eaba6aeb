use crate::codec::{Earlier, encode_in_pieces, read_earlier};
use crate::{ENDING, ShelfError, read_tally, read_tally_in_brief};
use std::fs;
use std::io::{ErrorKind, Write};
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};
use tally_core::model::{Tally, slug};

/// A folder of tallies. It is made when the first one is put into it.
#[derive(Debug, Clone)]
pub struct Shelf {
    folder: PathBuf,
}

/// What came of putting a tally on the shelf.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Put {
    /// The handle that it has now.
    pub handle: String,
    /// Whether it took the place of an earlier tally of the same source.
    pub replaced: bool,
}

impl Shelf {
    /// A shelf in this folder, which need not exist yet.
    pub fn new(folder: impl Into<PathBuf>) -> Self {
        Self { folder: folder.into() }
    }

    /// The folder.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// The file of a handle.
    pub fn file(&self, handle: &str) -> PathBuf {
        self.folder.join(format!("{handle}{ENDING}"))
    }

    /// Whether a tally of that handle is there.
    pub fn has(&self, handle: &str) -> bool {
        is_handle(handle) && self.file(handle).is_file()
    }

    /// All handles, sorted; none when the folder does not exist.
    ///
    /// # Errors
    /// When the folder can't be read.
    pub fn handles(&self) -> Result<Vec<String>, ShelfError> {
        let entries = match fs::read_dir(&self.folder) {
            Ok(entries) => entries,
            Err(error) if error.kind() == ErrorKind::NotFound => return Ok(Vec::new()),
            Err(error) => return Err(ShelfError::io(&self.folder, error)),
        };
        let mut handles = Vec::new();
        for entry in entries {
            let name = entry.map_err(|error| ShelfError::io(&self.folder, error))?.file_name();
            if let Some(handle) =
                name.to_str().and_then(|name| name.strip_suffix(ENDING)).filter(|h| is_handle(h))
            {
                handles.push(handle.to_owned());
            }
        }
        handles.sort();
        Ok(handles)
    }

    /// Reads a tally.
    ///
    /// # Errors
    /// [`ShelfError::Unknown`] when the handle is not there, else what is wrong with its file.
    pub fn get(&self, handle: &str) -> Result<Tally, ShelfError> {
        self.read(handle, read_tally)
    }

    /// Reads of a tally what comparing takes, as [`read_tally_in_brief`] does.
    ///
    /// # Errors
    /// As [`Shelf::get`].
    pub fn get_in_brief(&self, handle: &str) -> Result<Tally, ShelfError> {
        self.read(handle, read_tally_in_brief)
    }

    fn read(&self, handle: &str, by: fn(&Path) -> Result<Tally, ShelfError>) -> Result<Tally, ShelfError> {
        let path = self.file(handle);
        match by(&path) {
            Err(ShelfError::Io { source, .. }) if source.kind() == ErrorKind::NotFound => {
                Err(self.unknown(handle))
            }
            other => other,
        }
    }

    /// Puts a tally under its own handle.
    ///
    /// A tally that was taken from the same source is replaced; its notes and the figures read by hand go over to the new one. When another install
    /// has the handle, a number is added: `fenland-13-2`.
    ///
    /// # Errors
    /// When the folder can't be made or written; nothing half-written stays behind.
    pub fn put(&self, tally: &mut Tally) -> Result<Put, ShelfError> {
        fs::create_dir_all(&self.folder).map_err(|error| ShelfError::io(&self.folder, error))?;
        clear_left_over(&self.folder, SystemTime::now());
        let natural = tally.label.handle.to_string();
        if !is_handle(&natural) {
            return Err(ShelfError::BadHandle { handle: natural });
        }
        for number in 1_u32.. {
            let handle = if number == 1 { natural.clone() } else { format!("{natural}-{number}") };
            tally.label.handle = handle.as_str().into();
            let path = self.file(&handle);
            let earlier = read_earlier(&path);
            let same_source = |earlier: &Earlier| {
                (&earlier.taken.from, &earlier.taken.layer) == (&tally.taken.from, &tally.taken.layer)
            };
            if let Some(earlier) = earlier.filter(same_source) {
                if tally.notes.is_empty() {
                    tally.notes = earlier.notes;
                }
                tally.readings.extend(earlier.readings.into_iter().filter(|reading| reading.by == "hand"));
                write_pieces(&path, &encoded(&path, tally)?, true)?;
                return Ok(Put { handle, replaced: true });
            }
            // Another install has it. It may also take it in this moment: then writing says so.
            if path.symlink_metadata().is_ok() {
                continue;
            }
            match write_pieces(&path, &encoded(&path, tally)?, false) {
                Err(ShelfError::InUse { .. }) => {}
                other => return other.map(|()| Put { handle, replaced: false }),
            }
        }
        Err(ShelfError::InUse { handle: natural })
    }

    /// Writes a tally back under the handle it was read from.
    ///
    /// # Errors
    /// When it can't be written; the earlier one stays.
    pub fn keep(&self, handle: &str, tally: &Tally) -> Result<(), ShelfError> {
        let path = self.file(handle);
        write_pieces(&path, &encoded(&path, tally)?, true)
    }

    /// Gives a tally another handle.
    ///
    /// # Errors
    /// When the old handle is not there, or the new one is in use or can't be one.
    pub fn rename(&self, old: &str, new: &str) -> Result<(), ShelfError> {
        if !is_handle(new) {
            return Err(ShelfError::BadHandle { handle: new.to_owned() });
        }
        let mut tally = self.get(old)?;
        tally.label.handle = new.into();
        let path = self.file(new);
        write_pieces(&path, &encoded(&path, &tally)?, false)?;
        self.drop(old)
    }

    /// Takes a tally off the shelf for good.
    ///
    /// # Errors
    /// When the handle is not there, or its file can't be removed.
    pub fn drop(&self, handle: &str) -> Result<(), ShelfError> {
        let path = self.file(handle);
        if !is_handle(handle) {
            return Err(self.unknown(handle));
        }
        match fs::remove_file(&path) {
            Ok(()) => Ok(()),
            Err(error) if error.kind() == ErrorKind::NotFound => Err(self.unknown(handle)),
            Err(error) => Err(ShelfError::io(path, error)),
        }
    }

    fn unknown(&self, handle: &str) -> ShelfError {
        let mut near: Vec<String> = self.handles().unwrap_or_default();
        near.retain(|known| known.contains(handle) || handle.contains(known.as_str()));
        ShelfError::Unknown { handle: handle.to_owned(), near }
    }
}

fn encoded(path: &Path, tally: &Tally) -> Result<Vec<Vec<u8>>, ShelfError> {
    encode_in_pieces(tally)
        .map_err(|error| ShelfError::NoTally { path: path.to_owned(), why: error.to_string() })
}

/// How the neighbours begin that files are written into first.
const NEIGHBOUR: &str = ".fresh-tally-";

/// Nobody writes a file for so long.
const LEFT_OVER: Duration = Duration::from_secs(3600);

/// Removes what programs left that were killed while they wrote. What can't be removed harms nobody.
fn clear_left_over(folder: &Path, now: SystemTime) {
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let is_ours = entry.file_name().to_string_lossy().starts_with(NEIGHBOUR);
        let changed = || entry.metadata().and_then(|data| data.modified()).ok();
        let is_old = |changed: SystemTime| now.duration_since(changed).is_ok_and(|age| age > LEFT_OVER);
        if is_ours && changed().is_some_and(is_old) {
            _ = fs::remove_file(entry.path());
        }
    }
}

/// Handles are what [`slug`] leaves as it is.
fn is_handle(text: &str) -> bool {
    !text.is_empty() && text.len() <= 200 && slug(text) == text
}

/// How the names of files begin that this process has not finished writing.
pub fn unfinished() -> String {
    format!("{NEIGHBOUR}{}-", std::process::id())
}

/// Writes a file as a whole or not at all: into a neighbour first, then under its name.
///
/// A program that is killed leaves the old file or the new one. Disks are not forced to catch up: a tally can be taken
/// again, and waiting for the disk would cost more than taking it.
///
/// # Errors
/// [`ShelfError::InUse`] when the file is there and `replace` is false; else what the system said. The neighbour is
/// removed in every case.
pub fn write_atomically(path: &Path, bytes: &[u8], replace: bool) -> Result<(), ShelfError> {
    write_pieces(path, &[bytes], replace)
}

/// As [`write_atomically`], with pieces that follow one another.
fn write_pieces(path: &Path, pieces: &[impl AsRef<[u8]>], replace: bool) -> Result<(), ShelfError> {
    let fail = |error| ShelfError::io(path, error);
    let folder = path.parent().filter(|parent| !parent.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut file = tempfile::Builder::new().prefix(&unfinished()).tempfile_in(folder).map_err(fail)?;
    pieces.iter().try_for_each(|piece| file.write_all(piece.as_ref())).map_err(fail)?;
    let mode = std::os::unix::fs::PermissionsExt::from_mode(0o644);
    file.as_file().set_permissions(mode).map_err(fail)?;
    let result = if replace { file.persist(path) } else { file.persist_noclobber(path) };
    match result {
        Ok(_) => Ok(()),
        Err(error) if error.error.kind() == ErrorKind::AlreadyExists => {
            let handle =
                path.file_name().map(|name| name.to_string_lossy().trim_end_matches(ENDING).to_owned());
            Err(ShelfError::InUse { handle: handle.unwrap_or_default() })
        }
        Err(error) => Err(fail(error.error)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_core::model::{Label, Medium, Note, Taken};

    fn tally(from: &str) -> Tally {
        let at = "2031-05-02T10:00:00Z".into();
        let taken = Taken { at, from: from.into(), medium: Medium::Installed, layer: None, sha256: None };
        let label = Label { handle: "marsh-5".into(), ..Label::default() };
        Tally::new("test", taken, label)
    }

    #[test]
    fn another_install_gets_a_number_and_the_same_one_is_replaced() {
        let dir = tempfile::tempdir().unwrap();
        let shelf = Shelf::new(dir.path().join("not/yet"));
        assert!(shelf.handles().unwrap().is_empty());
        let mut first = tally("one");
        first.notes.push(Note { at: "x".into(), ask: None, text: "kept".into() });
        assert_eq!(shelf.put(&mut first).unwrap().handle, "marsh-5");
        assert_eq!(
            shelf.put(&mut tally("two")).unwrap(),
            Put { handle: "marsh-5-2".into(), replaced: false }
        );
        assert_eq!(shelf.put(&mut tally("one")).unwrap(), Put { handle: "marsh-5".into(), replaced: true });
        assert_eq!(shelf.get("marsh-5").unwrap().notes[0].text, "kept");
        assert_eq!(shelf.handles().unwrap(), ["marsh-5", "marsh-5-2"]);
        let left: Vec<_> = fs::read_dir(shelf.folder()).unwrap().collect();
        assert_eq!(left.len(), 2, "no half-written neighbour");
    }

    #[test]
    fn what_a_killed_program_left_is_cleared_once_it_is_old() {
        let dir = tempfile::tempdir().unwrap();
        for name in [".fresh-tally-abc", ".mine", "notes.txt"] {
            fs::write(dir.path().join(name), "half").unwrap();
        }
        let names = || {
            let mut names: Vec<_> =
                fs::read_dir(dir.path()).unwrap().map(|e| e.unwrap().file_name()).collect();
            names.sort();
            names
        };
        clear_left_over(dir.path(), SystemTime::now());
        assert_eq!(names().len(), 3, "somebody may be writing it");
        clear_left_over(dir.path(), SystemTime::now() + 2 * LEFT_OVER);
        assert_eq!(names(), [".mine", "notes.txt"]);
    }

    #[test]
    fn renaming_never_overwrites() {
        let dir = tempfile::tempdir().unwrap();
        let shelf = Shelf::new(dir.path());
        shelf.put(&mut tally("one")).unwrap();
        shelf.put(&mut tally("two")).unwrap();
        assert!(matches!(shelf.rename("marsh-5", "marsh-5-2"), Err(ShelfError::InUse { .. })));
        assert!(matches!(shelf.rename("marsh-5", "../x"), Err(ShelfError::BadHandle { .. })));
        shelf.rename("marsh-5", "bittern").unwrap();
        assert_eq!(shelf.get("bittern").unwrap().label.handle, "bittern");
        assert!(matches!(shelf.get("marsh"), Err(ShelfError::Unknown { near, .. }) if near == ["marsh-5-2"]));
        assert!(matches!(shelf.drop("../x"), Err(ShelfError::Unknown { .. })));
    }
}
