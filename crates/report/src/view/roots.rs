use crate::View;
use crate::document::{Column, Document, Table};
use crate::text::{bytes_human, count_of};
use crate::wire::{CsvTable, pretty};
use serde::Serialize;

/// The installs on a disk, as they can be asked for.
#[derive(Debug, Clone)]
pub struct RootsView {
    /// The disk, as it was given.
    pub source: String,
    /// The roots that are there.
    pub roots: Vec<RootRow>,
}

/// One of them.
#[derive(Debug, Clone, Serialize)]
pub struct RootRow {
    /// By what it is asked for.
    pub name: String,
    /// What it calls itself; empty where it says nothing.
    pub title: String,
    /// Bytes of the partition or volume that it is on.
    pub bytes: u64,
}

/// Of a folder nobody knows how large what it is on is.
fn size(bytes: u64) -> String {
    if bytes == 0 { String::new() } else { bytes_human(bytes) }
}

impl View for RootsView {
    fn document(&self) -> Document {
        let mut document = Document::default();
        let found = count_of(self.roots.len() as u64, "install");
        document.title(self.source.clone(), found);
        let mut table = Table::new(vec![
            Column::new("root").name(),
            Column::new("install").sentence(),
            Column::new("size").right(),
        ]);
        for RootRow { name, title, bytes } in &self.roots {
            table.row(vec![name.as_str().into(), title.as_str().into(), size(*bytes).into()]);
        }
        document.table_or(table, "There is nothing to choose: it has one root, or none of its own.");
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(Serialize, Default)]
        struct Row<'a> {
            root: &'a str,
            title: &'a str,
            bytes: u64,
        }
        CsvTable::of(self.roots.iter().map(|one| Row {
            root: &one.name,
            title: &one.title,
            bytes: one.bytes,
        }))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        #[derive(Serialize)]
        struct Roots<'a> {
            schema_version: u32,
            source: &'a str,
            roots: &'a [RootRow],
        }
        pretty(&Roots { schema_version: 2, source: &self.source, roots: &self.roots })
    }
}
