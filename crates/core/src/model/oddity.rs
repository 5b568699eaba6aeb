use super::vocabulary::vocabulary;
use super::{Evidence, Text};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

vocabulary! {
    /// Named rules for things that deserve a second look.
    pub enum OddityName {
        /// A launcher that only opens a web page.
        WebPageLauncher = "web-page-launcher",
        /// A launcher whose program is not there.
        MissingProgram = "missing-program",
        /// A package that is not installed in full.
        HalfInstalled = "half-installed",
        /// Configuration of a package that was removed.
        RemovedLeftovers = "removed-leftovers",
    }
}

/// Something in one install that deserves a second look.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Oddity {
    /// Which rule.
    pub oddity: OddityName,
    /// What it is about: `launcher:...`, `dpkg:...`, `role:...`.
    pub about: Vec<Text>,
    /// One sentence.
    pub why: Text,
    /// Where it shows.
    #[serde(default)]
    pub evidence: Evidence,
}

/// A remark by the reviewer.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Note {
    /// When it was written, RFC 3339 UTC.
    pub at: Text,
    /// The question it answers, where it answers one.
    #[serde(default)]
    pub ask: Option<Text>,
    /// What was written.
    pub text: Text,
}
