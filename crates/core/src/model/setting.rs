use super::{Evidence, PackageRef, Reduced, Text};
use crate::knowledge::SettingArea;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

crate::vocabulary! {
    /// Who decided a value.
    pub enum SettingSource {
        /// Upstream: the default of a schema, or what the program does where nothing is set.
        Upstream = "upstream",
        /// A file of the desktop's own packages, beside that.
        Desktop = "desktop",
        /// Another file of the install: the makers of the distribution set it.
        Set = "set",
    }
}

/// Something that is set for a new user, or for the whole install.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Setting {
    /// Its name, the same on all desktops; of one that the table does not know its native name.
    pub key: Text,
    /// What it is about.
    pub area: SettingArea,
    /// Its value, called alike on all desktops: `on`, `off`, `5 min`, `left`; names of a list with `, ` between them.
    pub value: Reduced,
    /// What upstream's own default is, where that is recorded in the install.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub upstream_value: Option<Reduced>,
    /// Who decided it.
    pub source: SettingSource,
    /// The native name: a schema with its key, a file with its group and key.
    pub native: Text,
    /// Whether users can't change it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub locked: bool,
    /// The package of the file that says so.
    #[serde(default)]
    pub set_by: Option<PackageRef>,
    /// That file, and the line where it has one; empty where the program itself does so.
    #[serde(default)]
    pub evidence: Evidence,
}

impl Setting {
    /// Whether it was decided otherwise than upstream does.
    pub fn is_own(&self) -> bool {
        self.source == SettingSource::Set
            && self.upstream_value.as_ref().is_none_or(|upstream| *upstream != self.value)
    }
}
