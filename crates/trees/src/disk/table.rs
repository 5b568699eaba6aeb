use crate::ReadAt;
use crate::bytes::by_blocks;
use crate::cache::Cache;
use std::io;
use std::sync::Arc;

/// Bytes of a table that are read at a time: 64 KiB.
const PAGE: u64 = 64 << 10;
/// Bytes of what was read of an image beside its data, and is kept: 32 MiB.
const KEPT: usize = 32 << 20;

/// A cache of pieces of an image, by their places.
pub(super) type Pieces = Cache<u64, Arc<[u8]>>;

/// A cache of pieces that holds at most 32 MiB of them.
pub(super) fn pieces() -> Pieces {
    Cache::new(KEPT, |piece| <[u8]>::len(piece).saturating_add(64))
}

/// A table of numbers in an image, read page by page as it is asked for.
pub(super) struct Table {
    start: u64,
    entries: u64,
    /// Bytes of an entry.
    size: u64,
    pages: Pieces,
}

impl Table {
    /// A table of `entries` numbers of `size` bytes each.
    ///
    /// # Errors
    /// When it would be behind the end of the image.
    pub(super) fn new(image: &dyn ReadAt, start: u64, entries: u64, size: u64) -> io::Result<Self> {
        let end = entries.checked_mul(size).and_then(|length| start.checked_add(length));
        match end.filter(|end| *end <= image.len()) {
            Some(_) => Ok(Self { start, entries, size, pages: pieces() }),
            None => Err(io::ErrorKind::UnexpectedEof.into()),
        }
    }

    /// The bytes of an entry; `None` where the table has no such entry.
    pub(super) fn entry(&self, image: &dyn ReadAt, number: u64) -> io::Result<Option<Vec<u8>>> {
        if number >= self.entries {
            return Ok(None);
        }
        // Pages hold whole entries: both sizes are powers of two.
        let at = number.saturating_mul(self.size);
        let inside = at % PAGE;
        let page = at.saturating_sub(inside);
        let left = self.entries.saturating_mul(self.size).saturating_sub(page).min(PAGE);
        let bytes = self.pages.get_or(page, || {
            let length = usize::try_from(left).unwrap_or(usize::MAX);
            Ok(image.exactly(self.start.saturating_add(page), length)?.into())
        })?;
        let (inside, size) =
            (usize::try_from(inside).unwrap_or(usize::MAX), usize::try_from(self.size).unwrap_or(0));
        Ok(bytes.get(inside..).and_then(|rest| rest.get(..size)).map(<[u8]>::to_vec))
    }
}

/// Fills a buffer from a disk that is kept in blocks of one size, each at a place of its own in the image; `place` tells where a block
/// is, by its number. One that is nowhere is zeros, as is what is beyond the end of the image: it was never written.
pub(super) fn from_blocks(
    image: &dyn ReadAt,
    (offset, length, block): (u64, u64, u64),
    buffer: &mut [u8],
    place: impl Fn(u64) -> io::Result<Option<u64>>,
) -> io::Result<usize> {
    by_blocks(offset, length, block, buffer, |at, out| {
        let number = at.checked_div(block).unwrap_or_default();
        let inside = at.checked_rem(block).unwrap_or_default();
        let read = match place(number)? {
            Some(begin) => image.read_at(begin.saturating_add(inside), out)?,
            None => 0,
        };
        out[read..].fill(0);
        Ok(())
    })
}
