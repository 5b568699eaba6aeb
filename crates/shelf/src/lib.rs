//! The shelf: a plain folder of tallies, one `HANDLE.tally.json` each.
//!
//! Writing is atomic: a tally is complete under its name or not there at all. The folder may be under version control;
//! nothing but tallies is expected in it, and whatever else is there is left alone.

mod codec;
mod error;
mod files;
mod folder;
mod index;
mod line;

pub use codec::{decode, decode_in_brief, encode, read_tally, read_tally_in_brief};
pub use error::ShelfError;
pub use files::{Draft, FolderDraft, Lock, open_file, read_file, unfinished};
pub use folder::{Put, Shelf, is_thumbnail, read_pictures, write_atomically, write_pictures};
pub use index::Index;

/// The ending of a tally's file name.
pub const ENDING: &str = ".tally.json";
