//! What is known before an install is read: tables with a stated precedence, each rule with its reason.

mod agents;
mod desktops;
mod found;
mod kinds;
mod media;
mod menu;
mod names;
mod own;
mod parts;
mod pattern;
mod roles;
mod scores;
mod settings;
mod traits;
mod words;

use serde::de::DeserializeOwned;

/// Reads a table that the build script wrote.
fn ready<T: DeserializeOwned>(json: &str) -> Result<T, RulesError> {
    serde_json::from_str(json).map_err(|error| RulesError { line: None, why: error.to_string() })
}

pub use agents::{Agent, Agents};
pub use desktops::{Desktop, Desktops, LookName, PanelFact, SettingPlace, desktops};
pub use kinds::{KindRule, KindRules, ReadyKinds, fold_companions};
pub use media::{Decoder, Framework, MediaFamily, MediaHelp, MediaRule, MediaRules, media};
pub use menu::{main_category, menu_of};
pub use names::{EditionName, Names, names};
pub use own::{OwnCounts, OwnRules};
pub(crate) use parts::line_of;
pub use parts::{PartRule, PartRules, PartWay, Probe, ProbeKind, Probes, RulesError};
pub use pattern::{Matcher, Pattern, matches};
pub use roles::{Role, Roles};
pub use scores::Scores;
pub use settings::{NamedLook, SettingArea, SettingRule, SettingRules, SettingShape, SettingUnit, settings};
pub use traits::{FolderClass, Trait, Traits, folder_class, trait_of};
pub use words::{EverydayWord, everyday_words};

#[cfg(test)]
mod tests {
    use super::*;

    /// Whether a table reads the same from its own text and from what the build script made of it.
    fn is_ready<T: DeserializeOwned + std::fmt::Debug>(text: &str, ready: &T) {
        let told: T = toml::from_str(text).unwrap();
        assert_eq!(format!("{told:?}"), format!("{ready:?}"));
    }

    #[test]
    fn the_build_script_changes_nothing() {
        is_ready(Agents::built_in_text(), &Agents::built_in().unwrap());
        is_ready(KindRules::built_in_text(), &KindRules::built_in().unwrap());
        is_ready(PartRules::built_in_text(), &PartRules::built_in().unwrap());
        is_ready(Roles::built_in_text(), &Roles::built_in().unwrap());
        is_ready(Scores::built_in_text(), &Scores::built_in().unwrap());
        is_ready(SettingRules::built_in_text(), &SettingRules::built_in().unwrap());
        PartRules::built_in().unwrap().check().unwrap();
    }
}
