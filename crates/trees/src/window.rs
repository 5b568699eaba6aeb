use crate::ReadAt;
use std::io;

/// A part of something else: an image behind the program that carries it, a partition of a disk.
pub struct Window {
    inner: Box<dyn ReadAt>,
    start: u64,
    length: u64,
}

impl Window {
    /// The part of that length from `start`; shorter where the end comes first.
    ///
    /// # Errors
    /// When it would begin behind the end.
    pub fn of(inner: Box<dyn ReadAt>, start: u64, length: u64) -> io::Result<Self> {
        let whole = Self::from(inner, start)?;
        Ok(Self { length: whole.length.min(length), ..whole })
    }

    /// The part from `start` to the end.
    ///
    /// # Errors
    /// When it would begin behind the end.
    pub fn from(inner: Box<dyn ReadAt>, start: u64) -> io::Result<Self> {
        match inner.len().checked_sub(start) {
            Some(length) => Ok(Self { inner, start, length }),
            None => Err(io::ErrorKind::UnexpectedEof.into()),
        }
    }
}

impl ReadAt for Window {
    fn len(&self) -> u64 {
        self.length
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let left = usize::try_from(self.length.saturating_sub(offset)).unwrap_or(usize::MAX);
        let wanted = buffer.len().min(left);
        self.inner.read_at(self.start.saturating_add(offset), &mut buffer[..wanted])
    }
}
