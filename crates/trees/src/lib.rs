//! Read-only file trees.
//!
//! A [`Tree`] is an install as readers see it: folders, files and links under one root, whatever they are in. Trees
//! know nothing of packages; readers know nothing of what a tree is in. Two rules hold for each:
//!
//! - a path is resolved inside the root: an absolute link starts at the root, `..` stops there, loops end in an error;
//! - nothing is executed, mounted or written, and a file larger than the caller's limit is refused, not read.

// Numbers of an image are a stranger's: each sum says what it does where it is too large.
#![cfg_attr(not(test), warn(clippy::arithmetic_side_effects))]

mod archive;
mod below;
mod btrfs;
mod bytes;
mod cache;
mod compression;
mod disk;
mod erofs;
mod error;
mod ext4;
mod fat;
mod folder;
mod inodes;
mod iso;
mod layers;
mod limits;
mod listed;
mod memory;
mod nameless;
pub mod num;
mod path;
mod shield;
mod source;
mod spool;
mod squashfs;
mod threads;
mod tree;
mod visited;
mod watched;
mod window;
mod xfs;
mod zisofs;

pub use archive::{Archived, archive};
pub use bytes::{OnDisk, ReadAt};
pub use compression::{Stream, pack, unpack_file, unpacking};
pub use error::{TreeError, TreeErrorKind};
pub use folder::Folder;
pub use iso::iso;
pub use limits::{LIMITS, Limits};
pub use memory::MemoryTree;
pub use nameless::Nameless;
pub use shield::{is_shielded, shielded};
pub use source::{ChosenRoot, Opening, Root, RootBecause, Source, SourceError, named_roots};
pub use spool::Spool;
pub use squashfs::Squashfs;
pub use threads::start_threads;
pub use tree::{Entry, Node, NodeKind, Tree};
pub use watched::{Failed, Watched};
pub use window::Window;
