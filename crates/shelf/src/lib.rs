//! The shelf: a plain folder of tallies, one `HANDLE.tally.json` each, or `HANDLE.tally.json.zst` where it is compressed.
//!
//! Writing is atomic: a tally is complete under its name or not there at all. The folder may be under version control;
//! nothing but tallies is expected in it, and whatever else is there is left alone.

mod codec;
mod error;
mod files;
mod folder;
mod index;
mod line;
mod packed;
mod pictures;
mod same;

pub use codec::{decode, decode_in_brief, encode, read_tally, read_tally_in_brief};
pub use error::ShelfError;
pub use files::{Draft, FolderDraft, Lock, open_file, read_file, unfinished};
pub use folder::{Merged, Put, Replacing, Shelf, write_atomically};
pub use index::Index;
pub use pictures::{is_thumbnail, read_pictures, write_pictures};

pub use packed::{is_tally, pack, unpack_tally};

/// The ending of a tally's file name.
pub const ENDING: &str = ".tally.json";
/// The same of one that is compressed with zstd (RFC 8878).
pub const PACKED_ENDING: &str = ".tally.json.zst";

/// What is before the ending in the name of a tally's file.
pub fn stem_of(name: &str) -> Option<&str> {
    [ENDING, PACKED_ENDING].iter().find_map(|ending| name.strip_suffix(ending))
}
