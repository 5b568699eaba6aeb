use super::Text;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Who answers for one asked type or category.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct DefaultChoice {
    /// The role that the question belongs to.
    pub role: Text,
    /// A MIME type, `x-scheme-handler/...`, or `Categories=...`.
    pub asked: Text,
    /// The application that answers.
    #[serde(default)]
    pub application: Option<Text>,
    /// Its launcher.
    #[serde(default)]
    pub launcher: Option<Text>,
    /// The file that decided it, or the rule.
    #[serde(default)]
    pub how: Text,
    /// All that could answer, the answer first.
    #[serde(default)]
    pub candidates: Vec<Text>,
    /// Whether a file names the answer, or only one candidate exists.
    #[serde(default)]
    pub sure: bool,
    /// The application that answered as shipped, where it differs.
    #[serde(default)]
    pub shipped_application: Option<Text>,
    /// The whole answer as shipped, where it differs.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shipped: Option<Box<ShippedChoice>>,
}

impl DefaultChoice {
    /// Whether a program that was removed since may have answered, and nothing tells any more.
    pub fn is_untold(&self) -> bool {
        self.application.is_none() && !self.sure && self.candidates.is_empty()
    }
}

/// The answer as shipped, where it is another one than as found.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShippedChoice {
    /// The application that answered.
    pub application: Option<Text>,
    /// Its launcher.
    pub launcher: Option<Text>,
    /// The file that decided it, or the rule.
    pub how: Text,
    /// All that could answer, the answer first.
    pub candidates: Vec<Text>,
    /// Whether a file named the answer, or only one candidate existed.
    pub sure: bool,
}
