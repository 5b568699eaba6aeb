use crate::document::{Column, Document, Line, Role, Span, Table};
use crate::text::{bytes_human, count_of, megabytes};
use crate::view::{came, dim, optional, strong};
use crate::wire::{CsvTable, ShowWire, pretty};
use crate::words;
use serde::Serialize;
use tally_core::model::{MissingFact, Package, Reason, State, Tally};

pub(super) fn document(tally: &Tally) -> Document {
    let mut document = Document::default();
    document.title(tally.label.title(), words::seen(tally.label.seen_as()));
    let present = tally.present().count() as u64;
    let mut line = Line::from(strong(count_of(present, "package")));
    if !tally.lacks(MissingFact::Sizes) {
        line = line.and(format!(", {}", bytes_human(tally.installed_bytes())));
    }
    document.paragraph(line);
    let mut table = Table::new(vec![
        Column::new("package").name(),
        Column::new("version"),
        Column::new("arch").drops(2),
        Column::new("reason").drops(4),
        Column::new("MB").right().drops(5),
        Column::new("section").drops(1),
        Column::new("since installation").drops(6),
        Column::new("summary").sentence().drops(3),
        Column::new("read from").name().drops(0),
    ]);
    let seen = tally.label.seen_as();
    for package in &tally.packages {
        table.row(vec![
            package.name.as_str().into(),
            package.version.as_str().into(),
            package.arch.as_str().into(),
            reason(package),
            package.installed_bytes.map(megabytes).unwrap_or_default().into(),
            package.section.as_str().into(),
            Span::new(Role::LookTwice, came(package, seen)),
            package.summary.as_str().into(),
            dim(package.evidence.place()),
        ]);
    }
    document.table_or(table, "No package was found.");
    document
}

fn reason(package: &Package) -> Span {
    match (package.state, package.reason) {
        (State::Half, _) => Span::new(Role::LookTwice, "not fully installed"),
        (State::RemovedConfig, _) => Span::new(Role::LookTwice, "removed"),
        (_, Reason::Explicit) => Span::new(Role::Strong, "explicit"),
        (_, reason) => Span::new(Role::Dim, reason.name()),
    }
}

pub(super) fn csv(tally: &Tally) -> CsvTable {
    let mut table = CsvTable::new(&[
        "system",
        "name",
        "version",
        "upstream_version",
        "arch",
        "reason",
        "state",
        "phase",
        "shipped_version",
        "kind",
        "installed_bytes",
        "section",
        "source",
        "repository",
        "essential",
        "homepage",
        "purl",
        "summary",
        "file",
        "line",
    ]);
    for package in &tally.packages {
        table.row(vec![
            package.system.name().into(),
            package.name.to_string(),
            package.version.to_string(),
            package.upstream_version.to_string(),
            package.arch.to_string(),
            package.reason.name().into(),
            package.state.name().into(),
            package.phase.name().into(),
            optional(package.shipped_version.as_deref()),
            package.kind.name().into(),
            package.installed_bytes.map(|b| b.to_string()).unwrap_or_default(),
            package.section.to_string(),
            optional(package.source.as_deref()),
            optional(package.repository.as_deref()),
            package.essential.to_string(),
            package.homepage.to_string(),
            package.purl.to_string(),
            package.summary.to_string(),
            package.evidence.file.to_string(),
            package.evidence.line.map(|l| l.to_string()).unwrap_or_default(),
        ]);
    }
    table
}

pub(super) fn json(tally: &Tally) -> serde_json::Result<Vec<u8>> {
    #[derive(Serialize)]
    struct Packages<'a> {
        packages: &'a [Package],
    }
    let content = Packages { packages: &tally.packages };
    pretty(&ShowWire { schema_version: 2, view: "packages", install: &tally.label, content })
}
