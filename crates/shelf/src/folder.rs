use crate::codec::encode_in_pieces;
use crate::files::{Draft, Lock, clear_left_over};
use crate::packed::pack;
use crate::pictures::write_pictures;
use crate::same::{is_of_source, is_same, is_same_install};
use crate::{ENDING, PACKED_ENDING, ShelfError, read_tally, read_tally_in_brief, stem_of};
use std::fs;
use std::io::{ErrorKind, Write};
use std::path::{Path, PathBuf};
use std::time::SystemTime;
use tally_core::model::{Note, Reading, Tally, slug};

/// How files end that keep what repositories offered.
const OFFER: &str = ".offer.zst";
/// How folders end that keep thumbnails.
const PICTURES: &str = ".pictures";
/// How files end that keep the notes of a tally that was dropped.
const DROPPED: &str = ".dropped.json";

/// A folder of tallies. It is made when the first one is put into it.
#[derive(Debug, Clone)]
pub struct Shelf {
    folder: PathBuf,
    packs: bool,
    /// Whether there is no place for it: nothing is on it, and nothing can be put there.
    is_nowhere: bool,
}

/// What came of putting a tally on the shelf.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Put {
    /// The handle that it has now.
    pub handle: String,
    /// Whether it took the place of an earlier tally.
    pub replaced: bool,
    /// An earlier tally of the same source, which is another install by now and stays.
    pub earlier: Option<String>,
}

/// Whose place a tally may take, beside that of the same install.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Replacing {
    /// Nobody's.
    Never,
    /// That of an earlier tally of the same source.
    Source,
    /// That of whatever has its handle.
    Handle,
}

/// What came of merging a tally of another shelf into this one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Merged {
    /// It is new here, under this handle.
    Added(String),
    /// The same tally is here under this handle, and got notes or figures that were read by hand.
    Extended(String),
    /// The same tally is here under this handle, with all that.
    Known(String),
}

impl Merged {
    /// The handle that it has here.
    pub fn handle(&self) -> &str {
        match self {
            Self::Added(handle) | Self::Extended(handle) | Self::Known(handle) => handle,
        }
    }
}

impl Shelf {
    /// A shelf in this folder, which need not exist yet.
    pub fn new(folder: impl Into<PathBuf>) -> Self {
        Self { folder: folder.into(), packs: false, is_nowhere: false }
    }

    /// A shelf for which there is no place: nothing is on it, and nothing can be put there.
    pub fn nowhere() -> Self {
        // No file can be below this one.
        Self { folder: "/dev/null/no-shelf".into(), packs: false, is_nowhere: true }
    }

    pub(crate) fn is_somewhere(&self) -> Result<(), ShelfError> {
        if self.is_nowhere { Err(ShelfError::Nowhere) } else { Ok(()) }
    }

    /// The same, with tallies compressed as they are written, or not. Both are read wherever they lie.
    #[must_use]
    pub fn packing(self, packs: bool) -> Self {
        Self { packs, ..self }
    }

    /// The folder.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// The file of a handle: compressed where only that is there.
    pub fn file(&self, handle: &str) -> PathBuf {
        let [plain, packed] = self.both(handle);
        let only_packed = plain.symlink_metadata().is_err() && packed.symlink_metadata().is_ok();
        if only_packed { packed } else { plain }
    }

    /// The file of a handle, and what it would be compressed.
    fn both(&self, handle: &str) -> [PathBuf; 2] {
        [ENDING, PACKED_ENDING].map(|ending| self.folder.join(format!("{handle}{ending}")))
    }

    /// Writes a tally in the form of this shelf; one of the other form is gone then.
    fn write(&self, handle: &str, tally: &Tally, replace: bool) -> Result<(), ShelfError> {
        let [plain, packed] = self.both(handle);
        let pieces = encode_in_pieces(tally)
            .map_err(|error| ShelfError::NoTally { path: plain.clone(), why: error.to_string() })?;
        let other = if self.packs {
            write_pieces(&packed, &[pack(&pieces.concat())], replace)?;
            plain
        } else {
            write_pieces(&plain, &pieces, replace)?;
            packed
        };
        match fs::remove_file(&other) {
            Err(error) if error.kind() != ErrorKind::NotFound => Err(ShelfError::io(other, error)),
            _ => Ok(()),
        }
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
            Err(error) if error.kind() == ErrorKind::NotFound || self.is_nowhere => return Ok(Vec::new()),
            Err(error) => return Err(ShelfError::io(&self.folder, error)),
        };
        let mut handles = Vec::new();
        for entry in entries {
            let entry = entry.map_err(|error| ShelfError::io(&self.folder, error))?;
            let name = entry.file_name();
            let handle = name.to_str().and_then(stem_of).filter(|h| is_handle(h));
            // Pipes, devices and folders are no tallies, whatever they are called.
            if let Some(handle) = handle
                && (entry.file_type().is_ok_and(|sort| sort.is_file()) || self.file(handle).is_file())
            {
                handles.push(handle.to_owned());
            }
        }
        handles.sort();
        // Of one that is there in both forms the one that is not compressed counts.
        handles.dedup();
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
    /// The same install taken once more takes the place of its earlier tally, whose notes and figures read by hand go over to the new one:
    /// it is the same by its packages, its source, its root in a disk and its layer, or by all that is said of it. Another install never
    /// takes anyone's place unless that is asked for; where its handle is in use a number is added: `fenland-13-2`.
    ///
    /// # Errors
    /// When the folder can't be made or written; nothing half-written stays behind.
    pub fn put(&self, tally: &mut Tally, replacing: Replacing) -> Result<Put, ShelfError> {
        let (natural, _lock) = self.place_for(tally)?;
        let mut of_source = None;
        for handle in numbered(&natural) {
            tally.label.handle = handle.as_str().into();
            let path = self.file(&handle);
            if path.symlink_metadata().is_err() {
                match self.write(&handle, tally, false) {
                    // Another install takes it in this moment.
                    Err(ShelfError::InUse { .. }) => continue,
                    other => return other.map(|()| Put { handle, replaced: false, earlier: of_source }),
                }
            }
            // A file that can't be read is somebody's as well.
            let Ok(earlier) = read_tally(&path) else { continue };
            let is_asked = match replacing {
                Replacing::Never => false,
                Replacing::Source => is_of_source(&earlier, tally),
                Replacing::Handle => true,
            };
            if is_asked || is_same_install(&earlier, tally) {
                if tally.notes.is_empty() {
                    tally.notes = earlier.notes;
                }
                tally.readings.extend(earlier.readings.into_iter().filter(|reading| reading.by == "hand"));
                self.write(&handle, tally, true)?;
                return Ok(Put { handle, replaced: true, earlier: None });
            }
            if of_source.is_none() && is_of_source(&earlier, tally) {
                of_source = Some(handle);
            }
        }
        Err(ShelfError::InUse { handle: natural })
    }

    /// Puts a tally of another shelf beside what is here, and takes nothing away: the very same tally is there once, with the notes and
    /// the figures read by hand of both; another one gets a number behind its handle.
    ///
    /// # Errors
    /// As [`Shelf::put`].
    pub fn merge(&self, tally: &mut Tally) -> Result<Merged, ShelfError> {
        let (natural, _lock) = self.place_for(tally)?;
        for handle in numbered(&natural) {
            tally.label.handle = handle.as_str().into();
            let path = self.file(&handle);
            if path.symlink_metadata().is_err() {
                self.write(&handle, tally, false)?;
                return Ok(Merged::Added(handle));
            }
            // What can't be read is another one.
            let Ok(mut known) = read_tally(&path) else { continue };
            if !is_same(&known, tally) {
                continue;
            }
            let before = (known.notes.len(), known.readings.len());
            let missing = |notes: &[Note], note: &Note| !notes.contains(note);
            let notes = tally.notes.iter().filter(|note| missing(&known.notes, note)).cloned();
            let readings = tally.readings.iter().filter(|one| !known.readings.contains(one)).cloned();
            let (notes, readings): (Vec<Note>, Vec<Reading>) = (notes.collect(), readings.collect());
            known.notes.extend(notes);
            known.notes.sort_by(|a, b| a.at.cmp(&b.at));
            known.readings.extend(readings);
            if before == (known.notes.len(), known.readings.len()) {
                return Ok(Merged::Known(handle));
            }
            self.write(&handle, &known, true)?;
            return Ok(Merged::Extended(handle));
        }
        Err(ShelfError::InUse { handle: natural })
    }

    /// The handle that a tally asks for, and the right to change what is on the shelf.
    fn place_for(&self, tally: &Tally) -> Result<(String, Lock), ShelfError> {
        let natural = tally.label.handle.to_string();
        if !is_handle(&natural) {
            return Err(ShelfError::BadHandle { handle: natural });
        }
        let lock = self.lock()?;
        clear_left_over(&self.folder, SystemTime::now());
        Ok((natural, lock))
    }

    /// Waits for the right to change what is on the shelf. The folder is made where there is none.
    ///
    /// # Errors
    /// When the folder can't be made, or not be written to.
    fn lock(&self) -> Result<Lock, ShelfError> {
        self.is_somewhere()?;
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
        self.write(handle, &tally, true)
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
        if self.file(new).symlink_metadata().is_ok() {
            return Err(ShelfError::InUse { handle: new.to_owned() });
        }
        self.write(new, &tally, false)?;
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

    /// The first of these handles that is not on the shelf, as an error. A file that is no tally counts as well; a folder does not.
    ///
    /// # Errors
    /// [`ShelfError::Unknown`].
    pub fn have_all(&self, handles: &[String]) -> Result<(), ShelfError> {
        let is_there = |handle: &&String| is_handle(handle) && self.file(handle).symlink_metadata().is_ok();
        handles.iter().find(|handle| !is_there(handle)).map_or(Ok(()), |handle| Err(self.unknown(handle)))
    }

    /// Takes tallies off the shelf: all of them, or none where one is not there. Notes and figures read by hand stay in a file beside
    /// the others until [`Shelf::forget_dropped`]; the files that were written are returned.
    ///
    /// # Errors
    /// When a handle is not there, or a file can't be removed.
    pub fn drop(&self, handles: &[String]) -> Result<Vec<PathBuf>, ShelfError> {
        self.have_all(handles)?;
        let _lock = self.lock()?;
        let mut kept = Vec::new();
        for handle in handles {
            kept.extend(self.keep_notes(handle)?);
            self.remove(handle)?;
        }
        Ok(kept)
    }

    /// Writes what a person noted of an install into a file of its own; none where nobody noted anything.
    fn keep_notes(&self, handle: &str) -> Result<Option<PathBuf>, ShelfError> {
        let Ok(tally) = self.get(handle) else { return Ok(None) };
        let readings: Vec<&Reading> = tally.readings.iter().filter(|one| one.by == "hand").collect();
        if tally.notes.is_empty() && readings.is_empty() {
            return Ok(None);
        }
        let file = self.folder.join(format!("{handle}{DROPPED}"));
        let kept = serde_json::json!({ "handle": handle, "label": tally.label, "notes": tally.notes, "readings": readings });
        let bytes = serde_json::to_vec_pretty(&kept)
            .map_err(|error| ShelfError::NoTally { path: file.clone(), why: error.to_string() })?;
        write_atomically(&file, &bytes, true)?;
        Ok(Some(file))
    }

    /// Removes the notes of tallies that were dropped.
    ///
    /// # Errors
    /// When one can't be removed.
    pub fn forget_dropped(&self) -> Result<(), ShelfError> {
        let entries = match fs::read_dir(&self.folder) {
            Err(error) if error.kind() == ErrorKind::NotFound => return Ok(()),
            entries => entries.map_err(|error| ShelfError::io(&self.folder, error))?,
        };
        for entry in entries.flatten().filter(|entry| entry.file_name().to_string_lossy().ends_with(DROPPED))
        {
            fs::remove_file(entry.path()).map_err(|error| ShelfError::io(entry.path(), error))?;
        }
        Ok(())
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
        // Both forms, the one that counts last.
        let counts = self.file(handle);
        let [_, packed] = self.both(handle);
        if counts != packed {
            _ = fs::remove_file(packed);
        }
        match fs::remove_file(&counts) {
            Ok(()) => Ok(()),
            Err(error) if error.kind() == ErrorKind::NotFound => Err(self.unknown(handle)),
            Err(error) => Err(ShelfError::io(counts, error)),
        }
    }

    fn unknown(&self, handle: &str) -> ShelfError {
        let mut near: Vec<String> = self.handles().unwrap_or_default();
        near.retain(|known| known.contains(handle) || handle.contains(known.as_str()));
        ShelfError::Unknown { handle: handle.to_owned(), near }
    }
}

/// A handle, and what it becomes where others have it: `fenland-13`, `fenland-13-2`, `fenland-13-3`.
fn numbered(natural: &str) -> impl Iterator<Item = String> {
    let further = (2_u32..).map(move |number| format!("{natural}-{number}"));
    std::iter::once(natural.to_owned()).chain(further)
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
            let handle = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
            ShelfError::InUse { handle: stem_of(&handle).unwrap_or(&handle).to_owned() }
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
        let mut tally = Tally::new("test", taken, label);
        // One that has nothing would be like any other.
        tally.packages.push(tally_core::model::Package::new(tally_core::model::System::Dpkg, from, "1"));
        tally
    }

    #[test]
    fn another_install_gets_a_number_and_the_same_one_is_replaced() {
        let dir = tempfile::tempdir().unwrap();
        let shelf = Shelf::new(dir.path().join("not/yet"));
        assert!(shelf.handles().unwrap().is_empty());
        let mut first = tally("one");
        first.notes.push(Note { at: "x".into(), ask: None, text: "kept".into() });
        assert_eq!(shelf.put(&mut first, Replacing::Never).unwrap().handle, "marsh-5");
        assert_eq!(
            shelf.put(&mut tally("two"), Replacing::Never).unwrap(),
            Put { handle: "marsh-5-2".into(), replaced: false, earlier: None }
        );
        assert_eq!(
            shelf.put(&mut tally("one"), Replacing::Never).unwrap(),
            Put { handle: "marsh-5".into(), replaced: true, earlier: None }
        );
        assert_eq!(shelf.get("marsh-5").unwrap().notes[0].text, "kept");
        assert_eq!(shelf.handles().unwrap(), ["marsh-5", "marsh-5-2"]);
        let left: Vec<_> = fs::read_dir(shelf.folder()).unwrap().collect();
        assert_eq!(left.len(), 2, "no half-written neighbour");
    }

    #[test]
    fn an_install_is_told_from_another_by_what_it_is_and_not_by_where_it_came_from() {
        let dir = tempfile::tempdir().unwrap();
        let shelf = Shelf::new(dir.path());
        let of = |from: &str, version: &str, root: Option<&str>| {
            let mut one = tally(from);
            one.packages =
                vec![tally_core::model::Package::new(tally_core::model::System::Dpkg, "reed", version)];
            one.taken.root = root.map(|name| tally_core::model::TakenRoot {
                name: name.into(),
                because: tally_core::model::RootReason::Asked,
                others: Vec::new(),
            });
            one
        };
        let put = |mut one: Tally, replacing| shelf.put(&mut one, replacing).unwrap();
        assert_eq!(put(of("/mnt", "1", None), Replacing::Never).handle, "marsh-5");
        // Another install at the same place, another root of the same disk, another list through a pipe.
        let other = put(of("/mnt", "2", None), Replacing::Never);
        assert_eq!(
            (other.handle.as_str(), other.replaced, other.earlier.as_deref()),
            ("marsh-5-2", false, Some("marsh-5"))
        );
        assert_eq!(put(of("disk", "1", Some("2")), Replacing::Never).handle, "marsh-5-3");
        assert_eq!(put(of("disk", "1", Some("3")), Replacing::Never).handle, "marsh-5-4");
        assert_eq!(put(of("-", "3", None), Replacing::Never).handle, "marsh-5-5");
        assert_eq!(put(of("-", "4", None), Replacing::Never).handle, "marsh-5-6");
        // The same once more, from wherever.
        assert_eq!(
            put(of("disk", "1", Some("3")), Replacing::Never),
            Put { handle: "marsh-5-4".into(), replaced: true, earlier: None }
        );
        assert_eq!(put(of("-", "4", None), Replacing::Never).handle, "marsh-5-6");
        assert_eq!(put(of("/moved", "2", None), Replacing::Never).handle, "marsh-5-2");
        // Asked for, it may.
        assert_eq!(put(of("/mnt", "9", None), Replacing::Source).handle, "marsh-5");
        assert_eq!(put(of("elsewhere", "7", None), Replacing::Handle).handle, "marsh-5");
        assert_eq!(shelf.handles().unwrap().len(), 6);
    }

    #[test]
    fn notes_of_what_is_dropped_stay_until_the_next_index() {
        let dir = tempfile::tempdir().unwrap();
        let shelf = Shelf::new(dir.path());
        let mut noted = tally("one");
        noted.notes.push(Note { at: "x".into(), ask: None, text: "kept".into() });
        shelf.put(&mut noted, Replacing::Never).unwrap();
        let kept = shelf.drop(&["marsh-5".into()]).unwrap();
        assert!(fs::read_to_string(&kept[0]).unwrap().contains("\"kept\""));
        assert!(shelf.handles().unwrap().is_empty());
        shelf.forget_dropped().unwrap();
        assert!(!kept[0].exists());
    }

    #[test]
    fn of_twenty_remarks_at_once_none_is_lost() {
        let dir = tempfile::tempdir().unwrap();
        let shelf = Shelf::new(dir.path());
        shelf.put(&mut tally("one"), Replacing::Never).unwrap();
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
                scope.spawn(move || shelf.put(&mut tally("one"), Replacing::Never).unwrap());
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
        shelf.put(&mut tally("one"), Replacing::Never).unwrap();
        shelf.put(&mut tally("two"), Replacing::Never).unwrap();
        assert!(matches!(shelf.rename("marsh-5", "marsh-5-2"), Err(ShelfError::InUse { .. })));
        assert!(matches!(shelf.rename("marsh-5", "../x"), Err(ShelfError::BadHandle { .. })));
        shelf.rename("marsh-5", "bittern").unwrap();
        assert_eq!(shelf.get("bittern").unwrap().label.handle, "bittern");
        assert!(matches!(shelf.get("marsh"), Err(ShelfError::Unknown { near, .. }) if near == ["marsh-5-2"]));
        assert!(matches!(shelf.drop(&["../x".into()]), Err(ShelfError::Unknown { .. })));
        assert!(matches!(shelf.drop(&["bittern".into(), "nosuch".into()]), Err(ShelfError::Unknown { .. })));
        assert!(shelf.has("bittern"), "all are there, or none goes");
    }
}
