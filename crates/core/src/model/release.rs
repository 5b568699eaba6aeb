use super::{Evidence, Text};
use jiff::civil::Date;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// What a component of the install says of its own releases (AppStream 1.0, `<releases>`).
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ReleaseHistory {
    /// The component's ID: `org.marsh.Inkcap`.
    pub project: Text,
    /// Its name, untranslated.
    #[serde(default)]
    pub name: Text,
    /// The days of its releases, `YYYY-MM-DD`, by version. Versions that are in the making are left out.
    pub released: BTreeMap<Text, Text>,
    /// Where that was read.
    #[serde(default)]
    pub evidence: Evidence,
}

/// A day as tallies have it; `None` where a text does not begin with one.
pub fn day_of(text: &str) -> Option<Date> {
    text.get(..10)?.parse().ok()
}
