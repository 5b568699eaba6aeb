//! The documents: every command of the guide is run, and the reference is what the program says of itself.

use crate::harness::Place;
use std::path::Path;
use std::process::Command;

fn document(name: &str) -> String {
    let path = Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs")).join(name);
    std::fs::read_to_string(path).unwrap()
}

/// Lines of all blocks of a language.
fn lines_of<'t>(text: &'t str, language: &str) -> Vec<&'t str> {
    let mut lines = Vec::new();
    let mut inside = false;
    for line in text.lines() {
        match line.strip_prefix("```") {
            Some(opened) => inside = opened == language,
            None if inside => lines.push(line),
            None => {}
        }
    }
    lines
}

#[test]
fn every_command_of_the_guide_does_what_it_says() {
    let place = Place::new();
    let guide = document("guide.md");
    let lines = lines_of(&guide, "sh");
    assert!(lines.len() > 30, "the guide lost its commands");
    let programs = Path::new(env!("CARGO_BIN_EXE_fresh-tally")).parent().unwrap();
    let path = format!("{}:/usr/bin:/bin", programs.display());
    let mut before = String::new();
    for line in lines {
        if line.starts_with("export ") {
            before.push_str(line);
            before.push('\n');
            continue;
        }
        let done = Command::new("sh")
            .args(["-c", &format!("{before}{line}")])
            .current_dir(place.path("."))
            .env_clear()
            .env("PATH", &path)
            .env("HOME", place.path("."))
            .env("SOURCE_DATE_EPOCH", "1778000000")
            .output()
            .unwrap();
        // 1 is an answer: there is a "no", or it is over the limit.
        let said = String::from_utf8_lossy(&done.stderr);
        assert!(matches!(done.status.code(), Some(0 | 1)), "{line}\n{said}");
        assert!(!said.contains("error"), "{line}\n{said}");
    }
    for made in [
        "review/index.html",
        "review/charts/decisions.png",
        "review/tables/packages.csv",
        "editions.html",
        "notes.md",
    ] {
        assert!(place.path(made).metadata().unwrap().len() > 500, "{made}");
    }
    assert_eq!(place.read("published/short.txt"), "Saltmarsh Linux 5.0: 27 programs\n");
}

#[test]
fn the_reference_is_what_the_program_says_of_itself() {
    let said = Place::new().run("rules reference").plain();
    assert!(
        document("cli-reference.md") == said,
        "run `cargo run -- rules reference -o docs/cli-reference.md`"
    );
}

#[test]
fn the_configuration_file_is_read_and_told_and_options_win() {
    let place = Place::with_installs(&["5.0-mudflat"]);
    place.write(
        "config/fresh-tally/config.toml",
        "shelf = 'here'\nformat = 'csv'\nwanted = ['inkcap']\nchecklists = 'lists'\ntemplates = 'own'\n",
    );
    place
        .write("config/fresh-tally/lists/mine.toml", "[[question]]\nname = 'editor'\nrole = 'text-editor'\n");
    place.write("config/fresh-tally/own/plain/a.txt", "{{ label.edition }}");
    let home = place.path("config").to_string_lossy().into_owned();
    let run = |line: &str| {
        place.run_with(line, b"", &[("XDG_CONFIG_HOME", home.as_str()), ("FRESH_TALLY_SHELF", "")])
    };
    let told = run("rules config").stdout;
    assert!(told.contains("config/fresh-tally/here") && told.contains("wanted      inkcap"), "{told}");
    assert!(run("rules config --format json").stdout.contains("format      json"), "an option wins");
    assert_eq!(run("take root-5.0-mudflat -q").code, 0);
    assert!(place.path("config/fresh-tally/here/saltmarsh-5.0-mudflat.tally.json").is_file());
    assert!(run("show saltmarsh-5.0-mudflat parts").stdout.starts_with("part,name,"), "the file's format");
    assert!(run("show saltmarsh-5.0-mudflat parts --format table").stdout.starts_with("Saltmarsh"));
    assert!(run("grid saltmarsh-5.0-mudflat saltmarsh-5.0-mudflat@found").stdout.contains("inkcap"));
    let checked = run("check mine saltmarsh-5.0-mudflat --format table");
    assert!(checked.stdout.contains("editor"), "{}{}", checked.stdout, checked.stderr);
    assert_eq!(run("report saltmarsh-5.0-mudflat --template plain -o out -q").code, 0);
    assert_eq!(place.read("out/a.txt"), "Mudflat");
    place.write("config/fresh-tally/config.toml", "\nfromat = 'csv'\n");
    let wrong = run("shelf");
    assert_eq!(wrong.code, 3);
    assert!(wrong.stderr.contains("config.toml`: line 2: unknown field `fromat`"), "{}", wrong.stderr);
}
