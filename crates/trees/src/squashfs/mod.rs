//! SquashFS 4.0 images, read lazily: what is not asked for is never decompressed.
//!
//! See the format's own description in the kernel's `Documentation/filesystems/squashfs.rst` and `docs/formats/squashfs.md`.
//! Everything in an image is untrusted: each size is checked against the image and against a limit before memory is
//! asked for, and a table that points back into itself ends in an error.

mod attributes;
mod inode;
mod meta;
mod unpack;

use crate::bytes::cut_off;
use crate::bytes::{by_blocks, copy_from, read_whole};
use crate::cache::Cache;
use crate::num::{le16, le32, le64};
use crate::path::{Step, resolve};
use crate::{Entry, Node, NodeKind, ReadAt, Tree, TreeError, TreeErrorKind};
use inode::{Content, Inode};
use meta::Place;
use std::collections::BTreeMap;
use std::ffi::{OsStr, OsString};
use std::io::{self, ErrorKind};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use unpack::Packing;

/// The first four bytes of an image.
const SQUASHFS_MAGIC: &[u8] = b"hsqs";

/// Bytes of unpacked tables, of unpacked blocks, and half of those of listings, that are kept: 16 MiB.
const KEPT: usize = 16 << 20;

/// A SquashFS image, seen as a root.
pub struct Squashfs {
    shared: Arc<Shared>,
    root: Inode,
    folders: Cache<(Place, u32), Arc<Folder>>,
}

/// Names in a folder, and where what they name is described.
type Folder = BTreeMap<OsString, (NodeKind, Place)>;

/// What open files keep of an image.
struct Shared {
    image: Box<dyn ReadAt>,
    packing: Packing,
    block_size: u32,
    inodes: u64,
    /// Bytes of the table of inodes, packed.
    inode_bytes: u64,
    listings: u64,
    fragments: u64,
    attributes: u64,
    fragment_count: u32,
    meta: Cache<u64, Arc<meta::Block>>,
    pieces: Cache<u64, Arc<Vec<u8>>>,
}

/// An image is damaged, or no image at all.
pub(crate) fn damaged(why: &str) -> io::Error {
    io::Error::new(ErrorKind::InvalidData, format!("damaged SquashFS: {why}"))
}

impl Squashfs {
    /// Opens an image.
    ///
    /// # Errors
    /// When it is no SquashFS 4.0 image, is packed in a way that can't be unpacked here, or has no readable root.
    pub fn open(image: Box<dyn ReadAt>) -> io::Result<Self> {
        let head = image.exactly(0, 96).map_err(|_| damaged("it is shorter than its first block"))?;
        if !head.starts_with(SQUASHFS_MAGIC) {
            return Err(damaged("it does not begin with `hsqs`"));
        }
        let (major, minor) = (le16(&head, 28), le16(&head, 30));
        if major != 4 {
            let why = format!("is a SquashFS of version {major}.{minor}; version 4 is read");
            return Err(io::Error::new(ErrorKind::Unsupported, why));
        }
        let cut = cut_off(image.len(), le64(&head, 40));
        let block_size = le32(&head, 12);
        if !block_size.is_power_of_two() || !(4096..=1 << 20).contains(&block_size) {
            return Err(damaged("its block size is none that is allowed"));
        }
        let shared = Arc::new(Shared {
            packing: Packing::new(le16(&head, 20))?,
            block_size,
            inodes: le64(&head, 64),
            inode_bytes: le64(&head, 72).min(image.len()).saturating_sub(le64(&head, 64)),
            listings: le64(&head, 72),
            fragments: le64(&head, 80),
            attributes: le64(&head, 56),
            fragment_count: le32(&head, 16),
            meta: Cache::new(KEPT, meta::Block::weight),
            pieces: Cache::new(KEPT, |piece| piece.len()),
            image,
        });
        // Its tables are at its end: without them nothing is told but how much is missing.
        let root = Inode::read(&shared, Place::new(le64(&head, 32)))
            .map_err(|error| cut.as_deref().map_or(error, damaged))?;
        if root.kind != NodeKind::Folder {
            return Err(damaged("its root is not a folder"));
        }
        Ok(Self { shared, root, folders: Cache::new(2 * KEPT, |folder| inode::weight(folder)) })
    }

    /// What is missing of an image that says it is longer than it is.
    pub(crate) fn missing(head: &[u8], length: u64) -> Option<String> {
        cut_off(length, le64(head, 40))
    }

    /// Whether so begins an image.
    pub fn begins(bytes: &[u8]) -> bool {
        bytes.starts_with(SQUASHFS_MAGIC)
    }

    fn inode(&self, clean: &Path) -> io::Result<Option<Inode>> {
        let mut here = self.root.clone();
        for name in clean {
            let Some(next) = self.inside(&here, name)? else { return Ok(None) };
            here = next;
        }
        Ok(Some(here))
    }

    /// What a name in a folder is; `None` where there is no such name, or no folder.
    fn inside(&self, above: &Inode, name: &OsStr) -> io::Result<Option<Inode>> {
        if above.kind != NodeKind::Folder {
            return Ok(None);
        }
        match self.folder(above)?.get(name) {
            Some((_, place)) => Inode::read(&self.shared, *place).map(Some),
            None => Ok(None),
        }
    }

    fn folder(&self, inode: &Inode) -> io::Result<Arc<Folder>> {
        let Content::Folder { listing, length, .. } = inode.content else {
            return Err(damaged("a folder has no listing"));
        };
        // An empty folder has no listing of its own: its place is that of the next one.
        self.folders
            .get_or((listing, length), || Ok(Arc::new(inode::listing(&self.shared, listing, length)?)))
    }

    /// The inode of a path, links resolved inside the image.
    fn find(&self, path: &Path, follow_last: bool) -> Result<Inode, TreeError> {
        let fail = |error| TreeError::io(path, error);
        // What lies on the way, from the root down: each name is looked for in the last folder alone.
        let mut walked = vec![self.root.clone()];
        let clean = resolve(path, follow_last, |clean| {
            walked.truncate(clean.iter().count());
            let (Some(above), Some(name)) = (walked.last(), clean.file_name()) else {
                return Ok(Step::Missing);
            };
            let Some(inode) = self.inside(above, name).map_err(fail)? else { return Ok(Step::Missing) };
            let step = match inode.kind {
                NodeKind::Folder => Step::Folder,
                NodeKind::Link => Step::Link(inode.target().map_err(fail)?),
                _ => Step::Leaf,
            };
            walked.push(inode);
            Ok(step)
        })?;
        walked.truncate(clean.iter().count().saturating_add(1));
        walked.pop().ok_or_else(|| TreeError::new(path, TreeErrorKind::Missing))
    }
}

impl Tree for Squashfs {
    fn node(&self, path: &Path, follow_last: bool) -> Result<Node, TreeError> {
        let inode = self.find(path, follow_last)?;
        Ok(Node { kind: inode.kind, size: inode.size(), mode: inode.mode, changed_at: inode.changed_at })
    }

    fn list(&self, path: &Path) -> Result<Vec<Entry>, TreeError> {
        let inode = self.find(path, true)?;
        if inode.kind != NodeKind::Folder {
            return Err(TreeError::new(path, TreeErrorKind::NotAFolder));
        }
        let folder = self.folder(&inode).map_err(|error| TreeError::io(path, error))?;
        Ok(folder.iter().map(|(name, (kind, _))| Entry { name: name.clone(), kind: *kind }).collect())
    }

    fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), TreeError> {
        read_whole(path, self.open(path)?.as_ref(), limit, buffer)
    }

    fn open(&self, path: &Path) -> Result<Box<dyn ReadAt>, TreeError> {
        let inode = self.find(path, true)?;
        let Content::File(blocks) = inode.content else {
            return Err(TreeError::new(path, TreeErrorKind::NotAFile));
        };
        Ok(Box::new(Opened { shared: Arc::clone(&self.shared), blocks }))
    }

    fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError> {
        let inode = self.find(path, false)?;
        if inode.kind != NodeKind::Link {
            return Err(TreeError::new(path, TreeErrorKind::NotALink));
        }
        inode.target().map_err(|error| TreeError::io(path, error))
    }

    fn is_whiteout(&self, path: &Path) -> bool {
        matches!(self.inode(path), Ok(Some(Inode { content: Content::Whiteout, .. })))
    }

    fn is_opaque(&self, path: &Path) -> bool {
        match self.inode(path) {
            Ok(Some(Inode { content: Content::Folder { attributes, .. }, .. })) => {
                attributes::is_opaque(&self.shared, attributes).unwrap_or(false)
            }
            _ => false,
        }
    }
}

/// A file of an image, unpacked block by block.
struct Opened {
    shared: Arc<Shared>,
    blocks: Arc<inode::Blocks>,
}

impl ReadAt for Opened {
    fn len(&self) -> u64 {
        self.blocks.size
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let block_size = u64::from(self.shared.block_size);
        by_blocks(offset, self.blocks.size, block_size, buffer, |at, out| {
            let number = at.checked_div(block_size).unwrap_or_default();
            let inside =
                usize::try_from(at.checked_rem(block_size).unwrap_or_default()).unwrap_or(usize::MAX);
            if inside == 0 {
                self.blocks.prepare_after(&self.shared, number);
            }
            match self.blocks.block(&self.shared, number)? {
                None => out.fill(0),
                Some((block, start)) => copy_from(&block, start.saturating_add(inside), out)?,
            }
            Ok(())
        })
    }
}
