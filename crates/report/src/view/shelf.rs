use crate::View;
use crate::document::{Column, Document, Line, Role, Span, Table};
use crate::text::{bytes_human, count_of, thousands};
use crate::view::dim;
use crate::wire::{CsvTable, pretty};
use serde::Serialize;
use tally_core::model::{Label, Shelved};

/// What is on the shelf.
#[derive(Debug, Clone)]
pub struct ShelfView {
    /// The folder.
    pub folder: String,
    /// Its entries, by handle.
    pub entries: Vec<Shelved>,
    /// How many are there, when only some were asked for.
    pub of: usize,
}

impl View for ShelfView {
    fn document(&self) -> Document {
        let mut document = Document::default();
        let number = count_of(self.of as u64, "install");
        let number =
            if self.entries.len() < self.of { format!("{} of {number}", self.entries.len()) } else { number };
        document.title(format!("{number} on the shelf"), &self.folder);
        let mut table = Table::new(vec![
            Column::new("handle").name(),
            Column::new("install").name().drops(4),
            Column::new("packages").right().drops(2),
            Column::new("programs").right().drops(1),
            Column::new("on disk").right().drops(3),
            Column::new("taken").drops(0),
        ]);
        for entry in &self.entries {
            table.row(row(entry));
        }
        document.table_or(
            table,
            if self.of > 0 {
                "None that matches."
            } else {
                "Nothing yet. Add an install: `fresh-tally take SOURCE`"
            },
        );
        for entry in &self.entries {
            if let Some(problem) = &entry.problem {
                let line = Line::from(Span::new(Role::LookTwice, &entry.handle))
                    .and(format!(" can't be read: {problem}"));
                document.paragraph(line);
            }
        }
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(Serialize, Default)]
        struct Row<'a> {
            handle: &'a str,
            distro: &'a str,
            release: Option<&'a str>,
            codename: Option<&'a str>,
            edition: Option<&'a str>,
            profile: Option<&'a str>,
            arch: Option<&'a str>,
            packages: u64,
            applications: u64,
            installed_bytes: u64,
            taken_at: Option<&'a str>,
            problem: Option<&'a str>,
        }
        let unlabelled = Label::default();
        CsvTable::of(self.entries.iter().map(|entry| {
            let label = entry.label.as_ref().unwrap_or(&unlabelled);
            Row {
                handle: &entry.handle,
                distro: &label.distro,
                release: label.release.as_deref(),
                codename: label.codename.as_deref(),
                edition: label.edition.as_deref(),
                profile: label.profile.as_deref(),
                arch: label.arch.as_deref(),
                packages: entry.packages,
                applications: entry.applications,
                installed_bytes: entry.installed_bytes,
                taken_at: entry.taken_at.as_deref(),
                problem: entry.problem.as_deref(),
            }
        }))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        #[derive(Serialize)]
        struct ShelfWire<'a> {
            schema_version: u32,
            folder: &'a str,
            installs: &'a [Shelved],
        }
        pretty(&ShelfWire { schema_version: 2, folder: &self.folder, installs: &self.entries })
    }
}

fn row(entry: &Shelved) -> Vec<Span> {
    let Some(label) = &entry.label else {
        let handle = Span::new(Role::LookTwice, &entry.handle);
        return vec![handle, dim("can't be read"), dim(""), dim(""), dim(""), dim("")];
    };
    let day = entry.taken_at.as_deref().and_then(|at| at.get(..10)).unwrap_or("unknown");
    vec![
        entry.handle.as_str().into(),
        label.title().into(),
        thousands(entry.packages).into(),
        thousands(entry.applications).into(),
        // Where no package has a size, sizes are not recorded.
        match entry.installed_bytes {
            0 => dim("not recorded"),
            bytes => bytes_human(bytes).into(),
        },
        dim(day),
    ]
}
