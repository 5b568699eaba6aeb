//! Random folders packed as archives, and the archives packed in turn: what comes out is what went in.
#![allow(clippy::unwrap_used, reason = "helpers of tests fail as tests do")]

use proptest::prelude::*;
use std::collections::BTreeMap;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use tally_trees::{MemoryTree, ReadAt, Source, Tree};

#[derive(Debug, Clone)]
enum Thing {
    File(Vec<u8>),
    Folder,
    Link(String),
    /// Another name of an earlier file, by its number.
    HardLink(usize),
}

/// How names are written in an archive.
#[derive(Debug, Clone, Copy)]
struct Manner {
    /// Before each name: nothing, or `./`.
    before: &'static str,
    /// Whether folders have entries of their own, or are only told by what is in them.
    folders: bool,
    packed: Packed,
}

#[derive(Debug, Clone, Copy)]
enum Packed {
    Not,
    Gzip,
    Xz,
    Bzip2,
    Lz4,
}

fn name() -> impl Strategy<Value = String> {
    // Longer than the 100 bytes of an old header, alone or in a folder of its like.
    let long = "a name that goes on and on, as the pictures of some photographers have it, ".repeat(2);
    prop_oneof![6 => "[a-c]", 1 => "[ü𝄞 '\\\\-]{1,3}", 1 => Just(long.trim().to_owned())]
}

fn thing() -> impl Strategy<Value = Thing> {
    prop_oneof![
        4 => prop::collection::vec(any::<u8>(), 0..1200).prop_map(Thing::File),
        2 => Just(Thing::Folder),
        2 => prop::collection::vec(name(), 1..3).prop_map(|names| Thing::Link(format!("/{}", names.join("/")))),
        1 => (0_usize..4).prop_map(Thing::HardLink),
    ]
}

fn manner() -> impl Strategy<Value = Manner> {
    let packed =
        prop::sample::select(vec![Packed::Not, Packed::Gzip, Packed::Xz, Packed::Bzip2, Packed::Lz4]);
    (prop::sample::select(vec!["", "./"]), any::<bool>(), packed)
        .prop_map(|(before, folders, packed)| Manner { before, folders, packed })
}

/// What has room: each name once, nothing below a file, and hard links to files that are there.
fn tidy(things: &[(Vec<String>, Thing)]) -> BTreeMap<PathBuf, Thing> {
    let mut tidied: BTreeMap<PathBuf, Thing> = BTreeMap::new();
    for (names, thing) in things {
        let path: PathBuf = names.iter().collect();
        let is_folder = |path: &Path| matches!(tidied.get(path), None | Some(Thing::Folder));
        if path.ancestors().skip(1).all(is_folder) && !tidied.keys().any(|other| other.starts_with(&path)) {
            for above in path.ancestors().skip(1).filter(|above| !above.as_os_str().is_empty()) {
                tidied.entry(above.to_owned()).or_insert(Thing::Folder);
            }
            tidied.insert(path, thing.clone());
        }
    }
    tidied
}

fn pack(things: &BTreeMap<PathBuf, Thing>, manner: Manner) -> (Vec<u8>, MemoryTree) {
    let mut archive = tar::Builder::new(Vec::new());
    // A root has more than one folder: a single one would be taken for the folder that the root was packed in.
    let mut memory = MemoryTree::new().folder("etc").folder("usr");
    let mut files: Vec<(PathBuf, Vec<u8>)> = Vec::new();
    let mut add = |path: &Path, kind: tar::EntryType, content: &[u8], target: Option<&Path>| {
        let mut header = tar::Header::new_gnu();
        header.set_entry_type(kind);
        header.set_mode(0o644);
        header.set_mtime(1_900_000_000);
        header.set_size(content.len() as u64);
        let name = Path::new(manner.before).join(path);
        match target {
            Some(target) => archive.append_link(&mut header, name, target).unwrap(),
            None => archive.append_data(&mut header, name, content).unwrap(),
        }
    };
    for path in ["etc", "usr"] {
        add(Path::new(path), tar::EntryType::Directory, b"", None);
    }
    for (path, thing) in things {
        match thing {
            Thing::File(content) => {
                add(path, tar::EntryType::Regular, content, None);
                files.push((path.clone(), content.clone()));
                memory = memory.file(path, content.clone());
            }
            Thing::Folder => {
                let empty = !things.keys().any(|other| other != path && other.starts_with(path));
                if manner.folders || empty {
                    add(path, tar::EntryType::Directory, b"", None);
                }
                memory = memory.folder(path);
            }
            Thing::Link(target) => {
                add(path, tar::EntryType::Symlink, b"", Some(Path::new(target)));
                memory = memory.link(path, target);
            }
            Thing::HardLink(number) => {
                if let Some((of, content)) = files.get(*number) {
                    add(path, tar::EntryType::Link, b"", Some(&Path::new(manner.before).join(of)));
                    memory = memory.file(path, content.clone());
                } else {
                    add(path, tar::EntryType::Regular, b"", None);
                    memory = memory.file(path, "");
                }
            }
        }
    }
    let plain = archive.into_inner().unwrap();
    let packed = match manner.packed {
        Packed::Not => plain,
        Packed::Gzip => {
            let mut packer = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
            packer.write_all(&plain).unwrap();
            packer.finish().unwrap()
        }
        Packed::Xz => {
            let mut packer = liblzma::write::XzEncoder::new(Vec::new(), 0);
            packer.write_all(&plain).unwrap();
            packer.finish().unwrap()
        }
        Packed::Bzip2 => {
            let mut packer = bzip2::write::BzEncoder::new(Vec::new(), bzip2::Compression::fast());
            packer.write_all(&plain).unwrap();
            packer.finish().unwrap()
        }
        Packed::Lz4 => {
            let mut packer = lz4_flex::frame::FrameEncoder::new(Vec::new());
            packer.write_all(&plain).unwrap();
            packer.finish().unwrap()
        }
    };
    (packed, memory)
}

fn open(bytes: Vec<u8>) -> Source {
    let bytes: Arc<[u8]> = bytes.into();
    Source::of(Arc::new(bytes) as Arc<dyn ReadAt>).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn what_was_packed_comes_out(
        things in prop::collection::vec((prop::collection::vec(name(), 1..4), thing()), 0..14),
        manner in manner(),
        asked in prop::collection::vec(prop::collection::vec(name(), 0..4), 1..8),
    ) {
        let things = tidy(&things);
        let (bytes, memory) = pack(&things, manner);
        let source = open(bytes);
        prop_assert_eq!(&source.remarks, &Vec::<String>::new());
        let (packed, plain): (&dyn Tree, &dyn Tree) = (source.tree.as_ref(), &memory);
        let asked = asked.iter().map(|names| names.iter().collect::<PathBuf>());
        for path in things.keys().cloned().chain(asked) {
            prop_assert_eq!(packed.list(&path).ok(), plain.list(&path).ok(), "{:?}", path);
            prop_assert_eq!(packed.read(&path).ok(), plain.read(&path).ok(), "{:?}", path);
            prop_assert_eq!(packed.read_link(&path).ok(), plain.read_link(&path).ok(), "{:?}", path);
            let of = |tree: &dyn Tree| tree.node(&path, false).ok().map(|node| (node.kind, node.size));
            prop_assert_eq!(of(packed), of(plain), "{:?}", path);
        }
    }
}

/// Sets the name that stands in a header as it is, which no packer would write.
fn named(header: &mut tar::Header, name: &str) {
    header.as_gnu_mut().unwrap().name[..name.len()].copy_from_slice(name.as_bytes());
}

#[test]
fn a_name_that_would_lead_out_is_left_out() {
    let mut archive = tar::Builder::new(Vec::new());
    for (name, content) in
        [("../secret", "x"), ("etc/../../secret", "x"), ("/etc/passwd", "inside"), ("usr/a", "inside")]
    {
        let mut header = tar::Header::new_gnu();
        header.set_size(content.len() as u64);
        header.set_mode(0o644);
        named(&mut header, name);
        header.set_cksum();
        archive.append(&header, content.as_bytes()).unwrap();
    }
    let source = open(archive.into_inner().unwrap());
    let tree = source.tree.as_ref();
    assert_eq!(tree.read("etc/passwd").unwrap(), b"inside", "a leading slash means the root of the archive");
    assert_eq!(tree.read("/usr/a").unwrap(), b"inside");
    assert!(!tree.exists("secret") && !tree.exists("etc/secret"));
    let names: Vec<_> = tree.names("").into_iter().map(|entry| entry.name).collect();
    assert_eq!(names, ["etc", "usr"]);
}

#[test]
fn the_root_may_have_been_packed_in_a_folder() {
    let mut archive = tar::Builder::new(Vec::new());
    for name in ["rootfs/etc/os-release", "rootfs/usr/bin/inkcap"] {
        let mut header = tar::Header::new_gnu();
        header.set_size(2);
        header.set_mode(0o644);
        archive.append_data(&mut header, name, &b"in"[..]).unwrap();
    }
    let source = open(archive.into_inner().unwrap());
    assert_eq!(source.tree.read("usr/bin/inkcap").unwrap(), b"in");
    assert!(!source.tree.exists("rootfs"));
}

#[test]
fn of_two_entries_of_one_name_the_later_one_holds() {
    let mut archive = tar::Builder::new(Vec::new());
    for (name, content) in [("etc/a", "old"), ("usr/b", "b"), ("etc/a", "newer"), ("usr/b", "")] {
        let mut header = tar::Header::new_gnu();
        header.set_size(content.len() as u64);
        header.set_mode(0o644);
        archive.append_data(&mut header, name, content.as_bytes()).unwrap();
    }
    let source = open(archive.into_inner().unwrap());
    assert_eq!(source.tree.read("etc/a").unwrap(), b"newer", "an archive that was added to");
    assert_eq!(source.tree.read("usr/b").unwrap(), b"");
    assert_eq!(source.tree.names("etc").len(), 1);
}
