//! btrfs file systems on one device (On-disk Format of the Btrfs documentation): trees of keys, subvolumes, extents packed with zlib, LZO
//! or zstd. Blocks of trees are held against their checksum (CRC-32C); where one fails, its copy is read.

use crate::cache::Cache;
use crate::inodes::{InodeTree, Inodes, Run, Visit, by_runs, kind_of, kind_of_entry};
use crate::num::{le16, le32, le64, uuid_text};
use crate::{Node, ReadAt, Tree};
use std::io::{self, ErrorKind, Read};
use std::path::PathBuf;
use std::sync::Arc;

/// Where the superblock lies.
const SUPER: usize = 0x1_0000;
const SUPER_BYTES: usize = 4096;
/// Bytes before the items of a block.
const HEADER: usize = 101;
/// Levels that a tree may have.
const LEVELS: u8 = 8;
/// Bytes that a packed extent holds, packed and unpacked; the format allows 128 KiB.
const EXTENT_LIMIT: u64 = 1 << 20;
/// Bytes of blocks of trees, and of unpacked extents, that are kept.
const KEPT: usize = 24 << 20;
/// Subvolumes that are looked at.
const SUBVOLUMES: usize = 10_000;

/// The subvolume at the top of all others.
pub(crate) const TOP: u64 = 5;
const ROOT_TREE_FOLDER: u64 = 6;
const FIRST_INODE: u64 = 256;
const CHUNKS: u64 = 256;

const INODE_ITEM: u8 = 1;
const DIR_ITEM: u8 = 84;
const DIR_INDEX: u8 = 96;
const EXTENT_DATA: u8 = 108;
const ROOT_ITEM: u8 = 132;
const ROOT_BACKREF: u8 = 144;
const CHUNK_ITEM: u8 = 228;

/// Whether there is such a file system.
pub(crate) fn begins(head: &[u8]) -> bool {
    head.get(SUPER + 64..SUPER + 72) == Some(b"_BHRfS_M")
}

/// Its UUID, lower case with hyphens, and its label.
pub(crate) fn names(head: &[u8]) -> (String, String) {
    let sb = head.get(SUPER..).unwrap_or_default();
    let label = sb.get(299..555).unwrap_or_default().split(|byte| *byte == 0).next().unwrap_or_default();
    (uuid_text(sb.get(32..48).unwrap_or_default()), String::from_utf8_lossy(label).into_owned())
}

fn damaged(why: &str) -> io::Error {
    io::Error::new(ErrorKind::InvalidData, format!("damaged btrfs: {why}"))
}

fn unsupported(why: &str) -> io::Error {
    io::Error::new(ErrorKind::Unsupported, why.to_owned())
}

/// A key of a tree.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct Key(u64, u8, u64);

impl Key {
    fn at(block: &[u8], place: usize) -> Self {
        let kind = block.get(place.saturating_add(8)).copied().unwrap_or_default();
        Self(le64(block, place), kind, le64(block, place.saturating_add(9)))
    }
}

/// A run of logical addresses, and where its copies lie.
struct Chunk {
    begin: u64,
    length: u64,
    copies: Vec<u64>,
}

/// A file system that was opened.
pub(crate) struct Btrfs {
    device: Box<dyn ReadAt>,
    fsid: [u8; 16],
    node_bytes: usize,
    sector: usize,
    /// Whether blocks are held against CRC-32C.
    is_crc32c: bool,
    chunks: Vec<Chunk>,
    root: Place,
    blocks: Cache<u64, Arc<Vec<u8>>>,
    extents: Cache<(u64, u64), Arc<Vec<u8>>>,
    /// What should be known: it was not unmounted.
    pub(crate) remarks: Vec<String>,
}

/// Where a tree begins.
#[derive(Debug, Clone, Copy)]
struct Place {
    address: u64,
    level: u8,
}

/// A subvolume.
#[derive(Debug, Clone)]
pub(crate) struct Subvolume {
    /// Its number.
    pub(crate) id: u64,
    /// Its path below the top; empty for the top itself.
    pub(crate) path: PathBuf,
    /// Whether it may not be written to: snapshots mostly are.
    pub(crate) is_read_only: bool,
    /// Whether it is the one that is mounted where no other is named.
    pub(crate) is_default: bool,
}

impl Btrfs {
    /// Opens a device.
    ///
    /// # Errors
    /// When it is damaged, lies on several devices, or uses what is not known.
    pub(crate) fn open(device: Box<dyn ReadAt>) -> io::Result<Arc<Self>> {
        let sb = device.exactly(SUPER as u64, SUPER_BYTES).map_err(|_| damaged("it is cut off"))?;
        if le64(&sb, 136) != 1 {
            return Err(unsupported("is a btrfs file system on several devices, which is not read"));
        }
        // Bits of what a reader has to know: mixed groups, packings, big metadata, extended references, RAID1C34, no holes, UUIDs of
        // metadata, skinny metadata; not the zones of zoned devices, nor extent tree v2.
        let unknown = le64(&sb, 188) & !0x0fff;
        if unknown & !(0x4000 | 0x8000 | 0x1_0000) != 0 {
            return Err(unsupported(&format!(
                "is a btrfs file system with features that are not known (0x{unknown:x})"
            )));
        }
        let node_bytes = le32(&sb, 148) as usize;
        let sector = le32(&sb, 144) as usize;
        if !node_bytes.is_power_of_two()
            || !(4096..=65536).contains(&node_bytes)
            || !(512..=65536).contains(&sector)
        {
            return Err(damaged("its blocks have a size that none may have"));
        }
        let mut remarks = Vec::new();
        if le64(&sb, 96) != 0 {
            remarks.push(
                "its file system is not clean: it was not unmounted, and what its log holds is missing"
                    .to_owned(),
            );
        }
        let total = le64(&sb, 112);
        if total > device.len() {
            remarks.push(format!("it is cut off: {} of {total} bytes are there", device.len()));
        }
        let mut fsid = [0; 16];
        fsid.copy_from_slice(&sb[32..48]);
        // Where trees have a UUID of their own.
        if le64(&sb, 188) & 0x400 != 0 {
            fsid.copy_from_slice(&sb[0x23b..0x24b]);
        }
        let level = |at: usize| sb.get(at).copied().unwrap_or_default();
        let mut found = Self {
            device,
            fsid,
            node_bytes,
            sector,
            is_crc32c: le16(&sb, 196) == 0,
            chunks: Vec::new(),
            root: Place { address: le64(&sb, 80), level: level(198) },
            blocks: Cache::new(KEPT, |block| block.len()),
            extents: Cache::new(KEPT, |extent| extent.len()),
            remarks,
        };
        found.first_chunks(&sb)?;
        let chunk_tree = Place { address: le64(&sb, 88), level: level(199) };
        let mut chunks = Vec::new();
        found.each(chunk_tree, Key(CHUNKS, CHUNK_ITEM, 0), &mut |key, item| {
            if key.0 == CHUNKS && key.1 == CHUNK_ITEM {
                chunks.extend(chunk(key.2, item));
            }
            Ok(key.0 <= CHUNKS)
        })?;
        chunks.sort_by_key(|chunk| chunk.begin);
        found.chunks = chunks;
        Ok(Arc::new(found))
    }

    /// The chunks of the tree of chunks, which the superblock has itself.
    fn first_chunks(&mut self, sb: &[u8]) -> io::Result<()> {
        let length = (le32(sb, 160) as usize).min(2048);
        let array = sb
            .get(811..811_usize.saturating_add(length))
            .ok_or_else(|| damaged("its first chunks are cut off"))?;
        let mut at = 0_usize;
        while at.saturating_add(17 + 48) <= array.len() {
            let key = Key::at(array, at);
            let item = &array[at.saturating_add(17)..];
            let stripes = usize::from(le16(item, 44));
            self.chunks.extend(chunk(key.2, item));
            at = at.saturating_add(17 + 48).saturating_add(stripes.saturating_mul(32));
        }
        self.chunks.sort_by_key(|chunk| chunk.begin);
        Ok(())
    }

    fn chunk(&self, address: u64) -> io::Result<&Chunk> {
        let at = self.chunks.partition_point(|chunk| chunk.begin <= address);
        let chunk = at.checked_sub(1).and_then(|at| self.chunks.get(at));
        chunk
            .filter(|chunk| address.saturating_sub(chunk.begin) < chunk.length)
            .ok_or_else(|| damaged("an address lies in no chunk"))
    }

    /// Reads logical bytes, of the copy of that number.
    fn read(&self, address: u64, copy: usize, out: &mut [u8]) -> io::Result<()> {
        let (mut at, mut rest) = (address, out);
        while !rest.is_empty() {
            let chunk = self.chunk(at)?;
            let inside = at.saturating_sub(chunk.begin);
            let left = usize::try_from(chunk.length.saturating_sub(inside)).unwrap_or(usize::MAX);
            let (piece, after) = rest.split_at_mut(left.min(rest.len()));
            let begin = chunk.copies.get(copy).or(chunk.copies.first()).copied().unwrap_or_default();
            let read = self.device.read_at(begin.saturating_add(inside), piece)?;
            if read < piece.len() {
                return Err(ErrorKind::UnexpectedEof.into());
            }
            at = at.saturating_add(piece.len() as u64);
            rest = after;
        }
        Ok(())
    }

    /// A block of a tree; of several copies the first that is right.
    fn block(&self, address: u64) -> io::Result<Arc<Vec<u8>>> {
        self.blocks.get_or(address, || {
            let copies = self.chunk(address)?.copies.len();
            for copy in 0..copies {
                let mut block = vec![0; self.node_bytes];
                if self.read(address, copy, &mut block).is_ok() && self.is_right(&block, address) {
                    return Ok(Arc::new(block));
                }
            }
            Err(damaged("a block of a tree has a wrong checksum"))
        })
    }

    fn is_right(&self, block: &[u8], address: u64) -> bool {
        block.get(32..48) == Some(&self.fsid)
            && le64(block, 48) == address
            && (!self.is_crc32c || crc32c(block.get(32..).unwrap_or_default()) == le32(block, 0))
    }

    /// Calls `visit` with the items of a tree from a key on, in their order, until it says to stop.
    fn each(
        &self,
        tree: Place,
        from: Key,
        visit: &mut dyn FnMut(Key, &[u8]) -> io::Result<bool>,
    ) -> io::Result<()> {
        // Blocks on the way down, each with the number of the next item.
        let mut way: Vec<(Arc<Vec<u8>>, usize)> = Vec::new();
        self.enter(tree.address, tree.level, from, &mut way)?;
        while let Some((block, next)) = way.last_mut() {
            let block = Arc::clone(block);
            let (level, count) = shape(&block)?;
            if *next >= count {
                way.pop();
                continue;
            }
            let number = *next;
            *next = next.saturating_add(1);
            if level > 0 {
                let at = HEADER.saturating_add(number.saturating_mul(33));
                self.enter(le64(&block, at.saturating_add(17)), level.saturating_sub(1), from, &mut way)?;
                continue;
            }
            let at = HEADER.saturating_add(number.saturating_mul(25));
            let (start, size) =
                (le32(&block, at.saturating_add(17)) as usize, le32(&block, at.saturating_add(21)) as usize);
            let start = HEADER.saturating_add(start);
            let item = block
                .get(start..start.saturating_add(size))
                .ok_or_else(|| damaged("an item lies outside of its block"))?;
            if !visit(Key::at(&block, at), item)? {
                return Ok(());
            }
        }
        Ok(())
    }

    /// Puts a block on the way, at the first of its items that may be a key or follow it.
    fn enter(
        &self,
        address: u64,
        level: u8,
        from: Key,
        way: &mut Vec<(Arc<Vec<u8>>, usize)>,
    ) -> io::Result<()> {
        let block = self.block(address)?;
        let (own, count) = shape(&block)?;
        // A block says how deep it lies, so that no circle is followed.
        if own != level || level > LEVELS {
            return Err(damaged("a tree has a block of another level"));
        }
        let size = if level > 0 { 33 } else { 25 };
        let key = |number: usize| Key::at(&block, HEADER.saturating_add(number.saturating_mul(size)));
        let (mut low, mut high) = (0, count);
        while low < high {
            let middle = low.midpoint(high);
            if key(middle) < from { low = middle.saturating_add(1) } else { high = middle }
        }
        // What lies below a pointer begins at its key.
        if level > 0 && (low == count || key(low) > from) {
            low = low.saturating_sub(1);
        }
        way.push((block, low));
        Ok(())
    }

    /// The item of a key.
    fn item(&self, tree: Place, key: Key) -> io::Result<Option<Vec<u8>>> {
        let mut found = None;
        self.each(tree, key, &mut |own, item| {
            found = (own == key).then(|| item.to_vec());
            Ok(false)
        })?;
        Ok(found)
    }

    /// Where the tree of a subvolume begins.
    fn subvolume(&self, id: u64) -> io::Result<Place> {
        let mut found = None;
        self.each(self.root, Key(id, ROOT_ITEM, 0), &mut |key, item| {
            if (key.0, key.1) != (id, ROOT_ITEM) {
                return Ok(false);
            }
            found =
                Some(Place { address: le64(item, 176), level: item.get(238).copied().unwrap_or_default() });
            Ok(true)
        })?;
        found.ok_or_else(|| damaged("a subvolume has no tree"))
    }

    /// Every subvolume, the top first.
    pub(crate) fn subvolumes(&self) -> io::Result<Vec<Subvolume>> {
        let mut default = TOP;
        self.each(self.root, Key(ROOT_TREE_FOLDER, DIR_ITEM, 0), &mut |key, item| {
            if key.0 == ROOT_TREE_FOLDER && key.1 == DIR_ITEM && item.get(30..37) == Some(b"default") {
                default = le64(item, 0);
            }
            Ok(key.0 == ROOT_TREE_FOLDER)
        })?;
        let mut found = vec![(TOP, false)];
        let mut above: Vec<(u64, u64, u64, Vec<u8>)> = Vec::new();
        self.each(self.root, Key(FIRST_INODE, 0, 0), &mut |key, item| {
            if key.1 == ROOT_ITEM && found.len() < SUBVOLUMES && le32(item, 216) > 0 {
                found.push((key.0, le64(item, 208) & 1 != 0));
            } else if key.1 == ROOT_BACKREF {
                let name = item.get(18..).unwrap_or_default();
                let name = name.get(..usize::from(le16(item, 16))).unwrap_or(name);
                above.push((key.0, key.2, le64(item, 0), name.to_vec()));
            }
            // Numbers of subvolumes end below those of relocation trees.
            Ok(key.0 < u64::MAX.saturating_sub(256))
        })?;
        let mut subvolumes = Vec::new();
        for (id, is_read_only) in found {
            if let Some(path) = self.path_of(id, &above)? {
                subvolumes.push(Subvolume { id, path, is_read_only, is_default: id == default });
            }
        }
        Ok(subvolumes)
    }

    /// Where a subvolume lies below the top; `None` where it lies nowhere any more.
    fn path_of(&self, id: u64, above: &[(u64, u64, u64, Vec<u8>)]) -> io::Result<Option<PathBuf>> {
        use std::os::unix::ffi::OsStrExt;
        let mut names: Vec<Vec<u8>> = Vec::new();
        let mut here = id;
        for _ in 0..64 {
            if here == TOP {
                return Ok(Some(names.iter().rev().map(|name| std::ffi::OsStr::from_bytes(name)).collect()));
            }
            let at = above.partition_point(|(own, ..)| *own < here);
            let Some((_, parent, folder, name)) = above.get(at).filter(|(own, ..)| *own == here) else {
                return Ok(None);
            };
            names.push(name.clone());
            // Folders between the subvolume and the one that it lies in.
            let tree = self.subvolume(*parent)?;
            let mut folder = *folder;
            for _ in 0..64 {
                if folder == FIRST_INODE {
                    break;
                }
                const INODE_REF: u8 = 12;
                let mut next = None;
                self.each(tree, Key(folder, INODE_REF, 0), &mut |key, item| {
                    if (key.0, key.1) == (folder, INODE_REF) {
                        let name = item.get(10..).unwrap_or_default();
                        next = Some((key.2, name.get(..usize::from(le16(item, 8))).unwrap_or(name).to_vec()));
                    }
                    Ok(false)
                })?;
                let Some((up, name)) = next else { return Ok(None) };
                names.push(name);
                folder = up;
            }
            here = *parent;
        }
        Ok(None)
    }

    /// The tree of a subvolume; what others lie in it are folders.
    ///
    /// # Errors
    /// When its root can't be read.
    pub(crate) fn tree(self: &Arc<Self>, id: u64) -> io::Result<Arc<dyn Tree>> {
        let tree = self.subvolume(id)?;
        let view = View {
            file_system: Arc::clone(self),
            root: (id, FIRST_INODE),
            trees: Cache::new(1 << 20, |_| 32),
        };
        view.trees.get_or(id, || Ok(tree))?;
        Ok(Arc::new(InodeTree::new(Arc::new(view))?))
    }

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

/// Level and number of items of a block.
fn shape(block: &[u8]) -> io::Result<(u8, usize)> {
    let level = block.get(100).copied().unwrap_or_default();
    let count = le32(block, 96) as usize;
    let size = if level > 0 { 33 } else { 25 };
    if count.saturating_mul(size).saturating_add(HEADER) > block.len() {
        return Err(damaged("a block has more items than fit"));
    }
    Ok((level, count))
}

fn chunk(begin: u64, item: &[u8]) -> Option<Chunk> {
    const STRIPED: u64 = 0x8 | 0x40 | 0x80 | 0x100;
    let stripes = usize::from(le16(item, 44)).min(16);
    // On one device a chunk has one stripe, or as many copies.
    if le64(item, 24) & STRIPED != 0 && stripes != 1 {
        return None;
    }
    let copies =
        (0..stripes).map(|stripe| le64(item, 56_usize.saturating_add(stripe.saturating_mul(32)))).collect();
    Some(Chunk { begin, length: le64(item, 0), copies })
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

/// CRC-32C (Castagnoli) as btrfs writes it: begun and ended with all bits set.
fn crc32c(bytes: &[u8]) -> u32 {
    static SUM: crc::Crc<u32, crc::Table<16>> = crc::Crc::<u32, crc::Table<16>>::new(&crc::CRC_32_ISCSI);
    SUM.checksum(bytes)
}

/// The file system as seen from one subvolume.
struct View {
    file_system: Arc<Btrfs>,
    root: (u64, u64),
    trees: Cache<u64, Place>,
}

impl View {
    fn place(&self, subvolume: u64) -> io::Result<Place> {
        self.trees.get_or(subvolume, || self.file_system.subvolume(subvolume))
    }
}

/// An inode, and the subvolume that it lies in.
#[derive(Clone)]
struct Inode {
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
                extents.push(extent(key.2, item)?);
                Ok(true)
            },
        )?;
        Ok(Box::new(Content { file_system: Arc::clone(&self.file_system), extents, length: inode.node.size }))
    }
}

/// A run of a file.
struct Extent {
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

struct Content {
    file_system: Arc<Btrfs>,
    extents: Vec<Extent>,
    length: u64,
}

impl ReadAt for Content {
    fn len(&self) -> u64 {
        self.length
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let file_system = &self.file_system;
        by_runs(&self.extents, (offset, self.length), buffer, |extent, at, out| match &extent.held {
            Held::Nothing => {
                out.fill(0);
                Ok(())
            }
            Held::Inline { packing: 0, bytes, .. } => {
                copy_or_zeros(bytes, at, out);
                Ok(())
            }
            Held::Inline { packing, bytes, unpacked } => {
                copy_or_zeros(&file_system.unpacked(*packing, bytes, *unpacked)?, at, out);
                Ok(())
            }
            Held::Stored { packing: 0, address, inside, .. } => {
                file_system.read(address.saturating_add(*inside).saturating_add(at), 0, out)
            }
            Held::Stored { packing, address, stored, unpacked, inside } => {
                if *stored > EXTENT_LIMIT {
                    return Err(damaged("a packed extent is too long"));
                }
                let whole = file_system.extents.get_or((*address, *stored), || {
                    let mut packed = vec![0; usize::try_from(*stored).unwrap_or_default()];
                    file_system.read(*address, 0, &mut packed)?;
                    file_system.unpacked(*packing, &packed, *unpacked).map(Arc::new)
                })?;
                copy_or_zeros(&whole, inside.saturating_add(at), out);
                Ok(())
            }
        })
    }
}

/// Fills from a place on; what lies behind the end is zeros, as an extent is unpacked to whole sectors.
fn copy_or_zeros(from: &[u8], at: u64, out: &mut [u8]) {
    let rest = usize::try_from(at).ok().and_then(|at| from.get(at..)).unwrap_or_default();
    let there = rest.len().min(out.len());
    out[..there].copy_from_slice(&rest[..there]);
    out[there..].fill(0);
}
