//! What makers released, and when: the reviewer's own file.

use super::known::ReleaseSource;
use crate::knowledge::{RulesError, line_of};
use crate::model::Text;
use crate::version::compare_plain;
use jiff::civil::Date;
use rustc_hash::FxHashMap;
use serde::Deserialize;
use toml::Spanned;

/// The file that `lag --starter` prints.
const STARTER: &str = include_str!("starter.toml");

/// Projects and their releases.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Upstream {
    /// In the order of the file.
    pub projects: Vec<Project>,
}

/// A project: a name, other names that packages and programs have, its releases.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Project {
    /// Its name.
    pub name: Text,
    /// Other names.
    pub also: Vec<Text>,
    /// Releases, in no stated order.
    pub releases: Vec<Release>,
}

/// A release of a project.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Release {
    /// Its version.
    pub version: Text,
    /// The day that it came out, or was out at the latest.
    pub date: Date,
    /// The long-term series that it belongs to.
    pub series: Option<Text>,
    /// Who says so.
    pub source: ReleaseSource,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RawFile {
    #[serde(default)]
    project: Vec<RawProject>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RawProject {
    name: Text,
    #[serde(default)]
    also: Vec<Text>,
    releases: Vec<RawRelease>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RawRelease {
    version: Text,
    date: Spanned<Text>,
    #[serde(default)]
    series: Option<Text>,
}

impl Upstream {
    /// Reads the TOML form: `[[project]]` with `name`, `also`, and `releases` of `version`, `date` and `series`.
    ///
    /// # Errors
    /// A syntax error, an unknown key or a day that is none, each with its line; or that no project is there.
    pub fn parse_toml(text: &str) -> Result<Self, RulesError> {
        let raw: RawFile = toml::from_str(text).map_err(|error| RulesError::from_toml(text, &error))?;
        let mut projects = Vec::with_capacity(raw.project.len());
        for project in raw.project {
            let mut releases = Vec::with_capacity(project.releases.len());
            for release in project.releases {
                let line = line_of(text, release.date.span().start);
                let date = day(release.date.get_ref(), line)?;
                releases.push(Release {
                    version: release.version,
                    date,
                    series: release.series,
                    source: ReleaseSource::file(line),
                });
            }
            projects.push(Project { name: project.name, also: project.also, releases });
        }
        Self { projects }.checked()
    }

    /// Reads the CSV form: columns `project`, `version`, `date`, and `series` where there is one, in any order.
    ///
    /// # Errors
    /// A missing column, an empty field or a day that is none, each with its line; or that no project is there.
    pub fn parse_csv(text: &str) -> Result<Self, RulesError> {
        let mut reader = csv::ReaderBuilder::new().trim(csv::Trim::All).from_reader(text.as_bytes());
        let wrong = |line: Option<u32>, why: String| RulesError { line, why };
        let of_csv = |error: &csv::Error| {
            wrong(error.position().and_then(|at| u32::try_from(at.line()).ok()), error.to_string())
        };
        let header = reader.headers().map_err(|error| of_csv(&error))?.clone();
        let column = |name: &str| header.iter().position(|known| known.eq_ignore_ascii_case(name));
        let needed =
            |name: &str| column(name).ok_or_else(|| wrong(Some(1), format!("there is no column `{name}`")));
        let (project, version, date) = (needed("project")?, needed("version")?, needed("date")?);
        let series = column("series");
        let mut at: FxHashMap<Text, usize> = FxHashMap::default();
        let mut projects: Vec<Project> = Vec::new();
        for record in reader.records() {
            let record = record.map_err(|error| of_csv(&error))?;
            let line = record.position().and_then(|at| u32::try_from(at.line()).ok()).unwrap_or(0);
            let field = |i: usize, name: &str| {
                let value = record.get(i).unwrap_or_default();
                if value.is_empty() {
                    Err(wrong(Some(line), format!("`{name}` is empty")))
                } else {
                    Ok(Text::from(value))
                }
            };
            let name = field(project, "project")?;
            let release = Release {
                version: field(version, "version")?,
                date: day(&field(date, "date")?, line)?,
                series: series.and_then(|i| record.get(i)).filter(|text| !text.is_empty()).map(Text::from),
                source: ReleaseSource::file(line),
            };
            let i = *at.entry(name.clone()).or_insert_with(|| {
                projects.push(Project { name, also: Vec::new(), releases: Vec::new() });
                projects.len() - 1
            });
            projects[i].releases.push(release);
        }
        Self { projects }.checked()
    }

    /// A file to begin with: TOML with comments, of made-up projects.
    pub const fn starter() -> &'static str {
        STARTER
    }

    fn checked(self) -> Result<Self, RulesError> {
        if self.projects.is_empty() {
            return Err(RulesError { line: None, why: "it contains no project".into() });
        }
        Ok(self)
    }

    /// Projects by every name that they have, in lower case; the first of a name counts.
    pub(super) fn index(&self) -> FxHashMap<String, &Project> {
        let mut index = FxHashMap::default();
        for project in &self.projects {
            for name in std::iter::once(&project.name).chain(&project.also) {
                index.entry(name.to_lowercase()).or_insert(project);
            }
        }
        index
    }
}

impl Project {
    /// The series of a version: that of the release itself, else the one whose releases begin with the same fields as the series
    /// is named (`6.6` for 6.6.3).
    pub(super) fn series_of(&self, version: &str) -> Option<Text> {
        let own = self.releases.iter().find(|release| compare_plain(&release.version, version).is_eq());
        if let Some(own) = own {
            return own.series.clone();
        }
        let within = |series: &&Text| {
            version.strip_prefix(series.as_str()).is_some_and(|rest| rest.is_empty() || rest.starts_with('.'))
        };
        // `6.6` tells more of 6.6.3 than `6` does.
        let named = self.releases.iter().filter_map(|release| release.series.as_ref());
        named.filter(within).max_by_key(|series| series.len()).cloned()
    }
}

fn day(text: &str, line: u32) -> Result<Date, RulesError> {
    text.parse().map_err(|_| RulesError {
        line: Some(line),
        why: format!("`{text}` is not a date such as 2026-05-04"),
    })
}
