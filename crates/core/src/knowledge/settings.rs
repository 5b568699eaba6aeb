//! Settings: what a new user finds set, under one name on all desktops.

use super::desktops::{Desktop, SettingPlace, desktops};
use super::parts::RulesError;
use crate::model::Text;
use serde::Deserialize;
use std::collections::BTreeMap;
use std::sync::LazyLock;

/// The table inside the program.
const BUILT_IN: &str = include_str!("rules/settings.toml");

/// The same as the build script wrote it.
const READY: &str = include_str!(concat!(env!("OUT_DIR"), "/settings.json"));

/// The table of settings, in the order in which they are told.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SettingRules {
    /// The settings.
    #[serde(default)]
    pub setting: Vec<SettingRule>,
}

crate::vocabulary! {
    /// What a setting is about, in the order in which it is told.
    pub enum SettingArea {
        /// Colours, themes, fonts, pictures, sounds.
        Looks = "looks",
        /// Windows and workspaces.
        Windows = "windows",
        /// Panels, docks, favourites.
        Panel = "panel",
        /// The desktop and the file manager.
        Desktop = "desktop",
        /// Mouse, touchpad, keyboard.
        Input = "input",
        /// Screen and power.
        Power = "power",
        /// What is remembered, and what is reported.
        Privacy = "privacy",
        /// Updates, new users.
        System = "system",
        /// The terminal.
        Terminal = "terminal",
        /// The web browser.
        Browser = "browser",
        /// What the table does not know.
        Other = "other",
    }
}

crate::vocabulary! {
    /// What a value is, beside plain text.
    pub enum SettingShape {
        /// Names, one after the other.
        List = "list",
        /// A picture, told by its name.
        Picture = "picture",
        /// Buttons of a window, left and right.
        Buttons = "buttons",
    }
}

crate::vocabulary! {
    /// What a value names that should be installed.
    pub enum NamedLook {
        /// A theme.
        Theme = "theme",
        /// An icon set.
        IconSet = "icon-set",
    }
}

crate::vocabulary! {
    /// What a number is in.
    pub enum SettingUnit {
        /// Seconds.
        Seconds = "s",
        /// Minutes.
        Minutes = "min",
        /// Milliseconds.
        Milliseconds = "ms",
    }
}

/// A setting, and where each desktop keeps it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SettingRule {
    /// Its name, the same on all desktops.
    pub key: Text,
    /// Where it is told.
    pub area: SettingArea,
    /// Its name for people.
    pub label: Text,
    /// What its value is, beside plain text.
    #[serde(default)]
    pub shape: Option<SettingShape>,
    /// What a number is in, unless its place says so.
    #[serde(default)]
    pub unit: Option<SettingUnit>,
    /// Native values and what they are called, unless their place says so.
    #[serde(default)]
    pub values: BTreeMap<Text, Text>,
    /// Whether the looks of an install tell it as well.
    #[serde(default)]
    pub look: bool,
    /// What its value names, which should be installed.
    #[serde(default)]
    pub names: Option<NamedLook>,
    /// Patterns of such names that need no files of their own.
    #[serde(default)]
    pub built_in: Vec<Text>,
    /// Whether a person would see a change at once.
    #[serde(default)]
    pub headline: bool,
    /// Places, those asked first going before.
    pub places: Vec<SettingPlace>,
}

static TABLE: LazyLock<SettingRules> = LazyLock::new(|| super::ready(READY).unwrap_or_default());

/// The table inside the program.
pub fn settings() -> &'static SettingRules {
    &TABLE
}

impl SettingRules {
    /// The settings inside the program.
    ///
    /// # Errors
    /// None in a program that passed its tests.
    pub fn built_in() -> Result<Self, RulesError> {
        super::ready(READY)
    }

    /// The text of the settings inside the program: TOML with comments.
    pub const fn built_in_text() -> &'static str {
        BUILT_IN
    }

    /// The rule of a setting.
    pub fn of(&self, key: &str) -> Option<&SettingRule> {
        self.setting.iter().find(|rule| rule.key == key)
    }

    /// The name of a setting for people: its own name where the table does not know it.
    pub fn label<'a>(&'a self, key: &'a str) -> &'a str {
        self.of(key).map_or(key, |rule| &rule.label)
    }
}

impl SettingRule {
    /// The places that a desktop has: its own, then those of its window manager, then those of the one that it stands on, then those
    /// of no desktop. A desktop that is not known has the schemas that all toolkits share.
    pub fn places_on<'a>(
        &'a self,
        desktop: Option<&'a Desktop>,
        window_manager: Option<&'a Text>,
    ) -> impl Iterator<Item = &'a SettingPlace> + Clone {
        let also = desktop.and_then(|one| one.also.as_deref()).and_then(|name| desktops().called(name));
        let of_name = move |name: Option<&'a Text>| {
            self.places.iter().filter(move |place| name.is_some() && place.on.as_ref() == name)
        };
        let of = move |one: Option<&'a Desktop>| of_name(one.map(|one| &one.name));
        let is_known = desktop.is_some();
        let shared = self.places.iter().filter(move |place| !is_known && place.is_shared());
        // Those of no desktop that are listed first are asked first.
        let leading = self.places.iter().take_while(|place| place.on.is_none());
        let rest = self.places.iter().skip_while(|place| place.on.is_none());
        let of_none = rest.filter(|place| place.on.is_none());
        // What another desktop does by itself is its own.
        let beneath = of(also).filter(|place| place.ways() > 0);
        leading.chain(of(desktop)).chain(of_name(window_manager)).chain(beneath).chain(shared).chain(of_none)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_table_is_sound() {
        let rules = SettingRules::built_in().unwrap();
        let mut area = SettingArea::Looks;
        for (at, rule) in rules.setting.iter().enumerate() {
            assert!(rules.setting[..at].iter().all(|other| other.key != rule.key), "{} twice", rule.key);
            assert!(rule.area >= area, "{} is out of order", rule.key);
            area = rule.area;
            assert!(!rule.places.is_empty() && !rule.label.is_empty(), "{}", rule.key);
            for place in &rule.places {
                let ways = place.ways();
                assert!(ways == 1 || ways == 0 && place.otherwise.is_some(), "{}: {place:?}", rule.key);
                if let Some(on) = &place.on {
                    let managers = desktops().window_managers();
                    let is_known =
                        desktops().called(on).is_some() || managers.iter().any(|one| one.name == *on);
                    assert!(is_known, "{}: there is no desktop {on}", rule.key);
                }
                assert!(place.look.is_none() && place.role.is_none());
            }
        }
    }

    #[test]
    fn a_desktop_asks_its_own_places_before_those_it_stands_on() {
        let rules = SettingRules::built_in().unwrap();
        let buttons = rules.of("window-buttons").unwrap();
        let budgie: Vec<&str> = buttons
            .places_on(desktops().called("Budgie"), None)
            .filter_map(|place| place.gsettings.as_deref())
            .collect();
        assert_eq!(
            budgie,
            ["com.solus-project.budgie-wm button-layout", "org.gnome.desktop.wm.preferences button-layout"]
        );
        assert_eq!(buttons.places_on(None, None).count(), 1, "the schema that all toolkits share");
        assert_eq!(rules.of("login-shell").unwrap().places_on(None, None).count(), 1);
    }
}
