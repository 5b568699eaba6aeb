//! Any past of an install, written down as its package system writes it: what was shipped is found again behind it.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

mod common;

use common::taken;
use flate2::Compression;
use flate2::write::GzEncoder;
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::io::Write as _;
use tally_core::history::{as_found, as_shipped};
use tally_core::model::{Phase, Tally};
use tally_trees::MemoryTree;

/// 2026-05-04 10:00:00 UTC, the end of the install day.
const DAY: i64 = 1_777_888_800;

/// What a person does to an install, some hours after what was done before.
#[derive(Debug, Clone)]
enum Deed {
    /// Puts in a version, over the one that is there.
    PutIn(u8, u8),
    TakeOut(u8),
    /// Takes out what is left of something, too.
    Purge(u8),
}

type Versions = BTreeMap<u8, u8>;

/// One change, with its time.
struct Change {
    at: i64,
    name: u8,
    before: Option<u8>,
    after: Option<u8>,
    purged: bool,
}

fn deeds() -> impl Strategy<Value = Vec<(Deed, i64)>> {
    let deed = prop_oneof![
        4 => (0..6_u8, 1..5_u8).prop_map(|(name, version)| Deed::PutIn(name, version)),
        2 => (0..6_u8).prop_map(Deed::TakeOut),
        1 => (0..6_u8).prop_map(Deed::Purge),
    ];
    prop::collection::vec((deed, 1..200_i64), 0..16)
}

fn shipped() -> impl Strategy<Value = Versions> {
    prop::collection::btree_map(0..6_u8, 1..5_u8, 1..6)
}

/// What the deeds come to: every change, and what is there at last.
fn lived(shipped: &Versions, deeds: &[(Deed, i64)]) -> (Vec<Change>, Versions) {
    let mut changes: Vec<Change> = Vec::new();
    // The installer wrote into the log as well.
    let mut at = DAY - 3600;
    for (name, version) in shipped {
        at += 60;
        changes.push(Change { at, name: *name, before: None, after: Some(*version), purged: false });
    }
    let (mut there, mut at) = (shipped.clone(), DAY);
    for (deed, hours) in deeds {
        at += hours * 3600;
        match deed {
            Deed::PutIn(name, version) if there.get(name) != Some(version) => {
                let before = there.insert(*name, *version);
                changes.push(Change { at, name: *name, before, after: Some(*version), purged: false });
            }
            Deed::TakeOut(name) | Deed::Purge(name) if there.contains_key(name) => {
                let before = there.remove(name);
                let purged = matches!(deed, Deed::Purge(_));
                changes.push(Change { at, name: *name, before, after: None, purged });
            }
            _ => {}
        }
    }
    (changes, there)
}

fn name(number: u8) -> String {
    format!("reed{number}")
}

fn version(number: u8) -> String {
    format!("{number}.0-1")
}

fn moment(at: i64) -> jiff::Zoned {
    jiff::Timestamp::from_second(at).unwrap().to_zoned(jiff::tz::TimeZone::UTC)
}

fn gzip(text: &str) -> Vec<u8> {
    let mut packer = GzEncoder::new(Vec::new(), Compression::fast());
    packer.write_all(text.as_bytes()).unwrap();
    packer.finish().unwrap()
}

fn marsh() -> MemoryTree {
    MemoryTree::new().file("etc/os-release", "ID=saltmarsh\nNAME=Saltmarsh\n").folder("usr/bin")
}

/// A dpkg install with its log, which was rotated at two of its lines.
fn dpkg(changes: &[Change], there: &Versions, turns: [usize; 2]) -> MemoryTree {
    let mut lines: Vec<String> = Vec::new();
    for change in changes {
        let (name, moment) = (name(change.name), moment(change.at).strftime("%Y-%m-%d %H:%M:%S").to_string());
        match (change.before, change.after) {
            (None, Some(new)) => lines.push(format!("{moment} install {name}:amd64 <none> {}", version(new))),
            (Some(old), Some(new)) => {
                lines.push(format!("{moment} upgrade {name}:amd64 {} {}", version(old), version(new)));
            }
            (Some(old), None) => {
                lines.push(format!("{moment} remove {name}:amd64 {} <none>", version(old)));
                if change.purged {
                    lines.push(format!("{moment} purge {name}:amd64 {} <none>", version(old)));
                }
            }
            (None, None) => {}
        }
        lines.push(format!("{moment} status installed {name}:amd64 x"));
    }
    let [mut first, mut second] = turns.map(|turn| turn % (lines.len() + 1));
    if first > second {
        std::mem::swap(&mut first, &mut second);
    }
    let joined = |lines: &[String]| lines.iter().map(|line| format!("{line}\n")).collect::<String>();
    let mut status = String::new();
    for (number, known) in there {
        _ = write!(
            status,
            "Package: {}\nStatus: install ok installed\nVersion: {}\nArchitecture: amd64\nDescription: x\n\n",
            name(*number),
            version(*known)
        );
    }
    // What was taken out last and not purged has left its configuration.
    let mut last: BTreeMap<u8, &Change> = BTreeMap::new();
    changes.iter().for_each(|change| _ = last.insert(change.name, change));
    for change in last.values().filter(|change| change.after.is_none() && !change.purged) {
        _ = write!(
            status,
            "Package: {}\nStatus: deinstall ok config-files\nVersion: {}\nArchitecture: amd64\nDescription: x\n\n",
            name(change.name),
            version(change.before.unwrap())
        );
    }
    marsh()
        .file("var/lib/dpkg/status", status)
        .file("var/log/dpkg.log.2.gz", gzip(&joined(&lines[..first])))
        .file("var/log/dpkg.log.1", joined(&lines[first..second]))
        .file("var/log/dpkg.log", joined(&lines[second..]))
}

fn pacman(changes: &[Change], there: &Versions) -> MemoryTree {
    let mut log = String::new();
    for change in changes {
        let moment = moment(change.at).strftime("%Y-%m-%dT%H:%M:%S%z").to_string();
        let told = match (change.before, change.after) {
            (None, Some(new)) => format!("installed {} ({})", name(change.name), version(new)),
            (Some(old), Some(new)) => {
                let action = if new > old { "upgraded" } else { "downgraded" };
                format!("{action} {} ({} -> {})", name(change.name), version(old), version(new))
            }
            (Some(old), None) => format!("removed {} ({})", name(change.name), version(old)),
            (None, None) => continue,
        };
        _ = writeln!(
            log,
            "[{moment}] [PACMAN] Running 'pacman -S x'\n[{moment}] [ALPM] transaction started\n[{moment}] [ALPM] {told}"
        );
    }
    let mut tree = marsh()
        .file("var/lib/pacman/local/ALPM_DB_VERSION", "9\n")
        .file("var/log/pacman.log", log)
        .folder("var/lib/pacman/sync");
    for (number, known) in there {
        let (name, version) = (name(*number), version(*known));
        let at = changes.iter().rev().find(|change| change.name == *number).map_or(0, |change| change.at);
        tree = tree.file(format!("var/lib/pacman/local/{name}-{version}/files"), "%FILES%\nusr/\n\n").file(
            format!("var/lib/pacman/local/{name}-{version}/desc"),
            format!("%NAME%\n{name}\n\n%VERSION%\n{version}\n\n%ARCH%\nx86_64\n\n%INSTALLDATE%\n{at}\n\n"),
        );
    }
    tree
}

/// A Portage install: the old version is unmerged just before the new one is said to be in place.
fn portage(changes: &[Change], there: &Versions) -> MemoryTree {
    let atom = |number: u8, known: u8| format!("app-marsh/{}-{known}.0-r1", name(number));
    let mut log = String::new();
    for change in changes {
        let at = change.at;
        let [before, after] =
            [change.before, change.after].map(|known| known.map(|known| atom(change.name, known)));
        _ = writeln!(log, "{at}: Started emerge on: some day");
        if let Some(new) = &after {
            _ = writeln!(log, "{at}:  >>> emerge (1 of 1) {new} to /");
        }
        if let Some(old) = before {
            _ = writeln!(log, "{at}: === Unmerging... ({old})\n{at}:  >>> unmerge success: {old}");
        }
        if let Some(new) = after {
            _ = writeln!(log, "{at}:  ::: completed emerge (1 of 1) {new} to /\n{at}:  *** terminating.");
        }
    }
    let mut tree = marsh().file("var/log/emerge.log", log).folder("var/db/pkg/app-marsh");
    for (number, known) in there {
        let place = format!("var/db/pkg/{}", atom(*number, *known));
        tree = tree.file(format!("{place}/PF"), "x\n").file(format!("{place}/CONTENTS"), "dir /usr\n");
    }
    tree
}

fn present(tally: &Tally) -> BTreeMap<String, String> {
    tally.present().map(|package| (package.name.to_string(), package.version.to_string())).collect()
}

/// Holds what was found in a tree against what was done to it.
fn hold(
    tree: &MemoryTree,
    (shipped, there): (&Versions, &Versions),
    called: impl Fn(u8, u8) -> (String, String),
) -> Result<(), TestCaseError> {
    let plain = |versions: &Versions| -> BTreeMap<String, String> {
        versions.iter().map(|(number, known)| called(*number, *known)).collect()
    };
    let tally = taken(tree, Some(DAY));
    prop_assert!(tally.unread.is_empty(), "{:?}", tally.unread);
    let (added, updated, removed) = (
        there.keys().filter(|name| !shipped.contains_key(name)).count(),
        there.iter().filter(|(name, known)| shipped.get(name).is_some_and(|before| before != *known)).count(),
        shipped.keys().filter(|name| !there.contains_key(name)).count(),
    );
    let count = |phase: Phase| tally.packages.iter().filter(|package| package.phase == phase).count();
    prop_assert_eq!(
        (count(Phase::AddedLater), count(Phase::UpdatedLater), count(Phase::RemovedLater)),
        (added, updated, removed),
        "{:?}",
        tally.packages
    );
    let since = tally.since_install.clone().unwrap();
    prop_assert_eq!(
        (since.added as usize, since.updated as usize, since.removed as usize, since.sure),
        (added, updated, removed, true),
        "{:?}",
        since.doubts
    );
    prop_assert_eq!(present(&as_found(tally.clone())), plain(there));
    prop_assert_eq!(present(&as_shipped(tally)), plain(shipped));
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    #[test]
    fn logs_of_dpkg_lead_back_to_what_was_shipped(
        shipped in shipped(), deeds in deeds(), turns in prop::array::uniform2(any::<usize>()),
    ) {
        let (changes, there) = lived(&shipped, &deeds);
        hold(&dpkg(&changes, &there, turns), (&shipped, &there), |n, v| (name(n), version(v)))?;
    }

    #[test]
    fn logs_of_pacman_lead_back_to_what_was_shipped(shipped in shipped(), deeds in deeds()) {
        let (changes, there) = lived(&shipped, &deeds);
        hold(&pacman(&changes, &there), (&shipped, &there), |n, v| (name(n), version(v)))?;
    }

    #[test]
    fn the_log_of_portage_leads_back_to_what_was_shipped(shipped in shipped(), deeds in deeds()) {
        let (changes, there) = lived(&shipped, &deeds);
        // Without any package left nothing tells that this was Portage's.
        prop_assume!(!there.is_empty());
        let called = |n, v| (format!("app-marsh/{}", name(n)), format!("{v}.0-r1"));
        hold(&portage(&changes, &there), (&shipped, &there), called)?;
    }
}
