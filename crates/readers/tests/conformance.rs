//! Every package system in the registry, put to the same tests: a good install, none at all, one cut off in many
//! places, and one of random bytes.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

use proptest::prelude::*;
use saltmarsh::{Family, World};
use std::path::{Path, PathBuf};
use std::sync::OnceLock;
use tally_core::model::{Label, MissingFact, Reason, System};
use tally_readers::packages::{PackageFacts, PackageSystem, REGISTRY, Wanted};
use tally_trees::{Folder, Memory, NodeKind, Tree};

/// Files of the made-up install, links kept.
enum Held {
    File(Vec<u8>),
    Link(PathBuf),
}

/// What is part of a package database, as against what packages bring.
fn is_database(path: &Path) -> bool {
    const PLACES: &[&str] = &[
        "var",
        "opt",
        "usr/lib/sysimage",
        "usr/lib/apk",
        "usr/share/rpm",
        "usr/share/xbps.d",
        "etc/apt",
        "etc/apk",
        "etc/pacman.conf",
        "etc/pkg",
        "etc/portage",
        "etc/slackpkg",
        "etc/yum.repos.d",
    ];
    PLACES.iter().any(|place| path.starts_with(place))
}

/// The made-up install in several roots: one that holds every family at once, and one for each further format of rpm.
fn roots() -> &'static [Vec<(PathBuf, Held)>] {
    static ROOTS: OnceLock<Vec<Vec<(PathBuf, Held)>>> = OnceLock::new();
    ROOTS.get_or_init(|| {
        let is_format = |name: &str| name.starts_with("rpm-");
        let (formats, families): (Vec<_>, Vec<_>) = Family::ALL.iter().partition(|(name, _)| is_format(name));
        let mut roots = vec![root(&families)];
        roots.extend(formats.iter().map(|format| root(&[*format])));
        roots
    })
}

/// The files of an install in some families. A root may hold several systems, and shows them all.
fn root(families: &[&(&str, Family)]) -> Vec<(PathBuf, Held)> {
    let folder = tempfile::tempdir().unwrap();
    let world = World::load().unwrap();
    let install = world.install("5.0-reedbed").unwrap();
    for (name, family) in families {
        saltmarsh::write_install_as(&world, install, *family, folder.path())
            .unwrap_or_else(|error| panic!("{name}: {error}"));
    }
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
}

/// The roots, each file of their databases changed by `change`.
fn installs(change: impl Fn(&Path, &[u8]) -> Vec<u8>) -> Vec<Memory> {
    roots().iter().map(|files| install(files, &change)).collect()
}

fn install(files: &[(PathBuf, Held)], change: impl Fn(&Path, &[u8]) -> Vec<u8>) -> Memory {
    files.iter().fold(Memory::new(), |tree, (path, held)| match held {
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
    for (number, tree) in installs(|_, content| content.to_vec()).into_iter().enumerate() {
        for system in REGISTRY.iter().filter(|system| number == 0 || system.is_here(&tree)) {
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
}

/// The same packages in every family: names, sizes, reasons, needs, and who owns a launcher.
#[test]
fn every_family_tells_the_same_story() {
    let trees = installs(|_, content| content.to_vec());
    let told = |tree: &Memory, system: &dyn PackageSystem| -> Vec<(String, u64, Reason, usize)> {
        let facts = system.read(tree);
        let mut packages: Vec<_> = facts
            .packages
            .iter()
            .filter(|package| package.is_present())
            .map(|package| {
                let bytes = package.installed_bytes.unwrap_or_default();
                (package.plain_name().to_owned(), bytes, package.reason, package.depends.len())
            })
            .collect();
        packages.sort_by(|a, b| a.0.cmp(&b.0));
        packages
    };
    let native = || REGISTRY.iter().filter(|system| !system.system().is_sandbox());
    let expected = told(&trees[0], native().next().copied().unwrap());
    assert!(expected.len() > 150);
    for (number, tree) in trees.iter().enumerate() {
        for system in native().filter(|system| system.is_here(tree)) {
            let name = format!("{} in root {number}", system.system().name());
            let found = told(tree, *system);
            assert_eq!(found.len(), expected.len(), "{name}");
            let facts = system.read(tree);
            for (one, other) in found.iter().zip(&expected) {
                assert_eq!((&one.0, one.1), (&other.0, other.1), "{name}");
                if !facts.missing.contains(&MissingFact::Reasons) {
                    assert_eq!(one.2, other.2, "{name}: {}", one.0);
                }
                if !facts.missing.contains(&MissingFact::Dependencies) {
                    assert_eq!(one.3, other.3, "{name}: needs of {}", one.0);
                }
            }
            let local = if system.system() == System::FreebsdPkg { "usr/local" } else { "usr" };
            let launcher = format!("{local}/share/applications/org.marsh.Inkcap.desktop");
            let mut wanted = Wanted::new(true);
            wanted.add(launcher.as_bytes());
            let owners = system.survey(tree, &facts.packages, &wanted);
            let owner = owners.of(&wanted, launcher.as_bytes()).map(|at| facts.packages[at].plain_name());
            assert_eq!(owner, Some("inkcap"), "{name}");
            let surveyed = owners
                .traits(facts.packages.len())
                .iter()
                .flatten()
                .filter(|shown| !shown.is_empty())
                .count();
            assert!(surveyed > 100, "{name}: {surveyed}");
            let repositories = system.repositories(tree, &facts.packages, &Label::default());
            assert!(!repositories.repositories.is_empty(), "{name}");
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
        for tree in installs(|_, content| content[..content.len().min(cut)].to_vec()) {
            for system in REGISTRY.iter().filter(|system| system.is_here(&tree)) {
                ask(*system, &tree);
            }
        }
    }
    let tree = install(&roots()[0], |path, content| {
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
        let trees = installs(|_, content| {
            let mut content = content.to_vec();
            let mut state = seed | 1;
            for at in (0..content.len()).step_by(every) {
                state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
                content[at] ^= (state >> 33) as u8;
            }
            content
        });
        for tree in &trees {
            for system in REGISTRY.iter().filter(|system| system.is_here(tree)) {
                ask(*system, tree);
            }
        }
    }
}
