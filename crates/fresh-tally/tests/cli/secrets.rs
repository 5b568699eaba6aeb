//! Nothing secret of an install gets out: marks are planted wherever a reader of any family looks, and looked for in all that is kept,
//! shown or published.

use crate::harness::Place;
use saltmarsh::{Family, World};
use std::collections::BTreeSet;
use std::os::unix::fs::symlink;
use std::path::Path;
use std::process::Command;

/// How a mark begins.
const MARK: &str = "TOPSECRET";

/// Plants the marks into a root: lines of `path`, a tab, and the content with `\n`, `\t` and `\\`, or `->` and the target of a link.
fn plant(root: &Path) -> usize {
    let list = include_str!("../fixtures/secrets.tsv");
    for line in list.lines() {
        let (path, content) = line.split_once('\t').unwrap();
        let file = root.join(path);
        std::fs::create_dir_all(file.parent().unwrap()).unwrap();
        if let Some(target) = content.strip_prefix("->") {
            _ = symlink(target, &file);
            continue;
        }
        let content = content.replace("\\n", "\n").replace("\\t", "\t").replace("\\\\", "\\");
        // What the install has itself stays in force.
        let before = std::fs::read_to_string(&file).unwrap_or_default();
        if file.is_symlink() {
            std::fs::remove_file(&file).unwrap();
        }
        std::fs::write(&file, before + &content).unwrap();
    }
    marks_in(list.as_bytes()).len()
}

/// The marks in some bytes.
fn marks_in(bytes: &[u8]) -> BTreeSet<String> {
    let text = String::from_utf8_lossy(bytes);
    let ends = |rest: &str| {
        rest.find(|c: char| !c.is_ascii_uppercase() && !c.is_ascii_digit()).unwrap_or(rest.len())
    };
    text.match_indices(MARK).map(|(at, _)| text[at..at + ends(&text[at..])].to_owned()).collect()
}

/// Every file below a folder, with its name.
fn files(folder: &Path) -> Vec<(String, Vec<u8>)> {
    let (mut found, mut waiting) = (Vec::new(), vec![folder.to_owned()]);
    while let Some(inner) = waiting.pop() {
        for entry in std::fs::read_dir(inner).unwrap().flatten() {
            if entry.file_type().unwrap().is_dir() {
                waiting.push(entry.path());
            } else {
                found.push((entry.path().display().to_string(), std::fs::read(entry.path()).unwrap()));
            }
        }
    }
    found
}

#[test]
fn of_more_than_200_secrets_in_each_family_none_is_kept_shown_or_published() {
    let place = Place::new();
    let world = World::load().unwrap();
    std::fs::create_dir_all(place.path("tmp")).unwrap();
    place.run("kit -o kit.sh");
    let mut told = Vec::new();
    let mut look = |what: &str, bytes: &[u8]| {
        told.extend(marks_in(bytes).into_iter().map(|mark| format!("{what}: {mark}")));
    };
    for (name, family) in Family::ALL {
        let root = place.path(name);
        saltmarsh::write_install_as(&world, world.install("5.0-reedbed").unwrap(), *family, &root).unwrap();
        let planted = plant(&root);
        assert!(planted >= 200, "{planted}");
        let taken = place.run(&format!("take {name} --handle {name} --pictures -vv"));
        assert_eq!(taken.code, 0, "{name}: {}", taken.stderr);
        look(&format!("{name}: screen"), taken.all().as_bytes());
        let kit = Command::new("sh")
            .args(["kit.sh", "--root", name, "-o", &format!("{name}.tar"), "--all-dates", "--pictures"])
            .current_dir(place.path("."))
            .env("TMPDIR", place.path("tmp"))
            .output()
            .unwrap();
        assert!(kit.status.success(), "{name}: {}", String::from_utf8_lossy(&kit.stderr));
        look(&format!("{name}: kit"), &std::fs::read(place.path(&format!("{name}.tar"))).unwrap());
        look(&format!("{name}: kit's messages"), &kit.stderr);
    }
    // What is said of one is made of the tally alone, and so is what is published: one family stands for all.
    for view in [
        "overview",
        "repositories",
        "startup",
        "settings --all",
        "findings",
        "menu",
        "defaults",
        "looks",
        "parts",
    ] {
        for form in ["table", "json", "csv"] {
            look(view, place.run(&format!("show dpkg {view} -f {form}")).all().as_bytes());
        }
    }
    for line in [
        "compare dpkg rpm -f json",
        "grid dpkg rpm -f json",
        "shelf list -f json",
        "report dpkg -o report --quiet",
        "report --site -o site --quiet",
        "shelf export --dataset csv --whole -o tables --quiet",
        "shelf export --into copies --quiet",
        "report dpkg -o page.html --quiet",
    ] {
        look(line, place.run(line).all().as_bytes());
    }
    for folder in ["shelf", "report", "site", "tables", "copies"] {
        for (file, bytes) in files(&place.path(folder)) {
            look(&file, &bytes);
        }
    }
    look("page", place.read("page.html").as_bytes());
    assert!(told.is_empty(), "{} marks: {:#?}", told.len(), &told[..told.len().min(40)]);
}
