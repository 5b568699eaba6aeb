//! VHDX images (MS-VHDX): a table of blocks that may be anywhere, found by tables of regions and of metadata.

use super::table::{Table, from_blocks};
use crate::ReadAt;
use crate::num::{le16, le32, le64};
use std::io::{self, ErrorKind};

const HEADERS: [u64; 2] = [64 << 10, 128 << 10];
const REGIONS: u64 = 192 << 10;
const METADATA_BYTES: usize = 64 << 10;
/// Where an entry of the table points: the rest is its state.
const PLACE: u64 = !0xf_ffff;

const BAT: [u8; 16] = guid(0x2dc2_7766, 0xf623, 0x4200, [0x9d, 0x64, 0x11, 0x5e, 0x9b, 0xfd, 0x4a, 0x08]);
const METADATA: [u8; 16] =
    guid(0x8b7c_a206, 0x4790, 0x4b9a, [0xb8, 0xfe, 0x57, 0x5f, 0x05, 0x0f, 0x88, 0x6e]);
const PARAMETERS: [u8; 16] =
    guid(0xcaa1_6737, 0xfa36, 0x4d43, [0xb3, 0xb6, 0x33, 0xf0, 0xaa, 0x44, 0xe7, 0x6b]);
const SIZE: [u8; 16] = guid(0x2fa5_4224, 0xcd1b, 0x4876, [0xb2, 0x11, 0x5d, 0xbe, 0xd8, 0x3b, 0xf4, 0xb8]);
const SECTOR: [u8; 16] = guid(0x8141_bf1d, 0xa96f, 0x4709, [0xba, 0x47, 0xf2, 0x33, 0xa8, 0xfa, 0xab, 0x5f]);

/// A GUID as it is written: its first three numbers the lowest byte first.
const fn guid(a: u32, b: u16, c: u16, d: [u8; 8]) -> [u8; 16] {
    let ([a0, a1, a2, a3], [b0, b1], [c0, c1]) = (a.to_le_bytes(), b.to_le_bytes(), c.to_le_bytes());
    let [d0, d1, d2, d3, d4, d5, d6, d7] = d;
    [a0, a1, a2, a3, b0, b1, c0, c1, d0, d1, d2, d3, d4, d5, d6, d7]
}

fn damaged(why: &str) -> io::Error {
    io::Error::new(ErrorKind::InvalidData, format!("damaged VHDX: {why}"))
}

/// Whether so begins an image.
pub(crate) fn begins(head: &[u8]) -> bool {
    head.starts_with(b"vhdxfile")
}

/// An image as the disk that the machine sees.
pub(crate) struct Vhdx {
    image: Box<dyn ReadAt>,
    length: u64,
    block: u64,
    /// Blocks between two entries of the table that are none of a block.
    ratio: u64,
    table: Table,
}

impl Vhdx {
    /// Opens an image.
    ///
    /// # Errors
    /// When it is damaged, holds only what differs from another image, or has a log that was not replayed.
    pub(crate) fn open(image: Box<dyn ReadAt>) -> io::Result<Self> {
        const HAS_PARENT: u32 = 2;
        let unsupported = |why: &str| io::Error::new(ErrorKind::Unsupported, why.to_owned());
        let headers = HEADERS
            .iter()
            .filter_map(|at| image.exactly(*at, 4096).ok().filter(|head| head.starts_with(b"head")));
        let current = headers.max_by_key(|head| le64(head, 8)).ok_or_else(|| damaged("it has no header"))?;
        if current.get(48..64).is_some_and(|log| log.iter().any(|byte| *byte != 0)) {
            return Err(unsupported(
                "was not closed, and has a log to be replayed: start its machine once, or use `qemu-img convert`",
            ));
        }
        let regions = image.exactly(REGIONS, 64 << 10).map_err(|_| damaged("it is cut off"))?;
        let region = |of: [u8; 16]| {
            let mut entries = (0..(le32(&regions, 8) as usize).min(2047))
                .map(|at| 16_usize.saturating_add(at.saturating_mul(32)));
            let found = entries.find(|at| regions.get(*at..at.saturating_add(16)) == Some(&of))?;
            Some((
                le64(&regions, found.saturating_add(16)),
                u64::from(le32(&regions, found.saturating_add(24))),
            ))
        };
        let (Some((metadata_at, _)), Some((table_at, table_bytes))) = (region(METADATA), region(BAT)) else {
            return Err(damaged("it lacks one of its regions"));
        };
        let metadata = image
            .exactly(metadata_at, METADATA_BYTES)
            .map_err(|_| damaged("its metadata are beyond its end"))?;
        let item = |of: [u8; 16]| {
            let mut entries = (0..usize::from(le16(&metadata, 10)))
                .map(|at| 32_usize.saturating_add(at.saturating_mul(32)));
            let found = entries.find(|at| metadata.get(*at..at.saturating_add(16)) == Some(&of))?;
            let at = metadata_at.saturating_add(u64::from(le32(&metadata, found.saturating_add(16))));
            image.exactly(at, 8).or_else(|_| image.exactly(at, 4)).ok()
        };
        let (Some(parameters), Some(size), Some(sector)) = (item(PARAMETERS), item(SIZE), item(SECTOR))
        else {
            return Err(damaged("its metadata lack what they must have"));
        };
        if le32(&parameters, 4) & HAS_PARENT != 0 {
            return Err(unsupported(
                "is only what differs from another image: flatten it with `qemu-img convert` first",
            ));
        }
        let (block, length, sector) =
            (u64::from(le32(&parameters, 0)), le64(&size, 0), u64::from(le32(&sector, 0)));
        if !block.is_power_of_two()
            || !(1 << 20..=256 << 20).contains(&block)
            || !matches!(sector, 512 | 4096)
        {
            return Err(damaged("its blocks have a size that none may have"));
        }
        let ratio = sector.saturating_mul(1 << 23).checked_div(block).unwrap_or(1).max(1);
        let blocks = length.div_ceil(block);
        let entries = blocks.saturating_add(blocks.saturating_sub(1).checked_div(ratio).unwrap_or_default());
        if entries.saturating_mul(8) > table_bytes {
            return Err(damaged("its table has a size that it can't have"));
        }
        let table = Table::new(image.as_ref(), table_at, entries, 8)
            .map_err(|_| damaged("its table is beyond its end"))?;
        Ok(Self { image, length, block, ratio, table })
    }
}

impl ReadAt for Vhdx {
    fn len(&self) -> u64 {
        self.length
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        const THERE: u64 = 6;
        let place = |number: u64| {
            let number = number.saturating_add(number.checked_div(self.ratio).unwrap_or_default());
            let entry = self.table.entry(self.image.as_ref(), number)?.map_or(0, |entry| le64(&entry, 0));
            Ok((entry & 7 == THERE).then_some(entry & PLACE))
        };
        from_blocks(self.image.as_ref(), (offset, self.length, self.block), buffer, place)
    }
}
