//! What bytes are, by how they begin.

use super::disks::{DISKS, DiskFormat, has_partition_table};
use super::file_systems::{FILE_SYSTEMS, FileSystemFormat};
use crate::compression::Compression;
use crate::{ReadAt, Source, Tree, archive};
use std::io;
use std::path::Path;

/// What a file is, by its content.
pub(crate) enum FileFormat {
    /// Another file, compressed.
    Compressed(Compression),
    /// A file system, readable or not.
    FileSystem(&'static FileSystemFormat),
    /// The format of a virtual disk or of a volume, readable or not.
    Disk(&'static DiskFormat),
    /// The bytes of a disk as they are, with a table of partitions.
    PartitionTable,
    /// A tar archive.
    Archive,
}

impl FileFormat {
    /// By the first [`Source::HEAD`] bytes, or as many as there are. An optical image may have a table of partitions as well, so
    /// file systems are asked for first.
    pub(crate) fn of(head: &[u8]) -> Option<Self> {
        if let Some(found) = FILE_SYSTEMS.iter().find(|format| (format.begins)(head)) {
            return Some(Self::FileSystem(found));
        }
        if let Some(found) = DISKS.iter().find(|format| (format.begins)(head)) {
            return Some(Self::Disk(found));
        }
        if let Some(compression) = Compression::of(head) {
            return Some(Self::Compressed(compression));
        }
        match head {
            _ if archive::begins(head) => Some(Self::Archive),
            _ if has_partition_table(head) => Some(Self::PartitionTable),
            _ => None,
        }
    }

    /// What it is called.
    pub(crate) fn name(&self) -> &'static str {
        match self {
            Self::Compressed(_) => "a compressed file",
            Self::FileSystem(format) => format.name,
            Self::Disk(format) => format.name,
            Self::PartitionTable => "a disk",
            Self::Archive => "an archive",
        }
    }
}

/// The first [`Source::HEAD`] bytes, or all where there are fewer.
pub(crate) fn head_of(bytes: &dyn ReadAt) -> io::Result<Vec<u8>> {
    let mut head = vec![0; Source::HEAD as usize];
    let read = bytes.read_at(0, &mut head)?;
    head.truncate(read);
    Ok(head)
}

/// Whether bytes are at a place of a head.
pub(crate) fn stands_at(head: &[u8], place: usize, magic: &[u8]) -> bool {
    head.get(place..).is_some_and(|rest| rest.starts_with(magic))
}

/// Whether a tree looks like the root of an install.
pub(crate) fn is_root(tree: &dyn Tree) -> bool {
    ["etc/os-release", "usr/lib/os-release"].iter().any(|file| tree.exists(file))
        || (tree.is_folder("etc") && tree.is_folder("usr"))
        // Nix and Guix make `etc` and `usr` when they start.
        || ["nix/var/nix/profiles/system", "var/guix/profiles/system"]
            .iter()
            .any(|profile| tree.read_link(Path::new(profile)).is_ok())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn format_with(place: usize, magic: &[u8]) -> Option<FileFormat> {
        let mut head = vec![0; Source::HEAD as usize];
        head[place..place + magic.len()].copy_from_slice(magic);
        FileFormat::of(&head)
    }

    #[test]
    fn every_registered_format_is_told_by_how_it_begins_and_by_no_other() {
        let samples: &[(usize, &[u8], &str)] = &[
            (0x8001, b"CD001", "ISO 9660"),
            (0, b"hsqs", "SquashFS"),
            (1080, &[0x53, 0xef], "ext"),
            (0x1_0040, b"_BHRfS_M", "btrfs"),
            (0, b"XFSB", "XFS"),
            (1024, &[0xe2, 0xe1, 0xf5, 0xe0], "EROFS"),
            (1024, &[0x10, 0x20, 0xf5, 0xf2], "F2FS"),
            (0x1_055c, &[0x19, 0x01, 0x54, 0x19], "UFS2"),
            (82, b"FAT32   ", "FAT"),
            (0x8001, b"BEA01", "UDF"),
            (3, b"EXFAT   ", "exFAT"),
            (0x4000, b"\x01\x01\0\0\0\0\0\0\0\0\0\x01\0\0\0\x24\0\0\0\x20\0\0\0\x07version", "ZFS"),
            (3, b"NTFS    ", "NTFS"),
            (0, b"QED\0", "QED"),
            (0, b"WithoutFreeSpace", "Parallels"),
            (0, b"PK\x03\x04", "ZIP"),
            (0, b"QFI\xfb", "qcow2"),
            (0x40, &[0x7f, 0x10, 0xda, 0xbe], "VDI"),
            (0, b"KDMV", "VMDK"),
            (0, b"# Disk DescriptorFile", "VMDK"),
            (0, b"conectix", "VHD"),
            (0, b"vhdxfile", "VHDX"),
            (0, b"LUKS\xba\xbe", "LUKS"),
            (0, b"-FVE-FS-", "BitLocker"),
            (512, b"LABELONE\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0LVM2 001", "LVM"),
        ];
        assert_eq!(samples.len(), FILE_SYSTEMS.len() + DISKS.len(), "each format has a sample here");
        for (place, magic, named) in samples {
            let found = format_with(*place, magic).expect(named);
            assert!(found.name().contains(named), "{named}: {}", found.name());
        }
    }

    #[test]
    fn what_has_no_format_of_its_own_is_told_as_well() {
        assert!(matches!(
            format_with(0, &[0x28, 0xb5, 0x2f, 0xfd]),
            Some(FileFormat::Compressed(Compression::Zstd))
        ));
        assert!(matches!(format_with(257, b"ustar"), Some(FileFormat::Archive)));
        assert!(matches!(format_with(510, &[0x55, 0xaa]), Some(FileFormat::PartitionTable)));
        assert!(matches!(format_with(512, b"EFI PART"), Some(FileFormat::PartitionTable)));
        assert!(FileFormat::of(&[0; 4096]).is_none() && FileFormat::of(b"").is_none());
    }
}
