//! What goes wrong says so in a line or two, with the right exit code, and loses nothing that was good.

use crate::harness::{Place, names};
use std::os::unix::fs::PermissionsExt;

#[test]
fn sources_that_are_none() {
    let place = Place::new();
    place.write("empty/readme", "no install");
    place.write("list.txt", "a 1");
    place.write("torn.tally.json", "{\"tally\": 1,\n \"program\": ");
    place.write("foreign.json", "{\"packages\": []}");
    place.write("newer.tally.json", "{\"tally\": 7}");
    insta::assert_snapshot!(
        [
            "take missing",
            "take empty",
            "take list.txt",
            "show missing",
            "show torn.tally.json",
            "show foreign.json",
            "compare newer.tally.json newer.tally.json",
            "take torn.tally.json",
            "show",
            "take empty --handle Up/Down",
        ]
        .map(|line| format!("$ {line}\n{}", place.run(line).all()))
        .join("\n")
    );
}

#[test]
fn a_broken_database_keeps_what_is_good() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    let mut status = place.read("root-5.0-reedbed/var/lib/dpkg/status").into_bytes();
    let whole = status.iter().filter(|b| **b == b'\n').count() + 1;
    status.extend(b"Package: torn\nStatus: install ok installed\n\n\xff\xfe no field\nPackage: late\nVersion: 1\nSummary: \x1b[31m\n");
    status.extend(b"Description: \x1b[2Jcleared\n");
    place.write("root-5.0-reedbed/var/lib/dpkg/status", status);
    let tally = place.run("take root-5.0-reedbed --format json -q").json();
    let unread: Vec<(u64, String)> = tally["unread"]
        .as_array()
        .unwrap()
        .iter()
        .map(|u| (u["line"].as_u64().unwrap(), u["why"].as_str().unwrap().to_owned()))
        .collect();
    let whole = whole as u64;
    assert_eq!(
        unread,
        [
            (whole, "stanza of `torn` has no `Version` field".to_owned()),
            (whole + 3, "is not a `Field: value` line".to_owned())
        ]
    );
    assert!(tally["packages"].as_array().unwrap().iter().any(|p| p["name"] == "late"));
    let shown = place.run("show root-5.0-reedbed packages --color always").plain();
    assert!(shown.contains("<001B>[2Jcleared") && !shown.contains("\u{1b}[2J"));
    assert!(place.run("show root-5.0-reedbed").plain().contains("2 places could not be read"));
}

#[test]
fn a_missing_or_unreadable_file_is_named() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    let status = place.path("root-5.0-reedbed/var/lib/dpkg/status");
    std::fs::remove_file(&status).unwrap();
    std::fs::create_dir(&status).unwrap();
    let said = place.run("take root-5.0-reedbed --format json -q");
    assert_eq!((said.code, said.stdout.as_str()), (3, ""), "{}", said.all());
    assert!(said.stderr.contains("`var/lib/dpkg/status` is not a regular file"), "{}", said.stderr);
    std::fs::remove_dir(&status).unwrap();
    std::os::unix::fs::symlink("/etc/hostname-of-the-host/../shadow", &status).unwrap();
    let linked = place.run("take root-5.0-reedbed --format json -q");
    assert_eq!(linked.code, 0, "a link out of the root leads nowhere: {}", linked.stderr);
}

#[test]
fn nothing_half_written_stays_behind() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    std::fs::create_dir(place.path("locked")).unwrap();
    std::fs::set_permissions(place.path("locked"), std::fs::Permissions::from_mode(0o555)).unwrap();
    let outcome = place.run("take root-5.0-reedbed -q -o locked/x/y.json");
    assert_eq!((outcome.code, outcome.stdout.as_str()), (3, ""));
    assert!(outcome.stderr.starts_with("error: can't write `locked/x/y.json`: "), "{}", outcome.stderr);
    let onto_a_file = place.run("take root-5.0-reedbed -q --shelf root-5.0-reedbed/etc/os-release");
    assert_eq!(onto_a_file.code, 3, "{}", onto_a_file.stderr);
    assert_eq!(names(&place.path("locked")), [""; 0]);
}

#[test]
fn a_full_disk_is_an_error_and_no_panic() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    let outcome = place.run("show root-5.0-reedbed packages -o /dev/full");
    assert_eq!(outcome.code, 3);
    assert!(
        outcome.stderr.starts_with("error: can't write `/dev/full`: No space left"),
        "{}",
        outcome.stderr
    );
}

#[test]
fn a_reader_that_leaves_is_no_error() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    let program = env!("CARGO_BIN_EXE_fresh-tally");
    let line = format!(
        "'{program}' show root-5.0-reedbed packages --format json | head -c 10; echo ${{PIPESTATUS[0]}}"
    );
    let output =
        std::process::Command::new("bash").arg("-c").arg(line).current_dir(place.path("")).output().unwrap();
    assert_eq!(String::from_utf8_lossy(&output.stdout), "{\n  \"schem0\n");
    assert_eq!(String::from_utf8_lossy(&output.stderr), "");
}

#[test]
fn a_hostile_install_is_shown_in_every_view() {
    let place = Place::new();
    let mut status = String::new();
    let long = "so much of it ".repeat(40_000);
    for (name, fields) in [
        ("loop-a", "Depends: loop-b\nRecommends: loop-a"),
        ("loop-b", "Depends: loop-c | loop-a\nProvides: loop-b, loop-a"),
        ("loop-c", "Pre-Depends: loop-a\nReplaces: loop-c\nConflicts: loop-c"),
        ("heavy", "Installed-Size: 18446744073709551615\nDepends: nothing-here (>= 1), (,|"),
        ("odd\u{7}name", "Section: \u{202e}semag\nInstalled-Size: 12"),
        ("long", &format!("Homepage: {long}\nDepends: {}", "loop-a, ".repeat(20_000))),
    ] {
        status += &format!(
            "Package: {name}\nStatus: install ok installed\nVersion: 1\nArchitecture: all\n{fields}\n"
        );
        status += &format!("Description: {long}\n\n");
    }
    place.write("root/var/lib/dpkg/status", status);
    place.write("root/var/lib/apt/extended_states", "Package: loop-b\nAuto-Installed: 1\n");
    place.write(
        "root/etc/os-release",
        format!("NAME=\"\u{1b}]0;title\u{7}Marsh\"\nID=marsh\nVERSION_ID={long}\n"),
    );
    let launcher = format!(
        "[Desktop Entry]\nType=Application\nName=\u{1b}[31mRed {long}\nExec=loop-a %U\nCategories={}\nMimeType=;;text/plain;text/plain;/;\n",
        "Game;".repeat(20_000)
    );
    place.write("root/usr/share/applications/loop-a.desktop", launcher);
    place.write("root/usr/share/applications/mimeapps.list", "[Default Applications\ntext/plain\n=\n[Default Applications]\ntext/plain=;;../../../etc/passwd;loop-a.desktop;\n");
    place.run("take root --handle marsh -q");
    let views = [
        "",
        "parts",
        "menu",
        "defaults",
        "packages",
        "repositories",
        "startup",
        "looks",
        "weight",
        "readings",
        "findings",
    ];
    let lines = views.iter().map(|view| format!("show marsh {view}")).chain(
        [
            "why marsh loop-c --all",
            "why marsh heavy",
            "weigh marsh --limit 1MB",
            "find marsh loop",
            "compare marsh marsh",
        ]
        .map(String::from),
    );
    for line in lines {
        for format in ["table", "markdown", "csv", "json"] {
            let said = place.run(&format!("{line} --format {format} --color never"));
            assert!(said.code < 2 && said.stderr.is_empty(), "{line} as {format}: {}", said.all());
            let bare = |c: char| c.is_control() && c != '\n' && c != '\r';
            assert!(!said.stdout.contains(bare), "{line} as {format} lets a control character through");
            let widest = said.stdout.lines().map(|line| line.chars().count()).max().unwrap_or(0);
            assert!(format != "table" || widest <= 5000, "{line}: a line of {widest} characters");
        }
    }
}

#[test]
fn where_no_package_tells_its_size_nothing_is_weighed() {
    let place = Place::new();
    let stanza = |name: &str, size: &str| {
        format!(
            "Package: {name}\nStatus: install ok installed\nVersion: 1\nArchitecture: all\n{size}Description: x\n\n"
        )
    };
    place.write("untold/etc/os-release", "NAME=Marsh\nID=marsh\n");
    place.write(
        "untold/var/lib/dpkg/status",
        stanza("a", "Installed-Size: 18446744073709551615\n") + &stanza("b", ""),
    );
    place.write("told/etc/os-release", "NAME=Marsh\nID=marsh\nVERSION_ID=2\n");
    place.write("told/var/lib/dpkg/status", stanza("a", "Installed-Size: 2000\n") + &stanza("c", ""));
    let weighed = place.run("weigh untold --limit 1GB");
    assert_eq!(weighed.code, 3, "{}", weighed.all());
    let said = "error: can't weigh `untold`: its source does not record sizes\n";
    assert_eq!(weighed.stderr, said);
    let listed = place.run("show untold packages").stdout;
    assert!(listed.contains("2 packages\n") && !listed.contains("0 B"), "{listed}");
    place.run("take untold -q");
    let shelf = place.run("shelf list").stdout;
    assert!(shelf.contains("not recorded") && !shelf.contains("0 B"), "{shelf}");
    let shown = place.run("show untold weight");
    assert!(shown.stdout.contains("Sizes of packages are not recorded in this source."), "{}", shown.all());
    assert_eq!(place.run("weigh told --limit 1GB").code, 0, "what is told of some is an answer");
    let compared: serde_json::Value =
        serde_json::from_str(&place.run("compare untold told --format json").stdout).unwrap();
    assert_eq!(compared["not_recorded"]["sections"][0], "sizes");
    assert_eq!(compared["totals"]["new_bytes"], 0, "a weight against none is no growth");
}
