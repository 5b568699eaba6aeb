//! Read-only file trees.
//!
//! A [`Tree`] is an install as readers see it: folders, files and links under one root, whatever they lie in. Trees
//! know nothing of packages; readers know nothing of what a tree lies in. Two rules hold for each:
//!
//! - a path is resolved inside the root: an absolute link starts at the root, `..` stops there, loops end in an error;
//! - nothing is executed, mounted or written, and a file larger than the caller's limit is refused, not read.

mod archive;
mod bytes;
mod compressed;
mod disk;
mod error;
mod ext4;
mod folder;
mod iso;
mod layers;
mod listed;
mod medium;
mod memory;
mod mounts;
mod path;
mod source;
mod squashfs;
mod threads;
mod tree;
mod unpack;
mod window;
mod zisofs;

pub use bytes::{Bytes, OnDisk};
pub use compressed::unpack_file;
pub use error::{TreeError, Why};
pub use folder::Folder;
pub use iso::iso;
pub use memory::Memory;
pub use source::{Source, SourceError};
pub use squashfs::Squashfs;
pub use threads::start_threads;
pub use tree::{Entry, Node, NodeKind, Tree};
pub use window::Window;

/// The largest file that a reader asks for whole, unless it says otherwise: 256 MiB.
pub const FILE_LIMIT: u64 = 256 << 20;

/// The longest chain of links that is followed, as on Linux.
pub const LINK_LIMIT: usize = 40;
