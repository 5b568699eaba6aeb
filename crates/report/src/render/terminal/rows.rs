//! Blocks of a page as a terminal has them: in pieces, or as rows of a table.

use crate::document::{CardGroup, Column, Fact, Fold, Span, Table};

/// Facts in so many pieces of about the same length; one that goes on stays with the one above.
pub(super) fn pieces(facts: &[Fact], count: usize) -> Vec<&[Fact]> {
    let long = facts.len().div_ceil(count);
    let (mut found, mut rest) = (Vec::new(), facts);
    while !rest.is_empty() {
        let mut at = long.min(rest.len());
        while at < rest.len() && rest[at].name.text.is_empty() {
            at += 1;
        }
        let (piece, after) = rest.split_at(at);
        found.push(piece);
        rest = after;
    }
    found
}

/// Cards as rows.
pub(super) fn cards(group: &CardGroup) -> Table {
    let mut table = Table::new(vec![
        Column::new("").name(),
        Column::new(""),
        Column::new(""),
        Column::new("").sentence(),
    ]);
    table.group(group.title.clone());
    for card in &group.cards {
        let (value, aside) = (card.value.plain().into(), card.aside.plain().into());
        table.row(vec![card.name.clone(), value, card.badge.clone(), aside]);
    }
    table
}

/// Folds as rows, with what is behind each below it.
pub(super) fn folded(folds: &[Fold]) -> Table {
    let figures = folds.iter().map(|fold| fold.figures.len()).max().unwrap_or(0);
    let mut columns = vec![Column::new(""), Column::new("").name()];
    columns.extend((0..figures).map(|_| Column::new("").right()));
    let mut table = Table::new(columns);
    for fold in folds {
        let mut row = vec![fold.sort.clone(), fold.name.clone()];
        row.extend(fold.figures.iter().cloned());
        row.resize(figures + 2, Span::default());
        table.row(row);
        fold.inside.iter().for_each(|line| table.note(line.clone()));
    }
    table
}
