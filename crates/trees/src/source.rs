//! What is this file? From an archive, an image or a virtual disk to the root of an install inside it, whatever lies between.

use crate::bytes::OnDisk;
use crate::layers::Layers;
use crate::mounts::{Volume, put_together};
use crate::unpack::Packed;
use crate::{Bytes, NodeKind, Squashfs, Tree, archive, disk, ext4, iso};
use std::collections::BTreeMap;
use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Things that may lie inside one another.
const DEPTH_LIMIT: usize = 8;
/// Bytes that tell what a file is: the descriptors of an optical image begin at 32 KiB, btrfs at 64 KiB.
const HEAD: usize = 0x1_1000;
/// How deep a medium is searched for the images of a system.
const SEARCH_DEPTH: usize = 4;

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
    #[error("is neither an archive nor an image of a disk, a medium or a file system that is known here")]
    Unknown,
    /// It is something that can't be read here.
    #[error("{0}")]
    Unsupported(String),
    /// It was read, and there is no root in it.
    #[error("holds no install: {0}")]
    NoRoot(String),
}

/// What to do with what can't be read.
const KIT: &str = "collect what is needed from inside it, or mount it and give the folder";

impl Source {
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
        Self::inside(bytes, 0)
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

    fn inside(bytes: Arc<dyn Bytes>, depth: usize) -> Result<Self, SourceError> {
        if depth > DEPTH_LIMIT {
            return Err(SourceError::Unsupported(format!("nests deeper than {DEPTH_LIMIT} images")));
        }
        let head = head_of(bytes.as_ref())?;
        match Sort::of(&head).ok_or(SourceError::Unknown)? {
            Sort::Packed(packed) => {
                let (content, damage) = packed.spool(&bytes)?;
                let mut source = Self::inside(content, depth + 1)?;
                source.remarks.extend(damage.map(|why| format!("it breaks off while it is unpacked: {why}")));
                Ok(source)
            }
            Sort::Iso => {
                let (listed, cut) = iso::open(bytes)?;
                let mut source = medium(Arc::new(listed), depth)?;
                source.remarks.extend(cut);
                Ok(source)
            }
            Sort::Squashfs => {
                let cut = Squashfs::missing(&head, bytes.len());
                let mut source = image(Arc::new(Squashfs::open(Box::new(bytes))?), depth)?;
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
                let mut source = root(Box::new(listed), "the archive has neither `etc` nor `usr`")?;
                source.remarks.extend(damage.map(|why| format!("the archive breaks off: {why}")));
                Ok(source)
            }
            Sort::Ext4 => {
                let remark = ext4::unclean(&head).map(|why| format!("its file system is not clean: {why}"));
                let mut source = image(Arc::new(ext4::FileSystem::open(Box::new(bytes))?), depth)?;
                source.remarks.extend(remark);
                Ok(source)
            }
            Sort::Qcow2 => Self::inside(Arc::new(disk::Qcow2::open(Box::new(bytes))?), depth + 1),
            Sort::Vdi => Self::inside(Arc::new(disk::Vdi::open(Box::new(bytes))?), depth + 1),
            Sort::Disk => partitions(&bytes, depth),
            Sort::Unread(what) => {
                Err(SourceError::Unsupported(format!("holds {what}, which is not read here: {KIT}")))
            }
        }
    }
}

/// What a file is, by its content.
enum Sort {
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
    /// An optical image may have a table of partitions as well, so it is asked for first.
    fn of(head: &[u8]) -> Option<Self> {
        let at = |place: usize, magic: &[u8]| head.get(place..place + magic.len()) == Some(magic);
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

fn head_of(bytes: &dyn Bytes) -> io::Result<Vec<u8>> {
    let mut head = vec![0; HEAD];
    let read = bytes.read_at(0, &mut head)?;
    head.truncate(read);
    Ok(head)
}

/// Whether a tree looks like the root of an install.
fn is_root(tree: &dyn Tree) -> bool {
    ["etc/os-release", "usr/lib/os-release"].iter().any(|file| tree.exists(file))
        || (tree.is_folder("etc") && tree.is_folder("usr"))
}

fn root(tree: Box<dyn Tree>, otherwise: &str) -> Result<Source, SourceError> {
    if is_root(tree.as_ref()) {
        return Ok(Source {
            tree,
            is_medium: false,
            layers: Vec::new(),
            profile: None,
            lists: Vec::new(),
            remarks: Vec::new(),
        });
    }
    Err(SourceError::NoRoot(otherwise.to_owned()))
}

/// A file system: a root, or the folder with the image of one that some live systems keep inside another image.
fn image(tree: Arc<dyn Tree>, depth: usize) -> Result<Source, SourceError> {
    if is_root(tree.as_ref()) {
        return Ok(Source {
            tree: Box::new(tree),
            is_medium: false,
            layers: Vec::new(),
            profile: None,
            lists: Vec::new(),
            remarks: Vec::new(),
        });
    }
    medium(tree, depth)
}

/// The partition whose root is an install, with the others in the folders that its table names; what the others are is told when
/// none is a root.
fn partitions(bytes: &Arc<dyn Bytes>, depth: usize) -> Result<Source, SourceError> {
    let (mut said, mut remarks) = (Vec::new(), Vec::new());
    let mut root: Option<Arc<dyn Tree>> = None;
    let mut others: Vec<Volume> = Vec::new();
    let all = disk::partitions(bytes.as_ref());
    for (number, partition) in (1..).zip(&all) {
        match partition
            .of(bytes)
            .map_err(SourceError::from)
            .and_then(|window| volume(Arc::new(window), depth))
        {
            Ok(Found::Volume(found, remark)) if root.is_none() && is_root(found.tree.as_ref()) => {
                root = Some(found.tree);
                remarks.extend(remark);
            }
            Ok(Found::Volume(found, remark)) => {
                said.push(format!("partition {number} holds no root"));
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
            others.iter().find_map(|volume| medium(Arc::clone(&volume.tree), depth + 1).ok())
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
    Ok(Source { tree, is_medium: false, layers: Vec::new(), profile: None, lists: Vec::new(), remarks })
}

/// What a partition holds: a file system of the disk, with what should be known of it; or something with an install inside.
enum Found {
    Volume(Volume, Option<String>),
    Source(Source),
}

fn volume(bytes: Arc<dyn Bytes>, depth: usize) -> Result<Found, SourceError> {
    let head = head_of(bytes.as_ref())?;
    if !matches!(Sort::of(&head), Some(Sort::Ext4)) {
        return Source::inside(bytes, depth + 1).map(Found::Source);
    }
    let (uuid, label) = ext4::names(&head);
    let tree: Arc<dyn Tree> = Arc::new(ext4::FileSystem::open(Box::new(bytes))?);
    let remark = ext4::unclean(&head).map(|why| format!("its file system is not clean: {why}"));
    Ok(Found::Volume(Volume { tree, uuid, label }, remark))
}

/// An image on a medium: its place, and its root or layer.
type Layer = (PathBuf, Arc<dyn Tree>);

/// A medium that a system is started or installed from: the images on it are found by what they are, not by their names.
fn medium(tree: Arc<dyn Tree>, depth: usize) -> Result<Source, SourceError> {
    let mut said = Vec::new();
    let mut by_folder: BTreeMap<PathBuf, Vec<Layer>> = BTreeMap::new();
    let mut whole: Option<Source> = None;
    for path in images(tree.as_ref()) {
        let opened = tree.open(&path).map_err(|error| SourceError::Io(io::Error::other(error.to_string())));
        let opened = opened.and_then(|bytes| system_image(Arc::from(bytes), depth));
        match opened {
            Ok(System::Layer(layer)) => {
                let folder = path.parent().unwrap_or(Path::new("")).to_owned();
                by_folder.entry(folder).or_default().push((path, layer));
            }
            Ok(System::Whole(source)) => {
                let source = Source { layers: vec![path], is_medium: true, ..source };
                whole = whole.or(Some(source));
            }
            Err(error) => said.push(format!("`{}` {error}", path.display())),
        }
    }
    let stacks = by_folder.values().filter_map(|layers| stack(layers));
    let best = stacks.max_by_key(Vec::len);
    match (best, whole) {
        (Some(layers), _) => {
            let profile = (layers.len() > 1).then(|| last_word(&layers));
            Ok(layered(tree.as_ref(), layers, profile, said))
        }
        (None, Some(source)) => Ok(source),
        (None, None) if is_root(tree.as_ref()) => Ok(Source {
            tree: Box::new(tree),
            is_medium: true,
            layers: Vec::new(),
            profile: None,
            lists: Vec::new(),
            remarks: said,
        }),
        (None, None) if said.is_empty() => {
            Err(SourceError::NoRoot("there is no image of a system on it".to_owned()))
        }
        (None, None) => Err(SourceError::NoRoot(said.join("; "))),
    }
}

/// A source of layers, the lowest one first.
fn layered(medium: &dyn Tree, layers: Vec<Layer>, profile: Option<String>, remarks: Vec<String>) -> Source {
    let paths: Vec<PathBuf> = layers.iter().map(|(path, _)| path.clone()).collect();
    let lists = paths.last().map(|layer| lists_beside(medium, layer)).unwrap_or_default();
    let mut trees: Vec<Box<dyn Tree>> =
        layers.into_iter().map(|(_, tree)| Box::new(tree) as Box<dyn Tree>).collect();
    let tree = match trees.len() {
        1 => trees.remove(0),
        _ => Box::new(Layers::new(trees)),
    };
    Source { tree, is_medium: true, layers: paths, profile, lists, remarks }
}

/// Bytes that a list on a medium may have: 16 MiB.
const LIST_LIMIT: u64 = 16 << 20;

/// Lists called like the layer, or `filesystem` where it has none of its own: `minimal.manifest`, `filesystem.packages-remove`.
fn lists_beside(medium: &dyn Tree, layer: &Path) -> Vec<(PathBuf, Vec<u8>)> {
    let folder = layer.parent().unwrap_or(Path::new(""));
    let mut found = Vec::new();
    for ending in ["manifest", "packages", "manifest-remove", "packages-remove"] {
        let named = [stem(layer), "filesystem".to_owned()];
        for path in named.iter().map(|name| folder.join(format!("{name}.{ending}"))) {
            let mut content = Vec::new();
            if medium.read_into(&path, LIST_LIMIT, &mut content).is_ok() {
                found.push((path, content));
                break;
            }
        }
    }
    found
}

/// The name of an image without its ending.
fn stem(path: &Path) -> String {
    path.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default()
}

/// The last word of the name of the last layer.
fn last_word(layers: &[Layer]) -> String {
    let name = layers.last().map(|(path, _)| stem(path)).unwrap_or_default();
    name.rsplit('.').next().unwrap_or_default().to_owned()
}

/// The profiles of a medium whose layers stand on one another by their names: for each layer all that it stands on.
/// Languages and what is only for another way to start are no profiles.
fn profiles(tree: &Arc<dyn Tree>) -> Vec<(String, Vec<Layer>)> {
    let layers: Vec<Layer> = images(tree.as_ref())
        .into_iter()
        .filter_map(|path| {
            let image = Squashfs::open(tree.open(&path).ok()?).ok()?;
            Some((path, Arc::new(image) as Arc<dyn Tree>))
        })
        .collect();
    let named = |folder: &Path, name: &str| {
        layers.iter().find(|(path, _)| path.parent() == Some(folder) && stem(path) == name)
    };
    let mut found = Vec::new();
    for (path, _) in &layers {
        let (folder, name) = (path.parent().unwrap_or(Path::new("")), stem(path));
        let ends: Vec<usize> = name.match_indices('.').map(|(at, _)| at).chain([name.len()]).collect();
        let chain: Option<Vec<Layer>> =
            ends.iter().map(|end| named(folder, &name[..*end]).cloned()).collect();
        if let Some(chain) = chain.filter(|chain| is_root(chain[0].1.as_ref()))
            && (!is_aside(&name) || name.ends_with(".live"))
        {
            found.push((last_word(&chain), chain));
        }
    }
    found.sort_by_key(|(_, chain)| chain.len());
    found
}

/// Whether a layer is for a language, or for starting from the medium, and not for what is installed.
fn is_aside(name: &str) -> bool {
    name.split('.').skip(1).any(|word| ASIDE.contains(&word) || word.len() <= 3 || word.contains('_'))
}

enum System {
    /// A file system: a root, or a layer above one.
    Layer(Arc<dyn Tree>),
    /// An image that holds the image of a root.
    Whole(Source),
}

fn system_image(bytes: Arc<dyn Bytes>, depth: usize) -> Result<System, SourceError> {
    if depth > DEPTH_LIMIT {
        return Err(SourceError::Unsupported(format!("nests deeper than {DEPTH_LIMIT} images")));
    }
    let head = head_of(bytes.as_ref())?;
    let tree: Arc<dyn Tree> = match Sort::of(&head) {
        Some(Sort::Squashfs) => Arc::new(Squashfs::open(Box::new(bytes))?),
        Some(Sort::Ext4) => Arc::new(ext4::FileSystem::open(Box::new(bytes))?),
        _ => return Source::inside(bytes, depth + 1).map(System::Whole),
    };
    // The folder of an image inside an image is looked for in what has no root of its own, and is no layer either.
    if !is_root(tree.as_ref()) && !images(tree.as_ref()).is_empty() {
        return medium(tree, depth + 1).map(System::Whole);
    }
    Ok(System::Layer(tree))
}

/// Files of a medium that hold file systems, by path.
fn images(tree: &dyn Tree) -> Vec<PathBuf> {
    let mut found = Vec::new();
    let mut waiting = vec![(PathBuf::new(), 0)];
    while let Some((folder, depth)) = waiting.pop() {
        for entry in tree.names(&folder) {
            let path = folder.join(&entry.name);
            match entry.kind {
                NodeKind::Folder if depth < SEARCH_DEPTH => waiting.push((path, depth + 1)),
                NodeKind::File => {
                    let Ok(file) = tree.open(&path) else { continue };
                    let mut head = vec![0; 2048];
                    let read = file.read_at(0, &mut head).unwrap_or(0);
                    // Packages and archives lie on media as well: only file systems count.
                    let sort = Sort::of(&head[..read]);
                    if matches!(sort, Some(Sort::Squashfs | Sort::Ext4))
                        || matches!(sort, Some(Sort::Unread(what)) if what.contains("EROFS"))
                    {
                        found.push(path);
                    }
                }
                _ => {}
            }
        }
    }
    found.sort();
    found
}

/// Words in the name of a layer that is not part of what the installer puts on a disk by default.
const ASIDE: &[&str] = &["live", "installer", "no-languages", "enhanced-secureboot"];

/// The layers of a folder that make up the install: where names say what stands on what (`minimal`, `minimal.standard`), the
/// longest chain without what is only for the live session or a language; else the root, with what lies beside it in the
/// order of the names.
fn stack(layers: &[Layer]) -> Option<Vec<Layer>> {
    let stem =
        |path: &Path| path.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
    let bases: Vec<&Layer> = layers.iter().filter(|(_, tree)| is_root(tree.as_ref())).collect();
    let base = bases.iter().max_by_key(|(path, _)| std::cmp::Reverse(stem(path).split('.').count()))?;
    let base_stem = stem(&base.0);
    let above = |name: &str| name.strip_prefix(base_stem.as_str()).is_some_and(|rest| rest.starts_with('.'));
    let mut chain: Vec<Layer> = layers
        .iter()
        .filter(|(path, _)| {
            let name = stem(path);
            above(&name) && !is_aside(&name)
        })
        .cloned()
        .collect();
    chain.sort_by_key(|(path, _)| (stem(path).split('.').count(), stem(path)));
    if chain.is_empty() && bases.len() == 1 {
        // Modules beside a root, none of them a root themselves.
        let beside = layers.iter().filter(|(_, tree)| !is_root(tree.as_ref()));
        chain = beside.filter(|(path, _)| !is_aside(&stem(path))).cloned().collect();
    }
    chain.insert(0, (base.0.clone(), Arc::clone(&base.1)));
    Some(chain)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Memory;

    /// Layers of these names: those that begin with `root` hold the root of an install.
    fn layers(names: &[&str]) -> Vec<Layer> {
        let tree = |name: &str| {
            let memory = if name.contains("root") || name.starts_with("minimal") && !name.contains('.') {
                Memory::new().file("etc/os-release", "NAME=Saltmarsh\n").file("usr/x", "")
            } else {
                Memory::new().file("usr/share/more", "")
            };
            Arc::new(memory) as Arc<dyn Tree>
        };
        names.iter().map(|name| (PathBuf::from(format!("live/{name}.squashfs")), tree(name))).collect()
    }

    fn stacked(names: &[&str]) -> Option<Vec<String>> {
        stack(&layers(names)).map(|layers| layers.iter().map(|(path, _)| stem(path)).collect())
    }

    #[test]
    fn layers_stand_on_one_another_by_their_names() {
        let all = [
            "minimal",
            "minimal.de",
            "minimal.standard",
            "minimal.standard.live",
            "minimal.standard.no-languages",
        ];
        assert_eq!(stacked(&all).unwrap(), ["minimal", "minimal.standard"]);
        assert_eq!(stacked(&["minimal"]).unwrap(), ["minimal"]);
        assert_eq!(stacked(&["more", "other"]), None, "none of them is a root");
    }

    #[test]
    fn modules_beside_a_root_are_laid_over_it_in_the_order_of_their_names() {
        assert_eq!(
            stacked(&["00-root", "10-desktop", "20-programs"]).unwrap(),
            ["00-root", "10-desktop", "20-programs"]
        );
        assert_eq!(
            stacked(&["00-root", "10-root", "20-more"]).unwrap().len(),
            1,
            "of two roots one alone is taken"
        );
    }

    #[test]
    fn what_is_for_the_live_session_or_a_language_is_aside() {
        for aside in [
            "minimal.live",
            "minimal.standard.live",
            "minimal.de",
            "minimal.pt_BR",
            "minimal.enhanced-secureboot",
        ] {
            assert!(is_aside(aside), "{aside}");
        }
        for own in ["minimal", "minimal.standard", "live"] {
            assert!(!is_aside(own), "{own}");
        }
    }

    #[test]
    fn lists_are_called_like_the_layer_or_like_the_file_system() {
        let medium = Memory::new()
            .file("live/minimal.manifest", "own")
            .file("live/filesystem.manifest", "of all")
            .file("live/filesystem.packages-remove", "gone");
        let lists = lists_beside(&medium, Path::new("live/minimal.squashfs"));
        let told: Vec<(String, &[u8])> = lists
            .iter()
            .map(|(path, content)| (path.to_string_lossy().into_owned(), content.as_slice()))
            .collect();
        assert_eq!(
            told,
            [
                ("live/minimal.manifest".to_owned(), b"own".as_slice()),
                ("live/filesystem.packages-remove".to_owned(), b"gone".as_slice()),
            ]
        );
    }

    #[test]
    fn what_a_file_is_is_told_by_how_it_begins() {
        let at = |place: usize, magic: &[u8]| {
            let mut head = vec![0; HEAD];
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
