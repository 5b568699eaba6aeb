//! The pointers of a tree of blocks, each followed once: a tree that shares blocks or runs in a circle is none.

use crate::LIMITS;
use rustc_hash::FxHashSet;
use std::io;

/// The blocks that one walk through a tree came to.
#[derive(Default)]
pub(crate) struct Visited {
    blocks: FxHashSet<u64>,
}

impl Visited {
    /// Notes that a block is entered.
    ///
    /// # Errors
    /// When it was entered before, or when more blocks were entered than [`LIMITS`] allows.
    pub(crate) fn enter(&mut self, block: u64) -> io::Result<()> {
        let why = if self.blocks.len() >= LIMITS.visited_blocks {
            "a tree has more blocks than are read"
        } else if !self.blocks.insert(block) {
            "two pointers of a tree lead to the same block"
        } else {
            return Ok(());
        };
        Err(io::Error::new(io::ErrorKind::InvalidData, why))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_block_is_entered_once() {
        let mut visited = Visited::default();
        assert!(visited.enter(7).is_ok());
        assert!(visited.enter(8).is_ok());
        assert!(visited.enter(7).is_err());
    }
}
