//! The formats of virtual disks and volumes that are known, in the order in which a file is asked for them. To add one: a module
//! that makes the bytes of the disk of the bytes of the file, and a line here.

use super::probe::stands_at;
use crate::disk::{lvm, vhd, vhdx, vmdk};
use crate::{ReadAt, disk};
use std::io;
use std::path::Path;
use std::sync::Arc;

/// What was found in a file or a partition.
pub(crate) enum Opened {
    /// The bytes of one disk, as a machine sees them.
    Bytes(Arc<dyn ReadAt>),
    /// Volumes with their names, `vg/lv`.
    Volumes(Vec<(String, Arc<dyn ReadAt>)>),
}

/// Makes a disk, or volumes, of the bytes of a file; of what lies in a folder, other files beside it may belong to it.
type Opener = fn(Arc<dyn ReadAt>, Option<&Path>) -> io::Result<Opened>;

/// A disk or volume in a format of its own: how it is known, and how it is opened.
pub(crate) struct DiskFormat {
    /// As in "contains ...".
    pub(crate) name: &'static str,
    /// Whether the first bytes are its own.
    pub(crate) begins: fn(&[u8]) -> bool,
    /// Opens it. None where it is known and can't be read.
    pub(crate) open: Option<Opener>,
}

/// Those that are known.
pub(crate) const DISKS: &[DiskFormat] = &[
    DiskFormat {
        name: "a qcow2 disk",
        begins: disk::begins_qcow2,
        open: Some(|bytes, beside| Ok(Opened::Bytes(Arc::new(disk::Qcow2::open(Box::new(bytes), beside)?)))),
    },
    DiskFormat {
        name: "a VDI disk",
        begins: disk::begins_vdi,
        open: Some(|bytes, _| Ok(Opened::Bytes(Arc::new(disk::Vdi::open(Box::new(bytes))?)))),
    },
    DiskFormat {
        name: "a VMDK disk",
        begins: vmdk::begins,
        open: Some(|bytes, _| Ok(Opened::Bytes(Arc::new(vmdk::Vmdk::open(Box::new(bytes))?)))),
    },
    DiskFormat {
        name: "a VMDK disk of several files",
        begins: vmdk::begins_as_text,
        open: Some(|bytes, beside| vmdk::open_described(bytes.as_ref(), beside).map(Opened::Bytes)),
    },
    DiskFormat {
        name: "a VHD disk",
        begins: vhd::begins,
        open: Some(|bytes, _| Ok(Opened::Bytes(Arc::new(vhd::Vhd::open(Box::new(bytes))?)))),
    },
    DiskFormat {
        name: "a VHDX disk",
        begins: vhdx::begins,
        open: Some(|bytes, _| Ok(Opened::Bytes(Arc::new(vhdx::Vhdx::open(Box::new(bytes))?)))),
    },
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
        begins: lvm::begins,
        open: Some(|bytes, _| lvm::open(&bytes).map(Opened::Volumes)),
    },
];

/// Whether a head has a table of partitions: GPT with sectors of 512 or 4,096 bytes, or MBR.
pub(crate) fn has_partition_table(head: &[u8]) -> bool {
    stands_at(head, 512, b"EFI PART")
        || stands_at(head, 4096, b"EFI PART")
        || stands_at(head, 510, &[0x55, 0xaa])
}
