use crate::ReadAt;
use std::collections::HashMap;
use std::io;
use std::sync::{Arc, Mutex, PoisonError};

/// Bytes of a table that are read at a time: 64 KiB.
const PAGE: u64 = 64 << 10;
/// Bytes of what was read of an image beside its data, and is kept: 32 MiB.
const KEPT: u64 = 32 << 20;

/// What was read last, by its place; when too much is kept, all of it goes.
pub(super) struct Kept<T> {
    held: Mutex<HashMap<u64, T>>,
    most: u64,
}

impl<T: Clone> Kept<T> {
    /// Keeps things of about `size` bytes each.
    pub(super) fn of_size(size: u64) -> Self {
        Self { held: Mutex::default(), most: KEPT.checked_div(size).unwrap_or(1).max(1) }
    }

    /// What is kept under a key, made where it is not.
    pub(super) fn get(&self, key: u64, make: impl FnOnce() -> io::Result<T>) -> io::Result<T> {
        if let Some(known) = self.held.lock().unwrap_or_else(PoisonError::into_inner).get(&key) {
            return Ok(known.clone());
        }
        let made = make()?;
        let mut held = self.held.lock().unwrap_or_else(PoisonError::into_inner);
        if held.len() as u64 >= self.most {
            held.clear();
        }
        held.insert(key, made.clone());
        Ok(made)
    }
}

/// A table of numbers in an image, read page by page as it is asked for.
pub(super) struct Table {
    start: u64,
    entries: u64,
    /// Bytes of an entry.
    size: u64,
    pages: Kept<Arc<[u8]>>,
}

impl Table {
    /// A table of `entries` numbers of `size` bytes each.
    ///
    /// # Errors
    /// When it would lie behind the end of the image.
    pub(super) fn new(image: &dyn ReadAt, start: u64, entries: u64, size: u64) -> io::Result<Self> {
        let end = entries.checked_mul(size).and_then(|length| start.checked_add(length));
        match end.filter(|end| *end <= image.len()) {
            Some(_) => Ok(Self { start, entries, size, pages: Kept::of_size(PAGE) }),
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
        let bytes = self.pages.get(page, || {
            let length = usize::try_from(left).unwrap_or(usize::MAX);
            Ok(image.exactly(self.start.saturating_add(page), length)?.into())
        })?;
        let (inside, size) =
            (usize::try_from(inside).unwrap_or(usize::MAX), usize::try_from(self.size).unwrap_or(0));
        Ok(bytes.get(inside..).and_then(|rest| rest.get(..size)).map(<[u8]>::to_vec))
    }
}
