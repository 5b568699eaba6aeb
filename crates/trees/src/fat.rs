//! FAT12, FAT16 and FAT32 with long names (Microsoft, "FAT32 File System Specification" 1.03): sticks that were not written by `dd`, and
//! the partition that firmware starts from.

use crate::bytes::cut_off;
use crate::inodes::{Content, Filled, InodeTree, Inodes, Run, Visit};
use crate::num::{le16, le32};
use crate::visited::Visited;
use crate::{LIMITS, Node, NodeKind, ReadAt, Tree};
use std::io;
use std::sync::Arc;

/// Bytes of an entry of a folder.
const ENTRY: usize = 32;
/// Bytes that a folder may have: 65,536 entries.
const FOLDER_BYTES: u64 = 2 << 20;
/// An entry that belongs to the volume, or to the long name of the next one.
const VOLUME: u8 = 0x08;
const FOLDER: u8 = 0x10;
/// The attributes of a piece of a long name.
const LONG: u8 = 0x0f;
/// Units of UTF-16 that a piece of a long name has, by their places.
const UNITS: [usize; 13] = [1, 3, 5, 7, 9, 14, 16, 18, 20, 22, 24, 28, 30];
/// Pieces that a long name may have: 255 units.
const PIECES: u8 = 20;
/// Bytes of the table that are read at a time, and with one more: an entry of 12 bits may begin in the last byte of a piece.
const PIECE: u64 = 1 << 16;
const PIECE_AND_NEXT: usize = (1 << 16) + 1;

/// Whether bytes begin as one: its first sector ends as one with a table of partitions does, and only the text tells them apart.
pub(crate) fn begins(head: &[u8]) -> bool {
    let says = |place: usize, text: &[u8]| head.get(place..).is_some_and(|rest| rest.starts_with(text));
    says(82, b"FAT32   ") || says(54, b"FAT16   ") || says(54, b"FAT12   ")
}

/// Its UUID, as Linux writes the serial number (`1a2b-3c4d`), and its label.
pub(crate) fn names(head: &[u8]) -> (String, String) {
    let (serial, label) = if head.get(82..87) == Some(b"FAT32") { (67, 71_usize) } else { (39, 43) };
    let label = head.get(label..label.saturating_add(11)).unwrap_or_default();
    let label = String::from_utf8_lossy(label).trim_end().to_owned();
    let serial = le32(head, serial);
    let uuid = format!("{:04x}-{:04x}", serial >> 16, serial & 0xffff);
    (uuid, if label == "NO NAME" { String::new() } else { label })
}

/// How wide the entries of the table are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Width {
    Twelve,
    Sixteen,
    ThirtyTwo,
}

impl Width {
    /// The lowest number that ends a chain.
    const fn end(self) -> u32 {
        match self {
            Self::Twelve => 0xff8,
            Self::Sixteen => 0xfff8,
            Self::ThirtyTwo => 0x0fff_fff8,
        }
    }
}

/// A FAT file system.
pub(crate) struct Fat {
    bytes: Box<dyn ReadAt>,
    width: Width,
    /// Bytes of a cluster.
    cluster: u64,
    /// Number of clusters; the first has the number 2.
    clusters: u32,
    /// Where the table begins, bytes.
    table: u64,
    /// Where the clusters begin, bytes.
    data: u64,
    root: FatInode,
}

/// A file or a folder, as the entry in its folder has it.
#[derive(Debug, Clone, Copy)]
pub(crate) struct FatInode {
    is_folder: bool,
    /// Its first cluster; 0 where it has none.
    first: u32,
    /// Bytes of a file.
    size: u32,
    /// Bytes of the root of FAT12 and FAT16, which is in no clusters, and where it begins.
    fixed: Option<(u64, u32)>,
}

/// Clusters that follow one another.
pub(crate) struct Clusters {
    at: u64,
    length: u64,
    /// Where they begin in the image, bytes.
    place: u64,
}

impl Run for Clusters {
    fn place(&self) -> (u64, u64) {
        (self.at, self.length)
    }
}

impl Fat {
    /// Opens the file system in some bytes; what should be known of it beside.
    ///
    /// # Errors
    /// When its first sector makes no sense, or its root can't be read.
    pub(crate) fn open(bytes: Box<dyn ReadAt>) -> io::Result<(Arc<dyn Tree>, Option<String>)> {
        let head = bytes.exactly(0, 512)?;
        let sector = u64::from(le16(&head, 11));
        let per_cluster = u64::from(head[13]);
        if !matches!(sector, 512 | 1024 | 2048 | 4096) || !per_cluster.is_power_of_two() {
            return Err(damaged("its first sector states impossible sizes"));
        }
        let either = |small: u16, large: u32| if small == 0 { u64::from(large) } else { u64::from(small) };
        let all = either(le16(&head, 19), le32(&head, 32));
        let of_table = either(le16(&head, 22), le32(&head, 36));
        let reserved = u64::from(le16(&head, 14));
        let entries = u32::from(le16(&head, 17));
        let fixed_bytes = entries.saturating_mul(ENTRY as u32);
        let fixed = reserved.saturating_add(of_table.saturating_mul(head[16].into())).saturating_mul(sector);
        let data = fixed.saturating_add(u64::from(fixed_bytes).next_multiple_of(sector));
        let cluster = sector.saturating_mul(per_cluster);
        let end = all.saturating_mul(sector);
        let count =
            end.checked_sub(data).and_then(|left| left.checked_div(cluster)).filter(|count| *count > 0);
        let count = count.ok_or_else(|| damaged("its first sector leaves no room for files"))?;
        let width = match count {
            0..4085 => Width::Twelve,
            4085..65525 => Width::Sixteen,
            _ => Width::ThirtyTwo,
        };
        let root = match width {
            Width::ThirtyTwo => FatInode { is_folder: true, first: le32(&head, 44), size: 0, fixed: None },
            _ => FatInode { is_folder: true, first: 0, size: 0, fixed: Some((fixed, fixed_bytes)) },
        };
        let cut = cut_off(bytes.len(), end);
        let fat = Self {
            bytes,
            width,
            cluster,
            clusters: u32::try_from(count).unwrap_or(u32::MAX).min(0x0fff_fff5),
            table: reserved.saturating_mul(sector),
            data,
            root,
        };
        Ok((Arc::new(InodeTree::new(Arc::new(fat))?), cut))
    }

    /// The cluster after one; `None` where it is the last. `kept` is the piece of the table that was read last.
    fn next(&self, cluster: u32, kept: &mut Option<(u64, Vec<u8>)>) -> io::Result<Option<u32>> {
        let number = u64::from(cluster);
        let (at, odd) = match self.width {
            Width::Twelve => (number.saturating_add(number / 2), cluster % 2 == 1),
            Width::Sixteen => (number.saturating_mul(2), false),
            Width::ThirtyTwo => (number.saturating_mul(4), false),
        };
        let piece = at / PIECE;
        if kept.as_ref().is_none_or(|(which, _)| *which != piece) {
            let mut read = vec![0; PIECE_AND_NEXT];
            let place = self.table.saturating_add(piece.saturating_mul(PIECE));
            let there = self.bytes.read_at(place, &mut read)?;
            read.truncate(there);
            *kept = Some((piece, read));
        }
        let table = kept.as_ref().map_or(&[][..], |(_, read)| read.as_slice());
        let inside = usize::try_from(at % PIECE).unwrap_or_default();
        let next = match (self.width, odd) {
            (Width::Twelve, true) => u32::from(le16(table, inside) >> 4),
            (Width::Twelve, false) => u32::from(le16(table, inside) & 0xfff),
            (Width::Sixteen, _) => u32::from(le16(table, inside)),
            (Width::ThirtyTwo, _) => le32(table, inside) & 0x0fff_ffff,
        };
        Ok((next < self.width.end()).then_some(next))
    }

    /// The runs of a chain of clusters, as far as so many bytes.
    fn chain(&self, first: u32, most: u64) -> io::Result<Vec<Clusters>> {
        let mut runs: Vec<Clusters> = Vec::new();
        let (mut at, mut cluster, mut kept) = (0_u64, first, None);
        let mut visited = Visited::default();
        while at < most {
            visited.enter(cluster.into())?;
            let Some(index) = cluster.checked_sub(2).filter(|index| *index < self.clusters) else {
                return Err(damaged("a file has a cluster that is not there"));
            };
            let place = self.data.saturating_add(u64::from(index).saturating_mul(self.cluster));
            let is_full = runs.len() >= LIMITS.extents;
            match runs.last_mut() {
                Some(last) if last.place.saturating_add(last.length) == place => {
                    last.length = last.length.saturating_add(self.cluster);
                }
                _ if is_full => return Err(damaged("a file lies in too many pieces")),
                _ => runs.push(Clusters { at, length: self.cluster, place }),
            }
            at = at.saturating_add(self.cluster);
            match self.next(cluster, &mut kept)? {
                Some(next) => cluster = next,
                None => break,
            }
        }
        Ok(runs)
    }
}

impl Filled for Fat {
    type Run = Clusters;

    fn fill(self: &Arc<Self>, run: &Clusters, at: u64, out: &mut [u8]) -> io::Result<()> {
        let place = run.place.saturating_add(at);
        if self.bytes.read_at(place, out)? < out.len() {
            return Err(io::Error::new(
                io::ErrorKind::UnexpectedEof,
                "a file is behind the end of the image",
            ));
        }
        Ok(())
    }
}

impl Inodes for Fat {
    /// Where the entry is in the image, bytes; 0 for the root, which has none.
    type Number = u64;
    type Inode = FatInode;

    fn root(&self) -> u64 {
        0
    }

    fn inode(&self, number: u64) -> io::Result<FatInode> {
        if number == 0 {
            return Ok(self.root);
        }
        let entry = self.bytes.exactly(number, ENTRY)?;
        let high = match self.width {
            Width::ThirtyTwo => u32::from(le16(&entry, 20)),
            _ => 0,
        };
        let first = high << 16 | u32::from(le16(&entry, 26));
        Ok(FatInode { is_folder: entry[11] & FOLDER != 0, first, size: le32(&entry, 28), fixed: None })
    }

    fn node(&self, inode: &FatInode) -> Node {
        let kind = if inode.is_folder { NodeKind::Folder } else { NodeKind::File };
        let mode = if inode.is_folder { 0o755 } else { 0o644 };
        // Its times have no zone.
        Node { kind, size: inode.size.into(), mode, changed_at: 0 }
    }

    fn each(&self, folder: &FatInode, visit: &mut Visit<'_, u64>) -> io::Result<()> {
        let pieces = match folder.fixed {
            Some((place, bytes)) => vec![Clusters { at: 0, length: bytes.into(), place }],
            None if folder.first == 0 => Vec::new(),
            None => self.chain(folder.first, FOLDER_BYTES)?,
        };
        let mut long = LongName::default();
        for piece in pieces {
            let mut at = 0;
            while at < piece.length {
                let place = piece.place.saturating_add(at);
                let length = usize::try_from(piece.length.saturating_sub(at)).unwrap_or(usize::MAX);
                let entries = self.bytes.exactly(place, length.min(PIECE as usize))?;
                for (entry, number) in entries.chunks_exact(ENTRY).zip((place..).step_by(ENTRY)) {
                    match entry[0] {
                        0 => return Ok(()),
                        0xe5 => long = LongName::default(),
                        _ if entry[11] & LONG == LONG => long.add(entry),
                        _ if entry[11] & VOLUME != 0 => long = LongName::default(),
                        _ => {
                            let name = std::mem::take(&mut long).of(entry).unwrap_or_else(|| short(entry));
                            let is_folder = entry[11] & FOLDER != 0;
                            let kind = if is_folder { NodeKind::Folder } else { NodeKind::File };
                            visit(name.as_bytes(), Some(kind), number)?;
                        }
                    }
                }
                at = at.saturating_add(entries.len() as u64);
            }
        }
        Ok(())
    }

    fn content(self: &Arc<Self>, inode: &FatInode) -> io::Result<Box<dyn ReadAt>> {
        let runs = if inode.size == 0 { Vec::new() } else { self.chain(inode.first, inode.size.into())? };
        Ok(Box::new(Content { file_system: Arc::clone(self), runs: runs.into(), length: inode.size.into() }))
    }
}

/// The pieces of a long name, which are before its entry, the last one first.
#[derive(Default)]
struct LongName {
    units: Vec<u16>,
    /// The number of the piece that was read last; 0 where none was.
    piece: u8,
    checksum: u8,
}

impl LongName {
    fn add(&mut self, entry: &[u8]) {
        let number = entry[0] & 0x3f;
        let follows = self.piece == number.saturating_add(1) && self.checksum == entry[13];
        if entry[0] & 0x40 != 0 && (1..=PIECES).contains(&number) {
            *self = Self { units: Vec::new(), piece: number, checksum: entry[13] };
        } else if follows && number > 0 {
            self.piece = number;
        } else {
            *self = Self::default();
            return;
        }
        let units = UNITS.iter().map(|at| le16(entry, *at));
        self.units.splice(0..0, units);
    }

    /// The name, where all its pieces are there and belong to this entry.
    fn of(self, entry: &[u8]) -> Option<String> {
        let sum = entry[..11].iter().fold(0_u8, |sum, byte| sum.rotate_right(1).wrapping_add(*byte));
        if self.piece != 1 || sum != self.checksum {
            return None;
        }
        let end = self.units.iter().position(|unit| *unit == 0).unwrap_or(self.units.len());
        Some(String::from_utf16_lossy(&self.units[..end]))
    }
}

/// The short name; two bits say which of its halves are written in small letters.
fn short(entry: &[u8]) -> String {
    let half = |bytes: &[u8], small: bool| {
        let text = String::from_utf8_lossy(bytes).trim_end().to_owned();
        if small { text.to_ascii_lowercase() } else { text }
    };
    let (name, ending) =
        (half(&entry[..8], entry[12] & 0x08 != 0), half(&entry[8..11], entry[12] & 0x10 != 0));
    if ending.is_empty() { name } else { format!("{name}.{ending}") }
}

fn damaged(why: &str) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, why)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// An entry of a folder: short name of eleven letters, attributes, first cluster, bytes.
    fn entry(name: &[u8; 11], attributes: u8, first: u16, size: u32) -> Vec<u8> {
        let mut entry = vec![0; ENTRY];
        entry[..11].copy_from_slice(name);
        entry[11] = attributes;
        entry[26..28].copy_from_slice(&first.to_le_bytes());
        entry[28..32].copy_from_slice(&size.to_le_bytes());
        entry
    }

    /// The pieces of a long name for a short one, the last piece first.
    fn long(name: &str, of: &[u8; 11]) -> Vec<u8> {
        let sum = of.iter().fold(0_u8, |sum, byte| sum.rotate_right(1).wrapping_add(*byte));
        let mut units: Vec<u16> = name.encode_utf16().collect();
        units.push(0);
        units.resize(units.len().next_multiple_of(13), 0xffff);
        let pieces: Vec<&[u16]> = units.chunks(13).collect();
        let mut out = Vec::new();
        for (number, piece) in pieces.iter().enumerate().rev() {
            let mut entry = vec![0; ENTRY];
            entry[0] = number as u8 + 1 + if number + 1 == pieces.len() { 0x40 } else { 0 };
            entry[11] = LONG;
            entry[13] = sum;
            for (at, unit) in UNITS.iter().zip(*piece) {
                entry[*at..at + 2].copy_from_slice(&unit.to_le_bytes());
            }
            out.extend(entry);
        }
        out
    }

    /// FAT12 with clusters of 512 bytes: one sector of table, a root of 16 entries, 64 clusters.
    fn image(root: &[Vec<u8>], table: &[(u32, u32)], clusters: &[(u32, &[u8])]) -> Vec<u8> {
        let mut image = vec![0_u8; 512 * (1 + 1 + 1 + 64)];
        image[11..13].copy_from_slice(&512_u16.to_le_bytes());
        image[13] = 1;
        image[14..16].copy_from_slice(&1_u16.to_le_bytes());
        image[16] = 1;
        image[17..19].copy_from_slice(&16_u16.to_le_bytes());
        image[19..21].copy_from_slice(&67_u16.to_le_bytes());
        image[22..24].copy_from_slice(&1_u16.to_le_bytes());
        image[39..43].copy_from_slice(&0x1a2b_3c4d_u32.to_le_bytes());
        image[43..54].copy_from_slice(b"STICK      ");
        image[54..62].copy_from_slice(b"FAT12   ");
        for (cluster, next) in table {
            let at = 512 + (*cluster as usize * 3) / 2;
            let both = u16::from_le_bytes([image[at], image[at + 1]]);
            let next = *next as u16;
            let both = if cluster % 2 == 1 { both & 0xf | next << 4 } else { both & 0xf000 | next & 0xfff };
            image[at..at + 2].copy_from_slice(&both.to_le_bytes());
        }
        let entries: Vec<u8> = root.concat();
        image[1024..1024 + entries.len()].copy_from_slice(&entries);
        for (cluster, content) in clusters {
            let at = 1536 + (*cluster as usize - 2) * 512;
            image[at..at + content.len()].copy_from_slice(content);
        }
        image
    }

    fn open(image: Vec<u8>) -> io::Result<(Arc<dyn Tree>, Option<String>)> {
        Fat::open(Box::new(Arc::<[u8]>::from(image)))
    }

    #[test]
    fn names_long_and_short_and_files_in_pieces_are_read() {
        let (mut small, readme) = (*b"README  TXT", *b"LONGNA~1TXT");
        let mut lower = entry(&small, 0x20, 5, 3);
        lower[12] = 0x18;
        small[0] = b'B';
        let root = [
            long("A long name, Ünïcode.txt", &readme),
            entry(&readme, 0x20, 2, 700),
            lower,
            // The pieces of another name: they count for nothing.
            long("stray.txt", b"STRAY   TXT"),
            entry(&small, 0x20, 0, 0),
            entry(b"STICK      ", VOLUME, 0, 0),
            entry(b"\xe5ELETED TXT", 0x20, 2, 9),
        ];
        let content: Vec<u8> = (0..700_u32).map(|at| at as u8).collect();
        let image = image(
            &root,
            &[(2, 4), (4, 0xfff), (5, 0xff8)],
            &[(2, &content[..512]), (4, &content[512..]), (5, b"abc")],
        );
        assert!(begins(&image) && names(&image) == ("1a2b-3c4d".to_owned(), "STICK".to_owned()));
        let (tree, cut) = open(image).unwrap();
        assert_eq!(cut, None);
        let found: Vec<String> =
            tree.as_ref().names("").into_iter().filter_map(|one| one.name.into_string().ok()).collect();
        assert_eq!(found, ["A long name, Ünïcode.txt", "BEADME.TXT", "readme.txt"]);
        assert_eq!(tree.as_ref().read("A long name, Ünïcode.txt").unwrap(), content);
        assert_eq!(tree.as_ref().read("readme.txt").unwrap(), b"abc");
        assert_eq!(tree.as_ref().read("BEADME.TXT").unwrap(), b"");
    }

    #[test]
    fn circles_and_clusters_that_are_not_there_are_damage() {
        let root = [
            entry(b"CIRCLE  TXT", 0x20, 2, 9999),
            entry(b"OUTSIDE TXT", 0x20, 900, 99),
            entry(b"FOLDER     ", FOLDER, 4, 0),
        ];
        let (tree, _) = open(image(&root, &[(2, 3), (3, 2), (4, 4)], &[])).unwrap();
        for (path, why) in [("CIRCLE.TXT", "same block"), ("OUTSIDE.TXT", "not there")] {
            let error = tree.as_ref().read(path).unwrap_err().to_string();
            assert!(error.contains(why), "{error}");
        }
        assert!(tree.list(std::path::Path::new("FOLDER")).is_err());
    }

    #[test]
    fn impossible_sizes_are_refused_and_what_is_cut_off_is_said() {
        let whole = image(&[], &[], &[]);
        let (_, cut) = open(whole[..20_000].to_vec()).unwrap();
        assert_eq!(cut.as_deref(), Some("it is cut off: 20000 of 34304 bytes are there"));
        for (at, byte) in [(11, 7_u8), (13, 3), (13, 0), (19, 2)] {
            let mut wrong = whole.clone();
            wrong[at] = byte;
            assert!(open(wrong).is_err(), "{at}");
        }
        assert!(open(vec![0; 100]).is_err());
    }
}
