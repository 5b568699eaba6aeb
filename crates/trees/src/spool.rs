//! Temporary files for content that can be read from anywhere only once it is somewhere.

use crate::bytes::OnDisk;
use crate::{LIMITS, ReadAt};
use std::fs::File;
use std::io::{self, Write};
use std::os::unix::fs::FileExt;
use std::sync::atomic::{AtomicU64, Ordering};

/// Content is looked through for holes in pieces of this size: 64 KiB.
const PIECE: usize = 64 << 10;

/// Bytes that this run has on disk for spooled content.
static ON_DISK: AtomicU64 = AtomicU64::new(0);

/// A temporary file that is being filled from its start on. Zeros become holes, so that a disk of mostly nothing takes little
/// room; one budget holds for all such files of a run, [`Limits::spooled_bytes`](crate::Limits::spooled_bytes) for what is
/// written and [`Limits::unpacked_bytes`](crate::Limits::unpacked_bytes) for each with its holes.
pub struct Spool {
    file: File,
    length: u64,
    written: Written,
}

/// Bytes that were written, given back to the budget when the file goes.
struct Written(u64);

impl Drop for Written {
    fn drop(&mut self) {
        ON_DISK.fetch_sub(self.0, Ordering::Relaxed);
    }
}

impl Spool {
    /// A file without a name, gone when it is dropped.
    ///
    /// # Errors
    /// When there is no folder for temporary files that can be written to.
    pub fn new() -> io::Result<Self> {
        Ok(Self::into(tempfile::tempfile()?))
    }

    /// An empty file of the caller's own.
    pub fn into(file: File) -> Self {
        Self { file, length: 0, written: Written(0) }
    }

    /// Whether nothing was added yet.
    pub fn is_empty(&self) -> bool {
        self.length == 0
    }

    /// Bytes that were written so far, holes not counted.
    pub fn written(&self) -> u64 {
        self.written.0
    }

    /// Adds content at the end.
    ///
    /// # Errors
    /// When the disk is full, or a limit is exceeded.
    pub fn add(&mut self, content: &[u8]) -> io::Result<()> {
        for piece in content.chunks(PIECE) {
            let end = self.length.saturating_add(piece.len() as u64);
            if end > LIMITS.unpacked_bytes {
                return Err(beyond(LIMITS.unpacked_bytes, "in all"));
            }
            if piece.iter().any(|byte| *byte != 0) {
                let size = piece.len() as u64;
                if ON_DISK.fetch_add(size, Ordering::Relaxed).saturating_add(size) > LIMITS.spooled_bytes {
                    ON_DISK.fetch_sub(size, Ordering::Relaxed);
                    return Err(beyond(LIMITS.spooled_bytes, "on disk"));
                }
                self.written.0 = self.written.0.saturating_add(size);
                self.file.write_all_at(piece, self.length)?;
            }
            self.length = end;
        }
        Ok(())
    }

    /// Adds everything that can be read from bytes.
    ///
    /// # Errors
    /// As [`Spool::add`], and when they can't be read.
    pub fn add_all(&mut self, from: &dyn ReadAt) -> io::Result<()> {
        let mut buffer = vec![0; 1 << 20];
        let mut at = 0_u64;
        loop {
            let read = from.read_at(at, &mut buffer)?;
            if read == 0 {
                return Ok(());
            }
            self.add(&buffer[..read])?;
            at = at.saturating_add(read as u64);
        }
    }

    /// The content, to be read from anywhere.
    ///
    /// # Errors
    /// When the file can't be given its length.
    pub fn finish(self) -> io::Result<impl ReadAt + 'static> {
        let Self { file, length, written } = self;
        file.set_len(length)?;
        Ok(Spooled { disk: OnDisk { file, length }, _written: written })
    }
}

impl Write for Spool {
    fn write(&mut self, content: &[u8]) -> io::Result<usize> {
        self.add(content)?;
        Ok(content.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

fn beyond(limit: u64, how: &str) -> io::Error {
    tracing::info!(limit, "limit met: unpacked bytes {how}");
    io::Error::other(format!("contains more than {limit} bytes {how}, which is more than is unpacked"))
}

struct Spooled {
    disk: OnDisk,
    _written: Written,
}

impl ReadAt for Spooled {
    fn len(&self) -> u64 {
        self.disk.length
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        self.disk.read_at(offset, buffer)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::os::unix::fs::MetadataExt;

    #[test]
    fn holes_take_no_room() {
        let file = tempfile::tempfile().unwrap();
        let mut spool = Spool::into(file.try_clone().unwrap());
        for _ in 0..256 {
            spool.add(&[0; 1 << 20]).unwrap();
        }
        spool.add(b"end").unwrap();
        assert_eq!(spool.written(), 3);
        let content = spool.finish().unwrap();
        assert_eq!(content.len(), (256 << 20) + 3);
        assert!(file.metadata().unwrap().blocks() * 512 < 1 << 20, "{}", file.metadata().unwrap().blocks());
        assert_eq!((&content as &dyn ReadAt).exactly((256 << 20) - 1, 4).unwrap(), b"\0end");
    }

    proptest! {
        #[test]
        fn what_was_added_is_read(pieces in prop::collection::vec((any::<bool>(), 0_usize..200_000), 0..6)) {
            let mut spool = Spool::new().unwrap();
            let mut expected = Vec::new();
            for (zero, length) in pieces {
                let piece: Vec<u8> = (0..length).map(|at| if zero { 0 } else { (at % 7) as u8 }).collect();
                spool.write_all(&piece).unwrap();
                expected.extend(piece);
            }
            let content = spool.finish().unwrap();
            prop_assert_eq!((&content as &dyn ReadAt).exactly(0, expected.len()).unwrap(), expected);
        }
    }
}
