use super::{Shared, damaged};
use crate::num::le16;
use rustc_hash::FxHashMap;
use std::hash::Hash;
use std::io;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

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

/// Where a list of places, one for each 512 entries of a table, has that of an entry.
pub(super) fn pointer_of(list: u64, number: u32) -> u64 {
    list.saturating_add(u64::from(number / 512).saturating_mul(8))
}

/// Where an entry of 16 bytes lies in its block of 512.
pub(super) fn offset_of(number: u32) -> u16 {
    u16::try_from(number % 512).unwrap_or_default().saturating_mul(16)
}

/// A metadata block, unpacked, and where the next one begins.
pub(super) struct Block {
    bytes: Vec<u8>,
    next: u64,
}

impl Block {
    /// About how much memory it takes.
    pub(super) fn weight(self: &Arc<Self>) -> usize {
        self.bytes.len().saturating_add(64)
    }
}

/// Keeps what was unpacked last, so that memory stays bounded whatever the image's size. What one thread is about to unpack
/// another one waits for.
pub(super) struct Cache<K, V> {
    held: Mutex<Entries<K, V>>,
    /// Bytes that may be kept.
    limit: usize,
    /// About how many bytes a value takes.
    weigh: fn(&V) -> usize,
}

/// What is kept or being made.
struct Entries<K, V> {
    cells: FxHashMap<K, Kept<V>>,
    moment: u64,
    weight: usize,
}

/// A value, the moment that it was last asked for, and its weight; 0 while it is being made.
struct Kept<V> {
    asked: u64,
    weight: usize,
    cell: Cell<V>,
}

/// A place for one value: empty until it was made.
type Cell<V> = Arc<Mutex<Option<V>>>;

impl<K: Hash + Eq + Copy, V: Clone> Cache<K, V> {
    pub(super) fn new(limit: usize, weigh: fn(&V) -> usize) -> Self {
        let held = Entries { cells: FxHashMap::default(), moment: 0, weight: 0 };
        Self { held: Mutex::new(held), limit, weigh }
    }

    fn held(&self) -> MutexGuard<'_, Entries<K, V>> {
        self.held.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn cell(&self, key: K) -> Cell<V> {
        let mut held = self.held();
        held.moment = held.moment.saturating_add(1);
        let moment = held.moment;
        let kept =
            held.cells.entry(key).or_insert_with(|| Kept { asked: moment, weight: 0, cell: Cell::default() });
        kept.asked = moment;
        Arc::clone(&kept.cell)
    }

    /// Notes what a value weighs; where all are too heavy together, the older half is let go.
    fn made(&self, key: K, weight: usize) {
        let mut held = self.held();
        if let Some(kept) = held.cells.get_mut(&key) {
            kept.weight = weight;
            held.weight = held.weight.saturating_add(weight);
        }
        if held.weight > self.limit {
            let mut moments: Vec<u64> = held.cells.values().map(|kept| kept.asked).collect();
            let middle = moments.len() / 2;
            let median = *moments.select_nth_unstable(middle).1;
            held.cells.retain(|of, kept| kept.asked > median || *of == key);
            held.weight = held.cells.values().map(|kept| kept.weight).fold(0, usize::saturating_add);
        }
    }

    /// The value of a key, made where it is not kept.
    pub(super) fn get_or(&self, key: K, make: impl FnOnce() -> io::Result<V>) -> io::Result<V> {
        let cell = self.cell(key);
        let mut value = cell.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(value) = value.as_ref() {
            return Ok(value.clone());
        }
        match make() {
            Ok(made) => {
                *value = Some(made.clone());
                self.made(key, (self.weigh)(&made));
                Ok(made)
            }
            Err(error) => {
                self.held().cells.remove(&key);
                Err(error)
            }
        }
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
            let head = le16(&self.piece(at, 2)?, 0);
            let start = at.saturating_add(2);
            let packed = self.piece(start, usize::from(head & 0x7fff))?;
            let bytes = if head & 0x8000 == 0 { self.packing.unpack(&packed, BLOCK)? } else { packed };
            if bytes.len() > BLOCK {
                return Err(damaged("a block of its tables is too long"));
            }
            Ok(Arc::new(Block { next: start.saturating_add(u64::from(head & 0x7fff)), bytes }))
        })
    }

    /// The block of a file or of file ends that lies at an offset of the image; `stored` is its size as tables state it.
    pub(super) fn data_block(&self, at: u64, stored: u32) -> io::Result<Arc<Vec<u8>>> {
        self.pieces.get_or(at, || {
            let length = stored & 0x00ff_ffff;
            if length > self.block_size {
                return Err(damaged("a block is longer than any may be"));
            }
            let packed = self.piece(at, length as usize)?;
            Ok(Arc::new(if stored & 1 << 24 == 0 {
                self.packing.unpack(&packed, self.block_size as usize)?
            } else {
                packed
            }))
        })
    }
}

/// Reads a table from a place on, across its blocks.
pub(super) struct Reader<'s> {
    shared: &'s Shared,
    here: Here,
}

/// A place in a table that was reached by reading.
#[derive(Clone)]
pub(super) struct Here {
    block: Arc<Block>,
    at: usize,
}

impl<'s> Reader<'s> {
    /// `table` is where the table begins in the image.
    pub(super) fn new(shared: &'s Shared, table: u64, place: Place) -> io::Result<Self> {
        let start = table.checked_add(place.block).ok_or_else(|| damaged("a position is out of range"))?;
        Ok(Self { shared, here: Here { block: shared.meta_block(start)?, at: usize::from(place.offset) } })
    }

    /// Goes on where another reader was.
    pub(super) fn at(shared: &'s Shared, here: Here) -> Self {
        Self { shared, here }
    }

    /// Where it is.
    pub(super) fn here(&self) -> Here {
        self.here.clone()
    }

    /// The next bytes.
    pub(super) fn take(&mut self, length: usize) -> io::Result<Vec<u8>> {
        let mut taken = Vec::with_capacity(length.min(BLOCK));
        let Here { block, at } = &mut self.here;
        while taken.len() < length {
            let rest = block.bytes.get(*at..).filter(|rest| !rest.is_empty());
            let Some(rest) = rest else {
                if block.bytes.is_empty() {
                    return Err(damaged("a table ends early"));
                }
                *at = at.saturating_sub(block.bytes.len());
                *block = self.shared.meta_block(block.next)?;
                continue;
            };
            let piece = &rest[..rest.len().min(length.saturating_sub(taken.len()))];
            taken.extend_from_slice(piece);
            *at = at.saturating_add(piece.len());
        }
        Ok(taken)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicUsize, Ordering};

    #[test]
    fn what_several_threads_want_is_made_once() {
        let cache: Cache<u8, u32> = Cache::new(4, |_| 1);
        let made = AtomicUsize::new(0);
        let make = || {
            made.fetch_add(1, Ordering::Relaxed);
            std::thread::sleep(std::time::Duration::from_millis(20));
            Ok(7)
        };
        std::thread::scope(|scope| {
            let threads: Vec<_> = (0..8).map(|_| scope.spawn(|| cache.get_or(1, make))).collect();
            for thread in threads {
                assert_eq!(thread.join().unwrap().unwrap(), 7);
            }
        });
        assert_eq!(made.load(Ordering::Relaxed), 1);
    }

    #[test]
    fn what_was_asked_for_last_is_kept() {
        let cache: Cache<u8, u8> = Cache::new(4, |_| 1);
        for key in 0..4 {
            cache.get_or(key, || Ok(key)).unwrap();
        }
        // 0 is asked for once more, so that 1 is the oldest one when a fifth comes.
        cache.get_or(0, || panic!("it is kept")).unwrap();
        cache.get_or(9, || Ok(9)).unwrap();
        for key in [0, 9] {
            assert_eq!(cache.get_or(key, || panic!("{key} is kept")).unwrap(), key);
        }
        assert_eq!(cache.get_or(1, || Ok(100)).unwrap(), 100, "1 was let go, and is made anew");
    }

    #[test]
    fn what_failed_is_tried_again() {
        let cache: Cache<u8, u8> = Cache::new(2, |_| 1);
        assert!(cache.get_or(1, || Err(damaged("torn"))).is_err());
        assert_eq!(cache.get_or(1, || Ok(5)).unwrap(), 5);
    }

    #[test]
    fn a_reference_holds_a_block_and_an_offset() {
        let place = Place::new(0x1_2345_6789_abcd);
        assert_eq!((place.block, place.offset), (0x2345_6789, 0xabcd), "the highest bits are no part of it");
    }
}
