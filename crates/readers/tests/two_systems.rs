//! A tree with two package systems that both know where their packages came from: neither writes into the other's.
#![allow(clippy::unwrap_used, reason = "tests may fail")]

mod common;

use common::taken;
use tally_trees::MemoryTree;

#[test]
fn origins_of_two_systems_stay_apart() {
    let stanza = |name: &str| {
        format!("Package: {name}\nStatus: install ok installed\nArchitecture: amd64\nVersion: 1-1\n\n")
    };
    let listed = |name: &str| format!("Package: {name}\nVersion: 1-1\nArchitecture: amd64\nSize: 7\n\n");
    let record = |name: &str| format!("%NAME%\n{name}\n\n%VERSION%\n2-1\n\n%ARCH%\nx86_64\n\n");
    let sync = |names: &[&str]| {
        let mut archive = tar::Builder::new(Vec::new());
        for name in names {
            let desc = format!("%NAME%\n{name}\n\n%VERSION%\n2-1\n\n%CSIZE%\n9\n\n");
            let mut header = tar::Header::new_gnu();
            header.set_size(desc.len() as u64);
            header.set_cksum();
            archive.append_data(&mut header, format!("{name}-2-1/desc"), desc.as_bytes()).unwrap();
        }
        archive.into_inner().unwrap()
    };
    let tree = MemoryTree::new()
        .file("etc/os-release", "ID=saltmarsh\nNAME=Saltmarsh\n")
        .file("var/lib/dpkg/status", ["inkcap", "libweir", "odd"].map(stanza).concat())
        .file("etc/apt/sources.list", "deb https://fen.example/fenland bittern main\n")
        .file(
            "var/lib/apt/lists/fen.example_fenland_dists_bittern_main_binary-amd64_Packages",
            ["inkcap", "libweir"].map(listed).concat(),
        )
        .file("var/lib/pacman/local/curlew-2-1/desc", record("curlew"))
        .file("var/lib/pacman/local/mine-2-1/desc", record("mine"))
        .file("etc/pacman.conf", "[reeds]\nServer = https://reeds.example/\n")
        .file("var/lib/pacman/sync/reeds.db", sync(&["curlew"]));
    let tally = taken(&tree, None);
    let told: Vec<(&str, Option<u64>, bool)> = tally
        .packages
        .iter()
        .map(|package| (package.name.as_str(), package.download_bytes, package.in_no_repository))
        .collect();
    assert_eq!(
        told,
        [
            ("inkcap", Some(7), false),
            ("libweir", Some(7), false),
            ("odd", None, true),
            ("curlew", Some(9), false),
            ("mine", None, true),
        ]
    );
    let counts: Vec<Option<u32>> = tally.repositories.iter().map(|repository| repository.packages).collect();
    assert_eq!(counts, [Some(2), Some(1)]);
}
