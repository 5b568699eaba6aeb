//! Roles: which types and categories stand for the jobs of default applications.

use super::parts::RulesError;
use crate::model::{Launcher, Text};
use serde::Deserialize;

/// The roles inside the program.
const BUILT_IN: &str = include_str!("rules/roles.toml");

/// The same as the build script wrote it.
const READY: &str = include_str!(concat!(env!("OUT_DIR"), "/roles.json"));

/// The table of roles, in the order that they are listed in.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Roles {
    /// The roles.
    pub role: Vec<Role>,
}

/// One job, and how it is asked for.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Role {
    /// Stable name.
    pub role: Text,
    /// Name for people.
    pub label: Text,
    /// What holds the role, for a sentence: `screenshot tool`. Left out where the stable name says it.
    pub noun: Option<Text>,
    /// MIME types and scheme handlers.
    pub types: Vec<Text>,
    /// Further types of the role, also asked: answered where an app opens them, and told after the others.
    pub also: Vec<Text>,
    /// Whether the whole role is also asked: most installs have nobody for it, and miss nothing.
    pub quiet: bool,
    /// Launcher categories, any of them.
    pub categories: Vec<Text>,
    /// Categories of applications whose own job it is; all that open the types where none is given.
    pub jobs: Vec<Text>,
    /// Words in name, generic name or ID, any of them.
    pub words: Vec<Text>,
    /// Commands that a launcher runs, any of them: for what is called in so few words that any program could be.
    pub programs: Vec<Text>,
    /// Categories that rule a launcher out.
    pub without: Vec<Text>,
    /// Words in name, generic name or ID that rule a launcher out.
    pub without_words: Vec<Text>,
    /// Whether its types are different things, which no app is expected to open alike.
    pub apart: bool,
    /// Roles whose own app is a surprise in this one.
    pub unlikely: Vec<Text>,
    /// Name of a link in `etc/alternatives` that decides.
    pub alternative: Option<Text>,
}

impl Roles {
    /// The roles inside the program.
    ///
    /// # Errors
    /// None in a program that passed its tests.
    pub fn built_in() -> Result<Self, RulesError> {
        super::ready(READY)
    }

    /// The text of the roles inside the program: TOML with comments.
    pub const fn built_in_text() -> &'static str {
        BUILT_IN
    }

    /// Name for people of a role; its stable name where no rule knows it.
    pub fn label<'a>(&'a self, role: &'a str) -> &'a str {
        self.role.iter().find(|known| known.role == role).map_or(role, |known| known.label.as_str())
    }

    /// What holds a role, for a sentence: `file manager`.
    pub fn noun(&self, role: &str) -> String {
        let known = self.role.iter().find(|known| known.role == role).and_then(|known| known.noun.as_ref());
        known.map_or_else(|| role.replace('-', " "), Text::to_string)
    }

    /// Every link in `etc/alternatives` that decides a role.
    pub fn alternatives(&self) -> impl Iterator<Item = &Text> {
        self.role.iter().filter_map(|role| role.alternative.as_ref())
    }
}

impl Role {
    /// Whether a launcher could do the job: by the command that it runs, else by category and words.
    pub fn fits(&self, launcher: &Launcher) -> bool {
        if launcher.runs.as_ref().is_some_and(|runs| self.programs.contains(runs)) {
            return true;
        }
        let has = |wanted: &[Text]| launcher.categories.iter().any(|category| wanted.contains(category));
        if self.rules_out(launcher) {
            return false;
        }
        has(&self.categories) || self.is_said_by(launcher)
    }

    /// Whether a category of a launcher, or what it is called, rules it out.
    pub fn rules_out(&self, launcher: &Launcher) -> bool {
        launcher.categories.iter().any(|category| self.without.contains(category))
            || says(launcher, &self.without_words)
    }

    /// Whether it is the own job of a launcher that opens one of the types.
    pub fn is_job_of(&self, launcher: &Launcher) -> bool {
        self.jobs.is_empty() || launcher.categories.iter().any(|category| self.jobs.contains(category))
    }

    /// Whether a launcher says by its name that the job is its own, as against being of a category that fits.
    pub fn is_said_by(&self, launcher: &Launcher) -> bool {
        says(launcher, &self.words)
    }

    /// How the question by category is written down: `Categories=TerminalEmulator`.
    pub fn asked(&self) -> Text {
        let (key, of) = match (&self.categories[..], &self.words[..]) {
            ([], []) => ("Exec", &self.programs),
            ([], _) => ("Name", &self.words),
            _ => ("Categories", &self.categories),
        };
        format!("{key}={}", of.join("|")).into()
    }

    /// Whether it is asked by launchers, as against types.
    pub fn is_by_launcher(&self) -> bool {
        !self.categories.is_empty() || !self.words.is_empty() || !self.programs.is_empty()
    }
}

/// Whether a launcher has any of these words in its name, its generic name or its ID.
fn says(launcher: &Launcher, words: &[Text]) -> bool {
    if words.is_empty() {
        return false;
    }
    let generic = launcher.generic_name.as_deref().unwrap_or_default();
    let said = format!("{} {generic} {}", launcher.name, launcher.id).to_lowercase();
    words.iter().any(|word| said.contains(word.as_str()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_called_in_one_word_is_known_by_what_it_runs() {
        let launcher = |name: &str, runs: &str| {
            let told = serde_json::json!({"id": "x.desktop", "name": name, "runs": runs, "menu": "settings", "shown": true, "does": "program"});
            serde_json::from_value::<Launcher>(told).unwrap()
        };
        let roles = Roles::built_in().unwrap();
        let role = |name: &str| roles.role.iter().find(|role| role.role == name).unwrap();
        assert!(role("settings").fits(&launcher("Settings", "gnome-control-center")));
        assert!(!role("settings").fits(&launcher("Settings", "curlew-settings")));
        assert!(role("disk-manager").fits(&launcher("Disks", "gnome-disks")));
        assert_eq!(role("settings").asked().split('=').next(), Some("Name"));
        let only = Role { programs: vec!["curlew".into(), "reed".into()], ..Role::default() };
        assert!(only.is_by_launcher() && only.fits(&launcher("Anything", "reed")));
        assert_eq!(only.asked(), "Exec=curlew|reed");
    }

    #[test]
    fn a_screenshot_tool_is_no_image_editor() {
        let launcher = |name: &str| {
            let told = serde_json::json!({"id": "x.desktop", "name": name, "categories": ["Graphics", "RasterGraphics"],
                "menu": "graphics", "shown": true, "does": "program"});
            serde_json::from_value::<Launcher>(told).unwrap()
        };
        let roles = Roles::built_in().unwrap();
        let role = |name: &str| roles.role.iter().find(|role| role.role == name).unwrap();
        let fits = |name: &str| ["image-editor", "screenshot"].map(|of| role(of).fits(&launcher(name)));
        assert_eq!((fits("ScreenGrab"), fits("Tidepaint")), ([false, true], [true, false]));
    }

    #[test]
    fn the_built_in_roles_are_sound() {
        let roles = Roles::built_in().unwrap();
        assert!(roles.role.len() >= 25, "{}", roles.role.len());
        let mut names: Vec<&str> = roles.role.iter().map(|role| role.role.as_str()).collect();
        names.sort_unstable();
        names.dedup();
        assert_eq!(names.len(), roles.role.len(), "a role stands twice");
        for role in &roles.role {
            assert!(!role.label.is_empty());
            let by_type = !role.types.is_empty();
            assert!(by_type != role.is_by_launcher(), "{} is asked by types or by launchers", role.role);
        }
    }
}
