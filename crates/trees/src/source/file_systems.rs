//! The file systems that are known, in the order in which a file is asked for them. To add one: a module that makes a [`Tree`] of
//! bytes, and a line here.

use super::mounts::Subvolume;
use super::probe::stands_at;
use crate::btrfs::{self, Btrfs};
use crate::erofs::{self, Erofs};
use crate::fat::{self, Fat};
use crate::xfs::{self, Xfs};
use crate::{ReadAt, Squashfs, Tree, ext4, iso};
use std::io;
use std::sync::Arc;

/// What a file system is made for: how an install is looked for in it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Purpose {
    /// The file system of a whole medium: installs are in images on it.
    Medium,
    /// Images on media: each is a root, or a layer over one.
    Image,
    /// Disks: a root, or a part of one that its table of mounts names.
    Disk,
}

/// Opens a file system of its bytes and its head.
type Opener = fn(Arc<dyn ReadAt>, &[u8]) -> io::Result<FileSystem>;

/// A file system: how it is known, what it is for, and how it is opened.
pub(crate) struct FileSystemFormat {
    /// As in "contains ...".
    pub(crate) name: &'static str,
    pub(crate) purpose: Purpose,
    /// Whether the first bytes are its own; it may get fewer than [`crate::Source::HEAD`].
    pub(crate) begins: fn(&[u8]) -> bool,
    /// Opens it; none where it is known and can't be read.
    pub(crate) open: Option<Opener>,
}

/// A file system that was opened.
pub(crate) struct FileSystem {
    pub(crate) tree: Arc<dyn Tree>,
    /// In hexadecimal digits with hyphens, lower case; empty where it has none.
    pub(crate) uuid: String,
    /// Empty where it has none.
    pub(crate) label: String,
    /// What should be known: it was not unmounted, it breaks off.
    pub(crate) remarks: Vec<String>,
    /// Its subvolumes, the top first; none where it has no such thing.
    pub(crate) subvolumes: Vec<Subvolume>,
}

impl FileSystem {
    fn of(tree: Arc<dyn Tree>, remark: Option<String>) -> Self {
        let remarks = remark.into_iter().collect();
        Self { tree, uuid: String::new(), label: String::new(), remarks, subvolumes: Vec::new() }
    }
}

/// Those that are known.
pub(crate) const FILE_SYSTEMS: &[FileSystemFormat] = &[
    FileSystemFormat {
        name: "an ISO 9660 image",
        purpose: Purpose::Medium,
        begins: iso::begins,
        open: Some(|bytes, _| {
            let (listed, cut) = iso::open(bytes)?;
            Ok(FileSystem::of(Arc::new(listed), cut))
        }),
    },
    FileSystemFormat {
        name: "a SquashFS image",
        purpose: Purpose::Image,
        begins: Squashfs::begins,
        open: Some(|bytes, head| {
            let cut = Squashfs::missing(head, bytes.len());
            Ok(FileSystem::of(Arc::new(Squashfs::open(Box::new(bytes))?), cut))
        }),
    },
    FileSystemFormat {
        name: "an ext file system",
        purpose: Purpose::Disk,
        begins: ext4::begins,
        open: Some(|bytes, head| {
            let remark = ext4::unclean(head).map(|why| format!("its file system is not clean: {why}"));
            let (uuid, label) = ext4::names(head);
            let remarks = remark.into_iter().chain(ext4::cut(head, bytes.len())).collect();
            let tree = Arc::new(ext4::FileSystem::open(Box::new(bytes))?);
            Ok(FileSystem { uuid, label, remarks, ..FileSystem::of(tree, None) })
        }),
    },
    FileSystemFormat {
        name: "a btrfs file system",
        purpose: Purpose::Disk,
        begins: btrfs::begins,
        open: Some(|bytes, head| {
            let (uuid, label) = btrfs::names(head);
            let opened = Btrfs::open(Box::new(bytes))?;
            let mut subvolumes = Vec::new();
            for found in opened.subvolumes()? {
                let btrfs::Subvolume { id, path, is_read_only, is_default } = found;
                // A snapshot that is not mounted by itself need not be looked at.
                if !is_read_only || is_default {
                    let tree = opened.tree(id)?;
                    subvolumes.push(Subvolume { id, path, is_read_only, is_default, tree });
                }
            }
            let remarks = opened.remarks.clone();
            Ok(FileSystem { tree: opened.tree(btrfs::TOP)?, uuid, label, remarks, subvolumes })
        }),
    },
    FileSystemFormat {
        name: "an XFS file system",
        purpose: Purpose::Disk,
        begins: xfs::begins,
        open: Some(|bytes, head| {
            let (uuid, label) = xfs::names(head);
            let (tree, remarks) = Xfs::open(Box::new(bytes))?;
            Ok(FileSystem { uuid, label, remarks, ..FileSystem::of(tree, None) })
        }),
    },
    FileSystemFormat {
        name: "an EROFS file system",
        purpose: Purpose::Image,
        begins: erofs::begins,
        open: Some(|bytes, head| {
            let (uuid, label) = erofs::names(head);
            let (tree, cut) = Erofs::open(Box::new(bytes))?;
            Ok(FileSystem { uuid, label, ..FileSystem::of(tree, cut) })
        }),
    },
    FileSystemFormat {
        name: "an F2FS file system",
        purpose: Purpose::Disk,
        begins: |head| stands_at(head, 1024, &[0x10, 0x20, 0xf5, 0xf2]),
        open: None,
    },
    FileSystemFormat {
        name: "a UFS2 file system",
        purpose: Purpose::Disk,
        begins: |head| stands_at(head, 0x1_055c, &[0x19, 0x01, 0x54, 0x19]),
        open: None,
    },
    FileSystemFormat {
        name: "a FAT file system",
        purpose: Purpose::Disk,
        begins: fat::begins,
        open: Some(|bytes, head| {
            let (uuid, label) = fat::names(head);
            let (tree, cut) = Fat::open(Box::new(bytes))?;
            Ok(FileSystem { uuid, label, ..FileSystem::of(tree, cut) })
        }),
    },
    FileSystemFormat {
        name: "a UDF image",
        purpose: Purpose::Medium,
        begins: |head| stands_at(head, 0x8001, b"BEA01"),
        open: None,
    },
    FileSystemFormat {
        name: "an exFAT file system",
        purpose: Purpose::Disk,
        begins: |head| stands_at(head, 3, b"EXFAT   "),
        open: None,
    },
    FileSystemFormat {
        name: "a ZFS pool",
        purpose: Purpose::Disk,
        // The list of names and values in the first label, in XDR; its first name is always the same.
        begins: |head| stands_at(head, 0x4000, &[1]) && stands_at(head, 0x4018, b"version"),
        open: None,
    },
    FileSystemFormat {
        name: "an NTFS file system",
        purpose: Purpose::Disk,
        begins: |head| stands_at(head, 3, b"NTFS    "),
        open: None,
    },
];
