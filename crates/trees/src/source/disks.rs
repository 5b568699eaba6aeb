//! The formats of virtual disks and volumes that are known, in the order in which a file is asked for them. To add one: a module
//! that makes the bytes of the disk of the bytes of the file, and a line here.

use super::probe::stands_at;
use crate::{ReadAt, disk};
use std::io;
use std::sync::Arc;

/// Makes the bytes of a disk of the bytes of a file.
type Opener = fn(Arc<dyn ReadAt>) -> io::Result<Arc<dyn ReadAt>>;

/// A disk or volume in a format of its own: how it is known, and how it is opened.
pub(crate) struct DiskFormat {
    /// As in "contains ...".
    pub(crate) name: &'static str,
    /// Whether the first bytes are its own.
    pub(crate) begins: fn(&[u8]) -> bool,
    /// Opens it: the bytes as a machine sees them. None where it is known and can't be read.
    pub(crate) open: Option<Opener>,
}

/// Those that are known.
pub(crate) const DISKS: &[DiskFormat] = &[
    DiskFormat {
        name: "a qcow2 disk",
        begins: disk::begins_qcow2,
        open: Some(|bytes| Ok(Arc::new(disk::Qcow2::open(Box::new(bytes))?))),
    },
    DiskFormat {
        name: "a VDI disk",
        begins: disk::begins_vdi,
        open: Some(|bytes| Ok(Arc::new(disk::Vdi::open(Box::new(bytes))?))),
    },
    DiskFormat { name: "a VMDK disk", begins: |head| stands_at(head, 0, b"KDMV"), open: None },
    DiskFormat { name: "a VHD disk", begins: |head| stands_at(head, 0, b"conectix"), open: None },
    DiskFormat { name: "a VHDX disk", begins: |head| stands_at(head, 0, b"vhdxfile"), open: None },
    DiskFormat {
        name: "an encrypted volume (LUKS)",
        begins: |head| stands_at(head, 0, b"LUKS\xba\xbe"),
        open: None,
    },
    DiskFormat {
        name: "an encrypted volume (BitLocker)",
        begins: |head| stands_at(head, 0, b"-FVE-FS-"),
        open: None,
    },
    DiskFormat {
        name: "a physical volume of LVM",
        begins: |head| stands_at(head, 512, b"LABELONE"),
        open: None,
    },
];

/// Whether a head has a table of partitions: GPT with sectors of 512 or 4,096 bytes, or MBR.
pub(crate) fn has_partition_table(head: &[u8]) -> bool {
    stands_at(head, 512, b"EFI PART")
        || stands_at(head, 4096, b"EFI PART")
        || stands_at(head, 510, &[0x55, 0xaa])
}
