//! How much each kind of change weighs in the headlines, as data.

use super::parts::RulesError;
use crate::model::Text;
use serde::Deserialize;
use std::collections::BTreeMap;

/// The scores inside the program.
const BUILT_IN: &str = include_str!("rules/headlines.toml");

/// The same as the build script wrote it.
const READY: &str = include_str!(concat!(env!("OUT_DIR"), "/headlines.json"));

/// The scoring table of headlines.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub struct Scores {
    headline: BTreeMap<Text, i32>,
    headline_role: BTreeMap<Text, i32>,
    headline_part: BTreeMap<Text, i32>,
    key_figures: Figures,
}

/// What the key figures of a comparison are.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct Figures {
    parts: Vec<Text>,
    roles: Vec<Text>,
    own: Vec<Text>,
    versions: Vec<Text>,
}

impl Scores {
    /// The scores inside the program.
    ///
    /// # Errors
    /// None in a program that passed its tests.
    pub fn built_in() -> Result<Self, RulesError> {
        super::ready(READY)
    }

    /// The text of the scores inside the program: TOML with comments.
    pub const fn built_in_text() -> &'static str {
        BUILT_IN
    }

    /// Takes over every score of another table.
    pub(super) fn set(
        &mut self,
        rules: &BTreeMap<Text, i32>,
        roles: &BTreeMap<Text, i32>,
        parts: &BTreeMap<Text, i32>,
    ) {
        for (mine, theirs) in
            [(&mut self.headline, rules), (&mut self.headline_role, roles), (&mut self.headline_part, parts)]
        {
            mine.extend(theirs.iter().map(|(name, score)| (name.clone(), *score)));
        }
    }

    /// Whether the built-in table has a rule of that name.
    pub(super) fn knows(&self, rule: &str) -> bool {
        self.headline.contains_key(rule)
    }

    /// Names of the rules.
    pub(super) fn rules(&self) -> impl Iterator<Item = &str> {
        self.headline.keys().map(Text::as_str)
    }

    /// The score of a rule; 0 for one that the table lacks.
    pub fn of(&self, rule: &str) -> i32 {
        self.headline.get(rule).copied().unwrap_or(0)
    }

    /// Parts whose versions are key figures.
    pub fn figure_parts(&self) -> &[Text] {
        &self.key_figures.parts
    }

    /// Roles whose applications are.
    pub fn figure_roles(&self) -> &[Text] {
        &self.key_figures.roles
    }

    /// Whether a new major version of the application of a role is news.
    pub fn is_told_by_version(&self, role: &str) -> bool {
        self.key_figures.versions.iter().any(|own| own == role)
    }

    /// Whether a job is not the desktop's own: it changes on purpose, whatever the desktop.
    pub fn is_chosen_apart(&self, role: &str) -> bool {
        self.key_figures.own.iter().any(|own| own == role)
    }

    /// What a role adds.
    pub fn role(&self, role: &str) -> i32 {
        self.headline_role.get(role).copied().unwrap_or(0)
    }

    /// What a part adds.
    pub fn part(&self, part: &str) -> i32 {
        self.headline_part.get(part).copied().unwrap_or(0)
    }
}
