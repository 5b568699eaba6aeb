use super::CsvTable;
use crate::RenderError;
use serde::Serialize;
use tally_core::model::{Kind, Package, Phase, Reason, System, Tally};

/// All packages of tallies, a row each, for use in any data tool.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PackageRows {
    /// Comma-separated values by RFC 4180, with a header.
    Csv,
    /// A JSON object a line.
    JsonLines,
}

#[derive(Serialize)]
struct Row<'a> {
    handle: &'a str,
    distro: &'a str,
    release: Option<&'a str>,
    edition: Option<&'a str>,
    profile: Option<&'a str>,
    system: System,
    name: &'a str,
    version: &'a str,
    upstream_version: &'a str,
    arch: &'a str,
    source: &'a str,
    kind: Kind,
    reason: Reason,
    phase: Phase,
    section: &'a str,
    repository: Option<&'a str>,
    installed_bytes: Option<u64>,
    purl: &'a str,
    summary: &'a str,
}

const COLUMNS: &[&str] = &[
    "handle",
    "distro",
    "release",
    "edition",
    "profile",
    "system",
    "name",
    "version",
    "upstream_version",
    "arch",
    "source",
    "kind",
    "reason",
    "phase",
    "section",
    "repository",
    "installed_bytes",
    "purl",
    "summary",
];

impl PackageRows {
    /// What stands before all rows.
    pub fn head(self) -> Vec<u8> {
        match self {
            Self::Csv => (COLUMNS.join(",") + "\n").into_bytes(),
            Self::JsonLines => Vec::new(),
        }
    }

    /// The rows of one tally, packages that are there.
    ///
    /// # Errors
    /// None in practice: every value has both forms.
    pub fn of(self, handle: &str, tally: &Tally) -> Result<Vec<u8>, RenderError> {
        match self {
            Self::Csv => {
                let mut table = CsvTable::new(COLUMNS);
                tally.present().for_each(|package| table.row(cells(&row(handle, tally, package))));
                table.rows_into_bytes().map_err(RenderError::Csv)
            }
            Self::JsonLines => {
                let mut bytes = Vec::new();
                for package in tally.present() {
                    serde_json::to_writer(&mut bytes, &row(handle, tally, package))
                        .map_err(RenderError::Json)?;
                    bytes.push(b'\n');
                }
                Ok(bytes)
            }
        }
    }
}

fn row<'a>(handle: &'a str, tally: &'a Tally, package: &'a Package) -> Row<'a> {
    let label = &tally.label;
    Row {
        handle,
        distro: &label.distro,
        release: label.release.as_deref(),
        edition: label.edition.as_deref(),
        profile: label.profile.as_deref(),
        system: package.system,
        name: &package.name,
        version: &package.version,
        upstream_version: &package.upstream_version,
        arch: &package.arch,
        source: package.source(),
        kind: package.kind,
        reason: package.reason,
        phase: package.phase,
        section: &package.section,
        repository: package.repository.as_deref(),
        installed_bytes: package.installed_bytes,
        purl: &package.purl,
        summary: &package.summary,
    }
}

fn cells(row: &Row<'_>) -> Vec<String> {
    let text = |text: Option<&str>| text.unwrap_or_default().to_owned();
    vec![
        row.handle.into(),
        row.distro.into(),
        text(row.release),
        text(row.edition),
        text(row.profile),
        row.system.name().into(),
        row.name.into(),
        row.version.into(),
        row.upstream_version.into(),
        row.arch.into(),
        row.source.into(),
        row.kind.name().into(),
        row.reason.name().into(),
        row.phase.name().into(),
        row.section.into(),
        text(row.repository),
        row.installed_bytes.map(|bytes| bytes.to_string()).unwrap_or_default(),
        row.purl.into(),
        row.summary.into(),
    ]
}
