//! A reviewer's own rules: one file that extends every table inside the program.

use super::agents::{Agent, Agents};
use super::kinds::{KindRule, KindRules};
use super::parts::{PartRule, PartRules, RulesError};
use super::roles::{Role, Roles};
use super::scores::Scores;
use super::settings::{SettingRule, SettingRules};
use crate::model::Text;
use serde::Deserialize;
use std::collections::BTreeMap;

/// Own rules, by table. What is here wins over what is inside the program.
///
/// A kind rule is asked before the built-in ones; the ways of a part of a known name are tried before the built-in
/// ways, and a new part is listed last; settings likewise; a role of a known name takes the place of the built-in one; an agent is added.
///
/// ```
/// use tally_core::knowledge::OwnRules;
/// use tally_core::model::AgentPurpose;
/// let own = OwnRules::parse("[[agent]]\nname = 'gullcam*'\ndoes = 'other'\n")?;
/// assert_eq!(own.agents()?.does("gullcam-daemon"), Some(AgentPurpose::Other));
/// # Ok::<(), tally_core::knowledge::RulesError>(())
/// ```
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct OwnRules {
    kind: Vec<KindRule>,
    part: Vec<PartRule>,
    role: Vec<Role>,
    agent: Vec<Agent>,
    setting: Vec<SettingRule>,
    headline: BTreeMap<Text, i32>,
    #[serde(rename = "headline-role")]
    headline_role: BTreeMap<Text, i32>,
    #[serde(rename = "headline-part")]
    headline_part: BTreeMap<Text, i32>,
}

/// How many rules of each table a file has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct OwnCounts {
    /// Rules for kinds.
    pub kinds: usize,
    /// Rules for parts.
    pub parts: usize,
    /// Roles.
    pub roles: usize,
    /// Agents.
    pub agents: usize,
    /// Settings.
    pub settings: usize,
    /// Scores of headlines.
    pub scores: usize,
}

impl OwnRules {
    /// Reads a file of own rules.
    ///
    /// # Errors
    /// Names the line of a syntax error, an unknown key, kind or trait; or the part or role that is unsound.
    pub fn parse(text: &str) -> Result<Self, RulesError> {
        let own: Self = toml::from_str(text).map_err(|error| RulesError::from_toml(text, &error))?;
        PartRules { part: own.part.clone() }.check()?;
        for role in &own.role {
            if role.role.is_empty() || role.types.is_empty() != role.is_by_launcher() {
                let why = format!(
                    "role `{}` is asked either by `types`, or by `categories`, `words` and `programs`",
                    role.role
                );
                return Err(RulesError { line: None, why });
            }
        }
        let known = Scores::built_in()?;
        if let Some(rule) = own.headline.keys().find(|rule| !known.knows(rule)) {
            let rules: Vec<&str> = known.rules().collect();
            return Err(RulesError {
                line: None,
                why: format!("there is no headline `{rule}`; valid are {}", rules.join(", ")),
            });
        }
        Ok(own)
    }

    /// What is in it.
    pub fn counts(&self) -> OwnCounts {
        OwnCounts {
            kinds: self.kind.len(),
            parts: self.part.len(),
            roles: self.role.len(),
            agents: self.agent.len(),
            settings: self.setting.len(),
            scores: self.headline.len() + self.headline_role.len() + self.headline_part.len(),
        }
    }

    /// Takes over the rules of another file, behind these.
    pub fn append(&mut self, mut other: Self) {
        self.kind.append(&mut other.kind);
        self.part.append(&mut other.part);
        self.role.append(&mut other.role);
        self.agent.append(&mut other.agent);
        self.setting.append(&mut other.setting);
        self.headline.append(&mut other.headline);
        self.headline_role.append(&mut other.headline_role);
        self.headline_part.append(&mut other.headline_part);
    }

    /// The rules for kinds, own ones first.
    ///
    /// # Errors
    /// As [`KindRules::built_in`].
    pub fn kinds(&self) -> Result<KindRules, RulesError> {
        Ok(KindRules::built_in()?.after(self.kind.clone()))
    }

    /// The rules for parts, extended.
    ///
    /// # Errors
    /// As [`PartRules::built_in`].
    pub fn parts(&self) -> Result<PartRules, RulesError> {
        let mut rules = PartRules::built_in()?;
        for own in &self.part {
            match rules.part.iter_mut().find(|known| known.part == own.part) {
                Some(known) => _ = known.ways.splice(0..0, own.ways.iter().cloned()),
                None => rules.part.push(own.clone()),
            }
        }
        Ok(rules)
    }

    /// The settings, extended: places of a known one are asked before the built-in ones; a new one is told last.
    ///
    /// # Errors
    /// As [`SettingRules::built_in`].
    pub fn settings(&self) -> Result<SettingRules, RulesError> {
        let mut rules = SettingRules::built_in()?;
        for own in &self.setting {
            match rules.setting.iter_mut().find(|known| known.key == own.key) {
                Some(known) => _ = known.places.splice(0..0, own.places.iter().cloned()),
                None => rules.setting.push(own.clone()),
            }
        }
        Ok(rules)
    }

    /// The roles, extended.
    ///
    /// # Errors
    /// As [`Roles::built_in`].
    pub fn roles(&self) -> Result<Roles, RulesError> {
        let mut roles = Roles::built_in()?;
        for own in &self.role {
            match roles.role.iter_mut().find(|known| known.role == own.role) {
                Some(known) => *known = own.clone(),
                None => roles.role.push(own.clone()),
            }
        }
        Ok(roles)
    }

    /// The scores of headlines, own ones in place of the built-in ones.
    ///
    /// # Errors
    /// As [`Scores::built_in`].
    pub fn scores(&self) -> Result<Scores, RulesError> {
        let mut scores = Scores::built_in()?;
        scores.set(&self.headline, &self.headline_role, &self.headline_part);
        Ok(scores)
    }

    /// The agents, own ones first.
    ///
    /// # Errors
    /// As [`Agents::built_in`].
    pub fn agents(&self) -> Result<Agents, RulesError> {
        let mut agents = Agents::built_in()?;
        agents.agent.splice(0..0, self.agent.iter().cloned());
        Ok(agents)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{Kind, Package, System};

    #[test]
    fn own_rules_win_and_extend() {
        let own = OwnRules::parse(
            "[[kind]]\nkind = 'game'\nname = 'duckboard'\n\
             [[part]]\npart = 'kernel'\nlabel = 'Kernel'\nways = [{ package = 'marsh-kernel' }]\n\
             [[part]]\npart = 'tide-gauge'\nlabel = 'Tide gauge'\nways = [{ package = 'gauged' }]\n\
             [[role]]\nrole = 'web-browser'\nlabel = 'Web'\ntypes = ['x-scheme-handler/http']\n",
        )
        .unwrap();
        let mut packages = [Package::new(System::Dpkg, "duckboard", "1")];
        own.kinds().unwrap().apply(&mut packages, &[None], &[]);
        let because = &packages[0].kind_because;
        assert_eq!((packages[0].kind, because.rule.as_deref()), (Kind::Game, Some("own:1")));
        assert_eq!(because.because.as_slice(), [crate::model::KindFact::Name]);
        let parts = own.parts().unwrap();
        assert_eq!(parts.part.last().unwrap().part, "tide-gauge");
        let kernel = parts.part.iter().find(|rule| rule.part == "kernel").unwrap();
        assert_eq!(kernel.ways[0].package.as_deref(), Some("marsh-kernel"));
        let built_in = Roles::built_in().unwrap().role.len();
        assert_eq!(own.roles().unwrap().role.len(), built_in, "a known role is replaced");
        assert_eq!(own.roles().unwrap().label("web-browser"), "Web");
    }

    #[test]
    fn what_is_wrong_is_named_with_its_line() {
        let error = |text: &str| OwnRules::parse(text).unwrap_err();
        assert_eq!(error("[[kind]]\nkind = 'gme'\nname = 'x'").line, Some(2));
        assert_eq!(error("\n[[agnt]]\n").line, Some(2));
        assert!(error("[[part]]\npart='x'\nlabel='X'\nways=[{}]").why.contains("exactly one"));
        assert!(error("[[role]]\nrole='x'\nlabel='X'").why.contains("asked either"));
    }
}
