//! The glossary (`docs/words.md`), held against what the views and the documents say.
#![allow(clippy::unwrap_used, reason = "tests may fail")]

mod common;

use common::{each_view, earlier, kept};
use tally_report::{Format, RenderOptions, render};

const GLOSSARY: &str = include_str!("../../../docs/words.md");

/// The rows of a table of the glossary, cells without their marks.
fn rows(heading: &str) -> Vec<Vec<String>> {
    let section = GLOSSARY.split("\n## ").find(|section| section.starts_with(heading)).unwrap();
    let cells = |line: &str| line.trim_matches('|').split('|').map(|cell| cell.trim().to_owned()).collect();
    section.lines().filter(|line| line.starts_with('|')).skip(2).map(cells).collect()
}

/// The words that the glossary takes out of use, in lower case.
fn unused() -> Vec<String> {
    let first = |row: Vec<String>| row[0].clone();
    let words = rows("Words that are not used").into_iter().map(first);
    words
        .flat_map(|words| {
            words.split(", ").map(|word| word.split(" (").next().unwrap().to_lowercase()).collect::<Vec<_>>()
        })
        .collect()
}

fn has_word(text: &str, word: &str) -> bool {
    let text = text.to_lowercase();
    text.match_indices(word).any(|(at, _)| {
        let edge = |c: Option<char>| c.is_none_or(|c| !c.is_alphanumeric() && c != '-' && c != '_');
        edge(text[..at].chars().next_back()) && edge(text[at + word.len()..].chars().next())
    })
}

#[test]
fn no_heading_and_no_column_has_a_word_that_is_out_of_use() {
    let unused = unused();
    assert!(unused.len() > 10, "{unused:?}");
    let mut headings = 0;
    each_view(&earlier(), &kept(), |name, view| {
        let page = render(view, Format::Html, RenderOptions::default()).unwrap();
        let page = String::from_utf8(page).unwrap();
        for tag in ["h1", "h2", "th", "dt"] {
            for piece in page.split(&format!("<{tag}")).skip(1) {
                let text = piece.split('>').nth(1).unwrap_or_default().split('<').next().unwrap_or_default();
                headings += 1;
                // A row's own name is data.
                let named = piece.starts_with(" scope=\"row\"");
                let bad = unused.iter().find(|word| !named && has_word(text, word));
                assert_eq!(bad, None, "{name}: the heading `{text}`");
            }
        }
    });
    assert!(headings > 100, "{headings}");
}

/// Every word of every closed set in the schema of a tally and of a comparison.
fn enums(schema: &serde_json::Value, found: &mut Vec<String>) {
    match schema {
        serde_json::Value::Object(map) => {
            for (key, value) in map {
                match (key.as_str(), value) {
                    ("const", serde_json::Value::String(word)) => found.push(word.clone()),
                    ("enum", serde_json::Value::Array(words)) => {
                        found.extend(words.iter().filter_map(|word| Some(word.as_str()?.to_owned())));
                    }
                    _ => enums(value, found),
                }
            }
        }
        serde_json::Value::Array(list) => list.iter().for_each(|one| enums(one, found)),
        _ => {}
    }
}

#[test]
fn no_closed_set_has_a_word_that_is_out_of_use_and_the_terms_are_there() {
    let schemas = [
        serde_json::to_value(schemars::schema_for!(tally_core::model::Tally)).unwrap(),
        serde_json::to_value(schemars::schema_for!(tally_core::compare::Comparison)).unwrap(),
        serde_json::to_value(schemars::schema_for!(tally_core::grid::Grid)).unwrap(),
        serde_json::to_value(schemars::schema_for!(tally_core::check::Check)).unwrap(),
        serde_json::to_value(schemars::schema_for!(tally_core::offer::Cost)).unwrap(),
    ];
    let mut words = Vec::new();
    schemas.iter().for_each(|schema| enums(schema, &mut words));
    assert!(words.len() > 200, "{}", words.len());
    for word in &words {
        let said = word.replace('-', " ");
        let bad = unused().into_iter().find(|bad| has_word(&said, bad));
        assert_eq!(bad, None, "`{word}` is out of use");
    }
    let all = schemas.iter().map(ToString::to_string).collect::<String>();
    for row in rows("Terms") {
        for key in row[2].split('`').skip(1).step_by(2) {
            assert!(all.contains(&format!("\"{key}\"")), "`{key}` of the glossary is in no document");
        }
    }
}
