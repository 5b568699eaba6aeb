//! What is this file? From an archive, an image or a virtual disk to the root of an install inside it, whatever lies between.

mod disks;
mod file_systems;
mod medium;
mod mounts;
mod probe;

use crate::bytes::OnDisk;
use crate::disk::Partition;
use crate::{LIMITS, ReadAt, Tree, archive, disk, shielded};
use file_systems::{FileSystem, FileSystemFormat, Purpose};
use medium::{layered, medium, profiles};
use mounts::{Volume, mount_by_fstab};
use probe::{FileFormat, head_of, is_root};
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
    pub fn of(bytes: Arc<dyn ReadAt>) -> Result<Self, SourceError> {
        shielded(|| Self::inside(bytes, &Nesting::default()))
            .unwrap_or_else(|why| Err(SourceError::Damaged(why)))
    }

    /// Opens bytes, once for each profile that it can install, the smallest first; once alone where it has none.
    ///
    /// # Errors
    /// As [`Source::open`].
    pub fn each_profile(bytes: Arc<dyn ReadAt>) -> Result<Vec<Self>, SourceError> {
        let head = head_of(bytes.as_ref())?;
        if let Some(FileFormat::FileSystem(FileSystemFormat {
            purpose: Purpose::Medium,
            open: Some(open),
            ..
        })) = FileFormat::of(&head)
        {
            let medium = open(Arc::clone(&bytes), &head)?.tree;
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
    pub fn begins(bytes: &dyn ReadAt) -> bool {
        head_of(bytes).is_ok_and(|head| FileFormat::of(&head).is_some())
    }

    pub(crate) fn inside(bytes: Arc<dyn ReadAt>, nesting: &Nesting) -> Result<Self, SourceError> {
        nesting.open()?;
        let head = head_of(bytes.as_ref())?;
        let format = FileFormat::of(&head).ok_or(SourceError::Unknown)?;
        tracing::info!(bytes = bytes.len(), depth = nesting.depth, "{}", format.name());
        match format {
            FileFormat::Compressed(compression) => {
                let (content, damage) = compression.spool(&bytes)?;
                let mut source = Self::inside(content, &nesting.deeper()?)?;
                source.remarks.extend(damage.map(|why| format!("it breaks off while it is unpacked: {why}")));
                Ok(source)
            }
            FileFormat::FileSystem(format) => {
                let FileSystem { tree, remarks, .. } = opened(format, bytes, &head)?;
                let mut source = match format.purpose {
                    Purpose::Medium => medium(tree, nesting)?,
                    Purpose::Image => Self { is_medium: true, ..image(tree, nesting)? },
                    Purpose::Disk => image(tree, nesting)?,
                };
                source.remarks.extend(remarks);
                Ok(source)
            }
            FileFormat::Archive => {
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
            FileFormat::Disk(format) => {
                let open = format.open.ok_or_else(|| unsupported(format.name))?;
                Self::inside(open(bytes)?, &nesting.deeper()?)
            }
            FileFormat::PartitionTable => partitions(&bytes, nesting),
        }
    }
}

/// Opens a file system of a format.
fn opened(format: &FileSystemFormat, bytes: Arc<dyn ReadAt>, head: &[u8]) -> Result<FileSystem, SourceError> {
    let open = format.open.ok_or_else(|| unsupported(format.name))?;
    Ok(open(bytes, head)?)
}

fn unsupported(what: &str) -> SourceError {
    SourceError::Unsupported(format!("contains {what}, which is not supported: {KIT}"))
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
fn partitions(bytes: &Arc<dyn ReadAt>, nesting: &Nesting) -> Result<Source, SourceError> {
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
            Ok(Content::Volume(found, remark)) if root.is_none() && is_root(found.tree.as_ref()) => {
                root = Some(found);
                remarks.extend(remark);
            }
            Ok(Content::Volume(found, remark)) => {
                said.push(format!("partition {number} contains no root"));
                remarks.extend(remark);
                others.push(found);
            }
            Ok(Content::Source(source)) if root.is_none() => return Ok(source),
            Ok(Content::Source(_)) => {}
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
    let (tree, missing) = mount_by_fstab(root, &others);
    remarks.extend(missing);
    Ok(Source { remarks, ..Source::of_tree(tree) })
}

/// What a partition holds.
enum Content {
    /// A file system of the disk, with what should be known of it.
    Volume(Volume, Vec<String>),
    /// Something with an install inside.
    Source(Source),
}

fn volume(bytes: Arc<dyn ReadAt>, partition: Partition, nesting: &Nesting) -> Result<Content, SourceError> {
    let head = head_of(bytes.as_ref())?;
    match FileFormat::of(&head) {
        Some(FileFormat::FileSystem(format)) if format.purpose == Purpose::Disk => {
            nesting.open()?;
            let FileSystem { tree, uuid, label, remarks } = opened(format, bytes, &head)?;
            Ok(Content::Volume(Volume { tree, uuid, label, partition }, remarks))
        }
        Some(FileFormat::FileSystem(_) | FileFormat::Disk(_)) => {
            Source::inside(bytes, &nesting.deeper()?).map(Content::Source)
        }
        // A partition holds a file system, and no further disk.
        _ => Err(SourceError::Unsupported("contains no known file system".to_owned())),
    }
}
