//! Agents: packages that report to their makers, or look up where the machine is.

use super::parts::RulesError;
use super::pattern::{matches, pattern};
use crate::model::{AgentPurpose, Text};
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
    #[serde(deserialize_with = "pattern")]
    pub name: Text,
    /// What it does without being asked.
    pub does: AgentPurpose,
    /// Why it is listed, for those who read the table.
    #[serde(default)]
    pub because: Option<Text>,
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

    /// What a package of that name does without being asked, if anything.
    pub fn does(&self, package: &str) -> Option<AgentPurpose> {
        let agent = self.agent.iter().find(|agent| matches(&agent.name, package))?;
        Some(agent.does)
    }
}
