//! Image-based systems: what is layered on the image is told from what the image brought.
#![allow(clippy::unwrap_used, reason = "tests may fail")]

mod common;

use common::taken;
use saltmarsh::{Family, World};
use tally_core::model::{Phase, Reason, Tally};
use tally_trees::Folder;

/// The name in a header: a count of entries, entries of 16 bytes (tag, type, offset, count), then the data.
fn name_of(blob: &[u8]) -> &[u8] {
    let number = |at: usize| u32::from_be_bytes(blob[at..at + 4].try_into().unwrap()) as usize;
    let data = 8 + 16 * number(0);
    let entry = (0..number(0)).map(|at| 8 + 16 * at).find(|at| number(*at) == 1000).unwrap();
    blob[data + number(entry + 8)..].split(|byte| *byte == 0).next().unwrap()
}

/// A made-up install of rpm packages, as a deployment of OSTree; its image lacks some packages, where it is asked for one.
fn deployment(without: Option<&str>) -> Tally {
    let folder = tempfile::tempdir().unwrap();
    let world = World::load().unwrap();
    let family = Family::from_name("rpm").unwrap();
    saltmarsh::write_install_as(&world, world.install("5.0-reedbed").unwrap(), family, folder.path())
        .unwrap();
    std::os::unix::fs::symlink("sysroot/ostree", folder.path().join("ostree")).unwrap();
    if let Some(name) = without {
        let base = folder.path().join("usr/lib/sysimage/rpm-ostree-base-db");
        std::fs::create_dir_all(&base).unwrap();
        let found = ["usr/lib/sysimage/rpm", "var/lib/rpm"]
            .iter()
            .map(|at| folder.path().join(at).join("rpmdb.sqlite"));
        let database = found.into_iter().find(|file| file.exists()).unwrap();
        let copy = base.join("rpmdb.sqlite");
        std::fs::copy(database, &copy).unwrap();
        let image = rusqlite::Connection::open(&copy).unwrap();
        let mut gone = 0;
        let rows: Vec<(i64, Vec<u8>)> = image
            .prepare("SELECT hnum, blob FROM Packages")
            .unwrap()
            .query_map([], |row| Ok((row.get(0)?, row.get(1)?)))
            .unwrap()
            .map(Result::unwrap)
            .collect();
        for (number, blob) in rows {
            if name_of(&blob) == name.as_bytes() {
                gone += image.execute("DELETE FROM Packages WHERE hnum = ?1", [number]).unwrap();
            }
        }
        assert_eq!(gone, 1, "{name} has a header of its own");
    }
    taken(&Folder::open(folder.path()).unwrap(), None)
}

#[test]
fn what_the_image_lacks_was_asked_for_and_came_later() {
    let plain = deployment(None);
    let name = plain.packages.iter().find(|package| package.name.contains("snapreed")).unwrap().name.clone();
    let layered = deployment(Some(&name));
    let explicit: Vec<_> = layered.packages.iter().filter(|one| one.reason == Reason::Explicit).collect();
    assert!(explicit.iter().any(|package| package.name == name));
    let of = |tally: &Tally| tally.packages.iter().find(|package| package.name == name).unwrap().clone();
    assert_eq!((of(&plain).phase, of(&layered).phase), (Phase::Shipped, Phase::AddedLater));
    let others = |tally: &Tally| tally.packages.iter().filter(|one| one.phase == Phase::AddedLater).count();
    assert_eq!(others(&layered), others(&plain) + 1);
}

#[test]
fn a_deployment_says_so_as_a_part() {
    let tally = deployment(None);
    let part = tally.parts.iter().find(|part| part.part == "image-updates").unwrap();
    assert_eq!((part.name.as_str(), part.evidence.file.as_str()), ("OSTree", "ostree"));
}
