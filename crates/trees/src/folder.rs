use crate::bytes::OnDisk;
use crate::path::{Step, resolve};
use crate::{Entry, LIMITS, Node, NodeKind, ReadAt, Tree, TreeError, TreeErrorKind};
use rustix::buffer::spare_capacity;
use rustix::fs::{AtFlags, CWD, FileType, Mode, OFlags, RawDir, ResolveFlags, Stat};
use rustix::io::Errno;
use std::ffi::{OsStr, OsString};
use std::fs::File;
use std::io::Read;
use std::os::fd::{AsFd, OwnedFd};
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};

/// A folder on disk, seen as a root.
///
/// The kernel resolves paths with `openat2` and `RESOLVE_IN_ROOT`, so that a link swapped between looking and
/// opening can't lead out. Where the kernel has no such call, each component is opened on its own, never through a link.
#[derive(Debug)]
pub struct Folder {
    root: OwnedFd,
    kernel_resolves: bool,
    near: Option<Near>,
}

/// A folder of the tree, held open.
#[derive(Debug)]
struct Near {
    /// Its path, with a slash at the end.
    path: Vec<u8>,
    folder: OwnedFd,
    /// Whether its files belong to someone else, who alone may leave their times of access alone.
    foreign: AtomicBool,
}

impl Near {
    /// Opens what is below the folder, where neither a link nor `..` is on the way: those are resolved from the root.
    ///
    /// Without them no path leads out, and the kernel need not be asked to look after it: for that it takes a lock that
    /// all threads of the machine share.
    fn open_at(&self, path: &Path, flags: OFlags) -> Option<OwnedFd> {
        let below = path.as_os_str().as_bytes().strip_prefix(&self.path[..])?;
        if below.split(|byte| *byte == b'/').any(|name| matches!(name, b"" | b"..")) {
            return None;
        }
        let below = Path::new(OsStr::from_bytes(below));
        let open =
            |flags| rustix::fs::openat2(&self.folder, below, flags, Mode::empty(), ResolveFlags::NO_SYMLINKS);
        if !flags.contains(OFlags::NOATIME) {
            return open(flags).ok();
        }
        if !self.foreign.load(Ordering::Relaxed) {
            match open(flags) {
                Err(Errno::PERM) => self.foreign.store(true, Ordering::Relaxed),
                other => return other.ok(),
            }
        }
        open(flags.difference(OFlags::NOATIME)).ok()
    }
}

/// How a file of the install is opened: never blocking (a pipe), never taking over a terminal.
const READING: OFlags = OFlags::RDONLY
    .union(OFlags::CLOEXEC)
    .union(OFlags::NONBLOCK)
    .union(OFlags::NOCTTY)
    .union(OFlags::NOATIME);
const LOOKING: OFlags = OFlags::PATH.union(OFlags::CLOEXEC);

/// Bytes of names that the kernel hands over at a time.
const LIST_BUFFER: usize = 1 << 15;

impl Folder {
    /// Opens a folder as a root.
    ///
    /// # Errors
    /// When it is not there, or no folder.
    pub fn open(path: &Path) -> Result<Self, TreeError> {
        let flags = LOOKING | OFlags::DIRECTORY;
        let root =
            rustix::fs::openat(CWD, path, flags, Mode::empty()).map_err(|e| TreeError::io(path, e.into()))?;
        let kernel_resolves = in_root(&root, Path::new("."), LOOKING).is_ok();
        Ok(Self { root, kernel_resolves, near: None })
    }

    /// The same folder, resolved without the kernel's help; what old kernels get.
    #[cfg(test)]
    fn open_unaided(path: &Path) -> Result<Self, TreeError> {
        Ok(Self { kernel_resolves: false, ..Self::open(path)? })
    }

    fn open_at(&self, path: &Path, flags: OFlags) -> Result<OwnedFd, TreeError> {
        if let Some(file) = self.near.as_ref().and_then(|near| near.open_at(path, flags)) {
            return Ok(file);
        }
        let opened = |flags| {
            if self.kernel_resolves { in_root(&self.root, relative(path), flags) } else { Err(Errno::NOSYS) }
        };
        let result = match opened(flags) {
            // Only the owner of a file may leave its time of access alone.
            Err(Errno::PERM) if flags.contains(OFlags::NOATIME) => opened(flags.difference(OFlags::NOATIME)),
            result => result,
        };
        match result {
            Ok(file) => Ok(file),
            Err(Errno::NOSYS) => self.open_stepwise(path, flags),
            // A link at the end that must not be followed: only `PATH` gets hold of it.
            Err(error) => Err(TreeError::io(path, error.into())),
        }
    }

    /// A regular file and its size.
    fn open_file(&self, path: &Path) -> Result<(File, u64), TreeError> {
        let file = self.open_at(path, READING)?;
        let stat = rustix::fs::fstat(&file).map_err(|e| TreeError::io(path, e.into()))?;
        if kind_of(&stat) != NodeKind::File {
            return Err(TreeError::new(path, TreeErrorKind::NotAFile));
        }
        Ok((File::from(file), u64::try_from(stat.st_size).unwrap_or(0)))
    }

    fn open_stepwise(&self, path: &Path, flags: OFlags) -> Result<OwnedFd, TreeError> {
        let follow_last = !flags.contains(OFlags::NOFOLLOW);
        let clean = resolve(path, follow_last, |clean| self.look(clean))?;
        self.walk(&clean, flags).map_err(|e| TreeError::io(path, e.into()))
    }

    /// Opens a clean path one component at a time, refusing every link on the way.
    fn walk(&self, clean: &Path, last: OFlags) -> Result<OwnedFd, Errno> {
        let mut here: Option<OwnedFd> = None;
        let names: Vec<&OsStr> = clean.iter().collect();
        for (i, name) in names.iter().enumerate() {
            let from = here.as_ref().map_or(self.root.as_fd(), AsFd::as_fd);
            let flags = if i.saturating_add(1) == names.len() {
                last | OFlags::NOFOLLOW
            } else {
                LOOKING | OFlags::DIRECTORY | OFlags::NOFOLLOW
            };
            let opened = match rustix::fs::openat(from, *name, flags, Mode::empty()) {
                Err(Errno::PERM) => {
                    rustix::fs::openat(from, *name, flags.difference(OFlags::NOATIME), Mode::empty())
                }
                other => other,
            };
            here = Some(opened?);
        }
        match here {
            Some(fd) => Ok(fd),
            None => rustix::fs::openat(&self.root, ".", last, Mode::empty()),
        }
    }

    fn look(&self, clean: &Path) -> Result<Step, TreeError> {
        let parent = clean.parent().unwrap_or(Path::new(""));
        let Some(name) = clean.file_name() else { return Ok(Step::Folder) };
        let fail = |e: Errno| TreeError::io(clean, e.into());
        let folder = match self.walk(parent, LOOKING | OFlags::DIRECTORY) {
            Err(Errno::NOENT | Errno::NOTDIR) => return Ok(Step::Missing),
            other => other.map_err(fail)?,
        };
        match rustix::fs::statat(&folder, name, AtFlags::SYMLINK_NOFOLLOW) {
            Err(Errno::NOENT) => Ok(Step::Missing),
            Err(error) => Err(fail(error)),
            Ok(stat) => Ok(match kind_of(&stat) {
                NodeKind::Folder => Step::Folder,
                NodeKind::Link => {
                    let target = rustix::fs::readlinkat(&folder, name, Vec::new()).map_err(fail)?;
                    Step::Link(OsString::from_vec(target.into_bytes()).into())
                }
                _ => Step::Leaf,
            }),
        }
    }
}

/// Reads as much as the file said it has, and tells whether that came in one piece: the usual case, which needs no second
/// call to learn that the file has ended. What the buffer held before is written over, and nothing is cleared first.
fn read_expected(file: &File, expected: usize, buffer: &mut Vec<u8>) -> std::io::Result<bool> {
    buffer.clear();
    buffer.reserve(expected);
    let read = if expected > 0 { rustix::io::read(file, spare_capacity(buffer))? } else { 0 };
    Ok(read == expected && expected > 0)
}

fn in_root(root: &OwnedFd, path: &Path, flags: OFlags) -> Result<OwnedFd, Errno> {
    let resolve = ResolveFlags::IN_ROOT | ResolveFlags::NO_MAGICLINKS;
    // The kernel answers EAGAIN when something was renamed while it looked.
    for _ in 0..16 {
        match rustix::fs::openat2(root, path, flags, Mode::empty(), resolve) {
            Err(Errno::AGAIN) => {}
            other => return other,
        }
    }
    Err(Errno::AGAIN)
}

fn relative(path: &Path) -> &Path {
    if path.as_os_str().is_empty() { Path::new(".") } else { path }
}

fn kind_of(stat: &Stat) -> NodeKind {
    match FileType::from_raw_mode(stat.st_mode) {
        FileType::RegularFile => NodeKind::File,
        FileType::Directory => NodeKind::Folder,
        FileType::Symlink => NodeKind::Link,
        _ => NodeKind::Other,
    }
}

impl Tree for Folder {
    fn node(&self, path: &Path, follow_last: bool) -> Result<Node, TreeError> {
        let flags = if follow_last { LOOKING } else { LOOKING | OFlags::NOFOLLOW };
        let file = self.open_at(path, flags)?;
        let stat = rustix::fs::fstat(&file).map_err(|e| TreeError::io(path, e.into()))?;
        #[allow(clippy::useless_conversion, reason = "the field is narrower on other machines")]
        let changed_at = i64::from(stat.st_mtime);
        Ok(Node {
            kind: kind_of(&stat),
            size: u64::try_from(stat.st_size).unwrap_or(0),
            mode: stat.st_mode & 0o7777,
            changed_at,
        })
    }

    fn list(&self, path: &Path) -> Result<Vec<Entry>, TreeError> {
        let folder = self.open_at(path, OFlags::RDONLY | OFlags::CLOEXEC | OFlags::DIRECTORY)?;
        let fail = |e: Errno| TreeError::io(path, e.into());
        let mut entries = Vec::new();
        let mut buffer = Vec::with_capacity(LIST_BUFFER);
        let mut raw = RawDir::new(folder, buffer.spare_capacity_mut());
        while let Some(entry) = raw.next() {
            let entry = entry.map_err(fail)?;
            let name = entry.file_name().to_bytes();
            if matches!(name, b"." | b"..") {
                continue;
            }
            let name = OsStr::from_bytes(name).to_owned();
            let kind = match entry.file_type() {
                FileType::RegularFile => NodeKind::File,
                FileType::Directory => NodeKind::Folder,
                FileType::Symlink => NodeKind::Link,
                FileType::Unknown => {
                    self.node(&path.join(&name), false).map_or(NodeKind::Other, |node| node.kind)
                }
                _ => NodeKind::Other,
            };
            entries.push(Entry { name, kind });
            if entries.len() > LIMITS.folder_names {
                return Err(TreeError::beyond(path, "has too many names", LIMITS.folder_names));
            }
        }
        entries.sort_unstable();
        Ok(entries)
    }

    fn open(&self, path: &Path) -> Result<Box<dyn ReadAt>, TreeError> {
        let (file, length) = self.open_file(path)?;
        Ok(Box::new(OnDisk { file, length }))
    }

    fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), TreeError> {
        let (file, size) = self.open_file(path)?;
        if size > limit {
            return Err(TreeError::new(path, TreeErrorKind::TooLarge { limit }));
        }
        let expected = usize::try_from(size).unwrap_or(0);
        // Files under /proc state no size; a growing file is cut at the limit.
        let rest = |buffer: &mut Vec<u8>| {
            let more = limit.saturating_add(1).saturating_sub(buffer.len() as u64);
            (&file).take(more).read_to_end(buffer)
        };
        let read = read_expected(&file, expected, buffer);
        let read = read.and_then(|whole| if whole { Ok(0) } else { rest(buffer) });
        read.map_err(|e| TreeError::io(path, e))?;
        if buffer.len() as u64 > limit {
            return Err(TreeError::new(path, TreeErrorKind::TooLarge { limit }));
        }
        Ok(())
    }

    fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError> {
        let link = self.open_at(path, LOOKING | OFlags::NOFOLLOW)?;
        match rustix::fs::readlinkat(&link, "", Vec::new()) {
            Ok(target) => Ok(OsString::from_vec(target.into_bytes()).into()),
            Err(Errno::INVAL | Errno::NOENT) => Err(TreeError::new(path, TreeErrorKind::NotALink)),
            Err(error) => Err(TreeError::io(path, error.into())),
        }
    }

    fn near(&self, folder: &Path) -> Option<Box<dyn Tree + '_>> {
        let held = self.open_at(folder, LOOKING | OFlags::DIRECTORY).ok().filter(|_| self.kernel_resolves)?;
        let mut path = folder.as_os_str().as_bytes().to_vec();
        path.push(b'/');
        let root = self.root.try_clone().ok()?;
        let near = Near { path, folder: held, foreign: AtomicBool::new(false) };
        Some(Box::new(Self { root, kernel_resolves: true, near: Some(near) }))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn both(path: &Path) -> [Folder; 2] {
        [Folder::open(path).unwrap(), Folder::open_unaided(path).unwrap()]
    }

    /// All ways of looking at one folder: as it is, and held by folders below it, by a link to one, by the root itself.
    fn each_way(path: &Path, call: impl Fn(&dyn Tree)) {
        for folder in &both(path) {
            call(folder);
            for held in ["a", "a/b", "dir", "real", "door", "/", ""] {
                if let Some(near) = folder.near(Path::new(held)) {
                    call(&*near);
                }
            }
        }
    }

    #[test]
    fn both_ways_of_resolving_agree() {
        let dir = tempfile::tempdir().unwrap();
        let root = dir.path().join("root");
        std::fs::create_dir_all(root.join("a/b")).unwrap();
        std::fs::write(dir.path().join("secret"), "outside").unwrap();
        std::fs::write(root.join("a/b/f"), "inside").unwrap();
        let links = [
            ("abs", "/a/b/f"),
            ("up", "../../../a/b/f"),
            ("out", "../secret"),
            ("loop", "loop"),
            ("dir", "a/b"),
        ];
        for (name, target) in links {
            std::os::unix::fs::symlink(target, root.join(name)).unwrap();
        }
        rustix::fs::mkfifoat(CWD, root.join("pipe"), Mode::RUSR).unwrap();
        each_way(&root, |tree| {
            for path in [
                "a/b/f",
                "/a/b/f",
                "abs",
                "up",
                "dir/f",
                "a/../abs",
                "dir/../../a/b/f",
                "a/../../../a/b/f",
                "a//b/f",
            ] {
                assert_eq!(tree.read(path).unwrap(), b"inside", "{path}");
            }
            assert!(tree.read("out").unwrap_err().is_missing());
            assert!(matches!(tree.read("loop").unwrap_err().why, TreeErrorKind::TooManyLinks));
            assert!(matches!(tree.read("pipe").unwrap_err().why, TreeErrorKind::NotAFile));
            assert!(matches!(tree.read("a").unwrap_err().why, TreeErrorKind::NotAFile));
            assert!(tree.read("a/b/f/x").unwrap_err().is_missing());
            assert_eq!(tree.read_link(Path::new("out")).unwrap(), Path::new("../secret"));
            assert!(matches!(tree.read_link(Path::new("a/b/f")).unwrap_err().why, TreeErrorKind::NotALink));
            assert_eq!(tree.names("").len(), 7);
            assert_eq!(tree.names("dir").len(), 1);
            assert!(matches!(
                tree.read_into(Path::new("abs"), 3, &mut Vec::new()).unwrap_err().why,
                TreeErrorKind::TooLarge { limit: 3 }
            ));
        });
    }

    /// A link that turns back and forth between inside and outside never yields what is outside.
    #[test]
    fn a_link_swapped_under_our_feet_stays_inside() {
        let dir = tempfile::tempdir().unwrap();
        let root = dir.path().join("root");
        std::fs::create_dir_all(root.join("real")).unwrap();
        std::fs::write(root.join("real/f"), "inside").unwrap();
        std::fs::create_dir(dir.path().join("outside")).unwrap();
        std::fs::write(dir.path().join("outside/f"), "outside").unwrap();
        let stop = std::sync::atomic::AtomicBool::new(false);
        std::thread::scope(|scope| {
            scope.spawn(|| {
                let outside = dir.path().join("outside");
                for i in 0_u32.. {
                    if stop.load(std::sync::atomic::Ordering::Relaxed) {
                        break;
                    }
                    let target = if i.is_multiple_of(2) { outside.as_path() } else { Path::new("real") };
                    std::os::unix::fs::symlink(target, root.join("next")).unwrap();
                    std::fs::rename(root.join("next"), root.join("door")).unwrap();
                }
            });
            each_way(&root, |tree| {
                for _ in 0..1500 {
                    if let Ok(content) = tree.read("door/f") {
                        assert_eq!(content, b"inside");
                    }
                }
            });
            stop.store(true, std::sync::atomic::Ordering::Relaxed);
        });
    }
}
