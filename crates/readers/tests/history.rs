//! What was shipped and what came later, read from whole trees: each with the logs and times that its systems leave.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

mod common;

use common::taken;
use std::fmt::Write;
use tally_core::history::as_shipped;
use tally_core::model::{DecidedBy, InstallDayHow, Phase, Seen, Tally, Text};
use tally_trees::MemoryTree;

/// 2026-05-04 10:00:00 UTC.
const DAY: i64 = 1_777_888_800;
const WEEK: i64 = 7 * 86_400;

/// Name, phase, and version that was shipped, of all packages.
fn phases(tally: &Tally) -> Vec<(&str, Phase, Option<&str>)> {
    tally.packages.iter().map(|p| (p.name.as_str(), p.phase, p.shipped_version.as_deref())).collect()
}

/// A dpkg install of programs: name, version, and the keys of a launcher that are beside the usual ones.
fn dpkg(programs: &[(&str, &str, &str)], log: &str) -> MemoryTree {
    let mut status = String::new();
    let mut tree = MemoryTree::new()
        .file("etc/os-release", "ID=saltmarsh\nNAME=Saltmarsh\n")
        .file("var/log/installer/summary", "done")
        .changed("var/log/installer/summary", DAY)
        .file("var/log/dpkg.log", log);
    for (name, version, more) in programs {
        _ = write!(
            status,
            "Package: {name}\nStatus: install ok installed\nVersion: {version}\nArchitecture: amd64\nSection: editors\nDescription: x\n\n"
        );
        let launcher = format!("usr/share/applications/{name}.desktop");
        tree = tree
            .file(&launcher, format!("[Desktop Entry]\nType=Application\nName={name}\nExec={name}\n{more}\n"))
            .file(format!("usr/bin/{name}"), "")
            .file(format!("var/lib/dpkg/info/{name}.list"), format!("/usr/bin/{name}\n/{launcher}\n"));
    }
    tree.file("var/lib/dpkg/status", status)
}

fn answer(tally: &Tally, asked: &str) -> (Option<Text>, bool) {
    let choice = tally.defaults.iter().find(|choice| choice.asked.contains(asked)).unwrap();
    (choice.application.clone(), choice.sure)
}

#[test]
fn a_program_that_was_added_gives_back_what_it_took() {
    let programs = [
        ("inkcap", "3.2-1", "MimeType=text/plain;"),
        ("aardwrite", "1.0-1", "MimeType=text/plain;application/pdf;"),
    ];
    let log = "2026-05-04 09:00:00 install inkcap:amd64 <none> 3.2-1\n2026-05-11 09:00:00 install aardwrite:amd64 <none> 1.0-1\n";
    let tree = dpkg(&programs, log).file(
        "usr/share/applications/mimeinfo.cache",
        "[MIME Cache]\ntext/plain=aardwrite.desktop;inkcap.desktop;\napplication/pdf=aardwrite.desktop;\n",
    );
    let found = taken(&tree, None);
    assert_eq!(found.install_day.how, InstallDayHow::InstallerLog);
    assert_eq!(answer(&found, "text/plain"), (Some("aardwrite".into()), false));
    let choice = found.defaults.iter().find(|choice| choice.asked == "text/plain").unwrap();
    assert_eq!(choice.shipped_application.as_deref(), Some("inkcap"));
    let shipped = as_shipped(found);
    assert_eq!(answer(&shipped, "text/plain"), (Some("inkcap".into()), true));
    assert_eq!(answer(&shipped, "application/pdf"), (None, true), "nothing was removed: nothing opened it");
    assert_eq!(shipped.applications.len(), 1);
    assert_eq!(shipped.label.seen_as(), Seen::AsShipped);
}

#[test]
fn an_alternative_falls_back_to_the_best_that_was_shipped() {
    let terminal = "Categories=System;TerminalEmulator;";
    let programs =
        [("mudline", "1-1", terminal), ("siltline", "1-1", terminal), ("newline", "1-1", terminal)];
    let log = "2026-05-04 09:00:00 install mudline:amd64 <none> 1-1\n2026-05-04 09:00:00 install siltline:amd64 <none> 1-1\n2026-05-11 09:00:00 install newline:amd64 <none> 1-1\n";
    let tree = dpkg(&programs, log)
        .link("etc/alternatives/x-terminal-emulator", "/usr/bin/newline")
        .file(
            "var/lib/dpkg/alternatives/x-terminal-emulator",
            "auto\n/usr/bin/x-terminal-emulator\nx-terminal-emulator.1.gz\n/usr/share/man/man1/x-terminal-emulator.1.gz\n\n/usr/bin/mudline\n20\n/m.gz\n/usr/bin/newline\n90\n/n.gz\n/usr/bin/siltline\n40\n\n",
        );
    let found = taken(&tree, None);
    assert_eq!(answer(&found, "TerminalEmulator").0.as_deref(), Some("newline"));
    assert_eq!(answer(&as_shipped(found), "TerminalEmulator").0.as_deref(), Some("siltline"));
}

#[test]
fn what_a_removed_program_opened_is_not_told() {
    let log = "2026-05-04 09:00:00 install inkcap:amd64 <none> 3.2-1\n2026-05-04 09:00:00 install gone:amd64 <none> 2-1\n2026-05-11 09:00:00 remove gone:amd64 2-1 <none>\n";
    let found = taken(&dpkg(&[("inkcap", "3.2-1", "MimeType=text/plain;")], log), None);
    assert_eq!(phases(&found), [("gone", Phase::RemovedLater, None), ("inkcap", Phase::Shipped, None)]);
    assert_eq!((found.counts.packages.values().sum::<u32>(), found.present().count()), (1, 1));
    let shipped = as_shipped(found);
    assert_eq!(shipped.present().count(), 2);
    let pdf = shipped.defaults.iter().find(|choice| choice.asked == "application/pdf").unwrap();
    assert!(pdf.is_not_recorded());
    assert_eq!(pdf.decided.by, DecidedBy::RemovedSince { packages: vec!["gone".into()] });
    assert_eq!(answer(&shipped, "text/plain"), (Some("inkcap".into()), true));
}

/// A zone five hours behind UTC, as RFC 8536 lays it out in its first version.
fn five_hours_behind() -> Vec<u8> {
    let mut bytes = b"TZif\0".to_vec();
    bytes.extend([0; 15]);
    for count in [0_u32, 0, 0, 0, 1, 4] {
        bytes.extend(count.to_be_bytes());
    }
    bytes.extend((-18_000_i32).to_be_bytes());
    bytes.extend([0, 0]);
    bytes.extend(b"EST\0");
    bytes
}

#[test]
fn a_log_in_local_time_and_one_that_the_installer_wrote_in_utc_mean_the_same() {
    let program = [("inkcap", "3.3-1", "")];
    // The second change came two hours after the installation; five hours to the west the clock said 7.
    let local = "2026-05-04 04:30:00 install inkcap:amd64 <none> 3.2-1\n2026-05-04 07:00:00 upgrade inkcap:amd64 3.2-1 3.3-1\n";
    let universal = "2026-05-04 09:30:00 install inkcap:amd64 <none> 3.2-1\n2026-05-04 12:00:00 upgrade inkcap:amd64 3.2-1 3.3-1\n";
    for log in [local, universal] {
        let tree = dpkg(&program, log).file("etc/localtime", five_hours_behind());
        let tally = taken(&tree, None);
        assert_eq!(phases(&tally), [("inkcap", Phase::UpdatedLater, Some("3.2-1"))], "{log}");
        assert!(tally.since_install.unwrap().sure, "{log}");
        assert_eq!(tally.packages[0].installed_at.as_deref(), Some("2026-05-04T12:00:00Z"), "{log}");
    }
}

#[test]
fn files_of_nobody_that_are_newer_were_added() {
    let tree = dpkg(&[("inkcap", "3.2-1", "")], "2026-05-04 09:00:00 install inkcap:amd64 <none> 3.2-1\n")
        .file(
            "usr/local/share/applications/own.desktop",
            "[Desktop Entry]\nType=Application\nName=Own\nExec=inkcap\n",
        )
        .changed("usr/local/share/applications/own.desktop", DAY + WEEK)
        .file(
            "usr/local/share/applications/old.desktop",
            "[Desktop Entry]\nType=Application\nName=Old\nExec=inkcap\n",
        )
        .changed("usr/local/share/applications/old.desktop", DAY - WEEK)
        .file("etc/apt/sources.list.d/shop.list", "deb https://shop.example/apt stable main\n")
        .changed("etc/apt/sources.list.d/shop.list", DAY + WEEK)
        .file("etc/apt/sources.list", "deb https://archive.example/os stable main\n")
        .changed("etc/apt/sources.list", DAY + WEEK);
    let found = taken(&tree, None);
    assert_eq!((found.launchers.len(), found.repositories.len()), (3, 2));
    let shipped = as_shipped(found);
    let names: Vec<&str> = shipped.launchers.iter().map(|launcher| launcher.name.as_str()).collect();
    assert_eq!(names, ["inkcap", "Old"]);
    assert_eq!(shipped.repositories.len(), 1, "the main file is edited by hand and by installers");
}

#[test]
fn snaps_are_held_against_the_seed() {
    let snap = |tree: MemoryTree, name: &str, revision: &str, version: &str| {
        tree.file(format!("snap/{name}/{revision}/meta/snap.yaml"), format!("version: '{version}'\n"))
            .link(format!("snap/{name}/current"), revision)
    };
    let state = r#"{"data":{"snaps":{
        "kept":{"type":"app","active":true,"current":"1"},
        "added":{"type":"app","active":true,"current":"5"},
        "fresher":{"type":"app","active":true,"current":"9"}}}}"#;
    let seed = "snaps:\n  - name: kept\n    file: kept_1.snap\n  - name: fresher\n    file: fresher_2.snap\n  - name: gone\n    file: gone_3.snap\n";
    let tree = dpkg(&[("inkcap", "1-1", "")], "2026-05-04 09:00:00 install inkcap:amd64 <none> 1-1\n")
        .file("var/lib/snapd/seed/seed.yaml", seed)
        .file("var/lib/snapd/state.json", state)
        .file(
            "var/lib/snapd/seed/snaps/fresher_2.snap",
            saltmarsh::squashfs(&[("meta/snap.yaml", b"version: '2.0'\n")]),
        );
    let tree = snap(snap(snap(tree, "kept", "1", "1.0"), "added", "5", "5.0"), "fresher", "9", "9.0");
    let tally = taken(&tree, None);
    let snaps: Vec<_> = phases(&tally).into_iter().filter(|(name, ..)| *name != "inkcap").collect();
    assert_eq!(
        snaps,
        [
            ("added", Phase::AddedLater, None),
            ("fresher", Phase::UpdatedLater, Some("2.0")),
            ("gone", Phase::RemovedLater, None),
            ("kept", Phase::Shipped, None),
        ]
    );
}

#[test]
fn folders_of_flatpaks_tell_what_came_and_what_was_updated() {
    let at = "var/lib/flatpak/app";
    let app = |tree: MemoryTree, id: &str, came: i64, updated: i64| {
        tree.link(format!("{at}/{id}/x86_64/stable/active"), "abc")
            .file(
                format!("{at}/{id}/x86_64/stable/abc/metadata"),
                "[Application]\nruntime=org.marsh.Platform/x86_64/1\n",
            )
            .changed(format!("{at}/{id}/x86_64"), came)
            .changed(format!("{at}/{id}/x86_64/stable/abc"), updated)
    };
    let tree = dpkg(&[("inkcap", "1-1", "")], "2026-05-04 09:00:00 install inkcap:amd64 <none> 1-1\n");
    let tree = app(
        app(app(tree, "org.marsh.A", DAY - 60, DAY - 60), "org.marsh.B", DAY - 60, DAY + WEEK),
        "org.marsh.C",
        DAY + WEEK,
        DAY + WEEK,
    );
    let tally = taken(&tree, None);
    let told: Vec<Phase> = phases(&tally)
        .into_iter()
        .filter(|(name, ..)| name.starts_with("org"))
        .map(|(_, phase, _)| phase)
        .collect();
    assert_eq!(told, [Phase::Shipped, Phase::UpdatedLater, Phase::AddedLater]);
}

#[test]
fn slackware_keeps_what_it_replaced_and_removed() {
    let package = |name: &str| format!("PACKAGE NAME:     {name}\nFILE LIST:\n./\n");
    let packages = "var/lib/pkgtools/packages";
    let removed = "var/lib/pkgtools/removed_packages";
    let mut tree = MemoryTree::new()
        .file("etc/os-release", "ID=saltmarsh\n")
        .file("var/log/setup/x", "")
        .changed("var/log/setup/x", DAY);
    for (file, at) in
        [("same-1-noarch-1", DAY - 60), ("inkcap-3.3-x86_64-1", DAY + WEEK), ("new-1-noarch-1", DAY + WEEK)]
    {
        tree =
            tree.file(format!("{packages}/{file}"), package(file)).changed(format!("{packages}/{file}"), at);
    }
    for (file, at) in [
        ("inkcap-3.1-x86_64-1-upgraded-2026-05-06,10:00:00", DAY - 60),
        ("inkcap-3.2-x86_64-1-upgraded-2026-05-11,10:00:00", DAY + 86_400),
        ("gone-2-noarch-1", DAY - 60),
        ("passing-2-noarch-1", DAY + 7200),
    ] {
        tree = tree.file(format!("{removed}/{file}"), package(file)).changed(format!("{removed}/{file}"), at);
    }
    let tally = taken(&tree, None);
    assert_eq!(
        phases(&tally),
        [
            ("gone", Phase::RemovedLater, None),
            ("inkcap", Phase::UpdatedLater, Some("3.1-1")),
            ("new", Phase::AddedLater, None),
            ("same", Phase::Shipped, None),
        ]
    );
}

#[test]
fn rotated_logs_are_read_the_oldest_first() {
    let mut tree = dpkg(&[("inkcap", "5-1", "")], "2026-05-14 09:00:00 upgrade inkcap:amd64 4-1 5-1\n");
    for (file, line) in [
        ("dpkg.log.1", "2026-05-13 09:00:00 upgrade inkcap:amd64 3-1 4-1\n"),
        ("dpkg.log.2", "2026-05-12 09:00:00 upgrade inkcap:amd64 2-1 3-1\n"),
        ("dpkg.log.10", "2026-05-04 09:00:00 install inkcap:amd64 <none> 2-1\n"),
        ("dpkg.log.old", "2026-05-04 09:00:00 install odd:amd64 <none> 1\n"),
    ] {
        tree = tree.file(format!("var/log/{file}"), line);
    }
    let tally = taken(&tree, None);
    assert_eq!(phases(&tally), [("inkcap", Phase::UpdatedLater, Some("2-1"))]);
    assert!(tally.since_install.unwrap().sure);
}

#[test]
fn logs_that_swell_cost_no_more_together_than_one_may() {
    use std::io::Write;
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    (0..300).for_each(|_| packed.write_all(&vec![b'x'; 1 << 20]).unwrap());
    let packed = packed.finish().unwrap();
    let mut tree = dpkg(&[("inkcap", "5-1", "")], "2026-05-14 09:00:00 upgrade inkcap:amd64 4-1 5-1\n");
    for number in 1..=100 {
        tree = tree.file(format!("var/log/dpkg.log.{number}.gz"), packed.clone());
    }
    let began = std::time::Instant::now();
    let told: Vec<String> =
        taken(&tree, None).unread.iter().map(|one| format!("{} {}", one.file, one.why)).collect();
    // A hundred of them would take a hundred times as long as the first, which is the only one that is looked into.
    assert!(began.elapsed() < std::time::Duration::from_secs(30), "{:?}", began.elapsed());
    assert!(told.iter().any(|one| one.starts_with("var/log/dpkg.log its 100 latest files")), "{told:?}");
}

#[test]
fn a_list_of_the_installer_tells_where_logs_begin_late() {
    let log = "2026-05-20 09:00:00 startup packages configure\n";
    let tree = dpkg(&[("inkcap", "3.3-1", ""), ("newer", "1-1", "")], log).file(
        "var/log/installer/initial-status.gz",
        "Package: inkcap\nStatus: install ok installed\nArchitecture: amd64\nVersion: 3.2-1\n\nPackage: left\nStatus: deinstall ok config-files\nVersion: 1\n\n",
    );
    let tree = tree.changed("var/log/installer/initial-status.gz", DAY);
    let tally = taken(&tree, None);
    assert_eq!(
        phases(&tally),
        [("inkcap", Phase::UpdatedLater, Some("3.2-1")), ("newer", Phase::AddedLater, None)]
    );
    assert!(tally.since_install.unwrap().sure, "the list is exact");
}

#[test]
fn what_an_owner_edits_is_no_record_of_the_installer_while_others_are_there() {
    let tree = dpkg(&[("inkcap", "1-1", "")], "2026-05-04 09:00:00 install inkcap:amd64 <none> 1-1\n")
        .file("root/anaconda-ks.cfg", "edited")
        .changed("root/anaconda-ks.cfg", DAY + WEEK);
    let day = taken(&tree, None).install_day;
    assert_eq!(day.ended.as_deref(), Some("2026-05-04T10:00:00Z"));
    assert_eq!(day.evidence.file, "var/log/installer/summary");
}
