//! What a disk holds: the file systems of its partitions and volumes, and whatever else is in them.

use super::disks::Opened;
use super::file_systems::{FileSystem, Purpose};
use super::medium::medium;
use super::mounts::{USR, Volume};
use super::probe::{FileFormat, head_of, is_root};
use super::roots::{self, ChosenRoot, NoChoice, Root, RootBecause};
use super::{Nesting, Source, SourceError, disk_of, named_roots, opened};
use crate::disk::Partition;
use crate::{ReadAt, Tree, iso};
use std::sync::Arc;

/// What a file system is called that is all there is.
const WHOLE: &str = "whole";

/// What the partitions and volumes of a disk hold.
#[derive(Default)]
pub(super) struct Contents {
    volumes: Vec<Volume>,
    /// An install inside something else: an image in a partition.
    inside: Option<Source>,
    /// What each is that is no root, or can't be read.
    said: Vec<String>,
    remarks: Vec<String>,
    /// What is missing of a disk whose partitions end behind its end.
    pub(super) cut: Option<String>,
}

impl Contents {
    /// A file system that is all of the bytes.
    pub(super) fn of(bytes: Arc<dyn ReadAt>, nesting: &Nesting) -> Result<Self, SourceError> {
        let mut contents = Self::default();
        let partition = Partition { length: bytes.len(), ..Partition::default() };
        contents.add(bytes, (WHOLE, None), partition, nesting)?;
        Ok(contents)
    }

    /// A tree that is all there is.
    pub(super) fn of_tree(tree: Arc<dyn Tree>) -> Self {
        let volume = Volume {
            name: WHOLE.to_owned(),
            device: None,
            tree,
            uuid: String::new(),
            label: String::new(),
            partition: Partition::default(),
            subvolumes: Vec::new(),
        };
        Self { volumes: vec![volume], ..Self::default() }
    }

    /// What is on a partition; what is wrong with it is told if nothing else is a root.
    pub(super) fn add_partition(&mut self, disk: &Arc<dyn ReadAt>, partition: Partition, nesting: &Nesting) {
        let number = partition.number;
        let window = partition.of(disk).map_err(SourceError::from);
        let added = window
            .and_then(|window| self.add(Arc::new(window), (&number.to_string(), None), partition, nesting));
        if let Err(error) = added {
            self.said.push(format!("partition {number} {error}"));
        }
    }

    /// Volumes of LVM: each is a partition of its own, called `vg/lv`.
    pub(super) fn add_logical(&mut self, volumes: Vec<(String, Arc<dyn ReadAt>)>, nesting: &Nesting) {
        for (name, bytes) in volumes {
            // Hyphens are doubled, since one stands between the two names.
            let device = name.split_once('/').map(|(group, volume)| {
                format!("/dev/mapper/{}-{}", group.replace('-', "--"), volume.replace('-', "--"))
            });
            let partition = Partition { length: bytes.len(), ..Partition::default() };
            if let Err(error) = self.add(bytes, (&name, device), partition, nesting) {
                self.said.push(format!("volume {name} {error}"));
            }
        }
    }

    fn add(
        &mut self,
        bytes: Arc<dyn ReadAt>,
        (name, device): (&str, Option<String>),
        partition: Partition,
        nesting: &Nesting,
    ) -> Result<(), SourceError> {
        let head = head_of(bytes.as_ref())?;
        match FileFormat::of(&head) {
            Some(FileFormat::FileSystem(format)) if format.purpose != Purpose::Medium => {
                nesting.open()?;
                let FileSystem { tree, uuid, label, remarks, subvolumes } =
                    opened(format, Arc::clone(&bytes), &head)?;
                // An image that holds the image of a root is a medium; a disk may have a root in one.
                let is_own = is_root(tree.as_ref()) || tree.exists(USR);
                if format.purpose == Purpose::Image && !is_own {
                    return self.add_source(Source::inside(bytes, &nesting.deeper()?)?);
                }
                self.remarks.extend(remarks);
                self.volumes.push(Volume {
                    name: name.to_owned(),
                    device,
                    tree,
                    uuid,
                    label,
                    partition,
                    subvolumes,
                });
                Ok(())
            }
            Some(FileFormat::Disk(format)) => {
                nesting.open()?;
                match disk_of(format, bytes, &nesting.deeper()?)? {
                    Opened::Volumes(volumes) => {
                        self.add_logical(volumes, &nesting.deeper()?);
                        Ok(())
                    }
                    Opened::Bytes(disk) => {
                        self.add_source(Source::inside(disk, &nesting.deeper()?.deeper()?)?)
                    }
                }
            }
            Some(FileFormat::FileSystem(_)) => self.add_source(Source::inside(bytes, &nesting.deeper()?)?),
            // A partition holds a file system, and no further disk.
            _ => Err(SourceError::Unsupported("contains no known file system".to_owned())),
        }
    }

    fn add_source(&mut self, source: Source) -> Result<(), SourceError> {
        self.inside.get_or_insert(source);
        Ok(())
    }

    /// The install: the root that is chosen, with the others in the folders that its table names; what the others are is told when none
    /// is a root.
    pub(super) fn source(mut self, nesting: &Nesting) -> Result<Source, SourceError> {
        if let Some(cut) = self.cut.take() {
            // What is missing of the disk is missing of its last partition: once is enough.
            self.remarks.retain(|remark| !remark.starts_with("it is cut off"));
            self.said.insert(0, cut.clone());
            self.remarks.push(cut);
        }
        let chosen = roots::choose(&self.volumes, nesting.asked.as_deref());
        match chosen {
            Ok((tree, chosen, missing)) => {
                self.remarks.extend(missing);
                Ok(Source { remarks: self.remarks, root: Some(chosen), ..Source::of_tree(tree) })
            }
            Err(NoChoice::Several(roots)) => Err(SourceError::Ambiguous(roots)),
            Err(NoChoice::NoSuch(roots)) => Err(SourceError::NoSuchRoot {
                asked: nesting.asked.as_deref().unwrap_or_default().to_owned(),
                roots,
            }),
            Err(NoChoice::None) => self.otherwise(nesting),
        }
    }

    /// Where no volume is a root: an image in a partition, or on a stick's file system.
    fn otherwise(mut self, nesting: &Nesting) -> Result<Source, SourceError> {
        let mut media: Vec<(Root, Arc<dyn ReadAt>)> =
            self.volumes.iter().flat_map(|volume| media_on(volume.tree.as_ref())).collect();
        let roots = |media: &[(Root, _)]| media.iter().map(|(root, _)| root.clone()).collect::<Vec<_>>();
        if let Some(asked) = nesting.asked.as_deref().filter(|_| !media.is_empty()) {
            let is = |root: &Root| root.name == asked || root.name.rsplit('/').next() == Some(asked);
            let Some(at) = media.iter().position(|(root, _)| is(root)) else {
                return Err(SourceError::NoSuchRoot { asked: asked.to_owned(), roots: roots(&media) });
            };
            let (root, bytes) = media.remove(at);
            return on_medium(bytes, (root, RootBecause::Asked), roots(&media), nesting);
        }
        if let Some(source) = self.inside.take() {
            return Ok(source);
        }
        let on_stick = |volume: &Volume| medium(Arc::clone(&volume.tree), &nesting.deeper().ok()?).ok();
        if let Some(mut source) = self.volumes.iter().find_map(on_stick) {
            source.remarks.extend(self.remarks);
            if !media.is_empty() {
                let named = named_roots(&roots(&media));
                source.remarks.push(format!("images of other media are on it: {named}"));
            }
            return Ok(source);
        }
        match media.len() {
            0 => {}
            1 => {
                let (root, bytes) = media.remove(0);
                return on_medium(bytes, (root, RootBecause::Only), Vec::new(), nesting);
            }
            _ => return Err(SourceError::Ambiguous(roots(&media))),
        }
        let no_root = self.volumes.iter().map(|volume| match volume.name.as_str() {
            WHOLE => "its file system contains no root".to_owned(),
            name if name.contains('/') => format!("volume {name} contains no root"),
            name => format!("partition {name} contains no root"),
        });
        self.said.extend(no_root);
        Err(SourceError::NoRoot(match self.said.is_empty() {
            true => "the disk has no partitions".to_owned(),
            false => self.said.join("; "),
        }))
    }
}

/// How deep a stick is searched for images of media, and how many of them are looked at.
const MEDIA_DEPTH: usize = 3;
const MOST_MEDIA: usize = 256;

/// Images of media on the file system of a stick, by path: several may be started from one stick.
fn media_on(tree: &dyn Tree) -> Vec<(Root, Arc<dyn ReadAt>)> {
    let files = tree.files_below("", MEDIA_DEPTH).into_iter();
    let named = files.filter(|(path, _)| path.extension().is_some_and(|end| end.eq_ignore_ascii_case("iso")));
    named
        .take(MOST_MEDIA)
        .filter_map(|(path, _)| {
            let bytes: Arc<dyn ReadAt> = Arc::from(tree.open(&path).ok()?);
            let head = head_of(bytes.as_ref()).ok()?;
            let title = iso::begins(&head).then(|| iso::volume_name(&head))?;
            let name = path.to_string_lossy().into_owned();
            Some((Root { name, title, bytes: bytes.len() }, bytes))
        })
        .collect()
}

/// The install on an image of a medium that is on a stick.
fn on_medium(
    bytes: Arc<dyn ReadAt>,
    (root, because): (Root, RootBecause),
    others: Vec<Root>,
    nesting: &Nesting,
) -> Result<Source, SourceError> {
    let source = Source::inside(bytes, &nesting.deeper()?.without_choice())?;
    Ok(Source { root: Some(ChosenRoot { root, because, others }), ..source })
}
