//! VDI images, version 1: a map of blocks, and the blocks.

use super::table::{Table, from_blocks};
use crate::ReadAt;
use crate::num::{le32, le64};
use std::io::{self, ErrorKind};

const SIGNATURE: [u8; 4] = [0x7f, 0x10, 0xda, 0xbe];
/// Blocks that were never written, or are all zeros.
const ABSENT: u32 = 0xffff_fffe;
/// Bytes that the map may have.
const MAP_LIMIT: u64 = 64 << 20;

/// Whether so begins an image.
pub(crate) fn begins(head: &[u8]) -> bool {
    head.get(64..68) == Some(&SIGNATURE)
}

/// An image as the disk that the machine sees.
pub(crate) struct Vdi {
    image: Box<dyn ReadAt>,
    data: u64,
    length: u64,
    block: u64,
    map: Table,
}

impl Vdi {
    /// Opens an image.
    ///
    /// # Errors
    /// When it is damaged, or holds only what differs from another image.
    pub(crate) fn open(image: Box<dyn ReadAt>) -> io::Result<Self> {
        let damaged = |why: &str| io::Error::new(ErrorKind::InvalidData, format!("damaged VDI: {why}"));
        let head = image.exactly(0, 400).map_err(|_| damaged("it is cut off"))?;
        if !matches!(le32(&head, 76), 1 | 2) {
            let why = "is only what differs from another image: flatten it first";
            return Err(io::Error::new(ErrorKind::Unsupported, why));
        }
        let (map, data) = (u64::from(le32(&head, 340)), u64::from(le32(&head, 344)));
        let (length, block, blocks) =
            (le64(&head, 368), u64::from(le32(&head, 376)), u64::from(le32(&head, 384)));
        if !block.is_power_of_two() || !(4096..=1 << 30).contains(&block) {
            return Err(damaged("its blocks have a size that none may have"));
        }
        if blocks.saturating_mul(4) > MAP_LIMIT || blocks < length.div_ceil(block) {
            return Err(damaged("its map has a size that it can't have"));
        }
        let map =
            Table::new(image.as_ref(), map, blocks, 4).map_err(|_| damaged("its map is beyond its end"))?;
        Ok(Self { image, data, length, block, map })
    }
}

impl ReadAt for Vdi {
    fn len(&self) -> u64 {
        self.length
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let place = |number| {
            let entry = self.map.entry(self.image.as_ref(), number)?.map_or(ABSENT, |entry| le32(&entry, 0));
            let begin = u64::from(entry).saturating_mul(self.block).saturating_add(self.data);
            Ok((entry < ABSENT).then_some(begin))
        };
        from_blocks(self.image.as_ref(), (offset, self.length, self.block), buffer, place)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::disk::samples::{Piece, contents, held_against, pieces};
    use proptest::prelude::*;
    use std::sync::Arc;

    const BLOCK: usize = 4096;

    /// An image of pieces, its blocks in an order of their own, as they were first written.
    fn image(length: u64, pieces: &[Piece], turned: bool) -> Vec<u8> {
        let map_at = 512;
        let data_at = (map_at + pieces.len() * 4).next_multiple_of(512);
        let mut out = vec![0; data_at];
        out[64..68].copy_from_slice(&SIGNATURE);
        let words = [
            (76, 1),
            (340, u32::try_from(map_at).unwrap()),
            (344, u32::try_from(data_at).unwrap()),
            (376, 4096),
            (384, u32::try_from(pieces.len()).unwrap()),
        ];
        for (at, word) in words {
            out[at..at + 4].copy_from_slice(&word.to_le_bytes());
        }
        out[368..376].copy_from_slice(&length.to_le_bytes());
        let mut order: Vec<usize> = (0..pieces.len()).collect();
        if turned {
            order.reverse();
        }
        let mut written = 0_u32;
        for number in order {
            let entry = match &pieces[number] {
                Piece::Absent => u32::MAX,
                Piece::Zeros => u32::MAX - 1,
                piece => {
                    out.extend(piece.content(BLOCK));
                    written += 1;
                    written - 1
                }
            };
            out[map_at + number * 4..][..4].copy_from_slice(&entry.to_le_bytes());
        }
        out
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]

        #[test]
        fn what_was_written_to_an_image_is_read_from_it(
            pieces in pieces(40), less in 0_u64..4096, turned: bool,
            asked in prop::collection::vec((any::<u64>(), 0_usize..20_000), 1..20),
        ) {
            let length = (pieces.len() * BLOCK) as u64 - less;
            let content = contents(&pieces, BLOCK, length);
            let bytes: Arc<[u8]> = image(length, &pieces, turned).into();
            held_against(&Vdi::open(Box::new(bytes)).unwrap(), &content, &asked)?;
        }
    }
}
