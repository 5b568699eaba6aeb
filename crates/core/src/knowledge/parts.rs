//! Parts: rules that tell what fills each place under the hood, and with which version.
//!
//! A rule lists ways in order of trust. Ways that look at the file tree are answered by [`Probes`], which a
//! reader fills beforehand; `found.rs` reasons.

use super::pattern::{some_pattern, systems};
use crate::model::{System, Text};
use serde::Deserialize;
use std::collections::BTreeMap;

/// The rules inside the program.
const BUILT_IN: &str = include_str!("rules/parts.toml");

/// The same as the build script wrote it.
const READY: &str = include_str!(concat!(env!("OUT_DIR"), "/parts.json"));

/// A table of rules, in the order that parts are listed in.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PartRules {
    /// The rules.
    #[serde(default)]
    pub part: Vec<PartRule>,
}

/// One part and the ways to find it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PartRule {
    /// Stable name.
    pub part: Text,
    /// Name for people.
    pub label: Text,
    /// Whether each way that answers is a part of its own (toolkits), instead of the first one only.
    #[serde(default)]
    pub many: bool,
    /// Whether a reviewer asks what else the repositories have for it.
    #[serde(default)]
    pub on_offer: bool,
    /// Ways, most trusted first.
    pub ways: Vec<PartWay>,
}

/// One way to find a part. Exactly one of `package`, `provides`, `link`, `entry`, `line` or `setting` is given.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct PartWay {
    /// What fills the part when this way answers; else it is made from what was found.
    pub name: Option<Text>,
    /// Pattern of package names.
    #[serde(deserialize_with = "some_pattern")]
    pub package: Option<Text>,
    /// Name that a package provides.
    pub provides: Option<Text>,
    /// A link; the last component of its target, without ending, fills the part.
    pub link: Option<Text>,
    /// A folder; its newest entry is the version.
    pub entry: Option<Text>,
    /// A file; its first line, last path component, fills the part.
    pub line: Option<Text>,
    /// A file and a key in it, `etc/x KEY`: the value of its `KEY=value` line is the version.
    pub setting: Option<Text>,
    /// Pattern of the package whose version counts, where it isn't the one found; `{}` stands for what was found.
    #[serde(deserialize_with = "some_pattern")]
    pub version_of: Option<Text>,
    /// Package systems: only packages of such a one count; any where none is named.
    #[serde(deserialize_with = "systems")]
    pub system: Vec<System>,
    /// Pattern of upstream versions: only such packages count.
    #[serde(deserialize_with = "some_pattern")]
    pub version: Option<Text>,
    /// Asked only when no way before it answered.
    pub fallback: bool,
    /// Each flavour is one of its own, named in brackets: kernels.
    pub flavours: bool,
    /// The value of the key is a path, whose last component is what fills the part.
    pub names: bool,
}

/// What is asked of the tree for a path.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum ProbeKind {
    /// The target of a link.
    Link,
    /// The names in a folder.
    Entries,
    /// The first line of a file.
    FirstLine,
    /// The value of a key in a file; the path is followed by a space and the key.
    Setting,
}

/// A question to the tree.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Probe {
    /// What is asked.
    pub kind: ProbeKind,
    /// Of which path.
    pub path: Text,
}

/// The tree's answers: names or lines, empty where there is nothing.
pub type Probes = BTreeMap<Probe, Vec<Text>>;

/// Why a table of rules is refused.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RulesError {
    /// Line, counted from 1, where it is known.
    pub line: Option<u32>,
    /// What is wrong.
    pub why: String,
}

impl std::fmt::Display for RulesError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self.line {
            Some(line) => write!(f, "line {line}: {}", self.why),
            None => f.write_str(&self.why),
        }
    }
}

impl std::error::Error for RulesError {}

impl RulesError {
    /// What a TOML parser found wrong with a text.
    pub(crate) fn from_toml(text: &str, error: &toml::de::Error) -> Self {
        Self { line: error.span().map(|span| line_of(text, span.start)), why: error.message().to_owned() }
    }
}

impl PartRules {
    /// The rules inside the program.
    ///
    /// # Errors
    /// None in a program that passed its tests: the table is checked there.
    pub fn built_in() -> Result<Self, RulesError> {
        super::ready(READY)
    }

    /// The text of the rules inside the program: TOML with comments.
    pub const fn built_in_text() -> &'static str {
        BUILT_IN
    }

    /// Reads a table of rules.
    ///
    /// # Errors
    /// Names the line of a syntax error or an unknown key, or the part whose way is no way.
    pub fn parse(text: &str) -> Result<Self, RulesError> {
        let rules: Self = toml::from_str(text).map_err(|error| RulesError::from_toml(text, &error))?;
        rules.check()?;
        Ok(rules)
    }

    /// Makes sure that each way is one.
    pub(crate) fn check(&self) -> Result<(), RulesError> {
        for rule in &self.part {
            if let Some(way) = rule.ways.iter().find(|way| way.sources() != 1) {
                let why = format!(
                    "part `{}`: a way needs exactly one of package, provides, link, entry, line, setting; `{}` has {}",
                    rule.part,
                    way.name.as_deref().unwrap_or("unnamed"),
                    way.sources()
                );
                return Err(RulesError { line: None, why });
            }
        }
        Ok(())
    }

    /// Every question that these rules put to the tree.
    pub fn probes(&self) -> Vec<Probe> {
        let mut probes: Vec<Probe> =
            self.part.iter().flat_map(|rule| &rule.ways).filter_map(PartWay::probe).collect();
        probes.sort();
        probes.dedup();
        probes
    }

    /// A name as the rules spell it, ignoring case: `lxqt` is `LXQt`; the first word is enough.
    pub fn spelt(&self, name: &str) -> Option<Text> {
        let mut names = self.part.iter().flat_map(|rule| &rule.ways).filter_map(|way| way.name.as_deref());
        let fits = |known: &&str| known.split(' ').next().is_some_and(|word| word.eq_ignore_ascii_case(name));
        names.find(fits).and_then(|known| known.split(' ').next()).map(Text::from)
    }

    /// Name for people of a part; its stable name where no rule knows it.
    pub fn label<'a>(&'a self, part: &'a str) -> &'a str {
        self.part.iter().find(|rule| rule.part == part).map_or(part, |rule| rule.label.as_str())
    }
}

/// The line, counted from 1, of a place in a text.
pub(crate) fn line_of(text: &str, offset: usize) -> u32 {
    let before = text.as_bytes().iter().take(offset).filter(|byte| **byte == b'\n').count();
    u32::try_from(before + 1).unwrap_or(u32::MAX)
}

impl PartWay {
    fn sources(&self) -> usize {
        [&self.package, &self.provides, &self.link, &self.entry, &self.line, &self.setting]
            .iter()
            .filter(|s| s.is_some())
            .count()
    }

    /// What this way asks of the tree, if anything.
    pub(super) fn probe(&self) -> Option<Probe> {
        let sources = [
            (ProbeKind::Link, &self.link),
            (ProbeKind::Entries, &self.entry),
            (ProbeKind::FirstLine, &self.line),
            (ProbeKind::Setting, &self.setting),
        ];
        let (kind, path) = sources.into_iter().find_map(|(kind, path)| Some((kind, path.as_ref()?)))?;
        Some(Probe { kind, path: path.clone() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_built_in_rules_are_sound() {
        let rules = PartRules::built_in().unwrap();
        let mut names: Vec<&str> = rules.part.iter().map(|rule| rule.part.as_str()).collect();
        assert!(names.len() >= 25, "{} parts", names.len());
        names.sort_unstable();
        names.dedup();
        assert_eq!(names.len(), rules.part.len(), "a part stands twice");
    }

    #[test]
    fn a_bad_table_names_its_line() {
        let error = PartRules::parse("[[part]]\npart='x'\nlabel='X'\nwayz=[]").unwrap_err();
        assert_eq!(error.line, Some(4));
        assert!(error.why.contains("wayz"), "{error}");
        let error = PartRules::parse("[[part]]\npart='x'\nlabel='X'\nways=[{name='y'}]").unwrap_err();
        assert!(error.why.contains("exactly one"), "{error}");
    }
}
