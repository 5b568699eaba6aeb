use super::dim;
use crate::View;
use crate::document::{Column, Document, Table};
use crate::text::count_of;
use crate::wire::{CsvTable, pretty};
use crate::words;
use serde::Serialize;
use std::collections::BTreeSet;
use tally_core::model::PictureSighting;

/// Which installs on the shelf have a picture, the oldest release first.
#[derive(Debug, Clone, Serialize)]
pub struct PictureFindView {
    /// The name of the file that was asked for.
    pub asked: String,
    /// Where it is.
    pub found: Vec<PictureSighting>,
}

impl View for PictureFindView {
    fn document(&self) -> Document {
        let mut document = Document::default();
        let installs: BTreeSet<&str> = self.found.iter().map(|found| found.handle.as_str()).collect();
        document.title(self.asked.as_str(), format!("in {}", count_of(installs.len() as u64, "install")));
        if let Some(first) = self.found.iter().find(|one| one.label.release_date.is_some()) {
            let day = first.label.release_date.as_deref().unwrap_or_default();
            document.paragraph(format!("First in {}, released on {day}", first.label.title()));
        }
        let mut table = Table::new(vec![
            Column::new("install").name(),
            Column::new("released"),
            Column::new("picture").name(),
            Column::new("what").drops(2),
            Column::new("").drops(1),
        ]);
        for found in &self.found {
            table.row(vec![
                found.handle.as_str().into(),
                dim(found.label.release_date.as_deref().unwrap_or("not known")),
                found.name.as_str().into(),
                dim(words::picture_kind(found.kind)),
                dim(words::sameness(found.how)),
            ]);
        }
        document.table_or(
            table,
            "No install on the shelf has it. Only those taken with `--pictures` are known by their pictures.",
        );
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(Serialize, Default)]
        struct Row<'a> {
            handle: &'a str,
            released: Option<&'a str>,
            kind: &'a str,
            name: &'a str,
            how: &'a str,
        }
        CsvTable::of(self.found.iter().map(|found| Row {
            handle: &found.handle,
            released: found.label.release_date.as_deref(),
            kind: found.kind.name(),
            name: &found.name,
            how: found.how.name(),
        }))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        pretty(self)
    }
}
