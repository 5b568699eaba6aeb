use super::{Catalog, Updates, updates};
use crate::model::{Package, System, Text};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A list of a repository, and how much it holds.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct OfferedList {
    /// Name of the repository.
    pub repository: Text,
    /// Component or section of it.
    #[serde(default)]
    pub component: Option<Text>,
    /// Packages in it.
    pub packages: u32,
    /// When it was made, RFC 3339 UTC.
    #[serde(default)]
    pub date: Option<Text>,
    /// Until when it may be used, RFC 3339 UTC.
    #[serde(default)]
    pub valid_until: Option<Text>,
    /// Whether it brings security updates.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub security: bool,
    /// The file it was read from.
    pub file: Text,
}

/// What the repositories of one package system offer an install, in figures.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct OfferSummary {
    /// The package system.
    pub system: System,
    /// Its lists.
    pub lists: Vec<OfferedList>,
    /// Different packages in all of them.
    pub packages: u32,
    /// The updates that wait.
    #[serde(default)]
    pub updates: Updates,
}

/// The figures of a catalogue.
pub fn summary(packages: &[Package], catalog: &Catalog) -> OfferSummary {
    let list = |list: &super::PackageList| OfferedList {
        repository: list.repository.clone(),
        component: list.component.clone(),
        packages: list.packages,
        date: list.date.clone(),
        valid_until: list.valid_until.clone(),
        security: list.security,
        file: list.file.clone(),
    };
    OfferSummary {
        system: catalog.system,
        lists: catalog.lists.iter().map(list).collect(),
        packages: catalog.names_offered(),
        updates: updates(packages, catalog),
    }
}
