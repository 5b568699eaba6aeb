use super::Text;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The conditions that a reading was taken under; two readings compare only when these match.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default)]
pub struct Conditions {
    /// Memory of the machine, bytes.
    pub ram_bytes: Option<u64>,
    /// Whether the machine is virtual.
    #[serde(rename = "virtual")]
    pub virtual_: Option<bool>,
    /// `installed` or `live`.
    pub medium: Option<Text>,
    /// Seconds since boot.
    pub uptime_s: Option<u64>,
}

/// A figure measured on the running install.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Reading {
    /// What was measured: `memory-used`, `tasks`.
    pub what: Text,
    /// The figure.
    pub value: f64,
    /// Its unit: `bytes`, `count`, `seconds`.
    pub unit: Text,
    /// How it was computed.
    pub method: Text,
    /// In which moment: `idle after boot`.
    #[serde(default)]
    pub when: Text,
    /// Under which conditions.
    #[serde(default)]
    pub conditions: Conditions,
    /// `kit` or `hand`.
    #[serde(default)]
    pub by: Text,
}
