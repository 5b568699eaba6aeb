//! EROFS images (Documentation/filesystems/erofs of Linux, `erofs_fs.h`): plain, inline and chunked files, and packed ones with LZ4, LZMA,
//! DEFLATE or zstd, in clusters of any size, with tails inside inodes, and with fragments that share one packed inode.

mod attributes;
mod index;
mod unpack;

use crate::bytes::copy_from;
use crate::bytes::cut_off;
use crate::cache::Cache;
use crate::inodes::{Content, Filled, InodeTree, Inodes, Run, Visit, by_runs, kind_of, kind_of_entry};
use crate::num::{le16, le32, le64, uuid_text};
use crate::{LIMITS, Node, NodeKind, ReadAt, Tree};
use index::{Entry, Map};
use std::io::{self, ErrorKind};
use std::sync::{Arc, OnceLock};
use unpack::unpack;

/// Where the superblock is.
const SUPER: usize = 1024;
/// Bytes that one packed extent may hold.
const EXTENT_LIMIT: u64 = 16 << 20;
/// Bytes of unpacked extents that are kept.
const KEPT: usize = 32 << 20;
/// A chunk, or blocks, that are not there: zeros.
const HOLE: u32 = u32::MAX;

/// Whether there is such a file system.
pub(crate) fn begins(head: &[u8]) -> bool {
    head.get(SUPER..SUPER + 4) == Some(&[0xe2, 0xe1, 0xf5, 0xe0])
}

/// Its UUID, lower case with hyphens, and its label.
pub(crate) fn names(head: &[u8]) -> (String, String) {
    let sb = head.get(SUPER..).unwrap_or_default();
    let label = sb.get(64..80).unwrap_or_default().split(|byte| *byte == 0).next().unwrap_or_default();
    (uuid_text(sb.get(48..64).unwrap_or_default()), String::from_utf8_lossy(label).into_owned())
}

fn damaged(why: &str) -> io::Error {
    io::Error::new(ErrorKind::InvalidData, format!("damaged EROFS: {why}"))
}

/// A file system that was opened.
pub(crate) struct Erofs {
    device: Box<dyn ReadAt>,
    block_log: u32,
    meta: u64,
    /// Where the attributes are that several inodes share.
    shared: u64,
    root: u64,
    built_at: i64,
    /// The inode that fragments are in.
    packed: Option<u64>,
    extents: Cache<(u64, u64), Arc<Vec<u8>>>,
    /// The extents of the inode of the fragments, once they were asked for.
    fragments: OnceLock<(Arc<[Extent]>, u64)>,
}

impl Erofs {
    /// Opens an image.
    ///
    /// # Errors
    /// When it is damaged, is on several devices, or uses what is not known.
    pub(crate) fn open(device: Box<dyn ReadAt>) -> io::Result<(Arc<dyn Tree>, Option<String>)> {
        // Padded LZ4, settings of packings, chunks, second heads and devices, tails in inodes, fragments, prefixes of attributes.
        const KNOWN: u32 = 0x7f;
        const FRAGMENTS: u32 = 0x20;
        let sb = device.exactly(SUPER as u64, 128).map_err(|_| damaged("it is cut off"))?;
        let features = le32(&sb, 80);
        if features & !KNOWN != 0 || le16(&sb, 86) != 0 {
            let why = format!("is an EROFS image with features that are not known (0x{features:x})");
            return Err(io::Error::new(ErrorKind::Unsupported, why));
        }
        let block_log = u32::from(sb[12]);
        if !(9..=16).contains(&block_log) {
            return Err(damaged("its blocks have a size that none may have"));
        }
        let stated = u64::from(le32(&sb, 36)) << block_log;
        let cut = cut_off(device.len(), stated);
        let found = Self {
            device,
            block_log,
            meta: u64::from(le32(&sb, 40)) << block_log,
            shared: u64::from(le32(&sb, 44)) << block_log,
            root: u64::from(le16(&sb, 14)),
            built_at: le64(&sb, 24).cast_signed(),
            packed: (features & FRAGMENTS != 0).then(|| le64(&sb, 96)),
            extents: Cache::new(KEPT, |extent| extent.len()),
            fragments: OnceLock::new(),
        };
        Ok((Arc::new(InodeTree::new(Arc::new(found))?), cut))
    }

    fn block(&self) -> u64 {
        1 << self.block_log
    }

    /// A whole file, whatever its layout.
    fn content_of(self: &Arc<Self>, inode: &Inode) -> io::Result<Content<Self>> {
        let runs = match inode.layout {
            0 | 2 => self.flat(inode)?,
            4 => self.chunks(inode)?,
            1 | 3 => self.packed(inode)?,
            _ => return Err(damaged("a file has a layout that there is not")),
        };
        Ok(Content { file_system: Arc::clone(self), runs: runs.into(), length: inode.node.size })
    }

    /// Whole blocks, and perhaps a tail behind the inode.
    fn flat(&self, inode: &Inode) -> io::Result<Vec<Extent>> {
        let size = inode.node.size;
        let tail = if inode.layout == 2 { size & self.block().saturating_sub(1) } else { 0 };
        let whole = size.saturating_sub(tail);
        let at = u64::from(inode.first).checked_shl(self.block_log).unwrap_or_default();
        let mut runs = Vec::new();
        if whole > 0 {
            runs.push(Extent {
                begin: 0,
                length: whole,
                held: if inode.first == HOLE { Held::Nothing } else { Held::Plain(at) },
            });
        }
        if tail > 0 {
            runs.push(Extent { begin: whole, length: tail, held: Held::Plain(inode.end) });
        }
        Ok(runs)
    }

    /// The number of pieces that a file lies in, where it is one that can be. Each has at least two bytes in the image.
    fn few(&self, pieces: u64) -> io::Result<u64> {
        if pieces.saturating_mul(2) > self.device.len() || pieces > LIMITS.extents as u64 {
            return Err(damaged("a file lies in more pieces than are read"));
        }
        Ok(pieces)
    }

    /// Chunks, each with the block that it begins at.
    fn chunks(&self, inode: &Inode) -> io::Result<Vec<Extent>> {
        const HAS_INDEXES: u32 = 0x20;
        let log = self.block_log.saturating_add(inode.first & 31);
        let chunk =
            1_u64.checked_shl(log).ok_or_else(|| damaged("its chunks have a size that none may have"))?;
        let (size, at) = if inode.first & HAS_INDEXES != 0 {
            (8_u64, inode.end.next_multiple_of(8))
        } else {
            (4, inode.end.next_multiple_of(4))
        };
        let count = self.few(inode.node.size.div_ceil(chunk))?;
        let length = usize::try_from(count.saturating_mul(size)).unwrap_or(usize::MAX);
        let table = self.device.exactly(at, length)?;
        let entry = |number: usize| {
            let place = number.saturating_mul(usize::try_from(size).unwrap_or(8));
            le32(&table, if size == 8 { place.saturating_add(4) } else { place })
        };
        Ok((0..usize::try_from(count).unwrap_or_default())
            .map(|number| {
                let block = entry(number);
                let held = if block == HOLE {
                    Held::Nothing
                } else {
                    Held::Plain(u64::from(block) << self.block_log)
                };
                Extent { begin: (number as u64).saturating_mul(chunk), length: chunk, held }
            })
            .collect())
    }

    /// The extents of a packed file.
    fn packed(&self, inode: &Inode) -> io::Result<Vec<Extent>> {
        const ALL_IN_FRAGMENT: u8 = 0x80;
        let head_at = inode.end.next_multiple_of(8);
        let header = self.device.exactly(head_at, 8)?;
        let size = inode.node.size;
        if header[7] & ALL_IN_FRAGMENT != 0 {
            let at = le64(&header, 0) & !(1 << 63);
            return Ok(vec![Extent { begin: 0, length: size, held: Held::Fragment(at) }]);
        }
        let map = Map {
            advise: le16(&header, 4),
            algorithms: [header[6] & 15, header[6] >> 4],
            cluster_log: self.block_log.saturating_add(u32::from(header[7] & 7)),
            inode,
            begin: head_at.saturating_add(8),
        };
        let clusters = self.few(size.div_ceil(1 << map.cluster_log))?;
        let index = clusters.saturating_mul(if inode.layout == 1 { 8 } else { 4 }).saturating_add(64);
        let index = index.min(self.device.len().saturating_sub(map.begin)).min(LIMITS.metadata_bytes);
        let index = self.device.exactly(map.begin, usize::try_from(index).unwrap_or_default())?;
        let mut runs: Vec<Extent> = Vec::new();
        let mut last = (0, 0);
        let mut pieces: Vec<(u64, Entry)> = Vec::new();
        for number in 0..clusters {
            let (entry, end) = map.entry(&index, number, clusters)?;
            last = (end, entry.block);
            match entry.kind {
                // What belongs to the extent before may tell how many blocks that has.
                2 => {
                    if let (Some((_, before)), true) =
                        (pieces.last_mut(), entry.offset & index::IS_COUNT != 0)
                        && map.is_big(before.kind)
                        && before.blocks == 0
                    {
                        before.blocks = u64::from(entry.offset & !index::IS_COUNT);
                    }
                }
                _ => {
                    let begin = number.checked_shl(map.cluster_log).unwrap_or_default();
                    let begin = begin.saturating_add(u64::from(entry.offset));
                    // An extent may be said to begin where the file ends.
                    if begin < size {
                        pieces.push((begin, entry));
                    }
                }
            }
        }
        for (at, (begin, entry)) in pieces.iter().enumerate() {
            let end = pieces.get(at.saturating_add(1)).map_or(size, |(next, _)| *next);
            let length = end.saturating_sub(*begin);
            if length > EXTENT_LIMIT {
                return Err(damaged("a packed extent is too long"));
            }
            let is_tail = at.saturating_add(1) == pieces.len();
            let blocks = if entry.blocks == 0 {
                1_u64 << map.cluster_log.saturating_sub(self.block_log)
            } else {
                entry.blocks
            };
            let (place, stored) = if is_tail && map.advise & Map::TAIL_INLINE != 0 {
                (last.0, u64::from(le16(&header, 2)))
            } else {
                (u64::from(entry.block) << self.block_log, blocks << self.block_log)
            };
            let held = if is_tail && map.advise & Map::TAIL_FRAGMENT != 0 {
                let high = if inode.layout == 1 { u64::from(last.1) << 32 } else { 0 };
                Held::Fragment(u64::from(le32(&header, 0)) | high)
            } else if entry.kind == 0 {
                // Where plain extents are interlaced, they keep their place in the block; a tail in the inode is in none.
                let is_inline = is_tail && map.advise & Map::TAIL_INLINE != 0;
                let turned = if map.advise & Map::INTERLACED != 0 && !is_inline {
                    begin & self.block().saturating_sub(1)
                } else {
                    0
                };
                Held::Turned { at: place, turned, stored: stored.min(self.block()) }
            } else {
                let algorithm = map.algorithms[usize::from(entry.kind == 3)];
                Held::Packed { at: place, stored, algorithm }
            };
            runs.push(Extent { begin: *begin, length, held });
        }
        Ok(runs)
    }

    /// An extent, unpacked.
    fn unpacked(&self, (at, stored): (u64, u64), algorithm: u8, length: u64) -> io::Result<Arc<Vec<u8>>> {
        self.extents.get_or((at, length), || {
            let stored = stored.min(self.device.len().saturating_sub(at)).min(EXTENT_LIMIT);
            let packed = self.device.exactly(at, usize::try_from(stored).unwrap_or_default())?;
            let most = usize::try_from(length.min(EXTENT_LIMIT)).unwrap_or_default();
            let mut out = unpack(&packed, algorithm, most)?;
            out.resize(most, 0);
            Ok(Arc::new(out))
        })
    }
}

/// An inode.
#[derive(Clone)]
pub(crate) struct Inode {
    node: Node,
    layout: u16,
    /// The first block, what describes the chunks, or the number of the device.
    first: u32,
    /// Where the inode and its attributes end.
    end: u64,
    /// Bytes of its attributes.
    attributes: u64,
}

impl Inodes for Erofs {
    type Number = u64;
    type Inode = Inode;

    fn root(&self) -> u64 {
        self.root
    }

    fn inode(&self, number: u64) -> io::Result<Inode> {
        let at = self.meta.saturating_add(number.saturating_mul(32));
        let core = self.device.exactly(at, 64).or_else(|_| self.device.exactly(at, 32))?;
        let format = le16(&core, 0);
        let is_long = format & 1 != 0;
        let attributes = match u64::from(le16(&core, 2)) {
            0 => 0,
            count => count.saturating_sub(1).saturating_mul(4).saturating_add(12),
        };
        let mode = u32::from(le16(&core, 4));
        let (size, changed_at) = if is_long {
            (le64(&core, 8), le64(&core, 32).cast_signed())
        } else {
            (u64::from(le32(&core, 8)), self.built_at)
        };
        Ok(Inode {
            node: Node { kind: kind_of(mode), size, mode: mode & 0o7777, changed_at },
            layout: (format >> 1) & 7,
            first: le32(&core, 16),
            end: at.saturating_add(if is_long { 64 } else { 32 }).saturating_add(attributes),
            attributes,
        })
    }

    fn node(&self, inode: &Inode) -> Node {
        inode.node
    }

    fn is_whiteout(&self, inode: &Inode) -> bool {
        inode.node.kind == NodeKind::Other && inode.first == 0
    }

    fn is_opaque(&self, inode: &Inode) -> bool {
        let length = inode.attributes.min(attributes::LIMIT);
        let begin = inode.end.saturating_sub(inode.attributes);
        let Ok(held) = self.device.exactly(begin, usize::try_from(length).unwrap_or_default()) else {
            return false;
        };
        attributes::is_opaque(&held)
            || attributes::shared(&held).any(|number| {
                let at = self.shared.saturating_add(u64::from(number).saturating_mul(4));
                let mut entry = vec![0; attributes::SHARED];
                self.device.read_at(at, &mut entry).is_ok() && attributes::says_so(&entry)
            })
    }

    fn each(&self, folder: &Inode, visit: &mut Visit<'_, u64>) -> io::Result<()> {
        const FOLDER_BYTES: u64 = 64 << 20;
        let size = folder.node.size;
        if size > FOLDER_BYTES || !matches!(folder.layout, 0 | 2) {
            return Err(damaged("a folder is too long, or packed"));
        }
        let runs = self.flat(folder)?;
        let mut at = 0_u64;
        while at < size {
            let length = self.block().min(size.saturating_sub(at));
            let mut block = vec![0; usize::try_from(length).unwrap_or_default()];
            by_runs(&runs, (at, size), &mut block, |run, inside, out| match run.held {
                Held::Plain(begin) => self.plain(begin.saturating_add(inside), out),
                _ => Err(damaged("a folder lies nowhere")),
            })?;
            // The place of the first name tells how many entries there are.
            let count = usize::from(le16(&block, 8)) / 12;
            for number in 0..count {
                let entry = number.saturating_mul(12);
                let begin = usize::from(le16(&block, entry.saturating_add(8)));
                let next = entry.saturating_add(12);
                let end = if number.saturating_add(1) < count {
                    usize::from(le16(&block, next.saturating_add(8)))
                } else {
                    block.len()
                };
                let name =
                    block.get(begin..end).ok_or_else(|| damaged("a name lies outside of its block"))?;
                let name = name.split(|byte| *byte == 0).next().unwrap_or_default();
                let kind = kind_of_entry(block.get(entry.saturating_add(10)).copied().unwrap_or_default());
                visit(name, kind, le64(&block, entry))?;
            }
            at = at.saturating_add(length);
        }
        Ok(())
    }

    fn content(self: &Arc<Self>, inode: &Inode) -> io::Result<Box<dyn ReadAt>> {
        Ok(Box::new(self.content_of(inode)?))
    }
}

impl Erofs {
    fn plain(&self, at: u64, out: &mut [u8]) -> io::Result<()> {
        match self.device.read_at(at, out)? {
            read if read < out.len() => Err(ErrorKind::UnexpectedEof.into()),
            _ => Ok(()),
        }
    }
}

/// A run of a file.
#[derive(Debug)]
pub(crate) struct Extent {
    begin: u64,
    length: u64,
    held: Held,
}

#[derive(Debug)]
enum Held {
    /// As it is, from a place of the image on.
    Plain(u64),
    /// As it is in one block, but begun inside it: what does not fit before its end is at its begin.
    Turned { at: u64, turned: u64, stored: u64 },
    /// Packed.
    Packed { at: u64, stored: u64, algorithm: u8 },
    /// In the inode of the fragments, from a place on.
    Fragment(u64),
    /// Zeros.
    Nothing,
}

impl Run for Extent {
    fn place(&self) -> (u64, u64) {
        (self.begin, self.length)
    }
}

impl Filled for Erofs {
    type Run = Extent;

    fn fill(self: &Arc<Self>, run: &Extent, at: u64, out: &mut [u8]) -> io::Result<()> {
        match run.held {
            Held::Nothing => {
                out.fill(0);
                Ok(())
            }
            Held::Plain(begin) => self.plain(begin.saturating_add(at), out),
            Held::Turned { at: place, turned, stored } => {
                let mut block = vec![0; usize::try_from(stored).unwrap_or_default()];
                self.plain(place, &mut block)?;
                let turned = usize::try_from(turned).unwrap_or_default().min(block.len());
                block.rotate_left(turned);
                copy_from(&block, usize::try_from(at).unwrap_or(usize::MAX), out)
            }
            Held::Packed { at: place, stored, algorithm } => {
                let whole = self.unpacked((place, stored), algorithm, run.length)?;
                copy_from(&whole, usize::try_from(at).unwrap_or(usize::MAX), out)
            }
            Held::Fragment(begin) => match self.fragments()?.read_at(begin.saturating_add(at), out)? {
                read if read < out.len() => Err(ErrorKind::UnexpectedEof.into()),
                _ => Ok(()),
            },
        }
    }
}

impl Erofs {
    /// The inode of the fragments; it has none itself.
    fn fragments(self: &Arc<Self>) -> io::Result<Content<Self>> {
        let content = |(runs, length): &(Arc<[Extent]>, u64)| Content {
            file_system: Arc::clone(self),
            runs: Arc::clone(runs),
            length: *length,
        };
        if let Some(known) = self.fragments.get() {
            return Ok(content(known));
        }
        let inode = self.inode(self.packed.ok_or_else(|| damaged("a fragment lies nowhere"))?)?;
        let found = self.content_of(&inode)?;
        if found.runs.iter().any(|run| matches!(run.held, Held::Fragment(_))) {
            return Err(damaged("fragments lie in fragments"));
        }
        Ok(content(self.fragments.get_or_init(|| (found.runs, found.length))))
    }
}
