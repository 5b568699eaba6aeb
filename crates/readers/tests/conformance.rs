//! Every package system in the registry, put to the same tests: a good install, none at all, one cut off in many
//! places, and one of random bytes.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

use proptest::prelude::*;
use saltmarsh::{Family, World};
use std::path::{Path, PathBuf};
use std::sync::OnceLock;
use tally_core::model::Label;
use tally_readers::packages::{PackageFacts, PackageSystem, REGISTRY, Wanted};
use tally_trees::{Folder, Memory, NodeKind, Tree};

/// Files of the made-up install, links kept.
enum Held {
    File(Vec<u8>),
    Link(PathBuf),
}

/// What is part of a package database, as against what packages bring.
fn is_database(path: &Path) -> bool {
    ["var/lib", "opt", "etc/apt", "etc/pacman.conf"].iter().any(|place| path.starts_with(place))
}

fn files() -> &'static [(PathBuf, Held)] {
    static FILES: OnceLock<Vec<(PathBuf, Held)>> = OnceLock::new();
    FILES.get_or_init(|| {
        let folder = tempfile::tempdir().unwrap();
        let world = World::load().unwrap();
        let install = world.install("5.0-reedbed").unwrap();
        // A root may hold several systems, and shows them all.
        saltmarsh::write_install(&world, install, folder.path()).unwrap();
        saltmarsh::write_install_as(&world, install, Family::Pacman, folder.path()).unwrap();
        let tree = Folder::open(folder.path()).unwrap();
        let mut files = Vec::new();
        let mut waiting = vec![PathBuf::new()];
        while let Some(here) = waiting.pop() {
            for entry in tree.list(&here).unwrap() {
                let path = here.join(entry.name);
                match entry.kind {
                    NodeKind::Folder => waiting.push(path),
                    NodeKind::Link => {
                        let target = tree.read_link(&path).unwrap();
                        files.push((path, Held::Link(target)));
                    }
                    _ => {
                        let content = (&tree as &dyn Tree).read(&path).unwrap();
                        files.push((path, Held::File(content)));
                    }
                }
            }
        }
        files.sort_by(|a, b| a.0.cmp(&b.0));
        files
    })
}

/// The install, each file of its databases changed by `change`.
fn install(change: impl Fn(&Path, &[u8]) -> Vec<u8>) -> Memory {
    files().iter().fold(Memory::new(), |tree, (path, held)| match held {
        Held::Link(target) => tree.link(path, target.clone()),
        Held::File(content) if is_database(path) => tree.file(path, change(path, content)),
        Held::File(content) => tree.file(path, content.clone()),
    })
}

/// Asks a system everything that `take` asks.
fn ask(system: &dyn PackageSystem, tree: &Memory) -> PackageFacts {
    let tree: &dyn Tree = tree;
    let facts = system.read(tree);
    let mut wanted = Wanted::new(true);
    wanted.add(b"usr/share/applications/org.marsh.Inkcap.desktop");
    wanted.add(b"var/lib/flatpak/exports/share/applications/org.marsh.Pondskate.desktop");
    system.survey(tree, &facts.packages, &wanted);
    system.repositories(tree, &facts.packages, &Label::default());
    facts
}

#[test]
fn a_good_install_is_read_whole() {
    let tree = install(|_, content| content.to_vec());
    for system in REGISTRY {
        let facts = ask(*system, &tree);
        let name = system.system().name();
        assert!(system.is_here(&tree), "{name}");
        assert!(!facts.packages.is_empty(), "{name}");
        assert_eq!(facts.unread, [], "{name}");
        for package in &facts.packages {
            assert_eq!(package.system, system.system());
            assert!(!package.name.is_empty() && !package.version.is_empty(), "{name}: {package:?}");
            assert!(
                (&tree as &dyn Tree).exists(package.evidence.file.as_str()),
                "{name}: {:?}",
                package.evidence
            );
        }
    }
}

#[test]
fn nothing_is_found_where_nothing_is() {
    for system in REGISTRY {
        assert!(!system.is_here(&Memory::new()));
        assert!(ask(*system, &Memory::new()).packages.is_empty());
    }
}

#[test]
fn each_system_has_a_page() {
    let docs = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/formats");
    for system in REGISTRY {
        let page = docs.join(format!("{}.md", system.page()));
        assert!(page.is_file(), "{} is missing", page.display());
    }
}

#[test]
fn a_cut_database_keeps_what_came_before() {
    for cut in [0, 1, 7, 64, 96, 200, 1000, 5000] {
        let tree = install(|_, content| content[..content.len().min(cut)].to_vec());
        for system in REGISTRY {
            ask(*system, &tree);
        }
    }
    let tree = install(|path, content| {
        let keep = if path.extension().is_some_and(|e| e == "snap") { 120 } else { content.len() };
        content[..keep.min(content.len())].to_vec()
    });
    for system in REGISTRY.iter().filter(|system| system.system().name() == "snap") {
        let facts = ask(*system, &tree);
        assert_eq!(facts.packages.len(), 3, "a cut image costs the version, not the snap");
        assert_eq!(facts.unread.len(), 3);
        assert!(facts.unread[0].why.contains("SquashFS"), "{:?}", facts.unread[0]);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn flipped_bytes_never_stop_a_reader(seed in any::<u64>(), every in 3_usize..400) {
        let tree = install(|_, content| {
            let mut content = content.to_vec();
            let mut state = seed | 1;
            for at in (0..content.len()).step_by(every) {
                state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
                content[at] ^= (state >> 33) as u8;
            }
            content
        });
        for system in REGISTRY {
            ask(*system, &tree);
        }
    }
}
