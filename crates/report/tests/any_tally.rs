//! Tallies of which single values were changed to whatever their types allow: every view still answers, in every form.
#![allow(clippy::unwrap_used, clippy::panic, reason = "tests may fail")]

mod common;

use common::{BuiltIn, each_view, kept};
use proptest::prelude::*;
use serde_json::{Value, json};
use tally_core::grid::{GridRules, Likeness, grid};
use tally_core::model::Tally;
use tally_report::chart::Size;
use tally_report::publish::{Knowledge, NotesForm, Report, Thumbnails};
use tally_report::{
    CompareView, CompareWhat, Format, Palette, RenderOptions, ShowView, ShowWhat, Theme, render,
};

/// What begins an order to a terminal.
const ESCAPE: char = '\u{1b}';

/// A place in a document: at each step the key or the number of what lies below, counted around.
type Place = Vec<usize>;

fn place() -> impl Strategy<Value = Place> {
    prop::collection::vec(any::<usize>(), 8)
}

/// What may stand in a value's place, by its number.
fn instead(value: &Value, number: usize) -> Value {
    let texts = [
        "",
        " ",
        "\u{1b}[2J\u{202e}",
        "0",
        "-1",
        "1:2:3-4-5",
        "9999-99-99T99:99:99Z",
        "2031-05-02T10:00:00Z",
        "ｅ́𝄞",
        "a|b\\|c\\",
        "<b>&'\"</td>`*_[x](y)",
    ];
    match value {
        Value::Number(_) => {
            let numbers = [
                json!(0),
                json!(1),
                json!(u32::MAX),
                json!(u64::MAX),
                json!(i64::MAX),
                json!(-1),
                json!(1e300),
            ];
            numbers[number % numbers.len()].clone()
        }
        Value::String(text) => match number % (texts.len() + 3) {
            0 => Value::Null,
            1 => text.repeat(200).into(),
            2 => format!("{text}\n{text}").into(),
            more => texts[more - 3].into(),
        },
        Value::Bool(is) => (!is).into(),
        Value::Null => [json!(0), json!(u64::MAX), json!("x"), json!("5.0")][number % 4].clone(),
        // Nothing in it, or everything twice.
        Value::Array(list) if number.is_multiple_of(2) => {
            Value::Array(list.iter().take(0).cloned().collect())
        }
        Value::Array(list) => Value::Array(list.iter().chain(list).cloned().collect()),
        Value::Object(_) => Value::Null,
    }
}

/// Changes what lies at a place. Where a place leads further down than there is, it ends there.
fn change(value: &mut Value, place: &[usize], number: usize) {
    let Some((step, rest)) = place.split_first() else { return *value = instead(value, number) };
    match value {
        Value::Object(map) if !map.is_empty() => {
            let at = step % map.len();
            change(map.values_mut().nth(at).unwrap(), rest, number);
        }
        // Some lists are changed as a whole.
        Value::Array(list) if !list.is_empty() && !step.is_multiple_of(13) => {
            let at = step % list.len();
            change(&mut list[at], rest, number);
        }
        leaf => *leaf = instead(leaf, number),
    }
}

/// The kept install with some of its values changed; changes that make it no tally are left out.
fn changed(changes: &[(Place, usize)]) -> Tally {
    let mut document = serde_json::to_value(kept()).unwrap();
    for (place, number) in changes {
        let mut next = document.clone();
        change(&mut next, place, *number);
        if serde_json::from_value::<Tally>(next.clone()).is_ok() {
            document = next;
        }
    }
    serde_json::from_value(document).unwrap()
}

/// Every table in Markdown has as many cells in each line as in its first one: what stands in a cell opens no other.
fn assert_even_tables(name: &str, text: &str) {
    let cells = |line: &str| {
        let (mut bars, mut escaped) = (0, false);
        for c in line.chars() {
            bars += usize::from(c == '|' && !escaped);
            escaped = c == '\\' && !escaped;
        }
        bars
    };
    let mut wanted = None;
    for line in text.lines() {
        match (line.starts_with('|'), wanted) {
            (false, _) => wanted = None,
            (true, None) => wanted = Some(cells(line)),
            (true, Some(wanted)) => assert_eq!(cells(line), wanted, "{name}: {line}"),
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(10))]

    #[test]
    fn whatever_stands_in_a_tally_every_view_answers(
        changes in prop::collection::vec((place(), any::<usize>()), 1..60), width in 20_usize..140, backwards: bool,
    ) {
        let (old, new) = if backwards { (changed(&changes), kept()) } else { (kept(), changed(&changes)) };
        each_view(&old, &new, |name, view| {
            for format in [Format::Table, Format::Markdown, Format::Csv, Format::Json, Format::Html] {
                let options = RenderOptions { width: Some(width), palette: Palette::Plain, ascii: false };
                let bytes = render(view, format, options).unwrap_or_else(|error| panic!("{name}: {error}"));
                let text = String::from_utf8(bytes).unwrap_or_else(|_| panic!("{name} is no UTF-8"));
                assert!(!text.contains(ESCAPE), "{name} speaks to the terminal in {format:?}");
                match format {
                    Format::Json => {
                        serde_json::from_str::<Value>(&text).unwrap_or_else(|error| panic!("{name}: {error}"));
                    }
                    Format::Markdown => assert_even_tables(name, &text),
                    // What stands in an install is text, and never a tag of the page.
                    Format::Html => assert!(!text.contains("<b>&"), "{name} writes tags of its own"),
                    _ => {}
                }
            }
        });
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(10))]

    #[test]
    fn whatever_stands_in_a_tally_a_report_is_made_of_it(
        changes in prop::collection::vec((place(), any::<usize>()), 1..60), backwards: bool,
    ) {
        let built_in = BuiltIn::rules();
        let BuiltIn { parts, roles, .. } = &built_in;
        let pictures = Thumbnails::default();
        let knowledge = Knowledge { parts, roles, command: "fresh-tally report", pictures: &pictures, lags: &[] };
        let (old, new) = if backwards { (changed(&changes), kept()) } else { (kept(), changed(&changes)) };
        let comparison = built_in.compare(&old, &new);
        let rules = GridRules { parts, roles, asked: &[], likeness: Likeness::Packages };
        let grid = grid(&[&old, &new], &rules);
        let both = [&old, &new];
        let reports = [
            Report::of_install(&new, &knowledge),
            Report::of_comparison((&old, &new), &comparison, &knowledge),
            Report::of_editions(&both, &grid, &knowledge),
        ];
        for report in reports {
            for (form, text) in [("page", report.html()), ("notes", report.markdown(NotesForm::default())), ("text", report.plain(NotesForm { short: true, timestamps: false }))] {
                let at = text.find(ESCAPE).map(|at| text[..at].chars().rev().take(60).collect::<String>());
                prop_assert_eq!(at, None, "the {} speaks to the terminal", form);
                prop_assert!(!text.trim().is_empty(), "the {} is empty", form);
            }
            for chart in &report.charts {
                let svg = chart.svg(Size { width: 1280, height: 720 }, Theme::Light, false);
                prop_assert!(svg.starts_with("<svg") && !svg.contains("\"NaN") && !svg.contains("\"inf"), "{}", svg);
            }
            for (name, table) in report.tables().unwrap() {
                let text = String::from_utf8(table.into_bytes().unwrap()).unwrap();
                let mut rows = csv::ReaderBuilder::new().flexible(false).from_reader(text.as_bytes());
                prop_assert!(rows.records().all(|row| row.is_ok()), "{} has rows of several lengths", name);
            }
        }
    }
}

/// Rows of one sort of thing in a comparison as CSV: how each is sorted, and its name.
fn rows_of(csv: &str, what: &str) -> Vec<(String, String)> {
    let mut reader = csv::ReaderBuilder::new().flexible(false).from_reader(csv.as_bytes());
    let rows = reader.records().map(Result::unwrap).filter(|row| &row[0] == what);
    rows.map(|row| (row[1].to_owned(), row[2].to_owned())).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(8))]

    #[test]
    fn nothing_of_a_comparison_is_lost_on_its_way_into_a_table(
        changes in prop::collection::vec((place(), any::<usize>()), 1..60), backwards: bool,
    ) {
        let built_in = BuiltIn::rules();
        let BuiltIn { parts, roles, .. } = &built_in;
        let (old, new) = if backwards { (changed(&changes), kept()) } else { (kept(), changed(&changes)) };
        let comparison = built_in.compare(&old, &new);
        let shown = |what: CompareWhat, format: Format| {
            let command = "fresh-tally compare OLD NEW";
            let view = CompareView { comparison: &comparison, rules: parts, roles, what, filtered: false, sums: true, command };
            let options = RenderOptions { width: Some(2000), palette: Palette::Plain, ascii: false };
            String::from_utf8(render(&view, format, options).unwrap()).unwrap()
        };
        let all = shown(CompareWhat::All, Format::Csv);
        let told = |what: &str| rows_of(&all, what).into_iter().map(|(sort, _)| sort).collect::<Vec<String>>();
        prop_assert_eq!(told("package"), comparison.packages.iter().map(|one| one.change.name()).collect::<Vec<_>>());
        prop_assert_eq!(told("application"), comparison.applications.iter().map(|one| one.change.name()).collect::<Vec<_>>());
        prop_assert_eq!(told("decision"), comparison.decisions.iter().map(|one| one.kind.name()).collect::<Vec<_>>());
        for (what, view, list) in [
            ("repository", CompareWhat::Repositories, &comparison.repositories),
            ("startup", CompareWhat::Startup, &comparison.startup),
            ("look", CompareWhat::Looks, &comparison.looks),
        ] {
            prop_assert_eq!(told(what), list.iter().map(|one| one.change.name()).collect::<Vec<_>>(), "{}", what);
            prop_assert_eq!(rows_of(&shown(view, Format::Csv), what), rows_of(&all, what), "{} alone", what);
        }
        // A view by itself has what the whole has of it.
        for (what, view) in [
            ("part", CompareWhat::Parts),
            ("application", CompareWhat::Applications),
            ("default", CompareWhat::Defaults),
            ("package", CompareWhat::Packages),
            ("decision", CompareWhat::Decisions),
        ] {
            let alone = shown(view, Format::Csv);
            prop_assert_eq!(rows_of(&alone, what), rows_of(&all, what), "{} alone", what);
            prop_assert_eq!(alone.lines().next(), all.lines().next());
        }
        // As data everything is there, whatever the view.
        let mut document: Value = serde_json::from_str(&shown(CompareWhat::Parts, Format::Json)).unwrap();
        for list in ["headlines", "decisions"] {
            for one in document[list].as_array_mut().unwrap() {
                prop_assert!(one.as_object_mut().unwrap().remove("text").is_some_and(|text| text.is_string()));
            }
        }
        prop_assert_eq!(&document, &serde_json::to_value(&comparison).unwrap());
    }

    #[test]
    fn every_package_of_an_install_stands_in_its_tables(
        changes in prop::collection::vec((place(), any::<usize>()), 1..60),
    ) {
        let BuiltIn { parts, roles, .. } = &BuiltIn::rules();
        let install = changed(&changes);
        let shown = |what: ShowWhat, format: Format| {
            let view = ShowView { tally: &install, what, rules: parts, roles, all: false };
            let options = RenderOptions { width: Some(4000), palette: Palette::Plain, ascii: false };
            String::from_utf8(render(&view, format, options).unwrap()).unwrap()
        };
        let csv = shown(ShowWhat::Packages, Format::Csv);
        let mut reader = csv::ReaderBuilder::new().flexible(false).from_reader(csv.as_bytes());
        let at = |reader: &mut csv::Reader<&[u8]>, name: &str| reader.headers().unwrap().iter().position(|one| one == name).unwrap();
        let (system, name, version) = (at(&mut reader, "system"), at(&mut reader, "name"), at(&mut reader, "version"));
        let rows: Vec<[String; 3]> = reader
            .records()
            .map(Result::unwrap)
            .map(|row| [system, name, version].map(|column| row[column].to_owned()))
            .collect();
        prop_assert_eq!(rows.len(), install.packages.len());
        for (row, package) in rows.iter().zip(&install.packages) {
            prop_assert_eq!(&row[0], package.system.name());
            // Cells are cleaned of what a terminal would obey, and of line breaks.
            if package.name.chars().all(|c| c.is_ascii_graphic()) && package.version.chars().all(|c| c.is_ascii_graphic()) {
                prop_assert_eq!((&row[1], &row[2]), (&package.name.to_string(), &package.version.to_string()));
            }
        }
        let markdown = shown(ShowWhat::Packages, Format::Markdown);
        let table = markdown.lines().filter(|line| line.starts_with('|')).count();
        let present = install.present().count();
        prop_assert!(table >= present, "{} lines for {} packages", table, present);
    }
}

#[test]
fn most_changes_change_something() {
    let before = serde_json::to_value(kept()).unwrap();
    let differing = (0..60_usize).filter(|number| {
        let place: Place = (0..8).map(|step| number * 7919 + step * 104_729).collect();
        serde_json::to_value(changed(&[(place, *number)])).unwrap() != before
    });
    let count = differing.count();
    assert!(count > 12, "{count} of 60");
}
