use super::meta::{Place, Reader};
use super::{Folder, Shared, damaged, u16_at, u32_at, u64_at};
use crate::NodeKind;
use std::ffi::OsString;
use std::io;
use std::os::unix::ffi::OsStringExt;
use std::path::PathBuf;
use std::sync::Arc;

/// The longest target of a link that is believed, as on Linux.
const LONGEST_TARGET: u32 = 4096;
/// The longest listing of a folder that is read: more than a million names.
const LONGEST_LISTING: u32 = 64 << 20;

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

/// Where the blocks of a file lie.
#[derive(Debug)]
pub(super) struct Blocks {
    pub(super) size: u64,
    /// Offset in the image and stored size of each whole block; a stored size of 0 is a block of zeros.
    whole: Vec<(u64, u32)>,
    /// Number and offset of the block shared with other files that holds the end of this one.
    end: Option<(u32, u32)>,
}

impl Blocks {
    /// The unpacked block of that number, and where in it the file's bytes begin; `None` for zeros.
    pub(super) fn block(&self, shared: &Shared, number: u64) -> io::Result<Option<(Arc<Vec<u8>>, usize)>> {
        let whole = usize::try_from(number).ok().and_then(|number| self.whole.get(number));
        match (whole, self.end) {
            (Some((_, 0)), _) => Ok(None),
            (Some((at, stored)), _) => Ok(Some((shared.data_block(*at, *stored)?, 0))),
            (None, Some((fragment, offset))) => {
                let (at, stored) = shared.fragment(fragment)?;
                Ok(Some((shared.data_block(at, stored)?, offset as usize)))
            }
            (None, None) => Err(damaged("a file is longer than its blocks")),
        }
    }

    /// Lets whoever has time unpack what a reader that goes on will ask for next. Small files are not worth it.
    pub(super) fn prepare_after(&self, shared: &Arc<Shared>, number: u64) {
        let Ok(number) = usize::try_from(number) else { return };
        if self.whole.len() < MANY_BLOCKS {
            return;
        }
        let first = if number == 0 { 1 } else { number + AHEAD };
        for (at, stored) in self.whole.iter().skip(first).take(number + AHEAD + 1 - first) {
            let (shared, at, stored) = (Arc::clone(shared), *at, *stored);
            if stored != 0 {
                // Whoever reads the block is told what is wrong with it.
                rayon::spawn(move || _ = shared.data_block(at, stored));
            }
        }
    }
}

/// A file of so many blocks is unpacked ahead of its reader.
const MANY_BLOCKS: usize = 4;
/// So many blocks ahead.
const AHEAD: usize = 3;

impl Shared {
    fn fragment(&self, number: u32) -> io::Result<(u64, u32)> {
        if number >= self.fragment_count {
            return Err(damaged("the end of a file lies in a block that is not there"));
        }
        let pointer = self.piece(self.fragments + u64::from(number / 512) * 8, 8)?;
        let place = Place { block: 0, offset: (number % 512 * 16) as u16 };
        let entry = Reader::new(self, u64_at(&pointer, 0), place)?.take(16)?;
        Ok((u64_at(&entry, 0), u32_at(&entry, 8)))
    }
}

impl Inode {
    pub(super) fn read(shared: &Shared, place: Place) -> io::Result<Self> {
        let mut reader = Reader::new(shared, shared.inodes, place)?;
        let head = reader.take(16)?;
        let sort = u16_at(&head, 0);
        let (kind, content) = match sort {
            1 => {
                let rest = reader.take(16)?;
                let listing = Place { block: u64::from(u32_at(&rest, 0)), offset: u16_at(&rest, 10) };
                let length = u32::from(u16_at(&rest, 8));
                (NodeKind::Folder, Content::Folder { listing, length, attributes: u32::MAX })
            }
            8 => {
                let rest = reader.take(24)?;
                let listing = Place { block: u64::from(u32_at(&rest, 8)), offset: u16_at(&rest, 18) };
                let (length, attributes) = (u32_at(&rest, 4), u32_at(&rest, 20));
                (NodeKind::Folder, Content::Folder { listing, length, attributes })
            }
            2 | 9 => (NodeKind::File, Content::File(Arc::new(file(shared, &mut reader, sort == 9)?))),
            3 | 10 => {
                let length = u32_at(&reader.take(8)?, 4);
                if length > LONGEST_TARGET {
                    return Err(damaged("the target of a link is too long"));
                }
                (NodeKind::Link, Content::Link(reader.take(length as usize)?))
            }
            // Number of links, then the device.
            5 | 12 if u32_at(&reader.take(8)?, 4) == 0 => (NodeKind::Other, Content::Whiteout),
            4..=7 | 11..=14 => (NodeKind::Other, Content::Other),
            _ => return Err(damaged("a file is of no sort that there is")),
        };
        let mode = u32::from(u16_at(&head, 2)) & 0o7777;
        Ok(Self { kind, mode, changed_at: i64::from(u32_at(&head, 8)), content })
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
        (u64_at(&head, 0), u64_at(&head, 8), u32_at(&head, 28), u32_at(&head, 32))
    } else {
        (u64::from(u32_at(&head, 0)), u64::from(u32_at(&head, 12)), u32_at(&head, 4), u32_at(&head, 8))
    };
    let end = (fragment != u32::MAX).then_some((fragment, offset));
    let block_size = u64::from(shared.block_size);
    let count = if end.is_some() { size / block_size } else { size.div_ceil(block_size) };
    // Every block has four bytes in the tables, so that a count that can't be is found out before memory is asked for.
    if count * 4 > shared.image.len() * 1024 {
        return Err(damaged("a file is longer than the image could tell"));
    }
    let mut whole = Vec::new();
    let mut at = start;
    for _ in 0..count {
        let stored = u32_at(&reader.take(4)?, 0);
        whole.push((at, stored));
        at += u64::from(stored & 0x00ff_ffff);
    }
    Ok(Blocks { size, whole, end })
}

/// The names in a folder. `length` counts three bytes for `.` and `..`, which are not written.
pub(super) fn listing(shared: &Shared, place: Place, length: u32) -> io::Result<Folder> {
    let mut folder = Folder::new();
    let mut left = length.saturating_sub(3);
    if left > LONGEST_LISTING {
        return Err(damaged("a folder is too long"));
    }
    if left == 0 {
        return Ok(folder);
    }
    let mut reader = Reader::new(shared, shared.listings, place)?;
    while left > 0 {
        let head = reader.take(12)?;
        left = left.saturating_sub(12);
        let (count, block) = (u32_at(&head, 0), u64::from(u32_at(&head, 4)));
        for _ in 0..=count.min(255) {
            if left == 0 {
                break;
            }
            let entry = reader.take(8)?;
            let name = reader.take(usize::from(u16_at(&entry, 6)) + 1)?;
            left = left.saturating_sub(8 + u32::from(u16_at(&entry, 6)) + 1);
            if name.contains(&b'/') || name.contains(&0) || matches!(&name[..], b"." | b"..") {
                continue;
            }
            let kind = match u16_at(&entry, 4) {
                1 => NodeKind::Folder,
                2 => NodeKind::File,
                3 => NodeKind::Link,
                _ => NodeKind::Other,
            };
            let place = Place { block, offset: u16_at(&entry, 0) };
            folder.insert(OsString::from_vec(name), (kind, place));
        }
    }
    Ok(folder)
}
