use super::{Evidence, Phase, Reduced, System, Text};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What `signed_by` says of a key that the file of the repository contains itself.
pub const EMBEDDED_KEY: &str = "embedded-key";

/// A place that packages come from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Repository {
    /// The package system that uses it.
    pub system: System,
    /// Short name: `saltmarsh-main`, or the remote's own.
    pub name: Text,
    /// Address, without a password.
    pub uri: Reduced,
    /// Suite, branch or channel.
    #[serde(default)]
    pub suite: Option<Text>,
    /// Components or sections.
    #[serde(default)]
    pub components: Vec<Text>,
    /// Whether it is used.
    pub enabled: bool,
    /// Whether it is the distribution's own (or its base's); `null` if not recorded.
    #[serde(default)]
    pub official: Option<bool>,
    /// Key file or fingerprint that signs it.
    #[serde(default)]
    pub signed_by: Option<Reduced>,
    /// Number of installed packages that came from it; `null` if no list says so.
    #[serde(default)]
    pub packages: Option<u32>,
    /// Where it is configured.
    #[serde(default)]
    pub evidence: Evidence,
    /// Whether it was shipped; left out when it was.
    #[serde(default = "super::package::shipped", skip_serializing_if = "Phase::is_shipped")]
    pub phase: Phase,
}

impl Repository {
    /// A repository in use, of which only this is known.
    pub fn new(system: System, name: impl Into<Text>, uri: Reduced, evidence: Evidence) -> Self {
        Self {
            system,
            name: name.into(),
            uri,
            suite: None,
            components: Vec::new(),
            enabled: true,
            official: None,
            signed_by: None,
            packages: None,
            evidence,
            phase: Phase::Shipped,
        }
    }

    /// The same, said to be the distribution's own where its address names the distribution; others may be as well.
    #[must_use]
    pub fn owned_by(mut self, distro_id: &str) -> Self {
        let own = !distro_id.is_empty() && self.uri.to_ascii_lowercase().contains(distro_id);
        self.official = own.then_some(true);
        self
    }
}
