//! Which root of a disk is the install: all that could be are collected, and one is taken only where something says so.

use super::mounts::{Subvolume, USR, Volume, mount_by_fstab, root_line, usr_alone};
use super::probe::is_root;
use crate::below::Below;
use crate::{NodeKind, Tree};
use rustc_hash::FxHashMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Bytes of a boot loader's file that are looked at: 4 MiB.
const BOOT_LIMIT: u64 = 4 << 20;

/// An install on a disk, as it can be asked for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Root {
    /// By what it is asked for: the number of a partition, a logical volume as `vg/lv`, the path of a subvolume, a deployment.
    pub name: String,
    /// What it says that it is: `PRETTY_NAME` of os-release; empty where it says nothing.
    pub title: String,
    /// Bytes of the partition or volume that it is on.
    pub bytes: u64,
}

/// A root that was chosen, and why.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChosenRoot {
    /// Which it is.
    pub root: Root,
    /// Why it was taken.
    pub because: RootBecause,
    /// The others that could have been.
    pub others: Vec<Root>,
}

/// Why a root was taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RootBecause {
    /// It was asked for.
    Asked,
    /// There is no other.
    Only,
    /// The boot loader's first entry starts it.
    BootEntry,
    /// It is the default subvolume.
    DefaultSubvolume,
    /// Its own table of mounts names it as the root, and no other's does.
    OwnTable,
    /// It is called as root subvolumes are.
    UsualName,
}

/// Why no root was taken.
pub(crate) enum NoChoice {
    /// There is none.
    None,
    /// None is called as was asked.
    NoSuch(Vec<Root>),
    /// Several, and nothing says which.
    Several(Vec<Root>),
}

/// A root that could be the install.
struct Candidate<'v> {
    volume: &'v Volume,
    tree: Arc<dyn Tree>,
    /// What it may be asked for by, the shortest that tells it from others first.
    names: Vec<String>,
    subvolume: Option<&'v Subvolume>,
    /// Its path below the volume, where it is a deployment.
    deployment: Option<String>,
    /// Whether the volume holds `/usr` alone.
    is_usr: bool,
}

impl Candidate<'_> {
    fn root(&self) -> Root {
        Root {
            name: self.names.first().cloned().unwrap_or_default(),
            title: title(self.tree.as_ref()),
            bytes: self.volume.partition.length,
        }
    }

    /// Whether its own table of mounts says that it is the root.
    fn names_itself(&self) -> bool {
        let Some(line) = root_line(self.tree.as_ref()) else { return false };
        let disk = line.disk_of(self.volume);
        self.volume.is(&line.what, disk.as_deref())
            && match self.subvolume {
                Some(own) => line.subvolume.as_ref().is_some_and(|named| named.is(own)),
                None => true,
            }
    }
}

/// A root, which it is, and what should be known of it.
type Choice = (Box<dyn Tree>, ChosenRoot, Vec<String>);

/// The install of some volumes: the root, what was taken and why, and what should be known.
pub(crate) fn choose(volumes: &[Volume], asked: Option<&str>) -> Result<Choice, NoChoice> {
    let mut candidates = Vec::new();
    for volume in volumes {
        of_volume(volume, &mut candidates);
    }
    if candidates.is_empty() {
        let of_usr = volumes.iter().filter(|volume| volume.tree.exists(USR));
        candidates.extend(of_usr.map(|volume| Candidate {
            tree: usr_alone(Arc::clone(&volume.tree)),
            names: names_of(volume),
            volume,
            subvolume: None,
            deployment: None,
            is_usr: true,
        }));
    }
    unique_names(&mut candidates);
    let all = |candidates: &[Candidate<'_>]| candidates.iter().map(Candidate::root).collect::<Vec<_>>();
    let (at, because) = match (asked, candidates.len()) {
        (_, 0) => return Err(NoChoice::None),
        (Some(name), _) => {
            let plain = name.trim_start_matches('/');
            let is = |one: &Candidate<'_>| one.names.iter().any(|own| own == name || own == plain);
            let found: Vec<usize> = (0..candidates.len()).filter(|at| is(&candidates[*at])).collect();
            match found[..] {
                [at] => (at, RootBecause::Asked),
                [] => return Err(NoChoice::NoSuch(all(&candidates))),
                _ => return Err(NoChoice::Several(all(&candidates))),
            }
        }
        (None, 1) => (0, RootBecause::Only),
        (None, _) => match sure(volumes, &candidates) {
            Some(found) => found,
            None => return Err(NoChoice::Several(all(&candidates))),
        },
    };
    let mut others = all(&candidates);
    let root = others.remove(at);
    let chosen = candidates.swap_remove(at);
    let (tree, mut remarks) = mount_by_fstab(chosen.tree, chosen.volume, volumes);
    if chosen.is_usr {
        remarks.push(
            "`/usr` is all that the partition holds: what is made at the first start is not there".to_owned(),
        );
    }
    Ok((tree, ChosenRoot { root, because, others }, remarks))
}

/// The candidate that something sure speaks for.
fn sure(volumes: &[Volume], candidates: &[Candidate<'_>]) -> Option<(usize, RootBecause)> {
    let only = |is: &dyn Fn(&Candidate<'_>) -> bool| {
        let mut found = (0..candidates.len()).filter(|at| is(&candidates[*at]));
        found.next().filter(|_| found.next().is_none())
    };
    if let Some(entry) = boot_entry(volumes, candidates)
        && let Some(at) = only(&|one| entry.starts(one))
    {
        return Some((at, RootBecause::BootEntry));
    }
    // Of one file system with several the one that is meant by it; others only where they lie elsewhere.
    let of_subvolumes: Vec<&Candidate<'_>> =
        candidates.iter().filter(|one| one.subvolume.is_some()).collect();
    let one_file_system = of_subvolumes.len() == candidates.len()
        && of_subvolumes.windows(2).all(|two| std::ptr::eq(two[0].volume, two[1].volume));
    if one_file_system {
        let subvolume = |one: &Candidate<'_>, is: &dyn Fn(&Subvolume) -> bool| one.subvolume.is_some_and(is);
        if let Some(at) = only(&|one| subvolume(one, &|own| own.is_default && !own.is_top())) {
            return Some((at, RootBecause::DefaultSubvolume));
        }
        if let Some(at) = only(&|one| one.names_itself()) {
            return Some((at, RootBecause::OwnTable));
        }
        for usual in ["@", "@rootfs", "root", ""] {
            if let Some(at) = only(&|one| subvolume(one, &|own| own.path == Path::new(usual))) {
                return Some((at, RootBecause::UsualName));
            }
        }
        return None;
    }
    only(&|one| one.names_itself()).map(|at| (at, RootBecause::OwnTable))
}

/// What a volume may be asked for by: its number or name, and its labels.
fn names_of(volume: &Volume) -> Vec<String> {
    let labels = [&volume.label, &volume.partition.label].into_iter().filter(|label| !label.is_empty());
    std::iter::once(&volume.name).chain(labels).cloned().collect()
}

/// All roots on a volume.
fn of_volume<'v>(volume: &'v Volume, found: &mut Vec<Candidate<'v>>) {
    if volume.subvolumes.is_empty() {
        of_tree(volume, &volume.tree, names_of(volume), None, found);
    }
    for subvolume in &volume.subvolumes {
        // A snapshot is the past of another one.
        if subvolume.is_read_only && !subvolume.is_default {
            continue;
        }
        let path =
            if subvolume.is_top() { "top".to_owned() } else { subvolume.path.to_string_lossy().into_owned() };
        of_tree(
            volume,
            &subvolume.tree,
            vec![format!("{}:{path}", volume.name), path],
            Some(subvolume),
            found,
        );
    }
}

fn of_tree<'v>(
    volume: &'v Volume,
    tree: &Arc<dyn Tree>,
    names: Vec<String>,
    subvolume: Option<&'v Subvolume>,
    found: &mut Vec<Candidate<'v>>,
) {
    let mut add = |tree: Arc<dyn Tree>, names: Vec<String>, deployment: Option<String>| {
        found.push(Candidate { volume, tree, names, subvolume, deployment, is_usr: false });
    };
    let deployments = deployments(tree.as_ref());
    if is_root(tree.as_ref()) && deployments.is_empty() {
        add(Arc::clone(tree), names, None);
        return;
    }
    for (system, path) in deployments {
        let name = path.rsplit('/').next().unwrap_or_default().to_owned();
        let below = Below::new(Arc::clone(tree), PathBuf::from(&path))
            .with(PathBuf::from("var"), PathBuf::from(format!("ostree/deploy/{system}/var")));
        add(Arc::new(below), vec![name], Some(path));
    }
}

/// Deployments of OSTree in a tree: the system's name, and the path of each.
fn deployments(tree: &dyn Tree) -> Vec<(String, String)> {
    let names = |folder: &str| -> Vec<String> {
        let folders = tree.names(folder).into_iter().filter(|entry| entry.kind == NodeKind::Folder);
        folders.filter_map(|entry| entry.name.into_string().ok()).collect()
    };
    let mut found = Vec::new();
    for system in names("ostree/deploy").into_iter().take(64) {
        for deployment in names(&format!("ostree/deploy/{system}/deploy")).into_iter().take(64) {
            found.push((system.clone(), format!("ostree/deploy/{system}/deploy/{deployment}")));
        }
    }
    found
}

/// Puts the shortest name of each that no other has first: `2`, `@`, and `2:@` where another volume has one of that name.
fn unique_names(candidates: &mut [Candidate<'_>]) {
    let mut counts: FxHashMap<String, usize> = FxHashMap::default();
    for name in candidates.iter().flat_map(|one| &one.names) {
        let count = counts.entry(name.clone()).or_default();
        *count = count.saturating_add(1);
    }
    for candidate in candidates.iter_mut() {
        let is_own = |name: &String| counts.get(name) == Some(&1);
        // The name of a subvolume alone is shorter than with its volume before it.
        let shortest = match candidate.subvolume {
            Some(_) => candidate.names.iter().rposition(is_own),
            None => candidate.names.iter().position(is_own),
        };
        if let Some(shortest) = shortest {
            candidate.names.swap(0, shortest);
        }
    }
}

/// What a boot loader starts first.
#[derive(Debug, Default, PartialEq, Eq)]
struct BootEntry {
    /// `root=`, as written.
    root: String,
    /// `mount.usr=`, or `usr=` as some initial systems have it.
    usr: Option<String>,
    /// `subvol=` of `rootflags=`.
    subvolume: Option<String>,
    /// `ostree=`, and what it leads to.
    deployment: Option<String>,
}

impl BootEntry {
    /// The first words of a boot loader's file that name a root.
    fn parse(text: &str) -> Option<Self> {
        let line = text.lines().find(|line| {
            let names = ["root=", "ostree=", "mount.usr="];
            line.split_whitespace().any(|word| names.iter().any(|name| word.starts_with(name)))
        })?;
        let mut entry = Self::default();
        for word in line.split_whitespace() {
            if let Some(root) = word.strip_prefix("root=") {
                root.clone_into(&mut entry.root);
            } else if let Some(usr) = word.strip_prefix("mount.usr=").or_else(|| word.strip_prefix("usr=")) {
                entry.usr = Some(usr.to_owned());
            } else if let Some(flags) = word.strip_prefix("rootflags=") {
                entry.subvolume = flags
                    .split(',')
                    .find_map(|flag| Some(flag.strip_prefix("subvol=")?.trim_matches('/').to_owned()));
            } else if let Some(deployment) = word.strip_prefix("ostree=") {
                entry.deployment = Some(deployment.trim_start_matches('/').to_owned());
            }
        }
        Some(entry)
    }

    fn starts(&self, candidate: &Candidate<'_>) -> bool {
        if let Some(asked) = &self.deployment {
            let real = candidate.deployment.as_ref().and_then(|_| {
                let tree = candidate.subvolume.map_or(&candidate.volume.tree, |own| &own.tree);
                tree.as_ref().real_path(asked)
            });
            return real.is_some_and(|real| {
                Some(real.to_string_lossy().as_ref()) == candidate.deployment.as_deref()
            });
        }
        if candidate.is_usr {
            return self.usr.as_ref().is_some_and(|usr| candidate.volume.is(usr, None));
        }
        let is_volume = candidate.volume.is(&self.root, None);
        is_volume
            && match (&self.subvolume, candidate.subvolume) {
                (Some(named), Some(own)) => own.path == Path::new(named),
                (None, Some(own)) => own.is_default,
                (_, None) => true,
            }
    }
}

/// The first entry of the boot loader: the only one's that is found, or that all of them agree on.
fn boot_entry(volumes: &[Volume], candidates: &[Candidate<'_>]) -> Option<BootEntry> {
    let trees = volumes
        .iter()
        .map(|volume| &volume.tree)
        .chain(
            volumes
                .iter()
                .flat_map(|volume| &volume.subvolumes)
                .filter(|one| !one.is_read_only)
                .map(|one| &one.tree),
        )
        .chain(candidates.iter().map(|one| &one.tree));
    let mut found: Vec<BootEntry> = Vec::new();
    for tree in trees {
        for entry in entries_of(tree.as_ref()) {
            if !found.contains(&entry) {
                found.push(entry);
            }
        }
    }
    if found.len() == 1 { found.pop() } else { None }
}

/// The first entry of each boot loader in a tree: the Boot Loader Specification's, and GRUB's.
fn entries_of(tree: &dyn Tree) -> Vec<BootEntry> {
    let read = |file: &str| {
        let mut content = Vec::new();
        tree.read_into(Path::new(file), BOOT_LIMIT, &mut content).ok()?;
        Some(String::from_utf8_lossy(&content).into_owned())
    };
    let mut found = Vec::new();
    for folder in ["loader", "boot/loader", "efi/loader", "boot/efi/loader"] {
        let mut names: Vec<String> = tree
            .names(format!("{folder}/entries"))
            .into_iter()
            .filter_map(|entry| entry.name.into_string().ok())
            .collect();
        // Without a default the last one by name is started, as the specification orders them.
        let default = read(&format!("{folder}/loader.conf")).and_then(|text| {
            let value = text.lines().find_map(|line| line.strip_prefix("default"))?.trim().to_owned();
            names
                .iter()
                .find(|name| **name == value || name.strip_suffix(".conf") == Some(value.as_str()))
                .cloned()
        });
        let first = default.or_else(|| names.pop());
        found.extend(first.and_then(|name| BootEntry::parse(&read(&format!("{folder}/entries/{name}"))?)));
    }
    for file in ["grub/grub.cfg", "grub2/grub.cfg", "boot/grub/grub.cfg", "boot/grub2/grub.cfg"] {
        found.extend(read(file).and_then(|text| BootEntry::parse(&text)));
    }
    found
}

/// What an install calls itself.
fn title(tree: &dyn Tree) -> String {
    let files = ["etc/os-release", "usr/lib/os-release"];
    let Some(bytes) = files.iter().find_map(|file| {
        let mut content = Vec::new();
        tree.read_into(Path::new(file), 1 << 16, &mut content).ok().map(|()| content)
    }) else {
        return String::new();
    };
    let text = String::from_utf8_lossy(&bytes).into_owned();
    let value = |key: &str| {
        let value = text.lines().find_map(|line| line.strip_prefix(key)?.strip_prefix('='))?;
        Some(value.trim().trim_matches(['"', '\'']).to_owned())
    };
    value("PRETTY_NAME").or_else(|| value("NAME")).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::MemoryTree;
    use crate::disk::Partition;

    fn volume(number: u32, tree: MemoryTree) -> Volume {
        let partition = Partition { number, length: 4096, ..Partition::default() };
        Volume {
            name: number.to_string(),
            device: None,
            tree: Arc::new(tree),
            uuid: format!("uuid-{number}"),
            label: String::new(),
            partition,
            subvolumes: Vec::new(),
        }
    }

    fn install(name: &str, of: Option<&str>) -> MemoryTree {
        let tree =
            MemoryTree::new().file("etc/os-release", format!("PRETTY_NAME=\"{name}\"\n")).folder("usr");
        match of {
            Some(what) => tree.file("etc/fstab", format!("{what} / ext4 defaults 0 1\n")),
            None => tree,
        }
    }

    fn subvolume(path: &str, id: u64, tree: MemoryTree) -> Subvolume {
        Subvolume { id, path: path.into(), is_read_only: false, is_default: false, tree: Arc::new(tree) }
    }

    fn told(volumes: &[Volume], asked: Option<&str>) -> Result<(String, RootBecause), Vec<String>> {
        match choose(volumes, asked) {
            Ok((_, chosen, _)) => Ok((chosen.root.name, chosen.because)),
            Err(NoChoice::None) => Err(Vec::new()),
            Err(NoChoice::NoSuch(roots) | NoChoice::Several(roots)) => {
                Err(roots.into_iter().map(|root| format!("{} {}", root.name, root.title)).collect())
            }
        }
    }

    #[test]
    fn one_root_is_taken_and_of_several_none_in_silence() {
        let one = [volume(1, MemoryTree::new().file("efi/x", "")), volume(2, install("Marsh", None))];
        assert_eq!(told(&one, None), Ok(("2".into(), RootBecause::Only)));
        let two = [volume(1, install("Marsh", None)), volume(2, install("Rescue", None))];
        let both = vec!["1 Marsh".to_owned(), "2 Rescue".to_owned()];
        assert_eq!(told(&two, None), Err(both.clone()));
        assert_eq!(told(&two, Some("2")), Ok(("2".into(), RootBecause::Asked)));
        assert_eq!(told(&two, Some("7")), Err(both));
        assert_eq!(told(&[], None), Err(Vec::new()));
    }

    #[test]
    fn a_boot_entry_or_the_only_own_table_decides_between_partitions() {
        let own = [volume(1, install("Marsh", Some("UUID=uuid-1"))), volume(2, install("Rescue", None))];
        assert_eq!(told(&own, None), Ok(("1".into(), RootBecause::OwnTable)));
        let both =
            [volume(1, install("A", Some("UUID=uuid-1"))), volume(2, install("B", Some("UUID=uuid-2")))];
        assert!(told(&both, None).is_err());
        let entry = "title B\nlinux /vmlinuz\noptions root=UUID=uuid-2 ro\n";
        let boot = MemoryTree::new().file("loader/entries/b.conf", entry);
        let [a, b] = both;
        assert_eq!(told(&[a, b, volume(3, boot)], None), Ok(("2".into(), RootBecause::BootEntry)));
    }

    #[test]
    fn of_subvolumes_the_default_then_the_own_table_then_the_usual_name() {
        let of =
            |subvolumes: Vec<Subvolume>| [Volume { subvolumes, ..volume(1, MemoryTree::new().folder("@")) }];
        let usual =
            || vec![subvolume("@", 256, install("Now", None)), subvolume("old", 257, install("Then", None))];
        assert_eq!(told(&of(usual()), None), Ok(("@".into(), RootBecause::UsualName)));
        let mut default = usual();
        default[1].is_default = true;
        assert_eq!(told(&of(default), None), Ok(("old".into(), RootBecause::DefaultSubvolume)));
        let mut table = usual();
        let fstab = "UUID=uuid-1 / btrfs subvol=/old,compress=zstd 0 0\n";
        table[1].tree = Arc::new(install("Then", None).file("etc/fstab", fstab));
        assert_eq!(told(&of(table), None), Ok(("old".into(), RootBecause::OwnTable)));
        let mut snapshots = usual();
        snapshots.push(Subvolume {
            is_read_only: true,
            ..subvolume("@/.snapshots/1/snapshot", 300, install("S", None))
        });
        assert_eq!(told(&of(snapshots), Some("@/.snapshots/1/snapshot")).unwrap_err().len(), 2);
        let unusual = vec![subvolume("a", 256, install("A", None)), subvolume("b", 257, install("B", None))];
        assert_eq!(told(&of(unusual), None), Err(vec!["a A".into(), "b B".into()]));
    }

    #[test]
    fn deployments_are_roots_and_the_boot_entry_names_one() {
        let deploy = "ostree/deploy/marsh/deploy";
        let tree = MemoryTree::new()
            .file(format!("{deploy}/aaa.0/usr/lib/os-release"), "PRETTY_NAME=Old\n")
            .file(format!("{deploy}/bbb.0/usr/lib/os-release"), "PRETTY_NAME=New\n")
            .file("ostree/deploy/marsh/var/lib/x", "shared")
            .link("ostree/boot.1/marsh/c0ffee/0", "../../../deploy/marsh/deploy/bbb.0");
        let two = [volume(3, tree)];
        assert_eq!(told(&two, None), Err(vec!["aaa.0 Old".into(), "bbb.0 New".into()]));
        let boot = MemoryTree::new().file(
            "loader/entries/ostree-1.conf",
            "options root=UUID=uuid-3 ostree=/ostree/boot.1/marsh/c0ffee/0 rw\n",
        );
        let [root] = two;
        let volumes = [root, volume(2, boot)];
        let Ok((tree, chosen, _)) = choose(&volumes, None) else { panic!("one is named") };
        assert_eq!((chosen.root.name.as_str(), chosen.because), ("bbb.0", RootBecause::BootEntry));
        assert_eq!(tree.read("var/lib/x").unwrap(), b"shared");
        assert_eq!(title(tree.as_ref()), "New");
    }
}
