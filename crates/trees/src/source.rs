//! What is this file? From an archive, an image or a virtual disk to the root of an install inside it, whatever lies between.

use crate::bytes::OnDisk;
use crate::disk::Partition;
use crate::medium::{layered, medium, profiles};
use crate::mounts::{Volume, put_together};
use crate::unpack::Packed;
use crate::{Bytes, LIMITS, Squashfs, Tree, archive, disk, ext4, iso, shielded};
use std::cell::Cell;
use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};
use std::rc::Rc;
use std::sync::Arc;

/// An install that was found inside a file.
pub struct Source {
    /// Its root.
    pub tree: Box<dyn Tree>,
    /// Whether it lies on a medium that it is started or installed from, as against the disk of a machine or an archive.
    pub is_medium: bool,
    /// The layers of the medium that it is made of, the lowest one first; or the one image that it lies in.
    pub layers: Vec<PathBuf>,
    /// The profile that the layers make up, where the medium has several: the last word of the last layer's name.
    pub profile: Option<String>,
    /// Lists of packages that lie beside the layers, by the names that media give them, with their content.
    pub lists: Vec<(PathBuf, Vec<u8>)>,
    /// What should be known: an unclean file system, an archive that breaks off.
    pub remarks: Vec<String>,
}

/// Why no install was found inside a file.
#[derive(Debug, thiserror::Error)]
pub enum SourceError {
    /// It can't be read.
    #[error("{0}")]
    Io(#[from] io::Error),
    /// It is nothing that could hold an install.
    #[error("is not an archive, a disk, a medium or a file system of a known format")]
    Unknown,
    /// It is something that can't be read here.
    #[error("{0}")]
    Unsupported(String),
    /// A decoder gave up on it.
    #[error("{0}")]
    Damaged(String),
    /// It was read, and there is no root in it.
    #[error("contains no install: {0}")]
    NoRoot(String),
}

/// What to do with what can't be read.
const KIT: &str = "collect what is needed from inside it, or mount it and give the folder";

impl Source {
    /// Bytes that tell what a file is: the descriptors of an optical image begin at 32 KiB, btrfs at 64 KiB.
    pub const HEAD: u64 = 0x1_1000;

    /// A root of which nothing else is to be said.
    pub(crate) fn of_tree(tree: Box<dyn Tree>) -> Self {
        Self {
            tree,
            is_medium: false,
            layers: Vec::new(),
            profile: None,
            lists: Vec::new(),
            remarks: Vec::new(),
        }
    }

    /// Opens a file on disk.
    ///
    /// # Errors
    /// As [`SourceError`]; nothing of the file is ever written.
    pub fn open(path: &Path) -> Result<Self, SourceError> {
        Self::of(Arc::new(OnDisk::new(File::open(path)?)?))
    }

    /// Opens bytes.
    ///
    /// # Errors
    /// As [`Source::open`].
    pub fn of(bytes: Arc<dyn Bytes>) -> Result<Self, SourceError> {
        shielded(|| Self::inside(bytes, &Nesting::default()))
            .unwrap_or_else(|why| Err(SourceError::Damaged(why)))
    }

    /// Opens bytes, once for each profile that it can install, the smallest first; once alone where it has none.
    ///
    /// # Errors
    /// As [`Source::open`].
    pub fn each_profile(bytes: Arc<dyn Bytes>) -> Result<Vec<Self>, SourceError> {
        if matches!(Sort::of(&head_of(bytes.as_ref())?), Some(Sort::Iso)) {
            let medium: Arc<dyn Tree> = Arc::new(iso::open(Arc::clone(&bytes))?.0);
            let chains = profiles(&medium);
            if chains.len() > 1 {
                return Ok(chains
                    .into_iter()
                    .map(|(profile, layers)| layered(medium.as_ref(), layers, Some(profile), Vec::new()))
                    .collect());
            }
        }
        Ok(vec![Self::of(bytes)?])
    }

    /// Whether bytes begin like something that could hold an install.
    pub fn begins(bytes: &dyn Bytes) -> bool {
        head_of(bytes).is_ok_and(|head| Sort::of(&head).is_some())
    }

    pub(crate) fn inside(bytes: Arc<dyn Bytes>, nesting: &Nesting) -> Result<Self, SourceError> {
        nesting.open()?;
        let head = head_of(bytes.as_ref())?;
        let sort = Sort::of(&head).ok_or(SourceError::Unknown)?;
        tracing::info!(bytes = bytes.len(), depth = nesting.depth, "{}", sort.name());
        match sort {
            Sort::Packed(packed) => {
                let (content, damage) = packed.spool(&bytes)?;
                let mut source = Self::inside(content, &nesting.deeper()?)?;
                source.remarks.extend(damage.map(|why| format!("it breaks off while it is unpacked: {why}")));
                Ok(source)
            }
            Sort::Iso => {
                let (listed, cut) = iso::open(bytes)?;
                let mut source = medium(Arc::new(listed), nesting)?;
                source.remarks.extend(cut);
                Ok(source)
            }
            Sort::Squashfs => {
                let cut = Squashfs::missing(&head, bytes.len());
                let mut source = image(Arc::new(Squashfs::open(Box::new(bytes))?), nesting)?;
                source.remarks.extend(cut);
                Ok(Self { is_medium: true, ..source })
            }
            Sort::Tar => {
                let (mut listed, damage) = archive::open(&bytes)?;
                // An archive of a root that was packed as a folder.
                if !is_root(&listed)
                    && let Some(folder) = archive::only_folder(&listed)
                {
                    listed = listed.below(&folder);
                }
                let left_out = listed.left_out();
                let mut source = root(Box::new(listed), "the archive has neither `etc` nor `usr`")?;
                source.remarks.extend(left_out);
                source.remarks.extend(damage.map(|why| format!("the archive breaks off: {why}")));
                Ok(source)
            }
            Sort::Ext4 => {
                let remark = ext4::unclean(&head).map(|why| format!("its file system is not clean: {why}"));
                let mut source = image(Arc::new(ext4::FileSystem::open(Box::new(bytes))?), nesting)?;
                source.remarks.extend(remark);
                Ok(source)
            }
            Sort::Qcow2 => Self::inside(Arc::new(disk::Qcow2::open(Box::new(bytes))?), &nesting.deeper()?),
            Sort::Vdi => Self::inside(Arc::new(disk::Vdi::open(Box::new(bytes))?), &nesting.deeper()?),
            Sort::Disk => partitions(&bytes, nesting),
            Sort::Unread(what) => {
                Err(SourceError::Unsupported(format!("contains {what}, which is not supported: {KIT}")))
            }
        }
    }
}

/// How far an image lies inside others, and how many were opened in all: files of an image may all be one and the same, and
/// each hold the next.
#[derive(Clone, Default)]
pub(crate) struct Nesting {
    depth: usize,
    opened: Rc<Cell<usize>>,
}

impl Nesting {
    /// One step further inside.
    pub(crate) fn deeper(&self) -> Result<Self, SourceError> {
        let depth = self.depth.saturating_add(1);
        if depth > LIMITS.nesting {
            return Err(SourceError::Unsupported(format!("nests deeper than {} images", LIMITS.nesting)));
        }
        Ok(Self { depth, opened: Rc::clone(&self.opened) })
    }

    /// Counts one more image.
    pub(crate) fn open(&self) -> Result<(), SourceError> {
        let opened = self.opened.get().saturating_add(1);
        self.opened.set(opened);
        match opened > LIMITS.images {
            true => Err(SourceError::Unsupported(format!(
                "contains more than {} images and partitions",
                LIMITS.images
            ))),
            false => Ok(()),
        }
    }
}

/// What a file is, by its content.
pub(crate) enum Sort {
    Packed(Packed),
    Iso,
    Squashfs,
    Tar,
    Ext4,
    Qcow2,
    Vdi,
    Disk,
    /// Something that is known, and can't be read.
    Unread(&'static str),
}

impl Sort {
    /// What it is called.
    fn name(&self) -> &'static str {
        match self {
            Self::Packed(_) => "a packed file",
            Self::Iso => "an ISO 9660 image",
            Self::Squashfs => "a SquashFS image",
            Self::Tar => "an archive",
            Self::Ext4 => "an ext file system",
            Self::Qcow2 => "a qcow2 disk",
            Self::Vdi => "a VDI disk",
            Self::Disk => "a disk",
            Self::Unread(what) => what,
        }
    }

    /// An optical image may have a table of partitions as well, so it is asked for first.
    pub(crate) fn of(head: &[u8]) -> Option<Self> {
        let at = |place: usize, magic: &[u8]| head.get(place..).is_some_and(|rest| rest.starts_with(magic));
        const UNREAD: &[(usize, &[u8], &str)] = &[
            (0x1_0040, b"_BHRfS_M", "a btrfs file system"),
            (0, b"XFSB", "an XFS file system"),
            (1024, &[0xe2, 0xe1, 0xf5, 0xe0], "an EROFS file system"),
            (1024, &[0x10, 0x20, 0xf5, 0xf2], "an F2FS file system"),
            (0, b"LUKS\xba\xbe", "an encrypted volume (LUKS)"),
            (512, b"LABELONE", "a physical volume of LVM"),
            (0, b"KDMV", "a VMDK disk"),
            (0, b"conectix", "a VHD disk"),
            (0, b"vhdxfile", "a VHDX disk"),
            (0, b"-FVE-FS-", "an encrypted volume (BitLocker)"),
            (3, b"NTFS    ", "an NTFS file system"),
        ];
        Some(match head {
            _ if iso::begins(head) => Self::Iso,
            _ if Squashfs::begins(head) => Self::Squashfs,
            _ if disk::begins_qcow2(head) => Self::Qcow2,
            _ if disk::begins_vdi(head) => Self::Vdi,
            _ if ext4::begins(head) => Self::Ext4,
            _ => match UNREAD.iter().find(|(place, magic, _)| at(*place, magic)) {
                Some((_, _, what)) => Self::Unread(what),
                None => match Packed::of(head) {
                    Some(packed) => Self::Packed(packed),
                    None if archive::begins(head) => Self::Tar,
                    None if at(512, b"EFI PART") || at(4096, b"EFI PART") || at(510, &[0x55, 0xaa]) => {
                        Self::Disk
                    }
                    None => return None,
                },
            },
        })
    }
}

pub(crate) fn head_of(bytes: &dyn Bytes) -> io::Result<Vec<u8>> {
    let mut head = vec![0; Source::HEAD as usize];
    let read = bytes.read_at(0, &mut head)?;
    head.truncate(read);
    Ok(head)
}

/// Whether a tree looks like the root of an install.
pub(crate) fn is_root(tree: &dyn Tree) -> bool {
    ["etc/os-release", "usr/lib/os-release"].iter().any(|file| tree.exists(file))
        || (tree.is_folder("etc") && tree.is_folder("usr"))
}

fn root(tree: Box<dyn Tree>, otherwise: &str) -> Result<Source, SourceError> {
    if is_root(tree.as_ref()) {
        return Ok(Source::of_tree(tree));
    }
    Err(SourceError::NoRoot(otherwise.to_owned()))
}

/// A file system: a root, or the folder with the image of one that some live systems keep inside another image.
fn image(tree: Arc<dyn Tree>, nesting: &Nesting) -> Result<Source, SourceError> {
    if is_root(tree.as_ref()) {
        return Ok(Source::of_tree(Box::new(tree)));
    }
    medium(tree, nesting)
}

/// The partition whose root is an install, with the others in the folders that its table names; what the others are is told when
/// none is a root.
fn partitions(bytes: &Arc<dyn Bytes>, nesting: &Nesting) -> Result<Source, SourceError> {
    let (mut said, mut remarks) = (Vec::new(), Vec::new());
    let mut root: Option<Volume> = None;
    let mut others: Vec<Volume> = Vec::new();
    for partition in disk::partitions(bytes.as_ref()) {
        let number = partition.number;
        match partition
            .of(bytes)
            .map_err(SourceError::from)
            .and_then(|window| volume(Arc::new(window), partition, nesting))
        {
            Ok(Found::Volume(found, remark)) if root.is_none() && is_root(found.tree.as_ref()) => {
                root = Some(found);
                remarks.extend(remark);
            }
            Ok(Found::Volume(found, remark)) => {
                said.push(format!("partition {number} contains no root"));
                remarks.extend(remark);
                others.push(found);
            }
            Ok(Found::Source(source)) if root.is_none() => return Ok(source),
            Ok(Found::Source(_)) => {}
            Err(error) => said.push(format!("partition {number} {error}")),
        }
    }
    let Some(root) = root else {
        // A stick may hold the image of a live system in a file system of its own.
        if let Some(source) =
            others.iter().find_map(|volume| medium(Arc::clone(&volume.tree), &nesting.deeper().ok()?).ok())
        {
            return Ok(source);
        }
        return Err(SourceError::NoRoot(match said.is_empty() {
            true => "the disk has no partitions".to_owned(),
            false => said.join("; "),
        }));
    };
    let (tree, missing) = put_together(root, &others);
    remarks.extend(missing);
    Ok(Source { remarks, ..Source::of_tree(tree) })
}

/// What a partition holds: a file system of the disk, with what should be known of it; or something with an install inside.
enum Found {
    Volume(Volume, Option<String>),
    Source(Source),
}

fn volume(bytes: Arc<dyn Bytes>, partition: Partition, nesting: &Nesting) -> Result<Found, SourceError> {
    let head = head_of(bytes.as_ref())?;
    match Sort::of(&head) {
        Some(Sort::Ext4) => nesting.open()?,
        Some(Sort::Iso | Sort::Squashfs | Sort::Unread(_)) => {
            return Source::inside(bytes, &nesting.deeper()?).map(Found::Source);
        }
        // A partition holds a file system, and no further disk.
        _ => return Err(SourceError::Unsupported("contains no known file system".to_owned())),
    }
    let (uuid, label) = ext4::names(&head);
    let tree: Arc<dyn Tree> = Arc::new(ext4::FileSystem::open(Box::new(bytes))?);
    let remark = ext4::unclean(&head).map(|why| format!("its file system is not clean: {why}"));
    Ok(Found::Volume(Volume { tree, uuid, label, partition }, remark))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_file_is_is_told_by_how_it_begins() {
        let at = |place: usize, magic: &[u8]| {
            let mut head = vec![0; Source::HEAD as usize];
            head[place..place + magic.len()].copy_from_slice(magic);
            Sort::of(&head)
        };
        assert!(matches!(at(0, b"hsqs"), Some(Sort::Squashfs)));
        assert!(matches!(at(0x8001, b"CD001"), Some(Sort::Iso)));
        assert!(matches!(at(1080, &[0x53, 0xef]), Some(Sort::Ext4)));
        assert!(matches!(at(0, b"QFI\xfb"), Some(Sort::Qcow2)));
        assert!(matches!(at(0, &[0x28, 0xb5, 0x2f, 0xfd]), Some(Sort::Packed(Packed::Zstd))));
        assert!(matches!(at(257, b"ustar"), Some(Sort::Tar)));
        assert!(matches!(at(510, &[0x55, 0xaa]), Some(Sort::Disk)));
        assert!(matches!(at(512, b"EFI PART"), Some(Sort::Disk)));
        for (place, magic, what) in [
            (0x1_0040, b"_BHRfS_M".as_slice(), "btrfs"),
            (0, b"XFSB", "XFS"),
            (0, b"LUKS\xba\xbe", "LUKS"),
            (512, b"LABELONE", "LVM"),
        ] {
            assert!(matches!(at(place, magic), Some(Sort::Unread(said)) if said.contains(what)), "{what}");
        }
        assert!(Sort::of(&[0; 4096]).is_none() && Sort::of(b"").is_none());
    }
}
