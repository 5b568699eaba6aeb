use super::{Menu, PackageRef, System, Text};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// One way that an application came: the package of one system.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Delivery {
    /// The package system.
    pub system: System,
    /// Name of the package.
    pub package: Text,
    /// Full version of the package.
    pub version: Text,
    /// Bytes on disk of the package itself.
    #[serde(default)]
    pub bytes: Option<u64>,
}

impl Delivery {
    /// `system:name` of its package.
    pub fn reference(&self) -> PackageRef {
        PackageRef::new(self.system, &self.package)
    }
}

/// What a person starts and knows by name; several launchers and several deliveries may belong to it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Application {
    /// Stable identifier: the launcher's ID without ending and reverse-DNS prefix, in lower case.
    pub id: Text,
    /// The name in the menu.
    pub name: Text,
    /// Upstream version of the first delivery.
    #[serde(default)]
    pub version: Option<Text>,
    /// Place in the menu.
    pub menu: Menu,
    /// Roles that it can take.
    #[serde(default)]
    pub roles: Vec<Text>,
    /// The packages it came in.
    #[serde(default)]
    pub delivered: Vec<Delivery>,
    /// Its launchers.
    #[serde(default)]
    pub launchers: Vec<Text>,
    /// Bytes on disk of all deliveries and companions.
    #[serde(default)]
    pub bytes: Option<u64>,
}
