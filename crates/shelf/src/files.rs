//! Files that are read and written with care: regular ones only, whole or not at all, one writer at a time.

use std::collections::BTreeSet;
use std::fs::{self, File, OpenOptions, Permissions};
use std::io::{self, ErrorKind, Read, Write};
use std::os::unix::fs::{MetadataExt, OpenOptionsExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};
use tempfile::{NamedTempFile, TempDir};

/// How the neighbours begin that files and folders are written into first.
const NEIGHBOUR: &str = ".fresh-tally-";

/// The file in a folder that whoever changes something in it holds locked, where folders can't be: on some network file systems.
const LOCK: &str = ".fresh-tally.lock";

/// Nobody writes a file for so long.
const LEFT_OVER: Duration = Duration::from_secs(3600);

/// Opens a regular file for reading. A pipe, a socket or a device is none: it might never end.
///
/// # Errors
/// [`ErrorKind::InvalidInput`] when it is no regular file, else what the system says.
pub fn open_file(path: &Path) -> io::Result<File> {
    // Without waiting for whoever might write to a pipe.
    let flags = (rustix::fs::OFlags::NONBLOCK | rustix::fs::OFlags::NOCTTY).bits().cast_signed();
    let file = OpenOptions::new().read(true).custom_flags(flags).open(path)?;
    let data = file.metadata()?;
    if data.is_dir() {
        return Err(ErrorKind::IsADirectory.into());
    }
    match data.is_file() {
        true => Ok(file),
        false => Err(io::Error::new(ErrorKind::InvalidInput, "is not a regular file")),
    }
}

/// Reads a regular file of up to `limit` bytes.
///
/// # Errors
/// As [`open_file`], and [`ErrorKind::FileTooLarge`].
pub fn read_file(path: &Path, limit: u64) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    open_file(path)?.take(limit.saturating_add(1)).read_to_end(&mut bytes)?;
    match bytes.len() as u64 > limit {
        true => Err(io::Error::new(ErrorKind::FileTooLarge, format!("is larger than {limit} bytes"))),
        false => Ok(bytes),
    }
}

/// The right to change what is in a folder, held by one at a time until it is dropped.
#[derive(Debug)]
pub struct Lock {
    _file: File,
}

impl Lock {
    /// Waits until nobody else holds the lock of a folder, which must be there.
    ///
    /// # Errors
    /// When the folder can't be written to.
    pub fn of(folder: &Path) -> io::Result<Self> {
        // The folder itself, where that can be: nothing more lies in it then.
        let file = File::open(folder)?;
        if file.lock().is_ok() {
            return Ok(Self { _file: file });
        }
        let path = folder.join(LOCK);
        let file = OpenOptions::new().create(true).truncate(false).write(true).open(path)?;
        file.lock()?;
        Ok(Self { _file: file })
    }
}

/// How the names of files begin that this process has not finished writing.
pub fn unfinished() -> String {
    format!("{NEIGHBOUR}{}-", std::process::id())
}

/// The folder in which a path's neighbours are.
fn folder_of(path: &Path) -> &Path {
    path.parent().filter(|parent| !parent.as_os_str().is_empty()).unwrap_or(Path::new("."))
}

/// Removes what programs left that were killed while they wrote. What can't be removed harms nobody.
pub(crate) fn clear_left_over(folder: &Path, now: SystemTime) {
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let is_ours = entry.file_name().to_string_lossy().starts_with(NEIGHBOUR);
        let changed = || entry.metadata().and_then(|data| data.modified()).ok();
        let is_old = |changed: SystemTime| now.duration_since(changed).is_ok_and(|age| age > LEFT_OVER);
        if is_ours && changed().is_some_and(is_old) {
            let path = entry.path();
            _ = if path.is_dir() { fs::remove_dir_all(path) } else { fs::remove_file(path) };
        }
    }
}

/// A file that is being written, and appears under its name when it is finished.
///
/// A program that is killed leaves the old file or the new one. Disks are not forced to catch up: a tally can be taken
/// again, and waiting for the disk would cost more than taking it.
#[derive(Debug)]
pub struct Draft {
    file: NamedTempFile,
    path: PathBuf,
}

impl Draft {
    /// Begins a file in the folder where it will be. It gets the mode of the file that it takes the place of, else that of any new
    /// file.
    ///
    /// # Errors
    /// What the system says.
    pub fn new(path: &Path) -> io::Result<Self> {
        let file = tempfile::Builder::new()
            .prefix(&unfinished())
            .permissions(Permissions::from_mode(0o666))
            .tempfile_in(folder_of(path))?;
        if let Ok(earlier) = path.metadata() {
            file.as_file().set_permissions(Permissions::from_mode(earlier.mode() & 0o7777))?;
        }
        Ok(Self { file, path: path.to_owned() })
    }

    /// Gives the file its name.
    ///
    /// # Errors
    /// [`ErrorKind::AlreadyExists`] where there is such a file and `replace` is false; else what the system says. Nothing is left
    /// of the draft then.
    pub fn finish(self, replace: bool) -> io::Result<()> {
        let named =
            if replace { self.file.persist(&self.path) } else { self.file.persist_noclobber(&self.path) };
        named.map(|_| ()).map_err(|error| error.error)
    }
}

impl Write for Draft {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.file.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.file.flush()
    }
}

/// A folder of files that is being written, and appears when it is finished: all of it, or nothing.
#[derive(Debug)]
pub struct FolderDraft {
    folder: TempDir,
    path: PathBuf,
}

impl FolderDraft {
    /// Begins a folder beside where it will be; folders above it are made.
    ///
    /// # Errors
    /// What the system says.
    pub fn new(path: &Path) -> io::Result<Self> {
        fs::create_dir_all(folder_of(path))?;
        clear_left_over(folder_of(path), SystemTime::now());
        let folder = tempfile::Builder::new()
            .prefix(&unfinished())
            .permissions(Permissions::from_mode(0o777))
            .tempdir_in(folder_of(path))?;
        Ok(Self { folder, path: path.to_owned() })
    }

    /// Adds a file; folders in its name are made.
    ///
    /// # Errors
    /// What the system says.
    pub fn add(&self, name: &str, bytes: &[u8]) -> io::Result<()> {
        let path = self.folder.path().join(name);
        fs::create_dir_all(folder_of(&path))?;
        fs::write(path, bytes)
    }

    /// Gives the folder its name. Where there is one of that name, its files take the place of those that an earlier draft put there, and
    /// all others stay: by then everything is written, and each file appears whole. Which files those are is noted in the folder.
    ///
    /// # Errors
    /// [`ErrorKind::AlreadyExists`] where a file of somebody else would be replaced: nothing is then; else what the system says.
    pub fn finish(self) -> io::Result<()> {
        let mut names = files_below(self.folder.path())?;
        let known: BTreeSet<String> = read_file(&self.path.join(MADE), MADE_LIMIT)
            .map(|list| String::from_utf8_lossy(&list).lines().map(str::to_owned).collect())
            .unwrap_or_default();
        let strange =
            |name: &&String| !known.contains(*name) && self.path.join(name).symlink_metadata().is_ok();
        if let Some(name) = names.iter().find(strange) {
            let why = format!("its `{name}` is somebody else's, and would be replaced");
            return Err(io::Error::new(ErrorKind::AlreadyExists, why));
        }
        names.extend(known);
        let list: String = names.iter().flat_map(|name| [name.as_str(), "\n"]).collect();
        fs::write(self.folder.path().join(MADE), list)?;
        let from = self.folder.keep();
        let there = if self.path.is_dir() {
            Err(ErrorKind::AlreadyExists.into())
        } else {
            fs::rename(&from, &self.path)
        };
        match there {
            Err(_) if self.path.is_dir() => {
                let moved = move_into(&from, &self.path);
                let cleared = fs::remove_dir_all(&from);
                moved.and(cleared)
            }
            Err(error) => {
                _ = fs::remove_dir_all(&from);
                Err(error)
            }
            Ok(()) => Ok(()),
        }
    }
}

/// The file in which a folder names what was made in it: a path a line.
const MADE: &str = ".fresh-tally-files";
/// Bytes that it may have: 16 MiB.
const MADE_LIMIT: u64 = 16 << 20;

/// The paths of all files below a folder, from it on.
fn files_below(folder: &Path) -> io::Result<BTreeSet<String>> {
    let (mut found, mut waiting) = (BTreeSet::new(), vec![PathBuf::new()]);
    while let Some(inner) = waiting.pop() {
        for entry in fs::read_dir(folder.join(&inner))? {
            let entry = entry?;
            let name = inner.join(entry.file_name());
            if entry.file_type()?.is_dir() {
                waiting.push(name);
            } else {
                found.insert(name.to_string_lossy().into_owned());
            }
        }
    }
    Ok(found)
}

/// Moves every file of a folder into another one that is there, and into its folders.
fn move_into(from: &Path, to: &Path) -> io::Result<()> {
    let mut waiting = vec![PathBuf::new()];
    while let Some(folder) = waiting.pop() {
        fs::create_dir_all(to.join(&folder))?;
        for entry in fs::read_dir(from.join(&folder))? {
            let entry = entry?;
            let name = folder.join(entry.file_name());
            if entry.file_type()?.is_dir() {
                waiting.push(name);
                continue;
            }
            let new = to.join(&name);
            if let Ok(earlier) = new.metadata() {
                fs::set_permissions(entry.path(), Permissions::from_mode(earlier.mode() & 0o7777))?;
            }
            fs::rename(entry.path(), new)?;
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn names(folder: &Path) -> Vec<String> {
        let mut names: Vec<String> =
            fs::read_dir(folder).unwrap().map(|e| e.unwrap().file_name().into_string().unwrap()).collect();
        names.sort();
        names
    }

    #[test]
    fn what_a_killed_program_left_is_cleared_once_it_is_old() {
        let dir = tempfile::tempdir().unwrap();
        for name in [".fresh-tally-abc", ".fresh-tally.lock", ".mine", "notes.txt"] {
            fs::write(dir.path().join(name), "half").unwrap();
        }
        fs::create_dir_all(dir.path().join(".fresh-tally-1-folder/in")).unwrap();
        clear_left_over(dir.path(), SystemTime::now());
        assert_eq!(names(dir.path()).len(), 5, "somebody may be writing it");
        clear_left_over(dir.path(), SystemTime::now() + 2 * LEFT_OVER);
        assert_eq!(names(dir.path()), [".fresh-tally.lock", ".mine", "notes.txt"]);
    }

    #[test]
    fn a_file_keeps_its_mode_and_what_is_no_file_is_not_read() {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("a");
        fs::write(&path, "old").unwrap();
        fs::set_permissions(&path, Permissions::from_mode(0o600)).unwrap();
        let mut draft = Draft::new(&path).unwrap();
        draft.write_all(b"new").unwrap();
        assert_eq!(read_file(&path, 10).unwrap(), b"old");
        draft.finish(true).unwrap();
        assert_eq!(read_file(&path, 3).unwrap(), b"new");
        assert_eq!(path.metadata().unwrap().mode() & 0o777, 0o600);
        assert_eq!(read_file(&path, 2).unwrap_err().kind(), ErrorKind::FileTooLarge);
        let pipe = dir.path().join("pipe");
        rustix::fs::mkfifoat(rustix::fs::CWD, &pipe, rustix::fs::Mode::RUSR).unwrap();
        assert_eq!(read_file(&pipe, 9).unwrap_err().kind(), ErrorKind::InvalidInput);
        assert_eq!(read_file(Path::new("/dev/zero"), 9).unwrap_err().kind(), ErrorKind::InvalidInput);
        assert_eq!(read_file(dir.path(), 9).unwrap_err().kind(), ErrorKind::IsADirectory);
        drop(Draft::new(&path).unwrap());
        assert_eq!(names(dir.path()), ["a", "pipe"]);
    }

    #[test]
    fn a_folder_appears_whole_and_takes_nothing_of_others_away() {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("deep/er/review");
        let draft = FolderDraft::new(&path).unwrap();
        draft.add("index.html", b"1").unwrap();
        draft.add("charts/a.svg", b"1").unwrap();
        assert!(!path.exists());
        draft.finish().unwrap();
        fs::write(path.join("my own.txt"), "x").unwrap();
        fs::set_permissions(path.join("index.html"), Permissions::from_mode(0o640)).unwrap();
        let draft = FolderDraft::new(&path).unwrap();
        draft.add("index.html", b"2").unwrap();
        draft.add("tables/b.csv", b"2").unwrap();
        drop(FolderDraft::new(&path).unwrap());
        assert_eq!(fs::read(path.join("index.html")).unwrap(), b"1");
        draft.finish().unwrap();
        assert_eq!(names(&path), [MADE, "charts", "index.html", "my own.txt", "tables"]);
        assert_eq!(fs::read(path.join("index.html")).unwrap(), b"2");
        assert_eq!(path.join("index.html").metadata().unwrap().mode() & 0o777, 0o640);
        assert_eq!(names(&dir.path().join("deep/er")), ["review"]);
    }

    #[test]
    fn a_lock_is_held_by_one() {
        let dir = tempfile::tempdir().unwrap();
        let count = std::sync::atomic::AtomicUsize::new(0);
        std::thread::scope(|scope| {
            for _ in 0..4 {
                scope.spawn(|| {
                    for _ in 0..50 {
                        let _lock = Lock::of(dir.path()).unwrap();
                        let now = count.fetch_add(1, std::sync::atomic::Ordering::SeqCst);
                        assert_eq!(now, 0);
                        count.fetch_sub(1, std::sync::atomic::Ordering::SeqCst);
                    }
                });
            }
        });
    }
}
