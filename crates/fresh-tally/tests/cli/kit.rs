use crate::harness::Place;
use saltmarsh::{Family, World};
use std::process::Command;

/// Runs the script that the program prints, below the place.
fn collect(place: &Place, words: &[&str]) -> std::process::Output {
    let kit = place.run("kit -o kit.sh");
    assert_eq!((kit.code, kit.stdout.as_str()), (0, ""), "{}", kit.stderr);
    let mut command = Command::new("sh");
    command.arg("kit.sh").args(words).current_dir(place.path(".")).env("TMPDIR", place.path("tmp"));
    std::fs::create_dir_all(place.path("tmp")).unwrap();
    command.output().unwrap()
}

/// A tally as JSON.
fn tally(place: &Place, source: &str) -> serde_json::Value {
    let taken = place.run(&format!("take {source} -q -o taken.tally.json"));
    assert_eq!(taken.code, 0, "{source}: {}", taken.stderr);
    serde_json::from_str(&place.read("taken.tally.json")).unwrap()
}

/// What a list of a tally says by some keys.
fn told<'t>(tally: &'t serde_json::Value, list: &str, keys: &[&str]) -> Vec<Vec<&'t serde_json::Value>> {
    let all = tally[list].as_array().unwrap().iter();
    all.map(|one| keys.iter().map(|key| &one[*key]).collect()).collect()
}

#[test]
fn an_archive_of_the_kit_tells_of_packages_and_the_menu_what_the_root_tells() {
    let place = Place::new();
    let world = World::load().unwrap();
    // The other formats of rpm lie where these two do.
    let further = ["rpm-ndb", "rpm-berkeley-big-endian"];
    for (name, family) in Family::ALL.iter().filter(|(name, _)| !further.contains(name)) {
        let install = world.install("5.0-reedbed").unwrap();
        saltmarsh::write_install_as(&world, install, *family, &place.path(name)).unwrap();
        let said = collect(&place, &["--root", name, "-o", "out.tar.gz", "--all-dates"]);
        assert!(said.status.success(), "{name}: {}", String::from_utf8_lossy(&said.stderr));
        let (root, kit) = (tally(&place, name), tally(&place, "out.tar.gz"));
        std::fs::remove_file(place.path("out.tar.gz")).unwrap();
        for (list, keys) in [
            ("packages", &["system", "name", "version", "arch", "depends"][..]),
            ("launchers", &["id", "name", "menu", "shown", "runs", "package", "mime_types"]),
            ("applications", &["id", "name", "version"]),
        ] {
            // Snaps are kept beside the tokens of their store, AppImages have no database; a store keeps no lists of files.
            let is_told = |one: &&Vec<&serde_json::Value>| {
                !matches!(one[0].as_str(), Some("snap" | "appimage")) || list != "packages"
            };
            let (root, kit) = (told(&root, list, keys), told(&kit, list, keys));
            if list == "packages" {
                let (root, kit): (Vec<_>, Vec<_>) =
                    (root.iter().filter(is_told).collect(), kit.iter().filter(is_told).collect());
                assert_eq!(root, kit, "{name}: {list}");
                continue;
            }
            let missing: Vec<_> = root.iter().filter(|one| !kit.contains(one)).collect();
            let of_sandboxes = |one: &&Vec<&serde_json::Value>| {
                let text = format!("{one:?}");
                ["snap", "appimage", "AppImage", "fryshoal", "saltwort"]
                    .iter()
                    .any(|word| text.contains(word))
            };
            let missing: Vec<_> = missing.into_iter().filter(|one| !of_sandboxes(one)).collect();
            let is_store = matches!(family, Family::Nix | Family::Guix);
            assert!(missing.is_empty() || is_store, "{name}: {list}: {missing:#?}");
        }
        let not_recorded = kit["missing_facts"].to_string();
        for fact in ["repositories", "history", "settings", "autostart"] {
            assert!(not_recorded.contains(fact), "{name}: {fact} in {not_recorded}");
        }
        assert_eq!(
            std::fs::read_dir(place.path("tmp")).unwrap().count(),
            0,
            "{name}: it left something behind"
        );
    }
}

#[test]
fn the_script_stays_short_and_what_it_can_not_do_is_refused() {
    let place = Place::new();
    let script = place.run("kit").stdout;
    assert!(script.starts_with("#!/bin/sh\n") && script.lines().count() < 120, "{}", script.lines().count());
    let long: Vec<&str> = script.lines().filter(|line| line.chars().count() > 100).collect();
    assert!(long.is_empty(), "{long:?}");
    assert!(script.contains("fresh-tally take / -o"), "the program itself comes first");
    for system in [
        "dpkg",
        "rpm",
        "pacman",
        "apk",
        "eopkg",
        "freebsd-pkg",
        "portage",
        "xbps",
        "slackware",
        "nix",
        "guix",
        "flatpak",
    ] {
        assert!(script.contains(&format!("\nall {system} ")), "{system}");
    }
    assert_eq!(collect(&place, &["--nonsense"]).status.code(), Some(2));
    assert_eq!(collect(&place, &["-o"]).status.code(), Some(2));
    assert_eq!(collect(&place, &["--root", "nowhere"]).status.code(), Some(3));
    place.write("r/etc/os-release", "ID=x\n");
    place.write("there.tar", "mine");
    assert_eq!(collect(&place, &["--root", "r", "-o", "there.tar"]).status.code(), Some(3));
    assert_eq!(place.read("there.tar"), "mine", "what is there is not written over");
}

/// What GNU tools alone understand does something else elsewhere, or nothing.
#[test]
fn the_script_is_written_for_any_tool_and_any_shell() {
    let script = Place::new().run("kit").plain();
    let foreign = [
        "sed -i",
        "sed -E",
        "sed -r",
        "grep -P",
        "grep -E",
        "[[ ",
        "\n    local ",
        "echo -e",
        "$'",
        "<(",
        "-printf",
    ];
    let found: Vec<&&str> = foreign.iter().filter(|word| script.contains(**word)).collect();
    assert!(found.is_empty(), "{found:?}");
}
