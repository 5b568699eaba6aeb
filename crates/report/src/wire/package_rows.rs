use super::CsvTable;
use crate::RenderError;
use crate::text::escaped_json;
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

#[derive(Serialize, Default)]
struct Row<'a> {
    handle: &'a str,
    distro: &'a str,
    release: Option<&'a str>,
    edition: Option<&'a str>,
    profile: Option<&'a str>,
    system: Option<System>,
    name: &'a str,
    version: &'a str,
    upstream_version: &'a str,
    arch: &'a str,
    source: &'a str,
    kind: Option<Kind>,
    reason: Option<Reason>,
    phase: Option<Phase>,
    section: &'a str,
    repository: Option<&'a str>,
    installed_bytes: Option<u64>,
    purl: &'a str,
    summary: &'a str,
}

impl PackageRows {
    /// What is before all rows.
    ///
    /// # Errors
    /// None in practice: every value has both forms.
    pub fn head(self) -> Result<Vec<u8>, RenderError> {
        match self {
            Self::Csv => CsvTable::of::<Row<'_>>([]).and_then(CsvTable::into_bytes).map_err(RenderError::Csv),
            Self::JsonLines => Ok(Vec::new()),
        }
    }

    /// The rows of one tally, packages that are there.
    ///
    /// # Errors
    /// None in practice: every value has both forms.
    pub fn of(self, handle: &str, tally: &Tally) -> Result<Vec<u8>, RenderError> {
        match self {
            Self::Csv => {
                let rows = tally.present().map(|package| row(handle, tally, package));
                CsvTable::of(rows).and_then(CsvTable::rows_into_bytes).map_err(RenderError::Csv)
            }
            Self::JsonLines => {
                let mut bytes = Vec::new();
                for package in tally.present() {
                    serde_json::to_writer(&mut bytes, &row(handle, tally, package))
                        .map_err(RenderError::Json)?;
                    bytes.push(b'\n');
                }
                Ok(escaped_json(bytes))
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
        system: Some(package.system),
        name: &package.name,
        version: &package.version,
        upstream_version: &package.upstream_version,
        arch: &package.arch,
        source: package.source(),
        kind: Some(package.kind),
        reason: Some(package.reason),
        phase: Some(package.phase),
        section: &package.section,
        repository: package.repository.as_deref(),
        installed_bytes: package.installed_bytes,
        purl: &package.purl,
        summary: &package.summary,
    }
}
