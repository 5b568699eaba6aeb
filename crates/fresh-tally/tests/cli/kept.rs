//! What is kept stays: an install is told from another by what it is, and nothing goes that nobody named.

use crate::harness::{Place, names};
use std::os::unix::fs::symlink;

const OLD: &str = "saltmarsh-4.0-reedbed";
const NEW: &str = "saltmarsh-5.0-reedbed";

/// The handles on the shelf.
fn handles(place: &Place) -> Vec<String> {
    let listed = place.run("shelf list --format json").json();
    listed["installs"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| one["handle"].as_str().unwrap().to_owned())
        .collect()
}

#[test]
fn one_install_replaces_another_only_where_that_was_asked_for() {
    let place = Place::with_installs(&["4.0-reedbed", "5.0-reedbed"]);
    let take = |line: &str| {
        let outcome = place.run(line);
        assert_eq!(outcome.code, 0, "{line}: {}", outcome.all());
        outcome.stderr
    };
    take("take root-4.0-reedbed --handle mine -q");
    // Two standard inputs, or two roots at one path: where they came from says nothing.
    std::fs::rename(place.path("root-4.0-reedbed"), place.path("away")).unwrap();
    std::fs::rename(place.path("root-5.0-reedbed"), place.path("root-4.0-reedbed")).unwrap();
    take("take root-4.0-reedbed --handle mine");
    assert_eq!(handles(&place), ["mine", "mine-2"]);
    let release =
        |handle: &str| place.run(&format!("show {handle} -f json")).json()["install"]["release"].clone();
    assert_eq!((release("mine"), release("mine-2")), ("4.0".into(), "5.0".into()));
    // The very same install again is no other one.
    take("take root-4.0-reedbed --handle mine -q");
    assert_eq!(handles(&place), ["mine", "mine-2"]);
    // A note of the one that is replaced goes to the one that takes its place.
    assert_eq!(place.run("note mine \"Slow to start\"").code, 0);
    take("take root-4.0-reedbed --handle mine --replace -q");
    assert_eq!(release("mine"), "5.0");
    assert!(place.read("shelf/mine.tally.json").contains("Slow to start"));
}

#[test]
fn two_lists_through_a_pipe_are_two_installs() {
    let place = Place::new();
    for list in ["inkcap\t3.2.1-2\nlibweir2:amd64\t2.0\n", "inkcap\t3.2.1-2\nlibweir2:amd64\t2.0\nother\t1\n"]
    {
        let outcome = place.run_with("take - --handle piped -q", list.as_bytes(), &[]);
        assert_eq!(outcome.code, 0, "{}", outcome.all());
    }
    assert_eq!(handles(&place), ["piped", "piped-2"]);
}

#[test]
fn dropping_checks_all_names_first_and_keeps_notes_until_the_next_index() {
    let place = Place::with_installs(&["4.0-reedbed", "5.0-reedbed"]);
    place.run("take root-4.0-reedbed -q");
    place.run("take root-5.0-reedbed -q");
    assert_eq!(place.run(&format!("note {OLD} Heavy")).code, 0);
    let wrong = place.run(&format!("shelf drop {OLD} nosuch"));
    assert!(wrong.code != 0 && wrong.stderr.contains("nosuch"), "{}", wrong.all());
    assert_eq!(handles(&place), [OLD, NEW]);
    let dry = place.run(&format!("shelf drop {OLD} {NEW} --dry-run"));
    assert!(dry.code == 0 && dry.all().contains(OLD) && dry.all().contains(NEW), "{}", dry.all());
    assert_eq!(handles(&place), [OLD, NEW]);
    let dropped = place.run(&format!("shelf drop {OLD} {NEW}"));
    assert_eq!(dropped.code, 0, "{}", dropped.all());
    let kept = place.read(&format!("shelf/{OLD}.dropped.json"));
    assert!(kept.contains("Heavy") && !place.path(&format!("shelf/{NEW}.dropped.json")).exists(), "{kept}");
    assert_eq!(place.run("shelf index").code, 0);
    assert!(!place.path(&format!("shelf/{OLD}.dropped.json")).exists());
}

#[test]
fn an_index_that_is_damaged_in_the_middle_answers_as_a_new_one() {
    let place = Place::with_installs(&["4.0-reedbed", "5.0-reedbed"]);
    place.run("take root-4.0-reedbed -q");
    place.run("take root-5.0-reedbed -q");
    let lines = ["trail inkcap", "shelf find inkcap", "shelf list", "trail kernel"];
    let sound = lines.map(|line| place.run(line).plain());
    let index = place.path("shelf/.index.sqlite");
    let whole = std::fs::read(&index).unwrap();
    let (page, pages) = (4096, whole.len() / 4096);
    for at in (1..pages).step_by((pages / 25).max(1)) {
        for (line, sound) in lines.iter().zip(&sound) {
            let mut damaged = whole.clone();
            damaged[at * page..(at + 1) * page].fill(0xA5);
            std::fs::write(&index, damaged).unwrap();
            let outcome = place.run(line);
            // Nothing told is told wrongly: the page that is damaged is not asked, or the index is made anew.
            assert_eq!((outcome.code, &outcome.stdout), (0, sound), "page {at}: {line}: {}", outcome.stderr);
        }
    }
}

#[test]
fn what_is_written_goes_where_it_was_sent_and_replaces_nothing_else() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.run("take root-5.0-reedbed -q");
    // A link stays one, and what it names gets the content.
    place.write("target.json", "old");
    symlink("target.json", place.path("link.json")).unwrap();
    assert_eq!(place.run(&format!("show {NEW} menu -o link.json")).code, 0);
    assert!(place.path("link.json").is_symlink() && place.read("target.json").starts_with('{'));
    // The standard output by its other names.
    for name in ["/dev/stdout", "/proc/self/fd/1", "/dev/fd/1"] {
        let outcome = place.run(&format!("show {NEW} menu -f json -o {name}"));
        assert!(outcome.code == 0 && outcome.stdout.starts_with('{'), "{name}: {}", outcome.all());
    }
    // A pipe is written to.
    let pipe = place.path("pipe");
    rustix::fs::mknodat(
        rustix::fs::CWD,
        &pipe,
        rustix::fs::FileType::Fifo,
        rustix::fs::Mode::RUSR | rustix::fs::Mode::WUSR,
        0,
    )
    .unwrap();
    let reader = std::thread::spawn({
        let pipe = pipe.clone();
        move || std::fs::read_to_string(pipe).unwrap()
    });
    assert_eq!(place.run(&format!("show {NEW} menu -f json -o pipe")).code, 0);
    assert!(reader.join().unwrap().starts_with('{'));
    assert!(std::os::unix::fs::FileTypeExt::is_fifo(&pipe.metadata().unwrap().file_type()));
    // An ending that nothing here is written as.
    for line in [
        "show {} -o x.pdf",
        "trail kernel -o k.pdf",
        "compare {} {} -o c.yaml",
        "lag {} -o l.xls",
        "grid {} {} -o g.xls",
    ] {
        let outcome = place.run(&line.replace("{}", NEW));
        assert!(
            outcome.code == 2 && outcome.stderr.contains("can't be written here as"),
            "{line}: {}",
            outcome.all()
        );
    }
    assert!(
        !names(&place.path(""))
            .iter()
            .any(|name| [".pdf", ".yaml", ".svg", ".xls"].iter().any(|end| name.ends_with(end)))
    );
}

#[test]
fn messages_that_can_not_be_written_end_nothing_and_no_home_is_needed() {
    let place = Place::with_installs(&["5.0-reedbed"]);
    place.run("take root-5.0-reedbed -q -o t.tally.json");
    let program = env!("CARGO_BIN_EXE_fresh-tally");
    let run = |line: &str, environment: &[(&str, &str)]| {
        let full = std::fs::OpenOptions::new().write(true).open("/dev/full").unwrap();
        let status = std::process::Command::new(program)
            .args(line.split_whitespace())
            .env_clear()
            .envs(environment.iter().copied())
            .current_dir(place.path(""))
            .stdout(std::process::Stdio::null())
            .stderr(full)
            .status()
            .unwrap();
        status.code()
    };
    let shelf = place.path("s").display().to_string();
    let with = [("FRESH_TALLY_SHELF", shelf.as_str())];
    for line in [
        "take root-5.0-reedbed",
        "take root-5.0-reedbed -o u.tally.json -vv",
        "note saltmarsh-5.0-reedbed Heavy",
        "report saltmarsh-5.0-reedbed -o p.html",
        "shelf drop saltmarsh-5.0-reedbed",
    ] {
        assert_eq!(run(line, &with), Some(0), "{line}");
    }
    assert_eq!(run("show nosuch", &with), Some(3));
    // Neither a home nor a shelf.
    for line in [
        "show t.tally.json",
        "compare t.tally.json t.tally.json",
        "kit",
        "take root-5.0-reedbed -o v.tally.json",
        "rules config",
    ] {
        assert_eq!(run(line, &[]), Some(0), "{line}");
    }
    let outcome = std::process::Command::new(program).args(["shelf"]).env_clear().output().unwrap();
    assert_eq!(outcome.status.code(), Some(2), "{outcome:?}");
}
