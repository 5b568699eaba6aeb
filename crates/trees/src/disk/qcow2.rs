//! qcow2 images, versions 2 and 3, by QEMU's `docs/interop/qcow2`: tables of two levels lead to clusters, which may be packed.

use super::table::{Pieces, Table, pieces};
use super::vmdk::neighbour;
use crate::ReadAt;
use crate::bytes::{by_blocks, copy_from};
use crate::num::{be32, be64};
use std::io::{self, ErrorKind, Read};
use std::path::Path;
use std::sync::Arc;

/// Where an entry of a table points.
const OFFSET: u64 = 0x00ff_ffff_ffff_fe00;
const PACKED: u64 = 1 << 62;
const ZERO: u64 = 1;
/// Bytes that the first table may have: enough for 2 PiB.
const TABLE_LIMIT: u64 = 32 << 20;

fn damaged(why: &str) -> io::Error {
    io::Error::new(ErrorKind::InvalidData, format!("damaged qcow2: {why}"))
}

fn unsupported(why: &str) -> io::Error {
    io::Error::new(ErrorKind::Unsupported, why.to_owned())
}

/// Whether so begins an image.
pub(crate) fn begins(head: &[u8]) -> bool {
    head.starts_with(b"QFI\xfb")
}

/// The image that another one stands on: a file beside it, by its name alone.
fn below(
    image: &dyn ReadAt,
    (at, length): (u64, u32),
    beside: Option<&Path>,
    depth: usize,
) -> io::Result<Box<dyn ReadAt>> {
    if depth >= BACKING_DEPTH {
        return Err(damaged("it stands on too many images, or on itself"));
    }
    if length > NAME_LIMIT {
        return Err(damaged("the name of the image below is too long"));
    }
    let name =
        image.exactly(at, length as usize).map_err(|_| damaged("the name of the image below is cut off"))?;
    let name = String::from_utf8_lossy(&name).into_owned();
    let Some(folder) = beside else {
        let why = format!(
            "stands on the image `{name}`, which is not beside it: flatten it with `qemu-img convert` first"
        );
        return Err(unsupported(&why));
    };
    let below = neighbour(folder, &name)?;
    let head = (&below as &dyn ReadAt).exactly(0, 4).unwrap_or_default();
    if begins(&head) {
        return Ok(Box::new(Qcow2::open_above(Box::new(below), beside, depth.saturating_add(1))?));
    }
    Ok(Box::new(below))
}

/// An image as the disk that the machine sees.
pub(crate) struct Qcow2 {
    image: Box<dyn ReadAt>,
    cluster_bits: u32,
    length: u64,
    first: Table,
    zstd: bool,
    tables: Pieces,
    clusters: Pieces,
    /// Whether an entry has a bit for each part of its cluster.
    has_parts: bool,
    /// What it stands on.
    backing: Option<Box<dyn ReadAt>>,
}

/// Parts of a cluster that have a bit of their own.
const PARTS: u64 = 32;
/// Images that stand on one another.
const BACKING_DEPTH: usize = 8;
/// Bytes that the name of the one below may have.
const NAME_LIMIT: u32 = 1023;

impl Qcow2 {
    /// Opens an image.
    ///
    /// # Errors
    /// When it is damaged, encrypted, or stands on another image that is not beside it.
    pub(crate) fn open(image: Box<dyn ReadAt>, beside: Option<&Path>) -> io::Result<Self> {
        Self::open_above(image, beside, 0)
    }

    fn open_above(image: Box<dyn ReadAt>, beside: Option<&Path>, depth: usize) -> io::Result<Self> {
        let head =
            image.exactly(0, 112).or_else(|_| image.exactly(0, 72)).map_err(|_| damaged("it is cut off"))?;
        let version = be32(&head, 4);
        let features = if version >= 3 { be64(&head, 72) } else { 0 };
        if !(2..=3).contains(&version) {
            return Err(unsupported(&format!("is a qcow2 image of version {version}; 2 and 3 are read")));
        }
        let backing = match be64(&head, 8) {
            0 => None,
            at => Some(below(image.as_ref(), (at, be32(&head, 16)), beside, depth)?),
        };
        if be32(&head, 32) != 0 {
            return Err(unsupported("is encrypted"));
        }
        const KNOWN: u64 = 0b1_1011;
        const HAS_PARTS: u64 = 0b1_0000;
        if features & !KNOWN != 0 {
            return Err(unsupported("keeps its data in another file, or in a way that is not read"));
        }
        let zstd = features & 8 != 0 && head.get(104) == Some(&1);
        let cluster_bits = be32(&head, 20);
        if !(9..=21).contains(&cluster_bits) {
            return Err(damaged("its clusters have a size that none may have"));
        }
        let (length, entries, at) = (be64(&head, 24), u64::from(be32(&head, 36)), be64(&head, 40));
        let has_parts = features & HAS_PARTS != 0;
        if has_parts && cluster_bits < 14 {
            return Err(damaged("its clusters have a size that none may have"));
        }
        // A cluster of a second table has an eighth as many entries as bytes, half of that where they have parts.
        let size = 1_u64 << cluster_bits;
        let reach = size.saturating_mul(if has_parts { size / 16 } else { size / 8 });
        if entries.saturating_mul(8) > TABLE_LIMIT || entries < length.div_ceil(reach) {
            return Err(damaged("its first table has a size that it can't have"));
        }
        let first = Table::new(image.as_ref(), at, entries, 8);
        let first = first.map_err(|_| damaged("its first table is beyond its end"))?;
        let (tables, clusters) = (pieces(), pieces());
        Ok(Self { image, cluster_bits, length, first, zstd, tables, clusters, has_parts, backing })
    }

    fn cluster_size(&self) -> u64 {
        1 << self.cluster_bits
    }

    /// The entry of the second table that a place of the disk has, and the bits of its parts; 0 where nothing was ever written.
    fn entry(&self, offset: u64) -> io::Result<(u64, u64)> {
        let number = offset >> self.cluster_bits;
        let (size, entries): (u64, u64) =
            if self.has_parts { (16, self.cluster_size() / 16) } else { (8, self.cluster_size() / 8) };
        let first = number.checked_div(entries).unwrap_or_default();
        let second = number.checked_rem(entries).unwrap_or_default();
        let at = self.first.entry(self.image.as_ref(), first)?.map_or(0, |entry| be64(&entry, 0) & OFFSET);
        if at == 0 {
            return Ok((0, 0));
        }
        let table = self.tables.get_or(at, || {
            let length = usize::try_from(self.cluster_size()).unwrap_or(usize::MAX);
            Ok(self.image.exactly(at, length).map_err(|_| damaged("a table is beyond its end"))?.into())
        })?;
        let at = usize::try_from(second.saturating_mul(size)).unwrap_or(usize::MAX);
        let parts = if self.has_parts { be64(&table, at.saturating_add(8)) } else { 0 };
        Ok((be64(&table, at), parts))
    }

    /// What a part of a cluster is, by the entry and its bits: whether it was written, and whether it is zeros.
    fn state(&self, (entry, parts): (u64, u64), offset: u64) -> (bool, bool) {
        if !self.has_parts {
            return (entry & OFFSET != 0 && entry & ZERO == 0, entry & ZERO != 0);
        }
        let inside = offset & !(u64::MAX << self.cluster_bits);
        let part = inside.checked_div(self.cluster_size() / PARTS).unwrap_or_default();
        let bit = |above: u64| {
            parts
                & 1_u64
                    .checked_shl(u32::try_from(part.saturating_add(above)).unwrap_or(63))
                    .unwrap_or_default()
                != 0
        };
        (bit(0) && entry & OFFSET != 0, bit(PARTS))
    }

    /// A packed cluster, unpacked.
    fn unpacked(&self, entry: u64) -> io::Result<Arc<[u8]>> {
        // Bits of the place; above them is the number of further sectors of 512 bytes that it takes.
        let bits = 70_u32.saturating_sub(self.cluster_bits);
        let at = entry & !(u64::MAX << bits);
        let sectors = (entry & !(PACKED | PACKED << 1)) >> bits;
        let stored = sectors.saturating_add(1).saturating_mul(512).saturating_sub(at & 511);
        self.clusters.get_or(entry, || {
            // The last sector may be cut off with the file.
            let stored = stored.min(self.image.len().saturating_sub(at));
            let packed = self.image.exactly(at, usize::try_from(stored).unwrap_or(usize::MAX))?;
            let mut cluster = Vec::new();
            let reader: Box<dyn Read + '_> = if self.zstd {
                Box::new(
                    ruzstd::decoding::StreamingDecoder::new(&packed[..])
                        .map_err(|_| damaged("a cluster can't be unpacked"))?,
                )
            } else {
                Box::new(flate2::read::DeflateDecoder::new(&packed[..]))
            };
            let read = reader.take(self.cluster_size()).read_to_end(&mut cluster);
            if (cluster.len() as u64) < self.cluster_size() {
                return Err(read.err().unwrap_or_else(|| damaged("a cluster can't be unpacked")));
            }
            Ok(cluster.into())
        })
    }
}

impl ReadAt for Qcow2 {
    fn len(&self) -> u64 {
        self.length
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let piece = if self.has_parts { self.cluster_size() / PARTS } else { self.cluster_size() };
        by_blocks(offset, self.length, piece, buffer, |at, out| {
            let inside = at & !(u64::MAX << self.cluster_bits);
            let (entry, parts) = self.entry(at)?;
            let (is_written, is_zeros) = self.state((entry, parts), at);
            if entry & PACKED != 0 {
                let cluster = self.unpacked(entry)?;
                copy_from(&cluster, usize::try_from(inside).unwrap_or(usize::MAX), out)?;
            } else if !is_written {
                let below = self.backing.as_ref().filter(|_| !is_zeros);
                let read = below.map_or(Ok(0), |below| below.read_at(at, out))?;
                out[read..].fill(0);
            } else {
                let read = self.image.read_at((entry & OFFSET).saturating_add(inside), out)?;
                // What is beyond the end of the file was never written.
                out[read..].fill(0);
            }
            Ok(())
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::disk::samples::{Piece, contents, held_against, pieces};
    use flate2::Compression;
    use flate2::write::DeflateEncoder;
    use proptest::prelude::*;
    use std::io::Write;

    /// An image of pieces as the specification lays one out: the header, tables, then clusters as they come.
    fn image(version: u32, cluster_bits: u32, length: u64, pieces: &[Piece]) -> Vec<u8> {
        let cluster = 1_usize << cluster_bits;
        let entries = cluster / 8;
        let tables = pieces.len().div_ceil(entries);
        let first_size = (tables * 8).next_multiple_of(cluster);
        let mut out = vec![0; cluster + first_size + tables * cluster];
        out[..4].copy_from_slice(b"QFI\xfb");
        out[4..8].copy_from_slice(&version.to_be_bytes());
        out[20..24].copy_from_slice(&cluster_bits.to_be_bytes());
        out[24..32].copy_from_slice(&length.to_be_bytes());
        out[36..40].copy_from_slice(&u32::try_from(tables).unwrap().to_be_bytes());
        out[40..48].copy_from_slice(&(cluster as u64).to_be_bytes());
        if version == 3 {
            out[100..104].copy_from_slice(&104_u32.to_be_bytes());
        }
        let used = |table: usize| {
            let own = &pieces[table * entries..((table + 1) * entries).min(pieces.len())];
            own.iter().any(|piece| !matches!(piece, Piece::Absent))
        };
        for table in (0..tables).filter(|table| used(*table)) {
            let at = (cluster + first_size + table * cluster) as u64 | 1 << 63;
            out[cluster + table * 8..][..8].copy_from_slice(&at.to_be_bytes());
        }
        for (number, piece) in pieces.iter().enumerate() {
            let content = piece.content(cluster);
            let packed = matches!(piece, Piece::Packed(_)).then(|| {
                let mut packer = DeflateEncoder::new(Vec::new(), Compression::fast());
                packer.write_all(&content).unwrap();
                packer.finish().unwrap()
            });
            let entry = match (piece, packed) {
                (Piece::Absent, _) => 0,
                // Before version 3 zeros could only be written.
                (Piece::Zeros, _) if version == 3 => ZERO,
                // What gets no smaller is kept as it is.
                (_, Some(packed)) if packed.len() < cluster => {
                    let at = out.len() as u64;
                    let sectors = (at & 511).saturating_add(packed.len() as u64).div_ceil(512) - 1;
                    out.extend(&packed);
                    PACKED | sectors << (62 - (cluster_bits - 8)) | at
                }
                _ => {
                    out.resize(out.len().next_multiple_of(cluster), 0);
                    let at = out.len() as u64;
                    out.extend(&content);
                    at | 1 << 63
                }
            };
            let place = cluster + first_size + number / entries * cluster + number % entries * 8;
            out[place..][..8].copy_from_slice(&entry.to_be_bytes());
        }
        // Zeros of the last cluster need not be in the file, unless it is packed.
        let is_plain = !pieces.iter().any(|piece| matches!(piece, Piece::Packed(_)));
        while is_plain && out.len() > cluster + first_size + tables * cluster && out.last() == Some(&0) {
            out.pop();
        }
        out
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(96))]

        #[test]
        fn what_was_written_to_an_image_is_read_from_it(
            version in 2_u32..=3, cluster_bits in 9_u32..14, pieces in pieces(150), less in 0_u64..512,
            asked in prop::collection::vec((any::<u64>(), 0_usize..20_000), 1..20),
        ) {
            let length = ((pieces.len() as u64) << cluster_bits) - less;
            let content = contents(&pieces, 1 << cluster_bits, length);
            let bytes: Arc<[u8]> = image(version, cluster_bits, length, &pieces).into();
            held_against(&Qcow2::open(Box::new(bytes), None).unwrap(), &content, &asked)?;
        }
    }
}
