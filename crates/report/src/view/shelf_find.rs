use super::{dim, strong};
use crate::View;
use crate::document::{Column, Document, Line, Role, Span, Table};
use crate::text::count_of;
use crate::wire::{CsvTable, pretty};
use crate::words;
use serde::Serialize;
use std::collections::BTreeSet;
use tally_core::model::{Sighting, Sightings, System};

/// Rows of the table; CSV and JSON hold all.
const MOST: usize = 60;

/// Where on the shelf a name is.
#[derive(Debug, Clone, Serialize)]
pub struct ShelfFindView {
    /// What was asked.
    pub asked: String,
    /// Names that were taken for it, and where they are.
    #[serde(flatten)]
    pub sightings: Sightings,
}

impl View for ShelfFindView {
    fn document(&self) -> Document {
        let mut document = Document::default();
        let installs: BTreeSet<&str> =
            self.sightings.found.iter().map(|found| found.handle.as_str()).collect();
        document.title(self.asked.as_str(), format!("in {}", count_of(installs.len() as u64, "install")));
        if self.sightings.found.is_empty() {
            let mut line = Line::from(strong(format!("{} is in no install on the shelf.", self.asked)));
            if !self.sightings.nearest.is_empty() {
                line = line.and(format!(" Similar names: {}", self.sightings.nearest.join(", ")));
            }
            document.paragraph(line);
            return document;
        }
        if !self.sightings.names.iter().any(|name| name.eq_ignore_ascii_case(&self.asked)) {
            let names = self.sightings.names.join(", ");
            document.paragraph(Span::new(
                Role::LookTwice,
                format!("Nothing has exactly that name; found as {names}"),
            ));
        }
        let mut table = Table::new(vec![
            Column::new("name").name(),
            Column::new("version"),
            Column::new("what").drops(2),
            Column::new("format").drops(1),
            Column::new("install").name(),
        ]);
        // An application and its package, under one name and at one version, are one line.
        let mut rows: Vec<(&Sighting, BTreeSet<&str>)> = Vec::new();
        for found in &self.sightings.found {
            let alike = |other: &Sighting| {
                other.handle == found.handle
                    && other.name.eq_ignore_ascii_case(&found.name)
                    && other.version == found.version
            };
            match rows.iter_mut().rev().take(8).find(|(other, _)| alike(other)) {
                Some((_, what)) => _ = what.insert(found.what),
                None => rows.push((found, BTreeSet::from([found.what]))),
            }
        }
        for (found, what) in rows.iter().take(MOST) {
            table.row(vec![
                found.name.as_str().into(),
                found.version.as_deref().unwrap_or_default().into(),
                dim(what.iter().map(|what| words::thing(what)).collect::<Vec<_>>().join(", ")),
                dim(found.system.map(System::name).unwrap_or_default()),
                found.handle.as_str().into(),
            ]);
        }
        document.table_or(table, "");
        if rows.len() > MOST {
            document.paragraph(dim(format!("and {} more: --format csv lists them all", rows.len() - MOST)));
        }
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(Serialize, Default)]
        struct Row<'a> {
            name: &'a str,
            what: &'a str,
            version: Option<&'a str>,
            system: Option<&'a str>,
            handle: &'a str,
            install: String,
        }
        CsvTable::of(self.sightings.found.iter().map(|found| Row {
            name: &found.name,
            what: found.what,
            version: found.version.as_deref(),
            system: found.system.map(System::name),
            handle: &found.handle,
            install: found.label.title(),
        }))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        #[derive(Serialize)]
        struct Wire<'a> {
            schema_version: u32,
            #[serde(flatten)]
            view: &'a ShelfFindView,
        }
        pretty(&Wire { schema_version: 2, view: self })
    }
}
