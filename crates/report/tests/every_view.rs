//! Every view in every form: what holds for all of them, whatever install they are asked about.
//!
//! The installs are a kept tally of the made-up world, an earlier release of it made here by taking things away, one whose every name
//! is an attack, and one that is empty.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

mod common;

use common::{BuiltIn, KEPT, each_view, earlier, kept};
use serde_json::Value;
use std::collections::BTreeSet;
use tally_core::model::Tally;
use tally_report::{Format, Palette, RenderOptions, ShowView, ShowWhat, View, render, width};

/// What a name must never do to a page, a table or a terminal.
const ATTACK: &str = "<script>alert(1)</script>\"'|`*_[x](y)\u{202e}\u{1b}[31m\r\n=cmd|' /C calc'!A0";

/// The kept install with an attack behind every text that its makers chose.
fn hostile() -> Tally {
    const CHOSEN: &[&str] = &[
        "name",
        "summary",
        "homepage",
        "generic_name",
        "distro",
        "codename",
        "edition",
        "profile",
        "uri",
        "suite",
        "text",
        "says",
        "runs",
        "why",
        "kind_because",
        "section",
        "license",
        "url",
        "repository",
        "hidden_because",
        "off_because",
        "how",
    ];
    fn poison(value: &mut Value) {
        match value {
            Value::Object(map) => {
                for (key, value) in map.iter_mut() {
                    match value {
                        Value::String(text) if CHOSEN.contains(&key.as_str()) => text.push_str(ATTACK),
                        _ => poison(value),
                    }
                }
            }
            Value::Array(list) => list.iter_mut().for_each(poison),
            _ => {}
        }
    }
    let mut document: Value = serde_json::from_str(KEPT).unwrap();
    let (day, label) = (document["install_day"].take(), document["label"].clone());
    poison(&mut document);
    document["install_day"] = day;
    document["label"]["handle"] = label["handle"].clone();
    serde_json::from_value(document).unwrap()
}

fn empty() -> Tally {
    Tally::new("test", kept().taken, kept().label)
}

fn text(view: &dyn View, format: Format, width: Option<usize>) -> String {
    let options = RenderOptions { width, palette: Palette::Plain, ascii: false };
    String::from_utf8(render(view, format, options).unwrap()).unwrap()
}

/// All pairs that are asked about.
fn pairs() -> Vec<(Tally, Tally)> {
    vec![
        (earlier(), kept()),
        (kept(), hostile()),
        (hostile(), hostile()),
        (empty(), kept()),
        (kept(), empty()),
        (empty(), empty()),
    ]
}

/// Tags of a page that were opened and not closed, or closed and not opened.
fn unbalanced(page: &str) -> Vec<String> {
    const VOID: &[&str] = &["meta", "link", "br", "hr", "img", "input", "col", "wbr", "!doctype"];
    let mut open: Vec<String> = Vec::new();
    let mut wrong = Vec::new();
    let mut rest = page;
    while let Some(at) = rest.find('<') {
        rest = &rest[at + 1..];
        let end = rest.find('>').unwrap_or(rest.len());
        let tag = &rest[..end];
        let name: String =
            tag.trim_start_matches('/').chars().take_while(|c| c.is_alphanumeric() || *c == '!').collect();
        let name = name.to_lowercase();
        rest = &rest[end..];
        if tag.starts_with('/') {
            match open.pop() {
                Some(opened) if opened == name => {}
                other => wrong.push(format!("{name} closes {other:?}")),
            }
        } else if !tag.ends_with('/') && !VOID.contains(&name.as_str()) {
            if matches!(name.as_str(), "style" | "script") {
                let close = format!("</{name}>");
                rest = rest.find(&close).map_or("", |at| &rest[at + close.len()..]);
            } else {
                open.push(name);
            }
        }
    }
    wrong.extend(open.into_iter().map(|name| format!("{name} stays open")));
    wrong
}

#[test]
fn a_terminal_is_never_told_what_to_do_and_no_view_is_empty() {
    for (old, new) in &pairs() {
        each_view(old, new, |name, view| {
            for width in [Some(40), Some(80), Some(160), None] {
                let page = text(view, Format::Table, width);
                assert!(!page.trim().is_empty(), "{name} says nothing");
                let bad = page.chars().find(|c| (c.is_control() && *c != '\n') || *c == '\u{202e}');
                assert_eq!(bad, None, "{name} at {width:?}");
            }
        });
    }
}

#[test]
fn eighty_columns_are_enough_for_an_honest_install() {
    let (old, new) = (earlier(), kept());
    each_view(&old, &new, |name, view| {
        for columns in [80, 100, 160] {
            let page = text(view, Format::Table, Some(columns));
            let wide: Vec<&str> = page.lines().filter(|line| width(line) > columns).collect();
            assert!(wide.is_empty(), "{name} at {columns}: {wide:#?}");
        }
    });
}

/// Our own signs; names of programs are data, and may have any letters.
#[test]
fn where_the_output_is_ascii_only_no_sign_of_ours_is_other() {
    let (old, new) = (earlier(), kept());
    let mut arrows = 0;
    each_view(&old, &new, |name, view| {
        let utf8 = text(view, Format::Table, Some(80));
        arrows += utf8.matches('→').count();
        let options = RenderOptions { width: Some(80), palette: Palette::Plain, ascii: true };
        let page = String::from_utf8(render(view, Format::Table, options).unwrap()).unwrap();
        assert_eq!(page.chars().find(|c| ['→', '…'].contains(c)), None, "{name}: {page}");
        assert!(page.lines().all(|line| width(line) <= 80), "{name}: {page}");
    });
    assert!(arrows > 20, "there are arrows to be replaced: {arrows}");
}

#[test]
fn no_version_is_cut_however_narrow_it_is() {
    let new = kept();
    let BuiltIn { parts, roles, .. } = &BuiltIn::rules();
    let view = ShowView { tally: &new, what: ShowWhat::Packages, rules: parts, roles, all: false };
    for columns in [60, 80, 120] {
        let page = text(&view, Format::Table, Some(columns));
        let words: BTreeSet<&str> = page.split_whitespace().collect();
        for package in new.present() {
            assert!(
                words.contains(package.version.as_str()),
                "{} {} at {columns}",
                package.name,
                package.version
            );
        }
    }
    let view = ShowView { what: ShowWhat::Parts, ..view };
    let page = text(&view, Format::Table, Some(70));
    for version in new.parts.iter().filter_map(|part| part.version.as_deref()) {
        assert!(page.contains(version), "{version} is cut: {page}");
    }
}

#[test]
fn tables_of_values_are_sound_and_no_cell_is_a_formula() {
    for (old, new) in &pairs() {
        each_view(old, new, |name, view| {
            let table = text(view, Format::Csv, None);
            let mut reader = csv::ReaderBuilder::new().flexible(true).from_reader(table.as_bytes());
            let columns = reader.headers().unwrap().len();
            let titles: BTreeSet<String> = reader.headers().unwrap().iter().map(str::to_owned).collect();
            assert!(columns > 0 && titles.len() == columns, "{name}: a title stands twice");
            for record in reader.records() {
                let record = record.unwrap();
                assert_eq!(record.len(), columns, "{name}: {record:?}");
                for cell in &record {
                    let number = cell.parse::<f64>().is_ok();
                    assert!(number || !cell.starts_with(['=', '+', '-', '@', '\t', '\r']), "{name}: {cell}");
                    assert!(!cell.contains(['\u{1b}', '\u{202e}', '\r']), "{name}: {cell:?}");
                }
            }
        });
    }
}

#[test]
fn documents_for_programs_are_json() {
    for (old, new) in &pairs() {
        each_view(old, new, |name, view| {
            let told: Value = serde_json::from_str(&text(view, Format::Json, None)).unwrap();
            assert!(told.is_object() || told.is_array(), "{name}");
        });
    }
}

#[test]
fn pages_are_well_formed_and_run_nothing_of_an_install() {
    for (old, new) in &pairs() {
        each_view(old, new, |name, view| {
            let page = text(view, Format::Html, None);
            let wrong = unbalanced(&page);
            assert!(wrong.is_empty(), "{name}: {wrong:?}");
            assert!(!page.contains("<script>alert"), "{name}");
            let bad = page.chars().find(|c| (c.is_control() && *c != '\n') || *c == '\u{202e}');
            assert_eq!(bad, None, "{name}");
        });
    }
}

/// Cells of a Markdown row: bars that are not escaped divide them.
fn cells(row: &str) -> usize {
    let mut escaped = false;
    let bars = row.chars().filter(|c| {
        let divides = *c == '|' && !escaped;
        escaped = *c == '\\' && !escaped;
        divides
    });
    bars.count() - 1
}

#[test]
fn pasted_tables_keep_their_columns() {
    for (old, new) in &pairs() {
        each_view(old, new, |name, view| {
            let page = text(view, Format::Markdown, None);
            let mut columns = None;
            for line in page.lines() {
                if !line.starts_with('|') {
                    columns = None;
                } else if let Some(columns) = columns {
                    assert_eq!(cells(line), columns, "{name}: {line}");
                } else {
                    columns = Some(cells(line));
                }
            }
            assert!(!page.contains("<script>"), "{name}");
        });
    }
}

#[test]
fn the_same_is_said_twice_in_the_same_words() {
    let (old, new) = (earlier(), kept());
    for format in [Format::Table, Format::Markdown, Format::Html, Format::Csv, Format::Json] {
        let mut first = Vec::new();
        each_view(&old, &new, |_, view| first.push(text(view, format, Some(100))));
        let mut second = Vec::new();
        each_view(&old, &new, |_, view| second.push(text(view, format, Some(100))));
        assert!(first == second, "{format:?}");
    }
}

#[test]
fn a_person_and_a_program_are_told_of_as_many() {
    let new = kept();
    let BuiltIn { parts, roles, .. } = &BuiltIn::rules();
    let rows = |what| {
        text(&ShowView { tally: &new, what, rules: parts, roles, all: false }, Format::Csv, None)
            .lines()
            .count()
            - 1
    };
    assert_eq!(rows(ShowWhat::Packages), new.present().count());
    assert_eq!(rows(ShowWhat::Parts), new.parts.len());
    assert_eq!(rows(ShowWhat::Defaults), new.defaults.len());
    assert_eq!(rows(ShowWhat::Repositories), new.repositories.len());
    assert_eq!(rows(ShowWhat::Startup), new.startup.len());
    assert_eq!(rows(ShowWhat::Findings), new.findings.len());
    let shown = new.launchers.iter().filter(|launcher| launcher.shown).count();
    assert!(rows(ShowWhat::Menu) >= shown, "hidden ones may be told as well");
}

#[test]
fn what_these_tests_look_for_would_be_found() {
    assert_eq!(unbalanced("<p><b></p>").len(), 2, "b is not closed, and p neither");
    assert!(unbalanced("<p>x<br><img src='y'><b>z</b></p><script>if (a<b) {}</script>").is_empty());
    assert_eq!((cells("| a | b |"), cells("| a \\| b |"), cells("| a \\\\| b |")), (2, 1, 2));
}
