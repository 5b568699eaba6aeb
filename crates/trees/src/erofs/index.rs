//! The index of a packed file: for each cluster what begins in it, in entries of eight, four or two bytes.

use super::{Inode, damaged};
use crate::num::{le16, le32, le64};
use std::io;

/// In an entry that begins no extent: a number of blocks is there, and no distance.
pub(super) const IS_COUNT: u32 = 1 << 11;

/// The index of a packed file.
pub(super) struct Map<'i> {
    pub(super) advise: u16,
    pub(super) algorithms: [u8; 2],
    pub(super) cluster_log: u32,
    pub(super) inode: &'i Inode,
    /// Where it begins.
    pub(super) begin: u64,
}

impl Map<'_> {
    const HAS_SMALL: u16 = 1;
    const BIG_FIRST: u16 = 2;
    const BIG_SECOND: u16 = 4;
    pub(super) const TAIL_INLINE: u16 = 8;
    pub(super) const INTERLACED: u16 = 0x10;
    pub(super) const TAIL_FRAGMENT: u16 = 0x20;

    /// Whether extents of a kind may have several blocks.
    pub(super) const fn is_big(&self, kind: u8) -> bool {
        match kind {
            1 => self.advise & Self::BIG_FIRST != 0,
            3 => self.advise & Self::BIG_SECOND != 0,
            _ => false,
        }
    }

    /// Bytes of the index from a place of the image on.
    fn piece<'t>(&self, index: &'t [u8], at: u64, length: u64) -> io::Result<&'t [u8]> {
        let begin = at.checked_sub(self.begin).and_then(|begin| usize::try_from(begin).ok());
        let piece =
            begin.and_then(|begin| index.get(begin..begin.saturating_add(usize::try_from(length).ok()?)));
        piece.ok_or_else(|| damaged("an index is cut off"))
    }

    /// What the index says of a cluster, and where the pack of entries that it is in ends.
    pub(super) fn entry(&self, index: &[u8], number: u64, all: u64) -> io::Result<(Entry, u64)> {
        if self.inode.layout == 1 {
            // Eight bytes lie between the header and the first entry.
            let at = self.begin.saturating_add(8).saturating_add(number.saturating_mul(8));
            let entry = self.piece(index, at, 8)?;
            let kind = (le16(entry, 0) & 3) as u8;
            let offset = u32::from(le16(entry, if kind == 2 { 4 } else { 2 }));
            return Ok((Entry { kind, offset, block: le32(entry, 4), blocks: 0 }, at.saturating_add(8)));
        }
        // Entries of four bytes up to the next 32, then of two bytes in packs of 16, then of four.
        let first = ((32_u64.saturating_sub(self.begin & 31)) / 4) & 7;
        let small = if self.advise & Self::HAS_SMALL != 0 && first < all {
            all.saturating_sub(first) & !15
        } else {
            0
        };
        let (at, log) = if number < first {
            (number.saturating_mul(4), 2)
        } else if number.saturating_sub(first) < small {
            (first.saturating_mul(4).saturating_add(number.saturating_sub(first).saturating_mul(2)), 1)
        } else {
            let rest = number.saturating_sub(first).saturating_sub(small);
            (
                first
                    .saturating_mul(4)
                    .saturating_add(small.saturating_mul(2))
                    .saturating_add(rest.saturating_mul(4)),
                2,
            )
        };
        let at = self.begin.saturating_add(at);
        let count = if log == 2 { 2_u64 } else { 16 };
        let bytes = count << log;
        let begin = at & !bytes.saturating_sub(1);
        let pack = self.piece(index, begin, bytes)?;
        let entry = self.unpack(pack, count, at.saturating_sub(begin) >> log)?;
        Ok((entry, begin.saturating_add(bytes)))
    }

    /// An entry of a pack: fields of as many bits as fit before the number of a block that ends the pack.
    fn unpack(&self, pack: &[u8], count: u64, number: u64) -> io::Result<Entry> {
        let low = self.cluster_log.max(12);
        let bits =
            (pack.len() as u64).saturating_sub(4).saturating_mul(8).checked_div(count).unwrap_or_default();
        let field = |at: u64| {
            let place = bits.saturating_mul(at);
            let byte = usize::try_from(place / 8).unwrap_or_default();
            let value = le64(&[pack.get(byte..).unwrap_or_default(), &[0; 8]].concat(), 0) >> (place & 7);
            let kind = (value >> low) & 3;
            ((value & (1_u64 << low).saturating_sub(1)) as u32, kind as u8)
        };
        let (offset, kind) = field(number);
        if kind == 2 {
            return Ok(Entry { kind, offset, block: 0, blocks: 0 });
        }
        // Blocks of the extents before it in the pack.
        let is_big = self.advise & (Self::BIG_FIRST | Self::BIG_SECOND) != 0;
        let mut blocks = u64::from(!is_big);
        let mut at = number;
        while let Some(before) = at.checked_sub(1) {
            let (distance, kind) = field(before);
            at = before;
            if kind != 2 {
                blocks = blocks.saturating_add(1);
                continue;
            }
            if is_big && distance & IS_COUNT != 0 {
                blocks = blocks.saturating_add(u64::from(distance & !IS_COUNT));
                at = at.saturating_sub(1);
                continue;
            }
            let back = if is_big { distance.saturating_sub(2) } else { distance };
            if is_big && distance <= 1 {
                return Err(damaged("an index contradicts itself"));
            }
            match at.checked_sub(u64::from(back)) {
                Some(to) if is_big => at = to,
                Some(to) => {
                    at = to;
                    blocks = blocks.saturating_add(1);
                }
                None => break,
            }
        }
        let base = le32(pack, pack.len().saturating_sub(4));
        let block = base.saturating_add(u32::try_from(blocks).unwrap_or(u32::MAX));
        Ok(Entry { kind, offset, block, blocks: 0 })
    }
}

/// What an index says of one cluster. Kinds: 0 plain, 1 and 3 packed in the first or second way, 2 a further cluster of an extent.
#[derive(Debug, Clone, Copy)]
pub(super) struct Entry {
    pub(super) kind: u8,
    pub(super) offset: u32,
    pub(super) block: u32,
    /// Blocks of the extent that begins here; 0 if not recorded.
    pub(super) blocks: u64,
}
