use super::{Shared, damaged, u16_at};
use rustc_hash::FxHashMap;
use std::hash::Hash;
use std::io;
use std::sync::{Arc, Mutex, PoisonError};

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

/// A metadata block, unpacked, and where the next one begins.
pub(super) struct Block {
    bytes: Vec<u8>,
    next: u64,
}

/// Keeps what was unpacked; emptied when it is full, so that memory stays bounded whatever the image's size.
pub(super) struct Cache<K, V> {
    held: Mutex<FxHashMap<K, V>>,
    limit: usize,
}

impl<K: Hash + Eq, V: Clone> Cache<K, V> {
    pub(super) fn new(limit: usize) -> Self {
        Self { held: Mutex::default(), limit }
    }

    pub(super) fn get_or(&self, key: K, make: impl FnOnce() -> io::Result<V>) -> io::Result<V> {
        let lock = || self.held.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(value) = lock().get(&key) {
            return Ok(value.clone());
        }
        let value = make()?;
        let mut held = lock();
        if held.len() >= self.limit {
            held.clear();
        }
        held.insert(key, value.clone());
        Ok(value)
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
            let head = u16_at(&self.piece(at, 2)?, 0);
            let packed = self.piece(at + 2, usize::from(head & 0x7fff))?;
            let bytes = if head & 0x8000 == 0 { self.packing.unpack(&packed, BLOCK)? } else { packed };
            if bytes.len() > BLOCK {
                return Err(damaged("a block of its tables is too long"));
            }
            Ok(Arc::new(Block { next: at + 2 + u64::from(head & 0x7fff), bytes }))
        })
    }

    /// The block of a file or of file ends that lies at an offset of the image; `stored` is its size as tables state it.
    pub(super) fn data_block(&self, at: u64, stored: u32) -> io::Result<Arc<[u8]>> {
        self.pieces.get_or(at, || {
            let length = stored & 0x00ff_ffff;
            if length > self.block_size {
                return Err(damaged("a block is longer than any may be"));
            }
            let packed = self.piece(at, length as usize)?;
            Ok(if stored & 1 << 24 == 0 {
                self.packing.unpack(&packed, self.block_size as usize)?.into()
            } else {
                packed.into()
            })
        })
    }
}

/// Reads a table from a place on, across its blocks.
pub(super) struct Reader<'s> {
    shared: &'s Shared,
    block: Arc<Block>,
    at: usize,
}

impl<'s> Reader<'s> {
    /// `table` is where the table begins in the image.
    pub(super) fn new(shared: &'s Shared, table: u64, place: Place) -> io::Result<Self> {
        let start = table.checked_add(place.block).ok_or_else(|| damaged("a place lies outside"))?;
        Ok(Self { shared, block: shared.meta_block(start)?, at: usize::from(place.offset) })
    }

    /// The next bytes.
    pub(super) fn take(&mut self, length: usize) -> io::Result<Vec<u8>> {
        let mut taken = Vec::with_capacity(length.min(BLOCK));
        while taken.len() < length {
            if self.at >= self.block.bytes.len() {
                if self.block.bytes.is_empty() {
                    return Err(damaged("a table ends early"));
                }
                self.at -= self.block.bytes.len();
                self.block = self.shared.meta_block(self.block.next)?;
                continue;
            }
            let rest = &self.block.bytes[self.at..];
            let piece = &rest[..rest.len().min(length - taken.len())];
            taken.extend_from_slice(piece);
            self.at += piece.len();
        }
        Ok(taken)
    }
}
