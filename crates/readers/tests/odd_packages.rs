//! Packages as no family makes them: a kind by what is there, and `unknown` rather than a wrong one.
#![allow(clippy::unwrap_used, reason = "tests may fail")]

mod common;

use common::taken;
use std::fmt::Write;
use tally_core::model::{Kind, Tally};
use tally_trees::MemoryTree;

fn stanza(name: &str, section: &str) -> String {
    format!(
        "Package: {name}\nStatus: install ok installed\nSection: {section}\nArchitecture: amd64\nVersion: 1-1\n\n"
    )
}

fn kind(tally: &Tally, name: &str) -> Kind {
    tally.packages.iter().find(|package| package.name == name).unwrap().kind
}

#[test]
fn without_files_and_with_a_section_that_nobody_knows_nothing_is_guessed() {
    let status = ["zzodd", "weir"].map(|name| stanza(name, "marsh/odd")).concat();
    let tree = MemoryTree::new().file("etc/os-release", "ID=saltmarsh\n").file("var/lib/dpkg/status", status);
    let tally = taken(&tree, None);
    for name in ["zzodd", "weir"] {
        assert_eq!(kind(&tally, name), Kind::Unknown, "{name}");
    }
}

#[test]
fn names_of_another_family_count_for_nothing() {
    let records: String = ["pacman", "discover", "muon", "gtk3"]
        .iter()
        .map(|name| format!("P:{name}\nV:1.0-r0\nA:x86_64\nF:usr/share/doc/{name}\nR:README\n\n"))
        .collect();
    let tree =
        MemoryTree::new().file("etc/os-release", "ID=saltmarsh\n").file("lib/apk/db/installed", records);
    let tally = taken(&tree, None);
    for name in ["pacman", "muon"] {
        assert!(
            !matches!(kind(&tally, name), Kind::Game | Kind::Application),
            "{name}: {:?}",
            kind(&tally, name)
        );
    }
}

#[test]
fn a_package_of_two_hundred_thousand_files_is_read_in_one_walk() {
    let mut list = String::from("/.\n/usr\n/usr/share\n/usr/share/fonts\n/usr/share/fonts/weir\n");
    for number in 0..200_000 {
        writeln!(list, "/usr/share/fonts/weir/{}/{number}.ttf", number % 977).unwrap();
    }
    let tree = MemoryTree::new()
        .file("etc/os-release", "ID=saltmarsh\n")
        .file("var/lib/dpkg/status", stanza("weir-letters", "odd"))
        .file("var/lib/dpkg/info/weir-letters.list", list);
    let began = std::time::Instant::now();
    let tally = taken(&tree, None);
    assert_eq!(kind(&tally, "weir-letters"), Kind::Font);
    assert!(began.elapsed().as_secs() < 10, "{:?}", began.elapsed());
}
