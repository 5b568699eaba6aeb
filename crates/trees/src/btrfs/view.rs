//! A subvolume as a tree: inodes, names, and what files hold.

use super::{Btrfs, FIRST_INODE, Key, Place, ROOT_ITEM, damaged, unsupported};
use crate::cache::Cache;
use crate::inodes::{Content, Filled, Inodes, Run, Visit, kind_of, kind_of_entry};
use crate::num::{le16, le32, le64};
use crate::{LIMITS, Node, ReadAt};
use std::io::{self, ErrorKind, Read};
use std::sync::Arc;

const INODE_ITEM: u8 = 1;
const DIR_INDEX: u8 = 96;
const EXTENT_DATA: u8 = 108;
/// Bytes that a packed extent holds, packed and unpacked; the format allows 128 KiB.
const EXTENT_LIMIT: u64 = 1 << 20;

/// The file system as seen from one subvolume.
pub(super) struct View {
    file_system: Arc<Btrfs>,
    root: (u64, u64),
    trees: Cache<u64, Place>,
}

impl View {
    /// The subvolume of a number, whose tree begins there.
    pub(super) fn new(file_system: Arc<Btrfs>, id: u64, tree: Place) -> io::Result<Self> {
        let view = Self { file_system, root: (id, FIRST_INODE), trees: Cache::new(1 << 20, |_| 32) };
        view.trees.get_or(id, || Ok(tree))?;
        Ok(view)
    }

    fn place(&self, subvolume: u64) -> io::Result<Place> {
        self.trees.get_or(subvolume, || self.file_system.subvolume(subvolume))
    }
}

/// An inode, and the subvolume that it is in.
#[derive(Clone)]
pub(super) struct Inode {
    subvolume: u64,
    number: u64,
    node: Node,
}

impl Inodes for View {
    type Number = (u64, u64);
    type Inode = Inode;

    fn root(&self) -> (u64, u64) {
        self.root
    }

    fn inode(&self, (subvolume, number): (u64, u64)) -> io::Result<Inode> {
        let item = self
            .file_system
            .item(self.place(subvolume)?, Key(number, INODE_ITEM, 0))?
            .ok_or_else(|| damaged("a name leads to no inode"))?;
        let mode = le32(&item, 52);
        let node = Node {
            kind: kind_of(mode),
            size: le64(&item, 16),
            mode: mode & 0o7777,
            changed_at: le64(&item, 136).cast_signed(),
        };
        Ok(Inode { subvolume, number, node })
    }

    fn node(&self, inode: &Inode) -> Node {
        inode.node
    }

    fn each(&self, folder: &Inode, visit: &mut Visit<'_, (u64, u64)>) -> io::Result<()> {
        let number = folder.number;
        self.file_system.each(self.place(folder.subvolume)?, Key(number, DIR_INDEX, 0), &mut |key, item| {
            if (key.0, key.1) != (number, DIR_INDEX) {
                return Ok(false);
            }
            let to = Key::at(item, 0);
            let name = item.get(30..30_usize.saturating_add(usize::from(le16(item, 27)))).unwrap_or_default();
            let number = if to.1 == ROOT_ITEM { (to.0, FIRST_INODE) } else { (folder.subvolume, to.0) };
            // A snapshot has empty folders where other subvolumes lay.
            if to.1 == ROOT_ITEM && self.place(to.0).is_err() {
                return Ok(true);
            }
            visit(name, kind_of_entry(item.get(29).copied().unwrap_or_default()), number)?;
            Ok(true)
        })
    }

    fn content(self: &Arc<Self>, inode: &Inode) -> io::Result<Box<dyn ReadAt>> {
        let mut extents: Vec<Extent> = Vec::new();
        let number = inode.number;
        self.file_system.each(
            self.place(inode.subvolume)?,
            Key(number, EXTENT_DATA, 0),
            &mut |key, item| {
                if (key.0, key.1) != (number, EXTENT_DATA) {
                    return Ok(false);
                }
                if extents.len() >= LIMITS.extents {
                    return Err(damaged("a file has too many extents"));
                }
                extents.push(extent(key.2, item)?);
                Ok(true)
            },
        )?;
        let file_system = Arc::clone(&self.file_system);
        Ok(Box::new(Content { file_system, runs: extents.into(), length: inode.node.size }))
    }
}

/// A run of a file.
pub(crate) struct Extent {
    begin: u64,
    length: u64,
    held: Held,
}

enum Held {
    /// In the tree itself.
    Inline { packing: u8, bytes: Vec<u8>, unpacked: u64 },
    /// At an address: that of the whole extent, its length there, the length unpacked, and where in it the run begins.
    Stored { packing: u8, address: u64, stored: u64, unpacked: u64, inside: u64 },
    /// Zeros.
    Nothing,
}

impl Run for Extent {
    fn place(&self) -> (u64, u64) {
        (self.begin, self.length)
    }
}

fn extent(begin: u64, item: &[u8]) -> io::Result<Extent> {
    const INLINE: u8 = 0;
    const PREALLOCATED: u8 = 2;
    let at = |place: usize| item.get(place).copied().unwrap_or_default();
    let (unpacked, packing, sort) = (le64(item, 8), at(16), at(20));
    if at(17) != 0 {
        return Err(unsupported("is encrypted"));
    }
    if sort == INLINE {
        let bytes = item.get(21..).unwrap_or_default().to_vec();
        return Ok(Extent { begin, length: unpacked, held: Held::Inline { packing, bytes, unpacked } });
    }
    let (address, stored, inside, length) = (le64(item, 21), le64(item, 29), le64(item, 37), le64(item, 45));
    let held = match (sort, address) {
        (PREALLOCATED, _) | (_, 0) => Held::Nothing,
        _ => Held::Stored { packing, address, stored, unpacked, inside },
    };
    Ok(Extent { begin, length, held })
}

impl Filled for Btrfs {
    type Run = Extent;

    fn fill(self: &Arc<Self>, extent: &Extent, at: u64, out: &mut [u8]) -> io::Result<()> {
        match &extent.held {
            Held::Nothing => {
                out.fill(0);
                Ok(())
            }
            Held::Inline { packing: 0, bytes, .. } => {
                copy_or_zeros(bytes, at, out);
                Ok(())
            }
            Held::Inline { packing, bytes, unpacked } => {
                copy_or_zeros(&self.unpacked(*packing, bytes, *unpacked)?, at, out);
                Ok(())
            }
            Held::Stored { packing: 0, address, inside, .. } => {
                self.read(address.saturating_add(*inside).saturating_add(at), 0, out)
            }
            Held::Stored { packing, address, stored, unpacked, inside } => {
                if *stored > EXTENT_LIMIT {
                    return Err(damaged("a packed extent is too long"));
                }
                let whole = self.extents.get_or((*address, *stored), || {
                    let mut packed = vec![0; usize::try_from(*stored).unwrap_or_default()];
                    self.read(*address, 0, &mut packed)?;
                    self.unpacked(*packing, &packed, *unpacked).map(Arc::new)
                })?;
                copy_or_zeros(&whole, inside.saturating_add(at), out);
                Ok(())
            }
        }
    }
}

impl Btrfs {
    /// A packed extent, unpacked: as many bytes as it is said to hold, or fewer.
    fn unpacked(&self, packing: u8, packed: &[u8], length: u64) -> io::Result<Vec<u8>> {
        let length = usize::try_from(length.min(EXTENT_LIMIT)).unwrap_or(usize::MAX);
        let mut out = Vec::new();
        match packing {
            1 => {
                flate2::read::ZlibDecoder::new(packed).take(length as u64).read_to_end(&mut out)?;
            }
            2 => out = lzo(packed, length, self.sector)?,
            3 => {
                let frame = ruzstd::decoding::StreamingDecoder::new(packed)
                    .map_err(|error| io::Error::new(ErrorKind::InvalidData, error.to_string()))?;
                frame.take(length as u64).read_to_end(&mut out)?;
            }
            _ => return Err(unsupported("is packed in a way that is not known")),
        }
        Ok(out)
    }
}

/// LZO as btrfs frames it: the length of all, then pieces of a sector each behind their length, which never crosses the end of a sector.
fn lzo(packed: &[u8], length: usize, sector: usize) -> io::Result<Vec<u8>> {
    let all = (le32(packed, 0) as usize).min(packed.len());
    let mut out: Vec<u8> = Vec::new();
    let mut at = 4_usize;
    while at.saturating_add(4) <= all && out.len() < length {
        let left = sector.saturating_sub(at.checked_rem(sector).unwrap_or_default());
        if left < 4 {
            at = at.saturating_add(left);
        }
        let size = le32(packed, at) as usize;
        at = at.saturating_add(4);
        let piece = packed
            .get(at..at.saturating_add(size))
            .ok_or_else(|| damaged("a piece of an extent is cut off"))?;
        let mut unpacked = vec![0; sector.saturating_mul(2)];
        let read = lzokay::decompress::decompress(piece, &mut unpacked)
            .map_err(|error| io::Error::new(ErrorKind::InvalidData, format!("damaged btrfs: {error:?}")))?;
        out.extend_from_slice(unpacked.get(..read).unwrap_or_default());
        at = at.saturating_add(size);
    }
    out.truncate(length);
    Ok(out)
}

/// Fills from a place on; what is behind the end is zeros, as an extent is unpacked to whole sectors.
fn copy_or_zeros(from: &[u8], at: u64, out: &mut [u8]) {
    let rest = usize::try_from(at).ok().and_then(|at| from.get(at..)).unwrap_or_default();
    let there = rest.len().min(out.len());
    out[..there].copy_from_slice(&rest[..there]);
    out[there..].fill(0);
}
