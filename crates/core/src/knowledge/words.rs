//! Everyday words for parts, roles, kinds and findings.

use crate::model::{FindingName, Kind, Text};
use serde::Deserialize;
use std::sync::LazyLock;

/// The table as the build script wrote it.
const READY: &str = include_str!(concat!(env!("OUT_DIR"), "/words.json"));

static WORDS: LazyLock<Vec<EverydayWord>> =
    LazyLock::new(|| super::ready::<Words>(READY).unwrap_or_default().word);

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct Words {
    word: Vec<EverydayWord>,
}

/// Words that mean the same, and what answers them.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct EverydayWord {
    /// The words, lower case, without punctuation.
    pub words: Vec<Text>,
    /// A part.
    pub part: Option<Text>,
    /// Roles.
    pub roles: Vec<Text>,
    /// A kind of package.
    pub kind: Option<Kind>,
    /// Patterns of packages that do it.
    pub packages: Vec<Text>,
    /// A finding.
    pub finding: Option<FindingName>,
}

/// The table inside the program.
pub fn everyday_words() -> &'static [EverydayWord] {
    &WORDS
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::knowledge::{PartRules, Roles};

    #[test]
    fn every_word_is_of_something_that_is_known_and_stands_once() {
        let (parts, roles) = (PartRules::built_in().unwrap(), Roles::built_in().unwrap());
        let mut seen: Vec<&Text> = Vec::new();
        for entry in everyday_words() {
            for word in &entry.words {
                assert!(!seen.contains(&word), "{word} stands twice");
                seen.push(word);
            }
            assert!(
                entry.part.iter().all(|part| parts.part.iter().any(|known| known.part == *part)),
                "{entry:?}"
            );
            assert!(
                entry.roles.iter().all(|role| roles.role.iter().any(|known| known.role == *role)),
                "{entry:?}"
            );
            let answers = entry.part.is_some()
                || !entry.roles.is_empty()
                || entry.kind.is_some()
                || entry.finding.is_some()
                || !entry.packages.is_empty();
            assert!(answers, "{entry:?}");
        }
        assert!(seen.len() > 100);
    }
}
