//! Inputs of somebody who wishes the program ill, and programs that get in one another's way.

use crate::harness::Place;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::time::{Duration, Instant};

fn pipe(place: &Place, name: &str) {
    let mode = rustix::fs::Mode::RUSR | rustix::fs::Mode::WUSR;
    rustix::fs::mkfifoat(rustix::fs::CWD, place.path(name), mode).unwrap();
}

/// A small install of dpkg; `history` is what apt wrote.
fn small_root(place: &Place, history: &str) {
    let stanza = |name: &str| {
        format!(
            "Package: {name}\nStatus: install ok installed\nArchitecture: amd64\nVersion: 1\nSection: misc\n\n"
        )
    };
    place.write("r/etc/os-release", "ID=saltmarsh\nNAME=Saltmarsh\nVERSION_ID=5.0\n");
    let names = ["base-files", "task-marsh-desktop", "inkcap", "tide-top"];
    place.write("r/var/lib/dpkg/status", names.map(stanza).concat());
    place.write("r/var/log/apt/history.log", history);
}

#[test]
fn of_twenty_remarks_by_twenty_programs_none_is_lost() {
    let place = Place::with_installs(&["5.0-tideway"]);
    place.run("take root-5.0-tideway --handle marsh -q");
    let mut programs: Vec<_> =
        (0..20).map(|number| place.spawn(&format!("note marsh remark {number}"))).collect();
    programs.push(place.spawn("take root-5.0-tideway --handle marsh -q"));
    for mut program in programs {
        assert!(program.wait().unwrap().success());
    }
    let tally: serde_json::Value = serde_json::from_str(&place.read("shelf/marsh.tally.json")).unwrap();
    assert_eq!(tally["notes"].as_array().unwrap().len(), 20);
}

#[test]
fn what_never_ends_is_not_waited_for() {
    let place = Place::with_installs(&["5.0-tideway"]);
    place.run("take root-5.0-tideway --handle marsh -q");
    pipe(&place, "shelf/pipe.tally.json");
    pipe(&place, "pipe.toml");
    let began = Instant::now();
    let shelf = place.run("shelf");
    assert!(
        shelf.code == 0 && shelf.stdout.contains("marsh") && !shelf.stdout.contains("pipe"),
        "{}",
        shelf.all()
    );
    for line in [
        "check pipe.toml marsh",
        "check /dev/zero marsh",
        "lag marsh --upstream /dev/zero",
        "show marsh --rules /dev/zero",
        "show pipe",
        "take pipe.toml",
        "shelf import /dev/zero",
    ] {
        let said = place.run(line);
        assert!((2..=3).contains(&said.code) && said.stderr.starts_with("error: "), "{line}: {}", said.all());
        assert!(said.stderr.lines().count() <= 2, "{line}: {}", said.stderr);
    }
    assert!(began.elapsed() < Duration::from_secs(20), "{:?}", began.elapsed());
}

#[test]
fn bytes_that_are_no_text_are_no_list() {
    let place = Place::new();
    place.write("zeros", vec![0; 1 << 20]);
    for line in ["take zeros", "take -"] {
        let said = place.run_with(line, &[0; 100_000], &[]);
        assert_eq!(said.code, 3, "{}", said.all());
        assert!(said.stderr.contains("a package list"), "{}", said.stderr);
    }
    // A list without end is read as far as any list goes.
    let long: String = (0..50_000).map(|number| format!("reed{number}\t1.0-{number}\n")).collect();
    place.write("long.manifest", long);
    let tally = place.run("take long.manifest --format json -q").json();
    assert_eq!(tally["packages"].as_array().unwrap().len(), 40_000);
    assert_eq!(tally["unread"][0]["line"], 40_001);
}

#[test]
fn a_file_keeps_its_mode() {
    let place = Place::with_installs(&["5.0-tideway"]);
    place.run("take root-5.0-tideway --handle marsh -q");
    let path = place.write("secret.md", "old");
    std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o600)).unwrap();
    for line in ["show marsh -o secret.md", "shelf export -f csv -o secret.md"] {
        assert_eq!(place.run(line).code, 0);
        assert_eq!(path.metadata().unwrap().permissions().mode() & 0o777, 0o600, "{line}");
    }
}

#[test]
fn a_damaged_image_is_that_image_and_no_bug() {
    let place = Place::new();
    let regressions = concat!(env!("CARGO_MANIFEST_DIR"), "/../../fuzz/regressions");
    for file in [
        "ext4/claims-4-tb.img.zst",
        "ext4/map-that-ends-early.img.zst",
        "tar/twenty-thousand-folders-deep.tar.gz",
    ] {
        let began = Instant::now();
        let said = place.run(&format!("take {regressions}/{file} -q"));
        assert!(matches!(said.code, 0 | 3), "{file}: {}", said.all());
        assert!(!said.stderr.contains("a bug"), "{file}: {}", said.stderr);
        assert!(began.elapsed() < Duration::from_secs(10), "{file}");
    }
}

#[test]
fn what_is_there_and_cannot_be_read_is_said_where_it_matters() {
    let place = Place::new();
    small_root(&place, "");
    std::fs::create_dir_all(place.path("r/usr/share")).unwrap();
    symlink("applications", place.path("r/usr/share/applications")).unwrap();
    let tally = place.run("take r --format json -q -o r.tally.json");
    assert_eq!(tally.code, 0, "{}", tally.all());
    assert!(place.read("r.tally.json").contains("leads through too many links"));
    let menu = place.run("show r.tally.json menu").plain();
    assert!(
        menu.contains("Some files could not be read") && menu.contains("usr/share/applications"),
        "{menu}"
    );
    let parts = place.run("show r.tally.json repositories").plain();
    assert!(!parts.contains("Some files could not be read"), "{parts}");
    // A database that can't be read is no empty one.
    std::fs::remove_file(place.path("r/var/lib/dpkg/status")).unwrap();
    pipe(&place, "r/var/lib/dpkg/status");
    let said = place.run("take r -q");
    assert_eq!(said.code, 3, "{}", said.all());
    assert!(
        said.stderr.contains("that is mostly unreadable") && said.stderr.contains("hint: "),
        "{}",
        said.stderr
    );
}

#[test]
fn a_likely_install_day_takes_nothing_away_and_a_typed_one_does() {
    let place = Place::new();
    let run = |time: &str, command: &str, came: &str| {
        format!(
            "Start-Date: 2026-05-04  {time}\nCommandline: {command}\nInstall: {came}:amd64 (1)\nEnd-Date: 2026-05-04  {time}\n\n"
        )
    };
    let history = [
        run("10:00:00", "apt-get install base-files", "base-files"),
        run("10:02:00", "apt-get install task-marsh-desktop", "task-marsh-desktop:amd64 (1), inkcap"),
        run("10:06:00", "apt install tide-top", "tide-top"),
    ]
    .concat();
    small_root(&place, &history);
    let said = place.run("take r -o r.tally.json");
    assert!(
        said.stderr.starts_with(
            "Nothing records when the installation ended, so it is shown as found. Likely moments: 2026-05-04T10:02:00Z (before `apt install \
             tide-top`; 1 package since). `--installed MOMENT` takes one.\n"
        ),
        "{}",
        said.stderr
    );
    let tally: serde_json::Value = serde_json::from_str(&place.read("r.tally.json")).unwrap();
    assert!(tally["install_day"]["ended"].is_null(), "{}", tally["install_day"]);
    assert_eq!(tally["install_day"]["candidates"][0]["evidence"]["line"], 11);
    let phase = |tally: &serde_json::Value, name: &str| {
        let package =
            tally["packages"].as_array().unwrap().iter().find(|package| package["name"] == name).unwrap();
        package["phase"].as_str().unwrap_or("shipped").to_owned()
    };
    // A moment that is only likely takes nothing away and adds nothing.
    assert_eq!(phase(&tally, "inkcap"), phase(&tally, "tide-top"));
    let told = place.run("take r -q --installed 2026-05-04T10:02:00Z -o r.tally.json");
    assert_eq!((told.code, told.stderr.as_str()), (0, ""));
    let tally: serde_json::Value = serde_json::from_str(&place.read("r.tally.json")).unwrap();
    assert_eq!(
        (phase(&tally, "inkcap").as_str(), phase(&tally, "tide-top").as_str()),
        ("shipped", "added-later")
    );
    let told = place.run("take r -q --installed 2026-05-04 -o r.tally.json");
    assert_eq!((told.code, told.stderr.as_str()), (0, ""));
    let tally: serde_json::Value = serde_json::from_str(&place.read("r.tally.json")).unwrap();
    assert_eq!(tally["install_day"]["sure"], true);
}

#[test]
fn what_is_done_is_said_to_whoever_asks() {
    let place = Place::new();
    small_root(&place, "");
    place.write(
        "r/usr/share/applications/esc\u{1b}[31m.desktop",
        "[Desktop Entry]\nType=Application\nName=X\nExec=x\n",
    );
    let quiet = place.run("take r --format json");
    let said = place.run("take r --format json -v");
    assert_eq!(said.stdout, quiet.stdout, "the answer is the same");
    assert!(
        said.stderr.contains("packages of dpkg took=") && said.stderr.contains("launchers took="),
        "{}",
        said.stderr
    );
    assert!(!said.stderr.contains("dpkg/status"), "{}", said.stderr);
    let all = place.run("take r --format json -vv").stderr;
    assert!(all.contains("read path=\"var/lib/dpkg/status\"") && !all.contains('\u{1b}'), "{all}");
}

#[test]
fn a_run_that_was_killed_is_cleared_away() {
    let place = Place::new();
    small_root(&place, "");
    let old = std::time::SystemTime::now() - Duration::from_secs(3600);
    for name in ["fresh-tally-run-dead", "fresh-tally-run-alive"] {
        place.write(&format!("{name}/copy.sqlite"), "x");
        std::fs::File::open(place.path(name)).unwrap().set_modified(old).unwrap();
    }
    let alive = std::fs::File::open(place.path("fresh-tally-run-alive")).unwrap();
    alive.lock().unwrap();
    assert_eq!(place.run("take r -q").code, 0);
    assert!(!place.path("fresh-tally-run-dead").exists() && place.path("fresh-tally-run-alive").exists());
}
