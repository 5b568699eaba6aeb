//! Agents: packages that report to somebody elsewhere, as data.

use super::parts::RulesError;
use super::pattern::matches;
use crate::model::Text;
use serde::Deserialize;

/// The agents inside the program.
const BUILT_IN: &str = include_str!("rules/agents.toml");

/// The same as the build script wrote it.
const READY: &str = include_str!(concat!(env!("OUT_DIR"), "/agents.json"));

/// The table of agents; the first pattern that matches a package tells what it does.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Agents {
    /// The agents.
    #[serde(default)]
    pub agent: Vec<Agent>,
}

/// A pattern of package names, and what such a package does.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Agent {
    /// Pattern of names.
    pub name: Text,
    /// Said after the package's name: `tells somebody elsewhere what is used`.
    pub does: Text,
}

impl Agents {
    /// The agents inside the program.
    ///
    /// # Errors
    /// None in a program that passed its tests.
    pub fn built_in() -> Result<Self, RulesError> {
        super::ready(READY)
    }

    /// The text of the agents inside the program: TOML with comments.
    pub const fn built_in_text() -> &'static str {
        BUILT_IN
    }

    /// What a package of that name tells others, if anything.
    pub fn does(&self, package: &str) -> Option<&str> {
        let agent = self.agent.iter().find(|agent| matches(&agent.name, package))?;
        Some(&agent.does)
    }
}
