//! A shelf as tables for engines of data: plain columns, a row each, for tallies beyond what one machine asks by itself.

use serde::Serialize;
use tally_core::lag::{
    KnownBy, counted_version, day_of_proof, is_dated, key_of_part, keys_of_application, keys_of_part,
    released,
};
use tally_core::model::{DecidedBy, Evidence, PackageRef, Tally, Text, day_of};
use tally_core::systems::sort_key;
use tally_core::version::plain_sort_key;
use tally_core::vocabulary;

/// Schema number of the dataset.
pub const DATASET_SCHEMA: u32 = 1;

vocabulary! {
    /// What the values of a column are.
    pub enum ColumnType {
        /// UTF-8.
        Text = "text",
        /// A whole number of 64 bits.
        Integer = "integer",
        /// True or false.
        Boolean = "boolean",
    }
}

/// A column of a table.
#[derive(Debug, Clone, Copy, Serialize)]
pub struct DataColumn {
    /// Its name.
    pub name: &'static str,
    /// What its values are; any may be missing.
    #[serde(rename = "type")]
    pub of: ColumnType,
}

/// A value of a row.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[serde(untagged)]
pub enum DataValue {
    /// Nothing.
    Missing,
    /// A text.
    Text(String),
    /// A number.
    Integer(i64),
    /// True or false.
    Boolean(bool),
}

/// Gives the rows of a tally, one after the other.
type Rows = fn(&Tally, &mut dyn FnMut(Vec<DataValue>));

/// A table of the dataset.
#[derive(Debug, Clone, Copy)]
pub struct DataTable {
    /// Its name: the folder that its files are in.
    pub name: &'static str,
    /// Its columns.
    pub columns: &'static [DataColumn],
    rows: Rows,
}

impl DataTable {
    /// The rows of a tally; the first column of each is its handle.
    pub fn rows(&self, tally: &Tally, take: &mut dyn FnMut(Vec<DataValue>)) {
        (self.rows)(tally, take);
    }
}

const fn text(name: &'static str) -> DataColumn {
    DataColumn { name, of: ColumnType::Text }
}

const fn integer(name: &'static str) -> DataColumn {
    DataColumn { name, of: ColumnType::Integer }
}

const fn boolean(name: &'static str) -> DataColumn {
    DataColumn { name, of: ColumnType::Boolean }
}

fn said(text: impl AsRef<str>) -> DataValue {
    DataValue::Text(text.as_ref().to_owned())
}

fn maybe(text: Option<impl AsRef<str>>) -> DataValue {
    text.map_or(DataValue::Missing, said)
}

fn number(value: Option<u64>) -> DataValue {
    value.and_then(|value| i64::try_from(value).ok()).map_or(DataValue::Missing, DataValue::Integer)
}

fn file(evidence: &Evidence) -> DataValue {
    maybe(Some(&evidence.file).filter(|file| !file.is_empty()))
}

fn line(evidence: &Evidence) -> DataValue {
    number(evidence.line.map(u64::from))
}

fn package(reference: Option<&PackageRef>) -> DataValue {
    maybe(reference.map(|reference| reference.name()))
}

/// The name of the rule, as documents have it.
fn decided_by(by: &DecidedBy) -> DataValue {
    let told = serde_json::to_value(by).unwrap_or_default();
    maybe(told.get("decided_by").and_then(serde_json::Value::as_str))
}

/// The key of a version that belongs to no package system.
fn plain_key(version: Option<&Text>) -> DataValue {
    maybe(version.map(|version| plain_sort_key(version)))
}

/// Every table, in the order of the documentation.
pub const DATASET: &[DataTable] = &[
    DataTable {
        name: "installs",
        columns: &[
            text("handle"),
            text("distro_id"),
            text("distro_name"),
            text("release"),
            text("release_key"),
            text("codename"),
            text("edition"),
            text("profile"),
            text("arch"),
            text("release_date"),
            text("support_end"),
            text("taken_at"),
            text("medium"),
            text("sha256"),
            integer("packages"),
            integer("programs"),
            integer("installed_bytes"),
        ],
        rows: |tally, take| {
            let label = &tally.label;
            take(vec![
                said(&label.handle),
                said(&label.distro_id),
                said(&label.distro),
                maybe(label.release.as_ref()),
                plain_key(label.release.as_ref()),
                maybe(label.codename.as_ref()),
                maybe(label.edition.as_ref()),
                maybe(label.profile.as_ref()),
                maybe(label.arch.as_ref()),
                maybe(label.release_date.as_ref()),
                maybe(label.support_end.as_ref()),
                said(&tally.taken.at),
                said(tally.taken.medium.name()),
                maybe(tally.taken.sha256.as_ref()),
                number(Some(tally.present().count() as u64)),
                number(Some(tally.applications.len() as u64)),
                number(Some(tally.installed_bytes())),
            ]);
        },
    },
    DataTable {
        name: "packages",
        columns: &[
            text("handle"),
            text("system"),
            text("name"),
            text("version"),
            text("version_key"),
            text("upstream_version"),
            text("arch"),
            text("source"),
            text("kind"),
            text("reason"),
            text("phase"),
            text("section"),
            text("repository"),
            integer("installed_bytes"),
            integer("download_bytes"),
            text("built"),
            text("license"),
            text("purl"),
            text("summary"),
            text("file"),
            integer("line"),
        ],
        rows: |tally, take| {
            for one in tally.present() {
                take(vec![
                    said(&tally.label.handle),
                    said(one.system.name()),
                    said(&one.name),
                    said(&one.version),
                    said(sort_key(one.system, &one.version)),
                    said(&one.upstream_version),
                    said(&one.arch),
                    said(one.source()),
                    said(one.kind.name()),
                    said(one.reason.name()),
                    said(one.phase.name()),
                    said(&one.section),
                    maybe(one.repository.as_ref()),
                    number(one.installed_bytes),
                    number(one.download_bytes),
                    maybe(one.built.as_ref()),
                    maybe(one.license.as_ref()),
                    said(&one.purl),
                    said(&one.summary),
                    file(&one.evidence),
                    line(&one.evidence),
                ]);
            }
        },
    },
    DataTable {
        name: "apps",
        columns: &[
            text("handle"),
            text("id"),
            text("name"),
            text("version"),
            text("version_key"),
            text("menu"),
            text("system"),
            text("package"),
            integer("bytes"),
        ],
        rows: |tally, take| {
            for one in &tally.applications {
                let row = |system: DataValue, package: DataValue| {
                    vec![
                        said(&tally.label.handle),
                        said(&one.id),
                        said(&one.name),
                        maybe(one.version.as_ref()),
                        plain_key(one.version.as_ref()),
                        said(one.menu.name()),
                        system,
                        package,
                        number(one.bytes),
                    ]
                };
                // No package brought it, and it is there all the same.
                if one.delivered.is_empty() {
                    take(row(DataValue::Missing, DataValue::Missing));
                }
                for delivery in &one.delivered {
                    take(row(said(delivery.system.name()), said(&delivery.package)));
                }
            }
        },
    },
    DataTable {
        name: "parts",
        columns: &[
            text("handle"),
            text("part"),
            text("name"),
            text("version"),
            text("version_key"),
            text("package"),
            text("file"),
            integer("line"),
        ],
        rows: |tally, take| {
            for one in &tally.parts {
                take(vec![
                    said(&tally.label.handle),
                    said(&one.part),
                    said(&one.name),
                    maybe(one.version.as_ref()),
                    plain_key(one.version.as_ref()),
                    package(one.package.as_ref()),
                    file(&one.evidence),
                    line(&one.evidence),
                ]);
            }
        },
    },
    DataTable {
        name: "defaults",
        columns: &[
            text("handle"),
            text("role"),
            text("asked"),
            text("application"),
            boolean("sure"),
            text("decided_by"),
            text("file"),
        ],
        rows: |tally, take| {
            for one in &tally.defaults {
                take(vec![
                    said(&tally.label.handle),
                    said(&one.role),
                    said(&one.asked),
                    maybe(one.application.as_ref()),
                    DataValue::Boolean(one.sure),
                    decided_by(&one.decided.by),
                    maybe(one.decided.file.as_ref()),
                ]);
            }
        },
    },
    DataTable {
        name: "startup",
        columns: &[
            text("handle"),
            text("name"),
            text("kind"),
            text("scope"),
            boolean("enabled"),
            text("package"),
            text("file"),
        ],
        rows: |tally, take| {
            for one in &tally.startup {
                take(vec![
                    said(&tally.label.handle),
                    said(&one.name),
                    said(one.kind.name()),
                    said(one.scope.name()),
                    DataValue::Boolean(one.enabled),
                    package(one.package.as_ref()),
                    file(&one.evidence),
                ]);
            }
        },
    },
    DataTable {
        name: "repositories",
        columns: &[
            text("handle"),
            text("system"),
            text("name"),
            text("uri"),
            boolean("enabled"),
            boolean("official"),
            text("file"),
            integer("line"),
        ],
        rows: |tally, take| {
            for one in &tally.repositories {
                take(vec![
                    said(&tally.label.handle),
                    said(one.system.name()),
                    said(&one.name),
                    said(&one.uri),
                    DataValue::Boolean(one.enabled),
                    one.official.map_or(DataValue::Missing, DataValue::Boolean),
                    file(&one.evidence),
                    line(&one.evidence),
                ]);
            }
        },
    },
    DataTable {
        name: "findings",
        columns: &[text("handle"), text("finding"), text("about"), text("file"), integer("line")],
        rows: |tally, take| {
            for one in &tally.findings {
                take(vec![
                    said(&tally.label.handle),
                    said(one.name().name()),
                    maybe(one.about.first()),
                    file(&one.evidence),
                    line(&one.evidence),
                ]);
            }
        },
    },
    DataTable {
        name: "settings",
        columns: &[
            text("handle"),
            text("key"),
            text("value"),
            text("upstream_value"),
            text("source"),
            text("native"),
            text("file"),
            integer("line"),
        ],
        rows: |tally, take| {
            for one in &tally.settings {
                take(vec![
                    said(&tally.label.handle),
                    said(&one.key),
                    said(&one.value),
                    maybe(one.upstream_value.as_ref()),
                    said(one.source.name()),
                    said(&one.native),
                    file(&one.evidence),
                    line(&one.evidence),
                ]);
            }
        },
    },
    DataTable {
        name: "projects",
        columns: &[
            text("handle"),
            text("what"),
            text("name"),
            text("project"),
            text("version"),
            text("version_key"),
            boolean("dated"),
            boolean("by_own_list"),
        ],
        rows: |tally, take| {
            let mut add = |what: &str, name: &Text, version: Option<(Text, bool)>, keys: Vec<String>| {
                let Some((version, by_own_list)) = version else { return };
                for key in keys {
                    take(vec![
                        said(&tally.label.handle),
                        said(what),
                        said(name),
                        said(key),
                        said(&version),
                        plain_key(Some(&version)),
                        DataValue::Boolean(is_dated(&version)),
                        DataValue::Boolean(by_own_list),
                    ]);
                }
            };
            for one in &tally.parts {
                let version = one.version.as_deref().and_then(released).map(|version| (version, false));
                add("part", &one.name, version, keys_of_part(tally, one));
            }
            for one in &tally.applications {
                let version = counted_version(tally, one);
                add("application", &one.name, version, keys_of_application(tally, one));
            }
        },
    },
    DataTable {
        name: "releases",
        columns: &[
            text("handle"),
            text("project"),
            text("version"),
            text("version_key"),
            boolean("dated"),
            text("released"),
            text("known_by"),
            text("file"),
        ],
        rows: |tally, take| {
            let mut add = |project: String, version: &Text, day: &str, by: KnownBy, at: DataValue| {
                let (Some(version), Some(day)) = (released(version), day_of(day)) else { return };
                take(vec![
                    said(&tally.label.handle),
                    said(project),
                    said(&version),
                    plain_key(Some(&version)),
                    DataValue::Boolean(is_dated(&version)),
                    said(day.to_string()),
                    said(by.name()),
                    at,
                ]);
            };
            for one in &tally.releases {
                for (version, day) in &one.released {
                    let project = one.project.to_lowercase();
                    add(project, version, day, KnownBy::Metainfo, file(&one.evidence));
                }
            }
            // What an install has was out by then.
            let Some(day) = day_of_proof(tally).map(|day| day.to_string()) else { return };
            let mut shipped = |project: String, version: Option<&Text>| {
                if let Some(version) = version {
                    add(project, version, &day, KnownBy::Shipped, DataValue::Missing);
                }
            };
            for one in &tally.applications {
                shipped(one.id.to_lowercase(), one.version.as_ref());
            }
            for one in &tally.parts {
                shipped(key_of_part(one), one.version.as_ref());
            }
        },
    },
];

#[cfg(test)]
pub(super) mod tests {
    use super::*;
    use tally_core::model::{Label, Medium, Package, System, Taken};

    pub(crate) fn tally() -> Tally {
        let taken = Taken {
            at: "2031-05-01T00:00:00Z".into(),
            from: "x".into(),
            medium: Medium::Installed,
            layer: None,
            sha256: None,
            root: None,
        };
        let label = Label { handle: "marsh-5".into(), distro_id: "marsh".into(), ..Label::default() };
        let mut tally = Tally::new("test", taken, label);
        let mut package = Package::new(System::Dpkg, "ink,cap", "1:3.2-1");
        package.summary = "a \"text\"\neditor".into();
        package.installed_bytes = Some(12);
        tally.packages.push(package);
        tally
    }

    #[test]
    fn each_row_has_a_value_for_each_column_and_the_handle_first() {
        for table in DATASET {
            assert_eq!(table.columns[0].name, "handle", "{}", table.name);
            table.rows(&tally(), &mut |row| assert_eq!(row.len(), table.columns.len(), "{}", table.name));
        }
    }
}
