use crate::View;
use crate::document::{Column, Document, Line, Role, Span, Table};
use crate::view::dim;
use crate::wire::{CsvTable, pretty};
use crate::words;
use serde::Serialize;
use tally_core::model::{Label, PackageRef, Text};

/// Files, each with the package that it belongs to.
#[derive(Debug, Clone)]
pub struct OwnerView {
    /// The install.
    pub label: Label,
    /// What was asked for.
    pub asked: String,
    /// Files that are there.
    pub files: Vec<OwnedFile>,
}

/// A file and its owner; all but the path are missing where no package owns it.
#[derive(Debug, Clone, Serialize)]
pub struct OwnedFile {
    /// Path inside the install.
    pub file: String,
    /// The package.
    pub package: Option<PackageRef>,
    /// Its version.
    pub version: Option<Text>,
    /// Its line of description.
    pub summary: Option<Text>,
}

impl View for OwnerView {
    fn document(&self) -> Document {
        let mut document = Document::default();
        document.title(self.label.title(), words::seen(self.label.seen_as()));
        if self.files.is_empty() {
            document.paragraph(Line::from(Span::new(Role::Strong, format!("{} was not found.", self.asked))));
            return document;
        }
        let mut table = Table::new(vec![
            Column::new("file").name(),
            Column::new("package").name(),
            Column::new("version"),
            Column::new("description").sentence().drops(1),
        ]);
        for OwnedFile { file, package, version, summary } in &self.files {
            table.row(vec![
                file.as_str().into(),
                package.as_ref().map_or_else(|| dim("no package"), |package| package.as_str().into()),
                version.as_deref().unwrap_or_default().into(),
                dim(summary.as_deref().unwrap_or_default()),
            ]);
        }
        document.table_or(table, "");
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(Serialize, Default)]
        struct Row<'a> {
            file: &'a str,
            package: Option<&'a str>,
            version: Option<&'a str>,
            summary: Option<&'a str>,
        }
        CsvTable::of(self.files.iter().map(|owned| Row {
            file: &owned.file,
            package: owned.package.as_ref().map(PackageRef::as_str),
            version: owned.version.as_deref(),
            summary: owned.summary.as_deref(),
        }))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        #[derive(Serialize)]
        struct Wire<'a> {
            schema_version: u32,
            asked: &'a str,
            install: &'a Label,
            files: &'a [OwnedFile],
        }
        pretty(&Wire { schema_version: 2, asked: &self.asked, install: &self.label, files: &self.files })
    }
}
