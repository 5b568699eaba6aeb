//! `core` and `readers` hold data: what a person reads is made in `report/src/words`. This walks their sources for sentences.
//!
//! What is wrong with a file or with a line of the user's is an error, and may have words; so may the reading of documents of schema 1,
//! whose words it maps, and the marks by which the printouts of package managers are recognized.
#![allow(clippy::unwrap_used, reason = "tests may fail")]

use std::path::{Path, PathBuf};

/// Words by which a statement is one about an error or about a log line.
const ERRORS: &[&str] = &[
    "Unread",
    "unread",
    "Err(",
    "error",
    "Error",
    "wrong(",
    "unknown(",
    "ok_or",
    "why",
    "note(",
    "expect(",
    "reason =",
    "timed",
    "tracing::",
    "bail",
    "damaged(",
    "map_err",
    "fail(",
    "cut_off",
    "limit",
    "assert",
    "f.write_str",
];

/// Files whose literals are marks in foreign texts, words of schema 1, or measures' methods.
const MARKS: &[&str] = &[
    "core/src/model/defaults.rs",
    "core/src/model/kind_reason.rs",
    "core/src/model/launcher.rs",
    "readers/src/listings/formats.rs",
    "readers/src/listings/records.rs",
    "readers/src/packages/portage/mod.rs",
    "readers/src/packages/rpm/ndb.rs",
    "readers/src/packages/rpm/berkeley.rs",
    "readers/src/packages/rpm/header.rs",
    "readers/src/packages/rpm/mod.rs",
    "readers/src/packages/appimage.rs",
];

/// Names that stand where a name stands, and the end of an error that is made apart from its beginning.
const NAMES: &[&str] = &["An unnamed install", "compressed memory", "; did you mean `{best}`?"];

fn sources(folder: &Path, found: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            sources(&path, found);
        } else if path.extension().is_some_and(|ending| ending == "rs") {
            found.push(path);
        }
    }
}

/// String literals of the code before the tests, each with the lines around it.
fn literals(text: &str) -> Vec<(String, String)> {
    let code = text.split("#[cfg(test)]").next().unwrap_or_default();
    let lines: Vec<&str> = code.lines().collect();
    let mut found = Vec::new();
    for (at, line) in lines.iter().enumerate() {
        let plain = line.trim_start();
        if plain.starts_with("//") || plain.starts_with("#[") || plain.contains(" was \"") {
            continue;
        }
        let around = lines[at.saturating_sub(3)..=at].join("\n");
        for literal in line.split('"').skip(1).step_by(2) {
            found.push((literal.to_owned(), around.clone()));
        }
    }
    found
}

/// Three words of small letters in a row, or two that begin with a capital: what nobody writes but for people.
fn is_prose(literal: &str) -> bool {
    let words: Vec<&str> = literal.split(' ').collect();
    let is_word =
        |word: &&str| word.len() > 1 && word.chars().all(|c| c.is_ascii_lowercase() || ",.;:'".contains(c));
    let plain = words.iter().filter(|word| is_word(word)).count();
    let begins = literal.chars().next().is_some_and(char::is_uppercase);
    if literal.starts_with("SELECT ") {
        return false;
    }
    plain >= 3 || (begins && plain >= 1 && words.len() > 1 && !literal.contains('='))
}

fn prose_of(folder: &str) -> Vec<String> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let mut files = Vec::new();
    sources(&root.join(folder).join("src"), &mut files);
    assert!(files.len() > 30, "{folder} was walked");
    let mut found = Vec::new();
    for file in files {
        let name = file.strip_prefix(&root).unwrap().to_string_lossy().into_owned();
        if MARKS.contains(&name.as_str()) {
            continue;
        }
        let text = std::fs::read_to_string(&file).unwrap();
        let all = literals(&text).into_iter();
        let prose = all.filter(|(literal, around)| {
            is_prose(literal)
                && !NAMES.contains(&literal.as_str())
                && !ERRORS.iter().any(|word| around.contains(word))
        });
        found.extend(prose.map(|(literal, _)| format!("{name}: {literal}")));
    }
    found
}

#[test]
fn no_sentence_for_people_is_made_in_core_or_in_the_readers() {
    let found = [prose_of("core"), prose_of("readers")].concat();
    assert!(found.is_empty(), "words belong in report/src/words:\n{}", found.join("\n"));
}

#[test]
fn a_sentence_would_be_noticed() {
    assert!(is_prose("Lapwing replaces Marshlight as web browser"));
    assert!(is_prose("Memory used"));
    assert!(is_prose("{} came for {}: it stays, and needs them"));
    assert!(!is_prose("usr/share/applications") && !is_prose("part-major") && !is_prose("{name} {version}"));
    let code = "fn f() {\n    say(\"it is no longer there\");\n}\n#[cfg(test)]\nmod tests { \"this is not looked at\" }";
    let found: Vec<String> = literals(code).into_iter().map(|(literal, _)| literal).collect();
    assert_eq!(found, ["it is no longer there"]);
}
