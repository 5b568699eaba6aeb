use crate::document::{Column, Document, Line, Role, Span, Table};
use crate::text::{bytes_human, count_of, megabytes};
use crate::view::{came, dim, strong};
use crate::wire::{CsvTable, ShowWire, pretty};
use crate::words;
use serde::Serialize;
use tally_core::knowledge::matches;
use tally_core::model::{Kind, MissingFact, Package, Reason, State, System, Tally};

/// Which packages are listed; what is not asked for lists all.
#[derive(Debug, Clone, Default)]
pub struct PackageFilter {
    /// Kinds.
    pub kinds: Vec<Kind>,
    /// Package systems.
    pub systems: Vec<System>,
    /// Why they are installed.
    pub reasons: Vec<Reason>,
    /// Pattern of names.
    pub name: Option<String>,
}

impl PackageFilter {
    /// Whether it lists everything.
    pub fn is_empty(&self) -> bool {
        self.kinds.is_empty() && self.systems.is_empty() && self.reasons.is_empty() && self.name.is_none()
    }

    /// Leaves out of a tally the packages that are not asked for.
    pub fn apply(&self, tally: &mut Tally) {
        fn asked<T: PartialEq>(asked: &[T], one: &T) -> bool {
            asked.is_empty() || asked.contains(one)
        }
        tally.packages.retain(|package| {
            asked(&self.kinds, &package.kind)
                && asked(&self.systems, &package.system)
                && asked(&self.reasons, &package.reason)
                && self.name.as_ref().is_none_or(|pattern| matches(pattern, &package.name))
        });
    }
}

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
        Column::new("kind").drops(5),
        Column::new("reason").drops(4),
        Column::new("MB").right().drops(6),
        Column::new("section").drops(1),
        Column::new("since installation").drops(7),
        Column::new("summary").sentence().drops(3),
        Column::new("read from").name().drops(0),
    ]);
    let seen = tally.label.seen_as();
    for package in &tally.packages {
        table.row(vec![
            package.name.as_str().into(),
            package.version.as_str().into(),
            package.arch.as_str().into(),
            package.kind.name().into(),
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

pub(super) fn csv(tally: &Tally) -> csv::Result<CsvTable> {
    #[derive(Serialize, Default)]
    struct Row<'a> {
        system: &'a str,
        name: &'a str,
        version: &'a str,
        upstream_version: &'a str,
        arch: &'a str,
        reason: &'a str,
        state: &'a str,
        phase: &'a str,
        shipped_version: Option<&'a str>,
        kind: &'a str,
        installed_bytes: Option<u64>,
        section: &'a str,
        source: Option<&'a str>,
        repository: Option<&'a str>,
        essential: bool,
        homepage: &'a str,
        purl: &'a str,
        summary: &'a str,
        file: &'a str,
        line: Option<u32>,
        kind_because: String,
    }
    CsvTable::of(tally.packages.iter().map(|package| Row {
        system: package.system.name(),
        name: &package.name,
        version: &package.version,
        upstream_version: &package.upstream_version,
        arch: &package.arch,
        reason: package.reason.name(),
        state: package.state.name(),
        phase: package.phase.name(),
        shipped_version: package.shipped_version.as_deref(),
        kind: package.kind.name(),
        installed_bytes: package.installed_bytes,
        section: &package.section,
        source: package.source.as_deref(),
        repository: package.repository.as_deref(),
        essential: package.essential,
        homepage: &package.homepage,
        purl: &package.purl,
        summary: &package.summary,
        file: &package.evidence.file,
        line: package.evidence.line,
        kind_because: words::kind_reason(package),
    }))
}

pub(super) fn json(tally: &Tally) -> serde_json::Result<Vec<u8>> {
    #[derive(Serialize)]
    struct Packages<'a> {
        packages: &'a [Package],
    }
    let content = Packages { packages: &tally.packages };
    pretty(&ShowWire { schema_version: 2, view: "packages", install: &tally.label, content })
}
