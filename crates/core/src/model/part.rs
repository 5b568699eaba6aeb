use super::{Evidence, PackageRef, Text};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Something under the hood that a review names with its version.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Part {
    /// Stable name of the part: `kernel`, `c-library`, `sound-server`.
    pub part: Text,
    /// What fills it.
    pub name: Text,
    /// Upstream version; `null` when the evidence states none.
    #[serde(default)]
    pub version: Option<Text>,
    /// The package it was read from.
    #[serde(default)]
    pub package: Option<PackageRef>,
    /// Others that are installed and could fill it.
    #[serde(default)]
    pub others: Vec<Text>,
    /// Where it was read.
    #[serde(default)]
    pub evidence: Evidence,
}
