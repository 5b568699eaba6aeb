//! A root whose folders are on several file systems of one disk, put together as its own table says (fstab(5)).

use crate::disk::Partition;
use crate::path::{Step, resolve};
use crate::{Entry, MemoryTree, Node, NodeKind, ReadAt, Tree, TreeError, TreeErrorKind};
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Where the table is.
const TABLE: &str = "etc/fstab";
/// What says that a file system holds `/usr` alone.
pub(crate) const USR: &str = "lib/os-release";
/// Bytes that it may have: 1 MiB.
const TABLE_LIMIT: u64 = 1 << 20;
/// File systems that one root may have.
const MOST: usize = 32;

/// A file system on a disk, and by what a table may call it.
pub(crate) struct Volume {
    /// What it is called where it is asked for: the number of its partition, or `vg/lv`.
    pub(crate) name: String,
    /// The device's name, where it has one of its own: a logical volume's `/dev/mapper/vg-lv`.
    pub(crate) device: Option<String>,
    pub(crate) tree: Arc<dyn Tree>,
    /// In hexadecimal digits with hyphens, lower case.
    pub(crate) uuid: String,
    pub(crate) label: String,
    /// Where it is.
    pub(crate) partition: Partition,
    /// Its subvolumes, the top first; none where the file system has no such thing.
    pub(crate) subvolumes: Vec<Subvolume>,
}

/// A part of a file system that is mounted by a name of its own.
pub(crate) struct Subvolume {
    pub(crate) id: u64,
    /// Its path below the top; empty for the top itself.
    pub(crate) path: PathBuf,
    pub(crate) is_read_only: bool,
    /// Whether it is mounted where no other is named.
    pub(crate) is_default: bool,
    pub(crate) tree: Arc<dyn Tree>,
}

impl Subvolume {
    /// Whether it is the one that all others are in.
    pub(crate) fn is_top(&self) -> bool {
        self.path.as_os_str().is_empty()
    }
}

/// How a table names a subvolume.
#[derive(Debug, PartialEq, Eq)]
pub(crate) enum NamedSubvolume {
    /// `subvol=`.
    Path(PathBuf),
    /// `subvolid=`.
    Id(u64),
}

impl NamedSubvolume {
    fn of(options: &str) -> Option<Self> {
        options.split(',').find_map(|option| match option.split_once('=')? {
            ("subvol", path) => Some(Self::Path(path.trim_matches('/').into())),
            ("subvolid", id) => id.parse().ok().map(Self::Id),
            _ => None,
        })
    }

    /// Whether it is this one.
    pub(crate) fn is(&self, own: &Subvolume) -> bool {
        match self {
            Self::Path(path) => own.path == *path,
            Self::Id(id) => own.id == *id,
        }
    }
}

/// A line of the table that belongs to the root, or is the root's own.
#[derive(Debug, PartialEq, Eq)]
pub(crate) struct Line {
    pub(crate) what: String,
    at: PathBuf,
    pub(crate) subvolume: Option<NamedSubvolume>,
}

impl Line {
    /// What a device is called before the number of a partition, where the root itself is called by its device: `/dev/sda` of `/dev/sda2`.
    pub(crate) fn disk_of(&self, root: &Volume) -> Option<String> {
        self.what
            .strip_suffix(&root.partition.number.to_string())
            .filter(|disk| disk.starts_with("/dev/") && !disk.ends_with(|last: char| last.is_ascii_digit()))
            .map(str::to_owned)
    }
}

/// What the table of a tree says of its root.
pub(crate) fn root_line(tree: &dyn Tree) -> Option<Line> {
    table(tree).0
}

/// Puts the other volumes where the root's table has them. Returns what the table asks for and no volume is, as sentences.
pub(crate) fn mount_by_fstab(
    root: Arc<dyn Tree>,
    own: &Volume,
    volumes: &[Volume],
) -> (Box<dyn Tree>, Vec<String>) {
    let (mut mounts, mut remarks) = (Vec::new(), Vec::new());
    let (of_root, lines) = table(root.as_ref());
    let disk = of_root.and_then(|line| line.disk_of(own));
    for line in lines {
        match volumes
            .iter()
            .find(|volume| volume.is(&line.what, disk.as_deref()))
            .and_then(|volume| volume.mounted(&line))
        {
            Some(tree) => mounts.push((line.at, tree)),
            None => remarks.push(format!(
                "`/{}` is on another file system (`{}`), which was not found on the disk or can't be read",
                line.at.display(),
                line.what
            )),
        }
    }
    if mounts.is_empty() {
        return (Box::new(root), remarks);
    }
    // The deepest one first: it decides.
    mounts.sort_by_key(|(at, _)| std::cmp::Reverse(at.iter().count()));
    (Box::new(Mounts { root, mounts }), remarks)
}

impl Volume {
    /// Whether a table means this one: by the names of the file system or the partition, or the links that udev makes by them;
    /// or by the number of the partition on the disk.
    pub(crate) fn is(&self, what: &str, disk: Option<&str>) -> bool {
        let named = |ways: [&str; 2], name: &str| {
            !name.is_empty()
                && ways
                    .iter()
                    .any(|way| what.strip_prefix(way).is_some_and(|told| told.eq_ignore_ascii_case(name)))
        };
        named(["UUID=", "/dev/disk/by-uuid/"], &self.uuid)
            || named(["LABEL=", "/dev/disk/by-label/"], &self.label)
            || named(["PARTUUID=", "/dev/disk/by-partuuid/"], &self.partition.uuid)
            || named(["PARTLABEL=", "/dev/disk/by-partlabel/"], &self.partition.label)
            || self.device.as_deref() == Some(what)
            || (self.device.is_some() && what.strip_prefix("/dev/") == Some(self.name.as_str()))
            || disk
                .and_then(|disk| what.strip_prefix(disk))
                .is_some_and(|number| number == self.partition.number.to_string())
    }

    /// What a line mounts of it.
    fn mounted(&self, line: &Line) -> Option<Arc<dyn Tree>> {
        if self.subvolumes.is_empty() {
            return Some(Arc::clone(&self.tree));
        }
        let is = |own: &&Subvolume| line.subvolume.as_ref().map_or(own.is_default, |named| named.is(own));
        self.subvolumes.iter().find(is).map(|own| Arc::clone(&own.tree))
    }
}

/// The root of an image that is swapped as a whole, of which `/usr` alone is a partition: what is elsewhere is made when it starts.
pub(crate) fn usr_alone(usr: Arc<dyn Tree>) -> Arc<dyn Tree> {
    let merged = ["bin", "sbin", "lib", "lib64"].into_iter().filter(|name| usr.exists(name));
    let root =
        merged.fold(MemoryTree::new().folder("usr"), |root, name| root.link(name, format!("usr/{name}")));
    let root = root.link("etc/os-release", "../usr/lib/os-release");
    Arc::new(Mounts { root: Arc::new(root), mounts: vec![(PathBuf::from("usr"), usr)] })
}

/// The root's own line, and lines of the table for folders that readers look into; swap, what is made of memory, and what
/// is elsewhere are none.
fn table(root: &dyn Tree) -> (Option<Line>, Vec<Line>) {
    const READ: &[&str] = &["usr", "var", "opt", "home", "etc", "boot", "srv", "root", "nix", "gnu"];
    let mut content = Vec::new();
    if root.read_into(Path::new(TABLE), TABLE_LIMIT, &mut content).is_err() {
        return (None, Vec::new());
    }
    let mut of_root = None;
    let mut lines: Vec<Line> = Vec::new();
    for line in content.split(|byte| *byte == b'\n') {
        let mut words = line.split(u8::is_ascii_whitespace).filter(|word| !word.is_empty());
        let (Some(what), Some(at)) = (words.next(), words.next()) else { continue };
        let sort = words.next().unwrap_or_default();
        let options = String::from_utf8_lossy(words.next().unwrap_or_default()).into_owned();
        let at = Path::new(OsStr::from_bytes(at));
        let Ok(at) = at.strip_prefix("/") else { continue };
        if what.starts_with(b"#") {
            continue;
        }
        let said = || Line {
            what: unescaped(&String::from_utf8_lossy(what)).trim_matches('"').replace("=\"", "="),
            at: at.to_owned(),
            subvolume: NamedSubvolume::of(&options),
        };
        if at.as_os_str().is_empty() {
            of_root = Some(said());
            continue;
        }
        let first = at.iter().next().and_then(OsStr::to_str).unwrap_or_default();
        let plain = at.iter().all(|name| name != "..");
        let on_disk = matches!(what, [b'U' | b'L' | b'P', ..]) || what.starts_with(b"/dev/");
        if plain && on_disk && READ.contains(&first) && !sort.starts_with(b"swap") && sort != b"vfat" {
            lines.push(said());
        }
        if lines.len() == MOST {
            break;
        }
    }
    (of_root, lines)
}

/// Blanks are in the table as `\040` and `\011`.
fn unescaped(word: &str) -> String {
    word.replace("\\040", " ").replace("\\011", "\t")
}

/// A root with other file systems in some of its folders.
struct Mounts {
    root: Arc<dyn Tree>,
    /// The deepest one first.
    mounts: Vec<(PathBuf, Arc<dyn Tree>)>,
}

impl Mounts {
    /// The file system that has a path without links, and the path in it.
    fn holder<'p>(&self, clean: &'p Path) -> (&dyn Tree, &'p Path) {
        let mounted =
            self.mounts.iter().find_map(|(at, tree)| Some((tree.as_ref(), clean.strip_prefix(at).ok()?)));
        mounted.unwrap_or((self.root.as_ref(), clean))
    }

    /// A path without links, those at its end followed where that is asked.
    fn clean(&self, path: &Path, follow_last: bool) -> Result<PathBuf, TreeError> {
        resolve(path, follow_last, |clean| {
            let (tree, inside) = self.holder(clean);
            Ok(match tree.node(inside, false) {
                Err(error) if error.is_missing() => Step::Missing,
                other => match other?.kind {
                    NodeKind::Folder => Step::Folder,
                    NodeKind::Link => Step::Link(tree.read_link(inside)?),
                    _ => Step::Leaf,
                },
            })
        })
    }
}

impl Tree for Mounts {
    fn node(&self, path: &Path, follow_last: bool) -> Result<Node, TreeError> {
        let clean = self.clean(path, follow_last)?;
        let (tree, inside) = self.holder(&clean);
        tree.node(inside, false)
    }

    fn list(&self, path: &Path) -> Result<Vec<Entry>, TreeError> {
        let clean = self.clean(path, true)?;
        let (tree, inside) = self.holder(&clean);
        tree.list(inside)
    }

    fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), TreeError> {
        let clean = self.clean(path, true)?;
        let (tree, inside) = self.holder(&clean);
        tree.read_into(inside, limit, buffer)
    }

    fn open(&self, path: &Path) -> Result<Box<dyn ReadAt>, TreeError> {
        let clean = self.clean(path, true)?;
        let (tree, inside) = self.holder(&clean);
        tree.open(inside)
    }

    fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError> {
        let clean = self.clean(path, false)?;
        let (tree, inside) = self.holder(&clean);
        match tree.node(inside, false)?.kind {
            NodeKind::Link => tree.read_link(inside),
            _ => Err(TreeError::new(path, TreeErrorKind::NotALink)),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const FSTAB: &str = "# <what> <where>\nUUID=ROOT / ext4 defaults 0 1\nUUID=0a-1b /var ext4 defaults 0 2\n\
        LABEL=programs /usr ext4 ro 0 2\n/dev/disk/by-uuid/77 /var/log ext4 defaults 0 2\nUUID=gone /home ext4 defaults 0 2\n\
        UUID=22 none swap sw 0 0\nUUID=AB /boot/efi vfat umask=77 0 1\nhost:/x /srv nfs defaults 0 0\ntmpfs /var/tmp tmpfs size=1 0 0\n\
        /dev/sdb1 /../etc ext4 defaults 0 0\nbroken\n";

    fn volume(tree: MemoryTree, uuid: &str, label: &str) -> Volume {
        Volume {
            name: String::new(),
            device: None,
            tree: Arc::new(tree),
            uuid: uuid.into(),
            label: label.into(),
            partition: Partition::default(),
            subvolumes: Vec::new(),
        }
    }

    #[allow(clippy::needless_pass_by_value, reason = "volumes of tests are made where they are used")]
    fn mount_by_fstab(root: Volume, others: &[Volume]) -> (Box<dyn Tree>, Vec<String>) {
        super::mount_by_fstab(Arc::clone(&root.tree), &root, others)
    }

    fn put() -> (Box<dyn Tree>, Vec<String>) {
        let root = MemoryTree::new()
            .file("etc/fstab", FSTAB)
            .file("var/lib/hidden", "below a mount")
            .file("usr/hidden", "below a mount")
            .link("bin", "usr/bin")
            .link("etc/os-release", "../usr/lib/os-release");
        let usr = MemoryTree::new()
            .file("lib/os-release", "NAME=Saltmarsh\n")
            .file("bin/tool", "x")
            .link("lib/back", "/var/log/system")
            .link("up", "../../../etc/fstab");
        let var = MemoryTree::new().file("lib/dpkg/status", "s").file("log/hidden", "below a mount");
        let others = [
            volume(usr, "99", "programs"),
            volume(var, "0A-1B", ""),
            volume(MemoryTree::new().file("system", "line\n"), "77", "log"),
        ];
        mount_by_fstab(volume(root, "ROOT", ""), &others)
    }

    #[test]
    fn folders_are_where_the_table_has_them() {
        let (tree, remarks) = put();
        let tree = tree.as_ref();
        for (path, content) in [
            ("etc/os-release", "NAME=Saltmarsh\n"),
            ("bin/tool", "x"),
            ("var/lib/dpkg/status", "s"),
            ("usr/lib/back", "line\n"),
            ("var/log/../lib/dpkg/status", "s"),
        ] {
            assert_eq!(tree.read(path).unwrap(), content.as_bytes(), "{path}");
        }
        assert!(
            !tree.exists("var/lib/hidden") && !tree.exists("usr/hidden") && !tree.exists("var/log/hidden")
        );
        assert_eq!(
            tree.read("usr/up").unwrap(),
            FSTAB.as_bytes(),
            "`..` leaves the volume, and stops at the root"
        );
        let names = |path: &str| {
            tree.names(path).into_iter().map(|entry| entry.name.into_string().unwrap()).collect::<Vec<_>>()
        };
        assert_eq!(
            (names("var"), names("var/log")),
            (vec!["lib".into(), "log".into()], vec!["system".to_owned()])
        );
        assert_eq!(tree.read_link(Path::new("usr/lib/back")).unwrap(), Path::new("/var/log/system"));
        assert!(matches!(tree.read_link(Path::new("usr")).unwrap_err().why, TreeErrorKind::NotALink));
        assert_eq!(tree.open(Path::new("bin/tool")).unwrap().len(), 1);
        assert_eq!(
            remarks,
            [
                "`/home` is on another file system (`UUID=gone`), which was not found on the disk or can't be read"
            ]
        );
    }

    #[test]
    fn a_root_that_is_all_in_one_stays_as_it_is() {
        let root = MemoryTree::new().file("etc/fstab", "UUID=1 / ext4 defaults 0 1\n").file("var/lib/x", "x");
        let (tree, remarks) = mount_by_fstab(volume(root, "1", ""), &[volume(MemoryTree::new(), "2", "var")]);
        assert_eq!((tree.read("var/lib/x").unwrap(), remarks), (b"x".to_vec(), Vec::<String>::new()));
        let none = mount_by_fstab(volume(MemoryTree::new().file("etc/x", ""), "", ""), &[]);
        assert!(none.1.is_empty() && none.0.exists("etc/x"));
    }

    #[test]
    fn names_of_volumes_are_compared_as_they_are_written() {
        let one = volume(MemoryTree::new(), "0a-1b", "data");
        let is = |what| one.is(what, None);
        assert!(is("UUID=0A-1B") && is("/dev/disk/by-label/data"));
        assert!(!is("UUID=0a") && !is("LABEL=") && !volume(MemoryTree::new(), "", "").is("UUID=", None));
    }

    #[test]
    fn partitions_are_found_by_what_their_table_calls_them() {
        let on = |number: u32, tree: MemoryTree| Volume {
            partition: Partition {
                number,
                uuid: format!("2b1c0d5e-0{number}"),
                label: format!("part {number}"),
                ..Partition::default()
            },
            ..volume(tree, "", "")
        };
        let reads = |fstab: &str| {
            let root = MemoryTree::new().file("etc/fstab", fstab).file("var/hidden", "");
            let others =
                [on(1, MemoryTree::new().file("own", "1")), on(12, MemoryTree::new().file("own", "12"))];
            let (tree, remarks) = mount_by_fstab(on(2, root), &others);
            (tree.read("var/own").map(|own| String::from_utf8(own).unwrap()).ok(), remarks.len())
        };
        let found = |own: &str| (Some(own.to_owned()), 0);
        assert_eq!(reads("PARTUUID=2B1C0D5E-01 /var ext4 defaults 0 2\n"), found("1"));
        assert_eq!(reads("/dev/disk/by-partuuid/2b1c0d5e-012 /var ext4 defaults 0 2\n"), found("12"));
        assert_eq!(reads("PARTLABEL=\"part\\04012\" /var ext4 defaults 0 2\n"), found("12"));
        assert_eq!(reads("/dev/sda2 / ext4 defaults 0 1\n/dev/sda12 /var ext4 defaults 0 2\n"), found("12"));
        assert_eq!(reads("/dev/nvme0n1p2 / ext4 x 0 1\n/dev/nvme0n1p1 /var ext4 x 0 2\n"), found("1"));
        for elsewhere in [
            "/dev/sda2 / ext4 x 0 1\n/dev/sdb1 /var ext4 x 0 2\n",
            "/dev/sda3 / ext4 x 0 1\n/dev/sda1 /var ext4 x 0 2\n",
            "UUID=1 / ext4 x 0 1\n/dev/sda1 /var ext4 x 0 2\n",
            "/dev/sda12 / ext4 x 0 1\n/dev/sda11 /var ext4 x 0 2\n",
        ] {
            assert_eq!(reads(elsewhere), (None, 1), "{elsewhere}");
        }
    }
}
