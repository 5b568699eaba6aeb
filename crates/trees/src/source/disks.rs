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

/// Makes a disk, or volumes, of the bytes of a file; of what is in a folder, other files beside it may belong to it.
type Opener = fn(Arc<dyn ReadAt>, Option<&Path>) -> io::Result<Opened>;

/// A disk or volume in a format of its own: how it is known, and how it is opened.
pub(crate) struct DiskFormat {
    /// As in "contains ...".
    pub(crate) name: &'static str,
    /// Whether the first bytes are its own.
    pub(crate) begins: fn(&[u8]) -> bool,
    /// Opens it; where it is known and can't be read, what to do.
    pub(crate) open: Result<Opener, &'static str>,
}

/// What to do with what is locked.
const UNLOCK: &str = "unlock it, mount it and give the folder, or collect what is needed from inside it";
/// What to do with the disks of other machines.
const CONVERT: &str = "convert it with `qemu-img convert -O qcow2`";

/// Those that are known.
pub(crate) const DISKS: &[DiskFormat] = &[
    DiskFormat {
        name: "a qcow2 disk",
        begins: disk::begins_qcow2,
        open: Ok(|bytes, beside| Ok(Opened::Bytes(Arc::new(disk::Qcow2::open(Box::new(bytes), beside)?)))),
    },
    DiskFormat {
        name: "a VDI disk",
        begins: disk::begins_vdi,
        open: Ok(|bytes, _| Ok(Opened::Bytes(Arc::new(disk::Vdi::open(Box::new(bytes))?)))),
    },
    DiskFormat {
        name: "a VMDK disk",
        begins: vmdk::begins,
        open: Ok(|bytes, _| Ok(Opened::Bytes(Arc::new(vmdk::Vmdk::open(Box::new(bytes))?)))),
    },
    DiskFormat {
        name: "a VMDK disk of several files",
        begins: vmdk::begins_as_text,
        open: Ok(|bytes, beside| vmdk::open_described(bytes.as_ref(), beside).map(Opened::Bytes)),
    },
    DiskFormat {
        name: "a VHD disk",
        begins: vhd::begins,
        open: Ok(|bytes, _| Ok(Opened::Bytes(Arc::new(vhd::Vhd::open(Box::new(bytes))?)))),
    },
    DiskFormat {
        name: "a VHDX disk",
        begins: vhdx::begins,
        open: Ok(|bytes, _| Ok(Opened::Bytes(Arc::new(vhdx::Vhdx::open(Box::new(bytes))?)))),
    },
    DiskFormat {
        name: "an encrypted volume (LUKS)",
        begins: |head| stands_at(head, 0, b"LUKS\xba\xbe"),
        open: Err(UNLOCK),
    },
    DiskFormat {
        name: "an encrypted volume (BitLocker)",
        begins: |head| stands_at(head, 0, b"-FVE-FS-"),
        open: Err(UNLOCK),
    },
    DiskFormat { name: "a QED disk", begins: |head| stands_at(head, 0, b"QED\0"), open: Err(CONVERT) },
    DiskFormat {
        name: "a Parallels disk",
        begins: |head| stands_at(head, 0, b"WithoutFreeSpace") || stands_at(head, 0, b"WithouFreSpacExt"),
        open: Err(CONVERT),
    },
    DiskFormat {
        name: "a ZIP archive",
        begins: |head| stands_at(head, 0, b"PK\x03\x04"),
        open: Err("unpack it, and give what is in it"),
    },
    DiskFormat {
        name: "a physical volume of LVM",
        begins: lvm::begins,
        open: Ok(|bytes, _| lvm::open(&bytes).map(Opened::Volumes)),
    },
];

/// Whether a head has a table of partitions: GPT with sectors of 512 or 4,096 bytes, or MBR.
pub(crate) fn has_partition_table(head: &[u8]) -> bool {
    stands_at(head, 512, b"EFI PART")
        || stands_at(head, 4096, b"EFI PART")
        || stands_at(head, 510, &[0x55, 0xaa])
}
