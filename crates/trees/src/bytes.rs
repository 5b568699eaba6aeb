use crate::{TreeError, TreeErrorKind};
use std::fs::File;
use std::io::{self, Seek};
use std::os::unix::fs::FileExt;
use std::path::Path;
use std::sync::Arc;

/// A run of bytes that is read in pieces, from wherever one likes and by many threads at once: a large file of a tree,
/// or an image that holds a tree of its own.
pub trait ReadAt: Send + Sync {
    /// Length in bytes.
    fn len(&self) -> u64;

    /// Reads from an offset, and returns how many bytes were read: fewer than asked for only at the end.
    ///
    /// # Errors
    /// When the medium can't be read there.
    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize>;

    /// Whether there is nothing to read.
    fn is_empty(&self) -> bool {
        self.len() == 0
    }
}

impl dyn ReadAt + '_ {
    /// Exactly `length` bytes from an offset.
    ///
    /// # Errors
    /// As [`ReadAt::read_at`], and when the end comes first; nothing is allocated for a length that can't be met.
    pub fn exactly(&self, offset: u64, length: usize) -> io::Result<Vec<u8>> {
        let end = offset.checked_add(length as u64).filter(|end| *end <= self.len());
        if end.is_none() {
            return Err(io::ErrorKind::UnexpectedEof.into());
        }
        let mut buffer = vec![0; length];
        let read = self.read_at(offset, &mut buffer)?;
        if read == length { Ok(buffer) } else { Err(io::ErrorKind::UnexpectedEof.into()) }
    }
}

/// What is missing of something that states more bytes than are there: a download that was not finished.
pub(crate) fn cut_off(there: u64, stated: u64) -> Option<String> {
    (stated > there).then(|| format!("it is cut off: {there} of {stated} bytes are there"))
}

/// A file or a block device; its length is what it was when it was opened.
pub struct OnDisk {
    pub(crate) file: File,
    pub(crate) length: u64,
}

impl OnDisk {
    /// An open file.
    ///
    /// # Errors
    /// When its length can't be known.
    pub fn new(mut file: File) -> io::Result<Self> {
        // A block device has a length of 0 in its metadata.
        let length = match file.metadata()? {
            data if data.is_file() => data.len(),
            _ => file.seek(io::SeekFrom::End(0))?,
        };
        Ok(Self { file, length })
    }
}

impl ReadAt for OnDisk {
    fn len(&self) -> u64 {
        self.length
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let mut read = 0;
        while read < buffer.len() {
            match self.file.read_at(&mut buffer[read..], offset.saturating_add(read as u64)) {
                Ok(0) => break,
                Ok(n) => read = read.saturating_add(n),
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(error) => return Err(error),
            }
        }
        Ok(read)
    }
}

impl ReadAt for Arc<dyn ReadAt> {
    fn len(&self) -> u64 {
        self.as_ref().len()
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        self.as_ref().read_at(offset, buffer)
    }
}

/// Replaces the buffer's content by that of an open file. Memory is asked for piece by piece: a size is only believed as
/// far as there is content for it.
pub(crate) fn read_whole(
    path: &Path,
    file: &dyn ReadAt,
    limit: u64,
    buffer: &mut Vec<u8>,
) -> Result<(), TreeError> {
    const PIECE: usize = 256 << 10;
    buffer.clear();
    if file.len() > limit {
        return Err(TreeError::new(path, TreeErrorKind::TooLarge { limit }));
    }
    while (buffer.len() as u64) < file.len() {
        let start = buffer.len();
        let left = usize::try_from(file.len().saturating_sub(start as u64)).unwrap_or(usize::MAX);
        buffer.resize(start.saturating_add(left.min(PIECE)), 0);
        let read =
            file.read_at(start as u64, &mut buffer[start..]).map_err(|error| TreeError::io(path, error))?;
        buffer.truncate(start.saturating_add(read));
        if read == 0 {
            return Err(TreeError::io(path, io::ErrorKind::UnexpectedEof.into()));
        }
    }
    Ok(())
}

/// Fills a buffer from bytes that are kept in blocks: `fill` is asked for pieces that each are in one block. Returns how many
/// bytes there were before `length`.
pub(crate) fn by_blocks(
    offset: u64,
    length: u64,
    block: u64,
    buffer: &mut [u8],
    mut fill: impl FnMut(u64, &mut [u8]) -> io::Result<()>,
) -> io::Result<usize> {
    let there = usize::try_from(length.saturating_sub(offset)).unwrap_or(usize::MAX).min(buffer.len());
    let mut at = offset;
    let mut rest = &mut buffer[..there];
    while !rest.is_empty() {
        let inside = at.checked_rem(block).unwrap_or_default();
        let left = usize::try_from(block.saturating_sub(inside)).unwrap_or(usize::MAX);
        let (piece, after) = rest.split_at_mut(left.min(rest.len()));
        fill(at, piece)?;
        at = at.saturating_add(piece.len() as u64);
        rest = after;
    }
    Ok(there)
}

/// Fills a buffer from a place in a block that was unpacked.
pub(crate) fn copy_from(block: &[u8], start: usize, out: &mut [u8]) -> io::Result<()> {
    let piece = block.get(start..).and_then(|rest| rest.get(..out.len()));
    out.copy_from_slice(
        piece.ok_or_else(|| io::Error::new(io::ErrorKind::InvalidData, "a block is too short"))?,
    );
    Ok(())
}

impl ReadAt for Arc<[u8]> {
    fn len(&self) -> u64 {
        self.as_ref().len() as u64
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let rest = usize::try_from(offset).ok().and_then(|at| self.get(at..)).unwrap_or_default();
        let read = rest.len().min(buffer.len());
        buffer[..read].copy_from_slice(&rest[..read]);
        Ok(read)
    }
}
