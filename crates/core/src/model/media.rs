use super::{Evidence, PackageRef, Text};
use crate::knowledge::MediaFamily;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

crate::vocabulary! {
    /// Whether something can be opened or played, or is supported.
    pub enum MediaVerdict {
        /// It can: an app opens it, and what it needs is there.
        Yes = "yes",
        /// An app opens it, but what decodes it is missing.
        NoDecoder = "no-decoder",
        /// No app opens it, or what supports it is missing.
        No = "no",
        /// An app opens it, and nothing tells whether it can.
        Unknown = "unknown",
    }
}

/// Something that reviewers try, and whether it works.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct MediaAnswer {
    /// Its stable name: `mp4`, `heic`, `exfat`.
    pub key: Text,
    /// What it is.
    pub family: MediaFamily,
    /// Its MIME type.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mime: Option<Text>,
    /// Whether it works.
    pub verdict: MediaVerdict,
    /// The default app.
    #[serde(default)]
    pub application: Option<Text>,
    /// What that app is built on.
    #[serde(default)]
    pub framework: Option<Text>,
    /// What decodes or supports it: the file that proves it, and its package.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub decoders: Vec<MediaDecoder>,
    /// What is missing.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub missing: Vec<Text>,
    /// Packages on offer that would bring it, by name; empty where no lists are there, or none does.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub would_help: Vec<Text>,
}

/// What decodes something.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct MediaDecoder {
    /// What it decodes; empty for what is asked of files alone.
    pub what: Text,
    /// The package of the file.
    #[serde(default)]
    pub package: Option<PackageRef>,
    /// The file.
    #[serde(default)]
    pub evidence: Evidence,
}
