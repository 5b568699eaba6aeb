use super::meta::{Here, Place, Reader, offset_of, pointer_of};
use super::{Folder, Shared, damaged};
use crate::num::{le16, le32, le64};
use crate::{LIMITS, NodeKind, shielded};
use std::ffi::OsString;
use std::io;
use std::os::unix::ffi::OsStringExt;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};

/// What the inode table says of one file, folder or link.
#[derive(Debug, Clone)]
pub(super) struct Inode {
    pub(super) kind: NodeKind,
    pub(super) mode: u32,
    pub(super) changed_at: i64,
    pub(super) content: Content,
}

#[derive(Debug, Clone)]
pub(super) enum Content {
    Folder {
        listing: Place,
        length: u32,
        /// Number of its extended attributes.
        attributes: u32,
    },
    File(Arc<Blocks>),
    Link(Vec<u8>),
    Other,
    /// A character device 0/0: a layer takes this name away.
    Whiteout,
}

/// Where the blocks of a file are.
#[derive(Debug)]
pub(super) struct Blocks {
    pub(super) size: u64,
    /// Number of whole blocks.
    count: u64,
    /// Those that were asked for, and all before them.
    whole: Mutex<Whole>,
    /// Number and offset of the block shared with other files that holds the end of this one.
    end: Option<(u32, u32)>,
}

/// The first blocks of a file, as far as the table was read.
struct Whole {
    /// Offset in the image and stored size; a stored size of 0 is a block of zeros.
    known: Vec<(u64, u32)>,
    /// Where the next one is in the image.
    at: u64,
    /// Where the table says how long it is.
    here: Here,
}

impl std::fmt::Debug for Whole {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Whole").field("known", &self.known.len()).finish_non_exhaustive()
    }
}

impl Blocks {
    /// Offset in the image and stored size, both in bytes, of a full block; `None` past the last one.
    fn whole(&self, shared: &Shared, number: u64) -> io::Result<Option<(u64, u32)>> {
        if number >= self.count {
            return Ok(None);
        }
        let number = usize::try_from(number).unwrap_or(usize::MAX);
        // 16 bytes are kept of each; lists of holes alone shrink more than to a sixty-fourth when they are packed.
        if number as u64 > (LIMITS.metadata_bytes / 16).min(shared.inode_bytes.saturating_mul(16)) {
            return Err(damaged("a file has more blocks than its tables have room for"));
        }
        let mut whole = self.whole.lock().unwrap_or_else(PoisonError::into_inner);
        if number >= whole.known.len() {
            let mut reader = Reader::at(shared, whole.here.clone());
            while number >= whole.known.len() {
                let stored = le32(&reader.take(4)?, 0);
                let at = whole.at;
                whole.known.push((at, stored));
                whole.at = at.saturating_add(u64::from(stored & 0x00ff_ffff));
                whole.here = reader.here();
            }
        }
        Ok(whole.known.get(number).copied())
    }

    /// The unpacked block of that number, and where in it the file's bytes begin; `None` for zeros.
    pub(super) fn block(&self, shared: &Shared, number: u64) -> io::Result<Option<(Arc<Vec<u8>>, usize)>> {
        match (self.whole(shared, number)?, self.end) {
            (Some((_, 0)), _) => Ok(None),
            (Some((at, stored)), _) => Ok(Some((shared.data_block(at, stored)?, 0))),
            (None, Some((fragment, offset))) => {
                let (at, stored) = shared.fragment(fragment)?;
                Ok(Some((shared.data_block(at, stored)?, offset as usize)))
            }
            (None, None) => Err(damaged("a file is longer than its blocks")),
        }
    }

    /// Unpacks the next blocks on idle threads, for sequential readers; only for files of at least [`MANY_BLOCKS`] blocks.
    pub(super) fn prepare_after(&self, shared: &Arc<Shared>, number: u64) {
        if self.count < MANY_BLOCKS {
            return;
        }
        let last = number.saturating_add(AHEAD);
        let first = if number == 0 { 1 } else { last };
        for next in first..=last {
            let Ok(Some((at, stored))) = self.whole(shared, next) else { return };
            if stored != 0 {
                let shared = Arc::clone(shared);
                // Whoever reads the block is told what is wrong with it.
                rayon::spawn(move || _ = shielded(|| shared.data_block(at, stored)));
            }
        }
    }
}

/// A file of so many blocks is unpacked ahead of its reader.
const MANY_BLOCKS: u64 = 4;
/// So many blocks ahead.
const AHEAD: u64 = 3;

impl Shared {
    fn fragment(&self, number: u32) -> io::Result<(u64, u32)> {
        if number >= self.fragment_count {
            return Err(damaged("the end of a file is in a block that does not exist"));
        }
        let pointer = self.piece(pointer_of(self.fragments, number), 8)?;
        let place = Place { block: 0, offset: offset_of(number) };
        let entry = Reader::new(self, le64(&pointer, 0), place)?.take(16)?;
        Ok((le64(&entry, 0), le32(&entry, 8)))
    }
}

impl Inode {
    pub(super) fn read(shared: &Shared, place: Place) -> io::Result<Self> {
        let mut reader = Reader::new(shared, shared.inodes, place)?;
        let head = reader.take(16)?;
        let sort = le16(&head, 0);
        let (kind, content) = match sort {
            1 => {
                let rest = reader.take(16)?;
                let listing = Place { block: u64::from(le32(&rest, 0)), offset: le16(&rest, 10) };
                let length = u32::from(le16(&rest, 8));
                (NodeKind::Folder, Content::Folder { listing, length, attributes: u32::MAX })
            }
            8 => {
                let rest = reader.take(24)?;
                let listing = Place { block: u64::from(le32(&rest, 8)), offset: le16(&rest, 18) };
                let (length, attributes) = (le32(&rest, 4), le32(&rest, 20));
                (NodeKind::Folder, Content::Folder { listing, length, attributes })
            }
            2 | 9 => (NodeKind::File, Content::File(Arc::new(file(shared, &mut reader, sort == 9)?))),
            3 | 10 => {
                let length = le32(&reader.take(8)?, 4);
                if length as usize > LIMITS.link_target_bytes {
                    return Err(damaged("the target of a link is too long"));
                }
                (NodeKind::Link, Content::Link(reader.take(length as usize)?))
            }
            // Number of links, then the device.
            5 | 12 if le32(&reader.take(8)?, 4) == 0 => (NodeKind::Other, Content::Whiteout),
            4..=7 | 11..=14 => (NodeKind::Other, Content::Other),
            _ => return Err(damaged("a file is of an unknown type")),
        };
        let mode = u32::from(le16(&head, 2)) & 0o7777;
        Ok(Self { kind, mode, changed_at: i64::from(le32(&head, 8)), content })
    }

    pub(super) fn size(&self) -> u64 {
        match &self.content {
            Content::File(blocks) => blocks.size,
            Content::Link(target) => target.len() as u64,
            Content::Folder { .. } | Content::Other | Content::Whiteout => 0,
        }
    }

    pub(super) fn target(&self) -> io::Result<PathBuf> {
        match &self.content {
            Content::Link(target) => Ok(OsString::from_vec(target.clone()).into()),
            _ => Err(damaged("a link has no target")),
        }
    }
}

fn file(shared: &Shared, reader: &mut Reader<'_>, extended: bool) -> io::Result<Blocks> {
    let head = reader.take(if extended { 40 } else { 16 })?;
    let (start, size, fragment, offset) = if extended {
        (le64(&head, 0), le64(&head, 8), le32(&head, 28), le32(&head, 32))
    } else {
        (u64::from(le32(&head, 0)), u64::from(le32(&head, 12)), le32(&head, 4), le32(&head, 8))
    };
    let end = (fragment != u32::MAX).then_some((fragment, offset));
    let block_size = u64::from(shared.block_size);
    let count = match end {
        Some(_) => size.checked_div(block_size).unwrap_or_default(),
        None => size.div_ceil(block_size),
    };
    let whole = Mutex::new(Whole { known: Vec::new(), at: start, here: reader.here() });
    Ok(Blocks { size, count, whole, end })
}

/// About how much memory a folder takes.
pub(super) fn weight(folder: &Folder) -> usize {
    folder.keys().map(|name| name.len().saturating_add(100)).fold(64, usize::saturating_add)
}

/// The names in a folder. `length` counts three bytes for `.` and `..`, which are not written.
pub(super) fn listing(shared: &Shared, place: Place, length: u32) -> io::Result<Folder> {
    let mut folder = Folder::new();
    let mut left = length.saturating_sub(3);
    if u64::from(left) > LIMITS.metadata_bytes {
        return Err(damaged("a folder is too long"));
    }
    if left == 0 {
        return Ok(folder);
    }
    let mut reader = Reader::new(shared, shared.listings, place)?;
    while left > 0 {
        let head = reader.take(12)?;
        left = left.saturating_sub(12);
        let (count, block) = (le32(&head, 0), u64::from(le32(&head, 4)));
        for _ in 0..=count.min(255) {
            if left == 0 {
                break;
            }
            let entry = reader.take(8)?;
            let name = reader.take(usize::from(le16(&entry, 6)).saturating_add(1))?;
            left = left.saturating_sub(u32::from(le16(&entry, 6)).saturating_add(9));
            if folder.len() >= LIMITS.folder_names {
                return Err(damaged("a folder has too many names"));
            }
            if name.contains(&b'/') || name.contains(&0) || matches!(&name[..], b"." | b"..") {
                continue;
            }
            let kind = match le16(&entry, 4) {
                1 => NodeKind::Folder,
                2 => NodeKind::File,
                3 => NodeKind::Link,
                _ => NodeKind::Other,
            };
            let place = Place { block, offset: le16(&entry, 0) };
            folder.insert(OsString::from_vec(name), (kind, place));
        }
    }
    Ok(folder)
}
