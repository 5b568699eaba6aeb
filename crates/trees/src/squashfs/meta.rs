use super::{Shared, damaged};
use crate::num::le16;
use std::io;
use std::sync::Arc;

/// The most that a metadata block holds when it is unpacked.
const BLOCK: usize = 8192;

/// A place in a table: the packed block's offset from the table's start, and the offset in it unpacked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(super) struct Place {
    pub(super) block: u64,
    pub(super) offset: u16,
}

impl Place {
    /// From the form that references have in an image.
    pub(super) const fn new(reference: u64) -> Self {
        Self { block: reference >> 16 & 0xffff_ffff, offset: (reference & 0xffff) as u16 }
    }
}

/// Where a list of places, one for each 512 entries of a table, has that of an entry.
pub(super) fn pointer_of(list: u64, number: u32) -> u64 {
    list.saturating_add(u64::from(number / 512).saturating_mul(8))
}

/// Where an entry of 16 bytes is in its block of 512.
pub(super) fn offset_of(number: u32) -> u16 {
    u16::try_from(number % 512).unwrap_or_default().saturating_mul(16)
}

/// A metadata block, unpacked, and where the next one begins.
pub(super) struct Block {
    bytes: Vec<u8>,
    next: u64,
}

impl Block {
    /// About how much memory it takes.
    pub(super) fn weight(self: &Arc<Self>) -> usize {
        self.bytes.len().saturating_add(64)
    }
}

impl Shared {
    /// Exactly so many bytes of the image.
    pub(super) fn piece(&self, at: u64, length: usize) -> io::Result<Vec<u8>> {
        self.image.exactly(at, length).map_err(|error| match error.kind() {
            io::ErrorKind::UnexpectedEof => damaged("it is cut off, or points behind its end"),
            _ => error,
        })
    }

    /// The metadata block at an offset of the image.
    fn meta_block(&self, at: u64) -> io::Result<Arc<Block>> {
        self.meta.get_or(at, || {
            let head = le16(&self.piece(at, 2)?, 0);
            let start = at.saturating_add(2);
            let packed = self.piece(start, usize::from(head & 0x7fff))?;
            let bytes = if head & 0x8000 == 0 { self.packing.unpack(&packed, BLOCK)? } else { packed };
            if bytes.len() > BLOCK {
                return Err(damaged("a block of its tables is too long"));
            }
            Ok(Arc::new(Block { next: start.saturating_add(u64::from(head & 0x7fff)), bytes }))
        })
    }

    /// The block of a file or of file ends that is at an offset of the image; `stored` is its size as tables state it.
    pub(super) fn data_block(&self, at: u64, stored: u32) -> io::Result<Arc<Vec<u8>>> {
        self.pieces.get_or(at, || {
            let length = stored & 0x00ff_ffff;
            if length > self.block_size {
                return Err(damaged("a block is longer than any may be"));
            }
            let packed = self.piece(at, length as usize)?;
            Ok(Arc::new(if stored & 1 << 24 == 0 {
                self.packing.unpack(&packed, self.block_size as usize)?
            } else {
                packed
            }))
        })
    }
}

/// Reads a table from a place on, across its blocks.
pub(super) struct Reader<'s> {
    shared: &'s Shared,
    here: Here,
}

/// A place in a table that was reached by reading.
#[derive(Clone)]
pub(super) struct Here {
    block: Arc<Block>,
    at: usize,
}

impl<'s> Reader<'s> {
    /// `table` is where the table begins in the image.
    pub(super) fn new(shared: &'s Shared, table: u64, place: Place) -> io::Result<Self> {
        let start = table.checked_add(place.block).ok_or_else(|| damaged("a position is out of range"))?;
        Ok(Self { shared, here: Here { block: shared.meta_block(start)?, at: usize::from(place.offset) } })
    }

    /// Goes on where another reader was.
    pub(super) fn at(shared: &'s Shared, here: Here) -> Self {
        Self { shared, here }
    }

    /// Where it is.
    pub(super) fn here(&self) -> Here {
        self.here.clone()
    }

    /// The next bytes.
    pub(super) fn take(&mut self, length: usize) -> io::Result<Vec<u8>> {
        let mut taken = Vec::with_capacity(length.min(BLOCK));
        let Here { block, at } = &mut self.here;
        while taken.len() < length {
            let rest = block.bytes.get(*at..).filter(|rest| !rest.is_empty());
            let Some(rest) = rest else {
                if block.bytes.is_empty() {
                    return Err(damaged("a table ends early"));
                }
                *at = at.saturating_sub(block.bytes.len());
                *block = self.shared.meta_block(block.next)?;
                continue;
            };
            let piece = &rest[..rest.len().min(length.saturating_sub(taken.len()))];
            taken.extend_from_slice(piece);
            *at = at.saturating_add(piece.len());
        }
        Ok(taken)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_reference_holds_a_block_and_an_offset() {
        let place = Place::new(0x1_2345_6789_abcd);
        assert_eq!((place.block, place.offset), (0x2345_6789, 0xabcd), "the highest bits are no part of it");
    }
}
