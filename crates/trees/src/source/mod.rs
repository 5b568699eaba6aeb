//! What is this file? From an archive, an image or a virtual disk to the root of an install inside it, whatever is between.

mod containers;
mod contents;
mod disks;
mod file_systems;
mod medium;
mod mounts;
mod probe;
mod roots;

use crate::bytes::{OnDisk, cut_off};
use crate::{LIMITS, NodeKind, ReadAt, Tree, archive, disk, shielded};
use contents::Contents;
use disks::{DiskFormat, Opened};
use file_systems::{FileSystem, FileSystemFormat, Purpose};
use medium::{layered, medium, profiles};
use probe::{FileFormat, head_of, is_root};
pub use roots::{ChosenRoot, Root, RootBecause};
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
    /// Whether it is on a medium that it is started or installed from, as against the disk of a machine or an archive.
    pub is_medium: bool,
    /// The layers of the medium that it is made of, the lowest one first; or the one image that it is in.
    pub layers: Vec<PathBuf>,
    /// The profile that the layers make up, where the medium has several: the last word of the last layer's name.
    pub profile: Option<String>,
    /// Lists of packages that are beside the layers, by the names that media give them, with their content.
    pub lists: Vec<(PathBuf, Vec<u8>)>,
    /// What should be known: an unclean file system, an archive that breaks off.
    pub remarks: Vec<String>,
    /// Which root of a disk it is, and why.
    pub root: Option<ChosenRoot>,
}

/// How a source is opened.
#[derive(Debug, Clone, Default)]
pub struct Opening {
    /// The root to take of a disk with several: a partition's number or label, `vg/lv`, a subvolume's path, a deployment.
    pub root: Option<String>,
    /// The folder that the file is in: an image may be made of several files.
    pub beside: Option<PathBuf>,
}

impl Opening {
    /// Opens a file on disk, with the files beside it.
    ///
    /// # Errors
    /// As [`SourceError`]; nothing of the file is ever written.
    pub fn open(&self, path: &Path) -> Result<Source, SourceError> {
        let beside = self.beside.clone().or_else(|| path.parent().map(Path::to_owned));
        Self { beside, ..self.clone() }.of(Arc::new(OnDisk::new(File::open(path)?)?))
    }

    /// Opens bytes.
    ///
    /// # Errors
    /// As [`Opening::open`].
    pub fn of(&self, bytes: Arc<dyn ReadAt>) -> Result<Source, SourceError> {
        let source = shielded(|| Source::inside(bytes, &Nesting::of(self)))
            .unwrap_or_else(|why| Err(SourceError::Damaged(why)))?;
        if self.root.is_some() && source.root.is_none() {
            return Err(SourceError::NoRoot("it has no partitions or subvolumes to choose from".to_owned()));
        }
        Ok(source)
    }

    /// Opens a folder that is no root by itself: the layout of a container's image, or the file system that deployments of OSTree are on.
    /// `None` where it is neither.
    ///
    /// # Errors
    /// As [`Opening::open`].
    pub fn folder(&self, folder: &Arc<dyn Tree>) -> Option<Result<Source, SourceError>> {
        if is_root(folder.as_ref()) && self.root.is_none() {
            return None;
        }
        let found = shielded(|| containers::root(folder.as_ref()));
        match found.unwrap_or_else(|why| Some(Err(SourceError::Damaged(why)))) {
            Some(Ok((tree, remarks))) => {
                let source = root(tree, "the image of the container has neither `etc` nor `usr`");
                return Some(source.map(|source| Source { remarks, ..source }));
            }
            Some(Err(error)) => return Some(Err(error)),
            None if !folder.as_ref().is_folder("ostree/deploy") => return None,
            None => {}
        }
        let contents = Contents::of_tree(Arc::clone(folder));
        Some(
            shielded(|| contents.source(&Nesting::of(self)))
                .unwrap_or_else(|why| Err(SourceError::Damaged(why))),
        )
    }

    /// All roots that could be taken of what was opened: the one that was taken first; none where there is nothing to choose.
    ///
    /// # Errors
    /// Those of opening, but not for want of a choice.
    pub fn roots(opened: Result<Source, SourceError>) -> Result<Vec<Root>, SourceError> {
        match opened {
            Ok(source) => Ok(source
                .root
                .map_or_else(Vec::new, |chosen| std::iter::once(chosen.root).chain(chosen.others).collect())),
            Err(SourceError::Ambiguous(roots) | SourceError::NoSuchRoot { roots, .. }) => Ok(roots),
            Err(error) => Err(error),
        }
    }
}

/// Why no install was found inside a file.
#[derive(Debug, thiserror::Error)]
pub enum SourceError {
    /// It can't be read.
    #[error("{0}")]
    Io(#[from] io::Error),
    /// It is nothing that could hold an install.
    #[error("is not an archive, a disk, a medium or a file system of a known format, nor a package list")]
    Unknown,
    /// It is something that can't be read here.
    #[error("{0}")]
    Unsupported(String),
    /// It can't be read, and the message says what to do instead.
    #[error("{0}")]
    Refused(String),
    /// A decoder gave up on it.
    #[error("{0}")]
    Damaged(String),
    /// It was read, and there is no root in it.
    #[error("contains no install: {0}")]
    NoRoot(String),
    /// It has several roots, and nothing says which one is meant.
    #[error("contains several installs, and nothing says which one is started: {}", named_roots(.0))]
    Ambiguous(Vec<Root>),
    /// None of its roots is called as was asked.
    #[error("contains no root `{asked}`{}", has(.roots))]
    NoSuchRoot {
        /// What was asked for.
        asked: String,
        /// The roots that are there.
        roots: Vec<Root>,
    },
}

fn has(roots: &[Root]) -> String {
    if roots.is_empty() { String::new() } else { format!("; it has {}", named_roots(roots)) }
}

/// Roots in one line: `2` (Saltmarsh 5.0), `3` (Rescue).
pub fn named_roots(roots: &[Root]) -> String {
    let one = |root: &Root| match root.title.as_str() {
        "" => format!("`{}`", root.name),
        title => format!("`{}` ({title})", root.name),
    };
    roots.iter().map(one).collect::<Vec<_>>().join(", ")
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
            root: None,
        }
    }

    /// Opens a file on disk.
    ///
    /// # Errors
    /// As [`SourceError`]; nothing of the file is ever written.
    pub fn open(path: &Path) -> Result<Self, SourceError> {
        Opening::default().open(path)
    }

    /// Opens bytes.
    ///
    /// # Errors
    /// As [`Source::open`].
    pub fn of(bytes: Arc<dyn ReadAt>) -> Result<Self, SourceError> {
        Opening::default().of(bytes)
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
                if format.purpose == Purpose::Disk {
                    return Contents::of(bytes, nesting)?.source(nesting);
                }
                let FileSystem { tree, remarks, .. } = opened(format, bytes, &head)?;
                let mut source = match format.purpose {
                    Purpose::Medium => medium(tree, nesting)?,
                    Purpose::Image | Purpose::Disk => Self { is_medium: true, ..image(tree, nesting)? },
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
                if !is_root(&listed)
                    && let Some(found) = containers::root(&listed)
                {
                    let (tree, remarks) = found?;
                    let mut source = root(tree, "the image of the container has neither `etc` nor `usr`")?;
                    source.remarks.extend(remarks);
                    return Ok(source);
                }
                if !is_root(&listed)
                    && let Some(disk) = disk_in(&listed)
                {
                    return Self::inside(disk, &nesting.deeper()?);
                }
                let mut source = root(Box::new(listed), "the archive has neither `etc` nor `usr`")?;
                source.remarks.extend(left_out);
                source.remarks.extend(damage.map(|why| format!("the archive breaks off: {why}")));
                Ok(source)
            }
            FileFormat::Disk(format) => match disk_of(format, bytes, nesting)? {
                Opened::Bytes(disk) => Self::inside(disk, &nesting.deeper()?),
                Opened::Volumes(volumes) => {
                    let mut contents = Contents::default();
                    contents.add_logical(volumes, nesting);
                    contents.source(nesting)
                }
            },
            FileFormat::PartitionTable => {
                let mut contents = Contents::default();
                let partitions = disk::partitions(bytes.as_ref());
                let ends = partitions.iter().map(|one| one.start.saturating_add(one.length));
                contents.cut = cut_off(bytes.len(), ends.max().unwrap_or_default());
                for partition in partitions {
                    contents.add_partition(&bytes, partition, nesting);
                }
                contents.source(nesting)
            }
        }
    }
}

/// The first file of an archive that begins as a disk: appliances and images of clouds are packed so.
fn disk_in(listed: &dyn Tree) -> Option<Arc<dyn ReadAt>> {
    const DEPTH: usize = 2;
    const LOOKED_AT: usize = 64;
    let files = listed.files_below("", DEPTH).into_iter().take(LOOKED_AT);
    files.filter(|(_, kind)| *kind == NodeKind::File).find_map(|(path, _)| {
        let bytes: Arc<dyn ReadAt> = Arc::from(listed.open(&path).ok()?);
        let head = head_of(bytes.as_ref()).ok()?;
        let is_disk = match FileFormat::of(&head)? {
            FileFormat::Disk(format) => format.open.is_ok(),
            FileFormat::FileSystem(format) => format.purpose == Purpose::Disk,
            FileFormat::PartitionTable => true,
            FileFormat::Compressed(_) | FileFormat::Archive => false,
        };
        is_disk.then_some(bytes)
    })
}

/// Opens a file system of a format.
fn opened(format: &FileSystemFormat, bytes: Arc<dyn ReadAt>, head: &[u8]) -> Result<FileSystem, SourceError> {
    let open = format.open.ok_or_else(|| unsupported(format.name))?;
    open(bytes, head).map_err(refused)
}

/// What a reader does not read is told with what to do.
fn refused(error: io::Error) -> SourceError {
    match error.kind() {
        io::ErrorKind::Unsupported => SourceError::Unsupported(format!("{error}: {KIT}")),
        _ => error.into(),
    }
}

/// Opens a disk or volume of a format.
fn disk_of(format: &DiskFormat, bytes: Arc<dyn ReadAt>, nesting: &Nesting) -> Result<Opened, SourceError> {
    let open = match format.open {
        Ok(open) => open,
        Err(advice) => {
            let why = format!("contains {}, which is not supported: {advice}", format.name);
            return Err(SourceError::Refused(why));
        }
    };
    // Only what lies on disk itself has something beside it.
    let beside = nesting.beside.as_deref().filter(|_| nesting.depth == 0);
    open(bytes, beside).map_err(refused)
}

fn unsupported(what: &str) -> SourceError {
    SourceError::Unsupported(format!("contains {what}, which is not supported: {KIT}"))
}

/// How far an image is inside others, and how many were opened in all: files of an image may all be one and the same, and
/// each hold the next.
#[derive(Clone, Default)]
pub(crate) struct Nesting {
    depth: usize,
    opened: Rc<Cell<usize>>,
    /// The root that was asked for.
    asked: Option<Rc<str>>,
    beside: Option<Rc<Path>>,
}

impl Nesting {
    fn of(opening: &Opening) -> Self {
        Self {
            asked: opening.root.as_deref().map(Into::into),
            beside: opening.beside.as_deref().map(Into::into),
            ..Self::default()
        }
    }

    /// One step further inside.
    pub(crate) fn deeper(&self) -> Result<Self, SourceError> {
        let depth = self.depth.saturating_add(1);
        if depth > LIMITS.nesting {
            return Err(SourceError::Unsupported(format!("nests deeper than {} images", LIMITS.nesting)));
        }
        Ok(Self { depth, ..self.clone() })
    }

    /// The same, for what was chosen already: there is nothing more to ask for in it.
    pub(crate) fn without_choice(self) -> Self {
        Self { asked: None, ..self }
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
