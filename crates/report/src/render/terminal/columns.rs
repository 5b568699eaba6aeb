//! How wide the columns of a table are, and which of them drop out, where a screen is narrow.

use super::GAP;
use crate::document::{Row, Shrink, Table};
use crate::text::width;

/// Shortest name and shortest sentence that a narrow screen leaves.
const SHORTEST_NAME: usize = 14;
const SHORTEST_SENTENCE: usize = 18;
/// Columns that a name keeps at least in a table that is folded.
const FOLDED_NAME: usize = 22;

/// A table in pieces that fit, side by side below each other; the first column is in each, and notes in the first.
pub(super) fn fold(table: &Table, limit: usize) -> Vec<Table> {
    let natural = Layout::of(table, None).widths;
    let least = |i: usize| {
        let natural = natural[i].unwrap_or(0);
        match table.columns[i].shrink {
            Shrink::Never => natural,
            Shrink::Middle => natural.min(FOLDED_NAME),
            Shrink::End => natural.min(SHORTEST_SENTENCE),
        }
    };
    let mut pages: Vec<Vec<usize>> = vec![vec![0]];
    let mut used = least(0);
    for i in 1..table.columns.len() {
        if used + GAP + least(i) > limit && pages.last().is_some_and(|page| page.len() > 1) {
            pages.push(vec![0]);
            used = least(0);
        }
        used += GAP + least(i);
        if let Some(page) = pages.last_mut() {
            page.push(i);
        }
    }
    // A last page of remarks alone says nothing: they stay where there is room, or go.
    if let [.., last] = &pages[..]
        && let [0, only] = last[..]
        && pages.len() > 1
        && table.columns[only].shrink == Shrink::End
    {
        pages.pop();
    }
    let count = pages.len();
    let piece = |(number, columns): (usize, Vec<usize>)| {
        let mut page = Table::new(columns.iter().map(|i| table.columns[*i].clone()).collect());
        if count > 1 {
            page.columns[0].title = format!("{} of {count}", number + 1);
        }
        for row in &table.rows {
            match row {
                Row::Cells(cells) => {
                    page.row(columns.iter().filter_map(|i| cells.get(*i).cloned()).collect());
                }
                Row::Note(_) if number > 0 => {}
                other => page.rows.push(other.clone()),
            }
        }
        page
    };
    pages.into_iter().enumerate().map(piece).collect()
}

/// The width of each column; `None` for one that is dropped.
pub(super) struct Layout {
    pub(super) widths: Vec<Option<usize>>,
}

impl Layout {
    /// Sentences shrink first, then columns drop in their order, then names shrink; what must stay, stays.
    pub(super) fn of(table: &Table, limit: Option<usize>) -> Self {
        let natural = |i: usize| {
            let cells = table.rows.iter().filter_map(|row| match row {
                Row::Cells(cells) => cells.get(i).map(|cell| width(&cell.text)),
                Row::Group(_) | Row::Note(_) => None,
            });
            cells.max().unwrap_or(0).max(width(&table.columns[i].title))
        };
        let natural: Vec<usize> = (0..table.columns.len()).map(natural).collect();
        let mut layout = Self { widths: natural.iter().copied().map(Some).collect() };
        if let Some(limit) = limit {
            layout.shrink(table, Shrink::End, SHORTEST_SENTENCE, limit);
            while layout.total() > limit && layout.drop_one(table) {
                // What was dropped leaves room: the rest starts again from its natural width.
                layout
                    .widths
                    .iter_mut()
                    .zip(&natural)
                    .for_each(|(width, natural)| *width = width.map(|_| *natural));
                layout.shrink(table, Shrink::End, SHORTEST_SENTENCE, limit);
            }
            layout.shrink(table, Shrink::Middle, SHORTEST_NAME, limit);
        }
        layout
    }

    fn total(&self) -> usize {
        let shown: Vec<usize> = self.widths.iter().flatten().copied().collect();
        shown.iter().sum::<usize>() + GAP * shown.len().saturating_sub(1)
    }

    /// Takes columns from the widest ones of this sort, down to the next widest, until all fits or none can give more.
    fn shrink(&mut self, table: &Table, sort: Shrink, shortest: usize, limit: usize) {
        while self.total() > limit {
            let over = self.total() - limit;
            let mut giving: Vec<(usize, usize)> = table
                .columns
                .iter()
                .zip(&self.widths)
                .enumerate()
                .filter(|(_, (column, _))| column.shrink == sort)
                .filter_map(|(i, (_, width))| Some((width.filter(|width| *width > shortest)?, i)))
                .collect();
            giving.sort_by_key(|(width, i)| (std::cmp::Reverse(*width), *i));
            let Some((widest, _)) = giving.first().copied() else { return };
            let alike = giving.iter().take_while(|(width, _)| *width == widest).count();
            let next = giving.get(alike).map_or(shortest, |(width, _)| *width);
            let each = over.div_ceil(alike).min(widest - next);
            for (_, i) in &giving[..alike] {
                self.widths[*i] = Some(widest - each);
            }
        }
    }

    fn drop_one(&mut self, table: &Table) -> bool {
        let droppable = table
            .columns
            .iter()
            .enumerate()
            .filter(|(i, column)| self.widths[*i].is_some() && column.drop.is_some());
        match droppable.min_by_key(|(_, column)| column.drop) {
            Some((i, _)) => {
                self.widths[i] = None;
                true
            }
            None => false,
        }
    }
}
