//! VHD images (Virtual Hard Disk Image Format Specification 1.0): growing ones by their table of blocks. One of fixed size is a disk as
//! it is, with a footer.

use super::table::{Table, from_blocks};
use crate::ReadAt;
use crate::num::{be32, be64};
use std::io::{self, ErrorKind};

const ABSENT: u32 = u32::MAX;
const SECTOR: u64 = 512;

fn damaged(why: &str) -> io::Error {
    io::Error::new(ErrorKind::InvalidData, format!("damaged VHD: {why}"))
}

/// Whether so begins an image.
pub(crate) fn begins(head: &[u8]) -> bool {
    head.starts_with(b"conectix")
}

/// An image as the disk that the machine sees.
pub(crate) struct Vhd {
    image: Box<dyn ReadAt>,
    length: u64,
    block: u64,
    /// Bytes of the bitmap before each block.
    bitmap: u64,
    table: Table,
}

impl Vhd {
    /// Opens an image.
    ///
    /// # Errors
    /// When it is damaged, or holds only what differs from another image.
    pub(crate) fn open(image: Box<dyn ReadAt>) -> io::Result<Self> {
        const GROWING: u32 = 3;
        let footer = image.exactly(0, 512).map_err(|_| damaged("it is cut off"))?;
        if be32(&footer, 60) != GROWING {
            let why = "is only what differs from another image: flatten it with `qemu-img convert` first";
            return Err(io::Error::new(ErrorKind::Unsupported, why));
        }
        let (at, length) = (be64(&footer, 16), be64(&footer, 48));
        let header = image.exactly(at, 1024).map_err(|_| damaged("its header is beyond its end"))?;
        let (table, entries, block) =
            (be64(&header, 16), u64::from(be32(&header, 28)), u64::from(be32(&header, 32)));
        if !header.starts_with(b"cxsparse") || !block.is_power_of_two() || !(4096..=1 << 30).contains(&block)
        {
            return Err(damaged("its header is something else"));
        }
        if entries < length.div_ceil(block) {
            return Err(damaged("its table has a size that it can't have"));
        }
        let table = Table::new(image.as_ref(), table, entries, 4)
            .map_err(|_| damaged("its table is beyond its end"))?;
        let bitmap = (block / SECTOR / 8).next_multiple_of(SECTOR);
        Ok(Self { image, length, block, bitmap, table })
    }
}

impl ReadAt for Vhd {
    fn len(&self) -> u64 {
        self.length
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let place = |number| {
            let sector =
                self.table.entry(self.image.as_ref(), number)?.map_or(ABSENT, |entry| be32(&entry, 0));
            let begin = u64::from(sector).saturating_mul(SECTOR).saturating_add(self.bitmap);
            Ok((sector != ABSENT).then_some(begin))
        };
        from_blocks(self.image.as_ref(), (offset, self.length, self.block), buffer, place)
    }
}
