//! Every package system in the registry, put to the same tests: a good install, none at all, one cut off in many
//! places, and one of random bytes.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

use proptest::prelude::*;
use saltmarsh::{Family, World};
use std::path::{Path, PathBuf};
use std::sync::OnceLock;
use tally_core::model::{Label, MissingFact, Reason, System};
use tally_readers::packages::{PackageFacts, PackageReader, REGISTRY, WantedPaths};
use tally_trees::{Folder, MemoryTree, NodeKind, Tree};

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
        "nix/var",
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
fn installs(change: impl Fn(&Path, &[u8]) -> Vec<u8>) -> Vec<MemoryTree> {
    roots().iter().map(|files| install(files, &change)).collect()
}

fn install(files: &[(PathBuf, Held)], change: impl Fn(&Path, &[u8]) -> Vec<u8>) -> MemoryTree {
    files.iter().fold(MemoryTree::new(), |tree, (path, held)| match held {
        Held::Link(target) => tree.link(path, target.clone()),
        Held::File(content) if is_database(path) => tree.file(path, change(path, content)),
        Held::File(content) => tree.file(path, content.clone()),
    })
}

/// Asks a system everything that `take` asks.
fn ask(system: &dyn PackageReader, tree: &MemoryTree) -> PackageFacts {
    let tree: &dyn Tree = tree;
    let facts = system.read(tree);
    let mut wanted = WantedPaths::new(true);
    wanted.add(b"usr/share/applications/org.marsh.Inkcap.desktop");
    wanted.add(b"var/lib/flatpak/exports/share/applications/org.marsh.Pondskate.desktop");
    system.scan_file_lists(tree, &facts.packages, &wanted);
    system.repositories(tree, &facts.packages, &Label::default());
    facts
}

#[test]
fn a_good_install_is_read_whole() {
    for (number, tree) in installs(|_, content| content.to_vec()).into_iter().enumerate() {
        for system in REGISTRY.iter().filter(|system| number == 0 || system.detect(&tree)) {
            let facts = ask(*system, &tree);
            let name = system.system().name();
            assert!(system.detect(&tree), "{name}");
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
    let told = |tree: &MemoryTree, system: &dyn PackageReader| -> Vec<(String, u64, Reason, usize)> {
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
        for system in native().filter(|system| system.detect(tree)) {
            let name = format!("{} in root {number}", system.system().name());
            let found = told(tree, *system);
            assert_eq!(found.len(), expected.len(), "{name}");
            let mut expected = expected.clone();
            if matches!(system.system(), System::Nix | System::Guix) {
                // A hyphen before a digit begins the version there.
                for one in &mut expected {
                    for digit in b'0'..=b'9' {
                        let digit = char::from(digit);
                        one.0 = one.0.replace(&format!("-{digit}"), &format!("_{digit}"));
                    }
                }
                expected.sort_by(|a, b| a.0.cmp(&b.0));
            }
            let facts = system.read(tree);
            for (one, other) in found.iter().zip(&expected) {
                assert_eq!((&one.0, one.1), (&other.0, other.1), "{name}");
                if !facts.missing.contains(&MissingFact::Reasons) {
                    assert_eq!(one.2, other.2, "{name}: {}", one.0);
                }
                // What only stands for others has no path in a store.
                if matches!(system.system(), System::Nix | System::Guix) {
                    assert!(one.3 <= other.3 && one.3 + 3 >= other.3, "{name}: needs of {}", one.0);
                } else if !facts.missing.contains(&MissingFact::Dependencies) {
                    assert_eq!(one.3, other.3, "{name}: needs of {}", one.0);
                }
            }
            let local = match system.system() {
                System::FreebsdPkg => "usr/local",
                System::Nix => "nix/var/nix/profiles/system/sw",
                System::Guix => "var/guix/profiles/system/profile",
                _ => "usr",
            };
            let launcher = format!("{local}/share/applications/org.marsh.Inkcap.desktop");
            let mut wanted = WantedPaths::new(true);
            wanted.add(launcher.as_bytes());
            let owners = system.scan_file_lists(tree, &facts.packages, &wanted);
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
        assert!(!system.detect(&MemoryTree::new()));
        assert!(ask(*system, &MemoryTree::new()).packages.is_empty());
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
            for system in REGISTRY.iter().filter(|system| system.detect(&tree)) {
                let facts = ask(*system, &tree);
                // Of a text nothing tells that there was more; a database knows, and says so.
                let knows =
                    matches!(system.system(), System::Rpm | System::FreebsdPkg | System::Nix | System::Guix);
                if knows {
                    let said = facts.unread.len();
                    assert!(
                        said > 0 && facts.packages.len() < 150,
                        "{} cut after {cut} bytes: {said} said",
                        system.system()
                    );
                }
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

/// The one file of rpm's database in a further format, changed.
fn rpm_with(file: &str, change: impl Fn(&mut Vec<u8>)) -> PackageFacts {
    let files = roots().iter().find(|files| files.iter().any(|(path, _)| path.ends_with(file))).unwrap();
    let tree = install(files, |path, content| {
        let mut content = content.to_vec();
        if path.ends_with(file) {
            change(&mut content);
        }
        content
    });
    ask(&tally_readers::packages::rpm::Rpm, &tree)
}

#[test]
fn pointers_that_lead_in_circles_end() {
    const PAGE: usize = 4096;
    // Where the length of each long value stands.
    let lengths = |file: &[u8]| -> Vec<usize> {
        let all = (0..file.len() - 12).filter(|at| at % PAGE > 26 && file[*at..].starts_with(&[3, 0, 0, 0]));
        all.map(|at| at + 8).collect()
    };
    let whole = rpm_with("var/lib/rpm/Packages", |_| {}).packages.len();
    let facts = rpm_with("var/lib/rpm/Packages", |file| {
        for at in lengths(file) {
            file[at..at + 4].copy_from_slice(&(3 * PAGE as u32).to_le_bytes());
        }
        // Each page of a long value says that it is followed by itself.
        for number in 0..file.len() / PAGE {
            let page = &mut file[number * PAGE..(number + 1) * PAGE];
            if page[25] == 7 {
                page[16..20].copy_from_slice(&(number as u32).to_le_bytes());
            }
        }
    });
    assert!(
        facts.unread.iter().any(|unread| unread.why.contains("circular chain")),
        "{:?}",
        facts.unread.first()
    );
    assert!(facts.packages.len() < whole);
    let long = rpm_with("var/lib/rpm/Packages", |file| {
        for at in lengths(file) {
            file[at..at + 4].copy_from_slice(&u32::MAX.to_le_bytes());
        }
    });
    assert!(
        long.unread.iter().any(|unread| unread.why.contains("longer than the file")),
        "{:?}",
        long.unread.first()
    );
}

#[test]
fn blobs_that_overlap_are_read_once() {
    let facts = rpm_with("Packages.db", |file| {
        let first: [u8; 8] = file[32 + 8..32 + 16].try_into().unwrap();
        for slot in
            (32..4096).step_by(16).filter(|slot| file[slot + 8..slot + 12] != [0; 4]).collect::<Vec<_>>()
        {
            file[slot + 8..slot + 16].copy_from_slice(&first);
        }
    });
    assert_eq!(facts.packages.len(), 1);
    assert!(
        facts.unread.iter().any(|unread| unread.why.contains("overlaps another")),
        "{:?}",
        facts.unread.first()
    );
    let huge = rpm_with("Packages.db", |file| file[12..16].copy_from_slice(&u32::MAX.to_le_bytes()));
    assert!(huge.unread[0].why.contains("more pages than its length allows"), "{:?}", huge.unread);
    let damaged = rpm_with("Packages.db", |file| {
        let at = file.windows(5).position(|five| five == b"bash\0").unwrap();
        file[at] = b'c';
    });
    assert!(damaged.unread[0].why.contains("checksum"), "{:?}", damaged.unread);
}

#[test]
fn a_table_that_is_a_question_without_end_is_refused() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("endless");
    let endless = rusqlite::Connection::open(&path).unwrap();
    endless
        .execute_batch("CREATE VIEW Packages AS WITH RECURSIVE c(x) AS (SELECT 1 UNION ALL SELECT x FROM c) SELECT x AS hnum, x AS blob FROM c;")
        .unwrap();
    drop(endless);
    let tree = MemoryTree::new().file("var/lib/rpm/rpmdb.sqlite", std::fs::read(&path).unwrap());
    let facts = ask(&tally_readers::packages::rpm::Rpm, &tree);
    assert_eq!(facts.unread[0].why, "has no table `Packages`");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(8))]

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
            for system in REGISTRY.iter().filter(|system| system.detect(tree)) {
                ask(*system, tree);
            }
        }
    }
}
