use crate::codec::{Earlier, encode_in_pieces, read_earlier};
use crate::files::{Draft, Lock, clear_left_over};
use crate::{ENDING, ShelfError, read_tally, read_tally_in_brief};
use std::fs;
use std::io::{ErrorKind, Write};
use std::path::{Path, PathBuf};
use std::time::SystemTime;
use tally_core::model::{Tally, slug};

/// How files end that keep what repositories offered.
const OFFER: &str = ".offer.zst";
/// How folders end that keep thumbnails.
const PICTURES: &str = ".pictures";

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

    /// The folder beside a tally that keeps thumbnails of its pictures; it need not be there.
    pub fn pictures_folder(&self, handle: &str) -> PathBuf {
        self.folder.join(format!("{handle}{PICTURES}"))
    }

    /// The file beside a tally that keeps what its repositories offered; it need not be there.
    pub fn offer_file(&self, handle: &str) -> PathBuf {
        self.folder.join(format!("{handle}{OFFER}"))
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
            let entry = entry.map_err(|error| ShelfError::io(&self.folder, error))?;
            let name = entry.file_name();
            let handle = name.to_str().and_then(|name| name.strip_suffix(ENDING)).filter(|h| is_handle(h));
            // Pipes, devices and folders are no tallies, whatever they are called.
            if let Some(handle) = handle
                && (entry.file_type().is_ok_and(|sort| sort.is_file()) || self.file(handle).is_file())
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
        let natural = tally.label.handle.to_string();
        if !is_handle(&natural) {
            return Err(ShelfError::BadHandle { handle: natural });
        }
        let _lock = self.lock()?;
        clear_left_over(&self.folder, SystemTime::now());
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

    /// Waits for the right to change what is on the shelf. The folder is made where there is none.
    ///
    /// # Errors
    /// When the folder can't be made, or not be written to.
    fn lock(&self) -> Result<Lock, ShelfError> {
        fs::create_dir_all(&self.folder).map_err(|error| ShelfError::io(&self.folder, error))?;
        Lock::of(&self.folder).map_err(|error| ShelfError::io(&self.folder, error))
    }

    /// Changes a tally. Nobody else changes anything on the shelf between reading and writing it.
    ///
    /// # Errors
    /// When it is not there, or can't be written; the earlier one stays.
    pub fn change(&self, handle: &str, change: impl FnOnce(&mut Tally)) -> Result<(), ShelfError> {
        if !self.has(handle) {
            return Err(self.unknown(handle));
        }
        let _lock = self.lock()?;
        let mut tally = self.get(handle)?;
        change(&mut tally);
        let path = self.file(handle);
        write_pieces(&path, &encoded(&path, &tally)?, true)
    }

    /// Gives a tally another handle.
    ///
    /// # Errors
    /// When the old handle is not there, or the new one is in use or can't be one.
    pub fn rename(&self, old: &str, new: &str) -> Result<(), ShelfError> {
        if !is_handle(new) {
            return Err(ShelfError::BadHandle { handle: new.to_owned() });
        }
        if !self.has(old) {
            return Err(self.unknown(old));
        }
        let _lock = self.lock()?;
        let mut tally = self.get(old)?;
        tally.label.handle = new.into();
        let path = self.file(new);
        write_pieces(&path, &encoded(&path, &tally)?, false)?;
        match fs::rename(self.offer_file(old), self.offer_file(new)) {
            Err(error) if error.kind() != ErrorKind::NotFound => {
                return Err(ShelfError::io(self.offer_file(old), error));
            }
            _ => {}
        }
        match fs::rename(self.pictures_folder(old), self.pictures_folder(new)) {
            Err(error) if error.kind() != ErrorKind::NotFound => {
                return Err(ShelfError::io(self.pictures_folder(old), error));
            }
            _ => {}
        }
        self.remove(old)
    }

    /// Takes a tally off the shelf for good.
    ///
    /// # Errors
    /// When the handle is not there, or its file can't be removed.
    pub fn drop(&self, handle: &str) -> Result<(), ShelfError> {
        // A file that is no tally may go as well; a folder may not.
        if !is_handle(handle) || self.file(handle).symlink_metadata().is_err() {
            return Err(self.unknown(handle));
        }
        let _lock = self.lock()?;
        self.remove(handle)
    }

    /// Keeps what the repositories of an install offered beside its tally; `None` keeps nothing, and removes what was kept.
    ///
    /// # Errors
    /// When it can't be written, or not be removed.
    pub fn keep_offer(&self, handle: &str, offer: Option<&[u8]>) -> Result<(), ShelfError> {
        if !self.has(handle) {
            return Err(self.unknown(handle));
        }
        let path = self.offer_file(handle);
        match offer {
            Some(bytes) => write_atomically(&path, bytes, true),
            None => match fs::remove_file(&path) {
                Err(error) if error.kind() != ErrorKind::NotFound => Err(ShelfError::io(path, error)),
                _ => Ok(()),
            },
        }
    }

    /// Keeps thumbnails of the pictures of an install beside its tally, each under its name; `None` keeps none, and removes those
    /// that were kept.
    ///
    /// # Errors
    /// When they can't be written, or not be removed.
    pub fn keep_pictures(&self, handle: &str, pictures: Option<&[(&str, &[u8])]>) -> Result<(), ShelfError> {
        if !self.has(handle) {
            return Err(self.unknown(handle));
        }
        write_pictures(&self.pictures_folder(handle), pictures.unwrap_or_default())
    }

    fn remove(&self, handle: &str) -> Result<(), ShelfError> {
        // What is kept beside a tally is worth nothing without it.
        _ = fs::remove_file(self.offer_file(handle));
        _ = fs::remove_dir_all(self.pictures_folder(handle));
        let path = self.file(handle);
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

/// Whether a thumbnail may be called so: 16 hexadecimal digits, and the ending of a picture.
pub fn is_thumbnail(name: &str) -> bool {
    let Some((stem, ending)) = name.split_once('.') else { return false };
    stem.len() == 16
        && stem.bytes().all(|byte| byte.is_ascii_hexdigit())
        && ["jpg", "png", "svg"].contains(&ending)
}

/// Puts a folder of thumbnails in the place of an earlier one; without any there is none.
///
/// # Errors
/// What the system said of the folder.
pub fn write_pictures(folder: &Path, pictures: &[(&str, &[u8])]) -> Result<(), ShelfError> {
    let fail = |error| ShelfError::io(folder.to_owned(), error);
    let part = folder.with_extension(format!("pictures-{}", std::process::id()));
    if !pictures.is_empty() {
        _ = fs::remove_dir_all(&part);
        fs::create_dir_all(&part).map_err(fail)?;
        for (name, bytes) in pictures.iter().filter(|(name, _)| is_thumbnail(name)) {
            fs::write(part.join(name), bytes).map_err(fail)?;
        }
    }
    match fs::remove_dir_all(folder) {
        Err(error) if error.kind() != ErrorKind::NotFound => return Err(fail(error)),
        _ => {}
    }
    if pictures.is_empty() { Ok(()) } else { fs::rename(&part, folder).map_err(fail) }
}

/// Thumbnails of a folder, by name: regular files that are called as thumbnails are, each of at most 256 KiB.
pub fn read_pictures(folder: &Path) -> Vec<(String, Vec<u8>)> {
    let mut found = Vec::new();
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let name = entry.file_name().to_string_lossy().into_owned();
        let plain = entry.metadata().is_ok_and(|data| data.is_file() && data.len() <= 256 << 10);
        if plain
            && is_thumbnail(&name)
            && let Ok(bytes) = fs::read(entry.path())
        {
            found.push((name, bytes));
        }
    }
    found.sort();
    found
}

fn encoded(path: &Path, tally: &Tally) -> Result<Vec<Vec<u8>>, ShelfError> {
    encode_in_pieces(tally)
        .map_err(|error| ShelfError::NoTally { path: path.to_owned(), why: error.to_string() })
}

/// Handles are what [`slug`] leaves as it is.
fn is_handle(text: &str) -> bool {
    !text.is_empty() && text.len() <= 200 && slug(text) == text
}

/// Writes a file as a whole or not at all, as a [`Draft`] does.
///
/// # Errors
/// [`ShelfError::InUse`] when the file is there and `replace` is false; else what the system said.
pub fn write_atomically(path: &Path, bytes: &[u8], replace: bool) -> Result<(), ShelfError> {
    write_pieces(path, &[bytes], replace)
}

/// As [`write_atomically`], with pieces that follow one another.
fn write_pieces(path: &Path, pieces: &[impl AsRef<[u8]>], replace: bool) -> Result<(), ShelfError> {
    let written = Draft::new(path).and_then(|mut draft| {
        pieces.iter().try_for_each(|piece| draft.write_all(piece.as_ref()))?;
        draft.finish(replace)
    });
    written.map_err(|error| match error.kind() {
        ErrorKind::AlreadyExists if !replace => {
            let handle =
                path.file_name().map(|name| name.to_string_lossy().trim_end_matches(ENDING).to_owned());
            ShelfError::InUse { handle: handle.unwrap_or_default() }
        }
        _ => ShelfError::io(path, error),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use tally_core::model::{Label, Medium, Note, Taken};

    fn tally(from: &str) -> Tally {
        let at = "2031-05-02T10:00:00Z".into();
        let taken =
            Taken { at, from: from.into(), medium: Medium::Installed, layer: None, sha256: None, root: None };
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
    fn of_twenty_remarks_at_once_none_is_lost() {
        let dir = tempfile::tempdir().unwrap();
        let shelf = Shelf::new(dir.path());
        shelf.put(&mut tally("one")).unwrap();
        std::thread::scope(|scope| {
            for number in 0..20 {
                let shelf = &shelf;
                scope.spawn(move || {
                    let note = Note { at: "x".into(), ask: None, text: number.to_string().into() };
                    shelf.change("marsh-5", |tally| tally.notes.push(note)).unwrap();
                });
            }
            // The same install is taken meanwhile: its remarks go over.
            for _ in 0..5 {
                let shelf = &shelf;
                scope.spawn(move || shelf.put(&mut tally("one")).unwrap());
            }
        });
        assert_eq!(shelf.get("marsh-5").unwrap().notes.len(), 20);
    }

    #[test]
    fn what_is_no_regular_file_is_no_tally() {
        let dir = tempfile::tempdir().unwrap();
        let shelf = Shelf::new(dir.path());
        let pipe = dir.path().join("pipe.tally.json");
        rustix::fs::mkfifoat(rustix::fs::CWD, &pipe, rustix::fs::Mode::RUSR | rustix::fs::Mode::WUSR)
            .unwrap();
        std::os::unix::fs::symlink("/dev/zero", dir.path().join("zero.tally.json")).unwrap();
        assert_eq!(shelf.handles().unwrap(), Vec::<String>::new());
        for handle in ["pipe", "zero"] {
            assert!(!shelf.has(handle));
            assert!(shelf.get(handle).is_err() && shelf.get_in_brief(handle).is_err());
        }
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
