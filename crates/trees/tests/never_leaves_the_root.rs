//! Random trees of folders, files and links: a folder on disk and the same tree in memory answer alike, and neither
//! ever reads what lies beside the root.

#![allow(clippy::unwrap_used, reason = "helpers of tests fail as tests do")]

use proptest::prelude::*;
use std::path::{Path, PathBuf};
use tally_trees::{Folder, MemoryTree, Tree};

#[derive(Debug, Clone)]
enum Thing {
    File,
    Folder,
    Link(String),
}

fn name() -> impl Strategy<Value = String> {
    prop::sample::select(vec!["a", "b", "c"]).prop_map(str::to_owned)
}

fn path() -> impl Strategy<Value = String> {
    let part = prop_oneof![4 => name(), 2 => Just("..".to_owned()), 1 => Just(".".to_owned()), 1 => Just("secret".to_owned())];
    (any::<bool>(), prop::collection::vec(part, 1..5)).prop_map(|(absolute, parts)| {
        let joined = parts.join("/");
        if absolute { format!("/{joined}") } else { joined }
    })
}

fn thing() -> impl Strategy<Value = Thing> {
    prop_oneof![2 => Just(Thing::File), 1 => Just(Thing::Folder), 3 => path().prop_map(Thing::Link)]
}

/// Puts a thing in both trees, if its place is free in both.
fn place(root: &Path, memory: MemoryTree, at: &Path, thing: &Thing) -> MemoryTree {
    let parent = at.parent().unwrap_or(Path::new(""));
    let real = root.join(at);
    let plain = parent.ancestors().all(|above| root.join(above).symlink_metadata().is_ok_and(|m| m.is_dir()));
    if !plain || real.symlink_metadata().is_ok() {
        return memory;
    }
    match thing {
        Thing::File => {
            std::fs::write(&real, "inside").unwrap();
            memory.file(at, "inside")
        }
        Thing::Folder => {
            std::fs::create_dir(&real).unwrap();
            memory.folder(at)
        }
        Thing::Link(target) => {
            std::os::unix::fs::symlink(target, &real).unwrap();
            memory.link(at, target)
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(128))]
    #[test]
    fn disk_and_memory_agree(
        things in prop::collection::vec((prop::collection::vec(name(), 1..4), thing()), 0..14),
        asked in prop::collection::vec(path(), 1..8),
    ) {
        let dir = tempfile::tempdir().unwrap();
        std::fs::write(dir.path().join("secret"), "outside").unwrap();
        let root = dir.path().join("root");
        std::fs::create_dir(&root).unwrap();
        let mut memory = MemoryTree::new();
        for (at, thing) in &things {
            memory = place(&root, memory, &at.iter().collect::<PathBuf>(), thing);
        }
        let folder = Folder::open(&root).unwrap();
        let (disk, memory): (&dyn Tree, &dyn Tree) = (&folder, &memory);
        for path in &asked {
            let (a, b) = (disk.read(path), memory.read(path));
            prop_assert_eq!(a.as_ref().ok(), b.as_ref().ok(), "{}: {:?} against {:?}", path, a, b);
            prop_assert!(a.is_err() || a.is_ok_and(|content| content == b"inside"), "{} led outside", path);
            let (a, b) = (disk.list(Path::new(path)), memory.list(Path::new(path)));
            prop_assert_eq!(a.as_ref().ok(), b.as_ref().ok(), "{}", path);
            let (a, b) = (disk.node(Path::new(path), false), memory.node(Path::new(path), false));
            prop_assert_eq!(a.ok().map(|n| n.kind), b.ok().map(|n| n.kind), "{}", path);
        }
    }
}
