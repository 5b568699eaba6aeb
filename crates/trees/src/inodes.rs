//! A tree made of inodes: what is alike in all file systems that are read by an own reader. Each of them only says what an inode is,
//! and what is in one.

use crate::bytes::read_whole;
use crate::cache::Cache;
use crate::path::{Step, resolve};
use crate::{Entry, LIMITS, Node, NodeKind, ReadAt, Tree, TreeError, TreeErrorKind};
use std::collections::BTreeMap;
use std::ffi::{OsStr, OsString};
use std::hash::Hash;
use std::io;
use std::os::unix::ffi::OsStringExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Bytes of listings of folders that are kept: 16 MiB.
const KEPT: usize = 16 << 20;

/// A file system of inodes.
pub(crate) trait Inodes: Send + Sync + 'static {
    /// The number of an inode, and whatever else tells it from others.
    type Number: Copy + Eq + Hash + Send + Sync + 'static;
    /// An inode that was read.
    type Inode: Clone + Send + Sync;

    /// The number of the root.
    fn root(&self) -> Self::Number;
    /// Reads an inode.
    fn inode(&self, number: Self::Number) -> io::Result<Self::Inode>;
    /// What an inode is.
    fn node(&self, inode: &Self::Inode) -> Node;
    /// Whether an inode takes a name of lower layers away.
    fn is_whiteout(&self, _inode: &Self::Inode) -> bool {
        false
    }
    /// Whether a folder hides all that lower layers have below it.
    fn is_opaque(&self, _inode: &Self::Inode) -> bool {
        false
    }
    /// Calls `visit` with each name in a folder: what it is, where the folder tells, and its number.
    fn each(&self, folder: &Self::Inode, visit: &mut Visit<'_, Self::Number>) -> io::Result<()>;
    /// The content of a file, or the target of a link.
    fn content(self: &Arc<Self>, inode: &Self::Inode) -> io::Result<Box<dyn ReadAt>>;
}

/// Is called with each name of a folder; says when there are too many.
pub(crate) type Visit<'v, N> = dyn FnMut(&[u8], Option<NodeKind>, N) -> io::Result<()> + 'v;

type Folder<N> = BTreeMap<OsString, (NodeKind, N)>;

/// A tree of a file system of inodes.
pub(crate) struct InodeTree<F: Inodes> {
    file_system: Arc<F>,
    folders: Cache<F::Number, Arc<Folder<F::Number>>>,
}

/// An inode with its number.
struct Found<F: Inodes> {
    number: F::Number,
    inode: F::Inode,
    node: Node,
}

impl<F: Inodes> InodeTree<F> {
    /// The tree of a file system.
    ///
    /// # Errors
    /// When its root can't be read, or is no folder.
    pub(crate) fn new(file_system: Arc<F>) -> io::Result<Self> {
        let tree = Self {
            file_system,
            folders: Cache::new(KEPT, |folder| folder.keys().map(|name| name.len().saturating_add(64)).sum()),
        };
        if tree.found(tree.file_system.root())?.node.kind != NodeKind::Folder {
            return Err(io::Error::new(io::ErrorKind::InvalidData, "its root is not a folder"));
        }
        Ok(tree)
    }

    fn found(&self, number: F::Number) -> io::Result<Found<F>> {
        let inode = self.file_system.inode(number)?;
        let node = self.file_system.node(&inode);
        Ok(Found { number, inode, node })
    }

    fn folder(&self, of: &Found<F>) -> io::Result<Arc<Folder<F::Number>>> {
        self.folders.get_or(of.number, || {
            let mut folder = Folder::new();
            self.file_system.each(&of.inode, &mut |name, kind, number| {
                if name.is_empty()
                    || name == b"."
                    || name == b".."
                    || name.contains(&b'/')
                    || name.contains(&0)
                {
                    return Ok(());
                }
                if folder.len() >= LIMITS.folder_names {
                    return Err(io::Error::new(
                        io::ErrorKind::InvalidData,
                        format!("contains more names than are read: the limit is {}", LIMITS.folder_names),
                    ));
                }
                let kind = match kind {
                    Some(kind) => kind,
                    None => self.found(number)?.node.kind,
                };
                folder.insert(OsString::from_vec(name.to_vec()), (kind, number));
                Ok(())
            })?;
            Ok(Arc::new(folder))
        })
    }

    fn inside(&self, above: &Found<F>, name: &OsStr) -> io::Result<Option<Found<F>>> {
        if above.node.kind != NodeKind::Folder {
            return Ok(None);
        }
        self.folder(above)?.get(name).map(|(_, number)| self.found(*number)).transpose()
    }

    fn target(&self, link: &F::Inode, node: Node) -> io::Result<PathBuf> {
        let length = usize::try_from(node.size).unwrap_or(usize::MAX);
        if length > LIMITS.link_target_bytes {
            return Err(io::Error::new(io::ErrorKind::InvalidData, "a link has too long a target"));
        }
        let target = self.file_system.content(link)?.exactly(0, length)?;
        Ok(OsString::from_vec(target).into())
    }

    /// The inode of a path, links resolved inside the file system.
    fn find(&self, path: &Path, follow_last: bool) -> Result<Found<F>, TreeError> {
        let fail = |error| TreeError::io(path, error);
        let root = self.file_system.root();
        // What lies on the way, from the root down: each name is looked for in the last folder alone.
        let mut walked = vec![self.found(root).map_err(fail)?];
        let clean = resolve(path, follow_last, |clean| {
            walked.truncate(clean.iter().count());
            let (Some(above), Some(name)) = (walked.last(), clean.file_name()) else {
                return Ok(Step::Missing);
            };
            let Some(found) = self.inside(above, name).map_err(fail)? else { return Ok(Step::Missing) };
            let step = match found.node.kind {
                NodeKind::Folder => Step::Folder,
                NodeKind::Link => Step::Link(self.target(&found.inode, found.node).map_err(fail)?),
                _ => Step::Leaf,
            };
            walked.push(found);
            Ok(step)
        })?;
        walked.truncate(clean.iter().count().saturating_add(1));
        walked.pop().ok_or_else(|| TreeError::new(path, TreeErrorKind::Missing))
    }
}

impl<F: Inodes> Tree for InodeTree<F> {
    fn node(&self, path: &Path, follow_last: bool) -> Result<Node, TreeError> {
        Ok(self.find(path, follow_last)?.node)
    }

    fn list(&self, path: &Path) -> Result<Vec<Entry>, TreeError> {
        let found = self.find(path, true)?;
        if found.node.kind != NodeKind::Folder {
            return Err(TreeError::new(path, TreeErrorKind::NotAFolder));
        }
        let folder = self.folder(&found).map_err(|error| TreeError::io(path, error))?;
        Ok(folder.iter().map(|(name, (kind, _))| Entry { name: name.clone(), kind: *kind }).collect())
    }

    fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), TreeError> {
        read_whole(path, self.open(path)?.as_ref(), limit, buffer)
    }

    fn open(&self, path: &Path) -> Result<Box<dyn ReadAt>, TreeError> {
        let found = self.find(path, true)?;
        if found.node.kind != NodeKind::File {
            return Err(TreeError::new(path, TreeErrorKind::NotAFile));
        }
        self.file_system.content(&found.inode).map_err(|error| TreeError::io(path, error))
    }

    fn is_whiteout(&self, path: &Path) -> bool {
        self.find(path, false).is_ok_and(|found| self.file_system.is_whiteout(&found.inode))
    }

    fn is_opaque(&self, path: &Path) -> bool {
        self.find(path, false).is_ok_and(|found| {
            found.node.kind == NodeKind::Folder && self.file_system.is_opaque(&found.inode)
        })
    }

    fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError> {
        let found = self.find(path, false)?;
        if found.node.kind != NodeKind::Link {
            return Err(TreeError::new(path, TreeErrorKind::NotALink));
        }
        self.target(&found.inode, found.node).map_err(|error| TreeError::io(path, error))
    }
}

/// What a file's type bits say (`st_mode` of POSIX).
pub(crate) const fn kind_of(mode: u32) -> NodeKind {
    match mode & 0o170_000 {
        0o100_000 => NodeKind::File,
        0o040_000 => NodeKind::Folder,
        0o120_000 => NodeKind::Link,
        _ => NodeKind::Other,
    }
}

/// What a byte in a folder says of a name (`DT_*` as file systems number them): `None` where it says nothing.
pub(crate) const fn kind_of_entry(number: u8) -> Option<NodeKind> {
    match number {
        1 => Some(NodeKind::File),
        2 => Some(NodeKind::Folder),
        3..=6 => Some(NodeKind::Other),
        7 => Some(NodeKind::Link),
        _ => None,
    }
}

/// A run of a file: where it is among the file's bytes, and how long it is there.
pub(crate) trait Run: Send + Sync {
    /// Begin and length in the file, bytes.
    fn place(&self) -> (u64, u64);
}

/// Fills a buffer from runs, in the order of their begins; what no run covers is zeros. `fill` is asked for pieces that each are in one
/// run: the run, where in it, and what is to be filled. Returns how many bytes there were before `length`.
pub(crate) fn by_runs<R: Run>(
    runs: &[R],
    (offset, length): (u64, u64),
    buffer: &mut [u8],
    mut fill: impl FnMut(&R, u64, &mut [u8]) -> io::Result<()>,
) -> io::Result<usize> {
    let there = usize::try_from(length.saturating_sub(offset)).unwrap_or(usize::MAX).min(buffer.len());
    let mut at = offset;
    let mut rest = &mut buffer[..there];
    let mut next = runs.partition_point(|run| run.place().0 <= offset).saturating_sub(1);
    while !rest.is_empty() {
        let Some(run) = runs.get(next) else {
            rest.fill(0);
            break;
        };
        let (begin, long) = run.place();
        let end = begin.saturating_add(long);
        if at >= end {
            next = next.saturating_add(1);
            continue;
        }
        let until = if at < begin { begin } else { end };
        let piece = usize::try_from(until.saturating_sub(at)).unwrap_or(usize::MAX).min(rest.len());
        let (piece, after) = rest.split_at_mut(piece);
        if at < begin {
            piece.fill(0);
        } else {
            fill(run, at.saturating_sub(begin), piece)?;
        }
        at = at.saturating_add(piece.len() as u64);
        rest = after;
    }
    Ok(there)
}

/// A file system whose files are made of runs.
pub(crate) trait Filled: Send + Sync + 'static {
    /// A run of a file.
    type Run: Run + 'static;

    /// Fills a buffer from a place in a run on; what is asked for is in the run.
    fn fill(self: &Arc<Self>, run: &Self::Run, at: u64, out: &mut [u8]) -> io::Result<()>;
}

/// A file made of runs, in the order of their begins.
pub(crate) struct Content<F: Filled> {
    pub(crate) file_system: Arc<F>,
    pub(crate) runs: Arc<[F::Run]>,
    pub(crate) length: u64,
}

impl<F: Filled> ReadAt for Content<F> {
    fn len(&self) -> u64 {
        self.length
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        by_runs(&self.runs, (offset, self.length), buffer, |run, at, out| self.file_system.fill(run, at, out))
    }
}
