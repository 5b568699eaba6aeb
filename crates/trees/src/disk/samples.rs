//! Disks of made-up pieces, for tests of the images that hold them.

use crate::ReadAt;
use proptest::prelude::*;

/// What a machine did with a piece of its disk.
#[derive(Debug, Clone)]
pub(super) enum Piece {
    /// Nothing.
    Absent,
    /// It was filled with zeros.
    Zeros,
    /// It was written to; the number tells with what.
    Written(u8),
    /// Whoever copied the image packed it.
    Packed(u8),
}

impl Piece {
    pub(super) fn content(&self, length: usize) -> Vec<u8> {
        match self {
            Self::Absent | Self::Zeros => vec![0; length],
            // Neither all alike nor without any order.
            Self::Written(seed) | Self::Packed(seed) => {
                (0..length).map(|at| (at * usize::from(seed | 1) / 7 + at / 300) as u8).collect()
            }
        }
    }
}

pub(super) fn pieces(most: usize) -> impl Strategy<Value = Vec<Piece>> {
    let piece = prop_oneof![
        2 => Just(Piece::Absent),
        1 => Just(Piece::Zeros),
        3 => any::<u8>().prop_map(Piece::Written),
        2 => any::<u8>().prop_map(Piece::Packed),
    ];
    prop::collection::vec(piece, 1..most)
}

/// What a machine reads from such a disk.
pub(super) fn contents(pieces: &[Piece], size: usize, length: u64) -> Vec<u8> {
    let mut content: Vec<u8> = pieces.iter().flat_map(|piece| piece.content(size)).collect();
    content.truncate(usize::try_from(length).unwrap());
    content
}

/// Reads a disk at places of all sorts, and holds it against what is on it.
pub(super) fn held_against(
    disk: &dyn ReadAt,
    content: &[u8],
    asked: &[(u64, usize)],
) -> Result<(), TestCaseError> {
    prop_assert_eq!(disk.len(), content.len() as u64);
    prop_assert_eq!(&disk.exactly(0, content.len()).unwrap()[..], content);
    for (at, length) in asked {
        let at = usize::try_from(at % (content.len() as u64 + 1)).unwrap();
        let mut buffer = vec![0xee; *length];
        let read = disk.read_at(at as u64, &mut buffer).unwrap();
        prop_assert_eq!(read, (*length).min(content.len() - at), "at {}", at);
        prop_assert!(buffer[..read] == content[at..at + read], "{} bytes at {}", length, at);
    }
    Ok(())
}
