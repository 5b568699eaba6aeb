//! The one cache of images: what was unpacked or read of them last.

use rustc_hash::FxHashMap;
use std::hash::Hash;
use std::io;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Keeps what was unpacked last, so that memory stays bounded whatever the image's size. What one thread is about to unpack
/// another one waits for.
pub(crate) struct Cache<K, V> {
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
    pub(crate) fn new(limit: usize, weigh: fn(&V) -> usize) -> Self {
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
    pub(crate) fn get_or(&self, key: K, make: impl FnOnce() -> io::Result<V>) -> io::Result<V> {
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
        assert!(cache.get_or(1, || Err(io::ErrorKind::InvalidData.into())).is_err());
        assert_eq!(cache.get_or(1, || Ok(5)).unwrap(), 5);
    }
}
