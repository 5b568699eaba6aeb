use crate::path::{Step, resolve};
use crate::{LIMITS, ReadAt, TreeError};
use std::ffi::OsString;
use std::path::{Path, PathBuf};

/// What a path is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum NodeKind {
    /// A regular file.
    File,
    /// A folder.
    Folder,
    /// A symbolic link.
    Link,
    /// A device, pipe or socket.
    Other,
}

/// What a tree knows of a path without reading it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Node {
    /// What it is.
    pub kind: NodeKind,
    /// Size in bytes.
    pub size: u64,
    /// Permission bits.
    pub mode: u32,
    /// Time of the last change, seconds since 1970 UTC.
    pub changed_at: i64,
}

/// One name in a folder.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Entry {
    /// The name; never `.` or `..`, never with a slash.
    pub name: OsString,
    /// What it is.
    pub kind: NodeKind,
}

/// An install as readers see it. Paths are relative to the root; a leading slash means the same.
pub trait Tree: Send + Sync {
    /// What the path is, after following every link in it, or all but the last one.
    ///
    /// # Errors
    /// When it is not there, or a link leads nowhere or in circles.
    fn node(&self, path: &Path, follow_last: bool) -> Result<Node, TreeError>;

    /// The names in a folder, sorted.
    ///
    /// # Errors
    /// When the path is not a folder that can be read.
    fn list(&self, path: &Path) -> Result<Vec<Entry>, TreeError>;

    /// Replaces the buffer's content by that of a regular file.
    ///
    /// # Errors
    /// When it is not a regular file, can't be read, or is larger than `limit` bytes.
    fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), TreeError>;

    /// Opens a regular file of any size, to be read in pieces.
    ///
    /// # Errors
    /// When it is not a regular file, or can't be opened.
    fn open(&self, path: &Path) -> Result<Box<dyn ReadAt>, TreeError>;

    /// The target of a link, as it is written there.
    ///
    /// # Errors
    /// When the path is not a link.
    fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError>;

    /// The same tree, held by one of its folders: what is below that is found sooner, where many files of it are read.
    ///
    /// Paths are those of the whole tree. `None` where nothing is won by it.
    fn near(&self, _folder: &Path) -> Option<Box<dyn Tree + '_>> {
        None
    }

    /// Is told by a reader that it could not make sense of something in a file, and went on.
    fn note(&self, _path: &Path, _why: &str) {}

    /// Whether a path, as it is, takes a name of lower layers away: in a file system that is a layer of another one.
    fn is_whiteout(&self, _path: &Path) -> bool {
        false
    }

    /// Whether a folder hides what lower layers have in it.
    fn is_opaque(&self, _path: &Path) -> bool {
        false
    }
}

impl dyn Tree + '_ {
    /// A whole file of up to [`Limits::file_bytes`](crate::Limits::file_bytes) bytes.
    ///
    /// # Errors
    /// As [`Tree::read_into`].
    pub fn read(&self, path: impl AsRef<Path>) -> Result<Vec<u8>, TreeError> {
        let mut buffer = Vec::new();
        self.read_into(path.as_ref(), LIMITS.file_bytes, &mut buffer)?;
        Ok(buffer)
    }

    /// Whether something is there, links followed.
    pub fn exists(&self, path: impl AsRef<Path>) -> bool {
        self.node(path.as_ref(), true).is_ok()
    }

    /// Whether a folder is there, links followed.
    pub fn is_folder(&self, path: impl AsRef<Path>) -> bool {
        self.node(path.as_ref(), true).is_ok_and(|node| node.kind == NodeKind::Folder)
    }

    /// Everything below a folder that is no folder itself, by path, in folders that are up to `depth` inside one another: 0 is the
    /// folder alone. Folders of an image may be inside themselves, so that no more than [`Limits::walked_names`] names are
    /// looked at; who watches the tree is told when there are more.
    ///
    /// [`Limits::walked_names`]: crate::Limits::walked_names
    pub fn files_below(&self, folder: impl AsRef<Path>, depth: usize) -> Vec<(PathBuf, NodeKind)> {
        let mut found = Vec::new();
        let mut left = LIMITS.walked_names;
        let mut waiting = vec![(folder.as_ref().to_owned(), depth)];
        while let Some((folder, depth)) = waiting.pop() {
            for entry in self.names(&folder) {
                let Some(less) = left.checked_sub(1) else {
                    self.note(
                        &folder,
                        &format!("contains more names than are read: {}", LIMITS.walked_names),
                    );
                    return found;
                };
                left = less;
                let path = folder.join(&entry.name);
                match (entry.kind, depth.checked_sub(1)) {
                    (NodeKind::Folder, Some(depth)) => waiting.push((path, depth)),
                    (NodeKind::Folder, None) => {}
                    (kind, _) => found.push((path, kind)),
                }
            }
        }
        found.sort();
        found
    }

    /// The path without links, `.` and `..` that a path leads to; `None` where it leads nowhere.
    pub fn real_path(&self, path: impl AsRef<Path>) -> Option<PathBuf> {
        let look = |clean: &Path| {
            Ok(match self.node(clean, false) {
                Ok(Node { kind: NodeKind::Folder, .. }) => Step::Folder,
                Ok(Node { kind: NodeKind::Link, .. }) => Step::Link(self.read_link(clean)?),
                Ok(_) => Step::Leaf,
                Err(_) => Step::Missing,
            })
        };
        resolve(path.as_ref(), true, look).ok()
    }

    /// The names in a folder; none when there is no such folder.
    pub fn names(&self, path: impl AsRef<Path>) -> Vec<Entry> {
        self.list(path.as_ref()).unwrap_or_default()
    }
}

impl Tree for std::sync::Arc<dyn Tree> {
    fn node(&self, path: &Path, follow_last: bool) -> Result<Node, TreeError> {
        self.as_ref().node(path, follow_last)
    }

    fn list(&self, path: &Path) -> Result<Vec<Entry>, TreeError> {
        self.as_ref().list(path)
    }

    fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), TreeError> {
        self.as_ref().read_into(path, limit, buffer)
    }

    fn open(&self, path: &Path) -> Result<Box<dyn ReadAt>, TreeError> {
        self.as_ref().open(path)
    }

    fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError> {
        self.as_ref().read_link(path)
    }

    fn near(&self, folder: &Path) -> Option<Box<dyn Tree + '_>> {
        self.as_ref().near(folder)
    }

    fn note(&self, path: &Path, why: &str) {
        self.as_ref().note(path, why);
    }

    fn is_whiteout(&self, path: &Path) -> bool {
        self.as_ref().is_whiteout(path)
    }

    fn is_opaque(&self, path: &Path) -> bool {
        self.as_ref().is_opaque(path)
    }
}
