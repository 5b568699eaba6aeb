//! What of a document is seen: rows that are searched for, filtered and sorted. Documents in, documents out.

use std::cmp::Ordering;
use tally_core::find::{MATCH, NameScore};
use tally_report::{Block, Column, Document, Fold, Laid, Row, Shrink, Table, lay_out};

/// Values that one column may have to be offered as a filter.
const VALUES: usize = 16;
/// Values that are offered at all.
const OFFERED: usize = 60;

/// The column of paths: nearly all of them have the same words, which nobody looks for.
const READ_FROM: &str = "read from";

/// How the rows of a document are chosen and ordered.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Choice {
    /// What is searched for; empty for everything.
    pub(crate) search: String,
    /// A column, counted from 0, and a value of it.
    pub(crate) filter: Option<(usize, String)>,
    /// The column that rows are ordered by, counted from 0, and whether backwards.
    pub(crate) sort: Option<(usize, bool)>,
}

/// A filter that is offered: a column, a value, and how many rows have it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Offered {
    pub(crate) at: usize,
    /// Its title; what came of a thing has none, and needs none.
    pub(crate) column: String,
    pub(crate) value: String,
    pub(crate) rows: usize,
}

/// What is on the screen beside its frame.
#[derive(Debug, Default)]
pub(crate) struct Content {
    /// The document as it is chosen.
    pub(crate) document: Document,
    /// Its lines.
    pub(crate) lines: Vec<Laid>,
    /// Filters that make sense here.
    pub(crate) filters: Vec<Offered>,
    /// Titles of the columns of its largest table.
    pub(crate) columns: Vec<String>,
    /// Whether the search found nothing here, and the document is about something else.
    pub(crate) elsewhere: bool,
}

impl Content {
    /// Chooses of a document, and lays it out; where a search finds nothing in it, what `elsewhere` knows is shown.
    pub(crate) fn of(
        document: &Document,
        choice: &Choice,
        width: usize,
        opened: &dyn Fn(&str) -> bool,
        elsewhere: &dyn Fn(&str) -> Option<Document>,
    ) -> Self {
        let (filters, columns) = (offered(document), columns(document));
        let mut chosen = chosen(document, choice);
        let mut is_elsewhere = false;
        if !choice.search.is_empty()
            && !has_rows(&chosen)
            && let Some(other) = elsewhere(&choice.search)
        {
            (chosen, is_elsewhere) = (other, true);
        }
        let lines = lay_out(&chosen, width, opened);
        Self { document: chosen, lines, filters, columns, elsewhere: is_elsewhere }
    }

    /// The name of what a line is about.
    pub(crate) fn name(&self, line: usize) -> &str {
        self.lines
            .get(line)
            .and_then(|line| line.subject.as_ref())
            .map_or("", |subject| subject.name.as_str())
    }
}

fn tables(document: &Document) -> impl Iterator<Item = &Table> {
    document.blocks.iter().filter_map(|block| match block {
        Block::Table(table) => Some(table),
        _ => None,
    })
}

fn has_rows(document: &Document) -> bool {
    document.blocks.iter().any(|block| match block {
        Block::Table(table) => table.rows.iter().any(|row| matches!(row, Row::Cells(_))),
        Block::Folds(folds) => !folds.is_empty(),
        Block::Ranked(lines) => !lines.is_empty(),
        Block::Facts(facts) | Block::Sheet(facts) => !facts.is_empty(),
        _ => false,
    })
}

/// The largest table is the one that columns are asked of.
fn main_table(document: &Document) -> Option<&Table> {
    tables(document).max_by_key(|table| table.rows.len())
}

fn columns(document: &Document) -> Vec<String> {
    main_table(document)
        .map(|table| table.columns.iter().map(|column| column.title.clone()).collect())
        .unwrap_or_default()
}

/// Columns of few values, names aside.
fn offered(document: &Document) -> Vec<Offered> {
    let Some(table) = main_table(document) else { return Vec::new() };
    let mut all = Vec::new();
    let named = |column: &&Column| column.shrink == Shrink::Middle;
    let name = table.columns.iter().position(|column| named(&column)).unwrap_or(0);
    for (at, column) in table.columns.iter().enumerate().filter(|(at, _)| *at != name) {
        let mut values: Vec<Offered> = Vec::new();
        for row in &table.rows {
            let Row::Cells(cells) = row else { continue };
            let Some(text) = cells.get(at).map(|cell| cell.text.as_str()).filter(|text| !text.is_empty())
            else {
                continue;
            };
            if let Some(known) = values.iter_mut().find(|known| known.value == text) {
                known.rows += 1;
            } else if values.len() > VALUES {
                break;
            } else {
                let (column, value) = (column.title.clone(), text.to_owned());
                values.push(Offered { at, column, value, rows: 1 });
            }
        }
        if (2..=VALUES).contains(&values.len()) {
            values.sort_by(|a, b| b.rows.cmp(&a.rows).then_with(|| a.value.cmp(&b.value)));
            all.extend(values);
        }
    }
    all.truncate(OFFERED);
    all
}

fn chosen(document: &Document, choice: &Choice) -> Document {
    let largest = main_table(document).map(std::ptr::from_ref);
    let search = choice.search.trim().to_lowercase();
    let exact = |text: &str| search.is_empty() || text.to_lowercase().contains(&search);
    // Names that come near count where nothing has the letters themselves.
    let strict = chosen_by(document, choice, largest, &exact);
    if search.is_empty() || has_rows(&strict) {
        return strict;
    }
    let score = NameScore::of(&search);
    chosen_by(document, choice, largest, &|text| score.of_name(text) >= MATCH)
}

fn chosen_by(
    document: &Document,
    choice: &Choice,
    largest: Option<*const Table>,
    fits: &dyn Fn(&str) -> bool,
) -> Document {
    let searches = !choice.search.trim().is_empty();
    let mut chosen = Document::default();
    for block in &document.blocks {
        let kept = match block {
            Block::Table(table) => {
                let is_main = largest.is_some_and(|largest| std::ptr::eq(largest, table));
                let filter = choice.filter.as_ref().filter(|_| is_main);
                let sort = choice.sort.filter(|_| is_main);
                Some(Block::Table(rows(table, fits, filter, sort)))
            }
            Block::Folds(folds) => {
                Some(Block::Folds(folds.iter().filter(|fold| fits_fold(fold, fits)).cloned().collect()))
            }
            Block::Ranked(lines) if searches => {
                Some(Block::Ranked(lines.iter().filter(|line| fits(&line.plain())).cloned().collect()))
            }
            Block::Facts(facts) | Block::Sheet(facts) if searches => {
                let said = |name: &str, value: String| fits(name) || fits(&value);
                let found = facts.iter().filter(|fact| said(&fact.name.text, fact.value.plain()));
                Some(Block::Facts(found.cloned().collect()))
            }
            Block::Title { .. } | Block::Heading(_) => Some(block.clone()),
            // Sentences are about the whole.
            _ if searches => None,
            other => Some(other.clone()),
        };
        let is_empty = |block: &Block| match block {
            Block::Table(table) => searches && table.rows.is_empty(),
            Block::Folds(folds) => folds.is_empty(),
            Block::Ranked(lines) => lines.is_empty(),
            Block::Facts(facts) => facts.is_empty(),
            _ => false,
        };
        chosen.blocks.extend(kept.filter(|block| !is_empty(block)));
    }
    // A heading under which nothing is left goes too.
    let mut at = 0;
    while at < chosen.blocks.len() {
        let next = chosen.blocks.get(at + 1);
        let is_bare =
            matches!(chosen.blocks[at], Block::Heading(_)) && matches!(next, None | Some(Block::Heading(_)));
        if is_bare {
            chosen.blocks.remove(at);
        } else {
            at += 1;
        }
    }
    chosen
}

fn fits_fold(fold: &Fold, fits: &dyn Fn(&str) -> bool) -> bool {
    fits(&fold.name.text) || fits(&fold.sort.text) || fold.inside.iter().any(|line| fits(&line.plain()))
}

/// Rows that fit with their headings and notes; sorted they stand without headings.
fn rows(
    table: &Table,
    fits: &dyn Fn(&str) -> bool,
    filter: Option<&(usize, String)>,
    sort: Option<(usize, bool)>,
) -> Table {
    let mut kept: Vec<Row> = Vec::with_capacity(table.rows.len());
    let (mut group, mut follows) = (None, false);
    for row in &table.rows {
        match row {
            Row::Group(_) => (group, follows) = (Some(row), false),
            Row::Note(_) if follows => kept.push(row.clone()),
            Row::Note(_) => {}
            Row::Cells(cells) => {
                follows = filter
                    .is_none_or(|(at, value)| cells.get(*at).is_some_and(|cell| cell.text == *value))
                    && cells
                        .iter()
                        .zip(&table.columns)
                        .any(|(cell, column)| column.title != READ_FROM && fits(&cell.text));
                if follows {
                    kept.extend(group.take().cloned());
                    kept.push(row.clone());
                }
            }
        }
    }
    if let Some((column, backwards)) = sort {
        kept = sorted(kept, column, backwards);
    }
    Table { rows: kept, ..Table { columns: table.columns.clone(), folds: table.folds, ..Table::default() } }
}

/// Rows with the notes that belong to them, by the text of a column: figures as figures, what says nothing last.
fn sorted(rows: Vec<Row>, column: usize, backwards: bool) -> Vec<Row> {
    let mut pieces: Vec<Vec<Row>> = Vec::new();
    for row in rows {
        match (row, pieces.last_mut()) {
            (Row::Group(_), _) => {}
            (row @ Row::Note(_), Some(piece)) => piece.push(row),
            (row, _) => pieces.push(vec![row]),
        }
    }
    let text = |piece: &Vec<Row>| match piece.first() {
        Some(Row::Cells(cells)) => cells.get(column).map(|cell| cell.text.clone()).unwrap_or_default(),
        _ => String::new(),
    };
    let mut keyed: Vec<(String, Vec<Row>)> = pieces.into_iter().map(|piece| (text(&piece), piece)).collect();
    keyed.sort_by(|(a, _), (b, _)| match (a.is_empty(), b.is_empty()) {
        (false, false) if backwards => by_figure(b, a),
        (false, false) => by_figure(a, b),
        (a, b) => a.cmp(&b),
    });
    keyed.into_iter().flat_map(|(_, piece)| piece).collect()
}

/// `1,204`, `+4.1 MB`, `12%` as what they are worth; anything else as text, without regard to case.
fn by_figure(a: &str, b: &str) -> Ordering {
    match (figure(a), figure(b)) {
        (Some(a), Some(b)) => a.total_cmp(&b),
        (Some(_), None) => Ordering::Less,
        (None, Some(_)) => Ordering::Greater,
        (None, None) => a.to_lowercase().cmp(&b.to_lowercase()).then_with(|| a.cmp(b)),
    }
}

fn figure(text: &str) -> Option<f64> {
    let (sign, text) = match text.strip_prefix(['-', '−']) {
        Some(rest) => (-1.0, rest),
        None => (1.0, text.strip_prefix('+').unwrap_or(text)),
    };
    let end = text.find(|c: char| !c.is_ascii_digit() && !matches!(c, '.' | ',')).unwrap_or(text.len());
    let (number, unit) = text.split_at(end);
    let factor = match unit.trim() {
        "" | "%" | "B" | "days" | "day" | "or more" => 1.0,
        "kB" => 1e3,
        "MB" => 1e6,
        "GB" => 1e9,
        "TB" => 1e12,
        "months" => 30.44,
        "years" => 365.25,
        _ => return None,
    };
    // Two points are a version, which is no figure.
    number.replace(',', "").parse::<f64>().ok().map(|value| sign * value * factor)
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;
    use proptest::prelude::*;
    use tally_report::{Column, Line, Span};

    pub(crate) fn document(names: &[&str]) -> Document {
        let mut document = Document::default();
        document.title("Saltmarsh", "as shipped");
        document.paragraph("Some words about all of it.");
        let mut table =
            Table::new(vec![Column::new("name").name(), Column::new("kind"), Column::new("size").right()]);
        for (at, name) in names.iter().enumerate() {
            if at % 3 == 0 {
                table.group(format!("group {}", at / 3));
            }
            let kind = if at % 2 == 0 { "library" } else { "command" };
            table.row(vec![(*name).into(), kind.into(), format!("{}.5 MB", at * 7 % 10).into()]);
            if at % 4 == 1 {
                table.note(format!("about {name}"));
            }
        }
        document.push(Block::Table(table));
        document.push(Block::Folds(vec![Fold {
            id: "decision-1".into(),
            sort: "replaced".into(),
            name: "Lapwing replaces Marshlight".into(),
            figures: vec!["3 packages".into(), "+20 MB".into()],
            share: 1000,
            inside: vec![Line::from("Because."), Line::from(Span::from("lapwing")).and(" +20 MB")],
        }]));
        document
    }

    const NAMES: &[&str] = &["inkcap", "lapwing", "mudline", "towpath", "weir-shell", "zlib1g"];

    fn of(choice: &Choice) -> Content {
        Content::of(&document(NAMES), choice, 60, &|_| false, &|_| None)
    }

    fn names(content: &Content) -> Vec<&str> {
        (0..content.lines.len()).map(|at| content.name(at)).filter(|name| !name.is_empty()).collect()
    }

    #[test]
    fn a_search_keeps_rows_that_fit_with_what_belongs_to_them() {
        let found = of(&Choice { search: "Lapwing".into(), ..Choice::default() });
        assert_eq!(names(&found), ["lapwing", "Lapwing replaces Marshlight"]);
        let text: Vec<String> = found.lines.iter().map(Laid::plain).collect();
        assert!(text.iter().any(|line| line.contains("about lapwing")), "its note: {text:?}");
        assert!(!text.iter().any(|line| line.contains("Some words")), "{text:?}");
        let near = of(&Choice { search: "weirshel".into(), ..Choice::default() });
        assert_eq!(names(&near), ["weir-shell"], "a name that comes near");
    }

    #[test]
    fn where_nothing_is_found_another_document_says_what_is_known() {
        let choice = Choice { search: "quillwort".into(), ..Choice::default() };
        let elsewhere = |asked: &str| Some(document(&[asked]));
        let found = Content::of(&document(NAMES), &choice, 60, &|_| false, &elsewhere);
        assert!(found.elsewhere && names(&found).contains(&"quillwort"));
    }

    #[test]
    fn columns_of_few_values_are_filters() {
        let all = of(&Choice::default());
        let offered: Vec<(&str, &str, usize)> =
            all.filters.iter().map(|one| (one.column.as_str(), one.value.as_str(), one.rows)).collect();
        assert_eq!(offered[..2], [("kind", "command", 3), ("kind", "library", 3)]);
        let filter = Some((1, "library".to_owned()));
        let some = of(&Choice { filter, ..Choice::default() });
        assert_eq!(names(&some), ["inkcap", "mudline", "weir-shell", "Lapwing replaces Marshlight"]);
    }

    #[test]
    fn rows_are_ordered_by_figures_and_names() {
        let by = |column, backwards| {
            let content = of(&Choice { sort: Some((column, backwards)), ..Choice::default() });
            names(&content)[..6].iter().map(ToString::to_string).collect::<Vec<_>>()
        };
        assert_eq!(by(2, false), ["inkcap", "towpath", "mudline", "zlib1g", "lapwing", "weir-shell"]);
        assert_eq!(by(0, true)[0], "zlib1g");
        assert_eq!(figure("1,204"), Some(1204.0));
        assert!(figure("-4.1 MB").is_some_and(|bytes| (bytes + 4_100_000.0).abs() < 1.0));
        assert_eq!(figure("3.2.1"), None, "a version is no figure");
        assert!(by_figure("2 years", "3 months").is_gt());
    }

    #[test]
    fn a_fold_opens_under_its_line() {
        let closed = of(&Choice::default());
        let open = Content::of(&document(NAMES), &Choice::default(), 60, &|id| id == "decision-1", &|_| None);
        assert_eq!(open.lines.len(), closed.lines.len() + 2);
        assert!(names(&open).contains(&"lapwing"), "a follower can be jumped to");
    }

    proptest! {
        #[test]
        fn any_choice_of_any_rows_is_a_part_of_them(
            given in prop::collection::vec("[a-z]{1,6}", 0..12),
            search in "[a-z ]{0,4}",
            sort in prop::option::of((0..5_usize, any::<bool>())),
            value in prop::option::of((0..5_usize, "library|[a-z]{0,7}")),
            width in 1..200_usize,
        ) {
            let all: Vec<&str> = given.iter().map(String::as_str).collect();
            let document = document(&all);
            let choice = Choice { search, filter: value, sort };
            let content = Content::of(&document, &choice, width, &|_| true, &|_| None);
            let rows = |document: &Document| -> usize {
                tables(document).flat_map(|table| &table.rows).filter(|row| matches!(row, Row::Cells(_))).count()
            };
            prop_assert!(rows(&content.document) <= rows(&document));
            if choice == Choice::default() {
                prop_assert_eq!(rows(&content.document), all.len());
            }
        }
    }
}
