//! btrfs file systems on one device (On-disk Format of the Btrfs documentation): trees of keys, subvolumes, extents packed with zlib, LZO
//! or zstd. Blocks of trees are held against their checksum (CRC-32C); where one fails, its copy is read.

mod view;

use crate::bytes::cut_off;
use crate::cache::Cache;
use crate::inodes::InodeTree;
use crate::num::{le16, le32, le64, uuid_text};
use crate::visited::Visited;
use crate::{LIMITS, ReadAt, Tree};
use std::collections::BTreeMap;
use std::ffi::OsStr;
use std::io::{self, ErrorKind};
use std::os::unix::ffi::OsStrExt;
use std::path::PathBuf;
use std::sync::Arc;
use view::View;

/// Where the superblock is.
const SUPER: usize = 0x1_0000;
const SUPER_BYTES: usize = 4096;
/// Bytes before the items of a block.
const HEADER: usize = 101;
/// Levels that a tree may have.
const LEVELS: u8 = 8;
/// Bytes of blocks of trees, and of unpacked extents, that are kept.
const KEPT: usize = 24 << 20;
/// Subvolumes that are looked at.
const SUBVOLUMES: usize = 10_000;

/// The subvolume at the top of all others.
pub(crate) const TOP: u64 = 5;
const ROOT_TREE_FOLDER: u64 = 6;
const FIRST_INODE: u64 = 256;
const CHUNKS: u64 = 256;

const DIR_ITEM: u8 = 84;
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

/// A run of logical addresses, and where its copies are.
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

/// In which folder of which other subvolume one lies, and its name there.
struct Above {
    child: u64,
    parent: u64,
    folder: u64,
    name: Vec<u8>,
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
    /// When it is damaged, is on several devices, or uses what is not known.
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
        remarks.extend(cut_off(device.len(), total));
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
        let mut visited = Visited::default();
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
                let below = le64(&block, at.saturating_add(17));
                visited.enter(below)?;
                self.enter(below, level.saturating_sub(1), from, &mut way)?;
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
        let mut above: Vec<Above> = Vec::new();
        self.each(self.root, Key(FIRST_INODE, 0, 0), &mut |key, item| {
            if key.1 == ROOT_ITEM && found.len() < SUBVOLUMES && le32(item, 216) > 0 {
                found.push((key.0, le64(item, 208) & 1 != 0));
            } else if key.1 == ROOT_BACKREF {
                let name = item.get(18..).unwrap_or_default();
                let name = name.get(..usize::from(le16(item, 16))).unwrap_or(name);
                let (child, parent, folder) = (key.0, key.2, le64(item, 0));
                above.push(Above { child, parent, folder, name: name.to_vec() });
            }
            // Numbers of subvolumes end below those of relocation trees.
            Ok(key.0 < u64::MAX.saturating_sub(256))
        })?;
        let mut paths = BTreeMap::from([(TOP, Some(PathBuf::new()))]);
        for (id, _) in &found {
            self.find_path(*id, &above, &mut paths)?;
        }
        let subvolumes = found.into_iter().filter_map(|(id, is_read_only)| {
            let path = paths.get(&id)?.clone()?;
            Some(Subvolume { id, path, is_read_only, is_default: id == default })
        });
        Ok(subvolumes.collect())
    }

    /// Adds where a subvolume is below the top, and those that it lies in: each once. One that is nowhere any more has no path, nor has one
    /// that lies in itself.
    fn find_path(
        &self,
        id: u64,
        above: &[Above],
        paths: &mut BTreeMap<u64, Option<PathBuf>>,
    ) -> io::Result<()> {
        let mut way: Vec<&Above> = Vec::new();
        let mut here = id;
        while !paths.contains_key(&here) {
            // Until its path is known it has none, so that a circle ends here.
            paths.insert(here, None);
            let at = above.partition_point(|link| link.child < here);
            let Some(link) = above.get(at).filter(|link| link.child == here) else { break };
            way.push(link);
            here = link.parent;
        }
        let mut path = paths.get(&here).cloned().flatten();
        for link in way.into_iter().rev() {
            path = match path {
                Some(path) if path.iter().count() < LIMITS.path_depth => self
                    .folder_path(link)?
                    .map(|folder| path.join(folder).join(OsStr::from_bytes(&link.name))),
                _ => None,
            };
            paths.insert(link.child, path.clone());
        }
        Ok(())
    }

    /// The folders between a subvolume and the one that it lies in.
    fn folder_path(&self, link: &Above) -> io::Result<Option<PathBuf>> {
        const INODE_REF: u8 = 12;
        const DEEPEST: usize = 64;
        let tree = self.subvolume(link.parent)?;
        let mut names: Vec<Vec<u8>> = Vec::new();
        let mut folder = link.folder;
        let mut visited = Visited::default();
        while folder != FIRST_INODE {
            if names.len() >= DEEPEST || visited.enter(folder).is_err() {
                return Ok(None);
            }
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
        Ok(Some(names.iter().rev().map(|name| OsStr::from_bytes(name)).collect()))
    }

    /// The tree of a subvolume; what others are in it are folders.
    ///
    /// # Errors
    /// When its root can't be read.
    pub(crate) fn tree(self: &Arc<Self>, id: u64) -> io::Result<Arc<dyn Tree>> {
        let tree = self.subvolume(id)?;
        let view = View::new(Arc::clone(self), id, tree)?;
        Ok(Arc::new(InodeTree::new(Arc::new(view))?))
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

/// CRC-32C (Castagnoli) as btrfs writes it: begun and ended with all bits set.
fn crc32c(bytes: &[u8]) -> u32 {
    static SUM: crc::Crc<u32, crc::Table<16>> = crc::Crc::<u32, crc::Table<16>>::new(&crc::CRC_32_ISCSI);
    SUM.checksum(bytes)
}
