use super::{all_seen, capital, dim, side_by_side};
use crate::View;
use crate::document::{Cell as Shown, Column, Document, Line, Role, Span, Table};
use crate::text::{count_of, figure, thousands};
use crate::wire::{CsvTable, pretty};
use crate::words;
use std::borrow::Cow;
use std::collections::BTreeMap;
use tally_core::grid::{Cell, CellState, Grid, GridRow, Likeness, RowGroup, RowLabel, short_names};
use tally_core::model::{Label, PackageRef, Text};

/// Many installs side by side.
#[derive(Debug, Clone)]
pub struct GridView<'a> {
    /// The answers.
    pub grid: &'a Grid,
    /// Whether only rows are shown that differ.
    pub only_differing: bool,
    /// Groups that are shown row by row, and no others; when there are none, the rows that fit a screen or two. CSV and JSON
    /// hold them all either way.
    pub groups: &'a [RowGroup],
    /// The command that made it, for the way to more.
    pub command: &'a str,
}

/// Names of a list that are told; the rest is counted.
const NAMED: usize = 8;

pub(crate) const fn heading(group: RowGroup) -> &'static str {
    match group {
        RowGroup::Asked => "Asked for",
        RowGroup::Label => "The installs",
        RowGroup::Parts => "Under the hood",
        RowGroup::Defaults => "Default apps",
        RowGroup::Counts => "In the box",
        RowGroup::Sizes => "On disk",
        RowGroup::Programs => "Programs that differ",
        RowGroup::Startup => "Startup",
        RowGroup::Repositories => "Repositories",
        RowGroup::Looks => "Looks",
        RowGroup::Media => "Opens and plays",
        RowGroup::Settings => "Settings",
        RowGroup::Readings => "Measured",
    }
}

impl GridView<'_> {
    /// Rows that are shown, and how many of the group are the same in all and left out.
    fn shown(&self, group: RowGroup) -> (Vec<&GridRow>, usize) {
        if !self.groups.is_empty() && !self.groups.contains(&group) {
            return (Vec::new(), 0);
        }
        let rows = self.grid.rows.iter().filter(|row| row.group == group);
        let rows: Vec<&GridRow> = rows.filter(|row| !self.groups.is_empty() || is_summary(row)).collect();
        // Where there may be hundreds, those that differ are what is asked for.
        let only = self.only_differing || matches!(group, RowGroup::Programs | RowGroup::Startup);
        if !only {
            return (rows, 0);
        }
        let (same, differing): (Vec<&GridRow>, Vec<&GridRow>) = rows.into_iter().partition(|row| row.same);
        (differing, same.len())
    }

    fn table(&self, names: &[Text]) -> Table {
        let mut columns = vec![Column::new("").name()];
        columns.extend(names.iter().map(|name| Column::new(name.as_str()).name()));
        columns.push(Column::new("").sentence());
        let mut table = Table { folds: true, ..Table::new(columns) };
        for group in RowGroup::ALL {
            let (rows, same) = self.shown(*group);
            if rows.is_empty() && same == 0 {
                continue;
            }
            table.group(heading(*group));
            for row in &rows {
                let mut cells: Vec<Shown> = vec![words::row_label(&row.label).as_ref().into()];
                cells.extend(row.cells.iter().enumerate().map(|(i, cell)| shown(row, cell, i)));
                // Who stands out is seen in the row as well; why a figure does not count is not.
                let doubtful = row.cells.iter().any(|cell| cell.not_comparable.is_some());
                let remark = row.remark.as_ref().map(words::remark).unwrap_or_default();
                cells.push(dim(if doubtful { "" } else { &remark }));
                table.row(cells);
                if doubtful {
                    table.note(Span::new(Role::LookTwice, remark));
                }
            }
            match (rows.is_empty(), same) {
                (_, 0) => {}
                (true, same) => table.note(dim(format!("{} the same in all", count_of(same as u64, "row")))),
                (false, same) => {
                    table.note(dim(format!("and {} the same in all", count_of(same as u64, "row"))));
                }
            }
        }
        table
    }

    /// What all have in common, and what each one alone has or lacks.
    fn spread(&self, document: &mut Document, names: &[Text]) {
        let grid = self.grid;
        let all = if names.len() == 2 { "Both".to_owned() } else { format!("All {}", names.len()) };
        document.heading(format!(
            "{all} have {} and {} in common",
            count_of(grid.shared, "package"),
            count_of(grid.shared_applications, "program")
        ));
        let mut table = Table::new(vec![
            Column::new("").name(),
            Column::new("packages").right(),
            Column::new("programs").right(),
            Column::new("").sentence(),
        ]);
        let program_names = self.program_names();
        type Lists<'a> = (&'a str, &'a BTreeMap<Text, Vec<PackageRef>>, &'a BTreeMap<Text, Vec<Text>>);
        let sorts: [Lists<'_>; 2] = [
            ("has", &grid.only, &grid.only_applications),
            ("lacks", &grid.only_lacks, &grid.only_lacks_applications),
        ];
        for (verb, packages, programs) in sorts {
            for (install, name) in grid.installs.iter().zip(names) {
                let Some(packages) = packages.get(&install.handle) else { continue };
                let programs = programs.get(&install.handle).map_or(&[][..], Vec::as_slice);
                let called: Vec<&str> = programs
                    .iter()
                    .take(NAMED)
                    .map(|id| program_names.get(id).map_or(id.as_str(), |name| name.as_str()))
                    .collect();
                let more = programs.len().saturating_sub(NAMED);
                let more = if more > 0 { format!(" and {more} more") } else { String::new() };
                table.row(vec![
                    format!("only {name} {verb}").into(),
                    thousands(packages.len() as u64).into(),
                    thousands(programs.len() as u64).into(),
                    dim(format!("{}{more}", called.join(", "))),
                ]);
            }
        }
        document.table_or(table, "");
    }

    fn program_names(&self) -> BTreeMap<Text, String> {
        let rows = self.grid.rows.iter().filter(|row| row.group == RowGroup::Programs);
        let named = |row: &'_ GridRow| (row.row.clone(), words::row_label(&row.label).into_owned());
        rows.map(named).collect()
    }

    /// How alike they are; likes are side by side.
    fn likeness(&self, document: &mut Document, names: &[Text]) {
        let order = &self.grid.side_by_side;
        let percent = |share: f64| format!("{:.0}%", share * 100.0);
        let what = likeness_by(self.grid.alike_by);
        if let [_, _] = names {
            let share = percent(self.grid.alike[0][1]);
            document.paragraph(format!("Of all {what}, both have {share} in common."));
            return;
        }
        document.heading(format!("How alike they are: the share of {what} that both have"));
        let mut columns = vec![Column::new("").name()];
        columns.extend(order.iter().map(|i| Column::new(names[*i].as_str()).right()));
        let mut table = Table { folds: true, ..Table::new(columns) };
        for i in order {
            let mut cells: Vec<Shown> = vec![names[*i].as_str().into()];
            cells.extend(order.iter().map(|j| match self.grid.alike[*i][*j] {
                _ if i == j => dim("same"),
                share => percent(share).into(),
            }));
            table.row(cells);
        }
        document.table_or(table, "");
    }
}

/// What likeness is measured by.
pub(crate) const fn likeness_by(by: Likeness) -> &'static str {
    match by {
        Likeness::Applications => "programs",
        Likeness::Packages => "packages",
        Likeness::Weight => "disk space",
    }
}

fn is_unsure(cell: &Cell) -> bool {
    cell.state == CellState::Unsure
}

/// A value; one that no file sets has a question mark.
fn value(cell: &Cell) -> Cow<'_, str> {
    match (&cell.value, cell.state) {
        (Some(value), CellState::Unsure) => format!("{value}?").into(),
        (Some(value), _) => value.as_str().into(),
        (None, state) => words::cell(state).into(),
    }
}

/// Whether a row is in the short form: sums, and what has few rows.
fn is_summary(row: &GridRow) -> bool {
    match row.group {
        RowGroup::Counts | RowGroup::Sizes => !matches!(row.label, RowLabel::Kind(_)),
        RowGroup::Startup => row.unit.is_some(),
        RowGroup::Programs => false,
        _ => true,
    }
}

/// A cell as it is read. What is the same as in all installs before it is said so, numbers aside.
pub(crate) fn shown(row: &GridRow, cell: &Cell, column: usize) -> Shown {
    let first = &row.cells[0];
    if cell.is_not_recorded() {
        return dim(words::cell(cell.state));
    }
    if let Some(number) = cell.number {
        let text = figure(number, row.unit.as_deref().unwrap_or_default());
        return match &cell.not_comparable {
            Some(_) => Span::new(Role::LookTwice, format!("({text})")),
            None if row.same || column == 0 => text.into(),
            None if first.number == cell.number => text.into(),
            None => Span::new(Role::Changed, text),
        };
    }
    let same_so_far = row.cells[..column].iter().all(|before| before.says_the_same(cell));
    match (cell.is_no(), first.says_the_same(cell)) {
        (true, _) => dim(words::cell(cell.state)),
        (false, true) if column > 0 && same_so_far => dim("same"),
        (false, true) => value(cell).as_ref().into(),
        (false, false) => Span::new(Role::Changed, value(cell)),
    }
}

/// A value in CSV; what is not recorded is empty.
fn csv_value(cell: &Cell) -> String {
    if cell.is_not_recorded() { String::new() } else { value(cell).into_owned() }
}

/// What all labels share; empty where they share nothing.
pub(crate) fn shared(installs: &[Label]) -> String {
    let shared = match installs {
        [first, second, ..] => side_by_side(first, second).0,
        [only] => only.title(),
        [] => String::new(),
    };
    let all_have = |word: &str| installs.iter().all(|label| label.title().contains(word));
    let words: Vec<&str> = shared.split(", ").filter(|word| *word != super::TWO && all_have(word)).collect();
    words.join(", ")
}

/// What all labels share, as a title.
fn title(installs: &[Label]) -> String {
    let count = count_of(installs.len() as u64, "install");
    match shared(installs).as_str() {
        "" => capital(&count),
        shared => format!("{shared}: {count}"),
    }
}

impl GridView<'_> {
    /// All of it but how alike they are.
    pub(crate) fn differences(&self) -> Document {
        let names = short_names(&self.grid.installs);
        let mut document = Document::default();
        document.title(title(&self.grid.installs), all_seen(&self.grid.installs));
        document.table_or(self.table(&names), "Nothing differs.");
        let rows = RowGroup::ALL.iter().flat_map(|group| self.shown(*group).0);
        let unsure = |row: &&GridRow| row.group == RowGroup::Defaults && row.cells.iter().any(is_unsure);
        if rows.filter(unsure).count() > 0 {
            document.paragraph(dim("? no default is set: the first of several apps opens it."));
        }
        self.spread(&mut document, &names);
        document
    }
}

impl View for GridView<'_> {
    fn document(&self) -> Document {
        let mut document = self.differences();
        self.likeness(&mut document, &short_names(&self.grid.installs));
        if self.groups.is_empty() {
            let less =
                if self.only_differing { "" } else { ", `--only differing` leaves out what is the same" };
            let hint =
                format!("`{} --rows programs` shows more rows (or sizes, startup, all){less}", self.command);
            document.paragraph(Line::from(dim(hint)));
        }
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        let handles = self.grid.installs.iter().map(|install| install.handle.to_string());
        let mut header: Vec<String> = ["group", "row", "label", "unit"].map(String::from).to_vec();
        header.extend(handles);
        header.extend(["same", "remark"].map(String::from));
        let mut table = CsvTable::with_header(header);
        for row in self.grid.rows.iter().filter(|row| !(self.only_differing && row.same)) {
            let mut cells = vec![
                row.group.name().to_owned(),
                row.row.to_string(),
                words::row_label(&row.label).into_owned(),
                row.unit.as_deref().unwrap_or_default().to_owned(),
            ];
            cells.extend(row.cells.iter().map(csv_value));
            cells.extend([row.same.to_string(), row.remark.as_ref().map(words::remark).unwrap_or_default()]);
            table.row(cells);
        }
        Ok(table)
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        if !self.only_differing {
            return pretty(self.grid);
        }
        let mut grid = self.grid.clone();
        grid.rows.retain(|row| !row.same);
        pretty(&grid)
    }
}
