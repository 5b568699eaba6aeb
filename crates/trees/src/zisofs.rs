//! Files that an ISO 9660 image keeps packed: zisofs, as the field `ZF` beside Rock Ridge tells. A header, places of the blocks,
//! and the blocks, each packed with zlib by itself.

use crate::ReadAt;
use crate::bytes::{by_blocks, copy_from};
use crate::num::le32;
use flate2::read::ZlibDecoder;
use std::io::{self, Read};

const MAGIC: [u8; 8] = [0x37, 0xe4, 0x53, 0x96, 0xc9, 0xdb, 0xd6, 0x07];

/// What `ZF` says of a packed file.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Stated {
    header: u64,
    block: u64,
    length: u64,
}

impl Stated {
    /// From the data of the field: the letters `pz`, the header's length in words, the block's as a power of two, the length.
    pub(crate) fn of(data: &[u8]) -> Option<Self> {
        let [b'p', b'z', words, power, length @ ..] = data else { return None };
        let length = u32::from_le_bytes(length.get(..4)?.try_into().ok()?);
        (matches!(power, 15..=17) && *words >= 4).then(|| Self {
            header: u64::from(*words).saturating_mul(4),
            block: 1 << power,
            length: u64::from(length),
        })
    }
}

/// The unpacked content of a file.
pub(crate) struct Zisofs<B> {
    packed: B,
    stated: Stated,
}

impl<B: ReadAt> Zisofs<B> {
    pub(crate) fn new(packed: B, stated: Stated) -> Self {
        Self { packed, stated }
    }

    /// Unpacks the block that a place is in; what is left out of the image is zeros.
    fn unpack(&self, number: u64) -> io::Result<Vec<u8>> {
        let packed: &dyn ReadAt = &self.packed;
        let damaged = || io::Error::new(io::ErrorKind::InvalidData, "damaged zisofs file");
        if number == 0 && packed.exactly(0, MAGIC.len())? != MAGIC {
            return Err(damaged());
        }
        let two = packed.exactly(self.stated.header.saturating_add(number.saturating_mul(4)), 8)?;
        let (start, end) = (u64::from(le32(&two, 0)), u64::from(le32(&two, 4)));
        let before = number.saturating_mul(self.stated.block);
        let wanted = self.stated.block.min(self.stated.length.saturating_sub(before));
        let mut block = Vec::new();
        if start == end {
            block.resize(usize::try_from(wanted).map_err(|_| damaged())?, 0);
            return Ok(block);
        }
        // Packed data is never much longer than what it holds.
        let length = end
            .checked_sub(start)
            .filter(|length| *length <= self.stated.block.saturating_mul(2))
            .ok_or_else(damaged)?;
        let bytes = packed.exactly(start, usize::try_from(length).map_err(|_| damaged())?)?;
        ZlibDecoder::new(bytes.as_slice()).take(wanted).read_to_end(&mut block)?;
        if (block.len() as u64) < wanted { Err(damaged()) } else { Ok(block) }
    }
}

impl<B: ReadAt> ReadAt for Zisofs<B> {
    fn len(&self) -> u64 {
        self.stated.length
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let Stated { block, length, .. } = self.stated;
        by_blocks(offset, length, block, buffer, |at, piece| {
            let number = at.checked_div(block).unwrap_or_default();
            let start = usize::try_from(at.checked_rem(block).unwrap_or_default()).unwrap_or(usize::MAX);
            copy_from(&self.unpack(number)?, start, piece)
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Window;
    use flate2::{Compression, write::ZlibEncoder};
    use proptest::prelude::*;
    use std::io::Write;
    use std::sync::Arc;

    const BLOCK: usize = 1 << 15;

    /// Packed with a hole wherever a block is all zeros.
    fn packed(content: &[u8]) -> (Vec<u8>, Stated) {
        let blocks: Vec<Vec<u8>> = content
            .chunks(BLOCK)
            .map(|block| {
                if block.iter().all(|byte| *byte == 0) {
                    return Vec::new();
                }
                let mut encoder = ZlibEncoder::new(Vec::new(), Compression::fast());
                encoder.write_all(block).unwrap();
                encoder.finish().unwrap()
            })
            .collect();
        let length = u32::try_from(content.len()).unwrap().to_le_bytes();
        let mut bytes = [&MAGIC[..], &length, &[4, 15, 0, 0]].concat();
        let mut place = u32::try_from(16 + 4 * (blocks.len() + 1)).unwrap();
        bytes.extend_from_slice(&place.to_le_bytes());
        for block in &blocks {
            place += u32::try_from(block.len()).unwrap();
            bytes.extend_from_slice(&place.to_le_bytes());
        }
        bytes.extend(blocks.concat());
        let stated = Stated::of(&[b"pz\x04\x0f", &length[..], &length[..]].concat()).unwrap();
        (bytes, stated)
    }

    fn open(bytes: Vec<u8>, stated: Stated) -> Zisofs<Window> {
        let bytes: Arc<[u8]> = bytes.into();
        Zisofs::new(Window::from(Box::new(bytes), 0).unwrap(), stated)
    }

    #[test]
    fn what_is_not_packed_so_is_not_taken_for_it() {
        assert!(Stated::of(b"PZ\x04\x0f\0\0\0\0").is_none());
        assert!(Stated::of(b"pz\x04\x40\0\0\0\0").is_none(), "a block of 2^64 bytes");
        assert!(Stated::of(b"pz\x04\x0f\0").is_none());
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]

        #[test]
        fn any_piece_of_what_was_packed_comes_back(
            runs in prop::collection::vec((any::<u8>(), 1_usize..40_000), 1..5),
            hole in 0_usize..70_000,
            at in 0_usize..200_000,
            length in 1_usize..70_000,
        ) {
            let mut content: Vec<u8> = vec![0; hole];
            content.extend(runs.iter().flat_map(|(byte, count)| std::iter::repeat_n(*byte, *count)));
            let at = at % content.len();
            let length = length.min(content.len() - at);
            let (bytes, stated) = packed(&content);
            let file = open(bytes, stated);
            let file: &dyn ReadAt = &file;
            prop_assert_eq!(file.exactly(at as u64, length).unwrap(), &content[at..at + length]);
            prop_assert!(file.exactly(at as u64, content.len() + 1).is_err());
        }

        #[test]
        fn damage_is_an_error_or_other_bytes(at in 0_usize..4000, byte: u8, cut in 0_usize..4000) {
            let content: Vec<u8> = (0..100_000_u32).map(|number| (number % 251) as u8).collect();
            let (mut bytes, stated) = packed(&content);
            let (at, cut) = (at % bytes.len(), cut % bytes.len());
            bytes[at] = byte;
            bytes.truncate(bytes.len() - cut);
            let file = open(bytes, stated);
            let mut buffer = vec![0; 100_000];
            if let Ok(read) = file.read_at(0, &mut buffer) {
                prop_assert_eq!(read, 100_000);
            }
        }
    }
}
