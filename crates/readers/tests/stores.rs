//! Stores of Nix and Guix: what a profile needs, and what only lies beside it.
#![allow(clippy::unwrap_used, reason = "tests may fail")]

mod common;

use common::taken;
use tally_core::model::{Kind, Tally};
use tally_readers::packages::{PackageReader, store::NIX};
use tally_trees::MemoryTree;

/// A database with these paths, and which of them (by their place in the list, from 1) refer to which.
fn database(folder: &str, paths: &[(&str, Option<&str>)], refers: &[(usize, usize)]) -> Vec<u8> {
    let place = tempfile::tempdir().unwrap();
    let file = place.path().join("db.sqlite");
    let made = rusqlite::Connection::open(&file).unwrap();
    made.execute_batch(
        "BEGIN; CREATE TABLE ValidPaths (id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL, path TEXT UNIQUE NOT NULL, hash TEXT NOT NULL, \
         registrationTime INTEGER NOT NULL, deriver TEXT, narSize INTEGER, ultimate INTEGER, sigs TEXT, ca TEXT); \
         CREATE TABLE Refs (referrer INTEGER NOT NULL, reference INTEGER NOT NULL, PRIMARY KEY (referrer, reference));",
    )
    .unwrap();
    for (number, (name, deriver)) in paths.iter().enumerate() {
        let deriver = deriver.map(|name| format!("/{folder}/zzzz-{name}.drv"));
        let sql = "INSERT INTO ValidPaths (path, hash, registrationTime, deriver, narSize) VALUES (?1, '', 1, ?2, ?3)";
        let path = format!("/{folder}/{number:04}-{name}");
        made.execute(sql, rusqlite::params![path, deriver, number as i64 * 100]).unwrap();
    }
    for (from, to) in refers {
        made.execute("INSERT INTO Refs VALUES (?1, ?2)", [*from as i64, *to as i64]).unwrap();
    }
    made.execute_batch("COMMIT;").unwrap();
    drop(made);
    std::fs::read(&file).unwrap()
}

fn told(tally: &Tally) -> Vec<String> {
    let needs = |package: &tally_core::model::Package| {
        package.depends.iter().flatten().map(|need| need.name.to_string()).collect::<Vec<_>>().join("+")
    };
    let one = |package: &tally_core::model::Package| {
        format!(
            "{} {} {} {:?} <{}>",
            package.name,
            package.version,
            package.installed_bytes.unwrap(),
            package.reason,
            needs(package)
        )
    };
    tally.packages.iter().map(one).collect()
}

const PATHS: &[(&str, Option<&str>)] = &[
    ("nixos-system-marsh-5.0", None),
    ("system-path", None),
    ("inkcap-2.1", Some("inkcap-2.1")),
    ("wrap-hook", None),
    ("weir-3.0-bin", Some("weir-3.0")),
    ("weir-3.0", Some("weir-3.0")),
    ("linux-6.6.32", None),
    ("old-inkcap-1.0", None),
    ("inkcap-2.1.drv", None),
];
const REFERS: &[(usize, usize)] =
    &[(1, 2), (1, 7), (2, 3), (2, 5), (3, 4), (4, 6), (4, 3), (5, 6), (6, 6), (8, 6), (3, 9)];

#[test]
fn what_the_system_needs_is_its_packages_and_what_lies_beside_is_not() {
    let profile = "nix/var/nix/profiles";
    let launcher = "[Desktop Entry]\nType=Application\nName=Inkcap\nExec=inkcap\nCategories=Utility;\n";
    let tree = MemoryTree::new()
        .file("nix/var/nix/db/db.sqlite", database("nix/store", PATHS, REFERS))
        .link(format!("{profile}/system"), "system-7-link")
        .link(format!("{profile}/system-7-link"), "/nix/store/0000-nixos-system-marsh-5.0")
        .link("nix/store/0000-nixos-system-marsh-5.0/sw", "/nix/store/0001-system-path")
        .link("nix/store/0000-nixos-system-marsh-5.0/etc", "/nix/store/0010-etc")
        .file("nix/store/0010-etc/os-release", "ID=saltmarsh\nNAME=Saltmarsh\n")
        .link(
            "nix/store/0001-system-path/share/applications",
            "/nix/store/0002-inkcap-2.1/share/applications",
        )
        .link("nix/store/0001-system-path/bin/inkcap", "/nix/store/0002-inkcap-2.1/bin/inkcap")
        .file("nix/store/0002-inkcap-2.1/share/applications/inkcap.desktop", launcher)
        .file("nix/store/0002-inkcap-2.1/bin/inkcap", "")
        .file("nix/store/0006-linux-6.6.32/lib/modules/6.6.32/kernel/x.ko", "")
        .file("root/.nix-channels", "https://channels.saltmarsh.example/5.0 marsh\n");
    let tally = taken(&tree, None);
    assert_eq!(
        told(&tally),
        [
            "inkcap 2.1 200 Explicit <weir>",
            "linux 6.6.32 600 Dependency <>",
            "weir 3.0 500 Dependency <>",
            "weir-bin 3.0 400 Explicit <weir>",
        ]
    );
    assert_eq!(tally.packages[3].source.as_deref(), Some("weir"));
    assert_eq!(tally.packages[1].kind, Kind::Kernel);
    assert_eq!((tally.label.distro.as_str(), tally.repositories[0].name.as_str()), ("Saltmarsh", "marsh"));
    let [launcher] = &tally.launchers[..] else { panic!("{:?}", tally.launchers) };
    assert_eq!(
        (launcher.package.as_ref().unwrap().as_str(), launcher.version.as_deref()),
        ("nix:inkcap", Some("2.1"))
    );
    assert_eq!(launcher.evidence.file, "nix/var/nix/profiles/system/sw/share/applications/inkcap.desktop");
}

#[test]
fn a_guix_profile_is_read_alike_and_a_store_without_a_profile_is_none() {
    let guix = |tree: MemoryTree| {
        tree.file("var/guix/db/db.sqlite", database("gnu/store", &PATHS[1..], &[(1, 2), (2, 5)]))
    };
    let profile = MemoryTree::new()
        .file("etc/os-release", "ID=saltmarsh\nNAME=Saltmarsh\n")
        .link("var/guix/profiles/system", "/gnu/store/0000-system-path");
    let tally = taken(&guix(profile), None);
    assert_eq!(told(&tally), ["inkcap 2.1 100 Explicit <weir>", "weir 3.0 400 Dependency <>"]);
    assert!(tally.packages.iter().all(|package| package.reference().as_str().starts_with("guix:")));
    let none = taken(&guix(MemoryTree::new().file("etc/os-release", "ID=saltmarsh\nNAME=Saltmarsh\n")), None);
    assert!(none.packages.is_empty());
}

#[test]
fn a_profile_that_the_database_does_not_know_and_one_that_leads_in_circles_are_told() {
    let at = |target: &str| {
        let tree = MemoryTree::new()
            .file("nix/var/nix/db/db.sqlite", database("nix/store", PATHS, REFERS))
            .link("nix/var/nix/profiles/system", target);
        (NIX.detect(&tree), NIX.read(&tree))
    };
    let (known, unknown) = at("/nix/store/gone-system-1.0");
    assert!(known && unknown.unread[0].why.contains("gone-system-1.0"), "{:?}", unknown.unread);
    let (known, none) = at("system");
    assert!(!known && none.packages.is_empty());
}

#[test]
fn names_of_no_package_in_long_chains_are_followed_within_a_limit() {
    let mut paths = vec![("sys-1".to_owned(), None), ("system-path".to_owned(), None)];
    let mut refers = vec![(1, 2)];
    let (packages, hooks) = (300, 300);
    for number in 0..packages {
        paths.push((format!("reed{number}-1"), None));
        refers.push((2, paths.len()));
        refers.push((paths.len(), packages + 3));
    }
    for number in 0..hooks {
        paths.push((format!("hook-{}", "x".repeat(number % 7 + 1)), None));
        if number > 0 {
            refers.push((paths.len() - 1, paths.len()));
        }
    }
    paths.push(("weir-1".to_owned(), None));
    refers.push((paths.len() - 1, paths.len()));
    let listed: Vec<(&str, Option<&str>)> = paths.iter().map(|(name, none)| (name.as_str(), *none)).collect();
    let tree = MemoryTree::new()
        .file("etc/os-release", "ID=saltmarsh\nNAME=Saltmarsh\n")
        .file("nix/var/nix/db/db.sqlite", database("nix/store", &listed, &refers))
        .link("nix/var/nix/profiles/system", "/nix/store/0000-sys-1");
    let tally = taken(&tree, None);
    assert_eq!(tally.packages.len(), packages + 1);
    assert!(tally.packages.iter().all(|package| package.name == "weir" || package.depends.len() == 1));
}
