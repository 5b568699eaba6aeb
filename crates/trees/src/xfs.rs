//! XFS file systems, versions 4 and 5 (XFS Algorithms & Data Structures, 3rd edition). Inodes are found by their numbers, folders are
//! read by their blocks of data alone, files by their extents or the tree of them.

use crate::bytes::cut_off;
use crate::inodes::{Content, Filled, InodeTree, Inodes, Run, Visit, by_runs, kind_of, kind_of_entry};
use crate::num::{be16, be32, be64, uuid_text};
use crate::visited::Visited;
use crate::{LIMITS, Node, ReadAt, Tree};
use std::io::{self, ErrorKind};
use std::sync::Arc;

/// Levels of a tree of extents.
const LEVELS: u16 = 9;
/// Where the addresses of a folder's index begin, bytes: what is behind is no data.
const INDEX: u64 = 32 << 30;
/// Bytes of all data of a folder.
const FOLDER_BYTES: u64 = 256 << 20;

/// Whether there is such a file system.
pub(crate) fn begins(head: &[u8]) -> bool {
    head.starts_with(b"XFSB")
}

/// Its UUID, lower case with hyphens, and its label.
pub(crate) fn names(head: &[u8]) -> (String, String) {
    let label = head.get(108..120).unwrap_or_default().split(|byte| *byte == 0).next().unwrap_or_default();
    (uuid_text(head.get(32..48).unwrap_or_default()), String::from_utf8_lossy(label).trim_end().to_owned())
}

fn damaged(why: &str) -> io::Error {
    io::Error::new(ErrorKind::InvalidData, format!("damaged XFS: {why}"))
}

/// A file system that was opened.
pub(crate) struct Xfs {
    device: Box<dyn ReadAt>,
    block: u64,
    group_blocks: u64,
    /// Bits of a block's number inside its group, of an inode's inside its block, of a block of a folder in blocks.
    group_log: u32,
    inodes_log: u32,
    folder_log: u32,
    inode_bytes: u64,
    groups: u64,
    root: u64,
    is_v5: bool,
    /// Whether folders tell what a name is.
    has_types: bool,
}

impl Xfs {
    /// Opens a device.
    ///
    /// # Errors
    /// When it is damaged, or of a version that is not known.
    pub(crate) fn open(device: Box<dyn ReadAt>) -> io::Result<(Arc<dyn Tree>, Vec<String>)> {
        const V5: u16 = 5;
        const V5_TYPES: u32 = 1;
        // Types in folders, sparse inodes, UUIDs of metadata, big timestamps, repair asked for, big counters, exchange, parents, groups as
        // folders.
        const V5_KNOWN: u32 = 0x1ff;
        const V4_TYPES: u32 = 0x200;
        const REPAIR: u32 = 0x10;
        let sb = device.exactly(0, 512).map_err(|_| damaged("it is cut off"))?;
        let version = be16(&sb, 100) & 15;
        let is_v5 = version == V5;
        if !matches!(version, 4 | V5) {
            return Err(io::Error::new(
                ErrorKind::Unsupported,
                "is an XFS file system of a version that is not known",
            ));
        }
        let (v4_features, features) = (be32(&sb, 200), be32(&sb, 216));
        if is_v5 && features & !V5_KNOWN != 0 {
            let why = format!("is an XFS file system with features that are not known (0x{features:x})");
            return Err(io::Error::new(ErrorKind::Unsupported, why));
        }
        let log = |at: usize| u32::from(sb.get(at).copied().unwrap_or_default());
        let found = Self {
            device,
            block: u64::from(be32(&sb, 4)),
            group_blocks: u64::from(be32(&sb, 84)),
            group_log: log(124),
            inodes_log: log(123),
            folder_log: log(192),
            inode_bytes: u64::from(be16(&sb, 104)),
            groups: u64::from(be32(&sb, 88)),
            root: be64(&sb, 56),
            is_v5,
            has_types: if is_v5 { features & V5_TYPES != 0 } else { v4_features & V4_TYPES != 0 },
        };
        if !found.block.is_power_of_two()
            || !(512..=65536).contains(&found.block)
            || !(256..=2048).contains(&found.inode_bytes)
            || found.group_log > 32
            || found.inodes_log > 8
            || found.folder_log > 7
        {
            return Err(damaged("its blocks have a size that none may have"));
        }
        let mut remarks = Vec::new();
        let stated = be64(&sb, 8).saturating_mul(found.block);
        remarks.extend(cut_off(found.device.len(), stated));
        if is_v5 && features & REPAIR != 0 {
            remarks.push("its file system is not clean: it says that it needs repair".to_owned());
        }
        // The log says whether it was unmounted: its last record is one of unmounting then.
        if found.is_dirty(&sb) {
            remarks.push(
                "its file system is not clean: it was not unmounted, and what its log holds is missing"
                    .to_owned(),
            );
        }
        Ok((Arc::new(InodeTree::new(Arc::new(found))?), remarks))
    }

    /// Whether the newest record of the log is something else than that of unmounting.
    fn is_dirty(&self, sb: &[u8]) -> bool {
        const RECORD: u32 = 0xfeed_babe;
        const UNMOUNT: u8 = 0x20;
        const WALKED: u64 = 64 << 20;
        const PIECE: usize = 1 << 20;
        let (begin, blocks) = (be64(sb, 48), u64::from(be32(sb, 96)));
        let length = blocks.saturating_mul(self.block).min(WALKED);
        if begin == 0 {
            return false;
        }
        let Ok(at) = self.bytes_of(begin) else { return false };
        let (mut newest, mut place) = ((0, 0), None);
        let mut piece = vec![0; PIECE];
        let (mut offset, mut here) = (0_u64, u64::MAX);
        while offset < length {
            let begin = offset & !(PIECE as u64).saturating_sub(1);
            if begin != here {
                if self.device.read_at(at.saturating_add(begin), &mut piece).is_err() {
                    break;
                }
                here = begin;
            }
            let inside = usize::try_from(offset.saturating_sub(begin)).unwrap_or_default();
            let head = piece.get(inside..inside.saturating_add(512)).unwrap_or_default();
            let mut step = 512;
            if be32(head, 0) == RECORD {
                let order = (be32(head, 4), be32(head, 20));
                if order >= newest {
                    (newest, place) = (order, Some(offset));
                }
                let size = u64::from(be32(head, 12)).next_multiple_of(512);
                // A header for each 32 KiB of the record's size.
                let headers = u64::from(be32(head, 320)).div_ceil(32 << 10).clamp(1, 8);
                step = size.saturating_add(headers.saturating_mul(512)).max(512);
            }
            offset = offset.saturating_add(step);
        }
        let Some(place) = place else { return false };
        let record = self.device.exactly(at.saturating_add(place), 1024).unwrap_or_default();
        be32(&record, 40) != 1 || record.get(520).is_none_or(|flags| flags & UNMOUNT == 0)
    }

    /// Where a block is, bytes.
    fn bytes_of(&self, number: u64) -> io::Result<u64> {
        let group = number.checked_shr(self.group_log).unwrap_or_default();
        let inside = number & (1_u64 << self.group_log).saturating_sub(1);
        if group >= self.groups || inside >= self.group_blocks {
            return Err(damaged("an address lies outside of the file system"));
        }
        Ok(group.saturating_mul(self.group_blocks).saturating_add(inside).saturating_mul(self.block))
    }

    /// The extents of a fork.
    fn extents(&self, inode: &Inode) -> io::Result<Vec<Extent>> {
        let mut found = Vec::new();
        match inode.format {
            2 => records(&inode.fork, inode.extents, self.block, &mut found)?,
            3 => {
                let level = be16(&inode.fork, 0);
                let most = inode.fork.len().saturating_sub(4) / 16;
                let count = usize::from(be16(&inode.fork, 2)).min(most);
                self.below(&inode.fork, (4, most, count), level, &mut found)?;
            }
            _ => return Err(damaged("a file has content of another sort")),
        }
        found.sort_by_key(|extent: &Extent| extent.begin);
        Ok(found)
    }

    /// The extents below the pointers of a block of the tree: where its keys begin, how many there may be, how many there are.
    fn below(
        &self,
        root: &[u8],
        shape: (usize, usize, usize),
        level: u16,
        found: &mut Vec<Extent>,
    ) -> io::Result<()> {
        if level == 0 || level > LEVELS {
            return Err(damaged("a tree of extents is too deep"));
        }
        let pointers = |block: &[u8], (keys, most, count): (usize, usize, usize)| -> Vec<u64> {
            let first = keys.saturating_add(most.saturating_mul(8));
            (0..count).map(|at| be64(block, first.saturating_add(at.saturating_mul(8)))).collect()
        };
        let mut waiting: Vec<(u64, u16)> =
            pointers(root, shape).into_iter().map(|at| (at, level.saturating_sub(1))).collect();
        let mut visited = Visited::default();
        while let Some((number, level)) = waiting.pop() {
            visited.enter(number)?;
            let size = usize::try_from(self.block).unwrap_or_default();
            let block = self.device.exactly(self.bytes_of(number)?, size)?;
            let header = match block.get(..4) {
                Some(b"BMAP") => 24_usize,
                Some(b"BMA3") => 72,
                _ => return Err(damaged("a block of a tree of extents is something else")),
            };
            // A block says how deep it lies, so that no circle is followed.
            if be16(&block, 4) != level {
                return Err(damaged("a tree of extents has a block of another level"));
            }
            let most = size.saturating_sub(header) / 16;
            let count = usize::from(be16(&block, 6)).min(most);
            if level == 0 {
                records(block.get(header..).unwrap_or_default(), count as u64, self.block, found)?;
            } else {
                let below = pointers(&block, (header, most, count));
                waiting.extend(below.into_iter().map(|at| (at, level.saturating_sub(1))));
            }
        }
        Ok(())
    }

    /// The names in a block of a folder.
    fn names(&self, block: &[u8], visit: &mut Visit<'_, u64>) -> io::Result<()> {
        let (mut at, is_single) = match block.get(..4) {
            Some(b"XD2B") => (16_usize, true),
            Some(b"XD2D") => (16, false),
            Some(b"XDB3") => (64, true),
            Some(b"XDD3") => (64, false),
            _ => return Err(damaged("a block of a folder is something else")),
        };
        let mut end = block.len();
        if is_single {
            let entries = be32(block, end.saturating_sub(8)) as usize;
            end = end.saturating_sub(8).saturating_sub(entries.saturating_mul(8));
        }
        while at.saturating_add(11) <= end {
            if be16(block, at) == 0xffff {
                let free = usize::from(be16(block, at.saturating_add(2)));
                if free < 8 {
                    return Err(damaged("a block of a folder goes in circles"));
                }
                at = at.saturating_add(free);
                continue;
            }
            let length = usize::from(block.get(at.saturating_add(8)).copied().unwrap_or_default());
            let begin = at.saturating_add(9);
            let name = block.get(begin..begin.saturating_add(length)).unwrap_or_default();
            let kind = self.kind(block, begin.saturating_add(length));
            visit(name, kind, be64(block, at))?;
            let whole = length.saturating_add(11).saturating_add(usize::from(self.has_types));
            at = at.saturating_add(whole.next_multiple_of(8));
        }
        Ok(())
    }

    fn kind(&self, block: &[u8], at: usize) -> Option<crate::NodeKind> {
        self.has_types.then(|| kind_of_entry(block.get(at).copied().unwrap_or_default())).flatten()
    }

    /// The names of a folder that is in its inode.
    fn short_names(&self, fork: &[u8], visit: &mut Visit<'_, u64>) -> io::Result<()> {
        let byte = |at: usize| fork.get(at).copied().unwrap_or_default();
        let (count, is_wide) = (byte(0), byte(1) > 0);
        let wide = if is_wide { 8 } else { 4 };
        let number = |at: usize| if is_wide { be64(fork, at) } else { u64::from(be32(fork, at)) };
        let mut at = 2_usize.saturating_add(wide);
        for _ in 0..count {
            let length = usize::from(byte(at));
            let begin = at.saturating_add(3);
            let name = fork
                .get(begin..begin.saturating_add(length))
                .ok_or_else(|| damaged("a folder is cut off"))?;
            let end = begin.saturating_add(length);
            visit(name, self.kind(fork, end), number(end.saturating_add(usize::from(self.has_types))))?;
            at = end.saturating_add(usize::from(self.has_types)).saturating_add(wide);
        }
        Ok(())
    }
}

/// An inode.
#[derive(Clone)]
pub(crate) struct Inode {
    node: Node,
    /// 1: in the inode itself, 2: extents there, 3: a tree of extents.
    format: u8,
    extents: u64,
    fork: Vec<u8>,
}

/// A run of a file: bytes of it, and the block that they begin at.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Extent {
    begin: u64,
    length: u64,
    block: u64,
    is_written: bool,
}

impl Run for Extent {
    fn place(&self) -> (u64, u64) {
        (self.begin, self.length)
    }
}

/// Extents as they are in an inode or a leaf: 16 bytes each.
fn records(bytes: &[u8], count: u64, size: u64, found: &mut Vec<Extent>) -> io::Result<()> {
    let records = bytes.chunks_exact(16).take(usize::try_from(count).unwrap_or(usize::MAX));
    for record in records {
        let (high, low) = (be64(record, 0), be64(record, 8));
        if found.len() >= LIMITS.extents {
            return Err(damaged("a file has too many extents"));
        }
        found.push(Extent {
            begin: ((high & !(1 << 63)) >> 9).saturating_mul(size),
            block: ((high & 0x1ff) << 43) | (low >> 21),
            length: (low & 0x1f_ffff).saturating_mul(size),
            is_written: high >> 63 == 0,
        });
    }
    Ok(())
}

impl Inodes for Xfs {
    type Number = u64;
    type Inode = Inode;

    fn root(&self) -> u64 {
        self.root
    }

    fn inode(&self, number: u64) -> io::Result<Inode> {
        const BIG_TIMES: u64 = 8;
        const BIG_COUNTERS: u64 = 16;
        let block = number.checked_shr(self.inodes_log).unwrap_or_default();
        let inside = number & (1_u64 << self.inodes_log).saturating_sub(1);
        let at = self.bytes_of(block)?.saturating_add(inside.saturating_mul(self.inode_bytes));
        let core = self.device.exactly(at, usize::try_from(self.inode_bytes).unwrap_or_default())?;
        if !core.starts_with(b"IN") {
            return Err(damaged("a name leads to no inode"));
        }
        let byte = |at: usize| core.get(at).copied().unwrap_or_default();
        let is_v3 = byte(4) >= 3;
        let begin = if is_v3 { 176_usize } else { 100 };
        let flags = if is_v3 { be64(&core, 120) } else { 0 };
        // What lies behind the fork of the data are attributes.
        let end = match usize::from(byte(82)) {
            0 => core.len(),
            words => begin.saturating_add(words.saturating_mul(8)).min(core.len()),
        };
        let changed_at = if flags & BIG_TIMES != 0 {
            // Nanoseconds since the first second that 32 bits can say.
            (be64(&core, 40) / 1_000_000_000).cast_signed().saturating_sub(1 << 31)
        } else {
            i64::from(be32(&core, 40).cast_signed())
        };
        let mode = u32::from(be16(&core, 2));
        Ok(Inode {
            node: Node { kind: kind_of(mode), size: be64(&core, 56), mode: mode & 0o7777, changed_at },
            format: byte(5),
            extents: if flags & BIG_COUNTERS != 0 { be64(&core, 24) } else { u64::from(be32(&core, 76)) },
            fork: core.get(begin..end).unwrap_or_default().to_vec(),
        })
    }

    fn node(&self, inode: &Inode) -> Node {
        inode.node
    }

    fn each(&self, folder: &Inode, visit: &mut Visit<'_, u64>) -> io::Result<()> {
        if folder.format == 1 {
            return self.short_names(&folder.fork, visit);
        }
        let size = self.block << self.folder_log;
        let runs: Arc<[Extent]> = self.extents(folder)?.into();
        let mut block = vec![0; usize::try_from(size).unwrap_or_default()];
        // A block of a folder may lie in several extents, and an extent hold several blocks.
        let (mut next, mut read) = (0_u64, 0_u64);
        for extent in runs.iter() {
            let end = extent.begin.saturating_add(extent.length).min(INDEX);
            next = next.max(extent.begin.saturating_sub(extent.begin.checked_rem(size).unwrap_or_default()));
            while next < end {
                read = read.saturating_add(size);
                if read > FOLDER_BYTES {
                    return Err(damaged("a folder has too much data"));
                }
                let until = next.saturating_add(size);
                by_runs(&runs, (next, until), &mut block, |run, at, out| self.fill_from(run, at, out))?;
                self.names(&block, visit)?;
                next = until;
            }
        }
        Ok(())
    }

    fn content(self: &Arc<Self>, inode: &Inode) -> io::Result<Box<dyn ReadAt>> {
        let length = inode.node.size;
        if inode.format == 1 {
            let bytes: Arc<[u8]> =
                inode.fork.get(..usize::try_from(length).unwrap_or(usize::MAX)).unwrap_or_default().into();
            return Ok(Box::new(bytes));
        }
        let extents = self.extents(inode)?;
        if inode.node.kind == crate::NodeKind::Link && self.is_v5 {
            return self.remote_target(&extents, length);
        }
        Ok(Box::new(Content { file_system: Arc::clone(self), runs: extents.into(), length }))
    }
}

impl Xfs {
    /// The target of a link that is in blocks of its own, each behind a header.
    fn remote_target(&self, extents: &[Extent], length: u64) -> io::Result<Box<dyn ReadAt>> {
        const HEADER: usize = 56;
        let mut target = Vec::new();
        let size = usize::try_from(self.block).unwrap_or_default();
        for extent in extents.iter().take(16) {
            for at in 0..extent.length.checked_div(self.block).unwrap_or_default().min(16) {
                let block = self.device.exactly(self.bytes_of(extent.block.saturating_add(at))?, size)?;
                if !block.starts_with(b"XSLM") {
                    return Err(damaged("the target of a link is something else"));
                }
                let there = (be32(&block, 8) as usize).min(size.saturating_sub(HEADER));
                target.extend_from_slice(block.get(HEADER..HEADER.saturating_add(there)).unwrap_or_default());
            }
        }
        target.truncate(usize::try_from(length).unwrap_or(usize::MAX));
        let target: Arc<[u8]> = target.into();
        Ok(Box::new(target))
    }
}

impl Xfs {
    fn fill_from(&self, run: &Extent, at: u64, out: &mut [u8]) -> io::Result<()> {
        if !run.is_written {
            out.fill(0);
            return Ok(());
        }
        match self.device.read_at(self.bytes_of(run.block)?.saturating_add(at), out)? {
            read if read < out.len() => Err(ErrorKind::UnexpectedEof.into()),
            _ => Ok(()),
        }
    }
}

impl Filled for Xfs {
    type Run = Extent;

    fn fill(self: &Arc<Self>, run: &Extent, at: u64, out: &mut [u8]) -> io::Result<()> {
        self.fill_from(run, at, out)
    }
}
