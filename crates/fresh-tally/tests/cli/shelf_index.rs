//! Questions to the whole shelf, and an index that nothing may harm.

use crate::harness::Place;
use std::time::Duration;

fn shelved() -> Place {
    let place = Place::with_installs(&["4.0-reedbed", "5.0-reedbed", "5.0-mudflat", "5.0-tideway"]);
    for key in ["4.0-reedbed", "5.0-reedbed", "5.0-mudflat", "5.0-tideway"] {
        assert_eq!(place.run(&format!("take root-{key} -q -f json")).code, 0);
    }
    place
}

#[test]
fn a_name_is_found_wherever_it_is() {
    let place = shelved();
    insta::assert_snapshot!(
        ["shelf find Inkcap", "shelf find lapwng", "shelf find desktop", "shelf find zzzyx"]
            .map(|line| format!("$ {line}\n{}", place.run(line).all()))
            .join("\n")
    );
    let csv = place.run("shelf find bash -f csv").plain();
    assert_eq!(csv.lines().filter(|line| line.contains("package,")).count(), 4, "{csv}");
}

#[test]
fn the_list_can_be_filtered() {
    let place = shelved();
    let handles = |filter: &str| -> Vec<String> {
        let list = place.run(&format!("shelf list {filter} -f json")).json();
        list["installs"]
            .as_array()
            .unwrap()
            .iter()
            .map(|i| i["handle"].as_str().unwrap().to_owned())
            .collect()
    };
    assert_eq!(handles("").len(), 4);
    assert_eq!(handles("--release avocet"), ["saltmarsh-4.0-reedbed"]);
    assert_eq!(handles("--release 5.0 --edition mudflat"), ["saltmarsh-5.0-mudflat"]);
    assert_eq!(handles("--distro saltmarsh --handle *-5.0-*d*").len(), 3);
    assert!(handles("--distro fenland").is_empty());
    let none = place.run("shelf list --distro fenland").plain();
    assert!(
        none.starts_with("0 of 4 installs on the shelf") && none.contains("None that matches."),
        "{none}"
    );
}

#[test]
fn the_trail_by_the_index_is_the_trail_by_the_tallies() {
    let place = shelved();
    for name in [
        "kernel",
        "inkcap",
        "libreedkit3",
        "libreedkit2",
        "freshet-ebbtone",
        "ebbtone",
        "sound-server",
        "pondskate",
        "weir",
        "fryshoal",
        "INKCAP",
        "dpkg:libreedkit3",
        "snap:fryshoal",
        "apk:inkcap",
    ] {
        let by_index = place.run(&format!("trail {name} -f json"));
        let given = place.run(&format!(
            "trail {name} -f json saltmarsh-4.0-reedbed saltmarsh-5.0-reedbed saltmarsh-5.0-mudflat saltmarsh-5.0-tideway"
        ));
        assert_eq!(by_index.stdout, given.stdout, "{name}");
    }
}

#[test]
fn an_index_that_is_damaged_or_gone_is_made_anew() {
    let place = shelved();
    let right = place.run("shelf find inkcap -f json").plain();
    let whole = std::fs::read(place.path("shelf/.index.sqlite")).unwrap();
    let mut broken: Vec<Vec<u8>> =
        vec![b"no database at all".to_vec(), Vec::new(), whole[..whole.len() / 2].to_vec()];
    for at in [18, 100, 5000, whole.len() - 100] {
        let mut bytes = whole.clone();
        bytes[at..at + 60].fill(0xa5);
        broken.push(bytes);
    }
    for bytes in broken {
        place.write("shelf/.index.sqlite", &bytes);
        assert_eq!(place.run("shelf find inkcap -f json").plain(), right, "{} bytes", bytes.len());
    }
    std::fs::remove_file(place.path("shelf/.index.sqlite")).unwrap();
    assert_eq!(place.run("shelf find inkcap -f json").plain(), right);
    assert!(place.run("shelf index").stderr.contains("The index of 4 installs is made anew."));
}

#[test]
fn what_changes_behind_its_back_is_noticed() {
    let place = shelved();
    place.run("shelf list");
    place.write("shelf/broken.tally.json", "{ \"tally\": 1, nonsense");
    let text = place.read("shelf/saltmarsh-5.0-tideway.tally.json");
    place.write("shelf/saltmarsh-5.0-tideway.tally.json", text.replace("\"quillwort\"", "\"quillwortel\""));
    std::fs::remove_file(place.path("shelf/saltmarsh-4.0-reedbed.tally.json")).unwrap();
    let list = place.run("shelf list").plain();
    assert!(list.contains("broken can't be read: ") && !list.contains("4.0"), "{list}");
    let csv = place.run("shelf find quillwortel -f csv").plain();
    assert!(csv.contains("\nquillwortel,package,0.9.4,dpkg,saltmarsh-5.0-tideway,"), "{csv}");
    let trail = place.run("trail kernel -q").plain();
    assert!(trail.contains("Tideway") && !trail.contains("Avocet"));
}

#[test]
fn killed_at_any_moment_nothing_is_lost() {
    let place = shelved();
    let mut noted = 0;
    for round in 0..40 {
        let line = [
            "note saltmarsh-5.0-reedbed seen",
            "take root-5.0-mudflat -q",
            "shelf index",
            "shelf rename saltmarsh-5.0-tideway t",
            "shelf rename t saltmarsh-5.0-tideway",
        ][round % 5];
        let mut child = place.spawn(line);
        std::thread::sleep(Duration::from_micros(500 * (round as u64 % 17)));
        _ = child.kill();
        noted += usize::from(child.wait().unwrap().success() && line.starts_with("note"));
    }
    let list = place.run("shelf list -f json").json();
    let installs = list["installs"].as_array().unwrap();
    assert!(installs.iter().all(|install| install["problem"].is_null()), "{list}");
    // A renaming that is killed half-way may leave both handles, and never none.
    let of = |edition: &str| installs.iter().filter(|i| i["label"]["edition"] == edition).count();
    assert_eq!((of("Reedbed"), of("Mudflat")), (2, 1));
    assert!((1..=2).contains(&of("Tideway")));
    let tally: serde_json::Value =
        serde_json::from_str(&place.read("shelf/saltmarsh-5.0-reedbed.tally.json")).unwrap();
    assert!(tally["notes"].as_array().unwrap().len() >= noted);
    assert_eq!(place.run("shelf find inkcap").code, 0);
}

#[test]
fn writers_at_once_all_end_up_on_the_shelf() {
    let place = shelved();
    let children: Vec<_> = ["4.0-reedbed", "5.0-reedbed", "5.0-mudflat", "5.0-tideway"]
        .iter()
        .flat_map(|key| [format!("take root-{key} -q --handle same"), "shelf find inkcap -q".to_owned()])
        .map(|line| place.spawn(&line))
        .collect();
    for mut child in children {
        assert!(child.wait().unwrap().success());
    }
    let list = place.run("shelf list --handle same* -f json").json();
    let mut from: Vec<&str> = list["installs"]
        .as_array()
        .unwrap()
        .iter()
        .map(|i| i["label"]["edition"].as_str().unwrap())
        .collect();
    from.sort_unstable();
    assert_eq!(from, ["Mudflat", "Reedbed", "Reedbed", "Tideway"]);
}

#[test]
fn tallies_come_and_go_as_files() {
    let place = shelved();
    assert_eq!(place.run("shelf export --into copies -q").code, 0);
    assert_eq!(place.run("shelf drop saltmarsh-5.0-mudflat saltmarsh-5.0-tideway -q").code, 0);
    place.write("copies/foreign.tally.json", "{}");
    let import = place.run("shelf import copies");
    assert_eq!(import.code, 3, "one file of five is none");
    assert!(import.stderr.contains("Imported 4 of 5 files."), "{}", import.stderr);
    assert!(import.stderr.contains("foreign.tally.json"), "{}", import.stderr);
    assert_eq!(place.run("shelf list -f json").json()["installs"].as_array().unwrap().len(), 4);
    let csv = place.run("shelf export").plain();
    let lines = place.run("shelf export saltmarsh-5.0-tideway -f json").plain();
    let counted: u64 = lines
        .lines()
        .map(|line| serde_json::from_str::<serde_json::Value>(line).unwrap())
        .filter(|p| p["handle"] == "saltmarsh-5.0-tideway")
        .count() as u64;
    assert_eq!((csv.lines().count(), counted), (1 + 158 + 176 + 83 + 50, 50));
    let missing = place.run("shelf export saltmarsh-5.0-tidewy -o x.csv");
    assert_eq!(missing.code, 3);
    assert!(!place.path("x.csv").exists() && missing.stderr.contains("no install"), "{}", missing.stderr);
    assert_eq!(place.run("shelf export -f html").code, 2);
}

#[test]
fn a_shell_completes_handles() {
    let place = shelved();
    place.write("saltings/x", "");
    let asked = [("FRESH_TALLY_COMPLETE", "bash"), ("_CLAP_COMPLETE_INDEX", "2"), ("_CLAP_IFS", "\n")];
    for command in ["show", "grid", "why", "note", "compare"] {
        let said = place.run_with(&format!("-- fresh-tally {command} salt"), b"", &asked).plain();
        assert!(said.starts_with("saltmarsh-4.0-reedbed\nsaltmarsh-5.0-mudflat\n"), "{command}: {said}");
        assert!(said.contains("saltings/"), "paths too: {said}");
    }
    for shell in ["bash", "zsh", "fish"] {
        let script = place.run(&format!("completions {shell}")).plain();
        assert!(script.contains("FRESH_TALLY_COMPLETE"), "{shell}: {script}");
    }
}
